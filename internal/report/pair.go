package report

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
)

// Paired is a work sheet of pairs, and what it was made from.
type Paired struct {
	Sheet    *pair.Sheet
	File     string // where it stands
	Olds     int
	News     int
	Ruled    int // old URLs that rules made by hand lead
	Front    int // front pages, which the plan leads
	Accepted int // decided by a least confidence
	All      bool
	Strayed  int // rows whose URL is not among the old ones any more
	NoPages  int // lines of the new site that are no page of their own
	// old URLs at hosts that are none of the estate's, or do not redirect
	Strangers int
}

// mostPairsShown is how many undecided rows a terminal is shown.
const mostPairsShown = 12

// sums counts rows, and their visits.
type sums struct {
	rows   int
	weight int64
}

func (s *sums) add(r pair.Row) { s.rows++; s.weight = old.Plus(s.weight, r.Weight) }

// Pair says what was proposed for old pages, and what is left to decide.
func Pair(p Paired) doc.Doc {
	var all, decided, certain, likely, none sums
	t := doc.Table{
		Sheet: "pairs",
		Head:  []string{"visits", "old", "new", "confidence", "why"},
		Key:   2,
		More:  doc.Command("--all") + " shows them all",
	}
	for _, r := range p.Sheet.Rows {
		all.add(r)
		sure, _ := strconv.ParseFloat(r.Confidence, 64)
		tone, to := doc.Warned, shown(r.New)
		switch {
		case r.Decided():
			decided.add(r)
			continue
		case r.New == "":
			none.add(r)
			tone, to = doc.Failed, "none"
		case sure >= pair.Certain:
			certain.add(r)
			tone = doc.Good
		default:
			likely.add(r)
		}
		if len(t.Rows) >= mostPairsShown && !p.All {
			t.Rest++
			continue
		}
		cells := doc.Cells(strconv.FormatInt(r.Weight, 10), wording.Cut(shown(r.Old), 70),
			wording.Cut(to, 50), r.Confidence, wording.Cut(r.Reason, 90))
		cells[2].Tone = tone
		t.Rows = append(t.Rows, cells)
	}
	v := doc.Verdict{Tone: doc.Good}
	open := certain.rows + likely.rows + none.rows
	share := func(s sums) string {
		if all.weight > 0 {
			return percent(s.weight, all.weight)
		}
		return percent(int64(s.rows), int64(all.rows))
	}
	switch {
	case all.rows == 0:
		v = doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase("There is no old page to pair.")}
	default:
		of := "Of " + wording.Count(all.rows, "old page")
		if all.weight > 0 {
			of += " with " + wording.Count(int(all.weight), "visit")
		}
		parts := []string{}
		for _, s := range []struct {
			sums
			says string
		}{{decided, "decided"}, {certain, "to a page that is all but certain"},
			{likely, "to a page that is likely"}, {none, "without a counterpart"}} {
			if s.rows > 0 {
				parts = append(parts, fmt.Sprintf("%s (%d) %s", share(s.sums), s.rows, s.says))
			}
		}
		v.Says = doc.Phrase(of + ": " + wording.And(parts) + ".")
		if open > 0 {
			v.Tone = doc.Warned
			v.Next = doc.Phrase("Decide in the column decision of " + p.File + ", or with " +
				doc.Command("upperpath pair --review") + "; " +
				doc.Command(
					"upperpath pair --from-confidence 0.95",
				) + " takes what is all but certain. Then " +
				doc.Command("upperpath pair --rules") + ".")
		} else {
			v.Next = doc.Phrase("Make rules of it: " + doc.Command("upperpath pair --rules"))
		}
	}
	blocks := []doc.Block{v}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	notes := []string{
		"Compared with " + wording.Count(p.News, "page") + " of the new site. Written to " +
			p.File + ", the heaviest undecided first.",
	}
	if p.Accepted > 0 {
		notes = append(notes, wording.Count(p.Accepted, "row")+" accepted.")
	}
	if p.Ruled > 0 {
		notes = append(notes, wording.Count(p.Ruled, "old URL")+" left out: rules lead there already.")
	}
	if p.Front > 0 {
		notes = append(notes, wording.Count(p.Front, "front page")+
			" left out: the plan leads front pages.")
	}
	if p.Strangers > 0 {
		notes = append(notes, wording.Count(p.Strangers, "old URL")+
			" left out: no host of the estate that redirects.")
	}
	if p.NoPages > 0 {
		notes = append(notes, wording.Count(p.NoPages, "line")+
			" of the new site left out: a redirect, an error, or a copy of another page.")
	}
	if p.Strayed > 0 {
		notes = append(notes, wording.Count(p.Strayed, "row")+
			" kept that no old URL of this run has.")
	}
	if len(notes) > 0 {
		blocks = append(blocks, doc.Paragraph{Gap: true, Soft: true,
			Text: doc.Phrase(strings.Join(notes, " "))})
	}
	return doc.Doc{Name: "pair", Title: "Old pages and their counterparts", Main: "work",
		Blocks: doc.Of(append(blocks, p.work())...), Data: p.data(all, decided, certain, likely, none)}
}

