package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// OldNote says of an old URL what sources noted, what was answered there, and who leads there.
func OldNote(e *old.Entry) string {
	parts := []string{}
	if e.Note != "" {
		parts = append(parts, e.Note)
	}
	var answers []string
	for _, s := range e.Statuses() {
		answers = append(answers, fmt.Sprintf("%d ×%d", s[0], s[1]))
	}
	if len(answers) > 0 {
		parts = append(parts, strings.Join(answers, ", "))
	}
	if e.Referrer() != "" {
		parts = append(parts, "linked from "+e.Referrer())
	}
	return strings.Join(parts, "; ")
}

// gatheredJSON is what a gathering came to, as JSON has it.
type gatheredJSON struct {
	Schema  string         `json:"schema"`
	File    string         `json:"file"`
	URLs    int            `json:"urls"`
	Weight  int64          `json:"weight"`
	Sources []gatheredFrom `json:"sources"`
	Crawls  []old.Crawl    `json:"crawls,omitempty"`
	// URLs that were gathered before and stay, and those that were replaced
	Before   int `json:"before,omitempty"`
	Replaced int `json:"replaced,omitempty"`
}

type gatheredFrom struct {
	Name    string                      `json:"name"`
	Lines   int64                       `json:"lines"`
	Kept    int64                       `json:"kept"`
	LeftOut map[old.Reason]*old.LeftOut `json:"left_out"`
	Odd     *old.LeftOut                `json:"odd_weights,omitempty"`
}

// Gathered is what a gathering of old URLs came to.
func Gathered(g *old.Gathering, path string, before old.Before) doc.Doc {
	urls, weight := g.Count()
	d := doc.Doc{Name: "gather", Title: "Old URLs", Main: "sources"}
	data := gatheredJSON{"upperpath/gather/1", path, urls, weight, []gatheredFrom{}, g.Crawls,
		before.URLs, before.Dropped}
	var out int64
	t := doc.Table{Sheet: "sources", Head: []string{"source", "lines", "taken", "left out"}}
	reasons := map[old.Reason]*old.LeftOut{}
	odd := doc.List{Title: "Counted as 0: not a known number", Tone: doc.Warned}
	for _, s := range g.Sources() {
		left := s.Lines - s.Kept
		out += left
		t.Rows = append(t.Rows,
			doc.Cells(s.Name, fmt.Sprint(s.Lines), fmt.Sprint(s.Kept), fmt.Sprint(left)))
		from := gatheredFrom{s.Name, s.Lines, s.Kept, s.Out, nil}
		if s.Odd.Count > 0 {
			from.Odd = &s.Odd
			odd.Items = append(odd.Items,
				doc.Cat(doc.Phrasef("%s of %s, such as ", wording.Count(int(s.Odd.Count), "weight"), s.Name),
					doc.Copy(wording.Cut(s.Odd.Examples[0], 100))))
		}
		data.Sources = append(data.Sources, from)
		for why, o := range s.Out {
			if reasons[why] == nil {
				reasons[why] = &old.LeftOut{}
			}
			reasons[why].Count += o.Count
			reasons[why].Examples = append(reasons[why].Examples, o.Examples...)
		}
	}
	v := doc.Verdict{
		Tone: doc.Good,
		Says: doc.Phrasef(words.GatheredURLs, wording.Count(urls, "old URL"),
			weight,
			wording.Count(int(out), "line")),
	}
	if urls == 0 {
		v = doc.Verdict{Tone: doc.Failed,
			Says: doc.Phrasef(words.GatheredNone, wording.Count(int(out), "line"))}
	} else {
		v.Next = doc.Cat(doc.Phrase("They are in "), doc.Copy(path), doc.Phrase("."))
	}
	blocks := []doc.Block{v, t}
	if before.URLs > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef(words.AddedToBefore,
			wording.Count(before.URLs, "URL"), wording.Few(before.Sources, 4)), Soft: true, Gap: true})
	}
	if before.Dropped > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef(words.ReplacesBefore,
			wording.Count(before.Dropped, "URL"), wording.Verb(before.Dropped, "was", "were"),
			wording.Few(before.Replaced, 4)), Soft: true, Gap: true})
	}
	l := doc.List{Title: "Left out", More: doc.Command("--format json") + " has them all"}
	for _, why := range slices.Sorted(maps.Keys(reasons)) {
		o := reasons[why]
		l.Items = append(l.Items,
			doc.Cat(doc.Phrasef("%d: %s, such as ", o.Count, words.LeftOut(why)),
				doc.Copy(wording.Cut(o.Examples[0], 100))))
	}
	if len(l.Items) > 0 {
		blocks = append(blocks, l)
	}
	if len(odd.Items) > 0 {
		blocks = append(blocks, odd)
	}
	for _, c := range g.Crawls {
		blocks = append(blocks, crawlNotes(c)...)
	}
	if top := g.Entries(); len(top) > 0 && top[0].Weight > 0 {
		heavy := doc.Table{Head: []string{"weight", "heaviest"}}
		for _, e := range top[:min(len(top), 8)] {
			heavy.Rows = append(heavy.Rows, doc.Cells(fmt.Sprint(e.Weight), wording.Cut(e.URL, 90)))
		}
		blocks = append(blocks, heavy)
	}
	d.Blocks, d.Data = doc.Of(blocks...), data
	return d
}

// crawlNotes says what a crawl did not look at: nothing is known of that.
func crawlNotes(c old.Crawl) []doc.Block {
	l := doc.List{Title: "The crawl did not look at", Tone: doc.Unseen}
	say := func(n int, noun, format string) {
		if n > 0 {
			l.Items = append(l.Items, doc.Phrasef(format, wording.Count(n, noun)))
		}
	}
	say(c.Unseen, "URL", "%s that did not answer")
	say(c.Barred, "URL", "%s that robots.txt excludes, or whose robots.txt could not be read")
	say(c.TooDeep, "link", "%s more links away than "+doc.Command("--depth"))
	say(c.TooMany, "link",
		"%s beyond "+doc.Command("--most-pages")+", too long, or from an endless list")
	say(c.Strangers, "link", "%s to other ports of its hosts")
	say(c.Waiting, "URL", "%s still waiting when it was cut off")
	if len(l.Items) == 0 {
		return nil
	}
	return []doc.Block{l}
}
