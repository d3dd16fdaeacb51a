package plan

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// isMail tells whether a record has to do with mail: who receives it, who may send it, how it is signed and reported.
func isMail(s record.Set) bool {
	if s.Type == "MX" {
		return true
	}
	first, _, _ := strings.Cut(s.Name, ".")
	switch {
	case strings.Contains(s.Name, "._domainkey."), strings.HasPrefix(s.Name, "_dmarc."), strings.HasPrefix(s.Name, "_mta-sts."), strings.Contains(s.Name, "_smtp._tls."), strings.HasPrefix(s.Name, "mta-sts."), strings.HasPrefix(s.Name, "default._bimi."):
		return true
	case slices.Contains([]string{"mail", "smtp", "imap", "pop", "autodiscover", "autoconfig", "mx", "mx1", "mx2", "webmail"}, first):
		return true
	}
	return s.Type == "TXT" && slices.ContainsFunc(s.Values, isSPF)
}

func isSPF(value string) bool {
	f := strings.Fields(record.Unquote(value))
	return len(f) > 0 && strings.EqualFold(f[0], "v=spf1")
}

// spf returns the SPF record of the apex: its value as it stands, and its terms.
func (w *zoneWork) spf() (value string, terms []string) {
	s, _ := w.set(w.zone.Name, "TXT")
	for _, v := range s.Values {
		if isSPF(v) {
			return v, strings.Fields(record.Unquote(v))[1:]
		}
	}
	return "", nil
}

