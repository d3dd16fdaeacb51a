package old

import (
	"bytes"
	"cmp"
	"math"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Seen is an address as a source has it.
type Seen struct {
	URL      []byte // a whole one
	Weight   int64  // such as visits; 0: the source does not say
	Method   []byte // "" or GET; POST is kept, with its method
	Status   int    // that was answered; 0: the source does not say
	Agent    []byte // who asked; nothing: the source does not say
	Referrer []byte // the page that led there; nothing: none
	Note     string
	More     []string // further columns of the source, as Source.More names them
}

// Source is where addresses come from.
type Source struct {
	Name string
	More []string // names of further columns

	Lines int64 // that it has
	Kept  int64 // of those, how many count
	Out   map[Reason]*LeftOut
	Odd   LeftOut // weights that are no number, of lines that count 0 therefore

	more []int // where its further columns stand in entries
}

// Sink takes in addresses from sources.
type Sink interface {
	// begins a source; more are the names of its further columns
	Begin(name string, more ...string) *Source
	Add(*Source, Seen) // what Seen holds is valid for the call alone
}

// Each is a Sink that hands every address on, as it stands.
type Each func(Seen)

// Begin begins a source, which counts nothing.
func (Each) Begin(name string, more ...string) *Source {
	return &Source{Name: name, More: more, Out: map[Reason]*LeftOut{}}
}

// Add hands an address on.
func (e Each) Add(s *Source, a Seen) {
	s.Lines++
	s.Kept++
	e(a)
}

// Reason says why a line is left out.
type Reason string

// The reasons.
const (
	NoURL      Reason = "no-url"
	Robot      Reason = "robot"
	Part       Reason = "page-part"
	Failed     Reason = "error"
	OddMethod  Reason = "other-method"
	Stranger   Reason = "other-host"
	TooLong    Reason = "too-long"
	Unreadable Reason = "unreadable"
)

// LeftOut is what was left out for one reason.
type LeftOut struct {
	Count    int64    `json:"count"`
	Examples []string `json:"examples"`
}

// Entry is an old URL.
type Entry struct {
	URL    string
	Weight int64
	Method string // POST; "" for GET
	Note   string
	More   []string // by Gathering.More; shorter where the last are empty

	sources  uint64 // a bit for each of the first 64
	referrer string // the host that leads there most lately seen
	statuses [2]statusCount
}

type statusCount struct {
	status int
	count  int64
}

// Gathering is old URLs as they come together.
type Gathering struct {
	Hosts  func(web.Host) bool // the hosts that are meant; nil: all
	More   []string            // names of further columns
	Crawls []Crawl

	leave   LeaveOut
	sources []*Source
	entries []Entry
	byKey   map[string]int32
	byRaw   map[string]int32  // what was read before, to the letter: an entry, or a reason
	agents  map[string]bool   // whether it is a robot's
	hosts   map[string]string // of referrers
}

// Crawl is what a crawl did not look at, by number of URLs.
type Crawl struct {
	Unseen    int `json:"unseen"`      // that did not answer
	Barred    int `json:"barred"`      // that robots.txt keeps out
	TooDeep   int `json:"too_deep"`    // links to what is further away than was asked for
	Strangers int `json:"other_ports"` // links to other ports of its hosts
	TooMany   int `json:"too_many"`    // links beyond what was asked for, or of a list without end
	Waiting   int `json:"waiting"`     // that were not asked for when it was cut off
}

// MostWeight is the largest weight that an address may have, alone or summed up: far more than
// anybody counts, and so little that millions of them can be added.
const MostWeight = 1_000_000_000_000

// Plus adds weights, none of which is below 0; no sum is larger than what a number holds.
func Plus(a, b int64) int64 {
	if a > math.MaxInt64-b {
		return math.MaxInt64
	}
	return a + b
}

// Bounds of what is remembered to be quick.
const (
	mostRaw      = 100_000
	mostAgents   = 20_000
	mostExamples = 3
	mostURL      = 8 << 10
)

// NewGathering begins one.
func NewGathering(leave LeaveOut) *Gathering {
	return &Gathering{leave: leave, byKey: map[string]int32{}, byRaw: map[string]int32{},
		agents: map[string]bool{},
		hosts:  map[string]string{}}
}

// plain gives what somebody wrote as it is kept: without passwords, and without characters that
// forge a line or turn the direction of writing.
func plain(s string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		if problem.Hostile(r) {
			return ' '
		}
		return r
	}, web.MaskedWords(s)))
}

