package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// chainCodes are what codes mean that are about chains of redirects.
var chainCodes = map[finding.Code]Meaning{
	finding.Loop: {
		Plain: "redirect loop",
		Means: "The chain comes back to a URL that it has already visited.",
		Meets: "The browser says that the page redirected too many times.",
		Do: "Find the two hosts that send visitors to each other: often an edge network that fetches " +
			"by http, and a server that insists on https. Stop one of them.",
	},
	finding.AliasLoop: {
		Plain: "aliases that form a loop",
		Means: "The CNAME records of the name lead back to a name that they have already passed, so " +
			"that it has no address.",
		Meets: "The browser says that the site cannot be found.",
		Do: "Replace one of these CNAME records by one to the carrier's name, or by its address " +
			"records.",
	},
	finding.GrowingLoop: {
		Plain: "growing redirect loop",
		Means: "Every round leads to a longer URL of the same form.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Correct the rule that puts its own beginning in front of the path again.",
	},
	finding.CookieLoop: {
		Plain: "loop without a cookie",
		Means: "A URL redirects to itself, or in a circle, until the cookie that it set comes back.",
		Meets: "Nothing, if they accept cookies. Search engines, and browsers without cookies, loop " +
			"and give up.",
		Do: "Have the page answer without the cookie, and set it only when it is needed.",
	},
	finding.TooManyHops: {
		Plain: "too many redirects",
		Means: "After 20 redirects there is yet another.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Redirect every door straight to its end.",
	},
	finding.ExtraHop: {
		Plain: "needless redirect",
		Means: "It takes more redirects than planned to reach the canonical site.",
		Meets: "Each hop costs a connection and a wait, above all on phones.",
		Do:    "Have the first answer name the final URL.",
	},
	finding.Downgrade: {
		Plain: "redirect to an insecure page",
		Means: "A hop leads from https to http.",
		Meets: "Anybody on the way can read and change that hop; some browsers warn.",
		Do:    "Write the target with https.",
	},
	finding.PlainArrival: {
		Plain: "arrives on an insecure page",
		Means: "The chain ends on a page over http.",
		Meets: "The browser says that the site is not secure.",
		Do:    "Redirect http to https there.",
	},
	finding.Temporary: {
		Plain: "temporary redirect",
		Means: "A redirect to another origin says that it is temporary, which was not planned.",
		Meets: "Nothing; but search engines keep the old address.",
		Do:    "Use 301 or 308.",
	},
	finding.BadLocation: {
		Plain: "broken redirect",
		Means: "The Location of a redirect is missing, given twice, or written so that some or all " +
			"browsers cannot follow it.",
		Meets: "An empty page or an error.",
		Do:    "Write one Location: an absolute https URL in percent-encoded ASCII.",
	},
	finding.Framed: {
		Plain: "site shown in a frame",
		Means: "The door answers with its own page, which shows the site in a frame under the old name.",
		Meets: "The site, but every page at one address: no bookmarks, no links to pages, and no " +
			"sign-in in many browsers. Search engines see an empty page.",
		Do: "Switch the forwarding from frame (also called masked or hidden) to a 301 redirect, or " +
			"give the door to a carrier that redirects.",
	},
	finding.SoftRedirect: {
		Plain: "redirect by the page itself",
		Means: "A page sends visitors on by a Refresh header, its markup or a script, not by the " +
			"server's answer. Or a script of it may do so: that depends on the visitor's browser, or on " +
			"what was not read.",
		Meets: "A blank page for a moment, or for good where scripts are off. Search engines may keep " +
			"the old address.",
		Do: "Have the server answer 301 with a Location.",
	},
	finding.ForeignHop: {
		Plain: "detour through another owner's site",
		Means: "The chain passes through a host that is not part of the estate.",
		Meets: "Nothing, as long as that host's owner is friendly.",
		Do:    "Redirect straight to the target. If the client owns the host, add it to the estate.",
	},
	finding.PrivateHop: {
		Plain: "redirect into a private network",
		Means: "A public address redirects into a private network: to the visitor's own machine, a " +
			"network such as 10.0.0.0/8, or a link-local address. The redirect is not followed.",
		Meets: "Nothing, or whatever answers at that address in the visitor's own network.",
		Do:    "Redirect to a public address, and find out why the redirect names this one.",
	},
}

