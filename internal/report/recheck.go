package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// newsDate is how days are written in news.
const newsDate = "2 January 2006"

// News is what is new, as it can be mailed to a client: without commands and codes, which stand in
// tables and JSON.
func News(n *recheck.News, s *recheck.State, lived []recheck.Acceptance, today time.Time) doc.Doc {
	lines := n.Lines()
	d := doc.Doc{Name: "news", Title: "News about the doors to " + s.Canonical, Main: "news",
		About: "checked on " + s.Taken.In(today.Location()).Format(newsDate+" 15:04 MST")}
	if !n.Since.IsZero() {
		d.About += ", compared with " + n.Since.In(today.Location()).Format(newsDate)
	}
	blocks := append([]doc.Block{newsVerdict(n, lines)}, lineBlocks(lines, "Unseen this time")...)
	if len(n.Behind) > 0 {
		blocks = append(blocks, doc.Paragraph{Text: behindText(n.Behind), Soft: true, Gap: true})
	}
	if len(n.FirstFor) > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef("Checked for the first time: %s.",
			strings.Join(unicodeNames(n.FirstFor), ", ")), Soft: true, Gap: true})
	}
	if len(n.Left) > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef("No longer checked: %s.",
			strings.Join(unicodeNames(n.Left), ", ")), Soft: true, Gap: len(n.FirstFor) == 0})
	}
	aside := fmt.Sprintf(words.SameAsBefore, wording.Count(n.Same, "fact"),
		wording.Verb(n.Same, "is", "are"))
	if n.Known > 0 {
		aside += fmt.Sprintf(", %s known among them", wording.Count(n.Known, "finding"))
	}
	if len(n.Living) > 0 {
		aside += fmt.Sprintf("; %d accepted until later", len(n.Living))
	}
	if !n.Since.IsZero() {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(aside + "."), Soft: true, Gap: true})
	}
	d.Blocks = doc.Of(append(blocks, newsSheet(n))...)
	d.Data = newsJSON{"upperpath/news/1", s.Canonical, s.Vantage, n, newsCauses(lines),
		append([]recheck.Acceptance{}, lived...)}
	return d
}

// behindText says of which findings nobody can say whether they are fixed.
func behindText(all []recheck.Item) doc.Text {
	subjects := map[string]bool{}
	var names []string
	for _, i := range all {
		if !subjects[i.Subject] {
			subjects[i.Subject] = true
			names = append(names, readableFact(i.Subject))
		}
	}
	return doc.Phrasef(words.HiddenFindings, wording.Count(len(all), "known finding"),
		wording.Verb(len(all), "is", "are"), wording.Few(names, 3))
}

// lineBlocks gives the lines of news as lists, what is graver first.
func lineBlocks(lines []recheck.Line, unseen string) []doc.Block {
	var blocks []doc.Block
	add := func(title string, tone doc.Tone, what string, which func(*recheck.Line) bool,
		says func(*recheck.Line) doc.Text) {
		l := doc.List{Title: title, Tone: tone, More: doc.Command("--format csv") + " has them all"}
		for i := range lines {
			if lines[i].What == what && (which == nil || which(&lines[i])) {
				l.Items = append(l.Items, says(&lines[i]))
			}
		}
		if len(l.Items) > 0 {
			blocks = append(blocks, l)
		}
	}
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		of := func(l *recheck.Line) bool { return l.Severity() == s }
		add(newTitles[s], doc.ToneOf(s), recheck.IsNew, of, findingLine)
	}
	add("Changed", doc.Warned, recheck.IsChanged, nil, changeLine)
	add("Due for another look today", doc.Warned, recheck.IsAgain, nil, backLine)
	first := doc.Noted
	for i := range lines {
		if lines[i].What == recheck.IsFirst {
			first = max(first, doc.ToneOf(lines[i].Severity()))
		}
	}
	add("Looked at for the first time", first, recheck.IsFirst, nil, findingLine)
	add("Fixed", doc.Good, recheck.IsMended, nil, mendedLine)
	add(unseen, doc.Unseen, recheck.IsUnseen, nil, unseenLine)
	return blocks
}

// mendedLine says what is fixed.
func mendedLine(l *recheck.Line) doc.Text {
	return doc.Phrasef("%s: %s.", subjectsText(l), wording.LowerFirst(plainCode(l.Items[0].Code)))
}

