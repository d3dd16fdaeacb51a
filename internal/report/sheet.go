package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
)

// Page is a file to type from.
type Page struct {
	Name  string // of the file
	Place string
	Table bool // a table for a spreadsheet (CSV), else a page (Markdown)
	Data  []byte
}

// Sheets writes the sheets of a plan: for each place a page, and a table of its records and of its other entries where
// there are any.
func Sheets(p *plan.Plan) ([]Page, error) {
	p = scrubbed(p)
	var pages []Page
	used := map[string]bool{}
	for _, s := range p.Sheets() {
		name := slug(s.Place)
		for n := 2; used[name]; n++ {
			name = fmt.Sprintf("%s-%d", slug(s.Place), n)
		}
		used[name] = true
		var page bytes.Buffer
		sheetPage(&page, p, s)
		pages = append(pages, Page{name + ".md", s.Place, false, page.Bytes()})
		if len(s.Lines) > 0 {
			pages = append(pages, Page{name + ".records.csv", s.Place, true, csvText(recordHead, recordRows(s.Lines))})
		}
		if len(s.Entries) > 0 {
			head, rows := entryTable(s.Entries)
			pages = append(pages, Page{name + ".entries.csv", s.Place, true, csvText(head, rows)})
		}
	}
	return pages, nil
}

// slug makes a file name of the name of a place.
func slug(s string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(s) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '.':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	if name := strings.Trim(b.String(), "-."); name != "" {
		return name
	}
	return "place"
}

// csvText writes CSV as spreadsheets read it (RFC 4180), with no cell that they would take for a formula. The apex's
// label is typed as @ and stays so: alone it is no formula.
func csvText(head []string, rows [][]string) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	for _, r := range append([][]string{head}, rows...) {
		cells := make([]string, len(r))
		for i, c := range r {
			if cells[i] = c; cells[i] != "@" {
				cells[i] = noFormula(cells[i])
			}
		}
		_ = w.Write(cells) // a buffer takes everything
	}
	w.Flush()
	return b.Bytes()
}

var recordHead = []string{
	"step",
	"do",
	"zone",
	"label",
	"full name",
	"type",
	"old value",
	"value",
	"priority",
	"weight",
	"port",
	"flags",
	"tag",
	"rest of the value",
	"value as in a zone file",
	"strings",
	"TTL in seconds",
	"TTL",
	"through",
	"why",
	"check",
	"then it says",
}

func recordRows(lines []plan.Line) [][]string {
	var rows [][]string
	for _, l := range lines {
		ttl, words := fmt.Sprint(l.TTL), plan.Words(l.TTL)
		command, expect := checkText(l.Check)
		if l.Do == plan.Remove {
			ttl, words = "", ""
		}
		step := ""
		if l.Step > 0 {
			step = fmt.Sprint(l.Step)
		}
		apart := map[string]string{}
		rest := ""
		for _, b := range boxes(l) {
			apart[b[0]], rest = b[1], b[1]
		}
		rows = append(
			rows,
			[]string{
				step,
				string(l.Do),
				unicodeName(l.Zone),
				l.Label,
				l.Name,
				kindName(l.Type),
				l.Was,
				l.Value,
				apart["priority"],
				apart["weight"],
				apart["port"],
				apart["flags"],
				apart["tag"],
				rest,
				l.Dotted,
				stringsText(l.Strings),
				ttl,
				words,
				l.Through,
				Because(l.Reasons),
				command,
				expect,
			},
		)
	}
	return rows
}

func kindName(kind string) string {
	if kind == record.Alias {
		return "ALIAS (the provider's alias at the apex)"
	}
	return kind
}

// stringsText says in how many strings a text has to be typed where the form wants them apart.
func stringsText(all []string) string {
	if len(all) < 2 {
		return ""
	}
	var quoted []string
	for _, s := range all {
		quoted = append(quoted, record.Quote(s))
	}
	return strings.Join(quoted, " ")
}

