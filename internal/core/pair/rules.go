package pair

import (
	"cmp"
	"container/heap"
	"context"
	"hash/maphash"
	"slices"
	"sort"
	"strings"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Wanted is an old URL and where a person has decided that it leads.
type Wanted struct {
	Old    web.URL
	New    web.URL // zero: it is gone
	Weight int64
	Line   int // of the work sheet
}

// Base is what happens without further rules.
type Base struct {
	// where a URL leads, zero if it is gone or nobody knows; byHand says that a rule does so
	Leads     func(u web.URL) (to web.URL, gone, byHand bool)
	Canonical web.Door
	Scope     rule.Scope
	Hand      []*rule.Rule // rules made by hand, which win: no pattern takes a URL of theirs
}

// Made is a rule that comes of pairs.
type Made struct {
	Row       rule.Row
	Rule      *rule.Rule
	Pattern   bool
	Pairs     int     // decided pairs that it leads
	Weight    int64   // their visits
	Undecided int     // of the other old URLs, how many it takes too
	Other     string  // one of them
	Unlisted  web.URL // a URL of no list that it takes; zero where none was found
}

// Table is what comes of all pairs.
type Table struct {
	Rules     []Made
	Already   int   // pairs that lead there without a rule
	Overruled []int // pairs that a rule made by hand leads elsewhere: it stays
	Twice     []int // pairs whose URL was decided otherwise before
	Unsaid    []int // pairs that no rule can say, such as a host outside the estate
}

// template is a pattern that was seen in pairs, and those pairs.
type template struct {
	sample  int32 // a pair, and which of its templates it is
	variant int32
	loose   int32 // how much else it takes: of two that lead as many the tighter one is taken
	members []int32
	worth   int // how many more pairs it would lead right, at most
}

// ruler makes rules.
type ruler struct {
	base   Base
	wanted []Wanted
	hosts  []string // of each pair, as a rule names it
	right  []bool
	winner []int32 // of each pair: the pattern that takes it, -1: none
	order  []int32 // pairs by host and path
	keys   []string
	chosen []*rule.Rule
	rows   []rule.Row
	reader *rule.Reader
}

type rewrite struct{ old, to string }

// loose says how much a pattern leaves open: its captures, and then how little text it has.
func (r rewrite) loose() int32 {
	open := int32(strings.Count(r.old, "{")*2 - strings.Count(r.old, ":digits}") +
		2*strings.Count(r.old, "{+"))
	return open*1000 - int32(min(len(r.old), 999))
}

// Rules makes rules of decided pairs: patterns that lead many of them, and exact rules for the
// others, few in all, so that each pair leads where it was decided. A rule made by hand stays, and
// wins over them. others are old URLs of which nothing was decided. The error is the context's.
func Rules(ctx context.Context, wanted []Wanted, others []web.URL, base Base) (*Table, error) {
	r := &ruler{base: base, wanted: wanted, reader: rule.NewReader(base.Scope)}
	t := &Table{}
	r.start(t)
	r.choose(ctx)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	r.prune()
	r.exact(t)
	r.tell(t, others)
	return t, ctx.Err()
}

// start finds out which pairs need a rule at all.
func (r *ruler) start(t *Table) {
	n := len(r.wanted)
	r.hosts, r.right, r.winner = make([]string, n), make([]bool, n), make([]int32, n)
	first := make(map[string]int, n)
	twice := map[int]bool{}
	for i, w := range r.wanted {
		r.winner[i] = -1
		r.hosts[i] = r.hostOf(w.Old)
		key := r.hosts[i] + web.NormalPath(w.Old.Path()) + "?" + web.NormalQuery(w.Old.Query())
		if at, known := first[key]; known {
			if !sameGoal(r.wanted[at].New, w.New) {
				t.Twice = append(t.Twice, i)
			}
			twice[i] = true
			continue
		}
		first[key] = i
		to, gone, byHand := r.base.Leads(w.Old)
		r.right[i] = gone && w.New.IsZero() || !gone && !to.IsZero() && sameGoal(to, w.New)
		switch {
		case r.right[i]:
			t.Already++
		case byHand:
			t.Overruled = append(t.Overruled, i)
			twice[i] = true
			continue
		case r.base.Scope.Holds != nil && !r.base.Scope.Holds(w.Old.Host()):
			t.Unsaid = append(t.Unsaid, i)
			twice[i] = true
			continue
		}
		if byHand {
			twice[i] = true // nothing that comes here takes it
			continue
		}
		r.order = append(r.order, int32(i))
	}
	sortKey := func(i int32) string { return r.hosts[i] + r.wanted[i].Old.Path() }
	slices.SortFunc(r.order, func(a, b int32) int {
		return cmp.Or(strings.Compare(sortKey(a), sortKey(b)), cmp.Compare(a, b))
	})
	r.keys = make([]string, len(r.order))
	for k, i := range r.order {
		r.keys[k] = sortKey(i)
	}
}

func sameGoal(a, b web.URL) bool { return a.Key() == b.Key() }

// hostOf gives the host as a rule names it: the apex for its www.
func (r *ruler) hostOf(u web.URL) string {
	h := u.Host()
	if apex, ok := h.Apex(); ok && h == apex.WWW() &&
		(r.base.Scope.Serves == nil || !r.base.Scope.Serves(h)) {
		return apex.String()
	}
	return h.String()
}

// queue is templates, the most promising first.
type queue []*template

func (q queue) Len() int { return len(q) }
func (q queue) Less(a, b int) bool {
	return cmp.Or(cmp.Compare(q[b].worth, q[a].worth), cmp.Compare(q[a].loose, q[b].loose),
		cmp.Compare(q[a].sample, q[b].sample)) < 0
}
func (q queue) Swap(a, b int) { q[a], q[b] = q[b], q[a] }
func (q *queue) Push(x any)   { *q = append(*q, x.(*template)) }
func (q *queue) Pop() any {
	last := (*q)[len(*q)-1]
	*q = (*q)[:len(*q)-1]
	return last
}

// choose takes pattern after pattern: the one that leads the most pairs right that nothing led
// right before, less those that it takes from others.
func (r *ruler) choose(ctx context.Context) {
	type member struct {
		key     uint64
		pair    int32
		variant int32
		loose   int32
	}
	var all []member
	for _, i := range r.order {
		if r.right[i] {
			continue
		}
		for v, c := range r.variants(int(i)) {
			h := maphash.String(seed, c.old+"\x00"+c.to)
			all = append(all, member{h, i, int32(v), c.loose()})
		}
	}
	slices.SortFunc(all, func(a, b member) int {
		return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.pair, b.pair))
	})
	var q queue
	for i := 0; i < len(all); {
		k := i
		t := &template{sample: all[i].pair, variant: all[i].variant, loose: all[i].loose}
		for ; k < len(all) && all[k].key == all[i].key; k++ {
			t.members = append(t.members, all[k].pair)
		}
		if t.worth = len(t.members); t.worth >= 2 {
			q = append(q, t)
		}
		i = k
	}
	heap.Init(&q)
	for len(q) > 0 && ctx.Err() == nil {
		t := heap.Pop(&q).(*template)
		open := 0
		for _, i := range t.members {
			if !r.right[i] {
				open++
			}
		}
		if open < 2 {
			continue
		}
		if open < t.worth {
			t.worth = open
			heap.Push(&q, t)
			continue
		}
		c := r.variants(int(t.sample))[t.variant]
		row := rule.Row{Old: c.old, New: c.to}
		if c.to == "" {
			row.Status = "410"
		}
		made, faults := r.reader.Read(row)
		if len(faults) > 0 || r.robs(made) {
			continue
		}
		gain, _ := r.effect(made, false)
		if gain < 2 {
			continue
		}
		if len(q) > 0 && gain < q[0].worth {
			t.worth = gain
			if gain < open { // what it takes from others is known now
				heap.Push(&q, t)
				if q[0] == t {
					heap.Pop(&q)
					r.take(made, row)
				}
				continue
			}
		}
		r.take(made, row)
	}
}

