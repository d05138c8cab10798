//go:build unix

package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnyTwoAreCompared(t *testing.T) {
	t.Parallel()
	d := jobsDesk(t)
	ola := "C/2025-03 Ola"
	require.NoError(t, os.RemoveAll(filepath.Join(d.dir, ola, ".hidden")))
	require.NoError(t, os.Remove(filepath.Join(d.dir, ola, "link")))
	same := func(args ...string) {
		out, status := d.run(append([]string{"compare", "--strict"}, args...)...)
		assert.Zero(t, status, out)
		assert.Contains(t, out, "The same", args)
	}
	differs := func(lines []string, args ...string) {
		out, status := d.run(append([]string{"compare"}, args...)...)
		assert.Zero(t, status, out)
		for _, line := range lines {
			assert.Contains(t, out, line, args)
		}
		_, status = d.run(append([]string{"compare", "--strict"}, args...)...)
		assert.Equal(t, 1, status, args)
	}
	same("job", ola)
	same(ola, "job")
	same("job", "job")
	same(ola, ola)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "B"), 0o777))
	for _, flags := range [][]string{nil, {"--zip"}, {"--bag"}} {
		_, status := d.run(append([]string{"backup", ola, "--into", "B"}, flags...)...)
		require.Zero(t, status)
	}
	backups := []string{}
	for _, at := range d.has("B") {
		if at = strings.Trim(at, "/"); !strings.Contains(at, "/") {
			backups = append(backups, "B/"+at)
			same("B/" + at)
			same("B/"+at, ola)
		}
	}
	require.Len(t, backups, 3)
	same(backups[0], backups[1])

	// Now things change.
	d.write(ola+"/Plans/new.txt", "new")
	d.write(ola+"/Letters/mine.txt", "mine")
	require.NoError(t, os.Rename(filepath.Join(d.dir, ola, "Invoices"), filepath.Join(d.dir, ola, "01 Invoices")))
	d.write(ola+"/01 Invoices/2025-03-09 invoice 01.pdf", "two")
	differs([]string{"≈ Invoices/ → 01 Invoices/   another number or mark in front", "+ Plans/   with the 1 thing in it", "2 differences: 1 under another name, 1 only in C/2025-03 Ola.", "was not compared"}, "job", ola)
	differs([]string{"≈ 01 Invoices/ → Invoices/", "- Plans/", "1 only in C/2025-03 Ola."}, ola, "job")
	for _, at := range backups {
		differs([]string{"≈ Invoices/ → 01 Invoices/", "← Invoices/2025-03-09 invoice 01.pdf   holds something else", "+ Letters/mine.txt", "+ Plans/", "4 differences", "the file holds that is in both"}, at)
	}
	d.write("other.folders", strings.Replace(d.read("job.folders"), "    Letters\n", "    Mail\n", 1))
	differs([]string{"+ ", "2 differences: 1 only in job, 1 only in other."}, "job", "other")

	out, status := d.run("compare", "job", ola, "--json")
	require.Zero(t, status)
	var told struct {
		Differences []struct{ What, Path, Other string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	assert.Len(t, told.Differences, 2)
	for _, args := range [][]string{{}, {"job"}, {"job", "nowhere"}, {"C/2027-01 Ida"}} {
		_, status = d.run(append([]string{"compare"}, args...)...)
		assert.Equal(t, 2, status, args)
	}
	require.NoError(t, os.Rename(filepath.Join(d.dir, ola), filepath.Join(d.dir, "C/elsewhere")))
	out, status = d.run("compare", backups[0])
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "is not there")
}
