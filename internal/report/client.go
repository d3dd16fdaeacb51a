package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// ForClient is what the page for a client is made of. Today is what was met; everything else may be
// missing.
type ForClient struct {
	Title  string
	By     string   // who made it
	Words  []string // paragraphs of whoever made it
	Made   time.Time
	Today  *chain.Audit
	Before *chain.Audit // what was met before the work; then Today is how it is after it
	After  *chain.Audit // what will be met, as it was tried out
	Plan   *plan.Plan
	Survey *survey.Survey // the newest look at each domain
	Book   *runbook.Book

	Kind     signoff.Kind  // ""; whatever the rest makes likely
	Joined   *chain.Joined // Today is what it holds; nil: Today is one audit
	Runs     *signoff.Runs // of old URLs that were followed
	Coverage *old.Coverage // of old URLs under the plan
	Proof    *proof.Proof  // of the plan
	News     int           // lines of news, as against what was accepted
	Compared bool          // something was accepted
}

func (c ForClient) todayWord() string {
	if c.Before != nil {
		return "Before"
	}
	return c.daySeen(c.Today, "Today")
}

// daySeen gives a word for what is as it was just seen; where that is longer ago, the day on which
// it was.
func (c ForClient) daySeen(a *chain.Audit, word string) string {
	switch ago := c.Made.Sub(a.Started); {
	case ago < 24*time.Hour:
		return word
	case a.Started.Year() != c.Made.Year():
		return "On " + a.Started.Local().Format("2 January 2006")
	}
	return "On " + a.Started.Local().Format("2 January")
}

func (c ForClient) afterWord() string {
	if c.Before != nil {
		return c.daySeen(c.After, "Now")
	}
	return "Afterwards"
}

// Client is the page for a client: whether it can go live, is done or stays so, and what stands in
// the way; what is known and since when; each domain before and after, what has to be done, by whom
// and when, risks with their dates, what was fixed, figures, and then what shows it.
func Client(c ForClient) doc.Doc {
	sheet := c.sheet()
	both := c
	if c.Before != nil { // what was met now stands on the side of what comes after
		both.Today, both.After = c.Before, c.Today
	}
	about := words.SignoffTitle(sheet.Kind) + ", " + c.Made.Local().Format(newsDate+" 15:04 MST")
	if c.By != "" {
		about = c.By + ": " + about
	}
	d := doc.Doc{Name: "report", Title: c.Title, About: about, Main: doc.ChainsSheet,
		Data: auditData(Looked{Vantage: c.Today.Vantage, Canonical: c.Today.Canonical,
			Started: c.Today.Started,
			Chains: slices.Values(
				c.Today.Chains,
			), End: func() ([]finding.Finding, []string) { return c.Today.Findings, c.Today.Notes },
			Scope: c.Today.Scope},
			c.Today.Schema, false)}
	d.Blocks = func(yield func(doc.Block) bool) {
		for _, part := range [][]doc.Block{
			clientHead(c, sheet), clientDomains(both), clientWork(c), clientRisks(c), clientFixed(c),
			clientFigures(both), clientEvidence(c),
		} {
			for _, b := range part {
				if !yield(b) {
					return
				}
			}
		}
	}
	return d
}

// clientDomains gives each domain in a line, before and after.
func clientDomains(c ForClient) []doc.Block {
	l := doorsOf(c.Today)
	byDomain := map[string][]*doorSeen{}
	var order []string
	for _, d := range l.all {
		name := c.domainOf(d.door.Host)
		if byDomain[name] == nil {
			order = append(order, name)
		}
		byDomain[name] = append(byDomain[name], d)
	}
	untried := c.untried(byDomain)
	if len(order)+len(untried) == 0 {
		return nil
	}
	t := doc.Table{
		Sheet: "domains",
		Head: []string{"domain", wording.LowerFirst(c.todayWord()), wording.LowerFirst(c.afterWord()),
			"note", "seen"},
		Order: true,
	}
	withAfter, withNote := false, false
	for _, name := range order {
		doors := byDomain[name]
		before := domainState(doors, stateOf)
		var after doc.Cell
		known := slices.DeleteFunc(slices.Clone(doors), func(d *doorSeen) bool {
			_, ok := c.after(d.door)
			return !ok
		})
		if len(known) > 0 {
			after = domainState(known, func(d *doorSeen) doorState { s, _ := c.after(d.door); return s })
			if where := c.leadsTo(name); where != "" && after.Tone == doc.Good {
				after.Text = doc.Phrase("arrives at " + c.placeText(where))
			}
			withAfter = true
		}
		note := c.noteOf(name)
		withNote = withNote || note != ""
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(unicodeName(name))}, before, after,
			{Text: doc.Phrase(note)}, {Text: doc.Phrase(c.seenOf(doors))}})
	}
	for _, name := range untried {
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(unicodeName(name))},
			{Text: doc.Phrase(words.NotLookedAt), Tone: doc.Unseen}, {}, {Text: doc.Phrase(c.noteOf(name))},
			{Text: doc.Phrase(words.NeverSeen)}})
	}
	t = without(t, 4, c.Joined == nil || len(c.Joined.From) < 2)
	t = without(t, 3, !withNote)
	t = without(t, 2, !withAfter)
	return []doc.Block{doc.Heading{Level: 2, Text: "Your domains"}, t}
}

