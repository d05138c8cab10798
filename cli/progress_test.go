package cli

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"vestibula/cli/term"
)

func TestABarIsShownForLongWorkOnATerminalOnly(t *testing.T) {
	now := time.Now()
	clock = func() time.Time { return now }
	t.Cleanup(func() { clock = time.Now })
	for _, terminal := range []bool{true, false} {
		var out bytes.Buffer
		a := &app{err: &out, side: &term.Screen{Terminal: terminal, Width: 100}}
		done, end := a.progress("checking", 300)
		done(100)
		assert.Empty(t, out.String(), "not at once")
		now = now.Add(patience + 10*time.Millisecond)
		done(100)
		end()
		if !terminal {
			assert.Empty(t, out.String())
			continue
		}
		assert.Regexp(t, `^\rchecking  ━+╌+  67%  200 of 300, 243 a second, 0s left\x1b\[K\r\x1b\[K$`, out.String(), "and it is taken away at the end")
	}
}
