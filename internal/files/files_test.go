package files

import (
	"bytes"
	"image"
	"image/png"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

const head = `canonical: https://www.n.example
carriers:
  gateway: {by: server, addresses: [203.0.113.20]}
  registrar: {by: form, addresses: [198.51.100.34], keeps: [query]}
`

func write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

func TestReadEstate(t *testing.T) {
	e, err := ReadEstate(write(t, "upperpath.yaml", head+`
contact: webmaster@n.example
registry: {address: "https://rdap.registry.example/"}
selectors: [museum]
site:
  also: [n.platform.example]
  addresses: [203.0.113.10, "2001:db8:10::10"]
defaults: &d {carrier: gateway, wave: 2}
domains:
  - n.example
  - name: møllehuset.example
    leads-to: /mill/?from=mill
    carrier: {apex: registrar, shop: registrar}
    hosts: [shop]
    renews: 2027-03-01
    fallback: home
policy: {upgrade: same-host-first, exempt: [/.well-known/%61cme/]}
vantages:
  stage: {resolvers: ["127.0.0.1:5301", 192.0.2.53], proxy: "socks5://127.0.0.1:5380", trust: ca.pem, timeout: 2s}
`))
	require.NoError(t, err)
	assert.Equal(t, "https://www.n.example", e.Canonical.String())
	require.Len(t, e.Domains, 2)
	mill := e.Domains[1]
	assert.Equal(t, "xn--mllehuset-l8a.example", mill.Name.String())
	assert.Equal(t, "https://www.n.example/mill/?from=mill", mill.LeadsTo.String())
	assert.Equal(t, "registrar", mill.Carry[mill.Name].Name)
	assert.Equal(t, "gateway", mill.Carry[mill.Name.WWW()].Name)
	assert.Equal(t, 2, mill.Wave)
	assert.Equal(t, mill, e.DomainOf(web.MustParseHost("deep.shop.xn--mllehuset-l8a.example")))
	assert.Nil(t, e.Domains[0].Carry[web.MustParseHost("www.n.example")],
		"the site carries its own hosts")
	assert.Equal(t, "https://rdap.registry.example/", e.Registry.Address)
	assert.Equal(t, []string{"museum"}, e.Selectors)
	form := e.Carrier("registrar")
	assert.False(t, form.TLS, "a form has no TLS unless it says so")
	assert.False(t, form.KeepsPath)
	assert.True(t, form.KeepsQuery)
	assert.Equal(t, []string{"/.well-known/acme/"}, e.Policy.Exempt)
	assert.Equal(t, []string{"127.0.0.1:5301", "192.0.2.53:53"}, e.Vantages["stage"].Resolvers)
	assert.Equal(t, filepath.Join(e.Folder(), "ca.pem"), e.Vantages["stage"].Trust)
}

func TestDefaultsTakeEveryKeyOfADomain(t *testing.T) {
	e, err := ReadEstate(write(t, "upperpath.yaml", head+`
defaults:
  carrier: {apex: registrar, www: gateway, shop: gateway}
  leads-to: /mill/
  hosts: [shop]
  needed: {click: the mail service}
  fallback: home
  mail: none
  wave: 3
  state: moved
  renews: 2027-03-01
  registrar: Registrar A
  records-at: Registrar B
  records-from: Registrar C
  wanted: [{name: _proof, type: TXT, value: abc}]
  apex-alias: yes
  name-servers: [ns1.next.example]
  ignore-case: yes
  slash: either
  index: [index.html]
  note: asked for in May
domains:
  - a.example
  - {name: b.example, hosts: [], wave: 1, carrier: gateway, leads-to: /, state: planned, wanted: []}
  - {name: n.example, carrier: {apex: gateway}}
`))
	require.NoError(t, err)
	a, b, n := e.Domains[0], e.Domains[1], e.Domains[2]
	shop := web.MustParseHost("shop.a.example")
	assert.Equal(t, []string{"registrar", "gateway", "gateway"},
		[]string{a.Carry[a.Name].Name, a.Carry[a.Name.WWW()].Name, a.Carry[shop].Name})
	assert.Equal(t, "/mill/", a.LeadsTo.Path())
	assert.Equal(t, "click.a.example", a.Needed[0].Host.String())
	assert.Equal(
		t,
		[]any{estate.Home, "none", 3, estate.Moved, "2027-03-01", "Registrar A", "Registrar B",
			"Registrar C", true},
		[]any{a.Fallback, a.Mail, a.Wave, a.State, a.Renews.Format(time.DateOnly), a.Registrar,
			a.RecordsAt, a.RecordsFrom,
			a.ApexAlias},
	)
	assert.Equal(t, "_proof.a.example", a.Wanted[0].Name, "the name is below each domain")
	assert.Equal(t, []any{"ns1.next.example", true, true, "index.html", "asked for in May"}, []any{
		a.NameServers[0].String(), a.Paths.IgnoreCase, a.Paths.EitherSlash, a.Paths.Index[0], a.Note})
	assert.Equal(t, []any{"gateway", "/", 1, estate.Planned, 0, 0, "none"}, []any{
		b.Carry[b.Name].Name, b.LeadsTo.Path(), b.Wave, b.State, len(b.Further), len(b.Wanted), b.Mail},
		"what a domain says itself counts, if it is that there is none")
	assert.Equal(t, "gateway", n.Carry[n.Name].Name)
	assert.NotContains(t, n.Carry, n.Name.WWW(), "the site serves it")
}

func TestEstateFaultsHavePlaceValueExpectationAndRemedy(t *testing.T) {
	domain := head + "defaults: {carrier: gateway}\ndomains:\n"
	for name, c := range map[string]struct{ text, want string }{
		"unknown key": {
			domain + "  - {name: a.example, lead-to: /}",
			`:7:23: unknown key in a domain: "lead-to"; expected a known key. Did you mean leads-to?`,
		},
		"unknown key in defaults": {head + "defaults: {carrier: gateway, wawe: 2}\ndomains: [a.example]",
			"did you mean wave?"},
		"a name for all": {head + "defaults: {name: x.example}\ndomains: [a.example]",
			"unknown key in defaults"},
		"a default for nobody": {
			head + "defaults: {carrier: {apex: gateway, www: gateway, shp: gateway}}\ndomains: [a.example]",
			`:5:51: no domain has a host shp: "shp"`,
		},
		"an edge before a site that is nowhere": {
			"canonical: https://www.n.example\ncarriers:\n" +
				"  net: {by: edge, addresses: [203.0.113.20], name-servers: " +
				"[ns.net.example]}\ndomains: [{name: n.example, carrier: net}]", "its own address is missing",
		},
		"unknown top key": {"canonicle: https://www.n.example", "did you mean canonical?"},
		"wrong type":      {domain + "  - {name: [a.example]}", ":7:"},
		"mapping wanted":  {domain + "  - a.example\npolicy: 3", "policy is a single value"},
		"twice": {domain + "  - a.example\n  - A.example.",
			`:8:5: the domain appears twice: "A.example."`},
		"public suffix": {domain + "  - co.uk", "co.uk is a public suffix"},
		"host below":    {domain + "  - www.a.example", "write name: a.example"},
		"URL for host": {domain + "  - https://a.example/x",
			`it is a URL: "https://a.example/x"; expected a host name such as www.northmoor.example. Write only a.example`},
		"not an address": {
			"canonical: https://www.n.example\ncarriers:\n  g: {by: server, addresses: [203.0.113.256]}\n" +
				"domains: [a.example]",
			`:3:31: this is not an IP address: "203.0.113.256"; expected an address such as`,
		},
		"carrier nowhere": {
			"canonical: https://www.n.example\ncarriers:\n  g: {by: server}\ndomains: [a.example]",
			":3:3: carrier g has neither addresses nor an alias",
		},
		"two claim": {domain + "  - {name: a.example, hosts: [shop, shop]}",
			"already claimed by domain a.example"},
		"site claims": {
			head + "site: {hosts: [www.n.example], also: [www.n.example]}\ndomains: [n.example]",
			"already claimed by site.also",
		},
		"unknown carrier": {domain + "  - {name: a.example, carrier: gatewy}", "did you mean gateway?"},
		"nobody carries":  {head + "domains: [a.example]", "a.example has no carrier"},
		"canonical http": {"canonical: http://www.n.example\ndomains: [a.example]",
			"write https://www.n.example"},
		"canonical host": {"canonical: www.n.example\ndomains: [a.example]",
			"write https://www.n.example"},
		"canonical path": {"canonical: https://www.n.example/x\ndomains: [a.example]",
			"write https://www.n.example"},
		"no canonical": {"domains: [a.example]", "there is no canonical site"},
		"site elsewhere": {head + "site: {hosts: [x.n.example]}\ndomains: [n.example]",
			"does not serve the canonical host"},
		"no domains": {head + "domains: []", "there are no domains"},
		"empty":      {"", "the estate file is empty"},
		"no YAML":    {"canonical: [", "this is not valid YAML"},
		"bad date":   {domain + "  - {name: a.example, renews: 2027-13-01}", "renews is not a date"},
		"bad word":   {domain + "  - {name: a.example, fallback: hom}", "did you mean home?"},
		"leads to http": {
			domain + "  - {name: a.example, leads-to: \"http://www.n.example/x\"}",
			"write https://www.n.example/x",
		},
		"leads nowhere": {domain + "  - {name: a.example, leads-to: visit}", "put / before a path"},
		"www named":     {domain + "  - {name: a.example, hosts: [www]}", "apex and www exist"},
		"key twice":     {domain + "  - {name: a.example, note: x, note: y}", "the key appears twice"},
		"bad resolver": {domain + "  - a.example\nvantages: {v: {resolvers: [ns.example]}}",
			"this is not a resolver"},
		"bad proxy": {domain + "  - a.example\nvantages: {v: {proxy: \"http://proxy:1\"}}",
			"socks5://HOST:PORT"},
		"bad exempt": {domain + "  - a.example\npolicy: {exempt: [/]}", "exempt"},
		"bad hops":   {domain + "  - a.example\npolicy: {hops: no}", "whole number"},
		"bad registry": {domain + "  - a.example\nregistry: {address: rdap}",
			"the registry's address is not a URL"},
		"merge key": {domain + "  - {name: a.example, <<: {note: x}}", "merge keys"},
		"a line break in a name": {
			domain + "  - {name: a.example, registrar: \"A\\nB\"}",
			`upperpath.yaml:7:34: this value contains a line break: "a\nb"; expected text of one`,
		},
		"an escape in a carrier's name": {
			"canonical: https://www.n.example\ncarriers:\n" +
				"  \"g\\e[2J\": {by: server, addresses: [203.0.113.2]}\ndomains: " +
				"[a.example]",
			`:3:3: this value contains the control character U+001B: "g\x1b[2j"`,
		},
		"a turned direction": {
			domain + "  - {name: a.example, note: \"a\u202eb\"}",
			"contains the character u+202e, which reverses the direction of writing",
		},
		"a path with a tab": {domain + "  - a.example\nrules: \"a\\tb.csv\"",
			"this value contains a tab"},
		"missing rules": {domain + "  - a.example\nrules: nowhere.csv",
			"nowhere.csv: file not found"},
	} {
		_, err := ReadEstate(write(t, "upperpath.yaml", c.text))
		require.Error(t, err, name)
		assert.Contains(t, strings.ToLower(err.Error()), strings.ToLower(c.want), name)
		var list problem.List
		require.ErrorAs(t, err, &list, name)
	}
}

func TestAllFaultsOfAFileComeAtOnce(t *testing.T) {
	_, err := ReadEstate(
		write(
			t,
			"upperpath.yaml",
			head+"domains:\n  - {name: co.uk}\n  - {name: b.example, carrier: nobody, wave: x}\npolcy: {}\n",
		),
	)
	var list problem.List
	require.ErrorAs(t, err, &list)
	assert.Len(t, list, 4)
	assert.IsIncreasing(t, []int{list[0].Line, list[1].Line, list[3].Line})
}

var scope = rule.Scope{Holds: func(h web.Host) bool {
	return strings.HasSuffix(h.String(), "a.example")
}}

func TestRulesFromSpreadsheets(t *testing.T) {
	for name, text := range map[string]string{
		"plain":         "old,new,status,query,note\n# a comment\na.example/x,/y,302,drop,why\n",
		"semicolons":    "\xef\xbb\xbfold;new;status;query;note\r\na.example/x;/y;302;drop;why\r\n",
		"another order": "note,Seen,new, old ,query,status\nwhy,12,/y,a.example/x,drop,302\n",
		"quoted, blank": "old,new,status,query,note\n\n,,,,\n\"a.example/x\",/y,302,drop,\"why\"\n",
	} {
		rules, err := ReadRules(write(t, "rules.csv", text), scope)
		require.NoError(t, err, name)
		require.Len(t, rules, 1, name)
		r := rules[0]
		assert.Equal(
			t,
			"a.example/x /y 302 true why",
			strings.Join([]string{r.Old.String(), r.New.String(), "302", "true", r.Note}, " "),
			name,
		)
		assert.True(t, r.DropQuery && r.Status == 302)
	}
}

func TestNotesOfSeveralLinesAreOneLine(t *testing.T) {
	e, err := ReadEstate(
		write(t, "upperpath.yaml",
			head+"contact: |\n  web@n.example\n  +00 1\ndefaults: {carrier: gateway}\n"+
				"domains:\n  - name: a.example\n    note: |\n      one\n      two\tthree\n"),
	)
	require.NoError(t, err)
	assert.Equal(t, "web@n.example +00 1", e.Contact)
	assert.Equal(t, "one two three", e.Domains[0].Note)
}

func TestRulesFaults(t *testing.T) {
	for text, want := range map[string]string{
		"":                            "the file is empty",
		"from,to\n":                   "there is no column old",
		"old,nev\n":                   "Call it new",
		"old,new\na.example/\"x,/y\n": ":2:",
		"old,new\na.example/x,\"/x#f\nX-Evil: 1\"\n": `:2:13: the column new contains a line break: ` +
			`"/x#f\nX-Evil: 1"; expected text of one`,
		"old,new\na.example/x,/a\tb\n": "write it percent-encoded (%09) if " +
			"it belongs to the URL",
		"old,new,note\na.example/x,/y,a\u202eb\n": "the column note contains the " +
			"character U+202E, which reverses",
		"old,new\n\"a.example/x\rb\",/y\n":                       "the column old contains a line break",
		"old,new\na.example/x,/y\nb.test/x,/y\na.example/*,/y\n": "rules.csv:4:11: a bare *",
	} {
		_, err := ReadRules(write(t, "rules.csv", text), scope)
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), want, text)
	}
}

