package test

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestKilledAtAnyMomentTheAcceptedStateIsThere kills a recheck that takes another state, and a
// wait, after random times, and looks each time that a state is accepted: the one before or the new
// one.
func TestKilledAtAnyMomentTheAcceptedStateIsThere(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "d")
	command := func(args ...string) *exec.Cmd {
		c := exec.Command(filepath.Join(folder, "upperpath"), args...)
		c.Dir = dir
		return c
	}
	demo := command("demo", "--dir", dir)
	demo.Dir = ""
	require.NoError(t, demo.Run())
	stage := command("stage", "stage")
	require.NoError(t, stage.Start())
	t.Cleanup(func() { _ = stage.Process.Kill(); _ = stage.Wait() })
	vantage := filepath.Join("stage", "stage.yaml")
	require.Eventually(t, func() bool {
		info, err := os.Stat(filepath.Join(dir, vantage))
		return err == nil && info.Size() > 0
	}, 20*time.Second, 20*time.Millisecond)
	var whole time.Duration
	accept := func() *exec.Cmd { return command("recheck", "--accept-all", "--from", vantage) }
	began := time.Now()
	out, err := accept().CombinedOutput()
	require.NoError(t, err, string(out))
	whole = time.Since(began)
	accepted := func() string {
		t.Helper()
		var v struct {
			State string `json:"state"`
		}
		out, err := command("recheck", "--list", "--format", "json").Output()
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(out, &v))
		return v.State
	}
	before := accepted()
	require.NotEmpty(t, before)
	for i := range 12 {
		c := accept()
		if i%4 == 3 {
			c = command("await", "--from", vantage)
		}
		require.NoError(t, c.Start())
		time.Sleep(rand.N(whole + whole/4))
		_ = c.Process.Kill()
		_ = c.Wait()
		after := accepted()
		require.NotEmpty(t, after)
		assert.GreaterOrEqual(t, after, before)
		before = after
	}
	out, err = command("recheck", "--from", vantage).Output()
	require.NoError(t, err, "nothing is new")
	assert.Empty(t, bytes.TrimSpace(out))
}
