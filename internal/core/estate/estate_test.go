package estate_test

import (
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

// tree reads YAML into the nodes that Read takes.
func tree(t testing.TB, text string) *estate.Node {
	t.Helper()
	path := filepath.Join(t.TempDir(), "upperpath.yaml")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	root, err := files.ReadTree(path)
	require.NoError(t, err)
	return root
}

func read(t testing.TB, text string) (*estate.Estate, problem.List) {
	t.Helper()
	return estate.Read(tree(t, text))
}

// good reads an estate that has no fault.
func good(t testing.TB, text string) *estate.Estate {
	t.Helper()
	e, faults := read(t, text)
	require.NoError(t, faults.Err())
	return e
}

// said gives faults as "line:column says [value] expected | remedy".
func said(faults problem.List) string {
	var all []string
	for _, f := range faults {
		says := fact.Say(f.Fault)
		all = append(all, fmt.Sprintf("%d:%d %s [%s] %s | %s", f.Line, f.Column, says.Says, f.Value,
			says.Expected, says.Do))
	}
	return strings.Join(all, "\n")
}

const whole = `canonical: https://www.n.example
contact: Webmaster <w@n.example>
site: {hosts: [www.n.example, n.example], also: [n.platform.example], carrier: shop,
  pages: [pages.txt, more.csv], rules: site.csv, issuer: ca.example}
carriers:
  gw: {by: server, addresses: [203.0.113.20, "2001:db8::20"], issuer: ca.example}
  ap: {by: server, alias: ap.h.example, software: apache, certificate: after, tls: no, keeps: path}
  form: {by: form, addresses: [198.51.100.4], apex-only: yes, frames: yes,
    name-servers: [ns1.form.example]}
  shop: {by: platform, addresses: [203.0.113.10], alias: shop.h.example, hosts-at-most: 5,
    steps: [claim, records, certificate, redirect], wanted: [{name: _claim, type: TXT, value: x}]}
  net: {by: edge, addresses: [198.51.100.9], origin: plain, behind: gw, patterns-at-most: 0,
    rules-at-most: 7,
    name-servers: [ns2.net.example, ns1.net.example]}
  front: {by: edge, addresses: [198.51.100.10], behind: site}
  park: {by: account, addresses: [198.51.100.11]}
  hop: {by: service, addresses: [198.51.100.12], rules: no}
policy: {hops: 2, status: 308, upgrade: same-host-first, exempt: [/.well-known/, /keep/]}
registry: {address: "https://rdap.example/", bootstrap: dns.json}
vantages:
  office: {resolvers: [192.0.2.53, "192.0.2.54:5353", "2001:db8::53"],
    proxy: "socks5://127.0.0.1:1080",
    trust: ca.pem, timeout: 2s}
resolvers: "192.0.2.1"
selectors: [s1, s2]
rules: rules.csv
defaults: {carrier: gw, mail: none, wave: 2}
domains:
  - n.example
  - name: old.example
    hosts: [shop, "img.old.example."]
    carrier: {apex: form, www: ap, shop: net}
    needed: {click: the mail service, cdn: {by: someone, to: "CDN.example."}, "@.x": nobody}
    leads-to: /mill/?from=old
    fallback: home
    mail: keep
    wave: 3
    state: moved
    renews: 2027-03-01
    registrar: R
    records-at: S
    records-from: T
    apex-alias: yes
    name-servers: [ns1.next.example]
    ignore-case: yes
    slash: either
    index: [index.html, default.asp]
    note: "two
      lines"
    wanted:
      - {name: _a, type: txt, value: [one, '"two"'], until: certificate}
      - {name: b.old.example., type: CNAME, value: Else.example, until: 2027-01-01}
  - {name: left.example, state: leave, fallback: gone, leads-to: "https://else.example/x"}
`

func TestAWholeEstateIsReadAsItIsWritten(t *testing.T) {
	e := good(t, strings.Replace(whole, `, "@.x": nobody`, "", 1))
	assert.Equal(t, "https://www.n.example", e.Canonical.String())
	assert.Equal(t, "Webmaster <w@n.example>", e.Contact)
	site := e.Site
	assert.Equal(t, []string{"n.example", "www.n.example"}, web.Names(site.Hosts))
	assert.Equal(t, []string{"n.platform.example"}, web.Names(site.Also))
	assert.Equal(t, e.Carrier("shop"), site.Carrier)
	assert.Equal(t, []netip.Addr{netip.MustParseAddr("203.0.113.10")}, site.Addresses)
	assert.Equal(t, []any{"shop.h.example", "site.csv", "ca.example"},
		[]any{site.Alias.String(), site.Rules, site.Issuer})
	assert.Equal(t, []string{"pages.txt", "more.csv"}, site.Pages)

	type limits struct {
		by                                 estate.CarrierKind
		when                               estate.When
		tls, path, query, apex, rules, box bool
		patterns, hosts, most              int
		software                           string
	}
	got := map[string]limits{}
	for _, c := range e.Carriers {
		got[c.Name] = limits{c.By, c.Certificate, c.TLS, c.KeepsPath, c.KeepsQuery, c.ApexOnly,
			c.HoldsRules, c.Frames, c.PatternsAtMost, c.HostsAtMost, c.RulesAtMost, c.Software}
	}
	assert.Equal(t, map[string]limits{
		"gw": {estate.Server, estate.Before, true, true, true, false, true, false, -1, -1, -1, "nginx"},
		"ap": {estate.Server, estate.After, false, true, false, false, true, false, -1, -1, -1,
			"apache"},
		"form": {estate.Form, estate.After, false, false, false, true, false, true, -1, -1, -1, ""},
		"shop": {estate.Platform, estate.After, true, true, true, false, true, false, -1, 5, -1, ""},
		"net":  {estate.Edge, estate.Before, true, true, true, false, true, false, 0, -1, 7, ""},
		"front": {estate.Edge, estate.Before, true, true, true, false, true, false, -1, -1, -1,
			""},
		"park": {estate.Account, estate.After, true, true, true, false, false, false, -1, -1, -1, ""},
		"hop":  {estate.Service, estate.After, true, true, true, false, false, false, -1, -1, -1, ""},
	}, got)
	net, front := e.Carrier("net"), e.Carrier("front")
	assert.Equal(t, []any{"plain", "gw", false, "", true},
		[]any{net.Origin, net.Behind, net.BehindSite, front.Behind, front.BehindSite})
	assert.Equal(t, "ns2.net.example", net.NameServers[0].String(), "in the order of the file")
	assert.Equal(t, e.Carrier("gw"), e.Holder(net))
	assert.Equal(t, front, e.Holder(front))
	assert.Nil(t, e.Holder(nil))
	assert.Nil(t, e.Carrier("nobody"))
	assert.Equal(t, []estate.CarrierStep{estate.Claim, estate.Point, estate.Issue, estate.Redirect},
		e.Carrier("shop").Steps)
	assert.Equal(t, []estate.CarrierStep{estate.Issue, estate.Configure}, e.Carrier("gw").Steps)
	assert.Equal(t, []estate.CarrierStep{estate.Claim, estate.Lines, estate.Point, estate.Issue},
		e.Carrier("park").Steps, "what is had only once the name points there comes behind")
	assert.Equal(t, estate.Policy{Hops: 2, Status: 308, Upgrade: "same-host-first",
		Exempt: []string{"/.well-known/", "/keep/"}}, e.Policy)
	assert.Equal(t, estate.Registry{Address: "https://rdap.example/", Bootstrap: "dns.json"},
		e.Registry)
	assert.Equal(t, estate.Vantage{Resolvers: []string{"192.0.2.53:53", "192.0.2.54:5353",
		"[2001:db8::53]:53"}, Proxy: "socks5://127.0.0.1:1080", Trust: "ca.pem",
		Timeout: 2 * time.Second}, e.Vantages["office"])
	assert.Equal(t, []any{[]string{"192.0.2.1:53"}, []string{"s1", "s2"}, "rules.csv"},
		[]any{e.Resolvers, e.Selectors, e.Rules})
}

func TestADomainSaysWhatHoldsForItAlone(t *testing.T) {
	e := good(t, strings.Replace(whole, `, "@.x": nobody`, "", 1))
	n, d, left := e.Domains[0], e.Domains[1], e.Domains[2]
	assert.Equal(t, []any{estate.SamePath, "none", 2, estate.Planned, "/", 0},
		[]any{n.Fallback, n.Mail, n.Wave, n.State, n.LeadsTo.Path(), len(n.Carry)})
	assert.Equal(t,
		map[web.Host]*estate.Carrier{n.Name: e.Carrier("shop"), n.Name.WWW(): e.Carrier("shop")},
		n.Served, "the site's carrier serves its hosts")
	shop, img := web.MustParseHost("shop.old.example"), web.MustParseHost("img.old.example")
	assert.Equal(t, []string{"img.old.example", "old.example", "shop.old.example", "www.old.example"},
		web.Names(d.Hosts()))
	for h, name := range map[web.Host]string{d.Name: "form", d.Name.WWW(): "ap", shop: "net",
		img: "gw"} {
		assert.Equal(t, name, d.Carry[h].Name, h)
		assert.True(t, d.AnsweredBy(h, e.Carrier(name)))
		assert.False(t, d.AnsweredBy(h, e.Carrier("park")))
		assert.False(t, d.AnsweredBy(h, nil))
	}
	assert.True(t, n.AnsweredBy(n.Name, e.Carrier("shop")), "which serves the site there")
	assert.Equal(t, []any{"/mill/", "from=old", estate.Home, "keep", 3, estate.Moved, "2027-03-01"},
		[]any{d.LeadsTo.Path(), d.LeadsTo.Query(), d.Fallback, d.Mail, d.Wave, d.State,
			d.Renews.Format(time.DateOnly)})
	assert.Equal(t, []any{"R", "S", "T", true, "two lines"},
		[]any{d.Registrar, d.RecordsAt, d.RecordsFrom, d.ApexAlias, d.Note})
	assert.True(t, d.Paths.IgnoreCase && d.Paths.EitherSlash)
	assert.Equal(t, []string{"index.html", "default.asp"}, d.Paths.Index)
	assert.Equal(t, d.Paths, e.Mode(shop))
	assert.Zero(t, e.Mode(web.MustParseHost("else.example")))
	assert.Equal(t, []estate.Needed{{web.MustParseHost("click.old.example"), "the mail service", ""},
		{web.MustParseHost("cdn.old.example"), "someone", "cdn.example"}}, d.Needed)
	assert.Equal(t, "someone", d.NeededBy(web.MustParseHost("cdn.old.example")))
	assert.Empty(t, d.NeededBy(d.Name))
	assert.Equal(t, []string{"ns1.next.example"}, web.Names(d.MovesTo()), "its own word comes first")
	assert.Equal(t, e.Carrier("net"), d.Edge())
	d.NameServers = nil
	assert.Equal(t, []string{"ns1.net.example", "ns2.net.example"}, web.Names(d.MovesTo()))
	assert.Nil(t, n.Edge())
	assert.Empty(t, n.MovesTo())
	assert.Equal(t, []estate.Wanted{
		{Name: "_a.old.example", Type: "TXT", Value: `"onetwo"`, Until: estate.Until{Certificate: true}},
		{Name: "b.old.example", Type: "CNAME", Value: "else.example.",
			Until: estate.Until{Date: time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)}},
	}, d.Wanted)
	assert.Equal(t, []estate.Wanted{{Name: "_claim.n.example", Type: "TXT", Value: `"x"`, By: "shop"}},
		n.Wanted, "what the site's carrier asks for")
	assert.Equal(t, []any{estate.Leave, estate.Gone, "https://else.example/x"},
		[]any{left.State, left.Fallback, left.LeadsTo.String()})
	assert.Equal(t, "gw", left.Carry[left.Name].Name)
	for name, domain := range map[string]*estate.Domain{"old.example": d, "a.b.shop.old.example": d,
		"example": nil, "n.platform.example": nil} {
		assert.Equal(t, domain,
			e.DomainOf(web.MustParseHost(name+map[bool]string{true: ".x"}[name == "example"])))
	}
	for name, holds := range map[string]bool{"old.example": true, "x.old.example": true,
		"n.platform.example": true, "shop.h.example": true, "ap.h.example": false} {
		assert.Equal(t, holds, e.Holds(web.MustParseHost(name)), name)
	}
	assert.Contains(t, e.HostNames(), "img.old.example")
	assert.NotContains(t, e.HostNames(), "click.old.example")
}

