package plan_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// badSigned answers nothing, since the zone's signatures do not hold.
type badSigned struct{}

func (badSigned) Answer(_ context.Context, a chain.Ask) chain.Answer {
	return chain.Answer{URL: a.URL, Refusal: chain.BadSigned, Detail: "SERVFAIL"}
}

// TestADSThatIsGoneIsWaitedFor has a survey see a DS record, and a later one that it is gone:
// whoever still holds it waits, and asks nobody to remove what is gone.
func TestADSThatIsGoneIsWaitedFor(t *testing.T) {
	now := time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
	look := func(at time.Time, ds ...survey.DS) *survey.Survey {
		return &survey.Survey{Started: at, Domains: []survey.Domain{{Name: "old.example",
			Parent: survey.Parent{Server: "p", TTL: 3600, DS: ds}}}}
	}
	was := look(now.Add(-48*time.Hour), survey.DS{Text: "1 13 2 AB"})
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n"+
		"  - {name: old.example, carrier: four}\n",
		seen(t, "old.example\n@ A 192.0.2.1"), func(in *plan.Input) { in.Past = []*survey.Survey{was} })
	fix := func(clues chain.Clues) string {
		c := chain.Follow(context.Background(), badSigned{},
			chain.Ask{URL: web.MustParseURL("http://old.example/")}, chain.Root)
		chain.Judge{Now: now, Clues: clues}.Chain(&c, chain.Goal{})
		require.Len(t, c.Findings, 1)
		return c.Findings[0].Fix.String()
	}
	assert.Contains(t, fix(p.Seeing(was)), "remove the DS record", "it is there")
	gone := p.Seeing(look(now.Add(-time.Hour)))
	assert.Contains(t, fix(gone), "Wait until ")
	assert.NotContains(t, fix(gone), "registrar")
	until, is := gone.DSGone(web.MustParseHost("www.old.example"))
	assert.True(t, is)
	assert.Equal(t, now.Add(23*time.Hour), until, "registries have it held for a day")
	_, is = p.Clues().DSGone(web.MustParseHost("else.example"))
	assert.False(t, is)
}
