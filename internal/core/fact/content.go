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
