package files

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/klauspost/compress/zstd"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// OldURLs reads old URLs from files of others: sitemaps and feeds, access logs, tables, lists,
// records of a browser (HAR).
type OldURLs struct {
	To     old.Sink
	Door   web.Door // whose paths they are, where a file names no host; the zero value: nobody's
	URL    string   // the column of tables with addresses; "": one of the usual names
	Weight string   // the column with the weight; "": one of the usual names
	Read   func(int64)
	Stop   func() error // an error ends the reading

	Maps []string // sitemaps that an index named, in order
}

// Bounds of what is read.
const (
	mostLogLine  = 64 << 10
	mostUnpacked = 64 << 30 // octets that a compressed file may hold
	mostSheet    = 256 << 20
	mostSitemaps = 50_000
	mostHAR      = 1 << 30
	mostXMLName  = 64 << 10
)

var errBomb = fmt.Errorf("it unpacks to more than %d GiB", mostUnpacked>>30)

// Add reads a file as what it is. The error is a problem.List, or that of Stop.
func (o *OldURLs) Add(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return problem.List{unreadable(path, err)}
	}
	defer f.Close()
	if strings.EqualFold(filepath.Ext(path), ".xlsx") {
		return o.workbook(path)
	}
	return o.AddFrom(filepath.Base(path), path, f)
}

// AddFrom does the same with what a reader gives. name is what the source is called, path what
// errors name.
func (o *OldURLs) AddFrom(name, path string, from io.Reader) error {
	counted := &countingReader{from: from, read: o.Read}
	plain, closes, err := unpacked(counted)
	if err != nil {
		return problem.List{
			{File: path, Says: "it cannot be unpacked: " + err.Error(),
				Expected: "gzip or zstd as it was made"},
		}
	}
	defer closes()
	r := bufio.NewReaderSize(plain, 256<<10)
	head, _ := r.Peek(4 << 10)
	switch {
	case bytes.HasPrefix(head, []byte("\xff\xfe")), bytes.HasPrefix(head, []byte("\xfe\xff")):
		r = bufio.NewReaderSize(
			transform.NewReader(r, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder()),
			64<<10,
		)
		head, _ = r.Peek(4 << 10)
	case bytes.HasPrefix(head, []byte("\xef\xbb\xbf")):
		_, _ = r.Discard(3)
		head = head[3:]
	}
	start := bytes.TrimLeft(head, " \t\r\n")
	for _, kind := range oldForms {
		if kind.fits(start) {
			return kind.read(o, name, path, r)
		}
	}
	return o.list(name, path, r)
}

// oldForms is the table of what a text can be beside a list: a new form is a file and a row. The
// first that fits its beginning is meant.
var oldForms = []struct {
	fits func(start []byte) bool
	read func(o *OldURLs, name, path string, r *bufio.Reader) error
}{
	{isMarkup, (*OldURLs).markup},
	{isHAR, (*OldURLs).har},
	{isLog, (*OldURLs).log},
	{isTable, (*OldURLs).table},
}

// countingReader tells how much was read.
type countingReader struct {
	from io.Reader
	read func(int64)
}

func (c *countingReader) Read(p []byte) (int, error) {
	n, err := c.from.Read(p)
	if c.read != nil {
		c.read(int64(n))
	}
	return n, err
}

// unpacked gives what a stream holds, unpacked where it is compressed.
func unpacked(from io.Reader) (io.Reader, func(), error) {
	r := bufio.NewReaderSize(from, 64<<10)
	head, _ := r.Peek(4)
	switch {
	case bytes.HasPrefix(head, []byte("\x1f\x8b")):
		z, err := gzip.NewReader(r)
		if err != nil {
			return nil, nil, err
		}
		return &bounded{from: z}, func() { _ = z.Close() }, nil
	case bytes.Equal(head, []byte("\x28\xb5\x2f\xfd")):
		z, err := zstd.NewReader(r, zstd.WithDecoderMaxMemory(256<<20), zstd.WithDecoderConcurrency(1))
		if err != nil {
			return nil, nil, err
		}
		return &bounded{from: z}, z.Close, nil
	}
	return r, func() {}, nil
}

// bounded ends a stream that unpacks to more than anybody keeps.
type bounded struct {
	from io.Reader
	read int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.from.Read(p)
	if b.read += int64(n); b.read > mostUnpacked {
		return 0, errBomb
	}
	return n, err
}

