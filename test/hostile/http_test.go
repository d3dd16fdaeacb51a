package hostile

import (
	"bytes"
	"io"
	"net"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// server answers every connection with a text, and then stays silent, the connection open, until
// the test ends.
func server(t *testing.T, answer string) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	over := make(chan struct{})
	t.Cleanup(func() {
		close(over)
		_ = l.Close()
	})
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				_, _ = c.Read(make([]byte, 4096))
				_, _ = io.WriteString(c, answer)
				<-over
			}()
		}
	}()
	return l.Addr().String()
}

func TestAServerThatGoesOnInAnotherProtocolEnds(t *testing.T) {
	at := server(t, "HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: x\r\n\r\n")
	c := exec.Command(program, "look", "http://"+at+"/")
	var said bytes.Buffer
	c.Stdout, c.Stderr = &said, &said
	require.NoError(t, c.Start())
	ended := make(chan error, 1)
	go func() { ended <- c.Wait() }()
	select {
	case <-ended:
		assert.Equal(t, 1, c.ProcessState.ExitCode())
		assert.Contains(t, said.String(), "it switches to a protocol that was not requested")
	case <-time.After(time.Minute):
		_ = c.Process.Kill()
		<-ended
		t.Fatalf("it does not end: %s", said.String())
	}
}

// TestAListGoesOnBehindALineThatIsNone hands over a list with lines that nobody can read, among
// them one of 20 MB.
func TestAListGoesOnBehindALineThatIsNone(t *testing.T) {
	at := server(t, "HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 0\r\n\r\n")
	list := "http://" + at + "/1\n" + strings.Repeat("x", 20<<20) + "\nhttp://" + at +
		"/2\n\x00\xff\nhttp://" + at + "/3"
	c := exec.Command(program, "look", "-", "--format", "csv")
	c.Stdin = strings.NewReader(list)
	var out, said bytes.Buffer
	c.Stdout, c.Stderr = &out, &said
	_ = c.Run()
	assert.Equal(t, 2, c.ProcessState.ExitCode(), said.String())
	assert.Equal(t, 4, strings.Count(out.String(), "\n"), "a head and three chains: %s", out.String())
	assert.Contains(t, said.String(), "line 2: it is longer than 64 KiB")
	assert.Contains(t, said.String(), "line 4: ")
	assertPeak(t, peakOf(c.ProcessState), 100<<20)
}

// TestWhatIsPointedAtNeedsNoResolver looks at a host that is pointed at, by way of a resolver that
// never answers.
func TestWhatIsPointedAtNeedsNoResolver(t *testing.T) {
	n := &names{Silent: true}
	n.start(t)
	at := server(t, "HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Length: 0\r\n\r\n")
	for _, resolver := range []string{n.resolver, "127.0.0.1:9"} {
		c := exec.Command(program, "look", "old.example", "--chains", "--timeout", "500ms",
			"--resolver", resolver,
			"--point", "old.example="+at, "--point", "www.old.example="+at)
		out, _ := c.CombinedOutput()
		assert.Equal(t, 1, c.ProcessState.ExitCode(), string(out))
		assert.Contains(t, string(out), "\n  200\n")
		assert.Contains(t, strings.Join(strings.Fields(string(out)), " "),
			"the resolver "+resolver+" does not answer")
	}
}
