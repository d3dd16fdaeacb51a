package survey

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/robots"
)

// Soon is how long before its end a registration is worth a warning.
const Soon = 60 * 24 * time.Hour

func (v *judging) registration() {
	d, r := v.domain, v.domain.Registration
	if r == nil {
		return
	}
	if r.Ends != nil && r.Ends.Sub(v.judge.Now) < Soon {
		left := r.Ends.Sub(v.judge.Now)
		var facts fact.Facts = fact.RegistrationEnding{Domain: d.Name, Ends: *r.Ends, In: left}
		if left < 0 {
			facts = fact.RegistrationEnded{Domain: d.Name, Ends: *r.Ends, Ago: -left}
		}
		v.add(finding.RegistrationEnds, d.Name, facts)
	}
	if len(r.NameServers) > 0 && len(d.Parent.Servers) > 0 &&
		!sameNames(r.NameServers, d.Parent.Servers) {
		v.add(
			finding.SplitAnswers,
			d.Name,
			fact.RegistrationDiffers{Registration: r.NameServers, Parent: d.Parent.Servers},
		)
	}
	v.heldBack()
	v.locked()
}

// sameNames reports whether two lists hold the same names, whatever their order and case.
func sameNames(a, b []string) bool {
	fold := func(all []string) []string {
		names := make([]string, len(all))
		for i, name := range all {
			names[i] = plainName(name)
		}
		slices.Sort(names)
		return slices.Compact(names)
	}
	return slices.Equal(fold(a), fold(b))
}

// locked finds a lock against a transfer to another registrar (RFC 8056, RFC 5731 section 2.3).
func (v *judging) locked() {
	var locks []string
	for _, s := range v.domain.Registration.Status {
		if strings.Contains(plainStatus(s), "transferprohibited") {
			locks = append(locks, s)
		}
	}
	if len(locks) > 0 {
		v.add(
			finding.TransferLocked,
			v.domain.Name,
			fact.Locked{Status: v.domain.Registration.Status, Domain: v.domain.Name, Locks: locks},
		)
	}
}

func plainStatus(s string) string { return strings.ToLower(strings.ReplaceAll(s, " ", "")) }

// The states of domains that the registry does not publish (RFC 8056).
var heldBack = []string{"clienthold", "serverhold", "redemptionperiod", "pendingdelete", "inactive"}

func held(status []string) bool {
	return slices.ContainsFunc(status, func(s string) bool {
		return slices.Contains(heldBack, plainStatus(s))
	})
}

// heldBack finds domains that the registry does not publish.
func (v *judging) heldBack() {
	d, r := v.domain, v.domain.Registration
	if !held(r.Status) {
		return
	}
	v.add(
		finding.OnHold,
		d.Name,
		fact.HeldByRegistry{Status: r.Status, Domain: d.Name},
	)
}

func (v *judging) robots() {
	seen := map[string]bool{}
	for _, r := range v.domain.Robots {
		host := r.Door[strings.Index(r.Door, "://")+3:]
		if seen[host] {
			continue
		}
		seen[host] = true
		v.add(
			finding.RobotsBlocked,
			host,
			fact.RobotsHideRedirects{Line: r.Line, Door: r.Door},
		)
	}
}

// Bars reads a robots.txt (RFC 9309 section 2.2) and returns the line that bars everybody from
// everything, "" where none does.
func Bars(text string) string { return robots.Parse(text, "*").BarsAll() }