// entryTable gives the entries as rows with a column for each box of the forms.
func entryTable(entries []plan.Entry) ([]string, [][]string) {
	var fields []string
	for _, e := range entries {
		for _, f := range e.Fields {
			if !slices.Contains(fields, f.Name) {
				fields = append(fields, f.Name)
			}
		}
	}
	head := slices.Concat([]string{"step", "do", "what", "domain"}, fields, []string{"why", "check"})
	var rows [][]string
	for _, e := range entries {
		command, _ := checkText(e.Check)
		row := []string{fmt.Sprint(e.Step), string(e.Action), string(e.Kind), unicodeName(e.Domain)}
		for _, name := range fields {
			var values []string
			for _, f := range e.Fields {
				if f.Name == name {
					values = append(values, fieldText(f))
				}
			}
			row = append(row, strings.Join(values, ", "))
		}
		rows = append(rows, append(row, Because(e.Reasons), command))
	}
	return head, rows
}

// sheetPage writes the page of one place.
func sheetPage(w io.Writer, p *plan.Plan, s plan.Sheet) {
	fmt.Fprintf(w, "# What to type at %s\n\n", md(s.Place))
	notReady(w, p)
	zones := linesByZone(s.Lines)
	if steps(s.Lines) > 0 {
		prose(
			w,
			fmt.Sprintf(
				"%s in %s. In each zone go from top to bottom: what goes, goes first, because forms refuse two records that "+
					"contradict each other. Where a form adds the domain by itself, type the label; where it wants whole names, "+
					"the full name; where it wants a last dot, the last column.",
				plural(steps(s.Lines), "change"),
				plural(len(zones), "zone"),
			),
		)
	}
	if part := partly(p, zones); len(part) > 0 {
		fmt.Fprintln(w)
		prose(
			w,
			fmt.Sprintf(
				"Seen in part only: %s. Where the form shows a record at one of the names below that is not named here, stop, "+
					"and survey again with the provider's export (--zone).",
				md(strings.Join(part, ", ")),
			),
		)
	}
	goes, rest := s, s
	goes.Entries = slices.DeleteFunc(slices.Clone(s.Entries), func(e plan.Entry) bool { return e.Action != plan.Remove })
	rest.Entries = slices.DeleteFunc(slices.Clone(s.Entries), func(e plan.Entry) bool { return e.Action == plan.Remove })
	if len(goes.Entries) > 0 {
		entriesPage(w, goes, "First of all")
	}
	for _, lines := range zones {
		zonePage(w, p, lines)
	}
	if len(rest.Entries) > 0 {
		title := placePage(s.By)
		entriesPage(w, rest, title)
	}
}

// notReady heads a sheet of a plan that does not hold with why it does not.
func notReady(w io.Writer, p *plan.Plan) {
	faults := slices.DeleteFunc(
		slices.Clone(p.Findings),
		func(f finding.Finding) bool { return f.Severity != finding.Error },
	)
	if len(faults) == 0 {
		return
	}
	prose(
		w,
		fmt.Sprintf("**NOT READY**: the plan has %s. Type nothing of this before they are gone, but for what mends them.",
			plural(len(faults), "error")),
	)
	fmt.Fprintln(w)
	const most = 10
	for _, f := range faults[:min(len(faults), most)] {
		fmt.Fprintln(w, "- "+strings.TrimPrefix(wrapProse(md(f.Code.String()+" "+f.Subject+": "+f.Says), "  "), "  "))
	}
	if more := len(faults) - most; more > 0 {
		fmt.Fprintf(w, "- and %d more: upperpath plan\n", more)
	}
	fmt.Fprintln(w)
}