// robs reports whether a pattern would take URLs of a rule that was made by hand, or tie with it.
func (r *ruler) robs(made *rule.Rule) bool {
	return slices.ContainsFunc(r.base.Hand, func(h *rule.Rule) bool {
		if h.Old.Host != made.Old.Host && !sameSite(h.Old.Host, made.Old.Host) ||
			rule.Compare(rule.Entry{Rule: made}, rule.Entry{Rule: h}) > 0 {
			return false
		}
		_, meet := rule.Overlap(h.Old.Parts, made.Old.Parts)
		return meet
	})
}

// sameSite reports whether one of two hosts is the www of the other.
func sameSite(a, b web.Host) bool { return a.WWW() == b || b.WWW() == a }

func (r *ruler) take(made *rule.Rule, row rule.Row) {
	made.Line = len(r.chosen) + 1
	r.chosen, r.rows = append(r.chosen, made), append(r.rows, row)
	r.effect(made, true)
}

// effect says how many more pairs a rule would lead right, less those that it would take from
// others; with apply it takes them.
func (r *ruler) effect(made *rule.Rule, apply bool) (gain, taken int) {
	one := rule.Compile([]*rule.Rule{made}, r.base.Scope)
	start := made.Old.Host.String() + made.Old.Parts[0].Literal
	from := sort.SearchStrings(r.keys, start)
	for k := from; k < len(r.order) && strings.HasPrefix(r.keys[k], start); k++ {
		i := r.order[k]
		m, ok := one.Lookup(r.wanted[i].Old)
		if !ok {
			continue
		}
		if now := r.winner[i]; now >= 0 {
			c := rule.Compare(rule.Entry{Rule: made}, rule.Entry{Rule: r.chosen[now]})
			if c > 0 {
				continue
			}
			if c == 0 { // a tie would have to be decided by somebody
				return -1, 0
			}
		}
		taken++
		right := r.leads(m, i)
		switch {
		case right && !r.right[i]:
			gain++
		case !right && r.right[i]:
			gain--
		}
		if apply {
			r.right[i], r.winner[i] = right, int32(made.Line-1)
		}
	}
	return gain, taken
}

