package spf

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// Faults tells what is wrong with the terms of an SPF record by themselves, a term each; nil where
// nothing is. One is enough for receivers to take the record as broken (RFC 7208 section 4.6).
func Faults(text string) []TermFault {
	var all []TermFault
	been := map[string]bool{}
	for _, t := range Terms(text) {
		if fault := t.Fault(); fault != nil {
			all = append(all, TermFault{t.Text, fault})
			continue
		}
		if t.Modifier && (t.Name == "redirect" || t.Name == "exp") {
			if been[t.Name] {
				all = append(all, TermFault{t.Text, fact.TermTwice{}})
			}
			been[t.Name] = true
		}
	}
	return all
}

// TermFault is what is wrong with a term.
type TermFault struct {
	Term  string
	Fault fact.Facts
}

// Fault tells what is wrong with a term by itself, nil where nothing is (section 12).
func (t Term) Fault() fact.Facts {
	rest := t.Text
	for i := range len(rest) {
		if rest[i] <= ' ' || rest[i] > '~' {
			return fact.TermCharacter{}
		}
	}
	if t.Modifier {
		return t.modifierFault()
	}
	colon := strings.HasPrefix(strings.TrimLeft(rest, "+-~?")[len(t.Name):], ":")
	switch t.Name {
	case "all":
		if len(strings.TrimLeft(rest, "+-~?")) > len("all") {
			return fact.TermArgument{}
		}
	case "ip4", "ip6":
		return t.addressFault()
	case "include", "exists":
		return domainFault(t.value)
	case "ptr":
		if colon || t.value != "" {
			return domainFault(t.value)
		}
	case "a", "mx":
		if fault := prefixFault(t.Prefix); fault != nil {
			return fault
		}
		if spec := strings.TrimSuffix(t.value, t.Prefix); colon || spec != "" {
			return domainFault(spec)
		}
	default:
		return fact.TermUnknown{}
	}
	return nil
}

func (t Term) modifierFault() fact.Facts {
	switch {
	case !isModifierName(t.Name), strings.IndexByte("+-~?", t.Text[0]) >= 0:
		return fact.TermUnknown{}
	case t.Name == "redirect" || t.Name == "exp":
		return domainFault(t.value)
	}
	if _, _, fault := macros(t.value); fault != nil { // others are left alone (section 6)
		return fault
	}
	return nil
}

func (t Term) addressFault() fact.Facts {
	text, bits, some := strings.Cut(t.value, "/")
	a, err := netip.ParseAddr(text)
	if err != nil || a.Is4() != (t.Name == "ip4") || a.Zone() != "" {
		return fact.TermNoAddress{}
	}
	if some && !isLength(bits, a.BitLen()) {
		return fact.TermLength{}
	}
	return nil
}

// isLength reports whether a text is a number of bits, without leading zeros.
func isLength(text string, most int) bool {
	n, err := strconv.ParseUint(text, 10, 8)
	return err == nil && int(n) <= most && strconv.FormatUint(n, 10) == text
}

func prefixFault(prefix string) fact.Facts {
	four, six, both := strings.Cut(prefix, "//")
	four, some := strings.CutPrefix(four, "/")
	if some && !isLength(four, 32) || both && !isLength(six, 128) {
		return fact.TermLength{}
	}
	return nil
}

func isLetter(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// all reports whether all octets are letters, digits, or of others.
func all(text, others string) bool {
	for i := range len(text) {
		if c := text[i]; !isLetter(c) && !isDigit(c) && strings.IndexByte(others, c) < 0 {
			return false
		}
	}
	return true
}

func isModifierName(name string) bool {
	return name != "" && isLetter(name[0]) && all(name, "_.-")
}

// endsInTopLabel reports whether a domain-spec ends as it has to where it ends with no macro: a
// label behind a dot that is not all digits (section 7.1).
func endsInTopLabel(text string) bool {
	text = strings.TrimSuffix(text, ".")
	at := strings.LastIndexByte(text, '.')
	label := text[at+1:]
	return at >= 0 && label != "" && all(label, "-") && strings.Trim(label, "0123456789") != "" &&
		label[0] != '-' && label[len(label)-1] != '-'
}

// domainFault tells what is wrong with a domain-spec.
func domainFault(spec string) fact.Facts {
	if spec == "" {
		return fact.TermNoDomain{}
	}
	literal, macroLast, fault := macros(spec)
	switch {
	case fault != nil:
		return fault
	case macroLast:
		return nil
	case !endsInTopLabel(literal):
		return fact.TermBadDomain{}
	}
	return nil
}

// macros reads a macro-string (section 7.1): what stands behind its last macro, and whether it ends
// with one.
func macros(text string) (behind string, last bool, fault fact.Facts) {
	for i := 0; i < len(text); i++ {
		if text[i] != '%' {
			behind, last = behind+text[i:i+1], false
			continue
		}
		rest := text[i+1:]
		if rest != "" && strings.IndexByte("%_-", rest[0]) >= 0 {
			behind, last = "", false
			i++
			continue
		}
		end := strings.IndexByte(rest, '}')
		if end < 2 || rest[0] != '{' || !isMacro(rest[1:end]) {
			return "", false, fact.TermMacro{}
		}
		behind, last = "", true
		i += end + 1
	}
	return behind, last, nil
}

// isMacro reports whether a text is a letter that stands for something, how many parts of it count,
// whether they are turned round, and what parts them. The letters c, r and t are for explanations
// alone (section 7.2).
func isMacro(text string) bool {
	digits := strings.TrimLeft(text[1:], "0123456789")
	number := text[1 : len(text)-len(digits)]
	if digits != "" && digits[0]|0x20 == 'r' {
		digits = digits[1:]
	}
	return strings.IndexByte("slodiphv", text[0]|0x20) >= 0 && strings.Trim(digits, ".-+,/_=") == "" &&
		(number == "" || strings.Trim(number, "0") != "")
}

// HasMacro reports whether what a term looks up depends on who sends.
func (t Term) HasMacro() bool { return strings.Contains(t.value, "%") }

// Below gives the name below which a term with macros looks something up, "" where it has none.
func (t Term) Below() string {
	at := strings.LastIndexByte(t.Domain, '}')
	if at < 0 {
		return ""
	}
	return strings.TrimPrefix(t.Domain[at+1:], ".")
}

// At gives a term as receivers read it for a domain: where it holds no other macros than those for
// the domain itself, they are written out. ok is false where others are left.
func (t Term) At(domain string) (Term, bool) {
	if !t.HasMacro() {
		return t, true
	}
	text := strings.NewReplacer("%{d}", domain, "%{D}", domain, "%{o}", domain,
		"%{O}", domain).Replace(t.Text)
	if strings.Contains(text, "%") {
		return t, false
	}
	return parse(text), true
}

// ends reports whether a term ends the record for every sender: nothing behind it is looked up.
func (t Term) ends() bool { return t.Name == "all" && !t.Modifier }

// Looked gives the terms of a record that a receiver comes to where no sender is found before, in
// their order: those before the first "all", and what redirects where there is none (section 5.1).
func Looked(text string) []Term {
	terms := Terms(text)
	var redirect []Term
	at := slices.IndexFunc(terms, Term.ends)
	for i, t := range terms {
		if t.Modifier && t.Name == "redirect" && at < 0 {
			redirect = append(redirect, terms[i])
		}
	}
	if at >= 0 {
		terms = terms[:at]
	}
	terms = slices.DeleteFunc(terms, func(t Term) bool { return t.Modifier })
	return append(terms, redirect...)
}
