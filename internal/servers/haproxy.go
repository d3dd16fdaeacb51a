package servers

import (
	"bytes"
	"cmp"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"regexp"
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
	Name:  "haproxy",
	Title: "HAProxy 2.6 or newer",
	About: `It makes one file, with a frontend that listens and a backend for all doors that answer
alike, and tables beside it. Whole paths are looked up in them, patterns by how their paths begin.`,
	Comment: "# ",
	Options: Options{HTTP: []string{"*:80"}, HTTPS: []string{"*:443"},
		Certificates: "/etc/haproxy/upperpath/certificates", Place: "/etc/haproxy/upperpath"},
	KeyWithCertificate: true,
	ByAddress:          true,
	Checker:            haproxyChecker,
	bars:               []string{" ", `"`, "'", `\`, ",", "(", ")", "[", "]", "$", "%", "#"},
	write:              writeHAProxy,
})

var haproxyChecker = Checker{
	Names:   []string{"haproxy"},
	Called:  "haproxy -c",
	Oldest:  [3]int{2, 6, 0},
	version: []string{"-vv"},
	lacks: func(said string) string {
		if strings.Contains(said, "PCRE2=1") || strings.Contains(said, "PCRE=1") ||
			strings.Contains(said, "+PCRE2") || strings.Contains(said, "+PCRE ") {
			return ""
		}
		return "it is built without PCRE, which these expressions need"
	},
	main: func(_, folder, file, _ string) (string, []string, bool) {
		return "defaults\n    timeout connect 5s\n    timeout client 30s\n    timeout server 30s\n" +
				frontendOfOthers(filepath.Join(folder, file)),
			[]string{"-c", "-f", filepath.Join(folder, "main.conf"), "-f", filepath.Join(folder, file)},
			true
	},
	serve: func(text string, args []string) (string, []string) {
		if os.Geteuid() == 0 { // as root it serves nobody
			text = "global\n    uid 65534\n    gid 65534\n" + text
		}
		return text, append([]string{"-db", "-q"}, args[1:]...)
	},
}

// frontendOfOthers makes a frontend of the lines that a file has as comments for one, "" where it
// has its own.
func frontendOfOthers(file string) string {
	text, err := os.ReadFile(file)
	if err != nil || bytes.Contains(text, []byte("\nfrontend ")) {
		return ""
	}
	made := "frontend others\n    mode http\n    bind 127.0.0.1:48080\n"
	for line := range strings.Lines(string(text)) {
		if strings.HasPrefix(line, "#http-request ") || strings.HasPrefix(line, "#use_backend ") {
			made += "    " + line[1:]
		}
	}
	return made
}

func writeHAProxy(doors predictedDoors, o Options) (Output, error) {
	h := haproxy{options: o, tag: "up_" + tagOf(doors)}
	h.blocks, h.tables = blocksOf(doors, h.sort)
	h.backends()
	files := append([]File{{"haproxy.cfg", h.file()}}, h.files...)
	steps := []string{
		"put the certificates where its first lines say: a file DOMAIN.pem for each domain, with its " +
			"intermediates and its key",
		"copy it and the tables beside it to " + o.Place +
			", and name it with another -f where HAProxy is started",
		"haproxy -c with the same files, then reload HAProxy"}
	if o.Challenges == "" && h.exempts() {
		steps = slices.Insert(steps, 2, "name who answers where certificates are renewed, with "+
			"--challenges ADDRESS:PORT or challenges: on the carrier: paths that are not redirected get 404")
	}
	return Output{Files: files, Findings: h.findings, Doors: len(doors), Steps: steps,
		Undo: []string{"take the -f away, or put the files before them back (those with .before)",
			"reload HAProxy", remembered}}, nil
}

type haproxy struct {
	options  Options
	tag      string // in the names of sections and tables
	blocks   []block
	tables   []*table
	files    []File
	text     bytes.Buffer // the backends
	doors    bytes.Buffer // which backend answers for a door
	below    [2]bytes.Buffer
	sets     [][]string // paths that are not redirected
	findings []finding.Finding

	certificates []string // lines of their list
	parts        []string // lines that find a part of a table by how a path begins
}

// mostLine is how long a line of a table may be, in octets, for HAProxy to read it as one.
const mostLine = 15_000

// sort parts the rules of a table into those that are looked up and those that are tried.
func (h *haproxy) sort(t *table, entries []rule.Entry) {
	mode, taken := t.door.Paths, map[string]bool{}
	for _, e := range entries {
		if why := haproxyBars(e.Rule); why != "" {
			h.findings = append(h.findings,
				beyond("HAProxy", e.Rule.Place(), e.Rule.Old.String(), why, e.Rule.Line))
			continue
		}
		_, exact := e.Rule.Old.Exact()
		switch {
		case !exact || t.door.DropsPath:
			t.patterns = append(t.patterns, e)
		case len(e.Rule.Old.Query) > 0:
			t.asking = append(t.asking, e)
		default:
			for _, v := range mode.Variants(e.Rule.Old.Parts) {
				if key := v.Parts[0].Literal; !taken[key] {
					taken[key] = true
					t.exact = append(t.exact, exactRule{key, e.Rule})
				}
			}
		}
	}
}

// haproxyBars says why HAProxy cannot hold a rule, "" where it can.
func haproxyBars(r *rule.Rule) string {
	if len(r.Old.Captures()) > 9 {
		return "it has more captures than the nine that HAProxy supports"
	}
	old, to := r.Old.String(), r.New.String()
	if len(old)+len(to) < mostLine/mostSpelled {
		return ""
	}
	spelled := variantRegexp(r, r.Old.Parts, anyCaseSpelling) + conditionsRegexp(r)
	if len(spelled)+3*len(to) > mostLine {
		return fmt.Sprintf("it is longer than the %d octets that HAProxy reads as one line", mostLine)
	}
	return ""
}

const haproxyHead = `# Redirects for HAProxy (2.6 or newer, built with PCRE), to be named with another -f at its start:
#
#     haproxy -f /etc/haproxy/haproxy.cfg -f %s
#
# Certificates: for each domain DOMAIN.pem (the certificate, its intermediates, its key) in
#     %s
# TLS versions and ciphers are those of your own global section (ssl-default-bind-options). HTTP/2
# is on; for HTTP/3, where HAProxy is built with QUIC, repeat the bind line of https with quic4@
# before its address. HAProxy includes nothing: lines of your own stand in a file of yours with
# its own -f.
#
# How a request is answered: %s_doors.map says which backend answers a door. A backend looks the
# path up in a table of whole paths; else the start of the path says which tables of patterns are
# tried. In every table a line is an old path and what is answered: a status, then where it leads.
# Behind the status: nothing, the visitor's query comes behind; "drop", it does not; "own" and
# "used", it comes without what the target sets itself or the rule has used up; "frag", a fragment
# stands last; "path", "query" and "host", parts that are written otherwise there. Paths are
# compared in normal form; those that came otherwise are tried in the tables called odd.
#
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %%7E is ~, but %%2F is not /.
# HAProxy itself refuses with 400 octets outside ASCII and a #; here more than %d ".." in a row
# are; browsers send none of these. A host that is not here gets 421, or no TLS connection, and
# never another site's page.
`

// mostClimbs is how many ".." in a row are resolved.
const mostClimbs = 4

func (h *haproxy) file() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, haproxyHead, commentSafe(h.at("haproxy.cfg")), commentSafe(h.options.Certificates),
		h.tag, mostClimbs)
	if h.options.Beside {
		fmt.Fprintf(
			&b,
			"#\n# Your own frontend listens. These lines belong into it, before its own use_backend, "+
				"and on its bind line of\n# https: crt-list %s\n#\n",
			h.at(h.tag+"_certificates.list"),
		)
		for line := range strings.Lines(h.frontend()) {
			fmt.Fprintf(&b, "#%s", strings.TrimPrefix(line, "    "))
		}
	} else {
		fmt.Fprintf(&b, "\nfrontend %s\n    mode http\n", h.tag)
		for _, l := range h.options.HTTP {
			fmt.Fprintf(&b, "    bind %s\n", l)
		}
		for _, l := range h.options.HTTPS {
			if len(h.certificates) == 0 {
				break // no door is there
			}
			fmt.Fprintf(&b, "    bind %s ssl crt-list %s strict-sni alpn h2,http/1.1\n", l,
				h.at(h.tag+"_certificates.list"))
		}
		fmt.Fprint(&b, "    timeout client 30s\n    timeout http-request 10s\n"+
			"    timeout http-keep-alive 15s\n")
		if h.options.Log != "" {
			fmt.Fprintf(&b, "    log %s local0 info\n    log-format \"%%[var(txn.up_host)] %%ci [%%t] "+
				"%%{+Q}r %%ST %%[res.hdr(location)]\"\n", h.options.Log)
		}
		b.WriteString(h.frontend())
	}
	b.Write(h.text.Bytes())
	return b.Bytes()
}

// at gives the path of a file on the server.
func (h *haproxy) at(name string) string {
	return strings.TrimSuffix(h.options.Place, "/") + "/" + name
}

// haproxyPaths works out, for every request, the path without dot segments (up_path), in normal
// form (up_key), and the query as it is put behind a target.
const haproxyPaths = `
    # The path as it came; a segment of dots is resolved, as browsers do before they send it.
    http-request set-var(txn.up_path) path
    http-request set-var(txn.up_dots) bool(true) if { path -m reg '/(?:[.]|%%2[Ee]){1,2}(?:/|$)|[\\]' }
    http-request set-var(txn.up_path) 'var(txn.up_path),regsub("[\\\\]","/",g),regsub("(/(?:[.]|%%2[Ee]){1,2})$","\1/"),regsub("/(?:[.]|%%2[Ee])(?=/)","",g)' if { var(txn.up_dots) -m found }
    http-request set-var(txn.up_path) '%[1]s' if { var(txn.up_dots) -m found }
    http-request return status 400 if { var(txn.up_dots) -m found } { var(txn.up_path) -m reg '/(?:[.]|%%2[Ee]){2}(?:/|$)' }
    http-request return status 400 unless { var(txn.up_path) -m beg / }

    # The path in normal form: odd is what has needless escapes such as %%61 for a, or small
    # hexadecimal digits.
    http-request set-var(txn.up_key) var(txn.up_path)
    http-request set-var(txn.up_odd) bool(true) if { var(txn.up_key) -m reg '%%(?![0189A-F][0-9A-F]|2[0-9A-CF]|3[A-F]|[46]0|5[B-E]|7[BCDF])|["<>[\\\]^` + "`" + `{|}]' }
    http-request set-var(txn.up_key) '%[2]s' if { var(txn.up_odd) -m found }
    http-request set-var(txn.up_key) '%[3]s' if { var(txn.up_key) -m reg '%%([a-f][0-9A-Fa-f]|[0-9A-F][a-f])' }
    http-request set-var(txn.up_key) '%[4]s' if { var(txn.up_odd) -m found }

    # The visitor's query: as it came, as it comes behind a path, and behind another query.
    http-request set-var(txn.up_args) query
    http-request set-var(txn.up_query) str(?),concat(,txn.up_args) if { query -m len gt 0 }
    http-request set-var(txn.up_more) str(&),concat(,txn.up_args) if { query -m len gt 0 }
`

// climbs resolves as many ".." in a row as mostClimbs, and those above the root.
func climbs() string {
	const dot = `(?:[.]|%2[Ee])`
	one := `,regsub("/(?!` + dot + `{2}/)[^/]*/` + dot + `{2}(?=/)","",g)`
	return "var(txn.up_path)" + strings.Repeat(one, mostClimbs) +
		`,regsub("^(?:/` + dot + `{2}(?=/))+","")`
}

// normalForm gives the converters that bring a variable of HAProxy into normal form: escapes of
// what needs none are decoded, all others in capitals (RFC 3986 section 6.2.2).
func normalForm(of string) [3]string {
	capitals := of
	for _, c := range "abcdef" {
		upper := strings.ToUpper(string(c))
		capitals += fmt.Sprintf(`,regsub("%%([0-9A-Fa-f])%c","%%\1%s",g)`, c, upper)
	}
	for _, c := range "abcdef" {
		capitals += fmt.Sprintf(`,regsub("%%%c(?=[0-9A-F])","%%%s",g)`, c,
			strings.ToUpper(string(c)))
	}
	// what stays encoded is encoded once more, so that decoding all of it leaves that
	decoded := of + `,regsub("%(?!2[DE]|3[0-9]|4[1-9A-F]|5[0-9AF]|6[1-9A-F]|7[0-9AE])","%25",g),` +
		`regsub("[+]","%2B",g),url_dec`
	for _, c := range []byte("\"<>[]^`{|}") {
		sign := fmt.Sprintf("[%c]", c)
		switch c {
		case '"', '[', ']', '^':
			sign = fmt.Sprintf(`\\x%02x`, c)
		}
		decoded += fmt.Sprintf(`,regsub("%s","%%%02X",g)`, sign, c)
	}
	return [3]string{of + `,regsub("%(?![0-9A-Fa-f]{2})","%25",g)`, capitals,
		decoded + `,regsub("\\x5c","%5C",g)`}
}

