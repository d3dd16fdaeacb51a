package finding

import (
	"fmt"
	"slices"
)

// Code names a kind of finding. The codes are the constants below and no others; the zero value is
// none of them. In JSON it is its name.
type Code uint8

// The codes that this version can report, in the order of the table: what is worse for a visitor
// stands before what is not, within each chapter.
const (
	_ Code = iota

	NoAddress
	Refused
	Unreachable
	Timeout
	TLSFailed
	BadAnswer
	SplitAnswers
	TurnedAway

	WrongName
	Expired
	NotYetValid
	Untrusted
	BrokenChain
	WeakCertificate
	ExpiresSoon

	Loop
	GrowingLoop
	CookieLoop
	TooManyHops
	ExtraHop
	Downgrade
	PlainArrival
	Temporary
	BadLocation
	Framed
	SoftRedirect
	ForeignHop
	PrivateHop

	NotRedirected
	DoorsDisagree
	WrongPage
	PathLost
	QueryLost
	DeadEnd
	LandedHome
	ManyToOne

	RememberedLoop
	HSTSTrap
	HSTSShort
	HSTSMissing

	LeftoverAddress
	MissingAddress
	AliasConflict
	WrongTarget
	DanglingAlias
	RecordLost
	UnplannedChange
	MailLost
	MailTied
	MailSpoofable
	MailMalformed
	MailBroken
	DependedOn
	IssuerBarred
	ZoneDiffers
	StaleDS
	SignatureExpired
	CutOff
	MovedUnseen
	ProviderBound
	DeclaredOtherwise
	DoubledName
	WellKnownTaken

	RegistrationEnds
	OnHold
	TransferLocked

	RobotsBlocked
	NoIndex
	CanonicalDisagrees
	MixedContent
	LeftoverLink

	Tie
	Shadowed
	RuleLoop
	RuleChain
	Uncovered
	OneDoorOnly
	Undecided
	BeyondCarrier

	codes // how many there are, and one
)

// Row is a row of the table of findings: what a code means, what a visitor meets, what to do in
// general, and whatever else is asked of codes.
type Row struct {
	Name     string // as it is written everywhere
	Plain    string // the same in plain words, for readers who know no codes
	Formerly string // what it was called before, as kept audits may still have it
	Severity Severity
	Milder   string // for which cases it is less grave; "": it never is
	Graver   string // for which cases it is graver
	About    string // the chapter
	Means    string
	Meets    string // what a visitor meets
	Do       string // what to do
	Help     Help   // the part of the program that helps

	Endless   bool    // the chain does not end
	AfterMove bool    // looked for in zones that earlier waves have moved
	Denies    []Claim // what it shows not to hold for every URL
}

// Claim is something that is proved for every URL, or not.
type Claim uint8

// The claims.
const (
	Arrives      Claim = iota // every URL arrives
	NeverLoops                // nothing loops
	StaysSecure               // no hop from https to http
	KeepsWhole                // path and query are kept where the plan says so
	NeverTied                 // no two rules are tied
	EachRuleWins              // every rule wins for some URL
	NoRuleChains              // no rule leads to another
)

// Row returns the row of a code; one without a name for what is no code.
func (c Code) Row() Row {
	if c == 0 || c >= codes {
		return Row{Severity: Error}
	}
	return table[c]
}

// String returns the code as it is written everywhere.
func (c Code) String() string { return c.Row().Name }

// Denies reports whether a finding of this code shows that a claim does not hold.
func (c Code) Denies(claim Claim) bool { return slices.Contains(c.Row().Denies, claim) }

// MarshalText writes the name of the code.
func (c Code) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads the name of a code, also one that it had before. The error names what is no
// code.
func (c *Code) UnmarshalText(text []byte) error {
	for i, k := range table {
		if i > 0 && (k.Name == string(text) || k.Formerly == string(text) && k.Formerly != "") {
			*c = Code(i)
			return nil
		}
	}
	return fmt.Errorf("%q is not the code of a finding", text)
}

// Named returns the code of a name, false where no finding is called so.
func Named(name string) (Code, bool) {
	for c := range codes {
		if c > 0 && table[c].Name == name {
			return c, true
		}
	}
	return 0, false
}

// Rows returns the table in its order.
func Rows() []Row { return slices.Clone(table[1:]) }

