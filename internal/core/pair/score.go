package pair

import (
	"cmp"
	"context"
	"math"
	"slices"
)

// measure is something that speaks for or against a pair.
type measure int

const (
	asMuch      measure = iota // share of the words that both have, of all words of both
	within                     // share of the words that both have, of those of the shorter one
	weight                     // how much the words that both have weigh
	ofOld                      // share of the old page's words
	sameName                   // the last segment is the same
	sameTitle                  // the title is
	sameID                     // an id is, and no other page has it
	inSection                  // how many pages of the old section went to the new one
	noSection                  // nothing is known of the old section
	agreed                     // conditions that both have
	oldAlone                   // conditions that only the old page has
	newAlone                   // conditions that only the new page has
	spelling                   // share of the words that are the same by spelling only
	sameOrder                  // the words stand in the same order
	sameFolders                // share of the folders' words that both have
	pagedToo                   // a list for a page of a list
	headOfBelow                // share of the pages below the old one that went below the new one
	measures
)

type features [measures]float32

// scored is a new page compared with an old one.
type scored struct {
	page       int32
	by         features
	sum        float32
	confidence float64
	led        bool
}

// asked is a word of an old page that is looked for.
type asked struct {
	word  int32
	rare  float32
	main  bool
	many  int // pages of the new site that have it
	other []other
}

// mostScanned bounds how many places of the index are read for a page, and mostCompared how many
// new pages are compared with it.
const (
	mostScanned  = 1500
	mostCompared = 24
	mostKept     = 6
)

// rough is a new page and how much of an old one it has, roughly.
type rough struct {
	page int32
	sum  float32
}

// ask gathers what is looked for of an old page.
func (f *finder) ask(w *worker, e *entry) {
	w.asked = w.asked[:0]
	e.each(func(word int32, main bool) {
		a := asked{word: word, rare: f.rarity[word], main: main, many: int(f.new.count[word]),
			other: f.alike[word]}
		if to, known := f.replaced[word]; known {
			a.other = append([]other{{[]int32{to.word}, 0.95, replacedBy}}, a.other...)
		}
		for _, o := range a.other {
			a.many += int(f.new.count[o.words[0]])
		}
		w.asked = append(w.asked, a)
	})
	var b [80]byte
	for _, words := range [][]int32{e.slug, e.title} {
		for i := 1; i < len(words); i++ {
			x, y := f.words[words[i-1]], f.words[words[i]]
			if len(x)+len(y) > len(b) {
				continue
			}
			n := copy(b[:], x)
			n += copy(b[n:], y)
			if v, known := f.numbers[string(b[:n])]; known && f.new.count[v] > 0 {
				for k := range w.asked {
					if o := &w.asked[k]; o.word == words[i-1] || o.word == words[i] {
						o.other = append(slices.Clip(o.other), other{[]int32{v}, worthParted, oneWord})
						o.many += int(f.new.count[v])
					}
				}
			}
		}
	}
}

// round compares each old page with those of the new site that may be its counterpart. What a round
// before found is looked for again only where nothing in it was certain.
func (f *finder) round(ctx context.Context, before [][]scored, step func()) [][]scored {
	all := make([][]scored, len(f.olds))
	f.each(ctx, func(w *worker, at int) {
		switch e := &f.old.pages[at]; {
		case e.root:
		case before != nil && isCertain(before[at]):
			f.ask(w, e)
			found := slices.DeleteFunc(before[at], func(s scored) bool {
				return !s.led && f.apart(e, &f.new.pages[s.page])
			})
			for i := range found {
				f.compare(w, e, &found[i])
			}
			slices.SortStableFunc(found, func(a, b scored) int { return cmp.Compare(b.sum, a.sum) })
			all[at] = found
		default:
			all[at] = f.candidates(w, at)
		}
		if step != nil {
			step()
		}
	})
	return all
}

