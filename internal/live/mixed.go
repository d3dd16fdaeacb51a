package live

import (
	"bytes"
	"io"
	"regexp"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// The attributes by which elements load something (the HTML Standard; Mixed Content, section 3).
// Where one stands under passive, browsers ask for it over https instead; the rest they block.
var (
	loading = map[string][]string{
		"script": {"src", "href", "xlink:href"}, "img": {"srcset"}, "iframe": {"src"}, "frame": {"src"},
		"embed": {"src"}, "track": {"src"}, "object": {"data"}, "source": {"srcset"},
		"use": {"href", "xlink:href"}, "feimage": {"href", "xlink:href"},
	}
	passive = map[string][]string{
		"img": {"src"}, "audio": {"src"}, "video": {"src", "poster"}, "source": {"src"},
		"image": {"href", "xlink:href"}, "body": {"background"}, "table": {"background"},
		"td": {"background"}, "th": {"background"}, "tr": {"background"}, "thead": {"background"},
		"tbody": {"background"}, "tfoot": {"background"},
	}
	// what somebody types into a form is sent there
	sending = map[string]string{"form": "action", "button": "formaction", "input": "formaction"}
)

// loads takes in what an element loads over http, where the page came over https.
func (r *pageReader) loads(tag string, a attributes) {
	if r.at.Scheme() != web.HTTPS {
		return
	}
	for _, name := range loading[tag] {
		if name == "srcset" {
			for _, url := range candidates(a[name]) {
				r.insecure(tag, url, "")
			}
			continue
		}
		r.insecure(tag, a[name], "")
	}
	for _, name := range passive[tag] {
		r.insecure(tag, a[name], chain.Passive)
	}
	if tag == "input" && strings.EqualFold(a["type"], "image") {
		r.insecure(tag, a["src"], chain.Passive)
	}
	r.insecure(tag, a[sending[tag]], chain.Sent)
	if tag == "link" {
		r.linksTo(a)
	}
	if style := a["style"]; style != "" {
		r.styled([]byte(style), tag)
	}
}

// linksTo takes in what a link element loads.
func (r *pageReader) linksTo(a attributes) {
	as := strings.ToLower(a["as"])
	for rel := range strings.FieldsSeq(strings.ToLower(a["rel"])) {
		switch {
		case rel == "icon", rel == "apple-touch-icon",
			rel == "preload" && (as == "image" || as == "audio" || as == "video"):
			r.insecure("link", a["href"], chain.Passive)
		case rel == "preload" && as == "": // it is not loaded
			continue
		case rel == "stylesheet", rel == "preload", rel == "modulepreload", rel == "manifest",
			rel == "prefetch":
			r.insecure("link", a["href"], "")
		default:
			continue
		}
		return
	}
}

// candidates gives the URLs of a srcset (the HTML Standard, section 4.8.4.3.10).
func candidates(text string) []string {
	var all []string
	for len(all) < mostSource {
		text = strings.TrimLeft(text, " \t\r\n\f,")
		if text == "" {
			return all
		}
		end := strings.IndexAny(text, " \t\r\n\f")
		if end < 0 {
			return append(all, strings.TrimRight(text, ","))
		}
		url := text[:end]
		text = text[end:]
		if strings.HasSuffix(url, ",") { // it has no descriptor
			all = append(all, strings.TrimRight(url, ","))
			continue
		}
		all = append(all, url)
		if end = strings.IndexByte(text, ','); end < 0 {
			return all
		}
		text = text[end+1:]
	}
	return all
}

// styled takes in what a style loads over http (CSS Values, section 4.5; CSS Cascade, section 2;
// CSS Images, section 2.4): comments and names of namespaces load nothing.
func (r *pageReader) styled(style []byte, tag string) {
	if r.at.Scheme() != web.HTTPS || r.base.Scheme() == web.HTTPS &&
		!bytes.Contains(bytes.ToLower(style), []byte("http:")) {
		return
	}
	lexer := css.NewLexer(parse.NewInputBytes(slices.Concat(style, []byte{0})[:len(style)]))
	rule, depth, open, line := "", 0, "", r.line
	for range mostStyle {
		kind, data := lexer.Next()
		if kind == css.ErrorToken && lexer.Err() == io.EOF {
			return
		}
		how := chain.Passive
		if rule == "@font-face" || rule == "@import" {
			how = ""
		}
		switch kind {
		case css.AtKeywordToken:
			rule = strings.ToLower(string(data))
		case css.SemicolonToken:
			if depth == 0 {
				rule = ""
			}
		case css.LeftBraceToken:
			depth++
			if depth == 1 && (rule == "@media" || rule == "@supports" || rule == "@layer") {
				depth, rule = 0, ""
			}
		case css.RightBraceToken:
			if depth = max(0, depth-1); depth == 0 {
				rule = ""
			}
		case css.URLToken:
			if rule != "@namespace" && rule != "@document" {
				r.insecureAt(tag, urlIn(data), how, line)
			}
		case css.FunctionToken:
			open = strings.TrimPrefix(strings.ToLower(string(data)), "-webkit-")
		case css.RightParenthesisToken:
			open = ""
		case css.StringToken:
			if rule == "@import" || open == "image-set(" || open == "src(" || open == "url(" {
				r.insecureAt(tag, strings.Trim(string(data), `"'`), how, line)
			}
		}
		line += bytes.Count(data, []byte("\n"))
	}
}

// mostStyle is how many words of a style are read.
const mostStyle = 400_000

// urlIn gives what stands in url(…).
func urlIn(token []byte) string {
	s := string(token)
	if at := strings.IndexByte(s, '('); at >= 0 {
		s = s[at+1:]
	}
	return strings.Trim(strings.TrimSuffix(s, ")"), " \t\r\n\f\"'")
}

// imported are modules that a script asks for over http.
var imported = regexp.MustCompile(`(?:\bfrom|\bimport)\s*\(?\s*["'](http://[^"'\s]+)["']`)

// imports takes in the modules that a script asks for.
func (r *pageReader) imports(script []byte) {
	for _, m := range imported.FindAllSubmatchIndex(script, mostSource) {
		r.insecureAt("script", string(script[m[2]:m[3]]), "",
			r.line+bytes.Count(script[:m[2]], []byte("\n")))
	}
}

func (r *pageReader) insecure(tag, reference, how string) {
	r.insecureAt(tag, reference, how, r.line)
}

func (r *pageReader) insecureAt(tag, reference, how string, line int) {
	if r.at.Scheme() != web.HTTPS || reference == "" || len(reference) > mostURL ||
		len(r.doc.Insecure) >= mostSource ||
		r.base.Scheme() == web.HTTPS && (len(reference) < len("http:")+1 ||
			!strings.EqualFold(reference[:len("http:")], "http:")) {
		return
	}
	u, _, err := r.base.Resolve(reference)
	if err != nil || u.Scheme() != web.HTTP || ownMachine(u.Host()) {
		return
	}
	r.doc.Insecure = append(r.doc.Insecure,
		chain.Link{URL: u.String(), Element: tag, Line: line, How: how})
}

// ownMachine reports whether a host is the visitor's own machine, which browsers trust (Secure
// Contexts, section 3.1).
func ownMachine(h web.Host) bool {
	if a, is := h.Address(); is {
		return a.IsLoopback()
	}
	name := h.String()
	return name == "localhost" || strings.HasSuffix(name, ".localhost")
}
