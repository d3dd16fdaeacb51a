package fact

// Facts about other files.
type (
	FileNotDemos       struct{}
	ZoneOfOthers       struct{}
	ImportUnread       struct{}
	EstateThere        struct{}
	SurveyZoneOfOthers struct{}
	CellTooLong        struct {
		Octets int
		Most   int
	}
	TableEmpty struct {
		Columns string
	}
	NotCSV            struct{}
	NoDomainColumn    struct{}
	DomainRowNameless struct{}
	DomainPublic      struct{ Host string }
	NoDomainRows      struct{}
	DomainCellHostile struct {
		Column    string
		Character Facts
	}
	WaveNumber     struct{}
	RenewsDate     struct{}
	NoEstateFile   struct{}
	DNSKeyUnknown  struct{}
	DNSKeySecret   struct{}
	DNSKeyName     struct{}
	LeaveOutUnread struct {
		Why string
	}
	NotHAR struct {
		Why string
	}
	NotFeed struct {
		Why string
	}
	FeedDepth struct {
		Most int
	}
	NotTable struct {
		Why string
	}
	TableCut struct {
		Why string
	}
	NoURLColumn    struct{}
	NoWeightColumn struct {
		Column string
	}
	NotWorkbook struct {
		Why string
	}
	SheetUnread struct {
		Sheet string
		Why   string
	}
	WorkbookEmpty struct{}
	NotUnpacked   struct {
		Why string
	}
	FileCut struct {
		Why string
	}
	PagesTooLarge    struct{}
	PageTooLong      struct{}
	NotPage          struct{}
	NotSitePage      struct{}
	SitemapIndex     struct{}
	NotSitemap       struct{}
	SitemapIndexFile struct{}
	SitemapNoURL     struct{}
	FileOfOthers     struct{}
	YAMLTooLarge     struct {
		Octets int
		Most   int
	}
	YAMLTooDeep struct {
		Most int
	}
	NotYAML       struct{}
	YAMLDocuments struct{}
	FileUnread    struct{}
	AnchorUnknown struct {
		Anchor string
	}
	YAMLTags    struct{}
	YAMLMerge   struct{}
	ZoneTooLong struct {
		Most int
	}
	ZoneWithoutSOA struct{}
	TrustUnread    struct {
		Why string
	}
	CertificateUnread struct {
		Why string
	}
	NoPEM            struct{}
	NoScene          struct{}
	SceneAddressPort struct{}
	SceneAddress     struct{}
	SceneType        struct{}
	SceneSaysZone    struct{}
	SceneDS          struct{}
	SceneRegistry    struct{}
	SceneKey         struct{}
	NotScene         struct{}
	SceneSaysDoor    struct{}
	SceneTLS         struct{}
	SceneCertificate struct{}
	SceneHost        struct{}
	SceneNoZones     struct{}
	SceneZoneUnread  struct{}
	SceneZoneName    struct{}
	LineTooLong      struct{ Octets, Most int }
	LineTooMany      struct{ Fields, Most int }
	ColumnMissing    struct {
		Column, Near string
		Needed       []string
		Known        []string
	}
	NotCSVBecause  struct{ Why string }
	ColumnNotThere struct{ Column string }
	FileEdited     struct{}
	NotYAMLAt      struct{ Why string }
	FileTooLarge   struct {
		Why  string
		Most int64
	}
	FileNotReadable struct{ Why string }
	FileMissing     struct{}
	GatherFirst     struct{}
	ZoneLine        struct{ Why string }
	ZoneOwner       struct{ Text string }
	ZoneOwnerless   struct{}
	ZoneAlone       struct{}
	ZoneNested      struct{ Most int }
	ZoneDirective   struct{ Text string }
	ZoneTTL         struct{ Text string }
	ZoneNoTTL       struct{}
	ZoneClass       struct{ Text string }
	ZoneType        struct{ Text string }
	ZoneShort       struct{}
	ZoneData        struct{ Type string }
	ZoneGenerate    struct{ Text string }
	ZoneParens      struct{}
	ZoneQuotes      struct{}
	ZoneInclude     struct{ Why string }
	NotSceneBecause struct{ Why string }
	RuleColumns     struct {
		Why     string
		Columns []string // that are needed; nil: those of a rule
	}
	YAMLLine struct{ Octets, Most int }
	YAMLKeys struct{ Most int }
	// A rule that a server cannot hold.
	ServerCannot struct {
		Server, Place, Old string
		Why                Facts
		Line               int `words:"-"`
	}
)
