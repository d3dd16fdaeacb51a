package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// memoryCodes are what codes mean that are about what browsers remember.
var memoryCodes = map[finding.Code]Meaning{
	finding.RememberedLoop: {
		Plain: "loop for returning visitors",
		Means: "A browser that remembers an earlier permanent redirect, or HSTS, goes round in a " +
			"loop, though a fresh one arrives.",
		Meets: "The browser says that the page redirected too many times; only clearing its data helps.",
		Do: "Let neither end send visitors back to where they once were sent from, until the " +
			"memory has ended; redirect by 302 or with Cache-Control: no-store while both directions are " +
			"still being tried.",
	},
	finding.HSTSTrap: {
		Plain: "insecure host locked out by HSTS",
		Means: "HSTS (RFC 6797) covers a host that cannot speak TLS, or shows a certificate that " +
			"browsers refuse.",
		Meets: "A warning with no way past, also for those who come by http.",
		Do: "Give the host a certificate before anything else; or take includeSubDomains out, and " +
			"wait until max-age has passed.",
	},
	finding.HSTSShort: {
		Plain: "HSTS ends soon",
		Means: "The site asks browsers to remember https (HSTS, RFC 6797), but for less than half a " +
			"year.",
		Meets: "Nothing; whoever comes back later than that is open to attack on the first, insecure, " +
			"request.",
		Do: "Raise max-age to 31536000 (a year) once every host works over https.",
	},
	finding.HSTSMissing: {
		Plain: "no HSTS",
		Means: "The site does not ask browsers to remember https (HSTS, RFC 6797).",
		Meets: "Nothing; but each first request by http can be read and changed on the way.",
		Do: "Have it send Strict-Transport-Security over https: a short max-age first, a year once " +
			"every host works over https.",
	},
}

// memory are the sentences about what browsers remember.
var memory = []sentence{
	of[fact.TrappedByHSTS]("$CoveredBy asks browsers to go to all hosts below it by https alone "+
		"($Header), and $Host $Why: whoever was at $CoveredBy before does not get in by http either.",
		"Give $Host a certificate that holds its name; or take includeSubDomains out at $CoveredBy, "+
			"and wait $Until."),
	of[fact.HSTSUnreadable]("$Door sends a Strict-Transport-Security header that no browser takes: "+
		"$Shown.",
		"Write it as max-age=31536000, with nothing twice."),
	of[fact.HSTSAbsent]("$Door does not ask browsers to come by https alone (HSTS).",
		"Have it send Strict-Transport-Security: a short max-age first, a year once every host works "+
			"over https."),
	of[fact.HSTSBrief]("$Door asks browsers to come by https alone for only $MaxAge (HSTS).",
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
