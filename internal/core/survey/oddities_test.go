package survey

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/web"
)

// oddity is something odd, a domain that has it, and one that nearly has it. What is expected of
// the first is a finding, "code subject", or a part of a fact; of the second, that there is nothing
// of the kind.
type oddity struct {
	name      string
	odd, near Domain
	want      string
	severity  finding.Severity
}

// with makes a domain of lines, and changes it.
func with(change func(*Domain), lines ...string) Domain {
	d := domain(lines...)
	change(&d)
	return d
}

func serve(names ...string) func(*Domain) {
	return func(d *Domain) {
		d.Parent = Parent{Zone: "example", Server: "p.example", Servers: names}
		for i, name := range names {
			address := []string{"192.0.2.51:53", "192.0.2.52:53", "192.0.2.53:53"}[i]
			d.Servers = append(d.Servers, Server{Name: name, Address: address, State: Answers, Serial: 7,
				By: []string{"parent", "zone"}})
		}
	}
}

func both(changes ...func(*Domain)) func(*Domain) {
	return func(d *Domain) {
		for _, c := range changes {
			c(d)
		}
	}
}

func signedBy(s Signing) func(*Domain) {
	return both(serve("ns1.h.example", "ns2.h.example"), func(d *Domain) {
		d.Parent.DS = []DS{{Text: "1 13 2 AB", Matched: true}}
		d.Signing = &s
	})
}

// signature makes one that was made, and ends, so long from now.
func signature(from, ends time.Duration, fault string) Signing {
	return Signing{Signatures: []Signature{
		{Name: "a.example", Type: "SOA", From: now.Add(from), Ends: now.Add(ends), Fault: fault},
		{Name: "a.example", Type: "DNSKEY", From: now.Add(from), Ends: now.Add(ends + day), Fault: fault},
	}}
}

const day = 24 * time.Hour

func registered(change func(*Registration)) func(*Domain) {
	return both(serve("ns1.h.example", "ns2.h.example"), func(d *Domain) {
		late := now.AddDate(1, 0, 0)
		d.Registration = &Registration{From: "http://registry.example", Ends: &late,
			Status:      []string{"active"},
			NameServers: []string{"NS2.h.example", "ns1.h.example."}}
		change(d.Registration)
	})
}

func ended(after time.Duration) func(*Registration) {
	return func(r *Registration) {
		at := now.Add(after)
		r.Ends = &at
	}
}

func voices(name, kind string, says ...string) func(*Domain) {
	return func(d *Domain) {
		diff := Difference{Name: name, Type: kind}
		for i, s := range says {
			diff.Voices = append(diff.Voices, Voice{Who: []string{"ns1", "ns2"}[i], Values: []string{s}})
		}
		d.Differences = []Difference{diff}
	}
}

func ttl(seconds int) func(*Domain) {
	return func(d *Domain) {
		for i := range d.Records {
			d.Records[i].TTL = seconds
		}
	}
}

func door(status int, location string) func(*Domain) {
	return func(d *Domain) {
		u := web.MustParseURL("http://www.a.example/")
		d.Aliases = []AliasEnd{{Name: "www.a.example", Target: "sites.platform.example", Exists: true}}
		d.Chains = []chain.Chain{{Entry: u, Probe: chain.Root, Arrival: u, End: chain.Page,
			Hops: []chain.Answer{{URL: u, Status: status, Location: location}}}}
	}
}

func includes(n int) []string {
	var all []string
	for i := range n {
		all = append(all, "include:s"+string(rune('a'+i))+".mail.example")
	}
	return all
}

func senders(terms ...string) string { return `@ TXT "v=spf1 ` + strings.Join(terms, " ") + `"` }

func same(*Domain) {}

