package servers

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Import is redirects that exist somewhere, as rules: what the rule language can say is translated, the rest is listed.
type Import struct {
	Rules []ImportedRule
	Left  []Leftover
}

// ImportedRule is a rule with the line that it comes from. In the file that it comes from the first match wins.
type ImportedRule struct {
	rule.Row
	Source int    // line in the file
	Text   string // as it stands there
	Rank   int    // in which order the server tries it, from 0
	Note   string // where it takes other URLs than the line does, in words; "" where it takes the same
	Differ string // a URL at which it answers otherwise, "" for none
}

// Leftover is a line that is not translated, and why.
type Leftover struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

func (m *Import) leave(line int, text, reason string, args ...any) {
	m.Left = append(m.Left, Leftover{line, strings.TrimSpace(text), fmt.Sprintf(reason, args...)})
}

// add adds a rule. A pattern that ends with {+name} and a target without keep what the rule language says of them.
func (m *Import) add(line int, text, old, to string, status int, drop bool, note, differ string) {
	row := rule.Row{Line: line, Old: old, New: to, Status: fmt.Sprint(status)}
	if drop {
		row.Query = "drop"
	}
	m.Rules = append(m.Rules, ImportedRule{row, line, strings.TrimSpace(text), len(m.Rules), note, differ})
}

// Difference is a URL that the file and the rules made of it answer otherwise.
type Difference struct {
	URL   string `json:"url"`
	Line  int    `json:"line"`            // of the file, that answers there
	Other int    `json:"other,omitempty"` // of the file, whose rule answers here; 0: none
	Says  string `json:"says"`
}

// Differences finds where it changes an answer that the file takes the first match and the rules the most specific one. Each comes with a
// URL.
func (m *Import) Differences(rules []*rule.Rule, canonical web.Door) []Difference {
	var all []Difference
	for _, r := range m.Rules {
		if r.Differ != "" {
			all = append(all, Difference{r.Differ, r.Source, 0, r.Note})
		}
	}
	byPlace := map[*rule.Rule]ImportedRule{}
	for i, r := range rules {
		byPlace[r] = m.Rules[i]
	}
	table := rule.Compile(rules, rule.Scope{})
	said := map[[2]int]bool{}
	for i, a := range rules {
		for _, b := range rules[i+1:] {
			first, second := a, b
			if byPlace[b].Rank < byPlace[a].Rank {
				first, second = b, a
			}
			key := [2]int{byPlace[first].Source, byPlace[second].Source}
			if a.Old.Host != b.Old.Host || said[key] || key[0] == key[1] {
				continue
			}
			path, meet := rule.Overlap(a.Old.Parts, b.Old.Parts)
			if !meet {
				continue
			}
			u := web.Door{Scheme: web.HTTP, Host: a.Old.Host}.URL(path, queryFor(a, b))
			won, ok := table.Lookup(u)
			if !ok || won.Rule == first || !takes(first, u) || won.Rule != second {
				continue
			}
			theirs, _ := rule.Compile([]*rule.Rule{first}, rule.Scope{}).Lookup(u)
			if theirs.Location(canonical) == won.Location(canonical) && first.Status == second.Status {
				continue
			}
			said[key] = true
			all = append(all, Difference{u.String(), key[0], key[1],
				fmt.Sprintf("The file's line %d comes first and takes it; here line %d wins, which is more specific.", key[0], key[1])})
		}
	}
	return all
}

