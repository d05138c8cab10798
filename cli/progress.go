package cli

import (
	"fmt"
	"sync"
	"time"

	"charm.land/bubbles/v2/progress"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"vestibula/cli/term"
	"vestibula/core/address"
	"vestibula/core/place"
	"vestibula/core/tree"
)

// patience is how long work takes before a bar is shown for it, and often how
// seldom it is drawn again.
const (
	patience = 400 * time.Millisecond
	often    = 80 * time.Millisecond
)

// clock tells how long work takes; tests set one that goes faster.
var clock = time.Now

// progress shows, on a terminal only, how far long work has come, with its rate and the time
// left; where nobody knows how much there is, total is -1. Done is told how much was just
// done, from any goroutine. End takes the bar away.
func (a *app) progress(what string, total int) (done func(n int), end func()) {
	if !a.side.Terminal {
		return func(int) {}, func() {}
	}
	var mutex sync.Mutex
	drawn, shown := clock().Add(patience-often), false
	var first time.Time // when the first things were done, so many
	before, count := 0, 0
	bar := progress.New(progress.WithWidth(30), progress.WithFillCharacters('━', '╌'))
	bar.FullColor, bar.EmptyColor = lipgloss.NoColor{}, lipgloss.NoColor{}
	done = func(n int) {
		mutex.Lock()
		defer mutex.Unlock()
		count += n
		now := clock()
		if first.IsZero() {
			first, before = now, count
		}
		if now.Sub(drawn) < often {
			return
		}
		drawn, shown = now, true
		text := what + "  "
		if total > 0 {
			text += bar.ViewAs(float64(count)/float64(total)) + "  "
		}
		text += string(term.Number(count))
		if total > 0 {
			text += fmt.Sprintf(" of %s", term.Number(total))
		}
		if rate := float64(count-before) / now.Sub(first).Seconds(); now.Sub(first) >= patience/2 && rate >= 1 {
			text += fmt.Sprintf(", %s a second", term.Number(int(rate)))
			if left := float64(total-count) / rate; left >= 0 {
				text += fmt.Sprintf(", %s left", (time.Duration(left * float64(time.Second))).Round(time.Second))
			}
		}
		if a.side.Width > 0 {
			text = ansi.Truncate(text, a.side.Width-1, "…")
		}
		fmt.Fprint(a.err, "\r"+text+ansi.EraseLineRight)
	}
	return done, func() {
		mutex.Lock()
		defer mutex.Unlock()
		if shown {
			fmt.Fprint(a.err, "\r"+ansi.EraseLineRight)
		}
	}
}

// reading reads a real folder, and shows how far it has come.
func (a *app) reading(dir address.Address) (*tree.Node, []tree.Unread, error) {
	done, end := a.progress("reading", -1)
	defer end()
	return place.Read(dir, nil, done)
}
