package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// reachingCodes are what codes mean that are about whether an address answers.
var reachingCodes = map[finding.Code]Meaning{
	finding.NoAddress: {
		Plain: "no address",
		Means: "The name does not lead to any address: it, or its whole domain, does not exist, or it " +
			"has neither an A nor an AAAA record.",
		Meets: "The browser says that the site cannot be found.",
		Do: "Create the record: A, AAAA or CNAME, also for a www that was never created. Register or " +
			"renew the domain first if it does not exist.",
	},
	finding.Refused: {
		Plain: "connection refused",
		Means: "The address refuses connections on this port.",
		Meets: "The browser says that the site refused to connect.",
		Do: "Have the carrier listen on this door, or point the name to a carrier that does. A " +
			"forwarding form without TLS refuses every https visitor.",
	},
	finding.Unreachable: {
		Plain: "unreachable",
		Means: "The address cannot be reached: a router on the way, or the local network, says so at " +
			"once.",
		Meets: "The browser says that the address is unreachable.",
		Do: "Check whether the address is right and its network is announced. Look from another " +
			"vantage too: the fault may lie between this one and the address.",
	},
	finding.Timeout: {
		Plain: "no answer in time",
		Means: "Nothing answered in time, not even when asked again.",
		Meets: "The browser waits a long time and gives up.",
		Do: "Check whether the machine still exists, and whether a firewall drops the connection. " +
			"Otherwise point the name elsewhere.",
	},
	finding.TLSFailed: {
		Plain: "no secure connection",
		Means: "The address accepts connections, but no TLS connection can be made.",
		Meets: "The browser says that it cannot make a secure connection, and offers no way past.",
		Do:    "Set up TLS 1.2 or 1.3 on this door, with a certificate for this name.",
	},
	finding.BadAnswer: {
		Plain: "not a web answer",
		Means: "The answer is not HTTP, or breaks off too early.",
		Meets: "The browser says that the site sent an invalid response.",
		Do:    "Look at what listens on this port; the finding quotes the answer.",
	},
	finding.SplitAnswers: {
		Plain:  "different answers",
		Graver: "one of the addresses does what would be an error at the door",
		Means: "Addresses, resolvers, name servers, vantages or kinds of visitors get different " +
			"answers to the same question.",
		Meets: "One page today and another tomorrow, or none, by chance.",
		Do: "Make them agree. A resolver keeps a previous answer until its TTL has passed: wait for " +
			"that.",
	},
	finding.TurnedAway: {
		Plain: "robots are turned away",
		Means: "The answer is a challenge or a refusal for robots: a page that asks whether the " +
			"visitor is human, or a limit on requests. Or the server is busy (429, 503), or its page is " +
			"packed in a way that was not read. It says nothing about the door.",
		Meets: "Most likely the page. This program, and perhaps search engines, do not see it.",
		Do: "Look at it in a browser. Ask whoever protects the site to let this program's User-Agent " +
			"through, or look from a vantage that it trusts.",
	},
}

