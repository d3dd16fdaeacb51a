package imports

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// ReadHAProxy takes redirects out of a configuration of HAProxy, or out of one of its map files
// (a key and a target a line). host is whose paths they are where no condition says so.
//
// HAProxy tries its rules in their order, as mod_rewrite does: they are read as conditions and
// rules of that one, by the same reader. What is no condition of mod_rewrite is left, and may take
// what later rules take.
func ReadHAProxy(text, host string, includes Includes) Import {
	h := haproxyReader{sequence: sequence{includes: includes}, acls: map[string][][]test{},
		sections: map[string][]haproxyLine{}, seen: map[string]bool{}}
	if !h.parse(text) {
		h.mapFile(text)
		return h.read(host)
	}
	for _, name := range h.order {
		if kind, _, _ := strings.Cut(name, " "); kind == "frontend" || kind == "listen" {
			h.section(name, h.listens(name), 0)
		}
	}
	if len(h.seen) == 0 { // a part of a configuration
		for _, name := range h.order {
			h.section(name, nil, 0)
		}
	}
	for _, name := range slices.Compact(slices.Clone(h.order)) {
		for _, l := range h.sections[name] {
			if slices.Contains(l.words[:min(2, len(l.words))], "redirect") && !h.seen[name] {
				h.unread(attempt{line: l.number, text: l.text}, "no frontend of this file leads to its "+name)
			}
		}
	}
	return h.read(host)
}

// sequence is rules that are tried one after another, as lines of mod_rewrite.
type sequence struct {
	includes Includes
	steps    []attempt
	hosts    []string // that conditions name
	reasons  map[int]string
}

// attempt is one rule of a sequence.
type attempt struct {
	line    int
	text    string
	tests   []test // all have to hold
	pattern string // an expression of the decoded path
	anyCase bool
	target  string // as mod_rewrite writes it; "-": what it takes is not redirected
	flags   []string
}

// test is one condition.
type test struct {
	subject    string // of mod_rewrite, such as %{HTTP_HOST}
	expression string
	values     []string // of a path: what it is, or begins or ends with
	how        string   // of values: "", "beg" or "end"
	begs       []bool   // of values that each are a whole path, or the beginning of one; nil: how
	not, any   bool     // negated; in capitals or not
	door       bool     // where the file itself listens, by http or https
	unknown    string   // why it is none
	asks       string   // what is asked, where that is unknown
}

const (
	ofPath   = "%{REQUEST_URI}"
	ofHost   = "%{HTTP_HOST}"
	ofQuery  = "%{QUERY_STRING}"
	ofScheme = "%{HTTPS}" // https, or not
	inMap    = "map"      // what a map finds
)

// mostSteps is how many rules a configuration may become.
const mostSteps = 200_000

func (s *sequence) add(one attempt) {
	for i, t := range one.tests {
		if t.subject != ofHost || t.not || t.how != "" || len(t.values) < 2 {
			continue
		}
		for _, host := range t.values { // a rule is of one host
			each := one
			each.tests = slices.Clone(one.tests)
			each.tests[i].values = []string{host}
			s.add(each)
		}
		return
	}
	if len(s.steps) < mostSteps {
		s.steps = append(s.steps, one)
	}
}

// why notes why a line is not translated.
func (s *sequence) why(line int, reason string) {
	if s.reasons == nil {
		s.reasons = map[int]string{}
	}
	if s.reasons[line] == "" {
		s.reasons[line] = reason
	}
}

// apacheWord writes a word of mod_rewrite.
func apacheWord(s string) string {
	return `"` + strings.ReplaceAll(s, `"`, `\"`) + `"`
}

// linesOf writes an attempt as lines of mod_rewrite.
func (s *sequence) linesOf(one attempt) (all []string) {
	for _, t := range one.tests {
		if t.subject == inMap {
			t.unknown = "its condition asks a map, and its target another one, or none"
		}
		if t.unknown != "" {
			s.why(one.line, t.unknown)
			all = append(all, "RewriteCond %{ENV:UNKNOWN} known")
			continue
		}
		flag, not := "", ""
		if t.subject == ofScheme {
			is := "on"
			if t.not {
				is = "off"
			}
			all = append(all, "RewriteCond "+ofScheme+" "+is)
			continue
		}
		if t.any {
			flag = " [NC]"
		}
		if t.not {
			not = "!"
		}
		all = append(all, fmt.Sprintf("RewriteCond %s %s%s", t.subject, apacheWord(not+t.regexp()), flag))
	}
	flags := append(slices.Clone(one.flags), "L")
	if one.anyCase {
		flags = append(flags, "NC")
	}
	return append(all, fmt.Sprintf("RewriteRule %s %s [%s]", apacheWord(one.pattern),
		apacheWord(one.target), strings.Join(flags, ",")))
}

