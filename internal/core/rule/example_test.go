package rule_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// The most specific rule wins, whatever the order of lines.
func ExampleCompile() {
	rules, faults := rule.Parse([]rule.Row{
		{Line: 2, Old: "old.example/a/{+rest}", New: "/archive/{+rest}"},
		{Line: 3, Old: "old.example/a/{year:digits}/{item}", New: "/archive/{year}/{item}/"},
		{Line: 4, Old: "old.example/index.php?id=7", New: "/lace/"},
	}, rule.Scope{})
	table := rule.Compile(rules, rule.Scope{})
	canonical := web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.northmoor.example")}
	fmt.Println(len(faults))
	for _, u := range []string{
		"http://old.example/a/1998/lace.html", "http://www.old.example/a/b/c?d",
		"http://old.example/index.php?id=7&x",
	} {
		match, ok := table.Lookup(web.MustParseURL(u))
		fmt.Println(ok, match.Rule.Line, match.Location(canonical))
	}
	// Output:
	// 0
	// true 3 https://www.northmoor.example/archive/1998/lace.html/
	// true 2 https://www.northmoor.example/archive/b/c?d
	// true 4 https://www.northmoor.example/lace/?x
}

// Two rules that are equally specific and take one URL are a tie.
func ExampleTable_Ties() {
	rules, _ := rule.Parse([]rule.Row{
		{Line: 2, Old: "old.example/a/{x}", New: "/one"},
		{Line: 3, Old: "old.example/{y}/b", New: "/two"},
	}, rule.Scope{})
	for _, tie := range rule.Compile(rules, rule.Scope{}).Ties() {
		fmt.Println(tie.First.Line, tie.Second.Line, tie.Witness)
	}
	// Output: 2 3 https://old.example/a/b
}
