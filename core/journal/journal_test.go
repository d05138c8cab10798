package journal

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/tree"
)

// made is a list that makes some things.
func made(names ...string) (list []change.Change) {
	for _, n := range names {
		list = append(list, change.Change{Op: change.Make, Path: n, Node: &tree.Node{Name: n, Children: []*tree.Node{{Name: "a.txt", Kind: tree.File, Content: tree.Bytes("a")}}}})
	}
	return list
}

func begun(t *testing.T, j *Journal, head Head, list []change.Change) *Record {
	t.Helper()
	if head.Places == nil {
		head.Places = []address.Address{address.Address(address.Text(t.TempDir()))}
	}
	_, err := j.Begin(&head, list)
	require.NoError(t, err)
	return &Record{Head: head}
}

func newJournal(t *testing.T) (*Journal, string) {
	dir := t.TempDir()
	j, err := Make(dir)
	require.NoError(t, err)
	t.Cleanup(func() { j.Close() })
	return j, dir
}

// ends are how the records stand.
func endings(t *testing.T, j *Journal) (list []string) {
	records, err := j.Records()
	require.NoError(t, err)
	for _, r := range records {
		list = append(list, fmt.Sprintf("%d %s %d", r.Number, r.End, r.UndoneBy))
	}
	return list
}

func TestRecordsAreReadBack(t *testing.T) {
	j, _ := newJournal(t)
	r := begun(t, j, Head{What: "build", Title: "first"}, made("P", "Q"))
	require.NoError(t, j.Finish(r.Number, Done, []Root{{Path: "P", Ino: 7}}))
	records, err := j.Records()
	require.NoError(t, err)
	require.Len(t, records, 1)
	assert.Equal(t, []any{"first", Done, uint64(7)}, []any{records[0].Title, records[0].End, records[0].Roots[0].Ino})
	list, places, err := j.Changes(records[0])
	require.NoError(t, err)
	assert.Equal(t, records[0].Places, places)
	var paths []string
	for _, c := range list {
		paths = append(paths, c.Path+" "+c.Kind().String())
	}
	assert.Equal(t, []string{"P folder", "P/a.txt file", "Q folder", "Q/a.txt file"}, paths)
	assert.Equal(t, "ca978112ca1bbdcafac231b39a23dc4da786eff8147c4e72b9807785afee48bb", list[1].Sum)
}

// A record that was cut off, at any byte, is one of which nothing was begun, one
// that was cut short, or whole; none is read as more than it says.
func TestARecordThatWasCutOff(t *testing.T) {
	j, dir := newJournal(t)
	r := begun(t, j, Head{What: "build"}, made("P"))
	file := filepath.Join(dir, "journal", openName(r.Number))
	all, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, j.Finish(r.Number, Done, nil))
	whole, err := os.ReadFile(filepath.Join(dir, "journal", fileName(r.Number)))
	require.NoError(t, err)
	require.NoError(t, os.Remove(filepath.Join(dir, "journal", fileName(r.Number))))
	for cut := range len(whole) {
		require.NoError(t, os.WriteFile(file, whole[:cut], 0o600))
		records, err := j.Records()
		require.NoError(t, err)
		if len(records) == 0 {
			continue // not even its head is there
		}
		want := CutShort
		switch {
		case cut < len(all)-1:
			want = TakenBack
		case cut >= len(whole)-1:
			want = Done
		}
		assert.Equal(t, want, records[0].End, "%d of %d bytes", cut, len(whole))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "journal", "notes.txt"), []byte("x"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "journal", fileName(9)), []byte("{}"), 0o600))
	_, err = j.Records()
	require.NoError(t, err, "what is no record is left alone")
}

// A record of which nothing was begun is as if it had never been, and its number is free.
func TestARecordIsDropped(t *testing.T) {
	j, dir := newJournal(t)
	r := begun(t, j, Head{}, made("a"))
	require.NoError(t, j.Drop(r.Number))
	assert.Empty(t, endings(t, j))
	assert.Equal(t, r.Number, begun(t, j, Head{}, made("b")).Number)
	require.NoError(t, os.RemoveAll(dir))
	_, err := j.Begin(&Head{}, made("c"))
	var unwritten *Error
	require.ErrorAs(t, err, &unwritten)
	assert.EqualError(t, err, "the journal: it is not there")
	assert.False(t, unwritten.Done)
}

