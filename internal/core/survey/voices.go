package survey

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
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
		var says []fact.Facts
		var first *Voice
		longest, torn := 0, false
		for _, voice := range diff.Voices {
			one := fact.Voice{Who: voice.Who, Values: voice.Values}
			if voice.Resolver && voice.TTL > 0 {
				one.TTL = voice.TTL
				longest = max(longest, voice.TTL)
			}
			if first != nil && !voice.Resolver && !record.SameValues(first.Values, voice.Values) {
				torn = true
			}
			if !voice.Resolver {
				first = &voice
			}
			says = append(says, one)
		}
		var advice fact.Facts = fact.FindTheRightWay{}
		about := strings.TrimSpace(diff.Name + " " + diff.Type)
		switch {
		case torn:
		case longest > 0:
			advice = fact.JustWait{TTL: longest}
		case diff.Type != "":
			advice = fact.CheckResolver{}
		}
		v.add(
			finding.SplitAnswers,
			about,
			fact.VoicesDiffer{About: about, Says: says, Advice: advice},
			map[string]any{"voices": diff.Voices},
		)
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
					fact.HintsDiffer{Hints: hinted, Addresses: own.Values, Type: s.Type, Name: s.Name, Kind: kind},
				)
			}
		}
	}
}
