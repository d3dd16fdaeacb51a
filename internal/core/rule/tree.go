package rule

import (
	"fmt"
	"slices"
	"strings"
)

// node is a place in the tree over the segments of a host's patterns. What only one pattern goes
// through is not taken apart further.
type node struct {
	best     int32 // the lowest rank in here
	single   *tail // the only pattern that goes on from here
	only     string
	onlyTo   *node            // behind the one segment of text that leads on, called only
	literal  map[string]*node // by the whole segment, where there are several
	any      *node            // a segment that is one capture
	digits   *node            // a segment that is one capture of digits
	mixed    []mixed          // segments with captures and text
	ends     leaves           // patterns that end here
	restEnds []restEnd        // patterns whose {+name} starts in the segment that begins here
	restAt   map[string]int   // the place of each of them, while the tree is made
}

// leaf is a pattern. It is known by its rank: the lower, the more specific.
type leaf struct {
	rank   int32
	scheme uint8
	asks   bool // it has conditions on the query
	ends   kind
}

// kind says what paths a pattern is compared with.
type kind uint8

const (
	byShort kind = iota // without what does not count at their end
	byWhole             // it ends with {+name}: as they are, too
	bySlash             // with a slash at their end
)

// kindOf gives the kind of a pattern at a host with a mode.
func (m Mode) kindOf(parts []Part) kind {
	switch {
	case endsOpen(parts):
		return byWhole
	case m.slashed(parts):
		return bySlash
	}
	return byShort
}

type mixed struct {
	parts []Part
	to    *node
}

// restEnd is the end of a pattern with {+name}: what stands before that in its segment, and the
// literal ending behind.
type restEnd struct {
	parts  []Part // with the ending all that is left of the pattern; else what stands before {+name}
	ending bool
	ends   kind
	leaves
}

// leaves are patterns that take the same paths, the most specific first.
type leaves struct {
	all   []leaf
	sorts *querySorts // nil for a few
}

// tail is the rest of a pattern, as a program where its captures are whole segments, else as parts;
// and as segments.
type tail struct {
	program string
	leaf
	parts []Part
	all   [][]Part
}

// The steps of a program. A text is its step, its length and its octets.
const (
	stepText = iota + 1
	stepAny
	stepDigits
	stepRest
)

// program writes parts as steps that lie together in memory, "" where a capture is no whole
// segment.
func program(parts []Part) string {
	var b []byte
	for i, p := range parts {
		ends := i == len(parts)-1 || strings.HasPrefix(parts[i+1].Literal, "/")
		starts := i == 0 || strings.HasSuffix(parts[i-1].Literal, "/")
		switch {
		case !p.IsCapture() && len(p.Literal) < 256:
			b = append(append(b, stepText, byte(len(p.Literal))), p.Literal...)
		case p.Rest:
			b = append(b, stepRest)
		case !starts || !ends || p.Label || !p.IsCapture():
			return ""
		case p.Digits:
			b = append(b, stepDigits)
		default:
			b = append(b, stepAny)
		}
	}
	return string(b)
}

// run reports whether a program takes a whole text.
func run(program, s string) bool {
	for i := 0; i < len(program); i++ {
		switch program[i] {
		case stepText:
			n := int(program[i+1])
			if len(s) < n || s[:n] != program[i+2:i+2+n] {
				return false
			}
			s, i = s[n:], i+1+n
		case stepRest:
			return i+1 == len(program) || ending(s, program[i+3:]) >= 0
		default:
			end := strings.IndexByte(s, '/')
			if end < 0 {
				end = len(s)
			}
			if end == 0 || program[i] == stepDigits && !allDigits(s[:end]) {
				return false
			}
			s = s[end:]
		}
	}
	return s == ""
}

func (t *tail) takes(s string) bool {
	if t.program != "" {
		return run(t.program, s)
	}
	return takesAll(t.parts, s)
}

