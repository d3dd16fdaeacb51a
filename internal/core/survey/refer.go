package survey

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
)

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

func lastField(value string) string {
	f := strings.Fields(value)
	if len(f) == 0 {
		return ""
	}
	return f[len(f)-1]
}
