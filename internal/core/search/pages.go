package search

import (
	"cmp"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// arrived judges the pages at which old URLs arrive.
func (j *judging) arrived() {
	for _, a := range j.order {
		p := j.Pages[a.url.Key()]
		if _, bars := j.bars(j.Own[a.url.Door()], a.url); bars && p == nil {
			continue // that is said: nobody may look
		}
		if p == nil || p.Status == 0 {
			why := cmp.Or(j.Skipped, NotLookedAt)
			if p != nil {
				why = cmp.Or(p.Why, NoAnswer)
			}
			j.lost(UnseenPages, a.url.String(), why)
			continue
		}
		to, first := a.url.String(), j.Olds[a.olds[0]].URL.String()
		switch {
		case p.Status >= 400:
			j.add(a.weight, len(a.olds), finding.New(finding.DeadEnd, to, fact.ArrivalFails{Page: to,
				Status: p.Status, URLs: len(a.olds), First: first}))
			continue
		case j.circles(p):
			j.add(a.weight, len(a.olds), finding.New(finding.Loop, to, fact.ArrivalLoops{Page: to,
				URLs: len(a.olds), First: first}))
			continue
		case !p.To.IsZero():
			j.add(a.weight, len(a.olds), finding.New(finding.ExtraHop, to, fact.ArrivalRedirects{Page: to,
				To: p.To.String(), URLs: len(a.olds), First: first}))
			continue
		}
		if p.SaysNone {
			j.add(a.weight, len(a.olds), finding.New(finding.DeadEnd, to, fact.ArrivalSaysNone{Page: to,
				URLs: len(a.olds), First: first}).As(finding.Warning))
		}
		if p.Hidden != nil {
			is := fact.ArrivalHidden{Page: to, How: p.Hidden, URLs: len(a.olds), First: first}
			j.add(a.weight, len(a.olds), finding.New(finding.NoIndex, to, is))
		}
		j.canonical(a, p)
		j.kinds(a, p)
	}
}

// circles reports whether a page redirects to where it was before, by what was seen.
func (j *judging) circles(p *Page) bool {
	met := map[string]bool{}
	for p != nil && !p.To.IsZero() {
		key := p.URL.Key()
		if met[key] {
			return true
		}
		met[key] = true
		p = j.Pages[p.To.Key()]
	}
	return false
}

// NoAnswer is why something is unseen that did not answer.
const NoAnswer = "no answer"

// canonical judges which address a page names as its own.
func (j *judging) canonical(a *arrival, p *Page) {
	if p.Canonical == "" {
		return
	}
	named, err := web.ParseURL(p.Canonical)
	if err != nil || named.Same(a.url) {
		return
	}
	to := a.url.String()
	var facts fact.Facts
	severity := finding.Warning
	next := j.Pages[named.Key()]
	switch {
	case j.Forwards != nil && j.Forwards(named.Door()):
		facts = fact.NamesOld{Page: to, Other: p.Canonical}
	case named.Scheme() == web.HTTP:
		facts = fact.CanonicalPlain{Element: "rel=canonical", Other: p.Canonical, Page: to}
	case next == nil || next.Status == 0:
		facts, severity = fact.NamesAnother{Page: to, Other: p.Canonical}, finding.Note
	case next.Status >= 400:
		facts = fact.NamesDead{Page: to, Other: p.Canonical, Status: next.Status}
	case !next.To.IsZero():
		facts = fact.NamesMoved{Page: to, Other: p.Canonical, To: next.To.String()}
	case next.Canonical != "" && !sameURL(next.Canonical, named):
		facts = fact.NamesInTurn{Page: to, Other: p.Canonical, Next: next.Canonical}
	default:
		facts, severity = fact.NamesAnother{Page: to, Other: p.Canonical}, finding.Note
	}
	j.add(a.weight, len(a.olds), finding.New(finding.CanonicalDisagrees, to, facts).As(severity))
}

func sameURL(s string, u web.URL) bool {
	other, err := web.ParseURL(s)
	return err == nil && other.Same(u)
}

// kinds judges whether pictures, documents and feeds arrive at their like: others embed them.
func (j *judging) kinds(a *arrival, p *Page) {
	if p.Kind == "" {
		return
	}
	type group struct {
		olds   int
		weight int64
		first  string
	}
	groups := map[string]*group{}
	var order []string
	for _, i := range a.olds {
		o := &j.Olds[i]
		kind := KindOf(o.URL.Path())
		if kind == "" || fits(kind, p.Kind) {
			continue
		}
		g := groups[kind]
		if g == nil {
			g = &group{first: o.URL.String()}
			groups[kind] = g
			order = append(order, kind)
		}
		g.olds++
		g.weight += o.Weight
	}
	for _, kind := range order {
		g := groups[kind]
		j.add(g.weight, g.olds, finding.New(finding.OtherKind, g.first, fact.ArrivesAsOther{
			First: g.first, Kind: kind, URLs: g.olds, Page: a.url.String(), Serves: p.Kind}))
	}
}

// Kinds of files that others embed, link to or subscribe to.
const (
	Picture  = "picture"
	Document = "document"
	Media    = "recording"
	FeedKind = "feed"
)

var byEnding = map[string]string{".png": Picture, ".jpg": Picture, ".jpeg": Picture,
	".gif": Picture, ".webp": Picture, ".avif": Picture, ".svg": Picture, ".bmp": Picture,
	".pdf": Document,
	".doc": Document, ".docx": Document, ".xls": Document, ".xlsx": Document, ".ppt": Document,
	".pptx": Document, ".odt": Document, ".ods": Document, ".epub": Document, ".zip": Document,
	".mp3": Media, ".mp4": Media, ".webm": Media, ".ogg": Media, ".wav": Media,
	".rss": FeedKind, ".atom": FeedKind, ".rdf": FeedKind}

var feedNames = map[string]bool{"feed": true, "rss": true, "atom": true, "feed.xml": true,
	"rss.xml": true, "atom.xml": true, "index.rdf": true, "rss.php": true, "feed.php": true}

// KindOf gives what a path is by its name: a picture, a document, a recording, a feed; "" for
// anything else.
func KindOf(p string) string {
	p = strings.ToLower(strings.TrimSuffix(p, "/"))
	if feedNames[p[strings.LastIndexByte(p, '/')+1:]] {
		return FeedKind
	}
	dot := strings.LastIndexByte(p, '.')
	if dot < 0 {
		return ""
	}
	return byEnding[p[dot:]]
}

// fits reports whether a content type is one of a kind. What says nothing of itself may be
// anything.
func fits(kind, content string) bool {
	content = strings.ToLower(strings.TrimSpace(content))
	if content == "application/octet-stream" {
		return true
	}
	page := content == "text/html" || content == "application/xhtml+xml"
	switch kind {
	case Picture:
		return strings.HasPrefix(content, "image/")
	case Media:
		return strings.HasPrefix(content, "audio/") || strings.HasPrefix(content, "video/") ||
			content == "application/ogg"
	case FeedKind:
		return strings.HasSuffix(content, "xml") && !page || strings.HasSuffix(content, "json")
	}
	return !page // a document may have become one of another kind
}

// feeds judges where the feeds of old hosts lead.
func (j *judging) feeds() {
	for _, f := range once(j.Feeds, func(f Feed) web.URL { return f.URL }) {
		if KindOf(f.URL.Path()) == FeedKind && j.isOld(f.URL) {
			continue // it was judged with the old URLs
		}
		at := f.URL.String()
		if f.To.IsZero() {
			j.add(0, 0, finding.New(finding.OtherKind, at, fact.FeedEnds{Feed: at, Page: f.Page.String()}))
			continue
		}
		p := j.Pages[f.To.Key()]
		switch {
		case p == nil || p.Status == 0:
			j.lost(UnseenPages, f.To.String(), cmp.Or(j.Skipped, NotLookedAt))
		case p.Status >= 400 || p.Kind != "" && !fits(FeedKind, p.Kind):
			serves := p.Kind
			if p.Status >= 400 {
				serves = ""
			}
			j.add(0, 0, finding.New(finding.OtherKind, at, fact.FeedArrives{Feed: at,
				Named: f.Page.String(), Page: f.To.String(), Serves: serves, Status: p.Status}))
		}
	}
}

func (j *judging) isOld(u web.URL) bool {
	for _, o := range j.Olds {
		if o.URL.Same(u) {
			return true
		}
	}
	return false
}
