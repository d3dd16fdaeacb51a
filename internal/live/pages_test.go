package live

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/unicode"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// sentTo says where a page sends visitors: "/x", "/x (meta)", "?/x" for what may be, "" for
// nowhere.
func sentTo(page string, csp ...string) string {
	m := readPage(web.MustParseURL("https://www.old.example/a/"), []byte(page), policiesOf(csp))
	if m.soft != nil {
		if m.soft.By == chain.ByMeta {
			return m.soft.To + " (meta)"
		}
		return fmt.Sprintf("%s:%d", m.soft.To, m.soft.Line)
	}
	if len(m.doc.May) > 0 {
		return fmt.Sprintf("?%s:%d", m.doc.May[0].To, m.doc.May[0].Line)
	}
	return ""
}

// TestScriptsThatBrowsersRun has the element, the type and the policy decide whether a script runs.
func TestScriptsThatBrowsersRun(t *testing.T) {
	const goes = `location.href="/x"`
	for page, want := range map[string]string{
		`<script>` + goes + `</script>`: "/x:1",
		"<p>\n<script>\n" +
			goes + "</script>": "/x:3",
		`<script type="text/javascript">` + goes + `</script>`:                "/x:1",
		`<script type=" Module ">` + goes + `</script>`:                       "/x:1",
		`<script language="JavaScript1.2">` + goes + `</script>`:              "/x:1",
		`<script language="VBScript">` + goes + `</script>`:                   "",
		`<script type="text/template">` + goes + `</script>`:                  "",
		`<script type="application/json">` + goes + `</script>`:               "",
		`<script type="text/plain" src="/y.js">` + goes + `</script>`:         "",
		`<script src="/y.js">` + goes + `</script>`:                           "",
		`<script src="">` + goes + `</script>`:                                "",
		`<script nomodule>` + goes + `</script>`:                              "",
		`<script for="x" event="onclick">` + goes + `</script>`:               "",
		`<script for="window" event="onload">` + goes + `</script>`:           "/x:1",
		`<noscript><meta http-equiv="refresh" content="0;url=/x"></noscript>`: "",
		`<template><script>` + goes + `</script></template>`:                  "",
		`<!-- <script>` + goes + `</script> -->`:                              "",
		`<textarea><script>` + goes + `</script></textarea>`:                  "",
		`<svg><script>` + goes + `</script></svg>`:                            "/x:1",
		"<script><![CDATA[\n" +
			goes + "\n]]></script>": "?:1",
		"<script>//<![CDATA[\n" +
			goes + "\n//]]></script>": "/x:2",
		`<body onload='` + goes + `'>`:                                                                "/x:1",
		`<body onload="go()"><script>function go() { ` + goes + ` }</script>`:                         "/x:1",
		`<script>var u="/x"</script><script>location=u</script>`:                                      "/x:1",
		`<script src="/lib.js"></script><script>` + goes + `</script>`:                                "/x:1",
		`<script>document.write('<meta http-equiv="refresh" content="0;/x">')</script>`:               "/x (meta)",
		`<script>document.write("<script>` + `location='/x'` + `<\/script>")</script>`:                "/x:1",
		`<meta http-equiv="refresh" content="0;/m"><script>` + goes + `</script>`:                     "/x:1",
		`<meta http-equiv="refresh" content="1;/m"><script>setTimeout("location='/x'",2000)</script>`: "/m (meta)",
		`<base href="https://new.example/"><script>location="x"</script>`:                             "https://new.example/x:1",
		`<p id="n">5</p><script>var s=5;setInterval(function(){document.getElementById("n")` +
			`.innerHTML=--s;if(s<1)location="/x"},1000)</script>`: "/x:1",
		`<script>document.getElementById("n").innerHTML="";location="/x"</script><p id="n">`: "?/x:1",
		`<script>if (/Mobi/.test(navigator.userAgent))` + "\n" + goes + `</script>`:          "?/x:2",
	} {
		assert.Equal(t, want, sentTo(page), page)
	}
	const page, nonce = `<script>` + goes + `</script>`, `<script nonce="abc">` + goes + `</script>`
	const body = `<body onload='` + goes + `'>`
	const timer = `<script>setTimeout("location='/x'", 10)</script>`
	for _, c := range []struct{ page, csp, want string }{
		{page, "default-src 'self'", ""},
		{page, "script-src 'self' 'unsafe-inline'", "/x:1"},
		{page, "script-src 'self'; default-src 'unsafe-inline'", ""},
		{page, "script-src-elem 'none'; script-src 'unsafe-inline'", ""},
		{page, "img-src 'self'", "/x:1"},
		{page, "script-src 'unsafe-inline' 'nonce-abc'", ""},
		{nonce, "script-src 'nonce-abc'", "/x:1"},
		{nonce, "script-src 'nonce-abd'", ""},
		{page, "script-src 'unsafe-inline' 'strict-dynamic'", ""},
		{page, "script-src 'sha256-" + sum("sha256", []byte(goes)) + "'", "/x:1"},
		{page, "script-src 'sha256-" + sum("sha256", []byte("x")) + "'", ""},
		{page, "sandbox", ""}, {page, "sandbox allow-scripts", "/x:1"},
		{page, "script-src 'unsafe-inline', script-src 'self'", ""},
		{body, "script-src 'unsafe-inline'", "/x:1"}, {body, "script-src-attr 'none'", ""},
		{body, "script-src 'nonce-abc'", ""},
		{timer, "script-src 'unsafe-inline'", ""},
		{timer, "script-src 'unsafe-inline' 'unsafe-eval'", "/x:1"},
		{`<noscript><meta http-equiv=refresh content="0;/x"></noscript>`, "sandbox", "/x (meta)"},
		{`<meta http-equiv="Content-Security-Policy" content="script-src 'self'">` + page, "", ""},
		{page + `<meta http-equiv="Content-Security-Policy" content="script-src 'self'">`, "", "/x:1"},
	} {
		assert.Equal(t, c.want, sentTo(c.page, c.csp), "%s %s", c.csp, c.page)
	}
}

