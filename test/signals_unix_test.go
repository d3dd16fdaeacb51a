//go:build unix

package test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	ossignal "os/signal"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEverySignalThatEndsKeepsWhatIsDone sends each to an audit that has seen one door and waits
// for another: what was seen is kept, the exit code is that of an interrupt, and nothing of the
// program's inside is shown.
func TestEverySignalThatEndsKeepsWhatIsDone(t *testing.T) {
	silent, err := net.Listen("tcp", "127.0.0.1:0") // takes connections, and says nothing
	require.NoError(t, err)
	defer silent.Close()
	living := httptest.NewServer(http.NotFoundHandler())
	defer living.Close()
	arrived := make(chan struct{}, 1000)
	go func() {
		for {
			c, err := silent.Accept()
			if err != nil {
				return
			}
			arrived <- struct{}{}
			defer c.Close()
		}
	}()
	for _, signal := range []syscall.Signal{
		syscall.SIGINT, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGQUIT, syscall.SIGUSR1,
		syscall.SIGALRM, syscall.SIGXCPU,
	} {
		t.Run(signal.String(), func(t *testing.T) {
			if ossignal.Ignored(signal) {
				t.Skip("whoever started the tests has it ignored, as nohup does, and the program keeps it so")
			}
			dir := t.TempDir()
			require.NoError(t,
				os.WriteFile(filepath.Join(dir, "upperpath.yaml"), []byte("canonical: https://www.n.example\n"+
					"site: {addresses: [203.0.113.10]}\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
					"defaults: {carrier: g}\ndomains: [n.example, old.example]\n"), 0o600))
			// One at a time: where the silent one is asked, what comes before it was seen.
			c := exec.Command(filepath.Join(folder, "upperpath"), "audit", "--timeout", "60s", "--fail-on",
				"never", "--point",
				"old.example="+silent.Addr().String(), "--point",
				"www.n.example="+living.Listener.Addr().String(), "--point",
				"n.example="+living.Listener.Addr().String(), "--resolver", "127.0.0.1:1", "--parallel", "1")
			c.Dir = dir
			var said bytes.Buffer
			c.Stdout, c.Stderr = &said, &said
			require.NoError(t, c.Start())
			<-arrived
			require.NoError(t, c.Process.Signal(signal))
			err := c.Wait()
			require.Error(t, err)
			assert.Equal(t, 130, c.ProcessState.ExitCode(), said.String())
			assert.Contains(t, said.String(), "interrupted")
			assert.NotContains(t, said.String(), "goroutine")
			kept := exec.Command(filepath.Join(folder, "upperpath"), "report", "--list", "--format", "json")
			kept.Dir = dir
			list, err := kept.Output()
			require.NoError(t, err)
			assert.Contains(t, string(list), `"id": 1`)
			for len(arrived) > 0 {
				<-arrived
			}
		})
	}
}

// TestSignalsThatSomebodyIgnoresStayIgnored starts the program as nohup does.
func TestSignalsThatSomebodyIgnoresStayIgnored(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "d")
	demo := exec.Command(filepath.Join(folder, "upperpath"), "demo", "--dir", dir)
	require.NoError(t, demo.Run())
	c := exec.Command("sh", "-c", `trap "" HUP; exec "$0" stage stage`,
		filepath.Join(folder, "upperpath"))
	c.Dir = dir
	require.NoError(t, c.Start())
	require.Eventually(t, func() bool {
		info, err := os.Stat(filepath.Join(dir, "stage", "stage.yaml"))
		return err == nil && info.Size() > 0
	}, 20*time.Second, 20*time.Millisecond)
	require.NoError(t, c.Process.Signal(syscall.SIGHUP))
	look := exec.Command(filepath.Join(folder, "upperpath"), "look", "lacemill-museum.example",
		"--from", "stage/stage.yaml",
		"--fail-on", "never")
	look.Dir = dir
	out, err := look.CombinedOutput()
	require.NoError(t, err, string(out))
	require.NoError(t, c.Process.Signal(syscall.SIGTERM))
	_ = c.Wait()
}

// TestMarksThatAreMadeAtOnceAreAllKept marks many steps of a runbook side by side.
func TestMarksThatAreMadeAtOnceAreAllKept(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "d")
	require.NoError(t, exec.Command(filepath.Join(folder, "upperpath"), "demo", "--dir", dir).Run())
	run := func(args ...string) ([]byte, error) {
		c := exec.Command(filepath.Join(folder, "upperpath"), append([]string{"runbook"}, args...)...)
		c.Dir = dir
		return c.CombinedOutput()
	}
	const marks = 8
	var all sync.WaitGroup
	for n := 1; n <= marks; n++ {
		all.Go(func() {
			out, err := run("--done", fmt.Sprint(n), "--yes", "--fail-on", "never")
			assert.NoError(t, err, string(out))
		})
	}
	all.Wait()
	out, _ := run("--format", "json")
	var book struct {
		Tasks []struct {
			Number int
			Done   *string
		}
	}
	require.NoError(t, json.Unmarshal(out, &book), string(out[:min(len(out), 1000)]))
	done := 0
	for _, s := range book.Tasks {
		if s.Done != nil {
			done++
		}
	}
	assert.Equal(t, marks, done)
}
