package cutover

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"sort"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/world"
)

// Player types rows and looks at what the world then sees. It reads zones in a plain way of its
// own.
type Player struct {
	lines   map[string]map[string][]string // values by name and type
	through map[string]string              // the edge network that answers at a name
	apexes  []string
	doors   []string
	led     map[string]bool // doors of what is meant
	needed  []string
	mailing map[string]bool
	mx      map[string]bool     // names that have MX records today
	known   map[string]bool     // "carrier host"
	homes   map[string][]string // addresses of carriers
	who     map[string][]string // carriers by address or alias
	asked   []string            // the senders that are asked about
	wanted  map[string]bool     // domains for whose mail another machine is asked for
	start   Facts

	ask    func(name, kind string) (values []string, alias string)
	ttl    map[string]int // by name and type, in seconds
	clock  int
	caches []*cache // of resolvers that have asked before something was typed
	random *rand.Rand
	alone  bool // nobody holds anything

	below map[string]int      // how many names stand at a name or below it
	found map[string][]string // where names end, while nothing changes; nil: not kept
}

// newMachine is the machine that wanted MX records name.
const newMachine = "mx.new.example"

// Facts is what must stay, by what it is about.
type Facts map[string]string

// NewPlayer begins with the zones of an estate.
func NewPlayer(e Estate, p *plan.Plan) *Player {
	pl := &Player{
		lines:   map[string]map[string][]string{},
		below:   map[string]int{},
		through: map[string]string{},
		led:     map[string]bool{},
		mailing: map[string]bool{},
		mx:      map[string]bool{},
		known:   map[string]bool{},
		homes:   map[string][]string{},
		who:     map[string][]string{},
		ttl:     map[string]int{},
		random:  rand.New(rand.NewPCG(7, 7)),
	}
	pl.ask = pl.live
	for name, lines := range e.Zones {
		pl.apexes = append(pl.apexes, name)
		for _, l := range lines {
			f := strings.SplitN(l, " ", 3)
			owner := strings.TrimSuffix(f[0], ".")
			pl.add(owner, f[1], f[2])
			if f[1] == "MX" ||
				owner == name && strings.Contains(f[2], "v=spf1") && !strings.HasSuffix(f[2], `"v=spf1 -all"`) {
				pl.mailing[owner] = true
			}
		}
	}
	sort.Strings(pl.apexes)
	for _, c := range p.Estate.Carriers {
		for _, a := range c.Addresses {
			pl.who[a.String()] = append(pl.who[a.String()], c.Name)
			pl.homes[c.Name] = append(pl.homes[c.Name], a.String())
		}
		if !c.Alias.IsZero() {
			pl.who[c.Alias.String()] = append(pl.who[c.Alias.String()], c.Name)
		}
	}
	meant := map[string]bool{}
	for _, d := range p.Domains() {
		meant[d.Name.String()] = true
	}
	for _, d := range p.Estate.Domains {
		for _, n := range d.Needed {
			pl.needed = append(pl.needed, n.Host.String())
		}
		for _, h := range d.Hosts() {
			if d.State == "leave" {
				continue
			}
			pl.doors = append(pl.doors, h.String())
			pl.led[h.String()] = meant[d.Name.String()]
			if c := d.Carry[h]; c != nil && d.State == "moved" {
				pl.known[c.Name+" "+h.String()] = true
				pl.known[c.Behind+" "+h.String()] = true
			}
		}
	}
	for name, at := range pl.lines {
		if len(at["MX"]) > 0 {
			pl.mx[name] = true
		}
	}
	pl.wanted = map[string]bool{}
	for _, d := range p.Domains() {
		for _, w := range d.Wanted {
			if w.Type == "MX" {
				pl.wanted[d.Name.String()] = true
			}
		}
	}
	pl.asked = pl.senders()
	pl.start = pl.facts()
	return pl
}

