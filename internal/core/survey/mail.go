package survey

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
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
					fmt.Sprintf("The policy at %s does not start with v=DMARC1; receivers ignore it (RFC 7489 "+
						"section 6.3): %s", s.Name, text), "Start it with v=DMARC1;", value)
			}
			for _, p := range policies {
				if !strings.HasPrefix(text, p.starts) {
					continue
				}
				count[p.starts]++
				if !strings.Contains("."+s.Name, "."+strings.TrimPrefix(p.at, ".")) {
					v.tally.Add(finding.New(finding.MailMalformed, s.Name, fmt.Sprintf(
						"A policy that starts with %s stands at %s, where nobody looks for it (%s).", p.starts,
						s.Name, p.rfc),
						fmt.Sprintf("Move it to the name that starts with %s.", strings.Trim(p.at, ".")),
						map[string]any{"value": value}).As(finding.Warning))
				}
			}
		}
		for word, n := range count {
			if n > 1 && word != "v=DKIM1" {
				v.add(
					finding.MailMalformed,
					s.Name,
					fmt.Sprintf(
						"%s has %d records of the kind %s, where one is allowed; receivers take it as an error.",
						s.Name,
						n,
						word,
					),
					"Join them into one.",
					map[string]any{"values": s.Values},
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

func (v *judging) malformed(name, says, fix, value string) {
	v.add(finding.MailMalformed, name, says, fix, map[string]any{"value": value})
}

// spfWords finds what is wrong with one SPF record.
func (v *judging) spfWords(name, text string) {
	mild := func(says, fix string) {
		v.tally.Add(finding.New(finding.MailMalformed, name, says, fix,
			map[string]any{"value": text}).As(finding.Warning))
	}
	for _, t := range spf.Terms(text) {
		if fault := t.Fault(); fault != "" {
			v.malformed(
				name,
				fmt.Sprintf("The SPF record of %s holds %q, which %s; receivers take the whole record as an "+
					"error "+
					"(RFC 7208 section 4.6).", name, t.Text, fault),
				"Correct the term, or drop it.",
				text,
			)
		}
		if t.Name == "all" && t.Qualifier == '+' && !t.Modifier {
			mild(fmt.Sprintf("The SPF record of %s ends with %s, which lets everybody send mail in its "+
				"name.", name, t.Text),
				"Write -all or ~all, once all who may send are named.")
		}
	}
	if n, costs := v.lookups(text); n > spf.MostLookups {
		v.add(
			finding.MailMalformed,
			name,
			fmt.Sprintf("The SPF record of %s costs receivers %d look-ups, where %d are allowed "+
				"(RFC 7208 section 4.6.4): %s.", name, n, spf.MostLookups, strings.Join(costs, ", ")),
			"Drop what nobody needs any more, and replace a and mx by ip4: and ip6: with the addresses.",
			map[string]any{"value": text, "lookups": n, "costs": costs},
		)
	}
	if len(text) > spf.MostOctets {
		mild(fmt.Sprintf(
			"The SPF record of %s has %d octets; above %d an answer may not fit (RFC 7208 section 3.4).",
			name,
			len(
				text,
			),
			spf.MostOctets,
		), "Shorten it: join ranges of addresses, or put a part into a record of its own, with include:.")
	}
}

// policies are TXT records that count at one kind of name only.
var policies = []struct{ starts, rfc, at string }{
	{"v=DMARC1", "RFC 7489", "_dmarc."},
	{"v=STSv1", "RFC 8461", "_mta-sts."},
	{"v=TLSRPTv1", "RFC 8460", "_smtp._tls."},
	{"v=DKIM1", "RFC 6376", "._domainkey."},
}

// mailBroken finds MX records that lead to no machine (RFC 5321 section 5.1, RFC 7505 section 3).
func (v *judging) mailBroken() {
	d := v.domain
	for _, s := range d.Records {
		if s.Type != "MX" {
			continue
		}
		for _, value := range s.Values {
			target := plainName(lastField(value))
			evidence := map[string]any{"mx": value}
			broken := func(why, fix string) {
				v.add(finding.MailBroken, s.Name,
					fmt.Sprintf("Mail for %s goes to %s, %s.", s.Name, target, why), fix, evidence)
			}
			if target == "" {
				if len(s.Values) > 1 {
					v.add(finding.MailBroken, s.Name,
						fmt.Sprintf("%s says that it takes no mail (a null MX), and names mail servers "+
							"beside it: %s.", s.Name, strings.Join(plainly("MX", s.Values), ", ")),
						"Remove the null MX, or all the others.", map[string]any{"mx": s.Values})
				}
				continue
			}
			alias, absent := v.machine(s.Name, "MX", target)
			switch _, err := netip.ParseAddr(target); {
			case err == nil:
				broken("which is an address, and no name",
					"Give the machine a name with that address, and name it in the MX.")
			case alias != "":
				broken("which is an alias for "+alias+"; an MX may lead to none",
					"Name the machine itself in the MX, or give "+target+" addresses of its own.")
			case absent:
				broken("which has no address", "Give it an address, or take the MX out.")
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
	www := "www." + d.Name
	onWeb := slices.Concat(d.Addresses(d.Name), d.Addresses(www))
	shared := func(name string) bool {
		return name == d.Name || name == www ||
			slices.ContainsFunc(d.Addresses(name), func(a string) bool { return slices.Contains(onWeb, a) })
	}
	mx, hasMX := d.set("", "MX")
	tied := false
	for _, value := range mx.Values {
		if target := plainName(lastField(value)); target != "" && shared(target) {
			tied = true
			v.add(
				finding.MailTied,
				d.Name,
				fmt.Sprintf(
					"Mail for %s goes to %s, which has an address of the web; it stops when that address changes.",
					d.Name,
					target,
				),
				fmt.Sprintf(
					"Before the move give mail a name and address of its own: an A record for mail.%s with "+
						"today's address, and an "+
						"MX that names it.",
					d.Name,
				),
				map[string]any{"mx": value, "addresses": d.Addresses(target)},
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
			fmt.Sprintf("%s has no MX record, so that its mail goes to the web's own address (RFC 5321 "+
				"section 5.1).", d.Name),
			"Find out whether anybody receives mail there; if so, add an MX with an address of its own "+
				"before the move, else "+
				"a null MX (RFC 7505).",
			nil,
		)
	}
	for _, term := range v.spf() {
		name := cmp.Or(term.Domain, d.Name)
		if term.Name == "a" && shared(name) || term.Name == "mx" && tied {
			v.add(
				finding.MailTied,
				d.Name,
				fmt.Sprintf("The SPF record of %s allows senders by %q, which follows the web's address.",
					d.Name, term.Text),
				"Replace it by ip4: or ip6: with the address from which mail is sent today, or drop it if "+
					"nobody sends from there.",
				map[string]any{"term": term.Text},
			)
		}
	}
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
