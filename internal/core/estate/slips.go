package estate

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Slips gives what looks mistyped in a tree that was read into the estate: questions, and no
// faults. A name is asked about where its ending is none, where a label is one that people type by
// mistake, where it holds a domain twice, or where it is one slip away from what stands elsewhere.
// What as-written: lists is never asked about.
func (e *Estate) Slips(root *Node) problem.List {
	s := slips{sure: map[string]bool{}, known: map[string]int{}, names: map[string]bool{},
		shortened: map[string][]string{}}
	for _, name := range e.AsWritten {
		s.sure[strings.ToLower(strings.TrimSuffix(name, "."))] = true
	}
	for _, d := range e.Domains {
		s.names[d.Name.String()] = true
	}
	s.walk(root, "", "")
	s.endings = s.usual()
	for _, m := range s.mentions {
		for _, token := range m.tokens() {
			s.known[token]++
		}
	}
	for _, word := range usualWords {
		for _, token := range (mention{name: word, label: true}).tokens() {
			s.known[token] += 2
		}
	}
	for token := range s.known {
		for _, key := range shorter(token) {
			s.shortened[key] = append(s.shortened[key], token)
		}
	}
	s.servers()
	e.unusedPlaces(root, &s)
	for _, m := range s.mentions {
		if fault := s.ask(m); fault != nil && !s.sure[m.name] {
			s.sure[m.name] = true // it is asked about once
			s.questions.Add(problem.Problem{Line: m.at.Line, Column: m.at.Column, Value: m.name,
				Fault: fault})
		}
	}
	slices.SortStableFunc(s.questions, func(a, b problem.Problem) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
	return s.questions
}

// unusedPlaces asks about places where no domain has its records, which a slip of the finger in
// their names would make of them.
func (e *Estate) unusedPlaces(root *Node, s *slips) {
	var used []string
	for _, d := range e.Domains {
		used = append(used, d.RecordsAt, d.RecordsFrom)
	}
	for _, c := range e.Carriers {
		used = append(used, c.Name)
	}
	for _, entry := range root.Entries {
		if entry.Key.Text != "places" || entry.Value == nil {
			continue
		}
		for _, place := range entry.Value.Entries {
			name := place.Key.Text
			if slices.Contains(used, name) || s.sure[strings.ToLower(name)] {
				continue
			}
			s.questions.Add(problem.Problem{Line: place.Key.Line, Column: place.Key.Column, Value: name,
				Fault: fact.PlaceUnused{Near: problem.Nearest(name, used)}})
		}
	}
}

type slips struct {
	sure      map[string]bool
	mentions  []mention
	known     map[string]int      // how often each token stands there
	names     map[string]bool     // of domains
	shortened map[string][]string // the tokens, by what is left of them without a letter
	endings   []string
	questions problem.List
}

// mention is a name that stands in the file, or a path.
type mention struct {
	at     *Node
	name   string
	key    string // whose value it is
	domain bool   // it is listed as a domain
	label  bool   // it is a name below a zone
	path   bool
	place  bool   // it names a provider
	zone   string // of a path: the domain that leads there
}

// leastToken is how long a word has to be for a slip in it to be seen.
const leastToken = 5

// tokens gives the words of which a name is made, without its ending.
func (m mention) tokens() []string {
	name := m.name
	if !m.path && !m.label {
		if at := strings.LastIndexByte(name, '.'); at >= 0 {
			name = name[:at]
		}
	}
	var all []string
	for _, token := range strings.FieldsFunc(name, func(r rune) bool {
		return strings.ContainsRune(".-_/", r)
	}) {
		if len(token) >= leastToken && !strings.HasPrefix(token, "xn--") {
			all = append(all, token)
		}
	}
	return all
}

// unasked are keys whose values are no names.
var unasked = []string{"note", "rules", "pages", "by", "trust", "as-written", "timeout", "fallback",
	"index"}

// usualWords are words that stand in many estates: boxes, hosts, and paths that are never
// redirected.
var usualWords = []string{
	"webmaster", "hostmaster", "postmaster", "well-known", "acme-challenge", "security.txt",
	"archive", "autodiscover", "autoconfig", "webmail", "mailing", "tickets", "events", "images",
	"static", "media", "assets", "support", "status", "login", "account", "portal", "staging",
	"intranet", "extranet", "calendar", "download", "search", "secure", "store", "mobile",
	"community", "partner", "careers", "press", "members", "booking", "library", "history", "forum",
	"gallery", "visit", "learning", "school", "registry", "registrar", "network", "platform",
	"service", "provider", "hosting",
}

// walk gathers what is a name below a key. zone is the domain to which it belongs.
func (s *slips) walk(n *Node, key, zone string) {
	if n == nil || slices.Contains(unasked, key) {
		return
	}
	if n.Kind == Mapping {
		for _, entry := range n.Entries {
			if entry.Key.Text == "name" && key == "domains" && entry.Value != nil {
				zone = strings.ToLower(entry.Value.Text)
			}
		}
	}
	for _, entry := range n.Entries {
		below := entry.Key.Text
		if key == "needed" || key == "origin" || key == "carriers" {
			s.mentions = append(s.mentions, mention{at: entry.Key, name: entry.Key.Text, key: key,
				label: true})
		}
		if key == "wanted" {
			below = "wanted " + below
		}
		s.walk(entry.Value, below, zone)
	}
	for _, item := range n.Items {
		s.walk(item, key, zone)
	}
	if n.Kind == Scalar {
		s.scalar(n, key, zone)
	}
}

func (s *slips) scalar(n *Node, key, zone string) {
	switch key {
	case "registrar", "records-at", "records-from":
		s.mentions = append(s.mentions, mention{at: n, name: strings.ToLower(strings.Join(
			strings.Fields(n.Text), "-")), key: key, label: true, place: true})
		return
	case "exempt":
		s.mentions = append(s.mentions, mention{at: n, name: n.Text, key: key, path: true})
		return
	case "selectors":
		s.mentions = append(s.mentions, mention{at: n, name: n.Text, key: key, label: true})
		return
	case "hosts", "wanted name":
		text := strings.ToLower(strings.TrimSuffix(n.Text, "."))
		within := zone != "" && (text == zone || strings.HasSuffix(text, "."+zone))
		s.mentions = append(s.mentions, mention{at: n, name: text, key: key, label: !within &&
			!strings.Contains(text, ".") || key == "wanted name" && !within})
		return
	case "leads-to":
		if strings.HasPrefix(n.Text, "/") {
			s.mentions = append(s.mentions, mention{at: n, name: n.Text, key: key, path: true, zone: zone})
			return
		}
	}
	for _, word := range strings.FieldsFunc(n.Text, func(r rune) bool {
		return strings.ContainsRune(" \t\"';,=<>", r)
	}) {
		if name := nameIn(word); name != "" {
			m := mention{at: n, name: name, key: key}
			if box, _, is := strings.Cut(word, "@"); is && !strings.Contains(box, "/") {
				s.mentions = append(s.mentions, mention{at: n, name: strings.ToLower(box), key: key,
					label: true})
			}
			m.domain = (key == "domains" || key == "name") && s.names[name]
			s.mentions = append(s.mentions, m)
		}
	}
}

// nameIn gives the host in a word: of a URL, a mail address, a term or by itself; "" for none.
func nameIn(word string) string {
	if _, rest, is := strings.Cut(word, "://"); is {
		word = rest
	}
	word, _, _ = strings.Cut(word, "/")
	if at := strings.LastIndexByte(word, '@'); at >= 0 {
		word = word[at+1:]
	}
	if at := strings.LastIndexByte(word, ':'); at >= 0 {
		if rest := word[at+1:]; strings.Contains(rest, ".") {
			word = rest
		} else {
			word = word[:at]
		}
	}
	word = strings.ToLower(strings.TrimSuffix(word, "."))
	last := word[strings.LastIndexByte(word, '.')+1:]
	if !strings.Contains(word, ".") || strings.Trim(last, "0123456789") == "" ||
		strings.ContainsAny(word, "%{}()!$&*+") {
		return ""
	}
	for label := range strings.SplitSeq(word, ".") {
		if label == "" || len(label) > 63 {
			return ""
		}
	}
	return word
}

// ask says what is odd about a name; nil where nothing is.
func (s *slips) ask(m mention) fact.Facts {
	if m.key == "exempt" {
		for segment := range strings.SplitSeq(m.name, "/") {
			for _, known := range []string{".well-known", "acme-challenge", "security.txt"} {
				if slip(segment, known) != none {
					return fact.Mistyped{Meant: strings.Replace(m.name, segment, known, 1)}
				}
			}
		}
	}
	if m.path {
		if meant := withinDomain(m); meant != "" {
			return fact.Mistyped{Meant: meant}
		}
		return s.near(m)
	}
	if meant := slippedLabel(m); meant != "" {
		return fact.Mistyped{Meant: meant}
	}
	if m.label {
		return s.near(m)
	}
	for _, zone, more := strings.Cut(m.name, "."); more; _, zone, more = strings.Cut(zone, ".") {
		if twice := zone + "." + zone; s.names[zone] && (m.name == twice ||
			strings.HasSuffix(m.name, "."+twice)) {
			return fact.Mistyped{Meant: strings.TrimSuffix(m.name, "."+zone)}
		}
	}
	if ending := m.name[strings.LastIndexByte(m.name, '.')+1:]; !web.IsEnding(ending) {
		if near := s.nearEnding(ending); near != "" {
			return fact.Mistyped{Meant: strings.TrimSuffix(m.name, ending) + near}
		}
		return fact.EndingUnknown{Ending: ending}
	}
	return s.near(m)
}

// wwwSlips are labels that somebody typed for www.
var wwwSlips = []string{"ww", "wwww", "wwwww", "w3w", "wwe", "wwq", "vww", "wvw", "wwv", "qww",
	"eww"}

// underscored are labels with an underscore that people type, and their slips are seen by them.
var underscored = []string{"_dmarc", "_domainkey", "_acme-challenge", "_mta-sts", "_smtp", "_tls",
	"_tcp", "_udp", "_bimi", "_spf", "_autodiscover", "_submission", "_imaps", "_report"}

// slippedLabel gives a name as it is meant where a label is one that people type by mistake.
func slippedLabel(m mention) string {
	labels := strings.Split(m.name, ".")
	if slices.Contains(wwwSlips, labels[0]) {
		labels[0] = "www"
		return strings.Join(labels, ".")
	}
	if len(labels) > 1 && labels[0] == "www" && (labels[1] == "www" ||
		slices.Contains(wwwSlips, labels[1])) {
		return strings.Join(labels[1:], ".")
	}
	for i, label := range labels {
		if !strings.HasPrefix(label, "_") || slices.Contains(underscored, label) {
			continue
		}
		for _, known := range underscored {
			if len(known) > leastToken && slip(label, known) != none {
				labels[i] = known
				return strings.Join(labels, ".")
			}
		}
	}
	return ""
}

// servers asks about name servers whose domain is one slip away from that of another one that
// stands beside them.
func (s *slips) servers() {
	for i, m := range s.mentions {
		for _, o := range s.mentions[:i] {
			if m.key != "name-servers" || o.key != m.key || o.at.Line != m.at.Line {
				continue
			}
			_, a, _ := strings.Cut(m.name, ".")
			host, b, _ := strings.Cut(o.name, ".")
			if slip(a, b) != none && !s.sure[m.name] && !s.sure[o.name] {
				s.questions.Add(problem.Problem{Line: o.at.Line, Column: o.at.Column, Value: o.name,
					Fault: fact.Mistyped{Meant: host + "." + a}})
			}
		}
	}
}

// usual gives the endings of the estate's own names that exist, and those that everybody uses.
func (s *slips) usual() []string {
	all := []string{"com", "org", "net", "info", "example"}
	for _, m := range s.mentions {
		ending := m.name[strings.LastIndexByte(m.name, '.')+1:]
		if !m.path && !m.label && web.IsEnding(ending) && !slices.Contains(all, ending) {
			all = append(all, ending)
		}
	}
	return all
}

func (s *slips) nearEnding(ending string) string {
	for _, known := range s.endings {
		if slip(ending, known) != none {
			return known
		}
	}
	return ""
}

// near gives a name as it is meant where a word of it is one slip away from one that stands
// elsewhere, and more often. Somebody who owns a misspelling lists both as domains, and is not
// asked.
func (s *slips) near(m mention) fact.Facts {
	for _, token := range m.tokens() {
		for _, known := range s.alike(token) {
			kind, often := slip(token, known), s.known[known]
			if kind == none || len(token) < leastFor[kind] || often < s.known[token] ||
				s.known[token] > 1 {
				continue
			}
			meant := strings.Replace(m.name, token, known, 1)
			if s.owned(m, meant) || often == s.known[token] && m.domain && !s.nearDomain(meant) {
				continue
			}
			return fact.Mistyped{Meant: meant}
		}
		if known := s.joinedWords(token); known != "" {
			return fact.Mistyped{Meant: strings.Replace(m.name, token, known, 1)}
		}
	}
	return nil
}

// joinedWords gives a word of two that stand elsewhere where one of them holds a slip; "" for
// others.
func (s *slips) joinedWords(token string) string {
	if s.known[token] > 1 {
		return ""
	}
	for i := leastToken; i <= len(token)-leastToken; i++ {
		first, second := token[:i], token[i:]
		if s.known[first] > 0 && s.known[second] == 0 {
			for _, known := range s.alike(second) {
				if kind := slip(second, known); kind != none && len(second) >= leastFor[kind] {
					return first + known
				}
			}
		}
		if s.known[second] > 0 && s.known[first] == 0 {
			for _, known := range s.alike(first) {
				if kind := slip(first, known); kind != none && len(first) >= leastFor[kind] {
					return known + second
				}
			}
		}
	}
	return ""
}

// withinDomain gives a path as it is meant where a word of it is one slip away from a part of the
// name of the domain that leads there.
func withinDomain(m mention) string {
	for segment := range strings.SplitSeq(strings.ToLower(m.name), "/") {
		if len(segment) < 4 || strings.Contains(m.zone, segment) {
			continue
		}
		for size := max(4, len(segment)-1); size <= len(segment)+1; size++ {
			for i := 0; i+size <= len(m.zone); i++ {
				part := m.zone[i : i+size]
				if kind := slip(segment, part); kind == swapped || kind == missed && size >= 6 {
					return strings.Replace(m.name, segment, part, 1)
				}
			}
		}
	}
	return ""
}

// alike gives the words that stand there and may be one slip away from one, in order: they are the
// same without a letter.
func (s *slips) alike(token string) []string {
	var all []string
	for _, key := range shorter(token) {
		all = append(all, s.shortened[key]...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// shorter gives a word, and what is left of it without each of its letters.
func shorter(token string) []string {
	all := []string{token}
	for i := range token {
		all = append(all, token[:i]+token[i+1:])
	}
	return all
}

// owned reports whether two names are both domains of the estate, or below one each.
func (s *slips) owned(m mention, meant string) bool {
	return m.domain && s.names[meant]
}

// nearDomain reports whether what a listed name may mean is said of the estate otherwise.
func (s *slips) nearDomain(meant string) bool {
	return slices.ContainsFunc(s.mentions, func(o mention) bool {
		return !o.domain && !o.path && !o.label &&
			(o.name == meant || strings.HasSuffix(o.name, "."+meant))
	})
}

// slipKind is how two words differ.
type slipKind uint8

const (
	none    slipKind = iota
	swapped          // two letters changed places
	missed           // a letter is missing, or there are two for one
	other            // a letter is another
)

// leastFor is how long a word has to be: short ones are often words of their own.
var leastFor = map[slipKind]int{swapped: 5, missed: 6, other: 9}

// slip says how two words differ by one slip; none where they are the same, or differ by more, or
// by a digit, or only at the end, as the forms of one word do.
func slip(a, b string) slipKind {
	if a == b {
		return none
	}
	i := 0
	for i < len(a) && i < len(b) && a[i] == b[i] {
		i++
	}
	digit := func(s string, at int) bool { return at < len(s) && s[at] >= '0' && s[at] <= '9' }
	if digit(a, i) || digit(b, i) {
		return none
	}
	switch len(a) - len(b) {
	case 0:
		if i+1 < len(a) && a[i] == b[i+1] && a[i+1] == b[i] && a[i+2:] == b[i+2:] {
			return swapped
		}
		if a[i+1:] == b[i+1:] && i+1 < len(a) {
			return other
		}
	case -1:
		if i < len(a) && a[i:] == b[i+1:] {
			return missed
		}
	case 1:
		if i < len(b) && a[i+1:] == b[i:] {
			return missed
		}
	}
	return none
}
