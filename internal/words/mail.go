package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// mailCodes are what codes mean that are about mail.
var mailCodes = map[finding.Code]Meaning{
	finding.MailLost: {
		Plain: "lost mail record",
		Means: "A record on which mail depends is gone, or the move would drop it.",
		Meets: "Mail that does not arrive, or that counts as forged.",
		Do: "Keep it: copy it to where the zone moves. Write mail: none only for domains that have no " +
			"mail.",
	},
	finding.MailTied: {
		Plain: "mail depends on the web address",
		Means: "Mail depends on a web address that is about to change.",
		Meets: "Nothing, until the web moves and mail stops.",
		Do:    "Give mail a name and address of its own before the move.",
	},
	finding.MailSpoofable: {
		Plain: "mail can be forged",
		Means: "A domain has no mail, and no records that say so.",
		Meets: "Forged mail in the client's name.",
		Do: "Write mail: none, so that the plan adds a null MX (RFC 7505), v=spf1 -all (RFC 7208) " +
			"and a rejecting policy (RFC 7489).",
	},
	finding.MailMalformed: {
		Plain:  "unreadable mail policy",
		Milder: "a policy at the wrong name, +all, or more than 450 octets",
		Means: "Receivers cannot read a mail policy. There are two where one is allowed, it needs " +
			"more than 10 DNS lookups, has an unknown term, or stands at the wrong name (RFC 7208, RFC " +
			"7489).",
		Meets: "Mail that counts as forged, or forged mail that does not.",
		Do: "Merge the records, correct or drop the term that is named, or move the policy to its " +
			"name.",
	},
	finding.MailBroken: {
		Plain: "broken mail route",
		Means: "An MX leads to an alias, to an address, or to no machine; or a null MX stands beside " +
			"others.",
		Meets: "Mail that does not arrive, or arrives by chance (RFC 5321 section 5.1, RFC 7505 " +
			"section 3).",
		Do: "Name a machine that has addresses of its own.",
	},
}