// newTree makes the tree of a host's patterns, the most specific first.
func newTree(x *Index, t *hostTable, rules []*Rule) *node {
	root := &node{best: int32(len(t.patterns))}
	for rank, r := range t.patterns {
		h := x.head(r)
		parts := rules[r.rule()].Old.Parts
		t.slashed = t.slashed || t.mode.slashed(parts)
		root.add(Segments(t.mode.parts(parts)),
			leaf{int32(rank), h.scheme, h.flags&asksFlag != 0, t.mode.kindOf(parts)})
	}
	root.settle(func(l *leaves) {
		if len(l.all) > fewRules {
			l.sorts = newQuerySorts(x.seed, len(l.all), func(at int) []Condition {
				return rules[t.patterns[l.all[at].rank].rule()].Old.Query
			})
		}
	})
	return root
}

// settle calls a function for all leaves, and forgets what was needed only to make the tree.
func (n *node) settle(each func(*leaves)) {
	if n == nil {
		return
	}
	n.restAt = nil
	each(&n.ends)
	for i := range n.restEnds {
		each(&n.restEnds[i].leaves)
	}
	for i := range n.mixed {
		n.mixed[i].to.settle(each)
	}
	for _, to := range n.literal {
		to.settle(each)
	}
	n.onlyTo.settle(each)
	n.any.settle(each)
	n.digits.settle(each)
}

// Variant is a set of paths: those that Parts take, without those that end in one of Not.
type Variant struct {
	Parts []Part
	Not   []string
}

// Variants gives the sets of paths that together are, exactly, what a pattern takes at a host with
// a mode. All are folded where it ignores case.
func (m Mode) Variants(parts []Part) []Variant {
	if m.IsExact() {
		return []Variant{{Parts: parts}}
	}
	form := m.parts(parts)
	n := len(form)
	last := form[n-1]
	var index []string
	for _, name := range m.Index {
		if m.IgnoreCase {
			name = foldString(name)
		}
		index = append(index, name)
	}
	var all []Variant
	// whole adds the paths of a pattern as they are: not those that end in the name of an index file,
	// since what is compared of them is shorter.
	whole := func(parts []Part) {
		last := parts[len(parts)-1]
		if !last.IsCapture() && m.endOfLiteral(last.Literal, len(parts) == 1) != len(last.Literal) {
			return // only a longer path comes down to it
		}
		v := Variant{Parts: parts}
		for _, name := range index {
			// a capture may bring the rest of the name
			if len(parts) > 1 && strings.HasSuffix("/"+name, last.Literal) {
				v.Not = append(v.Not, "/"+name)
			}
		}
		all = append(all, v)
	}
	if endsOpen(parts) {
		all = append(all, Variant{Parts: form})
		// A folder counts also without its slash.
		if before := form[n-2].Literal; m.EitherSlash && strings.HasSuffix(before, "/") &&
			!strings.HasSuffix(before, "//") &&
			(n > 2 || len(before) > 1) {
			short := slices.Clone(form[:n-1])
			if short[n-2].Literal = strings.TrimSuffix(before, "/"); short[n-2].Literal == "" {
				short = short[:n-2]
			}
			whole(short)
		}
		return all
	}
	if m.slashed(parts) {
		v := Variant{Parts: form[:n-1], Not: []string{"/"}}
		for _, name := range index {
			v.Not = append(v.Not, "/"+name)
		}
		all = append(all, v, Variant{Parts: form})
	} else {
		whole(form)
	}
	add := func(tail string) {
		longer := slices.Clone(form)
		if last.IsCapture() {
			longer = append(longer, Part{Literal: tail})
		} else {
			longer[n-1].Literal += tail
		}
		all = append(all, Variant{Parts: longer})
	}
	slash := "/"
	if strings.HasSuffix(last.Literal, "/") {
		slash = ""
	}
	if slash != "" && !m.EitherSlash {
		return all
	}
	if slash != "" {
		add("/")
	}
	for _, name := range index {
		add(slash + name)
	}
	return all
}