// oddities is everything that a survey finds odd about names, zones and registrations.
func oddities() []oddity {
	two := serve("ns1.h.example", "ns2.h.example")
	inside := serve("ns1.a.example", "ns2.h.example")
	glue := func(address string) func(*Domain) {
		return both(inside, func(d *Domain) {
			d.Parent.Glue = []Glue{{"ns1.a.example", []string{address}}}
		})
	}
	target := func(t Target) func(*Domain) { return func(d *Domain) { d.Targets = []Target{t} } }
	state := func(s State) func(*Domain) {
		return both(two, func(d *Domain) { d.Servers[1].State, d.Servers[1].Says = s, "it says so" })
	}
	nested := func(text string) func(*Domain) {
		return func(d *Domain) { d.Senders = []Senders{{Name: "sa.mail.example", Text: text}} }
	}
	return []oddity{
		// Name servers and the parent zone.
		{
			"a name server that does not answer",
			with(state(Silent)),
			with(state(Answers)),
			"split-answers a.example",
			finding.Warning,
		},
		{"a name server that knows no such zone", with(state(Lame)), with(two), "split-answers a.example",
			finding.Warning},
		{"a name server in a private network", with(state(Inside)), with(two), "split-answers a.example",
			finding.Warning},
		{"two versions of the zone", with(both(two, func(d *Domain) { d.Servers[1].Serial = 8 })),
			with(two),
			"split-answers a.example", finding.Warning},
		{"two lists of name servers",
			with(both(two, func(d *Domain) { d.Servers[1].By = []string{"zone"} })), with(two),
			"split-answers a.example", finding.Warning},
		{
			"a domain that the parent zone does not know",
			with(func(d *Domain) { d.Parent = Parent{Zone: "example", Unknown: true} }),
			with(func(d *Domain) { d.Parent = Parent{Zone: "example"} }),
			"on-hold a.example",
			finding.Error,
		},
		{"glue that differs", with(glue("192.0.2.51"), "ns1 A 192.0.2.99"),
			with(glue("192.0.2.51"), "ns1 A 192.0.2.51"),
			"split-answers a.example", finding.Warning},
		{"glue of what the zone does not hold", with(glue("192.0.2.51")),
			with(both(glue("192.0.2.51"), func(d *Domain) { d.Partial = true })), "split-answers a.example",
			finding.Warning},
		{"a name server that is an alias",
			with(inside, "@ NS ns1.a.example.", "ns1 CNAME host.h.example."),
			with(inside, "@ NS ns1.a.example.", "ns1 A 192.0.2.51"), "alias-conflict ns1.a.example",
			finding.Error},
		{"a name server elsewhere that is an alias",
			with(both(two, target(Target{Name: "a.example", Type: "NS",
				Target: "ns1.h.example", Alias: "x.h.example"})), "@ NS ns1.h.example."), with(both(two,
				target(Target{Name: "a.example",
					Type: "NS", Target: "ns1.h.example", Addresses: []string{"192.0.2.51"}})),
				"@ NS ns1.h.example."),
			"alias-conflict ns1.h.example", finding.Error},
		{"a single name server", with(serve("ns1.h.example")), with(two), "has a single name server", ""},
		{
			"two names of one machine",
			with(both(two, func(d *Domain) { d.Servers[1].Address = d.Servers[0].Address })),
			with(two),
			"are one machine",
			"",
		},
		{"a delegation below", with(two, "shop NS ns.shop.example."), with(two, "shop A 192.0.2.1"),
			"shop.a.example is delegated", ""},
		{"a record at a delegated name",
			with(two, "shop NS ns.shop.a.example.", "shop A 192.0.2.1", "ns.shop A 192.0.2.2"),
			with(two, "shop NS ns.shop.a.example.", "shop DS 1 13 2 AB", "ns.shop A 192.0.2.2"),
			"cut-off shop.a.example",
			finding.Error},
		{"a record below a delegated name",
			with(two, "shop NS ns.h.example.", "www.shop CNAME x.example."),
			with(two, "shop NS ns.h.example.", "wwwshop CNAME x.example."), "cut-off www.shop.a.example",
			finding.Error},

		// Signatures.
		{"a DS that no key fits",
			with(both(two, func(d *Domain) { d.Parent.DS = []DS{{Text: "1 13 2 AB"}} })),
			with(signedBy(Signing{})), "stale-ds a.example", finding.Error},
		{"a signature that has ended", with(signedBy(signature(-30*day, -6*time.Hour, ""))),
			with(signedBy(signature(-day, 10*day, ""))), "signature-expired a.example", finding.Error},
		{"a signature that ends within a week", with(signedBy(signature(-8*day, 6*day, ""))),
			with(signedBy(signature(-8*day, 8*day, ""))), "signature-expired a.example", finding.Warning},
		{"a signature of some days, made anew all the time", with(signedBy(signature(-10*day, day, ""))),
			with(signedBy(signature(-day, day, ""))), "signature-expired a.example", finding.Warning},
		{"a signature of tomorrow", with(signedBy(signature(day, 10*day, ""))),
			with(signedBy(signature(-day, 10*day, ""))),
			"stale-ds a.example", finding.Error},
		{"a signature that its key did not make",
			with(signedBy(signature(-day, 10*day, "no key made it"))),
			with(signedBy(signature(-day, 10*day, ""))), "stale-ds a.example", finding.Error},
		{"a resolver that takes no signature",
			with(signedBy(Signing{Barred: []string{"the resolver 192.0.2.53:53"}})),
			with(signedBy(Signing{})), "stale-ds a.example", finding.Error},
		{"a DS that is gone, and that a resolver still holds",
			with(both(signedBy(Signing{Barred: []string{"the resolver 192.0.2.53:53"}}),
				func(d *Domain) { d.Parent.Server, d.Parent.DS = "p", nil })),
			with(signedBy(Signing{})), "stale-ds a.example", finding.Error},
		{
			"signatures that nobody checks",
			with(two, "@ DNSKEY 257 3 13 AB"),
			with(signedBy(Signing{}), "@ DNSKEY 257 3 13 AB"),
			"has no DS record",
			"",
		},

		// Differences between those who answer.
		{"two answers about a host", with(voices("www.a.example", "A", "192.0.2.1", "192.0.2.2")),
			with(same),
			"split-answers www.a.example A", finding.Warning},
		{
			"two answers about mail",
			with(voices("a.example", "MX", "10 m.", "20 m.")),
			with(same),
			"split-answers a.example MX",
			finding.Warning,
		},
		{"hints that differ", with(same, "@ A 192.0.2.1", `@ HTTPS 1 . alpn="h2" ipv4hint="192.0.2.9"`),
			with(
				same,
				"@ A 192.0.2.1",
				`@ HTTPS 1 . alpn="h2" ipv4hint="192.0.2.1"`,
			), "split-answers a.example", finding.Warning},
		{
			"hints of another name",
			with(same, "@ A 192.0.2.1", "front A 192.0.2.2",
				"@ HTTPS 1 front.a.example. ipv4hint=192.0.2.1"),
			with(
				same,
				"@ A 192.0.2.1",
				"front A 192.0.2.2",
				"@ HTTPS 1 front.a.example. ipv4hint=192.0.2.2",
			),
			"split-answers a.example",
			finding.Warning,
		},

		// Aliases.
		{
			"an alias at the apex",
			with(same, "@ CNAME x.example."),
			with(same, "www CNAME x.example."),
			"alias-conflict a.example",
			finding.Error,
		},
		{"an alias beside others", with(same, "www CNAME x.example.", "www A 192.0.2.1"),
			with(same, "www CNAME x.example.", "www RRSIG CNAME 13 3 60 1 2 3 a.example. AB"),
			"alias-conflict www.a.example",
			finding.Error},
		{"two aliases", with(same, "www CNAME x.example.", "www CNAME y.example."),
			with(same, "www CNAME x.example."),
			"alias-conflict www.a.example", finding.Error},
		{"aliases in a circle", with(func(d *Domain) {
			d.Aliases = []AliasEnd{
				{Name: "x.a.example", Target: "y.a.example", Circle: []string{"x.a.example", "y.a.example"}}}
		}), with(func(d *Domain) {
			d.Aliases = []AliasEnd{{Name: "x.a.example", Target: "y.a.example", Exists: true}}
		}),
			"alias-loop x.a.example", finding.Error},
		{"an alias that nobody has claimed", with(door(404, "")), with(door(200, "")),
			"dangling-alias www.a.example",
			finding.Error},
		{
			"an alias to nothing",
			with(func(d *Domain) {
				d.Aliases = []AliasEnd{{Name: "k._domainkey.a.example", Target: "k.m.example"}}
			}),
			with(func(d *Domain) {
				d.Aliases = []AliasEnd{{Name: "k._domainkey.a.example", Target: "k.m.example", Exists: true}}
			}),
			"dangling-alias k._domainkey.a.example",
			finding.Error,
		},
		{
			"an alias to a name of the estate without an address",
			with(func(d *Domain) {
				d.Aliases = []AliasEnd{{Name: "shop.a.example", Target: "x.b.example"}}
			}),
			with(both(door(404, ""), func(d *Domain) { d.Aliases[0].Target = "a.example" })),
			"dangling-alias shop.a.example",
			finding.Error,
		},
		{
			"a name that holds the domain twice",
			with(same, "www.a.example A 192.0.2.1"),
			with(same, "www.a-example A 192.0.2.1"),
			"doubled-name www.a.example.a.example",
			finding.Warning,
		},
		{"a slip for www", with(same, "wwww A 192.0.2.1"), with(same, "www A 192.0.2.1"),
			"doubled-name wwww.a.example",
			finding.Warning},
		{
			"a target that holds the domain twice",
			with(same, "shop CNAME x.a.example.a.example."),
			with(same, "shop CNAME x.b.example."),
			"doubled-name shop.a.example",
			finding.Warning,
		},

		// Mail.
		{
			"mail to an alias",
			with(same, "@ MX 10 m.a.example.", "m CNAME x.example."),
			with(same, "@ MX 10 m.a.example.", "m A 192.0.2.9"),
			"mail-broken a.example",
			finding.Error,
		},
		{
			"mail to an alias elsewhere",
			with(target(Target{Name: "a.example", Type: "MX", Target: "m.x.example", Alias: "y.example"}),
				"@ MX 10 m.x.example."),
			with(target(Target{Name: "a.example", Type: "MX", Target: "m.x.example",
				Addresses: []string{"192.0.2.9"}}), "@ MX 10 m.x.example."),
			"mail-broken a.example",
			finding.Error,
		},
		{
			"mail to an address",
			with(same, "@ MX 10 192.0.2.9."),
			with(same, "@ MX 10 m192.0.2.9.x.example."),
			"mail-broken a.example",
			finding.Error,
		},
		{"mail to nothing", with(both(two, same), "@ MX 10 m.a.example."),
			with(
				both(two, func(d *Domain) { d.Partial = true }),
				"@ MX 10 m.a.example.",
			), "mail-broken a.example", finding.Error},
		{"mail to nothing elsewhere", with(
			target(Target{Name: "a.example", Type: "MX", Target: "m.x.example", Absent: true}),
			"@ MX 10 m.x.example.",
		),
			with(target(Target{Name: "a.example", Type: "MX", Target: "m.x.example"}),
				"@ MX 10 m.x.example."),
			"mail-broken a.example", finding.Error},
		{"mail to nothing that a wildcard answers for", with(two, "@ MX 10 m.a.example."),
			with(both(two, func(d *Domain) { d.Wildcards = []string{"a.example"} }), "@ MX 10 m.a.example.",
				"*. A 192.0.2.1"),
			"mail-broken a.example", finding.Error},
		{
			"a null MX beside another",
			with(same, "@ MX 0 .", "@ MX 10 m.x.example."),
			with(same, "@ MX 0 ."),
			"mail-broken a.example",
			finding.Error,
		},
		{
			"two SPF records",
			with(same, senders("-all"), senders("mx", "-all")),
			with(same, senders("-all"), `@ TXT "v=spf10 -all"`),
			"mail-malformed a.example",
			finding.Error,
		},
		{"more than 10 look-ups", with(same, senders(append(includes(10), "mx", "-all")...)),
			with(same, senders(append(includes(10), "ip4:192.0.2.1", "-all")...)),
			"mail-malformed a.example", finding.Error},
		{"more than 10 look-ups in records of others", with(
			nested("v=spf1 a mx ptr exists:%{i}.x.example -all"),
			senders(
				append(includes(7), "-all")...),
		), with(nested("v=spf1 a mx ptr -all"), senders(append(includes(7), "-all")...)),
			"mail-malformed a.example", finding.Error},
		{"more than 450 octets", with(same, senders(slices.Repeat([]string{"ip4:192.0.2.200"}, 29)...)),
			with(same, senders(slices.Repeat([]string{"ip4:192.0.2.200"}, 27)...)),
			"mail-malformed a.example", finding.Warning},
		{
			"a mechanism that nobody knows",
			with(same, senders("ip:192.0.2.1", "-all")),
			with(same, senders("ip4:192.0.2.1", "x=y", "-all")),
			"mail-malformed a.example",
			finding.Error,
		},
		{
			"a mechanism without an address",
			with(same, senders("ip4:2001:db8::1", "-all")),
			with(same, senders("ip6:2001:db8::/32", "-all")),
			"mail-malformed a.example",
			finding.Error,
		},
		{
			"everybody may send",
			with(same, senders("mx", "+all")),
			with(same, senders("mx", "~all")),
			"mail-malformed a.example",
			finding.Warning,
		},
		{"two policies", with(same, `_dmarc TXT "v=DMARC1; p=none"`, `_dmarc TXT "v=DMARC1; p=reject"`),
			with(
				same,
				`_dmarc TXT "v=DMARC1; p=none"`,
				`_dmarc TXT "proof=1"`,
			), "mail-malformed _dmarc.a.example", finding.Error},
		{"two keys", with(same, `s._domainkey TXT "v=DKIM1; p=AAAA"`, `s._domainkey TXT "k=rsa; p=BBBB"`),
			with(same, `s._domainkey TXT "v=DKIM1; p=AAAA"`, `s._domainkey TXT "proof=1"`),
			"mail-malformed s._domainkey.a.example", finding.Error},
		{"two policies of reports", with(same, `_smtp._tls TXT "v=TLSRPTv1; rua=mailto:x@n.example"`,
			`_smtp._tls TXT "v=TLSRPTv1; rua=mailto:y@n.example"`),
			with(same, `_smtp._tls TXT "v=TLSRPTv1; rua=mailto:x@n.example"`),
			"mail-malformed _smtp._tls.a.example", finding.Error},
		{"two services of mail", with(same, "@ MX 10 m.x.example.", "@ MX 10 m.y.example."),
			with(same, "@ MX 10 m1.x.example.", "@ MX 10 m2.x.example.", "@ MX 20 m.y.example."),
			"mail-malformed a.example", finding.Warning},
		{"a policy without its version", with(same, `_dmarc TXT "p=none; rua=mailto:x@n.example"`),
			with(same, `_dmarc TXT "v=DMARC1; p=none"`), "mail-malformed _dmarc.a.example", finding.Error},
		{"a policy where nobody looks", with(same, `@ TXT "v=DMARC1; p=none"`),
			with(same, `_dmarc TXT "v=DMARC1; p=none"`),
			"mail-malformed a.example", finding.Warning},
		{"mail at an address of the web", with(same, "@ A 192.0.2.1", "@ MX 10 a.example."),
			with(same, "@ A 192.0.2.1", "@ MX 10 m.a.example.", "m A 192.0.2.2"), "mail-tied a.example",
			finding.Error},
		{
			"mail without an MX",
			with(same, "@ A 192.0.2.1", `_dmarc TXT "v=DMARC1; p=none"`),
			with(same, "@ A 192.0.2.1", senders("-all")),
			"mail-tied a.example",
			finding.Error,
		},
		{"senders by the web's address",
			with(same, "@ A 192.0.2.1", "@ MX 10 m.x.example.", senders("a", "-all")),
			with(
				same,
				"@ A 192.0.2.1",
				"@ MX 10 m.x.example.",
				senders("a:m.x.example", "-all"),
			), "mail-tied a.example", finding.Error},

		// What refers to what.
		{
			"an alias into the estate",
			with(same, "s CNAME www.b.example."),
			with(same, "s CNAME www.n.example."),
			"depended-on b.example",
			finding.Error,
		},
		{
			"a tree of aliases into the estate",
			with(same, "s DNAME b.example."),
			with(same, "s DNAME xb.example."),
			"depended-on b.example",
			finding.Error,
		},
		{"a service in the estate", with(same, "s HTTPS 1 www.b.example. alpn=h2"),
			with(same, "s HTTPS 1 . alpn=h2"),
			"depended-on b.example", finding.Error},
		{"a pointer into the estate", with(same, `s NAPTR 1 1 "S" "SIP+D2U" "" _sip.b.example.`),
			with(same, `s NAPTR 1 1 "S" "SIP+D2U" "!b.example!x!" _sip.x.example.`), "depended-on b.example",
			finding.Error},
		{
			"senders in the estate",
			with(same, senders("-all", "redirect=ships.b.example")),
			with(same, senders("ip4:192.0.2.1", "-all")),
			"depended-on b.example",
			finding.Error,
		},
		{"senders by a macro in the estate", with(same, senders("exists:%{ir}.b.example", "-all")),
			with(same, senders("exists:%{ir}.%{d}", "-all")), "depended-on b.example", finding.Error},
		{"reports to the estate",
			with(same, `_dmarc TXT "v=DMARC1; p=none; ruf=mailto:x@b.example!10m,mailto:y@x.example"`),
			with(same, `_dmarc TXT "v=DMARC1; p=none; rua=mailto:b.example@x.example"`),
			"depended-on b.example", finding.Error},

		// Records that hinder a move.
		{"a TTL of a week", with(both(two, ttl(604800)), "@ A 192.0.2.1"),
			with(both(two, ttl(604799)), "@ A 192.0.2.1"),
			"for a week or longer: a.example A", ""},
		{
			"a TTL of zero",
			with(both(two, ttl(0)), "@ A 192.0.2.1"),
			with(both(two, ttl(0), func(d *Domain) { d.Remaining = true }),
				"@ A 192.0.2.1"),
			"a TTL of 0 s",
			"",
		},
		{"several addresses", with(two, "@ A 192.0.2.1", "@ A 192.0.2.2"), with(two, "@ A 192.0.2.1"),
			"has several A records", ""},
		{"apex and www apart", with(two, "@ A 192.0.2.1", "www A 192.0.2.2"),
			with(two, "@ A 192.0.2.1", "www A 192.0.2.1"),
			"on different machines", ""},
		{
			"no www",
			with(two, "@ A 192.0.2.1"),
			with(two, "@ A 192.0.2.1", "www CNAME x.example."),
			"www.a.example has none",
			"",
		},
		{"IPv6 at one of them", with(two, "@ A 192.0.2.1", "@ AAAA 2001:db8::1", "www A 192.0.2.1"),
			with(two, "@ AAAA 2001:db8::1", "www AAAA 2001:db8::1"), "has an IPv6 address", ""},
		{
			"a wildcard",
			with(both(two, func(d *Domain) { d.Wildcards = []string{"a.example"} })),
			with(two),
			"(a wildcard)",
			"",
		},

		// Registration.
		{"a registration that ends", with(registered(ended(59 * day))), with(registered(ended(61 * day))),
			"registration-ends a.example", finding.Warning},
		{"a registration that has ended", with(registered(ended(-6 * time.Hour))),
			with(registered(ended(61 * day))),
			"registration-ends a.example", finding.Warning},
		{"a domain held back",
			with(registered(func(r *Registration) { r.Status = []string{"client hold"} })),
			with(registered(func(r *Registration) { r.Status = []string{"client update prohibited"} })),
			"on-hold a.example",
			finding.Error},
		{"a locked domain",
			with(registered(func(r *Registration) { r.Status = []string{"client transfer prohibited"} })),
			with(registered(func(r *Registration) { r.Status = []string{"pending transfer"} })),
			"transfer-locked a.example",
			finding.Note},
		{
			"a registration of other name servers",
			with(registered(func(r *Registration) { r.NameServers = []string{"ns9.h.example"} })),
			with(registered(func(r *Registration) { r.NameServers = nil })),
			"split-answers a.example",
			finding.Warning,
		},
		{
			"a robots.txt that hides redirects",
			with(func(d *Domain) { d.Robots = []Robots{{"http://a.example", "Disallow: /"}} }),
			with(same),
			"robots-blocked a.example",
			finding.Warning,
		},
	}
}

