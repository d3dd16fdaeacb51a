package record

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// Alias is the type of an alias at the apex, as some providers offer it: no type of DNS, but typed
// like one there. The world sees addresses.
const Alias = "ALIAS"

// mostString is how many octets one string of a TXT record holds (RFC 1035 section 3.3).
const mostString = 255

// Types returns the record types that values can be read of, in order.
func Types() []string {
	var all []string
	for kind, row := range types {
		if row.typed {
			all = append(all, kind)
		}
	}
	slices.Sort(all)
	return all
}

// IsTyped reports whether somebody types values of a type.
func IsTyped(kind string) bool { return types[kind].typed }

// ErrType says that a record type is not known.
var ErrType = fact.Err(fact.TypeUnknown{})

// Value reads the value of a record as somebody shows it, and returns it as it stands in a zone
// file: names in lower case with their last dot, a text in quoted strings of at most 255 octets.
// The error says what is wrong with the value; it is ErrType where the type is not known.
func Value(kind, s string) (string, error) {
	k := types[kind]
	if !k.typed {
		return "", fact.ErrOf(ErrType, fact.TypeUnknown{Type: kind})
	}
	s = strings.TrimSpace(s)
	if s == "" && kind != "TXT" {
		return "", fact.Err(fact.ValueEmpty{})
	}
	if k.fields > 0 {
		f := strings.Fields(s)
		if len(f) != k.fields {
			return "", fact.Err(fact.ValueParts{Parts: len(f), Wanted: k.fields})
		}
		for _, i := range k.names {
			name, err := targetName(f[i])
			if err != nil {
				return "", err
			}
			f[i] = name
		}
		s = strings.Join(f, " ")
	}
	if k.read == nil {
		return s, nil
	}
	return k.read(s)
}

func targetName(s string) (string, error) {
	if s == "." {
		return s, nil
	}
	name := strings.ToLower(strings.TrimSuffix(s, "."))
	if name == "" || len(name) > 253 || strings.Contains(name, "..") || strings.HasPrefix(name, ".") ||
		strings.ContainsAny(name, "/:@\"' ") {
		return "", fact.Err(fact.NotName{Text: s})
	}
	if _, err := netip.ParseAddr(name); err == nil {
		return "", fact.Err(fact.AddressNotName{Text: s})
	}
	for label := range strings.SplitSeq(name, ".") {
		if len(label) > 63 {
			return "", fact.Err(fact.LabelLong{Text: s})
		}
	}
	return name + ".", nil
}

func address(fits func(netip.Addr) bool) func(string) (string, error) {
	return func(s string) (string, error) {
		a, err := netip.ParseAddr(s)
		if err != nil || !fits(a) || a.Zone() != "" {
			return "", fact.Err(fact.AddressKind{Text: s})
		}
		return a.String(), nil
	}
}

// numbers checks that the first fields are numbers.
func numbers(n int) func(string) (string, error) {
	return func(s string) (string, error) {
		for _, f := range strings.Fields(s)[:n] {
			if v, err := strconv.ParseUint(f, 10, 16); err != nil || strconv.FormatUint(v, 10) != f {
				return "", fact.Err(fact.NumberRange{Text: f})
			}
		}
		return s, nil
	}
}

// text reads a TXT value: quoted strings, one or several, or bare text.
func text(s string) (string, error) {
	if !strings.HasPrefix(s, `"`) {
		return Quote(s), nil
	}
	var whole strings.Builder
	for rest := s; rest != ""; rest = strings.TrimLeft(rest, " \t\r\n()") {
		end := closing(rest)
		if end < 0 {
			return "", fact.Err(fact.QuoteOpen{})
		}
		whole.WriteString(Unquote(rest[:end+1]))
		rest = rest[end+1:]
	}
	return Quote(whole.String()), nil
}

// closing returns where the quoted string at the start of s ends, -1 where none starts or ends.
func closing(s string) int {
	if !strings.HasPrefix(s, `"`) {
		return -1
	}
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '\\':
			i++
		case '"':
			return i
		}
	}
	return -1
}

