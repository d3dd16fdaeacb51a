package chain

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// Clues is what is known beside a chain, for finding the cause of a fault. Every field may be nil:
// nobody knows then.
type Clues struct {
	// who owns an address, as far as the estate says
	Place func(netip.Addr) (Place, bool)
	// a survey saw a host there, and the plan leads it elsewhere
	Before func(web.Host, netip.Addr) bool
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
			because(f, finding.FrameForwarding, finding.FrameForwarding.Kind().Means, f.Fix)
		case finding.CookieLoop:
			because(f, finding.CookieWall, finding.CookieWall.Kind().Means, f.Fix)
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

// because sets a cause in words, and what to do about it.
func because(f *finding.Finding, cause finding.Cause, says, do string) {
	f.Cause, f.Why, f.Fix = cause, says, do
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
	if err != nil || v.judge.Clues.Place == nil {
		return Place{}, false
	}
	return v.judge.Clues.Place(at.Addr())
}

// who names whoever answers at a hop: the carrier where the estate knows it, else the address and
// what its headers say.
func (v *judging) who(hop *Answer) string {
	at := bare(hop.Address)
	if p, ok := v.place(hop); ok {
		return fmt.Sprintf("%s (%s)", p.Carrier, at)
	}
	if hop.Headers != nil && hop.Headers.Server != "" {
		return fmt.Sprintf("%s (which calls itself %q)", at, short(hop.Headers.Server))
	}
	return at
}

func (v *judging) loopCause(f *finding.Finding) {
	c := v.chain
	if c.LoopsTo == nil {
		return
	}
	round := c.Hops[*c.LoopsTo:]
	first := &round[0]
	if len(round) == 1 {
		f.Says = fmt.Sprintf("Visitors are caught in a redirect loop: %s redirects to itself.",
			short(first.URL.String()))
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
		because(f, finding.TwoCarriers,
			fmt.Sprintf("%s sends %s to the www, and %s sends it back to the apex: each takes its own "+
				"for the canonical host.",
				v.who(at), h, v.who(www)),
			fmt.Sprintf("Choose one as the canonical host: either have %s serve %s, or have %s serve %s.",
				v.who(at), h,
				v.who(www), h.WWW()))
	}
}

// edgeCause explains an https URL that redirects to itself.
func (v *judging) edgeCause(f *finding.Finding, hop *Answer) {
	place, known := v.place(hop)
	do := "Have %s fetch from the origin by https (the origin needs a certificate for that); or " +
		"have the origin serve " +
		"what comes through %[1]s without redirecting it."
	if o := v.judge.Clues.Origin; o != nil {
		if plain, secure, ok := o(hop.URL); ok {
			next, _, _ := plain.Next()
			f.Evidence["origin_http"], f.Evidence["origin_https"] = doing(&plain), doing(&secure)
			switch {
			case plain.IsRedirect() && next.Same(hop.URL) && secure.Refusal == "" && !secure.IsRedirect():
				because(f, finding.EdgeByHTTP,
					fmt.Sprintf("Asked by itself, the origin %s redirects http to https and serves the "+
						"page over https: %s fetches from it by http.", bare(plain.Address), v.who(hop)),
					fmt.Sprintf(do, v.who(hop)))
			case secure.IsRedirect():
				f.Why = fmt.Sprintf("Asked by itself over https, the origin %s redirects too, to %s: the "+
					"fault is there.",
					bare(secure.Address), short(secure.Location))
				f.Fix = "Correct the redirect at the origin: have it serve the page at this URL."
			default:
				f.Why = fmt.Sprintf("Asked by itself, the origin does not redirect (%s; %s): the redirect "+
					"is made by %s.",
					doing(&plain), doing(&secure), v.who(hop))
				f.Fix = fmt.Sprintf("Take the redirect out of the rules of %s, or have it lead elsewhere.",
					v.who(hop))
			}
			return
		}
	}
	through := hop.Headers != nil && (hop.Headers.Via != "" || hop.Headers.Age != "")
	switch {
	case known && (place.ByHTTP || place.Kind == "edge"):
		because(f, finding.EdgeByHTTP,
			fmt.Sprintf("%s fetches it by http from an origin that insists on https.", v.who(hop)),
			fmt.Sprintf(do, place.Carrier))
	case known:
		because(f, finding.EdgeByHTTP,
			fmt.Sprintf("Most likely something in front of %s takes the visitor's https for http.",
				v.who(hop)), fmt.Sprintf(do, "whatever stands in front of "+place.Carrier))
	case through:
		because(
			f,
			finding.EdgeByHTTP,
			fmt.Sprintf("Most likely an edge network in front (%s) fetches it by http from an origin "+
				"that insists on https.", v.who(hop)),
			fmt.Sprintf(do, "the edge"),
		)
	default:
		because(
			f,
			finding.EdgeByHTTP,
			fmt.Sprintf("Most likely %s is an edge network or proxy that fetches it by http from an "+
				"origin that insists on https.", v.who(hop)),
			fmt.Sprintf(do, "the edge"),
		)
	}
}

// nameCause explains a certificate for another name, or none at all.
func (v *judging) nameCause(f *finding.Finding, hop *Answer) {
	host := hop.URL.Host()
	if _, isAddress := host.Address(); isAddress {
		f.Fix = "Ask for the name that leads there: hardly any certificate is for an address."
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
			because(
				f,
				finding.WildcardShort,
				fmt.Sprintf("A wildcard stands for one label: *.%s holds neither %s itself nor names "+
					"two labels below it.", parent, parent),
				fmt.Sprintf("Get a certificate that names %s itself.", host),
			)
			return
		}
	}
	own := slices.ContainsFunc(hop.TLS.Names, func(n string) bool {
		return alias != "" && sameApex(n, alias)
	})
	if (own && v.judge.Clues.Place == nil || hosted) &&
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
	because(
		f,
		finding.DefaultServer,
		fmt.Sprintf("The server at %s does not know %s over https, and shows what it has for %s.",
			v.who(hop), host, hop.TLS.Names[first]),
		fmt.Sprintf(
			"Add %s to that server's configuration, with a certificate that holds it; or point it to a "+
				"carrier that has "+
				"one.",
			host,
		),
	)
}

