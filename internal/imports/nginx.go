package imports

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// ReadNginx takes redirects out of an nginx configuration: return, rewrite, location and map, in
// servers with literal names. host is whose paths they are where no server_name says so.
func ReadNginx(text, host string, includes Includes) Import {
	n := nginxReader{maps: map[string]nginxMap{}, includes: includes}
	blocks, err := parseNginx(text)
	if err != nil {
		n.leave(err.line, err.text, "%s", err.says)
		return n.Import
	}
	blocks = n.withIncluded(blocks, 0)
	n.collect(blocks)
	n.context(blocks, hostList(host))
	for i := range n.Rules {
		n.Rules[i].Rank = n.ranks[i]
	}
	n.widen()
	return n.Import
}

// directive is one directive of nginx, with what stands in its braces.
type directive struct {
	line  int
	words []string
	block []directive
	has   bool // braces
}

func (d directive) text() string { return strings.Join(d.words, " ") }

type nginxFault struct {
	line       int
	text, says string
}

// parseNginx reads directives: words, then ";" or a block.
func parseNginx(text string) ([]directive, *nginxFault) {
	p := nginxParser{text: text, line: 1}
	all, err := p.block(0)
	return all, err
}

type nginxParser struct {
	text string
	at   int
	line int
}

// block reads what stands in a block, so deep in others; 0 is the file itself.
func (p *nginxParser) block(depth int) ([]directive, *nginxFault) {
	var all []directive
	for {
		d := directive{}
		for {
			word, kind := p.word(&d)
			switch kind {
			case 0: // the end
				if depth > 0 || len(d.words) > 0 {
					return all, &nginxFault{p.line, d.text(), "the file ends inside a block or directive"}
				}
				return all, nil
			case ';':
				if len(d.words) > 0 {
					all = append(all, d)
				}
				d = directive{}
				continue
			case '{':
				if len(d.words) == 0 {
					return all, &nginxFault{p.line, "{", "a block without a name is opened"}
				}
				if depth == mostNesting {
					return all,
						&nginxFault{p.line, d.text(),
							fmt.Sprintf("blocks are nested more than %d deep", mostNesting)}
				}
				inner, err := p.block(depth + 1)
				if err != nil {
					return all, err
				}
				d.block, d.has = inner, true
				all = append(all, d)
				d = directive{}
				continue
			case '}':
				if depth == 0 {
					return all, &nginxFault{p.line, d.text(), "a block is closed, but was not opened"}
				}
				return all, nil
			}
			if len(d.words) == 0 {
				d.line = p.line
			}
			d.words = append(d.words, word)
		}
	}
}

// word reads the next word, or the sign that ends a directive.
func (p *nginxParser) word(d *directive) (string, byte) {
	for p.at < len(p.text) {
		switch c := p.text[p.at]; {
		case c == '\n':
			p.line++
			p.at++
		case c == ' ' || c == '\t' || c == '\r':
			p.at++
		case c == '#':
			for p.at < len(p.text) && p.text[p.at] != '\n' {
				p.at++
			}
		case c == ';' || c == '{' || c == '}':
			p.at++
			return "", c
		case c == '"' || c == '\'':
			return p.quoted(c), 1
		default:
			start := p.at
			for p.at < len(p.text) && !strings.ContainsRune(" \t\r\n;", rune(p.text[p.at])) {
				if c := p.text[p.at]; c == '{' && (p.at == start || p.text[p.at-1] != '$') &&
					!regexBrace(p.text[start:p.at]) {
					break
				}
				if p.text[p.at] == '\\' {
					p.at++
				}
				p.at++
			}
			p.at = min(p.at, len(p.text))
			return p.text[start:p.at], 1
		}
	}
	return "", 0
}

// regexBrace reports whether a brace behind this text repeats something in a regular expression.
func regexBrace(s string) bool { return strings.HasPrefix(s, "^") || strings.HasPrefix(s, "~") }

func (p *nginxParser) quoted(sign byte) string {
	p.at++
	var b strings.Builder
	for p.at < len(p.text) && p.text[p.at] != sign {
		if p.text[p.at] == '\\' && p.at+1 < len(p.text) &&
			(p.text[p.at+1] == sign || p.text[p.at+1] == '\\') {
			p.at++
		}
		if p.text[p.at] == '\n' {
			p.line++
		}
		b.WriteByte(p.text[p.at])
		p.at++
	}
	p.at++
	return b.String()
}

type nginxMap struct {
	from string
	d    directive
}

type nginxReader struct {
	Import
	maps        map[string]nginxMap
	ranks       []int
	includes    Includes
	names       []string          // of the server that is read, all of them, in their order
	sets        map[string]string // variables that it sets, by name, with their sign
	claimed     map[string]bool   // hosts for which an if has an answer of its own
	saidDecoded bool
}

