package cutover

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
)

// demoPlan plans the demo estate from its zone files.
func demoPlan(t *testing.T) *plan.Plan {
	t.Helper()
	root := filepath.Join("..", "..", "demo", "estate")
	e, err := files.ReadEstate(filepath.Join(root, "upperpath.yaml"))
	require.NoError(t, err)
	in := plan.Input{
		Estate:    e.Estate,
		Rules:     e.Rules,
		SiteRules: e.SiteRules,
		Pages:     e.Pages,
		Now:       Today,
		Survey:    &survey.Survey{Started: Today.Add(-time.Hour)},
	}
	for _, d := range e.Domains {
		path := filepath.Join(root, "stage", "zones", d.Name.String()+".zone")
		_, records, err := files.ReadZone(path, d.Name.String())
		require.NoError(t, err)
		seen := live.FileDomain(web.MustParseHost(d.Name.String()), records)
		seen.Parent.Servers = []string{"ns1.now.example", "ns2.now.example"}
		in.Survey.Domains = append(in.Survey.Domains, seen)
	}
	return plan.Make(in)
}

func copied(sheets []plan.Sheet) []plan.Sheet {
	all := slices.Clone(sheets)
	for i := range all {
		all[i].Lines = slices.Clone(all[i].Lines)
		all[i].Entries = slices.Clone(all[i].Entries)
		for j := range all[i].Entries {
			all[i].Entries[j].Fields = slices.Clone(all[i].Entries[j].Fields)
		}
	}
	return all
}

// other gives another value of the kind, as somebody mistypes it.
func other(kind, value string) string {
	switch {
	case value == "":
		return value
	case kind == "A":
		return "192.0.2.199"
	case kind == "AAAA":
		return "2001:db8::199"
	case kind == "TXT":
		return value + "x"
	}
	return strings.Replace(value, ".example", ".exampel", 1)
}

// mistakes gives every single mistake that somebody can make with the rows of sheets: one left out,
// one with another value, two of one place whose values are exchanged.
func mistakes(sheets []plan.Sheet, yield func(what string, wrong []plan.Sheet)) {
	for i, s := range sheets {
		for j, l := range s.Lines {
			name := fmt.Sprintf("%s: %s %s %s %s>%s", s.Place, l.Do, l.Name, l.Type, l.Was, l.Value)
			change := func(what string, edit func(l *plan.Line)) {
				wrong := copied(sheets)
				edit(&wrong[i].Lines[j])
				yield(what+" "+name, wrong)
			}
			wrong := copied(sheets)
			wrong[i].Lines = slices.Delete(wrong[i].Lines, j, j+1)
			yield("left out "+name, wrong)
			if v := other(l.Type, l.Value); v != l.Value {
				change("another value", func(l *plan.Line) { l.Value = v })
			}
			if v := other(l.Type, l.Was); v != l.Was {
				change("another value that goes", func(l *plan.Line) { l.Was = v })
			}
			change("another name", func(l *plan.Line) { l.Label += "x" })
			if l.Do != act.Remove {
				change("another TTL", func(l *plan.Line) { l.TTL += 17 })
			}
			for k := j + 1; k < len(s.Lines); k++ {
				if o := s.Lines[k]; o.Type == l.Type && o.Do == l.Do && o.Value != l.Value && o.Name != l.Name {
					wrong := copied(sheets)
					wrong[i].Lines[j].Value, wrong[i].Lines[k].Value = o.Value, l.Value
					yield("exchanged "+name, wrong)
					break
				}
			}
		}
		for j, e := range s.Entries {
			name := fmt.Sprintf("%s: %s %s %s %v", s.Place, e.Action, e.Kind, e.Domain, e.Fields)
			wrong := copied(sheets)
			wrong[i].Entries = slices.Delete(wrong[i].Entries, j, j+1)
			yield("left out "+name, wrong)
			for k, f := range e.Fields {
				if f.Holds != "" || f.Value == "" || slices.Contains(free, f.Name) ||
					f.Value == "does not matter" {
					continue
				}
				wrong := copied(sheets)
				v := strings.Replace(f.Value, ".example", ".exampel", 1)
				switch v {
				case "keep":
					v = "drop"
				case "drop":
					v = "keep"
				case "no":
					v = "yes"
				case "http":
					v = "https"
				case f.Value:
					v = strings.NewReplacer("301", "302", "302", "301", "410", "301").Replace(f.Value)
				}
				if v == f.Value {
					v += "x"
				}
				wrong[i].Entries[j].Fields[k].Value = v
				yield("another "+f.Name+" "+name, wrong)
			}
		}
	}
}

// free are boxes that say for whoever types what a row is about, and are not typed.
var free = []string{"rule"}

// TestEveryMistakeTurnsThePlanRed makes each single mistake in the sheets of the demo and of
// estates at random.
func TestEveryMistakeTurnsThePlanRed(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 50), number("SEED", 1)
	count, survived := 0, []string{}
	try := func(name string, p *plan.Plan) {
		sheets := p.Sheets()
		require.Zero(t, finding.Count(p.Play(p.With(sheets)), finding.Error), "the sheets as they are")
		mistakes(sheets, func(what string, wrong []plan.Sheet) {
			count++
			if finding.Count(p.Play(p.With(wrong)), finding.Error) == 0 {
				survived = append(survived, name+": "+what)
			}
		})
	}
	try("demo", demoPlan(t))
	demo := count
	for i, made := uint64(0), 0; made < rounds; i++ {
		e := Random(rand.New(rand.NewPCG(uint64(seed), i)))
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) == 0 {
			made++
			try(fmt.Sprintf("round %d", i), p)
		}
	}
	t.Logf(
		"SEED=%d: %d mistakes, %d of them in the demo; %d were not seen",
		seed,
		count,
		demo,
		len(survived),
	)
	if os.Getenv("SHOW") != "" {
		fmt.Println(strings.Join(survived, "\n"))
	}
	assert.Empty(t, survived)
}

// TestRowsInTheWrongOrder swaps neighbouring rows of sheets: whatever the reader apart loses by
// that, the plan says.
func TestRowsInTheWrongOrder(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 50), number("SEED", 1)
	swaps, harmful := 0, 0
	for i := range rounds {
		e := Random(rand.New(rand.NewPCG(uint64(seed), uint64(i))))
		p := plan.Make(e.Input(t))
		if len(errorsOf(p)) > 0 {
			continue
		}
		sheets := p.Sheets()
		for s := range sheets {
			for j := range max(0, len(sheets[s].Lines)-1) {
				wrong := copied(sheets)
				lines := wrong[s].Lines
				lines[j], lines[j+1] = lines[j+1], lines[j]
				player := NewPlayer(e, p)
				var broken []string
				for _, task := range p.TasksOf(wrong) {
					broken = append(broken, player.Type(task)...)
				}
				if swaps++; len(broken) == 0 {
					continue
				}
				harmful++
				require.NotZero(
					t,
					finding.Count(p.Play(p.With(wrong)), finding.Error),
					"SEED=%d, round %d, row %d: %s\n%s",
					seed,
					i,
					j,
					broken[0],
					e,
				)
			}
		}
	}
	t.Logf("SEED=%d: %d swaps, %d of them harmful, all said", seed, swaps, harmful)
	assert.NotZero(t, harmful)
}
