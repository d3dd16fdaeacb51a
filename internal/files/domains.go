package files

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// ListedDomain is a line of a list of domains.
type ListedDomain struct {
	Name      web.Host
	Renews    string // a date as the estate file has it; "" where nobody says
	Asks      string // the date as the list has it, where it could be one of two
	Registrar string
	RecordsAt string
	Carrier   string
	Wave      int // 0: nobody says
	Note      string
}

// columns are the names that registrars and people give to the columns of a list, in lower case,
// words joined by one blank. The first is ours.
var domainColumns = map[string][]string{
	"name": {"name", "domain", "domain name", "domains", "domainname", "fqdn", "zone"},
	"renews": {
		"renews",
		"renewal date",
		"renewal",
		"renews on",
		"renew date",
		"expires",
		"expires on",
		"expiry",
		"expiry date",
		"expiration",
		"expiration date",
		"expire date",
		"valid until",
		"paid until",
		"ends",
	},
	"registrar": {"registrar", "registered at", "registered with"},
	"records-at": {"records-at", "records at", "provider", "dns provider", "dns", "dns host",
		"hosted at"},
	"carrier": {"carrier", "carried by", "redirected by"},
	"wave":    {"wave", "phase", "batch", "step"},
	"note":    {"note", "notes", "comment", "comments", "remark", "remarks", "description"},
}

// ReadDomains reads a list of domains: CSV with a column for the name, in any case and under any
// usual name, and such for dates, registrar, provider, carrier, wave and note; or names alone, a
// line each. The error is a problem.List.
func ReadDomains(path string) ([]ListedDomain, error) {
	t, err := readCSV(path, nil, nil)
	if err != nil {
		return nil, err
	}
	if err := t.meant(); err != nil {
		return nil, err
	}
	l := list{table: t, first: map[web.Host]int{}, dayFirst: t.dayFirst()}
	for _, r := range t.rows {
		l.take(r)
	}
	return l.domains, l.faults.Err()
}

// meant gives the columns of a list our names. A file whose first line is a domain has no header.
func (t *table) meant() error {
	header := make([]string, t.width)
	for name, i := range t.columns {
		header[i] = strings.Join(strings.Fields(
			strings.NewReplacer("_", " ", "-", " ", ":", "").Replace(name)), " ")
	}
	named := map[string]int{}
	for ours, usual := range domainColumns {
		for _, name := range usual {
			i := slices.Index(header, strings.ReplaceAll(name, "-", " "))
			if _, have := named[ours]; i >= 0 && !have {
				named[ours] = i
			}
		}
	}
	if _, have := named["name"]; have {
		t.columns = named
		return nil
	}
	r := t.reader()
	if fields, err := r.Read(); err == nil && len(fields) > 0 {
		if h, err := web.ParseHost(fields[0]); err == nil && h.IsApex() {
			t.columns = map[string]int{"name": 0}
			line, _ := r.FieldPos(0)
			t.rows = slices.Insert(t.rows, 0, row{line, fields})
			return nil
		}
	}
	return problem.List{
		{File: t.path, Line: 1, Value: strings.Join(header, ","), Fault: fact.NoDomainColumn{}}}
}

// list is a list of domains on its way.
type list struct {
	table    *table
	first    map[web.Host]int
	dayFirst *bool // how the list writes dates with strokes; nil: nothing tells
	domains  []ListedDomain
	faults   problem.List
}

func (l *list) fail(r row, value string, fault fact.Facts) {
	l.faults.Add(problem.Problem{File: l.table.path, Line: r.line, Value: value, Fault: fault})
}

func (l *list) take(r row) {
	field := func(name string) string { return folded(l.table.field(r, name)) }
	h, err := web.ParseHost(strings.TrimSuffix(field("name"), "."))
	var bad *web.Error
	if errors.As(err, &bad) {
		l.fail(r, bad.Value, bad.Fault)
		return
	}
	if before, twice := l.first[h]; twice {
		l.fail(r, h.String(), fact.DomainRowTwice{Line: before})
		return
	}
	l.first[h] = r.line
	d := ListedDomain{Name: h, Registrar: field("registrar"), RecordsAt: field("records-at"),
		Carrier: field("carrier"),
		Note:    field("note")}
	for _, name := range []string{"registrar", "records-at", "carrier", "note"} {
		text := field(name)
		if at := strings.IndexFunc(text, problem.Hostile); at >= 0 {
			c, _ := utf8.DecodeRuneInString(text[at:])
			l.fail(r, text, fact.DomainCellHostile{Column: name, Character: problem.Named(c)})
		}
	}
	if text := field("wave"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 {
			l.fail(r, text, fact.WaveNumber{})
		}
		d.Wave = n
	}
	if text := field("renews"); text != "" {
		var ok bool
		if d.Renews, d.Asks, ok = readDate(text, l.dayFirst); !ok {
			l.fail(r, text, fact.RenewsDate{})
		}
	}
	l.domains = append(l.domains, d)
}

// Forms of dates that can be one only. Strokes are read apart.
var dateForms = []string{
	time.DateOnly, "2006/01/02", "2006.01.02", "20060102", "02.01.2006", "2.1.2006", "2 Jan 2006",
	"2 January 2006",
	"02-Jan-2006",
	"2-Jan-2006", "02-Jan-06", "Jan 2, 2006", "January 2, 2006", "Jan 2 2006", time.RFC3339,
	"2006-01-02T15:04:05", "2006-01-02 15:04:05",
	"2006-01-02 15:04", "2006-01-02 15:04:05 MST", "02.01.2006 15:04",
}

// readDate reads a date as registrars write it. Where strokes leave it open which is the day, and
// nothing else in the list tells, asks is what is asked about and the date is "".
func readDate(s string, dayFirst *bool) (date, asks string, ok bool) {
	for _, form := range dateForms {
		if t, err := time.Parse(form, s); err == nil {
			return t.UTC().Format(time.DateOnly), "", true
		}
	}
	byDay, dayErr := time.Parse("2/1/2006", s)
	byMonth, monthErr := time.Parse("1/2/2006", s)
	switch {
	case dayErr != nil && monthErr != nil:
		return "", "", false
	case monthErr != nil, dayErr == nil && (byDay.Equal(byMonth) || dayFirst != nil && *dayFirst):
		return byDay.Format(time.DateOnly), "", true
	case dayErr != nil, dayFirst != nil:
		return byMonth.Format(time.DateOnly), "", true
	}
	return "",
		fmt.Sprintf("%s: %s or %s?", s, byDay.Format(time.DateOnly), byMonth.Format(time.DateOnly)), true
}

// dayFirst tells how a list writes dates with strokes, as far as one of them can be read in one way
// only and none in the other; nil where nothing tells.
func (t *table) dayFirst() *bool {
	var day, month bool
	for _, r := range t.rows {
		s := folded(t.field(r, "renews"))
		_, dayErr := time.Parse("2/1/2006", s)
		_, monthErr := time.Parse("1/2/2006", s)
		day, month = day || dayErr == nil && monthErr != nil, month || monthErr == nil && dayErr != nil
	}
	if day == month {
		return nil
	}
	return &day
}

// folded gives a text of several lines as one.
func folded(s string) string { return strings.Join(strings.Fields(s), " ") }