// partly names the zones of which only a part was seen.
func partly(p *plan.Plan, zones [][]plan.Line) []string {
	var all []string
	for _, z := range p.Zones {
		if (z.Partial || len(z.Missed) > 0) &&
			slices.ContainsFunc(zones, func(lines []plan.Line) bool { return lines[0].Zone == z.Name }) {
			all = append(all, unicodeName(z.Name))
		}
	}
	return all
}

func linesByZone(lines []plan.Line) [][]plan.Line {
	var all [][]plan.Line
	for _, l := range lines {
		if n := len(all); n > 0 && all[n-1][0].Zone == l.Zone {
			all[n-1] = append(all[n-1], l)
			continue
		}
		all = append(all, []plan.Line{l})
	}
	return all
}

// steps counts the changes to which lines belong; TTLs alone are none.
func steps(lines []plan.Line) int {
	n := 0
	for i, l := range lines {
		if l.Step > 0 && (i == 0 || lines[i-1].Zone != l.Zone || lines[i-1].Step != l.Step) {
			n++
		}
	}
	return n
}

// zonePage writes the changes of one zone: what to type, and below it why and how to tell that it worked. TTLs that are
// lowered before and raised afterwards stand in tables of their own.
func zonePage(w io.Writer, p *plan.Plan, lines []plan.Line) {
	zone := lines[0].Zone
	fmt.Fprintf(w, "\n## %s\n", md(unicodeName(zone)))
	doing := func(do ...plan.Action) []plan.Line {
		return slices.DeleteFunc(slices.Clone(lines), func(l plan.Line) bool { return !slices.Contains(do, l.Do) })
	}
	changes := doing(plan.Add, plan.Remove, plan.Replace)
	i := slices.IndexFunc(p.Zones, func(z plan.Zone) bool { return z.Name == zone })
	z := &p.Zones[i]
	if z.Note != "" {
		fmt.Fprintln(w)
		prose(w, "Note: "+md(z.Note))
	}
	for _, u := range z.Untouched {
		fmt.Fprintln(w)
		at := ""
		if len(u.To) > 0 {
			at = ", which leads to " + codeText(strings.Join(u.To, ", "))
		}
		prose(w, fmt.Sprintf("**Not to be touched**: %s%s; %s needs it.", codeText(u.Host), at, md(u.By)))
	}
	if low := doing(plan.Lower); len(low) > 0 {
		longest := 0
		for _, t := range z.TTLs {
			longest = max(longest, t.LowerBefore)
		}
		fmt.Fprintln(w)
		prose(w, fmt.Sprintf("First lower these TTLs, at least %s before anything else changes.", plan.Words(longest)))
		recordTable(w, low)
	}
	if n, wait := z.MailFirst(); n > 0 && len(changes) > 0 && (z.Move == nil || changes[0].Early) {
		what := fmt.Sprintf("The first %d steps untie mail from the web. Type them", n)
		if n == 1 {
			what = "The first step unties mail from the web. Type it"
		}
		fmt.Fprintln(w)
		prose(w, fmt.Sprintf("%s, wait %s, and only then go on.", what, plan.Words(wait)))
	}
	if len(changes) > 0 {
		recordTable(w, changes)
		fmt.Fprintln(w)
		for i, l := range changes {
			if i == 0 || changes[i-1].Step != l.Step {
				whyLine(w, l)
			}
		}
	}
	if z.AbsentFor > 0 && slices.ContainsFunc(changes, func(l plan.Line) bool { return l.Do == plan.Add }) {
		fmt.Fprintln(w)
		prose(
			w,
			fmt.Sprintf("What is new: a resolver that has looked for it goes on saying for %s that it is not there (RFC 2308).",
				plan.Words(z.AbsentFor)),
		)
	}
	if high := doing(plan.Raise); len(high) > 0 {
		fmt.Fprintln(w)
		prose(w, "A day later, when nothing had to be taken back, raise these TTLs.")
		recordTable(w, high)
	}
}

