// Release makes what people download who have no Go: for each system an archive with the
// program, what it says to begin with, the manual, and what shells complete; and a list of
// checksums. The same source and the same Go give the same bytes. Run it in the root of the
// project:
//
//	go run ./release [DIR [SYSTEM …]]
package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"fmt"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"vestibula/cli"
)

// systems are those that archives are made for, as Go calls them.
var systems = []string{"linux/amd64", "linux/arm64", "windows/amd64", "darwin/amd64", "darwin/arm64"}

// made is the time of all that is in an archive.
var made = time.Date(2026, time.November, 1, 0, 0, 0, 0, time.UTC)

// A file is one in an archive.
type file struct {
	name string
	data []byte
	mode fs.FileMode
}

func main() {
	log.SetFlags(0)
	dir := "dist"
	if len(os.Args) > 1 {
		dir = os.Args[1]
	}
	if len(os.Args) > 2 {
		systems = os.Args[2:]
	}
	check(os.MkdirAll(dir, 0o777))
	shared := sharedFiles()
	var sums strings.Builder
	for _, system := range systems {
		goos, arch, _ := strings.Cut(system, "/")
		called := map[string]string{"darwin": "macos"}[goos]
		if called == "" {
			called = goos
		}
		name := fmt.Sprintf("vestibula-%s-%s-%s", cli.Version, called, map[string]string{"amd64": "x86-64", "arm64": "arm64"}[arch])
		program := file{"vestibula", build(goos, arch), 0o755}
		var data []byte
		if goos == "windows" {
			program.name += ".exe"
			data = zipped(name, append([]file{program}, shared...))
			name += ".zip"
		} else {
			data = tarred(name, append([]file{program}, shared...))
			name += ".tar.gz"
		}
		check(os.WriteFile(filepath.Join(dir, name), data, 0o666))
		fmt.Fprintf(&sums, "%x  %s\n", sha256.Sum256(data), name)
		fmt.Printf("%s  %.1f MB\n", name, float64(len(data))/1e6)
	}
	check(os.WriteFile(filepath.Join(dir, "SHA256SUMS"), []byte(sums.String()), 0o666))
}

// build compiles the program for a system.
func build(goos, arch string) []byte {
	tmp, err := os.MkdirTemp("", "vestibula-release-")
	check(err)
	defer os.RemoveAll(tmp)
	at := filepath.Join(tmp, "vestibula")
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w", "-o", at, ".")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+goos, "GOARCH="+arch)
	cmd.Stderr = os.Stderr
	check(cmd.Run())
	data, err := os.ReadFile(at)
	check(err)
	return data
}

// sharedFiles are those that are the same for each system.
func sharedFiles() (list []file) {
	for _, p := range []string{"README.md", "LICENSE", "docs/language.md", "docs/cookbook.md"} {
		data, err := os.ReadFile(p)
		check(err)
		list = append(list, file{path.Base(p), data, 0o644})
	}
	pages, err := filepath.Glob("docs/man/*")
	check(err)
	for _, p := range pages {
		data, err := os.ReadFile(p)
		check(err)
		list = append(list, file{"man/" + filepath.Base(p), data, 0o644})
	}
	root := cli.Command()
	for name, write := range map[string]func(*bytes.Buffer) error{
		"vestibula.bash": func(b *bytes.Buffer) error { return root.GenBashCompletionV2(b, true) },
		"_vestibula":     func(b *bytes.Buffer) error { return root.GenZshCompletion(b) },
		"vestibula.fish": func(b *bytes.Buffer) error { return root.GenFishCompletion(b, true) },
		"vestibula.ps1":  func(b *bytes.Buffer) error { return root.GenPowerShellCompletionWithDesc(b) },
	} {
		var b bytes.Buffer
		check(write(&b))
		list = append(list, file{"completion/" + name, b.Bytes(), 0o644})
	}
	slices.SortFunc(list, func(a, b file) int { return strings.Compare(a.name, b.name) })
	return list
}

func zipped(top string, files []file) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range files {
		h := &zip.FileHeader{Name: top + "/" + f.name, Method: zip.Deflate, Modified: made}
		h.SetMode(f.mode)
		to, err := w.CreateHeader(h)
		check(err)
		_, err = to.Write(f.data)
		check(err)
	}
	check(w.Close())
	return b.Bytes()
}

func tarred(top string, files []file) []byte {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, f := range files {
		check(w.WriteHeader(&tar.Header{Name: top + "/" + f.name, Mode: int64(f.mode), Size: int64(len(f.data)), ModTime: made}))
		_, err := w.Write(f.data)
		check(err)
	}
	check(w.Close())
	check(z.Close())
	return b.Bytes()
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
