package imports

import (
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

// queryValues are the ways in which an expression writes a value that may be anything.
var queryValues = regexp.MustCompile(
	`^(\()?(\[0-9\]|\\d|\[\^&\]|\.|\[\^&=\]|\\w|\[[A-Za-z0-9_\\.-]+\])([+*])\??(\))?$`)

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
	b.exact = b.left && b.right
	return inner, b
}

// asking is what an expression for a query asks for, as it is read.
type asking struct {
	query, example []string
	groups         map[string]string
	count          int
	narrow         string // a class that takes less than a capture
	empty          bool   // a value may be empty
}

// take reads one parameter; false where it is more than one with a value.
func (q *asking) take(i int, p string, b bounds) bool {
	key, value, pair := strings.Cut(p, "=")
	key = strings.ReplaceAll(key, `\.`, ".")
	if !pair || key == "" || strings.ContainsAny(key, `()[]|*+?\^$`) {
		return false
	}
	if m := queryValues.FindStringSubmatch(value); m != nil && (m[1] == "") == (m[4] == "") {
		name, sample, form := fmt.Sprintf("q%d", i+1), "x", ""
		switch m[2] {
		case "[0-9]", `\d`:
			sample, form = "7", ":digits"
		case ".":
			if !b.whole {
				return false // it takes what follows too
			}
		case "[^&]":
		default:
			q.narrow = m[2] + m[3]
		}
		q.empty = q.empty || m[3] == "*"
		q.query = append(q.query, key+"={"+name+form+"}")
		q.example = append(q.example, key+"="+sample)
		if m[1] != "" {
			q.count++
			q.groups[fmt.Sprint(q.count)] = "{" + name + "}"
		}
		return true
	}
	plain := strings.NewReplacer(`\.`, ".", `\-`, "-", `\+`, "+", `\ `, "%20")
	if text, is := strings.CutPrefix(value, "("); is && strings.HasSuffix(text, ")") {
		q.count++
		value = strings.TrimSuffix(text, ")")
		q.groups[fmt.Sprint(q.count)] = escapeText(plain.Replace(value))
	}
	if strings.ContainsAny(plain.Replace(value), `()[]|*?\^$`) ||
		strings.Contains(strings.ReplaceAll(value, `\+`, ""), "+") {
		return false
	}
	value = plain.Replace(value)
	q.query = append(q.query, escapeText(key)+"="+escapeText(value))
	q.example = append(q.example, key+"="+value)
	return true
}

// askQuery translates a condition on the query: parameters with a literal value, a number or
// anything, within bounds or not.
func (a *asked) askQuery(pattern string) string {
	unable := fmt.Sprintf("the condition on the query (%s) is more than parameters with their values",
		pattern)
	inner, b := boundsOf(pattern)
	q := asking{groups: map[string]string{}, count: b.groups}
	for i, p := range strings.Split(strings.ReplaceAll(inner, "[^&", "[^\x00"), "&") {
		if !q.take(i, strings.ReplaceAll(p, "\x00", "&"), b) {
			return unable
		}
	}
	slices.Sort(q.query)
	if len(slices.Compact(slices.Clone(q.query))) != len(q.query) {
		return unable
	}
	if a.query != "" {
		return "it has two conditions on the query; write them into one rule by hand"
	}
	a.query, a.groups, a.sample = "?"+strings.Join(q.query, "&"), q.groups,
		strings.Join(q.example, "&")
	a.say(q, b, strings.HasPrefix(pattern, "^"))
	return ""
}

// say notes where the rule takes other queries than the file, with one.
func (a *asked) say(q asking, b bounds, begins bool) {
	switch {
	case q.narrow != "":
		a.note = "The rule takes any value there, the file " + q.narrow + " alone."
		a.example = "?" + strings.Replace(a.sample, "=x", "=~!", 1)
	case b.whole:
		a.note = "The rule takes URLs with further parameters too."
		a.example = "?" + a.sample + "&more=1"
	case begins && !b.left:
		a.note = "The rule takes the parameter behind others too."
		a.example = "?more=1&" + a.sample
	case !b.exact:
		a.note = "The file takes names and values that this is a part of too; the rule does not."
		a.example = "?my" + a.sample
	case q.empty:
		a.note = "The file takes an empty value too; the rule does not."
		a.example = "?" + strings.Replace(strings.Replace(a.sample, "=x", "=", 1), "=7", "=", 1)
	}
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

// neverAt reports whether a negated expression for the path holds for all URLs of a template.
func neverAt(pattern, old string) bool {
	expression, err := regexp.Compile(pattern)
	if err != nil {
		return false
	}
	before, _, open := strings.Cut(old, "{")
	if !open {
		return !expression.MatchString(old)
	}
	rest, anchored := strings.CutPrefix(pattern, "^")
	if !anchored {
		return false
	}
	inner, err := regexp.Compile(rest)
	if err != nil {
		return false
	}
	literal, _ := inner.LiteralPrefix()
	n := min(len(literal), len(before))
	return literal != "" && literal[:n] != before[:n]
}

// requestLine is what stands before and behind the path in an expression for a request line.
var requestLine = regexp.MustCompile(
	`^\^?(?:\[A-Z\](?:\+|\{\d,?\d*\})|\(?(?:GET|POST|HEAD)(?:\|(?:GET|POST|HEAD))*\)?|\\S\+|\.\*)?` +
		`(?:\\s\+?|\\ \+?| )(/.*?)((?:\\s|\\ | |\[\\s\?\]|\[\?\\s\]|\[\\ \?\])(?:HTTP.*)?)?$`)

// askRequest translates a condition on the request line: the path as it came, and a query. It must
// be that of the rule itself.
func (a *asked) askRequest(pattern string) string {
	m := requestLine.FindStringSubmatch(pattern)
	if m == nil {
		return "a rule cannot express this condition on THE_REQUEST"
	}
	path, query, asks := strings.Cut(m[1], `\?`)
	a.must = append(slices.Clone(a.must), "^"+path)
	switch ends := m[2] != ""; {
	case !asks && ends && !strings.Contains(m[2], "?"):
		a.note, a.example = "The rule takes the path with a query too.", "?x=1"
		return ""
	case !asks:
		return ""
	case ends:
		return a.askQuery("^" + query + "$")
	}
	return a.askQuery("^" + query)
}

// holds reports whether the conditions on the path hold for all URLs of a way, which are then no
// conditions.
func (a asked) holds(w way) bool {
	for _, not := range a.not {
		if !neverAt(not, w.old) {
			return false
		}
	}
	for _, must := range a.must {
		expression, err := regexp.Compile(must)
		if err != nil || strings.Contains(w.old, "{") || !expression.MatchString(w.old) {
			return false
		}
	}
	return true
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
