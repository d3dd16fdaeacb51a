package imports

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// narrow is a class that takes less than the capture that stands for it.
type narrow struct {
	text  string // the class
	odd   string // what it does not take and a capture does; "": nothing was found
	empty bool   // it may take nothing
}

var bracketed = regexp.MustCompile(
	`^(\[\^?\]?(?:[^\]\\]|\\.)*\]|\\w|\\S|\.)([+*]|\{\d{1,3}(?:,\d{0,3})?\})\??`)

// oddTexts are tried in turn: one that a class does not take shows what it is about.
var oddTexts = []string{"_", "A", "a", "0", ".", "~", "-", "é"}

// readBracket reads a class in brackets and its repetition; false where it is none, or takes a
// slash.
func (r *expressionReader) readBracket() (takes string, ok bool) {
	m := bracketed.FindStringSubmatch(r.rest)
	if m == nil {
		return "", false
	}
	class, err := regexp.Compile("^(?:" + m[1] + ")$")
	if err != nil || !class.MatchString("x") && !class.MatchString("7") && !class.MatchString("X") ||
		m[1] == "." && m[2][0] == '{' {
		return "", false
	}
	n := narrow{text: m[1] + m[2], empty: m[2] == "*" || strings.HasPrefix(m[2], "{0")}
	for _, odd := range oddTexts {
		if !class.MatchString(odd) {
			n.odd = odd
			break
		}
	}
	if n.odd == "" && m[2][0] == '{' {
		_, most, ranged := strings.Cut(strings.Trim(m[2], "{}"), ",")
		if !ranged {
			most = strings.Trim(m[2], "{}")
		}
		count, err := strconv.Atoi(most)
		if err != nil { // without an end
			return "", false
		}
		n.odd = strings.Repeat("~", count) // put between two others it is too long
	}
	if n.odd == "é" {
		n.odd = "%C3%A9"
	}
	if n.odd != "" {
		n.odd = "x" + n.odd + "x" // a dot alone is no name
	}
	if class.MatchString("7") && !class.MatchString("x") && !class.MatchString("X") {
		if m[1] != "[0-9]" || m[2][0] == '{' { // digits, and perhaps more of them
			return "", false
		}
		n.odd = ""
	}
	if class.MatchString("/") { // it takes what stands in several segments
		r.lazy = r.lazy || strings.HasSuffix(m[0], "?")
		r.rest = r.rest[len(m[0]):]
		takes := takesSome
		if n.empty {
			takes, n.empty = takesAll, false
		}
		r.narrow = &n
		return takes, true
	}
	r.lazy = r.lazy || strings.HasSuffix(m[0], "?")
	r.rest, r.narrow = r.rest[len(m[0]):], &n
	if m[1] == "[0-9]" {
		return takesDigits, true
	}
	return takesSegment, true
}

// narrowed notes of ways what their last capture takes beyond the class; where the class may take
// nothing, before holds the ways without it, which are ways of their own.
func (r *expressionReader) narrowed(before, ways []way, name, group string) []way {
	n := r.narrow
	r.narrow = nil
	if n == nil {
		return ways
	}
	for i := range ways {
		if n.odd != "" && ways[i].oddText == "" {
			ways[i].oddName, ways[i].oddText, ways[i].class = name, n.odd, n.text
		}
	}
	if !n.empty {
		return ways
	}
	for _, w := range before {
		groups := map[string]string{group: ""}
		for k, v := range w.groups {
			groups[k] = v
		}
		w.groups = groups
		ways = append(ways, w)
	}
	return ways
}

// exampleWith fills the captures of a path, one of them with a text of its own.
func exampleWith(old, name, text string) string {
	old = strings.Replace(old, "{+"+name+"}", text, 1)
	return exampleOf(strings.Replace(old, "{"+name+"}", text, 1))
}

// literalGroup is a group of texts: no class, nothing repeated.
var literalGroup = regexp.MustCompile(
	`\((\?:)?((?:[^\\.\[\]()*+{}^$]|\\[^a-zA-Z0-9])*)\)(\??)`)

// mostBranches is how many expressions are made of one whose groups have texts that may be missing.
const mostBranches = 16

// branches gives the expressions that one stands for, where a group of texts has letters that may
// be missing, may be missing itself, or stands behind a class that takes anything.
func branches(s string) ([]string, error) {
	all := []string{s}
	for at := 0; at < len(all); {
		made, changed := expand(all[at])
		if !changed {
			at++
			continue
		}
		all = append(all[:at], append(made, all[at+1:]...)...)
		if len(all) > mostBranches {
			return nil, errTooMany
		}
	}
	return all, nil
}

func expand(s string) ([]string, bool) {
	for _, m := range literalGroup.FindAllStringSubmatchIndex(s, -1) {
		inside, opens, missing := s[m[4]:m[5]], "(", m[6] < m[7]
		if m[2] >= 0 {
			opens = "(?:"
		}
		escaped := m[0] > 0 && s[m[0]-1] == '\\'
		behind := strings.Contains(s[:m[0]], ".*") || strings.Contains(s[:m[0]], ".+")
		if escaped || inside == "" || inside[0] == '?' || strings.Contains(inside, "|?") ||
			!strings.Contains(inside, "?") && !missing && !(behind && strings.Contains(inside, "|")) {
			continue
		}
		var texts []string
		for choice := range strings.SplitSeq(inside, "|") {
			texts = append(texts, optionals(choice)...)
		}
		if missing {
			texts = append(texts, "")
		}
		var made []string
		for _, text := range texts {
			made = append(made, s[:m[0]]+opens+text+")"+s[m[1]:])
		}
		return made, true
	}
	return nil, false
}

// optionals gives a text with and without the letters that may be missing.
func optionals(s string) []string {
	at := strings.IndexByte(s, '?')
	if at < 1 || len(s) > 200 {
		return []string{s}
	}
	from := at - 1
	if from > 0 && s[from-1] == '\\' {
		from--
	}
	var all []string
	for _, rest := range optionals(s[at+1:]) {
		all = append(all, s[:at]+rest, s[:from]+rest)
	}
	return all
}

func (n narrow) String() string { return fmt.Sprintf("class %s", n.text) }
