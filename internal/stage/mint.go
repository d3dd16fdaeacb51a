package stage

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"time"
)

// Certificate says which certificate to make.
type Certificate struct {
	Names       []string
	From, Until time.Duration // from now; both zero: 30 days ago to 60 days from now
	SignedBy    Signer
	LeaveOut    bool // the intermediate certificate is not sent
	SHA1        bool // it is signed by SHA-1
	RSA         int  // it has an RSA key of so many bits; 0: an elliptic one
	Client      bool // it is for clients, not for servers
	Issuer      Issuer
}

// Issuer says what is wrong with the intermediate that issues a certificate.
type Issuer string

// What can be wrong with it.
const (
	Ended     Issuer = "ended"     // it has expired
	Elsewhere Issuer = "elsewhere" // it may issue for another domain alone
	TooDeep   Issuer = "too-deep"  // it stands below one that allows none below it
	NoIssuer  Issuer = "none"      // it may issue nothing
)

// Signer says who signs a certificate.
type Signer string

// The signers. The zero value is the stage's own authority, which its vantage trusts.
const (
	ByStage    Signer = ""
	ByItself   Signer = "itself"
	ByStranger Signer = "stranger" // an authority that nobody trusts
)

// authority is a root and an intermediate that issue the certificates of a stage.
type authority struct {
	now                 time.Time // from which certificates are counted
	root, between       *x509.Certificate
	rootKey, betweenKey *ecdsa.PrivateKey
	stranger            *x509.Certificate
	strangerKey         *ecdsa.PrivateKey
}

const day = 24 * time.Hour

func newAuthority(now time.Time) (*authority, error) {
	a := &authority{now: now}
	var err error
	if a.root, a.rootKey, err = newIssuer("Upper Path Test Root", now, nil, nil); err != nil {
		return nil, err
	}
	if a.between, a.betweenKey, err = newIssuer("Upper Path Test Authority", now, a.root,
		a.rootKey); err != nil {
		return nil, err
	}
	a.stranger, a.strangerKey, err = newIssuer("Stranger", now, nil, nil)
	return a, err
}

// newIssuer makes an issuing certificate, signed by a parent or, without one, by itself.
func newIssuer(
	name string,
	now time.Time,
	parent *x509.Certificate,
	parentKey *ecdsa.PrivateKey,
) (*x509.Certificate, *ecdsa.PrivateKey, error) {
	template := template(name, now, -3650*day, 3650*day)
	template.IsCA, template.BasicConstraintsValid = true, true
	template.KeyUsage = x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature
	return sign(template, parent, parentKey)
}

func template(name string, now time.Time, from, until time.Duration) *x509.Certificate {
	serial, _ := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 100))
	return &x509.Certificate{
		SerialNumber: serial,
		Subject:      pkix.Name{CommonName: name},
		NotBefore:    now.Add(from),
		NotAfter:     now.Add(until),
	}
}

func sign(t, parent *x509.Certificate, parentKey *ecdsa.PrivateKey) (*x509.Certificate,
	*ecdsa.PrivateKey, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, nil, fmt.Errorf("making a key: %w", err)
	}
	if parent == nil {
		parent, parentKey = t, key
	}
	c, err := signFor(t, parent, key, parentKey)
	return c, key, err
}

// signFor makes the certificate of a key.
func signFor(t, parent *x509.Certificate, key crypto.Signer,
	parentKey *ecdsa.PrivateKey) (*x509.Certificate, error) {
	der, err := x509.CreateCertificate(rand.Reader, t, parent, key.Public(), parentKey)
	if err != nil {
		return nil, fmt.Errorf("making the certificate of %s: %w", t.Subject.CommonName, err)
	}
	return x509.ParseCertificate(der)
}

