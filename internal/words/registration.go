package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// registrationCodes are what codes mean that are about registrations.
var registrationCodes = map[finding.Code]Meaning{
	finding.RegistrationEnds: {
		Plain: "registration about to end",
		Means: "The registration ends soon, or has ended.",
		Meets: "Nothing yet; later, somebody else's site.",
		Do:    "Renew it before anything else.",
	},
	finding.OnHold: {
		Plain: "domain on hold",
		Means: "The registry does not publish the domain.",
		Meets: "The browser says that the site cannot be found.",
		Do:    "Ask the registrar. In most cases a payment or a confirmation is missing.",
	},
	finding.TransferLocked: {
		Plain: "locked against transfer",
		Means: "The domain is locked against a transfer to another registrar.",
		Meets: "Nothing; the lock keeps thieves away.",
		Do: "Leave the lock, unless the domain changes its registrar: have it unlocked first, and " +
			"locked again.",
	},
}

// registration are the sentences about registrations.
var registration = []sentence{
	of[fact.ParentKnowsNothing]("The parent zone ($Parent) does not know $Domain: it is not "+
		"registered, has expired, or is on hold.",
		"Check it at the registrar before anything else: nothing of the domain can be reached."),
	of[fact.Locked]("$Domain is locked against a transfer to another registrar ($Locks).",
		"Leave the lock, unless the domain changes its registrar: have it unlocked first, and locked "+
			"again."),
	of[fact.HeldByRegistry]("The registry has put $Domain on hold ($Status): its name servers are "+
		"not published.",
		"Ask the registrar why. In most cases a payment, or the owner's confirmation, is missing."),
	of[fact.RegistrationEnding]("The registration of $Domain expires on $Ends, in $In.", renewFirst),
	of[fact.RegistrationEnded]("The registration of $Domain expired on $Ends, $Ago ago.", renewFirst),
}
