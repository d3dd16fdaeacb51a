package pair

import (
	"cmp"
	"hash/maphash"
	"slices"
	"strconv"
	"strings"
)

// kind is what a condition is about: two pages that both name one, and none in common, are not
// counterparts, however alike they are.
type kind uint8

const (
	year kind = iota
	month
	day
	number
	size
	colour
	part
	id
	kinds
)

// condition is a kind and its value.
type condition struct {
	kind  kind
	value uint64
}

// reading is what a page says in its address and its title.
type reading struct {
	slug, dirs, title []string // words; slug is of the last segment that has any
	heading           []string // words of the first one
	conditions        []condition
	ids               []uint64 // also numbers that may be one
	language          string
	section           string // host and folders, without dates and numbers
	paged             bool   // a further page of a list
	root              bool
}

// Words that say in which folder or file a page stands, and nothing about it.
var (
	extensions = set("html|htm|php|php3|php4|php5|asp|aspx|jsp|jspx|cfm|do|shtml|xhtml|cgi|pl|xml")
	indexes    = set("index|default|home|main|start|startseite|accueil|welcome")
	scripts    = set("php|php3|php4|php5|asp|aspx|jsp|cfm|do|cgi|pl")
	stops      = set("the|a|an|of|and|or|in|on|at|to|for|from|with|by|is|are|our|your|de|la|le|les|" +
		"du|des|et|en|un|une|der|die|das|und|von|zu|im|am|mit|fur|den|dem|ein|eine|el|los|las|y|" +
		"il|lo|gli|e|di|da|i|het|van")
	pagers   = set("page|seite|pagina|pag|start|offset|paged|pg|p|stranka|side|sida")
	partings = set("part|teil|partie|parte|vol|volume|band|tome|chapter|kapitel|chapitre|no|" +
		"nr|issue|" +
		"heft|episode|folge|session|round")
	romans  = map[string]uint64{"ii": 2, "iii": 3, "iv": 4, "vi": 6, "vii": 7, "viii": 8, "ix": 9}
	colours = colourWords("red:red,rot,rouge,rojo,rosso,rood;blue:blue,blau,bleu,azul,blu,blauw;" +
		"green:green,grun,vert,verde,groen;yellow:yellow,gelb,jaune,amarillo,giallo,geel;" +
		"black:black,schwarz,noir,negro,nero,zwart;white:white,weiss,blanc,blanco,bianco,wit;" +
		"grey:grey,gray,grau,gris,grigio,grijs;brown:brown,braun,marron,brun,bruin;" +
		"orange:orange;pink:pink,rosa,rose;purple:purple,lila,violet,violett,viola;" +
		"silver:silver,silber,argent;gold:gold,golden,dore;beige:beige;turquoise:turquoise,turkis;" +
		"cream:cream,creme;navy:navy;teal:teal;ivory:ivory;copper:copper,kupfer")
	sizes = set("xs|xl|xxl|xxxl|small|medium|large|klein|mittel|gross|petit|moyen|grand|mini|maxi")
	units = set("mm|cm|m|km|ml|cl|l|g|kg|lb|oz|inch|zoll|ft|gb|tb|mb|w|kw|v|px|mw|ah")
	// a month by the beginning of its name, in several languages
	months = map[string]uint64{
		"jan":       1,
		"feb":       2,
		"fev":       2,
		"mar":       3,
		"maerz":     3,
		"marz":      3,
		"apr":       4,
		"avr":       4,
		"may":       5,
		"mai":       5,
		"mag":       5,
		"jun":       6,
		"juin":      6,
		"jul":       7,
		"juil":      7,
		"aug":       8,
		"aou":       8,
		"aout":      8,
		"sep":       9,
		"sept":      9,
		"oct":       10,
		"okt":       10,
		"ott":       10,
		"nov":       11,
		"dec":       12,
		"dez":       12,
		"january":   1,
		"january,":  1,
		"february":  2,
		"march":     3,
		"april":     4,
		"june":      6,
		"july":      7,
		"august":    8,
		"september": 9,
		"october":   10,
		"november":  11,
		"december":  12,
		"januar":    1,
		"februar":   2,
		"juni":      6,
		"juli":      7,
		"oktober":   10,
		"dezember":  12,
		"janvier":   1,
		"fevrier":   2,
		"mars":      3,
		"avril":     4,
		"juillet":   7,
		"septembre": 9,
		"octobre":   10,
		"novembre":  11,
		"decembre":  12,
	}
	languages = set("en|de|fr|it|es|nl|da|sv|no|nb|fi|pl|cs|sk|hu|pt|ru|uk|el|tr|ro|bg|hr|sl|" +
		"et|lv|lt|" +
		"ga|cy|ja|zh|ko|ar|he")
	languageKeys = set("lang|language|hl|locale|l|sprache|langue|lng")
)