// unread adds a line that is left, and may take what later ones take.
func (s *sequence) unread(one attempt, why string) {
	one.tests = append(slices.Clone(one.tests), test{unknown: why})
	one.pattern, one.target = "^(.*)$", "https://unknown.invalid/"
	if one.flags == nil {
		one.flags = []string{"R"}
	}
	s.add(one)
}

// anySpelling leaves a path, decoded, as mod_rewrite compares it; false where an escape in it says
// something else than what it stands for.
func anySpelling(path string) (string, bool) {
	decoded := web.Decode(path)
	return decoded, encodedPath(decoded) == web.NormalPath(path)
}

// oneScheme takes conditions on the scheme away where the file has only one: what it says of http
// alone, or https alone, it says of both, as that of a virtual host is read.
func (s *sequence) oneScheme() (lines int) {
	kinds, said := map[bool]bool{}, map[int]bool{}
	for _, one := range s.steps {
		at := slices.IndexFunc(one.tests, func(t test) bool { return t.door })
		if at < 0 {
			return 0 // it says it of both
		}
		kinds[one.tests[at].not] = true
	}
	if len(kinds) != 1 {
		return 0
	}
	for i := range s.steps {
		said[s.steps[i].line] = true
		s.steps[i].tests = slices.DeleteFunc(slices.Clone(s.steps[i].tests),
			func(t test) bool { return t.door })
	}
	return len(said)
}

// regexp gives a test as an expression.
func (t test) regexp() string {
	if t.expression != "" || len(t.values) == 0 {
		return t.expression
	}
	all := make([]string, len(t.values))
	for i, v := range t.values {
		if all[i] = regexp.QuoteMeta(v); t.begs != nil && t.begs[i] {
			all[i] += ".*"
		}
	}
	text := strings.Join(all, "|")
	if len(all) > 1 {
		text = "(?:" + text + ")"
	}
	if t.how != "end" {
		text = "^" + text
	}
	if t.how != "beg" {
		text += "$"
	}
	return text
}

// read reads the steps, and puts back which line of which text each stands in.
func (s *sequence) read(host string) Import {
	hosts := slices.Compact(slices.Sorted(slices.Values(s.hosts)))
	if host != "" {
		hosts = []string{host}
	}
	widened := s.oneScheme()
	a := apache{apacheHost: apacheHost{hosts: hosts}}
	var lines []numbered
	lines = append(lines, numbered{number: 0, text: "RewriteEngine on"})
	texts := map[int]string{}
	for _, one := range s.steps {
		texts[one.line] = one.text
		for _, l := range s.linesOf(one) {
			lines = append(lines, numbered{number: one.line, text: l})
		}
	}
	for i, l := range lines {
		a.line(l.number, l.text, lines[i+1:])
	}
	if len(a.Rules) > 0 {
		a.Widened = widened
	}
	for i := range a.Rules {
		a.Rules[i].Text = texts[a.Rules[i].Source]
	}
	for i, l := range a.Skipped {
		a.Skipped[i].Text = texts[l.Line]
		if why := s.reasons[l.Line]; why != "" {
			a.Skipped[i].Reason = why
		}
	}
	for i, l := range a.Anyway {
		a.Anyway[i].Text = texts[l.Line]
	}
	seen := map[SkippedLine]bool{}
	a.Skipped = slices.DeleteFunc(a.Skipped, func(l SkippedLine) bool {
		again := seen[l]
		seen[l] = true
		return again
	})
	return a.Import
}

// haproxyLine is a line of a section.
type haproxyLine struct {
	number int
	text   string
	words  []string
}

type haproxyReader struct {
	sequence
	acls     map[string][][]test // by section and name: alternatives
	sections map[string][]haproxyLine
	order    []string
	seen     map[string]bool // sections that were read
}

// listens gives the condition of a section that listens for http alone, or for https alone.
func (h *haproxyReader) listens(name string) []test {
	plain, secure := false, false
	for _, l := range h.sections[name] {
		if l.words[0] == "bind" {
			if slices.Contains(l.words, "ssl") {
				secure = true
			} else {
				plain = true
			}
		}
	}
	if plain == secure {
		return nil
	}
	return []test{{subject: ofScheme, not: plain, door: true}}
}

var haproxySections = []string{"global", "defaults", "frontend", "backend", "listen", "resolvers",
	"peers", "userlist", "cache", "program", "ring", "http-errors", "mailers"}

