package imports

import (
	"encoding/binary"
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
)

// mostStates is how many states two expressions have together where they are compared, in all
// comparisons for one file.
const mostStates = 100_000

// reach is whether some text of a kind fits an expression, and some does not.
type reach struct{ fits, misses bool }

// compareTexts says of all texts that one expression takes as a whole whether another one is found
// in them: in some, and not in others. known is false where the two are too large, or cannot be
// read. It follows both automata side by side, over the printable characters of ASCII; states
// counts what that took.
func compareTexts(whole, found string, states *int) (is reach, known bool) {
	texts, err := programOf("^(?:" + whole + ")$")
	if err != nil {
		return is, false
	}
	asked, err := programOf(found)
	if err != nil {
		return is, false
	}
	type pair struct {
		text, ask []uint32
		done      bool // the other one was found already
	}
	start := pair{text: []uint32{uint32(texts.Start)}, ask: []uint32{uint32(asked.Start)}}
	queue, seen := []pair{start}, map[string]bool{}
	for at := 0; at < len(queue); at++ {
		now := queue[at]
		first := syntax.EmptyOp(0)
		if at == 0 {
			first = syntax.EmptyBeginText | syntax.EmptyBeginLine
		}
		last := first | syntax.EmptyEndText | syntax.EmptyEndLine
		open, ends := closure(asked, now.ask, first), false
		done := now.done || matches(asked, open)
		if matches(texts, closure(texts, now.text, last)) {
			if ends = done || matches(asked, closure(asked, now.ask, last)); ends {
				is.fits = true
			} else {
				is.misses = true
			}
		}
		if is.fits && is.misses {
			return is, true
		}
		here := closure(texts, now.text, first)
		for c := rune(' '); c <= '~'; c++ {
			next := pair{text: step(texts, here, c), done: done}
			if len(next.text) == 0 {
				continue
			}
			if !done {
				next.ask = append(step(asked, open, c), uint32(asked.Start)) // it may begin anywhere
				slices.Sort(next.ask)
				next.ask = slices.Compact(next.ask)
			}
			if key := keyOf(next.text, next.ask, done); !seen[key] {
				if *states++; *states > mostStates {
					return is, false
				}
				seen[key] = true
				queue = append(queue, next)
			}
		}
	}
	return is, true
}

func programOf(expression string) (*syntax.Prog, error) {
	parsed, err := syntax.Parse(expression, syntax.Perl)
	if err != nil {
		return nil, err
	}
	return syntax.Compile(parsed.Simplify())
}

// closure gives what is reached from states without reading anything.
func closure(p *syntax.Prog, from []uint32, holds syntax.EmptyOp) []uint32 {
	var all []uint32
	seen := map[uint32]bool{}
	stack := slices.Clone(from)
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[at] {
			continue
		}
		seen[at] = true
		switch i := p.Inst[at]; i.Op {
		case syntax.InstAlt, syntax.InstAltMatch:
			stack = append(stack, i.Out, i.Arg)
		case syntax.InstCapture, syntax.InstNop:
			stack = append(stack, i.Out)
		case syntax.InstEmptyWidth:
			if need := syntax.EmptyOp(i.Arg); need&holds == need {
				stack = append(stack, i.Out)
			}
		default:
			all = append(all, at)
		}
	}
	return all
}

func matches(p *syntax.Prog, states []uint32) bool {
	return slices.ContainsFunc(
		states,
		func(at uint32) bool { return p.Inst[at].Op == syntax.InstMatch },
	)
}

// step gives what states reach by a character.
func step(p *syntax.Prog, states []uint32, c rune) []uint32 {
	var all []uint32
	for _, at := range states {
		i := p.Inst[at]
		if i.Op != syntax.InstMatch && i.Op != syntax.InstFail && i.MatchRune(c) {
			all = append(all, i.Out)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func keyOf(a, b []uint32, done bool) string {
	key := make([]byte, 0, 4*(len(a)+len(b))+5)
	for _, at := range a {
		key = binary.LittleEndian.AppendUint32(key, at)
	}
	key = append(key, 0xFF, 0xFF, 0xFF, 0xFF)
	for _, at := range b {
		key = binary.LittleEndian.AppendUint32(key, at)
	}
	if done {
		key = append(key, 1)
	}
	return string(key)
}

// pathTexts gives an expression for all paths of a template; false where it is written with octets
// that conditions see decoded.
func pathTexts(old string) (string, bool) {
	old, _, _ = strings.Cut(old, "?")
	if strings.Contains(old, "%") {
		return "", false
	}
	var b strings.Builder
	for old != "" {
		text, rest, capture := strings.Cut(old, "{")
		b.WriteString(regexp.QuoteMeta(text))
		name, behind, _ := strings.Cut(rest, "}")
		switch {
		case !capture:
		case strings.HasPrefix(name, "+"):
			b.WriteString("[!-~]*")
		case strings.HasSuffix(name, ":digits"):
			b.WriteString("[0-9]+")
		default:
			b.WriteString("[!-.0-~]+")
		}
		old = behind
	}
	return b.String(), true
}
