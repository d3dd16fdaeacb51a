package live

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

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

// Registry says where registrations are asked for (RDAP): a base address, or a bootstrap file (RFC 9224) that names one
// for each ending. The zero value asks nobody.
type Registry struct {
	Base     string
	services map[string]string
}

// ReadBootstrap reads an RFC 9224 bootstrap file. An error says what is wrong with it.
func ReadBootstrap(path string) (Registry, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return Registry{}, fmt.Errorf("reading the bootstrap file: %w", err)
	}
	var file struct {
		Services [][][]string `json:"services"`
	}
	if err := json.Unmarshal(data, &file); err != nil {
		return Registry{}, fmt.Errorf("%s: %w; expected a bootstrap file of RFC 9224 with \"services\"", path, err)
	}
	r := Registry{services: map[string]string{}}
	for _, s := range file.Services {
		if len(s) != 2 || len(s[1]) == 0 {
			continue
		}
		for _, ending := range s[0] {
			r.services[strings.ToLower(ending)] = preferHTTPS(s[1])
		}
	}
	return r, nil
}

func preferHTTPS(bases []string) string {
	for _, b := range bases {
		if strings.HasPrefix(b, "https://") {
			return b
		}
	}
	return bases[0]
}

// base returns the base address for a domain: of the longest ending that the registry knows (RFC 9224 section 5.1).
func (r Registry) base(domain string) string {
	for ending := domain; ; {
		if b := r.services[ending]; b != "" {
			return b
		}
		_, rest, more := strings.Cut(ending, ".")
		if !more {
			return r.Base
		}
		ending = rest
	}
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

func readRegistration(from string, body []byte) (*survey.Registration, error) {
	var answer struct {
		Status []string `json:"status"`
		Events []struct {
			Action string    `json:"eventAction"`
			Date   time.Time `json:"eventDate"`
		} `json:"events"`
		NameServers []struct {
			Name string `json:"ldhName"`
		} `json:"nameservers"`
		Entities []struct {
			Roles []string          `json:"roles"`
			Card  []json.RawMessage `json:"vcardArray"`
		} `json:"entities"`
	}
	if err := json.Unmarshal(body, &answer); err != nil {
		return nil, fmt.Errorf("what %s sends is no registration: %w", from, err)
	}
	r := &survey.Registration{From: from, Status: answer.Status}
	for _, e := range answer.Events {
		if e.Action == "expiration" {
			r.Ends = &e.Date
		}
	}
	for _, n := range answer.NameServers {
		r.NameServers = append(r.NameServers, strings.ToLower(strings.TrimSuffix(n.Name, ".")))
	}
	for _, e := range answer.Entities {
		if slices.Contains(e.Roles, "registrar") && len(e.Card) == 2 {
			r.Registrar = cardName(e.Card[1])
		}
	}
	return r, nil
}

// cardName gives the name in a jCard (RFC 7095).
func cardName(raw json.RawMessage) string {
	var fields [][]any
	if json.Unmarshal(raw, &fields) != nil {
		return ""
	}
	for _, f := range fields {
		if len(f) == 4 && f[0] == "fn" {
			if name, ok := f[3].(string); ok {
				return name
			}
		}
	}
	return ""
}
