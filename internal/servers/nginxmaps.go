package servers

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// How many patterns a path may meet before they are parted by how they begin; odd paths are few.
const (
	mostPatterns    = 3
	mostOddPatterns = 12
)

// maps writes the maps that lead from a path to the target of the rule that takes it.
func (n *nginx) mapsOf(t *table) {
	start := n.maps.Len()
	defer func() {
		if n.maps.Len() > start { // nothing is said of what there is not
			text := bytes.Clone(n.maps.Bytes()[start:])
			n.maps.Truncate(start)
			fmt.Fprintf(&n.maps, "\n# The rules of %s, by their lines in rules.csv.\n%s",
				commentSafe(strings.Join(t.hosts, ", ")), text)
		}
	}()
	t.marked = map[int]bool{}
	right := chain{nginx: n, table: t, path: "/", letter: 'p', meets: len(t.patterns)}
	if t.door.DropsPath {
		t.found = right.write("")
		n.maps.WriteString(right.text())
		return
	}
	if !t.spelledOtherwise() {
		right.path, right.starts = "$up_right$up_odd", t.starts() // of which one is empty
		t.found = right.write("")
		n.maps.WriteString(right.text())
		return
	}
	odd := chain{nginx: n, table: t, path: "$up_odd", letter: 'o', meets: mostOddPatterns}
	right.path, right.meets, right.starts = "$up_right", mostPatterns, t.starts()
	t.found = right.write(odd.write(""))
	n.maps.WriteString(right.text())
	if spelled := odd.text(); spelled != "" {
		fmt.Fprintf(&n.maps, "# The same for odd paths: patterns with every octet spelled out.\n%s",
			spelled)
	}
}

// spelledOtherwise reports whether odd paths need expressions of their own.
func (t *table) spelledOtherwise() bool {
	if len(t.patterns) > mostPatterns {
		return true
	}
	return slices.ContainsFunc(t.patterns, func(e rule.Entry) bool {
		return slices.ContainsFunc(t.door.Paths.Variants(e.Rule.Old.Parts), func(v rule.Variant) bool {
			return len(v.Not) > 0 || variantRegexp(e.Rule, v.Parts, normalSpelling) !=
				variantRegexp(e.Rule, v.Parts, oddly(t.door.Paths))
		})
	}) || len(t.door.Paths.Variants([]rule.Part{{Literal: "/"}})) > 1
}

// starts gives the first segments of the paths that are looked up.
func (t *table) starts() map[string]bool {
	starts := map[string]bool{}
	for _, e := range t.exact {
		for _, text := range []string{e.path, web.NormalPath(encodeDecoded(e.path))} {
			start, _ := cut{segments: 1}.key(head{text, true})
			starts[start] = true
		}
	}
	for _, e := range t.asking {
		for _, decoded := range []bool{false, true} {
			for _, h := range headsOf(e.Rule, t.door.Paths, decoded) {
				start, _ := cut{segments: 1}.key(h)
				starts[start] = true
			}
		}
	}
	return starts
}

// chain writes the patterns of a table, as they are in normal form or with every octet spelled out.
type chain struct {
	*nginx
	*table
	path    string // the variable
	letter  byte
	meets   int             // how many patterns a path may meet
	starts  map[string]bool // first segments of paths that are looked up before; empty where none are
	written map[*branch]string
	names   int
	texts   []string // of the maps
}

// text gives the maps, those first that are asked first.
func (c *chain) text() string {
	slices.Reverse(c.texts)
	return strings.Join(c.texts, "")
}

// add adds a map.
func (c *chain) add(from, name, next, entries string) {
	c.texts = append(c.texts,
		fmt.Sprintf("map %s %s {\n    default %s;\n%s}\n", from, name, next, entries))
}

func (c *chain) isOdd() bool { return c.letter == 'o' }

// spelling says how what the chain compares may be written.
func (c *chain) spelling() spelling {
	if c.isOdd() {
		return oddly(c.door.Paths)
	}
	return normalSpelling
}

