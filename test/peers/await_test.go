package peers

import (
	"bufio"
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/stage"
)

// changing is a world of real servers that changes while the program waits: knot with a zone,
// unbound, which remembers, and nginx with a certificate.
type changing struct {
	*nameServers
	unbound, http, https string
	knotd                *exec.Cmd
	nginx                *exec.Cmd
	vantage              []string
	survey               []string // the same, with no address of a door given by hand
}

// The TTL of what changes, in seconds: long enough for unbound to be asked while it still has the
// old.
const changingTTL = 15

func (c *changing) zone(address string, serial int) {
	c.write(
		"zones/moved.example.zone",
		fmt.Sprintf("$TTL %d\n@ IN SOA ns1.moved.example. h.moved.example. %d 3600 600 86400 5\n"+
			"@ IN NS ns1\n@ IN A %s\nwww IN A %[3]s\nns1 IN A 127.0.0.1\n", changingTTL, serial, address),
	)
}

// certificates makes two, which both are trusted, and puts the one there that lacks what changes.
func (c *changing) certificates() {
	trusted := ""
	for name, names := range map[string][]string{"old": {"www.n.example", "other.example"},
		"new": {"moved.example", "www.moved.example", "www.n.example"}} {
		certificate, key, trust, err := stage.Files(stage.Certificate{Names: names})
		require.NoError(c.t, err)
		c.write(name+".pem", string(certificate)+string(key))
		trusted += string(trust)
	}
	c.write("trust.pem", trusted)
	c.exchange("old")
}

func (c *changing) exchange(name string) {
	text, err := os.ReadFile(filepath.Join(c.dir, name+".pem"))
	require.NoError(c.t, err)
	c.write("site.pem", string(text))
}

func startChanging(t *testing.T) *changing {
	t.Helper()
	knotd, unbound, nginx := peer(t, "knotd"), peer(t, "unbound"), peer(t, "nginx")
	c := &changing{nameServers: &nameServers{t: t, dir: t.TempDir(), knot: freePort(t)},
		unbound: freePort(t),
		http:    freePort(t), https: freePort(t)}
	c.write("zones/example.zone",
		"$TTL 60\n@ IN SOA a.registry.example. h.registry.example. 1 3600 600 86400 5\n"+
			"@ IN NS a.registry\na.registry IN A 127.0.0.1\nmoved IN NS ns1.moved\n"+
			"ns1.moved IN A 127.0.0.1\nwww.n IN A 192.0.2.9\n")
	c.zone("192.0.2.10", 1)
	run := filepath.Join(c.dir, "run")
	require.NoError(t, os.MkdirAll(run, 0o755))
	config := c.write(
		"knot.conf",
		fmt.Sprintf("server:\n    rundir: %[1]q\n    listen: %[2]s\ndatabase:\n    storage: %[1]q\n"+
			"template:\n  - id: default\n    storage: %[3]q\n    zonefile-sync: -1\n"+
			"zone:\n  - domain: example\n    file: example.zone\n  - domain: moved.example\n"+
			"    file: moved.example.zone\n", run,
			strings.Replace(c.knot, ":", "@", 1), filepath.Join(c.dir, "zones")),
	)
	c.knotd = exec.Command(knotd, "-c", config)
	c.start(c.knotd, c.knot)
	_, port, _ := strings.Cut(c.unbound, ":")
	stub := strings.Replace(c.knot, ":", "@", 1)
	config = c.write("unbound.conf",
		fmt.Sprintf("server:\n  interface: 127.0.0.1\n  port: %s\n  do-daemonize: no\n"+
			"  username: \"\"\n  chroot: \"\"\n  directory: %q\n  pidfile: \"\"\n  use-syslog: no\n"+
			"  do-not-query-localhost: no\n"+
			"  module-config: \"iterator\"\n  do-ip6: no\n  local-zone: \"example.\" nodefault\n"+
			"remote-control:\n  control-enable: no\n"+
			"stub-zone:\n  name: \"moved.example\"\n  stub-addr: %[3]s\nstub-zone:\n  name: \"example\"\n"+
			"  stub-addr: %[3]s\n",
			port, c.dir, stub))
	c.start(exec.Command(unbound, "-d", "-c", config), c.unbound)
	c.certificates()
	user := ""
	if os.Geteuid() == 0 {
		user = "user root;\n"
	}
	config = c.write("nginx.conf", fmt.Sprintf(`%sdaemon off;
pid %[2]s/pid;
error_log %[2]s/error.log;
events {}
http {
  access_log off;
  client_body_temp_path %[2]s/b; proxy_temp_path %[2]s/p; fastcgi_temp_path %[2]s/f; uwsgi_temp_path %[2]s/u; scgi_temp_path %[2]s/s;
  server { listen %[3]s; return 301 https://www.n.example$request_uri; }
  server { listen %[4]s ssl default_server; ssl_certificate %[2]s/site.pem; ssl_certificate_key %[2]s/site.pem;
    return 301 https://www.n.example$request_uri; }
  server { listen %[4]s ssl; server_name www.n.example; ssl_certificate %[2]s/site.pem; ssl_certificate_key %[2]s/site.pem;
    default_type text/html; return 200 "<title>Here</title>"; }
}
`, user, c.dir, c.http, c.https))
	c.nginx = exec.Command(nginx, "-p", c.dir, "-c", config, "-e", filepath.Join(c.dir, "error.log"))
	c.start(c.nginx, c.https)
	c.write("estate/upperpath.yaml",
		"canonical: https://www.n.example\nsite: {addresses: [192.0.2.9]}\n"+
			"carriers: {g: {by: server, addresses: [203.0.113.20]}}\ndefaults: {carrier: g}\n"+
			"domains: [moved.example]\n"+
			"resolvers: [\""+c.unbound+"\"]\n")
	c.vantage = []string{"--estate", filepath.Join(c.dir, "estate", "upperpath.yaml"), "--resolver",
		c.unbound, "--trust",
		filepath.Join(c.dir, "trust.pem"), "--point", "a.registry.example:53=" + c.knot, "--point",
		"ns1.moved.example:53=" + c.knot, "--allow-private"}
	c.survey = slices.Clone(c.vantage)
	for _, h := range []string{"moved.example", "www.moved.example", "www.n.example"} {
		c.vantage = append(c.vantage, "--point", h+":80="+c.http, "--point", h+":443="+c.https)
	}
	return c
}