// withIncluded puts what included files hold where they are included, with the line that does so.
func (n *nginxReader) withIncluded(all []directive, depth int) []directive {
	var made []directive
	for _, d := range all {
		d.block = n.withIncluded(d.block, depth)
		if d.words[0] != "include" || len(d.words) != 2 || n.includes == nil || depth == mostIncluded {
			made = append(made, d)
			continue
		}
		texts := n.includes(d.words[1])
		if len(texts) == 0 {
			made = append(made, d)
		}
		for _, text := range texts {
			inner, err := parseNginx(text)
			if err != nil {
				n.leave(d.line, d.text(), "line %d of it: %s", err.line, err.says)
				continue
			}
			made = append(made, n.withIncluded(at(d.line, inner), depth+1)...)
		}
	}
	return made
}

// at gives directives with another line.
func at(line int, all []directive) []directive {
	for i := range all {
		all[i].line = line
		at(line, all[i].block)
	}
	return all
}

// collect notes maps, wherever they stand.
func (n *nginxReader) collect(all []directive) {
	for _, d := range all {
		if d.words[0] == "map" && d.has && len(d.words) == 3 {
			n.maps[d.words[2]] = nginxMap{d.words[1], d}
		}
		if d.has && d.words[0] != "map" {
			n.collect(d.block)
		}
	}
}

// rank orders what nginx tries: what stands in the server itself, then exact locations, those that
// end the search, regular expressions in their order, and beginnings of paths from the longest on.
const (
	rankServer = iota * 1_000_000
	rankExact
	rankFinal
	rankRegex
	rankPrefix
)

func (n *nginxReader) put(rank int, d directive, host, scheme string, w way, to string, status int,
	drop bool) {
	differ := ""
	if w.differ != "" {
		differ = firstOf(scheme, "http://") + host + w.differ
	}
	if n.add(d.line, d.text(), scheme+host+w.old, to, status, drop, w.note, differ) {
		n.Rules[len(n.Rules)-1].Folds = w.folds
		n.ranks = append(n.ranks, rank+len(n.ranks))
	}
}

// asked gives the hosts of a rule that leads to its target: all names of the server by themselves
// where it leads back to the one that was asked, and the www by itself where an if answers for the
// apex alone.
func (n *nginxReader) asked(to string, hosts []string) []string {
	itself := strings.Contains(to, "$host") || strings.Contains(to, "${host}") ||
		strings.Contains(to, "$http_host")
	var all []string
	for _, h := range hosts {
		all = append(all, h)
		www := "www." + h
		named := slices.Contains(n.names, www) && !slices.Contains(hosts, www)
		switch {
		case itself && (named || n.names == nil):
			all = append(all, withWWW([]string{h})[1:]...)
		case named && n.claimed[h]:
			all = append(all, www)
		}
	}
	return all
}

func (n *nginxReader) context(all []directive, hosts []string) {
	for _, d := range all {
		switch {
		case d.words[0] == "http" && d.has:
			n.context(d.block, hosts)
		case d.words[0] == "server" && d.has:
			n.server(d, hosts)
		case d.words[0] == "map" || d.words[0] == "events" || d.words[0] == "include":
			n.included(d)
		case isRedirecting(d):
			n.directives([]directive{d}, hosts, "")
		}
	}
}

// included notes a file that is included, unless its name says that no redirect is in it.
func (n *nginxReader) included(d directive) {
	if d.words[0] == "include" && !strings.HasSuffix(d.text(), "mime.types") &&
		!strings.HasSuffix(d.text(), "_params") {
		n.leave(d.line, d.text(),
			"the included file is not in the folder of this one; import it by itself")
	}
}

func isRedirecting(d directive) bool {
	return slices.Contains([]string{"return", "rewrite", "location", "if"}, d.words[0])
}

func (n *nginxReader) server(d directive, hosts []string) {
	n.names, n.sets, n.claimed = nil, map[string]string{}, map[string]bool{}
	var named []string
	plain, secure := false, false
	for _, inner := range d.block {
		switch inner.words[0] {
		case "server_name":
			for _, h := range inner.words[1:] {
				switch {
				case h == "_" || h == "":
				case strings.HasPrefix(h, ".") && !strings.ContainsAny(h, "*~"):
					named = append(named, strings.ToLower(h[1:]), "www."+strings.ToLower(h[1:]))
					n.beside(inner.line, inner.text(),
						"it stands for every host below too; write rules for those in use")
				case strings.ContainsAny(h, "*~"):
					n.leave(inner.line, inner.text(),
						"the name %s is not a single host; write its rules for each host", h)
				default:
					named = append(named, strings.ToLower(h))
				}
			}
		case "listen":
			if slices.Contains(inner.words, "ssl") {
				secure = true
			} else {
				plain = true
			}
		}
	}
	if len(named) > 0 {
		n.narrow(d.line, named)
		n.names = named
		hosts = withoutWWW(named)
	}
	scheme := ""
	switch {
	case secure && !plain:
		scheme = "https://"
	case plain && !secure:
		scheme = "http://"
	}
	n.serves(scheme, hosts)
	n.serves(scheme, named)
	n.directives(d.block, hosts, scheme)
}

