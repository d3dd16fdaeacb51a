package pair

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"
)

// madeSite is an old site, what became of it, and which page took the place of which.
type madeSite struct {
	olds, news []Page
	truth      []int // of each old page the new one; -1: none
	kinds      []string
}

// item is something that a site tells of.
type item struct {
	kind     string // article, product, report, event, part, page, list
	words    []string
	section  int
	year     int
	month    int
	day      int
	id       int
	number   int
	language string
	gone     bool
	into     int // the item into whose page it was merged; -1: none
	title    string
	newWords []string
}

var (
	nouns = strings.Fields(`
mill quarry bridge lace museum archive school garden workshop harbour ferry boat engine kiln
loom spindle bobbin thread cloth slate tile roof tower chapel market station canal lock wheel
boiler forge anvil hammer lantern candle kettle basket barrel ladder wagon cart horse sheep
goat hen oak beech willow meadow orchard hedge path trail map guide tour visit ticket
exhibition gallery painting print drawing photograph letter diary book library lecture concert
dance festival fair parade recipe bread cheese cider honey jam soup pie oven stove table chair
bench cupboard clock bell drum flute fiddle song story legend ghost fire flood storm winter
summer spring harvest tide moon star river stream lake island coast cliff beach cave mine
tunnel railway tram bus road inn hotel cottage farm barn dairy bakery smithy pottery glass
brick stone marble copper iron steel coal peat wool linen silk cotton dye pattern needle button
ribbon glove hat shawl apron boot volunteer member donor trust charity award grant survey
report budget strategy policy statement access parking toilet cafe shop voucher membership
newsletter contact form complaint cookie privacy`)
	adjectives = strings.Fields(`
old new great small hidden lost early late royal public private national local rural urban
northern southern eastern western upper lower deep high open closed free annual monthly daily
special rare common modern ancient medieval victorian roman industrial domestic natural wild
gentle bright dark quiet busy famous forgotten restored handmade painted carved woven printed
digital virtual living working young summer accessible temporary permanent travelling`)
	german = strings.Fields(`
Mühle Brücke Schloß Turm Kirche Garten Werkstatt Hafen Fähre Schiff Ofen Webstuhl Spitze Faden
Tuch Schiefer Ziegel Dach Markt Bahnhof Kanal Schleuse Rad Kessel Schmiede Laterne Korb Leiter
Wagen Pferd Schaf Ziege Eiche Buche Weide Wiese Hecke Weg Karte Führer Führung Besuch Eintritt
Ausstellung Gemälde Zeichnung Brief Tagebuch Bücherei Vortrag Konzert Fest Rezept Brot Käse
Honig Suppe Küche Tisch Stühle Glocke Trommel Flöte Lied Märchen Feuer Flut Sturm Herbst
Frühling Ernte Mond Fluß Höhle Grube Straße Gasthof Hütte Scheune Töpferei Glas Stein Kupfer
Eisen Stahl Kohle Wolle Leinen Seide Färberei Muster Nadel Knopf Hut Öffnungszeiten Anfahrt
Spende Verein Jahresbericht Förderung`)
	syllables = strings.Fields(`
bram ford thorn wick ash ley grim sby hol beck mar ton wes ter ock ham stan field row den kel
vor mun dal fen ris tor lin gar bur whit cros pen dri os wold ax bry`)
	colourNames = strings.Fields("red blue green yellow black white grey brown pink purple")
	fillers     = strings.Fields("the of and in for with from to a on")
	sectionsOf  = strings.Fields(`
news events shop visit learn collections about archive blog projects research press exhibitions
schools history support`)
	renamed = map[string][]string{"news": {"stories", "whats-new", "latest"}, "events": {"whats-on",
		"calendar"}, "shop": {"store", "buy"}, "visit": {"plan-your-day", "come-and-see"},
		"learn": {"education", "discover"}, "collections": {"objects", "things"}, "about": {"trust",
			"who-we-are"}, "archive": {"records", "papers"}, "blog": {"journal", "notes"},
		"projects": {"work", "what-we-do"}, "research": {"studies"}, "press": {"media"},
		"exhibitions": {"on-show", "shows"}, "schools": {"teachers", "for-classes"},
		"history": {"heritage", "past"}, "support": {"give", "join-us"}}
	synonyms = [][2]string{{"museum", "house"}, {"shop", "store"}, {"photograph", "picture"},
		{"workshop", "class"}, {"trail", "walk"}, {"lecture", "talk"}, {"guide", "handbook"},
		{"festival", "carnival"}, {"cottage", "lodge"}}
	monthNames = strings.Fields(
		"january february march april may june july august september october " +
			"november december",
	)
)