// candidates finds new pages for an old one, the best first.
func (f *finder) candidates(w *worker, at int) []scored {
	e := &f.old.pages[at]
	f.ask(w, e)
	order := make([]int, len(w.asked))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(w.asked[a].many, w.asked[b].many) })
	add := func(page int32, worth float32) {
		if page < 0 || f.new.pages[page].root {
			return
		}
		if w.sums[page] == 0 {
			w.touched = append(w.touched, page)
		}
		w.sums[page] += worth
	}
	scanned := 0
	scan := func(word int32, worth float32) {
		all := f.postings[f.from[word]:f.from[word+1]]
		if len(all) > mostScanned/2 {
			all = all[:mostScanned/2]
		}
		scanned += len(all)
		for _, p := range all {
			add(p, worth)
		}
	}
	for _, i := range order {
		a := w.asked[i]
		if scanned > mostScanned && scanned+a.many > 2*mostScanned {
			break
		}
		worth := a.rare
		if !a.main {
			worth *= 0.4
		}
		if f.new.count[a.word] > 0 {
			scan(a.word, worth)
		}
		for _, o := range a.other {
			scan(o.words[0], worth*o.worth)
		}
	}
	few := func(pages []int32, worth float32) {
		for _, p := range pages[:min(len(pages), 200)] {
			add(p, worth)
		}
	}
	few(f.names.of(e.named), 8)
	few(f.titles.of(e.titled), 8)
	few(f.names.of(e.titled), 6)
	few(f.titles.of(e.named), 6)
	e.neighbours(func(key uint64) { few(f.pairs.of(key), 3) })
	for _, id := range e.ids {
		if pages := f.byID.of(id); len(pages) < 20 {
			few(pages, 10*f.idTrust+1)
		}
	}
	found := w.best[:0]
	for _, p := range w.touched {
		sum := w.sums[p] / (8 + 0.5*f.new.pages[p].mass)
		w.sums[p] = 0
		if len(found) == cap(found) {
			last := found[len(found)-1]
			if sum < last.sum || sum == last.sum && p > last.page {
				continue
			}
			found = found[:len(found)-1]
		}
		i := len(found)
		found = append(found, rough{p, sum})
		for ; i > 0 && (found[i-1].sum < sum || found[i-1].sum == sum && found[i-1].page > p); i-- {
			found[i] = found[i-1]
		}
		found[i] = rough{p, sum}
	}
	w.touched = w.touched[:0]
	all := w.all[:0]
	if to, known := f.ledTo(at); known {
		all = append(all, scored{page: to, led: true})
	}
	if head, _ := f.headFor(e); head >= 0 && !f.apart(e, &f.new.pages[head]) &&
		!slices.ContainsFunc(all, func(s scored) bool { return s.page == head }) {
		all = append(all, scored{page: head})
	}
	first := len(all)
	for _, s := range found {
		if len(all) >= mostCompared {
			break
		}
		if slices.ContainsFunc(all[:first], func(a scored) bool { return a.page == s.page }) ||
			f.apart(e, &f.new.pages[s.page]) {
			continue
		}
		all = append(all, scored{page: s.page})
	}
	w.all = all
	for i := range all {
		f.compare(w, e, &all[i])
	}
	slices.SortStableFunc(all, func(a, b scored) int { return cmp.Compare(b.sum, a.sum) })
	return slices.Clone(all[:min(len(all), mostKept)])
}

// apart reports whether a condition or a language keeps two pages from being counterparts.
func (f *finder) apart(a, b *entry) bool {
	x, y := cmp.Or(a.language, f.byDefault[0]), cmp.Or(b.language, f.byDefault[1])
	if x != 0 && y != 0 && x != y {
		return true
	}
	if x != 0 && y == 0 && f.marked[x] {
		return true // the new site marks that language, and this page has none
	}
	_, _, _, apart := f.conditions(a, b)
	return apart
}

// conditions counts the kinds of conditions of which both pages have a common value, and those that
// only one of them has; apart says that both have one and none in common.
func (f *finder) conditions(a, b *entry) (both, old, new int, apart bool) {
	x, y := a.conditions, b.conditions
	for len(x) > 0 || len(y) > 0 {
		k := kinds
		if len(x) > 0 {
			k = min(k, x[0].kind)
		}
		if len(y) > 0 {
			k = min(k, y[0].kind)
		}
		i, j := 0, 0
		for i < len(x) && x[i].kind == k {
			i++
		}
		for j < len(y) && y[j].kind == k {
			j++
		}
		own, others := x[:i], y[:j]
		x, y = x[i:], y[j:]
		common := slices.ContainsFunc(own, func(c condition) bool { return slices.Contains(others, c) })
		switch {
		case common:
			both++
			if k != id && (len(own) != len(others)) {
				new++
			}
		case i > 0 && j > 0:
			if k != id || f.idTrust > 0.3 {
				return 0, 0, 0, true
			}
		case k == id: // what the other site does not number says nothing
		case i > 0 && k != month && k != day:
			old++
		case j > 0 && k != month && k != day:
			new++
		}
	}
	return both, old, new, false
}