// causes are what causes mean.
var causes = map[finding.Cause]CauseMeaning{
	finding.EdgeByHTTP: {
		Means: "An edge network or proxy fetches the page by http from an origin that insists on https.",
		Shows: "An https URL redirects to itself. Asked directly, the origin redirects http to https " +
			"and serves the page over https.",
		Do: "Have the edge network fetch by https; the origin needs a certificate for that. Or have " +
			"the origin serve what comes through the edge without redirecting.",
	},
	finding.TwoCarriers: {
		Means: "Two carriers send visitors to each other: one takes the apex for the canonical host, " +
			"the other the www.",
		Shows: "The loop runs between a host and its www, which different machines or services answer.",
		Do:    "Choose one canonical host, and have its carrier serve the page.",
	},
	finding.HostNotAdded: {
		Means: "The name points to a platform that does not know it: the host was not added there.",
		Shows: "The alias or address is the platform's. It answers with its own error page or its own " +
			"certificate.",
		Do: "Add the host at the platform, and confirm there that the domain is the client's.",
	},
	finding.CertificateComing: {
		Means: "The platform's certificate for the host is still being issued.",
		Shows: "The alias is right and the host answers by http, but the certificate is for the " +
			"platform's own name. CAA records allow a new one.",
		Do: "Wait: it takes minutes in most cases, at times a day, once the records are right.",
	},
	finding.CertificateBarred: {
		Means: "CAA records keep the platform's authority from issuing a certificate for the host.",
		Shows: "The certificate is for the platform's own name, and the CAA records of the host do " +
			"not name its authority.",
		Do: "Add the platform's authority to the CAA records (RFC 8659), then have the platform " +
			"try again.",
	},
	finding.ParkingPage: {
		Means: "The name leads to a parking page.",
		Shows: "The page says that the domain is parked, for sale, or newly registered.",
		Do: "Point the name to its carrier, or set up the forwarding at the registrar. Then switch " +
			"the parking page off.",
	},
	finding.PreviousCarrier: {
		Means: "The address is still that of the previous carrier.",
		Shows: "A survey saw the address at this name, and the plan leads the name elsewhere.",
		Do:    "Change the record as the plan says. If that is done, wait until its TTL has passed.",
	},
	finding.FrameForwarding: {
		Means: "The forwarding service shows the site in a frame under the old name instead of " +
			"redirecting.",
		Shows: "The page contains nothing but a frame with the site.",
		Do:    "Switch the forwarding to a 301 redirect.",
	},
	finding.CookieWall: {
		Means: "The server redirects until the cookie that it set comes back.",
		Shows: "The answers of the circle set a cookie; with it, the page answers.",
		Do:    "Have the page answer without the cookie.",
	},
	finding.DefaultServer: {
		Means: "The server does not know the name, and shows its first site instead.",
		Shows: "The certificate or the page belongs to another site.",
		Do: "Add the name to that server's configuration with a certificate of its own, or point it " +
			"elsewhere.",
	},
	finding.WildcardShort: {
		Means: "The wildcard of the certificate covers one label, and not this name.",
		Shows: "The certificate covers *.parent; the name is the parent itself, or lies a label deeper.",
		Do:    "Get a certificate that names the host itself.",
	},
}

