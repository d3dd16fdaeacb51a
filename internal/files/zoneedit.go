package files

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/send"
)

// ZoneFolder changes zone files in a folder, in place. It is a send.Place. What a file says but for
// the changed records stays as it is, octet for octet: comments, order, spelling.
type ZoneFolder struct {
	Path string
	Now  func() time.Time
}

// mostZoneNames are the ways in which people name the file of a zone.
func zoneNames(zone string) []string {
	return []string{zone, zone + ".zone", zone + ".db", "db." + zone, zone + ".txt", "zone." + zone}
}

// file gives the path of a zone's file. An error says where it was looked for.
func (f ZoneFolder) file(zone string) (string, error) {
	var found []string
	for _, name := range zoneNames(zone) {
		path := filepath.Join(f.Path, name)
		if info, err := os.Stat(path); err == nil && info.Mode().IsRegular() {
			found = append(found, path)
		}
	}
	switch len(found) {
	case 1:
		return found[0], nil
	case 0:
		return "", fmt.Errorf("%s has no file of the zone %s; expected one of %s", f.Path, zone,
			strings.Join(zoneNames(zone), ", "))
	}
	return "", fmt.Errorf("the zone %s has several files: %s; expected one", zone,
		strings.Join(found, ", "))
}

// Read gives sets of a zone's file.
func (f ZoneFolder) Read(_ context.Context, zone string, keys []record.Key) ([]record.Set, error) {
	path, err := f.file(zone)
	if err != nil {
		return nil, err
	}
	name, records, err := ReadZone(path, zone)
	if err != nil {
		return nil, err
	}
	if name != zone {
		return nil, fmt.Errorf("%s is of the zone %s, not of %s", path, name, zone)
	}
	return chosen(setsIn(records), keys), nil
}

func chosen(all map[record.Key]record.Set, keys []record.Key) []record.Set {
	var sets []record.Set
	for _, k := range keys {
		if s, there := all[k]; there {
			sets = append(sets, s)
		}
	}
	return sets
}

// setsIn puts records into sets, by key.
func setsIn(records []dns.RR) map[record.Key]record.Set {
	all := map[record.Key]record.Set{}
	for _, rr := range records {
		h := rr.Header()
		k := record.Key{Name: strings.ToLower(strings.TrimSuffix(h.Name, ".")),
			Type: dns.TypeToString[h.Rrtype]}
		s := all[k]
		s.Name, s.Type, s.TTL = k.Name, k.Type, int(h.Ttl)
		s.Values = append(s.Values, dataOf(rr))
		all[k] = s
	}
	for k, s := range all {
		slices.Sort(s.Values)
		s.Values = slices.Compact(s.Values)
		all[k] = s
	}
	return all
}

// dataOf gives the data of a record as zone files have it.
func dataOf(rr dns.RR) string {
	text := strings.TrimSpace(strings.TrimPrefix(rr.String(), rr.Header().String()))
	if full, err := record.Value(dns.TypeToString[rr.Header().Rrtype], text); err == nil {
		return full
	}
	return text
}

// Change changes a zone's file. Nobody else of this program changes it meanwhile, and where
// somebody else did since it was read, nothing is written.
func (f ZoneFolder) Change(_ context.Context, t send.Transfer) (string, error) {
	path, err := f.file(t.Zone)
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	free, err := lockFile(path)
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	defer free()
	before, err := Read(path, MostTable)
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	if _, records, err := ReadZone(path, t.Zone); err != nil {
		return "", &send.NotSent{Why: err.Error()}
	} else if s := t.Compare(slices.Collect(maps.Values(setsIn(records)))); len(s.Open) !=
		len(t.Changes) {
		return "", &send.Refused{Says: path + " has changed since it was read", Changed: true}
	}
	after, serial, err := EditZone(path, before, t, f.Now())
	if err != nil {
		return "", &send.NotSent{Why: err.Error()}
	}
	if now, err := Read(path, MostTable); err != nil || !bytes.Equal(now, before) {
		return "", &send.Refused{Says: path + " has changed since it was read", Changed: true}
	}
	if err := writeWhole(path, after); err != nil {
		return "", err
	}
	return fmt.Sprintf("%s has the serial %d", path, serial), nil
}

