package servers

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// block is doors of one domain and scheme that answer alike, so that one server block says it for
// all of them.
type block struct {
	predict.Treatment // the first of them
	names             []string
	table             *table // nil where no rule is asked and nothing is looked up
}

// table is the rules that doors ask, with what happens where none takes a path. Doors with the same
// table share it.
type table struct {
	number   int
	door     predict.Treatment
	exact    []exactRule  // paths that can be looked up
	asking   []rule.Entry // exact paths with conditions on the query: they win over the exact ones
	patterns []rule.Entry // what has to be tried one by one, in its order
	hosts    []string
	entries  []rule.Entry
	also     map[int][]int // the lines that say the same as one

	// What nginx's maps hold.
	found    string       // the variable that they end in, "" where there is none
	marked   map[int]bool // statuses that stand before targets
	unmarked bool         // some target has no status before it
}

// exactRule is a rule and a path that it takes, decoded.
type exactRule struct {
	path string
	rule *rule.Rule
}

// blocksOf puts doors that answer alike together, in their order, and gives the tables that they
// need.
func blocksOf(doors []predict.Treatment, sort func(*table, []rule.Entry)) ([]block, []*table) {
	var blocks []block
	var tables []*table
	byKey, byTable := map[string]int{}, map[string]*table{}
	for _, d := range doors {
		entries := held(d)
		key := keyOf(d, entries)
		blockKey := fmt.Sprint(d.Scheme, d.Exempt, key)
		at, known := byKey[blockKey]
		if !known {
			at = len(blocks)
			byKey[blockKey] = at
			blocks = append(blocks, block{Treatment: d, table: byTable[key]})
			if t := byTable[key]; t != nil {
				if more := t.same(entries); len(more) > 0 { // what is said of those is said of these too
					sort(&table{door: d}, more)
				}
			}
			if d.Does == predict.Redirects && !d.Upgrades && byTable[key] == nil {
				t := &table{number: len(tables) + 1, door: d}
				sort(t, entries)
				t.entries = entries
				byTable[key], tables = t, append(tables, t)
				blocks[at].table = t
			}
		}
		blocks[at].names = append(blocks[at].names, d.Host.String())
		if t := blocks[at].table; t != nil && !slices.Contains(t.hosts, d.Host.Unicode()) {
			t.hosts = append(t.hosts, d.Host.Unicode())
		}
	}
	return blocks, tables
}

// same notes rules that say the same, in the same order, and gives those of other lines.
func (t *table) same(entries []rule.Entry) (more []rule.Entry) {
	for i, e := range entries {
		own, line := t.entries[i].Rule.Line, e.Rule.Line
		if line == own || slices.Contains(t.also[own], line) {
			continue
		}
		if t.also == nil {
			t.also = map[int][]int{}
		}
		t.also[own] = append(t.also[own], line)
		more = append(more, e)
	}
	return more
}

// linesOf gives the line of a rule, and those that say the same.
func (t *table) linesOf(r *rule.Rule) string {
	return linesText(append([]int{r.Line}, t.also[r.Line]...))
}

// keyOf tells apart what doors answer.
func keyOf(d predict.Treatment, entries []rule.Entry) string {
	var key strings.Builder
	name := ""
	if d.Domain != nil {
		name = d.Domain.Name.String()
	}
	fmt.Fprint(&key, name, d.Does, d.DropsPath, d.DropsQuery, d.Upgrades, d.Status, d.Canonical,
		d.Home, d.Fallback)
	if d.Upgrades {
		fmt.Fprint(&key, d.Host)
	}
	for _, e := range entries { // what they say, whatever the host and scheme are that they say it for
		r := e.Rule
		old := r.Old
		old.Scheme, old.Host = "", web.Host{}
		fmt.Fprintf(&key, " %s %d %s %t", old, r.Status, r.New, r.DropQuery)
	}
	return key.String()
}

// remembers gives the header that says for how long permanent redirects may be kept, which is the
// same for all doors of a carrier; "" for none.
func remembers(blocks []block) string {
	for _, b := range blocks {
		if b.Remember != "" {
			return b.Remember
		}
	}
	return ""
}

