package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
)

// recordCodes are what codes mean that are about records.
var recordCodes = map[finding.Code]Meaning{
	finding.LeftoverAddress: {
		Plain: "old address left behind",
		Means: "A previous address stands beside the planned one, or beside an alias.",
		Meets: "The previous site or the canonical one, by chance.",
		Do: "Remove it: a name leads to one place. Give a machine that is still needed a name of its " +
			"own.",
	},
	finding.MissingAddress: {
		Plain: "missing address",
		Means: "A name lacks some or all addresses of its carrier.",
		Meets: "Nothing, for some visitors, such as those with IPv6 only; or a site that cannot be " +
			"found.",
		Do: "Add what is missing: all addresses of a carrier form one record set.",
	},
	finding.AliasConflict: {
		Plain: "alias beside other records",
		Means: "An alias (CNAME) stands beside other records, at the apex, or where a name server's " +
			"own name has to be.",
		Meets: "The site for some visitors; nothing, or no mail, for others.",
		Do: "An alias stands alone, and never at the apex (RFC 1034 section 3.6.2). Replace the " +
			"alias, or what stands beside it.",
	},
	finding.WrongTarget: {
		Plain: "leads to the wrong place",
		Means: "A name that counts as moved leads elsewhere than planned.",
		Meets: "The previous site.",
		Do:    "Make the change that the plan names, or write state: planned.",
	},
	finding.DanglingAlias: {
		Plain: "unclaimed alias",
		Means: "An alias leads to a place where nobody answers for this name.",
		Meets: "A stranger's error page. Whoever claims the name there can show anything.",
		Do:    "Claim the host at the platform first, then point the name to it. Or remove the alias.",
	},
	finding.RecordLost: {
		Plain: "lost record",
		Means: "A record that existed, or that a service requires, is gone, or the move would drop it " +
			"unnoticed.",
		Meets: "Whatever depended on it: a proof of ownership, a service, a name.",
		Do:    "Put it back.",
	},
	finding.UnplannedChange: {
		Plain: "unplanned change",
		Means: "A record appeared or changed since the survey, and the plan does not know about it.",
		Meets: "Perhaps nothing. Somebody else is working in the zone.",
		Do:    "Ask who changed it. If it is wanted, write it under wanted:.",
	},
	finding.DependedOn: {
		Plain: "something else depends on it",
		Means: "Something in the estate refers to a name that is about to change.",
		Meets: "Whatever depends on it: mail, reports, a site.",
		Do:    "Change what refers to it first, or make sure that the name keeps answering.",
	},
	finding.IssuerBarred: {
		Plain: "certificate issuer not allowed",
		Means: "The CAA records of a name do not allow the planned issuer to issue its certificate " +
			"(RFC 8659).",
		Meets: "A certificate warning, once the present certificate expires or the name moves.",
		Do:    "Add a CAA record for the issuer, or choose an issuer that is allowed.",
	},
	finding.ZoneDiffers: {
		Plain: "next name servers differ",
		Means: "The next name servers of a zone do not say what the present ones say, or what the " +
			"plan requires.",
		Meets: "Whatever is missing there: mail, a door, a service. It fails for each visitor as soon " +
			"as they see the changed delegation.",
		Do: "Type what is missing there before the delegation changes, and survey again.",
	},
	finding.StaleDS: {
		Plain: "signing record that no longer fits",
		Means: "The parent zone says that the zone is signed (DS), but the zone does not fit. It has " +
			"no such key, or its signatures are wrong or not yet valid.",
		Meets: "For everybody whose resolver checks signatures, the domain does not exist.",
		Do:    "Have the registrar remove the DS record before the zone moves, or sign the zone.",
	},
	finding.SignatureExpired: {
		Plain:  "expired signature",
		Milder: "a signature that ends within a week",
		Means:  "A signature of the zone (RRSIG) has expired, or soon will.",
		Meets:  "For everybody whose resolver checks signatures, the domain does not exist.",
		Do: "Ask the DNS provider to sign the zone again. If they cannot, ask the registrar to remove " +
			"the DS record.",
	},
	finding.CutOff: {
		Plain: "record that nobody can see",
		Means: "A record stands at or below a name that is delegated to other name servers.",
		Meets: "Nothing of it: resolvers follow the delegation and never see the record.",
		Do:    "Type it at the name servers to which the name is delegated, or remove the delegation.",
	},
	finding.MovedUnseen: {
		Plain: "move of a partly seen zone",
		Means: "A zone is to move to other name servers, but not all of it was seen.",
		Meets: "Whatever depends on a record that nobody saw: mail, a service, a proof.",
		Do: "Before copying the zone, take it from its provider's export, or have it transferred " +
			"whole.",
	},
	finding.ProviderBound: {
		Plain: "depends on the present provider",
		Means: "The present provider does more than answer for the zone (forwarding, mail, parking). " +
			"That ends when the zone leaves.",
		Meets: "From that day, a door that leads nowhere, or mail that bounces.",
		Do:    "Have somebody else do it before the delegation changes, or leave the zone there.",
	},
	finding.CertificatePinned: {
		Plain: "pins a certificate that changes",
		Means: "A TLSA record says which certificate its service shows. The host moves to a carrier " +
			"with another one, so whoever checks TLSA records refuses it.",
		Meets: "Most browsers take no notice. Mail servers and others that check TLSA records refuse " +
			"the connection.",
		Do: "Have the next certificate first. Publish its TLSA record beside the present one, a TTL " +
			"before the host moves (RFC 7671 section 8). Or remove the present one that long before.",
	},
	finding.DeclaredOtherwise: {
		Plain: "estate file disagrees with what was seen",
		Means: "A survey or an audit saw a carrier do otherwise than the estate file says: TLS, " +
			"paths, queries or the kind of redirect. What was seen counts.",
		Meets: "What was seen: a warning, a lost page, or a redirect that search engines do not " +
			"follow for good.",
		Do: "Write down what the carrier does, or have it changed there. Then survey again.",
	},
	finding.DoubledName: {
		Plain: "mistyped name",
		Means: "A name contains the domain twice, or looks like a misspelled www.",
		Meets: "Nothing at the intended name.",
		Do:    "Remove it, and type the label without the domain.",
	},
	finding.WellKnownTaken: {
		Plain:  "certificate renewal swallowed",
		Milder: "without an estate",
		Means: "A catch-all redirect or page answers below /.well-known/acme-challenge/, where " +
			"certificate authorities look for a token (RFC 8555 section 8.3).",
		Meets: "Nothing, until a certificate is not renewed and expires.",
		Do:    "On http doors, exempt /.well-known/acme-challenge/ from the redirect.",
	},
}

