package report

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Covered is what a coverage is shown with.
type Covered struct {
	*old.Coverage
	From string // the file with the old URLs
	All  bool   // every URL that is left to decide is shown
	Work bool   // the sheet of what is left to decide is wanted: it may be long
}

// How many lines of a coverage a terminal is shown.
const (
	mostHeavy    = 12
	mostSections = 8
)

// fateWords say what becomes of old URLs, and how good that is.
var fateWords = map[old.Fate]struct {
	says string // of one
	sum  string // of many, behind a share
	tone doc.Tone
}{
	old.OwnPage: {"a page of its own", "arrive at a page of their own", doc.Good},
	old.Unchecked: {"a page of its own, unchecked",
		"are led to a page of their own, unchecked", doc.Unseen},
	old.Section: {"a page with many others", "at a page with many others", doc.Plain},
	old.AtHome:  {"the home page", "at home", doc.Warned},
	old.Retired: {"gone on purpose (410)", "are gone on purpose", doc.Plain},
	old.Fallen:  {"gone, by the fallback (410)", "fall to a fallback that says gone", doc.Warned},
	old.Missing: {"a page that does not exist", "end at a page that does not exist", doc.Failed},
	old.Broken:  {"no page at all", "reach no page at all", doc.Failed},
	old.Outside: {"outside the estate", "are outside the estate", doc.Noted},
}

// Cover says what becomes of old URLs under the plan.
func Cover(c Covered) doc.Doc {
	d := doc.Doc{Name: "cover", Title: "What becomes of the old URLs", Main: "work"}
	blocks := []doc.Block{c.verdict(), c.totals()}
	blocks = append(blocks, c.heavy()...)
	blocks = append(blocks, c.byDomain()...)
	blocks = append(blocks, findingBlocks(c.Findings)...)
	if !c.PagesKnown {
		blocks = append(blocks,
			doc.Paragraph{Gap: true, Soft: true,
				Text: doc.Phrase("Unchecked: the estate file names no list of existing pages (site.pages: a " +
					"list, a sitemap, the table of a crawl). Whether a target exists is unknown.")})
	}
	if c.Work {
		blocks = append(blocks, c.work())
	}
	d.Blocks = doc.Of(blocks...)
	d.Data = c.data()
	return d
}

// CoverSummary is the verdict of a coverage and its shares.
func CoverSummary(c Covered) doc.Doc {
	return doc.Doc{Name: "cover", Blocks: doc.Of(c.verdict(), c.totals())}
}

// byWeight reports whether sources say what old URLs weigh; else they are counted.
func (c Covered) byWeight() bool { return c.Total.All.Weight > 0 }

// share gives a share of all in per cent.
func (c Covered) share(s old.Share, all old.Share) string {
	part, whole := s.Weight, all.Weight
	if !c.byWeight() {
		part, whole = int64(s.URLs), int64(all.URLs)
	}
	return percent(part, whole)
}

// percent writes a share: nothing and all are said only of nothing and all.
func percent(part, whole int64) string {
	switch {
	case whole == 0 || part == 0:
		return "0 %"
	case part == whole:
		return "100 %"
	}
	tenths := int64(float64(part)/float64(whole)*1000 + 0.5)
	switch {
	case tenths == 0:
		return "under 0.1 %"
	case tenths >= 1000:
		return "over 99.9 %"
	case tenths%10 == 0:
		return fmt.Sprintf("%d %%", tenths/10)
	}
	return fmt.Sprintf("%d.%d %%", tenths/10, tenths%10)
}

func (c Covered) verdict() doc.Verdict {
	all := c.Total.All
	if all.URLs == 0 {
		return doc.Verdict{Tone: doc.Unseen,
			Says: doc.Cat(doc.Phrase(words.NoOldURLs), doc.Copy(c.From), doc.Phrase("."))}
	}
	var parts []string
	tone := doc.ToneOf(finding.Worst(c.Findings))
	for _, f := range old.Fates() {
		if c.Total.Fates[f].URLs == 0 {
			continue
		}
		parts = append(parts, c.share(c.Total.Fates[f], all)+" "+fateWords[f].sum)
		if f == old.Unchecked && tone == doc.Good {
			tone = doc.Unseen
		}
	}
	of := "Of " + wording.Count(all.URLs, "old URL")
	if c.byWeight() {
		of = fmt.Sprintf(words.OfTheWeight, wording.Count(all.URLs, "old URL"), all.Weight)
	}
	v := doc.Verdict{Tone: tone, Says: doc.Phrase(of + ", " + wording.And(parts) + ".")}
	if open := c.Total.Open(); open.URLs+c.Unruled.URLs > 0 {
		v.Next = doc.Phrase(
			"Decide the heaviest first: " + doc.Command("upperpath cover --format csv > work.csv") +
				", fill the column " +
				"new (- where a page is gone), then " + doc.Command("upperpath rules import work.csv --add"),
		)
	}
	return v
}

