package report

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
)

// What the core means by reasons, notes, checks and steps is said here, and nowhere else: in words, and with the
// commands as they are typed.

// reasonWords gives a sentence for each reason.
var reasonWords = map[plan.Why]func(r plan.Reason) string{
	plan.AliasGivesAlready: by("The provider's alias gives the addresses of %s already."),
	plan.FollowsDoor: func(r plan.Reason) string {
		return fmt.Sprintf("It follows %s, which leads to %s.", r.Name,
			r.Carrier)
	},
	plan.Harmless:     always("It names no address, and does no harm."),
	plan.LeadsAlready: by("It leads to %s already."),
	plan.CrowdsAlias: always("An alias stands alone at its name (RFC 1034 section 3.6.2). " +
		"Do not type this before the finding about it is settled."),
	plan.NamesItself: always("It gives browsers addresses or a name of its own (RFC 9460), " +
		"which lead to the old machine whatever A and AAAA say."),
	plan.AliasBefore: by("An alias stands alone: it has to go before the addresses of %s come."),
	plan.SecondWay: always(
		"An address beside the alias would be a second way: visitors get one or the other by chance.",
	),
	plan.StillOldIPv6: by("It still leads to the old machine, for everybody with IPv6; %s has no IPv6 address."),
	plan.StillOld:     by("It still leads to the old machine; %s has no such address."),
	plan.AliasReplaced: by(
		"One alias is replaced by the other; a second one beside it would break the name. From now on it leads to %s.",
	),
	plan.LeftOver: func(r plan.Reason) string {
		return fmt.Sprintf(
			"%s would be left over: visitors get the one or the other address by chance.",
			strings.Join(r.Values, ", "),
		)
	},
	plan.Incomplete: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Only %d of the %d addresses of %s are there; all of them form one record set.",
			r.Count,
			r.Of,
			r.Carrier,
		)
	},
	plan.LeadsFromNow: by("From now on it leads to %s."),
	plan.AllGo: func(r plan.Reason) string {
		all := fmt.Sprintf("All %d", r.Count)
		if r.Count == 2 {
			all = "Both"
		}
		return all + " old addresses go; one that stays beside the new would take visitors by chance."
	},
	plan.Bypasses: by("Until then it bypasses %s, and every pattern for this host is dead."),
	plan.HiddenByWildcard: func(r plan.Reason) string {
		return fmt.Sprintf("Nobody ever created %s: the wildcard *.%s answered for it and hid that.", r.Name, r.Below)
	},
	plan.NeverCreated: func(r plan.Reason) string {
		return fmt.Sprintf("Nobody ever created %s; it leads to %s.", r.Name, r.Carrier)
	},
	plan.AddFirst: func(r plan.Reason) string {
		return fmt.Sprintf("Add %s to %s first, or a stranger's site shows there.", r.Name, r.Carrier)
	},
	plan.IPv6Too: by("%s is reached over IPv6 too; all of its addresses belong to the name."),
	plan.ClaimFirst: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Claim %s at %s first: an alias that nobody has claimed can be taken by a stranger.",
			r.Name,
			r.Carrier,
		)
	},
	plan.BelongsTo: func(r plan.Reason) string { return fmt.Sprintf("%s belongs to %s.", r.Values[0], r.Carrier) },
	plan.BelongsToForm: func(r plan.Reason) string {
		return fmt.Sprintf(
			"%s belongs to %s: delete its forwarding there, for one door has one carrier.",
			r.Values[0],
			r.Carrier,
		)
	},
	plan.TodayForwards: func(r plan.Reason) string { return fmt.Sprintf("Today it forwards to %s.", r.URL) },
	plan.TodayPage:     always("Today it shows a page of its own."),
	plan.TodayAnswers:  func(r plan.Reason) string { return fmt.Sprintf("Today it answers %d.", r.Count) },

	plan.SomebodyAsks:         always("Somebody asks for it; it is looked for in every survey."),
	plan.CarrierAsks:          by("%s asks for it."),
	plan.MayGoWithCertificate: always("It may go once the certificate is there."),
	plan.IsThere:              always("It is there."),
	plan.ReplacesAlias:        always("It replaces the alias that is there."),
	plan.JoinsSet:             always("It joins the others of its set, which stay."),
	plan.WantedUntil: func(r plan.Reason) string {
		return "It was wanted until " +
			r.Date.Format(time.DateOnly) + "."
	},
	plan.WantedUntilCertificate: always("It was wanted until the certificate is there, and it is."),
	plan.OthersStay:             always("The others of the set stay."),

	plan.LeadsToLeft: func(r plan.Reason) string {
		return fmt.Sprintf(
			"It stays for names that nobody knows, and leads them to %s, which the web leaves: find out which are used, "+
				"before that machine is switched off.",
			r.Values[0],
		)
	},
	plan.HidNames: func(r plan.Reason) string {
		return fmt.Sprintf("It hid that %s did not exist, which is created now; it stays for names that nobody knows.",
			strings.Join(r.Values, " and "))
	},
	plan.Stays: always("It stays as it is."),
	plan.StaysAtLeft: func(r plan.Reason) string {
		return fmt.Sprintf(
			"It stays, and leads on to %s, where the web is to leave: move it or give it up before that machine is switched "+
				"off.",
			r.Values[0],
		)
	},
	plan.MailAtLeft: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Mail: it stays, and needs the machine at %s, which the web is to leave: do not switch that off.",
			r.Values[0],
		)
	},
	plan.MailStays:   always("Mail: it stays as it is."),
	plan.SaysIssuers: always("It says who may issue certificates; it stays."),
	plan.StaysUnowned: always(
		"It stays, though nobody answers where it leads: claim it there, or remove it, before a stranger does.",
	),
	plan.StaysDoubled: always("It stays, though it looks like a slip: the name holds the domain twice."),
	plan.NobodyAnswered: always(
		"Nobody answered whether it is there already, or what stands in its way: survey again first.",
	),
	plan.ZoneIsNew:    always("The zone is new, and nothing is there yet."),
	plan.NobodyLooked: always("Nobody has looked whether it is there already, or what stands in its way: survey first."),

	plan.ReceivesNoMail: always("mail: none. It says that the domain receives no mail (RFC 7505)."),
	plan.SendsNoMail:    always("mail: none. It says that the domain sends no mail (RFC 7208)."),
	plan.RejectsForged:  always("mail: none. It says that the domain wants forged mail rejected (RFC 7489)."),
	plan.MailHung: func(r plan.Reason) string {
		return fmt.Sprintf("Mail hung on the address of %s, which changes; from now on it has a name of its own.", r.Name)
	},
	plan.MailWent:    always("Mail went to the web's own address, which changes; from now on it has a name of its own."),
	plan.MailOwnName: always("Mail gets a name of its own with today's address, so that the web can move."),
	plan.MailAlias: func(r plan.Reason) string {
		return fmt.Sprintf(
			"The alias followed %s, whose address changes; from now on mail has today's address of its own.",
			r.Name,
		)
	},
	plan.JoinsPolicy: always("It is joined with the policy that is there: two count as none."),
	plan.TermFollowed: func(r plan.Reason) string {
		return fmt.Sprintf("The term %q followed the web's address; today's address stands in its place.", r.Values[0])
	},

	plan.OneConfiguration: always("One configuration holds the redirects of all domains that this server carries. " +
		"It has to be there before any name points to it."),
	plan.TypeInFull: always("Type the destination in full."),
	plan.CostsMore:  costsText,
	plan.DeleteBefore: func(r plan.Reason) string {
		return fmt.Sprintf("One door has one carrier. Delete it right before the records of %s are typed: "+
			"many forms write their address back while a forwarding is there.", r.Name)
	},
	plan.AddBefore: always(
		"Add it there before any record points there: what the account does not know shows a stranger's site, and a " +
			"stranger could add it. Apex and www are two hosts.",
	),
	plan.UntilRedirected: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Until this is set, the main site of %s shows here under the old name. http and https are set apart.",
			r.Carrier,
		)
	},
	plan.ClaimBefore: always(
		"Claim it before any record points there: an alias that nobody has claimed can be taken by a stranger. " +
			"Apex and www are two hosts.",
	),
	plan.TypeThere: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Type these where the records of %s are kept, then come back and let %s look at them.",
			r.Name,
			r.Carrier,
		)
	},
	plan.BeingIssued: always(
		"The host is known there, and its records lead there: only the certificate is not there yet. It comes " +
			"by itself, most often within some minutes and within a day at most; after that see whether CAA records let its issuer " +
			"issue, and ask there.",
	),
	plan.HeldBefore: always("It holds its certificate before the records point to it."),
	plan.HeldAfter: always(
		"It asks for the certificates only once the records lead there; until they are issued, visitors by https " +
			"meet a warning. Ask for them at once, and look every few minutes.",
	),
	plan.PrimaryRedirects: always(
		"The others redirect to the primary host, path and query kept; http goes straight to https.",
	),
	plan.AfterCertificates: always("It accepts this only once the certificates are there."),
	plan.TakesZone: by(
		"%s takes the zone over: it answers for all names of it, and everything that the zone holds today has to be " +
			"there first (upperpath write zone).",
	),
	plan.HeldFirst: always(
		"It has to be there before the first visitor: most browsers come by https. Apex and www are two names.",
	),
	plan.PatternTakes: func(r plan.Reason) string {
		return fmt.Sprintf("It takes %s: %s.", strings.Join(r.Values, " and "), r.Name)
	},
	plan.FirstStar: always(
		"The first star is what stands before the apex, www. or nothing, and is $1; what follows in the path starts at $2.",
	),
	plan.StarWider: func(r plan.Reason) string {
		return fmt.Sprintf("A star takes more than the rule does: %s as well.", r.URL)
	},
	plan.StarBeforeName: func(r plan.Reason) string {
		return fmt.Sprintf(
			"The star before the name takes whatever ends in %s, so any%s and every host below it as well: if "+
				"another of them goes through the network, type both names instead.",
			r.Name,
			r.Name,
		)
	},
	plan.ExactWithQuery: func(r plan.Reason) string {
		return fmt.Sprintf("It has to match with any query; where the form compares whole URLs, type %s too.", r.Name)
	},
	plan.OriginNeedsCertificate: always(
		"What is behind it needs a certificate for these names too, or visitors get an error page of the network.",
	),
	plan.OriginMustNotUpgrade: always(
		"What is behind it is asked by http even for visitors who came by https: if it sends http to https, they go in circles.",
	),
	plan.ProofByDNS: always(
		"The names do not lead to this server yet, so the issuer has to be convinced by DNS: a TXT record, " +
			"whose value it gives, at these names. Then nobody meets a warning on the day of the move.",
	),
	plan.IssuedAfter: always(
		"The certificate can be had only after the names lead here: until it is issued, most often some minutes, " +
			"everybody who comes by https meets a warning. Issue it by DNS beforehand if you can (certificate: before).",
	),
	plan.PutByHand:   always("Somebody puts it there by hand, before the names lead here."),
	plan.AlsoAnswers: always("The site answers under this name too; it must redirect, or search engines find two sites."),
	plan.FitsNoKey: always("It fits no key of the zone: resolvers that check signatures find nothing there. " +
		"It goes before anything else."),
	plan.BeforeServers: func(r plan.Reason) string {
		return fmt.Sprintf("It goes %s before the name servers change: the new ones hold other keys.", plan.Words(r.Seconds))
	},
	plan.ServersReady: always(
		"The new servers must say everything that the old ones say before this is typed; they do.",
	),
	plan.ServersNotReady: always(
		"Not yet: the new servers must say everything first. Survey again until the plan finds no difference.",
	),
	plan.ZoneThere: always("The zone is there already, with every record that it needs."),
	plan.ZoneNotThere: always(
		"First the zone has to be there, with its records; survey again, and the plan says when it is.",
	),
	plan.ServersUntilNow: func(r plan.Reason) string {
		return fmt.Sprintf(
			"Until now: %s. The old delegation lives for up to %s; leave the old servers as they are for so long.",
			strings.Join(r.Values, ", "),
			plan.Words(r.Seconds),
		)
	},
}

