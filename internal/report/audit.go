// Package report says what was found: each subject (an audit, a plan, a survey) is a file that
// makes a doc.Doc of it, and knows no format. It computes nothing that is not about showing.
//
//	err := doc.Write(os.Stdout, "text", report.Audit(a, "Audit", now), doc.Style{Width: 100})
package report

import (
	"fmt"
	"iter"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Looked is what a look or an audit is made of.
type Looked struct {
	Name      string // audit, look or rehearsal
	Title     string
	Vantage   string
	Canonical string // "" without an estate
	Started   time.Time
	Now       time.Time // for how long certificates still run
	Chains    iter.Seq[chain.Chain]
	End       func() (findings []finding.Finding, notes []string) // called once the chains are over
	Scope     *scope.Scope                                        // nil: nobody noted it
	// when each chain was seen, where several audits saw them
	Seen map[string]time.Time
}

// Audit gives the document of a whole audit.
func Audit(a *chain.Audit, name, title string, now time.Time) doc.Doc {
	return look(Looked{name, title, a.Vantage, a.Canonical, a.Started, now, slices.Values(a.Chains),
		func() ([]finding.Finding, []string) { return a.Findings, a.Notes }, a.Scope, nil},
		a.Schema, false)
}

// LastAudit gives the document of what several audits saw last, with when each door was seen.
func LastAudit(j *chain.Joined, title string, now time.Time) doc.Doc {
	a := j.Audit
	l := Looked{"audit", title, a.Vantage, a.Canonical, a.Started, now, slices.Values(a.Chains),
		func() ([]finding.Finding, []string) { return a.Findings, a.Notes }, a.Scope, nil}
	if len(j.From) > 1 {
		l.Seen = j.Seen
	}
	d := look(l, a.Schema, false)
	d.About = Joined(j)
	return d
}

// Brief gives a document without its chains.
func Brief(d doc.Doc) doc.Doc {
	blocks := d.Blocks
	d.Blocks = func(yield func(doc.Block) bool) {
		for b := range blocks {
			if _, is := b.(doc.Chain); !is && !yield(b) {
				return
			}
		}
	}
	return d
}

// Look gives the document of a look, whose chains are all followed before it says its verdict.
func Look(l Looked) doc.Doc { return look(l, chain.AuditSchema, false) }

// Stream gives the document of a look over a long list: chains as they come, the verdict last.
func Stream(l Looked) doc.Doc { return look(l, chain.AuditSchema, true) }

func look(l Looked, schema string, late bool) doc.Doc {
	about := fmt.Sprintf("seen from %s, %s", l.Vantage, moment(l.Started))
	if l.Scope.Known() && !l.Scope.Plain() {
		about += "; " + ScopeText(l.Scope, "URL")
	}
	d := doc.Doc{Name: l.Name, Title: l.Title, About: about, Main: doc.ChainsSheet,
		Data: auditData(l, schema, late)}
	d.Blocks = func(yield func(doc.Block) bool) { wholeLook(l, yield) }
	if late {
		d.Title, d.About = "", ""
		d.Blocks = func(yield func(doc.Block) bool) { streamed(l, yield) }
	}
	return d
}

// auditData is an audit as JSON has it, chain by chain.
func auditData(l Looked, schema string, late bool) doc.Object {
	var findings []finding.Finding
	var notes []string
	each := func(yield func(any) bool) {
		for c := range l.Chains {
			c.Findings = inWords(c.Findings)
			if !yield(c) {
				return
			}
		}
	}
	var chains any = doc.Sequence(each)
	if late {
		chains = doc.Lines(each)
	}
	return doc.Object{
		{Name: "schema", Value: schema}, {Name: "vantage", Value: l.Vantage},
		{Name: "canonical", Value: doc.IfSaid(l.Canonical)}, {Name: "started", Value: l.Started},
		{Name: "scope", Value: func() any {
			if l.Scope == nil {
				return nil
			}
			return l.Scope
		}},
		{Name: "chains", Value: chains},
		{Name: "findings", Value: func() any { findings, notes = l.End(); return inWordsOne(findings) }},
		{Name: "notes", Value: func() any { return doc.IfAny(notes)() }},
	}
}

// wholeLook gives the verdict first, then the doors in a line each, what is wrong, and the chains.
func wholeLook(l Looked, yield func(doc.Block) bool) {
	var chains []chain.Chain
	doors := doorList{seen: l.Seen}
	for c := range l.Chains {
		chains = append(chains, c)
		doors.add(c)
	}
	findings, notes := l.End()
	doors.tear(findings)
	top, rest := causeFirst(findings)
	v := doors.verdict(findings)
	if l.Name == "rehearsal" && v.Next == nil && v.Tone == doc.Good {
		v.Next = doc.Cat(doc.Copy("upperpath rehearse --all-steps"), doc.Phrase(words.LooksAfterEach),
			doc.Copy("upperpath runbook"), doc.Phrase(words.GoesThrough))
	}
	blocks := append([]doc.Block{v}, top...)
	at := l.Canonical
	if at == "" {
		at = doors.arriveAt()
	}
	if table, ok := doors.table(l.Canonical, at); ok {
		if blocks = append(blocks, table); at != l.Canonical {
			blocks = append(blocks, doc.Detail{Instead: doc.Phrasef(words.ArrivesThere, at)})
		}
	}
	l.Canonical = at
	if n := doors.entries; n > 0 && len(doors.all) > 0 {
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrasef("plus %s", wording.Count(n, "URL")+perRule(n)), Soft: true})
	}
	blocks = append(blocks, rest...)
	for _, b := range blocks {
		if !yield(b) {
			return
		}
	}
	if !eachChain(slices.Values(chains), l, false, yield) {
		return
	}
	if table, ok := certificatesTable(chains, l.Now); ok && !yield(table) {
		return
	}
	noted(notes, yield)
}

