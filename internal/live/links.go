package live

import (
	"bytes"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/web"
)

// follows are the attributes by which pages lead to others, which a crawl follows.
var follows = map[string]string{"a": "href", "area": "href", "base": "href", "frame": "src",
	"iframe": "src", "link": "href"}

// named gives the attributes by which an element names other URLs: what it links to, loads
// (mixed.go has these tables) and sends to.
func named(tag string) []string {
	switch tag {
	case "a", "area", "link":
		return []string{"href"}
	case "input":
		return []string{"src", sending[tag]}
	}
	all := slices.Concat(passive[tag], loading[tag])
	if sending[tag] != "" {
		all = append(all, sending[tag])
	}
	return all
}

// mostNoted is how many links of a page are kept with their place.
const mostNoted = 500

// links reads the links of a page.
type links struct {
	base    web.URL
	line    int
	seen    map[string]bool
	all     []web.URL
	noted   []chain.Link
	feeds   []web.URL
	notes   func(web.Host) bool
	already map[string]bool // what is noted, by URL and element
	cut     bool            // it names more than is kept
}

// linksOf reads the http and https URLs to which a page links, each once. Those to the hosts that
// notes names, where it is given, come with their place, and so do the feeds that the page names.
func linksOf(at web.URL, page []byte, notes func(web.Host) bool) *links {
	z := html.NewTokenizer(bytes.NewReader(page))
	z.SetMaxBuf(MostPage)
	l := &links{base: at, line: 1, seen: map[string]bool{}, notes: notes, already: map[string]bool{}}
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			break
		}
		if l.cut = l.cut || len(l.all) >= mostCrawlLinks; l.cut {
			break
		}
		lines := bytes.Count(z.Raw(), []byte("\n"))
		if kind == html.StartTagToken || kind == html.SelfClosingTagToken {
			if name, more := z.TagName(); more {
				tag := string(name)
				if follows[tag] != "" || notes != nil {
					l.open(tag, attributesOf(z, true))
				}
			}
		}
		l.line += lines
	}
	return l
}

func (l *links) resolve(reference string) (web.URL, bool) {
	if reference == "" || len(reference) > mostURL {
		return web.URL{}, false
	}
	u, _, err := l.base.Resolve(reference)
	return u, err == nil && len(u.Path())+len(u.Query()) <= mostURL
}

// open takes in a tag.
func (l *links) open(tag string, a attributes) {
	rel := strings.Fields(strings.ToLower(a["rel"]))
	if tag == "base" {
		if u, ok := l.resolve(a["href"]); ok {
			l.base = u
		}
		return
	}
	if l.notes != nil {
		l.note(tag, a, rel)
	}
	attribute := follows[tag]
	if attribute == "" || tag == "link" && !among(rel, "canonical", "next", "prev", "alternate") {
		return
	}
	u, ok := l.resolve(a[attribute])
	if !ok {
		return
	}
	if key := u.Key(); !l.seen[key] {
		l.seen[key] = true
		l.all = append(l.all, u)
	}
}

func among(words []string, some ...string) bool {
	return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(some, w) })
}

// note keeps what a tag names on the hosts that are of interest, and feeds.
func (l *links) note(tag string, a attributes, rel []string) {
	element := tag
	switch tag {
	case "link":
		switch {
		case among(rel, "canonical"):
			return // that is judged by itself
		case among(rel, "alternate") && a["hreflang"] != "":
			element = search.Alternate
		case among(rel, "alternate") && isFeedType(a["type"]):
			if u, ok := l.resolve(a["href"]); ok && len(l.feeds) < mostSource {
				l.feeds = append(l.feeds, u)
			}
			element = "feed"
		case len(rel) > 0:
			element = "link " + trimmed([]byte(rel[0]), 30)
		}
	case "meta":
		name := strings.ToLower(a["property"] + a["name"])
		if name == "og:image" || name == "og:url" || name == "twitter:image" {
			l.keep(name, a["content"])
		}
		return
	}
	for _, attribute := range named(tag) {
		urls := []string{a[attribute]}
		if attribute == "srcset" {
			urls = candidates(a[attribute])
		}
		for _, u := range urls {
			l.keep(element, u)
		}
	}
}

func isFeedType(kind string) bool {
	kind, _, _ = strings.Cut(strings.ToLower(kind), ";")
	switch strings.TrimSpace(kind) {
	case "application/rss+xml", "application/atom+xml", "application/feed+json", "application/rdf+xml":
		return true
	}
	return false
}

func (l *links) keep(element, reference string) {
	u, ok := l.resolve(reference)
	if !ok || !l.notes(u.Host()) {
		return
	}
	if len(l.noted) >= mostNoted {
		l.cut = true
		return
	}
	if key := element + " " + u.Key(); !l.already[key] {
		l.already[key] = true
		l.noted = append(l.noted, chain.Link{URL: u.String(), Element: element, Line: l.line})
	}
}
