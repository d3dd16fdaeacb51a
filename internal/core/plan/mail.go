package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
)

// isMail tells whether a record has to do with mail: who receives it, who may send it, how it is signed and reported.
func isMail(s record.Set) bool {
	if s.Type == "MX" {
		return true
	}
	first, _, _ := strings.Cut(s.Name, ".")
	switch {
	case strings.Contains(s.Name, "._domainkey."),
		strings.HasPrefix(s.Name, "_dmarc."),
		strings.HasPrefix(s.Name, "_mta-sts."),
		strings.Contains(s.Name, "_smtp._tls."),
		strings.HasPrefix(s.Name, "mta-sts."),
		strings.HasPrefix(s.Name, "default._bimi."):
		return true
	case slices.Contains([]string{
		"mail", "smtp", "imap", "pop", "autodiscover", "autoconfig", "mx", "mx1", "mx2", "webmail",
	}, first):
		return true
	}
	return s.Type == "TXT" && spf.Among(s.Values) != ""
}

// spf returns the SPF record of the apex, "" where there is none.
func (s sight) spf() string {
	set, _ := s.set(s.zone(), "TXT")
	return spf.Among(set.Values)
}

// mailSeen gives the evidence that a domain receives mail or sends as itself.
func (s sight) mailSeen() []string {
	var evidence []string
	mx, _ := s.set(s.zone(), "MX")
	for _, v := range mx.Values {
		if v != "0 ." {
			evidence = append(evidence, "MX "+record.Plain("MX", v))
		}
	}
	if text := s.spf(); text != "" && !spf.Refuses(text) {
		evidence = append(evidence, text)
	}
	if s.seen == nil {
		return evidence
	}
	for _, set := range s.seen.Records {
		if strings.Contains(set.Name, "._domainkey.") &&
			(set.Type == "CNAME" || set.Type == "TXT" && slices.ContainsFunc(set.Values, hasKey)) {
			evidence = append(evidence, "a DKIM key at "+set.Name)
		}
	}
	return evidence
}

// hasKey tells whether a DKIM record holds a key; one without is revoked (RFC 6376 section 3.6.1).
func hasKey(value string) bool {
	for tag := range strings.SplitSeq(record.Unquote(value), ";") {
		if key, is := strings.CutPrefix(strings.TrimSpace(tag), "p="); is {
			return strings.TrimSpace(key) != ""
		}
	}
	return false
}

// keepMail looks after the mail of the domain: it is kept, untied from web addresses that change, or refused to be
// given up.
//
// elsewhere is the names of all zones whose addresses change, and what was there; nil: only those of this one count.
func keepMail(s sight, moves, elsewhere moving, d draft) found {
	var f found
	evidence := s.mailSeen()
	switch {
	case s.domain.Mail == "none" && len(evidence) > 0:
		f.find(
			finding.MailLost,
			s.zone(),
			fmt.Sprintf(
				"The estate file says mail: none for %s, but it has mail: %s. Nothing is planned for its mail.",
				s.zone(),
				strings.Join(evidence, "; "),
			),
			"Write mail: keep; or ask the client, have the mailboxes closed, remove these records, and survey again.",
			map[string]any{"evidence": evidence},
		)
	case s.domain.Mail != "none" && len(evidence) == 0 && !s.asksForMail() && !s.saysNoMail() && !s.hasPolicy() &&
		!s.mailUnseen():
		f.find(
			finding.MailSpoofable,
			s.zone(),
			fmt.Sprintf(
				"Nothing shows that %s has mail, and nothing says that it has none: anybody can send mail in its name.",
				s.zone(),
			),
			"If the client agrees that it has no mail, write mail: none; the plan then adds the records that say so.",
			nil,
		)
	}
	if elsewhere == nil {
		elsewhere = moves
	}
	untieAliases(s, elsewhere, &f)
	untieReceivers(s, moves, d, &f)
	untieSenders(s, elsewhere, d.with(f.proposals), &f)
	return f
}

