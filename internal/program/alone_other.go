//go:build !unix

package program

import "os/exec"

func alone(*exec.Cmd) {}

func killAll(c *exec.Cmd) {
	if c.Process != nil {
		_ = c.Process.Kill()
	}
}
