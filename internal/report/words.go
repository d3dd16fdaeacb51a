package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
)

// What the core means by reasons, notes, checks and steps is said here, and nowhere else: in words,
// and with the commands as they are typed.

// say formats words in which commands stand in backquotes, and marks those; what the words are
// filled with is left as it is.
func say(format string, args ...any) string {
	var b strings.Builder
	for i, part := range strings.Split(format, "`") {
		if i%2 == 1 {
			part = doc.Command(part)
		}
		b.WriteString(part)
	}
	return fmt.Sprintf(b.String(), args...)
}

// reasonWords gives a sentence for each reason.
var reasonWords = map[act.Why]func(r act.Reason) string{
	act.AliasGivesAlready: by("The provider's alias already gives the addresses of %s."),
	act.FollowsDoor: func(r act.Reason) string {
		return say("It follows %s, which leads to %s.", r.Name,
			r.Carrier)
	},
	act.Harmless:     always("It names no address and does no harm."),
	act.LeadsAlready: by("It already leads to %s."),
	act.CrowdsAlias: always("An alias stands alone at its name (RFC 1034 section 3.6.2). " +
		"Do not type this before the finding about it is settled."),
	act.NamesItself: always("It gives browsers addresses or a name of its own (RFC 9460), " +
		"which lead to the old machine whatever A and AAAA say."),
	act.AliasBefore: by("An alias stands alone: remove it before the addresses of %s are added."),
	act.SecondWay: always(
		"An address beside the alias sends some visitors elsewhere: they get one or the other by chance.",
	),
	act.StillOldIPv6: by("It still leads everybody with IPv6 to the old machine; %s has no IPv6 " +
		"address."),
	act.StillOld: by("It still leads to the old machine; %s has no such address."),
	act.AliasReplaced: by(
		"One alias is replaced by the other; a second one beside it would break the name. From now on " +
			"it leads to %s.",
	),
	act.LeftOver: func(r act.Reason) string {
		return say(
			"%s would be left over: visitors would get one address or the other by chance.",
			strings.Join(r.Values, ", "),
		)
	},
	act.Incomplete: func(r act.Reason) string {
		return say(
			"Only %d of the %d addresses of %s are there; they belong together in one record set.",
			r.Count,
			r.Of,
			r.Carrier,
		)
	},
	act.LeadsFromNow: by("From now on it leads to %s."),
	act.AllGo: func(r act.Reason) string {
		all := say("All %d", r.Count)
		if r.Count == 2 {
			all = "Both"
		}
		return all + " old addresses go; one left beside the new would still get some of the visitors."
	},
	act.Bypasses: by("Until then it bypasses %s, and no pattern for this host works."),
	act.HiddenByWildcard: func(r act.Reason) string {
		return say("%s was never created: the wildcard *.%s answered for it and hid that.", r.Name,
			r.Below)
	},
	act.NeverCreated: func(r act.Reason) string {
		return say("%s was never created; it leads to %s from now on.", r.Name, r.Carrier)
	},
	act.AddFirst: func(r act.Reason) string {
		return say("Add %s to %s first, or a stranger's site shows there.", r.Name, r.Carrier)
	},
	act.IPv6Too: by("Add the IPv6 address of %s too."),
	act.ClaimFirst: func(r act.Reason) string {
		return say(
			"Claim %s at %s first: a stranger can take an alias that nobody has claimed.",
			r.Name,
			r.Carrier,
		)
	},
	act.BelongsTo: func(r act.Reason) string {
		return say("%s belongs to %s.", r.Values[0], r.Carrier)
	},
	act.BelongsToForm: func(r act.Reason) string {
		return say(
			"%s belongs to %s: delete the forwarding there, because a door can have only one carrier.",
			r.Values[0],
			r.Carrier,
		)
	},
	act.TodayForwards: func(r act.Reason) string { return say("Today it forwards to %s.", r.URL) },
	act.TodayPage:     always("Today it shows a page of its own."),
	act.TodayAnswers:  func(r act.Reason) string { return say("Today it answers %d.", r.Count) },

	act.SomebodyAsks:         always("A service asks for it; every survey checks that it is there."),
	act.CarrierAsks:          by("%s asks for it."),
	act.MayGoWithCertificate: always("It may go once the certificate has been issued."),
	act.IsThere:              always("It is there."),
	act.ReplacesAlias:        always("It replaces the alias that is there."),
	act.JoinsSet:             always("It is added to the values that are already there."),
	act.WantedUntil: func(r act.Reason) string {
		return "It was wanted until " +
			r.Date.Format(time.DateOnly) + "."
	},
	act.WantedUntilCertificate: always(
		"It was wanted until the certificate was issued, and it has been."),
	act.OthersStay: always("The other values stay."),

	act.LeadsToLeft: func(r act.Reason) string {
		return say(
			"It stays for names that are not listed, and leads them to %s, which the web is leaving: "+
				"find out which are in "+
				"use before that machine is switched off.",
			r.Values[0],
		)
	},
	act.HidNames: func(r act.Reason) string {
		return say("It hid that %s did not exist, which is created now; it stays for names that are "+
			"not listed.",
			strings.Join(r.Values, " and "))
	},
	act.Stays: always("It stays as it is."),
	act.StaysAtLeft: func(r act.Reason) string {
		return say(
			"It stays and still leads to %s, which the web is leaving: move it or drop it before that "+
				"machine is switched "+
				"off.",
			r.Values[0],
		)
	},
	act.MailAtLeft: func(r act.Reason) string {
		return say(
			"Mail: it stays, and needs the machine at %s, which the web is leaving: do not switch it off.",
			r.Values[0],
		)
	},
	act.MailStays:   always("Mail: it stays as it is."),
	act.SaysIssuers: always("It says who may issue certificates; it stays."),
	act.StaysUnowned: always(
		"It stays, although nobody answers where it leads: claim it there or remove it before a " +
			"stranger claims it.",
	),
	act.StaysDoubled: always("It stays, although it looks like a typing error: the name contains " +
		"the domain twice."),
	act.NobodyAnswered: always(
		"Nobody answered whether it is already there or what is in its way: survey again first.",
	),
	act.ZoneIsNew: always("The zone is new, and nothing is there yet."),
	act.NobodyLooked: always("Nobody has checked whether it is already there or what is in its " +
		"way: survey first."),

	act.ReceivesNoMail: always("mail: none. It says that the domain receives no mail (RFC 7505)."),
	act.SendsNoMail:    always("mail: none. It says that the domain sends no mail (RFC 7208)."),
	act.RejectsForged: always("mail: none. It says that the domain wants forged mail rejected " +
		"(RFC 7489)."),
	act.MailHung: func(r act.Reason) string {
		return say("Mail depended on the address of %s, which changes; from now on it has a name of "+
			"its own.", r.Name)
	},
	act.MailWent: always("Mail went to the web's own address, which changes; from now on it has " +
		"a name of its own."),
	act.MailOwnName: always("Mail gets a name of its own with today's address, so that the web can " +
		"move."),
	act.MailAlias: func(r act.Reason) string {
		return say(
			"The alias followed %s, whose address changes; from now on mail has today's address of its own.",
			r.Name,
		)
	},
	act.NameFollowed: func(r act.Reason) string {
		return say("It followed %s, whose address changes, and is no door itself; it stays where it is.",
			r.Name)
	},
	act.JoinsPolicy: always("It is joined with the policy that is there: two count as none."),
	act.TermFollowed: func(r act.Reason) string {
		return say("The term %q followed the web's address; today's address stands in its place.",
			r.Values[0])
	},

	act.OneConfiguration: always("One configuration holds the redirects of all domains that this " +
		"server carries. " +
		"It must be in place before any name points to it."),
	act.TypeInFull: always("Type the destination in full."),
	act.CostsMore:  costsText,
	act.DeleteBefore: func(r act.Reason) string {
		return say("A door can have only one carrier. Delete it right before the records of %s are "+
			"typed: "+
			"many forms write their address back while a forwarding exists.", r.Name)
	},
	act.AddBefore: always(
		"Add it there before any record points there: a name that the account does not know shows a " +
			"stranger's site, and a " +
			"stranger could add it. Apex and www are two hosts.",
	),
	act.UntilRedirected: func(r act.Reason) string {
		return say(
			"Until this is set, the main site of %s shows here under the old name. http and https are "+
				"set apart.",
			r.Carrier,
		)
	},
	act.ClaimBefore: always(
		"Claim it before any record points there: a stranger can take an alias that nobody has " +
			"claimed. " +
			"Apex and www are two hosts.",
	),
	act.TypeThere: func(r act.Reason) string {
		return say(
			"Type these where the records of %s are kept, then come back and have %s check them.",
			r.Name,
			r.Carrier,
		)
	},
	act.BeingIssued: always(
		"The host is known there and its records lead there; only the certificate is missing. Just " +
			"wait: it is " +
			"issued without your help, usually within minutes and within a day at most. After that, " +
			"check whether CAA records " +
			"allow its issuer, and ask there.",
	),
	act.HeldBefore: always("It holds its certificate before the records point to it."),
	act.HeldAfter: always(
		"It requests the certificates only once the records lead there; until they are issued, " +
			"visitors by https " +
			"meet a warning. Request them at once, and check every few minutes.",
	),
	act.PrimaryRedirects: always(
		"The others redirect to the primary host and keep path and query; http goes straight to https.",
	),
	act.AfterCertificates: always("It accepts this only once the certificates have been issued."),
	act.TakesZone: by(
		"%s takes over the zone: it answers for all its names, so everything that the zone holds " +
			"today must be " +
			"there first (`upperpath write zone`).",
	),
	act.HeldFirst: always(
		"It must be in place before the first visitor: most browsers come by https. Apex and www are " +
			"two names.",
	),
	act.PatternTakes: func(r act.Reason) string {
		return say("It takes %s: %s.", strings.Join(r.Values, " and "), r.Name)
	},
	act.FirstStar: always(
		"The first star is what stands before the apex, www. or nothing, and is $1; what follows in " +
			"the path starts at $2.",
	),
	act.StarWider: func(r act.Reason) string {
		return say("A star takes more than the rule does, for instance %s.", r.URL)
	},
	act.StarBeforeName: func(r act.Reason) string {
		return say(
			"The star before the name takes whatever ends in %s, so any%s and every host below it as "+
				"well: if "+
				"another of them goes through the network, type both names instead.",
			r.Name,
			r.Name,
		)
	},
	act.ExactWithQuery: func(r act.Reason) string {
		return say("It has to match with any query; where the form compares whole URLs, type %s too.",
			r.Name)
	},
	act.OriginNeedsCertificate: always(
		"The origin needs a certificate for these names too, or visitors get an error page of the " +
			"network.",
	),
	act.OriginMustNotUpgrade: always(
		"The origin is asked by http even for visitors who came by https: if it sends http to https, " +
			"they are caught in " +
			"a redirect loop.",
	),
	act.ProofByDNS: always(
		"The names do not lead to this server yet, so prove control to the issuer by DNS: a TXT " +
			"record at these names, " +
			"with the value that it gives. Then nobody meets a warning on the day of the move.",
	),
	act.IssuedAfter: always(
		"The certificate can be issued only after the names lead here. Until then, usually for some " +
			"minutes, " +
			"everybody who comes by https meets a warning. Have it issued by DNS beforehand if you can " +
			"(certificate: before).",
	),
	act.PutByHand: always("Somebody puts it there by hand, before the names lead here."),
	act.AlsoAnswers: always("The site answers under this name too; it must redirect, or search " +
		"engines find two sites."),
	act.FitsNoKey: always("It fits no key of the zone: resolvers that check signatures find " +
		"nothing there. " +
		"Remove it before anything else."),
	act.BeforeServers: func(r act.Reason) string {
		return say(
			"Remove it %s before the name servers change: the new ones hold other keys.",
			wording.DurationText(r.Seconds),
		)
	},
	act.ServersReady: always(
		"The new servers must give every answer that the old ones give before this is typed; they do.",
	),
	act.ServersNotReady: always(
		"Not yet: the new servers must give every answer first. Survey again until the plan finds no " +
			"difference.",
	),
	act.ZoneThere: always("The zone is already there, with every record that it needs."),
	act.ZoneNotThere: always(
		"First the zone must be there, with its records; survey again, and the plan says when it is.",
	),
	act.ServersUntilNow: func(r act.Reason) string {
		return say(
			"Until now: %s. Some resolvers use the old delegation for up to %s more; leave the old "+
				"servers as they are "+
				"until then.",
			strings.Join(r.Values, ", "),
			wording.DurationText(r.Seconds),
		)
	},
}

