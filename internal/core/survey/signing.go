package survey

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
)

// EndsSoon is how long before its end a signature is worth a warning. One that is made anew every
// few days, as signers do that sign while they answer, is not.
const (
	EndsSoon  = 7 * 24 * time.Hour
	madeAnew  = 72 * time.Hour
	showsName = "2 January 2006 15:04 MST"
)

// signing finds zones of which resolvers that check signatures see nothing, or soon will.
func (v *judging) signing() {
	d := v.domain
	if v.staleDS() {
		return
	}
	s := d.Signing
	if s == nil || len(d.Parent.DS) == 0 && len(s.Barred) == 0 {
		return // nobody checks
	}
	var worst *Signature
	for i := range s.Signatures {
		if one := &s.Signatures[i]; !one.Ends.IsZero() && (worst == nil || one.Ends.Before(worst.Ends)) {
			worst = one
		}
	}
	early := slices.IndexFunc(s.Signatures, func(s Signature) bool {
		return s.From.After(v.judge.Now)
	})
	faulty := slices.IndexFunc(s.Signatures, func(s Signature) bool { return s.Fault != "" })
	now := v.judge.Now
	evidence := map[string]any{"signatures": s.Signatures, "barred": s.Barred}
	const anew = "Have the provider sign the zone again at once; where they cannot, " +
		"have the registrar remove the DS record."
	switch {
	case worst != nil && worst.Ends.Before(now):
		v.bad(
			finding.SignatureExpired,
			fmt.Sprintf("The signature of %s %s expired on %s, %s ago%s.", worst.Name, worst.Type,
				worst.Ends.UTC().Format(showsName), wording.Span(now.Sub(worst.Ends)), s.whoFinds()),
			anew,
			evidence,
		)
	case early >= 0:
		one := s.Signatures[early]
		v.bad(
			finding.StaleDS,
			fmt.Sprintf("The signature of %s %s holds only from %s on, in %s%s.", one.Name, one.Type,
				one.From.UTC().Format(showsName), wording.Span(one.From.Sub(now)), s.whoFinds()),
			"Have the provider set the clock of whoever signs the zone, and sign it again.",
			evidence,
		)
	case faulty >= 0:
		one := s.Signatures[faulty]
		v.bad(
			finding.StaleDS,
			fmt.Sprintf("The signature of %s %s does not hold: %s%s.", one.Name, one.Type, one.Fault,
				s.whoFinds()),
			anew,
			evidence,
		)
	case len(s.Barred) > 0:
		v.bad(
			finding.StaleDS,
			fmt.Sprintf(
				"%s: no answer about %s unless asked not to check its signatures, though none of those that "+
					"were looked "+
					"at has ended.",
				strings.Join(s.Barred, ", "),
				d.Name,
			),
			"Have the provider find out why its signatures are not taken; until then have the registrar "+
				"remove the DS record.",
			evidence,
		)
	case worst != nil && worst.Ends.Sub(now) < EndsSoon && worst.Ends.Sub(worst.From) > madeAnew:
		v.tally.Add(finding.New(
			finding.SignatureExpired,
			d.Name,
			fmt.Sprintf(
				"The signature of %s %s expires on %s, in %s, unless the zone is signed again before then.",
				worst.Name,
				worst.Type,
				worst.Ends.UTC().Format(showsName),
				wording.Span(worst.Ends.Sub(now)),
			),
			"Make sure that whoever signs the zone does so in time, before you change anything else.",
			evidence,
		).As(finding.Warning))
	}
}

// bad adds a finding about signatures that resolvers do not take.
func (v *judging) bad(code finding.Code, says, fix string, evidence map[string]any) {
	v.unsigned = code
	v.tally.Add(finding.New(code, v.domain.Name, says, fix,
		evidence).GroupedBy(signatures + v.domain.Name))
}

// whoFinds says who does not get an answer because of it.
func (s *Signing) whoFinds() string {
	if len(s.Barred) == 0 {
		return "; resolvers that check signatures find nothing there"
	}
	return "; " + strings.Join(s.Barred, " and ") + " finds nothing there"
}

// staleDS finds a DS record of the parent zone that no key of the zone fits.
func (v *judging) staleDS() bool {
	d := v.domain
	answered := slices.ContainsFunc(d.Servers, func(s Server) bool { return s.State == Answers })
	matched := slices.ContainsFunc(d.Parent.DS, func(ds DS) bool { return ds.Matched })
	if len(d.Parent.DS) == 0 || matched || !answered && d.Source != Resolver {
		return false
	}
	v.bad(
		finding.StaleDS,
		fmt.Sprintf(
			"%s says that %s is signed (DS), but the zone holds no key that fits; resolvers that check "+
				"signatures find "+
				"nothing there.",
			d.Parent.Zone,
			d.Name,
		),
		"Have the registrar remove the DS record, or sign the zone with the key that it stands for.",
		map[string]any{"ds": d.Parent.DS},
	)
	return true
}
