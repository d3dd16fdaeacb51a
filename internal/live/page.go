package live

import (
	"bytes"
	"hash/maphash"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/web"
)

// What is read and kept of a page at most.
const (
	MostPage   = 2 << 20 // octets
	mostText   = 1 << 10
	mostTitle  = 200
	mostLinks  = 64
	mostSource = 20
	mostURL    = 2 << 10
)

// markup is what a page says.
type markup struct {
	doc    *chain.Document
	soft   *chain.Soft
	framed string
	own    bool // it names something by its own path
}

var pageSeed = maphash.MakeSeed()

// page reads a page once: where the same octets come again from the same folder, what was read is
// taken.
func (w *Client) page(at web.URL, octets []byte) markup {
	var h maphash.Hash
	h.SetSeed(pageSeed)
	path := at.Path()
	_, _ = h.WriteString(at.Host().String())
	_, _ = h.WriteString(string(at.Scheme()))
	// what is relative is relative to this
	_, _ = h.WriteString(path[:strings.LastIndexByte(path, '/')+1])
	_ = h.WriteByte(0)
	_, _ = h.Write(octets)
	key := h.Sum64()
	w.lock.Lock()
	m, known := w.pages[key]
	w.lock.Unlock()
	if known {
		return m
	}
	if m = readPage(at, bytes.NewReader(octets)); m.own {
		return m
	}
	w.lock.Lock()
	if len(w.pages) >= mostPages {
		clear(w.pages)
	}
	w.pages[key] = m
	w.lock.Unlock()
	return m
}

// mostPages is how many pages are remembered.
const mostPages = 256

// pageReader reads a page from tag to tag.
type pageReader struct {
	z       *html.Tokenizer
	at      web.URL
	base    web.URL
	line    int
	quiet   string // the element whose text is none of the page's own
	into    string // title or h1
	doc     chain.Document
	softs   []chain.Soft
	hosts   map[web.Host]bool
	text    []byte
	own     bool // it names something by its own path
	upgrade bool // it has browsers load everything over https

	alone  bool   // nothing of its own was met
	inline string // the first inline frame
	frame  string // of a frameset
}

// readPage reads an HTML page as it comes (the HTML Standard, section 13.2, as far as its tokens
// go). at is where it came from. What is longer than MostPage is cut off.
func readPage(at web.URL, page io.Reader) markup {
	limited := &io.LimitedReader{R: page, N: MostPage}
	r := &pageReader{z: html.NewTokenizer(limited), at: at, base: at, line: 1, alone: true,
		hosts: map[web.Host]bool{}}
	r.z.SetMaxBuf(MostPage)
	for {
		kind := r.z.Next()
		if kind == html.ErrorToken {
			break
		}
		raw := r.z.Raw()
		lines := bytes.Count(raw, []byte("\n"))
		switch kind {
		case html.TextToken:
			r.words()
		case html.EndTagToken:
			name, _ := r.z.TagName()
			r.close(string(name))
		case html.StartTagToken, html.SelfClosingTagToken:
			r.open()
		}
		r.line += lines
	}
	r.doc.Octets, r.doc.Cut = MostPage-int(limited.N), limited.N <= 0
	r.doc.Text = string(r.text)
	if r.upgrade || at.Scheme() != web.HTTPS {
		r.doc.Insecure = nil
	}
	r.doc.Sort()
	m := markup{doc: &r.doc, framed: r.frame, own: r.own}
	if r.frame == "" && r.alone {
		m.framed = r.inline
	}
	if n := len(r.softs); n > 0 {
		first := slices.MinFunc(r.softs, func(a, b chain.Soft) int {
			return int(a.After*1000) - int(b.After*1000)
		})
		m.soft = &first
	}
	return m
}

