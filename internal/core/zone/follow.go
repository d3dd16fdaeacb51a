package zone

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
)

// worlds is the state of the world as it was seen, and with what is planned so far. What leads
// elsewhere ahead than before, and is no door, follows a door whose address changes.
//
// Suppose "@ A 192.0.2.1", "www CNAME @", "@ MX 10 www", and the apex moves to 203.0.113.20. The
// record of www does not change; but ahead it ends at 203.0.113.20, and so does the mail. So the MX
// record is led to a name that ends, ahead too, where www ended before.
type worlds struct {
	before, ahead *world.World
	earlier       *world.World    // as it was seen before that; nil: nobody did
	mailing       map[string]bool // names by way of which mail is received or sent
	rounds        map[string]int  // of names that leave others
}

func worldsOf(in Known) *worlds {
	made := &worlds{mailing: map[string]bool{}}
	made.before = world.New(world.Input{Estate: in.Estate, Survey: in.Survey,
		Earlier: in.Past, Now: in.Now})
	made.ahead = made.before.Clone()
	if in.Earlier != nil {
		made.earlier = world.New(world.Input{Estate: in.Estate, Survey: in.Earlier})
	}
	if in.Survey == nil {
		return made
	}
	for i := range in.Survey.Domains {
		for _, s := range in.Survey.Domains[i].Records {
			if s.Type != "MX" && s.Type != "TXT" {
				continue
			}
			for _, v := range s.Values {
				for _, name := range survey.RefersByAddress(s.Type, v) {
					for _, via := range made.before.Lead(name).Via {
						made.mailing[via] = true
					}
				}
			}
		}
	}
	return made
}

// moved gives where a name ended before, where it ends elsewhere ahead. ok is false where it does
// not, and where nobody knows where it ended.
func (b *worlds) moved(name string) (was world.Lead, ok bool) {
	was = b.before.Lead(name)
	return was, !was.Same(b.ahead.Lead(name)) && len(was.Ends) > 0 && !was.Unseen()
}

// comes reports whether a name leads nowhere today, and somewhere ahead.
func (b *worlds) comes(name string) bool {
	return len(b.before.Lead(name).Ends) == 0 && len(b.ahead.Lead(name).Ends) > 0
}

// take types a change into the world ahead.
func (b *worlds) take(zone string, c act.Change) error {
	values := func(all []string, through string) []world.Value {
		var made []world.Value
		for _, v := range all {
			made = append(made, world.Value{Text: v, TTL: c.TTL, Through: through})
		}
		return made
	}
	switch {
	case c.Action == act.Keep:
		return nil
	case c.Action == act.Remove:
		return b.ahead.Type(zone, c.Name, c.Type, nil)
	case c.Through == "":
		return b.ahead.Type(zone, c.Name, c.Type, values(c.After, ""))
	}
	if err := b.ahead.Type(zone, c.Name, c.Type, nil); err != nil || len(c.Typed) == 0 {
		return err
	}
	return b.ahead.Type(zone, c.Name, cmp.Or(c.TypedAs, c.Type), values(c.Typed, c.Through))
}

// leadsTo gives the record sets that lead a name to ends; nil where no records can.
func leadsTo(ends []string) []record.Set {
	var sets []record.Set
	for _, end := range ends {
		kind := "CNAME"
		if a, err := netip.ParseAddr(end); err == nil {
			if kind = "A"; a.Is6() {
				kind = "AAAA"
			}
		} else if len(ends) > 1 || strings.ContainsAny(end, "?' ") {
			return nil
		} else {
			end += "."
		}
		if i := slices.IndexFunc(sets, func(s record.Set) bool { return s.Type == kind }); i >= 0 {
			sets[i].Values = append(sets[i].Values, end)
			continue
		}
		sets = append(sets, record.Set{Type: kind, Values: []string{end}})
	}
	return sets
}

// typedWords gives changes as somebody reads them: name, type and values.
func typedWords(all []act.Change) []string {
	var words []string
	for _, c := range all {
		words = append(
			words,
			fmt.Sprintf("%s %s %s", c.Name, c.Type, strings.Join(record.PlainAll(c.Type, c.After), ", ")),
		)
	}
	return words
}

