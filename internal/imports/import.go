// Package imports reads redirects that exist somewhere, in configuration of nginx or Apache or as
// pairs of URLs, as rules of the redirect map. What the rule language can say is translated; the
// rest is listed with the reason. Nothing is dropped silently, and nothing is guessed.
//
// "Redirect 301 /shop https://shop.example/" takes the path and all below it, and becomes two
// rules: old.example/shop, and old.example/shop/{+rest} with https://shop.example//{+rest}, two
// slashes included, since that is what Apache answers. A regular expression becomes templates where
// it is of the simple kind (readExpression): "^/(a|b)/$" is two rules. The server takes the first
// line that fits, the map the most specific rule: each rule keeps its rank, and pairs that meet in
// the wrong order are Differences.
//
// # How expressions are read
//
// ReadApache and ReadNginx take directives apart and translate regular expressions of the
// simple kind (readExpression): each becomes one template, or several for its alternatives; what is
// more than the language says is an error that becomes the reason in the list of what was left.
// Each rule keeps its rank, the order in which the server tries it; Import.Differences looks for
// pairs that meet where the more specific one does not come first. import_test.go compares the
// templates with the expressions themselves; test/peers runs the files in real nginx and Apache and
// compares answers.
package imports

import (
	"cmp"
	"errors"
	"fmt"
	"hash/maphash"
	"maps"
	"regexp"
	"regexp/syntax"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Import is redirects that exist somewhere, as rules: what the rule language can say is translated,
// the rest is listed.
type Import struct {
	Ours    int  // patterns of the rule language
	Rows    int  // of a table: lines below its head with something in them
	stars   bool // patterns with stars are among them
	Rules   []ImportedRule
	Skipped []SkippedLine
	more    int // rules beside the first of the present line
	extra   int // such rules of all lines, beside mostPlain of each
	over    int // the last line of which not all were made
	Names   []Named
	named   map[string]bool // those in Names
	plain   map[string]bool // hosts of servers that the file has for http alone
	tells   map[string]bool // hosts of which it says something for https by itself

	Anyway []SkippedLine // lines that do what a door does anyway: https, and one of apex and www
	Beside []SkippedLine // directives beside redirects that matter to a move

	Undecided   []SkippedLine // lines of a table without a new address
	Conflicts   []Conflict    // lines of a table that lead one URL to different places: no rule
	Conflicting int           // lines in Conflicts
	kept        []keptLine
	crowded     int          // the line from which more keep URLs than are compared; 0: none
	states      int          // that comparing expressions took
	said        []Difference // that were seen while it was read
	// lines that lead to a path of the host that was asked: of a www, the rules lead to its apex
	Relative int
	Widened  int // lines that name one scheme or host, and are taken for both
	Merged   int // lines of a table that say the same of the other scheme or host
	// lines of a table from which parameters that follow visitors were left out
	Untracked int
}

// keptLine is a line that takes URLs for itself and redirects none of them: those behind it never
// see them.
type keptLine struct {
	line, rank int
	host, old  string
	alone      bool // it keeps them from lines that rewrite alone
	adds       bool // it leaves them to lines that do not rewrite, with another query
	left       bool // it is not translated, and may take them
	// what it takes where that is no template, of paths without this beginning
	expression *regexp.Regexp
	without    string
}

// mostKept is how many patterns that keep URLs for themselves are compared with later lines.
const mostKept = 10_000

// keeps notes a line that takes URLs of hosts for itself.
func (m *Import) keeps(k keptLine, hosts []string, ways []way) {
	for _, h := range hosts {
		for _, w := range ways {
			one := k
			if one.host, one.old = h, w.old; w.note != "" { // it takes fewer than that
				one.left = true
			}
			switch {
			case len(m.kept) < mostKept:
				m.kept = append(m.kept, one)
			case m.crowded == 0:
				m.crowded = k.line
			}
		}
	}
}

// lookAround is a part of an expression that takes nothing, and that Go's engine does not know.
var lookAround = regexp.MustCompile(`\(\?<?[!=][^()]*\)`)

// keepsWhat notes a line that is left and whose expression is more than a template says. One that
// cannot be compiled without what looks around may take everything.
func (m *Import) keepsWhat(k keptLine, hosts []string, expression string, folds bool) {
	if k.left = true; folds {
		expression = "(?i)" + expression
	}
	compiled, err := regexp.Compile(lookAround.ReplaceAllString(expression, ""))
	if err != nil || len(expression) > mostExpressed {
		m.keeps(k, hosts, []way{everything()})
		return
	}
	k.expression = compiled
	m.keeps(k, hosts, []way{{}})
}

// Conflict is two lines of a table that lead one URL to different places.
type Conflict struct {
	First, Second         int // lines
	FirstText, SecondText string
	URL                   string
}

// Named is a host that the file names without its www, and the line.
type Named struct {
	Host string
	Line int
}

// narrow notes the hosts among names that are named without their www.
func (m *Import) narrow(line int, names []string) {
	here := map[string]bool{}
	for _, h := range names {
		here[h] = true
	}
	if m.named == nil {
		m.named = map[string]bool{}
	}
	for _, h := range names {
		if !here["www."+h] && !m.named[h] {
			m.Names, m.named[h] = append(m.Names, Named{h, line}), true
		}
	}
}

// ImportedRule is a rule with the line that it comes from. In the file that it comes from the first
// match wins.
type ImportedRule struct {
	rule.Row
	Source int    // line in the file
	Text   string // as it stands there
	Rank   int    // in which order the server tries it, from 0
	Note   string // where it takes other URLs than the line does, in words; "" where it takes the same
	Differ string // a URL at which it answers otherwise, "" for none
	Folds  bool   // the line ignores case, as a rule does only where the domain says so
	later  bool   // it is asked after all lines that rewrite
	narrow bool   // the line takes fewer URLs than the rule
}

// SkippedLine is a line that is not translated, and why.
type SkippedLine struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

func (m *Import) leave(line int, text, reason string, args ...any) {
	m.Skipped = append(m.Skipped,
		SkippedLine{line, strings.TrimSpace(text), fmt.Sprintf(reason, args...)})
}

// leaves says more of a line, which counts as one that is left, once.
func (m *Import) leaves(line int, more string, args ...any) {
	more = fmt.Sprintf(more, args...)
	for i := range m.Skipped {
		if s := &m.Skipped[i]; s.Line == line {
			s.Reason += "; " + more
			return
		}
	}
	m.leave(line, "", "%s", more)
}

// widen takes the scheme off rules of servers that the file has for http alone: what it says of
// https it does not say.
func (m *Import) widen() {
	said := map[int]bool{}
	for i := range m.Rules {
		rest, plain := strings.CutPrefix(m.Rules[i].Old, "http://")
		host, _, _ := strings.Cut(rest, "/")
		if plain && m.plain[host] && !m.tells[host] {
			m.Rules[i].Old = rest
			if !said[m.Rules[i].Source] {
				m.Widened++
			}
			said[m.Rules[i].Source] = true
		}
	}
}

// serves notes of hosts by which scheme a server of the file answers them; "": by both, or nobody
// says.
func (m *Import) serves(scheme string, hosts []string) {
	if m.plain == nil {
		m.plain, m.tells = map[string]bool{}, map[string]bool{}
	}
	for _, h := range hosts {
		if scheme == "http://" {
			m.plain[h] = true
		} else {
			m.tells[h] = true
		}
	}
}

// anyway notes a line that does what a door does anyway, once.
func (m *Import) anyway(line int, text, reason string) {
	text = strings.TrimSpace(text)
	if !slices.ContainsFunc(m.Anyway, func(s SkippedLine) bool {
		return s.Line == line && s.Text == text
	}) {
		m.Anyway = append(m.Anyway, SkippedLine{line, text, reason})
	}
}

// beside notes a directive that is no redirect and matters to the move.
func (m *Import) beside(line int, text, reason string) {
	m.Beside = append(m.Beside, SkippedLine{line, strings.TrimSpace(text), reason})
}

// ownDoor says of a rule that leads a whole host to itself, or to its www or its apex, what it
// does; "" for others.
func ownDoor(old, to string) string {
	scheme, from, named := strings.Cut(old, "://")
	if !named {
		scheme, from = "", old
	}
	host, path, _ := strings.Cut(from, "/")
	target, secure := strings.CutPrefix(to, "https://")
	there, below, _ := strings.Cut(target, "/")
	whole := strings.HasPrefix(path, "{+") && strings.HasSuffix(path, "}") && below == path
	switch {
	case !secure || !whole || strings.TrimPrefix(host, "www.") != strings.TrimPrefix(there, "www."):
		return ""
	case host != there:
		return "it leads to the apex or the www of the same domain: every door leads to the site " +
			"anyway, in one hop"
	case scheme == "https":
		return "" // to itself, in a loop
	}
	return "it leads to https on the same host: every door leads to the site anyway, in one hop"
}

// withWWW gives hosts, each apex with its www: rules that lead back to the host that was asked
// differ there.
func withWWW(hosts []string) []string {
	var all []string
	for _, name := range hosts {
		all = append(all, name)
		if h, err := web.ParseHost(name); err == nil && h.IsApex() &&
			!slices.Contains(hosts, "www."+name) {
			all = append(all, "www."+name)
		}
	}
	return all
}

// Bounds of what is made of a file, far above what people write: an expression of thirty groups
// with two alternatives each stands for a thousand million paths.
const (
	mostWays      = 200     // rules of one expression
	mostPlain     = 3       // rules of a line beside its first that any line may make
	mostExtra     = 100_000 // rules of a file beside those
	mostCompared  = 200_000 // pairs of rules that are looked at for paths that both take
	mostNesting   = 100     // blocks in each other
	mostExpressed = 8 << 10 // octets of an expression
)

// What means something in the rule language, written as a URL has it.
var (
	reserved = strings.NewReplacer("{", "%7B", "}", "%7D", "*", "%2A")
	braces   = strings.NewReplacer("{", "%7B", "}", "%7D")
)

// add adds a rule. A pattern that ends with {+name} and a target without keep what the rule
// language says of them. It is false where no rule was added, since a door does so anyway, or there
// are too many.
func (m *Import) add(line int, text, old, to string, status int, drop bool, note,
	differ string) bool {
	if why := ownDoor(old, to); why != "" {
		m.anyway(line, text, why)
		return false
	}
	if n := len(m.Rules); n > 0 && m.Rules[n-1].Source == line &&
		m.Rules[n-1].Text == strings.TrimSpace(text) {
		if m.more++; m.more > mostPlain {
			m.extra++
		}
		if m.extra > mostExtra {
			if m.over != line {
				m.leave(
					line,
					text,
					"not all of its alternatives: the lines of this file make more than %d rules besides",
					mostExtra,
				)
			}
			m.over = line
			return false
		}
	} else {
		m.more = 0
	}
	row := rule.Row{Line: line, Old: sendable(old), New: sendable(to), Status: statusText(status)}
	if drop {
		row.Query = "drop"
	}
	m.Rules = append(
		m.Rules,
		ImportedRule{Row: row, Source: line, Text: strings.TrimSpace(text), Rank: len(m.Rules),
			Note: note, Differ: differ, narrow: note != ""},
	)
	return true
}

// statusText gives a status as text, one text for all that have it.
func statusText(status int) string {
	for _, usual := range []string{"301", "302", "303", "307", "308", "410"} {
		if usual == strconv.Itoa(status) {
			return usual
		}
	}
	return strconv.Itoa(status)
}

// unsendable reports whether an octet is in no URL.
func unsendable(c byte) bool { return c <= ' ' || c == 0x7F || c == '"' || c == '<' || c == '>' }

// sendable writes octets that no URL holds, control characters among them, as a browser sends them.
func sendable(s string) string {
	at := 0
	for at < len(s) && !unsendable(s[at]) {
		at++
	}
	if at == len(s) {
		return s
	}
	var b strings.Builder
	for i := range len(s) {
		if c := s[i]; unsendable(c) {
			fmt.Fprintf(&b, "%%%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}

// Settle reads the rules of an import in the scope of an estate. What is no rule there, and those
// for which an earlier line takes the very same URLs, so that the file never comes to them, go to
// what is left. There may be a million: what is read is not kept.
func (m *Import) Settle(scope rule.Scope) {
	reader := rule.NewReader(scope)
	seed := maphash.MakeSeed()
	keys := make([]uint64, len(m.Rules)) // of what each takes; 0: it is no rule
	first := make(map[uint64]int32, len(m.Rules))
	for i := range m.Rules {
		r := &m.Rules[i]
		parsed, faults := reader.Read(r.Row)
		if len(faults) > 0 {
			m.leave(r.Source, r.Text, "%s", fact.Text(faults[0].Fault))
			_, old, _ := strings.Cut("://"+strings.TrimPrefix(r.Old, "http://"), "://")
			if host, path, is := strings.Cut(strings.TrimPrefix(old, "https://"), "/"); is {
				m.keeps(keptLine{line: r.Source, rank: r.Rank, left: true, alone: !r.later}, []string{host},
					[]way{{old: "/" + path}})
			}
			continue
		}
		keys[i] = max(1, maphash.String(seed, parsed.Old.String()))
		if before, have := first[keys[i]]; !have || r.Rank < m.Rules[before].Rank {
			first[keys[i]] = int32(i)
		}
	}
	text := func(i int) string {
		parsed, _ := reader.Read(m.Rules[i].Row)
		return parsed.Old.String()
	}
	drop := make([]bool, len(m.Rules))
	for i := range m.Rules {
		at := int(first[keys[i]])
		if drop[i] = keys[i] == 0; drop[i] || at == i || text(at) != text(i) {
			continue
		}
		drop[i] = true
		m.leave(m.Rules[i].Source, m.Rules[i].Text, "line %d comes first and takes all of %s",
			m.Rules[at].Source, text(i))
	}
	kept := m.Rules[:0] // in place
	for i := range m.Rules {
		if !drop[i] {
			kept = append(kept, m.Rules[i])
		}
	}
	m.Rules = kept
	slices.SortStableFunc(m.Skipped, func(a, b SkippedLine) int { return cmp.Compare(a.Line, b.Line) })
}

// Difference is a URL that the file and the rules made of it answer otherwise.
type Difference struct {
	URL   string `json:"url"`
	Line  int    `json:"line"`            // of the file, that answers there
	Other int    `json:"other,omitempty"` // of the file, whose rule answers here; 0: none
	Says  string `json:"says"`
}

// Differences finds where it changes an answer that the file takes the first match and the rules
// the most specific one; and where else they say something else. Each comes with a URL. The rules
// have to be settled in the same scope.
func (m *Import) Differences(scope rule.Scope, canonical web.Door) []Difference {
	if m.Ours > 0 && !m.stars {
		return nil // it is a table of our own rules: there too the most specific one wins
	}
	w := newWins(m, scope, canonical)
	all := slices.DeleteFunc(slices.Clone(m.said), w.comesBefore)
	for i := range m.Rules {
		r := &m.Rules[i]
		if r.Differ != "" && !w.overruled(i, r.Differ) && !w.ownLine(i, r.Differ) &&
			!w.comesBefore(Difference{URL: r.Differ, Line: r.Source}) &&
			!(strings.HasPrefix(r.Note, "The rule takes") && w.sameAnyway(i, r.Differ)) &&
			!w.keptBefore(r.Rank, r.Differ) {
			all = append(all, Difference{r.Differ, r.Source, 0, r.Note})
		}
		if !r.Folds {
			continue
		}
		read := w.read(i)
		if u := otherCase(read); u != "" && (scope.Mode == nil || !scope.Mode(read.Old.Host).IgnoreCase) {
			d := Difference{u, r.Source, 0,
				"The file ignores case there; rules do so where the domain says ignore-case: yes."}
			if r.narrow {
				d.Says = "The file ignores case there and may take this; rules do so where the domain says " +
					"ignore-case: yes."
			}
			if !w.comesBefore(d) && !w.keptBefore(r.Rank, d.URL) {
				all = append(all, d)
			}
		}
	}
	w.found = append(append(all, w.beyond()...), w.given()...)
	for i, pairs := 0, 0; i < len(m.Rules); i++ {
		w.meeting(i, func(other int) {
			if pairs++; pairs <= mostCompared {
				w.compare(i, other)
			}
		})
		if pairs > mostCompared {
			m.leave(
				m.Rules[i].Source,
				m.Rules[i].Text,
				"it and the later lines are translated, but not compared with other lines that may take "+
					"their URLs too: there are more than %d such pairs",
				mostCompared,
			)
			break
		}
	}
	slices.SortStableFunc(w.found, func(a, b Difference) int { return cmp.Compare(a.Line, b.Line) })
	return w.found
}

// given gives for each line that keeps URLs for itself one that a rule of a later line takes now.
func (w *wins) given() []Difference {
	var all []Difference
	said := map[int]bool{}
	if w.of.crowded > 0 && len(w.of.Rules) > 0 {
		w.of.leaves(w.of.crowded, "it and the lines behind it that keep URLs for themselves are not "+
			"compared with the rules: there are more than %d of them", mostKept)
	}
	for i, looked := 0, 0; i < len(w.of.kept); i++ {
		k := w.of.kept[i]
		var kept *rule.Rule
		if k.expression == nil {
			var faults problem.List
			kept, faults = w.reader.Read(rule.Row{Old: sendable(k.host + k.old), Status: "410"})
			if len(faults) > 0 {
				continue
			}
		}
		if said[k.line] {
			continue
		}
		for j := range w.of.Rules {
			r := &w.of.Rules[j]
			if looked++; looked > 20*mostCompared {
				w.of.leaves(k.line, "it and the later lines that keep URLs for themselves are not "+
					"compared with all rules that may take these: there are too many")
				return all
			}
			says := "The file answers this itself and redirects nobody; the rule of line %d takes it now."
			switch {
			case r.Rank < k.rank || k.left && r.Source == k.line || k.alone && r.later && !k.adds ||
				k.adds && r.later && r.Status == "410":
				continue
			case k.left:
				says = "This line is not translated and may take it first; the rule of line %d takes it now."
			case r.later && k.adds:
				says = "The file adds to the query inside the server first; the rule of line %d does not."
			}
			if u, takes := w.takesNow(k, kept, j); takes {
				all, said[k.line] = append(all, Difference{u.String(), k.line, 0,
					fmt.Sprintf(says, r.Source)}), true
				break
			}
		}
	}
	return all
}

// mostLooked is how many lines that keep URLs are looked at for each difference.
const mostLooked = 100

// keptBefore reports whether a line before a rule keeps a URL for itself.
func (w *wins) keptBefore(rank int, url string) bool {
	u, err := web.ParseURL(url)
	if err != nil || len(w.of.kept) > mostLooked {
		return false
	}
	for _, k := range w.of.kept {
		if k.rank > rank || k.expression != nil || k.adds {
			continue
		}
		kept, faults := w.reader.Read(rule.Row{Old: sendable(k.host + k.old), Status: "410"})
		if len(faults) == 0 {
			if _, takes := rule.Compile([]*rule.Rule{kept}, w.scope).Lookup(u); takes {
				return true
			}
		}
	}
	return false
}

// ownLine reports whether another rule of the same line takes a URL that one does not.
func (w *wins) ownLine(i int, url string) bool {
	u, err := web.ParseURL(url)
	if err != nil {
		return false
	}
	won, ok := w.winner(u)
	own := w.read(i)
	return ok && won.Rule.Line == own.Line && won.Rule.Old.String() != own.Old.String()
}

// sameAnyway reports whether another line answers a URL in the file as the rules do, where the line
// of a rule does not take it.
func (w *wins) sameAnyway(i int, url string) bool {
	u, err := web.ParseURL(url)
	if err != nil {
		return false
	}
	won, ok := w.winner(u)
	if !ok {
		return false
	}
	first, answer := -1, rule.Match{}
	for _, j := range w.rivals(u) {
		if j == i || first >= 0 && w.of.Rules[j].Rank > w.of.Rules[first].Rank {
			continue
		}
		if m, takes := rule.Compile([]*rule.Rule{w.read(j)}, w.scope).Lookup(u); takes {
			first, answer = j, m
		}
	}
	return first >= 0 && answer.Rule.Status == won.Rule.Status &&
		answer.Location(w.canonical) == won.Location(w.canonical)
}

// comesBefore reports whether an earlier line answers the URL of a difference, in the file and
// here.
func (w *wins) comesBefore(d Difference) bool {
	u, err := web.ParseURL(d.URL)
	if err != nil {
		return false
	}
	won, ok := w.winner(u)
	if !ok {
		return false
	}
	rank, known := w.ranks[won.Rule.Line]
	own, has := w.ranks[d.Line]
	return known && (!has || rank < own)
}

// overruled reports whether a rule takes a URL, but another one wins there: what it would answer
// does not matter then.
func (w *wins) overruled(i int, url string) bool {
	u, err := web.ParseURL(url)
	if err != nil {
		return false
	}
	r := w.read(i)
	if _, takes := rule.Compile([]*rule.Rule{r}, w.scope).Lookup(u); !takes {
		return false
	}
	won, ok := w.winner(u)
	return ok && (won.Rule.Line != r.Line || won.Rule.Old.String() != r.Old.String())
}

// both gives a path that an expression takes and a rule too, of those that can be drawn from the
// expression; "" where none of them is.
func (w *wins) both(k keptLine, r *rule.Rule) string {
	table := rule.Compile([]*rule.Rule{r}, rule.Scope{})
	for _, drawn := range w.drawn(k.expression) {
		path := encodedPath(k.without + drawn)
		if !strings.HasPrefix(path, "/") || web.RemoveDotSegments(path) != path {
			continue
		}
		door := web.Door{Scheme: cmp.Or(r.Old.Scheme, web.HTTP), Host: r.Old.Host}
		if _, takes := table.Lookup(door.URL(path, queryFor(r))); takes {
			return path
		}
	}
	return ""
}

// drawn gives some texts that an expression takes.
func (w *wins) drawn(e *regexp.Regexp) []string {
	if all, known := w.texts[e]; known {
		return all
	}
	parsed, err := syntax.Parse(e.String(), syntax.Perl)
	var all []string
	if err == nil {
		for repeats := range 3 {
			for choice := range 4 {
				if text := drawnFrom(parsed, repeats, choice); len(text) < mostExpressed &&
					e.MatchString(text) &&
					!slices.Contains(all, text) {
					all = append(all, text)
				}
			}
		}
	}
	if w.texts == nil {
		w.texts = map[*regexp.Regexp][]string{}
	}
	w.texts[e] = all
	return all
}

// drawnFrom draws a text: what may be repeated comes so often, of alternatives one.
func drawnFrom(x *syntax.Regexp, repeats, choice int) string {
	var b strings.Builder
	times := func(n int) {
		for range n {
			b.WriteString(drawnFrom(x.Sub[0], repeats, choice))
		}
	}
	switch x.Op {
	case syntax.OpLiteral:
		return string(x.Rune)
	case syntax.OpCharClass:
		for _, c := range "ab1-_/" {
			for i := 0; i < len(x.Rune); i += 2 {
				if c >= x.Rune[i] && c <= x.Rune[i+1] {
					return string(c)
				}
			}
		}
		if len(x.Rune) > 0 {
			return string(x.Rune[0])
		}
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return "a"
	case syntax.OpStar, syntax.OpQuest:
		times(min(repeats, 1))
	case syntax.OpPlus:
		times(1)
	case syntax.OpRepeat:
		times(min(x.Min, mostExpressed))
	case syntax.OpAlternate:
		return drawnFrom(x.Sub[choice%len(x.Sub)], repeats, choice)
	case syntax.OpConcat, syntax.OpCapture:
		for _, sub := range x.Sub {
			b.WriteString(drawnFrom(sub, repeats, choice))
		}
	}
	return b.String()
}

// takesNow gives a URL that a line keeps for itself and a rule takes, if there is one.
func (w *wins) takesNow(k keptLine, kept *rule.Rule, i int) (web.URL, bool) {
	r := w.read(i)
	path := ""
	switch {
	case kept != nil:
		meet := false
		path, meet = rule.Overlap(kept.Old.Parts, r.Old.Parts)
		if !meet || r.Old.Host != kept.Old.Host {
			return web.URL{}, false
		}
	default:
		u, ok := rule.Compile([]*rule.Rule{r}, rule.Scope{}).Example(r)
		if !ok || r.Old.Host.String() != k.host {
			return web.URL{}, false
		}
		path = u.Path()
		if inside, below := strings.CutPrefix(web.Decode(path), k.without); !below ||
			!k.expression.MatchString(inside) {
			path = w.both(k, r)
			if path == "" {
				return web.URL{}, false
			}
		}
	}
	both := []*rule.Rule{r}
	if kept != nil {
		both = append(both, kept)
	}
	u := web.Door{
		Scheme: cmp.Or(r.Old.Scheme, web.HTTP),
		Host:   r.Old.Host,
	}.URL(
		path,
		queryFor(both...),
	)
	won, ok := w.winner(u)
	return u, ok && won.Rule.Line == r.Line && won.Rule.Old.String() == r.Old.String()
}

// beyond gives, for each apex that the file names without its www, a URL of the www that a rule
// takes and the file does not.
func (w *wins) beyond() []Difference {
	var all []Difference
	for _, n := range w.of.Names {
		apex, err := web.ParseHost(n.Host)
		if err != nil || !apex.IsApex() || w.scope.Serves != nil && w.scope.Serves(apex.WWW()) ||
			slices.ContainsFunc(w.of.Names, func(o Named) bool { return o.Host == apex.WWW().String() }) {
			continue
		}
		at, have := w.firstOf[apex]
		if _, www := w.firstOf[apex.WWW()]; www || !have {
			continue
		}
		for i := int(at); i < len(w.of.Rules); i++ {
			r := w.read(i)
			if r.Old.Host != apex {
				continue
			}
			if u, ok := rule.Compile([]*rule.Rule{r}, rule.Scope{}).Example(r); ok {
				all = append(all,
					Difference{u.At(web.Door{Scheme: u.Scheme(), Host: apex.WWW()}).String(), n.Line, 0,
						fmt.Sprintf("The file names %s without its www; a rule of an apex applies to its www too.",
							apex)})
				break
			}
		}
	}
	return all
}

// otherCase gives a URL that a rule takes but for the case of its letters, "" where it holds none.
func otherCase(r *rule.Rule) string {
	path, upper, lower := "", "", ""
	for _, p := range r.Old.Parts {
		text, capture := p.Literal, p.IsCapture()
		switch {
		case capture && p.Digits:
			text = "7"
		case capture:
			text = "x"
		}
		path, upper, lower = path+text, upper+text, lower+text
		if !capture {
			upper = upper[:len(upper)-len(text)] + strings.ToUpper(text)
			lower = lower[:len(lower)-len(text)] + strings.ToLower(text)
		}
	}
	other := upper
	if other == path {
		other = lower
	}
	if other == path || strings.Contains(path, "%") {
		return ""
	}
	return web.Door{Scheme: cmp.Or(r.Old.Scheme, web.HTTP), Host: r.Old.Host}.URL(other,
		queryFor(r)).String()
}

// wins compares which rule wins with which line is the first. Rules are read again where they are
// needed.
type wins struct {
	of        *Import
	scope     rule.Scope
	reader    *rule.Reader
	canonical web.Door
	said      map[[2]int]bool
	found     []Difference
	texts     map[*regexp.Regexp][]string // drawn from an expression
	seed      maphash.Seed
	// by how their paths begin and what they ask for: one more than the first rule
	led   map[uint64]int32
	next  []int32             // one more than the next that begins so and asks for that
	kinds map[uint64][]string // the sets of parameters for which rules ask whose paths begin so
	// by how their paths begin and for which parameters they ask, whatever the values
	ledKind  map[uint64]int32
	nextKind []int32
	firstOf  map[web.Host]int32 // the first rule of each host
	modes    bool               // some host does not care how a path is written
	table    *rule.Table        // of all rules, where that had to be made
	ranks    map[int]int        // of the first rule of each line
}

func newWins(m *Import, scope rule.Scope, canonical web.Door) *wins {
	w := &wins{of: m, scope: scope, reader: rule.NewReader(scope), canonical: canonical,
		said: map[[2]int]bool{},
		seed: maphash.MakeSeed(), led: make(map[uint64]int32, len(m.Rules)),
		next:  make([]int32, len(m.Rules)),
		kinds: map[uint64][]string{}, ledKind: map[uint64]int32{}, nextKind: make([]int32, len(m.Rules)),
		firstOf: map[web.Host]int32{}, ranks: map[int]int{}}
	for i := len(m.Rules) - 1; i >= 0; i-- {
		r := w.read(i)
		w.ranks[m.Rules[i].Source] = m.Rules[i].Rank
		w.firstOf[r.Old.Host] = int32(i)
		path, exact := lead(r)
		begins := w.begin(r.Old.Host, path, exact)
		kind, values := asks(r)
		key := w.key(begins, kind, values)
		w.next[i], w.led[key] = w.led[key], int32(i)+1
		if kind == "" {
			continue
		}
		if key = w.key(begins, kind, anyValues); w.ledKind[key] == 0 {
			w.kinds[begins] = append(w.kinds[begins], kind)
		}
		w.nextKind[i], w.ledKind[key] = w.ledKind[key], int32(i)+1
	}
	for h := range w.firstOf {
		w.modes = w.modes || scope.Mode != nil && !scope.Mode(h).IsExact()
	}
	return w
}

// read reads a rule, which was one when the import was settled.
func (w *wins) read(i int) *rule.Rule {
	r, _ := w.reader.Read(w.of.Rules[i].Row)
	return r
}

// begin stands for how the paths of a rule begin: the text before its first capture, or a whole
// path.
func (w *wins) begin(h web.Host, text string, exact bool) uint64 {
	k := maphash.String(w.seed, text) ^ maphash.String(w.seed, h.String())*0x9E3779B97F4A7C15
	if exact {
		k = ^k
	}
	return k
}

// anyValues stands in a key for whatever is asked for.
const anyValues = "\x01"

func (w *wins) key(begins uint64, kind, values string) uint64 {
	if kind == "" {
		return begins
	}
	return begins*0xBF58476D1CE4E5B9 ^ maphash.String(w.seed, kind+"\x00"+values)
}

// asks gives the parameters of which a rule asks for one value each, and these: rules that ask for
// the same parameters and other values never take one URL.
func asks(r *rule.Rule) (kind, values string) {
	for _, c := range r.Old.Query {
		if value, fixed := c.Fixed(); fixed {
			kind, values = kind+c.Key+"\x00", values+value+"\x00"
		}
	}
	return kind, values
}

// valuesIn gives what a query asks of the parameters of a kind; false where one is not there.
func valuesIn(query, kind string) (string, bool) {
	values := ""
	for key := range strings.SplitSeq(strings.TrimSuffix(kind, "\x00"), "\x00") {
		value, there := rule.Parameter(query, key)
		if !there {
			return "", false
		}
		values += web.NormalQuery(value) + "\x00"
	}
	return values, true
}

// begins calls a function for the rules whose paths begin so and that may take a URL of a rule that
// asks for so much; by chance others may be among them.
func (w *wins) begins(h web.Host, text string, exact bool, kind, values string, each func(int)) {
	begins := w.begin(h, text, exact)
	for at := w.led[begins]; at > 0; at = w.next[at-1] {
		each(int(at) - 1)
	}
	for _, other := range w.kinds[begins] {
		if other == kind {
			for at := w.led[w.key(begins, kind, values)]; at > 0; at = w.next[at-1] {
				each(int(at) - 1)
			}
			continue
		}
		for at := w.ledKind[w.key(begins, other, anyValues)]; at > 0; at = w.nextKind[at-1] {
			each(int(at) - 1)
		}
	}
}

// taking calls a function for the rules whose paths begin so and that may take a URL with a query.
func (w *wins) taking(h web.Host, text string, exact bool, query string, each func(int)) {
	begins := w.begin(h, text, exact)
	for at := w.led[begins]; at > 0; at = w.next[at-1] {
		each(int(at) - 1)
	}
	for _, kind := range w.kinds[begins] {
		if values, there := valuesIn(query, kind); there {
			for at := w.led[w.key(begins, kind, values)]; at > 0; at = w.next[at-1] {
				each(int(at) - 1)
			}
		}
	}
}

func lead(r *rule.Rule) (text string, exact bool) {
	if path, ok := r.Old.Exact(); ok {
		return path, true
	}
	if len(r.Old.Parts) > 0 && !r.Old.Parts[0].IsCapture() {
		return r.Old.Parts[0].Literal, false
	}
	return "", false
}

// meeting gives each rule that may take a path that rule i takes too, for each pair once: two whole
// paths have to be the same, and of two patterns the beginning of one begins the other's.
func (w *wins) meeting(i int, meets func(int)) {
	r := w.read(i)
	text, exact := lead(r)
	kind, values := asks(r)
	if exact {
		w.begins(r.Old.Host, text, true, kind, values, func(other int) {
			if other > i {
				meets(other)
			}
		})
	}
	for n := range len(text) + 1 {
		w.begins(r.Old.Host, text[:n], false, kind, values, func(other int) {
			if exact || n < len(text) || other > i {
				meets(other)
			}
		})
	}
}

func (w *wins) compare(i, j int) {
	if w.of.Rules[j].Rank < w.of.Rules[i].Rank {
		i, j = j, i
	}
	key := [2]int{w.of.Rules[i].Source, w.of.Rules[j].Source}
	if w.said[key] || key[0] == key[1] {
		return
	}
	first, second := w.read(i), w.read(j)
	if first.Old.Host != second.Old.Host ||
		first.Old.Scheme != "" && second.Old.Scheme != "" && first.Old.Scheme != second.Old.Scheme {
		return
	}
	path, meet := rule.Overlap(first.Old.Parts, second.Old.Parts)
	if !meet {
		return
	}
	u := web.Door{
		Scheme: cmp.Or(first.Old.Scheme, second.Old.Scheme, web.HTTP),
		Host:   first.Old.Host,
	}.URL(
		path,
		queryFor(first, second),
	)
	asks := queryFor(first, second)
	if asks != "" {
		asks += "&"
	}
	differs := false
	for _, u = range []web.URL{u, u.Door().URL(path, asks+"x=1")} { // what becomes of a query, too
		won, ok := w.winner(u)
		if !ok || won.Rule.Line != second.Line || won.Rule.Old.String() != second.Old.String() {
			return
		}
		theirs, takes := rule.Compile([]*rule.Rule{first}, w.scope).Lookup(u)
		if differs = takes && (theirs.Location(w.canonical) != won.Location(w.canonical) ||
			first.Status != second.Status); differs {
			break
		}
	}
	if !differs {
		return
	}
	w.said[key] = true
	says := "The file's line %d comes first and takes it; here line %d wins, which is more specific."
	if w.of.Rules[i].narrow { // and the path may not be one of those that it takes
		says = "The file's line %d comes first and may take it; here line %d wins, which is more " +
			"specific."
	}
	w.found = append(w.found, Difference{u.String(), key[0], key[1],
		fmt.Sprintf(says, key[0], key[1])})
}

// mostRivals is how many rules that may take a URL are looked at by themselves; beyond, all rules
// are.
const mostRivals = 64

// rivals gives the rules that may take a URL; by chance others may be among them.
func (w *wins) rivals(u web.URL) []int {
	var few []int
	path := web.NormalPath(u.Path())
	hosts := []web.Host{u.Host()}
	if apex, ok := u.Host().Apex(); ok && apex != u.Host() {
		hosts = append(hosts, apex) // whose rules its www may inherit
	}
	for _, h := range hosts {
		w.taking(h, path, true, u.Query(), func(i int) { few = append(few, i) })
		for n := range len(path) + 1 {
			w.taking(h, path[:n], false, u.Query(), func(i int) { few = append(few, i) })
		}
	}
	return few
}

// winner gives the rule that takes a URL, of all.
func (w *wins) winner(u web.URL) (rule.Match, bool) {
	if w.table == nil && !w.modes {
		if few := w.rivals(u); len(few) <= mostRivals {
			slices.Sort(few)
			rules := make([]*rule.Rule, len(few))
			for i, at := range few {
				rules[i] = w.read(at)
			}
			return rule.Compile(rules, w.scope).Lookup(u)
		}
	}
	if w.table == nil {
		rules := make([]*rule.Rule, len(w.of.Rules))
		for i := range rules {
			rules[i] = w.read(i)
		}
		w.table = rule.Compile(rules, w.scope)
	}
	return w.table.Lookup(u)
}

func queryFor(rules ...*rule.Rule) string {
	var all []string
	for _, r := range rules {
		for _, c := range r.Old.Query {
			value := ""
			for _, p := range c.Parts {
				if p.IsCapture() {
					value += "7"
				} else {
					value += p.Literal
				}
			}
			if !slices.Contains(all, c.Key+"="+value) {
				all = append(all, c.Key+"="+value)
			}
		}
	}
	return strings.Join(all, "&")
}

// expression is a regular expression of the simple kind, as templates: one for each alternative.
// Its groups are captures g1, g2, ...
type expression struct {
	ways     []way
	anchored bool // at its end
}

type way struct {
	old    string            // a path as a template
	groups map[string]string // how each group is written in a target, by number and name
	note   string
	differ string // a path at which the template says otherwise
	folds  bool   // it ignores case
	exact  string // how many digits it asks for, in words; "": any number
	// the capture of these, and digits that are too many or too few
	exactName, exactText string
	// a capture, what it takes and the class of the file does not, and that class; "": none
	oddName, oddText, class string
	some                    string            // a capture that may be nothing, and is not in the file
	uri                     map[string]string // groups of a condition on the path
	// the query that old ends with, of a condition; one of which the note is
	asked, other string
	sample       string // of that query
	raw          bool   // its groups are not decoded
}

// readExpression takes a regular expression apart. prefix stands before what it matches: "/" where
// a server leaves it away. The error is the reason why the rule language cannot say it.
func readExpression(s, prefix string) (expression, error) {
	return readAs(s, prefix, false)
}

// readAs reads an expression; raw says that it is compared with paths as they came, not decoded.
func readAs(s, prefix string, raw bool) (expression, error) {
	s, folds := strings.CutPrefix(s, "(?i)")
	all, err := branches(s)
	if err != nil {
		return expression{}, err
	}
	var whole expression
	seen := map[string]bool{}
	for _, one := range all {
		x, err := readBranch(one, prefix, raw)
		if err != nil {
			return expression{}, err
		}
		whole.anchored = x.anchored
		for _, w := range x.ways {
			if w.folds = folds; !seen[w.old] {
				seen[w.old] = true
				whole.ways = append(whole.ways, w)
			}
		}
	}
	if len(whole.ways) > mostWays {
		return expression{}, errTooMany
	}
	return whole, nil
}

// readBranch takes an expression apart whose groups of texts are whole ones.
func readBranch(s, prefix string, raw bool) (expression, error) {
	if len(s) > mostExpressed {
		return expression{}, fmt.Errorf("its expression is longer than %d octets", mostExpressed)
	}
	r := expressionReader{rest: s, raw: raw}
	start := way{old: prefix, groups: map[string]string{}}
	starts := []way{}
	switch rest, anchored := strings.CutPrefix(s, "^"); {
	case anchored && (rest == ".?" || rest == "."), s == "" || s == ".?" || s == ".":
		r.rest = "" // whatever the path is
	case anchored:
		r.rest = rest
	case strings.HasPrefix(strings.TrimPrefix(s, "("), ".*") ||
		strings.HasPrefix(strings.TrimPrefix(s, "("), ".+"):
		// It takes all from the beginning on.
	case literalEnding(s) && s[0] != '/':
		start.old = firstOf(prefix, "/") + "{+any}"
	case literalEnding(s):
		below := start
		below.old = "/{+any}"
		if starts = append(starts, below); prefix == "" {
			starts = append(starts, start)
		}
	default:
		return expression{},
			fmt.Errorf("it matches anywhere in a path, and a rule starts at its beginning")
	}
	if prefix == "/" && start.old == "/" && len(starts) == 0 {
		// some write it although it is never there
		r.rest = strings.TrimPrefix(strings.TrimPrefix(r.rest, "/?"), "/")
	}
	if len(starts) == 0 {
		starts = append(starts, start)
	}
	ways, err := r.read(starts, false)
	if err != nil {
		return expression{}, err
	}
	if !r.ended {
		for i := range ways { // only how it begins matters
			if w := &ways[i]; w.oddText != "" && strings.HasSuffix(w.old, "}") {
				w.oddText = strings.TrimPrefix(w.oddText, "x")
			}
		}
		if ways, err = open(ways); err != nil {
			return expression{}, err
		}
	}
	seen := map[string]bool{}
	ways = slices.DeleteFunc(ways, func(w way) bool {
		no := seen[w.old] || w.old == "" || w.old[0] != '/' && w.old[0] != '{'
		seen[w.old] = true
		return no
	})
	if len(ways) == 0 {
		return expression{},
			fmt.Errorf("it matches no path, since each begins with / (in an .htaccess none does)")
	}
	for i := range ways {
		r.noteOf(&ways[i])
	}
	return expression{ways, r.ended}, nil
}

// noteOf notes of a way where its template takes other paths than the expression, with one.
func (r *expressionReader) noteOf(w *way) {
	switch u := longestFirst(w.old); {
	case w.note != "":
	case w.exact != "": // a sample has one digit, and it asks for more
		w.note = "The rule takes any number of digits there, the file " + w.exact + "."
		w.differ = exampleWith(w.old, w.exactName+":digits", w.exactText)
	case r.spaces && strings.Contains(w.old, "%20"):
		w.note = "The file takes other white space there too; the rule takes a space."
		w.differ = strings.ReplaceAll(exampleOf(w.old), "%20", "%09")
	case w.oddText != "":
		w.note = "The rule takes any characters there, the file " + w.class + " alone."
		w.differ = exampleWith(w.old, w.oddName, w.oddText)
	case w.some != "":
		w.note = "The rule takes the URL with nothing there too."
		w.differ = exampleWith(w.old, w.some, "")
	case u != "" && !r.lazy:
		w.note = "A capture of the rule takes the shortest first, the group of the file the longest."
		w.differ = u
	}
}

var errTooMany = fmt.Errorf("its alternatives stand for more than %d rules; write it as several "+
	"lines", mostWays)

// open lets anything stand behind the paths of ways, as behind an expression without $.
func open(ways []way) ([]way, error) {
	var made []way
	for _, w := range ways {
		last := w.old[strings.LastIndexByte(w.old, '{')+1:]
		switch {
		case !strings.HasSuffix(w.old, "}"):
			if w.old == "" {
				w.old = "/"
			}
			w.old += "{+rest}"
		case strings.HasPrefix(last, "+"):
		case strings.HasSuffix(last, ":digits}"):
			return nil, fmt.Errorf("it has no $ at its end, and a rule cannot express what follows digits")
		default: // a segment, or a segment and what is below it
			made = append(made, w)
			w.old += "/{+rest}"
		}
		made = append(made, w)
	}
	return made, nil
}

type expressionReader struct {
	rest           string
	group, unnamed int
	ended          bool    // by $
	narrow         *narrow // the class that was read last, where it takes less than a capture
	lazy           bool    // some class takes the shortest first itself
	raw            bool    // it is compared with paths as they came
	spaces         bool    // it takes any white space somewhere
}

// read goes on until the end, or within a group until it closes.
func (r *expressionReader) read(ways []way, inside bool) ([]way, error) {
	for r.rest != "" {
		c := r.rest[0]
		switch {
		case r.rest == "$":
			r.rest, r.ended = "", true
			return ways, nil
		case c == '(':
			var err error
			if ways, err = r.readGroup(ways); err != nil {
				return nil, err
			}
		case c == '[' || c == '.' || strings.HasPrefix(r.rest, `\d`) ||
			strings.HasPrefix(r.rest, `\w`) || strings.HasPrefix(r.rest, `\S`):
			unit, err := r.readClass()
			if err != nil {
				return nil, err
			}
			r.unnamed++ // a capture of its own, which no target names
			name, before := fmt.Sprintf("u%d", r.unnamed), ways
			if ways, err = with(ways, unit, name, 0, "", r.last()); err != nil {
				return nil, err
			}
			ways = r.narrowed(before, ways, name, "")
		case strings.IndexByte(`)|*+?{}^$`, c) >= 0:
			return nil, fmt.Errorf("%q is more than the rule language can express", string(c))
		default:
			text, err := r.readText()
			if err != nil {
				return nil, err
			}
			optional := strings.HasPrefix(r.rest, "?")
			if optional {
				r.rest = r.rest[1:]
			}
			if strings.HasPrefix(r.rest, "*") || strings.HasPrefix(r.rest, "+") ||
				strings.HasPrefix(r.rest, "{") {
				return nil, fmt.Errorf("a repeated character is more than the rule language can express")
			}
			if optional && 2*len(ways) > mostWays {
				return nil, errTooMany
			}
			var made []way
			for _, w := range ways {
				without := w
				w.old += text
				made = append(made, w)
				if optional {
					made = append(made, without)
				}
			}
			ways = made
		}
	}
	return ways, nil
}

// readText reads one character of text.
func (r *expressionReader) readText() (string, error) {
	c := r.rest[0]
	if octet, rest, is := hexEscape(r.rest); is {
		r.rest = rest
		if octet == "%2F" {
			return "/", nil
		}
		return octet, nil
	}
	if encoded := r.rest; !r.raw && c == '%' && len(encoded) > 2 && isHex(encoded[1:3]) {
		return "", errEncoded
	}
	r.rest = r.rest[1:]
	if r.raw && c == '%' {
		return "%", nil
	}
	if rest, is := strings.CutPrefix(r.rest, "s"); c == '\\' && is {
		r.rest, r.spaces = rest, true
		return "%20", nil
	}
	if c == '\\' {
		if r.rest == "" || strings.IndexByte("wWsSdDbB123456789", r.rest[0]) >= 0 {
			return "", fmt.Errorf("a class such as \\w is more than the rule language can express")
		}
		c = r.rest[0]
		r.rest = r.rest[1:]
	}
	if c == '{' || c == '}' || c == '*' || c == '%' || c == ' ' {
		return fmt.Sprintf("%%%02X", c), nil
	}
	return string([]byte{c}), nil
}

// errNoText says that something is no text.
var errNoText = errors.New("it is no text")

// text reads a whole text of an expression.
func (r *expressionReader) text(s string) (string, error) {
	inner, text := expressionReader{rest: s, raw: r.raw}, ""
	for inner.rest != "" {
		if strings.IndexByte(`)(|*+?{}^$[`, inner.rest[0]) >= 0 {
			return "", errNoText
		}
		one, err := inner.readText()
		if err != nil {
			return "", err
		}
		text += one
	}
	r.spaces = r.spaces || inner.spaces
	return text, nil
}

// exactDigits is a class that takes so many digits.
var exactDigits = regexp.MustCompile(`^(?:\[0-9\]|\\d)\{(\d{1,3})(?:,(\d{0,3}))?\}`)

// manyDigits says {2}, {2,4} or {2,} in words.
func manyDigits(braces string) string {
	least, most, ranged := strings.Cut(strings.Trim(braces, "{}"), ",")
	switch {
	case !ranged:
		return "exactly " + least
	case most == "":
		return least + " or more"
	}
	return least + " to " + most
}

// What a class and its repetition take.
const (
	takesSegment = "segment" // one or more characters without /
	takesDigits  = "digits"
	takesAll     = "all"  // anything, nothing included
	takesSome    = "some" // anything, but something
)

// readClass reads a class with its repetition, outside a group or as a whole group.
func (r *expressionReader) readClass() (string, error) {
	for _, c := range []struct{ text, takes string }{
		{".*", takesAll}, {".+", takesSome}, {"[^/]+", takesSegment}, {"[0-9]+", takesDigits},
		{`\d+`, takesDigits},
	} {
		if rest, ok := strings.CutPrefix(r.rest, c.text); ok {
			if c.takes == takesDigits && strings.HasPrefix(rest, "{") {
				break
			}
			var lazy bool
			rest, lazy = strings.CutPrefix(rest, "?") // the shortest first is how captures are
			r.rest, r.lazy = rest, r.lazy || lazy
			return c.takes, nil
		}
	}
	if takes, ok := r.readBracket(); ok {
		return takes, nil
	}
	if m := exactDigits.FindStringSubmatch(r.rest); m != nil {
		least, _ := strconv.Atoi(m[1])
		if most, _ := strconv.Atoi(m[2]); least > 1 || least == 1 && most > 0 {
			r.rest = r.rest[len(m[0]):]
			return m[0][strings.IndexByte(m[0], '{'):], nil
		}
	}
	end := strings.IndexAny(r.rest, ")/")
	if end < 1 {
		end = len(r.rest)
	}
	if strings.HasPrefix(r.rest, "[0-9]") || strings.HasPrefix(r.rest, `\d`) {
		return "", fmt.Errorf(
			"%s asks for an exact number of digits, and {name:digits} takes any; write it by hand if "+
				"that is close enough",
			r.rest[:end],
		)
	}
	return "", fmt.Errorf("%s is more than the rule language can express", r.rest[:end])
}

// readGroup reads a group: a class, or alternatives of text.
func (r *expressionReader) readGroup(ways []way) ([]way, error) {
	named := strings.HasPrefix(r.rest, "(?<") || strings.HasPrefix(r.rest, "(?P<")
	if strings.HasPrefix(r.rest, "(?") && !strings.HasPrefix(r.rest, "(?:") && !named ||
		strings.HasPrefix(r.rest, "(?<=") ||
		strings.HasPrefix(r.rest, "(?<!") {
		return nil, fmt.Errorf("a group such as (?...) is more than the rule language can express")
	}
	captures, number, name := !strings.HasPrefix(r.rest, "(?:"), 0, ""
	if named {
		end := strings.IndexByte(r.rest, '>')
		if end < 0 {
			return nil, fmt.Errorf("a group is not closed")
		}
		name, r.rest = r.rest[strings.IndexByte(r.rest, '<')+1:end], r.rest[end+1:]
	}
	r.rest = strings.TrimPrefix(strings.TrimPrefix(r.rest, "("), "?:")
	if captures {
		r.group++
		number = r.group
	}
	end := strings.IndexByte(r.rest, ')')
	if end < 0 {
		return nil, fmt.Errorf("a group is not closed")
	}
	inside := r.rest[:end]
	if made, is, err := r.readTail(ways, inside, end, number, name); is {
		return made, err
	}
	if made, is, err := r.readSuffix(ways, inside, end, number, name); is {
		return made, err
	}
	if made, is, err := r.readPrefix(ways, inside, end, number, name); is {
		return made, err
	}
	if made, is := r.readFolders(ways, inside, end, number, name); is {
		return made, nil
	}
	if !strings.ContainsAny(inside, ".[") && !classEscape.MatchString(inside) ||
		strings.Contains(inside, `\.`) &&
			!strings.ContainsAny(strings.ReplaceAll(inside, `\.`, ""), ".[") &&
			!classEscape.MatchString(inside) {
		return r.readAlternatives(ways, inside, end, number, name)
	}
	greedy := !strings.Contains(inside, "?")
	takes, err := r.readClass()
	if err != nil {
		return nil, err
	}
	if !strings.HasPrefix(r.rest, ")") {
		return nil,
			fmt.Errorf("a group with more than one class is more than the rule language can express")
	}
	r.rest = r.rest[1:]
	if r.rest != "" && strings.IndexByte("?*+{", r.rest[0]) >= 0 {
		return nil, fmt.Errorf("a repeated group is more than the rule language can express")
	}
	if r.rest == "/?$" && greedy && (takes == takesAll || takes == takesSome) {
		r.rest = "$" // the group takes the slash itself
	}
	capture, before := fmt.Sprintf("g%d", number), ways
	if ways, err = with(ways, takes, capture, number, name, r.last()); err != nil {
		return nil, err
	}
	return r.narrowed(before, ways, capture, fmt.Sprint(number)), nil
}

// classEscape is an escape that stands for a class.
var classEscape = regexp.MustCompile(`\\[dwS]`)

// last reports whether nothing comes behind, or a literal ending alone.
func (r *expressionReader) last() bool {
	return r.rest == "" || r.rest == "$" || literalEnding(r.rest)
}

// literalEnding reports whether an expression is text up to its end, of which some may be missing
// or be another: none of these texts ends with another one, so that it does not matter how much
// stands before it.
func literalEnding(s string) bool {
	inner, ends := strings.CutSuffix(s, "$")
	if !ends || strings.HasSuffix(inner, `\`) {
		return false
	}
	parsed, err := syntax.Parse(inner, syntax.Perl)
	if err != nil || strings.Contains(inner, "(?i") || strings.Contains(inner, "(?s") {
		return false
	}
	texts, ok := textsOf(parsed)
	if !ok {
		return false
	}
	for i, one := range texts {
		for j, other := range texts {
			if i != j && strings.HasSuffix(one, other) {
				return false
			}
		}
	}
	return !slices.Contains(texts, "")
}

// mostTexts is how many texts an expression may stand for to be read as these.
const mostTexts = 16

// textsOf gives all texts that an expression takes, false where they are many or without end.
func textsOf(x *syntax.Regexp) ([]string, bool) {
	all := []string{""}
	switch x.Op {
	case syntax.OpEmptyMatch:
	case syntax.OpLiteral:
		all = []string{string(x.Rune)}
	case syntax.OpCharClass:
		all = nil
		for i := 0; i < len(x.Rune); i += 2 {
			if x.Rune[i] != x.Rune[i+1] {
				return nil, false
			}
			all = append(all, string(x.Rune[i]))
		}
	case syntax.OpCapture:
		return textsOf(x.Sub[0])
	case syntax.OpQuest:
		inner, ok := textsOf(x.Sub[0])
		return append(inner, ""), ok
	case syntax.OpAlternate:
		all = nil
		for _, sub := range x.Sub {
			inner, ok := textsOf(sub)
			if !ok {
				return nil, false
			}
			all = append(all, inner...)
		}
	case syntax.OpConcat:
		for _, sub := range x.Sub {
			inner, ok := textsOf(sub)
			if !ok || len(all)*len(inner) > mostTexts {
				return nil, false
			}
			var made []string
			for _, before := range all {
				for _, text := range inner {
					made = append(made, before+text)
				}
			}
			all = made
		}
	default:
		return nil, false
	}
	return all, len(all) <= mostTexts
}

// errEncoded is said of expressions that no path fits, since servers compare decoded ones.
var errEncoded = errors.New("the server compares decoded paths, so that a text with % and two " +
	"digits never fits; write a rule of your own if it is meant")

func isHex(s string) bool { return strings.Trim(s, "0123456789abcdefABCDEF") == "" }

// hexEscape reads an escape such as \xC3, as a URL has that octet.
func hexEscape(s string) (octet, rest string, is bool) {
	if len(s) < 4 || s[0] != '\\' || s[1] != 'x' || !isHex(s[2:4]) {
		return "", s, false
	}
	n, _ := strconv.ParseUint(s[2:4], 16, 8)
	if c := byte(n); c|0x20 >= 'a' && c|0x20 <= 'z' || c >= '0' && c <= '9' || c == '-' || c == '_' ||
		c == '.' || c == '~' {
		return string(c), s[4:], true
	}
	return "%" + strings.ToUpper(s[2:4]), s[4:], true
}

// tailGroup is what stands in a group that is text and then anything, as in (/.*)?.
var tailGroup = regexp.MustCompile(`^(` + plainTexts + `)(\.\*|\.\+)$`)

// readTail reads such a group; false where it is none.
func (r *expressionReader) readTail(ways []way, inside string, end, number int, name string) ([]way,
	bool, error) {
	m := tailGroup.FindStringSubmatch(inside)
	if m == nil {
		return nil, false, nil
	}
	r.rest = r.rest[end+1:]
	optional := strings.HasPrefix(r.rest, "?")
	r.rest = strings.TrimPrefix(r.rest, "?")
	if r.rest != "" && strings.IndexByte("*+{", r.rest[0]) >= 0 {
		return nil, true, fmt.Errorf("a repeated group is more than the rule language can express")
	}
	if !r.last() {
		return nil, true, fmt.Errorf("(%s) before the end takes slashes, and {name} does not", inside)
	}
	text, err := r.text(m[1])
	if err != nil {
		return nil, true, err
	}
	var made []way
	for _, w := range ways {
		written := fmt.Sprintf("%s{+g%d}", text, number)
		tail := w
		if m[2] == ".+" {
			tail.note, tail.differ = "The rule takes the URL with nothing after it too.",
				exampleOf(w.old)+text
		}
		tail.old += written
		tail.groups = maps.Clone(w.groups)
		if number > 0 {
			tail.groups[fmt.Sprint(number)], tail.groups[name] = written, written
		}
		if made = append(made, tail); optional {
			w.groups = maps.Clone(w.groups)
			if number > 0 {
				w.groups[fmt.Sprint(number)], w.groups[name] = "", ""
			}
			made = append(made, w)
		}
	}
	return made, true, nil
}

// suffixGroup is a group of a text and then a class, as in (-[0-9]+)?.
var suffixGroup = regexp.MustCompile(`^(` + plainTexts + `)(` + plainClass + `)$`)

// What is a class that is repeated, and what a text, in an expression.
const (
	plainClass = `\[0-9\]\+|\\d\+|\[\^/\]\+|\\w\+|\[[^\]\\]+\]\+`
	plainTexts = `(?:[^\\.\[\]()*+?|{}^$]|\\[^a-zA-Z0-9])+`
)

// readSuffix reads such a group, that may be missing; false where it is none.
func (r *expressionReader) readSuffix(
	ways []way,
	inside string,
	end, number int,
	name string,
) ([]way,
	bool, error) {
	m := suffixGroup.FindStringSubmatch(inside)
	if m == nil || r.narrow != nil {
		return nil, false, nil
	}
	behind, optional := strings.CutPrefix(r.rest[end+1:], "?")
	if behind != "" && strings.IndexByte("*+{", behind[0]) >= 0 {
		return nil, false, nil
	}
	text, err := r.text(m[1])
	if err != nil {
		return nil, true, err
	}
	class := expressionReader{rest: m[2]}
	takes, err := class.readClass()
	if err != nil {
		return nil, true, err
	}
	r.rest = behind
	capture := fmt.Sprintf("g%d", number)
	if number == 0 {
		r.unnamed++
		capture = fmt.Sprintf("u%d", r.unnamed)
	}
	var made []way
	for _, w := range ways {
		longer := w
		longer.old += text
		one, err := with([]way{longer}, takes, capture, 0, "", r.last())
		if err != nil {
			return nil, true, err
		}
		r.narrow = class.narrow
		one = r.narrowed(nil, one, capture, "")
		if one[0].groups = maps.Clone(w.groups); number > 0 {
			written := text + "{" + capture + "}"
			one[0].groups[fmt.Sprint(number)], one[0].groups[name] = written, written
		}
		if made = append(made, one...); optional {
			w.groups = maps.Clone(w.groups)
			if number > 0 {
				w.groups[fmt.Sprint(number)], w.groups[name] = "", ""
			}
			made = append(made, w)
		}
	}
	if len(made) > mostWays {
		return nil, true, errTooMany
	}
	return made, true, nil
}

// prefixGroup is a group of a class and then a text, as in (.+\.pdf).
var prefixGroup = regexp.MustCompile(
	`^(\.[*+]|` + plainClass + `)(` + plainTexts + `)$`)

// readPrefix reads such a group; false where it is none.
func (r *expressionReader) readPrefix(ways []way, inside string, end, number int,
	name string) ([]way, bool, error) {
	m := prefixGroup.FindStringSubmatch(inside)
	behind := r.rest[end+1:]
	if m == nil || r.narrow != nil || number == 0 ||
		behind != "" && strings.IndexByte("?*+{", behind[0]) >= 0 {
		return nil, false, nil
	}
	text, err := r.text(m[2])
	if err != nil {
		return nil, true, err
	}
	class := expressionReader{rest: m[1]}
	takes, err := class.readClass()
	if err != nil {
		return nil, true, err
	}
	last := behind == "" || literalEnding(m[2]+behind)
	capture := fmt.Sprintf("g%d", number)
	made, err := with(ways, takes, capture, 0, "", last)
	if err != nil {
		return nil, true, err
	}
	r.narrow = class.narrow
	made = r.narrowed(nil, made, capture, "")
	r.rest = behind
	for i := range made {
		w := &made[i]
		written := w.old[strings.LastIndexByte(w.old, '{'):]
		written = strings.Replace(written, ":digits}", "}", 1) + text
		w.old += text
		w.groups = maps.Clone(w.groups)
		w.groups[fmt.Sprint(number)], w.groups[name] = written, written
	}
	return made, true, nil
}

// folderGroup is a group of folders, as in (.*/)?.
var folderGroup = regexp.MustCompile(`^(?:\.\*|\.\+|\[\^/\]\+)/$`)

// readFolders reads such a group before a text up to the end; false where it is none.
func (r *expressionReader) readFolders(ways []way, inside string, end, number int,
	name string) ([]way, bool) {
	behind, optional := strings.CutPrefix(r.rest[end+1:], "?")
	if !folderGroup.MatchString(inside) || !literalEnding(behind) {
		return nil, false
	}
	r.rest = behind
	written := fmt.Sprintf("{+g%d}/", number)
	if inside[0] == '[' {
		written = fmt.Sprintf("{g%d}/", number)
	}
	var made []way
	for _, w := range ways {
		if !strings.HasSuffix(w.old, "/") {
			return nil, false
		}
		for _, text := range []string{written, ""} {
			one := w
			one.old += text
			if one.groups = maps.Clone(w.groups); number > 0 {
				one.groups[fmt.Sprint(number)], one.groups[name] = text, text
			}
			if text != "" || optional {
				made = append(made, one)
			}
		}
	}
	return made, true
}

// readAlternatives reads a group of texts, each of which makes a rule of its own.
func (r *expressionReader) readAlternatives(ways []way, inside string, end, number int,
	name string) ([]way, error) {
	r.rest = r.rest[end+1:]
	optional := strings.HasPrefix(r.rest, "?")
	r.rest = strings.TrimPrefix(r.rest, "?")
	if r.rest != "" && strings.IndexByte("*+{", r.rest[0]) >= 0 {
		return nil, fmt.Errorf("a repeated group is more than the rule language can express")
	}
	choices := strings.Split(inside, "|")
	if optional {
		choices = append(choices, "")
	}
	var texts []string
	for _, choice := range choices {
		text, err := r.text(choice)
		if errors.Is(err, errNoText) {
			return nil, fmt.Errorf("(%s) is more than the rule language can express", inside)
		}
		if err != nil {
			return nil, err
		}
		texts = append(texts, text)
	}
	if len(ways)*len(texts) > mostWays {
		return nil, errTooMany
	}
	var made []way // what the expression tries first comes first
	for _, w := range ways {
		for _, text := range texts {
			w := w
			w.old += text
			w.groups = maps.Clone(w.groups)
			if number > 0 {
				w.groups[fmt.Sprint(number)], w.groups[name] = text, text
			}
			made = append(made, w)
		}
	}
	return made, nil
}

// with adds a capture to all ways.
func with(ways []way, takes, name string, number int, group string, last bool) ([]way, error) {
	var made []way
	for _, w := range ways {
		written := "{" + name + "}"
		old := written
		if strings.HasPrefix(takes, "{") { // so many digits
			w.exact, w.exactName = manyDigits(takes), name
			w.exactText = "7"
			if text, is := strings.CutPrefix(takes, "{1,"); is {
				most, _ := strconv.Atoi(strings.TrimSuffix(text, "}"))
				w.exactText = strings.Repeat("7", most+1)
			}
			takes = takesDigits
		}
		switch takes {
		case takesDigits:
			old = "{" + name + ":digits}"
		case takesAll, takesSome:
			if !last {
				return nil, fmt.Errorf(
					"a .* before the end takes slashes, and {name} does not; write {name} by hand where it " +
						"stands for one segment",
				)
			}
			written = "{+" + name + "}"
			old = written
			if w.old == "" { // a path begins with a slash, which the group takes too
				old = "/" + written
				written = old
			} else if takes == takesSome {
				w.some = name
			}
		}
		if strings.HasSuffix(w.old, "}") || strings.Contains(w.old, "{+") {
			return nil, fmt.Errorf("two captures stand next to each other")
		}
		w.old += old
		w.groups = maps.Clone(w.groups)
		if number > 0 {
			w.groups[fmt.Sprint(number)], w.groups[group] = written, written
		}
		made = append(made, w)
	}
	return made, nil
}

// longestFirst gives a path at which it matters whether a capture takes the shortest or the longest
// first, "" where it never does: one where the text between two captures of a segment stands twice.
func longestFirst(old string) string {
	for at, end := 0, 0; ; at = end {
		start := strings.IndexByte(old[at:], '{')
		if start < 0 {
			return ""
		}
		start += at
		end = start + strings.IndexByte(old[start:], '}') + 1
		literal, _, another := strings.Cut(old[end:], "{")
		if !another || strings.Contains(literal, "/") ||
			strings.Contains(old[start:end], ":digits") && literal != "" &&
				(literal[0] < '0' || literal[0] > '9') {
			continue
		}
		sample := "x"
		if strings.Contains(old[start:end], ":digits") {
			sample = "7"
		}
		return exampleOf(old[:start]) + sample + literal + sample + literal +
			exampleOf(old[end+len(literal):])
	}
}

// exampleOf fills the captures of a path.
func exampleOf(old string) string {
	var b strings.Builder
	for old != "" {
		before, rest, capture := strings.Cut(old, "{")
		b.WriteString(before)
		name, behind, _ := strings.Cut(rest, "}")
		switch {
		case !capture:
		case strings.HasSuffix(name, ":digits"):
			b.WriteByte('7')
		default:
			b.WriteByte('x')
		}
		old = behind
	}
	return b.String()
}

// target writes a target with $1, $2 as a template. The error says what is in it that the rule
// language does not know.
func target(s string, groups map[string]string, sign byte) (string, error) {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == sign && i+1 < len(s) && s[i+1] >= '0' && s[i+1] <= '9':
			written, have := groups[s[i+1:i+2]]
			if !have {
				return "", fmt.Errorf("%c%c names no group that can be captured", sign, s[i+1])
			}
			b.WriteString(written)
			i++
		case c == '$' && nameAt(s[i+1:]) != "" && groups[nameAt(s[i+1:])] != "":
			name := nameAt(s[i+1:])
			b.WriteString(groups[name])
			i += len(name)
			if strings.HasPrefix(s[i-len(name)+1:], "{") {
				i += 2
			}
		case c == '$' || c == '%' && i+1 < len(s) && s[i+1] == '{':
			return "", fmt.Errorf("its target contains a variable (%s)", s[i:])
		case c == '\\' && i+1 < len(s):
			b.WriteByte(s[i+1])
			i++
		case c == '{':
			b.WriteString("%7B")
		case c == '}':
			b.WriteString("%7D")
		case c == '*':
			b.WriteString("%2A")
		default:
			b.WriteByte(c)
		}
	}
	if strings.HasPrefix(b.String(), "//") {
		return "", errOwnHost
	}
	return b.String(), nil
}

// errOwnHost is said of targets that seem to name a host.
var errOwnHost = errors.New("its target begins with //, and the server puts the host that was " +
	"asked before it; write the target that is meant")

// nameAt reads the name of a variable, with or without braces.
func nameAt(s string) string {
	s = strings.TrimPrefix(s, "{")
	n := 0
	for n < len(s) &&
		(s[n] == '_' || s[n]|0x20 >= 'a' && s[n]|0x20 <= 'z' || n > 0 && s[n] >= '0' && s[n] <= '9') {
		n++
	}
	return s[:n]
}
