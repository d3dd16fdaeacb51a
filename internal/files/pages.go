package files

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"os"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// ReadPages reads the pages that exist: a URL or a path of the site a line (# starts a comment), or a sitemap
// (sitemaps.org, urlset). The error is a problem.List with every fault.
func ReadPages(path string, site web.Door) ([]web.URL, error) {
	data, err := os.ReadFile(path)
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
			faults.Add(problem.Problem{File: path, Line: n, Says: "the line is longer than any URL that a browser asks for",
				Value: s, Expected: "a page such as /visit/"})
		case s[0] == '/':
			path, query, _ := strings.Cut(s, "?")
			pages = append(pages, site.URL(path, query))
		default:
			u, err := web.ParseURL(s)
			if err != nil {
				faults.Add(
					problem.Problem{
						File:     path,
						Line:     n,
						Says:     "this is neither a path nor a URL",
						Value:    s,
						Expected: "a page such as /visit/ or https://www.northmoor.example/visit/",
					},
				)
				continue
			}
			pages = append(pages, u)
		}
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
				problem.Problem{
					File:     path,
					Line:     line,
					Column:   column,
					Says:     "this is not a sitemap",
					Expected: "XML with <urlset>",
					Remedy:   "save the sitemap again",
				},
			)
			return pages, faults.Err()
		}
		start, ok := token.(xml.StartElement)
		switch {
		case !ok:
		case start.Name.Local == "sitemapindex":
			return nil, problem.List{
				{
					File:     path,
					Line:     line,
					Says:     "this is an index of sitemaps",
					Expected: "a sitemap with <urlset>",
					Remedy:   "save the sitemaps that it names and list their pages",
				},
			}
		case start.Name.Local == "loc":
			var loc string
			if err := d.DecodeElement(&loc, &start); err != nil {
				continue
			}
			u, err := web.ParseURL(strings.TrimSpace(loc))
			if err != nil {
				faults.Add(
					problem.Problem{File: path, Line: line, Says: "this is no URL", Value: loc, Expected: "a page of the site"},
				)
				continue
			}
			pages = append(pages, u)
		}
	}
}
