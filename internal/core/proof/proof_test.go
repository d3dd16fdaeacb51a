package proof

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/test/worlds"
)

const head = worlds.Head

// prove makes a plan of estate lines and rules, and proves it.
func prove(t testing.TB, domains string, rules ...string) (*predict.Prediction, *Proof) {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "upperpath.yaml"), []byte(head+domains), 0o600))
	require.NoError(
		t,
		os.WriteFile(filepath.Join(dir, "rules.csv"),
			[]byte("old,new,status,query\n"+strings.Join(rules, "\n")+"\n"), 0o600),
	)
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	p := predict.New(predict.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages})
	return p, Prove(p, nil)
}

func said(p *Proof) []string {
	var all []string
	for _, f := range p.Findings {
		all = append(all, f.Code.String()+" "+f.Subject)
	}
	return all
}

// TestADowngradeThatIsNotDecidedIsSaid hides a rule that leads to http behind a better one, among
// so many others that the search gives up.
func TestADowngradeThatIsNotDecidedIsSaid(t *testing.T) {
	rules := []string{"old.example/q{+r},http://two.example/b", "https://old.example/q{+s},/0"}
	for _, letter := range "abcdefghijklmnop" {
		rules = append(rules, fmt.Sprintf("https://old.example/q{x}%c{+y},/1", letter))
	}
	_, p := prove(t, "domains: [n.example, old.example, two.example]\n", rules...)
	i := slices.IndexFunc(p.Findings, func(f finding.Finding) bool {
		return f.Code == finding.Undecided
	})
	require.GreaterOrEqual(t, i, 0, "%v", said(p))
	assert.Equal(
		t,
		"It could not be decided what holds for rules line 2: it may lead from https to http.",
		p.Findings[i].Says.String(),
	)
}

