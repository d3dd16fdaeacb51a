package imports

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// ReadApache takes redirects out of an Apache configuration: Redirect, RedirectPermanent,
// RedirectTemp, RedirectMatch, and the simple forms of RewriteRule with RewriteCond. host is whose
// paths they are where no ServerName says so.
func ReadApache(text, host string, place Place, includes Includes) Import {
	a := apache{apacheHost: apacheHost{hosts: hostList(host)}, htaccess: !place.Server,
		folder: place.Folder, includes: includes}
	lines := a.withIncluded(logical(text), includes, 0)
	for _, line := range lines { // wherever it stands, it holds for all lines
		if words := splitWords(line.text); len(words) > 1 && strings.EqualFold(words[0], "rewritebase") {
			a.base = strings.ReplaceAll("/"+strings.Trim(words[1], "/")+"/", "//", "/")
		}
	}
	for i, line := range lines {
		a.line(line.number, line.text, lines[i+1:])
	}
	for _, c := range a.asks {
		a.leave(c.line, c.text, "no RewriteRule follows it")
	}
	// Whatever stands first in the file, mod_rewrite is asked before mod_alias.
	for i := range a.Rules {
		if !a.rewritten[i] {
			a.Rules[i].Rank += len(a.Rules)
			a.Rules[i].later = true
		}
	}
	a.widen()
	return a.Import
}

// Place is where a configuration of Apache lies: that of a server, or a file in a folder of a host,
// where RewriteRule sees what stands behind the folder in a path.
type Place struct {
	Server bool
	Folder string // with a slash at both ends; "": that which RewriteBase names, "/" without one
}

func hostList(host string) []string {
	if host == "" {
		return nil
	}
	return []string{host}
}

// apacheHost is whose paths are read: hosts, and the scheme where only one is meant.
type apacheHost struct {
	hosts  []string
	scheme string
}

// Includes gives the texts of the files that a configuration includes by a name or a pattern, in
// their order; none where they are not there. nil: nothing is included.
type Includes func(pattern string) []string

// mostIncluded is how deep files may include each other.
const mostIncluded = 10

// withIncluded puts the lines of included files where they are included; their numbers are those of
// the line that does so.
func (a *apache) withIncluded(lines []numbered, includes Includes, depth int) []numbered {
	var all []numbered
	for _, l := range lines {
		words := splitWords(l.text)
		if includes == nil || len(words) != 2 || depth == mostIncluded ||
			!strings.EqualFold(words[0], "include") && !strings.EqualFold(words[0], "includeoptional") {
			all = append(all, l)
			continue
		}
		texts := includes(words[1])
		if len(texts) == 0 {
			all = append(all, l)
		}
		for _, text := range texts {
			inner := logical(text)
			for i := range inner {
				inner[i].number = l.number
			}
			all = append(all, a.withIncluded(inner, includes, depth+1)...)
		}
	}
	return all
}

type numbered struct {
	number int
	text   string
}

// logical joins lines that end with a backslash.
func logical(text string) []numbered {
	var all []numbered
	var pending strings.Builder
	start, open := 0, false
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		if !open {
			start = i + 1
		}
		var cut string
		if cut, open = strings.CutSuffix(line, "\\"); open {
			pending.WriteString(cut)
			continue
		}
		if pending.Len() > 0 {
			line = pending.String() + line
			pending.Reset()
		}
		all = append(all, numbered{start, line})
	}
	if pending.Len() > 0 { // the file ends with a backslash
		all = append(all, numbered{start, pending.String()})
	}
	return all
}

type apache struct {
	chained bool // the rule before is tied to the next one
	Import
	apacheHost
	outside   apacheHost // of the block of a virtual host
	htaccess  bool
	root      string // where its documents lie, as far as was read
	goesOn    []unfinished
	folder    string // in which the file lies, "" where nobody says so
	base      string // as RewriteBase names it, "" without one
	guessed   bool   // that the file lies in the folder that RewriteBase names
	texts     map[string]textMap
	includes  Includes
	off       bool
	inside    []string
	tooDeep   int         // blocks that are open beside those
	asks      []condition // before the next RewriteRule
	rewritten map[int]bool

	lastRelative int // the last line that leads to a path of its own host
}

// unfinished is a redirect without the flag L: later lines see what it leads to.
type unfinished struct {
	line    int
	url, to string
}

// mostUnfinished is how many such lines are compared with later ones.
const mostUnfinished = 200

// takesUp says of redirects without the flag L which a line takes up.
func (a *apache) takesUp(number int, pattern string) {
	if len(a.goesOn) == 0 {
		return
	}
	expression, err := regexp.Compile(pattern)
	if err != nil {
		return
	}
	a.goesOn = slices.DeleteFunc(a.goesOn, func(u unfinished) bool {
		takes := expression.MatchString(u.to)
		if takes {
			a.said = append(a.said, Difference{u.url, u.line, 0, fmt.Sprintf(
				"Without the flag L the file goes on, and line %d takes what this leads to.", number)})
		}
		return takes
	})
}

type condition struct {
	line                   int
	text                   string
	variable, pattern, how string
	looks                  string // what it looks up in a map, that has to be there
}

// folds reports whether a condition ignores case.
func (c condition) folds() bool {
	return slices.ContainsFunc(strings.Split(strings.ToUpper(c.how), ","), func(f string) bool {
		f = strings.TrimSpace(f)
		return f == "NC" || f == "NOCASE"
	})
}

