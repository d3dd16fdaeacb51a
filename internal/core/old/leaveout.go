// Package old is about old URLs: the addresses that people, links and search engines still use. It
// gathers them from what others wrote down, each once, with its weight, and leaves out what is no
// page or asked for by nobody, by rules that can be changed. It reads no files.
//
//	g := old.NewGathering(old.DefaultLeaveOut())
//	g.Add(source, old.Seen{URL: []byte("http://old.example/a?utm_source=x"), Weight: 1})
//	g.Entries() // http://old.example/a
//
// # The way of an old URL
//
// old.Gathering merges what files.OldURLs reads, each URL once; old.Sink is what both it and
// whoever streams a list give the reader. old.Cover follows each through the predicted web, on all
// cores, with doors described once, and keeps an outcome and a few hashes: pages on which many
// arrive, and twins, are found by putting the hashes in order. audit --old-urls sends the list
// through chain.RunJudged, which judges beside the order; live/shared.go has what chains lead to
// asked once; old.FollowedOf makes a row of a chain, and store keeps rows every 0.4 s, numbered, so
// that a run goes on where it was cut off; each holds a digest of its goal, which says whether its
// verdict still stands. A crawl is old.Frontier (bounds, and no shape of URL without end),
// robots.File (RFC 9309) and the workers of live.Crawling.
package old

import (
	"slices"
	"strings"
)

// LeaveOut is the rules for what is left out. A word may end with a star: what it begins then
// counts.
type LeaveOut struct {
	Robots []string // words in a User-Agent, in small letters, by which a robot is known
	Parts  []string // endings of paths that are parts of pages
	// names of query parameters that follow visitors and say nothing about the page
	Parameters []string
}

// DefaultLeaveOut gives the rules that hold where nobody gives others.
func DefaultLeaveOut() LeaveOut {
	return LeaveOut{
		Robots: []string{"bot", "crawl", "spider", "slurp", "monitor", "uptime", "pingdom", "headless",
			"python-", "curl/",
			"wget/", "go-http-client", "java/", "libwww", "okhttp", "scrapy", "feedfetcher", "preview",
			"validator",
			"facebookexternalhit", "upperpath/"},
		Parts: []string{".png", ".jpg", ".jpeg", ".gif", ".webp", ".avif", ".svg", ".ico", ".bmp", ".css",
			".js", ".mjs",
			".map", ".woff", ".woff2", ".ttf", ".otf", ".eot", ".mp4", ".webm", ".mp3", ".json", ".xsl"},
		Parameters: slices.Clone(tracking),
	}
}

// tracking are the parameters by which advertisers and newsletters follow visitors.
var tracking = []string{
	"utm_*", "gclid", "gclsrc", "dclid", "gbraid", "wbraid", "gad_*", "fbclid", "msclkid", "yclid",
	"ttclid", "twclid",
	"li_fat_id", "igshid", "igsh", "mc_cid", "mc_eid", "_ga", "_gl", "_hsenc", "_hsmi", "mkt_tok",
	"vero_id",
	"oly_anon_id", "oly_enc_id", "wickedid", "srsltid",
}

// Tracks reports whether a parameter follows visitors and says nothing about the page, as the
// default rules have it.
func Tracks(name string) bool { return among(tracking, name) }

func among(words []string, name string) bool {
	name = strings.ToLower(name)
	for _, w := range words {
		begins, open := strings.CutSuffix(w, "*")
		if open && strings.HasPrefix(name, begins) || name == w {
			return true
		}
	}
	return false
}

// WithoutTracking gives a query without the parameters that follow visitors, the others as they
// stand, in their order; and whether there were any.
func WithoutTracking(query string) (string, bool) { return without(query, tracking) }

func without(query string, names []string) (string, bool) {
	if query == "" {
		return "", false
	}
	var kept []string
	parts := strings.Split(query, "&")
	for _, p := range parts {
		name, _, _ := strings.Cut(p, "=")
		if !among(names, name) {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, "&"), len(kept) < len(parts)
}

// robot reports whether a User-Agent is one of a robot. Nobody at all is none: many logs do not say
// who asks.
func (l *LeaveOut) robot(agent string) bool {
	agent = strings.ToLower(agent)
	return slices.ContainsFunc(l.Robots, func(w string) bool { return strings.Contains(agent, w) })
}

// part reports whether a path is one of a part of a page.
func (l *LeaveOut) part(path string) bool {
	dot := strings.LastIndexByte(path, '.')
	if dot < 0 || strings.IndexByte(path[dot:], '/') >= 0 {
		return false
	}
	return among(l.Parts, path[dot:])
}
