// Package chain follows and judges: from a first URL through every answer to the end, and from a chain to what is wrong
// with it.
//
// It asks through the Asker that it is given (the predicted web, the stage or the live web) and does not care which. It
// does no I/O itself and knows no clock: the time to judge certificates at comes in with the Judge.
//
//	c := chain.Follow(ctx, asker, chain.Ask{URL: web.MustParseURL("http://old.example/")}, chain.Root)
//	chain.Judge{Now: now}.Chain(&c, chain.Goal{})
//	for _, f := range c.Findings { fmt.Println(f.Code, f.Says, f.Fix) }
package chain

import (
	"context"
	"net/netip"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Ask is what is asked: a URL, and where it matters, which of the host's addresses.
type Ask struct {
	URL     web.URL
	Address netip.Addr // the zero value: whichever the name leads to
	Public  bool       // the chain began at a public address: what leads from there into a private network is not asked
}

// Asker is a web that answers: predicted, rehearsed or observed. What goes wrong is a Refusal in the answer.
type Asker interface {
	Answer(context.Context, Ask) Answer
}

// Refusal says why a URL gives no HTTP answer. Most are codes of findings.
type Refusal string

// The ways in which a URL refuses.
const (
	NoAddress  Refusal = "no-address"        // the name leads to no address
	Unresolved Refusal = "unresolved"        // resolvers could not find out where the name leads
	AliasLoop  Refusal = "alias-loop"        // its aliases form a loop
	OldSigned  Refusal = "signature-expired" // resolvers give no answer, since a signature of the zone has ended
	BadSigned  Refusal = "stale-ds"          // resolvers give no answer, since the zone's signatures do not hold
	Refused    Refusal = "refused"           // nothing accepts connections there
	Timeout    Refusal = "timeout"           // nothing answers in time
	TLSFailed  Refusal = "tls-failed"        // no TLS connection comes about
	BadAnswer  Refusal = "bad-answer"        // what comes back is not HTTP
	Private    Refusal = "private-hop"       // it lies in a private network, into which a public address has led
	Unseen     Refusal = "unseen"            // this vantage cannot look there; no fault of the door
)

// Answer is what one URL answers: facts, no judgement.
type Answer struct {
	URL            web.URL  `json:"url"`
	Address        string   `json:"address,omitempty"` // address and port that were dialled
	Aliases        []string `json:"aliases,omitempty"` // the CNAMEs on the way to it
	TTL            int      `json:"ttl,omitempty"`     // of the address record, in seconds
	Status         int      `json:"status,omitempty"`
	Location       string   `json:"location,omitempty"`        // the Location header, as it came
	OtherLocations []string `json:"other_locations,omitempty"` // further Location headers
	Framed         string   `json:"framed,omitempty"`          // by the page, which shows this URL
	Refusal        Refusal  `json:"refusal,omitempty"`
	Detail         string   `json:"detail,omitempty"` // the refusal in words
	TLS            *TLS     `json:"tls,omitempty"`
	MS             float64  `json:"ms"` // from the question to the answer, in milliseconds
}

// TLS is what was seen of a TLS connection and of the certificate of whoever answered.
type TLS struct {
	Version   string         `json:"version"`
	ALPN      string         `json:"alpn,omitempty"`
	Names     []string       `json:"names"`
	Issuer    string         `json:"issuer"`
	NotBefore time.Time      `json:"not_before"`
	NotAfter  time.Time      `json:"not_after"`
	Faults    []finding.Code `json:"faults"` // empty where a browser is content
}

// IsRedirect tells whether a browser looks for a Location (RFC 9110 section 15.4).
func (a Answer) IsRedirect() bool {
	return slices.Contains([]int{301, 302, 303, 307, 308}, a.Status)
}

// Permanent tells whether the redirect says that it holds for good.
func (a Answer) Permanent() bool { return a.Status == 301 || a.Status == 308 }

// Next gives the URL that a browser goes to from a redirect. complaint says what is wrong with the Location header, ""
// where nothing is; ok is false where a browser would not go on.
func (a Answer) Next() (next web.URL, complaint string, ok bool) {
	for _, other := range a.OtherLocations {
		if other != a.Location {
			return web.URL{}, "it names two different Locations, and browsers go to neither", false
		}
	}
	if a.Location == "" {
		return web.URL{}, "it names no Location", false
	}
	next, oddity, err := a.URL.Resolve(a.Location)
	if err != nil {
		if e, is := err.(*web.Error); is {
			return web.URL{}, "no browser follows its Location: " + e.Says, false
		}
		return web.URL{}, "no browser follows its Location", false
	}
	if oddity != "" {
		return next, "its Location is written badly: " + oddity, true
	}
	if len(a.OtherLocations) > 0 {
		return next, "it names the same Location twice", true
	}
	return next, "", true
}
