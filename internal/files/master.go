package files

import (
	"bytes"
	"errors"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// master reads master files (RFC 1035 section 5) as name servers do: what is not written of an
// entry, its owner, its class and its TTL, comes from what stands above it. The data of a record is
// for the DNS library; what that does not read stands in odddata.go.
type master struct {
	folder   *counted // $INCLUDE reads from here
	most     func() int
	records  []dns.RR
	zone     string               // the owner of the first SOA record, as Fqdn; "" for none yet
	ttls     map[masterKey]uint32 // of all sets
	run      map[uint16]uint32    // of the sets of one name, as long as it goes on
	owner    string               // of the last record
	ttl      uint32               // the last that was given, or the default
	known    bool                 // ttl is
	standing *uint32
	depth    int
}

type masterKey struct {
	owner string
	code  uint16
}

// The bounds of nesting, and of what a TTL can be (RFC 2181 section 8): what is larger counts as 0.
const (
	mostIncludes = 7
	mostTTL      = 1<<31 - 1
)

// masterFile is one of the files of a zone, while it is read.
type masterFile struct {
	path   string // as problems name it
	within string // its path in the folder
	origin string // as Fqdn; "" where nobody says
}

// masterFault is a fault at a token.
func (f masterFile) fault(t zoneToken, facts fact.Facts) error {
	return problem.List{{File: f.path, Line: t.line, Column: t.column, Fault: facts}}
}

// read takes the entries of one file in.
func (m *master) read(f masterFile, data []byte) error {
	lex := zoneLexer{data: data, line: 1, column: 1}
	for {
		entry, err := lex.next()
		if err != nil {
			return f.fault(lex.at, err.(*fact.Error).Facts)
		}
		if entry == nil {
			return nil
		}
		first := entry.tokens[0]
		if !entry.indented && !first.quoted && strings.HasPrefix(first.text, "$") {
			err = m.directive(&f, entry.tokens)
		} else {
			err = m.entry(f, entry)
		}
		if err != nil {
			return err
		}
	}
}

func (m *master) directive(f *masterFile, tokens []zoneToken) error {
	name, rest := strings.ToUpper(tokens[0].text), tokens[1:]
	if len(rest) == 0 {
		return f.fault(tokens[0], fact.ZoneDirective{Text: tokens[0].text})
	}
	switch name {
	case "$ORIGIN":
		origin, err := m.name(*f, rest[0])
		f.origin = origin
		return err
	case "$TTL":
		ttl, ok := zoneTTL(rest[0].text)
		if !ok {
			return f.fault(rest[0], fact.ZoneTTL{Text: rest[0].text})
		}
		m.standing, m.ttl, m.known = &ttl, ttl, true
		return nil
	case "$INCLUDE":
		return m.include(*f, rest)
	case "$GENERATE":
		return m.generate(*f, rest)
	}
	return f.fault(tokens[0], fact.ZoneDirective{Text: tokens[0].text})
}

func (m *master) include(f masterFile, rest []zoneToken) error {
	inner := masterFile{origin: f.origin, within: rest[0].plain()}
	if len(rest) > 1 {
		origin, err := m.name(f, rest[1])
		if err != nil {
			return err
		}
		inner.origin = origin
	}
	switch {
	case m.folder == nil:
		return f.fault(rest[0], fact.ZoneAlone{})
	case m.depth >= mostIncludes:
		return f.fault(rest[0], fact.ZoneNested{Most: mostIncludes})
	case path.IsAbs(inner.within):
		return f.fault(rest[0], fact.ZoneInclude{Why: inner.within})
	}
	inner.within = path.Join(path.Dir(f.within), inner.within)
	inner.path = path.Join(path.Dir(f.path), rest[0].plain())
	data, err := m.folder.read(inner.within)
	if err != nil {
		return f.fault(rest[0], fact.ZoneInclude{Why: err.Error()})
	}
	owner := m.owner
	m.depth++
	err = m.read(inner, bytes.TrimPrefix(data, []byte("\ufeff")))
	m.depth--
	m.owner = owner
	return err
}

// name gives the name at a token in full.
func (m *master) name(f masterFile, t zoneToken) (string, error) {
	name, ok := absolute(t.text, f.origin)
	if !ok {
		return "", f.fault(t, fact.ZoneOwner{Text: t.text})
	}
	return name, nil
}

// absolute gives a name in full, false where it is none, or nobody says below what it stands.
func absolute(text, origin string) (string, bool) {
	switch {
	case text == "@":
		return origin, origin != ""
	case text == "":
		return "", false
	case !dns.IsFqdn(text):
		if origin == "" {
			return "", false
		}
		if text += "."; origin != "." {
			text += origin
		}
	}
	_, ok := dns.IsDomainName(text)
	return text, ok
}

// entry takes a record in: [owner] [TTL] [class] type data, the middle two in either order.
func (m *master) entry(f masterFile, e *zoneEntry) error {
	tokens, owner := e.tokens, m.owner
	if !e.indented {
		name, err := m.name(f, tokens[0])
		if err != nil {
			return err
		}
		owner, tokens = name, tokens[1:]
	}
	if owner == "" {
		return f.fault(e.tokens[0], fact.ZoneOwnerless{})
	}
	h, rest, err := m.head(f, e.tokens[0], tokens)
	if err != nil {
		return err
	}
	return m.record(f, owner, h, rest)
}

// heading is what stands before the data of a record.
type heading struct {
	at   zoneToken // the type
	code uint16
	ttl  *uint32 // nil where none stands there
}

func (m *master) head(f masterFile, at zoneToken, tokens []zoneToken) (h heading, rest []zoneToken,
	err error) {
	classed := false
	for i, t := range tokens {
		if ttl, ok := zoneTTL(t.text); ok && h.ttl == nil && !t.quoted {
			h.ttl = &ttl
			continue
		}
		class, isClass := classes[strings.ToUpper(t.text)]
		if isClass && !classed {
			if class != dns.ClassINET {
				return h, nil, f.fault(t, fact.ZoneClass{Text: t.text})
			}
			classed = true
			continue
		}
		code, ok := typeCode(t.text)
		if !ok {
			return h, nil, f.fault(t, fact.ZoneType{Text: t.text})
		}
		h.at, h.code = t, code
		return h, tokens[i+1:], nil
	}
	return h, nil, f.fault(at, fact.ZoneShort{})
}

var classes = map[string]uint16{"IN": dns.ClassINET, "CLASS1": dns.ClassINET, "CH": dns.ClassCHAOS,
	"CLASS3": dns.ClassCHAOS, "HS": dns.ClassHESIOD, "CLASS4": dns.ClassHESIOD}

// typeCode gives the number of a type by its name, or as TYPE and a number (RFC 3597 section 5).
// Types that only messages hold are none of a zone.
func typeCode(name string) (uint16, bool) {
	name = strings.ToUpper(name)
	if number, is := strings.CutPrefix(name, "TYPE"); is {
		if n, err := strconv.ParseUint(number, 10, 16); err == nil {
			return uint16(n), n != 0 && n != uint64(dns.TypeOPT) && (n < 249 || n > 255)
		}
	}
	code, ok := dns.StringToType[name]
	if !ok {
		code, ok = oddTypes[name]
	}
	return code, ok && code != 0 && code != dns.TypeOPT && (code < 249 || code > 255)
}

// oneTTL gives all records of a set the TTL of the last lines about it, as bind does.
func (m *master) oneTTL() {
	for _, rr := range m.records {
		h := rr.Header()
		if ttl, ok := m.ttls[masterKey{strings.ToLower(h.Name), h.Rrtype}]; ok {
			h.Ttl = ttl
		}
	}
}

// record takes in a record whose owner, heading and data are known.
func (m *master) record(f masterFile, owner string, h heading, data []zoneToken) error {
	if !strings.EqualFold(owner, m.owner) {
		m.run = map[uint16]uint32{}
	}
	m.owner = owner
	if len(m.records) >= m.most() {
		return problem.List{{File: f.path, Fault: fact.ZoneTooLong{Most: len(m.records)}}}
	}
	rr, at, err := recordOf(owner, f.origin, h.code, data)
	if err != nil {
		place := h.at
		if at >= 0 && at < len(data) {
			place = data[at]
		}
		if errors.Is(err, errData) {
			return f.fault(place, fact.ZoneData{Type: h.at.text})
		}
		return f.fault(place, fact.ZoneLine{Why: err.Error()})
	}
	soa, isSOA := rr.(*dns.SOA)
	switch {
	case h.ttl != nil:
		m.ttl, m.known = *h.ttl, true
	case m.standing != nil:
		m.ttl = *m.standing
	case isSOA && !m.known:
		m.ttl, m.known = soa.Minttl, true // RFC 2308 section 4
		standing := soa.Minttl
		m.standing = &standing
	case !m.known:
		return f.fault(h.at, fact.ZoneNoTTL{})
	}
	// one set has one TTL (RFC 2181 section 5.2): bind takes the first of lines that follow each other
	if h.code != dns.TypeRRSIG && h.code != dns.TypeSIG {
		if ttl, been := m.run[h.code]; been {
			m.ttl = ttl
		}
		m.run[h.code] = m.ttl
		m.ttls[masterKey{strings.ToLower(owner), h.code}] = m.ttl
	}
	rr.Header().Ttl = m.ttl
	m.records = append(m.records, rr)
	if isSOA && m.zone == "" {
		m.zone = owner
	}
	return nil
}

// zoneTTL reads a TTL: seconds, or numbers with the units w, d, h, m and s.
func zoneTTL(text string) (uint32, bool) {
	if text == "" || text[0] < '0' || text[0] > '9' {
		return 0, false
	}
	total, n, digits := uint64(0), uint64(0), false
	for i := range len(text) {
		c := text[i]
		if c >= '0' && c <= '9' {
			n, digits = n*10+uint64(c-'0'), true
		} else {
			unit, ok := map[byte]uint64{'w': 604800, 'd': 86400, 'h': 3600, 'm': 60, 's': 1}[c|0x20]
			if !ok || !digits {
				return 0, false
			}
			total, n, digits = total+n*unit, 0, false
		}
		if n > 1<<40 || total > 1<<40 {
			return 0, false
		}
	}
	if total += n; total >= 1<<32 {
		return 0, false
	}
	if total > mostTTL {
		total = 0
	}
	return uint32(total), true
}

// generate takes in what a line of $GENERATE stands for, as bind does:
// "range owner [TTL] [class] type data", where $ stands for each number of the range.
func (m *master) generate(f masterFile, rest []zoneToken) error {
	bad := func(t zoneToken) error { return f.fault(t, fact.ZoneGenerate{Text: t.text}) }
	first, last, step, ok := generated(rest[0].text)
	if !ok || len(rest) < 4 {
		return bad(rest[0])
	}
	h, data, err := m.head(f, rest[0], rest[2:])
	if err != nil {
		return err
	}
	if len(data) == 0 {
		return bad(rest[0])
	}
	text := joined(data)
	if len(data) == 1 && data[0].quoted {
		text = data[0].text // the quotes keep its parts together, and are none of the data's
	}
	kept, run := m.owner, m.run // the lines of one name go on behind it
	defer func() { m.owner, m.run = kept, run }()
	for n := first; n <= last; n += step {
		owner, ok := numbered(rest[1].text, n)
		value, okay := numbered(text, n)
		if !ok || !okay {
			return bad(rest[1])
		}
		if owner, ok = absolute(owner, f.origin); !ok {
			return f.fault(rest[1], fact.ZoneOwner{Text: rest[1].text})
		}
		lex := zoneLexer{data: []byte(value + "\n"), line: 1, column: 1, indented: true}
		entry, err := lex.next()
		if err != nil || entry == nil {
			return bad(data[0])
		}
		for i := range entry.tokens {
			entry.tokens[i].line, entry.tokens[i].column = data[0].line, data[0].column
		}
		if err := m.record(f, owner, h, entry.tokens); err != nil {
			return err
		}
	}
	return nil
}

// generated reads "first-last" or "first-last/step".
func generated(text string) (first, last, step int, ok bool) {
	span, by, some := strings.Cut(text, "/")
	from, to, both := strings.Cut(span, "-")
	step = 1
	number := func(s string) int {
		n, err := strconv.ParseUint(s, 10, 31)
		ok = ok && err == nil
		return int(n)
	}
	ok = both
	first, last = number(from), number(to)
	if some {
		step = number(by)
	}
	return first, last, step, ok && step > 0 && first <= last
}

// numbered puts a number where $ stands: "${offset,width,base}" says how it is written, and "$$" or
// "\$" is a dollar sign.
func numbered(text string, n int) (string, bool) {
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\\' && i+1 < len(text):
			b.WriteString(text[i : i+2])
			i++
		case text[i] != '$':
			b.WriteByte(text[i])
		case strings.HasPrefix(text[i+1:], "$"):
			b.WriteByte('$')
			i++
		case strings.HasPrefix(text[i+1:], "{"):
			end := strings.IndexByte(text[i:], '}')
			if end < 0 {
				return "", false
			}
			said, ok := formatted(text[i+2:i+end], n)
			if !ok {
				return "", false
			}
			b.WriteString(said)
			i += end
		default:
			b.WriteString(strconv.Itoa(n))
		}
		if b.Len() > 70_000 {
			return "", false
		}
	}
	return b.String(), true
}

