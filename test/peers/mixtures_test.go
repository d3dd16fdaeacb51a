package peers

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What mixtures of Apache's lines are drawn from.
var (
	mixedConditions = []string{
		`%{HTTP_HOST} ^HOST$ [NC]`, `%{HTTP_HOST} !^www\.n\.example$ [NC]`, `%{HTTPS} off`,
		`%{QUERY_STRING} ^id=([0-9]+)$`, `%{QUERY_STRING} ^page=(about|team)$`,
		`%{QUERY_STRING} (^|&)p=([^&]+)`,
		`%{QUERY_STRING} ^$`, `%{QUERY_STRING} =id=7`, `%{QUERY_STRING} ^(.*)$`,
		`%{QUERY_STRING} a=1 [NC]`,
		`%{QUERY_STRING} ^id=(\d+)&l=([a-z]+)$`, `%{QUERY_STRING} !^id=7`, `%{QUERY_STRING} id=1 [OR]`,
		`%{REQUEST_URI} ^/a/`, `%{REQUEST_URI} !^/a`, `%{REQUEST_URI} ^/(a|b)/(.*)$`,
		`%{REQUEST_URI} !\.png$`,
		`%{REQUEST_URI} =/a/x`, `%{REQUEST_URI} \.html$ [NC]`, `%{THE_REQUEST} \s/a/`,
		`%{REQUEST_METHOD} =GET`,
		`%{THE_REQUEST} \?id=([0-9]+)\s`, `%{THE_REQUEST} ^GET\ /[^?\ ]*\.html\ HTTP`,
		`%{REQUEST_URI} ^/b [OR]`,
	}
	mixedPatterns = []string{
		`^a/(.*)$`, `^(.*)$`, `^a/([^/]+)/?$`, `^(a|b)/(.+)$`, `^a/([0-9]+)$`, `^a/x\.html?$`, `^$`,
		`.*`, `^`,
		`^b/(.*)\.html$`, `\.html$`, `^a/([a-z-]+)/([0-9]{2})$`, `^(.*)/$`, `^a(/.*)?$`,
		`^A/(.*)$`, `^a/(\w+)`,
		`^(.*/)?index\.html$`, `/x/?$`, `^a/[^.]+\.php$`, `^a/(x|y)?$`, `^b`, `(?i)^a/x$`,
		`^a\sb/([^/]*)$`,
		`^a/(\d+)(?:-\w+)?$`, `^([^/]+)/([^/]+)/([^/]+)$`,
	}
	mixedTargets = []string{
		`https://www.n.example/$1`, `https://www.n.example/`, `/new/$1`, `https://www.n.example/x?y=1`,
		`https://www.n.example/%1`, `https://www.n.example/%1?`, `https://www.n.example/$1?`,
		`https://www.n.example%{REQUEST_URI}`, `new/$1`, `https://www.n.example/p?q=$1`, `-`,
		`https://www.n.example/$2/$1`, `https://www.n.example/$1#top`, `/a/in?p=$1`,
	}
	mixedFlags = []string{
		`R=301,L`,
		`R=301,L`,
		`R=301,L`,
		`R=302`,
		`R,L,NC`,
		`R=301,L,QSA`,
		`R=301,L,QSD`,
		`R=301,NE,L`,
		`L`,
		`G`,
		`R=301,L,B`,
		`R=301,END`,
		`F`,
		`E=x:1`,
	}
	mixedOthers = []string{`Redirect 301 /a https://www.n.example/1`, `Redirect 301 /a/x/ /b/`,
		`Redirect gone /b/x`, `RedirectMatch 301 ^/a/(.*)$ https://www.n.example/m/$1`,
		`RedirectMatch 302 \.html$ https://www.n.example/h`, `Redirect 302 / https://www.n.example/all/`,
		`RewriteBase /`, `RedirectMatch 410 ^/(a|b)/y`, `Redirect 301 /c https://www.n.example/c#d`,
		`<IfModule mod_alias.c>`, `Options -Indexes`}
)

func oneOf(r *rand.Rand, all []string) string { return all[r.IntN(len(all))] }

func mixedFolder(r *rand.Rand) string {
	var b strings.Builder
	b.WriteString("RewriteEngine On\n")
	for range 1 + r.IntN(3) {
		if r.IntN(3) == 0 {
			line := oneOf(r, mixedOthers)
			if strings.HasPrefix(line, "<") {
				line += "\n" + mixedOthers[r.IntN(4)] + "\n</IfModule>"
			}
			b.WriteString(line + "\n")
			continue
		}
		for range r.IntN(3) {
			fmt.Fprintf(&b, "RewriteCond %s\n", oneOf(r, mixedConditions))
		}
		fmt.Fprintf(&b, "RewriteRule %s %s [%s]\n", oneOf(r, mixedPatterns), oneOf(r, mixedTargets),
			oneOf(r, mixedFlags))
	}
	return b.String()
}

