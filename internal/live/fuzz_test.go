package live

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

// FuzzRegistration reads what a registry may send.
func FuzzRegistration(f *testing.F) {
	f.Add([]byte(`{"status":["active"],"events":[{"eventAction":"expiration","eventDate":"2027-03-01T00:00:00Z"}],
		"nameservers":[{"ldhName":"NS1.X.example."}],"entities":[{"roles":["registrar"],"vcardArray":["vcard",[["fn",{},"text","R"]]]}]}`))
	f.Add(
		[]byte(
			`{"entities":[{"roles":["registrar"],"vcardArray":["vcard",[[],["fn"],["fn",1,2,3],["fn",{},"text",null]]]}]}`,
		),
	)
	f.Add([]byte(`[[[[`))
	f.Fuzz(func(t *testing.T, body []byte) {
		r, err := readRegistration("https://rdap.example", body)
		require.True(t, (r == nil) != (err == nil))
	})
}

// FuzzBootstrap reads a registry's bootstrap file.
func FuzzBootstrap(f *testing.F) {
	f.Add([]byte(`{"services":[[["example"],["http://a.example/","https://b.example/"]]]}`))
	f.Add([]byte(`{"services":[[],[[],[]],[["x"],[]],[["x"],["y"],["z"]]]}`))
	path := filepath.Join(f.TempDir(), "dns.json")
	f.Fuzz(func(t *testing.T, text []byte) {
		require.NoError(t, os.WriteFile(path, text, 0o600))
		if r, err := ReadBootstrap(path); err == nil {
			_ = r.base("a.b.example")
		}
	})
}

// selfSigned makes a certificate.
func selfSigned(f *testing.F, names ...string) []byte {
	f.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(f, err)
	c := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "x\n\x1b[2J"},
		DNSNames:  names,
		NotBefore: time.Unix(1e9, 0), NotAfter: time.Unix(2e9, 0)}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &key.PublicKey, key)
	require.NoError(f, err)
	return der
}

// FuzzRoots reads files of trusted certificates.
func FuzzRoots(f *testing.F) {
	f.Add(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: selfSigned(f, "a.example")}))
	f.Add([]byte("-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----\n-----BEGIN X"))
	path := filepath.Join(f.TempDir(), "ca.pem")
	f.Fuzz(func(t *testing.T, text []byte) {
		require.NoError(t, os.WriteFile(path, text, 0o600))
		if _, err := ReadRoots(path); err != nil {
			require.Contains(t, err.Error(), "ca.pem")
		}
	})
}

// FuzzCertificate judges whatever certificates a server may send.
func FuzzCertificate(f *testing.F) {
	f.Add(selfSigned(f, "a.example", "*.b.example"), selfSigned(f))
	f.Add(selfSigned(f, "", ".", "*", "*.*.example", "a..example"), []byte{})
	w, err := New(Vantage{Resolvers: []string{"127.0.0.1:1"}, Roots: x509.NewCertPool()})
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, first, second []byte) {
		state := &tls.ConnectionState{Version: tls.VersionTLS13}
		for _, der := range [][]byte{first, second} {
			if c, err := x509.ParseCertificate(der); err == nil {
				state.PeerCertificates = append(state.PeerCertificates, c)
			}
		}
		if len(state.PeerCertificates) == 0 {
			return
		}
		seen := w.certificate(state, web.MustParseHost("www.a.example"))
		require.NotEmpty(t, seen.Version)
		require.NotEmpty(t, seen.Faults, "nobody trusts it")
	})
}

// FuzzPoint reads points.
func FuzzPoint(f *testing.F) {
	for _, s := range []string{
		"a.example=192.0.2.1", "a.example:443=[2001:db8::1]:8443", "=", "a=b",
		"a.example:99999=1.2.3.4:0",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if p, err := ParsePoint(s); err == nil {
			require.True(t, p.Address.IsValid())
		}
	})
}
