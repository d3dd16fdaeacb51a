package servers

import (
	"bytes"
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// htaccess is the form for a shared host where nothing else may be changed.
const htaccess = "htaccess"

var apacheOptions = Options{HTTP: []string{"*:80"}, HTTPS: []string{"*:443"},
	Certificates: "/etc/apache2/upperpath/certificates", Challenges: "/var/www/upperpath-challenges",
	Place: "/etc/apache2/upperpath"}

var apacheWriter = add(Writer{
	Name:  "apache",
	Title: "Apache 2.4.60 or newer",
	About: `It makes one file for the server, with one virtual host for all doors that answer alike.
Exact rules are looked up in a RewriteMap (a text file beside it; a larger one as DBM), patterns by
how their paths begin.`,
	Comment: "# ",
	Options: apacheOptions,
	Forms: []Form{
		{
			htaccess,
			"write one .htaccess for a shared host where nothing else may be changed; other hosts there " +
				"are left alone",
			[]string{"listen", "certificates", "challenges", "place", "beside", "log"},
		},
	},
	Checker: apacheChecker,
	bars:    []string{"${"},
	write:   writeApache,
})

var apacheChecker = Checker{
	Names:   []string{"apache2", "httpd"},
	Called:  "apachectl configtest",
	Oldest:  [3]int{2, 4, 60},
	version: []string{"-v"},
	main: func(_, folder, file, form string) (string, []string, bool) {
		modules := ""
		for _, dir := range []string{
			"/usr/lib/apache2/modules", "/usr/lib64/httpd/modules", "/usr/lib/httpd/modules",
			"/usr/libexec/apache2",
			"/usr/local/libexec/apache24", "/usr/local/apache2/modules",
		} {
			if _, err := os.Stat(filepath.Join(dir, "mod_rewrite.so")); err == nil {
				modules = dir
			}
		}
		if modules == "" {
			return "", nil, false
		}
		var text strings.Builder
		for _, m := range []string{"mpm_event", "unixd", "authz_core", "alias", "rewrite", "headers",
			"socache_shmcb", "ssl"} {
			if _, err := os.Stat(filepath.Join(modules, "mod_"+m+".so")); err == nil { // some are built in
				fmt.Fprintf(&text, "<IfModule !%[1]s_module>\nLoadModule %[1]s_module %[2]s/mod_%[1]s.so\n"+
					"</IfModule>\n", m, modules)
			}
		}
		fmt.Fprintf(&text, "ServerRoot \"%[1]s\"\nServerName check.invalid\nPidFile \"%[1]s/pid\"\n"+
			"ErrorLog \"%[1]s/error.log\"\nMutex \"file:%[1]s\" default\n", folder)
		include := fmt.Sprintf("Include \"%s/%s\"\n", folder, file)
		if form == htaccess {
			include = fmt.Sprintf("<Directory \"%s/pages\">\n%s</Directory>\n", folder, include)
		}
		text.WriteString(include)
		return text.String(), []string{"-t", "-f", filepath.Join(folder, "main.conf")}, true
	},
	serve: func(text string, args []string) (string, []string) {
		if os.Geteuid() == 0 { // as root it serves nobody
			text += "User \"#65534\"\nGroup \"#65534\"\n"
		}
		return text, append([]string{"-D", "FOREGROUND"}, args[1:]...)
	},
}

func writeApache(doors predictedDoors, o Options) (Output, error) {
	a := apacheText{options: o, tag: tagOf(doors), strips: map[string]int{}}
	a.blocks, a.tables = blocksOf(doors, a.sort)
	if o.Form == htaccess {
		steps := []string{"put it into the folder from which the account serves these hosts",
			"ask for one URL of each host"}
		return Output{
			Files:    []File{{".htaccess", a.folderFile()}},
			Findings: a.findings,
			Doors:    len(doors),
			Steps:    steps,
			Undo:     []string{"put the file before it back (.htaccess.before), or remove it", remembered},
		}, nil
	}
	files := []File{{"apache.conf", a.serverFile()}}
	steps := []string{"put the certificates where its first lines say: a file DOMAIN.crt and " +
		"DOMAIN.key for each domain",
		"copy it and the files beside it to " + o.Place +
			", and include it in the server's configuration"}
	files = append(files, a.bodies...)
	for _, t := range a.tables {
		if len(t.exact) == 0 {
			continue
		}
		files = append(files, File{a.mapName(t) + ".txt", a.mapFile(t)})
		if t.isLarge() {
			steps = append(steps,
				fmt.Sprintf("there, after every change: httxt2dbm -i %[1]s.txt -o %[1]s.dbm", a.mapName(t)))
		}
	}
	steps = append(steps, "apachectl configtest, then apachectl graceful (modules rewrite and ssl)")
	undo := []string{"remove the Include line, or put the files before them back (those with .before)",
		"apachectl configtest, then apachectl graceful", remembered}
	return Output{Files: files, Findings: a.findings, Doors: len(doors), Steps: steps, Undo: undo}, nil
}

type apacheText struct {
	options  Options
	tag      string // in the names of tables
	blocks   []block
	tables   []*table
	strips   map[string]int
	bodies   []File   // what virtual hosts answer
	order    []string // the sets of keys that are taken from a query, as expressions
	findings []finding.Finding
}

// mostInText is how many whole paths are looked up in a text file, which Apache reads from its
// start; above it a DBM file is read instead.
const mostInText = 200

// mostInPair is how long a path with its target may be in a DBM file, in octets.
const mostInPair = 900

// mapName names a table, by the estate too, since two estates may write for one server.
func (a *apacheText) mapName(t *table) string { return fmt.Sprintf("up%s_%d", a.tag, t.number) }
func (t *table) isLarge() bool                { return len(t.exact) > mostInText }

// sort parts the rules of a table into those that are looked up and those that are tried.
func (a *apacheText) sort(t *table, entries []rule.Entry) {
	folder := a.options.Form == htaccess
	refuse := func(r *rule.Rule, why string) {
		a.findings = append(a.findings, beyond("Apache", r.Place(), r.Old.String(), why, r.Line))
	}
	bars := func(r *rule.Rule, _ bool) string { return apacheBars(r, folder) }
	t.sortOut(entries, false, bars, refuse)
	// What a table cannot hold, or where something comes behind the query, is tried one by one, before
	// the patterns. So is in a folder's file, where slashes are joined, what has two of them.
	odd := func(e exactRule) bool {
		path, _ := e.rule.Old.Exact()
		return strings.Contains(e.path, "%") || e.rule.New.Fragment != "" ||
			len(path)+len(e.rule.New.String()) > mostInPair
	}
	if folder {
		odd = func(e exactRule) bool { return strings.Contains(e.path, "//") }
	}
	tried := map[*rule.Rule]bool{}
	t.exact = slices.DeleteFunc(t.exact, func(e exactRule) bool {
		if odd(e) {
			tried[e.rule] = true
		}
		return odd(e)
	})
	var first []rule.Entry
	for _, e := range entries {
		if tried[e.Rule] {
			first = append(first, e)
		}
	}
	t.patterns = append(first, t.patterns...)
}

// apacheBars says why Apache cannot hold a rule, "" where it can.
func apacheBars(r *rule.Rule, folder bool) string {
	for _, p := range r.Old.Parts {
		switch {
		case strings.Contains(p.Literal, "%00"):
			return "Apache refuses every path with %00"
		case folder && strings.Contains(p.Literal, "%2F"):
			return "Apache itself answers every path with %2F, unless its own configuration allows them"
		}
	}
	if len(r.Old.Captures()) > 9 {
		return "it has more captures than the nine that Apache supports"
	}
	return ""
}

// section is directives of mod_rewrite, and how many rules are among them: what is skipped is
// counted in rules.
type section struct {
	text  bytes.Buffer
	rules int
}

func (s *section) comment(format string, args ...any) {
	fmt.Fprintf(&s.text, "    # %s\n", commentSafe(fmt.Sprintf(format, args...)))
}

// rule adds a rule behind its conditions.
func (s *section) rule(pattern, to, flags string, conditions ...string) {
	for _, c := range conditions {
		fmt.Fprintf(&s.text, "    RewriteCond %s\n", c)
	}
	fmt.Fprintf(&s.text, "    RewriteRule %s %s [%s]\n", pattern, to, flags)
	s.rules++
}

// add adds another section.
func (s *section) add(o *section) {
	s.text.Write(o.text.Bytes())
	s.rules += o.rules
}

// unless adds a section that is skipped where conditions hold.
func (s *section) unless(o *section, conditions ...string) {
	if o.rules > 0 {
		s.rule("^", "-", fmt.Sprintf("S=%d", o.rules), conditions...)
		s.add(o)
	}
}

const apacheHead = `# Redirects for Apache (2.4.60 or newer, with mod_rewrite and mod_ssl), to be included in the server's configuration:
#
#     Include %s
#
# Certificates: for each domain DOMAIN.crt (with its intermediates) and DOMAIN.key in
#     %s
# Paths that are never redirected over http are answered from
#     %s
#
# How a request is answered: the rules of a domain stand in up_DOMAIN.conf beside this file, which
# the virtual hosts of http and https include. Paths of plain octets are read as Apache itself
# reads them, all others as they came, with every octet spelled out. Whole paths are looked up in
# a table (up...txt beside this file: path, line of rules.csv, status, target). Patterns are
# tried, those that begin otherwise skipped; each stands below its rule.
`

const apacheRefusals = `#
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %7E is ~, but %2F is not /. Refused with 400, or
# with 404 by Apache itself: a % that starts no escape, %00, octets outside ASCII, and dot segments that lead above the
# root or stand beside escapes or empty segments; browsers send none of these. A key of the query that a target sets
# itself is taken from the visitor's up to three times; an & at the end of a query may be taken away by Apache itself.
`

const apacheYours = `# Lines of your own for these hosts stand in own/*.conf beside this file, which this program
# never writes. TLS versions are Apache's own; others are asked for beside the Include:
#     SSLProtocol -all +TLSv1.2 +TLSv1.3
# HTTP/2 is on where mod_http2 is loaded; Apache has no HTTP/3.
`

// serverFile writes the virtual hosts.
func (a *apacheText) serverFile() []byte {
	var b bytes.Buffer
	place := strings.TrimSuffix(a.options.Place, "/") + "/apache.conf"
	fmt.Fprintf(&b, apacheHead, commentSafe(place), commentSafe(a.options.Certificates),
		commentSafe(a.options.Challenges))
	fmt.Fprint(&b, apacheRefusals)
	fmt.Fprint(&b, apacheYours)
	if !a.options.Beside {
		fmt.Fprint(&b, "# A host that is not here gets 421, and over TLS the first certificate of this "+
			"file before it.\n")
	}
	if a.options.Beside {
		fmt.Fprint(&b, "# Another file has the server listen, and answers hosts that are not here: it "+
			"has to be included before.\n")
	} else if !slices.Equal(a.options.HTTP, apacheOptions.HTTP) ||
		!slices.Equal(a.options.HTTPS, apacheOptions.HTTPS) {
		fmt.Fprint(&b, "\n")
		for _, l := range slices.Concat(a.options.HTTP, a.options.HTTPS) {
			fmt.Fprintf(&b, "Listen %s\n", l)
		}
	}
	fmt.Fprintf(
		&b,
		"\n<Directory %s>\n    AllowOverride None\n    Options None\n    Require all granted\n"+
			"</Directory>\n",
		apacheQuote(directoryPattern(a.options.Challenges)),
	)
	if !a.options.Beside {
		a.unknownHosts(&b)
	}
	domain := ""
	blocks := slices.Clone(a.blocks)
	slices.SortStableFunc(blocks, func(x, y block) int { // the first that fits takes a name
		return cmp.Compare(wild(x.names), wild(y.names))
	})
	for _, k := range blocks {
		if name := k.Domain.Name.Unicode(); name != domain {
			domain = name
			fmt.Fprintf(&b, "\n# %s\n", commentSafe(name))
		}
		a.virtualHost(&b, k)
	}
	return b.Bytes()
}

func (a *apacheText) unknownHosts(b *bytes.Buffer) {
	fmt.Fprint(b, "\n# Hosts that are not here.\n")
	for _, l := range a.options.HTTP {
		fmt.Fprintf(
			b,
			"<VirtualHost %s>\n    ServerName unknown.invalid\n    RewriteEngine on\n"+
				"    RewriteRule ^ - [R=421,L]\n"+
				"</VirtualHost>\n",
			l,
		)
	}
	i := slices.IndexFunc(a.blocks, func(k block) bool { return k.Scheme == web.HTTPS })
	if i < 0 {
		return
	}
	for _, l := range a.options.HTTPS {
		fmt.Fprintf(
			b,
			"<VirtualHost %s>\n    ServerName unknown.invalid\n%s    RewriteEngine on\n"+
				"    RewriteRule ^ - [R=421,L]\n"+
				"</VirtualHost>\n",
			l,
			a.certificate(a.blocks[i]),
		)
	}
}

// wild gives 1 where names hold a wildcard, else 0.
func wild(names []string) int {
	if slices.ContainsFunc(names, func(n string) bool { return strings.HasPrefix(n, "*.") }) {
		return 1
	}
	return 0
}

func (a *apacheText) certificate(k block) string {
	at := strings.TrimSuffix(a.options.Certificates, "/") + "/" + k.Domain.Name.String()
	return fmt.Sprintf(
		"    SSLEngine on\n    SSLCertificateFile    %s\n    SSLCertificateKeyFile %s\n",
		apacheQuote(at+".crt"),
		apacheQuote(at+".key"),
	)
}

// permanentAnswers is the condition that an answer is a permanent redirect.
const permanentAnswers = `"expr=%{REQUEST_STATUS} -in {'301','308'}"`

func (a *apacheText) virtualHost(b *bytes.Buffer, k block) {
	listens := a.options.HTTP
	if k.Scheme == web.HTTPS {
		listens = a.options.HTTPS
	}
	names := k.names
	if below, star := strings.CutPrefix(names[0], "*."); star { // a wildcard can only be an alias
		names = append([]string{"any-other-name." + below}, names...)
	}
	fmt.Fprintf(b, "<VirtualHost %s>\n    ServerName %s\n", strings.Join(listens, " "), names[0])
	if len(names) > 1 {
		fmt.Fprintf(b, "    ServerAlias %s\n", strings.Join(names[1:], " "))
	}
	if k.Scheme == web.HTTPS {
		fmt.Fprint(b, a.certificate(k))
	}
	fmt.Fprintf(b, "    Include %s\n", a.beside(a.every()))
	if k.HSTS != "" {
		fmt.Fprintf(b, "    Header always set Strict-Transport-Security %s\n", apacheQuote(k.HSTS))
	}
	if k.Remember != "" {
		fmt.Fprintf(b, "    Header always set Cache-Control %s %s\n", apacheQuote(k.Remember),
			permanentAnswers)
	}
	if t := k.table; t != nil && len(t.exact) > 0 {
		file := strings.TrimSuffix(a.options.Place, "/") + "/" + a.mapName(t)
		kind := "txt:" + file + ".txt"
		if t.isLarge() {
			kind = "dbm:" + file + ".dbm"
		}
		fmt.Fprintf(
			b,
			"    RewriteMap %s %s\n    RewriteMap up_lower int:tolower\n"+
				"    RewriteMap up_escape int:escape\n",
			a.mapName(t),
			apacheQuote(kind),
		)
	}
	var s section
	for _, e := range k.Exempt {
		s.rule(argument("^"+plainRegexp(web.Decode(e))), "-", "L", doubleSlash)
	}
	b.Write(s.text.Bytes())
	var body section
	a.answers(&body, k)
	fmt.Fprintf(b, "    Include %s\n</VirtualHost>\n", a.beside(a.body(k, body.text.Bytes())))
}

// beside names a file that lies beside the others, where it is included.
func (a *apacheText) beside(name string) string {
	return apacheQuote(directoryPattern(strings.TrimSuffix(a.options.Place, "/")) + "/" + name)
}

// every gives the file that holds what all virtual hosts have.
func (a *apacheText) every() string {
	name := "up" + a.tag + "_every.conf"
	if len(a.bodies) > 0 {
		return name
	}
	var b bytes.Buffer
	fmt.Fprint(&b, "# What all virtual hosts of these domains have.\n"+
		"<IfModule http2_module>\n    Protocols h2 http/1.1\n</IfModule>\n")
	if a.options.Log != "" {
		fmt.Fprintf(&b, "<IfModule log_config_module>\n    CustomLog %s "+
			"\"%%v %%h %%t \\\"%%r\\\" %%>s %%{Location}o\"\n</IfModule>\n", apacheQuote(a.options.Log))
	}
	fmt.Fprintf(&b, "IncludeOptional %s\nDocumentRoot %s\nAllowEncodedSlashes NoDecode\n"+
		"MergeSlashes Off\nRewriteEngine on\n",
		apacheQuote(strings.TrimSuffix(a.options.Place, "/")+"/own/*.conf"),
		apacheQuote(a.options.Challenges))
	a.bodies = append(a.bodies, File{name, b.Bytes()})
	return name
}

// body gives the file that holds what virtual hosts answer, which those of http and https share.
func (a *apacheText) body(k block, text []byte) string {
	of := "# What the virtual hosts of " + commentSafe(k.Domain.Name.Unicode()) + " answer.\n"
	text = append([]byte(of), bytes.ReplaceAll(text, []byte("\n    "), []byte("\n"))...)
	text = bytes.ReplaceAll(text, []byte("\n    "), []byte("\n"))
	count := 1
	for _, f := range a.bodies {
		if bytes.Equal(f.Text, text) {
			return f.Name
		}
		if strings.HasPrefix(f.Name, "up_"+k.Domain.Name.String()+".") ||
			strings.HasPrefix(f.Name, "up_"+k.Domain.Name.String()+"_") {
			count++
		}
	}
	name := "up_" + k.Domain.Name.String()
	if count > 1 {
		name = fmt.Sprintf("%s_%d", name, count)
	}
	a.bodies = append(a.bodies, File{name + ".conf", text})
	return name + ".conf"
}

// Apache takes several slashes at the start of a path for one, except in the request line.
const doubleSlash = `%{THE_REQUEST} "!^[A-Z]+ (?:https?://[^/? ]*)?//"`

// folderFile writes one file for the folder of a shared host.
func (a *apacheText) folderFile() []byte {
	var b bytes.Buffer
	fmt.Fprint(
		&b,
		"# Redirects for Apache on a shared host (.htaccess, with mod_rewrite). Hosts that are not "+
			"named here are left "+
			"alone.\n",
	)
	fmt.Fprint(&b, apacheRefusals)
	fmt.Fprint(&b,
		"# Every path with %2F gets Apache's own 404, unless the host allows them; one that is longer "+
			"than "+
			"the names of files may\n# be (mostly 255 octets a segment, 4,096 in all) gets its 403.\n\n"+
			"RewriteEngine on\n")
	for _, doors := range a.alike() {
		k, schemes := doors[0], []string{}
		secure := slices.IndexFunc(doors, func(k block) bool { return k.HSTS != "" })
		var s section
		for _, k := range doors {
			schemes = append(schemes, string(k.Scheme))
			for _, e := range k.Exempt {
				s.rule(
					"^",
					"-",
					"L",
					`%{REQUEST_URI} `+argument("^"+plainRegexp(web.Decode(e))),
					doubleSlash,
					"%{HTTPS} "+tls(k, true),
				)
			}
		}
		a.inFolder(&s, k)
		names := make([]string, len(k.names))
		for i, n := range k.names {
			names[i] = regexp.QuoteMeta(n)
		}
		others := []string{"%{HTTP_HOST} " +
			argument(`!^(?:`+strings.Join(names, "|")+`)\.?(?::[0-9]+)?$`) + " [NC]"}
		if len(doors) == 1 {
			others = []string{strings.Replace(others[0], "[NC]", "[NC,OR]", 1), "%{HTTPS} " + tls(k, false)}
		}
		var whole section
		whole.unless(&s, others...)
		fmt.Fprintf(&b, "\n# %s, %s\n", commentSafe(strings.Join(k.names, ", ")),
			strings.Join(schemes, " and "))
		b.Write(whole.text.Bytes())
		if secure >= 0 {
			hosts := strings.ReplaceAll(strings.Join(names, "|"), "/", `\/`)
			fmt.Fprintf(&b, "Header always set Strict-Transport-Security %s \"expr=%%{HTTPS} == 'on' && "+
				"%%{HTTP_HOST} =~ /^(?:%s)\\.?(?::[0-9]+)?$/i\"\n", apacheQuote(doors[secure].HSTS), hosts)
		}
		if k.Remember != "" {
			hosts := strings.ReplaceAll(strings.Join(names, "|"), "/", `\/`)
			fmt.Fprintf(&b, "Header always set Cache-Control %s \"expr=%%{REQUEST_STATUS} -in {'301','308'} "+
				"&& %%{HTTP_HOST} =~ /^(?:%s)\\.?(?::[0-9]+)?$/i\"\n", apacheQuote(k.Remember), hosts)
		}
	}
	return b.Bytes()
}

// tls writes the condition that a request came, or did not come, by the scheme of doors.
func tls(k block, came bool) string {
	if (k.Scheme == web.HTTPS) == came {
		return `"=on"`
	}
	return `"!=on"`
}

// alike puts the doors of both schemes together that answer alike but for their exempt paths.
func (a *apacheText) alike() [][]block {
	var all [][]block
	for _, k := range a.blocks {
		i := slices.IndexFunc(all, func(have []block) bool {
			return k.table != nil && have[0].table == k.table && slices.Equal(have[0].names, k.names)
		})
		if i < 0 {
			all = append(all, []block{k})
		} else {
			all[i] = append(all[i], k)
		}
	}
	return all
}

// What stands in the request line before the path, and behind it.
const (
	requestLine = `%{THE_REQUEST} `
	begin       = `^[A-Z]+ (?:https?://[^/? ]*)?`
	finish      = `(?:\?[!-\x22$-~]*+)? HTTP/`
)

// Paths: one of plain octets, which Apache's own is too; one without dot segments; one with dot
// segments, but without escapes.
const (
	plainPath  = `(?!//)(?:/(?!\.\.?[/? ])[!$&-.0-;=@-Z_a-z~]*+)++`
	rawPath    = `(?:/(?!(?:\.|%2[Ee]){1,2}[/? ])[!-\x22$&-.0->@-~]*+(?:%[0-9A-Fa-f]{2}[!-\x22$&-.0->@-~]*+)*+)++`
	dottedPath = `(?:/(?!/)[!-\x22$&-.0->@-~]*+)++`
)

// answers writes what the doors of a virtual host answer: plain paths first, which Apache's own
// reading of the path is enough for.
func (a *apacheText) answers(s *section, k block) {
	var plain, others section
	others.comment("All other paths, as they came.")
	a.path(&others, k.Treatment)
	switch {
	case k.table == nil:
		a.constant(&plain, asPlain, k.Treatment)
		a.constant(&others, asOdd, k.Treatment)
	default:
		a.byRules(&plain, asPlain, k.table)
		a.byRules(&others, asOdd, k.table)
	}
	if k.DropsPath { // nothing is read from the path
		needed(s, &others)
		return
	}
	var all section
	all.comment("Paths of plain octets, which are spelt in one way only.")
	all.unless(&plain, requestLine+argument("!^[A-Z]+ "+plainPath+finish))
	all.add(&others)
	needed(s, &all)
}

// inFolder writes what doors answer in a folder's file: whole paths once, by their decoded form.
func (a *apacheText) inFolder(s *section, k block) {
	var all section
	a.path(&all, k.Treatment)
	if k.table == nil {
		a.constant(&all, asOdd, k.Treatment)
	} else {
		a.byRules(&all, inOneFile, k.table)
	}
	needed(s, &all)
}

// needed adds, where a section needs them, what stands for a dollar sign in it, and for a query
// that something comes behind.
func needed(s, needs *section) {
	text := needs.text.String()
	if strings.Contains(text, "UP_DOLLAR") {
		s.rule("^", "-", "E=UP_DOLLAR:\\$")
	}
	if strings.Contains(text, "UP_ASK") {
		s.rule("^", "-", "E=UP_ASK:?%1", `%{QUERY_STRING} "^(.+)$"`)
	}
	s.add(needs)
}

// reading is how a path is read: as Apache's own, from the request line with every octet spelled
// out, or in a folder's file.
type reading int

const (
	asPlain reading = iota
	asOdd
	inOneFile
)

// spelling says how what is compared may be written.
func (w reading) spelling(mode rule.Mode) spelling {
	if w == asOdd {
		return oddly(mode)
	}
	return normalSpelling
}

// path gives the variable that holds the path.
func (w reading) path() string {
	if w == asPlain {
		return "%{REQUEST_URI}"
	}
	return "%{ENV:UP_PATH}"
}

// path writes how UP_PATH becomes the path as it came, without dot segments.
func (a *apacheText) path(s *section, d predict.Treatment) {
	s.rule("^", "-", "E=UP_PATH:%1,S=2", requestLine+argument(begin+"("+rawPath+")"+finish))
	s.rule("^", "-", "E=UP_PATH:%{REQUEST_URI},S=1", requestLine+argument(begin+dottedPath+finish))
	s.rule("^", "-", "R=400,L")
	if d.DropsPath {
		s.rule("^", "-", "E=UP_PATH:/")
	}
}

// The query, to be put behind a target.
const asIs = "?%{QUERY_STRING}"

// constant writes the answer of a door that asks no rule.
func (a *apacheText) constant(s *section, w reading, d predict.Treatment) {
	to := web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}
	if d.Does == predict.ToSite {
		to = d.Canonical
	}
	path, query := w.path(), asIs
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	redirects(s, d.Status, leadsTo(substitution(to.String())+path+query))
}

