//go:build unix

package program

import (
	"os/exec"
	"syscall"
)

// alone has a program run in a group of its own, so that an interrupt at the terminal reaches it
// only through us, and all that it started ends with it.
func alone(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

// killAll kills a program and what it started.
func killAll(c *exec.Cmd) {
	if c.Process != nil {
		_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL)
	}
}
