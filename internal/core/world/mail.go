package world

import (
	"cmp"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
)

// Receiver is a machine that a name's mail is handed to.
type Receiver struct {
	Preference int    // the smallest is tried first
	Value      string // of the MX record, "" where there is none and the name itself receives
	Target     string
	Lead       Lead
}

// Receivers gives who receives the mail of a name (RFC 5321 section 5.1): those that its MX records
// name, or the name itself where there are none; nobody where a null MX refuses it (RFC 7505).
// known is false where nobody knows.
func (w *World) Receivers(name string) (all []Receiver, known bool) {
	values, at, known := w.values(name, "MX")
	switch {
	case !known:
		return nil, false
	case len(values) == 0:
		if lead := w.Lead(at); len(lead.Ends) > 0 {
			return []Receiver{{Target: at, Lead: lead}}, true
		}
		return nil, true
	}
	for _, v := range values {
		target := record.Target("MX", v)
		if target == "" {
			continue // the null MX
		}
		first, _, _ := strings.Cut(v, " ")
		preference, _ := strconv.Atoi(first)
		all = append(all, Receiver{preference, v, target, w.Lead(target)})
	}
	slices.SortFunc(all, func(a, b Receiver) int {
		return cmp.Or(cmp.Compare(a.Preference, b.Preference), cmp.Compare(a.Target, b.Target))
	})
	return all, true
}

// Machines gives where mail ends, in the order in which it is tried: "1 192.0.2.1", the number
// being the same for machines that are tried alike.
func Machines(all []Receiver) []string {
	var machines []string
	place, last := 0, -1
	for _, r := range all {
		if len(r.Lead.Ends) > 0 && r.Preference != last {
			place, last = place+1, r.Preference
		}
		for _, end := range r.Lead.Ends {
			machines = append(machines, strconv.Itoa(place)+" "+end)
		}
	}
	slices.Sort(machines)
	return slices.Compact(machines)
}

// Result is what an SPF record says of a sender (RFC 7208 section 2.6), the best last.
type Result int

// The results. None is where nobody says anything, which receivers take as Neutral.
const (
	Broken Result = iota // nobody can make sense of the record (permerror)
	Fail
	SoftFail
	Neutral
	None        = Neutral
	Pass Result = 4
)

// mostDepth bounds how deep records take others over; the bound on look-ups ends earlier.
const mostDepth = spf.MostLookups + 2

// Senders gives every sender that the SPF record of a name names, by whatever term (RFC 7208
// section 5), with what it says of it. A sender is an address, a name outside the estate, or a term
// that nobody here can look into; "*" is everybody else. It is empty where the name has no such
// record or nobody knows.
func (w *World) Senders(name string) map[string]Result {
	text, known := w.policy(name)
	if !known || text == "" {
		return nil
	}
	named := map[string]bool{"*": true}
	w.senders(name, named, 0)
	if w.endsUnseen(text, 0) {
		delete(named, "*")
	}
	all := map[string]Result{}
	for sender := range named {
		all[sender] = w.Allows(name, sender)
	}
	return all
}

// endsUnseen reports whether what is said of everybody else stands in a record that nobody has
// seen.
func (w *World) endsUnseen(text string, depth int) bool {
	for _, t := range spf.Terms(text) {
		if t.Name == "all" && !t.Modifier {
			return false
		}
	}
	for _, t := range spf.Looked(text) {
		if t.Name != "redirect" || !t.TakesOver() || depth > mostDepth {
			continue
		}
		next, known := w.policy(t.Domain)
		return !known || w.endsUnseen(next, depth+1)
	}
	return false
}

// twoPolicies stands for two records where one is allowed (section 4.5): its term is one that
// nobody knows.
const twoPolicies = "v=spf1 two"

// policy gives the SPF record of a name, "" where there is none. known is false where nobody knows.
func (w *World) policy(name string) (text string, known bool) {
	values, at, known := w.values(name, "TXT")
	if !known {
		if w.zoneAt(at) != nil {
			return "", false
		}
		text, known = w.policies[at]
		return text, known
	}
	for _, v := range values {
		if one := record.Unquote(v); spf.Is(one) {
			if text != "" {
				return twoPolicies, true
			}
			text = one
		}
	}
	return text, true
}

// Policies gives the SPF records at a name, as spf.Records says.
func (w *World) Policies(name string) (texts []string, known bool) {
	values, at, known := w.values(name, "TXT")
	z := w.zoneAt(at)
	// what was not asked for by name is not known to be absent, however the rest was seen
	if known && (len(values) > 0 || z != nil && (!z.partial || at == z.name)) {
		return spf.All(values), true
	}
	text, known := w.policies[at]
	switch {
	case !known || text == "":
		return nil, known
	case text == twoPolicies:
		return []string{text, text}, true
	}
	return []string{text}, true
}

