package rule

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Table is a set of rules compiled for look-ups. It is not changed any more, and so is safe for many goroutines.
type Table struct {
	hosts map[web.Host]*hostTable
	rules []*Rule
	scope Scope
}

type hostTable struct {
	exact    map[string][]Entry // by path in normal form, the most specific first
	patterns []Entry            // the most specific first
}

// Entry is a rule as it holds for one host.
type Entry struct {
	Rule      *Rule
	Inherited bool // the rule names the apex, and holds for its www
}

// Match is what a look-up found: the rule and what its captures took, as it came.
type Match struct {
	Rule   *Rule
	Values map[string]string
	query  string
}

// Compile makes a table. The order of rules does not matter, except between ties, where the first one wins.
func Compile(rules []*Rule, scope Scope) *Table {
	t := &Table{hosts: map[web.Host]*hostTable{}, rules: rules, scope: scope}
	for _, r := range rules {
		t.add(r.Old.Host, Entry{Rule: r})
		if t.reachesWWW(r) {
			t.add(r.Old.Host.WWW(), Entry{Rule: r, Inherited: true})
		}
	}
	for _, h := range t.hosts {
		for _, entries := range h.exact {
			slices.SortStableFunc(entries, compare)
		}
		slices.SortStableFunc(h.patterns, compare)
	}
	return t
}

func (t *Table) reachesWWW(r *Rule) bool {
	return r.Old.Host.IsApex() && (t.scope.Serves == nil || !t.scope.Serves(r.Old.Host.WWW()))
}

func (t *Table) add(h web.Host, e Entry) {
	table := t.hosts[h]
	if table == nil {
		table = &hostTable{exact: map[string][]Entry{}}
		t.hosts[h] = table
	}
	if path, ok := e.Rule.Old.Exact(); ok {
		table.exact[path] = append(table.exact[path], e)
	} else {
		table.patterns = append(table.patterns, e)
	}
}

// compare gives the order in which rules win: below 0 where a is the more specific one, 0 where they are equal.
func compare(a, b Entry) int {
	x, y := specificity(a), specificity(b)
	return slices.Compare(y[:], x[:])
}

// specificity gives what is compared, in order, more being more specific.
func specificity(e Entry) [6]int {
	var s [6]int
	if _, ok := e.Rule.Old.Exact(); ok {
		s[0] = 1
	}
	for _, p := range e.Rule.Old.Parts {
		switch {
		case p.Rest:
			s[2]--
		case p.Digits:
			s[3]++
		case !p.IsCapture():
			s[1] += len(web.Units(p.Literal))
		}
	}
	if e.Rule.Old.Scheme != "" {
		s[4] = 1
	}
	if !e.Inherited {
		s[5] = 1
	}
	return s
}

// Rules returns all rules, in the order of the file.
func (t *Table) Rules() []*Rule { return t.rules }

// On returns the rules that hold on a door, the most specific first: exact ones by path, then patterns.
func (t *Table) On(d web.Door) []Entry {
	h := t.hosts[d.Host]
	if h == nil {
		return nil
	}
	holds := func(e Entry) bool { return e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == d.Scheme }
	var entries []Entry
	for _, es := range h.exact {
		if i := slices.IndexFunc(es, holds); i >= 0 {
			entries = append(entries, es[i])
		}
	}
	slices.SortFunc(entries, func(a, b Entry) int { return cmp.Compare(a.Rule.Old.Parts[0].Literal, b.Rule.Old.Parts[0].Literal) })
	for _, e := range h.patterns {
		if holds(e) {
			entries = append(entries, e)
		}
	}
	return entries
}

// Lookup returns the rule that takes a URL, and false where none does.
func (t *Table) Lookup(u web.URL) (Match, bool) {
	h := t.hosts[u.Host()]
	if h == nil {
		return Match{}, false
	}
	normal := web.NormalPath(u.Path())
	for _, e := range h.exact[normal] {
		if e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == u.Scheme() {
			return Match{Rule: e.Rule, query: u.Query()}, true
		}
	}
	var units []web.Unit
	for _, e := range h.patterns {
		if e.Rule.Old.Scheme != "" && e.Rule.Old.Scheme != u.Scheme() || !strings.HasPrefix(normal, e.Rule.Old.Parts[0].Literal) {
			continue
		}
		if units == nil {
			units = web.Units(u.Path())
		}
		if spans, ok := match(e.Rule.Old.Parts, units); ok {
			return Match{e.Rule, values(e.Rule.Old.Parts, spans, units, u.Path()), u.Query()}, true
		}
	}
	return Match{}, false
}