func set(words string) map[string]bool {
	all := map[string]bool{}
	for w := range strings.SplitSeq(words, "|") {
		if w == "" {
			continue
		}
		all[w] = true
	}
	return all
}

func colourWords(text string) map[string]uint64 {
	all := map[string]uint64{}
	for i, group := range strings.Split(text, ";") {
		_, words, _ := strings.Cut(group, ":")
		for w := range strings.SplitSeq(words, ",") {
			all[w] = uint64(i) + 1
		}
	}
	return all
}

var seed = maphash.MakeSeed()

func hashed(s string) uint64 { return maphash.String(seed, s) }

// isYear reads a year that people write about.
func isYear(s string) (uint64, bool) {
	if len(s) != 4 || s[0] != '1' && s[0] != '2' {
		return 0, false
	}
	n, err := strconv.ParseUint(s, 10, 16)
	return n, err == nil && n >= 1800 && n <= 2100
}

func isDigits(s string) bool { return s != "" && s[0] >= '0' && s[0] <= '9' }

// reader reads one page.
type reader struct {
	reading
	numbered bool // the last segment, or a parameter, is an id
}

// readPage reads what a page says.
func readPage(p Page) reading {
	var r reader
	rest := p.URL
	if _, after, found := strings.Cut(rest, "://"); found {
		rest = after
	}
	rest, _, _ = strings.Cut(rest, "#")
	rest, query, _ := strings.Cut(rest, "?")
	host, path, _ := strings.Cut(rest, "/")
	host = strings.TrimPrefix(strings.ToLower(host), "www.")
	if label, _, _ := strings.Cut(host, "."); languages[label] && strings.Count(host, ".") > 1 {
		r.language = label
	}
	r.section = host
	r.path(path, query)
	if p.Language != "" {
		r.language = strings.ToLower(p.Language)
	}
	r.language, _, _ = strings.Cut(strings.ReplaceAll(r.language, "_", "-"), "-")
	r.title = titleWords(p.Title)
	r.heading = titleWords(p.Heading)
	r.fromTitle(cmp.Or(p.Title, p.Heading))
	slices.SortFunc(r.conditions, func(a, b condition) int {
		return cmp.Or(cmp.Compare(a.kind, b.kind), cmp.Compare(a.value, b.value))
	})
	return r.reading
}

// fromTitle takes from a title the conditions of kinds of which the address names none.
func (r *reader) fromTitle(title string) {
	if title == "" || r.root {
		return
	}
	var named reader
	named.words(title, true)
	var known [kinds]bool
	for _, c := range r.conditions {
		known[c.kind] = true
	}
	for _, c := range named.conditions {
		if !known[c.kind] && c.kind != id && c.kind != month && c.kind != day {
			r.conditions = append(r.conditions, c)
		}
	}
}

func (r *reader) add(k kind, value uint64) {
	if c := (condition{k, value}); !slices.Contains(r.conditions, c) {
		r.conditions = append(r.conditions, c)
	}
}

func (r *reader) addID(text string) {
	if n := idOf(text); n != 0 && !slices.Contains(r.ids, n) {
		r.ids = append(r.ids, n)
	}
}

// idOf gives the number that an id is, without zeros before it; of a longer one a hash.
func idOf(text string) uint64 {
	text = strings.TrimLeft(text, "0")
	n, err := strconv.ParseUint(text, 10, 63)
	if err != nil {
		return hashed(text) | 1<<63
	}
	return n
}

// path reads the segments of a path, and a query.
func (r *reader) path(path, query string) {
	segments := strings.FieldsFunc(path, func(c rune) bool { return c == '/' })
	for i, s := range segments {
		segments[i] = decoded(s)
	}
	if len(segments) > 24 {
		segments = segments[len(segments)-24:]
	}
	isScript := false
	if n := len(segments); n > 0 {
		last := segments[n-1]
		if dot := strings.LastIndexByte(last, '.'); dot >= 0 {
			if end := strings.ToLower(last[dot+1:]); extensions[end] {
				isScript = scripts[end]
				last = last[:dot]
			}
		}
		segments[n-1] = last
		if indexes[strings.ToLower(last)] || last == "" {
			segments = segments[:n-1]
		}
	}
	r.root = len(segments) == 0 && query == ""
	var words [][]string // of each segment
	for i, s := range segments {
		words = append(words, r.segment(segments, i, s))
	}
	asked := r.query(query)
	if len(asked) > 0 {
		if isScript && len(words) > 0 && r.section != "" { // show.php says nothing of what it shows
			words[len(words)-1] = asked
		} else {
			words = append(words, asked)
		}
	}
	if r.numbered && len(asked) == 0 { // what is left says where it stands, not what it is
		r.folders(words, -1)
		return
	}
	last := len(words) - 1
	for last >= 0 && len(words[last]) == 0 {
		last--
	}
	if last >= 0 {
		r.slug = words[last]
	}
	r.folders(words, last)
}

