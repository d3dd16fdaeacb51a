// Command man writes the manual pages: a page a command, from the program's own help.
//
//	go run ./docs/man FOLDER
package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra/doc"

	"upperpath.example/upperpath/internal/cli"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: go run ./docs/man FOLDER")
		os.Exit(2)
	}
	err := os.MkdirAll(os.Args[1], 0o777)
	if err == nil {
		root := cli.Root()
		root.DisableAutoGenTag = true
		err = doc.GenManTree(
			root,
			&doc.GenManHeader{Title: "UPPERPATH", Section: "1", Source: "Upper Path", Manual: "Upper Path"},
			os.Args[1],
		)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