var table = [codes]Row{
	NoAddress: {
		Name: "no-address", Plain: "no address", Severity: Error, About: "reaching",
		Denies: []Claim{Arrives},
		Means: "The name leads to no address: it or its whole domain does not exist, or it has " +
			"neither A nor AAAA.",
		Meets: "The browser says that the site cannot be found.",
		Do: "Create the record; for a www that was never created, that is an A, AAAA or CNAME at www. " +
			"A domain that does " +
			"not exist has to be registered or renewed first.",
	},
	Refused: {
		Name: "refused", Plain: "connection refused", Severity: Error, About: "reaching",
		Denies: []Claim{Arrives},
		Means:  "The address accepts no connection on this port.",
		Meets:  "The browser says that the site refused to connect.",
		Do: "Have whoever carries the door listen there, or point the name at somebody who does. A " +
			"forwarding form " +
			"without TLS refuses every https visitor.",
	},
	Unreachable: {
		Name: "unreachable", Plain: "no way to the address", Severity: Error, About: "reaching",
		Means: "There is no way to the address: a router on the way, or the own network, says so at " +
			"once.",
		Meets: "The browser says that the address is unreachable.",
		Do: "Check whether the address is right and its network is announced; look from another " +
			"vantage, since the " +
			"fault may be on the way from this one.",
	},
	Timeout: {
		Name: "timeout", Plain: "no answer in time", Severity: Error, About: "reaching",
		Means: "Nothing answered in time, and not when asked once more.",
		Meets: "The browser waits for a long time and gives up.",
		Do: "Check whether the machine still exists and whether a firewall drops the connection; " +
			"otherwise point the " +
			"name elsewhere.",
	},
	TLSFailed: {
		Name: "tls-failed", Plain: "no secure connection", Severity: Error, About: "reaching",
		Means: "A connection is accepted, but no TLS connection comes about.",
		Meets: "The browser says that it cannot make a secure connection, and offers no way past.",
		Do:    "Have the door speak TLS 1.2 or 1.3 with a certificate for this name.",
	},
	BadAnswer: {
		Name: "bad-answer", Plain: "not a web answer", Severity: Error, About: "reaching",
		Means: "What came back is not HTTP, or breaks off before it is an answer.",
		Meets: "The browser says that the site sent an invalid response.",
		Do:    "Look at what listens on this port; the finding quotes what came.",
	},
	SplitAnswers: {
		Name: "split-answers", Plain: "different answers",
		Severity: Warning, Graver: "one of the addresses does what would be an error at the door",
		About: "reaching",
		Means: "Addresses, resolvers, name servers, vantages or kinds of visitors get different " +
			"answers about the same " +
			"thing.",
		Meets: "One page today and another one tomorrow, or none, by chance.",
		Do: "Have them agree. A resolver that gives an old answer goes on doing so until its TTL has " +
			"run out; that is " +
			"waited for, not mended.",
	},

	TurnedAway: {
		Name: "turned-away", Plain: "robots are turned away", Severity: Warning, About: "reaching",
		Means: "The answer is a challenge or a refusal for robots: a page that asks whether one is " +
			"human, or a limit on " +
			"how often one may ask. It says nothing about the door.",
		Meets: "The page, most likely; this program, and perhaps search engines, do not get to see it.",
		Do: "Look at it in a browser. Ask whoever guards the site to let this program's User-Agent " +
			"through, or go from a " +
			"vantage that it trusts.",
	},

	WrongName: {
		Name: "wrong-name", Plain: "another site's certificate", Severity: Error, About: "certificate",
		Means: "The certificate is for other names than this one.",
		Meets: "A full-page warning. Most visitors turn back; with HSTS nobody can go on.",
		Do: "Have the carrier get a certificate that holds this name (apex and www are two names), " +
			"before the name " +
			"points there.",
	},
	Expired: {
		Name: "expired", Plain: "expired certificate", Severity: Error, About: "certificate",
		Means: "The certificate had already expired.",
		Meets: "A full-page warning.",
		Do: "Renew it, and find out why that did not happen by itself: a redirect that takes the " +
			"renewal path is a " +
			"common cause.",
	},
	NotYetValid: {
		Name: "not-yet-valid", Plain: "certificate not valid yet", Severity: Error, About: "certificate",
		Means: "The certificate is not valid yet.",
		Meets: "A full-page warning.",
		Do:    "Set the clock of the machine right, or wait, or use the former certificate until then.",
	},
	Untrusted: {
		Name: "untrusted", Plain: "certificate nobody trusts", Severity: Error, About: "certificate",
		Means: "The certificate was issued by nobody whom the vantage trusts.",
		Meets: "A full-page warning.",
		Do:    "Use a certificate of a public authority.",
	},
	BrokenChain: {
		Name: "broken-chain", Plain: "incomplete certificate chain", Severity: Error,
		About: "certificate",
		Means: "The issuer's certificate is neither sent nor trusted, though the certificate says " +
			"where it can be had.",
		Meets: "A full-page warning on phones, in mail programs and in many tools; some desktop " +
			"browsers fetch what is " +
			"missing.",
		Do: "Install the whole chain: the certificate followed by its intermediates, in one file.",
	},
	WeakCertificate: {
		Name: "weak-certificate", Plain: "outdated encryption",
		Severity: Warning,
		Graver:   "a signature by SHA-1, or nothing newer than TLS 1.1: browsers refuse these",
		About:    "certificate",
		Means: "The certificate is signed by SHA-1 or has an RSA key under 2048 bits, or the server " +
			"speaks nothing newer " +
			"than TLS 1.1 (RFC 8996).",
		Meets: "A full-page warning, or none yet in some browsers.",
		Do: "Have the server speak TLS 1.2 and 1.3, with a new certificate: an RSA key of 2048 bits " +
			"or more, or an " +
			"elliptic one.",
	},
	ExpiresSoon: {
		Name: "expires-soon", Plain: "certificate about to expire", Severity: Warning,
		About: "certificate",
		Means: "The certificate has less than 21 days and less than a third of its life left.",
		Meets: "Nothing yet.",
		Do: "Make sure that it is renewed; a certificate that renews itself would have been " +
			"replaced by now.",
	},

	Loop: {
		Name: "loop", Plain: "redirect loop",
		Severity: Error, About: "chain", Endless: true, Denies: []Claim{Arrives, NeverLoops},
		Means: "The chain comes back to a URL that was asked already.",
		Meets: "The browser says that the page redirected too many times.",
		Do: "Find the two who send visitors to each other: often an edge network that speaks http to " +
			"a server that " +
			"insists on https. Let one of them stop.",
	},
	GrowingLoop: {
		Name: "growing-loop", Plain: "growing redirect loop",
		Severity: Error, About: "chain", Endless: true, Denies: []Claim{Arrives, NeverLoops},
		Means: "Every round leads to a longer URL of the same kind.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Correct the rule that puts its own beginning before the path again.",
	},
	CookieLoop: {
		Name: "cookie-loop", Plain: "loop without a cookie", Severity: Error, About: "chain",
		Denies: []Claim{NeverLoops},
		Means:  "A URL redirects to itself, or in a round, until a cookie that it set comes back.",
		Meets: "Nothing with cookies. Search engines, and browsers that take none, go round and give " +
			"up.",
		Do: "Have the page answer without the cookie; whatever it is for can wait until somebody " +
			"needs it.",
	},
	TooManyHops: {
		Name: "too-many-hops", Plain: "too many redirects",
		Severity: Error, About: "chain", Endless: true, Denies: []Claim{Arrives},
		Means: "After 20 redirects there is still another.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Lead every door straight to its end.",
	},
	ExtraHop: {
		Name: "extra-hop", Plain: "needless redirect", Severity: Warning, About: "chain",
		Denies: []Claim{NoRuleChains},
		Means:  "There are more redirects than wanted until the canonical site is reached.",
		Meets:  "Each hop costs a connection: a wait, most of all on phones.",
		Do:     "Have the first answer name the last URL.",
	},
	Downgrade: {
		Name: "downgrade", Plain: "redirect to an insecure page",
		Severity: Error, About: "chain", Denies: []Claim{StaysSecure},
		Means: "A hop leads from https to http.",
		Meets: "Everything of that hop can be read and changed on the way; some browsers warn.",
		Do:    "Write the target with https.",
	},
	PlainArrival: {
		Name: "plain-arrival", Plain: "arrives on an insecure page",
		Severity: Error, About: "chain", Denies: []Claim{StaysSecure},
		Means: "The chain ends on a page over http.",
		Meets: "The browser says that the site is not secure.",
		Do:    "Have http redirect to https there.",
	},
	Temporary: {
		Name: "temporary", Plain: "temporary redirect", Severity: Warning, About: "chain",
		Means: "A redirect to another origin says that it is temporary, and none was planned.",
		Meets: "Nothing; but search engines keep the old address.",
		Do:    "Use 301 or 308.",
	},
	BadLocation: {
		Name: "bad-location", Plain: "broken redirect", Severity: Error, About: "chain",
		Means: "A redirect whose Location is missing, double, or written so that no browser or not " +
			"every browser follows it.",
		Meets: "An empty page or an error.",
		Do:    "Write one Location: an absolute https URL in percent-encoded ASCII.",
	},
	Framed: {
		Name: "framed", Plain: "site shown in a frame", Severity: Error, About: "chain",
		Denies: []Claim{Arrives},
		Means: "The door answers with a page of its own that shows the site in a frame, under the old " +
			"name.",
		Meets: "The site, but every page at one address: no bookmark, no link to a page, no sign-in " +
			"in many browsers; " +
			"search engines see an empty page.",
		Do: "Switch the forwarding from frame (also called masked or hidden) to a redirect with 301, " +
			"or give the door to a " +
			"carrier that redirects.",
	},
	SoftRedirect: {
		Name: "soft-redirect", Plain: "redirect by the page itself", Severity: Warning, About: "chain",
		Means: "A page sends visitors on by a Refresh header, by markup or by a script, and not by " +
			"the server's answer.",
		Meets: "A blank page for a moment; nothing at all where scripts are off. Search engines may " +
			"keep the old address.",
		Do: "Have the server answer 301 with a Location.",
	},
	ForeignHop: {
		Name: "foreign-hop", Plain: "detour through another owner's site", Severity: Note, About: "chain",
		Means: "The chain passes through a host that is not part of the estate.",
		Meets: "Nothing, as long as that host's owner is friendly.",
		Do:    "Lead straight to the target; or add the host to the estate if the client owns it.",
	},

	PrivateHop: {
		Name: "private-hop", Plain: "redirect into a private network",
		Severity: Error, About: "chain", Denies: []Claim{Arrives}, Help: LookInside,
		Means: "A redirect of a public address leads into a private network: to the visitor's own " +
			"machine, a network of " +
			"10.0.0.0/8 and its like, or a link-local address. It is not followed.",
		Meets: "Nothing, or whatever answers at that address in the visitor's own network.",
		Do:    "Lead to an address that everybody reaches; find out why the redirect names this one.",
	},

	NotRedirected: {
		Name: "not-redirected", Plain: "not redirected",
		Severity: Error, About: "destination", Formerly: "not-forwarded", Denies: []Claim{Arrives},
		Means: "A door that should forward answers by itself.",
		Meets: "The old site, a parking page or an error instead of the canonical site.",
		Do: "Set up the redirect at whoever carries the door, and make sure that the name points " +
			"there.",
	},
	DoorsDisagree: {
		Name: "doors-disagree", Plain: "one site at two addresses", Severity: Warning,
		About: "destination",
		Means: "Apex and www both serve pages, each under its own name.",
		Meets: "The same site at two addresses; sign-ins and search results are split.",
		Do:    "Choose one, and redirect the other to it.",
	},
	WrongPage: {
		Name: "wrong-page", Plain: "wrong page",
		Severity: Error, About: "destination", Formerly: "off-course", Denies: []Claim{Arrives},
		Means: "The chain ends somewhere else than wanted.",
		Meets: "A page that the visitor did not ask for.",
		Do:    "Correct the target of the redirect.",
	},
	PathLost: {
		Name: "path-lost", Plain: "lost path", Severity: Error, About: "destination",
		Denies: []Claim{KeepsWhole},
		Means:  "A path that was to be kept is cut.",
		Meets:  "The front page instead of the page that the link promised.",
		Do:     "Redirect with the path kept; where the carrier cannot, give the door to one that can.",
	},
	QueryLost: {
		Name: "query-lost", Plain: "lost query", Severity: Warning, About: "destination",
		Denies: []Claim{KeepsWhole},
		Means:  "The query is not handed on.",
		Meets:  "A search or a campaign link that forgets what was asked.",
		Do:     "Hand the query on; where the carrier cannot, give the door to one that can.",
	},
	DeadEnd: {
		Name: "dead-end", Plain: "ends on an error page", Severity: Error,
		Milder: "a page that says that it was not found, and answers 200",
		About:  "destination", Denies: []Claim{Arrives},
		Means: "The chain arrives on an error, or on a page that says that there is none.",
		Meets: "An error page.",
		Do:    "Lead to a page that exists, or say 410 where the page is gone on purpose.",
	},

	LandedHome: {
		Name: "landed-home", Plain: "old page lands on the home page", Severity: Warning,
		About: "destination",
		Means: "The URL of a page arrives on the home page of the site.",
		Meets: "The front page instead of what the link promised. Search engines take it for a page " +
			"that is gone.",
		Do: "Lead it to the page that took its place, or answer 410 where there is none.",
	},
	ManyToOne: {
		Name: "many-to-one", Plain: "many old pages on one new page", Severity: Warning,
		About: "destination",
		Means: "Many different old URLs arrive on one and the same page, for which nobody planned it.",
		Meets: "Not what the link promised. Search engines take most of them for pages that are gone.",
		Do:    "Lead each to the page that took its place; where there is none, answer 410.",
	},

	RememberedLoop: {
		Name: "remembered-loop", Plain: "loop for returning visitors",
		Severity: Error, About: "memory", Endless: true,
		Means: "A browser that remembers an earlier permanent redirect, or HSTS, goes round in a " +
			"loop, though a fresh one " +
			"arrives.",
		Meets: "The browser says that the page redirected too many times; only clearing its data helps.",
		Do: "Let neither end send visitors back to where they once were sent from, until the memory " +
			"has ended; redirect by " +
			"302 or with Cache-Control: no-store while both directions are still being tried.",
	},
	HSTSTrap: {
		Name: "hsts-trap", Plain: "insecure host locked out by HSTS", Severity: Error, About: "memory",
		Means: "HSTS (RFC 6797) covers a host that cannot speak TLS, or shows a certificate that " +
			"browsers refuse.",
		Meets: "A warning with no way past, also for those who come by http.",
		Do: "Give the host a certificate before anything else; or take includeSubDomains out, and " +
			"wait until max-age has " +
			"passed.",
	},
	HSTSShort: {
		Name: "hsts-short", Plain: "HSTS ends soon", Severity: Note, About: "memory",
		Means: "The site asks browsers to remember https (HSTS, RFC 6797), but for less than half a " +
			"year.",
		Meets: "Nothing; whoever comes back later than that is open to attack on the first, insecure, " +
			"request.",
		Do: "Raise max-age to 31536000 (a year) once every host works over https.",
	},
	HSTSMissing: {
		Name: "hsts-missing", Plain: "no HSTS", Severity: Note, About: "memory",
		Means: "The site does not ask browsers to remember https (HSTS, RFC 6797).",
		Meets: "Nothing; but each first request by http can be read and changed on the way.",
		Do: "Have it send Strict-Transport-Security over https: a short max-age first, a year once " +
			"every host works over " +
			"https.",
	},

	LeftoverAddress: {
		Name: "leftover-address", Plain: "old address left behind", Severity: Error, About: "records",
		AfterMove: true,
		Means:     "An old address stands beside the new one, or beside an alias.",
		Meets:     "The old site or the new one, by chance.",
		Do: "Remove it: a name leads to one place. A machine that is still needed gets a name of " +
			"its own.",
	},
	MissingAddress: {
		Name: "missing-address", Plain: "missing address", Severity: Error, About: "records",
		AfterMove: true,
		Means:     "A name lacks some or all of the addresses of whoever carries it.",
		Meets:     "Nothing for some, such as those with IPv6 only; or a site that cannot be found.",
		Do:        "Add what is missing: all addresses of a carrier form one record set.",
	},
	AliasConflict: {
		Name: "alias-conflict", Plain: "alias beside other records",
		Severity: Error, About: "records", Formerly: "crowded-alias",
		Means: "An alias (CNAME) stands beside other records, at the apex, or where a name server's " +
			"own name has to be.",
		Meets: "The site for some, nothing or no mail for others.",
		Do: "An alias stands alone, and never at the apex (RFC 1034 section 3.6.2): replace it, or " +
			"what stands beside it.",
	},
	WrongTarget: {
		Name: "wrong-target", Plain: "leads to the wrong place", Severity: Error, About: "records",
		AfterMove: true,
		Means:     "A name that counts as moved leads elsewhere than planned.",
		Meets:     "The old site.",
		Do:        "Make the change that the plan names, or set the domain back to planned.",
	},
	DanglingAlias: {
		Name: "dangling-alias", Plain: "alias that nobody has claimed",
		Severity: Error, About: "records", Formerly: "unclaimed-alias",
		Means: "An alias leads to where nobody answers for this name.",
		Meets: "An error page of a stranger; and whoever claims the name there can show anything they " +
			"like.",
		Do: "Claim the host at the platform first, then point to it; or remove the alias.",
	},
	RecordLost: {
		Name: "record-lost", Plain: "lost record", Severity: Error, About: "records", AfterMove: true,
		Means: "A record that was there, or that somebody asked for, is gone or would go without " +
			"being named.",
		Meets: "Whatever hung on it: a proof of ownership, a service, a name.",
		Do:    "Put it back.", Help: KeptRecords,
	},
	UnplannedChange: {
		Name: "unplanned-change", Plain: "unplanned change", Severity: Warning, About: "records",
		AfterMove: true,
		Means:     "A record came or changed since the survey, and the plan does not know of it.",
		Meets:     "Perhaps nothing; somebody else is at work in the zone.",
		Do:        "Ask who changed it. What is wanted is written under wanted:.",
	},
	MailLost: {
		Name: "mail-lost", Plain: "lost mail record", Severity: Error, About: "records", AfterMove: true,
		Means: "A record on which mail depends is gone, or would go.",
		Meets: "Mail that does not arrive, or is taken for forged.",
		Do: "Keep it: copy it to where the zone moves, and say mail: none only of domains that " +
			"have no mail.",
	},
	MailTied: {
		Name: "mail-tied", Plain: "mail depends on the web address", Severity: Error, About: "records",
		Means: "Mail depends on a web address that is about to change.",
		Meets: "Nothing, until the web moves and mail stops.",
		Do:    "Give mail a name and address of its own before the move.",
	},
	MailSpoofable: {
		Name: "mail-spoofable", Plain: "mail can be forged", Severity: Note, About: "records",
		Formerly: "mail-open",
		Means:    "A domain has no mail, and no records that say so.",
		Meets:    "Forged mail in the client's name.",
		Do: "Write mail: none, so that the plan adds a null MX (RFC 7505), v=spf1 -all (RFC 7208) and " +
			"a rejecting " +
			"policy (RFC 7489).",
	},
	MailMalformed: {
		Name: "mail-malformed", Plain: "unreadable mail policy",
		Severity: Error, About: "records",
		Milder: "a policy at the wrong name, +all, or more than 450 octets",
		Means: "A mail policy that receivers cannot read: two where one is allowed, more than 10 " +
			"look-ups, a term " +
			"that nobody " +
			"knows, or a policy at a name where nobody looks for it (RFC 7208, RFC 7489).",
		Meets: "Mail that is taken for forged, or forged mail that is not.",
		Do: "Join the records into one, mend or drop the term that is named, or move the policy to " +
			"its name.",
	},
	MailBroken: {
		Name: "mail-broken", Plain: "broken mail route", Severity: Error, About: "records",
		Means: "An MX leads to an alias, to an address, or to no machine; or a null MX stands beside " +
			"others.",
		Meets: "Mail that does not arrive, or arrives by chance (RFC 5321 section 5.1, RFC 7505 " +
			"section 3).",
		Do: "Name a machine that has addresses of its own.",
	},
	DependedOn: {
		Name: "depended-on", Plain: "something else depends on it", Severity: Error, About: "records",
		Means: "Something of the estate refers to a name that is about to change.",
		Meets: "Whatever hangs on it: mail, reports, a site.",
		Do:    "Change what refers to it first, or make sure that the name goes on answering.",
	},
	IssuerBarred: {
		Name: "issuer-barred", Plain: "certificate issuer not allowed", Severity: Error, About: "records",
		Means: "The CAA records of a name do not let the planned issuer issue its certificate (RFC " +
			"8659).",
		Meets: "A certificate warning, once the old certificate ends or the name moves.",
		Do:    "Add a CAA record for the issuer, or choose one that may.",
	},
	ZoneDiffers: {
		Name: "zone-differs", Plain: "new name servers differ", Severity: Error, About: "records",
		Means: "The new name servers of a zone do not say what the old ones say, or what the plan wants.",
		Meets: "Whatever is missing there: mail, a door, a service; for each visitor from the moment " +
			"that the delegation " +
			"changes for them.",
		Do: "Type what is missing there before the delegation changes, and survey again.",
	},
	StaleDS: {
		Name: "stale-ds", Plain: "signing record that no longer fits", Severity: Error, About: "records",
		Means: "The parent says that the zone is signed (DS), and what the zone holds does not fit: " +
			"no key, or " +
			"signatures that " +
			"its keys did not make or that do not hold yet.",
		Meets: "For everybody whose resolver checks signatures, the domain does not exist.",
		Do:    "Have the registrar remove the DS record before the zone moves, or sign the zone.",
	},
	SignatureExpired: {
		Name: "signature-expired", Plain: "expired signature",
		Severity: Error, About: "records", Milder: "a signature that ends within a week",
		Means: "A signature of the zone (RRSIG) has ended, or soon will.",
		Meets: "For everybody whose resolver checks signatures, the domain does not exist.",
		Do: "Have the provider sign the zone again; where they cannot, have the registrar remove " +
			"the DS record.",
	},
	CutOff: {
		Name: "cut-off", Plain: "record that nobody can see", Severity: Error, About: "records",
		Means: "A record stands at or below a name that is delegated to other name servers.",
		Meets: "Nothing of it: resolvers follow the delegation, and never see the record.",
		Do:    "Type it at the name servers to which the name is delegated, or remove the delegation.",
	},
	MovedUnseen: {
		Name: "moved-unseen", Plain: "move of a zone not wholly seen", Severity: Error, About: "records",
		Means: "A zone is to move to other name servers, and not all of it was seen.",
		Meets: "Whatever hung on a record that nobody saw: mail, a service, a proof.",
		Do: "Take the zone from its provider's export, or have it handed out whole, before it is " +
			"copied.",
	},
	ProviderBound: {
		Name: "provider-bound", Plain: "depends on the present provider", Severity: Warning,
		About: "records",
		Means: "The present provider does more than answer for the zone (forwarding, mail, parking), " +
			"and that ends " +
			"when the zone leaves.",
		Meets: "A door that leads nowhere, or mail that comes back, from that day on.",
		Do:    "Have somebody else do it before the delegation changes, or leave the zone there.",
	},
	DeclaredOtherwise: {
		Name: "declared-otherwise", Plain: "estate file disagrees with what was seen", Severity: Warning,
		About: "records",
		Means: "The estate file says of a carrier what a survey or an audit saw otherwise: TLS, " +
			"paths, queries, or " +
			"the kind of its " +
			"redirects. What was seen counts.",
		Meets: "What was seen: a warning, a lost page, or a redirect that search engines do not take " +
			"over.",
		Do: "Write down what the carrier does, or have it changed there; then survey again.",
	},
	DoubledName: {
		Name: "doubled-name", Plain: "mistyped name", Severity: Warning, About: "records",
		Means: "A name holds the domain twice, or looks like a typing error for www.",
		Meets: "Nothing at the name that was meant.",
		Do:    "Remove it, and type the label without the domain.",
	},
	WellKnownTaken: {
		Name: "well-known-taken", Plain: "certificate renewal swallowed", Severity: Warning,
		About:  "records",
		Milder: "without an estate",
		Means: "A catch-all redirect or page answers below /.well-known/acme-challenge/, where " +
			"certificate authorities " +
			"look for a token (RFC 8555 section 8.3).",
		Meets: "Nothing, until a certificate is not renewed and ends.",
		Do:    "Leave /.well-known/acme-challenge/ out of the redirect, on http doors.",
	},

	RegistrationEnds: {
		Name: "registration-ends", Plain: "registration about to end", Severity: Warning,
		About: "registration",
		Means: "The registration ends soon, or has ended.",
		Meets: "Nothing yet; then somebody else's site.",
		Do:    "Renew it before anything else.",
	},
	OnHold: {
		Name: "on-hold", Plain: "domain on hold", Severity: Error, About: "registration",
		Means: "The registry does not publish the domain.",
		Meets: "The browser says that the site cannot be found.",
		Do:    "Ask the registrar; usually a payment or a confirmation is missing.",
	},

	TransferLocked: {
		Name: "transfer-locked", Plain: "locked against transfer", Severity: Note, About: "registration",
		Means: "The domain is locked against a transfer to another registrar.",
		Meets: "Nothing; the lock keeps thieves away.",
		Do: "Leave it, unless the registrar is to change: then have it unlocked first, and locked " +
			"again.",
	},

	RobotsBlocked: {
		Name: "robots-blocked", Plain: "hidden from search engines",
		Severity: Warning, About: "content", Formerly: "robots-bars",
		Means: "An old robots.txt bars search engines from everything, so that they would never see " +
			"the redirects.",
		Meets: "Nothing; but search engines keep the old addresses.",
		Do:    "Let robots.txt redirect too, or allow everything in it.",
	},
	NoIndex: {
		Name: "noindex", Plain: "kept out of search engines", Severity: Warning, About: "content",
		Means: "The page on which visitors arrive tells search engines not to list it.",
		Meets: "Nothing; but the page vanishes from search results, and the old address with it.",
		Do: "Take noindex out of the page's robots element or its X-Robots-Tag header; it often " +
			"stays from a test site.",
	},
	CanonicalDisagrees: {
		Name: "canonical-disagrees", Plain: "page names another address as its own", Severity: Warning,
		About: "content",
		Means: "The page on which visitors arrive says in its markup (rel=canonical, og:url or " +
			"hreflang) that it belongs " +
			"to another host.",
		Meets: "Nothing; but search engines and shared links go by what the page says, and keep the " +
			"old host alive.",
		Do: "Set the site's own address in its settings, so that its pages name the canonical host.",
	},
	MixedContent: {
		Name: "mixed-content", Plain: "insecure parts in a secure page", Severity: Warning,
		About: "content",
		Means: "A page over https loads something over http.",
		Meets: "Missing pictures, styles or functions: browsers block it, or try https instead.",
		Do:    "Write these addresses with https, or without a scheme and host.",
	},
	LeftoverLink: {
		Name: "leftover-link", Plain: "link to an old address", Severity: Note, About: "content",
		Means: "The site itself, or its sitemap, still links to a host that only redirects.",
		Meets: "One hop more than needed.",
		Do:    "Change the link to the new address.",
	},

	Tie: {
		Name: "tie", Plain: "two rules for one URL", Severity: Error, About: "rules",
		Denies: []Claim{NeverTied},
		Means:  "Two rules are equally specific and take the same URL.",
		Meets:  "Whichever the server happens to try first.",
		Do:     "Make one of them more specific, or drop one.",
	},
	Shadowed: {
		Name: "shadowed", Plain: "rule that never applies", Severity: Warning, About: "rules",
		Denies: []Claim{EachRuleWins},
		Means:  "A rule never wins: others take all of its URLs, or nobody carries its door.",
		Meets:  "Another page than the rule was written for.",
		Do:     "Drop it, or correct what stands in its way.",
	},
	RuleLoop: {
		Name: "rule-loop", Plain: "rules that lead in a loop",
		Severity: Error, About: "rules", Denies: []Claim{Arrives, NeverLoops},
		Means: "Rules lead to each other, so that some URL never arrives.",
		Meets: "The browser says that the page redirected too many times.",
		Do:    "Correct one of them so that its target is not one of the URLs that the others take.",
	},
	RuleChain: {
		Name: "rule-chain", Plain: "rule that leads to another rule",
		Severity: Warning, About: "rules", Denies: []Claim{NoRuleChains},
		Means: "The target of a rule is itself redirected.",
		Meets: "Each hop costs a connection: a wait, most of all on phones.",
		Do:    "Write the single rule that the finding shows.", Help: Straightener,
	},
	Uncovered: {
		Name: "uncovered", Plain: "old page without a rule", Severity: Warning, About: "rules",
		Means: "An old URL that is used falls to the home page, or to a fallback that says gone, " +
			"since no rule takes it.",
		Meets: "The front page, or a page that says gone, instead of what the link promised.",
		Do:    "Lead it to the page that took its place, or say 410 where there is none.",
	},
	OneDoorOnly: {
		Name: "one-door-only", Plain: "rule for one door only", Severity: Warning, About: "rules",
		Means: "A rule takes an old URL by one scheme or host, while its twin by the other goes " +
			"elsewhere.",
		Meets: "The right page or the wrong one, depending on how the link was written.",
		Do: "Write the rule without its scheme, and for the apex: it then holds for http and " +
			"https, apex and www.",
	},
	Undecided: {
		Name: "undecided", Plain: "neither proved nor refuted", Severity: Error, About: "rules",
		Means: "It could be neither proved nor refuted what holds for some URLs.",
		Meets: "Perhaps nothing.",
		Do: "Make the rules that the finding names simpler, so that none leads to what another one " +
			"takes.",
	},
	BeyondCarrier: {
		Name: "beyond-carrier", Plain: "beyond what the carrier can do",
		Severity: Error, About: "rules", Denies: []Claim{Arrives},
		Means: "The plan asks a carrier for something that it cannot do.",
		Meets: "What the carrier does instead: no answer on https, a lost path, another page.",
		Do:    "Give the door to a carrier that can, or plan less of it.",
	},
}

// Names gives the names of codes.
func Names(all []Code) []string {
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.String()
	}
	return names
}
