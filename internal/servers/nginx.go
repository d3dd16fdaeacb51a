package servers

import (
	"bytes"
	"fmt"
	"hash/fnv"
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

var nginxWriter = add(Writer{
	Name:  "nginx",
	Title: "nginx 1.19.4 or newer",
	About: `It makes an include file for the http context, with one server for all doors that answer
alike. Exact rules are looked up in maps, patterns by how their paths begin. Path and query are
kept as the rules and the carrier's limits say.`,
	Comment: "# ",
	Options: Options{HTTP: []string{"80", "[::]:80"}, HTTPS: []string{"443", "[::]:443"},
		Certificates: "/etc/nginx/upperpath/certificates", Challenges: "/var/www/upperpath-challenges",
		Place: "/etc/nginx/upperpath"},
	Checker: nginxChecker,
	write:   writeNginx,
})

var nginxChecker = Checker{
	Names:   []string{"nginx"},
	Called:  "nginx -t",
	Oldest:  [3]int{1, 19, 4},
	version: []string{"-v"},
	main: func(_, folder, file, _ string) (string, []string, bool) {
		main := filepath.Join(folder, "main.conf")
		return fmt.Sprintf(`pid %[1]s/pid; error_log stderr;
events {}
http {
    access_log off;
    client_body_temp_path %[1]s/body; proxy_temp_path %[1]s/proxy; fastcgi_temp_path %[1]s/fastcgi;
    uwsgi_temp_path %[1]s/uwsgi; scgi_temp_path %[1]s/scgi;
    include %[1]s/%[2]s;
}
`, folder, file), []string{"-t", "-q", "-p", folder, "-c", main}, true
	},
	serve: func(text string, args []string) (string, []string) {
		text = "daemon off;\n" + text
		if os.Geteuid() == 0 { // else it would give up root, and could not read what is root's alone
			text = "user root;\n" + text
		}
		return text, args[2:]
	},
}

func writeNginx(doors predictedDoors, o Options) (Output, error) {
	n := nginx{options: o, tag: tagOf(doors), strips: map[string]int{}, moves: map[string]bool{},
		started: map[string]bool{}, headers: map[string]int{}, exempts: map[string]int{}}
	n.blocks, n.tables = blocksOf(doors, func(t *table, entries []rule.Entry) {
		t.sortOut(entries, true, nginxBars, func(r *rule.Rule, why string) {
			n.findings = append(n.findings, beyond("nginx", r.Place(), r.Old.String(), why, r.Line))
		})
	})
	for _, t := range n.tables {
		n.mapsOf(t)
	}
	n.servers()
	return Output{Files: []File{{"nginx.conf", n.file()}}, Findings: n.findings, Doors: len(doors),
		Steps: []string{
			"put the certificates where its first lines say: a file DOMAIN.crt and DOMAIN.key for each " +
				"domain",
			"copy it to the server, and include it in the http context of nginx",
			"nginx -t, then nginx -s reload"},
		Undo: []string{"remove the include line, or put the file before it back (nginx.conf.before)",
			"nginx -t, then nginx -s reload", remembered}}, nil
}

// tagOf gives what tells the variables of these doors from those of another estate's file in the
// same server, where one would else replace the other without a word.
func tagOf(doors predictedDoors) string {
	h := fnv.New32a()
	for _, d := range doors {
		fmt.Fprintln(h, d.Canonical, d.Carrier, d.Host)
	}
	return fmt.Sprintf("%04x", h.Sum32()&0xffff)
}

type nginx struct {
	options Options
	tag     string // in the names of variables
	blocks  []block
	tables  []*table
	shared  bytes.Buffer // maps of what differs by scheme in one server
	headers map[string]int
	exempts map[string]int
	queries bytes.Buffer // maps of the visitor's query
	starts  bytes.Buffer // maps of how paths begin
	maps    bytes.Buffer // of rules
	text    bytes.Buffer // the servers
	started map[string]bool
	// keys that a target sets to the number of the maps that take them from a query
	strips   map[string]int
	moves    map[string]bool // captures that were brought into another component
	findings []finding.Finding
	longest  int // of a key in a map
	most     int // keys in one map
}

const nginxHead = `# Redirects for nginx (1.19.4 or newer), to be included in the http context:
#
#     include %s;
#
# Certificates: for each domain DOMAIN.crt (with its intermediates) and DOMAIN.key in
#     %s
# Paths that are never redirected over http are answered from
#     %s
#
# How a request is answered: whole paths stand in a map with their targets, each with its line of rules.csv behind it.
# Else the start of the path leads to a map of the few patterns that begin so; each stands below its rule, its target
# beside it. Where a target has a status in front (302:https://...), it is complete; else the visitor's query comes
# behind it.
#
# Lines of your own for these servers stand in own/*.conf beside this file, which this program never writes. What is
# yours to say, beside the include or there:
#     pcre_jit on;                          at the top of nginx.conf: all of this is faster
#     ssl_protocols TLSv1.2 TLSv1.3;        else nginx's own
#     http2 on;                             HTTP/2, from 1.25.1 on; older ones have it for all where one server of
#                                           yours listens with it: "listen 443 ssl http2;"
#     listen 443 quic;                      HTTP/3, in own/http3.conf, where nginx -V names http_v3_module, with
#     add_header Alt-Svc 'h3=":443"; ma=86400' always;
#
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %%7E is ~, but %%2F is not /. What nginx itself
# refuses stays refused with 400: a %% that starts no escape, %%00, octets outside ASCII, and ".." beside other
# escapes; browsers send none of these. An exempt path counts as one also where its slashes are written %%2F, and a
# capture that goes into a host is taken only where it is not percent-encoded. A host that is not here gets 421, or no
# TLS connection, and never another site's page.
`

const nginxCommon = `
# A $ cannot be written in nginx's own strings.
geo $up_dollar { default "$"; }

# How the path is spelt: right where nothing in it would be written otherwise, percent-encoded or not; dotted with dot
# segments, which nginx's own $uri is without; odd with needless escapes such as %61 for a, or escapes in lower case.
map $request_uri $up_spelt {
    default refused;
    "~^(?<up_right>(?<up_start>/(?!\\.\\.?(?:[/?]|$))[!$&-.0-;=@-Z_a-z~]*+(?:%(?:[0189A-F][0-9A-F]|2[0-9A-CF]|3[A-F]|[46]0|5[B-E]|7[BCDF])[!$&-.0-;=@-Z_a-z~]*+)*+)(?:/(?!\\.\\.?(?:[/?]|$))[!$&-.0-;=@-Z_a-z~]*+(?:%(?:[0189A-F][0-9A-F]|2[0-9A-CF]|3[A-F]|[46]0|5[B-E]|7[BCDF])[!$&-.0-;=@-Z_a-z~]*+)*+)*+)(?:\\?[!-\"$-~]*+)?$" right;
    "~[^!-\\x7e]|#" refused;
    "~^[^?%]*/\\.\\.?(?:/[^?%]*)?(?:\\?|$)" dotted;
    "~^[^?]*/(?:\\.|%2[Ee])(?:\\.|%2[Ee])?(?:[/?]|$)" refused;
    "~^(?<up_raw>/[^?]*)" odd;
}
# The path is in $up_right, which patterns read; the others are in $up_odd, for patterns with every octet spelled out.
map $up_spelt $up_odd {
    default "";
    dotted $uri;
    odd $up_raw;
}

# The decoded path, for looking up whole paths; empty where decoding would take an encoded / or its like for a plain
# one.
map $up_right $up_key {
    default $up_right;
    "" $up_decoded;
    "~%" $up_decoded;
}
map $request_uri $up_decoded {
    default "";
    "~^(?:[^?%]++|%(?!2[1346789ABCFabcf]|3[ABDFabdf]|40|5[BDbd]))*+(?:\\?|$)" $uri;
}
# Maps ignore case, URLs do not: whole paths without capitals are looked up only for paths without capitals.
map $up_right $up_low {
    default $up_right;
    "" $up_decoded_low;
    "~[A-Z%]" $up_decoded_low;
}
map $up_decoded $up_decoded_low {
    default $up_decoded;
    "~[A-Z]" "";
}

# The query, ready to be put behind another.
map $args $up_more {
    "" "";
    default "&$args";
}
`

func (n *nginx) file() []byte {
	var b bytes.Buffer
	place := strings.TrimSuffix(n.options.Place, "/") + "/nginx.conf"
	fmt.Fprintf(&b, nginxHead, commentSafe(place), commentSafe(n.options.Certificates),
		commentSafe(n.options.Challenges))
	fmt.Fprint(&b, n.sizes(), nginxCommon)
	if n.options.Log != "" {
		fmt.Fprintf(&b, "\n# What is logged of these hosts: who asked for what, and where it was led.\n"+
			"log_format up_%s '$host $remote_addr [$time_local] \"$request\" $status '\n"+
			"    '$sent_http_location';\n", n.tag)
	}
	if remember := remembers(n.blocks); remember != "" {
		fmt.Fprintf(&b, "\n# For how long browsers may keep a permanent redirect (policy.remember).\n"+
			"map $status $up_%s_remember {\n    default \"\";\n    301 %[2]s;\n    308 %[2]s;\n}\n", n.tag,
			quote(remember))
	}
	if n.shared.Len() > 0 {
		fmt.Fprintf(&b, "\n# What differs by scheme where one server answers both.\n%s", n.shared.Bytes())
	}
	if n.starts.Len() > 0 {
		fmt.Fprint(&b,
			"\n# How the path begins: its first segments, or its first octets; of odd ones decoded.\n")
	}
	for _, text := range []*bytes.Buffer{&n.starts, &n.queries, &n.maps} {
		b.Write(text.Bytes())
	}
	if !n.options.Beside {
		fmt.Fprint(&b, "\n# Hosts that are not here.\n")
		n.unknownHosts(&b)
	}
	b.Write(n.text.Bytes())
	return b.Bytes()
}

// sizes enlarges nginx's hash tables where the defaults are too small.
func (n *nginx) sizes() string {
	var s string
	if n.longest > 40 || n.most > 700 {
		s += fmt.Sprintf("map_hash_bucket_size %d;\n", powerOfTwo(max(n.longest+40, 256)))
	}
	if n.most > 700 {
		s += fmt.Sprintf("map_hash_max_size %d;\n", powerOfTwo(4*n.most))
	}
	longestName, names := 0, 0
	for _, b := range n.blocks {
		for _, name := range b.names {
			longestName, names = max(longestName, len(name)), names+1
		}
	}
	if longestName > 40 {
		s += fmt.Sprintf("server_names_hash_bucket_size %d;\n", powerOfTwo(longestName+40))
	}
	if names > 400 {
		s += fmt.Sprintf("server_names_hash_max_size %d;\n", powerOfTwo(2*names))
	}
	named := 0
	for _, text := range []*bytes.Buffer{&n.starts, &n.queries, &n.maps} {
		named += bytes.Count(text.Bytes(), []byte("\nmap "))
	}
	if named > 20 {
		s += fmt.Sprintf("variables_hash_max_size %d;\nvariables_hash_bucket_size 128;\n",
			powerOfTwo(4*named+1024))
	}
	if s != "" {
		s = "\n# If nginx says that one of these is there already, keep the larger one.\n" + s
	}
	return s
}

func powerOfTwo(least int) int {
	n := 64
	for n < least {
		n *= 2
	}
	return n
}

func (n *nginx) unknownHosts(b *bytes.Buffer) {
	fmt.Fprint(b, "server {\n")
	n.listens(b, web.HTTP, " default_server")
	n.listens(b, web.HTTPS, " default_server")
	fmt.Fprint(b,
		"    server_name _;\n    merge_slashes off;\n    ssl_reject_handshake on;\n    return 421;\n}\n")
}

// listens writes where a scheme is listened for.
func (n *nginx) listens(w *bytes.Buffer, scheme web.Scheme, more string) {
	addresses := n.options.HTTP
	if scheme == web.HTTPS {
		addresses, more = n.options.HTTPS, " ssl"+more
	}
	var all []string
	for _, l := range addresses {
		all = append(all, fmt.Sprintf("listen %s%s;", l, more))
	}
	fmt.Fprintf(w, "    %s\n", strings.Join(all, " "))
}

// both is a block, and that of the other scheme where the same hosts answer the same there: one
// server says it for both.
type both struct {
	block
	other *block
}

// schemes gives the block of https, and that of http; nil where there is none.
func (b both) schemes() (secure, plain *block) {
	for _, x := range []*block{&b.block, b.other} {
		switch {
		case x == nil:
		case x.Scheme == web.HTTPS:
			secure = x
		default:
			plain = x
		}
	}
	return secure, plain
}

// mostRead is how many rules a file may have that somebody reads through.
const mostRead = 2000

// pairs puts blocks together that answer alike over http and https, in the order of the first ones.
// A file that is too long to be read is written for speed: what tells the schemes apart in one
// server takes a tenth of its time.
func (n *nginx) pairs() []both {
	var all []both
	rules := 0
	for _, t := range n.tables {
		rules += len(t.entries)
	}
	at := map[string]int{}
	for i := range n.blocks {
		b := &n.blocks[i]
		answers := ""
		if b.table == nil {
			answers = fmt.Sprint(b.Status, n.constant(b.Treatment))
		}
		key := fmt.Sprintf("%s %p %s %s", strings.Join(b.names, " "), b.table, answers, b.Remember)
		if j, known := at[key]; known && all[j].other == nil && all[j].Scheme != b.Scheme &&
			rules <= mostRead {
			all[j].other = b
			continue
		}
		at[key] = len(all)
		all = append(all, both{block: *b})
	}
	return all
}

// servers writes a server for each block, or for two that answer alike.
func (n *nginx) servers() {
	domain := ""
	for _, b := range n.pairs() {
		if name := b.Domain.Name.Unicode(); name != domain {
			domain = name
			fmt.Fprintf(&n.text, "\n# %s\n", commentSafe(name))
		}
		n.server(b)
	}
}

func (n *nginx) server(b both) {
	w := &n.text
	secure, plain := b.schemes()
	fmt.Fprint(w, "server {\n")
	if plain != nil {
		n.listens(w, web.HTTP, "")
	}
	if secure != nil {
		n.listens(w, web.HTTPS, "")
	}
	fmt.Fprintf(w, "    server_name %s;\n    merge_slashes off;\n", strings.Join(b.names, " "))
	if secure != nil {
		at := strings.TrimSuffix(n.options.Certificates, "/") + "/" + b.Domain.Name.String()
		fmt.Fprintf(
			w,
			"    ssl_certificate     %s;\n    ssl_certificate_key %s;\n",
			quoteValue(at+".crt"),
			quoteValue(at+".key"),
		)
	}
	if n.options.Log != "" {
		fmt.Fprintf(w, "    access_log %s up_%s;\n", quoteValue(n.options.Log), n.tag)
	}
	fmt.Fprintf(w, "    include %s;\n",
		quoteValue(strings.TrimSuffix(n.options.Place, "/")+"/own/*.conf"))
	switch {
	case secure == nil || secure.HSTS == "":
	case plain == nil:
		fmt.Fprintf(w, "    add_header Strict-Transport-Security %s always;\n", quote(secure.HSTS))
	default:
		fmt.Fprintf(w, "    add_header Strict-Transport-Security %s always;\n", n.overTLS(secure.HSTS))
	}
	if b.Remember != "" {
		fmt.Fprintf(w, "    add_header Cache-Control $up_%s_remember always;\n", n.tag)
	}
	fmt.Fprint(w, "    if ($up_spelt = refused) { return 400; }\n")
	n.exempt(w, secure, plain)
	if b.table == nil {
		fmt.Fprintf(w, "    location / { return %d %s; }\n}\n", b.Status, n.constant(b.Treatment))
		return
	}
	n.location(b.table)
	fmt.Fprint(w, "}\n")
}

// overTLS gives the variable that holds a header's value where a request came over TLS.
func (n *nginx) overTLS(value string) string {
	number, known := n.headers[value]
	if !known {
		number = len(n.headers) + 1
		n.headers[value] = number
		fmt.Fprintf(&n.shared, "map $https $up_%s_hsts%d { default \"\"; on %s; }\n", n.tag, number,
			quote(value))
	}
	return fmt.Sprintf("$up_%s_hsts%d", n.tag, number)
}

// exempt writes what is never redirected: in one server for both schemes, where that differs by
// scheme, by a map, since a location does not ask for it.
func (n *nginx) exempt(w *bytes.Buffer, secure, plain *block) {
	var of [2][]string
	for i, b := range []*block{plain, secure} {
		if b != nil {
			of[i] = b.Exempt
		}
	}
	files := fmt.Sprintf("root %s; default_type text/plain;", quoteValue(n.options.Challenges))
	if secure == nil || plain == nil || slices.Equal(of[0], of[1]) {
		for _, e := range slices.Concat(of[:]...)[:max(len(of[0]), len(of[1]))] {
			fmt.Fprintf(w, "    location ^~ %s { %s }\n", quote(web.Decode(e)), files)
		}
		return
	}
	var entries strings.Builder
	for i, scheme := range []web.Scheme{web.HTTP, web.HTTPS} {
		for _, e := range of[i] {
			fmt.Fprintf(&entries, " %s 1;", quote("~^"+string(scheme)+regexp.QuoteMeta(web.Decode(e))))
		}
	}
	number, known := n.exempts[entries.String()]
	if !known {
		number = len(n.exempts) + 1
		n.exempts[entries.String()] = number
		fmt.Fprintf(&n.shared, "map $scheme$uri $up_%s_exempt%d { default \"\";%s }\n", n.tag, number,
			entries.String())
	}
	fmt.Fprintf(w, "    error_page 418 = @exempt; if ($up_%s_exempt%d) { return 418; }\n"+
		"    location @exempt { %s }\n", n.tag, number, files)
}

// location writes what happens to what the maps of a table found, or to what they did not find.
func (n *nginx) location(t *table) {
	w, d := &n.text, t.door
	before, behind := "        ", "\n    }"
	if t.found == "" { // there is one line
		fmt.Fprint(w, "    location / {")
		before, behind = " ", " }"
	} else {
		fmt.Fprint(w, "    location / {\n")
	}
	if t.found != "" {
		for _, s := range rule.Statuses {
			switch {
			case !t.marked[s]:
			case s == rule.Gone:
				fmt.Fprintf(w, "        if (%s = %d) { return %d; }\n", t.found, s, s)
			default:
				fmt.Fprintf(w, "        if (%s ~ \"^%d:(?<up_t>.+)$\") { return %d $up_t; }\n", t.found, s, s)
			}
		}
		if t.unmarked {
			fmt.Fprintf(w, "        if (%s) { return %d %s$is_args$args; }\n", t.found, d.Status, t.found)
		}
	}
	base, query := quoteText(d.Home.Door().String()), n.query(quoteText(d.Home.Query()), d.DropsQuery)
	switch {
	case d.Fallback == estate.Gone && !d.DropsPath:
		fmt.Fprintf(w, "%sreturn %d;%s\n", before, rule.Gone, behind)
	case d.Fallback == estate.SamePath && !d.DropsPath:
		at := base + quoteText(strings.TrimSuffix(d.Home.Path(), "/"))
		fmt.Fprintf(w, "%sreturn %d \"%s$up_right$up_odd%s\";%s\n", before, d.Status, at, query,
			behind)
	default:
		fmt.Fprintf(w, "%sreturn %d \"%s%s%s\";%s\n", before, d.Status, base,
			quoteText(d.Home.Path()), query, behind)
	}
}

// constant writes the target of a door that asks no rule: the same path elsewhere, within its
// limits.
func (n *nginx) constant(d predict.Treatment) string {
	to := web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}
	if d.Does == predict.ToSite {
		to = d.Canonical
	}
	path, query := "$up_right$up_odd", "$is_args$args"
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	return fmt.Sprintf("\"%s%s%s\"", quoteText(to.String()), path, query)
}