// held gives the rules that may take a URL of a door, within its limits: none below an exempt path,
// none with a condition where no query is seen, and where paths are dropped only those that take
// the root.
func held(d predict.Treatment) []rule.Entry {
	if !d.AsksRules() {
		return nil
	}
	all := d.Rules.On(d.Asked)
	if !d.Paths.IsExact() { // different texts may take one path there
		all = slices.Clone(d.Rules.All(d.Asked))
		slices.SortStableFunc(all, rule.Compare)
	}
	return slices.DeleteFunc(all, func(e rule.Entry) bool {
		first := e.Rule.Old.Parts[0].Literal
		exempt := slices.ContainsFunc(d.Exempt, func(prefix string) bool {
			return strings.HasPrefix(first, prefix)
		})
		return exempt || d.DropsQuery && len(e.Rule.Old.Query) > 0 ||
			d.DropsPath && !takesRoot(e.Rule, d.Paths)
	})
}

// takesRoot reports whether a rule takes the path "/", whatever the query is.
func takesRoot(r *rule.Rule, mode rule.Mode) bool {
	return slices.ContainsFunc(mode.Variants(r.Old.Parts), func(v rule.Variant) bool {
		p := v.Parts
		return p[0].Literal == "/" && (len(p) == 1 || len(p) == 2 && p[1].Rest)
	})
}

// sortOut parts the rules of a table into those that can be looked up by their decoded path and the
// others. Not looked up are paths with an encoded character that would mean something else decoded,
// and where twins says so, those that differ from another one in case only. barred says why a
// server cannot hold a rule; such rules are handed to refuse.
func (t *table) sortOut(
	entries []rule.Entry,
	foldsCase bool,
	barred func(r *rule.Rule, hashable bool) string,
	refuse func(*rule.Rule, string),
) {
	mode, taken := t.door.Paths, map[string]bool{}
	spelt := map[string]map[string]bool{} // by their folded form, the ways in which paths are written
	for _, e := range entries {
		if _, exact := e.Rule.Old.Exact(); !exact {
			continue
		}
		for _, v := range mode.Variants(e.Rule.Old.Parts) {
			key := web.Decode(v.Parts[0].Literal)
			if folded := lowerASCII(key); spelt[folded] == nil {
				spelt[folded] = map[string]bool{key: true}
			} else {
				spelt[folded][key] = true
			}
		}
	}
	twin := func(r *rule.Rule) bool {
		return slices.ContainsFunc(mode.Variants(r.Old.Parts), func(v rule.Variant) bool {
			return len(spelt[lowerASCII(web.Decode(v.Parts[0].Literal))]) > 1
		})
	}
	for _, e := range entries {
		path, exact := e.Rule.Old.Exact()
		asks := len(e.Rule.Old.Query) > 0
		lookedUp := exact && !t.door.DropsPath && !encodedReserved(path) && !strings.HasPrefix(path, "//")
		if foldsCase && !mode.IgnoreCase {
			lookedUp = lookedUp && !twin(e.Rule)
		}
		switch why := barred(e.Rule, lookedUp && !asks); {
		case why != "":
			refuse(e.Rule, why)
		case lookedUp && !asks:
			for _, v := range mode.Variants(e.Rule.Old.Parts) {
				if key := web.Decode(v.Parts[0].Literal); !taken[key] {
					taken[key] = true
					t.exact = append(t.exact, exactRule{key, e.Rule})
				}
			}
		case lookedUp:
			t.asking = append(t.asking, e)
		default:
			t.patterns = append(t.patterns, e)
		}
	}
}

// bucket is patterns whose paths begin alike. A path that begins so meets these, and then what the
// bucket above it holds.
type bucket struct {
	prefix   string // decoded
	patterns []rule.Entry
	above    *bucket
	number   int
}

// mostInBucket is how many patterns a path may meet before they are parted by how they begin.
const mostInBucket = 3

// bucketsOf parts patterns by the literal text with which their paths begin. The first bucket is
// that of the root. Where patterns of a bucket above come before the last one of a bucket, the
// bucket holds them too, so that the order of all stays right.
func bucketsOf(patterns []rule.Entry, most int, headOf func(*rule.Rule) string) []*bucket {
	rank := make(map[*rule.Rule]int, len(patterns))
	heads := make(map[*rule.Rule]string, len(patterns))
	for i, e := range patterns {
		rank[e.Rule] = i
		heads[e.Rule] = headOf(e.Rule)
	}
	var all []*bucket
	var part func(prefix string, own []rule.Entry, above *bucket)
	part = func(prefix string, own []rule.Entry, above *bucket) {
		b := &bucket{prefix: prefix, above: above, number: len(all)}
		all = append(all, b)
		if len(own) <= most {
			b.patterns = own
			return
		}
		below := map[byte][]rule.Entry{}
		var order []byte
		for _, e := range own {
			head := heads[e.Rule]
			if head == prefix {
				b.patterns = append(b.patterns, e)
				continue
			}
			next := head[len(prefix)]
			if below[next] == nil {
				order = append(order, next)
			}
			below[next] = append(below[next], e)
		}
		slices.Sort(order)
		for _, next := range order {
			part(commonHead(below[next], heads), below[next], b)
		}
	}
	part("/", patterns, nil)
	for _, b := range all {
		b.takeFromAbove(rank)
	}
	return all
}

