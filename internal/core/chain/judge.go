package chain

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Goal says what an entry URL should lead to. The zero value stands for no estate: only what is
// wrong anywhere is judged.
type Goal struct {
	// where it should arrive, or, for a URL of the site itself, the URL itself; zero: no estate
	Target web.URL
	Gone   bool // a planned 410
	// redirects at most: until the first arrival on the target's origin, or until the 410
	Hops      int
	Temporary bool // a temporary redirect is planned
}

func (w Goal) known() bool { return !w.Target.IsZero() || w.Gone }

// Judge reads chains. Its fields are what it needs to know of the world.
type Judge struct {
	Now    time.Time           // certificates are judged at this time
	Estate func(web.Host) bool // whether a host belongs to the estate; nil: no estate
	// hosts of sites about which nothing is to be said; nil: there are none
	Elsewhere func(web.Host) bool
	Forwards  func(d web.Door) bool // whether a door of the estate should forward; nil: no estate
	// the Strict-Transport-Security header that a door that forwards is planned to send; nil: nobody
	// planned any
	HSTS func(web.Door) string
	// whether a URL is planned not to be redirected; nil: nobody planned anything
	Exempt func(web.URL) bool
	Clues  Clues // what else is known, for causes; the zero value: nothing
}

// Chain adds to a chain all that is wrong with it, and where a certificate stops ordinary visitors.
func (j Judge) Chain(c *Chain, w Goal) {
	v := judging{judge: j, chain: c, goal: w}
	switch c.Probe {
	case WellKnown:
		v.wellKnown()
		return
	case Robots:
		v.robots()
		return
	}
	for i := range c.Hops {
		hop := &c.Hops[i]
		v.reaching(i, hop)
		v.certificate(i, hop)
		v.redirect(i, hop)
		v.soft(i, hop)
		v.may(i, hop)
	}
	v.rounds()
	v.plannedHSTS()
	if c.End == Page {
		c.strayed = len(c.Hops) > 1 && c.Arrival.Path() != "/" && !c.Arrival.Same(w.Target) &&
			!strings.EqualFold(c.Arrival.Path(), c.Entry.Path())
		switch last := &c.Hops[len(c.Hops)-1]; {
		case last.TurnsAway():
			v.turnedAway(last)
		case last.Framed != "":
			v.framed(last)
		case w.known():
			v.destination()
			v.content(last)
		default:
			v.looked()
			v.content(last)
		}
	}
	if len(c.Others) > 0 {
		v.addresses()
	}
	if len(c.Findings) > 0 {
		v.causes()
		if len(c.Findings) > 1 {
			finding.Sort(c.Findings)
		}
	}
}

type judging struct {
	judge Judge
	chain *Chain
	goal  Goal
}

func (v *judging) add(
	code finding.Code,
	subject string,
	hop int,
	facts fact.Facts,
	evidence ...map[string]any,
) {
	v.addCause("", code, subject, hop, facts, evidence...)
}

// addCause adds a finding whose cause can show itself under several subjects.
func (v *judging) addCause(
	cause string,
	code finding.Code,
	subject string,
	hop int,
	facts fact.Facts,
	evidence ...map[string]any,
) {
	f := finding.New(code, subject, facts, evidence...).GroupedBy(cause)
	f.Entry, f.Hop = v.chain.Entry.String(), &hop
	v.chain.Findings = append(v.chain.Findings, f)
}

func (v *judging) has(code finding.Code) bool { return finding.Has(v.chain.Findings, code) }

// unnamed says why a name leads to no address, and under which code; nil where it leads to one.
func unnamed(hop *Answer) (finding.Code, fact.Facts) {
	host, detail, alias := hop.URL.Host().String(), hop.Detail, ""
	if n := len(hop.Aliases); n > 0 {
		alias = hop.Aliases[n-1]
	}
	switch hop.Refusal {
	case NoAddress:
		return finding.NoAddress, fact.NoRecord{Host: host, Detail: detail, Alias: alias}
	case NoDomain:
		return finding.NoAddress, fact.NoDomain{Host: host, Detail: detail, Alias: alias}
	case Unresolved:
		return finding.NoAddress, fact.NotResolved{Host: host, Detail: detail}
	case AliasLoop:
		return finding.AliasLoop, fact.AliasesLoop{Host: host, Detail: detail}
	case OldSigned:
		return finding.SignatureExpired, fact.SignedLongAgo{Host: host, Detail: detail}
	case BadSigned:
		return finding.StaleDS, fact.SignedWrong{Host: host, Detail: detail}
	}
	return 0, nil
}

