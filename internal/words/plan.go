package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/wording"
)

// plan are the sentences about what is planned, and who can carry it.
var plan = []sentence{
	of[fact.FormLosesServers]("$Carrier is to forward $Host, but does so only on its own "+
		"provider's name servers. The zone moves to $To:and2, and the forwarding ends.",
		"Give $Host to a carrier that does not depend on the name servers, or leave the zone where it "+
			"is."),
	of[fact.FormElsewhere]("$Carrier is to forward $Hosts, but does so only on its own name "+
		"servers ($NameServers). The zone is at $Zone.",
		"Move the zone there (name-servers:), or give these hosts to a carrier that does not depend "+
			"on the name servers."),
	of[fact.TooManyRules]("$Carrier takes at most $Most:rule, and $Rules are planned there, with "+
		"one for each host.",
		"Buy a larger plan there, write fewer rules, or give some hosts to another carrier."),
	of[fact.TooManyHosts]("$Carrier takes at most $Most:host, and $Count are planned there: $Hosts.",
		"Buy a larger plan there, or give some of the hosts to another carrier."),
	of[fact.SiteApexOnly]("$Carrier takes apexes only and cannot serve the site at $Host.",
		"Have another carrier serve the site."),
	of[fact.SiteNoTLS]("$Carrier does not speak TLS, but should serve the site at https://$Host.",
		"Have a carrier that speaks TLS serve the site."),
	of[fact.SiteAliasAtApex]("$Carrier is reached only by the alias $Alias, which cannot stand at "+
		"the apex $Host, where the site is.",
		"Ask $Carrier for addresses and add them to the carrier. If the zone's provider offers an "+
			"alias at the apex, write apex-alias: yes. Otherwise move the site to https://www.$Host."),
	of[fact.StarsMislead]("Typed with stars, the patterns of $Host at $Carrier send $URL to $Typed "+
		"instead of $Planned.",
		"Use the finer pattern language of the network if it has one, or give the host to a server."),
	of[fact.RuleTakesNeeded]("$Place would redirect $Host, which $By needs.",
		"Drop the rule. If nobody needs the host any more, take it out of needed:."),
	of[fact.RuleOfSite]("$Place is about $Host, which the site itself serves; no carrier can hold it.",
		"Set up the redirect on the site, and write it down in site.rules."),
	of[fact.TTLNotLowered]("No row of a sheet lowers the TTL of $Name $Type to $Wanted s before it "+
		"changes; it is $TTL s.",
		"Lower it first, and wait as long as the TTL was: resolvers keep the previous answer for that "+
			"long."),
	of[fact.SheetsLeave]("Typed row by row, the sheets leave $Name $Type in $Zone at "+
		"$Typed:nothing. The plan and its zone file say $Wanted:nothing.",
		"Type none of it. Survey again, and plan from that survey."),
	of[fact.FileDiffers]("The zone file of $Zone has $Name $Type as $Wanted:nothing. Typed row by "+
		"row, "+
		"the sheets leave it at $Typed:nothing.",
		"Write the zone and the sheets again, and take both from the same survey: "+
			"`upperpath write zone`."),
	of[fact.SheetsLeaveTTL]("Typed row by row, the sheets leave $Name $Type with a TTL of $Typed s "+
		"instead of $Wanted s.",
		"Set that TTL where the zone is held."),
	of[fact.CarrierUntold]("No sheet adds $Hosts:few3 at $Carrier. Visitors who come by such a "+
		"name are refused, or see another site.",
		"Give these hosts to another carrier, or add them at $Carrier before their records change."),
	of[fact.TypedOtherwise]("Typed as the sheet says, $Carrier $What.",
		"Write the rule so that it can be typed there, or give the host to a server."),
	of[fact.NothingTells]("No sheet tells $Place $What.",
		"Survey again, and plan from that survey."),
	of[fact.SiteUntold]("No sheet tells the site to redirect $Host to $Canonical.",
		"Choose the primary host there."),
	of[fact.AliasBehindFile]("What is behind $Through is typed as an alias at the apex $Name "+
		"($Target). A zone file cannot hold that, and nothing replaces it.",
		"Type the alias at $Through once the file is loaded there."),
	of[fact.CarrierCannot]("$Carrier cannot hold $Rules: $URL ends at $Arrival instead of $Target.",
		"Give $Host to a carrier that looks at paths and queries."),
	of[fact.ApexOnly](
		"$Carrier takes apexes only and cannot carry $Subjects:few3; visitors find no site there.",
		"Give hosts that are not an apex to another carrier, such as carrier: {apex: $Carrier, www: "+
			"NAME}."),
	of[fact.SpeaksNoTLS]("$Carrier does not speak TLS, so nobody answers at $Subjects:few3. "+
		"Browsers try https first, and say that the site refused to connect.",
		"Give these hosts to a carrier that speaks TLS."),
	of[fact.ShowsInFrame]("$Carrier shows the site in a frame under $Subjects:few3 instead of "+
		"redirecting. Every page has the same address, and search engines keep the old name.",
		"Switch the frame (masking) off at $Carrier, or give these hosts to another carrier."),
	of[fact.DropsPath]("$Carrier drops the path, and $Subjects:few3 should keep it (fallback: "+
		"same-path). Every old link ends at the start.",
		"Give these hosts to a carrier that keeps the path, or accept fallback: home."),
	of[fact.AliasAtApex](
		"$Carrier is reached only by the alias $Alias, which cannot stand at the apex $Host.",
		"Ask $Carrier for addresses and add them to the carrier. If the zone's provider offers an alias "+
			"at the apex, write apex-alias: yes. Otherwise give the apex to another carrier."),
	of[fact.OnePlaceOnly](
		"$Carrier forwards everything to one place and cannot hold $Rules:the_rule of $Host.",
		"Give $Host to a carrier that looks at paths."),
	of[fact.WholeHostsOnly]("$Carrier redirects whole hosts and cannot hold $Rules:the_rule of $Host.",
		"Give $Host to a carrier that looks at paths, or set the rules up on the site behind it "+
			"(site.rules)."),
	of[fact.SamePathOnly](
		"$Carrier redirects $Host to the same path of the canonical site; it cannot lead it to $LeadsTo.",
		"Give $Host to another carrier, or let it lead to / with fallback: same-path."),
	of[fact.LinePerURL](
		"$Carrier holds a line for each old URL, and $Patterns:rule of $Host $Patterns/stands/stand for "+
			"many URLs.",
		"Write these rules out, URL by URL, or give the host to a server."),
	of[fact.StarsToTheLetter]("$Domain says $Keys, but patterns with stars compare paths exactly.",
		"Write a rule for each way in which the paths were written, or use the finer language of "+
			"$Carrier "+
			"if it has one. Otherwise give the domain to a server."),
	of[fact.StarsAskNothing](
		"$Rule asks for a query parameter ($Old), which patterns with stars cannot.",
		"Use the finer language of $Carrier if it has one, or give the host to a server."),
	of[fact.PatternsOfHost](
		"$Carrier takes at most $Most:pattern, and the rules of $Host need $Patterns.",
		"Write fewer rules with captures, or choose another carrier."),
	of[fact.PatternsOfDomain](
		"$Carrier takes at most $Most:pattern, and $Domain needs $Patterns there, with the one for "+
			"everything else.",
		"Write fewer rules, buy a larger plan there, or choose another carrier."),
	phrase[fact.CannotTLS]("no TLS: https doors do not answer"),
	phrase[fact.CannotPath]("drops the path"),
	phrase[fact.CannotQuery]("drops the query"),
	phrase[fact.CannotWWW]("apexes only"),
	phrase[fact.CannotRedirect]("shows the target in a frame instead of redirecting"),
	phrase[fact.CannotRules]("holds no rules"),
	phrase[fact.MostPatterns]("at most $Most:pattern"),
	phrase[fact.MostHosts]("at most $Most:host"),
	phrase[fact.MostRules]("at most $Most:rule"),
	phrase[fact.FetchesPlain]("fetches from its origin by plain http"),
	phrase[fact.CertificateLate]("gets its certificates only after the names point to it"),
	of[fact.RowUnfit]("A row of a sheet cannot be typed as it is: $Why.",
		"Type none of it. Survey again, and plan from that survey."),
	of[fact.MailWouldMove]("Mail for $Domain ends at $Before today, and at $After once this is "+
		"typed: "+
		"$Row.",
		"Give its mail a name and address of its own first, in its own zone. "+
			"Or write the records that it should have after the move under wanted:."),
	by(func(f fact.SendersLose) (says, do string) {
		does, then := "allows", "but no longer"
		if f.Doubted {
			does, then = "does not refuse", "but would"
		}
		if f.Broken {
			then = "and can no longer be read"
		}
		who := wording.Few(f.Senders, 3)
		switch {
		case f.Everybody && who == "":
			who = "everybody else"
		case f.Everybody:
			who += " and everybody else"
		}
		return "The SPF record of $Domain " + does + " " + who + " today, " + then +
				" once this is typed: $Row.",
			"Write the addresses that send mail today into its SPF record first, " +
				"or write the record that it should have under wanted:."
	}),
	of[fact.AliasWouldFollow]("The CNAME record of $Name refers to $Target, which ends at $Before "+
		"today. "+
		"$Name would follow to $After once this is typed: $Row.",
		"Lead $Name to today's address itself, or list it under hosts: if it is a door. "+
			"Do that before $Target changes."),
	of[fact.RecordWouldFollow](
		"The $Type record of $Name refers to $Target. It ends at $Before today, and at $After once this "+
			"is typed: $Row.",
		"Give the machine that it means a name of its own with today's address. "+
			"Have the $Type record name that, before $Target changes."),
	of[fact.NeededWouldMove](
		"$Host is needed where it is, at $Before, and would lead to $After once this is typed: $Row.",
		"Lead it to today's address itself first, or take it out of needed: if nobody needs it any "+
			"more."),
	of[fact.DoorWouldGo](
		"$Host leads to $Before today, and nowhere once this is typed: $Row.",
		"Add its planned records before the present ones go."),
	of[fact.LeadsUntold](
		"$Host leads to $Carriers:or2, which does not know it yet, once this is typed: $Row.",
		"Add $Host at $Carriers:or2 first, or lead it to its carrier before anything else."),
	of[fact.StandsTogether](
		"$Name has records that cannot stand together ($Records) once this is typed: $Row.",
		"Decide which of them is needed, and remove the others first."),
	of[fact.HeldElsewhere](
		"Whoever still holds older answers about $Name is led to $After for up to $For once this is "+
			"typed: $Row. Today it ends at $Before.",
		"Wait until nobody holds them any more before this row is typed. Survey again, and plan from "+
			"that survey."),
	of[fact.HeldDark](
		"Whoever still holds older answers about $Host is led nowhere for up to $For once this is "+
			"typed: $Row.",
		"Wait until nobody holds them any more before this row is typed. Survey again, and plan from "+
			"that survey."),
	of[fact.HeldUntold](
		"Whoever still holds older answers about $Host is led to $Carriers:or2, which does not know it, "+
			"for up to $For once this is typed: $Row.",
		"Add $Host at $Carriers:or2 first, or lead it to its carrier before anything else and wait."),
	of[fact.HeldSenders](
		"Whoever still holds older answers refuses or doubts $Senders:few3, which sends for $Domain "+
			"today, for up to $For once this is typed: $Row.",
		"Write the addresses that send mail today into the SPF record, and wait for its TTL before this "+
			"row is typed."),
	of[fact.HeldPastWait](
		"When the plan says that nobody holds older answers any more, some still hold $Name $Type for "+
			"up to $Left. Its TTL was $TTL s.",
		"Lower that TTL with the others, and wait as long as it was, before anything changes."),
	of[fact.DelegationPastWait](
		"When the plan says that nobody holds older answers any more, some still ask the previous name "+
			"servers of $Zone for up to $Left.",
		"Wait for the TTL of the delegation."),
	of[fact.LeadsUncertified](
		"$Host leads to $Carrier, which has no certificate for it by then, once this is typed: $Row.",
		"Get the certificate at $Carrier first. If it can be had only afterwards, write certificate: "+
			"after."),
	of[fact.EdgeAbandoned](
		"$Host still leads to $Carrier once this is typed: $Row. An edge network serves a zone only as "+
			"long as it holds it, so the host goes dark.",
		"Write what is behind $Carrier under origin: of the domain, or give the network's export with "+
			"--zone. The copy for the next name servers then has the true addresses."),
	of[fact.EdgeElsewhere]("$Carrier answers $Subjects:few3 only where it holds the zone, at "+
		"$Own:and2. "+
		"The zone is to be at $Servers:and2.",
		"Leave name-servers: out of the domain, so that the zone moves to $Carrier, or give these hosts "+
			"to another carrier."),
	of[fact.PrimaryElsewhere]("$Carrier leads hosts only to a primary host of its own and holds no "+
		"rules. The site $Canonical is elsewhere, so $Host cannot be led there.",
		"Give $Host to another carrier. If the site is at $Carrier, write carrier: $Carrier under site."),
	of[fact.TokensRedirected]("$Carrier is to get its certificates once the names lead there, but "+
		"redirects $Path, where certificate authorities look for a token.",
		"Add $Path to policy.exempt, or prove the names by DNS and write certificate: before."),
	phrase[fact.NoSuchPrimary]("$Carrier has no host $Host to lead others to"),
	of[fact.StarOneByOne]("$Carrier takes hosts one by one, and cannot answer for all names at $Host.",
		"Give $Host to a server of your own, or list the hosts that people type."),
	of[fact.StarUnproved]("$Carrier gets its certificates only once names lead there, and a "+
		"certificate "+
		"for $Host is issued by a proof in DNS alone (RFC 8555 section 7.1.3).",
		"Write certificate: before at $Carrier, or list the hosts that people type."),
	by(func(f fact.PinnedCertificate) (says, do string) {
		says = "The TLSA record at $Name pins the certificate of $Host, which moves to a carrier with " +
			"another one."
		switch {
		case f.Wanted:
			return says + " The plan adds the one that is wanted beside it, before the host moves.",
				"Once everybody reaches the new carrier, remove the old one at $Name."
		case f.Several:
			return "Several TLSA records stand at $Name. One of them has to be of the certificate that " +
					"$Host has at its next carrier.",
				"Compare them with that certificate before $Host moves."
		}
		return says, "Have the next certificate first. Write its TLSA record under wanted:, and the " +
			"plan " +
			"adds it beside the present one before the host moves; that takes $For. Or remove the " +
			"present one that long before, and survey again."
	}),
	of[fact.BarredThen]("The CAA records at $At let $May issue when the certificate of $Host is to "+
		"be "+
		"had at $Carrier ($Row). $Issuer, who issues there, may not yet.",
		"Type the CAA record that allows $Issuer first, and wait for its TTL."),
	of[fact.ProofElsewhere]("The proof of $Host is to be typed at $Name, which leads to $Target: "+
		"no TXT "+
		"record can stand there.",
		"Type the TXT record at $Target instead, with the value that the issuer gives."),
	of[fact.OriginIsEdge]("What stands behind $Carrier at $Host is not known: the addresses under "+
		"site.addresses are those of $Carrier itself.",
		"Write the true addresses of the site under site.addresses, or under origin: of the domain."),
	of[fact.DSOutlivesKeys](
		"Resolvers that check signatures may still hold the DS record of $Zone once this is typed: "+
			"$Row. They refuse the whole zone then.",
		"Have the registrar remove the DS record first, and wait for its TTL."),
	phrase[fact.TooEarly]("$Carrier takes this for $Host only after the $Needs"),
	phrase[fact.NoSuchEntry]("no such entry is known"),
	phrase[fact.NotForwarded]("nothing of the kind is forwarded there"),
	phrase[fact.NoTakingOut]("such an entry cannot be taken out"),
	phrase[fact.ProofDiffers]("the certificate and its proof are for different names"),
	phrase[fact.NoSuchZone]("the estate has no zone of this name"),
	phrase[fact.NoSuchRecord]("no such record exists"),
	phrase[fact.ThereAlready]("it exists already"),
	phrase[fact.NobodyCan]("there is no such action"),
	phrase[fact.ToldBehind]("asks $Behind instead of $Wanted"),
	phrase[fact.ToldNothing]("knows nothing of $URL"),
	phrase[fact.ToldFrame]("shows it in a frame"),
	phrase[fact.ToldToSend]("sends $URL to $Says instead of $Planned"),
	phrase[fact.LacksCertificate]("to get the certificate for $Host"),
	phrase[fact.LacksOrigin]("how to ask its origin, $Behind"),
	phrase[fact.LacksZone]("to take the zone over with its name servers"),
	phrase[fact.LacksDeletion](
		"to delete its forwarding of $Host, which writes its address back into the zone"),
	phrase[fact.LacksServers]("the name servers $Servers:and2"),
	phrase[fact.LacksDS]("to remove the DS record $DS"),
	phrase[fact.LacksAwaited]("which records it waits for"),
	phrase[fact.LacksRecord]("that it waits for $Record"),
	phrase[fact.LacksRecordAs]("that it waits for $Record as $Values"),
	of[fact.AliasOutsideFile](
		"$Name is an alias at the apex ($Target), which a zone file cannot hold, and nothing replaces "+
			"it.",
		setAlias),
	of[fact.AddressesInFile](
		"$Name is an alias at the apex ($Target), which a zone file cannot hold. Today's addresses "+
			"replace it ($Instead), and nobody updates them.", setAlias),
	phrase[fact.ZoneUnseen]("no survey has seen this zone"),
	phrase[fact.ServersUnsaid]("no name servers are named for the new zone"),
	phrase[fact.NothingToCopy]("the zone $Zone does not exist yet, so there is nothing to copy"),
	phrase[fact.WouldLose](
		"no survey has seen the zone $Zone, so a file of it would lose what it has"),
	phrase[fact.SOAUnseen]("nobody showed the SOA record of $Zone; no name server loads a zone " +
		"without it"),
	phrase[fact.NoServers](
		"no name servers are named for the new zone $Zone: write name-servers: into its line, as the " +
			"provider's page names them"),
	phrase[fact.ServerInZone]("the name server $Server lies in the new zone $Zone itself, and its " +
		"address " +
		"is unknown: write it as a wanted record"),
	phrase[fact.ChoiceTwice]("$Choices: $Choice appears twice; expected each choice once"),
	phrase[fact.ChoicesMixed]("$Choices: carriers and canonical hosts cannot be compared with each " +
		"other; " +
		"expected names of carriers, or www,apex"),
	phrase[fact.ChoiceUnknown]("$Choice: no such carrier; expected some of $Known, or www,apex for " +
		"the " +
		"canonical host"),
	phrase[fact.LeadsAwayToday]("$URL answers $Status to $To today. Browsers that remember it " +
		"leave the " +
		"canonical site, come back, and loop."),
	bad[fact.NoSuchWave]("no domain is in this wave", "one of the waves in the estate file", ""),
	bad[fact.NoSuchDomain]("the estate has no such domain", "a domain of the estate file or wave:N",
		""),
	phrase[fact.TakesApexOnly]("$Carrier takes the apex only"),
	phrase[fact.SpeaksNone]("$Carrier does not speak TLS"),
	phrase[fact.TypedNowhere]("as typed, no record leads $Host anywhere"),
	phrase[fact.TypedAway]("as typed, $Host leads to $Ends:few3, where nobody of the estate answers"),
	of[fact.TypedAmiss]("What is typed at $Carrier for $Zone is not what the plan means, so nothing "+
		"can be proved of its doors.",
		"Write the sheets again, and type what they say: "+
			"`upperpath write sheet`."),
	phrase[fact.NobodyTells]("no sheet adds $Host at $Carrier"),
	phrase[fact.NobodyBehind]("nothing is behind $Carrier"),
	phrase[fact.NoRecordGiven]("the plan gives it no record"),
}
