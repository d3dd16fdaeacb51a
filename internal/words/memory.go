package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// memoryCodes are what codes mean that are about what browsers remember.
var memoryCodes = map[finding.Code]Meaning{
	finding.RememberedLoop: {
		Plain: "loop for returning visitors",
		Means: "A browser that remembers an earlier permanent redirect, or HSTS, loops; a new visitor " +
			"arrives.",
		Meets: "The browser says that the page redirected too many times. Only clearing its data helps.",
		Do: "Make sure that neither end sends visitors back until browsers have forgotten. While both " +
			"directions are still being tried, redirect with 302 or with Cache-Control: no-store.",
	},
	finding.HSTSTrap: {
		Plain: "insecure host locked out by HSTS",
		Means: "HSTS (RFC 6797) covers a host that does not speak TLS, or shows a certificate that " +
			"browsers refuse.",
		Meets: "A warning with no way past, also for visitors who come by http.",
		Do: "Give the host a certificate before anything else. Or remove includeSubDomains, and wait " +
			"until max-age has passed.",
	},
	finding.HSTSShort: {
		Plain: "HSTS ends soon",
		Means: "The site asks browsers to remember https (HSTS, RFC 6797), but for less than half a " +
			"year.",
		Meets: "Nothing. Visitors who come back later than that are open to attack on their first " +
			"request, which is insecure.",
		Do: "Raise max-age to 31536000 (a year) once every host works over https.",
	},
	finding.HSTSMissing: {
		Plain: "no HSTS",
		Means: "The site does not ask browsers to remember https (HSTS, RFC 6797).",
		Meets: "Nothing. But anybody on the way can read and change each first request by http.",
		Do: "Have the site send Strict-Transport-Security over https: a short max-age first, a year " +
			"once every host works over https.",
	},
}

// memory are the sentences about what browsers remember.
var memory = []sentence{
	of[fact.TrappedByHSTS]("$CoveredBy tells browsers that all hosts below it are https only "+
		"($Header), and $Host $Why. Visitors who were at $CoveredBy before cannot reach it by http "+
		"either.",
		"Give $Host a certificate that covers its name. Or remove includeSubDomains at $CoveredBy, "+
			"and wait $Until."),
	of[fact.HSTSUnreadable]("$Door sends a Strict-Transport-Security header that browsers ignore: "+
		"$Shown.",
		"Write it as max-age=31536000, with nothing repeated."),
	of[fact.HSTSAbsent]("$Door does not tell browsers to use https only (HSTS).",
		"Have the site send Strict-Transport-Security: a short max-age first, a year once every host "+
			"works over https."),
	of[fact.HSTSNotSent]("$Door sends no Strict-Transport-Security header; policy.hsts has it send "+
		"$Planned:q.",
		"Write the server's configuration again, and reload it."),
	of[fact.HSTSOtherwise](
		"$Door sends Strict-Transport-Security: $Header:q; policy.hsts has it send "+
			"$Planned:q.",
		"Write the server's configuration again, and reload it."),
	by(func(f fact.PolicyLocksOut) (says, do string) {
		when := "from the beginning"
		if !f.From.IsZero() {
			when = "from $From on"
		}
		return "policy.hsts asks browsers, " + when + ", to use https alone for all hosts below $By; " +
				"$Carrier, which carries $Host, does not speak TLS. They would be shut out there.",
			"Give $Host to a carrier with TLS first, or leave out below in that step."
	}),
	by(func(f fact.PolicyCovers) (says, do string) {
		when := "from the beginning"
		if !f.From.IsZero() {
			when = "from $From on"
		}
		return "policy.hsts asks browsers, " + when + ", to use https alone for all hosts below $By: " +
				"also $Hosts:few3, about which the plan knows nothing.",
			"Check that each of them answers over https first, or leave out below in that step."
	}),
	of[fact.HSTSBrief]("$Door tells browsers to use https only for just $MaxAge (HSTS).",
		"Raise max-age to 31536000 once every host works over https."),
	phrase[fact.SilentOverHTTPS]("does not answer over https ($Refusal)"),
	phrase[fact.RefusedByTLS]("shows a certificate that browsers refuse ($Code)"),
	by(func(f fact.RememberedRedirect) (says, do string) {
		return "the redirect $From to $To (" + until(f.Until, "$Until:minute") + ")", ""
	}),
	by(func(f fact.RememberedHTTPS) (says, do string) {
		return "that $Host is https only (HSTS, " + until(f.Until, "$Until:minute") + ")", ""
	}),
	phrase[fact.Preloaded]("that $Host is https only (it is preloaded)"),
	by(func(f fact.ReturnsInLoop) (says, do string) {
		return "Browsers that visited $Entry before loop: they remember $Remembered:and. " +
				"A new visitor arrives.",
			"Make sure that neither end sends visitors back, " + longAs(f.Ends) +
				". Until then, serve the page at the remembered address too."
	}),
	by(func(f fact.ReturnsToWarning) (says, do string) {
		return "Browsers that visited $Entry before are stuck: they remember $Remembered:and, and " +
				"$Fault. " +
				"A new visitor arrives.",
			"Give $Host a certificate that covers its name before anything else. " +
				"Browsers remember " + longAs(f.Ends) + "."
	}),
	by(func(f fact.ReturnsElsewhere) (says, do string) {
		return "Browsers that visited $Entry before arrive at $Arrival, new visitors at $Fresh. " +
				"The former remember $Remembered:and.",
			"Redirect the remembered address too, " + longAs(f.Ends) + "."
	}),
	by(func(f fact.LockedOut) (says, do string) {
		return "$Carrier does not speak TLS for $Host. Browsers that remember $Why are shut out, with " +
				"no way past.",
			"Give $Host a carrier with TLS" + orForget(f.Ends)
	}),
	by(func(f fact.LockedOutAtFirst) (says, do string) {
		return "$Carrier gets the certificate for $Host once the name points there. Until then, " +
				"browsers that remember $Why are shut out, with no way past.",
			"Have the certificate at $Carrier before the name points there" + orForget(f.Ends)
	}),
	by(func(f fact.ReturnsToNothing) (says, do string) {
		how := "answers $Status"
		if f.Refusal != "" {
			how = "does not answer ($Refusal)"
		}
		return "Browsers that visited $Entry before go to $Arrival, which " + how +
				"; new visitors arrive at $Fresh. They remember $Remembered:and.",
			"Redirect the remembered address too, " + longAs(f.Ends) + "."
	}),
	phrase[fact.NoWayPast]("browsers refuse the certificate of $Host ($Code), with no way past"),
	phrase[fact.NoWayThere]("$Door does not answer ($Refusal)"),
	phrase[fact.CanBePreloaded]("$Apex meets what browsers ask of sites that they preload as https " +
		"only."),
	phrase[fact.CannotBePreloaded](
		"$Apex does not meet what browsers ask of sites that they preload: $Wants:few5."),
	phrase[fact.WantsRedirect]("http://$Apex has to redirect to https://$Apex first"),
	phrase[fact.WantsAnswer]("https://$Apex has to answer"),
	phrase[fact.WantsCertificate]("https://$Apex needs a valid certificate"),
	phrase[fact.WantsHSTS]("https://$Apex has to send Strict-Transport-Security"),
	phrase[fact.WantsMaxAge]("max-age has to be 31536000 s or more, and is $Seconds s ($Lasts)"),
	phrase[fact.WantsSubdomains]("includeSubDomains is missing"),
	phrase[fact.WantsPreload]("preload is missing"),
}
