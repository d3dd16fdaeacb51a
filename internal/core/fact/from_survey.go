package fact

import "time"

// What is found, with its facts.
type (
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
	}
	AliasCircle struct {
		Aliases []string `words:"-"`
		Circle  []string
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
	ParentKnowsNothing struct {
		Zone   string `words:"-"`
		Server string `words:"-"`
		Parent string
		Domain string
	}
	ServerFails struct {
		Server  string `words:"-"`
		Address string `words:"-"`
		State   string `words:"-"`
		At      string
		Domain  string
		Does    Facts
		Detail  string
	}
	ServersListedTwice struct {
		Parent []string
		Zone   []string
	}
	VersionsDiffer struct {
		Serials []string
		Domain  string
	}
	GlueDiffers struct {
		Server string
		Glue   []string
		Zone   []string
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
	DMARCStart struct {
		Name string
		Text string
	}
	PolicyMisplaced struct {
		Value  string `words:"-"`
		Starts string
		Name   string
		RFC    string
		Label  string
	}
	PoliciesTwice struct {
		Values []string `words:"-"`
		Name   string
		Count  int
		Kind   string
	}
	SPFTerm struct {
		Domain string
		Term   string
		Fault  Facts
	}
	SPFOpen struct {
		Domain string
		Term   string
	}
	SPFLookups struct {
		Value   string `words:"-"`
		Lookups int
		Costs   []string
		Domain  string
		Most    int
	}
	SPFLong struct {
		Domain string
		Octets int
		Most   int
	}
	NullMXBeside struct {
		MX      []string `words:"-"`
		Domain  string
		Servers []string
	}
	MailOnWeb struct {
		MX        string   `words:"-"`
		Addresses []string `words:"-"`
		Domain    string
		Target    string
	}
	MailWithoutMX struct {
		Domain string
	}
	SPFFollowsWeb struct {
		Term   string
		Domain string
	}
	RecordRefers struct {
		Name   string
		Target string
		Type   string
	}
	RegistrationDiffers struct {
		Registration []string
		Parent       []string
	}
	Locked struct {
		Status []string `words:"-"`
		Domain string
		Locks  []string
	}
	HeldByRegistry struct {
		Status []string
		Domain string
	}
	RobotsHideRedirects struct {
		Line string
		Door string
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
	HintsDiffer struct {
		Hints     []string
		Addresses []string
		Type      string
		Name      string
		Kind      string
	}
)
