package plan

import (
	"cmp"
	"slices"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/zone"
)

// Sheet is all that is typed at one place: records, and what its other pages ask.
type Sheet struct {
	Place   string
	By      string // what the place is: "records", or the kind of the carrier or registrar
	Lines   []Line
	Entries []act.Entry
}

// Line is one record as it is typed into a form.
type Line struct {
	Zone  string
	Step  int        // of the change; the lines of one change share it
	Do    act.Action // add, remove, or replace one value by another
	Label string     // relative to the zone: www, @
	Name  string     // in full, without its last dot
	Type  string
	TTL   int    // in seconds
	Was   string // what stands there, where it is replaced or removed
	// as most forms want it: without its last dot, a text without quotes; "" where it is removed
	Value   string
	Dotted  string // as zone files want it: with its last dot, a text in quoted strings
	Strings []string
	Through string // the edge network through which it goes
	Reasons []act.Reason
	Check   expect.Expectation // what shows that it worked
	Early   bool               // of a zone that moves: at the present name servers
	Round   int                // of what leaves names that move: the higher the earlier
}

// Sheets gives what is to be typed, place by place: records where they are kept, then the carriers'
// pages, then registrars.
func (p *Plan) Sheets() []Sheet {
	var sheets []Sheet
	byPlace := map[string]int{}
	at := func(place, by string) *Sheet {
		i, there := byPlace[place]
		if !there {
			i = len(sheets)
			byPlace[place] = i
			sheets = append(sheets, Sheet{Place: place, By: by})
		}
		return &sheets[i]
	}
	seen := zone.SurveysOf(p.input.known())
	for _, z := range p.Zones {
		if lines := linesIn(z, seen.Last[z.Name]); len(lines) > 0 {
			early := slices.DeleteFunc(slices.Clone(lines), func(l Line) bool { return !l.Early })
			later := slices.DeleteFunc(slices.Clone(lines), func(l Line) bool { return l.Early })
			if len(early) > 0 {
				s := at(z.Present, carry.RecordsKind)
				s.Lines = append(s.Lines, early...)
			}
			if len(later) > 0 {
				s := at(z.Next, carry.RecordsKind)
				s.Lines = append(s.Lines, later...)
			}
		}
	}
	for _, c := range p.Carriers {
		if len(c.Entries) > 0 {
			s := at(c.Name, c.By)
			s.By = c.By // its own page, where the records of zones that it has taken over are typed too
			s.Entries = append(s.Entries, c.Entries...)
		}
	}
	return sheets
}

// linesIn gives the changes of a zone, a line a record; where nobody has seen the zone, the records
// that it needs.
func linesIn(z zone.Zone, seen *survey.Domain) []Line {
	var all []Line
	changes := z.Changes
	if z.Seen == nil {
		changes = z.Comes
	}
	present, next := "", ""
	if seen != nil && len(seen.Servers) > 0 {
		present = seen.Servers[0].Name
		// the zone came from a file
	} else if named, ok := record.Find(z.AsItIs, z.Name, "NS"); ok && len(named.Values) > 0 {
		present = record.Plain("NS", named.Values[0])
	}
	switch next = present; {
	case z.Move != nil:
		next = z.Move.To[0]
	case z.New != nil && len(z.New.To) > 0:
		next = z.New.To[0]
	}
	all = append(all, lowered(z, present)...)
	for _, c := range changes {
		server := next
		if c.Early {
			server = present
		}
		if c.Step > 0 {
			all = append(all, linesOf(z, c, server)...)
		}
	}
	return append(all, raised(z, next)...)
}

// lowered gives the records whose TTL is lowered before anything changes: at the present name
// servers, which are those that resolvers remember.
func lowered(z zone.Zone, server string) []Line {
	var all []Line
	for _, t := range z.TTLs {
		if t.LowerBefore == 0 {
			continue
		}
		if set, ok := record.Find(z.AsItIs, t.Name, t.Type); ok {
			for _, v := range set.Values {
				all = append(all, ttlLine(z, act.Lower, t.LowerTo, set, v, server, z.Move != nil))
			}
		}
	}
	return all
}

// raised gives the records whose TTL is raised a day after they changed.
func raised(z zone.Zone, server string) []Line {
	var all []Line
	for _, c := range z.Changes {
		if !act.ShortLived(&c) {
			continue
		}
		for _, v := range c.Typed {
			set := record.Set{Name: c.Name, Type: c.Type, Values: c.After}
			l := ttlLine(z, act.Raise, c.Raise, set, v, server, false)
			l.Type, l.Value, l.Dotted, l.Through = c.TypedAs, record.Typed(c.TypedAs, v),
				record.Dotted(c.TypedAs, v), c.Through
			all = append(all, l)
		}
		if set, ok := record.Find(z.Whole, c.Name, c.Type); ok && c.Through == "" {
			for _, v := range set.Values {
				all = append(all, ttlLine(z, act.Raise, c.Raise, set, v, server, false))
			}
		}
	}
	for _, t := range raisedAlone(&z) {
		set, _ := record.Find(z.AsItIs, t.Name, t.Type)
		for _, v := range set.Values {
			all = append(all, ttlLine(z, act.Raise, t.RaiseTo, set, v, server, false))
		}
	}
	return all
}

