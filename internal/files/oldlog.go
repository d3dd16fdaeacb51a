package files

import (
	"bufio"
	"bytes"
	"strconv"

	"upperpath.example/upperpath/internal/core/old"
)

// log reads an access log in the Common or the Combined format, with the server's name in front or
// without.
func (o *OldURLs) log(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	var buffer []byte
	var l logLine
	err := o.lines(path, r, func(line []byte, long bool) {
		switch {
		case long:
			s.Leave(old.TooLong, string(line))
		case !l.read(line):
			s.Leave(old.Unreadable, string(line))
		default:
			switch {
			case l.target[0] != '/':
				buffer = append(buffer[:0], l.target...)
			case len(l.host) > 0:
				buffer = append(append(append(buffer[:0], "http://"...), l.host...), l.target...)
			default:
				buffer = o.whole(buffer, l.target)
			}
			o.To.Add(s, old.Seen{URL: buffer, Weight: 1, Method: l.method, Status: l.status, Agent: l.agent,
				Referrer: l.referrer})
		}
	})
	return err
}

// logLine is a line of an access log. Its parts lie within the line, or within what was unescaped.
type logLine struct {
	host, method, target, referrer, agent []byte
	status                                int
	clear                                 []byte
}

// read takes a line apart: ADDRESS - USER [TIME] "REQUEST" STATUS SIZE "REFERRER" "AGENT".
func (l *logLine) read(line []byte) bool {
	*l = logLine{clear: l.clear[:0]}
	open := bytes.IndexByte(line, '"')
	if open < 0 {
		return false
	}
	front := line[:open]
	request, rest, ok := quotedPart(line[open:])
	if !ok {
		return false
	}
	if first, _, _ := bytes.Cut(front, []byte(" ")); isServer(first) {
		l.host, _, _ = bytes.Cut(first, []byte(":"))
	}
	method, target, ok := bytes.Cut(request, []byte(" "))
	if !ok {
		return false
	}
	if at := bytes.LastIndexByte(target, ' '); at > 0 &&
		bytes.HasPrefix(target[at+1:], []byte("HTTP/")) {
		target = target[:at]
	}
	if len(target) == 0 || len(method) == 0 {
		return false
	}
	l.method, l.target = method, l.unescaped(target)
	rest = bytes.TrimLeft(rest, " ")
	status, rest, _ := bytes.Cut(rest, []byte(" "))
	var err error
	if l.status, err = strconv.Atoi(string(status)); err != nil || l.status < 100 || l.status > 599 {
		return false
	}
	_, rest, _ = bytes.Cut(rest, []byte(" "))
	if part, behind, ok := quotedPart(rest); ok {
		if l.referrer = part; string(part) == "-" {
			l.referrer = nil
		}
		if part, _, ok = quotedPart(bytes.TrimLeft(behind, " ")); ok && string(part) != "-" {
			l.agent = part
		}
	}
	return true
}

// isServer reports whether the first word of a line is the name of a server, and not the address of
// a visitor.
func isServer(word []byte) bool {
	name, _, _ := bytes.Cut(word, []byte(":"))
	last := name[bytes.LastIndexByte(name, '.')+1:]
	return bytes.IndexByte(name, '.') > 0 && len(last) > 1 &&
		(last[0]|0x20 >= 'a' && last[0]|0x20 <= 'z') &&
		bytes.Count(word, []byte(":")) <= 1
}

// quotedPart gives what stands in the quotes that a text begins with, and what is behind them.
func quotedPart(s []byte) (part, rest []byte, ok bool) {
	if len(s) == 0 || s[0] != '"' {
		return nil, nil, false
	}
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '\\':
			i++
		case '"':
			return s[1:i], s[i+1:], true
		}
	}
	return nil, nil, false
}

// unescaped gives a text as it was before a server wrote it into its log: \xHH and \" for octets
// and quotes.
func (l *logLine) unescaped(s []byte) []byte {
	if bytes.IndexByte(s, '\\') < 0 {
		return s
	}
	for i := 0; i < len(s); i++ {
		if s[i] != '\\' || i+1 == len(s) {
			l.clear = append(l.clear, s[i])
			continue
		}
		if s[i+1] == 'x' && i+3 < len(s) {
			if octet, err := strconv.ParseUint(string(s[i+2:i+4]), 16, 8); err == nil {
				l.clear = append(l.clear, byte(octet))
				i += 3
				continue
			}
		}
		i++
		l.clear = append(l.clear, s[i])
	}
	return l.clear
}

// isLog reports whether a text begins with a line of an access log.
func isLog(head []byte) bool {
	line, _, _ := bytes.Cut(head, []byte("\n"))
	var l logLine
	return bytes.Contains(line, []byte(" [")) && l.read(bytes.TrimRight(line, "\r"))
}
