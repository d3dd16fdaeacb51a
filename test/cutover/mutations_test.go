package cutover

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
	_ "upperpath.example/upperpath/internal/words"
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
				if f.Holds != "" { // the file of another server
					wrong := copied(sheets)
					other := "gw"
					if f.Holds == other {
						other = "own"
					}
					wrong[i].Entries[j].Fields[k].Holds = other
					yield("another file "+name, wrong)
				}
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

// typedMistakes gives every single mistake in all that is typed: in the rows of sheets, in a record
// of a zone file, in a record of a copy.
func typedMistakes(right plan.Typed, yield func(what string, wrong plan.Typed)) {
	mistakes(right.Sheets, func(what string, wrong []plan.Sheet) {
		t := right
		t.Sheets = wrong
		yield(what, t)
	})
	for _, of := range []struct {
		name string
		all  map[string][]record.Set
		with func(all map[string][]record.Set) plan.Typed
	}{
		{"file", right.Files, func(all map[string][]record.Set) plan.Typed {
			t := right
			t.Files = all
			return t
		}},
		{"copy", right.Copies, func(all map[string][]record.Set) plan.Typed {
			t := right
			t.Copies = all
			return t
		}},
	} {
		for name, sets := range of.all {
			for i, s := range sets {
				if s.Type == "SOA" || s.Type == "NS" && s.Name == name || record.IsSigning(s.Type) {
					continue // it belongs to the name servers
				}
				for j, v := range s.Values {
					change := func(what string, values []string) {
						all := maps.Clone(of.all)
						all[name] = slices.Clone(sets)
						all[name][i].Values = values
						if len(values) == 0 {
							all[name] = slices.Delete(all[name], i, i+1)
						}
						yield(fmt.Sprintf("%s in the %s of %s: %s %s %s", what, of.name, name, s.Name, s.Type, v),
							of.with(all))
					}
					change("left out", slices.Delete(slices.Clone(s.Values), j, j+1))
					values := slices.Clone(s.Values)
					if values[j] = otherInFile(s.Type, v); values[j] != v {
						change("another value", values)
					}
				}
			}
		}
	}
}

// otherInFile gives another value of the kind, as a file has it.
func otherInFile(kind, value string) string {
	if kind == "TXT" {
		return strings.TrimSuffix(value, `"`) + `x"`
	}
	return other(kind, value)
}

// stager gives what is typed as the stage reads it: zone files as their texts, and the rows of the
// sheets from the tables that are written of them. What is as it should be is written once.
type stager struct {
	plan  *plan.Plan
	right plan.Typed
	rows  map[string][]world.Row // by place
	texts map[string][]byte      // by zone
}

func newStager(t *testing.T, p *plan.Plan, right plan.Typed) *stager {
	t.Helper()
	s := &stager{plan: p, right: right, rows: map[string][]world.Row{}, texts: map[string][]byte{}}
	for _, sheet := range right.Sheets {
		s.rows[sheet.Place] = s.read(t, sheet)
	}
	for name, sets := range right.Files {
		s.texts[name] = s.text(t, name, sets)
	}
	return s
}

func (s *stager) read(t *testing.T, sheet plan.Sheet) []world.Row {
	t.Helper()
	var all []world.Row
	for _, written := range report.SheetsOf(s.plan, []plan.Sheet{sheet}) {
		pages, err := written.Pages("csv")
		require.NoError(t, err)
		for _, page := range pages {
			rows, err := files.SheetOf(page.Name, page.Place, page.Data)
			require.NoError(t, err)
			all = append(all, rows...)
		}
	}
	return all
}

func (s *stager) text(t *testing.T, name string, sets []record.Set) []byte {
	t.Helper()
	text, err := files.ZoneText(name, sets, "", files.Marks{})
	require.NoError(t, err)
	return text
}

func (s *stager) of(t *testing.T, typed plan.Typed) stage.Typed {
	t.Helper()
	made := stage.Typed{Zones: map[string][]byte{}}
	for name, sets := range typed.Files {
		if reflect.DeepEqual(sets, s.right.Files[name]) {
			made.Zones[name] = s.texts[name]
		} else {
			made.Zones[name] = s.text(t, name, sets)
		}
	}
	for _, sheet := range typed.Sheets {
		i := slices.IndexFunc(s.right.Sheets, func(o plan.Sheet) bool { return o.Place == sheet.Place })
		if i >= 0 && reflect.DeepEqual(sheet, s.right.Sheets[i]) {
			made.Rows = append(made.Rows, s.rows[sheet.Place]...)
		} else {
			made.Rows = append(made.Rows, s.read(t, sheet)...)
		}
	}
	return made
}

