package test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The estate of the test below: hosts that lead to the previous host, to a platform that does not
// know them, and to a server of ours that does not, each by its own address and by an alias.
const causesEstate = `canonical: https://www.new.example
from: stage/stage.yaml
site: {addresses: [203.0.113.10]}
carriers:
  gateway: {by: server, addresses: [203.0.113.20]}
  platform: {by: platform, alias: sites.platform.example, certificate: after}
defaults: {carrier: gateway, mail: none}
domains:
  - {name: prev.example}
  - {name: untold.example, carrier: {apex: gateway, www: platform}}
  - {name: slip.example}
`

const causesWeb = `certificates:
  new: {names: [www.new.example]}
  old: {names: [old-host.example]}
  platform: {names: [sites.platform.example]}
addresses:
  203.0.113.10:
    80: {answers: [{to: "https://www.new.example/{+rest}"}]}
    443:
      certificates: [new]
      answers: [{page: Home, headers: {Strict-Transport-Security: max-age=31536000}}]
  203.0.113.20:
    80: {answers: [{status: 421, page: Misdirected request}]}
    443: {certificates: [new], answers: [{status: 421, page: Misdirected request}]}
  192.0.2.40:
    80: {answers: [{page: Old site}]}
    443: {certificates: [old], answers: [{page: Old site}]}
  198.51.100.60:
    80: {answers: [{status: 404, page: This domain is not connected}]}
    443: {certificates: [platform], answers: [{status: 404, page: This domain is not connected}]}
name-servers: {198.51.100.53: {}, 198.51.100.54: {zones: behind}}
`

const causesZones = `zones/example $ORIGIN example.
zones/example @ NS ns1.example.
zones/example ns1 A 198.51.100.53
zones/example ns2 A 198.51.100.54
zones/example prev NS ns1.example.
zones/example prev NS ns2.example.
zones/example untold NS ns1.example.
zones/example slip NS ns1.example.
zones/example www.new A 203.0.113.10
zones/example sites.platform A 198.51.100.60
zones/example oldhost.hoster A 192.0.2.40
zones/prev.example @ NS ns1.example.
zones/prev.example @ NS ns2.example.
zones/prev.example @ A 192.0.2.40
zones/prev.example www CNAME oldhost.hoster.example.
behind/prev.example @ NS ns1.example.
behind/prev.example @ NS ns2.example.
behind/prev.example @ A 192.0.2.40
behind/prev.example www CNAME oldhost.hoster.example.
zones/untold.example @ NS ns1.example.
zones/untold.example @ A 203.0.113.20
zones/untold.example www CNAME sites.platform.example.
zones/slip.example @ NS ns1.example.
zones/slip.example @ A 192.0.2.40
zones/slip.example www A 192.0.2.40
`

// soa is what every zone of that begins with.
const soa = "$TTL 300\n@ IN SOA ns1.example. admin.example. 1 3600 600 86400 300\n"

// TestOneCauseForOneState looks at the same web by every command, and compares the causes that they
// give for what they find at a host: one state has one cause, by address and by alias, whoever
// looks. Records that were mistyped, and a name server that is left behind, are named at the first
// look.
func TestOneCauseForOneState(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the commands are lines for a shell")
	}
	t.Parallel()
	dir := t.TempDir()
	write := func(path, text string) {
		path = filepath.Join(dir, path)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	write("upperpath.yaml", causesEstate)
	write("stage/web.yaml", causesWeb)
	zones := map[string]string{}
	for line := range strings.Lines(causesZones) {
		name, record, _ := strings.Cut(line, " ")
		zones[name] += record
	}
	for name, text := range zones {
		write("stage/"+name+".zone", soa+text)
	}
	stage := exec.Command(filepath.Join(folder, "upperpath"), "stage", "stage")
	stage.Dir, stage.Env = dir, onTheDay()
	require.NoError(t, stage.Start())
	t.Cleanup(func() { _ = stage.Process.Kill(); _ = stage.Wait() })
	require.Eventually(t, func() bool {
		info, err := os.Stat(filepath.Join(dir, "stage", "stage.yaml"))
		return err == nil && info.Size() > 0
	}, 20*time.Second, 20*time.Millisecond)

	_, code := shell(dir, "upperpath survey") // what is kept of before
	require.Contains(t, []int{0, 1}, code)
	of := map[string]map[string][]string{} // causes by door and code, and who gave them
	for _, command := range []string{
		"look prev.example untold.example slip.example", "survey --forget", "audit --doors-only --forget",
		"await --timeout 0s", "audit --doors-only", "recheck --forget",
	} {
		out, _ := shell(dir, "upperpath "+command+" --format json 2>/dev/null")
		var found any
		require.NoError(t, json.Unmarshal([]byte(out), &found), "%s: %s", command, out)
		eachFinding(found, func(host, code, cause string) {
			if of[host+" "+code] == nil {
				of[host+" "+code] = map[string][]string{}
			}
			if by := of[host+" "+code]; !slices.Contains(by[cause], command) {
				by[cause] = append(by[cause], command)
			}
		})
	}
	for at, by := range of {
		assert.Len(t, by, 1, "%s has several causes: %v", at, by)
	}
	for at, want := range map[string]string{
		"prev.example wrong-name":       "previous-carrier",
		"www.prev.example wrong-name":   "previous-carrier",
		"untold.example wrong-name":     "default-server",
		"www.untold.example wrong-name": "host-not-added",
	} {
		require.Contains(t, of, at)
		assert.Contains(t, of[at], want, at)
		assert.GreaterOrEqual(t, len(of[at][want]), 3, "%s: %v", at, of[at])
	}

	// Some of them change one name server, and slip.
	write("stage/zones/prev.example.zone",
		soa+strings.ReplaceAll(zones["zones/prev.example"], "192.0.2.40", "203.0.113.20"))
	write("stage/zones/slip.example.zone",
		soa+"@ NS ns1.example.\n@ A 203.0.113.21\nwww A 203.0.131.20\n")
	said := ""
	for range 20 { // the stage reads its zones anew when it sees that they changed
		out, _ := shell(dir, "upperpath await --timeout 0s")
		said = strings.Join(strings.Fields(out), " ")
		if strings.Contains(said, "while ns1") && strings.Contains(said, "looks like a slip") {
			break
		}
	}
	assert.Contains(t, said, "slip.example A is 203.0.113.21; that looks like a slip for 203.0.113.20")
	assert.Contains(t, said,
		"www.slip.example A is 203.0.131.20; that looks like a slip for 203.0.113.20")
	assert.Contains(t, said, "ns2.example (198.51.100.54) gives 192.0.2.40, while ns1.example "+
		"(198.51.100.53) has the new value")
}

// eachFinding goes through what a command says as data: findings with the hosts that they are
// about, and doors that are waited for.
func eachFinding(v any, each func(host, code, cause string)) {
	text := func(m map[string]any, key string) string {
		s, _ := m[key].(string)
		return s
	}
	host := func(s string) string {
		if _, rest, is := strings.Cut(s, "://"); is {
			s = rest
		}
		s, _, _ = strings.Cut(s, "/")
		return s
	}
	switch v := v.(type) {
	case []any:
		for _, one := range v {
			eachFinding(one, each)
		}
	case map[string]any:
		if code := text(v, "code"); code != "" && v["says"] != nil {
			each(host(text(v, "subject")), code, text(v, "cause"))
		}
		for _, one := range v {
			eachFinding(one, each)
		}
	}
}
