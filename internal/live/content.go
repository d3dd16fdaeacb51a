package live

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/web"
)

// Robots asks for a robots.txt and says what counts of it (RFC 9309 section 2.3.1): one that is not
// there bars nothing, one whose server fails bars everything. What nobody answered, or wants to be
// asked later, is unseen.
func (w *Client) Robots(ctx context.Context, at web.URL) search.Robots {
	from, status, body, err := w.fetchEnd(ctx, at, "text/plain,*/*;q=0.5", robots.MostRead, false)
	r := search.Robots{From: from, Status: status}
	switch {
	case errors.Is(err, errFetchHops): // section 2.3.1.2: as if it were not there
		r.Says = robots.ParseAll("")
	case err != nil:
		r.Status, r.Why = 0, plainReason(err)
	case search.Guarded(status): // whoever may look sees another one, and so will everybody later
		r.Status, r.Why = 0, fmt.Sprintf("it answers %d", status)
	case status >= 500:
		r.Says = robots.BarredAll()
	case status >= 400:
		r.Says = robots.ParseAll("")
	default:
		r.Says = robots.ParseAll(string(body))
	}
	return r
}

// Body gets a file, following a few redirects, and says who answered in the end. named says that
// something from outside names the URL.
func (w *Client) Body(ctx context.Context, at web.URL, most int64, named bool) (from web.URL,
	status int, body []byte, err error) {
	from, status, body, err = w.fetchEnd(ctx, at, "*/*", most+1, named)
	if int64(len(body)) > most {
		return from, status, nil, errors.New("it is too large")
	}
	return from, status, body, err
}

// Home reads the page to which a URL leads, through a few redirects.
func (w *Client) Home(ctx context.Context, at web.URL) (Crawled, web.URL, error) {
	none := func(web.Host) bool { return false }
	public := false
	for range mostFetchHops + 1 {
		c, err := w.Crawl(ctx, at, public, none)
		public = public || c.Public
		if err != nil || c.Page == nil || c.Page.To.IsZero() {
			return c, at, err
		}
		at = c.Page.To
	}
	return Crawled{}, at, errFetchHops
}

// NoSuchHost reports whether an error says that a host has no address: there is nothing to see.
func NoSuchHost(err error) bool {
	var r *refusal
	return errors.As(err, &r) && r.kind == chain.NoAddress
}

// Reason says an error in a few words.
func Reason(err error) string { return strings.TrimSuffix(plainReason(err), ".") }
