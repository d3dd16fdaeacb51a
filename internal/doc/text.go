package doc

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// mostRows is how many rows of one table a terminal is shown.
const mostRows = 200

// mostBrief is how many chains a terminal is shown a line of.
const mostBrief = 60

// widestText is how many columns are used at most: longer lines are hard to read.
const widestText = 120

func (s Style) width() int {
	if s.Width <= 0 {
		return 100
	}
	return min(s.Width, widestText)
}

// paint colours a text where colours are wanted.
func (s Style) paint(t string, colors ...text.Color) string {
	if !s.Color || t == "" {
		return t
	}
	return text.Colors(colors).Sprint(t)
}

func (s Style) tone(t Tone, what string) string {
	switch t {
	case Failed:
		return s.paint(what, text.FgRed)
	case Warned:
		return s.paint(what, text.FgYellow)
	case Noted:
		return s.paint(what, text.Bold)
	case Unseen: // blue can hardly be read on black
		return s.paint(what, text.FgMagenta)
	case Good:
		return s.paint(what, text.FgGreen)
	}
	return what
}

func (s Style) as(a As, what string) string {
	switch a {
	case Strong:
		return s.paint(what, text.Bold)
	case Faint, Struck:
		return s.paint(what, text.Faint)
	}
	return what
}

// writeText writes for a terminal or a pipe.
func writeText(w io.Writer, d Doc, s Style) error {
	t := &textWriter{w: w, style: s}
	if s.Quiet {
		if only := verdicts(d); only != nil {
			d.Blocks = Of(only...)
		}
	}
	one := d.Title + ", " + d.About
	switch {
	case d.Title != "" && d.About != "" && text.StringWidthWithoutEscSequences(one) <= s.width():
		t.print(s.as(Strong, d.Title) + s.as(Faint, ", "+d.About))
		d.About = ""
		t.begun = true
	case text.StringWidthWithoutEscSequences(d.Title) <= s.width() && d.Title != "":
		t.print(s.as(Strong, d.Title))
	case d.Title != "":
		t.lines(Text{{d.Title, Strong}}, "", "")
	}
	if d.About != "" {
		t.lines(Text{{d.About, Faint}}, "", "")
	}
	t.begun = t.begun || d.Title+d.About != ""
	for b := range d.Blocks {
		t.block(b)
		if t.err != nil {
			return t.err
		}
	}
	t.noted()
	t.hidden()
	return t.err
}

// verdicts gives the verdicts of a document alone; nil where it has none.
func verdicts(d Doc) []Block {
	var all []Block
	for b := range d.Blocks {
		if _, is := b.(Verdict); is {
			all = append(all, b)
		}
	}
	return all
}

// textWriter writes block by block; between blocks of different kinds stands an empty line.
type textWriter struct {
	w     io.Writer
	style Style
	err   error
	begun bool      // something stands there
	fine  int       // chains that were not shown, being fine
	same  int       // failing as others do
	brief int       // shown in a line
	rest  int       // not fine, and told elsewhere or too many to show
	bad   bool      // something worse than a note was shown
	notes []Finding // not shown yet
	last  Block
}

// noted says in a line what was noted beside what is wrong.
func (t *textWriter) noted() {
	if len(t.notes) == 0 {
		return
	}
	var all []string
	for _, f := range t.notes {
		all = append(all, f.Code)
	}
	all = slices.Compact(all)
	t.notes = nil
	t.lines(Phrasef("Noted: %s; %s says more.", wording.Few(all, 6), Command(t.style.More)),
		t.style.tone(Noted, Noted.Sign())+" ", "  ")
	t.last = nil
}

func (t *textWriter) print(line string) {
	if t.err == nil {
		_, t.err = fmt.Fprintln(t.w, strings.TrimRight(line, " "))
	}
}

func (t *textWriter) gap() {
	if t.begun {
		t.print("")
	}
	t.begun = true
}

