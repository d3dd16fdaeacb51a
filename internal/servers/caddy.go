package servers

import (
	"bytes"
	"fmt"
	"net"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

var _ = add(Writer{
	Name:  "caddy",
	Title: "Caddy 2.6 or newer",
	About: `It makes one file to be imported, with a site for all doors that answer alike. Caddy has its
certificates issued itself, unless a folder with some is named. It tries one rule after another: it
is for some hundred rules, not for thousands.`,
	Comment: "# ",
	Options: Options{
		HTTP:  []string{""},
		HTTPS: []string{""},
		Place: "/etc/caddy/upperpath",
	},
	KeyWithCertificate: true,
	Checker:            caddyChecker,
	bars:               []string{`"`, "{", "}", "*", "`"},
	write:              writeCaddy,
})

var caddyChecker = Checker{
	Names:   []string{"caddy"},
	Called:  "caddy validate",
	Oldest:  [3]int{2, 6, 0},
	version: []string{"version"},
	most:    1 << 20,
	main: func(_, folder, file, _ string) (string, []string, bool) {
		return fmt.Sprintf("{\n\tadmin off\n\tstorage file_system %[1]s/storage\n}\nimport %[1]s/%[2]s\n",
				folder, file), []string{"validate", "--adapter", "caddyfile", "--config",
				filepath.Join(folder, "main.conf")}, true
	},
	serve: func(text string, args []string) (string, []string) {
		return text, append([]string{"run"}, args[1:]...)
	},
}

// mostCaddyRules is how many rules of a table Caddy is trusted with: for each request it tries one
// after another.
const mostCaddyRules = 300

func writeCaddy(doors predictedDoors, o Options) (Output, error) {
	c := caddy{options: o, tag: tagOf(doors)}
	c.blocks, c.tables = blocksOf(doors, c.sort)
	for _, k := range c.blocks {
		for _, name := range k.names {
			if strings.HasPrefix(name, "*.") {
				c.findings = append(c.findings, beyond("Caddy", string(k.Scheme)+"://"+name, name,
					c.starWhy(k), 0))
			}
		}
	}
	steps := []string{
		"copy it to " + o.Place + ", and import it in the main Caddyfile, outside all sites",
		"caddy validate, then caddy reload",
	}
	if o.Certificates != "" {
		steps = slices.Insert(steps, 0, "put the certificates where its first lines say: a file "+
			"DOMAIN.pem for each domain, with its intermediates and its key")
	}
	return Output{Files: []File{{"caddy.conf", c.file()}}, Findings: c.findings, Doors: len(doors),
		Steps: steps,
		Undo: []string{"remove the import line, or put the file before it back (caddy.conf.before)",
			"caddy validate, then caddy reload", remembered}}, nil
}

type caddy struct {
	options  Options
	tag      string
	blocks   []block
	tables   []*table
	text     bytes.Buffer // the sites
	strips   []string     // sets of keys that are taken from a query, as expressions
	snippets bytes.Buffer
	findings []finding.Finding
}

// sort parts the rules of a table into those that ask for the query, whole paths, and patterns.
func (c *caddy) sort(t *table, entries []rule.Entry) {
	for _, e := range entries {
		if why := caddyBars(e.Rule); why != "" {
			c.findings = append(c.findings,
				beyond("Caddy", e.Rule.Place(), e.Rule.Old.String(), why, e.Rule.Line))
			continue
		}
		path, exact := e.Rule.Old.Exact()
		switch {
		case exact && len(e.Rule.Old.Query) > 0:
			t.asking = append(t.asking, e)
		case exact && !t.door.DropsPath:
			t.exact = append(t.exact, exactRule{path, e.Rule})
		default:
			t.patterns = append(t.patterns, e)
		}
	}
	if n := len(t.asking) + len(t.exact) + len(t.patterns); n > mostCaddyRules {
		c.findings = append(c.findings, beyond("Caddy", "the redirect map",
			fmt.Sprintf("%d rules of %s", n, t.door.Host.Unicode()),
			fmt.Sprintf("it tries one after another for each request, and with more than %d that takes "+
				"longer than the rest of the answer", mostCaddyRules), entries[mostCaddyRules].Rule.Line))
	}
}

// starWhy says what Caddy does not do of all names below a domain.
func (c *caddy) starWhy(k block) string {
	why := "it takes names of one more label there, and none below these"
	if k.Scheme == web.HTTPS && c.options.Certificates == "" {
		why += "; and for a star it gets a certificate by DNS alone, with a module for the provider"
	}
	return why
}

// caddyBars says why Caddy cannot hold a rule, "" where it can.
func caddyBars(r *rule.Rule) string {
	if len(r.Old.Query) > 1 {
		return "it asks for several parameters of the query, whose order an expression of Caddy cannot " +
			"leave open"
	}
	for _, into := range []component{intoPath, intoQuery} {
		if names := movers(r, into); len(names) > 0 {
			return fmt.Sprintf(
				"{%s} moves between path and query, where some characters have to be written "+
					"otherwise, and Caddy cannot do that",
				names[0],
			)
		}
	}
	return ""
}

const caddyHead = `# Redirects for Caddy (2.6 or newer), to be imported in the main Caddyfile:
#
#     import %s
#
%s# HTTP/2 and HTTP/3 are on, and TLS versions are Caddy's own, unless your global options say
# otherwise. Lines of your own for these hosts stand in own/*.conf beside this file, which this
# program never writes.
#
# How a request is answered: each site compares the path with its rules, one after another, whole
# paths first; each line of a map is an old path, where it leads, the status, and whether the
# visitor's query is kept.
#
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %%7E is ~, but %%2F is not /.
# Refused with 400: a %% that starts no escape, and segments of dots. A path with octets outside
# ASCII, quotes, <, >, \, ^, {, | or } is written in normal form, these percent-encoded; browsers
# send nearly none of them. A key of the query that a target sets itself is taken from the
# visitor's up to three times. A host that is not here gets 421, or no TLS connection, and never
# another site's page.
`

const caddyCommon = `
(up_%[1]s) {
	# The path as it came, and the query with its question mark.
	map {http.request.uri} {up_path} {
		~^([^?]*) "${1}"
	}
	map {http.request.uri} {up_query} {
		~^[^?]*(\?.+)$ "${1}"
		default ""
	}
	# How the path is spelt: odd is what has needless escapes such as %%61 for a, or small
	# hexadecimal digits.
	map {up_path} {up_spelt} {
		~/(?:\.|%%2[Ee]){1,2}(?:/|$) dots
		"~%%(?:2[DEde]|3[0-9]|[46][1-9A-Fa-f]|5[0-9AaFf]|7[0-9AaEe]|[a-f][0-9A-Fa-f]|[0-9A-F][a-f])|[\[\]]" odd
		default right
	}
	@dots vars {up_spelt} dots
	@odd vars {up_spelt} odd
	@right vars {up_spelt} right
	respond @dots 400
}
`

func (c *caddy) file() []byte {
	c.sites()
	var b bytes.Buffer
	certificates := "# Caddy has its certificates issued itself, as soon as names point to it.\n#\n"
	if c.options.Certificates != "" {
		certificates = fmt.Sprintf("# Certificates: for each domain DOMAIN.pem (the certificate, its "+
			"intermediates, its key) in\n#     %s\n#\n", commentSafe(c.options.Certificates))
	}
	place := strings.TrimSuffix(c.options.Place, "/") + "/caddy.conf"
	fmt.Fprintf(&b, caddyHead, commentSafe(place), certificates)
	fmt.Fprintf(&b, caddyCommon, c.tag)
	b.Write(c.snippets.Bytes())
	if !c.options.Beside {
		fmt.Fprint(&b, "\n# Hosts that are not here.\n")
		for _, scheme := range []web.Scheme{web.HTTP, web.HTTPS} {
			if scheme == web.HTTPS && !slices.ContainsFunc(c.blocks, func(k block) bool {
				return k.Scheme == web.HTTPS
			}) {
				continue
			}
			addresses, binds := c.addresses(scheme, "")
			fmt.Fprintf(&b, "%s {\n%s", strings.Join(addresses, ", "), bindLine(binds))
			if scheme == web.HTTPS && c.options.Certificates != "" {
				fmt.Fprint(&b, c.tls())
			}
			fmt.Fprint(&b, "\trespond 421\n}\n")
		}
	}
	b.Write(c.text.Bytes())
	return b.Bytes()
}

func bindLine(binds []string) string {
	if len(binds) == 0 {
		return ""
	}
	return "\tbind " + strings.Join(binds, " ") + "\n"
}

// addresses gives a site's addresses for a host, and the addresses on which it is bound.
func (c *caddy) addresses(scheme web.Scheme, host string) (addresses, binds []string) {
	listens := c.options.HTTP
	if scheme == web.HTTPS {
		listens = c.options.HTTPS
	}
	for _, l := range listens {
		at, port, err := net.SplitHostPort(l)
		address := string(scheme) + "://" + host
		if err == nil {
			address += ":" + port
		}
		if !slices.Contains(addresses, address) {
			addresses = append(addresses, address)
		}
		if at != "" && at != "*" && !slices.Contains(binds, at) {
			binds = append(binds, at)
		}
	}
	return addresses, binds
}

func (c *caddy) tls() string {
	return fmt.Sprintf("\ttls {\n\t\tload %s\n\t}\n", caddyQuote(c.options.Certificates))
}

// sites writes a site for each block, and what it answers once for all blocks that answer alike.
func (c *caddy) sites() {
	domain := ""
	names, ofDomain := map[string]string{}, map[string]int{}
	strips := map[string][]int{}
	for _, k := range c.blocks {
		if of := k.Domain.Name.Unicode(); of != domain {
			domain = of
			fmt.Fprintf(&c.text, "\n# %s\n", commentSafe(of))
		}
		key := c.answers(k)
		if _, known := names[key]; !known {
			name := "up_" + k.Domain.Name.String()
			if ofDomain[name]++; ofDomain[name] > 1 {
				name = fmt.Sprintf("%s_%d", name, ofDomain[name])
			}
			names[key] = name
			var body bytes.Buffer
			if k.table == nil {
				fmt.Fprintf(&body, "%s\tredir %s %d\n", lasting(k.Treatment, k.Status, ""),
					c.constant(k.Treatment), k.Status)
			} else {
				t := caddyTable{caddy: c, table: k.table}
				t.write(&body)
				strips[key] = t.needs
			}
			fmt.Fprintf(&c.text, "(%s) {\n%s}\n", name, body.Bytes())
		}
		c.site(k, names[key], strips[key])
	}
}

// answers tells apart what blocks answer.
func (c *caddy) answers(k block) string {
	if k.table != nil {
		return strconv.Itoa(k.table.number)
	}
	return fmt.Sprint(k.Domain.Name, c.constant(k.Treatment), k.Status)
}

func (c *caddy) constant(d predict.Treatment) string {
	to := web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}
	if d.Does == predict.ToSite {
		to = d.Canonical
	}
	path, query := "{up_path}", "{up_query}"
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	return to.String() + path + query
}

