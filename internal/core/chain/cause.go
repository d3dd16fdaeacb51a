package chain

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Clues is what is known beside a chain, for finding the cause of a fault. Every field may be nil:
// nobody knows then.
type Clues struct {
	// who owns an address, as far as the estate says
	Place func(netip.Addr) (Place, bool)
	// who owns an alias, as far as the estate says
	Alias func(string) (Place, bool)
	// since when a host was seen to lead to a carrier; false: nothing is kept of it
	Since func(h web.Host, carrier string) (time.Time, bool)
	// a survey saw a host there, and the plan leads it elsewhere
	Before func(web.Host, netip.Addr) bool
	// until when, at the latest, resolvers may hold a DS record of a host's domain that is gone;
	// false: it is there, or nobody saw it
	DSGone func(web.Host) (time.Time, bool)
	// what CAA records allow; false: it was not seen
	CAA func(web.Host) (CAA, bool)
	// what the origin itself answers over http and https
	Origin func(web.URL) (plain, secure Answer, ok bool)
}

// Place is who owns an address.
type Place struct {
	Carrier string // as the estate calls it
	Kind    string // such as edge or platform
	ByHTTP  bool   // it fetches by http from what is behind it
}

// CAA is what the CAA records that hold for a host allow (RFC 8659).
type CAA struct {
	At      string   // the name at which they stand; "" where there are none
	Issuers []string // the authorities that they allow
}

// allows reports whether the records allow the authority of a certificate.
func (c CAA) allows(issuer string) bool {
	return slices.ContainsFunc(c.Issuers, func(i string) bool { return sameIssuer(i, issuer) })
}

// causes finds the causes of what was found, as far as the evidence shows them, and puts each in
// words.
func (v *judging) causes() {
	for i := range v.chain.Findings {
		f := &v.chain.Findings[i]
		if f.Hop == nil || f.Cause != finding.NoCause {
			continue
		}
		hop := &v.chain.Hops[*f.Hop]
		switch f.Code {
		case finding.Loop:
			v.loopCause(f)
		case finding.WrongName, finding.TLSFailed:
			v.nameCause(f, hop)
		case finding.Framed:
			*f = f.Explained(finding.FrameForwarding, fact.FrameForwards{})
		case finding.CookieLoop:
			*f = f.Explained(finding.CookieWall, fact.CookieWanted{})
		case finding.SplitAnswers:
			v.splitCause(f)
		case finding.WrongPage, finding.NotRedirected, finding.DeadEnd:
			v.pageCause(f, hop)
		case finding.Expired, finding.Refused, finding.Timeout, finding.Unreachable:
			v.leftBehind(f, hop)
		}
		if f.Cause != finding.NoCause {
			v.shows(f, hop)
		}
	}
}

// shows puts what the cause was seen by into the evidence.
func (v *judging) shows(f *finding.Finding, hop *Answer) {
	put := func(key, value string) {
		if value != "" && f.Evidence[key] == nil {
			f.Evidence[key] = value
		}
	}
	put("address", hop.Address)
	put("location", hop.Location)
	if n := len(hop.Aliases); n > 0 {
		put("alias", hop.Aliases[n-1])
	}
	if h := hop.Headers; h != nil {
		put("server", h.Server)
		put("via", h.Via)
		put("cache_control", h.Cache)
		put("age", h.Age)
		put("strict_transport_security", h.HSTS)
	}
	if p, ok := v.place(hop); ok {
		put("owner", p.Carrier)
	}
}

func (v *judging) place(hop *Answer) (Place, bool) {
	at, err := netip.ParseAddrPort(hop.Address)
	if err == nil && v.judge.Clues.Place != nil {
		if p, known := v.judge.Clues.Place(at.Addr()); known {
			return p, true
		}
	}
	if v.judge.Clues.Alias != nil {
		for _, name := range slices.Backward(hop.Aliases) {
			if p, known := v.judge.Clues.Alias(name); known {
				return p, true
			}
		}
	}
	return Place{}, false
}

// who tells whoever answers at a hop: the carrier where the estate knows it, else the address and
// what its headers say.
func (v *judging) who(hop *Answer) fact.Facts {
	w := fact.Who{Address: bare(hop.Address)}
	if p, ok := v.place(hop); ok {
		w.Carrier = p.Carrier
	} else if hop.Headers != nil && hop.Headers.Server != "" {
		w.Server = short(hop.Headers.Server)
	}
	return w
}

