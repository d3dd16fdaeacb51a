package rule

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Part is a piece of a template: literal text, or a capture.
type Part struct {
	Literal string // in a pattern in normal form, in a target as written; "" for a capture
	Name    string // of a capture
	Rest    bool   // {+name}: anything, slashes and nothing included
	Digits  bool   // {name:digits}: one or more digits
	Label   bool   // a capture that goes into a host: letters, digits and - only
}

// IsCapture reports whether the part is a capture.
func (p Part) IsCapture() bool { return p.Name != "" }

// String gives the part as it is written.
func (p Part) String() string {
	switch {
	case !p.IsCapture():
		return p.Literal
	case p.Rest:
		return "{+" + p.Name + "}"
	case p.Digits:
		return "{" + p.Name + ":digits}"
	}
	return "{" + p.Name + "}"
}

func partsText(parts []Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.String())
	}
	return b.String()
}

// template is text with captures, taken apart; offset is where it starts in the field that it was
// read from.
type template struct {
	name   string // of the column
	field  string
	offset int
	whole  string // the field with what was cut off, to be shown
	faults *problem.List
}

func (t template) fail(at int, fault fact.Facts) {
	t.faults.Add(
		problem.Problem{
			Field: t.name,
			Fault: fault,
			Mark:  cmp.Or(t.whole, t.field),
			Place: len([]rune(t.field[:at])),
		},
	)
}

// split takes the template apart. Literals come out as they stand; what is wrong is added to the
// faults.
func (t template) split() []Part {
	var parts []Part
	literal := t.offset
	flush := func(end int) {
		if end > literal {
			parts = append(parts, Part{Literal: t.field[literal:end]})
		}
	}
	for i := t.offset; i < len(t.field); i++ {
		switch t.field[i] {
		case '{':
			flush(i)
			end := strings.IndexByte(t.field[i:], '}')
			if end < 0 {
				t.fail(i, fact.BraceOpen{})
				return parts
			}
			if p, ok := t.capture(i, t.field[i+1:i+end]); ok {
				parts = append(parts, p)
			}
			i += end
			literal = i + 1
		case '}':
			t.fail(
				i,
				fact.BraceClosed{},
			)
		case '*':
			write := "{name}"
			if i == len(t.field)-1 {
				write = "{+rest}"
			}
			t.fail(
				i,
				fact.BareStar{Write: write},
			)
		}
	}
	flush(len(t.field))
	return parts
}

func (t template) capture(at int, inside string) (Part, bool) {
	var p Part
	name, kind, typed := strings.Cut(inside, ":")
	p.Name, p.Rest = strings.CutPrefix(name, "+")
	switch {
	case !isName(p.Name):
		t.fail(
			at,
			fact.CaptureName{Name: inside},
		)
		return p, false
	case typed && (kind != "digits" || p.Rest):
		t.fail(at, fact.CaptureKind{Kind: kind})
		return p, false
	}
	p.Digits = typed
	return p, true
}

func isName(s string) bool {
	for i, c := range []byte(s) {
		letter := c|0x20 >= 'a' && c|0x20 <= 'z'
		if !letter && (i == 0 || !(c >= '0' && c <= '9' || c == '-' || c == '_')) {
			return false
		}
	}
	return s != ""
}

// checkPattern looks for what a pattern must not hold: two captures side by side, {+name} before
// more than a literal ending, a name twice.
func (t template) checkPattern(parts []Part) {
	seen := map[string]bool{}
	at := t.offset
	for i, p := range parts {
		switch {
		case !p.IsCapture():
		case seen[p.Name]:
			t.fail(at, fact.CaptureTwice{Name: p.Name})
		case p.Rest && slices.ContainsFunc(parts[i+1:], Part.IsCapture):
			t.fail(at, fact.RestNotLast{Name: p.Name})
		case i > 0 && parts[i-1].IsCapture():
			t.fail(at, fact.CapturesAdjoin{})
		}
		seen[p.Name] = p.IsCapture()
		at += len(p.String())
	}
}

// normalParts gives the parts with their literals in the form in which paths are compared.
func normalParts(parts []Part) []Part {
	for i := range parts {
		parts[i].Literal = web.NormalPath(parts[i].Literal)
	}
	return parts
}
