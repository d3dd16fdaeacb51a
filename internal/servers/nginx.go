package servers

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

var nginxWriter = Writer{
	Name:  "nginx",
	Title: "nginx 1.19.4 or newer",
	About: `It makes an include file for the http context: a server for the doors that answer alike, exact rules looked up in
maps, patterns by how their paths begin, path and query kept as the rules and the carrier's limits say.`,
	Comment: "# ",
	Options: Options{HTTP: []string{"80", "[::]:80"}, HTTPS: []string{"443", "[::]:443"},
		Certificates: "/etc/nginx/upperpath/certificates", Challenges: "/var/www/upperpath-challenges", Place: "/etc/nginx/upperpath"},
	write: writeNginx,
}

func writeNginx(doors predictedDoors, o Options) (Output, error) {
	n := nginx{options: o, strips: map[string]int{}}
	n.blocks, n.tables = blocksOf(doors, func(t *table, entries []rule.Entry) {
		t.sortOut(entries, true, nginxBars, func(r *rule.Rule, why string) {
			n.findings = append(n.findings, beyond("nginx", r.Place(), r.Old.String(), why, r.Line))
		})
	})
	for _, t := range n.tables {
		n.table(t)
	}
	n.servers()
	return Output{Files: []File{{"nginx.conf", n.file()}}, Findings: n.findings, Doors: len(doors), Steps: []string{
		"put the certificates where its first lines say: a file DOMAIN.crt and DOMAIN.key for each domain",
		"copy it to the server, and include it in the http context of nginx",
		"nginx -t, then nginx -s reload"}}, nil
}

