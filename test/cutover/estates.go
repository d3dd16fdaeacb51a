// Package cutover makes estates at random whose mail, names and doors hang on each other in the
// ways that people build, and plays what the plan tells people to type with a reader of its own: a
// resolver, a sender's check and a list of what carriers were told, all written apart from the
// program's core.
package cutover

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

// Today is when all of it happens.
var Today = time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)

// Estate is an estate file and the zones that stand there today, by name.
type Estate struct {
	File  string
	Zones map[string][]string // lines as a zone file has them, names in full with their last dot
	Only  string              // what is meant of it: "" for all
}

func (e Estate) String() string {
	text := e.File + "only: " + e.Only + "\n"
	for name, lines := range e.Zones {
		text += name + "\n  " + strings.Join(lines, "\n  ") + "\n"
	}
	return text
}

const carriers = `canonical: https://www.n.example
site: {hosts: [www.n.example], addresses: [203.0.113.10]}
carriers:
  gw: {by: server, addresses: [203.0.113.20, "2001:db8:2::20"]}
  own: {by: server, addresses: [203.0.113.21], certificate: by-hand}
  plat: {by: platform, alias: sites.plat.example, addresses: [198.51.100.60]}
  late:
    {by: platform, alias: sites.late.example, addresses: [198.51.100.61], certificate: after,
     steps: [records, claim, certificate, redirect]}
  links: {by: service, alias: hosts.links.example, addresses: [198.51.100.90]}
  park: {by: account, addresses: [198.51.100.91]}
  edge: {by: edge, addresses: [198.51.100.80]}
  front: {by: edge, addresses: [198.51.100.81], behind: gw}
  plain: {by: edge, addresses: [198.51.100.82], origin: plain, behind: own}
  funnel: {by: edge, addresses: [198.51.100.83], behind: plat}
  net: {by: edge, addresses: [198.51.100.84], name-servers: [ns1.net.example, ns2.net.example], behind: gw}
  form: {by: form, addresses: [198.51.100.34], tls: yes, keeps: [path, query]}
defaults: {carrier: gw, records-at: Registrar A, registrar: Registrar A}
domains:
`

// Random makes an estate whose mail hangs on its web.
func Random(r *rand.Rand) Estate {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	e := Estate{Zones: map[string][]string{}, File: carriers + "  - {name: n.example}\n"}
	e.Zones["n.example"] = []string{
		"n.example. A 192.0.2.99",
		"www.n.example. A 203.0.113.10",
		"n.example. MX 10 mx.post.example.",
	}
	names := []string{"old.example", "two.example", "three.example"}[:1+r.IntN(3)]
	for _, name := range names {
		keys := domainKeys(r, name)
		e.File += "  - {name: " + name + keys + "}\n"
		e.Zones[name] = zone(r, name, names, keys)
	}
	if r.IntN(6) == 0 {
		e.Only = pick(append(slices.Clone(names), "wave:1")...)
	}
	return e
}

func domainKeys(r *rand.Rand, name string) string {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	one := func() string {
		return pick(
			"gw",
			"gw",
			"own",
			"plat",
			"late",
			"links",
			"park",
			"edge",
			"front",
			"plain",
			"funnel",
			"form",
		)
	}
	keys := ""
	switch r.IntN(4) {
	case 0:
		keys = ", carrier: {apex: " + one() + ", www: " + one() + "}"
	case 1, 2:
		keys = ", carrier: " + one()
	}
	if r.IntN(12) == 0 {
		keys = ", carrier: net"
	}
	if r.IntN(8) == 0 {
		keys += ", wave: 2"
	}
	if r.IntN(10) == 0 {
		return ", state: moved"
	} else if r.IntN(12) == 0 && name != "old.example" {
		keys += ", state: leave"
	}
	switch r.IntN(8) {
	case 0, 1:
		keys += ", hosts: [shop]"
	case 2:
		keys += ", hosts: [shop, de.eu]"
	}
	if r.IntN(6) == 0 {
		keys += ", apex-alias: yes"
	}
	switch r.IntN(14) {
	case 0:
		keys += `, wanted: [{name: "@", type: TXT, value: "v=spf1 include:_spf.new.example -all"}]`
	case 1:
		keys += `, wanted: [{name: "@", type: MX, value: "5 mx.new.example"}]`
	case 2:
		keys += `, wanted: [{name: _proof, type: TXT, value: "proof=1"}, {name: chat, type: CNAME, value: chat.new.example}]`
	}
	if r.IntN(4) == 0 {
		keys += ", needed: {click: the mail service}"
	}
	return keys
}