// lines wraps a text, with something before its first line and something before the others.
func (t *textWriter) lines(what Text, first, rest string) {
	before := first
	for _, line := range Lay(what, t.style.width()-text.StringWidthWithoutEscSequences(rest),
		t.style) {
		t.print(before + line)
		before = rest
	}
}

func (t *textWriter) block(b Block) {
	if f, is := b.(Finding); is && t.style.More != "" && !t.style.Detail {
		if f.Tone == Noted && t.bad {
			t.notes = append(t.notes, f)
			return
		}
		t.bad = t.bad || f.Tone > Noted
	}
	t.noted()
	if c, is := b.(Chain); is {
		t.chain(c)
		t.last = b
		return
	}
	t.hidden()
	if f, is := b.(Fold); is {
		t.block(Heading{Level: 2, Text: f.Title, About: f.About})
		for _, inner := range f.Blocks {
			t.block(inner)
		}
		return
	}
	if d, is := b.(Detail); is {
		t.detail(d)
		return
	}
	if _, is := b.(Data); is {
		return
	}
	if t.apart(b) {
		t.gap()
	}
	t.last = b
	switch b := b.(type) {
	case Verdict:
		t.verdict(b)
	case Heading:
		t.heading(b)
	case Paragraph:
		if b.Soft {
			t.lines(soft(b.Text), "", "")
			return
		}
		t.lines(b.Text, "", "")
	case List:
		t.list(b)
	case Table:
		t.table(b)
	case Finding:
		t.finding(b)
	case Step:
		t.step(b)
	case Facts:
		for _, f := range b {
			t.fact(f, "  ", widest(b))
		}
	case Code:
		for _, line := range b {
			t.print("    " + line)
		}
	case Figure:
		for _, line := range b.Words {
			t.lines(line, "  ", "  ")
		}
		if b.Note != "" {
			t.lines(Phrase(b.Note), "  ", "  ")
		}
	}
}

// heading writes a heading, what is about it beside it where that fits on the line.
func (t *textWriter) heading(h Heading) {
	s := t.style
	if one := h.Text + "  " + h.About; text.StringWidthWithoutEscSequences(one) <= s.width() {
		t.print(s.as(Strong, h.Text) + "  " + s.as(Faint, h.About))
		return
	}
	t.lines(Text{{h.Text, Strong}}, "", "")
	t.lines(Text{{h.About, Faint}}, "", "")
}

// apart reports whether an empty line stands before a block.
func (t *textWriter) apart(b Block) bool {
	_, afterHeading := t.last.(Heading)
	switch b := b.(type) {
	case Step:
		_, before := t.last.(Step)
		return !before && !afterHeading
	case Paragraph:
		_, before := t.last.(Paragraph)
		_, table := t.last.(Table)
		_, told := t.last.(Detail)
		return b.Gap || !b.Near && !before && !afterHeading && !((table || told) && b.Soft)
	case Code:
		return false
	case Finding:
		_, before := t.last.(Finding)
		return !before && !b.Cut
	case Heading:
		return true
	}
	return !afterHeading
}

// soft gives a text that is beside the point.
func soft(t Text) Text {
	all := make(Text, len(t))
	for i, s := range t {
		if all[i] = s; s.As == Words {
			all[i].As = Faint
		}
	}
	return all
}

func (t *textWriter) verdict(v Verdict) {
	s := t.style
	before := ""
	if sign := v.Tone.Sign(); sign != "" {
		before = s.tone(v.Tone, sign) + " "
	}
	var says Text
	for _, span := range v.Says {
		if span.As == Words {
			span.As = Strong
		}
		says = append(says, span)
	}
	t.lines(says, before, strings.Repeat(" ", text.StringWidthWithoutEscSequences(before)))
	if next := v.Next; next != nil {
		if v.Brief != nil && len(Lay(next, s.width()-2, s)) > 1 {
			next = v.Brief
		}
		t.lines(next, "→ ", "  ")
	}
}

