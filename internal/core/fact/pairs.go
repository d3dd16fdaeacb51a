package fact

// Why an old page and a new one may be counterparts.
type (
	PairLed       struct{}
	PairTitle     struct{}
	PairID        struct{ ID string }
	PairLastWords struct{ Words string }
	PairWords     struct{ Words []string }
	PairAlike     struct{ Old, New string }
	PairSection   struct {
		From, To string
		Pairs    int
	}
	PairOldAlone struct{}
	PairNewAlone struct{}
)

// What is wrong with a decision.
type (
	DecisionWord  struct{ Near string }
	DecisionEmpty struct{}
)