// write writes all maps, and gives the variable that they end in. What they do not find is found in
// next.
func (c *chain) write(next string) string {
	c.written = map[*branch]string{}
	root := branchesOf(c.patterns, c.meets, func(r *rule.Rule) []head {
		return headsOf(r, c.door.Paths, c.isOdd())
	})
	next = c.tried(root, next, c.rootDiffers())
	entries := c.below(root, next)
	// Paths that begin as no whole path does are not looked up.
	var direct, behind []string
	for _, key := range root.keys {
		if root.cut == (cut{segments: 1}) && !c.starts[key] {
			direct = append(direct, key)
		} else {
			behind = append(behind, key)
		}
	}
	if len(c.starts) == 0 {
		return c.begin(root.cut, root.keys, entries, next)
	}
	return c.begin(root.cut, direct, entries, c.whole(c.begin(root.cut, behind, entries, next)))
}

// rootDiffers reports whether "/" leads elsewhere than where other paths lead that no rule takes.
func (t *table) rootDiffers() bool {
	d := t.door
	return !d.DropsPath && (d.Fallback == estate.Gone ||
		d.Fallback == estate.SamePath &&
			(d.Home.Path() != "/" || len(d.Paths.Variants([]rule.Part{{Literal: "/"}})) > 1))
}

// below writes the branches below one, and gives the variable that each key of it leads to.
func (c *chain) below(b *branch, next string) map[string]string {
	entries := map[string]string{}
	for _, key := range b.keys {
		k := b.below[key]
		if _, known := c.written[k]; !known {
			own := c.tried(k, next, false)
			c.written[k] = c.begin(k.cut, k.keys, c.below(k, own), own)
		}
		entries[key] = c.written[k]
	}
	return entries
}

// begin writes a map of how paths begin.
func (c *chain) begin(by cut, keys []string, entries map[string]string, next string) string {
	if len(keys) == 0 {
		return next
	}
	name := c.name("begin")
	var w bytes.Buffer
	for _, key := range keys {
		c.longest = max(c.longest, len(key))
		fmt.Fprintf(&w, "    %s %s;\n", quote(key), entries[key])
	}
	c.add(c.start(by, c.isOdd()), name, orEmpty(next), w.String())
	c.most = max(c.most, len(keys))
	return name
}

// name gives a new variable, which says what its map is of.
func (c *chain) name(of string) string {
	c.names++
	if c.isOdd() {
		of = "odd_" + of
	}
	return fmt.Sprintf("$up_%s_%d_%s%d", c.tag, c.number, of, c.names)
}

// start gives the variable of how a path begins.
func (n *nginx) start(by cut, odd bool) string {
	from, name, expression := "$up_right", "$up", fmt.Sprintf("(?:/[^/]*){%d}", by.segments)
	if odd {
		from, name = "$uri", "$up_odd"
	}
	switch {
	case by.octets > 0:
		name, expression = fmt.Sprintf("%s_octets%d", name, by.octets),
			fmt.Sprintf("(?s).{%d}", by.octets)
	case by.segments == 1 && !odd:
		return "$up_start"
	default:
		name = fmt.Sprintf("%s_segments%d", name, by.segments)
	}
	if !n.started[name] {
		n.started[name] = true
		fmt.Fprintf(&n.starts, "map %s %s { \"~^(?<up_cut>%s)\" $up_cut; }\n", from, name, expression)
	}
	return name
}

// tried writes a map of the patterns of a branch from paths, with the query where a rule asks for
// it, to targets.
func (c *chain) tried(b *branch, next string, root bool) string {
	if len(b.patterns) == 0 && !root {
		return next
	}
	mode := c.door.Paths
	from, end, minds, sign := c.path, "$", "", "~^"
	if mode.IgnoreCase {
		sign = "~*^"
	}
	if slices.ContainsFunc(b.patterns, func(e rule.Entry) bool { return len(e.Rule.Old.Query) > 0 }) {
		from, end = `"`+c.path+`?$args"`, `\?`
		if mode.IgnoreCase {
			minds = "(?-i)" // the case of a query counts
		}
	}
	name := c.name("patterns")
	var w bytes.Buffer
	for _, e := range b.patterns {
		r := e.Rule
		to := c.leadsTo(c.table, r)
		fmt.Fprintf(&w, "    # line %s: %s\n", c.linesOf(r), commentSafe(r.Old.String()))
		if note := movesNote(r); note != "" {
			fmt.Fprintf(&w, "    # %s\n", commentSafe(note))
		}
		for _, v := range mode.Variants(r.Old.Parts) {
			expression := sign + notRegexp(v, c.spelling()) + bounded(r, intoQuery) +
				variantRegexp(
					r,
					v.Parts,
					c.spelling(),
				) + end + minds + bounded(r, intoPath) + conditionsRegexp(r)
			fmt.Fprintf(&w, "    %s %s;\n", quote(expression), to)
		}
	}
	if root {
		home := c.door.Home
		to := c.marks(
			c.door.Status,
			quoteText(home.Door().String()+home.Path()),
			c.query(quoteText(home.Query()), c.door.DropsQuery),
		)
		for _, v := range mode.Variants([]rule.Part{{Literal: "/"}}) {
			fmt.Fprintf(
				&w,
				"    %s %s;\n",
				quote(sign+pathRegexp(rule.Pattern{}, v.Parts, c.spelling())+end),
				to,
			)
		}
	}
	c.add(from, name, orEmpty(next), w.String())
	return name
}

