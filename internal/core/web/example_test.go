package web_test

import (
	"errors"
	"fmt"

	"upperpath.example/upperpath/internal/core/web"
)

// A name is what browsers make of it; a URL is what they would ask for.
func ExampleParseHost() {
	h, err := web.ParseHost("Møllehuset.example")
	fmt.Println(h, h.Unicode(), err)
	fmt.Println(h.WWW())
	_, err = web.ParseHost("https://old.example/")
	var wrong *web.Error
	fmt.Println(errors.As(err, &wrong), wrong.Fault)
	// Output:
	// xn--mllehuset-l8a.example møllehuset.example <nil>
	// www.xn--mllehuset-l8a.example
	// true {old.example}
}

// Two URLs are one where RFC 3986 section 6.2.2 says so.
func ExampleURL_Key() {
	for _, s := range []string{"HTTP://Old.Example:80/%61/./b", "http://old.example/a/b",
		"http://old.example/a%2Fb"} {
		u, err := web.ParseURL(s)
		fmt.Println(u.Key(), err)
	}
	// Output:
	// http://old.example/a/b <nil>
	// http://old.example/a/b <nil>
	// http://old.example/a%2Fb <nil>
}