func (pl *Player) add(name, kind, value string) {
	if pl.lines[name] == nil {
		pl.lines[name] = map[string][]string{}
		pl.count(name, 1)
	}
	pl.lines[name][kind] = append(pl.lines[name][kind], value)
	sort.Strings(pl.lines[name][kind])
}

func (pl *Player) drop(name, kind, value string) bool {
	i := slices.Index(pl.lines[name][kind], value)
	if i < 0 {
		return false
	}
	pl.lines[name][kind] = slices.Delete(pl.lines[name][kind], i, i+1)
	if len(pl.lines[name][kind]) == 0 {
		delete(pl.lines[name], kind)
	}
	if len(pl.lines[name]) == 0 {
		delete(pl.lines, name)
		delete(pl.through, name)
		pl.count(name, -1)
	}
	return true
}

func (pl *Player) zone(name string) string {
	for _, a := range pl.apexes {
		if name == a || strings.HasSuffix(name, "."+a) {
			return a
		}
	}
	return ""
}

// there reports whether a name exists, by itself or on the way to others.
func (pl *Player) there(name string) bool {
	return pl.below[name] > 0
}

// count keeps how many names stand at a name and below it.
func (pl *Player) count(name string, by int) {
	for at := name; at != ""; _, at, _ = strings.Cut(at, ".") {
		pl.below[at] += by
	}
}

// owner is the name that answers for another (RFC 1034 section 4.3.2).
func (pl *Player) owner(name string) string {
	zone := pl.zone(name)
	if pl.there(name) || name == zone {
		return name
	}
	for up := name; up != zone; {
		_, up, _ = strings.Cut(up, ".")
		if up == zone || pl.there(up) {
			return "*." + up
		}
	}
	return name
}

// live asks the zones as they are: the values of a type at a name, or the alias there.
func (pl *Player) live(name, kind string) (values []string, alias string) {
	owner := pl.owner(name)
	address := kind == "A" || kind == "AAAA"
	if net := pl.through[owner]; net != "" && address {
		return pl.homes[net], ""
	}
	at := pl.lines[owner]
	if address && len(at["ALIAS"]) > 0 {
		return pl.ends(strings.TrimSuffix(at["ALIAS"][0], "."), 0), ""
	}
	if len(at[kind]) == 0 && len(at["CNAME"]) > 0 {
		return nil, strings.TrimSuffix(at["CNAME"][0], ".")
	}
	return at[kind], ""
}

func (pl *Player) ends(name string, depth int) []string {
	if known, is := pl.found[name]; is && depth == 0 {
		return known
	}
	all := pl.endsOf(name, depth)
	if pl.found != nil && depth == 0 {
		pl.found[name] = all
	}
	return all
}

func (pl *Player) endsOf(name string, depth int) []string {
	switch {
	case depth > 12:
		return nil // round and round
	case pl.zone(name) == "":
		return []string{name}
	}
	var all []string
	for _, kind := range []string{"A", "AAAA"} {
		values, alias := pl.ask(name, kind)
		all = append(all, values...)
		if alias != "" {
			all = append(all, pl.ends(alias, depth+1)...)
		}
	}
	sort.Strings(all)
	return slices.Compact(all)
}

// looked follows aliases to the records of a type.
func (pl *Player) looked(name, kind string) []string {
	for range 12 {
		if pl.zone(name) == "" {
			return nil
		}
		values, alias := pl.ask(name, kind)
		if alias == "" {
			return values
		}
		name = alias
	}
	return nil
}

func (pl *Player) mail(name string) string {
	mx := pl.looked(name, "MX")
	if len(mx) == 0 {
		return strings.Join(pl.ends(name, 0), ",")
	}
	by := map[int][]string{}
	var order []int
	for _, v := range mx {
		var n int
		var to string
		_, _ = fmt.Sscan(v, &n, &to)
		if _, had := by[n]; !had {
			order = append(order, n)
		}
		by[n] = append(by[n], pl.ends(strings.TrimSuffix(to, "."), 0)...)
	}
	sort.Ints(order)
	var all []string
	for _, n := range order {
		if len(by[n]) > 0 {
			sort.Strings(by[n])
			all = append(all, strings.Join(slices.Compact(by[n]), ","))
		}
	}
	return strings.Join(all, " then ")
}

