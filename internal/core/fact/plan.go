package fact

import "time"

// Facts about the plan, carriers and sheets.
type (
	TooManyRules struct {
		Carrier string
		Rules   int
		Most    int
	}
	TooManyHosts struct {
		Carrier string
		Hosts   []string
		Most    int
		Count   int
	}
	SiteApexOnly struct {
		Carrier string
		Host    string
	}
	SiteNoTLS struct {
		Carrier string
		Host    string
	}
	SiteAliasAtApex struct {
		Carrier string
		Alias   string
		Host    string
	}
	StarsMislead struct {
		Carrier string
		URL     string
		Host    string
		Typed   string
		Planned string
	}
	RuleTakesNeeded struct {
		Line  int `words:"-"`
		Host  string
		By    string
		Place string
	}
	RuleOfSite struct {
		Line  int `words:"-"`
		Place string
		Host  string
	}
	TTLNotLowered struct {
		TTL    int
		Wanted int
		Name   string
		Type   string
	}
	SheetsLeave struct {
		Typed  []string
		Wanted []string
		Name   string
		Type   string
		Zone   string
	}
	SheetsLeaveTTL struct {
		Typed  int
		Wanted int
		Name   string
		Type   string
	}
	FileDiffers struct {
		Typed  []string
		Wanted []string
		Name   string
		Type   string
		Zone   string
	}
	CarrierUntold struct {
		Carrier string
		Hosts   []string
	}
	TypedOtherwise struct {
		Carrier string
		URL     string `words:"-"`
		What    Facts
	}
	NothingTells struct {
		Place string
		Zone  string `words:"-"`
		What  Facts
	}
	SiteUntold struct {
		Host      string
		Canonical string
	}
	AliasBehindFile struct {
		Target  string
		Through string
		Name    string
	}
	CarrierCannot struct {
		Carrier string
		Rules   string
		URL     string
		Arrival string
		Target  string
		Host    string
	}
	FormLosesServers struct {
		Carrier string
		Host    string
		To      []string
	}
	FormElsewhere struct {
		Carrier     string
		Hosts       []string
		Zone        []string
		NameServers []string
	}
	RowUnfit      struct{ Why Facts }
	MailWouldMove struct{ Domain, Before, After, Row string }
	SendersLose   struct {
		Domain, Row string
		Senders     []string
		Everybody   bool // who is not named, too
		Doubted     bool // they are not allowed today, but not refused either
		Broken      bool // the record can no longer be read
	}
	AliasWouldFollow  struct{ Name, Target, Before, After, Row string }
	RecordWouldFollow struct{ Type, Name, Target, Before, After, Row string }
	NeededWouldMove   struct{ Host, Before, After, Row string }
	DoorWouldGo       struct{ Host, Before, Row string }
	LeadsUntold       struct {
		Host, Row string
		Carriers  []string
	}
	StandsTogether struct {
		Name, Row string
		Records   []string
	}
	// what those meet who hold older answers, and for how long at most
	HeldElsewhere struct{ Name, Before, After, Row, For string }
	HeldDark      struct{ Host, Row, For string }
	HeldUntold    struct {
		Host, Row, For string
		Carriers       []string
	}
	HeldSenders struct {
		Domain, Row, For string
		Senders          []string
	}
	HeldPastWait struct {
		Name, Type, Left string
		TTL              int
	}
	DelegationPastWait struct{ Zone, Left string }
	LeadsUncertified   struct{ Host, Carrier, Row string }
	EdgeAbandoned      struct{ Host, Carrier, Row string }
	EdgeElsewhere      struct {
		Carrier      string
		Subjects     []string
		Servers, Own []string
	}
	OriginIsEdge      struct{ Carrier, Host string }
	StarOneByOne      struct{ Host, Carrier string }
	StarUnproved      struct{ Host, Carrier string }
	PinnedCertificate struct {
		Host, Name string
		For        time.Duration // the TTL
		Wanted     bool          // that of the new certificate is wanted, too
		Several    bool          // there are several, of which one may be of the new certificate
	}
	BarredThen struct {
		At, May, Issuer, Carrier, Host, Row string
	}
	ProofElsewhere   struct{ Name, Target, Host string }
	PrimaryElsewhere struct{ Carrier, Host, Canonical string }
	TokensRedirected struct{ Carrier, Path string }
	NoSuchPrimary    struct{ Carrier, Host string }
	OriginMixed      struct{}
	DSOutlivesKeys   struct{ Zone, Row string }
	TooEarly         struct{ Carrier, Host, Needs string }
	NoSuchEntry      struct{}
	NotForwarded     struct{}
	NoTakingOut      struct{}
	ProofDiffers     struct{}
	NoSuchZone       struct{}
	NoSuchRecord     struct{}
	ThereAlready     struct{}
	NobodyCan        struct{}
	ToldBehind       struct{ Behind, Wanted string }
	ToldNothing      struct{ URL string }
	ToldFrame        struct{}
	ToldToSend       struct{ URL, Says, Planned string }
	LacksCertificate struct{ Host string }
	LacksOrigin      struct{ Behind string }
	LacksZone        struct{}
	LacksDeletion    struct{ Host string }
	LacksServers     struct{ Servers []string }
	LacksDS          struct{ DS string }
	LacksAwaited     struct{}
	LacksRecord      struct{ Record string }
	LacksRecordAs    struct {
		Record string
		Values []string
	}
	AliasOutsideFile struct {
		Name, Target string
		Instead      []string `words:"-"`
	}
	AddressesInFile struct {
		Name, Target string
		Instead      []string
	}
	ZoneUnseen    struct{}
	ServersUnsaid struct{}
	NothingToCopy struct{ Zone string }
	WouldLose     struct{ Zone string }
	SOAUnseen     struct{ Zone string }
	NoServers     struct{ Zone string }
	ServerInZone  struct{ Server, Zone string }
	ChoiceTwice   struct{ Choices, Choice string }
	ChoicesMixed  struct{ Choices string }
	ChoiceUnknown struct {
		Choice string
		Known  []string
	}
	LeadsAwayToday struct {
		URL, To string
		Status  int
	}
	NoSuchWave    struct{}
	NoSuchDomain  struct{}
	TakesApexOnly struct{ Carrier string }
	SpeaksNone    struct{ Carrier string }
	NobodyTells   struct{ Carrier, Host string }
	TypedNowhere  struct{ Host string }
	TypedAway     struct {
		Host string
		Ends []string
	}
	TypedAmiss    struct{ Carrier, Zone string }
	NobodyBehind  struct{ Carrier string }
	NoRecordGiven struct{}
	ApexOnly      struct {
		Carrier  string
		Subjects []string
	}
	SpeaksNoTLS struct {
		Carrier  string
		Subjects []string
	}
	ShowsInFrame struct {
		Carrier  string
		Subjects []string
	}
	DropsPath struct {
		Carrier  string
		Subjects []string
	}
	AliasAtApex  struct{ Carrier, Alias, Host string }
	OnePlaceOnly struct {
		Carrier, Host string
		Rules         int
	}
	WholeHostsOnly struct {
		Carrier, Host string
		Rules         int
	}
	SamePathOnly struct{ Carrier, Host, LeadsTo string }
	LinePerURL   struct {
		Carrier, Host string
		Patterns      int
	}
	StarsToTheLetter struct{ Domain, Keys, Carrier string }
	StarsAskNothing  struct{ Rule, Old, Carrier string }
	PatternsOfHost   struct {
		Carrier, Host  string
		Most, Patterns int
	}
	PatternsOfDomain struct {
		Carrier, Domain string
		Most, Patterns  int
	}
	CannotTLS       struct{}
	CannotPath      struct{}
	CannotQuery     struct{}
	CannotWWW       struct{}
	CannotRedirect  struct{}
	CannotRules     struct{}
	MostPatterns    struct{ Most int }
	MostHosts       struct{ Most int }
	MostRules       struct{ Most int }
	FetchesPlain    struct{}
	CertificateLate struct{}
)