func TestDomainsAndPages(t *testing.T) {
	list, err := ReadDomains(
		write(t, "domains.csv",
			"name,renews,registrar,note\na.example,2027-01-02,Registrar A,x\nb.example,,,\n"),
	)
	require.NoError(t, err)
	require.Len(t, list.Domains, 2)
	assert.Equal(t, "Registrar A", list.Domains[0].Registrar)
	_, err = ReadDomains(write(t, "domains.csv",
		"name,renews\na.example,soon\nb..example,\nc.example,never\nco.uk,2027-13-13\nd.example,\n"))
	require.Error(t, err)
	for _, want := range []string{":2: renews is not a date", ":3: ",
		":5: co.uk is an ending under which others register"} {
		assert.Contains(t, err.Error(), want)
	}
	site := web.MustParseURL("https://www.n.example").Door()
	pages, err := ReadPages(write(t, "pages.txt",
		"# pages\n/visit/\nhttps://www.n.example/shop/?x=1\n"), site)
	require.NoError(t, err)
	assert.Len(t, pages, 2)
	pages, err = ReadPages(
		write(
			t,
			"sitemap.xml",
			`<?xml version="1.0"?><urlset><url><loc>https://www.n.example/a</loc></url><url><loc> https://www.n.example/b `+
				`</loc></url></urlset>`,
		),
		site,
	)
	require.NoError(t, err)
	assert.Len(t, pages, 2)
	for _, bad := range []string{"visit\n", "<urlset><url><loc>x</loc></url></urlset>",
		"<sitemapindex/>", "<urlset><"} {
		_, err = ReadPages(write(t, "pages.txt", bad), site)
		assert.Error(t, err, bad)
	}
}