// fewSubjects is how many names a line of news gives.
const fewSubjects = 3

// subjectsText names what a line is about.
func subjectsText(l *recheck.Line) string {
	var names []string
	for _, s := range l.Subjects() {
		names = append(names, readableFact(s))
	}
	return wording.Few(names, fewSubjects)
}

// findingLine says a finding, at how many names it shows, and what comes of it.
func findingLine(l *recheck.Line) doc.Text {
	if l.Cause != nil {
		return causeLine(l)
	}
	t := findingNews(&l.Items[0])
	if all := l.Subjects(); len(all) > 1 {
		var others []string
		for _, s := range all {
			if s != l.Items[0].Subject {
				others = append(others, readableFact(s))
			}
		}
		t = doc.Cat(t, doc.Phrasef(words.AlsoAt, wording.Few(others, fewSubjects)))
	}
	return doc.Cat(t, touchesText(l))
}

// causeLine says what changed, what is wrong since then, and what to do about the worst of it.
func causeLine(l *recheck.Line) doc.Text {
	var wrong []string
	for i := range l.Items {
		if says := wording.LowerFirst(plainCode(l.Items[i].Code)); !slices.Contains(wrong, says) {
			wrong = append(wrong, says)
		}
	}
	one := recheck.Line{What: recheck.IsChanged, Items: []recheck.Item{*l.Cause}}
	worst := slices.MaxFunc(l.Items, func(a, b recheck.Item) int {
		return a.Severity.Rank() - b.Severity.Rank()
	})
	return doc.Cat(changeNews(&one), doc.Phrasef(words.SinceThen, strings.Join(wrong, "; "),
		worst.Says.String()), doc.Phrase(" "+worst.Fix.String()), touchesText(l))
}

// touchesText counts what comes of the cause that a line tells.
func touchesText(l *recheck.Line) doc.Text {
	if len(l.Touches) == 0 {
		return nil
	}
	ways, others := map[string]bool{}, 0
	for i := range l.Touches {
		if k := l.Touches[i].Kind; k == recheck.Redirect || k == recheck.Page {
			ways[l.Touches[i].Subject] = true
		} else {
			others++
		}
	}
	var parts []string
	if len(ways) > 0 {
		parts = append(parts, wording.Count(len(ways), "URL"))
	}
	if others > 0 {
		parts = append(parts, wording.Count(others, "further fact"))
	}
	return doc.Phrasef(words.Touches, wording.And(parts))
}

func changeLine(l *recheck.Line) doc.Text { return doc.Cat(changeNews(l), touchesText(l)) }

func backLine(l *recheck.Line) doc.Text {
	i := &l.Items[0]
	says := doc.Cat(changeNews(l), doc.Phrase("."))
	if i.Kind == recheck.Finding {
		says = findingLine(l)
	}
	return doc.Cat(says, doc.Phrasef(" It was accepted until %s: %s", i.Accepted, i.Why))
}

func unseenLine(l *recheck.Line) doc.Text {
	why := orText(l.Gaps[0].Why.String(), "nobody answered")
	if subjects := l.Subjects(); len(subjects) > fewSubjects {
		domains := map[string]bool{}
		for _, g := range l.Gaps {
			domains[g.Domain] = true
		}
		if len(domains) > 1 {
			return doc.Phrasef(words.UnseenOf, wording.Count(len(domains), "domain"),
				wording.Few(unicodeNames(slices.Sorted(maps.Keys(domains))), fewSubjects), why)
		}
	}
	return doc.Phrasef("%s: %s", subjectsText(l), why)
}

var newTitles = map[finding.Severity]string{
	finding.Error:   "New: visitors do not arrive, or meet a warning",
	finding.Warning: "New: it works, but not as it should", finding.Note: "New: worth knowing"}

func newsVerdict(n *recheck.News, lines []recheck.Line) doc.Verdict {
	var parts []string
	for _, part := range []struct{ what, says string }{{recheck.IsNew, "new"},
		{recheck.IsChanged, "changed"}, {recheck.IsAgain, "due again"},
		{recheck.IsFirst, "seen for the first time"}, {recheck.IsMended, "fixed"},
		{recheck.IsUnseen, "unseen"}} {
		if k := recheck.Count(lines, part.what); k > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", k, part.says))
		}
	}
	tone := doc.ToneOf(n.Worse())
	if tone == doc.Good && len(n.Unseen) > 0 {
		tone = doc.Unseen
	}
	says := words.NothingNew
	if len(parts) > 0 {
		says = wording.UpperFirst(strings.Join(parts, ", ")) + "."
	}
	if n.Since.IsZero() {
		says = words.NothingAccepted + says
		tone = max(tone, doc.Noted)
	}
	return doc.Verdict{Tone: tone, Says: doc.Phrase(says)}
}

