package proof

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
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
	"upperpath.example/upperpath/internal/files"
)

// A world is an estate that was made at random: rules with and without conditions on the query, domains that do not care about case,
// slash or index, fallbacks of all kinds, carriers of all kinds, a site with redirects of its own.
type world struct {
	estate      string
	rules, site []string
}

func (w world) String() string {
	return w.estate + "rules:\n" + strings.Join(w.rules, "\n") + "\nsite:\n" + strings.Join(w.site, "\n")
}

// plan reads a world as its files; false where it is none, since a rule does not parse.
func (w world) plan(t *testing.T) (*predict.Web, bool) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range map[string]string{"upperpath.yaml": w.estate, "rules.csv": "old,new,status,query\n" + strings.Join(w.rules, "\n") + "\n", "site.csv": "old,new,status,query\n" + strings.Join(w.site, "\n") + "\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	if err != nil {
		return nil, false
	}
	return predict.New(predict.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages}), true
}

func randomWorld(random *rand.Rand) world {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	domain := func(name, other string) string {
		return fmt.Sprintf("  - {name: %s%s%s%s%s%s}\n", name, pick("", "", "", ", ignore-case: yes"), pick("", "", "", ", slash: either"), pick("", "", "", ", index: [a, b0]"),
			pick("", "", ", fallback: home", ", fallback: gone", ", leads-to: /a/", ", leads-to: https://"+other+".example/", ", leads-to: https://"+other+".example/b"), pick("", "", "", ", carrier: {apex: form, www: g}", ", carrier: edge"))
	}
	w := world{estate: head + "domains:\n  - n.example\n" + domain("old.example", "two") + domain("two.example", "old") + "policy: {exempt: [/0/], upgrade: " + pick("direct", "direct", "same-host-first") + "}\n"}
	if random.IntN(3) == 0 {
		w.estate = strings.Replace(w.estate, "also: [", "rules: site.csv, also: [", 1)
		for range 1 + random.IntN(2) {
			w.site = append(w.site, "www.n.example/"+pick("a", "b", "a/{x}", "{x}/b", "a?p=1")+","+pick("/b", "/a", "/c", "/b/b", "https://old.example/a", "https://two.example/"))
		}
	}
	for range 1 + random.IntN(4) {
		w.rules = append(w.rules, randomRule(random))
	}
	if random.IntN(4) == 0 { // the site at its apex, its www to be carried
		w.estate = strings.ReplaceAll(w.estate, "https://www.n.example", "https://n.example")
		for i := range w.site {
			w.site[i] = strings.TrimPrefix(w.site[i], "www.")
		}
		if random.IntN(2) == 0 {
			w.rules = append(w.rules, "www.n.example/"+pick("a", "{x}", "{x}/{+r}", "b?p=1")+","+pick("/b", "https://old.example/a", "https://www.n.example/b", "https://two.example/"))
		}
	}
	return w
}

func randomRule(random *rand.Rand) string {
	pick := func(all ...string) string { return all[random.IntN(len(all))] }
	old, names := pick("", "", "", "", "http://", "https://")+pick("old", "two", "www.two", "www.old")+".example/", []string{}
	for n := range random.IntN(4) {
		piece := pick("a", "b", "/", "{x}", "{y:digits}", "0", "A", "/a/", ".", "%2e")
		if strings.HasPrefix(piece, "{") {
			piece = strings.Replace(piece, piece[1:2], fmt.Sprintf("c%d", n), 1)
			names = append(names, fmt.Sprintf("{c%d}", n))
		}
		old += piece
	}
	if random.IntN(5) == 0 {
		old += "{+r}"
		names = append(names, "{+r}")
	}
	if random.IntN(4) == 0 {
		old += pick("?p=1", "?p", "?p={v}", "?p=a&q={v:digits}", "?q={v}", "?p={+v}")
		if strings.Contains(old, "{v") || strings.Contains(old, "{+v") {
			names = append(names, "{v}")
		}
	}
	to := targetPath(random, names)
	if len(names) > 0 && random.IntN(6) == 0 {
		to += "?" + pick("p", "q") + "=" + names[random.IntN(len(names))]
	} else {
		to += pick("", "", "", "", "", "?p=1", "?q=0", "?p=a&q=1", "?p")
	}
	door := pick("", "", "https://old.example", "https://two.example", "https://two.example", "https://www.two.example", "http://old.example", "https://else.test", "https://n.example")
	if len(names) > 0 && random.IntN(12) == 0 {
		door = "https://" + names[0] + ".example"
	}
	status, query := "", pick("", "", "", "drop")
	switch random.IntN(12) {
	case 0:
		return old + ",,410"
	case 1:
		status = "302"
	}
	return old + "," + door + "/" + to + "," + status + "," + query
}

