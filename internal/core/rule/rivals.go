package rule

import (
	"cmp"
	"hash/maphash"
	"slices"
	"strconv"
)

// rivals calls a function for each rule of a group that is in the order of the file, with a walk
// over those earlier ones that may take one of its URLs, until it has enough. Left out are only
// rules that certainly take none, so that of thousands that each ask for another id none is
// compared with the others.
func (t *Table) rivals(group []*Rule, each func(b *Rule, earlier func(enough func(a *Rule) bool))) {
	if same, ok := t.oneKind(group); ok {
		for i, b := range group {
			each(b, func(enough func(a *Rule) bool) {
				for at := same[i]; at > 0 && enough(group[at-1]); at = same[at-1] {
				}
			})
		}
		return
	}
	traits := make([][]trait, len(group))
	all := make([]int32, len(group))
	for i, r := range group {
		var mode Mode
		if at, have := t.hosts[r.Old.Host.String()]; have {
			mode = t.tables[at].mode
		}
		traits[i], all[i] = traitsOf(r.Old, mode.parts(r.Old.Parts)), int32(i)
	}
	tree := part(traits, all)
	for i, b := range group {
		each(b, func(enough func(a *Rule) bool) {
			tree.walk(traits[i], int32(i), func(at int32) bool { return enough(group[at]) })
		})
	}
}

// oneKind gives for each rule of a group one more than the place of the last one before it that
// asks for the same values, where all are exact and ask for the same parameters: then no others can
// take one of its URLs. 0 is none.
func (t *Table) oneKind(group []*Rule) (same []uint32, ok bool) {
	if _, exact := group[0].Old.Exact(); !exact {
		return nil, false
	}
	for _, r := range group {
		if len(r.Old.Query) != len(group[0].Old.Query) {
			return nil, false
		}
		for i, c := range r.Old.Query { // they are in order
			if _, fixed := c.Fixed(); !fixed || c.Key != group[0].Old.Query[i].Key {
				return nil, false
			}
		}
	}
	same = make([]uint32, len(group))
	last := make(map[uint64]uint32, len(group))
	for i, r := range group {
		key := uint64(0)
		for _, c := range r.Old.Query {
			value, _ := c.Fixed()
			key = key*0x9E3779B97F4A7C15 ^ maphash.String(t.seed, value)
		}
		same[i], last[key] = last[key], uint32(i)+1
	}
	return same, true
}

// trait is something that all URLs of a rule have in common: rules that have the same kind of
// trait, and another text, take no URL together.
type trait struct{ kind, text string }

// traitsOf gives what all URLs of a pattern have in common, whose path is given in the form in
// which its host compares paths: parameters, whole segments up to the first {+name}, how the path
// begins and how it ends.
func traitsOf(p Pattern, parts []Part) []trait {
	var all []trait
	for _, c := range p.Query {
		if value, fixed := c.Fixed(); fixed {
			all = append(all, trait{"?" + c.Key, value})
		}
	}
	if _, exact := p.Exact(); exact {
		return all // its fellows have the same path
	}
	first, last := parts[0].Literal, parts[len(parts)-1].Literal
	for _, n := range []int{4, 8, 12, 16, 24, 32} {
		if len(first) >= n {
			all = append(all, trait{"begins " + strconv.Itoa(n), first[:n]})
		}
		if len(last) >= n {
			all = append(all, trait{"ends " + strconv.Itoa(n), last[len(last)-n:]})
		}
	}
	for i, segment := range Segments(parts) {
		if slices.ContainsFunc(segment, func(p Part) bool { return p.Rest }) {
			return all
		}
		if len(segment) == 1 && !segment[0].IsCapture() {
			all = append(all, trait{"segment " + strconv.Itoa(i), segment[0].Literal + "/"})
		}
	}
	return append(all, trait{"segments", strconv.Itoa(len(Segments(parts)))})
}

// parting is a set of rules, parted by a kind of trait where that tells many of them apart.
type parting struct {
	rules []int32 // in the order of the file, where nothing parts them
	kind  string
	order []string // of the texts
	with  map[string]*parting
	rest  *parting // those without this kind of trait; nil for none
}

// fewest is how many rules are not parted further.
const fewest = 8

func part(traits [][]trait, rules []int32) *parting {
	if len(rules) <= fewest {
		return &parting{rules: rules}
	}
	type measure struct{ have, most int }
	kinds, count := map[string]measure{}, map[trait]int{}
	for _, r := range rules {
		for _, t := range traits[r] {
			count[t]++
			m := kinds[t.kind]
			kinds[t.kind] = measure{m.have + 1, max(m.most, count[t])}
		}
	}
	best, worth := "", len(rules)/fewest
	for kind, m := range kinds {
		if n := m.have - m.most; cmp.Or(cmp.Compare(n, worth), cmp.Compare(kind, best)) > 0 &&
			n >= worth && n > 0 {
			best, worth = kind, n
		}
	}
	if best == "" {
		return &parting{rules: rules}
	}
	p := &parting{kind: best, with: map[string]*parting{}}
	groups := map[string][]int32{}
	var without []int32
	for _, r := range rules {
		text, has := textOf(traits[r], best)
		switch {
		case !has:
			without = append(without, r)
		case groups[text] == nil:
			p.order = append(p.order, text)
			fallthrough
		default:
			groups[text] = append(groups[text], r)
		}
	}
	for text, group := range groups {
		p.with[text] = part(traits, group)
	}
	if len(without) > 0 {
		p.rest = part(traits, without)
	}
	return p
}

func textOf(traits []trait, kind string) (string, bool) {
	i := slices.IndexFunc(traits, func(t trait) bool { return t.kind == kind })
	if i < 0 {
		return "", false
	}
	return traits[i].text, true
}

// walk calls a function for the rules before a place that may share a URL with one of these traits,
// as long as it returns true.
func (p *parting) walk(traits []trait, before int32, each func(int32) bool) bool {
	if p == nil {
		return true
	}
	for _, r := range p.rules {
		if r >= before {
			break
		}
		if !each(r) {
			return false
		}
	}
	if text, has := textOf(traits, p.kind); has {
		return p.with[text].walk(traits, before, each) && p.rest.walk(traits, before, each)
	}
	for _, text := range p.order {
		if !p.with[text].walk(traits, before, each) {
			return false
		}
	}
	return p.rest.walk(traits, before, each)
}
