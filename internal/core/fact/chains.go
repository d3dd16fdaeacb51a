package fact

// Facts about redirects, hop by hop, and why they go wrong.
type (
	SentOnByPage struct {
		URL  string
		To   string
		How  Facts
		From string
		Next string
	}
	MayBeSentOn struct {
		URL  string
		To   string
		Line int
	}
	ScriptElsewhere struct {
		URL  string
		Line int
	}
	ScriptUnread struct {
		URL  string
		Line int
	}
	DowngradeByPage struct {
		From string
		To   string
	}
	ShownInFrame struct {
		Framed string
		Door   string
		Behind Facts
		Host   string
	}
	LoopsForCookie struct {
		Length int `words:"-"`
		URL    string
	}
	LeadsInside struct {
		Door   string
		Detail string
	}
	LocationBroken struct {
		Location       string   `words:"-"`
		OtherLocations []string `words:"-"`
		URL            string
		Complaint      Facts
	}
	LeavesHTTPS struct {
		Door string
		To   string
	}
	ForNowOnly struct {
		Door   string
		To     string
		Status int
	}
	PassesStranger struct {
		Host string
	}
	GoesRound struct {
		BackTo string `words:"-"`
		Length int    `words:"-"`
		Doors  []string
	}
	GrowsLonger struct {
		Period    int    `words:"-"`
		URL       string `words:"-"`
		Redirects int
		Shown     string
	}
	NeverEnds struct {
		Redirects int
	}
	TooFewSteps struct {
		Redirects int
		Most      int
		From      string
		Door      string
	}
	ServesHTTP struct {
		Arrival string `words:"-"`
		Door    string
	}
	ChainTooLong struct {
		URL       string
		Redirects int
		MostHops  int
		End       string
	}
	RuleDowngrades struct {
		Rule string
		Old  string
		New  string
	}
	AliasCircle struct {
		Aliases []string `words:"-"`
		Circle  []string
	}
	TwoLocations    struct{}
	NoLocation      struct{}
	LocationBad     struct{ Why Facts } // nil: for no reason that is known
	LocationOdd     struct{ How Facts }
	SameLocationTwo struct{}
	ByRefresh       struct{}
	ByMarkup        struct{ Line int }
	ByScript        struct{ Line int }
	FrameSilent     struct{ Refusal string }
	FrameError      struct{ Status int }
	Who             struct{ Carrier, Address, Server string }
	LoopsToItself   struct{ URL string }
	TwoHosts        struct {
		ApexBy Facts
		Apex   string
		WWWBy  Facts
		WWW    string
	}
	EdgeFetchesPlain struct {
		Origin string
		By     Facts
	}
	OriginInsists struct {
		Origin     string
		Secure, By Facts
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
	EdgeInFront   struct{ By Facts }
	PerhapsEdge   struct{ By Facts }
	FrameForwards struct{}
	CookieWanted  struct{}
)
