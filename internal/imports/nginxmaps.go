package imports

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
)

// wholeKey is the one path of a comparison with a variable; false where it is none. $request_uri
// holds the query too, and so takes the path with that one only, or without any.
func wholeKey(variable, key string) (way, bool) {
	path, query, asks := strings.Cut(key, "?")
	w := way{old: escapeText(path), groups: map[string]string{}}
	if variable != "$request_uri" {
		return w, !asks && !encodedOctet.MatchString(key)
	}
	if !asks {
		w.note, w.differ = "The rule takes the path with a query too.", path+"?x=1"
		return w, true
	}
	w.asked = "?" + escapeText(query)
	for p := range strings.SplitSeq(query, "&") {
		if name, value, pair := strings.Cut(p, "="); !pair || name == "" || value == "" {
			return w, false
		}
	}
	w.old += w.asked
	w.note, w.differ = "The rule takes URLs with further parameters too.", key+"&more=1"
	return w, true
}

// unnamed gives a template without the names of its captures.
func unnamed(old string) string { return captureName.ReplaceAllString(old, "{$1") }

var captureName = regexp.MustCompile(`\{(\+?)[A-Za-z0-9_]+`)

// withGroups gives groups and those of a condition that they do not name.
func withGroups(own, more map[string]string) map[string]string {
	all := maps.Clone(own)
	if all == nil {
		all = map[string]string{}
	}
	for name, written := range more {
		if _, have := all[name]; !have {
			all[name] = written
		}
	}
	return all
}

// nested gives a location in a location, where it is a path or the beginning of one: nginx looks
// for the longest of all.
func nested(d directive) directive {
	if len(d.words) == 2 && strings.HasPrefix(d.words[1], "/") ||
		len(d.words) == 3 && (d.words[1] == "=" || d.words[1] == "^~") {
		return d
	}
	return directive{}
}

// set notes the value of a variable.
func (n *nginxReader) set(d directive) {
	if len(d.words) == 3 && n.sets != nil {
		n.sets[d.words[1]] = n.withSets(d.words[2])
	}
}

// withSets puts the values of variables that the server sets into a text.
func (n *nginxReader) withSets(text string) string {
	if len(n.sets) == 0 || !strings.Contains(text, "$") {
		return text
	}
	return variableName.ReplaceAllStringFunc(text, func(name string) string {
		if value, have := n.sets["$"+strings.Trim(name, "${}")]; have {
			return value
		}
		return name
	})
}

var variableName = regexp.MustCompile(`\$\{[a-z_][a-z0-9_]*\}|\$[a-z_][a-z0-9_]*`)

// singleIn gives the one directive that redirects in an if, with the variables that are set before
// it put into it; false where there are more, or other ones.
func (n *nginxReader) singleIn(d directive) (directive, bool) {
	before := n.sets
	n.sets = maps.Clone(before)
	if n.sets == nil {
		n.sets = map[string]string{}
	}
	defer func() { n.sets = before }()
	for i, inner := range d.block {
		switch inner.words[0] {
		case "set":
			n.set(inner)
		case "return", "rewrite":
			inner.words = slices.Clone(inner.words)
			for j := range inner.words {
				if j > 1 || inner.words[0] == "return" && j > 0 {
					inner.words[j] = n.withSets(inner.words[j])
				}
			}
			return inner, i == len(d.block)-1 || i == len(d.block)-2 && d.block[i+1].words[0] == "break"
		default:
			return directive{}, false
		}
	}
	return directive{}, false
}

// singleArgument gives the parameter of which a target holds the value, where that is the only one.
func singleArgument(to string) (key string, is bool) {
	all := argument.FindAllStringSubmatch(to, -1)
	if len(all) == 0 || strings.Contains(to, "$request_uri") || strings.Contains(to, "$args") {
		return "", false
	}
	for _, m := range all {
		if m[1]+m[2] != all[0][1]+all[0][2] {
			return "", false
		}
	}
	return all[0][1] + all[0][2], true
}

var argument = regexp.MustCompile(`\$arg_([A-Za-z0-9_]+)|\$\{arg_([A-Za-z0-9_]+)\}`)

