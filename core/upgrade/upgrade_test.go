package upgrade

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/address"
	"vestibula/core/change"
	"vestibula/core/digest"
	"vestibula/core/disk"
	"vestibula/core/journal"
	"vestibula/core/label"
	"vestibula/core/match"
	"vestibula/core/project"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/undo"
	"vestibula/core/value"
)

var now = time.Date(2027, 3, 9, 12, 0, 0, 0, time.UTC)

// An outlineLine is a line of a random template.
type outlineLine struct {
	name     string
	numbered bool
	file     bool
	was      []string
	inside   []*outlineLine
}

func (l *outlineLine) text(b *strings.Builder, indent string) {
	b.WriteString(indent)
	if l.numbered {
		b.WriteString("<#> ")
	}
	b.WriteString(l.name)
	if l.file {
		b.WriteString(".txt | fill: plan.md")
	} else {
		b.WriteString("/")
	}
	for _, w := range l.was {
		b.WriteString(" | was: " + w)
	}
	b.WriteByte('\n')
	for _, c := range l.inside {
		c.text(b, indent+"    ")
	}
}

func templateOf(t require.TestingT, lines []*outlineLine, plan string) *template.Template {
	var b strings.Builder
	b.WriteString("---\nfields: { client: Who? }\n---\n<client> | project\n")
	for _, l := range lines {
		l.text(&b, "    ")
	}
	tpl, err := template.Parse("t.folders", b.String(), starters(plan))
	require.NoError(t, err, b.String())
	return tpl
}

func starters(plan string) fs.FS {
	dir, err := os.MkdirTemp("", "vestibula-starters-")
	if err != nil {
		panic(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "plan.md"), []byte(plan), 0o666); err != nil {
		panic(err)
	}
	return os.DirFS(dir)
}

// A draw makes random templates, and changes them as people do.
type draw struct {
	*rapid.T
	words int
}

func (d *draw) word() string {
	d.words++
	list := strings.Fields("Anchor Basin Candle Dipper Ember Fathom Girder Hammer Inkwell Jigsaw Kettle Lantern Mantle Needle Orchard Paddle Quiver Ribbon Saddle Timber Urchin Velvet Willow Yarrow Zenith")
	return list[d.words%len(list)] + strings.Repeat("x", d.words/len(list))
}

func (d *draw) lines(depth int) (list []*outlineLine) {
	for range rapid.IntRange(1, 4).Draw(d.T, "lines") {
		l := &outlineLine{name: d.word(), numbered: rapid.Bool().Draw(d.T, "numbered")}
		if rapid.IntRange(0, 4).Draw(d.T, "file") == 0 {
			l.file, l.numbered = true, false
		} else if depth < 2 && rapid.Bool().Draw(d.T, "deeper") {
			l.inside = d.lines(depth + 1)
		}
		list = append(list, l)
	}
	return list
}

// changed is a copy of lines in which something is inserted, dropped, renamed, turned
// round, nested deeper, or put together.
func (d *draw) changed(lines []*outlineLine) (list []*outlineLine) {
	joined := -1
	for i, l := range lines {
		if i == joined {
			continue
		}
		next := *l
		next.was = nil
		if i+1 < len(lines) && !l.file && !lines[i+1].file && rapid.IntRange(0, 4).Draw(d.T, "joined") == 0 {
			joined = i + 1
			next.name, next.was = d.word(), []string{l.name, lines[joined].name}
			next.inside = append(d.changed(l.inside), d.changed(lines[joined].inside)...)
			list = append(list, &next)
			continue
		}
		switch rapid.IntRange(0, 9).Draw(d.T, "change") {
		case 0:
			list = append(list, &outlineLine{name: d.word(), numbered: true}) // one in front
		case 1:
			if len(lines) > 1 {
				continue
			}
		case 2:
			if !l.file {
				next.name, next.was = d.word(), []string{l.name}
			}
		case 3:
			next.numbered = !l.numbered && !l.file
		case 4: // into a new folder
			next.inside = d.changed(l.inside)
			list = append(list, &outlineLine{name: d.word(), numbered: next.numbered, inside: []*outlineLine{&next, {name: d.word()}}})
			continue
		}
		next.inside = d.changed(l.inside)
		list = append(list, &next)
	}
	if len(list) > 1 && rapid.IntRange(0, 3).Draw(d.T, "turned") == 0 {
		i := rapid.IntRange(0, len(list)-2).Draw(d.T, "where")
		list[i], list[i+1] = list[i+1], list[i]
	}
	return list
}