// parse reads sections; false where there is none and no directive either.
func (h *haproxyReader) parse(text string) bool {
	section, found, chosen := "listen", false, 0
	for i, line := range strings.Split(text, "\n") {
		words := haproxyWords(line)
		if len(words) == 0 {
			continue
		}
		switch words[0] {
		case ".if":
			chosen++
			fallthrough
		case ".elif", ".else":
			h.unread(attempt{line: i + 1, text: strings.TrimSpace(line)},
				"what stands behind it up to .endif is not read")
			continue
		case ".endif":
			chosen--
			continue
		}
		if chosen > 0 {
			continue
		}
		if slices.Contains(haproxySections, words[0]) && line[0] > ' ' {
			section, found = strings.Join(words[:min(2, len(words))], " "), true
			h.order = append(h.order, section)
			continue
		}
		if words[0] == "http-request" || words[0] == "redirect" || words[0] == "acl" ||
			words[0] == "use_backend" {
			found = true
		}
		if _, known := h.sections[section]; !known && section == "listen" {
			h.order = append(h.order, section)
		}
		h.sections[section] = append(h.sections[section],
			haproxyLine{i + 1, strings.TrimSpace(line), words})
	}
	return found
}

// haproxyWords parts a line into words, with quotes and escapes; what stands behind a # is a
// comment.
func haproxyWords(line string) (words []string) {
	var word strings.Builder
	in, quotes, quote := false, false, byte(0)
	for i := 0; i < len(line); i++ {
		c := line[i]
		switch {
		case quote == '\'' && c != '\'', quote == '"' && c != '"' && c != '\\':
			word.WriteByte(c)
		case quote != 0 && c == quote:
			quote = 0
		case c == '\\' && i+1 < len(line):
			if i++; strings.IndexByte(` \#"'`, line[i]) < 0 { // else it is a part of an expression
				word.WriteByte('\\')
			}
			word.WriteByte(line[i])
			quotes = true
		case c == '\'' || c == '"':
			quote, quotes = c, true
		case c == '#':
			if in || quotes {
				words = append(words, word.String())
			}
			return words
		case c == ' ' || c == '\t' || c == '\r':
			if in || quotes {
				words = append(words, word.String())
			}
			word.Reset()
			in, quotes = false, false
			continue
		default:
			word.WriteByte(c)
		}
		in = true
	}
	if in || quotes {
		words = append(words, word.String())
	}
	return words
}

// section reads what a section answers, where tests hold already.
func (h *haproxyReader) section(name string, already []test, deep int) {
	if deep > 5 {
		return
	}
	lines, known := h.sections[name], h.seen[name]
	h.seen[name] = true
	for _, l := range lines {
		if l.words[0] == "acl" && known {
			continue // it is led there twice
		}
		if l.words[0] == "acl" && len(l.words) > 2 {
			key := name + "\n" + l.words[1]
			h.acls[key] = append(h.acls[key], []test{h.test(l.words[2:])})
		}
	}
	// what is called redirect alone comes behind all that is called http-request
	lines = slices.Clone(lines)
	slices.SortStableFunc(lines, func(x, y haproxyLine) int {
		return cmp.Compare(haproxyOrder[x.words[0]], haproxyOrder[y.words[0]])
	})
	for _, l := range lines {
		words := l.words
		if words[0] == "http-request" {
			words = words[1:]
		}
		if len(words) == 0 {
			continue
		}
		switch words[0] {
		case "redirect":
			h.redirect(name, l, words[1:], already)
		case "return", "deny", "allow", "auth", "reject", "silent-drop", "tarpit", "use-service":
			if l.words[0] == "http-request" {
				h.returns(name, l, words, already)
			}
		case "set-path", "set-pathq", "set-query", "set-uri", "replace-path", "replace-pathq",
			"replace-uri", "normalize-uri":
			h.unread(attempt{line: l.number, text: l.text, tests: already},
				"it changes the path or the query that later lines see")
		case "use_backend":
			h.backend(name, l, words[1:], already, deep)
		case "default_backend":
			if len(words) > 1 {
				h.section("backend "+words[1], already, deep+1)
			}
		}
	}
}

// haproxyOrder ranks what a section asks first.
var haproxyOrder = map[string]int{"acl": 0, "http-request": 1, "redirect": 2, "use_backend": 3,
	"default_backend": 4}

// backend reads where a request goes next.
func (h *haproxyReader) backend(section string, l haproxyLine, words []string, already []test,
	deep int) {
	if len(words) == 0 {
		return
	}
	for _, tests := range h.conditions(section, words[1:]) {
		all := slices.Concat(already, tests)
		if strings.Contains(words[0], "%[") {
			h.unread(attempt{line: l.number, text: l.text, tests: all},
				"the name of its backend is worked out for each request")
			continue
		}
		before := len(h.steps)
		if h.section("backend "+words[0], all, deep+1); len(h.steps) > before {
			continue
		}
		h.add(attempt{line: l.number, text: l.text, tests: all, pattern: "^", target: "-"})
	}
}

