package doc

import (
	"fmt"
	"io"
	"regexp"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"upperpath.example/upperpath/internal/core/wording"
)

// proseWidth is where lines of prose are broken, so that a page reads well as plain text too.
const proseWidth = 110

// writeMD writes Markdown (CommonMark 0.31, with tables).
func writeMD(w io.Writer, d Doc, s Style) error {
	m := &mdWriter{w: w, style: s}
	if d.Title != "" {
		m.print("# " + md(d.Title))
	}
	if d.About != "" {
		m.gap()
		m.prose(Phrase(d.About), "", "")
	}
	for b := range d.Blocks {
		m.block(b)
		if m.err != nil {
			return m.err
		}
	}
	m.hidden()
	return m.err
}

type mdWriter struct {
	w     io.Writer
	style Style
	err   error
	begun bool
	fine  int
	same  int
	last  Block
}

func (m *mdWriter) print(line string) {
	if m.err == nil {
		m.begun = true
		_, m.err = fmt.Fprintln(m.w, strings.TrimRight(line, " "))
	}
}

func (m *mdWriter) gap() {
	if m.begun {
		m.print("")
	}
}

// prose writes a paragraph, its first line behind first, the others behind rest.
func (m *mdWriter) prose(t Text, first, rest string) {
	before := first
	for i, line := range Lay(MdText(t, false), proseWidth-len(rest), Style{}) {
		if i > 0 || first == "" {
			line = notMarked(line)
		}
		m.print(before + line)
		before = rest
	}
}

// marks is how a line begins that would be a list or underline a heading.
var marks = regexp.MustCompile(`^([-+=]|[0-9]{1,9}[.)])(\s|$)|^[-=]+\s*$`)

// notMarked takes from the first word of a line the power to begin something.
func notMarked(line string) string {
	if !marks.MatchString(line) {
		return line
	}
	if at := strings.IndexAny(line, "-+=.)"); at >= 0 {
		return line[:at] + `\` + line[at:]
	}
	return line
}

func (m *mdWriter) block(b Block) {
	if c, is := b.(Chain); is {
		m.chain(c)
		m.last = b
		return
	}
	m.hidden()
	switch b := b.(type) {
	case Verdict:
		m.gap()
		m.prose(Cat(Text{{strings.TrimSpace(b.Tone.Sign() + " "), Words}, {" ", Words}}, strong(b.Says)),
			"", "")
		if b.Next != nil {
			m.gap()
			m.prose(b.Next, "→ ", "")
		}
	case Heading:
		m.gap()
		m.print(strings.Repeat("#", b.Level) + " " + md(b.Text))
		if b.About != "" {
			m.gap()
			m.prose(Phrase(b.About), "", "")
		}
	case Paragraph:
		m.gap()
		m.prose(b.Text, "", "")
	case List:
		m.list(b)
	case Table:
		m.table(b)
		if b.Rest > 0 {
			m.gap()
			m.prose(b.RestText(), "", "")
		}
	case Finding:
		m.finding(b)
	case Step:
		m.step(b)
	case Facts:
		m.gap()
		for _, f := range b {
			m.fact(f, "")
		}
	case Code:
		m.code(b, "")
	case Figure:
		m.gap()
		for _, line := range b.Words {
			m.prose(line, "- ", "  ")
		}
		if b.Note != "" {
			m.prose(Phrase(b.Note), "- ", "  ")
		}
	case Fold:
		m.block(Heading{Level: 2, Text: b.Title, About: b.About})
		for _, inner := range b.Blocks {
			m.block(inner)
		}
	case Detail:
		for _, inner := range b.Blocks {
			m.block(inner)
		}
	}
	m.last = b
}

func (m *mdWriter) list(l List) {
	if l.Title != "" {
		m.gap()
		m.print("## " + md(l.Title))
	}
	m.gap()
	sign := l.Tone.Sign()
	if sign != "" {
		sign += " "
	}
	for _, item := range l.Items {
		m.prose(item, "- "+sign, "  ")
	}
}

// table writes a table, its columns aligned, so that it reads well as plain text too.
func (m *mdWriter) table(b Table) {
	const widest = 60
	rows := make([][]string, 0, len(b.Rows)+1)
	rows = append(rows, nil)
	for _, h := range b.Head {
		rows[0] = append(rows[0], md(h))
	}
	for _, r := range b.Rows {
		row := make([]string, len(r))
		for i, c := range r {
			t := MdText(c.Text, true).String()
			if c.Tone != Plain {
				t = strings.TrimSpace(c.Tone.Sign() + " " + t)
			}
			row[i] = t
		}
		rows = append(rows, row)
	}
	widths := make([]int, len(b.Head))
	for _, r := range rows {
		for i, c := range r {
			if n := text.StringWidthWithoutEscSequences(c); n <= widest {
				widths[i] = max(widths[i], n, 3)
			}
		}
	}
	m.gap()
	for i, r := range rows {
		line := ""
		for j, c := range r {
			line += "| " + text.Pad(c, widths[j], ' ') + " "
		}
		m.print(line + "|")
		if i == 0 {
			line = ""
			for _, n := range widths {
				line += "| " + strings.Repeat("-", n) + " "
			}
			m.print(line + "|")
		}
	}
}

func (m *mdWriter) finding(f Finding) {
	m.gap()
	m.print(
		fmt.Sprintf(
			"### %s %s: %s",
			f.Tone.Sign(),
			md(f.Code),
			md(wording.Few(f.Subjects, 8)+readableText(f.Readable).String()),
		),
	)
	m.gap()
	m.prose(f.Shown(), "", "")
	if len(f.Alike) > 0 {
		m.gap()
	}
	for _, o := range f.Alike {
		m.prose(o.Shown(), "- ", "  ")
	}
	m.gap()
	m.prose(f.Fix, "→ ", "")
	if f.Affects != "" {
		m.gap()
		m.prose(Phrase(f.Affects), "", "")
	}
	m.code(f.Way, "")
}

// code writes lines as they are, behind what stands before each line.
func (m *mdWriter) code(lines []string, space string) {
	if len(lines) == 0 {
		return
	}
	m.gap()
	fence := fenceFor(strings.Join(lines, "\n"), 3)
	m.print(space + fence)
	for _, line := range lines {
		m.print(space + line)
	}
	m.print(space + fence)
}

// fenceFor gives more backquotes than stand together in a text (CommonMark 0.31, sections 4.5 and
// 6.1).
func fenceFor(s string, least int) string {
	longest, run := 0, 0
	for _, c := range s {
		if c != '`' {
			run = 0
			continue
		}
		run++
		longest = max(longest, run)
	}
	return strings.Repeat("`", max(longest+1, least))
}

