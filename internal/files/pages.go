package files

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"os"
	"regexp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// mostPages is how many octets a list of pages may have that is read as a whole.
const mostPages = 1 << 30

// ReadPages reads the pages that exist: a URL or a path of the site a line (# starts a comment), a
// sitemap (sitemaps.org, urlset), or a table with a column of addresses, of which those count that
// a column of statuses gives no redirect and no error. The error is a problem.List with every
// fault.
func ReadPages(path string, site web.Door) ([]web.URL, error) {
	if info, err := os.Stat(path); err == nil && info.Size() > mostPages {
		return nil,
			problem.List{{File: path, Fault: fact.PagesTooLarge{}}}
	}
	head, err := headOf(path)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	if isTable(head) || bytes.HasPrefix(head, []byte("PK\x03\x04")) || packed(head) {
		return readPageTable(path, site)
	}
	data, err := Read(path, MostTable)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	if bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))), []byte("<")) {
		return readSitemap(path, data)
	}
	var pages []web.URL
	var faults problem.List
	n := 0
	for line := range strings.Lines(string(data)) {
		n++
		s := strings.TrimSpace(strings.TrimPrefix(line, "\uFEFF"))
		switch {
		case s == "" || s[0] == '#':
		case len(faults) > problem.MostSaid:
			return pages, faults.Err()
		case len(s) > mostWidth:
			faults.Add(problem.Problem{File: path, Line: n, Value: s, Fault: fact.PageTooLong{}})
		case s[0] == '/':
			path, query, _ := strings.Cut(s, "?")
			pages = append(pages, site.URL(path, query))
		default:
			u, err := web.ParseURL(s)
			if err != nil {
				faults.Add(
					problem.Problem{File: path, Line: n, Value: s, Fault: fact.NotPage{}},
				)
				continue
			}
			pages = append(pages, u)
		}
	}
	return pages, faults.Err()
}

// answers are what the note of an old URL says that was answered there, as gathering writes it.
var answers = regexp.MustCompile(`\b([1-5])\d\d ×\d+`)

// answeredElse reports whether a note says what was answered, and that it was never a page.
func answeredElse(note string) bool {
	all := answers.FindAllStringSubmatch(note, -1)
	return len(all) > 0 && !slices.ContainsFunc(all, func(m []string) bool { return m[1] == "2" })
}

// headOf gives how a file begins.
func headOf(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	head, err := io.ReadAll(io.LimitReader(f, 4<<10))
	return bytes.TrimPrefix(head, []byte("\xef\xbb\xbf")), err
}

// packed reports whether a file begins as gzip or zstd do.
func packed(head []byte) bool {
	return bytes.HasPrefix(head, []byte("\x1f\x8b")) ||
		bytes.HasPrefix(head, []byte("\x28\xb5\x2f\xfd"))
}

// readPageTable reads pages from what else old URLs are read from: tables, workbooks, packed lists
// and sitemaps.
func readPageTable(path string, site web.Door) ([]web.URL, error) {
	pages := []web.URL{}
	var faults problem.List
	reader := &OldURLs{Door: site, To: old.Each(func(a old.Seen) {
		u, err := web.ParseURL(string(a.URL))
		switch {
		case err != nil && len(faults) <= problem.MostSaid:
			faults.Add(problem.Problem{File: path, Value: string(a.URL), Fault: fact.NotSitePage{}})
		case err == nil && (a.Status == 0 && !answeredElse(a.Note) || a.Status >= 200 && a.Status < 300):
			pages = append(pages, u)
		}
	})}
	if err := reader.Add(path); err != nil {
		return nil, err
	}
	if len(reader.Maps) > 0 {
		faults.Add(problem.Problem{File: path, Fault: fact.SitemapIndex{}})
	}
	return pages, faults.Err()
}

func readSitemap(path string, data []byte) ([]web.URL, error) {
	var pages []web.URL
	var faults problem.List
	d := xml.NewDecoder(bytes.NewReader(data))
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return pages, faults.Err()
		}
		line, column := d.InputPos()
		if err != nil {
			faults.Add(
				problem.Problem{File: path, Line: line, Column: column, Fault: fact.NotSitemap{}},
			)
			return pages, faults.Err()
		}
		start, ok := token.(xml.StartElement)
		switch {
		case !ok:
		case start.Name.Local == "sitemapindex":
			return nil, problem.List{
				{File: path, Line: line, Fault: fact.SitemapIndexFile{}},
			}
		case start.Name.Local == "loc":
			var loc string
			if err := d.DecodeElement(&loc, &start); err != nil {
				continue
			}
			u, err := web.ParseURL(strings.TrimSpace(loc))
			if err != nil {
				faults.Add(
					problem.Problem{File: path, Line: line, Value: loc, Fault: fact.SitemapNoURL{}},
				)
				continue
			}
			pages = append(pages, u)
		}
	}
}
