package report

import (
	"fmt"
	"net/http"
	"strconv"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
)

// Explained is what one URL should do, and does.
type Explained struct {
	URL       string
	Wanted    string // where it should arrive; "" for nowhere
	Gone      bool   // it should be gone (410)
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

// answer is one answer of a chain, as it is shown and compared.
type answer struct {
	URL      string `json:"url"`
	Status   int    `json:"status,omitempty"`
	Refusal  string `json:"refusal,omitempty"`
	Location string `json:"location,omitempty"`
}

func (a answer) says() string {
	switch {
	case a.Refusal != "":
		return "no answer: " + a.Refusal
	case a.Location != "":
		return fmt.Sprintf("%d → %s", a.Status, a.Location)
	}
	return strconv.Itoa(a.Status)
}

func predictedAnswers(t predict.Try) []answer {
	all := make([]answer, len(t.Chain))
	for i, h := range t.Chain {
		all[i] = answer{URL: h.URL, Status: h.Status, Refusal: h.Refusal}
		if i+1 < len(t.Chain) {
			all[i].Location = t.Chain[i+1].URL
		}
	}
	return all
}

func (s Seen) answers() []answer {
	all := make([]answer, len(s.Chain.Hops))
	for i, h := range s.Chain.Hops {
		all[i] = answer{URL: h.URL.String(), Status: h.Status, Refusal: string(h.Refusal)}
		if i+1 < len(s.Chain.Hops) {
			all[i].Location = s.Chain.Hops[i+1].URL.String()
		}
	}
	return all
}

// partsAt gives the first answer at which two ways part, -1 where they are the same.
func partsAt(a, b []answer) int {
	for i := range max(len(a), len(b)) {
		if i >= len(a) || i >= len(b) || a[i] != b[i] {
			return i
		}
	}
	return -1
}

// asWanted says whether a way ends where it should; what a refusal or an unseen answer hides is not
// judged so.
func (e Explained) asWanted(all []answer) bool {
	if len(all) == 0 {
		return false
	}
	last := all[len(all)-1]
	if e.Gone {
		return last.Status == http.StatusGone
	}
	return last.Status == http.StatusOK && last.URL == e.Wanted
}

// unseen reports whether a way ends where nobody could look.
func unseen(all []answer) bool {
	return len(all) == 0 || all[len(all)-1].Refusal == string(chain.Unseen)
}

// Parts says where what is wanted, predicted and met part first; "" where all are the same.
func (e Explained) Parts() string {
	before, name := predictedAnswers(e.Predicted), "predicted"
	if !e.asWanted(before) {
		return "The plan itself does not lead there: wanted and predicted part."
	}
	for _, s := range e.Seen {
		met := s.answers()
		if unseen(met) {
			return fmt.Sprintf("What is %s could not be seen to its end.", s.Name)
		}
		if at := partsAt(before, met); at >= 0 {
			return fmt.Sprintf("They part first at answer %d: %s, %s; %s, %s.", at+1, name,
				answerAt(before, at), s.Name, answerAt(met, at))
		}
		before, name = met, s.Name
	}
	return ""
}

func answerAt(all []answer, i int) string {
	if i < len(all) {
		return all[i].says()
	}
	return "nothing more"
}

// Explanation shows what one URL should do and does, side by side.
func Explanation(e Explained) doc.Doc {
	parts := e.Parts()
	names := []string{"predicted"}
	ways := [][]answer{predictedAnswers(e.Predicted)}
	for _, s := range e.Seen {
		names, ways = append(names, s.Name), append(ways, s.answers())
	}
	v := doc.Verdict{Tone: doc.Good,
		Says: doc.Phrase("Wanted, " + wording.And(names) + " are the same.")}
	if parts != "" {
		v = doc.Verdict{Tone: doc.Failed, Says: doc.Phrase(parts)}
		if len(e.Seen) > 0 && unseen(ways[len(ways)-1]) {
			v.Tone = doc.Unseen
		}
	}
	wanted := "arrives at " + e.Wanted
	switch {
	case e.Gone:
		wanted = "is gone (410)"
	case e.Wanted == "":
		wanted = "arrives nowhere"
	}
	facts := doc.Facts{{Name: "asked", Value: doc.Copy(e.URL)},
		{Name: "wanted", Value: doc.Copy(wanted)}}
	switch {
	case e.Predicted.Rule > 0:
		facts = append(facts, doc.Fact{Name: "by",
			Value: doc.Phrasef("rules line %d: %s", e.Predicted.Rule, shown(e.Predicted.Old))})
	default:
		facts = append(facts,
			doc.Fact{Name: "by", Value: doc.Phrase("no rule: the fallback, or the site")})
	}
	blocks := []doc.Block{v, facts}
	for i, way := range ways {
		var l doc.List
		l.Title = names[i]
		if i > 0 && !e.Seen[i-1].At.IsZero() {
			l.Title += " on " + e.Seen[i-1].At.Local().Format("2006-01-02 15:04")
		}
		at := -1
		if i > 0 {
			at = partsAt(ways[i-1], way)
		}
		for n, a := range way {
			sign := "  "
			if n == at {
				sign = "✗ "
			}
			l.Items = append(l.Items, doc.Copy(sign+a.URL+"  "+a.says()))
		}
		if at >= len(way) {
			l.Items = append(l.Items, doc.Phrase("✗ nothing more"))
		}
		blocks = append(blocks, l)
	}
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
		Data: e.data(parts)}
}

func (e Explained) data(parts string) doc.Object {
	ways := doc.Object{{Name: "predicted", Value: predictedAnswers(e.Predicted)}}
	for _, s := range e.Seen {
		ways = append(ways, doc.Field{Name: s.Name, Value: s.answers()})
	}
	data := doc.Object{{Name: "schema", Value: "upperpath/explained/1"}, {Name: "url", Value: e.URL},
		{Name: "wanted", Value: e.Wanted}, {Name: "gone", Value: e.Gone},
		{Name: "rule", Value: e.Predicted.Rule}}
	data = append(data, ways...)
	return append(data, doc.Field{Name: "parts", Value: parts})
}
