package pair

import (
	"slices"
	"sort"
	"strings"
)

// alikeness is how one word stands for another.
type alikeness uint8

const (
	sameWord alikeness = iota
	typo
	cut
	parted
	oneWord
	replacedBy
)

// What a word is worth that stands for another one.
const (
	worthTypo   = 0.75
	worthCut    = 0.6
	worthParted = 0.95
)

// shortest is from how many letters on a word may have a typo.
const shortest = 5

// likeness finds words of the new site that may stand for one of the old one.
type likeness struct {
	*finder
	news          []int32 // words of the new site, in order
	byVariant     table
	ends, endsOld map[int32]bool
	found         []other
}

// likeWords finds for each word of the old site the words of the new one that may stand for it, if
// one of the two is known to its own site only.
func (f *finder) likeWords() {
	l := likeness{finder: f, ends: f.ends(&f.new), endsOld: f.ends(&f.old)}
	var variants []keyed
	for w, n := range f.new.count {
		word := f.words[w]
		if n == 0 || isDigits(word) {
			continue
		}
		l.news = append(l.news, int32(w))
		if len(word) >= shortest {
			eachVariant(word, func(hash uint64) { variants = append(variants, keyed{hash, int32(w)}) })
		}
	}
	slices.SortFunc(l.news, func(a, b int32) int { return strings.Compare(f.words[a], f.words[b]) })
	l.byVariant = newTable(variants)
	for w, n := range f.old.count {
		if n == 0 || isDigits(f.words[w]) || len(f.words[w]) < 4 {
			continue
		}
		l.found = nil
		l.typos(int32(w))
		l.cut(int32(w))
		l.parted(int32(w))
		if len(l.found) > 0 {
			f.alike[int32(w)] = l.found
		}
	}
}

// own reports whether only the old site knows a word.
func (l *likeness) own(w int32) bool { return l.new.count[w] == 0 }

func (l *likeness) add(worth float32, how alikeness, words ...int32) {
	if len(l.found) < 12 &&
		!slices.ContainsFunc(l.found, func(o other) bool { return slices.Equal(o.words, words) }) {
		l.found = append(l.found, other{words, worth, how})
	}
}

// typos finds words that one letter tells apart.
func (l *likeness) typos(w int32) {
	word := l.words[w]
	if len(word) < shortest {
		return
	}
	eachVariant(word, func(hash uint64) {
		for _, v := range l.byVariant.of(hash) {
			if v != w && (l.own(w) || l.old.count[v] == 0) && oneApart(word, l.words[v]) {
				l.add(worthTypo, typo, v)
			}
		}
	})
}

// cut finds words whose end was cut off on one of the two sites, as long names are.
func (l *likeness) cut(w int32) {
	word := l.words[w]
	if l.own(w) && l.endsOld[w] {
		at := sort.Search(len(l.news), func(i int) bool { return l.words[l.news[i]] >= word })
		for i := at; i < len(l.news) && i < at+6 && strings.HasPrefix(l.words[l.news[i]], word); i++ {
			l.add(worthCut, cut, l.news[i])
		}
	}
	for n := 4; n < len(word); n++ {
		if v, known := l.numbers[word[:n]]; known && l.ends[v] && l.old.count[v] == 0 {
			l.add(worthCut, cut, v)
		}
	}
}

// parted finds two words that are one on the old site.
func (l *likeness) parted(w int32) {
	word := l.words[w]
	if !l.own(w) {
		return
	}
	for n := 3; n <= len(word)-3; n++ {
		a, first := l.numbers[stem(word[:n])]
		b, second := l.numbers[stem(word[n:])]
		if first && second && l.new.count[a] > 0 && l.new.count[b] > 0 {
			l.add(worthParted, parted, a, b)
		}
	}
}

// ends gives the words with which slugs end: these may be cut.
func (f *finder) ends(s *side) map[int32]bool {
	all := map[int32]bool{}
	for i := range s.pages {
		if slug := s.pages[i].slug; len(slug) > 1 {
			all[slug[len(slug)-1]] = true
		}
	}
	return all
}

// eachVariant calls a function for a word and what is left of it without one of its letters.
func eachVariant(word string, visit func(uint64)) {
	visit(hashed(word))
	if len(word) > 40 {
		return
	}
	var b [40]byte
	for i := range len(word) {
		if i > 0 && word[i] == word[i-1] {
			continue
		}
		n := copy(b[:], word[:i])
		n += copy(b[n:], word[i+1:])
		visit(hashed(string(b[:n])))
	}
}

// oneApart reports whether two words differ by one letter more, less or another, or two that
// changed places, behind the first.
func oneApart(a, b string) bool {
	if a == b || a[0] != b[0] && len(a) < 7 {
		return false
	}
	if len(a) > len(b) {
		a, b = b, a
	}
	at := 0
	for at < len(a) && a[at] == b[at] {
		at++
	}
	switch len(b) - len(a) {
	case 1:
		return a[at:] == b[at+1:]
	case 0:
		return a[at+1:] == b[at+1:] ||
			at+1 < len(a) && a[at] == b[at+1] && a[at+1] == b[at] && a[at+2:] == b[at+2:]
	}
	return false
}
