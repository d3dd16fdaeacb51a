package estate

import (
	"errors"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
)

var wantedKeys = []Key{
	{
		"wanted",
		"name",
		"host",
		nil,
		"",
		"_check.lacemill-museum.example.",
	},
	{"wanted", "type", "text", nil, "", "TXT"},
	{"wanted", "value", "text", nil, "", `"proof=4711"`},
	{"wanted", "until", "date", nil, "", "certificate"},
}

// Wanted is a record that somebody asks for. It is read as they show it and held in normal form.
type Wanted struct {
	// in full, lower case, without its last dot; of a carrier's: the label below each domain that it
	// carries
	Name  string
	Type  string
	Value string // as it stands in a zone file
	Until Until
	By    string // the carrier that asks for it, "" where the domain's own line does
}

// Until says when a wanted record has done its work. The zero value: never.
type Until struct {
	Certificate bool      // once every carried host has its certificate
	Date        time.Time // from this day on
}

// wantedIn reads a record as the asker shows it. Its name is read below the zone; "" where a
// carrier asks for it, whose name is a label below each domain that it carries.
func (b *builder) wantedIn(zone string, n *Node) (Wanted, bool) {
	var w Wanted
	var name, kind, value *Node
	before := len(b.faults)
	b.mapping(n, "wanted",
		field{"name", func(n *Node) { name = n }},
		field{"type", func(n *Node) { kind = n }},
		field{"value", func(n *Node) { value = n }},
		field{"until", func(n *Node) { w.Until = b.until(n) }},
	)
	if n.Kind != Mapping {
		if n.Kind != Empty {
			return w, false
		}
		b.fail(n, fact.WantedEmpty{})
		return w, false
	}
	for key, at := range map[string]*Node{"type": kind, "value": value} {
		if at == nil {
			b.fail(
				n,
				fact.WantedLacks{Key: key},
			)
		}
	}
	if kind != nil {
		w.Type = strings.ToUpper(b.text(kind, "wanted: type"))
		if !record.IsTyped(w.Type) {
			b.fail(kind, fact.TypeNotKnown{Types: record.Types(),
				Near: problem.Nearest(w.Type, record.Types())})
		} else if value != nil {
			w.Value = b.wantedValue(w.Type, value)
		}
	}
	w.Name = b.wantedName(zone, name)
	return w, len(b.faults) == before
}

func (b *builder) wantedName(zone string, n *Node) string {
	s := ""
	if n != nil {
		s = b.text(n, "wanted: name")
	}
	if zone == "" {
		label, err := record.Name(s, "zone.invalid")
		if err != nil || strings.HasSuffix(s, ".") {
			b.fail(
				n,
				fact.WantedNoLabel{},
			)
		}
		return record.Label(label, "zone.invalid")
	}
	name, err := record.Name(s, zone)
	if err != nil {
		b.fail(n, fact.WantedName{Why: whyOf(err), Zone: zone})
		return ""
	}
	for _, d := range b.estate.Domains {
		if other := d.Name.String(); strings.HasSuffix(strings.TrimSuffix(strings.ToLower(s), "."),
			"."+other) &&
			other != zone {
			b.fail(
				n,
				fact.WantedElsewhere{Domain: other, Zone: zone},
			)
		}
	}
	return name
}

func (b *builder) wantedValue(kind string, n *Node) string {
	s := ""
	if n.Kind == List && kind == "TXT" {
		for _, item := range n.Items { // a text in pieces
			piece := b.text(item, "wanted: value")
			if strings.HasPrefix(piece, `"`) {
				piece = record.Unquote(piece)
			}
			s += piece
		}
		return record.Quote(s)
	}
	s = b.text(n, "wanted: value")
	value, err := record.Value(kind, s)
	if errors.Is(err, record.ErrType) {
		return ""
	}
	if err != nil {
		b.fail(n, fact.WantedValue{Type: kind, Why: whyOf(err)})
	}
	return value
}

func (b *builder) until(n *Node) Until {
	if b.text(n, "wanted: until") == "certificate" {
		return Until{Certificate: true}
	}
	t, err := time.Parse(time.DateOnly, n.Text)
	if err != nil {
		b.fail(n, fact.UntilNeither{})
	}
	return Until{Date: t}
}

// allWanted reads a domain's wanted records and adds those of its carriers. What could not stand
// together is a fault.
func (b *builder) allWanted(d *Domain, n *Node) {
	zone := d.Name.String()
	add := func(w Wanted, at *Node) {
		b.wantedFits(d, w, at)
		d.Wanted = append(d.Wanted, w)
	}
	if n != nil {
		b.list(n, "wanted", func(i *Node) {
			if w, ok := b.wantedIn(zone, i); ok {
				add(w, i)
			}
		})
	}
	for _, c := range b.estate.Carriers {
		if !slices.ContainsFunc(d.Hosts(), func(h web.Host) bool { return d.AnsweredBy(h, c) }) {
			continue
		}
		for _, w := range c.Wanted {
			name, err := record.Name(w.Name, zone)
			if err != nil {
				continue
			}
			w.Name = name
			add(w, n)
		}
	}
}

// wantedFits checks a wanted record against those before it: an alias stands alone, never at the
// apex, and leads elsewhere (RFC 1034 section 3.6.2).
func (b *builder) wantedFits(d *Domain, w Wanted, at *Node) {
	if w.Type == "CNAME" {
		switch {
		case w.Name == d.Name.String():
			b.fail(
				at,
				fact.WantedApexAlias{Apex: w.Name},
			)
		case slices.ContainsFunc(d.Hosts(), func(h web.Host) bool { return h.String() == w.Name }):
			b.fail(
				at,
				fact.WantedAliasCarried{Host: w.Name},
			)
		case record.Target("CNAME", w.Value) == w.Name:
			b.fail(
				at,
				fact.WantedAliasItself{Host: w.Name},
			)
		}
	}
	for _, other := range d.Wanted {
		if other.Name == w.Name && other != w && (other.Type == "CNAME" || w.Type == "CNAME") {
			b.fail(
				at,
				fact.WantedAliasBeside{Host: w.Name, Type: other.Type, Type2: w.Type},
			)
		}
	}
}

// whyOf gives the facts of an error of a record's name or value.
func whyOf(err error) fact.Facts {
	var known *fact.Error
	if errors.As(err, &known) {
		return known.Facts
	}
	return fact.Kept{Says: err.Error()}
}
