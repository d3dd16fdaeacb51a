package cli

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
)

// contentOptions say how far an audit of what search engines see goes.
type contentOptions struct {
	on      bool
	most    int
	changed func(string) bool
}

// Bounds of what is read beside pages.
const (
	mostEntries = 500_000   // of all sitemaps of the site
	mostOldMaps = 10        // sitemaps of one old host
	mostMapSize = 64 << 20  // octets of a sitemap
	mostMapText = 256 << 20 // octets of one, unpacked
	mostDeep    = 20        // links away from where a crawl of the site begins
	mostAtOnce  = 16        // old hosts that are asked at a time
)

func (o *contentOptions) check(olds *oldURLOptions, doorsOnly bool) error {
	switch {
	case !o.on && o.changed("most-pages"):
		return usage("--most-pages is for --content; expected it with that")
	case o.on && olds.resume:
		return usage("--resume: --content starts anew each time; expected one of them")
	case o.on && doorsOnly:
		return usage("--doors-only: --content follows no doors; expected one of them")
	case o.most < 1 || o.most > mostToCrawl:
		return usage("audit: expected --most-pages from 1 to %d", mostToCrawl)
	}
	return nil
}

// content looks at what search engines see.
type content struct {
	*program
	made *plan.Plan
	w    *live.Client
	goal func(web.URL) web.URL // where the plan leads a URL on the site
	lock sync.Mutex
	seen search.Seen
	// feeds that pages of the site name, each with the first that does
	feeds map[string]web.URL
	lost  map[[2]string]*search.Unseen
}

