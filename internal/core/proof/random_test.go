package proof

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/test/worlds"
)

// judged is what trying URLs shows.
type judged struct {
	// one that a rule takes, were no carrier limited, and that ends elsewhere than this says
	elsewhere web.URL
	// one that goes wrong; one that takes the most hops; one that goes from https to http
	wrong, long, down web.URL
	hops              int
	won               map[*rule.Rule]web.URL // by rule, a URL that it wins
	chained           map[*rule.Rule]web.URL // by rule, a URL that it leads to another redirect
}

func tryAll(p *predict.Prediction, all []web.URL) judged {
	j := judged{won: map[*rule.Rule]web.URL{}, chained: map[*rule.Rule]web.URL{}}
	for _, u := range all {
		if strings.HasPrefix(u.Path(), "/0/") || u.Door().Port != 0 { // exempt, or no door
			continue
		}
		c := chain.Follow(context.Background(), p, chain.Ask{URL: u}, chain.ByRule)
		if downgrades(c) {
			j.down = u
		}
		if c.End != chain.Page || c.Redirects() > 0 && c.Last().Status == 404 {
			j.wrong = u
		} else if c.Redirects() > j.hops {
			j.hops, j.long = c.Redirects(), u
		}
		d := p.Treatment(u.Door())
		if want := p.Goal(u); c.End == chain.Page && p.Forwards(u.Door()) && !want.Gone &&
			want.Target.Door() == p.Estate.Canonical {
			landed := slices.IndexFunc(c.Hops, func(a chain.Answer) bool {
				return a.URL.Door() == p.Estate.Canonical
			})
			m, ok := p.Rules.Lookup(u)
			if ok && m.Rule.Status != rule.Gone && landed >= 0 &&
				web.NormalPath(c.Hops[landed].URL.Path()) != web.NormalPath(want.Target.Path()) {
				j.elsewhere = u
			}
		}
		if d.Does != predict.Redirects {
			continue
		}
		if m, ok := d.Rule(u); ok {
			j.won[m.Rule] = u
			if c.End == chain.Page && c.Redirects() > 1 {
				j.chained[m.Rule] = u
			}
		}
	}
	return j
}

// webOf predicts a world; false where it is none.
func webOf(t testing.TB, w worlds.World) (*predict.Prediction, bool) {
	in, ok := w.Read(t)
	if !ok {
		return nil, false
	}
	return in.Web(), true
}

// hunt gives how many worlds to make and their source; ROUNDS=2000 SEED=3 goes hunting for others.
func hunt(rounds int, seed uint64) (int, *rand.Rand) {
	rounds /= slower
	if s := os.Getenv("ROUNDS"); s != "" {
		rounds, _ = strconv.Atoi(s)
		seed, _ = strconv.ParseUint(os.Getenv("SEED"), 10, 64)
	}
	return rounds, rand.New(rand.NewPCG(seed, 1))
}

// TestNoURLContradictsAProof makes worlds at random and tries many URLs in each: none may
// contradict what the proof says.
func TestNoURLContradictsAProof(t *testing.T) {
	t.Parallel()
	rounds, random := hunt(100, 22)
	all := worlds.Entries()
	verdicts := map[Verdict]int{}
	for round := 0; round < rounds; {
		w := worlds.Random(random)
		p, ok := webOf(t, w)
		if !ok {
			continue
		}
		round++
		proof := Prove(p, nil)
		verdicts[proof.Verdict]++
		label := w.String() + "\n" + strings.Join(said(proof), "\n")
		confirmed(t, p, proof)
		j := tryAll(p, all)
		if proof.Verdict == Proved {
			require.True(t, j.wrong.IsZero(), "%s\n%s", j.wrong, label)
			require.True(t, j.down.IsZero(), "%s\n%s", j.down, label)
			require.LessOrEqual(t, j.hops, proof.Bound, "%s\n%s", j.long, label)
			require.True(t, j.elsewhere.IsZero(), "%s\n%s", j.elsewhere, label)
		}
		findings := strings.Join(said(proof), "\n") + "\n"
		for _, r := range p.Rules.Rules() {
			u, wins := j.won[r]
			require.False(t, wins && strings.Contains(findings, "shadowed "+r.Place()+"\n"),
				"%s wins %s\n%s", r.Old, u, label)
			if v, leads := j.chained[r]; leads && proof.Verdict == Proved {
				require.Contains(t, findings, "rule-chain "+r.Place()+"\n", "%s: %s\n%s", r.Old, v, label)
			}
		}
		if proof.Verdict == Undecided && os.Getenv("ROUNDS") != "" {
			t.Logf("undecided: %s\n%v", label, proof.Findings[len(proof.Findings)-1])
		}
	}
	t.Log(verdicts)
	assert.Greater(t, verdicts[Proved], rounds/10)
}