// frontend writes which backend answers a request, and what all of them need.
func (h *haproxy) frontend() string {
	var b strings.Builder
	fmt.Fprint(&b, `
    # Which door this is, and who answers there.
    http-request set-var(txn.up_host) 'req.hdr(host),lower,regsub("[.]?(?::[0-9]*)?$","")'
    http-request set-var(txn.up_door) str(http://),concat(,txn.up_host) unless { ssl_fc }
    http-request set-var(txn.up_door) str(https://),concat(,txn.up_host) if { ssl_fc }
`)
	fmt.Fprintf(&b, "    http-request set-var(txn.up_says) var(txn.up_door),map_str(%s)\n",
		h.at(h.tag+"_doors.map"))
	for i, scheme := range []string{"unless", "if"} {
		if h.below[i].Len() > 0 {
			fmt.Fprintf(
				&b,
				"    http-request set-var(txn.up_says) var(txn.up_host),map_end(%s) %s { ssl_fc } "+
					"!{ var(txn.up_says) -m found }\n",
				h.at(h.belowName(i)),
				scheme,
			)
		}
	}
	unknown := "    http-request return status 421 unless { var(txn.up_says) -m found }\n"
	if h.options.Beside {
		unknown = ""
	}
	normal := normalForm("var(txn.up_key)")
	fmt.Fprintf(&b, unknown+haproxyPaths, climbs(), normal[0], normal[1], normal[2])
	for _, line := range h.parts {
		fmt.Fprintf(&b, "    %s\n", line)
	}
	fmt.Fprint(&b, "\n    # What is answered.\n")
	for i, set := range h.sets {
		for _, prefix := range set {
			fmt.Fprintf(&b, "    use_backend %s_exempt if { var(txn.up_says) -m end %q } "+
				"{ var(txn.up_key) -m beg %s }\n", h.tag, fmt.Sprintf("+exempt%d", i+1), haproxyQuote(prefix))
		}
	}
	if len(h.parts) > 0 {
		fmt.Fprint(&b, "    use_backend %[var(txn.up_part)] if { var(txn.up_part) -m found }\n")
	}
	fmt.Fprint(&b, "    use_backend %[var(txn.up_says),field(1,+)]")
	if h.options.Beside {
		fmt.Fprint(&b, " if { var(txn.up_says) -m found }")
	}
	return b.String() + "\n"
}

