package hostile

import (
	"os"
	"syscall"
)

// peakOf gives the most memory that a process had at once, in octets.
func peakOf(s *os.ProcessState) int { return int(s.SysUsage().(*syscall.Rusage).Maxrss) << 10 }
