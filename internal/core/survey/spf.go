package survey

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
)

// The bounds of RFC 7208: sections 4.6.4 and 3.4.
const (
	mostLookups   = 10
	mostSPFOctets = 450
)

// spfTerm is one term of an SPF record (RFC 7208 section 4.6.1).
type spfTerm struct {
	text      string // as it stands there
	qualifier byte   // '+' where none is written
	name      string // in lower case
	value     string // behind ":" or "=", "" where there is none
	modifier  bool   // it has "="
}

// isSPF tells whether a text is an SPF record (RFC 7208 section 4.5).
func isSPF(text string) bool {
	word, _, _ := strings.Cut(text, " ")
	return strings.EqualFold(word, "v=spf1")
}

// spfTerms splits an SPF record into its terms.
func spfTerms(text string) []spfTerm {
	fields := strings.Fields(text)
	if len(fields) == 0 {
		return nil
	}
	var all []spfTerm
	for _, f := range fields[1:] {
		t := spfTerm{text: f, qualifier: '+'}
		rest := f
		if strings.IndexByte("+-~?", rest[0]) >= 0 {
			t.qualifier, rest = rest[0], rest[1:]
		}
		at := strings.IndexAny(rest, ":=/")
		if at < 0 {
			at = len(rest)
		}
		t.name = strings.ToLower(rest[:at])
		if at < len(rest) {
			t.modifier = rest[at] == '='
			t.value = strings.TrimPrefix(strings.TrimPrefix(rest[at:], ":"), "=")
		}
		all = append(all, t)
	}
	return all
}

// domain gives the name that a term looks up in place of its own, "" for none.
func (t spfTerm) domain() string {
	if t.name == "ip4" || t.name == "ip6" {
		return ""
	}
	name, _, _ := strings.Cut(t.value, "/")
	return plainName(name)
}

// looksUp tells whether a term costs a look-up (RFC 7208 section 4.6.4).
func (t spfTerm) looksUp() bool {
	if t.modifier {
		return t.name == "redirect"
	}
	return slices.Contains([]string{"include", "a", "mx", "ptr", "exists"}, t.name)
}

// refersTo tells whether a term takes the SPF record of another name over.
func (t spfTerm) refersTo() bool {
	return (t.name == "include" && !t.modifier || t.name == "redirect" && t.modifier) && !strings.Contains(t.value, "%")
}

// fault says what is wrong with a term by itself, "" where nothing is.
func (t spfTerm) fault() string {
	switch {
	case t.modifier:
		if (t.name == "redirect" || t.name == "exp") && t.value == "" {
			return "names no domain"
		}
		return "" // others may be there, and are left alone (section 6)
	case t.name == "all":
		if t.value != "" {
			return "takes no argument"
		}
	case t.name == "ip4", t.name == "ip6":
		a, err := netip.ParseAddr(t.value)
		if p, prefixErr := netip.ParsePrefix(t.value); err != nil && prefixErr == nil {
			a, err = p.Addr(), nil
		}
		if err != nil || a.Is4() != (t.name == "ip4") {
			return "holds no address of its kind"
		}
	case t.name == "include", t.name == "exists":
		if t.domain() == "" {
			return "names no domain"
		}
	case t.name == "a", t.name == "mx", t.name == "ptr":
	default:
		return "is none that receivers know"
	}
	return ""
}

// SPFNames gives the names whose SPF records an SPF record takes over.
func SPFNames(text string) []string {
	if !isSPF(text) {
		return nil
	}
	var all []string
	for _, t := range spfTerms(text) {
		if t.refersTo() && t.domain() != "" {
			all = append(all, t.domain())
		}
	}
	return all
}

// SPFText gives the SPF record among the values of a TXT record set, "" where there is none.
func SPFText(values []string) string {
	for _, value := range values {
		if text := record.Unquote(value); isSPF(text) {
			return text
		}
	}
	return ""
}

// lookups counts what an SPF record costs a receiver, records of other names included as far as they were seen, and
// names each term that costs with what it costs.
func (v *verdict) lookups(text string) (int, []string) {
	total := 0
	var costs []string
	for _, t := range spfTerms(text) {
		if n := v.cost(t, map[string]bool{}); n > 0 {
			total += n
			costs = append(costs, fmt.Sprintf("%s %d", t.text, n))
		}
	}
	return total, costs
}

// cost counts the look-ups of one term. path holds the names on the way there: a record that includes itself has no end
// of them, and is counted once.
func (v *verdict) cost(t spfTerm, path map[string]bool) int {
	if !t.looksUp() {
		return 0
	}
	name := t.domain()
	if !t.refersTo() || path[name] || len(path) > mostLookups {
		return 1
	}
	path[name] = true
	defer delete(path, name)
	n := 1
	for _, inner := range spfTerms(v.spfAt(name)) {
		if n += v.cost(inner, path); n > 10*mostLookups {
			break
		}
	}
	return n
}

// spfAt gives the SPF record of a name, within the zone or outside it, "" where none was seen.
func (v *verdict) spfAt(name string) string {
	if s, ok := v.find(name, "TXT"); ok {
		return SPFText(s.Values)
	}
	for _, s := range v.domain.Senders {
		if s.Name == name {
			return s.Text
		}
	}
	return ""
}

// spf returns the terms of the zone's SPF record, nil where there is none.
func (v *verdict) spf() []spfTerm { return spfTerms(v.spfAt(v.domain.Name)) }
