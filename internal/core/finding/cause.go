package finding

import "fmt"

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

// CauseKind is a row of the table of causes: what it means, how it shows itself, what to do in
// general.
type CauseKind struct {
	Name  string // as it is written everywhere
	Means string // one sentence: the cause
	Shows string // by which evidence
	Do    string // one sentence: the remedy
	Of    []Code // the findings that it can cause
}

// Kind returns the row of a cause; one without a name for what is none.
func (c Cause) Kind() CauseKind {
	if c == NoCause || c >= causes {
		return CauseKind{}
	}
	return causeTable[c]
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
	var all []CauseKind
	for _, k := range causeTable[1:] {
		for _, c := range k.Of {
			if c == code {
				all = append(all, k)
			}
		}
	}
	return all
}

// Causes returns the table in its order.
func Causes() []CauseKind { return append([]CauseKind{}, causeTable[1:]...) }

var causeTable = [causes]CauseKind{
	EdgeByHTTP: {
		Name:  "edge-by-http",
		Means: "An edge network or proxy fetches the page by http from an origin that insists on https.",
		Shows: "An https URL redirects to itself. Asked directly, the origin redirects http to https, " +
			"and serves " +
			"the page over https.",
		Do: "Have the edge fetch by https (the origin needs a certificate for that), or have the " +
			"origin serve what comes " +
			"through the edge without redirecting it.",
		Of: []Code{Loop},
	},
	TwoCarriers: {
		Name: "two-carriers",
		Means: "Two carriers send visitors to each other: one takes the apex for the canonical host, " +
			"the other the www.",
		Shows: "The loop goes between a host and its www, which are answered by different machines or " +
			"services.",
		Do: "Choose one of the two as the canonical host, and have the carrier of that one serve " +
			"the page.",
		Of: []Code{Loop},
	},
	HostNotAdded: {
		Name:  "host-not-added",
		Means: "The name points to a platform that does not know it: the host was not added there.",
		Shows: "The alias or address is the platform's; it answers with an error of its own, or with " +
			"its own certificate.",
		Do: "Add the host at the platform, and confirm there that the domain is the client's.",
		Of: []Code{DeadEnd, NotRedirected, WrongName, TLSFailed, WrongPage},
	},
	CertificateComing: {
		Name:  "certificate-coming",
		Means: "The platform's certificate for the host is still being issued.",
		Shows: "The alias is right and the host answers by http, but the certificate is for the " +
			"platform's own name; CAA " +
			"records allow a new one.",
		Do: "Wait: mostly it takes minutes, at times a day from when the records were right.",
		Of: []Code{WrongName, TLSFailed},
	},
	CertificateBarred: {
		Name:  "certificate-barred",
		Means: "CAA records keep the platform's authority from issuing a certificate for the host.",
		Shows: "The certificate is for the platform's own name, and the CAA records that hold for the " +
			"host do " +
			"not name its authority.",
		Do: "Add the platform's authority to the CAA records (RFC 8659), then have the platform try " +
			"again.",
		Of: []Code{WrongName, TLSFailed},
	},
	ParkingPage: {
		Name:  "parking-page",
		Means: "The name leads to a parking page.",
		Shows: "The page says that the domain is parked, for sale, or has just been registered.",
		Do: "Point the name at its carrier, or set up the forwarding at the registrar, and switch " +
			"the parking off.",
		Of: []Code{WrongPage, NotRedirected},
	},
	PreviousCarrier: {
		Name:  "previous-carrier",
		Means: "The address is still that of the previous carrier.",
		Shows: "A survey has seen the address at this name, and the plan leads it elsewhere.",
		Do:    "Change the record as the plan says; where that is done, wait until its TTL has passed.",
		Of: []Code{
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
		},
	},
	FrameForwarding: {
		Name:  "frame-forwarding",
		Means: "The forwarding shows the site in a frame under the old name instead of redirecting.",
		Shows: "The page holds nothing but a frame with the site.",
		Do:    "Switch the forwarding to a redirect with 301.",
		Of:    []Code{Framed},
	},
	CookieWall: {
		Name:  "cookie-wall",
		Means: "The server redirects until a cookie that it set comes back.",
		Shows: "The answers of the round set a cookie; with it, the page answers.",
		Do:    "Have the page answer without the cookie.",
		Of:    []Code{CookieLoop},
	},
	DefaultServer: {
		Name:  "default-server",
		Means: "The server does not know the name, and shows its first site instead.",
		Shows: "The certificate or the page is that of another site.",
		Do: "Add the name to that server's configuration with a certificate of its own, or point " +
			"it elsewhere.",
		Of: []Code{WrongName, WrongPage, NotRedirected},
	},
	WildcardShort: {
		Name:  "wildcard-short",
		Means: "The wildcard of the certificate stands for one label, and does not reach this name.",
		Shows: "The certificate holds *.parent; the name is the parent itself, or lies a label deeper.",
		Do:    "Get a certificate that names the host itself.",
		Of:    []Code{WrongName},
	},
}
