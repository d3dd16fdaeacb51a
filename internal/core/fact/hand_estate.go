package fact

// What is wrong with an estate file; Near is what may have been meant, "" where nothing is near.
type (
	CarrierUnknown struct{ Name, Near string }
	KeyUnknown     struct {
		What, Near string
		Keys       []string
	}
	HostFault struct {
		What  string
		Fault Facts
	}
	WordUnknown struct {
		What, Near string
		Words      []string
	}
	CanonicalNotURL struct{ Host string } // Host: what can be a host; "" where it cannot
	TypeNotKnown    struct {
		Near  string
		Types []string
	}
	WantedValue struct {
		Type string
		Why  Facts
	}
)

// What is wrong with a rule.
type (
	OldHostFault   struct{ Why string }
	OldHostOutside struct{ Host, Near string }
	NewFault       struct{ Why string }
	CaptureForm    struct{ Capture, Wanted string }
)