func (a *apache) line(number int, text string, behind []numbered) {
	trimmed := strings.TrimSpace(text)
	if trimmed == "" || trimmed[0] == '#' {
		return
	}
	if strings.HasPrefix(trimmed, "<") {
		a.block(number, trimmed, behind)
		return
	}
	words := splitWords(trimmed)
	directive := strings.ToLower(words[0])
	args := words[1:]
	redirects := strings.HasPrefix(directive, "redirect") || strings.HasPrefix(directive, "rewrite")
	if a.without() && redirects {
		a.anyway(number, trimmed, "it holds only on a server without the module that redirects")
		return
	}
	if within := a.deciding(); within != "" && redirects &&
		a.located(number, trimmed, directive, args) {
		return
	}
	if within := a.deciding(); within != "" && redirects {
		a.leave(number, trimmed, "it stands inside %s, which decides whether it holds", within)
		return
	}
	if len(a.hosts) == 0 && redirects && directive != "rewriteengine" && directive != "rewritebase" &&
		directive != "rewritecond" {
		a.leave(number, trimmed, "the file does not say whose path this is; name the host with --host")
		return
	}
	switch directive {
	case "redirect", "redirectpermanent", "redirecttemp":
		a.redirect(number, trimmed, directive, args)
	case "redirectmatch":
		a.redirectMatch(number, trimmed, args)
	case "rewriteengine":
		a.off = len(args) > 0 && strings.EqualFold(args[0], "off")
	case "rewritebase": // it was read before
	case "rewritecond":
		c := condition{line: number, text: trimmed}
		if len(args) > 1 {
			c.looks, _ = asksMap(args[0], args[1])
			c.variable, c.pattern = strings.ToUpper(strings.Trim(args[0], "%{}")), args[1]
		}
		if len(args) > 2 {
			c.how = strings.Trim(args[2], "[]")
		}
		a.asks = append(a.asks, c)
	case "rewriterule":
		if !a.off {
			a.rewrite(number, trimmed, args)
		}
		a.asks = nil
	case "documentroot":
		if len(args) > 0 {
			a.root = strings.TrimSuffix(args[0], "/")
		}
	case "rewritemap":
		a.rewriteMap(number, trimmed, args)
	case "include", "includeoptional":
		a.leave(number, trimmed,
			"the included file is not in the folder of this one; import it by itself")
	case "errordocument":
		if len(args) > 1 && strings.Contains(args[1], "://") {
			a.leave(number, trimmed,
				"it redirects whatever is missing; the domain's fallback decides where that goes")
		} else {
			a.beside(number, trimmed,
				"the old site shows its own page for what is missing; the fallback replaces it")
		}
	case "header":
		if strings.Contains(strings.ToLower(trimmed), "strict-transport-security") {
			a.beside(number, trimmed,
				"browsers remember that the host is https only (HSTS): its https door has to answer from "+
					"the first minute")
		}
	case "proxypass", "proxypassmatch":
		a.beside(number, trimmed,
			"it fetches from another server and redirects nobody: its content has to move too")
	default:
		if redirects {
			a.leave(number, trimmed, "%s is not supported", words[0])
		}
	}
}

// located reads a Redirect inside a Location, which names the path; false where it is something
// else.
func (a *apache) located(number int, text, directive string, args []string) bool {
	if directive != "redirect" || len(a.hosts) == 0 || len(args) == 0 {
		return false
	}
	last := a.inside[len(a.inside)-1]
	kind, where, _ := strings.Cut(strings.Trim(last, "<>"), " ")
	a.inside = a.inside[:len(a.inside)-1]
	beyond := a.deciding()
	a.inside = append(a.inside, last)
	path := splitWords(where)
	status := 302
	if s, ok := statusOf(args[0]); ok {
		status, args = s, args[1:]
	}
	if beyond != "" || len(path) == 0 || !known(status) || len(args) > 1 ||
		len(args) == 0 && status != 410 || len(args) == 1 && !strings.Contains(args[0], "://") ||
		len(args) == 1 && strings.ContainsAny(args[0], "%$") {
		return false
	}
	var ways []way
	switch {
	case strings.EqualFold(kind, "LocationMatch"), path[0] == "~" && len(path) > 1:
		x, err := readExpression(path[len(path)-1], "")
		if err != nil {
			return false
		}
		ways = x.ways
	case strings.EqualFold(kind, "Location") && !strings.ContainsAny(path[0], "*?[%"):
		old := escapeText(path[0])
		if ways = []way{{old: old + "{+rest}"}}; !strings.HasSuffix(old, "/") {
			ways = []way{{old: old}, {old: old + "/{+rest}"}}
		}
	default:
		return false
	}
	for _, w := range ways {
		to := ""
		if len(args) > 0 {
			to = escapeText(args[0])
		}
		a.put(number, text, "", w.old, func(string) string { return to }, status,
			strings.Contains(to, "?"), w)
	}
	return true
}

// without reports whether a line stands where it holds only without mod_rewrite or mod_alias.
func (a *apache) without() bool {
	return slices.ContainsFunc(a.inside, func(block string) bool {
		kind, module, _ := strings.Cut(strings.ToLower(strings.Trim(block, "<>")), " ")
		module = strings.TrimSpace(module)
		return kind == "ifmodule" && strings.HasPrefix(module, "!") &&
			(strings.Contains(module, "rewrite") || strings.Contains(module, "alias"))
	})
}

// deciding returns the innermost block that decides whether what stands in it holds, "" for none.
func (a *apache) deciding() string {
	for i := len(a.inside) - 1; i >= 0; i-- {
		kind, _, _ := strings.Cut(strings.Trim(a.inside[i], "<>"), " ")
		_, module, _ := strings.Cut(a.inside[i], " ")
		held := strings.EqualFold(kind, "IfModule") && !strings.HasPrefix(strings.TrimSpace(module), "!")
		folder := strings.TrimSuffix(
			strings.Trim(strings.TrimSpace(strings.TrimSuffix(module, ">")), `"`),
			"/",
		)
		held = held || strings.EqualFold(kind, "Directory") && (folder == "" || folder == a.root)
		if !held && !strings.EqualFold(kind, "VirtualHost") {
			return a.inside[i]
		}
	}
	return ""
}

func (a *apache) block(number int, text string, behind []numbered) {
	name := strings.Trim(text, "<>")
	if strings.HasPrefix(name, "/") {
		if a.tooDeep > 0 {
			a.tooDeep--
			return
		}
		if n := len(a.inside); n > 0 {
			if kind, _,
				_ := strings.Cut(strings.Trim(a.inside[n-1], "<>"), " "); strings.EqualFold(kind,
				"VirtualHost") {
				a.apacheHost, a.off = a.outside, false
			}
			a.inside = a.inside[:n-1]
		}
		return
	}
	if len(a.inside) == mostNesting {
		if a.tooDeep == 0 {
			a.leave(number, text, "blocks are nested more than %d deep", mostNesting)
		}
		a.tooDeep++
		return
	}
	a.inside = append(a.inside, "<"+name+">")
	if kind, address, _ := strings.Cut(name, " "); strings.EqualFold(kind, "VirtualHost") {
		a.outside = a.apacheHost
		a.apacheHost = virtualHost(address, behind, a.outside)
		if len(behind) > 0 {
			a.narrow(behind[0].number-1, a.hosts)
		}
		a.serves(a.scheme, a.hosts)
		a.hosts = withoutWWW(a.hosts)
	}
}

