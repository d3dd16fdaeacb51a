package test

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/cli"
)

// playedDemo leaves the demo in a folder, has its stage play, and gives the folder, with the
// program beside it.
func playedDemo(t *testing.T) string {
	t.Helper()
	from, err := played()
	require.NoError(t, err)
	dir := filepath.Join(t.TempDir(), "northmoor")
	require.NoError(t, os.CopyFS(dir, os.DirFS(from)))
	stage := exec.Command(filepath.Join(folder, "upperpath"), "stage", "stage")
	stage.Dir, stage.Env = dir, onTheDay()
	require.NoError(t, stage.Start())
	t.Cleanup(func() { _ = stage.Process.Kill(); _ = stage.Wait() })
	require.Eventually(t, func() bool {
		info, err := os.Stat(filepath.Join(dir, "stage", "stage.yaml"))
		return err == nil && info.Size() > 0
	}, 20*time.Second, 20*time.Millisecond)
	return dir
}

// onTheDay is the environment of whoever tries things on the demo, on the day on which it was
// played.
func onTheDay() []string {
	return append(os.Environ(), "UPPERPATH_CLOCK="+clock, "TZ=UTC",
		"PATH="+folder+string(os.PathListSeparator)+os.Getenv("PATH"))
}

// shell runs a line in a folder as a person types it, and gives what comes back, and the exit code.
func shell(dir, line string, env ...string) (string, int) {
	run := exec.Command("sh", "-c", line)
	run.Dir, run.Env = dir, append(onTheDay(), env...)
	out, err := run.CombinedOutput()
	if err != nil && run.ProcessState == nil {
		return err.Error(), -1
	}
	return string(out), run.ProcessState.ExitCode()
}

// TestEveryExampleRuns runs every example of every help on the demo as it stands, in the order of
// the help: none is refused, and none fails. It may exit with 1, where it finds what the demo has
// wrong.
func TestEveryExampleRuns(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the examples are lines for a shell")
	}
	t.Parallel()
	dir := playedDemo(t)
	ran := 0
	var walk func(*cobra.Command)
	walk = func(c *cobra.Command) {
		for _, line := range strings.Split(strings.ReplaceAll(c.Example, "\\\n", " "), "\n") {
			line = strings.TrimSpace(line)
			if line == "" || strings.Contains(c.CommandPath(), "completion") {
				continue
			}
			if strings.HasPrefix(line, "upperpath stage") || strings.HasPrefix(line, "upperpath demo") {
				continue // that is what is played
			}
			now, err := time.Parse(time.RFC3339, clock)
			require.NoError(t, err) // each is typed some minutes after the one before
			now = now.Add(time.Duration(ran+1) * 10 * time.Minute)
			out, code := shell(dir, line, "UPPERPATH_CLOCK="+now.Format(time.RFC3339))
			assert.Contains(t, []int{0, 1}, code, "%s\n%s", line, out)
			ran++
		}
		for _, below := range c.Commands() {
			walk(below)
		}
	}
	walk(cli.Root())
	assert.Greater(t, ran, 80)
}

// TestTheDemoNamesCommandsThatRun types every command that the demo names, in what it leaves
// behind.
func TestTheDemoNamesCommandsThatRun(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("they are lines for a shell")
	}
	t.Parallel()
	told, code := shell(t.TempDir(), "upperpath demo --dir northmoor")
	require.Zero(t, code, told)
	dir, ran := playedDemo(t), 0
	for line := range strings.Lines(told) {
		line = strings.TrimSpace(strings.TrimPrefix(line, "A plan that fails:"))
		line = strings.TrimPrefix(line, "→ ")
		if !strings.HasPrefix(line, "upperpath ") || strings.HasPrefix(line, "upperpath stage") {
			continue
		}
		if strings.HasPrefix(line, "upperpath await") {
			line += " --timeout 3s" // what it waits for does not come here by itself
		}
		out, code := shell(dir, line)
		assert.Contains(t, []int{0, 1}, code, "%s\n%s", line, out)
		ran++
	}
	assert.GreaterOrEqual(t, ran, 9)
}
