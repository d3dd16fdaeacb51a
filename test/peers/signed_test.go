package peers

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/survey"
)

// signedZones are zones that bind's own tools have signed, served by one bind, and a second that
// checks signatures.
type signedZones struct {
	*nameServers
	served, checking string
}

// sign makes a key for a zone and signs it from one time to another. It returns the zone's DS
// record.
func (z *signedZones) sign(zone, text, from, until string) string {
	z.write(zone+".zone", text)
	tool := func(name string, args ...string) string {
		c := exec.Command(peer(z.t, name), args...)
		c.Dir = z.dir
		out, err := c.Output()
		require.NoError(z.t, err, "%s: %s", name, out)
		return strings.TrimSpace(string(out))
	}
	key := tool("dnssec-keygen", "-a", "ECDSAP256SHA256", "-f", "KSK", zone)
	tool(
		"dnssec-signzone",
		"-P",
		"-z",
		"-x",
		"-S",
		"-o",
		zone,
		"-s",
		from,
		"-e",
		until,
		"-f",
		zone+".signed",
		zone+".zone",
	)
	return tool("dnssec-dsfromkey", "-2", key)
}

const childZone = `$TTL 600
@ IN SOA ns.example. h.example. 7 7200 3600 1209600 300
@ IN NS ns.example.
@ IN A 192.0.2.10
www IN A 192.0.2.10
hidden IN TXT "x"
`

func startSigned(t *testing.T) *signedZones {
	t.Helper()
	named := peer(t, "named")
	z := &signedZones{&nameServers{t: t, dir: t.TempDir()}, freePort(t), freePort(t)}
	when := func(d time.Duration) string { return time.Now().UTC().Add(d).Format("20060102150405") }
	const day = 24 * time.Hour
	parent := "$TTL 600\n@ IN SOA ns.example. h.example. 7 7200 3600 1209600 300\n@ IN NS ns\n" +
		"ns IN A 127.0.0.1\n"
	zones := ""
	for zone, until := range map[string]time.Duration{"sound.example": 20 * day, "stale.example": -day,
		"soon.example":  3 * day,
		"wrong.example": 20 * day} {
		ds := z.sign(zone, childZone, when(-30*day), when(until))
		if zone == "wrong.example" {
			ds = ds[:len(ds)-8] + "00000000"
		}
		parent += zone + ". IN NS ns\n" + ds + "\n"
		zones += fmt.Sprintf("zone %q { type primary; file %q; };\n", zone, zone+".signed")
	}
	anchor := strings.Fields(z.sign("example", parent, when(-30*day), when(20*day)))
	common := func(at string) string {
		_, port, _ := strings.Cut(at, ":")
		return fmt.Sprintf("directory %q; pid-file none; session-keyfile none; lock-file none; notify "+
			"no; "+
			"managed-keys-directory %[1]q; listen-on port %s { 127.0.0.1; }; listen-on-v6 { none; };", z.dir,
			port)
	}
	serving := z.write(
		"served.conf",
		fmt.Sprintf("options { %s recursion no; allow-transfer { none; }; };\ncontrols { };\n"+
			"zone \"example\" { type primary; file \"example.signed\"; };\n%s", common(z.served), zones),
	)
	_, port, _ := strings.Cut(z.served, ":")
	checking := z.write("checking.conf",
		fmt.Sprintf("options { %s recursion yes; dnssec-validation yes; forward only; "+
			"forwarders { 127.0.0.1 port %s; }; };\ncontrols { };\n"+
			"trust-anchors { example. static-ds %s %s %s %q; };\n",
			common(z.checking), port, anchor[3], anchor[4], anchor[5], strings.Join(anchor[6:], "")))
	z.start(exec.Command(named, "-g", "-c", serving), z.served)
	z.start(exec.Command(named, "-g", "-c", checking), z.checking)
	return z
}

// TestAResolverThatChecksSignaturesTellsTheCause surveys zones that bind's tools signed through a
// bind that checks them.
func TestAResolverThatChecksSignaturesTellsTheCause(t *testing.T) {
	t.Parallel() // most of it is waiting
	z := startSigned(t)
	estate := z.write("estate/upperpath.yaml", "canonical: https://www.sound.example\n"+
		"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
		"domains: [sound.example, stale.example, soon.example, wrong.example]\n")
	run := func() *survey.Survey {
		c := exec.Command(program, "survey", "--estate", estate, "--resolver", z.checking, "--timeout",
			"2s", "--forget",
			"--fail-on", "never", "--format", "json", "--allow-private", "--point",
			"ns.example:53="+z.served)
		c.Stderr = os.Stderr
		out, err := c.Output()
		require.NoError(t, err)
		var v survey.Survey
		require.NoError(t, json.Unmarshal(out, &v))
		require.Len(t, v.Domains, 4)
		return &v
	}
	var v *survey.Survey
	require.Eventually(t, func() bool { // named loads its zones a moment after it listens
		v = run()
		return len(v.Dark()) == 0 && v.Domains[0].Source == survey.Walked
	}, 20*time.Second, 300*time.Millisecond, "the zones are served")
	about := map[string]string{}
	for _, f := range v.Findings {
		for _, code := range []string{"signature-expired", "stale-ds", "no-address"} {
			if f.Code.String() == code {
				about[f.Subject] += code + " (" + string(f.Severity) + ") "
			}
		}
	}
	assert.Equal(t, map[string]string{
		"stale.example": "signature-expired (error) ",
		"soon.example":  "signature-expired (warning) ",
		"wrong.example": "stale-ds (error) ",
	}, about)
	for _, d := range v.Domains {
		assert.Equal(t, survey.Walked, d.Source, d.Name)
		assert.True(t, has(d, "hidden."+d.Name, "TXT"), d.Name)
		require.NotNil(t, d.Signing, d.Name)
		for _, s := range d.Signing.Signatures {
			assert.Empty(t, s.Fault, "%s: %s %s", d.Name, s.Name, s.Type)
		}
	}
	_, err := os.Stat(filepath.Join(z.dir, "estate", ".upperpath"))
	assert.ErrorIs(t, err, os.ErrNotExist)
	// A wait for a zone whose DS record fits no key says why it will not end: the name server has what
	// is wanted.
	estate = z.write("waits/upperpath.yaml", "canonical: https://www.sound.example\n"+
		"carriers: {g: {by: server, addresses: [192.0.2.10]}}\n"+
		"domains: [{name: wrong.example, carrier: g}]\n")
	c := exec.Command(program, "await", "--estate", estate, "--resolver", z.checking, "--step-timeout",
		"2s", "--timeout", "0s",
		"--for", "wrong.example", "--format", "json", "--allow-private", "--point",
		"ns.example:53="+z.served)
	out, err := c.Output()
	require.Error(t, err, "not all is there")
	var waits struct {
		Items []struct{ Place, State, Cause, Fix string }
	}
	require.NoError(t, json.Unmarshal(out, &waits), "%s", out)
	causes := map[string]int{}
	for _, i := range waits.Items {
		if i.Cause != "" {
			causes[i.Cause]++
			assert.Contains(t, i.Fix, "Remove the DS record")
		}
	}
	assert.Equal(t, map[string]int{"bad-signatures": 2}, causes,
		"A and AAAA at the resolver that checks: %s", out)
}