// chains are the sentences about chains of redirects.
var chains = []sentence{
	of[fact.ChainTooLong]("$URL takes $Redirects:redirect, and browsers follow no more than "+
		"$MostHops: nobody arrives.",
		"Redirect it straight to its end, $End."),
	of[fact.RuleDowngrades]("$Rule ($Old) redirects from https to http: $New.",
		"Write the target with https."),
	of[fact.SentOnByPage]("$URL sends visitors to $To by $How, not by a redirect.",
		"Have $From answer 301 with Location: $Next."),
	by(func(f fact.MayBeSentOn) (says, do string) {
		to := ""
		if f.To != "" {
			to = " to $To"
		}
		return "$URL may redirect" + to + " (script" + inLine(f.Line) +
				"): that depends on what was not seen.",
			"Open $URL in the browsers that visitors have, and see where it leads."
	}),
	of[fact.ScriptElsewhere]("$URL shows nothing by itself, and may redirect (script, line $Line): "+
		"what the script does was not seen.",
		"Open $URL in the browsers that visitors have, and see where it leads."),
	of[fact.ScriptUnread]("$URL may redirect (script, line $Line): the script could not be read.",
		"Open $URL in the browsers that visitors have, and see where it leads."),
	of[fact.DowngradeByPage]("$From redirects from https to $To.",
		"Write the target of the redirect with https."),
	of[fact.ShownInFrame]("$Door shows $Framed in a frame$Behind, instead of redirecting there.",
		"Switch the forwarding of $Host from a frame (masked, hidden) to a 301 redirect."),
	of[fact.LoopsForCookie]("$URL redirects back to itself until a cookie comes with the request. "+
		"Search engines, and browsers without cookies, loop forever.",
		"Have the page answer without the cookie."),
	of[fact.LeadsInside]("$Door was not asked: $Detail.",
		"Redirect to a public address, and find out why the redirect names this one."),
	of[fact.LocationBroken]("$URL redirects, but $Complaint.",
		"Write one Location: an absolute https URL in percent-encoded ASCII."),
	of[fact.LeavesHTTPS]("$Door redirects from https to $To.",
		"Write the target of the redirect with https."),
	of[fact.ForNowOnly]("$Door redirects to $To with $Status, which is temporary.",
		"Use 301 or 308 instead."),
	of[fact.PassesStranger]("The chain passes through $Host, which is not part of the estate.",
		"Redirect straight to the target. If the client owns the host, add it to the estate file."),
	of[fact.GoesRound]("Visitors are caught in a redirect loop: $Doors:to and back again.",
		"Find out which host in the loop sends visitors back. Have it serve the page, or redirect "+
			"straight to the canonical site."),
	of[fact.GrowsLonger]("The URL grows on every round: after $Redirects:redirect it is $Shown.",
		"Correct the rule that puts its own beginning in front of the path again."),
	of[fact.NeverEnds]("After $Redirects:redirect there is yet another.",
		"Have the first answer name the final URL."),
	of[fact.TooFewSteps]("$From takes $Redirects:redirect to $Door, where $Most would do.",
		"Redirect it straight to $Door."),
	of[fact.ServesHTTP]("$Door serves its page over http.",
		"Redirect $Door to https."),
	of[fact.AliasCircle]("These aliases form a loop and lead nowhere else: $Circle:arrows.",
		"Point one of them to the right machine, or give it addresses. Remove those that nobody needs."),
	by(func(f fact.Who) (says, do string) {
		switch {
		case f.Carrier != "":
			return "$Carrier ($Address)", ""
		case f.Server != "":
			return "$Address (Server: $Server)", ""
		}
		return "$Address", ""
	}),
	of[fact.LoopsToItself]("Visitors are caught in a redirect loop: $URL redirects to itself.",
		"Find out which host in the loop sends visitors back. "+
			"Have it serve the page, or redirect straight to the canonical site."),
	of[fact.TwoHosts](
		"$ApexBy redirects $Apex to the www, and $WWWBy redirects $WWW back to the apex. "+
			"Each takes its own host for the canonical one.",
		"Choose one canonical host: have $ApexBy serve $Apex, or have $WWWBy serve $WWW."),
	of[fact.EdgeFetchesPlain](
		"Asked directly, the origin $Origin redirects http to https and serves the page over https. "+
			"$By fetches it by http.", edgeByHTTPS("$By")),
	of[fact.OriginInsists](
		"Asked directly, the origin $Origin redirects http to https, and over https it $Secure. So $By "+
			"can only fetch it by http, and gets the redirect each time.",
		"Give the origin $Origin a certificate and https, and have $By fetch it by https. Or stop the "+
			"redirect to https at the origin."),
	of[fact.OriginRedirects](
		"Asked directly over https, the origin $Origin redirects too, to $To. The fault is there.",
		"Correct the redirect at the origin: have it serve the page at this URL."),
	of[fact.EdgeRedirects](
		"Asked directly, the origin does not redirect ($Plain; $Secure). The redirect comes from $By.",
		"Remove the redirect from the rules of $By, or change its target."),
	of[fact.CarrierFetchesPlain]("$By fetches the page by http from an origin that insists on https.",
		edgeByHTTPS("$Carrier")),
	of[fact.SomethingInFront](
		"Most likely something in front of $By passes the visitor's https on as http.",
		edgeByHTTPS("whatever stands in front of $Carrier")),
	of[fact.EdgeInFront](
		"Most likely an edge network in front ($By) fetches the page by http from an origin that "+
			"insists "+
			"on https.", edgeByHTTPS("the edge network")),
	of[fact.PerhapsEdge](
		"Most likely $By is an edge network or proxy that fetches the page by http from an origin that "+
			"insists on https.", edgeByHTTPS("the edge network")),
	of[fact.FrameForwards](
		"The forwarding service shows the site in a frame under the old name instead of redirecting.",
		""),
	of[fact.CookieWanted]("The server redirects until the cookie that it set comes back.", ""),
	phrase[fact.TwoLocations]("it names two different Locations, and browsers follow neither"),
	phrase[fact.NoLocation]("it names no Location"),
	by(func(f fact.LocationBad) (says, do string) {
		if f.Why == nil {
			return "no browser follows its Location", ""
		}
		return "no browser follows its Location: $Why", ""
	}),
	phrase[fact.LocationOdd]("its Location is badly written: $How"),
	phrase[fact.SameLocationTwo]("it names the same Location twice"),
	phrase[fact.ByRefresh]("a Refresh header"),
	by(func(f fact.ByMarkup) (says, do string) {
		return "its markup (meta refresh)" + inLine(f.Line), ""
	}),
	by(func(f fact.ByScript) (says, do string) {
		return "a script" + inLine(f.Line), ""
	}),
	phrase[fact.FrameSilent](", which does not answer ($Refusal)"),
	phrase[fact.FrameError](", which answers $Status"),
}