// zoneLine is a record of a zone file, and where it stands.
type zoneLine struct {
	rr       dns.RR
	entry    *zoneEntry
	key      record.Key
	owner    string // as the file writes it, where the line is that of the owner or comes under it
	origin   string // that holds there, as Fqdn
	ttl, typ int    // tokens; ttl is -1 where none is written
}

// edit is octets of a file that are replaced.
type edit struct {
	from, to int
	by       string
}

var errEdit = errors.New("it cannot be changed in place: type the change there by hand")

// EditZone gives the text of a zone file with the changes of a transfer, and the serial that it has
// then: the next one, or the first of the day where it is written by date. What does not belong to
// a changed record stays as it is. An error says why it cannot be changed in place: the result was
// read again, by two readers, and is not what was meant.
func EditZone(path string, data []byte, t send.Transfer, now time.Time) ([]byte, uint32, error) {
	lines, end, err := zoneLines(path, data, t.Zone)
	if err != nil {
		return nil, 0, err
	}
	var edits []edit
	serial := uint32(0)
	for _, l := range lines {
		if soa, is := l.rr.(*dns.SOA); is {
			serial = nextSerial(soa.Serial, now)
			at := l.typ + 3
			if at >= len(l.entry.tokens) {
				return nil, 0, fmt.Errorf("%s: %w", path, errEdit)
			}
			token := l.entry.tokens[at]
			edits = append(edits, edit{token.from, token.to, strconv.FormatUint(uint64(serial), 10)})
		}
	}
	if serial == 0 {
		return nil, 0, fmt.Errorf("%s has no SOA record, so that it is no whole zone", path)
	}
	style := lineStyle{gap: " ", end: "\n"}
	if bytes.Contains(data, []byte("\tIN\t")) {
		style.gap = "\t"
	}
	if bytes.Contains(data, []byte("\r\n")) {
		style.end = "\r\n"
	}
	gone := map[*zoneEntry]bool{}
	for _, c := range t.Changes {
		made, err := editSet(lines, end, c, style, gone)
		if err != nil {
			return nil, 0, fmt.Errorf("%s: %w", path, err)
		}
		edits = append(edits, made...)
	}
	edits = append(edits, heirs(lines, gone)...)
	after, err := apply(data, edits)
	if err != nil {
		return nil, 0, fmt.Errorf("%s: %w", path, err)
	}
	if err := sameBut(path, data, after, t); err != nil {
		return nil, 0, fmt.Errorf("%s: %w (%w)", path, errEdit, err)
	}
	return after, serial, nil
}

// nextSerial gives the serial after one (RFC 1982): where it is written by date, that of today.
func nextSerial(serial uint32, now time.Time) uint32 {
	day := uint32(now.Year()*1000000 + int(now.Month())*10000 + now.Day()*100)
	if text := strconv.FormatUint(uint64(serial), 10); len(text) == 10 {
		date, err := time.Parse("20060102", text[:8])
		if err == nil && date.Year() >= 1990 && serial < day { // seconds since 1970 look like a date too
			return day
		}
	}
	if serial++; serial == 0 { // some take 0 for none
		serial = 1
	}
	return serial
}

