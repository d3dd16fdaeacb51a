package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Awaiting is a wait for what a plan wants.
type Awaiting struct {
	Canonical string
	Vantage   string
	Started   time.Time
	Ended     time.Time
	Silent    []string // domains whose name servers nobody named
	// domains that the zone above does not delegate, with that zone
	// by now; nil: none
	Undelegated func() map[string]string
	Notes       []string
	Board       *await.Board
}

// SawNothing reports whether nobody has answered at all.
func (a *Awaiting) SawNothing() bool {
	return !slices.ContainsFunc(a.Board.Items(), func(i await.Item) bool {
		return i.State != expect.Unseen && i.State != expect.NotAsked
	})
}

// Await is what came of a wait; all shows what is there, too.
func Await(a *Awaiting, all bool) doc.Doc {
	items := a.Board.Items()
	missing := a.Board.Missing(a.Ended)
	d := doc.Doc{Name: "await", Title: "Waiting for the plan: every door to " + a.Canonical,
		About: "seen from " + a.Vantage + ", " + a.Ended.Format(clockForm), Main: "awaited"}
	v := awaitVerdict(a, missing, a.Ended)
	if v.Tone == doc.Warned { // it is over, and not all is there
		v.Tone = doc.Failed
	}
	blocks := append([]doc.Block{v}, awaitCauses(a, missing)...)
	found, not := asked(missing)
	if len(found) > 0 {
		blocks = append(blocks, awaitTable(found, a.Ended, -1))
	}
	if len(not) > 0 {
		blocks = append(blocks, notAsked(not))
	}
	var there []await.Item
	for _, i := range items {
		if all && i.State == expect.There {
			there = append(there, i)
		}
	}
	if len(there) > 0 {
		t := awaitTable(there, a.Ended, -1)
		t.Sheet = ""
		blocks = append(blocks,
			doc.Detail{Blocks: []doc.Block{doc.Heading{Level: 3, Text: "Live"}, t}})
	}
	for _, domain := range a.Silent {
		a.Notes = append(a.Notes,
			fmt.Sprintf("The name servers of %s are unknown, so they were not asked.", domain))
	}
	for i, n := range a.Notes {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(n), Soft: true, Gap: i == 0})
	}
	blocks = append(blocks, awaitSheet(items, a.Ended))
	d.Blocks, d.Data = doc.Of(blocks...), awaitData(a)
	return d
}

// AwaitNow is how far a wait is, its verdict last: in a table of so many rows at most, with so many
// causes.
func AwaitNow(a *Awaiting, now time.Time, rows, causes int) doc.Doc {
	missing := a.Board.Missing(now)
	var blocks []doc.Block
	found, not := asked(missing)
	if len(found) > 0 && rows > 0 {
		blocks = append(blocks, awaitTable(found, now, rows))
	}
	if more := len(awaitRows(found)) - rows; more > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef("and %d more", more), Soft: true})
	}
	if len(not) > 0 && rows > 0 {
		blocks = append(blocks, notAsked(not))
	}
	for _, c := range awaitCauses(a, missing) {
		if l, is := c.(doc.List); is && causes > 0 {
			l.Items = l.Items[:min(len(l.Items), causes)]
			blocks = append(blocks, l)
		}
	}
	return doc.Doc{Name: "await", Blocks: doc.Of(append(blocks, awaitVerdict(a, missing, now))...)}
}

// VerdictLast gives a document whose verdict stands at its end: where a terminal shows that alone
// of what is long.
func VerdictLast(d doc.Doc) doc.Doc {
	all := d.Blocks
	d.Blocks = func(yield func(doc.Block) bool) {
		var last []doc.Block
		for b := range all {
			if _, is := b.(doc.Verdict); is {
				last = append(last, b)
			} else if !yield(b) {
				return
			}
		}
		for _, b := range last {
			if !yield(b) {
				return
			}
		}
	}
	return d
}

// AwaitBegins is how things stand after the first look, in one line.
func AwaitBegins(a *Awaiting, now time.Time) string {
	counts := map[expect.State]int{}
	for _, i := range a.Board.Items() {
		counts[i.State]++
	}
	var parts []string
	for _, s := range []expect.State{expect.There, expect.Old, expect.Nothing, expect.Other,
		expect.Unseen, expect.NotAsked} {
		if counts[s] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[s], stateText(&await.Item{State: s})))
		}
	}
	return fmt.Sprintf("%s  first look at %s: %s", now.Format("15:04:05"),
		wording.Count(len(a.Board.Items()), "thing"),
		strings.Join(parts, ", "))
}