// virtualHost reads whose paths stand in the block of a virtual host: its names, and its port.
func virtualHost(address string, behind []numbered, outside apacheHost) apacheHost {
	own := apacheHost{}
	switch {
	case strings.HasSuffix(address, ":80"):
		own.scheme = "http://"
	case strings.HasSuffix(address, ":443"):
		own.scheme = "https://"
	}
	for _, l := range behind {
		words := splitWords(l.text)
		if len(words) == 0 {
			continue
		}
		switch strings.ToLower(words[0]) {
		case "<virtualhost": // one that is not closed; they never stand in each other
			return own
		case "</virtualhost>":
			if len(own.hosts) == 0 {
				own.hosts = outside.hosts
			}
			return own
		case "servername", "serveralias":
			for _, h := range words[1:] {
				h, _, _ = strings.Cut(strings.ToLower(strings.TrimPrefix(h, "https://")), ":")
				own.hosts = append(own.hosts, h)
			}
		}
	}
	return own
}

// withoutWWW leaves out a www beside its apex: a rule of the apex holds for both.
func withoutWWW(hosts []string) []string {
	return slices.DeleteFunc(slices.Clone(hosts), func(h string) bool {
		apex, isWWW := strings.CutPrefix(h, "www.")
		return isWWW && slices.Contains(hosts, apex)
	})
}

// relative counts a line that leads to a path of the host that was asked.
func (a *apache) relative(line int) {
	if a.lastRelative != line {
		a.Relative++
	}
	a.lastRelative = line
}

// put adds a rule for each host.
func (a *apache) put(
	number int,
	text string,
	scheme, old string,
	to func(host string) string,
	status int,
	drop bool,
	w way,
) {
	if status != 410 && len(a.hosts) > 0 && strings.HasPrefix(to("\x00"), "https://\x00") {
		a.relative(number)
	}
	for _, host := range a.hosts {
		if a.over == number && number > 0 {
			return
		}
		a.putAt(number, text, scheme, host, old, to(host), status, drop, w)
	}
}

func (a *apache) putAt(number int, text string, scheme, host, old, to string, status int, drop bool,
	w way) {
	if scheme == "" {
		scheme = a.scheme
	}
	differ := ""
	if w.differ != "" {
		differ = "http://" + host + w.differ
	}
	if a.add(number, text, scheme+host+old, to, status, drop, w.note, differ) {
		a.Rules[len(a.Rules)-1].Folds = w.folds
	}
}

// splitWords splits a directive into words; quotes hold a word together.
func splitWords(s string) []string {
	var words []string
	for s = strings.TrimSpace(s); s != ""; s = strings.TrimSpace(s) {
		if s[0] == '"' {
			end := 1
			for end < len(s) && s[end] != '"' {
				if s[end] == '\\' && end+1 < len(s) {
					end++
				}
				end++
			}
			words = append(words, strings.ReplaceAll(s[1:min(end, len(s))], `\"`, `"`))
			s = s[min(end+1, len(s)):]
			continue
		}
		end := 0
		for end < len(s) && s[end] != ' ' && s[end] != '\t' {
			if s[end] == '\\' && end+1 < len(s) { // a space may stand behind it
				end++
			}
			end++
		}
		end = min(end, len(s))
		words = append(words, s[:end])
		s = s[end:]
	}
	return words
}

// statusOf reads the status of a redirect; ok is false where the word is none.
func statusOf(word string) (status int, ok bool) {
	switch strings.ToLower(word) {
	case "permanent":
		return 301, true
	case "temp":
		return 302, true
	case "seeother":
		return 303, true
	case "gone":
		return 410, true
	}
	n, err := strconv.Atoi(word)
	return n, err == nil && n >= 300 && n < 600
}

func known(status int) bool {
	return status == 301 || status == 302 || status == 307 || status == 308 || status == 410
}

func (a *apache) redirect(number int, text, directive string, args []string) {
	status := map[string]int{"redirect": 302, "redirectpermanent": 301, "redirecttemp": 302}[directive]
	if directive == "redirect" && len(args) > 0 {
		if s, ok := statusOf(args[0]); ok {
			status, args = s, args[1:]
		}
	}
	switch {
	case !known(status):
		a.leave(number, text, "rules cannot have the status %d", status)
		return
	case len(args) == 0 || !strings.HasPrefix(args[0], "/") || status != 410 && len(args) < 2:
		a.leave(number, text, "it has no path and target")
		return
	}
	if encodedOctet.MatchString(args[0]) {
		a.leave(number, text, "%s", errEncoded)
		return
	}
	if strings.Contains(args[0], "?") {
		a.leave(number, text, "Apache compares the path alone, so that a line with ? never holds; write "+
			"the condition into a rule of your own if it is meant")
		return
	}
	if status != 410 && strings.HasSuffix(args[0], "/") && bareHost.MatchString(args[1]) {
		a.leave(
			number,
			text,
			"its target has no / behind the host, and Apache puts what stands behind the "+
				"path right there; write the rule with one",
		)
		return
	}
	if status != 410 && strings.HasPrefix(args[1], "//") {
		a.leave(number, text, "%s", errOwnHost)
		return
	}
	old, target := escapeText(args[0]), ""
	if status != 410 {
		target = escapeText(args[1])
	}
	drop := strings.Contains(target, "?")
	to := func(end string) func(string) string {
		return func(host string) string {
			if status == 410 {
				return ""
			}
			return absoluteAt(target, host) + end
		}
	}
	if strings.HasSuffix(old, "/") {
		a.put(number, text, "", old+"{+rest}", to("{+rest}"), status, drop, way{})
		return
	}
	exact := way{}
	if strings.Contains(target, "#") {
		exact.note, exact.differ = "The file puts a query behind the fragment.", old+"?x=1"
	}
	a.put(number, text, "", old, to(""), status, drop, exact)
	a.put(number, text, "", old+"/{+rest}", to("/{+rest}"), status, drop, way{})
}

