package peers

import (
	"bufio"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// listening is where a web server listens, and whom its certificates are issued by.
type listening struct {
	t           *testing.T
	http, https string
	roots       *x509.CertPool
	dial        func(network, address string) (net.Conn, error) // nil: directly
}

func newListening(t *testing.T) listening {
	t.Helper()
	return listening{t: t, http: freePort(t), https: freePort(t), roots: x509.NewCertPool()}
}

// ask sends a request line as it stands, and returns status and Location, and behind a tab what
// browsers are to remember.
func (l listening) ask(scheme, sni, host, uri string) string {
	dial := l.dial
	if dial == nil {
		dial = (&net.Dialer{Timeout: 5 * time.Second}).Dial
	}
	at := l.http
	if scheme == "https" {
		at = l.https
	}
	c, err := dial("tcp", at)
	if err == nil && scheme == "https" {
		_ = c.SetDeadline(time.Now().Add(10 * time.Second))
		secure := tls.Client(c, &tls.Config{ServerName: sni, RootCAs: l.roots})
		c, err = secure, secure.Handshake()
	}
	if err != nil {
		return "no connection: " + err.Error()
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(10 * time.Second))
	_, err = fmt.Fprintf(c, "GET %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\n\r\n", uri, host)
	require.NoError(l.t, err)
	r, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err != nil {
		return "no answer: " + err.Error()
	}
	defer r.Body.Close()
	assert.NotContains(l.t, r.Header, "Set-Cookie", "nothing that a URL holds becomes a header")
	said := strings.TrimSpace(fmt.Sprintf("%d %s", r.StatusCode, r.Header.Get("Location")))
	if all := r.Header.Values("Strict-Transport-Security"); len(all) > 0 {
		said += "\t" + strings.Join(all, " and ")
	}
	if all := r.Header.Values("Cache-Control"); len(all) > 0 && (r.StatusCode == 301 ||
		r.StatusCode == 308) {
		said += "\tremember " + strings.Join(all, " and ")
	}
	return said
}

// header gives a header of the answer to a request over http.
func (l listening) header(host, uri, name string) string {
	c, err := net.DialTimeout("tcp", l.http, 5*time.Second)
	require.NoError(l.t, err)
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(10 * time.Second))
	_, err = fmt.Fprintf(c, "GET %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\n\r\n", uri, host)
	require.NoError(l.t, err)
	r, err := http.ReadResponse(bufio.NewReader(c), nil)
	require.NoError(l.t, err)
	defer r.Body.Close()
	return r.Header.Get(name)
}
