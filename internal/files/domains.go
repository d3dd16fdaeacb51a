package files

import (
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// ListedDomain is a domain of a list.
type ListedDomain struct {
	Name      web.Host
	Hosts     []string // below it, beside www; "*" for all
	Renews    string   // a date as the estate file has it; "" where nobody says
	Asks      string   // the date as the list has it, where it could be one of two
	Registrar string
	RecordsAt string
	Carrier   string
	Wave      int // 0: nobody says
	Note      string
}

// DomainList is a list of domains, and what was made of it.
type DomainList struct {
	Domains []ListedDomain
	Used    []UsedColumn // columns that were taken
	Unused  []string     // columns that were left
	Left    []LeftLine   // lines that are no domain's: above the head, and below the last
	Merged  int          // lines about a domain that was there already
}

// UsedColumn is a column of a list and what it was taken for.
type UsedColumn struct{ Column, For string }

// LeftLine is a line of a list that was left.
type LeftLine struct {
	Line int
	Text string
}

// domainColumns are the names that registrars and people give to the columns of a list, in lower
// case, words joined by one blank. The first is ours.
var domainColumns = map[string][]string{
	"name": {"name", "domain", "domain name", "domains", "domainname", "fqdn", "zone", "hostname",
		"host", "host name", "url", "website", "web site", "site", "web address", "domain names", "sld",
		"second level domain", "label", "asset", "domain url", "full domain", "full domain name"},
	"ending": {"ending", "tld", "extension", "suffix", "domain extension", "top level domain", "ext",
		"zone ending"},
	"renews": {"renews", "renewal date", "renewal", "renews on", "renew date", "expires", "expires on",
		"expires at", "expires date", "expiry", "expiry date", "expiration", "expiration date",
		"expire date", "expire", "exp date", "valid until", "valid to", "paid until", "paid through",
		"ends", "end date", "registry expiry date", "registrar registration expiration date",
		"registry expiration date", "domain expiry date", "domain expiration date", "registered until",
		"registered through", "next due date", "due date", "next renewal", "next renewal date",
		"paid till", "expiration time", "expiry time"},
	"registrar": {"registrar", "registered at", "registered with", "registrar name",
		"sponsoring registrar"},
	"records-at": {"records-at", "records at", "provider", "dns provider", "dns", "dns host",
		"hosted at", "dns service", "nameserver provider"},
	"carrier": {"carrier", "carried by", "redirected by"},
	"wave":    {"wave", "phase", "batch", "step"},
	"note": {"note", "notes", "comment", "comments", "remark", "remarks", "description",
		"memo"},
}

// mostPreamble is how many lines may stand above the head of a list.
const mostPreamble = 40

// ReadDomains reads a list of domains: a table as registrars export it, CSV or XLSX, in any usual
// encoding, with any usual names of columns, text above its head and below its last line; or names
// alone, a line each. Addresses and hosts below a domain are filed under it. The error is a
// problem.List with every fault.
func ReadDomains(path string) (DomainList, error) {
	rows, err := listRows(path)
	if err != nil {
		return DomainList{}, err
	}
	l := list{path: path, at: map[web.Host]int{}, columns: map[string]int{}}
	rows, err = l.head(rows)
	if err != nil {
		return DomainList{}, err
	}
	l.footed(&rows)
	l.dayFirst = l.dates(rows)
	for _, r := range rows {
		l.take(r)
	}
	if len(l.faults) == 0 && len(l.made.Domains) == 0 {
		l.faults.Add(problem.Problem{File: path, Fault: fact.NoDomainRows{}})
	}
	return l.made, l.faults.Err()
}

// list is a list of domains on its way.
type list struct {
	path     string
	columns  map[string]int   // ours to their places
	at       map[web.Host]int // of the domains that were taken
	dayFirst *bool            // how the list writes dates with strokes; nil: nothing tells
	made     DomainList
	faults   problem.List
}

// plainHead gives the head of a column in lower case, its words parted by one blank: of
// RegistryExpiryDate as of registry_expiry-date.
func plainHead(s string) string {
	s = strings.TrimSpace(strings.TrimPrefix(s, "\ufeff"))
	var b strings.Builder
	runes := []rune(s)
	for i, c := range runes {
		switch {
		case strings.ContainsRune("_-:./()#*", c):
			c = ' '
		case i > 0 && c >= 'A' && c <= 'Z' && runes[i-1] >= 'a' && runes[i-1] <= 'z':
			b.WriteByte(' ')
		}
		b.WriteRune(c)
	}
	return strings.ToLower(strings.Join(strings.Fields(b.String()), " "))
}

// head finds the head of a list, and gives the rows below it. A list without one has the names in
// the column in which most rows have them.
func (l *list) head(rows []row) ([]row, error) {
	for i, r := range rows[:min(len(rows), mostPreamble)] {
		named := map[string]int{}
		for ours, usual := range domainColumns {
			for _, name := range usual {
				at := slices.IndexFunc(r.fields, func(h string) bool { return plainHead(h) == name })
				if _, have := named[ours]; at >= 0 && !have {
					named[ours] = at
				}
			}
		}
		if _, is := named["name"]; !is || !l.headsNames(rows[i+1:], named) {
			continue
		}
		l.columns = named
		for _, above := range rows[:i] {
			l.leave(above)
		}
		l.tellColumns(r.fields)
		return rows[i+1:], nil
	}
	if at := mostNames(rows); at >= 0 {
		l.columns["name"] = at
		return rows, nil
	}
	first := ""
	if len(rows) > 0 {
		first = strings.Join(rows[0].fields, ",")
	}
	return nil, problem.List{
		{File: l.path, Line: 1, Value: first, Fault: fact.NoDomainColumn{}}}
}

// headsNames reports whether a row below has something where the head has the names.
func (l *list) headsNames(below []row, named map[string]int) bool {
	for _, r := range below[:min(len(below), 20)] {
		if cell(r, named["name"]) != "" {
			return true
		}
	}
	return false
}

// mostNames gives the column in which most rows have domains; -1 where hardly any does.
func mostNames(rows []row) int {
	count := map[int]int{}
	for _, r := range rows {
		for i, f := range r.fields {
			if h, _, err := hostIn(f); err == nil && strings.Contains(h.String(), ".") {
				if _, known := h.Apex(); known {
					count[i]++
				}
			}
		}
	}
	best := -1
	for i, n := range count {
		if best < 0 || n > count[best] || n == count[best] && i < best {
			best = i
		}
	}
	if best < 0 || 2*count[best] < len(rows) {
		return -1
	}
	return best
}

func (l *list) tellColumns(head []string) {
	used := map[int]string{}
	for ours, at := range l.columns {
		used[at] = ours
	}
	for i, h := range head {
		h = strings.TrimSpace(strings.TrimPrefix(h, "\ufeff"))
		switch {
		case used[i] != "":
			l.made.Used = append(l.made.Used, UsedColumn{h, used[i]})
		case h != "":
			l.made.Unused = append(l.made.Unused, h)
		}
	}
}

func (l *list) leave(r row) {
	l.made.Left = append(l.made.Left, LeftLine{r.line, strings.Join(strings.Fields(
		strings.Join(r.fields, " ")), " ")})
}

// footed takes away the lines below the last domain that are none: sums, dates of the export,
// rules.
func (l *list) footed(rows *[]row) {
	end := len(*rows)
	for end > 0 && l.isFoot((*rows)[end-1]) {
		end--
	}
	for _, r := range (*rows)[end:] {
		l.leave(r)
	}
	*rows = (*rows)[:end]
}

// isFoot reports whether a line is no domain's: it has no name, or words or numbers where the name
// should stand.
func (l *list) isFoot(r row) bool {
	name := l.field(r, "name")
	if ending := l.field(r, "ending"); ending != "" && name != "" {
		return false
	}
	if name == "" || strings.ContainsAny(name, " \t") && !strings.Contains(name, "://") {
		return true
	}
	if strings.Contains(strings.Trim(name, "."), ".") {
		return false
	}
	_, _, err := hostIn(name)
	others := 0
	for _, f := range r.fields {
		if strings.TrimSpace(f) != "" {
			others++
		}
	}
	return err != nil || others <= 2
}

func cell(r row, at int) string {
	if at < 0 || at >= len(r.fields) {
		return ""
	}
	return folded(r.fields[at])
}

// field gives what a row has in one of our columns.
func (l *list) field(r row, name string) string {
	at, have := l.columns[name]
	if !have {
		return ""
	}
	return cell(r, at)
}

func (l *list) fail(r row, value string, fault fact.Facts) {
	l.faults.Add(problem.Problem{File: l.path, Line: r.line, Value: value, Fault: fault})
}

// hostIn gives the host that a cell names: a name, a URL, an address of a page. star is true where
// it stands for all names below.
func hostIn(s string) (h web.Host, star bool, err error) {
	s = strings.TrimSpace(s)
	if at := strings.Index(s, "://"); at >= 0 {
		s = s[at+3:]
	}
	s = strings.TrimPrefix(s, "//")
	if at := strings.IndexAny(s, "/?#"); at >= 0 {
		s = s[:at]
	}
	if at := strings.LastIndexByte(s, '@'); at >= 0 {
		s = s[at+1:]
	}
	if name, port, has := strings.Cut(s, ":"); has {
		if _, err := strconv.ParseUint(port, 10, 16); err == nil {
			s = name
		}
	}
	s, star = strings.CutPrefix(s, "*.")
	h, err = web.ParseHost(strings.TrimSuffix(s, "."))
	return h, star, err
}

func (l *list) take(r row) {
	name := l.field(r, "name")
	if ending := strings.TrimPrefix(l.field(r, "ending"), "."); ending != "" &&
		!strings.HasSuffix(strings.ToLower(name), "."+strings.ToLower(ending)) {
		name = strings.TrimSuffix(name, ".") + "." + ending
	}
	if name == "" {
		if slices.ContainsFunc(r.fields, func(f string) bool { return strings.TrimSpace(f) != "" }) {
			l.fail(r, strings.Join(r.fields, ","), fact.DomainRowNameless{})
		}
		return
	}
	h, star, err := hostIn(name)
	var bad *web.Error
	if errors.As(err, &bad) {
		l.fail(r, bad.Value, bad.Fault)
		return
	}
	apex, own := h.Apex()
	if !own {
		l.fail(r, h.String(), fact.DomainPublic{Host: h.String()})
		return
	}
	d := ListedDomain{Name: apex, Registrar: l.field(r, "registrar"),
		RecordsAt: l.field(r, "records-at"), Carrier: l.field(r, "carrier"), Note: l.field(r, "note")}
	if label := strings.TrimSuffix(strings.TrimSuffix(h.String(), apex.String()), "."); label != "" &&
		label != "www" {
		d.Hosts = append(d.Hosts, label)
	}
	if star {
		d.Hosts = append(d.Hosts, "*")
	}
	for _, name := range []string{"registrar", "records-at", "carrier", "note"} {
		text := l.field(r, name)
		if at := strings.IndexFunc(text, problem.Hostile); at >= 0 {
			c, _ := utf8.DecodeRuneInString(text[at:])
			l.fail(r, text, fact.DomainCellHostile{Column: name, Character: problem.Named(c)})
		}
	}
	if text := l.field(r, "wave"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 {
			l.fail(r, text, fact.WaveNumber{})
		}
		d.Wave = n
	}
	if text := l.field(r, "renews"); text != "" && !noDate(text) {
		var ok bool
		if d.Renews, d.Asks, ok = readDate(text, l.dayFirst); !ok {
			l.fail(r, text, fact.RenewsDate{})
		}
	}
	l.merge(d, r)
}

// merge takes in a domain; of one that is there already what it has not said yet. Of two dates the
// one that a line of the domain itself says counts.
func (l *list) merge(d ListedDomain, r row) {
	at, there := l.at[d.Name]
	if !there {
		l.at[d.Name] = len(l.made.Domains)
		l.made.Domains = append(l.made.Domains, d)
		return
	}
	l.made.Merged++
	was := &l.made.Domains[at]
	for _, h := range d.Hosts {
		if !slices.Contains(was.Hosts, h) {
			was.Hosts = append(was.Hosts, h)
		}
	}
	for _, pair := range []struct{ to, from *string }{{&was.Registrar, &d.Registrar},
		{&was.RecordsAt, &d.RecordsAt}, {&was.Carrier, &d.Carrier}, {&was.Note, &d.Note}} {
		if *pair.to == "" {
			*pair.to = *pair.from
		}
	}
	if was.Wave == 0 {
		was.Wave = d.Wave
	}
	switch {
	case was.Renews == "" && was.Asks == "":
		was.Renews, was.Asks = d.Renews, d.Asks
	case d.Renews != "" && was.Renews != "" && d.Renews != was.Renews:
		was.Asks, was.Renews = fmt.Sprintf("%s or %s (line %d)?", was.Renews, d.Renews, r.line), ""
	}
}

// folded gives a text of several lines as one.
func folded(s string) string { return strings.Join(strings.Fields(s), " ") }

// isWorkbook reports whether a file is a workbook, by its name.
func isWorkbook(path string) bool { return strings.EqualFold(filepath.Ext(path), ".xlsx") }