// words takes in a text.
func (r *pageReader) words() {
	switch r.quiet {
	case "script":
		if to, after := scriptTarget(r.z.Text()); to != "" {
			r.goesOn(chain.ByScript, to, after)
		}
		return
	case "style":
		r.styled(r.z.Text(), "style")
		return
	}
	text := r.z.Text()
	if r.into == "title" && r.doc.Title == "" {
		r.doc.Title = trimmed(text, mostTitle)
		return
	}
	if r.quiet != "" {
		return
	}
	words := bytes.TrimSpace(text)
	if len(words) == 0 {
		return
	}
	r.alone = false
	if r.into == "h1" && len(r.doc.Heading) < mostTitle {
		r.doc.Heading = strings.TrimSpace(r.doc.Heading + " " + trimmed(text, mostTitle))
	}
	if len(r.text) < mostText {
		r.text = append(append(r.text, trimmed(words, mostText-len(r.text))...), ' ')
	}
}

// trimmed gives a text with its white space made single, cut to so many octets.
func trimmed(text []byte, most int) string {
	fields := strings.Fields(string(text[:min(len(text), 4*most)]))
	s := strings.Join(fields, " ")
	if len(s) > most {
		s = strings.ToValidUTF8(s[:most], "")
	}
	return s
}

func (r *pageReader) close(tag string) {
	if tag == r.quiet {
		r.quiet = ""
	}
	if tag == r.into {
		r.into = ""
	}
}

// attributes of a tag, by name; the first of a name counts.
type attributes map[string]string

func (r *pageReader) attributes(more bool) attributes {
	a := attributes{}
	for more {
		var key, value []byte
		key, value, more = r.z.TagAttr()
		if _, twice := a[string(key)]; !twice {
			a[string(key)] = strings.TrimSpace(string(value[:min(len(value), 16<<10)]))
		}
	}
	return a
}

var silent = []string{"title", "script", "style", "noscript", "noframes", "template", "iframe"}

// open takes in a tag that begins an element.
func (r *pageReader) open() {
	name, more := r.z.TagName()
	tag := string(name)
	if !more && r.quiet == "" && tag != "h1" && !slices.Contains(silent, tag) && !showing(tag) {
		return
	}
	if r.quiet != "" {
		return
	}
	a := r.attributes(more)
	switch tag {
	case "base":
		if u, _, err := r.at.Resolve(a["href"]); err == nil && a["href"] != "" && r.base == r.at {
			r.base = u
		}
	case "meta":
		r.meta(a)
	case "link":
		r.link(a)
	case "a", "area":
		r.linked(tag, a["href"])
	case "frame":
		if r.frame == "" && a["src"] != "" && r.alone {
			r.frame = elsewhere(r.base, a["src"])
			if r.frame == "" {
				r.alone = false // its first frame is its own
			}
		}
	case "iframe":
		if r.inline == "" && !hidden(a) {
			r.inline = elsewhere(r.base, a["src"])
		}
	case "body":
		if to, after := scriptTarget([]byte(a["onload"])); to != "" {
			r.goesOn(chain.ByScript, to, after)
		}
	case "h1":
		r.into = "h1"
	}
	r.loads(tag, a)
	if showing(tag) {
		r.alone = false
	}
	if slices.Contains(silent, tag) {
		r.quiet = tag
		if tag == "title" {
			r.into = tag
		}
	}
}

// showing reports whether an element shows something without any text.
func showing(tag string) bool {
	return tag == "img" || tag == "video" || tag == "form" || tag == "canvas" || tag == "object"
}

// hidden reports whether a frame is too small to be seen.
func hidden(a attributes) bool {
	for _, side := range []string{"width", "height"} {
		if n, err := strconv.Atoi(a[side]); err == nil && n < 50 {
			return true
		}
	}
	style := strings.ReplaceAll(strings.ToLower(a["style"]), " ", "")
	_, is := a["hidden"]
	return is || strings.Contains(style, "display:none") ||
		strings.Contains(style, "visibility:hidden")
}