// The most octets that nginx reads as one word of its configuration, with some room.
const mostWord = 3900

// mostSpelled is how many octets one of a rule becomes at most in an expression, with quotes:
// (?:a|%61) and its like.
const mostSpelled = 24

// nginxBars says why nginx cannot hold a rule, "" where it can.
func nginxBars(r *rule.Rule, hashable bool) string {
	for _, p := range r.Old.Parts {
		if strings.Contains(p.Literal, "%00") {
			return "nginx refuses every path with %00"
		}
	}
	old := r.Old.String()
	// however it is written, it is short enough
	if len(old)+len(r.New.String()) < mostWord/mostSpelled {
		return ""
	}
	old = quoteValue(old)
	if !hashable {
		old = quote(bounded(r, intoQuery) + variantRegexp(r, r.Old.Parts, anyCaseSpelling) +
			bounded(r, intoPath) + conditionsRegexp(r))
	}
	if len(old) > mostWord || len(quoteValue(r.New.String())) > mostWord {
		return fmt.Sprintf("it is longer than the %d octets that nginx reads as one word", mostWord)
	}
	return ""
}

// leadsTo writes what a map holds for a rule: its target, before which a status stands where it is
// complete; else the visitor's query is put behind it.
func (n *nginx) leadsTo(t *table, r *rule.Rule) string {
	if r.Status == rule.Gone {
		t.marked[rule.Gone] = true
		return strconv.Quote(strconv.Itoa(rule.Gone))
	}
	door := r.New.Door
	if door.IsZero() {
		door = t.door.Canonical
	}
	at := quoteText(door.String())
	if len(r.New.Host) > 0 {
		at = string(r.New.Scheme) + "://" + n.expanded(r, r.New.Host, sameComponent)
	}
	at += n.expanded(r, r.New.Parts, intoPath)
	query := n.query(n.expanded(r, r.New.Query, intoQuery), r.DropQuery || t.door.DropsQuery,
		keysOf(r)...)
	if r.New.Fragment != "" {
		query += "#" + quoteText(cleanTarget(r.New.Fragment))
	}
	return t.marks(statusOn(r, t.door), at, query)
}