// TestALittleEffortProvesNothingWrong does the same with proofs that are cut short everywhere.
func TestALittleEffortProvesNothingWrong(t *testing.T) {
	t.Parallel()
	rounds, random := hunt(100, 25)
	all := worlds.Entries()
	verdicts := map[Verdict]int{}
	for round := 0; round < rounds; {
		w := worlds.Random(random)
		p, ok := webOf(t, w)
		if !ok {
			continue
		}
		round++
		v := newProver(p)
		v.names.effort.left, v.names.effort.least = 0, 1<<random.IntN(14)
		proof := proved(v, nil)
		verdicts[proof.Verdict]++
		confirmed(t, p, proof)
		if proof.Verdict != Proved {
			continue
		}
		label := w.String() + "\n" + strings.Join(said(proof), "\n")
		j := tryAll(p, all)
		require.True(t, j.wrong.IsZero(), "%s\n%s", j.wrong, label)
		require.True(t, j.down.IsZero(), "%s\n%s", j.down, label)
		require.LessOrEqual(t, j.hops, proof.Bound, "%s\n%s", j.long, label)
		require.True(t, j.elsewhere.IsZero(), "%s\n%s", j.elsewhere, label)
	}
	t.Log(verdicts)
	assert.Greater(t, verdicts[Undecided], rounds/20)
}

// straightenedWorld gives a world whose rules are those that Straighten makes of them, and how many
// it changed.
func straightenedWorld(w worlds.World, p *predict.Prediction) (worlds.World, int) {
	line := func(r *rule.Rule) string {
		status, query := "", ""
		if r.Status != 0 {
			status = strconv.Itoa(r.Status)
		}
		if r.DropQuery {
			query = "drop"
		}
		return r.Old.String() + "," + r.New.String() + "," + status + "," + query
	}
	made := w
	made.Rules = append([]string{}, w.Rules...)
	all := Straighten(p)
	for _, s := range all {
		made.Rules[s.Line-2] = line(s.New)
		for _, a := range s.Added {
			made.Rules = append(made.Rules, line(a))
		}
	}
	return made, len(all)
}