// seenOf gives when the doors of a domain were seen, the earliest first.
func (c ForClient) seenOf(doors []*doorSeen) string {
	if c.Joined == nil {
		return ""
	}
	hosts := map[web.Host]bool{}
	for _, d := range doors {
		hosts[d.door.Host] = true
	}
	var check signoff.Check
	for i := range c.Joined.Audit.Chains {
		ch := &c.Joined.Audit.Chains[i]
		if at := c.Joined.Seen[ch.Key()]; hosts[ch.Entry.Host()] {
			if check.From.IsZero() || at.Before(check.From) {
				check.From = at
			}
			if at.After(check.To) {
				check.To = at
			}
		}
	}
	from, to := check.From.Local().Format(shortDay), check.To.Local().Format(shortDay)
	if from == to {
		return to
	}
	return from + " to " + to
}

// shortDay is how a day is written in a narrow column.
const shortDay = "2 Jan 2006"

// untried gives the domains of the estate of which no door was tried.
func (c ForClient) untried(tried map[string][]*doorSeen) []string {
	if c.Plan == nil {
		return nil
	}
	var all []string
	for _, d := range c.Plan.Estate.Domains {
		if name := d.Name.String(); d.State != estate.Leave && tried[name] == nil {
			all = append(all, name)
		}
	}
	return all
}

// domainOf gives the domain of a host; the host itself where it is another name of the site.
func (c ForClient) domainOf(h web.Host) string {
	if c.Plan != nil {
		if d := c.Plan.Estate.DomainOf(h); d != nil {
			return d.Name.String()
		}
		return h.String()
	}
	if apex, ok := h.Apex(); ok {
		return apex.String()
	}
	return h.String()
}

// placeText gives where a domain leads as its owner would say it.
func (c ForClient) placeText(where string) string {
	switch path, here := strings.CutPrefix(where, c.Today.Canonical); {
	case here && path == "/":
		return "the home page"
	case here:
		return path
	}
	return where
}

// without drops a column of a table where that is wanted.
func without(t doc.Table, column int, drop bool) doc.Table {
	if !drop {
		return t
	}
	t.Head = slices.Delete(slices.Clone(t.Head), column, column+1)
	for i, r := range t.Rows {
		t.Rows[i] = slices.Delete(r, column, column+1)
	}
	return t
}

// domainState says how the doors of a domain are, in plain words.
func domainState(doors []*doorSeen, of func(*doorSeen) doorState) doc.Cell {
	var says []string
	bad, lived, tone := 0, 0, doc.Good
	for _, d := range doors {
		if d.accepted {
			lived++
		}
		s := of(d)
		tone = max(tone, s.tone)
		if s.tone <= doc.Good {
			continue
		}
		bad++
		if !slices.Contains(says, s.says) {
			says = append(says, s.says)
		}
	}
	if bad == 0 && lived > 0 {
		return doc.Cell{Text: doc.Phrasef("%d of %s accepted", lived, wording.Count(len(doors), "door")),
			Tone: doc.Noted}
	}
	if bad == 0 {
		return doc.Cell{Text: doc.Phrase("every door arrives"), Tone: doc.Good}
	}
	return doc.Cell{Text: doc.Phrasef("%d of %s: %s", bad, wording.Count(len(doors), "door"),
		wording.Few(says, 3)), Tone: tone}
}

