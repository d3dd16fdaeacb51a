package live

import (
	"io"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/web"
)

// mostToken bounds one tag of a page, in octets; what is longer ends the reading.
const mostToken = 64 << 10

// framed gives the URL of another host that a page shows instead of anything of its own, "" where it does not: the
// first frame of a frameset, or an inline frame in a page without text. page is HTML as it comes, base where it came
// from.
func framed(base web.URL, page io.Reader) string {
	z := html.NewTokenizer(page)
	z.SetMaxBuf(mostToken)
	inline, quiet := "", ""
	for {
		switch z.Next() {
		case html.ErrorToken:
			return inline
		case html.TextToken:
			if quiet == "" && strings.TrimSpace(string(z.Text())) != "" {
				return "" // it has something to say itself
			}
		case html.EndTagToken:
			if name, _ := z.TagName(); string(name) == quiet {
				quiet = ""
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			tag, src, hidden := element(z)
			switch {
			case quiet != "":
			case tag == "frame" && src != "":
				return elsewhere(base, src)
			case tag == "iframe":
				if inline == "" && !hidden {
					inline = elsewhere(base, src)
				}
				quiet = tag
			case tag == "img" || tag == "video" || tag == "form" || tag == "canvas" || tag == "object":
				return ""
			case slices.Contains([]string{"title", "script", "style", "noscript", "noframes", "template"}, tag):
				quiet = tag
			}
		}
	}
}

// element reads the tag at which a tokenizer stands: its name, its source, and whether it is too small to be seen.
func element(z *html.Tokenizer) (tag, src string, hidden bool) {
	name, more := z.TagName()
	for tag = string(name); more; {
		var key, value []byte
		key, value, more = z.TagAttr()
		v := strings.TrimSpace(string(value))
		switch string(key) {
		case "src":
			src = v
		case "width", "height":
			n, err := strconv.Atoi(v)
			hidden = hidden || err == nil && n < 50
		case "style":
			style := strings.ReplaceAll(strings.ToLower(v), " ", "")
			hidden = hidden || strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden")
		case "hidden":
			hidden = true
		}
	}
	return tag, src, hidden
}

// elsewhere gives a reference as a URL where it leads to another host, "" where it does not.
func elsewhere(base web.URL, reference string) string {
	u, _, err := base.Resolve(reference) // a user name and password are left out
	if err != nil || u.Host() == base.Host() || u.Host().IsZero() {
		return ""
	}
	return u.String()
}