// records are the sentences about records.
var records = []sentence{
	of[fact.AliasDisplaces]("$Name becomes an alias, and its $Type record ($Shown:shortly) cannot "+
		"stand beside it: $What would be lost.",
		"Ask the carrier for addresses and add them to it, so that no alias is needed. Or move the "+
			"record to another name first."),
	of[fact.ZoneNotWhole]("$Zone is to move to $To:and2, but not all of it was seen: $Why.",
		"Ask the present provider to transfer or export the zone, and plan from that. Records that "+
			"nobody saw would be lost."),
	of[fact.ProviderDoesMore]("$Zone leaves $From:and2, and $What. That may end with the zone.",
		"Ask there whether it continues without the zone. If not, have somebody else do it before the "+
			"delegation changes."),
	of[fact.DSUnseen]("$Zone is signed and is to move to $To:and2, but nobody saw whether the zone "+
		"above has a DS record for it. If it has, resolvers that check signatures would find nothing.",
		"Survey it, so that the zone above is asked. Or look at the registrar's page for a DS record "+
			"before the delegation changes."),
	of[fact.DSLeftBehind]("The zone moves to $To:and2, but the DS record at $Zone would stay. "+
		"Resolvers that check signatures would find nothing.",
		"In this order: have the registrar remove the DS record, wait $OldLives:seconds, move the "+
			"zone, sign it there, and only then publish the next DS record."),
	of[fact.RecordGone]("$Name $Type ($Before:shortly) existed on $Date:minute and is gone; the "+
		"plan does not remove it.",
		"Put it back, unless it was removed on purpose."),
	of[fact.RecordCame]("$Name $Type ($After:shortly) appeared after $Date:minute, and the plan "+
		"does not know about it; it stays.",
		"Ask who created it. If it is wanted, write it under wanted:."),
	of[fact.RecordChanged]("$Name $Type changed after $Date:minute from $Before:shortly to "+
		"$After:shortly, which nobody planned.",
		"Ask who changed it, and why. Then change it back, or change the estate file."),
	of[fact.NeededGone]("$By needs $Host, and nothing is there.",
		"Ask what the record was, and put it back. If nobody needs the host any more, take it out of "+
			"needed:."),
	of[fact.NeededElsewhere]("$By needs $Host at $Wanted, but it leads to $There.",
		"Point it there, or correct needed:."),
	of[fact.NeededAsItIs]("$Name $Type ($Values:shortly) is wanted, but $By needs the host as it is.",
		"Drop the line from wanted:, or take the host out of needed:."),
	of[fact.ChangeBelowDelegation]("$Name is to change in the zone $Zone, but $Delegated is "+
		"delegated to other name servers: nobody would see the change.",
		"Make the change at the name servers of $Delegated, or remove the delegation first."),
	of[fact.AliasCrowded]("$Name is an alias and has other records too ($Other). Resolvers see one "+
		"or the other, and no name server loads both.",
		"Decide which of them is needed, and remove the others before you write the zone anywhere."),
	of[fact.TokenPathTaken]("$Door $Does for a made-up token below /.well-known/acme-challenge/: a "+
		"renewal over http would not find its own.",
		"On the http door, exempt /.well-known/acme-challenge/ from what answers everything."),
	of[fact.AliasAtTop]("$Name is an alias (CNAME) at the top of its zone, where SOA and NS "+
		"records have to stand.",
		"Replace it with addresses, or with the alias that the provider offers at the apex."),
	of[fact.AliasNotAlone]("$Name is an alias (CNAME) and has other records too: $Beside. "+
		"Resolvers see one or the other.",
		"An alias stands alone: remove it, or everything else at this name."),
	by(func(f fact.AliasUnclaimed) (says, do string) {
		says = "$Host is an alias for $Target, where nobody answers for this name: $Why."
		if f.Own {
			return says, "Give $Target an address, or remove the alias."
		}
		return says, "Claim the name at the target's provider, or remove the alias: a stranger could " +
			"claim it."
	}),
	of[fact.DomainDoubled]("$Name contains the domain twice: a full name was typed into a form "+
		"that adds the domain itself.",
		"Remove it, and type $Label:q if the record is still wanted."),
	of[fact.WWWMistyped]("$Name looks like a misspelled www.$Domain.",
		"Remove it if nobody uses it."),
	of[fact.TargetDoubled]("The $Type record of $Name leads to $Target, which contains the domain "+
		"twice.",
		"Type the target with its final dot, or without the domain."),
	of[fact.ServerIsAlias]("The name server $Server of $Domain is an alias for $Alias; many "+
		"resolvers do not accept that.",
		"Name the machine itself in the delegation and in the zone's NS records, or give the name "+
			"addresses of its own."),
	of[fact.BelowDelegation]("$Name $Type stands in the zone $Zone, but $Delegated is delegated to "+
		"other name servers: nobody sees the record.",
		"Type it at the name servers of $Delegated if it is wanted, and remove it here."),
	of[fact.WantedNotThere]("$Name $Type $Plain is wanted and the domain counts as moved, but the "+
		"record does not exist.",
		"Add it. If nobody needs it any more, take it out of wanted:."),
	of[fact.RecordRefers]("The $Type record of $Name refers to $Target, which is about to change.",
		"Make sure that $Target keeps answering, or change the $Type record of $Name first."),
	of[fact.SignatureEnded]("The signature of $Name $Type expired on $Date:minute, $Ago ago; $For.",
		"Ask the DNS provider to sign the zone again at once. If they cannot, ask the registrar to "+
			"remove the DS record."),
	of[fact.SignatureEarly]("The signature of $Name $Type is valid only from $Date:minute, in $In; "+
		"$For.",
		"Ask the DNS provider to correct the clock of the machine that signs the zone, and to sign it "+
			"again."),
	of[fact.SignatureWrong]("The signature of $Name $Type is not valid: $Fault; $For.",
		"Ask the DNS provider to sign the zone again at once. If they cannot, ask the registrar to "+
			"remove the DS record."),
	of[fact.DSRemembered]("The DS record of $Name is gone from the parent zone, and "+
		"$Resolvers:and still $Resolvers/holds/hold it: no answer without its signatures.",
		"Wait until $Until:minute at the latest; nothing else is to be done."),
	of[fact.SignaturesNotTaken]("$Resolvers:and $Resolvers/answers/answer about $Name only when "+
		"told not to check its signatures. None of the signatures seen has expired.",
		"Ask the DNS provider why its signatures are not accepted. Until then, have the registrar "+
			"remove the DS record."),
	of[fact.SignatureEnding]("The signature of $Name $Type expires on $Date:minute, in $In, unless "+
		"the zone is signed again before.",
		"Make sure that the zone is signed in time, before you change anything else."),
	of[fact.NoFittingKey]("The parent zone ($Parent) says that $Name is signed (DS), but the "+
		"zone has no key that "+
		"fits. Resolvers that check signatures find nothing there.",
		"Have the registrar remove the DS record, or sign the zone with the key that it names."),
	phrase[fact.Wildcard](
		"Every name below $Name answers (a wildcard), so a missing name goes unnoticed."),
	phrase[fact.ManyAddresses]("$Name has several $Type records ($Values). A move has to change " +
		"all of " +
		"them; otherwise visitors get one or the other by chance."),
	phrase[fact.TwoMachines](
		"$Domain and its www are on different machines: $Apex and $WWW. Move both."),
	phrase[fact.WWWMissing](
		"$Domain has addresses, and www.$Domain has none: visitors who type www find nothing. Create " +
			"it."),
	phrase[fact.OneHasIPv6]("Only one of $Domain and its www has an IPv6 address. " +
		"A move that changes A records alone would leave it behind."),
	phrase[fact.OneServer]("$Domain has a single name server ($Server). While it is down, nothing " +
		"of the " +
		"domain can be reached. Ask the DNS provider for a second one, in another network."),
	phrase[fact.OneMachine]("The name servers of $Domain ($Servers) are one machine ($Address). " +
		"While it " +
		"is down, nothing of the domain can be reached. Ask the DNS provider for another, in another " +
		"network."),
	phrase[fact.LongTTLs]("Resolvers keep these records of $Domain for a week or longer: " +
		"$Records:few5. " +
		"Lower the TTL that long before you change them."),
	phrase[fact.ZeroTTLs]("These records of $Domain have a TTL of 0 s, so every visitor waits for " +
		"them: " +
		"$Records:few5. Give them a TTL of some minutes at least."),
	phrase[fact.PartDelegated]("$Name is delegated to other name servers ($Servers:few5), so its " +
		"records " +
		"are not in this zone. To move it, survey it as a domain of its own."),
	phrase[fact.SignedForNobody]("$Domain is signed, but the parent zone has no DS record, so " +
		"nobody " +
		"checks the signatures. If they should be checked, ask the registrar to set it; a move needs " +
		"nothing."),
	phrase[fact.WantedUnseen]("$Name $Type $Value is wanted; nobody answered whether it is there."),
	phrase[fact.WantedNotYet]("$Name $Type $Value is wanted, and not there yet."),
	phrase[fact.TargetMissing]("the target does not exist"),
	phrase[fact.TargetAddressless]("the target has no address"),
	phrase[fact.DoorAnswers]("$Door answers $Status"),
	phrase[fact.DoorSilent]("$Door does not answer"),
	phrase[fact.SeenThere]("$Doors"),
	by(func(f fact.NobodyFinds) (says, do string) {
		if len(f.Resolvers) == 0 {
			return "resolvers that check signatures find nothing there", ""
		}
		return wording.And(f.Resolvers) + wording.Verb(len(f.Resolvers), " finds", " find") +
			" nothing there", ""
	}),
	by(func(f fact.NameFollows) (says, do string) {
		return "$Host follows $Follows, whose address changes with the web, and is no door itself.",
			untie(f.InPlace)
	}),
	phrase[fact.LosesMail]("mail"),
	phrase[fact.LosesRecord]("a record that somebody may need"),
	of[fact.AliasWantedBeside](
		"$Name is wanted as an alias, and has a $Other record already ($Values:shortly).", anotherName),
	of[fact.AliasWantedWith](
		"$Name is wanted as an alias, and $Other is wanted there too ($Values:shortly).", anotherName),
	of[fact.BesideCarrierAlias](
		"$Name $Type ($Values:shortly) is wanted, but $Name leads to $Carrier by an alias "+
			"($Alias:shortly), beside which nothing can stand.", anotherName),
	of[fact.BesideAlias](
		"$Name $Type ($Values:shortly) is wanted, but $Name is an alias for $Alias, beside which "+
			"nothing "+
			"can stand.", anotherName),
	of[fact.SecondWay](
		"$Host leads to $Carrier ($Values:shortly), and $Addresses $Addresses/is/are to stay beside it. "+
			"Visitors get one or the other by chance.", dropWanted),
	of[fact.EdgeBypassed](
		"$Host goes through $Carrier, and $Addresses $Addresses/bypasses/bypass it: no pattern for "+
			"this host would work.",
		dropWanted),
	phrase[fact.AskedByName]("it was asked about name by name, and other records may exist"),
	phrase[fact.NobodyAnswered]("for one, nobody answered about $Name $Type"),
	phrase[fact.MailOfProvider](
		"its mail goes to $Target, of the same provider (a mailbox there, or mail forwarding)"),
	phrase[fact.ForwardedByZone]("$Carrier forwards $Host today, with its own name servers"),
	phrase[fact.ProvidersAlias]("the alias at its apex $Host is one that only its provider offers"),
	of[fact.ComingSilent]("The next name server $At does not answer for $Zone: $Detail.",
		"Create the zone there before the delegation changes."),
	of[fact.ComingUnasked]("The next name server $At could not be asked about $Zone: $Detail.",
		"Survey it once more before the delegation changes."),
	by(func(f fact.ComingDiffers) (says, do string) {
		return comingSays(f.OldDiffers),
			"Type it there as the plan says, before the delegation changes."
	}),
	of[fact.MovedLacksRecord](
		"$Zone counts as moved, but its $Type record $Name ($Wanted:shortly) is not there.", "Add it."),
	of[fact.MovedLeftover]("$Zone counts as moved, but $Name still leads to $Left:shortly too.",
		"Remove it."),
	of[fact.MovedElsewhere](
		"$Zone counts as moved, but $Name leads to $Leads instead of $Wanted:shortly.",
		"Replace it, or write state: planned."),
	of[fact.MovedLacks]("$Zone counts as moved, but $Name lacks $Missing:shortly.",
		"Add it: all addresses of a carrier form one record set."),
	of[fact.MovedNowhere]("$Zone counts as moved, but $Name has no address at all.",
		"Add $Type $Wanted:shortly."),
	of[fact.MovedByChance]("$Zone counts as moved, but $Name still leads to $Left:shortly too. "+
		"Visitors get one or the other by chance.", "Remove it."),
	by(func(f fact.IssuerKeptOut) (says, do string) {
		if len(f.Critical) > 0 {
			return "A CAA record at $At has the property $Critical, which is marked as critical and which " +
					"no issuer knows. So nobody issues certificates for $Names (RFC 8659 section 4.1).",
				"Remove that record at $At before the certificate is requested."
		}
		says = "The CAA records at $At allow $May to issue certificates for $Names, "
		if f.Issuer == "" {
			return says + "and not the issuer of $Carrier.", "Find out who issues the certificates of " +
				"$Carrier. Write it as issuer:, and add a CAA record for it at $At."
		}
		return says + "and not $Issuer, which is to issue that of $Carrier.",
			"Add CAA 0 $Tag $Issuer:q at $At before the certificate is requested."
	}),
	of[fact.SeenNoTLS]("$Carrier does not speak TLS, seen at $URLs:few3. The estate file says "+
		"otherwise.",
		"Write tls: no at $Carrier, or have TLS set up there. Then survey again."),
	of[fact.SeenPathCut]("$Carrier cuts the path, seen at $URLs:few3. The estate file says otherwise.",
		"Take path out of keeps: at $Carrier, or switch it on there. Then survey again."),
	of[fact.SeenQueryCut]("$Carrier drops the query, seen at $URLs:few3. The estate file says "+
		"otherwise.",
		"Take query out of keeps: at $Carrier, or switch it on there. Then survey again."),
	of[fact.SeenForNow]("$Carrier redirects temporarily (302, 303 or 307), seen at $URLs:few3. "+
		"The estate file says otherwise.",
		"Choose permanent there, where it is offered, and survey again. "+
			"Otherwise give its hosts to another carrier."),
	of[fact.SeenFrame]("$Carrier shows the site in a frame instead of redirecting, seen at "+
		"$URLs:few3. "+
		"The estate file says otherwise.",
		"Switch the frame (masking) off there, and survey again. "+
			"Otherwise write frames: yes at $Carrier, and give its hosts to another carrier."),
}