func (t *textWriter) list(l List) {
	if l.Title != "" {
		t.lines(Text{{l.Title, Strong}}, "", "")
	}
	mark := "·"
	if l.Tone != Plain {
		mark = t.style.tone(l.Tone, l.Tone.Sign())
	}
	shown := l.Items
	if l.More != "" && !t.style.Detail {
		shown = shown[:min(len(shown), 20)]
	}
	for _, item := range shown {
		t.lines(item, "  "+mark+" ", "    ")
	}
	t.more(len(l.Items)-len(shown), l.More, "  ")
}

func (t *textWriter) more(n int, how, space string) {
	if n > 0 {
		t.lines(soft(Phrasef("and %d more; %s", n, how)), space, space)
	}
}

func (t *textWriter) detail(d Detail) {
	if t.style.Detail {
		for _, b := range d.Blocks {
			t.block(b)
		}
		return
	}
	if d.Instead != nil {
		_, after := t.last.(Detail)
		if _, table := t.last.(Table); !after && !table {
			t.gap()
		}
		t.lines(soft(d.Instead), "", "")
		t.last = d
	}
}

func (t *textWriter) finding(f Finding) {
	s := t.style
	says := f.Shown()
	if f.Cut {
		mark := f.Tone.Sign() + " " + f.Code
		t.print(s.tone(f.Tone, mark) + "  " +
			t.begins(says, s.width()-2-text.StringWidthWithoutEscSequences(mark)))
		return
	}
	where := f.saysWhere()
	if !where {
		says = Cat(Text{{wording.Few(f.Subjects, 4), Strong}}, readableText(f.Readable), Phrase(": "),
			says)
	}
	if others := f.Likewise(2, where); others != "" && !s.Detail {
		says = Cat(says, Phrasef(" Likewise %s.", others))
	}
	if f.Affects != "" {
		says = Cat(says, Text{{" (" + strings.TrimPrefix(f.Affects, "affects ") + ")", Faint}})
	}
	if f.As != "" {
		says = Cat(says, Phrasef(" → As for %s.", f.As))
	}
	beside := f.As == "" && !s.Detail
	if both := Cat(says, Phrase(" → "), f.Fix); beside && (f.Tone <= Warned ||
		t.linesOf(says, f) == t.linesOf(both, f)) {
		says = both // it is short, or does not stand out as what has to be mended first
	} else {
		beside = false
	}
	t.begin(f, says)
	t.alike(f)
	if f.As == "" && !beside {
		t.lines(f.Fix, "  → ", "    ")
	}
	for _, line := range f.Way {
		t.print("    " + s.paint(line, text.Faint))
	}
}

// saysWhere reports whether what is said of a finding names its one subject, as people read it.
func (f Finding) saysWhere() bool {
	says := f.Shown().String()
	if len(f.Subjects) == 0 {
		return true
	}
	subject := f.Subjects[0]
	if rest, is := strings.CutPrefix(subject, "https://"); is { // that is the door which is meant
		subject = rest
	}
	return web.Mentions(says, subject) || web.Mentions(says, f.Readable)
}

// linesOf gives how many lines it takes to say something of a finding.
func (t *textWriter) linesOf(says Text, f Finding) int {
	mark := f.Tone.Sign() + " " + f.Code + " "
	return len(Lay(Cat(Text{{mark, Copied}}, Phrase(" "), says), t.style.width()-2, t.style))
}

// begin writes what is said of a finding behind its mark and its code.
func (t *textWriter) begin(f Finding, says Text) {
	s := t.style
	mark := f.Tone.Sign() + " " + f.Code + " "
	for i, line := range Lay(Cat(Text{{mark, Copied}}, Phrase(" "), says), s.width()-2, s) {
		if i == 0 {
			t.print(s.tone(f.Tone, mark) + strings.TrimPrefix(line, mark))
			continue
		}
		t.print("  " + line)
	}
}

