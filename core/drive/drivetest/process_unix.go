//go:build unix

package drivetest

import (
	"os/exec"
	"syscall"
)

// own has a process and all that it starts be stopped together.
func own(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

func stop(c *exec.Cmd) { _ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
