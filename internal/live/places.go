package live

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/web"
)

// forget forgets where a host is, and drops the connections to it.
func (w *Client) forget(h web.Host) {
	w.resolver.lock.Lock()
	delete(w.resolver.known, h)
	w.resolver.lock.Unlock()
	w.kept.drop(h)
	w.shared.CloseIdleConnections()
	w.lock.Lock()
	pinned := slices.Collect(maps.Values(w.pinned))
	w.lock.Unlock()
	for _, t := range pinned {
		t.CloseIdleConnections()
	}
}

// mostAskedFor is for how many domains at a time it is asked who their name servers are.
const mostAskedFor = 8

// Places finds who is to be asked: the name servers of zones at each of their addresses, the zones
// above where that is wanted, and the resolvers, given as HOST:PORT. silent are domains whose name
// servers nobody named.
func (a *Asker) Places(
	ctx context.Context, zones []await.Zone, resolvers []string,
) (places []*expect.Place, silent []string) {
	servers := make([][]string, len(zones))
	turns := make(chan struct{}, mostAskedFor)
	var asking crew.Crew
	for i, z := range zones {
		if servers[i] = z.Servers; len(servers[i]) > 0 {
			continue
		}
		asking.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			var err error
			servers[i], err = a.delegation(ctx, z.Domain)
			a.delegations.note(z.Domain, servers[i], err, a.Surveyor.Web.Now())
			if len(servers[i]) == 0 {
				servers[i] = z.Known
			}
		})
	}
	asking.Wait()
	w := a.Surveyor.Web
	known := map[string]*expect.Place{}
	for i, z := range zones {
		found := false
		for _, name := range servers[i] {
			for _, address := range w.nameServer(ctx, name, nil).addresses {
				found = true
				at := fmt.Sprintf("%s (%s)", name, address)
				if known[at] == nil {
					known[at] = &expect.Place{Kind: expect.NameServer, Name: at, Host: name,
						At: netip.AddrPortFrom(address, dnsPort)}
					places = append(places, known[at])
				}
				known[at].Zones = append(known[at].Zones, z.Domain)
			}
		}
		if !found {
			silent = append(silent, z.Domain)
		}
		if _, above, _ := strings.Cut(z.Domain, "."); z.Parent {
			at := cmp.Or("the zone "+above, "the root zone")
			if known[at] == nil {
				known[at] = &expect.Place{Kind: expect.Parent, Name: at}
				places = append(places, known[at])
			}
			known[at].Zones = append(known[at].Zones, z.Domain)
		}
	}
	for _, r := range resolvers {
		at, err := netip.ParseAddrPort(r)
		if err != nil || slices.ContainsFunc(places, func(p *expect.Place) bool {
			return p.Kind == expect.Resolver && p.At == at
		}) {
			continue
		}
		name := r
		if host, port, _ := net.SplitHostPort(r); port == "53" {
			name = host
		}
		places = append(places, &expect.Place{Kind: expect.Resolver, Name: "resolver " + name, At: at})
	}
	return append(places, &expect.Place{Kind: expect.Vantage, Name: w.vantage.Name}), silent
}

// Resolvers gives the resolvers of a vantage as HOST:PORT; none where the system names none in a
// file.
func (w *Client) Resolvers() []string { return w.resolver.servers }
