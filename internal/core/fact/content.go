package fact

// Facts about what pages say of themselves.
type (
	SitemapLeftovers struct {
		Links   []string
		Sitemap string
		Count   int
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
	CanonicalPlain struct {
		Element string
		Other   string
		Page    string
	}
	PicturesByHTTP struct {
		Parts []string
		Page  string
		Count int
	}
	FormsByHTTP struct {
		Parts []string
		Page  string
	}
	HiddenFromByHeader struct{ Robots []string }
	HiddenFromByPage   struct{ Robots []string }
	PartsByHTTP        struct {
		Parts []string
		Page  string
		Count int
	}
	RobotsBarAll struct {
		Line string
		URL  string
	}
	RobotsHideRedirects struct {
		Line string
		Door string
	}
	HiddenByHeader  struct{ Value string }
	HiddenByPage    struct{}
	TokenAnswered   struct{ Status int }
	TokenRedirected struct{ To string }
)

// Facts about what search engines meet.
type (
	OldsBarred struct {
		Robots string
		Whom   Facts
		URLs   int
		Host   string
		Rule   string
		First  string
		When   Facts
	}
	OldsBarredByFailure struct {
		Robots string
		Status int
		URLs   int
		Host   string
		First  string
		When   Facts
	}
	ArrivalsBarred struct {
		Robots string
		Whom   Facts
		Pages  int
		Rule   string
		First  string
		URLs   int
	}
	SiteBarredByFailure struct {
		Robots string
		Status int
	}
	BarredAlways struct{}
	BarredAfter  struct{}
	BarredToday  struct{}
	BarredNow    struct{}
	RobotsAll    struct{}
	RobotsBut    struct{ Except []string }
	RobotsNamed  struct{ Named []string }
	ArrivalFails struct {
		Page   string
		Status int
		URLs   int
		First  string
	}
	PageCut struct {
		Page   string
		Octets int
	}
	ArrivalSaysNone struct {
		Page  string
		URLs  int
		First string
	}
	ArrivalLoops struct {
		Page  string
		URLs  int
		First string
	}
	ArrivalRedirects struct {
		Page  string
		To    string
		URLs  int
		First string
	}
	ArrivalHidden struct {
		Page  string
		How   Facts
		URLs  int
		First string
	}
	NamesOld struct {
		Page  string
		Other string
	}
	NamesAnother struct {
		Page  string
		Other string
	}
	NamesDead struct {
		Page   string
		Other  string
		Status int
	}
	NamesMoved struct {
		Page  string
		Other string
		To    string
	}
	NamesInTurn struct {
		Page  string
		Other string
		Next  string
	}
	ArrivesAsOther struct {
		First  string
		Kind   string
		URLs   int
		Page   string
		Serves string
	}
	FeedEnds struct {
		Feed string
		Page string
	}
	FeedArrives struct {
		Feed   string
		Named  string
		Page   string
		Serves string // "": it fails
		Status int
	}
	NoSitemap struct{ Site string }
	ListsOld  struct {
		Sitemap string
		Count   int
		First   string
	}
	ListsBarred struct {
		Sitemap string
		Count   int
		First   string
		Rule    string
	}
	ListsDead struct {
		Sitemap string
		Count   int
		First   string
		Status  int
	}
	ListsMoved struct {
		Sitemap string
		Count   int
		First   string
		To      string
	}
	ListsHidden struct {
		Sitemap string
		Count   int
		First   string
	}
	NotInSitemap struct {
		Pages []string
		Count int
		URLs  int
	}
	LinkedFrom struct {
		Target  string
		Element string
		Pages   int
		Page    string
		Line    int
		Now     string // where it leads now; "" where the plan does not say
		Dead    int    // the status there, where that is no page; 0: it is one, or nobody looked
	}
	AlternateOld struct {
		Target string
		Pages  int
		Page   string
		Line   int
		Now    string
	}
	OldSitemapEnds struct {
		Sitemap string
		Lists   int
		To      string // what will answer for it; "": nothing
	}
)
