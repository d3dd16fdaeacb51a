package estate

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

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
		"The record's name, in full or as a label. It has to be there.",
	},
	{"wanted", "type", "text", nil, "", "TXT", "The record's type. It has to be there."},
	{"wanted", "value", "text", nil, "", `"proof=4711"`, "The record's value. It has to be there."},
	{"wanted", "until", "date", nil, "", "certificate",
		"Until when it is wanted: a date, or the word certificate."},
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
		b.fail(n, "a wanted record is empty", "{name: _check, type: TXT, value: \"proof=4711\"}", "")
		return w, false
	}
	for key, at := range map[string]*Node{"type": kind, "value": value} {
		if at == nil {
			b.fail(
				n,
				"a wanted record has no "+key,
				"{name: _check, type: TXT, value: \"proof=4711\"}",
				"copy it from whoever asks for it",
			)
		}
	}
	if kind != nil {
		w.Type = strings.ToUpper(b.text(kind, "wanted: type"))
		if record.ValueForm(w.Type) == "" {
			remedy := ""
			if near := problem.Nearest(w.Type, record.Types()); near != "" {
				remedy = "did you mean " + near + "?"
			}
			b.fail(kind, "the record type is not known", "one of "+strings.Join(record.Types(), ", "),
				remedy)
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
				"a carrier's wanted record has no label",
				"a name relative to each domain, such as _claim or @",
				"write the part before the domain",
			)
		}
		return record.Label(label, "zone.invalid")
	}
	name, err := record.Name(s, zone)
	if err != nil {
		b.fail(n, "wanted: "+err.Error(), "a name of the zone "+zone+", in full or as a label", "")
		return ""
	}
	for _, d := range b.estate.Domains {
		if other := d.Name.String(); strings.HasSuffix(strings.TrimSuffix(strings.ToLower(s), "."),
			"."+other) &&
			other != zone {
			b.fail(
				n,
				fmt.Sprintf("this is a name of %s, not of %s", other, zone),
				"a name of the zone "+zone,
				"move the line to the domain "+other,
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
		b.fail(n, "wanted: "+err.Error(), record.ValueForm(kind),
			"copy the value once more from whoever asks for it")
	}
	return value
}

func (b *builder) until(n *Node) Until {
	if b.text(n, "wanted: until") == "certificate" {
		return Until{Certificate: true}
	}
	t, err := time.Parse(time.DateOnly, n.Text)
	if err != nil {
		b.fail(n, "until is neither a date nor the word certificate",
			"certificate, or a date such as 2027-03-01", "")
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
				"a CNAME cannot stand at the apex "+w.Name,
				"an address, or another name",
				"ask whoever wants it for an address; or write apex-alias: yes where the zone's provider "+
					"offers that",
			)
		case slices.ContainsFunc(d.Hosts(), func(h web.Host) bool { return h.String() == w.Name }):
			b.fail(
				at,
				fmt.Sprintf("%s has a carrier already; an alias that is wanted there claims the same door",
					w.Name),
				"one carrier for a door",
				"drop the line, or take the host out of hosts:",
			)
		case record.Target("CNAME", w.Value) == w.Name:
			b.fail(
				at,
				w.Name+" would be an alias to itself",
				"another name as its value",
				"copy the value once more from whoever asks for it",
			)
		}
	}
	for _, other := range d.Wanted {
		if other.Name == w.Name && other != w && (other.Type == "CNAME" || w.Type == "CNAME") {
			b.fail(
				at,
				fmt.Sprintf("%s is wanted as an alias and with another record beside it (%s and %s)", w.Name,
					other.Type, w.Type),
				"an alias alone at its name",
				"drop one of them, or ask for another name",
			)
		}
	}
}
