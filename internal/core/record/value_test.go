package record_test

import (
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/record"
)

func TestValuesAreReadAsTheyAreShown(t *testing.T) {
	for _, c := range []struct{ kind, shown, want string }{
		{"A", " 203.0.113.1 ", "203.0.113.1"},
		{"AAAA", "2001:DB8::0:1", "2001:db8::1"},
		{"CNAME", "Sites.Platform.Example", "sites.platform.example."},
		{"CNAME", "sites.platform.example.", "sites.platform.example."},
		{"MX", "10  mx1.mail.example", "10 mx1.mail.example."},
		{"MX", "0 .", "0 ."},
		{"SRV", "0 5 443 www.x.example.", "0 5 443 www.x.example."},
		{"TXT", "proof=4711", `"proof=4711"`},
		{"TXT", `"proof=4711"`, `"proof=4711"`},
		{"TXT", `"one " "two"`, `"one two"`},
		{"TXT", `say "hi" \o/`, `"say \"hi\" \\o/"`},
		{"TXT", "", `""`},
		{"TXT", strings.Repeat("a", 300),
			`"` + strings.Repeat("a", 255) + `" "` + strings.Repeat("a", 45) + `"`},
		{"CAA", `0 ISSUE "ca.example"`, `0 issue "ca.example"`},
		{"CAA", `0 issue ca.example`, `0 issue "ca.example"`},
		{"HTTPS", "1 . alpn=h2", "1 . alpn=h2"},
		{"TLSA", "3 1 1 0d6f", "3 1 1 0d6f"},
	} {
		got, err := record.Value(c.kind, c.shown)
		require.NoError(t, err, c.shown)
		assert.Equal(t, c.want, got)
		again, err := record.Value(c.kind, got)
		require.NoError(t, err, got)
		assert.Equal(t, got, again, "normal form stays")
	}
}

func TestWrongValuesAreSaid(t *testing.T) {
	for _, c := range []struct{ kind, shown, says string }{
		{"A", "2001:db8::1", "not an address of this kind"}, {"A", "203.0.113.300", "not an address"}, {
			"AAAA", "203.0.113.1", "not an address of this kind",
		},
		{
			"CNAME", "203.0.113.1", "is an address; a name is needed",
		}, {"CNAME", "a b", "2 parts instead of 1"}, {"CNAME", "https://x/", "is not a name"},
		{"CNAME", "", "is empty"},
		{"CNAME", strings.Repeat("a", 64) + ".example", "more than 63 characters"},
		{
			"MX", "mx1.mail.example", "1 part instead of 2",
		}, {"MX", "ten mx1.mail.example", "not a number"}, {"MX", "010 mx", "not a number"},
		{"TXT", `"open`, "has no end"}, {"TXT", `"a" b`, "has no end"}, {
			"CAA", "issue ca.example", "flag, tag and value|a flag, a tag",
		}, {"CAA", "300 issue x", "from 0 to 255"},
		{"HTTPS", "1", "a priority and a target"}, {"FOO", "x", "unknown record type"},
	} {
		_, err := record.Value(c.kind, c.shown)
		if assert.Error(t, err, c.shown) {
			assert.Regexp(t, c.says, err.Error())
		}
	}
}

func TestNamesAreReadAsTheyAreShown(t *testing.T) {
	for shown, want := range map[string]string{
		"": "a.example", "@": "a.example", "a.example": "a.example", "a.example.": "a.example",
		"www":           "www.a.example",
		"WWW.a.example": "www.a.example",
		"_x._y":         "_x._y.a.example", "www.a.example.": "www.a.example", "*": "*.a.example",
		"deep.er": "deep.er.a.example",
	} {
		got, err := record.Name(shown, "a.example")
		require.NoError(t, err, shown)
		assert.Equal(t, want, got, shown)
	}
	for _, wrong := range []string{"www.b.example.", "a..b", ".x", "https://a.example/",
		strings.Repeat("a", 64),
		"two words"} {
		_, err := record.Name(wrong, "a.example")
		assert.Error(t, err, wrong)
	}
	assert.Equal(t, "@", record.Label("a.example", "a.example"))
	assert.Equal(t, "www", record.Label("www.a.example", "a.example"))
	assert.Equal(t, "10 mx.example", record.Plain("MX", "10 mx.example."))
	assert.Equal(t, "0 .", record.Plain("MX", "0 ."))
	assert.Equal(t, "10 mx.example.", record.Dotted("MX", "10 mx.example"))
	assert.Equal(t, "mx.example", record.Target("MX", "10 MX.example."))
	assert.Equal(t, "", record.Target("TXT", "x"))
}

