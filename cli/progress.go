package cli

import (
	"fmt"
	"io"
	"sync"
	"time"

	"github.com/schollz/progressbar/v3"

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
	screen := &late{a.err, begun.Add(patience)}
	bar := progressbar.NewOptions(total, progressbar.OptionSetWriter(screen), progressbar.OptionSetWidth(30),
		progressbar.OptionShowCount(), progressbar.OptionShowIts(), progressbar.OptionSetItsString("steps"), progressbar.OptionSetPredictTime(false),
		progressbar.OptionClearOnFinish(),
		progressbar.OptionSetTheme(progressbar.Theme{Saucer: "━", SaucerHead: "━", SaucerPadding: "╌", BarStart: " ", BarEnd: " "}))
	told := begun
	done = func(n int) {
		mutex.Lock()
		defer mutex.Unlock()
		count += n
		if clock().Sub(told) < often {
			return
		}
		told = clock()
		if total < 0 {
			bar.Describe(what)
		} else {
			left := time.Duration(float64(told.Sub(begun)) / float64(max(count, 1)) * float64(total-count))
			bar.Describe(fmt.Sprintf("%s, %s left", what, left.Round(time.Second)))
		}
		_ = bar.Set(count)
	}
	return done, func() {
		mutex.Lock()
		defer mutex.Unlock()
		_ = bar.Finish()
	}
}

// reading reads a real folder, and shows how far it has come.
func (a *app) reading(dir string) (*tree.Node, []tree.Unread, error) {
	done, end := a.progress("reading", -1)
	defer end()
	return tree.Read(dir, nil, done)
}

// late lets nothing through before a moment.
type late struct {
	io.Writer
	after time.Time
}

func (l *late) Write(b []byte) (int, error) {
	if clock().Before(l.after) {
		return len(b), nil
	}
	return l.Writer.Write(b)
}
