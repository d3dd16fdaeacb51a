package fact

import "time"

// Facts about whether doors are reached, and what answers there.
type (
	VisitorsDiffer struct {
		Ways  []Facts
		Entry string
	}
	EndsUnanswered struct {
		URL  string
		Door string
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
	RegistrationDiffers struct {
		Registration []string
		Parent       []string
	}
	HintsDiffer struct {
		Hints     []string
		Addresses []string
		Type      string
		Name      string
		Kind      string
	}
	// Alias is where its alias leads, "" where it is none.
	NoRecord      struct{ Host, Detail, Alias string }
	NoDomain      struct{ Host, Detail, Alias string }
	NotResolved   struct{ Host, Detail string }
	AliasesLoop   struct{ Host, Detail string }
	SignedLongAgo struct{ Host, Detail string }
	SignedWrong   struct{ Host, Detail string }
	SignedBefore  struct {
		Host, Detail string
		Until        time.Time // at the latest
	}
	ConnectionRefused struct{ Door, Host, Detail string }
	NoRoute           struct{ Door, Host, Address, Detail string }
	NoAnswerInTime    struct{ Door, Host, Detail string }
	NoTLS             struct{ Door, Host, Detail string }
	NotHTTP           struct{ Door, Detail string }
	AddressUnseen     struct{ Address string }
	AddressSilent     struct{ Address, Detail string }
	AddressDoes       struct{ Address, Does string } // such as "refuses the connection"
	AddressRedirects  struct {
		Address, To string
		Status      int
		Certificate Facts // what is wrong with it; nil: nothing
	}
	AddressFrames struct {
		Address, To string
		Status      int
		Certificate Facts
	}
	AddressSendsOn struct {
		Address, To string
		Status      int
		Certificate Facts
	}
	AddressShows struct {
		Address, Title string
		Status         int
		Certificate    Facts
	}
	AddressAnswers struct {
		Address     string
		Status      int
		Certificate Facts
	}
	CertificateRefused struct{ Code string }
	AddressesDiffer    struct {
		Host   string
		Does   []Facts
		Advice Facts
		TTL    int `words:"-"`
	}
	FindTheRightOne struct{ Left Facts }
	DoAsTheOther    struct {
		Stray         []string
		Address, Host string
		Left          Facts
	}
	TakeOthersOut struct {
		Host string
		Left Facts
	}
	StillMet struct {
		For   time.Duration
		Until time.Time
	}
	Challenged struct {
		Door   string
		Status int
	}
	AskedTooOften struct {
		Door    string
		Status  int
		RetryIn string
	}
	ServerBusy struct {
		Door    string
		Status  int
		RetryIn string
	}
	PageUnread struct {
		Door   string
		Coding string
	}
	PortBarred struct {
		Door string
		Port int
	}
	WayOf struct {
		Visitors []string
		Ends     Facts
	}
	WayLoops   struct{}
	WayEndless struct{}
	WaySilent  struct{ Door, Refusal string }
	WayBroken  struct{ URL string }
	WayArrives struct {
		URL, Title string
		Status     int
	}
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
	ServerSilent    struct{}
	ServerInside    struct{}
)