// alike says one by one what else has the same fault, where all is asked for.
func (t *textWriter) alike(f Finding) {
	if !t.style.Detail {
		return
	}
	for _, o := range f.Alike {
		t.lines(o.Shown(), "  · ", "    ")
	}
}

func readableText(s string) Text {
	if s == "" {
		return nil
	}
	return Text{{" (" + s + ")", Faint}}
}

func (t *textWriter) step(p Step) {
	number := fmt.Sprintf("%2d ", p.Number)
	switch p.Box {
	case "open":
		number = "[ ] " + number
	case "done":
		number = t.style.tone(Good, "[✓]") + " " + number
	case "failed":
		number = t.style.tone(Failed, "[✗]") + " " + number
	}
	space := strings.Repeat(" ", text.StringWidthWithoutEscSequences(number))
	if p.Cut && !t.style.Detail {
		room := t.style.width() - len(space)
		tail := ""
		if p.Tail != "" {
			tail = " (" + p.Tail + ")"
		}
		says := t.begins(p.Says, room-text.StringWidthWithoutEscSequences(tail))
		t.print(t.style.paint(number, text.Bold) + says + t.style.as(Strong, tail))
		return
	}
	t.lines(p.Says, t.style.paint(number, text.Bold), space)
	for _, f := range p.Facts {
		t.fact(f, space, leastName)
	}
	for _, line := range p.Copy {
		t.print(space + "  " + line)
	}
	if len(p.Back) == 0 {
		return
	}
	t.fact(Fact{Name: "undo", Value: p.Back}, space, leastName)
	all, rest := p.Undo, ""
	if len(all) > mostUndo {
		all, rest = all[:leastUndo], fmt.Sprintf("and %d more lines: %s", len(p.Undo)-leastUndo, p.Rest)
	}
	indent := space + strings.Repeat(" ", leastName+1)
	for _, line := range all {
		begin := indent + line[:len(line)-len(strings.TrimLeft(line, " "))]
		t.lines(Text{{strings.TrimLeft(line, " "), Faint}}, begin, begin+"  ")
	}
	if rest != "" {
		t.lines(Phrase(rest), indent, indent)
	}
}

// begins gives as much of a text as a line holds, whole words, and a sign that there is more.
func (t *textWriter) begins(what Text, width int) string {
	if all := Lay(what, width, t.style); len(all) == 1 {
		return all[0]
	}
	line := Lay(what, width-1, t.style)[0]
	if end := strings.LastIndex(line, ". "); end > len(line)-len(" Until then,") && end > 0 {
		line = line[:end] // of a sentence that has hardly begun nothing is said
	}
	return strings.TrimRight(line, ".,:; ") + "…"
}

// How many lines that take a step back are shown, and how many where they are more.
const (
	mostUndo  = 4
	leastUndo = 2
)

// widest is how wide a column of names has to be.
func widest(facts []Fact) int {
	wide := leastName
	for _, f := range facts {
		wide = max(wide, text.StringWidthWithoutEscSequences(f.Name))
	}
	return wide
}

// leastName is how wide a column of names is at least.
const leastName = 10

func (t *textWriter) fact(f Fact, space string, wide int) {
	name := fmt.Sprintf("%-*s ", wide, f.Name)
	value := f.Value
	if f.Tone != Plain {
		value = Cat(Text{{f.Tone.Sign() + " ", Words}}, value)
	}
	t.lines(
		value,
		space+t.style.paint(name, text.Faint),
		space+strings.Repeat(" ", text.StringWidthWithoutEscSequences(name)),
	)
}