// lines calls a function with every line without its end. One that is too long is handed over cut,
// and said to be.
func (o *OldURLs) lines(path string, r *bufio.Reader, each func(line []byte, long bool)) error {
	var whole []byte
	for n := 0; ; n++ {
		if n%4096 == 0 && o.Stop != nil {
			if err := o.Stop(); err != nil {
				return err
			}
		}
		part, err := r.ReadSlice('\n')
		line, long := part, false
		if errors.Is(err, bufio.ErrBufferFull) {
			whole = append(whole[:0], part[:min(len(part), mostLogLine)]...)
			for errors.Is(err, bufio.ErrBufferFull) {
				_, err = r.ReadSlice('\n')
				if o.Stop != nil && o.Stop() != nil {
					return o.Stop()
				}
			}
			line, long = whole, true
		}
		line = bytes.TrimRight(line, "\r\n")
		if len(line) > mostLogLine {
			line, long = line[:mostLogLine], true
		}
		if len(bytes.TrimSpace(line)) > 0 {
			each(line, long)
		}
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return problem.List{{File: path, Says: "it cannot be read to its end: " + err.Error(),
				Expected: "the file as it was made", Remedy: "fetch it again"}}
		}
	}
}

// whole gives an address as a whole URL: a path is one of the door.
func (o *OldURLs) whole(buffer, address []byte) []byte {
	if len(address) > 0 && address[0] == '/' && !bytes.HasPrefix(address, []byte("//")) &&
		!o.Door.IsZero() {
		buffer = append(buffer[:0], o.Door.String()...)
		return append(buffer, address...)
	}
	if bytes.HasPrefix(address, []byte("//")) {
		return append(append(buffer[:0], "http:"...), address...)
	}
	return append(buffer[:0], address...)
}

// list reads a URL or a path a line.
func (o *OldURLs) list(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	var buffer []byte
	return o.lines(path, r, func(line []byte, long bool) {
		line = bytes.TrimSpace(line)
		switch {
		case line[0] == '#':
		case long:
			s.Leave(old.TooLong, string(line))
		default:
			buffer = o.whole(buffer, schemed(line))
			o.To.Add(s, old.Seen{URL: buffer})
		}
	})
}

// schemed adds http where an address begins with a host.
func schemed(address []byte) []byte {
	if bytes.Contains(address, []byte("://")) || bytes.HasPrefix(address, []byte("/")) ||
		!bytes.Contains(bytes.SplitN(address, []byte("/"), 2)[0], []byte(".")) {
		return address
	}
	return append([]byte("http://"), address...)
}

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

// The names that columns of exports commonly have.
var (
	urlNames = []string{"url", "address", "old", "old url", "page", "link", "uri", "location",
		"landing page", "page path",
		"page url", "top pages", "target url", "destination url", "source url",
		"page path and screen class", "adresse",
		"seite", "loc", "path", "href"}
	statusNames = []string{"status", "status code", "statuscode", "http status", "http status code",
		"response code"}
	weightNames = []string{"weight", "visits", "hits", "clicks", "sessions", "views", "pageviews",
		"page views", "traffic",
		"users", "entrances", "backlinks", "referring domains", "inlinks", "unique inlinks",
		"impressions", "besuche"}
)

// mark gives the separator that a line of a table has; 0 where it is none.
func mark(line []byte) rune {
	for _, m := range []rune{'\t', ';', ',', '|'} {
		if bytes.ContainsRune(line, m) {
			return m
		}
	}
	return 0
}

// isTable reports whether a text begins with the head of a table: several columns, none of which is
// an address, or one column with a usual name.
func isTable(head []byte) bool {
	line, _, _ := bytes.Cut(head, []byte("\n"))
	line = bytes.TrimSpace(line)
	if bytes.Contains(line, []byte("://")) || bytes.HasPrefix(line, []byte("/")) || len(line) > 4000 {
		return false
	}
	return mark(line) != 0 ||
		slices.Contains(urlNames, strings.ToLower(strings.Trim(string(line), `"`)))
}

// table reads a CSV file with a head.
func (o *OldURLs) table(name, path string, r *bufio.Reader) error {
	head, _ := r.Peek(mostHead)
	line, _, _ := bytes.Cut(head, []byte("\n"))
	var from io.Reader = r
	if !validUTF8(head) { // what is no UTF-8 is what old programs write
		from = transform.NewReader(r, charmap.Windows1252.NewDecoder())
	}
	part := &checked{from: from, stop: o.Stop}
	c := csv.NewReader(part)
	c.Comma, c.Comment, c.FieldsPerRecord, c.LazyQuotes, c.ReuseRecord = mark(line), '#', -1, true,
		true
	if c.Comma == 0 {
		c.Comma = ','
	}
	first, err := c.Read()
	if err != nil {
		return problem.List{
			{File: path, Line: 1, Says: "this is no table: " + err.Error(),
				Expected: "a first line with columns"},
		}
	}
	t, err := o.columns(name, path, slices.Clone(first))
	if err != nil {
		return err
	}
	for n := 0; ; n++ {
		record, err := c.Read()
		part.ended()
		var parse *csv.ParseError
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil && o.Stop != nil && o.Stop() != nil:
			return o.Stop()
		case errors.As(err, &parse):
			t.source.Leave(old.Unreadable, strings.Join(record, ","))
			continue
		case err != nil:
			return problem.List{
				{File: path, Line: n + 2, Says: "it cannot be read to its end: " + err.Error(),
					Expected: "the file as it was made"}}
		}
		t.row(record)
	}
}