// redirects adds a redirect.
func redirects(s *section, status int, to string, conditions ...string) {
	s.rule("^", to, redirectFlags(status), conditions...)
}

// redirectFlags writes the flags of a redirect. Apache is to put no query behind the target by
// itself, and to let a ? come from what is expanded there.
func redirectFlags(status int) string { return fmt.Sprintf("R=%d,NE,QSD,UnsafeAllow3F,L", status) }

// byRules writes the rules of a table, the most specific first, and what happens where none takes a
// path.
func (a *apacheText) byRules(s *section, w reading, t *table) {
	var body section
	var direct []rule.Entry
	others := t.patterns
	if len(t.exact)+len(t.asking) > 0 && w != inOneFile {
		direct, others = t.apart()
	}
	a.tries(&body, w, t, direct)
	a.tries(&body, w, t, t.asking)
	if w == inOneFile {
		a.wholes(&body, t)
	} else {
		a.looksUp(&body, w, t)
	}
	a.tries(&body, w, t, others)
	a.fallback(&body, w, t)
	a.withoutKeys(s, &body)
	s.add(&body)
}

// apart gives the patterns that begin as no path does that is looked up, so that their paths need
// not be, and the others. None of the first comes behind one of the others that may take the same
// path.
func (t *table) apart() (direct, others []rule.Entry) {
	starts := t.starts()
	for i, e := range t.patterns {
		start, fixed := cut{segments: 1}.keyOf(headsOf(e.Rule, t.door.Paths, true))
		switch {
		case !fixed:
			return direct, append(others, t.patterns[i:]...)
		case starts[start]:
			others = append(others, e)
		default:
			direct = append(direct, e)
		}
	}
	return direct, others
}