// AwaitLine is a change in one line.
func AwaitLine(c await.Change) string {
	i := &c.Item
	where := ""
	if i.Place.Kind != expect.Vantage {
		where = " at " + i.Place.Name
	}
	line := fmt.Sprintf("%s  %-9s  %s%s: %s", c.At.Format("15:04:05"), stateText(i), awaitSubject(i),
		where, i.Says)
	if i.State != expect.There && i.Until.After(c.At) {
		line += fmt.Sprintf("; at most %s more", wording.SpanUp(i.Until.Sub(c.At)))
	}
	if why := i.Why.String(); why != "" && why != i.Says.String() {
		line += "; " + why
	}
	return line
}

func awaitVerdict(a *Awaiting, missing []await.Item, now time.Time) doc.Verdict {
	all := len(a.Board.Items())
	waited := shortSpan(now.Sub(a.Started))
	asked := fmt.Sprintf(words.Waited, waited, wording.Count(a.Board.Asked(), "question"))
	switch {
	case all == 0:
		return doc.Verdict{Tone: doc.Noted,
			Says: doc.Phrase(words.NothingToAwait)}
	case len(missing) == 0:
		return doc.Verdict{Tone: doc.Good, Says: doc.Phrasef(words.AllLive, words.Live(all), asked)}
	}
	v := doc.Verdict{
		Tone: doc.Warned,
		Says: doc.Phrasef(words.SomeLive, all-len(missing), all,
			wording.Verb(all-len(missing), "is", "are"), asked),
	}
	causes, unseen, notYet := 0, 0, 0
	for i := range missing {
		if missing[i].Cause != await.NoCause && missing[i].State != expect.Unseen {
			causes++
		}
		switch missing[i].State {
		case expect.Unseen:
			unseen++
		case expect.NotAsked:
			notYet++
		}
	}
	until, known := a.Board.Until()
	switch {
	case causes > 0:
		v.Tone = doc.Failed
		v.Next = doc.Phrasef(words.CausesShown, wording.Count(causes, "item"))
	case unseen > 0 && unseen+notYet == len(missing):
		v.Tone = doc.Unseen
		v.Next = doc.Phrase(words.OthersSilent)
		if slices.ContainsFunc(missing, func(i await.Item) bool { return i.Cause != await.NoCause }) {
			v.Next = doc.Phrasef(words.UnseenCauses, wording.Count(unseen, "item"))
		}
	case known:
		v.Next = doc.Phrasef(
			words.ByTTLs,
			until.In(now.Location()).Format(clockForm),
			wording.SpanUp(until.Sub(now)),
		)
	case !slices.ContainsFunc(missing, func(i await.Item) bool {
		return i.Place.Kind != expect.Vantage
	}):
		v.Next = doc.Phrase(words.DoorsFollow)
	default:
		v.Next = doc.Phrase(words.NoEstimate)
		if most := longest(missing); most > 0 {
			v.Next = doc.Cat(v.Next,
				doc.Phrasef(words.ThenResolvers, wording.DurationUp(most)))
		}
	}
	return v
}

// longest is for how long resolvers may keep what one of these was, in seconds; 0 where nobody
// knows.
func longest(items []await.Item) int {
	most := 0
	for _, i := range items {
		most = max(most, i.Lasts)
	}
	return most
}

func stateText(i *await.Item) string {
	if i.State == expect.NotAsked {
		return "not asked"
	}
	return string(i.State)
}

func stateTone(i *await.Item, now time.Time) doc.Tone {
	switch {
	case i.State == expect.There:
		return doc.Good
	case i.State == expect.Unseen:
		return doc.Unseen
	case i.Cause != await.NoCause || i.Overdue(now):
		return doc.Failed
	case i.State == expect.NotAsked:
		return doc.Unseen
	}
	return doc.Warned
}

// shortSpan gives a time that somebody waits, by the second where it is short.
func shortSpan(d time.Duration) string {
	if d < time.Minute {
		return fmt.Sprintf("%d s", max(0, int(d.Seconds())))
	}
	return wording.Span(d)
}

// leftText says at most how long something can still take.
func leftText(i *await.Item, now time.Time) string {
	switch {
	case i.State == expect.There:
		return ""
	case i.Overdue(now):
		return "overdue"
	case i.Until.After(now):
		return wording.SpanUp(i.Until.Sub(now))
	case !i.Until.IsZero():
		return "any moment"
	case i.Lasts > 0:
		return wording.SpanUp(time.Duration(i.Lasts)*time.Second) + " from the change on"
	}
	return ""
}

// awaitRow is items that are alike but for where they are seen.
type awaitRow struct {
	item   *await.Item
	places []*expect.Place
}

