package hostile

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// TestWhatAPublicAddressLeadsToInAPrivateNetworkIsNotAsked runs itself again in a network of its
// own, in which it has a public address.
func TestWhatAPublicAddressLeadsToInAPrivateNetworkIsNotAsked(t *testing.T) {
	if os.Getenv("HOSTILE_INSIDE") == "" {
		again(t, syscall.CLONE_NEWNET)
		return
	}
	program := os.Getenv("HOSTILE_INSIDE")
	setAddress(t, "lo", "127.0.0.1")
	setAddress(t, "lo:1", "203.0.113.5")
	var asked sync.Map
	leads := map[string]string{"/in": "http://127.0.0.1:8080/secret",
		"/named": "http://127.1.2.3:8080/name",
		"/meta":  "http://169.254.169.254/latest/", "/six": "http://[::ffff:127.0.0.1]:8080/six",
		"/out": "http://203.0.113.5:8080/end"}
	l, err := net.Listen("tcp", "0.0.0.0:8080")
	require.NoError(t, err)
	defer l.Close()
	go func() {
		_ = http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked.Store(r.URL.Path, true)
			if to := leads[r.URL.Path]; to != "" {
				http.Redirect(w, r, to, http.StatusMovedPermanently)
			}
		}))
	}()
	look := func(args ...string) (string, int) {
		c := exec.Command(program, append([]string{"look"}, args...)...)
		out, _ := c.CombinedOutput()
		return string(out), c.ProcessState.ExitCode()
	}
	for _, from := range []string{"/in", "/named", "/meta", "/six"} {
		said, code := look("http://203.0.113.5:8080" + from)
		assert.Equal(t, 1, code, said)
		assert.Contains(t, said, "private-hop", from)
		assert.Contains(t, said, "in a private network", from)
		assert.Contains(t, said, "--allow-private", from)
	}
	for _, path := range []string{"/secret", "/name", "/latest/"} {
		_, was := asked.Load(path)
		assert.False(t, was, path)
	}
	for _, allowed := range []string{
		"http://203.0.113.5:8080/in --allow-private", "http://127.0.0.1:8080/in",
		"http://203.0.113.5:8080/out",
		"http://203.0.113.5:8080/in --resolver 127.0.0.1:53",
	} {
		said, _ := look(strings.Fields(allowed)...)
		assert.NotContains(t, said, "private-hop", allowed)
		assert.Contains(t, said, "\n  200  ", allowed)
	}
	_, was := asked.Load("/secret")
	assert.True(t, was, "it is followed where somebody allows it")
}

// setAddress gives an interface an address, and brings it up.
func setAddress(t *testing.T, name, address string) {
	t.Helper()
	fd, err := unix.Socket(unix.AF_INET, unix.SOCK_DGRAM, 0)
	require.NoError(t, err)
	defer unix.Close(fd)
	request, err := unix.NewIfreq(name)
	require.NoError(t, err)
	require.NoError(t, request.SetInet4Addr(net.ParseIP(address).To4()))
	require.NoError(t, unix.IoctlIfreq(fd, unix.SIOCSIFADDR, request), fmt.Sprint(name, address))
	up, err := unix.NewIfreq(strings.TrimSuffix(name, ":1"))
	require.NoError(t, err)
	up.SetUint16(unix.IFF_UP | unix.IFF_RUNNING)
	require.NoError(t, unix.IoctlIfreq(fd, unix.SIOCSIFFLAGS, up))
}
