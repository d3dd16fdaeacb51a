package plan_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
)

// TestWhatBrowsersRememberIsPlayedBeforeTheMove has permanent redirects that the last audit met,
// and the web as it is planned: what goes round then, or ends where there is nothing.
func TestWhatBrowsersRememberIsPlayedBeforeTheMove(t *testing.T) {
	for name, c := range map[string]struct {
		from, to string
		status   int
		want     string // codes
	}{
		"from the new page back to the old": {"https://www.n.example/a", "http://old.example/a", 301,
			"remembered-loop"},
		"only for now":     {"https://www.n.example/a", "http://old.example/a", 302, ""},
		"to the same page": {"http://old.example/a", "https://www.n.example/a", 301, ""},
		"to somebody else": {"http://old.example/a", "https://else.example/", 301, ""},
		"to a page that is no more": {"http://old.example/a", "https://www.n.example/lost", 308,
			"dead-end"},
		"within the old site": {"http://old.example/a", "http://old.example/b", 301, ""},
	} {
		t.Run(name, func(t *testing.T) {
			one := chain.Chain{Entry: web.MustParseURL(c.from), Probe: chain.Asked, End: chain.Page,
				Hops: []chain.Answer{{URL: web.MustParseURL(c.from), Status: c.status, Location: c.to,
					Address: "198.51.100.9:443"}, {URL: web.MustParseURL(c.to), Status: 200,
					Address: "198.51.100.9:80"}}}
			one.Arrival = one.Hops[1].URL
			p := planEdited(t, "domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, "+
				"carrier: gateway}\n", [2]string{},
				seen(t, "old.example\n@ A 198.51.100.9\nwww A 198.51.100.9"),
				func(in *plan.Input) {
					in.Audited = []chain.Chain{one}
					in.Now = time.Date(2026, 11, 2, 0, 0, 0, 0, time.UTC)
					in.Pages = []web.URL{web.MustParseURL("https://www.n.example/a"),
						web.MustParseURL("https://www.n.example/b")}
				})
			var codes []string
			for _, f := range p.Findings {
				if f.Code == finding.RememberedLoop || f.Code == finding.DeadEnd {
					codes = append(codes, f.Code.String())
					assert.Equal(t, finding.Warning, f.Severity)
				}
			}
			assert.Equal(t, c.want, strings.Join(codes, " "), "%v", p.Findings)
		})
	}
}
