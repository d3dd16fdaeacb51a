package report

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Sheet is what has to be typed at one place.
type Sheet struct {
	Name  string // for files
	Place string
	Doc   doc.Doc
	plan  plan.Sheet
}

// Page is a file to type from.
type Page struct {
	Name  string // of the file
	Place string
	Table bool // a table for a spreadsheet (CSV), else a page
	Data  []byte
}

// Sheets gives the sheets of a plan, one for each place.
func Sheets(p *plan.Plan) []Sheet { return SheetsOf(p, p.Sheets()) }

// SheetsOf does the same of sheets that are given, whoever wrote these.
func SheetsOf(p *plan.Plan, sheets []plan.Sheet) []Sheet {
	p, sheets = doc.Scrubbed(p), doc.Scrubbed(sheets) // names of files are made of it
	var all []Sheet
	used := map[string]bool{}
	for _, s := range sheets {
		name := slug(s.Place)
		for n := 2; used[name]; n++ {
			name = fmt.Sprintf("%s-%d", slug(s.Place), n)
		}
		used[name] = true
		all = append(all, Sheet{name, s.Place, sheetDoc(p, s), s})
	}
	return all
}

// endings gives the ending of a file in a form.
var endings = map[string]string{
	"md":    "md",
	"html":  "html",
	"xlsx":  "xlsx",
	"text":  "txt",
	"json":  "json",
	"junit": "xml",
}

// Pages writes a sheet in a form, and its tables for spreadsheets where the form is no workbook. An
// error comes from the writer.
func (s Sheet) Pages(format string) ([]Page, error) {
	var pages []Page
	add := func(name, format string, d doc.Doc, table bool) error {
		var b bytes.Buffer
		if err := doc.Write(&b, format, d, doc.Style{CRLF: true}); err != nil {
			return err
		}
		pages = append(pages, Page{name, s.Place, table, b.Bytes()})
		return nil
	}
	if format != "csv" {
		if err := add(s.Name+"."+endings[format], format, s.Doc, doc.Binary(format)); err != nil {
			return nil, err
		}
	}
	if format != "csv" && !tablesBeside(format) {
		return pages, nil
	}
	for _, table := range []struct {
		name string
		rows int
	}{{"records", len(s.plan.Lines)}, {"entries", len(s.plan.Entries)}} {
		d := s.Doc
		d.Main = table.name
		if table.rows == 0 {
			continue
		}
		if err := add(s.Name+"."+table.name+".csv", "csv", d, true); err != nil {
			return nil, err
		}
	}
	return pages, nil
}

// tablesBeside reports whether pages of a form have their tables beside them, for spreadsheets.
func tablesBeside(format string) bool { return format == "md" || format == "html" }

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

// sheetDoc makes the document of one place.
func sheetDoc(p *plan.Plan, s plan.Sheet) doc.Doc {
	zones := linesByZone(s.Lines)
	blocks := notReady(p)
	if n := steps(s.Lines); n > 0 {
		blocks = append(
			blocks,
			doc.Paragraph{Text: doc.Phrasef(
				"%s in %s. Work from top to bottom in each zone. Type the rows of "+
					"one name in one go: between a removal and what replaces it, the name leads nowhere. "+
					"Where a form adds the domain itself, type the label; where it wants whole names, the "+
					"full name; where it wants a final dot, the last column.",
				wording.Count(n, "change"), wording.Count(len(zones), "zone"))},
		)
	}
	if part := partly(p, zones); len(part) > 0 {
		blocks = append(
			blocks,
			doc.Paragraph{Text: doc.Cat(
				doc.Phrasef("Seen in part only: %s. Where the form shows a record at one of the names "+
					"below that is not listed here, stop, and survey again with the provider's export (",
					strings.Join(part, ", ")),
				doc.Copy("--zone"), doc.Phrase(")."))},
		)
	}
	goes := slices.DeleteFunc(slices.Clone(s.Entries), func(e act.Entry) bool {
		return e.Action != act.Remove
	})
	rest := slices.DeleteFunc(slices.Clone(s.Entries), func(e act.Entry) bool {
		return e.Action == act.Remove
	})
	blocks = append(blocks, entryBlocks(goes, "First of all")...)
	for _, lines := range zones {
		blocks = append(blocks, zoneSheet(p, lines)...)
	}
	blocks = append(blocks, entryBlocks(rest, placePage(s.By))...)
	records := doc.Data{Sheet: "records", Head: recordHead, Rows: recordRows(s.Lines)}
	entries := doc.Data{Sheet: "entries"}
	entries.Head, entries.Rows = entryRows(s.Entries)
	return doc.Doc{Name: "sheet", Title: "What to type at " + s.Place,
		Blocks: doc.Of(append(blocks, records, entries)...),
		Data:   sheetData(s, records, entries)}
}