// causeFirst parts the blocks of findings: the first of the worst, and what shows it, stands at the
// top where its cause is known, and nowhere else.
func causeFirst(findings []finding.Finding) (top, rest []doc.Block) {
	rest = findingBlocks(findings)
	f := first(findings)
	if f == nil || f.Why.IsZero() {
		return nil, rest
	}
	at := slices.IndexFunc(rest, func(b doc.Block) bool {
		v, ok := b.(doc.Finding)
		return ok && v.Code == f.Code.String() && slices.Contains(v.Subjects, f.Subject)
	})
	if at < 0 {
		return nil, rest
	}
	top = []doc.Block{rest[at]}
	rest = slices.Delete(rest, at, at+1)
	var seen []string
	for _, key := range []string{"address", "owner", "alias", "server", "via", "location",
		"cache_control", "age",
		"strict_transport_security", "origin_http", "origin_https"} {
		if text, ok := f.Evidence[key].(string); ok && text != "" {
			seen = append(seen, strings.ReplaceAll(key, "_", "-")+": "+text)
		}
	}
	if len(seen) > 0 {
		top = append(top, doc.Detail{Blocks: []doc.Block{
			doc.Facts{{Name: "seen", Value: doc.Phrase(strings.Join(seen, "; "))}}}})
	}
	return top, rest
}

// endsSoon is from when on it is said when the first certificate ends: as long as most of them are
// renewed before.
const endsSoon = 30 * 24 * time.Hour

