// Package doc is one model of a document, a Doc, and the formats that write any: a terminal,
// Markdown, pages, JSON, CSV, workbooks, JUnit. It knows no subject; package report makes documents
// of audits, plans and runbooks. It lets nothing hostile through: a document is scrubbed once, when
// Write takes it.
//
//	d := doc.Doc{Name: "audit", Title: "Audit", Blocks: blocks, Data: data}
//	err := doc.Write(os.Stdout, "text", d, doc.Style{Width: 100})
//
// # How a document is made
//
// A subject (an audit, a plan, a runbook) is a file of report that makes a Doc and knows no format;
// a format is a file that writes any Doc and knows no subject, and a row in formats. A Doc is a
// sequence of blocks (verdict, heading, paragraph, list, table, finding, chain, step, facts, code,
// figure) that is pulled by its writer: so look - writes chains as they come, in the same memory
// however many there are. JSON is the document's Data, an Object whose arrays may be sequences too.
// What a terminal shows only on request stands in a Detail, what a page shows closed in a Fold;
// tables with a sheet's name, and Data, are what spreadsheets get. Text is spans: what is copied (a
// command, a name, a value) stays in one piece, whatever wraps. A command within words stands
// between two marks that no text has.
//
// testdata/*/*.txtar holds an input and what every writer makes of every document of it; an output
// that the case lacks is a failure. Drawings (drawing.go) are few kinds of shapes in inks that mean
// something; SVG takes the page's colours, light or dark, PNG brings its own.
package doc

