//go:build unix

package live

import "syscall"

// keptFree is how many descriptors stay free of sockets, for the files that a command reads and
// writes meanwhile.
const keptFree = 16

// mostSockets is how many sockets may be open at once by what the system lets this program have
// open; 0: very many.
func mostSockets() int {
	const many = 4096
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil || limit.Cur > many {
		return 0
	}
	return max(fewestSockets, int(limit.Cur)-keptFree) // it is no more than many
}
