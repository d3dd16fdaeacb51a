package report

import (
	"fmt"
	"io"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/proof"
)

// Proof writes a proof in a format: text, json or md.
func Proof(w io.Writer, format string, p *proof.Proof, canonical string, s Style) error {
	switch format {
	case "json":
		said := *p
		said.Findings = inWords(p.Findings)
		return JSON(w, said)
	case "md":
		proofMD(w, scrubbed(p), canonical)
		return nil
	}
	proofText(w, scrubbed(p), canonical, s)
	return nil
}

// proofSentence says the verdict as a client understands it.
func proofSentence(p *proof.Proof, canonical string) string {
	about := plural(p.Doors, "door")
	if p.Rules > 0 {
		about += " and " + plural(p.Rules, "rule")
	}
	switch p.Verdict {
	case proof.Proved:
		return fmt.Sprintf(
			"Proved: every URL at any of the doors arrives where it should, on %s or where its rule says, in at most %s (%s).",
			canonical,
			plural(p.Bound, "hop"),
			about,
		)
	case proof.Undecided:
		return fmt.Sprintf(
			"Undecided: for most URLs it holds, but for some it could be neither proved nor refuted (%s).",
			about,
		)
	}
	for _, f := range p.Findings {
		if witness, ok := f.Evidence["witness"].(string); ok && f.Severity == finding.Error {
			return fmt.Sprintf("Refuted: it does not hold for every URL. One of those that go wrong is %s (%s).", witness, about)
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

func claimRows(p *proof.Proof) (rows [][]string, worst []finding.Severity) {
	for _, c := range claims {
		n, severity := 0, finding.Severity("")
		for _, f := range p.Findings {
			if f.Code.Denies(c.claim) {
				n++
				if f.Severity.Rank() > severity.Rank() {
					severity = f.Severity
				}
			}
		}
		said := "yes"
		switch {
		case n == 0 && c.claim == finding.EachRuleWins && p.Barred > 0:
			said, severity = "no: "+plural(p.Barred, "rule")+" beyond a carrier", finding.Error
		case n > 0:
			said = "no: " + plural(n, "finding")
		case finding.Has(p.Findings, finding.Undecided) && c.claim != finding.NeverTied:
			said, severity = "not decided for all", finding.Note
		}
		rows, worst = append(rows, []string{c.says, said}), append(worst, severity)
	}
	hops := fmt.Sprintf("%s (wanted: %d)", plural(p.Bound, "hop"), p.Policy)
	severity := finding.Severity("")
	if p.Bound > p.Policy {
		severity = finding.Warning
	}
	if p.Verdict != proof.Proved {
		hops = "of those that arrive, " + hops
	}
	return append(rows, []string{"most hops of any URL", hops}), append(worst, severity)
}

func proofText(w io.Writer, p *proof.Proof, canonical string, s Style) {
	tone := map[proof.Verdict]finding.Severity{proof.Refuted: finding.Error, proof.Undecided: finding.Warning}[p.Verdict]
	fmt.Fprintf(w, "%s\n\n", s.severity(tone, indent(proofSentence(p, canonical), "", s.width())))
	t := s.newTable()
	t.AppendHeader(row([]string{"for every URL", ""}))
	rows, worst := claimRows(p)
	for i, r := range rows {
		t.AppendRow(row2(r[0], s.severity(worst[i], sign(worst[i])+" "+r[1])))
	}
	render(w, t, s)
	proofFindings(w, p, s, func(finding.Finding) bool { return true })
	if len(p.Falls) > 0 {
		fmt.Fprintln(w)
		t := s.newTable()
		t.AppendHeader(row([]string{"domain", "rules", "everything else goes to"}))
		for _, f := range p.Falls {
			t.AppendRow(row([]string{unicodeName(f.Domain), fmt.Sprint(f.Rules), f.To}))
		}
		render(w, t, s)
	}
	writeList(w, "Taken for granted", p.Assumes, s)
	if len(p.Findings) > 0 {
		says := Verdict(0, 0, p.Findings)
		if finding.Has(p.Findings, finding.RuleChain) {
			says += " For the chains: upperpath rules straighten"
		}
		fmt.Fprintf(w, "\n%s\n", says)
	}
}

// mostOfACode is how many findings of one code are written in full.
const mostOfACode = 10

// proofFindings writes the findings of a proof, with the chain of each for which that is wanted.
func proofFindings(w io.Writer, p *proof.Proof, s Style, chained func(finding.Finding) bool) {
	count := map[finding.Code]int{}
	for _, f := range p.Findings {
		count[f.Code]++
	}
	written := map[finding.Code]int{}
	for _, f := range p.Findings {
		if written[f.Code]++; written[f.Code] > mostOfACode {
			if more := count[f.Code] - mostOfACode; written[f.Code] == mostOfACode+1 {
				fmt.Fprintf(w, "\n%s\n", s.faint(fmt.Sprintf("and %d more of %s; --format json has them all", more, f.Code)))
			}
			continue
		}
		fmt.Fprintln(w)
		TextFindings(w, []finding.Finding{f}, s)
		if !chained(f) {
			continue
		}
		for _, line := range drawn(f) {
			fmt.Fprintf(w, "    %s\n", s.faint(line))
		}
	}
}

func row2(a, b string) []any { return []any{a, b} }

// ProofSummary writes the verdict of a proof and its findings, in a few lines each.
func ProofSummary(w io.Writer, p *proof.Proof, canonical string, s Style) {
	p = scrubbed(p)
	tone := map[proof.Verdict]finding.Severity{proof.Refuted: finding.Error, proof.Undecided: finding.Warning}[p.Verdict]
	fmt.Fprintf(w, "%s\n", s.severity(tone, indent(proofSentence(p, canonical), "", s.width())))
	proofFindings(w, p, s, func(f finding.Finding) bool { return f.Severity == finding.Error })
}

// drawn gives the chain of a witness, a line a hop.
func drawn(f finding.Finding) []string {
	steps, ok := f.Evidence["chain"].([]string)
	if !ok {
		return nil
	}
	const most = 8
	var lines []string
	for i, step := range steps {
		if len(steps) > most && i > 0 && i < len(steps)-1 { // the beginning and the end tell it
			if i == 1 {
				lines = append(lines, fmt.Sprintf("   … %d more", len(steps)-2))
			}
			continue
		}
		url, answer, _ := cutLast(step)
		if answer == "" {
			lines = append(lines, "↺ "+url)
			continue
		}
		mark := "→"
		if i == 0 {
			mark = "•"
		}
		lines = append(lines, fmt.Sprintf("%s %s  %s", mark, cut(url, 160), answer))
	}
	return lines
}

// cutLast parts a step of a chain into URL and answer.
func cutLast(step string) (url, answer string, ok bool) {
	if strings.HasPrefix(step, "and back to ") {
		return step, "", true
	}
	i := strings.LastIndexByte(step, ' ')
	if i < 0 {
		return step, "", false
	}
	return step[:i], step[i+1:], true
}

func proofMD(w io.Writer, p *proof.Proof, canonical string) {
	fmt.Fprintf(w, "# %s\n", md(proofSentence(p, canonical)))
	rows, _ := claimRows(p)
	mdTable(w, "## For every URL", []string{"claim", "verdict"}, rows)
	MDFindings(w, p.Findings)
	for _, f := range p.Findings {
		if lines := drawn(f); len(lines) > 0 {
			fmt.Fprintf(w, "\n%s:\n\n", md(f.Subject))
			for _, l := range lines {
				fmt.Fprintf(w, "    %s\n", l)
			}
		}
	}
	var falls [][]string
	for _, f := range p.Falls {
		falls = append(falls, []string{unicodeName(f.Domain), fmt.Sprint(f.Rules), f.To})
	}
	mdTable(w, "## What no rule takes", []string{"domain", "rules", "everything else goes to"}, falls)
	fmt.Fprint(w, "\n## Taken for granted\n\n")
	for _, a := range p.Assumes {
		fmt.Fprintf(w, "- %s\n", md(a))
	}
}