// certificatesTable gives the certificates that were seen, whose ends come first: one page of dates
// for many hosts.
func certificatesTable(chains []chain.Chain, now time.Time) (doc.Block, bool) {
	type seen struct {
		tls   *chain.TLS
		hosts []string
	}
	var all []*seen
	byKey := map[string]*seen{}
	for i := range chains {
		for j := range chains[i].Hops {
			h := &chains[i].Hops[j]
			if h.TLS == nil || h.TLS.NotAfter.IsZero() {
				continue
			}
			key := fmt.Sprint(h.TLS.Names, h.TLS.Issuer, h.TLS.NotAfter.Unix())
			s := byKey[key]
			if s == nil {
				s = &seen{tls: h.TLS}
				byKey[key] = s
				all = append(all, s)
			}
			if host := h.URL.Host().String(); !slices.Contains(s.hosts, host) {
				s.hosts = append(s.hosts, host)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b *seen) int { return a.tls.NotAfter.Compare(b.tls.NotAfter) })
	t := doc.Table{Sheet: "certificates",
		Head: []string{"certificate ends", "left", "shown by", "issued by"},
		More: doc.Command("--chains") + " shows them all"}
	for _, s := range all {
		tone := doc.Plain
		for _, f := range s.tls.Faults {
			tone = max(tone, doc.ToneOf(f.Row().Severity))
		}
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(dayOf(s.tls.NotAfter).Format(time.DateOnly)), Tone: tone},
				{
					Text: doc.Phrase(timeLeft(s.tls.NotAfter, now)),
					Tone: doc.Plain,
				}, {Text: doc.Phrase(wording.Few(s.hosts, 3)), Tone: doc.Plain},
				{Text: doc.Phrase(s.tls.Issuer), Tone: doc.Plain}})
	}
	if len(all) < 2 {
		return t, false
	}
	first := all[0]
	if first.tls.NotAfter.Sub(now) > endsSoon {
		return doc.Detail{Blocks: []doc.Block{t}}, true
	}
	return doc.Detail{Blocks: []doc.Block{t}, Instead: doc.Phrasef(words.CertificatesEnd, len(all),
		dayOf(first.tls.NotAfter).Format(time.DateOnly),
		timeLeft(first.tls.NotAfter, now), doc.Command("--chains"))}, true
}

func perRule(n int) string {
	if n == 1 {
		return " of a rule"
	}
	return ", one for each rule"
}

// streamed gives chains as they come, and the verdict last.
func streamed(l Looked, yield func(doc.Block) bool) {
	var doors doorList
	ended := false
	each := func(yield func(chain.Chain) bool) {
		for c := range l.Chains {
			doors.count(c)
			if !yield(c) {
				ended = true
				return
			}
		}
	}
	if !eachChain(each, l, true, yield) || ended {
		return
	}
	findings, notes := l.End()
	for _, b := range findingBlocks(findings) {
		if !yield(b) {
			return
		}
	}
	if noted(notes, yield) {
		yield(doors.verdict(findings))
	}
}

func noted(notes []string, yield func(doc.Block) bool) bool {
	for _, n := range notes {
		if !yield(doc.Paragraph{Text: doc.Phrase("note: " + n), Soft: true, Gap: true}) {
			return false
		}
	}
	return true
}

// eachChain gives chains as blocks, the probes of one door together; false where nobody wants more.
func eachChain(chains iter.Seq[chain.Chain], l Looked, lines bool,
	yield func(doc.Block) bool) bool {
	var door []chain.Chain
	shown := map[string]bool{}
	flush := func() bool {
		if len(door) == 0 {
			return true
		}
		all := viewDoor(door, l.Now, lines)
		for i, c := range all {
			if !lines {
				c.Same = tellsNothing(c, shown)
				c.InTable, c.Brief = toldByRow(door[i], c), inBrief(door[i], c, l)
			}
			if !yield(c) {
				return false
			}
		}
		door = nil
		return true
	}
	for c := range chains {
		further := slices.Contains(besideRoot, c.Probe)
		if !further || len(door) > 0 && door[0].Entry.Door() != c.Entry.Door() {
			if !flush() {
				return false
			}
		}
		door = append(door, c)
	}
	return flush()
}

// toldByRow reports whether the line of a door says all of a chain: at most one redirect leads on
// from it, with whatever comes behind its root.
func toldByRow(c chain.Chain, v doc.Chain) bool {
	more := slices.ContainsFunc(v.Further, func(f doc.Further) bool {
		return f.Tone >= doc.Warned || slices.Contains(besideWay, f.About)
	})
	return c.Probe == chain.Root && !v.Fine && !more &&
		(v.Tone <= doc.Noted || len(c.Hops) == 1 || len(c.Hops) == 2 && c.End == chain.Page)
}

