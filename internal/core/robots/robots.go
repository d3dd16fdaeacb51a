// Package robots reads a robots.txt (RFC 9309): what it keeps robots away from, and which of them.
//
//	r := robots.Parse("User-agent: *\nDisallow: /shop/\n", "ours")
//	r.Allows("/shop/tickets") // false
//
// It asks for nothing itself. What could not be had bars nothing where it is not there, and
// everything where its server fails (section 2.3.1): that is for whoever asked, by Barred.
package robots

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/web"
)

// File is what a robots.txt lets a crawl ask for (RFC 9309).
type File struct {
	rules []ruleLine
	Delay time.Duration // that it asks for between questions; 0: none
}

type ruleLine struct {
	path  string
	allow bool
	text  string // as it is said
}

// MostRead is how much of a robots.txt is read, in octets (RFC 9309 section 2.5); what comes
// behind does not count.
const MostRead = 500 << 10

// mostDelay is the longest pause that a robots.txt gets.
const mostDelay = 30 * time.Second

// Parse reads a robots.txt for a robot of a name: the groups that name it, or else those for
// everybody.
func Parse(text, name string) *File {
	groups, _ := read(text)
	if own, named := groups[strings.ToLower(name)]; named {
		return own
	}
	return everybody(groups)
}

// all is whom a group is for that is for everybody.
const all = "*"

func everybody(groups map[string]*File) *File {
	if f := groups[all]; f != nil {
		return f
	}
	return &File{}
}

// read reads a robots.txt: what it says to whom, by product tokens in small letters, and the
// sitemaps that it names.
func read(text string) (groups map[string]*File, sitemaps []string) {
	groups = map[string]*File{}
	var group []*File // that the lines are for
	begun := true     // lines that say whom a group is for may follow
	text = text[:min(len(text), MostRead)]
	for line := range strings.FieldsFuncSeq(strings.TrimPrefix(text, "\ufeff"), isLineEnd) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(strings.TrimSpace(line), ":")
		if !ok {
			continue
		}
		key, value = strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
		switch key {
		case "user-agent":
			if !begun {
				group, begun = nil, true
			}
			name := strings.ToLower(productToken(value))
			if value == all {
				name = all
			}
			if name == "" {
				continue
			}
			if groups[name] == nil {
				groups[name] = &File{}
			}
			group = append(group, groups[name])
		case "allow", "disallow":
			begun = false
			for _, r := range group {
				if value != "" {
					r.rules = append(r.rules, ruleLine{form(value), key == "allow",
						strings.ToUpper(key[:1]) + key[1:] + ": " + value})
				}
			}
		case "crawl-delay":
			begun = false
			if n, err := strconv.ParseFloat(value, 64); err == nil && n > 0 {
				for _, r := range group {
					r.Delay = time.Duration(min(n, mostDelay.Seconds()) * float64(time.Second))
				}
			}
		case "sitemap": // of no group
			if value != "" && len(sitemaps) < mostSitemaps && !slices.Contains(sitemaps, value) {
				sitemaps = append(sitemaps, value)
			}
		}
	}
	return groups, sitemaps
}

// isLineEnd reports whether a character ends a line (RFC 9309 section 2.2).
func isLineEnd(r rune) bool { return r == '\n' || r == '\r' }

// productToken gives what a line names a robot by: letters, "_" and "-", whatever version comes
// behind (RFC 9309 section 2.2.1).
func productToken(value string) string {
	end := strings.IndexFunc(value, func(r rune) bool {
		return (r|0x20 < 'a' || r|0x20 > 'z') && r != '_' && r != '-'
	})
	if end < 0 {
		return value
	}
	return value[:end]
}

// form gives a path with its query as both sides are compared: percent-encoded where it is
// not ASCII, unreserved octets decoded (RFC 9309 section 2.2.2).
func form(uri string) string {
	path, query, asks := strings.Cut(uri, "?")
	if path = web.NormalPath(path); asks {
		path += "?" + web.NormalQuery(query)
	}
	return path
}

// Barred is a robots.txt that lets nothing be asked for, as one counts that could not be had (RFC
// 9309 section 2.3.1.4).
func Barred() *File { return &File{rules: []ruleLine{{path: "/"}}} }

