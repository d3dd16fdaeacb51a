package fact

import "time"

// Facts about what was checked of an expectation.
type (
	DoorFaults struct {
		URL, Address string
		Faults       []Facts
	}
	ZoneNotHeld struct{ Server, Zone string }
	DSStill     struct{ Domain string }
	Delegated   struct {
		Domain      string
		Now, Wanted []string
	}
	NoTTL   struct{ Name, Type, Server string }
	TTLHigh struct {
		Name, Type, Server string
		TTL, Most          int
	}
	TTLLow struct {
		Name, Type, Server string
		TTL, Least         int
	}
	NoRecordYet struct{ Name, Type, Server string }
	StillThere  struct {
		Name, Type, Server string
		Values             []string
	}
	NotYet struct {
		Name, Type, Server string
		Wanted             []string
	}
	Differs struct {
		Name, Type, Server string
		Values, Wanted     []string
	}
	DoorUnseen struct {
		URL, Address string
		Why          Facts
	}
	ParentUnseen struct {
		Domain string
		Why    Facts
	}
	ZoneUnanswered struct {
		Server, Zone string
		Why          Facts
	}
	RecordUnanswered struct {
		Server, Name, Type string
		Why                Facts
	}
	WantCertificate struct{ Host string }
	WantPage        struct{}
	WantAddresses   struct{ Target string }
	Nothing         struct{}
	These           struct {
		Type   string // "" where it is the one that was asked for
		Values []string
	}
	NoAnswerTaken struct{}
	StandsBeside  struct {
		Subject string
		More    []string
	}
	GivesLonger struct {
		Place  string
		Values Facts
		Over   time.Duration // since the TTL was over
	}
	Slipped struct {
		Subject, Typed, Meant string
	}
	NotTakenYet struct {
		Place  string
		Values Facts
		Has    string // a name server that has the new
		Domain string
	}
	GivesOld struct {
		Place  string
		Values Facts
		Domain string
	}
	NotServed          struct{ Place, Domain, Code string }
	NotDelegated       struct{ Domain, Above string }
	BarredAnswer       struct{ Why string }
	NoServerAnswered   struct{}
	ZoneAboveUnseen    struct{}
	RegistrationUnseen struct{}
)
