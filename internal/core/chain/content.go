package chain

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// soft judges a page that sends visitors on by itself.
func (v *judging) soft(i int, hop *Answer) {
	if hop.Soft == nil || hop.IsRedirect() || !hop.MovesOn() {
		return
	}
	next, _, _ := hop.Next()
	how := map[string]fact.Facts{
		ByHeader: fact.ByRefresh{},
		ByMeta:   fact.ByMarkup{Line: hop.Soft.Line},
		ByScript: fact.ByScript{Line: hop.Soft.Line},
	}[hop.Soft.By]
	evidence := map[string]any{"by": hop.Soft.By, "to": hop.Soft.To, "after": hop.Soft.After,
		"line": hop.Soft.Line}
	from, to := hop.URL.Door(), next.Door()
	v.add(
		finding.SoftRedirect,
		from.String(),
		i,
		fact.SentOnByPage{URL: hop.URL.String(), To: to.String(), How: how, From: from.String(),
			Next: next.String()}, evidence,
	)
	if from.Scheme == web.HTTPS && to.Scheme == web.HTTP {
		v.add(finding.Downgrade, from.String(), i,
			fact.DowngradeByPage{From: from.String(), To: to.String()}, evidence)
	}
}

// may judges a page whose scripts may send visitors on.
func (v *judging) may(i int, hop *Answer) {
	if hop.Page == nil || len(hop.Page.May) == 0 || hop.IsRedirect() {
		return
	}
	first := hop.Page.May[0]
	page := hop.URL.Door().URL(hop.URL.Path(), "").String()
	lines := make([]int, 0, len(hop.Page.May))
	for _, m := range hop.Page.May {
		lines = append(lines, m.Line)
	}
	var facts fact.Facts = fact.MayBeSentOn{URL: page, To: first.To, Line: first.Line}
	switch {
	case first.Unread:
		facts = fact.ScriptUnread{URL: page, Line: first.Line}
	case first.Elsewhere:
		facts = fact.ScriptElsewhere{URL: page, Line: first.Line}
	}
	v.addCause(page+" may redirect", finding.SoftRedirect, hop.URL.Door().String(), i, facts,
		map[string]any{"by": ByScript, "may": true, "to": first.To, "lines": lines})
	if first.Elsewhere { // so are many pages that are all right
		f := &v.chain.Findings[len(v.chain.Findings)-1]
		*f = f.As(finding.Note)
	}
}

func (v *judging) framed(last *Answer) {
	door := last.URL.Door()
	var inside fact.Facts
	if n := len(v.chain.Frame); n > 0 {
		switch end := v.chain.Frame[n-1]; {
		case end.Refusal != "":
			inside = fact.FrameSilent{Refusal: string(end.Refusal)}
		case end.Status >= 400:
			inside = fact.FrameError{Status: end.Status}
		}
	}
	v.add(finding.Framed, door.String(), len(v.chain.Hops)-1,
		fact.ShownInFrame{Framed: last.Framed, Door: door.String(), Behind: inside,
			Host: door.Host.String()})
}

func (v *judging) cookieLoop() {
	c := v.chain
	for i := range c.Hops {
		for j := i + 1; j < len(c.Hops); j++ {
			if !c.Hops[j].URL.Same(c.Hops[i].URL) {
				continue
			}
			v.add(finding.CookieLoop, c.Hops[i].URL.Door().String(), i,
				fact.LoopsForCookie{Length: j - i, URL: c.Hops[i].URL.String()})
			return
		}
	}
}

func (v *judging) turnedAway(last *Answer) {
	door := last.URL.Door()
	var facts fact.Facts = fact.Challenged{Door: door.String(), Status: last.Status}
	switch {
	case last.Unread != "":
		facts = fact.PageUnread{Door: door.String(), Coding: last.Unread}
	case last.Busy():
		retry := ""
		if last.Headers != nil {
			retry = retryText(last.Headers.RetryIn)
		}
		if last.Status == 503 {
			facts = fact.ServerBusy{Door: door.String(), Status: last.Status, RetryIn: retry}
		} else {
			facts = fact.AskedTooOften{Door: door.String(), Status: last.Status, RetryIn: retry}
		}
	}
	v.add(finding.TurnedAway, door.String(), len(v.chain.Hops)-1, facts)
}