// zoneLines reads the records of a zone file with their places, and the origin at its end.
func zoneLines(path string, data []byte, zone string) ([]zoneLine, zoneLine, error) {
	m := &master{ttls: map[masterKey]uint32{}, run: map[uint16]uint32{},
		most: func() int { return mostRecords }}
	f := masterFile{path: path, within: filepath.Base(path), origin: dns.Fqdn(zone)}
	lex := zoneLexer{data: data, line: 1, column: 1}
	if bytes.HasPrefix(data, []byte("\ufeff")) {
		lex.pos = len("\ufeff")
	}
	var all []zoneLine
	owner := ""
	for {
		entry, err := lex.next()
		if err != nil {
			return nil, zoneLine{}, fmt.Errorf("%s cannot be read at line %d", path, lex.at.line)
		}
		if entry == nil {
			return all, zoneLine{owner: owner, origin: f.origin}, nil
		}
		first := entry.tokens[0]
		if !entry.indented && !first.quoted && strings.HasPrefix(first.text, "$") {
			if d := strings.ToUpper(first.text); d != "$ORIGIN" && d != "$TTL" {
				return nil, zoneLine{}, fmt.Errorf("%s line %d: %s stands there: %w", path, first.line, d,
					errEdit)
			}
			if err := m.directive(&f, entry.tokens); err != nil {
				return nil, zoneLine{}, err
			}
			continue
		}
		had := len(m.records)
		if err := m.entry(f, entry); err != nil {
			return nil, zoneLine{}, err
		}
		if len(m.records) != had+1 {
			continue
		}
		l := zoneLine{rr: m.records[had], entry: entry, origin: f.origin, ttl: -1}
		h := l.rr.Header()
		l.key = record.Key{Name: strings.ToLower(strings.TrimSuffix(h.Name, ".")),
			Type: dns.TypeToString[h.Rrtype]}
		at := 0
		if !entry.indented {
			owner, at = string(data[first.from:first.to]), 1
		}
		l.owner = owner
		for ; at < len(entry.tokens); at++ {
			text := strings.ToUpper(entry.tokens[at].text)
			if text == "IN" {
				continue
			}
			if text != "" && text[0] >= '0' && text[0] <= '9' {
				l.ttl = at
				continue
			}
			break
		}
		l.typ = at
		all = append(all, l)
	}
}

// lineStyle is how the lines of a file are written.
type lineStyle struct{ gap, end string }

// editSet gives the edits that make a set what it is to be.
func editSet(lines []zoneLine, end zoneLine, c record.Change, style lineStyle,
	gone map[*zoneEntry]bool) ([]edit, error) {
	var edits []edit
	var after []string
	ttl := 0
	if c.After != nil {
		after, ttl = slices.Clone(c.After.Values), c.After.TTL
	}
	for i, v := range after {
		if full, err := record.Value(c.Type, v); err == nil {
			after[i] = full
		}
	}
	same := func(data string) int {
		return slices.IndexFunc(after, func(v string) bool {
			return record.Canonical(c.Type, v) == record.Canonical(c.Type, data)
		})
	}
	key := record.Key{Name: c.Name, Type: c.Type}
	var own []zoneLine
	for _, l := range lines {
		if l.key == key {
			own = append(own, l)
		}
	}
	var free []zoneLine // whose value goes
	for _, l := range own {
		if at := same(dataOf(l.rr)); at >= 0 {
			after = slices.Delete(after, at, at+1)
			edits = append(edits, l.withTTL(ttl)...)
			continue
		}
		free = append(free, l)
	}
	for len(free) > 0 && len(after) > 0 { // one takes the place of another
		l := free[0]
		first, last := l.entry.tokens[l.typ+1], l.entry.tokens[len(l.entry.tokens)-1]
		edits = append(edits, edit{first.from, last.to, after[0]})
		edits = append(edits, l.withTTL(ttl)...)
		free, after = free[1:], after[1:]
	}
	for _, l := range free {
		gone[l.entry] = true
		edits = append(edits, edit{l.entry.from, l.entry.to, ""})
	}
	if len(after) == 0 {
		return edits, nil
	}
	// new ones come behind the last line of their set, or of their name, or at the end
	at, near := -1, end // at the end
	for _, l := range lines {
		if l.key == key || l.key.Name == c.Name && (at < 0 || near.key != key) {
			at, near = l.entry.to, l
		}
	}
	var text strings.Builder
	for _, v := range after {
		text.WriteString(newLine(near, c, ttl, v, style))
	}
	return append(edits, edit{at, at, text.String()}), nil
}

// newLine writes a record as the lines around it are written.
func newLine(near zoneLine, c record.Change, ttl int, value string, style lineStyle) string {
	name := dns.Fqdn(c.Name)
	switch origin := strings.ToLower(near.origin); {
	case near.key.Name == c.Name && near.owner != "":
		name = near.owner
	case name == origin:
		name = "@"
	case strings.HasSuffix(name, "."+origin) && origin != ".":
		name = strings.TrimSuffix(name, "."+origin)
	}
	return strings.Join([]string{name, strconv.Itoa(ttl), "IN", c.Type, value}, style.gap) + style.end
}

