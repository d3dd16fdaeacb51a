package peers

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

// caddy is a real Caddy that carries the doors of one carrier of an estate.
type caddy struct{ listening }

// startCaddy writes the configuration with the built program, has Caddy check it, and starts Caddy
// on it.
func startCaddy(t *testing.T, estate string, more ...string) *caddy {
	t.Helper()
	binary := peer(t, "caddy")
	dir := plainTemp(t)
	c := &caddy{newListening(t)}
	certificates := filepath.Join(dir, "certificates")
	c.certified(estate, certificates)
	conf := filepath.Join(dir, "conf")
	out, code := run(t, "", append([]string{"write", "caddy", "--estate", estate, "--out", conf,
		"--place", conf, "--certificates", certificates, "--listen", "http=" + c.http,
		"--listen", "https=" + c.https}, more...)...)
	require.Contains(t, []int{0, 1}, code, out)
	require.NotContains(t, out, "nothing is written")
	main := filepath.Join(dir, "Caddyfile")
	require.NoError(t, os.WriteFile(main, fmt.Appendf(nil,
		"{\n\tadmin off\n\tstorage file_system %s\n}\nimport %s/caddy.conf\n", dir, conf), 0o644))
	args := []string{"--config", main, "--adapter", "caddyfile"}
	check, err := exec.Command(binary, append([]string{"validate"}, args...)...).CombinedOutput()
	require.NoError(t, err, string(check))
	serve(t, exec.Command(binary, append([]string{"run"}, args...)...))
	await(t, c.http)
	if text, err := os.ReadFile(filepath.Join(conf, "caddy.conf")); assert.NoError(t, err) &&
		strings.Contains(string(text), "\nhttps://") {
		await(t, c.https)
	}
	return c
}

// refuses tells what the file says that Caddy refuses, dot segments and a percent sign that starts
// no escape, and what it says that is written in normal form.
func (c *caddy) refuses(uri string) bool {
	path, _, _ := strings.Cut(uri, "?")
	return web.RemoveDotSegments(path) != path || hasOddEscape(uri) ||
		strings.ContainsAny(path, "\"<>\\^`{|}")
}

func (c *caddy) normal(answer string) string { return answer }