// totals is how many old URLs become what.
func (c Covered) totals() doc.Table {
	t := doc.Table{Sheet: "totals",
		Head: []string{"what becomes of them", "old URLs", "weight", "share"}}
	row := func(says string, s old.Share, tone doc.Tone) {
		if s.URLs > 0 {
			t.Rows = append(t.Rows,
				[]doc.Cell{{Text: doc.Phrase(says), Tone: tone},
					{Text: doc.Phrase(fmt.Sprint(s.URLs)), Tone: doc.Plain},
					{Text: doc.Phrase(fmt.Sprint(s.Weight)), Tone: doc.Plain},
					{Text: doc.Phrase(c.share(s, c.Total.All)), Tone: doc.Plain}})
		}
	}
	for _, f := range old.Fates() {
		row(fateWords[f].says, c.Total.Fates[f], fateWords[f].tone)
	}
	row("of all these, with more hops than planned", c.Long, doc.Warned)
	row("of all these, not as planned: the carrier cannot", c.ByCarrier, doc.Failed)
	row("of all these, by the fallback alone, unchecked", c.Unruled, doc.Unseen)
	return t
}

// heavy is what weighs most of what does not arrive as it should.
func (c Covered) heavy() []doc.Block {
	which := func(o old.Outcome) bool { return o.Open() || o.Long }
	all := c.Heaviest(which, 0)
	if len(all) == 0 {
		return nil
	}
	l := doc.List{Title: "The heaviest that do not arrive as planned"}
	shown := all
	if !c.All {
		shown = all[:min(len(all), mostHeavy)]
	}
	for _, i := range shown {
		a := c.Addresses[i]
		before := ""
		if c.byWeight() {
			before = fmt.Sprintf("%d: ", a.Weight)
		}
		if a.Method != "" {
			before += a.Method + " "
		}
		l.Items = append(l.Items,
			doc.Cat(doc.Phrase(before), doc.Copy(wording.Cut(a.URL, 90)), doc.Text{{As: doc.Break}},
				doc.Phrase(strings.TrimPrefix(fateWords[c.Outcomes[i].Fate].tone.Sign()+" ", " ")+
					c.becomes(i))))
	}
	blocks := []doc.Block{l}
	if n := len(all) - len(shown); n > 0 {
		blocks = append(blocks,
			doc.Paragraph{Soft: true,
				Text: doc.Phrasef("and %d more; %s shows them", n, doc.Command("--all"))})
	}
	return blocks
}

// becomes says what becomes of one old URL, and why.
func (c Covered) becomes(i int) string {
	o := c.Outcomes[i]
	says := fateWords[o.Fate].says
	arrival, end, status := c.End(i)
	switch {
	case o.Fate == old.Missing:
		says = fmt.Sprintf("%d at %s", status, arrival)
	case o.Fate == old.Broken && end != chain.Page:
		says = fmt.Sprintf("%s at %s", end, arrival)
	case o.Fate == old.Broken:
		says = fmt.Sprintf("%d at %s", status, arrival)
	case o.Fate == old.Section:
		says = "with many others at " + arrival
	case o.Fate.Arrives():
		says = arrival
	}
	how := map[old.By]string{old.ByRule: fmt.Sprintf("line %d", o.Line),
		old.ByFallback: "the fallback",
		old.ByCarrier:  "its carrier cannot do better"}[o.By]
	if o.Long {
		how = strings.TrimPrefix(how+", ", ", ") + wording.Count(int(o.Hops), "hop")
	}
	if how != "" {
		says += " (" + how + ")"
	}
	return says
}

