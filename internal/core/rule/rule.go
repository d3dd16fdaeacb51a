// Package rule is the language of the redirect map: a rule is parsed, compiled into a table with its fellows, matched
// against URLs and expanded into the URL that it leads to.
//
// It does not read files (a Row is a line that somebody else has read) and does not follow what it gives.
//
//	rules, faults := rule.Parse([]rule.Row{{Line: 2, Old: "old.example/archive/{+rest}", New: "/archive/{+rest}"}}, scope)
//	table := rule.Compile(rules, scope)
//	match, ok := table.Lookup(web.MustParseURL("http://old.example/archive/1998/lace.html"))
//	match.Location(canonical) // "https://www.northmoor.example/archive/1998/lace.html"
package rule

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Row is a line of the redirect map as it stands in the file.
type Row struct {
	Line                          int
	Old, New, Status, Query, Note string
}

// Rule is one line of the redirect map, understood.
type Rule struct {
	Line      int
	Old       Pattern
	New       Target
	Status    int  // 301, 302, 307, 308 or 410; 0: the policy's
	DropQuery bool // the visitor's query is not handed on
	Note      string
}

// Pattern says which URLs a rule takes.
type Pattern struct {
	Scheme web.Scheme // "": http and https
	Host   web.Host
	Parts  []Part // of the path, literals in normal form
}

// Target says where a rule leads.
type Target struct {
	Door     web.Door // zero: the canonical site
	Parts    []Part   // of the path, literals as written
	Query    string   // literal, without its question mark
	Fragment string   // without its #
}

// Gone is the status of a page that was taken away on purpose (RFC 9110 section 15.5.11).
const Gone = 410

// Statuses are the ones that a rule may name.
var Statuses = []int{301, 302, 307, 308, Gone}

// Scope says which hosts a rule may be about.
type Scope struct {
	Holds  func(web.Host) bool // hosts of the estate
	Serves func(web.Host) bool // hosts that the site itself serves: an apex rule does not reach into them
	Known  []string            // names to suggest where one is unknown
}