// PairSummary is the verdict alone.
func PairSummary(p Paired) doc.Doc {
	d := Pair(p)
	for b := range d.Blocks {
		if v, is := b.(doc.Verdict); is {
			v.Next = nil
			return doc.Doc{Name: "pair", Blocks: doc.Of(v)}
		}
	}
	return doc.Doc{Name: "pair"}
}

// work is the work sheet itself.
func (p Paired) work() doc.Block {
	d := doc.Data{Sheet: "work", Head: append(append([]string{}, pair.Columns...), p.Sheet.Extra...),
		Exact: true}
	for _, r := range p.Sheet.Rows {
		d.Rows = append(d.Rows, append([]string{r.Old, r.New, r.Confidence, r.Reason, r.Decision,
			strconv.FormatInt(
				r.Weight,
				10,
			), r.Note, r.Proposed, r.Second, r.Third, r.Section}, r.Extra...))
	}
	return d
}

func (p Paired) data(all, decided, certain, likely, none sums) doc.Object {
	type row struct {
		Old        string  `json:"old"`
		New        string  `json:"new,omitempty"`
		Confidence float64 `json:"confidence,omitempty"`
		Reason     string  `json:"reason,omitempty"`
		Decision   string  `json:"decision,omitempty"`
		Decided    bool    `json:"decided"`
		Weight     int64   `json:"weight"`
		Second     string  `json:"second,omitempty"`
		Third      string  `json:"third,omitempty"`
		Section    string  `json:"section,omitempty"`
		Note       string  `json:"note,omitempty"`
	}
	type sum struct {
		Rows   int   `json:"rows"`
		Weight int64 `json:"weight"`
	}
	of := func(s sums) sum { return sum{s.rows, s.weight} }
	return doc.Object{
		{Name: "schema", Value: "upperpath/pair/1"}, {Name: "file", Value: p.File},
		{Name: "old", Value: p.Olds}, {Name: "new", Value: p.News},
		{Name: "ruled", Value: p.Ruled}, {Name: "front", Value: p.Front},
		{Name: "strangers", Value: p.Strangers}, {Name: "no_pages", Value: p.NoPages},
		{Name: "all", Value: of(all)}, {Name: "decided", Value: of(decided)},
		{Name: "certain", Value: of(certain)}, {Name: "likely", Value: of(likely)},
		{Name: "none", Value: of(none)},
		{Name: "rows", Value: doc.Lines(func(yield func(any) bool) {
			for _, r := range p.Sheet.Rows {
				sure, _ := strconv.ParseFloat(r.Confidence, 64)
				if !yield(row{r.Old, r.New, sure, r.Reason, r.Decision, r.Decided(), r.Weight, r.Second,
					r.Third, r.Section, r.Note}) {
					return
				}
			}
		})},
	}
}

