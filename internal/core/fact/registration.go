package fact

import "time"

// Facts about registrations.
type (
	ParentKnowsNothing struct {
		Zone   string `words:"-"`
		Server string `words:"-"`
		Parent string
		Domain string
	}
	Locked struct {
		Status []string `words:"-"`
		Domain string
		Locks  []string
	}
	HeldByRegistry struct {
		Status []string
		Domain string
	}
	RegistrationEnding struct {
		Domain string
		Ends   time.Time
		In     time.Duration
	}
	RegistrationEnded struct {
		Domain string
		Ends   time.Time
		Ago    time.Duration
	}
)
