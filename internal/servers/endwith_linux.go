package servers

import (
	"os/exec"
	"syscall"
)

// endWithUs has the system end a program when the thread that starts it ends.
func endWithUs(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM} }
