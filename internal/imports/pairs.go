package imports

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

// Pair is a line of a table of redirects.
type Pair struct {
	Line     int
	Old, New string // whole URLs, or paths of a host
	Status   string // "" where the table has no such column
	Query    string // the same: keep or drop, as a table of our own rules says it
	Rank     string // the same
	Note     string // the same
}

// ownCapture is a capture of the rule language.
var ownCapture = regexp.MustCompile(`\{\+?[A-Za-z][A-Za-z0-9_-]*(?::digits)?\}`)

// isOurs reports whether a line is one of the rule language: it has captures, each that the new
// address names is taken by the old one, and no other brace and no star.
func isOurs(from, to string) bool {
	taken := ownCapture.FindAllString(from, -1)
	if len(taken) == 0 || strings.ContainsAny(ownCapture.ReplaceAllString(from+to, ""), "{}*") {
		return false
	}
	name := func(capture string) string {
		capture, _, _ = strings.Cut(strings.Trim(capture, "{+}"), ":")
		return capture
	}
	for _, c := range ownCapture.FindAllString(to, -1) {
		if !slices.ContainsFunc(taken, func(t string) bool { return name(t) == name(c) }) {
			return false
		}
	}
	return true
}

// goneWords say in a table that a page is gone on purpose.
var goneWords = []string{"-", "410", "gone"}

// ReadPairs makes rules of two columns of a table: old addresses and new ones, whole URLs or paths
// of a host, with stars for any characters and $1, $2 for what they took. A line without a new
// address is undecided, and no rule. One that names a scheme, or an apex or its www, is taken for
// both schemes and both hosts, unless the table says otherwise of those, or serves says that the
// site answers the www itself. Parameters that only follow visitors are left out.
func ReadPairs(pairs []Pair, host string, status int, serves func(web.Host) bool) Import {
	var m Import
	var entries []entry
	for _, p := range pairs {
		if e, ok := m.read(p, host, status); ok {
			entries = append(entries, e)
		}
	}
	for _, e := range m.twins(entries, serves) {
		if m.add(e.line, e.text, e.old, e.to, e.status, e.drop, "", "") {
			row := &m.Rules[len(m.Rules)-1].Row
			row.Rank, row.Note = e.rank, e.note
		}
	}
	return m
}

// entry is a line of a table that is a redirect.
type entry struct {
	line      int
	text      string
	old, to   string // as the rule language has them
	status    int
	drop      bool // the query is not handed on
	untracked bool
	rank      string
	note      string
	ours      bool // it has captures of the rule language
}

// read reads a line; what is none goes to what is left, or to what is undecided.
func (m *Import) read(p Pair, host string, status int) (entry, bool) {
	from, to := strings.TrimSpace(p.Old), strings.TrimSpace(p.New)
	e := entry{line: p.Line, text: from + "," + to, status: status,
		drop: strings.EqualFold(strings.TrimSpace(p.Query), "drop"),
		rank: strings.TrimSpace(p.Rank), note: strings.TrimSpace(p.Note)}
	says := strings.TrimSpace(p.Status)
	gone := slices.Contains(goneWords, strings.ToLower(to)) ||
		to == "" && (says == "410" || strings.EqualFold(says, "gone"))
	switch {
	case from == "":
		m.leave(p.Line, e.text, "it has no old address")
		return e, false
	case to == "" && !gone:
		m.Undecided = append(m.Undecided, SkippedLine{p.Line, from, "it has no target yet"})
		return e, false
	case strings.HasPrefix(from, "//"): // a host, by whatever scheme
		from = from[2:]
	case strings.HasPrefix(from, "/") && host == "":
		m.leave(p.Line, e.text, "its old address names no host; say which with --host")
		return e, false
	case strings.HasPrefix(from, "/"):
		from = host + from
	}
	if page, fragment, marked := strings.Cut(from, "#"); marked && fragment != "" {
		m.leave(p.Line, e.text, "what follows # never reaches a server; a script on the page that "+
			"answers at %s can read it and lead on", page)
		return e, false
	}
	from, _, _ = strings.Cut(from, "#")
	from = withoutPort(from)
	from, e.untracked = withoutTracking(from)
	if gone && isOurs(from, "") {
		m.Ours, e.ours, e.old, e.status = m.Ours+1, true, from, 410
		return e, true
	}
	if isOurs(from, to) {
		m.Ours, e.ours, e.old, e.to = m.Ours+1, true, from, to
		e.statusOf(says)
		return e, true
	}
	groups := map[string]string{}
	m.stars = m.stars || strings.Contains(from, "*")
	from, why := starred(braces.Replace(from), groups)
	if why != "" {
		m.leave(p.Line, e.text, "%s", why)
		return e, false
	}
	e.old = from
	if gone {
		e.status = 410
		return e, true
	}
	var err error
	if e.to, err = target(strings.ReplaceAll(to, "*", "%2A"), groups, '$'); err != nil {
		m.leave(p.Line, e.text, "%s", err)
		return e, false
	}
	if !strings.Contains(e.to, "://") && !strings.HasPrefix(e.to, "/") {
		e.to = "https://" + e.to
	}
	e.statusOf(says)
	return e, true
}

