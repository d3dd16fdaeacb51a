package fact

// Facts about hosts, URLs and values that cannot be used.
type (
	HostWithUser struct{}
	HostEmpty    struct{}
	HostIsURL    struct {
		Host string
	}
	HostWithPath struct {
		Host string
	}
	HostIsAddress struct{}
	HostWithPort  struct {
		Host string
	}
	HostBadLabel    struct{}
	HostIsNumber    struct{}
	HostSingleLabel struct {
		Name string
	}
	HostUnknown    struct{}
	HostRefused    struct{}
	OddUser        struct{}
	OddControl     struct{}
	OddTab         struct{}
	OddSpace       struct{}
	OddCharacter   struct{}
	OddBackslash   struct{}
	OddSlashes     struct{}
	OddManySlashes struct{}
	OddNumber      struct{ Host string }
	URLTooLong     struct{}
	URLNoScheme    struct{}
	URLScheme      struct{}
	URLUser        struct{}
	URLHost        struct{}
	URLPort        struct{}
	URLEmpty       struct{}
	URLNone        struct{}
	TypeUnknown    struct{ Type string }
	ValueEmpty     struct{}
	ValueParts     struct{ Parts, Wanted int }
	NotName        struct{ Text string }
	AddressNotName struct{ Text string }
	LabelLong      struct{ Text string }
	AddressKind    struct{ Text string }
	NumberRange    struct{ Text string }
	QuoteOpen      struct{}
	CAAParts       struct{}
	CAAFlag        struct{ Flag string }
	ServiceParts   struct{}
	OutsideZone    struct{ Text, Zone string }
	LineBreak      struct{}
	TabStop        struct{}
	Control        struct{ Code string }
	Direction      struct{ Code string }
	Invisible      struct{ Code string }
	MoreFaults     struct{ More int }
)