// Begin begins a source; more are the names of its further columns.
func (g *Gathering) Begin(name string, more ...string) *Source {
	s := &Source{Name: plain(name), More: more, Out: map[Reason]*LeftOut{}}
	for _, m := range more {
		m = plain(m)
		at := slices.Index(g.More, m)
		if at < 0 {
			at = len(g.More)
			g.More = append(g.More, m)
		}
		s.more = append(s.more, at)
	}
	g.sources = append(g.sources, s)
	return s
}

// Sources gives the sources in their order.
func (g *Gathering) Sources() []*Source { return g.sources }

// Leave counts a line that is left out.
func (s *Source) Leave(why Reason, example string) {
	s.Lines++
	o := s.Out[why]
	if o == nil {
		o = &LeftOut{Examples: []string{}}
		s.Out[why] = o
	}
	o.add(example)
}

// Unweighed counts a weight that is no number.
func (s *Source) Unweighed(weight string) { s.Odd.add(weight) }

func (o *LeftOut) add(example string) {
	o.Count++
	if example = plain(strings.ToValidUTF8(example[:min(len(example), 300)], "?")); len(o.Examples) <
		mostExamples &&
		!slices.Contains(o.Examples, example) {
		o.Examples = append(o.Examples, example)
	}
}

// What is remembered of an address that is left out, in place of an entry.
const (
	isNone = -1 - iota
	isPart
	isStranger
	isLong
)

// Add takes in an address. Two that are the same by RFC 3986 section 6.2.2, but for what follows
// visitors, are one; their weights are added.
func (g *Gathering) Add(s *Source, a Seen) {
	post := string(a.Method) == "POST"
	switch {
	case len(a.Method) > 0 && !post && string(a.Method) != "GET" && string(a.Method) != "HEAD":
		s.Leave(OddMethod, string(a.Method)+" "+string(a.URL))
		return
	case a.Status >= 400 && a.Status != 410:
		s.Leave(Failed, string(a.URL))
		return
	case len(a.Agent) > 0 && g.isRobot(a.Agent):
		s.Leave(Robot, string(a.URL))
		return
	}
	at, known := g.byRaw[string(a.URL)]
	if !known || post {
		at = g.place(a.URL, post, false)
		if len(g.byRaw) >= mostRaw {
			clear(g.byRaw)
		}
		if !post {
			g.byRaw[string(a.URL)] = at
		}
	}
	if at == isPart && g.embedded(&a) { // visitors of others see it
		at = g.place(a.URL, post, true)
	}
	if at < 0 {
		why := map[int32]Reason{isNone: NoURL, isPart: Part, isStranger: Stranger, isLong: TooLong}[at]
		s.Leave(why, string(a.URL))
		return
	}
	s.Lines++
	s.Kept++
	g.entries[at].take(g, s, &a)
}

func (g *Gathering) isRobot(agent []byte) bool {
	is, known := g.agents[string(agent)]
	if !known {
		if len(g.agents) >= mostAgents {
			clear(g.agents)
		}
		is = g.leave.robot(string(agent))
		g.agents[string(agent)] = is
	}
	return is
}

// place finds the entry of an address, or makes one; below 0 it says why there is none.
func (g *Gathering) place(raw []byte, post, parts bool) int32 {
	if len(raw) > mostURL {
		return isLong
	}
	u, err := web.ParseURL(string(raw))
	if err != nil {
		return isNone
	}
	if g.Hosts != nil && !g.Hosts(u.Host()) {
		return isStranger
	}
	if !parts && g.leave.part(u.Path()) {
		return isPart
	}
	if query, some := without(u.Query(), g.leave.Parameters); some {
		u = u.Door().URL(u.Path(), query)
	}
	key := u.Key()
	if post {
		key = "POST " + key
	}
	at, known := g.byKey[key]
	if !known {
		at = int32(len(g.entries)) // so many do not fit into memory
		e := Entry{URL: u.String()}
		if post {
			e.Method = "POST"
		}
		if e.URL == key { // one text for both
			e.URL = key
		}
		g.entries = append(g.entries, e)
		g.byKey[key] = at
	}
	return at
}

// take adds what a source says of an entry.
func (e *Entry) take(g *Gathering, s *Source, a *Seen) {
	e.Weight = min(MostWeight, Plus(e.Weight, a.Weight))
	if n := slices.Index(g.sources, s); n < 64 {
		e.sources |= 1 << n
	}
	if note := plain(a.Note); note != "" && !strings.Contains(e.Note, note) {
		e.Note = strings.TrimPrefix(e.Note+"; "+note, "; ")
	}
	if a.Status > 0 {
		e.status(a.Status)
	}
	if len(a.Referrer) > 0 {
		if h := g.referrer(a.Referrer, e.URL); h != "" {
			e.referrer = h
		}
	}
	for i, value := range a.More {
		if value == "" {
			continue
		}
		at := s.more[i]
		for len(e.More) <= at {
			e.More = append(e.More, "")
		}
		if e.More[at] == "" {
			e.More[at] = plain(value)
		}
	}
}

