package pair

import (
	"slices"
	"strings"
)

// mostSegments is how many segments an address may have to be made a pattern of.
const mostSegments = 12

// variants gives the patterns that may lead a pair, always in the same order: one that many pairs
// have in common becomes a rule.
func (r *ruler) variants(i int) []rewrite {
	w := r.wanted[i]
	host := r.hosts[i]
	o := segmentsOf(w.Old.Path())
	if len(o.all) == 0 || len(o.all) > mostSegments {
		return nil
	}
	var made []rewrite
	add := func(old, to string) {
		if c := (rewrite{host + old, to}); old != "" && !slices.Contains(made, c) {
			made = append(made, c)
		}
	}
	target := r.target(w.New)
	if w.Old.Query() != "" {
		r.asked(w.Old.Path(), w.Old.Query(), target, add)
		return made
	}
	door, path := "", target
	if at := strings.Index(target, "://"); at >= 0 {
		slash := strings.IndexByte(target[at+3:], '/')
		if slash < 0 {
			return nil
		}
		door, path = target[:at+3+slash], target[at+3+slash:]
	}
	if !w.New.IsZero() && !strings.ContainsAny(path, "?#") {
		n := segmentsOf(path)
		if len(n.all) <= mostSegments {
			aligned(o, n, func(old, to string) { add(old, door+to) })
		}
	}
	for depth := len(o.all) - 1; depth >= 0; depth-- { // all below a folder to one page
		prefix := "/"
		if depth > 0 {
			prefix = "/" + strings.Join(literals(o.all[:depth]), "/") + "/"
		}
		add(prefix+"{+rest}", target)
	}
	return made
}

// address is a path in pieces.
type address struct {
	all []string // segments, the last without its ending
	end string   // what stands behind the last: an ending, a slash, both or nothing
}

func segmentsOf(path string) address {
	a := address{}
	path = strings.TrimPrefix(path, "/")
	if strings.HasSuffix(path, "/") {
		path, a.end = path[:len(path)-1], "/"
	}
	if path == "" {
		return a
	}
	a.all = strings.Split(path, "/")
	last := a.all[len(a.all)-1]
	if dot := strings.LastIndexByte(last, '.'); dot > 0 && len(last)-dot <= 6 && dot < len(last)-1 {
		a.all[len(a.all)-1], a.end = last[:dot], last[dot:]+a.end
	}
	if n := len(a.all); n > 1 && indexes[strings.ToLower(a.all[n-1])] && a.end != "/" {
		a.end = "/" + a.all[n-1] + a.end // /news/index.html is what /news/ is
		a.all = a.all[:n-1]
	}
	return a
}

func literals(all []string) []string {
	made := make([]string, len(all))
	for i, s := range all {
		made[i] = literal(s)
	}
	return made
}

// What captures are called: the last segment, those before it, numbers.
var (
	segmentNames = strings.Split("abcdefghijkl", "")
	numberNames  = strings.Split("nmopqrstuvwx", "")
)

// aligned gives patterns of a pair of addresses that have segments in common.
func aligned(o, n address, add func(old, to string)) {
	write := func(segments []string, end string) string {
		return "/" + strings.Join(segments, "/") + end
	}
	k := 0 // segments at the end that both have
	for k < len(o.all) && k < len(n.all) && o.all[len(o.all)-1-k] == n.all[len(n.all)-1-k] {
		k++
	}
	heads := func(all []string, digits bool) []string {
		made := literals(all)
		for i, s := range all {
			if digits && isAllDigits(s) {
				made[i] = "{" + numberNames[i] + ":digits}"
			}
		}
		return made
	}
	for _, digits := range []bool{false, true} {
		if k > 0 {
			head := heads(o.all[:len(o.all)-k], digits)
			for _, run := range []int{k, 1} {
				oldHead := head
				newHead := literals(n.all[:len(n.all)-run])
				if run < k {
					oldHead = heads(o.all[:len(o.all)-run], digits)
				}
				add(write(append(slices.Clone(oldHead), "{page}"), o.end),
					write(append(slices.Clone(newHead), "{page}"), n.end))
				add(write(append(slices.Clone(oldHead), "{+rest}"), trimSlash(o.end)),
					write(append(slices.Clone(newHead), "{+rest}"), trimSlash(n.end)))
			}
		}
		eachAligned(o, n, digits, add, write)
	}
	if len(o.all) > 0 && len(n.all) > 0 {
		inName(o, n, add, write, heads)
	}
}

