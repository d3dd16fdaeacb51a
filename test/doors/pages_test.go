package doors

import (
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"fmt"
	"net/http"
	"unicode/utf16"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"

	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/stage"
)

// goes is what a script does that sends visitors to the site.
const goes = `location.href = "` + site + `/page"`

// scripted is a page with something in it, of a door over https.
func scripted(what, finds, html string, headers ...string) *door {
	headers = append(headers, "Strict-Transport-Security", year)
	return &door{what: what, ask: "https://{h}/", finds: finds, waits: finds == "",
		secure: page(titled("Page", html), headers...)}
}

// scripts are pages whose scripts send visitors on, may do so, or do not.
func scripts() []*door {
	on := func(what, js string) *door {
		return scripted(what, "soft-redirect", "<p id=there>x</p><script>"+js+"</script>")
	}
	may := func(what, js string) *door {
		d := on(what, js)
		d.may = true
		return d
	}
	stays := func(what, js string) *door { return scripted(what, "", "<script>"+js+"</script>") }
	const csp, policy = "Content-Security-Policy", "script-src 'self'"
	return []*door{
		on("an arrow in time", `setTimeout(() => location.replace("`+site+`/page"), 300)`),
		on("a variable", `var to = "`+site+`/page"; location.href = to`),
		on("pieces", `var h = ["https:/", "www.site.example", "page"]; location = h.join("/")`),
		on("brackets", `window["location"]["href"] = "`+site+`/page"`),
		on("a text in time", `setTimeout('`+goes+`', 50)`),
		on("the same window", `window.open("`+site+`/page", "_self")`),
		on("not in a frame", `if (top === self) { `+goes+` }`),
		on("a function", `function go(to) { location.assign(to) } go("`+site+`/page")`),
		on("a function of its own", `(function() { `+goes+` })()`),
		on("when it is loaded", `window.addEventListener("load", function() { `+goes+` })`),
		on("when it is parsed", `document.addEventListener("DOMContentLoaded", () => { `+goes+` })`),
		on("a countdown", `var n = 2; var t = setInterval(function() { document.getElementById("there")`+
			`.innerHTML = n; if (--n == 0) { clearInterval(t); `+goes+` } }, 100)`),
		on("by its own address", `if (location.protocol == "https:") { location = `+
			`"https://www.site.example/page" + location.search }`),
		on("behind what throws, in time", `setTimeout(function() { `+goes+` }, 50); null.x`),
		on("caught", `try { null.x } catch (e) { `+goes+` }`),
		on("written into the page", `document.write('<meta http-equiv="refresh" content="0;url=`+site+
			`/page">')`),
		on("evaluated", `eval('`+goes+`')`),
		on("an element that is clicked", `var a = document.createElement("a"); a.href = "`+site+
			`/page"; document.body.appendChild(a); a.click()`),
		on("a script in a script", `var s = document.createElement("script"); s.text = '`+goes+
			`'; document.head.appendChild(s)`),
		on("a switch", `switch (location.hostname.length > 3) { case true: `+goes+`; break; default: }`),
		on("a class", `class Door { constructor(to) { this.to = to } go() { location = this.to } } `+
			`new Door("`+site+`/page").go()`),
		on("a promise of nothing", `(async () => { `+goes+` })()`),
		on("the last of two", `location = "/other"; `+goes),
		on("in an old comment", "<!--\n"+goes+"\n//-->"),
		scripted("a module", "soft-redirect", `<script type="module">`+goes+`</script>`),
		scripted("two scripts", "soft-redirect",
			`<script>const to = "`+site+`/page"</script><script>location = to</script>`),
		scripted("a nonce", "soft-redirect", `<script nonce="abc">`+goes+`</script>`, csp,
			"script-src 'nonce-abc'"),
		scripted("inline is allowed", "soft-redirect", `<script>`+goes+`</script>`, csp,
			"script-src 'unsafe-inline'"),

		may("an if over two lines", "if (navigator.languages.length > 100)\n"+goes),
		may("an else over two lines", "if (navigator.languages.length < 100) { var a = 1 } else\n"+goes),
		may("a phone", "if (/Mobi|Android/i\n.test(navigator.userAgent)) {\n"+goes+" }"),
		may("a width", `if (screen.width < 200) `+goes),
		may("a cookie", `if (document.cookie.indexOf("seen=") >= 0) `+goes),
		may("a place to remember", `if (localStorage.getItem("seen")) `+goes),
		may("a function of another script", `if (window.isPhone && window.isPhone()) `+goes),
		may("an answer", `fetch("/nothing").then(function(r) { if (r.status == 999) `+goes+` })`),
		may("what throws before", `nobodyHasThis(); `+goes),
		may("a form", `if (document.forms.length > 9) document.forms[0].submit()`),

		stays("behind return", "(function() { return\n"+goes+" })()"),
		stays("return outside", "//\nif (false) { "+goes+" }"),
		stays("behind what throws", `throw 1; `+goes),
		stays("in a frame only", `if (top !== self) { `+goes+` }`),
		stays("a function that nobody calls", `function go() { `+goes+` }`),
		stays("a click", `document.addEventListener("click", function() { `+goes+` })`),
		stays("a text", `var s = '`+goes+`'`),
		stays("a comment", `// `+goes+"\n/* "+goes+" */"),
		stays("a new window", `window.open("`+site+`/page", "_blank")`),
		stays("a fragment", `location.hash = "here"`),
		stays("another location", `(function(location) { `+goes+` })({})`),
		stays("history", `history.replaceState({}, "", "/")`),
		stays("cleared in time", `var t = setTimeout(function() { `+goes+` }, 100); clearTimeout(t)`),
		stays("http only", `if (location.protocol == "http:") { location = "https://" + location.host }`),
		scripted("a template", "", `<script type="text/template">`+goes+`</script>`),
		scripted("data", "", `<script type="application/json">{"a": 1}</script>`),
		scripted("data that reads as a script", "", `<script type="application/json">`+goes+`</script>`),
		scripted("text elsewhere", "", `<script type="text/plain" src="/nothing.js">`+goes+`</script>`),
		scripted("for old browsers", "", `<script nomodule>`+goes+`</script>`),
		scripted("in a template element", "", `<template><script>`+goes+`</script></template>`),
		scripted("barred by a header", "", `<script>`+goes+`</script>`, csp, policy),
		{what: "barred by markup", ask: "https://{h}/", waits: true,
			secure: strict(`<meta http-equiv="Content-Security-Policy" content="` + policy + `">` +
				titled("Page", `<script>`+goes+`</script>`))},
		scripted("barred by markup too late", "soft-redirect",
			`<meta http-equiv="Content-Security-Policy" content="`+policy+`"><script>`+goes+`</script>`),
		{what: "barred by a sandbox", ask: "https://{h}/",
			secure: page(titled("Page", `<script>`+goes+`</script>`), csp, "sandbox",
				"Strict-Transport-Security", year)},
		scripted("barred onload", "", `<img src="/x" onerror='`+goes+`'><svg onload='`+goes+`'></svg>`,
			csp, policy),
		scripted("a text in time that is barred", "", `<script>setTimeout('`+goes+`', 10)</script>`, csp,
			"script-src 'unsafe-inline'"),
		scripted("another nonce", "", `<script nonce="abd">`+goes+`</script>`, csp,
			"script-src 'nonce-abc'"),
	}
}