// reaching are the sentences about whether an address answers.
var reaching = []sentence{
	of[fact.EndsUnanswered]("$URL leads to $Door, where nobody answers.",
		"Point it to a door that has a carrier."),
	of[fact.VisitorsDiffer]("$Entry does not answer all visitors alike: $Ways:semicolons.",
		"Find out what decides between visitors, place or kind of visitor, and whether that is "+
			"intended."),
	of[fact.ServerFails]("The name server $At of $Domain $Does: $Detail.",
		"Have it serve the zone, or remove it from the delegation and from the zone's NS records."),
	of[fact.ServersListedTwice]("The parent zone names the servers $Parent; the zone itself names "+
		"$Zone.",
		"Make both lists the same: the one at the registrar, and the zone's NS records."),
	of[fact.VersionsDiffer]("The name servers of $Domain hold different versions of the zone: "+
		"$Serials:semicolons.",
		"Wait some minutes. If they still differ, ask the DNS provider why the others do not follow."),
	of[fact.GlueDiffers]("The parent zone gives the name server $Server the address $Glue (glue); "+
		"the zone itself gives it $Zone:nothing.",
		"Make both say the same: have the registrar change the glue address, or correct the zone."),
	of[fact.RegistrationDiffers]("The registration names the servers $Registration; the parent "+
		"zone names $Parent.",
		"Ask the registrar which is right. If they were changed just now, the parent zone follows "+
			"within a day."),
	of[fact.HintsDiffer]("The $Type record of $Name hints at $Hints; its $Kind records say "+
		"$Addresses. Browsers that read the hints go elsewhere than others.",
		"Remove the hints, or change them whenever the addresses change."),
	by(func(f fact.NoRecord) (says, do string) {
		return "$Host leads to no address: $Detail.",
			aliasElse(f.Alias, "Create an A, AAAA or CNAME record for $Host.")
	}),
	by(func(f fact.NoDomain) (says, do string) {
		return "$Host leads to no address: $Detail.", aliasElse(f.Alias,
			"Ask the client's registrar whether the domain of $Host is still registered and delegated. "+
				"If it is not, register or renew it, or take it off the list; no record can be created before.")
	}),
	of[fact.NotResolved]("$Host leads to no address: $Detail.",
		"Check whether the name servers of $Host answer; a survey asks each of them. "+
			"Until they do, visitors find nothing there."),
	of[fact.AliasesLoop]("$Host leads to no address: $Detail.",
		"Point one of the aliases behind $Host to the right machine, or give it addresses."),
	of[fact.SignedLongAgo]("$Host leads to no address: $Detail.",
		"Ask the DNS provider to sign the zone of $Host again at once. "+
			"If they cannot, ask the registrar to remove the DS record."),
	of[fact.SignedBefore]("$Host leads to no address: $Detail. The DS record is gone from "+
		"the parent zone, and this resolver still holds it.",
		"Wait until $Until:minute at the latest; nothing else is to be done."),
	of[fact.SignedWrong]("$Host leads to no address: $Detail.",
		"Ask the registrar of the domain of $Host to remove the DS record, "+
			"or the DNS provider to sign the zone with the key that it names."),
	of[fact.ConnectionRefused]("$Door does not answer: $Detail.",
		"Have the carrier of $Door listen there, or point $Host elsewhere."),
	of[fact.NoRoute]("$Door does not answer: $Detail.",
		"Check whether $Address is the right address and its network is announced; "+
			"otherwise point $Host elsewhere. Others may reach it: look from another vantage too."),
	of[fact.NoAnswerInTime]("$Door does not answer: $Detail.",
		"Check whether that machine still answers; otherwise point $Host elsewhere."),
	of[fact.NoTLS]("$Door does not answer: $Detail.",
		"Set up TLS on this door, with a certificate for $Host."),
	of[fact.NotHTTP]("$Door does not answer: $Detail.",
		"Look at what listens there: it does not speak HTTP correctly."),
	by(func(f fact.AddressesDiffer) (says, do string) {
		return "The addresses of $Host do not behave the same: $Does:semicolons.", "$Advice"
	}),
	by(func(f fact.FindTheRightOne) (says, do string) {
		return "Find out which of them is right. Make the others do the same, or take them out of the " +
			"records." + left(f.Left), ""
	}),
	by(func(f fact.DoAsTheOther) (says, do string) {
		return "Make $Stray:few3 do as $Address does, or take it out of the records of $Host." +
			left(f.Left), ""
	}),
	by(func(f fact.TakeOthersOut) (says, do string) {
		return "Find out which of them is meant to stay. Take the others out of the records of $Host." +
			left(f.Left), ""
	}),
	by(func(f fact.StillMet) (says, do string) {
		if f.Until.IsZero() {
			return "Visitors can reach a removed address for up to $For:most more, the rest of its TTL.", ""
		}
		return "Visitors can reach a removed address for up to $For:most more, the rest of its TTL: " +
			"until $Until:clock.", ""
	}),
	phrase[fact.AddressUnseen]("$Address could not be seen from here"),
	phrase[fact.AddressSilent]("$Address does not answer: $Detail"),
	phrase[fact.AddressDoes]("$Address $Does"),
	phrase[fact.AddressRedirects]("$Address redirects to $To ($Status)$Certificate"),
	phrase[fact.AddressFrames]("$Address shows $To in a frame ($Status)$Certificate"),
	phrase[fact.AddressSendsOn]("$Address sends visitors on to $To by its page ($Status)$Certificate"),
	by(func(f fact.AddressShows) (says, do string) {
		if f.Title == "" {
			return "$Address shows a page ($Status)$Certificate", ""
		}
		return "$Address shows a page, $Title:q ($Status)$Certificate", ""
	}),
	phrase[fact.AddressAnswers]("$Address answers $Status$Certificate"),
	phrase[fact.CertificateRefused](", with a certificate that browsers refuse ($Code)"),
	of[fact.Challenged](
		"$Door answers $Status with a challenge for robots; what visitors get was not seen.",
		lookInBrowser),
	by(func(f fact.ServerBusy) (says, do string) {
		if f.RetryIn == "" {
			return "$Door answers $Status: it is busy. What visitors get was not seen.", lookLater
		}
		return "$Door answers $Status: it is busy, and asks for a pause of $RetryIn. " +
			"What visitors get was not seen.", lookLater
	}),
	of[fact.PageUnread]("$Door answers with a page packed as $Coding:q, which was not read: what "+
		"visitors get was not seen.", lookInBrowser),
	of[fact.PortBarred]("$Door cannot be opened: browsers refuse port $Port.",
		"Redirect to a URL without a port."),
	by(func(f fact.AskedTooOften) (says, do string) {
		if f.RetryIn == "" {
			return "$Door answers $Status: it was asked too often. What visitors get was not seen.",
				lookInBrowser
		}
		return "$Door answers $Status: it was asked too often and asks for a pause of $RetryIn. " +
			"What visitors get was not seen.", lookInBrowser
	}),
	by(func(f fact.WayOf) (says, do string) {
		return "$Visitors it $Ends", ""
	}),
	phrase[fact.WayLoops]("loops"),
	phrase[fact.WayEndless]("never ends"),
	phrase[fact.WaySilent]("gets no answer from $Door ($Refusal)"),
	phrase[fact.WayBroken]("stops at $URL, at a broken redirect"),
	by(func(f fact.WayArrives) (says, do string) {
		if f.Title == "" {
			return "arrives at $URL ($Status)", ""
		}
		return "arrives at $URL, $Title:q ($Status)", ""
	}),
	of[fact.VoicesDiffer]("Answers about $About differ: $Says:semicolons.", "$Advice"),
	by(func(f fact.Voice) (says, do string) {
		if f.TTL > 0 {
			return "$Who says $Values:nothing, for up to $TTL:most more", ""
		}
		return "$Who says $Values:nothing", ""
	}),
	phrase[fact.FindTheRightWay]("Find out which of them is right, and make the others follow."),
	phrase[fact.JustWait]("Wait, for up to $TTL:most. Others see this too: whoever asked before " +
		"still gets the previous answer."),
	phrase[fact.CheckResolver]("Check whether this resolver answers for the domain itself; " +
		"everybody " +
		"else follows the name servers."),
	phrase[fact.ServerSilent]("does not answer for it"),
	phrase[fact.ServerInside]("cannot be reached by the public"),
}
