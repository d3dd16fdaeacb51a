// Package servers writes the plan's redirects as configuration for real web servers, a file a server. It works nothing out:
// what each door answers comes from the plan; here it is only said in the server's own language, exactly or not at all.
//
//	out, err := servers.Nginx(p, "gateway", servers.NginxOptions{})
//	out.Text     // an include file for nginx
//	out.Findings // what it cannot carry exactly
package servers

import (
	"bytes"
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// NginxOptions says how the include file fits into a server.
type NginxOptions struct {
	HTTP, HTTPS  []string // what http and https doors listen on; empty: ports 80 and 443 of every address
	Certificates string   // folder: for each domain DOMAIN.crt with the whole chain, and DOMAIN.key
	Challenges   string   // folder from which exempt paths are answered
}

// Output is a configuration and what it does not say exactly.
type Output struct {
	Text     []byte
	Findings []finding.Finding
	Doors    int
}

// The folders where nobody names others.
const (
	NginxCertificates = "/etc/nginx/upperpath/certificates"
	NginxChallenges   = "/var/www/upperpath-challenges"
)

// Nginx writes the doors that a carrier holds as an include file for the http context of nginx 1.19.4 or newer. It refuses
// while rules are tied, since no order of theirs would be right.
func Nginx(p *plan.Plan, carrier string, o NginxOptions) (Output, error) {
	for _, f := range p.Findings {
		if f.Code == finding.Tie {
			return Output{}, fmt.Errorf("rules are tied, so that no server can hold them both: %s %s", f.Says, f.Fix)
		}
	}
	o.Certificates = cmp.Or(o.Certificates, NginxCertificates)
	o.Challenges = cmp.Or(o.Challenges, NginxChallenges)
	if len(o.HTTP) == 0 {
		o.HTTP = []string{"80", "[::]:80"}
	}
	if len(o.HTTPS) == 0 {
		o.HTTPS = []string{"443", "[::]:443"}
	}
	n := nginx{plan: p, carrier: carrier, options: o, tables: map[string]int{}, strips: map[string]int{}}
	for _, d := range p.Domains() {
		n.domain(d)
	}
	return Output{n.file(), n.findings, n.doors}, nil
}

type nginx struct {
	plan     *plan.Plan
	carrier  string
	options  NginxOptions
	maps     bytes.Buffer // one block of maps for each distinct table of rules
	servers  bytes.Buffer
	tables   map[string]int // rules of a door to the number of their table
	strips   map[string]int // keys that a target sets to the number of the maps that take them from a query
	findings []finding.Finding
	doors    int
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
# Two URLs are the same here where RFC 3986 section 6.2.2 says so: %%7E is ~, but %%2F is not /. What nginx itself refuses
# stays refused with 400: a %% that starts no escape, %%00, octets outside ASCII, and ".." beside other escapes; browsers send
# none of these. An exempt path counts as one also where its slashes are written %%2F, and a
# capture that goes into a host is taken only where it is not percent-encoded. A host that is not here gets 421, or no TLS connection, and never another site's page.
`

func (n *nginx) file() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, nginxHead, "/etc/nginx/upperpath/nginx.conf", commentSafe(n.options.Certificates), commentSafe(n.options.Challenges))
	fmt.Fprint(&b, n.sizes(), nginxCommon)
	b.Write(n.maps.Bytes())
	fmt.Fprintf(&b, "\n# Hosts that are not here.\n")
	n.unknownHosts(&b)
	b.Write(n.servers.Bytes())
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
	longestName := 0
	for _, d := range n.plan.Doors {
		longestName = max(longestName, len(d.Door.Host.String()))
	}
	if longestName > 40 {
		s += fmt.Sprintf("server_names_hash_bucket_size %d;\n", powerOfTwo(longestName+40))
	}
	if len(n.plan.Doors) > 400 {
		s += fmt.Sprintf("server_names_hash_max_size %d;\n", powerOfTwo(2*len(n.plan.Doors)))
	}
	if variables := 8 * len(n.tables); variables > 500 {
		s += fmt.Sprintf("variables_hash_max_size %d;\n", powerOfTwo(2*variables))
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

const nginxCommon = `
# A $ cannot be written in nginx's own strings.
geo $up_dollar { default "$"; }

# The path as it came, without dot segments; empty for what is refused.
map $request_uri $up_path {
    default "";
    "~[^!-\\x7e]|#" "";
    "~^[^?%]*/\\.\\.?(?:/[^?%]*)?(?:\\?|$)" $uri;
    "~^[^?]*/(?:\\.|%2[Ee])(?:\\.|%2[Ee])?(?:[/?]|$)" "";
    "~^(?<up_p>/[^?]*)" $up_p;
}

# The decoded path, for looking up exact rules; empty where decoding would take an encoded / or its like for a plain one.
map $request_uri $up_key {
    default $uri;
    "~^[^?]*%(?:2[1346789ABCFabcf]|3[ABDFabdf]|40|5[BDbd])" "";
}

# The query, ready to be put behind another.
map $args $up_more {
    "" "";
    default "&$args";
}
`

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

func (n *nginx) domain(d *estate.Domain) {
	titled := false
	for _, h := range d.Hosts() {
		c := n.plan.Estate.Holder(d.Carry[h])
		if c == nil || c.Name != n.carrier || c.ApexOnly && !h.IsApex() {
			continue
		}
		if !titled {
			fmt.Fprintf(&n.servers, "\n# %s\n", d.Name.Unicode())
			titled = true
		}
		for _, door := range web.Doors(h) {
			if door.Scheme == web.HTTP || c.TLS {
				n.server(d, door)
			}
		}
	}
}

// server writes the server of one door.
func (n *nginx) server(d *estate.Domain, door web.Door) {
	n.doors++
	w := &n.servers
	fmt.Fprint(w, "server {\n")
	listens, ssl := n.options.HTTP, ""
	if door.Scheme == web.HTTPS {
		listens, ssl = n.options.HTTPS, " ssl"
	}
	for _, l := range listens {
		fmt.Fprintf(w, "    listen %s%s;\n", l, ssl)
	}
	fmt.Fprintf(w, "    server_name %s;\n    merge_slashes off;\n", door.Host)
	if door.Scheme == web.HTTPS {
		at := strings.TrimSuffix(n.options.Certificates, "/") + "/" + d.Name.String()
		fmt.Fprintf(w, "    ssl_certificate     %s;\n    ssl_certificate_key %s;\n", quote(at+".crt"), quote(at+".key"))
	} else {
		for _, e := range n.plan.Estate.Policy.Exempt {
			fmt.Fprintf(w, "    location ^~ %s { root %s; default_type text/plain; }\n", quote(web.Decode(e)), quote(n.options.Challenges))
		}
	}
	fmt.Fprint(w, "    location / {\n        if ($up_path = \"\") { return 400; }\n")
	n.answers(d, door)
	fmt.Fprint(w, "    }\n}\n")
}

// answers writes what a door answers, and its table of rules where it is the first to need it.
func (n *nginx) answers(d *estate.Domain, door web.Door) {
	status := n.plan.Estate.Policy.Status
	if door.Scheme == web.HTTP && n.plan.Estate.Policy.Upgrade == estate.SameHostFirst {
		fmt.Fprintf(&n.servers, "        return %d \"https://%s$up_path$is_args$args\";\n", status, door.Host)
		return
	}
	entries := n.plan.Table.On(door)
	var key strings.Builder
	key.WriteString(d.Name.String())
	for _, e := range entries {
		fmt.Fprintf(&key, " %d", e.Rule.Line)
	}
	number, have := n.tables[key.String()]
	if !have {
		number = len(n.tables) + 1
		n.tables[key.String()] = number
		n.table(number, d, door, entries)
	}
	used := map[int]bool{}
	for _, e := range entries {
		used[cmp.Or(e.Rule.Status, status)] = true
	}
	if d.Fallback == estate.Gone {
		used[rule.Gone] = true
	}
	for _, s := range rule.Statuses {
		switch {
		case s == status || !used[s]:
		case s == rule.Gone:
			fmt.Fprintf(&n.servers, "        if ($up%d_status = %d) { return %d; }\n", number, s, s)
		default:
			fmt.Fprintf(&n.servers, "        if ($up%d_status = %d) { return %d $up%d_to; }\n", number, s, s, number)
		}
	}
	fmt.Fprintf(&n.servers, "        return %d $up%d_to;\n", status, number)
}

// table writes the maps that lead from a path to a rule, and from a rule to its target and status. A rule is known by its
// line in rules.csv.
func (n *nginx) table(number int, d *estate.Domain, door web.Door, entries []rule.Entry) {
	w := &n.maps
	fmt.Fprintf(w, "\n# The rules of %s: lines of rules.csv\n", door.Host.Unicode())
	hashed, asking, patterns := n.sortOut(entries, d.Paths)
	found := "pattern"
	if len(hashed) > 0 {
		found = "line"
		fmt.Fprintf(w, "map $up_key $up%d_hit {\n    default \"\";\n", number)
		for _, e := range hashed {
			path, _ := e.Rule.Old.Exact()
			key := web.Decode(path)
			n.longest = max(n.longest, len(key))
			fmt.Fprintf(w, "    %s %s;\n", quote(key), quoteValue(fmt.Sprintf("%d %s", e.Rule.Line, key)))
		}
		n.most = max(n.most, len(hashed))
		// Maps ignore case, URLs do not: what was hit has to be the key to the letter.
		fmt.Fprintf(w, "}\nmap \"$up%d_hit $up_key\" $up%d_exact {\n    default \"\";\n    \"~^(?s)(?<up_n>[0-9]+) (?<up_k>.*) (?P=up_k)$\" $up_n;\n}\n", number, number)
		fmt.Fprintf(w, "map $up%d_exact $up%d_line {\n    \"\" $up%d_pattern;\n    default $up%d_exact;\n}\n", number, number, number, number)
	}
	n.expressions(fmt.Sprintf("$up%d_pattern", number), "else", patterns, d.Paths, true)
	if len(asking) > 0 {
		n.expressions(fmt.Sprintf("$up%d_asked", number), `""`, asking, d.Paths, false)
		fmt.Fprintf(w, "map $up%d_asked $up%d_first {\n    \"\" $up%d_%s;\n    default $up%d_asked;\n}\n", number, number, number, found, number)
		found = "first"
	}
	n.targets(number, d, found, slices.Concat(hashed, asking, patterns))
}

// expressions writes a map from paths, with the query where a rule asks for it, to lines of rules.
func (n *nginx) expressions(name, otherwise string, entries []rule.Entry, mode rule.Mode, root bool) {
	w := &n.maps
	asks := slices.ContainsFunc(entries, func(e rule.Entry) bool { return len(e.Rule.Old.Query) > 0 })
	from, end := "$up_path", "$"
	if asks {
		from, end = `"$up_path?$args"`, `\?`
	}
	sign := "~^"
	if mode.IgnoreCase {
		sign = "~*^"
	}
	fmt.Fprintf(w, "map %s %s {\n    default %s;\n", from, name, otherwise)
	for _, e := range entries {
		fmt.Fprintf(w, "    # %s\n", commentSafe(e.Rule.Old.String()))
		for _, v := range mode.Variants(e.Rule.Old.Parts) {
			fmt.Fprintf(w, "    %s %d;\n", quote(sign+notRegexp(v)+variantRegexp(e.Rule, v.Parts)+end+conditionsRegexp(e.Rule)), e.Rule.Line)
		}
	}
	if root {
		for _, v := range mode.Variants([]rule.Part{{Literal: "/"}}) {
			fmt.Fprintf(w, "    %s root;\n", quote(sign+pathRegexp(rule.Pattern{}, v.Parts)+end))
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
func variantRegexp(r *rule.Rule, v []rule.Part) string {
	s := pathRegexp(r.Old, v)
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
		value := "=" + partsRegexp(r.Old, c.Parts, `(?:[^/&%]|%[0-9A-Fa-f]{2})+?`, `[^&]*`)
		if len(c.Parts) == 0 {
			value = "=?"
		} else if len(c.Parts) == 1 && c.Parts[0].Rest {
			value = fmt.Sprintf("(?:%s)?", value)
		}
		fmt.Fprintf(&b, "(?=(?:(?!%s(?:[=&]|$))[^&]*&)*%s%s(?:&|$))", key, key, value)
	}
	return b.String()
}

// sortOut parts rules that a hash table can hold from those with conditions on the query, which win over them, and from those that need
// a regular expression: patterns, paths with an encoded reserved character, paths that differ from another one in case only, and all
// where the old site did not care. What nginx cannot hold at all is noted.
func (n *nginx) sortOut(entries []rule.Entry, mode rule.Mode) (hashed, asking, regexps []rule.Entry) {
	spelt := map[string]int{}
	for _, e := range entries {
		if path, ok := e.Rule.Old.Exact(); ok && len(e.Rule.Old.Query) == 0 {
			spelt[lowerASCII(web.Decode(path))]++
		}
	}
	for _, e := range entries {
		path, exact := e.Rule.Old.Exact()
		asks := len(e.Rule.Old.Query) > 0
		hashable := exact && mode.IsExact() && !asks && spelt[lowerASCII(web.Decode(path))] == 1 && !encodedReserved(path)
		switch why := barred(e.Rule, hashable); {
		case why != "":
			n.findings = append(n.findings, finding.New(finding.BeyondCarrier, e.Rule.Place(), fmt.Sprintf("nginx cannot hold %s (%s): %s.", e.Rule.Place(), e.Rule.Old, why),
				"Leave the rule to another carrier, or do without it.", map[string]any{"line": e.Rule.Line}))
		case hashable:
			hashed = append(hashed, e)
		case exact && asks:
			asking = append(asking, e)
		default:
			regexps = append(regexps, e)
		}
	}
	return hashed, asking, regexps
}

// The most octets that nginx reads as one word of its configuration, with some room.
const mostWord = 3900

// barred says why nginx cannot hold a rule, "" where it can.
func barred(r *rule.Rule, hashable bool) string {
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
		old = quote(variantRegexp(r, r.Old.Parts) + conditionsRegexp(r))
	}
	if len(old) > mostWord || len(quoteValue(r.New.String())) > mostWord {
		return fmt.Sprintf("it is longer than the %d octets that nginx reads as one word", mostWord)
	}
	return ""
}

// reencoded gives a capture that moves from path to query or back and may hold what has to be written otherwise there, "" where there is
// none.
func reencoded(r *rule.Rule) string {
	moves := func(to, from []rule.Part) string {
		for _, p := range to {
			for _, c := range from {
				if p.IsCapture() && c.Name == p.Name && !c.Digits && !c.Label {
					return p.Name
				}
			}
		}
		return ""
	}
	var query []rule.Part
	for _, c := range r.Old.Query {
		query = append(query, c.Parts...)
	}
	return cmp.Or(moves(r.New.Query, r.Old.Parts), moves(r.New.Parts, query))
}

func (n *nginx) targets(number int, d *estate.Domain, found string, entries []rule.Entry) {
	status := n.plan.Estate.Policy.Status
	var to, statuses bytes.Buffer
	for _, e := range entries {
		r := e.Rule
		if r.Status == rule.Gone {
			fmt.Fprintf(&statuses, "    %d %d;\n", r.Line, rule.Gone)
			continue
		}
		fmt.Fprintf(&to, "    %d %s;\n", r.Line, n.target(r))
		if r.Status != 0 && r.Status != status {
			fmt.Fprintf(&statuses, "    %d %d;\n", r.Line, r.Status)
		}
	}
	home := d.LeadsTo
	base := quoteText(home.Door().String())
	root := fmt.Sprintf("\"%s%s%s\"", base, quoteText(home.Path()), n.query(quoteText(home.Query()), false))
	other := root
	switch d.Fallback {
	case estate.SamePath:
		other = fmt.Sprintf("\"%s%s$up_path%s\"", base, quoteText(strings.TrimSuffix(home.Path(), "/")), n.query(quoteText(home.Query()), false))
	case estate.Gone:
		fmt.Fprintf(&statuses, "    else %d;\n", rule.Gone)
	}
	fmt.Fprintf(&n.maps, "map $up%d_%s $up%d_to {\n%s    root %s;\n    default %s;\n}\n", number, found, number, to.String(), root, other)
	if statuses.Len() > 0 {
		fmt.Fprintf(&n.maps, "map $up%d_%s $up%d_status {\n    default %d;\n%s}\n", number, found, number, status, statuses.String())
	}
}

// target writes where a rule leads, as a value with the captures of its pattern.
func (n *nginx) target(r *rule.Rule) string {
	door := r.New.Door
	if door.IsZero() {
		door = n.plan.Estate.Canonical
	}
	at := quoteText(door.String())
	if len(r.New.Host) > 0 {
		at = string(r.New.Scheme) + "://" + n.expanded(r, r.New.Host)
	}
	fragment := ""
	if r.New.Fragment != "" {
		fragment = "#" + quoteText(r.New.Fragment)
	}
	return fmt.Sprintf("\"%s%s%s%s\"", at, cleanTarget(n.expanded(r, r.New.Parts)), n.query(cleanTarget(n.expanded(r, r.New.Query)), r.DropQuery, keysOf(r)...), fragment)
}

// expanded writes parts of a target, captures as variables.
func (n *nginx) expanded(r *rule.Rule, parts []rule.Part) string {
	var b strings.Builder
	for _, p := range parts {
		if p.IsCapture() {
			fmt.Fprintf(&b, "${up_c%d}", captureNumber(r.Old, p.Name))
		} else {
			b.WriteString(quoteText(p.Literal))
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

// cleanTarget encodes what may not stand in a Location, as the core does.
func cleanTarget(quoted string) string {
	var b strings.Builder
	for _, c := range []byte(quoted) {
		if c <= 0x20 || c >= 0x7f {
			fmt.Fprintf(&b, "%%%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
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
	return fmt.Sprintf("?%s$up_rest%d_3", own, n.strip(own, used))
}

// strip writes the maps that take keys from a query, up to three times, and returns their number.
func (n *nginx) strip(own string, used []string) int {
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
	set := strings.Join(slices.Compact(keys), "|")
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
	fmt.Fprintf(&n.maps, "map %s $up_ask%d {\n    default \"\";\n    \"~^&(?<up_l>.*)$\" \"?$up_l\";\n}\n", from, number)
	return number
}

// captureNumber gives the number of a capture among those of a pattern.
func captureNumber(old rule.Pattern, name string) int {
	return 1 + slices.IndexFunc(old.Captures(), func(p rule.Part) bool { return p.Name == name })
}

// pathRegexp writes a pattern so that it takes a raw path exactly where its normal form fits.
func pathRegexp(old rule.Pattern, parts []rule.Part) string {
	return partsRegexp(old, parts, `(?:[^/%?]|%[0-9A-Fa-f]{2})+?`, `[^?]*`)
}

// partsRegexp writes parts, with what a capture and one of the rest take.
func partsRegexp(old rule.Pattern, parts []rule.Part, one, rest string) string {
	var b strings.Builder
	for _, p := range parts {
		octets := one
		switch {
		case !p.IsCapture():
			b.WriteString(literalRegexp(p.Literal))
			continue
		case p.Rest:
			octets = rest
		case p.Digits:
			octets = `(?:[0-9]|%3[0-9])+?`
		case p.Label:
			octets = `[0-9A-Za-z-]+?`
		}
		fmt.Fprintf(&b, "(?<up_c%d>%s)", captureNumber(old, p.Name), octets)
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
			if raw > 0x20 && raw < 0x7f && web.NormalPath(string(raw)) == u.Normal {
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

// encodedReserved tells whether a path in normal form holds an encoded character that would mean something else decoded.
func encodedReserved(path string) bool {
	for _, u := range web.Units(path) {
		if len(u.Normal) != 3 {
			continue
		}
		raw := web.Decode(u.Normal)
		if raw == "?" || raw == "#" || raw == "[" || raw == "]" || web.NormalPath(raw) == raw && raw != "%" {
			return true
		}
	}
	return false
}

func lowerASCII(s string) string {
	b := []byte(s)
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
	return string(b)
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

// commentSafe keeps a text on its comment line.
func commentSafe(s string) string {
	return strings.Map(func(r rune) rune {
		if r < 0x20 || r == 0x7f {
			return ' '
		}
		return r
	}, s)
}

// ParseListen reads "http=ADDR:PORT" and "https=ADDR:PORT" options.
func ParseListen(values []string) (o NginxOptions, err error) {
	for _, v := range values {
		scheme, at, _ := strings.Cut(v, "=")
		u, parseErr := url.Parse("//" + at)
		if parseErr != nil || u.Port() == "" || u.Host != at || strings.ContainsAny(at, " ;\"'\\${}") {
			return o, fmt.Errorf("--listen %s: expected http=ADDRESS:PORT or https=ADDRESS:PORT, such as http=127.0.0.1:8080", v)
		}
		switch scheme {
		case "http":
			o.HTTP = append(o.HTTP, at)
		case "https":
			o.HTTPS = append(o.HTTPS, at)
		default:
			return o, fmt.Errorf("--listen %s: expected http=ADDRESS:PORT or https=ADDRESS:PORT, such as http=127.0.0.1:8080", v)
		}
	}
	return o, nil
}
