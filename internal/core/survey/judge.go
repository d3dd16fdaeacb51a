package survey

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// Judge says what is odd about a survey.
type Judge struct {
	Now    time.Time
	Estate []string // the domains of the estate; one that another refers to is depended-on
	Stays  string   // the domain of the canonical site, which goes nowhere
	Wanted []Wanted // records that somebody asks for
}

// Wanted is a record that somebody asks for.
type Wanted struct {
	Domain, Name, Type string
	Value              string // in zone-file form
	Moved              bool   // the domain counts as moved, so that it should be there
}

// Soon is how long before its end a registration is worth a warning.
const Soon = 60 * 24 * time.Hour

// All returns the findings about every domain, the worst first, and notes in each domain what is worth knowing.
func (j Judge) All(s *Survey) []finding.Finding {
	var tally finding.Tally
	for i := range s.Domains {
		s.Domains[i].Facts = s.Domains[i].Odd()
		v := verdict{judge: j, domain: &s.Domains[i], tally: &tally}
		v.delegation()
		v.differences()
		v.aliases()
		v.doubled()
		v.mailWords()
		v.mailTied()
		v.dependsOn()
		v.registration()
		v.robots()
		v.wanted()
		for _, c := range v.domain.Chains {
			tally.Add(c.Findings...)
		}
	}
	return tally.Findings()
}

// Split gives a finding for each difference.
func Split(differences []Difference) []finding.Finding {
	var tally finding.Tally
	v := verdict{domain: &Domain{Differences: differences}, tally: &tally}
	v.differences()
	return tally.Findings()
}

// wanted looks for the records that somebody asks for.
func (v *verdict) wanted() {
	d := v.domain
	for _, w := range v.judge.Wanted {
		if w.Domain != d.Name || !d.Seen() {
			continue
		}
		s, _ := record.Find(d.Records, w.Name, w.Type)
		there := slices.ContainsFunc(s.Values, func(value string) bool {
			n, err := record.Value(w.Type, value)
			return err == nil && n == w.Value
		})
		switch {
		case there:
		case d.Misses(w.Name, w.Type):
			d.Facts = append(d.Facts, fmt.Sprintf("%s %s %s is wanted; nobody answered whether it is there.", w.Name, w.Type,
				record.Plain(w.Type, w.Value)))
		case w.Moved:
			v.add(
				finding.RecordLost,
				w.Name+" "+w.Type,
				fmt.Sprintf(
					"Somebody asks for %s %s %s, the domain counts as moved, and the record is not there.",
					w.Name,
					w.Type,
					record.Plain(w.Type, w.Value),
				),
				"Add it, or take it out of wanted: if nobody needs it any more.",
				map[string]any{"wanted": w.Value},
			)
		default:
			d.Facts = append(
				d.Facts,
				fmt.Sprintf("%s %s %s is wanted, and not there yet.", w.Name, w.Type, record.Plain(w.Type, w.Value)),
			)
		}
	}
}

type verdict struct {
	judge  Judge
	domain *Domain
	tally  *finding.Tally
}

func (v *verdict) add(code finding.Code, subject, says, fix string, evidence map[string]any) {
	v.tally.Add(finding.New(code, subject, says, fix, evidence))
}

