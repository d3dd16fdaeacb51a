package report

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// zoneTable gives the zones, a line each.
func zoneTable(p *plan.Plan) doc.Table {
	t := doc.Table{Sheet: "zones", Head: []string{"zone", "typed at", "changes", "stay", "seen"},
		Order: true,
		More:  doc.Command("--format json") + " has them all"}
	for _, z := range p.Zones {
		if z.Seen == nil {
			continue
		}
		changes, stays := countChanges(z)
		at := z.RecordsAt
		var brief doc.Text
		if z.Move != nil {
			at = fmt.Sprintf("%s, from the move on %s", z.Present, z.Next)
			brief = doc.Phrasef("%s, then %s", z.Present, z.Next)
		}
		row := doc.Cells(unicodeName(z.Name), at, fmt.Sprint(changes), fmt.Sprint(stays), seenText(z))
		row[1].Brief, row[4].Brief = brief, seenBriefly(z, p.Age())
		t.Rows = append(t.Rows, row)
	}
	return t
}

func countChanges(z zone.Zone) (changes, stays int) {
	for _, c := range z.Changes {
		if c.Step > 0 {
			changes++
		} else {
			stays++
		}
	}
	return changes, stays
}

// seenText says when a zone was seen, and what was not.
func seenText(z zone.Zone) string {
	seen := z.Seen.Format(time.DateOnly)
	if z.Partial {
		seen += ", partial"
	}
	if n := len(z.Missed); n > 0 {
		seen += fmt.Sprintf(", %s not answered", wording.Count(n, "question"))
	}
	if z.Remaining {
		seen += ", through a resolver"
	}
	return seen
}

// seenBriefly says how much of a zone was seen; nil where there is more to say.
func seenBriefly(z zone.Zone, age time.Duration) doc.Text {
	switch {
	case len(z.Missed) > 0 || z.Remaining || age > seenLongAgo:
		return nil
	case z.Partial:
		return doc.Phrase("in part")
	}
	return doc.Phrase("all")
}

// zoneBlocks gives the changes of each zone, which a terminal shows where they are asked for.
func zoneBlocks(p *plan.Plan) []doc.Block {
	var blocks []doc.Block
	data := doc.Data{Sheet: "changes",
		Head: []string{"zone", "step", "do", "name", "type", "today", "afterwards", "why"}}
	for _, z := range p.Zones {
		if z.Seen == nil {
			continue
		}
		blocks = append(blocks, changesOf(z)...)
		for _, c := range z.Changes {
			data.Rows = append(data.Rows,
				[]string{unicodeName(z.Name), fmt.Sprint(c.Step), string(c.Action), c.Name, c.Type,
					strings.Join(c.Before, ", "), strings.Join(c.After, ", "),
					doc.Unmarked(words.Because(c.Reasons))})
		}
	}
	return []doc.Block{doc.Detail{Blocks: blocks,
		Instead: doc.Phrasef(words.PlanMore, doc.Command("--all"),
			doc.Command("upperpath plan NAME"))}, data}
}