func (h *haproxy) belowName(i int) string {
	return h.tag + "_below_" + string([]web.Scheme{web.HTTP, web.HTTPS}[i]) + ".map"
}

// exempts reports whether some door has paths that are not redirected.
func (h *haproxy) exempts() bool {
	return slices.ContainsFunc(h.blocks, func(b block) bool { return len(b.Exempt) > 0 })
}

// backends writes a backend for each table, or each constant answer, and the doors that it is for.
func (h *haproxy) backends() {
	byKey := map[string]string{}
	domain := ""
	secure := map[string]string{} // what browsers are told to remember, which https doors do
	ofDomain := map[string]int{}
	for _, b := range h.blocks {
		if answers := h.answers(b); b.Scheme == web.HTTPS && secure[answers] == "" {
			secure[answers] = b.HSTS
		}
	}
	for _, b := range h.blocks {
		key := h.answers(b)
		if b.Scheme == web.HTTP {
			b.HSTS = secure[key]
		}
		key += b.HSTS
		name, known := byKey[key]
		if !known {
			name = "up_" + b.Domain.Name.String()
			if ofDomain[name]++; ofDomain[name] > 1 {
				name = fmt.Sprintf("%s_%d", name, ofDomain[name])
			}
			byKey[key] = name
			if of := b.Domain.Name.Unicode(); of != domain {
				domain = of
				fmt.Fprintf(&h.text, "\n# %s\n", commentSafe(of))
			}
			h.backend(name, b)
		}
		h.told(b, name)
		of := b.Domain.Name.String()
		at := fmt.Sprintf("%s/%s.pem\n", strings.TrimSuffix(h.options.Certificates, "/"), of)
		if b.Scheme == web.HTTPS && !slices.Contains(h.certificates, at) {
			h.certificates = append(h.certificates, at)
		}
	}
	if h.exempts() {
		fmt.Fprintf(
			&h.text,
			"\n# Paths that are never redirected: who renews certificates answers them.\n"+
				"backend %s_exempt\n    mode http\n",
			h.tag,
		)
		if h.options.Challenges == "" {
			fmt.Fprint(&h.text, "    http-request return status 404\n")
		} else {
			fmt.Fprintf(&h.text, "    timeout connect 5s\n    timeout server 30s\n    server own %s\n",
				h.options.Challenges)
		}
	}
	own := []File{{h.tag + "_doors.map", h.doors.Bytes()}}
	if len(h.certificates) > 0 {
		own = append(own, File{h.tag + "_certificates.list", []byte(strings.Join(h.certificates, ""))})
	}
	h.files = append(own, h.files...)
	for i := range h.below {
		if h.below[i].Len() > 0 {
			h.files = append(h.files, File{h.belowName(i), h.below[i].Bytes()})
		}
	}
}

