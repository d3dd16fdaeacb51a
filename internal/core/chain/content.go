package chain

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// soft judges a page that sends visitors on by itself.
func (v *judging) soft(i int, hop *Answer) {
	if hop.Soft == nil || hop.IsRedirect() || !hop.MovesOn() {
		return
	}
	next, _, _ := hop.Next()
	how := map[string]string{
		ByHeader: "a Refresh header",
		ByMeta:   "its markup (meta refresh)",
		ByScript: "a script",
	}[hop.Soft.By]
	where := ""
	if hop.Soft.Line > 0 {
		where = fmt.Sprintf(", line %d", hop.Soft.Line)
	}
	evidence := map[string]any{"by": hop.Soft.By, "to": hop.Soft.To, "after": hop.Soft.After,
		"line": hop.Soft.Line}
	from, to := hop.URL.Door(), next.Door()
	v.add(
		finding.SoftRedirect,
		from.String(),
		i,
		fmt.Sprintf("%s sends visitors to %s by %s%s, not by a redirect.", hop.URL, to,
			how, where),
		fmt.Sprintf("Have %s answer 301 with Location: %s.", from, next),
		evidence,
	)
	if from.Scheme == web.HTTPS && to.Scheme == web.HTTP {
		v.add(finding.Downgrade, from.String(), i,
			fmt.Sprintf("%s sends visitors from https to %s.", from, to),
			"Write the target of the redirect with https.", evidence)
	}
}

func (v *judging) framed(last *Answer) {
	door := last.URL.Door()
	inside := ""
	if n := len(v.chain.Frame); n > 0 {
		switch end := v.chain.Frame[n-1]; {
		case end.Refusal != "":
			inside = fmt.Sprintf(", which does not answer (%s)", end.Refusal)
		case end.Status >= 400:
			inside = fmt.Sprintf(", which answers %d", end.Status)
		}
	}
	v.add(finding.Framed, door.String(), len(v.chain.Hops)-1,
		fmt.Sprintf("%s shows %s in a frame%s, instead of redirecting there.", door, last.Framed, inside),
		fmt.Sprintf("Switch the forwarding of %s from a frame (masked, hidden) to a redirect with 301.",
			door.Host),
		map[string]any{"framed": last.Framed})
}

func (v *judging) cookieLoop() {
	c := v.chain
	for i := range c.Hops {
		for j := i + 1; j < len(c.Hops); j++ {
			if !c.Hops[j].URL.Same(c.Hops[i].URL) {
				continue
			}
			v.add(finding.CookieLoop, c.Hops[i].URL.Door().String(), i,
				fmt.Sprintf("%s redirects back to itself until a cookie comes with the request: search "+
					"engines, and browsers "+
					"without cookies, go round for ever.", c.Hops[i].URL),
				"Have the page answer without the cookie.",
				map[string]any{"length": j - i})
			return
		}
	}
}

func (v *judging) turnedAway(last *Answer) {
	door := last.URL.Door()
	says := fmt.Sprintf("%s answers %d with a challenge for robots; what visitors get was not seen.",
		door, last.Status)
	if last.Status == 429 {
		says = fmt.Sprintf("%s answers 429: it was asked too often; what visitors get was not seen.",
			door)
		if last.Headers != nil && last.Headers.RetryIn != "" {
			says = fmt.Sprintf("%s answers 429: it was asked too often, and wants to be left alone for "+
				"%s; what visitors get "+
				"was not seen.", door, retryText(last.Headers.RetryIn))
		}
	}
	v.add(finding.TurnedAway, door.String(), len(v.chain.Hops)-1, says,
		"Look at it in a browser; have this program's User-Agent let through, or look from a vantage "+
			"that is trusted there.",
		map[string]any{"status": last.Status})
}

func retryText(s string) string {
	if strings.Trim(s, "0123456789") == "" {
		return s + " s"
	}
	return s
}

