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
	"os"
	"path/filepath"
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
	var all []string
	switch {
	case m.soft != nil && m.soft.By == chain.ByMeta:
		all = append(all, m.soft.To+" (meta)")
	case m.soft != nil:
		all = append(all, fmt.Sprintf("%s:%d", m.soft.To, m.soft.Line))
	}
	for _, may := range m.doc.May {
		all = append(all, fmt.Sprintf("?%s:%d", may.To, may.Line))
	}
	return strings.Join(all, " ")
}

// lines gives a table of testdata: what is wanted of each page, a line each; ⏎ stands for a new
// line.
func lines(t *testing.T, name string) map[string]string {
	t.Helper()
	table, err := os.ReadFile(filepath.Join("testdata", name))
	require.NoError(t, err)
	all := map[string]string{}
	for line := range strings.Lines(string(table)) {
		want, page, is := strings.Cut(strings.TrimSuffix(line, "\n"), " | ")
		require.True(t, is, line)
		all[strings.ReplaceAll(page, "⏎", "\n")] = strings.TrimSpace(want)
	}
	return all
}

// TestScriptsThatBrowsersRun has the element, the type and the policy decide whether a script runs.
func TestScriptsThatBrowsersRun(t *testing.T) {
	const goes = `location.href="/x"`
	for page, want := range lines(t, "scripts.txt") {
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
	for page, want := range lines(t, "mixed.txt") {
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
		"no zstd": {"zstd", text, "bad"}, "cut": {"gzip", pack(gz, text)[:40], "cut"},
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
		{`<meta http-equiv="content-type" content="text/html; charset=windows-1252">` + latin,
			"text/html", "Møllehuset"},
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
		fmt.Fprintf(&page, `%d:(e,t,n)=>{const r=n(%d);function a(e,t){if(!e)return null;for(var i=0,`+
			`s=[];i<e.length;i++)s.push({key:i,href:"/p/"+i});return t?s.filter(e=>e.key>%d):s}class o extends `+
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
	f.Add([]byte(`<script>location="/x"</script><style>@import "http://cdn.example/"</style>`),
		"script-src 'self'", "text/html; charset=utf-16")
	f.Add([]byte(`<noscript><meta http-equiv=refresh content="0;/x"></noscript>`), "sandbox", "")
	f.Fuzz(func(t *testing.T, octets []byte, policy, kind string) {
		w := &Client{pages: map[uint64]markup{}}
		w.page(web.MustParseURL("https://www.old.example/"), octets,
			http.Header{"Content-Type": {kind}, "Content-Security-Policy": {policy}})
	})
}