func (n *nginxReader) directives(all []directive, hosts []string, scheme string) {
	for _, d := range all {
		if len(hosts) == 0 && isRedirecting(d) {
			n.leave(d.line, d.text(), "the file does not say whose path this is; name the host with --host")
			continue
		}
		switch d.words[0] {
		case "return":
			n.returned(rankServer, d, hosts, scheme, everything())
		case "rewrite":
			n.rewrite(rankServer, d, hosts, scheme, nil)
		case "location":
			n.location(d, hosts, scheme)
		case "if":
			n.condition(rankServer, d, hosts, scheme, nil)
		case "include":
			n.included(d)
		case "set":
			n.set(d)
		case "error_page":
			if strings.Contains(d.text(), "://") || strings.Contains(d.text(), "=30") {
				n.leave(d.line, d.text(),
					"it redirects what ends in an error; the fallback of the domain says where that goes")
			} else {
				n.beside(d.line, d.text(),
					"the old site shows its own page for what is missing; the fallback replaces it")
			}
		default:
			n.matters(d)
		}
	}
}

// matters notes what is no redirect and matters to a move.
func (n *nginxReader) matters(d directive) {
	switch {
	case d.words[0] == "add_header" &&
		strings.Contains(strings.ToLower(d.text()), "strict-transport-security"):
		n.beside(d.line, d.text(),
			"browsers remember that the host is https only (HSTS): its https door has to answer from the "+
				"first minute")
	case d.words[0] == "proxy_pass" || d.words[0] == "fastcgi_pass" || d.words[0] == "uwsgi_pass":
		n.beside(d.line, d.text(),
			"it fetches from another server and redirects nobody: its content has to move too")
	}
}

func everything() way { return way{old: "/{+rest}", groups: map[string]string{}} }

// location reads a location with a return or rewrites in it.
func (n *nginxReader) location(d directive, hosts []string, scheme string) {
	words := d.words[1:]
	sign := ""
	if len(words) > 1 {
		sign, words = words[0], words[1:]
	}
	if len(words) != 1 {
		n.leave(d.line, d.text(), "the location is not supported")
		return
	}
	path := words[0]
	if strings.HasPrefix(path, "@") {
		if slices.ContainsFunc(d.block, isRedirecting) {
			n.leave(d.line, d.text(),
				"it has no path: the server comes to it from within, by try_files or error_page")
		}
		return
	}
	var ways []way
	rank := rankPrefix + 10_000 - 10*len(path)
	if (sign == "" || sign == "=" || sign == "^~") && encodedOctet.MatchString(path) {
		n.leave(d.line, d.text(), "%s", errEncoded)
		return
	}
	switch sign {
	case "=":
		ways, rank = []way{{old: escapeText(path), groups: map[string]string{}}}, rankExact
	case "", "^~":
		ways = []way{{old: escapeText(path) + "{+rest}", groups: map[string]string{}}}
		if sign != "" {
			rank = rankFinal + 10_000 - 10*len(path)
		}
	case "~", "~*":
		x, err := readExpression(path, "")
		if err != nil {
			n.keepsWhat(keptLine{line: d.line, rank: rankRegex + len(n.ranks)}, hosts, path, sign == "~*")
			n.leave(d.line, d.text(), "%s", err)
			return
		}
		ways, rank = x.ways, rankRegex
		for i := range ways {
			ways[i].folds = ways[i].folds || sign == "~*"
		}
	default:
		n.leave(d.line, d.text(), "the location is not supported")
		return
	}
	// what nothing inside redirects it keeps for itself
	if !slices.ContainsFunc(d.block, func(inner directive) bool {
		return inner.words[0] == "return" || inner.words[0] == "include" ||
			inner.words[0] == "location" ||
			inner.words[0] == "rewrite" && len(inner.words) > 2 &&
				slices.Contains(everyPath, inner.words[1])
	}) {
		defer func() {
			n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks)}, hosts, ways)
		}()
	}
	for _, inner := range d.block {
		switch inner.words[0] {
		case "return":
			for _, w := range ways {
				n.returned(rank, inner, hosts, scheme, w)
			}
			return
		case "rewrite":
			n.rewrite(rank, inner, hosts, scheme, ways)
			for i := range ways { // nginx forgets the groups when it tries another expression
				ways[i].groups = map[string]string{}
			}
		case "if":
			n.condition(rank, inner, hosts, scheme, ways)
		case "location":
			if inner, is := nested(inner), sign == "" || sign == "^~"; is && inner.has {
				n.location(inner, hosts, scheme)
				continue
			}
			n.leave(inner.line, inner.text(), "it stands inside a location, which decides together with it")
		case "set":
			n.set(inner)
		case "include":
			n.included(inner)
		default:
			n.matters(inner)
		}
	}
}

