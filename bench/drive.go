//go:build unix

package main

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"vestibula/core/drive/drivetest"
)

// A driven bench builds 2,000 folders and 500 files on a drive of this machine.
type driven struct {
	*bench
	server *drivetest.Server
	list   string
	n      int
}

func newDriven(b *bench, delay time.Duration) *driven {
	dir, err := os.MkdirTemp(b.dir, "drive-")
	check(err)
	d := &driven{bench: b, server: drivetest.New(dir), list: filepath.Join(dir+"-list", "wide.folders")}
	d.server.Delay = delay
	b.after = append(b.after, d.server.Close)
	check(os.MkdirAll(filepath.Dir(d.list), 0o777))
	check(os.WriteFile(filepath.Join(filepath.Dir(d.list), "form.txt"), []byte("a form\n"), 0o666))
	var outline strings.Builder
	outline.WriteString("---\nfields: { name: Who? }\n---\n<name>\n")
	for i := range size(100) {
		fmt.Fprintf(&outline, "    Place %03d\n", i)
		for k := range 19 {
			fmt.Fprintf(&outline, "        Step %02d\n", k)
		}
		for k := range 5 {
			fmt.Fprintf(&outline, "        form %d.txt | copy: form.txt\n", k)
		}
	}
	check(os.WriteFile(d.list, []byte(outline.String()), 0o666))
	return d
}

// build runs the program, which builds all of it under a new name.
func (d *driven) build() time.Duration {
	d.n++
	took := timed(d.program, "build", d.list, "--into", d.server.URL+"/dav", fmt.Sprintf("name=Build %d", d.n), "--yes", "--limit", "100000")
	check(os.RemoveAll(filepath.Join(d.server.Dir, fmt.Sprintf("Build %d", d.n))))
	return took
}

// plainly makes the same requests one after the other, so many of them; each file is put under a name
// of its own, and moved from there.
func (d *driven) plainly(parts int) time.Duration {
	top := d.server.URL + "/dav/plain"
	ask := func(method, url, to string) {
		var body io.Reader
		if method == http.MethodPut {
			body = strings.NewReader("a form\n")
		}
		q, err := http.NewRequest(method, url, body)
		check(err)
		if to != "" {
			q.Header.Set("Destination", to)
			q.Header.Set("Overwrite", "F")
		}
		answer, err := http.DefaultClient.Do(q)
		check(err)
		_, _ = io.Copy(io.Discard, answer.Body)
		answer.Body.Close()
		if answer.StatusCode >= 300 {
			check(fmt.Errorf("%s %s: %s", method, url, answer.Status))
		}
	}
	begin := time.Now()
	ask("MKCOL", top, "")
	for i := range size(100) / parts {
		place := fmt.Sprintf("%s/place%d", top, i)
		ask("MKCOL", place, "")
		for k := range 19 {
			ask("MKCOL", fmt.Sprintf("%s/step%d", place, k), "")
		}
		for k := range 5 {
			part := fmt.Sprintf("%s/part%d-%d", top, i, k)
			ask(http.MethodPut, part, "")
			ask("MOVE", part, fmt.Sprintf("%s/form%d.txt", place, k))
		}
	}
	took := time.Since(begin) * time.Duration(parts)
	check(os.RemoveAll(filepath.Join(d.server.Dir, "plain")))
	return took
}

func buildOnDrive(b *bench) (ours, theirs measure, err error) {
	d := newDriven(b, 0)
	return seconds(d.build), seconds(func() time.Duration { return d.plainly(1) }), nil
}

func buildOnSlowDrive(b *bench) (ours, theirs measure, err error) {
	d := newDriven(b, 20*time.Millisecond)
	return seconds(d.build), seconds(func() time.Duration { return d.plainly(min(10, size(100))) }), nil
}

// askedOnce measures how often the folders of a drive are asked for, against how many there are.
func askedOnce(again func(d *driven) []string) func(b *bench) (ours, theirs measure, err error) {
	return func(b *bench) (ours, theirs measure, err error) {
		d := newDriven(b, 0)
		rows := "name\n"
		for i := range size(1000) {
			rows += fmt.Sprintf("Client %d\n", i)
		}
		small := filepath.Join(filepath.Dir(d.list), "small.folders")
		table := filepath.Join(filepath.Dir(d.list), "rows.csv")
		check(os.WriteFile(small, []byte("---\nfields: { name: Who? }\n---\n<name>\n    Letters\n    Work\n        Notes\n"), 0o666))
		check(os.WriteFile(table, []byte(rows), 0o666))
		build := []string{"build", small, "--into", d.server.URL + "/dav", "--table", table, "--yes"}
		timed(d.program, build...)
		call := again(d)
		if call == nil {
			call = build
		}
		return func() float64 {
				d.server.Requests()
				timed(d.program, call...)
				n := 0
				for _, r := range d.server.Requests() {
					if strings.HasPrefix(r, "PROPFIND ") {
						n++
					}
				}
				return float64(n)
			}, func() float64 {
				n := 0
				check(filepath.WalkDir(d.server.Dir, func(_ string, e os.DirEntry, err error) error {
					if err == nil && e.IsDir() {
						n++
					}
					return err
				}))
				return float64(n)
			}, nil
	}
}
