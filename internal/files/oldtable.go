package files

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"math"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/transform"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
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
			{File: path, Line: 1, Fault: fact.NotTable{Why: err.Error()}},
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
				{File: path, Line: n + 2, Fault: fact.TableCut{Why: err.Error()}}}
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
		p := problem.Problem{File: path, Line: 1, Value: strings.Join(head, ","),
			Fault: fact.NoURLColumn{}}
		if o.URL != "" {
			p.Fault = fact.ColumnNotThere{Column: o.URL}
		}
		return nil, problem.List{p}
	}
	if o.Weight != "" && t.weight < 0 {
		return nil,
			problem.List{{File: path, Line: 1, Value: strings.Join(head, ","),
				Fault: fact.NoWeightColumn{Column: o.Weight}}}
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
			{File: path, Fault: fact.NotWorkbook{Why: err.Error()}},
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
				return problem.List{{File: path, Fault: fact.SheetUnread{Sheet: name, Why: err.Error()}}}
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
			{File: path, Fault: fact.WorkbookEmpty{}}}
	}
	return failed
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