func retryText(s string) string {
	if s != "" && strings.Trim(s, "0123456789") == "" {
		return s + " s"
	}
	return s
}

func (v *judging) landedHome(last int) {
	c := v.chain
	subject := c.Entry.String()
	v.add(finding.LandedHome, subject, last,
		fact.EndsAtHome{Arrival: c.Arrival.String(), Entry: c.Entry.String()})
}

// content judges the page on which a chain arrives, and what its answer says for the future.
func (v *judging) content(last *Answer) {
	if v.chain.Probe.madeUp() || last.Status < 200 || last.Status >= 300 {
		return
	}
	at := len(v.chain.Hops) - 1
	v.hsts(at, last)
	if last.Page != nil && last.Page.Cut {
		v.cut(at, last)
	}
	how, hidden := last.Hidden()
	canonical := last.canonical()
	if !hidden && canonical == "" && (last.Page == nil || last.Page.bare()) {
		return
	}
	page := last.URL.Door().URL(last.URL.Path(), "").String()
	ours := v.judge.Forwards == nil || !v.judge.Forwards(last.URL.Door())
	if last.Page.NotFound() && ours && !v.has(finding.WrongPage) && !v.has(finding.PathLost) {
		v.add(finding.DeadEnd, page, at,
			fact.SaysNotFound{Status: last.Status, Title: last.Page.Title, Page: page,
				Text: last.Page.saying()})
		v.soften()
	}
	if hidden {
		v.add(finding.NoIndex, page, at,
			fact.NotListed{How: how, Page: page})
	}
	v.names(at, page, last)
	if last.Page == nil {
		return
	}
	v.parts(at, page, last.Page.Insecure)
}

// cut says that a page goes on behind what was read of it.
func (v *judging) cut(at int, last *Answer) {
	page := last.URL.Door().URL(last.URL.Path(), "").String()
	v.add(finding.SoftRedirect, page, at, fact.PageCut{Page: page, Octets: last.Page.Octets})
	f := &v.chain.Findings[len(v.chain.Findings)-1]
	*f = f.As(finding.Note)
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
	said := last.Page
	if said == nil {
		said = &Document{}
	}
	named := []Link{{URL: last.canonical(), Element: "a Link header"},
		{URL: said.Canonical, Element: "rel=canonical"}, {URL: said.Social, Element: "og:url"}}
	for _, l := range said.Languages {
		named = append(named, Link{URL: l.URL, Element: "hreflang", Line: l.Line})
	}
	for _, l := range named {
		h, ok := hostOf(l.URL)
		if ok && h == own && l.Element != "og:url" && last.URL.Scheme() == web.HTTPS &&
			strings.HasPrefix(l.URL, "http:") {
			v.add(finding.CanonicalDisagrees, page, at,
				fact.CanonicalPlain{Element: l.Element, Other: l.URL, Page: page})
			break
		}
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
			fact.CanonicalElsewhere{Element: l.Element, Other: l.URL, Page: page, Host: own.String(),
				Door: last.URL.Door().String()})
		break
	}
	var left []string
	for _, l := range said.Links {
		if h, ok := hostOf(l.URL); ok && v.old(h) {
			left = append(left, fmt.Sprintf("%s (%s, line %d)", short(l.URL), l.Element, l.Line))
		}
	}
	if len(left) > 0 {
		v.add(finding.LeftoverLink, page, at,
			fact.LinksLeftover{Links: left, Page: page, Count: len(left)})
	}
}

// canonical gives what a Link header says is the page's own address, resolved; "" where none does.
func (a *Answer) canonical() string {
	if a.Headers == nil || a.Headers.Canonical == "" {
		return ""
	}
	u, _, err := a.URL.Resolve(a.Headers.Canonical)
	if err != nil {
		return ""
	}
	return u.String()
}