func (v *judging) reaching(i int, hop *Answer) {
	if hop.Refusal == "" || hop.Refusal == Unseen {
		return
	}
	door, host := hop.URL.Door().String(), hop.URL.Host().String()
	evidence := map[string]any{"detail": hop.Detail}
	if hop.Address != "" {
		evidence["address"] = hop.Address
	}
	if code, facts := unnamed(hop); facts != nil {
		if wrong, is := facts.(fact.SignedWrong); is && v.judge.Clues.DSGone != nil {
			if until, gone := v.judge.Clues.DSGone(hop.URL.Host()); gone {
				facts = fact.SignedBefore{Host: wrong.Host, Detail: wrong.Detail, Until: until}
			}
		}
		v.add(code, host, i, facts, evidence)
		return
	}
	if hop.Refusal == Private {
		v.add(finding.PrivateHop, hop.URL.String(), i, fact.LeadsInside{Door: door, Detail: hop.Detail},
			evidence)
		v.chain.Findings[len(v.chain.Findings)-1].Help = finding.LookInside
		return
	}
	if hop.Refusal == Refused && hop.URL.BarredPort() {
		port := int(hop.URL.Door().PortNumber())
		v.add(finding.Refused, door, i, fact.PortBarred{Door: door, Port: port}, evidence)
		return
	}
	facts := map[Refusal]fact.Facts{
		Refused:     fact.ConnectionRefused{Door: door, Host: host, Detail: hop.Detail},
		Unreachable: fact.NoRoute{Door: door, Host: host, Address: hop.Address, Detail: hop.Detail},
		Timeout:     fact.NoAnswerInTime{Door: door, Host: host, Detail: hop.Detail},
		TLSFailed:   fact.NoTLS{Door: door, Host: host, Detail: hop.Detail},
		BadAnswer:   fact.NotHTTP{Door: door, Detail: hop.Detail},
	}[hop.Refusal]
	code, _ := finding.Named(string(hop.Refusal))
	v.add(code, door, i, facts, evidence)
}

// certificate makes one finding of a certificate, under its gravest fault; the others are named in
// it.
func (v *judging) certificate(i int, hop *Answer) {
	if hop.TLS == nil || len(hop.TLS.Faults) == 0 {
		return
	}
	t, host := hop.TLS, hop.URL.Host().String()
	main := slices.Min(t.Faults) // the table has the gravest first
	refused := main.Row().Severity == finding.Error || t.Refused
	if refused && v.chain.StoppedAt == nil {
		stopped := i
		v.chain.StoppedAt = &stopped
	}
	names, also, now := t.Names, others(t.Faults, main), v.judge.Now
	facts := map[finding.Code]fact.Facts{
		finding.WrongName: fact.CertificateOfOthers{Host: host, Names: names, Also: also},
		finding.Expired: fact.CertificateEnded{Names: names, Also: also, Ended: t.NotAfter,
			Ago: now.Sub(t.NotAfter)},
		finding.NotYetValid: fact.CertificateEarly{Names: names, Also: also, Begins: t.NotBefore,
			In: t.NotBefore.Sub(now)},
		finding.Untrusted: fact.CertificateUntrusted{Host: host, Names: names, Also: also,
			Issuer: t.Issuer},
		finding.Revoked: fact.CertificateRevoked{Names: names, Also: also, Issuer: t.Issuer,
			Revoked: t.Revoked},
		finding.BrokenChain: fact.CertificateAlone{Names: names, Also: also, Issuer: t.Issuer},
		finding.ExpiresSoon: fact.CertificateEnding{Names: names, Also: also, Ends: t.NotAfter,
			In: t.NotAfter.Sub(now)},
		finding.WeakCertificate: fact.EncryptionWeak{Host: host, Weak: t.Weak, Also: also},
	}[main]
	if why := flawed(t, host, also, now); why != nil && (main == finding.Untrusted ||
		main == finding.Expired && t.Flaw == IssuerEnded && now.Before(t.NotAfter)) {
		facts = why
	}
	// a certificate for another name is a fault of each host that shows it, the others are of the
	// certificate
	cause := ""
	if main != finding.WrongName && main != finding.WeakCertificate {
		cause = fmt.Sprint(t.Names, t.Issuer, t.NotAfter)
	}
	v.addCause(cause, main, hop.URL.Door().String(), i, facts, map[string]any{
		"address": hop.Address, "names": t.Names, "issuer": t.Issuer, "not_before": t.NotBefore,
		"not_after": t.NotAfter,
		"faults":    t.Faults})
	if f := &v.chain.Findings[len(v.chain.Findings)-1]; refused && f.Severity != finding.Error {
		*f = f.As(finding.Error)
	}
}