func (c *caddy) site(k block, answers string, strips []int) {
	w := &c.text
	var addresses, binds []string
	for _, name := range k.names {
		a, b := c.addresses(k.Scheme, name)
		addresses, binds = append(addresses, a...), b
	}
	fmt.Fprintf(w, "%s {\n%s", strings.Join(addresses, ", "), bindLine(binds))
	if k.Scheme == web.HTTPS && c.options.Certificates != "" {
		fmt.Fprint(w, c.tls())
	}
	if c.options.Log != "" {
		fmt.Fprintf(w, "\tlog {\n\t\toutput file %s\n\t}\n", caddyQuote(c.options.Log))
	}
	fmt.Fprintf(w, "\timport %s\n", caddyQuote(strings.TrimSuffix(c.options.Place, "/")+"/own/*.conf"))
	fmt.Fprintf(w, "\troute {\n")
	if k.HSTS != "" {
		fmt.Fprintf(w, "\t\theader Strict-Transport-Security %s\n", caddyQuote(k.HSTS))
	}
	fmt.Fprintf(w, "\t\timport up_%s\n", c.tag)
	for i, prefix := range k.Exempt {
		fmt.Fprintf(w, "\t\t@exempt%d vars_regexp {up_path} %s\n", i+1,
			caddyQuote("^"+literalRegexp(prefix)))
		if c.options.Challenges == "" {
			fmt.Fprintf(w, "\t\trespond @exempt%d 404\n", i+1)
		} else {
			fmt.Fprintf(w, "\t\thandle @exempt%d {\n\t\t\troot * %s\n\t\t\tfile_server\n\t\t}\n", i+1,
				caddyQuote(c.options.Challenges))
		}
	}
	for _, n := range strips {
		fmt.Fprintf(w, "\t\timport up_%s_%d\n", c.tag, n)
	}
	fmt.Fprintf(w, "\t\timport %s\n\t}\n}\n", answers)
}