// returns reads what is answered at once: gone, or something that is no redirect.
func (h *haproxyReader) returns(section string, l haproxyLine, words []string, already []test) {
	status, rest := "", []string(nil)
	for i := 1; i < len(words); i++ {
		switch words[i] {
		case "status", "deny_status":
			if i+1 < len(words) {
				status = words[i+1]
			}
		case "if", "unless":
			rest = words[i:]
			i = len(words)
		}
	}
	for _, tests := range h.conditions(section, rest) {
		one := attempt{line: l.number, text: l.text, tests: slices.Concat(already, tests), target: "-"}
		if status == "410" {
			one.flags = []string{"G"}
		}
		h.paths(one, func(s attempt, _ string) attempt { return s })
	}
}

// redirect reads one redirect.
func (h *haproxyReader) redirect(section string, l haproxyLine, words []string, already []test) {
	kind, to, code, dropsQuery, keepsQuery, why := "", "", "302", false, false, ""
	var rest []string
	for i := 0; i < len(words); i++ {
		switch words[i] {
		case "location", "prefix", "scheme":
			kind = words[i]
			if i++; i < len(words) {
				to = words[i]
			}
		case "code":
			if i++; i < len(words) {
				code = words[i]
			}
		case "drop-query":
			dropsQuery = true
		case "keep-query":
			keepsQuery = true
		case "set-cookie", "clear-cookie":
			i++
		case "ignore-empty":
		case "if", "unless":
			rest = words[i:]
			i = len(words)
		default:
			why = words[i] + " is not read"
		}
	}
	plain := strings.ReplaceAll(to, "%%", "")
	if kind != "location" && strings.Contains(plain, "%") {
		why = "its target is worked out for each request"
	}
	for _, tests := range h.conditions(section, rest) {
		one := attempt{line: l.number, text: l.text, tests: slices.Concat(already, tests),
			flags: []string{"R=" + code, "NE"}}
		switch {
		case why != "":
			h.unread(one, why)
		case kind == "scheme":
			one.pattern, one.target = "^(.*)$", to+"://%{HTTP_HOST}$1"
			h.add(one)
		case kind == "prefix":
			if dropsQuery {
				one.flags = append(one.flags, "QSD")
			}
			if to == "/" { // drops nothing and adds nothing
				to = ""
			}
			h.paths(one, func(s attempt, path string) attempt {
				s.target = apacheTarget(strings.ReplaceAll(to, "%%", "%")) + path
				return s
			})
		case kind == "location":
			h.location(one, to, keepsQuery)
		default:
			h.unread(one, "it names no place to lead to")
		}
	}
}

// paths adds an attempt for each path, or beginning or end of one, that its tests name: with it,
// how the path is written in a target.
func (s *sequence) paths(one attempt, with func(attempt, string) attempt) {
	at := slices.IndexFunc(one.tests, func(t test) bool {
		return t.subject == ofPath && !t.not && t.unknown == "" && len(t.values) > 0
	})
	if at < 0 {
		s.add(expressed(one, with))
		return
	}
	t := one.tests[at]
	one.tests = slices.Delete(slices.Clone(one.tests), at, at+1)
	one.anyCase = t.any
	if other := slices.IndexFunc(one.tests, func(o test) bool {
		return o.subject == ofPath && !o.not && o.unknown == "" && len(o.values) > 0 && o.any == t.any &&
			(t.how == "beg" && o.how == "end" || t.how == "end" && o.how == "beg")
	}); other >= 0 {
		from, to := t, one.tests[other]
		if t.how == "end" {
			from, to = to, t
		}
		one.tests = slices.Delete(one.tests, other, other+1)
		s.between(one, from.values, to.values, with)
		return
	}
	for i, v := range t.values {
		quoted := regexp.QuoteMeta(v)
		each := one
		switch {
		case t.how == "beg" || t.begs != nil && t.begs[i]:
			each.pattern = "^(" + quoted + ".*)$"
		case t.how == "end":
			each.pattern = "^(.*" + quoted + ")$"
		case t.any:
			each.pattern = "^(" + quoted + ")$"
		default:
			each.pattern = "^" + quoted + "$"
			s.add(with(each, apacheTarget(encodedPath(v))))
			continue
		}
		s.add(with(each, "$1"))
	}
}

// between adds steps for paths that begin with one text and end with another.
func (s *sequence) between(one attempt, from, to []string, with func(attempt, string) attempt) {
	for _, f := range from {
		for _, t := range to {
			each := one
			for n := 1; n < len(f) && n <= len(t); n++ { // they may share what is between
				if strings.HasSuffix(f, t[:n]) {
					each.pattern = "^(" + regexp.QuoteMeta(f+t[n:]) + ")$"
					s.add(with(each, "$1"))
				}
			}
			each.pattern = "^(" + regexp.QuoteMeta(f) + ".*" + regexp.QuoteMeta(t) + ")$"
			s.add(with(each, "$1"))
		}
	}
}