// marks writes a target and its status.
func (t *table) marks(status int, at, query string) string {
	if status == t.door.Status && query == "$is_args$args" {
		t.unmarked = true
		return `"` + at + `"`
	}
	t.marked[status] = true
	return fmt.Sprintf("\"%d:%s%s\"", status, at, query)
}

// expanded writes parts of a target, captures as variables.
func (n *nginx) expanded(r *rule.Rule, parts []rule.Part, component component) string {
	var b strings.Builder
	for _, p := range parts {
		if !p.IsCapture() {
			b.WriteString(quoteText(cleanTarget(p.Literal)))
			continue
		}
		number := captureNumber(r.Old, p.Name)
		if into := movesInto(r, p.Name, component); into != sameComponent {
			b.WriteString(n.moved(number, into))
			continue
		}
		fmt.Fprintf(&b, "${up_c%d}", number)
	}
	return b.String()
}

// moved writes the maps that bring a capture into another component, and returns the last one's
// variable.
func (n *nginx) moved(number int, into component) string {
	from, round := fmt.Sprintf("${up_c%d}", number), 0
	last := func() string {
		return fmt.Sprintf("${up_%s_%s%d_%d}", n.tag, into, number, round)
	}
	key := fmt.Sprint(into, number)
	for _, x := range exchanges[into] {
		for _, most := range x.rounds {
			round++
			if !n.moves[key] {
				n.exchange(x, most, from, last())
			}
			from = last()
		}
	}
	n.moves[key] = true
	return from
}