// What mixtures of nginx's blocks are drawn from.
var (
	mixedPlaces = []string{
		`/a/`,
		`/a`,
		`= /a/x`,
		`^~ /a/`,
		`~ ^/a/(.*)$`,
		`~* ^/A/([^/]+)$`,
		`/`,
		`~ \.html$`,
		`~ ^/(a|b)/(\d+)/?$`,
		`= /`,
		`/b/`,
		`~ ^/a/(?<s>[^/]+)$`,
		`= /i.php`,
	}
	mixedReturns = []string{
		`return 301 https://www.n.example$request_uri;`,
		`return 302 https://www.n.example/x;`,
		`return 301 https://www.n.example/$1;`,
		`return 410;`,
		`return 200 ok;`,
		`return 301 /b$uri;`,
		`return 301 https://www.n.example/q$is_args$args;`,
		`return 301 https://www.n.example$uri;`,
		`return 301 https://www.n.example/i/$arg_id;`,
		`return 301 $mNN;`,
		`rewrite ^/a/(.*)$ https://www.n.example/w/$1 permanent;`,
		`rewrite ^ https://www.n.example/z? permanent;`,
		`rewrite ^/(.*)\.html$ https://www.n.example/$1 redirect;`,
		`rewrite ^/a/(.*)$ /b/$1 last;`,
		`rewrite ^/a/(.*)$ https://www.n.example/w/$1?k=v permanent;`,
	}
	mixedIfs = []string{
		`$arg_id = 7`,
		`$args ~ "^id=(\d+)$"`,
		`$request_uri = /a/x`,
		`$uri ~ ^/a/(x|y)$`,
		`$mNN`,
		`$request_uri ~ "^/a/x\?id=7"`,
		`$host = HOST`,
		`$host != www.n.example`,
		`$args ~* "page=(about|team)"`,
		`$request_uri ~ ^/a/(.*)$`,
		`$arg_id ~ ^(\d+)$`,
		`$http_user_agent ~ bot`,
		`$arg_id`,
		`$args = ""`,
	}
	mixedMaps = []string{
		`map $uri $mNN { /a/x https://www.n.example/mx; ~^/b/(.*)$ https://www.n.example/mb/$1; }`,
		`map $request_uri $mNN { /a/x https://www.n.example/rx; /i.php?id=7 https://www.n.example/r7; }`,
		`map $arg_id $mNN { 7 https://www.n.example/seven; ~^(\d+)$ https://www.n.example/n/$1; }`,
	}
)

func mixedServer(r *rand.Rand) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\nserver { listen LISTEN; server_name HOST www.HOST;\n", oneOf(r, mixedMaps))
	guarded := func() string {
		inner := oneOf(r, mixedReturns)
		if r.IntN(3) == 0 {
			return fmt.Sprintf("if (%s) { %s }", oneOf(r, mixedIfs), inner)
		}
		return inner
	}
	used := map[string]bool{}
	for range 1 + r.IntN(3) {
		if r.IntN(4) == 0 {
			fmt.Fprintf(&b, "if (%s) { %s }\n", oneOf(r, mixedIfs), oneOf(r, mixedReturns))
			continue
		}
		place := oneOf(r, mixedPlaces)
		if used[strings.TrimPrefix(place, "^~ ")] { // nginx refuses two alike
			continue
		}
		used[strings.TrimPrefix(place, "^~ ")] = true
		fmt.Fprintf(&b, "location %s { %s %s }\n", place, guarded(), guarded())
	}
	// a directive a line, so that each is told from the others
	return strings.NewReplacer("; ", ";\n", "{ ", "{\n").Replace(b.String()) + "}\n"
}

// TestMixturesOfIdioms draws files from lines that people write, and compares what real servers
// answer with what the rules give: nothing differs where nothing is said. MIXTURES says how many,
// SEED which.
func TestMixturesOfIdioms(t *testing.T) {
	seed, count := uint64(1), 120
	if n, err := strconv.Atoi(os.Getenv("MIXTURES")); err == nil {
		count = n
	}
	if n, err := strconv.ParseUint(os.Getenv("SEED"), 10, 64); err == nil {
		seed = n
	}
	r := rand.New(rand.NewPCG(seed, 11))
	tried := "/ /a /a/ /a/x /a/x/ /a/x.html /a/7 /a/ab-c/12 /b/x /b/x.html /b/y /a/y /a/i.php " +
		"/i.php /a/x?id=7 /a/7?id=7 /a/x?page=about /?id=7&l=en /b/7/ /A/x /c /a/x/index.html " +
		"/a%20b/q /i.php?id=7"
	var all []idiom
	for i := range count {
		one := idiom{number: i + 1, kind: "folder", text: mixedFolder(r), tried: strings.Fields(tried)}
		if i%2 == 1 {
			one.kind, one.text = "nginx", mixedServer(r)
		}
		all = append(all, one)
	}
	addresses := startIdioms(t, all)
	counts := map[string]int{}
	for _, i := range all {
		is, why := outcome(t, i, addresses[i.kind])
		counts[is]++
		assert.NotEqual(t, "WRONG", is, "seed %d, mixture %d (%s)\n%s%s", seed, i.number, i.kind, i.text,
			strings.Join(why, "\n"))
	}
	t.Log(counts)
	// what one line says alone may be overruled by others; that is rare, and never hides a difference
	assert.LessOrEqual(t, counts["overstated"], count/20)
}
