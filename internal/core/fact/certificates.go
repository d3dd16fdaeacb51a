package fact

import "time"

// Facts about certificates.
type (
	CertificateOfOthers struct {
		Host        string
		Names, Also []string
	}
	CertificateEnded struct {
		Names, Also []string
		Ended       time.Time
		Ago         time.Duration
	}
	CertificateEarly struct {
		Names, Also []string
		Begins      time.Time
		In          time.Duration
	}
	CertificateRevoked struct {
		Names   []string
		Also    []string
		Issuer  string
		Revoked time.Time
	}
	CertificateUntrusted struct {
		Host, Issuer string
		Names, Also  []string
	}
	IssuerEnded struct {
		Issuer      string
		Names, Also []string
		Ended       time.Time
		Ago         time.Duration
	}
	IssuerBarsName struct {
		Host, Issuer string
		Also         []string
	}
	CertificateForOther struct {
		Host, Flawed string
		Also         []string
	}
	PathOfIssuersLong struct {
		Issuer      string
		Names, Also []string
	}
	IssuerIsNone struct {
		Issuer      string
		Names, Also []string
	}
	CertificateOfItself struct {
		Host        string
		Names, Also []string
	}
	CertificateAlone struct {
		Issuer      string
		Names, Also []string
	}
	CertificateEnding struct {
		Names, Also []string
		Ends        time.Time
		In          time.Duration
	}
	EncryptionWeak struct {
		Host       string
		Weak, Also []string
	}
	AddressAsked    struct{}
	WildcardTooWide struct{ Parent, Host string }
	ServerKnowsNot  struct {
		By          Facts
		Host, Other string
	}
	PlatformAnswers struct {
		Host, Platform string
		Status         int
	}
	CertificateNotAllowed struct {
		Platform, Host, At, Issuer string
		Issuers                    []string
	}
	CertificateOverdue struct {
		Host, Platform string
		Since          time.Time
	}
	CertificateIssued struct {
		Host, Platform string
		Allowed        Facts // what CAA records say; nil: nobody looked
		Likely         bool
		LookAt, AskAt  time.Time // zero: nobody knows the time
	}
	NoCAA     struct{}
	CAAAllows struct {
		At      string
		Issuers []string
	}
	GoodCertificate struct{}
)
