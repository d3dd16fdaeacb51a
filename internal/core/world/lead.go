package world

import (
	"maps"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// mostAliases is how many aliases are followed one after the other; resolvers end earlier.
const mostAliases = 16

// Lead is where a name leads.
type Lead struct {
	// addresses; names outside the estate, which stand for themselves; with a "?" what nobody saw
	Ends []string
	Via  []string // the names on the way, the first included
	Dark bool     // of what may be held: it may lead nowhere
	Past bool     // it is of what may be held
}

// Same reports whether two leads end at the same.
func (l Lead) Same(o Lead) bool { return slices.Equal(l.Ends, o.Ends) }

// Unseen reports whether nobody knows where the name ends.
func (l Lead) Unseen() bool {
	return slices.ContainsFunc(l.Ends, func(end string) bool { return strings.HasPrefix(end, "?") })
}

// Lead gives the addresses at the end of a name: aliases are followed (RFC 1034 section 3.6.2),
// wildcards answer for what does not exist (RFC 4592), whole trees are led elsewhere (RFC 6672). A
// name at which nothing is, or that leads round, has no end.
func (w *World) Lead(name string) Lead {
	var l Lead
	w.follow(name, &l)
	slices.Sort(l.Ends)
	l.Ends = slices.Compact(l.Ends)
	return l
}

func (w *World) follow(name string, l *Lead) {
	if slices.Contains(l.Via, name) || len(l.Via) > mostAliases {
		return // round and round
	}
	l.Via = append(l.Via, name)
	z := w.zoneAt(name)
	if z == nil {
		l.Ends = append(l.Ends, name)
		return
	}
	w.looked(name)
	if z.cut(name) != "" {
		l.Ends = append(l.Ends, name)
		return
	}
	owner, unseen := w.owner(z, name)
	if unseen != "" {
		l.Ends = append(l.Ends, unseen)
		return
	}
	for _, s := range z.sets[owner] {
		if !isAddress(s.Type) {
			continue
		}
		for _, v := range s.Values {
			switch {
			case v.Through != "":
				l.Ends = append(l.Ends, w.places.at(v.Through)...)
			case s.Type == "A" || s.Type == "AAAA":
				l.Ends = append(l.Ends, v.Text)
			default:
				w.follow(record.Target("CNAME", v.Text), l)
			}
		}
	}
	for _, kind := range []string{"A", "AAAA", "CNAME"} {
		if z.missed[record.Key{Name: owner, Type: kind}] && !z.has(owner, kind) {
			l.Ends = append(l.Ends, "?"+owner+" "+kind)
		}
	}
	if to := z.tree(name); owner == "" && to != "" {
		w.follow(to, l)
	}
}

// owner gives the name whose sets answer for a name: itself, the wildcard right below the nearest
// name above that exists, or "" for none. unseen says what it is where nobody knows.
func (w *World) owner(z *zone, name string) (owner, unseen string) {
	switch {
	case len(z.sets[name]) > 0:
		return name, ""
	case z.unseen:
		return "", "?" + name
	}
	w.lookedAbove(z, name)
	if z.below[name] > 0 { // it is on the way to others, and so exists
		return "", ""
	}
	above := z.encloser(name)
	wild := "*." + above
	w.looked(wild)
	switch {
	case len(z.sets[wild]) > 0:
		return wild, ""
	case slices.Contains(z.hidden, above):
		return "", "?" + wild
	case z.missed[record.Key{Name: name, Type: "A"}], z.missed[record.Key{Name: name, Type: "AAAA"}],
		z.missed[record.Key{Name: name, Type: "CNAME"}],
		z.partial && !z.asked[name] && z.tree(name) == "":
		return "", "?" + name
	}
	return "", ""
}

// encloser gives the nearest name above another that exists (RFC 4592 section 3.3.1).
func (z *zone) encloser(name string) string {
	for at := name; at != z.name; {
		if _, at, _ = strings.Cut(at, "."); z.below[at] > 0 {
			return at
		}
	}
	return z.name
}

// cut gives the name at or above another, and below the apex, that is delegated elsewhere; "" for
// none.
func (z *zone) cut(name string) string {
	for at := name; at != z.name && at != ""; _, at, _ = strings.Cut(at, ".") {
		if z.has(at, "NS") {
			return at
		}
	}
	return ""
}

// tree gives where a name leads that lies below one whose whole tree is led elsewhere (DNAME), ""
// for nowhere.
func (z *zone) tree(name string) string {
	for at := name; at != z.name && at != ""; {
		_, at, _ = strings.Cut(at, ".")
		for _, s := range z.sets[at] {
			if s.Type == "DNAME" && len(s.Values) > 0 {
				return strings.TrimSuffix(name, at) + record.Target("CNAME", s.Values[0].Text)
			}
		}
	}
	return ""
}

func (z *zone) has(owner, kind string) bool {
	return slices.ContainsFunc(z.sets[owner], func(s Set) bool { return s.Type == kind })
}

// zoneAt gives the zone of the estate that a name lies in, nil for a name outside.
func (w *World) zoneAt(name string) *zone {
	for at := name; at != ""; {
		if z := w.zones[at]; z != nil {
			return z
		}
		_, rest, more := strings.Cut(at, ".")
		if !more {
			return nil
		}
		at = rest
	}
	return nil
}

// ZoneOf gives the zone of the estate that a name lies in, "" for a name outside.
func (w *World) ZoneOf(name string) string {
	if z := w.zoneAt(name); z != nil {
		return z.name
	}
	return ""
}

func (w *World) looked(name string) {
	if w.touch != nil {
		w.touch(name)
	}
}

// lookedAbove notes that an answer hangs on what exists above a name too.
func (w *World) lookedAbove(z *zone, name string) {
	for at := name; w.touch != nil && at != z.name && at != ""; _, at, _ = strings.Cut(at, ".") {
		w.touch(at)
	}
}

// values gives the values of a type that answer for a name, by way of aliases, with the name at
// which they stand. known is false where nobody knows, and then at says at which name; a name
// outside is not known.
func (w *World) values(name, kind string) (values []string, at string, known bool) {
	for range mostAliases {
		z := w.zoneAt(name)
		if z == nil {
			return nil, name, false
		}
		w.looked(name)
		if z.cut(name) != "" {
			return nil, name, false
		}
		owner, unseen := w.owner(z, name)
		if unseen != "" && !z.missed[record.Key{Name: name, Type: kind}] && z.partial && !z.unseen {
			return nil, name, true // mail is asked for by name in every survey
		}
		if unseen != "" || z.missed[record.Key{Name: name, Type: kind}] && !z.has(owner, kind) {
			return nil, name, false
		}
		alias := ""
		for _, s := range z.sets[owner] {
			switch {
			case s.Type == kind:
				for _, v := range s.Values {
					values = append(values, v.Text)
				}
			case s.Type == "CNAME" && len(s.Values) > 0 && s.Values[0].Through == "":
				alias = record.Target("CNAME", s.Values[0].Text)
			}
		}
		if len(values) > 0 || alias == "" {
			return values, name, true
		}
		name = alias
	}
	return nil, name, true
}

// isAddress reports whether a type decides where a name leads.
func isAddress(kind string) bool {
	return kind == "A" || kind == "AAAA" || kind == "CNAME" || kind == record.Alias
}

// places knows which carriers stand at which ends.
type places struct {
	byEnd map[string][]string // carriers, and SiteName, by address or alias
	ends  map[string][]string // by carrier
}

// SiteName stands for the site where a carrier is named.
const SiteName = "site"

func placesOf(e *estate.Estate) places {
	p := places{map[string][]string{}, map[string][]string{}}
	add := func(who string, addresses []netip.Addr, alias web.Host) {
		for _, a := range addresses {
			p.ends[who] = append(p.ends[who], a.String())
			p.byEnd[a.String()] = append(p.byEnd[a.String()], who)
		}
		if !alias.IsZero() {
			p.byEnd[alias.String()] = append(p.byEnd[alias.String()], who)
		}
	}
	for _, c := range e.Carriers {
		add(c.Name, c.Addresses, c.Alias)
	}
	for _, s := range e.Sites() {
		add(SiteName, s.Addresses, s.Alias)
	}
	return p
}

// at gives the addresses of a carrier; one that names none stands for itself.
func (p places) at(who string) []string {
	if ends := p.ends[who]; len(ends) > 0 {
		return ends
	}
	return []string{who + "'s own addresses"}
}

// AddressesAt gives the addresses of a kind of whoever of the estate is known by an alias.
func (w *World) AddressesAt(alias, kind string) []string {
	var all []string
	for _, who := range w.places.byEnd[record.Target("CNAME", alias)] {
		for _, end := range w.places.ends[who] {
			if strings.Contains(end, ":") == (kind == "AAAA") {
				all = append(all, end)
			}
		}
	}
	return all
}

// EndsOf gives where the names end that a set refers to, in order; nothing of none.
func (w *World) EndsOf(s *record.Set) []string {
	var all []string
	if s == nil {
		return nil
	}
	for _, v := range s.Values {
		for _, name := range survey.Refers(s.Type, v) {
			all = append(all, w.Lead(name).Ends...)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Carriers gives who stands where a host leads: a list for each end and each alias on the way at
// which somebody does. Several stand at one end where they share an address.
func (w *World) Carriers(host string) [][]string { return w.carriersAt(w.Lead(host)) }

func (w *World) carriersAt(lead Lead) [][]string {
	var all [][]string
	add := func(at string) {
		if who := w.places.byEnd[at]; len(who) > 0 &&
			!slices.ContainsFunc(all, func(o []string) bool { return slices.Equal(o, who) }) {
			all = append(all, who)
		}
	}
	for _, end := range lead.Ends {
		if who, is := strings.CutSuffix(end, "'s own addresses"); is {
			all = append(all, []string{who})
			continue
		}
		add(end)
	}
	for _, via := range lead.Via[1:] {
		add(via)
	}
	return all
}

// CarriersOf gives who stands at each end of a lead, and at each alias on the way at which somebody
// does. A list is empty for an end at which nobody of the estate stands.
func (w *World) CarriersOf(l Lead) [][]string {
	all := w.carriersAt(l)
	if len(w.Strange(l)) > 0 {
		all = append([][]string{nil}, all...)
	}
	return all
}

// Strange gives the ends of a lead at which nobody of the estate stands.
func (w *World) Strange(l Lead) []string {
	if slices.ContainsFunc(l.Via[min(1, len(l.Via)):], func(via string) bool {
		return len(w.places.byEnd[via]) > 0
	}) {
		return nil // by way of somebody's alias, whose addresses are its own business
	}
	return slices.DeleteFunc(slices.Clone(l.Ends), func(end string) bool {
		return strings.HasSuffix(end, "'s own addresses") || len(w.places.byEnd[end]) > 0
	})
}

// Cut reports whether a name lies below one that is delegated elsewhere, so that nobody here knows
// where it leads.
func (w *World) Cut(name string) bool {
	z := w.zoneAt(name)
	return z != nil && z.cut(name) != ""
}

// Placed reports whether it is known where a carrier, or the site, is.
func (w *World) Placed(who string) bool {
	return slices.ContainsFunc(slices.Collect(maps.Values(w.places.byEnd)), func(all []string) bool {
		return slices.Contains(all, who)
	})
}

// HoldsAny reports whether anything may be held at all that is not so any more.
func (w *World) HoldsAny() bool { return w.holds > w.now }

// heldUntil gives until when anything older may be held of a name, in seconds since the first
// state.
func (w *World) heldUntil(name string) int {
	z := w.zoneAt(name)
	if z == nil {
		return 0
	}
	until := w.left[z.name].until
	owner, _ := w.owner(z, name)
	for _, at := range []string{name, owner} {
		for _, p := range z.past[at] {
			until = max(until, p.latest())
		}
	}
	return until
}

// Types gives the types that stand at a name itself, whatever a wildcard would answer.
func (w *World) Types(name string) []string {
	z := w.zoneAt(name)
	if z == nil {
		return nil
	}
	var all []string
	for _, s := range z.sets[name] {
		all = append(all, s.Type)
	}
	return all
}

// Free reports whether a new name can be made: nothing stands at it or below it, nobody else has
// it, and it is not one about which nobody answered.
func (w *World) Free(name string) bool {
	z := w.zoneAt(name)
	if z == nil || z.unseen || z.below[name] > 0 || z.cut(name) != "" {
		return false
	}
	return !slices.ContainsFunc([]string{"A", "AAAA", "CNAME"}, func(kind string) bool {
		return z.missed[record.Key{Name: name, Type: kind}]
	})
}

// rowsTo gives the rows that make a set hold these values and no others.
func (w *World) rowsTo(zone, owner, kind string, values []Value) []Row {
	z := w.zones[zone]
	if z == nil {
		return nil
	}
	label := record.Label(owner, zone)
	var rows []Row
	for _, s := range z.sets[owner] {
		for _, v := range s.Values {
			if s.Type == kind &&
				!slices.ContainsFunc(values, func(o Value) bool { return o.Text == v.Text }) {
				rows = append(rows, Row{Do: Remove, Zone: zone, Label: label, Type: kind, Was: v.Text})
			}
		}
	}
	for _, v := range values {
		if _, at := z.find(owner, kind, v.Text); at < 0 {
			rows = append(rows, Row{Do: Add, Zone: zone, Label: label, Type: kind, Value: v.Text, TTL: v.TTL,
				Through: v.Through})
		}
	}
	return rows
}

// Type types whatever makes a set hold these values and no others. It is for states that are
// thought out before any sheet is there.
func (w *World) Type(zone, owner, kind string, values []Value) error {
	for i := range values {
		values[i].Text = normal(kind, values[i].Text)
	}
	for _, r := range w.rowsTo(zone, owner, kind, values) {
		if err := w.Apply(r); err != nil {
			return err
		}
	}
	return nil
}