func takes(r *rule.Rule, u web.URL) bool {
	_, ok := rule.Compile([]*rule.Rule{r}, rule.Scope{}).Lookup(u)
	return ok
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

// expression is a regular expression of the simple kind, as templates: one for each alternative. Its groups are captures g1, g2, ...
type expression struct {
	ways     []way
	anchored bool // at its end
}

type way struct {
	old    string            // a path as a template
	groups map[string]string // how each group is written in a target, by number and name
	note   string
	differ string // a path at which the template says otherwise
}

// readExpression takes a regular expression apart. prefix stands before what it matches: "/" where a server leaves it away. The error
// is the reason why the rule language cannot say it.
func readExpression(s, prefix string) (expression, error) {
	r := expressionReader{rest: s}
	if rest, ok := strings.CutPrefix(s, "^"); ok {
		r.rest = rest
	} else {
		return expression{}, fmt.Errorf("it matches anywhere in a path, and a rule starts at its beginning")
	}
	start := way{old: prefix, groups: map[string]string{}}
	if prefix == "/" {
		r.rest = strings.TrimPrefix(r.rest, "/") // some write it although it is never there
	}
	ways, err := r.read([]way{start}, false)
	if err != nil {
		return expression{}, err
	}
	if !r.ended {
		for i := range ways {
			if !strings.HasSuffix(ways[i].old, "}") || !strings.Contains(ways[i].old, "{+") {
				ways[i].old += "{+rest}"
			}
		}
	}
	return expression{ways, r.ended}, nil
}

type expressionReader struct {
	rest  string
	group int
	ended bool // by $
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
		case c == '[' || c == '.' || strings.HasPrefix(r.rest, `\d`):
			unit, err := r.readClass()
			if err != nil {
				return nil, err
			}
			r.group++ // a capture of its own, which no target names
			name := fmt.Sprintf("u%d", r.group)
			if ways, err = with(ways, unit, name, 0, "", r.rest == "" || r.rest == "$"); err != nil {
				return nil, err
			}
			r.group--
		case strings.IndexByte(`)|*+?{}^$`, c) >= 0:
			return nil, fmt.Errorf("%q is more than the rule language says", string(c))
		default:
			text, err := r.readText()
			if err != nil {
				return nil, err
			}
			optional := strings.HasPrefix(r.rest, "?")
			if optional {
				r.rest = r.rest[1:]
			}
			if strings.HasPrefix(r.rest, "*") || strings.HasPrefix(r.rest, "+") || strings.HasPrefix(r.rest, "{") {
				return nil, fmt.Errorf("a repeated character is more than the rule language says")
			}
			var made []way
			for _, w := range ways {
				if optional {
					made = append(made, w)
				}
				w.old += text
				made = append(made, w)
			}
			ways = made
		}
	}
	return ways, nil
}

// readText reads one character of text.
func (r *expressionReader) readText() (string, error) {
	c := r.rest[0]
	r.rest = r.rest[1:]
	if c == '\\' {
		if r.rest == "" || strings.IndexByte("wWsSdDbB123456789", r.rest[0]) >= 0 {
			return "", fmt.Errorf("a class such as \\w is more than the rule language says")
		}
		c = r.rest[0]
		r.rest = r.rest[1:]
	}
	if c == '{' || c == '}' || c == '*' || c == '%' || c == ' ' {
		return fmt.Sprintf("%%%02X", c), nil
	}
	return string(c), nil
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
		{".*", takesAll}, {".+", takesSome}, {"[^/]+", takesSegment}, {"[0-9]+", takesDigits}, {`\d+`, takesDigits}, {"[^/]*", "maybe"}, {"[^/.]+", "word"}, {`[^/\.]+`, "word"}, {`[a-zA-Z0-9_-]+`, "word"}, {`[a-z0-9-]+`, "word"},
	} {
		if rest, ok := strings.CutPrefix(r.rest, c.text); ok {
			rest, _ = strings.CutPrefix(rest, "?") // the shortest first is how captures are
			r.rest = rest
			switch c.takes {
			case "maybe", "word":
				return "", fmt.Errorf("%s is narrower than {name} or may be nothing, which no capture is", c.text)
			}
			return c.takes, nil
		}
	}
	end := strings.IndexAny(r.rest, ")/")
	if end < 0 {
		end = len(r.rest)
	}
	return "", fmt.Errorf("%s is more than the rule language says", r.rest[:end])
}