func (r *pageReader) meta(a attributes) {
	switch strings.ToLower(a["http-equiv"]) {
	case "refresh":
		if to, after, ok := refresh(a["content"]); ok && to != "" {
			r.goesOn(chain.ByMeta, to, after)
		}
	case "content-security-policy":
		r.upgrade = r.upgrade || strings.Contains(strings.ToLower(a["content"]), upgradeAll)
	}
	if strings.EqualFold(a["name"], "robots") {
		for word := range strings.SplitSeq(strings.ToLower(a["content"]), ",") {
			word = strings.TrimSpace(word)
			r.doc.NoIndex = r.doc.NoIndex || word == "noindex" || word == "none"
		}
	}
	if (strings.EqualFold(a["property"], "og:url") || strings.EqualFold(a["name"], "og:url")) &&
		r.doc.Social == "" {
		r.doc.Social = r.resolved(a["content"])
	}
}

// upgradeAll is the directive with which a page has browsers load everything over https (Upgrade
// Insecure Requests, section 3.1).
const upgradeAll = "upgrade-insecure-requests"

func (r *pageReader) link(a attributes) {
	for rel := range strings.FieldsSeq(strings.ToLower(a["rel"])) {
		switch {
		case rel == "canonical" && r.doc.Canonical == "":
			r.doc.Canonical = r.resolved(a["href"])
		case rel == "alternate" && a["hreflang"] != "":
			if u := r.resolved(a["href"]); u != "" && len(r.doc.Languages) < mostSource {
				r.doc.Languages = append(r.doc.Languages, chain.Link{URL: u, Element: "hreflang", Line: r.line})
			}
		}
	}
}

// resolved gives a reference as a URL; "" where it leads nowhere.
func (r *pageReader) resolved(reference string) string {
	if reference == "" || len(reference) > mostURL {
		return ""
	}
	r.own = r.own || reference[0] == '?' || reference[0] == '#'
	u, _, err := r.base.Resolve(reference)
	if err != nil {
		return ""
	}
	return u.String()
}

// linked takes in a link to another host.
func (r *pageReader) linked(tag, href string) {
	if len(r.doc.Links) >= mostLinks || len(href) > mostURL || !strings.Contains(href, "//") {
		return
	}
	u, _, err := r.base.Resolve(href)
	if err != nil || u.Host() == r.at.Host() || r.hosts[u.Host()] {
		return
	}
	r.hosts[u.Host()] = true
	r.doc.Links = append(r.doc.Links, chain.Link{URL: u.String(), Element: tag, Line: r.line})
}

// The attributes by which elements load something (Mixed Content, section 4; a form sends what was
// typed).
var loading = map[string][]string{
	"script": {"src"}, "img": {"src", "srcset"}, "iframe": {"src"}, "frame": {"src"}, "audio": {"src"},
	"embed": {"src"},
	"video": {"src", "poster"}, "source": {"src", "srcset"}, "track": {"src"}, "object": {"data"},
	"input": {"src"},
	"form":  {"action"},
}

// loads takes in what an element loads over http, where the page came over https.
func (r *pageReader) loads(tag string, a attributes) {
	if r.at.Scheme() != web.HTTPS {
		return
	}
	for _, name := range loading[tag] {
		value := a[name]
		if name == "srcset" {
			for candidate := range strings.SplitSeq(value, ",") {
				url, _, _ := strings.Cut(strings.TrimSpace(candidate), " ")
				r.insecure(tag, url)
			}
			continue
		}
		r.insecure(tag, value)
	}
	if tag == "link" {
		for rel := range strings.FieldsSeq(strings.ToLower(a["rel"])) {
			if slices.Contains([]string{"stylesheet", "icon", "preload", "modulepreload", "manifest",
				"apple-touch-icon"}, rel) {
				r.insecure(tag, a["href"])
				break
			}
		}
	}
	if style := a["style"]; style != "" {
		r.styled([]byte(style), tag)
	}
}

var styleURL = regexp.MustCompile(`(?i)url\(\s*['"]?(http://[^'")\s]+)`)

