package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
)

// ruleCodes are what codes mean that are about rules, and what is proved of them.
var ruleCodes = map[finding.Code]Meaning{
	finding.Tie: {
		Plain: "two rules for one URL",
		Means: "Two rules are equally specific and take the same URL.",
		Meets: "Whichever rule the server happens to try first.",
		Do: "Make one of them more specific, drop one, or give both a rank (column rank, the " +
			"smaller wins).",
	},
	finding.Shadowed: {
		Plain: "rule that never applies",
		Means: "A rule never wins: other rules take all of its URLs, or its door has no carrier.",
		Meets: "Another page than the one that the rule names.",
		Do:    "Drop it, or correct the rules that take its URLs.",
	},
	finding.RuleLoop: {
		Plain: "rules that lead in a loop",
		Means: "Rules lead to each other, so some URLs never arrive.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Correct one of them, so that the others do not take its target.",
	},
	finding.RuleChain: {
		Plain: "rule that leads to another rule",
		Means: "The target of a rule is itself redirected.",
		Meets: "Each hop costs a connection and a wait, above all on phones.",
		Do:    "Write the single rule that the finding shows.",
	},
	finding.Uncovered: {
		Plain: "old page without a rule",
		Means: "No rule takes an old URL that is in use: it falls to the home page, or to a fallback " +
			"that answers gone.",
		Meets: "The home page, or a page that says gone, instead of what the link promised.",
		Do:    "Redirect it to the page that replaced it, or answer 410 if there is none.",
	},
	finding.OneDoorOnly: {
		Plain: "rule for one door only",
		Means: "A rule takes an old URL by one scheme or host; its twin by the other goes elsewhere.",
		Meets: "The right page or the wrong one, depending on how the link was written.",
		Do: "Write the rule without its scheme and for the apex: it then holds for http and https, " +
			"apex and www.",
	},
	finding.Undecided: {
		Plain: "neither proved nor refuted",
		Means: "For some URLs the result could be neither proved nor refuted.",
		Meets: "Perhaps nothing.",
		Do: "Simplify the rules that the finding names, so that none leads to a URL that another " +
			"takes.",
	},
	finding.BeyondCarrier: {
		Plain: "beyond what the carrier can do",
		Means: "The plan asks a carrier for something that it cannot do.",
		Meets: "What the carrier does instead: no answer on https, a lost path, another page.",
		Do:    "Give the door to a carrier that can, or plan less for it.",
	},
}