// readGroup reads a group: a class, or alternatives of text.
func (r *expressionReader) readGroup(ways []way) ([]way, error) {
	named := strings.HasPrefix(r.rest, "(?<") || strings.HasPrefix(r.rest, "(?P<")
	if strings.HasPrefix(r.rest, "(?") && !strings.HasPrefix(r.rest, "(?:") && !named || strings.HasPrefix(r.rest, "(?<=") || strings.HasPrefix(r.rest, "(?<!") {
		return nil, fmt.Errorf("a group such as (?...) is more than the rule language says")
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
	if !strings.ContainsAny(inside, ".[") && !strings.Contains(inside, `\d`) || strings.Contains(inside, `\.`) && !strings.ContainsAny(strings.ReplaceAll(inside, `\.`, ""), ".[") && !strings.Contains(inside, `\d`) {
		return r.readAlternatives(ways, inside, end, number, name)
	}
	takes, err := r.readClass()
	if err != nil {
		return nil, err
	}
	if !strings.HasPrefix(r.rest, ")") {
		return nil, fmt.Errorf("a group with more than one class in it is more than the rule language says")
	}
	r.rest = r.rest[1:]
	if r.rest != "" && strings.IndexByte("?*+{", r.rest[0]) >= 0 {
		return nil, fmt.Errorf("a repeated group is more than the rule language says")
	}
	return with(ways, takes, fmt.Sprintf("g%d", number), number, name, r.rest == "" || r.rest == "$")
}

// readAlternatives reads a group of texts, each of which makes a rule of its own.
func (r *expressionReader) readAlternatives(ways []way, inside string, end, number int, name string) ([]way, error) {
	r.rest = r.rest[end+1:]
	optional := strings.HasPrefix(r.rest, "?")
	r.rest = strings.TrimPrefix(r.rest, "?")
	if r.rest != "" && strings.IndexByte("*+{", r.rest[0]) >= 0 {
		return nil, fmt.Errorf("a repeated group is more than the rule language says")
	}
	choices := strings.Split(inside, "|")
	if optional {
		choices = append(choices, "")
	}
	var made []way
	for _, choice := range choices {
		inner := expressionReader{rest: choice}
		for _, w := range ways {
			text := ""
			inner.rest = choice
			for inner.rest != "" {
				if strings.IndexByte(`)(|*+?{}^$[`, inner.rest[0]) >= 0 {
					return nil, fmt.Errorf("(%s) is more than the rule language says", inside)
				}
				one, err := inner.readText()
				if err != nil {
					return nil, err
				}
				text += one
			}
			w.old += text
			groups := map[string]string{}
			for k, v := range w.groups {
				groups[k] = v
			}
			if number > 0 {
				groups[fmt.Sprint(number)], groups[name] = text, text
			}
			w.groups = groups
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
		switch takes {
		case takesDigits:
			old = "{" + name + ":digits}"
		case takesAll, takesSome:
			if !last {
				return nil, fmt.Errorf("a .* before the end takes slashes, and {name} does not; {+name} stands last")
			}
			written = "{+" + name + "}"
			old = written
			if takes == takesSome {
				w.note, w.differ = "it takes the URL with nothing behind it too", w.old
			}
		}
		if strings.HasSuffix(w.old, "}") {
			return nil, fmt.Errorf("two captures stand side by side")
		}
		w.old += old
		groups := map[string]string{}
		for k, v := range w.groups {
			groups[k] = v
		}
		if number > 0 {
			groups[fmt.Sprint(number)], groups[group] = written, written
		}
		w.groups = groups
		made = append(made, w)
	}
	return made, nil
}

// target writes a target with $1, $2 as a template. The error says what is in it that the rule language does not know.
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
			return "", fmt.Errorf("its target holds a variable (%s)", s[i:])
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
	return b.String(), nil
}

// nameAt reads the name of a variable, with or without braces.
func nameAt(s string) string {
	s = strings.TrimPrefix(s, "{")
	n := 0
	for n < len(s) && (s[n] == '_' || s[n]|0x20 >= 'a' && s[n]|0x20 <= 'z' || n > 0 && s[n] >= '0' && s[n] <= '9') {
		n++
	}
	return s[:n]
}
