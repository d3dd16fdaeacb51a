package rule

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

// Table is a set of rules and their index. It is not changed any more, and so is safe for many
// goroutines.
type Table struct {
	*Index
	rules []*Rule
	scope Scope
	once  sync.Once
	on    map[web.Host]*hostRules
}

// Entry is a rule as it holds for one host.
type Entry struct {
	Rule      *Rule
	Inherited bool // the rule names the apex, and holds for its www
}

// Compile makes a table. The order of rules does not matter, except between ties, where the first
// one wins.
func Compile(rules []*Rule, scope Scope) *Table {
	return &Table{Index: NewIndex(rules, scope), rules: rules, scope: scope}
}

// Compare gives the order in which rules win: below 0 where a is the more specific one, or its rank
// the smaller, 0 where they are equal. Of two that tie because one has no rank, the ranked one
// comes first, so that there is one order of all.
func Compare(a, b Entry) int {
	x, y := specificity(a), specificity(b)
	if c := slices.Compare(y[:], x[:]); c != 0 {
		return c
	}
	return byRank(a.Rule, b.Rule)
}

func byRank(a, b *Rule) int {
	switch {
	case a.Ranked && b.Ranked:
		return cmp.Compare(a.Rank, b.Rank)
	case a.Ranked:
		return -1
	case b.Ranked:
		return 1
	}
	return 0
}

// specific is what is compared of two rules, in order, more being more specific.
type specific [9]int

// specificity gives what is compared of a rule.
func specificity(e Entry) specific {
	var s specific
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
			s[1] += octets(p.Literal)
		}
	}
	for _, c := range e.Rule.Old.Query {
		switch _, fixed := c.Fixed(); {
		case fixed:
			s[4]++
		case c.digits():
			s[5]++
		default:
			s[6]++
		}
	}
	if e.Rule.Old.Scheme != "" {
		s[7] = 1
	}
	if !e.Inherited {
		s[8] = 1
	}
	return s
}

// octets counts what a literal in normal form stands for.
func octets(literal string) int { return len(literal) - 2*strings.Count(literal, "%") }

// Rules returns all rules, in the order of the file.
func (t *Table) Rules() []*Rule { return t.rules }

// On returns the rules that hold on a door, the most specific first: exact ones by path, then
// patterns.
func (t *Table) On(d web.Door) []Entry {
	if d.Port != 0 {
		return nil
	}
	var entries []Entry
	var last Entry
	for _, e := range t.byHost(d.Host) {
		if e.Rule.Old.Scheme != "" && e.Rule.Old.Scheme != d.Scheme {
			continue
		}
		if last.Rule != nil && hides(last.Rule, e.Rule) {
			continue
		}
		entries, last = append(entries, e), e
	}
	return entries
}

// All returns every rule that is about a door, exact ones first and by path, then patterns, the
// most specific first: also what another one leaves nothing to.
func (t *Table) All(d web.Door) []Entry {
	var all []Entry
	for _, e := range t.byHost(d.Host) {
		if d.Port == 0 && (e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == d.Scheme) {
			all = append(all, e)
		}
	}
	return all
}

// ExactAt returns the exact rules that are about a path of a door, in the form in which the host
// compares paths, the most specific first.
func (t *Table) ExactAt(d web.Door, path string) []Entry {
	c := t.exactOf(d, path)
	all := make([]Entry, 0, len(c.refs))
	for _, r := range c.refs {
		all = t.appendEntry(all, d, r)
	}
	return all
}

// ExactAsking is ExactAt without rules whose conditions cannot hold where a query has these
// parameters and no others. Others may be among them that cannot.
func (t *Table) ExactAsking(d web.Door, path string, query []Condition) []Entry {
	c := t.exactOf(d, path)
	var all []Entry
	for _, at := range c.asking(query) {
		all = t.appendEntry(all, d, c.refs[at])
	}
	return all
}

func (t *Table) exactOf(d web.Door, path string) pathRules {
	at, have := t.hosts[d.Host.String()]
	if !have || d.Port != 0 {
		return pathRules{}
	}
	return t.Index.chainAt(at, path)
}

func (t *Table) appendEntry(all []Entry, d web.Door, r ref) []Entry {
	e := Entry{t.rules[r.rule()], r&inheritedRef != 0}
	if e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == d.Scheme {
		all = append(all, e)
	}
	return all
}

// PatternsOn returns the patterns of a door, the most specific first.
func (t *Table) PatternsOn(d web.Door) []Entry {
	at, have := t.hosts[d.Host.String()]
	if !have || d.Port != 0 {
		return nil
	}
	var all []Entry
	for _, r := range t.tables[at].patterns {
		e := Entry{t.rules[r.rule()], t.rules[r.rule()].Old.Host != d.Host}
		if e.Rule.Old.Scheme == "" || e.Rule.Old.Scheme == d.Scheme {
			all = append(all, e)
		}
	}
	return all
}

// byHost returns all rules of a host, in their order.
func (t *Table) byHost(h web.Host) []Entry {
	t.once.Do(func() {
		t.on = map[web.Host]*hostRules{}
		add := func(h web.Host, e Entry) {
			if t.on[h] == nil {
				t.on[h] = &hostRules{}
			}
			t.on[h].entries = append(t.on[h].entries, e)
		}
		scope := inheritance{t.scope, map[web.Host]web.Host{}}
		for _, r := range t.rules {
			add(r.Old.Host, Entry{Rule: r})
			if www, inherits := scope.inheritor(r); inherits {
				add(www, Entry{Rule: r, Inherited: true})
			}
		}
	})
	on := t.on[h]
	if on == nil {
		return nil
	}
	on.once.Do(func() { slices.SortStableFunc(on.entries, byPlace) })
	return on.entries
}