func (v *judging) landedHome(last int) {
	c := v.chain
	subject := c.Entry.String()
	v.add(finding.LandedHome, subject, last,
		fmt.Sprintf("%s arrives on the home page, %s.", c.Entry, c.Arrival),
		"Lead it to the page that took its place, or answer 410 where there is none.",
		map[string]any{"arrival": c.Arrival.String()})
}

// content judges the page on which a chain arrives, and what its answer says for the future.
func (v *judging) content(last *Answer) {
	if v.chain.Probe.madeUp() || last.Status < 200 || last.Status >= 300 {
		return
	}
	at := len(v.chain.Hops) - 1
	v.hsts(at, last)
	how, hidden := last.hidden()
	if last.Page == nil && !hidden || last.Page.bare() && !hidden {
		return
	}
	page := last.URL.Door().URL(last.URL.Path(), "").String()
	ours := v.judge.Forwards == nil || !v.judge.Forwards(last.URL.Door())
	if last.Page.NotFound() && ours && !v.has(finding.WrongPage) && !v.has(finding.PathLost) {
		v.add(finding.DeadEnd, page, at,
			fmt.Sprintf("%s says that there is no such page (%q), but answers %d.", page, last.Page.saying(),
				last.Status),
			"Have the site answer 404 or 410 there, and lead the old address to a page that exists.",
			map[string]any{"status": last.Status, "title": last.Page.Title})
		v.soften()
	}
	if hidden {
		v.add(finding.NoIndex, page, at,
			fmt.Sprintf("%s asks search engines not to list it: %s.", page, how),
			"Take it out once the page is meant to be found.", map[string]any{"how": how})
	}
	if last.Page == nil {
		return
	}
	v.names(at, page, last)
	v.parts(at, page, last.Page.Insecure)
}

// soften makes the finding that was added last a warning.
func (v *judging) soften() {
	f := &v.chain.Findings[len(v.chain.Findings)-1]
	*f = f.As(finding.Warning)
}

// saying gives what a page calls itself.
func (p *Document) saying() string {
	if p.Title != "" {
		return short(p.Title)
	}
	return short(p.Heading)
}

// names judges the hosts that a page names as its own or links to.
func (v *judging) names(at int, page string, last *Answer) {
	own := last.URL.Host()
	if v.goal.known() && !v.goal.Target.IsZero() {
		own = v.goal.Target.Host()
	}
	named := []Link{{last.Page.Canonical, "rel=canonical", 0}, {last.Page.Social, "og:url", 0}}
	for _, l := range last.Page.Languages {
		named = append(named, Link{l.URL, "hreflang", l.Line})
	}
	for _, l := range named {
		h, ok := hostOf(l.URL)
		if !ok || h == own {
			continue
		}
		old := v.old(h)
		if l.Element == "hreflang" && !old { // other languages may live elsewhere
			continue
		}
		if v.judge.Estate != nil && !old && v.judge.Estate(h) && h == last.URL.Host() {
			continue
		}
		v.add(finding.CanonicalDisagrees, page, at,
			fmt.Sprintf("%s says by %s that it belongs to %s, not to %s.", page, l.Element, l.URL, own),
			fmt.Sprintf("Set the site's address to %s in its settings.", last.URL.Door()),
			map[string]any{"element": l.Element, "names": l.URL})
		break
	}
	var left []string
	for _, l := range last.Page.Links {
		if h, ok := hostOf(l.URL); ok && v.old(h) {
			left = append(left, fmt.Sprintf("%s (%s, line %d)", short(l.URL), l.Element, l.Line))
		}
	}
	if len(left) > 0 {
		v.add(finding.LeftoverLink, page, at,
			fmt.Sprintf("%s still links to %s: %s.", page, wording.Count(len(left), "host")+" that only "+
				wording.Verb(len(left), "redirects", "redirect"), wording.Few(left, 3)),
			"Change the links to the new addresses.", map[string]any{"links": left})
	}
}

// old reports whether a host is one of the estate that only forwards.
func (v *judging) old(h web.Host) bool {
	return v.judge.Forwards != nil && v.judge.Forwards(web.Door{Scheme: web.HTTPS, Host: h})
}

