package chain

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
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
	Now      time.Time             // certificates are judged at this time
	Estate   func(web.Host) bool   // whether a host belongs to the estate; nil: no estate
	Forwards func(d web.Door) bool // whether a door of the estate should forward; nil: no estate
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
	}
	v.rounds()
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

func (v *judging) add(code finding.Code, subject string, hop int, says, fix string,
	evidence map[string]any) {
	v.addCause("", code, subject, hop, says, fix, evidence)
}

// addCause adds a finding whose cause can show itself under several subjects.
func (v *judging) addCause(
	cause string,
	code finding.Code,
	subject string,
	hop int,
	says, fix string,
	evidence map[string]any,
) {
	f := finding.New(code, subject, says, fix, evidence).GroupedBy(cause)
	f.Entry, f.Hop = v.chain.Entry.String(), &hop
	v.chain.Findings = append(v.chain.Findings, f)
}

func (v *judging) has(code finding.Code) bool { return finding.Has(v.chain.Findings, code) }

// unnamed is what becomes of the refusals in which a name leads to no address: their codes, and
// what to do about each.
var unnamed = map[Refusal]struct {
	code finding.Code
	fix  string
}{
	NoAddress: {finding.NoAddress, "Create an A, AAAA or CNAME record for %s."},
	NoDomain: {
		finding.NoAddress,
		"Ask the client's registrar whether the domain of %s is still registered and delegated: " +
			"register or renew it, " +
			"or take it off the list. A record cannot be created before that.",
	},
	Unresolved: {
		finding.NoAddress,
		"Check whether the name servers of %s answer; a survey asks each of them. Until they do, " +
			"visitors " +
			"find nothing there.",
	},
	AliasLoop: {finding.Loop,
		"Let one of the aliases behind %s lead to the machine that is meant, or give it addresses."},
	OldSigned: {
		finding.SignatureExpired,
		"Have the provider sign the zone of %s again at once; where they cannot, have the " +
			"registrar remove the DS record.",
	},
	BadSigned: {
		finding.StaleDS,
		"Have the registrar of the domain of %s remove the DS record, or the provider sign the zone " +
			"with " +
			"the key that it stands for.",
	},
}