// withoutKeys writes the queries without what targets set themselves, as far as a section uses
// them.
func (a *apacheText) withoutKeys(s, uses *section) {
	var all section
	for i, keys := range a.order {
		rest, only := fmt.Sprintf("UP_REST%d", i+1), fmt.Sprintf("UP_ONLY%d", i+1)
		if text := uses.text.String(); !strings.Contains(text, rest+"}") &&
			!strings.Contains(text, only+"}") {
			continue
		}
		all.rule("^", "-", "E="+rest+":&%{QUERY_STRING}")
		for range 3 {
			all.rule(
				"^",
				"-",
				"E="+rest+":%1%2",
				"%{ENV:"+rest+"} "+argument("^(.*?)&(?:"+keys+")(?:=[^&]*)?((?:&.*)?)$"),
			)
		}
		all.rule("^", "-", "E="+only+":?%1", "%{ENV:"+rest+`} "^&(.+)$"`)
		all.rule("^", "-", "E="+rest+":", "%{ENV:"+rest+`} "^&$"`)
	}
	s.unless(&all, `%{QUERY_STRING} "^$"`)
}

// Escapes that mean something else than what they stand for, and needless ones or octets that have
// to be escaped.
const (
	meaning  = `%(?:2[1346789ABCFabcf]|3[ABDFabdf]|40|5[BDbd])`
	needless = `%(?:[0-9A-Fa-f]?[a-f]|[a-f][0-9A-F]|2[DE]|3[0-9]|4[1-9A-F]|5[0-9AF]|6[1-9A-F]|7[0-9AE])|[^!$%&-;=@-Z_a-z~]`
)