// packed packs a page.
func packed(coding, html string) string {
	var b bytes.Buffer
	switch coding {
	case "gzip":
		w := gzip.NewWriter(&b)
		_, _ = w.Write([]byte(html))
		_ = w.Close()
	case "br":
		w := brotli.NewWriter(&b)
		_, _ = w.Write([]byte(html))
		_ = w.Close()
	case "deflate":
		w := zlib.NewWriter(&b)
		_, _ = w.Write([]byte(html))
		_ = w.Close()
	case "zstd":
		w, _ := zstd.NewWriter(&b)
		_, _ = w.Write([]byte(html))
		_ = w.Close()
	default:
		return html
	}
	return b.String()
}

// encoded are pages that are packed, or in other charsets.
func encoded() []*door {
	html := `<title>Moved</title><script>` + goes + `</script>`
	var all []*door
	for _, coding := range []string{"gzip", "br", "deflate", "zstd", "identity"} {
		all = append(all, &door{what: "packed by " + coding, ask: "https://{h}/", finds: "soft-redirect",
			secure: page(packed(coding, html), "Content-Encoding", coding)})
	}
	wide := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(html)) {
		wide = append(wide, byte(u), byte(u>>8))
	}
	return append(all,
		&door{what: "no gzip at all", ask: "https://{h}/", finds: "bad-answer",
			secure: page(html, "Content-Encoding", "gzip"), blank: true},
		&door{what: "in UTF-16", ask: "https://{h}/", finds: "soft-redirect",
			secure: page(string(wide), "Content-Type", "text/html")},
		&door{what: "in ISO-2022-JP", ask: "https://{h}/", finds: "soft-redirect",
			secure: page("<title>\x1b$B?e\x1b(B</title><script>"+goes+"</script>", "Content-Type",
				"text/html; charset=iso-2022-jp")},
	)
}