// sheetData is a sheet as JSON has it: its tables, each row by the names of the columns.
func sheetData(s plan.Sheet, tables ...doc.Data) any {
	made := map[string]any{"schema": "upperpath/sheet/1", "place": s.Place}
	for _, t := range tables {
		rows := []map[string]string{}
		for _, r := range t.Rows {
			row := map[string]string{}
			for i, c := range r {
				row[t.Head[i]] = c
			}
			rows = append(rows, row)
		}
		made[t.Sheet] = rows
	}
	return made
}

// notReady heads a sheet of a plan that does not hold with why it does not.
func notReady(p *plan.Plan) []doc.Block {
	faults := slices.DeleteFunc(
		slices.Clone(p.Findings),
		func(f finding.Finding) bool { return f.Severity != finding.Error || !f.Open() },
	)
	if len(faults) == 0 {
		return nil
	}
	const most = 10
	l := doc.List{Tone: doc.Failed}
	for _, f := range faults[:min(len(faults), most)] {
		l.Items = append(l.Items, doc.Phrase(f.Code.String()+" "+f.Subject+": "+f.Says.String()))
	}
	if more := len(faults) - most; more > 0 {
		l.Items = append(l.Items, doc.Cat(doc.Phrasef("and %d more: ", more), doc.Copy("upperpath plan")))
	}
	return []doc.Block{doc.Verdict{Tone: doc.Failed,
		Says: doc.Phrasef("NOT READY: the plan has %s.", wording.Count(len(faults), "error")),
		Next: doc.Phrase("Type nothing of this before they are fixed, except what fixes them.")}, l}
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

// zoneSheet gives the changes of one zone: what to type, and below it why and how to tell that it
// worked. TTLs that are lowered before and raised afterwards stand in tables of their own.
func zoneSheet(p *plan.Plan, lines []plan.Line) []doc.Block {
	name := lines[0].Zone
	z := &p.Zones[slices.IndexFunc(p.Zones, func(z zone.Zone) bool { return z.Name == name })]
	blocks := []doc.Block{doc.Heading{Level: 2, Text: unicodeName(name)}}
	add := func(all ...doc.Block) { blocks = append(blocks, all...) }
	doing := func(do ...act.Action) []plan.Line {
		return slices.DeleteFunc(slices.Clone(lines), func(l plan.Line) bool {
			return !slices.Contains(do, l.Do)
		})
	}
	changes := doing(act.Add, act.Remove, act.Replace)
	if z.Note != "" {
		add(doc.Paragraph{Text: doc.Phrase("Note: " + z.Note)})
	}
	for _, u := range z.Untouched {
		t := doc.Cat(doc.Text{{Text: "Do not touch", As: doc.Strong}}, doc.Phrase(": "),
			doc.Copy(u.Host))
		if len(u.To) > 0 {
			t = doc.Cat(t, doc.Phrase(", which leads to "), doc.Copy(strings.Join(u.To, ", ")))
		}
		add(doc.Paragraph{Text: doc.Cat(t, doc.Phrasef("; %s needs it.", u.By))})
	}
	if low := doing(act.Lower); len(low) > 0 {
		wait, _ := p.WaitOf(act.LowerTTLs, 0)
		add(
			doc.Paragraph{
				Text: doc.Phrasef("First lower these TTLs, at least %s before anything else changes.",
					wording.DurationUp(wait)),
			},
			lineTable(low),
		)
	}
	if n := plan.MailFirst(z); n > 0 && len(changes) > 0 && (z.Move == nil || changes[0].Early) {
		what := fmt.Sprintf("The first %d steps untie mail from the web. Type them", n)
		if n == 1 {
			what = "The first step unties mail from the web. Type it"
		}
		wait, _ := p.WaitOf(act.UntieMail, 0)
		add(doc.Paragraph{Text: doc.Phrasef("%s, wait %s, and only then continue.", what,
			wording.DurationUp(wait))})
	}
	add(roundsText(p, changes)...)
	if len(changes) > 0 {
		add(lineTable(changes))
		for i, l := range changes {
			if i == 0 || changes[i-1].Step != l.Step {
				add(whyStep(l))
			}
		}
	}
	if z.AbsentFor > 0 &&
		slices.ContainsFunc(changes, func(l plan.Line) bool { return l.Do == act.Add }) {
		add(doc.Paragraph{Text: doc.Phrase(absentSays(z.AbsentFor))})
	}
	if high := doing(act.Raise); len(high) > 0 {
		add(doc.Paragraph{Text: doc.Phrase(
			"A day later, if nothing had to be undone, raise these TTLs.")}, lineTable(high))
	}
	return blocks
}

// roundsText says which changes of a zone come first, since their names leave others that move, and
// for how long to wait after each round of them, those of other zones too.
func roundsText(p *plan.Plan, changes []plan.Line) []doc.Block {
	var all []doc.Block
	steps := map[int][]string{} // of the zone, by round
	zone := ""
	for _, l := range changes {
		zone = l.Zone
		if n := fmt.Sprint(l.Step); !slices.Contains(steps[l.Round], n) {
			steps[l.Round] = append(steps[l.Round], n)
		}
	}
	for round := p.Rounds(); round > 0; round-- {
		wait, zones := p.WaitOf(act.LeaveAliases, round)
		others := slices.DeleteFunc(slices.Clone(zones), func(z string) bool { return z == zone })
		mine, lasts := steps[round], wording.DurationUp(wait)
		switch {
		case len(mine) > 0:
			what := "Step " + mine[0]
			if len(mine) > 1 {
				what = "Steps " + wording.And(mine)
			}
			all = append(all, doc.Paragraph{Text: doc.Phrasef("%s: the name leaves another one that "+
				"moves. Type this, wait %s, and only then continue.", what, lasts)})
		case len(others) > 0 && len(changes) > 0:
			all = append(all, doc.Paragraph{Text: doc.Phrasef("Before anything moves here, make the "+
				"first changes of %s, and wait %s.", wording.Few(unicodeNames(others), 4), lasts)})
		}
	}
	return all
}

// lineTable gives records as they are typed, a line each.
func lineTable(lines []plan.Line) doc.Table {
	t := doc.Table{Head: []string{"step", "do", "label", "type", "value", "TTL", "full name",
		"as in a zone file"}}
	apart := slices.ContainsFunc(lines, func(l plan.Line) bool { return len(boxes(l)) > 1 })
	if apart {
		t.Head = slices.Insert(t.Head, 5, "in boxes of their own")
	}
	for _, l := range lines {
		row := lineCells(l)
		if apart {
			var parts doc.Text
			for i, b := range boxes(l) {
				if i > 0 {
					parts = append(parts, doc.Span{Text: ", ", As: doc.Words})
				}
				parts = doc.Cat(parts, doc.Phrase(b[0]+" "), doc.Copy(b[1]))
			}
			row = slices.Insert(row, 5, doc.Cell{Text: parts})
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

func lineCells(l plan.Line) []doc.Cell {
	value := doc.Copy(l.Value)
	switch l.Do {
	case act.Remove:
		value = doc.Text{{Text: l.Was, As: doc.Struck}}
	case act.Replace:
		value = doc.Cat(doc.Text{{Text: l.Was, As: doc.Struck}}, doc.Phrase(" "), doc.Copy(l.Value))
	}
	ttl := fmt.Sprintf("%s (%d s)", wording.DurationText(l.TTL), l.TTL)
	if l.Do == act.Remove {
		ttl = ""
	}
	if l.Through != "" {
		value = doc.Cat(value, doc.Phrasef(" through %s: yes", l.Through))
	}
	dotted := doc.Copy(l.Dotted)
	if l.Dotted == l.Value && l.Value != "" {
		dotted = doc.Phrase("the same")
	}
	step := ""
	if l.Step > 0 {
		step = fmt.Sprint(l.Step)
	}
	return []doc.Cell{
		{Text: doc.Phrase(step)},
		{Text: doc.Text{{Text: string(l.Do), As: doc.Strong}}},
		{Text: doc.Copy(l.Label)},
		{Text: doc.Phrase(kindName(l.Type))},
		{Text: value},
		{Text: doc.Phrase(ttl)},
		{Text: doc.Copy(l.Name)},
		{Text: dotted},
	}
}

// boxes gives the parts of a value that many forms ask for in boxes of their own, each with the
// name of its box; nil for a value of one part.
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

// whyStep says why a change is made, and which command shows that it worked, and what that prints,
// line by line.
func whyStep(l plan.Line) doc.Step {
	check, says := words.Check(l.Check)
	s := doc.Step{
		Number: l.Step,
		Says: doc.Cat(doc.Copy(l.Label),
			doc.Phrasef(" %s: %s Check: this prints the lines below it, in any order.",
				l.Type, words.Because(l.Reasons))),
		Copy: []string{check},
	}
	if says == "nothing" || l.Check.Alias {
		s.Copy = append(s.Copy, "("+says+")")
		return s
	}
	s.Copy = append(s.Copy, l.Check.Values...)
	return s
}

// entryBlocks gives the entries of a carrier's or registrar's page: patterns in one table, the
// others one by one.
func entryBlocks(entries []act.Entry, title string) []doc.Block {
	if len(entries) == 0 {
		return nil
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: title}}
	var patterns []act.Entry
	domain := ""
	flush := func() {
		if len(patterns) > 0 {
			blocks = append(blocks, patternBlocks(patterns)...)
		}
		patterns = nil
	}
	for _, e := range entries {
		if e.Domain != domain || e.Kind != world.Pattern {
			flush()
		}
		domain = e.Domain
		if e.Kind == world.Pattern {
			patterns = append(patterns, e)
			continue
		}
		about := unicodeName(e.Domain)
		if about == "" {
			about = "all domains"
		}
		t := doc.Table{Head: []string{"box", "what to type"}}
		for _, f := range e.Fields {
			t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(f.Name)}, {Text: doc.Copy(words.Field(f))}})
		}
		blocks = append(blocks,
			doc.Heading{Level: 3, Text: fmt.Sprintf("%d. %s: %s", e.Step, about, entryTitle(e))}, t,
			doc.Paragraph{Text: doc.Cat(doc.Phrase(words.Because(e.Reasons)), checkedBy(e))})
	}
	flush()
	return blocks
}

