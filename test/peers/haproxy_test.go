package peers

import (
	"bytes"
	"crypto/tls"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/proxy"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/stage"
)

// haproxy is a real HAProxy that carries the doors of one carrier of an estate.
type haproxy struct{ listening }

// startHAProxy writes the configuration with the built program, has HAProxy check it, and starts
// HAProxy on it.
func startHAProxy(t *testing.T, estate string, more ...string) *haproxy {
	t.Helper()
	binary := peer(t, "haproxy")
	dir := plainTemp(t)
	h := &haproxy{newListening(t)}
	certificates := filepath.Join(dir, "certificates")
	h.certified(estate, certificates)
	conf := filepath.Join(dir, "conf")
	out, code := run(t, "", append([]string{"write", "haproxy", "--estate", estate, "--out", conf,
		"--place", conf, "--certificates", certificates, "--listen", "http=" + h.http,
		"--listen", "https=" + h.https}, more...)...)
	require.Contains(t, []int{0, 1}, code, out)
	require.NotContains(t, out, "nothing is written")
	main := filepath.Join(dir, "main.cfg")
	require.NoError(t, os.WriteFile(main, []byte("global\n    maxconn 1000\n"), 0o644))
	args := []string{"-f", main, "-f", filepath.Join(conf, "haproxy.cfg")}
	check, err := exec.Command(binary, append(args, "-c")...).CombinedOutput()
	require.NoError(t, err, string(check))
	require.NotContains(t, string(check), "WARNING", "HAProxy has nothing to say against it")
	serve(t, exec.Command(binary, append(args, "-db")...))
	await(t, h.http)
	return h
}

// plainTemp is a folder whose name is plain: HAProxy reads no # in it, which t.TempDir may have.
func plainTemp(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "upperpath-peer-")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	return dir
}

// serve runs a server until the test ends, and says what it said where that fails.
func serve(t *testing.T, server *exec.Cmd) {
	t.Helper()
	var said bytes.Buffer
	server.Stdout, server.Stderr = &said, &said
	require.NoError(t, server.Start())
	t.Cleanup(func() {
		_ = server.Process.Signal(os.Interrupt)
		_ = server.Wait()
		if t.Failed() {
			t.Log(said.String()[max(0, said.Len()-1000):])
		}
	})
}

// certified puts a certificate for every name of an estate into a folder, as each server reads it.
func (l *listening) certified(estate, folder string) {
	e, err := files.ReadEstate(estate)
	require.NoError(l.t, err)
	p := plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules})
	var names []string
	for _, c := range p.Certificates {
		names = append(names, c.Names...)
	}
	certificate, key, trust, err := stage.Files(stage.Certificate{Names: names})
	require.NoError(l.t, err)
	l.roots.AppendCertsFromPEM(trust)
	require.NoError(l.t, os.MkdirAll(folder, 0o755))
	for _, d := range p.Domains() {
		for ending, text := range map[string][]byte{".crt": certificate, ".key": key,
			".pem": append(append([]byte{}, certificate...), key...)} {
			require.NoError(l.t,
				os.WriteFile(filepath.Join(folder, d.Name.String()+ending), text, 0o600))
		}
	}
}

// refuses tells what the file says that is refused: what HAProxy takes for no URL, and many ".." in
// a row.
func (h *haproxy) refuses(uri string) bool {
	path, _, _ := strings.Cut(uri, "?")
	return strings.Contains(uri, "#") || strings.Count(web.Decode(path), "..") > 4
}

func (h *haproxy) normal(answer string) string { return answer }

// TestHAProxyBesideAFrontendOfYourOwn puts the lines that the file has for it into a frontend that
// listens already: it answers its own hosts as before.
func TestHAProxyBesideAFrontendOfYourOwn(t *testing.T) {
	binary := peer(t, "haproxy")
	dir := plainTemp(t)
	estate := filepath.Join(dir, "upperpath.yaml")
	require.NoError(t, os.WriteFile(estate, []byte("canonical: https://www.n.example\n"+
		"carriers: {g: {by: server, addresses: [203.0.113.20], software: haproxy}}\n"+
		"domains: [old.example]\n"), 0o644))
	out, code := run(t, "", "write", "haproxy", "--estate", estate, "--out", dir, "--place", dir,
		"--beside")
	require.Zero(t, code, out)
	text, err := os.ReadFile(filepath.Join(dir, "haproxy.cfg"))
	require.NoError(t, err)
	l := newListening(t)
	main := "defaults\n    mode http\n    timeout client 5s\n    timeout server 5s\n" +
		"    timeout connect 5s\n" +
		"frontend mine\n    bind " + l.http + "\n"
	for line := range strings.Lines(string(text)) {
		if strings.HasPrefix(line, "#http-request ") || strings.HasPrefix(line, "#use_backend ") {
			main += "    " + line[1:]
		}
	}
	main += "    default_backend shop\nbackend shop\n    http-request return status 200\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "main.cfg"), []byte(main), 0o644))
	serve(t, exec.Command(binary, "-db", "-f", filepath.Join(dir, "main.cfg"), "-f",
		filepath.Join(dir, "haproxy.cfg")))
	await(t, l.http)
	require.Equal(t, "301 https://www.n.example/a?b",
		l.ask("http", "", "old.example", "/a?b"))
	require.Equal(t, "301 https://www.n.example/", l.ask("http", "", "WWW.old.example.:80", "/"))
	require.Equal(t, "200", l.ask("http", "", "shop.example", "/a/../b"))
}