// mint makes a certificate and its chain.
func (a *authority) mint(c Certificate) (*tls.Certificate, error) {
	from, until := c.From, c.Until
	if from == 0 && until == 0 {
		from, until = -30*day, 60*day
	}
	name := "no name"
	if len(c.Names) > 0 {
		name = c.Names[0]
	}
	t := template(name, a.now, from, until)
	t.KeyUsage, t.ExtKeyUsage = x509.KeyUsageDigitalSignature,
		[]x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}
	for _, n := range c.Names {
		if ip := net.ParseIP(n); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, n)
		}
	}
	var parent *x509.Certificate
	var key *ecdsa.PrivateKey
	switch c.SignedBy {
	case ByStage:
		parent, key = a.between, a.betweenKey
		t.IssuingCertificateURL = []string{"http://ca.stage.example/authority.der"}
	case ByStranger:
		parent, key = a.stranger, a.strangerKey
	}
	if c.Client {
		t.ExtKeyUsage = []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}
	}
	var between [][]byte
	if c.Issuer != "" {
		var err error
		if parent, key, between, err = a.faulty(c.Issuer); err != nil {
			return nil, err
		}
	}
	if c.SHA1 {
		t.SignatureAlgorithm = x509.ECDSAWithSHA1
	}
	leafKey, err := c.key()
	if err != nil {
		return nil, fmt.Errorf("making a key: %w", err)
	}
	if parent == nil { // it signs itself, with an elliptic key
		own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		if err != nil {
			return nil, fmt.Errorf("making a key: %w", err)
		}
		parent, key, leafKey = t, own, own
	}
	leaf, err := signFor(t, parent, leafKey, key)
	if err != nil {
		return nil, err
	}
	chain := &tls.Certificate{Certificate: [][]byte{leaf.Raw}, PrivateKey: leafKey, Leaf: leaf}
	switch {
	case between != nil:
		chain.Certificate = append(chain.Certificate, between...)
	case c.SignedBy == ByStage && !c.LeaveOut:
		chain.Certificate = append(chain.Certificate, a.between.Raw)
	}
	return chain, nil
}

// faulty makes an intermediate with something wrong, and what is sent of it.
func (a *authority) faulty(what Issuer) (*x509.Certificate, *ecdsa.PrivateKey, [][]byte, error) {
	t := template("Upper Path Faulty Authority", a.now, -3650*day, 3650*day)
	t.IsCA, t.BasicConstraintsValid, t.KeyUsage = true, true, x509.KeyUsageCertSign
	above, aboveKey := a.root, a.rootKey
	var sent [][]byte
	switch what {
	case Ended:
		t.NotAfter = a.now.Add(-2 * day)
	case Elsewhere:
		t.PermittedDNSDomains, t.PermittedDNSDomainsCritical = []string{"elsewhere.example"}, true
	case NoIssuer:
		t.IsCA, t.KeyUsage = false, x509.KeyUsageDigitalSignature
	case TooDeep:
		last := template("Upper Path Last Authority", a.now, -3650*day, 3650*day)
		last.IsCA, last.BasicConstraintsValid, last.KeyUsage = true, true, x509.KeyUsageCertSign
		last.MaxPathLenZero = true
		c, key, err := sign(last, a.root, a.rootKey)
		if err != nil {
			return nil, nil, nil, err
		}
		above, aboveKey, sent = c, key, [][]byte{c.Raw}
	}
	c, key, err := sign(t, above, aboveKey)
	if err != nil {
		return nil, nil, nil, err
	}
	return c, key, append([][]byte{c.Raw}, sent...), nil
}

func (c Certificate) key() (crypto.Signer, error) {
	if c.RSA > 0 {
		return rsa.GenerateKey(rand.Reader, c.RSA)
	}
	return ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
}

func (a *authority) pem() []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.root.Raw})
}

// Files makes a certificate of an authority of its own, for a real server on the bench: the
// certificate with its chain, its key and the authority, each as PEM.
func Files(c Certificate) (certificate, key, trust []byte, err error) {
	a, err := newAuthority(time.Now())
	if err != nil {
		return nil, nil, nil, err
	}
	certificate, key, err = a.files(c)
	return certificate, key, a.pem(), err
}

// files makes a certificate with its chain, and its key, as PEM.
func (a *authority) files(c Certificate) (certificate, key []byte, err error) {
	minted, err := a.mint(c)
	if err != nil {
		return nil, nil, err
	}
	for _, der := range minted.Certificate {
		certificate = append(certificate,
			pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})...)
	}
	der, err := x509.MarshalPKCS8PrivateKey(minted.PrivateKey)
	return certificate, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}), err
}

// mintAll makes several certificates.
func (a *authority) mintAll(all []Certificate) ([]*tls.Certificate, error) {
	made := make([]*tls.Certificate, len(all))
	for i, c := range all {
		var err error
		if made[i], err = a.mint(c); err != nil {
			return nil, err
		}
	}
	return made, nil
}