// caddyTable writes what a table answers.
type caddyTable struct {
	*caddy
	*table
	statuses  []int
	kept      []string // the ways in which a visitor's query is kept
	fragments bool
	gone      bool
	needs     []int // which sets of keys are taken from a query
}

// caddyEntry is a line of a map.
type caddyEntry struct {
	line                                 int
	lines, old, from, to, kept, fragment string
	status                               int
}

func (t *caddyTable) write(w *bytes.Buffer) {
	rules := slices.Clone(t.asking)
	for _, e := range t.exact {
		rules = append(rules, rule.Entry{Rule: e.rule})
	}
	rules = append(rules, t.patterns...)
	asks := slices.ContainsFunc(rules, func(e rule.Entry) bool { return len(e.Rule.Old.Query) > 0 })
	if len(rules) > 0 {
		subject, query := "{up_path}", ""
		if t.door.DropsPath {
			subject = "/"
		}
		if asks {
			query = "{up_query}"
		}
		t.fragments = slices.ContainsFunc(rules, func(e rule.Entry) bool {
			return e.Rule.New.Fragment != ""
		})
		switch names := t.indexNames(rules); {
		case t.door.DropsPath:
			t.mapOf(w, "* "+caddyQuote(subject+query), t.entries(rules, asks, false, ""))
		default:
			t.kinds(w, names)
			for _, name := range append([]string{""}, names...) {
				for _, odd := range []bool{false, true} {
					t.mapOf(w, "@"+t.kind(names, name, odd)+" "+caddyQuote(subject+query),
						t.entries(rules, asks, odd, name))
				}
			}
		}
		t.answered(w)
	}
	t.otherwise(w)
}