func always(s string) func(plan.Reason) string { return func(plan.Reason) string { return s } }

func by(format string) func(plan.Reason) string {
	return func(r plan.Reason) string { return fmt.Sprintf(format, r.Carrier) }
}

// costsText says what a destination costs that is typed with http, or without www.
func costsText(r plan.Reason) string {
	hops := func(n int) string {
		switch n {
		case plan.Nowhere:
			return "leads nowhere"
		case 1:
			return "costs a hop more"
		}
		return fmt.Sprintf("costs %d hops more", n)
	}
	says := fmt.Sprintf("With http:// it %s, and a visitor who came by https is led over plain http", hops(r.Count))
	if r.Of != plan.NoWWW {
		says += "; without www it " + hops(r.Of)
	}
	return says + "."
}

// Because says reasons, one behind the other.
func Because(all []plan.Reason) string {
	var said []string
	for _, r := range all {
		said = append(said, reasonWords[r.Why](r))
	}
	return strings.Join(said, " ")
}

// NoteText says a note of a plan.
func NoteText(n plan.Note) string {
	switch n.Notice {
	case plan.LeftAsItIs:
		return n.Names[0] + " is left as it is (state: leave)."
	case plan.SaidAlready:
		return fmt.Sprintf("Line %d of the rules says what line %d says already.", n.Lines[0], n.Lines[1])
	case plan.NobodySawAny:
		return "Nobody has looked at the zones yet, so there are records, but no changes. upperpath survey looks; plan " +
			"--zone FILE takes a zone file."
	case plan.NoZoneYet:
		return fmt.Sprintf(
			"%s: the zone above knows no such domain, so the plan makes the zone from nothing. See at the registrar that "+
				"the domain is registered, and not ended or held back.",
			some(n.Names, 8),
		)
	case plan.SurveySawNone:
		return fmt.Sprintf(
			"The survey saw nothing of the zones of %s, so that there are records, but no changes. See the "+
				"survey for why (upperpath survey --list, --show), and survey again; plan --zone FILE takes a zone file.",
			some(n.Names, 8),
		)
	case plan.TTLsRemaining:
		return fmt.Sprintf(
			"%s was seen through a resolver, so that its TTLs are what was left of them. A day is waited where no "+
				"longer one was seen; if the provider's page shows a longer TTL, wait that long.",
			n.Names[0],
		)
	case plan.IssuersUnseen:
		return fmt.Sprintf(
			"Nobody answered about the CAA records of %s, so that it is unknown whether the issuer may issue the "+
				"certificates of %s. Survey again, or look at the provider's page.",
			n.Names[0],
			some(n.Names[1:], 6),
		)
	case plan.NotAnswered:
		return fmt.Sprintf(
			"Nobody answered about %s of %s: what stands there is unknown, and may be in the way. Survey again.",
			some(n.Values, 8),
			n.Names[0],
		)
	case plan.ServerSilent:
		return fmt.Sprintf(
			"The new name server %s did not answer about %s: whether it holds what %s needs is unknown. Survey "+
				"again before the delegation changes.",
			n.Names[1],
			some(n.Values, 8),
			n.Names[0],
		)
	case plan.NobodySawSome:
		return fmt.Sprintf(
			"Nobody has seen the zones of %s, so there are records, but no changes for them. upperpath survey looks; plan "+
				"--zone FILE takes a zone file.",
			strings.Join(n.Names, ", "),
		)
	case plan.SiteUnplaced:
		return fmt.Sprintf(
			"The estate file does not say where the site lives (site.addresses or site.alias), so there is no record for %s.",
			n.Names[0],
		)
	case plan.MailUnseen:
		return fmt.Sprintf(
			"Nobody has seen whether %s receives mail or sends it; survey it before you type the records that say that it "+
				"does not.",
			n.Names[0],
		)
	case plan.WildcardUnshown:
		return fmt.Sprintf(
			"Every name below %[1]s answers (a wildcard), but nobody showed its record: look for *.%[1]s at the provider, "+
				"and remove it unless somebody needs it.",
			n.Names[0],
		)
	case plan.IssuerUnknown:
		return fmt.Sprintf(
			"The CAA records at %s let only %s issue certificates; the estate file does not say who issues those of %s "+
				"(issuer:).",
			n.Names[0],
			n.Names[1],
			n.Names[2],
		)
	case plan.ServersUnasked:
		return fmt.Sprintf(
			"The new name servers %s of %s have not been asked yet. Create the zone there (upperpath write zone), then "+
				"survey again: they must agree before the delegation changes.",
			strings.Join(n.Values, " and "),
			n.Names[0],
		)
	}
	return ""
}

