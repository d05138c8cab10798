//go:build unix

package term

import (
	"bytes"
	"os"
	"regexp"
	"sync"
	"time"

	"github.com/charmbracelet/x/ansi"
	xterm "golang.org/x/term"

	"golang.org/x/sys/unix"
)

// patience is how long an answer of the terminal is waited for: across the world it is there by then, and one
// that came later would stand among what is typed next.
const patience = time.Second

// answered is the colour of the ground (OSC 11 of xterm), and what each terminal says of itself (DA1 of ECMA-48),
// which comes behind it, or alone where the terminal does not know the question.
var answered = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`\x1b\](?:11;([^\x07\x1b]+))(?:\x07|\x1b\\)|\x1b\[\?[0-9;]*c`)
})

// askedGround is what the terminal itself says of the ground, asked once. Where nobody is at a terminal, where
// something was typed ahead, which the answer would be mixed up with, or where this runs behind the shell, it is not
// asked.
var askedGround = sync.OnceValue(func() Ground {
	in := int(os.Stdin.Fd())
	if !xterm.IsTerminal(in) || !xterm.IsTerminal(int(os.Stdout.Fd())) {
		return Unknown
	}
	if group, err := unix.IoctlGetInt(in, unix.TIOCGPGRP); err != nil || group != unix.Getpgrp() {
		return Unknown
	}
	if typed, err := unix.IoctlGetInt(in, pending); err != nil || typed > 0 {
		return Unknown
	}
	was, err := xterm.MakeRaw(in)
	if err != nil {
		return Unknown
	}
	defer func() { _ = xterm.Restore(in, was) }()
	if _, err := os.Stdout.WriteString(ansi.RequestBackgroundColor + ansi.RequestPrimaryDeviceAttributes); err != nil {
		return Unknown
	}
	return heard(in, patience)
})

// heard reads the answer, for so long at the most.
func heard(in int, patience time.Duration) Ground {
	ground := Unknown
	var seen []byte
	for end := time.Now().Add(patience); ; {
		left := time.Until(end)
		n, err := unix.Poll([]unix.PollFd{{Fd: int32(in), Events: unix.POLLIN}}, int(left.Milliseconds()))
		if err == unix.EINTR {
			continue
		}
		if err != nil || n == 0 || left <= 0 {
			return ground
		}
		buf := make([]byte, 256)
		if n, err = unix.Read(in, buf); err != nil || n <= 0 {
			return ground
		}
		seen = append(seen, buf[:n]...)
		for {
			at := answered().FindSubmatchIndex(seen)
			if at == nil {
				break
			}
			if at[2] < 0 { // that was the last
				return ground
			}
			ground = groundIn(string(seen[at[2]:at[3]]))
			seen = bytes.Clone(seen[at[1]:])
		}
	}
}