// styled takes in what a style loads over http.
func (r *pageReader) styled(style []byte, tag string) {
	if !bytes.Contains(style, []byte("http://")) {
		return
	}
	for _, m := range styleURL.FindAllSubmatch(style, mostSource) {
		r.insecure(tag, string(m[1]))
	}
}

func (r *pageReader) insecure(tag, reference string) {
	if len(reference) < len("http://")+1 || !strings.EqualFold(reference[:len("http:")], "http:") &&
		r.base.Scheme() == web.HTTPS || len(r.doc.Insecure) >= mostSource || len(reference) > mostURL {
		return
	}
	u, _, err := r.base.Resolve(reference)
	if err != nil || u.Scheme() != web.HTTP {
		return
	}
	if a, is := u.Host().Address(); is && a.IsLoopback() || u.Host().String() == "localhost" {
		return // browsers trust what comes from the machine itself
	}
	r.doc.Insecure = append(r.doc.Insecure, chain.Link{URL: u.String(), Element: tag, Line: r.line})
}

// goesOn takes in that the page sends visitors on.
func (r *pageReader) goesOn(by, to string, after float64) {
	if len(to) > mostURL || after > mostPatience || len(r.softs) >= mostSource {
		return
	}
	if r.base != r.at {
		u, _, err := r.base.Resolve(to)
		if err != nil {
			return
		}
		to = u.String()
	}
	r.softs = append(r.softs,
		chain.Soft{By: by, To: web.MaskedReference(to), After: after, Line: r.line})
}

// mostPatience is for how long a page may be shown before it sends visitors on, in seconds; what
// takes longer is a page that is read.
const mostPatience = 30

// refresh reads a Refresh header or its like in a page (the HTML Standard, shared declarative
// refresh steps): the URL, "" for the page itself, and the seconds until then.
func refresh(text string) (to string, after float64, ok bool) {
	s := strings.TrimLeft(text, " \t\r\n\f")
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	if n == 0 && !strings.HasPrefix(s, ".") {
		return "", 0, false
	}
	after, _ = strconv.ParseFloat("0"+s[:n], 64)
	s = strings.TrimLeft(s[n:], "0123456789.")
	if s == "" {
		return "", after, true
	}
	if strings.IndexByte(";, \t\r\n\f", s[0]) < 0 {
		return "", after, false
	}
	s = strings.TrimLeft(s, " \t\r\n\f")
	if s != "" && (s[0] == ';' || s[0] == ',') {
		s = strings.TrimLeft(s[1:], " \t\r\n\f")
	}
	if len(s) > 3 && strings.EqualFold(s[:3], "url") {
		if rest := strings.TrimLeft(s[3:], " \t\r\n\f"); strings.HasPrefix(rest, "=") {
			s = strings.TrimLeft(rest[1:], " \t\r\n\f")
		}
	}
	if s != "" && (s[0] == '"' || s[0] == '\'') {
		quote := s[:1]
		s, _, _ = strings.Cut(s[1:], quote)
	}
	return strings.TrimSpace(s), after, true
}

var (
	// The simple forms in which a script sends visitors on: location, or its href, set to a text, or
	// handed a text.
	sendsOn = regexp.MustCompile(`^(?:(?:window|self|top|parent|document|globalThis)\s*\.\s*)*location` +
		`(?:\s*\.\s*href)?\s*=\s*(?:"([^"\\\r\n]*)"|'([^'\\\r\n]*)'|` + "`([^`\\\\$\r\n]*)`" +
		`)\s*(?:[;}\r\n)]|$)`)
	callsOn = regexp.MustCompile(`^(?:(?:window|self|top|parent|document|globalThis)\s*\.\s*)*location` +
		`\s*\.\s*(?:replace|assign)\s*\(\s*(?:"([^"\\\r\n]*)"|'([^'\\\r\n]*)'|` + "`([^`\\\\$\r\n]*)`" +
		`)\s*\)`)
	// A function that runs by itself: at once, when the page is there, or after some time.
	runsOn = regexp.MustCompile(
		`(?:(?:setTimeout|addEventListener)\s*\(\s*(?:["'](?:load|DOMContentLoaded)["']\s*,\s*)?|` +
			`onload\s*=\s*|^\s*[(!]\s*)(?:function\s*\w*\s*\(\s*\)|\(\s*\)\s*=>)\s*$`,
	)
	delayed = regexp.MustCompile(`^\s*,\s*(\d{1,6})\s*\)`)
)

