package hostile

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// numbered repeats a text with its numbers put in.
func numbered(n int, format string) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, strings.ReplaceAll(format, "#", "%[1]d"), i)
	}
	return b.String()
}

const soa = "$TTL 60\n@ IN SOA ns h 1 2 3 4 5\n"

// TestFilesThatMeanHarm hands files to every reader that would take hours or gigabytes: each ends
// soon, in memory of at most ten times the input and 100 MB, as a result or as one sentence with
// its line.
func TestFilesThatMeanHarm(t *testing.T) {
	apache := "rules import FILE --kind apache --host old.example"
	nginx := "rules import FILE --kind nginx --host old.example"
	for name, c := range map[string]struct {
		command, text, says string
		code                int
	}{
		"alternatives": {
			apache,
			"RedirectMatch 301 ^/" + strings.Repeat("(a|b)", 30) + "$ /x\n",
			"stand for more than 200 rules", 1,
		},
		"optional characters": {
			apache,
			"RedirectMatch 301 ^/" + strings.Repeat("a?", 30) + "$ /x\n",
			"stand for more than 200 rules", 1,
		},
		"lines of alternatives": {apache,
			numbered(2000, "RedirectMatch 301 ^/#(a|b)(c|d)(e|f)(g|h)(i|j)(k|l)(m|n)$ /x\n"),
			"not all of its alternatives", 1},
		"long alternatives": {
			apache,
			"RedirectMatch 301 ^/(a" + strings.Repeat("|c", 500_000) + ")$ /x\n",
			"longer than 8192 octets", 1,
		},
		"patterns that meet": {apache, numbered(2000, "RedirectMatch 301 ^/([^/]+)/a#/(.*)$ /x/$1\n"),
			"lines that may", 1},
		"continued lines":  {apache, strings.Repeat("a\\\n", 500_000), "", 0},
		"blocks in blocks": {apache, strings.Repeat("<If x>\n", 100_000), "more than 100 deep", 1},
		"hosts that never end": {apache,
			strings.Repeat("<VirtualHost *:80>\nServerName a.old.example\n", 100_000), "", 1},
		"aliases": {apache,
			"<VirtualHost *:80>\nServerName a.old.example\nServerAlias " + numbered(50_000,
				"h#.old.example ") +
				"\n" + strings.Repeat("Redirect /a /b\n", 5_000) + "</VirtualHost>\n",
			"not all of its alternatives", 1},
		"nginx blocks": {nginx, strings.Repeat("a {", 100_000), "more than 100 deep", 1},
		"nginx names": {
			nginx,
			"server { server_name " + numbered(50_000, "h#.old.example ") +
				"; location = /a { return 301 /b; } }",
			"", 0,
		},
		"many redirects": {apache,
			numbered(60_000, "Redirect 301 /archive/page-#.html https://www.n.example/c/#/\n"), "", 0},
		"many rewrites": {apache, "RewriteEngine on\n" +
			numbered(60_000, "RewriteRule ^/a/p-#\\.html$ https://www.n.example/c/#/ [R=301,L]\n"),
			"60000 rules", 0},
		"many that are left": {apache, "RewriteEngine on\n" +
			numbered(60_000, "RewriteRule a/p-#\\.html https://www.n.example/c/#/ [R=301,L]\n"),
			"60000 lines not", 1},
		"many locations": {nginx, "server { server_name old.example;\n" +
			numbered(60_000, "location = /a/p-#.html { return 301 https://www.n.example/c/#/; }\n") + "}\n",
			"60000 rules", 1},
		"many numbers": {"rules import FILE --kind csv", "old,new\n" +
			numbered(60_000, "https://old.example/index.php?id=#,https://www.n.example/c/#/\n"),
			"60000 rules", 0},
		"nginx one word": {nginx, strings.Repeat("x", 5_000_000), "", 1},

		"includes": {
			"plan --zone FILE",
			soa + strings.Repeat("$INCLUDE wide\n", 40),
			"more than 1000 files are included", 2,
		},
		"includes itself": {"plan --zone FILE", soa + "$INCLUDE old.example.zone\n", "", 2},
		"generated": {
			"plan --zone FILE",
			soa + strings.Repeat("$GENERATE 1-65535 x$ A 192.0.2.1\n", 1000),
			"stands for more than 5", 2,
		},
		"a long text": {"plan --zone FILE", soa + `x TXT "` + strings.Repeat("x", 5_000_000) + "\"\n",
			"", 0},
		"many strings": {"plan --zone FILE", soa + "x TXT " + strings.Repeat(`"x" `, 1_000_000) + "\n",
			"", 0},
		"braces": {"plan --zone FILE", soa + strings.Repeat("(", 2_000_000), "", 2},

		"rules of one path": {"prove",
			"old,new\n" + numbered(5_000, "old.example/index.php?id=#,/p/#\n"), "Proved", 0},
		"planned rules of one path": {"plan",
			"old,new\n" + numbered(5_000, "old.example/index.php?id=#,/p/#\n"), "The plan works", 0},
		"rules of one pattern": {"prove",
			"old,new\n" + numbered(5_000, "old.example/{x}.php?id=#,/p/#\n"), "Proved", 0},
		"rules of one path, all tied": {"prove",
			"old,new\n" + numbered(2_000, "old.example/p?k#=1,/p/#\n"), "tie", 1},
		"rules that feed by the query": {"prove",
			"old,new\n" + numbered(30, "old.example/p?k#={v},https://old.example/p?j#={v}\n"), "", 1},
		"rules that triple": {
			"prove",
			"old,new\nold.example/{+r},https://old.example/{+r}/{+r}/{+r}\n",
			"never ends, and grows", 1,
		},
		"parameters": {
			"plan",
			"old,new\nold.example/a?" + numbered(20_000, "a#={x#}&") + ",/b\n",
			"has 20000 parameters", 2,
		},
		"repeated parameters": {
			"plan",
			"old,new\nold.example/a?" + strings.Repeat("a=1&", 4_000) + ",/b\n",
			":2:1: the column old has 4000 parameters", 2,
		},
		"captures": {
			"plan",
			"old,new\nold.example/" + numbered(2_000, "{x#}/") + ",/b\n",
			"has 2000 captures", 2,
		},
		"a long rule": {
			"plan",
			"old,new\nold.example/" + strings.Repeat("x", 20_000) + ",/b\n",
			":2:1: the column old has", 2,
		},
		"a field": {
			"plan",
			"old,new,note\nold.example/a,/b,\"" + strings.Repeat("x\n", 10_000_000) + "\"\n",
			":2: a field has", 2,
		},
		"a line": {
			"plan",
			"old,new\nold.example/a," + strings.Repeat("x", 20_000_000) + "\n",
			":2: the line has", 2,
		},
		"fields": {
			"plan",
			"old,new\n" + strings.Repeat(",", 1_000_000) + "\n",
			":2: the line has 1000001 fields", 2,
		},
		"faults": {"plan", "old,new\n" + strings.Repeat("nope.example/a,*\n", 100_000), "and at least",
			2},

		"keys": {
			"plan --estate FILE",
			estate + numbered(40_000, "k#: 1\n"),
			"a mapping has more than 5000 keys", 2,
		},
		"aliases of aliases": {"plan --estate FILE",
			"a0: &a0 [x,x,x,x,x,x,x,x,x]\n" + aliases(12) + estate, "", 2},
		"a wide line": {
			"plan --estate FILE",
			estate + "contact: " + strings.Repeat("x", 1_000_000) + "\n",
			":4: the line has", 2,
		},
		"documents": {"plan --estate FILE", estate + strings.Repeat("---\n", 100_000),
			"more than one document", 2},
		"a vantage": {
			"look old.example --from ./FILE",
			strings.Repeat("[", 100_000),
			"are nested more than", 2,
		},
		"a key": {"survey --key FILE", strings.Repeat("{a: ", 100_000), "a bracket that is never closed",
			2},
		"pages": {
			"plan --estate pages.yaml",
			strings.Repeat("https://www.n.example/", 1_000_000) + "\n",
			"input:1: ", 2,
		},
		"a sitemap": {"plan --estate pages.yaml", "<urlset>" + strings.Repeat("<url>", 1_000_000),
			"input:1:", 2},
		"a sitemap's entities": {"plan --estate pages.yaml",
			"<!DOCTYPE x [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;\">]>" +
				"<urlset><url><loc>https://www.n.example/&b;</loc></url></urlset>", "this is not a sitemap", 2},
		"roots": {
			"look old.example --trust FILE",
			strings.Repeat("-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----\n", 50_000),
			"a certificate cannot be read", 2,
		},
		"nothing in roots": {
			"look old.example --trust FILE",
			strings.Repeat("-----BEGIN ", 1_000_000),
			"it contains no certificate", 2,
		},
		"a bootstrap file": {"survey --estate registry.yaml", strings.Repeat("[", 1_000_000), "", 2},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			file := map[bool]string{true: "old.example.zone",
				false: "input"}[strings.Contains(c.command, "--zone")]
			write := func(name, text string) {
				require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
			}
			write("upperpath.yaml", estate)
			if c.command == "plan" || c.command == "prove" {
				write("upperpath.yaml", estate+"rules: input\n")
			}
			write("pages.yaml", estate+"site: {pages: input}\n")
			write("registry.yaml", estate+"registry: {bootstrap: input}\n")
			write("wide", strings.Repeat("$INCLUDE wider\n", 40))
			write("wider", strings.Repeat("$INCLUDE widest\n", 40))
			write("widest", "x A 192.0.2.1\n")
			write(file, c.text)
			_, _, least := measured(t, folder, "--version")
			began := time.Now()
			code, said, peak := measured(t, folder,
				strings.Fields(strings.ReplaceAll(c.command, "FILE", file))...)
			assert.Equal(t, c.code, code, "%.600s", said)
			assert.Contains(t, strings.Join(strings.Fields(said), " "), c.says)
			assert.NotContains(t, said, "goroutine")
			assert.Less(t, time.Since(began), time.Minute)
			assert.LessOrEqual(t, peak>>20, (least+(100<<20)+10*len(c.text))>>20, "MB at the peak")
		})
	}
}

// aliases makes anchors that each stand for nine of the one before.
func aliases(n int) string {
	var b strings.Builder
	for i := 1; i < n; i++ {
		fmt.Fprintf(&b, "a%d: &a%d [%s*a%d]\n", i, i, strings.Repeat(fmt.Sprintf("*a%d,", i-1), 8), i-1)
	}
	return b.String()
}
