package report

import (
	"fmt"
	"iter"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/wording"
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
}

// metWords say how old URLs fare, and how good that is.
var metWords = map[old.Met]struct {
	says, sum string
	tone      Tone
}{
	old.RightPage: {"the page that was planned", "arrive on the page that was planned", Good},
	old.GoneRight: {"gone (410), as planned", "are gone, as planned", Plain},
	old.MetHome:   {"the home page", "arrive on the home page", Warned},
	old.OtherPage: {"another page than planned", "on another page than planned", Failed},
	old.NotMoved:  {"still the old site", "are still served by the old site", Failed},
	old.Insecure:  {"over http on the way, or in the end", "go over http", Failed},
	old.NoPage:    {"an error in place of a page", "meet an error", Failed},
	old.Stopped:   {"stopped by a certificate", "are stopped by a certificate", Failed},
	old.Astray:    {"round in circles, or nowhere", "go round or nowhere", Failed},
	old.NoAnswer:  {"no answer", "get no answer", Failed},
	old.NotSeen:   {"unseen: nobody could look", "could not be seen", Unseen},
}

// Followed says how the old URLs fare that were followed.
func Followed(f ForFollowed) Doc {
	var all old.MetArea
	for _, a := range f.Areas {
		for _, m := range old.Mets() {
			all.Take(m, a.Mets[m])
		}
	}
	d := Doc{Name: "old-urls", Title: "Audit of the old URLs in " + f.Source, Main: "old-urls",
		About: fmt.Sprintf("seen from %s, %s", f.Vantage, f.Started.UTC().Format("2006-01-02 15:04 MST"))}
	blocks := []Block{f.verdict(&all), f.totals(&all)}
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
			Paragraph{Gap: true, Soft: true, Text: wordsf("%s of the list %s no URL of the domains that are "+
				"meant, and nobody asked.", wording.Count(f.Strangers, "line"), wording.Verb(f.Strangers, "is", "are"))},
		)
	}
	noted(f.Notes, func(b Block) bool {
		blocks = append(blocks, b)
		return true
	})
	d.Blocks = func(yield func(Block) bool) {
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

func (f ForFollowed) verdict(all *old.MetArea) Verdict {
	if all.All.URLs == 0 {
		return Verdict{Tone: Unseen, Says: words("No old URL was followed yet.")}
	}
	of := "Of " + wording.Count(all.All.URLs, "old URL")
	if all.All.Weight > 0 {
		of = fmt.Sprintf("Of the weight of %s (%d)", wording.Count(all.All.URLs, "old URL"), all.All.Weight)
	}
	tone := Good
	var parts []string
	for _, m := range old.Mets() {
		if all.Mets[m].URLs > 0 {
			parts = append(parts, shareOf(all.Mets[m], all.All)+" "+metWords[m].sum)
			tone = max(tone, metWords[m].tone)
		}
	}
	v := Verdict{Tone: tone, Says: words(of + ", " + wording.And(parts) + ".")}
	if left := f.Total - all.All.URLs; left > 0 {
		v.Tone = max(v.Tone, Unseen)
		v.Next = wordsf("%s not followed yet; %s goes on.", wording.Count(left, "old URL")+" "+
			wording.Verb(left, "was", "were"), command("--resume"))
	} else if len(f.Worst) > 0 {
		v.Next = cat(words("Begin with "), copied(f.Worst[0].URL), words("."))
	}
	return v
}

func (f ForFollowed) totals(all *old.MetArea) Table {
	t := Table{Sheet: "totals", Head: []string{"where they arrive", "old URLs", "weight", "share"}}
	row := func(says string, s old.Share, tone Tone) {
		if s.URLs > 0 {
			t.Rows = append(t.Rows, []Cell{{words(says), tone}, {words(fmt.Sprint(s.URLs)), Plain},
				{words(fmt.Sprint(s.Weight)), Plain}, {words(shareOf(s, all.All)), Plain}})
		}
	}
	for _, m := range old.Mets() {
		row(metWords[m].says, all.Mets[m], metWords[m].tone)
	}
	row("of all these, in more hops than planned", f.Long, Warned)
	return t
}

func (f ForFollowed) worst(all *old.MetArea) []Block {
	l := List{Title: "The heaviest that do not arrive as planned"}
	for _, w := range f.Worst {
		before := ""
		if all.All.Weight > 0 {
			before = fmt.Sprintf("%d: ", w.Weight)
		}
		if w.Method != "" {
			before += w.Method + " "
		}
		says := metWords[w.Met].says
		if w.Says != "" {
			says = w.Says
		}
		l.Items = append(l.Items, cat(words(before), copied(wording.Cut(w.URL, 90)), Text{{As: Break}},
			words(metWords[w.Met].tone.Sign()+" "+says)))
	}
	blocks := []Block{l}
	if n := all.Wrong().URLs - len(f.Worst); n > 0 {
		blocks = append(blocks, Paragraph{Soft: true, Text: wordsf("and %d more; %s and %s show them all", n,
			command("--chains"), command("--format csv"))})
	}
	return blocks
}

func (f ForFollowed) domains(all *old.MetArea) Table {
	t := Table{Sheet: "domains", Head: []string{"domain", "old URLs", "weight"}}
	columns := []struct {
		name string
		mets []old.Met
	}{
		{"as planned", []old.Met{old.RightPage, old.GoneRight}}, {"home", []old.Met{old.MetHome}},
		{"other page", []old.Met{old.OtherPage, old.NotMoved, old.Insecure}},
		{"nowhere", []old.Met{old.NoPage, old.Stopped, old.Astray, old.NoAnswer}}, {"unseen", []old.Met{old.NotSeen}},
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
		row := cells(a.Name, fmt.Sprint(a.All.URLs), fmt.Sprint(a.All.Weight))
		for _, c := range columns {
			if sum(all, c.mets).URLs > 0 {
				row = append(row, Cell{Text: words(shareOf(sum(a, c.mets), a.All))})
			}
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// sheetPiece is how many rows of a long sheet are made at a time.
const sheetPiece = 2000

// sheet is every old URL, in pieces.
func (f ForFollowed) sheet(yield func(Block) bool) {
	piece := Data{Sheet: "old-urls", Goes: true,
		Head: []string{"url", "weight", "method", "met", "arrival", "status", "hops", "findings", "says"}}
	for o := range f.All {
		status := ""
		if o.Status > 0 {
			status = fmt.Sprint(o.Status)
		}
		piece.Rows = append(piece.Rows, []string{o.URL, fmt.Sprint(o.Weight), o.Method, o.Met.String(), o.Arrival, status,
			fmt.Sprint(o.Hops), strings.Join(o.Codes, " "), o.Says})
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
func (f ForFollowed) data(all *old.MetArea) Object {
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
	return Object{
		{"schema", "upperpath/old-urls/1"}, {"file", f.Source}, {"vantage", f.Vantage}, {"started", f.Started},
		{"listed", f.Total}, {"strangers", f.Strangers}, {"total", all.All}, {"mets", metsOf(all)}, {"long", f.Long},
		{"domains", areas},
		{"urls", Lines(func(yield func(any) bool) {
			for o := range f.All {
				if !yield(followed{o.URL, o.Method, o.Weight, o.Met.String(), o.Arrival, o.Status, o.Hops, o.Codes, o.Says}) {
					return
				}
			}
		})},
		{"findings", inWordsOne(f.Findings)}, {"notes", append([]string{}, f.Notes...)},
	}
}
