package plan_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

// A plan is worked out of an estate, its rules, and what a survey saw.
func ExampleMake() {
	dir, err := os.MkdirTemp("", "example-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "upperpath.yaml")
	text := "canonical: https://www.n.example\n" +
		"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
		"defaults: {carrier: g}\ndomains: [n.example, {name: old.example, leads-to: /lace/}]\n"
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		panic(err)
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		panic(err)
	}
	p := plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules})
	u := web.MustParseURL("http://www.old.example/bobbins")
	fmt.Println(p.Web.Answer(context.Background(), chain.Ask{URL: u}).Location)
	fmt.Println(p.Goal(u).Target)
	fmt.Println(p.Steps[0].Kind == act.SurveyFirst, len(p.Findings))
	// Output:
	// https://www.n.example/lace/bobbins
	// https://www.n.example/lace/bobbins
	// true 0
}
