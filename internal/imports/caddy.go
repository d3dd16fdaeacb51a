package imports

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// ReadCaddy takes redirects out of a Caddyfile: redir, in sites, snippets, handles and routes, with
// matchers of paths, hosts and parameters, and with maps. host is whose paths they are where no
// site says so.
//
// Caddy tries the redirects of a site in the order of their paths, longest first, and those without
// a matcher last, unless they stand in a route. They are read as conditions and rules of
// mod_rewrite, by the same reader.
func ReadCaddy(text, host string, includes Includes) Import {
	c := caddyReader{sequence: sequence{includes: includes}, snippets: map[string][]directive{}}
	lines, err := c.parse(text)
	if err != nil {
		c.unread(attempt{line: err.line, text: err.text}, err.says)
		return c.read(host)
	}
	for _, l := range lines {
		if name, is := strings.CutPrefix(l.words[0], "("); is && strings.HasSuffix(name, ")") {
			c.snippets[strings.TrimSuffix(name, ")")] = l.block
		}
	}
	loose := true
	for _, l := range lines {
		for _, o := range l.block {
			if l.words[0] == "{" && o.words[0] == "order" {
				c.unread(attempt{line: o.line, text: o.text()}, "it changes what Caddy asks first")
			}
		}
		if l.has && l.words[0] != "{" && l.words[0][0] != '(' && l.words[0][0] != '@' &&
			!caddyDirectives[l.words[0]] {
			c.site(l)
			loose = false
		}
	}
	if loose { // the inside of a site
		c.directives(lines, nil, map[string][]test{}, false)
	}
	return c.read(host)
}

// caddyDirectives are words with braces that are no addresses of sites.
var caddyDirectives = map[string]bool{
	"handle":        true,
	"handle_path":   true,
	"route":         true,
	"map":           true,
	"header":        true,
	"log":           true,
	"tls":           true,
	"import":        true,
	"redir":         true,
	"respond":       true,
	"reverse_proxy": true,
	"file_server":   true,
	"encode":        true,
	"php_fastcgi":   true,
	"rewrite":       true,
}

type caddyReader struct {
	sequence
	snippets map[string][]directive
}

// parse reads directives, one a line.
func (c *caddyReader) parse(text string) ([]directive, *nginxFault) {
	p := caddyParser{lines: strings.Split(text, "\n")}
	all, err := p.block(0)
	return all, err
}

type caddyParser struct {
	lines []string
	at    int
}

const deepestCaddy = 50

func (p *caddyParser) block(deep int) ([]directive, *nginxFault) {
	var all []directive
	var joined []string // addresses go on behind a comma
	start := 0
	for p.at < len(p.lines) {
		number := p.at + 1
		words := caddyWords(p.lines[p.at])
		p.at++
		if len(words) == 0 {
			continue
		}
		if deep > deepestCaddy {
			return all, &nginxFault{number, strings.Join(words, " "), "blocks are nested too deep"}
		}
		if words[0] == "}" {
			return all, nil
		}
		if len(joined) == 0 {
			start = number
		}
		joined = append(joined, words...)
		if last := words[len(words)-1]; strings.HasSuffix(last, ",") && deep == 0 {
			continue
		}
		l := directive{line: start, words: joined}
		joined = nil
		if n := len(l.words); l.words[n-1] == "{" {
			l.has = true
			if n > 1 {
				l.words = l.words[:n-1]
			}
			block, err := p.block(deep + 1)
			if err != nil {
				return all, err
			}
			l.block = block
		}
		all = append(all, l)
	}
	return all, nil
}

// caddyWords parts a line into words; quotes and backticks keep one together.
func caddyWords(line string) (words []string) {
	line = strings.TrimRight(line, "\r")
	for i := 0; i < len(line); {
		switch c := line[i]; {
		case c == ' ' || c == '\t':
			i++
		case c == '#':
			return words
		case c == '"' || c == '`':
			var word strings.Builder
			for i++; i < len(line) && line[i] != c; i++ {
				if c == '"' && line[i] == '\\' && i+1 < len(line) && line[i+1] == '"' {
					i++
				}
				word.WriteByte(line[i])
			}
			i++
			words = append(words, word.String())
		default:
			end := i
			for end < len(line) && line[end] != ' ' && line[end] != '\t' {
				end++
			}
			words = append(words, line[i:end])
			i = end
		}
	}
	return words
}