// expressed gives a step for all paths, or those of an expression among its tests.
func expressed(one attempt, with func(attempt, string) attempt) attempt {
	at := slices.IndexFunc(one.tests, func(t test) bool {
		return t.subject == ofPath && !t.not && t.unknown == "" && t.expression != ""
	})
	all := one
	all.pattern = "^(.*)$"
	made := with(all, "$1")
	if at < 0 {
		return made
	}
	t := one.tests[at]
	inner, begins := strings.CutPrefix(t.expression, "^")
	inner, ends := strings.CutSuffix(inner, "$")
	one.tests = slices.Delete(slices.Clone(one.tests), at, at+1)
	switch usesPath := strings.Contains(strings.ReplaceAll(made.target, `\$`, ""), "$1"); {
	case !usesPath:
		one.pattern = t.expression
	case begins && ends && !strings.ContainsAny(inner, "|"):
		one.pattern = "^(" + inner + ")$"
	case begins && !strings.ContainsAny(inner, "|$"):
		one.pattern = "^(" + inner + ".*)$"
	default:
		return made
	}
	one.anyCase = t.any
	return with(one, "$1")
}

// encodedPath writes a decoded path for a target.
func encodedPath(decoded string) string {
	return web.NormalPath(strings.ReplaceAll(decoded, "%", "%25"))
}

// apacheTarget writes a text as mod_rewrite writes it in a target.
func apacheTarget(s string) string {
	return strings.NewReplacer(`\`, `\\`, "$", `\$`, "%", `\%`).Replace(s)
}

var (
	haproxyPath = regexp.MustCompile(`^(.*)%\[(?:path|url|pathq|capture\.req\.uri)\](\?%\[query\])?$`)
	haproxyMap  = regexp.MustCompile(
		`^(.*)%\[([^\[\]]+?),(map(?:_str|_beg|_reg|_regm)?)\(([^,()]+)(?:,([^()]*))?\)\]$`,
	)
	haproxySub   = regexp.MustCompile(`^(.*)%\[path,regsub\((.*)\)\]$`)
	haproxyWhole = regexp.MustCompile(`^(?:url|pathq|capture\.req\.uri)$`)
)

// location reads where a redirect leads: a text, a text with the path, a part of the path that is
// replaced, or what a map says.
func (h *haproxyReader) location(one attempt, to string, keeps bool) {
	drop := append(slices.Clone(one.flags), "QSD")
	if keeps { // behind what the target has
		drop = append(slices.Clone(one.flags), "QSA")
	}
	switch m := haproxyMap.FindStringSubmatch(to); {
	case m != nil:
		if one.flags = drop; strings.Contains(strings.ReplaceAll(m[1], "%%", ""), "%") {
			h.unread(one, "its target is more than a text and what a map says")
			return
		}
		h.mapped(one, m[1], m[2], m[3], m[4], m[5])
		return
	case !strings.Contains(strings.ReplaceAll(to, "%%", ""), "%"):
		to = strings.ReplaceAll(to, "%%", "%")
		one.flags = drop
		h.paths(one, func(s attempt, _ string) attempt {
			s.target = apacheTarget(to)
			return s
		})
		return
	}
	if m := haproxySub.FindStringSubmatch(to); m != nil {
		if args := argumentsOf(m[2]); len(args) == 2 &&
			!strings.Contains(strings.ReplaceAll(m[1], "%%", ""), "%") {
			h.replaced(one, m[1], args[0], args[1], drop)
			return
		}
	}
	m := haproxyPath.FindStringSubmatch(to)
	if m == nil || strings.Contains(strings.ReplaceAll(m[1], "%%", ""), "%") {
		h.unread(one, "its target is more than a text, the path, the query or what a map says")
		return
	}
	if strings.HasSuffix(to, "%[path]") {
		one.flags = drop
	}
	h.paths(one, func(s attempt, path string) attempt {
		s.target = apacheTarget(strings.ReplaceAll(m[1], "%%", "%")) + path
		return s
	})
}

// argumentsOf parts arguments at their commas, and takes quotes away.
func argumentsOf(s string) (all []string) {
	var one strings.Builder
	quote := byte(0)
	for _, c := range []byte(s) {
		switch {
		case quote != 0 && c == quote:
			quote = 0
		case quote == 0 && (c == '"' || c == '\''):
			quote = c
		case quote == 0 && c == ',':
			all = append(all, one.String())
			one.Reset()
		default:
			one.WriteByte(c)
		}
	}
	return append(all, one.String())
}

// replaced reads a target in which the beginning of the path is replaced.
func (h *haproxyReader) replaced(one attempt, before, expression, by string, flags []string) {
	one.flags = flags
	groups := strings.Count(expression, "(") - strings.Count(expression, `\(`) -
		strings.Count(expression, "(?")
	if !strings.HasPrefix(expression, "^") || groups > 8 {
		h.unread(one, "regsub() replaces more than the beginning of a path")
		return
	}
	all := one
	all.pattern = strings.TrimSuffix(expression, "$") + "(.*)$"
	if strings.HasSuffix(expression, "$") {
		all.pattern = expression
	}
	before = strings.ReplaceAll(before, "%%", "%")
	target := apacheTarget(before) + groupsOf(by)
	if !strings.HasSuffix(expression, "$") {
		target += fmt.Sprintf("$%d", groups+1)
	}
	all.target = target
	h.add(all)
	literal := strings.NewReplacer(`\.`, ".").Replace(strings.TrimPrefix(expression, "^"))
	if regexp.QuoteMeta(literal) == strings.TrimPrefix(expression, "^") || literal == expression[1:] {
		for _, t := range one.tests {
			if t.subject == ofPath && !t.not && t.how == "beg" && len(t.values) > 0 &&
				!slices.ContainsFunc(t.values, func(v string) bool { return !strings.HasPrefix(v, literal) }) {
				return // all begin so
			}
		}
	}
	// what does not begin so is led on as it is
	h.paths(one, func(s attempt, path string) attempt {
		s.target = apacheTarget(before) + path
		return s
	})
}

var backReferences = regexp.MustCompile(`\\([0-9])`)

// groupsOf writes a text with references such as \1 as mod_rewrite does.
func groupsOf(s string) string {
	return backReferences.ReplaceAllString(
		strings.NewReplacer("$", `\$`, "%", `\%`).Replace(s),
		"$$$1",
	)
}

// mapped reads a target that a map gives.
func (h *haproxyReader) mapped(one attempt, before, key, kind, file, otherwise string) {
	var texts []string
	if h.includes != nil {
		texts = h.includes(relativeTo(file))
	}
	// that it is found is what the lines of the map say
	asked := inMap + " " + key + " " + file
	found := slices.ContainsFunc(one.tests, func(t test) bool {
		return t.subject == inMap && !t.not && t.expression == asked
	})
	one.tests = slices.DeleteFunc(slices.Clone(one.tests), func(t test) bool {
		return t.subject == inMap && !t.not && t.expression == asked
	})
	if len(texts) == 0 {
		h.unread(one, "the map "+file+" is not beside this file")
		return
	}
	h.mapLines(one, apacheTarget(strings.ReplaceAll(before, "%%", "%")), key, kind,
		strings.Join(texts, "\n"))
	if !found && otherwise == "" {
		h.unread(one, "a path that its map does not have is led nowhere")
	}
	if !found && otherwise != "" {
		h.paths(one, func(s attempt, _ string) attempt {
			s.target = apacheTarget(strings.Trim(before+otherwise, `"'`))
			return s
		})
	}
}

