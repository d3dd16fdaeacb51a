package live

import (
	"cmp"
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/web"
)

// Crawled is what a URL gave to a crawl.
type Crawled struct {
	Status int
	Kind   string    // of its content, such as text/html
	To     web.URL   // where it redirects; the zero value: nowhere
	Links  []web.URL // of a page, each once
	Public bool      // it lies outside private networks
	Says   Says      // of a page

	// where pages are read for more than their links
	Page  *search.Page
	Feeds []web.URL // that the page names
}

// mostCrawlLinks is how many links of a page are taken.
const mostCrawlLinks = 5000

// Crawl asks for a URL and reads the links of its page. One that wants to be asked later is asked
// once more then. public says that the crawl began outside private networks.
// Where notes is given, pages are read whole, and links to the hosts that it names are kept with
// their place.
func (w *Client) Crawl(ctx context.Context, u web.URL, public bool,
	notes func(web.Host) bool) (Crawled, error) {
	c, wait, err := w.crawlOnce(ctx, u, public, notes)
	if err == nil && wait > 0 {
		w.hold(u.Host(), wait)
		if sleep(ctx, wait) {
			c, _, err = w.crawlOnce(ctx, u, public, notes)
		}
	}
	return c, err
}

func (w *Client) crawlOnce(ctx context.Context, u web.URL, public bool,
	notes func(web.Host) bool) (c Crawled, wait time.Duration, err error) {
	leave, ok := w.await(ctx, u.Host())
	if !ok {
		return c, 0, ctx.Err()
	}
	defer leave()
	err = w.exchange(ctx, u, accept, &public, func(response *http.Response) error {
		c.Status = response.StatusCode
		c.Kind, _, _ = strings.Cut(response.Header.Get("Content-Type"), ";")
		a := chain.Answer{URL: u, Status: c.Status, Headers: headersOf(response.Header, c.Status)}
		c.Public = public
		var links []chain.Link
		cut := false
		if notes != nil {
			defer func() {
				if err == nil {
					c.Page = search.PageOf(&a, strings.ToLower(strings.TrimSpace(c.Kind)), links)
					c.Page.Cut = cut
				}
			}()
		}
		if a.IsRedirect() {
			a.Location = web.MaskedReference(response.Header.Get("Location"))
			if next, _, ok := a.Next(); ok {
				c.To = next
			}
			return nil
		}
		if held, later := backOff(&a, time.Now()); later {
			wait = max(held, time.Millisecond)
			return nil
		}
		if c.Status != http.StatusOK || !isPage(response.Header) {
			return nil
		}
		from, coding, err := unpacked(response.Header, response.Body)
		if err != nil {
			a.Unread = cmp.Or(coding, "?")
			return nil
		}
		page, err := io.ReadAll(io.LimitReader(from, MostPage))
		if err != nil && len(page) == 0 && !errors.Is(err, io.EOF) {
			return err
		}
		if notes != nil {
			m := w.page(u, page, response.Header)
			a.Page, a.Soft = m.doc, m.soft
		}
		text := asUTF8(page, one(response.Header, "Content-Type"))
		if notes == nil {
			c.Says = saysOf(u, text)
		}
		l := linksOf(u, text, notes)
		c.Links, links, c.Feeds, cut = l.all, l.noted, l.feeds, l.cut || len(page) >= MostPage
		return nil
	})
	return c, wait, err
}

// Crawling is a crawl that goes on.
type Crawling struct {
	Web      *Client
	Frontier *old.Frontier
	Agent    string // by which robots.txt may name us
	Parallel int
	Met      func(old.Place, Crawled, error) // is told of each URL that was asked for, one at a time
	// hosts to which links are kept with their place; nil: none
	Notes func(web.Host) bool

	lock   sync.Mutex
	more   *sync.Cond
	busy   int
	public bool
	robots map[web.Door]*robotsOf
}

// robotsOf is the robots.txt of a door, read once.
type robotsOf struct {
	once sync.Once
	says *robots.File
}

// Run crawls until the frontier is empty, or the context ends, whose error comes back.
func (c *Crawling) Run(ctx context.Context) error {
	c.more = sync.NewCond(&c.lock)
	c.robots = map[web.Door]*robotsOf{}
	defer context.AfterFunc(ctx, func() { // whoever waits for more wakes
		c.lock.Lock()
		defer c.lock.Unlock()
		c.more.Broadcast()
	})()
	var workers crew.Crew
	for range c.Parallel {
		workers.Go(func() {
			for {
				p, ok := c.next(ctx)
				if !ok {
					return
				}
				c.ask(ctx, p)
			}
		})
	}
	workers.Wait()
	return ctx.Err()
}

// next gives the next URL, and waits for one while others may still find some.
func (c *Crawling) next(ctx context.Context) (old.Place, bool) {
	c.lock.Lock()
	defer c.lock.Unlock()
	for ctx.Err() == nil {
		if p, ok := c.Frontier.Next(); ok {
			c.busy++
			return p, true
		}
		if c.busy == 0 {
			break
		}
		c.more.Wait()
	}
	c.more.Broadcast()
	return old.Place{}, false
}

func (c *Crawling) ask(ctx context.Context, p old.Place) {
	allowed := c.robotsAt(ctx, p.URL.Door()).Allows(p.URL.RequestURI())
	var got Crawled
	var err error
	if allowed {
		c.lock.Lock()
		public := c.public
		c.lock.Unlock()
		got, err = c.Web.Crawl(ctx, p.URL, public, c.Notes)
	}
	c.lock.Lock()
	defer c.lock.Unlock()
	defer c.more.Broadcast()
	c.busy--
	if !allowed {
		c.Frontier.Barred++
		return
	}
	if ctx.Err() != nil {
		return // it may have been cut off
	}
	c.public = c.public || got.Public
	c.Met(p, got, err)
	if !got.To.IsZero() {
		c.Frontier.Add(got.To, p.Depth) // the same page by another name
	}
	for _, l := range got.Links {
		c.Frontier.Add(l, p.Depth+1)
	}
}

// robotsAt gives the robots.txt of a door. One that is not there bars nothing; one that nobody
// could read bars all (RFC 9309 section 2.3.1).
func (c *Crawling) robotsAt(ctx context.Context, d web.Door) *robots.File {
	c.lock.Lock()
	r := c.robots[d]
	if r == nil {
		r = &robotsOf{}
		c.robots[d] = r
	}
	c.lock.Unlock()
	r.once.Do(func() {
		c.lock.Lock()
		public := c.public
		c.lock.Unlock()
		status, body, err := c.Web.fetchStart(ctx, d.URL("/robots.txt", ""), "*/*", robots.MostRead,
			public)
		switch {
		case err != nil || status >= 500:
			r.says = robots.Barred()
		case status >= 400:
			r.says = &robots.File{}
		default:
			r.says = robots.Parse(string(body), c.Agent)
		}
		if r.says.Delay > 0 {
			c.Web.space(d.Host, r.says.Delay)
		}
	})
	return r.says
}