// base is a good estate with room for one more line of each section.
const base = `canonical: https://www.n.example
SITE
carriers:
  g: {by: server, addresses: [203.0.113.20]}
  e: {by: edge, addresses: [198.51.100.9], name-servers: [ns1.e.example]}
CARRIERS
DEFAULTS
TOP
domains:
DOMAINS
`

// with puts lines into base, in place of its words.
func with(lines map[string]string) string {
	text := base
	for _, word := range []string{"SITE", "CARRIERS", "DEFAULTS", "TOP", "DOMAINS"} {
		line, said := lines[word]
		switch {
		case said:
		case word == "DEFAULTS":
			line = "defaults: {carrier: g}"
		case word == "DOMAINS":
			line = "  - old.example"
		}
		text = strings.Replace(text, word, line, 1)
	}
	return text
}

// TestEveryFaultSaysWhereWhatAndWhatToDo has each fault once, alone in an estate without any other.
func TestEveryFaultSaysWhereWhatAndWhatToDo(t *testing.T) {
	good(t, with(nil))
	domain := func(keys string) map[string]string {
		return map[string]string{"DOMAINS": "  - {name: old.example, " + keys + "}"}
	}
	carrier := func(keys string) map[string]string {
		return map[string]string{"CARRIERS": "  x: {" + keys + "}"}
	}
	answers := "by: server, addresses: [203.0.113.21]"
	top := func(line string) map[string]string { return map[string]string{"TOP": line} }
	site := func(keys string) map[string]string {
		return map[string]string{"SITE": "site: {" + keys + "}"}
	}
	for _, c := range []struct {
		lines map[string]string
		want  string // "" for none; else the one fault begins so
	}{
		{top("wat: x"),
			"8:1 unknown key in the estate file [wat] a known key | the keys of the estate " +
				"file are canonical, contact"},
		{top("rulez: x"),
			"8:1 unknown key in the estate file [rulez] a known key | did you mean rules?"},
		{top("contact: {a: b}"), "8:1 contact is a mapping [] a single value | "},
		{top("contact: x\ncontact: y"),
			"9:1 the key appears twice [contact] each key once | drop one of them"},
		{top("selectors: {a: b}"),
			"8:1 selectors is a mapping [] a list | write [one, two], or one line each"},
		{top("resolvers: [x]"), "8:13 this is not a resolver [x] an IP address, with or without a port"},
		{top("resolvers: [\"192.0.2.1:0\"]"), "8:13 this is not a resolver"},
		{top("registry: {address: \"::\"}"),
			"8:21 the registry's address is not a URL [::] the base address"},
		{top("vantages: x"), "8:11 vantages is a single value [x] a mapping from a name to a vantage"},
		{top("vantages: {a: {proxy: \"http://h:1\"}}"), "8:23 this proxy cannot be used [http://h:1]"},
		{top("vantages: {a: {proxy: \"socks5://h\"}}"), "8:23 this proxy cannot be used"},
		{top("vantages: {a: {proxy: \"socks5://:1\"}}"), "8:23 this proxy cannot be used"},
		{top("vantages: {a: {proxy: \"socks5://u@h:1\"}}"), "8:23 this proxy cannot be used"},
		{top("vantages: {a: {timeout: 0s}}"), "8:25 timeout is not a time [0s] a time such as 2s"},
		{top("vantages: {a: {timeout: 1ns}}"), ""},
		{top("policy: {hops: 0}"), "8:16 policy: hops is not a valid number [0] a whole number from 1"},
		{top("policy: {hops: 1}"), ""},
		{top("policy: {hops: x}"), "8:16 policy: hops is not a valid number"},
		{top("policy: {hsts: {max-age: 300}}"), ""},
		{top("policy: {hsts: [{max-age: 300}, {max-age: 0, from: 2027-01-01}]}"), ""},
		{top("policy: {hsts: {max-age: 31536000, below: yes, preload: yes}}"), ""},
		{top("policy: {hsts: {below: yes}}"), "8:10 this step has no max-age"},
		{top("policy: {hsts: [{max-age: 300, preload: yes}]}"),
			"8:17 browsers take no host into their lists with this header"},
		{top("policy: {hsts: [{max-age: 31535999, below: yes, preload: yes}]}"),
			"8:17 browsers take no host into their lists with this header"},
		{top("policy: {hsts: [{max-age: 300}, {max-age: 600}]}"),
			"8:33 this step does not come after the one before it"},
		{top("policy: {hsts: [{max-age: 300, from: 2027-01-02}, {max-age: 600, from: 2027-01-01}]}"),
			"8:51 this step does not come after the one before it"},
		{top("policy: {hsts: [{max-age: -1}]}"), "8:27 hsts: max-age is not a valid number"},
		{top("policy: {hsts: [{max-age: 300, from: soon}]}"), "8:38 hsts: from is not a date"},
		{top("policy: {hsts: [{max-age: 300, age: 5}]}"), "8:32 unknown key in policy: hsts [age]"},
		{top("policy: {hsts: 300}"), "8:16 "},
		{top("policy: {remember: {max-age: 3600}}"), ""},
		{top("policy: {remember: [{max-age: 3600}, {max-age: 31536000, from: 2027-01-01}]}"), ""},
		{top("policy: {remember: [{from: 2027-01-01}]}"), "8:21 this step has no max-age"},
		{top("policy: {remember: [{max-age: 3600}, {max-age: 60}]}"),
			"8:38 this step does not come after the one before it"},
		{top("policy: {remember: {max-age: long}}"), "8:30 remember: max-age is not a valid number"},
		{top("policy: {status: 303}"), "8:18 no redirect has this status [303] 301 or 308"},
		{top("policy: {status: 302}"), ""},
		{top("policy: {status: 307}"), ""},
		{top("policy: {upgrade: directly}"),
			"8:19 policy: upgrade is not one of the allowed values [directly] " +
				"direct, same-host-first | did you mean direct?"},
		{top("policy: {exempt: x}"),
			"8:18 this is not a path that can be exempt [x] the beginning of a path"},
		{top("policy: {exempt: [/]}"), "8:19 this is not a path that can be exempt"},
		{top("policy: {exempt: [/a?b]}"), "8:19 this is not a path that can be exempt"},
		{top("policy: {exempt: [/a/]}"), ""},
		{site("hosts: []"),
			"2:15 the site does not serve the canonical host [] www.n.example among site.hosts"},
		{site("alias: www.n.example"), "2:15 this is an alias to itself: the site serves that host"},
		{site("also: [www.n.example]"), "0:0 the host www.n.example is already claimed by site.also"},
		{site("hosts: [www.n.example], also: [b.example, b.example]"),
			"2:50 the host b.example is already claimed by site.also [b.example] each host once | take " +
				"it out"},
		{site("pages: {a: b}"), "2:8 site.pages is a mapping"},
		{site("carrier: nobody"),
			"2:17 no carrier is called nobody [nobody] a name from carriers: | add it"},
		{site("carrier: gg"),
			"2:17 no carrier is called gg [gg] a name from carriers: | did you mean g?"},
		{site("carrier: e"),
			"2:17 e is an edge network, which serves no site [e] a carrier that is by: server"},
		{site("carrier: g, addresses: [203.0.113.99]"),
			"2:17 the site has other addresses, or another alias"},
		{site("carrier: g, alias: x.example"), "2:17 the site has other addresses, or another alias"},
		{site("carrier: g, addresses: [203.0.113.20]"), ""},
		{site("hosts: [www.n.example, \"\"]"), "2:31 site.hosts is empty [] a host name | "},
		{site("addresses: [\"fe80::1%eth0\"]"),
			"2:20 an address with a zone is valid on one machine"},
		{site("addresses: [x]"), "2:20 this is not an IP address [x] an address such as 203.0.113.20"},
		{carrier(answers), ""},
		{carrier("addresses: [203.0.113.21]"), "6:3 carrier x has no kind [x] by: server"},
		{carrier("by: server"),
			"6:3 carrier x has neither addresses nor an alias [x] addresses: [203.0.113.20]"},
		{carrier("by: sever, addresses: [203.0.113.21]"),
			"6:11 carrier x: by is not one of the allowed values " +
				"[sever] server, form, platform, edge, service, account | did you mean server?"},
		{map[string]string{"CARRIERS": "  g: {" + answers + "}"},
			"6:3 two carriers have the same name [g] a different name for each | rename one"},
		{carrier(answers + ", certificate: later"),
			"6:59 carrier x: certificate is not one of the allowed " +
				"values [later] before, after, by-hand | "},
		{carrier(answers + ", tls: maybe"),
			"6:51 carrier x: tls is neither yes nor no [maybe] yes or no | "},
		{carrier(answers + ", tls: TRUE, apex-only: False"), ""},
		{carrier(answers + ", keeps: [path, host]"),
			"6:60 carrier x: keeps is not one of the allowed values " +
				"[host] path, query"},
		{carrier(answers + ", hosts-at-most: 0"),
			"6:61 carrier x: hosts-at-most is not a valid number [0] a " +
				"whole number from 1"},
		{carrier(answers + ", hosts-at-most: 1, rules-at-most: 0, patterns-at-most: 0"), ""},
		{carrier("by: form, addresses: [203.0.113.21], software: nginx"),
			"6:54 carrier x is a forwarding form, " +
				"for which no configuration is written [nginx] software:, place: and challenges: " +
				"on a carrier that is by: server | " +
				"drop it"},
		{top("places: {X: {send: update, server: ns1.x.example, key: k}}"), ""},
		{top("places: {X: {send: update, server: \"ns1.x.example:5353\", timeout: 5s}}"), ""},
		{top("places: {X: {send: update, server: \"[2001:db8::1]:53\"}}"), ""},
		{top("places: {X: {send: update, server: \"2001:db8::1\", key: \"env:KEY\"}}"), ""},
		{top("places: {X: {send: program, run: [./p, x], env: [TOKEN]}}"), ""},
		{top("places: {X: {send: file, path: zones}}"), ""},
		{top("places: {X: {send: mail}}"),
			"8:20 places: send is not one of the allowed values [mail] update"},
		{top("places: {X: {server: ns1.x.example}}"),
			"8:10 the place X does not say how records are sent"},
		{top("places: {X: {send: update}}"),
			"8:10 the place X has no server: [] server: beside send: update"},
		{top("places: {X: {send: program}}"), "8:10 the place X has no run:"},
		{top("places: {X: {send: file, path: z, key: k}}"), "8:40 key: says nothing with send: file"},
		{top("places: {X: {send: update, server: \"ns1.x.example:0\"}}"),
			"8:36 this is not a name server"},
		{top("places: {X: {send: update, server: a b}}"), "8:36 this is not a name server"},
		{top("places: {X: {send: update, server: n.x.example, key: aGVsbG8gd29ybGQ==}}"),
			"8:54 this looks like the key itself"},
		{top("places: [X]"), "8:9 places is a list [] a mapping from a provider's name"},
		{carrier(answers + ", place: etc"), "6:53 this is not a folder of a server [etc] a folder from"},
		{carrier(answers + ", challenges: 127.0.0.1"),
			"6:58 this is not an address with a port [127.0.0.1] an address and a port, such as"},
		{carrier(answers + ", software: iis"),
			"6:56 carrier x: software is not one of the allowed values [iis] " +
				"nginx, apache"},
		{carrier("by: form, addresses: [203.0.113.21], rules: yes"),
			"6:51 carrier x is a forwarding form, which " +
				"forwards to one place [yes] no rules there"},
		{carrier("by: form, addresses: [203.0.113.21], rules: no"), ""},
		{carrier(answers + ", behind: g"),
			"6:54 carrier x is not an edge network, so nothing can be behind it " +
				"[g] behind: on a carrier that is by: edge | drop it"},
		{carrier("by: edge, addresses: [203.0.113.21], behind: e"),
			"6:52 an edge network is behind an edge " +
				"network [e] a server or platform"},
		{carrier("by: edge, addresses: [203.0.113.21], behind: x"),
			"6:52 an edge network is behind an edge"},
		{carrier("by: edge, addresses: [203.0.113.21], behind: q"), "6:52 no carrier is called q"},
		{carrier("by: edge, addresses: [203.0.113.21], name-servers: [ns.x.example], behind: site"),
			"6:82 the site is behind x, but its own address is missing [site] site: with addresses: or " +
				"alias:"},
		{carrier("by: edge, addresses: [203.0.113.21], behind: site"), ""}, // it holds no zone
		{carrier(answers + ", steps: [claim]"),
			"6:53 carrier x has steps, which only a carrier that is by: " +
				"platform has [] no steps here | drop it"},
		{carrier("by: platform, addresses: [203.0.113.21], steps: [claim, claim]"), "6:63 "},
		{carrier("by: platform, addresses: [203.0.113.21], steps: [claim, park]"),
			"6:63 steps is not one of"},
		{map[string]string{"CARRIERS": "  x: y"},
			"6:6 carrier x is a single value [y] a mapping with keys such as " +
				"by | write key: value\n" +
				"6:3 carrier x has no kind [x] by: server, form, platform, edge, service " +
				"or account | \n6:3 carrier x has neither"},
		{map[string]string{"DEFAULTS": "defaults: {carrier: {apex: g, www: g, shp: g}}"},
			"7:39 no domain has a host shp [shp] apex, www, or a host that some domain has under hosts: | "},
		{map[string]string{"DEFAULTS": "defaults: {carrier: {apex: g, www: g}}"}, ""},
		{map[string]string{"DEFAULTS": "defaults: {name: x.example, carrier: g}"},
			"7:12 unknown key in defaults [name]"},
		{map[string]string{"DEFAULTS": "defaults: {carrier: q}"}, "7:21 no carrier is called q"},
		{map[string]string{"DEFAULTS": ""},
			"10:5 old.example has no carrier [old.example] carrier: with a name " +
				"from carriers: | name one here or under defaults:"},
		{map[string]string{"DOMAINS": "  []"},
			"10:3 there are no domains [] domains: with a list | add a line"},
		{map[string]string{"DOMAINS": "  - {wave: 2}"},
			"10:5 a domain has no name [] name: lacemill-museum"},
		{map[string]string{"DOMAINS": "  - co.uk"},
			"10:5 co.uk is a public suffix, under which others register " +
				"[co.uk] a domain that the client owns | write the name below it"},
		{map[string]string{"DOMAINS": "  - a.old.example"},
			"10:5 a.old.example is a host of the domain " +
				"old.example [a.old.example] a registrable domain | write name: old.example; further hosts"},
		{map[string]string{"DOMAINS": "  - old.example\n  - old.example"},
			"11:5 the domain appears twice"},
		{domain("index: [a/b]"), "10:33 this is not a file name [a/b] a name such as index.html"},
		{domain("index: [\"\"]"), "10:33 this is not a file name"},
		{domain("leads-to: visit"),
			"10:35 leads-to is neither a path nor a URL [visit] a path on the canonical"},
		{domain("leads-to: \"http://www.n.example/x\""),
			"10:35 leads-to uses http [http://www.n.example/x] https " +
				"| write https://www.n.example/x"},
		{domain("hosts: [www]"), "10:33 apex and www exist without being named [www] further hosts"},
		{domain("hosts: [old.example]"), "10:33 apex and www exist without being named"},
		{domain("hosts: [\"\"]"), "10:33 this is not a host below old.example [] a label such as shop"},
		{domain("hosts: [a_b!]"), "10:33 this is not a host below old.example"},
		{domain("hosts: [shop, shop]"),
			"10:12 the host shop.old.example is already claimed by domain old.example"},
		{domain("fallback: hom"),
			"10:35 fallback is not one of the allowed values [hom] same-path, home, gone | " +
				"did you mean home?"},
		{domain("mail: nothing"), "10:31 mail is not one of the allowed values [nothing] keep, none"},
		{domain("wave: 0"), "10:31 wave is not a valid number [0] a whole number from 1"},
		{domain("state: gone"),
			"10:32 state is not one of the allowed values [gone] planned, moved, leave"},
		{domain("renews: soon"), "10:33 renews is not a date [soon] a date such as 2027-03-01"},
		{domain("slash: both"), "10:32 slash is not one of the allowed values [both] exact, either"},
		{domain("slash: exact"), ""},
		{domain("carrier: [g, e]"),
			"10:34 several carriers claim the doors of old.example [] one carrier for all"},
		{domain("carrier: [g]"), "10:34 carrier is a list [] a name, or {apex: NAME, www: NAME}"},
		{domain("carrier: {apex: g, shop: g}"), "10:44 unknown key in carrier [shop]"},
		{domain("carrier: {apex: q}"), "10:41 no carrier is called q"},
		{domain("carrier: q"), "10:34 no carrier is called q"},
		{map[string]string{"CARRIERS": "  x: {by: server, alias: old.example}",
			"DOMAINS": "  - {name: old.example, carrier: x}"},
			"10:34 old.example would be an alias to itself: that is the alias of carrier x [x]"},
		{map[string]string{"DOMAINS": "  - {name: n.example, carrier: {www: g}}"},
			"10:23 the site serves www.n.example itself, but g is named as its carrier [] an edge network"},
		{map[string]string{"DOMAINS": "  - {name: n.example, carrier: e}"},
			"10:32 the site is behind e, but its own address is missing"},
		{map[string]string{"SITE": "site: {addresses: [203.0.113.9]}",
			"DOMAINS": "  - {name: n.example, carrier: e}"}, ""},
		{map[string]string{"SITE": "site: {alias: s.example}",
			"DOMAINS": "  - {name: n.example, carrier: e}"}, ""},
		{domain("needed: x"), "10:33 needed is a single value [x] a mapping from a host to who needs it"},
		{domain("needed: {}"), ""},
		{domain("needed: {click: \"\"}"),
			"10:34 click.old.example does not say who needs it [click] a name such as"},
		{domain("needed: {click: {to: x.example}}"), "10:34 click.old.example does not say who needs it"},
		{domain("hosts: [shop], needed: {shop: them}"),
			"10:49 shop.old.example is also under hosts:, which are " +
				"redirected [shop] one or the other | take it out of hosts:"},
		{map[string]string{"DOMAINS": "  - {name: n.example, needed: {www: them}}"},
			"10:32 www.n.example is a host that the site serves [www] a host that somebody else needs | " +
				"drop it"},
		{domain("needed: {\"a b\": them}"), "10:34 "},
		{domain("wanted: x"), "10:33 wanted is a single value [x] a mapping with keys such as name"},
		{domain("wanted: [{}]"), "10:34 a wanted record has no \n"},
		{domain("wanted: [{name: a, value: x}]"), "10:34 a wanted record has no type [] {name: _check"},
		{domain("wanted: [{name: a, type: TXT}]"), "10:34 a wanted record has no value [] {name: _check"},
		{domain("wanted: [{name: a, type: TXX, value: x}]"),
			"10:50 unknown record type [TXX] one of A, " +
				"AAAA, CAA, CNAME, DS, HTTPS, MX, NS, PTR, SRV, SSHFP, SVCB, TLSA, TXT | did you mean TXT?"},
		{domain("wanted: [{name: a, type: A, value: x}]"),
			"10:60 wanted: x is not an address of this kind [x] an " +
				"IPv4 address"},
		{domain("wanted: [{name: a..b, type: A, value: 192.0.2.1}]"), "10:41 wanted: a..b is not a name"},
		{map[string]string{
			"DOMAINS": "  - two.example\n  - {name: old.example, wanted: [{name: a.two.example, " +
				"type: A, value: 192.0.2.1}]}"}, "11:41 this is a name of two.example, not of old.example"},
		{map[string]string{
			"DOMAINS": "  - ld.example\n  - {name: old.example, wanted: [{name: a.old.example, " +
				"type: A, value: 192.0.2.1}]}"}, ""},
		{domain("wanted: [{name: a, type: A, value: 192.0.2.1, until: soon}]"),
			"10:78 until is neither a date nor " +
				"the word certificate [soon]"},
		{domain("wanted: [{name: \"@\", type: CNAME, value: x.example}]"),
			"10:34 a CNAME cannot stand at the apex"},
		{domain("wanted: [{name: www, type: CNAME, value: x.example}]"),
			"10:34 www.old.example has a carrier " +
				"already; a wanted alias claims the same door"},
		{domain("wanted: [{name: a, type: CNAME, value: a.old.example}]"),
			"10:34 a.old.example would be an alias"},
		{domain("wanted: [{name: a, type: CNAME, value: x.example}, {name: a, type: TXT, value: x}]"),
			"10:76 a.old.example is wanted as an alias and with another record beside it (CNAME and TXT)"},
		{domain("wanted: [{name: a, type: TXT, value: y}, {name: a, type: CNAME, value: x.example}]"),
			"10:66 a.old.example is wanted as an alias and with another record beside it (TXT and CNAME)"},
		{domain("wanted: [{name: a, type: CNAME, value: x.example}, {name: a, type: CNAME, value: " +
			"x.example}]"), ""},
		{domain("wanted: [{name: a, type: TXT, value: y}, {name: a, type: MX, value: 10 x.example}]"),
			""},
		{carrier(answers + ", wanted: [{name: a.example., type: TXT, value: x}]"),
			"6:62 a carrier's wanted record has no label [a.example.] a name relative to each domain"},
		{carrier(answers + ", wanted: [{name: _c, type: TXT, value: x}]"), ""},
		{domain("note: \"a\\u202eb\""), "10:31 this value contains "},
		{domain("note: \"a\\nb\""), ""},
		{top("contact: \"a\\u0007b\""), "8:10 this value contains "},
	} {
		_, faults := read(t, with(c.lines))
		all := said(faults)
		if c.want == "" {
			assert.Empty(t, all, "%v", c.lines)
			continue
		}
		assert.True(t, strings.HasPrefix(all, strings.TrimSuffix(c.want, "\n")), "%v\nsays %s\nnot  %s",
			c.lines, all, c.want)
		assert.Len(t, faults, 1+strings.Count(c.want, "\n"), "%v: %s", c.lines, all)
	}
}