func entryTitle(e act.Entry) string {
	if e.Action == act.Remove {
		return map[world.EntryKind]string{world.Forward: "delete the forwarding",
			world.DSEntry: "remove the DS record"}[e.Kind]
	}
	if e.Kind == world.NameServers && e.Action == act.Add {
		return "set the name servers"
	}
	return map[world.EntryKind]string{
		world.Forward:     "forward it",
		world.SourceEntry: "redirect it",
		world.DoorEntry:   "redirect this door",
		world.HostEntry:   "claim the host",
		world.ZoneEntry:   "create the zone",
		world.NameServers: "change the name servers",
		world.CertEntry:   "have the certificate there",
		world.Records:     "set the records, then come back",
		world.Primary:     "choose the primary host",
		world.OriginEntry: "say how to reach the origin",
		world.Config:      "put the redirects in place",
	}[e.Kind]
}

func patternBlocks(patterns []act.Entry) []doc.Block {
	t := doc.Table{Head: []string{"step", "pattern", "target", "status", "query", "rule"}}
	var why []doc.Block
	for _, e := range patterns {
		row := doc.Cells(fmt.Sprint(e.Step))
		for _, f := range e.Fields {
			switch f.Name {
			case "pattern", "target", "rule":
				row = append(row, doc.Cell{Text: doc.Copy(f.Value)})
			default:
				row = append(row, doc.Cell{Text: doc.Phrase(f.Value)})
			}
		}
		t.Rows = append(t.Rows, row)
		why = append(why,
			doc.Step{Number: e.Step, Says: doc.Cat(doc.Phrase(words.Because(e.Reasons)), checkedBy(e))})
	}
	return append([]doc.Block{
		doc.Heading{Level: 3, Text: "Patterns of " + unicodeName(patterns[0].Domain)},
		doc.Paragraph{
			Text: doc.Phrase(
				"In this order; the first that fits is used. A star stands for any characters, and $1, $2 " +
					"for what the " +
					"first and the second star took.",
			),
		}, t}, why...)
}

