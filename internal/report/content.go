package report

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// ForContent is what an audit of what search engines see is shown with.
type ForContent struct {
	Found              *search.Found
	Source             string // the file with the old URLs; "" for none
	Vantage, Canonical string
	Started            time.Time
	Interrupted        bool
	Notes              []string // what the vantage could not see
	All                bool     // every row is shown
}

// mostContent is how many rows a terminal is shown.
const mostContent = 12

// mostAlike is how many of these have one code.
const mostAlike = 5

// Content says what search engines, and whoever embeds files, meet.
func Content(f ForContent) doc.Doc {
	d := doc.Doc{Name: "content", Title: "What search engines see of the move to " + f.Canonical,
		About: fmt.Sprintf("seen from %s, %s", f.Vantage, moment(f.Started)), Main: "content"}
	blocks := []doc.Block{f.verdict()}
	if len(f.Found.Rows) > 0 {
		blocks = append(blocks, f.table())
	}
	if unseen := f.unseen(); len(unseen.Items) > 0 {
		blocks = append(blocks, unseen)
	}
	blocks = append(blocks, doc.Paragraph{Gap: true, Soft: true, Text: f.looked()})
	noted(f.Notes, func(b doc.Block) bool {
		blocks = append(blocks, b)
		return true
	})
	d.Blocks = doc.Of(append(blocks, f.sheet())...)
	d.Data = f.data()
	return d
}

func (f ForContent) verdict() doc.Verdict {
	all := f.Found.Findings()
	open, _ := finding.Opened(all)
	v := doc.Verdict{Tone: worst(open)}
	unseen := 0
	for _, u := range f.Found.Unseen {
		unseen += u.Count
	}
	switch {
	case len(open) > 0:
		v.Says = doc.Phrase(sentence(open))
	case unseen > 0 || f.Interrupted || f.Found.Looked == 0 || f.Found.Olds == 0:
		v.Tone, v.Says = doc.Unseen, doc.Phrase(words.NothingAmissSeen)
	default:
		v.Tone, v.Says = doc.Good, doc.Phrase(words.NothingAmiss)
	}
	if v.Tone == doc.Good || v.Tone == doc.Noted {
		if unseen > 0 || f.Interrupted || f.Found.Olds == 0 {
			v.Tone = doc.Unseen
		}
	}
	if unseen > 0 {
		v.Says = doc.Cat(v.Says, doc.Phrasef(words.SomeUnlooked, wording.Count(unseen, "URL"),
			wording.Verb(unseen, "was", "were")))
	}
	if f.Found.Olds == 0 {
		v.Next = doc.Phrase(words.GatherForContent)
	}
	return v
}

// looked says what was looked at.
func (f ForContent) looked() doc.Text {
	source := "no list of old URLs"
	if f.Source != "" {
		source = fmt.Sprintf("%s in %s, as the plan leads them",
			wording.Count(f.Found.Olds, "old URL"), f.Source)
	}
	return doc.Phrasef(words.ContentLooked, source, wording.Count(f.Found.Looked, "page"),
		wording.Count(f.Found.Listed, "sitemap entry"))
}

func (f ForContent) table() doc.Table {
	t := doc.Table{Head: []string{"visits", "problem and what to do"}}
	of := map[finding.Code]int{}
	for _, r := range f.Found.Rows {
		of[r.Code]++
		if !f.All && (len(t.Rows) >= mostContent || of[r.Code] > mostAlike) {
			t.Rest++
			t.More = doc.Command("--chains") + " and " + doc.Command("--format csv") + " have them all"
			continue
		}
		tone := doc.ToneOf(r.Severity)
		if !r.Open() {
			tone = doc.Plain
		}
		visits := fmt.Sprint(r.Weight)
		if r.Weight == 0 {
			visits = ""
		}
		view := viewFinding(r.Finding)
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(visits), Tone: tone},
			{Text: doc.Cat(doc.Text{{Text: r.Code.String(), As: doc.Strong}}, doc.Phrase(": "), view.Says,
				doc.Text{{As: doc.Break}}, doc.Phrase("→ "), view.Fix)}})
	}
	return t
}

func (f ForContent) unseen() doc.List {
	l := doc.List{Title: words.UnlookedTitle, Tone: doc.Unseen}
	for _, u := range f.Found.Unseen {
		what := words.Unlooked[u.What]
		text := fmt.Sprintf("%s: %d, such as ", what, u.Count)
		if u.Count == 1 {
			text = what + ": "
		}
		l.Items = append(l.Items, doc.Cat(doc.Phrase(text), doc.Copy(u.First),
			doc.Phrase(" ("+u.Why+")")))
	}
	return l
}

func (f ForContent) sheet() doc.Data {
	d := doc.Data{Sheet: "content", Head: []string{"visits", "old_urls", "severity", "code", "subject",
		"says", "fix", "places"}}
	for _, r := range f.Found.Rows {
		var places []string
		for _, key := range []string{"places", "entries"} {
			if some, is := r.Evidence[key].([]string); is {
				places = append(places, some...)
			}
		}
		d.Rows = append(d.Rows, []string{fmt.Sprint(r.Weight), fmt.Sprint(r.URLs), string(r.Severity),
			r.Code.String(), r.Subject, r.Says.String(), r.Fix.String(), strings.Join(places, "\n")})
	}
	for _, u := range f.Found.Unseen {
		d.Rows = append(d.Rows, []string{"", "", "unseen", "", u.First,
			fmt.Sprintf("%s: %d (%s)", words.Unlooked[u.What], u.Count, u.Why), "", ""})
	}
	return d
}

func (f ForContent) data() doc.Object {
	type row struct {
		Weight  int64           `json:"weight"`
		URLs    int             `json:"old_urls"`
		Finding finding.Finding `json:"finding"`
	}
	rows := []row{}
	for _, r := range f.Found.Rows {
		rows = append(rows, row{r.Weight, r.URLs, inWords([]finding.Finding{r.Finding})[0]})
	}
	return doc.Object{
		{Name: "schema", Value: "upperpath/content/1"}, {Name: "canonical", Value: f.Canonical},
		{Name: "vantage", Value: f.Vantage}, {Name: "started", Value: f.Started},
		{Name: "file", Value: f.Source}, {Name: "old_urls", Value: f.Found.Olds},
		{Name: "pages", Value: f.Found.Looked}, {Name: "entries", Value: f.Found.Listed},
		{Name: "complete", Value: !f.Interrupted && len(f.Found.Unseen) == 0 && f.Found.Olds > 0},
		{Name: "rows", Value: rows},
		{Name: "unseen", Value: append([]search.Unseen{}, f.Found.Unseen...)},
		{Name: "notes", Value: append([]string{}, slices.Clone(f.Notes)...)},
	}
}