// Strings cuts a text into the strings of a TXT record, of at most 255 octets each (RFC 1035
// section 3.3.14).
func Strings(s string) []string {
	var all []string
	for len(s) > mostString {
		all = append(all, s[:mostString])
		s = s[mostString:]
	}
	return append(all, s)
}

// Quote gives a text as the value of a TXT record in a zone file.
func Quote(s string) string {
	var parts []string
	for _, p := range Strings(s) {
		var b strings.Builder
		b.WriteByte('"')
		for i := 0; i < len(p); i++ {
			switch c := p[i]; {
			case c == '"' || c == '\\':
				b.WriteByte('\\')
				b.WriteByte(c)
			case c < ' ' || c > '~':
				fmt.Fprintf(&b, `\%03d`, c)
			default:
				b.WriteByte(c)
			}
		}
		b.WriteByte('"')
		parts = append(parts, b.String())
	}
	return strings.Join(parts, " ")
}

// Unquote gives the text of a TXT value in zone-file form, its strings put together (RFC 7208
// section 3.3).
func Unquote(value string) string {
	var b strings.Builder
	quoted, escaped := false, false
	for i := 0; i < len(value); i++ {
		c := value[i]
		switch {
		case escaped:
			escaped = false
			if c >= '0' && c <= '9' && i+2 < len(value) {
				b.WriteByte((c-'0')*100 + (value[i+1]-'0')*10 + value[i+2] - '0')
				i += 2
				continue
			}
			b.WriteByte(c)
		case c == '\\':
			escaped = true
		case c == '"':
			quoted = !quoted
		case quoted:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// caa reads flag, tag and value (RFC 8659 section 4.1).
func caa(s string) (string, error) {
	f := strings.SplitN(strings.Join(strings.Fields(s), " "), " ", 3)
	if len(f) < 3 {
		return "", fact.Err(fact.CAAParts{})
	}
	if n, err := strconv.ParseUint(f[0], 10, 8); err != nil || strconv.FormatUint(n, 10) != f[0] {
		return "", fact.Err(fact.CAAFlag{Flag: f[0]})
	}
	value, err := text(f[2])
	return f[0] + " " + strings.ToLower(f[1]) + " " + value, err
}

// service reads the value of a HTTPS or SVCB record (RFC 9460): its priority and target; parameters
// stay as they are.
func service(s string) (string, error) {
	f := strings.Fields(s)
	if len(f) < 2 {
		return "", fact.Err(fact.ServiceParts{})
	}
	target, err := targetName(f[1])
	if err != nil {
		return "", err
	}
	f[1] = target
	return numbers(1)(strings.Join(f, " "))
}

// Name reads the name of a record of a zone as somebody shows it: "@" or nothing for the apex, a
// label, or a full name with or without its last dot. It returns the full name in lower case
// without its last dot; the error says what is wrong.
func Name(s, zone string) (string, error) {
	name := strings.ToLower(strings.TrimSpace(s))
	switch {
	case name == "" || name == "@":
		return zone, nil
	case strings.HasSuffix(name, "."):
		name = strings.TrimSuffix(name, ".")
		if name != zone && !strings.HasSuffix(name, "."+zone) {
			return "", fact.Err(fact.OutsideZone{Text: s, Zone: zone})
		}
	case name != zone && !strings.HasSuffix(name, "."+zone):
		name += "." + zone
	}
	if strings.Contains(name, "..") || strings.HasPrefix(name, ".") || len(name) > 253 ||
		strings.ContainsAny(name, "/:@\"' \t") {
		return "", fact.Err(fact.NotName{Text: s})
	}
	for label := range strings.SplitSeq(name, ".") {
		if len(label) > 63 {
			return "", fact.Err(fact.LabelLong{Text: s})
		}
	}
	return name, nil
}

// Label gives a name relative to its zone, "@" for the apex.
func Label(name, zone string) string {
	if name == zone {
		return "@"
	}
	return strings.TrimSuffix(name, "."+zone)
}