func TestTheCanonicalSite(t *testing.T) {
	for text, want := range map[string]string{
		"canonical: www.n.example": "1:12 the canonical site is not a URL [www.n.example] scheme and " +
			"host such as " +
			"https://www.northmoor.example | write https://www.n.example",
		"canonical: \"::\"": "1:12 the canonical site is not a URL [::] scheme " +
			"and host such as",
		"canonical: http://n.example":      "1:12 the canonical site uses http",
		"canonical: https://n.example/x":   "1:12 the canonical site is a single page",
		"canonical: \"https://192.0.2.1\"": "1:12 the canonical site has no host name",
		"contact: x":                       "1:8 there is no canonical site",
		"canonical: https://n.example\nsite: 3": "2:7 site is a single value [3] a mapping with keys " +
			"such as carrier",
		"canonical: https://n.example\ncarriers: 3": "2:11 carriers is a single value [3] a mapping " +
			"from a name to a " +
			"carrier | write gateway: {by: server",
	} {
		_, faults := read(t, text+"\ndomains: [n.example]")
		assert.True(t, strings.HasPrefix(said(faults), want), "%s: %s", text, said(faults))
	}
	for text, want := range map[string]string{"": "the estate file is empty",
		"3":   "the estate file is a single value",
		"[a]": "the estate file is a list"} {
		_, faults := read(t, text)
		assert.Contains(t, said(faults), want)
		assert.Len(t, faults, 1, said(faults))
	}
}