func TestWhatHolds(t *testing.T) {
	const plain = "domains: [n.example, old.example, two.example]\n"
	long := strings.Repeat("a-very-long-name-of-a-folder/", 12)
	for name, c := range map[string]struct {
		domains string
		rules   []string
		verdict Verdict
		bound   int
		says    []string
	}{
		"straight to the site": {
			plain, []string{"old.example/a,/b", "old.example/c/{x},/d/{x}", "old.example/gone,,410"}, Proved,
			1, nil,
		},
		"a chain of rules": {
			plain, []string{"old.example/a/{x},https://two.example/b/{x}", "two.example/b/{x},/c/{x}"},
			Proved, 2,
			[]string{"rule-chain rules line 2"},
		},
		"a chain to a fallback": {
			plain, []string{"old.example/a,https://n.example/b"}, Proved, 2,
			[]string{"rule-chain rules line 2"},
		},
		"a loop of exact rules": {
			plain, []string{"old.example/a,https://two.example/b", "two.example/b,https://old.example/a"},
			Refuted, 1,
			[]string{"rule-loop rules lines 2 and 3"},
		},
		"a loop for URLs of one form only": {plain,
			[]string{"old.example/{x}/list,https://two.example/l/{x}",
				"two.example/l/{x},https://old.example/a{x}/list", "two.example/l/ab,/b"}, Refuted, 2,
			[]string{"rule-loop rules lines 2 and 3", "rule-chain rules line 2"}},
		"a growing loop": {
			plain, []string{"old.example/s/{+r},https://old.example/s/s/{+r}"}, Refuted, 1,
			[]string{"rule-loop rules line 2"},
		},
		"a chain that peels its path ends, but too late": {
			plain, []string{"old.example/x/b/a/{+r},https://old.example/{+r}"}, Refuted, 20,
			[]string{"too-many-hops rules line 2"},
		},
		"one hop more than browsers take": {
			plain, tooLong(21), Refuted, 20, []string{"too-many-hops rules lines 2 to 22"},
		},
		"as many as browsers take": {
			plain, tooLong(19), Proved, 20, []string{"rule-chain rules line 2"},
		},
		"a query that a domain's leads-to brings decides": {
			"domains: [n.example, {name: old.example, leads-to: " +
				"\"https://two.example/i?p=1&q\", fallback: home}, two.example]\n",
			[]string{"two.example/i?p=1,https://old.example/x", "two.example/i?p=2,/never-from-old"},
			Refuted, 1,
			[]string{"rule-loop rules line 2"}},
		"another query is not that one": {"domains: [n.example, {name: old.example, leads-to: " +
			"\"https://two.example/i?p=3&q\", fallback: home}, two.example]\n",
			[]string{"two.example/i?p=1,https://old.example/x"}, Proved, 3,
			[]string{"extra-hop http://old.example"}},
		"a pair that loops only below itself": {
			plain,
			[]string{"old.example/a/{x}/{y},https://two.example/{y}/{x}",
				"two.example/b/{x},https://old.example/a/{x}/b"},
			Refuted, 2, []string{"rule-loop rules lines 2 and 3", "rule-chain rules line 2"},
		},
		"a way that a better rule bars": {
			plain,
			[]string{
				"old.example/a/{x},https://two.example/b/{x}", "two.example/b/{x},https://old.example/a/c",
				"old.example/a/c,/end",
			},
			Proved, 3, []string{"rule-chain rules line 2", "rule-chain rules line 3"},
		},
		"a way that a better rule bars, with long names": {
			plain,
			[]string{
				"old.example/" + long + "a/{x},https://two.example/" + long + "b/{x}",
				"two.example/" + long + "b/{x},https://old.example/" + long + "a/c",
				"old.example/" + long + "a/c,/end",
			},
			Proved, 3, []string{"rule-chain rules line 2", "rule-chain rules line 3"},
		},
		"shadowed by several together": {
			plain, []string{"old.example/{x},/1", "http://old.example/{y},/2", "https://old.example/{z},/3"},
			Proved, 1,
			[]string{"shadowed rules line 2"},
		},
		"shadowed by nobody": {
			plain, []string{"old.example/{x:digits},/1", "old.example/{+x},/2", "old.example/{y},/3"},
			Proved, 1, nil,
		},
		"nobody carries its door": {
			"domains: [n.example, {name: old.example, carrier: form, fallback: home}]\n",
			[]string{"old.example/a,/b"},
			Refuted, 1, []string{"query-lost", "beyond-carrier http://old.example"},
		},
		"a tie": {
			plain, []string{"old.example/a/{x},/1", "old.example/{y}/b,/2"}, Refuted, 1,
			[]string{"tie rules lines 2 and 3"},
		},
		"a downgrade": {
			plain, []string{"old.example/a/{x},http://www.n.example/{x}"}, Refuted, 2,
			[]string{"downgrade rules line 2", "rule-chain rules line 2"},
		},
		"an edge over plain http": {
			"domains: [n.example, {name: old.example, carrier: edge}]\npolicy: {upgrade: same-host-first}\n",
			nil, Refuted, 2,
			[]string{"loop https://old.example", "loop https://www.old.example"},
		},
		"conditions that exclude": {
			plain,
			[]string{"old.example/i?p=1,https://two.example/i?p=2",
				"two.example/i?p=1,https://old.example/i?p=1"},
			Proved, 3, []string{"rule-chain rules line 2", "rule-chain rules line 3"},
		},
		"a parameter that was used up decides nothing more": {
			plain,
			[]string{"old.example/i?p=1,https://two.example/i",
				"two.example/i?p={v},https://old.example/i?p=1"},
			Proved, 3, []string{"rule-chain rules line 2", "rule-chain rules line 3"},
		},
		"nor does one that was dropped": {
			plain,
			[]string{"old.example/i,https://two.example/i,,drop", "two.example/i?p=1,https://old.example/i"},
			Proved, 3,
			[]string{"rule-chain rules line 2", "rule-chain rules line 3"},
		},
		"conditions that go round": {
			plain,
			[]string{"old.example/i?p={v},https://two.example/i?q={v}",
				"two.example/i?q={v},https://old.example/i?p={v}"},
			Refuted, 1, []string{"rule-loop rules lines 2 and 3"},
		},
		"a host with a capture": {
			plain, []string{"old.example/b/{x},https://{x}.n.example/"}, Refuted, 2, []string{"no-address"},
		},
		"the longest chain is not the last": {
			"domains: [n.example, old.example]\npolicy: {upgrade: same-host-first}\n", nil, Proved, 2, nil,
		},
		"https first": {
			"domains: [n.example, old.example]\npolicy: {upgrade: same-host-first}\n",
			[]string{"old.example/a,/b"}, Proved, 2,
			nil,
		},
		"dots that browsers resolve": {
			plain,
			[]string{"old.example/a{x},https://two.example/{x}/b", "two.example/b,https://old.example/a."},
			Refuted, 1,
			nil,
		},
		"a domain that leads to another": {
			"domains: [n.example, {name: old.example, leads-to: \"https://two.example/x\"}, {name: " +
				"two.example, leads-to: " +
				"\"https://old.example/\"}]\n",
			nil, Refuted, 1, nil,
		},
	} {
		t.Run(name, func(t *testing.T) {
			p, proof := prove(t, c.domains, c.rules...)
			assert.Equal(t, c.verdict, proof.Verdict, said(proof))
			for _, s := range c.says {
				assert.Contains(t, strings.Join(said(proof), "\n"), s)
			}
			if c.says == nil && c.verdict == Proved {
				assert.Empty(t, said(proof))
			}
			if c.verdict == Proved {
				assert.Equal(t, c.bound, proof.Bound)
				deepest := chain.Follow(context.Background(), p,
					chain.Ask{URL: web.MustParseURL(proof.Deepest)}, chain.ByRule)
				assert.Equal(t, c.bound, deepest.Redirects(), proof.Deepest)
			}
			confirmed(t, p, proof)
		})
	}
}