// leads reports whether a rule that takes a pair leads it where it was decided.
func (r *ruler) leads(m rule.Match, i int32) bool {
	w := r.wanted[i]
	if w.New.IsZero() {
		return m.Rule.Status == rule.Gone
	}
	if m.Rule.Status == rule.Gone {
		return false
	}
	to, err := web.ParseURL(m.Location(r.base.Canonical))
	return err == nil && sameGoal(to, w.New)
}

// prune drops patterns without which all pairs that they lead are led right by others.
func (r *ruler) prune() {
	for k := len(r.chosen) - 1; k >= 0; k-- {
		rest := slices.Concat(r.chosen[:k], r.chosen[k+1:])
		table := rule.Compile(rest, r.base.Scope)
		lost := 0
		var again []int32
		for _, i := range r.order {
			if r.winner[i] != int32(k) {
				continue
			}
			again = append(again, i)
			m, ok := table.Lookup(r.wanted[i].Old)
			right := false
			if ok {
				right = r.leads(m, i)
			} else {
				to, gone, _ := r.base.Leads(r.wanted[i].Old)
				right = gone && r.wanted[i].New.IsZero() || !gone && !to.IsZero() &&
					sameGoal(to, r.wanted[i].New)
			}
			if r.right[i] && !right {
				lost++
			} else if !r.right[i] && right {
				lost--
			}
		}
		if lost > 1 {
			continue
		}
		for _, i := range again {
			m, ok := table.Lookup(r.wanted[i].Old)
			r.winner[i], r.right[i] = -1, false
			if ok {
				r.winner[i] = int32(slices.Index(r.chosen, m.Rule))
				r.right[i] = r.leads(m, i)
			} else {
				to, gone, _ := r.base.Leads(r.wanted[i].Old)
				r.right[i] = gone && r.wanted[i].New.IsZero() || !gone && !to.IsZero() &&
					sameGoal(to, r.wanted[i].New)
			}
		}
		r.chosen, r.rows = slices.Delete(slices.Clone(r.chosen), k, k+1), slices.Delete(r.rows, k, k+1)
		for i := range r.winner {
			if r.winner[i] > int32(k) {
				r.winner[i]--
			}
		}
	}
}

// exact adds a rule for each pair that no pattern leads right.
func (r *ruler) exact(t *Table) {
	for k, made := range r.chosen {
		t.Rules = append(t.Rules, Made{Row: r.rows[k], Rule: made, Pattern: true})
	}
	for _, i := range r.order {
		if r.right[i] {
			if at := r.winner[i]; at >= 0 {
				t.Rules[at].Pairs++
				t.Rules[at].Weight += r.wanted[i].Weight
			}
			continue
		}
		w := r.wanted[i]
		row := rule.Row{Old: r.hosts[i] + literal(w.Old.Path()), New: r.target(w.New)}
		if q := w.Old.Query(); q != "" {
			row.Old += "?" + literal(q)
		}
		if w.New.IsZero() {
			row.Status = "410"
		}
		made, faults := r.reader.Read(row)
		if len(faults) > 0 {
			t.Unsaid = append(t.Unsaid, int(i))
			continue
		}
		t.Rules = append(t.Rules, Made{Row: row, Rule: made, Pairs: 1, Weight: w.Weight})
	}
}

// literal writes a text for a template.
func literal(s string) string {
	return strings.NewReplacer("{", "%7B", "}", "%7D", "*", "%2A").Replace(s)
}

// target writes where a pair leads as a rule does.
func (r *ruler) target(u web.URL) string {
	if u.IsZero() {
		return ""
	}
	if u.Door() == r.base.Canonical {
		return literal(u.RequestURI())
	}
	return literal(u.String())
}

// tell counts of each pattern what it takes beside decided pairs.
func (r *ruler) tell(t *Table, others []web.URL) {
	slices.SortStableFunc(t.Rules, func(a, b Made) int {
		x, y := a.Rule.Old, b.Rule.Old
		return cmp.Or(
			strings.Compare(x.Host.String(), y.Host.String()),
			boolean(b.Pattern)-boolean(a.Pattern),
			cmp.Compare(
				b.Pairs*boolean(b.Pattern),
				a.Pairs*boolean(a.Pattern),
			),
			strings.Compare(a.Row.Old, b.Row.Old),
		)
	})
	var rules []*rule.Rule
	at := map[*rule.Rule]int{}
	for i, m := range t.Rules {
		rules = append(rules, m.Rule)
		at[m.Rule] = i
	}
	table := rule.Compile(rules, r.base.Scope)
	for _, u := range others {
		if _, _, byHand := r.base.Leads(u); byHand {
			continue
		}
		if m, ok := table.Lookup(u); ok {
			made := &t.Rules[at[m.Rule]]
			made.Undecided++
			if made.Other == "" {
				made.Other = u.String()
			}
		}
	}
	for i := range t.Rules {
		if m := &t.Rules[i]; m.Pattern {
			m.Unlisted, _ = table.Example(m.Rule)
		}
	}
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}
