package script

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/web"
)

// told says what the scripts of a page do, in short: "/to@0.3:2" for a move after 0.3 s by line 2,
// "?/to:2" for one that may be.
func told(page string, scripts ...string) string {
	r := New(Page{URL: web.MustParseURL(page), HasID: func(id string, loaded bool) bool {
		return id == "there" || id == "below" && loaded
	}})
	for _, s := range scripts {
		if rest, is := strings.CutPrefix(s, "onload:"); is {
			r.Onload([]byte(rest), 1)
			continue
		}
		if s == "external" {
			r.External()
			continue
		}
		r.Run([]byte(s), 1)
	}
	o := r.Finish()
	var all []string
	for _, m := range o.Moves {
		all = append(all, fmt.Sprintf("%s@%v:%d", m.To, m.After, m.Line))
	}
	for _, m := range o.Maybe {
		s := fmt.Sprintf("?%s:%d", m.To, m.Line)
		if m.Unread {
			s += " unread"
		}
		all = append(all, s)
	}
	for _, w := range o.Written {
		all = append(all, "writes "+w)
	}
	return strings.Join(all, " ")
}

const at = "https://www.old.example:8443/a/b.html?x=1"

// TestWhatScriptsDo has a script a line: what a browser does with it, and what nobody can know.
func TestWhatScriptsDo(t *testing.T) {
	for script, wanted := range map[string]string{
		// set, and set in other ways
		`location = "/x"`:                                         "/x@0:1",
		`location.href='/x';`:                                     "/x@0:1",
		`window.location = '/x'`:                                  "/x@0:1",
		`self.top.document.location.href = "/x"`:                  "/x@0:1",
		`location["href"] = "/x"`:                                 "/x@0:1",
		`window["loca" + "tion"]["re" + "place"]("/x")`:           "/x@0:1",
		`globalThis.location.assign('/x')`:                        "/x@0:1",
		"\n\nlocation.replace(\n`/x`)":                            "/x@0:3",
		`var l = window.location; l.replace("/x")`:                "/x@0:1",
		`this.location = "/x"`:                                    "/x@0:1",
		`window.open("/x", "_self")`:                              "/x@0:1",
		`open("/x", "_TOP")`:                                      "/x@0:1",
		`window.open("/x")`:                                       "",
		`window.open("/x", "_blank")`:                             "",
		`window.open("/x", target)`:                               "?/x:1",
		`location.reload()`:                                       "",
		`location.hash = "top"`:                                   "",
		`location = "#top"`:                                       "",
		`location = "javascript:void(0)"`:                         "",
		`document.write("<meta http-equiv=refresh content=0>")`:   "writes <meta http-equiv=refresh content=0>",
		`var f = function(location) { location = "/x" }; f("/y")`: "",
		`let location = 1; location = "/x"`:                       "",
		"if (x)\nlocation.href='/x'":                              "?/x:2",
		"if (a) { b() } else\nlocation.href = '/x'":               "?/x:2",
		"return;\nlocation = '/x'":                                "?:1 unread",
		"onload:return;\nlocation = '/x'":                         "",
		"(function() { return\nlocation = '/x' })()":              "",
		// targets
		`var to = "/x"; location.href = to`:                                "/x@0:1",
		`const a = "/x", b = {to: a + "?y"}; location = b.to`:              "/x?y@0:1",
		`var t = ["http", "://", "new.example"].join(""); location = t`:    "http://new.example@0:1",
		"const h = 'new.example'; location.href = `https://${h}/`":         "https://new.example/@0:1",
		`location = "\x2f\u0078"`:                                          "/x@0:1",
		`location = atob("L3g=")`:                                          "/x@0:1",
		`location = unescape("%2Fx")`:                                      "/x@0:1",
		`location = String.fromCharCode(47, 120)`:                          "/x@0:1",
		`location = someName`:                                              "?:1",
		`var to = "/x"; if (navigator.userAgent) to = "/y"; location = to`: "?:1",
		`function go(u) { location = u } go("/x")`:                         "/x@0:1",
		`go("/x"); function go(u = "/y") { location = u }`:                 "/x@0:1",
		`var {to} = {to: "/x"}; location = to`:                             "/x@0:1",
		`var [, to] = ["/y", "/x"]; location = to`:                         "/x@0:1",
		// the page's own address
		`location.href = "https://new.example" + location.pathname + location.search`:            "https://new.example/a/b.html?x=1@0:1",
		`if (location.protocol != "https:") location.replace("https:" + location.href.slice(5))`: "",
		`if (location.protocol === "https:") location.protocol = "http:"`:                        "http://www.old.example:8443/a/b.html?x=1@0:1",
		`if (location.hostname.indexOf("old.example") > -1) location.host = "new.example"`:       "https://new.example/a/b.html?x=1@0:1",
		`if (/^www\./.test(location.hostname)) location.hostname = "new.example"`:                "https://new.example:8443/a/b.html?x=1@0:1",
		`location.pathname = "x"`:                                                                 "https://www.old.example:8443/x?x=1@0:1",
		`location.search = "y=2"`:                                                                 "https://www.old.example:8443/a/b.html?y=2@0:1",
		`location.port = ""`:                                                                      "https://www.old.example/a/b.html?x=1@0:1",
		`location = location.href.replace("old", "new")`:                                          "https://www.new.example:8443/a/b.html?x=1@0:1",
		`location.href = location.href`:                                                           "https://www.old.example:8443/a/b.html?x=1@0:1",
		`if (window.location.hash) location = "/x"`:                                               "",
		`if (top === self) { location = "/x" }`:                                                   "/x@0:1",
		`if (window != window.top) { top.location = "/x" }`:                                       "",
		`if (parent.location != self.location) location = "/x"`:                                   "",
		`if (document.URL == "https://www.old.example:8443/a/b.html?x=1") location = "/x"`:        "/x@0:1",
		`switch (location.host) { case "y": location = "/y"; break; default: location = "/x" }`:   "/x@0:1",
		`switch (screen.width) { case 1: location = "/y"; break; default: location = "/x" }`:      "?/y:1 ?/x:1",
		`window.location.href.indexOf("http:") === 0 && (window.location = "/x")`:                 "",
		`"https:" == document.location.protocol || (document.location = "/x")`:                    "",
		`var m = location.search.match(/x=(\d)/); if (m) location = "/" + m[1]`:                   "/1@0:1",
		`if (!location.search.match(/nothing/)) location = "/x"`:                                  "/x@0:1",
		`var p = location.pathname.split("/"); location = "https://new.example/" + p[p.length-1]`: "https://new.example/b.html@0:1",
		// what nobody knows
		"if (/mobile/i.test(\n navigator.userAgent)) {\n" +
			" location.href = '/m' }": "?/m:3",
		`if (screen.width < 800) location = "/m"; else location = "/d"`:                           "?/m:1 ?/d:1",
		`location = screen.width < 800 ? "/m" : "/d"`:                                             "?:1",
		`if (document.cookie.indexOf("x") < 0) location = "/x"`:                                   "?/x:1",
		`if (Math.random() < .5) return1(); location = "/x"`:                                      "?/x:1",
		`document.referrer && (location = "/x")`:                                                  "?/x:1",
		`if (mobile()) location = "/m"; location = "/d"`:                                          "?/m:1 ?/d:1",
		`if (navigator.onLine) location = "/m"; location = "/d"`:                                  "/d@0:1",
		`if (navigator.language == "de") { location = "/m" } setTimeout("location = '/d'", 2000)`: "/d@2:1 ?/m:1",
		`localStorage.getItem("x") || (location = "/x")`:                                          "?/x:1",
		`track(); location = "/x"`:                                                                "?/x:1",
		`try { track() } catch (e) {} location = "/x"`:                                            "/x@0:1",
		`try { null.x } catch (e) { location = "/x" }`:                                            "/x@0:1",
		`null.x; location = "/x"`:                                                                 "",
		`throw 1; location = "/x"`:                                                                "",
		`document.getElementById("there").innerHTML = "We moved"; location = "/x"`:                "/x@0:1",
		`document.getElementById("below").innerHTML = "We moved"; location = "/x"`:                "?/x:1",
		`onload = () => { document.getElementById("below").hidden = true; location = "/x" }`:      "/x@0:1",
		`document.querySelector("#gone").remove(); location = "/x"`:                               "?/x:1",
		`document.querySelector("#gone")?.remove(); location = "/x"`:                              "/x@0:1",
		`while (waits()) {} location = "/x"`:                                                      "?/x:1",
		`for (const k in navigator) { if (k == "x") break } location = "/x"`:                      "/x@0:1",
		`for (var i = 0, s = ""; i < 3; i++) { s += i } location = s`:                             "012@0:1",
		`for (const c of ["/", "x"]) s = (typeof s == "undefined" ? "" : s) + c; location = "/x"`: "?/x:1",
		`for (;;) { location = "/x"; break }`:                                                     "/x@0:1",
		`var s = ""; for (const c of ["/", "x"]) s += c; location = s`:                            "/x@0:1",
		`for (;;) {}`:               "?:1 unread",
		`f(); function f() { f() }`: "?:1 unread",
		`location = new.target(`:    "?:1 unread",
		`this is no script`:         "",
		// later
		`setTimeout(() => location.replace("/x"), 300)`:                                                 "/x@0.3:1",
		`setTimeout("location.href='/x'", 1500)`:                                                        "/x@1.5:1",
		`setTimeout(function() { setTimeout(go, 500) }, 500); function go() { location = "/x" }`:        "/x@1:1",
		`setTimeout(location.replace.bind(location, "/x"), 10)`:                                         "/x@0.01:1",
		`window.setTimeout(go, 100, "/x"); function go(to) { location = to }`:                           "/x@0.1:1",
		`setTimeout(() => { location = "/x" }, 60000)`:                                                  "",
		`setTimeout(() => { location = "/x" }, wait)`:                                                   "?/x:1",
		`var t = setTimeout(() => { location = "/x" }, 100); clearTimeout(t)`:                           "",
		`var t = setTimeout(() => { location = "/x" }, 100); if (navigator.onLine) clearTimeout(t)`:     "?/x:1",
		`var n = 5; setInterval(() => { if (--n == 0) location = "/x" }, 1000)`:                         "/x@5:1",
		`var n = 3; function c() { n--; if (n <= 0) { location = "/x" } else setTimeout(c, 1000) } c()`: "/x@2:1",
		`window.onload = function() { location = "/x" }`:                                                "/x@0:1",
		`onload = go; function go() { location = "/x" }`:                                                "/x@0:1",
		`addEventListener("load", () => location = "/x")`:                                               "/x@0:1",
		`document.addEventListener("DOMContentLoaded", function() { location = "/x" }, false)`:          "/x@0:1",
		`document.addEventListener("click", function() { location = "/x" })`:                            "",
		`window.addEventListener("message", function() { location = "/x" })`:                            "?/x:1",
		`document.body.onload = 1`:                                                                      "",
		`document.getElementById("there").onclick = () => { location = "/x" }`:                          "",
		`document.getElementById("there").addEventListener("click", () => { location = "/x" })`:         "",
		`$(document).ready(function() { location = "/x" })`:                                             "?/x:1",
		`$("a").on("click", function() { location = "/x" })`:                                            "",
		`$("a").click(function() { location = "/x" })`:                                                  "",
		`fetch("/y").then(function(r) { location = "/x" })`:                                             "?/x:1",
		`requestAnimationFrame(() => { location = "/x" })`:                                              "/x@0:1",
		`Promise.resolve().then(() => { location = "/x" })`:                                             "?/x:1",
		`(async () => { location = "/x" })()`:                                                           "/x@0:1",
		`(async () => { await y(); location = "/x" })()`:                                                "?/x:1",
		`location = "/y"; location = "/x"`:                                                              "/x@0:1",
		`location = "/x"; setTimeout("location = '/y'", 10)`:                                            "/x@0:1",
		"onload:setTimeout(\"go()\", 100); " +
			"function go() { location = '/x' }": "/x@0.1:1",
		// functions
		`(function() { location = "/x" })()`:                                                                                "/x@0:1",
		`!function() { location = "/x" }()`:                                                                                 "/x@0:1",
		`(() => location.href = "/x")()`:                                                                                    "/x@0:1",
		`function never() { location = "/x" }`:                                                                              "",
		`var o = {go() { location = "/x" }}; o.go()`:                                                                        "/x@0:1",
		`class A { constructor(u) { this.u = u } go() { location = this.u } } new A("/x").go()`:                             "/x@0:1",
		`function A() { this.u = "/x" } A.prototype.go = function() { location = this.u }; new A().go()`:                    "/x@0:1",
		`eval("location = '/x'")`:                                                                                           "/x@0:1",
		`new Function("location = '/x'")()`:                                                                                 "/x@0:1",
		`(function() { location = arguments[0] })("/x")`:                                                                    "?:1",
		`var f = function() { location = this.u }; f.call({u: "/x"})`:                                                       "/x@0:1",
		`["/x"].forEach(u => { location = u })`:                                                                             "/x@0:1",
		`document.forms[0].submit()`:                                                                                        "?:1",
		`document.getElementById("there").submit()`:                                                                         "?:1",
		`var a = document.createElement("a"); a.href = "/x"; a.click()`:                                                     "/x@0:1",
		`var s = document.createElement("script"); s.text = "location = '/x'"; document.head.appendChild(s)`:                "/x@0:1",
		`var m = document.createElement("meta"); m.httpEquiv = "refresh"; m.content = "0;/x"; document.head.appendChild(m)`: `writes <meta http-equiv="refresh" content="0;/x">`,
		`with (location) { href = "/x" }`:                                                                                   "",
		`history.replaceState({}, "", "/x")`:                                                                                "",
		`location.href.replace("a", "b")`:                                                                                   "",
		`var location_x = "/x"; // location = "/y"`:                                                                         "",
		`/* location = "/x" */`:                                                                                             "",
		"<!-- location = '/x'\n" +
			"//-->": "",
		"<!--\nlocation = '/x'\n" +
			"//-->": "/x@0:2",
		`"location = '/x'"`:                                              "",
		`var s = 'a'; s += "location='/x'"`:                              "",
		`if (false) location = "/x"`:                                     "",
		`0 && (location = "/x")`:                                         "",
		`location ||= "/x"`:                                              "",
		`if (typeof done === "undefined") location = "/x"`:               "?/x:1",
		`var done = 1; if (typeof done === "undefined") location = "/x"`: "",
		`a: { break a; location = "/x" }`:                                "",
		`do { location = "/x" } while (0)`:                               "/x@0:1",
		`import x from "/y.js"; location = "/x"`:                         "?/x:1",
		`document.write("<script>location = '/x'</" + "script>")`:        "writes <script>location = '/x'</script>",
	} {
		one := []string{script}
		assert.Equal(t, wanted, told(at, one...), "%s", script)
	}
}

// TestScriptsShareOneWindow runs several in one page.
func TestScriptsShareOneWindow(t *testing.T) {
	assert.Equal(t, "/x@0:1", told(at, `var to = "/x"`, `location = to`))
	assert.Equal(t, "/x@0:1", told(at, `function go() { location = "/x" }`, "onload:go()"))
	assert.Equal(t, "/x@0:1", told(at, `throw 1`, `location = "/x"`))
	assert.Equal(t, "/x@0:1", told(at, `location = "/y"`, `location = "/x"`))
	assert.Equal(t, "?/x:1", told(at, "external", `if (typeof stay == "undefined") location = "/x"`))
}
