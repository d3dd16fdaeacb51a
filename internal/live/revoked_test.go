package live_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/live"
)

// authority signs certificates and lists of those that it revoked.
type authority struct {
	key  *ecdsa.PrivateKey
	cert *x509.Certificate
}

func newAuthority(t *testing.T) authority {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1),
		Subject:   pkix.Name{CommonName: "Test CA"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour), IsCA: true,
		BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
		SubjectKeyId: []byte{1, 2, 3}}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	cert, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	return authority{key, cert}
}

func (a authority) certificate(t *testing.T, serial int64, lists ...string) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(serial), DNSNames: []string{"old.example"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(12 * time.Hour),
		CRLDistributionPoints: lists}
	der, err := x509.CreateCertificate(rand.Reader, template, a.cert, &key.PublicKey, a.key)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{der, a.cert.Raw}, PrivateKey: key}
}

func (a authority) list(t *testing.T, next time.Duration,
	entries ...x509.RevocationListEntry) []byte {
	t.Helper()
	der, err := x509.CreateRevocationList(rand.Reader, &x509.RevocationList{Number: big.NewInt(1),
		ThisUpdate: time.Now().Add(-2 * time.Hour), NextUpdate: time.Now().Add(next),
		RevokedCertificateEntries: entries}, a.cert, a.key)
	require.NoError(t, err)
	return der
}

// TestRevokedCertificates has certificates on lists of their issuer, and near misses: other
// numbers, lists of somebody else, old ones, none, garbage, an entry that was taken back.
func TestRevokedCertificates(t *testing.T) {
	ours, theirs := newAuthority(t), newAuthority(t)
	gone := time.Now().Add(-time.Hour).Truncate(time.Second).UTC()
	entry := func(serial int64, reason int) x509.RevocationListEntry {
		return x509.RevocationListEntry{SerialNumber: big.NewInt(serial), RevocationTime: gone,
			ReasonCode: reason}
	}
	var asked atomic.Int32
	bodies := map[string][]byte{
		"/revoked": ours.list(t, time.Hour, entry(8, 0), entry(7, 1)),
		"/others":  ours.list(t, time.Hour, entry(8, 0)),
		"/back":    ours.list(t, time.Hour, entry(7, 8)),
		"/stale":   ours.list(t, -time.Minute, entry(7, 1)),
		"/forged":  theirs.list(t, time.Hour, entry(7, 1)),
		"/garbage": []byte("no list"),
		"/large":   make([]byte, 9<<20),
	}
	lists := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		body, is := bodies[r.URL.Path]
		if !is {
			w.WriteHeader(http.StatusNotFound)
		}
		_, _ = w.Write(body)
	}))
	t.Cleanup(lists.Close)
	at := netip.MustParseAddrPort(strings.TrimPrefix(lists.URL, "http://"))
	for _, c := range []struct {
		lists   []string
		revoked bool
		unseen  bool
	}{
		{nil, false, false},
		{[]string{"http://lists.example/revoked"}, true, false},
		{[]string{"http://lists.example/others"}, false, false},
		{[]string{"http://lists.example/back"}, false, false},
		{[]string{"http://lists.example/stale"}, false, true},
		{[]string{"http://lists.example/forged"}, false, true},
		{[]string{"http://lists.example/garbage"}, false, true},
		{[]string{"http://lists.example/large"}, false, true},
		{[]string{"http://lists.example/nothing"}, false, true},
		{[]string{"http://lists.example/nothing", "http://lists.example/revoked"}, true, true},
		{[]string{"https://lists.example/revoked"}, false, true},
		{[]string{"ldap://lists.example/revoked"}, false, true},
		{[]string{"http://nobody.invalid/revoked"}, false, true},
	} {
		server := httptest.NewUnstartedServer(http.HandlerFunc(
			func(w http.ResponseWriter, r *http.Request) { _, _ = w.Write([]byte("hello")) }))
		server.TLS = &tls.Config{Certificates: []tls.Certificate{ours.certificate(t, 7, c.lists...)}}
		server.Listener.Close()
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		server.Listener = listener
		server.StartTLS()
		door := netip.MustParseAddrPort(listener.Addr().String())
		roots := x509.NewCertPool()
		roots.AddCert(ours.cert)
		w, err := live.New(live.Vantage{Roots: roots, Timeout: 5 * time.Second, Points: []live.Point{
			{Host: web.MustParseHost("old.example"), Address: door.Addr(), To: door.Port()},
			{Host: web.MustParseHost("lists.example"), Address: at.Addr(), To: at.Port()}}})
		require.NoError(t, err)
		before := asked.Load()
		for range 3 {
			a := w.Answer(t.Context(), chain.Ask{URL: web.MustParseURL("https://old.example/")})
			require.Empty(t, a.Refusal, a.Detail)
			require.NotNil(t, a.TLS)
			if c.revoked {
				assert.Equal(t, []finding.Code{finding.Revoked}, a.TLS.Faults, "%v", c.lists)
				assert.Equal(t, gone, a.TLS.Revoked)
			} else {
				assert.Empty(t, a.TLS.Faults, "%v", c.lists)
			}
		}
		assert.LessOrEqual(t, asked.Load()-before, int32(2), "a list is asked for once")
		notes := strings.Join(w.Notes(), "\n")
		assert.Equal(t, c.unseen, strings.Contains(notes, "Lists of revoked certificates"), "%v: %s",
			c.lists, notes)
		w.Close()
		server.Close()
	}
}