// flawed says why nobody trusts a certificate; nil where its issuer is a stranger.
func flawed(t *TLS, host string, also []string, now time.Time) fact.Facts {
	switch t.Flaw {
	case IssuerEnded:
		return fact.IssuerEnded{Names: t.Names, Also: also, Issuer: t.Flawed, Ended: t.Ended,
			Ago: now.Sub(t.Ended)}
	case NameBarred:
		return fact.IssuerBarsName{Host: host, Also: also, Issuer: t.Flawed}
	case OtherPurpose:
		return fact.CertificateForOther{Host: host, Also: also, Flawed: t.Flawed}
	case PathTooLong:
		return fact.PathOfIssuersLong{Names: t.Names, Also: also, Issuer: t.Flawed}
	case NoIssuer:
		return fact.IssuerIsNone{Names: t.Names, Also: also, Issuer: t.Flawed}
	case OfItself:
		return fact.CertificateOfItself{Host: host, Names: t.Names, Also: also}
	}
	return nil
}

// others names all faults but one.
func others(faults []finding.Code, main finding.Code) []string {
	var names []string
	for _, f := range faults {
		if f != main {
			names = append(names, f.String())
		}
	}
	return names
}

func (v *judging) redirect(i int, hop *Answer) {
	if hop.Refusal != "" || !hop.IsRedirect() {
		return
	}
	next, complaint, ok := hop.Next()
	if ok && complaint == nil && v.fine(i, hop, next) {
		return
	}
	door := hop.URL.Door()
	if complaint != nil {
		v.add(
			finding.BadLocation,
			door.String(),
			i,
			fact.LocationBroken{Location: hop.Location, OtherLocations: hop.OtherLocations,
				URL: hop.URL.String(), Complaint: complaint},
		)
	}
	if !ok {
		return
	}
	to := next.Door()
	evidence := map[string]any{"status": hop.Status, "location": hop.Location}
	if door.Scheme == web.HTTPS && to.Scheme == web.HTTP {
		v.add(finding.Downgrade, door.String(), i,
			fact.LeavesHTTPS{Door: door.String(), To: to.String()}, evidence)
	}
	if (hop.Status == 302 || hop.Status == 303 || hop.Status == 307) && to != door &&
		!v.goal.Temporary {
		v.addCause(
			door.Host.String()+" "+to.String(),
			finding.Temporary,
			door.String(),
			i,
			fact.ForNowOnly{Door: door.String(), To: to.String(), Status: hop.Status}, evidence,
		)
	}
	if v.judge.Estate != nil && i+1 < len(v.chain.Hops)-1 && !v.judge.Estate(next.Host()) {
		v.add(
			finding.ForeignHop,
			next.Host().String(),
			i+1,
			fact.PassesStranger{Host: next.Host().String()}, evidence,
		)
	}
}

// fine reports whether nothing is to be said of a redirect, without making anything.
func (v *judging) fine(i int, hop *Answer, next web.URL) bool {
	down := hop.URL.Scheme() == web.HTTPS && next.Scheme() == web.HTTP
	return !down && hop.Permanent() && (v.judge.Estate == nil || i+1 >= len(v.chain.Hops)-1)
}

// rounds judges chains that do not end.
func (v *judging) rounds() {
	c := v.chain
	last := len(c.Hops) - 1
	switch c.End {
	case Loop:
		doors := cycleDoors(c.Hops[*c.LoopsTo:])
		v.add(
			finding.Loop,
			doors[0],
			last,
			fact.GoesRound{BackTo: c.Hops[*c.LoopsTo].URL.String(), Length: len(c.Hops) - *c.LoopsTo,
				Doors: doors},
		)
	case Page:
		if c.Cookies {
			v.cookieLoop()
		}
	case Limit:
		period, ok := growth(c.Hops)
		if ok || last < MostHops {
			v.add(
				finding.GrowingLoop,
				c.Hops[last].URL.Door().String(),
				last,
				fact.GrowsLonger{Period: period, URL: c.Hops[last].URL.String(), Redirects: last,
					Shown: short(c.Hops[last].URL.String())},
			)
			return
		}
		v.add(
			finding.TooManyHops,
			c.Entry.Door().String(),
			last,
			fact.NeverEnds{Redirects: MostHops},
		)
	}
}