// move is how the two sites write their addresses.
type move struct {
	random                           *rand.Rand
	oldHost, newHost                 string
	oldEnd, newEnd                   string
	oldDate, newDate                 int // 0: none, 1: folders, 2: in the name, 3: year only
	oldID, newID                     int // 0: none, 1: behind, 2: before, 3: alone, 4: a parameter
	oldJoin, newJoin                 string
	oldMarks, newMarks               int // how ü is written: 0 u, 1 ue, 2 UTF-8, 3 Latin-1
	oldCut, newCut                   int // most letters of a name; 0: all
	newWords                         int // most words; 0: all
	stops, newStops                  bool
	reorder                          bool
	swap                             map[string]string
	sections, newSections            []string
	titles, newTitles                float64
	suffix, newSuffix                string
	languages                        []string
	newLanguages                     map[string]bool
	markOld, markNew                 bool
	joins                            float64
	typos                            float64
	gone, added, merged              float64
	indexFiles, years, deep, deepNew bool
	newIDs                           bool
	oldCamel                         bool
	oldForm, newForm                 int     // of a date in a name
	other                            float64 // how often a word is another one, here only
	hosts                            bool    // several old hosts, a prefix for each
}

func chance(r *rand.Rand, p float64) bool { return r.Float64() < p }

func one1(r *rand.Rand, all ...int) int { return all[r.IntN(len(all))] }

func oneOf(r *rand.Rand, all ...string) string { return all[r.IntN(len(all))] }

// newMove chooses at random what the sites undergo.
func newMove(r *rand.Rand) *move {
	m := &move{random: r, oldHost: "https://www.old.example", newHost: "https://www.new.example",
		oldEnd: oneOf(r, ".html", ".htm", ".php", ".aspx", "", "/"), newEnd: oneOf(r, "", "/", "/"),
		oldDate: one1(r, 0, 0, 1, 1, 2), newDate: one1(r, 0, 0, 0, 1, 3), oldID: one1(r, 0, 0, 1, 2, 4),
		newID: one1(r, 0, 0, 0, 0, 1), oldJoin: oneOf(r, "-", "-", "_"), newJoin: "-",
		oldMarks: r.IntN(4), newMarks: one1(r, 0, 1, 2), oldCut: one1(r, 0, 0, 0, 30),
		newCut: one1(r, 0, 0, 40), newWords: one1(r, 0, 0, 0, 5, 4), stops: chance(r, 0.6),
		newStops: chance(r, 0.4), reorder: chance(r, 0.2), swap: map[string]string{},
		titles: []float64{0, 0, 0.9}[r.IntN(3)], newTitles: []float64{0, 0.9, 1}[r.IntN(3)],
		suffix: oneOf(
			r,
			" | Northmoor Museums",
			" - Lace Mill",
			"",
		), newSuffix: oneOf(r, "", " – Northmoor"),
		joins: 0.05 * float64(
			r.IntN(2),
		), typos: 0.02 * float64(r.IntN(2)), gone: 0.05 + 0.25*r.Float64(),
		added: 0.1 + 0.3*r.Float64(), merged: 0.05 * float64(r.IntN(3)), indexFiles: chance(r, 0.3),
		years: chance(r, 0.5), deep: chance(r, 0.4), deepNew: chance(r, 0.3), oldCamel: chance(r, 0.1),
		oldForm: r.IntN(4), newForm: r.IntN(4), other: 0.15 * float64(r.IntN(2)), hosts: chance(r, 0.2)}
	if m.oldID == 4 {
		m.titles = 0.95
		m.oldEnd = ".php"
	}
	if m.oldID > 0 && m.oldID < 4 && chance(r, 0.15) {
		m.newID = 3
	}
	if m.newID == 1 && chance(r, 0.2) {
		m.newIDs = true
	}
	for _, s := range synonyms {
		if chance(r, 0.3) {
			m.swap[s[0]] = s[1]
		}
	}
	m.sections = slices.Clone(sectionsOf)
	r.Shuffle(
		len(m.sections),
		func(a, b int) { m.sections[a], m.sections[b] = m.sections[b], m.sections[a] },
	)
	m.sections = m.sections[:4+r.IntN(8)]
	for i, s := range m.sections {
		to := s
		switch {
		case chance(r, 0.5):
			to = oneOf(r, renamed[s]...)
		case i > 0 && chance(r, 0.2):
			to = m.newSections[i-1] // merged
		}
		m.newSections = append(m.newSections, to)
	}
	m.languages = []string{"en"}
	if chance(r, 0.4) {
		m.languages = []string{"en", "de"}
	} else if chance(r, 0.3) {
		m.languages = []string{"de"}
	}
	m.newLanguages = map[string]bool{}
	for _, l := range m.languages {
		m.newLanguages[l] = true
	}
	if len(m.languages) == 2 {
		m.markOld, m.markNew = true, chance(r, 0.7)
		if chance(r, 0.4) { // German was split off
			m.newLanguages["de"] = false
			m.markNew = false
		}
	}
	return m
}

