package old

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Line is a redirect of one URL.
type Line struct {
	Old, New string // absolute; New is "" for one that is gone
	Status   int
	Rule     int // the line of the rule that says so
}

// Expanded is a redirect map without patterns.
type Expanded struct {
	Lines    []Line       // by their old URLs, each once
	Patterns []*rule.Rule // that no URL of the list makes a line of
	Never    []*rule.Rule // of one path, at which they never win
	Led      int          // patterns that made lines
	Others   int          // URLs of the list that no rule takes
}

// Expand writes a redirect map out as redirects of single URLs, for whoever reads no patterns: each
// rule that takes one path, over https where it takes both schemes; and of the URLs of a list those
// that a pattern takes. Where each leads is what is meant, whatever its carrier cannot do.
func Expand(w *predict.Prediction, rules []*rule.Rule, all []Address) Expanded {
	var x Expanded
	known := map[string]bool{}
	add := func(u web.URL, line int) {
		if text := u.String(); !known[text] {
			known[text] = true
			a := w.Intended(u)
			x.Lines = append(x.Lines, Line{text, a.Location, a.Status, line})
		}
	}
	used := map[int]bool{}
	rules = slices.DeleteFunc(slices.Clone(rules), func(r *rule.Rule) bool {
		return !w.Means(r.Old.Host) // of another part of the estate
	})
	for _, r := range rules {
		u, single := singleURL(r)
		if !single {
			continue
		}
		used[r.Line] = true
		if m, took := w.Treatment(u.Door()).Rule(u); took && m.Rule.Line == r.Line {
			add(u, r.Line)
		} else {
			x.Never = append(x.Never, r)
		}
	}
	patterns := map[int]bool{}
	for _, a := range all {
		u, err := web.ParseURL(a.URL)
		if err != nil {
			x.Others++
			continue
		}
		m, took := w.Treatment(u.Door()).Rule(u)
		switch {
		case !took:
			x.Others++
		case !used[m.Rule.Line]:
			patterns[m.Rule.Line] = true
			add(u, m.Rule.Line)
		}
	}
	for _, r := range rules {
		if !used[r.Line] && !patterns[r.Line] {
			x.Patterns = append(x.Patterns, r)
		}
	}
	x.Led = len(patterns)
	// some importers take the first line that fits: one that asks for a query comes before the path
	slices.SortFunc(x.Lines, func(a, b Line) int {
		pathA, queryA, _ := strings.Cut(a.Old, "?")
		pathB, queryB, _ := strings.Cut(b.Old, "?")
		return cmp.Or(cmp.Compare(pathA, pathB), cmp.Compare(len(queryB), len(queryA)),
			cmp.Compare(queryA, queryB))
	})
	return x
}

// singleURL gives the URL of a rule that takes one path, and asks for no more than values of its
// query; false where it takes others too.
func singleURL(r *rule.Rule) (web.URL, bool) {
	path, exact := r.Old.Exact()
	if !exact {
		return web.URL{}, false
	}
	query := ""
	for _, c := range r.Old.Query {
		value, fixed := c.Fixed()
		if !fixed {
			return web.URL{}, false
		}
		if query != "" {
			query += "&"
		}
		query += c.Key + "=" + value
	}
	return web.Door{Scheme: cmp.Or(r.Old.Scheme, web.HTTPS), Host: r.Old.Host}.URL(path, query), true
}
