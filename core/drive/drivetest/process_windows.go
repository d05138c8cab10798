package drivetest

import "os/exec"

func own(*exec.Cmd) {}

func stop(c *exec.Cmd) { _ = c.Process.Kill() }