func (e *Entry) status(status int) {
	for i := range e.statuses {
		if c := &e.statuses[i]; c.status == status || c.status == 0 {
			c.status = status
			c.count++
			return
		}
	}
}

// embedded reports whether a page of somebody else led to a part of a page: a picture, a recording
// or a document that it embeds. Styles, scripts and fonts are parts of our own pages alone.
func (g *Gathering) embedded(a *Seen) bool {
	if len(a.Referrer) == 0 || !embeddable(a.URL) {
		return false
	}
	name := g.referrer(a.Referrer, string(a.URL))
	if name == "" {
		return false
	}
	by, err := web.ParseHost(name)
	if err != nil {
		return false
	}
	if g.Hosts != nil {
		return !g.Hosts(by)
	}
	u, err := web.ParseURL(string(a.URL))
	return err == nil && by.Domain() != u.Host().Domain()
}

// embeddable reports whether a URL is one of a picture or a recording, by its ending.
func embeddable(raw []byte) bool {
	path, _, _ := bytes.Cut(raw, []byte("?"))
	dot := bytes.LastIndexByte(path, '.')
	return dot >= 0 && len(path)-dot <= 6 && embeds[strings.ToLower(string(path[dot:]))]
}

var embeds = map[string]bool{".png": true, ".jpg": true, ".jpeg": true, ".gif": true, ".webp": true,
	".avif": true, ".svg": true, ".bmp": true, ".mp4": true, ".webm": true, ".mp3": true}

// referrer gives the host of a page that leads to an address on another one; "" where it is the
// same, or none.
func (g *Gathering) referrer(page []byte, to string) string {
	_, rest, is := strings.Cut(string(page), "://")
	if !is {
		return ""
	}
	end := strings.IndexAny(rest, `/?#\`)
	if end < 0 {
		end = len(rest)
	}
	authority := rest[strings.LastIndexByte(rest[:end], '@')+1 : end]
	host, known := g.hosts[authority]
	if !known {
		// Whoever asks writes what they like there: only what is a host goes on.
		if u, err := web.ParseURL("http://" + authority + "/"); err == nil && len(authority) <= 253 {
			host = u.Host().String()
		}
		if len(g.hosts) < mostAgents {
			g.hosts[strings.Clone(authority)] = host
		}
	}
	if host == "" || strings.Contains(to, "://"+host+"/") {
		return ""
	}
	return host
}

// Entries gives the old URLs, the heaviest first.
func (g *Gathering) Entries() []*Entry {
	all := make([]*Entry, len(g.entries))
	for i := range g.entries {
		all[i] = &g.entries[i]
	}
	slices.SortFunc(all, func(a, b *Entry) int {
		return cmp.Or(cmp.Compare(b.Weight, a.Weight), cmp.Compare(a.URL, b.URL),
			cmp.Compare(a.Method, b.Method))
	})
	return all
}

// Count gives how many old URLs there are, and their weight.
func (g *Gathering) Count() (urls int, weight int64) {
	for i := range g.entries {
		weight = Plus(weight, g.entries[i].Weight)
	}
	return len(g.entries), weight
}

// SourcesOf names the sources of an entry.
func (g *Gathering) SourcesOf(e *Entry) []string {
	var all []string
	for i, s := range g.sources {
		if i < 64 && e.sources&(1<<i) != 0 && !slices.Contains(all, s.Name) {
			all = append(all, s.Name)
		}
	}
	return all
}

// Statuses gives what was answered most, the commonest first: status and how often.
func (e *Entry) Statuses() [][2]int64 {
	var all [][2]int64
	for _, c := range e.statuses {
		if c.status > 0 {
			all = append(all, [2]int64{int64(c.status), c.count})
		}
	}
	slices.SortFunc(all, func(a, b [2]int64) int { return cmp.Compare(b[1], a[1]) })
	return all
}

// Referrer gives a host that leads there; "" where none is known.
func (e *Entry) Referrer() string { return e.referrer }

// Before is what a file with old URLs held that was gathered before.
type Before struct {
	URLs     int      // that stay
	Sources  []string // of which they come
	Replaced []string // sources that are gathered again: what came of them alone is read anew
	Dropped  int      // URLs that came of those alone
	// of a source that is gathered again: one of the URLs that came of others too, so that nobody
	// knows what it weighs without it
	Mixed string
}
