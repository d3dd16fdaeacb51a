package files

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// Bounds of zone files. A line of a few octets can stand for as many records as it likes; so few
// are allowed whatever the file, and more where there are octets enough to hold them.
const (
	mostRecords  = 1_000_000
	fewRecords   = 50_000
	leastRecord  = 8     // octets of a record
	mostIncluded = 1_000 // files
)

// counted is a folder from which only so many files are included.
type counted struct {
	fs.FS
	files, octets int
}

func (c *counted) Open(name string) (fs.File, error) {
	if c.files++; c.files > mostIncluded {
		return nil, fmt.Errorf("more than %d files are included", mostIncluded)
	}
	f, err := c.FS.Open(name)
	if err != nil {
		return nil, err
	}
	if s, err := f.Stat(); err == nil && s.Mode().IsRegular() {
		c.octets += int(min(s.Size(), 1<<30))
	}
	return f, nil
}

// read gives an included file.
func (c *counted) read(name string) ([]byte, error) {
	f, err := c.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if s, err := f.Stat(); err != nil || !s.Mode().IsRegular() {
		return nil, fs.ErrInvalid
	}
	data, err := io.ReadAll(io.LimitReader(f, MostTable+1))
	if err == nil && len(data) > MostTable {
		err = fs.ErrInvalid
	}
	return data, err
}

// ReadZone reads a zone file (RFC 1035 section 5): $ORIGIN and $TTL are understood, $INCLUDE within
// the file's own folder only. The origin is the zone's name, and may be empty where the file sets
// $ORIGIN or a SOA with a full name. It returns the zone's name, that of its SOA, and its records.
// A file without SOA is a list of records, such as some providers export: it is of the zone that
// the origin names. A byte-order mark is passed over. The error is a problem.List.
func ReadZone(path, origin string) (string, []dns.RR, error) {
	data, err := Read(path, MostTable)
	if err != nil {
		return "", nil, problem.List{unreadable(path, err)}
	}
	root, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return "", nil, problem.List{unreadable(path, err)}
	}
	defer root.Close()
	return zoneOf(path, data, origin, root.FS())
}

// ZoneOf reads the text of a zone file as ReadZone does, but takes no other file in. path is for
// faults alone.
func ZoneOf(path string, data []byte, origin string) (string, []dns.RR, error) {
	return zoneOf(path, data, origin, nil)
}

func zoneOf(path string, data []byte, origin string, folder fs.FS) (string, []dns.RR, error) {
	if origin != "" {
		origin = dns.Fqdn(origin)
	}
	m := &master{ttls: map[masterKey]uint32{}, run: map[uint16]uint32{}}
	octets := len(data)
	if folder != nil {
		m.folder = &counted{FS: folder}
	}
	m.most = func() int {
		if m.folder != nil {
			return min(mostRecords, fewRecords+(octets+m.folder.octets)/leastRecord)
		}
		return min(mostRecords, fewRecords+octets/leastRecord)
	}
	f := masterFile{path: path, within: filepath.Base(path), origin: origin}
	if err := m.read(f, bytes.TrimPrefix(data, []byte("\ufeff"))); err != nil {
		return "", nil, err
	}
	m.oneTTL()
	zone := strings.ToLower(strings.TrimSuffix(m.zone, "."))
	if zone != "" {
		return zone, m.records, nil
	}
	zone = strings.ToLower(strings.TrimSuffix(origin, "."))
	if zone == "" || len(m.records) == 0 {
		return "", nil, problem.List{
			{File: path, Fault: fact.ZoneWithoutSOA{}},
		}
	}
	return zone, m.records, nil
}

var zonePlace = regexp.MustCompile(`at line: (\d+):(\d+)$`)

