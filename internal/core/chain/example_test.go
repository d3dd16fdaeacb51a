package chain_test

import (
	"context"
	"fmt"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// oldSite is a web of two answers.
type oldSite struct{}

func (oldSite) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	if ask.URL.Host().String() == "old.example" {
		return chain.Answer{URL: ask.URL, Status: 302, Location: "https://www.northmoor.example/"}
	}
	return chain.Answer{URL: ask.URL, Status: 200}
}

// A chain is followed redirect by redirect, and then judged against where it should lead.
func ExampleFollow() {
	start := chain.Ask{URL: web.MustParseURL("http://old.example/lace/")}
	c := chain.Follow(context.Background(), oldSite{}, start, chain.Asked)
	fmt.Println(c.End, c.Redirects(), c.Arrival)
	goal := chain.Goal{Target: web.MustParseURL("https://www.northmoor.example/lace/"), Hops: 1}
	chain.Judge{}.Chain(&c, goal)
	for _, f := range c.Findings {
		fmt.Println(f.Code, f.Severity)
	}
	// Output:
	// page 1 https://www.northmoor.example/
	// path-lost error
	// temporary warning
}
