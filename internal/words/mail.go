package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// mailCodes are what codes mean that are about mail.
var mailCodes = map[finding.Code]Meaning{
	finding.MailLost: {
		Plain: "lost mail record",
		Means: "A record on which mail depends is gone, or would go.",
		Meets: "Mail that does not arrive, or is taken for forged.",
		Do: "Keep it: copy it to where the zone moves, and say mail: none only of domains that " +
			"have no mail.",
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
		Means: "A mail policy that receivers cannot read: two where one is allowed, more than 10 " +
			"look-ups, a term that nobody knows, or a policy at a name where nobody looks for it (RFC " +
			"7208, RFC 7489).",
		Meets: "Mail that is taken for forged, or forged mail that is not.",
		Do: "Join the records into one, mend or drop the term that is named, or move the policy " +
			"to its name.",
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
	of[fact.WantedPolicyTwice]("$Wanted is wanted at $Name, and another policy is there ($There): "+
		"two count as none (RFC 7489 section 6.6.3).",
		"Decide on one of them with whoever asks for it, and write that under wanted:."),
	of[fact.MailNoneButMail]("The estate file says mail: none for $Zone, but it has mail: "+
		"$Evidence:semicolons. Nothing is planned for its mail.",
		"Write mail: keep; or ask the client, have the mailboxes closed, remove these records, and "+
			"survey again."),
	of[fact.MailUndecided]("Nothing shows that $Zone has mail, and nothing says that it has none: "+
		"anybody can send mail in its name.",
		"If the client agrees that it has no mail, write mail: none; the plan then adds the records "+
			"that say so."),
	of[fact.DMARCStart]("The policy at $Name does not start with v=DMARC1; receivers ignore it "+
		"(RFC 7489 section 6.3): $Text",
		"Start it with v=DMARC1;"),
	of[fact.PolicyMisplaced]("A policy that starts with $Starts stands at $Name, where nobody "+
		"looks for it ($RFC).",
		"Move it to the name that starts with $Label."),
	of[fact.PoliciesTwice]("$Name has $Count records of the kind $Kind, where one is allowed; "+
		"receivers take it as an error.",
		"Join them into one."),
	of[fact.SPFTerm]("The SPF record of $Domain holds $Term:q, which $Fault; receivers take the "+
		"whole record as an error (RFC 7208 section 4.6).",
		"Correct the term, or drop it."),
	of[fact.SPFOpen]("The SPF record of $Domain ends with $Term, which lets everybody send mail in "+
		"its name.",
		"Write -all or ~all, once all who may send are named."),
	of[fact.SPFLookups]("The SPF record of $Domain costs receivers $Lookups look-ups, where $Most "+
		"are allowed (RFC 7208 section 4.6.4): $Costs.",
		"Drop what nobody needs any more, and replace a and mx by ip4: and ip6: with the addresses."),
	of[fact.SPFLong]("The SPF record of $Domain has $Octets octets; above $Most an answer may not "+
		"fit (RFC 7208 section 3.4).",
		"Shorten it: join ranges of addresses, or put a part into a record of its own, with include:."),
	of[fact.NullMXBeside]("$Domain says that it takes no mail (a null MX), and names mail servers "+
		"beside it: $Servers.",
		"Remove the null MX, or all the others."),
	of[fact.MailOnWeb]("Mail for $Domain goes to $Target, which has an address of the web; it "+
		"stops when that address changes.",
		"Before the move give mail a name and address of its own: an A record for mail.$Domain with "+
			"today's address, and an MX that names it."),
	of[fact.MailWithoutMX]("$Domain has no MX record, so that its mail goes to the web's own "+
		"address (RFC 5321 section 5.1).",
		"Find out whether anybody receives mail there; if so, add an MX with an address of its own "+
			"before the move, else a null MX (RFC 7505)."),
	of[fact.SPFFollowsWeb]("The SPF record of $Domain allows senders by $Term:q, which follows the "+
		"web's address.",
		"Replace it by ip4: or ip6: with the address from which mail is sent today, or drop it if "+
			"nobody sends from there."),
	of[fact.MailToAddress]("Mail for $Domain goes to $Target, which is an address, and no name.",
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
			"Copy it to the new name servers before the delegation changes. " +
				"Otherwise mail stops with it."
	}),
}