// TestOddities has a domain that has each oddity, and one that nearly has it.
func TestOddities(t *testing.T) {
	for _, o := range oddities() {
		t.Run(o.name, func(t *testing.T) {
			findings, facts := looked(o.odd)
			nearFindings, nearFacts := looked(o.near)
			if o.severity == "" {
				assert.Contains(t, strings.Join(facts, "\n"), o.want)
				assert.NotContains(t, strings.Join(nearFacts, "\n"), o.want)
				return
			}
			at := slices.IndexFunc(findings, func(f finding.Finding) bool {
				return f.Code.String()+" "+f.Subject == o.want
			})
			if !assert.GreaterOrEqual(t, at, 0, findings) {
				return
			}
			f := findings[at]
			assert.Equal(t, o.severity, f.Severity)
			assert.NotEmpty(t, f.Fix.String())
			assert.True(t, strings.HasSuffix(f.Says.String(), ".") ||
				strings.Contains(f.Says.String(), ":"), f.Says.String())
			assert.Len(t, findings, 1, "one cause is one finding")
			for _, f := range nearFindings {
				assert.False(t, f.Code.String()+" "+f.Subject == o.want && f.Severity == o.severity,
					f.Says.String())
			}
		})
	}
}

// TestEveryCodeOfASurveyIsAmongTheOddities keeps the table whole.
func TestEveryCodeOfASurveyIsAmongTheOddities(t *testing.T) {
	all := ""
	for _, o := range oddities() {
		all += o.want + "\n"
	}
	for _, c := range []finding.Code{finding.SplitAnswers, finding.AliasConflict,
		finding.DanglingAlias, finding.MailTied,
		finding.MailMalformed, finding.MailBroken, finding.DependedOn, finding.StaleDS,
		finding.SignatureExpired,
		finding.CutOff,
		finding.DoubledName, finding.RegistrationEnds, finding.OnHold, finding.TransferLocked,
		finding.RobotsBlocked,
		finding.AliasLoop} {
		assert.Contains(t, all, c.String()+" ")
	}
}

