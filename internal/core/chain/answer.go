// Package chain follows and judges: from a first URL through every answer to the end, and from a
// chain to what is wrong with it.
//
// It asks through the Asker that it is given (the predicted web, the stage or the live web) and
// does not care which. It does no I/O itself and knows no clock: the time to judge certificates at
// comes in with the Judge.
//
//	ask := chain.Ask{URL: web.MustParseURL("http://old.example/")}
//	c := chain.Follow(ctx, asker, ask, chain.Root)
//	chain.Judge{Now: now}.Chain(&c, chain.Goal{})
//	for _, f := range c.Findings { fmt.Println(f.Code, f.Facts()) }
package chain

import (
	"context"
	"net/netip"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Ask is what is asked: a URL, and where it matters, which of the host's addresses.
type Ask struct {
	URL     web.URL
	Address netip.Addr // the zero value: whichever the name leads to
	// the chain began at a public address: what leads from there into a private network is not asked
	Public  bool
	Method  string  // POST, or "" for GET
	Cookies Cookies // what a browser has kept on the way; nil: nothing is kept
	Onward  bool    // an answer led there: others may lead there too
}

// Cookies is what a browser keeps of the cookies on its way along a chain (RFC 6265). Whoever
// answers makes it and reads it; a chain only hands it on.
type Cookies any

// CookieKeeper is an Asker that can keep cookies.
type CookieKeeper interface {
	NewCookies() Cookies
}

// Asker is a web that answers: predicted, rehearsed or observed. What goes wrong is a Refusal in
// the answer.
type Asker interface {
	Answer(context.Context, Ask) Answer
}

// Refusal says why a URL gives no HTTP answer. Most are codes of findings.
type Refusal string

// The ways in which a URL refuses.
const (
	NoAddress Refusal = "no-address" // the name leads to no address
	// the domain does not exist: the zone above knows no such name
	NoDomain   Refusal = "no-domain"
	Unresolved Refusal = "unresolved" // resolvers could not find out where the name leads
	AliasLoop  Refusal = "alias-loop" // its aliases form a loop
	// resolvers give no answer, since a signature of the zone has ended
	OldSigned Refusal = "signature-expired"
	// resolvers give no answer, since the zone's signatures do not hold
	BadSigned   Refusal = "stale-ds"
	Refused     Refusal = "refused"     // nothing accepts connections there
	Timeout     Refusal = "timeout"     // nothing answers in time
	Unreachable Refusal = "unreachable" // there is no way to the address
	TLSFailed   Refusal = "tls-failed"  // no TLS connection comes about
	BadAnswer   Refusal = "bad-answer"  // what comes back is not HTTP
	// it lies in a private network, into which a public address has led
	Private Refusal = "private-hop"
	Unseen  Refusal = "unseen" // this vantage cannot look there; no fault of the door
)

// Answer is what one URL answers: facts, no judgement.
type Answer struct {
	URL            web.URL   `json:"url"`
	Method         string    `json:"method,omitempty"`  // POST; "": GET
	Address        string    `json:"address,omitempty"` // address and port that were dialled
	Aliases        []string  `json:"aliases,omitempty"` // the CNAMEs on the way to it
	TTL            int       `json:"ttl,omitempty"`     // of the address record, in seconds
	Status         int       `json:"status,omitempty"`
	Location       string    `json:"location,omitempty"`        // the Location header, as it came
	OtherLocations []string  `json:"other_locations,omitempty"` // further Location headers
	Headers        *Headers  `json:"headers,omitempty"`
	Soft           *Soft     `json:"soft,omitempty"`   // how the page sends visitors on by itself
	Framed         string    `json:"framed,omitempty"` // by the page, which shows this URL
	Page           *Document `json:"page,omitempty"`   // what an HTML page says of itself
	Bars           string    `json:"bars,omitempty"`   // the line of a robots.txt that bars everything
	// how the page is packed, where nobody here can read that
	Unread     string  `json:"unread,omitempty"`
	Remembered Memo    `json:"remembered,omitempty"`
	Refusal    Refusal `json:"refusal,omitempty"`
	Detail     string  `json:"detail,omitempty"` // the refusal in words
	TLS        *TLS    `json:"tls,omitempty"`
	// another chain had led there, and it was asked once for all
	Shared bool `json:"shared,omitempty"`
	// from the question to the answer, in milliseconds
	MS float64 `json:"ms"`

	Sent   string         `json:"-"` // the cookies that went out with the question
	At     netip.AddrPort `json:"-"` // the address and port that were dialled
	Reused bool           `json:"-"` // the connection had answered before
	Found  []netip.Addr   `json:"-"` // all the addresses of the name
}

// Headers is what the headers of an answer say of who answers, and for how long (RFC 9110, RFC
// 9111, RFC 6797).
type Headers struct {
	Server    string `json:"server,omitempty"`
	Via       string `json:"via,omitempty"`
	Cache     string `json:"cache_control,omitempty"`
	Age       string `json:"age,omitempty"`
	Expires   string `json:"expires,omitempty"`
	HSTS      string `json:"strict_transport_security,omitempty"`
	Robots    string `json:"x_robots_tag,omitempty"` // "; " stands between several
	Canonical string `json:"canonical,omitempty"`    // of a Link header, as it stands there
	Cookies   bool   `json:"set_cookie,omitempty"`   // it sets a cookie
	RetryIn   string `json:"retry_after,omitempty"`
	Challenge bool   `json:"challenge,omitempty"` // it says itself that it is a challenge for robots
}

// Soft is how a page sends visitors on without a redirect of the server.
type Soft struct {
	By    string  `json:"by"`              // refresh-header, meta or script
	To    string  `json:"to"`              // as it stands there
	After float64 `json:"after,omitempty"` // in seconds
	Line  int     `json:"line,omitempty"`
}

// The ways in which a page sends visitors on.
const (
	ByHeader = "refresh-header"
	ByMeta   = "meta"
	ByScript = "script"
)

// Memo says what a browser remembers, so that it asks nobody: "redirect" or "hsts".
type Memo string

// What browsers remember.
const (
	MemoRedirect Memo = "redirect" // a permanent redirect (RFC 9111 section 4.2.2)
	MemoHSTS     Memo = "hsts"     // to go by https alone (RFC 6797 section 8.3)
)

// TLS is what was seen of a TLS connection and of the certificate of whoever answered.
type TLS struct {
	Version   string    `json:"version"`
	ALPN      string    `json:"alpn,omitempty"`
	Names     []string  `json:"names"`
	Issuer    string    `json:"issuer"`
	NotBefore time.Time `json:"not_before"`
	NotAfter  time.Time `json:"not_after"`
	Weak      []string  `json:"weak,omitempty"` // why it is weak, in words
	// why nobody trusts it, where that is more than a strange issuer
	Flaw Flaw `json:"flaw,omitempty"`
	// of which certificate that is said: its subject; and when it ended, where it did
	Flawed  string         `json:"flawed,omitempty"`
	Ended   time.Time      `json:"flawed_ended,omitzero"`
	Revoked time.Time      `json:"revoked,omitzero"`  // when its issuer revoked it
	Refused bool           `json:"refused,omitempty"` // browsers refuse it for that
	Faults  []finding.Code `json:"faults"`            // empty where a browser is content
}

// Flaw says why a certificate is not trusted, though it leads to an authority that is, or that it
// leads to none (RFC 5280 section 6).
type Flaw string

// The flaws.
const (
	IssuerEnded  Flaw = "issuer-ended"     // the certificate of an issuer on the way has ended
	NameBarred   Flaw = "name-barred"      // an issuer may not issue for this name
	OtherPurpose Flaw = "other-purpose"    // it is for something other than a server
	PathTooLong  Flaw = "path-too-long"    // an issuer may not have so many below it
	NoIssuer     Flaw = "not-an-authority" // a certificate on the way may issue none
	OfItself     Flaw = "self-signed"      // it is signed by itself
)

// IsRedirect reports whether a browser looks for a Location (RFC 9110 section 15.4).
func (a Answer) IsRedirect() bool {
	return slices.Contains([]int{301, 302, 303, 307, 308}, a.Status)
}

// ShowsNothing reports whether browsers show nothing of an answer and stay where they were (RFC
// 9110 sections 15.3.5, 15.3.6 and 15.4.5).
func (a Answer) ShowsNothing() bool { return a.Status == 204 || a.Status == 205 || a.Status == 304 }

// Stays reports whether an answer is of the kind that redirects, and browsers stay there: 300, 305
// and others of which they make nothing (the Fetch Standard, section 2.2.3).
func (a Answer) Stays() bool { return a.Status >= 300 && a.Status < 400 && !a.IsRedirect() }

// Permanent reports whether the redirect says that it holds for good.
func (a Answer) Permanent() bool { return a.Status == 301 || a.Status == 308 }

// MovesOn reports whether a browser goes on from here: by a redirect, or because the page sends it.
func (a Answer) MovesOn() bool {
	if a.IsRedirect() {
		return true
	}
	if a.Soft == nil {
		return false
	}
	next, _, err := a.URL.Resolve(a.Soft.To)
	return err == nil && next != a.URL
}

// NextMethod gives the method with which a browser goes on (the Fetch Standard, HTTP-redirect
// fetch): GET, "", but behind 307 and 308.
func (a Answer) NextMethod() string {
	if a.Status == 307 || a.Status == 308 {
		return a.Method
	}
	return ""
}

// Next gives the URL that a browser goes to from a redirect. complaint tells what is wrong with the
// Location header, nil where nothing is; ok is false where a browser would not go on.
func (a Answer) Next() (next web.URL, complaint fact.Facts, ok bool) {
	if !a.IsRedirect() && a.Soft != nil {
		next, _, err := a.URL.Resolve(a.Soft.To)
		return next, nil, err == nil
	}
	for _, other := range a.OtherLocations {
		if other != a.Location {
			return web.URL{}, fact.TwoLocations{}, false
		}
	}
	if a.Location == "" {
		return web.URL{}, fact.NoLocation{}, false
	}
	next, oddity, err := a.URL.Resolve(a.Location)
	if err != nil {
		if e, is := err.(*web.Error); is {
			return web.URL{}, fact.LocationBad{Why: e.Fault}, false
		}
		return web.URL{}, fact.LocationBad{}, false
	}
	if oddity != nil {
		return next, fact.LocationOdd{How: oddity}, true
	}
	if len(a.OtherLocations) > 0 {
		return next, fact.SameLocationTwo{}, true
	}
	return next, nil, true
}