// hidden says how many chains were not shown, once the chains are over.
func (t *textWriter) hidden() {
	if t.fine+t.same+t.rest+t.brief == 0 {
		return
	}
	if t.brief == 0 {
		t.gap()
	}
	var says []string
	if t.rest > 0 {
		says = append(says, fmt.Sprintf("%s %s not fine", wording.Count(t.rest, "more chain"),
			wording.Verb(t.rest, "is", "are")))
	}
	if also := hiddenText(t.fine, t.same); also != "" {
		says = append(says, also)
	}
	says = append(says, Command("--chains")+" shows all hop by hop.")
	t.lines(soft(Phrase(strings.Join(says, "; "))), "", "")
	brief := t.brief > 0
	t.fine, t.same, t.rest, t.brief, t.last = 0, 0, 0, 0, nil
	if brief {
		t.last = Detail{} // what else is not shown goes on from here
	}
}

// hiddenText says which chains are not shown.
func hiddenText(fine, same int) string {
	var says []string
	if same > 0 {
		says = append(says,
			fmt.Sprintf("%s %s for the reasons shown above", wording.Count(same, "more chain"),
				wording.Verb(same, "fails", "fail")))
	}
	if fine > 0 {
		says = append(says,
			fmt.Sprintf("%s %s", wording.Count(fine, "chain"), wording.Verb(fine, "is fine", "are fine")))
	}
	return strings.Join(says, "; ")
}

// chain writes a chain hop by hop, or in a line where it is fine and that is wanted.
func (t *textWriter) chain(c Chain) {
	s := t.style
	switch {
	case c.Fine && !s.Detail && c.Line:
		t.begun = true
		arrow := ""
		if c.Arrival != c.Entry {
			arrow = " → " + c.Arrival
		}
		t.print(fmt.Sprintf("%s %s%s  %s", s.tone(c.Tone, c.Tone.Sign()), c.Entry, arrow,
			s.as(Faint, c.Outcome)))
		return
	case c.Told:
		return
	case c.Fine && !s.Detail:
		t.fine++
		return
	case c.Same && !s.Detail:
		t.same++
		return
	case c.InTable && !s.Detail:
		t.rest++
		return
	case c.Brief != nil && !s.Detail:
		if t.brief == mostBrief {
			t.rest++
			return
		}
		t.brief++
		if before, is := t.last.(Chain); !is || before.Brief == nil {
			t.gap()
		}
		t.lines(Cat(Text{{c.Entry, Strong}}, Phrase("  "), c.Brief), s.tone(c.Tone, c.Tone.Sign())+" ",
			"    ")
		return
	}
	if before, is := t.last.(Chain); !is || !before.Line || !c.Line || !before.Fine {
		t.gap()
	}
	t.print(fmt.Sprintf("%s %s", s.tone(c.Tone, c.Tone.Sign()), s.as(Strong, c.Entry)))
	for i, h := range c.Hops {
		t.hop(h, i)
	}
	if c.Stop != "" {
		t.print("  " + s.tone(Failed, c.Stop))
	}
	for _, f := range c.Further {
		t.print(fmt.Sprintf("  %s %s", s.as(Faint, fmt.Sprintf("%-13s", f.About)),
			s.tone(f.Tone, f.Says)))
	}
}

func (t *textWriter) hop(h Hop, i int) {
	s := t.style
	target := ""
	switch {
	case h.Detail != "" && h.Location == "":
		target = h.Detail
	case h.Location != "":
		target = "→ " + h.Location
	case i > 0:
		target = h.URL
	}
	t.print(fmt.Sprintf("  %s %s", s.tone(h.Tone, fmt.Sprintf("%-4s", h.Status)), target))
	if len(h.Facts) > 0 {
		t.print("       " + s.as(Faint, strings.Join(h.Facts, "   ")))
	}
	switch {
	case h.Faults != "":
		for i, line := range Lay(Phrase(h.Certificate+": "+h.Faults), s.width()-9, Style{}) {
			t.print("       " + strings.Repeat("  ", min(i, 1)) + s.tone(h.FaultTone, line))
		}
	case h.Certificate != "":
		t.lines(Text{{h.Certificate, Faint}}, "       ", "         ")
	}
}