// Found gives how many records a look-up of an SPF record finds, as spf.Records says.
func (w *World) Found(name, kind string) (count int, known bool) {
	if n, looked := w.looks[record.Key{Name: name, Type: kind}]; looked && w.zoneAt(name) == nil {
		return n, true
	}
	if z := w.zoneAt(name); z == nil || z.partial && name != z.name && !z.asked[name] {
		return 0, false
	}
	kinds := []string{kind}
	if kind == "A" {
		kinds = []string{"A", "AAAA"}
	}
	known = true
	for _, k := range kinds {
		values, _, sure := w.values(name, k)
		count += len(values)
		known = known && sure
	}
	return count, known || count > 0
}

// senders gathers what a record and those that it takes over name.
func (w *World) senders(name string, into map[string]bool, depth int) {
	text, known := w.policy(name)
	if !known || depth > mostDepth {
		into["?"+name] = true
		return
	}
	for _, t := range spf.Terms(text) {
		t, sure := t.At(name)
		switch {
		case !sure && !t.Modifier:
			into[t.Text] = true // it depends on who sends
		case t.TakesOver():
			if _, known := w.policy(t.Domain); !known {
				into["include:"+t.Domain] = true
				continue
			}
			w.senders(t.Domain, into, depth+1)
		case t.Modifier:
		case t.Name == "ip4", t.Name == "ip6":
			for _, a := range bounds(t.Argument()) {
				into[a] = true
			}
		case t.Name == "a", t.Name == "mx":
			for _, end := range w.Named(name, t) {
				into[end] = true
				if a, err := netip.ParseAddr(end); err == nil {
					for _, b := range bounds(a.String() + lengthFor(a, t.Prefix)) {
						into[b] = true
					}
				}
			}
		case t.Name == "exists", t.Name == "ptr", t.Name == "include":
			into[t.Text] = true
		}
	}
}

// bounds gives the first and the last address of a prefix, or the one address.
func bounds(text string) []string {
	if a, err := netip.ParseAddr(text); err == nil {
		return []string{a.String()}
	}
	p, err := netip.ParsePrefix(text)
	if err != nil {
		return nil
	}
	first := p.Masked().Addr()
	octets := first.AsSlice()
	for bit := p.Bits(); bit < first.BitLen(); bit++ {
		octets[bit/8] |= 0x80 >> (bit % 8)
	}
	last, _ := netip.AddrFromSlice(octets)
	return []string{p.Addr().String(), first.String(), last.String()}
}

// lengthFor gives how much of an address of its kind a term counts: "/24", or "" for all of it.
func lengthFor(a netip.Addr, prefix string) string {
	four, six, both := strings.Cut(prefix, "//")
	switch {
	case a.Is4():
		return four
	case both:
		return "/" + six
	}
	return ""
}

