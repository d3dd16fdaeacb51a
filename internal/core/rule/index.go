package rule

import (
	"encoding/binary"
	"hash/maphash"
	"slices"
	"strings"
	"unsafe"

	"upperpath.example/upperpath/internal/core/web"
)

// Mode says how a host compares paths, beside RFC 3986: for old sites that did not care. The zero
// value is exact.
type Mode struct {
	IgnoreCase  bool     // of ASCII letters
	EitherSlash bool     // a slash at the end does not count
	Index       []string // file names that stand for their folder, such as index.html
}

// IsExact reports whether a mode changes nothing.
func (m Mode) IsExact() bool { return !m.IgnoreCase && !m.EitherSlash && len(m.Index) == 0 }

// Index is rules compiled for look-ups, compact and whole in itself: exact ones by hash, patterns
// by a tree over segments. It is not changed any more, and looking up makes nothing, so it is safe
// for many goroutines.
type Index struct {
	seed   maphash.Seed
	hosts  map[string]uint32 // name to place in tables
	tables []hostTable
	text   []byte   // the exact rules, one behind the other: a head, path and target
	at     []uint32 // where in text each rule stands, in words of 8 octets
	slots  []slot
	chains []pathRules      // of those that share a path
	rich   map[uint32]*Rule // rules with captures or conditions
}

// hostTable is what holds for one host.
type hostTable struct {
	mode     Mode
	apex     uint32 // the place of the host whose rules it inherits; its own where it inherits none
	patterns []ref  // the most specific first
	tree     *node
	slashed  bool // it has patterns of that kind
}

// head is what stands before path and target of a rule in the text of an index. It lies beside the
// path so that a look-up that hits reads one place of memory.
type head struct {
	rule, host, path, to, line uint32
	status                     uint16
	scheme                     uint8 // 0: both, 1: http, 2: https
	flags                      uint8
}

const (
	headSize  = 24
	dropsFlag = 1
	asksFlag  = 2 // it has conditions on the query
)

func (x *Index) head(r ref) head { return x.headAt(x.at[r.rule()]) }

func (x *Index) headAt(word uint32) head {
	b := x.text[uint64(word)*8:][:headSize:headSize]
	return head{
		binary.LittleEndian.Uint32(b),
		binary.LittleEndian.Uint32(b[4:]),
		binary.LittleEndian.Uint32(b[8:]),
		binary.LittleEndian.Uint32(b[12:]),
		binary.LittleEndian.Uint32(b[16:]),
		binary.LittleEndian.Uint16(b[20:]),
		b[22],
		b[23],
	}
}

func (h head) append(b []byte) []byte {
	for _, n := range []uint32{h.rule, h.host, h.path, h.to, h.line} {
		b = binary.LittleEndian.AppendUint32(b, n)
	}
	b = binary.LittleEndian.AppendUint16(b, h.status)
	return append(b, h.scheme, h.flags)
}

// ref names a rule, and says whether it is inherited.
type ref uint32

const (
	inheritedRef ref = 1 << 30
	ruleRef          = inheritedRef - 1
)

func (r ref) rule() uint32 { return uint32(r & ruleRef) }

// slot is a place of the hash table: one more than where a rule stands in the text, or with
// chainBit a chain; 0 for nothing.
type slot struct{ tag, word uint32 }

const chainBit = 1 << 31

// NewIndex compiles rules. Those for an apex hold for its www too, unless scope.Serves says
// otherwise.
func NewIndex(rules []*Rule, scope Scope) *Index {
	x := &Index{seed: maphash.MakeSeed(), hosts: map[string]uint32{}, rich: map[uint32]*Rule{}}
	b := indexBuilder{x, rules, inheritance{scope, map[web.Host]web.Host{}}}
	b.exactRules()
	b.settle()
	b.patterns()
	return x
}

type indexBuilder struct {
	*Index
	rules []*Rule
	scope inheritance
}

// host returns the place of a host's table.
func (b *indexBuilder) host(h web.Host) uint32 {
	if at, have := b.hosts[h.String()]; have {
		return at
	}
	at := uint32(len(b.tables))
	b.hosts[h.String()] = at
	t := hostTable{apex: at}
	if b.scope.Mode != nil {
		t.mode = b.scope.Mode(h)
	}
	b.tables = append(b.tables, t)
	return at
}

// inheritance knows which host inherits the rules of which: rules are many, hosts few.
type inheritance struct {
	Scope
	heirs map[web.Host]web.Host // zero: none
}

