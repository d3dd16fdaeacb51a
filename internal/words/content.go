package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// contentCodes are what codes mean that are about pages.
var contentCodes = map[finding.Code]Meaning{
	finding.RobotsBlocked: {
		Plain: "hidden from search engines",
		Means: "A robots.txt keeps search engines away from old addresses, so they never see the " +
			"redirects; or from the pages at which these arrive. After the move, the robots.txt to " +
			"which that of an old host leads counts there too.",
		Meets: "Nothing; but search engines keep the old addresses.",
		Do:    "Redirect robots.txt too, or allow these addresses in it.",
	},
	finding.NoIndex: {
		Plain: "kept out of search engines",
		Means: "The page at which visitors arrive tells search engines not to list it.",
		Meets: "Nothing; but the page disappears from search results, and the old address with it.",
		Do: "Remove noindex from the page's robots element or its X-Robots-Tag header. It is often " +
			"left over from a test site.",
	},
	finding.CanonicalDisagrees: {
		Plain: "page names another address as its own",
		Means: "The page at which visitors arrive says in its markup (rel=canonical, og:url or " +
			"hreflang) that it belongs to another host.",
		Meets: "Nothing; but search engines and shared links follow the page, and keep the old host " +
			"alive.",
		Do: "Set the site's own address in its settings, so that its pages name the canonical host.",
	},
	finding.MixedContent: {
		Plain: "insecure parts in a secure page",
		Means: "A page over https loads something over http.",
		Meets: "Missing images, styles or functions: browsers block them, or try https instead.",
		Do:    "Write these addresses with https, or without a scheme and host.",
	},
	finding.OtherKind: {
		Plain: "file that becomes something else",
		Means: "The old address of a picture, a document, a recording or a feed arrives at something " +
			"of another kind, mostly a page.",
		Meets: "A broken picture on the pages that embed it; a page in place of a document; a feed " +
			"that falls silent.",
		Do: "Keep the file on the site and redirect to it. A feed belongs at a feed.",
	},
	finding.SitemapStale: {
		Plain: "sitemap with addresses that cannot be found",
		Means: "A sitemap of the site lists addresses that redirect, fail, are on old hosts, or that " +
			"search engines are told to leave out.",
		Meets: "Nothing; but search engines trust the sitemap less, and new pages are found later.",
		Do:    "List the addresses at which pages are in the end, and no others.",
	},
	finding.SitemapGap: {
		Plain: "page that no sitemap lists",
		Means: "Old addresses arrive at a page that may be found, and that no sitemap of the site " +
			"lists; or the site has no sitemap.",
		Meets: "Nothing; but search engines take longer to replace the old address.",
		Do:    "Add the page to the sitemap.",
	},
	finding.SitemapDropped: {
		Plain: "old sitemap that goes with the move",
		Means: "An old host serves a sitemap today, and something else answers for it after the move.",
		Meets: "Nothing; but search engines request the old addresses later, and so see their " +
			"redirects later.",
		Do: "Save the old sitemap before the move, serve it on the site for some weeks, and submit " +
			"it to search engines.",
	},
	finding.LeftoverLink: {
		Plain: "link to an old address",
		Means: "The site itself, or its sitemap, still links to a host that only redirects.",
		Meets: "One needless hop.",
		Do:    "Change the link to the current address.",
	},
}

// content are the sentences about pages.
var content = []sentence{
	of[fact.SitemapLeftovers]("The sitemap $Sitemap still names $Count:host that only "+
		"$Count/redirects/redirect: $Links:few3.",
		"Have the site write its sitemap with its own address."),
	of[fact.NotListed]("$Page tells search engines not to list it: $How.",
		"Remove it once the page should be found."),
	of[fact.CanonicalElsewhere]("$Page says by $Element that it belongs to $Other, not to $Host.",
		"Set the site's address to $Door in its settings."),
	of[fact.LinksLeftover]("$Page still links to $Count:host that only $Count/redirects/redirect: "+
		"$Links:few3.",
		"Change the links to the current addresses."),
	of[fact.PartsByHTTP]("$Page loads $Count:part over http, which browsers block: $Parts:few3.",
		"Write these addresses with https."),
	of[fact.CanonicalPlain]("$Page says by $Element that its address is $Other, over http.",
		"Write the address with https."),
	of[fact.PicturesByHTTP]("$Page asks for $Count:part over http ($Parts:few3); browsers ask over "+
		"https instead, and show nothing where that fails.",
		"Write the addresses of pictures, sound and films with https."),
	of[fact.FormsByHTTP]("$Page sends what visitors type over http, behind a warning: $Parts:few3.",
		"Have its forms send to https."),
	of[fact.PageCut](
		"$Page goes on behind the $Octets octets that were read of it, or broke off there; "+
			"what follows was not seen.",
		"Look at the page in a browser."),
	phrase[fact.HiddenFromByHeader]("its X-Robots-Tag header hides it from $Robots:few3"),
	phrase[fact.HiddenFromByPage]("its markup hides it from $Robots:few3"),
	of[fact.RobotsBarAll]("$URL keeps search engines away from everything ($Line:q).",
		"Redirect robots.txt too, or allow everything in it."),
	of[fact.RobotsHideRedirects]("The robots.txt of $Door keeps search engines away from "+
		"everything ($Line); they would never see the redirects.",
		"Once the door redirects, redirect robots.txt too, or allow everything in it."),
	phrase[fact.HiddenByHeader]("its X-Robots-Tag header says $Value"),
	phrase[fact.HiddenByPage]("its robots element says noindex"),
	phrase[fact.TokenAnswered]("answers $Status"),
	phrase[fact.TokenRedirected]("redirects to $To"),
}
