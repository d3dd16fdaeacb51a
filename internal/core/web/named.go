package web

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Renamed gives a text with a name, such as that of a host or of a door, replaced wherever it
// stands by itself: neither below another name, as in www.NAME, nor as the beginning of a longer
// one, as in NAME.org. "" is no name.
func Renamed(text, name, by string) string { return renamed(text, name, by, false) }

// Moved gives a text with a name replaced where it stands by itself, and at the end of the names
// below it, as in mail.NAME.
func Moved(text, name, by string) string { return renamed(text, name, by, true) }

func renamed(text, name, by string, below bool) string {
	if name == "" {
		return text
	}
	var b strings.Builder
	for from := 0; ; {
		at := strings.Index(text[from:], name)
		if at < 0 {
			b.WriteString(text[from:])
			return b.String()
		}
		at += from
		end := at + len(name)
		if goesOn(text[:at], text[end:], below) {
			_, n := utf8.DecodeRuneInString(text[at:])
			b.WriteString(text[from : at+n])
			from = at + n
			continue
		}
		b.WriteString(text[from:at] + by)
		from = end
	}
}

// Mentions reports whether a name stands by itself somewhere in a text.
func Mentions(text, name string) bool {
	return name != "" && Renamed(text, name, "\x00") != text
}

// goesOn reports whether what stands between two parts of a text is a part of a longer name; a name
// below it is none if those count, too.
func goesOn(before, after string, below bool) bool {
	part := func(r rune) bool {
		return r == '-' || r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r)
	}
	last, _ := utf8.DecodeLastRuneInString(before)
	next, n := utf8.DecodeRuneInString(after)
	if next == '.' { // the end of a sentence, or of a label
		next, _ = utf8.DecodeRuneInString(after[n:])
	}
	return last == '.' && !below || part(last) || part(next)
}
