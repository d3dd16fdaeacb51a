// Package demo holds the demo estate: made-up museums at documentation addresses, with a fault at
// every domain.
package demo

import (
	"embed"
	"io/fs"
)

//go:embed all:estate
var embedded embed.FS

// Files are the files of the demo estate: the estate file and what it names, and the folder stage
// with the web as it is today.
func Files() fs.FS {
	sub, err := fs.Sub(embedded, "estate")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}
