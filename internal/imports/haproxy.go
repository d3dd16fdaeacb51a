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
		sections: map[string][]haproxyLine{}}
	if !h.parse(text) {
		h.mapFile(text)
		return h.read(host)
	}
	for _, name := range h.order {
		if kind, _, _ := strings.Cut(name, " "); kind == "frontend" || kind == "listen" {
			h.section(name, nil, 0)
		}
	}
	if len(h.steps) == 0 { // a part of a configuration
		for _, name := range h.order {
			h.section(name, nil, 0)
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
	unknown    string   // why it is none
}

const (
	ofPath  = "%{REQUEST_URI}"
	ofHost  = "%{HTTP_HOST}"
	ofQuery = "%{QUERY_STRING}"
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

// leave notes why a line is not translated.
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
	return `"` + strings.NewReplacer(`\`, `\`, `"`, `\"`).Replace(s) + `"`
}

// lines writes a attempt as lines of mod_rewrite.
func (s *sequence) linesOf(one attempt) (all []string) {
	for _, t := range one.tests {
		if t.unknown != "" {
			s.why(one.line, t.unknown)
			all = append(all, "RewriteCond %{ENV:UNKNOWN} known")
			continue
		}
		flag, not := "", ""
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
	a := apache{apacheHost: apacheHost{hosts: hosts}, includes: nil}
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
}

var haproxySections = []string{"global", "defaults", "frontend", "backend", "listen", "resolvers",
	"peers", "userlist", "cache", "program", "ring", "http-errors", "mailers"}

// parse reads sections; false where there is none and no directive either.
func (h *haproxyReader) parse(text string) bool {
	section, found := "listen", false
	for i, line := range strings.Split(text, "\n") {
		words := haproxyWords(line)
		if len(words) == 0 {
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
	lines := h.sections[name]
	for _, l := range lines {
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
		case "return", "deny":
			h.returns(name, l, words, already)
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
	kind, to, code, dropsQuery := "", "", "302", false
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
		case "if", "unless":
			rest = words[i:]
			i = len(words)
		}
	}
	for _, tests := range h.conditions(section, rest) {
		one := attempt{line: l.number, text: l.text, tests: slices.Concat(already, tests),
			flags: []string{"R=" + code, "NE"}}
		switch {
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
				s.target = apacheTarget(to) + path
				return s
			})
		case kind == "location":
			h.location(one, to)
		default:
			one.tests = append(one.tests, test{unknown: "it names no place to lead to"})
			one.pattern, one.target = "^", "https://unknown.invalid/"
			h.add(one)
		}
	}
}

// paths adds a attempt for each path, or beginning or end of one, that its tests name: with it, how
// the path is written in a target.
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
	haproxySub   = regexp.MustCompile(`^(.*)%\[path,regsub\((.*),([^,]*)\)\]$`)
	haproxyWhole = regexp.MustCompile(`^(?:url|pathq|capture\.req\.uri)$`)
)

// location reads where a redirect leads: a text, a text with the path, a part of the path that is
// replaced, or what a map says.
func (h *haproxyReader) location(one attempt, to string) {
	drop := append(slices.Clone(one.flags), "QSD")
	switch m := haproxyMap.FindStringSubmatch(to); {
	case m != nil:
		h.mapped(one, m[1], m[2], m[3], m[4], m[5])
		return
	case !strings.Contains(to, "%["):
		to = strings.ReplaceAll(to, "%%", "%")
		one.flags = drop
		h.paths(one, func(s attempt, _ string) attempt {
			s.target = apacheTarget(to)
			return s
		})
		return
	}
	if m := haproxySub.FindStringSubmatch(to); m != nil {
		h.replaced(one, m[1], strings.Trim(m[2], `"'`), strings.Trim(m[3], `"'`), drop)
		return
	}
	m := haproxyPath.FindStringSubmatch(to)
	if m == nil || strings.Contains(m[1], "%[") {
		one.tests = append(
			one.tests,
			test{unknown: "its target is more than a text, the path, the query or " +
				"what a map says"},
		)
		one.pattern, one.target = "^(.*)$", "https://unknown.invalid/"
		h.add(one)
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

// replaced reads a target in which the beginning of the path is replaced.
func (h *haproxyReader) replaced(one attempt, before, expression, by string, flags []string) {
	one.flags = flags
	groups := strings.Count(expression, "(") - strings.Count(expression, `\(`) -
		strings.Count(expression, "(?")
	if !strings.HasPrefix(expression, "^") || groups > 8 {
		one.tests = append(
			one.tests,
			test{unknown: "regsub() replaces more than the beginning of a path"},
		)
		one.pattern, one.target = "^(.*)$", "https://unknown.invalid/"
		h.add(one)
		return
	}
	all := one
	all.pattern = strings.TrimSuffix(expression, "$") + "(.*)$"
	if strings.HasSuffix(expression, "$") {
		all.pattern = expression
	}
	target := apacheTarget(before) + backReferences.ReplaceAllString(by, "$$$1")
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

// mapped reads a target that a map gives.
func (h *haproxyReader) mapped(one attempt, before, key, kind, file, otherwise string) {
	var texts []string
	if h.includes != nil {
		texts = h.includes(relativeTo(file))
	}
	// that it is found is what the lines of the map say
	found := slices.ContainsFunc(one.tests, func(t test) bool { return t.subject == "map" && !t.not })
	one.tests = slices.DeleteFunc(
		slices.Clone(one.tests),
		func(t test) bool { return t.subject == "map" },
	)
	if len(texts) == 0 {
		one.tests = append(one.tests, test{unknown: "the map " + file + " is not beside this file"})
		one.pattern, one.target = "^(.*)$", "https://unknown.invalid/"
		h.add(one)
		return
	}
	one.flags = append(one.flags, "QSD")
	h.mapLines(one, apacheTarget(strings.ReplaceAll(before, "%%", "%")), key, kind,
		strings.Join(texts, "\n"))
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
	switch kind {
	case "map_beg":
		one.pattern = "^" + regexp.QuoteMeta(web.Decode(path))
	case "map_reg":
		one.pattern = path
	case "map_regm":
		one.pattern, target = path, before+backReferences.ReplaceAllString(
			strings.NewReplacer("$", `\$`, "%", `\%`).Replace(e.to), "$$$1")
	default:
		one.pattern = "^" + regexp.QuoteMeta(web.Decode(path)) + "$"
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
	case "HTTP", "HTTP_1.1", "HTTP_1.0", "HTTP_2.0", "METH_GET", "METH_HEAD":
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
	if strings.Contains(asks, ",map") && how == "found" {
		t.subject = "map"
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

// about reads a condition on what is looked at.
func (h *haproxyReader) about(t test, asks, how string, values []string) test {
	parameter := regexp.MustCompile(`^(?:url_param|urlp)\(([^,()]+)\)$`).FindStringSubmatch(asks)
	switch {
	case asks == "ssl_fc":
		t.subject, t.expression = "%{HTTPS}", "^on$"
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
		for i, v := range t.values {
			t.values[i] = web.Decode(v)
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
