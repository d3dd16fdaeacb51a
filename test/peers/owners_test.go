package peers

import (
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

// values are records of every type that zones of small domains hold, with values that writers and
// readers disagree on.
var values = []string{
	"A 192.0.2.1", "AAAA 2001:db8::1", "MX 0 .", "MX 10 m.b.example.", "SRV 0 0 0 .",
	"SRV 1 2 443 s.b.example.",
	`TXT ""`, `TXT "" ""`, `TXT "$ORIGIN x"`, `TXT "=" "<" "\027" "\000\255"`, `TXT "a;b" "(" ")" "@"`,
	`TXT "\"q\" \\ \034"`,
	`TXT "v=spf1 include:%{i}._x.b.example -all"`, `CAA 0 issue ";"`,
	`CAA 128 issue "ca.example; validationmethods=dns-01"`,
	`CAA 0 iodef "mailto:x@b.example"`, "HTTPS 0 x.b.example.", "HTTPS 1 .",
	`HTTPS 1 . alpn="h2,h3" no-default-alpn`,
	"HTTPS 1 . alpn=h3 no-default-alpn port=8443 ipv4hint=192.0.2.1,192.0.2.2 ipv6hint=2001:db8::1",
	"HTTPS 2 . mandatory=alpn alpn=h2",
	`HTTPS 3 . key65333="x=<y>"`,
	`HTTPS 4 . ech="AEX+DQBBtgAgACBsb25nIGJ1dCBtYWRlIHVwIGtleSAxMjM0NTY3ODkwMTI="`,
	`SVCB 1 d.b.example. alpn=dot`, `SVCB 1 d.b.example. dohpath="/dns-query{?dns}" alpn=h2`,
	"DNAME t.b.example.", `NAPTR 1 2 "u" "E2U+sip" "!^.*$!sip:x@b.example!" .`,
	`NAPTR 1 2 "s" "SIP+D2U" "" _sip._udp.b.example.`,
	"NAPTR 1 2 \"\" \"\" \"!^(.+)\\\\;$!\\\\1!\" .", "TLSA 3 1 1 " + strings.Repeat("0a", 32),
	"SSHFP 4 2 " + strings.Repeat("0b", 32),
	"DS 1 13 2 " + strings.Repeat("0c", 32), "CDS 0 0 0 00",
	"LOC 52 22 23.000 N 4 53 32.000 E -2.00m 0.00m 10000m 10m",
	`HINFO "A B" ""`, "RP h.b.example. t.b.example.", "AFSDB 1 a.b.example.", "KX 1 k.b.example.",
	"RT 1 r.b.example.",
	`URI 10 1 "https://b.example/x?y=<z>"`, "PTR p.b.example.", `SPF "v=spf1 -all"`, "OPENPGPKEY AAAA",
	"SMIMEA 3 0 0 00",
	"CERT 1 0 0 AAAA", "DHCID AAAA", "EUI48 00-00-5e-00-53-2a", "EUI64 00-00-5e-ef-10-00-00-2a",
	"NID 1 1111:2222:3333:4444",
	"L32 1 192.0.2.1", "L64 1 2001:1db8:1111:2222", "LP 1 l.b.example.",
	`TYPE20 \# 6 053135303836`,
	`TYPE65280 \# 3 010203`, "TYPE731 \\# 0", "MINFO r.b.example. e.b.example.",
	"PX 1 x.b.example. y.b.example.",
	"APL 1:192.0.2.0/24",
	"AVC \"x\"", "NINFO \"x\"",
	"ZONEMD 7 1 1 " + strings.Repeat("0d", 48), "CSYNC 66 3 A NS AAAA",
}

// TestZonesWithAnyValueAreLoaded writes a zone with values of every type, each as it comes from a
// server, and has bind and knot load it. What bind makes of it, dumped and read again, is the same
// to the octet.
func TestZonesWithAnyValueAreLoaded(t *testing.T) {
	wire := func(rr dns.RR) string {
		octets := make([]byte, 70000)
		n, err := dns.PackRR(rr, octets, 0, nil, false)
		require.NoError(t, err, rr.String())
		return string(octets[:n])
	}
	var records []dns.RR
	want := map[string]string{}
	for i, v := range append([]string{"SOA ns.a.example. h.a.example. 1 2 3 4 5", "NS ns.b.example."},
		values...) {
		owner := fmt.Sprintf("n%d.a.example.", i)
		if i < 2 {
			owner = "a.example."
		}
		rr, err := dns.NewRR(owner + " 60 IN " + v)
		require.NoError(t, err, v)
		read, _, err := dns.UnpackRR([]byte(wire(rr)), 0)
		require.NoError(t, err, v)
		records = append(records, read)
		want[wire(read)] = v
	}
	sets, _ := live.Sets("a.example", records)
	text, err := files.ZoneText("a.example", sets, "as it was seen", files.Marks{})
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.example.zone")
	require.NoError(t, os.WriteFile(path, text, 0o600))
	dumped := path + ".dumped.zone"
	for _, check := range []string{"named-checkzone -i none -D -o " + dumped + " a.example " + path,
		"kzonecheck -o a.example " + path} {
		words := strings.Fields(check)
		said, err := exec.Command(peer(t, words[0]), words[1:]...).CombinedOutput()
		assert.NoError(t, err, "%s: %s", words[0], said)
	}
	for _, file := range []string{path, dumped} {
		_, again, err := files.ReadZone(file, "a.example")
		require.NoError(t, err)
		left := maps.Clone(want)
		for _, rr := range again {
			delete(left, wire(rr))
		}
		assert.Empty(t, slices.Collect(maps.Values(left)), file)
	}
}

// TestZonesWithAnyOwnerAreLoaded writes a zone with names of all octets, such as nobody keeps a
// zone from having, and has real servers' own checks load it. What they and our reader make of it
// is the same number of records.
func TestZonesWithAnyOwnerAreLoaded(t *testing.T) {
	records := []dns.RR{}
	add := func(label string) {
		rr, err := dns.NewRR(`x.a.example. 60 IN TXT "x"`)
		require.NoError(t, err)
		rr.Header().Name = label + ".a.example."
		wire := make([]byte, 300)
		_, err = dns.PackRR(rr, wire, 0, nil, false)
		require.NoError(t, err, label)
		read, _, err := dns.UnpackRR(wire, 0) // as it comes from a server
		require.NoError(t, err)
		records = append(records, read)
		alias, err := dns.NewRR(fmt.Sprintf("mx%d.a.example. 60 IN MX 1 x.", len(records)))
		require.NoError(t, err)
		alias.(*dns.MX).Mx = read.Header().Name // a name in the data
		records = append(records, alias)
	}
	for _, text := range []string{
		"a.example. 60 IN SOA ns.a.example. h.a.example. 1 2 3 4 5", "a.example. 60 IN NS ns.b.example.",
	} {
		rr, err := dns.NewRR(text)
		require.NoError(t, err)
		records = append(records, rr)
	}
	for c := range 256 {
		add(fmt.Sprintf(`\%03d`, c))
		add(fmt.Sprintf(`\%03d(id)x`, c))
		add(fmt.Sprintf(`x\%03d`, c))
	}
	for _, odd := range []string{`$\(id\)`, `$INCLUDE`, `$`, `\; rm`, `\@`, `\"x`, `*`, `x\.`} {
		add(odd)
	}
	sets, _ := live.Sets("a.example", records)
	text, err := files.ZoneText("a.example", sets, "as it was seen", files.Marks{})
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.example.zone")
	require.NoError(t, os.WriteFile(path, text, 0o600))
	_, again, err := files.ReadZone(path, "")
	require.NoError(t, err)
	values := 0
	for _, s := range sets {
		values += len(s.Values)
	}
	assert.Len(t, again, values)
	for _, check := range []string{"named-checkzone a.example " + path,
		"kzonecheck -o a.example " + path} {
		words := strings.Fields(check)
		said, err := exec.Command(peer(t, words[0]), words[1:]...).CombinedOutput()
		assert.NoError(t, err, "%s: %s", words[0], said)
	}
}