import (
	"fmt"
	"io"
	"iter"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// Doc is a document before a writer gives it a form.
type Doc struct {
	Name  string // of the subject: one word, such as "audit"
	Title string // what it is
	About string // from where and when it was seen; "" for none
	// in the order in which they are read; some are made only when they are asked for
	Blocks iter.Seq[Block]
	Main   string // the sheet that CSV writes; "" for the first
	Data   any    // what JSON holds of it; docs/schema says in which shape
}

// Block is a part of a document: one of the types below.
type Block interface{ block() }

// Style says how a document may look.
type Style struct {
	Color  bool
	Width  int    // columns; 0: 100
	Quiet  bool   // verdicts alone, where there are any
	Detail bool   // what is fine, too, and what is kept back for being long
	More   string // the option that asks for detail; "": there is none
	CRLF   bool   // lines of tables end as RFC 4180 wants it
}

// Format is a form in which documents are written.
type Format struct {
	Name   string
	Binary bool // nothing for a terminal
	write  func(io.Writer, Doc, Style) error
}

// formats is the table of all forms: a new one is a file and a row.
var formats = []Format{
	{"text", false, writeText},
	{"json", false, writeJSON},
	{"csv", false, writeCSV},
	{"md", false, writeMD},
	{"html", false, writeHTML},
	{"xlsx", true, writeXLSX},
	{"junit", false, writeJUnit},
}

// Formats are the words that name a form.
func Formats() []string {
	var all []string
	for _, f := range formats {
		all = append(all, f.Name)
	}
	return all
}

// Binary reports whether a form is nothing for a terminal.
func Binary(format string) bool {
	i := slices.IndexFunc(formats, func(f Format) bool { return f.Name == format })
	return i >= 0 && formats[i].Binary
}

// Write writes a document in a form from Formats. An error comes from the writer, or from the
// document's data.
func Write(w io.Writer, format string, d Doc, s Style) error {
	i := slices.IndexFunc(formats, func(f Format) bool { return f.Name == format })
	if i < 0 {
		return fmt.Errorf("unknown format %q", format)
	}
	return formats[i].write(w, clean(d), s)
}

// clean gives a document whose texts hold nothing hostile. Data is for JSON, which escapes instead.
func clean(d Doc) Doc {
	blocks := d.Blocks
	d.Title, d.About = Scrubbed(d.Title), Scrubbed(d.About)
	d.Blocks = func(yield func(Block) bool) {
		if blocks == nil {
			return
		}
		for b := range blocks {
			if data, is := b.(Data); !is || !data.Exact {
				b = Scrubbed(b)
			}
			if !yield(b) {
				return
			}
		}
	}
	return d
}

// Of gives blocks that are there already as a document has them.
func Of(blocks ...Block) iter.Seq[Block] { return slices.Values(blocks) }

// Tone is how good or bad something is.
type Tone uint8

// The tones, the worst last.
const (
	Plain Tone = iota // says nothing of the kind
	Good
	Unseen // nobody could look
	Noted
	Warned
	Failed
)

// ToneOf gives the tone of a severity; of none it is good.
func ToneOf(s finding.Severity) Tone {
	switch s {
	case finding.Error:
		return Failed
	case finding.Warning:
		return Warned
	case finding.Note:
		return Noted
	}
	return Good
}

// Sign is the mark before something with a tone, which says the same as its colour.
func (t Tone) Sign() string { return [...]string{"", "✓", "?", "i", "!", "✗"}[t] }

// Word is a tone in a word, for those who see neither mark nor colour.
func (t Tone) Word() string {
	return [...]string{"", "good", "unseen", "note", "warning", "error"}[t]
}

// Verdict is the one thing to know, and what to do next.
type Verdict struct {
	Tone Tone
	Says Text
	Next Text // what to do; nil where there is nothing
	// what a terminal is told instead, where that is more than a line; nil: the same
	Brief Text
}

// Heading begins a chapter (level 2) or a part of one (level 3).
type Heading struct {
	Level int
	Text  string
	About string // facts beside it, less important
}

// Paragraph is prose.
type Paragraph struct {
	Text Text
	Soft bool // beside the point
	Gap  bool // apart from what stands before it
	Near bool // right below it
}

// List is lines that stand on their own.
type List struct {
	Title string
	Items []Text
	Tone  Tone // of each
	More  string
}

// Table is rows to be read. With a sheet's name it is data for spreadsheets too.
type Table struct {
	Sheet string
	Head  []string
	Rows  [][]Cell
	Rest  int    // how many further rows there are, which nothing shows but what More names
	More  string // how to see the rows that a terminal is not shown; "" where it is shown all
	// a terminal is shown only the rows with a tone that calls for a look, unless it is asked for all
	Worth bool
	Order bool // by its columns, in a page that can
	Key   int  // how many columns name a row; 0: one
}

// Label says what a table shows, for those who come to it by keyboard.
func (t Table) Label() string {
	var names []string
	for _, h := range t.Head {
		if h != "" {
			names = append(names, h)
		}
	}
	if len(names) == 0 {
		return "table"
	}
	return "table: " + wording.Few(names, 8)
}

// RestText says how many rows there are that nothing shows; nil for none.
func (t Table) RestText() Text {
	if t.Rest == 0 {
		return nil
	}
	return Phrasef("and %d more; %s", t.Rest, t.More)
}

// Cell is a field of a table.
type Cell struct {
	Text  Text
	Tone  Tone
	Brief Text // what a terminal shows instead; nil: all
}

// Data is a table for spreadsheets alone.
type Data struct {
	Sheet string
	Head  []string
	Rows  [][]string
	Exact bool // a working file, kept to the letter
	Goes  bool // it goes on: another block holds further rows of this sheet
}

// Finding is a fault with what to do about it; several subjects with the same fault are one.
type Finding struct {
	Code     string
	Tone     Tone
	Subjects []string
	Readable string // the first subject's host in U-labels, where it differs
	Name     string // the code in plain words
	Says     Text
	Why      Text   // its cause, where it is known
	As       string // the code of a finding before it whose remedy this one's is, host by host
	Known    bool   // the cause stands with a finding before it, on the same page
	Meets    string // what a visitor meets
	Fix      Text
	Affects  string    // which entries, where the subjects do not say it all
	Way      []string  // a chain that shows it, a line a hop
	Cut      bool      // a terminal is shown its beginning, a line
	Alike    []Finding // the same fault of others, which takes the same to mend
}

// All gives a finding and those alike, each by itself: for rows and cases.
func (f Finding) All() []Finding {
	all := append([]Finding{f}, f.Alike...)
	all[0].Alike = nil
	return all
}

// Likewise names the further subjects of a finding and of those alike, at most so many; without its
// own where what is said names one of them alone.
func (f Finding) Likewise(most int, own bool) string {
	var names []string
	all := f.Alike
	if own && len(f.Subjects) > 1 {
		all = append([]Finding{{Subjects: f.Subjects[1:]}}, all...)
	}
	for _, o := range all {
		for _, s := range o.Subjects {
			if strings.Contains(s, "xn--") {
				if h, err := web.ParseObservedHost(hostIn(s)); err == nil {
					s = strings.Replace(s, hostIn(s), h.Unicode(), 1)
				}
			}
			names = append(names, s)
		}
	}
	return wording.Few(names, most)
}

// hostIn gives the host of a subject that is a URL, a door, or begins with a host.
func hostIn(subject string) string {
	_, rest, is := strings.Cut(subject, "://")
	if !is {
		rest = subject
	}
	if i := strings.IndexAny(rest, "/:? "); i >= 0 {
		return rest[:i]
	}
	return rest
}

// Whole gives what is said of the finding, its cause included: for rows and cases that stand alone.
func (f Finding) Whole() Text {
	if len(f.Why) == 0 {
		return f.Says
	}
	return Cat(f.Says, Phrase(" "), f.Why)
}

// Shown gives what is said of the finding on a page, where one cause is said once.
func (f Finding) Shown() Text {
	if f.Known {
		return f.Says
	}
	return f.Whole()
}

// Chain is all that one entry URL met.
type Chain struct {
	Entry     string
	Probe     string
	About     string // what a further probe of a door was for
	Tone      Tone
	Hops      []Hop
	Arrival   string
	Redirects int
	End       string // page, loop, limit, refusal, bad-location
	Stop      string // how it ends where that is no page, or where a visitor is stopped
	Outcome   string // in two words
	Findings  []Finding
	Further   []Further // a door's other probes, a line each
	Fine      bool      // nothing is worth a look: shown in detail only
	Same      bool      // it fails as one before it does: shown in detail only
	InTable   bool      // a row of the table of doors says all of it: a terminal shows no more
	Told      bool      // a line of a chain before it tells it: a row in tables only
	Line      bool      // shown in one line where it is fine
	Brief     Text      // what a terminal shows unless it is asked for hops; nil: them
}

// Hop is one answer of a chain.
type Hop struct {
	URL, Status, Location, Detail string
	Facts                         []string
	Certificate                   string
	Faults                        string // of the certificate
	Tone, FaultTone               Tone
}

// Further is how a further probe of a door went.
type Further struct {
	About, Says string
	Tone        Tone
}

// Step is a thing to do.
type Step struct {
	Number int
	Says   Text
	Box    string // a box to tick: "open", "done" or "failed"; "" for none
	Facts  []Fact
	Copy   []string // lines to copy or to compare
	Back   Text     // how it is undone; nil: nothing is said
	Undo   []string // lines that undo it
	Rest   string   // the command that shows those, where they are many
	Tail   string   // what a terminal is told behind that beginning
	Cut    bool     // a terminal is shown its beginning, a line, unless it is asked for all
}

// Fact is a value with its name.
type Fact struct {
	Name  string
	Value Text
	Tone  Tone
}

// Facts is values with their names.
type Facts []Fact

// Code is lines to copy or to compare, as they are.
type Code []string

// Detail is what a terminal shows only where it is asked for.
type Detail struct {
	Blocks  []Block
	Instead Text // what it says else
}

// Fold is a chapter that a page shows closed, for those who want to read on.
type Fold struct {
	Title, About string
	Blocks       []Block
}

// Figure is a drawing, with what it shows in words.
type Figure struct {
	Name  string // for a file
	SVG   string
	Words []Text // what it shows, for those who do not see it
	Note  string // what it does not show
}

func (Verdict) block()   {}
func (Heading) block()   {}
func (Paragraph) block() {}
func (List) block()      {}
func (Table) block()     {}
func (Data) block()      {}
func (Finding) block()   {}
func (Chain) block()     {}
func (Step) block()      {}
func (Facts) block()     {}
func (Code) block()      {}
func (Detail) block()    {}
func (Fold) block()      {}
func (Figure) block()    {}

// Text is a run of words, parts of which are something else.
type Text []Span

// Span is a part of a text.
type Span struct {
	Text string
	As   As
}

// As is what a part of a text is.
type As uint8

// What a part of a text can be.
const (
	Words  As = iota
	Copied    // a command, a name or a value: kept in one piece
	Strong
	Faint
	Struck // no longer valid
	Break  // a new line; it holds no text
)

// String gives a text without any form.
func (t Text) String() string {
	var b strings.Builder
	for _, s := range t {
		b.WriteString(s.Text)
		if s.As == Break {
			b.WriteByte(' ')
		}
	}
	return b.String()
}

// A command within words stands between these, which no text has (private use); words makes it a
// part of its own.
const (
	commandBegins = '\ue001'
	commandEnds   = '\ue002'
)

// Command marks a command within words.
func Command(s string) string { return string(commandBegins) + s + string(commandEnds) }

// Phrase makes a text of words with commands in them.
func Phrase(s string) Text {
	var t Text
	for s != "" {
		before, rest, found := strings.Cut(s, string(commandBegins))
		if before != "" {
			t = append(t, Span{before, Words})
		}
		if !found {
			break
		}
		inside, after, _ := strings.Cut(rest, string(commandEnds))
		t = append(t, Span{inside, Copied})
		s = after
	}
	return t
}

// Phrasef formats words.
func Phrasef(format string, args ...any) Text { return Phrase(fmt.Sprintf(format, args...)) }

// Unmarked gives words without their marks, for where they are data.
func Unmarked(s string) string {
	return strings.Map(func(r rune) rune {
		if r == commandBegins || r == commandEnds {
			return -1
		}
		return r
	}, s)
}

// Copy makes a text of a value that stays in one piece; nil of none.
func Copy(s string) Text {
	if s == "" {
		return nil
	}
	return Text{{s, Copied}}
}

// newLine begins a new line within a text.
var NewLine = Text{{As: Break}}

// Stack puts values on lines of their own.
func Stack(values []string) Text {
	var t Text
	for i, v := range values {
		if i > 0 {
			t = append(t, NewLine...)
		}
		t = append(t, Span{v, Words})
	}
	return t
}

// Cat joins texts.
func Cat(all ...Text) Text { return slices.Concat(all...) }

// Cells makes a row of words.
func Cells(all ...string) []Cell {
	row := make([]Cell, len(all))
	for i, s := range all {
		row[i] = Cell{Text: Phrase(s)}
	}
	return row
}