func always(s string) func(act.Reason) string { return func(act.Reason) string { return s } }

func by(format string) func(act.Reason) string {
	return func(r act.Reason) string { return say(format, r.Carrier) }
}

// costsText says what a destination costs that is typed with http, or without www.
func costsText(r act.Reason) string {
	hops := func(n int) string {
		switch n {
		case carry.Nowhere:
			return "leads nowhere"
		case 1:
			return "costs one more hop"
		}
		return say("costs %d more hops", n)
	}
	says := say("With http:// it %s, and a visitor who came by https is led over plain http",
		hops(r.Count))
	if r.Of != carry.NoWWW {
		says += "; without www it " + hops(r.Of)
	}
	return says + "."
}

// Because says reasons, one behind the other.
func Because(all []act.Reason) string { return doc.Unmarked(because(all)) }

func because(all []act.Reason) string {
	var said []string
	for _, r := range all {
		said = append(said, reasonWords[r.Why](r))
	}
	return strings.Join(said, " ")
}

// NoteText says a note of a plan.
func NoteText(n act.Note) string { return doc.Unmarked(noteWords(n)) }

func noteWords(n act.Note) string {
	switch n.Notice {
	case act.LeftAsItIs:
		return n.Names[0] + " is left as it is (state: leave)."
	case act.SaidAlready:
		return say("Line %d of the rules repeats line %d.", n.Lines[0], n.Lines[1])
	case act.NobodySawAny:
		return say(
			"Nobody has looked at the zones yet, so the plan gives records but no changes. Run " +
				"`upperpath survey`, or " +
				"give a zone file: `upperpath plan --zone FILE`.",
		)
	case act.NoZoneYet:
		return say(
			"%s: the parent zone knows no such domain, so the plan makes the zone from nothing. Check at "+
				"the registrar that "+
				"the domain is registered and neither expired nor on hold.",
			wording.Few(n.Names, 8),
		)
	case act.SurveySawNone:
		return say(
			"The survey saw nothing of the zones of %s, so the plan gives records but no changes. The "+
				"survey says why "+
				"(`upperpath survey --list`, `--show`). Survey again, or give a zone file: `upperpath plan "+
				"--zone FILE`.",
			wording.Few(n.Names, 8),
		)
	case act.TTLsRemaining:
		return say(
			"%s was seen through a resolver, so its TTLs are what was left of them. The plan waits a day "+
				"where no "+
				"longer TTL was seen; if the provider's page shows a longer one, wait that long.",
			n.Names[0],
		)
	case act.IssuersUnseen:
		return say(
			"Nobody answered about the CAA records of %s, so it is unknown whether the issuer may issue "+
				"the "+
				"certificates of %s. Survey again, or check the provider's page.",
			n.Names[0],
			wording.Few(n.Names[1:], 6),
		)
	case act.NotAnswered:
		return say(
			"Nobody answered about %s of %s: what is there is unknown and may be in the way. Survey again.",
			wording.Few(n.Values, 8),
			n.Names[0],
		)
	case act.ServerSilent:
		return say(
			"The new name server %s did not answer about %s: whether it holds what %s needs is unknown. "+
				"Survey "+
				"again before the delegation changes.",
			n.Names[1],
			wording.Few(n.Values, 8),
			n.Names[0],
		)
	case act.NobodySawSome:
		return say(
			"Nobody has seen the zones of %s, so the plan gives records for them but no changes. Run "+
				"`upperpath survey`, or "+
				"give a zone file: `upperpath plan --zone FILE`.",
			strings.Join(n.Names, ", "),
		)
	case act.SiteUnplaced:
		return say(
			"The estate file does not say where the site lives (site.addresses or site.alias), so there "+
				"is no record for %s.",
			n.Names[0],
		)
	case act.MailUnseen:
		return say(
			"Nobody has seen whether %s receives or sends mail; survey it before you type the records "+
				"that say it does "+
				"not.",
			n.Names[0],
		)
	case act.WildcardUnshown:
		return say(
			"Every name below %[1]s answers (a wildcard), but nobody showed its record: look for *.%[1]s "+
				"on the provider's "+
				"page, and remove it unless somebody needs it.",
			n.Names[0],
		)
	case act.IssuerUnknown:
		return say(
			"The CAA records at %s let only %s issue certificates; the estate file does not say who "+
				"issues those of %s "+
				"(issuer:).",
			n.Names[0],
			n.Names[1],
			n.Names[2],
		)
	case act.ServersUnasked:
		return say(
			"The new name servers %s of %s have not been asked yet. Create the zone there (`upperpath "+
				"write zone`), then "+
				"survey again: they must agree before the delegation changes.",
			strings.Join(n.Values, " and "),
			n.Names[0],
		)
	}
	return ""
}

