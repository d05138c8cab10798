package pool

import (
	"iter"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Each number is worked on once, by no more than so many, whatever ends early.
func TestEachNumberIsWorkedOnOnce(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		n, together, workers := rapid.IntRange(0, 200).Draw(t, "n"), rapid.IntRange(1, 50).Draw(t, "together"), rapid.IntRange(1, 9).Draw(t, "workers")
		count := make([]atomic.Int32, n)
		var at, most atomic.Int32
		With(workers, n, together, func(numbers iter.Seq[int]) {
			now := at.Add(1)
			defer at.Add(-1)
			for before := most.Load(); now > before && !most.CompareAndSwap(before, now); before = most.Load() {
			}
			for i := range numbers {
				count[i].Add(1)
			}
		})
		for i := range count {
			assert.EqualValues(t, 1, count[i].Load())
		}
		assert.LessOrEqual(t, int(most.Load()), workers)
	})
	Each(10, 1, func(numbers iter.Seq[int]) {
		for i := range numbers {
			assert.Less(t, i, 10)
			return
		}
	})
}