// answers tells apart what blocks answer, whatever browsers are to remember.
func (h *haproxy) answers(b block) string {
	if b.table != nil {
		return fmt.Sprint("table", b.table.number, "\n")
	}
	return fmt.Sprint(h.constant(b.Treatment), b.Status, "\n")
}

// told notes that a backend answers for the doors of a block.
func (h *haproxy) told(b block, name string) {
	if len(b.Exempt) > 0 {
		at := slices.IndexFunc(h.sets, func(s []string) bool { return slices.Equal(s, b.Exempt) })
		if at < 0 {
			at, h.sets = len(h.sets), append(h.sets, b.Exempt)
		}
		name += fmt.Sprintf("+exempt%d", at+1)
	}
	for _, host := range b.names {
		if below, star := strings.CutPrefix(host, "*"); star {
			i := 0
			if b.Scheme == web.HTTPS {
				i = 1
			}
			fmt.Fprintf(&h.below[i], "%s %s\n", below, name)
			continue
		}
		fmt.Fprintf(&h.doors, "%s://%s %s\n", b.Scheme, host, name)
	}
}

// constant writes where a door leads that asks no rule: to the same path elsewhere.
func (h *haproxy) constant(d predict.Treatment) string {
	to := web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}
	if d.Does == predict.ToSite {
		to = d.Canonical
	}
	path, query := "%[var(txn.up_path)]", "%[var(txn.up_query)]"
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	return "'" + haproxyText(to.String()) + path + query + "'"
}

func (h *haproxy) backend(name string, b block) {
	if b.table == nil {
		h.begins(name, b)
		fmt.Fprintf(&h.text, "    http-request redirect code %d location %s\n", b.Status,
			h.constant(b.Treatment))
		return
	}
	c := haproxyTable{haproxy: h, table: b.table, name: name}
	c.write(b)
}

