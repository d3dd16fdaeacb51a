package carry_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/files"
)

// inputOf reads an estate of n.example and old.example, with the carriers that are named.
func inputOf(carriers, old string) plan.Input {
	dir, err := os.MkdirTemp("", "example-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "upperpath.yaml")
	first, _, _ := strings.Cut(strings.TrimSpace(carriers), ":")
	text := "canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\ncarriers:\n" +
		carriers + "domains: [{name: n.example, state: leave, carrier: {apex: " + first + "}}, " + old +
		"]\n"
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		panic(err)
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		panic(err)
	}
	return plan.Input{Estate: e.Estate, Rules: e.Rules}
}

// A forwarding form takes no https and no path: that is a limit at some doors, and what is typed
// there says from where to where.
func ExampleLimits() {
	in := inputOf("  form: {by: form, addresses: [198.51.100.4]}\n",
		"{name: old.example, carrier: form}")
	found, beyond := carry.Limits(in.Web())
	for _, f := range found.Findings {
		fmt.Println(f.Code, f.Subject)
	}
	fmt.Println(len(beyond), "doors are beyond it")
	for _, k := range plan.Make(in).Carriers {
		for _, e := range k.Entries {
			fmt.Println(e.Step, e.Action, e.Kind, e.Fields[0].Value, "→", e.Fields[1].Value)
		}
	}
	// Output:
	// beyond-carrier form
	// beyond-carrier form
	// 4 doors are beyond it
	// 1 add forward old.example → https://www.n.example/
	// 2 add forward www.old.example → https://www.n.example/
}
