package fact

import "time"

// Facts about what browsers remember.
type (
	HSTSNotSent struct {
		Door    string
		Planned string
	}
	HSTSOtherwise struct {
		Door    string
		Planned string
		Header  string
	}
	PolicyLocksOut struct {
		Host    string
		Carrier string
		By      string
		From    time.Time
	}
	PolicyCovers struct {
		Hosts []string
		By    string
		From  time.Time
	}
	TrappedByHSTS struct {
		CoveredBy string
		Header    string
		Host      string
		Why       Facts
		Until     time.Duration
	}
	HSTSUnreadable struct {
		Header string `words:"-"`
		Door   string
		Shown  string
	}
	HSTSAbsent struct {
		Header string `words:"-"`
		Door   string
	}
	HSTSBrief struct {
		Header string `words:"-"`
		Door   string
		MaxAge time.Duration
	}
	SilentOverHTTPS    struct{ Refusal string }
	RefusedByTLS       struct{ Code string }
	RememberedRedirect struct {
		From, To string
		Until    time.Time
	}
	RememberedHTTPS struct {
		Host  string
		Until time.Time
	}
	Preloaded     struct{ Host string }
	ReturnsInLoop struct {
		Entry      string
		Remembered []Facts
		Ends       time.Time
	}
	ReturnsToWarning struct {
		Entry      string
		Remembered []Facts
		Fault      Facts
		Host       string
		Ends       time.Time
	}
	ReturnsElsewhere struct {
		Entry, Arrival, Fresh string
		Remembered            []Facts
		Ends                  time.Time
	}
	LockedOut struct {
		Host, Carrier string
		Why           Facts
		By            string
		Ends          time.Time
	}
	LockedOutAtFirst struct {
		Host, Carrier string
		Why           Facts
		By            string
		Ends          time.Time
	}
	ReturnsToNothing struct {
		Entry, Arrival, Fresh string
		Status                int
		Refusal               string
		Remembered            []Facts
		Ends                  time.Time
	}
	NoWayPast         struct{ Host, Code string }
	NoWayThere        struct{ Door, Refusal string }
	CanBePreloaded    struct{ Apex string }
	CannotBePreloaded struct {
		Apex  string
		Wants []Facts
	}
	WantsRedirect    struct{ Apex string }
	WantsAnswer      struct{ Apex string }
	WantsCertificate struct{ Apex string }
	WantsHSTS        struct{ Apex string }
	WantsMaxAge      struct {
		Seconds int
		Lasts   time.Duration
	}
	WantsSubdomains struct{}
	WantsPreload    struct{}
)