// begins writes with what a backend begins.
func (h *haproxy) begins(name string, b block) {
	w := &h.text
	fmt.Fprintf(w, "\nbackend %s\n    mode http\n", name)
	if b.HSTS != "" {
		fmt.Fprintf(w, "    http-after-response set-header Strict-Transport-Security '%s' "+
			"if { ssl_fc }\n", haproxyText(b.HSTS))
	}
	if b.Remember != "" {
		fmt.Fprintf(w, "    http-after-response set-header Cache-Control '%s' if { status 301 308 }\n",
			haproxyText(b.Remember))
	}
}

// haproxyTable writes the backend of a table.
type haproxyTable struct {
	*haproxy
	*table
	name     string
	lines    bytes.Buffer
	answers  []answer
	gone     bool        // some rule says so
	stripped [][2]string // ways to take keys from a query, and the keys
}

// answer is a way in which a target is put together, named in front of it.
type answer struct {
	name string
	line string // of the backend
}

// mostTried is how many patterns of a table a path meets before they are parted by how they begin.
const mostTried = 12

func (c *haproxyTable) line(format string, args ...any) {
	fmt.Fprintf(&c.lines, "    "+format+"\n", args...)
}

const notYet = " !{ var(txn.up_to) -m found }"

// taken gives the lines that were written since it was called last.
func (c *haproxyTable) taken() string {
	text := c.lines.String()
	c.lines.Reset()
	return text
}

func (c *haproxyTable) write(b block) {
	d := c.door
	if d.DropsPath {
		c.line("http-request set-var(txn.up_path) str(/)")
		c.line("http-request set-var(txn.up_key) str(/)")
		c.line("http-request unset-var(txn.up_odd)")
	}
	if d.DropsQuery {
		for _, v := range []string{"args", "query", "more"} {
			c.line("http-request set-var(txn.up_%s) str()", v)
		}
	}
	key := "var(txn.up_key)"
	if d.Paths.IgnoreCase {
		key += ",lower"
	}
	asked := c.parameters(key, c.asking)
	c.tried("asked", key, asked)
	c.whole(key)
	head := c.taken()
	parts := c.parted(c.patterns)
	texts := make([]string, len(parts.tables))
	for i, own := range parts.tables {
		name := "patterns"
		if len(parts.tables) > 1 {
			name = fmt.Sprintf("patterns%d", i+1)
		}
		if len(own) > 0 {
			c.triedIn(name, own, "")
		}
		texts[i] = c.taken()
	}
	if c.gone {
		c.line("http-request return status 410 if { var(txn.up_to) -m str 410 }")
	}
	for _, a := range c.answers {
		c.line("%s if { var(txn.up_to) -m beg %q }", a.line, a.name+" ")
	}
	c.otherwise()
	tail := c.taken()
	if len(parts.begins) == 0 {
		c.haproxy.begins(c.name, b)
		c.text.WriteString(head + strings.Join(texts, "") + tail)
		return
	}
	// a backend for each way in which paths begin: HAProxy finds it at once, and jumps nowhere
	var lines []string
	sections := map[string]string{}
	for _, begin := range parts.begins {
		chain := joinNumbers(begin.tables)
		name, known := sections[chain]
		if !known {
			name = fmt.Sprintf("%s_part%d", c.name, len(sections)+1)
			sections[chain] = name
			c.haproxy.begins(name, b)
			c.text.WriteString(head)
			for _, n := range begin.tables {
				c.text.WriteString(texts[n-1])
			}
			c.text.WriteString(tail)
		}
		lines = append(lines, fmt.Sprintf("%s %s\n", begin.prefix, name))
	}
	c.parts = append(c.parts, fmt.Sprintf("http-request set-var(txn.up_part) %s,map_beg(%s) "+
		"if { var(txn.up_says),field(1,+) -m str %s }", key, c.add("begin", lines), c.name))
}

// table adds a file, and gives its path on the server.
func (c *haproxyTable) add(name string, lines []string) string {
	name = c.name + "_" + name + ".map"
	c.files = append(c.files, File{name, []byte(strings.Join(lines, ""))})
	return c.at(name)
}

// whole writes the table of whole paths.
func (c *haproxyTable) whole(key string) {
	if len(c.exact) == 0 {
		return
	}
	lines := make([]string, len(c.exact))
	for i, e := range c.exact {
		lines[i] = fmt.Sprintf("%s %s\n", e.path, c.leadsTo(e.rule, nil))
	}
	c.line("http-request set-var(txn.up_to) %s,map_str(%s)%s", key, c.add("paths", lines), c.unless())
}

// unless is the condition that nothing was found before; "" where nothing can have been.
func (c *haproxyTable) unless() string {
	if len(c.asking) == 0 {
		return ""
	}
	return " if" + notYet
}

// mostParameters is how many parameters of a query are looked up.
const mostParameters = 4