func TestUndosAreFollowed(t *testing.T) {
	j, _ := newJournal(t)
	finish := func(r *Record) { require.NoError(t, j.Finish(r.Number, Done, nil)) }
	finish(begun(t, j, Head{What: "build"}, made("P")))
	finish(begun(t, j, Head{What: "undo", Undoes: 1}, nil))
	assert.Equal(t, []string{"1 done 2", "2 done 0"}, endings(t, j))
	finish(begun(t, j, Head{What: "undo", Undoes: 2}, nil))
	assert.Equal(t, []string{"1 done 0", "2 done 3", "3 done 0"}, endings(t, j), "its undo was undone, so it holds again")
	begun(t, j, Head{What: "undo", Undoes: 1}, nil)
	assert.Equal(t, "4  0", endings(t, j)[3], "an undo that was cut short")
	finish(begun(t, j, Head{What: "undo", Undoes: 1, Continues: []int{4}}, nil))
	assert.Equal(t, "4 continued later 0", endings(t, j)[3], "has nothing left to do when another one has done it")
	records, err := j.Records()
	require.NoError(t, err)
	require.NoError(t, j.Forget(records[0]))
	assert.Equal(t, "1 forgotten 5", endings(t, j)[0])
	assert.Equal(t, 6, begun(t, j, Head{What: "build"}, nil).Number, "no number is given twice")
}

func TestRunsAtOneTimeHaveNumbersOfTheirOwn(t *testing.T) {
	j, dir := newJournal(t)
	var group sync.WaitGroup
	numbers := make([]int, 16)
	for i := range numbers {
		group.Go(func() {
			own, err := Open(dir)
			if assert.NoError(t, err) {
				head := Head{What: "build", Places: []address.Address{"/"}}
				_, err = own.Begin(&head, made(fmt.Sprint(i)))
				assert.NoError(t, err)
				numbers[i] = head.Number
				own.Close()
			}
		})
	}
	group.Wait()
	slices.Sort(numbers)
	assert.Len(t, slices.Compact(numbers), 16)
	assert.Len(t, endings(t, j), 16)
}

// Only a number and the endings of records make the name of one.
func TestOtherFilesAreNoRecords(t *testing.T) {
	for name, want := range map[string]int{"000001.jsonl": 1, "000012.jsonl.open": 12, "000001.json": 0, "000001": 0, "x.jsonl": 0, "0.jsonl": 0, "-1.jsonl": 0, "7": 0} {
		number, open := numberOf(name)
		assert.Equal(t, want, number, name)
		assert.Equal(t, want > 0 && strings.HasSuffix(name, ".open"), open, name)
	}
}

type unreadable struct{}

func (unreadable) Open() (io.ReadCloser, error) { return nil, errors.New("the medium is gone") }
func (unreadable) Source() string               { return "starters/a.md" }

func TestWhatCannotBeReadStopsARecordBeforeItBegins(t *testing.T) {
	j, _ := newJournal(t)
	head := Head{What: "build"}
	_, err := j.Begin(&head, []change.Change{{Op: change.Make, Path: "a", Node: &tree.Node{Name: "a", Kind: tree.File, Content: unreadable{}}}})
	var unread *ContentError
	require.ErrorAs(t, err, &unread)
	assert.Equal(t, "starters/a.md cannot be read: the medium is gone", err.Error())
	assert.Empty(t, endings(t, j))
	_, err = Open(filepath.Join(t.TempDir(), "none"))
	assert.ErrorIs(t, err, os.ErrNotExist, "where nothing was ever written down")
}

func TestARecordIsUnderTheFoldersThatItChanged(t *testing.T) {
	r := Record{Head: Head{Places: []address.Address{"/home/o/Clients", "/home/o"}, Roots: []Root{{Path: "Oriel"}, {Path: "Jun"}}, Title: "Commission"}}
	for dir, want := range map[string]bool{"/home/o/Clients": true, "/home/o": true, "/": true, "/home/o/Clients/Oriel": false, "/home/o/Client": false} {
		assert.Equal(t, want, r.Under(address.Address(dir)), dir)
	}
	assert.Equal(t, "Commission", r.Name())
	r.Project = "Oriel"
	assert.Equal(t, "Oriel", r.Name())
}

func FuzzRecords(f *testing.F) {
	f.Add([]byte("{\"vestibula\":2,\"number\":1}\n{\"op\":\"make\",\"path\":\"a/\"}\n{\"all\":1}\n{\"end\":\"done\"}\n"))
	f.Add([]byte("{\"vestibula\":2,\"number\":1}\n{\"op\":\"copy\",\"path\":\"a\",\"from\":\"b\"}\n{\"copied\":0,\"sum\":\"x\"}\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		first, last, _ := strings.Cut(string(data), "\n")
		if r := parseHead([]byte(first), []byte(last)); r != nil && r.Format != format {
			t.Fatal("a record of another format")
		}
		list, _ := parseChanges(data)
		for _, c := range InPlaces(list, []address.Address{"/"}, &[]address.Address{"/"}) {
			if c.In != 0 || c.FromIn != 0 || !change.Local(c.Path) {
				t.Fatal("a change leads out")
			}
		}
	})
}

// Whatever lies beside a record, only what is as its checksum says is given to a file.
func FuzzContents(f *testing.F) {
	f.Add([]byte(digest.Bytes([]byte("one")) + " 3\none"))
	f.Add([]byte("00 3\none"))
	f.Add([]byte("x -1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		for sum, content := range parseContents(data) {
			r, err := content.Open()
			require.NoError(t, err)
			is, err := digest.Of(r)
			require.NoError(t, err)
			assert.Equal(t, sum, is)
		}
	})
}