// untieAliases gives the aliases at which mail is fetched or received, and which follow a web address that changes,
// today's address instead.
func untieAliases(s sight, all moving, f *found) {
	receives := map[string]bool{}
	mx, _ := s.set(s.zone(), "MX")
	for _, v := range mx.Values {
		receives[record.Target("MX", v)] = true
	}
	for _, set := range s.seen.Records {
		if set.Type != "CNAME" || len(set.Values) == 0 || s.isHost(set.Name) || !isMail(set) && !receives[set.Name] ||
			survey.ForNoHost(set.Name) {
			continue
		}
		to := s.behind(record.Target("CNAME", set.Values[0]), all)
		was, changes := all[to]
		if !changes {
			continue
		}
		var adds []Change
		for _, old := range was {
			if isAddress(old.Type) {
				adds = append(adds, Change{Action: Add, Name: set.Name, Type: old.Type, TTL: set.TTL, After: old.Values,
					Reasons: []Reason{{Why: MailAlias, Name: to}}})
			}
		}
		if len(adds) == 0 {
			continue
		}
		words := make([]string, len(adds))
		for i, c := range adds {
			words[i] = fmt.Sprintf("%s %s %s", c.Name, c.Type, strings.Join(plain(c.Type, c.After), ", "))
		}
		f.find(
			finding.MailTied,
			set.Name,
			fmt.Sprintf("%s is an alias that follows %s, whose address changes with the web: mail would be looked for there.",
				set.Name, to),
			fmt.Sprintf("Untie it before the web moves, as the first changes do: %s in place of the alias. Then survey again.",
				strings.Join(words, "; ")),
			map[string]any{"alias": plain("CNAME", set.Values), "untied": words},
		)
		if adds[0].Type == "CNAME" { // the name that changes was an alias itself
			f.propose(untying, Change{Action: Replace, Name: set.Name, Type: "CNAME", TTL: set.TTL, Before: set.Values,
				After: adds[0].After, Reasons: adds[0].Reasons})
			continue
		}
		f.propose(untying, Change{Action: Remove, Name: set.Name, Type: "CNAME", TTL: set.TTL, Before: set.Values,
			Reasons: adds[0].Reasons})
		for _, c := range adds {
			f.propose(untying, c)
		}
	}
}

// mailUnseen tells whether nobody answered about what would show mail.
func (s sight) mailUnseen() bool {
	return s.misses(s.zone(), "MX", "TXT") || s.misses("_dmarc."+s.zone(), "TXT")
}

func (s sight) saysNoMail() bool {
	mx, _ := s.set(s.zone(), "MX")
	return slices.Contains(mx.Values, "0 .") || spf.Refuses(s.spf())
}

func (s sight) hasPolicy() bool {
	_, ok := s.set("_dmarc."+s.zone(), "TXT")
	return ok
}

// untieReceivers finds the mail that hangs on a web address which changes, and plans the records that untie it.
func untieReceivers(s sight, moves moving, d draft, f *found) {
	apex := s.zone()
	mx, hasMX := s.set(apex, "MX")
	after := slices.Clone(mx.Values)
	tied := ""
	for i, v := range mx.Values {
		target := record.Target("MX", v)
		was, changes := moves[target]
		if !changes {
			continue
		}
		preference, _, _ := strings.Cut(v, " ")
		to, adds := ownMail(s, moves, was)
		after[i] = preference + " " + to + "."
		tied = target
		tie(
			s,
			d,
			f,
			fmt.Sprintf("Mail for %s goes to %s, whose address changes with the web.", apex, target),
			fmt.Sprintf("MX %s %s", preference, to),
			adds,
		)
	}
	if tied != "" {
		f.propose(
			untying,
			Change{
				Action:  Replace,
				Name:    apex,
				Type:    "MX",
				TTL:     mx.TTL,
				Before:  mx.Values,
				After:   after,
				Reasons: []Reason{{Why: MailHung, Name: tied}},
			},
		)
	}
	was, apexMoves := moves[apex]
	if !hasMX && !s.misses(apex, "MX") && apexMoves && s.domain.Mail != "none" &&
		(len(s.mailSeen()) > 0 || s.hasPolicy()) {
		to, adds := ownMail(s, moves, was)
		tie(
			s,
			d,
			f,
			fmt.Sprintf(
				"%s has no MX record, so that its mail goes to the web's own address (RFC 5321 section 5.1), which changes.",
				apex,
			),
			"MX 10 "+to,
			adds,
		)
		f.propose(
			untying,
			Change{
				Action:  Add,
				Name:    apex,
				Type:    "MX",
				TTL:     RecordTTL,
				After:   []string{"10 " + to + "."},
				Reasons: []Reason{{Why: MailWent}},
			},
		)
	}
}

