package fact

import "time"

// When a registration ends, or ended.
type (
	RegistrationEnding struct {
		Domain string
		Ends   time.Time
		In     time.Duration
	}
	RegistrationEnded struct {
		Domain string
		Ends   time.Time
		Ago    time.Duration
	}
)

// What is odd about a zone, and no fault.
type (
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
	SignedForNobody struct{ Domain string }
	WantedUnseen    struct{ Name, Type, Value string }
	WantedNotYet    struct{ Name, Type, Value string }
)

// Answers that differ.
type (
	VoicesDiffer struct {
		About  string
		Says   []Facts
		Advice Facts
	}
	Voice struct {
		Who    string
		Values []string
		TTL    int // for how long a resolver goes on saying so, in seconds; 0: it does not
	}
	JustWait        struct{ TTL int }
	CheckResolver   struct{}
	FindTheRightWay struct{}
)

// What a name server does instead of answering.
type (
	ServerSilent struct{}
	ServerInside struct{}
)

// Why nobody answers for an alias.
type (
	TargetMissing     struct{}
	TargetAddressless struct{}
	DoorAnswers       struct {
		Door   string
		Status int
	}
	DoorSilent struct{ Door string }
	SeenThere  struct{ Doors []Facts }
)

// Who does not get an answer because of a signature; Resolvers are those that were asked.
type NobodyFinds struct{ Resolvers []string }

// What is wrong with a term of an SPF record.
type (
	TermNoDomain  struct{}
	TermArgument  struct{}
	TermNoAddress struct{}
	TermUnknown   struct{}
)

// Mail that goes to no machine.
type (
	MailToAddress struct{ Domain, Target string }
	MailToAlias   struct{ Domain, Target, Alias string }
	MailToNothing struct{ Domain, Target string }
)

// What keeps a survey that was read from being one.
type (
	SurveySchema  struct{ Schema, Wanted string }
	SurveyNoName  struct{}
	SurveyVoices  struct{ Name, Type string }
	SurveyRecords struct{ Name, Type string }
)