func (m *move) place() string {
	name := ""
	for range 2 + m.random.IntN(2) {
		name += syllables[m.random.IntN(len(syllables))]
	}
	return name
}

func (m *move) topic(language string) []string {
	r := m.random
	if language == "de" {
		var words []string
		for range 2 + r.IntN(3) {
			w := german[r.IntN(len(german))]
			if chance(r, 0.3) {
				w += strings.ToLower(german[r.IntN(len(german))])
			}
			words = append(words, strings.ToLower(w))
		}
		if chance(r, 0.5) {
			words = append(words, m.place())
		}
		return words
	}
	var words []string
	if chance(r, 0.6) {
		words = append(words, adjectives[r.IntN(len(adjectives))])
	}
	words = append(words, nouns[r.IntN(len(nouns))])
	if chance(r, 0.7) {
		words = append(words, fillers[r.IntN(len(fillers))], nouns[r.IntN(len(nouns))])
	}
	if chance(r, 0.4) {
		words = append(words, nouns[r.IntN(len(nouns))])
	}
	if chance(r, 0.5) {
		words = append(words, m.place())
	}
	return words
}

// items makes what the sites tell of.
func (m *move) items(n int) []item {
	r := m.random
	var all []item
	add := func(i item) {
		i.id = 1000 + 7*len(all) + r.IntN(7)
		i.into = -1
		if i.language == "" {
			i.language = m.languages[r.IntN(len(m.languages))]
		}
		if !m.newLanguages[i.language] {
			i.gone = true
		}
		if !i.gone {
			i.gone = chance(r, m.gone)
		}
		if i.section < 0 {
			i.section = r.IntN(len(m.sections))
		}
		all = append(all, i)
	}
	for len(all) < n {
		language := m.languages[r.IntN(len(m.languages))]
		date := item{year: 2008 + r.IntN(14), month: 1 + r.IntN(12), day: 1 + r.IntN(28), section: -1,
			language: language}
		switch r.IntN(10) {
		case 0: // reports of several years
			words := append(m.topic(language), oneOf(r, "report", "review", "accounts"))
			section, from := r.IntN(len(m.sections)), 2008+r.IntN(6)
			for y := range 2 + r.IntN(5) {
				add(
					item{
						kind:     "report",
						words:    words,
						section:  section,
						number:   from + y,
						language: language,
					},
				)
			}
		case 1: // a thing in several colours
			words := m.topic(language)
			section := r.IntN(len(m.sections))
			for _, c := range r.Perm(len(colourNames))[:1+r.IntN(4)] {
				add(
					item{kind: "product", words: append([]string{colourNames[c]}, words...), section: section,
						language: language},
				)
			}
		case 2:
			words := m.topic(language)
			section := r.IntN(len(m.sections))
			for p := range 2 + r.IntN(3) {
				add(item{kind: "part", words: words, section: section, number: p + 1, language: language,
					year: date.year, month: date.month, day: date.day})
			}
		case 4: // a thing in several sizes
			words := m.topic(language)
			section := r.IntN(len(m.sections))
			unit := oneOf(r, "cm", "ml", "kg")
			for k := range 2 + r.IntN(3) {
				add(
					item{
						kind:     "product",
						words:    append(slices.Clone(words), fmt.Sprintf("%d%s", 50*(k+1), unit)),
						section:  section,
						language: language,
					},
				)
			}
		case 5: // what happens every year, on a day that the address names
			if chance(r, 0.5) {
				date.kind, date.words = "article", m.topic(language)
				add(date)
				break
			}
			words := append(m.topic(language), oneOf(r, "fair", "concert", "festival"))
			section, from := r.IntN(len(m.sections)), 2008+r.IntN(6)
			for y := range 2 + r.IntN(4) {
				add(
					item{
						kind:     "event",
						words:    words,
						section:  section,
						number:   from + y,
						month:    1 + r.IntN(12),
						day:      1 + r.IntN(28),
						language: language,
					},
				)
			}
		case 3: // several about one thing
			words := m.topic(language)
			for _, w := range []string{"", "history", "tickets", "directions", "friends"}[:2+r.IntN(3)] {
				i := date
				i.kind, i.words = "page", slices.Clone(words)
				if w != "" {
					i.words = append(i.words, w)
				}
				add(i)
			}
		default:
			date.kind, date.words = "article", m.topic(language)
			add(date)
		}
	}
	seen := map[string]bool{}
	kept := all[:0]
	for _, i := range all {
		key := fmt.Sprint(i.words, i.number, i.language)
		if !seen[key] {
			seen[key] = true
			kept = append(kept, i)
		}
	}
	return kept
}

