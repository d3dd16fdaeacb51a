package imports

import (
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// What stands around a parameter in an expression for a query: its bounds.
var (
	leftBounds = []string{`(?:^|&)`, `(?:^|.*&)`, `(?:.*&)?`, `^(?:.*&)?`, `(^|&)`, `(&|^)`, `(.*&)?`,
		`^(.*&)?`, `(^|.*&)`, `\b`}
	rightBounds = []string{`(?:&|$)`, `(?:$|&)`, `(?:&.*)?$`, `(&|$)`, `($|&)`, `(&.*)?$`, `(&.*|$)`,
		`\b`}
)

// queryValue is a class in an expression for a value, and how often it stands there.
var queryValue = regexp.MustCompile(
	`^(\[0-9\]|\\d|\[\^&\]|\.|\\w|\[\^?(?:[^\]\\]|\\.)+\])([+*]|\{\d{1,3}(?:,\d{0,3})?\})\??`)

// bounds says how far an expression for a query reaches.
type bounds struct {
	left, right bool // a bound stands there
	whole       bool // it is all of the query
	exact       bool // a parameter is taken as a whole, wherever it stands
	groups      int  // of the left bound
}

// boundsOf cuts what stands around the parameters of an expression.
func boundsOf(pattern string) (inner string, b bounds) {
	inner = pattern
	for _, bound := range leftBounds {
		if rest, ok := strings.CutPrefix(inner, bound); ok {
			inner, b.left = rest, true
			b.groups = strings.Count(bound, "(") - strings.Count(bound, "(?")
			break
		}
	}
	for _, bound := range rightBounds {
		if rest, ok := strings.CutSuffix(inner, bound); ok {
			inner, b.right = rest, true
			break
		}
	}
	begins, ends := false, false
	if !b.left {
		inner, begins = strings.CutPrefix(inner, "^")
	}
	if !b.right && !strings.HasSuffix(inner, `\$`) {
		inner, ends = strings.CutSuffix(inner, "$")
	}
	b.whole = begins && ends
	for _, all := range []string{`[^&]+`, `([^&]+)`, `[^&]*`, `([^&]*)`} {
		b.right = b.right || strings.HasSuffix(inner, all) // up to the next parameter
	}
	b.exact = b.left && b.right
	return inner, b
}

// asking is what an expression for a query asks for, as it is read.
type asking struct {
	named          int    // captures that have a name
	before         string // a sample of the conditions before
	query, example []string
	groups         map[string]string
	count          int
	narrow         string // a class that takes less than a capture
	empty          bool   // a value may be empty
}

// take reads one parameter; false where it is more than one with a value.
func (q *asking) take(p string, b bounds) bool {
	key, value, pair := strings.Cut(p, "=")
	key = strings.ReplaceAll(key, `\.`, ".")
	if !pair || key == "" || strings.ContainsAny(key, `()[]|*+?\^$`) {
		return false
	}
	template, example, ok := q.value(value, b)
	q.query = append(q.query, escapeText(key)+"="+template)
	q.example = append(q.example, key+"="+example)
	return ok
}

// value reads the value of a parameter: texts and classes, in groups or not.
func (q *asking) value(value string, b bounds) (template, example string, ok bool) {
	captured := false // by the class before
	for value != "" {
		inside, number, name := value, 0, ""
		if value[0] == '(' {
			end := strings.IndexByte(value, ')')
			if m := namedGroup.FindStringSubmatch(value); m != nil {
				name, value = m[1], "("+value[len(m[0]):]
				end -= len(m[0]) - 1
			}
			if end < 0 || strings.HasPrefix(value, "(?") {
				return "", "", false
			}
			inside, value = value[1:end], value[end+1:]
			q.count++
			number = q.count
			if value != "" && strings.IndexByte("*+?{", value[0]) >= 0 {
				return "", "", false
			}
		}
		m := queryValue.FindStringSubmatch(inside)
		if m == nil {
			text, rest, ok := queryText(inside)
			if !ok || number > 0 && rest != "" {
				return "", "", false
			}
			if number == 0 {
				value = rest
			} else {
				q.groups[fmt.Sprint(number)], q.groups[name] = escapeText(text), escapeText(text)
			}
			template, example, captured = template+escapeText(text), example+text, false
			continue
		}
		if captured || number > 0 && m[0] != inside {
			return "", "", false
		}
		if number == 0 {
			value = value[len(m[0]):]
		}
		capture, sample, ok := q.class(m, b, value == "")
		if !ok {
			return "", "", false
		}
		as, _, _ := strings.Cut(strings.Trim(capture, "{}"), ":")
		if number > 0 {
			q.groups[fmt.Sprint(number)], q.groups[name] = "{"+as+"}", "{"+as+"}"
		}
		template, example, captured = template+capture, example+sample, true
	}
	return template, example, true
}

// namedGroup is the beginning of a group with a name.
var namedGroup = regexp.MustCompile(`^\(\?P?<([A-Za-z_][A-Za-z0-9_]*)>`)

// class reads a class of a value, as queryValue takes it apart.
func (q *asking) class(m []string, b bounds, last bool) (capture, sample string, ok bool) {
	q.named++
	name, form, sample := fmt.Sprintf("q%d", q.named), "", "x"
	switch m[1] {
	case "[0-9]", `\d`:
		sample, form = "7", ":digits"
		if m[2][0] == '{' {
			q.narrow = m[1] + m[2]
		}
	case ".":
		if !b.whole || !last {
			return "", "", false // it takes what follows too
		}
	case "[^&]":
	default:
		q.narrow = m[1] + m[2]
	}
	if q.empty = q.empty || m[2] == "*"; m[2] == "*" && !last {
		return "", "", false
	}
	return "{" + name + form + "}", sample, true
}

// queryText reads the texts at the beginning of an expression for a value.
func queryText(s string) (text, rest string, ok bool) {
	for s != "" {
		c := s[0]
		switch {
		case c == '(' || c == '[' || strings.HasPrefix(s, `\d`) || strings.HasPrefix(s, `\w`):
			return text, s, text != ""
		case c == '\\' && len(s) > 1 && strings.IndexByte("wWsSdDbB0123456789", s[1]) < 0:
			if c = s[1]; c == ' ' {
				text += "%20"
			} else {
				text += string(c)
			}
			s = s[2:]
			if s != "" && strings.IndexByte("*+?{", s[0]) >= 0 {
				return "", "", false
			}
			continue
		case strings.IndexByte(`)]|*+?\^$.`, c) >= 0 && !(c == '.' && !repeats(s[1:])):
			return "", "", false
		case repeats(s[1:]):
			return "", "", false
		}
		text, s = text+string(c), s[1:]
	}
	return text, "", text != ""
}

func repeats(s string) bool { return s != "" && strings.IndexByte("*+?{", s[0]) >= 0 }

// choiceGroup is a group of texts of which one stands there.
var choiceGroup = regexp.MustCompile(`\((\?:)?([A-Za-z0-9._~-]+(?:\|[A-Za-z0-9._~-]+)+)\)(\?)?`)

// choices gives the expressions for which one with alternatives of text stands.
func choices(pattern string) []string {
	all := []string{pattern}
	for at := 0; at < len(all) && len(all) <= mostWays; {
		m := choiceGroup.FindStringSubmatchIndex(all[at])
		if m == nil || m[6] >= 0 {
			at++
			continue
		}
		opens, closes := "(", ")"
		if m[2] >= 0 {
			opens, closes = "", ""
		}
		var made []string
		for text := range strings.SplitSeq(all[at][m[4]:m[5]], "|") {
			made = append(made, all[at][:m[0]]+opens+text+closes+all[at][m[1]:])
		}
		all = append(all[:at], append(made, all[at+1:]...)...)
	}
	return all
}

// wholeQueries are expressions that every query fits, and those of them that hold it in a group.
var wholeQueries = map[string]bool{"": false, ".*": false, "^": false, "^.*$": false, "(.*)": true,
	"^(.*)$": true}

// askQueries translates a condition on the query: one for each of its alternatives.
func (a asked) askQueries(pattern string, folds bool) ([]asked, string) {
	if grouped, whole := wholeQueries[pattern]; whole {
		if a.blurred = false; grouped {
			a.groups = map[string]string{"1": wholeQuery}
		}
		return []asked{a}, ""
	}
	var all []asked
	for _, one := range choices(pattern) {
		with := a
		if why := with.askQuery(one); why != "" {
			return nil, why
		}
		if other := strings.ToUpper(with.sample); folds && other != with.sample {
			if with.example == "" {
				with.example = "?" + other
			}
			with.note = strings.TrimSpace(with.note + " The file ignores case there; the rule does not.")
		}
		all = append(all, with)
	}
	return all, ""
}

// wholeQuery stands for the query as it came.
const wholeQuery = "\x03"

// askQuery translates a condition on the query: parameters with a literal value, a number or
// anything, within bounds or not.
func (a *asked) askQuery(pattern string) string {
	unable := fmt.Sprintf("the condition on the query (%s) is more than parameters with their values",
		pattern)
	if a.none || pattern == "^$" && a.query != "" {
		return errNever.Error()
	}
	if pattern == "^$" {
		a.none = true
		a.note, a.example = "The rule takes the path with a query too.", "?x=1"
		return ""
	}
	inner, b := boundsOf(pattern)
	q := asking{groups: map[string]string{}, count: b.groups, named: a.asks}
	for _, p := range strings.Split(strings.ReplaceAll(inner, "[^&", "[^\x00"), "&") {
		if !q.take(strings.ReplaceAll(p, "\x00", "&"), b) {
			return unable
		}
	}
	own := strings.Join(q.example, "&")
	if before, _ := strings.CutPrefix(a.query, "?"); before != "" {
		q.query, q.example = append(q.query, strings.Split(before, "&")...),
			append(strings.Split(a.sample, "&"), q.example...)
		q.before = a.sample + "&"
	}
	slices.Sort(q.query)
	keys := map[string]bool{}
	for _, p := range q.query {
		key, _, _ := strings.Cut(p, "=")
		if keys[key] {
			return unable // one parameter is asked for twice, which may hold
		}
		keys[key] = true
	}
	if q.before != "" && (a.closed || b.whole) {
		return errNever.Error() // one of them is the whole query, and the other asks for more
	}
	a.closed = b.whole
	a.query, a.groups, a.sample = "?"+strings.Join(q.query, "&"), q.groups,
		strings.Join(q.example, "&")
	a.asks, a.blurred, a.byPath = q.named, false, false
	note, example := a.note, a.example
	a.note, a.example = "", ""
	a.say(q, b, own, strings.HasPrefix(pattern, "^"))
	if a.note == "" && note != "" { // that of a condition before, for which this one has to hold too
		a.note, a.example = note, example+"&"+own
	}
	return ""
}

// say notes where the rule takes other queries than the file, with one.
func (a *asked) say(q asking, b bounds, own string, begins bool) {
	switch {
	case q.narrow != "":
		a.note = "The rule takes any value there, the file " + q.narrow + " alone."
		a.example = "?" + q.before + strings.Replace(own, "=x", "=~!", 1)
	case b.whole:
		a.note = "The rule takes URLs with further parameters too."
		a.example = "?" + a.sample + "&more=1"
	case begins && !b.left:
		a.note = "The rule takes the parameter behind others too."
		a.example = "?more=1&" + a.sample
	case !b.exact && b.left:
		a.note = "The file takes values of which this is the beginning too; the rule does not."
		a.example = "?" + q.before + own + "~"
	case !b.exact:
		a.note = "The file takes names and values that this is a part of too; the rule does not."
		a.example = "?" + q.before + "my" + own
	case q.empty:
		a.note = "The file takes an empty value too; the rule does not."
		a.example = "?" + q.before + strings.Replace(strings.Replace(own, "=x", "=", 1), "=7", "=", 1)
	}
}

// always reports whether an expression for hosts holds for all of these, with their www.
func always(pattern string, hosts []string) bool {
	expression, err := regexp.Compile("(?i)" + pattern)
	if err != nil || len(hosts) == 0 {
		return false
	}
	for _, h := range hosts {
		www := "www." + strings.TrimPrefix(h, "www.")
		if !expression.MatchString(h) || !expression.MatchString(www) {
			return false
		}
	}
	return true
}

// never reports whether a negated expression for hosts holds for all of these, with their www.
func never(pattern string, hosts []string) bool {
	expression, err := regexp.Compile("(?i)" + pattern)
	if err != nil {
		return false
	}
	for _, h := range hosts {
		if expression.MatchString(h) || expression.MatchString("www."+h) {
			return false
		}
	}
	return true
}

var errNever = errors.New("its conditions hold for no path that it takes")

// requestPath is a path behind the method of a request line.
var requestPath = regexp.MustCompile(
	`^\^?(?:\[A-Z\](?:\+|\{\d,?\d*\})|GET|\\S\+)?(?:\\s\+?|\\ \+?| )(/[^ ]*)$`)

func lastOf(m []string) string {
	if len(m) == 0 {
		return ""
	}
	return m[len(m)-1]
}

// askRequest translates a condition on the request line: what it says of the path has to hold for
// each that the rule takes, and what stands behind a question mark is a condition on the query.
func (a asked) askRequest(pattern string, folds bool) ([]asked, string) {
	path, query, asks := strings.Cut(pattern, `\?`)
	if !asks || strings.HasSuffix(path, "[") || strings.HasPrefix(query, "]") {
		a.needs = append(slices.Clone(a.needs), need{pattern, false, true, folds})
		return []asked{a}, ""
	}
	m := requestPath.FindStringSubmatch(path)
	if x, err := readExpression("^"+firstOf(lastOf(m), "\x00")+"$", ""); m != nil && err == nil &&
		a.uri == nil && !strings.Contains(path, "(") {
		a.uri, a.uriPattern, a.folds = &x, "^"+m[1]+"$", folds
	} else if strings.Trim(path, `^/`) != "" {
		a.needs = append(slices.Clone(a.needs), need{path + `(?:\?|\s|$)`, false, true, folds})
	}
	begins := "^"
	if rest, anywhere := strings.CutPrefix(query, ".*"); anywhere {
		query, begins = rest, ""
	}
	for _, end := range []string{`\s`, `\ `, " ", `[\s&]`, `(?:\s|&)`, `(\s|&)`} {
		before, _, ends := strings.Cut(query, end)
		if ends && (end == `\s` || end == `\ ` || end == " ") {
			return a.askQueries(begins+before+"$", folds)
		}
		if ends {
			return a.askQueries(begins+before, folds)
		}
	}
	return a.askQueries(begins+query, folds)
}

// holding gives the ways for all whose URLs the conditions on paths and request lines hold, without
// those for none of whose they do; and says why that is not possible.
func (a asked) holding(ways []way, states *int) ([]way, string) {
	for _, n := range a.needs {
		pattern := n.pattern
		if n.folds {
			pattern = "(?i)" + pattern
		}
		var made []way
		for _, w := range ways {
			texts, ok := pathTexts(w.old)
			unsure := "a rule cannot express its condition on the path; write the path into the rule"
			if !ok {
				return nil, unsure
			}
			if n.line {
				texts = "GET " + texts + ` HTTP/1\.1`
			}
			is, known := compareTexts(texts, pattern, states)
			switch {
			case !known || is.fits && is.misses:
				return nil, unsure
			case is.fits == n.negated:
				continue // it never holds there
			}
			if n.line {
				asked := strings.Replace(texts, ` HTTP/1\.1`, `\?[!-~]* HTTP/1\.1`, 1)
				is, known := compareTexts(asked, pattern, states)
				switch {
				case !known:
					return nil, unsure
				case n.negated && is.fits || !n.negated && is.misses:
					if w.note == "" {
						w.note, w.differ = "The rule takes the path with a query too.", exampleOf(w.old)+"?x=1"
					}
				}
			}
			w.folds = w.folds && (n.folds || n.negated)
			made = append(made, w)
		}
		if ways = made; len(ways) == 0 {
			return nil, errNever.Error()
		}
	}
	return ways, ""
}

// takesEvery reports whether the pattern of a RewriteRule takes every path.
func takesEvery(pattern string) bool {
	return slices.Contains(
		[]string{"", "^", ".*", "^.*$", "(.*)", "^(.*)$", "^/?(.*)$", "^/?.*$", "^/?",
			".?", "^.*", "^(.*)", "$"},
		pattern,
	)
}

// byURI gives the ways of a condition on the path as those of the rule, with its groups as those of
// the condition.
func byURI(x expression) []way {
	made := slices.Clone(x.ways)
	for i := range made {
		made[i].uri = maps.Clone(made[i].groups)
		made[i].groups = map[string]string{}
		whole := strings.ReplaceAll(made[i].old, ":digits}", "}")
		made[i].groups["1"] = strings.TrimPrefix(whole, "/")
	}
	return made
}
