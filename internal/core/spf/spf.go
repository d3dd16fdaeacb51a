// Package spf reads SPF records (RFC 7208) term by term, and writes them. It looks nothing up.
//
//	for _, t := range spf.Terms("v=spf1 a:mail.example/24 -all") {
//		t.Name   // "a", "all"
//		t.Domain // "mail.example", ""
//	}
package spf

import (
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
)

// The bounds of RFC 7208: sections 4.6.4 and 3.4.
const (
	MostLookups = 10
	MostOctets  = 450
)

// Term is one term of an SPF record (section 4.6.1).
type Term struct {
	Text      string // as it stands there
	Qualifier byte   // '+' where none is written
	Name      string // of the mechanism or modifier, in lower case
	// the name that it looks up in place of its own, in lower case without its last dot; "" for none
	Domain   string
	Prefix   string // how much of an address counts, such as "/24" or "/24//64"; "" for all of it
	Modifier bool   // it has "="

	value string // behind ":" or "="
}

// Is reports whether a text is an SPF record (section 4.5).
func Is(text string) bool {
	word, _, _ := strings.Cut(text, " ")
	return strings.EqualFold(word, "v=spf1")
}

// All gives the SPF records among the values of a TXT record set, as a zone file has them.
func All(values []string) []string {
	var all []string
	for _, value := range values {
		if text := record.Unquote(value); Is(text) {
			all = append(all, text)
		}
	}
	return all
}

// Among gives the first of them, "" where there is none.
func Among(values []string) string {
	if all := All(values); len(all) > 0 {
		return all[0]
	}
	return ""
}

// Terms splits an SPF record into its terms; nil for what is none.
func Terms(text string) []Term {
	if !Is(text) {
		return nil
	}
	var all []Term
	for _, f := range strings.Split(text, " ")[1:] { // nothing else parts terms (section 4.6.1)
		if f != "" {
			all = append(all, parse(f))
		}
	}
	return all
}

func parse(text string) Term {
	t := Term{Text: text, Qualifier: '+'}
	rest := text
	if strings.IndexByte("+-~?", rest[0]) >= 0 {
		t.Qualifier, rest = rest[0], rest[1:]
	}
	at := strings.IndexAny(rest, ":=/")
	if at < 0 {
		at = len(rest)
	}
	t.Name = strings.ToLower(rest[:at])
	if rest = rest[at:]; rest == "" {
		return t
	}
	t.Modifier = rest[0] == '='
	if rest[0] != '/' {
		rest = rest[1:]
	}
	t.value = rest
	if t.Name == "ip4" || t.Name == "ip6" {
		return t
	}
	if t.Domain = rest; !t.Modifier && (t.Name == "a" || t.Name == "mx") {
		at := prefixAt(rest)
		t.Domain, t.Prefix = rest[:at], rest[at:]
	}
	t.Domain = strings.ToLower(strings.TrimSuffix(t.Domain, "."))
	return t
}

// prefixAt says where in a term begins how much of an address counts: "/24", "//64" or both at its
// end (section 5.6).
func prefixAt(text string) int {
	at := len(text)
	for _, slashes := range []string{"//", "/"} {
		digits := strings.TrimRight(text[:at], "0123456789")
		if strings.HasSuffix(digits, slashes) && len(digits) < at &&
			!strings.HasSuffix(digits, "/"+slashes) {
			at = len(digits) - len(slashes)
		}
	}
	return at
}

// Sign gives the qualifier as it is written in front of a term: nothing for '+'.
func (t Term) Sign() string {
	if t.Qualifier == '+' {
		return ""
	}
	return string(t.Qualifier)
}

// LooksUp reports whether a term costs a look-up (section 4.6.4).
func (t Term) LooksUp() bool {
	if t.Modifier {
		return t.Name == "redirect"
	}
	return slices.Contains([]string{"include", "a", "mx", "ptr", "exists"}, t.Name)
}