// PairRuled is what came of decided pairs.
type PairRuled struct {
	Table    *pair.Table
	Wanted   []pair.Wanted
	File     string
	Added    string   // the file to which the rules were added; "": none
	Failed   []int    // pairs that the plan, with these rules, leads elsewhere
	Arrivals []string // where the plan leads those that were followed; "": nowhere
	Unread   []int    // lines of the work sheet with an address that is no URL
	Before   *old.Coverage
	After    *old.Coverage
	From     string // the file with old URLs of the coverage
	All      bool
}

// Clean reports whether every decided pair is led where it was decided.
func (p PairRuled) Clean() bool {
	return len(p.Failed)+len(p.Unread)+len(p.Table.Overruled)+len(p.Table.Twice)+
		len(p.Table.Unsaid) == 0
}

// mostPairRules is how many rules a terminal is shown.
const mostPairRules = 40

// pairRuleCells shows a rule, with what it takes beside the decided pairs.
func pairRuleCells(m pair.Made) []doc.Cell {
	to, also := m.Row.New, ""
	if to == "" {
		to = "gone"
	}
	if m.Undecided > 0 {
		also = wording.Count(m.Undecided, "undecided page") + ", such as " + shown(m.Other)
	} else if m.Pattern && !m.Unlisted.IsZero() {
		also = "such as " + m.Unlisted.String()
	}
	cells := doc.Cells(
		wording.Cut(shown(m.Row.Old), 70),
		wording.Cut(shown(to), 50),
		fmt.Sprint(m.Pairs),
		strconv.FormatInt(m.Weight, 10),
		wording.Cut(also, 100),
	)
	if m.Undecided > 0 {
		cells[4].Tone = doc.Warned
	}
	return cells
}

// PairRules says which rules lead decided pairs.
func PairRules(p PairRuled) doc.Doc {
	patterns := 0
	t := doc.Table{
		Sheet: "patterns",
		Head:  []string{"old", "new", "pairs", "visits", "takes too"},
		Key:   1,
		More:  doc.Command("--format csv") + " has them all",
	}
	sheet := doc.Data{Sheet: "rules", Head: []string{"old", "new", "status", "note"}, Exact: true}
	for _, m := range p.Table.Rules {
		note := "decided in " + p.File
		if m.Pattern {
			patterns++
			note = wording.Count(m.Pairs, "pair") + " " + note
		}
		sheet.Rows = append(sheet.Rows, []string{m.Row.Old, m.Row.New, m.Row.Status, note})
		if len(t.Rows) >= mostPairRules && !p.All {
			t.Rest++
			continue
		}
		t.Rows = append(t.Rows, pairRuleCells(m))
	}
	led := len(p.Wanted) - len(p.Table.Overruled) - len(p.Table.Twice) - len(p.Table.Unsaid) -
		len(p.Failed)
	var v doc.Verdict
	switch {
	case len(p.Wanted) == 0:
		v = doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase("Nothing is decided yet in " + p.File + "."),
			Next: doc.Phrase("Decide: " + doc.Command("upperpath pair --review"))}
	default:
		v.Tone = doc.Good
		rules, single := len(p.Table.Rules), len(p.Table.Rules)-patterns
		v.Says = doc.Phrase(
			fmt.Sprintf("%s (%s, %d single) %s %s where %s decided, each followed through "+
				"the plan.", wording.Count(rules, "rule"), wording.Count(patterns, "pattern"), single,
				wording.Verb(rules, "leads", "lead"), wording.Count(led-p.Table.Already, "decided page"),
				wording.Verb(led-p.Table.Already, "it was", "they were")),
		)
		if rules == 0 {
			v.Says = doc.Phrase("No rule is needed.")
		}
		if n := p.Table.Already; n > 0 {
			v.Says = doc.Cat(v.Says, doc.Phrase(fmt.Sprintf(" %s %s there without a further rule.",
				wording.Count(n, "decided page"), wording.Verb(n, "arrives", "arrive"))))
		}
		if !p.Clean() {
			v.Tone = doc.Failed
		}
		if len(p.Failed) > 0 {
			v.Next = doc.Phrase(
				"Give these hosts another carrier, or decide otherwise; nothing is added " +
					"before that. " + doc.Command("upperpath plan") + " says what each carrier cannot do.",
			)
		} else if p.Added == "" && len(p.Table.Rules) > 0 {
			v.Next = doc.Phrase(doc.Command("upperpath pair --rules --add") + " adds them.")
		} else if p.Added != "" {
			v.Next = doc.Phrase("Added to " + p.Added + ". Prove the whole: " +
				doc.Command("upperpath prove"))
		}
	}
	blocks := []doc.Block{v}
	list := func(title string, tone doc.Tone, places []int, says func(pair.Wanted) string) {
		l := doc.List{Title: title, Tone: tone, More: doc.Command("--format json") + " has them all"}
		for _, i := range places {
			l.Items = append(l.Items, doc.Copy(says(p.Wanted[i])))
		}
		if len(l.Items) > 0 {
			blocks = append(blocks, l)
		}
	}
	says := func(w pair.Wanted) string {
		to := "gone"
		if !w.New.IsZero() {
			to = w.New.String()
		}
		return fmt.Sprintf("line %d: %s → %s", w.Line, w.Old, to)
	}
	if len(p.Failed) > 0 {
		l := doc.List{Title: "Led elsewhere by the plan: what its carrier cannot do", Tone: doc.Failed,
			More: doc.Command("--format json") + " has them all"}
		for _, i := range p.Failed {
			to := cmp.Or(p.Arrivals[i], "nowhere")
			l.Items = append(l.Items, doc.Cat(doc.Copy(says(p.Wanted[i])), doc.NewLine,
				doc.Phrase("the plan leads it to "), doc.Copy(to)))
		}
		blocks = append(blocks, l)
	}
	list("A rule made by hand leads these elsewhere, and stays", doc.Failed, p.Table.Overruled, says)
	list("Decided twice, in two ways: the first counts", doc.Failed, p.Table.Twice, says)
	if len(p.Unread) > 0 {
		l := doc.List{Title: "No URL in this line", Tone: doc.Failed}
		for _, line := range p.Unread {
			l.Items = append(l.Items, doc.Phrasef("%s line %d", p.File, line))
		}
		blocks = append(blocks, l)
	}
	list("No rule can say these", doc.Failed, p.Table.Unsaid, says)
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	if p.Before != nil {
		blocks = append(blocks, p.coverage())
		if f, ok := p.coverageFigure(); ok {
			blocks = append(blocks, f)
		}
	}
	return doc.Doc{Name: "pair-rules", Title: "Rules from pairs", Main: "rules",
		Blocks: doc.Of(append(blocks, sheet)...), Data: p.data(patterns)}
}

