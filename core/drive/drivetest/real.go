package drivetest

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"vestibula/core/address"
	"vestibula/core/drive"
)

// A Real drive is one of a server that others have written, with a folder of its own.
type Real struct {
	Name string
	URL  string
	Dir  string // what it holds
	Who  drive.Credentials
}

// Address is that of the top of the drive.
func (r *Real) Address() address.Address {
	at, err := address.OfURL(r.URL)
	if err != nil {
		panic(err)
	}
	return at
}

// EachReal runs a test on each real server that is named, with spaces between; its script in .ci/drives
// starts it, and it is stopped behind the test.
func EachReal(t *testing.T, named string, test func(t *testing.T, r *Real)) {
	names := strings.Fields(named)
	if len(names) == 0 {
		t.Skip("no servers are named")
	}
	for _, name := range names {
		t.Run(name, func(t *testing.T) { test(t, start(t, name)) })
	}
}

func start(t *testing.T, name string) *Real {
	root, err := os.Getwd()
	for err == nil && root != filepath.Dir(root) {
		if _, wrong := os.Stat(filepath.Join(root, ".ci", "drives", name)); wrong == nil {
			break
		}
		root = filepath.Dir(root)
	}
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := free.Addr().(*net.TCPAddr).Port
	free.Close()
	// Not below the folder of the test: the server is another user, and goes into it.
	dir, err := os.MkdirTemp("/tmp", "vestibula-drive-")
	if err != nil {
		t.Fatal(err)
	}
	_ = os.Chmod(dir, 0o755)
	c := exec.Command(filepath.Join(root, ".ci", "drives", name), fmt.Sprint(port), dir)
	own(c)
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		stop(c)
		_ = c.Wait()
		os.RemoveAll(dir)
	})
	r := &Real{Name: name, URL: fmt.Sprintf("http://127.0.0.1:%d/dav", port), Dir: filepath.Join(dir, "files"), Who: drive.Credentials{User: "wren", Password: "thistle"}}
	for range 200 {
		if answer, err := http.Get(r.URL + "/"); err == nil {
			answer.Body.Close()
			return r
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("the server does not answer: " + name)
	return nil
}