// fieldText gives what is typed into a box.
func fieldText(f act.Field) string {
	if f.Holds != "" {
		return writes(f)
	}
	return f.Value
}

// writes is the command that writes the configuration of a field.
func writes(f act.Field) string { return "upperpath write " + f.Software + " --carrier " + f.Holds }

// StepText says what is done in a step.
func StepText(s act.Step) string { return doc.Unmarked(wholeStep(s)) }

func wholeStep(s act.Step) string { return stepText(s) + partText(s) }

// partText says of which zones of a step not everything was seen.
func partText(s act.Step) string {
	if len(s.Partial) == 0 {
		return ""
	}
	return say(" Not all of %s was seen: compare it with an export from the provider first.",
		wording.Few(s.Partial, 6))
}

func stepText(s act.Step) string {
	both := func(all []string) string { return strings.Join(all, " and ") }
	switch s.Kind {
	case act.SurveyFirst:
		return say("See and save what is there, so that the changes can be worked out and nothing is " +
			"lost: " +
			"`upperpath survey --save before`, then plan again.")
	case act.RemoveStaleDS:
		return say("Have %s remove the DS record of %s: it fits no key of the zone.", s.Provider,
			s.Zones[0])
	case act.LowerTTLs:
		return say(
			"Lower the TTL of what is to change to %s, at least %s before the move, because that is the "+
				"longest "+
				"current TTL: %s.",
			wording.DurationText(act.MovingTTL),
			wording.DurationText(s.Wait),
			wording.Few(s.Names, 6),
		)
	case act.UntieMail:
		return say(
			"Untie mail, and whatever else follows a door, from the web: make the first %s of %s "+
				"(`upperpath write sheet`), then wait %s, because resolvers remember the old answers that "+
				"long. Only then may the web's addresses change.",
			wording.Count(s.Count, "change"),
			wording.Few(s.Zones, 6),
			wording.DurationText(s.Wait),
		)
	case act.GetCertificates, act.CertifyNew:
		return certificatesText(s)
	case act.ClaimHosts:
		return say("Claim %s at %s before any record points there.", wording.Few(s.Hosts, 6), s.Provider)
	case act.MakeEarly:
		return say("At %s make the %s of %s that come before the move, and survey again.", s.Provider,
			wording.Count(s.Count, "change"), wording.Few(s.Zones, 6))
	case act.CreateZones,
		act.DelegateZones,
		act.CopyZones,
		act.SeeAgreement,
		act.FindDS,
		act.RemoveDS,
		act.ChangeNameServers,
		act.LeaveOld,
		act.SignAnew:
		return moveStepText(s)
	case act.ClaimAfter:
		return say(
			"Claim %s at %s, which accepts them only now that their records point there. Be quick: until "+
				"then a stranger "+
				"could.",
			wording.Few(s.Hosts, 6),
			s.Provider,
		)
	case act.ChoosePrimaries:
		return say(
			"Choose the primary host at %s, which redirects the others from then on; the sheet says how "+
				"(`upperpath write sheet`).",
			both(s.Pages),
		)
	case act.PlaceRedirects:
		var how []string
		for _, software := range slices.Compact(slices.Sorted(slices.Values(s.Software))) {
			var run []string
			for i, name := range s.Carriers {
				if s.Software[i] == software {
					run = append(run, name)
				}
			}
			how = append(how, say("`upperpath write %s` for %s", software, both(run)))
		}
		if len(s.Pages) > 0 {
			how = append(how, say("the sheets for %s (`upperpath write sheet`)", both(s.Pages)))
		}
		return say("Put the redirects in place: %s.", strings.Join(how, "; "))
	case act.TryRedirects:
		return say("Try them before anything points there: `upperpath audit --point HOST=ADDRESS`.")
	case act.MakeChanges:
		return say(
			"Make the %s in %s, each zone from top to bottom: `upperpath write sheet`.",
			wording.Count(s.Count, "change"),
			wording.Count(len(s.Zones), "zone"),
		)
	case act.WaitForTTLs:
		return say("Wait %s: until then some resolvers may still give the old answer.",
			wording.DurationText(s.Wait))
	case act.SetRecords:
		return "Set the records below, and wait for the old TTLs to run out."
	case act.IssueCertificates:
		var late []string
		for _, l := range s.Late {
			late = append(late, say("%s at %s", strings.Join(l.Names, ", "), l.Carrier))
		}
		return say(
			"Have the remaining certificates issued at once; until then visitors by https meet a "+
				"warning: %s.",
			strings.Join(late, "; "),
		)
	case act.AuditDoors:
		return say("Audit every door: `upperpath audit`.")
	case act.RaiseTTLs:
		return say(
			"A day later, if nothing had to be taken back: raise the TTL of %s to %s, set state: moved "+
				"in the estate file, and "+
				"survey again.",
			wording.Count(s.Count, "record set"),
			wording.DurationText(act.RecordTTL),
		)
	}
	return ""
}

