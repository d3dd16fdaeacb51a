package script

import (
	"math"
	"strconv"
	"strings"
)

// kind is what sort of value something is.
type kind uint8

const (
	unknown   kind = iota // nobody knows
	undefined             //
	null                  //
	boolean               //
	number                //
	text                  //
	function              //
	object                // made by the script: its own names, or a list
	window                // the page's window, and what is the same to a page that is in no frame
	place                 // location
	document              //
	element               // one of the page
	host                  // something else of the browser that is surely there
)

// value is what an expression gives, as far as it is known.
type value struct {
	kind kind
	is   bool    // of a boolean
	num  float64 // of a number
	str  string  // of a text; of host: its name
	fn   *code
	obj  *things // of an object, an element, and what functions have
	// of unknown: it is there, so that asking it for something throws nothing
	safe   bool
	unsure bool // it may have another value
}

// code is a function.
type code struct {
	name    string
	params  params
	body    any // *js.BlockStmt
	env     *scope
	lexical bool  // it has the this of what is around it
	this    value // of a lexical one, or one that is bound
	bound   bool
	source  []byte
	line    int
	async   bool
	unknown bool // a generator and others that are not run
	native  func(r *Runner, this value, args []value) value
	props   *things
	class   *classCode
}

// things are what an object holds.
type things struct {
	held  map[string]value
	list  bool
	count int     // of a list
	open  bool    // it may hold others
	above *things // whose things it has too
	tag   string  // of an element
}

var (
	undefinedValue = value{kind: undefined}
	nullValue      = value{kind: null}
	unknownValue   = value{}
	safeValue      = value{safe: true}
)

func textOf(s string) value {
	if len(s) > mostText {
		return safeValue
	}
	return value{kind: text, str: s}
}
func numberOf(n float64) value { return value{kind: number, num: n} }
func boolOf(b bool) value      { return value{kind: boolean, is: b} }

func newThings() *things { return &things{held: map[string]value{}} }

// get gives what is held under a name.
func (t *things) get(name string) (value, bool) {
	for n := 0; t != nil && n < mostDepth; n++ {
		if t.list && name == "length" {
			if t.open {
				return safeValue, true
			}
			return numberOf(float64(t.count)), true
		}
		if v, is := t.held[name]; is {
			return v, true
		}
		if t.open {
			return unknownValue, true
		}
		t = t.above
	}
	return undefinedValue, false
}

// truth gives whether a value counts as true, and whether that is known.
func (v value) truth() (is, known bool) {
	if v.unsure {
		return false, false
	}
	switch v.kind {
	case unknown:
		return false, false
	case undefined, null:
		return false, true
	case boolean:
		return v.is, true
	case number:
		return v.num != 0 && !math.IsNaN(v.num), true
	case text:
		return v.str != "", true
	}
	return true, true
}

// text gives a value as a text, and whether that is known.
func (v value) text(r *Runner) (string, bool) {
	if v.unsure {
		return "", false
	}
	switch v.kind {
	case undefined:
		return "undefined", true
	case null:
		return "null", true
	case boolean:
		return strconv.FormatBool(v.is), true
	case number:
		return numberText(v.num)
	case text:
		return v.str, true
	case place:
		return r.href(), true
	case object:
		if v.obj != nil && v.obj.list && !v.obj.open {
			return r.joined(v.obj, ",")
		}
	}
	return "", false
}

// numberText gives a number as ECMAScript writes it, where that is plain.
func numberText(n float64) (string, bool) {
	switch {
	case math.IsNaN(n):
		return "NaN", true
	case math.IsInf(n, 1):
		return "Infinity", true
	case math.IsInf(n, -1):
		return "-Infinity", true
	case math.Abs(n) >= 1e21 || n != 0 && math.Abs(n) < 1e-6:
		return "", false
	}
	return strconv.FormatFloat(n, 'f', -1, 64), true
}

// number gives a value as a number, and whether that is known.
func (v value) number(r *Runner) (float64, bool) {
	if v.unsure {
		return 0, false
	}
	switch v.kind {
	case undefined:
		return math.NaN(), true
	case null:
		return 0, true
	case boolean:
		if v.is {
			return 1, true
		}
		return 0, true
	case number:
		return v.num, true
	case text:
		return textNumber(v.str)
	}
	return 0, false
}

// textNumber reads a number as ECMAScript does, where it is plain.
func textNumber(s string) (float64, bool) {
	s = strings.TrimSpace(s)
	if s == "" {
		return 0, true
	}
	if strings.ContainsAny(s, "_xXoObBnN") {
		return 0, false
	}
	n, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return math.NaN(), true
	}
	return n, true
}

// nothing reports whether a value is undefined or null; known is whether that is known.
func (v value) nothing() (is, known bool) {
	if v.unsure {
		return false, false
	}
	switch v.kind {
	case undefined, null:
		return true, true
	case unknown:
		return false, v.safe
	}
	return false, true
}

// same compares two values by ===; by == where loose.
func (v value) same(o value, loose bool, r *Runner) (is, known bool) {
	if v.unsure || o.unsure {
		return false, false
	}
	if v.kind == unknown || o.kind == unknown {
		if n, k := o.nothing(); v.safe && k && n {
			return false, true
		}
		if n, k := v.nothing(); o.safe && k && n {
			return false, true
		}
		return false, false
	}
	if v.kind == o.kind {
		switch v.kind {
		case boolean:
			return v.is == o.is, true
		case number:
			return v.num == o.num, true
		case text:
			return v.str == o.str, true
		case function:
			return v.fn == o.fn, true
		case object:
			return v.obj == o.obj, true
		case element, host:
			return false, false
		}
		return true, true
	}
	if !loose {
		return false, true
	}
	vn, _ := v.nothing()
	on, _ := o.nothing()
	if vn || on {
		return vn && on, true
	}
	if v.kind == place || o.kind == place || v.kind == object || o.kind == object {
		a, ka := v.text(r)
		b, kb := o.text(r)
		return a == b, ka && kb
	}
	if v.kind <= text && o.kind <= text {
		a, ka := v.number(r)
		b, kb := o.number(r)
		return a == b, ka && kb
	}
	return false, false
}

// typeName gives what typeof says.
func (v value) typeName() (string, bool) {
	if v.unsure {
		return "", false
	}
	switch v.kind {
	case undefined:
		return "undefined", true
	case boolean:
		return "boolean", true
	case number:
		return "number", true
	case text:
		return "string", true
	case function:
		return "function", true
	case null, object, window, place, document, element:
		return "object", true
	}
	return "", false
}