// mostHead is how much of a text is looked at to find out what it is.
const mostHead = 64 << 10

// validUTF8 reports whether the beginning of a text is UTF-8; where there is more, its last
// character may be cut.
func validUTF8(head []byte) bool {
	if len(head) == mostHead {
		head = head[:len(head)-utf8.UTFMax]
	}
	return utf8.Valid(head)
}

// sheet is a table that is being read.
type sheet struct {
	of          *OldURLs
	source      *old.Source
	url, weight int
	status      int
	note        int
	method      int
	more        []int
	buffer      []byte
	values      []string
}

// columns finds the columns of a table.
func (o *OldURLs) columns(name, path string, head []string) (*sheet, error) {
	lower := make([]string, len(head))
	for i, h := range head {
		head[i] = strings.TrimSpace(strings.TrimPrefix(h, "\ufeff"))
		lower[i] = strings.ToLower(head[i])
	}
	find := func(named string, usual []string) int {
		if named != "" {
			return slices.Index(lower, strings.ToLower(named))
		}
		for _, u := range usual {
			if at := slices.Index(lower, u); at >= 0 {
				return at
			}
		}
		return -1
	}
	t := &sheet{of: o, url: find(o.URL, urlNames), weight: find(o.Weight, weightNames),
		status: find("", statusNames),
		note:   slices.Index(lower, "note"), method: slices.Index(lower, "method")}
	if t.url < 0 {
		p := problem.Problem{
			File:     path,
			Line:     1,
			Says:     "no column is known to hold addresses",
			Value:    strings.Join(head, ","),
			Expected: "one that is called url, address, page or the like",
			Remedy:   "name it with --url",
		}
		if o.URL != "" {
			p.Says, p.Remedy = "there is no column "+o.URL, "name one of these"
			p.Expected = "--url with one of its columns"
		}
		return nil, problem.List{p}
	}
	if o.Weight != "" && t.weight < 0 {
		return nil,
			problem.List{{File: path, Line: 1, Says: "there is no column " + o.Weight,
				Value:    strings.Join(head, ","),
				Expected: "--weight with one of its columns"}}
	}
	var more []string
	for i, h := range head {
		own := slices.Contains([]string{"url", "weight", "source", "method", "note"}, lower[i])
		if i != t.url && i != t.weight && i != t.status && h != "" && !own && !slices.Contains(more, h) {
			t.more, more = append(t.more, i), append(more, h)
		}
	}
	t.source = o.To.Begin(name, more...)
	return t, nil
}

// row takes in a row.
func (t *sheet) row(fields []string) {
	at := func(i int) string {
		if i < 0 || i >= len(fields) {
			return ""
		}
		return strings.TrimSpace(fields[i])
	}
	address := at(t.url)
	if address == "" {
		t.source.Leave(old.NoURL, strings.Join(fields, ","))
		return
	}
	t.values = t.values[:0]
	for _, i := range t.more {
		t.values = append(t.values, strings.Clone(at(i)))
	}
	t.buffer = t.of.whole(t.buffer, schemed([]byte(address)))
	status, _ := strconv.Atoi(at(t.status)) // a column of words says nothing
	weight, known := weightOf(at(t.weight))
	if !known {
		t.source.Unweighed(at(t.weight))
	}
	t.of.To.Add(t.source, old.Seen{URL: t.buffer, Weight: weight, Note: strings.Clone(at(t.note)),
		Method: []byte(at(t.method)), Status: status, More: t.values})
}

