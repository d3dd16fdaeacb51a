package chain

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

// Document is what an HTML page says of itself, as far as it was read.
type Document struct {
	Title     string `json:"title,omitempty"`
	Heading   string `json:"heading,omitempty"`   // the first of the first order
	Canonical string `json:"canonical,omitempty"` // rel=canonical, resolved
	Social    string `json:"og_url,omitempty"`    // og:url, resolved
	// rel=alternate with hreflang: the first of each host
	Languages []Link `json:"hreflang,omitempty"`
	NoIndex   bool   `json:"noindex,omitempty"` // its robots element says so
	// robots to which an element of their name says so
	NoIndexFor []string `json:"noindex_for,omitempty"`
	May        []May    `json:"may_redirect,omitempty"` // where scripts may send visitors
	Links      []Link   `json:"links,omitempty"`        // to other hosts: the first of each
	Insecure   []Link   `json:"insecure,omitempty"`     // parts that it loads over http
	Octets     int      `json:"octets,omitempty"`       // how much of it was read
	Cut        bool     `json:"cut,omitempty"`          // it goes on behind that

	Text string `json:"-"` // how its visible text begins

	sorts struct{ notFound, parked, strange, challenge, done bool }
}

// bare reports whether a page says nothing that could be amiss.
func (p *Document) bare() bool {
	return p != nil && !p.NotFound() && len(p.NoIndexFor) == 0 && p.Canonical == "" &&
		p.Social == "" && len(p.Languages) == 0 &&
		len(p.Links) == 0 && len(p.Insecure) == 0
}

// Sort finds out once what kind of page it is, for one that many chains share.
func (p *Document) Sort() {
	p.sorts.notFound, p.sorts.parked, p.sorts.strange = p.NotFound(), p.Parked(), p.Strange()
	p.sorts.challenge = p.says(challengePhrases)
	p.sorts.done = true
}

// Link is a URL that a page names, and where.
type Link struct {
	URL     string `json:"url"`
	Element string `json:"element"` // such as img
	Line    int    `json:"line"`
	// of a part that is loaded over http: Passive, Sent, or "": browsers block it
	How string `json:"how,omitempty"`
}

// What browsers do with what a page over https asks for over http (Mixed Content, section 3).
const (
	Passive = "upgraded" // pictures, sound and films are asked for over https instead
	Sent    = "sent"     // what is typed into a form is sent there, behind a warning
)

// May is where a script may send visitors: that depends on what nobody knows.
type May struct {
	To    string  `json:"to,omitempty"`
	After float64 `json:"after,omitempty"` // in seconds
	Line  int     `json:"line"`
	// the script could not be read to its end
	Unread bool `json:"unread,omitempty"`
	// the page shows nothing by itself, and its script is elsewhere, where nobody read it
	Elsewhere bool `json:"elsewhere,omitempty"`
}

// says reports whether one of the phrases stands in what a page says of itself, in small letters.
func (p *Document) says(phrases []string) bool {
	if p == nil {
		return false
	}
	text := strings.ToLower(p.Title + "\n" + p.Heading)
	return slices.ContainsFunc(phrases, func(s string) bool { return strings.Contains(text, s) })
}

// opens reports whether one of the phrases stands in the title, the heading or the beginning of the
// text.
func (p *Document) opens(phrases []string) bool {
	if p.says(phrases) {
		return true
	}
	if p == nil {
		return false
	}
	text := strings.ToLower(p.Text)
	return slices.ContainsFunc(phrases, func(s string) bool { return strings.Contains(text, s) })
}

// How pages say in their title or heading that there is no such page, in the languages that the
// estates of consultants most often speak.
var notFoundPhrases = []string{
	"not found", "page doesn't exist", "page does not exist", "no such page", "404 error", "error 404",
	"404 -", "404 |",
	"can't be found", "cannot be found", "page introuvable", "nicht gefunden", "no encontrada",
	"non trovata",
	"niet gevonden", "ikke fundet", "ikke funnet", "hittades inte", "nie znaleziono", "não encontrada",
}

// NotFound reports whether a page says that there is none: in its title or heading.
func (p *Document) NotFound() bool {
	if p == nil || p.sorts.done {
		return p != nil && p.sorts.notFound
	}
	return p.says(notFoundPhrases) ||
		p != nil && (strings.TrimSpace(p.Title) == "404" || strings.TrimSpace(p.Heading) == "404")
}