// mailSeen gives the evidence that a domain receives mail or sends as itself.
func (w *zoneWork) mailSeen() []string {
	var evidence []string
	mx, _ := w.set(w.zone.Name, "MX")
	for _, v := range mx.Values {
		if v != "0 ." {
			evidence = append(evidence, "MX "+record.Plain("MX", v))
		}
	}
	if value, terms := w.spf(); value != "" && !(len(terms) == 1 && strings.EqualFold(terms[0], "-all")) {
		evidence = append(evidence, record.Unquote(value))
	}
	if w.seen == nil {
		return evidence
	}
	for _, s := range w.seen.Records {
		if strings.Contains(s.Name, "._domainkey.") && (s.Type == "CNAME" || s.Type == "TXT" && slices.ContainsFunc(s.Values, hasKey)) {
			evidence = append(evidence, "a DKIM key at "+s.Name)
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

// noMail adds the records that say that a domain neither receives mail nor sends it: a null MX (RFC 7505), an SPF record that
// allows nobody (RFC 7208), a policy that rejects the rest (RFC 7489).
func (w *zoneWork) noMail() {
	apex := w.zone.Name
	why := "mail: none. It says that the domain "
	for _, n := range []want{
		{Set: record.Set{Name: apex, Type: "MX", Values: []string{"0 ."}}, why: why + "receives no mail (RFC 7505)."},
		{Set: record.Set{Name: apex, Type: "TXT", Values: []string{`"v=spf1 -all"`}}, why: why + "sends no mail (RFC 7208)."},
		{Set: record.Set{Name: "_dmarc." + apex, Type: "TXT", Values: []string{`"v=DMARC1; p=reject"`}}, why: why + "wants forged mail rejected (RFC 7489)."},
	} {
		n.TTL, n.wanted = RecordTTL, true
		if i := slices.IndexFunc(w.want, func(o want) bool { return o.Name == n.Name && o.Type == n.Type }); i >= 0 {
			w.want[i].Values = append(w.want[i].Values, n.Values...)
			w.want[i].why += " " + n.why
			continue
		}
		w.want = append(w.want, n)
	}
}

// mail looks after the mail of the domain: it is kept, untied from web addresses that change, or refused to be given up.
func (w *zoneWork) mail() {
	evidence := w.mailSeen()
	switch {
	case w.domain.Mail == "none" && len(evidence) > 0:
		w.plan.tally.Add(finding.New(finding.MailLost, w.zone.Name, fmt.Sprintf("The estate file says mail: none for %s, but it has mail: %s. Nothing about its mail is planned.", w.zone.Name, strings.Join(evidence, "; ")),
			"Write mail: keep; or ask the client, have the mailboxes closed, remove these records, and survey again.", map[string]any{"evidence": evidence}))
	case w.domain.Mail != "none" && len(evidence) == 0 && !w.saysNoMail() && !w.hasPolicy():
		w.openMail()
	}
	w.untie()
}

func (w *zoneWork) saysNoMail() bool {
	mx, _ := w.set(w.zone.Name, "MX")
	_, terms := w.spf()
	return slices.Contains(mx.Values, "0 .") || len(terms) == 1 && strings.EqualFold(terms[0], "-all")
}

func (w *zoneWork) hasPolicy() bool {
	_, ok := w.set("_dmarc."+w.zone.Name, "TXT")
	return ok
}

func (w *zoneWork) openMail() {
	w.plan.tally.Add(finding.New(finding.MailSpoofable, w.zone.Name, fmt.Sprintf("Nothing shows that %s has mail, and nothing says that it has none: anybody can send mail in its name.", w.zone.Name),
		"If the client agrees that it has no mail, write mail: none; the plan then adds the records that say so.", nil))
}

// untie finds the mail that hangs on a web address which changes, and plans the records that untie it.
func (w *zoneWork) untie() {
	apex := w.zone.Name
	mx, hasMX := w.set(apex, "MX")
	after := slices.Clone(mx.Values)
	tied := ""
	for i, v := range mx.Values {
		target := record.Target("MX", v)
		was, moves := w.moves[target]
		if !moves {
			continue
		}
		preference, _, _ := strings.Cut(v, " ")
		to, adds := w.ownMail(was)
		after[i] = preference + " " + to + "."
		tied = target
		w.tied(fmt.Sprintf("Mail for %s goes to %s, whose address changes with the web.", apex, target), fmt.Sprintf("MX %s %s", preference, to), adds)
	}
	if tied != "" {
		w.add(first, Change{Action: Replace, Name: apex, Type: "MX", TTL: mx.TTL, Before: mx.Values, After: after, Reason: fmt.Sprintf("Mail hung on the address of %s, which changes; from now on it has a name of its own.", tied)})
	}
	was, moves := w.moves[apex]
	if !hasMX && moves && w.domain.Mail != "none" && (len(w.mailSeen()) > 0 || w.hasPolicy()) {
		to, adds := w.ownMail(was)
		w.tied(fmt.Sprintf("%s has no MX record, so that its mail goes to the web's own address (RFC 5321 section 5.1), which changes.", apex), "MX 10 "+to, adds)
		w.add(first, Change{Action: Add, Name: apex, Type: "MX", TTL: RecordTTL, After: []string{"10 " + to + "."}, Reason: "Mail went to the web's own address, which changes; from now on it has a name of its own."})
	}
	w.untieSPF()
}

func (w *zoneWork) tied(says, untied string, adds []Change) {
	var all []string
	for _, c := range adds {
		all = append(all, fmt.Sprintf("%s %s %s", c.Name, c.Type, strings.Join(c.After, ", ")))
		if !w.touched[record.Key{Name: c.Name, Type: c.Type}] {
			w.add(first, c)
		}
	}
	all = append(all, untied)
	w.plan.tally.Add(finding.New(finding.MailTied, w.zone.Name, says, fmt.Sprintf("Untie it before the web moves, as the first changes do: %s. Then survey again.", strings.Join(all, "; ")), map[string]any{"untied": all}))
}

// ownMail finds a name for the mail of a domain whose web moves away, and the records that give it today's address. Where the old
// name is an alias, mail goes straight to where that leads.
func (w *zoneWork) ownMail(was []record.Set) (string, []Change) {
	for _, s := range was {
		if s.Type == "CNAME" && len(s.Values) > 0 {
			return record.Target("CNAME", s.Values[0]), nil
		}
	}
	for _, label := range []string{"mail", "mx", "mail2", "mx2"} {
		name := label + "." + w.zone.Name
		if _, moves := w.moves[name]; moves {
			continue
		}
		var adds []Change
		free := true
		for _, s := range was {
			old, there := w.set(name, s.Type)
			switch {
			case s.Type != "A" && s.Type != "AAAA":
			case !there:
				adds = append(adds, Change{Action: Add, Name: name, Type: s.Type, TTL: RecordTTL, After: s.Values, Reason: "Mail gets a name of its own with today's address, so that the web can move."})
			default:
				free = free && same(s.Type, old.Values, s.Values)
			}
		}
		if _, alias := w.set(name, "CNAME"); free && !alias {
			return name, adds
		}
	}
	return "mail-" + w.zone.Name, nil
}

// untieSPF writes the addresses of today into an SPF record that follows a web address which changes.
func (w *zoneWork) untieSPF() {
	apex := w.zone.Name
	value, terms := w.spf()
	after, changed := []string{"v=spf1"}, ""
	for _, term := range terms {
		sign, kind := "", term
		if strings.ContainsAny(term[:1], "+-~?") {
			sign, kind = term[:1], term[1:]
		}
		kind, argument, _ := strings.Cut(kind, ":")
		name := apex
		if argument != "" {
			name = strings.ToLower(strings.TrimSuffix(argument, "."))
		}
		was, moves := w.moves[name]
		literal := ""
		for _, s := range was {
			for _, v := range s.Values {
				switch s.Type {
				case "A":
					literal += " " + sign + "ip4:" + v
				case "AAAA":
					literal += " " + sign + "ip6:" + v
				}
			}
		}
		if !strings.EqualFold(kind, "a") || !moves || literal == "" {
			after = append(after, term)
			continue
		}
		changed = term
		after = append(after, strings.Fields(literal)...)
	}
	if changed == "" {
		return
	}
	text := record.Quote(strings.Join(after, " "))
	w.plan.tally.Add(finding.New(finding.MailTied, apex, fmt.Sprintf("The SPF record of %s allows senders by %q, which follows a web address that changes.", apex, changed),
		fmt.Sprintf("Untie it before the web moves, as the first changes do: TXT %s. Then survey again.", text), map[string]any{"term": changed, "untied": []string{"TXT " + text}}))
	txt, _ := w.set(apex, "TXT")
	values := slices.Clone(w.planned(apex, "TXT"))
	if i := slices.Index(values, value); i >= 0 {
		values[i] = text
	}
	w.add(first, Change{Action: Replace, Name: apex, Type: "TXT", TTL: txt.TTL, Before: txt.Values, After: values, Reason: fmt.Sprintf("The term %q followed the web's address; today's address stands in its place.", changed)})
}
