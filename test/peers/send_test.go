package peers

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestARunbookIsSentToRealServers works a whole runbook through with the built program: what is
// records goes to the name server by UPDATE, what is not is marked by hand, and waits pass by the
// clock. Then it takes all back, the last first.
func TestARunbookIsSentToRealServers(t *testing.T) {
	eachServer(t, func(t *testing.T, u *updated) {
		u.write("upperpath.yaml", `canonical: https://www.n.example
site: {addresses: [192.0.2.9]}
carriers: {g: {by: server, addresses: [203.0.113.20]}}
defaults: {carrier: g, records-at: Here}
domains: [{name: moved.example, hosts: [shop]}]
places: {Here: {send: update, server: ns1.moved.example, key: update.key}}
`)
		var clock time.Time
		resolver := u.startResolverOf("moved.example")
		program := func(args ...string) (string, int) {
			t.Helper()
			args = append(args, "--estate", filepath.Join(u.dir, "upperpath.yaml"))
			if args[0] != "runbook" || strings.Contains(strings.Join(args, " "), "--check") {
				args = append(args, "--resolver", resolver, "--point", "ns1.moved.example:53="+u.at,
					"--point", "a.registry.example:53="+u.at, "--allow-private")
			}
			return runAt(t, clock, args...)
		}
		clock = time.Now().UTC().Truncate(time.Second)
		_, code := program("survey", "--fail-on", "never")
		require.Equal(t, 0, code)
		zone := func() (all []string) {
			for _, name := range []string{"", "www.", "shop.", "_dmarc."} {
				for _, kind := range []string{"A", "AAAA", "CNAME", "MX", "TXT"} {
					for _, v := range u.sets("", name+"moved.example", kind) {
						all = append(all, name+" "+kind+" "+v)
					}
				}
			}
			return all
		}
		before, sent := zone(), []int{}
		for round := 0; ; round++ {
			require.Less(t, round, 40)
			out, code := program("send", "--yes", "--accept-warnings", "--timeout", "0s",
				"--servers-within", "10s", "--format", "json")
			var run struct {
				Steps   []struct{ Step int }
				Stopped *struct {
					Why   string
					Step  int
					Until time.Time
				}
			}
			require.NoError(t, json.Unmarshal([]byte(out[strings.Index(out, "{"):]), &run), out)
			for _, s := range run.Steps {
				sent = append(sent, s.Step)
			}
			if run.Stopped == nil {
				require.Equal(t, 0, code, out)
				break
			}
			switch run.Stopped.Why {
			case "by-hand":
				_, code := program("runbook", "--yes", "--done", fmt.Sprint(run.Stopped.Step))
				require.LessOrEqual(t, code, 1)
			case "waits":
				clock = run.Stopped.Until.Add(time.Second)
			default:
				require.Fail(t, "it stops", out)
			}
		}
		require.GreaterOrEqual(t, len(sent), 3, "TTLs are lowered, records change, TTLs are raised")
		assert.Equal(t, []string{"3600 203.0.113.20"}, u.sets("", "moved.example", "A"))
		assert.Equal(t, []string{"600 203.0.113.20"}, u.sets("", "shop.moved.example", "A"))
		assert.Equal(t, []string{"3600 10 mx1.mail.example."}, u.sets("", "moved.example", "MX"))
		for i := len(sent) - 1; i >= 0; i-- {
			out, code := program("send", "--undo", fmt.Sprint(sent[i]), "--yes", "--accept-warnings")
			require.Equal(t, 0, code, out)
		}
		assert.Equal(t, before, zone(), "to the octet")
		log, _ := program("send", "--log", "--format", "json")
		assert.NotContains(t, log, secret)
		data, err := os.ReadFile(filepath.Join(u.dir, ".upperpath", "store.db"))
		require.NoError(t, err)
		assert.NotContains(t, string(data), secret)
	})
}
