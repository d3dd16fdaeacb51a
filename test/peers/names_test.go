package peers

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/stage"
)

// The secret of the transfer key, made up.
const secret = "dXBwZXItcGF0aC1tYWRlLXVwLXRyYW5zZmVyLWtleSE="

const zoneText = `$ORIGIN %[1]s.
$TTL 3600
@	IN	SOA	ns1.%[1]s. hostmaster.%[1]s. 2026110101 7200 3600 1209600 300
	IN	NS	ns1.%[1]s.
	IN	A	192.0.2.10
	IN	AAAA	2001:db8::10
	IN	MX	10 mx1.mail.example.
	IN	TXT	"v=spf1 include:_spf.mail.example -all"
	IN	TXT	"%[2]s" "second string; with \"quotes\" and \\ and \007"
	IN	CAA	0 issue "ca.example"
ns1	IN	A	127.0.0.1
www	300	IN	CNAME	%[1]s.
_sip._tls	IN	SRV	10 5 5061 sip.mail.example.
svc	IN	HTTPS	1 . alpn=h2
hidden	IN	A	192.0.2.99
*.wild	IN	A	192.0.2.98
xn--bnke-ira	IN	A	192.0.2.97
below	IN	NS	ns.below
ns.below	IN	A	192.0.2.77
inner	IN	NS	ns.mail.example.
inner	IN	DS	31406 13 2 6B9F3C1D0E5A47B2889D4C7F1A2E3D4C5B6A79880F1E2D3C4B5A69788F9E0D1C
`

// nameServers are real name servers: knot with an open and a keyed, signed zone, bind with the
// parent and a signed zone.
type nameServers struct {
	t          *testing.T
	dir        string
	knot, bind string // where they listen
	resolver   string
}

func startNames(t *testing.T) *nameServers {
	t.Helper()
	knotd, named := peer(t, "knotd"), peer(t, "named")
	n := &nameServers{t: t, dir: t.TempDir(), knot: freePort(t), bind: freePort(t)}
	zones := filepath.Join(n.dir, "zones")
	require.NoError(t, os.MkdirAll(zones, 0o755))
	for _, zone := range []string{"open.example", "keyed.example", "bound.example"} {
		n.write("zones/"+zone+".zone", fmt.Sprintf(zoneText, zone, strings.Repeat("long ", 45)))
	}
	n.startKnot(knotd, "knot", n.knot, zones)
	n.startBind(named, n.ds())
	n.resolver = n.startResolver()
	return n
}