// byArgument adds the rules of a return whose target holds the value of a parameter: with it, and
// without.
func (n *nginxReader) byArgument(rank int, d directive, key, to string, status int, host,
	scheme string, w way) string {
	with := w
	with.groups = withGroups(map[string]string{"arg_" + key: "{q1}"}, w.groups)
	with.old += "?" + key + "={q1}"
	target, drop, err := n.target(to, with, host, scheme)
	if err != nil {
		return err.Error()
	}
	n.put(rank, d, host, scheme, with, target, status, drop)
	bare := argument.ReplaceAllString(to, "")
	if target, drop, err = n.target(bare, w, host, scheme); err != nil {
		return err.Error()
	}
	n.put(rank, d, host, scheme, w, target, status, drop)
	return ""
}

// lookup is a target with the value of a map in it.
type lookup struct {
	nginxMap
	states         *int // that comparing expressions took
	before, behind string
	status         int
	sure           bool // it is asked whether there is a value
	keeps          bool // the query goes along
}

// looksUp takes a target apart that holds the value of a map.
func (n *nginxReader) looksUp(to string) (before string, m nginxMap, behind string, is bool) {
	for _, at := range variableName.FindAllStringIndex(to, -1) {
		name := "$" + strings.Trim(to[at[0]:at[1]], "${}")
		if m, have := n.maps[name]; have {
			return to[:at[0]], m, to[at[1]:], true
		}
	}
	return "", nginxMap{}, "", false
}

// byMap reads an if that asks whether a map has a value; false where that is more than is read.
func (n *nginxReader) byMap(rank int, m nginxMap, variable string, inner directive, hosts []string,
	scheme string, within []way) bool {
	status, to := 0, ""
	switch {
	case inner.words[0] == "return" && len(inner.words) == 3:
		status, _ = statusOf(inner.words[1])
		to = inner.words[2]
	case inner.words[0] == "return" && len(inner.words) == 2:
		if status, _ = statusOf(inner.words[1]); status != 410 {
			status, to = 302, inner.words[1]
		}
	case len(inner.words) > 2 && slices.Contains(everyPath, inner.words[1]):
		status, to = 302, inner.words[2]
		if len(inner.words) > 3 && inner.words[3] == "permanent" {
			status = 301
		}
	}
	l := lookup{nginxMap: m, states: &n.states, status: status, sure: true}
	before, other, behind, mapped := n.looksUp(to)
	if !known(status) || status != 410 && (!mapped || other.d.words[2] != variable) {
		return false
	}
	if l.before, l.behind = before, behind; inner.words[0] == "rewrite" {
		l.behind = strings.TrimSuffix(behind, "?")
		l.keeps = l.behind == behind
	}
	ways := within
	if ways == nil {
		ways = []way{everything()}
	}
	for _, w := range ways {
		n.mapped(rank, l, hosts, scheme, w)
	}
	return true
}