// looksUp writes the look-up of whole paths.
func (a *apacheText) looksUp(s *section, w reading, t *table) {
	if len(t.exact) == 0 {
		return
	}
	s.comment("Whole paths.")
	if expression := t.startsRegexp(); w == asPlain && expression != "" {
		var all section
		a.looksUpAny(&all, w, t)
		s.rule(argument("!"+expression), "-", fmt.Sprintf("NC,S=%d", all.rules))
		s.add(&all)
		return
	}
	a.looksUpAny(s, w, t)
}

// mostStarts is how many first segments of whole paths are compared before a look-up.
const mostStarts = 12

// startsRegexp takes plain paths that begin as whole paths do; "" where those begin in too many
// ways.
func (t *table) startsRegexp() string {
	var all []string
	for start := range t.starts() {
		if !strings.Contains(start, "%") {
			all = append(all, decodedRegexp(start)+"(?:/|$)")
		}
	}
	if len(all) > mostStarts || len(all) == 0 {
		return ""
	}
	slices.Sort(all)
	return "^(?:" + strings.Join(all, "|") + ")"
}

func (a *apacheText) looksUpAny(s *section, w reading, t *table) {
	value := func(of string) string {
		if t.door.Paths.IgnoreCase {
			of = "${up_lower:" + of + "}"
		}
		return "${" + a.mapName(t) + ":" + of + "} "
	}
	found := "%{ENV:UP_HIT} "
	var hits section
	if w == asPlain && len(t.classes(a)) == 1 {
		found = value(w.path())
	} else {
		s.rule("^", "-", "E=UP_HIT:%1", value(w.path())+`"^(.+)$"`)
		if w == asOdd {
			s.rule("^", "-", "E=UP_HIT:%1", w.path()+" "+argument("!^//|"+meaning),
				w.path()+" "+argument(needless),
				value("${up_escape:%{REQUEST_URI}}")+`"^(.+)$"`)
		}
	}
	for _, e := range t.classes(a) {
		class, suffix := a.classOf(e.rule, t.door)
		is := found + argument(`^[0-9]+\|`+class+`\|(.*)$`)
		if e.rule.Status == rule.Gone {
			hits.rule("^", "-", "R=410,L", is)
		} else {
			redirects(&hits, statusOn(e.rule, t.door), leadsTo("%1"+suffix), is)
		}
	}
	if found != "%{ENV:UP_HIT} " {
		s.add(&hits)
		return
	}
	s.unless(&hits, `%{ENV:UP_HIT} "^$"`)
}