// changesOf gives a zone's changes as they are today and afterwards, what stays, and how its TTLs
// are led.
func changesOf(z zone.Zone) []doc.Block {
	t := doc.Table{Head: []string{"", "name", "type", "today", "afterwards", "why"}, Key: 3}
	reasons := map[string][]string{}
	var order []string
	for _, c := range z.Changes {
		label, why := record.Label(c.Name, z.Name), words.Because(c.Reasons)
		if c.Step == 0 {
			if reasons[why] == nil {
				order = append(order, why)
			}
			reasons[why] = append(reasons[why], label+" "+c.Type)
			continue
		}
		today, afterwards := beforeAndAfter(c)
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(fmt.Sprint(c.Step))}, {Text: doc.Phrase(label)},
				{Text: doc.Phrase(c.Type)},
				{Text: today}, {Text: afterwards}, {Text: doc.Phrase(why)}})
	}
	changes, stays := countChanges(z)
	facts := []string{wording.Count(changes, "change")}
	switch {
	case z.Move != nil:
		facts = append(facts,
			fmt.Sprintf("typed at %s from the move on, until then at %s", z.Next, z.Present))
	case z.RecordsAt != "":
		facts = append(facts, "typed at "+z.RecordsAt)
	}
	facts = append(facts, wording.Count(stays, "record set")+" "+wording.Verb(stays, "stays", "stay"),
		"seen "+seenText(z))
	blocks := []doc.Block{
		doc.Heading{Level: 2, Text: "Changes in " + unicodeName(z.Name),
			About: strings.Join(facts, "; ")}}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	if len(order) > 0 {
		stay := doc.Table{Head: []string{"what stays", "why"}}
		for _, why := range order {
			stay.Rows = append(stay.Rows, doc.Cells(strings.Join(reasons[why], ", "), why))
		}
		blocks = append(blocks, stay)
	}
	if ttl := ttlTable(z); len(ttl.Rows) > 0 {
		blocks = append(blocks, ttl)
	}
	for _, l := range append(absentText(z), moveText(z)...) {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(l)})
	}
	return blocks
}

// beforeAndAfter gives the values of a record set today and afterwards.
func beforeAndAfter(c act.Change) (today, afterwards doc.Text) {
	list := func(values []string) doc.Text {
		short := make([]string, len(values))
		for i, v := range values {
			short[i] = wording.Cut(v, 60)
		}
		return doc.Stack(short)
	}
	today, afterwards = list(c.Before), list(c.After)
	if len(today) == 0 {
		today = doc.Text{{Text: "(nothing)", As: doc.Faint}}
	}
	if len(afterwards) == 0 {
		afterwards = doc.Text{{Text: "(removed)", As: doc.Faint}}
	}
	if more := beside(c); more != nil {
		afterwards = doc.Cat(list(more), doc.NewLine,
			doc.Text{{Text: fmt.Sprintf("beside the %d that %s", len(c.Before),
				wording.Verb(len(c.Before), "stays", "stay")), As: doc.Faint}})
	}
	switch {
	case c.Through == "" || c.Action == act.Keep:
	case len(c.Typed) == 0:
		afterwards = doc.Cat(afterwards, doc.NewLine,
			doc.Phrasef("through %s: type nothing, the other record brings it", c.Through))
	case c.TypedAs != c.Type:
		afterwards = doc.Cat(
			afterwards,
			doc.NewLine,
			doc.Phrasef("through %s: type %s %s", c.Through, c.TypedAs, strings.Join(c.Typed, ", ")),
		)
	default:
		afterwards = doc.Cat(afterwards, doc.NewLine,
			doc.Phrasef("through %s: type %s", c.Through, strings.Join(c.Typed, ", ")))
	}
	return today, afterwards
}

// beside gives the values that join a set from which nothing goes, nil where something goes.
func beside(c act.Change) []string {
	var more []string
	for _, v := range c.After {
		if !slices.Contains(c.Before, v) {
			more = append(more, v)
		}
	}
	if len(c.After) != len(c.Before)+len(more) || len(c.Before) == 0 || len(more) == 0 {
		return nil
	}
	return more
}

// ttlTable says how TTLs are led around the changes, those that go together in one row.
func ttlTable(z zone.Zone) doc.Table {
	type around struct{ seen, lower, wait, raise int }
	sets := map[around][]string{}
	var order []around
	for _, t := range z.TTLs {
		if t.LowerBefore == 0 && slices.ContainsFunc(z.Changes, func(c act.Change) bool {
			return c.Action == act.Remove && c.Name == t.Name && c.Type == t.Type
		}) {
			continue // it goes, and nothing is to be typed before
		}
		a := around{t.Seen, t.LowerBefore, t.WaitAfter, t.RaiseTo}
		if sets[a] == nil {
			order = append(order, a)
		}
		sets[a] = append(sets[a], record.Label(t.Name, z.Name)+" "+t.Type)
	}
	t := doc.Table{Head: []string{"TTL of", "today", "lower to", "by when", "then wait",
		"raise a day later"}}
	for _, a := range order {
		lower, by, raise := "short enough", "", ""
		if a.lower > 0 {
			lower = wording.DurationText(act.MovingTTL)
			by = wording.DurationText(a.lower) + " before the change"
		}
		if a.raise > 0 {
			raise = "to " + wording.DurationText(a.raise)
		}
		t.Rows = append(t.Rows,
			doc.Cells(strings.Join(sets[a], ", "), wording.DurationText(a.seen), lower, by,
				wording.DurationText(a.wait), raise))
	}
	return t
}

