package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// The phases in which a zone is changed: what nothing hangs on yet, names that did not exist, names that lead elsewhere from now
// on, what is in nobody's way any more, and what stays.
const (
	first = iota
	fresh
	turning
	clearing
	staying
)

// change works out the changes of a zone that was seen.
func (w *zoneWork) change() {
	w.hostChanges()
	w.wantedChanges()
	w.wildcards()
	w.mail()
	w.others()
	w.number()
	w.ttls()
	w.since()
	w.move()
	if w.domain.State == estate.Moved {
		w.carriedOut()
	}
}

// add adds a change. A second one to the same set is joined with the first.
func (w *zoneWork) add(phase int, c Change) {
	c.Before, c.After = plain(c.Type, c.Before), plain(c.Type, c.After)
	if w.touched[record.Key{Name: c.Name, Type: c.Type}] {
		for p := range w.phases {
			for i := range w.phases[p] {
				if earlier := &w.phases[p][i]; earlier.Name == c.Name && earlier.Type == c.Type {
					earlier.After, earlier.Reason = c.After, strings.TrimSpace(earlier.Reason+" "+c.Reason)
					if earlier.Action == Keep {
						c.Reason = earlier.Reason
						w.phases[p] = slices.Delete(w.phases[p], i, i+1)
						w.phases[phase] = append(w.phases[phase], c)
					}
					return
				}
			}
		}
	}
	w.phases[phase] = append(w.phases[phase], c)
	w.touched[record.Key{Name: c.Name, Type: c.Type}] = true
}

func plain(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		all[i] = record.Plain(kind, v)
	}
	return all
}

// planned gives the values of a set as the changes so far leave it.
func (w *zoneWork) planned(name, kind string) []string {
	for p := range w.phases {
		for _, c := range w.phases[p] {
			if c.Name == name && c.Type == kind {
				return Record{c.Name, c.Type, c.TTL, c.After}.Set().Values
			}
		}
	}
	s, _ := w.set(name, kind)
	return s.Values
}

// same tells whether two lists of values mean the same records.
func same(kind string, a, b []string) bool {
	return record.SameValues(normal(kind, a), normal(kind, b))
}

func normal(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		n, err := record.Value(kind, v)
		if all[i] = n; err != nil {
			all[i] = v
		}
	}
	return all
}

// hostChanges leads every host of the domain to its carrier: what is missing comes, what differs is replaced, what is in the
// way goes.
func (w *zoneWork) hostChanges() {
	for _, h := range w.domain.Hosts() {
		name := h.String()
		var wants []want
		for _, n := range w.want {
			if n.host == h {
				wants = append(wants, n)
			}
		}
		if len(wants) > 0 {
			w.hostChange(name, wants)
		}
	}
}

func (w *zoneWork) hostChange(name string, wants []want) {
	var was []record.Set
	for _, s := range w.have[name] {
		if isWeb(s.Type) {
			was = append(was, s)
		}
	}
	alone := wants[0].Type == "CNAME" || wants[0].Type == record.Alias
	if w.flattened(wants, was) {
		n := wants[0]
		w.add(staying, Change{Action: Keep, Name: name, Type: n.Type, TTL: was[0].TTL, Before: n.Values, After: n.Values, Through: through(n), Reason: "The provider's alias gives the addresses of " + n.carrier.Name + " already."})
		for _, s := range was {
			w.touched[s.Key()] = true
		}
		return
	}
	if target := w.follows(wants, was); target != "" {
		s := was[0]
		w.add(staying, Change{Action: Keep, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, After: s.Values, Reason: fmt.Sprintf("It follows %s, which leads to %s.", target, wants[0].carrier.Name)})
		return
	}
	var goes, comes, turns []Change
	changes := false
	for _, s := range was {
		i := slices.IndexFunc(wants, func(n want) bool { return n.Type == s.Type })
		switch {
		case i < 0 && (s.Type != "HTTPS" || alone || hints(s)):
			goes = append(goes, Change{Action: Remove, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, Reason: w.whyGoes(s, wants)})
			changes = changes || isAddress(s.Type)
		case i < 0:
			w.add(staying, Change{Action: Keep, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, After: s.Values, Reason: "It names no address, and does no harm."})
		case same(s.Type, s.Values, wants[i].Values):
			n := wants[i]
			w.add(staying, Change{Action: Keep, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, After: s.Values, Through: through(n), Reason: fmt.Sprintf("It leads to %s already.", n.carrier.Name)})
		default:
			n := wants[i]
			turns = append(turns, Change{Action: Replace, Name: name, Type: s.Type, TTL: MovingTTL, Before: s.Values, After: n.Values, Typed: n.typed, Through: through(n), Reason: w.whyTurns(s, n)})
			changes = true
		}
	}
	for _, n := range wants {
		if slices.ContainsFunc(was, func(s record.Set) bool { return s.Type == n.Type }) {
			continue
		}
		ttl := RecordTTL
		if len(was) > 0 {
			ttl = MovingTTL
		}
		comes = append(comes, Change{Action: Add, Name: name, Type: n.Type, TTL: ttl, After: n.Values, Typed: n.typed, Through: through(n), Reason: w.whyComes(n, was)})
		changes = changes || len(was) > 0
	}
	if wants[0].Type == "CNAME" {
		goes = append(goes, w.crowd(name)...)
	}
	if changes {
		w.moves[name] = was
	}
	phase := turning
	if len(was) == 0 {
		phase = fresh
	}
	// What goes, goes first, as forms refuse two that contradict each other; but a name is never left without any address.
	order := slices.Concat(goes, turns, comes)
	if len(turns) == 0 && !alone && !slices.ContainsFunc(goes, func(c Change) bool { return c.Type == "CNAME" }) && w.onlyThese(was, goes) {
		order = slices.Concat(comes, goes)
	}
	for _, c := range order {
		w.add(phase, c)
	}
}

