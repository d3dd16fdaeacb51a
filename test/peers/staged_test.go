package peers

import (
	"os"
	"path/filepath"
	"regexp"
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
	for server, program := range map[string]string{"nginx": "nginx", "apache": "apache2"} {
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
