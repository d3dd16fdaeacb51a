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
	Revoked
	BrokenChain
	WeakCertificate
	ExpiresSoon

	Loop
	AliasLoop
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
	CertificatePinned
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
	OtherKind
	SitemapStale
	SitemapGap
	LeftoverLink
	SitemapDropped

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

// Row is a row of the table of findings: whatever is asked of codes. What a code means in words
// stands in package words.
type Row struct {
	Code     Code
	Name     string // as it is written everywhere
	Formerly string // what it was called before, as kept audits may still have it
	Severity Severity
	About    string // the chapter
	Help     Help   // the part of the program that helps

	Endless   bool    // the chain does not end
	AfterMove bool    // looked for in zones that earlier waves have moved
	Denies    []Claim // what it shows not to hold for every URL
	// nobody sees what stands behind it: of that nothing is mended, clean or gone
	Hides bool
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
	row := table[c]
	row.Code = c
	return row
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
func Rows() []Row {
	rows := slices.Clone(table[1:])
	for i := range rows {
		rows[i].Code = Code(i + 1)
	}
	return rows
}

var table = [codes]Row{
	NoAddress: {Name: "no-address", Hides: true, Severity: Error, About: "reaching",
		Denies: []Claim{Arrives}},
	Refused: {Name: "refused", Hides: true, Severity: Error, About: "reaching",
		Denies: []Claim{Arrives}},
	Unreachable:  {Name: "unreachable", Hides: true, Severity: Error, About: "reaching"},
	Timeout:      {Name: "timeout", Hides: true, Severity: Error, About: "reaching"},
	TLSFailed:    {Name: "tls-failed", Hides: true, Severity: Error, About: "reaching"},
	BadAnswer:    {Name: "bad-answer", Hides: true, Severity: Error, About: "reaching"},
	SplitAnswers: {Name: "split-answers", Severity: Warning, About: "reaching"},

	TurnedAway: {Name: "turned-away", Hides: true, Severity: Warning, About: "reaching"},

	WrongName:       {Name: "wrong-name", Hides: true, Severity: Error, About: "certificate"},
	Expired:         {Name: "expired", Hides: true, Severity: Error, About: "certificate"},
	NotYetValid:     {Name: "not-yet-valid", Hides: true, Severity: Error, About: "certificate"},
	Untrusted:       {Name: "untrusted", Hides: true, Severity: Error, About: "certificate"},
	Revoked:         {Name: "revoked", Hides: true, Severity: Error, About: "certificate"},
	BrokenChain:     {Name: "broken-chain", Hides: true, Severity: Error, About: "certificate"},
	WeakCertificate: {Name: "weak-certificate", Severity: Warning, About: "certificate"},
	ExpiresSoon:     {Name: "expires-soon", Severity: Warning, About: "certificate"},

	Loop: {Name: "loop", Hides: true, Severity: Error, About: "chain", Endless: true,
		Denies: []Claim{Arrives, NeverLoops}},
	AliasLoop: {Name: "alias-loop", Hides: true, Severity: Error, About: "chain",
		Denies: []Claim{Arrives}},
	GrowingLoop: {Name: "growing-loop", Hides: true, Severity: Error, About: "chain", Endless: true,
		Denies: []Claim{Arrives, NeverLoops}},
	CookieLoop: {Name: "cookie-loop", Severity: Error, About: "chain",
		Denies: []Claim{NeverLoops}},
	TooManyHops: {Name: "too-many-hops", Hides: true, Severity: Error, About: "chain", Endless: true,
		Denies: []Claim{Arrives}},
	ExtraHop: {Name: "extra-hop", Severity: Warning, About: "chain",
		Denies: []Claim{NoRuleChains}},
	Downgrade: {Name: "downgrade", Severity: Error, About: "chain",
		Denies: []Claim{StaysSecure}},
	PlainArrival: {Name: "plain-arrival", Severity: Error, About: "chain",
		Denies: []Claim{StaysSecure}},
	Temporary:   {Name: "temporary", Severity: Warning, About: "chain"},
	BadLocation: {Name: "bad-location", Hides: true, Severity: Error, About: "chain"},
	Framed: {Name: "framed", Hides: true, Severity: Error, About: "chain",
		Denies: []Claim{Arrives}},
	SoftRedirect: {Name: "soft-redirect", Severity: Warning, About: "chain"},
	ForeignHop:   {Name: "foreign-hop", Severity: Note, About: "chain"},

	PrivateHop: {Name: "private-hop", Hides: true, Severity: Error, About: "chain",
		Denies: []Claim{Arrives},
		Help:   LookInside},

	NotRedirected: {Name: "not-redirected", Hides: true, Severity: Error, About: "destination",
		Formerly: "not-forwarded", Denies: []Claim{Arrives}},
	DoorsDisagree: {Name: "doors-disagree", Severity: Warning, About: "destination"},
	WrongPage: {Name: "wrong-page", Hides: true, Severity: Error, About: "destination",
		Formerly: "off-course",
		Denies:   []Claim{Arrives}},
	PathLost: {Name: "path-lost", Severity: Error, About: "destination",
		Denies: []Claim{KeepsWhole}},
	QueryLost: {Name: "query-lost", Severity: Warning, About: "destination",
		Denies: []Claim{KeepsWhole}},
	DeadEnd: {Name: "dead-end", Hides: true, Severity: Error, About: "destination",
		Denies: []Claim{Arrives}},

	LandedHome: {Name: "landed-home", Severity: Warning, About: "destination"},
	ManyToOne:  {Name: "many-to-one", Severity: Warning, About: "destination"},

	RememberedLoop: {Name: "remembered-loop", Severity: Error, About: "memory", Endless: true},
	HSTSTrap:       {Name: "hsts-trap", Severity: Error, About: "memory"},
	HSTSShort:      {Name: "hsts-short", Severity: Note, About: "memory"},
	HSTSMissing:    {Name: "hsts-missing", Severity: Note, About: "memory"},

	LeftoverAddress: {Name: "leftover-address", Severity: Error, About: "records", AfterMove: true},
	MissingAddress:  {Name: "missing-address", Severity: Error, About: "records", AfterMove: true},
	AliasConflict: {Name: "alias-conflict", Severity: Error, About: "records",
		Formerly: "crowded-alias"},
	WrongTarget: {Name: "wrong-target", Severity: Error, About: "records", AfterMove: true},
	DanglingAlias: {Name: "dangling-alias", Severity: Error, About: "records",
		Formerly: "unclaimed-alias"},
	RecordLost: {Name: "record-lost", Severity: Error, About: "records", AfterMove: true,
		Help: KeptRecords},
	UnplannedChange: {Name: "unplanned-change", Severity: Warning, About: "records",
		AfterMove: true},
	MailLost: {Name: "mail-lost", Severity: Error, About: "records", AfterMove: true},
	MailTied: {Name: "mail-tied", Severity: Error, About: "records"},
	MailSpoofable: {Name: "mail-spoofable", Severity: Note, About: "records",
		Formerly: "mail-open"},
	MailMalformed:     {Name: "mail-malformed", Severity: Error, About: "records"},
	MailBroken:        {Name: "mail-broken", Severity: Error, About: "records"},
	DependedOn:        {Name: "depended-on", Severity: Error, About: "records"},
	IssuerBarred:      {Name: "issuer-barred", Severity: Error, About: "records"},
	ZoneDiffers:       {Name: "zone-differs", Severity: Error, About: "records"},
	StaleDS:           {Name: "stale-ds", Hides: true, Severity: Error, About: "records"},
	SignatureExpired:  {Name: "signature-expired", Hides: true, Severity: Error, About: "records"},
	CutOff:            {Name: "cut-off", Severity: Error, About: "records"},
	MovedUnseen:       {Name: "moved-unseen", Severity: Error, About: "records"},
	ProviderBound:     {Name: "provider-bound", Severity: Warning, About: "records"},
	CertificatePinned: {Name: "certificate-pinned", Severity: Error, About: "records"},
	DeclaredOtherwise: {Name: "declared-otherwise", Severity: Warning, About: "records"},
	DoubledName:       {Name: "doubled-name", Severity: Warning, About: "records"},
	WellKnownTaken:    {Name: "well-known-taken", Severity: Warning, About: "records"},

	RegistrationEnds: {Name: "registration-ends", Severity: Warning, About: "registration"},
	OnHold:           {Name: "on-hold", Severity: Error, About: "registration"},

	TransferLocked: {Name: "transfer-locked", Severity: Note, About: "registration"},

	RobotsBlocked: {Name: "robots-blocked", Severity: Warning, About: "content",
		Formerly: "robots-bars"},
	NoIndex:            {Name: "noindex", Severity: Warning, About: "content"},
	CanonicalDisagrees: {Name: "canonical-disagrees", Severity: Warning, About: "content"},
	MixedContent:       {Name: "mixed-content", Severity: Warning, About: "content"},
	OtherKind:          {Name: "other-kind", Severity: Warning, About: "content"},
	SitemapStale:       {Name: "sitemap-stale", Severity: Warning, About: "content"},
	SitemapGap:         {Name: "sitemap-gap", Severity: Warning, About: "content"},
	LeftoverLink:       {Name: "leftover-link", Severity: Note, About: "content"},
	SitemapDropped:     {Name: "sitemap-dropped", Severity: Note, About: "content"},

	Tie: {Name: "tie", Severity: Error, About: "rules", Denies: []Claim{NeverTied}},
	Shadowed: {Name: "shadowed", Severity: Warning, About: "rules",
		Denies: []Claim{EachRuleWins}},
	RuleLoop: {Name: "rule-loop", Severity: Error, About: "rules",
		Denies: []Claim{Arrives, NeverLoops}},
	RuleChain: {Name: "rule-chain", Severity: Warning, About: "rules",
		Denies: []Claim{NoRuleChains}, Help: Straightener},
	Uncovered:   {Name: "uncovered", Severity: Warning, About: "rules"},
	OneDoorOnly: {Name: "one-door-only", Severity: Warning, About: "rules"},
	Undecided:   {Name: "undecided", Severity: Error, About: "rules"},
	BeyondCarrier: {Name: "beyond-carrier", Severity: Error, About: "rules",
		Denies: []Claim{Arrives}},
}

// Names gives the names of codes.
func Names(all []Code) []string {
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.String()
	}
	return names
}
