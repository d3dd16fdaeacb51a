package fact

// What is found, with its facts.
type (
	CellTooLong struct {
		Octets int
		Most   int
	}
	TableEmpty struct {
		Columns string
	}
	NotCSV         struct{}
	NoDomainColumn struct{}
	DomainRowTwice struct {
		Line int
	}
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
)