// recordTable writes records as they are typed, a line each.
func recordTable(w io.Writer, lines []plan.Line) {
	head := []string{"step", "do", "label", "type", "value", "TTL", "full name", "as in a zone file"}
	apart := slices.ContainsFunc(lines, func(l plan.Line) bool { return len(boxes(l)) > 1 })
	if apart {
		head = slices.Insert(head, 5, "in boxes of their own")
	}
	var rows [][]string
	for _, l := range lines {
		value := codeText(l.Value)
		switch l.Do {
		case plan.Remove:
			value = "~~" + codeText(l.Was) + "~~"
		case plan.Replace:
			value = "~~" + codeText(l.Was) + "~~ " + codeText(l.Value)
		}
		ttl := fmt.Sprintf("%s (%d s)", plan.Words(l.TTL), l.TTL)
		if l.Do == plan.Remove {
			ttl = ""
		}
		if l.Through != "" {
			value += " through " + md(l.Through) + ": yes"
		}
		dotted := codeText(l.Dotted)
		if l.Dotted == l.Value && l.Value != "" {
			dotted = "the same"
		}
		step := ""
		if l.Step > 0 {
			step = fmt.Sprint(l.Step)
		}
		cells := []string{
			step,
			"**" + string(l.Do) + "**",
			codeText(l.Label),
			md(kindName(l.Type)),
			value,
			ttl,
			codeText(l.Name),
			dotted,
		}
		if apart {
			var words []string
			for _, b := range boxes(l) {
				words = append(words, b[0]+" "+codeText(b[1]))
			}
			cells = slices.Insert(cells, 5, strings.Join(words, ", "))
		}
		rows = append(rows, cells)
	}
	rawTable(w, head, rows)
}

// boxes gives the parts of a value that many forms ask for in boxes of their own, each with the name of its box; nil
// for a value of one part.
func boxes(l plan.Line) [][2]string {
	names := map[string][]string{
		"MX":  {"priority", "mail server"},
		"SRV": {"priority", "weight", "port", "target"},
		"CAA": {"flags", "tag", "issuer"},
	}[l.Type]
	parts := strings.SplitN(l.Value, " ", len(names))
	if len(names) == 0 || len(parts) != len(names) {
		return nil
	}
	var all [][2]string
	for i, name := range names {
		part := parts[i]
		if l.Type == "CAA" && i == 2 {
			part = record.Unquote(part)
		}
		all = append(all, [2]string{name, part})
	}
	return all
}

// whyLine says why a change is made, and below it which command shows that it worked, and what that prints, line by
// line.
func whyLine(w io.Writer, l plan.Line) {
	command, says := checkText(l.Check)
	number := fmt.Sprintf("%d. ", l.Step)
	space := strings.Repeat(" ", len(number))
	item(w, l.Step, fmt.Sprintf("%s %s: %s It worked when this prints what stands below it, in whatever order.",
		codeText(l.Label), md(l.Type), md(Because(l.Reasons))))
	fmt.Fprintf(w, "\n%s    %s\n", space, command)
	lines := l.Check.Values
	if says == "nothing" || l.Check.Alias {
		lines = []string{"(" + says + ")"}
	}
	for _, line := range lines {
		fmt.Fprintf(w, "%s    %s\n", space, line)
	}
	fmt.Fprintln(w)
}

// codeText gives a value to be typed as it is, in backquotes, more of them than stand together in it (CommonMark 0.31,
// section 6.1), so that it cannot end its code span; "" stays empty. It is meant for a cell of a table.
func codeText(s string) string {
	if s == "" {
		return ""
	}
	longest, run := 0, 0
	for _, c := range s {
		if c != '`' {
			run = 0
			continue
		}
		run++
		longest = max(longest, run)
	}
	fence := strings.Repeat("`", longest+1)
	s = strings.ReplaceAll(s, "|", "\\|")
	blank := strings.Trim(s, " ") == "" // of which nothing is taken away
	if longest > 0 || !blank && (s[0] == ' ' || s[len(s)-1] == ' ') {
		s = " " + s + " "
	}
	return fence + s + fence
}