func (pl *Player) policies(name string) []string {
	var all []string
	for _, v := range pl.looked(name, "TXT") {
		if text := strings.ReplaceAll(v, `"`, ""); strings.HasPrefix(text, "v=spf1") {
			all = append(all, text)
		}
	}
	return all
}

// may says what the policy of a name says of a sender: a sign, or "!" where nobody can make sense
// of it.
func (pl *Player) may(name, sender string, looks *int, depth int) string {
	texts := pl.policies(name)
	switch {
	case len(texts) == 0:
		return "?"
	case len(texts) > 1 || depth > 10:
		return "!"
	}
	for _, word := range strings.Fields(texts[0])[1:] {
		sign := "+"
		if strings.ContainsAny(word[:1], "+-~?") {
			sign, word = word[:1], word[1:]
		}
		word, prefix, _ := strings.Cut(word, "/")
		term, host, named := strings.Cut(word, ":")
		if !named {
			host = name
		}
		if term == "a" || term == "mx" || term == "include" {
			if *looks++; *looks > 10 {
				return "!"
			}
		}
		hit := false
		switch term {
		case "all":
			hit = true
		case "ip4", "ip6":
			hit = covers(host, prefix, sender)
		case "a":
			hit = slices.ContainsFunc(
				pl.ends(host, 0),
				func(end string) bool { return near(end, prefix, sender) },
			)
		case "mx":
			for _, v := range pl.looked(host, "MX") {
				_, to, _ := strings.Cut(v, " ")
				hit = hit || slices.ContainsFunc(pl.ends(strings.TrimSuffix(to, "."), 0),
					func(end string) bool { return near(end, prefix, sender) })
			}
		case "include":
			if pl.zone(host) == "" {
				hit = sender == "include:"+host
				break
			}
			inner := pl.may(host, sender, looks, depth+1)
			if inner == "!" || len(pl.policies(host)) == 0 {
				return "!"
			}
			hit = inner == "+"
		}
		if hit {
			return sign
		}
	}
	return "?"
}

// near is covers for terms whose one prefix is of IPv4 alone (RFC 7208 section 5.6).
func near(end, prefix, sender string) bool {
	return end == sender || !strings.Contains(end, ":") && covers(end, prefix, sender)
}

// covers reports whether an end, or the network around it, holds a sender.
func covers(end, prefix, sender string) bool {
	if end == sender {
		return true
	}
	network, err := netip.ParsePrefix(end + "/" + prefix)
	a, err2 := netip.ParseAddr(sender)
	return err == nil && err2 == nil && network.Contains(a)
}

// Senders are those that are asked about: everything that any test zone names.
func (pl *Player) senders() []string {
	all := []string{
		"include:_spf.post.example",
		"192.0.2.55",
		"203.0.113.20",
		"mx.post.example",
		"web.host.example",
		"198.18.0.1",
	}
	for _, n := range []int{1, 5, 16, 30, 33, 48, 59, 60, 66, 67, 70, 77, 88, 90, 91, 92, 93, 94, 99} {
		all = append(all, fmt.Sprintf("192.0.2.%d", n))
	}
	for _, at := range pl.lines {
		all = append(append(all, at["A"]...), at["AAAA"]...)
	}
	sort.Strings(all)
	return slices.Compact(all)
}

