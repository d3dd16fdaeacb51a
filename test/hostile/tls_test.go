package hostile

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"io"
	"math/big"
	"net"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// site is an https server that misbehaves as its fields say.
type site struct {
	Silent bool   // it takes the connection, and says nothing
	Sends  string // this instead of TLS
	Name   string // the names of its certificate, and of its issuer
	Chain  int    // so many certificates are sent behind its own
	Drips  bool   // its handshake comes an octet at a time, and never ends
	Body   func(io.Writer)
}

// start starts the server, and gives its address.
func (s *site) start(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	over := make(chan struct{})
	t.Cleanup(func() {
		close(over)
		_ = l.Close()
	})
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{
		SerialNumber: big.NewInt(1),
		Subject:      pkix.Name{CommonName: s.Name, Organization: []string{s.Name}},
		NotBefore:    time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
	}
	if s.Name == "" {
		template.DNSNames = []string{"old.example"}
	}
	own, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	certificate := tls.Certificate{Certificate: [][]byte{own}, PrivateKey: key}
	for range s.Chain {
		certificate.Certificate = append(certificate.Certificate, own)
	}
	config := &tls.Config{Certificates: []tls.Certificate{certificate}}
	go accept(l, func(c net.Conn) {
		switch {
		case s.Silent:
			<-over
			return
		case s.Sends != "":
			_, _ = io.WriteString(c, s.Sends)
			_, _ = io.Copy(io.Discard, c)
			return
		case s.Drips:
			for _, octet := range append([]byte{22, 3, 3, 0x3f, 0xff}, make([]byte, 16_000)...) {
				if _, err := c.Write([]byte{octet}); err != nil {
					return
				}
				time.Sleep(20 * time.Millisecond)
			}
			return
		}
		secure := tls.Server(c, config)
		_ = secure.SetDeadline(time.Now().Add(time.Minute))
		_, _ = secure.Read(make([]byte, 4096))
		if s.Body != nil {
			s.Body(secure)
			return
		}
		_, _ = io.WriteString(secure, "HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 0\r\n\r\n")
		_ = secure.Close()
	})
	return l.Addr().String()
}

const evil = "x\nFORGED: all is well\r\x1b[2J\u009b31m\u202eFORGED <script>|"

func TestServersThatSpeakNoTLSEnd(t *testing.T) {
	flood := strings.Repeat("x", 1<<20)
	for name, s := range map[string]*site{
		"silent":         {Silent: true},
		"garbage":        {Sends: "\x16\x03\x03\xff\xff" + flood},
		"plain":          {Sends: "HTTP/1.1 200 OK\r\n\r\n"},
		"dripping":       {Drips: true},
		"a long chain":   {Chain: 60},
		"too long chain": {Chain: 2_000},
		"hostile names":  {Name: evil},
		"headers without end": {Body: func(w io.Writer) {
			_, err := io.WriteString(w, "HTTP/1.1 200 OK\r\n")
			for err == nil {
				_, err = io.WriteString(w, "X: "+flood+"\r\n")
			}
		}},
		"a body without end": {Body: func(w io.Writer) {
			_, err := io.WriteString(w, "HTTP/1.1 200 OK\r\n\r\n")
			for err == nil {
				_, err = io.WriteString(w, flood)
			}
		}},
		"a body that drips": {Body: func(w io.Writer) {
			_, err := io.WriteString(w, "HTTP/1.1 200 OK\r\nContent-Length: 1000000\r\n\r\n")
			for err == nil {
				time.Sleep(20 * time.Millisecond)
				_, err = io.WriteString(w, "x")
			}
		}},
		"interim answers without end": {Body: func(w io.Writer) {
			var err error
			for err == nil {
				_, err = io.WriteString(w, "HTTP/1.1 103 Early Hints\r\nX: y\r\n\r\n")
			}
		}},
		"hostile headers": {Body: func(w io.Writer) {
			_,
				_ = io.WriteString(w,
				"HTTP/1.1 301 Moved\r\nConnection: close\r\nContent-Length: 0\r\nLocation: "+
					"/\x1b[2J\xc2\x9b31m\xe2\x80\xaeFORGED\r\n\r\n")
		}},
		"a hostile status": {Body: func(w io.Writer) {
			_, _ = io.WriteString(w, "HTTP/1.1 999999999999 \x1b[2JFORGED\r\n\r\n")
		}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			at := s.start(t)
			for _, format := range []string{"text", "json", "csv", "md"} {
				began := time.Now()
				c := exec.Command(program, "look", "https://"+at+"/", "--timeout", "500ms", "--format", format)
				said, _ := c.CombinedOutput()
				assert.LessOrEqual(t, c.ProcessState.ExitCode(), 1, string(said))
				assert.Less(t, time.Since(began), 30*time.Second)
				assertPeak(t, peakOf(c.ProcessState), 150<<20)
				for _, r := range []string{"\x1b", "\r", "\u009b", "\u202e", "\nFORGED", "<script>|"} {
					if r != "<script>|" || format == "md" {
						assert.NotContains(t, string(said), r, format)
					}
				}
			}
		})
	}
}
