package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors are those of the plan in docs/architecture.md: which packages a
// package may stand on, those of lower floors.
func floors(t *testing.T) map[string]int {
	text, err := os.ReadFile("docs/architecture.md")
	require.NoError(t, err)
	out := map[string]int{"examples": 0}
	for _, row := range regexp.MustCompile(`(?m)^ *([0-9]+) │ (.*?) *│`).FindAllStringSubmatch(string(text), -1) {
		floor, _ := strconv.Atoi(row[1])
		for _, name := range strings.Fields(row[2]) {
			if name != "." && !strings.HasPrefix(name, "cli") {
				name = "core/" + name
			}
			out[name] = floor
		}
	}
	return out
}

// forbidden are packages and functions that make a core depend on who runs it.
var forbidden = map[string]string{
	"time.Now": "the clock is handed in", "os.Stdout": "the core prints nothing", "os.Stderr": "the core prints nothing", "os.Stdin": "the core asks nothing",
	"os.Getenv": "the environment is handed in", "os.Environ": "the environment is handed in", "fmt.Print": "the core prints nothing",
	"fmt.Println": "the core prints nothing", "fmt.Printf": "the core prints nothing", "os.Exit": "only main ends the program", "os.Args": "only main reads arguments",
}

// writing are functions that change a disk. Package folder is what all changes go
// through; the journal and the register make their own folder, where nothing of a
// person's lies.
var (
	writing = strings.Fields("Create CreateTemp WriteFile Mkdir MkdirAll MkdirTemp Remove RemoveAll Rename Link Symlink Chmod Chtimes Chown Truncate OpenFile CopyFS OpenRoot")
	writers = map[string][]string{"core/folder": writing, "core/journal": {"MkdirAll"}, "core/register": {"MkdirAll"}, "core/place": {"OpenRoot"}, "core/drive/drivetest": {"MkdirTemp", "RemoveAll", "Chmod"}}
	// looking are functions that see this disk alone: what lies on a drive is seen by those of package
	// place, which others call.
	looking = strings.Fields("os.Stat os.Lstat os.Open os.Readlink os.ReadDir os.ReadFile os.DirFS filepath.EvalSymlinks filepath.Walk filepath.WalkDir filepath.Glob")
	lookers = map[string][]string{"core/place": looking, "core/folder": looking, "core/tree": {"os.Stat", "os.Lstat", "os.Open"}, "core/disk": {"os.Stat"}, "core/register": {"os.Lstat"}, "core/drive/drivetest": looking, "core/folder/foldertest": looking, "cli": {"os.DirFS"}}
	// doors are packages that only some may enter.
	doors = map[string][]string{"core/folder": {"core/disk", "core/journal", "core/register", "core/place", "core/packed", "core/drive", "core/drive/drivetest", "core/folder/foldertest"}, "core/register": {"core/disk", "core/journal"}}
)

func TestLowerFloorsKnowNothingOfHigherOnes(t *testing.T) {
	t.Parallel()
	floors := floors(t)
	require.Greater(t, len(floors), 20)
	seen := map[string]bool{".": true, "examples": true}
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") || strings.HasPrefix(file, "bench") || strings.HasPrefix(file, "docs") || strings.HasPrefix(file, "release") {
			return err
		}
		pkg := path.Dir(filepath.ToSlash(file))
		floor, known := floors[pkg]
		assert.True(t, known, "%s has no floor in docs/architecture.md", pkg)
		seen[pkg] = true
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		require.NoError(t, err)
		core := strings.HasPrefix(pkg, "core/")
		for _, imp := range f.Imports {
			name, _ := strconv.Unquote(imp.Path.Value)
			if below, ours := strings.CutPrefix(name, "vestibula/"); ours {
				assert.Less(t, floors[below], floor, "%s imports %s", file, name)
				if allowed := doors[below]; allowed != nil {
					assert.Contains(t, allowed, pkg, "%s may not import %s", file, name)
				}
			} else if core {
				for _, outer := range []string{"cobra", "charm.land", "x/term", "xdg"} {
					assert.NotContains(t, name, outer, "%s: the core has no interface code", file)
				}
			}
		}
		ast.Inspect(f, func(n ast.Node) bool {
			if call, ok := n.(*ast.CallExpr); ok && pkg != "cli/term" {
				if sel, ok := call.Fun.(*ast.SelectorExpr); ok && sel.Sel.Name == "Shown" {
					_, written := call.Args[0].(*ast.BasicLit)
					assert.True(t, written, "%s: a text of others reaches a terminal through term.Visible only", file)
				}
			}
			if sel, ok := n.(*ast.SelectorExpr); ok {
				if x, ok := sel.X.(*ast.Ident); ok {
					why, bad := forbidden[x.Name+"."+sel.Sel.Name]
					assert.False(t, core && bad, "%s uses %s.%s: %s", file, x.Name, sel.Sel.Name, why)
					if name := x.Name + "." + sel.Sel.Name; slices.Contains(looking, name) {
						assert.Contains(t, lookers[pkg], name, "%s uses %s, which sees no drive: package place does", file, name)
					}
					if x.Name == "os" && slices.Contains(writing, sel.Sel.Name) {
						assert.Contains(t, writers[pkg], sel.Sel.Name, "%s uses os.%s: only package disk writes", file, sel.Sel.Name)
					}
				}
			}
			return true
		})
		return nil
	}))
	for pkg := range floors {
		assert.True(t, seen[pkg], "%s stands in docs/architecture.md, and is not there", pkg)
	}
}

