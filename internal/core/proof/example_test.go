package proof_test

import (
	"fmt"
	"os"
	"path/filepath"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/files"
)

// What holds of every URL is proved, and what does not has a URL that shows it: here two rules that
// lead to each other.
func ExampleProve() {
	dir, err := os.MkdirTemp("", "example-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "upperpath.yaml")
	for name, text := range map[string]string{
		"upperpath.yaml": "canonical: https://www.n.example\nrules: rules.csv\n" +
			"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
			"defaults: {carrier: g}\ndomains: [n.example, old.example]\n",
		"rules.csv": "old,new\nold.example/a,https://old.example/b\n" +
			"old.example/b,https://old.example/a\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			panic(err)
		}
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		panic(err)
	}
	p := proof.Prove(plan.Input{Estate: e.Estate, Rules: e.Rules}.Web(), nil)
	fmt.Println(p.Verdict)
	for _, f := range p.Findings {
		fmt.Println(f.Code, f.Subject)
	}
	// Output:
	// refuted
	// rule-loop rules lines 2 and 3
}