// TakesOver reports whether a term takes the SPF record of another name over, which it names
// without macros.
func (t Term) TakesOver() bool {
	return (t.Name == "include" && !t.Modifier || t.Name == "redirect" && t.Modifier) &&
		!strings.Contains(t.value, "%")
}

// Names gives the names whose SPF records an SPF record takes over.
func Names(text string) []string {
	var all []string
	for _, t := range Terms(text) {
		if t.TakesOver() && t.Domain != "" {
			all = append(all, t.Domain)
		}
	}
	return all
}

// Refuses reports whether a record lets nobody send: -all and nothing else.
func Refuses(text string) bool {
	terms := Terms(text)
	return len(terms) == 1 && terms[0].Name == "all" && terms[0].Qualifier == '-'
}

// NamesNobody reports whether a record names no sender, whatever it says of all others.
func NamesNobody(text string) bool {
	return Is(text) && !slices.ContainsFunc(Terms(text), func(t Term) bool {
		return t.Name == "redirect" && t.Modifier || !t.Modifier && (t.Name != "all" ||
			t.Qualifier == '+')
	})
}

// Join gives one record that allows whom either of two allows: the terms of the first, then those
// of the second that it has not, then how the first one ends, or else the second. Two records at
// one name count as none (section 4.5). Where one ends with an "all", what the other redirects to
// is included instead, since nobody would come to the redirect any more. what says what the second
// one says besides: false where all that it says is another end than that of the first.
func Join(first, second string) (joined string, what bool) {
	words, all, redirects := []string{"v=spf1"}, []string{}, []Term{}
	been := map[string]bool{}
	for n, text := range []string{first, second} {
		terms := Terms(text)
		ended := slices.ContainsFunc(terms, Term.ends)
		for _, t := range terms {
			switch {
			case t.ends():
				all = append(all, t.Text)
			case t.Modifier && t.Name == "redirect":
				if !ended { // else nobody comes to it
					redirects = append(redirects, t)
				}
				what = what || n == 1 && !ended
			case n == 1 && t.Modifier && been[t.Name+"="] && t.Name == "exp":
				// one may stand there
			case !been[t.key()]:
				been[t.key()], been[t.Name+"="] = true, t.Modifier
				words = append(words, t.Text)
				what = what || n == 1
			default:
				what = what || n == 1
			}
		}
	}
	for i, t := range redirects {
		if len(all) == 0 && i == 0 {
			all = append(all, t.Text)
			continue
		}
		included := parse("include:" + t.value)
		if !been[included.key()] && t.value != "" && (i == 0 || t.value != redirects[0].value) {
			been[included.key()] = true
			words = append(words, included.Text)
		}
	}
	if len(all) > 0 {
		words = append(words, all[0])
		what = what || len(all) < 2 || strings.EqualFold(strings.TrimPrefix(all[0], "+"),
			strings.TrimPrefix(all[1], "+"))
	}
	return strings.Join(words, " "), what || len(Terms(second)) == 0
}

// key is the same for terms that mean the same.
func (t Term) key() string {
	switch {
	case t.Modifier:
		return t.Name + "=" + t.value
	case t.Name == "ip4" || t.Name == "ip6":
		if p, err := netip.ParsePrefix(t.value); err == nil {
			if p.Bits() == p.Addr().BitLen() {
				return t.Sign() + t.Name + ":" + p.Addr().String()
			}
			return t.Sign() + t.Name + ":" + p.Masked().String()
		}
		if a, err := netip.ParseAddr(t.value); err == nil {
			return t.Sign() + t.Name + ":" + a.String()
		}
		return t.Sign() + t.Name + ":" + t.value
	}
	return t.Sign() + t.Name + ":" + t.Domain + t.Prefix
}

// Same reports whether two terms mean the same.
func Same(a, b string) bool { return parse(a).key() == parse(b).key() }

// Argument gives what stands behind the ":" or "=" of a term, "" for nothing.
func (t Term) Argument() string { return t.value }
