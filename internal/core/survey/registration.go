package survey

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
)

// Soon is how long before its end a registration is worth a warning.
const Soon = 60 * 24 * time.Hour

func (v *verdict) registration() {
	d, r := v.domain, v.domain.Registration
	if r == nil {
		return
	}
	if r.Ends != nil && r.Ends.Sub(v.judge.Now) < Soon {
		left := int(r.Ends.Sub(v.judge.Now).Hours() / 24)
		says := fmt.Sprintf("The registration of %s ends on %s, in %d days.", d.Name, r.Ends.Format(time.DateOnly), left)
		if left < 0 {
			says = fmt.Sprintf("The registration of %s ended on %s, %d days ago.", d.Name, r.Ends.Format(time.DateOnly), -left)
		}
		v.add(
			finding.RegistrationEnds,
			d.Name,
			says,
			"Renew it before anything else; a redirect is worth nothing on a domain that goes.",
			map[string]any{"ends": r.Ends},
		)
	}
	for _, s := range r.Status {
		plain := strings.ToLower(strings.ReplaceAll(s, " ", ""))
		if slices.Contains([]string{"clienthold", "serverhold", "redemptionperiod", "pendingdelete", "inactive"}, plain) {
			v.add(
				finding.OnHold,
				d.Name,
				fmt.Sprintf("The registry holds %s back (%s): its name servers are not published.", d.Name, s),
				"Ask the registrar why; most often a payment or a confirmation of the owner is missing.",
				map[string]any{"status": r.Status},
			)
			return
		}
	}
}

func (v *verdict) robots() {
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
				"The robots.txt of %s bars search engines from everything (%s); they would never see the redirects.",
				r.Door,
				r.Line,
			),
			"Let robots.txt redirect too, or allow everything in it, once the door forwards.",
			map[string]any{"line": r.Line},
		)
	}
}

// Bars reads a robots.txt (RFC 9309 section 2.2) and returns the line that bars everybody from everything, "" where
// none does.
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
