package survey

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
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
		says := fmt.Sprintf(
			"The registration of %s expires on %s, in %s.",
			d.Name,
			r.Ends.Format(time.DateOnly),
			wording.Span(left),
		)
		if left < 0 {
			says = fmt.Sprintf(
				"The registration of %s expired on %s, %s ago.",
				d.Name,
				r.Ends.Format(time.DateOnly),
				wording.Span(-left),
			)
		}
		v.add(
			finding.RegistrationEnds,
			d.Name,
			says,
			"Renew it before anything else; a redirect is worthless on a domain that is lost.",
			map[string]any{"ends": r.Ends},
		)
	}
	if len(r.NameServers) > 0 && len(d.Parent.Servers) > 0 &&
		!sameNames(r.NameServers, d.Parent.Servers) {
		v.add(
			finding.SplitAnswers,
			d.Name,
			fmt.Sprintf("The registration names the servers %s, the parent zone %s.",
				strings.Join(r.NameServers, ", "),
				strings.Join(d.Parent.Servers, ", ")),
			"Ask the registrar which is right; if somebody has just changed them, the parent zone "+
				"follows within a day.",
			map[string]any{"registration": r.NameServers, "parent": d.Parent.Servers},
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
			fmt.Sprintf("%s is locked against a transfer to another registrar (%s).", v.domain.Name,
				strings.Join(locks, ", ")),
			"Leave the lock, unless the registrar is to change: then have it unlocked first, and locked "+
				"again.",
			map[string]any{"status": v.domain.Registration.Status},
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
		fmt.Sprintf(
			"The registry has put %s on hold (%s): its name servers are not published.",
			d.Name,
			strings.Join(r.Status, ", "),
		),
		"Ask the registrar why; usually a payment or a confirmation of the owner is missing.",
		map[string]any{"status": r.Status},
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
			fmt.Sprintf(
				"The robots.txt of %s bars search engines from everything (%s); they would never see the "+
					"redirects.",
				r.Door,
				r.Line,
			),
			"Let robots.txt redirect too, or allow everything in it, once the door forwards.",
			map[string]any{"line": r.Line},
		)
	}
}

// Bars reads a robots.txt (RFC 9309 section 2.2) and returns the line that bars everybody from
// everything, "" where none does.
func Bars(text string) string {
	everybody, fresh := false, true
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(strings.TrimSpace(line), ":")
		key, value = strings.ToLower(strings.TrimSpace(key)), strings.TrimSpace(value)
		switch {
		case !ok:
		case key == "user-agent":
			if fresh {
				everybody = false
			}
			everybody, fresh = everybody || value == "*", false
		case key == "disallow" && everybody && (value == "/" || value == "/*"):
			return "Disallow: " + value
		case key == "disallow" || key == "allow":
			fresh = true
		}
	}
	return ""
}