// coverage compares what becomes of all old URLs without and with the rules.
func (p PairRuled) coverage() doc.Block {
	before := Covered{Coverage: p.Before, From: p.From}
	after := Covered{Coverage: p.After, From: p.From}
	t := doc.Table{
		Sheet: "coverage",
		Head:  []string{"of all old URLs, by weight", "before", "after"},
		Key:   1,
	}
	for _, f := range old.Fates() {
		x, y := before.Total.Fates[f], after.Total.Fates[f]
		if x.URLs+y.URLs == 0 {
			continue
		}
		cells := doc.Cells(fateWords[f].says, before.share(x, before.Total.All),
			after.share(y, after.Total.All))
		cells[0].Tone = fateWords[f].tone
		t.Rows = append(t.Rows, cells)
	}
	return t
}

// fateInks are the inks of a fate: what is gone on purpose is paler than what shares a page.
func fateInks(f old.Fate) (ink, pale doc.Ink) {
	ink = doc.InkOf(fateWords[f].tone)
	if pale = ink.Tinted(); f == old.Retired {
		ink = doc.InkLine
	}
	return ink, pale
}

// coverageFigure draws both: a bar of what becomes of all old URLs without the rules, and one with
// them. There is nothing to draw where there is no old URL.
func (p PairRuled) coverageFigure() (doc.Figure, bool) {
	const left, wide, high = 70, 700, 34
	before := Covered{Coverage: p.Before, From: p.From}
	after := Covered{Coverage: p.After, From: p.From}
	weigh := func(s old.Share) float32 {
		if before.byWeight() {
			return float32(s.Weight)
		}
		return float32(s.URLs)
	}
	if weigh(before.Total.All) == 0 || weigh(after.Total.All) == 0 {
		return doc.Figure{}, false
	}
	d := &doc.Drawing{Title: "What becomes of all old URLs, before and after", W: left + wide + 20}
	var shown []old.Fate
	bar := func(y float32, name string, c Covered) (arrive string) {
		d.Shout(8, y+22, 14, doc.InkText, "start", name)
		x := float32(left)
		var own old.Share
		for _, f := range old.Fates() {
			part := c.Total.Fates[f]
			if f == old.OwnPage || f == old.Unchecked {
				own.URLs, own.Weight = own.URLs+part.URLs, own.Weight+part.Weight
			}
			long := wide * weigh(part) / weigh(c.Total.All)
			if long == 0 {
				continue
			}
			if !slices.Contains(shown, f) {
				shown = append(shown, f)
			}
			ink, pale := fateInks(f)
			d.Box(x, y, max(1, long-1), high, pale)
			d.Box(x, y+high-5, max(1, long-1), 5, ink)
			if says := c.share(part, c.Total.All); long > float32(9*len(says)+8) {
				d.Say(x+6, y+19, 13, doc.InkText, "start", says)
			}
			x += long
		}
		return c.share(own, c.Total.All)
	}
	one := bar(10, "before", before)
	two := bar(10+high+14, "after", after)
	y := float32(10+2*high+14) + 26
	slices.Sort(shown)
	for i, f := range shown {
		x := float32(left + (i%2)*wide/2)
		ink, pale := fateInks(f)
		d.Box(x, y-11, 14, 14, pale)
		d.Box(x, y-1, 14, 4, ink)
		d.Say(x+22, y, 13, doc.InkText, "start", fateWords[f].says)
		if i%2 == 1 {
			y += 22
		}
	}
	d.H = y + 14
	return doc.Figure{Name: "coverage", SVG: d.SVG(false), Words: []doc.Text{doc.Phrasef(
		"Led to a page of their own: %s before, %s after.", one, two)}}, true
}