func (v *judging) reaching(i int, hop *Answer) {
	if hop.Refusal == "" || hop.Refusal == Unseen {
		return
	}
	door, host := hop.URL.Door(), hop.URL.Host()
	evidence := map[string]any{"detail": hop.Detail}
	if hop.Address != "" {
		evidence["address"] = hop.Address
	}
	if unnamed, ok := unnamed[hop.Refusal]; ok {
		fix := fmt.Sprintf(unnamed.fix, host)
		if n := len(hop.Aliases); n > 0 && unnamed.code == finding.NoAddress &&
			hop.Refusal != Unresolved {
			fix = fmt.Sprintf("Correct the alias of %s: what it leads to, %s, is not there.", host,
				hop.Aliases[n-1])
		}
		v.add(unnamed.code, host.String(), i,
			fmt.Sprintf("%s leads to no address: %s.", host, hop.Detail), fix, evidence)
		return
	}
	if hop.Refusal == Private {
		v.add(finding.PrivateHop, hop.URL.String(), i,
			fmt.Sprintf("%s was not asked: %s.", door, hop.Detail),
			"Lead to an address that everybody reaches; find out why the redirect names this one.", evidence)
		v.chain.Findings[len(v.chain.Findings)-1].Help = finding.LookInside
		return
	}
	fixes := map[Refusal]string{
		Refused: "Have whoever carries " + door.String() + " listen there, or point " + host.String() +
			" elsewhere.",
		Unreachable: "Check whether " + hop.Address +
			" is the right address and its network is announced; else point " +
			host.String() + " elsewhere. Others may reach it: look from another vantage too.",
		Timeout: "Check whether that machine still answers; else point " + host.String() +
			" elsewhere.",
		TLSFailed: "Have the door speak TLS with a certificate for " + host.String() + ".",
		BadAnswer: "Look at what listens there: it does not speak HTTP as it should.",
	}
	code, _ := finding.Named(string(hop.Refusal))
	v.add(code, door.String(), i, fmt.Sprintf("%s does not answer: %s.", door, hop.Detail),
		fixes[hop.Refusal], evidence)
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
	names := listed(t.Names, 3)
	says := map[finding.Code]string{
		finding.WrongName: fmt.Sprintf("The certificate that %s shows is for %s.", host, names),
		finding.Expired: fmt.Sprintf("The certificate for %s ended on %s, %s "+
			"ago.", names, day(t.NotAfter), wording.Span(v.judge.Now.Sub(t.NotAfter))),
		finding.NotYetValid: fmt.Sprintf("The certificate for %s begins on %s, "+
			"in %s.", names, day(t.NotBefore), wording.Span(t.NotBefore.Sub(v.judge.Now))),
		finding.Untrusted: fmt.Sprintf("The certificate for %s was issued by %q, whom nobody here "+
			"trusts.", names, t.Issuer),
		finding.BrokenChain: fmt.Sprintf("The certificate for %s comes without that of its issuer %q.",
			names, t.Issuer),
		finding.ExpiresSoon: fmt.Sprintf("The certificate for %s ends on %s, "+
			"in %s.", names, day(t.NotAfter), wording.Span(t.NotAfter.Sub(v.judge.Now))),
		finding.WeakCertificate: fmt.Sprintf("The encryption of %s is outdated: %s.", host,
			strings.Join(t.Weak, ", and ")),
	}[main]
	if len(t.Faults) > 1 {
		says += " It is also " + strings.Join(others(t.Faults, main), " and ") + "."
	}
	fixes := map[finding.Code]string{
		finding.WrongName: "Get a certificate that holds " + host +
			", or point the name at a carrier that has one.",
		finding.Expired:     "Renew it, and find out why it did not renew itself.",
		finding.NotYetValid: "Set that machine's clock right, or use the former certificate until then.",
		finding.Untrusted:   "Use a certificate of a public authority for " + host + ".",
		finding.BrokenChain: "Install it together with its intermediates, in one file.",
		finding.ExpiresSoon: "Make sure that it is renewed before " + day(t.NotAfter) + ".",
		finding.WeakCertificate: "Have the server speak TLS 1.2 and 1.3, with a new certificate: an " +
			"RSA key of 2048 bits " +
			"or more, or an elliptic one.",
	}
	// a certificate for another name is a fault of each host that shows it, the others are of the
	// certificate
	cause := ""
	if main != finding.WrongName && main != finding.WeakCertificate {
		cause = fmt.Sprint(t.Names, t.Issuer, t.NotAfter)
	}
	v.addCause(cause, main, hop.URL.Door().String(), i, says, fixes[main], map[string]any{
		"address": hop.Address, "names": t.Names, "issuer": t.Issuer, "not_before": t.NotBefore,
		"not_after": t.NotAfter,
		"faults":    t.Faults})
	if f := &v.chain.Findings[len(v.chain.Findings)-1]; refused && f.Severity != finding.Error {
		*f = f.As(finding.Error)
	}
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
	if ok && complaint == "" && v.fine(i, hop, next) {
		return
	}
	door := hop.URL.Door()
	if complaint != "" {
		v.add(
			finding.BadLocation,
			door.String(),
			i,
			fmt.Sprintf("%s redirects, but %s.", hop.URL, complaint),
			"Write one Location: an absolute https URL in percent-encoded ASCII.",
			map[string]any{"location": hop.Location, "other_locations": hop.OtherLocations},
		)
	}
	if !ok {
		return
	}
	to := next.Door()
	evidence := map[string]any{"status": hop.Status, "location": hop.Location}
	if door.Scheme == web.HTTPS && to.Scheme == web.HTTP {
		v.add(finding.Downgrade, door.String(), i,
			fmt.Sprintf("%s sends visitors from https to %s.", door, to),
			"Write the target of the redirect with https.", evidence)
	}
	if (hop.Status == 302 || hop.Status == 303 || hop.Status == 307) && to != door &&
		!v.goal.Temporary {
		v.addCause(
			door.Host.String()+" "+to.String(),
			finding.Temporary,
			door.String(),
			i,
			fmt.Sprintf("%s redirects to %s with %d, which says that it is for now only.", door, to,
				hop.Status),
			"Use 301 (or 308) instead.",
			evidence,
		)
	}
	if v.judge.Estate != nil && i+1 < len(v.chain.Hops)-1 && !v.judge.Estate(next.Host()) {
		v.add(
			finding.ForeignHop,
			next.Host().String(),
			i+1,
			fmt.Sprintf("The chain passes through %s, which is not part of the estate.", next.Host()),
			"Lead straight to the target, or add the host to the estate file if the client owns it.",
			evidence,
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
			fmt.Sprintf("Visitors are caught in a redirect loop: %s and back again.",
				strings.Join(doors, " to ")),
			"Find out which host in the loop sends visitors back, and have it serve the page or redirect "+
				"straight to the "+
				"canonical site.",
			map[string]any{"back_to": c.Hops[*c.LoopsTo].URL.String(), "length": len(c.Hops) - *c.LoopsTo},
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
				fmt.Sprintf(
					"The URL gets longer on every round: after %d redirects it is %s.",
					last,
					short(c.Hops[last].URL.String()),
				),
				"Correct the rule that puts its own beginning before the path again.",
				map[string]any{"period": period, "url": c.Hops[last].URL.String()},
			)
			return
		}
		v.add(
			finding.TooManyHops,
			c.Entry.Door().String(),
			last,
			fmt.Sprintf("After %d redirects there is still another.", MostHops),
			"Have the first answer name the last URL.",
			map[string]any{"redirects": MostHops},
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
			fmt.Sprintf("%s arrives on a page of no use.", c.Entry.Door()),
			"Point it to where the site is.",
			map[string]any{"arrival": arrival.String(), "title": at.Page.Title},
		)
	}
	switch {
	case c.Probe == Deep && redirected && arrival.Path() == "/":
		entry := c.Entry.Door().String()
		v.add(
			finding.PathLost,
			entry,
			last,
			fmt.Sprintf("%s forwards every page to the root of %s: the path is cut.", entry, arrival.Door()),
			"Redirect with the path kept.",
			map[string]any{"asked": c.Entry.String(), "arrival": arrival.String()},
		)
	case c.Probe == Asked && redirected && arrival.Path() == "/" && c.Entry.Path() != "/":
		v.landedHome(last)
	case c.Probe == Query && redirected && !web.QueryHolds(arrival.Query(), c.Entry.Query()):
		v.queryLost(last)
	}
	if status := c.Last().Status; status >= 400 && !c.Probe.madeUp() {
		v.deadEnd(last, status)
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
			says := fmt.Sprintf("%s should say 410 (gone), but leads to %s with %d.", c.Entry, arrival,
				status)
			if last == 0 {
				says = fmt.Sprintf("%s should say 410 (gone), but answers %d.", c.Entry, status)
			}
			v.add(
				finding.WrongPage,
				c.Entry.String(),
				last,
				says,
				"Answer 410 there.",
				map[string]any{"status": status, "arrival": arrival.String()},
			)
		}
		return
	}
	if v.judge.Forwards != nil && v.judge.Forwards(arrival.Door()) {
		host := arrival.Host().String()
		v.add(
			finding.NotRedirected,
			host,
			last,
			fmt.Sprintf("%s answers %d by itself instead of forwarding to %s.", arrival.Door(), status,
				w.Target.Door()),
			fmt.Sprintf(
				"Redirect %s to %s with 301, over http and https.",
				host,
				w.Target.Door(),
			),
			map[string]any{"status": status, "wanted": w.Target.String()},
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
		v.offCourse(last, arrival, fmt.Sprintf("%s ends at %s instead of %s.", entry, arrival, w.Target))
	case arrival.Door() != w.Target.Door():
		v.offCourse(last, arrival,
			fmt.Sprintf("%s reaches %s, but is sent on to %s.", entry, w.Target.Door(), arrival))
	default:
		v.landing(landed, c.Hops[landed].URL)
		if landed < last && arrival.Path() == "/" && w.Target.Path() != "/" &&
			len(v.codes(finding.Error)) == 0 {
			v.landedHome(last)
		}
	}
	if status >= 400 && !c.Probe.madeUp() && !v.has(finding.WrongPage) && !v.has(finding.PathLost) {
		v.deadEnd(last, status)
	}
}