func TestFindEstateLooksInParentFolders(t *testing.T) {
	path := write(t, EstateName, "")
	deep := filepath.Join(filepath.Dir(path), "a", "b")
	require.NoError(t, os.MkdirAll(deep, 0o755))
	found, err := FindEstate(deep)
	require.NoError(t, err)
	assert.Equal(t, path, found)
	_, err = FindEstate(t.TempDir())
	assert.ErrorContains(t, err, "upperpath new")
}

func TestOwnFilesAreRefreshedAndOthersKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "deep", "x.conf")
	require.NoError(t, WriteMade(false, Made{Path: path, Data: []byte("one\n"), Opens: "# "}))
	require.NoError(t, WriteMade(false, Made{Path: path, Data: []byte("two\n"), Opens: "# "}),
		"its own file is refreshed")
	edited, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, append(edited, "more\n"...), 0o600))
	assert.ErrorContains(t, WriteMade(false, Made{Path: path, Data: []byte("three\n"), Opens: "# "}),
		"edited after")
	require.NoError(t, WriteMade(true, Made{Path: path, Data: []byte("three\n"), Opens: "# "}))
	foreign := write(t, "foreign.conf", "mine\n")
	assert.ErrorContains(t, WriteMade(false, Made{Path: foreign, Data: []byte("x"), Opens: "# "}),
		"this program did not write the file")
	kept, _ := os.ReadFile(foreign)
	assert.Equal(t, "mine\n", string(kept))
	left, _ := os.ReadDir(filepath.Dir(path))
	assert.Len(t, left, 1, "no temporary file is left")
}

