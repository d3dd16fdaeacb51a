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
		if n := len(e.slug); n < 2 || e.slug[n-1] != word { // only the end of a longer name is cut off
			a.other = slices.DeleteFunc(slices.Clone(a.other), func(o other) bool {
				return o.how == cut && len(f.words[o.words[0]]) > len(f.words[word])
			})
		}
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
	most := mostScanned
	if f.lookUp(w, e) {
		most /= 4
	}
	f.scan(w, most)
	all := w.all[:0]
	add := func(page int32, led bool) {
		if !slices.ContainsFunc(all, func(s scored) bool { return s.page == page }) &&
			(led || !f.apart(e, &f.new.pages[page])) {
			all = append(all, scored{page: page, led: led})
		}
	}
	if to, known := f.ledTo(at); known {
		add(to, true)
	}
	if head, _ := f.headFor(e); head >= 0 {
		add(head, false)
	}
	for _, s := range w.nearest(f) {
		if len(all) >= mostCompared {
			break
		}
		add(s.page, false)
	}
	w.all = all
	for i := range all {
		f.compare(w, e, &all[i])
	}
	slices.SortStableFunc(all, func(a, b scored) int { return cmp.Compare(b.sum, a.sum) })
	return slices.Clone(all[:min(len(all), mostKept)])
}

// add counts something that speaks for a new page.
func (w *worker) add(f *finder, page int32, worth float32) {
	if page < 0 || f.new.pages[page].root {
		return
	}
	if w.sums[page] == 0 {
		w.touched = append(w.touched, page)
	}
	w.sums[page] += worth
}

