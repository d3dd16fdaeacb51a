package report

import (
	"fmt"
	"iter"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// ForFollowed is what an audit of old URLs is shown with.
type ForFollowed struct {
	Source, Vantage string
	Started         time.Time
	Total           int // in the list
	Strangers       int // lines of the list that are no URL of the estate
	Areas           []old.MetArea
	Long            old.Share // take more redirects than planned
	Findings        []finding.Finding
	Worst           []old.Followed         // the heaviest that do not fare well
	All             iter.Seq[old.Followed] // everything, in the order of the list
	Notes           []string               // what the vantage could not see
	Rehearsed       bool                   // on a stage
}

// metWords say how old URLs fare, and how good that is.
var metWords = map[old.Met]struct {
	says, sum string
	tone      doc.Tone
}{
	old.RightPage: {"the planned page", "arrive at the planned page", doc.Good},
	old.GoneRight: {"gone (410), as planned", "are gone, as planned", doc.Plain},
	old.MetHome:   {"the home page", "arrive at the home page", doc.Warned},
	old.OtherPage: {"another page than planned", "at another page than planned", doc.Failed},
	old.NotMoved:  {"still the old site", "are still served by the old site", doc.Failed},
	old.Insecure:  {"over http on the way, or at the end", "go over http", doc.Failed},
	old.NoPage:    {"an error instead of a page", "end on an error", doc.Failed},
	old.Stopped:   {"stopped by a certificate", "are stopped by a certificate", doc.Failed},
	old.Astray:    {"a loop, or nowhere", "loop, or lead nowhere", doc.Failed},
	old.NoAnswer:  {"no answer", "get no answer", doc.Failed},
	old.NotSeen:   {"unseen", "were not seen", doc.Unseen},
}

// Followed says how the old URLs fare that were followed.
func Followed(f ForFollowed) doc.Doc {
	var all old.MetArea
	for _, a := range f.Areas {
		for _, m := range old.Mets() {
			all.Take(m, a.Mets[m])
		}
	}
	title := "Audit of the old URLs in " + f.Source
	if f.Rehearsed {
		title = "Rehearsal of the old URLs in " + f.Source
	}
	d := doc.Doc{Name: "old-urls", Title: title, Main: "old-urls",
		About: fmt.Sprintf("seen from %s, %s", f.Vantage, moment(f.Started))}
	blocks := []doc.Block{f.verdict(&all), f.totals(&all)}
	if len(f.Worst) > 0 {
		blocks = append(blocks, f.worst(&all)...)
	}
	if t := f.domains(&all); len(t.Rows) > 1 {
		blocks = append(blocks, t)
	}
	blocks = append(blocks, findingBlocks(f.Findings)...)
	if f.Strangers > 0 {
		blocks = append(
			blocks,
			doc.Paragraph{Gap: true, Soft: true,
				Text: doc.Phrasef("%s of the list %s not about these domains.",
					wording.Count(f.Strangers, "line"),
					wording.Verb(f.Strangers, "is", "are"))},
		)
	}
	noted(f.Notes, func(b doc.Block) bool {
		blocks = append(blocks, b)
		return true
	})
	d.Blocks = func(yield func(doc.Block) bool) {
		for _, b := range blocks {
			if !yield(b) {
				return
			}
		}
		f.sheet(yield)
	}
	d.Data = f.data(&all)
	return d
}

func shareOf(s old.Share, all old.Share) string {
	if all.Weight == 0 {
		return percent(int64(s.URLs), int64(all.URLs))
	}
	return percent(s.Weight, all.Weight)
}

func (f ForFollowed) verdict(all *old.MetArea) doc.Verdict {
	if all.All.URLs == 0 {
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase(words.NoneFollowed)}
	}
	of := "Of " + wording.Count(all.All.URLs, "old URL")
	if all.All.Weight > 0 {
		of = fmt.Sprintf(words.OfTheWeight, wording.Count(all.All.URLs, "old URL"),
			all.All.Weight)
	}
	tone := doc.Good
	var parts []string
	for _, m := range old.Mets() {
		if all.Mets[m].URLs > 0 {
			parts = append(parts, shareOf(all.Mets[m], all.All)+" "+metWords[m].sum)
			tone = max(tone, metWords[m].tone)
		}
	}
	v := doc.Verdict{Tone: tone, Says: doc.Phrase(of + ", " + wording.And(parts) + ".")}
	if left := f.Total - all.All.URLs; left > 0 {
		v.Tone = max(v.Tone, doc.Unseen)
		v.Next = doc.Phrasef(words.SomeFollowing, wording.Count(left, "old URL")+" "+
			wording.Verb(left, "was", "were"), doc.Command("--resume"))
	} else if len(f.Worst) > 0 {
		v.Next = doc.Cat(doc.Phrase("Start with "), doc.Copy(f.Worst[0].URL), doc.Phrase("."))
	}
	return v
}

func (f ForFollowed) totals(all *old.MetArea) doc.Table {
	t := doc.Table{Sheet: "totals", Head: []string{"where they arrive", "old URLs", "weight", "share"}}
	row := func(says string, s old.Share, tone doc.Tone) {
		if s.URLs > 0 {
			t.Rows = append(t.Rows,
				[]doc.Cell{{Text: doc.Phrase(says), Tone: tone},
					{Text: doc.Phrase(fmt.Sprint(s.URLs)), Tone: doc.Plain},
					{Text: doc.Phrase(fmt.Sprint(s.Weight)), Tone: doc.Plain},
					{Text: doc.Phrase(shareOf(s, all.All)), Tone: doc.Plain}})
		}
	}
	for _, m := range old.Mets() {
		row(metWords[m].says, all.Mets[m], metWords[m].tone)
	}
	row("of all these, with more hops than planned", f.Long, doc.Warned)
	return t
}

