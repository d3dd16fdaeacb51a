package plan_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
)

const movedEstate = "domains:\n  - {name: n.example, state: leave}\n" +
	"  - {name: old.example, state: moved, mail: keep, " +
	"wanted: [{name: _c, type: TXT, value: x, until: 2020-01-01}]}\n"

// TestWhatIsLeftInAMovedZoneIsAStep has a zone that counts as moved hold what was wanted until a
// day, what still leads visitors elsewhere, or nothing of the kind: what the table lists is typed
// in a step of its own, row by row, before the audit, with its TTL as it stays; and nothing is said
// to break when that is played.
func TestWhatIsLeftInAMovedZoneIsAStep(t *testing.T) {
	for name, c := range map[string]struct {
		add   string
		count int
	}{
		"nothing":              {"", 0},
		"wanted until a day":   {"\n_c TXT x", 1},
		"an address beside":    {"\n@ A 192.0.2.9", 1},
		"both":                 {"\n_c TXT x\n@ A 192.0.2.9", 2},
		"another host of ours": {"\nshop A 192.0.2.9", 0},
	} {
		p := planFor(t, movedEstate, seen(t, "old.example\n"+wholeMoved+c.add))
		at, audit := 0, 0
		for i, s := range p.Steps {
			switch s.Kind {
			case act.TidyUp:
				at = i + 1
				assert.Equal(t, c.count, s.Count, name)
				assert.Equal(t, []string{"old.example"}, s.Zones, name)
			case act.AuditDoors:
				audit = i + 1
			case act.LowerTTLs, act.RaiseTTLs, act.MakeChanges, act.AuditFirst:
				t.Errorf("%s: a step %d of a zone that has moved", name, s.Kind)
			}
		}
		for _, f := range p.Findings {
			assert.NotContains(t, []finding.Code{finding.Undecided, finding.ZoneDiffers}, f.Code, "%s: %s",
				name, f.Says)
		}
		if c.count == 0 {
			assert.Zero(t, at, name)
			continue
		}
		require.NotZero(t, at, name)
		assert.Less(t, at, audit, name)
		assert.Contains(t, p.Steps[audit-1].Needs, at, name)
		typed := 0
		for _, task := range p.Tasks() {
			if task.Step.Kind != act.TidyUp {
				continue
			}
			typed += len(task.Lines)
			assert.NotEmpty(t, task.Expects, name)
			for _, l := range task.Lines {
				assert.Zero(t, l.TTL%3600, "%s: %s", name, l.Name)
			}
		}
		assert.Positive(t, typed, name)
		for _, s := range p.Sheets() {
			for _, l := range s.Lines {
				assert.NotEqual(t, act.Lower, l.Do, name)
			}
		}
		var backs int
		for _, b := range p.Backs() {
			backs += len(b.Rows)
		}
		assert.Positive(t, backs, "%s: it can be undone", name)
	}
}

// TestAStepThatTidiesUpMendsWhatItIsFor has an address that was left beside the right ones keep
// nobody from the runbook whose step removes it.
func TestAStepThatTidiesUpMendsWhatItIsFor(t *testing.T) {
	p := planFor(t, movedEstate, seen(t, "old.example\n"+wholeMoved+"\n@ A 192.0.2.9"))
	require.Equal(t, []string{"leftover-address old.example A"}, subjects(p))
	for _, e := range p.Errors() {
		require.NotZero(t, e.Step, e.Finding.Says)
		assert.Equal(t, act.TidyUp, p.Steps[e.Step-1].Kind)
	}
}

// TestTheAuditAsItIsTodayComesFirst has every plan that changes something look at all doors before
// it does, whatever moves; nothing that visitors meet is typed before.
func TestTheAuditAsItIsTodayComesFirst(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n  - old.example\n",
		seen(t, "old.example\n"+strings.Replace(wholeMoved, "203.0.113.20", "192.0.2.1", 1)))
	at := 0
	for i, s := range p.Steps {
		if s.Kind == act.AuditFirst {
			at = i + 1
		}
	}
	require.Equal(t, 1, at)
	behind := map[int]bool{at: true}
	for i, step := range p.Steps[1:] {
		for _, n := range step.Needs {
			behind[i+2] = behind[i+2] || behind[n]
		}
		assert.True(t, behind[i+2], "step %d waits for it, or for what does", i+2)
	}
}