func TestWhatNobodyHasDecidedMayBeLookedAt(t *testing.T) {
	text := "canonical: https://www.n.example\n" +
		"carriers: {x: {by: platform}, e: {by: edge, addresses: " +
		"[192.0.2.1], name-servers: [ns.e.example]}}\n" +
		"domains: [old.example, {name: n.example, carrier: e}]"
	e, faults := estate.ReadUndecided(tree(t, text))
	assert.Empty(t, said(faults))
	assert.Empty(t, e.Domains[0].Carry)
	_, faults = read(t, text)
	assert.Len(t, faults, 3, said(faults))
	_, faults = estate.ReadUndecided(
		tree(t, "canonical: https://www.n.example\ndomains: [{name: old.example, "+
			"carrier: q}]"))
	assert.Len(t, faults, 1, "what is decided has to be right")
}

func TestAVantageFile(t *testing.T) {
	v, faults := estate.ReadVantage(tree(t, "resolvers: \"[2001:db8::1]:53\"\ntimeout: 500ms"))
	assert.Empty(t, said(faults))
	assert.Equal(t,
		estate.Vantage{Resolvers: []string{"[2001:db8::1]:53"}, Timeout: 500 * time.Millisecond}, v)
	_, faults = estate.ReadVantage(tree(t, "trust: \"a\\u202eb\"\nresolver: x"))
	assert.Len(t, faults, 2, said(faults))
}