// parts gives a pattern in the form in which a mode compares it: folded, and without what does not
// count at its end.
func (m Mode) parts(parts []Part) []Part {
	if m.IsExact() {
		return parts
	}
	made := slices.Clone(parts)
	for i := range made {
		if m.IgnoreCase {
			made[i].Literal = foldString(made[i].Literal)
		}
	}
	last := &made[len(made)-1]
	if !last.IsCapture() {
		// The end of the pattern decides together with what stands before it; a slash alone behind a
		// capture goes too.
		last.Literal = last.Literal[:m.endOfLiteral(last.Literal, len(made) == 1)]
		switch {
		case m.slashed(parts):
			last.Literal = "/" // else {+name} would stand last, and take all
		case last.Literal == "":
			made = made[:len(made)-1]
		}
	}
	return made
}

// slashed reports whether a pattern ends with {+name} and what does not count at the end of a path:
// paths are compared with a slash at their end then, instead of none.
func (m Mode) slashed(parts []Part) bool {
	n := len(parts)
	return m.EitherSlash && n > 1 && parts[n-2].Rest && m.endOfLiteral(parts[n-1].Literal, false) == 0
}

// withSlash gives a path as it is compared with a slash at its end.
func (m Mode) withSlash(path string) string {
	return strings.TrimSuffix(path[:m.end(path)], "/") + "/"
}

func (m Mode) endOfLiteral(s string, whole bool) int {
	if whole {
		return m.end(s)
	}
	return m.end("x"+s) - 1
}

// Segments takes a pattern apart at its slashes, the first one left away.
func Segments(parts []Part) [][]Part {
	all := [][]Part{nil}
	for i, p := range parts {
		if p.IsCapture() {
			all[len(all)-1] = append(all[len(all)-1], p)
			continue
		}
		text := p.Literal
		if i == 0 {
			text = strings.TrimPrefix(text, "/")
		}
		for n, piece := range strings.Split(text, "/") {
			if n > 0 {
				all = append(all, nil)
			}
			if piece != "" {
				all[len(all)-1] = append(all[len(all)-1], Part{Literal: piece})
			}
		}
	}
	return all
}

// add adds what is left of a pattern from here on.
func (n *node) add(all [][]Part, l leaf) {
	n.best = min(n.best, l.rank)
	if n.single == nil && n.onlyTo == nil && n.literal == nil && n.any == nil && n.digits == nil &&
		n.mixed == nil &&
		n.restEnds == nil {
		parts := joined(all)
		n.single = &tail{program(parts), l, parts, all}
		return
	}
	if t := n.single; t != nil {
		n.single = nil
		n.insert(t.all, t.leaf)
	}
	n.insert(all, l)
}

func (n *node) insert(all [][]Part, l leaf) {
	segment := all[0]
	if at := slices.IndexFunc(segment, func(p Part) bool { return p.Rest }); at >= 0 {
		e := restEnd{segment[:at], false, l.ends, leaves{}}
		if at < len(segment)-1 || len(all) > 1 {
			e = restEnd{joined(all), true, l.ends, leaves{}}
		}
		key := e.key()
		place, have := n.restAt[key]
		if !have {
			if n.restAt == nil {
				n.restAt = map[string]int{}
			}
			place = len(n.restEnds)
			n.restAt[key], n.restEnds = place, append(n.restEnds, e)
		}
		n.restEnds[place].all = append(n.restEnds[place].all, l)
		return
	}
	to := n.child(segment, l.rank)
	to.best = min(to.best, l.rank)
	if len(all) == 1 {
		to.ends.all = append(to.ends.all, l)
	} else {
		to.add(all[1:], l)
	}
}

// joined puts segments together again.
func joined(all [][]Part) []Part {
	var parts []Part
	text := ""
	flush := func() {
		if text != "" {
			parts = append(parts, Part{Literal: text})
		}
		text = ""
	}
	for i, segment := range all {
		if i > 0 {
			text += "/"
		}
		for _, p := range segment {
			if !p.IsCapture() {
				text += p.Literal
				continue
			}
			flush()
			parts = append(parts, p)
		}
	}
	flush()
	return parts
}

