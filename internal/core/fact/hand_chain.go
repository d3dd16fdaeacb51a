package fact

import "time"

// Why a name leads to no address.
type (
	// Alias is where its alias leads, "" where it is none.
	NoRecord      struct{ Host, Detail, Alias string }
	NoDomain      struct{ Host, Detail, Alias string }
	NotResolved   struct{ Host, Detail string }
	AliasesLoop   struct{ Host, Detail string }
	SignedLongAgo struct{ Host, Detail string }
	SignedWrong   struct{ Host, Detail string }
)

// Why a door does not answer.
type (
	ConnectionRefused struct{ Door, Host, Detail string }
	NoRoute           struct{ Door, Host, Address, Detail string }
	NoAnswerInTime    struct{ Door, Host, Detail string }
	NoTLS             struct{ Door, Host, Detail string }
	NotHTTP           struct{ Door, Detail string }
)

// What is wrong with a certificate; Also are the codes of its other faults.
type (
	CertificateOfOthers struct {
		Host        string
		Names, Also []string
	}
	CertificateEnded struct {
		Names, Also []string
		Ended       time.Time
		Ago         time.Duration
	}
	CertificateEarly struct {
		Names, Also []string
		Begins      time.Time
		In          time.Duration
	}
	CertificateUntrusted struct {
		Host, Issuer string
		Names, Also  []string
	}
	CertificateAlone struct {
		Issuer      string
		Names, Also []string
	}
	CertificateEnding struct {
		Names, Also []string
		Ends        time.Time
		In          time.Duration
	}
	EncryptionWeak struct {
		Host       string
		Weak, Also []string
	}
)

