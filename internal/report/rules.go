package report

import (
	"fmt"
	"net/http"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
)

// Tries is what happens to URLs.
func Tries(tries []predict.Try) doc.Doc {
	data := doc.Data{Sheet: "tries",
		Head: []string{"url", "line", "old", "status", "location", "hops", "end"}}
	var blocks []doc.Block
	for _, t := range tries {
		line := ""
		if t.Rule > 0 {
			line = fmt.Sprint(t.Rule)
		}
		data.Rows = append(
			data.Rows,
			[]string{t.URL, line, t.Old, fmt.Sprint(t.Status), t.Location,
				fmt.Sprint(max(0, len(t.Chain)-1)), t.End},
		)
		blocks = append(blocks, tryBlocks(t)...)
	}
	return doc.Doc{Name: "tries", Blocks: doc.Of(append(blocks, data)...), Data: struct {
		Schema string        `json:"schema"`
		Tries  []predict.Try `json:"tries"`
	}{"upperpath/try/1", tries}}
}

func tryBlocks(t predict.Try) []doc.Block {
	takes := "No rule takes it: the fallback of its domain, or the site, answers."
	switch {
	case t.Rule > 0:
		takes = fmt.Sprintf("Line %d takes it: %s.", t.Rule, shown(t.Old))
	case t.Status == http.StatusOK && t.Assumed == predict.OutsideEstate:
		takes = "No rule applies: it is not a door of the estate."
	case t.Status == http.StatusOK:
		takes = "No rule applies: the site serves it."
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: t.URL}, doc.Paragraph{Text: doc.Phrase(takes)}}
	if t.Status > 0 {
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrasef("It answers %d %s", t.Status, t.Location)})
	}
	var rivals []doc.Text
	for _, r := range t.Rivals {
		rivals = append(
			rivals,
			doc.Phrasef("Line %d would take it too: %s; but line %d wins, since %s.", r.Line, shown(r.Old),
				t.Rule, r.Why),
		)
	}
	if len(rivals) > 0 {
		blocks = append(blocks, doc.List{Items: rivals})
	}
	if len(t.Chain) > 0 {
		blocks = append(blocks, tryChain(t))
	}
	return append(blocks, assumed(t)...)
}

// assumed says what is taken for granted of the page at the end of a predicted chain.
func assumed(t predict.Try) []doc.Block {
	says := map[predict.Assumed]string{
		predict.OutsideEstate: "Assumed: hosts outside the estate were not looked at.",
		predict.PagesUnknown:  "Assumed: the estate file lists no pages (site.pages).",
	}[t.Assumed]
	if says == "" {
		return nil
	}
	return []doc.Block{doc.Paragraph{Text: doc.Phrase(says), Soft: true}}
}

// tryChain is the predicted chain of a URL, drawn as those that were seen are.
func tryChain(t predict.Try) doc.Chain {
	c := doc.Chain{Entry: t.URL, Probe: "tried", Tone: doc.Good, End: t.End,
		Redirects: len(t.Chain) - 1,
		Outcome:   wording.Count(len(t.Chain)-1, "hop")}
	for n, step := range t.Chain {
		h := doc.Hop{URL: step.URL, Status: fmt.Sprint(step.Status)}
		if n+1 < len(t.Chain) {
			h.Location = t.Chain[n+1].URL
		}
		switch {
		case step.Refusal != "":
			h.Status, h.Detail, h.Tone = step.Refusal, "nobody answers at "+step.URL, doc.Failed
		case step.Status == http.StatusNotFound:
			h.Detail, h.Tone = step.URL+" is not on the list of pages that exist", doc.Failed
		}
		c.Tone = max(c.Tone, h.Tone)
		c.Hops = append(c.Hops, h)
		c.Arrival = step.URL
	}
	switch t.End {
	case "loop":
		c.Stop, c.Tone = "↺ and again: it never ends", doc.Failed
	case "limit":
		c.Stop, c.Tone = "… and on: browsers give up here", doc.Failed
	}
	return c
}

// Straightening is a line of the rules that changes, or one that is added behind it; without Now it
// goes.
type Straightening struct {
	Line  int    `json:"line"`
	Old   string `json:"old"`
	Was   string `json:"was,omitempty"`
	Now   string `json:"now,omitempty"`
	Why   string `json:"why"`
	Added bool   `json:"added,omitempty"` // a line of its own behind it
}

// straightenings gives changes as lines of the rules.
func straightenings(all []proof.Straightened) []Straightening {
	made := []Straightening{}
	for _, s := range all {
		one := Straightening{Line: s.Line, Old: s.Old.Old.String(), Was: s.Old.New.String()}
		if s.New == nil {
			one.Why = fmt.Sprintf("repeats line %d", s.Same)
		} else {
			one.Now, one.Why = s.New.New.String(), "was "+wording.Count(s.Hops, "hop")
		}
		made = append(made, one)
		for _, a := range s.Added {
			made = append(
				made,
				Straightening{Line: s.Line, Old: a.Old.String(), Now: a.New.String(), Added: true,
					Why: "leads elsewhere"},
			)
		}
	}
	return made
}

// Straightened is what straightening changes, or has changed, in a file.
func Straightened(all []proof.Straightened, path string, written bool) doc.Doc {
	changes := straightenings(all)
	d := doc.Doc{Name: "straighten", Data: struct {
		Schema  string          `json:"schema"`
		File    string          `json:"file"`
		Written bool            `json:"written"`
		Changes []Straightening `json:"changes"`
	}{"upperpath/straighten/1", path, written, changes}}
	t := doc.Table{Sheet: "changes", Head: []string{"line", "old", "today", "afterwards", "why"},
		Key: 2}
	for _, c := range changes {
		now, line, was := wording.Cut(shown(c.Now), 60), fmt.Sprint(c.Line), wording.Cut(shown(c.Was), 60)
		if c.Now == "" {
			now = "(dropped)"
		}
		if c.Added {
			line, was = "new", "(the line above)"
		}
		t.Rows = append(t.Rows, doc.Cells(line, wording.Cut(shown(c.Old), 70), was, now, c.Why))
	}
	v := doc.Verdict{
		Tone: doc.Good,
		Says: doc.Phrasef("%s: %s changed; everything else is unchanged.", path,
			wording.Count(len(changes), "line")),
	}
	switch {
	case len(changes) == 0:
		v = doc.Verdict{Tone: doc.Noted, Says: doc.Phrase("There is nothing to straighten."),
			Next: doc.Cat(doc.Copy("upperpath prove"),
				doc.Phrase(" shows loops and what could not be decided."))}
	case !written:
		v = doc.Verdict{
			Tone: doc.Warned,
			Says: doc.Phrasef("%s of %s can be straightened. Nothing was changed.",
				wording.Count(len(changes), "line"), path),
			Next: doc.Cat(doc.Phrase("To change the file: "),
				doc.Copy("upperpath rules straighten --write")),
		}
	}
	d.Blocks = doc.Of(v, t)
	if len(changes) == 0 {
		d.Blocks = doc.Of(v)
	}
	return d
}