// zone makes what stands in a zone today.
func zone(r *rand.Rand, name string, names []string, keys string) []string {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	maybe := func(one int, lines ...string) []string {
		if r.IntN(one) == 0 {
			return lines
		}
		return nil
	}
	other := pick(names...)
	apex, at := name+".", func(label string) string { return label + "." + name + "." }
	ip := fmt.Sprintf("192.0.2.%d", 1+r.IntN(60))
	var z []string
	add := func(lines ...string) {
		for _, l := range lines {
			if !slices.Contains(z, l) {
				z = append(z, l)
			}
		}
	}
	add(apex + " A " + ip)
	add(maybe(4, apex+" AAAA 2001:db8::"+fmt.Sprint(1+r.IntN(9)))...)
	add(maybe(6, apex+" A 192.0.2.77")...)
	add(
		maybe(3, pick(at("*")+" CNAME "+apex, at("*")+" CNAME "+at("www"), at("*")+" A 192.0.2.70"))...)
	www := pick(
		"CNAME "+apex,
		"CNAME "+apex,
		"CNAME "+apex,
		"A "+ip,
		"A 192.0.2.88",
		"CNAME web.host.example.",
		"",
		"",
		"CNAME "+other+".",
	)
	if strings.Contains(keys, "moved") {
		z = []string{apex + " A 203.0.113.20", apex + " AAAA 2001:db8:2::20"}
		www = pick("CNAME "+apex, "A 203.0.113.20")
		if www == "A 203.0.113.20" {
			add(at("www") + " AAAA 2001:db8:2::20")
		}
	}
	if www != "" && !(strings.HasSuffix(www, " "+at("www"))) {
		add(at("www") + " " + www)
	}
	wild := slices.ContainsFunc(z, func(l string) bool { return strings.HasPrefix(l, "*.") })
	chance := 3
	if strings.Contains(keys, "needed") && !wild {
		chance = 1
	}
	add(
		maybe(
			chance,
			pick(
				at("click")+" CNAME "+apex,
				at("click")+" CNAME track.post.example.",
				at("click")+" A 192.0.2.66",
			),
		)...)
	add(maybe(5, at("shop")+" "+pick("CNAME "+at("www"), "A 192.0.2.67"))...)
	mail := pick(
		"A "+ip,
		"A 192.0.2.90",
		"CNAME "+apex,
		"CNAME "+at("www"),
		"CNAME "+at("relay"),
		"",
		"CNAME www."+other+".",
	)
	if mail != "" && mail != "CNAME "+at("mail") {
		add(at("mail") + " " + mail)
	}
	if strings.HasSuffix(mail, at("relay")) || r.IntN(6) == 0 {
		add(at("relay") + " " + pick("CNAME "+at("www"), "CNAME "+apex, "A 192.0.2.91"))
	}
	add(maybe(4, at("mx")+" A 192.0.2.92")...)
	add(maybe(8, at("*.eu")+" CNAME "+at("www"), at("fr.eu")+" A 192.0.2.95")...)
	add(maybe(60, at("tree")+" DNAME "+other+".")...)
	add(maybe(10, at("x")+" MX 10 "+at("any"))...)
	add(maybe(6, at("mail2")+" A 192.0.2.93", at("mx2")+" A 192.0.2.94")...)
	hosts := []string{
		apex,
		at("www"),
		at("mail"),
		at("mail"),
		at("relay"),
		other + ".",
		"www." + other + ".",
		"mail." + other + ".",
		"mx.post.example.",
		at("in"),
	}
	for n := range r.IntN(3) {
		add(fmt.Sprintf("%s MX %d %s", apex, 10+10*r.IntN(n+2), pick(hosts...)))
	}
	add(
		maybe(
			6,
			"_imaps._tcp."+apex+" SRV 0 1 993 "+pick("mx.post.example.", at("www"), at("mail"), apex),
		)...)
	add(maybe(8, at("news")+" MX 5 "+pick(hosts...))...)
	if r.IntN(3) > 0 {
		var terms []string
		for range 1 + r.IntN(3) {
			host := strings.TrimSuffix(pick(hosts...), ".")
			terms = append(
				terms,
				pick("a", "mx", "a:"+host, "mx:"+other, "ip4:192.0.2.55", "include:_spf.post.example", "?a",
					"a/28", "+a", "a:www."+name, "include:"+other),
			)
		}
		add(apex + ` TXT "v=spf1 ` + strings.Join(terms, " ") + " " + pick("-all", "~all") + `"`)
	}
	return z
}

// Input reads the estate as files, and the zones as zone files, as a command does.
func (e Estate) Input(t testing.TB) plan.Input {
	t.Helper()
	dir := t.TempDir()
	path := filepath.Join(dir, "upperpath.yaml")
	require.NoError(t, os.WriteFile(path, []byte(e.File), 0o600))
	read, err := files.ReadEstate(path)
	require.NoError(t, err, e.String())
	in := plan.Input{Estate: read.Estate, Rules: read.Rules, Now: Today}
	in.Only, err = plan.Select(read.Estate, e.Only)
	require.NoError(t, err)
	in.Survey = &survey.Survey{Started: Today.Add(-time.Hour)}
	for name, lines := range e.Zones {
		text := "$TTL 3600\n" + name +
			". SOA ns.now.example. host.now.example. 7 7200 3600 1209600 900\n" + name +
			". NS ns.now.example.\n" + strings.Join(
			lines,
			"\n",
		) + "\n"
		file := filepath.Join(dir, name+".zone")
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		_, records, err := files.ReadZone(file, name)
		require.NoError(t, err, text)
		d := live.FileDomain(web.MustParseHost(name), records)
		d.Parent = survey.Parent{
			Zone:    "example",
			Server:  "ns.example",
			Servers: []string{"ns.now.example"},
			TTL:     3600,
		}
		d.Servers = []survey.Server{
			{Name: "ns.now.example", Address: "192.0.2.53", State: survey.Answers},
		}
		in.Survey.Domains = append(in.Survey.Domains, d)
	}
	return in
}
