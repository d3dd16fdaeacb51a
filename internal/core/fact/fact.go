// Package fact is what core finds, says or complains of, without words: for each sentence a struct
// of its own, with the facts that the sentence is about. Package words has the words.
//
// The types stand in a file a family. A field is a fact that the sentence tells; one with the tag
// words:"-" is told in JSON alone. It knows nothing of the packages that fill the structs in.
//
//	f := fact.EndsAtHome{Entry: "http://old.example/a", Arrival: "https://www.northmoor.example/"}
//	fact.Say(f).Says // http://old.example/a arrives on the home page, ... (where words are linked)
package fact

import (
	"fmt"
	"reflect"
	"strings"
	"time"
	"unicode"
)

// Facts are the facts of a sentence: a struct of this package, or Kept.
type Facts any

// Said is what is said of facts.
type Said struct {
	Says     string // what is the case
	Expected string // of an input: what should stand there
	Do       string // what to do about it
}

// Kept are facts of which only the words are left: those that a file holds.
type Kept Said

// speak says facts of which it has the words; false where it has none.
var speak = func(Facts) (Said, bool) { return Said{}, false }

// SpokenBy gives facts their words. Package words calls it, once, as the program starts.
func SpokenBy(speaker func(Facts) (Said, bool)) { speak = speaker }

// Say gives the words of facts. Where nothing has words for them it is the name of the facts, and
// the facts.
func Say(f Facts) Said {
	switch f := f.(type) {
	case nil:
		return Said{}
	case Kept:
		return Said(f)
	case string:
		return Said{Says: f}
	}
	if said, ok := speak(f); ok {
		return said
	}
	return Said{Says: strings.TrimPrefix(fmt.Sprintf("%T%+v", f, f), "fact.")}
}

// Text gives what is said of facts as a phrase: a part of a sentence.
func Text(f Facts) string { return Say(f).Says }

// Texts gives what is said of each of many facts.
func Texts(all []Facts) []string {
	made := make([]string, len(all))
	for i, f := range all {
		made[i] = Text(f)
	}
	return made
}

// Key tells facts apart, for maps.
func Key(f Facts) string { return fmt.Sprintf("%T%v", f, f) }

// Part is a part of what is said.
type Part uint8

// The parts.
const (
	Says Part = iota
	Expected
	Do
)

// Sentence is one part of what is said of facts. In JSON it is a text. The zero value is empty.
type Sentence struct {
	of   Facts
	part Part
}

// Of gives a part of what is said of facts.
func Of(f Facts, p Part) Sentence { return Sentence{f, p} }

// Plain gives a sentence of which only the text is known; "" gives the zero value.
func Plain(text string) Sentence {
	if text == "" {
		return Sentence{}
	}
	return Sentence{of: Kept{Says: text}}
}

// Facts gives what the sentence is about; nil for the zero value.
func (s Sentence) Facts() Facts { return s.of }

// IsZero reports whether nothing is said.
func (s Sentence) IsZero() bool { return s.of == nil }

// String gives the sentence in words.
func (s Sentence) String() string {
	said := Say(s.of)
	return [...]string{said.Says, said.Expected, said.Do}[s.part]
}

// MarshalText writes the sentence in words.
func (s Sentence) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads a sentence as a file holds it.
func (s *Sentence) UnmarshalText(text []byte) error {
	*s = Plain(string(text))
	return nil
}

// Error is facts as an error.
type Error struct {
	Facts Facts
	kind  error
}

// Err makes an error of facts.
func Err(f Facts) error { return &Error{Facts: f} }

// ErrOf makes an error of facts that is another one, for errors.Is.
func ErrOf(kind error, f Facts) error { return &Error{f, kind} }

func (e *Error) Error() string { return Text(e.Facts) }

// Unwrap gives the error that this one is; nil where it is none.
func (e *Error) Unwrap() error { return e.kind }

// Map gives facts by the names of their fields, in the style of JSON keys: texts, numbers, lists of
// texts, times, seconds for durations, and words for facts within facts. Kept facts, and nil, have
// none.
func Map(f Facts) map[string]any {
	all := map[string]any{}
	v := reflect.ValueOf(f)
	if _, kept := f.(Kept); kept || !v.IsValid() || v.Kind() != reflect.Struct {
		return all
	}
	for i := range v.NumField() {
		name := v.Type().Field(i).Name
		switch x := v.Field(i).Interface().(type) {
		case time.Duration:
			all[snake(name)] = int(x.Seconds())
		case []Facts:
			said := make([]Sentence, len(x))
			for n, f := range x {
				said[n] = Of(f, Says)
			}
			all[snake(name)] = said
		case nil:
		default:
			all[snake(name)] = x
			if v.Field(i).Kind() == reflect.Interface {
				all[snake(name)] = Of(x, Says)
			}
		}
	}
	return all
}

// snake writes the name of a field as a key: MaxAge is max_age, and OtherURLs other_urls.
func snake(name string) string {
	var b strings.Builder
	runes := []rune(name)
	for i, r := range runes {
		lower := i > 0 && !unicode.IsUpper(runes[i-1])
		begins := i > 0 && i+1 < len(runes) && unicode.IsUpper(runes[i-1]) &&
			unicode.IsLower(runes[i+1]) && string(runes[i+1:]) != "s"
		if unicode.IsUpper(r) && (lower || begins) {
			b.WriteByte('_')
		}
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}