// folders takes the words of folders: of all segments but the one of the name.
func (r *reader) folders(words [][]string, name int) {
	folders := 0
	for i, w := range words {
		if i < name || name < 0 {
			r.dirs = append(r.dirs, w...)
			if len(w) > 0 && folders < 2 {
				r.section += "/" + strings.Join(w, "-")
				folders++
			}
		}
	}
}

// segment reads one segment of a path: its words without what is a condition.
func (r *reader) segment(all []string, at int, s string) []string {
	lower := strings.ToLower(s)
	if code, _, _ := strings.Cut(strings.ReplaceAll(lower, "_", "-"), "-"); at < 2 &&
		languages[code] &&
		(len(lower) == 2 || len(lower) == 5 && len(code) == 2) &&
		r.language == "" {
		r.language = code
		return nil
	}
	last := at == len(all)-1
	if isAllDigits(s) {
		before := ""
		if at > 0 {
			before = strings.ToLower(all[at-1])
		}
		n, _ := strconv.ParseUint(s, 10, 32)
		value, isY := isYear(s)
		switch {
		case len(s) == 8 && r.compact(s):
		case pagers[before] && last:
			r.paged = true
		case isY:
			r.add(year, value)
		case at > 0 && len(s) <= 2 && n >= 1 && n <= 12 && isYearText(all[at-1]):
			r.add(month, n)
		case at > 1 && len(s) <= 2 && n >= 1 && n <= 31 && isYearText(all[at-2]):
			r.add(day, n)
		default:
			r.addID(s)
			r.add(id, idOf(s))
			r.numbered = r.numbered || last
		}
		return nil
	}
	if pagers[lower] && at+1 < len(all) && isAllDigits(all[at+1]) && at+2 == len(all) {
		return nil
	}
	return r.words(s, last)
}

func isYearText(s string) bool { _, ok := isYear(s); return ok }

func isAllDigits(s string) bool {
	return s != "" && strings.IndexFunc(s, func(c rune) bool { return c < '0' || c > '9' }) < 0
}

// compact reads a date of eight digits, and says whether it is one.
func (r *reader) compact(s string) bool {
	y, ok := isYear(s[:4])
	m, _ := strconv.ParseUint(s[4:6], 10, 8)
	d, _ := strconv.ParseUint(s[6:], 10, 8)
	if !ok || m < 1 || m > 12 || d < 1 || d > 31 {
		return false
	}
	r.date(y, m, d)
	return true
}

func (r *reader) date(y, m, d uint64) {
	r.add(year, y)
	if m > 0 {
		r.add(month, m)
	}
	if d > 0 {
		r.add(day, d)
	}
}

// words reads the words of a segment or of a value: what is a date, a number, a size, a colour or a
// part becomes a condition; what is left says what the page is about.
func (r *reader) words(s string, last bool) []string {
	t := words{last: last}
	split(s, func(w string) { t.all = append(t.all, fold(w)) })
	t.letters = slices.ContainsFunc(t.all, func(w string) bool { return !isDigits(w) })
	for i := 0; i < len(t.all); {
		took := r.dated(t.all[i:])
		if took == 0 && isDigits(t.all[i]) {
			took = r.number(&t, i)
		}
		if took == 0 {
			r.word(&t, i)
			took = 1
		}
		i += took
	}
	if len(t.kept) == 0 { // of nothing but small words these count
		for _, w := range t.all {
			if !isDigits(w) && len(w) > 1 && romans[w] == 0 {
				t.kept = append(t.kept, stem(w))
			}
		}
	}
	return t.kept
}

// words is the words of a segment, and those that are kept of them.
type words struct {
	all, kept []string
	last      bool // the segment is the last one
	letters   bool // they are not numbers alone
}

// at gives a word, "" beyond the ends.
func (t *words) at(i int) string {
	if i < 0 || i >= len(t.all) {
		return ""
	}
	return t.all[i]
}