// untieNames gives whatever follows a door whose address changes, and is no door itself, the
// address that it has today: aliases, wildcards, hosts that somebody else needs; in the zone of a
// guest its doors too, which wait for their turn.
func untieNames(s Sight, both *worlds, guest bool) found {
	var f found
	for _, set := range s.seen.Records {
		if set.Type != "CNAME" || len(set.Values) == 0 || !guest && s.isHost(set.Name) ||
			survey.ForNoHost(set.Name) {
			continue
		}
		if n := s.neededAs(set.Name); n != nil && n.To == record.Plain("CNAME", set.Values[0]) {
			continue // somebody says that it is to be this alias
		}
		untieName(s, both, set, &f)
	}
	for _, n := range s.domain.Needed {
		if len(s.have[n.Host.String()]) == 0 { // only a wildcard answers for it
			untieName(s, both, record.Set{Name: n.Host.String(), TTL: act.RecordTTL}, &f)
		}
	}
	return f
}

func (s Sight) neededAs(name string) *estate.Needed {
	for i, n := range s.domain.Needed {
		if n.Host.String() == name {
			return &s.domain.Needed[i]
		}
	}
	return nil
}

// untieName leads one name, an alias or one without records of its own, to where it ends today.
func untieName(s Sight, both *worlds, alias record.Set, f *found) {
	was, moves := both.moved(alias.Name)
	sets := leadsTo(was.Ends)
	if !moves || sets == nil {
		return
	}
	why := act.NameFollowed
	if isMail(alias) || both.mailing[alias.Name] {
		why = act.MailAlias
	}
	follows := alias.Name
	if len(was.Via) > 1 {
		follows = was.Via[1]
		for _, via := range was.Via[1:] {
			if _, moves := both.moved(via); moves {
				follows = via
			}
		}
	}
	reasons := []act.Reason{{Why: why, Name: follows}}
	var adds []act.Change
	for _, to := range sets {
		adds = append(
			adds,
			act.Change{Action: act.Add, Name: alias.Name, Type: to.Type, TTL: alias.TTL, After: to.Values,
				Reasons: reasons},
		)
	}
	untied := typedWords(adds)
	code := finding.MailTied
	old := record.PlainAll("CNAME", alias.Values)
	var facts fact.Facts = fact.MailAliasFollows{Host: alias.Name, Follows: follows, Untied: untied,
		InPlace: alias.Type != "", Alias: old}
	if why == act.NameFollowed {
		code, facts = finding.DependedOn, fact.NameFollows{Host: alias.Name, Follows: follows,
			Untied: untied, InPlace: alias.Type != "", Alias: old}
	}
	f.Findings = append(f.Findings, finding.New(code, alias.Name, facts).As(finding.Warning))
	switch {
	case alias.Type == "":
	case adds[0].Type == "CNAME": // the name that changes was an alias itself
		adds[0].Action, adds[0].Before = act.Replace, alias.Values
	default:
		f.propose(
			untying,
			act.Change{Action: act.Remove, Name: alias.Name, Type: "CNAME", TTL: alias.TTL,
				Before:  alias.Values,
				Reasons: reasons},
		)
	}
	for _, c := range adds {
		f.propose(untying, c)
	}
}

// untieReceivers leads mail that follows a door whose address changes to a name of its own, with
// today's addresses.
func untieReceivers(s Sight, both *worlds, d draft) found {
	var f found
	for _, set := range s.seen.Records {
		if set.Type == "MX" || set.Type == "SRV" || set.Type == "NS" && set.Name != s.zone() {
			untieTargets(s, both, set, d.planned(s, set.Name, set.Type), &f)
		}
	}
	apex := s.zone()
	_, hasMX := s.set(apex, "MX")
	was, moves := both.moved(apex)
	if hasMX || !moves || s.misses(apex, "MX") || s.domain.Mail == "none" ||
		!s.mailing() ||
		s.asksForMX() {
		return f
	}
	to, adds := ownName(s, both, was.Ends, mailNames, &f)
	if to == "" {
		return f
	}
	tie(s, &f, fact.MailFollowsApex{Domain: apex, Untied: append(typedWords(adds), "MX 10 "+to)})
	f.propose(
		untying,
		act.Change{Action: act.Add, Name: apex, Type: "MX", TTL: act.RecordTTL,
			After:   []string{"10 " + to + "."},
			Reasons: []act.Reason{{Why: act.MailWent}}},
	)
	return f
}