func certificatesText(s act.Step) string {
	says := say("Get the %s that can be issued before the names point there",
		wording.Count(s.Count, "certificate"))
	switch {
	case s.Kind == act.CertifyNew:
		says = say("Now that %s can be found, and before anybody is told about it, get the %s",
			wording.Few(s.Zones, 6),
			wording.Count(s.Count, "certificate"))
	case s.Count == 1:
		says = "Get the certificate that can be issued before the names point there"
	}
	if len(s.Carriers) > 0 {
		says += say("; for %s by TXT records at _acme-challenge", strings.Join(s.Carriers, " and "))
	}
	if len(s.ByHand) > 0 {
		says += say("; at %s by hand", strings.Join(s.ByHand, " and "))
	}
	return says + "."
}

// moveStepText says what is done in a step of zones' move to other name servers.
func moveStepText(s act.Step) string {
	zones, to := wording.Few(s.Zones, 6), strings.Join(s.Servers, " and ")
	registrar := cmp.Or(s.Provider, "the registrar")
	wait := wording.DurationText(s.Wait)
	if s.Unknown {
		wait = say("at least %s (the TTL in the parent zone is not known; a survey sees it)", wait)
	}
	switch s.Kind {
	case act.CopyZones:
		only := ""
		if len(s.Zones) == 1 {
			only = " --only " + s.Zones[0]
		}
		return say("Copy %s %s to %s: %s.", zones, asItIs(s.Zones), s.Provider,
			doc.Command("upperpath write zone --as-it-is"+only))
	case act.CreateZones:
		what := "the zone %s at %s once it is registered, with all its records"
		if len(s.Zones) > 1 {
			what = "the zones %s at %s once they are registered, with all their records"
		}
		return say("Create %s: `upperpath write zone`, or `upperpath write sheet`.",
			say(what, zones, s.Provider))
	case act.DelegateZones:
		if to == "" {
			to = "those that its provider names"
		}
		return say(
			"At %s set the name servers of %s to %s. Until then nobody can reach it, and for some hours "+
				"after that resolvers "+
				"may say that it does not exist.",
			registrar,
			zones,
			to,
		)
	case act.SeeAgreement:
		return say(
			"Survey again: the survey asks the present and the next name servers of %s for everything "+
				"known, name by name, "+
				"and they must agree.",
			zones,
		)
	case act.FindDS:
		return say(
			"%s is signed, and nobody has seen whether the parent zone has a DS record for it: survey "+
				"it, or ask %s. If it "+
				"has, have it removed before the name servers change, and wait for its TTL.",
			zones,
			registrar,
		)
	case act.RemoveDS:
		return say("Have %s remove the DS record of %s, and wait %s.", registrar, zones, wait)
	case act.ChangeNameServers:
		return say(
			"At %s change the name servers of %s to %s, once they agree with the present ones.",
			registrar,
			zones,
			to,
		)
	case act.LeaveOld:
		return say(
			"Leave %s %s at the old name servers for %s: until then some resolvers still use the old "+
				"delegation.",
			zones,
			asItIs(s.Zones),
			wait,
		)
	case act.SignAnew:
		return say("Sign %s at the next name servers, and only then publish the new DS at the registrar.",
			zones)
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
func LossText(l zone.Loss) string {
	switch l.Kind {
	case zone.LosesForwarding:
		return say("the forwarding of %s at %s", l.Host, l.Carrier)
	case zone.LosesAlias:
		return say("the alias at the apex of %s, unless the new provider offers one too", l.Host)
	}
	return say("what %s forwards for %s today", l.Carrier, l.Host)
}

// gapText says for how long visitors meet a warning.
const gapText = "From the moment the name points there until the certificate is issued, usually " +
	"for some minutes, " +
	"everybody who comes by https meets a warning."