func (m *mdWriter) step(p Step) {
	if _, after := m.last.(Step); !after || len(p.Copy) > 0 {
		m.gap()
	}
	box := map[string]string{"open": "[ ] ", "done": "[x] ", "failed": "[ ] ✗ "}[p.Box]
	head := fmt.Sprintf("%d. ", p.Number)
	space := strings.Repeat(" ", len(head))
	m.prose(p.Says, head+box, space)
	for _, f := range p.Facts {
		m.fact(f, space)
	}
	code := func(lines []string) {
		if len(lines) > 0 {
			m.code(lines, space)
			m.print("")
			m.last = nil
		}
	}
	code(p.Copy)
	if len(p.Back) > 0 {
		m.fact(Fact{Name: "undo", Value: p.Back}, space)
	}
	code(p.Undo)
}

func (m *mdWriter) fact(f Fact, space string) {
	sign := ""
	if f.Tone != Plain {
		sign = f.Tone.Sign() + " "
	}
	m.prose(Cat(Text{{f.Name + ": " + sign, Words}}, f.Value), space+"- ", space+"  ")
}

func (m *mdWriter) chain(c Chain) {
	switch {
	case c.Told:
		return
	case c.Fine && !m.style.Detail:
		m.fine++
		return
	case c.Same && !m.style.Detail:
		m.same++
		return
	}
	if _, after := m.last.(Chain); !after {
		m.gap()
	}
	m.prose(Copy(c.Entry), "- "+c.Tone.Sign()+" ", "  ")
	for _, h := range c.Hops {
		t := Cat(Phrase(h.Status))
		switch {
		case h.Location != "":
			t = Cat(t, Phrase(" → "), Copy(h.Location))
		case h.Detail != "":
			t = Cat(t, Phrase(" "+h.Detail))
		}
		if len(h.Facts) > 0 {
			t = Cat(t, Phrase(" · "+strings.Join(h.Facts, " · ")))
		}
		m.prose(t, "  - ", "    ")
	}
	if c.Stop != "" {
		m.prose(Phrase(c.Stop), "  - ", "    ")
	}
	for _, f := range c.Further {
		m.prose(Phrase(f.About+": "+f.Says), "  - ", "    ")
	}
}

func (m *mdWriter) hidden() {
	if m.fine+m.same > 0 {
		m.gap()
		m.prose(Phrase(wording.UpperFirst(hiddenText(m.fine, m.same))+"."), "", "")
		m.fine, m.same = 0, 0
	}
}

var mdEscapes = strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "|", `\|`, "<",
	"&lt;", ">", "&gt;",
	"&", "&amp;", "[", `\[`, "]", `\]`, "#", `\#`, "~", `\~`)

// md escapes what Markdown or HTML would take for markup.
func md(s string) string { return mdEscapes.Replace(s) }

// MdText gives a text whose parts are Markdown already; what is kept in one piece stays so.
func MdText(t Text, inTable bool) Text {
	all := make(Text, len(t))
	for i, s := range t {
		switch s.As {
		case Copied:
			all[i] = Span{CodeText(s.Text, inTable), Copied}
		case Struck:
			all[i] = Span{"~~" + CodeText(s.Text, inTable) + "~~", Copied}
		case Strong:
			all[i] = Span{emphasized(s.Text), Words}
		case Break:
			if all[i] = s; inTable {
				all[i] = Span{"<br>", Words}
			}
		default:
			all[i] = Span{md(s.Text), Words}
		}
	}
	return all
}

// emphasized makes words strong; the spaces around them stay outside, as emphasis wants it.
func emphasized(s string) string {
	inside := strings.TrimSpace(s)
	if inside == "" {
		return s
	}
	at := strings.Index(s, inside)
	return s[:at] + "**" + md(inside) + "**" + s[at+len(inside):]
}

// CodeText gives a value as it is, in backquotes, more of them than stand together in it
// (CommonMark 0.31, section 6.1), so that it cannot end its code span; "" stays empty. In a table
// the bar is escaped, as tables want it even there.
func CodeText(s string, inTable bool) string {
	if s == "" {
		return ""
	}
	fence := fenceFor(s, 1)
	if inTable {
		s = strings.ReplaceAll(s, "|", "\\|")
	}
	blank := strings.Trim(s, " ") == "" // of which nothing is taken away
	if len(fence) > 1 || !blank && (s[0] == ' ' || s[len(s)-1] == ' ') {
		s = " " + s + " "
	}
	return fence + s + fence
}
