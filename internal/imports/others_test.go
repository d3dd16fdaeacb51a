package imports

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/rule"
)

func translated(m Import) string {
	m.Settle(rule.Scope{})
	var all []string
	for _, r := range m.Rules {
		all = append(all, strings.TrimSpace(r.Old+" "+r.New+" "+r.Status+" "+r.Query))
	}
	for _, l := range m.Skipped {
		all = append(all, "left: "+l.Reason)
	}
	return strings.Join(all, "\n")
}

// TestReadHAProxy reads maps, beside a configuration and alone, backends and hosts.
func TestReadHAProxy(t *testing.T) {
	maps := func(name string) []string {
		return map[string][]string{
			"paths.map": {"# old new\n" +
				"/a https://www.n.example/A\n/caf%C3%A9\thttps://www.n.example/coffee\n"},
			"base.map": {"old.example/x https://www.n.example/X\n" +
				"other.example/x https://www.n.example/OX\n"},
			"begin.map": {"/s https://www.n.example/s\n/shop https://www.n.example/store\n"},
			"re.map":    {`^/p-([0-9]+)\.html$ https://www.n.example/p/\1/` + "\n"},
			"hosts.lst": {"old.example\nwww.old.example\n"},
		}[name]
	}
	for text, want := range map[string]string{
		"frontend f\n http-request redirect location %[path,map(/etc/h/paths.map)] code 301 " +
			"if { path,map(/etc/h/paths.map) -m found }\n": //
		"old.example/a https://www.n.example/A 301 drop\n" +
			"old.example/café https://www.n.example/coffee 301 drop",
		"frontend f\n http-request redirect location %[base,map_str(base.map)] code 308 " +
			"if { hdr(host) -f hosts.lst }\n": "old.example/x https://www.n.example/X 308 drop",
		"frontend f\n http-request redirect location %[path,map_beg(begin.map)] code 302\n": //
		"old.example/shop{+rest} https://www.n.example/store 302 drop\n" +
			"old.example/s{+rest} https://www.n.example/s 302 drop",
		"frontend f\n http-request redirect location %[path,map_regm(re.map)] code 301\n"://
		"old.example/p-{g1:digits}.html https://www.n.example/p/{g1}/ 301 drop",
		"frontend f\n http-request redirect location %[path,map(none.map)] code 301\n"://
		"left: the map none.map is not beside this file",
		"frontend f\n use_backend b if { path_beg /old/ }\nbackend b\n" +
			" http-request redirect prefix https://www.n.example code 301\n": //
		"old.example/old/{+g1} https://www.n.example/old/{+g1} 301",
		"frontend f\n http-request redirect location https://www.n.example/ code 301 if unnamed\n"://
		"left: unnamed is a condition that this file does not explain",
		"/a https://www.n.example/A\n/b https://www.n.example/B\n"://
		"old.example/a https://www.n.example/A 301 drop\nold.example/b https://www.n.example/B 301 drop",
	} {
		got := translated(ReadHAProxy(text, "old.example", maps))
		for line := range strings.SplitSeq(want, "\n") {
			assert.Contains(t, strings.ReplaceAll(got, "  ", " "), line, text)
		}
	}
	for _, hostile := range []string{"", "{", "frontend f\n http-request redirect", "acl", "acl x {",
		"frontend f\n use_backend f if { path / \n", "redirect location", "x \x00 y", "frontend f\n" +
			" use_backend b\nbackend b\n use_backend b\n", strings.Repeat("frontend f\n", 1000),
		"frontend f\n http-request redirect location %[path,map()] if !\n",
		"frontend f\n acl a path /a\n http-request redirect prefix / if " +
			strings.Repeat("a or ", 5000)} {
		ReadHAProxy(hostile, "old.example", maps)
		ReadCaddy(hostile, "old.example", maps)
	}
}

// TestReadCaddy reads sites of several hosts, snippets and files that are imported.
func TestReadCaddy(t *testing.T) {
	included := func(name string) []string {
		return map[string][]string{"more.conf": {"redir /more https://www.n.example/more 301\n"}}[name]
	}
	m := ReadCaddy(`{
	email a@n.example
}
(old) {
	redir /a https://www.n.example/A permanent
}
old.example,
www.old.example {
	import old
	import more.conf
	redir https://www.n.example{uri} permanent
}
https://second.example {
	redir https://www.n.example/second/{path} 302
}
`, "", included)
	got := strings.ReplaceAll(translated(m), "  ", " ")
	for _, line := range []string{
		"old.example/a https://www.n.example/A 301 drop",
		"old.example/more https://www.n.example/more 301 drop",
		"old.example/{+g1} https://www.n.example/{+g1} 301",
		"https://second.example/{+g1} https://www.n.example/second//{+g1} 302 drop",
	} {
		assert.Contains(t, got, line)
	}
}