func TestZoneFiles(t *testing.T) {
	zone, records, err := ReadZone(
		write(t, "a.example.zone",
			"$ORIGIN a.example.\n$TTL 60\n@ IN SOA ns h 1 2 3 4 5\nwww IN A 192.0.2.1\n"),
		"",
	)
	require.NoError(t, err)
	assert.Equal(t, "a.example", zone)
	assert.Len(t, records, 2)
	long := strings.Repeat("a", 60) + "."
	for name, c := range map[string]struct{ text, want string }{
		"no SOA": {"$ORIGIN a.example.\nwww 60 IN A 192.0.2.1\n", "has no SOA"},
		"a long name": {
			"$ORIGIN a.example.\n@ 60 IN SOA ns h 1 2 3 4 5\n" + strings.Repeat(long, 5) +
				" 60 IN A 192.0.2.1\n",
			"a.example.zone:3:",
		},
		"a bad address": {"$ORIGIN a.example.\n@ 60 IN SOA ns h 1 2 3 4 5\nwww 60 IN A nowhere\n",
			"a.example.zone:3:"},
		"an unknown type": {"$ORIGIN a.example.\n@ 60 IN SOA ns h 1 2 3 4 5\nwww 60 IN XYZ 1\n",
			"a.example.zone:3:"},
		"outside": {"$ORIGIN a.example.\n$INCLUDE /etc/passwd\n",
			"in the folder of the zone file"},
	} {
		_, _, err := ReadZone(write(t, "a.example.zone", c.text), "")
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.want, name)
	}
	path := write(t, "a.example.zone", "$ORIGIN a.example.\n$INCLUDE more.inc\n")
	require.NoError(
		t,
		os.WriteFile(filepath.Join(filepath.Dir(path), "more.inc"),
			[]byte("@ 60 IN SOA ns h 1 2 3 4 5\n"), 0o600),
	)
	zone, _, err = ReadZone(path, "")
	require.NoError(t, err, "a file beside it may be included")
	assert.Equal(t, "a.example", zone)
}