// whole is all that lies below a folder, but for the label and what is kept.
func whole(t require.TestingT, dir string) map[string]string {
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, e fs.DirEntry, err error) error {
		rel, _ := filepath.Rel(dir, p)
		switch {
		case err != nil || rel == ".":
			return err
		case strings.HasPrefix(e.Name(), ".vestibula-"):
			return fs.SkipDir
		case e.IsDir():
			info, err := e.Info()
			require.NoError(t, err)
			all[rel+"/"] = info.ModTime().String()
			return nil
		}
		data, err := os.ReadFile(p)
		all[rel] = string(data)
		return err
	}))
	return all
}

// After any change of a template, the project is what the new one makes; no file of a
// person's is gone, changed or there twice; and the undo brings everything back.
func TestAfterAnUpgradeTheProjectIsWhatTheTemplateMakes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := &draw{t, 0}
		lines := d.lines(0)
		lines = append(lines, &outlineLine{name: "Always", numbered: true}, &outlineLine{name: "Besides"})
		old := templateOf(t, lines, "the plan of <client>")
		top, err := os.MkdirTemp("", "vestibula-upgrade-")
		require.NoError(t, err)
		defer os.RemoveAll(top)
		top, err = filepath.EvalSymlinks(top)
		require.NoError(t, err)
		values := template.Values{"client": value.Of("Oriel Pask")}
		w, err := match.Of(old, values, 10_000, now)
		require.NoError(t, err)
		dir := filepath.Join(top, "Oriel Pask")
		require.NoError(t, os.Mkdir(dir, 0o777))
		l := &label.Label{ID: "x", Build: *label.NewBuild(old, values, now, "0"), Given: map[string]string{}}
		mine := 0
		for at, n := range w.Own.Built().All() {
			full := filepath.Join(dir, at)
			if n.Kind == tree.Folder {
				require.NoError(t, os.Mkdir(full, 0o777))
				if rapid.IntRange(0, 2).Draw(t, "mine") == 0 {
					mine++
					require.NoError(t, os.WriteFile(filepath.Join(full, fmt.Sprintf("mine %d.odt", mine)), []byte(fmt.Sprint("mine ", mine)), 0o666))
				}
				continue
			}
			var text strings.Builder
			require.NoError(t, tree.Copy(&text, n.Content))
			l.Given[strings.Clone(at)] = digest.Bytes([]byte(text.String()))
			data := text.String()
			if rapid.IntRange(0, 3).Draw(t, "edited") == 0 {
				mine++
				data = fmt.Sprint("mine ", mine)
			}
			require.NoError(t, os.WriteFile(full, []byte(data), 0o666))
		}
		data, err := l.Encode()
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, label.FileName), data, 0o666))
		for at := range whole(t, top) {
			if strings.HasSuffix(at, "/") {
				require.NoError(t, os.Chtimes(filepath.Join(top, at), time.Time{}, now.AddDate(-1, 0, -len(at))))
			}
		}
		before := whole(t, top)

		words := rapid.SampledFrom([]string{"the plan of", "another plan of"}).Draw(t, "words")
		agrees := rapid.Bool().Draw(t, "agrees")
		next := templateOf(t, d.changed(lines), words+" <client>")
		values = template.Values{"client": value.Of(rapid.SampledFrom([]string{"Oriel Pask", "Jun Teague"}).Draw(t, "client"))}
		p, err := project.With(address.Address(dir), l, old, nil, now)
		require.NoError(t, err)
		full, _, err := tree.Read(dir, nil, nil)
		require.NoError(t, err)
		seen, err := match.Seen(full, next)
		require.NoError(t, err)
		plan, err := new(Planner).Plan(&Job{Project: p, Template: next, Values: values, Full: full, Seen: seen, Limit: 10_000, Now: now, Own: label.Own, Sum: func(at string) (string, error) {
			data, err := os.ReadFile(filepath.Join(dir, at))
			return digest.Bytes(data), err
		}})
		require.NoError(t, err, "%s\n%s", old.Text, next.Text)
		for _, s := range plan.Steps {
			if s.written != "" {
				assert.NotEqual(t, "the plan of", words, "only the value of %s changes", s.From)
				s.Agreed = agrees
			}
		}
		set := &change.Set{Places: []address.Address{address.Address(top)}, Changes: plan.Changes()}
		writer := &disk.Writer{Dir: filepath.Join(top, "..", filepath.Base(top)+"-state")}
		defer os.RemoveAll(writer.Dir)
		prepared, err := disk.Prepare(set)
		require.NoError(t, err)
		require.Empty(t, prepared.Blocked, "%s\n%s", old.Text, next.Text)
		record := &journal.Record{}
		if len(prepared.List) > 0 {
			record, err = writer.Apply(prepared, journal.Head{What: "upgrade"})
			require.NoError(t, err)
		}
		after := whole(t, top)
		for m := range mine {
			want := fmt.Sprint("mine ", m+1)
			times := 0
			for _, text := range after {
				if text == want {
					times++
				}
			}
			assert.Equal(t, 1, times, "%q after\n%s\n%s", want, old.Text, next.Text)
		}
		root, unread, err := tree.Read(filepath.Join(top, plan.Becomes), nil, nil)
		require.NoError(t, err)
		require.Empty(t, unread)
		root.Children = slices.DeleteFunc(root.Children, func(n *tree.Node) bool { return n.Name == label.FileName })
		w, err = match.Of(next, values, 10_000, now)
		require.NoError(t, err)
		for _, thing := range match.Compare(w, root) {
			if thing.Kind == match.Missing || thing.Kind == match.Misnamed && thing.Sure {
				assert.Fail(t, "it is not what the template makes", "%v %s of\n%s\n%s", thing.Kind, thing.Path, old.Text, next.Text)
			}
		}
		// What nobody has touched says what the template says by now.
		for at, n := range w.Own.Built().All() {
			if n.Kind != tree.File || n.Content == nil {
				continue
			}
			var text strings.Builder
			require.NoError(t, tree.Copy(&text, n.Content))
			is := after[filepath.Join(plan.Becomes, at)]
			if slices.ContainsFunc(plan.Steps, func(s *Step) bool { return s.Op == change.Move && s.Probable && strings.HasPrefix(at, s.To) }) {
				continue // its folder waits for an answer
			}
			refused := words != "the plan of" && !agrees && is == "the plan of Oriel Pask"
			assert.True(t, is == text.String() || refused || strings.HasPrefix(is, "mine "), "%s says %q, and is to say %q by\n%s\n%s", at, is, text.String(), old.Text, next.Text)
		}
		if record.Number > 0 {
			j, err := journal.Open(writer.Dir)
			require.NoError(t, err)
			defer j.Close()
			records, err := j.Records()
			require.NoError(t, err)
			u, err := undo.Plan(j, records, records[len(records)-1], undo.Where{Here: address.Address(top)}, undo.Revise{})
			require.NoError(t, err)
			_, err = writer.Apply(disk.TakeBack(&u.Back), journal.Head{What: "undo"})
			require.NoError(t, err)
			assert.Equal(t, before, whole(t, top), "an undo brings it back")
		}
	})
}