// relativeTo gives a file's own name: it is looked for beside the configuration.
func relativeTo(file string) string { return file[strings.LastIndexByte(file, '/')+1:] }

// mapFile reads a map alone: a path, or a host with a path, and a target a line.
func (h *haproxyReader) mapFile(text string) {
	h.mapLines(attempt{flags: []string{"R=301", "NE", "QSD"}}, "", "path", "map", text)
}

type mapEntry struct {
	line     int
	key, to  string
	original string
}

func (h *haproxyReader) mapLines(one attempt, before, key, kind, text string) {
	var entries []mapEntry
	for i, line := range strings.Split(text, "\n") {
		k, to, ok := strings.Cut(strings.TrimSpace(line), " ")
		if !ok {
			k, to, ok = strings.Cut(strings.TrimSpace(line), "\t")
		}
		if !ok || k[0] == '#' {
			continue
		}
		entries = append(entries, mapEntry{i + 1, k, strings.TrimSpace(to), strings.TrimSpace(line)})
	}
	if kind == "map_beg" { // the longest wins
		slices.SortStableFunc(
			entries,
			func(x, y mapEntry) int { return cmp.Compare(len(y.key), len(x.key)) },
		)
	}
	name, converter, _ := strings.Cut(key, ",")
	for _, e := range entries {
		each := one
		if one.line == 0 { // of a map alone
			each.line, each.text = e.line, e.original
		}
		each.anyCase = converter == "lower"
		each.tests = slices.Clone(one.tests)
		h.mapEntry(each, before, name, kind, e)
	}
}

