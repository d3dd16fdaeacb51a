package worlds

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Pieces of paths and queries that mean something to web servers, shells and patterns.
var (
	pathPieces = []string{
		"a",
		"b",
		"A",
		"/",
		"/",
		"item-",
		"-",
		".html",
		".",
		"index.php",
		"%20",
		"%2F",
		"%61",
		"caf%C3%A9",
		"1",
		"42",
		"$1",
		"$",
		"+",
		"'",
		"(",
		")",
		";",
		"~",
		"@",
		"*",
		"!",
		",",
		"=",
		"&",
		"%25",
		"archive",
		"%3F",
		"%23",
		"{",
		"|",
		"^",
		"\"",
		"[",
		"]",
	}
	queryPieces = []string{
		"p=1",
		"p",
		"q=a",
		"p=a%20b",
		"q=",
		"page=about",
		"page=",
		"x=%26",
		"p=2",
		"&",
		"$1=$2",
		"%70=1",
		"a=b?c",
		"+",
		"q=a+b",
	}
)

// Server makes a world in which one server, g, carries everything, within limits of every kind.
func Server(random *rand.Rand) World {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	limits := pick(
		"",
		"",
		"",
		", keeps: [path]",
		", keeps: [query]",
		", keeps: []",
	) + pick(
		"",
		"",
		"",
		"",
		", rules: no",
	) + pick(
		"",
		"",
		"",
		"",
		", tls: no",
	)
	w := World{
		Estate: "canonical: https://www.n.example\nsite: {hosts: [www.n.example]}\ncarriers:\n" +
			"  g: {by: server, addresses: [203.0.113.20]" + limits + "}\nrules: rules.csv\ndomains:\n",
	}
	for _, name := range []string{"n.example", "old.example", "two.example", "careless.example"} {
		more := pick(
			"",
			", fallback: home",
			", fallback: gone",
			", leads-to: /mill/",
			", leads-to: \"/mill?from=old&x\"",
			", leads-to: \"https://else.test/a$1/\"",
			", leads-to: /x",
		)
		if name == "careless.example" {
			more += pick(
				"",
				", ignore-case: yes",
				", ignore-case: yes",
			) + pick(
				"",
				", slash: either",
			) + pick(
				"",
				", index: [index.html, index.php]",
				", index: [index.php]",
			)
		}
		w.Estate += "  - {name: " + name + more + "}\n"
	}
	w.Estate += "policy: {exempt: [" + pick(
		"/.well-known/acme-challenge/",
		"/a/",
		"/.well-known/acme-challenge/, /item-",
	) + "], upgrade: " + pick(
		"direct",
		"direct",
		"same-host-first",
	) + pick(
		"",
		", hsts: {max-age: 300}",
		", hsts: [{max-age: 31536000, below: yes, preload: yes}, {max-age: 0, from: 2090-01-01}]",
		", remember: {max-age: 3600}",
		", hsts: {max-age: 300}, remember: [{max-age: 60}, {max-age: 31536000, from: 2090-01-01}]",
	) + ", status: " + pick(
		"301",
		"301",
		"308",
		"302",
	) + "}\n"
	for range 3 + random.IntN(25) {
		w.Rules = append(w.Rules, serverRule(random))
	}
	return w
}

// Dense makes such a world with many more rules, patterns whose paths begin as those of others do,
// so that servers have to tell them apart.
func Dense(random *rand.Rand) World {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	w := Server(random)
	w.Rules = w.Rules[:3]
	known := map[string]bool{}
	for range 30 + random.IntN(60) {
		begin := "/" + pick("shop", "Shop", "shop-", "s", "archive", "caf%C3%A9", "")
		for range random.IntN(3) {
			begin += pick("/", "/", "a", "ab", "item-", "1", "%20", ".")
		}
		host, end := pick(
			"old.example",
			"careless.example",
		), pick(
			"{x}",
			"{x}",
			"{x:digits}",
			"{+r}",
			"{+r}.php",
			"/{+r}/index.php",
			"{+r}0",
			"/{x}/b",
			"-{x}.html",
			"/",
			"",
		)
		if key := host + strings.ToLower(begin+end); !known[key] {
			known[key] = true
			to := "/" +
				strings.ReplaceAll(strings.NewReplacer("%20", "", ":digits", "").Replace(begin[1:]+end), "/",
					"-")
			w.Rules = append(w.Rules,
				quoted(host+begin+end)+","+quoted(to)+","+pick("", "", "302")+","+pick("", "", "drop"))
		}
	}
	return w
}

