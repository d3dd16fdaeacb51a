package cutover

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/report"
)

// ended gives a player of the zones as a plan leaves them; those that it does not change are as
// somebody saw them.
func ended(e Estate, seen *survey.Survey, p *plan.Plan) *Player {
	end := e
	end.Zones = maps.Clone(e.Zones)
	for _, d := range seen.Domains {
		end.Zones[d.Name] = lines(d.Name, d.Records)
	}
	for i := range p.Zones {
		z := &p.Zones[i]
		if len(z.Whole) > 0 {
			end.Zones[z.Name] = lines(z.Name, z.Whole)
		}
	}
	return NewPlayer(end, p)
}

// lines writes down records as a zone file has them.
func lines(zone string, sets []record.Set) []string {
	var all []string
	for _, s := range sets {
		for _, v := range s.Values {
			if s.Type != "SOA" && (s.Type != "NS" || s.Name != zone) {
				all = append(all, s.Name+". "+s.Type+" "+v)
			}
		}
	}
	return all
}

// apart says where names, mail or senders end otherwise in two worlds.
func apart(a, b *Player) []string {
	names := map[string]bool{}
	for _, pl := range []*Player{a, b} {
		for _, name := range slices.Concat(slices.Collect(maps.Keys(pl.lines)), pl.doors, pl.needed) {
			names[name] = true
		}
	}
	var all []string
	home := func(text string) string { // a provider's alias is seen as addresses
		for alias, who := range a.who {
			if strings.Contains(alias, "example") {
				text = strings.ReplaceAll(text, alias, strings.Join(a.homes[who[0]], " "))
			}
		}
		return text
	}
	differ := func(what, x, y string) {
		if x, y = home(x), home(y); x != y {
			all = append(all, fmt.Sprintf("%s: %q and %q", what, x, y))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		if len(a.lines[name]) > 0 && len(b.lines[name]) > 0 || slices.Contains(a.doors, name) ||
			slices.Contains(a.needed, name) { // a name for mail alone may be called otherwise
			differ(name, strings.Join(a.ends(name, 0), " "), strings.Join(b.ends(name, 0), " "))
		}
		if a.mailing[name] || b.mailing[name] {
			differ("mail of "+name, a.mail(name), b.mail(name))
		}
		if len(a.policies(name)) > 0 || len(b.policies(name)) > 0 {
			for _, sender := range slices.Concat(a.asked, b.asked) {
				x, y := 0, 0
				differ(sender+" of "+name, a.may(name, sender, &x, 0), b.may(name, sender, &y, 0))
			}
		}
	}
	return all
}

// TestACutoverGoesOnFromAnywhere stops cutovers behind every step and within it, and plans from
// what is there then: no error comes that was not there, and everything ends where it would have.
func TestACutoverGoesOnFromAnywhere(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 6), number("SEED", 11)
	stops := 0
	for i := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), uint64(i)))
		e := Random(r)
		in := e.Input(t)
		p := plan.Make(in)
		if len(errorsOf(p)) > 0 {
			continue
		}
		want := ended(e, in.Survey, p)
		acts := p.Acts()
		for step := range p.Steps {
			stop := []int{acts[step]}
			if acts[step] > 1 {
				stop = append(stop, 1+r.IntN(acts[step]-1))
			}
			for _, n := range stop {
				halfway := p.After(step, n)
				again := plan.Make(halfway)
				stops++
				require.Empty(t, errorsOf(again), "SEED=%d, %d: stopped in step %d, behind act %d of %d\n%s",
					seed, i, step+1, n, acts[step], e)
				require.Empty(t, apart(want, ended(e, halfway.Survey, again)),
					"SEED=%d, %d: stopped in step %d, behind act %d of %d\n%s", seed, i, step+1, n, acts[step], e)
			}
		}
	}
	t.Logf("SEED=%d: %d cutovers stopped at %d places", seed, rounds, stops)
}

// TestARunbookMadeAnewIsThePlan stops cutovers behind a step, surveys again, and makes the runbook
// anew: the records of its open steps are those of a plan of what is there then, what was done is
// done, and nothing is asked for twice.
func TestARunbookMadeAnewIsThePlan(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 12), number("SEED", 13)
	stops := 0
	for i := range rounds {
		r := rand.New(rand.NewPCG(uint64(seed), uint64(i)))
		e := Random(r)
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) > 0 {
			continue
		}
		former := report.RunbookOf(p, "", Today)
		tasks := p.Tasks()
		acts := p.Acts()
		for step := range p.Steps {
			for n, task := range tasks {
				if task.Number == step+1 {
					require.NoError(t, former.Mark(n+1, Today.Add(time.Duration(n)*time.Minute)))
				}
			}
			if r.IntN(2) == 0 {
				continue
			}
			again := plan.Make(p.After(step, acts[step]))
			book := report.RunbookOf(again, "", Today.Add(time.Hour))
			planned := map[string]bool{}
			for _, task := range book.Tasks {
				for _, row := range task.Typed {
					planned[row.String()] = true
				}
			}
			book.Adopt(former)
			require.NoError(t, book.Check())
			stops++
			open, done := map[string]bool{}, map[string]bool{}
			for _, task := range book.Tasks {
				for _, row := range task.Typed {
					if task.IsDone() {
						done[row.String()] = true
					} else {
						open[row.String()] = true
					}
				}
			}
			for row := range open {
				assert.True(t, planned[row], "SEED=%d, %d: step %d: %s is open, and in no plan\n%s", seed, i,
					step+1, row, e)
			}
			for row := range planned {
				assert.True(t, open[row] || done[row], "SEED=%d, %d: step %d: %s is lost", seed, i, step+1,
					row)
			}
			for _, task := range former.Tasks {
				for _, row := range task.Typed {
					if task.IsDone() && !row.IsRecord() {
						assert.True(t, done[row.String()], "SEED=%d, %d: step %d: %s was done\n%s", seed, i, step+1,
							row, e)
					}
				}
			}
		}
	}
	t.Logf("SEED=%d: %d runbooks made anew", seed, stops)
	assert.NotZero(t, stops)
}

// TestErrorsThatStepsFix has a zone move to name servers that do not hold it yet, and that is
// signed: the plan has errors, and its own steps fix them.
func TestErrorsThatStepsFix(t *testing.T) {
	t.Parallel()
	e := Estate{File: carriers + "  - {name: n.example, state: leave}\n  - {name: old.example, " +
		"carrier: gw, name-servers: [ns1.next.example, ns2.next.example]}\n",
		Zones: map[string][]string{"old.example": {"old.example. A 192.0.2.1",
			"www.old.example. CNAME old.example."}}}
	in := e.Input(t)
	d := &in.Survey.Domains[0]
	d.Parent.DS = []survey.DS{{Text: "31406 13 2 6B9F3C1D0E5A47B2889D4C7F1A2E3D4C5B6A79880F1E2D3C"}}
	for _, name := range []string{"ns1.next.example", "ns2.next.example"} {
		d.Coming = append(d.Coming, survey.Coming{Server: survey.Server{Name: name,
			Address: "192.0.2.54", State: survey.Lame}})
	}
	p := plan.Make(in)
	require.NotEmpty(t, errorsOf(p))
	ready := report.ReadyOf(p, p.Errors(), report.RunbookOf(p, "", Today))
	assert.Empty(t, ready.Faults, "%v", errorsOf(p))
	assert.NotEmpty(t, ready.Mended)
	for _, says := range ready.Mended {
		assert.Regexp(t, `Step \d+ fixes it\.$`, says)
	}
}
