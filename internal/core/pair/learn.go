package pair

import (
	"strings"
)

// The least that a first sum, and its distance to the next, have to be for learning from a pair.
const (
	learnFrom   = 18
	learnMargin = 2
)

// isCertain reports whether the first of what was found is far ahead of the others.
func isCertain(all []scored) bool {
	return len(all) > 0 && all[0].sum >= learnFrom &&
		(len(all) == 1 || all[0].sum-all[1].sum >= learnMargin)
}

// lesson is what is counted of certain pairs.
type lesson struct {
	*finder
	words         map[[2]int32]int32 // an old word and a new one that has its place
	of            map[int32]int32    // how often an old word was not on the new page
	votes         [2]map[uint8]int   // languages of pages of either site that name none
	agree, differ int                // ids
}

// learn takes from certain pairs, and from decisions, what the second round knows more.
func (f *finder) learn(first [][]scored, decided []Decision) {
	l := lesson{finder: f, words: map[[2]int32]int32{}, of: map[int32]int32{},
		votes: [2]map[uint8]int{{}, {}}}
	places := map[string]int32{}
	if len(decided) > 0 {
		for i, p := range f.news {
			places[p.URL] = int32(i)
		}
	}
	for _, d := range decided {
		f.decided[d.Old] = d
	}
	for at, all := range first {
		if d, known := f.decided[at]; known {
			if page, there := places[d.New]; there {
				l.take(at, page)
			}
		} else if isCertain(all) {
			l.take(at, all[0].page)
		}
	}
	for i := range l.votes {
		l.elect(i)
	}
	if l.agree+l.differ >= 5 {
		f.idTrust = float32(l.agree) / float32(l.agree+l.differ)
	}
	for key, n := range l.words {
		if n < 3 || n*10 < l.of[key[0]]*6 {
			continue
		}
		if r, known := f.replaced[key[0]]; !known || n > r.pairs || n == r.pairs && key[1] < r.word {
			f.replaced[key[0]] = replacement{key[1], n}
		}
	}
}

// take learns from a pair.
func (l *lesson) take(at int, page int32) {
	o, n := &l.old.pages[at], &l.new.pages[page]
	if l.became[o.section] == nil {
		l.became[o.section] = map[int32]int32{}
	}
	l.became[o.section][n.section]++
	l.total[o.section]++
	switch {
	case o.language != 0 && n.language == 0:
		l.votes[1][o.language]++
	case o.language == 0 && n.language != 0:
		l.votes[0][n.language]++
	}
	if len(o.ids) > 0 && len(n.ids) > 0 {
		if o.ids[0] == n.ids[0] {
			l.agree++
		} else {
			l.differ++
		}
	}
	l.unlike(o, n, l.words, l.of)
}

// elect finds the language of pages that name none, if nearly all votes are for one.
func (l *lesson) elect(i int) {
	most, sum, best := 0, 0, uint8(0)
	for language, n := range l.votes[i] {
		if sum += n; n > most || n == most && language < best {
			most, best = n, language
		}
	}
	if most >= 5 && most*10 >= 8*sum {
		l.byDefault[i] = best
	}
}

// unlike counts the words of which each page of a pair has one that the other has not, in places
// that answer each other: the last segment for the last, folders for folders.
func (f *finder) unlike(o, n *entry, words map[[2]int32]int32, of map[int32]int32) {
	for _, both := range [][2][]int32{{o.slug, n.slug}, {o.dirs, n.dirs}, {o.title, n.title}} {
		if len(both[0]) == 0 || len(both[1]) == 0 {
			continue
		}
		olds, news := without(both[0], n), without(both[1], o)
		for _, x := range olds {
			of[x]++
		}
		if len(olds) > 2 || len(news) > 2 {
			continue
		}
		for _, x := range olds {
			for _, y := range news {
				words[[2]int32{x, y}]++
			}
		}
	}
}

// without gives the words that a page has not.
func without(words []int32, e *entry) []int32 {
	var left []int32
	for _, w := range words {
		has := false
		e.each(func(o int32, _ bool) { has = has || o == w })
		if !has {
			left = append(left, w)
		}
	}
	return left
}

// markLanguages notes which languages the pages of the new site name.
func (f *finder) markLanguages() {
	count := map[uint8]int{}
	for i := range f.new.pages {
		if l := f.new.pages[i].language; l != 0 {
			count[l]++
		}
	}
	for l, n := range count {
		f.marked[l] = n >= 2 || n*200 > len(f.news)
	}
}

// rivals notes for each new page which old ones are most alike to it.
func (f *finder) rivals(all [][]scored) {
	f.bestOf, f.secondOf = make([]float32, len(f.news)), make([]float32, len(f.news))
	f.ownerOf = make([]int32, len(f.news))
	for at, candidates := range all {
		for _, s := range candidates {
			switch p := s.page; {
			case s.sum > f.bestOf[p]:
				f.bestOf[p], f.secondOf[p], f.ownerOf[p] = s.sum, f.bestOf[p], int32(at)
			case s.sum > f.secondOf[p]:
				f.secondOf[p] = s.sum
			}
		}
	}
}

// ledTo gives the new page to which a redirect of an old one was seen to lead.
func (f *finder) ledTo(at int) (int32, bool) {
	if f.olds[at].Leads == "" {
		return 0, false
	}
	host, path := placeOf(f.olds[at].Leads)
	page, known := f.heads[host+path]
	return page, known && path != "/"
}

// headFor gives for a page that other old pages stand below the new page below which most of these
// went, and their share; -1 where there is none.
func (f *finder) headFor(e *entry) (head int32, share float32) {
	if e.below < 0 || f.total[e.below] < 2 {
		return -1, 0
	}
	section, most := int32(-1), int32(0)
	for to, n := range f.became[e.below] {
		if n > most || n == most && to < section {
			section, most = to, n
		}
	}
	head, known := f.headOf[section]
	if !known || most*2 < f.total[e.below] {
		return -1, 0
	}
	return head, float32(most) / float32(f.total[e.below])
}

// sectionOf gives the page at the head of the section that took the place of that of an old page,
// or of the nearest above it; -1 where there is none.
func (f *finder) sectionOf(at int) int {
	section, most := int32(-1), int32(0)
	own := f.old.pages[at].section
	for to, n := range f.became[own] {
		if n > most || n == most && to < section {
			section, most = to, n
		}
	}
	if section < 0 || f.total[own] < 3 || most*2 < f.total[own] {
		return -1
	}
	if page, known := f.headOf[section]; known {
		return int(page)
	}
	return -1
}

// findHeads finds the pages at the heads of sections: the ones whose address is the folder.
func (f *finder) findHeads() {
	f.headOf = map[int32]int32{}
	for i := range f.new.pages {
		section := f.new.pages[i].section
		if _, known := f.headOf[section]; known {
			continue
		}
		host, path := placeOf(f.news[i].URL)
		for path != "/" && path != "" {
			path = path[:strings.LastIndexByte(path, '/')]
			if head, there := f.heads[host+path]; there && path != "" && !f.new.pages[head].root {
				f.headOf[section] = head
			}
		}
		if _, known := f.headOf[section]; !known {
			f.headOf[section] = -1
		}
	}
	for section, page := range f.headOf {
		if page < 0 {
			delete(f.headOf, section)
		}
	}
}
