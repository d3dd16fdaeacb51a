package act

import (
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
)

// Why says what a reason is. Reports turn it into a sentence, with the facts that it names.
type Why uint8

// The reasons for what becomes of a record set.
const (
	_ Why = iota

	AliasGivesAlready // the provider's alias gives the addresses of Carrier
	FollowsDoor       // it follows Name, which leads to Carrier
	Harmless          // a record beside the addresses that names none itself
	LeadsAlready      // it leads to Carrier
	CrowdsAlias       // it cannot stand beside the alias that comes
	NamesItself       // it gives browsers addresses of its own (RFC 9460)
	AliasBefore       // an alias goes before the addresses of Carrier come
	SecondWay         // an address beside an alias
	StillOldIPv6      // an IPv6 address of the old machine; Carrier has none
	StillOld          // an address of the old machine; Carrier has none such
	AliasReplaced     // one alias by another, to Carrier
	LeftOver          // Values would be left over
	Incomplete        // only Count of the Of addresses of Carrier are there
	LeadsFromNow      // it leads to Carrier from now on
	AllGo             // all Count old addresses go
	Bypasses          // it bypasses the edge network Carrier until then
	HiddenByWildcard  // Name was never created, and the wildcard below Below hid that
	NeverCreated      // Name was never created; it leads to Carrier
	IPv6Too           // Carrier has IPv6 addresses
	ClaimFirst        // claim Name at Carrier first
	ClaimAtAlias      // Name, at the provider of the alias Values[0], where the site lives
	AddFirst          // add Name to the account Carrier first, which would show a stranger's site
	BelongsTo         // Values[0] belongs to Carrier
	BelongsToForm     // and its forwarding there has to be deleted
	TodayForwards     // today it forwards to URL
	TodayPage         // today it shows a page of its own
	TodayAnswers      // today it answers Count

	SomebodyAsks         // the domain's own line asks for it
	CarrierAsks          // Carrier asks for it
	MayGoWithCertificate // once the certificate is there
	IsThere
	ReplacesAlias
	JoinsSet
	WantedUntil            // until Date, which has come
	WantedUntilCertificate // which is there
	OthersStay

	LeadsToLeft // a wildcard leads to a machine that is left
	HidNames    // a wildcard hid that Values did not exist
	Stays
	StaysAtLeft    // it leads to the machine Values[0], which the web leaves
	MailAtLeft     // mail needs that machine
	MailStays      //
	SaysIssuers    // CAA
	StaysUnowned   // nobody answers where it leads
	StaysDoubled   // the name holds the domain twice
	NobodyLooked   // whether it is there already
	ZoneIsNew      // and nothing is there
	NobodyAnswered // whether it is there already

	ReceivesNoMail // RFC 7505
	SendsNoMail    // RFC 7208
	RejectsForged  // RFC 7489
	MailHung       // mail hung on the address of Name
	MailWent       // mail went to the web's own address
	MailOwnName    // mail gets a name of its own
	ServiceHung    // what a record means hung on the address of Name
	ServiceOwnName // what a record means gets a name of its own
	MailAlias      // the alias at this name followed Name, whose address changes
	JoinsPolicy    // what is wanted is joined with the policy that is there: two count as none
	NameFollowed   // this name, which is no door, followed Name, whose address changes
	PinsBoth       // TLSA records hold both certificates of Name, which changes
	TermFollowed   // the SPF term Values[0] followed the web's address
)

// The reasons for what is typed on the pages of carriers and registrars.
const (
	OneConfiguration Why = iota + 100
	TypeInFull           // the destination
	// with http it takes Count hops more, without www Of (-1: it leads nowhere; -2: there is no www)
	CostsMore
	DeleteBefore // a forwarding, before the records of Name are typed
	ClaimBefore  // before any record points there
	// before any record points there, which would show a stranger's site until then
	AddBefore
	UntilRedirected // until then the main site of Carrier shows there
	TypeThere       // the records of Name, then come back to Carrier
	HeldBefore      // the certificate, before the records point there
	HeldAfter       // only once they do
	// the host is known there and its records lead there; only the certificate is not there yet
	BeingIssued
	PrimaryRedirects  // the others redirect to the primary host
	AfterCertificates // it accepts this only once they are there
	TakesZone         // Carrier takes the zone over
	HeldFirst         // before the first visitor
	PatternTakes      // Values, by the rule Name
	FirstStar         // what it stands for
	StarWider         // it takes URL too
	StarBeforeName    // it takes whatever ends in Name
	ExactWithQuery    // it has to match with a query too, or else Name is typed as well
	OriginNeedsCertificate
	OriginMustNotUpgrade
	ProofByDNS      // of a name to its issuer
	IssuedAfter     // the certificate can be had only after the names lead there
	PutByHand       // somebody puts it there
	AlsoAnswers     // the site answers under this name too
	FitsNoKey       // a DS record
	BeforeServers   // a DS record goes Seconds before the name servers change
	ServersReady    // the new servers say everything
	ZoneThere       // at the name servers to which a new domain is delegated
	ZoneNotThere    // nor the records
	ServersNotReady // they do not
	ServersUntilNow // Values, whose delegation lives for Seconds
	PathNotOffered  // by a form: every path ends at its destination
	GoneOrServer    // where it has no answer that says gone, a server can carry the host
)

// Reason is a reason with its facts.
type Reason struct {
	Why       Why
	Carrier   string
	Name      string // of a record or host
	Below     string // of a wildcard
	Values    []string
	URL       string
	Count, Of int
	Seconds   int
	Date      time.Time
}

// The notes of a plan.
const (
	_ Notice = iota

	LeftAsItIs    // the domain Names[0]
	SaidAlready   // the rule of Lines[0] says what that of Lines[1] says
	NobodySawAny  // zone
	NobodySawSome // the zones Names
	SiteUnplaced  // nobody says where the site lives, so that there is no record for Names[0]
	// a zone file does not say whether Names go through the edge network that holds the zone
	ThroughUnseen
	MailUnseen      // nobody has seen whether the domain Names[0] has mail
	WildcardUnshown // below Names[0] every name answers, but nobody showed the record
	// the CAA records at Names[0] let only Names[1] issue; nobody says who issues those of Names[2]
	IssuerUnknown
	// nobody answered about the CAA records that hold for Names[1:], of the zone Names[0]
	IssuersUnseen
	SurveySawNone  // of the zones Names, though somebody looked
	TTLsRemaining  // the TTLs of the zone Names[0] are what a resolver had left of them
	NotAnswered    // nobody answered about Values (name and type) of the zone Names[0]
	ServerSilent   // the new name server Names[1] of the zone Names[0] did not answer about Values
	NoZoneYet      // of the domains Names: the parent zone knows no such domains
	ServersUnasked // the new name servers Values of the zone Names[0]
	HSTSGoesOn     // from the days Names on servers send the headers Values, when written anew
	StillLooping   // browsers that met the loop at Names go round still, until they are cleared
)

// Find adds a finding.
func (f *Found) Find(
	code finding.Code,
	subject string,
	facts fact.Facts,
	evidence ...map[string]any,
) {
	f.Findings = append(f.Findings, finding.New(code, subject, facts, evidence...))
}

// Note adds a note about names.
func (f *Found) Note(n Notice, names ...string) {
	f.Notes = append(f.Notes, Note{Notice: n, Names: names})
}
