package old

import (
	"hash/maphash"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Place is a URL that a crawl has to ask for, and how many links lead there from where it began.
type Place struct {
	URL   web.URL
	Depth int
}

// Frontier is what a crawl knows of and has not asked for yet: each URL once, on the hosts that are
// meant, within bounds, so that every crawl ends.
type Frontier struct {
	Doors func(web.Door) bool
	Depth int // how many links away from the beginning
	Pages int // how many URLs are asked for at most
	// how many URLs are asked for at most that differ in numbers, or in their query, alone
	PerFolder int

	Barred    int // that robots.txt keeps out
	TooDeep   int // links to what is further away than Depth
	TooMany   int // links to what is beyond Pages or PerFolder
	Strangers int // on other doors

	leave   LeaveOut
	queue   []Place
	seed    maphash.Seed
	seen    map[uint64]bool // by their hash: only those that are asked for
	shapes  map[uint64]int
	taken   int
	waiting int // octets of those that are known and not asked for
}

// NewFrontier begins one.
func NewFrontier(leave LeaveOut) *Frontier {
	return &Frontier{leave: leave, seed: maphash.MakeSeed(), seen: map[uint64]bool{},
		shapes: map[uint64]int{}}
}

// MostCrawled is how long a URL may be for which a crawl asks, in octets.
const MostCrawled = 2000

const (
	mostRepeated = 3        // times that one folder stands in its path
	mostWaiting  = 32 << 20 // octets of all that wait to be asked for
)

// Add takes in a URL to which a link leads, so many links away.
func (f *Frontier) Add(u web.URL, depth int) {
	if f.leave.part(u.Path()) {
		return
	}
	if query, some := without(u.Query(), f.leave.Parameters); some {
		u = u.Door().URL(u.Path(), query)
	}
	key := u.Key()
	seen := maphash.String(f.seed, key)
	if f.seen[seen] {
		return
	}
	if f.Doors != nil && !f.Doors(u.Door()) {
		f.Strangers++
		return
	}
	shape := maphash.String(f.seed, shapeOf(u))
	switch {
	case depth > f.Depth:
		f.TooDeep++
	case f.taken >= f.Pages, f.shapes[shape] >= f.PerFolder, len(key) > MostCrawled, repeats(u.Path()),
		f.waiting+len(key) > mostWaiting:
		f.TooMany++
	default:
		f.taken++
		f.seen[seen] = true
		f.shapes[shape]++
		f.waiting += len(key)
		f.queue = append(f.queue, Place{u, depth})
	}
}

// Next gives the next URL to ask for, those that are nearest first; false where there is none now.
func (f *Frontier) Next() (Place, bool) {
	if len(f.queue) == 0 {
		return Place{}, false
	}
	p := f.queue[0]
	f.queue[0] = Place{}
	f.queue = f.queue[1:]
	f.waiting -= len(p.URL.Key())
	return p, true
}

// Waiting is how many URLs are known and not asked for.
func (f *Frontier) Waiting() int { return len(f.queue) }

// shapeOf gives a URL without its numbers and the values of its query: calendars and sorted lists
// without end have few shapes.
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

// repeats reports whether one folder stands in a path again and again, as relative links without a
// base make it.
func repeats(path string) bool {
	times := map[string]int{}
	for folder := range strings.SplitSeq(path, "/") {
		if times[folder]++; folder != "" && times[folder] > mostRepeated {
			return true
		}
	}
	return false
}
