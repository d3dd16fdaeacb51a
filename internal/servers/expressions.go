package servers

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// notRegexp writes what a variant leaves out.
func notRegexp(v rule.Variant, as spelling) string {
	var b strings.Builder
	for _, end := range v.Not {
		b.WriteString("(?![^?]*" + spelled(end, as) + `(?:\?|$))`)
	}
	return b.String()
}

// variantRegexp writes a variant of a rule's pattern. A capture that it leaves out is empty, and
// not what an earlier expression took.
func variantRegexp(r *rule.Rule, v []rule.Part, as spelling) string {
	s := pathRegexp(r.Old, v, as)
	for i, p := range r.Old.Captures() {
		inPath := slices.ContainsFunc(r.Old.Parts, func(o rule.Part) bool { return o.Name == p.Name })
		if inPath && !slices.ContainsFunc(v, func(o rule.Part) bool { return o.Name == p.Name }) {
			s += fmt.Sprintf("(?<up_c%d>)", i+1)
		}
	}
	return s
}

// conditionsRegexp writes what a rule asks of the query: the first value of each parameter has to
// fit.
func conditionsRegexp(r *rule.Rule) string {
	var b strings.Builder
	for _, c := range r.Old.Query {
		key := literalRegexp(c.Key)
		value := "=" + partsRegexp(r.Old, c.Parts, '&', everySpelling)
		if len(c.Parts) == 0 {
			value = "=?"
		} else if len(c.Parts) == 1 && c.Parts[0].Rest {
			value = fmt.Sprintf("(?:%s)?", value)
		}
		fmt.Fprintf(&b, "(?=(?:(?!%s(?:[=&]|$))[^&]*&)*+%s%s(?:&|$))", key, key, value)
	}
	return b.String()
}

// keysRegexp writes the keys that a target sets itself, and those that are used up.
func keysRegexp(own string, used []string) string {
	var keys []string
	for p := range strings.SplitSeq(own, "&") {
		if key, _, _ := strings.Cut(p, "="); key != "" {
			keys = append(keys, literalRegexp(web.NormalQuery(key)))
		}
	}
	for _, key := range used {
		keys = append(keys, literalRegexp(key))
	}
	slices.Sort(keys)
	return strings.Join(slices.Compact(keys), "|")
}

// captureNumber gives the number of a capture among those of a pattern.
func captureNumber(old rule.Pattern, name string) int {
	return 1 + slices.IndexFunc(old.Captures(), func(p rule.Part) bool { return p.Name == name })
}

// pathRegexp writes a pattern. Spelled out (literalRegexp), it takes a raw path exactly where its
// normal form fits; else (plainRegexp) only one that is in normal form.
func pathRegexp(old rule.Pattern, parts []rule.Part, as spelling) string {
	return partsRegexp(old, parts, '?', as)
}

// partsRegexp writes parts up to ? or &, as they are or with every octet spelled out.
func partsRegexp(old rule.Pattern, parts []rule.Part, end byte, as spelling) string {
	var b strings.Builder
	for i, p := range parts {
		if !p.IsCapture() {
			b.WriteString(spelled(p.Literal, as))
			continue
		}
		fmt.Fprintf(&b, "(?<up_c%d>%s)", captureNumber(old, p.Name),
			captured(parts, i, end, as != normalSpelling))
	}
	return b.String()
}

// spelling is how what is compared may be written.
type spelling int

const (
	normalSpelling spelling = iota // in normal form
	everySpelling
	anyCaseSpelling // and in capitals or small letters, where these count the same
)

// oddly gives the spelling of paths that are not in normal form.
func oddly(mode rule.Mode) spelling {
	if mode.IgnoreCase {
		return anyCaseSpelling
	}
	return everySpelling
}

// spelled takes a text as it is in normal form, or for odd paths in every spelling.
func spelled(normal string, as spelling) string {
	switch as {
	case normalSpelling:
		return plainRegexp(normal)
	case anyCaseSpelling:
		return otherCase.ReplaceAllStringFunc(literalRegexp(normal), func(s string) string {
			digit := map[byte]string{'6': "[46]", '4': "[46]", '7': "[57]", '5': "[57]"}[s[6]]
			return s[:6] + digit
		})
	}
	return literalRegexp(normal)
}