func (v *verdict) delegation() {
	d := v.domain
	stale := len(d.Parent.DS) > 0
	for _, ds := range d.Parent.DS {
		stale = stale && !ds.Matched
	}
	if stale && slices.ContainsFunc(d.Servers, func(s Server) bool { return s.State == Answers }) {
		v.add(
			finding.StaleDS,
			d.Name,
			fmt.Sprintf(
				"%s says that %s is signed (DS), but the zone holds no key that fits; resolvers that check signatures find "+
					"nothing there.",
				d.Parent.Zone,
				d.Name,
			),
			"Have the registrar remove the DS record, or sign the zone with the key that it stands for.",
			map[string]any{"ds": d.Parent.DS},
		)
	}
	for _, s := range d.Servers {
		if s.State == Answers {
			continue
		}
		who := s.Name
		if s.Address != "" {
			who += " (" + s.Address + ")"
		}
		says := "does not answer for it"
		if s.State == Inside {
			says = "is none that the public can ask"
		}
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf("The name server %s of %s %s: %s.", who, d.Name, says, s.Says),
			"Have it serve the zone, or take it out of the delegation and of the zone's NS records.",
			map[string]any{"server": s.Name, "address": s.Address, "state": s.State},
		)
	}
	byParent, byZone := v.named("parent"), v.named("zone")
	if len(byParent) > 0 && len(byZone) > 0 && !slices.Equal(byParent, byZone) {
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf(
				"The parent names the servers %s, the zone itself %s.",
				strings.Join(byParent, ", "),
				strings.Join(byZone, ", "),
			),
			"Make both lists the same: at the registrar, and as NS records of the zone.",
			map[string]any{"parent": byParent, "zone": byZone},
		)
	}
	serials := map[uint32][]string{}
	for _, s := range d.Servers {
		if s.State == Answers {
			serials[s.Serial] = append(serials[s.Serial], s.Name)
		}
	}
	if len(serials) > 1 {
		var says []string
		for serial, names := range serials {
			says = append(says, fmt.Sprintf("%d at %s", serial, strings.Join(slices.Compact(names), ", ")))
		}
		slices.Sort(says)
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf("The name servers of %s hold different versions of the zone: %s.", d.Name, strings.Join(says, "; ")),
			"Wait some minutes; if they still differ, have the provider see why the others do not follow.",
			map[string]any{"serials": says},
		)
	}
}

