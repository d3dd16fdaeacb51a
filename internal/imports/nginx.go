package imports

import (
	"fmt"
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
	maps     map[string]nginxMap
	ranks    []int
	includes Includes
	names    []string // of the server that is read, all of them, in their order
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
// where it leads back to the one that was asked.
func (n *nginxReader) asked(to string, hosts []string) []string {
	if !strings.Contains(to, "$host") && !strings.Contains(to, "${host}") &&
		!strings.Contains(to, "$http_host") {
		return hosts
	}
	var all []string
	for _, h := range hosts {
		all = append(all, h)
		if www := "www." + h; slices.Contains(n.names, www) && !slices.Contains(hosts, www) ||
			n.names == nil {
			all = append(all, withWWW([]string{h})[1:]...)
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
	n.names = nil
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
			n.leave(d.line, d.text(), "%s", err)
			return
		}
		ways, rank = x.ways, rankRegex
		for i := range ways {
			ways[i].folds = sign == "~*"
		}
	default:
		n.leave(d.line, d.text(), "the location is not supported")
		return
	}
	if !slices.ContainsFunc(d.block, func(inner directive) bool {
		return isRedirecting(inner) || inner.has || inner.words[0] == "include"
	}) {
		n.keeps(d.line, rank, hosts, ways)
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
		case "if":
			n.condition(rank, inner, hosts, scheme, ways)
		case "location":
			n.leave(inner.line, inner.text(), "it stands inside a location, which decides together with it")
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
		n.leave(d.line, d.text(), "it answers by itself, and redirects nobody")
		return
	}
	if m, mapped := n.maps[to]; mapped && status != 410 {
		n.mapped(rank, m, status, hosts, scheme)
		return
	}
	for _, h := range n.asked(to, hosts) {
		if status == 410 {
			n.put(rank, d, h, scheme, w, "", status, false)
			continue
		}
		target, drop, err := n.target(to, w, h, scheme)
		if err != nil {
			n.leave(d.line, d.text(), "%s", err)
			return
		}
		n.put(rank, d, h, scheme, w, target, status, drop)
	}
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
	kept := false
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
		literal, rest, ends := strings.Cut(w.old, "{+")
		if !ends && strings.Contains(w.old, "{") || ends && rest != "rest}" {
			return "", false,
				fmt.Errorf("%s after a pattern with groups is more than the rule language can express", uri)
		}
		if ends {
			literal += "{+rest}"
		}
		to = before + literal
		break
	}
	if strings.Contains(to, "$request_uri") || strings.Contains(to, "$uri") {
		return "", false, fmt.Errorf("its target has the path in the middle")
	}
	if !strings.Contains(to, "{+rest}") {
		var err error
		if to, err = target(to, w.groups, '$'); err != nil {
			return "", false, err
		}
	}
	if strings.HasPrefix(to, "/") {
		to = scheme + host + to
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
		n.leave(d.line, d.text(), "it rewrites inside the server, and redirects nobody")
		return
	}
	x, err := readExpression(d.words[1], "")
	if err != nil {
		n.leave(d.line, d.text(), "%s", err)
		return
	}
	ways, ok := inLocation(x.ways, within)
	if !ok {
		n.leave(d.line, d.text(), "it stands inside a location, which decides together with it")
		return
	}
	drop := strings.HasSuffix(to, "?")
	to = strings.TrimSuffix(to, "?")
	for _, w := range ways {
		for _, h := range n.asked(to, hosts) {
			target, _, err := n.target(to, w, h, scheme)
			if err != nil {
				n.leave(d.line, d.text(), "%s", err)
				return
			}
			n.put(rank, d, h, scheme, w, target, status, drop)
		}
	}
}