func (f ForFollowed) worst(all *old.MetArea) []doc.Block {
	l := doc.List{Title: "The heaviest that do not arrive as planned"}
	for _, w := range f.Worst {
		before := ""
		if all.All.Weight > 0 {
			before = fmt.Sprintf("%d: ", w.Weight)
		}
		if w.Method != "" {
			before += w.Method + " "
		}
		says := metWords[w.Met].says
		if !w.Says.IsZero() {
			says = w.Says.String()
		}
		l.Items = append(l.Items,
			doc.Cat(doc.Phrase(before), doc.Copy(wording.Cut(w.URL, 90)), doc.Text{{As: doc.Break}},
				doc.Phrase(metWords[w.Met].tone.Sign()+" "+says)))
	}
	blocks := []doc.Block{l}
	if n := all.Wrong().URLs - len(f.Worst); n > 0 {
		blocks = append(blocks,
			doc.Paragraph{Soft: true, Text: doc.Phrasef("and %d more; %s and %s show them all", n,
				doc.Command("--chains"), doc.Command("--format csv"))})
	}
	return blocks
}

func (f ForFollowed) domains(all *old.MetArea) doc.Table {
	t := doc.Table{Sheet: "domains", Head: []string{"domain", "old URLs", "weight"}}
	columns := []struct {
		name string
		mets []old.Met
	}{
		{"as planned", []old.Met{old.RightPage, old.GoneRight}}, {"home", []old.Met{old.MetHome}},
		{"other page", []old.Met{old.OtherPage, old.NotMoved, old.Insecure}},
		{"nowhere", []old.Met{old.NoPage, old.Stopped, old.Astray, old.NoAnswer}},
		{"unseen", []old.Met{old.NotSeen}},
	}
	sum := func(a *old.MetArea, mets []old.Met) (s old.Share) {
		for _, m := range mets {
			s.URLs += a.Mets[m].URLs
			s.Weight = old.Plus(s.Weight, a.Mets[m].Weight)
		}
		return s
	}
	for _, c := range columns {
		if sum(all, c.mets).URLs > 0 {
			t.Head = append(t.Head, c.name)
		}
	}
	for i := range f.Areas {
		a := &f.Areas[i]
		row := doc.Cells(a.Name, fmt.Sprint(a.All.URLs), fmt.Sprint(a.All.Weight))
		for _, c := range columns {
			if sum(all, c.mets).URLs > 0 {
				row = append(row, doc.Cell{Text: doc.Phrase(shareOf(sum(a, c.mets), a.All))})
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// sheetPiece is how many rows of a long sheet are made at a time.
const sheetPiece = 2000

// sheet is every old URL, in pieces.
func (f ForFollowed) sheet(yield func(doc.Block) bool) {
	piece := doc.Data{Sheet: "old-urls", Goes: true,
		Head: []string{"url", "weight", "method", "result", "arrival", "status", "hops", "findings",
			"says"}}
	for o := range f.All {
		status := ""
		if o.Status > 0 {
			status = fmt.Sprint(o.Status)
		}
		piece.Rows = append(piece.Rows,
			[]string{o.URL, fmt.Sprint(o.Weight), o.Method, o.Met.String(), o.Arrival, status,
				fmt.Sprint(o.Hops), strings.Join(o.Codes, " "), o.Says.String()})
		if len(piece.Rows) == sheetPiece {
			if !yield(piece) {
				return
			}
			piece.Rows = nil
		}
	}
	piece.Goes = false
	yield(piece)
}

// data is the same as JSON has it.
func (f ForFollowed) data(all *old.MetArea) doc.Object {
	type met struct {
		Met string `json:"met"`
		old.Share
	}
	type area struct {
		Name string `json:"name"`
		old.Share
		Mets []met `json:"mets"`
	}
	metsOf := func(a *old.MetArea) []met {
		made := []met{}
		for _, m := range old.Mets() {
			if a.Mets[m].URLs > 0 {
				made = append(made, met{m.String(), a.Mets[m]})
			}
		}
		return made
	}
	areas := make([]area, len(f.Areas))
	for i := range f.Areas {
		areas[i] = area{f.Areas[i].Name, f.Areas[i].All, metsOf(&f.Areas[i])}
	}
	type followed struct {
		URL      string   `json:"url"`
		Method   string   `json:"method,omitempty"`
		Weight   int64    `json:"weight"`
		Met      string   `json:"met"`
		Arrival  string   `json:"arrival"`
		Status   int      `json:"status,omitempty"`
		Hops     int      `json:"hops"`
		Findings []string `json:"findings,omitempty"`
		Says     string   `json:"says,omitempty"`
	}
	return doc.Object{
		{Name: "schema", Value: "upperpath/old-urls/1"}, {Name: "file", Value: f.Source},
		{Name: "vantage", Value: f.Vantage}, {Name: "started", Value: f.Started},
		{Name: "listed", Value: f.Total}, {Name: "strangers", Value: f.Strangers},
		{Name: "total", Value: all.All}, {Name: "mets", Value: metsOf(all)},
		{Name: "long", Value: f.Long},
		{Name: "domains", Value: areas},
		{Name: "urls", Value: doc.Lines(func(yield func(any) bool) {
			for o := range f.All {
				if !yield(followed{o.URL, o.Method, o.Weight, o.Met.String(), o.Arrival, o.Status, o.Hops,
					o.Codes, o.Says.String()}) {
					return
				}
			}
		})},
		{Name: "findings", Value: inWordsOne(f.Findings)},
		{Name: "notes", Value: append([]string{}, f.Notes...)},
	}
}
