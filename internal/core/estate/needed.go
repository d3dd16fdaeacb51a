package estate

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

var neededKeys = []Key{
	{
		"needed",
		"by",
		"text",
		nil,
		"",
		"the mail service",
	},
	{"needed", "to", "host", nil, "", "click.mail.example"},
}

// Needed is a host that somebody else needs: it is never redirected, and its records stay.
type Needed struct {
	Host web.Host
	By   string // who needs it
	// the alias or address at which it has to be, as somebody wrote it down; "" for as it is
	To string
}

// NeededBy says who else needs a host, "" where nobody does.
func (d *Domain) NeededBy(h web.Host) string {
	for _, n := range d.Needed {
		if n.Host == h {
			return n.By
		}
	}
	return ""
}

// needed reads the hosts that somebody else needs: who does, and where they have to be.
func (b *builder) needed(d *Domain, n *Node) {
	if n == nil || n.Kind == Empty {
		return
	}
	if n.Kind != Mapping {
		b.fail(
			n,
			fact.NeededShape{Kind: n.Kind.String()},
		)
		return
	}
	for _, e := range n.Entries {
		h, ok := b.neededHost(d, e.Key)
		if !ok {
			continue
		}
		one := Needed{Host: h}
		if e.Value.Kind == Mapping {
			b.mapping(e.Value, "a needed host",
				field{"by", func(n *Node) { one.By = b.text(n, "needed: by") }},
				field{"to", func(n *Node) {
					one.To = strings.ToLower(strings.TrimSuffix(b.text(n, "needed: to"), "."))
				}},
			)
		} else {
			one.By = b.text(e.Value, "needed")
		}
		switch {
		case one.By == "":
			b.fail(e.Key, fact.NeededByNobody{Host: h.String()})
		case slices.Contains(d.Further, h):
			b.fail(e.Key, fact.NeededRedirected{Host: h.String()})
		case b.estate.Serves(h):
			b.fail(e.Key, fact.NeededServed{Host: h.String()})
		}
		d.Needed = append(d.Needed, one)
	}
}

func (b *builder) neededHost(d *Domain, n *Node) (web.Host, bool) {
	switch n.Text {
	case "apex", "@":
		return d.Name, true
	case "www":
		return d.Name.WWW(), true
	}
	label := strings.TrimSuffix(strings.TrimSuffix(n.Text, "."), "."+d.Name.String())
	h, err := d.Name.Child(label)
	if err != nil || label == "" {
		b.fail(n, fact.NeededOutside{Domain: d.Name.String()})
		return h, false
	}
	return h, true
}
