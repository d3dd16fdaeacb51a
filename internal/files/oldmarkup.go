package files

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
)

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
				{File: path, Line: line, Column: column, Fault: fact.NotFeed{Why: err.Error()}}}
		}
		switch t := token.(type) {
		case xml.StartElement:
			if m.open(t); len(m.in) > mostNested {
				return problem.List{
					{File: path, Line: line, Fault: fact.FeedDepth{Most: mostNested}}}
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
	permalink    bool // the guid that is read is an address
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
	m.permalink = name == "guid" // RSS 2.0: it is the item's address unless it says otherwise
	for _, a := range t.Attr {
		if strings.EqualFold(a.Name.Local, "isPermaLink") && strings.EqualFold(a.Value, "false") {
			m.permalink = false
		}
	}
	// a link of a feed's entry, or a page in another language beside one of a sitemap
	if name != "link" || !slices.Contains(m.in, "entry") && !slices.Contains(m.in, "url") {
		return
	}
	for _, a := range t.Attr {
		if a.Name.Local == "href" && len(a.Value) <= mostXMLName {
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
	case name == "guid" && (!m.permalink || !bytes.Contains(address, []byte("://"))):
	case item && (name == "loc" || name == "link" || name == "guid"):
		// pictures of a page too, which are left out and counted like all pictures
		m.of.To.Add(m.source, old.Seen{URL: address})
	}
	m.reading, m.in = "", m.in[:max(0, len(m.in)-1)]
}

// isMarkup reports whether a text is a sitemap or a feed.
func isMarkup(start []byte) bool { return bytes.HasPrefix(start, []byte("<")) }
