//go:build unix

package cli

import (
	"os"
	"syscall"
)

// endings are the signals that end a program which does not mind them: a lost terminal is one, and
// so are those that a keyboard, a service manager or a limit of time sends.
var endings = []os.Signal{
	syscall.SIGINT, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGQUIT, syscall.SIGUSR1, syscall.SIGUSR2,
	syscall.SIGALRM,
	syscall.SIGVTALRM, syscall.SIGXCPU,
}
