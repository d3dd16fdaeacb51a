package plan_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/world"
)

// tasksText gives what is done where, and what is looked at then, a line each.
func tasksText(p *plan.Plan) string {
	var all []string
	for _, t := range p.Tasks() {
		all = append(all,
			fmt.Sprintf("%d at %q: %d lines, %d entries", t.Step.Kind, t.Place, len(t.Lines),
				len(t.Entries)))
		for _, e := range t.Expects {
			all = append(
				all,
				fmt.Sprintf("  %s %s%s %s %s %v %d %s not %v", e.Kind, e.URL, e.Name, e.Type, e.Server,
					e.Values, e.TTL,
					e.Address, e.Not),
			)
		}
	}
	return strings.Join(all, "\n")
}

// TestTasksOfAPlainMove has one domain that moves to a server.
func TestTasksOfAPlainMove(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: four, records-at: Registrar A}\n",
		seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME old.example.\n@ MX 0 ."),
	)
	text := tasksText(p)
	assert.Contains(
		t,
		text,
		fmt.Sprintf("%d at \"Registrar A\": 1 lines, 0 entries\n"+
			"  ttl-at-most old.example A ns.old.example", act.LowerTTLs),
	)
	assert.Contains(t, text, "records old.example A ns.old.example [203.0.113.40]")
	assert.Contains(
		t,
		text,
		"door http://old.example/   [https://www.n.example/] 0 203.0.113.40",
		"before any name points there",
	)
	assert.Contains(t, text, "door https://www.old.example/   [https://www.n.example/] 0  not []",
		"as it is afterwards")
	assert.Contains(t, text, "ttl-at-least old.example A ns.old.example")
	kinds := map[act.StepKind]int{}
	for _, task := range p.Tasks() {
		kinds[task.Step.Kind]++
		if task.Step.Kind == act.GetCertificates {
			assert.Empty(t, task.Expects, "what a server shows is seen only once its redirects are in place")
		}
	}
	assert.Equal(t, 1, kinds[act.MakeChanges])
	assert.Equal(t, 1, kinds[act.AuditDoors])
}

// TestAnAliasThatComesIsNotTakenForTheAddressThatGoes asks for an alias's addresses, of which only
// the old ones are known.
func TestAnAliasThatComesIsNotTakenForTheAddressThatGoes(t *testing.T) {
	p := planFor(
		t,
		"domains:\n  - {name: n.example, state: leave}\n"+
			"  - {name: old.example, carrier: aliased, apex-alias: yes}\n",
		seen(t, "old.example\n@ A 192.0.2.1\nwww A 192.0.2.1\n@ MX 0 ."),
	)
	var found []expect.Expectation
	for _, task := range p.Tasks() {
		for _, e := range task.Expects {
			if e.Kind == expect.Records && e.Name == "old.example" && e.Alias {
				found = append(found, e)
			}
		}
	}
	require.Len(t, found, 1, tasksText(p))
	assert.Equal(t, []string{"192.0.2.1"}, found[0].Not)
}

// TestEveryStepBecomesATask loses no step of a plan, and keeps their order.
func TestEveryStepBecomesATask(t *testing.T) {
	p := planFor(t,
		"domains:\n  - {name: n.example, state: leave}\n  - {name: old.example, carrier: four}\n"+
			"  - {name: other.example, carrier: aliased, records-at: Registrar B}\n",
		seen(t, "old.example\n@ A 192.0.2.1\n@ MX 10 old.example.\n",
			"other.example\nwww A 192.0.2.1\n@ MX 0 ."))
	at := 0
	for _, task := range p.Tasks() {
		for at < len(p.Steps) && p.Steps[at].Kind != task.Step.Kind {
			at++
		}
		require.Less(t, at, len(p.Steps), "%v", task.Step.Kind)
	}
	for _, s := range p.Steps {
		assert.Contains(t, tasksText(p), fmt.Sprintf("%d at ", s.Kind))
	}
}

// TestWhatIsAuditedIsMoreThanRoots looks at made-up paths and an example of each rule, where the
// door is looked at.
func TestWhatIsAuditedIsMoreThanRoots(t *testing.T) {
	p := carriedAt(t, "by: server, addresses: [203.0.113.40]", "",
		"@ A 192.0.2.1\nwww CNAME old.example.\n",
		"old.example/prices.html,/tickets/,\nold.example/news/{y:digits},/blog/{y},\n"+
			"old.example/shop,,410\n")
	for _, task := range p.Tasks() {
		at := ""
		switch task.Step.Kind {
		case act.TryRedirects:
			at = "203.0.113.40"
		case act.AuditDoors:
		default:
			continue
		}
		targets := map[string]string{}
		for _, e := range task.Expects {
			if e.Probe != "" {
				assert.Equal(t, at, e.Address, e.URL)
				targets[e.Probe+" "+e.URL] = e.Values[0]
			}
		}
		assert.Equal(t, "https://www.n.example/upper-path/made-up/page.html",
			targets["deep http://old.example/upper-path/made-up/page.html"])
		assert.Equal(t, "https://www.n.example/tickets/", targets["rule https://old.example/prices.html"])
		assert.Equal(t, "https://www.n.example/blog/77", targets["pattern https://old.example/news/77"])
		gone, asked := targets["rule https://old.example/shop"]
		assert.True(t, asked, "a page that is meant to be gone is looked at too")
		assert.Empty(t, gone)
		assert.Equal(t, 3, plan.Tried(task.Expects))
	}
}

// TestWhatShowsThatAStepWorked is a survey of the one zone that is surveyed, and never of others.
func TestWhatShowsThatAStepWorked(t *testing.T) {
	p := planFor(t, moves, moving(t, "@ A 192.0.2.1\nwww CNAME @\n@ MX 5 mx.other.example.\nk TXT one",
		func(d *survey.Domain) { d.Parent.DS = []survey.DS{{Text: "1 13 2 AA", Matched: true}} }))
	seenKinds := map[expect.Kind]bool{}
	for _, s := range p.Steps {
		seenKinds[s.Check.Kind] = true
		name := ""
		if s.Check.Kind == expect.Survey {
			name = "old.example"
		}
		assert.Equal(t, name, s.Check.Name, "%d", s.Kind)
	}
	assert.True(t,
		seenKinds[expect.Survey] && seenKinds[expect.Audit] && seenKinds[expect.NoDifference])
}

// TestAPlatformRedirectsInTheEnd has the primary host, and the redirects that its page takes, typed
// in the step that chooses primaries, and nothing else.
func TestAPlatformRedirectsInTheEnd(t *testing.T) {
	p := planFor(t, "domains:\n  - {name: n.example, state: leave}\n"+
		"  - {name: old.example, carrier: told, fallback: home}\n",
		seen(t, "old.example\n@ A 192.0.2.1\nwww CNAME @"))
	kinds := map[world.EntryKind]int{}
	for _, task := range p.Tasks() {
		if task.Step.Kind != act.ChoosePrimaries {
			continue
		}
		for _, e := range task.Entries {
			kinds[e.Kind]++
		}
	}
	assert.Equal(t, 2, kinds[world.Primary], "one for the other name of the site: %v", kinds)
	for kind := range kinds {
		assert.Contains(t, []world.EntryKind{world.Primary, world.Pattern}, kind)
	}
}