// facts writes down what must stay.
func (pl *Player) facts() Facts {
	f := Facts{}
	pl.found = map[string][]string{}
	defer func() { pl.found = nil }()
	for name := range pl.mailing {
		f["mail "+name] = pl.mail(name)
	}
	for name := range pl.lines {
		for _, v := range pl.looked(name, "SRV") {
			f["service "+name] = strings.Join(
				pl.ends(strings.TrimSuffix(v[strings.LastIndex(v, " ")+1:], "."), 0),
				" ",
			)
		}
	}
	for _, name := range pl.needed {
		f["needed "+name] = strings.Join(pl.ends(name, 0), " ")
	}
	for name, at := range pl.lines {
		if len(at["CNAME"]) > 0 && !pl.led[name] {
			f["name "+name] = strings.Join(pl.ends(name, 0), " ")
		}
	}
	for _, name := range pl.doors {
		f["door "+name] = strings.Join(pl.ends(name, 0), " ")
	}
	for name, at := range pl.lines {
		if len(at["TXT"]) == 0 || len(pl.policies(name)) == 0 {
			continue
		}
		for _, sender := range pl.asked {
			looks := 0
			f["sender "+sender+" of "+name] = pl.may(name, sender, &looks, 0)
		}
	}
	return f
}

// Type types one task's rows and says what broke with them.
func (pl *Player) Type(t plan.Task) []string {
	var broken []string
	for _, e := range t.Entries {
		pl.tell(t.Place, e)
	}
	for i, l := range t.Lines {
		name := l.Name
		if l.Do == act.Lower || l.Do == act.Raise {
			pl.ttl[name+" "+l.Type] = l.TTL
			continue
		}
		if i == 0 || t.Lines[i-1].Name != name || !atOnce(t.Lines, i) {
			pl.remember()
		}
		pl.ttl[name+" "+l.Type] = l.TTL
		value := func(v string) string {
			switch l.Type {
			case "TXT":
				return `"` + v + `"`
			case "CNAME", "ALIAS":
				return v + "."
			case "MX", "SRV":
				return strings.TrimSuffix(v, ".") + "."
			}
			return v
		}
		if l.Was != "" && !pl.drop(name, l.Type, value(l.Was)) {
			broken = append(broken, fmt.Sprintf("row: %s %s %s is not there", l.Label, l.Type, l.Was))
		}
		if l.Do != act.Remove {
			pl.add(name, l.Type, value(l.Value))
			if pl.through[name] = l.Through; l.Through == "" {
				delete(pl.through, name)
			}
		}
		if i+1 < len(t.Lines) && t.Lines[i+1].Name == name && atOnce(t.Lines, i) {
			continue // typed at once
		}
		broken = append(broken, pl.broken()...)
		for _, c := range pl.caches {
			for _, what := range pl.behind(c).broken() {
				broken = append(broken, "held by some: "+what)
			}
		}
	}
	return broken
}

// atOnce reports whether the rows around one, of one name, replace an alias by something else or
// the reverse, or make the name.
func atOnce(lines []plan.Line, i int) bool {
	begin := i
	for begin > 0 && lines[begin-1].Name == lines[i].Name {
		begin--
	}
	alias, adds := false, true
	for j := begin; j < len(lines) && lines[j].Name == lines[i].Name; j++ {
		alias = alias || lines[j].Type == "CNAME" || lines[j].Type == "ALIAS"
		adds = adds && lines[j].Do == act.Add
	}
	return alias || adds
}

func (pl *Player) tell(place string, e act.Entry) {
	field := func(name string) string {
		for _, f := range e.Fields {
			if f.Name == name {
				return f.Value
			}
		}
		return ""
	}
	know := func(hosts ...string) {
		for _, h := range hosts {
			pl.known[place+" "+strings.TrimSpace(h)] = true
		}
	}
	switch e.Kind {
	case world.HostEntry:
		know(field("host"))
	case world.Forward:
		if e.Action == act.Add {
			know(field("from"))
		}
	case world.DoorEntry:
		_, h, _ := strings.Cut(field("from"), "://")
		know(h)
	case world.SourceEntry:
		h, _, _ := strings.Cut(field("source"), "/")
		know(h)
	case world.Pattern:
		h, _, _ := strings.Cut(strings.TrimPrefix(field("pattern"), "*"), "/")
		know(h)
		if strings.HasPrefix(field("pattern"), "*") {
			know("www." + h)
		}
	case world.OriginEntry:
		for _, h := range pl.doors {
			if pl.zone(h) == e.Domain {
				know(h)
			}
		}
	case world.Config: // its file is read apart, by real servers
		for _, h := range pl.doors {
			know(h)
		}
	}
}

