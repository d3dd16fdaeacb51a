//go:build unix

package live

import (
	"net"
	"syscall"
)

// quiet reports whether nothing has come over a connection that waits: no answer that nobody asked
// for, and no end. Behind a proxy nobody can tell, and it is taken to be quiet.
func quiet(c net.Conn) bool {
	system, ok := c.(syscall.Conn)
	if !ok {
		return true
	}
	raw, err := system.SyscallConn()
	if err != nil {
		return false
	}
	nothing := false
	err = raw.Read(func(fd uintptr) bool {
		var one [1]byte
		_, _, err := syscall.Recvfrom(int(fd), one[:], syscall.MSG_PEEK)
		nothing = err == syscall.EAGAIN ||
			err == syscall.EWOULDBLOCK //nolint:errorlint // the system wraps nothing
		return true
	})
	return err == nil && nothing
}