// isMailService reports whether a name is that of a service by which mail programs find their
// servers (RFC 6186, RFC 6764).
func isMailService(name string) bool {
	service, _, _ := strings.Cut(name, ".")
	return slices.Contains([]string{
		"_imap", "_imaps", "_pop3", "_pop3s", "_submission", "_submissions", "_sieve", "_autodiscover",
		"_caldav", "_caldavs", "_carddav", "_carddavs",
	}, service)
}

// naming is how the names of machines that leave a door are called, and why they are made.
type naming struct {
	labels []string // the usual ones first; beyond them with a number
	why    act.Why
}

var mailNames = naming{[]string{"mail", "mx"}, act.MailOwnName}

// namingOf says how the machine is called that a record of a set means: by its service.
func namingOf(set record.Set) naming {
	switch {
	case set.Type == "MX", set.Type == "SRV" && isMailService(set.Name):
		return mailNames
	case set.Type == "NS":
		return naming{[]string{"ns"}, act.ServiceOwnName}
	}
	service, _, _ := strings.Cut(strings.TrimPrefix(set.Name, "_"), ".")
	if _, err := web.ParseHost(service + ".example"); err != nil {
		service = "service"
	}
	return naming{[]string{service}, act.ServiceOwnName}
}

// untieTargets leads the records of one MX, SRV or NS set that follow a door elsewhere. planned
// is what the set is to hold, with what somebody asks for: that means what it names then.
func untieTargets(s Sight, both *worlds, set record.Set, planned []string, f *found) {
	var after []string
	tied, named, why := "", namingOf(set), act.MailHung
	if named.why == act.ServiceOwnName {
		why = act.ServiceHung
	}
	lives := slices.ContainsFunc(planned, func(v string) bool {
		return len(both.before.Lead(record.Target(set.Type, v)).Ends) > 0
	})
	seen := record.Normal(set.Type, set.Values)
	for _, v := range planned {
		target := record.Target(set.Type, v)
		was, moves := both.moved(target)
		if !slices.Contains(seen, record.Normal(set.Type, []string{v})[0]) {
			after = append(after, v)
			continue
		}
		if lives && target != "" && both.comes(target) && why == act.MailHung {
			tied = target
			tie(s, f, fact.MailMayGoToWeb{Domain: set.Name, Target: target,
				Untied: []string{set.Type + " " + record.Plain(set.Type, v) + " goes"}})
			continue
		}
		if moves {
			if to, adds := ownName(s, both, was.Ends, named, f); to != "" {
				v, tied = v[:strings.LastIndexByte(v, ' ')+1]+to+".", target
				untied := append(typedWords(adds), set.Type+" "+record.Plain(set.Type, v))
				if why == act.MailHung {
					tie(s, f, fact.MailFollowsWeb{Domain: set.Name, Target: target, Untied: untied})
				} else {
					f.Findings = append(f.Findings, finding.New(finding.DependedOn, target,
						fact.ServiceFollowsWeb{Name: set.Name, Type: set.Type, Target: target,
							Untied: untied}).As(finding.Warning))
				}
			}
		}
		if !slices.Contains(after, v) {
			after = append(after, v)
		}
	}
	if tied != "" {
		f.propose(
			untying,
			act.Change{Action: act.Replace, Name: set.Name, Type: set.Type, TTL: set.TTL, Before: set.Values,
				After: after, Reasons: []act.Reason{{Why: why, Name: tied}}},
		)
	}
}

// tie adds that mail is tied, and what unties it.
func tie(s Sight, f *found, facts fact.Facts) {
	f.Findings = append(f.Findings,
		finding.New(finding.MailTied, s.zone(), facts).As(finding.Warning))
}

// each gives the labels, the usual ones first. Beyond them a number tells more apart than any zone
// has.
func (n naming) each(yield func(string) bool) {
	usual := n.labels
	for n := 1; n < 1000; n++ {
		for _, label := range usual {
			if n > 1 {
				label = fmt.Sprintf("%s%d", label, n)
			}
			if !yield(label) {
				return
			}
		}
	}
}