// checkText gives the command that shows that something worked, and where it asks a server, what that says then.
func checkText(c plan.Check) (command, expect string) {
	points := ""
	for _, p := range c.Points {
		points += fmt.Sprintf(" --point %s=%s", p.Host, p.Address)
	}
	switch c.Kind {
	case plan.LookAtHost:
		command = "upperpath look " + c.Host
	case plan.LookAtURL:
		command = "upperpath look " + c.URL
	case plan.LookPointed:
		command = "upperpath look " + c.Host + points
	case plan.AuditPointed:
		command = "upperpath audit --only " + c.Host + points
	case plan.AuditCarrier:
		address := "ADDRESS"
		if len(c.Points) > 0 && c.Points[0].Address != "" {
			address = c.Points[0].Address
		}
		command = "upperpath audit --point HOST=" + address
	case plan.SurveyZone:
		command = "upperpath survey --only " + c.Host
	case plan.SurveyRecords:
		command = "upperpath survey --only " + c.Host + " --records"
	case plan.AuditAll:
		command = "upperpath audit"
	case plan.PlanAgain:
		command = "upperpath plan"
	case plan.AskServer:
		command = fmt.Sprintf("dig +short %s %s", c.Name, c.Type)
		if c.Server != "" {
			command += " @" + c.Server
		}
		switch {
		case len(c.Values) == 0:
			expect = "nothing"
		case c.Alias:
			expect = "the addresses of " + c.Values[0]
		default:
			expect = strings.Join(c.Values, ", ")
		}
	}
	return command, expect
}