// raisedAlone gives the sets that do not change, whose TTLs were lowered and are raised again:
// those of wildcards that answered for names which come.
func raisedAlone(z *zone.Zone) []zone.TTL {
	return slices.DeleteFunc(slices.Clone(z.TTLs), func(t zone.TTL) bool {
		return t.RaiseTo == 0 || t.LowerBefore == 0 ||
			slices.ContainsFunc(z.Changes, func(c act.Change) bool {
				return c.Step > 0 && c.Name == t.Name && record.LeadsBrowsers(c.Type)
			})
	})
}

func ttlLine(z zone.Zone, do act.Action, ttl int, set record.Set, value, server string,
	early bool) Line {
	l := Line{
		Zone:   z.Name,
		Do:     do,
		Label:  record.Label(set.Name, z.Name),
		Name:   set.Name,
		Type:   set.Type,
		TTL:    ttl,
		Value:  record.Typed(set.Type, value),
		Dotted: record.Dotted(set.Type, value),
		Early:  early,
		Check: expect.Expectation{Kind: expect.TTLAtMost, Name: set.Name, Type: set.Type,
			Server: server, TTL: ttl, Values: set.Values},
	}
	if do == act.Raise {
		l.Check.Kind = expect.TTLAtLeast
	}
	if set.Type == record.Alias { // DNS has no such type; what is there is the addresses
		l.Check.Type, l.Check.Alias = "A", true
	}
	return l
}

// linesOf gives a change record by record: first what takes the place of something else, so that
// the set is never empty.
func linesOf(z zone.Zone, c act.Change, server string) []Line {
	after, kind := c.After, c.Type
	if c.Through != "" && c.Action != act.Keep {
		after, kind = c.Typed, cmp.Or(c.TypedAs, c.Type)
	}
	goes, comes := record.Without(c.Before, after), record.Without(after, c.Before)
	switch {
	case c.Action == act.Remove:
		goes, comes = c.Before, nil
	case kind != c.Type:
		goes, comes = c.Before, after
	}
	line := func(do act.Action, was, value string) Line {
		l := Line{
			Zone:    z.Name,
			Step:    c.Step,
			Do:      do,
			Label:   record.Label(c.Name, z.Name),
			Name:    c.Name,
			Type:    c.Type,
			TTL:     c.TTL,
			Was:     record.Typed(c.Type, was),
			Value:   record.Typed(kind, value),
			Through: c.Through,
			Reasons: c.Reasons,
			Early:   c.Early,
			Round:   c.Round,
		}
		if value != "" {
			l.Type = kind
			l.Dotted = record.Dotted(kind, value)
			if kind == "TXT" {
				l.Strings = record.Strings(record.Unquote(value))
			}
		}
		l.Check = check(z, c, server)
		return l
	}
	var all []Line
	// one value over another is one entry at a form, and leaves no gap
	pairs := min(len(goes), len(comes))
	if kind != c.Type {
		pairs = 0
	}
	for i := range pairs {
		all = append(all, line(act.Replace, goes[i], comes[i]))
	}
	adds, removes := comes[pairs:], goes[pairs:]
	if pairs == 0 { // an alias or an address that goes, before what a form would refuse beside it
		for _, v := range removes {
			all = append(all, line(act.Remove, v, ""))
		}
		removes = nil
	}
	for _, v := range adds {
		all = append(all, line(act.Add, "", v))
	}
	for _, v := range removes {
		all = append(all, line(act.Remove, v, ""))
	}
	return all
}

// check asks the zone's own server, and says what it should answer.
//
// Where an alias comes in place of what goes, the alias is asked for: any other question would
// follow it.
func check(z zone.Zone, c act.Change, server string) expect.Expectation {
	if c.Action == act.Remove && c.Type != "CNAME" {
		for _, o := range z.Changes {
			if o.Name == c.Name && (o.Type == "CNAME" || o.Type == record.Alias) && o.Action != act.Remove {
				c = o
				break
			}
		}
	}
	made := expect.Expectation{Kind: expect.Records, Name: c.Name, Type: c.Type, Server: server,
		Alias: c.Type == record.Alias}
	if made.Alias {
		made.Type = "A"
	}
	for _, v := range c.After {
		if !made.Alias {
			v = record.Dotted(c.Type, v)
		}
		made.Values = append(made.Values, v)
	}
	return made
}
