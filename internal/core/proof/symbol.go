package proof

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// A set of paths is written as a template: text in normal form, and variables. A variable is a
// capture whose name is its own; the same variable at two places takes the same at both.

// names hands out variables.
type names struct {
	next   int
	effort *effort // nil: without end
}

func (n *names) fresh(like rule.Part) rule.Part {
	n.next++
	return rule.Part{Name: fmt.Sprintf("~%d", n.next), Rest: like.Rest, Digits: like.Digits,
		Label: like.Label}
}

// binding is what variables, or captures of a pattern, turned out to be.
type binding map[string][]rule.Part

// with puts what is bound into a template.
func with(parts []rule.Part, b binding) []rule.Part {
	if len(b) == 0 {
		return parts
	}
	var made []rule.Part
	for _, p := range parts {
		if to, bound := b[p.Name]; p.IsCapture() && bound {
			made = append(made, with(to, b)...)
			continue
		}
		made = append(made, p)
	}
	return tidy(made)
}

// tidy joins texts that lie side by side.
func tidy(parts []rule.Part) []rule.Part {
	var made []rule.Part
	for _, p := range parts {
		switch n := len(made); {
		case !p.IsCapture() && p.Literal == "":
		case !p.IsCapture() && n > 0 && !made[n-1].IsCapture():
			made[n-1].Literal += p.Literal
		default:
			made = append(made, p)
		}
	}
	return made
}

func text(parts []rule.Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.String())
	}
	return b.String()
}

// fits is one way in which the paths of a template are among those of a pattern: what the
// template's variables have to be, and what the pattern's captures take.
type fits struct {
	vars, takes binding
}

// exactly reports whether it holds for all paths of the template.
func (f fits) exactly() bool { return len(f.vars) == 0 }

// How many ways and steps are looked at for one pattern.
const (
	mostWays  = 64
	mostSteps = 4000
)

// meet gives all ways in which paths of a template are among those of a pattern. whole is false
// where there are more than are looked at.
func (n *names) meet(template, pattern []rule.Part, fold bool) (ways []fits, whole bool) {
	m := meeting{names: n, fold: fold, whole: true}
	m.step(template, pattern, binding{}, binding{}, nil)
	return m.ways, m.whole
}

type meeting struct {
	names *names
	fold  bool
	ways  []fits
	whole bool
	steps int
}

// cost is what a step costs: what was bound before is gone through with every binding.
func (m *meeting) cost(t []rule.Part, vars, takes binding) int {
	return 1 + len(t) + 2*(len(vars)+len(takes))
}

// step goes on with what is left of template and pattern. taken is what the pattern's first capture
// has taken so far.
func (m *meeting) step(t, p []rule.Part, vars, takes binding, taken []rule.Part) {
	if m.steps++; len(m.ways) >= mostWays || m.steps > mostSteps ||
		!m.names.effort.spend(m.cost(t, vars, takes)) {
		m.whole = false
		return
	}
	for len(t) > 0 && !t[0].IsCapture() && t[0].Literal == "" {
		t = t[1:]
	}
	for len(p) > 0 && !p[0].IsCapture() && p[0].Literal == "" {
		p = p[1:]
	}
	switch {
	case len(p) == 0 && len(t) == 0:
		m.ways = append(m.ways, fits{vars, takes})
	case len(p) == 0:
		m.allEmpty(t, vars, takes)
	case p[0].IsCapture():
		m.capture(t, p, vars, takes, taken)
	case len(t) == 0:
	case !t[0].IsCapture():
		a, b := first(t[0].Literal), first(p[0].Literal)
		if a == b || m.fold && strings.EqualFold(a, b) {
			m.step(cutText(t), cutText(p), vars, takes, nil)
		}
	default:
		m.variableAtText(t, p, vars, takes)
	}
}

// allEmpty goes on where the pattern has ended: what is left of the template has to be able to be
// nothing.
func (m *meeting) allEmpty(t []rule.Part, vars, takes binding) {
	b := binding{}
	for _, p := range t {
		if !p.Rest {
			return
		}
		b[p.Name] = nil
	}
	m.ways = append(m.ways, fits{vars.and(b), takes.through(b)})
}

// variableAtText goes on where the template has a variable and the pattern a text.
func (m *meeting) variableAtText(t, p []rule.Part, vars, takes binding) {
	v, unit := t[0], first(p[0].Literal)
	if v.Rest {
		m.bind(v, nil, t, p, vars, takes, nil)
	}
	if !allows(v, unit) {
		return
	}
	more := m.names.fresh(v)
	if !v.Rest {
		m.bind(v, []rule.Part{{Literal: unit}}, t, p, vars, takes, nil)
	}
	m.bind(v, []rule.Part{{Literal: unit}, more}, t, p, vars, takes, nil)
}