// returned reads a return at the paths of a way.
func (n *nginxReader) returned(rank int, d directive, hosts []string, scheme string, w way) {
	status, to := 302, ""
	switch len(d.words) {
	case 2:
		if s, ok := statusOf(d.words[1]); ok || strings.Trim(d.words[1], "0123456789") == "" {
			status = s
		} else {
			to = d.words[1]
		}
	case 3:
		status, _ = statusOf(d.words[1])
		to = d.words[2]
	}
	if !known(status) || status != 410 && to == "" {
		n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks)}, hosts, []way{w})
		n.leave(d.line, d.text(), "it answers by itself, and redirects nobody")
		return
	}
	to = n.withSets(to)
	if before, m, behind, mapped := n.looksUp(to); mapped && status != 410 {
		n.mapped(rank, lookup{m, &n.states, before, behind, status, false, false}, hosts, scheme, w)
		return
	}
	if key, asked := singleArgument(to); asked && status != 410 && !strings.Contains(w.old, "?") {
		for _, h := range hosts {
			if why := n.byArgument(rank, d, key, to, status, h, scheme, w); why != "" {
				n.leave(d.line, d.text(), "%s", why)
				return
			}
		}
		return
	}
	w = oddReturn(w, to, scheme)
	for _, h := range n.asked(to, hosts) {
		if status == 410 {
			n.put(rank, d, h, scheme, w, "", status, false)
			continue
		}
		target, drop, err := n.target(to, w, h, scheme)
		if err != nil {
			n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks), left: true}, hosts, []way{w})
			n.leave(d.line, d.text(), "%s", err)
			return
		}
		n.decoded(d, h, w, to, target)
		if note, differ := moved(w.old, target); note != "" && w.note == "" {
			w.note, w.differ = note, differ
		}
		n.put(rank, d, h, scheme, w, target, status, drop)
	}
}

// decoded says once of a file that a return writes what it takes over as it is decoded.
func (n *nginxReader) decoded(d directive, host string, w way, to, target string) {
	m := firstCapture.FindStringSubmatch(target)
	if n.saidDecoded || m == nil || strings.Contains(to, "$request_uri") ||
		!strings.Contains(w.old, "{"+m[1]+"}") && !strings.Contains(w.old, "{+"+m[1]+"}") ||
		strings.Contains(w.asked, "{"+m[1]+"}") || w.raw {
		return
	}
	path, _, _ := strings.Cut(w.old, "?")
	u := "http://" + host + exampleWith(path, m[1], "x%20x")
	if w.sample != "" {
		u += "?" + w.sample
	}
	n.saidDecoded = true
	n.said = append(n.said, Difference{u, d.line, 0, "The file writes decoded what it takes over, " +
		"the rule percent-encoded; so do others of its lines."})
}

// oddReturn notes of a way where a return writes something else than the rule.
func oddReturn(w way, to, scheme string) way {
	switch {
	case w.note != "":
	case strings.HasSuffix(to, "?$args") || strings.HasSuffix(to, "?$query_string"):
		w.note, w.differ = "The file writes a ? without a query too.", exampleOf(w.old)
	case strings.HasPrefix(to, "$scheme://") && scheme == "" && !strings.HasPrefix(to, "$scheme://$"):
		w.note, w.differ = "The file leads to the scheme that was asked, the rule to https.",
			exampleOf(w.old)
	}
	return w
}

// target writes the target of a return as a template: with the path and query as they came, or with
// groups.
func (n *nginxReader) target(to string, w way, host, scheme string) (string, bool, error) {
	if scheme == "" {
		scheme = "https://"
	}
	first := host
	if len(n.names) > 0 {
		first = n.names[0]
	}
	to = strings.NewReplacer("$scheme://", scheme, "$http_host", host, "$host", host, "$server_name",
		first, "${host}",
		host).
		Replace(to)
	kept, whole := false, ""
	for _, whole := range []string{"$is_args$args", "?$args", "?$query_string"} {
		if strings.HasSuffix(to, whole) {
			to, kept = strings.TrimSuffix(to, whole), true
		}
	}
	for _, uri := range []string{"$request_uri", "$uri"} {
		before, has := strings.CutSuffix(to, uri)
		if !has {
			continue
		}
		if uri == "$request_uri" {
			kept = true
		}
		path, _, _ := strings.Cut(strings.ReplaceAll(w.old, ":digits}", "}"), "?")
		whole, to = path, before
		break
	}
	if strings.Contains(to, "$request_uri") || strings.Contains(to, "$uri") {
		return "", false, fmt.Errorf("its target has the path in the middle")
	}
	to, err := target(to, w.groups, '$')
	if err != nil {
		return "", false, err
	}
	if to += whole; kept {
		to = withQuery(to, w.asked)
	}
	if strings.HasPrefix(to, "/") {
		to = "https://" + host + to
	}
	if !strings.Contains(to, "://") {
		return "", false, fmt.Errorf("its target is not a URL")
	}
	return to, !kept, nil
}

