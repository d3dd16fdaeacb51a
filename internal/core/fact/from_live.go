package fact

// What is found, with its facts.
type (
	TrustUnread struct {
		Why string
	}
	CertificateUnread struct {
		Why string
	}
	NoPEM struct{}
)
