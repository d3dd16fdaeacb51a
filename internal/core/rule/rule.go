// Package rule is the language of the redirect map: a rule is parsed, compiled into a table with
// its fellows, matched against URLs and expanded into the URL that it leads to.
//
// It does not read files (a Row is a line that somebody else has read) and does not follow what it
// gives.
//
//	row := rule.Row{Line: 2, Old: "old.example/a/{+rest}", New: "/archive/{+rest}"}
//	rules, faults := rule.Parse([]rule.Row{row}, scope)
//	table := rule.Compile(rules, scope)
//	match, ok := table.Lookup(web.MustParseURL("http://old.example/archive/1998/lace.html"))
//	match.Location(canonical) // "https://www.northmoor.example/archive/1998/lace.html"
//
// # Looking up
//
// rule.NewIndex lays the exact rules one behind the other in one piece of memory (head, path,
// target) and finds them through a table of hashes; rules that share a path stand in a chain, the
// most specific first. Patterns of a host form a tree over segments, whose leaves know their rank;
// a walk keeps the best one. Nothing is allocated: a path that is not in normal form is made so on
// the stack. Where an old site did not care (rule.Mode), paths and patterns are brought into one
// form first; Mode.Variants says the same as sets of paths, for the proof and for nginx. Table
// keeps the rules themselves beside the index, and a list by host that is put in order when it is
// asked for.
package rule

