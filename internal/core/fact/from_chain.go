package fact

import "time"

// What is found, with its facts.
type (
	TrappedByHSTS struct {
		CoveredBy string
		Header    string
		Host      string
		Why       Facts
		Until     time.Duration
	}
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
	SitemapLeftovers struct {
		Links   []string
		Sitemap string
		Count   int
	}
	SentOnByPage struct {
		URL  string
		To   string
		How  Facts
		From string
		Next string
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
	NotListed struct {
		How  Facts
		Page string
	}
	CanonicalElsewhere struct {
		Element string
		Other   string
		Page    string
		Host    string
		Door    string
	}
	LinksLeftover struct {
		Links []string
		Page  string
		Count int
	}
	PartsByHTTP struct {
		Parts []string
		Page  string
		Count int
	}
	HSTSUnreadable struct {
		Header string `words:"-"`
		Door   string
		Shown  string
	}
	HSTSAbsent struct {
		Header string `words:"-"`
		Door   string
	}
	HSTSBrief struct {
		Header string `words:"-"`
		Door   string
		MaxAge time.Duration
	}
	TokenPathTaken struct {
		Asked string `words:"-"`
		Does  Facts
		Door  string
	}
	RobotsBarAll struct {
		Line string
		URL  string
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
	VisitorsDiffer struct {
		Ways  []Facts
		Entry string
	}
)