// inBrief gives a chain's way in a line: what each hop answered, what is wrong with its
// certificate, and where it ends. nil where somebody asked for this very URL, and wants to see its
// hops.
func inBrief(c chain.Chain, v doc.Chain, l Looked) doc.Text {
	if c.Probe == chain.Asked {
		return nil
	}
	var hops []string
	for _, h := range v.Hops {
		hop := h.Status
		if h.Faults != "" {
			hop += " (" + h.Faults + ")"
		}
		hops = append(hops, hop)
	}
	if len(hops) > mostInBrief {
		hops = append(hops[:mostInBrief-1], "…", hops[len(hops)-1])
	}
	says := strings.Join(hops, ", ")
	switch {
	case c.End == chain.Loop:
		says += ", and round"
	case c.End == chain.Page && len(c.Hops) > 1 && c.Arrival.Door().String() == l.Canonical:
		says += " at " + c.Arrival.RequestURI()
	case c.End == chain.Page && len(c.Hops) > 1:
		says += " at " + c.Arrival.String()
	}
	for _, f := range v.Further {
		lost, _, _ := strings.Cut(f.Says, ":")
		switch {
		case slices.Contains(besideWay, f.About):
			says += "; " + f.About + " " + f.Says
		case f.Tone >= doc.Warned:
			says += ", " + strings.TrimPrefix(f.About, "with a ") + " " + lost
		}
	}
	return doc.Phrase(says)
}

// besideWay is what is said of a chain beside its way: what its other addresses do, and who took
// it.
var besideWay = []string{"and", "met"}

// mostInBrief is how many hops a line holds.
const mostInBrief = 6

// besideRoot are the probes of a door beside that of its root.
var besideRoot = []chain.Probe{chain.Deep, chain.Query, chain.WellKnown, chain.Robots}

// tellsNothing reports whether an old URL's chain fails in no way that was not shown before, and
// notes what it shows.
func tellsNothing(c doc.Chain, shown map[string]bool) bool {
	same := !c.Fine && len(c.Findings) > 0 &&
		(c.Probe == string(chain.ByRule) || c.Probe == string(chain.ByPattern))
	for _, f := range c.Findings {
		key := f.Code + " " + f.Subjects[0]
		same = same && shown[key]
		shown[key] = true
	}
	return same
}

// viewDoor gives the chains of a door as blocks: those whose way is that of the root are said in a
// line of it for a terminal, and all stand in tables.
func viewDoor(door []chain.Chain, now time.Time, lines bool) []doc.Chain {
	all := make([]doc.Chain, 0, len(door))
	for i, c := range door {
		v := viewChain(c, now)
		v.Line = lines
		v.Fine = v.Fine && (lines || c.Probe != chain.Asked) // somebody asked for this one
		if i > 0 && door[0].Probe == chain.Root {
			v.Told = true
		}
		all = append(all, v)
	}
	if door[0].Probe != chain.Root {
		return all
	}
	root := &all[0]
	for i, c := range door[1:] {
		if f, tells := further(c); tells {
			root.Further = append(root.Further, f)
			root.Tone = max(root.Tone, all[i+1].Tone)
		}
		root.Fine = root.Fine && worth(c)
	}
	return all
}

// worth reports whether a chain is fine.
func worth(c chain.Chain) bool {
	return finding.Worst(c.Findings).Rank() <= finding.Note.Rank() && c.Last().Refusal != chain.Unseen
}

func viewChain(c chain.Chain, now time.Time) doc.Chain {
	v := doc.Chain{
		Entry:     c.Entry.String(),
		Probe:     string(c.Probe),
		About:     probeText(c.Probe),
		Tone:      worst(c.Findings),
		Arrival:   c.Arrival.String(),
		Redirects: c.Redirects(),
		End:       string(c.End),
		Stop:      stopText(c),
		Outcome:   outcome(c),
		Fine:      worth(c),
	}
	if c.Last().Refusal == chain.Unseen {
		v.Tone = doc.Unseen
	}
	for _, f := range c.Findings {
		v.Findings = append(v.Findings, viewFinding(f))
	}
	for i, h := range c.Hops {
		v.Hops = append(v.Hops, viewHop(c, h, i, now))
	}
	for _, o := range c.Others {
		if !o.Same {
			v.Further = append(v.Further,
				doc.Further{About: besideWay[0], Says: fact.Text(o.Answer.Does()), Tone: doc.Plain})
			v.Fine = false
		}
	}
	if len(c.SeenBy) > 0 {
		met := doc.Further{About: besideWay[1], Says: strings.Join(c.SeenBy, ", ")}
		v.Further = append(v.Further, met)
		v.Fine = false
	}
	return v
}

