package files

import (
	"bytes"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// zoneToken is a word of a master file, escapes as they stand there.
type zoneToken struct {
	text   string
	quoted bool // it stood between quotes, which text has not
	glued  bool // it follows the one before without a space
	line   int
	column int // from 1, in octets
	from   int // where it begins in the file, with its quotation marks, and where it ends
	to     int
}

// plain gives the word without its escapes.
func (t zoneToken) plain() string {
	if !strings.Contains(t.text, `\`) {
		return t.text
	}
	var b strings.Builder
	for i := 0; i < len(t.text); i++ {
		c := t.text[i]
		if c != '\\' || i+1 == len(t.text) {
			b.WriteByte(c)
			continue
		}
		i++
		if n, ok := escaped(t.text[i:]); ok {
			b.WriteByte(n)
			i += 2
			continue
		}
		b.WriteByte(t.text[i])
	}
	return b.String()
}

// escaped reads the three digits of an octet.
func escaped(s string) (byte, bool) {
	if len(s) < 3 {
		return 0, false
	}
	n := 0
	for i := range 3 {
		if s[i] < '0' || s[i] > '9' {
			return 0, false
		}
		n = n*10 + int(s[i]-'0')
	}
	return byte(n), n < 256
}

// joined writes words as they stood, with a space between them.
func joined(tokens []zoneToken) string {
	var b strings.Builder
	for i, t := range tokens {
		if i > 0 && !t.glued {
			b.WriteByte(' ')
		}
		if t.quoted {
			b.WriteString(`"` + t.text + `"`)
			continue
		}
		b.WriteString(t.text)
	}
	return b.String()
}

// zoneEntry is a line of a master file, with those that parentheses join to it.
type zoneEntry struct {
	tokens   []zoneToken
	indented bool // it begins with a space: the owner is that of the entry before
	from     int  // where its first line begins in the file
	to       int  // behind the end of its last line
}

// zoneLexer takes a master file apart. An error is a *fact.Error, about the place at.
type zoneLexer struct {
	data         []byte
	at           zoneToken
	pos          int
	line, column int
	indented     bool
}

func (l *zoneLexer) step() {
	if l.data[l.pos] == '\n' {
		l.line++
		l.column = 0
	}
	l.pos++
	l.column++
}

// next gives the next entry with a word in it; nil at the end.
func (l *zoneLexer) next() (*zoneEntry, error) {
	e := &zoneEntry{indented: l.indented}
	start, open, glued := true, 0, false
	for l.pos < len(l.data) {
		c := l.data[l.pos]
		l.at.line, l.at.column = l.line, l.column
		switch {
		case c == '\n':
			l.step()
			if open > 0 {
				glued = false
				continue
			}
			if len(e.tokens) > 0 {
				e.to = l.pos
				return e, nil
			}
			e.indented, start = l.indented, true
			continue
		case c == ' ' || c == '\t' || c == '\r':
			e.indented = e.indented || start
			glued = false
			l.step()
		case c == ';':
			for l.pos < len(l.data) && l.data[l.pos] != '\n' {
				l.step()
			}
		case c == '(':
			open++
			glued = false
			l.step()
		case c == ')':
			if open--; open < 0 {
				return nil, fact.Err(fact.ZoneParens{})
			}
			glued = false
			l.step()
		default:
			t, err := l.word()
			if err != nil {
				return nil, err
			}
			if t.glued, t.to = glued, l.pos; len(e.tokens) == 0 {
				e.from = 1 + bytes.LastIndexByte(l.data[:t.from], '\n')
			}
			e.tokens = append(e.tokens, t)
			glued = true
		}
		start = false
	}
	if open > 0 {
		return nil, fact.Err(fact.ZoneParens{})
	}
	if len(e.tokens) == 0 {
		return nil, nil
	}
	e.to = l.pos
	return e, nil
}

func (l *zoneLexer) word() (zoneToken, error) {
	t := zoneToken{line: l.line, column: l.column, from: l.pos}
	if t.quoted = l.data[l.pos] == '"'; t.quoted {
		l.step()
	}
	from := l.pos
	for ; l.pos < len(l.data); l.step() {
		c := l.data[l.pos]
		switch {
		case c == '\\' && l.pos+1 < len(l.data) && l.data[l.pos+1] != '\n':
			l.step()
		case t.quoted && c == '"':
			t.text = string(l.data[from:l.pos])
			l.step()
			return t, nil
		case t.quoted && c == '\n':
			return t, fact.Err(fact.ZoneQuotes{})
		case !t.quoted && strings.IndexByte(" \t\r\n\";()", c) >= 0:
			t.text = string(l.data[from:l.pos])
			return t, nil
		}
	}
	if t.quoted {
		return t, fact.Err(fact.ZoneQuotes{})
	}
	t.text = string(l.data[from:])
	return t, nil
}