// classes gives a path for each way in which targets that are looked up are answered.
func (t *table) classes(a *apacheText) (firsts []exactRule) {
	said := map[string]bool{}
	for _, e := range t.exact {
		if class, _ := a.classOf(e.rule, t.door); !said[class] {
			said[class] = true
			firsts = append(firsts, e)
		}
	}
	return firsts
}

// wholes writes whole paths in a folder's file, by their decoded form.
func (a *apacheText) wholes(s *section, t *table) {
	var all section
	flags := ""
	if t.door.Paths.IgnoreCase {
		flags = "NC,"
	}
	for _, e := range t.exact {
		all.comment("line %s: %s", t.linesOf(e.rule), e.rule.Old)
		pattern := argument("^" + decodedRegexp(strings.TrimPrefix(e.path, "/")) + "$")
		if e.rule.Status == rule.Gone {
			all.rule(pattern, "-", flags+"R=410,L")
			continue
		}
		all.rule(pattern, a.target(e.rule, t.door, numbering{}),
			flags+redirectFlags(statusOn(e.rule, t.door)))
	}
	s.comment("Whole paths.")
	s.unless(&all, asOdd.path()+" "+argument("//|"+meaning))
}

func statusOn(r *rule.Rule, d predict.Treatment) int {
	if r.Status == 0 {
		return d.Status
	}
	return r.Status
}

