//go:build unix

package files

import (
	"io/fs"
	"os"
	"syscall"
)

// keepOwner gives a file the owner and group of another, as far as the system lets us.
func keepOwner(f *os.File, of fs.FileInfo) {
	if s, ok := of.Sys().(*syscall.Stat_t); ok {
		if f.Chown(int(s.Uid), int(s.Gid)) != nil {
			_ = f.Chown(-1, int(s.Gid))
		}
	}
}