// bareHost is a target without a path.
var bareHost = regexp.MustCompile(`^https?://[^/]+$`)

// encodedOctet is an octet as a URL writes it.
var encodedOctet = regexp.MustCompile(`%[0-9A-Fa-f]{2}`)

// escapeText writes what means something in the rule language as it stands in a URL.
func escapeText(s string) string {
	return reserved.Replace(s)
}

func (a *apache) redirectMatch(number int, text string, args []string) {
	status := 302
	if len(args) > 0 {
		if s, ok := statusOf(args[0]); ok {
			status, args = s, args[1:]
		}
	}
	if !known(status) || len(args) == 0 || status != 410 && len(args) < 2 {
		a.leave(number, text, "it has no pattern and target, or a status that no rule has")
		return
	}
	left := keptLine{line: number, rank: len(a.Rules), left: true}
	x, err := readExpression(args[0], "")
	if err != nil {
		a.keepsWhat(left, a.hosts, args[0], false)
		a.leave(number, text, "%s", err)
		return
	}
	for _, w := range x.ways {
		to := ""
		if status != 410 {
			if to, err = target(args[1], allGroups(w.groups), '$'); err != nil {
				a.keeps(left, a.hosts, x.ways)
				a.leave(number, text, "%s", err)
				return
			}
		}
		a.put(
			number,
			text,
			"",
			w.old,
			func(host string) string { return absoluteAt(to, host) },
			status,
			strings.Contains(to, "?"),
			w,
		)
	}
}

// rewrite translates a RewriteRule with the conditions before it.
func (a *apache) rewrite(number int, text string, args []string) {
	if len(args) < 2 {
		a.leave(number, text, "it has no pattern and target")
		return
	}
	flags := ""
	if len(args) > 2 {
		flags = strings.Trim(args[2], "[]")
	}
	within := a.chained
	if a.chained = chains(flags); a.chained || within {
		a.leave(number, text, "it is a part of a chain ([C]): it holds only where the lines before it do")
		return
	}
	if args[1] == "-" && onlyNotes(flags) {
		a.anyway(number, text, "it sets something for later lines, and redirects nobody")
		return
	}
	if a.leadsToItself(args, flags) {
		a.anyway(
			number,
			text,
			"it leads to https, to the apex or to the www of the same domain: every door leads to the site "+
				"anyway, in one hop",
		)
		return
	}
	a.takesUp(number, args[0])
	if proxies(flags) {
		a.beside(number, text,
			"it fetches from another server and redirects nobody: its content has to move too")
		return
	}
	f, why := rewriteFlags(flags, args[1])
	if why != "" {
		a.keepsAll(number, args, flags)
		a.leave(number, text, "%s", why)
		return
	}
	prefix := ""
	if a.htaccess {
		prefix = a.at()
	}
	left := keptLine{line: number, rank: len(a.Rules), left: true}
	x, err := readExpression(args[0], prefix)
	if err != nil {
		left.without = prefix
		a.keepsWhat(left, a.hosts, args[0], f.folds)
		a.leave(number, text, "%s", err)
		return
	}
	a.guess(number, x.ways)
	ats, why := a.conditions()
	if why != "" {
		if why != errNever.Error() {
			a.keeps(left, a.hosts, x.ways)
		}
		a.leave(number, text, "%s", why)
		return
	}
	from := len(a.Rules)
	if f.status != 410 && !strings.Contains(args[1], "://") {
		a.relative(number)
	}
	never := 0
	for _, at := range ats {
		why := a.rewriteAt(number, text, args, f, x.ways, at)
		switch {
		case why == errNever.Error():
			if never++; never < len(ats) { // others of its alternatives may hold
				continue
			}
		case why != "":
			a.keeps(left, at.hosts, x.ways)
		}
		if why != "" {
			a.leave(number, text, "%s", why)
			return
		}
	}
	if a.rewritten == nil {
		a.rewritten = map[int]bool{}
	}
	for i := from; i < len(a.Rules); i++ {
		a.rewritten[i] = true
	}
}

// rewriteAt adds the rules of a RewriteRule for one combination of its conditions, and says why it
// cannot.
func (a *apache) rewriteAt(number int, text string, args []string, f rewriteHow, ways []way,
	at asked) string {
	if at.uri != nil {
		if takesEvery(args[0]) {
			ways = byURI(*at.uri)
			for i := range ways {
				if !strings.Contains(args[0], "(") {
					ways[i].groups = map[string]string{} // its own expression has none
				}
			}
		} else {
			at.needs = append(slices.Clone(at.needs), need{at.uriPattern, false, false, at.folds})
			if at.folds = false; at.byPath {
				at.byPath, at.blurred = false, strings.Contains(at.uriPattern, "(")
			}
		}
	}
	ways = slices.Clone(ways)
	for i := range ways {
		ways[i].folds = ways[i].folds || f.folds || at.folds
	}
	ways, why := at.holding(ways, &a.states)
	if why != "" {
		return why
	}
	written := args[1]
	if at.looks != "" {
		if strings.HasPrefix(at.groups["1"], "${") {
			written = strings.ReplaceAll(written, "%1", at.looks)
		}
		if !strings.Contains(written, at.looks) {
			return "a rule cannot express the condition on a map that its target does not look into"
		}
	}
	for _, w := range ways {
		all, why := a.lookUp(written, w, at.looks != "")
		if why != "" {
			return why
		}
		for _, one := range all {
			if why := a.rewriteWay(number, text, one.to, f, one.way, at); why != "" {
				return why
			}
		}
	}
	return ""
}

