package hostile

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scarceSite is a folder with an estate of many hosts that all live at one server, and a list of
// old URLs.
func scarceSite(t *testing.T, urls int) (folder string, points []string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		_ = http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Connection", "close")
			_, _ = w.Write([]byte("here"))
		}))
	}()
	folder = t.TempDir()
	list, hosts := "url\n", make([]string, urls)
	for i := range urls {
		hosts[i] = fmt.Sprintf("h%d", i)
		list += fmt.Sprintf("http://h%d.old.example/p\n", i)
		points = append(points, "--point", fmt.Sprintf("h%d.old.example:80=%s", i, l.Addr()))
	}
	for name, text := range map[string]string{"list.csv": list,
		"upperpath.yaml": "canonical: https://www.n.example\n" +
			"site: {addresses: [203.0.113.10]}\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n" +
			"defaults: {carrier: g}\ndomains: [n.example, {name: old.example, hosts: [" +
			strings.Join(hosts, ", ") + "]}]\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
	}
	return folder, points
}

// fared runs an audit of the old URLs and counts how they fared.
func fared(t *testing.T, c *exec.Cmd) (mets map[string]int, notes string) {
	t.Helper()
	out, err := c.Output()
	require.NotNil(t, c.ProcessState, err)
	var said struct {
		Mets []struct {
			Met  string
			URLs int
		}
		Notes []string
	}
	require.NoError(t, json.Unmarshal(out, &said), string(out[:min(len(out), 2000)]))
	mets = map[string]int{}
	for _, m := range said.Mets {
		mets[m.Met] = m.URLs
	}
	return mets, strings.Join(said.Notes, " ")
}

// TestTooFewDescriptorsAreNobodysFault gives the program few descriptors: the living stay alive,
// and it says why it was slow.
func TestTooFewDescriptorsAreNobodysFault(t *testing.T) {
	for _, most := range []int{18, 24, 60} {
		folder, points := scarceSite(t, 120)
		script := fmt.Sprintf(`ulimit -n %d; exec "$0" "$@"`, most)
		c := exec.Command("sh",
			append([]string{"-c", script, program, "audit", "--old-urls", "list.csv", "--format", "json",
				"--timeout", "5s", "--per-host", "64", "--parallel", "64", "--fail-on", "never"}, points...)...)
		c.Dir = folder
		mets, notes := fared(t, c)
		assert.Equal(t, map[string]int{"not-moved": 120}, mets, most)
		assert.Contains(t, notes, "This machine opened no more than", most)
	}
}

// TestTooFewPortsAreNobodysFault runs itself again in a network of its own, in which few local
// ports are there: what was not asked is unseen, and nobody is said to take no connection.
func TestTooFewPortsAreNobodysFault(t *testing.T) {
	if os.Getenv("HOSTILE_INSIDE") == "" {
		again(t, syscall.CLONE_NEWNET)
		return
	}
	setAddress(t, "lo", "127.0.0.1")
	folder, points := scarceSite(t, 120)
	err := os.WriteFile("/proc/sys/net/ipv4/ip_local_port_range", []byte("40000 40012"), 0o600)
	if err != nil {
		t.Skipf("SKIPPED: operation not permitted: %s", err)
	}
	c := exec.Command(os.Getenv("HOSTILE_INSIDE"),
		append([]string{"audit", "--old-urls", "list.csv", "--format", "json",
			"--timeout", "1s", "--per-host", "64", "--parallel", "64", "--fail-on", "never"}, points...)...)
	c.Dir = folder
	mets, notes := fared(t, c)
	assert.Equal(t, 120, mets["not-moved"]+mets["unseen"], mets)
	assert.Positive(t, mets["not-moved"])
	if mets["unseen"] > 0 {
		assert.Contains(t, notes, "no local ports are left")
	}
}
