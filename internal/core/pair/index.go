package pair

import (
	"cmp"
	"context"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"
	"sync"
	"sync/atomic"

	"upperpath.example/upperpath/internal/core/crew"
)

// entry is a page whose words are numbers.
type entry struct {
	slug, dirs, title, heading []int32
	conditions                 []condition
	ids                        []uint64
	language                   uint8 // 0: none
	section                    int32
	below                      int32 // the section of pages below this one; -1: none
	paged, root                bool
	named                      uint64 // its slug as one text; 0: none
	titled                     uint64 // the same of its title
	mass                       float32
}

// side is all pages of the old or the new site.
type side struct {
	pages    []entry
	sections []string
	count    []int32 // of pages with each word
	idCount  map[uint64]int32
	named    map[uint64]int32 // how many pages have a name
	titled   map[uint64]int32
}

// finder knows both sites.
type finder struct {
	olds, news []Page
	old, new   side
	words      []string // by number
	numbers    map[string]int32
	languages  []string // by number, from 1
	rarity     []float32

	from     []uint32 // of each word, where its pages stand in postings
	postings []int32
	pairs    table // new pages by two neighbouring words
	names    table // by slug
	titles   table
	byID     table
	alike    map[int32][]other // what a word of old pages may be on the new site
	joined   map[[2]int32]int32
	idTrust  float32

	// what was learned
	became    map[int32]map[int32]int32 // old section, new section: in how many pairs
	total     map[int32]int32
	replaced  map[int32]replacement
	byDefault [2]uint8 // the language of pages of old and new site that name none
	marked    map[uint8]bool
	decided   map[int]Decision
	heads     map[string]int32 // new pages by host and path
	headOf    map[int32]int32  // of a section of the new site the page at its head
	bestOf    []float32        // of each new page, the best sum of an old one
	secondOf  []float32
	ownerOf   []int32
}

// replacement is a word that the new site has instead of another one.
type replacement struct {
	word  int32
	pairs int32
}

// other is a word, or two, that may stand for another one.
type other struct {
	words []int32
	worth float32
	how   alikeness
}

// table finds pages by a number: pairs in order.
type table struct {
	keys  []uint64
	pages []int32
}

func (t *table) of(key uint64) []int32 {
	if key == 0 {
		return nil
	}
	from := sort.Search(len(t.keys), func(i int) bool { return t.keys[i] >= key })
	to := from
	for to < len(t.keys) && t.keys[to] == key {
		to++
	}
	return t.pages[from:to]
}

type keyed struct {
	key  uint64
	page int32
}

func newTable(all []keyed) table {
	slices.SortFunc(all, func(a, b keyed) int {
		return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.page, b.page))
	})
	t := table{make([]uint64, 0, len(all)), make([]int32, 0, len(all))}
	for i, k := range all {
		if i > 0 && all[i-1] == k {
			continue
		}
		t.keys, t.pages = append(t.keys, k.key), append(t.pages, k.page)
	}
	return t
}

// newFinder reads both sites and makes the index of the new one.
func newFinder(olds, news []Page) *finder {
	f := &finder{
		olds:     olds,
		news:     news,
		numbers:  map[string]int32{},
		became:   map[int32]map[int32]int32{},
		total:    map[int32]int32{},
		replaced: map[int32]replacement{},
		marked:   map[uint8]bool{},
		decided:  map[int]Decision{},
		heads:    map[string]int32{},
		joined:   map[[2]int32]int32{},
		alike:    map[int32][]other{},
	}
	f.read(&f.old, olds)
	f.read(&f.new, news)
	f.old.count, f.new.count = f.counted(&f.old), f.counted(&f.new)
	f.rarity = make([]float32, len(f.words))
	all := float64(len(olds) + len(news) + 2)
	for w := range f.words {
		f.rarity[w] = float32(math.Log(all / (float64(f.old.count[w]+f.new.count[w]) + 0.5)))
	}
	var work crew.Crew
	work.Go(f.index)
	work.Go(f.likeWords)
	work.Wait()
	f.trustIDs()
	f.markLanguages()
	f.findHeads()
	return f
}

