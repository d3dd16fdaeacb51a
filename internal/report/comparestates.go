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
	"upperpath.example/upperpath/internal/doc"
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
func CompareStates(kind, before, after string, n *recheck.News) doc.Doc {
	d := doc.Doc{Name: "comparison", Title: fmt.Sprintf("The %s: from %s to %s", wording.Plural(kind), before, after),
		Main: "differences", Data: stateComparison{"upperpath/differences/1", kind, before, after, n.New, n.Mended, n.Changed,
			n.Unseen, n.Same, n.Known}}
	blocks := append([]doc.Block{comparedVerdict(n, len(n.Changed))}, comparedFindings(n)...)
	if changes := changesTold(n.Changed); len(changes) > 0 {
		blocks = append(blocks, doc.List{Title: "Changed", Tone: doc.Warned, Items: changes,
			More: doc.Command("--format csv") + " has them all"})
	}
	sheet := newsSheet(n)
	sheet.Sheet = "differences"
	d.Blocks = doc.Of(append(blocks, comparedAside(n, sheet)...)...)
	return d
}

// comparedVerdict says whether it got better or worse.
func comparedVerdict(n *recheck.News, changes int) doc.Verdict {
	v := doc.Verdict{Tone: doc.Good}
	worse := finding.Severity("")
	for _, i := range n.New {
		if i.Severity.Rank() > worse.Rank() {
			worse = i.Severity
		}
	}
	switch {
	case worse.Rank() > finding.Note.Rank():
		v.Tone = doc.ToneOf(worse)
	case changes > 0:
		v.Tone = doc.Warned
	case len(n.Unseen) > 0:
		v.Tone = doc.Unseen
	case len(n.New) > 0:
		v.Tone = doc.Noted
	}
	v.Says = doc.Phrasef("Findings: %d new, %d mended, %d the same.", len(n.New), len(n.Mended), n.Known)
	if changes > 0 {
		v.Says = doc.Cat(v.Says, doc.Phrasef(" %s changed.", wording.Count(changes, "other fact")))
	}
	return v
}

// comparedFindings lists findings that are new, and those that are mended.
func comparedFindings(n *recheck.News) []doc.Block {
	var blocks []doc.Block
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		l := doc.List{Title: newTitles[s], Tone: doc.ToneOf(s), More: doc.Command("--format csv") + " has them all"}
		for i := range n.New {
			if n.New[i].Severity == s {
				l.Items = append(l.Items, findingNews(&n.New[i]))
			}
		}
		if len(l.Items) > 0 {
			blocks = append(blocks, l)
		}
	}
	l := doc.List{Title: "Mended", Tone: doc.Good, More: doc.Command("--format csv") + " has them all"}
	for _, i := range n.Mended {
		l.Items = append(l.Items, doc.Phrasef("%s: %s.", readableFact(i.Subject), wording.LowerFirst(plainCode(i.Code))))
	}
	if len(l.Items) > 0 {
		blocks = append(blocks, l)
	}
	return blocks
}

// comparedAside says what could not be looked at, and holds everything for spreadsheets.
func comparedAside(n *recheck.News, sheet doc.Data) []doc.Block {
	var blocks []doc.Block
	if len(n.Unseen) > 0 {
		l := doc.List{Title: "Could not be looked at the second time", Tone: doc.Unseen}
		for _, g := range n.Unseen {
			l.Items = append(l.Items, doc.Phrasef("%s: %s", readableFact(orText(g.Subject, g.Domain)), g.Why))
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
