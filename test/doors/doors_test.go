// Package doors plays a door for each fault that an audit can see, and for what looks like it and
// is none, and asks both the program and a real browser what visitors meet there.
package doors

import (
	"context"
	"crypto/tls"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/stage"
)

// says is what a door answers.
type says func(u web.URL, r *http.Request) stage.Reply

// door is one door, what is found there, and what a browser makes of it.
type door struct {
	what   string
	ask    string // the URL, {h} for the host; "": http://{h}/
	probe  chain.Probe
	plain  says // over http; nil: it refuses
	secure says // over https; nil: it refuses
	cert   *stage.Certificate
	tune   func(plain, secure *stage.Endpoint)
	second says     // of a second address, over http and https; nil: there is none
	closed bool     // the second address refuses instead
	names  []string // its records, {h} and {a} for host and address; nil: an A record
	goal   string   // where it should lead; "": nobody says
	clues  chain.Clues
	// the codes, in alphabetical order; hsts-missing of the door itself is not written down
	finds string
	says  string // a part of what is said
	cause finding.Cause
	then  says   // what it answers, by both schemes, when somebody comes back
	ours  string // why a browser does otherwise; "": it does the same
	may   bool   // it depends on what nobody knows
	empty bool   // a browser shows nothing of it
	blank bool   // a browser shows a page without anything
	// a browser might leave a little later
	waits bool

	host    web.Host
	address netip.Addr
	other   netip.Addr // the second
	later   atomic.Bool
}

const site = "https://www.site.example"

func to(location string, status ...int) says {
	return func(u web.URL, _ *http.Request) stage.Reply {
		code := 301
		if len(status) > 0 {
			code = status[0]
		}
		at := strings.NewReplacer("{h}", u.Host().String(), "{uri}", u.RequestURI(), "{path}",
			u.Path()).Replace(location)
		return stage.Reply{Status: code, Location: at}
	}
}

func page(html string, headers ...string) says { return status(200, html, headers...) }

func status(code int, html string, headers ...string) says {
	return func(web.URL, *http.Request) stage.Reply {
		r := stage.Reply{Status: code, HTML: html, Headers: map[string]string{}}
		for i := 0; i+1 < len(headers); i += 2 {
			r.Headers[headers[i]] = headers[i+1]
		}
		return r
	}
}

func raw(octets string) says {
	return func(web.URL, *http.Request) stage.Reply { return stage.Reply{Status: 200, Raw: octets} }
}

const year = "max-age=31536000"

func titled(title, rest string) string {
	return "<!doctype html>\n<title>" + title + "</title>\n<h1>" + title + "</h1>\n" + rest
}

// theSite is where doors should lead.
func theSite(u web.URL, _ *http.Request) stage.Reply {
	if u.Scheme() == web.HTTP {
		return stage.Reply{Status: 301, Location: site + u.RequestURI()}
	}
	headers := map[string]string{"Strict-Transport-Security": year}
	pages := map[string]string{
		"/":     titled("Home", "<p>Welcome.</p>"),
		"/page": titled("Page", "<p>A page.</p>"),
		"/mixed": titled("Mixed",
			"<img src=http://images.site.example/a.png>\n"+
				"<script src='http://js.site.example/a.js'></script>"),
		"/upgraded": `<meta http-equiv="Content-Security-Policy" content="upgrade-insecure-requests">` +
			titled("Upgraded", `<img src=http://images.site.example/a.png>`),
		"/linked": titled("Linked", "<a href=http://images.site.example/>elsewhere</a>"),
		"/old-name": titled("Old name",
			`<link rel=canonical href="https://old.site-before.example/page">`),
		"/own-name": titled("Own name", `<link rel=canonical href="/own-name">`),
		"/og": titled("Social",
			`<meta property="og:url" content="https://old.site-before.example/og">`),
		"/hidden":   titled("Hidden", `<meta name=robots content="noindex, follow">`),
		"/follow":   titled("Not followed", `<meta name=robots content="nofollow">`),
		"/lost":     titled("Page not found", "<p>Sorry.</p>"),
		"/lost-and": titled("Lost and found", "<p>At the desk.</p>"),
		"/links-back": titled("Links back",
			`<p><a href="https://forwards.site-before.example/x">old</a>`),
	}
	switch html, is := pages[u.Path()]; {
	case u.Path() == "/moved-home":
		return stage.Reply{Status: 301, Location: "/", Headers: headers}
	case u.Path() == "/header-hidden":
		headers["X-Robots-Tag"] = "noindex"
		return stage.Reply{Status: 200, HTML: titled("By header", ""), Headers: headers}
	case is:
		return stage.Reply{Status: 200, HTML: html, Headers: headers}
	}
	return stage.Reply{Status: 404, HTML: titled("There is nothing here", ""), Headers: headers}
}