// rules are the sentences about rules, and what is proved of them.
var rules = []sentence{
	of[fact.PatternsTied]("Lines $First ($FirstOld) and $Second ($SecondOld) are equally specific, "+
		"and both take $Witness.",
		"Make one of them more specific, or drop one."),
	bad[fact.RankWord]("this is no whole number", "a whole number such as 1; the smaller wins",
		"leave it empty where no other rule ties"),
	bad[fact.QueryWord]("unknown word in the column query",
		"keep or drop",
		"leave it empty for keep"),
	bad[fact.LeadsNowhere]("the rule leads nowhere",
		"a new URL",
		"fill the column new, or set status 410 for a page that is gone"),
	bad[fact.GoneWithNew]("the rule answers gone, but names a URL in the column new",
		"an empty column new with status 410",
		"empty the column new, or set another status"),
	bad[fact.ColumnTooLong]("the column $Column has $Octets:octet",
		"no more than $Most",
		"check whether a quote is missing further up; no browser requests so long a URL"),
	bad[fact.ColumnTooMany]("the column $Column has $N $What",
		"no more than $Most",
		"write several rules"),
	badBy(func(f fact.ColumnHostile) (says, expected, do string) {
		do = "remove it"
		if f.Escaped != "" {
			do = "remove it, or write it percent-encoded ($Escaped) if it belongs to the URL"
		}
		return "the column $Column contains $Character", "text of one line", do
	}),
	bad[fact.RuleStatus]("no redirect has this status",
		"301, 302, 307, 308 or 410",
		"leave it empty to use the policy's status"),
	bad[fact.OldEmpty]("the column old is empty",
		"a host and a path such as lacemill-museum.example/opening.html",
		""),
	bad[fact.OldScheme]("the scheme is neither http nor https",
		"http://, https:// or no scheme",
		""),
	bad[fact.OldFragment]("a fragment never reaches a server",
		"no # in old",
		"drop what follows the #"),
	bad[fact.DotSegments]("browsers never request a path with dot segments",
		"a path without . and .. segments",
		"write $Path"),
	bad[fact.OldNoHost]("old names no host",
		"a host of the estate before the path",
		"write the old domain before it"),
	bad[fact.OldHostCapture]("a capture cannot stand in the host of old",
		"a host of the estate",
		"write a rule for each host"),
	bad[fact.ConditionUnnamed]("a query condition names no parameter",
		"conditions such as ?page=7&lang={lang}",
		""),
	bad[fact.ConditionCapture]("a capture cannot stand in a parameter's name",
		"a literal name such as page",
		""),
	bad[fact.ParameterTwice]("the parameter appears twice",
		"each parameter once",
		"drop one of them"),
	bad[fact.QueryRestNotLast]("{+$Name} is not at the end",
		"{+name} at the end only",
		""),
	bad[fact.QueryCapturesAdjoin]("two captures stand next to each other",
		"some text between them",
		""),
	bad[fact.QueryCaptureTwice]("two captures have the same name",
		"a different name for each",
		"call the second {$Name~2}"),
	bad[fact.NewNeither]("new is neither a path nor a whole URL",
		"a path such as /visit/ or a URL with https://",
		"put / before a path or https:// before a host"),
	bad[fact.FragmentCapture]("a capture cannot stand in a fragment",
		"a literal fragment",
		""),
	bad[fact.NewScheme]("the scheme is neither http nor https",
		"http:// or https://",
		""),
	bad[fact.NewHostOpen]("a capture in the host is not followed by a domain",
		"a host that ends with a literal domain, such as {name}.northmoor.example",
		"otherwise the rule could lead visitors anywhere"),
	bad[fact.NewHostRest]("{+$Name} cannot stand in a host",
		"a capture without slashes, such as {name}",
		""),
	bad[fact.CaptureUnknown]("old has no capture $Capture",
		"a capture of old",
		""),
	bad[fact.BraceOpen]("a brace is not closed",
		"a capture such as {name}",
		"write a literal brace as %7B"),
	bad[fact.BraceClosed]("a brace is closed, but was not opened",
		"a capture such as {name}",
		"write a literal brace as %7D"),
	bad[fact.BareStar]("a bare * is not a capture",
		"a capture",
		"write $Write; write a literal asterisk as %2A"),
	bad[fact.CaptureName]("$Name:q is not a valid name for a capture",
		"letters, digits, - and _ after a letter, such as {year}",
		""),
	bad[fact.CaptureKind]("$Kind:q is not a kind of capture",
		"{name}, {name:digits} or {+name}",
		""),
	bad[fact.CaptureTwice]("two captures have the same name",
		"a different name for each",
		"call the second {$Name~2}"),
	bad[fact.RestNotLast]("{+$Name} is not at the end",
		"{+name} at the end, or before a literal ending such as .php",
		"write {$Name} for one segment"),
	bad[fact.CapturesAdjoin]("two captures stand next to each other",
		"some text between them",
		"put a separator between them, such as - or /"),
	of[fact.RulesLoop]("$URL $How: $Round:then.",
		"Correct one of these rules, so that the others do not take its target."),
	by(func(f fact.NotDecided) (says, do string) {
		way := ""
		if f.By != "" {
			way = " ($By)"
		}
		return "It could not be decided what holds for $Rules" + way + ": $Reason.",
			"Simplify these rules, or make them more specific, so that none leads to a URL that another " +
				"takes."
	}),
	of[fact.RulesTied]("$First ($FirstOld) and line $Second ($SecondOld) are equally specific, and "+
		"both take $Witness.",
		"Make one of them more specific, or drop one."),
	of[fact.NeverWins]("$Rule ($Old) never wins: $Why.",
		"Drop it, or correct the rules that take its URLs."),
	phrase[fact.MayLoop]("it may loop"),
	phrase[fact.MayNeverEnd]("it may never end"),
	phrase[fact.MayMissPage]("it may lead to a page that does not exist"),
	phrase[fact.MayBeExempt]("it may lead to a path that is never redirected"),
	phrase[fact.MayMeetNobody]("it may lead to where nobody answers"),
	phrase[fact.MayMeetNoOne]("it may lead to an edge network with nothing behind it"),
	phrase[fact.TooManyWays]("there are more ways than the proof looks at"),
	phrase[fact.MayLeaveHTTPS]("it may lead from https to http"),
	of[fact.RuleLeadsOn]("$Rule ($Old) leads to $New, which is redirected again: $Ways:then.",
		"$Advice"),
	phrase[fact.LeadStraight]("Redirect it straight to its end."),
	by(func(f fact.WriteInstead) (says, do string) {
		if f.More > 0 {
			return "Write instead: $Lines:and2 and $More:more_rule.", ""
		}
		return "Write instead: $Lines:and2", ""
	}),
	phrase[fact.WriteIfAll]("If all its URLs may go there, write instead: $Line"),
	phrase[fact.AddForThese]("Add for these URLs: $Line"),
	phrase[fact.DoorUncarried]("its door has no carrier, so it is never asked"),
	phrase[fact.AllTaken]("more specific rules take all of its URLs"),
	phrase[fact.FallsToSamePath]("the same path below $To"),
	phrase[fact.FallsToGone]("410 gone, the root to $To"),
	phrase[fact.FallsTo]("$To"),
	phrase[fact.AssumesCarriers](
		"Each carrier does what the estate file says, and all of the plan is typed as the sheets say."),
	phrase[fact.AssumesCounts](
		"Every carrier takes as many hosts, patterns and rules as planned: the plan counts them."),
	by(func(f fact.AssumesZones) (says, do string) {
		switch {
		case len(f.Partly) == 0:
			return "Nothing in the zones that nobody has seen is in the way: " +
				wording.Few(f.Unseen, 3) + ".", ""
		case len(f.Unseen) == 0:
			return "Nothing in the parts of zones that nobody has seen is in the way: " +
				wording.Few(f.Partly, 3) + ".", ""
		}
		return "Nothing that nobody has seen is in the way: the zones of " + wording.Few(f.Unseen, 3) +
			", and parts of " + wording.Few(f.Partly, 3) + ".", ""
	}),
	phrase[fact.AssumesAnswered]("Somebody answers at $Hosts:few3; nobody has looked there yet."),
	phrase[fact.AssumesPages]("Every target page on the canonical site exists: the estate file " +
		"names no list of pages (site.pages)."),
	phrase[fact.AssumesCaptures]("Pages exist to which rules with captures, or the same path, " +
		"lead. Only fixed targets were compared with the list of pages; for known old URLs, run cover."),
	phrase[fact.AssumesSite](
		"The canonical site itself redirects nothing: the estate file names no site.rules."),
	phrase[fact.AssumesExempt]("Paths that begin with $Paths:or2 are not redirected at http doors."),
	phrase[fact.AssumesOutside]("Hosts outside the estate serve a page."),
	phrase[fact.RoundLoops]("loops"),
	phrase[fact.RoundGrows]("never ends, and grows on every round"),
	phrase[fact.RoundPath]("$From leads to $To"),
	phrase[fact.RoundHost]("$From sends it to $To"),
	phrase[fact.RoundGoesOn]("and so on"),
	phrase[fact.WinsExact]("it names one path, the other a pattern"),
	phrase[fact.WinsText]("its path has $Octets:octet of text, the other's $Other"),
	phrase[fact.WinsNoRest]("it has no {+name}, or fewer"),
	phrase[fact.WinsDigits]("it requires digits where the other takes anything"),
	phrase[fact.WinsLiterals]("it names more values of the query"),
	phrase[fact.WinsNumbers]("it requires digits in the query where the other takes anything"),
	phrase[fact.WinsQuery]("it requires more of the query"),
	phrase[fact.WinsRank]("its rank is $Rank, the other's $Other"),
	phrase[fact.WinsScheme]("it names the scheme"),
	phrase[fact.WinsHost]("it names the host itself, the other its apex"),
	phrase[fact.WinsByOrder](
		"it comes first here; both are equally specific (a tie), and the other may win elsewhere"),
	bad[fact.OldHostFault]("$Why", "a host of the estate", ""),
	badBy(func(f fact.OldHostOutside) (says, expected, do string) {
		do = "add the domain to the estate file, or correct the name"
		if f.Near != "" {
			do = "did you mean $Near? Otherwise add the domain to the estate file"
		}
		return "the estate has no host $Host", "a host of the estate", do
	}),
	bad[fact.NewFault]("$Why", "a path on the canonical site or a whole URL", ""),
	bad[fact.CaptureForm]("$Capture has another form in old", "$Wanted", "write $Wanted"),
}