// landing compares the first URL on the wanted origin with the wanted one.
func (v *judging) landing(hop int, at web.URL) {
	target := v.goal.Target
	wanted, got := web.NormalPath(target.Path()), web.NormalPath(at.Path())
	evidence := map[string]any{"asked": v.chain.Entry.String(), "wanted": target.String(),
		"arrival": at.String()}
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
			fmt.Sprintf("%s cuts the path: %s arrives at %s instead of %s.", entry, v.chain.Entry.Path(), at,
				target),
			"Redirect with the path kept.",
			evidence,
		)
	default:
		v.offCourse(hop, at, fmt.Sprintf("%s arrives at %s instead of %s.", v.chain.Entry, at, target))
	}
}

func (v *judging) offCourse(hop int, arrival web.URL, says string) {
	subject, fix := v.chain.Entry.Door().String(), fmt.Sprintf("Redirect it to %s.", v.goal.Target)
	cause := ""
	switch v.chain.Probe {
	case Asked:
		subject = v.chain.Entry.String()
	case ByRule, ByPattern:
		cause = subject + " rules"
		fix = fmt.Sprintf("Put the rules of %s in place at whoever carries it.", v.chain.Entry.Host())
	}
	v.addCause(
		cause,
		finding.WrongPage,
		subject,
		hop,
		says,
		fix,
		map[string]any{"wanted": v.goal.Target.String(), "arrival": arrival.String()},
	)
}

