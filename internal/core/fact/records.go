package fact

import "time"

// Facts about records and zones.
type (
	TokenPathTaken struct {
		Asked string `words:"-"`
		Does  Facts
		Door  string
	}
	AliasAtTop struct {
		Value []string `words:"-"`
		Name  string
	}
	AliasNotAlone struct {
		Value  []string `words:"-"`
		Others []string `words:"-"`
		Name   string
		Beside []string
	}
	AliasUnclaimed struct {
		Target string
		Host   string
		Why    Facts
		Own    bool // the target is a name of the estate
	}
	DomainDoubled struct {
		Type   string   `words:"-"`
		Values []string `words:"-"`
		Name   string
		Label  string
	}
	WWWMistyped struct {
		Type   string   `words:"-"`
		Values []string `words:"-"`
		Name   string
		Domain string
	}
	TargetDoubled struct {
		Value  string `words:"-"`
		Type   string
		Name   string
		Target string
	}
	ServerIsAlias struct {
		Server string
		Alias  string
		Domain string
	}
	BelowDelegation struct {
		Delegated string
		Values    []string `words:"-"`
		Name      string
		Type      string
		Zone      string
	}
	WantedNotThere struct {
		Wanted string `words:"-"`
		Name   string
		Type   string
		Plain  string
	}
	RecordRefers struct {
		Name   string
		Target string
		Type   string
	}
	SignatureEnded struct {
		Name string
		Type string
		Date time.Time
		Ago  time.Duration
		For  Facts
	}
	SignatureEarly struct {
		Name string
		Type string
		Date time.Time
		In   time.Duration
		For  Facts
	}
	SignatureWrong struct {
		Name  string
		Type  string
		Fault string
		For   Facts
	}
	// the DS record of Name is gone; who holds it still does not answer
	DSRemembered struct {
		Name      string
		Resolvers []string
		Until     time.Time // at the latest
	}
	SignaturesNotTaken struct {
		Resolvers []string
		Name      string
	}
	SignatureEnding struct {
		Name string
		Type string
		Date time.Time
		In   time.Duration
	}
	NoFittingKey struct {
		Parent string
		Name   string
	}
	AliasDisplaces struct {
		Type   string
		Values []string `words:"-"`
		Name   string
		Shown  []string
		What   Facts
	}
	ZoneNotWhole struct {
		Partial bool `words:"-"`
		Missed  int  `words:"-"`
		To      []string
		Zone    string
		Why     Facts
	}
	ProviderDoesMore struct {
		Zone string
		From []string
		What Facts
	}
	DSUnseen struct {
		Zone string
		To   []string
	}
	DSLeftBehind struct {
		DS       []string `words:"-"`
		To       []string
		Zone     string
		OldLives int
	}
	RecordGone struct {
		Before []string
		Name   string
		Type   string
		Date   time.Time
	}
	RecordCame struct {
		After []string
		Name  string
		Type  string
		Date  time.Time
	}
	RecordChanged struct {
		Before []string
		After  []string
		Name   string
		Type   string
		Date   time.Time
	}
	NeededGone struct {
		By   string
		Host string
	}
	NeededElsewhere struct {
		By     string
		Wanted string
		There  []string
		Host   string
	}
	NeededAsItIs struct {
		By     string
		Type   string
		Wanted string `words:"-"`
		Name   string
		Values []string
	}
	ChangeBelowDelegation struct {
		Delegated string
		Type      string   `words:"-"`
		Wanted    []string `words:"-"`
		Name      string
		Zone      string
	}
	AliasCrowded struct {
		Alias  []string `words:"-"`
		Others []string `words:"-"`
		Name   string
		Other  []string
	}
	// CAA records that keep an issuer from issuing; Issuer is "" where nobody says who it is.
	IssuerKeptOut struct {
		At, May, Issuer, Tag, Carrier string
		Names                         []string
		Critical                      []string // properties that bar everybody
		Listed                        []string `words:"-"`
	}
	SeenNoTLS struct {
		Carrier string
		URLs    []string
	}
	SeenPathCut struct {
		Carrier string
		URLs    []string
	}
	SeenQueryCut struct {
		Carrier string
		URLs    []string
	}
	SeenForNow struct {
		Carrier string
		URLs    []string
	}
	SeenFrame struct {
		Carrier string
		URLs    []string
	}
	Wildcard      struct{ Name string }
	ManyAddresses struct {
		Name, Type string
		Values     []string
	}
	TwoMachines struct {
		Domain    string
		Apex, WWW []string
	}
	WWWMissing struct{ Domain string }
	OneHasIPv6 struct{ Domain string }
	OneServer  struct{ Domain, Server string }
	OneMachine struct {
		Domain  string
		Servers []string
		Address string
	}
	LongTTLs struct {
		Domain  string
		Records []string
	}
	ZeroTTLs struct {
		Domain  string
		Records []string
	}
	PartDelegated struct {
		Name    string
		Servers []string
	}
	SignedForNobody   struct{ Domain string }
	WantedUnseen      struct{ Name, Type, Value string }
	WantedNotYet      struct{ Name, Type, Value string }
	TargetMissing     struct{}
	TargetAddressless struct{}
	DoorAnswers       struct {
		Door   string
		Status int
	}
	DoorSilent struct{ Door string }
	SeenThere  struct{ Doors []Facts }
	// Who does not get an answer because of a signature; Resolvers are those that were asked.
	NobodyFinds struct{ Resolvers []string }
	NameFollows struct {
		Host, Follows string
		Untied        []string
		InPlace       bool
		Alias         []string `words:"-"`
	}
	LosesMail         struct{}
	LosesRecord       struct{}
	AliasWantedBeside struct {
		Name, Other  string // the type of what is there
		Values       []string
		Type, Wanted string `words:"-"`
	}
	AliasWantedWith struct {
		Name, Other  string // the type of what is wanted there too
		Values       []string
		Type, Wanted string `words:"-"`
	}
	BesideCarrierAlias struct {
		Name, Type string
		Values     []string
		Carrier    string
		Alias      []string
	}
	BesideAlias struct {
		Name, Type string
		Values     []string
		Alias      string
	}
	SecondWay struct {
		Host, Carrier     string
		Values, Addresses []string
	}
	EdgeBypassed struct {
		Host, Carrier string
		Addresses     []string
	}
	AskedByName     struct{}
	NobodyAnswered  struct{ Name, Type string }
	MailOfProvider  struct{ Target string }
	ForwardedByZone struct{ Host, Carrier string }
	ProvidersAlias  struct{ Host string }
	ComingSilent    struct {
		At, Zone, Detail string
		Server, Address  string `words:"-"`
	}
	ComingUnasked struct {
		At, Zone, Detail string
		Server, Address  string `words:"-"`
	}
	ComingDiffers struct {
		At, Name, Type     string
		There, Wanted, Now []string
		OldDiffers         bool   // the old servers say neither
		Server             string `words:"-"`
	}
	MovedLacksRecord struct {
		Zone, Name, Type string
		Wanted           []string
	}
	MovedLeftover struct {
		Zone, Name    string
		Left          []string
		There, Wanted []string `words:"-"`
	}
	MovedElsewhere struct {
		Zone, Name, Leads string
		Wanted            []string
		There             []string `words:"-"`
	}
	MovedLacks struct {
		Zone, Name    string
		Missing       []string
		There, Wanted []string `words:"-"`
	}
	MovedNowhere struct {
		Zone, Name, Type string
		Wanted           []string
		There            []string `words:"-"`
	}
	MovedByChance struct {
		Zone, Name    string
		Left          []string
		There, Wanted []string `words:"-"`
	}
)
