package imports_test

import (
	"fmt"

	"upperpath.example/upperpath/internal/imports"
)

func ExampleReadApache() {
	m := imports.ReadApache("Redirect 301 /shop https://shop.example/\n"+
		"RedirectMatch 302 \"^/(a|b)/$\" https://n.example/$1\n"+
		"RewriteCond %{HTTP_COOKIE} x\nRewriteRule ^/c$ /d [R=301]", "old.example",
		imports.Place{Server: true}, nil)
	for _, r := range m.Rules {
		fmt.Println(r.Old, "→", r.New, r.Status)
	}
	for _, s := range m.Skipped {
		fmt.Println("left:", s.Text)
	}
	// Output:
	// old.example/shop → https://shop.example/ 301
	// old.example/shop/{+rest} → https://shop.example//{+rest} 301
	// old.example/a/ → https://n.example/a 302
	// old.example/b/ → https://n.example/b 302
	// left: RewriteRule ^/c$ /d [R=301]
}