// read reads the pages of a site, side by side, and then gives their words numbers.
func (f *finder) read(s *side, pages []Page) {
	const together = 4096
	s.pages = make([]entry, len(pages))
	suffixes := siteNames(pages)
	sections := map[string]int32{}
	s.idCount = map[uint64]int32{}
	s.named, s.titled = map[uint64]int32{}, map[uint64]int32{}
	parts := (len(pages) + together - 1) / together
	read := make([][]reading, parts)
	next := make(chan int)
	done := make([]chan struct{}, parts)
	for i := range parts {
		done[i] = make(chan struct{})
	}
	ahead := make(chan struct{}, 4*workers) // so that not all texts are kept at once
	var all crew.Crew
	all.Go(func() {
		for i := range parts {
			ahead <- struct{}{}
			next <- i
		}
		close(next)
	})
	for range workers {
		all.Go(func() {
			for i := range next {
				own := pages[i*together : min(len(pages), (i+1)*together)]
				read[i] = make([]reading, len(own))
				func() {
					defer close(done[i]) // also where reading panics: whoever waits is told by the crew
					for k, p := range own {
						p.Title, p.Heading = suffixes.without(p.Title), suffixes.without(p.Heading)
						read[i][k] = readPage(p)
					}
				}()
			}
		})
	}
	for i := range parts {
		<-done[i]
		for k := range read[i] {
			r := &read[i][k]
			e := &s.pages[i*together+k]
			*e = entry{slug: f.number(r.slug), dirs: f.number(r.dirs), title: f.number(r.title),
				heading: f.number(r.heading), conditions: r.conditions, ids: r.ids, paged: r.paged,
				root: r.root, language: f.languageOf(r.language)}
			at, known := sections[r.section]
			if !known {
				at = int32(len(s.sections))
				sections[strings.Clone(r.section)] = at
				s.sections = append(s.sections, strings.Clone(r.section))
			}
			e.section = at
			if len(r.slug) > 0 {
				e.named = hashed(strings.Join(r.slug, ""))
				s.named[e.named]++
			}
			if len(r.title) > 0 {
				e.titled = hashed(strings.Join(r.title, ""))
				s.titled[e.titled]++
			}
			for _, id := range r.ids {
				s.idCount[id]++
			}
		}
		read[i] = nil
		<-ahead
	}
	for i := range s.pages {
		e := &s.pages[i]
		e.below = -1
		if len(e.slug) == 0 || len(e.conditions) > 0 {
			continue
		}
		var words []string
		for _, w := range e.slug {
			words = append(words, f.words[w])
		}
		if at, known := sections[s.sections[e.section]+"/"+strings.Join(words, "-")]; known {
			e.below = at
		}
	}
	all.Wait()
}

// languageOf gives the number of a language by its code, from 1; 0 where none is named.
func (f *finder) languageOf(code string) uint8 {
	if code == "" {
		return 0
	}
	at := slices.Index(f.languages, code)
	if at < 0 {
		if at = len(f.languages); at >= 250 { // nobody writes in so many: it counts as none
			return 0
		}
		f.languages = append(f.languages, code)
	}
	return uint8(at) + 1
}

func (f *finder) number(words []string) []int32 {
	if len(words) == 0 {
		return nil
	}
	all := make([]int32, 0, len(words))
	for _, w := range words {
		n, known := f.numbers[w]
		if !known {
			n = int32(len(f.words))
			w = strings.Clone(w)
			f.numbers[w] = n
			f.words = append(f.words, w)
		}
		all = append(all, n)
	}
	return all
}

// each calls a function for the words of a page, each once, and says whether it stands in a place
// that says what the page is about.
func (e *entry) each(visit func(w int32, main bool)) {
	var seen [64]int32
	known := seen[:0]
	for i, words := range [][]int32{e.slug, e.title, e.heading, e.dirs} {
		for _, w := range words {
			if !slices.Contains(known, w) && len(known) < cap(known) {
				known = append(known, w)
				visit(w, i < 3)
			}
		}
	}
}

func (f *finder) counted(s *side) []int32 {
	count := make([]int32, len(f.words))
	for i := range s.pages {
		s.pages[i].each(func(w int32, _ bool) { count[w]++ })
	}
	return count
}