// mail are the sentences about mail.
var mail = []sentence{
	of[fact.SPFTermFollows]("The SPF record of $Domain allows senders by $Term:q, which follows a "+
		"web address that changes.",
		"Untie it before the web moves, as the first changes do: TXT $Value. Then survey again."),
	of[fact.MailBesideWeb]("Mail for $Domain goes to $Target at $Address, where the web is today. It "+
		"stays there when the web moves; keep that machine as long as it receives the mail.", ""),
	of[fact.MailByChance]("Mail for $Domain goes to $Servers by chance: different services with the "+
		"same preference, $Preference.",
		"Ask the client which of them receives the mail, and remove the others. A service that is "+
			"tried second needs a larger number."),
	of[fact.ServiceFollowsWeb]("The $Type record of $Name refers to $Target, whose address changes "+
		"with the web.",
		"Untie it before the web moves, as the first changes do: $Untied:semicolons. Then survey again."),
	of[fact.SPFTermDepends]("The SPF record of $Domain allows senders by $Term:q. What it looks up "+
		"below $Below depends on who sends, and names there are about to move.",
		"Ask whoever set it up what it finds there. Replace it with ip4: and ip6: terms before the "+
			"move if that is a web address."),
	of[fact.WantedPolicyTwice]("$Wanted is wanted at $Name, where another policy exists ($There): "+
		"two count as none (RFC 7489 section 6.6.3).",
		"Agree on one policy with the service that asks for it, and write that under wanted:."),
	of[fact.MailNoneButMail]("The estate file says mail: none for $Zone, but it has mail: "+
		"$Evidence:semicolons. Nothing is planned for its mail.",
		"Write mail: keep. Or ask the client, have the mailboxes closed, remove these records, and "+
			"survey again."),
	of[fact.MailUndecided]("Nothing shows that $Zone has mail, and nothing says that it has none: "+
		"anybody can send mail in its name.",
		"If the client agrees that it has no mail, write mail: none. The plan then adds the records "+
			"that say so."),
	of[fact.DMARCStart]("The policy at $Name does not start with v=DMARC1, so receivers ignore it "+
		"(RFC 7489 section 6.3): $Text",
		"Start it with v=DMARC1;"),
	of[fact.PolicyMisplaced]("A policy that starts with $Starts stands at $Name, where nobody "+
		"looks for it ($RFC).",
		"Move it to the name that starts with $Label."),
	by(func(f fact.PoliciesTwice) (says, do string) {
		do = "Merge them."
		if f.Kind != "SPF" && f.Kind != "v=DMARC1" {
			do = "Ask whoever set them up which of them counts, and remove the others."
		}
		return "$Name has $Count $Kind records, where one is allowed; receivers treat that as an error.",
			do
	}),
	of[fact.SPFTerm]("The SPF record of $Domain contains $Term:q, which $Fault. Receivers treat "+
		"the whole record as an error (RFC 7208 section 4.6).",
		"Correct the term, or drop it."),
	of[fact.SPFOpen]("The SPF record of $Domain ends with $Term, which lets everybody send mail in "+
		"its name.",
		"Write -all or ~all, once all permitted senders are named."),
	of[fact.SPFLookups]("The SPF record of $Domain needs $Lookups:DNS_lookup, and $Most are "+
		"allowed (RFC 7208 section 4.6.4): $Costs.",
		"Drop what nobody needs any more. Replace a and mx with the addresses, as ip4: and ip6: terms."),
	of[fact.SPFLong]("The SPF record of $Domain has $Octets:octet; with more than $Most, an answer "+
		"may not fit (RFC 7208 section 3.4).",
		"Shorten it: merge address ranges, or move a part into a record of its own, with include:."),
	of[fact.NullMXBeside]("$Domain says that it accepts no mail (a null MX), but also names mail "+
		"servers: $Servers.",
		"Remove the null MX, or all the others."),
	of[fact.MailOnWeb]("Mail for $Domain goes to $Target, which has an address of the web. Mail "+
		"stops when that address changes.",
		"Before the move, give mail a name and address of its own: an A record for mail.$Domain with "+
			"today's address, and an MX record that names it."),
	of[fact.MailWithoutMX]("$Domain has no MX record, so its mail goes to the web's own address "+
		"(RFC 5321 section 5.1).",
		"Find out whether anybody receives mail there. If so, add an MX record with an address of its "+
			"own before the move; otherwise a null MX (RFC 7505)."),
	of[fact.SPFFollowsWeb]("The SPF record of $Domain allows senders by $Term:q, which follows the "+
		"web's address.",
		"Replace it with ip4: or ip6: and the address that sends mail today, or drop it if nobody "+
			"sends from there."),
	of[fact.MailToAddress]("Mail for $Domain goes to $Target, which is an address, not a name.",
		"Give the machine a name with that address, and name it in the MX."),
	of[fact.MailToAlias](
		"Mail for $Domain goes to $Target, which is an alias for $Alias. An MX must not lead to an "+
			"alias.",
		"Name the machine itself in the MX, or give $Target addresses of its own."),
	of[fact.MailToNothing]("Mail for $Domain goes to $Target, which has no address.",
		"Give it an address, or remove the MX."),
	phrase[fact.TermNoDomain]("names no domain"),
	phrase[fact.TermArgument]("takes no argument"),
	phrase[fact.TermNoAddress]("has no valid address"),
	phrase[fact.TermUnknown]("receivers do not know"),
	phrase[fact.TermCharacter]("holds a character that none may hold"),
	phrase[fact.TermLength]("counts more of an address than it has, or is no number"),
	phrase[fact.TermBadDomain]("does not end as the name of a domain does"),
	phrase[fact.TermMacro]("has a macro that does not exist"),
	phrase[fact.TermTwice]("stands there twice"),
	phrase[fact.TermLoops]("leads round in a circle, to $Name again"),
	phrase[fact.TermNoPolicy]("takes over the SPF record of $Name, which has none"),
	phrase[fact.TermManyPolicies]("takes over the SPF record of $Name, which has $Count where " +
		"one is allowed"),
	phrase[fact.TermManyHosts]("stands for $Hosts:machine, by the MX records of $Name; " +
		"$Most are allowed"),
	phrase[fact.TermTakesBroken]("takes over the record of $Name, where $Term:q $Fault"),
	of[fact.SPFVoid]("The SPF record of $Domain looks up what is not there: $Names. Receivers may "+
		"treat a record with more than $Most such lookups as broken (RFC 7208 section 4.6.4).",
		"Remove the terms that find nothing."),
	by(func(f fact.MailAliasFollows) (says, do string) {
		return "$Host is an alias that follows $Follows, whose address changes with the web. " +
			"Mail would be looked for there.", untie(f.InPlace)
	}),
	of[fact.MailFollowsApex]("$Domain has no MX record, so its mail goes to the web's own address "+
		"(RFC "+
		"5321 section 5.1), which changes.", untie(false)),
	of[fact.MailMayGoToWeb](
		"Mail for $Domain may go to $Target, which leads nowhere today and to the web after the move.",
		untie(false)),
	of[fact.MailFollowsWeb](
		"Mail for $Domain goes to $Target, whose address changes with the web.", untie(false)),
	by(func(f fact.ComingLacksMail) (says, do string) {
		return comingSays(f.OldDiffers),
			"Copy it to the next name servers before the delegation changes. Otherwise mail stops with it."
	}),
}