// parameters writes the tables of paths of which one parameter says where they lead, such as ?id=7,
// and gives the other rules that ask for the query.
func (c *haproxyTable) parameters(key string, asking []rule.Entry) (others []rule.Entry) {
	single := func(r *rule.Rule) bool {
		if len(r.Old.Query) != 1 {
			return false
		}
		p := r.Old.Query[0].Parts
		return len(p) == 0 || len(p) == 1 && !p[0].IsCapture()
	}
	// of a path, only where all rules ask for the same parameter
	of := map[string]string{}
	for _, e := range asking {
		for _, v := range c.door.Paths.Variants(e.Rule.Old.Parts) {
			path, asks := v.Parts[0].Literal, ""
			if single(e.Rule) {
				asks = e.Rule.Old.Query[0].Key
			}
			if before, known := of[path]; known && before != asks {
				asks = ""
			}
			of[path] = asks
		}
	}
	var names []string
	tables, taken := map[string][]string{}, map[string]bool{}
	for _, e := range asking {
		variants := c.door.Paths.Variants(e.Rule.Old.Parts)
		looked := true
		for _, v := range variants {
			looked = looked && of[v.Parts[0].Literal] != "" && !strings.Contains(v.Parts[0].Literal, " ")
		}
		if looked {
			name := e.Rule.Old.Query[0].Key
			if !slices.Contains(names, name) {
				looked = len(names) < mostParameters
				if looked {
					names = append(names, name)
				}
			}
		}
		if !looked {
			others = append(others, e)
			continue
		}
		asks := e.Rule.Old.Query[0]
		value := ""
		if len(asks.Parts) > 0 {
			value = asks.Parts[0].Literal
		}
		for _, v := range variants {
			k := v.Parts[0].Literal + "?" + value
			if !taken[asks.Key+k] {
				taken[asks.Key+k] = true
				tables[asks.Key] = append(tables[asks.Key], fmt.Sprintf("%s %s\n", k, c.leadsTo(e.Rule, nil)))
			}
		}
	}
	for i, name := range names {
		c.parameter(i, name, key, tables[name])
	}
	return others
}

// parameter writes how the first value of a parameter is looked up.
func (c *haproxyTable) parameter(i int, name, key string, table []string) {
	spelled := literalRegexp(name)
	c.line("# The first value of %s.", commentSafe(name))
	if i > 0 {
		c.line("http-request unset-var(txn.up_value)")
	}
	c.line(
		`http-request set-var(txn.up_value) 'var(txn.up_more),regsub("^(?:&(?!%[1]s(?:[=&]|$))[^&]*+)*+&`+
			`%[1]s(?:=([^&]*))?(?:&.*)?$","\1")' if { var(txn.up_more) -m reg '&%[2]s(?:[=&]|$)' }`,
		haproxyInside(spelled),
		spelled,
	)
	for _, n := range normalForm("var(txn.up_value)") {
		c.line("http-request set-var(txn.up_value) '%s' if { var(txn.up_value) -m reg '%s' }", n,
			"[^!$&-;=?@-Z_a-z~]")
	}
	c.line("http-request set-var(txn.up_to) %s,concat(?,txn.up_value),map_str(%s) "+
		"if { var(txn.up_value) -m found }%s", key,
		c.add(fmt.Sprintf("parameter%d", i+1), table), notYet)
}

// parted parts patterns by how paths begin.
func (c *haproxyTable) parted(entries []rule.Entry) parted {
	if c.door.DropsPath { // every path is the root
		return parted{tables: [][]rule.Entry{entries}}
	}
	return partsOf(entries, mostTried, func(r *rule.Rule) string {
		heads := headsOf(r, c.door.Paths, false)
		common := heads[0].text
		for _, h := range heads[1:] {
			common = commonPrefix(common, h.text)
		}
		return common
	})
}

// tried writes the tables of patterns, parted by how paths begin.
func (c *haproxyTable) tried(called, key string, entries []rule.Entry) {
	if len(entries) == 0 {
		return
	}
	parts := c.parted(entries)
	if len(parts.tables) > 1 {
		lines := make([]string, len(parts.begins))
		for i, b := range parts.begins {
			lines[i] = fmt.Sprintf("%s ,%s,\n", b.prefix, joinNumbers(b.tables))
		}
		c.line("http-request set-var(txn.up_begins) %s,map_beg(%s)", key, c.add(called+"_begin", lines))
	}
	for i, own := range parts.tables {
		if len(own) == 0 {
			continue
		}
		begins, name := "", called
		if len(parts.tables) > 1 {
			begins, name = fmt.Sprintf(` { var(txn.up_begins) -m sub ",%d," }`, i+1),
				fmt.Sprintf("%s%d", called, i+1)
		}
		c.triedIn(name, own, begins)
	}
}

// triedIn writes one table of patterns, and where captures stand in a target a second one for odd
// paths.
func (c *haproxyTable) triedIn(name string, own []rule.Entry, begins string) {
	asks := slices.ContainsFunc(own, func(e rule.Entry) bool { return len(e.Rule.Old.Query) > 0 })
	captures := slices.ContainsFunc(own, func(e rule.Entry) bool { return capturesPath(e.Rule) })
	end := ""
	if asks {
		end = ",concat(?,txn.up_args)"
	}
	odd := ""
	if captures {
		odd = " { var(txn.up_odd) -m found }"
	}
	plain, spelled := c.expressions(own, asks, normalSpelling), c.expressions(own, asks,
		oddly(c.door.Paths))
	if slices.Equal(plain, spelled) { // such as /{+rest}
		c.line("http-request set-var(txn.up_to) var(txn.up_path)%s,map_regm(%s) if%s%s", end,
			c.add(name, plain), begins, notYet)
		return
	}
	c.line("http-request set-var(txn.up_to) var(txn.up_key)%s,map_regm(%s) if%s%s%s", end,
		c.add(name, plain), begins, strings.Replace(odd, "{", "!{", 1), notYet)
	if captures {
		c.line("http-request set-var(txn.up_to) var(txn.up_path)%s,map_regm(%s) if%s%s%s", end,
			c.add(name+"_odd", spelled), begins, odd, notYet)
	}
}