// child returns the node behind a segment, and makes it where there is none.
func (n *node) child(segment []Part, rank int32) *node {
	fresh := func(at **node) *node {
		if *at == nil {
			*at = &node{best: rank}
		}
		return *at
	}
	switch {
	case len(segment) == 0:
		return n.literalChild("", rank)
	case len(segment) == 1 && !segment[0].IsCapture():
		return n.literalChild(segment[0].Literal, rank)
	case len(segment) == 1 && segment[0].Digits:
		return fresh(&n.digits)
	case len(segment) == 1 && !segment[0].Label:
		return fresh(&n.any)
	}
	for _, m := range n.mixed {
		if slices.EqualFunc(m.parts, segment, sameTaking) {
			return m.to
		}
	}
	to := &node{best: rank}
	n.mixed = append(n.mixed, mixed{segment, to})
	return to
}

func (n *node) literalChild(text string, rank int32) *node {
	switch {
	case n.literal == nil && n.onlyTo == nil:
		n.only, n.onlyTo = text, &node{best: rank}
		return n.onlyTo
	case n.literal == nil && n.only == text:
		return n.onlyTo
	case n.literal == nil:
		n.literal = map[string]*node{n.only: n.onlyTo}
		n.only, n.onlyTo = "", nil
	}
	if n.literal[text] == nil {
		n.literal[text] = &node{best: rank}
	}
	return n.literal[text]
}

// behind returns the node behind a segment of text, nil where there is none.
func (n *node) behind(segment string) *node {
	if n.onlyTo != nil {
		if n.only == segment {
			return n.onlyTo
		}
		return nil
	}
	return n.literal[segment]
}

// key tells ends apart that take different texts.
func (e *restEnd) key() string {
	var b strings.Builder
	for _, p := range e.parts {
		if p.IsCapture() {
			p.Name = "x"
		}
		b.WriteString(p.String())
		if p.Label {
			b.WriteString(" label")
		}
	}
	fmt.Fprint(&b, " ", e.ending, e.ends)
	return b.String()
}

// sameTaking reports whether two parts take the same, whatever their captures are called.
func sameTaking(a, b Part) bool {
	return a.Literal == b.Literal && a.IsCapture() == b.IsCapture() && a.Digits == b.Digits &&
		a.Rest == b.Rest &&
		a.Label == b.Label
}

// walker looks for the most specific pattern that takes a path.
type walker struct {
	index  *Index
	table  *hostTable
	scheme uint8
	query  asked
	best   int32
}

// offer takes a pattern if it is better than the one so far, about this scheme, and its conditions
// hold.
func (w *walker) offer(l leaf) {
	switch {
	case l.rank >= w.best || l.scheme != 0 && l.scheme != w.scheme:
	case l.asks && !w.query.hold(w.index.rich[w.table.patterns[l.rank].rule()].Old.Query):
	default:
		w.best = l.rank
	}
}

// offerAll takes the best of patterns that take the path.
func (w *walker) offerAll(all *leaves) {
	if all.sorts == nil {
		for _, l := range all.all {
			w.offer(l)
		}
		return
	}
	all.sorts.each(&w.query, func(place int) bool {
		w.offer(all.all[place])
		return all.all[place].rank < w.best
	})
}

// walk goes down from a node, with the segment that starts at a place of the path. It looks for
// patterns of one kind alone, or, with byShort, for all.
func (w *walker) walk(n *node, path string, at int, ends kind) {
	if n.best >= w.best {
		return
	}
	rest := path[at:]
	if t := n.single; t != nil {
		if (ends == byShort || t.ends == ends) && t.takes(rest) {
			w.offer(t.leaf)
		}
		return
	}
	for i := range n.restEnds {
		e := &n.restEnds[i]
		if e.all[0].rank < w.best && (ends == byShort || e.ends == ends) && e.takes(rest) {
			w.offerAll(&e.leaves)
		}
	}
	segment, last := rest, true
	if slash := strings.IndexByte(rest, '/'); slash >= 0 {
		segment, last = rest[:slash], false
	}
	down := func(to *node) {
		if !last {
			w.walk(to, path, at+len(segment)+1, ends)
			return
		}
		if ends == byShort {
			w.offerAll(&to.ends)
		}
	}
	if to := n.behind(segment); to != nil {
		down(to)
	}
	if segment == "" {
		return
	}
	if n.digits != nil && n.digits.best < w.best && allDigits(segment) {
		down(n.digits)
	}
	for i := range n.mixed {
		if m := &n.mixed[i]; m.to.best < w.best && takesAll(m.parts, segment) {
			down(m.to)
		}
	}
	if n.any != nil {
		down(n.any)
	}
}

