package act

// StepKind says what is done in a step.
type StepKind uint8

// Way says how a step is taken back.
type Way uint8

// The ways back.
const (
	NoWay         Way = iota // nothing was changed
	TypeOldValues            // what stood there before, from the kept survey
	OldServers               // the old delegation; the old servers still answer
	Unclaim                  // give the hosts up there
	OldDS                    // publish the DS record again, while the zone is still signed
)

// Step is one act of the cutover, as data: reports say it in words.
type Step struct {
	Kind     StepKind
	Provider string     // at whose page; "" where that differs or nothing is typed
	Zones    []string   // that it is about
	Hosts    []string   // that it is about
	Names    []string   // record sets: name and type
	Carriers []string   // whom it is for
	Software []string   // of servers that get a configuration: what each of Carriers runs
	ByHand   []string   // of those, whose certificates somebody puts there
	Pages    []string   // carriers with pages of their own
	Servers  []string   // name servers
	Late     []Late     // certificates
	Partial  []string   // zones of which not everything was seen
	Count    int        // of what is done
	After    []StepKind // what has to be done before
	Wait     int        // how long to wait then, in seconds
	Unknown  bool       // the TTL that decides on it is not known, and may be longer
	Check    Check      // what shows that it worked
	Back     Way
}

// Late is names whose certificate can be had only after they point to a carrier.
type Late struct {
	Names   []string
	Carrier string
}
