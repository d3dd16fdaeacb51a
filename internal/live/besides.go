package live

import (
	"bytes"
	"context"
	"encoding/xml"
	"io"
	"net/netip"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// CAA gives what the CAA records allow that hold for a host: those at the host, or at the nearest
// name above that has any (RFC 8659 section 3). false: not all could be asked.
func (w *Client) CAA(ctx context.Context, h web.Host) (chain.CAA, bool) {
	if w.resolver.system {
		return chain.CAA{}, false
	}
	for at := h; !at.IsZero(); at = at.Parent() {
		answer, refused := w.resolver.exchange(ctx, dns.Fqdn(at.String()), dns.TypeCAA)
		if refused != nil {
			return chain.CAA{}, false
		}
		found := chain.CAA{At: at.String(), Issuers: []string{}}
		some := false
		for _, rr := range answer.Answer {
			caa, is := rr.(*dns.CAA)
			if !is {
				continue
			}
			some = true
			if strings.EqualFold(caa.Tag, "issue") && strings.TrimSpace(caa.Value) != ";" {
				found.Issuers = append(found.Issuers, caa.Value)
			}
		}
		if some {
			return found, true
		}
	}
	return chain.CAA{}, true
}

// Origin asks the machine at an address for a URL by itself, over http and over https.
func (w *Client) Origin(ctx context.Context, u web.URL, at netip.Addr) (plain,
	secure chain.Answer) {
	ask := func(s web.Scheme) chain.Answer {
		return w.Answer(ctx, chain.Ask{URL: u.At(web.Door{Scheme: s, Host: u.Host()}), Address: at})
	}
	return ask(web.HTTP), ask(web.HTTPS)
}

// SitemapLinks reads the sitemap of a site, and gives of each other host the first entry that names
// it. at is where it was; false where there is none, or none that can be read.
func (w *Client) SitemapLinks(ctx context.Context, site web.Door) (at web.URL, links []chain.Link,
	ok bool) {
	at = site.URL("/sitemap.xml", "")
	status, body, err := w.fetch(ctx, at, "application/xml", MostPage)
	if err != nil || status != 200 {
		return at, nil, false
	}
	reader := xml.NewDecoder(bytes.NewReader(body))
	reader.Strict = false
	seen := map[web.Host]bool{site.Host: true}
	inLoc := false
	for {
		token, err := reader.Token()
		if err != nil {
			return at, links, err == io.EOF //nolint:errorlint // it is never wrapped
		}
		switch t := token.(type) {
		case xml.StartElement:
			inLoc = t.Name.Local == "loc"
		case xml.EndElement:
			inLoc = false
		case xml.CharData:
			if !inLoc || len(links) >= mostLinks {
				continue
			}
			u, err := web.ParseURL(strings.TrimSpace(string(t)))
			if err != nil || seen[u.Host()] {
				continue
			}
			seen[u.Host()] = true
			line, _ := reader.InputPos()
			links = append(links, chain.Link{URL: u.String(), Element: "loc", Line: line})
		}
	}
}
