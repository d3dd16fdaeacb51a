package imports

import (
	"fmt"
	"maps"
	"path"
	"regexp"
	"strings"
)

// textMap is the pairs of a text file of RewriteMap, in their order.
type textMap [][2]string

// readTextMap takes the pairs out of the text of such a file: a key, a value, and # before remarks.
func readTextMap(text string) textMap {
	var all textMap
	seen := map[string]bool{}
	for line := range strings.Lines(text) {
		words := strings.Fields(line)
		if len(words) < 2 || strings.HasPrefix(words[0], "#") || seen[words[0]] {
			continue
		}
		seen[words[0]] = true // the first line of a key counts
		all = append(all, [2]string{words[0], words[1]})
	}
	return all
}

// rewriteMap reads where a map of paths is kept; only a text file beside this one can be read.
func (a *apache) rewriteMap(number int, text string, args []string) {
	if len(args) < 2 {
		a.leave(number, text, "it has no name and file")
		return
	}
	kind, file, _ := strings.Cut(args[1], ":")
	if kind != "txt" {
		a.leave(number, text, "a map that is no text file cannot be read as rules")
		return
	}
	var texts []string
	if a.includes != nil {
		if texts = a.includes(file); len(texts) == 0 {
			texts = a.includes(path.Base(file))
		}
	}
	if len(texts) == 0 {
		a.leave(number, text, "the file of the map is not in the folder of this one; put it there")
		return
	}
	if a.texts == nil {
		a.texts = map[string]textMap{}
	}
	a.texts[args[0]] = readTextMap(strings.Join(texts, "\n"))
}

// ofMap is what a substitution looks up in a map, and what stands there otherwise.
var ofMap = regexp.MustCompile(`\$\{([A-Za-z0-9_.-]+):([$%][0-9])(?:\|([^}]*))?\}`)

// asksMap reports whether a condition asks that a map knows a key, and gives what it looks up.
func asksMap(variable, pattern string) (looks string, is bool) {
	m := ofMap.FindString(variable)
	if m == "" || m != variable {
		return "", false
	}
	switch pattern {
	case `!=""`, "!=", "!^$", ".", ".+", `>""`, "(.+)", "^(.+)$", "^(.*)$", `!""`, "^.+$", "(.*)":
		return m, true
	}
	return "", false
}

// lookedUp is a way for one key of a map, with the substitution for it.
type lookedUp struct {
	way
	to string
}

// lookUp gives for each pair of the map in which a substitution looks up a group the way and the
// substitution for it, and those for all other keys; sure says that a condition asks for one.
func (a *apache) lookUp(to string, w way, sure bool) ([]lookedUp, string) {
	m := ofMap.FindStringSubmatch(to)
	if m == nil {
		return []lookedUp{{w, to}}, ""
	}
	all, have := a.texts[m[1]]
	if !have {
		return nil, fmt.Sprintf("its target looks up something in %s, which cannot be read", m[1])
	}
	group := m[2][1:]
	name := strings.Trim(w.groups[group], "{+}")
	if m[2][0] != '$' || w.groups[group] != "{"+name+"}" && w.groups[group] != "{+"+name+"}" ||
		strings.Count(to, m[0]) != strings.Count(to, "${") {
		return nil, "its target looks up more than one group, and rules are made for one"
	}
	var made []lookedUp
	for _, pair := range all {
		key := escapeText(pair[0])
		old, fits := w.old, false
		switch {
		case strings.Contains(old, "{+"+name+"}"):
			old, fits = strings.Replace(old, "{+"+name+"}", key, 1), true
		case strings.Contains(old, "{"+name+":digits}"):
			old = strings.Replace(old, "{"+name+":digits}", key, 1)
			fits = strings.Trim(key, "0123456789") == ""
		default:
			old, fits = strings.Replace(old, "{"+name+"}", key, 1), !strings.Contains(key, "/")
		}
		if !fits {
			continue
		}
		one := w
		one.old, one.groups, one.note, one.differ = old, maps.Clone(w.groups), "", ""
		one.groups[group] = key
		made = append(made, lookedUp{one, strings.ReplaceAll(to, m[0], pair[1])})
	}
	if !sure {
		made = append(made, lookedUp{w, strings.ReplaceAll(to, m[0], m[3])})
	}
	return made, ""
}
