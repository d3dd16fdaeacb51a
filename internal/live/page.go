package live

import (
	"bytes"
	"cmp"
	"hash/maphash"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/script"
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
func (w *Client) page(at web.URL, octets []byte, header http.Header) markup {
	var h maphash.Hash
	h.SetSeed(pageSeed)
	path := at.Path()
	_, _ = h.WriteString(at.Host().String())
	_, _ = h.WriteString(string(at.Scheme()))
	// what is relative is relative to this
	_, _ = h.WriteString(path[:strings.LastIndexByte(path, '/')+1])
	_ = h.WriteByte(0)
	for _, name := range []string{"Content-Type", "Content-Security-Policy"} {
		for _, value := range header[name] {
			_, _ = h.WriteString(value)
			_ = h.WriteByte(0)
		}
	}
	_, _ = h.Write(octets)
	key := h.Sum64()
	w.lock.Lock()
	m, known := w.pages[key]
	w.lock.Unlock()
	if known {
		return m
	}
	m = readPage(at, asUTF8(octets, one(header, "Content-Type")),
		policiesOf(header["Content-Security-Policy"]))
	if m.doc.Octets, m.doc.Cut = len(octets), len(octets) >= MostPage; m.own {
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
	z        *html.Tokenizer
	octets   []byte
	at       web.URL
	base     web.URL
	line     int
	offset   int    // of the tag or text at hand
	quiet    string // the element whose text is none of the page's own
	into     string // title or h1
	doc      chain.Document
	softs    []chain.Soft
	hosts    map[web.Host]bool
	text     []byte
	own      bool // it names something by its own path
	policies policies
	pieces   []piece
	piece    *piece // the script element at hand, where it is run
	nonce    string
	body     bool // the body has begun

	alone  bool   // nothing of its own was met
	inline string // the first inline frame
	frame  string // of a frameset
}

// readPage reads an HTML page as it comes (the HTML Standard, section 13.2, as far as its tokens
// go), in UTF-8. at is where it came from, policies are those of its header.
func readPage(at web.URL, octets []byte, p policies) markup {
	r := newReader(at, octets, p)
	r.read()
	r.play(0)
	r.doc.Text = string(r.text)
	switch {
	case r.policies.has(upgradeAll) || at.Scheme() != web.HTTPS:
		r.doc.Insecure = nil
	case r.policies.has(blockAll):
		for i := range r.doc.Insecure {
			if r.doc.Insecure[i].How == chain.Passive {
				r.doc.Insecure[i].How = ""
			}
		}
	}
	r.doc.Sort()
	m := markup{doc: &r.doc, framed: r.frame, own: r.own}
	if r.frame == "" && r.alone {
		m.framed = r.inline
	}
	if len(r.softs) > 0 { // the first in time; of those at once, that of a script, which runs first
		first := slices.MinFunc(r.softs, func(a, b chain.Soft) int {
			return cmp.Or(cmp.Compare(a.After, b.After), cmp.Compare(rank[a.By], rank[b.By]))
		})
		m.soft = &first
		// a script that may come first may do so still
		r.doc.May = slices.DeleteFunc(r.doc.May, func(m chain.May) bool { return m.After > first.After })
	}
	return m
}

// rank is in which order a browser comes to what sends it on.
var rank = map[string]int{chain.ByScript: 0, chain.ByMeta: 1}

func newReader(at web.URL, octets []byte, p policies) *pageReader {
	return &pageReader{z: html.NewTokenizer(bytes.NewReader(octets)), octets: octets, at: at, base: at,
		line: 1, alone: true, hosts: map[web.Host]bool{}, policies: slices.Clip(p)}
}

// read goes through the page.
func (r *pageReader) read() {
	r.z.SetMaxBuf(2 * MostPage)
	for {
		kind := r.z.Next()
		if kind == html.ErrorToken {
			break
		}
		raw := r.z.Raw()
		size, lines := len(raw), bytes.Count(raw, []byte("\n"))
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
		r.offset += size
	}
}

// words takes in a text.
func (r *pageReader) words() {
	switch r.quiet {
	case "script":
		r.runs(r.z.Raw())
		return
	case "style":
		r.styled(r.z.Raw(), "style")
		return
	case "noscript":
		r.withoutScripts(r.z.Raw())
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
	r.alone, r.body = false, true
	if r.into == "h1" && len(r.doc.Heading) < mostTitle {
		r.doc.Heading = strings.TrimSpace(r.doc.Heading + " " + trimmed(text, mostTitle))
	}
	if len(r.text) < mostText {
		r.text = append(append(r.text, trimmed(words, mostText-len(r.text))...), ' ')
	}
}

// withoutScripts takes in what stands in a noscript element, where the page may run none.
func (r *pageReader) withoutScripts(raw []byte) {
	if r.policies.scripts() {
		return
	}
	in := newReader(r.at, bytes.Clone(raw), r.policies)
	in.base, in.line = r.base, r.line
	in.read()
	r.softs = append(r.softs, in.softs...)
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

func attributesOf(z *html.Tokenizer, more bool) attributes {
	a := attributes{}
	for more {
		var key, value []byte
		key, value, more = z.TagAttr()
		if _, twice := a[string(key)]; !twice {
			a[string(key)] = strings.TrimSpace(string(value[:min(len(value), 16<<10)]))
		}
	}
	return a
}

// inHead are the elements that stand in the head of a page, or above it.
var inHead = map[string]bool{"html": true, "head": true, "title": true, "meta": true, "link": true,
	"script": true, "style": true, "base": true, "noscript": true, "template": true, "bgsound": true,
	"basefont": true, "noframes": true}

var silent = []string{"title", "script", "style", "noscript", "noframes", "template", "iframe"}

// open takes in a tag that begins an element.
func (r *pageReader) open() {
	name, more := r.z.TagName()
	tag := string(name)
	r.body = r.body || r.quiet == "" && !inHead[tag]
	if !more && r.quiet == "" && tag != "h1" && !slices.Contains(silent, tag) && !showing(tag) {
		return
	}
	if r.quiet != "" {
		return
	}
	a := attributesOf(r.z, more)
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
	case "body", "frameset":
		r.onload(a["onload"])
	case "script":
		r.beginScript(a)
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
			r.goesOn(chain.ByMeta, to, after, r.line)
		}
	case "content-security-policy": // CSP, section 3.3: in the head alone, and not in all things
		p := policyOf(a["content"])
		delete(p, "sandbox")
		if !r.body && len(r.policies) < mostPolicy {
			r.policies = append(r.policies, p)
		}
	}
	r.robots(strings.ToLower(a["name"]), a["content"])
	if (strings.EqualFold(a["property"], "og:url") || strings.EqualFold(a["name"], "og:url")) &&
		r.doc.Social == "" {
		r.doc.Social = r.resolved(a["content"])
	}
}

// The directives with which a page has browsers load everything over https (Upgrade Insecure
// Requests, section 3.1), or nothing over http (Mixed Content, section 7.2).
const (
	upgradeAll = "upgrade-insecure-requests"
	blockAll   = "block-all-mixed-content"
)

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

// goesOn takes in that the page sends visitors on.
func (r *pageReader) goesOn(by, to string, after float64, line int) {
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
		chain.Soft{By: by, To: web.MaskedReference(to), After: after, Line: line})
}

// mostPatience is for how long a page may be shown before it sends visitors on, in seconds; what
// takes longer is a page that is read.
const mostPatience = script.Patience

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

// elsewhere gives a reference as a URL where it leads to another host, "" where it does not.
func elsewhere(base web.URL, reference string) string {
	u, _, err := base.Resolve(reference) // a user name and password are left out
	if err != nil || u.Host() == base.Host() || u.Host().IsZero() {
		return ""
	}
	return u.String()
}