func (v *judging) extraHop(redirects, most int, at web.URL) {
	entry := v.chain.Entry.Door()
	v.add(
		finding.ExtraHop,
		entry.String(),
		redirects-1,
		fmt.Sprintf("%s takes %d redirects to %s, where %d would do.", entry, redirects, at.Door(), most),
		fmt.Sprintf("Redirect it straight to %s.", at.Door()),
		map[string]any{"redirects": redirects, "most": most},
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
		door+" serves its page over http.",
		"Have "+door+" redirect to https.",
		map[string]any{"arrival": arrival},
	)
}

func (v *judging) queryLost(hop int) {
	entry := v.chain.Entry.Door().String()
	v.add(
		finding.QueryLost,
		entry,
		hop,
		fmt.Sprintf("%s does not hand the query on: ?%s arrives at %s.", entry, v.chain.Entry.Query(),
			v.chain.Arrival),
		"Hand the query on with the redirect.",
		map[string]any{"asked": v.chain.Entry.String(), "arrival": v.chain.Arrival.String()},
	)
}

func (v *judging) deadEnd(hop, status int) {
	at := v.chain.Arrival.Door().URL(v.chain.Arrival.Path(), "")
	v.add(finding.DeadEnd, at.String(), hop, fmt.Sprintf("%s answers %d.", at, status),
		"Lead to a page that exists, or say 410 where the page is gone on purpose.",
		map[string]any{"status": status})
}

func day(t time.Time) string { return t.UTC().Format("2006-01-02") }

func listed(names []string, most int) string {
	if len(names) == 0 {
		return "no name at all"
	}
	if len(names) > most {
		return strings.Join(names[:most], ", ") + fmt.Sprintf(" and %d more", len(names)-most)
	}
	return strings.Join(names, ", ")
}

func short(s string) string {
	if len(s) > 120 {
		return s[:120] + "…"
	}
	return s
}