// number takes in a number, and returns how many words it takes.
func (r *reader) number(t *words, i int) int {
	w, before, next := t.at(i), t.at(i-1), t.at(i+1)
	n, _ := strconv.ParseUint(w, 10, 64)
	value, isY := isYear(w)
	switch {
	case len(w) == 8 && r.compact(w):
	case isY && (before == "" || !units[next]):
		r.add(year, value)
	case units[next]:
		r.add(size, hashed(w+next))
		return 2
	case pagers[before] && len(before) > 1 && i == len(t.all)-1 && t.last:
		r.paged = true
		t.kept = t.kept[:max(0, len(t.kept)-1)]
	case partings[before]:
		r.add(part, n)
	case len(w) >= 4 || !t.letters:
		r.addID(w)
		r.add(id, idOf(w))
	default:
		r.add(number, n)
		if i == 0 || i == len(t.all)-1 {
			r.addID(w)
		}
	}
	return 1
}

// word takes in a word.
func (r *reader) word(t *words, i int) {
	w, before, next := t.at(i), t.at(i-1), t.at(i+1)
	last := i > 0 && i == len(t.all)-1
	roman, isRoman := romans[w]
	hue := colours[sounds.Replace(w)]
	switch {
	case isRoman && (last || i > 0 && partings[before]):
		r.add(part, roman)
	case len(w) == 1 && last && w >= "a" && w <= "z":
		r.add(part, 1000+uint64(w[0]))
	case sizes[w] && len(t.all) > 1:
		r.add(size, hashed(w))
	case hue > 0 && len(t.all) > 1:
		r.add(colour, hue)
		t.kept = append(t.kept, stem(w))
	case partings[w] && (isDigits(next) || romans[next] > 0), stops[w]:
	default:
		t.kept = append(t.kept, stem(w))
	}
}

// dated reads a date at the beginning of words, and returns how many it takes.
func (r *reader) dated(w []string) int {
	num := func(i, most int) uint64 {
		if i >= len(w) || len(w[i]) > 2 || !isDigits(w[i]) {
			return 0
		}
		n, _ := strconv.ParseUint(w[i], 10, 8)
		if n < 1 || n > uint64(most) {
			return 0
		}
		return n
	}
	yearAt := func(i int) uint64 {
		if i < len(w) {
			if y, ok := isYear(w[i]); ok {
				return y
			}
		}
		return 0
	}
	named := func(i int) uint64 {
		if i < len(w) {
			return months[w[i]]
		}
		return 0
	}
	switch {
	case yearAt(0) > 0 && num(1, 12) > 0 && num(2, 31) > 0:
		r.date(yearAt(0), num(1, 12), num(2, 31))
		return 3
	case num(0, 31) > 0 && num(1, 12) > 0 && yearAt(2) > 0:
		r.date(yearAt(2), num(1, 12), num(0, 31))
		return 3
	case num(0, 12) > 0 && num(1, 31) > 0 && yearAt(2) > 0:
		r.date(yearAt(2), num(0, 12), num(1, 31))
		return 3
	case num(0, 31) > 0 && named(1) > 0 && yearAt(2) > 0:
		r.date(yearAt(2), named(1), num(0, 31))
		return 3
	case named(0) > 0 && num(1, 31) > 0 && yearAt(2) > 0:
		r.date(yearAt(2), named(0), num(1, 31))
		return 3
	case named(0) > 0 && yearAt(1) > 0:
		r.date(yearAt(1), named(0), 0)
		return 2
	case yearAt(0) > 0 && named(1) > 0:
		r.date(yearAt(0), named(1), num(2, 31))
		if num(2, 31) > 0 {
			return 3
		}
		return 2
	case yearAt(0) > 0 && num(1, 12) > 0 && len(w) == 2 && len(w[1]) == 2:
		r.date(yearAt(0), num(1, 12), 0)
		return 2
	}
	return 0
}

// query reads the parameters of a query: words of their values, ids, a language, a page of a list.
func (r *reader) query(query string) []string {
	var all []string
	for n := 0; query != "" && n < 16; n++ {
		var p string
		p, query, _ = strings.Cut(query, "&")
		key, value, _ := strings.Cut(p, "=")
		key = strings.ToLower(decoded(key))
		value = decoded(strings.ReplaceAll(value, "+", " "))
		lower := strings.ToLower(value)
		switch {
		case value == "":
		case languageKeys[key] && len(lower) >= 2 && languages[lower[:2]]:
			r.language = lower[:2]
		case isAllDigits(value) && pagers[key] && key != "p" && len(value) < 5:
			r.paged = true
		case isAllDigits(value):
			r.addID(value)
			r.add(id, idOf(value))
			r.numbered = true
		default:
			all = append(all, r.words(value, query == "")...)
		}
	}
	return all
}

// titleWords gives the words of a title.
func titleWords(title string) []string {
	var all []string
	split(title, func(w string) {
		w = fold(w)
		if !stops[w] && !isDigits(w) && len(all) < 40 {
			all = append(all, stem(w))
		}
	})
	return all
}
