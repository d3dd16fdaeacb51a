package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
)

// destinationCodes are what codes mean that are about where chains end.
var destinationCodes = map[finding.Code]Meaning{
	finding.NotRedirected: {
		Plain: "not redirected",
		Means: "A door that should redirect answers itself.",
		Meets: "The old site, a parking page or an error instead of the canonical site.",
		Do:    "Set up the redirect at the door's carrier, and make sure that the name points there.",
	},
	finding.DoorsDisagree: {
		Plain: "one site at two addresses",
		Means: "Apex and www both serve pages, each under its own name.",
		Meets: "The same site at two addresses; sign-ins and search results are split.",
		Do:    "Choose one, and redirect the other to it.",
	},
	finding.WrongPage: {
		Plain: "wrong page",
		Means: "The chain ends elsewhere than planned.",
		Meets: "A page that the visitor did not request.",
		Do:    "Correct the target of the redirect.",
	},
	finding.PathLost: {
		Plain: "lost path",
		Means: "A path that should be kept is cut.",
		Meets: "The home page instead of the page that the link promised.",
		Do:    "Redirect with the path. If the carrier cannot, give the door to one that can.",
	},
	finding.QueryLost: {
		Plain: "lost query",
		Means: "The query is not passed on.",
		Meets: "A search or a campaign link that forgets its parameters.",
		Do:    "Pass the query on. If the carrier cannot, give the door to one that can.",
	},
	finding.DeadEnd: {
		Plain:  "ends on an error page",
		Milder: "a page that says \"not found\", and answers 200",
		Means: "The chain arrives at an error, or at a page that says \"not found\". Or browsers show " +
			"nothing of the answer, or go nowhere with it (204, 205, 300, 304, 305).",
		Meets: "An error page, or nothing.",
		Do:    "Redirect to a page that exists, or answer 410 if the page is gone on purpose.",
	},
	finding.LandedHome: {
		Plain: "old page lands on the home page",
		Means: "The URL of a page arrives at the home page of the site.",
		Meets: "The home page instead of what the link promised. Search engines treat the old page as " +
			"gone.",
		Do: "Redirect it to the page that replaced it, or answer 410 if there is none.",
	},
	finding.ManyToOne: {
		Plain: "many old pages on one page",
		Means: "Many different old URLs arrive at one page, which nobody planned.",
		Meets: "Not what the link promised. Search engines treat most of the old pages as gone.",
		Do:    "Redirect each to the page that replaced it, or answer 410 if there is none.",
	},
}