// onlyThese tells whether all addresses that are there go.
func (w *zoneWork) onlyThese(was []record.Set, goes []Change) bool {
	addresses, going := 0, 0
	for _, s := range was {
		if isAddress(s.Type) {
			addresses++
		}
	}
	for _, c := range goes {
		if isAddress(c.Type) {
			going++
		}
	}
	return addresses == going
}

func through(n want) string {
	if len(n.typed) > 0 {
		return n.carrier.Name
	}
	return ""
}

// follows gives the host of the zone that an alias follows to the same carrier, "" where it does not: such an alias is as good as
// the addresses.
func (w *zoneWork) follows(wants []want, was []record.Set) string {
	if len(was) != 1 || was[0].Type != "CNAME" || len(was[0].Values) != 1 || wants[0].Type == "CNAME" {
		return ""
	}
	target := record.Target("CNAME", was[0].Values[0])
	if slices.ContainsFunc(w.want, func(n want) bool { return n.Name == target && n.carrier == wants[0].carrier && n.Name != wants[0].Name }) {
		return target
	}
	return ""
}

// flattened tells whether the world sees the addresses of the carrier where the provider's alias is wanted.
func (w *zoneWork) flattened(wants []want, was []record.Set) bool {
	if wants[0].Type != record.Alias || len(wants[0].carrier.Addresses) == 0 || len(was) == 0 {
		return false
	}
	for _, kind := range []string{"A", "AAAA"} {
		s, _ := record.Find(was, wants[0].Name, kind)
		if !same(kind, s.Values, addressesOf(wants[0].carrier.Addresses, kind)) {
			return false
		}
	}
	return true
}

// crowd removes what cannot stand beside the alias that is to come, and says what is lost by it.
func (w *zoneWork) crowd(name string) []Change {
	var goes []Change
	for _, s := range w.have[name] {
		if isWeb(s.Type) || isSignature(s.Type) {
			continue
		}
		code, what := finding.RecordLost, "a record that somebody may need"
		if isMail(s) {
			code, what = finding.MailLost, "mail"
		}
		w.plan.tally.Add(finding.New(code, name, fmt.Sprintf("%s becomes an alias, and its %s record (%s) cannot stand beside it: %s would be lost.", name, s.Type, shortly(s.Values), what),
			"Ask the carrier for addresses and add them to it, so that no alias is needed; or move the record to another name first.", map[string]any{"type": s.Type, "values": plain(s.Type, s.Values)}))
		goes = append(goes, Change{Action: Remove, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, Reason: "An alias stands alone at its name (RFC 1034 section 3.6.2). Do not type this before the finding about it is settled."})
	}
	return goes
}