// classOf names what has to be done with a target that was looked up: its status, and what is put
// behind it.
func (a *apacheText) classOf(r *rule.Rule, d predict.Treatment) (class, suffix string) {
	if r.Status == rule.Gone {
		return "410", ""
	}
	query, _ := a.query(r.New.Query, r.DropQuery || d.DropsQuery, keysOf(r))
	kind := strings.NewReplacer("%{ENV:UP_", "", "}", "", asIs, "ask").Replace(query)
	return fmt.Sprintf("%d%s", statusOn(r, d), strings.ToLower(kind)), query
}

// mapFile writes the table of whole paths: in normal form, and where that differs as Apache itself
// escapes a decoded path.
func (a *apacheText) mapFile(t *table) []byte {
	var b bytes.Buffer
	fmt.Fprintf(
		&b,
		"# The whole paths of %s: path, then line of rules.csv | status and query | target.\n",
		commentSafe(strings.Join(t.hosts, ", ")),
	)
	for _, e := range t.exact {
		class, _ := a.classOf(e.rule, t.door)
		target := ""
		if e.rule.Status != rule.Gone {
			door := e.rule.New.Door
			if door.IsZero() {
				door = t.door.Canonical
			}
			target = door.String() + literalText(e.rule.New.Parts)
			if len(e.rule.New.Query) > 0 {
				target += "?" + literalText(e.rule.New.Query)
			}
		}
		value := fmt.Sprintf("%d|%s|%s", e.rule.Line, class, cleanTarget(target))
		keys := []string{web.NormalPath(encodeDecoded(e.path)), apacheEscape(e.path)}
		if t.door.Paths.IgnoreCase {
			keys[0], keys[1] = lowerASCII(keys[0]), lowerASCII(keys[1])
		}
		for _, key := range slices.Compact(keys) {
			fmt.Fprintf(&b, "%s %s\n", key, value)
		}
	}
	return b.Bytes()
}

// encodeDecoded encodes what may not stand in a path.
func encodeDecoded(path string) string {
	return strings.NewReplacer("%", "%25", "?", "%3F", "#", "%23").Replace(path)
}

// apacheEscape gives a decoded path as Apache's own function escapes it.
func apacheEscape(path string) string {
	var b strings.Builder
	for _, c := range []byte(path) {
		if c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' ||
			strings.IndexByte("$-_.+!*'(),:@&=/~", c) >= 0 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02x", c)
		}
	}
	return b.String()
}

func literalText(parts []rule.Part) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Literal)
	}
	return b.String()
}

// tries writes rules that are tried one by one, those skipped whose paths begin otherwise.
func (a *apacheText) tries(s *section, w reading, t *table, entries []rule.Entry) {
	if w == inOneFile && len(entries) > 0 {
		var plain, odd section
		a.tries(&plain, asPlain, t, entries)
		a.tries(&odd, asOdd, t, entries)
		if t.door.DropsPath {
			s.add(&odd)
			return
		}
		const path = "^(?:/(?!/)[!$&-.0-;=@-Z_a-z~]*+)++$"
		s.unless(&plain, asOdd.path()+" "+argument("!"+path))
		s.comment("The same, every octet spelled out.")
		s.unless(&odd, asOdd.path()+" "+argument(path))
		return
	}
	if w == asPlain { // what holds an escape, or starts with //, takes no plain path
		entries = slices.DeleteFunc(slices.Clone(entries), func(e rule.Entry) bool {
			return strings.HasPrefix(e.Rule.Old.Parts[0].Literal, "//") ||
				slices.ContainsFunc(e.Rule.Old.Parts, func(p rule.Part) bool {
					return strings.Contains(p.Literal, "%")
				})
		})
	}
	if len(entries) == 0 {
		return
	}
	buckets := []*bucket{{prefix: "/", patterns: entries}}
	// A folder's file is read anew for every request, which costs more for each line than trying it.
	if !t.door.DropsPath && a.options.Form != htaccess {
		buckets = bucketsOf(entries, mostInBucket, func(r *rule.Rule) string {
			return plainHead(r, t.door.Paths)
		})
	}
	below := map[*bucket][]*bucket{}
	for _, k := range buckets {
		below[k.above] = append(below[k.above], k)
	}
	anyCase := ""
	if t.door.Paths.IgnoreCase {
		anyCase = "NC,"
	}
	var write func(k *bucket) *section
	// half writes buckets below one: those of the first half are skipped together.
	var half func(at int, all []*bucket) *section
	half = func(at int, all []*bucket) *section {
		var inside section
		if len(all) > 1 {
			middle := len(all) / 2
			first, class := half(at, all[:middle]), ""
			for _, k := range all[:middle] {
				class += regexpClass(k.prefix[at])
			}
			if first.rules > 1 {
				a.skip(&inside, all[0].prefix[:at], "["+class+"]", anyCase, first.rules)
			}
			inside.add(first)
			inside.add(half(at, all[middle:]))
			return &inside
		}
		part := write(all[0])
		if part.rules > 1 {
			a.skip(&inside, all[0].prefix, "", anyCase, part.rules)
		}
		inside.add(part)
		return &inside
	}
	write = func(k *bucket) *section {
		var inside section
		if len(below[k]) > 0 {
			inside.add(half(len(k.prefix), below[k]))
		}
		for _, e := range k.patterns {
			a.try(&inside, w, t, e.Rule)
		}
		return &inside
	}
	s.add(write(buckets[0]))
}

