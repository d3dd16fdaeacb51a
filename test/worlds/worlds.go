// Package worlds makes estates at random for tests that look for a URL on which two readings
// disagree: rules with and without conditions on the query, domains that do not care about case,
// slash or index, fallbacks and carriers of all kinds, a site with redirects of its own. Paths are
// of a small alphabet, so that rules meet.
package worlds

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

// Head is the part of an estate that worlds without limited carriers share.
const Head = `canonical: https://www.n.example
site: {also: [n.platform.example]}
carriers:
  g: {by: server, addresses: [203.0.113.20]}
  form: {by: form, addresses: [198.51.100.34]}
  edge: {by: edge, addresses: [198.51.100.80], origin: plain, behind: g}
defaults: {carrier: g}
rules: rules.csv
`

// World is an estate as its files.
type World struct {
	Estate      string
	Rules, Site []string // lines of the redirect map, and of the site's own redirects
}

func (w World) String() string {
	return w.Estate + "rules:\n" + strings.Join(w.Rules, "\n") + "\nsite:\n" +
		strings.Join(w.Site, "\n")
}

// Write writes a world into a folder and returns the path of its estate file.
func (w World) Write(t testing.TB, dir string) string {
	t.Helper()
	head := "old,new,status,query,rank\n"
	for name, text := range map[string]string{"upperpath.yaml": w.Estate, "rules.csv": head +
		strings.Join(w.Rules, "\n") + "\n", "site.csv": head + strings.Join(w.Site, "\n") + "\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	return filepath.Join(dir, "upperpath.yaml")
}

// Read reads a world as its files; false where it is none, since a rule does not parse.
func (w World) Read(t testing.TB) (plan.Input, bool) {
	t.Helper()
	e, err := files.ReadEstate(w.Write(t, t.TempDir()))
	if err != nil {
		return plan.Input{}, false
	}
	return plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages}, true
}

// Random makes a world.
func Random(random *rand.Rand) World {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	carriers, limited := Head, random.IntN(2) == 0
	if limited {
		carriers = limitedCarriers(random)
	}
	carrier := func() string {
		if limited {
			return pick(
				"",
				", carrier: {apex: form, www: g}",
				", carrier: form",
				", carrier: edge",
				", carrier: {apex: edge, www: bare}",
				", carrier: platform",
				", carrier: bare",
			)
		}
		return pick("", "", "", ", carrier: {apex: form, www: g}", ", carrier: edge")
	}
	domain := func(name, other string) string {
		return fmt.Sprintf(
			"  - {name: %s%s%s%s%s%s}\n",
			name,
			pick("", "", "", ", ignore-case: yes"),
			pick("", "", "", ", slash: either"),
			pick("", "", "", ", index: [a, b0]"),
			pick(
				"",
				"",
				", fallback: home",
				", fallback: gone",
				", leads-to: /a/",
				", leads-to: https://"+other+".example/",
				", leads-to: https://"+other+".example/b",
			),
			carrier(),
		)
	}
	home := "  - n.example\n"
	if limited {
		home = "  - {name: n.example" +
			pick("", ", carrier: {www: bare}", ", carrier: {apex: platform}") + "}\n"
	}
	w := World{Estate: carriers + "domains:\n" + home + domain("old.example", "two") +
		domain("two.example", "old") +
		"policy: {exempt: [/0/], upgrade: " + pick("direct", "direct", "same-host-first") + ", status: " +
		pick("301", "301", "308") + "}\n"}
	if random.IntN(3) == 0 {
		w.Estate = strings.Replace(w.Estate, "also: [", "rules: site.csv, also: [", 1)
		for range 1 + random.IntN(2) {
			w.Site = append(
				w.Site,
				"www.n.example/"+pick(
					"a",
					"b",
					"a/{x}",
					"{x}/b",
					"a?p=1",
				)+","+pick(
					"/b",
					"/a",
					"/c",
					"/b/b",
					"https://old.example/a",
					"https://two.example/",
				),
			)
		}
	}
	for range 1 + random.IntN(4) {
		w.Rules = append(w.Rules, randomRule(random))
	}
	if random.IntN(4) == 0 { // the site at its apex, its www to be carried
		w.Estate = strings.ReplaceAll(w.Estate, "https://www.n.example", "https://n.example")
		w.Estate = strings.NewReplacer("{www: bare}", "{apex: bare}", "{apex: platform}",
			"{www: platform}").Replace(w.Estate)
		for i := range w.Site {
			w.Site[i] = strings.TrimPrefix(w.Site[i], "www.")
		}
		if random.IntN(2) == 0 {
			w.Rules = append(
				w.Rules,
				"www.n.example/"+pick(
					"a",
					"{x}",
					"{x}/{+r}",
					"{+r}b",
					"b?p=1",
				)+","+pick(
					"/b",
					"https://old.example/a",
					"https://www.n.example/b",
					"https://two.example/",
				),
			)
		}
	}
	return w
}