// What an address does.
type (
	AddressUnseen    struct{ Address string }
	AddressSilent    struct{ Address, Detail string }
	AddressDoes      struct{ Address, Does string } // such as "refuses the connection"
	AddressRedirects struct {
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
)

// What differs between the addresses of a host; TTL is what is left of it, 0 where that is not
// known, and Until when it ends.
type (
	AddressesDiffer struct {
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
)

// What keeps an audit that was read from being one.
type (
	AuditSchema    struct{ Schema, Wanted string }
	ChainEmpty     struct{}
	ChainNameless  struct{}
	AnswerNameless struct{}
	ChainEnd       struct{ End string }
	ChainPlaces    struct{}
	FindingPlace   struct{ Code string }
)

// What is wrong with a Location.
type (
	TwoLocations    struct{}
	NoLocation      struct{}
	LocationBad     struct{ Why Facts } // nil: for no reason that is known
	LocationOdd     struct{ How Facts }
	SameLocationTwo struct{}
)

// How a page asks not to be listed, and sends on.
type (
	HiddenByHeader struct{ Value string }
	HiddenByPage   struct{}
	ByRefresh      struct{}
	ByMarkup       struct{ Line int }
	ByScript       struct{ Line int }
)

// What is in a frame, where it is broken.
type (
	FrameSilent struct{ Refusal string }
	FrameError  struct{ Status int }
)

// What turns robots away.
type (
	Challenged struct {
		Door   string
		Status int
	}
	AskedTooOften struct {
		Door    string
		Status  int
		RetryIn string
	}
)

// What a URL that is gone does.
type (
	GoneLeads struct {
		URL, Arrival string
		Status       int
	}
	GoneAnswers struct {
		URL     string
		Arrival string `words:"-"`
		Status  int
	}
)

// Where a chain ends instead; Rules is the host whose rules are meant, "" where no rule is.
type (
	EndsElsewhere struct{ From, Arrival, Wanted, Rules string }
	SentOn        struct{ From, Target, Arrival, Wanted, Rules string }
)

// What answers below /.well-known/acme-challenge/.
type (
	TokenAnswered   struct{ Status int }
	TokenRedirected struct{ To string }
)

// Why HSTS locks a host out.
type (
	SilentOverHTTPS struct{ Refusal string }
	RefusedByTLS    struct{ Code string }
)

// How a chain ends for some visitors.
type (
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
)

// What is remembered by browsers; a zero Until is without end.
type (
	RememberedRedirect struct {
		From, To string
		Until    time.Time
	}
	RememberedHTTPS struct {
		Host  string
		Until time.Time
	}
	Preloaded struct{ Host string }
)

// How a browser that remembers fares.
type (
	ReturnsInLoop struct {
		Entry      string
		Remembered []Facts
		Ends       time.Time
	}
	ReturnsToWarning struct {
		Entry      string
		Remembered []Facts
		Fault      Facts
		Host       string
		Ends       time.Time
	}
	ReturnsElsewhere struct {
		Entry, Arrival, Fresh string
		Remembered            []Facts
		Ends                  time.Time
	}
	NoWayPast  struct{ Host, Code string }
	NoWayThere struct{ Door, Refusal string }
)

// Whether a domain can be preloaded.
type (
	CanBePreloaded    struct{ Apex string }
	CannotBePreloaded struct {
		Apex  string
		Wants []Facts
	}
	WantsRedirect    struct{ Apex string }
	WantsAnswer      struct{ Apex string }
	WantsCertificate struct{ Apex string }
	WantsHSTS        struct{ Apex string }
	WantsMaxAge      struct {
		Seconds int
		Lasts   time.Duration
	}
	WantsSubdomains struct{}
	WantsPreload    struct{}
)

// Why, where the evidence shows it. Who is whoever answers.
type (
	Who           struct{ Carrier, Address, Server string }
	LoopsToItself struct{ URL string }
	TwoHosts      struct {
		ApexBy Facts
		Apex   string
		WWWBy  Facts
		WWW    string
	}
	EdgeFetchesPlain struct {
		Origin string
		By     Facts
	}
	OriginRedirects struct{ Origin, To string }
	EdgeRedirects   struct {
		Plain, Secure Facts
		By            Facts
	}
	CarrierFetchesPlain struct {
		By      Facts
		Carrier string
	}
	SomethingInFront struct {
		By      Facts
		Carrier string
	}
	EdgeInFront     struct{ By Facts }
	PerhapsEdge     struct{ By Facts }
	AddressAsked    struct{}
	WildcardTooWide struct{ Parent, Host string }
	ServerKnowsNot  struct {
		By          Facts
		Host, Other string
	}
	PlatformAnswers struct {
		Host, Platform string
		Status         int
	}
	CertificateNotAllowed struct {
		Platform, Host, At, Issuer string
		Issuers                    []string
	}
	CertificateIssued struct {
		Host, Platform string
		Allowed        Facts // what CAA records say; nil: nobody looked
		Likely         bool
		LookAt, AskAt  time.Time // zero: nobody knows the time
	}
	NoCAA     struct{}
	CAAAllows struct {
		At      string
		Issuers []string
	}
	Parked struct {
		By          Facts
		Title, Host string
	}
	PlatformKnowsNot struct{ Host, Platform string }
	ServerShowsOther struct {
		By          Facts
		Host, Other string
	}
	AddressOfBefore struct {
		Address, Host string
		Left          time.Duration // what is left of the TTL; 0: nobody knows
		Until         time.Time
	}
	AddressesOfBefore struct{ Addresses []string }
	FrameForwards     struct{}
	CookieWanted      struct{}
)

// What is wrong with a reference, though browsers take it.
type (
	OddUser        struct{}
	OddControl     struct{}
	OddTab         struct{}
	OddSpace       struct{}
	OddCharacter   struct{}
	OddBackslash   struct{}
	OddSlashes     struct{}
	OddManySlashes struct{}
	OddNumber      struct{ Host string }
)

// Why a text is no URL.
type (
	URLTooLong  struct{}
	URLNoScheme struct{}
	URLScheme   struct{}
	URLUser     struct{}
	URLHost     struct{}
	URLPort     struct{}
	URLEmpty    struct{}
	URLNone     struct{}
)