// inLocation gives the paths that both an expression and the location take that it stands in; ok is
// false where that is more than the rule language says.
func inLocation(ways, within []way) (both []way, ok bool) {
	if within == nil {
		return ways, true
	}
	for _, w := range ways {
		for _, l := range within {
			start, rest, open := strings.Cut(l.old, "{+rest}")
			switch {
			case open && rest == "" && !strings.Contains(start, "{") && strings.HasPrefix(w.old, start):
				both = append(both, w) // the location takes all that the expression does
			case w.old == "/{+rest}" && len(w.groups) == 0:
				both = append(both, l)
			case l.old == w.old:
				both = append(both, w)
			case !strings.Contains(w.old, "{") && !strings.HasPrefix(w.old, start):
				// They have nothing in common.
			default:
				return nil, false
			}
		}
	}
	return both, true
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
	if len(d.block) != 1 || d.block[0].words[0] != "return" && d.block[0].words[0] != "rewrite" {
		if slices.ContainsFunc(d.block, isRedirecting) {
			n.leave(d.line, d.text(), "an if with more than a return in it is not supported")
		}
		return
	}
	inner := d.block[0]
	if n.leadsToItself(variable, inner, hosts) {
		n.anyway(d.line, d.text()+" "+inner.text(),
			"it leads to https, to the apex or to the www of the same domain: every "+
				"door leads to the site anyway, in one hop")
		return
	}
	answer := func(hosts []string, scheme string, ways []way) {
		switch {
		case inner.words[0] == "return":
			if ways == nil {
				ways = []way{everything()}
			}
			for _, w := range ways {
				n.returned(rank, inner, hosts, scheme, w)
			}
		default:
			n.rewrite(rank, inner, hosts, scheme, ways)
		}
	}
	if m, mapped := n.maps[variable]; mapped && within == nil && !compares && len(inner.words) == 3 &&
		strings.HasSuffix(inner.words[2], variable) {
		before := strings.TrimSuffix(inner.words[2], variable)
		if status, ok := statusOf(inner.words[1]); ok && known(status) && !strings.Contains(before, "$") {
			n.mapped(rank, m.behind(before), status, hosts, scheme)
			return
		}
	}
	how, value, _ := strings.Cut(rest, " ")
	value = strings.Trim(value, `"'`)
	switch {
	case how == "=" && !strings.Contains(value, "$"):
		if n.equals(rank, variable, value, inner, hosts, scheme, within, answer) {
			return
		}
	case (how == "~" || how == "~*") && inner.words[0] == "return" &&
		(variable == "$args" || variable == "$query_string"):
		if n.asks(rank, d, value, hosts, scheme, within) {
			return
		}
	case (how == "~" || how == "~*") && within == nil && inner.words[0] == "return" &&
		len(inner.words) == 3 && variable == "$request_uri" && !strings.Contains(value, "?"):
		n.byRequest(rank, d, value, how == "~*", hosts, scheme)
		return
	case (how == "~" || how == "~*") && within == nil && inner.words[0] == "return" &&
		(variable == "$uri" || variable == "$document_uri"):
		x, err := readExpression(value, "")
		if err != nil {
			n.leave(d.line, d.text(), "%s", err)
			return
		}
		for _, w := range x.ways {
			w.folds = how == "~*"
			n.returned(rank, inner, hosts, scheme, w)
		}
		return
	}
	n.leave(d.line, d.text(), "the condition %s is not supported", inside)
}

// asks reads an if that compares the query with an expression; false where that is more than is
// read.
func (n *nginxReader) asks(rank int, d directive, value string, hosts []string, scheme string,
	within []way) bool {
	var at asked
	if why := at.askQuery(value); why != "" {
		return false
	}
	ways := within
	if ways == nil {
		ways = []way{everything()}
	}
	for _, w := range ways {
		w.groups = at.groups
		if at.note != "" && w.note == "" {
			w.note, w.differ = at.note, at.differ(w)
		}
		w.old += at.query
		n.returned(rank, d.block[0], hosts, scheme, w)
	}
	return true
}

// byRequest reads an if that compares path and query as they came with an expression: what it takes
// up to the end holds the query.
func (n *nginxReader) byRequest(rank int, d directive, value string, folds bool, hosts []string,
	scheme string) {
	x, err := readExpression(value, "")
	if err != nil {
		n.leave(d.line, d.text(), "%s", err)
		return
	}
	inner := d.block[0]
	last := strings.HasSuffix(value, "(.*)$") || strings.HasSuffix(value, "(.*)") ||
		strings.HasSuffix(value, "(.+)$") || strings.HasSuffix(value, "(.+)")
	group := fmt.Sprintf("$%d", strings.Count(value, "("))
	switch {
	case last && strings.HasSuffix(inner.words[2], group):
		inner.words = slices.Clone(inner.words)
		inner.words[2] += "$is_args$args"
	case last:
		n.leave(d.line, d.text(), "its last group holds the query, which its target has not at its end")
		return
	}
	for _, w := range x.ways {
		if w.folds = folds; x.anchored && !last && w.note == "" {
			w.note, w.differ = "The rule takes the path with a query too.", exampleOf(w.old)+"?x=1"
		}
		n.returned(rank, inner, hosts, scheme, w)
	}
}