// capturesPath reports whether a part of the path stands in a target.
func capturesPath(r *rule.Rule) bool {
	return slices.ContainsFunc(slices.Concat(r.New.Host, r.New.Parts, r.New.Query),
		func(p rule.Part) bool {
			return p.IsCapture() && slices.ContainsFunc(r.Old.Parts, func(o rule.Part) bool {
				return o.Name == p.Name
			})
		})
}

var namedGroup = regexp.MustCompile(`\(\?<up_c(\d+)>`)

// expressions writes patterns as lines of a table.
func (c *haproxyTable) expressions(own []rule.Entry, asks bool, as spelling) []string {
	var lines []string
	mode := c.door.Paths
	sign, minds := "^", ""
	if mode.IgnoreCase {
		sign, minds = "(?i)^", "(?-i)" // the case of a query counts
	}
	for _, e := range own {
		r := e.Rule
		lines = append(lines, fmt.Sprintf("# line %s: %s\n", c.linesOf(r), commentSafe(r.Old.String())))
		for _, v := range mode.Variants(r.Old.Parts) {
			end := "$"
			if asks {
				end = `\?` + minds + conditionsRegexp(r)
			}
			text := sign + notRegexp(v, as) + variantRegexp(r, v.Parts, as) + end
			groups := map[int]int{}
			for i, m := range namedGroup.FindAllStringSubmatch(text, -1) {
				number, _ := strconv.Atoi(m[1]) // digits, of at most nine
				groups[number] = i + 1
			}
			lines = append(lines, fmt.Sprintf("%s %s\n", namedGroup.ReplaceAllString(text, "("),
				c.leadsTo(r, groups)))
		}
	}
	return lines
}

// leadsTo writes what stands in a table for a rule. groups gives the number of the group of a
// capture in its expression; nil where what stands in the table is no expression.
func (c *haproxyTable) leadsTo(r *rule.Rule, groups map[int]int) string {
	if r.Status == rule.Gone {
		c.gone = true
		return strconv.Itoa(rule.Gone)
	}
	door := r.New.Door
	if door.IsZero() {
		door = c.door.Canonical
	}
	t := haproxyTarget{r: r, groups: groups}
	if len(r.New.Host) > 0 {
		t.literal(string(r.New.Scheme) + "://")
		t.parts(r.New.Host, sameComponent, true)
	} else {
		t.literal(door.String())
	}
	t.parts(r.New.Parts, intoPath, false)
	if len(r.New.Query) > 0 {
		t.literal("?")
		t.parts(r.New.Query, intoQuery, false)
	}
	var own strings.Builder
	for _, p := range r.New.Query {
		if !p.IsCapture() {
			own.WriteString(p.Literal)
		} else {
			own.WriteString("{}")
		}
	}
	drops := r.DropQuery || c.door.DropsQuery
	name, query := c.query(own.String(), drops, keysOf(r))
	fields := t.fields
	if r.New.Fragment != "" {
		name += ",frag"
		query += fmt.Sprintf(`#%%[var(txn.up_to),field(%d," ")]`, len(fields)+2)
		fields = append(slices.Clone(fields), haproxyField{"", t.escape(cleanTarget(r.New.Fragment))})
	}
	status := statusOn(r, c.door)
	name = strconv.Itoa(status) + name
	location, texts := "", make([]string, len(fields))
	for i, f := range fields {
		texts[i] = f.text
		if i < len(t.fields) {
			if len(t.fields) > 1 || f.kind != "" {
				name += "," + cmp.Or(f.kind, "as")
			}
			location += fmt.Sprintf(`%%[var(txn.up_to),field(%d," ")%s]`, i+2, haproxyKinds[f.kind])
		}
	}
	if !slices.ContainsFunc(c.answers, func(a answer) bool { return a.name == name }) {
		c.answers = append(c.answers, answer{name,
			fmt.Sprintf("http-request redirect code %d location '%s%s'", status, location, query)})
	}
	return name + " " + strings.Join(texts, " ")
}

// haproxyKinds are what is done to a field of a target before it is written.
var haproxyKinds = map[string]string{
	"host":  `,lower`,
	"path":  `,regsub("[+]","%20",g),regsub("[?]","%3F",g),regsub("\\x5c","%5C",g)`,
	"query": `,regsub("&","%26",g),regsub("=","%3D",g),regsub("[+]","%2B",g)`,
}

type haproxyField struct{ kind, text string }