// rewrite reads a rewrite that redirects; within are the paths of the location that it stands in,
// none for a server.
func (n *nginxReader) rewrite(rank int, d directive, hosts []string, scheme string, within []way) {
	if len(d.words) < 3 {
		n.leave(d.line, d.text(), "it has no pattern and target")
		return
	}
	status, flag := 0, ""
	if len(d.words) > 3 {
		flag = d.words[3]
	}
	to := d.words[2]
	switch {
	case flag == "permanent":
		status = 301
	case flag == "redirect",
		strings.HasPrefix(to, "http://"),
		strings.HasPrefix(to, "https://"),
		strings.HasPrefix(to, "$scheme"):
		status = 302
	default:
		if x, err := readExpression(d.words[1], ""); err == nil {
			ways, ok := inLocation(x.ways, within, &n.states)
			if !ok {
				ways = within
			}
			n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks), left: true}, hosts, ways)
		} else {
			n.keepsWhat(keptLine{line: d.line, rank: rank + len(n.ranks)}, hosts, d.words[1], false)
		}
		n.leave(d.line, d.text(), "it rewrites inside the server, and redirects nobody")
		return
	}
	to = n.withSets(to)
	x, err := readExpression(d.words[1], "")
	if err != nil {
		n.keepsWhat(keptLine{line: d.line, rank: rank + len(n.ranks)}, hosts, d.words[1], false)
		n.leave(d.line, d.text(), "%s", err)
		return
	}
	ways, ok := inLocation(x.ways, within, &n.states)
	if before, m, behind, mapped := n.looksUp(to); ok && mapped {
		drop := strings.HasSuffix(behind, "?")
		for _, w := range ways {
			n.mapped(rank, lookup{nginxMap: m, states: &n.states, before: before,
				behind: strings.TrimSuffix(behind, "?"), status: status, keeps: !drop},
				hosts, scheme, w)
		}
		return
	}
	if !ok {
		n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks), left: true}, hosts, within)
		n.leave(d.line, d.text(), "it stands inside a location, which decides together with it")
		return
	}
	if len(ways) == 0 {
		n.leave(d.line, d.text(), "no path of the location that it stands in fits it")
		return
	}
	drop := strings.HasSuffix(to, "?")
	to = strings.TrimSuffix(to, "?")
	twice := !drop && (strings.HasSuffix(to, "?$args") || strings.HasSuffix(to, "?$query_string"))
	for _, w := range ways {
		_, own, asks := strings.Cut(to, "?")
		key, _, _ := strings.Cut(own, "=")
		switch {
		case w.note != "":
		case twice:
			w.note, w.differ = "The file hands the query on twice.", exampleOf(w.old)+"?x=1"
		case asks && !drop && key != "" && !strings.ContainsAny(key, "$&"):
			w.note, w.differ = keptTwice, exampleOf(w.old)+"?"+key+"=x"
		}
		for _, h := range n.asked(to, hosts) {
			target, _, err := n.target(to, w, h, scheme)
			if err != nil {
				n.leave(d.line, d.text(), "%s", err)
				return
			}
			if note, differ := moved(w.old, target); note != "" && w.note == "" {
				w.note, w.differ = note, differ
			}
			if !drop {
				target = withQuery(target, w.asked)
			}
			n.put(rank, d, h, scheme, w, target, status, drop)
		}
	}
}

// keptTwice is said where a target sets a parameter that a visitor may bring too.
const keptTwice = "The file keeps a parameter of the visitor that its target sets too; the rule " +
	"does not."

// inLocation gives the paths that both an expression and the location take that it stands in; ok is
// false where that is more than the rule language says.
func inLocation(ways, within []way, states *int) (both []way, ok bool) {
	if within == nil {
		return ways, true
	}
	both = []way{} // none is not everything
	for _, w := range ways {
		for _, l := range within {
			one, ok := meeting(w, l, states)
			if !ok {
				return nil, false
			}
			both = append(both, one...)
		}
	}
	return both, true
}