// equals reads an if that compares a variable with a word; false where that is more than is read.
func (n *nginxReader) equals(
	rank int, variable, value string, inner directive, hosts []string, scheme string, within []way,
	answer func(hosts []string, scheme string, ways []way),
) bool {
	key, isParameter := strings.CutPrefix(variable, "$arg_")
	switch {
	case isParameter && inner.words[0] == "return":
		ways := within
		if ways == nil {
			ways = []way{everything()}
		}
		for _, w := range ways {
			w.old += "?" + key + "=" + escapeText(value)
			n.returned(rank, inner, hosts, scheme, w)
		}
	case variable == "$host" || variable == "$http_host":
		answer([]string{strings.ToLower(value)}, scheme, within)
	case variable == "$scheme" && (value == "http" || value == "https"):
		if own := value + "://"; scheme == "" || scheme == own {
			n.serves("", hosts)
			answer(hosts, own, within)
		}
	case within == nil && inner.words[0] == "return" &&
		(variable == "$uri" || variable == "$document_uri" ||
			variable == "$request_uri" && !strings.Contains(value, "?")):
		n.returned(rank, inner, hosts, scheme, wholeKey(variable, value))
	default:
		return false
	}
	return true
}

// wholeKey is the one path of a comparison with a variable. $request_uri holds the query too, and
// so takes the path without one only.
func wholeKey(variable, path string) way {
	w := way{old: escapeText(path), groups: map[string]string{}}
	if variable == "$request_uri" {
		w.note, w.differ = "The rule takes the path with a query too.", path+"?x=1"
	}
	return w
}

// behind gives a map whose targets stand behind a text.
func (m nginxMap) behind(text string) nginxMap {
	if text == "" {
		return m
	}
	m.d.block = slices.Clone(m.d.block)
	for i, e := range m.d.block {
		if len(e.words) == 2 && e.words[0] != "include" && e.words[1] != "" {
			m.d.block[i].words = []string{e.words[0], text + e.words[1]}
		}
	}
	return m
}

// mapped reads a map from paths to targets.
func (n *nginxReader) mapped(rank int, m nginxMap, status int, hosts []string, scheme string) {
	if m.from != "$uri" && m.from != "$request_uri" {
		n.leave(m.d.line, m.d.text(), "a map of %s is not one of paths", m.from)
		return
	}
	var expressions []directive // nginx asks them after all words
	for _, e := range m.d.block {
		switch {
		case e.words[0] == "include":
			n.included(e)
		case e.words[0] == "default" || e.words[0] == "hostnames" || len(e.words) != 2:
		case strings.HasPrefix(e.words[0], "~"):
			expressions = append(expressions, e)
		case strings.Contains(e.words[0], "?"):
			n.leave(e.line, e.text(),
				"it requires the exact whole query; write a condition on its parameters by hand")
		default:
			w := wholeKey(m.from, strings.TrimPrefix(e.words[0], `\`))
			w.folds = true // as the plain words of a map do
			n.mapTo(rank, e, w, status, hosts, scheme)
		}
	}
	for _, e := range expressions {
		x, err := readExpression(strings.TrimPrefix(e.words[0][1:], "*"), "")
		if err != nil {
			n.leave(e.line, e.text(), "%s", err)
			continue
		}
		for _, w := range x.ways {
			w.folds = strings.HasPrefix(e.words[0], "~*")
			n.mapTo(rank, e, w, status, hosts, scheme)
		}
	}
}

func (n *nginxReader) mapTo(rank int, e directive, w way, status int, hosts []string,
	scheme string) {
	for _, h := range hosts {
		to, drop, err := n.target(e.words[1], w, h, scheme)
		if err != nil {
			n.leave(e.line, e.text(), "%s", err)
			return
		}
		n.put(rank, e, h, scheme, w, to, status, drop)
	}
}