// cycleDoors gives the doors on a circle, each once, starting with the first in alphabetical order.
func cycleDoors(hops []Answer) []string {
	var doors []string
	for _, h := range hops {
		if d := h.URL.Door().String(); !slices.Contains(doors, d) {
			doors = append(doors, d)
		}
	}
	first := slices.Index(doors, slices.Min(doors))
	return append(doors[first:], doors[:first]...)
}

// growth looks for a period after which the chain is at the same door again with a URL that is
// longer by the same amount, three rounds in a row.
func growth(hops []Answer) (int, bool) {
	last := len(hops) - 1
	for period := 1; period*3 <= last; period++ {
		a, b, c, d := hops[last-3*period].URL, hops[last-2*period].URL, hops[last-period].URL,
			hops[last].URL
		step := len(d.String()) - len(c.String())
		if a.Door() == b.Door() && b.Door() == c.Door() && c.Door() == d.Door() && step > 0 &&
			len(c.String())-len(b.String()) == step && len(b.String())-len(a.String()) == step {
			return period, true
		}
	}
	return 0, false
}

// looked judges where a chain ends when no estate says what is wanted.
func (v *judging) looked() {
	c := v.chain
	last, redirected := len(c.Hops)-1, len(c.Hops) > 1
	arrival := c.Arrival
	if redirects := c.Redirects(); redirects > 1 && !c.Cookies {
		v.extraHop(redirects, 1, arrival)
	}
	v.plainArrival(last)
	if at := &c.Hops[last]; at.Page.Parked() && !c.Probe.madeUp() {
		v.add(
			finding.WrongPage,
			arrival.Host().String(),
			last,
			fact.UselessPage{Arrival: arrival.String(), Title: at.Page.Title, Door: c.Entry.Door().String()},
		)
	}
	switch {
	case c.Probe == Deep && redirected && arrival.Path() == "/":
		entry := c.Entry.Door().String()
		v.add(
			finding.PathLost,
			entry,
			last,
			fact.AllToRoot{Asked: c.Entry.String(), Arrival: arrival.String(), Host: entry,
				Root: arrival.Door().String()},
		)
	case c.Probe == Asked && redirected && arrival.Path() == "/" && c.Entry.Path() != "/":
		v.landedHome(last)
	case c.Probe == Query && redirected && !web.QueryHolds(arrival.Query(), c.Entry.Query()):
		v.queryLost(last)
	}
	if at := c.Last(); (at.Status >= 400 || at.ShowsNothing() || at.Stays()) && !c.Probe.madeUp() {
		v.deadEnd(last, at.Status)
	}
}

// destination judges where a chain ends against what the estate wants.
func (v *judging) destination() {
	c, w := v.chain, v.goal
	last := len(c.Hops) - 1
	status := c.Last().Status
	entry, arrival := c.Entry.Door(), c.Arrival
	if w.Gone {
		if last > w.Hops || status != 410 {
			url, at := c.Entry.String(), arrival.String()
			var facts fact.Facts = fact.GoneLeads{URL: url, Arrival: at, Status: status}
			if last == 0 {
				facts = fact.GoneAnswers{URL: url, Arrival: at, Status: status}
			}
			v.add(finding.WrongPage, url, last, facts)
		}
		return
	}
	if v.judge.Forwards != nil && v.judge.Forwards(arrival.Door()) {
		host := arrival.Host().String()
		v.add(
			finding.NotRedirected,
			host,
			last,
			fact.AnswersItself{Status: status, Wanted: w.Target.String(), Door: arrival.Door().String(),
				Target: w.Target.Door().String(), Host: host},
		)
		return
	}
	landed := slices.IndexFunc(c.Hops, func(a Answer) bool { return a.URL.Door() == w.Target.Door() })
	if landed >= 0 && landed > w.Hops && !c.Cookies {
		v.extraHop(landed, w.Hops, c.Hops[landed].URL)
	}
	switch {
	case arrival.Host() == w.Target.Host() && arrival.Scheme() == web.HTTP:
		v.plainArrival(last)
	case landed < 0:
		v.offCourse(last, fact.EndsElsewhere{From: entry.String(), Arrival: arrival.String()})
	case arrival.Door() != w.Target.Door():
		v.offCourse(last, fact.SentOn{From: entry.String(), Target: w.Target.Door().String(),
			Arrival: arrival.String()})
	default:
		v.landing(landed, c.Hops[landed].URL)
		if landed < last && arrival.Path() == "/" && w.Target.Path() != "/" &&
			len(v.codes(finding.Error)) == 0 {
			v.landedHome(last)
		}
	}
	if at := c.Last(); (status >= 400 || at.ShowsNothing() || at.Stays()) && !c.Probe.madeUp() &&
		!v.has(finding.WrongPage) && !v.has(finding.PathLost) {
		v.deadEnd(last, status)
	}
}