// inheritor returns the www of an apex that inherits its rules, and false where none does.
func (s inheritance) inheritor(r *Rule) (web.Host, bool) {
	heir, known := s.heirs[r.Old.Host]
	if !known {
		if r.Old.Host.IsApex() && (s.Serves == nil || !s.Serves(r.Old.Host.WWW())) {
			heir = r.Old.Host.WWW()
		}
		s.heirs[r.Old.Host] = heir
	}
	return heir, heir != web.Host{}
}

func schemeNumber(s web.Scheme) uint8 {
	switch s {
	case web.HTTP:
		return 1
	case web.HTTPS:
		return 2
	}
	return 0
}

func (b *indexBuilder) exactRules() {
	size, count := 0, 0
	for _, r := range b.rules {
		size += headSize + 8
		if path, ok := r.Old.Exact(); ok {
			size += len(path) + len(r.New.String())
			count += 2
		}
	}
	b.text = make([]byte, 0, size)
	b.at = make([]uint32, len(b.rules))
	slots := 16
	for 3*slots < 4*count {
		slots *= 2
	}
	b.slots = make([]slot, slots)
	for i, r := range b.rules {
		host := b.host(r.Old.Host)
		path, exact := r.Old.Exact()
		h := head{
			rule:   uint32(i),
			host:   host,
			line:   uint32(r.Line),
			status: uint16(r.Status),
			scheme: schemeNumber(r.Old.Scheme),
		}
		if r.DropQuery {
			h.flags |= dropsFlag
		}
		if !exact || len(r.Old.Query) > 0 {
			b.rich[uint32(i)] = r
		}
		if len(r.Old.Query) > 0 {
			h.flags |= asksFlag
		}
		to := ""
		if path = b.tables[host].mode.path(path); exact {
			to = r.New.String()
			h.path, h.to = uint32(len(path)), uint32(len(to))
		}
		for len(b.text)%8 != 0 {
			b.text = append(b.text, 0)
		}
		b.at[i] = uint32(len(b.text) / 8)
		b.text = h.append(b.text)
		if !exact {
			continue
		}
		b.text = append(append(b.text, path...), to...)
		b.put(host, path, ref(i))
		if www, inherits := b.scope.inheritor(r); inherits {
			at := b.host(www)
			b.tables[at].apex = host
			b.put(at, path, ref(i)|inheritedRef)
		}
	}
}

// put adds a rule to the slot of a host's path.
func (b *indexBuilder) put(host uint32, path string, r ref) {
	h := b.hash(host, maphash.String(b.seed, path))
	mask := uint64(len(b.slots) - 1)
	for i := h & mask; ; i = (i + 1) & mask {
		s := &b.slots[i]
		switch {
		case s.word == 0:
			s.tag, s.word = uint32(h>>32), b.at[r.rule()]+1
			return
		case s.tag != uint32(h>>32):
		case s.word&chainBit != 0:
			at := (s.word &^ chainBit) - 1
			if c := &b.chains[at]; b.isAt(b.at[c.refs[0].rule()], host, path) {
				c.refs = append(c.refs, r)
				return
			}
		case b.isAt(s.word-1, host, path):
			first := b.headAt(s.word - 1)
			other := ref(first.rule)
			if first.host != host {
				other |= inheritedRef
			}
			b.chains = append(b.chains, pathRules{refs: []ref{other, r}})
			s.word = chainBit | uint32(len(b.chains))
			return
		}
	}
}

func (x *Index) hash(host uint32, h uint64) uint64 {
	h ^= (uint64(host) + 1) * 0x9E3779B97F4A7C15
	h ^= h >> 29
	return h * 0xBF58476D1CE4E5B9
}

// isAt reports whether the rule at a place of the text is one of a host's path. What holds for an
// apex and stands at the same path of its www is inherited.
func (x *Index) isAt(word uint32, host uint32, path string) bool {
	b := x.text[uint64(word)*8:]
	if binary.LittleEndian.Uint32(b[8:]) != uint32(len(path)) ||
		string(b[headSize:][:len(path)]) != path {
		return false
	}
	own := binary.LittleEndian.Uint32(b[4:])
	return own == host || x.tables[host].apex == own
}

// compare gives the order in which rules win, as the table's function of the same name does.
func (b *indexBuilder) compare(x, y ref) int {
	return Compare(Entry{b.rules[x.rule()], x&inheritedRef != 0},
		Entry{b.rules[y.rule()], y&inheritedRef != 0})
}