var marksOf = strings.NewReplacer("ü", "u", "ö", "o", "ä", "a", "ß", "ss")
var soundsOf = strings.NewReplacer("ü", "ue", "ö", "oe", "ä", "ae", "ß", "ss")

func written(s string, marks int) string {
	switch marks {
	case 0:
		return marksOf.Replace(s)
	case 1:
		return soundsOf.Replace(s)
	case 3:
		b := ""
		for _, c := range s {
			if c < 128 {
				b += string(c)
			} else {
				b += fmt.Sprintf("%%%02X", c)
			}
		}
		return b
	}
	return url.PathEscape(s)
}

func shortened(name, join string, most int) string {
	if most == 0 || len(name) <= most {
		return name
	}
	return strings.TrimRight(name[:most], join)
}

func isFiller(w string) bool { return slices.Contains(fillers, w) }

func (m *move) name(words []string, i item, join string, stops bool, camel bool) string {
	var all []string
	for _, w := range words {
		if !stops && isFiller(w) {
			continue
		}
		all = append(all, w)
	}
	if i.kind == "part" {
		all = append(all, "part", fmt.Sprint(i.number))
	}
	if i.kind == "report" {
		all = append(all, fmt.Sprint(i.number))
	}
	if i.kind == "event" {
		form := m.oldForm
		if stops == m.newStops && join == m.newJoin && !camel {
			form = m.newForm
		}
		switch form {
		case 0:
			all = append(all, fmt.Sprintf("%d-%02d-%02d", i.number, i.month, i.day))
		case 1:
			all = append(all, fmt.Sprint(i.day), monthNames[i.month-1], fmt.Sprint(i.number))
		case 2:
			all = append(all, fmt.Sprint(i.number))
		case 3:
			all = append(all, fmt.Sprintf("%02d%s%02d%s%d", i.day, join, i.month, join, i.number))
		}
	}
	if camel {
		for k, w := range all {
			all[k] = strings.ToUpper(w[:1]) + w[1:]
		}
		join = ""
	}
	return strings.Join(all, join)
}

