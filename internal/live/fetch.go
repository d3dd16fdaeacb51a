package live

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// fetch gets the body of a URL, to MostBody octets, following a few redirects. Certificates are not judged.
func (w *Web) fetch(ctx context.Context, u web.URL, accept string) (int, []byte, error) {
	public := false
	for range 4 {
		leave, ok := w.await(ctx, u.Host())
		if !ok {
			return 0, nil, ctx.Err()
		}
		status, location, body, err := w.fetchOnce(ctx, u, accept, &public)
		leave()
		if err != nil || location == "" {
			return status, body, err
		}
		next, _, err := u.Resolve(location)
		if err != nil {
			return status, nil, err
		}
		u = next
	}
	return 0, nil, errors.New("it redirects on and on")
}

// fetchOnce follows nothing. public says, and is told, whether the first address lay outside private networks.
func (w *Web) fetchOnce(ctx context.Context, u web.URL, accept string, public *bool) (int, string, []byte, error) {
	seen := &evidence{}
	if _, pointed := w.dialer.pointed(u.Host(), u.Door().PortNumber()); !pointed {
		if seen.host = w.resolver.lookup(ctx, u.Host()); seen.host.refusal != nil {
			return 0, "", nil, seen.host.refusal
		}
		if *public {
			if refused := w.keepOut(u.Host(), seen); refused != nil {
				return 0, "", nil, refused
			}
		}
	}
	ctx, cancel := context.WithTimeout(context.WithValue(ctx, evidenceKey{}, seen), 4*w.vantage.Timeout)
	defer cancel()
	request := &http.Request{Method: http.MethodGet, URL: asURL(u), Proto: "HTTP/1.1", ProtoMajor: 1, ProtoMinor: 1,
		Header: http.Header{"User-Agent": {w.vantage.Agent}, "Accept": {accept}}}
	response, err := w.shared.RoundTrip(request.WithContext(ctx))
	if err != nil {
		return 0, "", nil, w.sortHTTP(err, seen)
	}
	defer closeWith(ctx, response)()
	if target, _ := seen.read(); target.IsValid() && !web.IsPrivate(target.Addr()) {
		*public = true
	}
	if response.StatusCode == http.StatusSwitchingProtocols {
		return response.StatusCode, "", nil, errors.New(
			"it answers 101: it goes on in another protocol, for which nobody asked",
		)
	}
	location := ""
	if (chain.Answer{Status: response.StatusCode}).IsRedirect() {
		location = response.Header.Get("Location")
	}
	body, err := io.ReadAll(io.LimitReader(response.Body, MostBody))
	return response.StatusCode, location, body, err
}

// registration asks for a domain's registration (RFC 9082 section 3.1.3, RFC 9083 section 5.3).
func (w *Web) registration(ctx context.Context, r Registry, domain string) (*survey.Registration, error) {
	base := r.base(domain)
	if base == "" {
		return nil, errors.New("nobody is named who would know (registration: in the estate file)")
	}
	u, err := web.ParseURL(strings.TrimSuffix(base, "/") + "/domain/" + domain)
	if err != nil {
		return nil, err
	}
	status, body, err := w.fetch(ctx, u, "application/rdap+json")
	if err != nil {
		return nil, err
	}
	if status != http.StatusOK {
		return nil, fmt.Errorf("%s answers %d", u.Door(), status)
	}
	return readRegistration(u.Door().String(), body)
}