// staged is the stage itself, which plays the doors of an estate's carriers as they are predicted.
type staged struct{ listening }

func startStage(t *testing.T, estate string) *staged {
	t.Helper()
	e, err := files.ReadEstate(estate)
	require.NoError(t, err)
	scene, err := stage.FromPlan(plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules,
		SiteRules: e.SiteRules, Pages: e.Pages}))
	require.NoError(t, err)
	s, err := stage.Start(scene)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	l := newListening(t)
	l.roots.AppendCertsFromPEM(s.Trust())
	l.http, l.https = "203.0.113.20:80", "203.0.113.20:443"
	dialer, err := proxy.SOCKS5("tcp", s.Vantage().Proxy, nil, proxy.Direct)
	require.NoError(t, err)
	l.dial = dialer.Dial
	return &staged{listening: l}
}

// refuses tells what is no request to the stage's web server: a percent sign that starts no escape,
// and a #.
func (s *staged) refuses(uri string) bool { return strings.Contains(uri, "#") || hasOddEscape(uri) }

func (s *staged) normal(answer string) string { return answer }

// TestWhatAServerAnswersBesideRules asks the four servers for what certificates are renewed by,
// for hosts that are not in their files, and for HTTP/2.
func TestWhatAServerAnswersBesideRules(t *testing.T) {
	dir := plainTemp(t)
	estate := filepath.Join(dir, "upperpath.yaml")
	require.NoError(t, os.WriteFile(estate, []byte("canonical: https://www.n.example\n"+
		"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
		"domains: [old.example, {name: other.example, hosts: [\"*\"]}]\n"), 0o644))
	const token = "/.well-known/acme-challenge/token"
	file := filepath.Join(dir, "challenges", filepath.FromSlash(token))
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, []byte("proof"), 0o644))
	renews := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "challenges"))))
	defer renews.Close()
	for name, start := range map[string]func() listening{
		"haproxy": func() listening {
			return startHAProxy(t, estate, "--challenges", renews.Listener.Addr().String()).listening
		},
		"caddy": func() listening {
			return startCaddy(t, estate, "--challenges", filepath.Join(dir, "challenges")).listening
		},
		"nginx":  func() listening { return startNginx(t, estate).listening },
		"apache": func() listening { return startApacheOn(t, estate, false).listening },
	} {
		t.Run(name, func(t *testing.T) {
			l := start()
			require.Equal(t, "200", l.ask("http", "", "old.example", token))
			require.Equal(t, "404", l.ask("http", "", "old.example", token+"s"))
			require.Equal(t, "301 https://www.n.example"+token,
				l.ask("https", "old.example", "old.example", token))
			require.Equal(t, "301 https://www.n.example/x?a",
				l.ask("http", "", "any.other.example", "/x?a"))
			below := l.ask("http", "", "a.b.other.example", "/")
			if name == "caddy" { // whose file says that it cannot
				require.Equal(t, "421", below)
			} else {
				require.Equal(t, "301 https://www.n.example/", below)
			}
			require.Equal(t, "421", l.ask("http", "", "unknown.example", "/"))
			require.Equal(t, "421", l.ask("http", "", "unknown.example", token))
			require.Equal(t, "421", l.ask("https", "old.example", "unknown.example", "/"))
			require.Contains(t, l.ask("https", "unknown.example", "old.example", "/"), "no connection")
			c, err := tls.Dial("tcp", l.https, &tls.Config{ServerName: "old.example", RootCAs: l.roots,
				NextProtos: []string{"h2"}})
			require.NoError(t, err)
			require.Equal(t, "h2", c.ConnectionState().NegotiatedProtocol)
			require.NoError(t, c.Close())
		})
	}
}
