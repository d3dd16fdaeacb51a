package fact

// What is found, with its facts.
type (
	TooManyRules struct {
		Carrier string
		Rules   int
		Most    int
	}
	TooManyHosts struct {
		Carrier string
		Hosts   []string
		Most    int
		Count   int
	}
	SiteApexOnly struct {
		Carrier string
		Host    string
	}
	SiteNoTLS struct {
		Carrier string
		Host    string
	}
	SiteAliasAtApex struct {
		Carrier string
		Alias   string
		Host    string
	}
	StarsMislead struct {
		Carrier string
		URL     string
		Host    string
		Typed   string
		Planned string
	}
)