// meeting gives what a way takes within another one, which may ask for a query.
func meeting(w, l way, states *int) ([]way, bool) {
	if l.asked != "" && strings.Contains(w.old, "?") {
		return nil, false // two conditions on one query
	}
	if l.note != "" && w.note == "" && strings.HasSuffix(l.differ, "?x=1") {
		w.note, w.differ = l.note, exampleOf(w.old)+"?x=1"
	}
	query := l.asked
	if query == "" {
		return meetingPaths(w, l, states)
	}
	l.old = strings.TrimSuffix(l.old, query)
	both, ok := meetingPaths(w, way{old: l.old, groups: l.groups}, states)
	for i := range both {
		b := &both[i]
		b.old, b.asked, b.sample = b.old+query, query, l.sample
		if b.note != "" && l.sample != "" {
			b.differ = withSample(b.differ, l.sample)
		}
		if l.other != "" && b.note == "" {
			b.note, b.differ = l.note, exampleOf(strings.TrimSuffix(b.old, query))+l.other
		}
		b.groups = withGroups(b.groups, l.groups)
	}
	return both, ok
}

// meetingPaths is meeting where no query is asked for.
func meetingPaths(w, l way, states *int) ([]way, bool) {
	start, rest, open := strings.Cut(l.old, "{+rest}")
	begins := open && rest == "" && !strings.Contains(start, "{")
	switch {
	case begins && strings.HasPrefix(w.old, start): // the location takes all that the expression does
		return []way{w}, true
	case w.old == "/{+rest}" && len(w.groups) == 0:
		return []way{l}, true
	case unnamed(l.old) == unnamed(w.old):
		return []way{w}, true
	case begins && !strings.Contains(w.old, "{"): // they have nothing in common
		return nil, true
	}
	return common(w, l, states)
}

// withSample gives a path, perhaps with a query, with more of a query behind it.
func withSample(path, sample string) string {
	if strings.Contains(path, "?") {
		return path + "&" + sample
	}
	return path + "?" + sample
}

// common gives what two ways have in common where one takes all that the other does, or nothing;
// false where that is more than the rule language says.
func common(w, l way, states *int) ([]way, bool) {
	inner, one := pathTexts(w.old)
	outer, other := pathTexts(l.old)
	if !one || !other {
		return nil, false
	}
	switch is, known := compareTexts(inner, "^(?:"+outer+")$", states); {
	case !known:
		return nil, false
	case !is.fits:
		return nil, true
	case !is.misses:
		return []way{w}, true
	}
	is, known := compareTexts(outer, "^(?:"+inner+")$", states)
	return []way{l}, known && !is.misses && len(w.groups) == 0
}

// ownReturn is a target on the host that was asked, or on its www or apex, with the path as it
// came.
var ownReturn = regexp.MustCompile(
	`^(?:https|\$scheme)://(?:www\.)?(\$host|\$\{host\}|\$http_host|\$server_name|\$1|` +
		`\$[a-z_]+|[A-Za-z0-9.-]+)(?:\$request_uri|\$uri|/?\$1|\$uri\$is_args\$args)\??$`)

// doorVariables say by which door somebody came in.
var doorVariables = []string{"$host", "$http_host", "$scheme", "$https", "$server_port",
	"$http_x_forwarded_proto",
	"$ssl_protocol", "$server_name", "$http_cf_visitor"}

// leadsToItself reports whether an if on the scheme or the host does no more than a door does
// anyway.
func (n *nginxReader) leadsToItself(variable string, inner directive, hosts []string) bool {
	if !slices.Contains(doorVariables, variable) || len(inner.words) < 3 {
		return false
	}
	to := inner.words[2]
	if inner.words[0] == "rewrite" && !slices.Contains(everyPath, inner.words[1]) {
		return false
	}
	m := ownReturn.FindStringSubmatch(to)
	if m == nil {
		return false
	}
	if strings.HasPrefix(m[1], "$") {
		return true
	}
	for _, h := range hosts {
		if strings.TrimPrefix(strings.ToLower(m[1]), "www.") == strings.TrimPrefix(h, "www.") {
			return true
		}
	}
	return false
}