// site reads a site: its addresses are hosts with a scheme.
func (c *caddyReader) site(l directive) {
	var hosts []string
	schemes, sites := map[string]bool{}, 0
	for _, w := range l.words {
		for address := range strings.SplitSeq(w, ",") {
			if address == "" {
				continue
			}
			scheme, rest, has := strings.Cut(address, "://")
			if !has {
				scheme, rest = "", address
			}
			host, path, _ := strings.Cut(rest, "/")
			host, port, _ := strings.Cut(host, ":")
			switch {
			case port == "80" && scheme != "https":
				scheme = "http"
			case port == "443" && scheme != "http":
				scheme = "https"
			case port != "" || path != "" || strings.Contains(host, "{"):
				c.unread(attempt{line: l.line, text: l.text()}, "a site at "+address+
					" is none that visitors come to by their usual ports and paths")
				continue
			}
			schemes[scheme], sites = true, sites+1
			if host != "" {
				hosts = append(hosts, strings.ToLower(host))
			}
		}
	}
	if sites == 0 {
		return
	}
	var tests []test
	if len(hosts) > 0 {
		named := test{subject: ofHost, any: true}
		wild := false
		for _, h := range hosts {
			wild = wild || strings.HasPrefix(h, "*.")
		}
		if named.values = hosts; wild {
			var all []string
			for _, h := range hosts {
				all = append(all, strings.ReplaceAll(regexp.QuoteMeta(h), `\*`, "[^.]+"))
			}
			named.values, named.expression = nil, "^(?:"+strings.Join(all, "|")+")$"
		} else {
			c.hosts = append(c.hosts, hosts...)
		}
		tests = append(tests, named)
	}
	if len(schemes) == 1 && !schemes[""] {
		tests = append(tests, test{subject: ofScheme, not: schemes["http"], door: true})
	}
	c.directives(l.block, tests, map[string][]test{}, false)
}

// caddyOrder ranks what Caddy asks first in a site.
var caddyOrder = map[string]int{"redir": 1, "rewrite": 2, "uri": 2, "method": 2, "try_files": 2,
	"basicauth": 3, "basic_auth": 3, "forward_auth": 3, "handle": 4, "handle_path": 4, "route": 5,
	"abort": 6, "error": 6, "respond": 7, "reverse_proxy": 8, "php_fastcgi": 8, "file_server": 8}

// caddyChanges are directives behind which later ones see another request, or none.
var caddyChanges = map[string]string{
	"rewrite":      "it changes the path or the query that later lines see",
	"uri":          "it changes the path or the query that later lines see",
	"try_files":    "it changes the path or the query that later lines see",
	"basicauth":    "it answers visitors whom it does not know",
	"basic_auth":   "it answers visitors whom it does not know",
	"forward_auth": "it answers visitors whom it does not know",
}

