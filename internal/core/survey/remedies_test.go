package survey

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/finding"
)

var twoServers = serve("ns1.h.example", "ns2.h.example")

func machine(t Target) func(*Domain) { return func(d *Domain) { d.Targets = []Target{t} } }

// remedies are the oddities of records as they are once somebody did what is advised. says is the
// part of the advice that was followed.
var remedies = map[string][]struct {
	says    string
	applied Domain
}{
	"an alias at the apex": {
		{"Replace it with addresses", with(same, "@ A 192.0.2.1")},
	},
	"an alias beside others": {
		{"remove it", with(same, "shop TXT x")},
		{"or everything else", with(same, "shop CNAME x.example.")},
	},
	"two aliases": {{"stands alone", with(same, "shop CNAME x.example.")}},
	"aliases in a circle": {
		{"give it addresses", with(same, "x A 192.0.2.1", "y CNAME x.a.example.")},
	},
	"an alias that nobody has claimed": {
		{"Claim the name", with(door(200, ""), "www CNAME sites.platform.example.")},
		{"remove the alias", with(same)},
	},
	"an alias to nothing": {{"remove the alias", with(same)}},
	"an alias to a name of the estate without an address": {
		{"remove the alias", with(same)},
		{"Give x.b.example an address", with(func(d *Domain) {
			d.Aliases = []AliasEnd{{Name: "shop.a.example", Target: "x.b.example", Exists: true}}
		})},
	},
	"a name that holds the domain twice": {
		{`type "www"`, with(same, "www A 192.0.2.1")},
	},
	"a slip for www": {{"Remove it", with(same)}},
	"a target that holds the domain twice": {
		{"with its final dot, or without the domain", with(same, "shop CNAME x.a.example.")},
	},
	"mail to an alias": {
		{"Name the machine itself", with(same, "@ MX 10 x.example.", "m CNAME x.example.")},
		{"addresses of its own", with(same, "@ MX 10 m.a.example.", "m A 192.0.2.9")},
	},
	"mail to an alias elsewhere": {
		{"Name the machine itself", with(machine(Target{Name: "a.example", Type: "MX",
			Target: "y.example", Addresses: []string{"192.0.2.9"}}), "@ MX 10 y.example.")},
	},
	"mail to an address": {
		{"name with that address", with(same, "@ MX 10 m.a.example.", "m A 192.0.2.9")},
	},
	"mail to nothing": {
		{"Give it an address", with(twoServers, "@ MX 10 m.a.example.", "m A 192.0.2.9")},
		{"remove the MX", with(twoServers)},
	},
	"mail to nothing elsewhere":                   {{"remove the MX", with(same)}},
	"mail to nothing that a wildcard answers for": {{"remove the MX", with(twoServers)}},
	"a null MX beside another": {
		{"Remove the null MX", with(same, "@ MX 10 m.x.example.")},
		{"or all the others", with(same, "@ MX 0 .")},
	},
	"two SPF records": {{"Merge", with(same, senders("mx", "-all"))}},
	"more than 10 look-ups": {
		{"Drop", with(same, senders(append(includes(9), "mx", "-all")...))},
		{"ip4:", with(same, senders(append(includes(10), "ip4:192.0.2.9", "-all")...))},
	},
	"more than 10 look-ups in records of others": {
		{"Drop", with(same, senders(append(includes(7), "-all")...))},
	},
	"more than 450 octets": {
		{"merge address ranges", with(same, senders("ip4:192.0.2.0/24"))},
		{"include:", with(same, senders("include:more.a.example"),
			`more TXT "v=spf1 ip4:192.0.2.200"`)},
	},
	"a mechanism that nobody knows": {
		{"Correct the term", with(same, senders("ip4:192.0.2.1", "-all"))},
		{"drop it", with(same, senders("-all"))},
	},
	"a mechanism without an address": {
		{"Correct the term", with(same, senders("ip6:2001:db8::1", "-all"))},
	},
	"everybody may send": {{"Write -all", with(same, senders("mx", "-all"))}},
	"two policies":       {{"Merge", with(same, `_dmarc TXT "v=DMARC1; p=reject"`)}},
	"two keys": {
		{"remove the others", with(same, `s._domainkey TXT "v=DKIM1; p=AAAA"`)},
	},
	"two policies of reports": {
		{"remove the others", with(same, `_smtp._tls TXT "v=TLSRPTv1; rua=mailto:x@n.example"`)},
	},
	"two services of mail": {
		{"remove the others", with(same, "@ MX 10 m.x.example.")},
		{"larger number", with(same, "@ MX 10 m.x.example.", "@ MX 20 m.y.example.")},
	},
	"a policy without its version": {
		{"Start it with v=DMARC1;", with(same, `_dmarc TXT "v=DMARC1; p=none; rua=mailto:x@n.example"`)},
	},
	"a policy where nobody looks": {
		{"starts with _dmarc", with(same, `_dmarc TXT "v=DMARC1; p=none"`)},
	},
	"mail at an address of the web": {
		{"an A record for mail.a.example with today's address", with(same, "@ A 192.0.2.1",
			"@ MX 10 mail.a.example.", "mail A 192.0.2.1")},
	},
	"mail without an MX": {
		{"add an MX record", with(same, "@ A 192.0.2.1", `_dmarc TXT "v=DMARC1; p=none"`,
			"@ MX 10 mail.a.example.", "mail A 192.0.2.1")},
		{"a null MX", with(same, "@ A 192.0.2.1", `_dmarc TXT "v=DMARC1; p=none"`, "@ MX 0 .")},
	},
	"senders by the web's address": {
		{"ip4:", with(same, "@ A 192.0.2.1", "@ MX 10 m.x.example.", senders("ip4:192.0.2.1", "-all"))},
		{"drop it", with(same, "@ A 192.0.2.1", "@ MX 10 m.x.example.", senders("-all"))},
	},
	"an alias into the estate": {{"change the CNAME", with(same,
		"s CNAME www.x.example.")}},
	"a tree of aliases into the estate": {{"change the DNAME", with(same,
		"s DNAME x.example.")}},
	"a service in the estate": {{"change the HTTPS", with(same,
		"s HTTPS 1 . alpn=h2")}},
	"a pointer into the estate": {{"change the NAPTR", with(same)}},
	"senders in the estate": {{"change the TXT", with(same,
		senders("ip4:192.0.2.1", "-all"))}},
	"senders by a macro in the estate": {{"change the TXT", with(same, senders("-all"))}},
	"reports to the estate":            {{"change the TXT", with(same, `_dmarc TXT "v=DMARC1; p=none"`)}},
	"a record at a delegated name": {{"remove it here", with(same,
		"shop NS ns.x.example.")}},
	"a record below a delegated name": {{"remove it here", with(same,
		"shop NS ns.x.example.")}},
	"hints that differ":                        {{"Remove the hints", with(same, "www A 192.0.2.1")}},
	"hints of another name":                    {{"Remove the hints", with(same, "www A 192.0.2.1")}},
	"a name server that is an alias":           {{"Name the machine itself", with(twoServers)}},
	"a name server elsewhere that is an alias": {{"Name the machine itself", with(twoServers)}},
}

// TestWhatIsAdvisedClearsTheFinding follows each advice about a record, and looks again.
func TestWhatIsAdvisedClearsTheFinding(t *testing.T) {
	records := []finding.Code{finding.AliasConflict, finding.DanglingAlias, finding.MailTied,
		finding.MailMalformed, finding.MailBroken, finding.DependedOn, finding.CutOff,
		finding.DoubledName, finding.Loop}
	for _, o := range oddities() {
		found, _ := looked(o.odd)
		if o.severity == "" || len(found) == 0 {
			continue
		}
		f := found[0]
		followed := remedies[o.name]
		for _, code := range records {
			if f.Code == code {
				assert.NotEmpty(t, followed, "%s: nobody followed %q", o.name, f.Fix)
			}
		}
		for _, r := range followed {
			assert.Contains(t, f.Fix.String(), r.says, o.name)
			left, _ := looked(r.applied)
			var still []string
			for _, f := range left {
				still = append(still, f.Says.String())
			}
			assert.Empty(t, strings.Join(still, "\n"), "%s: %s", o.name, r.says)
		}
	}
}
