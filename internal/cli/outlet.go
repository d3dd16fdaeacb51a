package cli

import (
	"bytes"
	"io"
	"regexp"
	"sync"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// outlet is standard output or standard error: the last place that every text passes, whatever its
// format, and the one that vouches for it. It goes on line by line. What could make a terminal do
// something, or turn the order of what is read, is replaced, save for the colours that a report
// gives to a terminal; passwords in URLs are masked. It remembers why it could not write: most of
// what writes there does not look.
type outlet struct {
	to    io.Writer
	color bool
	lock  sync.Mutex
	line  []byte // what has no end yet
	err   error
}

// mostLine is how much of a line is held back until its end comes, in octets.
const mostLine = 4 << 20

func (o *outlet) Write(text []byte) (int, error) {
	o.lock.Lock()
	defer o.lock.Unlock()
	held := len(o.line)
	o.line = append(o.line, text...)
	var end int
	switch at := bytes.LastIndexByte(text, '\n'); {
	case at >= 0:
		end = held + at + 1
	case len(o.line) > mostLine:
		end = len(o.line)
	default:
		return len(text), nil
	}
	if err := o.pass(o.line[:end]); err != nil {
		return 0, err
	}
	o.line = append(o.line[:0], o.line[end:]...)
	return len(text), nil
}

// fault gives why it could not write, nil where it could.
func (o *outlet) fault() error {
	o.lock.Lock()
	defer o.lock.Unlock()
	return o.err
}

// raw gives a writer for what is no text.
func (o *outlet) raw() io.Writer { return rawOutlet{o} }

type rawOutlet struct{ o *outlet }

func (r rawOutlet) Write(data []byte) (int, error) {
	r.o.lock.Lock()
	defer r.o.lock.Unlock()
	n, err := r.o.to.Write(data)
	if err != nil && r.o.err == nil {
		r.o.err = err
	}
	return n, err
}

// flush writes what has no end of its line.
func (o *outlet) flush() {
	o.lock.Lock()
	defer o.lock.Unlock()
	_ = o.pass(o.line)
	o.line = nil
}

func (o *outlet) pass(text []byte) error {
	if len(text) == 0 {
		return nil
	}
	_, err := o.to.Write(safe(text, o.color))
	if err != nil && o.err == nil {
		o.err = err
	}
	return err
}

// painted is what colours of ours look like (ECMA-48 section 8.3.117).
var painted = regexp.MustCompile(`^\x1b\[([012]|3[1-35])(;([012]|3[1-35]))*m`)

// safe gives a text without what could harm its reader. What needs no change comes back as it is.
func safe(text []byte, color bool) []byte {
	if bytes.IndexByte(text, '@') >= 0 {
		text = []byte(web.Masked(string(text)))
	}
	at := hostileAt(text)
	if at < 0 {
		return text
	}
	out := make([]byte, 0, len(text)+len(text)/8)
	for at >= 0 {
		out = append(out, text[:at]...)
		text = text[at:]
		r, size := utf8.DecodeRune(text)
		switch paint := painted.Find(text); {
		case color && paint != nil:
			out, size = append(out, paint...), len(paint)
		case r == '\r' && size < len(text) && text[size] == '\n': // the line ends anyway
		default:
			out = utf8.AppendRune(out, utf8.RuneError)
		}
		text = text[size:]
		at = hostileAt(text)
	}
	return append(out, text...)
}

// hostileAt gives the place of the first character that may not pass, -1 where there is none.
func hostileAt(text []byte) int {
	for i := 0; i < len(text); {
		c := text[i]
		if c < utf8.RuneSelf {
			if c < 0x20 && c != '\n' && c != '\t' || c == 0x7f {
				return i
			}
			i++
			continue
		}
		r, size := utf8.DecodeRune(text[i:])
		// a stray octet is a C1 control to some terminals
		if problem.Hostile(r) || r == utf8.RuneError && size == 1 {
			return i
		}
		i += size
	}
	return -1
}