// trimSlash drops a slash that the rest takes itself.
func trimSlash(end string) string {
	if end == "/" {
		return ""
	}
	return end
}

// eachAligned gives patterns in which each segment that both addresses have is a capture; the
// others of the old one stay, are numbers, or may be anything.
func eachAligned(o, n address, digits bool, add func(old, to string),
	write func([]string, string) string) {
	at := alignment(o.all, n.all)
	if !slices.ContainsFunc(at, func(i int) bool { return i >= 0 }) {
		return
	}
	for _, keep := range []int{0, 1} { // the first segment may be the same by chance
		for _, mode := range []int{0, 1, 2} {
			free, partly := mode == 2, mode == 1
			old, to := literals(o.all), literals(n.all)
			changed := false
			if partly {
				changed = partlyAligned(o.all, n.all, at, old, to)
				if !changed {
					continue
				}
			}
			for i, j := range at {
				switch {
				case i < keep || strings.Contains(old[i], "{"):
				case j >= 0:
					name := "{" + segmentNames[i] + "}"
					if i == len(at)-1 {
						name = "{page}"
					}
					old[i], to[j], changed = name, name, true
				case digits && isAllDigits(o.all[i]):
					old[i] = "{" + numberNames[i] + ":digits}"
				case free:
					old[i] = "{" + segmentNames[i] + "}"
				}
			}
			if changed {
				add(write(old, o.end), write(to, n.end))
			}
		}
	}
}

// partlyAligned makes captures of segments that stand within one of the new path, or hold one,
// which no other answers.
func partlyAligned(o, n []string, at []int, old, to []string) bool {
	changed := false
	for i := len(o) - 1; i >= 0; i-- {
		s := o[i]
		if at[i] >= 0 {
			continue
		}
		for j, t := range n {
			if slices.Contains(at, j) || strings.Contains(to[j], "{") {
				continue
			}
			name := "{" + segmentNames[i] + "}"
			if i == len(o)-1 {
				name = "{page}"
			}
			if k := strings.Index(t, s); k >= 0 && edge(t, k) && edge(t, k+len(s)) {
				old[i], to[j], changed = name, literal(t[:k])+name+literal(t[k+len(s):]), true
				break
			}
			if k := strings.Index(s, t); k >= 0 && edge(s, k) && edge(s, k+len(t)) {
				old[i] = numbered(s[:k], "n") + name + numbered(s[k+len(t):], "m")
				to[j], changed = name, true
				break
			}
		}
	}
	return changed
}

// alignment gives for each segment of an old path the place of the equal one in the new path, in
// order, -1 for none: the longest such row.
func alignment(o, n []string) []int {
	best := make([][]int, len(o)+1)
	for i := range best {
		best[i] = make([]int, len(n)+1)
	}
	for i := len(o) - 1; i >= 0; i-- {
		for j := len(n) - 1; j >= 0; j-- {
			best[i][j] = max(best[i+1][j], best[i][j+1])
			if o[i] == n[j] {
				best[i][j] = max(best[i][j], best[i+1][j+1]+1)
			}
		}
	}
	at := make([]int, len(o))
	for i, j := 0, 0; i < len(o); i++ {
		at[i] = -1
		for k := j; k < len(n); k++ {
			if o[i] == n[k] && best[i][j] == best[i+1][k+1]+1 {
				at[i], j = k, k+1
				break
			}
		}
	}
	return at
}

