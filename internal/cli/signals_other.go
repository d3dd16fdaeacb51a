//go:build !unix

package cli

import (
	"os"
	"syscall"
)

// endings are the signals that end a program which does not mind them.
var endings = []os.Signal{os.Interrupt, syscall.SIGTERM}