// TestStraightenedRulesLeadToTheSame tries many URLs before and after.
func TestStraightenedRulesLeadToTheSame(t *testing.T) {
	t.Parallel()
	rounds, random := hunt(80, 31)
	all := worlds.Entries()
	changed, added, shorter := 0, 0, 0
	for round := 0; round < rounds; {
		w := worlds.Random(random)
		p, ok := webOf(t, w)
		if !ok {
			continue
		}
		round++
		if len(p.Rules.Ties()) > 0 {
			continue
		}
		now, n := straightenedWorld(w, p)
		if n == 0 {
			continue
		}
		changed += n
		added += len(now.Rules) - len(w.Rules)
		label := w.String() + "\nnow:\n" + strings.Join(now.Rules, "\n")
		q, ok := webOf(t, now)
		require.True(t, ok, label)
		for _, u := range all {
			if strings.Contains(u.Path(), ".") || strings.HasPrefix(u.Path(), "/0/") || random.IntN(2) == 0 {
				continue
			}
			was := chain.Follow(context.Background(), p, chain.Ask{URL: u}, chain.ByRule)
			is := chain.Follow(context.Background(), q, chain.Ask{URL: u}, chain.ByRule)
			require.Equal(t, was.End, is.End, "%s\n%s", u, label)
			require.LessOrEqual(t, is.Redirects(), was.Redirects(), "%s\n%s", u, label)
			if was.End != chain.Page {
				continue
			}
			require.Equal(t, was.Arrival.Key(), is.Arrival.Key(), "%s\n%s", u, label)
			require.Equal(t, was.Last().Status, is.Last().Status, "%s\n%s", u, label)
			if is.Redirects() < was.Redirects() {
				shorter++
			}
			for i, h := range was.Hops {
				if h.Status == 302 && is.Hops[0].Status == 301 {
					require.Equal(
						t,
						was.Hops[0].Location,
						is.Hops[0].Location,
						"a temporary redirect was joined: hop %d of %s\n%s",
						i,
						u,
						label,
					)
				}
			}
		}
	}
	t.Log(changed, "rules changed,", added, "added,", shorter, "URLs with fewer hops")
	assert.Greater(t, changed, rounds/5)
	assert.Greater(t, shorter, rounds)
}

func TestWhatStraighteningWrites(t *testing.T) {
	const plain = "domains: [n.example, old.example, {name: two.example, leads-to: /two/}]\n"
	for name, c := range map[string]struct {
		rules []string
		want  []string
	}{
		"a chain of three": {
			[]string{"old.example/a,https://two.example/b", "two.example/b,https://old.example/c",
				"old.example/c,/end#x"},
			[]string{"2 old.example/a /end#x", "3 two.example/b /end#x"},
		},
		"patterns": {
			[]string{"old.example/a/{x}-{y:digits},https://two.example/b/{y}/{x}",
				"two.example/b/{n:digits}/{z},/c/{z}?n={n}"},
			nil,
		},
		"patterns that only move": {[]string{"old.example/a/{x}-{y:digits},https://two.example/b/{y}/{x}",
			"two.example/b/{n:digits}/{z},/c/{z}/{n}"},
			[]string{"2 old.example/a/{x}-{y:digits} /c/{x}/{y}"}},
		"most to the fallback, some elsewhere": {
			[]string{"old.example/blog/{+r},https://two.example/news/{+r}",
				"two.example/news/special,/special/", "two.example/news/old/{y:digits},/archive/{y}/"},
			[]string{"2 old.example/blog/{+r} /two/news/{+r} + old.example/blog/special /special/ + " +
				"old.example/blog/old/{part1:digits} /archive/{part1}/"}},
		"some elsewhere, which another rule takes": {
			[]string{"old.example/blog/{+r},https://two.example/news/{+r}",
				"two.example/news/special,/special/", "old.example/blog/special,/own/"},
			[]string{"2 old.example/blog/{+r} /two/news/{+r}"}},
		"a temporary hop": {
			[]string{
				"old.example/a,https://two.example/b", "two.example/b,/c,302",
				"old.example/d,https://two.example/e,302",
				"two.example/e,/f",
			},
			nil,
		},
		"a query that is lost": {
			[]string{"old.example/a,https://two.example/b", "two.example/b,/c,,drop"}, nil},
		"a query of its own": {
			[]string{"old.example/a,https://two.example/b?x=1", "two.example/b,/c"},
			[]string{"2 old.example/a /c?x=1"},
		},
		"a loop": {[]string{"old.example/a,https://two.example/b", "two.example/b,https://old.example/a"},
			nil},
	} {
		t.Run(name, func(t *testing.T) {
			p, _ := prove(t, plain, c.rules...)
			var got []string
			for _, s := range Straighten(p) {
				text := fmt.Sprintf("%d %s %s", s.Line, s.New.Old, s.New.New)
				for _, a := range s.Added {
					text += fmt.Sprintf(" + %s %s", a.Old, a.New)
				}
				got = append(got, text)
			}
			assert.Equal(t, c.want, got)
		})
	}
}