func viewHop(c chain.Chain, h chain.Answer, i int, now time.Time) doc.Hop {
	v := doc.Hop{URL: h.URL.String(), Status: statusText(h), Detail: h.Detail, Facts: hopFacts(h),
		Tone: hopTone(c, i)}
	if next, _, ok := h.Next(); ok && !h.IsRedirect() && h.MovesOn() {
		v.Location = next.String()
		v.Facts = append(v.Facts,
			map[string]string{chain.ByHeader: "by a Refresh header", chain.ByMeta: "by its markup",
				chain.ByScript: "by a script"}[h.Soft.By])
	}
	switch {
	case h.Framed != "" && i == len(c.Hops)-1:
		v.Facts = append(v.Facts, "shows "+h.Framed+" in a frame"+frameEnd(c.Frame))
	case h.IsRedirect() && h.Location == "":
		v.Detail = "no Location"
	case h.IsRedirect() && h.Refusal == "":
		v.Location = h.Location
	}
	if h.Refusal != "" && strings.Contains(h.Detail, h.Address) {
		v.Facts = nil
	}
	if h.TLS != nil {
		v.Certificate = certificateLine(h.TLS, now)
		if len(h.TLS.Faults) > 0 {
			v.Faults = strings.Join(finding.Names(h.TLS.Faults), ", ")
			for _, f := range h.TLS.Faults {
				v.FaultTone = max(v.FaultTone, doc.ToneOf(f.Row().Severity))
			}
		}
	}
	return v
}

// frameEnd says how what a page shows in a frame answers.
func frameEnd(frame []chain.Answer) string {
	if len(frame) == 0 {
		return ""
	}
	return " (" + statusText(frame[len(frame)-1]) + ")"
}

// hopTone is how bad it is what was found at a hop.
func hopTone(c chain.Chain, hop int) doc.Tone {
	var at []finding.Finding
	for _, f := range c.Findings {
		if f.Hop != nil && *f.Hop == hop {
			at = append(at, f)
		}
	}
	return worst(at)
}

func statusText(a chain.Answer) string {
	if a.Refusal != "" {
		return string(a.Refusal)
	}
	return fmt.Sprint(a.Status)
}

// hopFacts gives address, name by which it was reached, TLS and time.
func hopFacts(a chain.Answer) []string {
	var facts []string
	switch a.Remembered {
	case chain.MemoRedirect:
		return []string{"remembered: no request is sent"}
	case chain.MemoHSTS:
		return []string{"HSTS: no request is sent"}
	}
	if a.Method != "" {
		facts = append(facts, posted(a))
	}
	if a.Address != "" {
		address := a.Address
		if len(a.Aliases) > 0 {
			address += " (alias " + a.Aliases[len(a.Aliases)-1] + ")"
		}
		facts = append(facts, address)
	}
	if a.TLS != nil {
		version := a.TLS.Version
		if a.TLS.ALPN != "" {
			version += " " + a.TLS.ALPN
		}
		facts = append(facts, version)
	}
	if a.Address != "" {
		facts = append(facts, milliseconds(a.MS))
	}
	return facts
}

// posted says what browsers make of a method at a redirect.
func posted(a chain.Answer) string {
	switch {
	case !a.IsRedirect():
		return a.Method
	case a.NextMethod() == "":
		return fmt.Sprintf("%s becomes GET: what was sent is lost", a.Method)
	}
	return a.Method + " is kept, with what was sent"
}

func milliseconds(ms float64) string {
	if ms < 10 {
		return fmt.Sprintf("%.1f ms", ms)
	}
	return fmt.Sprintf("%.0f ms", ms)
}

// stopText says how a chain ends where that is no page, or where ordinary visitors are stopped.
func stopText(c chain.Chain) string {
	switch c.End {
	case chain.Loop:
		return "↺ back at " + c.Hops[*c.LoopsTo].URL.String()
	case chain.Limit:
		return fmt.Sprintf("… and on: browsers give up after %d redirects", chain.MostHops)
	}
	if c.StoppedAt != nil {
		return fmt.Sprintf("⊘ a warning stops ordinary visitors at %s",
			c.Hops[*c.StoppedAt].URL.Door().String())
	}
	return ""
}

