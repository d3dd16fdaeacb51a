package peers

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestTheRehearsalIsTheDeployment has each real server answer in its carrier's place on the stage:
// the audit there is that of the stage itself, old URLs arrive alike, and nothing is left running.
func TestTheRehearsalIsTheDeployment(t *testing.T) {
	dir := t.TempDir()
	estate := filepath.Join(dir, "museums", "upperpath.yaml")
	out, code := run(t, "", "demo", "--dir", filepath.Dir(estate))
	require.Zero(t, code, out)
	audit := func(args ...string) string {
		out, code := run(t, "", append([]string{"rehearse", "--estate", estate}, args...)...)
		require.LessOrEqual(t, code, 1, out)
		out = regexp.MustCompile(`(?m)^.*(?:At gateway,|seen from).*\n`).ReplaceAllString(out, "")
		return regexp.MustCompile(`\n\n+`).ReplaceAllString(strings.TrimSpace(out), "\n\n")
	}
	doors := audit()
	olds := audit("--old-urls", filepath.Join(dir, "museums", "old-urls.csv"))
	one := audit("--explain", "http://slatequarry.example/tours")
	for server, program := range map[string]string{"nginx": "nginx", "apache": "apache2",
		"haproxy": "haproxy", "caddy": "caddy"} {
		t.Run(server, func(t *testing.T) {
			peer(t, program)
			t.Setenv("TMPDIR", shortTemp(t))
			met, _ := run(t, "", "rehearse", "--estate", estate, "--with", server)
			assert.Contains(t, met, "At gateway, "+program+" ")
			assert.Contains(t, met, "✓ All 32 doors work.")
			assert.Equal(t, doors, audit("--with", server))
			assert.Equal(t, olds, audit("--with", server, "--old-urls",
				filepath.Join(dir, "museums", "old-urls.csv")))
			explained, code := run(t, "", "rehearse", "--estate", estate, "--with", server, "--explain",
				"http://slatequarry.example/tours")
			assert.Zero(t, code, explained)
			assert.Contains(t, explained, one[:100])
			left, err := filepath.Glob(filepath.Join(os.Getenv("TMPDIR"), "upperpath-serve-*"))
			require.NoError(t, err)
			assert.Empty(t, left, "the folders of servers that have ended")
		})
	}
}

// TestARealServerIsSaidToAnswerOnlyWhereItDid: what an edge network answers in front of it is the
// stage's own, and is called so.
func TestARealServerIsSaidToAnswerOnlyWhereItDid(t *testing.T) {
	peer(t, "nginx")
	for domains, says := range map[string][]string{
		"[n.example, {name: old.example, carrier: e}]": {"At g, nginx",
			"4 doors of g stand behind an edge network", "was not asked"},
		"[{name: n.example, carrier: e}, {name: old.example, carrier: e}]": {"No URL led to nginx",
			"what was met is the stage's own"},
	} {
		dir := t.TempDir()
		estate := filepath.Join(dir, "upperpath.yaml")
		require.NoError(t, os.WriteFile(estate, []byte("canonical: https://www.n.example\n"+
			"site: {hosts: [www.n.example], addresses: [203.0.113.10]}\ncarriers:\n"+
			"  g: {by: server, addresses: [203.0.113.20], software: nginx}\n"+
			"  e: {by: edge, addresses: [198.51.100.80], behind: g}\ndefaults: {carrier: g}\n"+
			"domains: "+domains+"\n"), 0o600))
		out, code := run(t, "", "rehearse", "--estate", estate, "--with", "nginx")
		require.LessOrEqual(t, code, 1, out)
		for _, s := range says {
			assert.Contains(t, strings.Join(strings.Fields(out), " "), s)
		}
	}
}

// TestARealServerEndsWithTheProgram kills the program while a server runs for it.
func TestARealServerEndsWithTheProgram(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("only Linux ends a program with the one that started it")
	}
	for server, binary := range map[string]string{"nginx": "nginx", "apache": "apache2",
		"haproxy": "haproxy", "caddy": "caddy"} {
		t.Run(server, func(t *testing.T) {
			peer(t, binary)
			dir := shortTemp(t)
			out, code := run(t, "", "demo", "--dir", filepath.Join(dir, "museums"))
			require.Zero(t, code, out)
			c := exec.Command(program, "rehearse", "--with", server, "--old-urls", "-", "--estate",
				filepath.Join(dir, "museums", "upperpath.yaml"))
			c.Env = append(os.Environ(), "TMPDIR="+dir)
			list, err := c.StdinPipe()
			require.NoError(t, err)
			go func() {
				for i := range 200_000 {
					fmt.Fprintf(list, "http://slatequarry.example/tours?n=%d\n", i)
				}
				_ = list.Close()
			}()
			require.NoError(t, c.Start())
			running := func() bool { return runsIn(filepath.Join(dir, "upperpath-serve-")) }
			require.Eventually(t, running, time.Minute, 10*time.Millisecond)
			require.NoError(t, c.Process.Kill())
			_ = c.Wait()
			assert.Eventually(t, func() bool { return !running() }, time.Minute, 10*time.Millisecond)
		})
	}
}

// runsIn reports whether a program runs that was started with a file whose path begins so.
func runsIn(begin string) bool {
	all, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	return slices.ContainsFunc(all, func(file string) bool {
		text, err := os.ReadFile(file)
		return err == nil && strings.Contains(string(text), begin)
	})
}

// shortTemp is a temporary folder that servers may read which give up root.
func shortTemp(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "up-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() {
		deadline := time.Now().Add(5 * time.Second)
		for os.RemoveAll(dir) != nil && time.Now().Before(deadline) { // a server may be writing still
			time.Sleep(20 * time.Millisecond)
		}
	})
	return dir
}