// rehearsed audits what is typed on the scene that comes of it: every door, with an example of each
// rule, without a socket. It counts the errors.
func rehearsed(t *testing.T, p *plan.Plan, typed stage.Typed) int {
	t.Helper()
	scene, err := stage.FromTyped(p, typed)
	require.NoError(t, err)
	web, errors := scene.Asker(), 0
	judge := chain.Judge{Estate: p.Estate.Holds, Forwards: p.Forwards}
	for _, ask := range p.Asks(true) {
		c := chain.Follow(t.Context(), web, chain.Ask{URL: ask.URL}, ask.Probe)
		judge.Chain(&c, p.Goal(ask.URL))
		errors += finding.Count(c.Findings, finding.Error)
	}
	return errors
}

// saidOf gives all that rows have people type.
func saidOf(rows []world.Row) []string {
	var all []string
	for _, r := range rows {
		ttl := r.TTL
		if r.Do == world.Remove {
			ttl = 0
		}
		all = append(all, fmt.Sprintf("%s %s %d %s %s", r.Place, r, ttl, r.Through, r.Domain))
	}
	return all
}

// filesOf gives the zone files of a plan.
func filesOf(p *plan.Plan) map[string][]record.Set {
	all := map[string][]record.Set{}
	for i := range p.Zones {
		if sets, err := p.File(&p.Zones[i]); err == nil {
			all[p.Zones[i].Name] = sets
		}
	}
	return all
}

// TestEveryMistakeTurnsEachVerdictRed makes each single mistake in all that is typed, on the demo
// and on estates at random: plan no longer holds, prove refutes it, and rehearse finds it.
func TestEveryMistakeTurnsEachVerdictRed(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 14), number("SEED", 1)
	var lock sync.Mutex
	count, survived, staged := 0, []string{}, 0
	try := func(t *testing.T, p *plan.Plan) {
		right := p.Typed()
		right.Files = filesOf(p)
		w, played := p.As(right)
		require.Zero(t, finding.Count(played, finding.Error), "as it is typed: %v", played)
		require.Equal(t, proof.Proved, proof.Prove(w, nil).With(played).Verdict)
		staging := newStager(t, p, right)
		require.Zero(t, rehearsed(t, p, staging.of(t, right)), "the stage as it is typed")
		require.Equal(t, saidOf(p.Rows(right.Sheets)), saidOf(p.Read(staging.of(t, right).Rows)))
		typedMistakes(right, func(what string, wrong plan.Typed) {
			w, played := p.As(wrong)
			seen := rehearsed(t, p, staging.of(t, wrong))
			unsaid := finding.Count(played, finding.Error) == 0
			lock.Lock()
			defer lock.Unlock()
			if count++; seen > 0 {
				staged++
			}
			for verdict, green := range map[string]bool{
				"plan": unsaid, "rehearse": unsaid && seen == 0,
				"prove": proof.Prove(w, nil).With(played).Verdict == proof.Proved,
			} {
				if green {
					survived = append(survived, verdict+" "+t.Name()+": "+what)
				}
			}
		})
	}
	demo := 0
	t.Run("each", func(t *testing.T) {
		t.Run("demo", func(t *testing.T) {
			try(t, demoPlan(t))
			demo = count
		})
		for i, made := uint64(0), 0; made < rounds; i++ {
			e := Random(rand.New(rand.NewPCG(uint64(seed), i)))
			e.Only = "" // a stage plays whole estates
			p := plan.Make(e.Input(t))
			if len(errorsOf(p)) > 0 {
				continue
			}
			made++
			t.Run(fmt.Sprintf("round %d", i), func(t *testing.T) {
				t.Parallel()
				try(t, p)
			})
		}
	})
	t.Logf("SEED=%d: %d mistakes, %d of them in the demo; %d of them are met by visitors of the "+
		"stage "+
		"in the end, the others on the way, in mail or in TTLs; %d were not seen",
		seed, count, demo, staged, len(survived))
	assert.NotZero(t, staged)
	assert.Empty(t, survived)
}

// TestRowsInTheWrongOrder swaps neighbouring rows of sheets: whatever the reader apart loses by
// that, the plan says.
func TestRowsInTheWrongOrder(t *testing.T) {
	t.Parallel()
	rounds, seed := number("ROUNDS", 14), number("SEED", 1)
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
				player.alone = true // what is held is TestWhatIsNotWaitedForIsSaid's
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
