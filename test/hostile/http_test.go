package hostile

import (
	"bytes"
	"io"
	"net"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// server answers every connection with a text, and then stays silent, the connection open, until the test ends.
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
		assert.Contains(t, said.String(), "it goes on in another protocol")
	case <-time.After(time.Minute):
		_ = c.Process.Kill()
		<-ended
		t.Fatalf("it does not end: %s", said.String())
	}
}
