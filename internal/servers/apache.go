package servers

import (
	"fmt"
	"strconv"
	"strings"
)

// ReadApache takes redirects out of an Apache configuration: Redirect, RedirectPermanent, RedirectTemp, RedirectMatch, and the simple
// forms of RewriteRule with RewriteCond. host is whose paths they are; htaccess says that the file lies in the root folder of a host, where
// RewriteRule sees paths without their first slash.
func ReadApache(text, host string, htaccess bool) Import {
	a := apache{host: host, htaccess: htaccess, base: "/"}
	for i, line := range logical(text) {
		_ = i
		a.line(line.number, line.text)
	}
	return a.Import
}

type numbered struct {
	number int
	text   string
}

// logical joins lines that end with a backslash.
func logical(text string) []numbered {
	var all []numbered
	pending, start := "", 0
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n") {
		if pending == "" {
			start = i + 1
		}
		if cut, goesOn := strings.CutSuffix(line, "\\"); goesOn {
			pending += cut + " "
			continue
		}
		all = append(all, numbered{start, pending + line})
		pending = ""
	}
	return all
}

type apache struct {
	Import
	host     string
	htaccess bool
	base     string
	off      bool
	inside   []string
	asks     []condition // before the next RewriteRule
}

type condition struct {
	line                   int
	text                   string
	variable, pattern, how string
}

func (a *apache) line(number int, text string) {
	trimmed := strings.TrimSpace(text)
	if trimmed == "" || trimmed[0] == '#' {
		return
	}
	if strings.HasPrefix(trimmed, "<") {
		a.block(number, trimmed)
		return
	}
	words := splitWords(trimmed)
	directive := strings.ToLower(words[0])
	args := words[1:]
	if len(a.inside) > 0 && strings.HasPrefix(directive, "re") && (strings.HasPrefix(directive, "redirect") || strings.HasPrefix(directive, "rewrite")) {
		a.leave(number, trimmed, "it stands inside %s, which decides whether it holds", a.inside[len(a.inside)-1])
		return
	}
	switch directive {
	case "redirect", "redirectpermanent", "redirecttemp":
		a.redirect(number, trimmed, directive, args)
	case "redirectmatch":
		a.redirectMatch(number, trimmed, args)
	case "rewriteengine":
		a.off = len(args) > 0 && strings.EqualFold(args[0], "off")
	case "rewritebase":
		if len(args) > 0 {
			a.base = "/" + strings.Trim(args[0], "/") + "/"
			a.base = strings.ReplaceAll(a.base, "//", "/")
		}
	case "rewritecond":
		c := condition{line: number, text: trimmed}
		if len(args) > 1 {
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
	default:
		if strings.HasPrefix(directive, "redirect") || strings.HasPrefix(directive, "rewrite") {
			a.leave(number, trimmed, "%s is not read", words[0])
		}
	}
}

func (a *apache) block(number int, text string) {
	name := strings.Trim(text, "<>")
	if strings.HasPrefix(name, "/") {
		if len(a.inside) > 0 {
			a.inside = a.inside[:len(a.inside)-1]
		}
		return
	}
	kind, _, _ := strings.Cut(name, " ")
	if strings.EqualFold(kind, "IfModule") || strings.EqualFold(kind, "VirtualHost") {
		return // what is inside holds; its end finds nothing to close
	}
	a.inside = append(a.inside, "<"+name+">")
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
		end := strings.IndexAny(s, " \t")
		if end < 0 {
			end = len(s)
		}
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
		a.leave(number, text, "no rule has the status %d", status)
		return
	case len(args) == 0 || !strings.HasPrefix(args[0], "/") || status != 410 && len(args) < 2:
		a.leave(number, text, "it has no path and target")
		return
	}
	old, to := escapeText(args[0]), ""
	if status != 410 {
		to = a.absolute(escapeText(args[1]))
	}
	drop := strings.Contains(to, "?")
	end := "{+rest}"
	if status == 410 {
		end = ""
	}
	if strings.HasSuffix(old, "/") {
		a.add(number, text, a.host+old+"{+rest}", to+end, status, drop, "", "")
		return
	}
	a.add(number, text, a.host+old, to, status, drop, "", "")
	if status != 410 {
		end = "/{+rest}"
	}
	a.add(number, text, a.host+old+"/{+rest}", to+end, status, drop, "", "")
}

