// Package words is every sentence that users read about what core found: what it says, what was
// expected, and what to do. Core hands over facts; the words for them stand here alone, a file a
// family.
//
// A sentence is a template. $Name is the fact of that name; what follows a colon is its form:
// $Doors:door for "3 doors", $Doors:the_door for "the door" or "the 3 doors", $Names:few3,
// $Names:and, $Term:q for quotation marks. $Count/is/are is the verb for a number, or for as many
// as a list has. A last ~ ends a name before a letter. $$ is a dollar.
//
// It judges nothing, and prints nothing.
package words

import (
	"fmt"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// sentence is what is said of one kind of facts.
type sentence struct {
	of   reflect.Type
	said fact.Said                  // templates
	by   func(fact.Facts) fact.Said // gives them where they depend on the facts; or nil
	raw  bool                       // values of records, which may be copied
}

// of says facts: what is the case, and what to do.
func of[F any](says, do string) sentence {
	return sentence{of: reflect.TypeFor[F](), said: fact.Said{Says: says, Do: do}}
}

// bad says what is wrong with an input, what should stand there, and what to write.
func bad[F any](says, expected, do string) sentence {
	return sentence{of: reflect.TypeFor[F](),
		said: fact.Said{Says: says, Expected: expected, Do: do}}
}

// phrase says facts that are a part of a sentence.
func phrase[F any](says string) sentence { return of[F](says, "") }

// values says facts that are values of records.
func values(s sentence) sentence {
	s.raw = true
	return s
}

// by says facts whose sentence depends on them.
func by[F any](choose func(f F) (says, do string)) sentence {
	return sentence{of: reflect.TypeFor[F](), by: func(f fact.Facts) fact.Said {
		says, do := choose(f.(F))
		return fact.Said{Says: says, Do: do}
	}}
}

// badBy says what is wrong with an input where that depends on the facts.
func badBy[F any](choose func(f F) (says, expected, do string)) sentence {
	return sentence{of: reflect.TypeFor[F](), by: func(f fact.Facts) fact.Said {
		says, expected, do := choose(f.(F))
		return fact.Said{Says: says, Expected: expected, Do: do}
	}}
}

var sentences = map[reflect.Type]sentence{}

func init() {
	for _, family := range families {
		for _, s := range family {
			if _, twice := sentences[s.of]; twice {
				panic("two sentences for " + s.of.String())
			}
			sentences[s.of] = s
		}
	}
	fact.SpokenBy(say)
}

// say gives the words for facts, false where it has none.
func say(f fact.Facts) (fact.Said, bool) {
	s, ok := sentences[reflect.TypeOf(f)]
	if !ok {
		return fact.Said{}, false
	}
	t := s.said
	if s.by != nil {
		t = s.by(f)
	}
	v := reflect.ValueOf(f)
	says := fill(t.Says, v)
	if !s.raw {
		says = Readable(says)
	}
	return fact.Said{Says: says, Expected: fill(t.Expected, v), Do: fill(t.Do, v)}, true
}

var coded = regexp.MustCompile(`[A-Za-z0-9_.-]*xn--[A-Za-z0-9_.-]*[A-Za-z0-9]`)

// Readable gives a text with its host names as people write them. What is to be typed keeps the
// names that every form takes.
func Readable(text string) string {
	if !strings.Contains(text, "xn--") {
		return text
	}
	return coded.ReplaceAllStringFunc(text, func(name string) string {
		if h, err := web.ParseObservedHost(name); err == nil {
			return h.Unicode()
		}
		return name
	})
}

// piece is a part of a template: text, or a fact in a form.
type piece struct {
	text, name, form string
	one, many        string // the verb for a number
}

var (
	placeholder = regexp.MustCompile(`\$(?:\$|([A-Z][A-Za-z0-9]*)(?:~|:([A-Za-z0-9_]+)|` +
		`/([A-Za-z_']+)/([A-Za-z_']+))?)`)
	parsed sync.Map // from a template to its pieces
)

func pieces(template string) []piece {
	if known, ok := parsed.Load(template); ok {
		return known.([]piece)
	}
	var all []piece
	at := 0
	for _, m := range placeholder.FindAllStringSubmatchIndex(template, -1) {
		group := func(n int) string {
			if m[2*n] < 0 {
				return ""
			}
			return strings.ReplaceAll(template[m[2*n]:m[2*n+1]], "_", " ")
		}
		text := template[at:m[0]]
		if group(1) == "" {
			text += "$"
		}
		all = append(all, piece{text, group(1), group(2), group(3), group(4)})
		at = m[1]
	}
	all = append(all, piece{text: template[at:]})
	parsed.Store(template, all)
	return all
}

// fill puts facts into a template.
func fill(template string, facts reflect.Value) string {
	if !strings.Contains(template, "$") {
		return template
	}
	var b strings.Builder
	for _, p := range pieces(template) {
		b.WriteString(p.text)
		if p.name != "" {
			b.WriteString(p.write(facts.FieldByName(p.name).Interface()))
		}
	}
	return b.String()
}

// write gives a fact in the form of the piece.
func (p piece) write(value any) string {
	switch v := value.(type) {
	case string:
		if p.form == "q" {
			return strconv.Quote(v)
		}
		return v
	case int:
		switch {
		case p.one != "":
			return wording.Verb(v, p.one, p.many)
		case strings.HasPrefix(p.form, "the "):
			return The(v, "", strings.TrimPrefix(p.form, "the "))
		case p.form == "seconds":
			return wording.DurationText(v)
		case p.form == "most":
			return wording.AtMost(time.Duration(v) * time.Second)
		case p.form != "":
			return wording.Count(v, p.form)
		}
		return strconv.Itoa(v)
	case int64:
		return p.write(int(v))
	case []string:
		return p.list(v)
	case []fact.Facts:
		texts := make([]string, len(v))
		for i, f := range v {
			texts[i] = fact.Text(f)
		}
		return p.list(texts)
	case time.Time:
		switch p.form {
		case "minute":
			return v.Local().Format("2 January 2006 15:04 MST")
		case "clock":
			return v.Local().Format("15:04 MST")
		}
		return v.UTC().Format(time.DateOnly)
	case time.Duration:
		if p.form == "most" {
			return wording.AtMost(v)
		}
		return wording.Span(v)
	case bool:
		return strconv.FormatBool(v)
	}
	return fact.Text(value)
}

// list joins texts: with commas, or as the form says.
func (p piece) list(all []string) string {
	if p.one != "" {
		return wording.Verb(len(all), p.one, p.many)
	}
	if few, ok := strings.CutPrefix(p.form, "few"); ok {
		most, err := strconv.Atoi(few)
		if err != nil {
			panic(fmt.Sprintf("the form %q of a list", p.form))
		}
		return wording.Few(all, most)
	}
	switch p.form {
	case "and":
		return wording.And(all)
	case "and2":
		return strings.Join(all, " and ")
	case "and3":
		return strings.Join(all, ", and ")
	case "or2":
		return strings.Join(all, " or ")
	case "nothing":
		return wording.OrNothing(all)
	case "shortly":
		return wording.Shortly(all)
	case "names":
		if len(all) == 0 {
			return "no name"
		}
		return wording.Few(all, 3)
	case "none":
		if len(all) == 0 {
			return "none"
		}
		return wording.Few(all, 4)
	case "spaces":
		return strings.Join(all, " ")
	case "commas":
		return strings.Join(all, ",")
	case "semicolons":
		return strings.Join(all, "; ")
	case "to":
		return strings.Join(all, " to ")
	case "then":
		return strings.Join(all, ", then ")
	case "arrows":
		return strings.Join(all, " → ")
	}
	return strings.Join(all, ", ")
}