// TestWhatIsAskedForOverHTTP has each way in which a page asks for something, and near misses.
func TestWhatIsAskedForOverHTTP(t *testing.T) {
	for page, want := range map[string]string{
		`<script src="http://x.example/a.js"></script>`:                                                                     "script",
		`<img src="http://x.example/a.png">`:                                                                                "img upgraded",
		`<img srcset="/a.png 1x, http://x.example/a.png 2x">`:                                                               "img",
		`<img srcset="http://x.example/a,b.png">`:                                                                           "img",
		`<picture><source srcset="http://x.example/a.png"></picture>`:                                                       "source",
		`<video><source src="http://x.example/a.mp4"></video>`:                                                              "source upgraded",
		`<video poster="http://x.example/a.png">`:                                                                           "video upgraded",
		`<svg><image href="http://x.example/a.png"/></svg>`:                                                                 "image upgraded",
		`<svg><image xlink:href="http://x.example/a.png"/></svg>`:                                                           "image upgraded",
		`<body background="http://x.example/a.png">`:                                                                        "body upgraded",
		`<td background="http://x.example/a.png">`:                                                                          "td upgraded",
		`<input type="image" src="http://x.example/a.png">`:                                                                 "input upgraded",
		`<form action="http://x.example/">`:                                                                                 "form sent",
		`<button formaction="http://x.example/">`:                                                                           "button sent",
		`<link rel="stylesheet" href="http://x.example/a.css">`:                                                             "link",
		`<link rel="preload" as="image" href="http://x.example/a.png">`:                                                     "link upgraded",
		`<link rel="preload" as="font" href="http://x.example/a.woff">`:                                                     "link",
		`<link rel="icon" href="http://x.example/a.ico">`:                                                                   "link upgraded",
		`<link rel="canonical" href="http://www.old.example/">`:                                                             "",
		`<link rel="alternate" href="http://x.example/">`:                                                                   "",
		`<a href="http://x.example/">x</a>`:                                                                                 "",
		`<base href="http://x.example/"><img src="a.png">`:                                                                  "img upgraded",
		`<base href="http://x.example/"><script src="a.js"></script>`:                                                       "script",
		`<style>@import "http://x.example/a.css";</style>`:                                                                  "style",
		`<style>@import url(http://x.example/a.css);</style>`:                                                               "style",
		`<style>p { background: url( 'http://x.example/a.png' ) }</style>`:                                                  "style upgraded",
		`<style>@media print { p { background: url(http://x.example/a.png) } }</style>`:                                     "style upgraded",
		`<style>@font-face { src: url(http://x.example/a.woff) }</style>`:                                                   "style",
		`<style>p { background: image-set("http://x.example/a.png" 1x) }</style>`:                                           "style upgraded",
		`<style>/* url(http://x.example/a.png) */</style>`:                                                                  "",
		`<style>p::before { content: "http://x.example/" }</style>`:                                                         "",
		`<style>@namespace "http://www.w3.org/1999/xhtml";</style>`:                                                         "",
		`<p style="background: url(http://x.example/a.png)">`:                                                               "p upgraded",
		`<p style="/* url(http://x.example/a.png) */">`:                                                                     "",
		`<script type="module">import "http://x.example/a.js"</script>`:                                                     "script",
		`<script type="module">import {a} from 'http://x.example/a.js'</script>`:                                            "script",
		`<iframe src="http://x.example/"></iframe>`:                                                                         "iframe",
		`<object data="http://x.example/a.swf"></object>`:                                                                   "object",
		`<img src="http://localhost/a.png">`:                                                                                "",
		`<img src="http://a.localhost:8080/a.png">`:                                                                         "",
		`<img src="http://127.0.0.2/a.png">`:                                                                                "",
		`<img src="http://localhost.x.example/a.png">`:                                                                      "img upgraded",
		`<img src="//x.example/a.png">`:                                                                                     "",
		`<!-- <img src="http://x.example/a.png"> -->`:                                                                       "",
		`<template><img src="http://x.example/a.png"></template>`:                                                           "",
		`<img data-src="http://x.example/a.png">`:                                                                           "",
		`<meta http-equiv="Content-Security-Policy" content="upgrade-insecure-requests"><img src="http://x.example/a.png">`: "",
		`<meta http-equiv="Content-Security-Policy" content="block-all-mixed-content"><img src="http://x.example/a.png">`:   "img",
	} {
		m := readPage(web.MustParseURL("https://www.old.example/a/"), []byte(page), nil)
		var got []string
		for _, l := range m.doc.Insecure {
			got = append(got, strings.TrimSpace(l.Element+" "+l.How))
		}
		assert.Equal(t, want, strings.Join(got, ", "), page)
		m = readPage(web.MustParseURL("http://www.old.example/a/"), []byte(page), nil)
		assert.Empty(t, m.doc.Insecure, "over http nothing is mixed")
	}
}