func (v *judging) loopCause(f *finding.Finding) {
	c := v.chain
	if c.LoopsTo == nil {
		return
	}
	round := c.Hops[*c.LoopsTo:]
	first := &round[0]
	if len(round) == 1 {
		itself := fact.LoopsToItself{URL: short(first.URL.String())}
		f.Says, f.Fix = fact.Of(itself, fact.Says), fact.Of(itself, fact.Do)
		if first.Remembered == "" && first.URL.Scheme() == web.HTTPS {
			v.edgeCause(f, first)
		}
		return
	}
	hosts := map[web.Host]*Answer{}
	for i := range round {
		hosts[round[i].URL.Host()] = &round[i]
	}
	if len(hosts) != 2 {
		return
	}
	for h, at := range hosts {
		www := hosts[h.WWW()]
		if www == nil || bare(at.Address) == bare(www.Address) {
			continue
		}
		*f = f.DueTo(finding.TwoCarriers, fact.TwoHosts{ApexBy: v.who(at), Apex: h.String(),
			WWWBy: v.who(www), WWW: h.WWW().String()})
	}
}

// edgeCause explains an https URL that redirects to itself.
func (v *judging) edgeCause(f *finding.Finding, hop *Answer) {
	place, known := v.place(hop)
	if o := v.judge.Clues.Origin; o != nil {
		// an origin that is silent by both schemes tells nothing
		if plain, secure, ok := o(hop.URL); ok && (plain.Refusal == "" || secure.Refusal == "") {
			next, _, _ := plain.Next()
			f.Evidence["origin_http"] = fact.Of(doing(&plain), fact.Says)
			f.Evidence["origin_https"] = fact.Of(doing(&secure), fact.Says)
			switch {
			case plain.IsRedirect() && next.Same(hop.URL) && secure.Refusal == "" && !secure.IsRedirect():
				*f = f.DueTo(finding.EdgeByHTTP,
					fact.EdgeFetchesPlain{Origin: bare(plain.Address), By: v.who(hop)})
			case plain.IsRedirect() && next.Same(hop.URL) && secure.Refusal != "":
				*f = f.DueTo(finding.EdgeByHTTP, fact.OriginInsists{Origin: bare(plain.Address),
					Secure: doing(&secure), By: v.who(hop)})
			case secure.IsRedirect():
				*f = f.DueTo(finding.NoCause,
					fact.OriginRedirects{Origin: bare(secure.Address), To: short(secure.Location)})
			default:
				*f = f.DueTo(finding.NoCause,
					fact.EdgeRedirects{Plain: doing(&plain), Secure: doing(&secure), By: v.who(hop)})
			}
			return
		}
	}
	through := hop.Headers != nil && (hop.Headers.Via != "" || hop.Headers.Age != "")
	switch {
	case known && (place.ByHTTP || place.Kind == "edge"):
		*f = f.DueTo(finding.EdgeByHTTP,
			fact.CarrierFetchesPlain{By: v.who(hop), Carrier: place.Carrier})
	case known:
		*f = f.DueTo(finding.EdgeByHTTP, fact.SomethingInFront{By: v.who(hop), Carrier: place.Carrier})
	case through:
		*f = f.DueTo(finding.EdgeByHTTP, fact.EdgeInFront{By: v.who(hop)})
	default:
		*f = f.DueTo(finding.EdgeByHTTP, fact.PerhapsEdge{By: v.who(hop)})
	}
}