// limitedCarriers makes carriers of every kind with limits of every kind.
func limitedCarriers(random *rand.Rand) string {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	keeps := func() string {
		return pick("", "", ", keeps: []", ", keeps: [path]", ", keeps: [query]",
			", keeps: [path, query]")
	}
	rules := func() string { return pick("", "", "", ", rules: no") }
	return "canonical: https://www.n.example\n" +
		"site: {also: [n.platform.example], addresses: [203.0.113.10]}\ncarriers:\n" +
		"  g: {by: server, addresses: [203.0.113.20]" + keeps() + rules() +
		pick("", "", "", ", tls: no") + "}\n" +
		"  form: {by: form, addresses: [198.51.100.34]" + keeps() + pick("", ", tls: yes", ", tls: yes") +
		pick("", ", frames: yes", ", apex-only: yes", ", apex-only: yes") + "}\n" +
		"  platform: {by: platform, addresses: [198.51.100.60]" + keeps() + rules() + "}\n" +
		"  bare: {by: edge, addresses: [198.51.100.81]" + keeps() + rules() +
		pick("", "", ", origin: plain") + "}\n" +
		"  edge: {by: edge, addresses: [198.51.100.80], behind: " + pick("g", "g", "form", "platform") +
		pick("", ", origin: plain", ", origin: tls") + keeps() + pick("", "", "", ", tls: no") + "}\n" +
		"defaults: {carrier: g}\nrules: rules.csv\n"
}

func randomRule(random *rand.Rand) string {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	old, names := pick(
		"",
		"",
		"",
		"",
		"http://",
		"https://",
	)+pick(
		"old",
		"two",
		"www.two",
		"www.old",
	)+".example/", []string{}
	for n := range random.IntN(4) {
		piece := pick("a", "b", "/", "{x}", "{y:digits}", "0", "A", "/a/", ".", "%2e")
		if strings.HasPrefix(piece, "{") {
			piece = strings.Replace(piece, piece[1:2], fmt.Sprintf("c%d", n), 1)
			names = append(names, fmt.Sprintf("{c%d}", n))
		}
		old += piece
	}
	if random.IntN(5) == 0 {
		old += "{+r}" + pick("", "", "a", "/", "/b", "0")
		names = append(names, "{+r}")
	}
	if random.IntN(4) == 0 {
		old += pick("?p=1", "?p", "?p={v}", "?p=a&q={v:digits}", "?q={v}", "?p={+v}")
		if strings.Contains(old, "{v") || strings.Contains(old, "{+v") {
			names = append(names, "{v}")
		}
	}
	to := TargetPath(random, names)
	if len(names) > 0 && random.IntN(6) == 0 {
		to += "?" + pick("p", "q") + "=" + names[random.IntN(len(names))]
	} else {
		to += pick("", "", "", "", "", "?p=1", "?q=0", "?p=a&q=1", "?p")
	}
	door := pick(
		"",
		"",
		"https://old.example",
		"https://two.example",
		"https://two.example",
		"https://www.two.example",
		"http://old.example",
		"https://else.test",
		"https://n.example",
		"https://two.example:8443",
	)
	if len(names) > 0 && random.IntN(12) == 0 {
		door = "https://" + names[0] + ".example"
	}
	status, query := "", pick("", "", "", "drop")
	switch random.IntN(12) {
	case 0:
		return old + ",,410"
	case 1:
		status = "302"
	}
	return old + "," + door + "/" + to + "," + status + "," + query
}

// TargetPath makes a path of texts and captures, most of which are used once.
func TargetPath(random *rand.Rand, names []string) string {
	to, once := "", random.IntN(8) > 0
	for range random.IntN(3) {
		i := random.IntN(4 + len(names))
		to += append([]string{"a", "b", "/", "0"}, names...)[i]
		if i >= 4 && once {
			names = slices.Delete(slices.Clone(names), i-4, i-3)
		}
	}
	return to
}

// Grown gives a text with up to n of some letters behind it.
func Grown(s string, n int, letters ...string) []string {
	all := []string{s}
	if n > 0 {
		for _, c := range letters {
			all = append(all, Grown(s+c, n-1, letters...)...)
		}
	}
	return all
}

// Entries are URLs of the small alphabet at all doors that can be meant.
func Entries() []web.URL {
	var all []web.URL
	paths := append(Grown("/", 3, "a", "b", "/", "0", "A", "."), "/a/b/a/b", "/a/a/a/a", "/%2e/a",
		"/a/b0", "/b/a/b0")
	for _, door := range []string{"https://old.example", "http://www.old.example",
		"https://two.example",
		"https://www.two.example", "https://www.n.example", "http://n.example",
		"https://old.example:8443"} {
		for i, path := range paths {
			all = append(all, web.MustParseURL(door+path))
			queries := []string{"p=1", "p", "p=a&q=0", "q=a", "q=1&p=b", "p=1&q=/", "p=%2e&q=1&p=2"}
			if i < 60 {
				for _, q := range queries {
					all = append(all, web.MustParseURL(door+path+"?"+q))
				}
			} else {
				all = append(all, web.MustParseURL(door+path+"?"+queries[i%len(queries)]))
			}
		}
	}
	return all
}