// awaitRows puts items together that are alike but for their place.
func awaitRows(items []await.Item) []awaitRow {
	type key struct {
		subject, says, left string
		what                await.What
		state               expect.State
		cause               await.Cause
		kind                expect.PlaceKind
	}
	at := map[key]int{}
	var rows []awaitRow
	for n := range items {
		i := &items[n]
		k := key{i.Subject, i.Says.String(), i.Until.Format(time.TimeOnly), i.What, i.State, i.Cause,
			i.Place.Kind}
		if row, known := at[k]; known {
			rows[row].places = append(rows[row].places, i.Place)
			continue
		}
		at[k] = len(rows)
		rows = append(rows, awaitRow{i, []*expect.Place{i.Place}})
	}
	return rows
}

// where names the places of a row, in few words where they are many.
func (r *awaitRow) where() string {
	kind := map[expect.PlaceKind]string{expect.NameServer: "name server",
		expect.Resolver: "resolver"}[r.item.Place.Kind]
	if len(r.places) > 1 && kind != "" {
		return wording.Count(len(r.places), kind)
	}
	p := r.places[0]
	switch {
	case p.Kind == expect.Vantage:
		return "door"
	case p.Host != "":
		return p.Host
	}
	return p.Name
}

// awaitTable shows items in so many rows at most; -1: in all that there are.
func awaitTable(items []await.Item, now time.Time, most int) doc.Table {
	t := doc.Table{Sheet: "awaiting", Head: []string{"what", "is", "where", "at most"}}
	bounded := slices.ContainsFunc(items, func(i await.Item) bool { return leftText(&i, now) != "" })
	if !bounded {
		t.Head = t.Head[:3]
	}
	for n, r := range awaitRows(items) {
		if most >= 0 && n >= most {
			break
		}
		i := r.item
		row := []doc.Cell{{Text: doc.Phrase(awaitSubject(i))},
			{Text: doc.Phrase(awaitIs(i)), Tone: stateTone(i, now)}, {Text: doc.Phrase(r.where())}}
		if bounded {
			row = append(row, doc.Cell{Text: doc.Phrase(leftText(i, now))})
		}
		t.Rows = append(t.Rows, row)
	}
	if most < 0 {
		t.More = doc.Command("--format csv") + " has them all"
	}
	return t
}

// mostSaid is how much of what is there stands in a table.
const mostSaid = 34

// awaitIs says how far an item is, and what is there in a few words.
func awaitIs(i *await.Item) string {
	says := i.Says.String()
	if i.What != await.Record {
		says = strings.TrimSpace(strings.TrimPrefix(says, strings.TrimSuffix(i.Subject, "/")))
	}
	if says == "" || says == string(i.State) || i.State == expect.Nothing && says == "nothing" {
		return stateText(i)
	}
	return stateText(i) + ": " + wording.Cut(says, mostSaid)
}

// asked divides items into those that somebody was asked about, and the others.
func asked(items []await.Item) (all, not []await.Item) {
	for _, i := range items {
		if i.State == expect.NotAsked {
			not = append(not, i)
		} else {
			all = append(all, i)
		}
	}
	return all, not
}

// notAsked says what was not asked yet, and why.
func notAsked(items []await.Item) doc.Block {
	resolvers, doors := 0, map[string]bool{}
	for _, i := range items {
		if i.Place.Kind == expect.Vantage {
			doors[i.Subject] = true
		} else {
			resolvers++
		}
	}
	var parts []string
	if resolvers > 0 {
		parts = append(parts, wording.Count(resolvers, "record")+" at resolvers")
	}
	if len(doors) > 0 {
		parts = append(parts, wording.Count(len(doors), "door"))
	}
	return doc.Paragraph{
		Text: doc.Phrasef("%s not asked yet: their name servers do not have the planned values, and a "+
			"resolver asked now would keep what it finds.", wording.UpperFirst(wording.And(parts)+" "+
			wording.Verb(resolvers+len(doors), "is", "are"))), Soft: true, Gap: true}
}

// awaitSubject names an item: a record set, or what is seen at a door.
func awaitSubject(i *await.Item) string {
	if i.What == await.Certificate {
		return "certificate of " + unicodeName(i.Host)
	}
	if i.What == await.Record {
		return unicodeName(i.Host) + strings.TrimPrefix(i.Subject, i.Host)
	}
	return i.Subject
}

