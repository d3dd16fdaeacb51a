package report

import (
	"fmt"
	"strconv"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/explain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
)

// Explained is what one URL should do, and does.
type Explained struct {
	URL       string
	Wanted    explain.Wanted
	Predicted predict.Try
	Seen      []Seen
}

// Seen is what was met somewhere.
type Seen struct {
	Name  string    // rehearsed or observed
	At    time.Time // when, zero for now
	Chain chain.Chain
	Notes []string
}

// ways gives what is predicted and met, in this order.
func (e Explained) ways() []explain.Way {
	all := []explain.Way{explain.Predicted(e.Predicted.Chain)}
	for i := range e.Seen {
		all = append(all, explain.Met(e.Seen[i].Name, &e.Seen[i].Chain))
	}
	return all
}

// Same reports whether all that is wanted, predicted and met is the same.
func (e Explained) Same() bool { return explain.Compare(e.Wanted, e.ways()).Kind == explain.Same }

// parts says where they part; "" where they do not.
func parts(w explain.Where) (string, doc.Tone) {
	switch w.Kind {
	case explain.PlanParts:
		return "The plan itself does not lead there: wanted and predicted part.", doc.Failed
	case explain.NotSeen:
		return fmt.Sprintf("What is %s could not be seen to its end.", w.First.Name), doc.Unseen
	case explain.Part:
		return fmt.Sprintf("They part first at answer %d: %s, %s; %s, %s.", w.At, w.First.Name,
			answerAt(w.First, w.At), w.Second.Name, answerAt(w.Second, w.At)), doc.Failed
	}
	return "", doc.Good
}

func answerAt(w explain.Way, at int) string {
	if at <= len(w.Answers) {
		return answerText(w.Answers[at-1])
	}
	return "nothing more"
}

func answerText(a explain.Answer) string {
	switch {
	case a.Refusal != "":
		return "no answer: " + a.Refusal
	case a.Location != "":
		return fmt.Sprintf("%d → %s", a.Status, a.Location)
	}
	return strconv.Itoa(a.Status)
}

// wanted says what is wanted.
func (e Explained) wanted() string {
	switch {
	case e.Wanted.Left:
		return "is never redirected (policy.exempt)"
	case e.Wanted.Gone:
		return "is gone (410)"
	}
	return "arrives at " + e.Wanted.Target.String()
}

// Explanation shows what one URL should do and does, side by side.
func Explanation(e Explained) doc.Doc {
	ways := e.ways()
	said, tone := parts(explain.Compare(e.Wanted, ways))
	if said == "" {
		var names []string
		for _, w := range ways {
			names = append(names, w.Name)
		}
		said = "Wanted, " + wording.And(names) + " are the same."
	}
	by := doc.Phrase("no rule: the fallback, or the site")
	if e.Predicted.Rule > 0 {
		by = doc.Phrasef("rules line %d: %s", e.Predicted.Rule, shown(e.Predicted.Old))
	}
	blocks := []doc.Block{doc.Verdict{Tone: tone, Says: doc.Phrase(said)}, doc.Facts{
		{Name: "asked", Value: doc.Copy(e.URL)}, {Name: "wanted", Value: doc.Copy(e.wanted())},
		{Name: "by", Value: by}}}
	for i, w := range ways {
		at := 0
		l := doc.List{Title: w.Name}
		if i > 0 {
			at = explain.Apart(ways[i-1], w)
			if seen := e.Seen[i-1].At; !seen.IsZero() {
				l.Title += " on " + seen.Local().Format("2006-01-02 15:04")
			}
		}
		for n, a := range w.Answers {
			sign := "  "
			if n+1 == at {
				sign = "✗ "
			}
			l.Items = append(l.Items, doc.Copy(sign+a.URL+"  "+answerText(a)))
		}
		if at > len(w.Answers) {
			l.Items = append(l.Items, doc.Phrase("✗ nothing more"))
		}
		blocks = append(blocks, l)
	}
	blocks = append(blocks, assumed(e.Predicted)...)
	var found []finding.Finding
	for _, s := range e.Seen {
		found = append(found, s.Chain.Findings...)
		for _, n := range s.Notes {
			blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(n), Soft: true})
		}
	}
	finding.Sort(found)
	for _, f := range found {
		blocks = append(blocks, viewFinding(f))
	}
	return doc.Doc{Name: "explained", Title: "What becomes of one URL", Blocks: doc.Of(blocks...),
		Data: e.data()}
}

func (e Explained) data() doc.Object {
	said, _ := parts(explain.Compare(e.Wanted, e.ways()))
	wanted := ""
	if !e.Wanted.Gone && !e.Wanted.Left {
		wanted = e.Wanted.Target.String()
	}
	data := doc.Object{{Name: "schema", Value: "upperpath/explained/1"}, {Name: "url", Value: e.URL},
		{Name: "wanted", Value: wanted}, {Name: "gone", Value: e.Wanted.Gone},
		{Name: "rule", Value: e.Predicted.Rule}, {Name: "assumed", Value: string(e.Predicted.Assumed)}}
	for _, w := range e.ways() {
		data = append(data, doc.Field{Name: w.Name, Value: w.Answers})
	}
	return append(data, doc.Field{Name: "parts", Value: said})
}