// ZoneText gives records as a standard zone file that real name servers load: the SOA first, in
// canonical order, every name in full, a record a line, so that two can be compared line by line.
// what says in the first line which state of the zone it is. What no name server would load beside
// an alias stands there as a comment. What is not known of the zone stands in comments that
// ZoneMarks reads.
func ZoneText(zone string, sets []record.Set, what string, marks Marks) ([]byte, error) {
	if _, ok := record.Find(sets, zone, "SOA"); !ok {
		return nil,
			fmt.Errorf("%s: nobody showed the SOA record; no name server loads a zone without it", zone)
	}
	sets = slices.Clone(sets)
	record.Sort(sets)
	var b bytes.Buffer
	fmt.Fprintf(&b, "; The zone %s %s.\n", zone, what)
	if marks.Partial {
		fmt.Fprintln(&b,
			partialMark+" made by asking for common names; other records may be missing.")
	}
	if marks.Remaining {
		fmt.Fprintln(&b, remainingMark+" seen through a resolver; the zone's own TTLs may be longer.")
	}
	if len(marks.Notes)+len(marks.Beside) > 0 {
		fmt.Fprintln(&b, throughMark+" records marked \"through\" have to go through that network; "+
			"imported plainly they lead nowhere.")
	}
	for _, line := range marks.Beside {
		fmt.Fprintf(&b, "%s %s\n", throughMark, oneLine(line))
	}
	for _, m := range marks.Missed {
		fmt.Fprintf(&b, "%s %s %s %s: %s\n", missedMark, m.Name, m.Type, oneLine(m.By), oneLine(m.Why))
	}
	aliases := map[string]bool{}
	for _, s := range sets {
		aliases[s.Name] = aliases[s.Name] || s.Type == "CNAME" && s.Name != zone
	}
	for _, s := range sets {
		for i, v := range s.Values {
			comment := ""
			if !loads(zone, s, i, aliases[s.Name]) {
				comment = "; beside others, where no name server loads it: "
			}
			// no name server shows such data; it would be a line of its own here
			if strings.ContainsAny(v, "\r\n") {
				v, comment = problem.Clean(v), "; no name server reads it: "
			} else if !reads(s.Type, dataText(s.Type, v)) {
				comment = "; no name server reads it: " // its data is malformed
			}
			kind, data := typeText(s.Type, v)
			note := ""
			if n := marks.Notes[record.Key{Name: s.Name, Type: s.Type}]; n != "" {
				note = " ; " + oneLine(n)
			}
			fmt.Fprintf(&b, "%s%s.\t%d\tIN\t%s\t%s%s\n", comment, nameText(s.Name), s.TTL, kind, data, note)
		}
	}
	return b.Bytes(), nil
}

// reads reports whether data is of its type.
func reads(kind, data string) bool {
	code, ok := typeCode(kind)
	lex := zoneLexer{data: []byte(data + "\n"), line: 1, column: 1, indented: true}
	entry, err := lex.next()
	if !ok || err != nil {
		return false
	}
	var words []zoneToken
	if entry != nil {
		words = entry.tokens
	}
	_, _, err = recordOf(".", ".", code, words)
	return err == nil
}

// nameText writes a name as every server reads it, at the start of a line too. What is no letter,
// digit, hyphen or underscore stands there as its number (RFC 1035 section 5.1): some of it begins
// a directive or a comment, and behind a backslash alone "[" is a label of another type (RFC 2673).
// name holds escapes already.
func nameText(name string) string {
	var b strings.Builder
	for i := 0; i < len(name); i++ {
		c, escaped := name[i], false
		if c == '\\' && i+1 < len(name) {
			if i++; name[i] >= '0' && name[i] <= '9' && i+2 < len(name) {
				b.WriteString(name[i-1 : i+3])
				i += 2
				continue
			}
			c, escaped = name[i], true
		}
		letter := c|0x20 >= 'a' && c|0x20 <= 'z' || c >= '0' && c <= '9' ||
			strings.IndexByte("-_*", c) >= 0
		if letter || c == '.' && !escaped {
			b.WriteByte(c)
			continue
		}
		fmt.Fprintf(&b, `\%03d`, c)
	}
	return b.String()
}

// What begins the comments that say what is not known of a zone.
const (
	partialMark   = "; PARTIAL:"
	remainingMark = "; REMAINING TTLS:"
	missedMark    = "; UNSEEN:"
	throughMark   = "; THROUGH THE NETWORK:"
)

// Marks is what is not known of a zone.
type Marks struct {
	Partial   bool            // it was asked about name by name
	Remaining bool            // its TTLs are what resolvers had left of them
	Missed    []survey.Missed // what nobody answered about
	// what has to be known of a set before somebody imports it, by name and type
	Notes map[record.Key]string
	// records that no zone file can hold, a line each
	Beside []string
}

// oneLine keeps a text on its comment line.
func oneLine(s string) string { return problem.Clean(s) }

