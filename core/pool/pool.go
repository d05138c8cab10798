// Package pool shares the work on many things between goroutines, each of which may keep
// something for itself while it works.
package pool

import (
	"iter"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Each calls work for the numbers from 0 up to, but without, n: in as many goroutines as
// there are processors, each of which takes so many numbers together as long as there are any.
// It returns when all have ended. Work that ends before its numbers do leaves the rest to the
// others.
func Each(n, together int, work func(numbers iter.Seq[int])) {
	With(runtime.GOMAXPROCS(0), n, together, work)
}

// With is as [Each], with at most so many goroutines.
func With(workers, n, together int, work func(numbers iter.Seq[int])) {
	var next atomic.Int64
	numbers := func(yield func(i int) bool) {
		for {
			first := int(next.Add(int64(together))) - together
			for i := first; i < min(first+together, n); i++ {
				if !yield(i) {
					return
				}
			}
			if first+together >= n {
				return
			}
		}
	}
	if workers = min(workers, (n+together-1)/together); workers == 1 {
		work(numbers)
		return
	}
	var group errgroup.Group
	for range workers {
		group.Go(func() error {
			work(numbers)
			return nil
		})
	}
	_ = group.Wait() // it has no errors
}
