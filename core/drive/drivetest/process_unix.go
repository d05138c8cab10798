//go:build unix

package drivetest

import (
	"os/exec"
	"syscall"
)

// own puts a process into a group, so that it is stopped with all that it starts.
func own(c *exec.Cmd) { c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} }

func stop(c *exec.Cmd) { _ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
