package pair

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// fold brings a text into the form in which words are compared: small letters without marks, other
// scripts in Latin letters, and one way of writing what has several: ü, ue and u are one.
func fold(s string) string {
	plain := true
	for i := 0; i < len(s); i++ {
		if s[i] >= utf8.RuneSelf || s[i] >= 'A' && s[i] <= 'Z' {
			plain = false
			break
		}
	}
	if !plain {
		var b strings.Builder
		b.Grow(len(s))
		for _, r := range norm.NFKD.String(s) {
			switch r = unicode.ToLower(r); {
			case r < utf8.RuneSelf:
				b.WriteByte(byte(r))
			case unicode.Is(unicode.Mn, r):
			default:
				if latin, known := letters[r]; known {
					b.WriteString(latin)
				} else {
					b.WriteRune(r)
				}
			}
		}
		s = b.String()
	}
	return s
}

// letters are characters that no decomposition brings to Latin ones.
var letters = func() map[rune]string {
	all := map[rune]string{
		'ß': "ss", 'æ': "ae", 'ø': "o", 'ł': "l", 'đ': "d", 'ð': "d", 'þ': "th", 'œ': "oe",
		'ı': "i", 'ъ': "", 'ь': "", 'ю': "yu", 'я': "ya", 'ж': "zh", 'ч': "ch", 'ш': "sh",
		'щ': "sch", 'х': "h",
		'θ': "th", 'χ': "ch", 'ψ': "ps", 'ς': "s",
	}
	for from, to := range map[string]string{
		"абвгдезиклмнопрстуфцыэії": "abvgdeziklmnoprstufcyeii",
		"αβγδεζηικλμνξοπρστυφω":    "avgdeziiklmnxoprstyfo",
	} {
		latin := []rune(to)
		for i, r := range []rune(from) {
			all[r] = string(latin[i])
		}
	}
	return all
}()

// sounds are two letters that stand for one with a mark, where it cannot be typed.
var sounds = strings.NewReplacer("ae", "a", "oe", "o", "ue", "u", "aa", "a")

// stem gives what is compared of a word: one way of writing it, without the ending of a plural.
func stem(word string) string {
	word = sounds.Replace(word)
	n := len(word)
	switch {
	case n < 4 || word[n-1] < 'a' || word[n-1] > 'z':
	case strings.HasSuffix(word, "ies") && n > 4:
		return word[:n-3] + "y"
	case strings.HasSuffix(word, "sses") || strings.HasSuffix(word, "xes") ||
		strings.HasSuffix(word, "ches") || strings.HasSuffix(word, "shes"):
		return word[:n-2]
	case word[n-1] == 's' && word[n-2] != 's' && word[n-2] != 'u' && word[n-2] != 'i':
		return word[:n-1]
	}
	return word
}

// decoded gives what a part of a URL stands for. Octets that are no UTF-8 are Latin-1, as old
// servers sent them.
func decoded(s string) string {
	if !strings.Contains(s, "%") && utf8.ValidString(s) {
		return s
	}
	b := make([]byte, 0, len(s))
	for i := 0; i < len(s); i++ {
		if s[i] == '%' && i+2 < len(s) {
			if high, low := hexOf(s[i+1]), hexOf(s[i+2]); high >= 0 && low >= 0 {
				b = append(b, byte(high<<4|low))
				i += 2
				continue
			}
		}
		b = append(b, s[i])
	}
	if utf8.Valid(b) {
		return string(b)
	}
	var text strings.Builder
	for _, c := range b {
		text.WriteRune(rune(c))
	}
	return text.String()
}

func hexOf(c byte) int {
	switch {
	case c >= '0' && c <= '9':
		return int(c - '0')
	case c|0x20 >= 'a' && c|0x20 <= 'f':
		return int(c|0x20-'a') + 10
	}
	return -1
}

// split cuts a text into words: letters and digits apart from each other and from anything else,
// and where a capital follows a small letter.
func split(s string, each func(word string)) {
	const none, letter, digit = 0, 1, 2
	start, was, lower := 0, none, false
	for i, r := range s {
		is := none
		switch {
		case r >= '0' && r <= '9':
			is = digit
		case r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z':
			is = letter
		case r >= utf8.RuneSelf && (unicode.IsLetter(r) || unicode.Is(unicode.Mn, r)):
			is = letter
		case (r == '\'' || r == '’') && was == letter: // museum's
			continue
		}
		upper := r >= 'A' && r <= 'Z'
		if is != was || is == letter && upper && lower {
			if was != none && i > start {
				each(s[start:i])
			}
			start = i
		}
		was, lower = is, is == letter && !upper
	}
	if was != none && start < len(s) {
		each(s[start:])
	}
}