// rewriteWay adds the rules of one way of a RewriteRule.
func (a *apache) rewriteWay(number int, text, written string, f rewriteHow, w way,
	at asked) string {
	substitution, query, asks := strings.Cut(written, "?")
	if query == "%{QUERY_STRING}" || query == "%1" && at.groups["1"] == wholeQuery {
		query, asks = "", false // it goes along by itself
	}
	drop := f.discard || asks && !f.append
	hosts := at.hosts
	if strings.Contains(written, "%{HTTP_HOST}") {
		hosts = withWWW(hosts)
	}
	switch {
	case w.note != "" && at.sample != "" && !strings.Contains(w.differ, "?"):
		w.differ += "?" + at.sample
	case w.note != "" && at.sample != "":
		w.differ += "&" + at.sample
	}
	if at.note != "" && w.note == "" {
		w.note, w.differ = at.note, at.differ(w)
	}
	if !drop && at.query != "" && w.note == "" && f.status != 410 {
		w.note, w.differ = "The rule puts the parameters that it requires first.",
			exampleOf(w.old)+"?more=1&"+at.sample
	}
	for _, host := range hosts {
		to, err := "", error(nil)
		if f.status != 410 {
			if to, err = a.substitution(substitution, query, w, at, host); err != nil {
				return err.Error()
			}
			if note, differ := a.oddTarget(written, to, f, drop, w.old, at.query); note != "" &&
				w.note == "" {
				if w.note, w.differ = note, differ; at.sample != "" && !strings.Contains(differ, "?") {
					w.differ = withSample(differ, at.sample)
				}
			}
			if !drop {
				to = withQuery(to, at.query)
			}
		}
		a.putAt(number, text, at.scheme, host, w.old+at.query, to, f.status, drop, w)
		if !f.last && f.status != 410 && len(a.goesOn) < mostUnfinished {
			u := "http://" + host + exampleOf(w.old)
			if at.sample != "" {
				u += "?" + at.sample
			}
			a.goesOn = append(a.goesOn, unfinished{number, u, exampleOf(to)})
		}
	}
	return ""
}

// guess says once of a file of a folder that is read as that of the folder of RewriteBase what it
// would take in the root folder.
func (a *apache) guess(number int, ways []way) {
	if !a.htaccess || a.folder != "" || a.at() == "/" || a.guessed || len(a.hosts) == 0 {
		return
	}
	a.guessed = true
	root := "/" + strings.TrimPrefix(exampleOf(ways[0].old), a.at())
	a.said = append(a.said, Difference{"http://" + a.hosts[0] + root, number, 0, fmt.Sprintf(
		"It is read as the file of %s, which RewriteBase names; in the root folder it takes this.",
		a.at())})
}

// at gives the folder in which the file lies.
func (a *apache) at() string { return firstOf(a.folder, firstOf(a.base, "/")) }

// oddTarget says of a substitution where the server writes something else than it seems to say,
// with a path.
func (a *apache) oddTarget(written, to string, f rewriteHow, drop bool, old, at string) (note,
	differ string) {
	switch name := firstCapture.FindStringSubmatch(to); {
	case f.escapes && name != nil && backReference.MatchString(written) &&
		!strings.Contains(old, "{"+name[1]+":digits}"):
		return "The file escapes all but letters and digits of what it takes over (flag B); the rule " +
			"does not.", exampleWith(old, name[1], "x-x")
	case f.escapes && name == nil && backReference.MatchString(written):
		return "The file escapes all but letters and digits of what it takes over (flag B); the rule " +
			"does not.", exampleOf(old)
	case movedNote(old+at, to) != "":
		return moved(old+at, to)
	case f.append && keyOfTarget(written) != "":
		return keptTwice, exampleOf(old) + "?" + keyOfTarget(written) + "=x"
	case strings.Contains(to, "#") && !f.plain:
		return "The file has # written as %23, since the flag NE is missing.", exampleOf(old)
	case strings.HasPrefix(written, "%{REQUEST_SCHEME}:") && a.scheme == "" &&
		!strings.HasPrefix(written, "%{REQUEST_SCHEME}://%{"):
		return "The file leads to the scheme that was asked, the rule to https.", exampleOf(old)
	case strings.Contains(to, "#") && !drop:
		return "The file puts a query behind the fragment.", exampleOf(old) + "?x=1"
	case a.htaccess && a.base == "" && !strings.Contains(written, "://") &&
		!strings.HasPrefix(written, "/") && !strings.HasPrefix(written, "%{"):
		return "Without RewriteBase the file leads to the path of its folder on the disk.",
			exampleOf(old)
	}
	return "", ""
}

// keyOfTarget gives the first parameter that a target sets, "" for none.
func keyOfTarget(written string) string {
	_, query, _ := strings.Cut(written, "?")
	key, _, sets := strings.Cut(query, "=")
	if !sets || strings.ContainsAny(key, "$%&{") {
		return ""
	}
	return key
}

// moved says of a rule whose capture moves between path and query that a server writes it as it
// came, with a URL; "" where none moves.
func moved(old, to string) (note, differ string) {
	path, query, _ := strings.Cut(old, "?")
	toPath, toQuery, _ := strings.Cut(to, "?")
	const says = "The file writes what it moves as it came, the rule as its new place asks for."
	for _, m := range firstCapture.FindAllStringSubmatch(toPath, -1) {
		if strings.Contains(query, "{"+m[1]+"}") {
			return says, exampleOf(path) + "?" + exampleWith(query, m[1], "x+x")
		}
	}
	for _, m := range firstCapture.FindAllStringSubmatch(toQuery, -1) {
		if strings.Contains(path, "{"+m[1]+"}") || strings.Contains(path, "{+"+m[1]+"}") {
			if differ = exampleWith(path, m[1], "x=x"); query != "" {
				differ += "?" + exampleOf(query)
			}
			return says, differ
		}
	}
	return "", ""
}

func movedNote(old, to string) string {
	note, _ := moved(old, to)
	return note
}

var backReference = regexp.MustCompile(`[$%][1-9]`)

var firstCapture = regexp.MustCompile(`\{\+?([A-Za-z0-9_]+)\}`)