const signs = "!-~?+"

// broken says what differs from the start.
func (pl *Player) broken() []string {
	var all []string
	now := pl.facts()
	for what, was := range pl.start {
		is := now[what]
		about, name, _ := strings.Cut(what, " ")
		switch about {
		case "door":
			all = append(all, pl.door(name, was, is)...)
		case "name":
			if is = strings.Join(pl.ends(name, 0), " "); was != is && was != "" {
				all = append(all, fmt.Sprintf("%s: %s, now %s", what, was, is))
			}
		case "mail":
			if _, hadMX := pl.mx[name]; pl.wanted[name] && !hadMX {
				continue // somebody asks that it goes elsewhere
			}
			if pl.wanted[name] {
				is = strings.TrimPrefix(strings.TrimPrefix(is, newMachine), " then ")
			}
			if was != is && was != "" {
				all = append(all, fmt.Sprintf("%s: %s, now %s", what, was, is))
			}
		case "sender":
			if is == "" {
				is = "?"
			}
			if was != "!" && strings.Index(signs, is) < strings.Index(signs, was) {
				all = append(all, fmt.Sprintf("%s: %s, now %s", what, was, is))
			}
		default:
			if was != is && was != "" {
				all = append(all, fmt.Sprintf("%s: %s, now %s", what, was, is))
			}
		}
	}
	for name, at := range pl.lines {
		others := len(at["CNAME"])
		for _, v := range at {
			others += len(v)
		}
		if n := len(at["CNAME"]); n > 0 && pl.through[name] == "" && others > 2 {
			all = append(all, name+" holds an alias and more")
		}
	}
	sort.Strings(all)
	return slices.Compact(all)
}

// door says where a door is dark, or led to a carrier that was not told of it.
func (pl *Player) door(name, was, is string) []string {
	if was != "" && is == "" {
		return []string{"door " + name + " is dark"}
	}
	var all []string
	for _, end := range strings.Fields(is) {
		carriers := pl.who[end]
		told := slices.ContainsFunc(
			carriers,
			func(c string) bool { return pl.known[c+" "+name] || c == "late" },
		)
		if len(carriers) > 0 && !told && !slices.Contains(strings.Fields(was), end) {
			all = append(all, fmt.Sprintf("door %s leads to %s, untold", name, carriers[0]))
		}
	}
	return all
}

// End says what is not so once everything is typed: every door of what is meant leads to its
// carrier, which was told.
func (pl *Player) End(p *plan.Plan) []string {
	var all []string
	for _, d := range p.Domains() {
		for _, h := range d.Hosts() {
			c := d.Carry[h]
			if c == nil || d.State == "moved" {
				continue
			}
			want := c.Addresses[0].String()
			ends := pl.ends(h.String(), 0)
			if !slices.Contains(ends, want) && !slices.Contains(ends, c.Alias.String()) {
				all = append(all, fmt.Sprintf("door %s ends at %v, not at %s", h, ends, c.Name))
			}
			if !pl.known[c.Name+" "+h.String()] {
				all = append(all, fmt.Sprintf("nobody told %s of %s", c.Name, h))
			}
			if c.Behind != "" && !pl.known[c.Behind+" "+h.String()] {
				all = append(all, fmt.Sprintf("nobody told %s of %s", c.Behind, h))
			}
		}
	}
	return all
}