func (b *indexBuilder) patterns() {
	for i, r := range b.rules {
		if _, exact := r.Old.Exact(); exact {
			continue
		}
		at := b.host(r.Old.Host)
		b.tables[at].patterns = append(b.tables[at].patterns, ref(i))
		if www, inherits := b.scope.inheritor(r); inherits {
			apex, at := at, b.host(www)
			b.tables[at].apex = apex
			b.tables[at].patterns = append(b.tables[at].patterns, ref(i)|inheritedRef)
		}
	}
	for at := range b.tables {
		t := &b.tables[at]
		slices.SortStableFunc(t.patterns, b.compare)
		if len(t.patterns) > 0 && t.patterns[0]&inheritedRef == 0 {
			t.tree = newTree(b.Index, t, b.rules)
		}
	}
	for at := range b.tables {
		t := &b.tables[at]
		switch apex := &b.tables[t.apex]; {
		case len(t.patterns) == 0 || t.tree != nil:
		case len(t.patterns) == len(apex.patterns) && !slices.ContainsFunc(t.patterns,
			func(r ref) bool { return r&inheritedRef == 0 }):
			// All of them are inherited, in the same order.
			t.tree, t.patterns, t.slashed = apex.tree, apex.patterns, apex.slashed
		default:
			t.tree = newTree(b.Index, t, b.rules)
		}
	}
}

// Match is what a look-up found.
type Match struct {
	Rule  *Rule // where a Table was asked; nil from an Index
	Place int   // of the rule among those that were compiled

	index       *Index
	table       uint32
	path, query string
}

// Find returns the rule that takes a URL as it came, and false where none does. Its text has to
// stay as it is while the match is used.
func (x *Index) Find(raw string) (Match, bool) {
	m, ok, missed := x.findPlain(raw)
	if ok {
		return m, true
	}
	r, plain := web.SplitRaw(raw)
	if !plain {
		u, err := web.ParseURL(raw)
		if err != nil {
			return Match{}, false
		}
		return x.Lookup(u)
	}
	at, have := x.hosts[r.Host]
	if !have {
		return Match{}, false
	}
	m = Match{index: x, table: at, path: r.Path, query: r.Query}
	if missed && r.Normal {
		t := &x.tables[at]
		return m, t.tree != nil && x.pattern(t, &m, schemeNumber(r.Scheme), m.path, m.path)
	}
	return m, x.lookup(&m, schemeNumber(r.Scheme), r.Normal)
}

// findPlain looks a URL up whose path is that of an exact rule to the letter: a path that equals
// one in normal form is in normal form. missed says that no exact rule has the path as it came.
func (x *Index) findPlain(raw string) (m Match, ok, missed bool) {
	scheme, rest := uint8(2), raw
	switch {
	case strings.HasPrefix(raw, "https://"):
		rest = raw[len("https://"):]
	case strings.HasPrefix(raw, "http://"):
		scheme, rest = 1, raw[len("http://"):]
	default:
		return m, false, false
	}
	slash := strings.IndexByte(rest, '/')
	if slash < 0 || strings.IndexByte(rest, '%') >= 0 || strings.IndexByte(rest, '?') >= 0 ||
		strings.IndexByte(rest, '#') >= 0 {
		return m, false, false
	}
	at, have := x.hosts[rest[:slash]]
	if !have || !x.tables[at].mode.IsExact() {
		return m, false, false
	}
	m = Match{index: x, table: at, path: rest[slash:]}
	ok = x.exactAt(&m, scheme, m.path)
	return m, ok, !ok
}

// Lookup returns the rule that takes a URL, and false where none does.
func (x *Index) Lookup(u web.URL) (Match, bool) {
	if u.Door().Port != 0 {
		return Match{}, false
	}
	at, have := x.hosts[u.Host().String()]
	if !have {
		return Match{}, false
	}
	m := Match{index: x, table: at, path: u.Path(), query: u.Query()}
	return m, x.lookup(&m, schemeNumber(u.Scheme()), web.IsNormalPath(m.path))
}

// lookup looks for the rule of a match's path, in the form in which its host compares paths.
func (x *Index) lookup(m *Match, scheme uint8, normal bool) bool {
	t := &x.tables[m.table]
	path := m.path
	if !normal || t.mode.IgnoreCase {
		var space [256]byte
		changed := space[:0]
		if normal {
			changed = append(changed, path...)
		} else {
			changed = web.AppendNormalPath(changed, path)
		}
		if t.mode.IgnoreCase {
			fold(changed)
		}
		// The octets are read while find runs, and nothing keeps them.
		return x.find(t, m, scheme, unsafe.String(unsafe.SliceData(changed), len(changed)))
	}
	return x.find(t, m, scheme, path)
}

