package plan

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/change"
	"vestibula/core/table"
	"vestibula/core/tree"
)

// disk is what stands there: folders end in a slash, links in @.
type disk []string

func (d disk) Look(path string) (tree.Entry, error) {
	for _, p := range d {
		switch {
		case p == path+"/":
			return tree.Entry{Kind: tree.Folder}, nil
		case p == path:
			return tree.Entry{Kind: tree.File}, nil
		case p == path+"@":
			return tree.Entry{Kind: tree.Symlink}, nil
		case strings.HasSuffix(p, "@") && strings.HasPrefix(path, p[:len(p)-1]+"/"):
			return tree.Entry{}, errors.New("something on the way to it is no folder")
		}
	}
	return tree.Entry{}, fs.ErrNotExist
}

// Tree lists what lies in a folder.
func (d disk) Tree(path string) (*tree.Node, error) {
	n := &tree.Node{Name: path}
	for _, p := range d {
		name, below := strings.CutPrefix(p, path+"/")
		if below && name != "" && !strings.Contains(strings.TrimSuffix(name, "/"), "/") {
			c := &tree.Node{Name: strings.TrimSuffix(name, "/"), Kind: tree.File}
			if c.Name != name {
				c, _ = d.Tree(path + "/" + c.Name)
				c.Name = strings.TrimSuffix(name, "/")
			}
			n.Children = append(n.Children, c)
		}
	}
	return n, nil
}

// Sum says that files are equal whose names are.
func (d disk) Sum(path string) (string, error) { return path[strings.LastIndex(path, "/")+1:], nil }

// Own names the files that end so.
func (d disk) Own(path string) bool { return strings.HasSuffix(path, ".own") }

// written are the changes of a plan, one text each.
func written(p *Planned) (lines []string) {
	for i, c := range p.Set.Changes {
		lines = append(lines, fmt.Sprintf("%d %s %s>%s", p.Rows[i], c.Op, c.From, c.Path))
	}
	return lines
}

func TestRowsAreWhatPeopleWrite(t *testing.T) {
	on := disk{"Shelf/", "Shelf/01 Buoys/", "Shelf/01 Buoys/a.txt", "Shelf/02 Tides/", "b.txt", "lnk@", "Shelf/.own"}
	for _, x := range []struct{ name, table, want, wrong string }{
		{"its columns are called as people call them", "Old Path,note,New path\nb.txt,,c.txt\n", "2 move b.txt>c.txt", ""},
		{"backslashes, spaces, dots and a quote", "from,to\n Shelf\\02 Tides\\ ,Shelf\\03 Tides\n'b.txt,x/../c.txt\n", "2 move Shelf/02 Tides>Shelf/03 Tides; 3 move b.txt>c.txt", ""},
		{"folders on the way", "from,to\nb.txt,New/one/b.txt\nShelf/01 Buoys/a.txt,New/a.txt\n", "2 move b.txt>New/one/b.txt; 3 move Shelf/01 Buoys/a.txt>New/a.txt; 0 make >New; 0 make >New/one", ""},
		{"one of a name that goes", "from,to\nShelf/01 Buoys,Shelf/09 Buoys\nb.txt,Shelf/01 Buoys/b.txt\n", "2 move Shelf/01 Buoys>Shelf/09 Buoys; 3 move b.txt>Shelf/01 Buoys/b.txt; 0 make >Shelf/01 Buoys", ""},
		{"two that change places", "from,to\nShelf/01 Buoys,Shelf/02 Tides\nShelf/02 Tides,Shelf/01 Buoys\n", "2 move Shelf/01 Buoys>Shelf/02 Tides; 3 move Shelf/02 Tides>Shelf/01 Buoys", ""},
		{"a new folder, one that is there, a copy, a link", "what,from,to\n,,New\nmake,,Shelf/\ncopy,b.txt,c.txt\ncopy,b.txt,d.txt\nmove,lnk,l\n", "2 make >New; 4 copy b.txt>c.txt; 5 copy b.txt>d.txt; 6 move lnk>l", ""},
		{"what is only to be read", "what,from,to\nmake,,new.txt\nremove,b.txt,\nreplace,,b.txt\n,b.txt,./b.txt\n,,\n", "", ""},
		{"out of the folder", "from,to\n../b.txt,c\nb.txt,Shelf/../../c\n/etc/passwd,p\nC:\\x,y\n", "", "2 “../b.txt” leads out; 3 “Shelf/../../c” leads out; 4 “/etc/passwd” is a path of its own; 5 “C:\\x” is a path of its own"},
		{"through a link", "from,to\nlnk/x,y\n", "", "2 “lnk/x” cannot be looked at: something on the way"},
		{"not there", "from,to\ngone,y\n", "", "2 there is no “gone”"},
		{"into itself", "from,to\nShelf,Shelf/in/deep\n", "2 into", "2 “Shelf” cannot be moved into itself"},
		{"two to one, by letters that some systems hold for the same", "from,to\nb.txt,New\nShelf/01 Buoys/a.txt,NEW\n", "", "3 “NEW” is made by row 2"},
		{"one to two", "from,to\nb.txt,c\nb.txt,d\n", "", "3 “b.txt” is moved by row 2"},
		{"a folder is not copied", "what,from,to\ncopy,Shelf,Again\n", "", "2 “Shelf” is a folder"},
		{"what is our own", "from,to\nShelf/.own,x\nb.txt,Shelf/.own\n", "", "2 “Shelf/.own” is the program's own; 3 “Shelf/.own” is a name of the program's own"},
	} {
		t.Run(x.name, func(t *testing.T) {
			read, err := table.Read("plan.csv", []byte(x.table), table.Options{})
			require.NoError(t, err)
			rows, err := Read(read)
			require.NoError(t, err)
			p, problems := Set(rows, "/", on)
			if x.wrong == "" {
				require.Empty(t, problems)
				assert.Equal(t, x.want, strings.Join(written(p), "; "))
				assert.Len(t, p.Skipped, len(rows)-len(slices.DeleteFunc(slices.Clone(p.Rows), func(r int) bool { return r == 0 })))
				return
			}
			wants := strings.Split(x.wrong, "; ")
			require.Len(t, problems, len(wants), problems)
			for i, want := range wants {
				assert.True(t, strings.HasPrefix(fmt.Sprintf("%d %s", problems[i].Row, problems[i].Message), want), problems[i])
			}
		})
	}
	other, err := table.Read("plan.csv", []byte("a,b\n1,2\n"), table.Options{})
	require.NoError(t, err)
	_, err = Read(other)
	assert.ErrorContains(t, err, "no column called to")
}

