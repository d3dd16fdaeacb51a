package survey

import (
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

// Split gives a finding for each difference.
func Split(differences []Difference) []finding.Finding {
	var tally finding.Tally
	v := judging{domain: &Domain{Differences: differences}, tally: &tally}
	v.differences()
	return tally.Findings()
}

func (v *judging) differences() {
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
		fix := "Find out which of them is right, and have the others follow."
		about := strings.TrimSpace(diff.Name + " " + diff.Type)
		switch {
		case torn:
		case longest > 0:
			fix = fmt.Sprintf(
				"Just wait, for up to %s. It is not only you: everybody who asked before still gets the old "+
					"answer.",
				seconds(longest),
			)
		case diff.Type != "":
			fix = "Check whether this resolver answers by itself for the domain; the world follows the " +
				"name servers."
		}
		v.add(
			finding.SplitAnswers,
			about,
			fmt.Sprintf("Answers about %s differ: %s.", about, strings.Join(says, "; ")),
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

// hints finds HTTPS records whose hints name other addresses than the address records (RFC 9460
// section 7.3).
func (v *judging) hints() {
	d := v.domain
	for _, s := range d.Records {
		if s.Type != "HTTPS" && s.Type != "SVCB" {
			continue
		}
		for _, value := range s.Values {
			f := strings.Fields(value)
			if len(f) < 3 {
				continue
			}
			target := plainName(f[1])
			if target == "" { // "." is the name itself (section 2.5)
				target = s.Name
			}
			for _, param := range f[2:] {
				key, list, _ := strings.Cut(param, "=")
				kind := map[string]string{"ipv4hint": "A", "ipv6hint": "AAAA"}[strings.ToLower(key)]
				own, seen := v.find(target, kind)
				hinted := strings.Split(strings.Trim(list, `"`), ",")
				if kind == "" || !seen || record.SameValues(own.Values, hinted) {
					continue
				}
				v.add(
					finding.SplitAnswers,
					s.Name,
					fmt.Sprintf("The %s record of %s hints at %s, its %s records say %s; browsers that read it "+
						"go elsewhere than "+
						"others.", s.Type, s.Name, strings.Join(hinted, ", "), kind, strings.Join(own.Values, ", ")),
					"Take the hints out, or change them whenever the addresses change.",
					map[string]any{"hints": hinted, "addresses": own.Values},
				)
			}
		}
	}
}
