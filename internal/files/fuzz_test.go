package files

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// stored writes a text into a file of a fuzzing worker's own.
func stored(t *testing.T, path, text string) string {
	t.Helper()
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

// told requires that what is wrong is said with the file's name.
func told(t *testing.T, path string, err error) {
	t.Helper()
	if err != nil {
		require.Contains(t, err.Error(), filepath.Base(path))
	}
}

func FuzzVantage(f *testing.F) {
	f.Add("resolvers: [\"127.0.0.1:5301\"]\nproxy: socks5://127.0.0.1:5380\ntrust: ca.pem\n" +
		"timeout: 2s\n")
	f.Add("timeout: 1e9h\nresolvers: [::, '[::1]:53', 300.1.1.1]")
	f.Add("proxy: socks5://a:b@c\ntrust: ../../x\n---")
	path := filepath.Join(f.TempDir(), "vantage.yaml")
	f.Fuzz(func(t *testing.T, text string) {
		v, err := ReadVantage(stored(t, path, text))
		told(t, path, err)
		if err == nil {
			require.GreaterOrEqual(t, v.Timeout, 0*v.Timeout)
			for _, r := range v.Resolvers {
				_, ok := estate.ResolverAddress(r)
				require.True(t, ok, r)
			}
		}
	})
}

func FuzzTransferKey(f *testing.F) {
	f.Add("name: transfer\nalgorithm: hmac-sha256\nsecret: ", "c2VjcmV0")
	f.Add("name: x\nsecret: \"", "TopSecret123")
	f.Add("secret: [", "{a: ")
	path := filepath.Join(f.TempDir(), "key.yaml")
	f.Fuzz(func(t *testing.T, before, secret string) {
		_, err := ReadTransferKey(stored(t, path, before+secret))
		told(t, path, err)
		if err != nil && len(secret) > 12 && !strings.Contains(path+err.Error()[:0], secret) {
			require.NotContains(t, strings.ReplaceAll(err.Error(), path, ""), secret)
		}
	})
}

func FuzzPages(f *testing.F) {
	f.Add("https://www.n.example/a\n/b?c\n# d\n")
	f.Add("<?xml version=\"1.0\"?><urlset><url><loc> https://www.n.example/a&amp;b " +
		"</loc></url></urlset>")
	f.Add("\ufeff<urlset><url><loc>//x</loc><url>")
	path := filepath.Join(f.TempDir(), "pages.txt")
	site := web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.n.example")}
	f.Fuzz(func(t *testing.T, text string) {
		pages, err := ReadPages(stored(t, path, text), site)
		told(t, path, err)
		for _, p := range pages {
			again, err := web.ParseURL(p.String())
			require.NoError(t, err)
			require.Equal(t, p, again)
		}
	})
}

func FuzzDomains(f *testing.F) {
	f.Add("name,renews,registrar,note\nold.example,2027-03-01,R,\"a, b\"\n")
	f.Add("NAME;note\nmøllehuset.example;=1+2\nmøllehuset.example;\n")
	path := filepath.Join(f.TempDir(), "domains.csv")
	f.Fuzz(func(t *testing.T, text string) {
		_, err := ReadDomains(stored(t, path, text))
		told(t, path, err)
	})
}

// FuzzNewEstate writes an estate file and reads it again: what was put in comes back.
func FuzzNewEstate(f *testing.F) {
	f.Add("webmaster@n.example", "Registrar A", "a note: with # and 'quotes'")
	f.Add("- x", "\"", "{a: [b]}")
	f.Add("yes", "null", "2027-03-01")
	f.Add("!!x", "&a", "*a")
	path := filepath.Join(f.TempDir(), "upperpath.yaml")
	stored(&testing.T{}, filepath.Join(filepath.Dir(path), "rules.csv"), NewRules)
	canonical := web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.n.example")}
	f.Fuzz(func(t *testing.T, contact, registrar, note string) {
		for _, s := range []string{contact, registrar, note} {
			if !utf8.ValidString(s) || strings.ContainsFunc(s, problem.Hostile) ||
				strings.TrimSpace(s) != s {
				return
			}
		}
		domains := []ListedDomain{
			{Name: web.MustParseHost("old.example"), Registrar: registrar, Note: note}}
		text := NewEstate(canonical, contact, []string{"203.0.113.20"}, domains)
		e, err := ReadEstate(stored(t, path, text))
		require.NoError(t, err, text)
		require.Equal(t, strings.Join(strings.Fields(contact), " "), e.Contact)
		require.Equal(t, registrar, e.Domains[0].Registrar)
	})
}

// FuzzZoneText writes records as they come from servers, octet by octet, and reads the zone file
// again.
func FuzzZoneText(f *testing.F) {
	pack := func(text string) []byte {
		rr, err := dns.NewRR(text)
		require.NoError(f, err)
		wire := make([]byte, 1000)
		n, err := dns.PackRR(rr, wire, 0, nil, false)
		require.NoError(f, err)
		return wire[:n]
	}
	for _, text := range []string{
		`$\(id\).a.example. 60 IN TXT "a\"b\\" "\255"`, `x.a.example. 60 IN MX 10 \;m.a.example.`,
		`a.example. 60 IN CAA 0 issue "ca.example"`,
		`\@.a.example. 1 IN SRV 1 2 3 \[x\].a.example.`,
		`x.a.example. 60 IN HTTPS 1 . alpn="h2,h3" port=8443`,
		`x.a.example. 60 IN NAPTR 1 2 "u" "E2U+sip" "!^.*$!sip:x@y!" .`,
		`x.a.example. 60 IN TYPE65280 \# 3 616263`,
		`x.a.example. 60 IN URI 1 2 "https://x/\""`, `x.a.example. 60 IN SSHFP 1 1 00`,
	} {
		f.Add(pack(text))
	}
	// One whose usual form nobody reads back, and one of a type that has a name but no form.
	bare := &dns.NSEC3{Hdr: dns.RR_Header{Name: "x.a.example.", Rrtype: dns.TypeNSEC3,
		Class: dns.ClassINET, Ttl: 1}}
	wire := make([]byte, 1000)
	n, err := dns.PackRR(bare, wire, 0, nil, false)
	require.NoError(f, err)
	f.Add(wire[:n])
	f.Add(pack(`x.a.example. 60 IN TYPE34 \# 3 303030`))
	path := filepath.Join(f.TempDir(), "a.example.zone")
	f.Fuzz(func(t *testing.T, wire []byte) {
		rr, _, err := dns.UnpackRR(wire, 0)
		if err != nil {
			return
		}
		h := rr.Header()
		name := strings.ToLower(strings.TrimSuffix(h.Name, "."))
		if h.Class != dns.ClassINET || h.Rrtype == dns.TypeSOA || h.Rrtype == dns.TypeOPT ||
			!strings.HasSuffix(name, ".a.example") ||
			h.Rrtype == dns.TypeTSIG ||
			h.Ttl > 1<<31-1 ||
			h.Rrtype == dns.TypeAXFR ||
			h.Rrtype == dns.TypeANY ||
			h.Rrtype == dns.TypeIXFR {
			return
		}
		sets := []record.Set{
			{Name: "a.example", Type: "SOA", TTL: 60,
				Values: []string{"ns.a.example. h.a.example. 1 2 3 4 5"}},
		}
		seen, _ := live.Sets("a.example", []dns.RR{rr})
		sets = append(sets, seen...)
		text, err := ZoneText("a.example", sets, "x", Marks{})
		require.NoError(t, err)
		_, records, err := ReadZone(stored(t, path, string(text)), "")
		require.NoError(t, err, "%s", text)
		if strings.Contains(string(text), "; no name server reads it: ") {
			require.Len(t, records, 1, "%s", text)
			return
		}
		require.Len(t, records, 2, "%s", text)
		want := make([]byte, 70_000)
		got := make([]byte, 70_000)
		h.Name = strings.ToLower(h.Name)
		n, err := dns.PackRR(rr, want, 0, nil, false)
		if err != nil {
			return
		}
		m, err := dns.PackRR(records[1], got, 0, nil, false)
		require.NoError(t, err)
		require.True(t, bytes.EqualFold(want[:n], got[:m]), "%s\n%s", rr, records[1])
	})
}

// FuzzAppendRules adds rows to a table, and reads them again.
func FuzzAppendRules(f *testing.F) {
	f.Add("old,new,status,query,note\na,b,301\n", "=cmd", "\"x\"")
	f.Add("old;new\r\n", ";", "a,b")
	f.Add("new,old,note\n#c", " x ", "#")
	f.Fuzz(func(t *testing.T, text, old, to string) {
		before, err := headed("rules.csv", []byte(text))
		if err != nil || strings.ContainsAny(old+to, "\r") {
			return
		}
		was, _, whole := records(before)
		made, err := AppendRules("rules.csv", []byte(text), []string{"old", "new"}, [][]string{{old, to}})
		if err != nil || !whole {
			return
		}
		after, err := headed("rules.csv", made)
		require.NoError(t, err)
		is, _, whole := records(after)
		require.True(t, whole, "%q", made)
		if old == "" && to == "" {
			return
		}
		require.Len(t, is, len(was)+1, "%q", made)
		last := row{fields: is[len(is)-1]}
		require.Equal(t, was, is[:len(was)])
		require.Equal(t, []string{old, to}, []string{after.field(last, "old"), after.field(last, "new")},
			"%q", made)
	})
}

// FuzzPairs reads two columns of a table of somebody else's.
func FuzzPairs(f *testing.F) {
	f.Add("From,To\n/a,/b\n")
	path := filepath.Join(f.TempDir(), "pairs.csv")
	f.Fuzz(func(t *testing.T, text string) {
		pairs, _, err := ReadPairs(stored(t, path, text), "from", "to")
		told(t, path, err)
		require.True(t, slices.IsSortedFunc(pairs, func(a, b Pair) int { return a.Line - b.Line }))
		_ = fmt.Sprint(csv.ErrFieldCount)
	})
}