func TestZoneTextIsCanonicalAndReadsBack(t *testing.T) {
	sets := []record.Set{
		{Name: "www.a.example", Type: "A", TTL: 60, Values: []string{"192.0.2.2", "192.0.2.1"}},
		{Name: "a.example", Type: "TXT", TTL: 60, Values: []string{`"x\"y" "z"`}},
		{Name: "a.example", Type: "SOA", TTL: 60,
			Values: []string{"ns.a.example. h.a.example. 1 2 3 4 5"}},
	}
	text, err := ZoneText("a.example", sets, "as it was seen", Marks{Partial: true})
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	assert.Contains(t, lines[1], "PARTIAL")
	assert.Equal(t, "a.example.\t60\tIN\tSOA\tns.a.example. h.a.example. 1 2 3 4 5", lines[2])
	assert.Equal(t, "www.a.example.\t60\tIN\tA\t192.0.2.1", lines[4])
	_, records, err := ReadZone(write(t, "a.example.zone", string(text)), "")
	require.NoError(t, err)
	assert.Len(t, records, 4)
	crowded := append(
		sets,
		record.Set{Name: "b.a.example", Type: "CNAME", TTL: 60,
			Values: []string{"x.example.", "y.example."}},
		record.Set{Name: "b.a.example", Type: "TXT", TTL: 60, Values: []string{`"x"`}},
		record.Set{Name: "a.example", Type: "CNAME", TTL: 60, Values: []string{"x.example."}},
	)
	text, err = ZoneText("a.example", crowded, "as it was seen", Marks{})
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(text), "; beside others"))
	_, records, err = ReadZone(write(t, "a.example.zone", string(text)), "")
	require.NoError(t, err)
	assert.Len(t, records, 5)
	_, err = ZoneText("a.example", sets[:1], "as it was seen", Marks{})
	assert.ErrorContains(t, err, "SOA")
}

func TestAZoneFileSaysWhatIsNotKnownOfTheZone(t *testing.T) {
	sets := []record.Set{
		{Name: "a.example", Type: "SOA", TTL: 60,
			Values: []string{"ns.a.example. h.a.example. 1 2 3 4 5"}},
	}
	missed := []survey.Missed{
		{Name: "www.a.example", Type: "HTTPS", By: "ns1.h.example (192.0.2.51:53)",
			Why: "it says SERVFAIL"},
	}
	text, err := ZoneText("a.example", sets, "as it was seen",
		Marks{Partial: true, Remaining: true, Missed: missed})
	require.NoError(t, err)
	path := write(t, "a.example.zone", string(text))
	assert.Equal(t, Marks{Partial: true, Remaining: true, Missed: missed}, ZoneMarks(path))
	_, records, err := ReadZone(path, "")
	require.NoError(t, err)
	assert.Len(t, records, 1)
	export := write(t, "b.example.zone",
		"; an export\n@ IN SOA ns h 1 2 3 4 5\n; PARTIAL: no mark here\n")
	assert.Equal(t, Marks{}, ZoneMarks(export))
}

func TestNoValueBeginsALineOfAZoneFile(t *testing.T) {
	sets := []record.Set{
		{Name: "a.example", Type: "SOA", TTL: 60,
			Values: []string{"ns.a.example. h.a.example. 1 2 3 4 5"}},
		{Name: "x.a.example", Type: "TXT", TTL: 60,
			Values: []string{"\"x\"\n$INCLUDE /etc/passwd", "\"y\""}},
		{Name: "y.a.example", Type: "MX", TTL: 60, Values: []string{"none at all"}},
	}
	text, err := ZoneText("a.example", sets, "as it was seen", Marks{})
	require.NoError(t, err)
	assert.NotContains(t, string(text), "\n$")
	_, records, err := ReadZone(write(t, "a.example.zone", string(text)), "")
	require.NoError(t, err)
	assert.Len(t, records, 2, "what nobody reads stands there as a comment: %s", text)
}

func TestATTLThatIsNotWrittenComesFromAbove(t *testing.T) {
	head := "@ SOA ns h 1 2 3 4 300\n"
	for text, want := range map[string]uint32{
		head + "www A 192.0.2.1\n":                                     300, // RFC 2308 section 4
		"@ 1h SOA ns h 1 2 3 4 300\nwww A 192.0.2.1\n":                 3600,
		head + "x 2h A 192.0.2.1\nwww A 192.0.2.1\n":                   300,
		"@ 60 SOA ns h 1 2 3 4 5\nx 2h A 192.0.2.1\nwww A 192.0.2.1\n": 7200, // RFC 1035
		"$TTL 1h\n" + head + "x 2h A 192.0.2.1\nwww A 192.0.2.1\n":     3600,
		"$TTL 1h\n" + head + "$GENERATE 1-2 www A 192.0.2.$\n":         3600,
		head + "www 5000000000 A 192.0.2.1\n":                          0, // no TTL at all
		head + "www 3000000000 A 192.0.2.1\n":                          0, // RFC 2181 section 8
		head + "www 60 A 192.0.2.1\n 90 A 192.0.2.2\n":                 60,
	} {
		_, records, err := ReadZone(write(t, "a.example.zone", text), "a.example")
		if strings.Contains(text, "5000000000") {
			require.ErrorContains(t, err, "5000000000 is no type")
			continue
		}
		require.NoError(t, err, text)
		assert.Equal(t, want, records[len(records)-1].Header().Ttl, text)
	}
	_, _, err := ReadZone(write(t, "a.example.zone", "www A 192.0.2.1\n"), "a.example")
	assert.ErrorContains(t, err, "no TTL, and nothing above it")
}

func TestTransferKeys(t *testing.T) {
	key, err := ReadTransferKey(write(t, "key.yaml", "name: transfer\nsecret: c2VjcmV0\n"))
	require.NoError(t, err)
	assert.Equal(t, TransferKey{"transfer", "hmac-sha256", "c2VjcmV0"}, key)
	for text, want := range map[string]string{"secret: c2VjcmV0": "no name",
		"name: x\nsecret: '!'": "no readable secret",
		"nam: x":               "unknown key"} {
		_, err := ReadTransferKey(write(t, "key.yaml", text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), want)
	}
}