func looked(d Domain) ([]finding.Finding, []string) {
	s := &Survey{Domains: []Domain{d}}
	found := Judge{Now: now, Estate: []string{"a.example", "b.example", "n.example"},
		Stays: "n.example"}.All(s)
	var facts []string
	for _, f := range s.Domains[0].Facts {
		facts = append(facts, f.String())
	}
	return found, facts
}

func TestARegistrationThatEndedTodaySaysHours(t *testing.T) {
	found, _ := looked(with(registered(ended(-6 * time.Hour))))
	assert.Contains(t, found[0].Says.String(), "6 hours ago")
}

func TestLookupsNameTheTermsThatCostThem(t *testing.T) {
	d := domain(senders("include:s.mail.example", "mx", "ip4:192.0.2.1", "a:x.example",
		"redirect=r.mail.example"))
	d.Senders = []Senders{
		{Name: "s.mail.example", Text: "v=spf1 include:s2.mail.example a -all"},
		{Name: "s2.mail.example", Text: "v=spf1 include:s.mail.example mx -all"}, // a loop
	}
	v := judging{domain: &d, sets: setsOf(d.Records)}
	c := spf.Check("a.example", v.spfAt("a.example"), &v)
	assert.Equal(t,
		[]string{"include:s.mail.example 5", "mx 1", "a:x.example 1", "redirect=r.mail.example 1"},
		c.Costs)
	assert.Equal(t, 8, c.Lookups)
	assert.Equal(t, []spf.TermFault{{Term: "include:s.mail.example", Fault: fact.TermTakesBroken{
		Name: "s.mail.example", Term: "include:s2.mail.example", Fault: fact.TermTakesBroken{
			Name: "s2.mail.example", Term: "include:s.mail.example",
			Fault: fact.TermLoops{Name: "s.mail.example"},
		},
	}}}, c.Faults)
}