// certificateLine says in one line whose certificate was seen.
func certificateLine(t *chain.TLS, now time.Time) string {
	names := "no name"
	if len(t.Names) > 0 {
		names = wording.Few(t.Names, 2)
	}
	return fmt.Sprintf("certificate for %s, by %s, %s", names, t.Issuer, timeLeft(t.NotAfter, now))
}

func timeLeft(end, now time.Time) string {
	left := end.Sub(now)
	switch {
	case end.IsZero():
		return "end unknown"
	case left < 0:
		return fmt.Sprintf("expired %s ago", wording.Span(-left))
	}
	return wording.Span(left) + " left"
}

// probeText says what a probe was for, for the probes behind the first.
func probeText(p chain.Probe) string {
	switch p {
	case chain.Deep:
		return "with a path"
	case chain.Query:
		return "with a query"
	case chain.ByRule, chain.ByPattern:
		return "by a rule"
	}
	return ""
}

// outcome says in two words how a chain went.
func outcome(c chain.Chain) string {
	switch {
	case c.Last().Refusal == chain.Unseen:
		return "not seen"
	case c.End == chain.NoAnswer:
		return string(c.Last().Refusal)
	case c.End != chain.Page:
		return string(c.End)
	case len(c.Hops) == 1 && c.Last().Status == 200:
		return "the site"
	case len(c.Hops) == 1:
		return fmt.Sprint(c.Last().Status)
	}
	return wording.Count(len(c.Hops)-1, "hop")
}

// further says how a further probe of a door went, and whether that tells something new.
func further(c chain.Chain) (doc.Further, bool) {
	if c.Probe == chain.WellKnown || c.Probe == chain.Robots || c.End == chain.NoAnswer ||
		c.End == chain.Loop ||
		len(c.Hops) == 1 {
		return doc.Further{}, false
	}
	f := doc.Further{About: probeText(c.Probe)}
	kept := c.Probe == chain.Deep && strings.HasSuffix(c.Arrival.Path(), c.Entry.Path()) ||
		c.Probe == chain.Query && web.QueryHolds(c.Arrival.Query(), c.Entry.Query())
	switch {
	case c.End != chain.Page:
		f.Says = string(c.End)
	case kept:
		f.Says, f.Tone = "kept", doc.Good
	default:
		f.Says = "lost: arrives at " + c.Arrival.String()
	}
	if w := finding.Worst(c.Findings); w != "" && f.Tone != doc.Good {
		f.Tone = doc.ToneOf(w)
	}
	return f, true
}

// doorList is the doors of an audit with what was met at each.
type doorList struct {
	seen    map[string]time.Time // when each chain was seen; nil: all at once
	all     []*doorSeen
	byDoor  map[web.Door]*doorSeen
	chains  int
	unseen  int // chains that this vantage could not follow to their end
	entries int // chains that are no door's
	rules   int // rules, of those, that do not work
	urls    int // old URLs, of those, that do not
	lived   int // doors of which somebody lives with what is wrong
	doors   int // also where they are not listed
	clean   int
}

type doorSeen struct {
	door     web.Door
	outcome  string
	arrival  web.URL
	arrives  bool
	severity finding.Severity
	codes    []finding.Code // the worst first
	unseen   bool
	at       time.Time // when it was seen, where not all were at once
	accepted bool      // somebody lives with what is wrong there
}