// destinations are the sentences about where chains end.
var destinations = []sentence{
	of[fact.EndsNowhere]("$URL leads to $Arrival, which is not on the list of pages that exist.",
		"Redirect it to a page that exists, or answer 410."),
	of[fact.EndsExempt]("$URL leads to $Arrival, which is never redirected (policy.exempt).",
		"Redirect it straight to a page of the canonical site."),
	of[fact.EndsOnStatus]("$URL leads to $Arrival, which answers $Status: $Detail.",
		"Redirect it to a door that has a carrier, or have the origin behind that door answer it."),
	of[fact.ManyArriveOnOne]("$Count:different_old_URL $Count/arrives/arrive at $To: $Paths:few3.",
		"Redirect each to the page that replaced it, or answer 410 if there is none."),
	of[fact.TwoSites]("$First and $Other both serve pages.",
		"Choose one of them and redirect the other to it with 301, such as $First to $Other."),
	of[fact.EndsAtHome]("$Entry arrives at the home page, $Arrival.",
		"Redirect it to the page that replaced it, or answer 410 if there is none."),
	of[fact.SaysNotFound]("$Page says that the page was not found ($Text:q), but answers $Status.",
		"Have the site answer 404 or 410 there, and redirect the old URL to a page that exists."),
	of[fact.UselessPage]("$Door arrives at a parking page.",
		"Point it to the site."),
	of[fact.AllToRoot]("$Host redirects every page to the root of $Root: the path is cut.",
		"Redirect with the path."),
	by(func(f fact.AnswersItself) (says, do string) {
		says = "$Door answers $Status itself instead of redirecting to $Target."
		if f.Target == "https://"+f.Host {
			return says, "Redirect $Door to $Target with 301."
		}
		return says, "Redirect $Host to $Target with 301, over http and https."
	}),
	of[fact.PathCut]("$Entry cuts the path: $Path arrives at $Arrival instead of $Wanted.",
		"Redirect with the path."),
	of[fact.QueryCut]("$From does not pass the query on: ?$Query arrives at $Arrival.",
		"Pass the query on with the redirect."),
	by(func(f fact.EndsInError) (says, do string) {
		if f.Status >= 500 {
			return "$URL answers $Status.", "The server fails: have whoever runs it look at its log."
		}
		return "$URL answers $Status.",
			"Redirect to a page that exists, or answer 410 if the page is gone on purpose."
	}),
	of[fact.EndsEmpty]("$URL answers $Status: browsers show nothing, and stay where they were.",
		"Have it answer with a page, or redirect to one."),
	of[fact.EndsUndecided]("$URL answers $Status, which browsers do not follow.",
		"Redirect with 301."),
	of[fact.GoneLeads]("$URL should answer 410 (gone), but leads to $Arrival with $Status.",
		"Answer 410 there."),
	of[fact.GoneAnswers]("$URL should answer 410 (gone), but answers $Status.", "Answer 410 there."),
	by(func(f fact.EndsElsewhere) (says, do string) {
		return "$From arrives at $Arrival instead of $Wanted.", redirectIt(f.Rules)
	}),
	by(func(f fact.SentOn) (says, do string) {
		return "$From reaches $Target, but is redirected on to $Arrival.", redirectIt(f.Rules)
	}),
	of[fact.Parked]("$By shows a parking page ($Title:q).",
		"Point $Host to its carrier, or set up the forwarding there, and switch the parking page off."),
	by(func(f fact.PlatformKnowsNot) (says, do string) {
		return "$Host leads to " + platform(f.Platform) + ", which does not know the host.",
			"Add $Host at " + platform(f.Platform) + ", and confirm there that the domain is the client's."
	}),
	of[fact.CarrierLacksHost]("$Carrier does not know $Host: it answers $Status.",
		"Add $Host at $Carrier, and reload or save there."),
	of[fact.ServerShowsOther]("The server at $By does not know $Host, and shows the page of $Other.",
		"Add $Host to that server's configuration, or point it to its carrier."),
	by(func(f fact.AddressOfBefore) (says, do string) {
		says = "$Address belongs to the previous carrier, as the survey saw it."
		switch {
		case f.Left == 0:
			return says, "Change the record of $Host as the plan says."
		case f.Until.IsZero():
			return says, "Change the record of $Host as the plan says. If that is done, wait: " +
				"this resolver may keep the previous address for $Left:most."
		}
		return says, "Change the record of $Host as the plan says. If that is done, wait: " +
			"this resolver may keep the previous address for $Left:most, until $Until:clock."
	}),
	of[fact.AddressesOfBefore](
		"$Addresses:few3 $Addresses/belongs/belong to the previous carrier, as the survey saw it.", ""),
	by(func(f fact.OldURLsFall) (says, do string) {
		says = "$URLs:old_URL of $Domain $URLs/falls/fall to "
		switch {
		case f.Gone == 0:
			says += "the home page"
		case f.Home == 0:
			says += "the fallback, which answers gone"
		default:
			says += "the fallback: $Home to the home page, $Gone to gone"
		}
		return says + "; the heaviest is $First.",
			"Redirect each to the page that replaced it, or answer 410 if there is none."
	}),
	by(func(f fact.OldURLsMeetNothing) (says, do string) {
		how := "arrives at $Arrival, which answers $Status"
		if f.End != "" {
			how = "ends as a $End at $Arrival"
		}
		return "$URLs:old_URL of $Domain $URLs/reaches/reach no page: $First " + how + ".",
			"Redirect each to a page that exists, or answer 410 if there is none. If the page exists, " +
				"add it to site.pages."
	}),
	of[fact.OldURLsAstray](
		"The carrier cannot lead $URLs:old_URL of $Domain as planned: $First ends at $Arrival instead "+
			"of "+
			"$Wanted.",
		"Give the domain to a carrier that looks at paths and queries."),
	of[fact.OldURLsTooLong](
		"$URLs:old_URL of $Domain $URLs/takes/take more redirects than planned: $First takes $Hops.",
		"Write these rules so that each leads straight to its end."),
	by(func(f fact.TwinDiffers) (says, do string) {
		says = "Line $Line leads $URL to $Arrival, but its twin $Twin $Ends."
		if f.Others > 0 {
			says += " So does another: $Others:other_old_URL."
		}
		switch f.How {
		case "door":
			return says, "Write the rule without its scheme and for the apex: " +
				"it then holds for http and https, apex and www."
		case "spelling":
			return says, "Write a rule for the twin too, or tell in the domain's line how the old site " +
				"read paths: slash: either, ignore-case: yes."
		}
		return says, "Write the rule without the tracking parameter."
	}),
	phrase[fact.EndsHome]("falls to the home page"),
	phrase[fact.EndsGone]("is gone, by the fallback"),
	phrase[fact.EndsMissing]("arrives at $URL, which does not exist"),
	phrase[fact.EndsNoPage]("reaches no page"),
	phrase[fact.EndsWithAll]("arrives at $URL with many others"),
	phrase[fact.EndsAt]("goes to $URL"),
	by(func(f fact.OldURLsFare) (says, do string) {
		w, ok := fares[f.Met]
		if !ok {
			w = fares["unseen"]
		}
		says = "$URLs:old_URL of $Domain " + wording.Verb(f.URLs, w.one, w.many) +
			"; the heaviest is $First."
		if f.Says != nil {
			says += " $Says"
		}
		return says, w.do
	}),
	phrase[fact.AnswersStatus]("$URL answers $Status."),
}
