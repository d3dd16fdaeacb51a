package finding

import (
	"fmt"
	"slices"
)

// Cause names why a fault is there, where the evidence shows it. The causes are the constants below
// and no others; the zero value is none. In JSON it is its name.
type Cause uint8

// The causes that are told apart.
const (
	NoCause Cause = iota

	EdgeByHTTP
	TwoCarriers
	HostNotAdded
	CertificateComing
	CertificateBarred
	ParkingPage
	PreviousCarrier
	FrameForwarding
	CookieWall
	DefaultServer
	WildcardShort

	causes // how many there are
)

// CauseKind is a row of the table of causes. What a cause means in words stands in package words.
type CauseKind struct {
	Cause Cause
	Name  string // as it is written everywhere
	Of    []Code // the findings that it can cause
}

// Kind returns the row of a cause; one without a name for what is none.
func (c Cause) Kind() CauseKind {
	if c == NoCause || c >= causes {
		return CauseKind{}
	}
	k := causeTable[c]
	k.Cause = c
	return k
}

// String returns the cause as it is written everywhere; "" for none.
func (c Cause) String() string { return c.Kind().Name }

// MarshalText writes the name of the cause.
func (c Cause) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads the name of a cause; the empty text is none. The error names what is no
// cause.
func (c *Cause) UnmarshalText(text []byte) error {
	found, ok := NamedCause(string(text))
	if !ok && len(text) > 0 {
		return fmt.Errorf("%q is not a cause", text)
	}
	*c = found
	return nil
}

// NamedCause returns the cause of a name, false where none is called so.
func NamedCause(name string) (Cause, bool) {
	for c := NoCause + 1; c < causes; c++ {
		if causeTable[c].Name == name {
			return c, true
		}
	}
	return NoCause, false
}

// CausesOf returns the causes that a code can have, in the order of the table.
func CausesOf(code Code) []CauseKind {
	return slices.DeleteFunc(Causes(), func(k CauseKind) bool { return !slices.Contains(k.Of, code) })
}

// Causes returns the table in its order.
func Causes() []CauseKind {
	var all []CauseKind
	for c := NoCause + 1; c < causes; c++ {
		all = append(all, c.Kind())
	}
	return all
}

var causeTable = [causes]CauseKind{
	EdgeByHTTP:  {Name: "edge-by-http", Of: []Code{Loop}},
	TwoCarriers: {Name: "two-carriers", Of: []Code{Loop}},
	HostNotAdded: {Name: "host-not-added",
		Of: []Code{DeadEnd, NotRedirected, WrongName, TLSFailed, WrongPage}},
	CertificateComing: {Name: "certificate-coming", Of: []Code{WrongName, TLSFailed}},
	CertificateBarred: {Name: "certificate-barred", Of: []Code{WrongName, TLSFailed}},
	ParkingPage:       {Name: "parking-page", Of: []Code{WrongPage, NotRedirected}},
	PreviousCarrier: {Name: "previous-carrier", Of: []Code{
		NotRedirected,
		WrongPage,
		WrongName,
		Expired,
		Refused,
		Timeout,
		Unreachable,
		DeadEnd,
		Loop,
		SplitAnswers,
	}},
	FrameForwarding: {Name: "frame-forwarding", Of: []Code{Framed}},
	CookieWall:      {Name: "cookie-wall", Of: []Code{CookieLoop}},
	DefaultServer:   {Name: "default-server", Of: []Code{WrongName, WrongPage, NotRedirected}},
	WildcardShort:   {Name: "wildcard-short", Of: []Code{WrongName}},
}
