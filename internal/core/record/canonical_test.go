package record

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestOneFormForTheSame(t *testing.T) {
	for _, c := range [][]string{
		{"TLSA", "3 1 1 ab CD", "3 1 1 ABcd"}, {"SSHFP", "4 2 ab", "4  2 AB"},
		{"DS", "1 13 2 ab", "1 13 2 AB"}, {"HTTPS", `1 . alpn="h2,h3" port=1`, `1 . port="1" alpn=h2,h3`},
		{"SVCB", "2 Svc.Example. alpn=h2", `2 svc.example. alpn="h2"`}, {"HTTPS", "0 a.example.", "0 A.example."},
		{"A", "192.0.2.1", "192.0.2.1"}, {"TXT", `"a; b"`, `"a; b"`}, {"HTTPS", "1", "1"},
	} {
		assert.Equal(t, Canonical(c[0], c[1]), Canonical(c[0], c[2]), c[0])
	}
	for _, c := range [][]string{
		{"TLSA", "3 1 1 ab", "3 1 2 ab"}, {"HTTPS", `1 . alpn="h2,h3"`, `1 . alpn="h2"`},
		{"HTTPS", `1 . alpn=h2`, `2 . alpn=h2`}, {"TXT", `"a"`, `"A"`}, {"TXT", `"a b"`, `"a  b"`},
	} {
		assert.NotEqual(t, Canonical(c[0], c[1]), Canonical(c[0], c[2]), c[0])
	}
}
