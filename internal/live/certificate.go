package live

import (
	"bytes"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/asn1"
	"errors"
	"fmt"
	"slices"
	"strings"
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
	staple bool // it promises a stapled answer (RFC 7633)
}

// mostLife is for how long browsers take a certificate of a public authority (CA/Browser Forum
// Baseline Requirements, section 6.3.2).
const mostLife = 398 * 24 * time.Hour

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
	if slices.Contains(faults, finding.Untrusted) || slices.Contains(faults, finding.Expired) {
		w.flaw(t, state.PeerCertificates, h)
	}
	if said.staple && len(state.OCSPResponse) == 0 {
		t.Weak = append(slices.Clone(t.Weak), "it promises a stapled answer of OCSP (must-staple) and "+
			"comes without one; Firefox refuses that")
	}
	if life := leaf.NotAfter.Sub(leaf.NotBefore); life > mostLife && w.vantage.Roots == nil &&
		len(faults) == 0 {
		t.Weak = append(slices.Clone(t.Weak), fmt.Sprintf("it is valid for %d days; browsers refuse "+
			"certificates of public authorities for more than 398", int(life.Hours()/24)))
		t.Refused = true
	}
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
	c.staple = slices.ContainsFunc(sent[0].Extensions, func(e pkix.Extension) bool {
		return e.Id.Equal(tlsFeature) && bytes.Contains(e.Value, []byte{2, 1, 5})
	})
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

// tlsFeature is the extension by which a certificate promises a stapled answer: an INTEGER of 5 in
// it (RFC 7633 section 4.1).
var tlsFeature = asn1.ObjectIdentifier{1, 3, 6, 1, 5, 5, 7, 1, 24}

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
		code := distrust(sent, err)
		if code == finding.Untrusted {
			if flaw, _ := flawOf(sent, h, roots, within); flaw == chain.IssuerEnded {
				code = finding.Expired
			}
		}
		if !slices.Contains(faults, code) {
			faults = append(faults, code)
		}
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
	way := wayUp(sent)
	last := way[len(way)-1]
	if string(last.RawIssuer) != string(last.RawSubject) && len(last.IssuingCertificateURL) > 0 {
		return finding.BrokenChain
	}
	return finding.Untrusted
}

// wayUp gives the certificates from the first on, each issued by the next, as far as they were
// sent.
func wayUp(sent []*x509.Certificate) []*x509.Certificate {
	way := []*x509.Certificate{sent[0]}
	for range sent {
		last := way[len(way)-1]
		at := slices.IndexFunc(sent, func(c *x509.Certificate) bool {
			return !slices.Contains(way, c) && string(c.RawSubject) == string(last.RawIssuer) &&
				signedBy(last, c)
		})
		if at < 0 {
			break
		}
		way = append(way, sent[at])
	}
	return way
}

// signedBy reports whether a certificate bears the signature of another, whatever that one may do.
func signedBy(c, by *x509.Certificate) bool {
	return by.CheckSignature(c.SignatureAlgorithm, c.RawTBSCertificate, c.Signature) == nil
}

// flaw takes in why nobody trusts a certificate.
func (w *Client) flaw(t *chain.TLS, sent []*x509.Certificate, h web.Host) {
	now := w.Now()
	if leaf := sent[0]; now.After(leaf.NotAfter) {
		now = leaf.NotAfter
	} else if now.Before(leaf.NotBefore) {
		now = leaf.NotBefore
	}
	flaw, c := flawOf(sent, h, w.vantage.Roots, now)
	if t.Flaw = flaw; flaw == "" || flaw == chain.OfItself {
		return
	}
	t.Flawed = subject(c)
	if flaw == chain.IssuerEnded {
		t.Ended = c.NotAfter
	}
}

func subject(c *x509.Certificate) string {
	if c.Subject.CommonName != "" {
		return c.Subject.CommonName
	}
	return c.Subject.String()
}

// flawOf tells why a certificate that is not trusted is not, and of which of those that were sent
// that is said (RFC 5280 section 6.1); "" where its issuers are strangers. A flaw is one only where
// it is all that keeps a trusted authority away, or no authority was asked.
func flawOf(sent []*x509.Certificate, h web.Host, roots *x509.CertPool, now time.Time) (chain.Flaw,
	*x509.Certificate) {
	leaf, way := sent[0], wayUp(sent)
	if string(leaf.RawSubject) == string(leaf.RawIssuer) && signedBy(leaf, leaf) {
		return chain.OfItself, leaf
	}
	between := x509.NewCertPool()
	for _, c := range sent[1:] {
		between.AddCert(c)
	}
	trusted := func(at time.Time, usage x509.ExtKeyUsage) bool {
		_, err := leaf.Verify(x509.VerifyOptions{Roots: roots, Intermediates: between, CurrentTime: at,
			KeyUsages: []x509.ExtKeyUsage{usage}})
		return err == nil
	}
	if trusted(now, x509.ExtKeyUsageAny) {
		for _, c := range way {
			if !forServers(c) {
				return chain.OtherPurpose, c
			}
		}
	}
	for _, c := range way[1:] {
		if now.After(c.NotAfter) && trusted(c.NotAfter, x509.ExtKeyUsageAny) {
			return chain.IssuerEnded, c
		}
	}
	for i, c := range way[1:] {
		switch {
		case !c.BasicConstraintsValid, !c.IsCA,
			c.KeyUsage != 0 && c.KeyUsage&x509.KeyUsageCertSign == 0:
			return chain.NoIssuer, c
		case (c.MaxPathLen > 0 || c.MaxPathLenZero) && i > c.MaxPathLen:
			return chain.PathTooLong, c
		case barsName(c, h.String()):
			return chain.NameBarred, c
		}
	}
	return "", nil
}

func forServers(c *x509.Certificate) bool {
	return len(c.ExtKeyUsage)+len(c.UnknownExtKeyUsage) == 0 ||
		slices.Contains(c.ExtKeyUsage, x509.ExtKeyUsageServerAuth) ||
		slices.Contains(c.ExtKeyUsage, x509.ExtKeyUsageAny)
}

// barsName reports whether an authority may not issue for a host (RFC 5280 section 4.2.1.10).
func barsName(c *x509.Certificate, host string) bool {
	below := func(domain string) bool {
		domain = strings.ToLower(strings.TrimPrefix(domain, "."))
		return domain == "" || host == domain || strings.HasSuffix(host, "."+domain)
	}
	return len(c.PermittedDNSDomains) > 0 && !slices.ContainsFunc(c.PermittedDNSDomains, below) ||
		slices.ContainsFunc(c.ExcludedDNSDomains, below)
}