func FuzzZone(f *testing.F) {
	f.Add("$ORIGIN a.example.\n@ 60 IN SOA ns h 1 2 3 4 5\nwww 60 IN TXT \"x\\000\" y\n")
	f.Add("$TTL 1\n@ IN CAA 0 issue \"\\\"\"\n$GENERATE 1-3 x$ A 192.0.2.$\n")
	path := filepath.Join(f.TempDir(), "a.example.zone")
	f.Fuzz(func(t *testing.T, text string) {
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, records, err := ReadZone(path, "a.example")
		if err == nil {
			require.NotEmpty(t, records)
		}
	})
}

func FuzzEstate(f *testing.F) {
	f.Add(head + "domains: [a.example]")
	f.Add("a: &x [*x]\nb: !!t {<<: 1}")
	f.Fuzz(func(t *testing.T, text string) {
		tree, err := parseTree("x", []byte(text))
		if err == nil {
			require.NotNil(t, tree)
		}
	})
}

func TestAListOfDomainsHoldsTextOfOneLine(t *testing.T) {
	list,
		err := ReadDomains(write(t, "l.csv",
		"name,registrar,note\nold.example,\"R\nA\",\"two\r\nlines\"\n"))
	require.NoError(t, err)
	assert.Equal(t,
		ListedDomain{Name: web.MustParseHost("old.example"), Registrar: "R A", Note: "two lines"},
		list.Domains[0])
	_, err = ReadDomains(write(t, "l.csv", "name,note\nold.example,x\nb.example,a\x1bb\n"))
	assert.ErrorContains(t, err, "l.csv:3: note contains the control character U+001B")
}

// TestTheSecretOfAKeyIsNeverShown reads key files that are wrong in every way that one meets.
func TestTheSecretOfAKeyIsNeverShown(t *testing.T) {
	for _, text := range []string{
		`secret: "TopSecret123`, "name: x\nTopSecret123: y", "TopSecret123", "secret: [TopSecret123",
		"a: b: TopSecret123",
		"secret: !!TopSecret123 x", "secret: *TopSecret123", "<<: TopSecret123",
		"secret: TopSecret123\n---\nx: TopSecret123",
		"\tsecret: TopSecret123", "secret: TopSecret123!", `"TopSecret123": {x: TopSecret123`,
		"secret: &TopSecret123",
		"secret: 'TopSecret123\nname: x", "secret: |TopSecret123", "%TopSecret123",
		"? TopSecret123\n: *TopSecret123",
	} {
		_, err := ReadTransferKey(write(t, "key.yaml", text))
		require.Error(t, err, text)
		assert.NotContains(t, err.Error(), "TopSecret", text)
	}
}

// TestAListOfRecordsIsAZoneFileToo reads what some providers export: no SOA, no NS, and a
// byte-order mark.
func TestAListOfRecordsIsAZoneFileToo(t *testing.T) {
	path := write(t, "old.example.zone", "\ufeffold.example. 300 IN A 192.0.2.1\nwww 300 IN CNAME @\n")
	zone, records, err := ReadZone(path, "old.example")
	require.NoError(t, err)
	assert.Equal(t, "old.example", zone)
	assert.Len(t, records, 2)
	for name, text := range map[string]string{"old.example.zone": "; nothing\n",
		"export.txt": "old.example. 300 IN A 192.0.2.1\n"} {
		_, _,
			err = ReadZone(write(t, name, text), map[string]string{"old.example.zone": "old.example"}[name])
		assert.ErrorContains(t, err, "its name is unknown", name)
	}
	path = write(t, "b.example.zone", "\ufeff$ORIGIN b.example.\n@ 60 IN SOA ns h 1 2 3 4 5\n")
	zone, _, err = ReadZone(path, "")
	require.NoError(t, err)
	assert.Equal(t, "b.example", zone)
}

