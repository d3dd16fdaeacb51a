package survey

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

func (v *verdict) mailWords() {
	for _, s := range v.domain.Records {
		if s.Type != "TXT" {
			continue
		}
		count := map[string]int{}
		for _, value := range s.Values {
			text := record.Unquote(value)
			if lower := strings.ToLower(text); lower == "v=spf1" || strings.HasPrefix(lower, "v=spf1 ") {
				count["SPF"]++
			}
			for _, p := range policies {
				if !strings.HasPrefix(text, p.starts) {
					continue
				}
				count[p.starts]++
				if !strings.Contains("."+s.Name, "."+strings.TrimPrefix(p.at, ".")) {
					v.add(
						finding.MailMalformed,
						s.Name,
						fmt.Sprintf(
							"A policy that starts with %s stands at %s, where nobody looks for it (%s).",
							p.starts,
							s.Name,
							p.rfc,
						),
						fmt.Sprintf("Move it to the name that starts with %s.", strings.Trim(p.at, ".")),
						map[string]any{"value": value},
					)
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

// policies are TXT records that count at one kind of name only.
var policies = []struct{ starts, rfc, at string }{
	{
		"v=DMARC1",
		"RFC 7489",
		"_dmarc.",
	}, {"v=STSv1", "RFC 8461", "_mta-sts."}, {"v=TLSRPTv1", "RFC 8460", "_smtp._tls."},
	{"v=DKIM1", "RFC 6376", "._domainkey."},
}

// spf returns the terms of the zone's SPF record, nil where there is none.
func (d *Domain) spf() []string {
	s, _ := d.set("", "TXT")
	for _, value := range s.Values {
		if f := strings.Fields(record.Unquote(value)); len(f) > 0 && strings.EqualFold(f[0], "v=spf1") {
			return f[1:]
		}
	}
	return nil
}

// mailTied finds mail that hangs on an address of the web, which a move changes.
func (v *verdict) mailTied() {
	d := v.domain
	www := "www." + d.Name
	onWeb := slices.Concat(d.addresses(d.Name), d.addresses(www))
	shared := func(name string) bool {
		return name == d.Name || name == www ||
			slices.ContainsFunc(d.addresses(name), func(a string) bool { return slices.Contains(onWeb, a) })
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
					"Before the move give mail a name and address of its own: an A record for mail.%s with today's address, and an "+
						"MX that names it.",
					d.Name,
				),
				map[string]any{"mx": value, "addresses": d.addresses(target)},
			)
		}
	}
	spf := d.spf()
	refuses := len(spf) == 1 && strings.EqualFold(spf[0], "-all")
	unknown := d.Misses(d.Name, "MX") || d.Misses(d.Name, "TXT")
	if !hasMX && !unknown && len(d.addresses(d.Name)) > 0 && !refuses && v.signsOfMail() {
		tied = true
		v.add(
			finding.MailTied,
			d.Name,
			fmt.Sprintf("%s has no MX record, so that its mail goes to the web's own address (RFC 5321 section 5.1).", d.Name),
			"Find out whether anybody receives mail there; if so, add an MX with an address of its own before the move, else "+
				"a null MX (RFC 7505).",
			nil,
		)
	}
	for _, term := range spf {
		name, kind := d.Name, strings.ToLower(strings.TrimLeft(term, "+?~-"))
		kind, argument, _ := strings.Cut(kind, ":")
		kind, _, _ = strings.Cut(kind, "/")
		if argument != "" {
			name, _, _ = strings.Cut(argument, "/")
		}
		if kind == "a" && shared(name) || kind == "mx" && tied {
			v.add(
				finding.MailTied,
				d.Name,
				fmt.Sprintf("The SPF record of %s allows senders by %q, which follows the web's address.", d.Name, term),
				"Replace it by ip4: or ip6: with the address from which mail is sent today, or drop it if nobody sends from there.",
				map[string]any{"term": term},
			)
		}
	}
}

// signsOfMail tells whether a domain without MX shows that it has to do with mail.
func (v *verdict) signsOfMail() bool {
	d := v.domain
	if len(d.spf()) > 0 {
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