func TestWhatARecordRefersTo(t *testing.T) {
	for line, want := range map[string]string{
		"MX 10 M.example.":               "m.example",
		"MX 0 .":                         "",
		"SRV 0 1 443 t.example.":         "t.example",
		"HTTPS 0 t.example.":             "t.example",
		"HTTPS 1 .":                      "",
		`CAA 0 iodef "mailto:x@b.test"`:  "b.test",
		`CAA 0 issue "ca.example"`:       "",
		`TXT "v=spf1 a/24 mx:m.x//64 a"`: "m.x",
		`TXT "v=spf1 +include:zip.x ip4:192.0.2.1 exp=e.x y=z.x"`: "zip.x e.x",
		`TXT "see a:x.example"`:                                   "",
		"A 192.0.2.1":                                             "",
	} {
		kind, value, _ := strings.Cut(line, " ")
		assert.Equal(t, want, strings.Join(Refers(kind, value), " "), line)
	}
}

// TestARegistrationThatEndsNow ends now, and neither before nor after.
func TestARegistrationThatEndsNow(t *testing.T) {
	for after, want := range map[time.Duration]string{0: "expires on", -time.Second: "expired on",
		time.Hour: "expires on"} {
		d := domain("@ A 192.0.2.1")
		registered(ended(after))(&d)
		all := Judge{Now: now}.All(&Survey{Domains: []Domain{d}})
		i := slices.IndexFunc(all, func(f finding.Finding) bool {
			return f.Code == finding.RegistrationEnds
		})
		require.GreaterOrEqual(t, i, 0)
		assert.Contains(t, all[i].Says.String(), "The registration of a.example "+want)
	}
}