// Parse reads rules from rows. All that is wrong comes back, with the line in rows; rules with a fault are left out.
func Parse(rows []Row, scope Scope) ([]*Rule, problem.List) {
	var rules []*Rule
	var faults problem.List
	for _, row := range rows {
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
	var faults problem.List
	r := &Rule{Line: row.Line, Note: row.Note}
	r.Old = parsePattern(row.Old, scope, &faults)
	r.Status = parseStatus(row.Status, &faults)
	switch strings.TrimSpace(row.Query) {
	case "", "keep":
	case "drop":
		r.DropQuery = true
	default:
		faults.Add(problem.Problem{Field: "query", Says: "the column query holds a word that it does not know", Value: row.Query, Expected: "keep or drop", Remedy: "leave it empty for keep"})
	}
	switch empty := strings.TrimSpace(row.New) == ""; {
	case empty && r.Status != Gone && len(faults) == 0:
		faults.Add(problem.Problem{Field: "new", Says: "the rule leads nowhere", Value: row.Old, Expected: "a new URL", Remedy: "fill the column new, or set status 410 for a page that is gone"})
	case !empty && r.Status == Gone:
		faults.Add(problem.Problem{Field: "new", Says: "the rule says gone and names a new URL", Value: row.New, Expected: "an empty new with status 410", Remedy: "empty the column new or set another status"})
	case !empty:
		r.New = parseTarget(row.New, r.Old.Parts, &faults)
	}
	return r, faults
}

func parseStatus(s string, faults *problem.List) int {
	s = strings.TrimSpace(s)
	if s == "" {
		return 0
	}
	n, err := strconv.Atoi(s)
	if err != nil || !slices.Contains(Statuses, n) {
		faults.Add(problem.Problem{Field: "status", Says: "no redirect has this status", Value: s, Expected: "301, 302, 307, 308 or 410", Remedy: "leave it empty for the policy's"})
	}
	return n
}

func parsePattern(field string, scope Scope, faults *problem.List) Pattern {
	var p Pattern
	field = strings.TrimSpace(field)
	t := template{name: "old", field: field, faults: faults}
	if field == "" {
		faults.Add(problem.Problem{Field: "old", Says: "the column old is empty", Expected: "a host and a path such as lacemill-museum.example/opening.html"})
		return p
	}
	start := 0
	if i := strings.Index(field, "://"); i >= 0 {
		p.Scheme = web.Scheme(strings.ToLower(field[:i]))
		start = i + len("://")
		if p.Scheme != web.HTTP && p.Scheme != web.HTTPS {
			t.fail(0, "the scheme is neither http nor https", "http://, https:// or no scheme", "")
		}
	}
	end := start + len(field[start:])
	if i := strings.IndexAny(field[start:], "/?#"); i >= 0 {
		end = start + i
	}
	p.Host = parsePatternHost(t, start, end, scope)
	if i := strings.IndexAny(field[end:], "?#"); i >= 0 {
		if field[end+i] == '#' {
			t.fail(end+i, "a fragment never reaches a server", "no # in old", "leave away what follows the #")
		} else {
			t.fail(end+i, "a condition on the query is not understood by this version", "a path", "match the path alone and keep the query")
		}
		return p
	}
	t.offset = end
	parts := t.split()
	t.checkPattern(parts)
	if path := field[end:]; path != "" && web.RemoveDotSegments(path) != path {
		t.fail(end, "a path with dot segments is never asked for", "a path without . and .. segments", "write "+web.RemoveDotSegments(path))
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
		t.fail(start, "old names no host", "a host of the estate before the path", "write the old domain before it")
		return web.Host{}
	case strings.ContainsAny(name, "{}*"):
		t.fail(start, "a capture cannot stand in the host of old", "a host of the estate", "write a rule for each host")
		return web.Host{}
	}
	h, err := web.ParseHost(name)
	switch {
	case err != nil:
		t.fail(start, err.Error(), "a host of the estate", "")
	case scope.Holds != nil && !scope.Holds(h):
		remedy := "add the domain to the estate file, or correct the name"
		if near := problem.Nearest(h.String(), scope.Known); near != "" {
			remedy = "did you mean " + near + "? Else add the domain to the estate file"
		}
		t.fail(start, fmt.Sprintf("the estate holds no host %s", h), "a host of the estate", remedy)
	}
	return h
}

func parseTarget(field string, captured []Part, faults *problem.List) Target {
	var target Target
	field = strings.TrimSpace(field)
	t := template{name: "new", field: field, faults: faults}
	if i := strings.Index(field, "://"); i >= 0 {
		end := len(field)
		if j := strings.IndexAny(field[i+3:], "/?#"); j >= 0 {
			end = i + 3 + j
		}
		if strings.ContainsAny(field[i:end], "{}") {
			t.fail(i+3, "a capture in the host of new is not understood by this version", "a host", "write a rule for each host")
			return target
		}
		u, err := web.ParseURL(field[:end])
		if err != nil {
			t.fail(0, err.Error(), "a path on the canonical site or a whole URL", "")
			return target
		}
		target.Door, t.offset = u.Door(), end
	} else if field[0] != '/' {
		t.fail(0, "new is neither a path nor a whole URL", "a path such as /visit/ or a URL with https://", "put / before a path or https:// before a host")
		return target
	}
	rest, fragment, _ := strings.Cut(field, "#")
	target.Fragment = fragment
	t.field = rest
	if i := strings.IndexByte(rest[t.offset:], '?'); i >= 0 {
		query := rest[t.offset+i+1:]
		if at := strings.IndexAny(query, "{}"); at >= 0 {
			t.fail(t.offset+i+1+at, "a capture in the query of new is not understood by this version", "a literal query", "")
		}
		target.Query = query
		t.field = rest[:t.offset+i]
	}
	target.Parts = t.split()
	t.checkTarget(target.Parts, captured)
	if len(target.Parts) == 0 {
		target.Parts = []Part{{Literal: "/"}}
	}
	return target
}

// checkTarget looks whether each capture that new uses is one that old has, in the same form.
func (t template) checkTarget(parts, captured []Part) {
	at := t.offset
	for _, p := range parts {
		i := slices.IndexFunc(captured, func(c Part) bool { return c.IsCapture() && c.Name == p.Name })
		switch {
		case !p.IsCapture():
		case i < 0:
			t.fail(at, p.String()+" is captured nowhere in old", "a capture of old", "")
		case captured[i].Rest != p.Rest || p.Digits:
			want := Part{Name: p.Name, Rest: captured[i].Rest}
			t.fail(at, p.String()+" has another form than in old", want.String(), "write "+want.String())
		}
		at += len(p.String())
	}
}

// String gives the pattern as it is written in rules.csv, in normal form.
func (p Pattern) String() string {
	s := p.Host.String() + partsText(p.Parts)
	if p.Scheme != "" {
		s = string(p.Scheme) + "://" + s
	}
	return s
}

// Exact returns the path where the pattern has no captures.
func (p Pattern) Exact() (string, bool) {
	if len(p.Parts) == 1 && !p.Parts[0].IsCapture() {
		return p.Parts[0].Literal, true
	}
	return "", false
}

// String gives the target as it is written in rules.csv.
func (t Target) String() string {
	s := t.Door.String() + partsText(t.Parts)
	if t.Query != "" {
		s += "?" + t.Query
	}
	if t.Fragment != "" {
		s += "#" + t.Fragment
	}
	return s
}

// Place names the rule as reports do.
func (r *Rule) Place() string { return fmt.Sprintf("rules line %d", r.Line) }

// same tells whether two rules are exact duplicates.
func (r *Rule) same(other *Rule) bool {
	return r.Old.String() == other.Old.String() && r.New.String() == other.New.String() &&
		r.Status == other.Status && r.DropQuery == other.DropQuery
}