// byDomain is the same by domain, and by section where something is left to decide.
func (c Covered) byDomain() []doc.Block {
	columns := []struct {
		name  string
		fates []old.Fate
	}{
		{"own page", []old.Fate{old.OwnPage}}, {"unchecked", []old.Fate{old.Unchecked}},
		{"section", []old.Fate{old.Section}},
		{"home", []old.Fate{old.AtHome}}, {"gone", []old.Fate{old.Retired, old.Fallen}},
		{"nowhere", []old.Fate{old.Missing, old.Broken}},
	}
	columns = slices.DeleteFunc(columns, func(col struct {
		name  string
		fates []old.Fate
	}) bool {
		return !slices.ContainsFunc(col.fates, func(f old.Fate) bool { return c.Total.Fates[f].URLs > 0 })
	})
	table := func(sheet, head string, areas []old.Area, most int) (doc.Table, int) {
		t := doc.Table{Sheet: sheet, Head: []string{head, "old URLs", "weight"}}
		for _, col := range columns {
			t.Head = append(t.Head, col.name)
		}
		for i, a := range areas {
			if most > 0 && (i >= most || a.Open().URLs == 0) {
				return t, len(areas) - i
			}
			row := doc.Cells(a.Name, fmt.Sprint(a.All.URLs), fmt.Sprint(a.All.Weight))
			for _, col := range columns {
				var s old.Share
				for _, f := range col.fates {
					s.URLs += a.Fates[f].URLs
					s.Weight = old.Plus(s.Weight, a.Fates[f].Weight)
				}
				row = append(row, doc.Cell{Text: doc.Phrase(c.shareOf(s, a.All))})
			}
			t.Rows = append(t.Rows, row)
		}
		return t, 0
	}
	var blocks []doc.Block
	if t, _ := table("domains", "domain", c.Domains, 0); len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	if t, _ := table("sections", "section, with most left to decide", c.Sections,
		mostSections); len(t.Rows) > 0 &&
		len(c.Sections) > len(c.Domains) {
		blocks = append(blocks, t)
	}
	return blocks
}

// shareOf gives a share of a part: by number where the part weighs nothing.
func (c Covered) shareOf(s, all old.Share) string {
	if all.Weight == 0 {
		return percent(int64(s.URLs), int64(all.URLs))
	}
	return percent(s.Weight, all.Weight)
}

// work is the sheet on which is decided what becomes of old URLs: rules import takes it back.
func (c Covered) work() doc.Data {
	d := doc.Data{Sheet: "work", Head: []string{"old", "new", "status", "weight", "becomes", "note"},
		Exact: true}
	for _, r := range c.Sheet() {
		o := c.Outcomes[r.Example]
		d.Rows = append(d.Rows, []string{r.Old, "", "", fmt.Sprint(r.Weight), c.becomes(r.Example),
			map[bool]string{true: "the carrier of this domain cannot lead it"}[o.By == old.ByCarrier]})
	}
	return d
}

// data is a coverage as JSON has it.
func (c Covered) data() doc.Object {
	type fate struct {
		Fate string `json:"fate"`
		old.Share
	}
	type area struct {
		Name string `json:"name"`
		old.Share
		Fates []fate `json:"fates"`
	}
	fatesOf := func(a old.Area) []fate {
		all := []fate{}
		for _, f := range old.Fates() {
			if a.Fates[f].URLs > 0 {
				all = append(all, fate{f.String(), a.Fates[f]})
			}
		}
		return all
	}
	areas := func(all []old.Area) []area {
		made := make([]area, len(all))
		for i, a := range all {
			made[i] = area{a.Name, a.All, fatesOf(a)}
		}
		return made
	}
	type covered struct {
		URL     string `json:"url"`
		Method  string `json:"method,omitempty"`
		Weight  int64  `json:"weight"`
		Fate    string `json:"fate"`
		By      string `json:"by"`
		Line    int32  `json:"line,omitempty"`
		Hops    uint8  `json:"hops"`
		Arrival string `json:"arrival,omitempty"`
		Status  int    `json:"status,omitempty"`
	}
	return doc.Object{
		{Name: "schema", Value: "upperpath/cover/1"}, {Name: "file", Value: c.From},
		{Name: "pages_known", Value: c.PagesKnown}, {Name: "total", Value: c.Total.All},
		{Name: "fates", Value: fatesOf(c.Total)}, {Name: "long", Value: c.Long},
		{Name: "by_carrier", Value: c.ByCarrier}, {Name: "unruled", Value: c.Unruled},
		{Name: "domains", Value: areas(c.Domains)},
		{Name: "sections", Value: areas(c.Sections)},
		{Name: "urls", Value: doc.Lines(func(yield func(any) bool) {
			for i, a := range c.Addresses {
				o := c.Outcomes[i]
				arrival, _, status := c.End(i)
				if !yield(covered{a.URL, a.Method, a.Weight, o.Fate.String(), o.By.String(), o.Line, o.Hops,
					arrival, status}) {
					return
				}
			}
		})},
		{Name: "findings", Value: inWordsOne(c.Findings)},
	}
}