func TestVariantsLeaveTheEstateAsItIs(t *testing.T) {
	e := good(t, `canonical: https://www.n.example
carriers:
  g: {by: server, addresses: [203.0.113.20]}
  h: {by: server, addresses: [203.0.113.21]}
  e: {by: edge, addresses: [198.51.100.9]}
defaults: {carrier: g}
domains:
  - {name: n.example, carrier: {www: e}}
  - {name: old.example, leads-to: /x}
  - {name: far.example, leads-to: "https://else.example/"}
`)
	n, old := e.Domains[0], e.Domains[1]
	one := e.WithCarrier(e.Carrier("h"), func(d *estate.Domain) bool { return d.Name == old.Name })
	assert.Equal(t, "h", one.DomainOf(old.Name).Carry[old.Name.WWW()].Name)
	assert.Equal(t, "g", one.DomainOf(n.Name).Carry[n.Name].Name)
	assert.Equal(t, "g", old.Carry[old.Name].Name, "the estate itself is as it was")

	apex := e.WithCanonical(n.Name)
	home := apex.DomainOf(n.Name)
	assert.Equal(t, "https://n.example", apex.Canonical.String())
	assert.Equal(t, []web.Host{n.Name}, apex.Site.Hosts)
	assert.Equal(t, map[web.Host]*estate.Carrier{n.Name.WWW(): e.Carrier("g")}, home.Carry)
	assert.Equal(t, map[web.Host]*estate.Carrier{n.Name: e.Carrier("e")}, home.Through)
	assert.Equal(t, "https://n.example/x", apex.Domains[1].LeadsTo.String())
	assert.Equal(t, "https://else.example/", apex.Domains[2].LeadsTo.String())
	assert.Equal(t, "https://www.n.example/x", old.LeadsTo.String())
	assert.Equal(t, e.Canonical, e.WithCanonical(n.Name.WWW()).Canonical)

	e = good(t,
		"canonical: https://www.n.example\ncarriers: {p: {by: platform, addresses: [192.0.2.1]}}\n"+
			"site: {carrier: p}\ndomains: [n.example]")
	apex = e.WithCanonical(e.Domains[0].Name)
	assert.Equal(t, map[web.Host]*estate.Carrier{e.Domains[0].Name: e.Carrier("p")},
		apex.Domains[0].Served)
}