func (n *nameServers) write(name, text string) string {
	path := filepath.Join(n.dir, name)
	require.NoError(n.t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(n.t, os.WriteFile(path, []byte(text), 0o644))
	return path
}

func (n *nameServers) startKnot(knotd, name, at, zones string) {
	run := filepath.Join(n.dir, name)
	require.NoError(n.t, os.MkdirAll(run, 0o755))
	config := n.write(name+".conf", fmt.Sprintf(`server:
    rundir: %[1]q
    listen: %[2]s
log:
  - target: stderr
    any: warning
database:
    storage: %[1]q
key:
  - id: transfer
    algorithm: hmac-sha256
    secret: %[3]s
acl:
  - id: anybody
    address: 127.0.0.1
    action: transfer
  - id: keyed
    key: transfer
    action: transfer
template:
  - id: default
    storage: %[4]q
    zonefile-sync: -1
    zonefile-load: difference-no-serial
    journal-content: all
zone:
  - domain: open.example
    file: open.example.zone
    acl: anybody
  - domain: keyed.example
    file: keyed.example.zone
    acl: keyed
    dnssec-signing: on
`, run, strings.Replace(at, ":", "@", 1), secret, zones))
	n.start(exec.Command(knotd, "-c", config), at)
}

// ds gives the DS record of knot's signed zone, as its own tool says it, once knot has made its
// keys: that is a moment after it listens.
func (n *nameServers) ds() string {
	tool, record := peer(n.t, "keymgr"), ""
	require.Eventually(n.t, func() bool {
		out,
			_ := exec.Command(tool, "-c", filepath.Join(n.dir, "knot.conf"), "keyed.example.", "ds").Output()
		for line := range strings.Lines(string(out)) {
			if f := strings.Fields(line); len(f) >= 6 && f[4] == "2" {
				record = "keyed IN DS " + strings.Join(f[2:], " ")
			}
		}
		return record != ""
	}, 20*time.Second, 50*time.Millisecond, "knot makes the keys of its signed zone")
	return record
}

func (n *nameServers) startBind(named, ds string) {
	n.write("parent.zone", `$ORIGIN example.
$TTL 86400
@ IN SOA a.registry.example. hostmaster.registry.example. 1 7200 3600 1209600 300
@ IN NS a.registry.example.
a.registry IN A 127.0.0.1
open IN NS ns1.open.example.
open IN DS 31406 13 2 6B9F3C1D0E5A47B2889D4C7F1A2E3D4C5B6A79880F1E2D3C4B5A69788F9E0D1C
keyed IN NS ns1.keyed.example.
bound IN NS ns1.bound.example.
ns1.open IN A 127.0.0.1
ns1.keyed IN A 127.0.0.1
ns1.bound IN A 127.0.0.1
`+ds+"\n")
	_, port, _ := strings.Cut(n.bind, ":")
	config := n.write("named.conf", fmt.Sprintf(`options {
	directory %[1]q;
	pid-file none; session-keyfile none; lock-file none;
	listen-on port %[2]s { 127.0.0.1; }; listen-on-v6 { none; };
	recursion no; dnssec-validation no; notify no; allow-transfer { any; };
	key-directory %[1]q; managed-keys-directory %[1]q;
};
controls { };
zone "example" { type primary; file "parent.zone"; };
zone "bound.example" { type primary; file "zones/bound.example.zone"; dnssec-policy default; inline-signing yes; };
`, n.dir, port))
	n.start(exec.Command(named, "-g", "-c", config), n.bind)
}

func (n *nameServers) start(c *exec.Cmd, at string) {
	var log bytes.Buffer
	c.Stdout, c.Stderr = &log, &log
	require.NoError(n.t, c.Start())
	n.t.Cleanup(func() {
		_ = c.Process.Signal(os.Interrupt)
		_ = c.Wait()
		if n.t.Failed() {
			n.t.Log(log.String())
		}
	})
	await(n.t, at)
}

// startResolver plays the world's resolvers: they know who serves what, and the aliases' targets.
func (n *nameServers) startResolver() string {
	return n.startResolverOf("open.example", "keyed.example", "bound.example")
}

// startResolverOf plays resolvers that know who serves some zones.
func (n *nameServers) startResolverOf(zones ...string) string {
	var records []dns.RR
	for _, zone := range append([]string{"example"}, zones...) {
		server := "ns1." + zone
		if zone == "example" {
			server = "a.registry.example"
		}
		rr, err := dns.NewRR(zone + ". 60 IN NS " + server + ".")
		require.NoError(n.t, err)
		records = append(records, rr)
	}
	s, err := stage.Start(
		stage.Scene{Zones: []stage.Zone{{Origin: ".", Records: records}},
			Endpoints: map[netip.AddrPort]*stage.Endpoint{}},
	)
	require.NoError(n.t, err)
	n.t.Cleanup(func() { _ = s.Close() })
	return s.Vantage().Resolvers[0]
}

// survey runs the built program on the three zones and returns what it saw.
func (n *nameServers) survey(knot string, args ...string) (*survey.Survey, string) {
	n.write(
		"estate/upperpath.yaml",
		"canonical: https://www.n.example\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
			"domains: [open.example, keyed.example, bound.example]\n",
	)
	args = append(
		[]string{
			"survey",
			"--estate",
			filepath.Join(n.dir, "estate", "upperpath.yaml"),
			"--resolver",
			n.resolver,
			"--timeout",
			"500ms",
			"--fail-on",
			"never",
			"--format",
			"json",
			"--point",
			"a.registry.example:53=" + n.bind,
			"--point",
			"ns1.bound.example:53=" + n.bind,
			"--point",
			"ns1.open.example:53=" + knot,
			"--point",
			"ns1.keyed.example:53=" + knot,
		},
		args...)
	c := exec.Command(program, args...)
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	require.NoError(n.t, c.Run(), errs.String())
	var v survey.Survey
	require.NoError(n.t, json.Unmarshal(out.Bytes(), &v))
	require.Len(n.t, v.Domains, 3)
	return &v, errs.String()
}

func codesAbout(v *survey.Survey, subject string) []string {
	var codes []string
	for _, f := range v.Findings {
		if f.Subject == subject {
			codes = append(codes, f.Code.String())
		}
	}
	return codes
}

func TestSurveyOfRealNameServers(t *testing.T) {
	n := startNames(t)
	key := n.write("key.yaml", "name: transfer\nalgorithm: hmac-sha256\nsecret: "+secret+"\n")
	require.Eventually(t, func() bool { // both sign by themselves, a moment after they start
		v, _ := n.survey(n.knot, "--key", key, "--forget")
		return has(v.Domains[1], "keyed.example", "RRSIG") && has(v.Domains[2], "bound.example", "RRSIG")
	}, 20*time.Second, 300*time.Millisecond, "the zones are signed")

	v, _ := n.survey(n.knot, "--no-transfer", "--save", filepath.Join(n.dir, "without"))
	open, keyed, bound := v.Domains[0], v.Domains[1], v.Domains[2]
	assert.Equal(t, survey.Asked, open.Source)
	assert.True(t, open.Partial)
	assert.False(t, has(open, "hidden.open.example", "A"), "a name that nobody would ask for")
	for _, d := range []survey.Domain{keyed, bound} {
		assert.Equal(t, survey.Walked, d.Source, "a zone signed with NSEC is walked from name to name")
		assert.False(t, d.Partial)
		for _, want := range []string{"hidden A", "*.wild A", "svc HTTPS", "xn--bnke-ira A", "below NS",
			"ns.below A",
			"inner NS",
			"inner DS"} {
			label, kind, _ := strings.Cut(want, " ")
			assert.True(t, has(d, label+"."+d.Name, kind), d.Name+" "+want)
		}
		assert.False(t, has(d, "lost.below."+d.Name, "TXT"),
			"what is below a delegation is not the zone's")
	}

	v, _ = n.survey(n.knot, "--forget")
	open, keyed, bound = v.Domains[0], v.Domains[1], v.Domains[2]
	assert.Equal(t, survey.Transfer, open.Source, "a transfer without a key")
	assert.True(t, has(open, "hidden.open.example", "A"), "a name that nobody would ask for")
	assert.Equal(t, []string{"wild.open.example"}, open.Wildcards)
	assert.Equal(t, survey.Transfer, bound.Source, "a transfer from bind")
	assert.Equal(t, survey.Walked, keyed.Source)
	assert.Contains(t, strings.Join(keyed.Unseen, "\n"), "gives no transfer of the zone: it refuses")
	require.NotNil(t, keyed.Signing)
	for _, s := range keyed.Signing.Signatures {
		assert.Empty(t, s.Fault, s.Name+" "+s.Type)
		assert.True(t, s.Ends.After(time.Now()))
	}
	for _, d := range v.Domains {
		require.Len(t, d.Servers, 1, d.Name)
		assert.Equal(t, survey.Answers, d.Servers[0].State, d.Name)
		assert.Equal(t, []string{"parent", "zone"}, d.Servers[0].By, d.Name)
		assert.Equal(t, "example", d.Parent.Zone)
	}
	assert.Contains(t, codesAbout(v, "open.example"), "stale-ds")
	assert.NotContains(t, codesAbout(v, "keyed.example"), "stale-ds",
		"the parent's DS fits the key of the signed zone")
	require.Len(t, keyed.Parent.DS, 1)
	assert.True(t, keyed.Parent.DS[0].Matched)

	v, _ = n.survey(n.knot, "--key", key, "--save", filepath.Join(n.dir, "saved"))
	assert.Equal(t, survey.Transfer, v.Domains[1].Source, "a transfer with a key")
	assert.True(t, has(v.Domains[1], "hidden.keyed.example", "A"))
	n.accepted(v)

	wrong := n.write("wrong.yaml",
		"name: transfer\nsecret: "+strings.Replace(secret, "d", "e", 1)+"\n")
	v, _ = n.survey(n.knot, "--key", wrong, "--forget")
	assert.Equal(t, survey.Walked, v.Domains[1].Source, "a wrong key gives no transfer")
}

func has(d survey.Domain, name, kind string) bool {
	for _, s := range d.Records {
		if s.Name == name && s.Type == kind {
			return true
		}
	}
	return false
}

// accepted has the checkers of both name servers read what was saved, loads it into a second knot,
// and surveys that: nothing differs.
func (n *nameServers) accepted(v *survey.Survey) {
	for _, d := range v.Domains {
		path := filepath.Join(n.dir, "saved", d.Name+".zone")
		out, err := exec.Command(peer(n.t, "kzonecheck"), "-o", d.Name, path).CombinedOutput()
		assert.NoError(n.t, err, "kzonecheck %s: %s", d.Name, out)
		out, err = exec.Command(peer(n.t, "named-checkzone"), "-i", "none", d.Name, path).CombinedOutput()
		assert.NoError(n.t, err, "named-checkzone %s: %s", d.Name, out)
	}
	partial, err := os.ReadFile(filepath.Join(n.dir, "without", "open.example.zone"))
	require.NoError(n.t, err)
	assert.Contains(n.t, string(partial), "; PARTIAL")
	out, err := exec.Command(peer(n.t, "kzonecheck"), "-o", "open.example",
		filepath.Join(n.dir, "without", "open.example.zone")).
		CombinedOutput()
	assert.NoError(n.t, err, "a partial picture loads too: %s", out)

	second := freePort(n.t)
	again := filepath.Join(n.dir, "again")
	require.NoError(n.t, os.MkdirAll(again, 0o755))
	for _, zone := range []string{"open.example", "keyed.example"} {
		text, err := os.ReadFile(filepath.Join(n.dir, "saved", zone+".zone"))
		require.NoError(n.t, err)
		require.NoError(n.t, os.WriteFile(filepath.Join(again, zone+".zone"), text, 0o644))
	}
	n.startKnot(peer(n.t, "knotd"), "second", second, again)
	n.survey(second)
	answer, code := run(
		n.t,
		"",
		"compare",
		"2",
		"3",
		"--estate",
		filepath.Join(n.dir, "estate", "upperpath.yaml"),
		"--format",
		"json",
		"--fail-on",
		"never",
	)
	require.Zero(n.t, code, answer)
	var c struct {
		Domains map[string][]any `json:"domains"`
	}
	require.NoError(n.t, json.Unmarshal([]byte(answer), &c))
	assert.Empty(n.t, c.Domains["open.example"], "a zone that was saved and loaded again is the same")
}

// TestZonesOfAPlanAreLoadedByRealServers plans changes and a move to other name servers, writes the
// zones, loads them into a second knot and a second bind, and has the old and the new servers
// compared.
func TestZonesOfAPlanAreLoadedByRealServers(t *testing.T) {
	n := startNames(t)
	estate := n.write("moving/upperpath.yaml", `canonical: https://www.n.example
carriers: {g: {by: server, addresses: [203.0.113.20, "2001:db8::20"]}}
domains:
  - {name: open.example, carrier: g, name-servers: ns1.knot-to.example, wanted: [{name: _long, type: TXT, value: "`+strings.Repeat("piece ", 60)+`"}]}
  - {name: bound.example, carrier: g, name-servers: ns1.bind-to.example}
`)
	second, third := freePort(t), freePort(t)
	survey := func(args ...string) {
		out, code := run(
			t,
			"",
			append([]string{"survey", "--estate", estate, "--resolver", n.resolver, "--timeout", "500ms",
				"--fail-on", "never",
				"--point", "a.registry.example:53=" + n.bind, "--point", "ns1.bound.example:53=" + n.bind,
				"--point",
				"ns1.open.example:53=" + n.knot}, args...)...)
		require.Zero(t, code, out)
	}
	plan := func() string {
		out, _ := run(t, "", "plan", "--all", "--estate", estate)
		return strings.Join(strings.Fields(out), " ") // lines are wrapped
	}
	planned := filepath.Join(n.dir, "planned")
	require.Eventually(t, func() bool { // both load and sign their zones a moment after they listen
		survey()
		out, _ := run(t, "", "write", "zone", "--estate", estate, "--out", planned)
		return strings.Contains(out, "open.example.zone") &&
			strings.Contains(out, "bound.example.zone") &&
			!strings.Contains(out, "PARTIAL")
	}, 20*time.Second, 300*time.Millisecond, "both zones are seen whole")
	assert.Contains(t, plan(), "does not answer for open.example: its name leads to no address")

	for _, zone := range []string{"open.example", "bound.example"} {
		path := filepath.Join(planned, zone+".zone")
		said, err := exec.Command(peer(t, "kzonecheck"), "-o", zone, path).CombinedOutput()
		assert.NoError(t, err, "kzonecheck %s: %s", zone, said)
		said, err = exec.Command(peer(t, "named-checkzone"), "-i", "none", zone, path).CombinedOutput()
		assert.NoError(t, err, "named-checkzone %s: %s", zone, said)
	}
	for _, zone := range []string{"keyed.example"} { // the second knot is set up for it too
		text, err := os.ReadFile(filepath.Join(n.dir, "zones", zone+".zone"))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(planned, zone+".zone"), text, 0o644))
	}
	n.startKnot(peer(t, "knotd"), "second", second, planned)
	_, port, _ := strings.Cut(third, ":")
	config := n.write(
		"third.conf",
		fmt.Sprintf(
			`options { directory %[1]q; pid-file none; session-keyfile none; lock-file none; listen-on port %[2]s { 127.0.0.1; }; listen-on-v6 { none; };
	recursion no; notify no; allow-transfer { none; }; key-directory %[1]q; managed-keys-directory %[1]q; };
controls { };
zone "bound.example" { type primary; file %[3]q; };
`,
			n.dir,
			port,
			filepath.Join(planned, "bound.example.zone"),
		),
	)
	n.start(exec.Command(peer(t, "named"), "-g", "-c", config), third)

	to := []string{"--point", "ns1.knot-to.example:53=" + second, "--point",
		"ns1.bind-to.example:53=" + third}
	require.Eventually(t, func() bool { // both load their zones a moment after they listen
		survey(to...)
		return strings.Count(plan(), "(ready: the next name servers give every answer)") == 2
	}, 20*time.Second, 300*time.Millisecond, "what was written and loaded is what the plan wants")

	n.write(
		"planned/open.example.zone",
		fmt.Sprintf(strings.Replace(zoneText, "\tIN\tMX\t10 mx1.mail.example.\n", "", 1), "open.example",
			"x"),
	)
	fourth := freePort(t)
	n.startKnot(peer(t, "knotd"), "fourth", fourth, planned)
	require.Eventually(t, func() bool {
		survey("--point", "ns1.knot-to.example:53="+fourth, to[2], to[3])
		said := plan()
		return strings.Contains(said, "✗ mail-lost ") && strings.Contains(said, "✗ zone-differs ")
	}, 20*time.Second, 300*time.Millisecond, "what was not copied is found")
}