// How pages say that a domain is parked.
var parkedPhrases = []string{
	"domain is parked", "parked domain", "domain parking", "parked free", "this domain is for sale",
	"domain for sale",
	"buy this domain", "domain may be for sale", "domain has recently been registered",
	"domain has been registered",
	"domain is registered", "inquire about this domain", "domain steht zum verkauf",
	"domain ist geparkt",
	"ce domaine est à vendre", "dominio en venta",
}

// Parked reports whether a page says that the domain is parked or for sale.
func (p *Document) Parked() bool {
	if p == nil || p.sorts.done {
		return p != nil && p.sorts.parked
	}
	return p.opens(parkedPhrases)
}

// How platforms say that they do not know a host.
var strangePhrases = []string{
	"isn't connected", "is not connected", "not configured", "no such host", "unknown host",
	"host not found",
	"domain not found", "unknown domain", "site not found", "no such site", "there isn't a site here",
	"there is no site here", "no such app", "misdirected request", "unknown site",
	"domain is not connected",
	"not been added", "hasn't been added", "nothing is published here",
}

// Strange reports whether a page says that its server does not know the host.
func (p *Document) Strange() bool {
	if p == nil || p.sorts.done {
		return p != nil && p.sorts.strange
	}
	return p.opens(strangePhrases)
}

// How guards say that they want to see whether a visitor is human.
var challengePhrases = []string{
	"just a moment", "attention required", "are you a robot", "are you human", "verify you are human",
	"verifying you are",
	"checking your browser", "security check", "captcha", "unusual traffic", "bot detection",
	"access to this page has been",
	"pardon our interruption", "human verification",
}

// TurnsAway reports whether an answer is for robots: a challenge, or a limit on how often one may
// ask (RFC 6585 section 4).
func (a *Answer) TurnsAway() bool {
	switch {
	case a.Busy(), a.Unread != "":
		return true
	case a.Headers != nil && a.Headers.Challenge:
		return true
	case a.Status == 401 || a.Status == 403 || a.Status == 405 || a.Status == 202 || a.Status == 200:
		return (a.Status != 200 || a.Page != nil && a.Page.Octets < mostChallenge) && a.Page.challenges()
	}
	return false
}

// Busy reports whether an answer asks to come back later (RFC 6585 section 4, RFC 9110 section
// 15.6.4): what visitors get at other times was not seen.
func (a *Answer) Busy() bool { return a.Status == 429 || a.Status == 503 }

func (p *Document) challenges() bool {
	if p == nil || p.sorts.done {
		return p != nil && p.sorts.challenge
	}
	return p.says(challengePhrases)
}

// mostChallenge is how long a page is at most that is nothing but a challenge, in octets.
const mostChallenge = 32 << 10

// Hidden reports whether an answer asks search engines not to list it (RFC 9309 knows nothing of
// it; it is their own agreement): by the header or in the page.
func (a *Answer) Hidden() (how fact.Facts, is bool) {
	var some []string
	if a.Headers != nil {
		all, named := saysNoIndex(a.Headers.Robots)
		if all {
			return fact.HiddenByHeader{Value: a.Headers.Robots}, true
		}
		some = named
	}
	if a.Page != nil && a.Page.NoIndex {
		return fact.HiddenByPage{}, true
	}
	if len(some) > 0 {
		return fact.HiddenFromByHeader{Robots: some}, true
	}
	if a.Page != nil && len(a.Page.NoIndexFor) > 0 {
		return fact.HiddenFromByPage{Robots: a.Page.NoIndexFor}, true
	}
	return nil, false
}

// saysNoIndex reads X-Robots-Tag headers, with a semicolon between them: whether one hides a page
// from all robots, and from which it hides it by their names. A name stands before a colon, and
// holds for what follows in its header.
func saysNoIndex(text string) (all bool, named []string) {
	for header := range strings.SplitSeq(text, ";") {
		name := ""
		for word := range strings.SplitSeq(header, ",") {
			word = strings.ToLower(strings.TrimSpace(word))
			if before, after, is := strings.Cut(word, ":"); is && !valued[strings.TrimSpace(before)] {
				name, word = strings.TrimSpace(before), strings.TrimSpace(after)
			}
			switch {
			case word != "noindex" && word != "none":
			case name == "" || name == "*":
				all = true
			case !slices.Contains(named, name):
				named = append(named, name)
			}
		}
	}
	return all, named
}

// valued are words of a robots directive that have a value behind a colon.
var valued = map[string]bool{"unavailable_after": true, "max-snippet": true,
	"max-image-preview": true, "max-video-preview": true}

// hostOf gives the host of an absolute URL, false where it is none.
func hostOf(s string) (web.Host, bool) {
	u, err := web.ParseURL(s)
	return u.Host(), err == nil
}
