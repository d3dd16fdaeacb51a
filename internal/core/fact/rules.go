package fact

// Facts about the redirect map and its proof.
type (
	PatternsTied struct {
		Lines     []int `words:"-"`
		Witness   string
		First     int
		FirstOld  string
		Second    int
		SecondOld string
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
	NeverWins struct {
		Rule string
		Old  string
		Why  Facts
	}
	QueryWord     struct{}
	RankWord      struct{}
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
	OldHostFault   struct{ Why string }
	OldHostOutside struct{ Host, Near string }
	NewFault       struct{ Why string }
	CaptureForm    struct{ Capture, Wanted string }
	MayLoop        struct{}
	MayNeverEnd    struct{}
	MayMissPage    struct{}
	MayBeExempt    struct{}
	MayMeetNobody  struct{}
	MayMeetNoOne   struct{}
	TooManyWays    struct{}
	MayLeaveHTTPS  struct{}
	RuleLeadsOn    struct {
		Rule, Old, New string
		Ways           []string
		Advice         Facts
	}
	LeadStraight struct{}
	WriteInstead struct {
		Lines []string
		More  int
	}
	WriteIfAll      struct{ Line string }
	AddForThese     struct{ Line string }
	DoorUncarried   struct{}
	AllTaken        struct{}
	FallsToSamePath struct{ To string }
	FallsToGone     struct{ To string }
	FallsTo         struct{ To string }
	AssumesCarriers struct{}
	AssumesCounts   struct{}
	AssumesPages    struct{}
	AssumesCaptures struct{}
	AssumesSite     struct{}
	AssumesExempt   struct{ Paths []string }
	AssumesZones    struct{ Unseen, Partly []string }
	AssumesAnswered struct{ Hosts []string }
	AssumesOutside  struct{}
	RoundLoops      struct{}
	RoundGrows      struct{}
	RoundPath       struct{ From, To string }
	RoundHost       struct{ From, To string }
	RoundGoesOn     struct{}
	WinsExact       struct{}
	WinsText        struct{ Octets, Other int }
	WinsNoRest      struct{}
	WinsDigits      struct{}
	WinsLiterals    struct{}
	WinsNumbers     struct{}
	WinsQuery       struct{}
	WinsRank        struct{ Rank, Other int }
	WinsScheme      struct{}
	WinsHost        struct{}
	WinsByOrder     struct{}
)