// landing compares the first URL on the wanted origin with the wanted one.
func (v *judging) landing(hop int, at web.URL) {
	target := v.goal.Target
	wanted, got := web.NormalPath(target.Path()), web.NormalPath(at.Path())
	entry := v.chain.Entry.Door().String()
	switch {
	case got == wanted && web.QueryHolds(at.Query(), target.Query()):
	case got == wanted:
		v.queryLost(hop)
	case strings.HasPrefix(wanted, strings.TrimSuffix(got, "/")+"/") && v.chain.Entry.Path() != "/":
		v.add(
			finding.PathLost,
			entry,
			hop,
			fact.PathCut{Entry: entry, Path: v.chain.Entry.Path(), Arrival: at.String(),
				Wanted: target.String(), Asked: v.chain.Entry.String()},
		)
	default:
		v.offCourse(hop, fact.EndsElsewhere{From: v.chain.Entry.String(), Arrival: at.String()})
	}
}

// offCourse adds that a chain ends elsewhere: EndsElsewhere or SentOn.
func (v *judging) offCourse(hop int, facts fact.Facts) {
	subject, cause, rules := v.chain.Entry.Door().String(), "", ""
	switch v.chain.Probe {
	case Asked:
		subject = v.chain.Entry.String()
	case ByRule, ByPattern:
		cause, rules = subject+" rules", v.chain.Entry.Host().String()
	}
	wanted := v.goal.Target.String()
	switch f := facts.(type) {
	case fact.EndsElsewhere:
		f.Wanted, f.Rules = wanted, rules
		facts = f
	case fact.SentOn:
		f.Wanted, f.Rules = wanted, rules
		facts = f
	}
	v.addCause(cause, finding.WrongPage, subject, hop, facts)
}

func (v *judging) extraHop(redirects, most int, at web.URL) {
	entry := v.chain.Entry.Door()
	v.add(
		finding.ExtraHop,
		entry.String(),
		redirects-1,
		fact.TooFewSteps{Redirects: redirects, Most: most, From: entry.String(),
			Door: at.Door().String()},
	)
}

// plainArrival is silent behind a downgrade that leads to the arrival: that is one cause, and named
// already.
func (v *judging) plainArrival(last int) {
	arrival := v.chain.Arrival
	if arrival.Scheme() != web.HTTP {
		return
	}
	door := arrival.Door().String()
	if last > 0 && v.chain.Hops[last-1].URL.Scheme() == web.HTTPS {
		return
	}
	v.add(
		finding.PlainArrival,
		door,
		last,
		fact.ServesHTTP{Arrival: arrival.String(), Door: door},
	)
}

func (v *judging) queryLost(hop int) {
	entry := v.chain.Entry.Door().String()
	v.add(
		finding.QueryLost,
		entry,
		hop,
		fact.QueryCut{Asked: v.chain.Entry.String(), Arrival: v.chain.Arrival.String(), From: entry,
			Query: v.chain.Entry.Query()},
	)
}

func (v *judging) deadEnd(hop, status int) {
	at := v.chain.Arrival.Door().URL(v.chain.Arrival.Path(), "")
	var facts fact.Facts = fact.EndsInError{Status: status, URL: at.String()}
	switch end := v.chain.Last(); {
	case end.ShowsNothing():
		facts = fact.EndsEmpty{Status: status, URL: at.String()}
	case end.Stays():
		facts = fact.EndsUndecided{Status: status, URL: at.String()}
	}
	v.add(finding.DeadEnd, at.String(), hop, facts)
}

func short(s string) string {
	if len(s) > 120 {
		return s[:120] + "…"
	}
	return s
}
