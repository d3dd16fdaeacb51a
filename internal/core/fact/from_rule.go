package fact

// What is found, with its facts.
type (
	QueryWord     struct{}
	LeadsNowhere  struct{}
	GoneWithNew   struct{}
	ColumnTooLong struct {
		Column string
		Octets int
		Most   int
	}
	ColumnTooMany struct {
		Column string
		N      int
		What   string
		Most   int
	}
	ColumnHostile struct {
		Column    string
		Character Facts
		Escaped   string // "" where it is not of a URL
	}
	RuleStatus  struct{}
	OldEmpty    struct{}
	OldScheme   struct{}
	OldFragment struct{}
	DotSegments struct {
		Path string
	}
	OldNoHost        struct{}
	OldHostCapture   struct{}
	ConditionUnnamed struct{}
	ConditionCapture struct{}
	ParameterTwice   struct{}
	QueryRestNotLast struct {
		Name string
	}
	QueryCapturesAdjoin struct{}
	QueryCaptureTwice   struct {
		Name string
	}
	NewNeither      struct{}
	FragmentCapture struct{}
	NewScheme       struct{}
	NewHostOpen     struct{}
	NewHostRest     struct {
		Name string
	}
	CaptureUnknown struct {
		Capture string
	}
	BraceOpen   struct{}
	BraceClosed struct{}
	BareStar    struct {
		Write string
	}
	CaptureName struct {
		Name string
	}
	CaptureKind struct {
		Kind string
	}
	CaptureTwice struct {
		Name string
	}
	RestNotLast struct {
		Name string
	}
	CapturesAdjoin struct{}
)