// What stands between thousands, and how numbers are written: whole or grouped, a fraction, a power
// of ten or a letter for thousands, millions, thousands of millions.
var (
	betweenThousands = strings.NewReplacer(" ", "", "\u00a0", "", "\u202f", "", "'", "", "\u2019", "",
		"_", "")
	marksOfNumbers = strings.NewReplacer(".", "", ",", "")
	plainNumber    = regexp.MustCompile(
		`^\+?([1-9]\d{0,2}(?:[.,]\d{2,3})*[.,]\d{3}|\d+)(?:[.,]\d+)?$`)
	shortNumber = regexp.MustCompile(`^\+?(\d+(?:[.,]\d+)?)(?:[eE]\+?(\d{1,2}))?([kKmMbB]?)$`)
	noNumber    = []string{"-", "\u2013", "\u2014", "n/a", "na", "null", "none"}
)

// weightOf reads a number as tables write it: with marks between thousands, a fraction, 12.5k or
// 1e5. It is false where that is none, or larger than anybody counts.
func weightOf(s string) (int64, bool) {
	if n, err := strconv.ParseInt(s, 10, 64); err == nil && n <= old.MostWeight {
		return max(0, n), true
	}
	s = betweenThousands.Replace(s)
	if s == "" || slices.Contains(noNumber, strings.ToLower(s)) {
		return 0, true
	}
	if minus, is := strings.CutPrefix(s, "-"); is && !strings.HasPrefix(minus, "-") {
		_, known := weightOf(minus)
		return 0, known
	}
	var value float64
	if m := plainNumber.FindStringSubmatch(s); m != nil {
		value, _ = strconv.ParseFloat(marksOfNumbers.Replace(m[1]), 64)
	} else if m := shortNumber.FindStringSubmatch(s); m != nil {
		value, _ = strconv.ParseFloat(strings.Replace(m[1], ",", ".", 1), 64)
		power, _ := strconv.Atoi(m[2])
		value *= math.Pow10(power + map[string]int{"k": 3, "m": 6, "b": 9}[strings.ToLower(m[3])])
	} else {
		return 0, false
	}
	if value > old.MostWeight {
		return 0, false
	}
	return int64(value + 1e-6), true
}