func (m *move) oldURL(i item) string {
	name := m.name(i.words, i, m.oldJoin, m.stops, m.oldCamel && i.language == "en")
	if i.kind != "part" && i.kind != "report" && i.kind != "event" && i.kind != "product" &&
		!strings.ContainsAny(name, "üöäß") {
		name = shortened(name, m.oldJoin, m.oldCut)
	}
	name = written(name, m.oldMarks)
	u := m.oldHost
	if m.hosts {
		u = "https://www." + []string{"first", "second", "third"}[i.section%3] + ".example"
	}
	if m.markOld {
		u += "/" + i.language
	}
	u += "/" + m.sections[i.section]
	if m.oldID == 4 {
		return fmt.Sprintf("%s/show.php?id=%d", u, i.id)
	}
	if i.year > 0 {
		switch m.oldDate {
		case 1:
			u += fmt.Sprintf("/%d/%02d", i.year, i.month)
			if m.deep {
				u += fmt.Sprintf("/%02d", i.day)
			}
		case 2:
			name = fmt.Sprintf("%d-%02d-%02d-%s", i.year, i.month, i.day, name)
		}
	}
	switch m.oldID {
	case 1:
		name += fmt.Sprintf("-%d", i.id)
	case 2:
		name = fmt.Sprintf("%d-%s", i.id, name)
	}
	if m.indexFiles && m.oldEnd != "" && m.oldEnd != "/" {
		return u + "/" + name + "/index" + m.oldEnd
	}
	return u + "/" + name + m.oldEnd
}

func (m *move) newURL(i item) string {
	r := m.random
	words := slices.Clone(i.newWords)
	name := ""
	if m.newID != 3 {
		name = m.name(words, i, m.newJoin, m.newStops, false)
		if i.kind != "part" && i.kind != "report" && i.kind != "event" && i.kind != "product" &&
			!strings.ContainsAny(name, "üöäß") {
			name = shortened(name, "-", m.newCut)
		}
	} else {
		name = fmt.Sprint(i.id)
	}
	name = written(name, m.newMarks)
	u := m.newHost
	if m.hosts {
		u += "/" + []string{"north", "south", "east"}[i.section%3]
	}
	if m.markNew && (i.language == "de" || chance(r, 0)) {
		u += "/" + i.language
	}
	u += "/" + m.newSections[i.section]
	if i.year > 0 && m.newID != 3 {
		switch m.newDate {
		case 1:
			u += fmt.Sprintf("/%d/%02d", i.year, i.month)
		case 3:
			u += fmt.Sprintf("/%d", i.year)
		}
	}
	if m.newID == 1 {
		id := i.id
		if m.newIDs {
			id = 50_000 + r.IntN(40_000)
		}
		name += fmt.Sprintf("-%d", id)
	}
	return u + "/" + name + m.newEnd
}

// changed gives the words that the new site has for an item.
func (m *move) changed(i item) []string {
	r := m.random
	words := slices.Clone(i.words)
	for k, w := range words {
		if to := m.swap[w]; to != "" {
			words[k] = to
		}
	}
	if m.newWords > 0 && i.kind != "product" {
		var left []string
		for _, w := range words {
			if !isFiller(w) {
				left = append(left, w)
			}
		}
		words = left[:min(len(left), m.newWords)]
	}
	if chance(r, m.other) && i.language == "en" && len(words) > 2 {
		if k := r.IntN(len(words)); !isFiller(words[k]) && !slices.Contains(colourNames, words[k]) &&
			(words[k][0] < '0' || words[k][0] > '9') {
			words[k] = nouns[r.IntN(len(nouns))]
		}
	}
	if m.reorder && chance(r, 0.5) {
		r.Shuffle(len(words), func(a, b int) { words[a], words[b] = words[b], words[a] })
	}
	if chance(r, m.typos) {
		k := r.IntN(len(words))
		if w := words[k]; len(w) > 6 && !strings.ContainsAny(w, "üöäß") &&
			!slices.Contains(colourNames, w) {
			at := 1 + r.IntN(len(w)-2)
			words[k] = w[:at] + w[at+1:]
		}
	}
	if chance(r, m.joins) && len(words) > 2 {
		k := 1 + r.IntN(len(words)-2)
		if !isFiller(words[k]) && !isFiller(words[k+1]) {
			words = slices.Concat(words[:k], []string{words[k] + words[k+1]}, words[k+2:])
		}
	}
	if chance(r, 0.05) { // plurals
		words[len(words)-1] += "s"
	}
	return words
}