// ownName finds a name that ends at today's machines, now and ahead, in the zone itself, and
// proposes the records that it needs. What ends at a name outside the estate goes straight there.
// The name is "" where there is none.
func ownName(s Sight, both *worlds, ends []string, named naming, f *found) (string,
	[]act.Change) {
	sets := leadsTo(ends)
	if len(sets) == 0 {
		return "", nil
	}
	if sets[0].Type == "CNAME" {
		return record.Target("CNAME", sets[0].Values[0]), nil
	}
	for label := range named.each {
		name := label + "." + s.zone()
		lead := both.before.Lead(name)
		if s.isHost(name) || s.neededAs(name) != nil {
			continue
		}
		if kinds := both.ahead.Types(name); len(kinds) > 0 {
			if slices.Equal(both.ahead.Lead(name).Ends, ends) && !slices.Contains(kinds, "CNAME") &&
				(len(lead.Ends) == 0 || slices.Equal(lead.Ends, ends) || len(both.before.Types(name)) == 0) {
				return name, nil
			}
			continue
		}
		if len(lead.Ends) == 0 && both.mailing[name] {
			continue // somebody names it who meets nothing there today
		}
		answered := len(lead.Ends) > 0 && !lead.Unseen() // by a wildcard
		usual := slices.Contains(named.labels, label)
		if !both.ahead.Free(name) || !both.before.Free(name) ||
			answered && usual && !slices.Equal(lead.Ends, ends) {
			continue
		}
		var adds []act.Change
		for _, set := range sets {
			c := act.Change{Action: act.Add, Name: name, Type: set.Type, TTL: act.RecordTTL,
				After:   set.Values,
				Reasons: []act.Reason{{Why: named.why}}}
			if both.take(s.zone(), c) != nil {
				return "", nil
			}
			adds = append(adds, c)
			f.propose(untying, c)
		}
		return name, adds
	}
	return "", nil
}

// untieSenders writes today's addresses into the SPF records of the zone in place of what follows
// doors whose addresses change.
func untieSenders(s Sight, both *worlds, d draft) found {
	var f found
	for _, set := range s.seen.Records {
		if set.Type != "TXT" {
			continue
		}
		today := map[string]bool{}
		for _, v := range set.Values {
			for _, term := range spf.Terms(record.Unquote(v)) {
				today[term.Text] = true
			}
		}
		// no set comes twice, so that what was proposed here changes none of those to come
		values := slices.Clone(d.planned(s, set.Name, "TXT"))
		changed := ""
		for i, v := range values {
			f.Findings = append(f.Findings, depending(both, record.Unquote(v), set.Name)...)
			text, term := literally(both, record.Unquote(v), set.Name, today)
			if term == "" {
				continue
			}
			values[i], changed = record.Quote(text), term
			f.Findings = append(f.Findings, finding.New(
				finding.MailTied,
				set.Name,
				fact.SPFTermFollows{Term: term, Untied: []string{"TXT " + values[i]}, Domain: set.Name,
					Value: values[i]},
			).As(finding.Warning))
		}
		if changed != "" {
			f.propose(
				untying,
				act.Change{Action: act.Replace, Name: set.Name, Type: "TXT", TTL: set.TTL, Before: set.Values,
					After: values, Reasons: []act.Reason{{Why: act.TermFollowed, Values: []string{changed}}}},
			)
		}
	}
	return f
}

// depending names the terms of an SPF record that look up, below names that move, what depends on
// who sends (RFC 7208 section 7): nobody can say whether they follow.
func depending(both *worlds, text, at string) (all []finding.Finding) {
	for _, term := range spf.Terms(text) {
		term, sure := term.At(at)
		below := term.Below()
		if sure || below == "" || term.Modifier || term.Fault() != nil {
			continue
		}
		moves := slices.ContainsFunc([]string{below, "www." + below, "any." + below},
			func(name string) bool {
				was := both.before.Lead(name)
				return len(was.Ends) > 0 && !was.Same(both.ahead.Lead(name))
			})
		if moves {
			all = append(all, finding.New(finding.MailTied, at, fact.SPFTermDepends{Domain: at,
				Term: term.Text, Below: below}).As(finding.Warning))
		}
	}
	return all
}

// literally gives an SPF record with today's addresses in place of those of today's terms that
// follow names whose addresses change, none of them twice, and the last of those terms; "" where
// none does. A term that is only wanted means what it names then.
func literally(both *worlds, text, at string, today map[string]bool) (after, changed string) {
	if !spf.Is(text) {
		return "", ""
	}
	words := []string{"v=spf1"}
	add := func(word string) {
		said := slices.ContainsFunc(words, func(w string) bool {
			return spf.Same(w, word)
		})
		if !said {
			words = append(words, word)
		}
	}
	for _, term := range spf.Terms(text) {
		literal := literalTerm(both, term, at)
		if literal == nil || !today[term.Text] {
			add(term.Text)
			continue
		}
		changed = term.Text
		for _, word := range literal {
			add(word)
		}
	}
	return strings.Join(words, " "), changed
}