// capture goes on where the pattern has a capture.
func (m *meeting) capture(t, p []rule.Part, vars, takes binding, taken []rule.Part) {
	if m.steps++; m.steps > mostSteps || !m.names.effort.spend(m.cost(t, vars, takes)) {
		m.whole = false
		return
	}
	c := p[0]
	if c.Rest && len(p) == 1 {
		m.step(nil, p[1:], vars, takes.and(binding{c.Name: append(slices.Clone(taken), t...)}), nil)
		return
	}
	if len(taken) > 0 || c.Rest {
		m.step(t, p[1:], vars, takes.and(binding{c.Name: taken}), nil) // it ends here
	}
	if len(t) == 0 {
		return
	}
	if !t[0].IsCapture() {
		if unit := first(t[0].Literal); allows(c, unit) {
			m.capture(cutText(t), p, vars, takes, append(slices.Clone(taken), rule.Part{Literal: unit}))
		}
		return
	}
	v := t[0]
	narrow := max(class(v), class(c)) // each kind holds less than the one before it
	// The capture takes the whole variable, which has to hold no more than the capture may.
	if v.Rest {
		m.bind(v, nil, t, p, vars, takes, taken)
	}
	if narrow != class(v) {
		whole := m.names.fresh(narrow.part())
		m.bindTaking(v, []rule.Part{whole}, whole, t, p, vars, takes, taken)
	} else {
		m.capture(t[1:], p, vars, takes, append(slices.Clone(taken), v))
	}
	// Or only its beginning, and the rest of it meets what comes behind the capture.
	if len(p) > 1 {
		begin, rest := m.names.fresh(narrow.part()), m.names.fresh(v)
		b := binding{v.Name: {begin, rest}}
		m.step(with(t, b)[1:], p[1:], vars.and(b),
			takes.through(b).and(binding{c.Name: append(with(taken, b), begin)}), nil)
	}
}

// bind says what a variable is, and goes on.
func (m *meeting) bind(v rule.Part, is, t, p []rule.Part, vars, takes binding, taken []rule.Part) {
	b := binding{v.Name: is}
	m.next(with(t, b), p, vars.and(b), takes.through(b), with(taken, b))
}

func (m *meeting) bindTaking(
	v rule.Part,
	is []rule.Part,
	takesPart rule.Part,
	t, p []rule.Part,
	vars, takes binding,
	taken []rule.Part,
) {
	b := binding{v.Name: is}
	m.capture(with(t, b)[1:], p, vars.and(b), takes.through(b), append(with(taken, b), takesPart))
}

func (m *meeting) next(t, p []rule.Part, vars, takes binding, taken []rule.Part) {
	if len(taken) > 0 || len(p) > 0 && p[0].IsCapture() {
		m.capture(t, p, vars, takes, taken)
		return
	}
	m.step(t, p, vars, takes, nil)
}

// and adds to a binding, what it says of earlier variables included.
func (b binding) and(more binding) binding {
	made := b.through(more)
	for name, to := range more {
		made[name] = to
	}
	return made
}

// through puts what is bound later into what was bound earlier.
func (b binding) through(later binding) binding {
	made := make(binding, len(b)+1)
	for name, to := range b {
		made[name] = with(to, later)
	}
	return made
}

// first gives the first octet of a text in normal form.
func first(s string) string {
	if s[0] == '%' && len(s) > 2 {
		return s[:3]
	}
	return s[:1]
}

// cutText takes the first octet away from a template that starts with text.
func cutText(parts []rule.Part) []rule.Part {
	rest := parts[0].Literal[len(first(parts[0].Literal)):]
	if rest == "" {
		return parts[1:]
	}
	made := slices.Clone(parts)
	made[0].Literal = rest
	return made
}

// kind is what a variable or capture may hold.
type kind int

const (
	anything kind = iota
	segment
	label
	digits
)

func class(p rule.Part) kind {
	switch {
	case p.Rest:
		return anything
	case p.Digits:
		return digits
	case p.Label:
		return label
	}
	return segment
}

func (k kind) part() rule.Part {
	return rule.Part{Rest: k == anything, Digits: k == digits, Label: k == label}
}

// allows reports whether a variable may hold an octet in normal form.
func allows(p rule.Part, unit string) bool {
	c := unit[0]
	switch class(p) {
	case anything:
		return true
	case digits:
		return len(unit) == 1 && c >= '0' && c <= '9'
	case label:
		return len(unit) == 1 && (c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c == '-')
	}
	return unit != "/"
}

// units takes a text in normal form apart into octets.
func units(s string) []string {
	var all []string
	for _, u := range web.Units(s) {
		all = append(all, u.Normal)
	}
	return all
}