func titled(words []string, i item) string {
	var all []string
	for k, w := range words {
		if k == 0 || !isFiller(w) {
			w = strings.ToUpper(w[:1]) + w[1:]
		}
		all = append(all, w)
	}
	title := strings.Join(all, " ")
	switch i.kind {
	case "report", "event":
		title += fmt.Sprintf(" %d", i.number)
	case "part":
		title += fmt.Sprintf(", part %d", i.number)
	}
	return title
}

// makeSite makes both sites.
func makeSite(n uint64, size int) *madeSite {
	r := rand.New(rand.NewPCG(n, 34))
	m := newMove(r)
	all := m.items(size)
	s := &madeSite{}
	place := make([]int, len(all))
	taken := map[string]int{}
	for k := range all {
		i := &all[k]
		i.title = titled(i.words, *i)
		i.newWords = m.changed(*i)
		place[k] = -1
		if chance(r, m.merged) && k > 0 && i.kind == "article" && all[k-1].kind == "article" &&
			!all[k-1].gone && all[k-1].into < 0 && all[k-1].language == i.language {
			i.into = k - 1
			all[k-1].newWords = slices.Concat(all[k-1].newWords, []string{"and"}, i.newWords)
			i.gone = false
		}
	}
	for k := range all {
		i := &all[k]
		if i.gone || i.into >= 0 {
			continue
		}
		u := m.newURL(*i)
		if at, known := taken[u]; known {
			place[k] = at
			continue
		}
		taken[u] = len(s.news)
		place[k] = len(s.news)
		p := Page{URL: u}
		if chance(r, m.newTitles) {
			p.Title = titled(i.newWords, *i) + m.newSuffix
		}
		s.news = append(s.news, p)
	}
	for k := range all {
		if into := all[k].into; into >= 0 {
			place[k] = place[into]
		}
	}
	for k, i := range all {
		if chance(r, m.added) { // only the new site has it
			continue
		}
		p := Page{URL: m.oldURL(i)}
		if chance(r, m.titles) {
			p.Title = i.title + m.suffix
		} else if m.oldID == 4 {
			continue
		}
		s.olds, s.truth, s.kinds = append(s.olds, p), append(s.truth, place[k]), append(s.kinds, i.kind)
	}
	// The heads of sections, and further pages of their lists.
	heads := map[string]int{}
	for k, section := range m.sections {
		if m.hosts {
			break
		}
		to := m.newHost + "/" + m.newSections[k] + m.newEnd
		at, known := heads[to]
		if !known {
			at = len(s.news)
			heads[to] = at
			s.news = append(s.news, Page{URL: to})
		}
		prefix := m.oldHost
		if m.markOld {
			prefix += "/en"
		}
		if m.languages[0] != "en" {
			at = -1
			if !m.markOld {
				at = heads[to]
			}
		}
		for page := range r.IntN(4) {
			u := prefix + "/" + section + "/"
			if page > 0 {
				u += oneOf(r, fmt.Sprintf("page/%d/", page+1), fmt.Sprintf("?page=%d", page+1))
			}
			s.olds, s.truth, s.kinds = append(s.olds, Page{URL: u}), append(s.truth, at),
				append(s.kinds, "list")
		}
	}
	s.news = append(s.news, Page{URL: m.newHost + "/"})
	r.Shuffle(len(s.olds), func(a, b int) {
		s.olds[a], s.olds[b] = s.olds[b], s.olds[a]
		s.truth[a], s.truth[b] = s.truth[b], s.truth[a]
		s.kinds[a], s.kinds[b] = s.kinds[b], s.kinds[a]
	})
	return s
}