// checkedBy says which command shows whether an entry worked.
func checkedBy(e act.Entry) doc.Text {
	check, _ := words.Check(e.Check)
	if check == "" {
		return nil
	}
	return doc.Cat(doc.Phrase(" Check it with "), doc.Copy(check), doc.Phrase("."))
}

// SheetsWritten says which sheets were written, and where to begin.
func SheetsWritten(folder string, p *plan.Plan, all []Sheet, pages []Page) doc.Doc {
	d := doc.Doc{Name: "sheets"}
	if len(all) == 0 {
		d.Blocks = doc.Of(doc.Verdict{Tone: doc.Good,
			Says: doc.Phrase("There is nothing to type: everything is as planned.")})
		return d
	}
	t := doc.Table{Sheet: "sheets", Head: []string{"where", "records", "other entries", "page"}}
	for _, s := range all {
		for _, page := range pages {
			if page.Place == s.Place {
				t.Rows = append(t.Rows,
					doc.Cells(s.Place, wording.CountOrNothing(steps(s.plan.Lines), "change"),
						wording.CountOrNothing(len(s.plan.Entries), "entry"), folder+"/"+page.Name))
				break
			}
		}
	}
	v := planVerdict(p)
	v.Next = doc.Cat(doc.Phrase("The order of all of it: "), doc.Copy("upperpath plan"))
	blocks := []doc.Block{v, t}
	csv := func(one Page) bool { return strings.HasSuffix(one.Name, ".csv") }
	if slices.ContainsFunc(pages, csv) &&
		slices.ContainsFunc(pages, func(one Page) bool { return !one.Table }) {
		blocks = append(blocks, doc.Paragraph{
			Text: doc.Phrase("Tables for a spreadsheet (.csv) are beside each page."), Soft: true})
	}
	d.Blocks = doc.Of(append(blocks, findingBlocks(p.Findings)...)...)
	return d
}
