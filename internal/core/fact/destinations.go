package fact

import "time"

// Facts about where visitors and old URLs arrive.
type (
	ManyArriveOnOne struct {
		URLs  []string `words:"-"`
		Count int
		To    string
		Paths []string
	}
	TwoSites struct {
		Apex  string `words:"-"`
		Www   string `words:"-"`
		First string
		Other string
	}
	EndsAtHome struct {
		Arrival string
		Entry   string
	}
	SaysNotFound struct {
		Status int
		Title  string `words:"-"`
		Page   string
		Text   string
	}
	UselessPage struct {
		Arrival string `words:"-"`
		Title   string `words:"-"`
		Door    string
	}
	AllToRoot struct {
		Asked   string `words:"-"`
		Arrival string `words:"-"`
		Host    string
		Root    string
	}
	AnswersItself struct {
		Status int
		Wanted string `words:"-"`
		Door   string
		Target string
		Host   string
	}
	PathCut struct {
		Entry   string
		Path    string
		Arrival string
		Wanted  string
		Asked   string `words:"-"`
	}
	QueryCut struct {
		Asked   string `words:"-"`
		Arrival string
		From    string
		Query   string
	}
	EndsInError struct {
		Status int
		URL    string
	}
	EndsEmpty struct {
		Status int
		URL    string
	}
	EndsUndecided struct {
		Status int
		URL    string
	}
	EndsNowhere struct {
		URL     string
		Arrival string
	}
	EndsExempt struct {
		URL     string
		Arrival string
	}
	EndsOnStatus struct {
		URL     string
		Arrival string
		Status  int
		Detail  string
	}
	GoneLeads struct {
		URL, Arrival string
		Status       int
	}
	GoneAnswers struct {
		URL     string
		Arrival string `words:"-"`
		Status  int
	}
	EndsElsewhere struct{ From, Arrival, Wanted, Rules string }
	SentOn        struct{ From, Target, Arrival, Wanted, Rules string }
	Parked        struct {
		By          Facts
		Title, Host string
	}
	PlatformKnowsNot struct{ Host, Platform string }
	CarrierLacksHost struct {
		Carrier, Host string
		Status        int
	}
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
	OldURLsFall       struct {
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