func (c ForClient) domain(name string) *estate.Domain {
	if c.Plan == nil {
		return nil
	}
	h, err := web.ParseHost(name)
	if err != nil {
		return nil
	}
	return c.Plan.Estate.DomainOf(h)
}

func (c ForClient) noteOf(name string) string {
	if d := c.domain(name); d != nil && d.Name.String() == name {
		return d.Note
	}
	return ""
}

func (c ForClient) leadsTo(name string) string {
	if c.Plan == nil {
		return ""
	}
	for _, d := range c.Plan.Doors {
		if d.Door.Host.String() == name {
			return d.LeadsTo.String()
		}
	}
	return ""
}

// clientWork says what has to be done, at which provider, and by when.
func clientWork(c ForClient) []doc.Block {
	if c.Book == nil || c.Before != nil || c.Book.DoneCount() == len(c.Book.Tasks) {
		return nil
	}
	type work struct {
		what     []string
		from, to time.Time
	}
	all := map[string]*work{}
	var order []string
	for i, times := range c.Book.Times() {
		t := &c.Book.Tasks[i]
		if t.IsDone() || t.Idle {
			continue
		}
		who := cmp.Or(t.Provider, c.By, "your consultant")
		w := all[who]
		if w == nil {
			w = &work{from: times.From}
			all[who] = w
			order = append(order, who)
		}
		w.to = later(w.to, times.From)
		w.what = append(w.what, clientTask(t))
	}
	t := doc.Table{Sheet: "work", Head: []string{"where", "what to do", "when"}}
	for _, who := range order {
		w := all[who]
		when := w.from.Local().Format("2 Jan 15:04")
		if w.to.After(w.from) {
			when += " to " + w.to.Local().Format("2 Jan 15:04")
		}
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(who)}, {Text: doc.Stack(w.what)}, {Text: doc.Phrase(when)}})
	}
	zone := c.Made.Local().Format("MST")
	begun := fmt.Sprintf("Times (%s) count from now, with each step done as early as possible.", zone)
	if c.Book.DoneCount() > 0 {
		begun = fmt.Sprintf(
			"%d of %s %s done. Times (%s) are the earliest possible.",
			c.Book.DoneCount(),
			wording.Count(len(c.Book.Tasks), "step"),
			wording.Verb(c.Book.DoneCount(), "is", "are"), zone,
		)
	}
	return []doc.Block{doc.Heading{Level: 2, Text: "What to do"},
		doc.Paragraph{Text: doc.Phrase(begun), Soft: true}, t}
}

// clientTask says in a few plain words what is done in a task.
func clientTask(t *runbook.Task) string {
	parts := strings.SplitN(t.Key, "|", 3)
	about := wording.Few(t.Names, 3)
	if len(parts) == 3 && parts[2] != "" {
		about = wording.Few(unicodeNames(strings.Fields(parts[2])), 3)
	}
	step, _, _ := strings.Cut(parts[0], "@") // and the wave
	does := map[string]string{
		"survey":           "look at what exists",
		"remove-stale-ds":  "remove the outdated signing record (DS) of",
		"lower-ttls":       "shorten how long records are remembered (TTL) for",
		"delete":           "delete the forwarding of",
		"untie-mail":       "give mail an address of its own for",
		"certificates":     "get the certificates of",
		"certificates-new": "get the certificates of",
		"claim":            "add the hosts of",
		"claim-after":      "add the hosts of",
		"early":            "make the first changes of",
		"redirects":        "put the redirects in place for",
		"try":              "try the redirects before anything points there",
		"changes":          "change the records of",
		"records":          "set the records of",
		"name-servers":     "change the name servers of",
		"delegate":         "set the name servers of",
		"issue":            "have the remaining certificates issued",
		"primaries":        "choose the main host for",
		"audit":            "try every door again",
		"raise-ttls":       "set the usual TTLs again for",
		"copy":             "copy the zone of",
		"create":           "create the zone of",
		"agree":            "compare the present and the next name servers of",
		"find-ds":          "ask about the signing record (DS) of",
		"remove-ds":        "remove the signing record (DS) of",
		"sign":             "sign the zone of",
	}[step]
	switch {
	case does == "":
		return doc.Unmarked(t.Says)
	case strings.HasSuffix(does, " of"), strings.HasSuffix(does, " for"):
		if about == "" {
			about = "all domains"
		}
		return wording.UpperFirst(does) + " " + about
	}
	return wording.UpperFirst(does)
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// clientRisks gives what ends soon, and what endangers mail.
func clientRisks(c ForClient) []doc.Block {
	t := doc.Table{Sheet: "risks", Head: []string{"by", "what", "about", "what to do"}}
	dates := c.datesOf()
	for _, d := range dates {
		if d.tone == doc.Good {
			continue
		}
		does := map[string]string{"certificate": "Renew it.",
			"registration": "Renew it at the registrar."}[d.what]
		says := "the " + d.what + " ends"
		if d.tone == doc.Failed {
			says = "the " + d.what + " has expired"
		}
		t.Rows = append(
			t.Rows,
			[]doc.Cell{
				{Text: doc.Phrase(day(d.at))},
				{Text: doc.Phrase(says), Tone: d.tone},
				{Text: doc.Phrase(d.about)},
				{Text: doc.Phrase(does)},
			},
		)
	}
	for _, f := range c.mailFindings() {
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase("before the move")},
				{Text: doc.Phrase(words.Code(f.Code).Plain), Tone: doc.ToneOf(f.Severity)},
				{Text: doc.Phrase(unicodeName(f.Subject))}, {Text: doc.Phrase(fixOf(f))}})
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: "Risks, and until when"}}
	switch {
	case len(t.Rows) > 0:
		blocks = append(blocks, t)
	case len(dates) == 0:
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrase(
				"No certificate was seen, so nothing is known about when one expires.")})
	default:
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrase("None of the certificates that were seen expires soon.")})
	}
	if c.Survey == nil {
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrase("Registrations and mail have not been looked at yet."),
				Soft: true})
	}
	return blocks
}

