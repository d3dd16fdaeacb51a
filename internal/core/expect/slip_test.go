package expect_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/expect"
)

// TestSlipsAreToldFromOtherValues has values that somebody typed, and what they meant.
func TestSlipsAreToldFromOtherValues(t *testing.T) {
	for _, c := range []struct {
		kind, typed, meant string
		slip               bool
	}{
		{"A", "203.0.113.21", "203.0.113.20", true},
		{"A", "203.0.113.2", "203.0.113.20", true},
		{"A", "203.0.131.20", "203.0.113.20", true},
		{"A", "203.0.113.200", "203.0.113.20", true},
		{"A", "198.51.100.34", "203.0.113.20", false},
		{"A", "203.0.113.43", "203.0.113.20", false},
		{"A", "203.0.113.20", "203.0.113.20", false},
		{"AAAA", "2001:db8:10::11", "2001:db8:10::10", true},
		{"AAAA", "2001:db8:20::99", "2001:db8:10::10", false},
		{"CNAME", "sites.platform.example.old.example.", "sites.platform.example.", true},
		{"CNAME", "sites.platfrom.example.", "sites.platform.example.", true},
		{"CNAME", "site.platform.example.", "sites.platform.example.", true},
		{"CNAME", "oldhost.example.", "sites.platform.example.", false},
		{"CNAME", "SITES.platform.example", "sites.platform.example.", false},
		{"MX", "10 mail.hoster.example.old.example.", "10 mail.hoster.example.", true},
		{"TXT", `"v=spf1 -al"`, `"v=spf1 -all"`, true},
		{"TXT", `"a"`, `"b"`, false}, // too short to tell
	} {
		e := expect.Expectation{Kind: expect.Records, Name: "www.old.example", Type: c.kind,
			Values: []string{c.meant}, Domain: "old.example"}
		typed, meant, is := e.Slip([]string{c.typed})
		assert.Equal(t, c.slip, is, "%s for %s", c.typed, c.meant)
		if c.slip {
			assert.Equal(t, []string{c.typed, c.meant}, []string{typed, meant})
		}
		e.Not = []string{c.typed}
		_, _, is = e.Slip([]string{c.typed})
		assert.False(t, is, "what was there before is no slip")
	}
	e := expect.Expectation{Kind: expect.Records, Type: "A",
		Values: []string{"203.0.113.20", "203.0.113.21"}}
	_, _, is := e.Slip([]string{"203.0.113.20", "203.0.113.21"})
	assert.False(t, is)
	typed, meant, is := e.Slip([]string{"203.0.113.20", "203.0.113.12"})
	assert.True(t, is)
	assert.Equal(t, "203.0.113.12 203.0.113.21", typed+" "+meant)
}