// rawTable writes a table of cells that are Markdown already, its columns aligned, so that it reads well as plain text
// too.
func rawTable(w io.Writer, head []string, rows [][]string) {
	const widest = 60
	widths := make([]int, len(head))
	for _, r := range append([][]string{head}, rows...) {
		for i, c := range r {
			if n := text.StringWidthWithoutEscSequences(c); n <= widest {
				widths[i] = max(widths[i], n, 3)
			}
		}
	}
	line := func(r []string) {
		for i, c := range r {
			fmt.Fprintf(w, "| %s ", text.Pad(c, widths[i], ' '))
		}
		fmt.Fprintln(w, "|")
	}
	fmt.Fprintln(w)
	line(head)
	rule := make([]string, len(head))
	for i := range rule {
		rule[i] = strings.Repeat("-", widths[i])
	}
	line(rule)
	for _, r := range rows {
		line(r)
	}
}

// entriesPage writes the entries of a carrier's or registrar's page: patterns in one table, the others one by one.
func entriesPage(w io.Writer, s plan.Sheet, title string) {
	fmt.Fprintf(w, "\n## %s\n", title)
	var patterns []plan.Entry
	domain := ""
	flush := func() {
		if len(patterns) > 0 {
			patternsPage(w, patterns)
		}
		patterns = nil
	}
	for _, e := range s.Entries {
		if e.Domain != domain || e.Kind != plan.Pattern {
			flush()
		}
		domain = e.Domain
		if e.Kind == plan.Pattern {
			patterns = append(patterns, e)
			continue
		}
		about := unicodeName(e.Domain)
		if about == "" {
			about = "all domains"
		}
		fmt.Fprintf(w, "\n### %d. %s: %s\n", e.Step, md(about), entryTitle(e))
		var rows [][]string
		for _, f := range e.Fields {
			rows = append(rows, []string{md(f.Name), codeText(fieldText(f))})
		}
		rawTable(w, []string{"box", "what to type"}, rows)
		fmt.Fprintln(w)
		prose(w, md(Because(e.Reasons))+shows(e))
	}
	flush()
}

func entryTitle(e plan.Entry) string {
	if e.Action == plan.Remove {
		return map[plan.Kind]string{plan.Forward: "**delete** the forwarding", plan.DSEntry: "**remove** the DS record"}[e.Kind]
	}
	if e.Kind == plan.NameServers && e.Action == plan.Add {
		return "set the name servers"
	}
	return map[plan.Kind]string{
		plan.Forward:     "forward it",
		plan.SourceEntry: "redirect it",
		plan.DoorEntry:   "redirect this door",
		plan.HostEntry:   "claim the host",
		plan.ZoneEntry:   "create the zone",
		plan.NameServers: "change the name servers",
		plan.CertEntry:   "have the certificate there",
		plan.Records:     "set the records, then come back",
		plan.Primary:     "choose the primary host",
		plan.OriginEntry: "say how to ask what is behind it",
		plan.Config:      "put the redirects in place",
	}[e.Kind]
}

func patternsPage(w io.Writer, patterns []plan.Entry) {
	fmt.Fprintf(w, "\n### Patterns of %s\n\n", md(unicodeName(patterns[0].Domain)))
	prose(
		w,
		"In this order; the first that fits is used. A star stands for any characters, and $1, $2 for what the first and the second star took.",
	)
	var rows [][]string
	for _, e := range patterns {
		r := []string{fmt.Sprint(e.Step)}
		for _, f := range e.Fields {
			switch f.Name {
			case "pattern", "target", "rule":
				r = append(r, codeText(f.Value))
			default:
				r = append(r, md(f.Value))
			}
		}
		rows = append(rows, r)
	}
	rawTable(w, []string{"step", "pattern", "target", "status", "query", "rule"}, rows)
	fmt.Fprintln(w)
	for _, e := range patterns {
		item(w, e.Step, md(Because(e.Reasons))+shows(e))
	}
}

