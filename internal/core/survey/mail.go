package survey

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/web"
)

// mailWords finds policies that receivers cannot read.
func (v *judging) mailWords() {
	for _, s := range v.domain.Records {
		if s.Type != "TXT" {
			continue
		}
		count := map[string]int{}
		for _, value := range s.Values {
			text := record.Unquote(value)
			if spf.Is(text) {
				count["SPF"]++
				v.spfWords(s.Name, text)
			}
			if strings.HasPrefix(s.Name, "_dmarc.") && !strings.HasPrefix(text, "v=DMARC1") &&
				hasTag(text, "p") {
				v.malformed(s.Name,
					fact.DMARCStart{Name: s.Name, Text: text}, value)
			}
			if kind := PolicyKind(s.Name, text); kind != "" && kind != "SPF" {
				count[kind]++
			}
			for _, p := range policies {
				if !strings.HasPrefix(text, p.starts) {
					continue
				}
				if !strings.Contains("."+s.Name, "."+strings.TrimPrefix(p.at, ".")) {
					v.tally.Add(finding.New(finding.MailMalformed, s.Name,
						fact.PolicyMisplaced{Value: value, Starts: p.starts, Name: s.Name, RFC: p.rfc,
							Label: strings.Trim(p.at, ".")}).As(finding.Warning))
				}
			}
		}
		for word, n := range count {
			if n > 1 {
				v.add(
					finding.MailMalformed,
					s.Name,
					fact.PoliciesTwice{Values: s.Values, Name: s.Name, Count: n, Kind: word},
				)
			}
		}
	}
}

// hasTag reports whether a policy of tags such as "p=none; rua=..." has a tag.
func hasTag(text, tag string) bool {
	for part := range strings.SplitSeq(text, ";") {
		if name, _, is := strings.Cut(part, "="); is && strings.EqualFold(strings.TrimSpace(name), tag) {
			return true
		}
	}
	return false
}

func (v *judging) malformed(name string, facts fact.Facts, value string) {
	v.add(finding.MailMalformed, name, facts, map[string]any{"value": value})
}

// spfWords finds what is wrong with one SPF record.
func (v *judging) spfWords(name, text string) {
	for _, f := range SPF(name, text, v) {
		v.tally.Add(f)
	}
}

// policies are TXT records that count at one kind of name only.
var policies = []struct{ starts, rfc, at string }{
	{"v=DMARC1", "RFC 7489", "_dmarc."},
	{"v=STSv1", "RFC 8461", "_mta-sts."},
	{"v=TLSRPTv1", "RFC 8460", "_smtp._tls."},
	{"v=DKIM1", "RFC 6376", "._domainkey."},
	{"v=BIMI1", "the draft of BIMI", "._bimi."},
}

// PolicyKind says of which kind a text is, of which one may stand at a name: "SPF", how policies of
// a kind start, or "DKIM"; "" for any other text. A DKIM key need not say what it is (RFC 6376
// section 3.6.1).
func PolicyKind(name, text string) string {
	if spf.Is(text) {
		return "SPF"
	}
	if strings.Contains(name, "._domainkey.") && (strings.HasPrefix(text, "v=DKIM1") ||
		!strings.HasPrefix(text, "v=") && hasTag(text, "p")) {
		return "DKIM"
	}
	for _, p := range policies {
		if strings.HasPrefix(text, p.starts) && strings.Contains("."+name,
			"."+strings.TrimPrefix(p.at, ".")) {
			return p.starts
		}
	}
	return ""
}

// serviceOf gives the domain of a machine.
func serviceOf(target string) string {
	h, err := web.ParseObservedHost(target)
	if err != nil {
		return target
	}
	if apex, ok := h.Apex(); ok {
		return apex.String()
	}
	return target
}

// MailParted finds MX records of different services that are tried alike (RFC 5321 section 5.1):
// mail goes to one or the other by chance. values are as a zone file has them.
func MailParted(name string, values []string) []finding.Finding {
	byPreference := map[string][]string{}
	for _, v := range values {
		if target := record.Target("MX", v); target != "" {
			preference, _, _ := strings.Cut(v, " ")
			byPreference[preference] = append(byPreference[preference], target)
		}
	}
	var all []finding.Finding
	for _, preference := range slices.Sorted(maps.Keys(byPreference)) {
		services := map[string]bool{}
		for _, target := range byPreference[preference] {
			services[serviceOf(target)] = true
		}
		if len(services) > 1 {
			all = append(all, finding.New(finding.MailMalformed, name, fact.MailByChance{Domain: name,
				Servers: byPreference[preference], Preference: preference}).As(finding.Warning))
		}
	}
	return all
}