// index makes the index of the new site.
func (f *finder) index() {
	f.from = make([]uint32, len(f.words)+1)
	for w, n := range f.new.count {
		f.from[w+1] = f.from[w] + uint32(n)
	}
	f.postings = make([]int32, f.from[len(f.words)])
	at := slices.Clone(f.from)
	var pairs, names, titles, ids []keyed
	for i := range f.new.pages {
		e := &f.new.pages[i]
		if e.root {
			e.mass = 0
			continue
		}
		e.each(func(w int32, main bool) {
			f.postings[at[w]] = int32(i)
			at[w]++
			if main {
				e.mass += f.rarity[w]
			}
		})
		e.neighbours(func(key uint64) { pairs = append(pairs, keyed{key, int32(i)}) })
		if e.named != 0 {
			names = append(names, keyed{e.named, int32(i)})
		}
		if e.titled != 0 {
			titles = append(titles, keyed{e.titled, int32(i)})
		}
		for _, id := range e.ids {
			ids = append(ids, keyed{id, int32(i)})
		}
		host, path := placeOf(f.news[i].URL)
		if _, known := f.heads[host+path]; !known {
			f.heads[host+path] = int32(i)
		}
	}
	for w := range f.words { // front pages left gaps
		if at[w] < f.from[w+1] {
			slices.SortFunc(f.postings[f.from[w]:at[w]], cmp.Compare)
			for i := at[w]; i < f.from[w+1]; i++ {
				f.postings[i] = -1
			}
		}
	}
	var all crew.Crew
	all.Go(func() { f.pairs = newTable(pairs) })
	all.Go(func() { f.names, f.titles, f.byID = newTable(names), newTable(titles), newTable(ids) })
	all.Wait()
}

// placeOf gives host and path of a URL, without a slash at its end.
func placeOf(url string) (host, path string) {
	if _, after, found := strings.Cut(url, "://"); found {
		url = after
	}
	url, _, _ = strings.Cut(url, "?")
	host, path, _ = strings.Cut(url, "/")
	return host, "/" + strings.Trim(path, "/")
}

// neighbours calls a function for each two words that stand side by side in slug or title.
func (e *entry) neighbours(visit func(key uint64)) {
	for _, words := range [][]int32{e.slug, e.title} {
		for i := 1; i < len(words); i++ {
			visit(pairKey(words[i-1], words[i]))
		}
	}
}

func pairKey(a, b int32) uint64 {
	if a > b {
		a, b = b, a
	}
	return uint64(a)<<32 | uint64(b) + 1
}

// trustIDs finds out whether the new site kept the ids of the old one: whether more of its ids are
// old ones than would be by chance, given how densely the old ones stand.
func (f *finder) trustIDs() {
	olds := slices.Sorted(maps.Keys(f.old.idCount))
	if len(olds) < 3 || len(f.new.idCount) == 0 {
		return
	}
	low, high := olds[len(olds)/50], olds[len(olds)-1-len(olds)/50]
	dense := min(1, float64(len(olds))/float64(high-low+1))
	both := 0
	for id := range f.new.idCount {
		if f.old.idCount[id] > 0 {
			both++
		}
	}
	share := float64(both) / float64(len(f.new.idCount))
	f.idTrust = float32(max(0, min(1, (share-dense)/max(0.05, 1-dense))))
	if share > 0.5 && dense < 0.5 {
		f.idTrust = max(f.idTrust, 0.8)
	}
}

// workers is how many goroutines work side by side.
const workers = 4

// worker is what one goroutine uses for page after page.
type worker struct {
	sums    []float32
	touched []int32
	best    []rough
	all     []scored
	asked   []asked
}

// each has workers go through all old pages.
func (f *finder) each(ctx context.Context, visit func(w *worker, at int)) {
	const together = 256
	var next atomic.Int64
	var all crew.Crew
	for range workers {
		all.Go(func() {
			w := pool.Get().(*worker)
			defer pool.Put(w)
			if len(w.sums) < len(f.news) {
				w.sums = make([]float32, len(f.news))
			}
			for ctx.Err() == nil {
				from := int(next.Add(together)) - together
				if from >= len(f.olds) {
					return
				}
				for at := from; at < min(from+together, len(f.olds)); at++ {
					visit(w, at)
				}
			}
		})
	}
	all.Wait()
}

var pool = sync.Pool{New: func() any { return &worker{best: make([]rough, 0, 2*mostCompared)} }}