// orText gives the first text that says anything.
func orText(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// plainCode says a code in plain words.
func plainCode(code string) string {
	for _, k := range finding.Rows() {
		if k.Name == code {
			return words.Code(k.Code).Plain
		}
	}
	return code
}

func findingNews(i *recheck.Item) doc.Text {
	t := doc.Text{{Text: wording.UpperFirst(plainCode(i.Code)) + ". ", As: doc.Strong}}
	if i.Was != "" {
		t = append(t, doc.Phrasef("Worse than before: %s, was %s. ", i.Is, i.Was)...)
	}
	return doc.Cat(t, doc.Phrase(i.Says.String()+" "), doc.Phrase(i.Fix.String()))
}

// changedWords say what changed, by kind.
var changedWords = map[recheck.FactKind]string{
	recheck.Record: "record", recheck.Delegation: "in the parent zone",
	recheck.Certificate:  "certificate",
	recheck.Registration: "at the registry", recheck.Redirect: "visitors' chain",
	recheck.Page:    "page title",
	recheck.Planned: "planned",
}

// changeNews says what changed, at the place where it did.
func changeNews(l *recheck.Line) doc.Text {
	i := &l.Items[0]
	about, was, is := subjectsText(l), i.Was, i.Is
	if i.Kind == recheck.Redirect && (l.Was != "" || l.Is != "") {
		was, is = orText(l.Was, "nothing"), orText(l.Is, "nothing")
		if l.At != "" {
			about = fmt.Sprintf(words.AtPlace, l.At, wording.Count(len(l.Subjects()), "URL"))
		}
	} else if i.Kind == recheck.Page && len(l.Subjects()) > fewSubjects {
		about = wording.Count(len(l.Subjects()), "URL")
	}
	t := doc.Text{{Text: about, As: doc.Strong},
		{Text: " (" + changedWords[i.Kind] + "): ", As: doc.Words}}
	flat := func(s string) string { // names without the dot behind them
		s = strings.ReplaceAll(strings.TrimSuffix(s, "."), ".\n", "\n")
		return wording.Cut(strings.ReplaceAll(s, "\n", ", "), 160)
	}
	switch {
	case was == "":
		return doc.Cat(t, doc.Phrasef("new, %s", flat(is)))
	case is == "":
		return doc.Cat(t, doc.Phrasef("gone, was %s", flat(was)))
	}
	return doc.Cat(t, doc.Phrasef("was %s, is %s", flat(was), flat(is)))
}

// readableFact gives the subject of a fact with its name in letters.
func readableFact(subject string) string {
	name, rest, _ := strings.Cut(subject, " ")
	if strings.Contains(name, "://") {
		return subject
	}
	return strings.TrimSpace(unicodeName(name) + " " + rest)
}

// newsJSON is news as JSON has them.
type newsJSON struct {
	Schema    string `json:"schema"`
	Canonical string `json:"canonical"`
	Vantage   string `json:"vantage"`
	*recheck.News
	Causes   []newsCause          `json:"causes"` // what has one cause, as it is told
	Accepted []recheck.Acceptance `json:"accepted"`
}

// newsCause is a line of news as JSON has it.
type newsCause struct {
	What     string   `json:"what"`
	Says     string   `json:"says"`
	Subjects []string `json:"subjects"`
	Touches  int      `json:"touches"` // facts that changed because of it
}

func newsCauses(lines []recheck.Line) []newsCause {
	all := []newsCause{}
	for i := range lines {
		l := &lines[i]
		says := map[string]func(*recheck.Line) doc.Text{recheck.IsChanged: changeLine,
			recheck.IsAgain: backLine, recheck.IsUnseen: unseenLine, recheck.IsMended: mendedLine}[l.What]
		if says == nil {
			says = findingLine
		}
		all = append(all, newsCause{l.What, doc.Unmarked(says(l).String()), l.Subjects(),
			len(l.Touches)})
	}
	return all
}

func newsSheet(n *recheck.News) doc.Data {
	d := doc.Data{Sheet: "news",
		Head: []string{"what", "severity", "code", "domain", "subject", "was", "is", "says", "remedy",
			"accepted until", "why"}}
	flat := func(s string) string { return strings.ReplaceAll(s, "\n", "; ") }
	add := func(what string, items []recheck.Item) {
		for n := range items {
			i := &items[n]
			d.Rows = append(d.Rows,
				[]string{what, string(i.Severity), i.Name(), i.Domain, i.Subject, flat(i.Was), flat(i.Is),
					i.Says.String(), i.Fix.String(), i.Accepted, i.Why})
		}
	}
	add("new", n.New)
	add("changed", n.Changed)
	add("again", n.Back)
	add("first", n.First)
	add("mended", n.Mended)
	add("hidden", n.Behind)
	for _, g := range n.Unseen {
		d.Rows = append(d.Rows,
			[]string{"unseen", "", "", g.Domain, g.Subject, "", "", g.Why.String(), "", "", ""})
	}
	return d
}

// AcceptedAll says which state was taken to compare with, and what of it is no good.
func AcceptedAll(n *recheck.News, s *recheck.State, today time.Time) doc.Doc {
	faults := 0
	var bad []doc.Text
	for _, f := range s.Facts {
		if f.Kind != recheck.Finding {
			continue
		}
		faults++
		if f.Severity == finding.Error {
			bad = append(bad,
				doc.Cat(doc.Text{{Text: wording.UpperFirst(plainCode(f.Code)) + ". ", As: doc.Strong}},
					doc.Phrase(f.Says.String())))
		}
	}
	v := doc.Verdict{Tone: doc.Good, Says: doc.Phrasef("The state of %s is accepted: %s, %s, %s.",
		s.Taken.In(today.Location()).Format(newsDate), wording.Count(s.Looked(), "domain"),
		wording.Count(len(s.Facts)-faults, "fact"), wording.Count(faults, "finding")),
		Next: doc.Cat(doc.Phrase("From now on "), doc.Copy("upperpath recheck"),
			doc.Phrase(" says only what differs from it."))}
	blocks := []doc.Block{v}
	if len(bad) > 0 {
		blocks = append(blocks,
			doc.List{Title: "Errors accepted with it", Items: bad, Tone: doc.Failed,
				More: doc.Command("--format csv") + " has them all"})
	}
	if len(s.Gaps) > 0 {
		l := doc.List{Title: "Unseen, and not part of it", Tone: doc.Unseen}
		for _, g := range s.Gaps {
			l.Items = append(l.Items,
				doc.Phrasef("%s: %s", readableFact(orText(g.Subject, g.Domain)), g.Why.String()))
		}
		blocks = append(blocks, l)
	}
	d := doc.Doc{Name: "news", Title: "Recheck of every door to " + s.Canonical, Main: "news"}
	d.Blocks = doc.Of(append(blocks, newsSheet(n))...)
	d.Data = newsJSON{"upperpath/news/1", s.Canonical, s.Vantage, n, newsCauses(n.Lines()),
		[]recheck.Acceptance{}}
	return d
}

// Lived is the list of what is accepted: the state, and what somebody lives with until a date.
func Lived(base *recheck.State, lived []recheck.Acceptance, today time.Time) doc.Doc {
	d := doc.Doc{Name: "accepted", Title: "Accepted"}
	v := doc.Verdict{Tone: doc.Noted, Says: doc.Phrase("No state was accepted yet."),
		Next: doc.Cat(doc.Phrase("Accept the present state: "),
			doc.Copy("upperpath recheck --accept-all"))}
	if base != nil {
		v = doc.Verdict{Tone: doc.Good, Says: doc.Phrasef("The state of %s is accepted, with %s.",
			base.Taken.In(today.Location()).Format(newsDate), wording.Count(base.Looked(), "domain"))}
	}
	t := doc.Table{Sheet: "accepted", Head: []string{"what", "of", "until", "why", "since"}}
	for _, a := range lived {
		until := doc.Cell{Text: doc.Phrase(a.Until.Format(time.DateOnly))}
		if !today.Before(a.Until) {
			until.Tone = doc.Warned
		}
		since := "" // the estate file does not say it
		if !a.Given.IsZero() {
			since = a.Given.Format(time.DateOnly)
		}
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(a.Code)},
			{Text: doc.Phrase(readableFact(a.Subject))}, until, {Text: doc.Phrase(a.Why)},
			{Text: doc.Phrase(since)}})
	}
	blocks := []doc.Block{v}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	d.Blocks = doc.Of(blocks...)
	data := map[string]any{"schema": "upperpath/accepted/1",
		"accepted": append([]recheck.Acceptance{}, lived...)}
	if base != nil {
		data["state"] = base.Taken.UTC()
	}
	d.Data = data
	return d
}

