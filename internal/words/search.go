package words

import "upperpath.example/upperpath/internal/core/fact"

// searching are the sentences about what search engines meet, and whoever embeds files.
var searching = []sentence{
	by(func(f fact.OldsBarred) (says, do string) {
		do = "Allow them in the robots.txt that answers for $Host after the move, so that search " +
			"engines see the redirects."
		if f.When == (fact.BarredToday{}) {
			do = "Nothing has to be done: search engines can see these redirects after the move."
		}
		return "$Robots keeps $Whom away from $URLs:old_URL of $Host ($Rule:q), such as $First, " +
			"$When.", do
	}),
	of[fact.OldsBarredByFailure](
		"$Robots answers $Status: search engines then request nothing of "+
			"$Host, such as $First ($URLs:old_URL), $When.",
		"Have robots.txt answered with 200 or 404 there."),
	of[fact.ArrivalsBarred](
		"$Robots keeps $Whom away from $Pages:page at which $URLs:old_URL "+
			"$URLs/arrives/arrive ($Rule:q), such as $First.",
		"Allow these pages in robots.txt, or redirect to pages that may be found."),
	of[fact.SiteBarredByFailure](
		"$Robots answers $Status: search engines then request nothing of the "+
			"site.",
		"Have robots.txt answered with 200 or 404 there."),
	phrase[fact.BarredAlways]("today and after the move"),
	phrase[fact.BarredAfter]("after the move"),
	phrase[fact.BarredToday]("today; after the move nothing does"),
	phrase[fact.BarredNow]("today; what answers after the move was not seen"),
	phrase[fact.RobotsAll]("all search engines"),
	phrase[fact.RobotsBut]("all search engines but $Except:and"),
	phrase[fact.RobotsNamed]("$Named:and"),

	of[fact.ArrivalFails](
		"$Page answers $Status; $URLs:old_URL $URLs/is/are led there, such as "+
			"$First.",
		"Redirect to a page that exists, or create that one."),
	of[fact.ArrivalSaysNone](
		"$Page says that there is no such page, with a status of success; $URLs:old_URL "+
			"$URLs/is/are led there, such as $First.",
		"Redirect to a page that exists, and have that one answer 404."),
	of[fact.ArrivalLoops](
		"$Page redirects in a circle; $URLs:old_URL $URLs/is/are led there, such as $First.",
		"Remove one of the redirects of the site."),
	of[fact.ArrivalRedirects](
		"$Page redirects to $To; $URLs:old_URL $URLs/is/are led there, such as "+
			"$First.",
		"Redirect straight to the last address."),
	of[fact.ArrivalHidden](
		"$Page tells search engines not to list it ($How); $URLs:old_URL "+
			"$URLs/arrives/arrive there, such as $First.",
		"Remove that once the page should be found."),
	of[fact.NamesOld](
		"$Page names an address of an old host as its own: $Other.",
		"Set the site's own address in its settings."),
	of[fact.NamesAnother](
		"$Page names another address as its own: $Other.",
		"Redirect straight to that one if both are the same page; otherwise correct rel=canonical."),
	of[fact.NamesDead](
		"$Page names an address as its own that answers $Status: $Other.",
		"Have the page name its own address."),
	of[fact.NamesMoved](
		"$Page names an address as its own that redirects: $Other, to $To.",
		"Have the page name the last address."),
	of[fact.NamesInTurn](
		"$Page names $Other as its own address, and that page names $Next.",
		"Have all of these pages name the same address."),
	of[fact.ArrivesAsOther](
		"$URLs:old_URL of a $Kind, such as $First, $URLs/arrives/arrive at $Page, "+
			"which is $Serves: whoever embeds or follows it gets nothing of use.",
		"Keep the $Kind on the site, and redirect to it."),
	of[fact.FeedEnds](
		"The feed $Feed, which $Page names, leads nowhere after the move.",
		"Redirect it to a feed of the site, so that its readers stay."),
	by(func(f fact.FeedArrives) (says, do string) {
		at := "which is $Serves"
		if f.Serves == "" {
			at = "which answers $Status"
		}
		return "The feed $Feed, which $Named names, arrives at $Page, " + at + ".",
			"Redirect it to a feed of the site, so that its readers stay."
	}),
	of[fact.NoSitemap](
		"$Site has no sitemap: neither its robots.txt nor /sitemap.xml leads to one.",
		"Have the site write one, and name it in robots.txt."),
	of[fact.ListsOld](
		"$Sitemap lists $Count:URL of old hosts, such as $First.",
		"Have the site write its sitemap with its own address."),
	of[fact.ListsBarred](
		"$Sitemap lists $Count:page that robots.txt keeps search engines away from "+
			"($Rule:q), such as $First.",
		"Allow them in robots.txt, or take them out of the sitemap."),
	of[fact.ListsDead](
		"$Sitemap lists $Count:page that $Count/does/do not exist, such as $First "+
			"($Status).",
		"Take them out of the sitemap."),
	of[fact.ListsMoved](
		"$Sitemap lists $Count:URL that $Count/redirects/redirect, such as $First, to "+
			"$To.",
		"List the addresses to which they lead."),
	of[fact.ListsHidden](
		"$Sitemap lists $Count:page that $Count/tells/tell search engines not to list "+
			"$Count/it/them, such as $First.",
		"Remove noindex from them, or take them out of the sitemap."),
	of[fact.NotInSitemap](
		"No sitemap lists $Count:page at which $URLs:old_URL $URLs/arrives/arrive: "+
			"$Pages:few3.",
		"Add $Count/it/them to the sitemap."),
	by(func(f fact.LinkedFrom) (says, do string) {
		do = "Change the link to $Now."
		switch {
		case f.Now == "":
			do = "Remove the link: the plan leads it nowhere on the site."
		case f.Dead > 0:
			do = "Change the link, and put there what it names: the plan leads it to $Now, which answers " +
				"$Dead."
		}
		at := "the first $Page, line $Line"
		if f.Line == 0 {
			at = "the first $Page"
		}
		return "$Pages:page of the site $Pages/names/name $Target ($Element), " + at + ".", do
	}),
	by(func(f fact.AlternateOld) (says, do string) {
		do = "Name $Now there."
		if f.Now == "" {
			do = "Remove it: the plan leads it nowhere on the site."
		}
		return "$Pages:page of the site $Pages/names/name $Target as another language of it " +
			"(hreflang), the first $Page, line $Line: search engines ignore one that redirects.", do
	}),
	by(func(f fact.OldSitemapEnds) (says, do string) {
		what := "$To answers for it after the move"
		if f.To == "" {
			what = "nothing answers for it after the move"
		}
		return "The old sitemap $Sitemap lists $Lists:URL; " + what +
				", so search engines come to know the redirects later.",
			"Save it now, serve it on the site for some weeks, and submit it to search engines."
	}),
}