// tie says that mail is tied, and proposes what unties it unless that is proposed already.
func tie(s sight, d draft, f *found, says, untied string, adds []Change) {
	known := d.with(f.proposals)
	var all []string
	for _, c := range adds {
		all = append(all, fmt.Sprintf("%s %s %s", c.Name, c.Type, strings.Join(c.After, ", ")))
		if !known.touched[record.Key{Name: c.Name, Type: c.Type}] {
			f.propose(untying, c)
		}
	}
	all = append(all, untied)
	f.find(
		finding.MailTied,
		s.zone(),
		says,
		fmt.Sprintf(
			"Untie it before the web moves, as the first changes do: %s. Then survey again.",
			strings.Join(all, "; "),
		),
		map[string]any{"untied": all},
	)
}

// ownMail finds a name for the mail of a domain whose web moves away, and the records that give it today's address.
// Where the old name is an alias, mail goes straight to where that leads.
func ownMail(s sight, moves moving, was []record.Set) (string, []Change) {
	for _, set := range was {
		if set.Type == "CNAME" && len(set.Values) > 0 {
			return record.Target("CNAME", set.Values[0]), nil
		}
	}
	for _, label := range []string{"mail", "mx", "mail2", "mx2"} {
		name := label + "." + s.zone()
		if _, moves := moves[name]; moves {
			continue
		}
		var adds []Change
		free := true
		for _, set := range was {
			old, there := s.set(name, set.Type)
			switch {
			case set.Type != "A" && set.Type != "AAAA":
			case !there:
				adds = append(
					adds,
					Change{
						Action:  Add,
						Name:    name,
						Type:    set.Type,
						TTL:     RecordTTL,
						After:   set.Values,
						Reasons: []Reason{{Why: MailOwnName}},
					},
				)
			default:
				free = free && same(set.Type, old.Values, set.Values)
			}
		}
		if _, alias := s.set(name, "CNAME"); free && !alias {
			return name, adds
		}
	}
	return "mail-" + s.zone(), nil
}

// untieSenders writes the addresses of today into the SPF records of the zone that follow web addresses which change,
// of this zone or another.
func untieSenders(s sight, moves moving, d draft, f *found) {
	for _, set := range s.seen.Records {
		if set.Type != "TXT" {
			continue
		}
		for _, value := range set.Values {
			if after, changed := literally(s, record.Unquote(value), set.Name, moves); changed != "" {
				untieSender(s, d, f, set, tied{value, after, changed, moves})
			}
		}
	}
}

// literally gives an SPF record with today's addresses in place of the terms that follow names whose addresses change,
// and the last of those terms; "" where none does.
func literally(s sight, text, at string, moves moving) (after, changed string) {
	if !spf.Is(text) {
		return "", ""
	}
	words := []string{"v=spf1"}
	for _, term := range spf.Terms(text) {
		if literal := literalTerm(s, term, at, moves); literal != nil {
			changed, words = term.Text, append(words, literal...)
		} else {
			words = append(words, term.Text)
		}
	}
	return strings.Join(words, " "), changed
}