// statuses are answers of the less usual kinds.
func statuses() []*door {
	const hsts = "Strict-Transport-Security"
	answers := func(what, finds string, code int, html string, headers ...string) *door {
		return &door{what: what, ask: "https://{h}/", finds: finds,
			secure: status(code, html, append(headers, hsts, year)...)}
	}
	located := func(code int) says {
		return func(web.URL, *http.Request) stage.Reply {
			return stage.Reply{Status: code, HTML: titled("Choices", ""), Headers: map[string]string{
				"Location": site + "/page"}}
		}
	}
	nothing := func(code int) *door {
		d := answers(fmt.Sprint(code), "dead-end", code, "")
		d.empty = true
		return d
	}
	return []*door{
		{what: "300 with a Location", ask: "https://{h}/", secure: located(300), finds: "dead-end"},
		{what: "305 with a Location", ask: "https://{h}/", secure: located(305), finds: "dead-end"},
		nothing(204), nothing(205),
		answers("203", "", 203, titled("Page", "")),
		answers("226", "", 226, titled("Page", "")),
		answers("410", "dead-end", 410, titled("Gone", "")),
		answers("503", "turned-away", 503, titled("Back soon", "")),
		answers("503, for an hour", "turned-away", 503, titled("Back soon", ""), "Retry-After", "3600"),
		answers("500", "dead-end", 500, titled("Sorry", "")),
		{what: "to a port that browsers refuse", plain: to("http://{h}:6000/"), finds: "refused"},
		{what: "to a port that they do not", plain: to("http://{h}:8080/"), finds: "plain-arrival"},
	}
}

// marked are pages that say something to robots, by the ways in which they can.
func marked() []*door {
	return []*door{
		scripted("hidden from one robot", "noindex", `<meta name="GoogleBot" content="noindex">`),
		scripted("hidden from one robot by a header", "noindex", "", "X-Robots-Tag",
			"bingbot: noindex"),
		scripted("a day on which it goes", "", "", "X-Robots-Tag",
			"unavailable_after: 25 Jun 2090 15:00:00 GMT"),
		scripted("another element of that name", "", `<meta name="description" content="noindex">`),
		scripted("canonical by a header", "canonical-disagrees", "", "Link",
			`<https://old.site-before.example/>; rel="canonical"`),
		scripted("another Link header", "", "", "Link", `<https://cdn.example/a.css>; rel=preload`),
		scripted("canonical over http", "canonical-disagrees",
			`<link rel="canonical" href="http://www.site.example/page">`),
		scripted("a picture over http", "mixed-content",
			`<svg><image href="http://cdn.example/a.png"/></svg>`),
		scripted("a style over http", "mixed-content",
			`<style>@import "http://cdn.example/a.css";</style>`),
		scripted("a form over http", "mixed-content", `<form action="http://cdn.example/"></form>`),
		scripted("a base over http", "mixed-content",
			`<base href="http://cdn.example/"><script src="a.js"></script>`),
		scripted("a comment in a style", "", `<style>/* url(http://cdn.example/a.png) */</style>`),
		scripted("one's own machine", "", `<img src="http://a.localhost:9/a.png">`),
		scripted("everything upgraded by a header", "", `<img src="http://cdn.example/a.png">`,
			"Content-Security-Policy", "upgrade-insecure-requests"),
	}
}