// table writes a table no wider than the lines may be: cells are wrapped, and where even that is
// too wide each row stands as lines of its own.
func (t *textWriter) table(b Table) {
	rows := b.Rows
	quiet := 0
	if b.Worth && !t.style.Detail {
		rows = slices.DeleteFunc(slices.Clone(rows), func(r []Cell) bool {
			return !slices.ContainsFunc(r, func(c Cell) bool { return c.Tone > Good })
		})
		quiet = len(b.Rows) - len(rows)
	}
	if !t.style.Detail {
		rows = briefRows(rows)
	}
	all := len(rows)
	if b.More != "" {
		rows = rows[:min(len(rows), mostRows)]
	}
	defer func() {
		t.more(all-len(rows)+b.Rest, b.More, "")
		t.more(quiet, Command(cmp.Or(t.style.More, "--format json"))+" shows them too", "")
	}()
	s := t.style
	between := 3
	widths, fits := fit(b.Head, rows, s.width(), between)
	if !fits || wraps(b.Head, rows, widths) {
		between = 2
		widths, fits = fit(b.Head, rows, s.width(), between)
	}
	if !fits {
		t.stacked(b.Head, rows, max(1, b.Key))
		return
	}
	tab := newTable(between)
	if strings.Join(b.Head, "") != "" {
		head := make(table.Row, len(b.Head))
		for i, h := range b.Head {
			head[i] = strings.Join(Lay(Text{{h, Strong}}, widths[i], s), "\n")
		}
		tab.AppendHeader(head)
	}
	for _, r := range rows {
		row := make(table.Row, len(r))
		for i, c := range r {
			row[i] = strings.Join(layCell(c, widths[i], s), "\n")
		}
		tab.AppendRow(row)
	}
	longest := 0
	lines := strings.Split(tab.Render(), "\n")
	for i, line := range lines {
		if lines[i] = strings.TrimRight(line, " "); !strings.Contains(line, "──") {
			longest = max(longest, text.StringWidthWithoutEscSequences(lines[i]))
		}
	}
	for _, line := range lines {
		if strings.Contains(line, "──") {
			line = s.as(Faint, strings.Repeat("─", longest))
		}
		t.print(line)
	}
}

// briefRows gives rows with what a terminal is shown of their cells.
func briefRows(rows [][]Cell) [][]Cell {
	made := make([][]Cell, len(rows))
	for i, r := range rows {
		made[i] = slices.Clone(r)
		for j, c := range r {
			if c.Brief != nil {
				made[i][j].Text = c.Brief
			}
		}
	}
	return made
}

// newTable makes a table in the one look that all of them have.
func newTable(between int) table.Writer {
	t := table.NewWriter()
	style := table.StyleDefault
	style.Box = table.BoxStyle{
		PaddingLeft:      "",
		PaddingRight:     strings.Repeat(" ", between),
		MiddleHorizontal: "─",
		MiddleSeparator:  "─",
		MiddleVertical:   "",
	}
	style.Format.Header = text.FormatDefault
	style.Options = table.Options{SeparateHeader: true}
	t.SetStyle(style)
	return t
}

// stacked writes each row as what names it, and its other fields behind the names of their columns.
func (t *textWriter) stacked(head []string, rows [][]Cell, key int) {
	for _, r := range rows {
		var name, rest Text
		for i, c := range r {
			said := c.Text
			if sign := c.Tone.Sign(); sign != "" {
				said = Cat(Phrase(t.style.tone(c.Tone, sign)+" "), said)
			}
			switch {
			case len(c.Text) == 0:
			case i < key:
				name = Cat(name, strong(said), Phrase("  "))
			default:
				if rest != nil {
					rest = Cat(rest, Phrase(" · "))
				}
				rest = Cat(rest, Text{{head[i] + ": ", Faint}}, said)
			}
		}
		t.lines(name, "", "  ")
		if rest != nil {
			t.lines(rest, "    ", "    ")
		}
	}
}