// add takes in a chain.
func (l *doorList) add(c chain.Chain) {
	l.chains++
	dark := c.Last().Refusal == chain.Unseen
	if dark {
		l.unseen++
	}
	if c.Probe != chain.Root && !slices.Contains(besideRoot, c.Probe) {
		l.entries++
		if finding.Worst(c.Findings).Rank() > finding.Note.Rank() {
			if c.Probe == chain.Asked {
				l.urls++
			} else {
				l.rules++
			}
		}
		return
	}
	if l.byDoor == nil {
		l.byDoor = map[web.Door]*doorSeen{}
	}
	d := l.byDoor[c.Entry.Door()]
	if d == nil {
		d = &doorSeen{door: c.Entry.Door(), outcome: outcome(c), arrival: c.Arrival,
			arrives: c.End == chain.Page}
		l.byDoor[d.door] = d
		l.all = append(l.all, d)
	}
	d.unseen = d.unseen || dark
	if at := l.seen[c.Key()]; d.at.IsZero() || at.Before(d.at) {
		d.at = at
	}
	for _, f := range c.Findings {
		switch {
		case !f.Open():
			d.accepted = true
		case f.Severity == finding.Note && !strings.HasPrefix(f.Subject, c.Entry.Door().String()):
			// it is of where the door leads, and said there
		case slices.Contains(d.codes, f.Code):
		case f.Severity.Rank() > d.severity.Rank():
			d.severity = f.Severity
			d.codes = slices.Insert(d.codes, 0, f.Code)
		default:
			d.codes = append(d.codes, f.Code)
		}
	}
}

// tear takes in that not all say the same about the addresses of a host, so that none of its doors
// is ticked.
func (l *doorList) tear(findings []finding.Finding) {
	for _, f := range findings {
		host, _, _ := strings.Cut(f.Subject, " ")
		if f.Code != finding.SplitAnswers || !f.Open() || f.Severity.Rank() <= finding.Note.Rank() {
			continue
		}
		for _, d := range l.all {
			if d.door.Host.String() != host || slices.Contains(d.codes, f.Code) {
				continue
			}
			if f.Severity.Rank() > d.severity.Rank() {
				d.severity = f.Severity
				d.codes = slices.Insert(d.codes, 0, f.Code)
				continue
			}
			d.codes = append(d.codes, f.Code)
		}
	}
}

// count takes in a chain of a long list, of which nothing more is kept than the last door.
func (l *doorList) count(c chain.Chain) {
	if n := len(l.all); n > 0 && l.all[n-1].door != c.Entry.Door() {
		l.sum()
		l.all, l.byDoor = nil, nil
	}
	l.add(c)
}

func (l *doorList) sum() {
	for _, d := range l.all {
		l.doors++
		if d.accepted && d.severity.Rank() <= finding.Note.Rank() && !d.unseen {
			l.lived++
			continue
		}
		if d.severity.Rank() <= finding.Note.Rank() && !d.unseen {
			l.clean++
		}
	}
}

// verdict says in one sentence how an audit went, and what to do next.
func (l *doorList) verdict(findings []finding.Finding) doc.Verdict {
	rest := *l
	rest.sum()
	v := doc.Verdict{Tone: worst(findings), Says: doc.Phrase(rest.sentence(findings))}
	switch {
	case l.chains == 0 && len(findings) == 0:
		v.Says, v.Tone = doc.Phrase(words.FollowedNothing), doc.Unseen
	case l.unseen > 0 && l.unseen == l.chains:
		v.Says, v.Tone = doc.Phrase(words.SawNothing), max(v.Tone, doc.Unseen)
	case l.unseen > 0:
		v.Says = doc.Cat(v.Says,
			doc.Phrasef(words.SomeUnseen, wording.Count(l.unseen, "chain"),
				l.chains))
		v.Tone = max(v.Tone, doc.Unseen)
	}
	if f := first(findings); f != nil {
		v.Next = doc.Cat(doc.Phrase(words.BeginWith), doc.Copy(f.Code.String()),
			doc.Phrasef(" at %s; ", f.Subject),
			doc.Copy("upperpath explain "+f.Code.String()), doc.Phrase(words.Means))
		v.Brief = doc.Cat(doc.Phrase(words.BeginWith), doc.Copy(f.Code.String()), doc.Phrase("; "),
			doc.Copy("upperpath explain "+f.Code.String()), doc.Phrase(words.Means))
	}
	return v
}

// first gives the first of the worst findings, nil where there is nothing to mend.
func first(all []finding.Finding) *finding.Finding {
	w := finding.Worst(all)
	for i := range all {
		if all[i].Severity == w && all[i].Open() && w.Rank() > finding.Note.Rank() {
			return &all[i]
		}
	}
	return nil
}

