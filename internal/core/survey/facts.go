package survey

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
)

// Odd returns what is worth knowing about a domain before a move, and no fault by itself, each with
// what to do about it.
func (d *Domain) Odd() []string {
	facts := slices.Concat(
		d.manyAddresses(),
		d.apexAndWWW(),
		d.fewServers(),
		d.oddTTLs(),
		d.delegations(),
		d.signedForNobody(),
	)
	for _, w := range d.Wildcards {
		facts = append(
			facts,
			fmt.Sprintf("Every name below %s answers (a wildcard): a name that is missing is not noticed.",
				w),
		)
	}
	slices.Sort(facts)
	return facts
}

// manyAddresses says which names have several addresses.
func (d *Domain) manyAddresses() []string {
	var facts []string
	for _, s := range d.Records {
		if (s.Type == "A" || s.Type == "AAAA") && len(s.Values) > 1 {
			facts = append(
				facts,
				fmt.Sprintf(
					"%s has %d %s records (%s): a move has to change all of them, or visitors get one or the "+
						"other by chance.",
					s.Name,
					len(s.Values),
					s.Type,
					strings.Join(s.Values, ", "),
				),
			)
		}
	}
	return facts
}

// apexAndWWW says where the two differ.
func (d *Domain) apexAndWWW() []string {
	var facts []string
	www := "www." + d.Name
	apexOn, wwwOn := d.Addresses(d.Name), d.Addresses(www)
	_, aliased := record.Find(d.Records, www, "CNAME")
	switch {
	case len(apexOn) > 0 && len(wwwOn) > 0 && !record.SameValues(apexOn, wwwOn):
		facts = append(
			facts,
			fmt.Sprintf(
				"%s and its www are on different machines: %s and %s. Take care of both when you move it.",
				d.Name,
				strings.Join(apexOn, ", "),
				strings.Join(wwwOn, ", "),
			),
		)
	case d.Misses(www, "A") || d.Misses(www, "AAAA") || d.Misses(www, "CNAME"): // nobody knows
	case len(apexOn) > 0 && len(wwwOn) == 0 && !aliased && !slices.Contains(d.Wildcards, d.Name):
		facts = append(
			facts,
			fmt.Sprintf("%s has addresses, and www.%s has none: whoever types www meets nothing. Create it.",
				d.Name, d.Name),
		)
	}
	_, apexSix := record.Find(d.Records, d.Name, "AAAA")
	_, wwwSix := record.Find(d.Records, www, "AAAA")
	if apexSix != wwwSix && !aliased && !d.Misses(www, "AAAA") && !d.Misses(d.Name, "AAAA") {
		facts = append(
			facts,
			fmt.Sprintf(
				"Only one of %s and its www has an IPv6 address: a move that thinks of A records alone "+
					"would leave it behind.",
				d.Name,
			),
		)
	}
	return facts
}

// fewServers says where one machine is all that serves the zone (RFC 2182 section 5).
func (d *Domain) fewServers() []string {
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
		return []string{
			fmt.Sprintf("%s has a single name server (%s): while it is down, nothing of the domain can "+
				"be reached. "+
				"Have the provider name a second one, in another network.", d.Name, names[0]),
		}
	case len(names) > 1 && len(addresses) == 1:
		return []string{
			fmt.Sprintf("The name servers of %s (%s) are one machine (%s): while it is down, nothing of "+
				"the domain can "+
				"be reached. Have the provider name another, in another network.", d.Name,
				strings.Join(names, ", "), addresses[0]),
		}
	}
	return nil
}

// aWeek is a TTL that hinders whoever wants to change something.
const aWeek = 7 * 24 * time.Hour

// oddTTLs says which records are remembered for a week or longer, and which not at all.
func (d *Domain) oddTTLs() []string {
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
	var facts []string
	if len(long) > 0 {
		facts = append(
			facts,
			fmt.Sprintf("Resolvers remember these records of %s for a week or longer: %s. Lower the TTL "+
				"that long "+
				"before you change them.", d.Name, wording.Few(long, 5)),
		)
	}
	if len(zero) > 0 {
		facts = append(
			facts,
			fmt.Sprintf("These records of %s have a TTL of 0 s, so that nobody remembers them and every "+
				"visitor "+
				"waits for them: %s. Give them some minutes at least.", d.Name, wording.Few(zero, 5)),
		)
	}
	return facts
}

// delegations says which names below the domain are another's.
func (d *Domain) delegations() []string {
	var facts []string
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
			fmt.Sprintf("%s is delegated to other name servers (%s): its records are not in this zone. "+
				"Survey it "+
				"as a domain of its own if it is to move.", s.Name, wording.Few(servers, 5)),
		)
	}
	return facts
}

// signedForNobody says where a zone has keys, and the parent zone no DS record that would have
// anybody check.
func (d *Domain) signedForNobody() []string {
	_, keys := record.Find(d.Records, d.Name, "DNSKEY")
	if !keys || d.Parent.Server == "" || len(d.Parent.DS) > 0 {
		return nil
	}
	return []string{
		fmt.Sprintf("%s is signed, but the parent zone has no DS record, so that nobody checks the "+
			"signatures. Have the "+
			"registrar set it if that is wanted; a move needs nothing.", d.Name),
	}
}
