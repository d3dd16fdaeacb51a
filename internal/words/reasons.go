package words

import (
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/wording"
)

// reasonWords gives a sentence for each reason.
var reasonWords = map[act.Why]func(r act.Reason) string{
	act.AliasGivesAlready: at("The provider's alias already gives the addresses of %s."),
	act.FollowsDoor: func(r act.Reason) string {
		return format("It follows %s, which leads to %s.", r.Name,
			r.Carrier)
	},
	act.Harmless:     always("It names no address and does no harm."),
	act.LeadsAlready: at("It already leads to %s."),
	act.CrowdsAlias: always("An alias stands alone at its name (RFC 1034 section 3.6.2). " +
		"Do not type this before the finding about it is settled."),
	act.NamesItself: always("It gives browsers addresses or a name of its own (RFC 9460), which " +
		"lead to the previous machine whatever A and AAAA say."),
	act.AliasBefore: at("An alias stands alone: remove it before the addresses of %s are added."),
	act.SecondWay: always(
		"An address beside the alias sends some visitors elsewhere: they get one or the other by chance.",
	),
	act.StillOldIPv6: at("It still leads all visitors with IPv6 to the previous machine; %s has no " +
		"IPv6 address."),
	act.StillOld: at("It still leads to the previous machine; %s has no such address."),
	act.AliasReplaced: at(
		"One alias is replaced by the other; a second one beside it would break the name. From now on " +
			"it leads to %s.",
	),
	act.LeftOver: func(r act.Reason) string {
		return format(
			"%s would be left over: visitors would get one address or the other by chance.",
			strings.Join(r.Values, ", "),
		)
	},
	act.Incomplete: func(r act.Reason) string {
		return format(
			"Only %d of the %d addresses of %s %s; they belong together in one record set.",
			r.Count,
			r.Of,
			r.Carrier,
			wording.Verb(r.Count, "exists", "exist"),
		)
	},
	act.LeadsFromNow: at("From now on it leads to %s."),
	act.AllGo: func(r act.Reason) string {
		all := format("All %d", r.Count)
		switch r.Count {
		case 1:
			return "The previous address goes; left beside the planned ones, it would still get some of " +
				"the visitors."
		case 2:
			all = "Both"
		}
		return all +
			" previous addresses go; one left beside the planned ones would still get some of the visitors."
	},
	act.Bypasses: at("Until then it bypasses %s, and no pattern for this host works."),
	act.HiddenByWildcard: func(r act.Reason) string {
		return format("%s was never created: the wildcard *.%s answered for it and hid that.", r.Name,
			r.Below)
	},
	act.NeverCreated: func(r act.Reason) string {
		return format("%s was never created; it leads to %s from now on.", r.Name, r.Carrier)
	},
	act.AddFirst: func(r act.Reason) string {
		return format("Add %s to %s first, or a stranger's site shows there.", r.Name, r.Carrier)
	},
	act.IPv6Too: at("Add the IPv6 address of %s too."),
	act.ClaimAtAlias: func(r act.Reason) string {
		return format("Claim %s at the provider of %s first: a stranger can take an alias that "+
			"nobody has "+
			"claimed. With site.carrier the plan says how.", r.Name, r.Values[0])
	},
	act.ClaimFirst: func(r act.Reason) string {
		return format(
			"Claim %s at %s first: a stranger can take an alias that nobody has claimed.",
			r.Name,
			r.Carrier,
		)
	},
	act.BelongsTo: func(r act.Reason) string {
		return format("%s belongs to %s.", r.Values[0], r.Carrier)
	},
	act.BelongsToForm: func(r act.Reason) string {
		return format(
			"%s belongs to %s: delete the forwarding there, because a door can have only one carrier.",
			r.Values[0],
			r.Carrier,
		)
	},
	act.TodayForwards: func(r act.Reason) string { return format("Today it forwards to %s.", r.URL) },
	act.TodayPage:     always("Today it shows a page of its own."),
	act.TodayAnswers:  func(r act.Reason) string { return format("Today it answers %d.", r.Count) },

	act.SomebodyAsks:         always("A service requires it; every survey checks that it exists."),
	act.CarrierAsks:          at("%s requires it."),
	act.MayGoWithCertificate: always("It may go once the certificate has been issued."),
	act.IsThere:              always("It exists."),
	act.ReplacesAlias:        always("It replaces the present alias."),
	act.JoinsSet:             always("It is added to the present values."),
	act.WantedUntil: func(r act.Reason) string {
		return "It was wanted until " +
			r.Date.Format(time.DateOnly) + "."
	},
	act.WantedUntilCertificate: always(
		"It was wanted until the certificate was issued, and it has been."),
	act.OthersStay: always("The other values stay."),

	act.LeadsToLeft: func(r act.Reason) string {
		return format(
			"It stays for names that are not listed, and leads them to %s, which the web is leaving. "+
				"Find out which names are in use before that machine is switched off.",
			r.Values[0],
		)
	},
	act.HidNames: func(r act.Reason) string {
		return format("It hid that %s did not exist, which is created now. It stays for names that "+
			"are not listed.",
			strings.Join(r.Values, " and "))
	},
	act.Stays: always("It stays as it is."),
	act.StaysAtLeft: func(r act.Reason) string {
		return format(
			"It stays and still leads to %s, which the web is leaving. Move it or drop it before that "+
				"machine is switched off.",
			r.Values[0],
		)
	},
	act.MailAtLeft: func(r act.Reason) string {
		return format(
			"Mail: it stays, and needs the machine at %s, which the web is leaving. Do not switch that "+
				"machine off.",
			r.Values[0],
		)
	},
	act.MailStays:   always("Mail: it stays as it is."),
	act.SaysIssuers: always("It says who may issue certificates; it stays."),
	act.StaysUnowned: always(
		"It stays, although nobody answers where it leads. Claim it there, or remove it before a " +
			"stranger claims it.",
	),
	act.StaysDoubled: always("It stays, although it looks mistyped: the name contains the domain " +
		"twice."),
	act.NobodyAnswered: always(
		"Nobody answered whether it already exists or what is in its way. Survey again first.",
	),
	act.ZoneIsNew: always("The zone is new, and has no records yet."),
	act.NobodyLooked: always("Nobody has checked whether it already exists or what is in its way. " +
		"Survey first."),

	act.ReceivesNoMail: always("mail: none. It says that the domain receives no mail (RFC 7505)."),
	act.SendsNoMail:    always("mail: none. It says that the domain sends no mail (RFC 7208)."),
	act.RejectsForged: always("mail: none. It says that the domain wants forged mail rejected " +
		"(RFC 7489)."),
	act.MailHung: func(r act.Reason) string {
		return format("Mail depended on the address of %s, which changes; from now on it has a name of "+
			"its own.", r.Name)
	},
	act.PinsBoth: func(r act.Reason) string {
		return format("Beside the present certificate of %s it holds the next one, so that both are "+
			"taken "+
			"while the host moves. Remove the old one afterwards.", r.Name)
	},
	act.MailWent: always("Mail went to the web's own address, which changes; from now on it has " +
		"a name of its own."),
	act.MailOwnName: always("Mail gets a name of its own with today's address, so that the web can " +
		"move."),
	act.ServiceHung: func(r act.Reason) string {
		return format("It depended on the address of %s, which changes; from now on it names a name of "+
			"its own.", r.Name)
	},
	act.ServiceOwnName: always("The service gets a name of its own with today's address, so that " +
		"the " +
		"web can move."),
	act.MailAlias: func(r act.Reason) string {
		return format(
			"The alias followed %s, whose address changes; from now on mail has today's address of its own.",
			r.Name,
		)
	},
	act.NameFollowed: func(r act.Reason) string {
		return format("It followed %s, whose address changes, but is no door itself. It stays where "+
			"it is.",
			r.Name)
	},
	act.JoinsPolicy: always("It is merged with the present policy: two count as none."),
	act.TermFollowed: func(r act.Reason) string {
		return format("The term %q followed the web's address; today's address stands in its place.",
			r.Values[0])
	},

	act.PathNotOffered: always("The form offers no path: every old URL ends at this destination."),
	act.GoneOrServer:   always("If gone is not offered there, let a server carry the host."),
	act.OneConfiguration: always("One configuration holds the redirects of all domains that this " +
		"server carries. " +
		"It must be in place before any name points to it."),
	act.TypeInFull: always("Type the destination in full."),
	act.CostsMore:  costsText,
	act.DeleteBefore: func(r act.Reason) string {
		return format("A door can have only one carrier. Delete it right before the records of %s are "+
			"typed: many forms write their address back while a forwarding exists.", r.Name)
	},
	act.AddBefore: always(
		"Add it there before any record points there. The account shows a stranger's site under a " +
			"name that it does not know, and a stranger could add it. Apex and www are two hosts.",
	),
	act.UntilRedirected: func(r act.Reason) string {
		return format(
			"Until this is set, the main site of %s shows here under the old name. http and https are "+
				"set separately.",
			r.Carrier,
		)
	},
	act.ClaimBefore: always(
		"Claim it before any record points there: a stranger can take an alias that nobody has " +
			"claimed. " +
			"Apex and www are two hosts.",
	),
	act.TypeThere: func(r act.Reason) string {
		return format(
			"Type these where the records of %s are kept, then come back and have %s check them.",
			r.Name,
			r.Carrier,
		)
	},
	act.BeingIssued: always(
		"The platform knows the host and its records lead there; only the certificate is missing. " +
			"Wait: it is issued automatically, usually within minutes and within a day at most. After " +
			"that, check whether CAA records allow its issuer, and ask there.",
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
	act.TakesZone: at(
		"%s takes over the zone and answers for all its names. Everything that the zone holds today " +
			"must be there first (`upperpath write zone`).",
	),
	act.HeldFirst: always(
		"It must be in place before the first visitor: most browsers come by https. Apex and www are " +
			"two names.",
	),
	act.PatternTakes: func(r act.Reason) string {
		return format("It takes %s: %s.", strings.Join(r.Values, " and "), r.Name)
	},
	act.FirstStar: always(
		"The first star is what stands before the apex, www. or nothing, and is $1; what follows in " +
			"the path starts at $2.",
	),
	act.StarWider: func(r act.Reason) string {
		return format("A star takes more than the rule does, for instance %s.", r.URL)
	},
	act.StarBeforeName: func(r act.Reason) string {
		return format(
			"The star before the name takes whatever ends in %s, so also any%s and every host below it. "+
				"If another of them goes through the network, type both names instead.",
			r.Name,
			r.Name,
		)
	},
	act.ExactWithQuery: func(r act.Reason) string {
		return format("It has to match with any query. If the form compares whole URLs, type %s too.",
			r.Name)
	},
	act.OriginNeedsCertificate: always(
		"The origin needs a certificate for these names too, or visitors get an error page of the " +
			"network.",
	),
	act.OriginMustNotUpgrade: always(
		"The network asks the origin by http even for visitors who came by https. If the origin " +
			"redirects http to https, they are caught in a redirect loop.",
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
		return format(
			"Remove it %s before the name servers change: the next name servers hold other keys.",
			wording.DurationText(r.Seconds),
		)
	},
	act.ServersReady: always(
		"Before you type this, the next name servers must give every answer that the present ones " +
			"give; they do.",
	),
	act.ServersNotReady: always(
		"Not yet: the next name servers must give every answer first. Survey again until the plan " +
			"finds no difference.",
	),
	act.ZoneThere: always("The zone already exists, with every record that it needs."),
	act.ZoneNotThere: always(
		"First the zone must exist, with its records. Survey again, and the plan says when it does.",
	),
	act.ServersUntilNow: func(r act.Reason) string {
		return format(
			"Until now: %s. Some resolvers use the previous delegation for up to %s more; leave those "+
				"servers as they are until then.",
			strings.Join(r.Values, ", "),
			wording.DurationText(r.Seconds),
		)
	},
}

func always(s string) func(act.Reason) string { return func(act.Reason) string { return s } }

func at(words string) func(act.Reason) string {
	return func(r act.Reason) string { return format(words, r.Carrier) }
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
		return format("costs %d more hops", n)
	}
	says := format("With http:// it %s, and a visitor who came by https is led over plain http",
		hops(r.Count))
	if r.Of != carry.NoWWW {
		says += "; without www it " + hops(r.Of)
	}
	return says + "."
}

// Because says reasons, one behind the other, with commands marked.
func Because(all []act.Reason) string {
	var said []string
	for _, r := range all {
		said = append(said, reasonWords[r.Why](r))
	}
	return strings.Join(said, " ")
}