// exchange writes a map that writes so many of a character otherwise. A request may ask for it
// twice, with another capture each time: nothing of it is kept.
func (n *nginx) exchange(x exchange, most int, from, to string) {
	is := x.splits(most, func(i int) string { return fmt.Sprintf("(?<up_m%d>", i+1) })
	then := x.joins(most, x.instead, func(i int) string { return fmt.Sprintf("${up_m%d}", i+1) })
	plain := strings.NewReplacer("{", "", "}", "")
	fmt.Fprintf(&n.queries, "map %s %s {\n    volatile;\n    default %s;\n    %s \"%s\";\n}\n",
		plain.Replace(from), plain.Replace(to), plain.Replace(from), quote("~"+is), then)
}

// keysOf gives the parameters that a rule asks for, and uses up.
func keysOf(r *rule.Rule) []string {
	var keys []string
	for _, c := range r.Old.Query {
		keys = append(keys, c.Key)
	}
	return keys
}

// query writes the query of a target: its own first, as it stands in a quoted value, then the
// visitor's without the keys that it sets itself and those that are used up.
func (n *nginx) query(own string, drop bool, used ...string) string {
	switch {
	case own == "" && drop:
		return ""
	case own == "" && len(used) == 0:
		return "$is_args$args"
	case drop:
		return "?" + own
	case own == "":
		return n.stripped("ask", n.strip(own, used))
	}
	return "?" + own + n.stripped("rest", n.strip(own, used))
}

