package fact

import "time"

// What breaks where the sheets are typed row by row; Row is the row after which it does.
type (
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
)

// Why a row cannot be typed.
type (
	NoSuchEntry  struct{}
	NotForwarded struct{}
	NoTakingOut  struct{}
	ProofDiffers struct{}
	NoSuchZone   struct{}
	NoSuchRecord struct{}
	ThereAlready struct{}
	NobodyCan    struct{}
)

// What a carrier is told instead.
type (
	ToldBehind  struct{ Behind, Wanted string }
	ToldNothing struct{ URL string }
	ToldFrame   struct{}
	ToldToSend  struct{ URL, Says, Planned string }
)

// What nothing on any sheet tells.
type (
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
)

// An alias at the apex, which no zone file can hold.
type (
	AliasOutsideFile struct {
		Name, Target string
		Instead      []string `words:"-"`
	}
	AddressesInFile struct {
		Name, Target string
		Instead      []string
	}
)

// Why a zone file cannot be written.
type (
	ZoneUnseen    struct{}
	ServersUnsaid struct{}
	NothingToCopy struct{ Zone string }
	WouldLose     struct{ Zone string }
	SOAUnseen     struct{ Zone string }
	NoServers     struct{ Zone string }
	ServerInZone  struct{ Server, Zone string }
)

// What is wrong with choices to consider.
type (
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
)

// What is meant by nothing.
type (
	NoSuchWave   struct{}
	NoSuchDomain struct{}
)

// Why a proof cannot decide something.
type (
	MayLoop       struct{}
	MayNeverEnd   struct{}
	MayMissPage   struct{}
	MayBeExempt   struct{}
	MayMeetNobody struct{}
	MayMeetNoOne  struct{}
	TooManyWays   struct{}
	MayLeaveHTTPS struct{}
)

// A rule whose target is redirected again.
type (
	RuleLeadsOn struct {
		Rule, Old, New string
		Ways           []string
		Advice         Facts
	}
	LeadStraight struct{}
	WriteInstead struct {
		Lines []string
		More  int
	}
	WriteIfAll  struct{ Line string }
	AddForThese struct{ Line string }
)

// Why a rule never wins.
type (
	DoorUncarried struct{}
	AllTaken      struct{}
)

// Where paths go that no rule takes.
type (
	FallsToSamePath struct{ To string }
	FallsToGone     struct{ To string }
	FallsTo         struct{ To string }
)

// What a proof assumes.
type (
	AssumesCarriers struct{}
	AssumesCounts   struct{}
	AssumesPages    struct{}
	AssumesCaptures struct{}
	AssumesSite     struct{}
	AssumesExempt   struct{ Paths []string }
	AssumesOutside  struct{}
)

// A round of rules.
type (
	RoundLoops  struct{}
	RoundGrows  struct{}
	RoundPath   struct{ From, To string }
	RoundHost   struct{ From, To string }
	RoundGoesOn struct{}
)

// Why one rule wins over another.
type (
	WinsExact   struct{}
	WinsText    struct{ Octets, Other int }
	WinsNoRest  struct{}
	WinsDigits  struct{}
	WinsQuery   struct{}
	WinsScheme  struct{}
	WinsHost    struct{}
	WinsByOrder struct{}
)

// What a predicted door does not have.
type (
	TakesApexOnly struct{ Carrier string }
	SpeaksNone    struct{ Carrier string }
	NobodyTells   struct{ Carrier, Host string }
	NobodyBehind  struct{ Carrier string }
	NoRecordGiven struct{}
)

// What was expected and not found.
type (
	DoorFaults struct {
		URL, Address string
		Faults       []Facts
	}
	ZoneNotHeld struct{ Server, Zone string }
	DSStill     struct{ Domain string }
	Delegated   struct {
		Domain      string
		Now, Wanted []string
	}
	NoTTL   struct{ Name, Type, Server string }
	TTLHigh struct {
		Name, Type, Server string
		TTL, Most          int
	}
	TTLLow struct {
		Name, Type, Server string
		TTL, Least         int
	}
	NoRecordYet struct{ Name, Type, Server string }
	StillThere  struct {
		Name, Type, Server string
		Values             []string
	}
	NotYet struct {
		Name, Type, Server string
		Wanted             []string
	}
	Differs struct {
		Name, Type, Server string
		Values, Wanted     []string
	}
)

// What was not seen, and why.
type (
	DoorUnseen struct {
		URL, Address string
		Why          Facts
	}
	ParentUnseen struct {
		Domain string
		Why    Facts
	}
	ZoneUnanswered struct {
		Server, Zone string
		Why          Facts
	}
	RecordUnanswered struct {
		Server, Name, Type string
		Why                Facts
	}
)

// What should be there, and is, in a few words.
type (
	WantCertificate struct{ Host string }
	WantPage        struct{}
	WantAddresses   struct{ Target string }
	Nothing         struct{}
	These           struct {
		Type   string // "" where it is the one that was asked for
		Values []string
	}
)

// Why something is not there yet.
type (
	NoAnswerTaken struct{}
	StandsBeside  struct {
		Subject string
		More    []string
	}
	GivesLonger struct {
		Place  string
		Values Facts
		Over   time.Duration // since the TTL was over
	}
	GivesOld struct {
		Place  string
		Values Facts
		Domain string
	}
	BarredAnswer    struct{ Why string }
	GoodCertificate struct{}
)

// What is wrong with the value or the name of a record.
type (
	TypeUnknown    struct{ Type string }
	ValueEmpty     struct{}
	ValueParts     struct{ Parts, Wanted int }
	NotName        struct{ Text string }
	AddressNotName struct{ Text string }
	LabelLong      struct{ Text string }
	AddressKind    struct{ Text string }
	NumberRange    struct{ Text string }
	QuoteOpen      struct{}
	CAAParts       struct{}
	CAAFlag        struct{ Flag string }
	ServiceParts   struct{}
	OutsideZone    struct{ Text, Zone string }
)

// Why something could not be looked at.
type (
	NoServerAnswered   struct{}
	ZoneAboveUnseen    struct{}
	RegistrationUnseen struct{}
)

// What keeps a state that was read from being one.
type StateSchema struct{ Schema, Wanted string }

// What keeps a runbook that was read from being one.
type (
	NoSuchStep    struct{ Step, Steps int }
	StepNotDone   struct{}
	RunbookSchema struct{ Schema, Wanted string }
	RunbookLong   struct{ Steps, Most int }
	StepNumber    struct{ Number, Place int }
	StepOrder     struct{ Step, After int }
	StepAsks      struct {
		Step int
		Kind string
	}
	StepNowhere struct{ Step int }
)

// Which hostile character it is.
type (
	LineBreak  struct{}
	TabStop    struct{}
	Control    struct{ Code string }
	Direction  struct{ Code string }
	Invisible  struct{ Code string }
	MoreFaults struct{ More int }
)