// mapped reads a map for the paths of a way.
func (n *nginxReader) mapped(rank int, l lookup, hosts []string, scheme string, w way) {
	if l.from == "$host" || l.from == "$http_host" {
		n.mappedHosts(rank, l, hosts, scheme, w)
		return
	}
	for _, host := range []string{"$host", "$http_host"} {
		if rest, is := strings.CutPrefix(l.from, host+"$"); is {
			n.mappedBoth(rank, l, "$"+rest, hosts, scheme, w)
			return
		}
	}
	if l.from == "$uri$is_args$args" {
		l.from = "$request_uri"
	}
	var expressions []directive // nginx asks them after all words
	fallback, whole := directive{}, false
	for _, e := range l.d.block {
		switch {
		case e.words[0] == "include":
			n.included(e)
		case e.words[0] == "default":
			fallback = e
		case e.words[0] == "hostnames" || e.words[0] == "volatile" || len(e.words) != 2:
		case strings.HasPrefix(e.words[0], "~"):
			expressions = append(expressions, e)
		default:
			keys, why := l.key(strings.TrimPrefix(e.words[0], `\`), w)
			if why != "" {
				n.keeps(keptLine{line: e.line, rank: rank + len(n.ranks), left: true}, hosts, []way{w})
				n.leave(e.line, e.text(), "%s", why)
				continue
			}
			if len(keys) == 0 {
				n.leave(e.line, e.text(), "no path of the place where the map is used fits it")
			}
			for _, k := range keys {
				whole = whole || k.old == w.old
				n.mapTo(rank, e, l, k, hosts, scheme)
			}
		}
	}
	for _, e := range expressions {
		expression, folds := strings.CutPrefix(e.words[0][1:], "*")
		keys, why := l.expression(expression, folds, w)
		if why != "" {
			n.keeps(keptLine{line: e.line, rank: rank + len(n.ranks), left: true}, hosts, []way{w})
			n.leave(e.line, e.text(), "%s", why)
			continue
		}
		for _, k := range keys {
			n.mapTo(rank, e, l, k, hosts, scheme)
		}
	}
	value := ""
	if len(fallback.words) == 2 {
		value = fallback.words[1]
	}
	if !l.sure && !whole && l.before+value+l.behind == "" && l.status != 410 && len(hosts) > 0 {
		// where the map has no value, it answers without a target
		n.keeps(keptLine{line: l.d.line, rank: rank + len(n.ranks)}, hosts, []way{w})
	}
	if len(fallback.words) == 2 && !whole &&
		(!l.sure || fallback.words[1] != "" && fallback.words[1] != "0") {
		n.mapTo(rank, fallback, l, w, hosts, scheme)
	}
}

// key gives the ways of a word of a map, within those of the place where it is used.
func (l lookup) key(word string, within way) ([]way, string) {
	key, isParameter := strings.CutPrefix(l.from, "$arg_")
	switch {
	case l.from == "$uri" || l.from == "$request_uri" || l.from == "$document_uri":
		w, ok := wholeKey(l.from, word)
		if !ok {
			return nil, errEncoded.Error()
		}
		ways, ok := inLocation([]way{w}, []way{within}, l.states)
		if !ok {
			return nil, "it stands inside a location, which decides together with it"
		}
		for i := range ways { // the plain words of a map ignore case; the location does not
			w := &ways[i]
			before, _, open := strings.Cut(within.old, "{")
			tail := strings.TrimPrefix(w.old, before)
			switch {
			case within.old == "/{+rest}":
				w.folds = true
			case open && w.note == "" && !strings.ContainsAny(tail, "{%?") && strings.ToUpper(tail) != tail:
				w.note, w.differ = "The file ignores case there; the rule does not.",
					before+strings.ToUpper(tail)
			}
		}
		return ways, ""
	case isParameter:
		return l.asks("(?:^|&)"+key+"="+regexp.QuoteMeta(word)+"(?:&|$)", true, within)
	case l.from == "$args" || l.from == "$query_string":
		return l.asks("^"+regexp.QuoteMeta(word)+"$", true, within)
	}
	return nil, fmt.Sprintf("a map of %s is not one of paths", l.from)
}

// expression gives the ways of an expression of a map.
func (l lookup) expression(expression string, folds bool, within way) ([]way, string) {
	key, isParameter := strings.CutPrefix(l.from, "$arg_")
	switch {
	case l.from == "$uri" || l.from == "$document_uri" || l.from == "$request_uri":
		raw := l.from == "$request_uri"
		if path, query, asks := strings.Cut(expression, `\?`); raw && asks {
			x, err := readAs(path+"$", "", true)
			if err != nil || strings.Contains(path, "(") {
				return nil, "its condition on the query is more than parameters with their values"
			}
			var made []way
			for _, w := range x.ways {
				asked, why := l.asks("^"+query, folds, w)
				if why != "" {
					return nil, why
				}
				made = append(made, asked...)
			}
			return made, ""
		}
		x, err := readAs(expression, "", raw)
		if err != nil {
			return nil, err.Error()
		}
		ways, ok := inLocation(x.ways, []way{within}, l.states)
		if !ok {
			return nil, "it stands inside a location, which decides together with it"
		}
		for i := range ways {
			ways[i].folds = ways[i].folds || folds
			if raw && ways[i].note == "" && x.anchored {
				ways[i].note, ways[i].differ = "The rule takes the path with a query too.",
					exampleOf(ways[i].old)+"?x=1"
			}
		}
		if raw && takesRest.MatchString(expression) {
			for i := range ways {
				ways[i].note, ways[i].differ = "The file has the query in what the group takes.",
					exampleOf(ways[i].old)+"?x=1"
			}
		}
		return ways, ""
	case isParameter && strings.HasPrefix(expression, "^") && strings.HasSuffix(expression, "$"):
		return l.asks("(?:^|&)"+key+"="+strings.Trim(expression, "^$")+"(?:&|$)", folds, within)
	case l.from == "$args" || l.from == "$query_string":
		return l.asks(expression, folds, within)
	}
	return nil, fmt.Sprintf("a map of %s is not one of paths", l.from)
}

// asks gives the ways of a condition on the query.
func (l lookup) asks(pattern string, folds bool, within way) ([]way, string) {
	all, why := asked{}.askQueries(pattern, folds)
	if why != "" {
		return nil, why
	}
	var made []way
	for _, at := range all {
		w := within
		if strings.Contains(w.old, "?") || at.query == "" {
			return nil, "the condition on the query is more than parameters with their values"
		}
		if at.note != "" && w.note == "" {
			w.note, w.differ = at.note, at.differ(w)
		}
		w.groups = withGroups(at.groups, w.groups)
		w.old, w.asked = w.old+at.query, at.query
		made = append(made, w)
	}
	return made, ""
}

// mapTo adds the rules of one line of a map.
func (n *nginxReader) mapTo(rank int, e directive, l lookup, w way, hosts []string, scheme string) {
	value := e.words[1]
	if value == "" || l.sure && value == "0" {
		if l.sure || l.before == "" {
			return // it leads nowhere
		}
	}
	for _, h := range hosts {
		if l.status == 410 {
			n.put(rank, e, h, scheme, w, "", 410, false)
			continue
		}
		to, drop, err := n.target(l.before+value+l.behind, w, h, scheme)
		if err != nil {
			n.leave(e.line, e.text(), "%s", err)
			return
		}
		if l.keeps {
			if drop = strings.Contains(to, "?"); !drop {
				to = withQuery(to, w.asked)
			}
		}
		n.put(rank, e, h, scheme, w, to, l.status, drop)
	}
}

// mappedBoth reads a map from hosts with paths.
func (n *nginxReader) mappedBoth(rank int, l lookup, from string, hosts []string, scheme string,
	w way) {
	all := hosts
	for _, h := range hosts {
		if www := "www." + h; slices.Contains(n.names, www) && !slices.Contains(hosts, www) {
			all = append(slices.Clip(all), www)
		}
	}
	lines := l.d.block
	for _, h := range all {
		own := l
		own.from, own.d.block = from, nil
		for _, e := range lines {
			path, is := strings.CutPrefix(strings.ToLower(e.words[0]), h+"/")
			switch {
			case len(e.words) != 2:
			case is:
				e.words = []string{e.words[0][len(e.words[0])-len(path)-1:], e.words[1]}
				own.d.block = append(own.d.block, e)
			case e.words[0] == "default":
				own.d.block = append(own.d.block, e)
			case strings.HasPrefix(e.words[0], "~") && h == all[0]:
				n.leave(e.line, e.text(), "an expression over hosts and paths together is not read")
			}
		}
		n.mapped(rank, own, []string{h}, scheme, w)
	}
}

// mappedHosts reads a map from hosts into a target.
func (n *nginxReader) mappedHosts(rank int, l lookup, hosts []string, scheme string, w way) {
	for _, h := range hosts {
		value, found := directive{}, false
		for _, e := range l.d.block {
			switch {
			case len(e.words) != 2:
			case strings.HasPrefix(e.words[0], "~") || strings.ContainsAny(e.words[0], "*"):
				n.leave(e.line, e.text(), "the name %s is not a single host; write its rules for each host",
					e.words[0])
			case strings.ToLower(e.words[0]) == h || strings.ToLower(e.words[0]) == "."+h:
				value, found = e, true
			case e.words[0] == "default" && !found:
				value = e
			}
		}
		if len(value.words) == 2 {
			n.mapTo(rank, value, l, w, []string{h}, scheme)
		}
	}
}