func TestTheTableOfKinds(t *testing.T) {
	for _, row := range estate.Kinds() {
		assert.Equal(t, row.Kind, row.Kind.Row().Kind)
		assert.NotEmpty(t, row.Title+row.Page)
	}
	assert.Zero(t, estate.CarrierKind("none").Row())
	assert.Equal(t, []string{"nginx", "apache", "haproxy", "caddy"}, estate.Software())
}

func TestWhatStandsBehindAnEdgeToday(t *testing.T) {
	e := good(t,
		"canonical: https://www.n.example\ncarriers:\n  g: {by: server, addresses: [192.0.2.9]}\n"+
			"domains:\n  - {name: a.example, origin: 192.0.2.1}\n"+
			"  - {name: b.example, origin: {apex: [192.0.2.1, \"2001:db8::1\"], shop.b.example: "+
			"Shops.host.example.}}\n"+
			"  - c.example\n")
	assert.Equal(t, []string{"192.0.2.1"}, e.Domains[0].OriginOf("any.a.example"))
	assert.Equal(t, []string{"192.0.2.1", "2001:db8::1"}, e.Domains[1].OriginOf("b.example"))
	assert.Equal(t, []string{"shops.host.example"}, e.Domains[1].OriginOf("shop.b.example"))
	assert.Empty(t, e.Domains[1].OriginOf("www.b.example"), "nobody says")
	assert.Empty(t, e.Domains[2].OriginOf("c.example"))
	_, faults := estate.Read(tree(t, "canonical: https://www.n.example\ncarriers: {g: {by: server, "+
		"addresses: [192.0.2.9]}}\ndomains: [{name: a.example, origin: {a b: 192.0.2.1, www: no host, "+
		"shop: [192.0.2.1, x.example]}}]"))
	assert.Len(t, faults, 3, said(faults))
}
