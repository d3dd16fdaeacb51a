package act

// CheckKind says what is looked at.
type CheckKind uint8

// The checks.
const (
	NoCheck       CheckKind = iota
	LookAtHost              // follow the doors of Host
	LookAtURL               // follow URL
	LookPointed             // follow the doors of Host as if the names pointed to Points already
	AuditPointed            // audit the domain Host in the same way
	AuditCarrier            // audit at the address Points[0].Address, whatever the host is
	SurveyZone              // survey the domain Host
	SurveyRecords           // its records only
	AskServer               // ask Server for Name and Type, and see Values
	AuditAll                // audit every door
	PlanAgain               // the plan finds no difference
)

// Check says what to look at to see that something worked, and what is then seen.
type Check struct {
	Kind   CheckKind
	Host   string
	URL    string
	Points []Point
	Name   string
	Type   string
	Server string
	Values []string // in zone-file form; none: nothing is there any more
	Alias  bool     // the addresses of Values[0]
}

// Point leads a host to an address before DNS does.
type Point struct{ Host, Address string }