// keepsAll notes what a line takes that is no redirect, or one that no rule can say: from the lines
// that rewrite behind it; where it refuses, or where a whole server rewrites inside, from all.
func (a *apache) keepsAll(number int, args []string, flags string) {
	prefix := ""
	if a.htaccess {
		prefix = a.at()
	}
	hosts := a.hosts
	x, err := readExpression(args[0], prefix)
	if err != nil {
		a.keepsWhat(keptLine{line: number, rank: len(a.Rules), without: prefix}, a.hosts, args[0],
			strings.Contains(strings.ToUpper(flags), "NC"))
		return
	}
	unsure := true
	if ats, why := a.conditions(); why == "" && len(ats) > 0 {
		hosts = ats[0].hosts
		unsure = len(ats) > 1 || len(ats[0].needs) > 0 || ats[0].uri != nil || ats[0].query != "" ||
			ats[0].none
	}
	upper := strings.ToUpper(flags)
	refuses := strings.Contains(","+upper+",", ",F,") || strings.Contains(upper, "FORBIDDEN")
	a.keeps(
		keptLine{
			line:  number,
			rank:  len(a.Rules),
			left:  unsure,
			alone: !refuses && (a.htaccess || args[1] == "-"),
			adds:  a.htaccess && !refuses && strings.Contains(args[1], "?"),
		},
		hosts,
		x.ways,
	)
}

// allGroups gives groups with those that an expression has not, which are empty in Apache.
func allGroups(groups map[string]string) map[string]string {
	all := withGroups(groups, nil)
	for n := '1'; n <= '9'; n++ {
		if _, have := all[string(n)]; !have {
			all[string(n)] = ""
		}
	}
	return all
}

// substitution writes what a RewriteRule leads to, as a template.
func (a *apache) substitution(path, query string, w way, at asked, host string) (string, error) {
	hidden := strings.NewReplacer(
		"%{HTTP_HOST}",
		host,
		"%{SERVER_NAME}",
		host,
		"%{REQUEST_SCHEME}",
		strings.TrimSuffix(firstOf(at.scheme, firstOf(a.scheme, "https://")), "://"),
		"%{REQUEST_URI}",
		"\x02",
		"%{QUERY_STRING}",
		"\x03",
	)
	captured := w.uri
	if !at.byPath {
		captured = at.groups
	}
	var unnamed string
	hide := func(s string) string {
		return ofCondition.ReplaceAllStringFunc(hidden.Replace(s), func(group string) string {
			written, have := captured[group[1:]]
			if !have && at.blurred {
				unnamed = group
			}
			return strings.NewReplacer("{", "\x04", "}", "\x05").Replace(written)
		})
	}
	to, err := target(hide(path), allGroups(w.groups), '$')
	if err != nil {
		return "", err
	}
	if query != "" {
		more, err := target(hide(query), allGroups(w.groups), '$')
		if err != nil {
			return "", err
		}
		to += "?" + more
	}
	if strings.Contains(to, "\x03") {
		return "", fmt.Errorf("its target contains the whole query; rules pass it on automatically")
	}
	if unnamed != "" {
		return "", fmt.Errorf("%s names no group of a condition that can be captured", unnamed)
	}
	to = strings.NewReplacer("\x04", "{", "\x05", "}").Replace(to)
	if strings.Contains(to, "\x02") {
		whole := strings.ReplaceAll(w.old, ":digits}", "}")
		if before, _, _ := strings.Cut(to, "\x02"); strings.HasSuffix(before, "/") {
			return "", fmt.Errorf("its target has the path behind another slash")
		}
		to = strings.Replace(to, "\x02", whole, 1)
	}
	if !strings.Contains(to, "://") && !strings.HasPrefix(to, "/") {
		to = firstOf(a.base, a.at()) + to
	}
	return absoluteAt(to, host), nil
}

// withQuery gives a target with the parameters for which a rule asks, which the file hands on.
func withQuery(to, query string) string {
	if query == "" {
		return to
	}
	query = strings.ReplaceAll(query[1:], ":digits}", "}")
	to, fragment, marked := strings.Cut(to, "#")
	sign := "?"
	if strings.Contains(to, "?") {
		sign = "&"
	}
	if to += sign + query; marked {
		to += "#" + fragment
	}
	return to
}

// ofCondition is a group of the condition before a RewriteRule.
var ofCondition = regexp.MustCompile(`%[1-9]`)

func firstOf(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// absoluteAt gives a target as a whole URL: a path is one of the host itself.
func absoluteAt(to, host string) string {
	if strings.HasPrefix(to, "/") {
		return "https://" + host + to
	}
	return to
}

type rewriteHow struct {
	status                 int
	append, discard, folds bool
	plain                  bool // special characters stand as they are (NE)
	escapes                bool // what is taken over is escaped (B)
	last                   bool // nothing that follows applies
}

// rewriteFlags reads the flags of a RewriteRule, and says why the rule cannot be translated where
// it cannot.
func rewriteFlags(flags, to string) (rewriteHow, string) {
	f, sets := rewriteHow{}, false
	if strings.Contains(to, "://") {
		f.status = 302
	}
	for flag := range strings.SplitSeq(flags, ",") {
		name, value, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(flag)), "=")
		switch name {
		case "L", "LAST", "END":
			f.last = true
		case "":
		case "B":
			f.escapes = true
		case "E", "ENV", "S", "SKIP":
			sets = true
		case "NE", "NOESCAPE":
			f.plain = true
		case "R", "REDIRECT":
			f.status = 302
			if value != "" {
				if s, ok := statusOf(value); ok {
					f.status = s
				}
			}
		case "G", "GONE":
			f.status = 410
		case "F", "FORBIDDEN":
			return f, "it answers 403: nobody may see it, and no rule says so"
		case "QSA", "QSAPPEND":
			f.append = true
		case "QSD", "QSDISCARD":
			f.discard = true
		case "NC", "NOCASE":
			f.folds = true
		default:
			return f, fmt.Sprintf("the flag %s is more than a redirect", name)
		}
	}
	switch {
	case sets && f.status == 0:
		return f, "it decides what happens to later lines, and redirects nobody"
	case to == "-" && f.status != 410:
		return f, "it redirects nobody, but keeps later lines from applying"
	case f.status == 0:
		return f, "it rewrites inside the server, and redirects nobody"
	case !known(f.status):
		return f, fmt.Sprintf("rules cannot have the status %d", f.status)
	}
	return f, ""
}