// ZoneMarks reads from a zone file that ZoneText made what is not known of the zone. A file of
// somebody else's has no such marks.
func ZoneMarks(path string) Marks {
	var m Marks
	data, err := Read(path, MostTable)
	if err != nil {
		return m
	}
	for line := range strings.Lines(string(data)) {
		line = strings.TrimRight(line, "\r\n")
		if !strings.HasPrefix(line, ";") {
			break // marks stand above all records
		}
		m.Partial = m.Partial || strings.HasPrefix(line, partialMark)
		m.Remaining = m.Remaining || strings.HasPrefix(line, remainingMark)
		if rest, is := strings.CutPrefix(line, missedMark+" "); is {
			if f := strings.SplitN(rest, " ", 3); len(f) == 3 {
				by, why, _ := strings.Cut(f[2], ": ")
				m.Missed = append(m.Missed, survey.Missed{Name: f[0], Type: f[1], By: by, Why: why})
			}
		}
	}
	return m
}

// byName are the types that every server knows by name.
var byName = strings.Fields(
	"A AAAA AFSDB CAA CDNSKEY CDS CERT CNAME CSYNC DHCID DNAME DNSKEY DS EUI48 EUI64 HINFO HTTPS " +
		"KX L32 L64 " +
		"LOC LP MINFO MX NAPTR NID NS NSEC NSEC3 NSEC3PARAM OPENPGPKEY PTR " +
		"RP RRSIG RT SMIMEA SOA SPF SRV SSHFP SVCB TLSA TXT URI ZONEMD",
)

// typeText writes a record's type and data. A type that some server does not know by name stands
// there in the form for types that nobody knows (RFC 3597 section 5).
func typeText(kind, value string) (string, string) {
	data := dataText(kind, value)
	if slices.Contains(byName, kind) || strings.HasPrefix(kind, "TYPE") {
		return kind, data
	}
	rr, err := dns.NewRR(fmt.Sprintf(". 0 IN %s %s", kind, data))
	general := new(dns.RFC3597)
	if err != nil || rr == nil || general.ToRFC3597(rr) != nil {
		return kind, data
	}
	return fmt.Sprintf("TYPE%d", rr.Header().Rrtype),
		fmt.Sprintf(`\# %d %s`, len(general.Rdata)/2, general.Rdata)
}

// dataText writes a record's data with its names as nameText writes them, and its parameters as
// every server reads them.
func dataText(kind, value string) string {
	names := record.NamesAt(kind)
	if len(names) == 0 {
		return value
	}
	fields := fieldsOf(value)
	if kind == "HTTPS" || kind == "SVCB" {
		for i := range fields {
			fields[i] = paramText(fields[i])
		}
	}
	for _, i := range names {
		if i < 0 {
			i += len(fields)
		}
		if i >= 0 && i < len(fields) {
			fields[i] = nameText(fields[i])
		}
	}
	return strings.Join(fields, " ")
}

// younger are parameters of HTTPS and SVCB that servers of some years ago know by number only (RFC
// 9461, RFC 9540).
var younger = [][2]string{{"dohpath", "key7"}, {"ohttp", "key8"}}

// paramNames are the names of the parameters that have one, by number (RFC 9460 section 14.3.2).
var paramNames = []string{
	"mandatory", "alpn", "no-default-alpn", "port", "ipv4hint", "ech", "ipv6hint", "dohpath", "ohttp",
}

// paramText writes a parameter of an HTTPS or SVCB record: one without a value stands alone (RFC
// 9460 section 7.1.1).
func paramText(s string) string {
	name, value, _ := strings.Cut(s, "=")
	if name == "mandatory" {
		list := strings.Split(strings.Trim(value, `"`), ",")
		for i := range list {
			list[i] = youngerNumber(list[i])
		}
		return name + "=" + strings.Join(list, ",")
	}
	if value == "" || value == `""` {
		return youngerNumber(name)
	}
	return youngerNumber(name) + "=" + value
}

func youngerNumber(name string) string {
	for _, y := range younger {
		if name == y[0] {
			return y[1]
		}
	}
	return name
}

// fieldsOf takes data apart at its spaces, but for those in quotes or behind a backslash.
func fieldsOf(value string) []string {
	var fields []string
	start, quoted := 0, false
	for i := 0; i < len(value); i++ {
		switch c := value[i]; {
		case c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case c == ' ' && !quoted:
			fields = append(fields, value[start:i])
			start = i + 1
		}
	}
	return append(fields, value[start:])
}

// loads reports whether name servers load a value beside the others of its name: an alias stands
// alone, once, and never at the apex (RFC 1034 section 3.6.2); only what signs it may stand beside
// it (RFC 4034 section 2.5).
func loads(zone string, s record.Set, value int, besideAlias bool) bool {
	if s.Type == "CNAME" {
		return s.Name != zone && value == 0
	}
	return !besideAlias || record.BesideAlias(s.Type) || s.Type == "TYPE30" // NXT
}