// mailBroken finds MX records that lead to no machine (RFC 5321 section 5.1, RFC 7505 section 3).
func (v *judging) mailBroken() {
	d := v.domain
	for _, s := range d.Records {
		if s.Type != "MX" {
			continue
		}
		for _, f := range MailParted(s.Name, s.Values) {
			v.tally.Add(f)
		}
		for _, value := range s.Values {
			target := plainName(lastField(value))
			evidence := map[string]any{"mx": value}
			broken := func(facts fact.Facts) { v.add(finding.MailBroken, s.Name, facts, evidence) }
			if target == "" {
				if len(s.Values) > 1 {
					v.add(finding.MailBroken, s.Name,
						fact.NullMXBeside{MX: s.Values, Domain: s.Name, Servers: plainly("MX", s.Values)})
				}
				continue
			}
			alias, absent := v.machine(s.Name, "MX", target)
			switch _, err := netip.ParseAddr(target); {
			case err == nil:
				broken(fact.MailToAddress{Domain: s.Name, Target: target})
			case alias != "":
				broken(fact.MailToAlias{Domain: s.Name, Target: target, Alias: alias})
			case absent:
				broken(fact.MailToNothing{Domain: s.Name, Target: target})
			}
		}
	}
}

// machine tells what is known of a target: the name for which it is an alias, and whether it has no
// address at all.
func (v *judging) machine(name, kind, target string) (alias string, absent bool) {
	d := v.domain
	if s, ok := v.find(target, "CNAME"); ok {
		return plainName(s.Values[0]), false
	}
	for _, t := range d.Targets {
		if t.Name == name && t.Type == kind && t.Target == target {
			return t.Alias, t.Absent && len(d.Addresses(target)) == 0
		}
	}
	inside := target == d.Name || strings.HasSuffix(target, "."+d.Name)
	whole := !d.Partial && d.Seen() && !d.Misses(target, "A") && !d.Misses(target, "AAAA")
	if !inside || !whole || d.wildcarded(target) || v.cut(target) != "" {
		return "", false
	}
	_, four := v.find(target, "A")
	_, six := v.find(target, "AAAA")
	return "", !four && !six
}

// wildcarded reports whether a name may be answered for by a wildcard above it.
func (d *Domain) wildcarded(name string) bool {
	return slices.ContainsFunc(d.Wildcards, func(w string) bool {
		return strings.HasSuffix(name, "."+w)
	})
}

// mailTied finds mail that hangs on an address of the web, which a move changes.
func (v *judging) mailTied() {
	d := v.domain
	// what has a record of its own stays where it is when the web moves, at whichever address
	shared := func(name string) bool { return v.follows(name, 0) }
	mx, hasMX := d.set("", "MX")
	tied := false
	for _, value := range mx.Values {
		if target := plainName(lastField(value)); target != "" && shared(target) {
			tied = true
			v.add(
				finding.MailTied,
				d.Name,
				fact.MailOnWeb{MX: value, Addresses: d.Addresses(target), Domain: d.Name, Target: target},
			)
		}
	}
	refuses := spf.Refuses(v.spfAt(d.Name))
	unknown := d.Misses(d.Name, "MX") || d.Misses(d.Name, "TXT")
	if !hasMX && !unknown && len(d.Addresses(d.Name)) > 0 && !refuses && v.signsOfMail() {
		tied = true
		v.add(
			finding.MailTied,
			d.Name,
			fact.MailWithoutMX{Domain: d.Name},
		)
	}
	for _, term := range v.spf() {
		name := cmp.Or(term.Domain, d.Name)
		if term.Name == "a" && shared(name) || term.Name == "mx" && tied {
			v.add(
				finding.MailTied,
				d.Name,
				fact.SPFFollowsWeb{Term: term.Text, Domain: d.Name},
			)
		}
	}
}

// follows reports whether a name is a door of the web, or an alias that leads there.
func (v *judging) follows(name string, depth int) bool {
	if name == v.domain.Name || name == "www."+v.domain.Name {
		return true
	}
	alias, ok := v.find(name, "CNAME")
	return ok && depth < 16 && v.follows(record.Target("CNAME", alias.Values[0]), depth+1)
}

// signsOfMail reports whether a domain without MX shows that it has to do with mail.
func (v *judging) signsOfMail() bool {
	d := v.domain
	if len(v.spf()) > 0 {
		return true
	}
	for _, s := range d.Records {
		if strings.HasPrefix(s.Name, "_dmarc.") || strings.Contains(s.Name, "._domainkey.") ||
			strings.HasPrefix(s.Name, "autodiscover.") {
			return true
		}
	}
	return false
}

// plainly gives values as people write them.
func plainly(kind string, values []string) []string {
	all := make([]string, len(values))
	for i, v := range values {
		all[i] = record.Plain(kind, v)
	}
	return all
}
