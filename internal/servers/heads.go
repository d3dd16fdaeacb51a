package servers

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// branch is patterns that paths meet which begin alike, and below it those of paths that are alike
// for longer. A path goes as far down as it can; on its way back up it meets the patterns of each
// branch, until one takes it.
type branch struct {
	patterns []rule.Entry // in their order, with those from above that come before the last of them
	cut      cut
	keys     []string // of the branches below, in order
	below    map[string]*branch
	above    *branch
}

// cut is how much of a path is looked at to tell it from others: its first segments, or its first
// octets.
type cut struct{ segments, octets int }

// head is the text with which all paths of a variant begin; whole where nothing comes behind it.
type head struct {
	text  string
	whole bool
}

// key gives what a cut takes of a head, in lower case; false where not all paths that begin so have
// the same.
func (c cut) key(h head) (string, bool) {
	if c.octets > 0 {
		if len(h.text) < c.octets {
			return "", false
		}
		return lowerASCII(h.text[:c.octets]), true
	}
	end, slashes := len(h.text), strings.Count(h.text, "/")
	if slashes < c.segments || slashes == c.segments && !h.whole {
		return "", false
	}
	if slashes > c.segments {
		end = 0
		for range c.segments {
			end += 1 + strings.IndexByte(h.text[end+1:], '/')
		}
	}
	return lowerASCII(h.text[:end]), true
}

// keyOf gives what a cut takes of the heads of a rule's variants; false where they differ.
func (c cut) keyOf(heads []head) (string, bool) {
	common := ""
	for i, h := range heads {
		key, fixed := c.key(h)
		if !fixed || i > 0 && key != common {
			return "", false
		}
		common = key
	}
	return common, true
}

// headsOf gives the heads of a rule at a host with a mode, as they are in normal form or decoded.
func headsOf(r *rule.Rule, mode rule.Mode, decoded bool) []head {
	var heads []head
	for _, v := range mode.Variants(r.Old.Parts) {
		h := head{v.Parts[0].Literal, len(v.Parts) == 1}
		if decoded {
			h.text = web.Decode(h.text)
		}
		heads = append(heads, h)
	}
	return heads
}

// branchesOf parts patterns by how their paths begin, so that a path meets about most of them that
// do not begin as it does, and not many more.
func branchesOf(patterns []rule.Entry, most int, headsOf func(*rule.Rule) []head) *branch {
	p := parting{most: most, rank: map[*rule.Rule]int{}, heads: map[*rule.Rule][]head{}}
	for i, e := range patterns {
		p.rank[e.Rule], p.heads[e.Rule] = i, headsOf(e.Rule)
	}
	return p.part(patterns, nil)
}

type parting struct {
	most  int
	rank  map[*rule.Rule]int
	heads map[*rule.Rule][]head
}

func (p *parting) part(own []rule.Entry, above *branch) *branch {
	b := &branch{above: above}
	c, ok := p.bestCut(own)
	if !ok {
		b.patterns = own
		p.takeFromAbove(b)
		return b
	}
	b.cut, b.below = c, map[string]*branch{}
	groups := map[string][]rule.Entry{}
	for _, e := range own {
		key, fixed := c.keyOf(p.heads[e.Rule])
		switch {
		case !fixed:
			b.patterns = append(b.patterns, e)
			continue
		case groups[key] == nil:
			b.keys = append(b.keys, key)
		}
		groups[key] = append(groups[key], e)
	}
	p.takeFromAbove(b)
	slices.Sort(b.keys)
	var last *branch // small ones are put together
	for _, key := range b.keys {
		next := p.part(groups[key], b)
		if last != nil && last.below == nil && next.below == nil &&
			len(last.patterns)+len(next.patterns) <= p.most {
			last.patterns = p.sorted(append(last.patterns, next.patterns...))
			b.below[key] = last
			continue
		}
		b.below[key], last = next, next
	}
	return b
}

// sorted puts patterns into their order, each once.
func (p *parting) sorted(patterns []rule.Entry) []rule.Entry {
	slices.SortFunc(patterns, func(x, y rule.Entry) int { return p.rank[x.Rule] - p.rank[y.Rule] })
	return slices.CompactFunc(patterns, func(x, y rule.Entry) bool { return x.Rule == y.Rule })
}

// bestCut finds the cut after which a path meets the fewest patterns on average; false where none
// is worth it.
func (p *parting) bestCut(own []rule.Entry) (best cut, ok bool) {
	if len(own) <= p.most {
		return cut{}, false
	}
	least := 0.7 * float64(len(own))
	for _, c := range p.candidates(own) {
		groups, rest := map[string]int{}, 0
		for _, e := range own {
			if key, fixed := c.keyOf(p.heads[e.Rule]); fixed {
				groups[key]++
			} else {
				rest++
			}
		}
		met := float64(rest)
		for _, n := range groups {
			met += float64(n*n) / float64(len(own))
		}
		if met < least {
			least, best, ok = met, c, true
		}
	}
	return best, ok
}

// mostLengths is how many lengths are tried for a cut.
const mostLengths = 24

// candidates gives cuts that may tell patterns apart: by segments first, which a person sees at
// once.
func (p *parting) candidates(own []rule.Entry) []cut {
	slashes, lengths := map[int]bool{}, map[int]bool{}
	for _, e := range own {
		for _, h := range p.heads[e.Rule] {
			slashes[strings.Count(h.text, "/")] = true
			lengths[len(h.text)] = true
		}
	}
	var cuts []cut
	for n := range slashes {
		cuts = append(cuts, cut{segments: n})
		if n > 1 {
			cuts = append(cuts, cut{segments: n - 1})
		}
	}
	slices.SortFunc(cuts, func(a, b cut) int { return a.segments - b.segments })
	cuts = slices.Compact(cuts)
	all := make([]int, 0, len(lengths))
	for n := range lengths {
		if n > 1 {
			all = append(all, n)
		}
	}
	slices.Sort(all)
	for i, n := range all {
		if len(all) <= mostLengths || i%(1+len(all)/mostLengths) == 0 {
			cuts = append(cuts, cut{octets: n})
		}
	}
	return cuts
}

// takeFromAbove adds the patterns of the branches above that come before the last one of a branch.
func (p *parting) takeFromAbove(b *branch) {
	last := -1
	for _, e := range b.patterns {
		last = max(last, p.rank[e.Rule])
	}
	own := slices.Clone(b.patterns)
	for above := b.above; above != nil; above = above.above {
		for _, e := range above.patterns {
			if p.rank[e.Rule] < last {
				own = append(own, e)
			}
		}
	}
	b.patterns = p.sorted(own)
}
