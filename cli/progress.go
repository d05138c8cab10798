package cli

import (
	"fmt"
	"sync"
	"time"

	"charm.land/bubbles/v2/progress"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"vestibula/cli/term"
	"vestibula/core/tree"
)

// patience is how long work takes before a bar is shown for it, and often how
// seldom it is drawn again.
const (
	patience = 400 * time.Millisecond
	often    = 80 * time.Millisecond
)

// clock tells how long work takes; tests have it go faster.
var clock = time.Now

// progress shows, on a terminal only, how far long work has come, with its rate and the time
// left; where nobody knows how much there is, total is -1. Done is told how much was just
// done, from any goroutine. End takes the bar away.
func (a *app) progress(what string, total int) (done func(n int), end func()) {
	if !a.side.Terminal {
		return func(int) {}, func() {}
	}
	var mutex sync.Mutex
	begun, count := clock(), 0
	drawn := begun.Add(patience - often)
	shown := false
	bar := progress.New(progress.WithWidth(30), progress.WithFillCharacters('━', '╌'))
	bar.FullColor, bar.EmptyColor = lipgloss.NoColor{}, lipgloss.NoColor{}
	done = func(n int) {
		mutex.Lock()
		defer mutex.Unlock()
		count += n
		now := clock()
		if now.Sub(drawn) < often {
			return
		}
		drawn, shown = now, true
		rate := float64(count) / now.Sub(begun).Seconds()
		text := fmt.Sprintf("%s  %s", what, term.Number(count))
		if total > 0 {
			text = fmt.Sprintf("%s  %s  %s of %s", what, bar.ViewAs(float64(count)/float64(total)), term.Number(count), term.Number(total))
		}
		text += fmt.Sprintf(", %s a second", term.Number(int(rate)))
		if total > 0 && rate > 0 {
			text += fmt.Sprintf(", %s left", time.Duration(float64(max(total-count, 0))/rate*float64(time.Second)).Round(time.Second))
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
func (a *app) reading(dir string) (*tree.Node, []tree.Unread, error) {
	done, end := a.progress("reading", -1)
	defer end()
	return tree.Read(dir, nil, done)
}