// withoutPort drops the port that a scheme has anyway.
func withoutPort(from string) string {
	scheme, rest, schemed := strings.Cut(from, "://")
	if !schemed {
		scheme, rest = "", from
	}
	host, path, slash := strings.Cut(rest, "/")
	switch {
	case strings.HasSuffix(host, ":443") && !strings.EqualFold(scheme, "http"):
		host = strings.TrimSuffix(host, ":443")
	case strings.HasSuffix(host, ":80") && !strings.EqualFold(scheme, "https"):
		host = strings.TrimSuffix(host, ":80")
	default:
		return from
	}
	if slash {
		host += "/" + path
	}
	if schemed {
		return scheme + "://" + host
	}
	return host
}

// statusOf takes in what a table says of the status, where it is one of a redirect; spreadsheets
// write numbers with a point.
func (e *entry) statusOf(says string) {
	n, err := strconv.Atoi(strings.TrimSuffix(says, ".0"))
	if err == nil && slices.Contains([]int{301, 302, 307, 308}, n) {
		e.status = n
	}
}

func withoutTracking(address string) (string, bool) {
	path, query, asks := strings.Cut(address, "?")
	if !asks {
		return address, false
	}
	kept, some := old.WithoutTracking(query)
	switch {
	case !some:
		return address, false
	case kept == "":
		return path, true
	}
	return path + "?" + kept, true
}

// twins gives the redirects with those that say the same of both schemes and both hosts as one.
// Lines that lead one URL, or its http and https, to different places are a conflict, and no
// rule.
func (m *Import) twins(entries []entry, serves func(web.Host) bool) []entry {
	groups, hosts := map[string][]int{}, map[string][]int{}
	keys, own := make([]string, len(entries)), make([]string, len(entries))
	for i, e := range entries {
		keys[i], own[i] = old.Wide(e.old, serves), withoutScheme(e.old)
		if e.ours { // whoever writes captures says what scheme and host are meant
			keys[i], own[i] = e.old, e.old
		}
		groups[keys[i]] = append(groups[keys[i]], i)
		hosts[own[i]] = append(hosts[own[i]], i)
	}
	says := func(e entry) entry {
		return entry{to: e.to, status: e.status, drop: e.drop}
	}
	agree := func(all []int) (other int, same bool) {
		for _, n := range all {
			if says(entries[n]) != says(entries[all[0]]) {
				return n, false
			}
		}
		return 0, true
	}
	var all []entry
	for i, e := range entries {
		if e.untracked {
			m.Untracked++
		}
		group, mine := groups[keys[i]], hosts[own[i]]
		if other, same := agree(mine); !same {
			m.Conflicting++
			if i == mine[0] {
				o := entries[other]
				m.Conflicts = append(m.Conflicts, Conflict{First: e.line, Second: o.line, FirstText: e.text,
					SecondText: o.text, URL: own[i]})
			}
			continue
		}
		to := keys[i]
		if _, same := agree(group); !same { // the www leads elsewhere than the apex
			group, to = mine, own[i]
		}
		switch {
		case group[0] != i:
			m.Merged++
			continue
		case e.old != to:
			m.Widened++
			e.old = to
		}
		all = append(all, e)
	}
	return all
}

// withoutScheme gives an address without its scheme.
func withoutScheme(address string) string {
	scheme, rest, schemed := strings.Cut(address, "://")
	if !schemed || strings.ContainsAny(scheme, "/?") {
		return address
	}
	return rest
}

// starred writes a pattern with stars as one of the rule language, and says why it cannot be where
// that is so.
func starred(s string, groups map[string]string) (string, string) {
	pieces := strings.Split(s, "*")
	if strings.Contains(pieces[0], "://") &&
		!strings.Contains(strings.SplitN(pieces[0], "://", 2)[1], "/") &&
		len(pieces) > 1 ||
		len(pieces) > 1 && !strings.Contains(pieces[0], "/") {
		return "", "its host contains a star; write a line for each host"
	}
	var b strings.Builder
	b.WriteString(pieces[0])
	for i, piece := range pieces[1:] {
		name := "s" + string(rune('1'+i))
		if i == len(pieces)-2 && piece == "" {
			groups[fmt.Sprint(i+1)] = "{+" + name + "}"
		} else {
			return "",
				"a star before the end takes slashes, and {name} does not; write {name} for it where it " +
					"stands for " +
					"one segment"
		}
		b.WriteString(groups[fmt.Sprint(i+1)] + piece)
	}
	return b.String(), ""
}
