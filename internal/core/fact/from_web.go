package fact

// What is found, with its facts.
type (
	HostWithUser struct{}
	HostEmpty    struct{}
	HostIsURL    struct {
		Host string
	}
	HostWithPath struct {
		Host string
	}
	HostIsAddress struct{}
	HostWithPort  struct {
		Host string
	}
	HostBadLabel    struct{}
	HostIsNumber    struct{}
	HostSingleLabel struct {
		Name string
	}
	HostUnknown struct{}
	HostRefused struct{}
)