// entries are URLs of a small alphabet at all doors that can be meant.
func entries() []web.URL {
	var all []web.URL
	paths := append(grown("/", 3, "a", "b", "/", "0", "A", "."), "/a/b/a/b", "/a/a/a/a", "/%2e/a", "/a/b0", "/b/a/b0")
	for _, door := range []string{"https://old.example", "http://www.old.example", "https://two.example", "https://www.two.example", "https://www.n.example"} {
		for i, path := range paths {
			all = append(all, web.MustParseURL(door+path))
			queries := []string{"p=1", "p", "p=a&q=0", "q=a", "q=1&p=b", "p=1&q=/", "p=%2e&q=1&p=2"}
			if i < 60 {
				for _, q := range queries {
					all = append(all, web.MustParseURL(door+path+"?"+q))
				}
			} else {
				all = append(all, web.MustParseURL(door+path+"?"+queries[i%len(queries)]))
			}
		}
	}
	return all
}

// judged is what trying URLs shows.
type judged struct {
	wrong, long, down web.URL // one that goes wrong; one that takes the most hops; one that goes from https to http
	hops              int
	won               map[*rule.Rule]web.URL // by rule, a URL that it wins
	chained           map[*rule.Rule]web.URL // by rule, a URL that it leads to another redirect
}

