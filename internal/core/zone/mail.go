package zone

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
)

// isMail reports whether a record has to do with mail: who receives it, who may send it, how it is
// signed and reported.
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
func (s Sight) spf() string {
	set, _ := s.set(s.zone(), "TXT")
	return spf.Among(set.Values)
}

// MailSeen gives the evidence that a domain receives mail or sends as itself.
func (s Sight) MailSeen() []string {
	var evidence []string
	mx, _ := s.set(s.zone(), "MX")
	for _, v := range mx.Values {
		if v != "0 ." {
			evidence = append(evidence, "MX "+record.Plain("MX", v))
		}
	}
	// every name below a wildcard with an MX record receives mail (RFC 4592)
	wild, _ := s.set("*."+s.zone(), "MX")
	for _, v := range wild.Values {
		if v != "0 ." {
			evidence = append(evidence, "*."+s.zone()+" MX "+record.Plain("MX", v))
		}
	}
	if text := s.spf(); text != "" && !spf.NamesNobody(text) {
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

// hasKey reports whether a DKIM record holds a key; one without is revoked (RFC 6376 section
// 3.6.1).
func hasKey(value string) bool {
	for tag := range strings.SplitSeq(record.Unquote(value), ";") {
		if key, is := strings.CutPrefix(strings.TrimSpace(tag), "p="); is {
			return strings.TrimSpace(key) != ""
		}
	}
	return false
}

// judgeMail says where mail would be given up, and where nothing says whether there is any.
func judgeMail(s Sight) found {
	var f found
	evidence := s.MailSeen()
	switch {
	case s.domain.Mail == "none" && len(evidence) > 0:
		f.Find(
			finding.MailLost,
			s.zone(),
			fact.MailNoneButMail{Evidence: evidence, Zone: s.zone()},
		)
	case s.domain.Mail != "none" && len(evidence) == 0 && !s.asksForMail() && !s.saysNoMail() &&
		!s.hasPolicy() &&
		!s.mailUnseen():
		f.Find(
			finding.MailSpoofable,
			s.zone(),
			fact.MailUndecided{Zone: s.zone()},
		)
	}
	return f
}

// mailUnseen reports whether nobody answered about what would show mail.
func (s Sight) mailUnseen() bool {
	return s.misses(s.zone(), "MX", "TXT") || s.misses("_dmarc."+s.zone(), "TXT")
}

func (s Sight) saysNoMail() bool {
	mx, _ := s.set(s.zone(), "MX")
	return slices.Contains(mx.Values, "0 .") || spf.NamesNobody(s.spf())
}

func (s Sight) hasPolicy() bool {
	_, ok := s.set("_dmarc."+s.zone(), "TXT")
	return ok
}

// asksForMX reports whether somebody asks for records that say who receives the domain's mail.
func (s Sight) asksForMX() bool {
	return slices.ContainsFunc(s.domain.Wanted, func(w estate.Wanted) bool {
		return w.Name == s.zone() && w.Type == "MX"
	})
}

// asksForMail reports whether somebody asks for records that let the domain receive mail, or say
// who sends it.
func (s Sight) asksForMail() bool {
	for _, w := range s.domain.Wanted {
		if w.Name == s.zone() && (w.Type == "MX" || w.Type == "TXT" && spf.Is(record.Unquote(w.Value))) {
			return true
		}
	}
	return false
}

// Mailing reports whether a domain was seen to receive mail, or to say who may send it.
func Mailing(d *estate.Domain, seen Surveys) bool {
	name := d.Name.String()
	s := Sight{domain: d, seen: seen.Last[name], earlier: seen.before[name],
		have: map[string][]record.Set{}}
	if s.seen == nil {
		return false
	}
	for _, set := range s.seen.Records {
		if set.Name == s.zone() || set.Name == "_dmarc."+s.zone() {
			s.have[set.Name] = append(s.have[set.Name], set)
		}
	}
	return s.mailing()
}

// mailing reports whether the domain was seen to have mail. A text that somebody asks for, and that
// an earlier survey did not see, is no evidence of what was there: it was typed since.
func (s Sight) mailing() bool {
	typed := func(name, text string) bool {
		if s.earlier == nil || text == "" || !slices.ContainsFunc(s.domain.Wanted,
			func(w estate.Wanted) bool {
				return w.Name == name && w.Type == "TXT" && record.Unquote(w.Value) == text
			}) {
			return false
		}
		before, _ := record.Find(s.earlier.Records, name, "TXT")
		return !slices.ContainsFunc(before.Values, func(v string) bool {
			return record.Unquote(v) == text
		})
	}
	evidence := s.MailSeen()
	if text := s.spf(); typed(s.zone(), text) {
		evidence = slices.DeleteFunc(evidence, func(e string) bool { return e == text })
	}
	policy, _ := s.set("_dmarc."+s.zone(), "TXT")
	return len(evidence) > 0 || slices.ContainsFunc(policy.Values, func(v string) bool {
		return !typed("_dmarc."+s.zone(), record.Unquote(v))
	})
}
