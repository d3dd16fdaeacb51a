package fact

// What follows the web's address, though it is no door; Untied are the records that untie it.
type (
	MailAliasFollows struct {
		Host, Follows string
		Untied        []string
		InPlace       bool     // of an alias
		Alias         []string `words:"-"`
	}
	NameFollows struct {
		Host, Follows string
		Untied        []string
		InPlace       bool
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
	MailFollowsWeb struct {
		Domain, Target string
		Untied         []string
	}
)

// What is lost beside an alias.
type (
	LosesMail   struct{}
	LosesRecord struct{}
)

// What is wanted where it cannot stand.
type (
	AliasWantedBeside struct {
		Name, Other  string // the type of what is there
		Values       []string
		Type, Wanted string `words:"-"`
	}
	AliasWantedWith struct {
		Name, Other  string // the type of what is wanted there too
		Values       []string
		Type, Wanted string `words:"-"`
	}
	BesideCarrierAlias struct {
		Name, Type string
		Values     []string
		Carrier    string
		Alias      []string
	}
	BesideAlias struct {
		Name, Type string
		Values     []string
		Alias      string
	}
	SecondWay struct {
		Host, Carrier     string
		Values, Addresses []string
	}
	EdgeBypassed struct {
		Host, Carrier string
		Addresses     []string
	}
)

// Why not all of a zone was seen.
type (
	AskedByName    struct{}
	NobodyAnswered struct{ Name, Type string }
)

// What a provider does beside its name servers.
type (
	MailOfProvider  struct{ Target string }
	ForwardedByZone struct{ Host, Carrier string }
	ProvidersAlias  struct{ Host string }
)

// What the name servers say to which a zone moves.
type (
	ComingSilent struct {
		At, Zone, Detail string
		Server, Address  string `words:"-"`
	}
	ComingUnasked struct {
		At, Zone, Detail string
		Server, Address  string `words:"-"`
	}
	ComingDiffers struct {
		At, Name, Type     string
		There, Wanted, Now []string
		OldDiffers         bool   // the old servers say neither
		Server             string `words:"-"`
	}
	ComingLacksMail struct {
		At, Name, Type     string
		There, Wanted, Now []string
		OldDiffers         bool
		Server             string `words:"-"`
	}
)

// What is not as it should be in a zone that counts as moved.
type (
	MovedLacksRecord struct {
		Zone, Name, Type string
		Wanted           []string
	}
	MovedLeftover struct {
		Zone, Name    string
		Left          []string
		There, Wanted []string `words:"-"`
	}
	MovedElsewhere struct {
		Zone, Name, Leads string
		Wanted            []string
		There             []string `words:"-"`
	}
	MovedLacks struct {
		Zone, Name    string
		Missing       []string
		There, Wanted []string `words:"-"`
	}
	MovedNowhere struct {
		Zone, Name, Type string
		Wanted           []string
		There            []string `words:"-"`
	}
	MovedByChance struct {
		Zone, Name    string
		Left          []string
		There, Wanted []string `words:"-"`
	}
)