// skip skips rules where a path does not begin so.
func (a *apacheText) skip(s *section, prefix, more, anyCase string, rules int) {
	s.rule(argument("!^"+plainRegexp(prefix)+more), "-", fmt.Sprintf("%sS=%d", anyCase, rules))
}

// regexpClass writes an octet for the inside of a class.
func regexpClass(c byte) string {
	if strings.IndexByte(`\]^-[`, c) >= 0 {
		return `\` + string(rune(c))
	}
	return string(rune(c))
}

// plainHead gives the text with which all paths of a rule begin, as far as nothing in it is
// percent-encoded.
func plainHead(r *rule.Rule, mode rule.Mode) string {
	common := ""
	for i, h := range headsOf(r, mode, false) {
		head, _, _ := strings.Cut(h.text, "%")
		if i := strings.Index(head, "//"); i >= 0 { // a shared host may join slashes
			head = head[:i+1]
		}
		if i == 0 {
			common = head
		}
		common = commonPrefix(common, head)
	}
	return common
}

// try writes one rule that is tried.
func (a *apacheText) try(s *section, w reading, t *table, r *rule.Rule) {
	mode := t.door.Paths
	anyCase := ""
	if mode.IgnoreCase {
		anyCase = "NC"
	}
	s.comment("line %s: %s", t.linesOf(r), r.Old)
	if note := movesNote(r); note != "" {
		s.comment("%s", note)
	}
	for _, v := range mode.Variants(r.Old.Parts) {
		n := numbering{numbers: map[string]int{}, sign: '%'}
		path, not := n.parts(v.Parts, '?', w.spelling(mode)),
			notRegexp(v, oddly(mode))+bounded(r, intoQuery)
		subject, expression := w.path(), "^"+not+path
		pattern, conditions, flags := "^", []string(nil), ""
		switch {
		case len(r.Old.Query) > 0:
			subject += asIs
			expression += `\?`
			if mode.IgnoreCase {
				expression += "(?-i)" // the case of a query counts
			}
			expression += n.conditions(r)
		default:
			expression += "$"
		}
		if w == asPlain && len(r.Old.Query) == 0 && not == "" { // what Apache itself reads
			n.sign = '$'
			if a.options.Form == htaccess {
				expression = "^" + strings.TrimPrefix(path, "/") + "$"
			}
			pattern = argument(expression)
			if anyCase != "" {
				flags = "NC,"
			}
		} else {
			condition := argument(subject) + " " + argument(expression)
			if anyCase != "" {
				condition += " [NC]"
			}
			conditions = []string{condition}
		}
		if r.Status == rule.Gone {
			s.rule(pattern, "-", flags+"R=410,L", conditions...)
			continue
		}
		if len(movers(r, intoPath))+len(movers(r, intoQuery)) > 0 {
			a.tryMoved(s, t, r, n, pattern, flags, conditions)
			continue
		}
		s.rule(pattern, a.target(r, t.door, n), flags+redirectFlags(statusOn(r, t.door)), conditions...)
	}
}

// tryMoved writes a rule whose captures move between path and query: what they took is kept, what
// means something else there is written otherwise, and then the rule leads on.
func (a *apacheText) tryMoved(s *section, t *table, r *rule.Rule, n numbering,
	pattern, flags string, conditions []string) {
	kept := ""
	n.kept = map[string]bool{}
	var body section
	add := func(parts []rule.Part, target component) {
		for _, p := range parts {
			number, taken := n.numbers[p.Name]
			if !p.IsCapture() || !taken {
				continue
			}
			into := movesInto(r, p.Name, target)
			variable := movedName(number, into)
			if n.kept[variable] {
				continue
			}
			n.kept[variable] = true
			kept += fmt.Sprintf("E=%s:%c%d,", variable, n.sign, number)
			for _, x := range exchanges[into] {
				for _, most := range x.rounds {
					is := x.splits(most, func(int) string { return "(" })
					then := x.joins(most, `\`+x.instead, func(i int) string { return fmt.Sprintf("%%%d", i+1) })
					body.rule("^", "-", "E="+variable+":"+then, "%{ENV:"+variable+"} "+argument(is))
				}
			}
		}
	}
	add(r.New.Host, sameComponent)
	add(r.New.Parts, intoPath)
	add(r.New.Query, intoQuery)
	n.rule = r
	body.rule("^", a.target(r, t.door, n), redirectFlags(statusOn(r, t.door)))
	s.rule(pattern, "-", flags+kept+"S=1", conditions...)
	s.rule("^", "-", fmt.Sprintf("S=%d", body.rules))
	s.add(&body)
}

// movedName names the variable that keeps what a capture took.
func movedName(number int, into component) string {
	return fmt.Sprintf("UP_%s%d", strings.ToUpper(into.String()), number)
}

// numbering counts captures in the order in which they stand in an expression, and how what they
// took is written.
type numbering struct {
	numbers map[string]int
	sign    byte
	kept    map[string]bool // the variables that hold what captures took, where some of them move
	rule    *rule.Rule
}

func (n numbering) parts(parts []rule.Part, end byte, as spelling) string {
	var b strings.Builder
	for i, p := range parts {
		if !p.IsCapture() {
			b.WriteString(spelled(p.Literal, as))
			continue
		}
		n.numbers[p.Name] = len(n.numbers) + 1
		fmt.Fprintf(&b, "(%s)", captured(parts, i, end, as != normalSpelling))
	}
	return b.String()
}

func (n numbering) conditions(r *rule.Rule) string {
	var b strings.Builder
	b.WriteString(bounded(r, intoPath))
	for _, c := range r.Old.Query {
		key := literalRegexp(c.Key)
		value := "=" + n.parts(c.Parts, '&', everySpelling)
		if len(c.Parts) == 0 {
			value = "=?"
		} else if len(c.Parts) == 1 && c.Parts[0].Rest {
			value = fmt.Sprintf("(?:%s)?", value)
		}
		fmt.Fprintf(&b, "(?=(?:(?!%s(?:[=&]|$))[^&]*&)*+%s%s(?:&|$))", key, key, value)
	}
	return b.String()
}

// target writes where a rule leads.
func (a *apacheText) target(r *rule.Rule, d predict.Treatment, n numbering) string {
	door := r.New.Door
	if door.IsZero() {
		door = d.Canonical
	}
	at := substitution(door.String())
	if len(r.New.Host) > 0 {
		at = string(r.New.Scheme) + "://" + n.expand(r.New.Host, sameComponent)
	}
	query, own := a.query(r.New.Query, r.DropQuery || d.DropsQuery, keysOf(r))
	if own {
		query = "?" + n.expand(r.New.Query, intoQuery) + query
	}
	fragment := ""
	if r.New.Fragment != "" {
		fragment = "#" + substitution(cleanTarget(r.New.Fragment))
		query = strings.ReplaceAll(query, asIs, "%{ENV:UP_ASK}")
	}
	return leadsTo(at + n.expand(r.New.Parts, intoPath) + query + fragment)
}

func (n numbering) expand(parts []rule.Part, target component) string {
	var b strings.Builder
	for _, p := range parts {
		switch number, taken := n.numbers[p.Name]; {
		case !p.IsCapture():
			b.WriteString(substitution(cleanTarget(p.Literal)))
		case taken && n.kept != nil:
			fmt.Fprintf(&b, "%%{ENV:%s}", movedName(number, movesInto(n.rule, p.Name, target)))
		case taken:
			fmt.Fprintf(&b, "%c%d", n.sign, number)
		}
	}
	return b.String()
}

// query gives what is put behind a target: the visitor's query, without the keys that the target
// sets itself and those that are used up. own says that the target's own query stands before it.
func (a *apacheText) query(parts []rule.Part, drop bool, used []string) (suffix string, own bool) {
	own = len(parts) > 0
	switch {
	case drop:
		return "", own
	case !own && len(used) == 0:
		return asIs, false
	}
	text := ""
	for _, p := range parts {
		if p.IsCapture() {
			text += "x"
		} else {
			text += p.Literal
		}
	}
	number := a.strip(text, used)
	if !own {
		return fmt.Sprintf("%%{ENV:UP_ONLY%d}", number), false
	}
	return fmt.Sprintf("%%{ENV:UP_REST%d}", number), true
}

func (a *apacheText) strip(own string, used []string) int {
	set := keysRegexp(own, used)
	if number, have := a.strips[set]; have {
		return number
	}
	a.order = append(a.order, set)
	a.strips[set] = len(a.order)
	return len(a.order)
}

// fallback writes what happens where no rule takes a path.
func (a *apacheText) fallback(s *section, w reading, t *table) {
	d := t.door
	home := substitution(home(d))
	query, own := a.query(queryParts(d.Home.Query()), d.DropsQuery, nil)
	if own {
		query = "?" + substitution(d.Home.Query()) + query
	}
	s.comment("Everything else.")
	to := leadsTo(home + query)
	if t.rootDiffers() {
		var roots []string
		rootAs := oddly(d.Paths)
		if w == asPlain {
			rootAs = normalSpelling
		}
		for _, v := range d.Paths.Variants([]rule.Part{{Literal: "/"}}) {
			roots = append(roots, spelled(v.Parts[0].Literal, rootAs))
		}
		isRoot := w.path() + " " + argument("^(?:"+strings.Join(roots, "|")+")$")
		if d.Paths.IgnoreCase {
			isRoot += " [NC]"
		}
		redirects(s, d.Status, to, isRoot)
	}
	switch {
	case d.Fallback == estate.SamePath && !d.DropsPath:
		redirects(s, d.Status, leadsTo(strings.TrimSuffix(home, "/")+w.path()+query))
	case d.Fallback == estate.Gone && !d.DropsPath:
		s.rule("^", "-", "R=410,L")
	default:
		redirects(s, d.Status, to)
	}
}

// home gives where the root of a door leads, without its query.
func home(d predict.Treatment) string { return d.Home.Door().URL(d.Home.Path(), "").String() }

func queryParts(query string) []rule.Part {
	if query == "" {
		return nil
	}
	return []rule.Part{{Literal: query}}
}

// substitution writes a text so that nothing of it is expanded: neither by rules (%1, $1, %{NAME})
// nor by the configuration (${NAME}).
func substitution(s string) string {
	var b strings.Builder
	for _, c := range []byte(s) {
		switch c {
		case '$':
			b.WriteString("%{ENV:UP_DOLLAR}")
		case '%', '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// argument writes one argument of a rule or a condition, an expression or a text that is compared.
// mod_rewrite reads them by itself: one ends at the next quote of its kind, whatever stands before
// that. So one with a double quote stands in single ones, and one with both has it written as the
// octet that it is.
func argument(s string) string { return quotedArgument(s, `\x22`) }

// leadsTo writes the argument that a rule leads to, in which a double quote beside a single one is
// percent-encoded, as browsers send it.
func leadsTo(s string) string { return quotedArgument(s, `\%22`) }

func quotedArgument(s, instead string) string {
	switch {
	case !strings.Contains(s, `"`):
		return `"` + s + `"`
	case !strings.Contains(s, "'"):
		return "'" + s + "'"
	}
	return `"` + strings.ReplaceAll(s, `"`, instead) + `"`
}

// directoryPattern writes a folder for a <Directory> section, which takes names with * ? and [ for
// patterns of a shell: a * and a ? take themselves there, and a ? what would say something else.
func directoryPattern(folder string) string {
	if !strings.ContainsAny(folder, "*?[") {
		return folder
	}
	return strings.NewReplacer("[", "?", `\`, "?").Replace(folder)
}

// apacheQuote writes one word of another directive, in which a backslash may stand before a quote
// or a backslash.
func apacheQuote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}
