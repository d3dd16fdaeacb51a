package report

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/wording"
)

// Proof is a proof, what it says of every URL, and what it rests on.
func Proof(p *proof.Proof, canonical string) Doc {
	said := *p
	said.Findings = inWords(p.Findings)
	d := ProofSummary(p, canonical)
	summary := d.Blocks
	d.Data = said
	d.Blocks = func(yield func(Block) bool) {
		for b := range summary {
			if !yield(b) {
				return
			}
		}
		for _, b := range []Block{claimTable(p), fallbackTable(p), List{Title: "Assumed", Items: texts(p.Assumes)}} {
			if t, is := b.(Table); is && len(t.Rows) == 0 {
				continue
			}
			if l, is := b.(List); is && len(l.Items) == 0 {
				continue
			}
			if !yield(b) {
				return
			}
		}
	}
	return d
}

// ProofSummary is the verdict of a proof and its findings.
func ProofSummary(p *proof.Proof, canonical string) Doc {
	v := Verdict{Says: words(proofSentence(p, canonical)),
		Tone: map[proof.Verdict]Tone{proof.Refuted: Failed, proof.Undecided: Warned, proof.Proved: Good}[p.Verdict]}
	if v.Tone == Good {
		v.Tone = max(Good, worst(p.Findings))
	}
	chains := cat(words("For the chains: "), copied("upperpath rules straighten"))
	switch has := finding.Has(p.Findings, finding.RuleChain); {
	case worst(p.Findings) == Failed:
		first := p.Findings[0]
		v.Next = cat(words("Begin with "), copied(first.Code.String()), wordsf(" at %s.", first.Subject))
		if has {
			v.Next = cat(v.Next, words(" "), chains)
		}
	case has:
		v.Next = chains
	}
	return Doc{Name: "proof", Main: "claims", Blocks: of(append([]Block{v}, findingBlocks(p.Findings)...)...)}
}

func texts(all []string) []Text {
	made := make([]Text, len(all))
	for i, s := range all {
		made[i] = words(s)
	}
	return made
}

// proofSentence says the verdict as a client understands it.
func proofSentence(p *proof.Proof, canonical string) string {
	about := wording.Count(p.Doors, "door")
	if p.Rules > 0 {
		about += " and " + wording.Count(p.Rules, "rule")
	}
	switch p.Verdict {
	case proof.Proved:
		return fmt.Sprintf(
			"Proved: every URL at any of the doors arrives where it should, on %s or where its rule says, in at most %s (%s).",
			canonical,
			wording.Count(p.Bound, "hop"),
			about,
		)
	case proof.Undecided:
		return fmt.Sprintf(
			"Undecided: it holds for most URLs, but for some it could be neither proved nor refuted (%s).",
			about,
		)
	}
	for _, f := range p.Findings {
		if witness, ok := f.Evidence["witness"].(string); ok && f.Severity == finding.Error {
			return fmt.Sprintf("Refuted: it does not hold for every URL. One that goes wrong is %s (%s).", witness, about)
		}
	}
	return fmt.Sprintf("Refuted: it does not hold for every URL (%s).", about)
}

// claims says what is proved, or not, for every URL.
var claims = []struct {
	claim finding.Claim
	says  string
}{
	{finding.Arrives, "every URL arrives"},
	{finding.NeverLoops, "nothing loops"},
	{finding.StaysSecure, "no hop from https to http"},
	{finding.KeepsWhole, "path and query are kept where the plan says so"},
	{finding.NeverTied, "no two rules are tied"},
	{finding.EachRuleWins, "every rule wins for some URL"},
	{finding.NoRuleChains, "no rule leads to another"},
}

func claimTable(p *proof.Proof) Table {
	t := Table{Sheet: "claims", Head: []string{"for every URL", "verdict"}}
	for _, c := range claims {
		n, tone := 0, Good
		for _, f := range p.Findings {
			if f.Code.Denies(c.claim) {
				n++
				tone = max(tone, toneOf(f.Severity))
			}
		}
		said := "yes"
		switch {
		case n == 0 && c.claim == finding.EachRuleWins && p.Barred > 0:
			said, tone = "no: "+wording.Count(p.Barred, "rule")+" beyond a carrier", Failed
		case n > 0:
			said = "no: " + wording.Count(n, "finding")
		case finding.Has(p.Findings, finding.Undecided) && c.claim != finding.NeverTied:
			said, tone = "not decided for all", Noted
		}
		t.Rows = append(t.Rows, []Cell{{Text: words(c.says)}, {words(said), tone}})
	}
	hops, tone := fmt.Sprintf("%s (wanted: %d)", wording.Count(p.Bound, "hop"), p.Policy), Good
	if p.Bound > p.Policy {
		tone = Warned
	}
	if p.Verdict != proof.Proved {
		hops = "of those that arrive, " + hops
	}
	t.Rows = append(t.Rows, []Cell{{Text: words("most hops of any URL")}, {words(hops), tone}})
	pages, tone := pagesSentence(p)
	t.Rows = append(t.Rows, []Cell{{Text: words("the pages that they arrive on exist")}, {words(pages), tone}})
	return t
}

// pagesSentence says what a proof promises of pages, and what it does not.
func pagesSentence(p *proof.Proof) (string, Tone) {
	if !p.Pages.Known {
		return "nobody has said which do (site.pages)", Unseen
	}
	says := wording.Count(p.Pages.Checked, "target") + " checked"
	var open []string
	if n := p.Pages.Captured; n > 0 {
		open = append(open, fmt.Sprintf("%d captured", n))
	}
	if n := p.Pages.SamePath; n > 0 {
		open = append(open, fmt.Sprintf("%d same-path", n))
	}
	if len(open) == 0 {
		return says, Good
	}
	return says + "; not: " + strings.Join(open, ", "), Unseen
}

func fallbackTable(p *proof.Proof) Table {
	t := Table{Sheet: "fallback", Head: []string{"domain", "rules", "what no rule takes goes to"}}
	for _, f := range p.Fallback {
		t.Rows = append(t.Rows, cells(unicodeName(f.Domain), fmt.Sprint(f.Rules), f.To))
	}
	return t
}
