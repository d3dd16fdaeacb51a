package fact

// Facts about mail.
type (
	DMARCStart struct {
		Name string
		Text string
	}
	PolicyMisplaced struct {
		Value  string `words:"-"`
		Starts string
		Name   string
		RFC    string
		Label  string
	}
	PoliciesTwice struct {
		Values []string `words:"-"`
		Name   string
		Count  int
		Kind   string
	}
	SPFTerm struct {
		Domain string
		Term   string
		Fault  Facts
	}
	SPFOpen struct {
		Domain string
		Term   string
	}
	SPFLookups struct {
		Value   string `words:"-"`
		Lookups int
		Costs   []string
		Domain  string
		Most    int
	}
	SPFLong struct {
		Domain string
		Octets int
		Most   int
	}
	NullMXBeside struct {
		MX      []string `words:"-"`
		Domain  string
		Servers []string
	}
	MailOnWeb struct {
		MX        string   `words:"-"`
		Addresses []string `words:"-"`
		Domain    string
		Target    string
	}
	MailWithoutMX struct {
		Domain string
	}
	SPFFollowsWeb struct {
		Term   string
		Domain string
	}
	SPFTermFollows struct {
		Term   string
		Untied []string `words:"-"`
		Domain string
		Value  string
	}
	SPFTermDepends struct {
		Domain, Term, Below string
	}
	WantedPolicyTwice struct {
		Wanted string
		There  string
		Name   string
	}
	MailNoneButMail struct {
		Evidence []string
		Zone     string
	}
	MailUndecided struct {
		Zone string
	}
	TermNoDomain     struct{}
	TermArgument     struct{}
	TermNoAddress    struct{}
	TermUnknown      struct{}
	TermCharacter    struct{}
	TermLength       struct{}
	TermBadDomain    struct{}
	TermMacro        struct{}
	TermTwice        struct{}
	TermLoops        struct{ Name string }
	TermNoPolicy     struct{ Name string }
	TermManyPolicies struct {
		Name  string
		Count int
	}
	TermManyHosts struct {
		Name        string
		Hosts, Most int
	}
	TermTakesBroken struct {
		Name, Term string
		Fault      Facts
	}
	SPFVoid struct {
		Domain string
		Names  []string
		Most   int
	}
	MailToAddress    struct{ Domain, Target string }
	MailToAlias      struct{ Domain, Target, Alias string }
	MailToNothing    struct{ Domain, Target string }
	MailAliasFollows struct {
		Host, Follows string
		Untied        []string
		InPlace       bool     // of an alias
		Alias         []string `words:"-"`
	}
	MailFollowsApex struct {
		Domain string
		Untied []string
	}
	MailMayGoToWeb struct {
		Domain, Target string
		Untied         []string
	}
	MailBesideWeb struct {
		Domain, Target, Address string
	}
	MailByChance struct {
		Domain     string
		Servers    []string
		Preference string
	}
	ServiceFollowsWeb struct {
		Name, Type, Target string
		Untied             []string
	}
	MailFollowsWeb struct {
		Domain, Target string
		Untied         []string
	}
	ComingLacksMail struct {
		At, Name, Type     string
		There, Wanted, Now []string
		OldDiffers         bool
		Server             string `words:"-"`
	}
)