// wholePath is a path that is looked up, decoded, where it leads, and the lines of the rules that
// say so.
type wholePath struct{ path, to, lines string }

// whole writes the maps of whole paths and their targets.
func (c *chain) whole(next string) string {
	paths := c.wholePaths(next)
	key, low := "$up_key", "$up_low"
	ignoresCase := c.door.Paths.IgnoreCase
	if ignoresCase {
		low = key
	}
	c.most = max(c.most, len(paths))
	var capitals, others bytes.Buffer
	for _, p := range paths {
		c.longest = max(c.longest, len(p.path))
		if ignoresCase || lowerASCII(p.path) == p.path {
			fmt.Fprintf(&others, "    %s %s; # %s\n", quote(p.path), p.to, p.lines)
		} else {
			fmt.Fprintf(&capitals, "    %s \"%s\\n%s; # %s\n", quote(p.path), quoteText(p.path),
				strings.TrimPrefix(p.to, `"`),
				p.lines)
		}
	}
	if capitals.Len() > 0 {
		given, checked := c.name("capitals"), c.name("checked")
		c.add(
			key,
			given,
			`""`,
			"    # Before the target stands the path once more, to be compared with the one that came.\n"+
				capitals.String(),
		)
		c.add(
			fmt.Sprintf(`"%s\n%s"`, given, key),
			checked,
			orEmpty(next),
			`    "~(?s)^(?<up_k>/.*)\n(?<up_t>[^\n]*)\n\\k<up_k>\\z" $up_t;`+"\n",
		)
		next = checked
	}
	if others.Len() > 0 {
		name := c.name("paths")
		c.add(low, name, orEmpty(next), others.String())
		next = name
	}
	return next
}

// wholePaths gives the paths of a table; where a rule asks for a parameter of the query, a map of
// its own finds which one is taken.
func (c *chain) wholePaths(next string) []wholePath {
	asking := map[string][]*rule.Rule{}
	var order []string
	for _, e := range c.asking {
		for _, v := range c.door.Paths.Variants(e.Rule.Old.Parts) {
			path := web.Decode(v.Parts[0].Literal)
			if asking[path] == nil {
				order = append(order, path)
			}
			asking[path] = append(asking[path], e.Rule)
		}
	}
	paths := make([]wholePath, 0, len(c.exact)+len(order))
	others := map[string]*rule.Rule{} // that ask for nothing, where another one does
	for _, e := range c.exact {
		if asking[e.path] != nil {
			others[e.path] = e.rule
			continue
		}
		paths = append(paths, wholePath{e.path, c.leadsTo(c.table, e.rule), c.linesOf(e.rule)})
	}
	for _, path := range order {
		var w bytes.Buffer
		var lines []int
		for _, r := range asking[path] {
			lines = append(append(lines, r.Line), c.also[r.Line]...)
			fmt.Fprintf(
				&w,
				"    # line %s: %s\n    %s %s;\n",
				c.linesOf(r),
				commentSafe(r.Old.String()),
				quote("~^"+bounded(r, intoPath)+conditionsRegexp(r)),
				c.leadsTo(c.table, r),
			)
		}
		otherwise := orEmpty(next)
		if r := others[path]; r != nil {
			otherwise = c.leadsTo(c.table, r)
			lines = append(append(lines, r.Line), c.also[r.Line]...)
			fmt.Fprintf(&w, "    # else line %s\n", c.linesOf(r))
		}
		name := c.name("query")
		c.add("$args", name, otherwise, "    # "+commentSafe(path)+"\n"+w.String())
		paths = append(paths, wholePath{path, `"` + name + `"`, linesText(lines)})
	}
	return paths
}

// orEmpty writes a variable as the value of a map.
func orEmpty(variable string) string {
	if variable == "" {
		return `""`
	}
	return variable
}