// scan goes through new pages that have the words that are asked, the rarest first, up to so many.
func (f *finder) scan(w *worker, most int) {
	order := make([]int, len(w.asked))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(
		order,
		func(a, b int) int { return cmp.Compare(w.asked[a].many, w.asked[b].many) },
	)
	scanned := 0
	scan := func(word int32, worth float32) {
		all := f.postings[f.from[word]:f.from[word+1]]
		all = all[:min(len(all), most/2)]
		scanned += len(all)
		for _, p := range all {
			w.add(f, p, worth)
		}
	}
	for _, i := range order {
		a := w.asked[i]
		if scanned > most && scanned+a.many > 2*most {
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
}

// lookUp finds the new pages that have the name, the title, an id or two neighbouring words, and
// says whether a few have name or title.
func (f *finder) lookUp(w *worker, e *entry) bool {
	few := func(pages []int32, worth float32) {
		for _, p := range pages[:min(len(pages), 200)] {
			w.add(f, p, worth)
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
	same := len(f.names.of(e.named)) + len(f.titles.of(e.titled))
	return same > 0 && same < 5
}

// nearest gives the new pages for which the most speaks, given how many words they have, and
// forgets all that was counted.
func (w *worker) nearest(f *finder) []rough {
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
	return found
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
	return f.conditions(a, b).apart
}

// held says of two pages how many kinds of conditions both have with a common value, how many only
// one of them has, and whether one keeps them apart.
type held struct {
	both, oldOnly, newOnly int
	apart                  bool
}

// conditions compares the conditions of an old page with those of a new one.
func (f *finder) conditions(a, b *entry) held {
	var h held
	x, y := a.conditions, b.conditions
	for (len(x) > 0 || len(y) > 0) && !h.apart {
		k := kinds
		if len(x) > 0 {
			k = x[0].kind
		}
		if len(y) > 0 {
			k = min(k, y[0].kind)
		}
		var own, others []condition
		own, x = ofKind(x, k)
		others, y = ofKind(y, k)
		h.add(k, own, others, f.idTrust > 0.3)
	}
	return h
}

// ofKind parts conditions into those of a kind, which come first, and the others.
func ofKind(all []condition, k kind) (own, rest []condition) {
	i := 0
	for i < len(all) && all[i].kind == k {
		i++
	}
	return all[:i], all[i:]
}

func (h *held) add(k kind, own, others []condition, idsCount bool) {
	common := slices.ContainsFunc(own, func(c condition) bool { return slices.Contains(others, c) })
	isDay := k == month || k == day
	switch {
	case common:
		h.both++
		if k != id && len(own) != len(others) {
			h.newOnly++
		}
	case len(own) > 0 && len(others) > 0:
		h.apart = k != id || idsCount
	case k == id || isDay: // what the other site does not name says nothing
	case len(own) > 0:
		h.oldOnly++
	default:
		h.newOnly++
	}
}

// overlap is what the words of two pages have in common, by their weight.
type overlap struct {
	old, new          float32 // all words of either page
	common, commonNew float32 // the common ones, of either page
	spelling          float32 // of the old page's, those that are common by spelling only
	inOrder           bool
}

// share is what both have of all words.
func (o overlap) share() float32 { return (o.common + o.commonNew) / (o.old + o.new) }

// overlap compares the words of an old page with those of a new one.
func (f *finder) overlap(w *worker, olds, news []int32) overlap {
	var taken [64]bool
	o := overlap{inOrder: true}
	last := -1
	for i, word := range olds {
		if slices.Contains(olds[:i], word) {
			continue
		}
		rare := f.rarity[word]
		o.old += rare
		best, places, how := w.answer(word, news)
		if best == 0 {
			continue
		}
		o.common += best * rare
		if how == typo || how == cut {
			o.spelling += rare
		}
		for _, at := range places {
			if at >= 0 && at < len(taken) && !taken[at] {
				taken[at] = true
				o.commonNew += best * f.rarity[news[at]]
			}
		}
		o.inOrder = o.inOrder && places[0] >= last
		last = places[0]
	}
	for i, word := range news {
		if !slices.Contains(news[:i], word) {
			o.new += f.rarity[word]
		}
	}
	o.commonNew = min(o.commonNew, o.new)
	return o
}

// answer finds the word of a new page that answers one of the old page that was asked: what it is
// worth, where it stands, and how it answers.
func (w *worker) answer(word int32, news []int32) (best float32, places [2]int, how alikeness) {
	places = [2]int{-1, -1}
	if at := slices.Index(news, word); at >= 0 {
		return 1, [2]int{at, -1}, sameWord
	}
	i := slices.IndexFunc(w.asked, func(a asked) bool { return a.word == word })
	if i < 0 {
		return 0, places, sameWord
	}
	for _, alike := range w.asked[i].other {
		at, second := slices.Index(news, alike.words[0]), -1
		if len(alike.words) > 1 {
			second = slices.Index(news, alike.words[1])
		}
		if alike.worth > best && at >= 0 && (len(alike.words) == 1 || second >= 0) {
			best, places, how = alike.worth, [2]int{at, second}, alike.how
		}
	}
	return best, places, how
}

// compare measures a pair.
func (f *finder) compare(w *worker, e *entry, s *scored) {
	n := &f.new.pages[s.page]
	m := &s.by
	*m = features{}
	f.compareWords(w, e, n, m)
	f.compareNames(e, n, m)
	if total := f.total[e.section]; total >= 3 {
		m[inSection] = float32(f.became[e.section][n.section]) / float32(total)
	} else {
		m[noSection] = 1
	}
	h := f.conditions(e, n)
	m[agreed], m[oldAlone], m[newAlone] = float32(min(h.both, 2)), float32(h.oldOnly),
		float32(h.newOnly)
	if len(e.dirs) > 0 && len(n.dirs) > 0 {
		m[sameFolders] = f.overlap(w, e.dirs, n.dirs).share()
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

// compareWords measures the words of what names either page: last segment, title, first heading, of
// which those two count that have the most in common.
func (f *finder) compareWords(w *worker, e, n *entry, m *features) {
	best := float32(-1)
	news := [...][]int32{n.slug, n.title, n.heading}
	for i, olds := range [...][]int32{e.slug, e.title, e.heading} {
		for k, other := range news {
			if len(olds) == 0 || len(other) == 0 || k > 0 && slices.Equal(other, news[k-1]) {
				continue
			}
			o := f.overlap(w, olds, other)
			if o.common == 0 {
				continue
			}
			less := max(o.common/o.old, o.commonNew/o.new)
			heavy := o.common / (o.common + 6)
			value := o.share() + 0.5*less + heavy
			if value <= best {
				continue
			}
			best = value
			m[asMuch], m[within], m[weight], m[ofOld] = o.share(), less, heavy, o.common/o.old
			m[spelling], m[sameOrder] = o.spelling/o.old, 0
			if o.inOrder && min(len(olds), len(other)) > 1 {
				m[sameOrder] = 1
				if i > 0 && k > 0 {
					m[sameOrder] = 0.5
				}
			}
		}
	}
}

// compareNames measures what is equal as a whole: name, title, id.
func (f *finder) compareNames(e, n *entry, m *features) {
	switch {
	case e.named == 0:
	case e.named == n.named:
		m[sameName] = 1 / float32(f.new.named[n.named])
	case e.named == n.titled:
		m[sameName] = 0.7 / float32(f.new.titled[n.titled])
	}
	switch {
	case e.titled == 0:
	case e.titled == n.titled:
		m[sameTitle] = 1 / float32(f.new.titled[n.titled])
	case e.titled == n.named:
		m[sameTitle] = 0.7 / float32(f.new.named[n.named])
	}
	for _, id := range e.ids {
		if slices.Contains(n.ids, id) {
			m[sameID] = max(m[sameID], f.idTrust/float32(max(1, f.new.idCount[id]))/
				float32(max(1, f.old.idCount[id])))
		}
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