// indexNames gives the names of index files that some rule does not take as they stand, since a
// path that ends so is compared without.
func (t *caddyTable) indexNames(rules []rule.Entry) (all []string) {
	for _, e := range rules {
		for _, v := range t.door.Paths.Variants(e.Rule.Old.Parts) {
			for _, name := range v.Not {
				if !slices.Contains(all, name) {
					all = append(all, name)
				}
			}
		}
	}
	return all
}

// kind names the matcher of paths that end in an index file's name, or in none, as they are spelt.
func (t *caddyTable) kind(names []string, name string, odd bool) string {
	kind := "right"
	if odd {
		kind = "odd"
	}
	if at := slices.Index(names, name); at >= 0 {
		return fmt.Sprintf("%s_index%d", kind, at+1)
	}
	if len(names) > 0 {
		return kind + "_page"
	}
	return kind
}

// kinds writes the matchers of paths that end in the names of index files.
func (t *caddyTable) kinds(w *bytes.Buffer, names []string) {
	if len(names) == 0 {
		return // those for all tables
	}
	sign := "~"
	if t.door.Paths.IgnoreCase {
		sign = "~(?i)"
	}
	fmt.Fprint(w, "\tmap {up_spelt}{up_path} {up_kind} {\n")
	for _, odd := range []bool{false, true} {
		begin := strings.TrimSuffix(t.kind(names, "", odd), "_page")
		for _, name := range names {
			fmt.Fprintf(w, "\t\t%s %s\n", caddyQuote(sign+"^"+begin+".*"+spelled(name, t.spelling(odd))+"$"),
				t.kind(names, name, odd))
		}
		fmt.Fprintf(w, "\t\t~^%s/ %s\n", begin, t.kind(names, "", odd))
	}
	fmt.Fprint(w, "\t\tdefault \"\"\n\t}\n")
	for _, name := range append([]string{""}, names...) {
		for _, odd := range []bool{false, true} {
			fmt.Fprintf(w, "\t@%[1]s vars {up_kind} %[1]s\n", t.kind(names, name, odd))
		}
	}
}

