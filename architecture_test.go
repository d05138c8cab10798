package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors say which packages a package may stand on: those with a lower number.
var floors = map[string]int{
	"core/value": 0, "core/outline": 0, "core/digest": 0, "core/pattern": 1, "core/tree": 1,
	"core/archive": 2, "core/change": 2, "core/table": 2, "core/template": 2, "core/order": 2,
	"core/naming": 3, "core/label": 3, "core/compare": 3, "core/rules": 4, "core/build": 4, "core/batch": 5,
	"core/disk": 6, "examples": 6, "cli/term": 7, "cli": 8, ".": 9,
}

// forbidden are packages and functions that make a core depend on who runs it.
var forbidden = map[string]string{
	"time.Now": "the clock is handed in", "os.Stdout": "the core prints nothing", "os.Stderr": "the core prints nothing", "os.Stdin": "the core asks nothing",
	"os.Getenv": "the environment is handed in", "os.Environ": "the environment is handed in", "fmt.Print": "the core prints nothing",
	"fmt.Println": "the core prints nothing", "fmt.Printf": "the core prints nothing", "os.Exit": "only main ends the program", "os.Args": "only main reads arguments",
}

func TestLowerFloorsKnowNothingOfHigherOnes(t *testing.T) {
	require.NoError(t, filepath.WalkDir(".", func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") || strings.HasPrefix(file, "bench") || strings.HasPrefix(file, "docs") {
			return err
		}
		pkg := path.Dir(filepath.ToSlash(file))
		floor, known := floors[pkg]
		assert.True(t, known, "%s has no floor in the plan of the house", pkg)
		f, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		require.NoError(t, err)
		core := strings.HasPrefix(pkg, "core/")
		for _, imp := range f.Imports {
			name, _ := strconv.Unquote(imp.Path.Value)
			if below, ours := strings.CutPrefix(name, "vestibula/"); ours {
				assert.Less(t, floors[below], floor, "%s imports %s", file, name)
			} else if core {
				for _, outer := range []string{"cobra", "charm", "progressbar", "x/term", "xdg"} {
					assert.NotContains(t, name, outer, "%s: the core has no interface code", file)
				}
			}
		}
		if core {
			ast.Inspect(f, func(n ast.Node) bool {
				if sel, ok := n.(*ast.SelectorExpr); ok {
					if x, ok := sel.X.(*ast.Ident); ok {
						why, bad := forbidden[x.Name+"."+sel.Sel.Name]
						assert.False(t, bad, "%s uses %s.%s: %s", file, x.Name, sel.Sel.Name, why)
					}
				}
				return true
			})
		}
		return nil
	}))
}