// workbook reads the first sheet of a workbook that has a column with addresses.
func (o *OldURLs) workbook(path string) error {
	f,
		err := excelize.OpenFile(path,
		excelize.Options{UnzipSizeLimit: mostSheet, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return problem.List{
			{File: path, Says: "it cannot be read as a workbook: " + err.Error(),
				Expected: "an XLSX file of at " +
					"most 256 MiB unpacked", Remedy: "export it as CSV"},
		}
	}
	defer f.Close()
	var failed error
	for _, name := range f.GetSheetList() {
		rows, err := f.Rows(name)
		if err != nil {
			continue
		}
		var t *sheet
		for rows.Next() {
			if o.Stop != nil {
				if err := o.Stop(); err != nil {
					return err
				}
			}
			fields, err := rows.Columns()
			if err != nil {
				return problem.List{{File: path, Says: "the sheet " + name + " cannot be read: " + err.Error()}}
			}
			switch {
			case len(fields) == 0:
			case t == nil:
				if t, err = o.columns(filepath.Base(path), path, fields); err != nil {
					failed = err
				}
			default:
				t.row(fields)
			}
			if t == nil && failed != nil {
				break
			}
		}
		_ = rows.Close()
		if t != nil {
			return nil
		}
	}
	if failed == nil {
		failed = problem.List{
			{File: path, Says: "there is nothing in it", Expected: "a sheet with a column of addresses"}}
	}
	return failed
}

// markup reads a sitemap, an index of sitemaps, or a feed (sitemaps.org; RSS 2.0; RFC 4287). What
// an index names is in Maps.
func (o *OldURLs) markup(name, path string, r *bufio.Reader) error {
	m := markup{of: o, source: o.To.Begin(name)}
	from := &checked{from: r, stop: o.Stop}
	d := xml.NewDecoder(from) // an entity that XML does not know is an error, and none is unfolded
	for {
		token, err := d.Token()
		from.ended()
		line, column := d.InputPos()
		switch {
		case errors.Is(err, io.EOF) && m.known:
			return nil
		case err != nil:
			if o.Stop != nil && o.Stop() != nil {
				return o.Stop()
			}
			return problem.List{
				{File: path, Line: line, Column: column, Says: "this is no sitemap and no feed that can be " +
					"read: " + err.Error(), Expected: "XML with <urlset>, <sitemapindex>, <rss> or <feed>"}}
		}
		switch t := token.(type) {
		case xml.StartElement:
			if m.open(t); len(m.in) > mostNested {
				return problem.List{
					{File: path, Line: line, Says: fmt.Sprintf("its elements lie more than %d deep", mostNested)}}
			}
		case xml.CharData:
			if len(m.text) < mostXMLName {
				m.text = append(m.text, t...)
			}
		case xml.EndElement:
			m.close(t.Name.Local)
		}
	}
}

// mostNested is how deep elements may lie in each other.
const mostNested = 100

// markup is a sitemap or a feed that is being read.
type markup struct {
	of           *OldURLs
	source       *old.Source
	in           []string // the elements around
	reading      string   // the element whose text it is
	text         []byte
	index, known bool
}

func (m *markup) open(t xml.StartElement) {
	name := t.Name.Local
	m.in = append(m.in, name)
	m.known = m.known ||
		slices.Contains([]string{"urlset", "sitemapindex", "rss", "feed", "RDF"}, name)
	m.index = m.index || name == "sitemapindex"
	m.reading, m.text = name, m.text[:0]
	if name != "link" || !slices.Contains(m.in, "entry") {
		return
	}
	for _, a := range t.Attr {
		if a.Name.Local == "href" {
			m.of.To.Add(m.source, old.Seen{URL: []byte(strings.TrimSpace(a.Value))})
		}
	}
}

func (m *markup) close(name string) {
	address := bytes.TrimSpace(m.text)
	item := slices.Contains(m.in, "item") || slices.Contains(m.in, "url")
	switch {
	case m.reading != name || len(address) == 0:
	case name == "loc" && m.index:
		if len(m.of.Maps) < mostSitemaps {
			m.of.Maps = append(m.of.Maps, string(address))
		}
	case item && (name == "loc" || name == "link") && m.in[max(0, len(m.in)-2)] != "image":
		m.of.To.Add(m.source, old.Seen{URL: address})
	}
	m.reading, m.in = "", m.in[:max(0, len(m.in)-1)]
}

// checked ends a stream where somebody wants it to end, and where a part of it has no end: its
// reader would keep all of that part.
type checked struct {
	from  io.Reader
	stop  func() error
	since int // octets since the last part ended
}

// mostPart is how long a record, an element or an object may be, in octets.
const mostPart = 32 << 20

var errNoEnd = fmt.Errorf("a part of it is longer than %d MiB", mostPart>>20)

func (c *checked) Read(p []byte) (int, error) {
	if c.stop != nil {
		if err := c.stop(); err != nil {
			return 0, err
		}
	}
	if c.since > mostPart {
		return 0, errNoEnd
	}
	n, err := c.from.Read(p)
	c.since += n
	return n, err
}

// ended says that a part has come to its end.
func (c *checked) ended() { c.since = 0 }

// har reads what a browser recorded (HTTP Archive 1.2): the pages of log.entries, entry by entry.
func (o *OldURLs) har(name, path string, r *bufio.Reader) error {
	s := o.To.Begin(name)
	from := &checked{from: r, stop: o.Stop}
	d := json.NewDecoder(io.LimitReader(from, mostHAR))
	wrong := func(err error) error {
		if o.Stop != nil && o.Stop() != nil {
			return o.Stop()
		}
		return problem.List{
			{File: path, Says: "it cannot be read as a record of a browser: " + err.Error(),
				Expected: "HAR: JSON with log.entries"}}
	}
	if err := seek(d, "log"); err != nil {
		return wrong(err)
	}
	if err := seek(d, "entries"); err != nil {
		return wrong(err)
	}
	if _, err := d.Token(); err != nil { // [
		return wrong(err)
	}
	for d.More() {
		var e struct {
			Request struct {
				Method string `json:"method"`
				URL    string `json:"url"`
			} `json:"request"`
			Response struct {
				Status int `json:"status"`
			} `json:"response"`
		}
		if err := d.Decode(&e); err != nil {
			return wrong(err)
		}
		from.ended()
		o.To.Add(
			s,
			old.Seen{URL: []byte(e.Request.URL), Method: []byte(e.Request.Method), Status: e.Response.Status,
				Weight: 1},
		)
	}
	return nil
}

// seek reads until the value of a field of the object that comes next.
func seek(d *json.Decoder, field string) error {
	t, err := d.Token()
	if err != nil {
		return err
	}
	if t != json.Delim('{') {
		return errors.New("no object stands where one has to")
	}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return err
		}
		if name == field {
			return nil
		}
		var skipped json.RawMessage
		if err := d.Decode(&skipped); err != nil {
			return err
		}
	}
	return fmt.Errorf("there is no field %q", field)
}

// isMarkup reports whether a text is a sitemap or a feed.
func isMarkup(start []byte) bool { return bytes.HasPrefix(start, []byte("<")) }

// isHAR reports whether a text is what a browser recorded.
func isHAR(start []byte) bool { return bytes.HasPrefix(start, []byte("{")) }