// remember has unbound keep what it is told now.
func (c *changing) remember(names ...string) {
	for _, name := range names {
		question := new(dns.Msg)
		question.SetQuestion(dns.Fqdn(name), dns.TypeA)
		answer, err := dns.Exchange(question, c.unbound)
		require.NoError(c.t, err)
		require.NotEmpty(c.t, answer.Answer, "%s: %s", name, answer)
	}
}

// TestAwaitWaitsForRealServers changes a zone of knot and then the certificate of nginx under the
// waiting program, and looks that it says each when it is so, and not before: unbound goes on
// giving what it remembers for as long as the TTL says.
func TestAwaitWaitsForRealServers(t *testing.T) {
	t.Parallel() // most of it is waiting
	c := startChanging(t)
	survey := append([]string{"survey", "--fail-on", "never"}, c.survey...)
	_, code := run(t, "", survey...)
	require.Equal(t, 0, code)
	waiting := exec.Command(program, append([]string{"await", "--timeout", "3m"}, c.vantage...)...)
	out, err := waiting.StdoutPipe()
	require.NoError(t, err)
	var errs bytes.Buffer
	waiting.Stderr = &errs
	require.NoError(t, waiting.Start())
	t.Cleanup(func() { _ = waiting.Process.Kill() })
	lines := bufio.NewScanner(out)
	var all []string
	var changed time.Time
	exchanged := false
	at := map[string]time.Time{}
	for lines.Scan() {
		line := lines.Text()
		all = append(all, line)
		_, says, _ := strings.Cut(line, "  ")
		for _, part := range []string{"new        moved.example A at ns1",
			"new        moved.example A at resolver",
			"old        moved.example A at resolver", "other      certificate of moved.example",
			"new        certificate of moved.example"} {
			if strings.HasPrefix(says, part) {
				at[part] = time.Now()
			}
		}
		switch {
		case strings.Contains(line, "first look"):
			assert.Contains(t, line, "2 old", "the records of apex and www")
			assert.Contains(t, line, "not asked")
			c.remember("moved.example", "www.moved.example")
			c.zone("203.0.113.20", 2)
			changed = time.Now()
			require.NoError(t, c.knotd.Process.Signal(syscall.SIGHUP))
		case strings.Contains(line, "other      certificate of") && !exchanged:
			exchanged = true
			c.exchange("new")
			require.NoError(t, c.nginx.Process.Signal(syscall.SIGHUP))
		}
	}
	text := strings.Join(all, "\n")
	require.NoError(t, waiting.Wait(), "%s\n%s", text, errs.String())
	assert.Contains(t, text, "✓ All 17 are live.")
	assert.False(t,
		at["new        certificate of moved.example"].Before(
			at["other      certificate of moved.example"]))
	before, after := at["old        moved.example A at resolver"],
		at["new        moved.example A at resolver"]
	require.False(t, before.IsZero() || after.IsZero(), text)
	assert.True(
		t,
		at["new        moved.example A at ns1"].Before(before),
		"the resolver is asked once the name server has it",
	)
	assert.LessOrEqual(t, after.Sub(changed), (changingTTL+10)*time.Second,
		"it took no longer than the TTL says")
	assert.Contains(t, text, "at most ")

	// Once accepted, nothing is new, until another certificate stands there.
	recheck := func(args ...string) (string, int) {
		return run(t, "", append(append([]string{"recheck", "--forget"}, args...), c.vantage...)...)
	}
	text, code = run(t, "", append([]string{"recheck", "--accept-all"}, c.vantage...)...)
	require.Equal(t, 0, code, text)
	text, code = recheck()
	require.Equal(t, 0, code, text)
	assert.Empty(t, text)
	c.exchange("old")
	require.NoError(t, c.nginx.Process.Signal(syscall.SIGHUP))
	oneCause := regexp.MustCompile(`Another site's certificate\. [^✗]*It\s+changes`)
	if !assert.Eventually(t, func() bool { // while nginx reloads, either may answer, or both
		text, code = recheck()
		return code == 1 && oneCause.MatchString(text)
	}, 20*time.Second, 50*time.Millisecond) {
		t.Log(text)
	}
}