// strip writes the maps that take keys from a query, up to three times, and returns their number.
func (n *nginx) strip(own string, used []string) int {
	set := keysRegexp(own, used)
	if number, have := n.strips[set]; have {
		return number
	}
	number := len(n.strips) + 1
	n.strips[set] = number
	from := "$up_more"
	if number == 1 {
		fmt.Fprint(&n.queries, "\n# The visitor's query without what a target sets itself or a rule "+
			"uses up; a key that comes more than three times stays.\n")
	}
	for round := 1; round <= 3; round++ {
		to := fmt.Sprintf("$up_%s_less%d_%d", n.tag, number, round)
		fmt.Fprintf(&n.queries, "map %s %s { default %[1]s; %[3]s \"$up_l$up_r\"; }\n", from, to,
			quote("~^(?<up_l>.*?)&(?:"+set+")(?:=[^&]*)?(?<up_r>(?:&.*)?)$"))
		from = to
	}
	return number
}

// stripped gives the variable of what is left of a query: behind another query (rest), or with its
// question mark (ask).
func (n *nginx) stripped(what string, number int) string {
	name := fmt.Sprintf("$up_%s_%s%d", n.tag, what, number)
	if n.started[name] {
		return name
	}
	n.started[name] = true
	from := fmt.Sprintf("$up_%s_less%d_3", n.tag, number)
	if what == "rest" {
		fmt.Fprintf(&n.queries, "map %s %s { default %[1]s; \"&\" \"\"; }\n", from, name)
	} else {
		fmt.Fprintf(&n.queries, "map %s %s { default \"\"; \"~^&(?<up_l>.+)$\" \"?$up_l\"; }\n", from,
			name)
	}
	return name
}

// quote writes a text as one word of nginx's configuration, in which variables are not looked for.
func quote(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, c := range []byte(s) {
		switch c {
		case '"', '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case '\n':
			b.WriteString(`\n`)
		case '\r':
			b.WriteString(`\r`)
		case '\t':
			b.WriteString(`\t`)
		default:
			b.WriteByte(c)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// quoteText writes a text for the inside of a quoted value, in which variables are looked for.
func quoteText(s string) string {
	q := quote(s)
	return strings.ReplaceAll(q[1:len(q)-1], "$", "${up_dollar}")
}

func quoteValue(s string) string { return `"` + quoteText(s) + `"` }