// match tells whether a path is one that the parts describe, and which units each part took. Captures take the shortest
// first. First it works out from behind, for each part and unit, whether the rest of the path fits from there on; so the
// time is the product of both, whatever a hostile URL holds.
func match(parts []Part, units []web.Unit) ([][2]int, bool) {
	n := len(units)
	fits := make([]bool, (len(parts)+1)*(n+1))
	row := func(p int) []bool { return fits[p*(n+1) : (p+1)*(n+1)] }
	row(len(parts))[n] = true
	for p := len(parts) - 1; p >= 0; p-- {
		here, behind := row(p), row(p+1)
		for at := n; at >= 0; at-- {
			switch part := parts[p]; {
			case part.Rest:
				here[at] = behind[n]
			case part.IsCapture():
				here[at] = at < n && part.takes(units[at].Normal) && (behind[at+1] || here[at+1])
			default:
				end := skipLiteral(part, units, at)
				here[at] = end >= 0 && behind[end]
			}
		}
	}
	if !row(0)[0] {
		return nil, false
	}
	spans := make([][2]int, len(parts))
	at := 0
	for p, part := range parts {
		end := n
		switch {
		case part.Rest:
		case part.IsCapture():
			for end = at + 1; !row(p + 1)[end]; end++ {
			}
		default:
			end = skipLiteral(part, units, at)
		}
		spans[p] = [2]int{at, end}
		at = end
	}
	return spans, true
}

// skipLiteral returns where a literal that starts at a unit ends, at itself for a capture, and -1 where it does not fit.
func skipLiteral(p Part, units []web.Unit, at int) int {
	rest := p.Literal
	for ; at < len(units) && rest != "" && strings.HasPrefix(rest, units[at].Normal); at++ {
		rest = rest[len(units[at].Normal):]
	}
	if rest != "" {
		return -1
	}
	return at
}

// takes tells whether a capture may hold this unit.
func (p Part) takes(unit string) bool {
	switch {
	case p.Rest:
		return true
	case p.Digits:
		return len(unit) == 1 && unit[0] >= '0' && unit[0] <= '9'
	}
	return unit != "/"
}

func values(parts []Part, spans [][2]int, units []web.Unit, path string) map[string]string {
	taken := map[string]string{}
	for i, p := range parts {
		if !p.IsCapture() {
			continue
		}
		taken[p.Name] = ""
		if first, end := spans[i][0], spans[i][1]; first < end {
			taken[p.Name] = path[units[first].Start:units[end-1].End]
		}
	}
	return taken
}

// Location gives the URL that the rule leads to, for a Location header; "" for a page that is gone.
func (m Match) Location(canonical web.Door) string {
	if m.Rule.Status == Gone {
		return ""
	}
	door := m.Rule.New.Door
	if door.IsZero() {
		door = canonical
	}
	query := m.Rule.New.Query
	if !m.Rule.DropQuery {
		query = web.MergeQuery(query, m.query)
	}
	var path strings.Builder
	for _, p := range m.Rule.New.Parts {
		if p.IsCapture() {
			path.WriteString(m.Values[p.Name])
		} else {
			path.WriteString(p.Literal)
		}
	}
	location := door.URL(path.String(), query).String()
	if m.Rule.New.Fragment != "" {
		location += "#" + m.Rule.New.Fragment
	}
	return location
}

// Example returns a URL that the rule takes and wins, for trying it: on https unless it names http, or else another that
// its captures allow; false where other rules win all that were tried.
func (t *Table) Example(r *Rule) (web.URL, bool) {
	door := web.Door{Scheme: cmp.Or(r.Old.Scheme, web.HTTPS), Host: r.Old.Host}
	for _, word := range []string{"example", "another", "third"} {
		u := door.URL(r.Old.fill(word), "")
		if m, ok := t.Lookup(u); ok && m.Rule == r {
			return u, true
		}
	}
	return web.URL{}, false
}

func (p Pattern) fill(word string) string {
	var path strings.Builder
	for i, part := range p.Parts {
		switch {
		case !part.IsCapture():
			path.WriteString(part.Literal)
		case part.Digits:
			path.WriteString(strings.Repeat("7", i+1))
		case part.Rest:
			path.WriteString(word + "/" + part.Name)
		default:
			path.WriteString(word + "-" + part.Name)
		}
	}
	return path.String()
}