// pending tells a platform that does not know a host from one that is waiting for its certificate,
// and from one that may not get it.
func (v *judging) pending(f *finding.Finding, hop *Answer, alias string, place Place) {
	host := hop.URL.Host()
	where := "the platform"
	switch {
	case place.Carrier != "":
		where = place.Carrier
	case alias != "":
		where = alias
	}
	if strange(hop) {
		because(
			f,
			finding.HostNotAdded,
			fmt.Sprintf("%s leads to %s, which does not know the host: it answers %d.", host, where,
				hop.Status),
			fmt.Sprintf("Add %s at %s; the certificate follows by itself.", host, where),
		)
		return
	}
	allowed := ""
	if look := v.judge.Clues.CAA; look != nil {
		caa, seen := look(host)
		switch {
		case !seen:
		case caa.At == "":
			allowed = ", and no CAA record stands against it"
		case hop.TLS != nil && !caa.allows(hop.TLS.Issuer):
			f.Evidence["caa"] = caa.Issuers
			because(
				f,
				finding.CertificateBarred,
				fmt.Sprintf(
					"%s shows its own certificate, and cannot get one for %s: the CAA records at %s allow only "+
						"%s, and its "+
						"authority is %q.",
					where,
					host,
					caa.At,
					issuersText(caa.Issuers),
					hop.TLS.Issuer,
				),
				fmt.Sprintf(
					"Add a CAA record for the authority of %s at %s (the platform's pages name it), then have "+
						"it try again.",
					where,
					caa.At,
				),
			)
			return
		default:
			allowed = fmt.Sprintf(", and the CAA records at %s allow it (%s)", caa.At,
				issuersText(caa.Issuers))
		}
	}
	wait := "Wait: mostly it takes minutes from when the records were right, at times a day."
	if !v.judge.Now.IsZero() {
		wait = fmt.Sprintf(
			"Wait, and look again at about %s; if it is still so on %s, ask %s whether %s was added there.",
			v.judge.Now.Add(time.Hour).
				UTC().
				Format("15:04 MST"),
			v.judge.Now.Add(24*time.Hour).UTC().Format("2006-01-02 15:04 MST"),
			where,
			host,
		)
	}
	likely := ""
	if place.Carrier == "" {
		likely = "most likely "
	}
	because(f, finding.CertificateComing,
		fmt.Sprintf("%s leads to %s, which still shows its own certificate: %sthe one for %s is being "+
			"issued%s.", host, where,
			likely, host, allowed), wait)
}

func issuersText(issuers []string) string {
	if len(issuers) == 0 {
		return "nobody"
	}
	return wording.Few(issuers, 3)
}

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
		because(f, finding.ParkingPage,
			fmt.Sprintf("%s shows a parking page (%q).", v.who(hop), hop.Page.saying()),
			fmt.Sprintf("Point %s at its carrier, or set up the forwarding there, and switch the parking "+
				"off.", host))
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
		(hop.Page.Strange() || f.Code != finding.WrongPage && strange(hop)) &&
		hop.URL.Path() == "/" {
		where := alias
		if known {
			where = place.Carrier
		}
		because(f, finding.HostNotAdded,
			fmt.Sprintf("%s leads to %s, which does not know the host.", host, where),
			fmt.Sprintf("Add %s at %s, and confirm there that the domain is the client's.", host, where))
		return
	}
	if hop.Page == nil || f.Code == finding.DeadEnd {
		return
	}
	for _, named := range []string{hop.Page.Canonical, hop.Page.Social} {
		h, ok := hostOf(named)
		if ok && !sameApex(h.String(), host.String()) && (v.judge.Estate == nil || !v.judge.Estate(h)) {
			because(f, finding.DefaultServer,
				fmt.Sprintf("The server at %s does not know %s, and shows the page of %s.", v.who(hop), host,
					h),
				fmt.Sprintf("Add %s to that server's configuration, or point it to its carrier.", host))
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
	do := fmt.Sprintf("Change the record of %s as the plan says.", hop.URL.Host())
	if hop.TTL > 0 {
		left := time.Duration(hop.TTL) * time.Second
		do = fmt.Sprintf(
			"Change the record of %s as the plan says; where that is done, wait: this resolver may go on "+
				"saying so "+
				"for %s",
			hop.URL.Host(),
			wording.Span(left),
		)
		if !v.judge.Now.IsZero() {
			do += ", until " + v.judge.Now.Add(left).UTC().Format("15:04 MST")
		}
		do += "."
	}
	because(f, finding.PreviousCarrier,
		fmt.Sprintf("%s is the address of the previous carrier, as the survey saw it.",
			bare(hop.Address)), do)
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
	because(f, finding.PreviousCarrier,
		fmt.Sprintf("%s is of the previous carrier, as the survey saw it.",
			wording.Few(old, 3)), f.Fix)
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
