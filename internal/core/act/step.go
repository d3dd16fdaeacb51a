package act

import (
	"time"

	"upperpath.example/upperpath/internal/core/expect"
)

// StepKind says what is done in a step.
type StepKind uint8

// The steps of a cutover, in the order in which they are done.
const (
	_ StepKind = iota

	SurveyFirst       // see and save what is there
	RemoveStaleDS     // have Provider remove the DS record of Zones[0], which fits no key
	LowerTTLs         // of Names, and wait
	OutlastTTLs       // wait: TTLs were lowered already, but some hold what Holds says
	UntieMail         // Count changes in Zones, and wait
	GetCertificates   // Count of them; for Carriers by DNS, at ByHand by hand
	ClaimHosts        // Hosts at Provider
	MakeEarly         // Count changes in Zones that move, at Provider, before they are copied
	PlaceRedirects    // of the servers Carriers, and on the pages of Pages
	TryRedirects      // before anything points there
	LeaveAliases      // Count changes in Zones, of names that leave others which move, and wait
	MakeChanges       // Count of them in Zones
	WaitForTTLs       // until no resolver gives the old answer
	SetRecords        // where nobody has seen the zones
	ChangeNameServers // of Zones to Servers
	ClaimAfter        // Hosts at Provider, which takes them only once their records point there
	IssueCertificates // that can be had only now: Late
	ChoosePrimaries   // at Pages, which redirect only once everything else is there
	AuditDoors        // every one
	RaiseTTLs         // of Count record sets, a day later

	CopyZones    // Zones as they are to Servers, at Provider
	SeeAgreement // of the old and the new servers of Zones
	FindDS       // whether the parent zone has a DS record of Zones, which are signed
	RemoveDS     // of Zones, and wait
	LeaveOld     // servers of Zones as they are, and wait
	SignAnew     // Zones at the new servers, then publish the new DS

	CreateZones   // Zones, which do not exist yet, at Provider
	DelegateZones // Zones to Servers
	AuditFirst    // see and keep what every door does today
	TidyUp        // Count changes in Zones that count as moved
	// Zones, which can be found now: Count certificates; for Carriers by DNS, at ByHand by hand
	CertifyNew
)

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
	Provider string             // at whose page; "" where that differs or nothing is typed
	Zones    []string           // that it is about
	Hosts    []string           // that it is about
	Names    []string           // record sets: name and type
	Carriers []string           // whom it is for
	Software []string           // of servers that get a configuration: what each of Carriers runs
	ByHand   []string           // of those, whose certificates somebody puts there
	Pages    []string           // carriers with pages of their own
	Servers  []string           // name servers
	Late     []Late             // certificates
	LateAt   []string           // carriers whose certificates come later
	Partial  []string           // zones of which not everything was seen
	Count    int                // of what is done
	Round    int                // of the changes of what leaves others
	Needs    []int              // numbers of the steps to be done before, from 1
	Places   []string           // carriers at whose pages it is done, in this order; none: everywhere
	Wave     int                // of the domains that it is about; 0: of all
	Wait     int                // how long to wait then, in seconds
	Holds    *Remembered        // what is waited for longest
	Unknown  bool               // the TTL that decides on it is not known, and may be longer
	Dark     []string           // hosts that nobody answers while it is done
	DarkAt   []string           // whose forwarding goes, host by host
	DarkFor  int                // for how long at most, in seconds
	Check    expect.Expectation // what shows that it worked
	Back     Way
}

// Remembered is an answer that is given no longer, or with a shorter TTL, and that some still hold.
type Remembered struct {
	Name  string
	Type  string    // "": that nothing is there
	TTL   int       // in seconds
	Since time.Time // it was so until then; zero: until what is planned is typed
}

// Late is names whose certificate can be had only after they point to a carrier.
type Late struct {
	Names   []string
	Carrier string
}