// fieldText gives what is typed into a box.
func fieldText(f plan.Field) string {
	if f.Holds != "" {
		return "upperpath write nginx --carrier " + f.Holds
	}
	return f.Value
}

// few names some of many.
func few(all []string, most int) string {
	if len(all) <= most {
		return strings.Join(all, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(all[:most], ", "), len(all)-most)
}

// StepText says what is done in a step.
func StepText(s plan.Step) string { return stepText(s) + partText(s) }

// partText says of which zones of a step not everything was seen.
func partText(s plan.Step) string {
	if len(s.Partial) == 0 {
		return ""
	}
	return fmt.Sprintf(" Not all of %s was seen: compare with an export from its provider first.", few(s.Partial, 6))
}

func stepText(s plan.Step) string {
	both := func(all []string) string { return strings.Join(all, " and ") }
	switch s.Kind {
	case plan.SurveyFirst:
		return "See and save what is there, so that the changes can be worked out and nothing is lost: upperpath survey " +
			"--save before, then plan again."
	case plan.RemoveStaleDS:
		return fmt.Sprintf("Have %s remove the DS record of %s: it fits no key of the zone.", s.Provider, s.Zones[0])
	case plan.LowerTTLs:
		return fmt.Sprintf(
			"Lower the TTL of what is to change to %s, at least %s before the move, for so long is the longest old TTL: %s.",
			plan.Words(plan.MovingTTL),
			plan.Words(s.Wait),
			few(s.Names, 6),
		)
	case plan.UntieMail:
		return fmt.Sprintf(
			"Untie mail from the web: make the first %s of %s (upperpath write sheet), and wait %s, for so long is remembered how "+
				"it was. Only then may the web's addresses change.",
			plural(s.Count, "change"),
			few(s.Zones, 6),
			plan.Words(s.Wait),
		)
	case plan.GetCertificates, plan.CertifyNew:
		return certificatesText(s)
	case plan.ClaimHosts:
		return fmt.Sprintf("Claim %s at %s before any record points there.", few(s.Hosts, 6), s.Provider)
	case plan.MakeEarly:
		return fmt.Sprintf("At %s make the %s of %s that come before the move, and survey again.", s.Provider,
			plural(s.Count, "change"), few(s.Zones, 6))
	case plan.CreateZones,
		plan.DelegateZones,
		plan.CopyZones,
		plan.SeeAgreement,
		plan.FindDS,
		plan.RemoveDS,
		plan.ChangeNameServers,
		plan.LeaveOld,
		plan.SignAnew:
		return moveStepText(s)
	case plan.ClaimAfter:
		return fmt.Sprintf(
			"Claim %s at %s, which takes them only now that their records point there; be quick: until then a stranger "+
				"could.",
			few(s.Hosts, 6),
			s.Provider,
		)
	case plan.ChoosePrimaries:
		return fmt.Sprintf(
			"Choose the primary host at %s, which redirects the others from then on: the pages that upperpath write "+
				"sheet makes.",
			both(s.Pages),
		)
	case plan.PlaceRedirects:
		var how []string
		if len(s.Carriers) > 0 {
			how = append(how, "upperpath write nginx for "+both(s.Carriers))
		}
		if len(s.Pages) > 0 {
			how = append(how, fmt.Sprintf("for %s the pages that upperpath write sheet makes", both(s.Pages)))
		}
		return fmt.Sprintf("Put the redirects in place: %s.", strings.Join(how, "; "))
	case plan.TryRedirects:
		return "Try them before anything points there: upperpath audit --point HOST=ADDRESS."
	case plan.MakeChanges:
		return fmt.Sprintf(
			"Make the %s in %s, each zone in its order, what goes first: upperpath write sheet.",
			plural(s.Count, "change"),
			plural(len(s.Zones), "zone"),
		)
	case plan.WaitForTTLs:
		return fmt.Sprintf("Wait %s: so long some resolvers may give the old answer, or the old absence.", plan.Words(s.Wait))
	case plan.SetRecords:
		return "Set the records above, and wait for the old TTLs to run out."
	case plan.IssueCertificates:
		var late []string
		for _, l := range s.Late {
			late = append(late, fmt.Sprintf("%s at %s", strings.Join(l.Names, ", "), l.Carrier))
		}
		return fmt.Sprintf(
			"Have the rest of the certificates issued at once; until then visitors by https meet a warning: %s.",
			strings.Join(late, "; "),
		)
	case plan.AuditDoors:
		return "Look at every door: upperpath audit."
	case plan.RaiseTTLs:
		return fmt.Sprintf(
			"A day later, when nothing had to be taken back: raise the TTL of %s to %s, write state: moved, and survey again.",
			plural(s.Count, "record set"),
			plan.Words(plan.RecordTTL),
		)
	}
	return ""
}

func certificatesText(s plan.Step) string {
	says := fmt.Sprintf("Get the %s that can be had before the names point there", plural(s.Count, "certificate"))
	switch {
	case s.Kind == plan.CertifyNew:
		says = fmt.Sprintf("Now that %s can be found, and before anybody is told of it, get the %s", few(s.Zones, 6),
			plural(s.Count, "certificate"))
	case s.Count == 1:
		says = "Get the certificate that can be had before the names point there"
	}
	if len(s.Carriers) > 0 {
		says += fmt.Sprintf("; for %s by TXT records at _acme-challenge", strings.Join(s.Carriers, " and "))
	}
	if len(s.ByHand) > 0 {
		says += fmt.Sprintf("; at %s by hand", strings.Join(s.ByHand, " and "))
	}
	return says + "."
}

// moveStepText says what is done in a step of zones' move to other name servers.
func moveStepText(s plan.Step) string {
	zones, to := few(s.Zones, 6), strings.Join(s.Servers, " and ")
	registrar := cmp.Or(s.Provider, "the registrar")
	wait := plan.Words(s.Wait)
	if s.Unknown {
		wait = fmt.Sprintf("at least %s (the TTL at the zone above is not known; a survey sees it)", wait)
	}
	switch s.Kind {
	case plan.CopyZones:
		only := ""
		if len(s.Zones) == 1 {
			only = " --only " + s.Zones[0]
		}
		return fmt.Sprintf("Copy %s %s to %s: upperpath write zone --as-it-is%s.", zones, asItIs(s.Zones), s.Provider, only)
	case plan.CreateZones:
		what := "the zone %s at %s once it is registered, with all its records"
		if len(s.Zones) > 1 {
			what = "the zones %s at %s once they are registered, with all their records"
		}
		return "Create " + fmt.Sprintf(what, zones, s.Provider) + ": upperpath write zone, or upperpath write sheet."
	case plan.DelegateZones:
		if to == "" {
			to = "those that its provider names"
		}
		return fmt.Sprintf(
			"At %s set the name servers of %s to %s; until then nobody can reach it, and for some hours more resolvers may "+
				"say that it is not there.",
			registrar,
			zones,
			to,
		)
	case plan.SeeAgreement:
		return fmt.Sprintf(
			"Survey again: the present and the next name servers of %s are asked for everything known, name by name, "+
				"and must agree.",
			zones,
		)
	case plan.FindDS:
		return fmt.Sprintf(
			"%s is signed, and nobody has seen whether the zone above has a DS record of it: survey it, or ask %s. If it "+
				"has, have it removed before the name servers change, and wait for its TTL.",
			zones,
			registrar,
		)
	case plan.RemoveDS:
		return fmt.Sprintf("Have %s remove the DS record of %s, and wait %s.", registrar, zones, wait)
	case plan.ChangeNameServers:
		return fmt.Sprintf(
			"At %s change the name servers of %s to %s, once they agree with the present ones.",
			registrar,
			zones,
			to,
		)
	case plan.LeaveOld:
		return fmt.Sprintf(
			"Leave %s %s at the old name servers for %s: so long the old delegation lives.",
			zones,
			asItIs(s.Zones),
			wait,
		)
	case plan.SignAnew:
		return fmt.Sprintf("Sign %s at the next name servers, and only then publish the new DS at the registrar.", zones)
	}
	return ""
}

func asItIs(zones []string) string {
	if len(zones) == 1 {
		return "as it is"
	}
	return "as they are"
}

// LossText says what works only on the old provider's name servers.
func LossText(l plan.Loss) string {
	switch l.Kind {
	case plan.LosesForwarding:
		return fmt.Sprintf("the forwarding of %s at %s", l.Host, l.Carrier)
	case plan.LosesAlias:
		return fmt.Sprintf("the alias at the apex of %s, unless the new provider offers one too", l.Host)
	}
	return fmt.Sprintf("what %s forwards for %s today", l.Carrier, l.Host)
}

// gapText says for how long visitors meet a warning.
const gapText = "From the moment the name points there until the certificate is issued, most often some minutes, " +
	"everybody who comes by https meets a warning."

// fixOf gives what to do about a finding, the reasons, and what helps.
func fixOf(f finding.Finding) string {
	fix := f.Fix
	if reasons, ok := f.Because.([]plan.Reason); ok {
		fix += " " + Because(reasons)
	}
	return withHelp(fix, f.Help)
}