// What is written as a table is the same plan when it is read.
func TestPlansComeBackFromTheirTables(t *testing.T) {
	name := rapid.StringOfN(rapid.RuneFrom([]rune("ab01 =\\'\",;:é_x-")), 1, 8, -1)
	rapid.Check(t, func(t *rapid.T) {
		var on disk
		var changes []change.Change
		for i := range rapid.IntRange(1, 8).Draw(t, "moves") {
			from, to := fmt.Sprintf("%d%s", i, name.Draw(t, "from")), fmt.Sprintf("%d %sz", i, name.Draw(t, "to"))
			kind := rapid.SampledFrom([]tree.Kind{tree.Folder, tree.File, tree.Symlink}).Draw(t, "kind")
			op := change.Move
			if kind == tree.File && rapid.Bool().Draw(t, "copy") {
				op = change.Copy
			}
			on = append(on, "in/"+from+map[tree.Kind]string{tree.Folder: "/", tree.Symlink: "@"}[kind])
			changes = append(changes, change.Change{Op: op, From: from, Path: to, Was: change.State{Entry: tree.Entry{Kind: kind}}, Why: "so"})
		}
		changes = append(changes, change.Change{Op: change.Make, Path: "new", Node: &tree.Node{Children: []*tree.Node{{Name: "below"}, {Name: "x.own", Kind: tree.File}}}},
			change.Change{Op: change.Replace, Path: "x.own"})
		file := rapid.SampledFrom([]string{"p.csv", "p.xlsx"}).Draw(t, "file")
		for i := range changes {
			changes[i].Probable = changes[i].Op == change.Copy
		}
		rows := Rows(changes, []Open{{"move", "./lost", "who knows", []string{"./a/lost", "./b/lost"}, ""}}, func(int) string { return "in" }, disk(nil).Own)
		assert.Equal(t, []string{"move", "./lost", "", "who knows", "", "./a/lost", "./b/lost"}, rows[len(rows)-1])
		rows = rows[:len(rows)-1]
		for _, r := range rows[1:] {
			copied := r[0] == "copy"
			assert.Equal(t, map[bool]string{true: "probable", false: "sure"}[copied], r[4])
			if copied { // nobody has decided it yet
				assert.Empty(t, r[2])
				r[2] = r[5]
			}
		}
		data, err := table.Write(file, rows)
		var unkept *table.TextError
		if errors.As(err, &unkept) {
			return // a name that ends in a space
		}
		require.NoError(t, err)
		read, err := table.Read(file, data, table.Options{})
		require.NoError(t, err)
		back, err := Read(read)
		require.NoError(t, err)
		p, problems := Set(back, "/", append(on, "in/"))
		require.Empty(t, problems)
		var want []string
		for i, c := range changes[:len(changes)-2] {
			want = append(want, fmt.Sprintf("%d %s in/%s>in/%s", i+2, c.Op, c.From, c.Path))
		}
		n := len(want)
		assert.Equal(t, append(want, fmt.Sprintf("%d make >in/new", n+2), fmt.Sprintf("%d make >in/new/below", n+3)), written(p))
	})
}