func tryAll(p *predict.Web, all []web.URL) judged {
	j := judged{won: map[*rule.Rule]web.URL{}, chained: map[*rule.Rule]web.URL{}}
	for _, u := range all {
		if strings.HasPrefix(u.Path(), "/0/") { // exempt
			continue
		}
		c := chain.Follow(context.Background(), p, chain.Ask{URL: u}, chain.Rule)
		if downgrades(c) {
			j.down = u
		}
		if c.End != chain.Page || c.Redirects() > 0 && c.Last().Status == 404 {
			j.wrong = u
		} else if c.Redirects() > j.hops {
			j.hops, j.long = c.Redirects(), u
		}
		d := p.Door(u.Door())
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

// hunt gives how many worlds to make and their source; ROUNDS=2000 SEED=3 goes hunting for others.
func hunt(rounds int, seed uint64) (int, *rand.Rand) {
	rounds /= slower
	if s := os.Getenv("ROUNDS"); s != "" {
		rounds, _ = strconv.Atoi(s)
		seed, _ = strconv.ParseUint(os.Getenv("SEED"), 10, 64)
	}
	return rounds, rand.New(rand.NewPCG(seed, 1))
}

// targetPath makes a path of texts and captures, most of which are used once.
func targetPath(random *rand.Rand, names []string) string {
	to, once := "", random.IntN(8) > 0
	for range random.IntN(3) {
		i := random.IntN(4 + len(names))
		to += append([]string{"a", "b", "/", "0"}, names...)[i]
		if i >= 4 && once {
			names = slices.Delete(slices.Clone(names), i-4, i-3)
		}
	}
	return to
}

// TestNoURLContradictsAProof makes worlds at random and tries many URLs in each: none may contradict what the proof says.
func TestNoURLContradictsAProof(t *testing.T) {
	t.Parallel()
	rounds, random := hunt(100, 21)
	all := entries()
	verdicts := map[Verdict]int{}
	for round := 0; round < rounds; {
		w := randomWorld(random)
		p, ok := w.plan(t)
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
		}
		findings := strings.Join(said(proof), "\n") + "\n"
		for _, r := range p.Rules.Rules() {
			u, wins := j.won[r]
			require.False(t, wins && strings.Contains(findings, "shadowed "+r.Place()+"\n"), "%s wins %s\n%s", r.Old, u, label)
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

// straightened gives a world whose rules are those that Straighten makes of them, and how many it changed.
func (w world) straightened(p *predict.Web) (world, int) {
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
	made.rules = append([]string{}, w.rules...)
	all := Straighten(p)
	for _, s := range all {
		made.rules[s.Line-2] = line(s.New)
		for _, a := range s.Added {
			made.rules = append(made.rules, line(a))
		}
	}
	return made, len(all)
}

// TestStraightenedRulesLeadToTheSame tries many URLs before and after.
func TestStraightenedRulesLeadToTheSame(t *testing.T) {
	t.Parallel()
	rounds, random := hunt(80, 31)
	all := entries()
	changed, added, shorter := 0, 0, 0
	for round := 0; round < rounds; {
		w := randomWorld(random)
		p, ok := w.plan(t)
		if !ok {
			continue
		}
		round++
		if len(p.Rules.Ties()) > 0 {
			continue
		}
		now, n := w.straightened(p)
		if n == 0 {
			continue
		}
		changed += n
		added += len(now.rules) - len(w.rules)
		label := w.String() + "\nnow:\n" + strings.Join(now.rules, "\n")
		q, ok := now.plan(t)
		require.True(t, ok, label)
		for _, u := range all {
			if strings.Contains(u.Path(), ".") || strings.HasPrefix(u.Path(), "/0/") || random.IntN(2) == 0 {
				continue
			}
			was := chain.Follow(context.Background(), p, chain.Ask{URL: u}, chain.Rule)
			is := chain.Follow(context.Background(), q, chain.Ask{URL: u}, chain.Rule)
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
					require.Equal(t, was.Hops[0].Location, is.Hops[0].Location, "a temporary redirect was joined: hop %d of %s\n%s", i, u, label)
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
		"a chain of three": {[]string{"old.example/a,https://two.example/b", "two.example/b,https://old.example/c", "old.example/c,/end#x"}, []string{"2 old.example/a /end#x", "3 two.example/b /end#x"}},
		"patterns":         {[]string{"old.example/a/{x}-{y:digits},https://two.example/b/{y}/{x}", "two.example/b/{n:digits}/{z},/c/{z}?n={n}"}, nil},
		"patterns that only move": {[]string{"old.example/a/{x}-{y:digits},https://two.example/b/{y}/{x}", "two.example/b/{n:digits}/{z},/c/{z}/{n}"},
			[]string{"2 old.example/a/{x}-{y:digits} /c/{x}/{y}"}},
		"most to the fallback, some elsewhere": {[]string{"old.example/blog/{+r},https://two.example/news/{+r}", "two.example/news/special,/special/", "two.example/news/old/{y:digits},/archive/{y}/"},
			[]string{"2 old.example/blog/{+r} /two/news/{+r} + old.example/blog/special /special/ + old.example/blog/old/{part1:digits} /archive/{part1}/"}},
		"some elsewhere, which another rule takes": {[]string{"old.example/blog/{+r},https://two.example/news/{+r}", "two.example/news/special,/special/", "old.example/blog/special,/own/"},
			[]string{"2 old.example/blog/{+r} /two/news/{+r}"}},
		"a temporary hop":      {[]string{"old.example/a,https://two.example/b", "two.example/b,/c,302", "old.example/d,https://two.example/e,302", "two.example/e,/f"}, nil},
		"a query that is lost": {[]string{"old.example/a,https://two.example/b", "two.example/b,/c,,drop"}, nil},
		"a query of its own":   {[]string{"old.example/a,https://two.example/b?x=1", "two.example/b,/c"}, []string{"2 old.example/a /c?x=1"}},
		"a loop":               {[]string{"old.example/a,https://two.example/b", "two.example/b,https://old.example/a"}, nil},
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