// figures are written in the text format of Prometheus (its exposition format, version 0.0.4). All
// of one name stand together, whichever estate they are of.
type figures struct {
	estate   string // of what is written; "" where there is one alone
	names    []string
	families map[string]*strings.Builder
}

// family begins figures of one name.
func (f *figures) family(name, help string) {
	if f.families[name] != nil {
		return
	}
	if f.families == nil {
		f.families = map[string]*strings.Builder{}
	}
	f.names, f.families[name] = append(f.names, name), &strings.Builder{}
	fmt.Fprintf(f.families[name], "# HELP upperpath_%s %s\n# TYPE upperpath_%[1]s gauge\n", name, help)
}

// line writes a figure; label may be "".
func (f *figures) line(name, label, value string, figure int64) {
	var labels []string
	for _, l := range [][2]string{{"estate", f.estate}, {label, value}} {
		if l[0] != "" && (l[0] != "estate" || f.estate != "") {
			labels = append(labels, fmt.Sprintf(`%s="%s"`, l[0], escapeLabel(l[1])))
		}
	}
	all := ""
	if len(labels) > 0 {
		all = "{" + strings.Join(labels, ",") + "}"
	}
	fmt.Fprintf(f.families[name], "upperpath_%s%s %d\n", name, all, figure)
}

