package live

import (
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/expect"
)

// TestWhatCannotBeAskedForIsUnseen: the answer to another question would say that it is not there.
func TestWhatCannotBeAskedForIsUnseen(t *testing.T) {
	for kind, want := range map[string]uint16{"A": dns.TypeA, "TYPE99": 99, "TYPE65535": 65535,
		"TYPE0": 0, "TYPE65536": 0, "TYPEx": 0, "NEWTYPE": 0, "": 0} {
		e := expect.Expectation{Kind: expect.Records, Name: "a.example", Type: kind,
			Server: "ns1.example"}
		asked, known := question(e)
		assert.Equal(t, want != 0, known, kind)
		if known {
			assert.Equal(t, want, asked, kind)
			continue
		}
		answer := (&Asker{}).Ask(t.Context(), e, e.Where())
		assert.Equal(t, expect.Unseen, e.Judge(answer).State, kind)
	}
	for kind, want := range map[expect.Kind]uint16{expect.Zone: dns.TypeSOA,
		expect.Delegation: dns.TypeNS} {
		asked, known := question(expect.Expectation{Kind: kind, Name: "a.example"})
		assert.True(t, known)
		assert.Equal(t, want, asked)
	}
}