import (
	"fmt"
	"hash/maphash"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Row is a line of the redirect map as it stands in the file.
type Row struct {
	Line                                int
	Old, New, Status, Query, Rank, Note string
}

// Rule is one line of the redirect map, understood.
type Rule struct {
	Line      int
	Old       Pattern
	New       Target
	Status    int   // 301, 302, 307, 308 or 410; 0: the policy's
	DropQuery bool  // the visitor's query is not handed on
	Ranked    bool  // Rank decides against another ranked rule that is equally specific
	Rank      int32 // the smaller wins
	Note      string
}

// Pattern says which URLs a rule takes.
type Pattern struct {
	Scheme web.Scheme // "": http and https
	Host   web.Host
	Parts  []Part      // of the path, literals in normal form
	Query  []Condition // all of which have to hold
}

// Condition asks for a parameter of the query: its first value has to fit.
type Condition struct {
	Key   string // in normal form
	Parts []Part // of the value, literals in normal form; none: an empty value
}

// String gives the condition as it is written.
func (c Condition) String() string {
	if len(c.Parts) == 0 {
		return c.Key
	}
	return c.Key + "=" + partsText(c.Parts)
}

// Target says where a rule leads.
type Target struct {
	Door     web.Door   // zero: the canonical site, or a host with captures
	Scheme   web.Scheme // of a host with captures
	Host     []Part     // a host with captures, which ends with a literal domain
	Parts    []Part     // of the path, literals as written
	Query    []Part     // without its question mark, literals as written
	Fragment string     // without its #
}

// Gone is the status of a page that was taken away on purpose (RFC 9110 section 15.5.11).
const Gone = 410

// Statuses are the ones that a rule may name.
var Statuses = []int{301, 302, 307, 308, Gone}

// Scope says which hosts a rule may be about. Its functions may be called from several goroutines
// at once.
type Scope struct {
	Holds func(web.Host) bool // hosts of the estate
	// hosts that the site itself serves: an apex rule does not reach into them
	Serves func(web.Host) bool
	Known  []string            // names to suggest where one is unknown
	Mode   func(web.Host) Mode // how a host compares paths; nil: all of them exactly

	known map[string]web.Host // hosts of the estate that were read before
}

// Parse reads rules from rows. All that is wrong comes back, with the line in rows; rules with a
// fault are left out.
func Parse(rows []Row, scope Scope) ([]*Rule, problem.List) {
	const together = 20_000 // rows that one goroutine reads
	if len(rows) <= together {
		return parseRows(rows, scope)
	}
	parts := make([]struct {
		rules  []*Rule
		faults problem.List
	}, (len(rows)+together-1)/together)
	var all crew.Crew
	for i := range parts {
		all.Go(func() {
			parts[i].rules,
				parts[i].faults = parseRows(rows[i*together:min(len(rows), (i+1)*together)], scope)
		})
	}
	all.Wait()
	rules := make([]*Rule, 0, len(rows))
	var faults problem.List
	for _, p := range parts {
		rules, faults = append(rules, p.rules...), append(faults, p.faults...)
	}
	return rules, faults
}

// Reader reads rows one by one, for whoever keeps none of the rules. It is not for several
// goroutines at once.
type Reader struct{ scope Scope }

// NewReader makes a reader of rules in a scope.
func NewReader(scope Scope) *Reader {
	scope.known = map[string]web.Host{}
	return &Reader{scope}
}

// Read reads one row. All that is wrong comes back, without a line; then there is no rule.
func (r *Reader) Read(row Row) (*Rule, problem.List) {
	made, faults := parseRow(row, r.scope)
	if len(faults) > 0 {
		return nil, faults
	}
	return made, nil
}

func parseRows(rows []Row, scope Scope) ([]*Rule, problem.List) {
	rules := make([]*Rule, 0, len(rows))
	var faults problem.List
	scope.known = map[string]web.Host{}
	for _, row := range rows {
		if len(faults) > problem.MostSaid {
			break
		}
		r, wrong := parseRow(row, scope)
		for i := range wrong {
			wrong[i].Line = row.Line
		}
		faults = append(faults, wrong...)
		if len(wrong) == 0 {
			rules = append(rules, r)
		}
	}
	return rules, faults
}

func parseRow(row Row, scope Scope) (*Rule, problem.List) {
	if faults := hostile(row); len(faults) > 0 {
		return nil, faults
	}
	var faults problem.List
	r := &Rule{Line: row.Line, Note: row.Note}
	r.Old = parsePattern(row.Old, scope, &faults)
	r.Status = parseStatus(row.Status, &faults)
	switch strings.TrimSpace(row.Query) {
	case "", "keep":
	case "drop":
		r.DropQuery = true
	default:
		faults.Add(
			problem.Problem{Field: "query", Value: row.Query, Fault: fact.QueryWord{}},
		)
	}
	if rank := strings.TrimSpace(row.Rank); rank != "" {
		n, err := strconv.ParseInt(rank, 10, 32)
		if err != nil {
			faults.Add(problem.Problem{Field: "rank", Value: row.Rank, Fault: fact.RankWord{}})
		}
		r.Ranked, r.Rank = err == nil, int32(n)
	}
	switch empty := strings.TrimSpace(row.New) == ""; {
	case empty && r.Status != Gone && len(faults) == 0:
		faults.Add(
			problem.Problem{Field: "new", Value: row.Old, Fault: fact.LeadsNowhere{}},
		)
	case !empty && r.Status == Gone:
		faults.Add(
			problem.Problem{Field: "new", Value: row.New, Fault: fact.GoneWithNew{}},
		)
	case !empty:
		r.New = parseTarget(row.New, r.Old, &faults)
		r.Old.markLabels(r.New.Host)
	}
	return r, faults
}

// Bounds of a rule, far above what people write, checked before anything is made of it.
const (
	mostField = 16 << 10 // octets of old and new
	mostNote  = 1 << 20  // octets of a note
	mostParts = 64       // captures, and parameters that are asked for
)

// hostile gives the faults of columns that hold what no URL and no note does: a line break or
// another control character, which would be a line of its own in what is written for a server, or a
// character that turns the direction of writing.
func hostile(row Row) problem.List {
	var faults problem.List
	for _, c := range []struct {
		name, text string
		most       int
	}{{"old", row.Old, mostField}, {"new", row.New, mostField}, {"note", row.Note, mostNote}} {
		if len(c.text) > c.most {
			faults.Add(problem.Problem{Field: c.name, Value: c.text,
				Fault: fact.ColumnTooLong{Column: c.name, Octets: len(c.text), Most: c.most}})
		}
	}
	for _, c := range []struct{ name, text, sign, what string }{
		{"old", row.Old, "{", "captures"}, {"new", row.New, "{", "captures"},
		{"old", row.Old, "&", "parameters"},
	} {
		if n := strings.Count(c.text, c.sign); n > mostParts {
			faults.Add(problem.Problem{Field: c.name, Value: c.text,
				Fault: fact.ColumnTooMany{Column: c.name, N: n, What: c.what, Most: mostParts}})
		}
	}
	if len(faults) > 0 {
		return faults
	}
	for _, c := range []struct{ name, text string }{
		{"old", row.Old}, {"new", row.New}, {"status", row.Status}, {"query", row.Query},
		{"rank", row.Rank}, {"note", row.Note},
	} {
		at := strings.IndexFunc(strings.TrimSpace(c.text), problem.Hostile)
		if at < 0 {
			continue
		}
		r, _ := utf8.DecodeRuneInString(strings.TrimSpace(c.text)[at:])
		fault := fact.ColumnHostile{Column: c.name, Character: problem.Named(r)}
		if c.name == "old" || c.name == "new" {
			fault.Escaped = escaped(r)
		}
		faults.Add(problem.Problem{Field: c.name, Value: c.text, Fault: fault})
	}
	return faults
}

// escaped writes a character percent-encoded.
func escaped(r rune) string {
	text := ""
	for _, octet := range []byte(string(r)) {
		text += fmt.Sprintf("%%%02X", octet)
	}
	return text
}

func parseStatus(s string, faults *problem.List) int {
	s = strings.TrimSpace(s)
	if s == "" {
		return 0
	}
	n, err := strconv.Atoi(s)
	if err != nil || !slices.Contains(Statuses, n) {
		faults.Add(
			problem.Problem{Field: "status", Value: s, Fault: fact.RuleStatus{}},
		)
	}
	return n
}

func parsePattern(field string, scope Scope, faults *problem.List) Pattern {
	var p Pattern
	field = strings.TrimSpace(field)
	t := template{name: "old", field: field, faults: faults}
	if field == "" {
		faults.Add(
			problem.Problem{Field: "old", Fault: fact.OldEmpty{}},
		)
		return p
	}
	start := 0
	if i := strings.Index(field, "://"); i >= 0 {
		p.Scheme = web.Scheme(strings.ToLower(field[:i]))
		start = i + len("://")
		if p.Scheme != web.HTTP && p.Scheme != web.HTTPS {
			t.fail(0, fact.OldScheme{})
		}
	}
	end := start + len(field[start:])
	if i := strings.IndexAny(field[start:], "/?#"); i >= 0 {
		end = start + i
	}
	p.Host = parsePatternHost(t, start, end, scope)
	if i := strings.IndexByte(field[end:], '#'); i >= 0 {
		t.fail(end+i, fact.OldFragment{})
		return p
	}
	whole := field
	if i := strings.IndexByte(field[end:], '?'); i >= 0 {
		p.Query = t.conditions(end + i + 1)
		field = field[:end+i]
		t.field = field
	}
	t.offset = end
	t.whole = whole
	parts := t.split()
	t.checkPattern(parts)
	t.checkNames(parts, p.Query)
	if path := field[end:]; path != "" && web.RemoveDotSegments(path) != path {
		t.fail(
			end,
			fact.DotSegments{Path: web.RemoveDotSegments(path)},
		)
	}
	if len(parts) == 0 {
		parts = []Part{{Literal: "/"}}
	}
	p.Parts = normalParts(parts)
	return p
}

func parsePatternHost(t template, start, end int, scope Scope) web.Host {
	name := t.field[start:end]
	switch {
	case name == "":
		t.fail(start, fact.OldNoHost{})
		return web.Host{}
	case strings.ContainsAny(name, "{}*"):
		t.fail(start, fact.OldHostCapture{})
		return web.Host{}
	}
	if h, known := scope.known[name]; known {
		return h
	}
	h, err := web.ParseHost(name)
	switch {
	case err != nil:
		t.fail(start, fact.OldHostFault{Why: err.Error()})
	case scope.Holds != nil && !scope.Holds(h):
		t.fail(start,
			fact.OldHostOutside{Host: h.String(), Near: problem.Nearest(h.String(), scope.Known)})
	default:
		scope.known[strings.Clone(name)] = h
	}
	return h
}

// conditions reads what old asks of the query, from a place behind its question mark.
func (t template) conditions(start int) []Condition {
	var all []Condition
	keys := map[string]bool{}
	at := start
	for p := range strings.SplitSeq(t.field[start:], "&") {
		key, value, _ := strings.Cut(p, "=")
		c := Condition{Key: web.NormalQuery(key)}
		switch {
		case key == "":
			t.fail(at, fact.ConditionUnnamed{})
		case strings.ContainsAny(key, "{}*"):
			t.fail(at, fact.ConditionCapture{})
		case keys[c.Key]:
			t.fail(at, fact.ParameterTwice{})
		}
		keys[c.Key] = true
		inside := t
		inside.field, inside.offset = t.field[:at+len(p)], at+len(p)-len(value)
		c.Parts = inside.split()
		for i, part := range c.Parts {
			if part.Rest && i != len(c.Parts)-1 {
				t.fail(inside.offset, fact.QueryRestNotLast{Name: part.Name})
			}
			if i > 0 && part.IsCapture() && c.Parts[i-1].IsCapture() {
				t.fail(inside.offset, fact.QueryCapturesAdjoin{})
			}
			c.Parts[i].Literal = web.NormalQuery(part.Literal)
		}
		all = append(all, c)
		at += len(p) + 1
	}
	slices.SortFunc(all, func(a, b Condition) int { return strings.Compare(a.Key, b.Key) })
	return all
}

// checkNames looks for captures of the query that have a name of the path's, or of one another's.
func (t template) checkNames(parts []Part, query []Condition) {
	seen := map[string]bool{}
	for _, p := range parts {
		seen[p.Name] = p.IsCapture()
	}
	for _, c := range query {
		for _, p := range c.Parts {
			if p.IsCapture() && seen[p.Name] {
				t.field = t.whole
				t.fail(
					strings.LastIndex(t.whole, p.String()),
					fact.QueryCaptureTwice{Name: p.Name},
				)
			}
			seen[p.Name] = seen[p.Name] || p.IsCapture()
		}
	}
}

// Captures gives all captures of a pattern, those of its path and then those of its query.
func (p Pattern) Captures() []Part {
	var all []Part
	add := func(parts []Part) {
		for _, part := range parts {
			if part.IsCapture() {
				all = append(all, part)
			}
		}
	}
	add(p.Parts)
	for _, c := range p.Query {
		add(c.Parts)
	}
	return all
}

// markLabels notes which captures go into a host, and so may hold less.
func (p *Pattern) markLabels(host []Part) {
	mark := func(parts []Part) {
		for i := range parts {
			if parts[i].IsCapture() &&
				slices.ContainsFunc(host, func(h Part) bool { return h.Name == parts[i].Name }) {
				parts[i].Label = true
			}
		}
	}
	mark(p.Parts)
	for _, c := range p.Query {
		mark(c.Parts)
	}
}

func parseTarget(field string, old Pattern, faults *problem.List) Target {
	var target Target
	field = strings.TrimSpace(field)
	captured := old.Captures()
	t := template{name: "new", field: field, faults: faults}
	if i := strings.Index(field, "://"); i >= 0 {
		end := len(field)
		if j := strings.IndexAny(field[i+3:], "/?#"); j >= 0 {
			end = i + 3 + j
		}
		if !t.targetHost(&target, i, end, captured) {
			return target
		}
		t.offset = end
	} else if field[0] != '/' {
		t.fail(0, fact.NewNeither{})
		return target
	}
	rest, fragment, _ := strings.Cut(field, "#")
	if strings.ContainsAny(fragment, "{}") {
		t.fail(strings.IndexByte(field, '#'), fact.FragmentCapture{})
	}
	target.Fragment = fragment
	if i := strings.IndexByte(rest[t.offset:], '?'); i >= 0 {
		query := t
		query.field, query.offset = rest, t.offset+i+1
		target.Query = query.split()
		query.checkTarget(target.Query, captured)
		rest = rest[:t.offset+i]
	}
	t.field = rest
	target.Parts = t.split()
	t.checkTarget(target.Parts, captured)
	if len(target.Parts) == 0 {
		target.Parts = []Part{{Literal: "/"}}
	}
	return target
}

// targetHost reads scheme and host of a target; false where they are none.
func (t template) targetHost(target *Target, colon, end int, captured []Part) bool {
	if !strings.ContainsAny(t.field[colon:end], "{}") {
		u, err := web.ParseURL(t.field[:end])
		if err != nil {
			t.fail(0, fact.NewFault{Why: err.Error()})
			return false
		}
		target.Door = u.Door()
		return true
	}
	target.Scheme = web.Scheme(strings.ToLower(t.field[:colon]))
	if target.Scheme != web.HTTP && target.Scheme != web.HTTPS {
		t.fail(0, fact.NewScheme{})
		return false
	}
	host := t
	host.field, host.offset = t.field[:end], colon+3
	parts := host.split()
	host.checkTarget(parts, captured)
	last := parts[len(parts)-1]
	domain, isLiteral := strings.CutPrefix(last.Literal, ".")
	if _, err := web.ParseHost(domain); !isLiteral || last.IsCapture() || err != nil {
		t.fail(
			colon+3,
			fact.NewHostOpen{},
		)
		return false
	}
	for i, p := range parts {
		if p.Rest {
			t.fail(colon+3, fact.NewHostRest{Name: p.Name})
			return false
		}
		parts[i].Literal = strings.ToLower(p.Literal)
	}
	target.Host = parts
	return true
}

// checkTarget looks whether each capture that new uses is one that old has, in the same form.
func (t template) checkTarget(parts, captured []Part) {
	at := t.offset
	for _, p := range parts {
		i := slices.IndexFunc(captured, func(c Part) bool { return c.IsCapture() && c.Name == p.Name })
		switch {
		case !p.IsCapture():
		case i < 0:
			t.fail(at, fact.CaptureUnknown{Capture: p.String()})
		case captured[i].Rest != p.Rest || p.Digits:
			want := Part{Name: p.Name, Rest: captured[i].Rest}
			t.fail(at, fact.CaptureForm{Capture: p.String(), Wanted: want.String()})
		}
		at += len(p.String())
	}
}

// String gives the pattern as it is written in rules.csv, in normal form.
func (p Pattern) String() string {
	s := p.Host.String() + partsText(p.Parts)
	for i, c := range p.Query {
		s += string("?&"[min(i, 1)]) + c.String()
	}
	if p.Scheme != "" {
		s = string(p.Scheme) + "://" + s
	}
	return s
}

// Exact returns the path where it has no captures.
func (p Pattern) Exact() (string, bool) {
	if len(p.Parts) == 1 && !p.Parts[0].IsCapture() {
		return p.Parts[0].Literal, true
	}
	return "", false
}

// String gives the target as it is written in rules.csv.
func (t Target) String() string {
	s := t.Door.String() + partsText(t.Parts)
	if len(t.Host) > 0 {
		s = string(t.Scheme) + "://" + partsText(t.Host) + s
	}
	if len(t.Query) > 0 {
		s += "?" + partsText(t.Query)
	}
	if t.Fragment != "" {
		s += "#" + t.Fragment
	}
	return s
}

// Place names the rule as reports do.
func (r *Rule) Place() string { return fmt.Sprintf("rules line %d", r.Line) }

// saying gives all that a rule says, one text: of two that say the same the later one is needless.
func (r *Rule) saying() string {
	return fmt.Sprintf("%s\x00%s\x00%d\x00%t", r.Old, r.New, r.Status, r.DropQuery)
}

// sum is a hash of much of what a rule says, made without a text.
func (r *Rule) sum(seed maphash.Seed) uint64 {
	h := uint64(r.Status)
	add := func(s string) { h = h*0x9E3779B97F4A7C15 ^ maphash.String(seed, s) }
	for _, parts := range [][]Part{r.Old.Parts, r.New.Parts, r.New.Query} {
		for _, p := range parts {
			add(p.Literal)
			add(p.Name)
		}
	}
	for _, c := range r.Old.Query {
		add(c.Key)
		for _, p := range c.Parts {
			add(p.Literal)
			add(p.Name)
		}
	}
	return h
}