func (p PairRuled) data(patterns int) doc.Object {
	type made struct {
		Old       string `json:"old"`
		New       string `json:"new,omitempty"`
		Status    string `json:"status,omitempty"`
		Pattern   bool   `json:"pattern"`
		Pairs     int    `json:"pairs"`
		Weight    int64  `json:"weight"`
		Undecided int    `json:"undecided,omitempty"`
		Other     string `json:"other,omitempty"`
		Unlisted  string `json:"unlisted,omitempty"`
	}
	type pairOf struct {
		Line int    `json:"line"`
		Old  string `json:"old"`
		New  string `json:"new,omitempty"`
	}
	some := func(places []int) []pairOf {
		all := []pairOf{}
		for _, i := range places {
			w := p.Wanted[i]
			all = append(all, pairOf{w.Line, w.Old.String(), w.New.String()})
		}
		return all
	}
	return doc.Object{
		{Name: "schema", Value: "upperpath/pair-rules/1"}, {Name: "file", Value: p.File},
		{Name: "added", Value: doc.IfSaid(p.Added)}, {Name: "decided", Value: len(p.Wanted)},
		{Name: "already", Value: p.Table.Already}, {Name: "patterns", Value: patterns},
		{Name: "rules", Value: doc.Lines(func(yield func(any) bool) {
			for _, m := range p.Table.Rules {
				if !yield(
					made{m.Row.Old, m.Row.New, m.Row.Status, m.Pattern, m.Pairs, m.Weight, m.Undecided,
						m.Other, m.Unlisted.String()},
				) {
					return
				}
			}
		})},
		{Name: "failed", Value: some(p.Failed)}, {Name: "unread", Value: append([]int{}, p.Unread...)},
		{
			Name:  "overruled",
			Value: some(p.Table.Overruled),
		}, {Name: "twice", Value: some(p.Table.Twice)},
		{Name: "unsaid", Value: some(p.Table.Unsaid)},
	}
}
