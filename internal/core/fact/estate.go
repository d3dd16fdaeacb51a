package fact

// Facts about the estate file.
type (
	FurtherShape   struct{}
	ElsewhereShape struct{}
	Mistyped       struct{ Meant string }
	EndingUnknown  struct{ Ending string }
	CarriersShape  struct {
		Kind string
	}
	CarrierTwice    struct{}
	NoConfiguration struct {
		What  string
		Title string
		Kinds string
	}
	FormWithRules struct {
		What  string
		Title string
	}
	NothingBehind struct {
		What  string
		Kinds string
	}
	CarrierKindless struct {
		What  string
		Kinds string
	}
	CarrierNowhere struct {
		What string
	}
	EdgeBehindEdge struct{}
	StepsElsewhere struct {
		Name  string
		Kinds string
	}
	StepTwice   struct{}
	NoSuchLabel struct {
		Label string
	}
	DomainNameless struct{}
	PublicSuffix   struct {
		Name string
	}
	HostNotDomain struct {
		Name string
		Apex string
	}
	DomainTwice    struct{}
	FileName       struct{}
	LeadsToNeither struct{}
	LeadsToHTTP    struct {
		URL string
	}
	HostOutside struct {
		Domain string
	}
	HostThereAnyway struct{}
	CarriersClaim   struct {
		Domain string
	}
	CarrierShape struct {
		Kind string
	}
	NobodyCarries struct {
		Host string
	}
	CarrierAliasItself struct {
		Host    string
		Carrier string
	}
	SiteServesItself struct {
		Host    string
		Carrier string
	}
	NeededShape struct {
		Kind string
	}
	NeededByNobody struct {
		Host string
	}
	NeededRedirected struct {
		Host string
	}
	NeededServed struct {
		Host string
	}
	NeededOutside struct {
		Domain string
	}
	ValueHostile struct {
		Character Facts
	}
	NotMapping struct {
		What string
		Kind string
		Key  string
	}
	KeyTwice       struct{}
	MappingForList struct {
		What string
	}
	NotSingle struct {
		What string
		Kind string
	}
	HostMissing struct {
		What string
	}
	NotAddress struct{}
	// NotPlace: a folder of a server is named from its root.
	NotPlace struct{}
	// NotAddressPort: an address with a port is wanted.
	NotAddressPort struct{}
	AddressZone    struct{}
	NotYesNo       struct {
		What string
	}
	NotNumber struct {
		What  string
		Least int
	}
	NotDate struct {
		What string
	}
	NotDuration struct {
		What string
	}
	AcceptCode struct {
		Near    string
		Changes []string
	}
	AcceptMissing struct{ Keys []string }
	AcceptValue   struct{ Code string }
	AcceptNoValue struct{ Code string }
	AcceptTwice   struct{ Code, Subject string }
	NotTimeZone   struct{}
	PolicyStatus  struct{}
	HSTSNoAge     struct{}
	HSTSPreload   struct{ Least int }
	HSTSOrder     struct{}
	NotExempt     struct{}
	EstateEmpty   struct{}
	NoDomains     struct{}
	NoCanonical   struct{}
	CanonicalHTTP struct {
		Host string
	}
	CanonicalPage struct {
		Door string
	}
	CanonicalNoHost      struct{}
	SiteWithoutCanonical struct {
		Host string
	}
	SiteAliasItself struct{}
	CarrierNoSite   struct {
		Carrier string
		Title   string
		Kinds   string
	}
	SiteTwoPlaces struct {
		Carrier string
	}
	HostClaimed struct {
		Host string
		By   string
	}
	SiteBehindNowhere struct {
		Carrier string
	}
	RegistryURL   struct{}
	VantagesShape struct {
		Kind string
	}
	PlacesShape struct {
		Kind string
	}
	PlaceSend struct {
		Place string
	}
	PlaceLacks struct {
		Place, Send, Key string
	}
	PlaceKey struct {
		Send, Key string
	}
	PlaceServer struct{}
	PlaceUnused struct {
		Near string
	}
	PlaceSecret struct{}
	BadProxy    struct{}
	NotResolver struct{}
	WantedEmpty struct{}
	WantedLacks struct {
		Key string
	}
	WantedNoLabel struct{}
	WantedName    struct {
		Why  Facts
		Zone string
	}
	WantedElsewhere struct {
		Domain string
		Zone   string
	}
	UntilNeither    struct{}
	WantedApexAlias struct {
		Apex string
	}
	WantedAliasCarried struct {
		Host string
	}
	WantedAliasItself struct {
		Host string
	}
	WantedAliasBeside struct {
		Host  string
		Type  string
		Type2 string
	}
	CarrierUnknown struct{ Name, Near string }
	KeyUnknown     struct {
		What, Near string
		Keys       []string
	}
	HostFault struct {
		What  string
		Fault Facts
	}
	WordUnknown struct {
		What, Near string
		Words      []string
	}
	CanonicalNotURL struct{ Host string } // Host: what can be a host; "" where it cannot
	TypeNotKnown    struct {
		Near  string
		Types []string
	}
	WantedValue struct {
		Type string
		Why  Facts
	}
)