// FuzzValue checks that every value in normal form is one that zone files hold, and reads back as
// itself.
func FuzzValue(f *testing.F) {
	for _, seed := range []string{"203.0.113.1", "a.example", "10 mx", `"a" "b"`, `a\"b`,
		"0 issue x;y", "\x00\xff",
		"1 . alpn=h2", "0 0 0 .", strings.Repeat("ü", 200)} {
		for _, kind := range []string{"A", "CNAME", "MX", "TXT", "CAA", "SRV"} {
			f.Add(kind, seed)
		}
	}
	f.Fuzz(func(t *testing.T, kind, shown string) {
		value, err := record.Value(kind, shown)
		if err != nil {
			return
		}
		again, err := record.Value(kind, value)
		require.NoError(t, err)
		require.Equal(t, value, again)
		if kind == "TXT" {
			rr, err := dns.NewRR("x.example. 60 IN TXT " + value)
			require.NoError(t, err, value)
			require.Equal(t, value, strings.TrimPrefix(rr.String(), rr.Header().String()))
			if !strings.HasPrefix(strings.TrimSpace(shown), `"`) {
				require.Equal(t, strings.TrimSpace(shown), record.Unquote(value))
			}
		}
	})
}

// TestWhichFieldsOfAValueAreNames goes by the registry's own definitions: RFC 1035 section 3.3, RFC
// 1183, RFC 2163, RFC 2230, RFC 2782, RFC 3403, RFC 6672, RFC 9460.
func TestWhichFieldsOfAValueAreNames(t *testing.T) {
	for value, want := range map[string]string{
		"NS A.x.":                 "a.x",
		"CNAME a.x.":              "a.x",
		"PTR a.x.":                "a.x",
		"DNAME a.x.":              "a.x",
		"SOA a.x. b.x. 1 2 3 4 5": "a.x b.x",
		"MINFO a.x. b.x.":         "a.x b.x",
		"RP a.x. b.x.":            "a.x b.x",
		"MX 10 a.x.":              "a.x",
		"AFSDB 1 a.x.":            "a.x",
		"RT 10 a.x.":              "a.x",
		"KX 10 a.x.":              "a.x",
		"PX 10 a.x. b.x.":         "a.x b.x",
		"SRV 0 5 443 a.x.":        "a.x",
		`NAPTR 1 2 "u" "x" "" a.`: "a",
		"SVCB 1 a.x. alpn=h2":     "a.x",
		"HTTPS 1 .":               "",
		"TXT a.x.":                "",
		"A 192.0.2.1":             "",
		"MX 10":                   "",
	} {
		kind, rest, _ := strings.Cut(value, " ")
		assert.Equal(t, want, strings.Join(record.Names(kind, rest), " "), value)
	}
	for kind, want := range map[string][3]bool{"A": {true, true, false}, "CNAME": {true, true, false},
		"AAAA": {true, true, false}, "HTTPS": {true, false, false}, record.Alias: {true, false, false},
		"RRSIG": {false, false, true}, "MX": {false, false, false}, "NSEC3": {false, false, true}} {
		assert.Equal(t, want, [3]bool{record.LeadsBrowsers(kind), record.LeadsToAddress(kind),
			record.IsSigning(kind)}, kind)
	}
	for value, want := range map[string]string{"MX 10 A.x.": "MX 10 A.x",
		"HTTPS 1 a.x.":        "HTTPS 1 a.x.",
		"SOA a. b. 1 2 3 4 5": "SOA a. b. 1 2 3 4 5", "HTTPS 1 .": "HTTPS 1 .", "MX 0 .": "MX 0 ."} {
		kind, rest, _ := strings.Cut(value, " ")
		assert.Equal(t, want, kind+" "+record.Plain(kind, rest))
	}
	for value, want := range map[string]string{"MX 10 a.x": "MX 10 a.x.",
		"SRV 0 5 443 a":       "SRV 0 5 443 a.",
		"SOA a. b. 1 2 3 4 5": "SOA a. b. 1 2 3 4 5", "HTTPS 1 a": "HTTPS 1 a", "TXT a": "TXT a"} {
		kind, rest, _ := strings.Cut(value, " ")
		assert.Equal(t, want, kind+" "+record.Dotted(kind, rest))
	}
}

func TestHowValuesAreCompared(t *testing.T) {
	for value, want := range map[string]string{
		"MX 10 MX.A.example.": "10 mx.a.example", `TXT "Aa"`: `"Aa"`, "AAAA 2001:DB8::1": "2001:db8::1",
		"DNSKEY 257 3 13 aB": "257 3 13 aB", "DS 1 13 2 AB": "1 13 2 ab",
		"HTTPS 1 A.x. ech=aB": "1 a.x ech=aB", "TYPE99 Aa": "Aa",
	} {
		kind, rest, _ := strings.Cut(value, " ")
		assert.Equal(t, want, record.Fold(kind, rest), value)
	}
}