// absentText says for how long what is new may not be seen.
func absentText(z zone.Zone) []string {
	if z.AbsentFor == 0 ||
		!slices.ContainsFunc(z.Changes, func(c act.Change) bool {
			return c.Step > 0 && c.Action == act.Add
		}) {
		return nil
	}
	return []string{absentSays(z.AbsentFor)}
}

func absentSays(seconds int) string {
	return fmt.Sprintf("New names may stay invisible for %s to resolvers that asked before "+
		"(negative caching, RFC 2308).",
		wording.DurationText(seconds))
}

func moveText(z zone.Zone) []string {
	m := z.Move
	if m == nil {
		return nil
	}
	state := "not ready: the next name servers have not been seen to give every answer"
	if m.Ready {
		state = "ready: the next name servers give every answer"
	}
	all := []string{
		fmt.Sprintf("Name servers: from %s to %s (%s).", strings.Join(m.From, ", "),
			strings.Join(m.To, ", "), state),
	}
	var lost []string
	for _, l := range m.Loses {
		lost = append(lost, words.Loss(l))
	}
	if len(lost) > 0 {
		all = append(all,
			"What works only on the present name servers and ends with them: "+strings.Join(lost, "; ")+".")
	}
	return all
}

// placesTable says at which places something has to be typed, beside records.
func placesTable(p *plan.Plan) doc.Table {
	t := doc.Table{Sheet: "places", Head: []string{"where", "what it is", "carries", "to do"}}
	for _, c := range p.Carriers {
		if len(c.Entries) == 0 {
			continue
		}
		kinds := map[string]int{}
		var order []string
		for _, e := range c.Entries {
			what := entryKind(e)
			if what == "" {
				continue
			}
			if kinds[what] == 0 {
				order = append(order, what)
			}
			kinds[what]++
		}
		var todo []string
		for _, k := range order {
			word, deleted := strings.CutSuffix(k, toDelete)
			says := wording.Count(kinds[k], word)
			if deleted {
				says += toDelete
			}
			todo = append(todo, says)
		}
		t.Rows = append(t.Rows,
			doc.Cells(c.Name, placeTitle(c.By), wording.CountOrNothing(len(c.Hosts), "host"),
				strings.Join(todo, ", ")))
	}
	return t
}

// limitLines says what carriers cannot do.
func limitLines(p *plan.Plan) []doc.Text {
	var all []doc.Text
	for _, c := range p.Carriers {
		if len(c.Limits) > 0 && len(c.Hosts) > 0 {
			all = append(all,
				doc.Phrasef("Limits of %s: %s.", c.Name, strings.Join(plainTexts(c.Limits), "; ")))
		}
	}
	return all
}

const toDelete = " to delete"

// entryKind names an entry in words that take an s in the plural, "" where there is nothing to
// type.
func entryKind(e act.Entry) string {
	word := map[world.EntryKind]string{
		world.Forward:     "forwarding",
		world.SourceEntry: "redirect",
		world.DoorEntry:   "redirect",
		world.HostEntry:   "host",
		world.Pattern:     "pattern",
		world.ZoneEntry:   "zone",
		world.NameServers: "delegation",
		world.DSEntry:     "DS record",
		world.CertEntry:   "certificate",
		world.Primary:     "primary host",
		world.OriginEntry: "setting",
		world.Config:      "configuration",
	}[e.Kind]
	if e.Action == act.Remove && word != "" {
		return word + toDelete
	}
	return word
}