// tooLong gives rules that lead to each other, one behind the other.
func tooLong(n int) []string {
	var rules []string
	for i := range n {
		rules = append(rules, fmt.Sprintf("old.example/%d,https://old.example/%d", i, i+1))
	}
	return rules
}

// TestWhatTheSiteItselfRedirects proves worlds in which the site has redirects of its own, or paths
// are exempt.
func TestWhatTheSiteItselfRedirects(t *testing.T) {
	estate := strings.Replace(
		head,
		"also: [",
		"rules: site.csv, also: [",
		1,
	) + "domains: [n.example, old.example, two.example]\n"
	for name, c := range map[string]struct {
		world   worlds.World
		verdict Verdict
		says    []string
	}{
		"nothing that matters": {
			made(estate, []string{"old.example/a,/b"}, []string{"www.n.example/c,/d"}), Proved, nil},
		"a circle of the site is one finding, whoever leads into it": {
			made(estate, []string{"old.example/r/{x},/blog/{x}"},
				[]string{"www.n.example/blog/{r},/news/{r}", "www.n.example/news/x{y},/blog/x{y}"}), Refuted,
			[]string{"rule-loop site.rules lines 2 and 3", "rule-chain rules line 2"}},
		"its chains": {
			made(estate, []string{"old.example/q,/a"}, []string{"www.n.example/a,/b", "www.n.example/b,/c"}),
			Proved,
			[]string{"rule-chain rules line 2", "rule-chain site.rules line 2"},
		},
		"its ties": {
			made(estate, nil, []string{"www.n.example/a/{x},/1", "www.n.example/{y}/b,/2"}), Refuted,
			[]string{"tie site.rules lines 2 and 3"},
		},
		"a rule that leads to an exempt path": {
			made(head+"domains: [n.example, old.example, two.example]\n"+
				"policy: {exempt: [/x/]}\n", []string{"https://old.example/a/{x},http://two.example/x/{x}"},
				nil), Refuted,
			[]string{"downgrade rules line 2", "dead-end http://two.example/x/y"}},
		"a root that goes round, met by a probe and by its rule": {
			made(head+"domains: [n.example, old.example, "+
				"two.example]\n",
				[]string{"old.example/,https://two.example/", "two.example/,https://old.example/"}, nil),
			Refuted,
			[]string{"rule-loop rules lines 2 and 3"}},
	} {
		t.Run(name, func(t *testing.T) {
			p, ok := webOf(t, c.world)
			require.True(t, ok)
			proof := Prove(p, nil)
			assert.Equal(t, c.verdict, proof.Verdict)
			assert.Equal(t, c.says, said(proof))
			confirmed(t, p, proof)
		})
	}
}

// made gives a world of an estate, its redirect map and what its site redirects.
func made(estate string, rules, site []string) worlds.World {
	return worlds.World{Estate: estate, Rules: rules, Site: site}
}

func TestAPartIsProvedAlone(t *testing.T) {
	p, whole := prove(
		t,
		"domains: [n.example, old.example, two.example]\n",
		"old.example/a,/b",
		"two.example/a,https://two.example/b",
		"two.example/b,https://two.example/a",
	)
	assert.Equal(t, Refuted, whole.Verdict)
	only := func(d *estate.Domain) bool { return d.Name.String() == "old.example" }
	part := Prove(predict.New(predict.Input{Estate: p.Estate, Rules: p.Rules.Rules(), Only: only}),
		nil)
	assert.Equal(t, Proved, part.Verdict)
	assert.Equal(t, 1, part.Rules)
}

// confirmed follows every witness: it shows what it claims.
func confirmed(t *testing.T, p *predict.Prediction, proof *Proof) {
	t.Helper()
	for _, f := range proof.Findings {
		w, ok := f.Evidence["witness"].(string)
		if !ok {
			continue
		}
		c := chain.Follow(context.Background(), p, chain.Ask{URL: web.MustParseURL(w)}, chain.ByRule)
		switch f.Code.String() {
		case "rule-loop", "loop", "growing-loop":
			assert.Contains(t, []chain.End{chain.Loop, chain.Limit}, c.End, w)
		case "rule-chain":
			assert.Greater(t, c.Redirects(), 1, w)
		case "downgrade":
			assert.True(t, downgrades(c), "%s %v", w, f)
		case "no-address":
			assert.Equal(t, chain.NoAnswer, c.End, w)
		}
	}
}

