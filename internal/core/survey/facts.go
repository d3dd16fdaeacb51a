package survey

import (
	"cmp"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
)

// Odd returns what is worth knowing about a domain before a move, and no fault by itself, each with
// what to do about it.
func (d *Domain) Odd() []fact.Sentence {
	facts := slices.Concat(
		d.manyAddresses(),
		d.apexAndWWW(),
		d.fewServers(),
		d.oddTTLs(),
		d.delegations(),
		d.signedForNobody(),
		d.mailBesideWeb(),
	)
	for _, w := range d.Wildcards {
		facts = append(
			facts,
			fact.Wildcard{Name: w},
		)
	}
	said := make([]fact.Sentence, len(facts))
	for i, f := range facts {
		said[i] = fact.Of(f, fact.Says)
	}
	slices.SortFunc(said, func(a, b fact.Sentence) int { return cmp.Compare(a.String(), b.String()) })
	return said
}

// manyAddresses says which names have several addresses.
func (d *Domain) manyAddresses() []fact.Facts {
	var facts []fact.Facts
	for _, s := range d.Records {
		if (s.Type == "A" || s.Type == "AAAA") && len(s.Values) > 1 {
			facts = append(
				facts,
				fact.ManyAddresses{Name: s.Name, Type: s.Type, Values: s.Values},
			)
		}
	}
	return facts
}

// apexAndWWW says where the two differ.
func (d *Domain) apexAndWWW() []fact.Facts {
	var facts []fact.Facts
	www := "www." + d.Name
	apexOn, wwwOn := d.Addresses(d.Name), d.Addresses(www)
	_, aliased := record.Find(d.Records, www, "CNAME")
	switch {
	case len(apexOn) > 0 && len(wwwOn) > 0 && !record.SameValues(apexOn, wwwOn):
		facts = append(
			facts,
			fact.TwoMachines{Domain: d.Name, Apex: apexOn, WWW: wwwOn},
		)
	case d.Misses(www, "A") || d.Misses(www, "AAAA") || d.Misses(www, "CNAME"): // nobody knows
	case len(apexOn) > 0 && len(wwwOn) == 0 && !aliased && !slices.Contains(d.Wildcards, d.Name):
		facts = append(
			facts,
			fact.WWWMissing{Domain: d.Name},
		)
	}
	_, apexSix := record.Find(d.Records, d.Name, "AAAA")
	_, wwwSix := record.Find(d.Records, www, "AAAA")
	if apexSix != wwwSix && !aliased && !d.Misses(www, "AAAA") && !d.Misses(d.Name, "AAAA") {
		facts = append(
			facts,
			fact.OneHasIPv6{Domain: d.Name},
		)
	}
	return facts
}

// fewServers says where one machine is all that serves the zone (RFC 2182 section 5).
func (d *Domain) fewServers() []fact.Facts {
	var names, addresses []string
	for _, s := range d.Servers {
		names = append(names, s.Name)
		if s.Address != "" {
			addresses = append(addresses, s.Address)
		}
	}
	slices.Sort(names)
	slices.Sort(addresses)
	names, addresses = slices.Compact(names), slices.Compact(addresses)
	switch {
	case len(names) == 1:
		return []fact.Facts{fact.OneServer{Domain: d.Name, Server: names[0]}}
	case len(names) > 1 && len(addresses) == 1:
		return []fact.Facts{fact.OneMachine{Domain: d.Name, Servers: names, Address: addresses[0]}}
	}
	return nil
}

// mailBesideWeb says which machine receives mail at an address of the web, by a name of its own: it
// stays when the web moves, but not when the machine is given up.
func (d *Domain) mailBesideWeb() []fact.Facts {
	var facts []fact.Facts
	onWeb := slices.Concat(d.Addresses(d.Name), d.Addresses("www."+d.Name))
	mx, _ := record.Find(d.Records, d.Name, "MX")
	for _, v := range mx.Values {
		target := record.Target("MX", v)
		if target == "" || target == d.Name || target == "www."+d.Name {
			continue
		}
		for _, a := range d.Addresses(target) {
			if slices.Contains(onWeb, a) {
				facts = append(facts, fact.MailBesideWeb{Domain: d.Name, Target: target, Address: a})
				break
			}
		}
	}
	return facts
}

// aWeek is a TTL that hinders whoever wants to change something.
const aWeek = 7 * 24 * time.Hour

// oddTTLs says which records are remembered for a week or longer, and which not at all.
func (d *Domain) oddTTLs() []fact.Facts {
	var long, zero []string
	for _, s := range d.Records {
		asked := slices.Contains([]string{"A", "AAAA", "CNAME", "MX", "TXT", "NS", "HTTPS", "CAA", "SRV"},
			s.Type)
		switch {
		case !asked:
		case s.TTL >= int(aWeek.Seconds()):
			long = append(long, s.Name+" "+s.Type)
		case s.TTL == 0 && !d.Remaining:
			zero = append(zero, s.Name+" "+s.Type)
		}
	}
	var facts []fact.Facts
	if len(long) > 0 {
		facts = append(
			facts,
			fact.LongTTLs{Domain: d.Name, Records: long},
		)
	}
	if len(zero) > 0 {
		facts = append(
			facts,
			fact.ZeroTTLs{Domain: d.Name, Records: zero},
		)
	}
	return facts
}

// delegations says which names below the domain are another's.
func (d *Domain) delegations() []fact.Facts {
	var facts []fact.Facts
	for _, s := range d.Records {
		if s.Type != "NS" || s.Name == d.Name {
			continue
		}
		var servers []string
		for _, value := range s.Values {
			servers = append(servers, plainName(value))
		}
		facts = append(
			facts,
			fact.PartDelegated{Name: s.Name, Servers: servers},
		)
	}
	return facts
}

// signedForNobody says where a zone has keys, and the parent zone no DS record that would have
// anybody check.
func (d *Domain) signedForNobody() []fact.Facts {
	_, keys := record.Find(d.Records, d.Name, "DNSKEY")
	if !keys || d.Parent.Server == "" || len(d.Parent.DS) > 0 {
		return nil
	}
	return []fact.Facts{fact.SignedForNobody{Domain: d.Name}}
}