func (t *caddyTable) mapOf(w *bytes.Buffer, subject string, entries []caddyEntry) {
	fragment, none := "", ""
	if t.fragments {
		fragment, none = " {up_fragment}", ` ""`
	}
	fmt.Fprintf(w, "\tmap %s {up_to} {up_status} {up_keeps}%s {\n", subject, fragment)
	line := 0
	for _, e := range entries {
		if e.line != line && e.from[0] == '~' {
			fmt.Fprintf(w, "\t\t# line %s: %s\n", e.lines, commentSafe(e.old))
		}
		line = e.line
		fmt.Fprintf(w, "\t\t%s %s %d %s", caddyQuote(e.from), caddyQuote(e.to), e.status, e.kept)
		if t.fragments {
			fmt.Fprintf(w, " %s", caddyQuote(e.fragment))
		}
		fmt.Fprint(w, "\n")
	}
	fmt.Fprintf(w, "\t\tdefault \"\" \"\" none%s\n\t}\n", none)
}

// entries writes rules as lines of a map, for paths that end in an index file's name or in none.
func (t *caddyTable) entries(rules []rule.Entry, asks, odd bool, index string) []caddyEntry {
	var all []caddyEntry
	mode, seen := t.door.Paths, map[string]bool{}
	for _, e := range rules {
		r := e.Rule
		for _, v := range mode.Variants(r.Old.Parts) {
			if slices.Contains(v.Not, index) {
				continue
			}
			one := caddyEntry{line: r.Line, lines: t.linesOf(r), old: r.Old.String()}
			whole := len(v.Parts) == 1 && !v.Parts[0].IsCapture()
			groups := map[string]int{}
			if whole && !asks && !odd && !mode.IgnoreCase {
				one.from = v.Parts[0].Literal
			} else {
				one.from = "~" + t.expression(r, v.Parts, asks, odd, groups)
			}
			if t.leadsTo(&one, r, groups); !seen[one.from] { // Caddy refuses a line that never wins
				seen[one.from] = true
				all = append(all, one)
			}
		}
	}
	return all
}

func (t *caddyTable) spelling(odd bool) spelling {
	if odd {
		return oddly(t.door.Paths)
	}
	return normalSpelling
}

// expression writes a variant of a rule, and notes the numbers of its captures.
func (t *caddyTable) expression(r *rule.Rule, parts []rule.Part, asks, odd bool,
	groups map[string]int) string {
	sign, minds := "^", ""
	if t.door.Paths.IgnoreCase {
		sign, minds = "(?i)^", "(?-i)" // the case of a query counts
	}
	text := sign + caddyParts(parts, '?', t.spelling(odd), groups)
	switch {
	case !asks:
		return text + "$"
	case len(r.Old.Query) == 0:
		return text + `(?:\?|$)`
	}
	asked := r.Old.Query[0]
	value := "=" + caddyParts(asked.Parts, '&', everySpelling, groups)
	if len(asked.Parts) == 0 {
		value = "=?"
	} else if len(asked.Parts) == 1 && asked.Parts[0].Rest {
		value = "(?:" + value + ")?"
	}
	return text + minds + fmt.Sprintf(`\?(?:%s&)*%s%s(?:&|$)`, otherKey(asked.Key),
		literalRegexp(asked.Key), value)
}