func downgrades(c chain.Chain) bool {
	for i, h := range c.Hops[1:] {
		if c.Hops[i].URL.Scheme() == web.HTTPS && h.URL.Scheme() == web.HTTP {
			return true
		}
	}
	return c.LoopsTo != nil && c.Last().URL.Scheme() == web.HTTPS &&
		c.Hops[*c.LoopsTo].URL.Scheme() == web.HTTP
}

// randomRules makes a small table of two hosts that lead to each other and to the site.
func randomRules(random *rand.Rand) []string {
	pieces := []string{"a", "b", "/", "{x}", "{y:digits}", "0"}
	var rules []string
	for range 1 + random.IntN(4) {
		old, names := "", []string{}
		for n := range 1 + random.IntN(3) {
			piece := pieces[random.IntN(len(pieces))]
			if strings.HasPrefix(piece, "{") {
				piece = strings.Replace(piece, piece[1:2], fmt.Sprintf("c%d", n), 1)
				names = append(names, fmt.Sprintf("{c%d}", n))
			}
			old += piece
		}
		if random.IntN(4) == 0 {
			old += "{+r}" + []string{"", "", "a", "/b", "0"}[random.IntN(5)]
			names = append(names, "{+r}")
		}
		to := worlds.TargetPath(random, names)
		door := []string{"", "https://old.example", "https://two.example",
			"https://two.example"}[random.IntN(4)]
		rules = append(rules, []string{"old", "two"}[random.IntN(2)]+".example/"+old+","+door+"/"+to)
	}
	return rules
}

// TestTheVerdictEqualsTryingEveryURL makes random tables, tries every URL of a small alphabet, and
// compares: no URL may contradict a proof, and what is refuted has a witness that shows it.
func TestTheVerdictEqualsTryingEveryURL(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(11, 12))
	paths := worlds.Grown("/", 4, "a", "b", "/", "0", "c", ".")
	verdicts, undecided := map[Verdict]int{}, 0
	for round := 0; round < 200/slower; round++ {
		rules := randomRules(random)
		if !parses(t, rules) {
			round--
			continue
		}
		p, proof := prove(t, "domains: [n.example, old.example, two.example]\n", rules...)
		verdicts[proof.Verdict]++
		confirmed(t, p, proof)
		ties := false
		for _, f := range proof.Findings {
			ties = ties || f.Code == finding.Tie
		}
		worst, hops := "", 0
		for _, host := range []string{"old.example", "www.two.example", "two.example"} {
			for _, path := range paths {
				c := chain.Follow(context.Background(), p,
					chain.Ask{URL: web.MustParseURL("https://" + host + path)}, chain.ByRule)
				if c.End == chain.Loop || c.End == chain.Limit || c.End == chain.NoAnswer {
					worst = c.Entry.String()
				} else {
					hops = max(hops, c.Redirects())
				}
			}
		}
		label := fmt.Sprintf("%s\n%v", strings.Join(rules, "\n"), said(proof))
		switch proof.Verdict {
		case Proved:
			require.Empty(t, worst, label)
			require.LessOrEqual(t, hops, proof.Bound, label)
		case Refuted:
			if worst == "" && !ties {
				t.Logf("only a longer URL shows it: %s", label)
			}
		case Undecided:
			if worst == "" && !repeats(rules) {
				undecided++
				t.Logf("undecided, and no URL is wrong: %s", label)
			}
		}
		if worst != "" {
			require.NotEqual(t, Proved, proof.Verdict, label)
		}
	}
	t.Log(verdicts)
	assert.Greater(t, verdicts[Proved], 40/slower)
	assert.Greater(t, verdicts[Refuted], 5/slower)
	assert.Zero(t, undecided, "where no target uses a capture twice, all is decided")
}

// repeats reports whether a target uses a capture twice, which makes more than a proof of this kind
// decides.
func repeats(rules []string) bool {
	for _, r := range rules {
		_, to, _ := strings.Cut(r, ",")
		seen := map[string]bool{}
		for _, p := range strings.SplitAfter(to, "}") {
			if i := strings.IndexByte(p, '{'); i >= 0 {
				if seen[p[i:]] {
					return true
				}
				seen[p[i:]] = true
			}
		}
	}
	return false
}

func parses(t *testing.T, rules []string) bool {
	t.Helper()
	dir := t.TempDir()
	require.NoError(
		t,
		os.WriteFile(
			filepath.Join(dir, "upperpath.yaml"),
			[]byte(head+"domains: [n.example, old.example, two.example]\n"),
			0o600,
		),
	)
	require.NoError(
		t,
		os.WriteFile(filepath.Join(dir, "rules.csv"),
			[]byte("old,new,status,query\n"+strings.Join(rules, "\n")+"\n"), 0o600),
	)
	_, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	return err == nil
}