// TestPackedPagesAreRead has a page packed in every way, asked for or not, and broken ones.
func TestPackedPagesAreRead(t *testing.T) {
	const page = `<title>Packed</title><script>location = "/x"</script>`
	pack := func(packer func(io.Writer) io.WriteCloser, text []byte) []byte {
		var b bytes.Buffer
		w := packer(&b)
		_, err := w.Write(text)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		return b.Bytes()
	}
	gz := func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) }
	br := func(w io.Writer) io.WriteCloser { return brotli.NewWriter(w) }
	bare := func(w io.Writer) io.WriteCloser { f, _ := flate.NewWriter(w, 5); return f }
	zl := func(w io.Writer) io.WriteCloser { return zlib.NewWriter(w) }
	zs := func(w io.Writer) io.WriteCloser { z, _ := zstd.NewWriter(w); return z }
	text := []byte(page)
	bomb := pack(gz, bytes.Repeat([]byte("<p>"), 30<<20/3))
	for name, c := range map[string]struct {
		coding string
		body   []byte
		want   string
	}{
		"plain": {"", text, "Packed"}, "identity": {"identity", text, "Packed"},
		"gzip": {"gzip", pack(gz, text), "Packed"}, "GZip": {" GZip ", pack(gz, text), "Packed"},
		"br": {"br", pack(br, text), "Packed"}, "deflate": {"deflate", pack(zl, text), "Packed"},
		"bare deflate": {"deflate", pack(bare, text), "Packed"},
		"zstd":         {"zstd", pack(zs, text), "Packed"},
		"twice":        {"br, gzip", pack(gz, pack(br, text)), "Packed"},
		"unknown":      {"compress", text, "unread compress"},
		"too often":    {"gzip,gzip,gzip,gzip,gzip", text, "unread gzip"},
		"no gzip":      {"gzip", text, "bad"}, "no br": {"br", []byte("\xff\xff\xff\xff"), "bad"},
		"no zstd": {"zstd", text, "bad"}, "cut": {"gzip", pack(gz, text)[:40], "Packed"},
		"bomb": {"gzip", bomb, "cut"},
	} {
		t.Run(name, func(t *testing.T) {
			s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", "text/html")
				if c.coding != "" {
					w.Header().Set("Content-Encoding", c.coding)
				}
				_, _ = w.Write(c.body)
			}))
			defer s.Close()
			w, err := New(Vantage{Timeout: 5 * time.Second})
			require.NoError(t, err)
			defer w.Close()
			a := w.Answer(t.Context(), chain.Ask{URL: web.MustParseURL(s.URL + "/")})
			got := string(a.Refusal)
			switch {
			case a.Refusal == chain.BadAnswer:
				got = "bad"
			case a.Unread != "":
				got = "unread " + a.Unread
			case a.Page != nil && a.Page.Cut:
				got = "cut"
			case a.Page != nil:
				got = a.Page.Title
			}
			assert.Equal(t, c.want, got, a.Detail)
		})
	}
}

