package report

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Proof is a proof, what it says of every URL, and what it rests on.
func Proof(p *proof.Proof, canonical string) doc.Doc {
	said := *p
	said.Findings = inWords(p.Findings)
	d := ProofSummary(p, canonical)
	summary := d.Blocks
	d.Data = said
	d.Blocks = func(yield func(doc.Block) bool) {
		for b := range summary {
			if !yield(b) {
				return
			}
		}
		for _, b := range []doc.Block{claimTable(p), fallbackTable(p),
			doc.List{Title: "Assumed", Items: texts(p.Assumes)}} {
			if t, is := b.(doc.Table); is && len(t.Rows) == 0 {
				continue
			}
			if l, is := b.(doc.List); is && len(l.Items) == 0 {
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
func ProofSummary(p *proof.Proof, canonical string) doc.Doc {
	v := doc.Verdict{Says: doc.Phrase(proofSentence(p, canonical)),
		Tone: map[proof.Verdict]doc.Tone{proof.Refuted: doc.Failed, proof.Undecided: doc.Warned,
			proof.Proved: doc.Good}[p.Verdict]}
	if v.Tone == doc.Good {
		v.Tone = max(doc.Good, worst(p.Findings))
	}
	chains := doc.Cat(doc.Phrase("For the chains: "), doc.Copy("upperpath rules straighten"))
	switch has := finding.Has(p.Findings, finding.RuleChain); {
	case worst(p.Findings) == doc.Failed:
		first := p.Findings[0]
		v.Next = doc.Cat(doc.Phrase("Start with "), doc.Copy(first.Code.String()),
			doc.Phrasef(" at %s.", first.Subject))
		if has {
			v.Next = doc.Cat(v.Next, doc.Phrase(" "), chains)
		}
	case has:
		v.Next = chains
	}
	return doc.Doc{Name: "proof", Main: "claims",
		Blocks: doc.Of(append([]doc.Block{v}, findingBlocks(p.Findings)...)...)}
}

func texts[T fmt.Stringer](all []T) []doc.Text {
	made := make([]doc.Text, len(all))
	for i, s := range all {
		made[i] = doc.Phrase(s.String())
	}
	return made
}

// plainTexts gives sentences as texts.
func plainTexts(all []fact.Sentence) []string {
	made := make([]string, len(all))
	for i, s := range all {
		made[i] = s.String()
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
		said := fmt.Sprintf(words.Proved, canonical, wording.Count(p.Bound, "hop"), about)
		if _, lived := finding.Opened(p.Findings); len(lived) > 0 {
			said = fmt.Sprintf(words.ProvedBut, wording.Count(len(lived), "finding"),
				wording.Verb(len(lived), "is", "are"), wording.LowerFirst(strings.TrimPrefix(said, "Proved: ")))
		}
		return said
	case proof.Undecided:
		return fmt.Sprintf(
			words.Undecided,
			about,
		)
	}
	for _, f := range p.Findings {
		if witness, ok := f.Evidence["witness"].(string); ok && f.Open() && f.Severity == finding.Error {
			return fmt.Sprintf(words.RefutedBy,
				witness, about)
		}
	}
	return fmt.Sprintf(words.Refuted, about)
}

// claims says what is proved, or not, for every URL.
var claims = []struct {
	claim finding.Claim
	says  string
}{
	{finding.Arrives, "every URL arrives"},
	{finding.NeverLoops, "nothing loops"},
	{finding.StaysSecure, "no hop from https to http"},
	{finding.KeepsWhole, "path and query are kept where planned"},
	{finding.NeverTied, "no two rules are tied"},
	{finding.EachRuleWins, "every rule wins for some URL"},
	{finding.NoRuleChains, "no rule leads to another"},
}

func claimTable(p *proof.Proof) doc.Table {
	t := doc.Table{Sheet: "claims", Head: []string{"for every URL", "verdict"}}
	for _, c := range claims {
		n, lived, tone := 0, 0, doc.Good
		for _, f := range p.Findings {
			switch {
			case !f.Code.Denies(c.claim):
			case !f.Open():
				lived++
			default:
				n++
				tone = max(tone, doc.ToneOf(f.Severity))
			}
		}
		said := "yes"
		switch {
		case n == 0 && c.claim == finding.EachRuleWins && p.Barred > 0:
			said, tone = "no: "+wording.Count(p.Barred, "rule")+" beyond a carrier", doc.Failed
		case n > 0:
			said = "no: " + wording.Count(n, "finding")
		case finding.Has(p.Findings, finding.Undecided) && c.claim != finding.NeverTied:
			said, tone = "not decided for all", doc.Noted
		case lived > 0:
			said, tone = fmt.Sprintf(words.YesBut, lived), doc.Noted
		}
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(c.says)}, {Text: doc.Phrase(said), Tone: tone}})
	}
	hops, tone := fmt.Sprintf("%s (wanted: %d)", wording.Count(p.Bound, "hop"), p.Policy), doc.Good
	if p.Bound > p.Policy {
		tone = doc.Warned
	}
	if p.Verdict != proof.Proved {
		hops = "of those that arrive, " + hops
	}
	t.Rows = append(t.Rows,
		[]doc.Cell{{Text: doc.Phrase("most hops of any URL")}, {Text: doc.Phrase(hops), Tone: tone}})
	pages, tone := pagesSentence(p)
	t.Rows = append(t.Rows,
		[]doc.Cell{{Text: doc.Phrase("the pages at which they arrive exist")},
			{Text: doc.Phrase(pages), Tone: tone}})
	return t
}

// pagesSentence says what a proof promises of pages, and what it does not.
func pagesSentence(p *proof.Proof) (string, doc.Tone) {
	if !p.Pages.Known {
		return "no list of pages is named (site.pages)", doc.Unseen
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
		return says, doc.Good
	}
	return says + "; not: " + strings.Join(open, ", "), doc.Unseen
}

func fallbackTable(p *proof.Proof) doc.Table {
	t := doc.Table{Sheet: "fallback", Head: []string{"domain", "rules", "URLs without a rule go to"}}
	for _, f := range p.Fallback {
		t.Rows = append(t.Rows, doc.Cells(unicodeName(f.Domain), fmt.Sprint(f.Rules), f.To.String()))
	}
	return t
}