// parted is patterns in tables, by how paths begin.
type parted struct {
	tables [][]rule.Entry // in the order in which they are tried
	begins []beginning
}

// beginning is a text with which paths begin, and the numbers, from 1, of the tables that those
// meet for which it is the longest one.
type beginning struct {
	prefix string
	tables []int
}

// partsOf parts patterns into tables of about most. Small ones beside each other are put together.
func partsOf(patterns []rule.Entry, most int, headOf func(*rule.Rule) string) parted {
	if len(patterns) <= most {
		return parted{tables: [][]rule.Entry{patterns}}
	}
	rank := make(map[*rule.Rule]int, len(patterns))
	for i, e := range patterns {
		rank[e.Rule] = i
	}
	buckets := bucketsOf(patterns, most, headOf)
	inner := map[*bucket]bool{}
	for _, b := range buckets {
		inner[b.above] = true
	}
	joined, last := map[*bucket]*bucket{}, map[*bucket]*bucket{}
	for _, b := range buckets {
		joined[b] = b
		if inner[b] {
			continue
		}
		before := last[b.above]
		if before == nil || len(before.patterns)+len(b.patterns) > most {
			last[b.above] = b
			continue
		}
		joined[b] = before
		all := append(before.patterns, b.patterns...)
		slices.SortFunc(all, func(x, y rule.Entry) int { return rank[x.Rule] - rank[y.Rule] })
		before.patterns = slices.CompactFunc(all, func(x, y rule.Entry) bool { return x.Rule == y.Rule })
	}
	var p parted
	numbers := map[*bucket]int{}
	for _, b := range slices.Backward(buckets) { // those below come after those above
		if joined[b] == b && len(b.patterns) > 0 {
			p.tables = append(p.tables, b.patterns)
			numbers[b] = len(p.tables)
		}
	}
	for _, b := range buckets {
		one := beginning{prefix: b.prefix}
		for at := b; at != nil; at = at.above {
			if n := numbers[joined[at]]; n > 0 {
				one.tables = append(one.tables, n)
			}
		}
		p.begins = append(p.begins, one)
	}
	return p
}

func commonHead(entries []rule.Entry, heads map[*rule.Rule]string) string {
	common := heads[entries[0].Rule]
	for _, e := range entries[1:] {
		common = commonPrefix(common, heads[e.Rule])
	}
	return common
}

func commonPrefix(a, b string) string {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return a[:n]
}

// takeFromAbove adds the patterns of the buckets above that come before the last one of a bucket.
func (b *bucket) takeFromAbove(rank map[*rule.Rule]int) {
	if b.above == nil || len(b.patterns) == 0 {
		return
	}
	last := 0
	for _, e := range b.patterns {
		last = max(last, rank[e.Rule])
	}
	known := map[*rule.Rule]bool{}
	for _, e := range b.patterns {
		known[e.Rule] = true
	}
	for above := b.above; above != nil; above = above.above {
		for _, e := range above.patterns {
			if rank[e.Rule] < last && !known[e.Rule] {
				known[e.Rule] = true
				b.patterns = append(b.patterns, e)
			}
		}
	}
	slices.SortFunc(b.patterns, func(x, y rule.Entry) int { return rank[x.Rule] - rank[y.Rule] })
}

// encodedReserved reports whether a path in normal form holds an encoded character that would mean
// something else decoded.
func encodedReserved(path string) bool {
	for _, u := range web.Units(path) {
		if len(u.Normal) != 3 {
			continue
		}
		raw := web.Decode(u.Normal)
		if raw == "?" || raw == "#" || raw == "[" || raw == "]" ||
			web.NormalPath(raw) == raw && raw != "%" {
			return true
		}
	}
	return false
}

func lowerASCII(s string) string {
	b := []byte(s)
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
	return string(b)
}

// cleanTarget encodes what may not stand in a Location, as the core does.
func cleanTarget(s string) string {
	var b strings.Builder
	for _, c := range []byte(s) {
		if c <= 0x20 || c >= 0x7f {
			fmt.Fprintf(&b, "%%%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}