// asked is what conditions ask for.
type asked struct {
	apacheHost
	query, note, example, sample string
	groups                       map[string]string // of the last condition, by number
	blurred                      bool              // these are not known
	asks                         int               // captures in query
	none                         bool              // there is no query
	closed                       bool              // the query is just that
	looks                        string            // what has to be in a map
	needs                        []need            // that have to hold for each path
	folds                        bool              // that ignores case
	uri                          *expression       // that the path has to fit
	byPath                       bool              // the last condition was that one
	uriPattern                   string            // as it is written
}

// asksNoMoreThan reports whether a condition that was added asks for nothing.
func (a asked) asksNoMoreThan(before asked) bool {
	return a.query == before.query && a.scheme == before.scheme && a.uri == before.uri &&
		len(a.needs) == len(before.needs) && slices.Equal(a.hosts, before.hosts) &&
		a.looks == before.looks && a.none == before.none
}

// need is an expression that each path has to fit, or must not.
type need struct {
	pattern string
	negated bool
	line    bool // it is asked of the whole request line
	folds   bool
}

func (a asked) differ(w way) string {
	if a.example == "" {
		return ""
	}
	return exampleOf(w.old) + a.example
}

// groups gives the conditions before a RewriteRule, those together of which one has to hold ([OR]).
func (a *apache) groups() [][]condition {
	var all [][]condition
	joins := false
	for _, c := range a.asks {
		if joins {
			all[len(all)-1] = append(all[len(all)-1], c)
		} else {
			all = append(all, []condition{c})
		}
		joins = slices.ContainsFunc(strings.Split(strings.ToUpper(c.how), ","), func(f string) bool {
			f = strings.TrimSpace(f)
			return f == "OR" || f == "ORNEXT"
		})
	}
	if joins { // nothing stands behind the last [OR], and so it always holds
		all = all[:len(all)-1]
	}
	return all
}

// conditions translates the conditions before a RewriteRule into all combinations of what they ask
// for, and says why they cannot be where that is so.
func (a *apache) conditions() ([]asked, string) {
	all := []asked{{apacheHost: apacheHost{hosts: a.hosts}}}
	groups := a.groups()
	if n := len(a.asks); n > 0 &&
		(len(groups) == 0 || groups[len(groups)-1][0].line != a.asks[n-1].line) {
		all[0].blurred = strings.Contains(a.asks[n-1].pattern, "(")
	}
	for _, group := range groups {
		if hosts, ok := a.anyHost(group); ok {
			for i := range all {
				all[i].hosts = hosts
			}
			continue
		}
		var made []asked
		for _, at := range all {
			before := len(made)
			for _, c := range group {
				with, why := a.ask(at, c)
				if why == errNever.Error() { // others of a group may hold
					continue
				}
				if why != "" {
					return nil, why
				}
				if len(group) > 1 && len(with) == 1 && with[0].asksNoMoreThan(at) {
					made = append(made[:before], at) // one that always holds
					break
				}
				for _, one := range with {
					if at.scheme == "" || one.scheme == at.scheme {
						made = append(made, one)
					}
				}
			}
		}
		switch all = made; {
		case len(all) == 0:
			return nil, errNever.Error()
		case len(all) > mostWays:
			return nil, errTooMany.Error()
		}
	}
	return all, ""
}

// anyHost gives the hosts that conditions joined by [OR] name.
func (a *apache) anyHost(group []condition) ([]string, bool) {
	var hosts []string
	for _, c := range group {
		host, ok := hostOf(c.pattern)
		if c.variable != "HTTP_HOST" && c.variable != "SERVER_NAME" || !ok {
			return nil, false
		}
		if hosts = append(hosts, host); strings.Contains(c.pattern, "(") { // with or without its www
			hosts = append(hosts, "www."+host)
		}
	}
	a.narrow(group[0].line, hosts)
	return withoutWWW(hosts), true
}

// plain gives the expression of a condition, with =text written as one, and whether it is negated.
func (c condition) plain() (pattern string, negated bool) {
	pattern, negated = strings.CutPrefix(c.pattern, "!")
	if text, equals := strings.CutPrefix(pattern, "="); equals {
		pattern = "^" + regexp.QuoteMeta(strings.Trim(text, `"`)) + "$"
	}
	return pattern, negated
}

// ask adds what a condition asks for; of an expression with alternatives it makes several.
func (a *apache) ask(at asked, c condition) ([]asked, string) {
	pattern, negated := c.plain()
	if c.looks != "" {
		at.looks = c.looks
		if strings.Contains(pattern, "(") {
			at.groups = map[string]string{"1": c.looks}
		}
		return []asked{at}, ""
	}
	if matched := !negated && !strings.HasPrefix(c.pattern, "="); matched {
		// the groups that a target names are those of the last condition that fits an expression
		at.groups, at.byPath, at.blurred = nil, false, strings.Contains(pattern, "(")
	}
	switch c.variable {
	case "HTTP_HOST", "SERVER_NAME":
		if negated && never(pattern, at.hosts) {
			break // it holds for each of these hosts
		}
		if !negated && always(pattern, at.hosts) {
			break
		}
		host, ok := hostOf(c.pattern)
		if !ok {
			return nil, fmt.Sprintf("the condition on the host (%s) is not a single host", c.pattern)
		}
		at.hosts = []string{host}
	case "HTTPS", "REQUEST_SCHEME", "SERVER_PORT", "HTTP:X-FORWARDED-PROTO", "ENV:HTTPS":
		scheme, ok := schemeOf(c.pattern)
		if !ok {
			return nil, fmt.Sprintf("the condition %s is not supported", c.text)
		}
		at.scheme = scheme
		a.serves("", at.hosts)
	case "QUERY_STRING":
		if negated {
			return nil, "a rule cannot express a query that is not there"
		}
		return at.askQueries(pattern, c.folds())
	case "IS_SUBREQ", "ENV:REDIRECT_STATUS":
		if pattern == "false" || pattern == "^$" {
			if negated { // so it is of what visitors ask for
				return nil, errNever.Error()
			}
			break
		}
		return nil, fmt.Sprintf("a rule cannot express the condition on %s", c.variable)
	case "REQUEST_URI}?%{QUERY_STRING":
		path, query, asks := strings.Cut(pattern, `\?`)
		x, err := readExpression(path+"$", "")
		if err != nil || at.uri != nil || negated || !asks || strings.Contains(path, "(") {
			return nil, "a rule cannot express the condition on path and query together"
		}
		at.uri, at.uriPattern, at.folds = &x, path+"$", c.folds()
		return at.askQueries("^"+query, c.folds())
	case "THE_REQUEST":
		if negated {
			at.needs = append(slices.Clone(at.needs), need{pattern, true, true, c.folds()})
			break
		}
		return at.askRequest(pattern, c.folds())
	case "REQUEST_URI", "SCRIPT_NAME":
		if negated && strings.Contains(c.pattern, "well-known") {
			break // doors leave that alone too (policy.exempt)
		}
		if x, err := readExpression(pattern, ""); err == nil && at.uri == nil && !negated {
			at.uri, at.uriPattern, at.folds = &x, pattern, c.folds()
			at.byPath, at.blurred = true, false
			break
		}
		at.needs = append(slices.Clone(at.needs), need{pattern, negated, false, c.folds()})
	case "REQUEST_METHOD":
		if is, err := regexp.MatchString(pattern, "GET"); err != nil || is == negated {
			return nil, "it holds for other requests than those by which pages are asked for"
		}
	case "REQUEST_FILENAME":
		return nil, "it asks whether a file exists, which a rule cannot know"
	default:
		return nil, fmt.Sprintf("a rule cannot express the condition on %s", c.variable)
	}
	return []asked{at}, ""
}