func (h *haproxyReader) mapEntry(one attempt, before, name, kind string, e mapEntry) {
	path := e.key
	switch {
	case name == "base",
		name == "path" && !strings.HasPrefix(path, "/") && !strings.Contains(kind, "reg") &&
			strings.Contains(path, "/"):
		host, rest, _ := strings.Cut(path, "/")
		path = "/" + rest
		h.hosts = append(h.hosts, strings.ToLower(host))
		one.tests = append(one.tests, test{subject: ofHost, values: []string{host}, any: true})
	case strings.HasPrefix(name, "hdr(host)"), strings.HasPrefix(name, "req.hdr(host)"):
		h.hosts = append(h.hosts, strings.ToLower(path))
		one.tests = append(one.tests, test{subject: ofHost, values: []string{path}, any: true})
		one.pattern, one.target = "^", before+apacheTarget(e.to)
		h.add(one)
		return
	case haproxyWhole.MatchString(name):
		if p, query, asks := strings.Cut(path, "?"); asks {
			path = p
			one.tests = append(
				one.tests,
				test{subject: ofQuery, expression: "^" + regexp.QuoteMeta(query) + "$"},
			)
		} else {
			one.tests = append(one.tests, test{subject: ofQuery, expression: "^$"})
		}
	case name != "path":
		one.tests = append(one.tests, test{unknown: name + " of a map is no path, host or URL"})
	}
	target := before + apacheTarget(e.to)
	decoded, is := anySpelling(path)
	if strings.Contains(kind, "reg") {
		is = !strings.Contains(path, "%")
	}
	if !is {
		h.unread(one, path+" holds an escape that says something else decoded")
		return
	}
	switch kind {
	case "map_beg":
		one.pattern = "^" + regexp.QuoteMeta(decoded)
	case "map_reg":
		one.pattern = path
	case "map_regm":
		one.pattern, target = path, before+groupsOf(e.to)
	default:
		one.pattern = "^" + regexp.QuoteMeta(decoded) + "$"
	}
	one.target = target
	h.add(one)
}

// mostAlternatives is how many rules one line may become by its conditions.
const mostConditions = 64

// conditions gives the alternatives of what stands behind "if" or "unless".
func (h *haproxyReader) conditions(section string, words []string) [][]test {
	if len(words) == 0 {
		return [][]test{nil}
	}
	unknown := func(why string) [][]test { return [][]test{{test{unknown: why}}} }
	var all [][]test
	terms := [][]test{nil}
	end := func() { all = append(all, terms...) }
	for i := 1; i < len(words); i++ {
		word, not := words[i], false
		for strings.HasPrefix(word, "!") {
			word, not = word[1:], !not
		}
		if word == "" && i+1 < len(words) {
			i++
			word = words[i]
		}
		var alternatives [][]test
		switch {
		case word == "or" || word == "||":
			end()
			terms = [][]test{nil}
			continue
		case word == "{":
			end := slices.Index(words[i:], "}")
			if end < 0 {
				return unknown("a { of its condition is not closed")
			}
			alternatives = [][]test{{h.test(words[i+1 : i+end])}}
			i += end
		default:
			alternatives = h.named(section, word)
		}
		if not {
			alternatives = negated(alternatives)
		}
		var next [][]test
		for _, t := range terms {
			for _, a := range alternatives {
				next = append(next, slices.Concat(t, a))
			}
		}
		if terms = next; len(terms) > mostConditions {
			return unknown("its condition has more than " + strconv.Itoa(mostConditions) + " alternatives")
		}
	}
	end()
	if words[0] == "unless" {
		if len(all) != 1 || len(all[0]) != 1 {
			return unknown("unless has more than one condition")
		}
		return negated(all)
	}
	return all
}

// named gives the alternatives of a named condition.
func (h *haproxyReader) named(section, name string) [][]test {
	switch name {
	case "TRUE":
		return [][]test{nil}
	case "HTTP", "METH_GET":
		return [][]test{nil} // what visitors send
	}
	if all := h.acls[section+"\n"+name]; len(all) > 0 {
		return all
	}
	return [][]test{{test{unknown: name + " is a condition that this file does not explain"}}}
}

// negated gives what holds where no alternative does, each of which is one test.
func negated(all [][]test) [][]test {
	var one []test
	for _, a := range all {
		if len(a) != 1 {
			return [][]test{{test{unknown: "it negates more than one condition"}}}
		}
		t := a[0]
		t.not = !t.not
		one = append(one, t)
	}
	return [][]test{one}
}