// parts judges what a page over https loads over http.
func (v *judging) parts(at int, page string, insecure []Link) {
	if len(insecure) == 0 {
		return
	}
	list := make([]string, 0, len(insecure))
	for _, l := range insecure {
		list = append(list, fmt.Sprintf("%s (%s, line %d)", short(l.URL), l.Element, l.Line))
	}
	v.add(finding.MixedContent, page, at,
		fmt.Sprintf("%s loads %s over http: %s.", page, wording.Count(len(list), "part"),
			wording.Few(list, 3)),
		"Write these addresses with https.", map[string]any{"parts": list})
}

// hsts judges what a page over https asks browsers to remember.
func (v *judging) hsts(at int, last *Answer) {
	if last.Address == "" || last.URL.Scheme() != web.HTTPS || v.chain.StoppedAt != nil {
		return // what nobody was asked for has no header
	}
	door := last.URL.Door()
	if _, isAddress := door.Host.Address(); isAddress || // RFC 6797 section 8.1.1
		v.judge.Forwards != nil && v.judge.Forwards(door) {
		return
	}
	text := ""
	if last.Headers != nil {
		text = last.Headers.HSTS
	}
	p, ok := ParseHSTS(text)
	switch {
	case !ok && text != "":
		v.add(finding.HSTSMissing, door.String(), at,
			fmt.Sprintf("%s sends a Strict-Transport-Security header that no browser takes: %s.", door,
				short(text)),
			"Write it as max-age=31536000, with nothing twice.", map[string]any{"header": text})
	case !ok || p.MaxAge == 0:
		v.add(finding.HSTSMissing, door.String(), at,
			fmt.Sprintf("%s does not ask browsers to come by https alone (HSTS).", door),
			"Have it send Strict-Transport-Security: a short max-age first, a year once every host works "+
				"over https.",
			map[string]any{"header": text})
	case p.MaxAge < halfYear:
		v.add(finding.HSTSShort, door.String(), at,
			fmt.Sprintf("%s asks browsers to come by https alone for only %s (HSTS).", door,
				wording.Span(p.MaxAge)),
			"Raise max-age to 31536000 once every host works over https.", map[string]any{"header": text})
	}
}

// wellKnown judges what stands where certificate authorities look for a token that is not there.
func (v *judging) wellKnown() {
	c := v.chain
	first := &c.Hops[0]
	if first.Refusal != "" || first.Status == 404 || first.Status == 403 || first.Status == 410 ||
		first.Status >= 500 ||
		v.judge.Exempt != nil && !v.judge.Exempt(c.Entry) {
		return
	}
	does := fmt.Sprintf("answers %d", first.Status)
	if first.MovesOn() {
		next, _, ok := first.Next()
		if !ok || next.Host() == c.Entry.Host() && next.Path() == c.Entry.Path() {
			return // a certificate authority follows it to the same place over https
		}
		does = fmt.Sprintf("redirects to %s", next)
	} else if first.Status >= 300 {
		return
	}
	door := c.Entry.Door()
	v.add(
		finding.WellKnownTaken,
		door.String(),
		0,
		fmt.Sprintf(
			"%s %s for a token that nobody has below /.well-known/acme-challenge/: a renewal over http "+
				"would not find "+
				"its own.",
			door,
			does,
		),
		"Leave /.well-known/acme-challenge/ out of what answers everything, on the http door.",
		map[string]any{"asked": c.Entry.String(), "does": does},
	)
	if v.judge.Exempt == nil {
		f := &c.Findings[len(c.Findings)-1]
		*f = f.As(finding.Note)
	}
}

// robots judges what robots are told.
func (v *judging) robots() {
	c := v.chain
	last := &c.Hops[len(c.Hops)-1]
	if last.Bars == "" {
		return
	}
	door := last.URL.Door()
	v.add(finding.RobotsBlocked, door.Host.String(), len(c.Hops)-1,
		fmt.Sprintf("%s bars search engines from everything (%q).", last.URL, last.Bars),
		"Let robots.txt redirect too, or allow everything in it.", map[string]any{"line": last.Bars})
}
