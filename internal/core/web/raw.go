package web

import "strings"

// Raw is a URL taken apart without being changed: for looking many up without making anything. Its
// host is in lower case, its path in the form that a browser sends.
type Raw struct {
	Scheme            Scheme
	Host, Path, Query string
	Normal            bool // the path is in normal form already
}

// SplitRaw takes an absolute URL apart where that needs no change: a host of small letters without
// a port, a path that needs no cleaning. false where ParseURL has to read it. It makes nothing.
func SplitRaw(s string) (Raw, bool) {
	var r Raw
	switch {
	case strings.HasPrefix(s, "https://"):
		r.Scheme, s = HTTPS, s[len("https://"):]
	case strings.HasPrefix(s, "http://"):
		r.Scheme, s = HTTP, s[len("http://"):]
	default:
		return r, false
	}
	end := 0
	for end < len(s) && octets[s[end]]&inHost != 0 {
		end++
	}
	if end == 0 || s[end-1] == '.' || end < len(s) && s[end] != '/' {
		return r, false
	}
	r.Host, r.Path, r.Normal = s[:end], s[end:], true
	if r.Path == "" {
		r.Path = "/"
		return r, true
	}
	for i := 0; i < len(r.Path); i++ {
		c := octets[r.Path[i]]
		if c&inPath != 0 {
			continue
		}
		switch {
		case c&isSlash != 0:
			if tail := r.Path[i+1:]; tail != "" &&
				(tail[0] == '.' || len(tail) > 2 && tail[0] == '%' && tail[1] == '2' && tail[2]|0x20 == 'e') {
				return r, false // perhaps a dot segment
			}
		case c&isMark != 0:
			tail := r.Path[i:]
			r.Path = r.Path[:i]
			tail, _, _ = strings.Cut(tail, "#")
			if tail == "" || tail[0] != '?' {
				return r, true
			}
			r.Query = tail[1:]
			for j := range len(r.Query) {
				if octets[r.Query[j]]&isBad != 0 {
					return r, false
				}
			}
			return r, true
		case c&isBad != 0:
			return r, false
		default:
			r.Normal = false
		}
	}
	return r, true
}

// What an octet is in a URL.
const (
	inHost  = 1 << iota // small letters, digits, hyphen, dot
	inPath              // stands for itself in a path in normal form
	isSlash             // of a path
	isMark              // ? or #
	isBad               // has to be encoded before it is sent, or is a backslash
	isOther             // stands otherwise in normal form: a percent sign, a brace
)

// octets says what each octet is.
var octets = func() (t [256]uint8) {
	for i := range t {
		c := byte(i)
		switch {
		case c == '/':
			t[i] = isSlash
		case c == '?' || c == '#':
			t[i] = isMark
		case c <= 0x20 || c >= 0x7f || c == '\\':
			t[i] = isBad
		case plain(c):
			t[i] = inPath
		default:
			t[i] = isOther
		}
		if c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' || c == '.' {
			t[i] |= inHost
		}
	}
	return t
}()

// AppendNormalPath appends a path in normal form, as NormalPath gives it.
func AppendNormalPath(b []byte, path string) []byte {
	for i := 0; i < len(path); i++ {
		run := i
		for i < len(path) && octets[path[i]]&(inPath|isSlash) != 0 {
			i++
		}
		if b = append(b, path[run:i]...); i == len(path) {
			break
		}
		c, escaped := escape(path, i)
		switch {
		case escaped && unreserved(c):
			b = append(b, c)
		case escaped:
			b = appendEscaped(b, c)
		default:
			b = appendEscaped(b, path[i])
		}
		if escaped {
			i += 2
		}
	}
	return b
}

// IsNormalPath reports whether a path is in normal form.
func IsNormalPath(path string) bool {
	for i := range len(path) {
		if octets[path[i]]&(inPath|isSlash) == 0 {
			return false
		}
	}
	return true
}
