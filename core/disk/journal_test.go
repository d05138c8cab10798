package disk

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/plan"
)

// journal opens a journal in a folder of its own, which is returned as well.
func journal(t *testing.T) (*Journal, string) {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "journal")
	j, err := MakeJournal(dir)
	require.NoError(t, err)
	t.Cleanup(func() { j.Close() })
	return j, dir
}

// record builds the wanted tree in a place and writes it down.
func record(t *testing.T, j *Journal, p *Place, notes ...Note) {
	t.Helper()
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	require.NoError(t, j.Build(p, Job{Plan: pl, Notes: notes}, Head{When: time.Now(), Place: p.Path, Title: "test"}))
}

// undo takes a record back and returns what stayed.
func undo(t *testing.T, j *Journal, p *Place, number int) ([]Stay, *Record) {
	t.Helper()
	records, err := j.Records()
	require.NoError(t, err)
	u, err := j.PlanUndo(p, records[number-1])
	require.NoError(t, err)
	r, err := j.Undo(p, u, Head{Place: p.Path})
	require.NoError(t, err)
	return u.Stays, r
}

// contents is a snapshot without times.
func contents(t *testing.T, dir string) map[string]string {
	all := snapshot(t, dir)
	for path, what := range all {
		if i := strings.LastIndex(what, `" 2`); i >= 0 {
			all[path] = what[:i]
		}
	}
	return all
}

func TestUndoLeavesTheDiskAsItWasBefore(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/B/own"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/.label"), []byte("old"), 0o666))
	before := snapshot(t, dir)
	p := open(t, dir)
	j, _ := journal(t)
	record(t, j, p, Note{Path: "P/.label", Data: says("new"), Was: []byte("old")})
	built := contents(t, dir)
	stays, _ := undo(t, j, p, 1)
	assert.Empty(t, stays)
	after := contents(t, dir)
	for path := range before {
		assert.Contains(t, after, path)
	}
	assert.Len(t, after, len(before))
	assert.Contains(t, after["P/.label"], `"old`)

	stays, _ = undo(t, j, p, 2)
	assert.Empty(t, stays)
	assert.Equal(t, built, contents(t, dir), "an undo can itself be undone")
	records, err := j.Records()
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true, false}, []bool{records[0].Undone(), records[1].Undone(), records[2].Undone()})
}

// Whatever a person does to what was built, an undo takes back only what is
// still as it was made, and an undo of the undo brings exactly that back.
func TestUndoTouchesOnlyWhatIsAsItWasMade(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		dir, err := os.MkdirTemp(t.TempDir(), "place-")
		require.NoError(t, err)
		p, err := Open(dir)
		require.NoError(t, err)
		defer p.Close()
		j, err := MakeJournal(filepath.Join(t.TempDir(), fmt.Sprint(rapid.Uint64().Draw(rt, "journal"))))
		require.NoError(t, err)
		record(t, j, p)
		mine := map[string]string{}
		for i := range rapid.IntRange(0, 4).Draw(rt, "meddlings") {
			path := rapid.SampledFrom([]string{"P/A/a.txt", "P/empty.txt", "P/A/mine.txt", "P/A/deep/mine.txt", "mine.txt", "P/B/mine.txt"}).Draw(rt, "path")
			text := fmt.Sprintf("mine %d", i)
			require.NoError(t, os.WriteFile(filepath.Join(dir, path), []byte(text), 0o666))
			mine[path] = text
		}
		meddled := contents(t, dir)
		stays, r := undo(t, j, p, 1)
		for path, text := range mine {
			data, err := os.ReadFile(filepath.Join(dir, path))
			require.NoError(t, err, "%s stays", path)
			assert.Equal(t, text, string(data))
		}
		if len(mine) == 0 {
			assert.Empty(t, stays)
			assert.Empty(t, contents(t, dir))
		}
		undo(t, j, p, r.Number)
		assert.True(t, maps.Equal(meddled, contents(t, dir)))
	})
}