// condition reads the forms of if that stand for rules: a value of a map, a parameter of the query,
// a host, a scheme, a path. within are the paths of the location that it stands in, none for a
// server.
func (n *nginxReader) condition(rank int, d directive, hosts []string, scheme string,
	within []way) {
	inside := strings.TrimSpace(strings.Join(d.words[1:], " "))
	inside = strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(inside, "("), ")"))
	variable, rest, compares := strings.Cut(inside, " ")
	inner, ok := n.singleIn(d)
	if !ok {
		if slices.ContainsFunc(d.block, isRedirecting) {
			n.keepsLeft(rank, d, hosts, within)
			n.leave(d.line, d.text(), "an if with more than a return in it is not supported")
		}
		return
	}
	if n.leadsToItself(variable, inner, hosts) {
		n.anyway(d.line, d.text()+" "+inner.text(),
			"it leads to https, to the apex or to the www of the same domain: every "+
				"door leads to the site anyway, in one hop")
		return
	}
	how, value, _ := strings.Cut(rest, " ")
	value = strings.Trim(value, `"'`)
	if m, mapped := n.maps[variable]; mapped &&
		(!compares || how == "!=" && (value == "" || value == "0")) {
		if n.byMap(rank, m, variable, inner, hosts, scheme, within) {
			return
		}
	}
	c := comparison{rank: rank, d: d, inner: inner, variable: variable, how: how, value: value,
		hosts: hosts, scheme: scheme, within: within}
	if why := n.compares(c); why != "" {
		n.keepsLeft(rank, d, hosts, within)
		n.leave(d.line, d.text(), "%s", why)
	}
}

// keepsLeft notes an if that is left: it may take all URLs of the place where it stands.
func (n *nginxReader) keepsLeft(rank int, d directive, hosts []string, within []way) {
	if within == nil {
		within = []way{everything()}
	}
	n.keeps(keptLine{line: d.line, rank: rank + len(n.ranks), left: true}, hosts, within)
}

// comparison is an if: what it compares, and what stands in it.
type comparison struct {
	rank                 int
	d, inner             directive
	variable, how, value string
	hosts                []string
	scheme               string
	within               []way // of the location that it stands in
}

// answer has what stands in an if answer for these.
func (n *nginxReader) answer(c comparison, hosts []string, scheme string, ways []way) {
	if ways != nil && len(ways) == 0 {
		n.leave(c.d.line, c.d.text(), "no path of the location that it stands in fits it")
		return
	}
	if c.inner.words[0] == "rewrite" {
		n.rewrite(c.rank, c.inner, hosts, scheme, ways)
		return
	}
	if ways == nil {
		ways = []way{everything()}
	}
	for _, w := range ways {
		n.returned(c.rank, c.inner, hosts, scheme, w)
	}
}