// serverRule makes a rule, quoted for CSV.
func serverRule(random *rand.Rand) string {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	old, names := "/", []string{}
	last := false // a capture stands last
	for n := range random.IntN(4) {
		if random.IntN(3) == 0 && !last {
			kind := pick("", "", ":digits")
			old += fmt.Sprintf("{c%d%s}", n, kind)
			names = append(names, fmt.Sprintf("{c%d}", n))
			last = true
			continue
		}
		old += literal(pick(pathPieces...))
		last = false
	}
	if !last && random.IntN(5) == 0 {
		old += "{+r}" + pick("", "", ".php", "/", "0", literal("%C3%A9"), "/index.php")
		names = append(names, "{+r}")
	}
	query := ""
	if random.IntN(4) == 0 {
		query = pick("?p=1", "?p", "?page={v}", "?page=about&p={w:digits}", "?q={+v}", "?q=a")
		if strings.Contains(query, "{v") || strings.Contains(query, "{+v") {
			names = append(names, "{v}")
		}
	}
	to := "/"
	for range random.IntN(4) {
		to += pick(append([]string{"x", "/", "y-", "$1", "%20", "caf%C3%A9", ";", "'", "z"}, names...)...)
	}
	switch random.IntN(6) {
	case 0:
		to += "?" + pick("from=old", "p=9", "a&b=$1", "page=new")
	case 1:
		if len(names) > 0 {
			to += "?n=" + names[random.IntN(len(names))]
		}
	case 2:
		to += "#" + pick("top", "a/b?c", "x$1")
	}
	door := pick("", "", "", "https://else.test", "https://shop.n.example:8443")
	status, drop := pick("", "", "", "302", "307", "308"), pick("", "", "", "drop")
	if random.IntN(10) == 0 {
		door, to, status, drop = "", "", "410", ""
	}
	host := pick(
		"old.example",
		"old.example",
		"two.example",
		"www.two.example",
		"careless.example",
		"careless.example",
		"http://old.example",
		"https://two.example",
	)
	return quoted(host+old+query) + "," + quoted(door+to) + "," + status + "," + drop
}

// literal writes a piece for a pattern: braces and stars stand percent-encoded there.
func literal(piece string) string {
	return strings.NewReplacer("{", "%7B", "}", "%7D", "*", "%2A").Replace(piece)
}

func quoted(field string) string { return `"` + strings.ReplaceAll(field, `"`, `""`) + `"` }

// Request makes a request for one of the hosts of such a world: close to what a rule takes, or
// anything.
func (w World) Request(random *rand.Rand) (scheme, host, uri string) {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	scheme = pick("http", "https")
	host = pick(
		"old.example",
		"www.old.example",
		"two.example",
		"www.two.example",
		"careless.example",
		"careless.example",
		"n.example",
	)
	if random.IntN(2) == 0 {
		uri = w.near(random)
	} else {
		uri = "/"
		for range random.IntN(6) {
			uri += pick(pathPieces...)
		}
	}
	if random.IntN(6) == 0 {
		uri = strings.NewReplacer("a", pick("%61", "A"), "i", "%69").Replace(uri)
	}
	path, query, asked := strings.Cut(uri, "?")
	if !asked && random.IntN(2) == 0 {
		query, asked = pick(queryPieces...), true
		for range random.IntN(3) {
			query += pick("&", "&", "") + pick(queryPieces...)
		}
	}
	if path = strings.NewReplacer("#", "", "\\", "").Replace(path); asked {
		path += "?" + strings.ReplaceAll(query, "#", "")
	}
	return scheme, host, path
}

// near gives a URL that a rule of the world may take.
func (w World) near(random *rand.Rand) string {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	line := w.Rules[random.IntN(len(w.Rules))]
	old, _, _ := strings.Cut(strings.TrimPrefix(line, `"`), `","`)
	old = strings.TrimPrefix(strings.TrimPrefix(old, "http://"), "https://")
	_, path, _ := strings.Cut(strings.ReplaceAll(old, `""`, `"`), "/")
	made := "/"
	for rest := path; rest != ""; {
		before, behind, found := strings.Cut(rest, "{")
		made += before
		if !found {
			break
		}
		inside, after, _ := strings.Cut(behind, "}")
		rest = after
		switch {
		case strings.HasPrefix(inside, "+"):
			made += pick("", "x", "a/b", "x/y%2Fz", "index.php", "/")
		case strings.HasSuffix(inside, ":digits"):
			made += pick("1", "1998", "7", "%31")
		default:
			made += pick("x", "abc", "a.b", "a%2Fb", "x%20y", "42", "a-b", "$1")
		}
	}
	return made + pick("", "", "", "/", "index.php", "?")
}
