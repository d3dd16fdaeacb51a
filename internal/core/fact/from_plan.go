package fact

// What is found, with its facts.
type (
	RuleTakesNeeded struct {
		Line  int `words:"-"`
		Host  string
		By    string
		Place string
	}
	RuleOfSite struct {
		Line  int `words:"-"`
		Place string
		Host  string
	}
	TTLNotLowered struct {
		TTL    int
		Wanted int
		Name   string
		Type   string
	}
	SheetsLeave struct {
		Typed  []string
		Wanted []string
		Name   string
		Type   string
		Zone   string
	}
	SheetsLeaveTTL struct {
		Typed  int
		Wanted int
		Name   string
		Type   string
	}
	CarrierUntold struct {
		Carrier string
		Hosts   []string
	}
	TypedOtherwise struct {
		Carrier string
		URL     string `words:"-"`
		What    Facts
	}
	NothingTells struct {
		Place string
		Zone  string `words:"-"`
		What  Facts
	}
	SiteUntold struct {
		Host      string
		Canonical string
	}
	AliasBehindFile struct {
		Target  string
		Through string
		Name    string
	}
)