// CanonicalURL gives the address that an answer names as its own: by a Link header, or in its page;
// "" for none.
func (a *Answer) CanonicalURL() string {
	if by := a.canonical(); by != "" || a.Page == nil {
		return by
	}
	return a.Page.Canonical
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
	lists := map[string][]string{}
	for _, l := range insecure {
		lists[l.How] = append(lists[l.How],
			fmt.Sprintf("%s (%s, line %d)", short(l.URL), l.Element, l.Line))
	}
	if list := lists[""]; len(list) > 0 {
		v.add(finding.MixedContent, page, at,
			fact.PartsByHTTP{Parts: list, Page: page, Count: len(list)})
	}
	if list := lists[Passive]; len(list) > 0 {
		v.addCause("pictures", finding.MixedContent, page, at,
			fact.PicturesByHTTP{Parts: list, Page: page, Count: len(list)})
	}
	if list := lists[Sent]; len(list) > 0 {
		v.addCause("forms", finding.MixedContent, page, at,
			fact.FormsByHTTP{Parts: list, Page: page})
	}
}

// hsts judges what a page over https asks browsers to remember.
func (v *judging) hsts(at int, last *Answer) {
	if last.Address == "" || last.URL.Scheme() != web.HTTPS || v.chain.StoppedAt != nil {
		return // what nobody was asked for has no header
	}
	door := last.URL.Door()
	if _, isAddress := door.Host.Address(); isAddress || // RFC 6797 section 8.1.1
		v.judge.Forwards != nil && v.judge.Forwards(door) ||
		v.judge.Elsewhere != nil && v.judge.Elsewhere(door.Host) {
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
			fact.HSTSUnreadable{Header: text, Door: door.String(), Shown: short(text)})
	case !ok || p.MaxAge == 0:
		v.add(finding.HSTSMissing, door.String(), at,
			fact.HSTSAbsent{Header: text, Door: door.String()})
	case p.MaxAge < halfYear:
		v.add(finding.HSTSShort, door.String(), at,
			fact.HSTSBrief{Header: text, Door: door.String(), MaxAge: p.MaxAge})
	}
}

// plannedHSTS judges what a door that forwards as planned asks browsers to remember, where the
// estate says what it should. What falls short is a note: visitors arrive.
func (v *judging) plannedHSTS() {
	c := v.chain
	if c.Probe != Root || v.judge.HSTS == nil || len(c.Hops) < 2 || c.StoppedAt != nil {
		return
	}
	first := &c.Hops[0]
	door := first.URL.Door()
	planned := v.judge.HSTS(door)
	next, _, ok := first.Next()
	if planned == "" || first.Address == "" || !first.IsRedirect() || !ok ||
		!v.goal.known() || !next.Same(v.goal.Target) {
		return
	}
	sent := ""
	if first.Headers != nil {
		sent = first.Headers.HSTS
	}
	want, _ := ParseHSTS(planned)
	has, ok := ParseHSTS(sent)
	switch {
	case has == want && (ok || want.MaxAge == 0):
	case !ok && want.MaxAge > 0:
		v.add(finding.HSTSMissing, door.String(), 0,
			fact.HSTSNotSent{Door: door.String(), Planned: planned})
	default:
		f := fact.HSTSOtherwise{Door: door.String(), Planned: planned, Header: sent}
		v.add(finding.HSTSShort, door.String(), 0, f)
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
	var does fact.Facts = fact.TokenAnswered{Status: first.Status}
	if first.MovesOn() {
		next, _, ok := first.Next()
		if !ok || next.Host() == c.Entry.Host() && next.Path() == c.Entry.Path() {
			return // a certificate authority follows it to the same place over https
		}
		does = fact.TokenRedirected{To: next.String()}
	} else if first.Status >= 300 {
		return
	}
	door := c.Entry.Door()
	v.add(
		finding.WellKnownTaken,
		door.String(),
		0,
		fact.TokenPathTaken{Asked: c.Entry.String(), Does: does, Door: door.String()},
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
		fact.RobotsBarAll{Line: last.Bars, URL: last.URL.String()})
}
