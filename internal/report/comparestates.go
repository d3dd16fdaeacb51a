package report

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/wording"
)

// stateComparison is what two audits or plans differ in, as JSON has it.
type stateComparison struct {
	Schema  string         `json:"schema"`
	Kind    string         `json:"kind"`
	Before  string         `json:"before"`
	After   string         `json:"after"`
	New     []recheck.Item `json:"new"`
	Mended  []recheck.Item `json:"mended"`
	Changed []recheck.Item `json:"changed"`
	Unseen  []recheck.Gap  `json:"unseen"`
	Same    int            `json:"same"`
	Known   int            `json:"known"`
}

// CompareStates is what two audits or two plans differ in.
func CompareStates(kind, before, after string, n *recheck.News) Doc {
	d := Doc{Name: "comparison", Title: fmt.Sprintf("The %s: from %s to %s", wording.Plural(kind), before, after),
		Main: "differences", Data: stateComparison{"upperpath/differences/1", kind, before, after, n.New, n.Mended, n.Changed,
			n.Unseen, n.Same, n.Known}}
	blocks := append([]Block{comparedVerdict(n, len(n.Changed))}, comparedFindings(n)...)
	if changes := changesTold(n.Changed); len(changes) > 0 {
		blocks = append(blocks, List{Title: "Changed", Tone: Warned, Items: changes,
			More: command("--format csv") + " has them all"})
	}
	sheet := newsSheet(n)
	sheet.Sheet = "differences"
	d.Blocks = of(append(blocks, comparedAside(n, sheet)...)...)
	return d
}

// comparedVerdict says whether it got better or worse.
func comparedVerdict(n *recheck.News, changes int) Verdict {
	v := Verdict{Tone: Good}
	worse := finding.Severity("")
	for _, i := range n.New {
		if i.Severity.Rank() > worse.Rank() {
			worse = i.Severity
		}
	}
	switch {
	case worse.Rank() > finding.Note.Rank():
		v.Tone = toneOf(worse)
	case changes > 0:
		v.Tone = Warned
	case len(n.Unseen) > 0:
		v.Tone = Unseen
	case len(n.New) > 0:
		v.Tone = Noted
	}
	v.Says = wordsf("Findings: %d new, %d mended, %d the same.", len(n.New), len(n.Mended), n.Known)
	if changes > 0 {
		v.Says = cat(v.Says, wordsf(" %s changed.", wording.Count(changes, "other fact")))
	}
	return v
}

// comparedFindings lists findings that are new, and those that are mended.
func comparedFindings(n *recheck.News) []Block {
	var blocks []Block
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		l := List{Title: newTitles[s], Tone: toneOf(s), More: command("--format csv") + " has them all"}
		for i := range n.New {
			if n.New[i].Severity == s {
				l.Items = append(l.Items, findingNews(&n.New[i]))
			}
		}
		if len(l.Items) > 0 {
			blocks = append(blocks, l)
		}
	}
	l := List{Title: "Mended", Tone: Good, More: command("--format csv") + " has them all"}
	for _, i := range n.Mended {
		l.Items = append(l.Items, wordsf("%s: %s.", readableFact(i.Subject), wording.LowerFirst(plainCode(i.Code))))
	}
	if len(l.Items) > 0 {
		blocks = append(blocks, l)
	}
	return blocks
}

// comparedAside says what could not be looked at, and holds everything for spreadsheets.
func comparedAside(n *recheck.News, sheet Data) []Block {
	var blocks []Block
	if len(n.Unseen) > 0 {
		l := List{Title: "Could not be looked at the second time", Tone: Unseen}
		for _, g := range n.Unseen {
			l.Items = append(l.Items, wordsf("%s: %s", readableFact(orText(g.Subject, g.Domain)), g.Why))
		}
		blocks = append(blocks, l)
	}
	return append(blocks, sheet)
}

// PlanState gives what a plan wants and finds, as facts that can be compared.
func PlanState(p *plan.Plan, now time.Time) *recheck.State {
	s := planState(planData(p))
	s.Taken = now
	return s
}

// PlanStateFrom does the same for a plan that was written as JSON. The error says what is wrong with it.
func PlanStateFrom(data []byte) (*recheck.State, error) {
	var v jsonPlan
	if err := json.Unmarshal(data, &v); err != nil {
		return nil, err
	}
	return planState(v), nil
}

func planState(v jsonPlan) *recheck.State {
	var facts []recheck.Fact
	fact := func(subject, value string) {
		facts = append(facts, recheck.Fact{Kind: recheck.Planned, Subject: subject, Value: value})
	}
	for _, d := range v.Doors {
		fact(d.Door.String(), fmt.Sprintf("%s, by %s", d.LeadsTo, d.Carrier))
	}
	for _, r := range v.Rules {
		fact("rule "+r.Old, fmt.Sprintf("%s %d, query %s", orText(r.New, "gone"), r.Status, r.Query))
	}
	for _, c := range v.Certificates {
		fact("certificate of "+strings.Join(c.Names, ", "), c.Carrier+", "+c.When)
	}
	for _, z := range v.Zones {
		for _, r := range z.Records {
			fact(r.Name+" "+r.Type, strings.Join(r.Values, "\n"))
		}
		for _, c := range z.Changes {
			if c.Step > 0 {
				fact("to type: "+c.Name+" "+c.Type, string(c.Action)+" "+strings.Join(c.After, ", "))
			}
		}
	}
	return recheck.OfPlan(v.Canonical, facts, v.Findings)
}