// TestPagesInOtherCharsets reads them by a mark, the header and their own word.
func TestPagesInOtherCharsets(t *testing.T) {
	latin, err := charmap.ISO8859_1.NewEncoder().String("<title>Møllehuset</title>")
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(
		`<title>Møllehuset</title>`)
	require.NoError(t, err)
	bare, err := unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewEncoder().String(
		`<title>Møllehuset</title>`)
	require.NoError(t, err)
	shift, err := japanese.ShiftJIS.NewEncoder().String("<title>水車</title>")
	require.NoError(t, err)
	for _, c := range []struct{ page, kind, want string }{
		{"<title>Møllehuset</title>", "text/html; charset=utf-8", "Møllehuset"},
		{"<title>Møllehuset</title>", "text/html", "Møllehuset"},
		{"\xef\xbb\xbf<title>Møllehuset</title>", "text/html; charset=iso-8859-1", "Møllehuset"},
		{latin, "text/html; charset=iso-8859-1", "Møllehuset"},
		{`<meta charset="latin1">` + latin, "text/html", "Møllehuset"},
		{`<meta http-equiv="content-type" content="text/html; charset=windows-1252">` + latin, "text/html",
			"Møllehuset"},
		{wide, "text/html", "Møllehuset"}, {bare, "text/html; charset=utf-16be", "Møllehuset"},
		{shift, "text/html; charset=shift_jis", "水車"},
	} {
		w := &Client{pages: map[uint64]markup{}}
		m := w.page(web.MustParseURL("https://www.old.example/"), []byte(c.page),
			http.Header{"Content-Type": {c.kind}})
		assert.Equal(t, c.want, m.doc.Title, "%q %s", c.page, c.kind)
	}
}

func TestCanonicalByHeader(t *testing.T) {
	for text, want := range map[string]string{
		`<https://new.example/>; rel="canonical"`:                      "https://new.example/",
		`</style.css>; rel=preload; as=style, </a,b>; rel=canonical`:   "/a,b",
		`<https://new.example/>; title="x"; rel="alternate canonical"`: "https://new.example/",
		`<https://new.example/>; rel=next`:                             "",
		`<https://new.example/`:                                        "",
		``:                                                             "",
	} {
		assert.Equal(t, want, canonicalOf([]string{text}), text)
	}
}

// BenchmarkPage reads a page of 2 MB with 1 MB of script that is walked, beside its tags alone.
func BenchmarkPage(b *testing.B) {
	var page bytes.Buffer
	page.WriteString("<!doctype html><title>Page</title><script>\n(()=>{var e={")
	for n := 0; page.Len() < 1<<20; n++ {
		fmt.Fprintf(&page, `%d:(e,t,n)=>{const r=n(%d);function a(e,t){if(!e)return null;for(var i=0,s=[];`+
			`i<e.length;i++)s.push({key:i,href:"/p/"+i});return t?s.filter(e=>e.key>%d):s}class o extends `+
			`r.C{go(){window.location.href="/p/%d"}}},`+"\n", n, n/2, n, n)
	}
	page.WriteString("};var t={};function n(r){return t[r]||(t[r]={})}n(0)})()</script>\n")
	for n := 0; page.Len() < MostPage-100; n++ {
		fmt.Fprintf(&page, "<p class=a id=p%d>Item %d <a href=/p/%d>more</a></p>\n", n, n, n)
	}
	octets, at := page.Bytes(), web.MustParseURL("https://www.old.example/")
	b.Run("tags", func(b *testing.B) {
		b.SetBytes(int64(len(octets)))
		for b.Loop() {
			for z := html.NewTokenizer(bytes.NewReader(octets)); z.Next() != html.ErrorToken; {
			}
		}
	})
	b.Run("page", func(b *testing.B) {
		b.SetBytes(int64(len(octets)))
		for b.Loop() {
			readPage(at, octets, nil)
		}
	})
}

// FuzzPage has anything read as a page, with any policy and charset: nothing panics.
func FuzzPage(f *testing.F) {
	f.Add([]byte(`<script>location="/x"</script><style>@import "http://x.example/"</style>`),
		"script-src 'self'", "text/html; charset=utf-16")
	f.Add([]byte(`<noscript><meta http-equiv=refresh content="0;/x"></noscript>`), "sandbox", "")
	f.Fuzz(func(t *testing.T, octets []byte, policy, kind string) {
		w := &Client{pages: map[uint64]markup{}}
		w.page(web.MustParseURL("https://www.old.example/"), octets,
			http.Header{"Content-Type": {kind}, "Content-Security-Policy": {policy}})
	})
}