// sentence says how many of the doors work, and what was found.
func (l *doorList) sentence(findings []finding.Finding) string {
	bad := finding.Count(findings, finding.Error) + finding.Count(findings, finding.Warning)
	switch {
	case l.doors == 0:
		return sentence(findings)
	case bad == 0 && l.lived > 0:
		return words.DoorsBut(l.doors, l.clean, l.lived)
	case bad == 0:
		return words.Doors(l.doors, l.clean, 0, 0, "")
	}
	said := words.Doors(l.doors, l.clean, l.rules, l.urls, counted(findings))
	if l.lived > 0 {
		said += fmt.Sprintf(words.MoreAccepted, wording.Count(l.lived, "further door"))
	}
	return said
}

// arriveAt gives the door at which all doors arrive that arrive elsewhere, "" where they differ.
func (l *doorList) arriveAt() string {
	at := ""
	for _, d := range l.all {
		to := d.arrival.Door()
		switch {
		case !d.arrives || to == d.door:
		case at != "" && at != to.String():
			return ""
		default:
			at = to.String()
		}
	}
	return at
}

// mostDoors is how many doors are listed where all of them are; of more, only those with something
// to see.
const mostDoors = 40

// table gives the doors, a line each. A terminal is shown the paths alone of those that arrive at
// one door.
func (l *doorList) table(canonical, at string) (doc.Table, bool) {
	t := doc.Table{Sheet: "doors", Head: []string{"door", "result", "arrives at"}, Order: true,
		Worth: len(l.all) > mostDoors, More: doc.Command("--format csv") + " has them all"}
	for _, d := range l.all {
		tone, met := doc.ToneOf(d.severity), d.outcome
		switch {
		case d.unseen:
			tone = doc.Unseen
		case len(d.codes) > 0:
			met = strings.Join(finding.Names(d.codes), ", ")
		case d.accepted:
			tone, met = doc.Noted, words.AcceptedWord
		}
		arrival := d.arrival.String()
		if canonical != "" && d.arrival.Door().String() == canonical {
			arrival = d.arrival.RequestURI()
		}
		var brief doc.Text
		if d.arrives && d.arrival.Door() != d.door {
			brief = doc.Phrase(strings.TrimPrefix(arrival, "https://"))
			if d.arrival.Door().String() == at {
				brief = doc.Phrase(d.arrival.RequestURI())
			}
		}
		switch {
		case !d.arrives && d.unseen:
			arrival = words.ArrivalUnknown
		case !d.arrives:
			arrival = "nowhere"
		case d.arrival.Door() == d.door:
			arrival = "(itself)"
		}
		row := []doc.Cell{{Text: doc.Phrase(doorText(d.door)), Tone: doc.Plain},
			{Text: doc.Phrase(met), Tone: tone, Brief: briefCodes(d)},
			{Text: doc.Phrase(arrival), Brief: brief}}
		if l.seen != nil {
			row = append(row, doc.Cell{Text: doc.Phrase(d.at.Local().Format(seenForm)), Tone: doc.Plain})
		}
		t.Rows = append(t.Rows, row)
	}
	if l.seen != nil {
		t.Head = append(t.Head, "seen")
	}
	return t, len(t.Rows) > 0
}

// briefCodes names the worst that was met at a door, and counts the rest; nil where all of it is as
// bad, or short.
func briefCodes(d *doorSeen) doc.Text {
	names := finding.Names(d.codes)
	if d.unseen || len(names) < 2 || len(names) == 2 && len(names[0]+names[1]) <= widestCodes {
		return nil
	}
	return doc.Phrasef("%s +%d", names[0], len(names)-1)
}

// widestCodes is how many letters two codes may have that stand in a line of a door.
const widestCodes = 24

// seenForm is how it is written in a table when something was seen.
const seenForm = "2006-01-02 15:04"

// doorText gives a door as a person reads it.
func doorText(d web.Door) string {
	if h := d.Host.Unicode(); h != d.Host.String() {
		return strings.Replace(d.String(), d.Host.String(), h, 1)
	}
	return d.String()
}
