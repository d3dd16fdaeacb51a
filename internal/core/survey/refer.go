package survey

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
)

// Refers gives the names to which a record's value refers, in lower case without their last dot:
// targets of aliases, mail hosts, name servers and services, what an SPF record looks up, and where
// mail of reports goes. The value is as a zone file has it. "." refers to nothing.
func Refers(kind, value string) []string {
	var all []string
	switch {
	case record.Refers(kind):
		all = record.Names(kind, value)
	case kind == "CAA":
		all = addressees(record.Unquote(lastField(value)))
	case kind == "TXT":
		all = textNames(record.Unquote(value))
	}
	names := all[:0]
	for _, name := range all {
		if name = plainName(name); name != "" {
			names = append(names, name)
		}
	}
	return names
}

// RefersByAddress gives those of the names to which a record's value refers of which the addresses
// matter: not those whose texts or mail do.
func RefersByAddress(kind, value string) []string {
	switch kind {
	case "CAA":
		return nil
	case "TXT":
		var all []string
		for _, t := range spf.Terms(record.Unquote(value)) {
			if t.Name == "a" && !t.Modifier && t.Domain != "" && spf.Is(record.Unquote(value)) {
				all = append(all, t.Domain)
			}
		}
		return all
	}
	return Refers(kind, value)
}

// textNames gives the names to which an SPF, DMARC or TLS reporting record refers.
func textNames(text string) []string {
	switch {
	case spf.Is(text):
		var all []string
		for _, t := range spf.Terms(text) {
			if name := t.Domain; name != "" && (t.LooksUp() || t.Name == "exp") {
				_, behind, macro := cutLast(name, "}") // what stands behind a macro is a name, too (section 7)
				if macro {
					name = strings.TrimPrefix(behind, ".")
				}
				all = append(all, name)
			}
		}
		return all
	case strings.HasPrefix(text, "v=DMARC1"), strings.HasPrefix(text, "v=TLSRPTv1"):
		return addressees(text)
	}
	return nil
}

func cutLast(s, sep string) (before, after string, found bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}

// addressees gives the hosts of the mailto: URIs in a text.
func addressees(text string) []string {
	var all []string
	for part := range strings.FieldsFuncSeq(text, func(r rune) bool {
		return r == ';' || r == ',' || r == ' '
	}) {
		if _, host, found := cutLast(part, "@"); found && strings.Contains(part, "mailto:") {
			host, _, _ = strings.Cut(host, "!") // the most octets of a report (RFC 7489 section 6.2)
			all = append(all, host)
		}
	}
	return all
}

// dependsOn finds what refers to another domain of the estate, which is about to change.
func (v *judging) dependsOn() {
	d := v.domain
	estate := map[string]bool{}
	for _, other := range v.judge.Estate {
		estate[other] = other != d.Name && other != v.judge.Stays
	}
	refer := func(what, where, target string) {
		for other := target; other != ""; _, other, _ = strings.Cut(other, ".") {
			if !estate[other] {
				continue
			}
			v.add(
				finding.DependedOn,
				other,
				fact.RecordRefers{Name: where, Target: target, Type: what},
			)
		}
	}
	for _, s := range d.Records {
		for _, value := range s.Values {
			for _, target := range Refers(s.Type, value) {
				refer(s.Type, s.Name, target)
			}
		}
	}
}

func lastField(value string) string {
	f := strings.Fields(value)
	if len(f) == 0 {
		return ""
	}
	return f[len(f)-1]
}