// tied is an SPF record that follows web addresses which change, and what it is without them.
type tied struct {
	value   string // as it is there, in zone-file form
	after   string
	changed string // the last of the terms that follow
	moves   moving
}

func untieSender(s sight, d draft, f *found, set record.Set, t tied) {
	text := record.Quote(t.after)
	values := slices.Clone(d.with(f.proposals).planned(s, set.Name, "TXT"))
	for i, v := range values {
		switch planned := record.Unquote(v); {
		case v == t.value:
			values[i] = record.Quote(t.after)
		case spf.Is(planned) && !slices.Contains(set.Values, v): // it is joined with what somebody asks for
			text = record.Quote(withoutTies(s, planned, set.Name, t))
			values[i] = text
		}
	}
	f.find(
		finding.MailTied,
		set.Name,
		fmt.Sprintf(
			"The SPF record of %s allows senders by %q, which follows a web address that changes.",
			set.Name,
			t.changed,
		),
		fmt.Sprintf("Untie it before the web moves, as the first changes do: TXT %s. Then survey again.", text),
		map[string]any{"term": t.changed, "untied": []string{"TXT " + text}},
	)
	f.propose(
		untying,
		Change{
			Action:  Replace,
			Name:    set.Name,
			Type:    "TXT",
			TTL:     set.TTL,
			Before:  set.Values,
			After:   values,
			Reasons: []Reason{{Why: TermFollowed, Values: []string{t.changed}}},
		},
	)
}

// withoutTies gives a planned SPF record with today's addresses in place of those terms that the record of today has
// too.
func withoutTies(s sight, planned, at string, t tied) string {
	there := map[string]bool{}
	for _, term := range spf.Terms(record.Unquote(t.value)) {
		there[term.Text] = true
	}
	words := []string{"v=spf1"}
	for _, term := range spf.Terms(planned) {
		literal := literalTerm(s, term, at, t.moves)
		if literal == nil || !there[term.Text] {
			literal = []string{term.Text}
		}
		words = append(words, literal...)
	}
	return strings.Join(words, " ")
}

// literalTerm gives the terms that stand for one which follows a web address that changes, nil where it does not. What
// it says of how much of an address counts is kept (RFC 7208 section 5.6).
func literalTerm(s sight, term spf.Term, at string, moves moving) []string {
	if term.Name != "a" || term.Modifier {
		return nil
	}
	name := cmp.Or(term.Domain, at)
	four, six, both := strings.Cut(term.Prefix, "//")
	if both {
		six = "/" + six
	}
	var literal []string
	for _, set := range moves[s.behind(name, moves)] {
		for _, v := range set.Values {
			switch set.Type {
			case "A":
				literal = append(literal, term.Sign()+"ip4:"+v+four)
			case "AAAA":
				literal = append(literal, term.Sign()+"ip6:"+v+six)
			case "CNAME":
				literal = append(literal, term.Sign()+"a:"+record.Target("CNAME", v)+term.Prefix)
			}
		}
	}
	return literal
}

// behind follows the aliases of the zone from a name until one whose address changes, or the last.
func (s sight) behind(name string, moves moving) string {
	for range 8 {
		if _, ok := moves[name]; ok {
			break
		}
		alias, ok := s.set(name, "CNAME")
		if !ok || len(alias.Values) == 0 {
			break
		}
		name = record.Target("CNAME", alias.Values[0])
	}
	return name
}

// asksForMail tells whether somebody asks for records that let the domain receive mail, or say who sends it.
func (s sight) asksForMail() bool {
	for _, w := range s.domain.Wanted {
		if w.Name == s.zone() && (w.Type == "MX" || w.Type == "TXT" && spf.Is(record.Unquote(w.Value))) {
			return true
		}
	}
	return false
}
