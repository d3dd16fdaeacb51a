package fact

// What a carrier cannot do; Subjects are the hosts or doors that meet it.
type (
	ApexOnly struct {
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
)

// What a carrier cannot do, in a few words.
type (
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

// CAA records that keep an issuer from issuing; Issuer is "" where nobody says who it is.
type IssuerKeptOut struct {
	At, May, Issuer, Tag, Carrier string
	Names                         []string
	Listed                        []string `words:"-"`
}

// What a carrier was seen to do, and the estate file says otherwise; URLs are where.
type (
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
)

// What comes of old URLs; First is the heaviest.
type (
	OldURLsFall struct {
		URLs          int
		Domain, First string
		Home, Gone    int
		Weight        int64    `words:"-"`
		Heaviest      []string `words:"-"`
	}
	OldURLsMeetNothing struct {
		URLs                   int
		Domain, First, Arrival string
		End                    string // how the chain ends; "" on a page
		Status                 int
		Weight                 int64    `words:"-"`
		Heaviest               []string `words:"-"`
	}
	OldURLsAstray struct {
		URLs                           int
		Domain, First, Arrival, Wanted string
		Weight                         int64    `words:"-"`
		Heaviest                       []string `words:"-"`
	}
	OldURLsTooLong struct {
		URLs          int
		Domain, First string
		Hops          int
		Weight        int64    `words:"-"`
		Heaviest      []string `words:"-"`
	}
	// How is how the twin differs: "door", "spelling" or "parameter".
	TwinDiffers struct {
		Line         int
		URL, Arrival string
		Twin         string
		Ends         Facts
		Others       int
		How          string
		URLs         int   `words:"-"`
		Weight       int64 `words:"-"`
	}
	EndsHome    struct{}
	EndsGone    struct{}
	EndsMissing struct{ URL string }
	EndsNoPage  struct{}
	EndsWithAll struct{ URL string }
	EndsAt      struct{ URL string }
	// How old URLs fare: the name of the way, and what is said of the heaviest.
	OldURLsFare struct {
		URLs          int
		Domain, First string
		Met           string
		Says          Facts
		Weight        int64    `words:"-"`
		Heaviest      []string `words:"-"`
	}
	AnswersStatus struct {
		URL    string
		Status int
	}
)