func strong(t Text) Text {
	all := make(Text, len(t))
	for i, s := range t {
		if all[i] = s; s.As == Words {
			all[i].As = Strong
		}
	}
	return all
}

// layCell wraps a cell, its mark before it.
func layCell(c Cell, width int, s Style) []string {
	t := c.Text
	if c.Tone == Plain {
		return Lay(t, width, s)
	}
	lines := Lay(t, width-2, Style{})
	for i, line := range lines {
		space := "  "
		if i == 0 {
			space = c.Tone.Sign() + " "
		}
		lines[i] = s.tone(c.Tone, space+line)
	}
	return lines
}

// fit gives the columns of a table their widths, so that all of them fit; false where that cannot
// be.
func fit(head []string, rows [][]Cell, width, between int) ([]int, bool) {
	widths, least := make([]int, len(head)), make([]int, len(head))
	measure := func(i int, t Text, more int) {
		longest, word := extent(t)
		widths[i], least[i] = max(widths[i], longest+more), max(least[i], word+more)
	}
	for i, h := range head {
		measure(i, Text{{h, Words}}, 0)
	}
	for _, r := range rows {
		for i, c := range r {
			more := 0
			if c.Tone != Plain {
				more = 2
			}
			measure(i, c.Text, more)
		}
	}
	total := between * (len(head) - 1)
	for _, n := range widths {
		total += n
	}
	for total > width {
		widest := -1
		for i := range widths {
			if widths[i] > max(least[i], 8) && (widest < 0 || widths[i] > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return widths, false
		}
		widths[widest]--
		total--
	}
	return widths, true
}

// wraps reports whether some cell has to be wrapped.
func wraps(head []string, rows [][]Cell, widths []int) bool {
	for i, h := range head {
		if text.StringWidthWithoutEscSequences(h) > widths[i] {
			return true
		}
	}
	for _, r := range rows {
		for i, c := range r {
			if all, _ := extent(c.Text); all > widths[i] {
				return true
			}
		}
	}
	return false
}

// extent gives how wide a text is on one line, and how wide its widest word.
func extent(t Text) (all, word int) {
	for i, w := range wordsOf(t) {
		if w.width > word {
			word = w.width
		}
		if all += w.width; i > 0 {
			all++
		}
	}
	return all, word
}

// wordSpans is a word: parts that stand together without a space.
type wordSpans struct {
	spans  Text
	width  int
	breaks int // lines that end before it
}

// wordsOf parts a text at its spaces, but for those in what is kept in one piece.
func wordsOf(t Text) []wordSpans {
	var all []wordSpans
	open, breaks := false, 0
	add := func(s string, as As) {
		if s == "" {
			return
		}
		if !open {
			all = append(all, wordSpans{breaks: breaks})
			breaks = 0
		}
		w := &all[len(all)-1]
		w.spans = append(w.spans, Span{s, as})
		w.width += text.StringWidthWithoutEscSequences(s)
		open = true
	}
	for _, span := range t {
		switch span.As {
		case Copied, Struck:
			add(span.Text, span.As)
			continue
		case Break:
			breaks++
			open = false
			continue
		}
		for i, s := range strings.Split(span.Text, " ") {
			if i > 0 {
				open = false
			}
			add(s, span.As)
		}
	}
	return all
}

// Lay breaks a text into lines no wider than width, at words. A word that is too long for a line
// stands on one of its own, in one piece: it is a URL, a name or a command, to be copied.
func Lay(t Text, width int, s Style) []string {
	var lines []string
	line, wide := "", 0
	for i, w := range wordsOf(t) {
		said := ""
		for _, span := range w.spans {
			said += s.as(span.As, span.Text)
		}
		switch {
		case i == 0:
			line, wide = said, w.width
		case w.breaks > 0 || wide+1+w.width > width:
			lines = append(lines, line)
			line, wide = said, w.width
		default:
			line, wide = line+" "+said, wide+1+w.width
		}
	}
	return append(lines, line)
}