// haproxyTarget takes a target apart into fields that are written alike.
type haproxyTarget struct {
	r      *rule.Rule
	groups map[int]int
	fields []haproxyField
}

// escape writes a text in a table, as it is or in what comes for an expression.
func (t *haproxyTarget) escape(s string) string {
	if t.groups == nil {
		return s
	}
	return strings.ReplaceAll(s, `\`, `\\`)
}

func (t *haproxyTarget) literal(s string) { t.add("", t.escape(cleanTarget(s))) }

func (t *haproxyTarget) add(kind, text string) {
	if n := len(t.fields); n > 0 && t.fields[n-1].kind == kind {
		t.fields[n-1].text += text
		return
	}
	t.fields = append(t.fields, haproxyField{kind, text})
}

func (t *haproxyTarget) parts(parts []rule.Part, into component, host bool) {
	for _, p := range parts {
		if !p.IsCapture() {
			t.literal(p.Literal)
			continue
		}
		kind := ""
		if host {
			kind = "host"
		} else if m := movesInto(t.r, p.Name, into); m != sameComponent {
			kind = m.String()
		}
		t.add(kind, fmt.Sprintf(`\%d`, t.groups[captureNumber(t.r.Old, p.Name)]))
	}
}

// query names what comes behind a target of the visitor's query, and writes it.
func (c *haproxyTable) query(own string, drops bool, used []string) (name, text string) {
	switch {
	case drops:
		return ",drop", ""
	case own == "" && len(used) == 0:
		return "", "%[var(txn.up_query)]"
	}
	set := keysRegexp(own, used)
	text = fmt.Sprintf(`%%[var(txn.up_more),regsub("&(?:%s)(?:=[^&]*)?(?=&|$)","",g),regsub("^&$","")`,
		haproxyInside(set))
	name = ",own"
	if own == "" {
		name, text = ",used", text+`,regsub("^&","?")`
	}
	// one that has the same name and another line is another one
	for i := 1; ; i++ {
		at := slices.IndexFunc(c.stripped, func(s [2]string) bool { return s[0] == name+strconv.Itoa(i) })
		switch {
		case at < 0:
			c.stripped = append(c.stripped, [2]string{name + strconv.Itoa(i), set})
		case c.stripped[at][1] != set:
			continue
		}
		return name + strconv.Itoa(i), text + "]"
	}
}

// otherwise writes what is answered where no rule takes a path.
func (c *haproxyTable) otherwise() {
	d := c.door
	base := haproxyText(d.Home.Door().String())
	query := c.homeQuery()
	home := base + haproxyText(d.Home.Path()) + query
	if c.rootDiffers() {
		var roots []string
		for _, v := range d.Paths.Variants([]rule.Part{{Literal: "/"}}) {
			roots = append(roots, haproxyQuote(v.Parts[0].Literal))
		}
		anyCase := ""
		if d.Paths.IgnoreCase {
			anyCase = " -i"
		}
		c.line("http-request redirect code %d location '%s' if { var(txn.up_key) -m str%s %s }", d.Status,
			home, anyCase, strings.Join(roots, " "))
	}
	switch {
	case d.Fallback == estate.Gone && !d.DropsPath:
		c.line("http-request return status %d", rule.Gone)
	case d.Fallback == estate.SamePath && !d.DropsPath:
		c.line("http-request redirect code %d location '%s%s%%[var(txn.up_path)]%s'", d.Status, base,
			haproxyText(strings.TrimSuffix(d.Home.Path(), "/")), query)
	default:
		c.line("http-request redirect code %d location '%s'", d.Status, home)
	}
}

// homeQuery is what comes behind the site's home.
func (c *haproxyTable) homeQuery() string {
	own := c.door.Home.Query()
	_, rest := c.query(own, c.door.DropsQuery, nil)
	if own != "" {
		return haproxyText("?"+own) + rest
	}
	return rest
}

func joinNumbers(all []int) string {
	texts := make([]string, len(all))
	for i, n := range all {
		texts[i] = strconv.Itoa(n)
	}
	return strings.Join(texts, ",")
}

// haproxyQuote writes a text as a word of HAProxy's configuration, or a part of one.
func haproxyQuote(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }

// haproxyText writes a text for the inside of quotes, where HAProxy looks for what has to be filled
// in.
func haproxyText(s string) string {
	return strings.NewReplacer("%", "%%", "'", `'\''`).Replace(s)
}

// haproxyInside writes an expression for the inside of an argument in quotes, within quotes.
func haproxyInside(expression string) string {
	return strings.NewReplacer(`\`, `\\`, `"`, `\"`, "'", `\\x27`).Replace(expression)
}

// addressOf reads ADDRESS:PORT.
func addressOf(s string) error {
	host, port, err := net.SplitHostPort(s)
	if err == nil {
		_, err = netip.ParseAddrPort(net.JoinHostPort("127.0.0.1", port))
	}
	if err != nil || host == "" || strings.ContainsAny(host, " \t\"'\\$#,") {
		return fmt.Errorf("%q: expected ADDRESS:PORT, such as 127.0.0.1:8008", s)
	}
	return nil
}
