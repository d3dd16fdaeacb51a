package survey

import (
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
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
	switch {
	case worst != nil && worst.Ends.Before(now):
		v.bad(
			finding.SignatureExpired,
			fact.SignatureEnded{Name: worst.Name, Type: worst.Type, Date: worst.Ends,
				Ago: now.Sub(worst.Ends), For: s.whoFinds()}, evidence,
		)
	case early >= 0:
		one := s.Signatures[early]
		v.bad(
			finding.StaleDS,
			fact.SignatureEarly{Name: one.Name, Type: one.Type, Date: one.From, In: one.From.Sub(now),
				For: s.whoFinds()}, evidence,
		)
	case faulty >= 0:
		one := s.Signatures[faulty]
		v.bad(
			finding.StaleDS,
			fact.SignatureWrong{Name: one.Name, Type: one.Type, Fault: one.Fault, For: s.whoFinds()},
			evidence,
		)
	case len(s.Barred) > 0 && len(d.Parent.DS) == 0 && d.Parent.Server != "":
		v.bad(finding.StaleDS, fact.DSRemembered{Name: d.Name, Resolvers: s.Barred,
			Until: v.looked().Add(d.Parent.Held())}, evidence)
	case len(s.Barred) > 0:
		v.bad(
			finding.StaleDS,
			fact.SignaturesNotTaken{Resolvers: s.Barred, Name: d.Name}, evidence,
		)
	case worst != nil && worst.Ends.Sub(now) < EndsSoon && worst.Ends.Sub(worst.From) > madeAnew:
		v.tally.Add(finding.New(
			finding.SignatureExpired,
			d.Name,
			fact.SignatureEnding{Name: worst.Name, Type: worst.Type, Date: worst.Ends,
				In: worst.Ends.Sub(now)}, evidence,
		).As(finding.Warning))
	}
}

// looked gives when the domain was looked at.
func (v *judging) looked() time.Time {
	if v.domain.Looked.IsZero() {
		return v.judge.Now
	}
	return v.domain.Looked
}

// UsualTTL is for how long registries commonly have their records held.
const UsualTTL = 24 * time.Hour

// Held gives for how long, at most, resolvers hold what the parent zone said of a domain.
func (p *Parent) Held() time.Duration {
	return max(time.Duration(p.TTL)*time.Second, UsualTTL)
}

// bad adds a finding about signatures that resolvers do not take.
func (v *judging) bad(code finding.Code, facts fact.Facts, evidence map[string]any) {
	v.unsigned = code
	v.tally.Add(finding.New(code, v.domain.Name, facts,
		evidence).GroupedBy(signatures + v.domain.Name))
}

// whoFinds tells who does not get an answer because of it.
func (s *Signing) whoFinds() fact.Facts { return fact.NobodyFinds{Resolvers: s.Barred} }

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
		fact.NoFittingKey{Parent: d.Parent.Zone, Name: d.Name}, map[string]any{"ds": d.Parent.DS},
	)
	return true
}
