package pair

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// reasons says what speaks for a pair, and what does not, so that a person can check it.
func (f *finder) reasons(w *worker, at int, s scored) []fact.Facts {
	o, n := &f.old.pages[at], &f.new.pages[s.page]
	var all []fact.Facts
	add := func(facts fact.Facts) { all = append(all, facts) }
	if s.led {
		add(fact.PairLed{})
	}
	if s.by[sameTitle] > 0 && o.titled == n.titled && o.titled != 0 {
		add(fact.PairTitle{})
	}
	if s.by[sameID] > 0 {
		for _, id := range o.ids {
			if slices.Contains(n.ids, id) {
				add(fact.PairID{ID: idText(f.olds[at].URL, id)})
				break
			}
		}
	}
	if o.named != 0 && o.named == n.named {
		add(fact.PairLastWords{Words: shownSlug(f.news[s.page].URL)})
	} else {
		f.ask(w, o)
		same, alike := f.wordsInBoth(w, at, s.page)
		if len(same) > 0 {
			add(fact.PairWords{Words: same})
		}
		for i := 0; i+1 < len(alike) && i < 4; i += 2 {
			add(fact.PairAlike{Old: alike[i], New: alike[i+1]})
		}
	}
	if k := f.became[o.section][n.section]; k >= 3 && o.section != n.section {
		add(fact.PairSection{From: sectionName(f.old.sections[o.section]),
			To: sectionName(f.new.sections[n.section]), Pairs: int(k)})
	}
	switch h := f.conditions(o, n); {
	case h.oldOnly > 0:
		add(fact.PairOldAlone{})
	case h.newOnly > 0:
		add(fact.PairNewAlone{})
	}
	return all
}

// wordsInBoth gives the words of an old page that a new one has, and in pairs those that are
// written otherwise there.
func (f *finder) wordsInBoth(w *worker, at int, page int32) (same, alike []string) {
	o, n := &f.old.pages[at], &f.new.pages[page]
	olds, news := joined(o.slug, o.title, o.heading), joined(n.slug, n.title, n.heading)
	spelt, speltOld := spellings(f.news[page]), spellings(f.olds[at])
	for i, word := range olds {
		if slices.Contains(olds[:i], word) {
			continue
		}
		best, places, how := w.answer(word, news)
		switch {
		case best == 0:
		case how == sameWord:
			same = append(same, spelt(f.words[word]))
		default:
			text := spelt(f.words[news[places[0]]])
			if places[1] >= 0 {
				text += "-" + spelt(f.words[news[places[1]]])
			}
			alike = append(alike, speltOld(f.words[word]), text)
		}
	}
	return same, alike
}

// spellings gives how a page writes a word that is compared in one form.
func spellings(p Page) func(stem string) string {
	known := map[string]string{}
	for _, text := range []string{p.Heading, p.Title, decoded(p.URL)} {
		split(text, func(w string) { known[stem(fold(w))] = strings.ToLower(w) })
	}
	return func(stem string) string {
		if w := known[stem]; w != "" {
			return w
		}
		return stem
	}
}

func joined(all ...[]int32) []int32 {
	var words []int32
	for _, some := range all {
		words = append(words, some...)
	}
	return words
}

// sectionName gives the folders of a section, or its host where it has none.
func sectionName(section string) string {
	host, path, found := strings.Cut(section, "/")
	if !found {
		return host
	}
	return path
}

// shownSlug gives the last segment of a URL as people read it.
func shownSlug(url string) string {
	_, path := placeOf(url)
	raw := path[strings.LastIndexByte(path, '/')+1:]
	slug := decoded(raw)
	if strings.ContainsFunc(slug, problem.Hostile) {
		slug = raw
	}
	if dot := strings.LastIndexByte(slug, '.'); dot > 0 && extensions[strings.ToLower(slug[dot+1:])] {
		slug = slug[:dot]
	}
	return slug
}

// idText gives an id as its URL has it.
func idText(url string, id uint64) string {
	found := ""
	split(url, func(w string) {
		if isDigits(w) && idOf(w) == id {
			found = w
		}
	})
	return found
}
