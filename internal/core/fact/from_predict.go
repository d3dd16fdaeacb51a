package fact

// What is found, with its facts.
type (
	PatternsTied struct {
		Lines     []int `words:"-"`
		Witness   string
		First     int
		FirstOld  string
		Second    int
		SecondOld string
	}
)