func TestARevisionKeepsWhoMayReadAndWrite(t *testing.T) {
	file := filepath.Join(t.TempDir(), "clients.csv")
	require.NoError(t, os.WriteFile(file, []byte("old"), 0o600))
	require.NoError(t, os.Chmod(file, 0o646)) // more than the mask would allow
	require.NoError(t, Revision{Path: file, Data: []byte("new"), Was: []byte("old")}.Replace())
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o646), info.Mode().Perm())
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "new", string(data))
	assert.ErrorIs(t, Revision{Path: file, Data: []byte("newer"), Was: []byte("old")}.Replace(), ErrChanged)
	assert.Error(t, Revision{Path: filepath.Dir(file)}.Replace(), "a folder is no file")
	assert.Len(t, snapshot(t, filepath.Dir(file)), 1)
}

func TestARecordThatWasCutOffIsReadAsFarAsItGoes(t *testing.T) {
	j, at := journal(t)
	p := open(t, t.TempDir())
	record(t, j, p)
	whole, err := os.ReadFile(filepath.Join(at, fileName(1)))
	require.NoError(t, err)
	for cut := range len(whole) {
		require.NoError(t, os.WriteFile(filepath.Join(at, fileName(1)), whole[:cut], 0o600))
		records, err := j.Records()
		require.NoError(t, err)
		if len(records) == 1 {
			assert.LessOrEqual(t, len(records[0].Actions), 7)
			assert.True(t, cut == len(whole)-1 || records[0].End == CutShort)
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(at, "notes.txt"), []byte("x"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(at, "000009.jsonl"), []byte("{}"), 0o600))
	_, err = j.Records()
	require.NoError(t, err, "what is no record is left alone")
}

func TestADamagedJournalCannotLeadOutside(t *testing.T) {
	outside := filepath.Join(t.TempDir(), "secret.txt")
	require.NoError(t, os.WriteFile(outside, []byte("secret"), 0o666))
	p := open(t, t.TempDir())
	j, _ := journal(t)
	_, err := j.begin(Head{What: "build"}, each([]Action{
		{Op: "file", Path: "../secret.txt", Sum: checksum([]byte("secret"))},
		{Op: "file", Path: outside, Sum: checksum([]byte("secret"))},
		{Op: "note", Path: "x", Sum: checksum(nil), Was: "../../../etc/passwd"},
	}))
	require.NoError(t, err)
	records, err := j.Records()
	require.NoError(t, err)
	_, err = j.PlanUndo(p, records[0])
	assert.ErrorContains(t, err, "path escapes")
	assert.FileExists(t, outside)
	_, err = j.kept("../../../etc/passwd")
	assert.ErrorContains(t, err, "damaged")
}

func TestAHalfWrittenFileIsTidiedAway(t *testing.T) {
	dir := t.TempDir()
	p := open(t, dir)
	j, _ := journal(t)
	pl, err := plan.Make(wanted, p)
	require.NoError(t, err)
	_, err = j.begin(Head{What: "build", Place: dir}, j.actions(Job{Plan: pl, Notes: []Note{{Path: ".label", Data: says("x")}}}))
	require.NoError(t, err)
	// The power goes while P/A/a.txt is written.
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/A"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/A", partOf(0)), []byte("hel"), 0o666))
	records, err := j.Records()
	require.NoError(t, err)
	assert.Equal(t, CutShort, records[0].End)
	stays, _ := undo(t, j, p, 1)
	assert.Empty(t, stays)
	assert.Empty(t, snapshot(t, dir))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "P/A"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "P/A", partOf(0)), []byte("hel"), 0o666))
	require.NoError(t, os.WriteFile(filepath.Join(dir, partOf(0)), []byte("x"), 0o666)) // a label, half written
	p.Tidy(records[0])
	after := snapshot(t, dir)
	assert.NotContains(t, after, "P/A/"+partOf(0))
	assert.NotContains(t, after, partOf(0))
}

func FuzzParseRecord(f *testing.F) {
	f.Add([]byte("{\"vestibula\":1,\"number\":1}\n{\"op\":\"folder\",\"path\":\"a\"}\n{\"end\":\"done\"}\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if r := parseRecord(data); r != nil && r.Format != 1 {
			t.Fatal("a record of another format")
		}
	})
}
