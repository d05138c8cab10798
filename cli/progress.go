package cli

import (
	"fmt"
	"sync"
	"time"

	"github.com/schollz/progressbar/v3"
)

// patience is how long work takes before a bar is shown for it.
const patience = 400 * time.Millisecond

// progress shows, on a terminal only, how far long work has come, with its rate
// and the time left. Done is told how much was just done, from any goroutine.
// End takes the bar away.
func (a *app) progress(what string, total int) (done func(n int), end func()) {
	if !a.side.Terminal {
		return func(int) {}, func() {}
	}
	var mutex sync.Mutex
	var bar *progressbar.ProgressBar
	begun, count := time.Now(), 0
	done = func(n int) {
		mutex.Lock()
		defer mutex.Unlock()
		count += n
		if bar == nil && time.Since(begun) > patience {
			bar = progressbar.NewOptions(total, progressbar.OptionSetWriter(a.err), progressbar.OptionSetWidth(30),
				progressbar.OptionShowCount(), progressbar.OptionShowIts(), progressbar.OptionSetItsString("steps"), progressbar.OptionSetPredictTime(false),
				progressbar.OptionThrottle(80*time.Millisecond), progressbar.OptionClearOnFinish(),
				progressbar.OptionSetTheme(progressbar.Theme{Saucer: "━", SaucerHead: "━", SaucerPadding: "╌", BarStart: " ", BarEnd: " "}))
		}
		if bar != nil {
			left := time.Duration(float64(time.Since(begun)) / float64(max(count, 1)) * float64(total-count))
			bar.Describe(fmt.Sprintf("%s, %s left", what, left.Round(time.Second)))
			_ = bar.Set(count)
		}
	}
	return done, func() {
		mutex.Lock()
		defer mutex.Unlock()
		if bar != nil {
			_ = bar.Finish()
		}
	}
}