type nginx struct {
	options  Options
	blocks   []block
	tables   []*table
	maps     bytes.Buffer
	text     bytes.Buffer   // the servers
	strips   map[string]int // keys that a target sets to the number of the maps that take them from a query
	findings []finding.Finding
	longest  int // of a key in a map
	most     int // keys in one map
	named    int // variables
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
# How a request is answered: most whole paths stand in a map with their targets, each with its line of rules.csv behind it.
# Else $up_rule becomes the line of the rule that takes it, found by the whole path in a second map, or by the patterns of
# the location that it falls into; each pattern stands below its rule. Then a map of targets says where that line leads.
#
# A line "pcre_jit on;" at the top of nginx.conf makes all of this faster.
#
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %%7E is ~, but %%2F is not /. What nginx itself refuses
# stays refused with 400: a %% that starts no escape, %%00, octets outside ASCII, and ".." beside other escapes; browsers
# send none of these. An exempt path counts as one also where its slashes are written %%2F, and a capture that goes into a
# host is taken only where it is not percent-encoded. A host that is not here gets 421, or no TLS connection, and never
# another site's page.
`

const nginxCommon = `
# A $ cannot be written in nginx's own strings.
geo $up_dollar { default "$"; }

# How the path is spelt: plain where nothing of it is percent-encoded, and nothing stands in it that browsers would encode:
# then nginx's own $uri is the path as it came, without dot segments; encoded where only that is encoded which has to be.
map $request_uri $up_spelt {
    default odd;
    "~^/[!$&-;=@-Z_a-z~]*(?:\\?[!-\"$-~]*)?$" plain;
    "~^(?<up_n>(?:/(?!(?:\\.|%2[Ee]){1,2}(?:[/?]|$))(?:[!$&-.0-;=@-Z_a-z~]++|%(?!2[DE]|3[0-9]|4[1-9A-F]|5[0-9AF]|6[1-9A-F]|7[0-9AE])[0-9A-F]{2})*+)+)(?:\\?[!-\"$-~]*)?$" encoded;
}

# The path as it came, without dot segments; empty for what is refused.
map $up_spelt $up_path {
    default $up_raw;
    plain $uri;
    encoded $up_n;
}
map $request_uri $up_raw {
    default "";
    "~[^!-\\x7e]|#" "";
    "~^[^?%]*/\\.\\.?(?:/[^?%]*)?(?:\\?|$)" $uri;
    "~^[^?]*/(?:\\.|%2[Ee])(?:\\.|%2[Ee])?(?:[/?]|$)" "";
    "~^(?<up_p>/[^?]*)" $up_p;
}

# Only odd paths, with needless escapes such as %61 for a or escapes in lower case, meet patterns with every octet spelled out.
map $up_spelt $up_form {
    default right;
    odd odd;
}

# The decoded path, for looking up whole paths; empty where decoding would take an encoded / or its like for a plain one.
map $up_spelt $up_key {
    default $up_decoded;
    plain $uri;
}
# The same for hosts of which no whole path has to be encoded.
map $up_spelt $up_bare {
    default $up_decoded;
    plain $uri;
    encoded "";
}
map $request_uri $up_decoded {
    default "";
    "~^(?:[^?%]++|%(?!2[1346789ABCFabcf]|3[ABDFabdf]|40|5[BDbd]))*+(?:\\?|$)" $uri;
}

# Maps ignore case, URLs do not: whole paths without capitals are looked up only for paths without capitals.
map $up_key $up_key_small {
    default $up_key;
    "~[A-Z]" "";
}
map $up_bare $up_bare_small {
    default $up_bare;
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
	fmt.Fprintf(&b, nginxHead, commentSafe(place), commentSafe(n.options.Certificates), commentSafe(n.options.Challenges))
	fmt.Fprint(&b, n.sizes(), nginxCommon)
	b.Write(n.maps.Bytes())
	fmt.Fprintf(&b, "\n# Hosts that are not here.\n")
	n.unknownHosts(&b)
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
	if n.named > 150 {
		s += fmt.Sprintf("variables_hash_max_size %d;\nvariables_hash_bucket_size 128;\n", powerOfTwo(4*n.named))
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
	for _, l := range n.options.HTTP {
		fmt.Fprintf(b, "    listen %s default_server;\n", l)
	}
	fmt.Fprint(b, "    server_name _;\n    merge_slashes off;\n    return 421;\n}\nserver {\n")
	for _, l := range n.options.HTTPS {
		fmt.Fprintf(b, "    listen %s ssl default_server;\n", l)
	}
	fmt.Fprint(b, "    server_name _;\n    merge_slashes off;\n    ssl_reject_handshake on;\n    return 421;\n}\n")
}

// servers writes a server for each block.
func (n *nginx) servers() {
	domain := ""
	for _, b := range n.blocks {
		if name := b.Domain.Name.Unicode(); name != domain {
			domain = name
			fmt.Fprintf(&n.text, "\n# %s\n", commentSafe(name))
		}
		n.server(b)
	}
}

func (n *nginx) server(b block) {
	w := &n.text
	fmt.Fprint(w, "server {\n")
	listens, ssl := n.options.HTTP, ""
	if b.Scheme == web.HTTPS {
		listens, ssl = n.options.HTTPS, " ssl"
	}
	for _, l := range listens {
		fmt.Fprintf(w, "    listen %s%s;\n", l, ssl)
	}
	fmt.Fprintf(w, "    server_name %s;\n    merge_slashes off;\n", strings.Join(b.names, " "))
	if b.Scheme == web.HTTPS {
		at := strings.TrimSuffix(n.options.Certificates, "/") + "/" + b.Domain.Name.String()
		fmt.Fprintf(w, "    ssl_certificate     %s;\n    ssl_certificate_key %s;\n", quoteValue(at+".crt"), quoteValue(at+".key"))
	}
	fmt.Fprint(w, "    if ($up_path = \"\") { return 400; }\n")
	if t := b.table; t != nil {
		fmt.Fprint(w, "    set $up_rule \"\";\n    set $up_way $up_form;\n")
		if len(t.straight) > 0 {
			fmt.Fprintf(w, "    if ($up%d_straight) { set $up_rule straight; set $up_way found; }\n", t.number)
		}
		found := fmt.Sprintf("$up%d_whole = %s", t.number, t.key())
		if t.door.Paths.IgnoreCase {
			found = fmt.Sprintf("$up%d_line", t.number)
		}
		if t.looksUp() && t.hasLines() {
			fmt.Fprintf(w, "    if (%s) { set $up_rule $up%d_line; set $up_way found; }\n", found, t.number)
		}
	}
	for _, e := range b.Exempt {
		fmt.Fprintf(w, "    location ^~ %s { root %s; default_type text/plain; }\n", quote(web.Decode(e)), quoteValue(n.options.Challenges))
	}
	if b.table == nil {
		fmt.Fprintf(w, "    location / { return %d %s; }\n}\n", b.Status, n.constant(b.Door))
		return
	}
	t := b.table
	buckets := t.buckets()
	if !t.door.Paths.IsExact() || t.door.DropsPath {
		buckets = buckets[:1] // a map finds the bucket
	}
	for _, k := range buckets {
		n.location(t, k)
	}
	fmt.Fprint(w, "}\n")
}

// location writes what happens to paths that begin as those of a bucket do.
func (n *nginx) location(t *table, k *bucket) {
	w, prefix := &n.text, "/"
	if k.number > 0 {
		prefix = quote(k.prefix)
	}
	fmt.Fprintf(w, "    location %s {\n", prefix)
	if !k.isEmpty(t) || t.bySegment {
		n.asks(t, k)
	}
	for _, s := range t.statuses {
		if s == rule.Gone {
			fmt.Fprintf(w, "        if ($up%d_status = %d) { return %d; }\n", t.number, s, s)
		} else {
			fmt.Fprintf(w, "        if ($up%d_status = %d) { return %d $up%d_to$up%d_query; }\n", t.number, s, s, t.number, t.number)
		}
	}
	fmt.Fprintf(w, "        return %d $up%d_to$up%d_query;\n    }\n", t.door.Status, t.number, t.number)
}

// constant writes the target of a door that asks no rule: the same path elsewhere, within its limits.
func (n *nginx) constant(d predict.Door) string {
	to := web.Door{Scheme: web.HTTPS, Host: d.Asked.Host}
	if d.Does == predict.ToSite {
		to = d.Canonical
	}
	path, query := "$up_path", "$is_args$args"
	if d.DropsPath {
		path = "/"
	}
	if d.DropsQuery {
		query = ""
	}
	return fmt.Sprintf("\"%s%s%s\"", quoteText(to.String()), path, query)
}

// asks writes that the patterns of a bucket are tried where no whole path was found: as they are, or for odd paths spelled out.
func (n *nginx) asks(t *table, k *bucket) {
	plain, odd := fmt.Sprintf("$up%d_p%d", t.number, k.number), fmt.Sprintf("$up%d_o%d", t.number, k.number)
	switch {
	case t.door.DropsPath:
		fmt.Fprintf(&n.text, "        set $up_rule %s;\n", plain)
		return
	case !t.door.Paths.IsExact() && t.bySegment:
		plain, odd = fmt.Sprintf("$up%d_p", t.number), fmt.Sprintf("$up%d_o", t.number)
	}
	fmt.Fprintf(&n.text, "        if ($up_way = right) { set $up_rule %s; }\n        if ($up_way = odd) { set $up_rule %s; }\n", plain, odd)
}

// buckets parts the patterns of a table.
func (t *table) buckets() []*bucket {
	if t.door.Paths.IsExact() && !t.door.DropsPath {
		return bucketsOf(t.patterns, decodedHead)
	}
	if t.door.DropsPath {
		return []*bucket{{patterns: t.patterns}}
	}
	return bucketsBySegment(t.patterns, t.door.Paths)
}

// table writes the maps that lead from a path to a rule, and from a rule to its target and status. A rule is known by its line in
// rules.csv.
func (n *nginx) table(t *table) {
	fmt.Fprintf(&n.maps, "\n# The rules of %s, by their lines in rules.csv.\n", commentSafe(strings.Join(t.hosts, ", ")))
	n.straighten(t)
	n.whole(t)
	buckets := t.buckets()
	t.bySegment = len(buckets) > 1 && !t.door.Paths.IsExact()
	for _, k := range buckets {
		n.bucket(t, k, false)
	}
	n.targets(t)
	if t.door.DropsPath {
		return
	}
	for _, k := range buckets {
		n.bucket(t, k, true)
	}
	if t.bySegment {
		n.segments(t, buckets)
	}
}

// segments writes the maps that find the bucket of a path by its first segment.
func (n *nginx) segments(t *table, buckets []*bucket) {
	w := &n.maps
	fmt.Fprintf(w, "map $uri $up%d_segment { \"~^(?<up_s>/[^/]*)\" $up_s; }\n", t.number)
	for _, letter := range "po" {
		otherwise := fmt.Sprintf("$up%d_%c0", t.number, letter)
		if buckets[0].isEmpty(t) {
			otherwise = `""`
		}
		fmt.Fprintf(w, "map $up%d_segment $up%d_%c {\n    default %s;\n", t.number, t.number, letter, otherwise)
		for _, k := range buckets[1:] {
			n.longest = max(n.longest, len(k.prefix))
			fmt.Fprintf(w, "    %s $up%d_%c%d;\n", quote(k.prefix), t.number, letter, k.number)
		}
		fmt.Fprint(w, "}\n")
	}
	n.most = max(n.most, len(buckets))
}

// key names the variable that is looked up among whole paths.
func (t *table) key() string {
	encoded := func(path string) bool { return strings.Trim(path, plainOctets) != "" }
	if slices.ContainsFunc(t.exact, func(e exactRule) bool { return encoded(e.path) }) ||
		slices.ContainsFunc(t.asking, func(e rule.Entry) bool { return encoded(web.Decode(e.Rule.Old.Parts[0].Literal)) }) {
		return "$up_key"
	}
	return "$up_bare"
}

// What stands in a path that is spelt plain.
const plainOctets = "!$&'()*+,-./0123456789:;=@ABCDEFGHIJKLMNOPQRSTUVWXYZ_abcdefghijklmnopqrstuvwxyz~"

// hasLines tells whether some whole path leads to a line and not straight to its target: "/" does where no rule takes it.
func (t *table) hasLines() bool {
	return len(t.asking) > 0 || !t.rootTried && !slices.ContainsFunc(t.exact, func(e exactRule) bool { return e.path == "/" }) ||
		slices.ContainsFunc(t.exact, func(e exactRule) bool { return !t.straight[e.rule] })
}

// straighten finds the rules of whole paths that lead straight to their targets: their statuses are the door's, the query comes behind the
// target, and a map that ignores case cannot mistake them.
func (n *nginx) straighten(t *table) {
	t.straight = map[*rule.Rule]bool{}
	for _, e := range t.exact {
		t.straight[e.rule] = true
	}
	asking := map[string]bool{}
	for _, e := range t.asking {
		for _, v := range t.door.Paths.Variants(e.Rule.Old.Parts) {
			asking[web.Decode(v.Parts[0].Literal)] = true
		}
	}
	for _, e := range t.exact {
		_, apart := n.target(e.rule, t.door)
		capitals := strings.ContainsFunc(e.path, func(c rune) bool { return c >= 'A' && c <= 'Z' })
		if !apart || asking[e.path] || e.rule.Status != 0 && e.rule.Status != t.door.Status || capitals && !t.door.Paths.IgnoreCase {
			delete(t.straight, e.rule)
		}
	}
	for _, e := range t.patterns {
		delete(t.straight, e.Rule)
	}
	if len(t.straight) == 0 {
		return
	}
	from := t.key() + "_small"
	if t.door.Paths.IgnoreCase {
		from = t.key()
	}
	fmt.Fprintf(&n.maps, "map %s $up%d_straight {\n    default \"\";\n", from, t.number)
	for _, e := range t.exact {
		if t.straight[e.rule] {
			n.longest, n.most = max(n.longest, len(e.path)), max(n.most, len(t.exact))
			target, _ := n.target(e.rule, t.door)
			fmt.Fprintf(&n.maps, "    %s %s; # %d\n", quote(e.path), target, e.rule.Line)
		}
	}
	fmt.Fprint(&n.maps, "}\n")
}

// whole writes the maps of whole paths: their rules, and where a rule asks for a parameter of the query, which one is taken.
func (n *nginx) whole(t *table) {
	asking := map[string][]*rule.Rule{}
	var paths []string
	for _, e := range t.asking {
		for _, v := range t.door.Paths.Variants(e.Rule.Old.Parts) {
			key := web.Decode(v.Parts[0].Literal)
			if asking[key] == nil {
				paths = append(paths, key)
			}
			asking[key] = append(asking[key], e.Rule)
		}
	}
	lines := map[string]string{}
	exact := slices.DeleteFunc(slices.Clone(t.exact), func(e exactRule) bool { return t.straight[e.rule] })
	for _, e := range exact {
		lines[e.path] = fmt.Sprint(e.rule.Line)
	}
	if lines["/"] == "" && !t.rootTried && !slices.ContainsFunc(t.exact, func(e exactRule) bool { return e.path == "/" }) {
		lines["/"] = "root"
	}
	w := &n.maps
	for i, path := range paths {
		fmt.Fprintf(w, "map $args $up%d_q%d { # %s\n    default %s;\n", t.number, i+1, commentSafe(path), quote(lines[path]))
		for _, r := range asking[path] {
			fmt.Fprintf(w, "    # %s\n    %s %d;\n", commentSafe(r.Old.String()), quote("~^"+conditionsRegexp(r)), r.Line)
		}
		fmt.Fprint(w, "}\n")
		lines[path] = fmt.Sprintf("$up%d_q%d", t.number, i+1)
		n.named++
	}
	if len(lines) == 0 {
		return
	}
	order := make([]string, 0, len(lines))
	for _, e := range exact {
		order = append(order, e.path)
	}
	for _, path := range paths {
		if !slices.ContainsFunc(exact, func(e exactRule) bool { return e.path == path }) {
			order = append(order, path)
		}
	}
	if lines["/"] == "root" {
		order = append(order, "/")
	}
	fmt.Fprintf(w, "map %s $up%d_line {\n    default \"\";\n", t.key(), t.number)
	for _, path := range order {
		n.longest = max(n.longest, len(path))
		fmt.Fprintf(w, "    %s %s;\n", quote(path), lines[path])
	}
	fmt.Fprint(w, "}\n")
	n.most = max(n.most, len(order))
	if t.door.Paths.IgnoreCase {
		return
	}
	fmt.Fprint(w, "# Maps ignore case, URLs do not: what was found has to be the path to the letter.\n")
	if !t.door.Paths.IsExact() { // a rule has several paths
		fmt.Fprintf(w, "map %s $up%d_paths {\n    default -;\n", t.key(), t.number)
		for _, path := range order {
			fmt.Fprintf(w, "    %s %s;\n", quote(path), quoteValue(path))
		}
		fmt.Fprintf(w, "}\nmap $up%d_line $up%d_whole {\n    default $up%d_paths;\n    \"\" -;\n}\n", t.number, t.number, t.number)
		n.named++
		return
	}
	fmt.Fprintf(w, "map $up%d_line $up%d_whole {\n    default -;\n", t.number, t.number)
	for _, e := range exact {
		fmt.Fprintf(w, "    %d %s;\n", e.rule.Line, quoteValue(e.path))
	}
	for _, e := range t.asking {
		path, _ := e.Rule.Old.Exact()
		fmt.Fprintf(w, "    %d %s;\n", e.Rule.Line, quoteValue(web.Decode(path)))
	}
	if !t.rootTried && lines["/"] != "" && !slices.ContainsFunc(exact, func(e exactRule) bool { return e.path == "/" }) {
		fmt.Fprint(w, "    root \"/\";\n")
	}
	fmt.Fprint(w, "}\n")
}

// bucket writes a map from paths, with the query where a rule asks for it, to lines of rules: for paths in normal form, or with every octet
// spelled out for odd ones.
func (n *nginx) bucket(t *table, k *bucket, odd bool) {
	if k.isEmpty(t) {
		return
	}
	n.named++
	w, mode := &n.maps, t.door.Paths
	asks := slices.ContainsFunc(k.patterns, func(e rule.Entry) bool { return len(e.Rule.Old.Query) > 0 })
	path := "$up_path"
	if t.door.DropsPath {
		path = "/"
	}
	from, end := path, "$"
	if asks {
		from, end = `"`+path+`?$args"`, `\?`
	}
	sign, minds, letter := "~^", "", 'p'
	if mode.IgnoreCase {
		sign = "~*^"
		if asks {
			minds = "(?-i)" // the case of a query counts
		}
	}
	if odd {
		letter = 'o'
		if k.number == 0 || k.number == 1 && k.above.isEmpty(t) {
			fmt.Fprint(w, "# The same patterns with every octet spelled out.\n")
		}
	}
	otherwise := `""`
	if k.above != nil && !k.above.isEmpty(t) {
		otherwise = fmt.Sprintf("$up%d_%c%d", t.number, letter, k.above.number)
	}
	fmt.Fprintf(w, "map %s $up%d_%c%d {\n    default %s;\n", from, t.number, letter, k.number, otherwise)
	for _, e := range k.patterns {
		if !odd {
			fmt.Fprintf(w, "    # %s\n", commentSafe(e.Rule.Old.String()))
		}
		for _, v := range mode.Variants(e.Rule.Old.Parts) {
			fmt.Fprintf(w, "    %s %d;\n", quote(sign+notRegexp(v)+variantRegexp(e.Rule, v.Parts, odd)+end+minds+conditionsRegexp(e.Rule)), e.Rule.Line)
		}
	}
	if k.above == nil && t.rootTried {
		for _, v := range mode.Variants([]rule.Part{{Literal: "/"}}) {
			fmt.Fprintf(w, "    %s root;\n", quote(sign+pathRegexp(rule.Pattern{}, v.Parts, odd)+end))
		}
	}
	fmt.Fprint(w, "}\n")
}

// notRegexp writes what a variant leaves out.
func notRegexp(v rule.Variant) string {
	var b strings.Builder
	for _, end := range v.Not {
		b.WriteString("(?![^?]*" + literalRegexp(end) + `(?:\?|$))`)
	}
	return b.String()
}

// variantRegexp writes a variant of a rule's pattern. A capture that it leaves out is empty, and not what an earlier expression took.
func variantRegexp(r *rule.Rule, v []rule.Part, odd bool) string {
	s := pathRegexp(r.Old, v, odd)
	for i, p := range r.Old.Captures() {
		inPath := slices.ContainsFunc(r.Old.Parts, func(o rule.Part) bool { return o.Name == p.Name })
		if inPath && !slices.ContainsFunc(v, func(o rule.Part) bool { return o.Name == p.Name }) {
			s += fmt.Sprintf("(?<up_c%d>)", i+1)
		}
	}
	return s
}

// conditionsRegexp writes what a rule asks of the query: the first value of each parameter has to fit.
func conditionsRegexp(r *rule.Rule) string {
	var b strings.Builder
	for _, c := range r.Old.Query {
		key := literalRegexp(c.Key)
		value := "=" + partsRegexp(r.Old, c.Parts, `(?:[^/&%]|%[0-9A-Fa-f]{2})+?`, `[^&]*`, true)
		if len(c.Parts) == 0 {
			value = "=?"
		} else if len(c.Parts) == 1 && c.Parts[0].Rest {
			value = fmt.Sprintf("(?:%s)?", value)
		}
		fmt.Fprintf(&b, "(?=(?:(?!%s(?:[=&]|$))[^&]*&)*%s%s(?:&|$))", key, key, value)
	}
	return b.String()
}

// The most octets that nginx reads as one word of its configuration, with some room.
const mostWord = 3900

// nginxBars says why nginx cannot hold a rule, "" where it can.
func nginxBars(r *rule.Rule, hashable bool) string {
	for _, p := range r.Old.Parts {
		if strings.Contains(p.Literal, "%00") {
			return "nginx refuses every path with %00"
		}
	}
	if name := reencoded(r); name != "" {
		return fmt.Sprintf("what {%s} takes moves between path and query and has to be encoded anew, which nginx cannot", name)
	}
	old := quoteValue(r.Old.String())
	if !hashable {
		old = quote(variantRegexp(r, r.Old.Parts, true) + conditionsRegexp(r))
	}
	if len(old) > mostWord || len(quoteValue(r.New.String())) > mostWord {
		return fmt.Sprintf("it is longer than the %d octets that nginx reads as one word", mostWord)
	}
	return ""
}

func (n *nginx) targets(t *table) {
	d := t.door
	var to, own, statuses bytes.Buffer // own: targets that hold a query of their own, or none
	for _, r := range t.all {
		if t.straight[r] {
			continue
		}
		if r.Status == rule.Gone {
			fmt.Fprintf(&statuses, "    %d %d;\n", r.Line, rule.Gone)
			continue
		}
		target, apart := n.target(r, d)
		if !apart {
			fmt.Fprintf(&own, "    %d \"\";\n", r.Line)
		}
		fmt.Fprintf(&to, "    %d %s;\n", r.Line, target)
		if r.Status != 0 && r.Status != d.Status {
			fmt.Fprintf(&statuses, "    %d %d;\n", r.Line, r.Status)
		}
	}
	home := d.Home
	base, query := quoteText(home.Door().String()), ""
	if home.Query() != "" || d.DropsQuery {
		query = n.query(quoteText(home.Query()), d.DropsQuery)
		fmt.Fprint(&own, "    root \"\";\n    \"\" \"\";\n")
	}
	root := fmt.Sprintf("\"%s%s%s\"", base, quoteText(home.Path()), query)
	other := root
	switch d.Fallback {
	case estate.SamePath:
		other = fmt.Sprintf("\"%s%s$up_path%s\"", base, quoteText(strings.TrimSuffix(home.Path(), "/")), query)
	case estate.Gone:
		fmt.Fprintf(&statuses, "    \"\" %d;\n", rule.Gone)
	}
	if d.DropsQuery {
		fmt.Fprintf(&n.maps, "map $up_rule $up%d_query { default \"\"; }\n", t.number)
	} else {
		fmt.Fprintf(&n.maps, "map $up_rule $up%d_query {\n    default $is_args$args;\n%s}\n", t.number, own.String())
	}
	n.named += 3
	if len(t.straight) > 0 {
		fmt.Fprintf(&to, "    straight $up%d_straight;\n", t.number)
	}
	fmt.Fprintf(&n.maps, "map $up_rule $up%d_to {\n%s    root %s;\n    default %s;\n}\n", t.number, to.String(), root, other)
	if statuses.Len() > 0 {
		fmt.Fprintf(&n.maps, "map $up_rule $up%d_status {\n    default %d;\n%s}\n", t.number, d.Status, statuses.String())
	}
}

// target writes where a rule leads, as a value with the captures of its pattern. The visitor's query stands apart where it is only put
// behind the target.
func (n *nginx) target(r *rule.Rule, d predict.Door) (value string, apart bool) {
	door := r.New.Door
	if door.IsZero() {
		door = d.Canonical
	}
	at := quoteText(door.String())
	if len(r.New.Host) > 0 {
		at = string(r.New.Scheme) + "://" + n.expanded(r, r.New.Host)
	}
	at += n.expanded(r, r.New.Parts)
	drops := r.DropQuery || d.DropsQuery
	if !drops && len(r.New.Query) == 0 && r.New.Fragment == "" && len(r.Old.Query) == 0 {
		return `"` + at + `"`, true
	}
	fragment := ""
	if r.New.Fragment != "" {
		fragment = "#" + quoteText(cleanTarget(r.New.Fragment))
	}
	return `"` + at + n.query(n.expanded(r, r.New.Query), drops, keysOf(r)...) + fragment + `"`, false
}

// expanded writes parts of a target, captures as variables.
func (n *nginx) expanded(r *rule.Rule, parts []rule.Part) string {
	var b strings.Builder
	for _, p := range parts {
		if p.IsCapture() {
			fmt.Fprintf(&b, "${up_c%d}", captureNumber(r.Old, p.Name))
		} else {
			b.WriteString(quoteText(cleanTarget(p.Literal)))
		}
	}
	return b.String()
}

// keysOf gives the parameters that a rule asks for, and uses up.
func keysOf(r *rule.Rule) []string {
	var keys []string
	for _, c := range r.Old.Query {
		keys = append(keys, c.Key)
	}
	return keys
}

// query writes the query of a target: its own first, as it stands in a quoted value, then the visitor's without the keys that it sets
// itself and those that are used up.
func (n *nginx) query(own string, drop bool, used ...string) string {
	switch {
	case own == "" && drop:
		return ""
	case own == "" && len(used) == 0:
		return "$is_args$args"
	case drop:
		return "?" + own
	case own == "":
		return fmt.Sprintf("$up_ask%d", n.strip(own, used))
	}
	return fmt.Sprintf("?%s$up_rest%d", own, n.strip(own, used))
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
	fmt.Fprintf(&n.maps, "\n# The visitor's query without what a target sets itself or a rule uses up; a key that comes more than three times stays.\n")
	for round := 1; round <= 3; round++ {
		fmt.Fprintf(&n.maps, "map %s $up_rest%d_%d {\n    default %s;\n    %s \"$up_l$up_r\";\n}\n", from, number, round, from,
			quote("~^(?<up_l>(?:&[^&]*)*?)&(?:"+set+")(?:=[^&]*)?(?<up_r>(?:&.*)?)$"))
		from = fmt.Sprintf("$up_rest%d_%d", number, round)
	}
	fmt.Fprintf(&n.maps, "map %s $up_rest%d {\n    default %s;\n    \"&\" \"\";\n}\n", from, number, from)
	fmt.Fprintf(&n.maps, "map %s $up_ask%d {\n    default \"\";\n    \"~^&(?<up_l>.+)$\" \"?$up_l\";\n}\n", from, number)
	return number
}

// keysRegexp writes the keys that a target sets itself, and those that are used up.
func keysRegexp(own string, used []string) string {
	var keys []string
	for p := range strings.SplitSeq(own, "&") {
		if key, _, _ := strings.Cut(p, "="); key != "" {
			keys = append(keys, literalRegexp(web.NormalQuery(key)))
		}
	}
	for _, key := range used {
		keys = append(keys, literalRegexp(key))
	}
	slices.Sort(keys)
	return strings.Join(slices.Compact(keys), "|")
}

// captureNumber gives the number of a capture among those of a pattern.
func captureNumber(old rule.Pattern, name string) int {
	return 1 + slices.IndexFunc(old.Captures(), func(p rule.Part) bool { return p.Name == name })
}

// pathRegexp writes a pattern. Spelled out (literalRegexp), it takes a raw path exactly where its normal form fits; else (plainRegexp) only
// one that is in normal form.
func pathRegexp(old rule.Pattern, parts []rule.Part, odd bool) string {
	return partsRegexp(old, parts, `(?:[^/%?]|%[0-9A-Fa-f]{2})+?`, `[^?]*`, odd)
}

// partsRegexp writes parts, with what a capture and one of the rest take, and how texts are spelled.
func partsRegexp(old rule.Pattern, parts []rule.Part, one, rest string, odd bool) string {
	var b strings.Builder
	for i, p := range parts {
		if !p.IsCapture() {
			b.WriteString(spelled(p.Literal, odd))
			continue
		}
		fmt.Fprintf(&b, "(?<up_c%d>%s)", captureNumber(old, p.Name), captured(parts, i, one, rest, odd))
	}
	return b.String()
}

// spelled takes a text as it is in normal form, or for odd paths in every spelling.
func spelled(normal string, odd bool) string {
	if odd {
		return literalRegexp(normal)
	}
	return plainRegexp(normal)
}

// captured writes what a capture takes: the shortest text. Where a slash or the end comes behind it, that is all up to there, which is found
// sooner; an escape is taken whole unless what comes behind cannot begin inside one.
func captured(parts []rule.Part, i int, one, rest string, odd bool) string {
	p, behind := parts[i], ""
	if i+1 < len(parts) {
		behind = parts[i+1].Literal
	}
	whole := !odd && (i+1 == len(parts) || strings.HasPrefix(behind, "/"))
	switch {
	case p.Rest:
		return rest
	case p.Digits && whole:
		return `[0-9]+`
	case p.Digits && odd:
		return `(?:[0-9]|%3[0-9])+?`
	case p.Digits:
		return `[0-9]+?`
	case p.Label:
		return `[0-9A-Za-z-]+?`
	case whole && strings.HasPrefix(one, "(?:[^/%?]"):
		return `[^/?]+`
	}
	return one
}

// plainRegexp takes a text in normal form as it is.
func plainRegexp(normal string) string {
	var b strings.Builder
	for _, c := range []byte(normal) {
		if strings.IndexByte(`.()*+$^|?[]{}\`, c) >= 0 {
			b.WriteByte('\\')
		}
		b.WriteByte(c)
	}
	return b.String()
}

// literalRegexp takes a text in normal form in every spelling that is equal to it.
func literalRegexp(normal string) string {
	var b strings.Builder
	for _, u := range web.Units(normal) {
		if len(u.Normal) == 3 {
			hex := anyCase(u.Normal[1:])
			raw := web.Decode(u.Normal)[0]
			if raw > 0x20 && raw < 0x7f && raw != '%' && raw != '?' && web.NormalPath(string(raw)) == u.Normal {
				fmt.Fprintf(&b, "(?:%%%s|%s)", hex, escapeRegexp(raw))
			} else {
				b.WriteString("%" + hex)
			}
			continue
		}
		c := u.Normal[0]
		encoded := fmt.Sprintf("%%%02X", c)
		if web.NormalPath(encoded) == u.Normal { // unreserved: encoding it changes nothing
			fmt.Fprintf(&b, "(?:%s|%%%s)", escapeRegexp(c), anyCase(encoded[1:]))
		} else {
			b.WriteString(escapeRegexp(c))
		}
	}
	return b.String()
}

func anyCase(hex string) string {
	var b strings.Builder
	for _, c := range []byte(hex) {
		if c >= 'A' && c <= 'F' {
			fmt.Fprintf(&b, "[%c%c]", c, c+'a'-'A')
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}

func escapeRegexp(c byte) string {
	if c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c == '/' || c == '_' || c == '%' {
		return string(c)
	}
	return fmt.Sprintf(`\x%02x`, c)
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