// Named gives where the names end that an a or mx term of the SPF record of a name stands for.
func (w *World) Named(at string, t spf.Term) []string {
	name := cmp.Or(t.Domain, at)
	if t.Name == "a" {
		return w.Lead(name).Ends
	}
	values, _, known := w.values(name, "MX")
	if !known {
		return []string{"?mx of " + name}
	}
	var all []string
	for _, v := range values {
		if target := record.Target("MX", v); target != "" {
			all = append(all, w.Lead(target).Ends...)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Allows says what the SPF record of a name says of a sender, as Senders names them (RFC 7208
// section 4).
func (w *World) Allows(name, sender string) Result { return w.allowsAtLeast(name, sender, false) }

// allowsAtLeast does the same, or gives the worst that anybody may find who holds older answers.
func (w *World) allowsAtLeast(name, sender string, held bool) Result {
	look := 0
	return w.allows(name, sender, &look, 0, held)
}

// heldPolicies gives the SPF records that may be met at a name.
func (w *World) heldPolicies(name string) (all []string, known bool) {
	sets, known := w.heldValues(name, "TXT", nil)
	if !known {
		if w.zoneAt(name) != nil {
			return nil, false
		}
		text, known := w.policies[name]
		return []string{text}, known
	}
	for _, values := range sets {
		text := ""
		for _, v := range values {
			if one := record.Unquote(v); spf.Is(one) {
				if text != "" {
					one = twoPolicies
				}
				text = one
			}
		}
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	return all, true
}

// namedAnyhow gives where those names end in every mixture, and where in any.
func (w *World) namedAnyhow(at string, t spf.Term) (must, may []string) {
	name := cmp.Or(t.Domain, at)
	targets := [][]string{{name}}
	if t.Name == "mx" {
		sets, known := w.heldValues(name, "MX", nil)
		if !known {
			return []string{"?mx of " + name}, []string{"?mx of " + name}
		}
		targets = nil
		for _, values := range sets {
			var one []string
			for _, v := range values {
				if target := record.Target("MX", v); target != "" {
					one = append(one, target)
				}
			}
			targets = append(targets, one)
		}
	}
	for i, names := range targets {
		var sure []string
		for _, n := range names {
			held := w.Held(n)
			may = append(may, held.Ends...)
			if now := w.Lead(n); !held.Dark {
				for _, end := range now.Ends {
					// what is met now, and by all who hold anything else
					if len(held.Ends) == len(now.Ends) {
						sure = append(sure, end)
					}
				}
			}
		}
		if i == 0 {
			must = sure
			continue
		}
		must = slices.DeleteFunc(must, func(end string) bool { return !slices.Contains(sure, end) })
	}
	return must, may
}

func (w *World) allows(name, sender string, lookups *int, depth int, held bool) Result {
	text, known := w.policy(name)
	if held {
		all, knowing := w.heldPolicies(name)
		worst := Pass
		for _, one := range all {
			look := *lookups
			worst = min(worst, w.allowedBy(one, knowing, name, sender, &look, depth, held))
		}
		if knowing && len(all) > 0 {
			return worst
		}
		text, known = "", knowing
	}
	return w.allowedBy(text, known, name, sender, lookups, depth, held)
}

func (w *World) allowedBy(text string, known bool, name, sender string, lookups *int, depth int,
	held bool) Result {
	switch {
	case !known && (sender == "?"+name || sender == "include:"+name):
		return Pass
	case !known || text == "":
		return None
	case depth > mostDepth:
		return Broken
	}
	redirect := ""
	worst := Pass // of terms that match in some mixtures alone
	for _, t := range spf.Terms(text) {
		if t.Fault() != nil {
			return Broken
		}
		t, _ := t.At(name)
		if t.Modifier {
			if t.Name == "redirect" {
				redirect = t.Domain
			}
			continue
		}
		if t.LooksUp() {
			if *lookups++; *lookups > spf.MostLookups {
				return Broken
			}
		}
		must, may, broken := w.matches(name, t, sender, lookups, depth, held)
		says := map[byte]Result{'+': Pass, '-': Fail, '~': SoftFail, '?': Neutral}[t.Qualifier]
		switch {
		case broken:
			return Broken
		case must:
			return min(worst, says)
		case may:
			worst = min(worst, says)
		}
	}
	if redirect == "" {
		return min(worst, Neutral)
	}
	if *lookups++; *lookups > spf.MostLookups {
		return Broken
	}
	if text, known := w.policy(redirect); known && text == "" {
		return Broken
	}
	return min(worst, w.allows(redirect, sender, lookups, depth+1, held))
}

// matches reports whether a term takes a sender: in every mixture of what is held, or in some.
func (w *World) matches(at string, t spf.Term, sender string, lookups *int, depth int,
	held bool) (must, may, broken bool) {
	address, err := netip.ParseAddr(sender)
	isAddress := err == nil
	both := func(b bool) (bool, bool, bool) { return b, b, false }
	takes := func(ends []string) bool {
		return slices.ContainsFunc(ends, func(end string) bool {
			a, err := netip.ParseAddr(end)
			return end == sender || err == nil && isAddress && a.Is4() == address.Is4() &&
				within(address, a.String()+lengthFor(a, t.Prefix))
		})
	}
	if t.HasMacro() {
		return both(t.Text == sender)
	}
	switch t.Name {
	case "all":
		return both(true)
	case "ip4", "ip6":
		return both(isAddress && within(address, t.Argument()))
	case "a", "mx":
		if !held {
			return both(takes(w.Named(at, t)))
		}
		must, may := w.namedAnyhow(at, t)
		return takes(must), takes(may), false
	case "include":
		if t.TakesOver() {
			if text, known := w.policy(t.Domain); known {
				if text == "" {
					return false, false, true
				}
				result := w.allows(t.Domain, sender, lookups, depth+1, held)
				return result == Pass, result == Pass, result == Broken
			}
			return both(sender == "include:"+t.Domain)
		}
	}
	return both(t.Text == sender)
}

// within reports whether an address is another, or lies within a prefix.
func within(a netip.Addr, text string) bool {
	if b, err := netip.ParseAddr(text); err == nil {
		return a == b
	}
	p, err := netip.ParsePrefix(text)
	return err == nil && p.Contains(a)
}
