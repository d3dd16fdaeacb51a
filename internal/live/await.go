package live

import (
	"cmp"
	"context"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/miekg/dns"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/web"
)

// Awaiter asks what somebody waits for (await.Asker), from a vantage. Nothing that it was told is kept: every question
// goes out anew.
type Awaiter struct {
	World *World
}

// Ask asks a name server, the zone above, a resolver, or follows a door.
func (a *Awaiter) Ask(ctx context.Context, q await.Question) await.Answer {
	if q.Door != nil {
		return a.door(ctx, q.Door)
	}
	switch q.Place.Kind {
	case await.Parent:
		return a.parent(ctx, q.Want)
	case await.Resolver:
		return a.resolver(ctx, q)
	case await.NameServer, await.Vantage:
	}
	h, err := web.ParseObservedHost(q.Place.Host)
	if err != nil {
		return await.Answer{Unseen: q.Place.Host + " is not the name of a server"}
	}
	s := a.World.Surveyor.Web.newSession(h, q.Place.At.Addr())
	defer s.close()
	answer, err := s.ask(ctx, q.Want.Name, dns.StringToType[q.Want.Type])
	switch {
	case err != nil:
		return await.Answer{Unseen: plainError(err)}
	case answer.Rcode != dns.RcodeSuccess && answer.Rcode != dns.RcodeNameError:
		return await.Answer{Unseen: "it says " + dns.RcodeToString[answer.Rcode]}
	case !answer.Authoritative:
		return await.Answer{Unseen: "it answers without authority"}
	}
	return toldBy(answer, q.Want)
}

// toldBy reads what stands at a name.
func toldBy(answer *dns.Msg, want *await.Want) await.Answer {
	var a await.Answer
	for _, rr := range answer.Answer {
		h := rr.Header()
		if plain(h.Name) != want.Name {
			continue
		}
		switch {
		case h.Rrtype == dns.StringToType[want.Type]:
			a.Values = append(a.Values, rdata(rr))
		case h.Rrtype == dns.TypeCNAME:
			a.Alias = rdata(rr)
		default:
			continue
		}
		a.TTL = max(a.TTL, int(h.Ttl))
	}
	if soa := soaOf(answer.Ns); len(a.Values) == 0 && a.Alias == "" && soa != nil {
		a.TTL = int(min(soa.Hdr.Ttl, soa.Minttl)) // RFC 2308 section 5
	}
	return a
}

func (a *Awaiter) resolver(ctx context.Context, q await.Question) await.Answer {
	r, server := a.World.Surveyor.Web.resolver, q.Place.At.String()
	question := resolverQuestion(dns.Fqdn(q.Want.Name), dns.StringToType[q.Want.Type])
	answer, err := r.askServer(ctx, question, server)
	switch {
	case err != nil:
		return await.Answer{Unseen: r.why(server, err)}
	case answer.Rcode == dns.RcodeSuccess, answer.Rcode == dns.RcodeNameError:
		return toldBy(answer, q.Want)
	}
	if bad := r.unsigned(ctx, question, server, answer); bad != nil {
		return await.Answer{Barred: bad.detail}
	}
	return await.Answer{Unseen: "it says " + dns.RcodeToString[answer.Rcode]}
}

func (a *Awaiter) parent(ctx context.Context, want *await.Want) await.Answer {
	if want.Type == "DS" {
		signed, err := a.World.Signed(ctx, want.Name)
		switch {
		case err != nil:
			return await.Answer{Unseen: plainError(err)}
		case signed:
			return await.Answer{Values: []string{"a DS record"}}
		}
		return await.Answer{}
	}
	servers, err := a.World.Delegation(ctx, want.Name)
	if err != nil {
		return await.Answer{Unseen: plainError(err)}
	}
	for i, s := range servers {
		servers[i] = dns.Fqdn(s)
	}
	return await.Answer{Values: servers}
}

// door follows a door as somebody does who has not been there before.
func (a *Awaiter) door(ctx context.Context, d *await.Door) await.Answer {
	w := a.World.Surveyor.Web
	w.forget(d.URL.Host())
	world := *a.World
	world.Judge.Now = w.Now()
	c := world.Follow(ctx, chain.Entry{Ask: chain.Ask{URL: d.URL}, Probe: chain.Root}, netip.Addr{}, d.Target)
	first := &c.Hops[0]
	if first.Refusal == chain.Unseen {
		return await.Answer{Unseen: first.Detail}
	}
	met := string(first.Refusal)
	if first.Refusal == "" {
		met = strings.TrimSpace(strconv.Itoa(first.Status) + " " + first.Location)
	}
	return await.Answer{TTL: first.TTL, Findings: c.Findings, Met: met}
}

// forget forgets where a host is, and drops the connections to it.
func (w *Client) forget(h web.Host) {
	w.resolver.lock.Lock()
	delete(w.resolver.known, h)
	w.resolver.lock.Unlock()
	w.kept.drop(h)
	w.shared.CloseIdleConnections()
}

// mostAskedFor is for how many domains at a time it is asked who their name servers are.
const mostAskedFor = 8

// Places finds who is to be asked: the name servers of zones at each of their addresses, the zones above where that is
// wanted, and the resolvers, given as HOST:PORT. silent are domains whose name servers nobody named.
func (a *Awaiter) Places(
	ctx context.Context, zones []await.Zone, resolvers []string,
) (places []*await.Place, silent []string) {
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
			servers[i], _ = a.World.Delegation(ctx, z.Domain)
			if len(servers[i]) == 0 {
				servers[i] = z.Known
			}
		})
	}
	asking.Wait()
	w := a.World.Surveyor.Web
	known := map[string]*await.Place{}
	for i, z := range zones {
		found := false
		for _, name := range servers[i] {
			for _, address := range w.nameServer(ctx, name, nil).addresses {
				found = true
				at := fmt.Sprintf("%s (%s)", name, address)
				if known[at] == nil {
					known[at] = &await.Place{Kind: await.NameServer, Name: at, Host: name,
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
				known[at] = &await.Place{Kind: await.Parent, Name: at}
				places = append(places, known[at])
			}
			known[at].Zones = append(known[at].Zones, z.Domain)
		}
	}
	for _, r := range resolvers {
		at, err := netip.ParseAddrPort(r)
		if err != nil || slices.ContainsFunc(places, func(p *await.Place) bool {
			return p.Kind == await.Resolver && p.At == at
		}) {
			continue
		}
		name := r
		if host, port, _ := net.SplitHostPort(r); port == "53" {
			name = host
		}
		places = append(places, &await.Place{Kind: await.Resolver, Name: "resolver " + name, At: at})
	}
	return append(places, &await.Place{Kind: await.Vantage, Name: w.vantage.Name}), silent
}

// Resolvers gives the resolvers of a vantage as HOST:PORT; none where the system names none in a file.
func (w *Client) Resolvers() []string { return w.resolver.servers }