// directives reads the directives of a site, a handle or a route.
func (c *caddyReader) directives(lines []directive, already []test, matchers map[string][]test,
	literal bool) {
	var all []directive
	for _, l := range lines {
		if l.words[0] == "import" && len(l.words) > 1 {
			all = append(all, c.imported(l)...)
			continue
		}
		all = append(all, l)
	}
	matchers = maps.Clone(matchers)
	for _, l := range all {
		if l.words[0][0] == '@' {
			matchers[l.words[0]] = c.matcher(l)
		}
	}
	if !literal {
		all = caddySorted(all)
	}
	tables := map[string]directive{}
	for _, l := range all {
		if l.words[0] == "map" && l.has && len(l.words) == 3 {
			tables[l.words[2]] = l
		}
	}
	for _, l := range all {
		words, tests := l.words[1:], already
		switch l.words[0] {
		case "redir", "respond", "handle", "handle_path", "route", "abort", "error", "reverse_proxy",
			"php_fastcgi", "file_server":
		default:
			if why := caddyChanges[l.words[0]]; why != "" {
				c.unread(attempt{line: l.line, text: l.text(), tests: already}, why)
			}
			continue
		}
		if len(words) > 0 && isMatcher(words[0]) &&
			(len(words) > 1 || l.words[0] != "redir" && l.words[0] != "respond" && l.words[0] != "error") {
			tests = slices.Concat(already, c.matches(words[0], matchers))
			words = words[1:]
		}
		switch l.words[0] {
		case "redir":
			c.redir(l, words, tests, tables)
		case "respond", "abort", "error", "reverse_proxy", "php_fastcgi", "file_server":
			one := attempt{line: l.line, text: l.text(), tests: tests, target: "-"}
			if slices.Contains(words, "410") && l.words[0] == "respond" {
				one.flags = []string{"G"}
			}
			c.paths(one, func(s attempt, _ string) attempt { return s })
		case "route":
			c.directives(l.block, tests, matchers, true)
		default:
			if l.words[0] == "handle_path" {
				tests = append(slices.Clone(tests),
					test{unknown: "handle_path takes the beginning away from the path"})
			}
			c.directives(l.block, tests, matchers, false)
			if slices.ContainsFunc(l.block, func(b directive) bool {
				return b.words[0] == "redir" && len(b.words) > 1 && !isMatcher(b.words[1])
			}) {
				continue
			}
			// no other handle is asked where this one is
			c.paths(attempt{line: l.line, text: l.text(), tests: tests, target: "-"},
				func(s attempt, _ string) attempt { return s })
		}
	}
}

// imported gives what an import stands for.
func (c *caddyReader) imported(l directive) []directive {
	if block, is := c.snippets[l.words[1]]; is {
		return block
	}
	var all []directive
	if c.includes != nil {
		for _, text := range c.includes(relativeTo(l.words[1])) {
			lines, err := c.parse(text)
			if err == nil {
				all = append(all, at(l.line, lines)...)
			}
		}
	}
	return all
}

func isMatcher(word string) bool { return word == "*" || word[0] == '/' || word[0] == '@' }

// caddySorted puts directives into the order in which Caddy asks them: of one name those with the
// longest path first, those without a matcher last.
func caddySorted(all []directive) []directive {
	all = slices.Clone(all)
	specific := func(l directive) (class, length int) {
		if len(l.words) < 2 || !isMatcher(l.words[1]) || l.words[1] == "*" ||
			len(l.words) == 2 && l.words[0] == "redir" {
			return 2, 0
		}
		if l.words[1][0] == '/' {
			return 0, len(strings.TrimSuffix(l.words[1], "*"))
		}
		return 1, 0
	}
	slices.SortStableFunc(all, func(x, y directive) int {
		cx, lx := specific(x)
		cy, ly := specific(y)
		return cmp.Or(cmp.Compare(caddyOrder[x.words[0]], caddyOrder[y.words[0]]), cmp.Compare(cx, cy),
			cmp.Compare(ly, lx))
	})
	return all
}

// matches gives the conditions of a matcher where it is used.
func (c *caddyReader) matches(word string, matchers map[string][]test) []test {
	switch {
	case word == "*":
		return nil
	case word[0] == '/':
		return []test{caddyPath([]string{word})}
	}
	if tests, known := matchers[word]; known {
		return tests
	}
	return []test{{unknown: word + " is a matcher that this file does not explain"}}
}

// caddyPath is the condition that a path is one of some, of which a star at the end takes the rest.
// Caddy compares without regard to case.
func caddyPath(values []string) test {
	t := test{subject: ofPath, any: true}
	for _, v := range values {
		if _, is := anySpelling(strings.Trim(v, "*")); !is {
			return test{unknown: v + " holds an escape that says something else decoded"}
		}
	}
	stars := 0
	for _, v := range values {
		if strings.HasSuffix(v, "*") && !strings.Contains(strings.TrimSuffix(v, "*"), "*") {
			stars++
		} else if strings.Contains(v, "*") {
			stars = -len(values)
		}
	}
	switch {
	case stars == len(values):
		t.how = "beg"
		for _, v := range values {
			t.values = append(t.values, web.Decode(strings.TrimSuffix(v, "*")))
		}
	case stars == 0:
		for _, v := range values {
			t.values = append(t.values, web.Decode(v))
		}
	case stars > 0:
		for _, v := range values {
			text, beg := strings.CutSuffix(v, "*")
			t.values, t.begs = append(t.values, web.Decode(text)), append(t.begs, beg)
		}
	default:
		var all []string
		for _, v := range values {
			if strings.HasPrefix(v, "*") && !strings.Contains(v[1:], "*") {
				all = append(all, ".*"+regexp.QuoteMeta(web.Decode(v[1:])))
				continue
			}
			all = append(all, strings.ReplaceAll(regexp.QuoteMeta(web.Decode(v)), `\*`, ".*"))
		}
		t.expression = "^(?:" + strings.Join(all, "|") + ")$"
	}
	return t
}

