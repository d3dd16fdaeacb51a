// Package hostile drives the built program against what the world does to it: disks that are full,
// pipes that close, input that means harm.
package hostile

import (
	"bufio"
	"bytes"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var program string

func TestMain(m *testing.M) {
	_ = os.Unsetenv("GOGC") // the peaks that are measured here are those that people have
	dir, err := os.MkdirTemp("", "upperpath-hostile-")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "upperpath")
	build := exec.Command("go", "build", "-o", program, "../..")
	build.Stderr = os.Stderr
	if err := build.Run(); err != nil {
		panic(err)
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// run runs the program in a folder, and gives its exit code and what it said on stderr.
func run(t *testing.T, folder string, out *os.File, args ...string) (int, string) {
	t.Helper()
	c := exec.Command(program, args...)
	var said bytes.Buffer
	c.Dir, c.Stderr = folder, &said
	if out != nil {
		c.Stdout = out
	}
	err := c.Run()
	if err != nil {
		require.IsType(t, &exec.ExitError{}, err)
	}
	return c.ProcessState.ExitCode(), said.String()
}

// demo makes the demo estate.
func demo(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	code, said := run(t, folder, nil, "demo", "--dir", "northmoor")
	require.Zero(t, code, said)
	return filepath.Join(folder, "northmoor")
}

func TestAFullDiskBehindTheOutputIsAFailure(t *testing.T) {
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("SKIPPED: there is no /dev/full here")
	}
	defer full.Close()
	folder := demo(t)
	for _, args := range []string{
		"plan", "plan --format json", "plan --format md", "prove", "prove --format json", "explain",
		"explain loop",
		"rules try http://lacemill-museum.example/", "rules straighten", "survey --list", "report",
		"report --format csv",
		"write nginx --out written", "help rules", "compare 1 1", "survey --show 1",
		"rules try --format json http://lacemill-museum.example/", "rules straighten --format json",
		"look http://127.0.0.1:9/ --format csv --from=",
		"explain --help", "completion bash", "report --list --format csv", "plan --consider www,apex",
	} {
		code, said := run(t, folder, full, strings.Fields(args)...)
		assert.Equal(t, 3, code, args)
		assert.Regexp(t, `^upperpath: .*no space left on device\n$`, said, args)
	}
}

// TestWhatWasSeenIsKeptThoughNobodyReadsOn audits and surveys the stage while the reader of the
// pipe has left.
func TestWhatWasSeenIsKeptThoughNobodyReadsOn(t *testing.T) {
	folder := demo(t)
	stage := exec.Command(program, "stage", "stage")
	stage.Dir = folder
	out, err := stage.StdoutPipe()
	require.NoError(t, err)
	stage.Stderr = stage.Stdout
	require.NoError(t, stage.Start())
	defer func() {
		_ = stage.Process.Signal(os.Interrupt)
		_ = stage.Wait()
	}()
	lines := bufio.NewScanner(out)
	for lines.Scan() && !strings.Contains(lines.Text(), "stage.yaml") {
		continue
	}
	go func() { // the stage says more
		for lines.Scan() {
			continue
		}
	}()
	require.NoError(t, os.RemoveAll(filepath.Join(folder, ".upperpath")))
	for _, command := range []string{"audit", "survey"} {
		reads, writes, err := os.Pipe()
		require.NoError(t, err)
		require.NoError(t, reads.Close())
		code, said := run(t, folder, writes, command, "--from", "stage/stage.yaml")
		require.NoError(t, writes.Close())
		assert.Contains(t, []int{0, 1}, code, said)
	}
	code, said := run(t, folder, nil, "report")
	assert.Less(t, code, 2, "the audit was kept: %s", said)
	kept, err := exec.Command("sh", "-c",
		"cd '"+folder+"' && '"+program+"' survey --list").CombinedOutput()
	require.NoError(t, err, string(kept))
	assert.Regexp(t, `(?m)^ *1 `, string(kept))
}

// TestNobodyIsAskedForAReaderWhoLeft looks at a long list, of which nothing is kept, for a reader
// who has left already.
func TestNobodyIsAskedForAReaderWhoLeft(t *testing.T) {
	asked := 0
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	counted := make(chan struct{})
	go func() {
		defer close(counted)
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			asked++
			_ = c.Close()
		}
	}()
	reads, writes, err := os.Pipe()
	require.NoError(t, err)
	require.NoError(t, reads.Close())
	c := exec.Command(program, "look", "-")
	c.Stdin = strings.NewReader(strings.Repeat("http://"+l.Addr().String()+"/\n", 20_000))
	c.Stdout = writes
	_ = c.Run()
	require.NoError(t, writes.Close())
	require.NoError(t, l.Close())
	<-counted
	assert.Less(t, asked, 5_000)
}