func insecure(u web.URL, r *http.Request) stage.Reply { return to("https://{h}{uri}")(u, r) }

// cookieWall redirects to itself until its cookie comes back.
func cookieWall(u web.URL, r *http.Request) stage.Reply {
	if _, err := r.Cookie("seen"); err != nil {
		return stage.Reply{Status: 302, Location: u.RequestURI(),
			Headers: map[string]string{"Set-Cookie": "seen=1; Path=/"}}
	}
	return stage.Reply{Status: 200, HTML: titled("Behind the cookie", ""), Headers: map[string]string{
		"Strict-Transport-Security": year}}
}

func days(n int) time.Duration { return time.Duration(n) * 24 * time.Hour }

func names(n ...string) *stage.Certificate { return &stage.Certificate{Names: n} }

// strict pages are secure ones that say so for a year.
func strict(html string) says { return page(html, "Strict-Transport-Security", year) }

var wholeSite = strict(titled("Own site", "<p>Open daily.</p>"))

// all are the doors. The first of a pair has the fault, the next is what looks like it.
func all() []*door { return slices.Concat(usual(), scripts(), encoded(), statuses(), marked()) }

func usual() []*door {
	return []*door{
		// Reaching.
		{what: "no address", names: []string{"{h} 60 IN TXT \"x\""}, finds: "no-address"},
		{what: "no domain", ask: "http://nobody-has-this.example/", finds: "no-address"},
		{what: "an alias to nowhere", names: []string{"{h} 60 IN CNAME gone.nobody.example."},
			finds: "no-address"},
		{what: "an alias to a machine that does not know it",
			names: []string{"{h} 60 IN CNAME a.site.example."},
			finds: "dead-end plain-arrival", cause: finding.HostNotAdded},
		{what: "aliases that form a loop", finds: "alias-loop",
			names: []string{"{h} 60 IN CNAME round.{h}.", "round.{h} 60 IN CNAME {h}."}},
		{what: "refused", finds: "refused"},
		{what: "http refused, https answers", ask: "https://{h}/", secure: wholeSite},
		{what: "unreachable", tune: func(p, _ *stage.Endpoint) { p.Nowhere = true }, plain: page("x"),
			finds: "unreachable"},
		{what: "silence", tune: func(p, _ *stage.Endpoint) { p.Silent = true }, plain: page("x"),
			finds: "timeout",
			ours:  "a browser waits for minutes"},
		{what: "plain http on the https port", ask: "https://{h}/", finds: "tls-failed",
			tune:  func(_, s *stage.Endpoint) { s.Certificates = nil },
			plain: insecure, secure: page("x")},
		{what: "no certificate for the name", ask: "https://{h}/", secure: wholeSite,
			cert: names("other.example"),
			tune: func(_, s *stage.Endpoint) { s.Strict = true }, finds: "tls-failed"},
		{what: "no HTTP", plain: raw("SSH-2.0-x\r\n"), finds: "bad-answer",
			ours: "a browser shows it as the " +
				"text of HTTP/0.9"},
		{what: "half a head", plain: raw("HTTP/1.1 200"), finds: "bad-answer",
			ours: "a browser shows an empty page"},
		{what: "HTTP without a reason phrase",
			plain: raw("HTTP/1.1 200\r\nContent-Type: text/html\r\nContent-Length: 2\r\n" +
				"Connection: close\r\n\r\nhi"), finds: "plain-arrival"},
		{what: "a second address with the old page", plain: to(site + "/"),
			second: page(titled("Old site", "")),
			finds:  "split-answers"},
		{what: "a second address that does the same", plain: to(site + "/"), second: to(site + "/")},
		{what: "a second address that is dead", plain: to(site + "/"), second: page(""), closed: true,
			finds: "split-answers"},
		{what: "a second address that writes the Location otherwise", plain: to(site + "/page"),
			second: to(
				"https://WWW.site.example:443/./page")},
		{what: "a second address with another certificate for the name", ask: "https://{h}/",
			secure: to(site + "/"),
			second: to(site + "/")},
		{what: "a challenge", ask: "https://{h}/",
			secure: status(403, titled("Just a moment...", "Verify you are human")),
			finds:  "turned-away"},
		{what: "a page that is forbidden", ask: "https://{h}/",
			secure: status(403, titled("Forbidden", "")), finds: "dead-end"},
		{what: "asked too often", ask: "https://{h}/", secure: status(429, "slow", "Retry-After", "60"),
			finds: "turned-away"},

		// Certificates.
		{what: "another name", ask: "https://{h}/", secure: wholeSite, cert: names("www.shared.example"),
			finds: "wrong-name",
			cause: finding.DefaultServer},
		{what: "one name of two", ask: "https://{h}/", secure: wholeSite,
			cert: names("other.example", "{h}")},
		{what: "a wildcard that holds it", ask: "https://{h}/", secure: wholeSite,
			cert: names("*.door.example")},
		{what: "a wildcard one label short", ask: "https://a.{h}/", secure: wholeSite,
			cert:  names("*.door.example"),
			names: []string{"a.{h} 60 IN A {a}"}, finds: "wrong-name", cause: finding.WildcardShort},
		{what: "expired", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{From: -days(90), Until: -days(2)},
			finds: "expired"},
		{what: "ends in two months", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{From: -days(30), Until: days(60)}},
		{what: "not valid yet", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{From: days(2), Until: days(90)},
			finds: "not-yet-valid"},
		{what: "of a stranger", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{SignedBy: stage.ByStranger},
			finds: "untrusted"},
		{what: "of itself", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{SignedBy: stage.ByItself},
			finds: "untrusted", says: "CertificateOfItself{"},
		{what: "of an issuer that has ended", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{Issuer: stage.Ended}, finds: "expired", says: "IssuerEnded{"},
		{what: "of an issuer for another domain", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{Issuer: stage.Elsewhere}, finds: "untrusted",
			says: "IssuerBarsName{"},
		{what: "of an issuer too deep", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{Issuer: stage.TooDeep}, finds: "untrusted",
			says: "PathOfIssuersLong{"},
		{what: "of no authority", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{Issuer: stage.NoIssuer}, finds: "untrusted",
			says: "IssuerIsNone{"},
		{what: "for clients alone", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{Client: true}, finds: "untrusted", says: "CertificateForOther{"},
		{what: "without its intermediate", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{LeaveOut: true},
			finds: "broken-chain"},
		{what: "ends soon", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{From: -days(80), Until: days(9)},
			finds: "expires-soon"},
		{what: "a short life, most of it left", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{From: -days(1), Until: days(6)}},
		{what: "signed by SHA-1", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{SHA1: true},
			finds: "weak-certificate"},
		{what: "a key of 1024 bits", ask: "https://{h}/", secure: wholeSite,
			cert:  &stage.Certificate{RSA: 1024},
			finds: "weak-certificate"},
		{what: "a key of 2048 bits", ask: "https://{h}/", secure: wholeSite,
			cert: &stage.Certificate{RSA: 2048}},
		{what: "TLS 1.1", ask: "https://{h}/", secure: wholeSite, finds: "weak-certificate",
			tune: func(_, s *stage.Endpoint) { s.NewestTLS = tls.VersionTLS11 }},
		{what: "TLS 1.2", ask: "https://{h}/", secure: wholeSite,
			tune: func(_, s *stage.Endpoint) { s.NewestTLS = tls.VersionTLS12 }},
		{what: "a refused certificate on the way", plain: to("https://{h}{uri}"), secure: to(site + "/"),
			cert: names("other.example"), finds: "extra-hop wrong-name", cause: finding.DefaultServer},
		{what: "a platform that waits for its certificate", ask: "https://{h}/", secure: wholeSite,
			cert:  names("*.sites.example"),
			names: []string{"{h} 60 IN CNAME front.sites.example.", "front.sites.example. 60 IN A {a}"},
			finds: "wrong-name",
			cause: finding.CertificateComing},
		{what: "a platform whose authority may not", ask: "https://{h}/", secure: wholeSite,
			cert:  names("*.sites.example"),
			names: []string{"{h} 60 IN CNAME barred.sites.example.", "barred.sites.example. 60 IN A {a}"},
			finds: "wrong-name",
			clues: chain.Clues{CAA: func(web.Host) (chain.CAA, bool) {
				return chain.CAA{At: "door.example", Issuers: []string{"elsewhere.example"}}, true
			}}, cause: finding.CertificateBarred},
		{what: "a platform that does not know the host", ask: "https://{h}/",
			secure: status(404, titled("Not found", "")),
			cert:   names("*.sites.example"),
			names:  []string{"{h} 60 IN CNAME strange.sites.example.", "strange.sites.example. 60 IN A {a}"},
			finds:  "dead-end wrong-name", cause: finding.HostNotAdded},

		// Chains.
		{what: "to itself over https", ask: "https://{h}/", secure: to("https://{h}/"), finds: "loop",
			cause: finding.EdgeByHTTP},
		{what: "to itself over http", plain: to("http://{h}/"), finds: "loop"},
		{what: "http and https", plain: insecure, secure: to("http://{h}{uri}"), finds: "downgrade loop"},
		{what: "the same path written otherwise", ask: "http://{h}/%7Ea", plain: to("/~a"),
			finds: "loop"},
		{what: "a slash is added", ask: "https://{h}/a",
			secure: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/a" {
					return to("/a/")(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "growing", plain: to("http://{h}/x{uri}"), finds: "growing-loop"},
		{what: "25 different hops", ask: "http://{h}/1",
			plain: func(u web.URL, _ *http.Request) stage.Reply {
				n := 0
				_, _ = fmt.Sscanf(u.Path(), "/%d", &n)
				if n == 25 {
					return stage.Reply{Status: 301, Location: site + "/"}
				}
				return stage.Reply{Status: 301, Location: fmt.Sprintf("/%d", n+1)}
			}, finds: "too-many-hops"},
		{what: "a cookie", ask: "https://{h}/", secure: cookieWall, finds: "cookie-loop",
			cause: finding.CookieWall},
		{what: "a cookie that is not asked for", ask: "https://{h}/",
			secure: page(titled("Page", ""), "Set-Cookie", "a=b", "Strict-Transport-Security", year)},
		{what: "a cookie that does not help", ask: "https://{h}/", finds: "loop",
			cause: finding.EdgeByHTTP,
			secure: func(web.URL, *http.Request) stage.Reply {
				return stage.Reply{Status: 302, Location: "/", Headers: map[string]string{"Set-Cookie": "a=b"}}
			}},
		{what: "two redirects", plain: to("https://{h}{uri}"), secure: to(site + "/"),
			finds: "extra-hop"},
		{what: "one redirect", plain: to(site + "/")},
		{what: "down to http", ask: "https://{h}/", secure: to("http://www.site.example/"),
			finds: "downgrade extra-hop"},
		{what: "stays at http", plain: page(titled("Plain", "")), finds: "plain-arrival"},
		{what: "302 to the site", plain: to(site+"/", 302), finds: "temporary"},
		{what: "302 within the door", ask: "https://{h}/",
			secure: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/" {
					return to("/home", 302)(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "307 to the site", plain: to(site+"/", 307), finds: "temporary"},
		{what: "308 to the site", plain: to(site+"/", 308)},
		{what: "no Location", plain: status(301, "x"), finds: "bad-location",
			ours: "a browser shows the page of the answer, and the arrival is the same"},
		{what: "to a script", plain: to("javascript:alert(1)"), finds: "bad-location"},
		{what: "a space", plain: to(site + "/a b"), finds: "bad-location dead-end"},
		{what: "one slash", plain: to("https:/www.site.example/page"), finds: "bad-location"},
		{what: "a host that is a number", plain: to("http://0xC000020A/page"),
			finds: "bad-location dead-end plain-arrival"},
		{what: "a relative Location", ask: "https://{h}/a",
			secure: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/a" {
					return to("b")(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "a Location in upper case", plain: to("HTTPS://WWW.SITE.EXAMPLE/page")},
		{what: "a frameset",
			plain: page(`<html><title>Old</title><frameset>` +
				`<frame src="https://www.site.example/"></frameset></html>`),
			finds: "framed", cause: finding.FrameForwarding},
		{what: "nothing but a frame", ask: "https://{h}/",
			secure: strict(`<title>x</title><iframe src="https://www.site.example/" ` +
				`width="100%" height="100%"></iframe>`), finds: "framed", cause: finding.FrameForwarding},
		{what: "a frame in a page", ask: "https://{h}/",
			secure: strict(titled("Find us", `<iframe src="https://www.site.example/"></iframe>`))},
		{what: "a Refresh header", plain: page(titled("Moved", ""), "Refresh", "0; url="+site+"/page"),
			finds: "soft-redirect"},
		{what: "meta refresh",
			plain: page(titled("Moved", `<meta http-equiv=refresh content="0;URL='`+site+`/page'">`)),
			finds: "soft-redirect"},
		{what: "a script", plain: page(`<script>window.location.href = "` + site + `/page";</script>`),
			finds: "soft-redirect"},
		{what: "a script that replaces", plain: page(`<script>// moved
location.replace('` + site + `/page')</script>`), finds: "soft-redirect"},
		{what: "a script in time",
			plain: page(`<script>setTimeout(function() { location = "` + site + `/page" }, 50)</script>`),
			finds: "soft-redirect"},
		{what: "a script on load",
			plain: page(`<body onload="location.href='` + site + `/page'">x</body>`),
			finds: "soft-redirect"},
		{what: "a script of an if", ask: "https://{h}/", secure: strict(titled("Page",
			`<script>if (window.name == "never") { location.href = "`+site+`/page" }</script>`))},
		{what: "a script of a button", ask: "https://{h}/", secure: strict(titled("Page",
			`<button onclick="location.href='`+site+
				`/page'">Go</button><script>function go() { location.href = "`+site+
				`/page" }</script>`))},
		{what: "a refresh of itself", ask: "https://{h}/",
			secure: page(titled("News", ""), "Refresh", "300",
				"Strict-Transport-Security", year)},
		{what: "a refresh in noscript", ask: "https://{h}/", secure: strict(titled("Page",
			`<noscript><meta http-equiv=refresh content="0;url=`+site+`/page"></noscript>`))},
		{what: "meta refresh in a comment", ask: "https://{h}/", secure: strict(titled("Page",
			`<!-- <meta http-equiv=refresh content="0;url=`+site+`/page"> -->`))},
		{what: "through somebody else's host", plain: to("https://foreign.elsewhere.example/x"),
			goal:  site + "/",
			finds: "extra-hop foreign-hop"},

		// Destinations.
		{what: "serves a page instead of forwarding", ask: "https://{h}/", secure: wholeSite,
			goal:  site + "/",
			finds: "not-redirected"},
		{what: "forwards as planned", plain: to(site + "/"), goal: site + "/"},
		{what: "arrives on another page", plain: to(site + "/page"), goal: site + "/own-name",
			finds: "wrong-page"},
		{what: "cuts the path", ask: "http://{h}/deep/page", plain: to(site + "/"),
			goal: site + "/deep/page", finds: "path-lost"},
		{what: "drops the query", ask: "http://{h}/?a=b", probe: chain.Query, plain: to(site + "/"),
			goal:  site + "/?a=b",
			finds: "query-lost"},
		{what: "keeps the query", ask: "http://{h}/?a=b", probe: chain.Query, plain: to(site + "/?a=b"),
			goal: site + "/?a=b"},
		{what: "arrives on 404", plain: to(site + "/nothing"), goal: site + "/nothing",
			finds: "dead-end"},
		{what: "arrives on a page that says 404 with 200", plain: to(site + "/lost"),
			goal: site + "/lost", finds: "dead-end"},
		{what: "arrives on lost property", plain: to(site + "/lost-and"), goal: site + "/lost-and"},
		{what: "the site sends it home", ask: "http://{h}/moved-home", probe: chain.ByRule,
			plain: to(site + "/moved-home"),
			goal:  site + "/moved-home", finds: "landed-home"},
		{what: "an old page on the home page", ask: "http://{h}/old/page.html", plain: to(site + "/"),
			finds: "landed-home"},
		{what: "the root on the home page", plain: to(site + "/")},
		{what: "a parking page", ask: "https://{h}/", secure: strict(titled("This domain is parked", "")),
			finds: "wrong-page",
			cause: finding.ParkingPage},
		{what: "a page about parking", ask: "https://{h}/",
			secure: strict(titled("Parking at the museum", ""))},

		// What the page says.
		{what: "mixed content", plain: to(site + "/mixed"), finds: "mixed-content"},
		{what: "mixed content that is upgraded", plain: to(site + "/upgraded")},
		{what: "a link to http", plain: to(site + "/linked")},
		{what: "a page that names its old host", plain: to(site + "/old-name"),
			finds: "canonical-disagrees"},
		{what: "a page that names itself", plain: to(site + "/own-name")},
		{what: "og:url of the old host", plain: to(site + "/og"), finds: "canonical-disagrees"},
		{what: "noindex", plain: to(site + "/hidden"), finds: "noindex"},
		{what: "nofollow", plain: to(site + "/follow")},
		{what: "noindex by a header", plain: to(site + "/header-hidden"), finds: "noindex"},
		{what: "a link back to an old host", plain: to(site + "/links-back"), goal: site + "/links-back",
			finds: "leftover-link"},
		{what: "robots are barred", ask: "http://{h}/robots.txt", probe: chain.Robots,
			finds: "robots-blocked",
			plain: page("User-agent: *\nDisallow: /\n", "Content-Type", "text/plain")},
		{what: "robots are barred from a part", ask: "http://{h}/robots.txt", probe: chain.Robots,
			plain: page("User-agent: *\nDisallow: /cgi/\n", "Content-Type", "text/plain")},
		{what: "a catch-all redirect", ask: "http://{h}" + chain.WellKnownPath, probe: chain.WellKnown,
			plain: to(site + "/"),
			finds: "well-known-taken"},
		{what: "nothing at a made-up token", ask: "http://{h}" + chain.WellKnownPath,
			probe: chain.WellKnown,
			plain: status(404, "x")},
		{what: "a made-up token by https", ask: "http://{h}" + chain.WellKnownPath,
			probe: chain.WellKnown, plain: insecure,
			secure: status(404, "x")},

		// Memory.
		{what: "no HSTS", ask: "https://{h}/", secure: page(titled("Page", "")), finds: "hsts-missing"},
		{what: "HSTS of a day", ask: "https://{h}/",
			secure: page(titled("Page", ""), "Strict-Transport-Security", "max-age=86400"),
			finds:  "hsts-short"},
		{what: "HSTS that nobody takes", ask: "https://{h}/",
			secure: page(titled("Page", ""), "Strict-Transport-Security", "1 year"),
			finds:  "hsts-missing"},
		{what: "HSTS of a year", ask: "https://{h}/", secure: wholeSite},
		{what: "a remembered redirect back", ask: "https://{h}/a", secure: to("https://{h}/b"),
			finds: "remembered-loop",
			then: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/b" {
					return to("https://{h}/a")(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "a remembered redirect to a page that is gone", ask: "https://{h}/a",
			secure: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/a" {
					return to("https://{h}/b")(u, r)
				}
				return wholeSite(u, r)
			}, finds: "dead-end",
			then: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/b" {
					return status(404, titled("Nothing", ""))(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "a redirect that may not be kept", ask: "https://{h}/a",
			secure: func(u web.URL, r *http.Request) stage.Reply {
				reply := to("https://{h}/b")(u, r)
				reply.Headers = map[string]string{"Cache-Control": "no-store"}
				return reply
			}, then: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/b" {
					return to("https://{h}/a")(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "a temporary redirect back", ask: "https://{h}/a", secure: to("https://{h}/b", 302),
			then: func(u web.URL, r *http.Request) stage.Reply {
				if u.Path() == "/b" {
					return to("https://{h}/a")(u, r)
				}
				return wholeSite(u, r)
			}},
		{what: "HSTS, and down to http later", plain: to("https://{h}/"), secure: wholeSite,
			finds: "remembered-loop",
			then: func(u web.URL, r *http.Request) stage.Reply {
				if u.Scheme() == web.HTTPS {
					return to("http://{h}/")(u, r)
				}
				return to(site+"/")(u, r)
			}, ours: ""},
	}
}

// world is the doors on a stage.
type world struct {
	doors []*door
	stage *stage.Stage
	web   *live.Client
}

// play plays the doors.
func play(t *testing.T, doors []*door) *world {
	t.Helper()
	return playAt(t, doors, false)
}

// playAt plays the doors; where second is wanted, the names of those with two addresses lead to the
// second alone.
func playAt(t *testing.T, doors []*door, second bool) *world {
	t.Helper()
	scene := stage.Scene{Endpoints: map[netip.AddrPort]*stage.Endpoint{}}
	records := []string{"www.site.example. 60 IN A 192.0.2.10", "a.site.example. 60 IN A 192.0.2.10",
		"foreign.elsewhere.example. 60 IN A 192.0.2.11"}
	put := func(a netip.Addr, port uint16, e *stage.Endpoint) {
		scene.Endpoints[netip.AddrPortFrom(a, port)] = e
	}
	siteAt, foreignAt := netip.MustParseAddr("192.0.2.10"), netip.MustParseAddr("192.0.2.11")
	onlySite := func(u web.URL, r *http.Request) stage.Reply {
		if u.Host().String() != "www.site.example" {
			return stage.Reply{Status: 404}
		}
		return theSite(u, r)
	}
	put(siteAt, 80, &stage.Endpoint{Visit: onlySite})
	put(siteAt, 443,
		&stage.Endpoint{Visit: onlySite,
			Certificates: []stage.Certificate{{Names: []string{"www.site.example"}}}})
	put(foreignAt, 443, &stage.Endpoint{Visit: to(site + "/"),
		Certificates: []stage.Certificate{{Names: []string{"foreign.elsewhere.example"}}}})
	for i, d := range doors {
		d.host = web.MustParseHost(fmt.Sprintf("d%d.door.example", i))
		d.address = netip.AddrFrom4([4]byte{198, 51, 100, byte(i + 1)})
		other := netip.AddrFrom4([4]byte{203, 0, 113, byte(i + 1)})
		d.other = other
		fill := strings.NewReplacer("{h}", d.host.String(), "{a}", d.address.String())
		if d.ask == "" {
			d.ask = "http://{h}/"
		}
		d.ask = fill.Replace(d.ask)
		if d.probe == "" {
			d.probe = chain.Asked
		}
		if d.names == nil {
			d.names = []string{"{h} 60 IN A {a}"}
			if second && d.second != nil && !d.closed {
				d.names = nil
			}
			if d.closed { // a machine of IPv6 that is gone
				other = netip.MustParseAddr(fmt.Sprintf("2001:db8::%x", i+1))
				d.names = append(d.names, "{h} 60 IN AAAA "+other.String())
			} else if d.second != nil {
				d.names = append(d.names, "{h} 60 IN A "+other.String())
			}
		}
		for _, n := range d.names {
			records = append(records, strings.Replace(fill.Replace(n), " 60", ". 60", 1))
		}
		cert := stage.Certificate{}
		if d.cert != nil {
			cert = *d.cert
		}
		if cert.Names == nil {
			cert.Names = []string{"{h}"}
		}
		for j := range cert.Names {
			cert.Names[j] = fill.Replace(cert.Names[j])
		}
		plain := &stage.Endpoint{Visit: d.now(d.plain)}
		secure := &stage.Endpoint{Visit: d.now(d.secure), Certificates: []stage.Certificate{cert}}
		if d.tune != nil {
			d.tune(plain, secure)
		}
		put(d.address, 8080, &stage.Endpoint{Visit: page("the machine is there")})
		if d.plain != nil || d.then != nil {
			put(d.address, 80, plain)
		}
		if d.secure != nil || d.then != nil {
			put(d.address, 443, secure)
		}
		if d.second != nil && !d.closed {
			put(other, 80, &stage.Endpoint{Visit: d.second})
			put(other, 443,
				&stage.Endpoint{Visit: d.second,
					Certificates: []stage.Certificate{{Names: []string{d.host.String()}}}})
		} else if d.closed {
			put(other, 8080, &stage.Endpoint{Visit: d.second})
		}
	}
	zone := stage.Zone{Origin: "."}
	for _, r := range records {
		r = strings.Replace(r, ".. 60", ". 60", 1)
		rr, err := dns.NewRR(r)
		require.NoError(t, err, r)
		zone.Records = append(zone.Records, rr)
	}
	scene.Zones = []stage.Zone{zone}
	s, err := stage.Start(scene)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	v := s.Vantage()
	w, err := live.New(v)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	return &world{doors, s, w}
}

// now answers as the door does today, or as it does when somebody comes back.
func (d *door) now(first says) func(web.URL, *http.Request) stage.Reply {
	return func(u web.URL, r *http.Request) stage.Reply {
		if d.later.Load() && d.then != nil {
			return d.then(u, r)
		}
		if first == nil {
			return stage.Reply{Status: 404}
		}
		return first(u, r)
	}
}

// met is what the program says of a door.
func (w *world) met(t *testing.T, d *door) chain.Chain {
	t.Helper()
	judge := chain.Judge{Now: time.Now(), Clues: d.clues}
	goal := chain.Goal{}
	if d.goal != "" {
		judge.Estate = func(h web.Host) bool {
			return strings.HasSuffix(h.String(), ".door.example") ||
				strings.HasSuffix(h.String(), "site.example") ||
				strings.HasSuffix(h.String(), "site-before.example")
		}
		judge.Forwards = func(at web.Door) bool {
			return strings.HasSuffix(at.Host.String(), ".door.example") ||
				at.Host.String() == "forwards.site-before.example"
		}
		goal = chain.Goal{Target: web.MustParseURL(d.goal), Hops: 1}
	}
	entry := chain.Ask{URL: web.MustParseURL(d.ask)}
	follow := func(asker chain.Asker) chain.Chain {
		c := chain.FollowEach(context.Background(), asker, entry, d.probe)
		judge.Chain(&c, goal)
		return c
	}
	if d.then == nil {
		return follow(w.web)
	}
	var memory chain.Memory
	d.later.Store(false)
	before := follow(w.web)
	memory.Visit(&before, time.Now())
	d.later.Store(true)
	fresh := follow(w.web)
	again := follow(chain.Returning{Asker: w.web, Memory: &memory, Now: time.Now()})
	again.Findings = nil
	memory.JudgeReturning(&fresh, &again, time.Now())
	return again
}

// codes gives what was found, in alphabetical order. That a door of its own sends no HSTS is
// written down only where a door is about that.
func codes(c *chain.Chain, expected string) string {
	var all []string
	for _, f := range c.Findings {
		if f.Code == finding.HSTSMissing && !strings.Contains(expected, "hsts") &&
			!strings.HasPrefix(f.Subject, site) {
			continue
		}
		if !slices.Contains(all, f.Code.String()) {
			all = append(all, f.Code.String())
		}
	}
	slices.Sort(all)
	return strings.Join(all, " ")
}

func TestWhatIsFoundAtEachDoor(t *testing.T) {
	w := play(t, all())
	assert.GreaterOrEqual(t, len(w.doors), 208)
	require.Less(t, len(w.doors), 255, "each has an address of its own")
	for _, d := range w.doors {
		t.Run(d.what, func(t *testing.T) {
			c := w.met(t, d)
			var says []string
			for _, f := range c.Findings {
				says = append(says, f.Says.String()+" "+f.Why.String()+" → "+f.Fix.String())
			}
			assert.Equal(t, d.finds, codes(&c, d.finds), "%s\n%s", d.ask, strings.Join(says, "\n"))
			assert.Contains(t, strings.Join(says, "\n"), d.says)
			var causes []finding.Cause
			for _, f := range c.Findings {
				if f.Cause != finding.NoCause {
					causes = append(causes, f.Cause)
					assert.NotEmpty(t, f.Why, "a cause is said")
					assert.Contains(t, f.Cause.Kind().Of, f.Code)
				}
				assert.NotEmpty(t, f.Fix, "every fault has its remedy")
			}
			if d.cause == finding.NoCause {
				assert.Empty(t, causes)
			} else {
				assert.Contains(t, causes, d.cause)
			}
		})
	}
}

// TestEveryFaultHasItsDoor names the codes that no single chain shows, and where they are tested.
func TestEveryFaultHasItsDoor(t *testing.T) {
	elsewhere := map[string]bool{"doors-disagree": true, "many-to-one": true, "hsts-trap": true,
		"private-hop": true,
		// of what search engines see (internal/core/search), of lists that Chromium does not read
		// (internal/live/revoked_test.go)
		"other-kind": true, "sitemap-stale": true, "sitemap-gap": true, "sitemap-dropped": true,
		"revoked": true}
	chapters := []string{"reaching", "certificate", "chain", "destination", "memory", "content"}
	found := map[string]bool{}
	for _, d := range all() {
		for _, code := range strings.Fields(d.finds) {
			found[code] = true
		}
	}
	for _, k := range finding.Rows() {
		if slices.Contains(chapters, k.About) && !elsewhere[k.Name] {
			assert.True(t, found[k.Name], k.Name)
		}
	}
}
