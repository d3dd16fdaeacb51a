package world

import (
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/record"
)

// Issuance is what the CAA records that hold for a name say (RFC 8659): who may issue, with what
// limits.
type Issuance struct {
	At     string   // the name where the records stand; "" where there are none, and everybody may
	May    []string // the issuers that may
	Limits []string // of account and method (RFC 8657), as they stand
	Bars   bool     // nobody may, whoever asks
	// properties that nobody knows and that have to be known (RFC 8659 section 4.1): they bar
	// everybody
	Critical []string
}

// Allows reports whether an issuer may issue.
func (i Issuance) Allows(issuer string) bool {
	return i.At == "" ||
		!i.Bars && slices.ContainsFunc(i.May, func(m string) bool { return strings.EqualFold(m, issuer) })
}

// IssuanceOf climbs from a name up to the zone's apex until CAA records are found (RFC 8659 section
// 3), and reads them. A name that starts with "*." is asked about as a wildcard.
func IssuanceOf(name string, records []record.Set) Issuance {
	plain, wild := strings.CutPrefix(name, "*.")
	for at := plain; at != ""; {
		if s, ok := record.Find(records, at, "CAA"); ok {
			return readCAA(s, wild)
		}
		_, at, _ = strings.Cut(at, ".")
	}
	return Issuance{}
}

func readCAA(s record.Set, wild bool) Issuance {
	i := Issuance{At: s.Name}
	tag := "issue"
	values := map[string][]string{}
	for _, v := range s.Values {
		f := strings.SplitN(v, " ", 3)
		if len(f) != 3 {
			continue
		}
		kind := strings.ToLower(f[1])
		values[kind] = append(values[kind], record.Unquote(f[2]))
		known := slices.Contains(
			[]string{"issue", "issuewild", "iodef", "contactemail", "contactphone", "issuemail", "issuevmc"},
			kind,
		)
		if flags, err := strconv.Atoi(f[0]); err == nil && flags&128 != 0 && !known {
			i.Bars, i.Critical = true, append(i.Critical, f[1])
		}
	}
	if wild && len(values["issuewild"]) > 0 {
		tag = "issuewild"
	}
	if len(values[tag]) == 0 && !i.Bars {
		return Issuance{} // nothing restricts this kind of certificate
	}
	for _, v := range values[tag] {
		issuer, limits, limited := strings.Cut(v, ";")
		if issuer = strings.TrimSpace(issuer); issuer == "" {
			continue
		}
		i.May = append(i.May, issuer)
		if limits = strings.TrimSpace(limits); limited && limits != "" {
			i.Limits = append(i.Limits, issuer+": "+limits)
		}
	}
	i.Bars = i.Bars || len(i.May) == 0
	return i
}

// issuer gives who issues the certificates of a carrier, "" where nobody says.
func (w *World) issuer(carrier string) string {
	c := w.estate.Carrier(carrier)
	switch {
	case c == nil:
		return ""
	case c.Issuer == "":
		for _, s := range w.estate.Sites() {
			if c == s.Carrier {
				return s.Issuer
			}
		}
	}
	return c.Issuer
}

// mayIssue tells what the CAA records say now that hold for a name; false where nobody knows.
func (w *World) mayIssue(name string) (Issuance, bool) {
	z := w.zoneAt(strings.TrimPrefix(name, "*."))
	if z == nil || z.unseen {
		return Issuance{}, false
	}
	var sets []record.Set
	for owner, all := range z.sets {
		for _, s := range all {
			if s.Type == "CAA" {
				set := record.Set{Name: owner, Type: s.Type}
				for _, v := range s.Values {
					set.Values = append(set.Values, v.Text)
				}
				sets = append(sets, set)
			}
		}
	}
	if slices.ContainsFunc(sets, func(s record.Set) bool {
		return z.missed[record.Key{Name: s.Name, Type: "CAA"}]
	}) {
		return Issuance{}, false
	}
	return IssuanceOf(name, sets), true
}