// named returns the names of the servers that the parent or the zone names, in order.
func (v *verdict) named(by string) []string {
	var all []string
	for _, s := range v.domain.Servers {
		if slices.Contains(s.By, by) {
			all = append(all, s.Name)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func (v *verdict) differences() {
	for _, diff := range v.domain.Differences {
		var says []string
		var first *Voice
		longest, torn := 0, false
		for _, voice := range diff.Voices {
			what := strings.Join(voice.Values, ", ")
			if what == "" {
				what = "nothing"
			}
			s := fmt.Sprintf("%s says %s", voice.Who, what)
			if voice.Resolver && voice.TTL > 0 {
				s += fmt.Sprintf(", and will for up to %s", seconds(voice.TTL))
				longest = max(longest, voice.TTL)
			}
			if first != nil && !voice.Resolver && !record.SameValues(first.Values, voice.Values) {
				torn = true
			}
			if !voice.Resolver {
				first = &voice
			}
			says = append(says, s)
		}
		fix := "See which of them is right, and have the others follow."
		about := strings.TrimSpace(diff.Name + " " + diff.Type)
		switch {
		case torn:
		case longest > 0:
			fix = fmt.Sprintf(
				"Nothing but wait, for up to %s. It is not only you; everybody who asked before still gets the old answer.",
				seconds(longest),
			)
		case diff.Type != "":
			fix = "See whether this resolver answers by itself for the domain; the world follows the name servers."
		}
		v.add(
			finding.SplitAnswers,
			about,
			fmt.Sprintf("About %s, %s.", about, strings.Join(says, "; ")),
			fix,
			map[string]any{"voices": diff.Voices},
		)
	}
}

func seconds(n int) string {
	switch d := time.Duration(n) * time.Second; {
	case n < 120:
		return fmt.Sprintf("%d s", n)
	case d < 2*time.Hour:
		return fmt.Sprintf("%d min", (n+59)/60)
	default:
		return fmt.Sprintf("%d h", (n+3599)/3600)
	}
}

func (v *verdict) aliases() {
	d := v.domain
	byName := map[string][]string{}
	for _, s := range d.Records {
		if !slices.Contains([]string{"RRSIG", "NSEC", "NSEC3"}, s.Type) {
			byName[s.Name] = append(byName[s.Name], s.Type)
		}
	}
	for _, s := range d.Records {
		if s.Type != "CNAME" {
			continue
		}
		others := slices.DeleteFunc(slices.Clone(byName[s.Name]), func(k string) bool { return k == "CNAME" })
		switch {
		case s.Name == d.Name:
			v.add(
				finding.AliasConflict,
				s.Name,
				fmt.Sprintf("%s is an alias (CNAME) at the top of its zone, where SOA and NS have to stand beside it.", s.Name),
				"Replace it by addresses, or by what the provider offers as an alias at the apex.",
				map[string]any{"value": s.Values},
			)
		case len(others) > 0 || len(s.Values) > 1:
			v.add(
				finding.AliasConflict,
				s.Name,
				fmt.Sprintf(
					"%s is an alias (CNAME) and has other records too: %s; resolvers see the one or the other.",
					s.Name,
					strings.Join(append(others, s.Values[1:]...), ", "),
				),
				"An alias stands alone: remove it, or everything else at this name.",
				map[string]any{"value": s.Values, "others": others},
			)
		}
	}
	for _, a := range d.Aliases {
		why := v.unclaimed(a)
		if why == "" {
			continue
		}
		v.add(
			finding.DanglingAlias,
			a.Name,
			fmt.Sprintf("%s is an alias for %s, where nobody answers for this name: %s.", a.Name, a.Target, why),
			"Claim the name at whoever runs the target, or remove the alias: a stranger could claim it.",
			map[string]any{"target": a.Target},
		)
	}
}

// unclaimed says why nobody answers for a name at the end of its alias, "" where somebody does.
func (v *verdict) unclaimed(a AliasEnd) string {
	if !a.Exists && ForNoHost(a.Name) {
		return "the target does not exist"
	}
	if !a.Exists {
		return "the target has no address"
	}
	var seen []string
	for _, c := range v.domain.Chains {
		if c.Probe != chain.Root || c.Entry.Host().String() != a.Name {
			continue
		}
		first := c.Hops[0]
		switch {
		case first.Status == 404 || first.Status == 421 || first.Status == 410:
			seen = append(seen, fmt.Sprintf("%s answers %d", c.Entry.Door(), first.Status))
		case first.Refusal != "" && first.Refusal != chain.Unseen,
			first.TLS != nil && slices.Contains(first.TLS.Faults, finding.WrongName) && first.Status >= 400:
			seen = append(seen, fmt.Sprintf("%s does not answer", c.Entry.Door()))
		default:
			return ""
		}
	}
	return strings.Join(seen, ", ")
}

// nearMisses are labels that somebody typed for www.
var nearMisses = []string{"ww", "wwww", "www.www", "wwww.www", "w", "www.ww"}

func (v *verdict) doubled() {
	d := v.domain
	twice := d.Name + "." + d.Name
	for _, s := range d.Records {
		if slices.Contains(d.Wildcards, d.Name) && s.Type != "TXT" {
			continue // every name answers below a wildcard; this one was perhaps never typed
		}
		label := strings.TrimSuffix(s.Name, "."+d.Name)
		switch {
		case s.Name == twice || strings.HasSuffix(s.Name, "."+twice):
			v.add(
				finding.DoubledName,
				s.Name,
				fmt.Sprintf("%s holds the domain twice: a full name was typed into a form that adds the domain itself.", s.Name),
				fmt.Sprintf(
					"Remove it, and type %q if the record is still wanted.",
					labelOf(strings.TrimSuffix(s.Name, "."+d.Name), d.Name),
				),
				map[string]any{"type": s.Type, "values": s.Values},
			)
		case slices.Contains(nearMisses, label):
			v.add(
				finding.DoubledName,
				s.Name,
				fmt.Sprintf("%s looks like a slip of the pen for www.%s.", s.Name, d.Name),
				"Remove it if nobody uses it.",
				map[string]any{"type": s.Type, "values": s.Values},
			)
		}
		for _, value := range s.Values {
			if target := plainName(lastField(value)); (s.Type == "CNAME" || s.Type == "MX" || s.Type == "NS") &&
				(target == twice || strings.HasSuffix(target, "."+twice)) {
				v.add(
					finding.DoubledName,
					s.Name,
					fmt.Sprintf("The %s record of %s leads to %s, which holds the domain twice.", s.Type, s.Name, target),
					"Type the target with its last dot, or without the domain.",
					map[string]any{"value": value},
				)
			}
		}
	}
}

func labelOf(name, zone string) string {
	if name == zone {
		return "@"
	}
	return strings.TrimSuffix(name, "."+zone)
}

func lastField(value string) string {
	f := strings.Fields(value)
	if len(f) == 0 {
		return ""
	}
	return f[len(f)-1]
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

// dependsOn finds what refers to another domain of the estate, which is about to change.
func (v *verdict) dependsOn() {
	d := v.domain
	refer := func(what, where, target string) {
		target = plainName(target)
		for _, other := range v.judge.Estate {
			if other == d.Name || other == v.judge.Stays || target != other && !strings.HasSuffix(target, "."+other) {
				continue
			}
			v.add(
				finding.DependedOn,
				other,
				fmt.Sprintf("The %s record of %s refers to %s, which is about to change.", what, where, target),
				fmt.Sprintf(
					"See that %s goes on answering, or change the %s record of %s first.",
					target,
					what,
					where,
				),
				map[string]any{"name": where, "target": target},
			)
		}
	}
	for _, s := range d.Records {
		for _, value := range s.Values {
			switch s.Type {
			case "CNAME", "MX", "NS", "SRV":
				refer(s.Type, s.Name, lastField(value))
			case "TXT":
				for _, target := range textTargets(record.Unquote(value)) {
					refer("TXT", s.Name, target)
				}
			}
		}
	}
}

// textTargets gives the domains that an SPF, DMARC or TLS reporting record names.
func textTargets(text string) []string {
	var all []string
	switch {
	case strings.HasPrefix(strings.ToLower(text), "v=spf1"):
		for term := range strings.FieldsSeq(text) {
			if i := strings.IndexAny(term, ":="); i > 0 && !strings.HasPrefix(term, "v=") && !strings.Contains(term, "ip") {
				all = append(all, term[i+1:])
			}
		}
	case strings.HasPrefix(text, "v=DMARC1"), strings.HasPrefix(text, "v=TLSRPTv1"):
		for part := range strings.FieldsFuncSeq(text, func(r rune) bool { return r == ';' || r == ',' || r == ' ' }) {
			if i := strings.LastIndexByte(part, '@'); strings.Contains(part, "mailto:") && i > 0 {
				host, _, _ := strings.Cut(part[i+1:], "!")
				all = append(all, host)
			}
		}
	}
	return all
}

func (v *verdict) registration() {
	d, r := v.domain, v.domain.Registration
	if r == nil {
		return
	}
	if r.Ends != nil && r.Ends.Sub(v.judge.Now) < Soon {
		left := int(r.Ends.Sub(v.judge.Now).Hours() / 24)
		says := fmt.Sprintf("The registration of %s ends on %s, in %d days.", d.Name, r.Ends.Format(time.DateOnly), left)
		if left < 0 {
			says = fmt.Sprintf("The registration of %s ended on %s, %d days ago.", d.Name, r.Ends.Format(time.DateOnly), -left)
		}
		v.add(
			finding.RegistrationEnds,
			d.Name,
			says,
			"Renew it before anything else; a redirect is worth nothing on a domain that goes.",
			map[string]any{"ends": r.Ends},
		)
	}
	for _, s := range r.Status {
		plain := strings.ToLower(strings.ReplaceAll(s, " ", ""))
		if slices.Contains([]string{"clienthold", "serverhold", "redemptionperiod", "pendingdelete", "inactive"}, plain) {
			v.add(
				finding.OnHold,
				d.Name,
				fmt.Sprintf("The registry holds %s back (%s): its name servers are not published.", d.Name, s),
				"Ask the registrar why; most often a payment or a confirmation of the owner is missing.",
				map[string]any{"status": r.Status},
			)
			return
		}
	}
}

func (v *verdict) robots() {
	seen := map[string]bool{}
	for _, r := range v.domain.Robots {
		host := r.Door[strings.Index(r.Door, "://")+3:]
		if seen[host] {
			continue
		}
		seen[host] = true
		v.add(
			finding.RobotsBlocked,
			host,
			fmt.Sprintf(
				"The robots.txt of %s bars search engines from everything (%s); they would never see the redirects.",
				r.Door,
				r.Line,
			),
			"Let robots.txt redirect too, or allow everything in it, once the door forwards.",
			map[string]any{"line": r.Line},
		)
	}
}

// Bars reads a robots.txt (RFC 9309 section 2.2) and returns the line that bars everybody from everything, "" where
// none does.
func Bars(text string) string {
	everybody, fresh := false, true
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(strings.TrimSpace(line), ":")
		key, value = strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
		switch {
		case !ok:
		case key == "user-agent":
			if fresh {
				everybody = false
			}
			everybody, fresh = everybody || value == "*", false
		case key == "disallow" && everybody && (value == "/" || value == "/*"):
			return "Disallow: " + value
		case key == "disallow" || key == "allow":
			fresh = true
		}
	}
	return ""
}