// hints tells whether a HTTPS record leads browsers somewhere by itself (RFC 9460).
func hints(s record.Set) bool {
	for _, v := range s.Values {
		if f := strings.Fields(v); len(f) > 1 && f[1] != "." || strings.Contains(v, "hint=") {
			return true
		}
	}
	return false
}

func (w *zoneWork) whyGoes(s record.Set, wants []want) string {
	n := wants[0]
	switch {
	case s.Type == "HTTPS":
		return "It gives browsers addresses or a name of its own (RFC 9460), which lead to the old machine whatever A and AAAA say."
	case s.Type == "CNAME":
		return fmt.Sprintf("An alias stands alone: it has to go before the addresses of %s come.%s", n.carrier.Name, w.today(s.Name))
	case n.Type == "CNAME" || n.Type == record.Alias:
		return fmt.Sprintf("An address beside the alias would be a second way: visitors get one or the other by chance.%s%s", w.owner(s.Values), w.today(s.Name))
	case s.Type == "AAAA":
		return fmt.Sprintf("It still leads to the old machine, for everybody with IPv6; %s has no IPv6 address.%s", n.carrier.Name, w.owner(s.Values))
	}
	return fmt.Sprintf("It still leads to the old machine; %s has no such address.%s", n.carrier.Name, w.owner(s.Values))
}

func (w *zoneWork) whyTurns(s record.Set, n want) string {
	if s.Type == "CNAME" {
		return fmt.Sprintf("One alias is replaced by the other; a second one beside it would break the name. From now on it leads to %s.%s%s", n.carrier.Name, w.claim(n), w.today(s.Name))
	}
	was, is := normal(s.Type, s.Values), normal(s.Type, n.Values)
	var stay, left []string
	for _, v := range was {
		if slices.Contains(is, v) {
			stay = append(stay, v)
		} else {
			left = append(left, v)
		}
	}
	switch {
	case len(stay) > 0 && len(left) > 0:
		return fmt.Sprintf("%s would be left over: visitors get the one or the other address by chance.%s", strings.Join(left, ", "), w.owner(left))
	case len(stay) > 0:
		return fmt.Sprintf("Only %d of the %d addresses of %s are there; all of them form one record set.", len(stay), len(is), n.carrier.Name)
	}
	why := fmt.Sprintf("From now on it leads to %s.%s%s", n.carrier.Name, w.owner(left), w.today(s.Name))
	if len(left) > 1 {
		all := fmt.Sprintf("All %d", len(left))
		if len(left) == 2 {
			all = "Both"
		}
		why = all + " old addresses go; one that stays beside the new would take visitors by chance. " + why
	}
	if n.carrier.By == estate.Edge && w.alreadyAt(n.carrier) {
		why += fmt.Sprintf(" Until then it bypasses %s, and every pattern for this host is dead.", n.carrier.Name)
	}
	return why
}

func (w *zoneWork) whyComes(n want, was []record.Set) string {
	who := n.carrier.Name
	switch {
	case len(was) == 0 && w.wildcardOver(n.Name) != "":
		return fmt.Sprintf("Nobody ever created %s: the wildcard *.%s answered for it and hid that.%s", n.Name, w.wildcardOver(n.Name), w.claim(n))
	case len(was) == 0:
		return fmt.Sprintf("Nobody ever created %s; it leads to %s.%s", n.Name, who, w.claim(n))
	case n.Type == "AAAA":
		return fmt.Sprintf("%s is reached over IPv6 too; all of its addresses belong to the name.", who)
	}
	return fmt.Sprintf("From now on it leads to %s.%s", who, w.claim(n))
}

// claim says what a platform has to be told before a name points to it.
func (w *zoneWork) claim(n want) string {
	if n.carrier.By != estate.Platform || len(n.carrier.Steps) > 0 && n.carrier.Steps[0] != estate.Claim {
		return ""
	}
	return fmt.Sprintf(" Claim %s at %s first: an alias that nobody has claimed can be taken by a stranger.", n.Name, n.carrier.Name)
}

// owner says to which carriers of the estate addresses belong.
func (w *zoneWork) owner(addresses []string) string {
	for _, c := range w.plan.Estate.Carriers {
		for _, a := range c.Addresses {
			if slices.Contains(addresses, a.String()) {
				if c.By == estate.Form {
					return fmt.Sprintf(" %s belongs to %s: delete its forwarding there, for one door has one carrier.", a, c.Name)
				}
				return fmt.Sprintf(" %s belongs to %s.", a, c.Name)
			}
		}
	}
	return ""
}