// Allows reports whether a path with its query may be asked for: the longest rule that fits
// decides, and of two of one length the one that allows.
func (r *File) Allows(uri string) bool {
	_, allows := r.Decides(uri)
	return allows
}

// Decides gives the line that decides whether a path with its query may be asked for, and whether
// it may; "" where none does.
func (r *File) Decides(uri string) (line string, allows bool) {
	if len(r.rules) == 0 {
		return "", true
	}
	best, allows := -1, true
	uri = form(uri)
	// What a rule means literally it writes percent-encoded.
	uri = strings.NewReplacer("*", "%2A", "$", "%24").Replace(uri)
	for _, rule := range r.rules {
		if n := len(rule.path); fits(rule.path, uri) && (n > best || n == best && rule.allow) {
			best, allows, line = n, rule.allow, rule.text
		}
	}
	return line, allows
}

// fits reports whether a path begins as a rule says, whose stars stand for anything and whose last
// $ for the end.
func fits(rule, uri string) bool {
	rule, whole := strings.CutSuffix(rule, "$")
	rule = strings.ReplaceAll(rule, "$", "%24") // only the last one means the end
	pieces := strings.Split(rule, "*")
	if !strings.HasPrefix(uri, pieces[0]) {
		return false
	}
	uri = uri[len(pieces[0]):]
	for i, piece := range pieces[1:] {
		if whole && i == len(pieces)-2 {
			return strings.HasSuffix(uri, piece)
		}
		at := strings.Index(uri, piece)
		if at < 0 {
			return false
		}
		uri = uri[at+len(piece):]
	}
	return !whole || uri == ""
}

// BarsAll gives the line that keeps a robot away from everything; "" where none does.
func (r *File) BarsAll() string {
	if r.Allows("/") || slices.ContainsFunc(r.rules, func(l ruleLine) bool { return l.allow }) {
		return ""
	}
	if i := slices.IndexFunc(r.rules, func(l ruleLine) bool {
		return l.path == "/" || l.path == "/*" || l.path == "*"
	}); i >= 0 {
		return r.rules[i].text
	}
	return ""
}

// Engines are the names by which search engines let their robots be spoken to.
var Engines = []string{"googlebot", "googlebot-news", "googlebot-image", "bingbot", "msnbot",
	"slurp", "duckduckbot", "baiduspider", "yandex", "yandexbot", "applebot", "qwantbot",
	"seznambot", "petalbot", "sogou web spider", "naverbot", "yeti", "mojeekbot", "ia_archiver"}

// All is what a robots.txt tells everybody, and those search engines that it names.
type All struct {
	Everybody *File
	Named     map[string]*File // by name, in small letters
	Sitemaps  []string         // that it names, as it names them
}

// mostSitemaps is how many sitemaps of a robots.txt are taken.
const mostSitemaps = 100

// ParseAll reads a robots.txt for everybody and for search engines.
func ParseAll(text string) *All {
	groups, sitemaps := read(text)
	a := &All{Everybody: everybody(groups), Named: map[string]*File{}, Sitemaps: sitemaps}
	for _, name := range Engines {
		if own := groups[name]; own != nil {
			a.Named[name] = own
		}
	}
	return a
}

// Barring is whom a robots.txt keeps away from a URL.
type Barring struct {
	Line      string   // by which
	Everybody bool     // but Except
	Except    []string // search engines that have rules of their own, which allow it
	Named     []string // search engines that are kept away by rules of their own
}

// Bars reports whom it keeps away from a path with its query; false: no search engine.
func (a *All) Bars(uri string) (Barring, bool) {
	var b Barring
	line, allows := a.Everybody.Decides(uri)
	if !allows {
		b.Line, b.Everybody = line, true
	}
	for _, name := range Engines {
		own, named := a.Named[name]
		if !named {
			continue
		}
		line, allows := own.Decides(uri)
		switch {
		case allows && b.Everybody:
			b.Except = append(b.Except, name)
		case !allows && !b.Everybody:
			b.Named = append(b.Named, name)
			if b.Line == "" {
				b.Line = line
			}
		}
	}
	return b, b.Everybody || len(b.Named) > 0
}

// BarredAll is a robots.txt that nobody may ask for anything by, as one counts whose server fails.
func BarredAll() *All { return &All{Everybody: Barred(), Named: map[string]*File{}} }