// awaitCauses says why things are not there, each cause once, and what to do.
func awaitCauses(a *Awaiting, missing []await.Item) []doc.Block {
	var items []doc.Text
	var said []string
	tone := doc.Unseen
	var undelegated map[string]string
	if a.Undelegated != nil {
		undelegated = a.Undelegated()
	}
	for _, domain := range slices.Sorted(maps.Keys(undelegated)) {
		f := fact.NotDelegated{Domain: domain, Above: undelegated[domain]}
		said = append(said, fact.Of(f, fact.Says).String())
		items = append(items, doc.Cat(doc.Phrasef("%s ", fact.Of(f, fact.Says)),
			doc.Text{{Text: fact.Of(f, fact.Do).String(), As: doc.Strong}}))
	}
	for n := range missing {
		i := &missing[n]
		if i.Why.String() != "" && i.State != expect.Unseen {
			tone = doc.Failed
		}
		why := i.Why.String()
		if why == "" || slices.Contains(said, why) {
			continue
		}
		said = append(said, why)
		about := ""
		if i.What != await.Record {
			about = awaitSubject(i) + ": "
		}
		items = append(items,
			doc.Cat(doc.Phrasef("%s%s ", about, why), doc.Text{{Text: i.Fix.String(), As: doc.Strong}}))
	}
	if len(items) == 0 {
		return nil
	}
	return []doc.Block{doc.List{Title: "Causes and what to do", Items: items, Tone: tone,
		More: doc.Command("--format json") +
			" has them all"}}
}

// awaitSheet is everything for spreadsheets.
func awaitSheet(items []await.Item, now time.Time) doc.Data {
	d := doc.Data{
		Sheet: "awaited",
		Head: []string{"kind", "domain", "subject", "place", "state", "there now", "wanted", "asked",
			"at the latest", "overdue", "cause", "why", "remedy"},
	}
	stamp := func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.UTC().Format(time.RFC3339)
	}
	for n := range items {
		i := &items[n]
		d.Rows = append(d.Rows,
			[]string{string(i.What), i.Domain, i.Subject, i.Place.Name, string(i.State), i.Says.String(),
				i.Wanted.String(),
				stamp(i.Asked), stamp(i.Until), map[bool]string{true: "yes"}[i.Overdue(now)], string(i.Cause),
				i.Why.String(), i.Fix.String()})
	}
	return d
}

type itemJSON struct {
	Kind    string    `json:"kind"`
	Domain  string    `json:"domain,omitempty"`
	Subject string    `json:"subject"`
	Place   string    `json:"place"`
	State   string    `json:"state"`
	Now     string    `json:"now,omitempty"`
	Wanted  string    `json:"wanted"`
	Asked   time.Time `json:"asked,omitzero"`
	Until   time.Time `json:"until,omitzero"`
	Lasts   int       `json:"lasts,omitempty"`
	Overdue bool      `json:"overdue,omitempty"`
	Cause   string    `json:"cause,omitempty"`
	Why     string    `json:"why,omitempty"`
	Fix     string    `json:"fix,omitempty"`
}

// awaitData is a wait as JSON has it, item by item: there may be very many.
func awaitData(a *Awaiting) doc.Object {
	items := a.Board.Items()
	there := 0
	for _, i := range items {
		if i.State == expect.There {
			there++
		}
	}
	made := func(yield func(any) bool) {
		for n := range items {
			i := &items[n]
			if !yield(itemJSON{Kind: string(i.What), Domain: i.Domain, Subject: i.Subject,
				Place: i.Place.Name,
				State: string(i.State), Now: i.Says.String(), Wanted: i.Wanted.String(), Asked: utc(i.Asked),
				Until:   utc(i.Until),
				Lasts:   i.Lasts,
				Overdue: i.Overdue(a.Ended), Cause: string(i.Cause), Why: i.Why.String(),
				Fix: i.Fix.String()}) {
				return
			}
		}
	}
	return doc.Object{{Name: "schema", Value: "upperpath/await/1"},
		{Name: "canonical", Value: a.Canonical}, {Name: "vantage", Value: a.Vantage},
		{Name: "started", Value: a.Started.UTC()}, {Name: "ended", Value: a.Ended.UTC()},
		{Name: "there", Value: there}, {Name: "missing", Value: len(items) - there},
		{Name: "questions", Value: a.Board.Asked()}, {Name: "items", Value: doc.Sequence(made)},
		{Name: "silent", Value: doc.IfAny(a.Silent)}, {Name: "notes", Value: doc.IfAny(a.Notes)}}
}

func utc(t time.Time) time.Time {
	if t.IsZero() {
		return t
	}
	return t.UTC()
}

// AwaitBrief is the verdict on a wait alone.
func AwaitBrief(a *Awaiting) doc.Doc {
	return doc.Doc{Name: "await", Blocks: doc.Of(awaitVerdict(a, a.Board.Missing(a.Ended), a.Ended))}
}
