package rule

import (
	"cmp"
	"hash/maphash"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// pathRules are the exact rules that share a path of a host, the most specific first. Where they
// are many they are found by what they ask of the query.
type pathRules struct {
	refs  []ref
	sorts *querySorts // nil for a few
}

// fewRules is how many rules of one path are looked at one by one.
const fewRules = 8

// querySorts finds the rules of a path by the query. Each stands under one of its conditions: the
// one that the fewest others have. A place is one more than that in refs, and 0 is none.
type querySorts struct {
	seed maphash.Seed
	// the first rule under a parameter and its value, or under a parameter with any value
	under   map[uint64]uint32
	next    []uint32            // the next one that stands where this one does
	bare    uint32              // the first one without conditions
	allWith map[string][]uint32 // all rules under a parameter, whatever its value is
}

// Fixed gives the one value for which a condition holds, in normal form, and false where there are
// several.
func (c Condition) Fixed() (string, bool) {
	switch {
	case len(c.Parts) == 0:
		return "", true
	case len(c.Parts) == 1 && !c.Parts[0].IsCapture():
		return c.Parts[0].Literal, true
	}
	return "", false
}

// digits reports whether all that a condition leaves open are digits.
func (c Condition) digits() bool {
	return !slices.ContainsFunc(c.Parts, func(p Part) bool { return p.IsCapture() && !p.Digits })
}

func (s *querySorts) hash(c Condition) uint64 {
	if value, fixed := c.Fixed(); fixed {
		return s.ofValue(c.Key, value)
	}
	return s.ofKey(c.Key)
}

func (s *querySorts) ofKey(key string) uint64 { return maphash.String(s.seed, key) }

func (s *querySorts) ofValue(key, value string) uint64 {
	return (maphash.String(s.seed, key)+1)*0x9E3779B97F4A7C15 ^ maphash.String(s.seed, value)
}

// settle puts the rules of all shared paths in order, and makes what finds them.
func (b *indexBuilder) settle() {
	type rank struct {
		spec specific
		rule *Rule
		r    ref
	}
	for i := range b.chains {
		c := &b.chains[i]
		ranks := make([]rank, len(c.refs))
		for at, r := range c.refs {
			own := b.rules[r.rule()]
			ranks[at] = rank{specificity(Entry{own, r&inheritedRef != 0}), own, r}
		}
		slices.SortStableFunc(ranks, func(x, y rank) int {
			return cmp.Or(slices.Compare(y.spec[:], x.spec[:]), byRank(x.rule, y.rule))
		})
		for at, r := range ranks {
			c.refs[at] = r.r
		}
		if len(c.refs) > fewRules {
			c.sorts = newQuerySorts(b.seed, len(c.refs), func(at int) []Condition {
				return b.rules[c.refs[at].rule()].Old.Query
			})
		}
	}
}

// newQuerySorts sorts so many rules, the most specific first, by their conditions.
func newQuerySorts(seed maphash.Seed, rules int, conditions func(at int) []Condition) *querySorts {
	s := &querySorts{
		seed:    seed,
		under:   make(map[uint64]uint32, rules),
		next:    make([]uint32, rules),
		allWith: map[string][]uint32{},
	}
	count := make(map[uint64]uint32, rules)
	for at := range rules {
		for _, c := range conditions(at) {
			count[s.hash(c)]++
		}
	}
	for at := rules - 1; at >= 0; at-- {
		place, all := uint32(at)+1, conditions(at)
		if len(all) == 0 {
			s.next[at], s.bare = s.bare, place
			continue
		}
		best := all[0]
		for _, c := range all[1:] {
			if count[s.hash(c)] < count[s.hash(best)] {
				best = c
			}
		}
		h := s.hash(best)
		s.next[at], s.under[h] = s.under[h], place
		s.allWith[best.Key] = append(s.allWith[best.Key], place)
	}
	return s
}

// each calls a function for the places of the rules whose conditions may hold: group after group,
// in each the most specific first, until it returns false.
func (s *querySorts) each(q *asked, visit func(place int) bool) {
	look := func(place uint32) {
		for place != 0 && visit(int(place)-1) {
			place = s.next[place-1]
		}
	}
	look(s.bare)
	if q.isLong() {
		for key, value := range q.known {
			look(s.under[s.ofValue(key, value)])
			look(s.under[s.ofKey(key)])
		}
		return
	}
	for rest := q.query; rest != ""; {
		var p string
		p, rest, _ = strings.Cut(rest, "&")
		key, value, _ := strings.Cut(p, "=")
		key = web.NormalQuery(key)
		look(s.under[s.ofValue(key, web.NormalQuery(value))])
		look(s.under[s.ofKey(key)])
	}
}

// asked is the query of a request, read for each condition while it is short, and taken apart once
// where it is long.
type asked struct {
	query string
	known map[string]string // the first value of each parameter, in normal form
}

// manyParameters is from how many parameters on a query is long.
const manyParameters = 16

func (q *asked) isLong() bool {
	if q.known == nil && strings.Count(q.query, "&") >= manyParameters {
		q.known = map[string]string{}
		for p := range strings.SplitSeq(q.query, "&") {
			key, value, _ := strings.Cut(p, "=")
			if key = web.NormalQuery(key); key == "" {
				continue
			}
			if _, there := q.known[key]; !there {
				q.known[key] = web.NormalQuery(value)
			}
		}
	}
	return q.known != nil
}

// hold reports whether the first values of the query fit all conditions.
func (q *asked) hold(conditions []Condition) bool {
	if !q.isLong() {
		return conditionsHold(conditions, q.query)
	}
	for _, c := range conditions {
		if value, there := q.known[c.Key]; !there || !takesAll(c.Parts, value) {
			return false
		}
	}
	return true
}

// first returns the most specific rule of a shared path that is about this scheme and whose
// conditions hold.
func (x *Index) first(c pathRules, scheme uint8, query string) (head, bool) {
	q := asked{query: query}
	best, found := len(c.refs), head{}
	visit := func(place int) bool {
		if place >= best {
			return false
		}
		h := x.head(c.refs[place])
		if (h.scheme == 0 || h.scheme == scheme) &&
			(h.flags&asksFlag == 0 || q.hold(x.rich[h.rule].Old.Query)) {
			best, found = place, h
			return false
		}
		return true
	}
	if c.sorts != nil {
		c.sorts.each(&q, visit)
	} else {
		for place := 0; place < len(c.refs) && visit(place); place++ {
		}
	}
	return found, best < len(c.refs)
}

// asking returns the places of the rules of a shared path whose conditions may hold where a query
// has these parameters and no others, in their order.
func (c pathRules) asking(query []Condition) []int {
	var all []int
	if c.sorts == nil {
		for at := range c.refs {
			all = append(all, at)
		}
		return all
	}
	add := func(place uint32) {
		for ; place != 0; place = c.sorts.next[place-1] {
			all = append(all, int(place)-1)
		}
	}
	add(c.sorts.bare)
	for _, asked := range query {
		if value, fixed := asked.Fixed(); fixed {
			add(c.sorts.under[c.sorts.ofValue(asked.Key, value)])
			add(c.sorts.under[c.sorts.ofKey(asked.Key)])
			continue
		}
		for _, place := range c.sorts.allWith[asked.Key] {
			all = append(all, int(place)-1)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}