// compares reads an if that compares something, and says why it cannot.
func (n *nginxReader) compares(c comparison) string {
	unable := fmt.Sprintf("the condition %s is not supported",
		strings.TrimSpace(c.variable+" "+c.how+" "+c.value))
	matches := c.how == "~" || c.how == "~*"
	key, isParameter := strings.CutPrefix(c.variable, "$arg_")
	switch {
	case c.how == "=" && !strings.Contains(c.value, "$"):
		return n.equals(c, unable)
	case c.how == "" && isParameter: // it is there, and not 0
		return n.withQueryOf(c, "(^|&)"+key+"=([^&]+)", "$arg_"+key, unable)
	case c.how == "!=" && (c.variable == "$host" || c.variable == "$http_host"):
		if !sameSite(c.value, c.hosts) {
			n.answer(c, c.hosts, c.scheme, c.within)
			return ""
		}
	case matches && (c.variable == "$host" || c.variable == "$http_host"):
		if host, ok := hostOf(c.value); ok {
			n.narrow(c.d.line, []string{host})
			n.answer(c, []string{host}, c.scheme, c.within)
			if n.claimed != nil {
				n.claimed[host] = n.claimed[host] || !strings.Contains(c.value, "(")
			}
			return ""
		}
	case matches && (c.variable == "$args" || c.variable == "$query_string"):
		return n.withQueryOf(c, c.value, "", unable)
	case matches && isParameter:
		value, begins := strings.CutPrefix(c.value, "^")
		value, ends := strings.CutSuffix(value, "$")
		if begins && ends && !strings.HasSuffix(value, `\`) {
			if inner, grouped := strings.CutPrefix(value, "("); grouped && strings.Count(value, "(") == 1 &&
				strings.HasSuffix(inner, ")") { // the group keeps its number
				return n.withQueryOf(c, `(?:^|&)`+key+"="+value+`(?:&|$)`, "", unable)
			}
			return n.withQueryOf(c, `(?:^|&)`+key+"="+value+`(?:&|$)`, "", unable)
		}
	case matches && c.within == nil && c.variable == "$request_uri":
		return n.byRequest(c)
	case matches && (c.variable == "$uri" || c.variable == "$document_uri"):
		x, err := readExpression(c.value, "")
		if err != nil {
			return err.Error()
		}
		ways, ok := inLocation(x.ways, c.within, &n.states)
		if !ok {
			return unable
		}
		for i := range ways {
			ways[i].folds = ways[i].folds || c.how == "~*"
		}
		n.answer(c, c.hosts, c.scheme, ways)
		return ""
	}
	return unable
}

// sameSite reports whether a name is one of hosts, or its www or apex.
func sameSite(name string, hosts []string) bool {
	name = strings.TrimPrefix(strings.ToLower(name), "www.")
	return slices.ContainsFunc(
		hosts,
		func(h string) bool { return strings.TrimPrefix(h, "www.") == name },
	)
}

// withQueryOf reads an if that compares the query with an expression; also is what else stands for
// its last group.
func (n *nginxReader) withQueryOf(c comparison, pattern, also, unable string) string {
	all, why := asked{}.askQueries(pattern, c.how == "~*")
	if why != "" {
		return unable
	}
	ways := c.within
	if ways == nil {
		ways = []way{everything()}
	}
	var made []way
	for _, at := range all {
		if at.query == "" {
			return unable
		}
		for _, w := range ways {
			if strings.Contains(w.old, "?") {
				return unable
			}
			w.groups = maps.Clone(at.groups)
			if also != "" {
				w.groups[also[1:]] = w.groups["2"]
				at.note, at.example = "", ""
			}
			if at.note != "" && w.note == "" {
				w.note, w.differ, w.other = at.note, at.differ(w), at.example
			}
			w.old, w.asked, w.sample = w.old+at.query, at.query, at.sample
			if w.other == "" && w.note != "" {
				w.differ = withSample(w.differ, at.sample)
			}
			made = append(made, w)
		}
	}
	n.answer(c, c.hosts, c.scheme, made)
	return ""
}

// byRequest reads an if that compares path and query as they came with an expression: what it takes
// up to the end holds the query.
func (n *nginxReader) byRequest(c comparison) string {
	path, query, asks := strings.Cut(c.value, `\?`)
	if asks {
		x, err := readAs(path+"$", "", true)
		if err != nil {
			return err.Error()
		}
		if strings.Contains(path, "(") {
			return "its groups stand in the path and in the query; write the rule by hand"
		}
		c.within = x.ways
		return n.withQueryOf(c, "^"+query, "", "the condition on the query is more than parameters with "+
			"their values")
	}
	x, err := readAs(c.value, "", true)
	if err != nil {
		return err.Error()
	}
	last := takesRest.MatchString(c.value)
	group := fmt.Sprintf("$%d", strings.Count(c.value, "("))
	to := len(c.inner.words) - 1
	switch {
	case last && strings.HasSuffix(c.inner.words[to], group) && c.inner.words[0] == "return":
		c.inner.words = slices.Clone(c.inner.words)
		c.inner.words[to] += "$is_args$args"
	case last && !openEnd.MatchString(c.value):
		return "its last group holds the query, which its target has not at its end"
	}
	for i := range x.ways {
		w := &x.ways[i]
		w.raw = true
		if w.folds = w.folds || c.how == "~*"; x.anchored && !last && w.note == "" {
			w.note, w.differ = "The rule takes the path with a query too.", exampleOf(w.old)+"?x=1"
		}
	}
	n.answer(c, c.hosts, c.scheme, x.ways)
	return ""
}

// What takes everything up to the end, in a group and without one.
var (
	takesRest = regexp.MustCompile(`\(\.[*+]\)\$?$`)
	openEnd   = regexp.MustCompile(`[^)]\$?$`)
)

// equals reads an if that compares a variable with a word, and says why it cannot.
func (n *nginxReader) equals(c comparison, unable string) string {
	key, isParameter := strings.CutPrefix(c.variable, "$arg_")
	path := c.variable == "$uri" || c.variable == "$document_uri" || c.variable == "$request_uri"
	switch {
	case isParameter:
		return n.withQueryOf(c, "(?:^|&)"+key+"="+regexp.QuoteMeta(c.value)+"(?:&|$)", "", unable)
	case c.variable == "$args" || c.variable == "$query_string":
		return n.withQueryOf(c, "^"+regexp.QuoteMeta(c.value)+"$", "", unable)
	case c.variable == "$host" || c.variable == "$http_host":
		host := strings.ToLower(c.value)
		n.narrow(c.d.line, []string{host})
		n.answer(c, []string{host}, c.scheme, c.within)
		if n.claimed != nil {
			n.claimed[host] = true
		}
	case c.variable == "$scheme" && (c.value == "http" || c.value == "https"):
		if own := c.value + "://"; c.scheme == "" || c.scheme == own {
			n.serves("", c.hosts)
			n.answer(c, c.hosts, own, c.within)
		}
	case c.variable == "$request_method" && c.value == "GET":
		n.answer(c, c.hosts, c.scheme, c.within)
	case path:
		w, ok := wholeKey(c.variable, c.value)
		if !ok {
			return unable
		}
		ways, ok := inLocation([]way{w}, c.within, &n.states)
		if !ok {
			return unable
		}
		n.answer(c, c.hosts, c.scheme, ways)
	default:
		return unable
	}
	return ""
}