// matcher reads a named matcher: a line, or several in braces, which all have to hold.
func (c *caddyReader) matcher(l directive) []test {
	if len(l.words) > 1 {
		return c.criterion(l.words[1:], l)
	}
	var all []test
	for _, b := range l.block {
		all = append(all, c.criterion(b.words, b)...)
	}
	return all
}

func (c *caddyReader) criterion(words []string, l directive) []test {
	unknown := func(why string) []test {
		return []test{{unknown: why, asks: strings.Join(words, " ")}}
	}
	values := words[1:]
	switch words[0] {
	case "path":
		return []test{caddyPath(values)}
	case "path_regexp":
		if len(values) == 0 {
			return unknown("path_regexp names no expression")
		}
		return []test{{subject: ofPath, expression: values[len(values)-1]}}
	case "host":
		for _, v := range values {
			c.hosts = append(c.hosts, strings.ToLower(v))
		}
		return []test{{subject: ofHost, values: values, any: true}}
	case "protocol":
		if slices.Equal(values, []string{"https"}) || slices.Equal(values, []string{"http"}) {
			return []test{{subject: ofScheme, not: values[0] == "http"}}
		}
	case "query":
		if len(values) == 1 {
			if key, value, pair := strings.Cut(values[0], "="); pair && value != "*" && value != "" {
				return []test{{subject: ofQuery,
					expression: "(?:^|&)" + regexp.QuoteMeta(key) + "=" + regexp.QuoteMeta(value) + "(?:&|$)"}}
			}
		}
	case "not":
		inner := c.criterion(values, l)
		if len(values) == 0 && len(l.block) == 1 {
			inner = c.criterion(l.block[0].words, l.block[0])
		}
		if len(inner) == 1 && inner[0].unknown == "" {
			inner[0].not = !inner[0].not
			return inner
		}
		return unknown("not is of more than one condition")
	}
	return unknown(words[0] + " is more than a condition on host, path or query")
}

var (
	caddyURI    = regexp.MustCompile(`^(.*?)\{(?:uri|http\.request\.uri|http\.request\.orig_uri)\}$`)
	caddyPathTo = regexp.MustCompile(`^(.*?)\{(?:path|http\.request\.uri\.path)\}$`)
	caddyGroup  = regexp.MustCompile(`\{(?:http\.regexp|re)\.(?:[A-Za-z0-9_]+\.)?(\d)\}`)
	caddyHost   = regexp.MustCompile(
		`^https://(?:\{host\}|\{http\.request\.host\})\{(?:uri|http\.request\.uri)\}$`,
	)
)

// redir reads one redirect.
func (c *caddyReader) redir(l directive, words []string, tests []test,
	tables map[string]directive) {
	if len(words) == 0 {
		return
	}
	to, code := words[0], "302"
	if len(words) > 1 {
		code = words[1]
	}
	switch code {
	case "permanent":
		code = "301"
	case "temporary":
		code = "302"
	}
	one := attempt{line: l.line, text: l.text(), tests: tests, flags: []string{"R=" + code, "NE"}}
	if strings.HasPrefix(code, "{") || code == "html" {
		one.tests = append(slices.Clone(tests), test{unknown: "its status is " + code})
		one.flags[0] = "R"
	}
	drop := append(slices.Clone(one.flags), "QSD")
	if m, is := tables[to]; is {
		one.flags = drop
		c.mapped(one, m)
		return
	}
	text, keeps := to, false
	if m := caddyURI.FindStringSubmatch(to); m != nil && !strings.Contains(m[1], "{") {
		text, keeps = m[1], true
	} else if m := caddyPathTo.FindStringSubmatch(to); m != nil && !strings.Contains(m[1], "{") {
		text, keeps, one.flags = m[1], true, drop
	} else if caddyHost.MatchString(to) {
		one.pattern, one.target = "^(.*)$", "https://%{HTTP_HOST}$1"
		c.add(one)
		return
	} else {
		one.flags = drop
	}
	if caddyGroup.MatchString(to) {
		c.withGroups(one, to)
		return
	}
	if strings.ContainsAny(text, "{}") {
		c.unread(one, "its target holds more than the path and the query of the request")
		return
	}
	c.paths(one, func(s attempt, path string) attempt {
		s.target = apacheTarget(text)
		if keeps {
			s.target += path
		}
		return s
	})
}

