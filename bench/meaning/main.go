// Command meaning changes the meaning of the code in one place at a time, a comparison, a
// constant or a condition, and runs the tests: a change that no test notices is a promise
// that nothing holds.
//
//	go run ./bench/meaning -n 60 -seed 7
//	go run ./bench/meaning -at core/change/check.go:460
//
// The tests of the package come first, then those of the packages that stand on it, then
// those of the built program. The sources themselves are never written to.
package main

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// where are the packages whose promises matter most.
const where = "change disk folder journal match put rename next upgrade naming rules draft"

// A site is a place in a file, and what could stand there instead.
type site struct {
	file       string
	line       int
	start, end int // in bytes
	was, is    string
}

func main() {
	n := flag.Int("n", 60, "how many changes")
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano()), "what decides which")
	packages := flag.String("packages", where, "the packages in core/, with spaces between")
	at := flag.String("at", "", "only the changes at this FILE:LINE")
	whole := flag.Bool("whole", true, "run the tests of the built program as well")
	flag.Parse()
	var sites []site
	for _, name := range strings.Fields(*packages) {
		files, _ := filepath.Glob(filepath.Join("core", name, "*.go"))
		for _, file := range files {
			if strings.HasSuffix(file, "_test.go") || strings.HasSuffix(file, "_windows.go") || strings.HasSuffix(file, "_darwin.go") || strings.HasSuffix(file, "_other.go") {
				continue
			}
			found, err := sitesOf(file)
			if err != nil {
				fmt.Fprintln(os.Stderr, err)
				os.Exit(2)
			}
			sites = append(sites, found...)
		}
	}
	random := rand.New(rand.NewPCG(*seed, 0))
	random.Shuffle(len(sites), func(i, j int) { sites[i], sites[j] = sites[j], sites[i] })
	if *at != "" {
		var only []site
		for _, s := range sites {
			if fmt.Sprintf("%s:%d", s.file, s.line) == *at {
				only = append(only, s)
			}
		}
		sites, *n = only, len(only)
	}
	fmt.Printf("seed %d: %d of %d places\n", *seed, min(*n, len(sites)), len(sites))
	tried, survived := 0, 0
	for _, s := range sites {
		if tried == *n {
			break
		}
		by, err := s.try(*whole)
		if err != nil {
			continue // it does not compile
		}
		tried++
		if by == "" {
			survived++
			by = "SURVIVED"
		}
		fmt.Printf("%-9s %s:%d  %s  →  %s\n", by, s.file, s.line, s.was, s.is)
	}
	fmt.Printf("%d tried, %d survived\n", tried, survived)
}

// opposites are what is put in the place of an operator.
var opposites = map[token.Token]string{
	token.EQL: "!=", token.NEQ: "==", token.LSS: "<=", token.LEQ: "<", token.GTR: ">=", token.GEQ: ">", token.LAND: "||", token.LOR: "&&", token.ADD: "-", token.SUB: "+",
}

// sitesOf finds what can be changed in a file.
func sitesOf(file string) (list []site, err error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	files := token.NewFileSet()
	parsed, err := parser.ParseFile(files, file, text, 0)
	if err != nil {
		return nil, err
	}
	add := func(from, to token.Pos, is string) {
		a, b := files.Position(from), files.Position(to)
		list = append(list, site{file, a.Line, a.Offset, b.Offset, string(text[a.Offset:b.Offset]), is})
	}
	ast.Inspect(parsed, func(node ast.Node) bool {
		switch node := node.(type) {
		case *ast.GenDecl:
			return node.Tok != token.IMPORT
		case *ast.BinaryExpr:
			if other, known := opposites[node.Op]; known {
				add(node.OpPos, node.OpPos+token.Pos(len(node.Op.String())), other)
			}
		case *ast.UnaryExpr:
			if node.Op == token.NOT {
				add(node.OpPos, node.OpPos+1, "")
			}
		case *ast.BasicLit:
			if value, err := strconv.Atoi(node.Value); node.Kind == token.INT && err == nil {
				add(node.Pos(), node.End(), strconv.Itoa(value+1))
			}
		case *ast.IfStmt:
			add(node.Cond.Pos(), node.Cond.End(), "("+string(text[files.Position(node.Cond.Pos()).Offset:files.Position(node.Cond.End()).Offset])+") && false")
		case *ast.Ident:
			if node.Name == "true" || node.Name == "false" {
				add(node.Pos(), node.End(), strconv.FormatBool(node.Name == "false"))
			}
		}
		return true
	})
	return list, nil
}

// dependents are the packages of the core that stand on one, or whose tests do.
func dependents(own string) (list []string) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Deps " "}} {{join .TestImports " "}}`, "./core/...").Output()
	if err != nil {
		return nil
	}
	path := "vestibula/" + strings.TrimPrefix(own, "./")
	for line := range strings.Lines(string(out)) {
		if words := strings.Fields(line); words[0] != path && slices.Contains(words[1:], path) {
			list = append(list, words[0])
		}
	}
	return list
}

// try runs the tests with the change. By says which noticed it first; none did where it is
// empty. The error says that it does not compile.
func (s *site) try(whole bool) (by string, err error) {
	dir, err := os.MkdirTemp("", "meaning-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	text, err := os.ReadFile(s.file)
	if err != nil {
		return "", err
	}
	changed := filepath.Join(dir, filepath.Base(s.file))
	if err := os.WriteFile(changed, bytes.Join([][]byte{text[:s.start], []byte(s.is), text[s.end:]}, nil), 0o666); err != nil {
		return "", err
	}
	full, err := filepath.Abs(s.file)
	if err != nil {
		return "", err
	}
	overlay, err := json.Marshal(map[string]map[string]string{"Replace": {full: changed}})
	if err != nil {
		return "", err
	}
	list := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(list, overlay, 0o666); err != nil {
		return "", err
	}
	run := func(args ...string) error {
		cmd := exec.Command("go", args...)
		cmd.Env = append(os.Environ(), "GOFLAGS=-overlay="+list, "VESTIBULA_MEANING=1")
		return cmd.Run()
	}
	own := "./" + filepath.Dir(s.file)
	if err := run("build", own); err != nil {
		return "", err
	}
	steps := [][]string{{"itself", own}, append([]string{"others"}, dependents(own)...)}
	if whole {
		steps = append(steps, []string{"program", "."})
	}
	for _, step := range steps {
		if len(step) > 1 && run(append([]string{"test", "-count=1", "-failfast", "-vet=off", "-timeout=10m"}, step[1:]...)...) != nil {
			return step[0], nil
		}
	}
	return "", nil
}
