package old

import (
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Place is a URL that a crawl has to ask for, and how many links lead there from where it began.
type Place struct {
	URL   web.URL
	Depth int
}

// Frontier is what a crawl knows of and has not asked for yet: each URL once, on the hosts that are meant, within
// bounds, so that every crawl ends.
type Frontier struct {
	Hosts     func(web.Host) bool
	Depth     int // how many links away from the beginning
	Pages     int // how many URLs are asked for at most
	PerFolder int // how many URLs are asked for at most that differ in numbers, or in their query, alone

	Barred    int // that robots.txt keeps out
	TooDeep   int // that are further away than Depth
	TooMany   int // beyond Pages or PerFolder
	Strangers int // on other hosts

	leave  LeaveOut
	queue  []Place
	seen   map[string]bool
	shapes map[string]int
	taken  int
}

// NewFrontier begins one.
func NewFrontier(leave LeaveOut) *Frontier {
	return &Frontier{leave: leave, seen: map[string]bool{}, shapes: map[string]int{}}
}

// mostCrawled is how long a URL may be, in octets, and how often one folder may stand in its path.
const (
	mostCrawled  = 2000
	mostRepeated = 3
)

// Add takes in a URL to which a link leads, so many links away.
func (f *Frontier) Add(u web.URL, depth int) {
	if f.leave.part(u.Path()) {
		return
	}
	if query, any := without(u.Query(), f.leave.Parameters); any {
		u = u.Door().URL(u.Path(), query)
	}
	key := u.Key()
	if f.seen[key] {
		return
	}
	if f.Hosts != nil && !f.Hosts(u.Host()) {
		f.Strangers++
		return
	}
	f.seen[key] = true
	shape := shapeOf(u)
	switch {
	case depth > f.Depth:
		f.TooDeep++
	case f.taken >= f.Pages, f.shapes[shape] >= f.PerFolder, len(key) > mostCrawled, repeats(u.Path()):
		f.TooMany++
	default:
		f.taken++
		f.shapes[shape]++
		f.queue = append(f.queue, Place{u, depth})
	}
}

// Next gives the next URL to ask for, those that are nearest first; false where there is none now.
func (f *Frontier) Next() (Place, bool) {
	if len(f.queue) == 0 {
		return Place{}, false
	}
	p := f.queue[0]
	f.queue = f.queue[1:]
	return p, true
}

// Waiting is how many URLs are known and not asked for.
func (f *Frontier) Waiting() int { return len(f.queue) }

// shapeOf gives a URL without its numbers and the values of its query: calendars and sorted lists without end have few
// shapes.
func shapeOf(u web.URL) string {
	var b strings.Builder
	b.WriteString(u.Door().String())
	digit := false
	for _, c := range []byte(u.Path()) {
		if c >= '0' && c <= '9' {
			if !digit {
				b.WriteByte('#')
			}
			digit = true
			continue
		}
		digit = false
		b.WriteByte(c)
	}
	for part := range strings.SplitSeq(u.Query(), "&") {
		key, _, _ := strings.Cut(part, "=")
		b.WriteString("&" + key)
	}
	return b.String()
}

// repeats tells whether one folder stands in a path again and again, as relative links without a base make it.
func repeats(path string) bool {
	times := map[string]int{}
	for folder := range strings.SplitSeq(path, "/") {
		if times[folder]++; folder != "" && times[folder] > mostRepeated {
			return true
		}
	}
	return false
}