// chains reports whether flags tie a rule to the one behind it.
func chains(flags string) bool {
	return slices.ContainsFunc(strings.Split(strings.ToUpper(flags), ","), func(f string) bool {
		f = strings.TrimSpace(f)
		return f == "C" || f == "CHAIN"
	})
}

// onlyNotes reports whether flags set variables alone.
func onlyNotes(flags string) bool {
	notes := false
	for flag := range strings.SplitSeq(flags, ",") {
		name, _, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(flag)), "=")
		switch name {
		case "E", "ENV":
			notes = true
		case "", "NC", "NOCASE":
		default:
			return false
		}
	}
	return notes
}

// proxies reports whether flags have the server fetch from another one.
func proxies(flags string) bool {
	return slices.ContainsFunc(strings.Split(strings.ToUpper(flags), ","), func(f string) bool {
		f = strings.TrimSpace(f)
		return f == "P" || f == "PROXY"
	})
}

// What leads a whole host to https, or to its www or apex: an expression that takes every path, and
// a target on the host that was asked, whatever decides on its scheme.
var (
	everyPath = []string{
		"^",
		"^(.*)$",
		"(.*)",
		"^(.*)",
		".*",
		"^.*$",
		"^.*",
		"^/?(.*)$",
		"^/(.*)$",
		"^/?(.*)",
		".?",
		"^.?$",
	}
	ownTarget = regexp.MustCompile(
		`^(?:https|%\{ENV:[A-Za-z_]+\}|%\{REQUEST_SCHEME\}|http%\{ENV:[A-Za-z_]+\})://` +
			`(?:www\.)?(%\{HTTP_HOST\}|%\{SERVER_NAME\}|%1|[A-Za-z0-9.-]+)(?::443)?` +
			`(?:/?\$1|/?%\{REQUEST_URI\})$`)
	doorWords = []string{"HTTPS", "REQUEST_SCHEME", "SERVER_PORT", "HTTP_HOST", "SERVER_NAME",
		"HTTP:X-FORWARDED-PROTO",
		"HTTP:X-FORWARDED-SSL", "HTTP:X-FORWARDED-PORT", "HTTP:CF-VISITOR", "ENV:HTTPS", "ENV:PROTO",
		"SERVER_ADDR",
		"REMOTE_ADDR"}
)

// leadsToItself reports whether a RewriteRule with its conditions does no more than a door does
// anyway.
func (a *apache) leadsToItself(args []string, flags string) bool {
	m := ownTarget.FindStringSubmatch(args[1])
	if m == nil || !slices.Contains(everyPath, args[0]) {
		return false
	}
	if f, why := rewriteFlags(flags, args[1]); why != "" || f.status == 410 {
		return false
	}
	own := strings.HasPrefix(m[1], "%")
	for _, h := range a.hosts {
		own = own || strings.TrimPrefix(strings.ToLower(m[1]), "www.") == strings.TrimPrefix(h, "www.")
	}
	for _, c := range a.asks {
		known := slices.Contains(doorWords, c.variable) ||
			c.variable == "REQUEST_URI" && strings.HasPrefix(c.pattern, "!") &&
				strings.Contains(c.pattern, "well-known")
		host, literal := hostOf(c.pattern)
		if c.variable == "HTTP_HOST" && literal && !strings.HasPrefix(m[1], "%") {
			own = strings.TrimPrefix(host, "www.") == strings.TrimPrefix(strings.ToLower(m[1]), "www.")
		}
		if !known {
			return false
		}
	}
	return own
}

func hostOf(pattern string) (string, bool) {
	host, ok := strings.CutPrefix(pattern, "^")
	if !ok && !strings.HasPrefix(pattern, "=") {
		return "", false
	}
	host = strings.TrimPrefix(host, "=")
	if cut, ends := strings.CutSuffix(host, "$"); ends {
		host = cut
	}
	host = strings.ReplaceAll(host, `\.`, ".")
	host = strings.TrimPrefix(host, `(www.)?`) // an apex rule holds for its www too
	host = strings.TrimPrefix(host, `(?:www.)?`)
	return host, !strings.ContainsAny(host, `()[]|*+?\^$`)
}

func schemeOf(pattern string) (string, bool) {
	switch strings.ToLower(strings.Trim(pattern, "^$=\"")) {
	case "off", "http", "80", "!on", "!=on":
		return "http://", true
	case "on", "https", "443", "!off", "!=off":
		return "https://", true
	}
	return "", false
}
