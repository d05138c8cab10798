//go:build unix

package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const linked = `---
fields: { client: { ask: Who?, example: Oriel Pask } }
---
Com <client>
    <#> Materials
        Prices.csv
    <#> Work
        <#> Sewing
            Prices     | link: Materials/Prices.csv
            All        | link: Materials
    Handbook           | link: /usr/share/doc
    Forms              | link: ../shared/forms of <client>
`

func TestLinksAreMadeKeptAndTakenBack(t *testing.T) {
	t.Parallel()
	d := newDesk(t, "l.folders", linked)
	out, status := d.run("show", "l")
	assert.Zero(t, status)
	assert.Contains(t, out, "Prices    a link to ../../01 Materials/Prices.csv")
	out, status = d.run("build", "l", "--into", ".", "client=Oriel Pask", "--yes")
	require.Zero(t, status, out)
	target := func(p string) string {
		to, err := os.Readlink(filepath.Join(d.dir, "Com Oriel Pask", p))
		require.NoError(t, err)
		return to
	}
	assert.Equal(t, "../../01 Materials/Prices.csv", target("02 Work/01 Sewing/Prices"))
	assert.Equal(t, "../../01 Materials", target("02 Work/01 Sewing/All"))
	assert.Equal(t, "/usr/share/doc", target("Handbook"))
	assert.Equal(t, "../shared/forms of Oriel Pask", target("Forms"))
	d.write("shared/forms of Oriel Pask/x", "")
	out, status = d.run("check", "Com Oriel Pask", "--strict", "--only", "missing,strays,links,misnamed")
	assert.Zero(t, status, out)
	whole := d.has("Com Oriel Pask")
	out, _ = d.run("build", "l", "--into", ".", "client=Oriel Pask", "--yes")
	assert.Contains(t, out, "Nothing to do")

	// One that is gone is missing; one that leads elsewhere is kept, also by an undo.
	require.NoError(t, os.Remove(filepath.Join(d.dir, "Com Oriel Pask/02 Work/01 Sewing/All")))
	out, _ = d.run("check", "Com Oriel Pask", "--fix", "--yes")
	assert.Contains(t, out, "+ 02 Work/01 Sewing/All   missing: a link")
	assert.Equal(t, whole, d.has("Com Oriel Pask"))
	assert.Equal(t, "../../01 Materials", target("02 Work/01 Sewing/All"))
	at := filepath.Join(d.dir, "Com Oriel Pask/Forms")
	require.NoError(t, os.Remove(at))
	require.NoError(t, os.Symlink("elsewhere", at))
	out, _ = d.run("build", "l", "--into", ".", "client=Oriel Pask", "--yes")
	assert.Contains(t, out, "kept as it is, though not what the template would write: Com Oriel Pask/Forms")
	d.run("undo", "--yes")
	out, status = d.run("undo", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "Forms   stays: it has been changed since")
	assert.Contains(t, d.has("."), "Com Oriel Pask/Forms")
	assert.NotContains(t, d.has("."), "Com Oriel Pask/Handbook")
	assert.Equal(t, "elsewhere", target("Forms"))
	require.NoError(t, os.Remove(at))
	out, status = d.run("undo", "4", "--yes")
	assert.Zero(t, status, out)
	assert.Equal(t, "../../01 Materials/Prices.csv", target("02 Work/01 Sewing/Prices"))

	// In an archive, they are links too.
	out, status = d.run("build", "l", "--into", "com.tar.gz", "client=Oriel Pask", "--yes")
	require.Zero(t, status, out)
	require.NoError(t, os.Mkdir(filepath.Join(d.dir, "unpacked"), 0o777))
	out, status = d.exec("tar", "xzf", "com.tar.gz", "-C", "unpacked")
	require.Zero(t, status, out)
	to, err := os.Readlink(filepath.Join(d.dir, "unpacked/Com Oriel Pask/02 Work/01 Sewing/All"))
	require.NoError(t, err)
	assert.Equal(t, "../../01 Materials", to)
}

func TestLinksThatCannotBe(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"A\n    b | link: c\n    d\n":                "there is no “c” in this project",
		"A\n    b | link: ~/forms\n":                 "a link cannot begin with ~",
		"A\n    b | link: c//d\n":                    "is no path to link to",
		"A\n    b | link: c/../../d\n":               "is no path to link to",
		"A\n    b | link: c | copy: x.md\n    c\n":   "a link cannot have `copy`",
		"A\n    b | link: c\n        d\n    c\n":     "nothing can lie in a link",
		"A\n    b | link: c | holds: sound\n    c\n": "a link cannot have `holds`",
	} {
		d := newDesk(t, "l.folders", text)
		out, status := d.run("check", "l")
		assert.Equal(t, 1, status, text)
		assert.Contains(t, out, want, text)
	}
}