// nameCause explains a certificate for another name, or none at all.
func (v *judging) nameCause(f *finding.Finding, hop *Answer) {
	host := hop.URL.Host()
	if _, isAddress := host.Address(); isAddress {
		f.Fix = fact.Of(fact.AddressAsked{}, fact.Do)
		return
	}
	if v.leftBehind(f, hop) {
		return
	}
	place, known := v.place(hop)
	hosted := known &&
		slices.Contains([]string{"platform", "service", "edge", "form", "account"}, place.Kind)
	alias := ""
	if n := len(hop.Aliases); n > 0 {
		alias = hop.Aliases[n-1]
	}
	if hop.TLS == nil {
		if alias != "" && under(host, alias) {
			alias = ""
		}
		if (alias != "" || hosted) && strings.Contains(hop.Detail, "no TLS connection can be made") {
			v.pending(f, hop, alias, place)
		}
		return
	}
	for _, n := range hop.TLS.Names {
		parent, is := strings.CutPrefix(n, "*.")
		if is && (host.String() == parent || strings.HasSuffix(host.String(), "."+parent)) {
			*f = f.DueTo(finding.WildcardShort,
				fact.WildcardTooWide{Parent: parent, Host: host.String()})
			return
		}
	}
	own := slices.ContainsFunc(hop.TLS.Names, func(n string) bool {
		return alias != "" && sameApex(n, alias)
	})
	if (own || hosted) &&
		!slices.ContainsFunc(hop.TLS.Names, func(n string) bool { return sameApex(n, host.String()) }) {
		v.pending(f, hop, alias, place)
		return
	}
	first := slices.IndexFunc(hop.TLS.Names, func(n string) bool {
		return !sameApex(n, host.String())
	})
	if first < 0 { // www and apex of one site: a name is missing, no other site is shown
		return
	}
	*f = f.DueTo(finding.DefaultServer, fact.ServerKnowsNot{By: v.who(hop), Host: host.String(),
		Other: hop.TLS.Names[first]})
}

// pending tells a platform that does not know a host from one that is waiting for its certificate,
// and from one that may not get it.
func (v *judging) pending(f *finding.Finding, hop *Answer, alias string, place Place) {
	host, where := hop.URL.Host(), ""
	switch {
	case place.Carrier != "":
		where = place.Carrier
	case alias != "":
		where = alias
	}
	if strange(hop) {
		*f = f.DueTo(finding.HostNotAdded,
			fact.PlatformAnswers{Host: host.String(), Platform: where, Status: hop.Status})
		return
	}
	var allowed fact.Facts
	if look := v.judge.Clues.CAA; look != nil {
		caa, seen := look(host)
		switch {
		case !seen:
		case caa.At == "":
			allowed = fact.NoCAA{}
		case hop.TLS != nil && !caa.allows(hop.TLS.Issuer):
			f.Evidence["caa"] = caa.Issuers
			*f = f.DueTo(finding.CertificateBarred, fact.CertificateNotAllowed{Platform: where,
				Host: host.String(), At: caa.At, Issuer: hop.TLS.Issuer, Issuers: caa.Issuers})
			return
		default:
			allowed = fact.CAAAllows{At: caa.At, Issuers: caa.Issuers}
		}
	}
	since, kept := time.Time{}, false
	if look := v.judge.Clues.Since; look != nil && place.Carrier != "" && !v.judge.Now.IsZero() {
		since, kept = look(host, place.Carrier)
	}
	if kept && v.judge.Now.Sub(since) > longestIssue {
		*f = f.DueTo(finding.HostNotAdded, fact.CertificateOverdue{Host: host.String(),
			Platform: where, Since: since})
		return
	}
	coming := fact.CertificateIssued{Host: host.String(), Platform: where, Allowed: allowed,
		Likely: place.Carrier == ""}
	if now := v.judge.Now; !now.IsZero() {
		coming.LookAt, coming.AskAt = now.Add(time.Hour), now.Add(longestIssue)
		if kept {
			coming.AskAt = since.Add(longestIssue)
			if coming.LookAt.After(coming.AskAt) {
				coming.LookAt = coming.AskAt
			}
		}
	}
	*f = f.DueTo(finding.CertificateComing, coming)
}

// longestIssue is how long a platform may take for a certificate once a name leads there.
const longestIssue = 24 * time.Hour

// strange reports whether an answer shows that whoever answers does not know the host.
func strange(a *Answer) bool {
	return a.Status == 404 || a.Status == 421 || a.Status == 409 || a.Status == 530 || a.Page.Strange()
}

// sameIssuer reports whether the domain by which CAA records name an authority fits the name in its
// certificates: the letters of one hold those of the other.
func sameIssuer(domain, name string) bool {
	letters := func(s string) string {
		return strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, strings.ToLower(s))
	}
	domain, _, _ = strings.Cut(domain, ";")
	label, _, _ := strings.Cut(strings.TrimSpace(domain), ".")
	a, b := letters(label), letters(name)
	return a != "" && b != "" && (strings.Contains(b, a) || strings.Contains(a, b)) ||
		letters(domain) == b && b != ""
}