// auditContent shows what search engines meet, and whoever embeds files.
func (p *program) auditContent(ctx context.Context, from *estateOptions, v *vantageOptions,
	o *contentOptions, olds *oldURLOptions, out *output) error {
	e, in, err := p.readSeen(ctx, from)
	if err != nil {
		return err
	}
	door, err := doorOf(olds.host)
	if err != nil {
		return err
	}
	var paths []string
	switch _, err := os.Stat(files.Beside(e.Path, oldURLsName)); {
	case olds.path != "":
		paths = []string{olds.path}
	case err == nil:
		paths = []string{files.Beside(e.Path, oldURLsName)}
	}
	var addresses []old.Address
	source := ""
	if len(paths) > 0 {
		if addresses, source, err = p.oldURLs(ctx, e, in, door, paths); err != nil {
			return err
		}
	}
	made := plan.Bare(in)
	v.perHost, v.rate = politely(v, o.changed)
	w, err := v.open(e)
	if err != nil {
		return err
	}
	defer w.Close()
	c := &content{program: p, made: made, w: w, lost: map[[2]string]*search.Unseen{},
		feeds: map[string]web.URL{}}
	c.seen = search.Seen{Site: made.Estate.Canonical, Forwards: made.Forwards,
		Serves: made.Estate.Serves,
		Today:  map[web.Door]search.Robots{}, After: map[web.Door]search.Robots{},
		Own: map[web.Door]search.Robots{}, Pages: map[string]*search.Page{},
		Accept: func(all []finding.Finding) []finding.Finding {
			return finding.Accept(all, made.Estate.Accept, w.Now())
		}}
	c.goal = search.Goals(made.Web, made.Estate.Serves)
	c.seen.Goal = c.goal
	c.seen.Olds = search.OldsOf(old.Cover(made.Web, addresses, nil), func(d web.Door) bool {
		return made.Forwards(d) && made.Web.Means(d.Host)
	}, made.Estate.Serves)
	started := p.now()
	meter := p.progress("looking at the old hosts", 0, "")
	c.site(ctx)
	c.oldHosts(ctx)
	meter.done()
	err = c.crawl(ctx, o, v.parallel)
	if err == nil {
		c.siteFeeds(ctx)
		c.others(ctx)
		err = ctx.Err()
	}
	if broken := w.Broken(); broken != nil {
		return failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	for _, u := range c.lost {
		c.seen.Lost = append(c.seen.Lost, *u)
	}
	slices.SortFunc(c.seen.Lost, func(a, b search.Unseen) int {
		return cmp.Or(cmp.Compare(a.What, b.What), cmp.Compare(a.Why, b.Why))
	})
	found := search.Judge(c.seen)
	d := report.Content(report.ForContent{Found: found, Source: source, Vantage: w.Vantage().Name,
		Canonical: made.Canonical, Started: started.UTC().Truncate(time.Millisecond),
		Interrupted: err != nil, Notes: w.Notes(), All: out.detail})
	if showErr := p.show(d, out); showErr != nil {
		return showErr
	}
	if err != nil {
		return err
	}
	return out.exit(found.Findings())
}

// miss takes in that something could not be looked at.
func (c *content) miss(what, first, why string, count int) {
	c.lock.Lock()
	defer c.lock.Unlock()
	u := c.lost[[2]string{what, why}]
	if u == nil {
		u = &search.Unseen{What: what, First: first, Why: why}
		c.lost[[2]string{what, why}] = u
	}
	u.Count += count
}

// site reads the robots.txt of the site's doors, and its sitemaps.
func (c *content) site(ctx context.Context) {
	e := c.made.Estate
	asked := map[string]bool{}
	gone := true
	var mapped, typed []string // those that robots.txt names, and those where one usually is
	for _, site := range e.Sites() {
		for _, h := range append([]web.Host{site.Canonical.Host}, site.Hosts...) {
			d := web.Door{Scheme: web.HTTPS, Host: h}
			if h == site.Canonical.Host {
				d = site.Canonical
			}
			if _, known := c.seen.Own[d]; known {
				continue
			}
			at := d.URL("/robots.txt", "")
			r := c.w.Robots(ctx, at)
			if c.seen.Own[d] = r; r.Says == nil {
				c.miss(search.UnseenRobots, at.String(), r.Why, 1)
			}
			if d != site.Canonical {
				continue
			}
			typed = append(typed, d.URL("/sitemap.xml", "").String())
			gone = gone && r.Says != nil
			if r.Says == nil {
				continue
			}
			for _, name := range r.Says.Sitemaps {
				if u, _, err := at.Resolve(name); err == nil && !asked[u.Key()] {
					asked[u.Key()] = true
					mapped = append(mapped, u.String())
				}
			}
		}
	}
	list := func(in string, u web.URL) bool {
		c.seen.Listed = append(c.seen.Listed, search.Listed{URL: u, In: in})
		return len(c.seen.Listed) < mostEntries
	}
	took, missing := c.sitemaps(ctx, search.UnseenSitemaps, mapped, 0, asked, list, mostMaps)
	if took == 0 && missing { // none is named: it may stand where it usually does
		took, missing = c.sitemaps(ctx, search.UnseenSitemaps, typed, len(typed), asked, list, mostMaps)
	}
	c.seen.MapsRead, c.seen.MapsGone = took, gone && missing
	if len(c.seen.Listed) >= mostEntries {
		c.miss(search.UnseenSitemaps, c.seen.Site.String(),
			fmt.Sprintf("more than %d entries", mostEntries), 1)
	}
}

// sitemaps reads sitemaps, and those that indexes among them name; all but the first so many were
// named by somebody outside. took is how many were read; missing says that each of those that were
// not is not there.
func (c *content) sitemaps(ctx context.Context, what string, all []string, typed int,
	asked map[string]bool, take func(in string, u web.URL) bool, most int) (took int, missing bool) {
	missing = true
	for i := 0; i < len(all) && ctx.Err() == nil; i++ {
		at, err := web.ParseURL(all[i])
		if err != nil {
			continue
		}
		if i >= most {
			c.miss(what, at.String(), fmt.Sprintf("more than %d", most), len(all)-i)
			return took, false
		}
		from, status, body, err := c.w.Body(ctx, at, mostMapSize, i >= typed)
		switch {
		case err == nil && status >= 400 && status < 500 && !search.Guarded(status):
			continue
		case err != nil:
			c.miss(what, at.String(), live.Reason(err), 1)
		case status != 200:
			c.miss(what, at.String(), fmt.Sprintf("it answers %d", status), 1)
		}
		if err != nil || status != 200 {
			missing = false
			continue
		}
		if isMarkupPage(body) {
			continue // a page in place of one
		}
		missing = false
		enough := errors.New("enough")
		var over error
		reader := &files.OldURLs{Door: from.Door(), Most: mostMapText,
			Stop: func() error { return cmp.Or(over, ctx.Err()) }}
		reader.To = old.Each(func(s old.Seen) {
			if u, _, err := from.Resolve(string(s.URL)); err == nil && over == nil && !take(at.String(), u) {
				over = enough
			}
		})
		if err := reader.AddFrom(at.String(), at.String(), bytes.NewReader(body)); err != nil &&
			!errors.Is(err, enough) {
			c.miss(what, at.String(), "it cannot be read", 1)
			continue
		}
		took++
		for _, name := range reader.Maps {
			if u, _, err := from.Resolve(name); err == nil && !asked[u.Key()] {
				asked[u.Key()] = true
				all = append(all, u.String())
			}
		}
	}
	return took, missing
}

// isMarkupPage reports whether a body is an HTML page.
func isMarkupPage(body []byte) bool {
	start := strings.ToLower(string(bytes.TrimSpace(body[:min(len(body), 1<<10)])))
	return strings.HasPrefix(start, "<!doctype html") || strings.HasPrefix(start, "<html")
}

// oldHosts looks at what the old hosts tell search engines today, and at what will answer for them.
func (c *content) oldHosts(ctx context.Context) {
	var hosts []web.Host
	for _, d := range c.made.Domains() {
		for _, h := range d.Hosts() {
			hosts = append(hosts, h.Typed())
		}
	}
	work := make(chan web.Host)
	var workers crew.Crew
	for range min(mostAtOnce, len(hosts)) {
		workers.Go(func() {
			for h := range work {
				if ctx.Err() == nil {
					c.oldHost(ctx, h)
				}
			}
		})
	}
	for _, h := range hosts {
		work <- h
	}
	close(work)
	workers.Wait()
}

func (c *content) oldHost(ctx context.Context, h web.Host) {
	var mapped []string
	asked := map[string]bool{}
	for _, d := range web.Doors(h) {
		at := d.URL("/robots.txt", "")
		today, after := c.w.Robots(ctx, at), c.after(ctx, at)
		c.lock.Lock()
		c.seen.Today[d], c.seen.After[d] = today, after
		c.lock.Unlock()
		names := []string{d.URL("/sitemap.xml", "").String()}
		if today.Says != nil && c.made.Forwards(today.From.Door()) {
			names = append(names, today.Says.Sitemaps...)
		}
		for _, name := range names {
			if u, _, err := at.Resolve(name); err == nil && c.made.Forwards(u.Door()) {
				key := strings.TrimPrefix(strings.TrimPrefix(u.Key(), "https"), "http")
				if !asked[key] {
					asked[key] = true
					mapped = append(mapped, u.String())
				}
			}
		}
	}
	for _, m := range mapped[:min(len(mapped), mostOldMaps)] {
		c.oldMap(ctx, m)
	}
	c.home(ctx, web.Door{Scheme: web.HTTP, Host: h}.URL("/", ""))
}

// after gives what answers for the robots.txt of an old door after the move.
func (c *content) after(ctx context.Context, at web.URL) search.Robots {
	way := chain.Follow(ctx, c.made.Web, chain.Ask{URL: at}, chain.Asked)
	last := way.Last()
	switch {
	case way.End != chain.Page:
		return search.Robots{From: last.URL, Why: "the plan leads it nowhere"}
	case last.Status == 410:
		return search.Robots{From: last.URL, Status: 410, Says: robots.ParseAll("")}
	case c.made.Forwards(way.Arrival.Door()):
		return search.Robots{From: last.URL, Why: "the plan leads it to no page"}
	}
	c.lock.Lock()
	own, known := c.seen.Own[way.Arrival.Door()]
	c.lock.Unlock()
	if known && way.Arrival.Path() == "/robots.txt" {
		return own
	}
	return c.w.Robots(ctx, way.Arrival)
}

// oldMap looks whether an old host serves a sitemap of its own today.
func (c *content) oldMap(ctx context.Context, name string) {
	at, err := web.ParseURL(name)
	if err != nil {
		return
	}
	from, status, _, err := c.w.Body(ctx, at, mostMapSize, at.Path() != "/sitemap.xml")
	if err != nil && !live.NoSuchHost(err) {
		c.miss(search.UnseenOldMaps, name, live.Reason(err), 1)
	}
	if err != nil || status != 200 || !c.made.Forwards(from.Door()) {
		return
	}
	lists := 0
	took, _ := c.sitemaps(ctx, search.UnseenOldMaps, []string{from.String()}, 0,
		map[string]bool{from.Key(): true},
		func(string, web.URL) bool {
			lists++
			return lists < mostEntries
		}, mostOldMaps)
	if took == 0 || lists == 0 {
		return
	}
	one := search.OldMap{URL: from, Lists: lists, To: c.goal(from)}
	c.lock.Lock()
	defer c.lock.Unlock()
	c.seen.OldMaps = append(c.seen.OldMaps, one)
}

// home looks which feeds the home page of an old host names today.
func (c *content) home(ctx context.Context, at web.URL) {
	got, page, err := c.w.Home(ctx, at)
	switch {
	case live.NoSuchHost(err):
		return
	case err != nil:
		c.miss(search.UnseenHomes, at.String(), live.Reason(err), 1)
		return
	case !c.made.Forwards(page.Door()):
		return
	}
	for _, f := range got.Feeds {
		if !c.made.Forwards(f.Door()) {
			continue
		}
		one := search.Feed{URL: f, Page: page, To: c.goal(f)}
		c.lock.Lock()
		c.seen.Feeds = append(c.seen.Feeds, one)
		c.lock.Unlock()
	}
}

// crawl looks at the pages of the site: those at which old URLs arrive, the heaviest first, those
// in its sitemaps, and what they link to.
func (c *content) crawl(ctx context.Context, o *contentOptions, parallel int) error {
	f := old.NewFrontier(old.DefaultLeaveOut())
	f.Depth, f.PerFolder = mostDeep, mostAlike
	f.Doors = func(d web.Door) bool {
		return c.made.Estate.IsCanonical(d) || d.Port == 0 && c.made.Estate.Serves(d.Host)
	}
	var homes []web.URL
	for _, site := range c.made.Estate.Sites() {
		homes = append(homes, site.Canonical.URL("/", ""))
	}
	left := search.Allot(f, o.most, homes, c.seen.Olds, c.seen.Listed)
	meter := c.progress("crawling the site", 0, "")
	defer meter.done()
	crawl := live.Crawling{Web: c.w, Frontier: f, Agent: robotsName, Parallel: parallel,
		Notes: func(h web.Host) bool {
			return c.made.Forwards(web.Door{Scheme: web.HTTPS, Host: h})
		},
		Met: func(at old.Place, got live.Crawled, err error) {
			meter.step()
			switch {
			case err != nil:
				c.seen.Pages[at.URL.Key()] = &search.Page{URL: at.URL}
				c.miss(search.UnseenLinks, at.URL.String(), live.Reason(err), 1)
			case got.Page != nil:
				c.seen.Pages[at.URL.Key()] = got.Page
			}
			for _, f := range got.Feeds {
				if c.made.Estate.Serves(f.Host()) && len(c.feeds) < mostFeeds {
					c.feeds[f.String()] = f
				}
			}
		}}
	err := crawl.Run(ctx)
	if left || f.TooMany > 0 {
		c.seen.Skipped = fmt.Sprintf("beyond --most-pages %d", o.most)
	}
	root := c.made.Estate.Canonical.URL("/", "").String()
	if f.TooMany > 0 {
		c.miss(search.UnseenLinks, root, fmt.Sprintf("beyond --most-pages %d", o.most), f.TooMany)
	}
	if f.TooDeep > 0 {
		c.miss(search.UnseenLinks, root, fmt.Sprintf("more than %d links away", mostDeep), f.TooDeep)
	}
	if f.Barred > 0 {
		c.miss(search.UnseenLinks, root, "robots.txt keeps this program away, or was not seen", f.Barred)
	}
	if f.Waiting() > 0 {
		c.miss(search.UnseenLinks, root, "interrupted", f.Waiting())
	}
	return err
}

// mostFeeds is how many feeds of the site are read.
const mostFeeds = 20

// siteFeeds reads the feeds of the site for entries that still lead to old hosts.
func (c *content) siteFeeds(ctx context.Context) {
	for _, key := range slices.Sorted(maps.Keys(c.feeds)) {
		at := c.feeds[key]
		from, status, body, err := c.w.Body(ctx, at, mostMapSize, true)
		if err != nil || status != 200 {
			c.miss(search.UnseenLinks, key, "a feed that cannot be read", 1)
			continue
		}
		page := &search.Page{URL: at, Status: status, Kind: "application/xml"}
		take := old.Each(func(s old.Seen) {
			u, _, err := from.Resolve(string(s.URL))
			if err == nil && c.made.Forwards(u.Door()) && len(page.Links) < mostOthers {
				page.Links = append(page.Links, chain.Link{URL: u.String(), Element: "entry of a feed"})
			}
		})
		reader := &files.OldURLs{Door: from.Door(), Most: mostMapText, Stop: ctx.Err, To: take}
		if err := reader.AddFrom(key, key, bytes.NewReader(body)); err != nil {
			c.miss(search.UnseenLinks, key, "a feed that cannot be read", 1)
			continue
		}
		c.seen.Pages[at.Key()] = page
	}
}

// others asks for what no crawl follows: pictures, documents and feeds at which old ones arrive.
func (c *content) others(ctx context.Context) {
	all := search.Arrivals(c.seen.Olds)
	for _, f := range c.seen.Feeds {
		all = append(all, f.To)
	}
	none := func(web.Host) bool { return false }
	linked := map[string]bool{} // where what the site still names on old hosts leads
	for _, p := range c.seen.Pages {
		for _, l := range p.Links {
			if u, err := web.ParseURL(l.URL); err == nil && len(linked) < mostLinked {
				if to := c.goal(u); !linked[to.Key()] {
					linked[to.Key()] = true
					all = append(all, to)
				}
			}
		}
	}
	asked := 0
	for _, u := range all {
		if u.IsZero() || c.seen.Pages[u.Key()] != nil || ctx.Err() != nil || asked >= mostOthers ||
			search.KindOf(u.Path()) == "" && !c.feedAt(u) && !linked[u.Key()] {
			continue
		}
		if r, known := c.seen.Own[u.Door()]; known && (r.Says == nil ||
			!r.Says.Everybody.Allows(u.RequestURI())) {
			continue
		}
		asked++
		if got, err := c.w.Crawl(ctx, u, false, none); err == nil && got.Page != nil {
			c.seen.Pages[u.Key()] = got.Page
		}
	}
}

// How many of those are asked for, and how many of what the site still names on old hosts.
const (
	mostOthers = 500
	mostLinked = 100
)

func (c *content) feedAt(u web.URL) bool {
	return slices.ContainsFunc(c.seen.Feeds, func(f search.Feed) bool { return f.To.Same(u) })
}
