package live

import (
	"crypto/rsa"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

type judgedKey struct {
	sum  [sha256.Size]byte
	host web.Host
}

// certified is what a certificate says, for all who are shown it.
type certified struct {
	names  []string
	issuer string
	weak   []string // in words
	sha1   bool
}

// certificate gives the facts of a TLS connection and of the certificate shown for a host.
func (w *Client) certificate(state *tls.ConnectionState, h web.Host) *chain.TLS {
	t := &chain.TLS{
		Version: tls.VersionName(state.Version),
		ALPN:    state.NegotiatedProtocol,
		Names:   []string{},
		Faults:  []finding.Code{},
	}
	if len(state.PeerCertificates) == 0 {
		return t
	}
	leaf := state.PeerCertificates[0]
	t.NotBefore, t.NotAfter = leaf.NotBefore, leaf.NotAfter
	key := judgedKey{sha256.Sum256(leaf.Raw), h}
	w.lock.Lock()
	faults, known := w.judged[key]
	said, heard := w.said[key.sum]
	if !heard {
		if said = read(state.PeerCertificates); len(w.said) >= mostKnown {
			clear(w.said)
		}
		w.said[key.sum] = said
	}
	w.lock.Unlock()
	// the same for all who are shown it: some name hundreds
	t.Names, t.Issuer = said.names, said.issuer
	if !known {
		faults = certificateFaults(state.PeerCertificates, h, w.vantage.Roots, w.Now())
		w.lock.Lock()
		if len(w.judged) >= mostKnown {
			clear(w.judged)
		}
		w.judged[key] = faults
		w.lock.Unlock()
	}
	t.Faults, t.Weak, t.Refused = faults, said.weak, said.sha1
	if state.Version < tls.VersionTLS12 {
		t.Weak = append(
			slices.Clone(t.Weak),
			fmt.Sprintf("it offers nothing newer than %s, which browsers refuse", t.Version),
		)
		t.Refused = true
	}
	if len(t.Weak) > 0 {
		t.Faults = slices.DeleteFunc(slices.Clone(t.Faults), func(c finding.Code) bool {
			return c == finding.ExpiresSoon
		})
		t.Faults = append(t.Faults, finding.WeakCertificate)
	}
	return t
}

// leastRSA is how long an RSA key has to be, in bits (CA/Browser Forum Baseline Requirements,
// section 6.1.5).
const leastRSA = 2048

// read takes from certificates what the first says, and in what they are weak.
func read(sent []*x509.Certificate) certified {
	c := certified{names: names(sent[0]), issuer: issuer(sent[0])}
	for i, s := range sent {
		whose := "its certificate"
		if i > 0 {
			whose = "that of its issuer"
		}
		root := string(s.RawSubject) == string(s.RawIssuer) && i > 0 // trusted or not for itself
		switch s.SignatureAlgorithm {
		case x509.SHA1WithRSA, x509.DSAWithSHA1, x509.ECDSAWithSHA1, x509.MD5WithRSA:
			if !root {
				c.weak = append(c.weak,
					fmt.Sprintf("%s is signed by %s, which browsers refuse", whose, s.SignatureAlgorithm))
				c.sha1 = true
			}
		}
		if key, is := s.PublicKey.(*rsa.PublicKey); is && key.N.BitLen() < leastRSA {
			c.weak = append(c.weak,
				fmt.Sprintf("%s has an RSA key of %d bits; the minimum is 2048", whose, key.N.BitLen()))
		}
	}
	return c
}

func names(c *x509.Certificate) []string {
	all := append([]string{}, c.DNSNames...)
	for _, ip := range c.IPAddresses {
		all = append(all, ip.String())
	}
	return all
}

func issuer(c *x509.Certificate) string {
	for _, s := range append([]string{c.Issuer.CommonName}, c.Issuer.Organization...) {
		if s != "" {
			return s
		}
	}
	return c.Issuer.String()
}

// certificateFaults gives the codes of all that a browser would object to (RFC 5280 section 6, RFC
// 9525 for names), and expires-soon. Trust is judged at a time within the certificate's life, so
// that its end does not hide its issuer.
func certificateFaults(sent []*x509.Certificate, h web.Host, roots *x509.CertPool,
	now time.Time) []finding.Code {
	leaf := sent[0]
	faults := []finding.Code{}
	if leaf.VerifyHostname(h.String()) != nil {
		faults = append(faults, finding.WrongName)
	}
	within := now
	switch {
	case now.After(leaf.NotAfter):
		faults = append(faults, finding.Expired)
		within = leaf.NotAfter
	case now.Before(leaf.NotBefore):
		faults = append(faults, finding.NotYetValid)
		within = leaf.NotBefore
	}
	between := x509.NewCertPool()
	for _, c := range sent[1:] {
		between.AddCert(c)
	}
	_, err := leaf.Verify(x509.VerifyOptions{Roots: roots, Intermediates: between,
		CurrentTime: within})
	// nobody checks a signature that is worth nothing
	if err != nil && !(read(sent).sha1 && isUnknown(err)) {
		faults = append(faults, distrust(sent, err))
	}
	life, left := leaf.NotAfter.Sub(leaf.NotBefore), leaf.NotAfter.Sub(now)
	if len(faults) == 0 && left < 21*24*time.Hour && left < life/3 {
		faults = append(faults, finding.ExpiresSoon)
	}
	return faults
}

func isUnknown(err error) bool {
	var unknown x509.UnknownAuthorityError
	var weak x509.InsecureAlgorithmError
	return errors.As(err, &unknown) || errors.As(err, &weak)
}

// distrust tells a chain with a missing link from one that leads to nobody: the last certificate
// that can be reached by going from issuer to issuer through what was sent either says where its
// own issuer can be had (RFC 5280 section 4.2.2.1) or does not.
func distrust(sent []*x509.Certificate, err error) finding.Code {
	var unknown x509.UnknownAuthorityError
	if !errors.As(err, &unknown) {
		return finding.Untrusted
	}
	last := sent[0]
	for range sent {
		for _, c := range sent {
			if c != last && string(c.RawSubject) == string(last.RawIssuer) &&
				last.CheckSignatureFrom(c) == nil {
				last = c
				break
			}
		}
	}
	if string(last.RawIssuer) != string(last.RawSubject) && len(last.IssuingCertificateURL) > 0 {
		return finding.BrokenChain
	}
	return finding.Untrusted
}