// withGroups reads a target that holds what an expression of the path took.
func (c *caddyReader) withGroups(one attempt, to string) {
	at := slices.IndexFunc(one.tests, func(t test) bool {
		return t.subject == ofPath && t.expression != "" && !t.not
	})
	to, keeps := strings.CutSuffix(to, "?{query}")
	rest := caddyGroup.ReplaceAllString(to, "")
	if at < 0 || strings.ContainsAny(rest, "{}") {
		c.unread(one, "its target holds more than its matcher took")
		return
	}
	if keeps {
		one.flags = one.flags[:len(one.flags)-1]
	}
	one.pattern, one.anyCase = one.tests[at].expression, one.tests[at].any
	one.tests = slices.Delete(slices.Clone(one.tests), at, at+1)
	target, last := "", 0
	for _, m := range caddyGroup.FindAllStringSubmatchIndex(to, -1) {
		target += apacheTarget(to[last:m[0]]) + "$" + to[m[2]:m[3]]
		last = m[1]
	}
	one.target = target + apacheTarget(to[last:])
	c.add(one)
}

// mapped reads a target that a map of paths gives.
func (c *caddyReader) mapped(one attempt, m directive) {
	source, into := m.words[1], m.words[2]
	// that it is found is what the lines of the map say
	asked := []string{"expression " + into + " != ", "expression " + into + ` != ""`,
		"expression " + into + " != ''", "not vars " + into + " "}
	found := func(t test) bool { return slices.Contains(asked, t.asks) }
	all := !slices.ContainsFunc(one.tests, found)
	one.tests = slices.DeleteFunc(slices.Clone(one.tests), found)
	uri := source == "{uri}" || source == "{http.request.uri}"
	if !uri && source != "{path}" && source != "{http.request.uri.path}" {
		c.unread(one, "the map is of "+source+", and not of the path")
		return
	}
	for _, e := range m.block {
		each := one
		each.line, each.text = e.line, e.text()
		if len(e.words) != 2 {
			c.unread(each, "it has not one output")
			continue
		}
		from, to := e.words[0], e.words[1]
		switch {
		case from == "default":
			if all = false; to == "" || to == "-" {
				continue
			}
			each.pattern, each.target = "^", apacheTarget(to)
		case from[0] == '~' && uri:
			c.unread(each, "the expression is of the path with its query")
			continue
		case from[0] == '~':
			each.pattern = from[1:]
			each.target = goGroups.ReplaceAllString(strings.ReplaceAll(to, "%", `\%`), "$$$1")
		case uri:
			path, query, _ := strings.Cut(from, "?")
			decoded, is := anySpelling(path)
			if !is {
				c.unread(each, path+" holds an escape that says something else decoded")
				continue
			}
			each.tests = append(slices.Clone(each.tests), test{subject: ofQuery,
				expression: fmt.Sprintf("^%s$", regexp.QuoteMeta(query))})
			each.pattern, each.target = "^"+regexp.QuoteMeta(decoded)+"$", apacheTarget(to)
		default:
			each.pattern, each.target = "^"+regexp.QuoteMeta(from)+"$", apacheTarget(to)
		}
		c.add(each)
	}
	if all {
		c.unread(one, "a path that its map does not have is led nowhere")
	}
}

var goGroups = regexp.MustCompile(`\$\{?(\d)\}?`)
