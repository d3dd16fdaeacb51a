package fact

// What is found, with its facts.
type (
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
	EndsUnanswered struct {
		URL  string
		Door string
	}
	ChainTooLong struct {
		URL       string
		Redirects int
		MostHops  int
		End       string
	}
	RulesLoop struct {
		URL   string
		How   Facts
		Round []Facts
	}
	NotDecided struct {
		Rules  string
		By     string
		Reason Facts
	}
	RulesTied struct {
		First     string
		FirstOld  string
		Second    int
		SecondOld string
		Witness   string
	}
	CarrierCannot struct {
		Carrier string
		Rules   string
		URL     string
		Arrival string
		Target  string
		Host    string
	}
	NeverWins struct {
		Rule string
		Old  string
		Why  Facts
	}
	RuleDowngrades struct {
		Rule string
		Old  string
		New  string
	}
)