// inName gives patterns for a last segment that holds that of the new path, or stands in it: an id
// before or behind a name, a word that all names begin with.
func inName(o, n address, add func(old, to string), write func([]string, string) string,
	heads func([]string, bool) []string) {
	s, t := o.all[len(o.all)-1], n.all[len(n.all)-1]
	if s == t {
		return
	}
	oldHead, newHead := o.all[:len(o.all)-1], literals(n.all[:len(n.all)-1])
	both := func(old, to string) {
		add(
			write(append(heads(oldHead, false), old), o.end),
			write(append(slices.Clone(newHead), to), n.end),
		)
		add(
			write(append(heads(oldHead, true), old), o.end),
			write(append(slices.Clone(newHead), to), n.end),
		)
	}
	if at := strings.Index(s, t); at >= 0 && edge(s, at) && edge(s, at+len(t)) {
		before, behind := s[:at], s[at+len(t):]
		b, e := literal(before), literal(behind)
		both(b+"{page}"+e, "{page}")
		if x, y := numbered(before, "n"), numbered(behind, "m"); x != b || y != e {
			both(x+"{page}"+y, "{page}")
		}
	}
	if at := strings.Index(t, s); at >= 0 && edge(t, at) && edge(t, at+len(s)) {
		both("{page}", literal(t[:at])+"{page}"+literal(t[at+len(s):]))
	}
	// a number that both have, in other words
	if number := onlyNumber(s); number != "" && number == onlyNumber(t) {
		x, y := strings.Index(s, number), strings.Index(t, number)
		both(literal(s[:x])+"{n:digits}"+literal(s[x+len(number):]),
			literal(t[:y])+"{n}"+literal(t[y+len(number):]))
	}
	// the name is that of the folder
	if len(o.all) > 1 {
		if folder := o.all[len(o.all)-2]; folder == t {
			old := literals(o.all)
			old[len(old)-2] = "{page}"
			add(write(old, o.end), write(append(slices.Clone(newHead), "{page}"), n.end))
		}
	}
}

// onlyNumber gives the number in a text that has one, "" otherwise.
func onlyNumber(s string) string {
	found, many := "", false
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			continue
		}
		k := i
		for k < len(s) && s[k] >= '0' && s[k] <= '9' {
			k++
		}
		many = many || found != ""
		found = s[i:k]
		i = k
	}
	if many {
		return ""
	}
	return found
}

// edge reports whether a text may be cut at a place: at its ends and beside what joins words.
func edge(s string, at int) bool {
	if at == 0 || at == len(s) {
		return true
	}
	joins := func(c byte) bool { return c == '-' || c == '_' || c == '.' || c == '~' || c == ',' }
	return joins(s[at-1]) || joins(s[at])
}

// numbered writes a text in which a run of digits may be any.
func numbered(s, name string) string {
	from := strings.IndexAny(s, "0123456789")
	if from < 0 {
		return literal(s)
	}
	to := from
	for to < len(s) && s[to] >= '0' && s[to] <= '9' {
		to++
	}
	if strings.ContainsAny(s[to:], "0123456789") {
		return literal(s)
	}
	return literal(s[:from]) + "{" + name + ":digits}" + literal(s[to:])
}

// asked gives patterns for a pair whose old address has a query.
func (r *ruler) asked(path, query, target string, add func(old, to string)) {
	var keys, values []string
	for p := range strings.SplitSeq(query, "&") {
		key, value, _ := strings.Cut(p, "=")
		if key == "" || len(keys) > 5 {
			return
		}
		keys, values = append(keys, key), append(values, value)
	}
	write := func(captured map[int]string) string {
		all := make([]string, len(keys))
		for i := range keys {
			all[i] = literal(keys[i]) + "=" + literal(values[i])
			if name := captured[i]; name != "" {
				all[i] = literal(keys[i]) + "=" + name
			}
		}
		return literal(path) + "?" + strings.Join(all, "&")
	}
	for i, value := range values {
		if value == "" {
			continue
		}
		at := strings.LastIndex(target, value)
		if at >= 0 && standsAlone(target, at, at+len(value)) && !strings.Contains(value, "/") {
			name, to := "{page}", "{page}"
			if isAllDigits(value) {
				name, to = "{n:digits}", "{n}"
			}
			captured := map[int]string{i: name}
			add(write(captured), target[:at]+to+target[at+len(value):])
			for k, other := range values {
				if k != i && isAllDigits(other) {
					captured[k] = "{" + numberNames[k+1] + ":digits}"
				}
			}
			add(write(captured), target[:at]+to+target[at+len(value):])
		}
		rest := "{" + segmentNames[i] + "}"
		if isAllDigits(value) {
			rest = "{n:digits}"
		}
		add(write(map[int]string{i: rest}), target)
	}
}

// standsAlone reports whether a piece of a target stands by itself.
func standsAlone(s string, from, to int) bool {
	joins := func(c byte) bool { return strings.IndexByte("/-_.?=&", c) >= 0 }
	return (from == 0 || joins(s[from-1])) && (to == len(s) || joins(s[to]))
}