// caddyParts writes parts as an expression that knows nothing of what comes before or behind a
// place (RE2 has no such things): captures are read octet by octet.
func caddyParts(parts []rule.Part, end byte, as spelling, groups map[string]int) string {
	var b strings.Builder
	for i, p := range parts {
		if !p.IsCapture() {
			b.WriteString(spelled(p.Literal, as))
			continue
		}
		groups[p.Name] = len(groups) + 1
		last := i+1 == len(parts)
		one := fmt.Sprintf(`[^/%c]`, end)
		if p.Rest {
			one = fmt.Sprintf(`[^%c]`, end)
		}
		if !last && strings.IndexByte("0123456789ABCDEFabcdef", parts[i+1].Literal[0]) >= 0 {
			one = fmt.Sprintf(`(?:%s%%]|%%[0-9A-Fa-f]{2})`, strings.TrimSuffix(one, "]"))
			if end == '&' { // only there may a % start no escape
				one = strings.TrimSuffix(one, ")") + `|%[0-9A-Fa-f]?[^0-9A-Fa-f&%])`
			}
		}
		switch {
		case p.Rest:
			fmt.Fprintf(&b, "(%s*?)", one)
		case p.Digits && as != normalSpelling:
			b.WriteString(`((?:[0-9]|%3[0-9])+?)`)
		case p.Digits:
			b.WriteString(`([0-9]+?)`)
		case p.Label:
			b.WriteString(`([0-9A-Za-z-]+?)`)
		default:
			fmt.Fprintf(&b, "(%s+?)", one)
		}
	}
	return b.String()
}

// otherKey takes a parameter of a query whose key is another one, in every spelling of it. These
// expressions cannot say "not this", so that all are said that begin otherwise.
func otherKey(key string) string {
	rest := `[^=&][^&]*` // what is longer
	for _, u := range slices.Backward(web.Units(key)) {
		ways := spellings(u.Normal)
		firsts, all := "", ""
		for _, w := range ways {
			firsts += inClass(w[0])
			all += "|" + otherwiseSpelled(w, rest)
		}
		rest = fmt.Sprintf(`(?:[^%s&][^&]*%s)?`, firsts, all)
	}
	return rest
}

// otherwiseSpelled takes what begins with the first of some octets and does not go on as the others
// do, or does, and then with rest.
func otherwiseSpelled(way []string, rest string) string {
	text := rest
	for _, octet := range slices.Backward(way[1:]) {
		text = fmt.Sprintf(`(?:[^%s&][^&]*|[%[1]s]%s)?`, inClass(octet), text)
	}
	return "[" + inClass(way[0]) + "]" + text
}

// spellings gives the ways in which an octet in normal form may be written, each as sets of octets.
func spellings(normal string) [][]string {
	encoded, raw := normal, normal
	if len(normal) == 1 {
		encoded = fmt.Sprintf("%%%02X", normal[0])
	} else {
		raw = web.Decode(normal)
	}
	var ways [][]string
	if len(normal) == 1 || raw[0] > 0x20 && raw[0] < 0x7f && raw != "%" && raw != "?" && raw != "&" &&
		raw != "=" && web.NormalPath(raw) == normal {
		ways = append(ways, []string{raw})
	}
	if len(normal) == 3 || web.NormalPath(encoded) == normal {
		way := []string{"%"}
		for _, c := range encoded[1:] {
			way = append(way, string(c))
			if c >= 'A' {
				way[len(way)-1] += strings.ToLower(string(c))
			}
		}
		ways = append(ways, way)
	}
	return ways
}