// TestWhatChangesARequestIsLeft reads lines that change what later ones see, or answer before them,
// or hold more than is read: none of them becomes a rule, and none is dropped without a word.
func TestWhatChangesARequestIsLeft(t *testing.T) {
	maps := func(name string) []string {
		return map[string][]string{"a.map": {"/a https://www.n.example/A\n"}}[name]
	}
	const to = " http-request redirect prefix https://www.n.example code 301\n"
	for text, why := range map[string]string{
		"frontend f\n http-request replace-path /x/(.*) /\\1\n" + to:   "changes the path",
		"frontend f\n http-request set-query a=b if { path / }\n" + to: "changes the path or the query",
		"frontend f\n http-request redirect prefix https://www.n.example append-slash\n"://
		"append-slash is not read",
		"frontend f\n http-request redirect location https://www.n.example/%HU code 301\n"://
		"its target is more than",
		"frontend f\n http-request redirect location https://www.n.example%[path,regsub(^/a,/b,g)]\n"://
		"its target is more than",
		"frontend f\n http-request redirect location %[path,map(a.map)] code 301\n"://
		"a path that its map does not have is led nowhere",
		"frontend f\n http-request redirect location %[path,map(a.map)] code 301 " +
			"if { path,map(b.map) -m found }\n": "its condition asks a map",
		"frontend f\n http-request redirect location %[path,map(a.map)] code 301 " +
			"if !{ path,map(a.map) -m found }\n": "its condition asks a map",
		"frontend f\n http-request redirect location /x if HTTP_1.0\n": "HTTP_1.0 is a condition",
		"frontend f\n http-request redirect location /x if { path /a%2Fb }\n"://
		"holds an escape that says something else",
		"frontend f\n http-request redirect location /x if { path_reg ^/caf%C3%A9$ }\n"://
		"its expression is of a path with escapes",
		"frontend f\n use_backend %[req.hdr(host),lower]\nbackend b\n" + to://
		"worked out for each request",
		"frontend f\nbackend b\n" + to://
		"no frontend of this file leads to its backend b",
		".if defined(X)\nfrontend f\n" + to + ".endif\nfrontend g\n": "up to .endif is not read",
	} {
		got := translated(ReadHAProxy(text, "old.example", maps))
		assert.Contains(t, got, why, text)
	}
	const led = "\tredir https://www.n.example{uri} 301\n"
	for text, why := range map[string]string{
		"old.example {\n route {\n rewrite /x /y\n" + led + " }\n}\n":        "changes the path",
		"old.example {\n uri strip_prefix /a\n handle {\n" + led + " }\n}\n": "changes the path",
		"old.example {\n basicauth {\n }\n handle {\n" + led + " }\n}\n":     "whom it does not know",
		"old.example:8080 {\n" + led + "}\n":                                 "their usual ports",
		"{\n order redir last\n}\nold.example {\n" + led + "}\n":             "what Caddy asks first",
		"old.example {\n map {path} {t} {\n /a /b\n }\n redir {t} 301\n}\n":  "is led nowhere",
		"old.example {\n @x expression {method} == \"POST\"\n map {path} {t} {\n /a /b\n }\n" +
			" redir @x {t} 301\n}\n": "expression is more than",
		"old.example {\n redir /a%2Fb /c 301\n}\n": "holds an escape that says something else",
	} {
		assert.Contains(t, translated(ReadCaddy(text, "old.example", maps)), why, text)
	}
	// a file that listens for one scheme alone is read as that of a virtual host: for both
	for text, want := range map[string]string{
		"frontend f\n bind :80\n http-request redirect location /x if { path /a }\n"://
		"old.example/a https://old.example/x",
		"frontend f\n bind :80\n http-request redirect location /x if { path /a }\n" +
			"frontend g\n bind :443 ssl crt x\n http-request redirect location /y if { path /a }\n": //
		"http://old.example/a https://old.example/x 302 drop\n" +
			"https://old.example/a https://old.example/y",
	} {
		assert.Contains(t, translated(ReadHAProxy(text, "old.example", nil)), want, text)
	}
}