func formatted(how string, n int) (string, bool) {
	parts := strings.Split(how, ",")
	offset, err := strconv.ParseInt(parts[0], 10, 32)
	width := uint64(0)
	if err == nil && len(parts) > 1 {
		width, err = strconv.ParseUint(parts[1], 10, 8)
	}
	base := "d"
	if len(parts) > 2 {
		base = parts[2]
	}
	n += int(offset)
	if err != nil || len(parts) > 3 || n < 0 && base != "d" ||
		!slices.Contains([]string{"d", "o", "x", "X", "n", "N"},
			base) {
		return "", false
	}
	if strings.EqualFold(base, "n") {
		return nibbles(n, int(width), base == "N"), true
	}
	return fmt.Sprintf("%0*"+base, int(width), n), true
}

// nibbles writes a number as hexadecimal labels, the last digit first, in at least so many octets.
func nibbles(n, width int, upper bool) string {
	digits := "0123456789abcdef"
	if upper {
		digits = strings.ToUpper(digits)
	}
	var b strings.Builder
	for {
		b.WriteByte(digits[n&15])
		n >>= 4
		width--
		if width > 0 || n != 0 {
			b.WriteByte('.')
			width--
		}
		if n == 0 && width <= 0 {
			return b.String()
		}
	}
}
