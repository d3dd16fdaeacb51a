// Package peers tests the built program against real servers, started as ordinary processes on
// loopback ports.
package peers

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// program is the built program.
var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "upperpath-peers-")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "upperpath")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	build := exec.Command("go", "build", "-o", program, "../..")
	build.Stderr = os.Stderr
	if err := build.Run(); err != nil {
		panic(err)
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}

// run runs the built program and returns what it wrote to stdout and stderr, and its exit code.
func run(t *testing.T, in string, args ...string) (string, int) {
	t.Helper()
	return runIn(t, nil, in, args...)
}

// runAt is run at a time.
func runAt(t *testing.T, clock time.Time, args ...string) (string, int) {
	t.Helper()
	return runIn(t, append(os.Environ(), "UPPERPATH_CLOCK="+clock.Format(time.RFC3339)), "", args...)
}

func runIn(t *testing.T, env []string, in string, args ...string) (string, int) {
	t.Helper()
	c := exec.Command(program, args...)
	c.Env = env
	c.Stdin = strings.NewReader(in)
	var out bytes.Buffer
	c.Stdout, c.Stderr = &out, &out
	err := c.Run()
	if c.ProcessState == nil {
		require.NoError(t, err)
	}
	return out.String(), c.ProcessState.ExitCode()
}

// peer finds a real server. Where it is missing, the test is skipped, and fails where CI is true.
func peer(t *testing.T, name string) string {
	t.Helper()
	for _, dir := range append(filepath.SplitList(os.Getenv("PATH")), "/usr/sbin", "/usr/local/sbin") {
		path := filepath.Join(dir, name)
		if info, err := os.Stat(path); err == nil && !info.IsDir() {
			return path
		}
	}
	if os.Getenv("CI") == "true" && os.Getenv("PEERS") != "skip" {
		t.Fatalf("%s is not on this machine, and CI has to have it", name)
	}
	t.Skipf("SKIPPED, NOT TESTED: %s is not on this machine", name)
	return ""
}

// nextPort is the next port to be handed out: below those that systems give to outgoing
// connections, which could take one before its server listens.
var nextPort atomic.Int64

func init() { nextPort.Store(20_000 + rand.Int64N(8_000)) }

// freePort gives an address of loopback at which nobody listens, neither by TCP nor by UDP. Each is
// given once.
func freePort(t *testing.T) string {
	t.Helper()
	for range 1_000 {
		at := fmt.Sprintf("127.0.0.1:%d", nextPort.Add(1))
		stream, err := net.Listen("tcp", at)
		if err != nil {
			continue
		}
		packets, err := net.ListenPacket("udp", at)
		_ = stream.Close()
		if err != nil {
			continue
		}
		_ = packets.Close()
		return at
	}
	t.Fatal("no port is free")
	return ""
}

func await(t *testing.T, address string) {
	t.Helper()
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", address)
		if err != nil {
			return false
		}
		return c.Close() == nil
	}, 10*time.Second, 20*time.Millisecond, "nothing listens at %s", address)
}