// otherCase is a letter and its escape, whose first digit says its case.
var otherCase = regexp.MustCompile(`\(\?:[A-Za-z]\|%[4567]`)

// captured writes what a capture takes: the shortest text, where a slash or the end comes behind it
// all up to there, which is found sooner. An escape is taken whole. No group is repeated, unless a
// text is percent-encoded digit for digit: for each round an engine needs some of the little room
// that it has, and gives up on a long path without a word.
func captured(parts []rule.Part, i int, end byte, odd bool) string {
	p, behind := parts[i], byte(0)
	if i+1 < len(parts) {
		behind = parts[i+1].Literal[0]
	}
	one := "[^/" + string(rune(end)) + "]"
	whole := i+1 == len(parts) || behind == '/'
	switch {
	case p.Rest && strings.IndexByte("0123456789ABCDEFabcdef", behind) >= 0:
		return "[^" + string(rune(end)) + `]*(?<!%)(?<!%[0-9A-Fa-f])`
	case p.Rest:
		return "[^" + string(rune(end)) + "]*"
	case p.Digits && odd && (behind < '0' || behind > '9'):
		return `(?:[0-9]++|%3[0-9])++`
	case p.Digits && odd:
		return `(?:[0-9]|%3[0-9])+?`
	case p.Digits && whole:
		return `[0-9]+`
	case p.Digits:
		return `[0-9]+?`
	case p.Label:
		return `[0-9A-Za-z-]+?`
	case whole:
		return one + "+"
	case strings.IndexByte("0123456789ABCDEFabcdef", behind) < 0:
		return one + "+?"
	}
	return one + `+?(?<!%)(?<!%[0-9A-Fa-f])`
}

// plainRegexp takes a text in normal form as it is.
func plainRegexp(normal string) string {
	var b strings.Builder
	for _, c := range []byte(normal) {
		if strings.IndexByte(`.()*+$^|?[]{}\`, c) >= 0 {
			b.WriteByte('\\')
		}
		b.WriteByte(c)
	}
	return b.String()
}

// decodedRegexp takes a decoded text as it is.
func decodedRegexp(decoded string) string {
	var b strings.Builder
	for i := range len(decoded) {
		if c := decoded[i]; c < 0x20 || c == 0x7f || c == '"' || c == '\\' {
			b.WriteString(escapeRegexp(c))
			continue
		}
		b.WriteString(plainRegexp(decoded[i : i+1]))
	}
	return b.String()
}

// literalRegexp takes a text in normal form in every spelling that is equal to it.
func literalRegexp(normal string) string {
	var b strings.Builder
	for _, u := range web.Units(normal) {
		if len(u.Normal) == 3 {
			hex := anyCase(u.Normal[1:])
			raw := web.Decode(u.Normal)[0]
			if raw > 0x20 && raw < 0x7f && raw != '%' && raw != '?' &&
				web.NormalPath(string(raw)) == u.Normal {
				fmt.Fprintf(&b, "(?:%%%s|%s)", hex, escapeRegexp(raw))
			} else {
				b.WriteString("%" + hex)
			}
			continue
		}
		c := u.Normal[0]
		encoded := fmt.Sprintf("%%%02X", c)
		if web.NormalPath(encoded) == u.Normal { // unreserved: encoding it changes nothing
			fmt.Fprintf(&b, "(?:%s|%%%s)", escapeRegexp(c), anyCase(encoded[1:]))
		} else {
			b.WriteString(escapeRegexp(c))
		}
	}
	return b.String()
}

func anyCase(hex string) string {
	var b strings.Builder
	for _, c := range []byte(hex) {
		if c >= 'A' && c <= 'F' {
			fmt.Fprintf(&b, "[%c%c]", c, c+'a'-'A')
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}

func escapeRegexp(c byte) string {
	if c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c == '/' || c == '_' || c == '%' {
		return string(c)
	}
	return fmt.Sprintf(`\x%02x`, c)
}