// A newcomer reads a function on one screen, and a file in one sitting.
func TestFunctionsAndFilesAreShort(t *testing.T) {
	t.Parallel()
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") {
			return err
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, file, nil, 0)
		require.NoError(t, err)
		assert.LessOrEqual(t, set.Position(f.FileEnd).Line, 500, file)
		for _, d := range f.Decls {
			if fun, ok := d.(*ast.FuncDecl); ok && !strings.HasSuffix(file, "_test.go") {
				assert.LessOrEqual(t, set.Position(fun.End()).Line-set.Position(fun.Pos()).Line+1, 60, "%s: %s has too many lines", file, fun.Name)
				assert.LessOrEqual(t, fun.Type.Params.NumFields(), 5, "%s: %s has too many parameters", file, fun.Name)
			}
		}
		return nil
	}))
}

// What a person is told to type is an advice: no other text holds a command. Help and the
// manual show commands as well.
func TestCommandsAreToldAsAdvice(t *testing.T) {
	t.Parallel()
	told := regexp.MustCompile(`\bvestibula (--help|[a-z]+)`)
	files, err := filepath.Glob("cli/*.go")
	require.NoError(t, err)
	for _, file := range files {
		if base := filepath.Base(file); strings.HasSuffix(base, "_test.go") || base == "advice.go" || base == "topics.go" {
			continue
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		require.NoError(t, err)
		ast.Inspect(parsed, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.KeyValueExpr:
				key, _ := n.Key.(*ast.Ident)
				return key == nil || key.Name != "Long" && key.Name != "Example" && key.Name != "Use"
			case *ast.BasicLit:
				assert.NotRegexp(t, told, n.Value, "%s: say it with advise", file)
			}
			return true
		})
	}
}

// Core knows of no command and of no option, and decides nothing by what a text says: what a
// caller has to know is a type, or a value of its own.
func TestCoreSpeaksOfNoCommandAndEnglishDecidesNothing(t *testing.T) {
	t.Parallel()
	told := regexp.MustCompile(`\bvestibula [a-z-]|(^|[ "“(\x60])--[a-z]`)
	decides := map[string]bool{"Contains": true, "HasPrefix": true, "HasSuffix": true, "Index": true, "ContainsAny": true, "EqualFold": true}
	texts := map[string]bool{"Message": true, "Why": true, "Help": true, "Error": true}
	said := func(n ast.Expr) bool { // it is a text for a person
		if call, is := n.(*ast.CallExpr); is {
			n = call.Fun
		}
		selector, is := n.(*ast.SelectorExpr)
		return is && texts[selector.Sel.Name]
	}
	looked := 0
	for _, floor := range []string{"core", "cli"} {
		require.NoError(t, filepath.WalkDir(floor, func(file string, e os.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
				return err
			}
			parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
			require.NoError(t, err)
			looked++
			ast.Inspect(parsed, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.BasicLit:
					if floor == "core" && n.Kind == token.STRING {
						assert.NotRegexp(t, told, n.Value, file)
					}
				case *ast.CallExpr:
					f, is := n.Fun.(*ast.SelectorExpr)
					if pkg, named := f, is; named && len(n.Args) > 0 {
						if in, known := pkg.X.(*ast.Ident); known && in.Name == "strings" && decides[pkg.Sel.Name] && said(n.Args[0]) {
							assert.Fail(t, "a text decides", "%s: strings.%s", file, pkg.Sel.Name)
						}
					}
				case *ast.BinaryExpr:
					if (n.Op == token.EQL || n.Op == token.NEQ) && (said(n.X) || said(n.Y)) {
						for _, side := range []ast.Expr{n.X, n.Y} {
							if text, is := side.(*ast.BasicLit); is && text.Value != `""` {
								assert.Fail(t, "a text decides", "%s: %s", file, text.Value)
							}
						}
					}
				}
				return true
			})
			return nil
		}))
	}
	assert.Greater(t, looked, 200)
}

// The files that the page names are there.
func TestQuestionsAreAnsweredInFilesThatAreThere(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("docs/architecture.md")
	require.NoError(t, err)
	named := regexp.MustCompile(`\| .(core/[a-z/]+\.go). \|`).FindAllStringSubmatch(string(text), -1)
	assert.Greater(t, len(named), 9)
	for _, file := range named {
		assert.FileExists(t, file[1])
	}
}
