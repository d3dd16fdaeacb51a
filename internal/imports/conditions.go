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

// askQuery translates a condition on the query: parameters with a literal value, a number or
// anything, within bounds or not. group names which of its groups is which capture.
func (a *asked) askQuery(pattern string) string {
	unable := fmt.Sprintf("the condition on the query (%s) is more than parameters with their values",
		pattern)
	inner, groups := pattern, 0
	bounded, whole := true, true // on either side by a bound; it is all of the query
	left, right := false, false
	for _, bound := range leftBounds {
		if rest, ok := strings.CutPrefix(inner, bound); ok {
			inner, left, whole = rest, true, false
			groups += strings.Count(bound, "(") - strings.Count(bound, "(?")
			break
		}
	}
	for _, bound := range rightBounds {
		if rest, ok := strings.CutSuffix(inner, bound); ok {
			inner, right, whole = rest, true, false
			break
		}
	}
	if !left {
		var begins bool
		inner, begins = strings.CutPrefix(inner, "^")
		bounded, whole = bounded && begins, whole && begins
		if begins && !whole {
			bounded = false // at the beginning alone
		}
	}
	if !right {
		var ends bool
		if inner, ends = strings.CutSuffix(inner, "$"); !ends || strings.HasSuffix(inner, `\`) {
			bounded, whole = false, false
		} else if !whole {
			bounded = false
		}
	}
	var query, example []string
	a.groups = map[string]string{}
	for i, p := range strings.Split(strings.ReplaceAll(inner, "[^&", "[^\x00"), "&") {
		p = strings.ReplaceAll(p, "\x00", "&")
		key, value, pair := strings.Cut(p, "=")
		key = strings.ReplaceAll(key, `\.`, ".")
		if !pair || key == "" || strings.ContainsAny(key, `()[]|*+?\^$`) {
			return unable
		}
		name := fmt.Sprintf("q%d", i+1)
		m := queryValues.FindStringSubmatch(value)
		switch {
		case m != nil && (m[1] == "") == (m[4] == ""):
			capture, sample := "{"+name+"}", "x"
			if m[2] == "[0-9]" || m[2] == `\d` {
				query = append(query, key+"={"+name+":digits}")
				sample = "7"
			} else {
				query = append(query, key+"={"+name+"}")
			}
			if m[1] != "" {
				groups++
				a.groups[fmt.Sprint(groups)] = capture
			}
			example = append(example, key+"="+sample)
		default:
			if text, is := strings.CutPrefix(value, "("); is && strings.HasSuffix(text, ")") {
				groups++
				value = strings.TrimSuffix(text, ")")
				a.groups[fmt.Sprint(groups)] = escapeText(strings.ReplaceAll(value, `\.`, "."))
			}
			value = strings.NewReplacer(`\.`, ".", `\-`, "-", `\+`, "+", `\ `, "%20").Replace(value)
			if strings.ContainsAny(value, `()[]|*?\^$`) || strings.Contains(value, "+") && left {
				return unable
			}
			query = append(query, escapeText(key)+"="+escapeText(value))
			example = append(example, key+"="+value)
		}
	}
	slices.Sort(query)
	if len(slices.Compact(slices.Clone(query))) != len(query) {
		return unable
	}
	if a.query != "" {
		return "it has two conditions on the query; write them into one rule by hand"
	}
	a.query = "?" + strings.Join(query, "&")
	sample := strings.Join(example, "&")
	a.sample = sample
	switch {
	case whole:
		a.note = "The rule takes URLs with further parameters too."
		a.example = "?" + sample + "&more=1"
	case !left && strings.HasPrefix(pattern, "^"):
		a.note = "The rule takes the parameter behind others too."
		a.example = "?more=1&" + sample
	case !bounded:
		a.note = "The file takes names and values that this is a part of too; the rule does not."
		a.example = "?my" + sample
	}
	return ""
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
		`(?:\\s\+?|\\ \+?| )(/.*?)(?:(?:\\s|\\ | |\[\\s\?\]|\[\?\\s\]|\[\\ \?\])(?:HTTP.*)?)?$`)

// askRequest translates a condition on the request line: the path as it came, and a query. It must
// be that of the rule itself.
func (a *asked) askRequest(pattern string) string {
	m := requestLine.FindStringSubmatch(pattern)
	if m == nil {
		return "a rule cannot express this condition on THE_REQUEST"
	}
	path, query, asks := strings.Cut(m[1], `\?`)
	a.must = append(a.must, "^"+path)
	if !asks {
		return ""
	}
	return a.askQuery("^" + strings.TrimSuffix(query, `\s`))
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
	return slices.Contains([]string{"", "^", ".*", "^.*$", "(.*)", "^(.*)$", "^/?(.*)$", "^/?.*$", "^/?",
		".?", "^.*", "^(.*)", "$"}, pattern)
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
