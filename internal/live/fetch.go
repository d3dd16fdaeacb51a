package live

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// fetch gets the body of a URL, following a few redirects. Certificates are not judged. A body of
// more than so many octets is an error.
func (w *Client) fetch(ctx context.Context, u web.URL, accept string, most int64) (int, []byte,
	error) {
	return w.fetchFrom(ctx, u, accept, most, false)
}

// fetchFrom does so for a URL that somebody public named, who leads nobody into private networks,
// or for one that was typed here.
func (w *Client) fetchFrom(
	ctx context.Context, u web.URL, accept string, most int64, public bool,
) (int, []byte, error) {
	status, body, err := w.fetchStart(ctx, u, accept, most+1, public)
	if int64(len(body)) > most {
		return status, nil, fmt.Errorf("%s sends more than %d octets", u.Door(), most)
	}
	return status, body, err
}

// fetchStart gets so many octets of the body at most, and leaves the rest.
func (w *Client) fetchStart(
	ctx context.Context, u web.URL, accept string, most int64, public bool,
) (int, []byte, error) {
	_, status, body, err := w.fetchEnd(ctx, u, accept, most, public)
	return status, body, err
}

// mostFetchHops is how many redirects are followed to a file (RFC 9309 section 2.3.1.2: at least
// five).
const mostFetchHops = 5

var errFetchHops = errors.New("it never stops redirecting")

// fetchEnd does the same, and says who answered in the end.
func (w *Client) fetchEnd(
	ctx context.Context, u web.URL, accept string, most int64, public bool,
) (at web.URL, status int, body []byte, err error) {
	for range mostFetchHops + 1 {
		leave, ok := w.await(ctx, u.Host())
		if !ok {
			return u, 0, nil, ctx.Err()
		}
		status, location, body, err := w.fetchOnce(ctx, u, accept, most, &public)
		leave()
		if err != nil || location == "" {
			return u, status, body, err
		}
		next, _, err := u.Resolve(location)
		if err != nil {
			return u, status, nil, err
		}
		u = next
	}
	return u, 0, nil, errFetchHops
}

// fetchOnce follows nothing, and reads so many octets of the body at most.
func (w *Client) fetchOnce(
	ctx context.Context,
	u web.URL,
	accept string,
	most int64,
	public *bool,
) (status int, location string, body []byte, err error) {
	err = w.exchange(ctx, u, accept, public, func(response *http.Response) error {
		if status = response.StatusCode; (chain.Answer{Status: status}).IsRedirect() {
			location = response.Header.Get("Location")
		}
		from, _, packed := unpacked(response.Header, response.Body)
		if packed != nil {
			from = response.Body // as it came: it may be a packed file
		}
		body, err = io.ReadAll(io.LimitReader(from, most))
		return err
	})
	return status, location, body, err
}

// exchange asks for a URL and hands over the answer. public says, and is told, whether the first
// address lay outside private networks.
func (w *Client) exchange(
	ctx context.Context,
	u web.URL,
	accept string,
	public *bool,
	take func(*http.Response) error,
) error {
	seen := &evidence{}
	if _, pointed := w.dialer.pointed(u.Host(), u.Door().PortNumber()); !pointed {
		if seen.host = w.resolver.lookup(ctx, u.Host()); seen.host.refusal != nil {
			return seen.host.refusal
		}
		if *public {
			if refused := w.keepOut(u.Host(), seen); refused != nil {
				return refused
			}
		}
	}
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, evidenceKey{}, seen),
		4*w.vantage.Timeout)
	defer cancel()
	request := &http.Request{Method: http.MethodGet, URL: asURL(u), Proto: "HTTP/1.1", ProtoMajor: 1,
		ProtoMinor: 1,
		Header:     http.Header{"User-Agent": {w.vantage.Agent}, "Accept": {accept}}}
	response, err := w.shared.RoundTrip(request.WithContext(ctx))
	if err != nil {
		return w.sortHTTP(err, seen)
	}
	defer closeWith(ctx, response)()
	if target, _ := seen.read(); target.IsValid() && !web.IsPrivate(target.Addr()) {
		*public = true
	}
	if response.StatusCode == http.StatusSwitchingProtocols {
		return errors.New("it answers 101: it switches to a protocol that was not requested")
	}
	return take(response)
}

// Fetch gets the body of a URL, following a few redirects; one of more than so many octets is an
// error. Certificates are not judged.
func (w *Client) Fetch(ctx context.Context, u web.URL, most int64) (status int, body []byte,
	err error) {
	return w.fetch(ctx, u, "*/*", most)
}

// FetchNamed does the same for a URL that something from outside named: it leads nobody into
// private networks, unless the vantage looks into those anyway.
func (w *Client) FetchNamed(ctx context.Context, u web.URL, most int64) (int, []byte, error) {
	return w.fetchFrom(ctx, u, "*/*", most, true)
}
