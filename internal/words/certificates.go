package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// certificateCodes are what codes mean that are about certificates.
var certificateCodes = map[finding.Code]Meaning{
	finding.WrongName: {
		Plain: "another site's certificate",
		Means: "The certificate is for other names.",
		Meets: "A full-page warning. Most visitors turn back; with HSTS nobody can go on.",
		Do: "Have the carrier get a certificate that covers this name before the name points there. " +
			"Apex and www are two names.",
	},
	finding.Expired: {
		Plain: "expired certificate",
		Means: "The certificate, or that of an issuer above it, has expired.",
		Meets: "A full-page warning.",
		Do: "Renew it, and find out why it was not renewed automatically. A redirect that catches the " +
			"renewal path is a common cause.",
	},
	finding.NotYetValid: {
		Plain: "certificate not valid yet",
		Means: "The certificate is not valid yet.",
		Meets: "A full-page warning.",
		Do:    "Correct the machine's clock, wait, or use the previous certificate until then.",
	},
	finding.Untrusted: {
		Plain: "untrusted certificate",
		Means: "The vantage does not trust the certificate: its issuer is a stranger, may not issue " +
			"it, or issued it for something other than a server.",
		Meets: "A full-page warning.",
		Do:    "Use a certificate of a public authority.",
	},
	finding.Revoked: {
		Plain: "revoked certificate",
		Means: "The issuer has revoked the certificate, by the list that the certificate names (RFC " +
			"5280 section 5).",
		Meets: "A full-page warning in browsers that know the list; the others follow.",
		Do:    "Ask for a new certificate, with a new key, and find out who had the old one revoked.",
	},
	finding.BrokenChain: {
		Plain: "incomplete certificate chain",
		Means: "The issuer's certificate is neither sent nor trusted, though the certificate says " +
			"where to find it.",
		Meets: "A full-page warning on phones, in mail programs and in many tools. Some desktop " +
			"browsers fetch what is missing.",
		Do: "Install the whole chain: the certificate followed by its intermediate certificates, in " +
			"one file.",
	},
	finding.WeakCertificate: {
		Plain: "outdated encryption",
		Graver: "it is signed with SHA-1, or the server offers nothing newer than TLS 1.1: browsers " +
			"refuse these",
		Means: "The certificate is signed with SHA-1 or has an RSA key under 2048 bits, or the server " +
			"offers nothing newer than TLS 1.1 (RFC 8996).",
		Meets: "A full-page warning, or none yet in some browsers.",
		Do: "Configure TLS 1.2 and 1.3 on the server, with a new certificate: an RSA key of 2048 bits " +
			"or more, or an elliptic-curve key.",
	},
	finding.ExpiresSoon: {
		Plain: "certificate about to expire",
		Means: "The certificate has less than 21 days, and less than a third of its lifetime, left.",
		Meets: "Nothing yet.",
		Do: "Make sure that it is renewed. A certificate that renews automatically would have been " +
			"replaced by now.",
	},
}

