package rule

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// taken returns what each part of a pattern took of the path as it came.
func (m Match) taken(parts []Part) []string {
	mode := m.index.tables[m.table].mode
	compared := web.NormalPath(m.path)
	if mode.IgnoreCase {
		compared = foldString(compared)
	}
	text, form := compared, mode.parts(parts)
	rest := endsOpen(parts)
	switch mode.kindOf(parts) {
	case byShort:
		text = compared[:mode.end(compared)]
	case bySlash:
		text = mode.withSlash(compared)
	}
	spans := make([]span, len(parts))
	if found := (&matcher{parts: form, text: text, spans: spans}); !found.from(0, 0) && rest {
		(&matcher{parts: form, text: text + "/", spans: spans}).from(0, 0)
	}
	values := make([]string, len(parts))
	for i, s := range spans {
		values[i] = m.path[m.raw(s.from):m.raw(s.to)]
	}
	return values
}

// raw gives the place in the path as it came of a place in its normal form.
func (m Match) raw(at uint32) uint32 {
	normal, i := uint32(0), 0
	for normal < at && i < len(m.path) {
		size := 1
		if isEscape(m.path[i:]) {
			size = 3
		}
		normal += uint32(len(web.NormalPath(m.path[i : i+size])))
		i += size
	}
	return uint32(i)
}

func isEscape(s string) bool {
	hex := func(c byte) bool { return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f' }
	return len(s) > 2 && s[0] == '%' && hex(s[1]) && hex(s[2])
}

// rich returns the rule where it has captures or conditions, else nil.
func (m Match) rich() *Rule {
	if m.index == nil {
		return m.Rule
	}
	return m.index.rich[uint32(m.Place)]
}

// value returns what a capture took, and whether that came from the query.
func (m Match) value(r *Rule, name string, took []string) (value string, fromQuery bool) {
	for i, p := range r.Old.Parts {
		if p.Name == name {
			return took[i], false
		}
	}
	for _, c := range r.Old.Query {
		if !slices.ContainsFunc(c.Parts, func(p Part) bool { return p.Name == name }) {
			continue
		}
		raw, _ := parameter(m.query, c.Key)
		units := web.Units(raw)
		if spans, ok := matchUnits(c.Parts, units); ok {
			for i, p := range c.Parts {
				if p.Name == name && spans[i][0] < spans[i][1] {
					return raw[units[spans[i][0]].Start:units[spans[i][1]-1].End], true
				}
			}
		}
	}
	return "", true
}

// Parameter returns the first value of a key of a query, raw, and whether the key is there. The key
// is in normal form.
func Parameter(query, key string) (string, bool) { return parameter(query, key) }

// parameter returns the first value of a key, raw, and whether the key is there. The key is in
// normal form.
func parameter(query, key string) (string, bool) {
	for query != "" {
		p, rest, _ := strings.Cut(query, "&")
		k, value, _ := strings.Cut(p, "=")
		if k == key || k != "" && web.NormalQuery(k) == key {
			return value, true
		}
		query = rest
	}
	return "", false
}

// conditionsHold reports whether the first values of a query fit all conditions.
func conditionsHold(conditions []Condition, query string) bool {
	for _, c := range conditions {
		raw, there := parameter(query, c.Key)
		if !there || !takesAll(c.Parts, web.NormalQuery(raw)) {
			return false
		}
	}
	return true
}

// matchUnits tells which octets each part took of a text, and false where the parts do not take it.
func matchUnits(parts []Part, units []web.Unit) ([][2]int, bool) {
	var b strings.Builder
	starts := map[int]int{}
	for i, u := range units {
		starts[b.Len()] = i
		b.WriteString(web.NormalQuery(u.Normal))
	}
	starts[b.Len()] = len(units)
	spans := make([]span, len(parts))
	m := matcher{parts: parts, text: b.String(), spans: spans}
	if !m.from(0, 0) {
		return nil, false
	}
	at := make([][2]int, len(parts))
	for i, s := range spans {
		at[i] = [2]int{starts[int(s.from)], starts[int(s.to)]}
	}
	return at, true
}

// without takes parameters out of a query, all of one key; keys are in normal form.
func without(query string, keys []Condition) string {
	if query == "" || len(keys) == 0 {
		return query
	}
	var kept []string
	for p := range strings.SplitSeq(query, "&") {
		k, _, _ := strings.Cut(p, "=")
		normal := web.NormalQuery(k)
		if !slices.ContainsFunc(keys, func(c Condition) bool { return c.Key == normal }) {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, "&")
}

// Location gives the URL that the rule leads to, for a Location header; "" for a page that is gone.
func (m Match) Location(canonical web.Door) string {
	if r := m.rich(); r != nil {
		return m.richLocation(r, canonical)
	}
	e := m.index.head(ref(m.Place))
	if int(e.status) == Gone {
		return ""
	}
	start := uint64(m.index.at[m.Place])*8 + headSize + uint64(e.path)
	to := string(m.index.text[start : start+uint64(e.to)])
	to, fragment, marked := strings.Cut(to, "#")
	path, query, _ := strings.Cut(to, "?")
	door := canonical
	if path[0] != '/' {
		u, err := web.ParseURL(path)
		if err != nil {
			return "" // it was parsed when the rule was read
		}
		door, path = u.Door(), path[strings.Index(path, "://")+3:]
		if slash := strings.IndexByte(path, '/'); slash >= 0 {
			path = path[slash:]
		} else {
			path = "/"
		}
	}
	if e.flags&dropsFlag == 0 {
		query = web.MergeQuery(query, m.query)
	}
	location := door.URL(path, query).String()
	if marked {
		location += "#" + fragment
	}
	return location
}

// richLocation expands a target with captures.
func (m Match) richLocation(r *Rule, canonical web.Door) string {
	if r.Status == Gone {
		return ""
	}
	took := m.taken(r.Old.Parts)
	door := r.New.Door
	if len(r.New.Host) > 0 {
		h, err := web.ParseObservedHost(
			strings.ToLower(m.expand(r, r.New.Host, took, func(value string, _ bool) string {
				return web.Decode(value)
			})),
		)
		if err != nil {
			return "" // a name that no browser takes; nobody is led anywhere
		}
		door = web.Door{Scheme: r.New.Scheme, Host: h}
	}
	if door.IsZero() {
		door = canonical
	}
	query := m.expand(r, r.New.Query, took, func(value string, fromQuery bool) string {
		if fromQuery {
			return value
		}
		return intoQuery.Replace(value)
	})
	if !r.DropQuery {
		query = web.MergeQuery(query, without(m.query, r.Old.Query))
	}
	path := m.expand(r, r.New.Parts, took, func(value string, fromQuery bool) string {
		if fromQuery {
			return intoPath.Replace(value)
		}
		return value
	})
	location := door.Written(path, query)
	if r.New.Fragment != "" {
		location += "#" + r.New.Fragment
	}
	return location
}

// What means something else in another component: "&", "=" and "+" of a path separate or are spaces
// in a query; a "+" of a query is a space, which a path writes %20, and browsers take a backslash
// of a path for a slash.
var (
	intoQuery = strings.NewReplacer("&", "%26", "=", "%3D", "+", "%2B")
	intoPath  = strings.NewReplacer("+", "%20", "?", "%3F", `\`, "%5C")
)

func (m Match) expand(r *Rule, parts []Part, took []string,
	move func(value string, fromQuery bool) string) string {
	var b strings.Builder
	for _, p := range parts {
		if !p.IsCapture() {
			b.WriteString(p.Literal)
			continue
		}
		b.WriteString(move(m.value(r, p.Name, took)))
	}
	return b.String()
}