// TestListsOfDomainsAsRegistrarsExportThem reads headers of any case and usual name, and dates of
// any usual form.
func TestListsOfDomainsAsRegistrarsExportThem(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		want []ListedDomain
	}{
		"a header of theirs": {
			"Domain Name;Expiry Date;DNS Provider;Phase;Comments;Carrier\n" +
				"OLD.example.;04.02.2027;Host A;2;sold soon;gateway\n",
			[]ListedDomain{{Renews: "2027-02-04", RecordsAt: "Host A", Wave: 2, Note: "sold soon",
				Carrier: "gateway"}},
		},
		"tabs": {"domain\texpires\nold.example\t4 Feb 2027\n",
			[]ListedDomain{{Renews: "2027-02-04"}}},
		"names alone": {"old.example\nb.example\n", []ListedDomain{{}, {}}},
		"strokes that tell nothing": {"domain,expires\nold.example,02/04/2027\n",
			[]ListedDomain{{Asks: "02/04/2027: 2027-04-02 or 2027-02-04?"}}},
		"strokes of the same day": {"domain,expires\nold.example,03/03/2027\n",
			[]ListedDomain{{Renews: "2027-03-03"}}},
		"strokes that another line tells": {
			"domain,expires\nold.example,02/04/2027\nb.example,25/12/2027\n",
			[]ListedDomain{{Renews: "2027-04-02"}, {Renews: "2027-12-25"}}},
		"strokes of the other kind": {"domain,expires\nold.example,02/04/2027\nb.example,12/25/2027\n",
			[]ListedDomain{{Renews: "2027-02-04"}, {Renews: "2027-12-25"}}},
		"a time": {"DOMAIN_NAME,Valid-Until\nold.example,2027-02-04T10:00:00Z\n",
			[]ListedDomain{{Renews: "2027-02-04"}}},
		"words": {"Domain,Renewal Date\nold.example,\"February 4, 2027\"\n",
			[]ListedDomain{{Renews: "2027-02-04"}}},
	} {
		list, err := ReadDomains(write(t, "l.csv", c.text))
		require.NoError(t, err, name)
		for i, host := range []string{"old.example", "b.example"} {
			if i < len(c.want) {
				c.want[i].Name = web.MustParseHost(host)
			}
		}
		assert.Equal(t, c.want, list.Domains, name)
		door := web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.n.example")}
		path := write(t, "upperpath.yaml", NewEstate(door, "", []string{"203.0.113.20"}, list.Domains))
		require.NoError(t,
			os.WriteFile(filepath.Join(filepath.Dir(path), "rules.csv"), []byte(NewRules), 0o600))
		e, err := ReadEstate(path)
		require.NoError(t, err, name)
		assert.Equal(t, c.want[0].RecordsAt, e.Domains[0].RecordsAt)
	}
	for text, says := range map[string]string{
		"domain,expires\nold.example,soon\n":       "l.csv:2: renews is not a date",
		"domain,wave\nold.example,0\n":             "l.csv:2: wave is not a valid number",
		"what,when\nnothing,x\n":                   "no column has the names of the domains",
		"domain,expires\nold.example,31.02.2027\n": "renews is not a date",
		"domain,expires\nold.example,13/13/2027\n": "renews is not a date",
		"domain,expires\nnothing.,\n":              "there is no domain in the list",
	} {
		_, err := ReadDomains(write(t, "l.csv", text))
		assert.ErrorContains(t, err, says, text)
	}
}

// TestAnEstateWhoseCarriersAreOpenCanBeLookedAt reads one that nobody has decided on.
func TestAnEstateWhoseCarriersAreOpenCanBeLookedAt(t *testing.T) {
	for _, carriers := range []string{"", "carriers: {gateway: {by: server, addresses: []}}\n"} {
		path := write(
			t,
			"upperpath.yaml",
			"canonical: https://www.n.example\n"+carriers+"domains: [n.example, old.example]\n",
		)
		_, err := ReadEstate(path)
		assert.Error(t, err)
		e, err := ReadUndecided(path)
		require.NoError(t, err)
		assert.Len(t, e.Domains[1].Hosts(), 2)
	}
}

// TestTheExamplesOfTheKeysAreRead puts the example of every key of the estate file into a file, and
// reads it: no key is unknown and no value of another kind than it takes.
func TestTheExamplesOfTheKeysAreRead(t *testing.T) {
	const carriers = "carriers:\n  gateway: {by: server, addresses: [203.0.113.20]"
	for _, k := range estate.Keys() {
		line := k.Name + ": " + k.Example
		text := map[string]string{
			"":         "canonical: https://www.northmoor.example\n" + line + "\n",
			"site":     "site: {" + line + "}\n",
			"carriers": carriers + ", " + line + "}\n",
			"domains":  "domains:\n  - {" + line + "}\n",
			"needed":   "domains:\n  - {name: a.example, needed: {click: {" + line + "}}}\n",
			"wanted":   "domains:\n  - {name: a.example, wanted: [{" + line + "}]}\n",
			"policy":   "policy: {" + line + "}\n",
			"hsts":     "policy: {hsts: [{" + line + "}]}\n",
			"remember": "policy: {remember: [{" + line + "}]}\n",
			"registry": "registry: {" + line + "}\n",
			"vantages": "vantages: {office: {" + line + "}}\n",
			"places":   "places: {Registrar A: {" + line + "}}\n",
			"accept":   "accept: [{" + line + "}]\n",
			"keep":     "keep: {" + line + "}\n",
		}[k.Section]
		require.NotEmpty(t, text, k.Name)
		path := filepath.Join(t.TempDir(), "upperpath.yaml")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		_, err := ReadEstate(path)
		if err == nil {
			continue
		}
		for _, wrong := range []string{"unknown key", "allowed values", "neither yes nor no",
			"this is not", "whole number",
			"a date such",
			"a mapping with", "a time such", "cannot be used"} {
			assert.NotContains(t, err.Error(), wrong, "%s: %s", k.Section, line)
		}
	}
}