// test reads one condition: what is looked at, flags, values.
func (h *haproxyReader) test(words []string) test {
	if len(words) == 0 {
		return test{unknown: "a condition is empty"}
	}
	asks := words[0]
	var t test
	how, values := "", words[1:]
	for len(values) > 0 && strings.HasPrefix(values[0], "-") {
		switch flag := values[0]; {
		case flag == "-i":
			t.any = true
		case flag == "-m" && len(values) > 1:
			how, values = values[1], values[1:]
		case flag == "-f" && len(values) > 1:
			read := []string(nil)
			if h.includes != nil {
				for _, text := range h.includes(relativeTo(values[1])) {
					for line := range strings.Lines(text) {
						if line = strings.TrimSpace(line); line != "" && line[0] != '#' {
							read = append(read, line)
						}
					}
				}
			}
			if len(read) == 0 {
				return test{unknown: "the file " + values[1] + " is not beside this one"}
			}
			values = append(append([]string{""}, read...), values[2:]...)
		case flag == "--":
		default:
			return test{unknown: "the flag " + flag + " is not read"}
		}
		values = values[1:]
	}
	asks, lower := strings.CutSuffix(asks, ",lower")
	t.any = t.any || lower
	if m := askedMap.FindStringSubmatch(words[0]); m != nil && how == "found" {
		t.subject, t.expression = inMap, inMap+" "+m[1]+" "+m[2]
		return t
	}
	for suffix, match := range map[string]string{"_beg": "beg", "_end": "end", "_reg": "reg",
		"_sub": "sub", "_dir": "dir", "_dom": "dom"} {
		name, argument, has := strings.Cut(asks, "(")
		if base, is := strings.CutSuffix(name, suffix); is {
			asks, how = base, match
			if has {
				asks += "(" + argument
			}
			break
		}
	}
	return h.about(t, asks, how, values)
}

var askedMap = regexp.MustCompile(`^(.*),map(?:_str|_beg|_reg|_regm)?\(([^,()]+)(?:,[^()]*)?\)$`)

// about reads a condition on what is looked at.
func (h *haproxyReader) about(t test, asks, how string, values []string) test {
	parameter := regexp.MustCompile(`^(?:url_param|urlp)\(([^,()]+)\)$`).FindStringSubmatch(asks)
	switch {
	case asks == "ssl_fc":
		t.subject = ofScheme
		return t
	case asks == "path":
		t.subject = ofPath
	case asks == "hdr(host)", asks == "req.hdr(host)", asks == "hdr(Host)", asks == "req.hdr(Host)",
		asks == "req.hdr(host),field(1,:)", asks == "hdr(host),field(1,:)", asks == "req.fhdr(host)":
		t.subject, t.any = ofHost, true
	case asks == "query":
		t.subject = ofQuery
	case parameter != nil && (how == "" || how == "str") && len(values) > 0:
		key := regexp.QuoteMeta(parameter[1])
		t.subject = ofQuery
		quoted := make([]string, len(values))
		for i, v := range values {
			quoted[i] = regexp.QuoteMeta(v)
		}
		value := quoted[0]
		if len(quoted) > 1 {
			value = "(?:" + strings.Join(quoted, "|") + ")"
		}
		t.expression = "(?:^|&)" + key + "=" + value + "(?:&|$)"
		return t
	case asks == "src" || asks == "method":
		return test{unknown: asks + " is not of the URL"}
	default:
		return test{unknown: asks + " is more than a condition on host, path or query"}
	}
	if t.subject == ofPath && (how == "" || how == "str" || how == "beg") {
		// what begins otherwise is no path, and fits none
		values = slices.DeleteFunc(
			slices.Clone(values),
			func(v string) bool { return !strings.HasPrefix(v, "/") },
		)
	}
	switch how {
	case "found":
		if t.subject != ofQuery {
			return test{unknown: asks + " -m found is not read"}
		}
		t.expression = "."
		return t
	case "", "str":
		t.values = values
	case "beg", "end":
		t.values, t.how = values, how
	case "sub":
		quoted := make([]string, len(values))
		for i, v := range values {
			quoted[i] = regexp.QuoteMeta(v)
		}
		t.expression = strings.Join(quoted, "|")
	case "reg":
		t.expression = strings.Join(values, "|")
	default:
		return test{unknown: "-m " + how + " is not read"}
	}
	if len(values) == 0 {
		return test{unknown: "its condition names nothing"}
	}
	if t.subject == ofPath {
		if strings.Contains(t.expression, "%") {
			return test{unknown: "its expression is of a path with escapes"}
		}
		t.values = slices.Clone(t.values)
		for i, v := range t.values {
			decoded, is := anySpelling(v)
			if t.values[i] = decoded; !is {
				return test{unknown: v + " holds an escape that says something else decoded"}
			}
		}
	}
	if t.subject == ofHost && t.how == "" && t.expression == "" {
		for i, v := range t.values {
			t.values[i] = strings.ToLower(v)
			h.hosts = append(h.hosts, strings.ToLower(v))
		}
	}
	return t
}