// shows says which command shows that an entry worked.
func shows(e plan.Entry) string {
	command, _ := checkText(e.Check)
	if command == "" {
		return ""
	}
	return fmt.Sprintf(" It worked when %s shows it.", codeText(command))
}

// proseWidth is where lines of prose are broken, so that a page reads well as plain text too.
const proseWidth = 110

// prose writes a paragraph.
func prose(w io.Writer, s string) { fmt.Fprintln(w, wrapProse(s, "")) }

// wrapProse breaks lines at words, but never inside what stands in backquotes: a command has to be copied in one piece.
func wrapProse(s, space string) string {
	const held = "\ue000" // a character that no text has (private use)
	var b strings.Builder
	for s != "" {
		start, length := fence(s)
		if length == 0 {
			break
		}
		end := start + length
		for end < len(s) { // a code span ends with as many backquotes as it began with (CommonMark 0.31, section 6.1)
			at, n := run(s[end:])
			if n == 0 {
				end = len(s)
				break
			}
			if end += at + n; n == length {
				break
			}
		}
		b.WriteString(s[:start] + strings.ReplaceAll(s[start:end], " ", held))
		s = s[end:]
	}
	return strings.ReplaceAll(indent(b.String()+s, space, proseWidth), held, " ")
}

// run finds the first backquotes of a text, and how many stand together.
func run(s string) (start, length int) {
	start = strings.IndexByte(s, '`')
	if start < 0 {
		return 0, 0
	}
	return start, len(s[start:]) - len(strings.TrimLeft(s[start:], "`"))
}

// fence finds the backquotes that begin a code span, which those behind a backslash do not.
func fence(s string) (start, length int) {
	for at := 0; at < len(s); at++ {
		switch s[at] {
		case '\\':
			at++
		case '`':
			_, length := run(s[at:])
			return at, length
		}
	}
	return 0, 0
}

// item writes a line of a numbered list.
func item(w io.Writer, number int, s string) {
	head := fmt.Sprintf("%d. ", number)
	space := strings.Repeat(" ", len(head))
	fmt.Fprintln(w, head+strings.TrimPrefix(wrapProse(s, space), space))
}

// SheetsWritten says which sheets were written, and where to begin.
func SheetsWritten(w io.Writer, folder string, p *plan.Plan, pages []Page, s Style) {
	folder, p, pages = scrubbed(folder), scrubbed(p), scrubbed(pages)
	if len(pages) == 0 {
		fmt.Fprintf(w, "%s\n", s.severity("", "There is nothing to type: everything is as the plan wants it."))
		return
	}
	t := s.newTable()
	t.AppendHeader(row([]string{"where", "records", "other entries", "page"}))
	for _, sheet := range p.Sheets() {
		for _, page := range pages {
			if page.Place == sheet.Place && !page.Table {
				t.AppendRow(
					row(
						[]string{
							sheet.Place,
							number(steps(sheet.Lines), "change"),
							number(len(sheet.Entries), "entry"),
							folder + "/" + page.Name,
						},
					),
				)
			}
		}
	}
	render(w, t, s)
	fmt.Fprintf(
		w,
		"\nBeside each page stand its tables for a spreadsheet (.csv). The order of all of it: upperpath plan.\n",
	)
	if len(p.Findings) > 0 {
		fmt.Fprintln(w)
		TextFindings(w, p.Findings, s)
		fmt.Fprintf(w, "\n%s\n", s.severity(worst(p), planVerdict(p)))
	}
}

func number(n int, word string) string {
	switch {
	case n == 0:
		return ""
	case word == "entry" && n > 1:
		return fmt.Sprintf("%d entries", n)
	}
	return plural(n, word)
}