// inClass writes octets for the inside of a class.
func inClass(octets string) string {
	var b strings.Builder
	for _, c := range []byte(octets) {
		b.WriteString(escapeRegexp(c))
	}
	return b.String()
}

// leadsTo fills in what a line of a map says of a rule.
func (t *caddyTable) leadsTo(e *caddyEntry, r *rule.Rule, groups map[string]int) {
	if r.Status == rule.Gone {
		t.gone = true
		e.status, e.to, e.kept = rule.Gone, "-", "none"
		return
	}
	expands := e.from[0] == '~'
	parts := func(all []rule.Part) string {
		var b strings.Builder
		for _, p := range all {
			if p.IsCapture() {
				fmt.Fprintf(&b, "${%d}", groups[p.Name])
				continue
			}
			b.WriteString(caddyText(p.Literal, expands))
		}
		return b.String()
	}
	door := r.New.Door
	if door.IsZero() {
		door = t.door.Canonical
	}
	e.to = door.String()
	if len(r.New.Host) > 0 {
		e.to = string(r.New.Scheme) + "://" + parts(r.New.Host)
	}
	e.to += parts(r.New.Parts)
	own := ""
	if len(r.New.Query) > 0 {
		e.to += "?" + parts(r.New.Query)
		for _, p := range r.New.Query {
			own += p.Literal + strings.Repeat("{}", min(1, len(p.Name)))
		}
	}
	e.kept = t.keeps(own, r.DropQuery || t.door.DropsQuery, keysOf(r))
	if r.New.Fragment != "" {
		e.fragment = "#" + caddyText(r.New.Fragment, expands)
	}
	e.status = statusOn(r, t.door)
	if !slices.Contains(t.statuses, e.status) {
		t.statuses = append(t.statuses, e.status)
	}
	if !slices.Contains(t.kept, e.kept) {
		t.kept = append(t.kept, e.kept)
	}
}

// keeps names what comes behind a target of the visitor's query.
func (t *caddyTable) keeps(own string, drops bool, used []string) string {
	switch {
	case drops:
		return "drop"
	case own == "" && len(used) == 0:
		return "keep"
	}
	name := "own"
	if own == "" {
		name = "used"
	}
	n := t.strip(keysRegexp(own, used))
	if !slices.Contains(t.needs, n) {
		t.needs = append(t.needs, n)
	}
	return fmt.Sprintf("%s%d", name, n)
}

// strip writes the maps that take keys from a query, up to three times, and returns their number.
func (c *caddy) strip(set string) int {
	if at := slices.Index(c.strips, set); at >= 0 {
		return at + 1
	}
	c.strips = append(c.strips, set)
	n := len(c.strips)
	w := &c.snippets
	fmt.Fprintf(
		w,
		"\n# The visitor's query without what a target sets itself or a rule uses up: own behind "+
			"another query, used\n# behind a path.\n(up_%[1]s_%[2]d) {\n\tmap {up_query} {up_rest%[2]d_0} {\n"+
			"\t\t~^\\?(.*)$ \"&${1}\"\n\t\tdefault \"\"\n\t}\n",
		c.tag,
		n,
	)
	for i := range 3 {
		fmt.Fprintf(w, "\tmap {up_rest%[1]d_%[2]d} {up_rest%[1]d_%[3]d} {\n\t\t%[4]s \"${1}${2}\"\n"+
			"\t\t~^(.*)$ \"${1}\"\n\t}\n", n, i, i+1,
			caddyQuote("~^(.*?)&(?:"+set+")(?:=[^&]*)?((?:&.*)?)$"))
	}
	fmt.Fprintf(w, "\tmap {up_rest%[1]d_3} {up_own%[1]d} {\n\t\t& \"\"\n\t\t~^(.*)$ \"${1}\"\n\t}\n"+
		"\tmap {up_rest%[1]d_3} {up_used%[1]d} {\n\t\t~^&(.+)$ \"?${1}\"\n\t\tdefault \"\"\n\t}\n}\n", n)
	return n
}

