package survey

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
)

// SPF finds what receivers take as broken in an SPF record, and what is unwise in it (RFC 7208).
// name is where it stands, as far as r knows what it looks up.
func SPF(name, text string, r spf.Records) []finding.Finding {
	var all []finding.Finding
	evidence := map[string]any{"value": text}
	add := func(facts fact.Facts) {
		all = append(all, finding.New(finding.MailMalformed, name, facts, evidence))
	}
	mild := func(facts fact.Facts) {
		all = append(all, finding.New(finding.MailMalformed, name, facts, evidence).As(finding.Warning))
	}
	c := spf.Check(name, text, r)
	for _, f := range c.Faults {
		add(fact.SPFTerm{Domain: name, Term: f.Term, Fault: f.Fault})
	}
	for _, t := range spf.Terms(text) {
		if t.Name == "all" && t.Qualifier == '+' && !t.Modifier {
			mild(fact.SPFOpen{Domain: name, Term: t.Text})
		}
	}
	if c.Lookups > spf.MostLookups {
		add(fact.SPFLookups{Value: text, Lookups: c.Lookups, Costs: c.Costs, Domain: name,
			Most: spf.MostLookups})
	}
	if len(c.Void) > spf.MostVoid {
		add(fact.SPFVoid{Domain: name, Names: c.Void, Most: spf.MostVoid})
	}
	if len(text) > spf.MostOctets {
		mild(fact.SPFLong{Domain: name, Octets: len(text), Most: spf.MostOctets})
	}
	return all
}

// Policies gives the SPF records at a name, within the zone or outside it.
func (v *judging) Policies(name string) (texts []string, known bool) {
	if s, ok := v.find(name, "TXT"); ok {
		return spf.All(s.Values), true
	}
	for _, s := range v.domain.Senders {
		switch {
		case s.Name != name:
		case s.Text == "":
			return nil, true
		default:
			return slices.Repeat([]string{s.Text}, max(s.Count, 1)), true
		}
	}
	return nil, v.absent(name, "TXT")
}

// Found gives how many records a look-up finds, as far as anybody saw.
func (v *judging) Found(name, kind string) (count int, known bool) {
	return v.domain.Found(name, kind)
}

// Found gives how many records a look-up of an SPF record finds at a name: addresses (A) or MX
// records; known is false where nobody saw.
func (d *Domain) Found(name, kind string) (count int, known bool) {
	for _, l := range d.Looks {
		if l.Name == name && l.Type == kind {
			return l.Count, true
		}
	}
	kinds := []string{kind}
	if kind == "A" {
		kinds = []string{"A", "AAAA"}
		if _, alias := record.Find(d.Records, name, "CNAME"); alias {
			return 0, false // it leads to what nobody asked about here
		}
	}
	known = true
	for _, k := range kinds {
		s, there := record.Find(d.Records, name, k)
		count += len(s.Values)
		known = known && (there || d.Absent(name, k))
	}
	return count, known || count > 0
}

// Absent reports whether a name of the zone is known to hold nothing of a type.
func (d *Domain) Absent(name, kind string) bool {
	inside := name == d.Name || strings.HasSuffix(name, "."+d.Name)
	cut := func() bool {
		return slices.ContainsFunc(d.Records, func(s record.Set) bool {
			return s.Type == "NS" && s.Name != d.Name && (name == s.Name ||
				strings.HasSuffix(name, "."+s.Name))
		})
	}
	return inside && d.Seen() && !d.Misses(name, kind) && (!d.Partial || name == d.Name) &&
		!d.wildcarded(name) && !cut()
}

func (v *judging) absent(name, kind string) bool { return v.domain.Absent(name, kind) }

// spfAt gives the SPF record of a name, within the zone or outside it, "" where none was seen.
func (v *judging) spfAt(name string) string {
	if texts, _ := v.Policies(name); len(texts) > 0 {
		return texts[0]
	}
	return ""
}

// spf returns the terms of the zone's SPF record, as receivers read them for it; nil where there is
// none.
func (v *judging) spf() []spf.Term {
	terms := spf.Terms(v.spfAt(v.domain.Name))
	for i := range terms {
		terms[i], _ = terms[i].At(v.domain.Name)
	}
	return terms
}
