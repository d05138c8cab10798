package cli

import (
	"path/filepath"
	"time"

	"vestibula/core/batch"
	"vestibula/core/packed"
	"vestibula/core/place"
	"vestibula/core/value"
)

// standardDay is the day that entries of an archive bear if none is named: the same input
// gives the same bytes.
var standardDay = time.Date(2000, 1, 1, 12, 0, 0, 0, time.UTC)

// pack returns the archive that is built into; nil where it is a folder.
func (b *buildRun) pack() (*batch.Pack, error) {
	if info, err := place.Stat(b.into); packed.FormatOf(b.into) == packed.None || err == nil && info.IsDir() {
		if b.dated != "" {
			return nil, unclear("name one: --into FILE.zip", "--dated goes with an archive")
		}
		return nil, nil
	}
	a := &batch.Pack{Name: filepath.Base(b.into), Time: standardDay}
	if b.dated != "" {
		day := value.Type{Kind: value.Date}
		v, err := day.Parse(b.dated, b.now)
		if err != nil {
			return nil, unclear("", "--dated %v", err)
		}
		// Noon is on that day nearly everywhere.
		a.Time = time.Date(int(v.Year), time.Month(v.Part), int(v.Day), 12, 0, 0, 0, time.UTC)
	}
	return a, nil
}