func (x *Index) find(t *hostTable, m *Match, scheme uint8, path string) bool {
	short := path
	if !t.mode.IsExact() {
		short = path[:t.mode.end(path)]
	}
	return x.exactAt(m, scheme, short) || t.tree != nil && x.pattern(t, m, scheme, path, short)
}

// exactAt looks for an exact rule at the path of a match's host.
func (x *Index) exactAt(m *Match, scheme uint8, path string) bool {
	h := x.hash(m.table, maphash.String(x.seed, path))
	mask := uint64(len(x.slots) - 1)
	for i := h & mask; ; i = (i + 1) & mask {
		s := x.slots[i]
		switch {
		case s.word == 0:
			return false
		case s.tag != uint32(h>>32):
		case s.word&chainBit != 0:
			c := x.chains[(s.word&^chainBit)-1]
			if !x.isAt(x.at[c.refs[0].rule()], m.table, path) {
				continue
			}
			h, ok := x.first(c, scheme, m.query)
			if ok {
				m.Place = int(h.rule)
			}
			return ok
		case x.isAt(s.word-1, m.table, path):
			h := x.headAt(s.word - 1)
			m.Place = int(h.rule)
			return x.holds(h, scheme, m)
		}
	}
}

// chainAt returns all exact rules at a path of a host, in their order.
func (x *Index) chainAt(host uint32, path string) pathRules {
	h := x.hash(host, maphash.String(x.seed, path))
	mask := uint64(len(x.slots) - 1)
	for i := h & mask; ; i = (i + 1) & mask {
		s := x.slots[i]
		switch {
		case s.word == 0:
			return pathRules{}
		case s.tag != uint32(h>>32):
		case s.word&chainBit != 0:
			if c := x.chains[(s.word&^chainBit)-1]; x.isAt(x.at[c.refs[0].rule()], host, path) {
				return c
			}
		case x.isAt(s.word-1, host, path):
			first := x.headAt(s.word - 1)
			r := ref(first.rule)
			if first.host != host {
				r |= inheritedRef
			}
			return pathRules{refs: []ref{r}}
		}
	}
}

// holds reports whether a rule is about this scheme and its conditions on the query hold.
func (x *Index) holds(h head, scheme uint8, m *Match) bool {
	if h.scheme != 0 && h.scheme != scheme {
		return false
	}
	return h.flags&asksFlag == 0 || conditionsHold(x.rich[h.rule].Old.Query, m.query)
}

// pattern looks for the most specific pattern that takes a path.
func (x *Index) pattern(t *hostTable, m *Match, scheme uint8, whole, short string) bool {
	w := walker{x, t, scheme, asked{query: m.query}, int32(len(t.patterns))}
	w.walk(t.tree, short, 1, byShort)
	if len(short) != len(whole) {
		w.walk(t.tree, whole, 1, byWhole)
	} else if t.mode.EitherSlash && !strings.HasSuffix(short, "/") {
		w.walk(t.tree, whole+"/", 1, byWhole)
	}
	if t.slashed {
		w.walk(t.tree, t.mode.withSlash(whole), 1, bySlash)
	}
	if int(w.best) == len(t.patterns) {
		return false
	}
	m.Place = int(t.patterns[w.best].rule())
	return true
}

// fold makes small letters of capital ones. Hexadecimal digits of escapes become small too: both
// sides are folded.
func fold(b []byte) {
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
}

func foldString(s string) string {
	b := []byte(s)
	fold(b)
	return string(b)
}

// path gives a path in the form in which a mode compares it.
func (m Mode) path(path string) string {
	if m.IsExact() {
		return path
	}
	if m.IgnoreCase {
		path = foldString(path)
	}
	return path[:m.end(path)]
}

// end returns where a path ends for comparison: before the name of an index file, and before a
// slash at the end that follows a segment.
func (m Mode) end(path string) int {
	n := len(path)
	for _, name := range m.Index {
		if m.IgnoreCase {
			name = foldString(name)
		}
		if len(path) > len(name) && path[n-len(name):] == name && path[n-len(name)-1] == '/' {
			n -= len(name)
			break
		}
	}
	if m.EitherSlash && n > 1 && path[n-1] == '/' && path[n-2] != '/' {
		n--
	}
	return n
}

// IsRoot reports whether a path in normal form counts as the root.
func (m Mode) IsRoot(path string) bool { return path == "/" || !m.IsExact() && m.path(path) == "/" }