func (e *restEnd) takes(s string) bool {
	if e.ending {
		return takesAll(e.parts, s)
	}
	return takesStart(e.parts, s)
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// unit returns how long the octet at a place of a path in normal form is: 3 where it is
// percent-encoded.
func unit(s string, at int) int {
	if s[at] == '%' && at+2 < len(s) {
		return 3
	}
	return 1
}

// takesUnit reports whether a capture may hold the octet at a place.
func (p Part) takesUnit(s string, at int) bool {
	c := s[at]
	switch {
	case p.Rest:
		return true
	case p.Digits:
		return c >= '0' && c <= '9'
	case p.Label:
		return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c == '-'
	}
	return c != '/'
}

// endsOpen reports whether a pattern ends with {+name}.
func endsOpen(parts []Part) bool { return len(parts) > 0 && parts[len(parts)-1].Rest }

// ending gives where a literal ending begins in a text in normal form, -1 where that does not end
// so. What begins within an escape is none.
func ending(s, literal string) int {
	at := len(s) - len(literal)
	if at < 0 || s[at:] != literal {
		return -1
	}
	if at > 0 && s[at-1] == '%' && len(literal) > 1 || at > 1 && s[at-2] == '%' {
		return -1
	}
	return at
}

// takesAll reports whether parts take a whole text.
func takesAll(parts []Part, s string) bool {
	m := matcher{parts: parts, text: s}
	return m.from(0, 0)
}

// takesStart reports whether parts without {+name} take some beginning of a text.
func takesStart(parts []Part, s string) bool {
	if len(parts) == 1 && !parts[0].IsCapture() {
		return strings.HasPrefix(s, parts[0].Literal)
	}
	m := matcher{parts: parts, text: s, open: true}
	return m.from(0, 0)
}

// mostKnown is how many bits a matcher remembers without making anything.
const mostKnown = 1024

// matcher matches parts with a text, captures taking the shortest first. What failed once is not
// tried again, so that the time is the product of both, whatever a hostile URL holds.
type matcher struct {
	parts  []Part
	text   string
	open   bool // the text may go on behind the parts
	spans  []span
	failed [mostKnown / 64]uint64
	more   []uint64
}

func (m *matcher) known(part, at int) (word *uint64, bit uint64) {
	n := part*(len(m.text)+1) + at
	if n < mostKnown {
		return &m.failed[n/64], 1 << (n % 64)
	}
	if m.more == nil {
		m.more = make([]uint64, (len(m.parts)+1)*(len(m.text)+1)/64+1)
	}
	return &m.more[n/64], 1 << (n % 64)
}

// from reports whether the parts from one on take the text from a place on, and notes what captures
// take where spans are wanted.
func (m *matcher) from(part, at int) bool {
	if part == len(m.parts) {
		return m.open || at == len(m.text)
	}
	p := m.parts[part]
	if !p.IsCapture() {
		return strings.HasPrefix(m.text[at:], p.Literal) && m.from(part+1, at+len(p.Literal))
	}
	if p.Rest {
		end := len(m.text)
		if part+1 < len(m.parts) {
			if end = ending(m.text, m.parts[part+1].Literal); end < at {
				return false
			}
		}
		m.note(part, at, end)
		return true
	}
	word, bit := m.known(part, at)
	if *word&bit != 0 {
		return false
	}
	for end := at; end < len(m.text) && p.takesUnit(m.text, end); {
		end += unit(m.text, end)
		if m.from(part+1, end) {
			m.note(part, at, end)
			return true
		}
	}
	*word |= bit
	return false
}

func (m *matcher) note(part, from, to int) {
	if m.spans != nil {
		m.spans[part] = span{uint32(from), uint32(to)}
	}
}

// span is a piece of a text.
type span struct{ from, to uint32 }