// escapeText writes what means something in the rule language as it stands in a URL.
func escapeText(s string) string {
	return strings.NewReplacer("{", "%7B", "}", "%7D", "*", "%2A", " ", "%20").Replace(s)
}

// absolute gives a target as a whole URL: a path is one of the host itself.
func (a *apache) absolute(to string) string {
	if strings.HasPrefix(to, "/") {
		return "https://" + a.host + to
	}
	return to
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
	x, err := readExpression(args[0], "")
	if err != nil {
		a.leave(number, text, "%s", err)
		return
	}
	for _, w := range x.ways {
		to := ""
		if status != 410 {
			if to, err = target(args[1], w.groups, '$'); err != nil {
				a.leave(number, text, "%s", err)
				return
			}
			to = a.absolute(to)
		}
		a.add(number, text, a.host+w.old, to, status, strings.Contains(to, "?"), w.note, a.differ(w))
	}
}

func (a *apache) differ(w way) string {
	if w.differ == "" {
		return ""
	}
	return "http://" + a.host + w.differ
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
	f, why := rewriteFlags(flags, args[1])
	if why != "" {
		a.leave(number, text, "%s", why)
		return
	}
	prefix := ""
	if a.htaccess {
		prefix = a.base
	}
	x, err := readExpression(args[0], prefix)
	if err != nil {
		a.leave(number, text, "%s", err)
		return
	}
	at, why := a.conditions()
	if why != "" {
		a.leave(number, text, "%s", why)
		return
	}
	substitution, query, asked := strings.Cut(args[1], "?")
	drop := f.discard || asked && !f.append
	for _, w := range x.ways {
		to := ""
		if f.status != 410 {
			groups := w.groups
			if to, err = a.substitution(substitution, query, groups, at); err != nil {
				a.leave(number, text, "%s", err)
				return
			}
		}
		for _, scheme := range at.schemes {
			a.add(number, text, scheme+at.host+w.old+at.query, to, f.status, drop, firstOf(w.note, at.note), firstOf(a.differ(w), at.differ(w)))
		}
	}
}

func firstOf(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// substitution writes what a RewriteRule leads to, as a template.
func (a *apache) substitution(path, query string, groups map[string]string, at asked) (string, error) {
	to, err := target(strings.ReplaceAll(path, "%1", "\x01"), groups, '$')
	if err != nil {
		return "", err
	}
	if query != "" {
		more, err := target(strings.ReplaceAll(query, "%1", "\x01"), groups, '$')
		if err != nil {
			return "", err
		}
		to += "?" + more
	}
	if strings.Contains(to, "\x01") {
		if at.group == "" {
			return "", fmt.Errorf("%%1 names no group of a condition that can be captured")
		}
		to = strings.ReplaceAll(to, "\x01", at.group)
	}
	if !strings.Contains(to, "://") && !strings.HasPrefix(to, "/") {
		to = a.base + to
	}
	return a.absoluteAt(to, at.host), nil
}

func (a *apache) absoluteAt(to, host string) string {
	if strings.HasPrefix(to, "/") {
		return "https://" + host + to
	}
	return to
}

type rewriteHow struct {
	status          int
	append, discard bool
}

// rewriteFlags reads the flags of a RewriteRule, and says why the rule cannot be translated where it cannot.
func rewriteFlags(flags, to string) (rewriteHow, string) {
	f := rewriteHow{}
	if strings.Contains(to, "://") {
		f.status = 302
	}
	for flag := range strings.SplitSeq(flags, ",") {
		name, value, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(flag)), "=")
		switch name {
		case "", "L", "LAST", "END", "NE", "NOESCAPE":
		case "R", "REDIRECT":
			f.status = 302
			if value != "" {
				if s, ok := statusOf(value); ok {
					f.status = s
				}
			}
		case "G", "GONE":
			f.status = 410
		case "QSA", "QSAPPEND":
			f.append = true
		case "QSD", "QSDISCARD":
			f.discard = true
		case "NC", "NOCASE":
			return f, "it ignores case: set ignore-case on the domain, and write the rule by hand"
		default:
			return f, fmt.Sprintf("the flag %s is more than a redirect", name)
		}
	}
	switch {
	case to == "-" && f.status != 410:
		return f, "it rewrites nothing"
	case f.status == 0:
		return f, "it rewrites inside the server, and redirects nobody"
	case !known(f.status):
		return f, fmt.Sprintf("no rule has the status %d", f.status)
	}
	return f, ""
}

