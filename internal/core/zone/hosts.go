package zone

import (
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// leadHosts leads every host of the domain to its carrier: what is missing comes, what differs is
// replaced, what is in the way goes. It tells which names' addresses change, too.
func leadHosts(s Sight, required []requirement) (found, moving) {
	var all found
	moves := moving{}
	for _, h := range s.domain.Hosts() {
		var own []requirement
		for _, n := range required {
			if n.host == h {
				own = append(own, n)
			}
		}
		if len(own) == 0 {
			continue
		}
		f, was := leadHost(s, h.String(), own, required)
		all.proposals, all.Findings = append(all.proposals, f.proposals...),
			append(all.Findings, f.Findings...)
		if was != nil {
			moves[h.String()] = was
		}
	}
	return all, moves
}

// leadHost leads one host to its carrier. was is the sets that were there, where the host's address
// changes; else nil.
func leadHost(s Sight, name string, own, required []requirement) (f found, was []record.Set) {
	var have []record.Set
	for _, set := range s.have[name] {
		if record.LeadsBrowsers(set.Type) {
			have = append(have, set)
		}
	}
	alone := own[0].Type == "CNAME" || own[0].Type == record.Alias
	keep := func(set record.Set, kind string, before, after []string, why act.Reason) act.Change {
		return act.Change{
			Action:  act.Keep,
			Name:    name,
			Type:    kind,
			TTL:     set.TTL,
			Before:  before,
			After:   after,
			Reasons: []act.Reason{why},
		}
	}
	if isFlattened(own, have) {
		n := own[0]
		c := keep(have[0], n.Type, n.Values, n.Values,
			act.Reason{Why: act.AliasGivesAlready, Carrier: n.carrier.Name})
		c.Through = through(n)
		p := proposal{phase: staying, change: c}
		for _, set := range have {
			p.keys = append(p.keys, set.Key())
		}
		f.proposals = append(f.proposals, p)
		return f, nil
	}
	if stays := heldAtEdge(s, name, own, have); stays != nil {
		for _, set := range stays {
			c := keep(set, set.Type, set.Values, set.Values,
				act.Reason{Why: act.LeadsAlready, Carrier: own[0].carrier.Name})
			c.Through = own[0].carrier.Name
			f.propose(staying, c)
		}
		return f, nil
	}
	if target := follows(own, have, required); target != "" && len(s.beside(name)) == 0 {
		set := have[0]
		f.propose(
			staying,
			keep(set, set.Type, set.Values, set.Values,
				act.Reason{Why: act.FollowsDoor, Name: target, Carrier: own[0].carrier.Name}),
		)
		return f, nil
	}
	if aliasLeads(s, name, own, have) {
		f.propose(
			staying,
			keep(have[0], "CNAME", have[0].Values, have[0].Values,
				act.Reason{Why: act.LeadsAlready, Carrier: own[0].carrier.Name}),
		)
		return f, nil
	}
	var goes, comes, turns []act.Change
	changes := false
	ttl, later := movingTTL(s, have)
	for _, set := range have {
		i := slices.IndexFunc(own, func(n requirement) bool { return n.Type == set.Type })
		switch {
		case i < 0 && (set.Type != "HTTPS" || alone || hints(set)):
			goes = append(
				goes,
				act.Change{Action: act.Remove, Name: name, Type: set.Type, TTL: set.TTL, Before: set.Values,
					Reasons: whyGoes(s, set, own)},
			)
			changes = changes || record.LeadsToAddress(set.Type)
		case i < 0:
			f.propose(staying, keep(set, set.Type, set.Values, set.Values, act.Reason{Why: act.Harmless}))
		case record.SameMeaning(set.Type, set.Values, own[i].Values):
			c := keep(set, set.Type, set.Values, set.Values,
				act.Reason{Why: act.LeadsAlready, Carrier: own[i].carrier.Name})
			c.Through = through(own[i])
			f.propose(staying, c)
		default:
			n := own[i]
			turns = append(
				turns,
				act.Change{Action: act.Replace, Name: name, Type: set.Type, TTL: ttl, Raise: later,
					Before: set.Values, After: n.Values,
					Typed: n.typed, TypedAs: n.typedAs, Through: through(n), Reasons: whyTurns(s, set, n)},
			)
			changes = true
		}
	}
	for _, n := range own {
		if slices.ContainsFunc(have, func(set record.Set) bool { return set.Type == n.Type }) {
			continue
		}
		comes = append(
			comes,
			act.Change{
				Action:  act.Add,
				Name:    name,
				Type:    n.Type,
				TTL:     ttl,
				Raise:   later,
				After:   n.Values,
				Typed:   n.typed,
				TypedAs: n.typedAs,
				Through: through(n),
				Reasons: whyComes(s, n, have),
			},
		)
		changes = changes || len(have) > 0
	}
	if own[0].Type == "CNAME" {
		goes = append(goes, crowd(s, name, &f)...)
	}
	if changes {
		was = have
		if was == nil {
			was = []record.Set{}
		}
	}
	phase := turning
	if len(have) == 0 {
		phase = fresh
	}
	// What goes, goes first, as forms refuse two that contradict each other; but a name is never left
	// without any address.
	order := slices.Concat(goes, turns, comes)
	if len(turns) == 0 && !alone &&
		!slices.ContainsFunc(goes, func(c act.Change) bool { return c.Type == "CNAME" }) &&
		allGo(have, goes) {
		order = slices.Concat(comes, goes)
	}
	for _, c := range order {
		f.propose(phase, c)
	}
	return f, was
}

// movingTTL gives the TTL that the records of a host get while it moves, and what it is raised to a
// day later: what it was, an hour at most; 0 where it was short already.
func movingTTL(s Sight, have []record.Set) (ttl, later int) {
	was := 0
	for _, set := range have {
		was = max(was, set.TTL)
	}
	switch {
	case len(have) == 0:
		return act.RecordTTL, 0
	case s.seen.Remaining, was > act.RecordTTL:
		return act.MovingTTL, act.RecordTTL
	case was > act.MovingTTL:
		return act.MovingTTL, was
	}
	return was, 0
}

// allGo reports whether all addresses that are there go.
func allGo(have []record.Set, goes []act.Change) bool {
	addresses, going := 0, 0
	for _, s := range have {
		if record.LeadsToAddress(s.Type) {
			addresses++
		}
	}
	for _, c := range goes {
		if record.LeadsToAddress(c.Type) {
			going++
		}
	}
	return addresses == going
}

func through(n requirement) string {
	if n.through {
		return n.carrier.Name
	}
	return ""
}

// follows gives the host of the zone that an alias follows to the same carrier, "" where it does
// not: such an alias is as good as the addresses.
func follows(own []requirement, have []record.Set, required []requirement) string {
	if len(have) != 1 || have[0].Type != "CNAME" || len(have[0].Values) != 1 ||
		own[0].Type == "CNAME" {
		return ""
	}
	target := record.Target("CNAME", have[0].Values[0])
	if slices.ContainsFunc(
		required,
		func(n requirement) bool {
			return n.Name == target && n.carrier == own[0].carrier && n.Name != own[0].Name
		},
	) {
		return target
	}
	return ""
}

// aliasLeads reports whether an alias that is there leads to the carrier already, though its
// addresses are what the estate file gives: it is the carrier's own alias, or every door was met at
// the carrier's addresses by way of it.
func aliasLeads(s Sight, name string, own []requirement, have []record.Set) bool {
	if len(have) != 1 || have[0].Type != "CNAME" || len(have[0].Values) != 1 ||
		len(s.beside(name)) > 0 || own[0].through {
		return false
	}
	c, target := own[0].carrier, record.Target("CNAME", have[0].Values[0])
	if target == c.Alias.String() {
		return own[0].Type != "CNAME"
	}
	met := false
	for _, ch := range s.seen.Chains {
		first := ch.Hops[0]
		if ch.Entry.Host().String() != name || !slices.Contains(first.Aliases, target) ||
			first.Address == "" {
			continue
		}
		a, err := netip.ParseAddrPort(first.Address)
		if err != nil || !slices.Contains(c.Addresses, a.Addr()) {
			return false
		}
		met = true
	}
	return met && own[0].Type != "CNAME"
}

// heldAtEdge gives the sets of a host that its edge network answers with its own addresses already,
// with what is to stand behind it; nil where that is not so.
func heldAtEdge(s Sight, name string, own []requirement, have []record.Set) []record.Set {
	if !own[0].through || s.through[name] != own[0].carrier.Name {
		return nil
	}
	for _, n := range own {
		if set, _ := record.Find(have, name, n.typedAs); len(n.typed) > 0 &&
			!(IsPlaceholder(n.typed) && s.seen.Source == survey.File) &&
			!record.SameMeaning(n.typedAs, set.Values, n.typed) {
			return nil
		}
	}
	return have
}

// IsPlaceholder reports whether values stand for nothing: the network answers by itself, and
// whatever stands behind it does as well.
func IsPlaceholder(values []string) bool {
	return len(values) == 1 && (values[0] == placeholder4 || values[0] == placeholder6)
}

// isFlattened reports whether the world sees the addresses of the carrier where the provider's
// alias is wanted.
func isFlattened(own []requirement, have []record.Set) bool {
	if own[0].Type != record.Alias || len(own[0].carrier.Addresses) == 0 || len(have) == 0 {
		return false
	}
	for _, kind := range []string{"A", "AAAA"} {
		s, _ := record.Find(have, own[0].Name, kind)
		if !record.SameMeaning(kind, s.Values, record.Addresses(own[0].carrier.Addresses, kind)) {
			return false
		}
	}
	return true
}

// crowd removes what cannot stand beside the alias that is to come, and says what is lost by it.
func crowd(s Sight, name string, f *found) []act.Change {
	var goes []act.Change
	for _, set := range s.have[name] {
		if record.LeadsBrowsers(set.Type) || record.IsSigning(set.Type) {
			continue
		}
		code, what := finding.RecordLost, fact.Facts(fact.LosesRecord{})
		if isMail(set) {
			code, what = finding.MailLost, fact.LosesMail{}
		}
		f.Find(
			code,
			name,
			fact.AliasDisplaces{Type: set.Type, Values: record.PlainAll(set.Type, set.Values), Name: name,
				Shown: set.Values, What: what},
		)
		goes = append(
			goes,
			act.Change{
				Action:  act.Remove,
				Name:    name,
				Type:    set.Type,
				TTL:     set.TTL,
				Before:  set.Values,
				Reasons: []act.Reason{{Why: act.CrowdsAlias}},
			},
		)
	}
	return goes
}

// hints reports whether a HTTPS record leads browsers somewhere by itself (RFC 9460).
func hints(s record.Set) bool {
	for _, v := range s.Values {
		if f := strings.Fields(v); len(f) > 1 && f[1] != "." || strings.Contains(v, "hint=") {
			return true
		}
	}
	return false
}

func whyGoes(s Sight, set record.Set, own []requirement) []act.Reason {
	n := own[0]
	switch {
	case set.Type == "HTTPS":
		return []act.Reason{{Why: act.NamesItself}}
	case set.Type == "CNAME":
		return append([]act.Reason{{Why: act.AliasBefore, Carrier: n.carrier.Name}}, s.today(set.Name)...)
	case n.Type == "CNAME" || n.Type == record.Alias:
		return slices.Concat([]act.Reason{{Why: act.SecondWay}}, s.owner(set.Values), s.today(set.Name))
	case set.Type == "AAAA":
		return append([]act.Reason{{Why: act.StillOldIPv6, Carrier: n.carrier.Name}},
			s.owner(set.Values)...)
	}
	return append([]act.Reason{{Why: act.StillOld, Carrier: n.carrier.Name}}, s.owner(set.Values)...)
}

func whyTurns(s Sight, set record.Set, n requirement) []act.Reason {
	if set.Type == "CNAME" {
		return slices.Concat(
			[]act.Reason{{Why: act.AliasReplaced, Carrier: n.carrier.Name}},
			claim(n.Name, n.carrier),
			s.today(set.Name),
		)
	}
	was, is := record.Normal(set.Type, set.Values), record.Normal(set.Type, n.Values)
	left := record.Without(was, is)
	stay := len(was) - len(left)
	switch {
	case stay > 0 && len(left) > 0:
		return append([]act.Reason{{Why: act.LeftOver, Values: left}}, s.owner(left)...)
	case stay > 0:
		return []act.Reason{{Why: act.Incomplete, Count: stay, Of: len(is), Carrier: n.carrier.Name}}
	}
	var all []act.Reason
	if len(left) > 1 {
		all = append(all, act.Reason{Why: act.AllGo, Count: len(left)})
	}
	all = slices.Concat(all, []act.Reason{{Why: act.LeadsFromNow, Carrier: n.carrier.Name}},
		s.owner(left), s.today(set.Name))
	if n.carrier.By.Row().TakesZone && s.alreadyAt(n.carrier) {
		all = append(all, act.Reason{Why: act.Bypasses, Carrier: n.carrier.Name})
	}
	return all
}

func whyComes(s Sight, n requirement, have []record.Set) []act.Reason {
	who := n.carrier.Name
	claims := claim(n.Name, n.carrier)
	switch below := s.wildcardOver(n.Name); {
	case len(have) == 0 && below != "":
		return append([]act.Reason{{Why: act.HiddenByWildcard, Name: n.Name, Below: below}}, claims...)
	case len(have) == 0 && s.misses(n.Name, n.Type, "A", "AAAA", "CNAME"):
		return append([]act.Reason{{Why: act.NobodyAnswered}}, claims...)
	case len(have) == 0:
		return append([]act.Reason{{Why: act.NeverCreated, Name: n.Name, Carrier: who}}, claims...)
	case n.Type == "AAAA":
		return []act.Reason{{Why: act.IPv6Too, Carrier: who}}
	}
	return append([]act.Reason{{Why: act.LeadsFromNow, Carrier: who}}, claims...)
}

// settleWanted adds what somebody asks for and removes what has done its work.
func settleWanted(s Sight, required []requirement) found {
	var f found
	for _, n := range required {
		if n.host.IsZero() {
			settleOne(s, n, required, &f)
		}
	}
	for _, r := range s.domain.Wanted {
		set, there := s.set(r.Name, r.Type)
		why := s.DoneWith(r)
		if why == nil || !there || !slices.Contains(record.Normal(r.Type, set.Values), r.Value) {
			continue
		}
		rest := slices.DeleteFunc(
			slices.Clone(set.Values),
			func(v string) bool { return slices.Contains(record.Normal(r.Type, []string{v}), r.Value) },
		)
		c := act.Change{Action: act.Remove, Name: set.Name, Type: set.Type, TTL: set.TTL,
			Before: set.Values, Reasons: why}
		if len(rest) > 0 {
			c.Action, c.After, c.Reasons = act.Replace, rest, append(why, act.Reason{Why: act.OthersStay})
		}
		f.propose(clearing, c)
	}
	return f
}

func settleOne(s Sight, n requirement, required []requirement, f *found) {
	if besideDoor(n, required, f) || neededAt(s, n, f) || cannotStand(s, n, required, f) {
		return
	}
	set, there := s.set(n.Name, n.Type)
	all := record.Normal(n.Type, set.Values)
	missing := slices.DeleteFunc(slices.Clone(n.Values), func(v string) bool {
		return slices.Contains(all, v)
	})
	joined, missing := joinPolicies(n, set, missing, f)
	because := func(more act.Why) []act.Reason {
		return append(slices.Clip(n.why), act.Reason{Why: more})
	}
	c := act.Change{Name: n.Name, Type: n.Type, TTL: n.TTL, Before: set.Values}
	switch {
	case !there:
		c.Action, c.Before, c.After, c.Reasons = act.Add, nil, n.Values, n.why
		if s.misses(n.Name, n.Type) {
			c.Reasons = because(act.NobodyAnswered)
		}
		phase := first
		if _, alias := s.set(n.Name, "CNAME"); alias && n.Type != "CNAME" {
			phase = clearing // the alias has to go before it
		}
		f.propose(phase, c)
	case joined != nil:
		c.Action, c.TTL, c.After, c.Reasons = act.Replace, set.TTL, slices.Concat(joined, missing),
			because(act.JoinsPolicy)
		f.propose(first, c)
	case len(missing) == 0:
		c.Action, c.TTL, c.After, c.Reasons = act.Keep, set.TTL, set.Values, because(act.IsThere)
		f.propose(staying, c)
	case n.Type == "CNAME":
		c.Action, c.After, c.Reasons = act.Replace, n.Values, because(act.ReplacesAlias)
		f.propose(first, c)
	default:
		c.Action, c.TTL, c.After, c.Reasons = act.Replace, set.TTL, slices.Concat(set.Values, missing),
			because(act.JoinsSet)
		f.propose(first, c)
	}
}

// cannotStand reports whether a wanted record cannot stand at its name, because an alias stands
// alone (RFC 1034 section 3.6.2): it is one, and other records are there, or an alias is or comes
// there.
func cannotStand(s Sight, n requirement, required []requirement, f *found) bool {
	var facts fact.Facts
	wanted := record.PlainAll(n.Type, n.Values)
	switch {
	case n.Type == "CNAME":
		for _, old := range s.have[n.Name] {
			if old.Type != "CNAME" && !record.IsSigning(old.Type) {
				facts = fact.AliasWantedBeside{Name: n.Name, Other: old.Type, Values: old.Values,
					Type: n.Type, Wanted: strings.Join(wanted, ", ")}
			}
		}
		for _, o := range required {
			if o.Name == n.Name && o.Type != "CNAME" {
				facts = fact.AliasWantedWith{Name: n.Name, Other: o.Type, Values: o.Values,
					Type: n.Type, Wanted: strings.Join(wanted, ", ")}
			}
		}
	default:
		i := slices.IndexFunc(required, func(o requirement) bool {
			return o.Name == n.Name && o.Type == "CNAME"
		})
		alias, there := s.set(n.Name, "CNAME")
		leads := slices.ContainsFunc(required, func(o requirement) bool {
			return o.Name == n.Name && !o.host.IsZero()
		})
		switch {
		case i >= 0 && required[i].carrier != nil:
			facts = fact.BesideCarrierAlias{Name: n.Name, Type: n.Type, Values: wanted,
				Carrier: required[i].carrier.Name, Alias: record.PlainAll("CNAME", required[i].Values)}
		case there && !leads:
			facts = fact.BesideAlias{Name: n.Name, Type: n.Type, Values: wanted,
				Alias: record.Target("CNAME", alias.Values[0])}
		}
	}
	if facts == nil {
		return false
	}
	f.Find(finding.AliasConflict, n.Name, facts)
	return true
}

// joinPolicies joins a wanted SPF or DMARC record with the one that is there, since two count as
// none. It gives the values with the joined one, nil where nothing is joined, and what is still
// missing then.
func joinPolicies(n requirement, set record.Set, missing []string, f *found) (joined,
	left []string) {
	if n.Type != "TXT" {
		return nil, missing
	}
	for _, v := range missing {
		text := record.Unquote(v)
		i := slices.IndexFunc(set.Values, func(old string) bool {
			return samePolicy(n.Name, record.Unquote(old), text)
		})
		if i < 0 {
			left = append(left, v)
			continue
		}
		old := record.Unquote(set.Values[i])
		both, says := joinPolicy(n, old, text)
		switch {
		case both == "", !says:
			f.Find(
				finding.MailMalformed,
				n.Name,
				fact.WantedPolicyTwice{Wanted: text, There: old, Name: n.Name},
			)
		case both != old:
			if joined == nil {
				joined = slices.Clone(set.Values)
			}
			joined[i] = record.Quote(both)
		}
	}
	return joined, left
}

// samePolicy reports whether two texts are policies of one kind, of which one is allowed at a name.
func samePolicy(name, a, b string) bool {
	kind := survey.PolicyKind(name, a)
	return kind != "" && kind == survey.PolicyKind(name, b)
}

// joinPolicy gives one policy for two of a kind; "" where they cannot be one, and says is false
// where the second one says only something else.
func joinPolicy(n requirement, old, text string) (both string, says bool) {
	switch {
	case n.silent && spf.Is(text) && spf.NamesNobody(old):
		return text, true
	case spf.Is(text):
		return spf.Join(old, text)
	case !strings.HasPrefix(text, "v=DMARC1"):
		return "", true
	case n.silent:
		tags, order := dmarcTags(old)
		stricter := []string{}
		for _, tag := range order {
			if tag != "p" && tag != "sp" && tag != "pct" {
				stricter = append(stricter, tag+"="+tags[tag])
			}
		}
		stricter = slices.Insert(stricter, min(1, len(stricter)), "p=reject")
		return strings.Join(stricter, "; "), true
	}
	return joinDMARC(old, text), true
}

// joinDMARC gives one policy (RFC 7489 section 6.3) that reports to whom either of two reports, ""
// where they say different things otherwise.
func joinDMARC(a, b string) string {
	one, order := dmarcTags(a)
	other, more := dmarcTags(b)
	for _, tag := range more {
		switch {
		case one[tag] == "":
			one[tag], order = other[tag], append(order, tag)
		case one[tag] == other[tag]:
		case tag == "rua" || tag == "ruf":
			for to := range strings.SplitSeq(other[tag], ",") {
				if to = strings.TrimSpace(to); !strings.Contains(one[tag], to) {
					one[tag] += "," + to
				}
			}
		default:
			return ""
		}
	}
	words := make([]string, len(order))
	for i, tag := range order {
		words[i] = tag + "=" + one[tag]
	}
	return strings.Join(words, "; ")
}

func dmarcTags(text string) (tags map[string]string, order []string) {
	tags = map[string]string{}
	for part := range strings.SplitSeq(text, ";") {
		name, value, is := strings.Cut(part, "=")
		if name = strings.ToLower(strings.TrimSpace(name)); is && tags[name] == "" {
			tags[name], order = strings.TrimSpace(value), append(order, name)
		}
	}
	return tags, order
}

// besideDoor reports whether a wanted record is an address at a door, which is not the carrier's: a
// second way that takes visitors by chance.
func besideDoor(n requirement, required []requirement, f *found) bool {
	if !record.LeadsToAddress(n.Type) {
		return false
	}
	i := slices.IndexFunc(required, func(o requirement) bool {
		return !o.host.IsZero() && o.Name == n.Name
	})
	if i < 0 {
		return false
	}
	door := required[i]
	var extra []string
	for _, v := range n.Values {
		if !slices.ContainsFunc(
			required,
			func(o requirement) bool {
				return !o.host.IsZero() && o.Name == n.Name && slices.Contains(o.Values, v)
			},
		) {
			extra = append(extra, v)
		}
	}
	if len(extra) == 0 {
		return true
	}
	host, carrier := n.Name, door.carrier.Name
	var facts fact.Facts = fact.SecondWay{Host: host, Carrier: carrier,
		Values: record.PlainAll(door.Type, door.Values), Addresses: extra}
	if door.through {
		facts = fact.EdgeBypassed{Host: host, Carrier: carrier, Addresses: extra}
	}
	f.Find(finding.LeftoverAddress, n.Name, facts)
	return true
}

// keepWildcards keeps the wildcards, which answer for names that nobody knows, and says what is to
// know of them: a name that a wildcard hid is created, and leads where it should from then on.
func keepWildcards(s Sight, moves moving, d draft) found {
	var f found
	hidden := map[string][]string{}
	for _, h := range s.domain.Hosts() {
		if over := s.wildcardOver(h.String()); over != "" {
			hidden[over] = append(hidden[over], h.String())
		}
	}
	for _, set := range s.seen.Records {
		below, isWild := strings.CutPrefix(set.Name, "*.")
		if !isWild || !record.LeadsToAddress(set.Type) || d.touched[set.Key()] {
			continue
		}
		var why []act.Reason
		if len(hidden[below]) > 0 {
			why = append(why, act.Reason{Why: act.HidNames, Values: hidden[below]})
		}
		if left := leftAt(moves, set); left != "" {
			why = append(why, act.Reason{Why: act.LeadsToLeft, Values: []string{left}})
		}
		if why != nil {
			f.propose(staying,
				act.Change{Action: act.Keep, Name: set.Name, Type: set.Type, TTL: set.TTL, Before: set.Values,
					After: set.Values, Reasons: why})
		}
	}
	for _, below := range s.seen.Wildcards {
		if len(s.have["*."+below]) == 0 {
			f.Note(act.WildcardUnshown, below)
		}
	}
	return f
}

// keepOthers keeps everything else that is there.
func keepOthers(s Sight, moves moving, d draft) found {
	var f found
	dangles := map[string]bool{}
	for _, a := range s.seen.Aliases {
		target, err := web.ParseObservedHost(a.Target)
		dangles[a.Name] = !a.Exists && (err != nil || s.estate.DomainOf(target) == nil)
	}
	zone := s.zone()
	for _, set := range s.seen.Records {
		if d.touched[set.Key()] || set.Type == "SOA" || record.IsSigning(set.Type) ||
			set.Type == "NS" && set.Name == zone {
			continue
		}
		why := act.Reason{Why: act.Stays}
		left := leftAt(moves, set)
		if left != "" {
			why = act.Reason{Why: act.StaysAtLeft, Values: []string{left}}
		}
		switch {
		case isMail(set) && left != "":
			why = act.Reason{Why: act.MailAtLeft, Values: []string{left}}
		case isMail(set):
			why = act.Reason{Why: act.MailStays}
		case set.Type == "CAA":
			why = act.Reason{Why: act.SaysIssuers}
		case set.Type == "CNAME" && dangles[set.Name]:
			why = act.Reason{Why: act.StaysUnowned}
		case set.Name == zone+"."+zone || strings.HasSuffix(set.Name, "."+zone+"."+zone):
			why = act.Reason{Why: act.StaysDoubled}
		}
		f.propose(
			staying,
			act.Change{
				Action:  act.Keep,
				Name:    set.Name,
				Type:    set.Type,
				TTL:     set.TTL,
				Before:  set.Values,
				After:   set.Values,
				Reasons: []act.Reason{why},
			},
		)
	}
	return f
}

// leftAt gives the address of a set at which a door of the zone was until now, "" where there is
// none.
func leftAt(moves moving, set record.Set) string {
	if set.Type != "A" && set.Type != "AAAA" {
		return ""
	}
	for _, sets := range moves {
		for _, was := range sets {
			for _, v := range was.Values {
				if was.Type == set.Type && slices.Contains(set.Values, v) {
					return v
				}
			}
		}
	}
	return ""
}