// pageCause explains a page that is not the one that was wanted.
func (v *judging) pageCause(f *finding.Finding, hop *Answer) {
	host := hop.URL.Host()
	switch {
	case hop.Page.Parked():
		*f = f.DueTo(finding.ParkingPage,
			fact.Parked{By: v.who(hop), Title: hop.Page.saying(), Host: host.String()})
		return
	case v.leftBehind(f, hop):
		return
	}
	place, known := v.place(hop)
	hosted := known && slices.Contains([]string{"platform", "service", "edge", "account"}, place.Kind)
	alias := ""
	if n := len(hop.Aliases); n > 0 && !under(host, hop.Aliases[n-1]) {
		alias = hop.Aliases[n-1]
	}
	if (hosted || alias != "") &&
		(hop.Page.Strange() || f.Code != finding.WrongPage && strange(hop) &&
			(hop.Status != 404 || hop.URL.Path() == "/")) { // elsewhere 404 may be no page
		where := alias
		if known {
			where = place.Carrier
		}
		*f = f.DueTo(finding.HostNotAdded,
			fact.PlatformKnowsNot{Host: host.String(), Platform: where})
		return
	}
	if known && (place.Kind == "server" || place.Kind == "form") &&
		(hop.Status == 421 || hop.Page.Strange()) { // 404 may be no page
		*f = f.DueTo(finding.DefaultServer, fact.CarrierLacksHost{Carrier: place.Carrier,
			Host: host.String(), Status: hop.Status})
		return
	}
	if hop.Page == nil || f.Code == finding.DeadEnd {
		return
	}
	for _, named := range []string{hop.Page.Canonical, hop.Page.Social} {
		h, ok := hostOf(named)
		if ok && !sameApex(h.String(), host.String()) && (v.judge.Estate == nil || !v.judge.Estate(h)) {
			*f = f.DueTo(finding.DefaultServer, fact.ServerShowsOther{By: v.who(hop), Host: host.String(),
				Other: h.String()})
			return
		}
	}
}

// leftBehind explains what an address of the previous carrier does.
func (v *judging) leftBehind(f *finding.Finding, hop *Answer) bool {
	at, err := netip.ParseAddrPort(hop.Address)
	if err != nil || v.judge.Clues.Before == nil || !v.judge.Clues.Before(hop.URL.Host(), at.Addr()) {
		return false
	}
	before := fact.AddressOfBefore{Address: bare(hop.Address), Host: hop.URL.Host().String(),
		Left: time.Duration(hop.TTL) * time.Second}
	if hop.TTL > 0 && !v.judge.Now.IsZero() {
		before.Until = v.judge.Now.Add(before.Left)
	}
	*f = f.DueTo(finding.PreviousCarrier, before)
	return true
}

func (v *judging) splitCause(f *finding.Finding) {
	if v.judge.Clues.Before == nil {
		return
	}
	host := v.chain.Entry.Host()
	check := func(a *Answer) bool {
		at, err := netip.ParseAddrPort(a.Address)
		return err == nil && v.judge.Clues.Before(host, at.Addr())
	}
	var old []string
	if check(&v.chain.Hops[0]) {
		old = append(old, bare(v.chain.Hops[0].Address))
	}
	for i := range v.chain.Others {
		if a := &v.chain.Others[i].Answer; check(a) {
			old = append(old, bare(a.Address))
		}
	}
	if len(old) == 0 {
		return
	}
	*f = f.Explained(finding.PreviousCarrier, fact.AddressesOfBefore{Addresses: old})
}

// sameApex reports whether two names, perhaps wildcards, lie in one registrable domain.
func sameApex(a, b string) bool {
	x, errX := web.ParseObservedHost(strings.TrimPrefix(a, "*."))
	y, errY := web.ParseObservedHost(strings.TrimPrefix(b, "*."))
	if errX != nil || errY != nil {
		return false
	}
	ax, okX := x.Apex()
	ay, okY := y.Apex()
	return okX && okY && ax == ay || x == y
}

// under reports whether an alias lies in the domain of the host itself.
func under(h web.Host, alias string) bool { return sameApex(h.String(), alias) }