// asked is what conditions ask for.
type asked struct {
	host, query, group, note, example string
	schemes                           []string
}

func (a asked) differ(w way) string {
	if a.example == "" {
		return ""
	}
	path := strings.NewReplacer("{+rest}", "x").Replace(w.old)
	if strings.Contains(path, "{") {
		return ""
	}
	return "http://" + a.host + path + a.example
}

// conditions translates the conditions before a RewriteRule, and says why they cannot be where that is so.
func (a *apache) conditions() (asked, string) {
	at := asked{host: a.host, schemes: []string{""}}
	for _, c := range a.asks {
		how := strings.ToUpper(c.how)
		switch {
		case strings.Contains(how, "OR"):
			return at, "its conditions are joined by [OR]"
		case c.variable == "HTTP_HOST":
			host, ok := hostOf(c.pattern)
			if !ok {
				return at, fmt.Sprintf("the condition on the host (%s) is no single host", c.pattern)
			}
			at.host = host
		case c.variable == "HTTPS" || c.variable == "REQUEST_SCHEME" || c.variable == "SERVER_PORT":
			scheme, ok := schemeOf(c.pattern)
			if !ok {
				return at, fmt.Sprintf("the condition %s is not read", c.text)
			}
			at.schemes = []string{scheme}
		case c.variable == "QUERY_STRING":
			if why := at.askQuery(c.pattern); why != "" {
				return at, why
			}
		default:
			return at, fmt.Sprintf("the condition on %s cannot be said by a rule", c.variable)
		}
	}
	return at, ""
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

// askQuery translates a condition on the whole query: one parameter with a literal value or a number.
func (a *asked) askQuery(pattern string) string {
	inner, ok := strings.CutPrefix(pattern, "^")
	inner, ends := strings.CutSuffix(inner, "$")
	key, value, pair := strings.Cut(inner, "=")
	if !ok || !ends || !pair || strings.ContainsAny(key, `()[]|*+?\.`) {
		return fmt.Sprintf("the condition on the query (%s) is more than one parameter with a value", pattern)
	}
	switch value {
	case `([0-9]+)`, `(\d+)`:
		a.query, a.group, value = "?"+key+"={q:digits}", "{q}", "7"
	case `([^&]+)`, `(.+)`, `([^&]*)`, `(.*)`:
		a.query, a.group, value = "?"+key+"={q}", "{q}", "x"
	default:
		value = strings.ReplaceAll(value, `\.`, ".")
		if strings.ContainsAny(value, `()[]|*+?\^$`) {
			return fmt.Sprintf("the condition on the query (%s) is more than one parameter with a value", pattern)
		}
		a.query = "?" + key + "=" + escapeText(value)
	}
	a.note = "it takes URLs with further parameters too, and keeps those"
	a.example = "?" + key + "=" + value + "&more=1"
	return ""
}
