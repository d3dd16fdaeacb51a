package fact

// Facts about what the program kept.
type (
	AuditSchema    struct{ Schema, Wanted string }
	ChainEmpty     struct{}
	ChainNameless  struct{}
	AnswerNameless struct{}
	ChainEnd       struct{ End string }
	ChainPlaces    struct{}
	FindingPlace   struct{ Code string }
	// What keeps a state that was read from being one.
	StateSchema   struct{ Schema, Wanted string }
	NoSuchStep    struct{ Step, Steps int }
	StepNotDone   struct{}
	RunbookSchema struct{ Schema, Wanted string }
	RunbookLong   struct{ Steps, Most int }
	StepNumber    struct{ Number, Place int }
	StepOrder     struct{ Step, After int }
	StepAsks      struct {
		Step int
		Kind string
	}
	StepNowhere   struct{ Step int }
	SurveySchema  struct{ Schema, Wanted string }
	SurveyNoName  struct{}
	SurveyVoices  struct{ Name, Type string }
	SurveyRecords struct{ Name, Type string }
)
