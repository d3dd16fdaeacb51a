// Command upperpath plans, proves, rehearses, writes, audits and reports the consolidation of
// domains onto one site.
package main

import (
	"os"

	"upperpath.example/upperpath/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