// literalTerm gives the terms that stand for one which follows a web address that changes, nil
// where it does not. What it says of how much of an address counts is kept (RFC 7208 section 5.6).
func literalTerm(both *worlds, term spf.Term, at string) []string {
	term, sure := term.At(at)
	if term.Modifier || term.Name != "a" && term.Name != "mx" || !sure {
		return nil
	}
	was, now := both.before.Named(at, term), both.ahead.Named(at, term)
	if slices.Equal(was, now) || len(was) == 0 {
		return nil
	}
	four, six, both6 := strings.Cut(term.Prefix, "//")
	if both6 {
		six = "/" + six
	}
	var literal []string
	for _, end := range was {
		a, err := netip.ParseAddr(end)
		switch {
		case err != nil && strings.ContainsAny(end, "?' "):
			return nil
		case err != nil:
			literal = append(literal, term.Sign()+"a:"+end+term.Prefix)
		case a.Is4():
			literal = append(literal, term.Sign()+"ip4:"+end+four)
		default:
			literal = append(literal, term.Sign()+"ip6:"+end+six)
		}
	}
	return literal
}

// leaves reports whether a name leads by way of another and will no more: it has to leave before
// the other one moves, or it is led for a while to a carrier that knows nothing of it.
func (b *worlds) leaves(name, other string) bool {
	if b == nil {
		return false
	}
	by := func(l world.Lead) bool { return len(l.Via) > 1 && slices.Contains(l.Via[1:], other) }
	return by(b.before.Lead(name)) && !by(b.ahead.Lead(name))
}

// meansTheSame reports whether what came, went or changed since an earlier survey leaves everything
// as it was: names end where they ended, mail reaches the machines that it reached, and whoever
// might send may. That is what untying does, and what somebody typed who had planned it.
func (b *worlds) meansTheSame(s Sight, c record.Change) bool {
	if b == nil || b.earlier == nil {
		return false
	}
	switch c.Type {
	case "A", "AAAA", "CNAME":
		was, is := b.earlier.Lead(c.Name), b.before.Lead(c.Name)
		if c.Action == record.Came && b.namedForMail(s, c.Name) {
			return true
		}
		return was.Same(is) && len(is.Ends) > 0 && !is.Unseen()
	case "MX":
		was, known := b.earlier.Receivers(c.Name)
		is, knows := b.before.Receivers(c.Name)
		return known && knows && len(is) > 0 && slices.Equal(world.Machines(was), world.Machines(is))
	case "SRV", "NS":
		return slices.Equal(b.earlier.EndsOf(c.Before), b.before.EndsOf(c.After))
	case "TXT":
		if c.Before == nil || c.After == nil ||
			!slices.Equal(besideSPF(c.Before.Values), besideSPF(c.After.Values)) {
			return false
		}
		was, is := b.earlier.Senders(c.Name), b.before.Senders(c.Name)
		return len(was) > 0 && maps.Equal(was, is) // more senders are a change, too
	case "TLSA":
		_, door, _ := strings.Cut(c.Name, "._tcp.")
		return c.Action == record.Went && s.isHost(door)
	}
	return false
}

// besideSPF gives the texts that are no SPF records, in order.
func besideSPF(values []string) []string {
	all := slices.DeleteFunc(slices.Clone(values), func(v string) bool {
		return spf.Is(record.Unquote(v))
	})
	slices.Sort(all)
	return all
}

// namedForMail reports whether a name stands in records of the zone that hand mail on, and the mail
// reaches the machines that it reached before.
func (b *worlds) namedForMail(s Sight, name string) bool {
	for _, set := range s.seen.Records {
		for _, v := range set.Values {
			if !slices.Contains([]string{"MX", "SRV", "NS"}, set.Type) || record.Target(set.Type,
				v) != name {
				continue
			}
			was, _ := record.Find(s.earlier.Records, set.Name, set.Type)
			if set.Type != "MX" {
				return slices.Equal(b.earlier.EndsOf(&was), b.before.EndsOf(&set))
			}
			old, _ := b.earlier.Receivers(set.Name)
			now, _ := b.before.Receivers(set.Name)
			return slices.Equal(world.Machines(old), world.Machines(now))
		}
	}
	return false
}
