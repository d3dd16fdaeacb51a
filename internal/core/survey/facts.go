package survey

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
)

// Odd returns what is worth knowing about a domain before a move, and no fault by itself: several addresses, apex and
// www on different machines, IPv6 at one of them only, wildcards, a record of a kind that forwards or hides.
func (d *Domain) Odd() []string {
	var facts []string
	www := "www." + d.Name
	apexOn, wwwOn := d.addresses(d.Name), d.addresses(www)
	for _, s := range d.Records {
		if (s.Type == "A" || s.Type == "AAAA") && len(s.Values) > 1 {
			facts = append(
				facts,
				fmt.Sprintf(
					"%s has %d %s records (%s): a move has to change all of them, or visitors get one or the other by chance.",
					s.Name,
					len(s.Values),
					s.Type,
					strings.Join(s.Values, ", "),
				),
			)
		}
	}
	_, aliased := record.Find(d.Records, www, "CNAME")
	switch {
	case len(apexOn) > 0 && len(wwwOn) > 0 && !record.SameValues(apexOn, wwwOn):
		facts = append(
			facts,
			fmt.Sprintf(
				"%s and its www are on different machines: %s and %s.",
				d.Name,
				strings.Join(apexOn, ", "),
				strings.Join(wwwOn, ", "),
			),
		)
	case d.Misses(www, "A") || d.Misses(www, "AAAA") || d.Misses(www, "CNAME"): // nobody knows
	case len(apexOn) > 0 && len(wwwOn) == 0 && !aliased && !slices.Contains(d.Wildcards, d.Name):
		facts = append(facts, fmt.Sprintf("%s has addresses, and www.%s has none.", d.Name, d.Name))
	}
	_, apexSix := record.Find(d.Records, d.Name, "AAAA")
	_, wwwSix := record.Find(d.Records, www, "AAAA")
	if apexSix != wwwSix && !aliased && !d.Misses(www, "AAAA") && !d.Misses(d.Name, "AAAA") {
		facts = append(
			facts,
			fmt.Sprintf(
				"Only one of %s and its www has an IPv6 address: a move that thinks of A records alone would leave it behind.",
				d.Name,
			),
		)
	}
	for _, w := range d.Wildcards {
		facts = append(
			facts,
			fmt.Sprintf("Every name below %s answers (a wildcard): a name that is missing is not noticed.", w),
		)
	}
	slices.Sort(facts)
	return facts
}
