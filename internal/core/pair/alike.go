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

// likeWords finds for each word of the old site the words of the new one that may stand for it, if
// one of the two is known to its own site only.
func (f *finder) likeWords() {
	var news []int32 // words of the new site
	var variants []keyed
	for w, n := range f.new.count {
		word := f.words[w]
		if n == 0 || isDigits(word) {
			continue
		}
		news = append(news, int32(w))
		if len(word) >= shortest {
			eachVariant(word, func(hash uint64) { variants = append(variants, keyed{hash, int32(w)}) })
		}
	}
	slices.SortFunc(news, func(a, b int32) int { return strings.Compare(f.words[a], f.words[b]) })
	byVariant := newTable(variants)
	ends, endsOld := f.ends(&f.new), f.ends(&f.old)
	for w, n := range f.old.count {
		word := f.words[w]
		if n == 0 || isDigits(word) || len(word) < 4 {
			continue
		}
		own := f.new.count[w] == 0
		var all []other
		add := func(words []int32, worth float32, how alikeness) {
			for _, o := range all {
				if slices.Equal(o.words, words) {
					return
				}
			}
			if len(all) < 12 {
				all = append(all, other{words, worth, how})
			}
		}
		if len(word) >= shortest {
			eachVariant(word, func(hash uint64) {
				for _, v := range byVariant.of(hash) {
					if int(v) != w && (own || f.old.count[v] == 0) && oneApart(word, f.words[v]) {
						add([]int32{v}, worthTypo, typo)
					}
				}
			})
		}
		if own && endsOld[int32(w)] {
			at := sort.Search(len(news), func(i int) bool { return f.words[news[i]] >= word })
			for i := at; i < len(news) && i < at+6 && strings.HasPrefix(f.words[news[i]], word); i++ {
				add([]int32{news[i]}, worthCut, cut)
			}
		}
		for n := 4; n < len(word); n++ {
			if v, known := f.numbers[word[:n]]; known && ends[v] && f.old.count[v] == 0 {
				add([]int32{v}, worthCut, cut)
			}
		}
		if own {
			for n := 3; n <= len(word)-3; n++ {
				a, first := f.numbers[stem(word[:n])]
				b, second := f.numbers[stem(word[n:])]
				if first && second && f.new.count[a] > 0 && f.new.count[b] > 0 {
					add([]int32{a, b}, worthParted, parted)
				}
			}
		}
		if len(all) > 0 {
			f.alike[int32(w)] = all
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