// TestAPictureIsReplacedOnlyWhereItIsOurs writes a picture, again, and over one that somebody else
// made.
func TestAPictureIsReplacedOnlyWhereItIsOurs(t *testing.T) {
	var made bytes.Buffer
	require.NoError(t, png.Encode(&made, image.NewGray(image.Rect(0, 0, 2, 2))))
	path := filepath.Join(t.TempDir(), "doors.png")
	require.NoError(t, WriteMade(false, Made{Path: path, Data: made.Bytes(), Form: PNG}))
	require.NoError(t, WriteMade(false, Made{Path: path, Data: made.Bytes(), Form: PNG}), "its own")
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	_, err = png.Decode(bytes.NewReader(data))
	require.NoError(t, err, "it is a picture all the same")
	data[len(data)-60]++
	require.NoError(t, os.WriteFile(path, data, 0o600))
	assert.ErrorContains(t, WriteMade(false, Made{Path: path, Data: made.Bytes(), Form: PNG}),
		"this program did not write the file", "edited")
	for _, other := range []string{made.String(), "canonical: https://www.n.example\n",
		"\x89PNG\r\n\x1a\n", ""} {
		require.NoError(t, os.WriteFile(path, []byte(other), 0o600))
		require.Error(t, WriteMade(false, Made{Path: path, Data: made.Bytes(), Form: PNG}), "%q", other)
		kept, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, other, string(kept))
	}
	require.NoError(t, WriteMade(true, Made{Path: path, Data: made.Bytes(), Form: PNG}))
}

func TestReadingEndsAtABound(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x")
	require.NoError(t, os.WriteFile(path, []byte("12345"), 0o600))
	data, err := Read(path, 5)
	require.NoError(t, err)
	assert.Equal(t, "12345", string(data))
	_, err = Read(path, 4)
	require.ErrorIs(t, err, ErrTooLarge)
	_, err = Read(path+"y", 4)
	require.ErrorIs(t, err, fs.ErrNotExist)
	if _, err := os.Stat("/dev/zero"); err == nil {
		_, err = Read("/dev/zero", 1<<20)
		require.ErrorIs(t, err, ErrTooLarge, "what has no size ends too")
	}
	if data, err := os.ReadFile("/proc/self/status"); err == nil {
		read, err := Read("/proc/self/status", 1<<20)
		require.NoError(t, err)
		assert.Equal(t, data[:5], read[:5], "what says that it is empty is read all the same")
	}
}

func TestOfSeveralFilesNoneIsWrittenWhereOneHasToStay(t *testing.T) {
	dir := t.TempDir()
	a, b := filepath.Join(dir, "a"), filepath.Join(dir, "b")
	require.NoError(t, os.WriteFile(b, []byte("mine"), 0o600))
	err := WriteMade(false, Made{Path: a, Data: []byte("new"), Opens: "# "},
		Made{Path: b, Data: []byte("new"), Opens: "# "})
	assert.ErrorContains(t, err, "this program did not write the file")
	assert.NoFileExists(t, a)
	require.ErrorIs(t, WriteNew(b, []byte("new"), false), ErrExists)
	require.ErrorIs(t, WriteNew(b, []byte("longer than what is there"), false), ErrExists)
	require.NoError(t, WriteNew(b, []byte("mine"), false))
	require.NoError(t, WriteNew(b, []byte("new"), true))
}

func TestAFileThatSomebodyElseChangedStays(t *testing.T) {
	path := filepath.Join(t.TempDir(), "rules.csv")
	require.NoError(t, os.WriteFile(path, []byte("old,new\n"), 0o600))
	err := Change(path, func(text []byte) ([]byte, error) {
		require.NoError(t, os.WriteFile(path, []byte("old,new\nhers,/\n"), 0o600))
		return append(text, "mine,/\n"...), nil
	})
	require.ErrorIs(t, err, ErrChanged)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "old,new\nhers,/\n", string(text))
	require.NoError(t,
		Change(path, func(text []byte) ([]byte, error) { return append(text, "mine,/\n"...), nil }))
	text, err = os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "old,new\nhers,/\nmine,/\n", string(text))
	require.ErrorIs(t, Change(path, func([]byte) ([]byte, error) { return nil, ErrExists }), ErrExists)
}

// FuzzMade looks whether any file but the program's own, unedited, is ever replaced.
func FuzzMade(f *testing.F) {
	f.Add([]byte("canonical: https://www.n.example\n"))
	f.Add([]byte("# " + markWord + "0000000000000000\nx\n"))
	f.Add([]byte("old,new\n# " + markWord + sum([]byte("old,new\n")) + "\r\nmore"))
	f.Add([]byte(pngHead + strings.Repeat("\x00", 80)))
	f.Fuzz(func(t *testing.T, there []byte) {
		path := filepath.Join(t.TempDir(), "there")
		require.NoError(t, os.WriteFile(path, there, 0o600))
		err := WriteMade(false, Made{Path: path, Data: []byte("new\n"), Opens: "# "})
		if err != nil {
			after, err := os.ReadFile(path)
			require.NoError(t, err)
			require.Equal(t, there, after)
			return
		}
		require.Contains(t, string(there), markWord, "only what bears the mark is replaced")
		require.True(t, bytes.Contains(there, []byte(sum(withoutMark(there)))) || ownPNG(there))
	})
}

// withoutMark gives a file without the line that holds the mark.
func withoutMark(text []byte) []byte {
	first, rest, _ := bytes.Cut(text, []byte("\n"))
	if bytes.Contains(first, []byte(markWord)) {
		return rest
	}
	return text[:bytes.LastIndex(bytes.TrimRight(text, "\r\n"), []byte("\n"))+1]
}