// overlap compares the words of an old page with those of a new one: what both have by the weight
// of either, and how much of that is so by spelling only.
func (f *finder) overlap(w *worker, olds, news []int32) (old, new, common, commonNew, fuzzy float32,
	inOrder bool) {
	var taken [64]bool
	last, inOrder := -1, true
	for i, o := range olds {
		if slices.Contains(olds[:i], o) {
			continue
		}
		rare := f.rarity[o]
		old += rare
		best, places, how := float32(0), [2]int{-1, -1}, sameWord
		if at := slices.Index(news, o); at >= 0 {
			best, places[0] = 1, at
		} else {
			for _, a := range w.asked {
				if a.word != o {
					continue
				}
				for _, alike := range a.other {
					if alike.worth <= best {
						continue
					}
					at := slices.Index(news, alike.words[0])
					second := -1
					if len(alike.words) > 1 {
						second = slices.Index(news, alike.words[1])
					}
					if at < 0 || len(alike.words) > 1 && second < 0 {
						continue
					}
					best, places, how = alike.worth, [2]int{at, second}, alike.how
				}
				break
			}
		}
		if best == 0 {
			continue
		}
		common += best * rare
		if how == typo || how == cut {
			fuzzy += rare
		}
		for _, at := range places {
			if at >= 0 && at < len(taken) && !taken[at] {
				taken[at] = true
				commonNew += best * f.rarity[news[at]]
			}
		}
		if places[0] < last {
			inOrder = false
		}
		last = places[0]
	}
	for i, n := range news {
		if !slices.Contains(news[:i], n) {
			new += f.rarity[n]
		}
	}
	return old, new, common, min(commonNew, new), fuzzy, inOrder
}

// compare measures a pair.
func (f *finder) compare(w *worker, e *entry, s *scored) {
	n := &f.new.pages[s.page]
	m := &s.by
	*m = features{}
	best := float32(-1)
	news := [...][]int32{n.slug, n.title, n.heading}
	for i, olds := range [...][]int32{e.slug, e.title, e.heading} {
		for k, other := range news {
			if len(olds) == 0 || len(other) == 0 || k > 0 && slices.Equal(other, news[k-1]) {
				continue
			}
			old, new, common, commonNew, fuzzy, inOrder := f.overlap(w, olds, other)
			if common == 0 {
				continue
			}
			half := (common + commonNew) / (old + new)
			less := max(common/old, commonNew/new)
			heavy := common / (common + 6)
			if value := half + 0.5*less + heavy; value > best {
				best = value
				m[asMuch], m[within], m[weight], m[ofOld] = half, less, heavy, common/old
				m[spelling] = fuzzy / old
				m[sameOrder] = 0
				if inOrder && min(len(olds), len(other)) > 1 {
					m[sameOrder] = 1
				}
				if i > 0 && k > 0 {
					m[sameOrder] *= 0.5
				}
			}
		}
	}
	if e.named != 0 && e.named == n.named {
		m[sameName] = 1 / float32(f.new.named[n.named])
	} else if e.named != 0 && e.named == n.titled {
		m[sameName] = 0.7 / float32(f.new.titled[n.titled])
	}
	if e.titled != 0 && e.titled == n.titled {
		m[sameTitle] = 1 / float32(f.new.titled[n.titled])
	} else if e.titled != 0 && e.titled == n.named {
		m[sameTitle] = 0.7 / float32(f.new.named[n.named])
	}
	for _, id := range e.ids {
		if slices.Contains(n.ids, id) {
			m[sameID] = max(m[sameID], f.idTrust/float32(max(1, f.new.idCount[id]))/
				float32(max(1, f.old.idCount[id])))
		}
	}
	if total := f.total[e.section]; total >= 3 {
		m[inSection] = float32(f.became[e.section][n.section]) / float32(total)
	} else {
		m[noSection] = 1
	}
	both, old, new, _ := f.conditions(e, n)
	m[agreed], m[oldAlone], m[newAlone] = float32(min(both, 2)), float32(old), float32(new)
	if len(e.dirs) > 0 && len(n.dirs) > 0 {
		old, new, common, commonNew, _, _ := f.overlap(w, e.dirs, n.dirs)
		m[sameFolders] = (common + commonNew) / (old + new)
	}
	if e.paged && !n.paged && m[asMuch] > 0.9 {
		m[pagedToo] = 1
	}
	if head, share := f.headFor(e); head == s.page {
		m[headOfBelow] = share
	}
	s.sum = firstWeights.of(m)
	if s.led {
		s.sum += 4
	}
}

func (x *features) of(m *features) float32 {
	sum := float32(0)
	for i := range m {
		sum += x[i] * m[i]
	}
	return sum
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }
