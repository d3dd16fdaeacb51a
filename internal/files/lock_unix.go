//go:build unix

package files

import (
	"errors"
	"fmt"
	"os"
	"syscall"
)

// lockFile keeps other runs of this program from changing a file until it is freed; the end of the
// program, however it comes, frees it too.
func lockFile(path string) (free func(), err error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		_ = f.Close()
		if errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, fmt.Errorf("%s: %w", path, errLocked)
		}
		return func() {}, nil // a file system without locks
	}
	return func() { _ = f.Close() }, nil
}
