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

	"upperpath.example/upperpath/internal/core/fact"
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

// Among gives the SPF record among the values of a TXT record set, as a zone file has them; ""
// where there is none.
func Among(values []string) string {
	for _, value := range values {
		if text := record.Unquote(value); Is(text) {
			return text
		}
	}
	return ""
}

// Terms splits an SPF record into its terms; nil for what is none.
func Terms(text string) []Term {
	if !Is(text) {
		return nil
	}
	var all []Term
	for _, f := range strings.Fields(text)[1:] {
		all = append(all, parse(f))
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
	name, prefix, some := strings.Cut(rest, "/")
	if t.Domain = strings.ToLower(strings.TrimSuffix(name, ".")); some {
		t.Prefix = "/" + prefix
	}
	return t
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

// Fault tells what is wrong with a term by itself, nil where nothing is.
func (t Term) Fault() fact.Facts {
	switch {
	case t.Modifier:
		if (t.Name == "redirect" || t.Name == "exp") && t.value == "" {
			return fact.TermNoDomain{}
		}
		return nil // others may be there, and are left alone (section 6)
	case t.Name == "all":
		if t.value != "" {
			return fact.TermArgument{}
		}
	case t.Name == "ip4", t.Name == "ip6":
		a, err := netip.ParseAddr(t.value)
		if p, prefixErr := netip.ParsePrefix(t.value); err != nil && prefixErr == nil {
			a, err = p.Addr(), nil
		}
		if err != nil || a.Is4() != (t.Name == "ip4") {
			return fact.TermNoAddress{}
		}
	case t.Name == "include", t.Name == "exists":
		if t.Domain == "" {
			return fact.TermNoDomain{}
		}
	case t.Name == "a", t.Name == "mx", t.Name == "ptr":
	default:
		return fact.TermUnknown{}
	}
	return nil
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

// Join gives one record that allows whom either of two allows: the terms of the first, then those
// of the second that it has not, then how the first one ends, or else the second. Two records at
// one name count as none (section 4.5).
func Join(first, second string) string {
	words, end := []string{"v=spf1"}, ""
	been := map[string]bool{}
	for _, text := range []string{first, second} {
		for _, t := range Terms(text) {
			key := strings.ToLower(strings.TrimPrefix(t.Text, "+"))
			switch {
			case t.Name == "all" && !t.Modifier, t.Name == "redirect" && t.Modifier:
				if end == "" {
					end = t.Text
				}
			case !been[key]:
				been[key] = true
				words = append(words, t.Text)
			}
		}
	}
	if end != "" {
		words = append(words, end)
	}
	return strings.Join(words, " ")
}

// Argument gives what stands behind the ":" or "=" of a term, "" for nothing.
func (t Term) Argument() string { return t.value }