// hostRules are the rules of one host, put in order when they are first asked for.
type hostRules struct {
	once    sync.Once
	entries []Entry
}

// byPlace puts exact rules first, by path, and then by what wins.
func byPlace(a, b Entry) int {
	x, exactX := a.Rule.Old.Exact()
	y, exactY := b.Rule.Old.Exact()
	if exactX && exactY && x != y {
		return strings.Compare(x, y)
	}
	return Compare(a, b)
}

// hides reports whether an exact rule without conditions leaves nothing of its path to one behind
// it.
func hides(a, b *Rule) bool {
	x, exactX := a.Old.Exact()
	y, exactY := b.Old.Exact()
	return exactX && exactY && x == y && len(a.Old.Query) == 0
}

// Lookup returns the rule that takes a URL, and false where none does.
func (t *Table) Lookup(u web.URL) (Match, bool) {
	m, ok := t.Index.Lookup(u)
	if ok {
		m.Rule = t.rules[m.Place]
	}
	return m, ok
}

// Find returns the rule that takes a URL as it came, and false where none does.
func (t *Table) Find(raw string) (Match, bool) {
	m, ok := t.Index.Find(raw)
	if ok {
		m.Rule = t.rules[m.Place]
	}
	return m, ok
}

// Candidates returns every rule that would take a URL, the one that does first.
func (t *Table) Candidates(u web.URL) []Entry {
	var all []Entry
	at, have := t.hosts[u.Host().String()]
	if !have || u.Door().Port != 0 {
		return nil
	}
	mode := t.tables[at].mode
	path := web.NormalPath(u.Path())
	if mode.IgnoreCase {
		path = foldString(path)
	}
	for _, e := range t.byHost(u.Host()) {
		if e.Rule.Old.Scheme != "" && e.Rule.Old.Scheme != u.Scheme() {
			continue
		}
		if takesPath(e.Rule.Old, mode, path) && conditionsHold(e.Rule.Old.Query, u.Query()) {
			all = append(all, e)
		}
	}
	slices.SortStableFunc(all, Compare)
	return all
}

// takesPath reports whether a pattern takes a path in normal form, folded where the mode folds.
func takesPath(p Pattern, mode Mode, path string) bool {
	parts := mode.parts(p.Parts)
	short := path[:mode.end(path)]
	switch mode.kindOf(p.Parts) {
	case byShort:
		return takesAll(parts, short)
	case bySlash:
		return takesAll(parts, mode.withSlash(path))
	}
	return takesAll(parts, path) ||
		mode.EitherSlash && short == path && !strings.HasSuffix(path, "/") && takesAll(parts, path+"/")
}

// Example returns a URL that the rule takes and wins, for trying it: on https unless it names http,
// or else another that its captures allow; false where other rules win all that were tried.
func (t *Table) Example(r *Rule) (web.URL, bool) {
	door := web.Door{Scheme: cmp.Or(r.Old.Scheme, web.HTTPS), Host: r.Old.Host}
	for _, word := range []string{"example", "another", "third"} {
		u := door.URL(fill(r.Old.Parts, word), r.Old.exampleQuery(word))
		if m, ok := t.Lookup(u); ok && m.Rule == r {
			return u, true
		}
	}
	return web.URL{}, false
}

// WinsAt reports whether an exact rule without conditions is the one that takes its own path at a
// door; false says nothing of others.
func (t *Table) WinsAt(r *Rule, d web.Door) bool {
	path, exact := r.Old.Exact()
	at, have := t.hosts[d.Host.String()]
	if !exact || !have || len(r.Old.Query) > 0 || d.Host != r.Old.Host || d.Port != 0 {
		return false
	}
	m := Match{index: t.Index, table: at, path: path}
	return t.exactAt(&m, schemeNumber(d.Scheme), t.tables[at].mode.path(path)) && t.rules[m.Place] == r
}

func (p Pattern) exampleQuery(word string) string {
	var all []string
	for _, c := range p.Query {
		all = append(all, c.Key+"="+fill(c.Parts, word))
	}
	return strings.Join(all, "&")
}

func fill(parts []Part, word string) string {
	var path strings.Builder
	for i, part := range parts {
		switch {
		case !part.IsCapture():
			path.WriteString(part.Literal)
		case part.Digits:
			path.WriteString(strings.Repeat("7", i+1))
		case part.Rest:
			path.WriteString(word + "/" + part.Name)
		case part.Label:
			path.WriteString(word)
		default:
			path.WriteString(word + "-" + part.Name)
		}
	}
	return path.String()
}

// Why tells why one rule wins over another on one host, nil where they are equal.
func Why(winner, other Entry) fact.Facts {
	x, y := specificity(winner), specificity(other)
	for i := range x {
		if x[i] == y[i] {
			continue
		}
		switch i {
		case 0:
			return fact.WinsExact{}
		case 1:
			return fact.WinsText{Octets: x[1], Other: y[1]}
		case 2:
			return fact.WinsNoRest{}
		case 3:
			return fact.WinsDigits{}
		case 4:
			return fact.WinsLiterals{}
		case 5:
			return fact.WinsNumbers{}
		case 6:
			return fact.WinsQuery{}
		case 7:
			return fact.WinsScheme{}
		}
		return fact.WinsHost{}
	}
	if a, b := winner.Rule, other.Rule; a.Ranked && b.Ranked && a.Rank != b.Rank {
		return fact.WinsRank{Rank: int(a.Rank), Other: int(b.Rank)}
	}
	return nil
}