// today says what the survey met at a host's http door.
func (w *zoneWork) today(name string) string {
	for _, c := range w.seen.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != name || c.Entry.Scheme() != web.HTTP {
			continue
		}
		switch h := c.Hops[0]; {
		case h.IsRedirect() && h.Location != "":
			return fmt.Sprintf(" Today it forwards to %s.", h.Location)
		case h.Status == 200:
			return " Today it shows a page of its own."
		case h.Status > 0:
			return fmt.Sprintf(" Today it answers %d.", h.Status)
		}
	}
	return ""
}

// alreadyAt tells whether the zone is served by a carrier's name servers.
func (w *zoneWork) alreadyAt(c *estate.Carrier) bool {
	return len(c.NameServers) > 0 && slices.Equal(w.delegated(), names(c.NameServers))
}

// delegated gives the name servers that the parent names, or else the zone, in order.
func (w *zoneWork) delegated() []string {
	all := slices.Clone(w.seen.Parent.Servers)
	if len(all) == 0 {
		ns, _ := w.set(w.zone.Name, "NS")
		for _, v := range ns.Values {
			all = append(all, record.Target("NS", v))
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func names(hosts []web.Host) []string {
	var all []string
	for _, h := range hosts {
		all = append(all, h.String())
	}
	slices.Sort(all)
	return all
}

// wantedChanges adds what somebody asks for and removes what has done its work.
func (w *zoneWork) wantedChanges() {
	for _, n := range w.want {
		if n.host.IsZero() {
			w.wantedChange(n)
		}
	}
	for _, r := range w.domain.Wanted {
		s, there := w.set(r.Name, r.Type)
		why := w.plan.doneWith(w.domain, w.seen, r)
		if why == "" || !there || !slices.Contains(normal(r.Type, s.Values), r.Value) {
			continue
		}
		rest := slices.DeleteFunc(slices.Clone(s.Values), func(v string) bool { return slices.Contains(normal(r.Type, []string{v}), r.Value) })
		if len(rest) == 0 {
			w.add(clearing, Change{Action: Remove, Name: s.Name, Type: s.Type, TTL: s.TTL, Before: s.Values, Reason: why})
		} else {
			w.add(clearing, Change{Action: Replace, Name: s.Name, Type: s.Type, TTL: s.TTL, Before: s.Values, After: rest, Reason: why + " The others of the set stay."})
		}
	}
}

func (w *zoneWork) wantedChange(n want) {
	if w.besideDoor(n) {
		return
	}
	s, there := w.set(n.Name, n.Type)
	all := normal(n.Type, s.Values)
	missing := slices.DeleteFunc(slices.Clone(n.Values), func(v string) bool { return slices.Contains(all, v) })
	switch {
	case !there:
		w.add(first, Change{Action: Add, Name: n.Name, Type: n.Type, TTL: n.TTL, After: n.Values, Reason: n.why})
	case len(missing) == 0:
		w.add(staying, Change{Action: Keep, Name: n.Name, Type: n.Type, TTL: s.TTL, Before: s.Values, After: s.Values, Reason: n.why + " It is there."})
	case n.Type == "CNAME":
		w.add(first, Change{Action: Replace, Name: n.Name, Type: n.Type, TTL: n.TTL, Before: s.Values, After: n.Values, Reason: n.why + " It replaces the alias that is there."})
	default:
		w.add(first, Change{Action: Replace, Name: n.Name, Type: n.Type, TTL: s.TTL, Before: s.Values, After: slices.Concat(s.Values, missing), Reason: n.why + " It joins the others of its set, which stay."})
	}
	if n.Type == "CNAME" {
		for _, old := range w.have[n.Name] {
			if old.Type != "CNAME" && !isSignature(old.Type) {
				w.plan.tally.Add(finding.New(finding.AliasConflict, n.Name, fmt.Sprintf("%s is wanted as an alias, and has a %s record already (%s).", n.Name, old.Type, shortly(old.Values)),
					"Ask whoever wants the alias for another name, or remove what is there if nobody uses it.", map[string]any{"type": old.Type, "values": plain(old.Type, old.Values)}))
			}
		}
	}
}

// besideDoor tells whether a wanted record is an address at a door, which is not the carrier's: a second way that takes visitors
// by chance.
func (w *zoneWork) besideDoor(n want) bool {
	if !isAddress(n.Type) {
		return false
	}
	i := slices.IndexFunc(w.want, func(o want) bool { return !o.host.IsZero() && o.Name == n.Name })
	if i < 0 {
		return false
	}
	door := w.want[i]
	var extra []string
	for _, v := range n.Values {
		if !slices.ContainsFunc(w.want, func(o want) bool { return !o.host.IsZero() && o.Name == n.Name && slices.Contains(o.Values, v) }) {
			extra = append(extra, v)
		}
	}
	if len(extra) == 0 {
		return true
	}
	says := fmt.Sprintf("%s leads to %s (%s), and %s is to be kept beside it as a second way: visitors get one or the other by chance.", n.Name, door.carrier.Name, shortly(plain(door.Type, door.Values)), strings.Join(extra, ", "))
	if door.typed != nil {
		says = fmt.Sprintf("%s goes through %s, and %s bypasses it: every pattern for this host would be dead.", n.Name, door.carrier.Name, strings.Join(extra, ", "))
	}
	w.plan.tally.Add(finding.New(finding.LeftoverAddress, n.Name, says, "Drop the line from wanted:, or give the machine a name of its own.", map[string]any{"addresses": extra, "carrier": door.carrier.Name}))
	return true
}

// wildcardOver gives the name below which a wildcard answers for a name that has no record of its own, "" where none does.
func (w *zoneWork) wildcardOver(name string) string {
	if len(w.have[name]) > 0 {
		return ""
	}
	for above := name; above != w.zone.Name; {
		_, above, _ = strings.Cut(above, ".")
		if slices.Contains(w.seen.Wildcards, above) || slices.ContainsFunc(w.have["*."+above], func(s record.Set) bool { return isAddress(s.Type) }) {
			return above
		}
	}
	return ""
}

// wildcards removes a wildcard that hid a missing name or leads to a machine that is left.
func (w *zoneWork) wildcards() {
	gone := map[string]bool{}
	for _, sets := range w.moves {
		for _, s := range sets {
			for _, v := range s.Values {
				gone[v] = true
			}
		}
	}
	hidden := map[string][]string{}
	for _, h := range w.domain.Hosts() {
		if over := w.wildcardOver(h.String()); over != "" {
			hidden[over] = append(hidden[over], h.String())
		}
	}
	for name, sets := range w.have {
		below, isWild := strings.CutPrefix(name, "*.")
		if !isWild {
			continue
		}
		for _, s := range sets {
			old := slices.ContainsFunc(s.Values, func(v string) bool { return gone[v] })
			if !isAddress(s.Type) || w.touched[s.Key()] || !old && hidden[below] == nil {
				continue
			}
			why := "It leads to a machine that is left, whatever name is typed."
			if len(hidden[below]) > 0 {
				why = fmt.Sprintf("It hid that %s did not exist.", strings.Join(hidden[below], " and "))
			}
			w.add(clearing, Change{Action: Remove, Name: name, Type: s.Type, TTL: s.TTL, Before: s.Values, Reason: why + " If any other name is used that has no record of its own, create that record first."})
		}
	}
	for _, below := range w.seen.Wildcards {
		if len(w.have["*."+below]) == 0 {
			w.plan.note("Every name below %s answers (a wildcard), but nobody showed its record: look for *.%s at the provider, and remove it unless somebody needs it.", below, below)
		}
	}
}

// others keeps everything else that is there.
func (w *zoneWork) others() {
	ends := map[string]survey.AliasEnd{}
	for _, a := range w.seen.Aliases {
		ends[a.Name] = a
	}
	for _, s := range w.seen.Records {
		if w.touched[s.Key()] || s.Type == "SOA" || isSignature(s.Type) || s.Type == "NS" && s.Name == w.zone.Name {
			continue
		}
		why := "It stays as it is."
		if left := w.left(s); left != "" {
			why = fmt.Sprintf("It stays, and leads on to %s, where the web is to leave: move it or give it up before that machine is switched off.", left)
		}
		switch end, alias := ends[s.Name]; {
		case isMail(s) && w.left(s) != "":
			why = fmt.Sprintf("Mail: it stays, and needs the machine at %s, which the web is to leave: do not switch that off.", w.left(s))
		case isMail(s):
			why = "Mail: it stays as it is."
		case s.Type == "CAA":
			why = "It says who may issue certificates; it stays."
		case alias && s.Type == "CNAME" && !end.Exists:
			why = "It stays, though nobody answers where it leads: claim it there, or remove it, before a stranger does."
		case s.Name == w.zone.Name+"."+w.zone.Name || strings.HasSuffix(s.Name, "."+w.zone.Name+"."+w.zone.Name):
			why = "It stays, though it looks like a slip: the name holds the domain twice."
		}
		w.add(staying, Change{Action: Keep, Name: s.Name, Type: s.Type, TTL: s.TTL, Before: s.Values, After: s.Values, Reason: why})
	}
}

// left gives the address of a set at which a door of the zone was until now, "" where there is none.
func (w *zoneWork) left(s record.Set) string {
	if s.Type != "A" && s.Type != "AAAA" {
		return ""
	}
	for _, sets := range w.moves {
		for _, was := range sets {
			for _, v := range was.Values {
				if was.Type == s.Type && slices.Contains(s.Values, v) {
					return v
				}
			}
		}
	}
	return ""
}

// number puts the changes in their order and works out what the zone holds after them.
func (w *zoneWork) number() {
	for phase := range w.phases {
		changes := w.phases[phase]
		if phase != turning && phase != fresh {
			slices.SortStableFunc(changes, func(a, b Change) int {
				// What is new comes before what leads to it.
				return cmp.Or(cmp.Compare(late(a), late(b)), record.CompareNames(a.Name, b.Name), cmp.Compare(a.Type, b.Type))
			})
		}
		for _, c := range changes {
			if phase != staying {
				c.Step = len(w.zone.Changes) + 1
			}
			w.zone.Changes = append(w.zone.Changes, c)
		}
	}
	after := map[record.Key]record.Set{}
	var order []record.Key
	for _, s := range w.seen.Records {
		after[s.Key()] = s
		order = append(order, s.Key())
	}
	for _, c := range w.zone.Changes {
		key := record.Key{Name: c.Name, Type: c.Type}
		switch c.Action {
		case Remove:
			delete(after, key)
		case Add, Replace:
			if _, had := after[key]; !had {
				order = append(order, key)
			}
			ttl := c.TTL
			if ttl == MovingTTL {
				ttl = RecordTTL
			}
			after[key] = Record{c.Name, c.Type, ttl, c.After}.Set()
		}
	}
	for _, key := range order {
		if s, stays := after[key]; stays {
			w.zone.whole = append(w.zone.whole, s)
			delete(after, key)
		}
	}
}

func late(c Change) int {
	switch {
	case c.Action != Add:
		return 2
	case isAddress(c.Type):
		return 0
	}
	return 1
}

// ttls works out how the TTLs are led around the changes.
func (w *zoneWork) ttls() {
	w.zone.AbsentFor = w.negative()
	for _, c := range w.zone.Changes {
		if c.Action != Replace && c.Action != Remove || !isAddress(c.Type) {
			continue
		}
		s, _ := w.set(c.Name, c.Type)
		t := TTL{Name: c.Name, Type: c.Type, Seen: s.TTL, LowerTo: s.TTL, WaitAfter: s.TTL}
		if s.TTL > MovingTTL {
			t.LowerTo, t.LowerBefore, t.WaitAfter = MovingTTL, s.TTL, MovingTTL
		}
		if c.Action == Replace || slices.ContainsFunc(w.want, func(n want) bool { return n.Name == c.Name && !n.host.IsZero() }) {
			t.RaiseTo = RecordTTL
		}
		w.zone.TTLs = append(w.zone.TTLs, t)
	}
}

// negative gives for how long resolvers remember that a name is not there: the smaller of the SOA's own TTL and its last field
// (RFC 2308 section 5). 0 where nobody showed the SOA.
func (w *zoneWork) negative() int {
	soa, ok := w.set(w.zone.Name, "SOA")
	if !ok || len(soa.Values) != 1 {
		return 0
	}
	f := strings.Fields(soa.Values[0])
	minimum := 0
	if len(f) != 7 {
		return 0
	}
	if _, err := fmt.Sscan(f[6], &minimum); err != nil {
		return 0
	}
	return min(soa.TTL, minimum)
}

func shortly(values []string) string {
	s := strings.Join(values, ", ")
	if r := []rune(s); len(r) > 80 {
		return string(r[:79]) + "…"
	}
	return s
}