// scriptTarget gives the URL to which a script sends visitors in one of the simple forms, as a
// statement of its own that nothing else decides about, and after how many seconds; "" where it
// does not. A script that does more than that with the address is not guessed at.
func scriptTarget(script []byte) (to string, after float64) {
	if !bytes.Contains(script, []byte("location")) {
		return "", 0
	}
	s := string(script)
	depth, start, open := 0, true, -1 // open: where the function that runs by itself begins
	for i := 0; i < len(s); {
		c := s[i]
		switch {
		case strings.HasPrefix(s[i:], "//") || strings.HasPrefix(s[i:], "<!--"):
			i += lineEnd(s[i:])
			continue
		case strings.HasPrefix(s[i:], "/*"):
			end := strings.Index(s[i+2:], "*/")
			if end < 0 {
				return "", 0
			}
			i += end + 4
			continue
		case c == '"' || c == '\'' || c == '`':
			i += quoted(s[i:])
			start = false
			continue
		case c == '{':
			depth++
			if depth == 1 && runsOn.MatchString(s[max(0, i-120):i]) {
				open, start = i, true
				i++
				continue
			}
			start = false
		case c == '}':
			depth--
			if depth == 0 {
				open = -1
			}
			start = true
		case c == ';' || c == '\n':
			start = true
		case c == ' ' || c == '\t' || c == '\r':
		case start && (depth == 0 || depth == 1 && open >= 0) && word(s, i):
			for _, form := range []*regexp.Regexp{sendsOn, callsOn} {
				if m := form.FindStringSubmatch(s[i:min(len(s), i+mostURL)]); m != nil {
					return m[1] + m[2] + m[3], delay(s[i:], open >= 0)
				}
			}
			start = false
		default:
			start = false
		}
		i++
	}
	return "", 0
}

// word reports whether a word begins at an octet of a script.
func word(s string, i int) bool {
	c := s[i] | 0x20
	return c >= 'a' && c <= 'z' &&
		(i == 0 || !(s[i-1]|0x20 >= 'a' && s[i-1]|0x20 <= 'z' || s[i-1] == '.'))
}

// delay gives after how many seconds a function runs that was handed to setTimeout; text is its
// statement and what follows.
func delay(text string, inFunction bool) float64 {
	end := strings.IndexByte(text, '}')
	if !inFunction || end < 0 {
		return 0
	}
	m := delayed.FindStringSubmatch(text[end+1:])
	if m == nil {
		return 0
	}
	ms, _ := strconv.Atoi(m[1])
	return float64(ms) / 1000
}

func lineEnd(s string) int {
	if n := strings.IndexByte(s, '\n'); n >= 0 {
		return n
	}
	return len(s)
}

// quoted gives how long a text in quotes is.
func quoted(s string) int {
	for i := 1; i < len(s); i++ {
		switch s[i] {
		case '\\':
			i++
		case s[0]:
			return i + 1
		case '\n':
			if s[0] != '`' {
				return i
			}
		}
	}
	return len(s)
}

// elsewhere gives a reference as a URL where it leads to another host, "" where it does not.
func elsewhere(base web.URL, reference string) string {
	u, _, err := base.Resolve(reference) // a user name and password are left out
	if err != nil || u.Host() == base.Host() || u.Host().IsZero() {
		return ""
	}
	return u.String()
}