func (f *figures) one(name, help string, figure int64) {
	f.family(name, help)
	f.line(name, "", "", figure)
}

// ends writes when things end, each once.
func (f *figures) ends(name, help, label string, all []recheck.Ends) {
	if len(all) > 0 {
		f.family(name, help)
	}
	done := map[string]bool{}
	for _, e := range all {
		if !done[e.Subject] {
			done[e.Subject] = true
			f.line(name, label, e.Subject, e.Ends.Unix())
		}
	}
}

func (f *figures) bytes() []byte {
	var all []byte
	for _, name := range f.names {
		all = append(all, f.families[name].String()...)
	}
	return all
}

// Metrics gives figures for Prometheus.
func Metrics(s *recheck.State, n *recheck.News) []byte {
	var f figures
	f.of(s, n)
	return f.bytes()
}

// of writes the figures of one estate.
func (f *figures) of(s *recheck.State, n *recheck.News) {
	f.one("recheck_time_seconds", "Time of the last check.", s.Taken.Unix())
	if !n.Since.IsZero() {
		f.one("accepted_time_seconds", "Time at which the accepted state was seen.", n.Since.Unix())
	}
	f.one("domains", "Number of domains checked.", int64(s.Looked()))
	f.family("findings", "Present findings, accepted ones included.")
	for _, severity := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		count := int64(0)
		for _, fact := range s.Facts {
			if fact.Kind == recheck.Finding && fact.Severity == severity {
				count++
			}
		}
		f.line("findings", "severity", string(severity), count)
	}
	f.family("news", "Differences from the accepted state.")
	for _, part := range []struct {
		kind  string
		count int
	}{{"new", len(n.New)}, {"changed", len(n.Changed)}, {"again", len(n.Back)},
		{"mended", len(n.Mended)},
		{"unseen", len(n.Unseen)}} {
		f.line("news", "kind", part.kind, int64(part.count))
	}
	f.one("unseen", "What stayed unseen.", int64(len(s.Gaps)))
	f.ends("certificate_end_time_seconds", "Time at which a host's certificate expires.", "host",
		s.Certificates)
	f.ends("registration_end_time_seconds", "Time at which a domain's registration expires.", "domain",
		s.Registrations)
}

// escapeLabel escapes a label's value as the format wants it.
func escapeLabel(s string) string {
	return strings.NewReplacer(`\`, `\\`, "\n", `\n`, `"`, `\"`).Replace(s)
}
