package words

import (
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/wording"
)

// Note says a note of a plan, with commands marked.
func Note(n act.Note) string {
	switch n.Notice {
	case act.LeftAsItIs:
		return n.Names[0] + " is left as it is (state: leave)."
	case act.SaidAlready:
		return format("Line %d of the rules repeats line %d.", n.Lines[0], n.Lines[1])
	case act.NobodySawAny:
		return format(
			"Nobody has looked at the zones yet, so the plan gives records but no changes. Run " +
				"`upperpath survey`, or " +
				"give a zone file: `upperpath plan --zone FILE`.",
		)
	case act.NoZoneYet:
		return format(
			"%s: the parent zone knows no such domain, so the plan builds the zone from nothing. Check "+
				"at the registrar that the domain is registered and neither expired nor on hold.",
			wording.Few(n.Names, 8),
		)
	case act.SurveySawNone:
		return format(
			"The survey saw nothing of the zones of %s, so the plan gives records but no changes. The "+
				"survey says why "+
				"(`upperpath survey --list`, `--show`). Survey again, or give a zone file: `upperpath plan "+
				"--zone FILE`.",
			wording.Few(n.Names, 8),
		)
	case act.TTLsRemaining:
		return format(
			"%s was seen through a resolver, so its TTLs are only what was left of them. Where no longer "+
				"TTL was seen, the plan waits a day. If the provider's page shows a longer TTL, wait that "+
				"long.",
			n.Names[0],
		)
	case act.HSTSGoesOn:
		var steps []string
		for i, day := range n.Names[:min(len(n.Names), len(n.Values))] {
			steps = append(steps, n.Values[i]+" from "+day+" on")
		}
		return format("policy.hsts goes on: %s. Write the servers' configuration again on that day "+
			"(`upperpath write`) and reload it; an audit says where it is behind.", wording.And(steps))
	case act.StillLooping:
		return format(
			"Browsers that met the loop at %s keep it after the move, until "+
				"cleared: `upperpath audit --returning`",
			wording.Few(n.Names, 6),
		)
	case act.IssuersUnseen:
		return format(
			"Nobody answered about the CAA records of %s, so it is unknown whether the issuer may issue "+
				"the "+
				"certificates of %s. Survey again, or check the provider's page.",
			n.Names[0],
			wording.Few(n.Names[1:], 6),
		)
	case act.NotAnswered:
		return format(
			"Nobody answered about %s of %s: its records are unknown and may be in the way. Survey again.",
			wording.Few(n.Values, 8),
			n.Names[0],
		)
	case act.ServerSilent:
		return format(
			"The next name server %s did not answer about %s, so it is unknown whether it holds what %s "+
				"needs. Survey again before the delegation changes.",
			n.Names[1],
			wording.Few(n.Values, 8),
			n.Names[0],
		)
	case act.NobodySawSome:
		return format(
			"Nobody has seen the zones of %s, so the plan gives records for them but no changes. Run "+
				"`upperpath survey`, or "+
				"give a zone file: `upperpath plan --zone FILE`.",
			strings.Join(n.Names, ", "),
		)
	case act.SiteUnplaced:
		return format(
			"The estate file does not say where the site lives (site.addresses or site.alias), so there "+
				"is no record for %s.",
			n.Names[0],
		)
	case act.ThroughUnseen:
		return format(
			"The zone file does not say which names go through the network, and nobody looked at the doors "+
				"of %s. Check on its page that they do.",
			strings.Join(n.Names, ", "),
		)
	case act.MailUnseen:
		return format(
			"Nobody has seen whether %s receives or sends mail. Survey it before you type the records "+
				"that say it does not.",
			n.Names[0],
		)
	case act.WildcardUnshown:
		return format(
			"Every name below %[1]s answers (a wildcard), but nobody showed its record. Look for *.%[1]s "+
				"on the provider's page, and remove it unless somebody needs it.",
			n.Names[0],
		)
	case act.IssuerUnknown:
		return format(
			"The CAA records at %s let only %s issue certificates; the estate file does not say who "+
				"issues those of %s "+
				"(issuer:).",
			n.Names[0],
			n.Names[1],
			n.Names[2],
		)
	case act.ServersUnasked:
		return format(
			"The next name servers %s of %s have not been asked yet. Create the zone there (`upperpath "+
				"write zone`), then survey again: they must agree before the delegation changes.",
			strings.Join(n.Values, " and "),
			n.Names[0],
		)
	}
	return ""
}
