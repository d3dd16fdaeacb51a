package live

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/web"
)

// Says is what a page says of itself at its beginning.
type Says struct {
	Title, Heading, Language, Canonical string
}

// mostSays is how much of a page is read for that, in octets.
const mostSays = 128 << 10

// saysOf reads what a page says of itself: title, first heading, language, canonical link.
func saysOf(at web.URL, page []byte) Says {
	var s Says
	into := ""
	z := html.NewTokenizer(bytes.NewReader(page[:min(len(page), mostSays)]))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return s
		case html.TextToken:
			switch text := trimmed(z.Text(), mostTitle); {
			case into == "title" && s.Title == "":
				s.Title = text
			case into == "h1" && len(s.Heading) < mostTitle:
				s.Heading = strings.TrimSpace(s.Heading + " " + text)
			}
		case html.EndTagToken:
			name, _ := z.TagName()
			if string(name) == "h1" && s.Heading != "" {
				return s
			}
			if string(name) == into {
				into = ""
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			name, more := z.TagName()
			switch tag := string(name); tag {
			case "title", "h1":
				into = tag
			case "html":
				if code := attributesOf(z, more)["lang"]; len(code) < 36 {
					s.Language = code
				}
			case "link":
				a := attributesOf(z, more)
				if !strings.EqualFold(a["rel"], "canonical") || a["href"] == "" || s.Canonical != "" {
					continue
				}
				if u, _, err := at.Resolve(a["href"]); err == nil {
					s.Canonical = u.String()
				}
			}
		}
	}
}