// mailFindings gives what endangers mail, as the survey and the plan found it.
func (c ForClient) mailFindings() []finding.Finding {
	var all []finding.Finding
	seen := map[string]bool{}
	take := func(list []finding.Finding) {
		for _, f := range list {
			key := f.Code.String() + f.Subject
			if f.Open() && strings.HasPrefix(f.Code.String(), "mail-") &&
				f.Severity.Rank() > finding.Note.Rank() &&
				!seen[key] {
				seen[key] = true
				all = append(all, f)
			}
		}
	}
	if c.Survey != nil {
		take(c.Survey.Findings)
	}
	if c.Plan != nil {
		take(c.Plan.Findings)
	}
	return all
}

func clientFigures(c ForClient) []doc.Block {
	var blocks []doc.Block
	for _, f := range drawAll(c) {
		if len(blocks) == 0 {
			blocks = append(blocks, doc.Heading{Level: 2, Text: "In pictures"})
		}
		blocks = append(
			blocks,
			doc.Heading{Level: 3, Text: f.drawing.Title},
			doc.Figure{Name: f.name, SVG: f.drawing.SVG(false), Words: f.words, Note: f.note},
		)
	}
	return blocks
}

// clientEvidence gives what was found, with what to do, and the ways that show it, one for each
// reason.
func clientEvidence(c ForClient) []doc.Block {
	if len(c.Today.Findings) == 0 {
		return nil
	}
	blocks := []doc.Block{
		doc.Heading{Level: 2, Text: "What was found",
			About: "seen " + c.Today.Started.Local().Format("2 January 2006 15:04 MST")},
	}
	blocks = append(blocks, findingBlocks(c.Today.Findings)...)
	shown := map[string]bool{}
	var ways []doc.Block
	for _, ch := range c.Today.Chains {
		v := viewChain(ch, c.Today.Started)
		if v.Fine || ch.Probe != chain.Root && ch.Probe != chain.ByRule && ch.Probe != chain.ByPattern {
			continue
		}
		fresh := false
		for _, f := range v.Findings {
			key := f.Code + " " + f.Subjects[0]
			fresh = fresh || !shown[key]
			shown[key] = true
		}
		if fresh {
			ways = append(ways, v)
		}
	}
	if len(ways) > 0 {
		blocks = append(blocks,
			doc.Fold{Title: "Chains that show it", About: "one for each reason", Blocks: ways})
	}
	for _, n := range c.Today.Notes {
		blocks = append(
			blocks,
			doc.Paragraph{Text: doc.Phrase(
				strings.Replace(n, "This vantage", "Network from which this was seen", 1)),
				Soft: true},
		)
	}
	return blocks
}