// query writes what keeps names.
func (c *caddy) query(kept string) string {
	switch kept {
	case "drop":
		return ""
	case "keep":
		return "{up_query}"
	}
	return "{up_" + kept + "}"
}

// answered writes what is answered where a map found something.
func (t *caddyTable) answered(w *bytes.Buffer) {
	if t.gone {
		fmt.Fprint(w, "\t@gone vars {up_status} 410\n\trespond @gone 410\n")
	}
	fragment := ""
	if t.fragments {
		fragment = "{up_fragment}"
	}
	if t.door.Remember != "" {
		fmt.Fprintf(w, "\t@lasting vars {up_status} 301 308\n\theader @lasting Cache-Control %s\n",
			caddyQuote(t.door.Remember))
	}
	for _, kept := range t.kept {
		fmt.Fprintf(w, "\t@%[1]s vars {up_keeps} %[1]s\n\tredir @%[1]s {up_to}%s%s {up_status}\n", kept,
			t.query(kept), fragment)
	}
}

// otherwise writes what is answered where no rule takes a path.
func (t *caddyTable) otherwise(w *bytes.Buffer) {
	d := t.door
	base := caddyText(d.Home.Door().String(), false)
	own := d.Home.Query()
	kept := t.keeps(own, d.DropsQuery, nil)
	query := t.query(kept)
	if own != "" {
		query = caddyText("?"+own, false) + query
	}
	home := base + caddyText(d.Home.Path(), false) + query
	if t.rootDiffers() {
		sign, roots := "^", []string(nil)
		if d.Paths.IgnoreCase {
			sign = "(?i)^"
		}
		for _, v := range d.Paths.Variants([]rule.Part{{Literal: "/"}}) {
			roots = append(roots, caddyParts(v.Parts, '?', oddly(d.Paths), map[string]int{}))
		}
		fmt.Fprintf(w, "\t@root vars_regexp {up_path} %s\n%s\tredir @root %s %d\n",
			caddyQuote(sign+"(?:"+strings.Join(roots, "|")+")$"), lasting(d, d.Status, "@root "),
			caddyQuote(home), d.Status)
	}
	switch {
	case d.Fallback == estate.Gone && !d.DropsPath:
		fmt.Fprintf(w, "\trespond %d\n", rule.Gone)
	case d.Fallback == estate.SamePath && !d.DropsPath:
		fmt.Fprintf(w, "%s\tredir %s %d\n", lasting(d, d.Status, ""),
			caddyQuote(base+caddyText(strings.TrimSuffix(d.Home.Path(), "/"), false)+"{up_path}"+query),
			d.Status)
	default:
		fmt.Fprintf(w, "%s\tredir %s %d\n", lasting(d, d.Status, ""), caddyQuote(home),
			d.Status)
	}
}

// lasting writes for how long browsers may keep a redirect with a status, behind a matcher; "" where
// nothing is said.
func lasting(d predict.Treatment, status int, matcher string) string {
	if d.Remember == "" || status != 301 && status != 308 {
		return ""
	}
	return fmt.Sprintf("\theader %sCache-Control %s\n", matcher, caddyQuote(d.Remember))
}

// caddyText writes a text where Caddy looks for placeholders, and, where it comes for an
// expression, for groups.
func caddyText(s string, expands bool) string {
	s = strings.NewReplacer("{", `\{`, "}", `\}`).Replace(cleanTarget(s))
	if expands {
		s = strings.ReplaceAll(s, "$", "$$")
	}
	return s
}

// caddyQuote writes a text as one word of Caddy's configuration: as it is where nothing in it would
// end it.
func caddyQuote(s string) string {
	if s != "" && !strings.ContainsAny(s, " \t\"`") && s[0] != '#' && s[0] != '@' {
		return s
	}
	return `"` + strings.ReplaceAll(s, `"`, `\"`) + `"`
}
