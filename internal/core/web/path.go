package web

import "strings"

const upperHex = "0123456789ABCDEF"

// unreserved are the octets that need no percent-encoding anywhere (RFC 3986 section 2.3).
func unreserved(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' ||
		c == '.' || c == '_' ||
		c == '~'
}

// plain are the octets that stand for themselves in a path: unreserved, sub-delims, ":", "@" and
// "/" (RFC 3986 section 3.3).
func plain(c byte) bool { return kinds[c]&isPlain != 0 }

// kinds says of each octet what it is: looking it up takes less than asking.
var kinds = func() (all [256]uint8) {
	for i := range all {
		c := byte(i)
		if unreserved(c) || strings.IndexByte("!$&'()*+,;=:@/", c) >= 0 {
			all[c] |= isPlain
		}
		if c <= 0x20 || c >= 0x7f || c == '#' {
			all[c] |= barredInQuery | barredInPath
		}
		if c == '?' {
			all[c] |= barredInPath
		}
	}
	return all
}()

const (
	isPlain       = 1 << iota
	barredInPath  // it cannot be sent in a path
	barredInQuery // it cannot be sent in a query
)

func hexValue(c byte) (byte, bool) {
	switch {
	case c >= '0' && c <= '9':
		return c - '0', true
	case c >= 'a' && c <= 'f':
		return c - 'a' + 10, true
	case c >= 'A' && c <= 'F':
		return c - 'A' + 10, true
	}
	return 0, false
}

// escape reads a percent-encoded octet at s[i].
func escape(s string, i int) (byte, bool) {
	if s[i] != '%' || i+2 >= len(s) {
		return 0, false
	}
	high, ok1 := hexValue(s[i+1])
	low, ok2 := hexValue(s[i+2])
	return high<<4 | low, ok1 && ok2
}

func appendEscaped(b []byte, c byte) []byte {
	return append(b, '%', upperHex[c>>4], upperHex[c&15])
}

// cleanPath makes of a raw path what is sent on the wire: octets that cannot stand in a request
// line are percent-encoded, a backslash is a slash (as browsers read http URLs), dot segments are
// removed. All else stays as it came.
func cleanPath(raw string) string {
	return RemoveDotSegments(encodeUnsendable(strings.ReplaceAll(raw, `\`, "/"), barredInPath))
}

func cleanQuery(raw string) string { return encodeUnsendable(raw, barredInQuery) }

func encodeUnsendable(s string, barred uint8) string {
	bad := func(c byte) bool { return kinds[c]&barred != 0 }
	at := 0
	for at < len(s) && kinds[s[at]]&barred == 0 {
		at++
	}
	if at == len(s) {
		return s
	}
	b := make([]byte, 0, len(s)+16)
	for i := range len(s) {
		if bad(s[i]) {
			b = appendEscaped(b, s[i])
		} else {
			b = append(b, s[i])
		}
	}
	return string(b)
}

// RemoveDotSegments resolves "." and ".." segments, also percent-encoded ones (RFC 3986 sections
// 5.2.4 and 6.2.2.2), and gives a path that starts with a slash. Empty segments stay.
func RemoveDotSegments(path string) string {
	if path == "" {
		return "/"
	}
	if path[0] != '/' {
		path = "/" + path
	}
	if !strings.Contains(path, "/.") && !strings.Contains(path, "/%2e") &&
		!strings.Contains(path, "/%2E") {
		return path
	}
	segments := strings.Split(path[1:], "/")
	kept := make([]string, 0, len(segments))
	for i, s := range segments {
		last := i == len(segments)-1
		switch dots(s) {
		case 0:
			kept = append(kept, s)
			continue
		case 2:
			if len(kept) > 0 {
				kept = kept[:len(kept)-1]
			}
		}
		if last {
			kept = append(kept, "")
		}
	}
	return "/" + strings.Join(kept, "/")
}

// dots returns 1 or 2 for a segment that is "." or "..", encoded or not, else 0.
func dots(segment string) int {
	n := 0
	for i := 0; i < len(segment); {
		switch c, ok := escape(segment, i); {
		case segment[i] == '.':
			i++
		case ok && c == '.':
			i += 3
		default:
			return 0
		}
		n++
	}
	if n > 2 {
		return 0
	}
	return n
}

// NormalPath gives a path in the form in which paths are compared (RFC 3986 section 6.2.2):
// unreserved octets decoded, what must be encoded encoded, hexadecimal digits in upper case. A
// percent sign that starts no escape is encoded.
func NormalPath(path string) string { return normal(path, plain) }

// NormalQuery does the same for a query, in which "?" stands for itself too.
func NormalQuery(query string) string {
	return normal(query, func(c byte) bool { return plain(c) || c == '?' })
}

func normal(s string, literal func(byte) bool) string {
	i := 0
	for i < len(s) && s[i] != '%' && literal(s[i]) {
		i++
	}
	if i == len(s) {
		return s
	}
	b := append(make([]byte, 0, len(s)+8), s[:i]...)
	for ; i < len(s); i++ {
		c, escaped := escape(s, i)
		switch {
		case escaped && unreserved(c):
			b = append(b, c)
		case escaped:
			b = appendEscaped(b, c)
		case literal(s[i]):
			b = append(b, s[i])
		default:
			b = appendEscaped(b, s[i])
		}
		if escaped {
			i += 2
		}
	}
	return string(b)
}

// Unit is one octet of a path in normal form, percent-encoded or not, with the place of its raw
// form.
type Unit struct {
	Normal     string // one character, or "%XX"
	Start, End int    // the raw form is path[Start:End]
}

// Units takes a path apart into its octets.
func Units(path string) []Unit {
	units := make([]Unit, 0, len(path))
	for i := 0; i < len(path); {
		end := i + 1
		if _, ok := escape(path, i); ok {
			end = i + 3
		}
		units = append(units, Unit{NormalPath(path[i:end]), i, end})
		i = end
	}
	return units
}

// Decode gives the octets that a path stands for: every escape decoded once.
func Decode(s string) string {
	if !strings.Contains(s, "%") {
		return s
	}
	b := make([]byte, 0, len(s))
	for i := 0; i < len(s); i++ {
		if c, ok := escape(s, i); ok {
			b = append(b, c)
			i += 2
		} else {
			b = append(b, s[i])
		}
	}
	return string(b)
}