// withTTL gives the edit after which a line has a TTL.
func (l zoneLine) withTTL(ttl int) []edit {
	if int(l.rr.Header().Ttl) == ttl {
		return nil
	}
	text := strconv.Itoa(ttl)
	if l.ttl >= 0 {
		t := l.entry.tokens[l.ttl]
		return []edit{{t.from, t.to, text}}
	}
	t := l.entry.tokens[l.typ]
	if l.typ > 0 && strings.EqualFold(l.entry.tokens[l.typ-1].text, "IN") &&
		(l.typ > 1 || l.entry.indented) {
		t = l.entry.tokens[l.typ-1]
	}
	return []edit{{t.from, t.from, text + " "}}
}

// heirs writes the owner into lines that had it from one that goes, and its TTL where they had that
// from there too.
func heirs(lines []zoneLine, gone map[*zoneEntry]bool) []edit {
	var edits []edit
	lost := false
	for _, l := range lines {
		if !l.entry.indented {
			lost = gone[l.entry]
			continue
		}
		if lost && !gone[l.entry] {
			first := l.entry.tokens[0].from
			start := l.entry.from
			edits = append(edits, edit{start, first,
				l.owner + strings.Repeat(" ", max(1, first-start-len(l.owner)))})
			lost = false
		}
	}
	return edits
}

// apply makes edits, which must not overlap, on a text.
func apply(data []byte, edits []edit) ([]byte, error) {
	for i := range edits {
		if edits[i].from < 0 {
			edits[i].from, edits[i].to = len(data), len(data)
		}
	}
	slices.SortStableFunc(edits, func(a, b edit) int {
		return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to))
	})
	var b bytes.Buffer
	at := 0
	for _, e := range edits {
		if e.from < at {
			return nil, errEdit
		}
		b.Write(data[at:e.from])
		if e.from == len(data) && e.by != "" && b.Len() > 0 && b.Bytes()[b.Len()-1] != '\n' {
			b.WriteByte('\n')
		}
		b.WriteString(e.by)
		at = e.to
	}
	b.Write(data[at:])
	return b.Bytes(), nil
}

// sameBut reports, as an error, where a changed zone file holds anything else than the one before
// with the changes: by the reader of this program, and by that of the DNS library where it reads
// the file.
func sameBut(path string, before, after []byte, t send.Transfer) error {
	own := func(data []byte) ([]dns.RR, error) {
		_, records, err := ZoneOf(path, data, t.Zone)
		return records, err
	}
	library := func(data []byte) ([]dns.RR, error) {
		p := dns.NewZoneParser(bytes.NewReader(data), dns.Fqdn(t.Zone), path)
		var all []dns.RR
		for rr, more := p.Next(); more; rr, more = p.Next() {
			all = append(all, rr)
		}
		return all, p.Err()
	}
	for i, read := range []func([]byte) ([]dns.RR, error){own, library} {
		was, err := read(before)
		if err != nil && i == 1 {
			continue
		}
		if err != nil {
			return err
		}
		is, err := read(after)
		if err != nil {
			return err
		}
		if err := differs(setsIn(was), setsIn(is), t); err != nil {
			return err
		}
	}
	return nil
}

func differs(was, is map[record.Key]record.Set, t send.Transfer) error {
	for _, c := range t.Changes {
		key := record.Key{Name: c.Name, Type: c.Type}
		delete(was, key)
		if c.After != nil {
			s := record.Set{Name: c.Name, Type: c.Type, TTL: c.After.TTL}
			for _, v := range c.After.Values {
				if full, err := record.Value(c.Type, v); err == nil {
					v = full
				}
				s.Values = append(s.Values, v)
			}
			was[key] = s
		}
	}
	for key, s := range was {
		now, there := is[key]
		if !there || key.Type != "SOA" && (now.TTL != s.TTL ||
			!record.SameValues(inOneForm(now), inOneForm(s))) {
			return fmt.Errorf("%s %s would not be as planned", key.Name, key.Type)
		}
		delete(is, key)
	}
	for key := range is {
		return fmt.Errorf("%s %s would be there", key.Name, key.Type)
	}
	return nil
}

// inOneForm gives the values of a set in the form in which they are compared.
func inOneForm(s record.Set) []string {
	values := make([]string, len(s.Values))
	for i, v := range s.Values {
		values[i] = record.Canonical(s.Type, v)
	}
	return values
}

var errLocked = fmt.Errorf("somebody else is changing it just now: %w", fs.ErrExist)