// certificates are the sentences about certificates.
var certificates = []sentence{
	by(func(f fact.CertificateOfOthers) (says, do string) {
		return "$Host shows a certificate for $Names:names." + also(f.Also),
			"Get a certificate that covers $Host, or point the name to a carrier that has one."
	}),
	by(func(f fact.CertificateEnded) (says, do string) {
		return "The certificate for $Names:names expired on $Ended, $Ago ago." + also(f.Also),
			"Renew it, and find out why it was not renewed automatically."
	}),
	by(func(f fact.CertificateEarly) (says, do string) {
		return "The certificate for $Names:names is valid from $Begins, in $In." + also(f.Also),
			"Correct that machine's clock, or use the previous certificate until then."
	}),
	by(func(f fact.CertificateRevoked) (says, do string) {
		return "$Issuer revoked the certificate for $Names:names on $Revoked." + also(f.Also),
			"Ask for a new certificate with a new key, and install it."
	}),
	by(func(f fact.CertificateUntrusted) (says, do string) {
		return "The certificate for $Names:names was issued by $Issuer:q, which is not trusted here." +
				also(f.Also),
			"Use a certificate of a public authority for $Host."
	}),
	by(func(f fact.IssuerEnded) (says, do string) {
		return "The certificate for $Names:names is sent with one of its issuer $Issuer:q that " +
				"expired on $Ended, $Ago ago." + also(f.Also),
			"Send the issuer's present certificate with it, which the authority offers for download."
	}),
	by(func(f fact.IssuerBarsName) (says, do string) {
		return "$Host shows a certificate whose issuer $Issuer:q may not issue for that name." +
				also(f.Also),
			"Get a certificate for $Host from an authority that may issue it."
	}),
	by(func(f fact.CertificateForOther) (says, do string) {
		return "$Host shows a certificate that is not for servers: $Flawed:q is for another purpose." +
				also(f.Also),
			"Install the server's own certificate, not one that clients show."
	}),
	by(func(f fact.PathOfIssuersLong) (says, do string) {
		return "The certificate for $Names:names has more issuers above it than $Issuer:q allows." +
				also(f.Also),
			"Install it with the intermediate certificates that the authority offers for it."
	}),
	by(func(f fact.IssuerIsNone) (says, do string) {
		return "The certificate for $Names:names is signed by $Issuer:q, which is no authority." +
				also(f.Also),
			"Get a certificate of a public authority, and install that."
	}),
	by(func(f fact.CertificateOfItself) (says, do string) {
		return "The certificate for $Names:names is signed by itself." + also(f.Also),
			"Use a certificate of a public authority for $Host."
	}),
	by(func(f fact.CertificateAlone) (says, do string) {
		return "The certificate for $Names:names comes without that of its issuer $Issuer:q." +
				also(f.Also),
			"Install it together with its intermediate certificates, in one file."
	}),
	by(func(f fact.CertificateEnding) (says, do string) {
		return "The certificate for $Names:names expires on $Ends, in $In." + also(f.Also),
			"Make sure that it is renewed before $Ends."
	}),
	by(func(f fact.EncryptionWeak) (says, do string) {
		return "The encryption of $Host is outdated: $Weak:and." + also(f.Also),
			"Configure TLS 1.2 and 1.3 on the server, with a new certificate: an RSA key of 2048 bits or " +
				"more, or an elliptic-curve key."
	}),
	of[fact.AddressAsked]("",
		"Use the name that leads there: certificates are hardly ever issued for addresses."),
	of[fact.WildcardTooWide](
		"A wildcard covers one label: *.$Parent covers neither $Parent itself nor names two labels "+
			"below it.",
		"Get a certificate that names $Host itself."),
	of[fact.ServerKnowsNot](
		"The server at $By does not know $Host over https, and shows the certificate of $Other.",
		"Add $Host to that server's configuration, with a certificate that covers it, "+
			"or point it to a carrier that has one."),
	by(func(f fact.PlatformAnswers) (says, do string) {
		return "$Host leads to " + platform(f.Platform) +
				", which does not know the host: it answers $Status.",
			"Add $Host at " + platform(f.Platform) + "; it then gets the certificate."
	}),
	by(func(f fact.CertificateNotAllowed) (says, do string) {
		allowed := "only $Issuers:few3"
		if len(f.Issuers) == 0 {
			allowed = "nobody"
		}
		at := platform(f.Platform)
		return "The CAA records at $At keep " + at +
				" from getting a certificate for $Host: they allow " +
				allowed + ", and its authority is $Issuer:q.",
			"Add a CAA record at $At for the authority that " + at + " names on its pages. " +
				"Then have " + at + " try again."
	}),
	by(func(f fact.CertificateIssued) (says, do string) {
		at, likely := platform(f.Platform), ""
		if f.Likely {
			likely = "most likely "
		}
		says = "$Host leads to " + at + ", which still shows its own: " + likely +
			"one for $Host is being issued$Allowed."
		if f.LookAt.IsZero() {
			return says, "Wait: it takes minutes in most cases, at times a day, once the records are right."
		}
		return says, "Wait, and look again at about $LookAt:clock. If nothing has changed by " +
			"$AskAt:minute, ask " + at + " whether $Host was added there."
	}),
	by(func(f fact.CertificateOverdue) (says, do string) {
		at := platform(f.Platform)
		return "$Host leads to " + at + ", since $Since:minute at the latest, and " + at +
				" still shows its own certificate: most likely $Host was not added there.",
			"Add $Host at " + at + ", and confirm there that the domain is the client's."
	}),
	phrase[fact.NoCAA](", and no CAA record forbids it"),
	by(func(f fact.CAAAllows) (says, do string) {
		if len(f.Issuers) == 0 {
			return ", and the CAA records at $At allow it (nobody)", ""
		}
		return ", and the CAA records at $At allow it ($Issuers:few3)", ""
	}),
	phrase[fact.GoodCertificate]("a certificate that browsers accept"),
}
