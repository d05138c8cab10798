//go:build unix

package main

import (
	"cmp"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/drive/drivetest"
)

// A drive is named once, found by its name, told, and forgotten; what it does not know is left out.
func TestADriveHasAName(t *testing.T) {
	t.Parallel()
	server := drivetest.Start(t)
	server.Password, server.Refuses = "thistle", ":#"
	d := newDesk(t, "l.folders", "---\nfields: { client: Who? }\n---\n<client>\n    Forms | link: /srv/forms\n    Letters\n        Prices | link: Forms\n", "sharp.folders", "Sharp\n    C#\n", "key.txt", "thistle\n")
	d.following = true
	address := server.URL + "/dav"
	out, status := d.run("drive", "office", address)
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "asks for a name and a password")
	out, status = d.run("drive", "office", strings.Replace(address, "http://", "http://wren:thorn@", 1))
	assert.Equal(t, 2, status)
	assert.NotContains(t, out, "thorn", "an address with a password is not repeated")
	d.must("drive", "office", address, "--key", "cat key.txt", "--user", "wren")
	out, _ = d.run("drive", "--json")
	assert.JSONEq(t, `[{"name":"office","address":"`+address+`","user":"wren","keeps":{"tried":true,"exclusive":true,"conditions":true,"tags":true,"locks":true}}]`, out)
	assert.NotContains(t, d.read(".config/vestibula/drives.json"), "thistle")
	assert.Empty(t, drivetest.Names(server.Dir), "nothing of a trial stays")

	out, status = d.run("build", "l", "--into", "office:Clients", "client=Lia", "--yes")
	assert.Zero(t, status, out)
	assert.Contains(t, out, "2 links are left out")
	assert.Contains(t, out, "Built 2 folders in office:Clients/Lia")
	out, status = d.run("check", "office:Clients")
	assert.Zero(t, status, out)
	out, _ = d.run("build", "l", "--into", "office:Clients", "client=Lia", "--yes")
	assert.Contains(t, out, "Nothing to do")

	out, status = d.run("check", "sharp", "--on", "office")
	assert.Equal(t, 1, status)
	assert.Contains(t, flat(out), "✗ “C#” the drive refuses it")
	out, status = d.run("check", "--on", "office", "--json")
	assert.Zero(t, status, out)
	assert.Contains(t, out, `"a:b"`)
	out, status = d.run("check", "l", "--on", "office")
	assert.Zero(t, status, out)

	for typed, offered := range map[string]string{"off": "office:", "office:Cl": "office:Clients/", "office:Clients/": "office:Clients/Lia/", "--into=office:C": "--into=office:Clients/"} {
		out, _ = d.run("__complete", "check", typed)
		assert.Equal(t, offered+"\n:6\n", out)
	}
	out, _ = d.run("history", "office:Clients")
	assert.Contains(t, out, "office:")
	out, status = d.run("build", "l", "--into", "ofice:Clients", "client=Mia", "--yes")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "did you mean office:?")
	d.must("undo", "office:", "--yes")
	assert.Empty(t, drivetest.Names(server.Dir))

	server.Password = "another"
	server.Requests()
	out, status = d.run("check", "office:")
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "the name or the password is not right")
	assert.LessOrEqual(t, len(server.Requests()), 3, "it is tried once")
	d.must("drive", "office", "--forget")
	out, _ = d.run("drive")
	assert.Contains(t, out, "No drive has a name yet.")
	server.Close()
	out, status = d.run("check", address)
	assert.Equal(t, 2, status)
	assert.Contains(t, out, "the server does not answer there")
}

// At a terminal, a drive asks who somebody is: the password is not shown, is kept where only they can read
// it, and goes with the name.
func TestADriveAsksWhoSomebodyIs(t *testing.T) {
	t.Parallel()
	server := drivetest.Start(t)
	server.Password = "thistle"
	require.NoError(t, os.Mkdir(filepath.Join(server.Dir, "Clients"), 0o777))
	d := newDesk(t)
	address, keys := server.URL+"/dav", ".local/share/vestibula/passwords.json"
	w := d.window(100, nil, "drive", "office", address)
	w.answer("Your name there:", "wren\r")
	w.answer("Password:", "thistle\r")
	out, status := w.end()
	require.Zero(t, status, out)
	assert.NotContains(t, out, "thistle")
	assert.Contains(t, out, "office: is "+address)
	assert.Contains(t, d.read(keys), "thistle")
	info, err := os.Stat(filepath.Join(d.dir, keys))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	at := func(args ...string) (string, int) {
		w := d.window(100, nil, args...)
		return w.end()
	}
	for _, args := range [][]string{{"drive"}, {"drive", "office"}} {
		out, status = at(args...)
		assert.Zero(t, status, out)
		assert.Contains(t, out, "as wren")
		assert.NotContains(t, out, "thistle")
	}
	assert.Contains(t, out, "It keeps all that was tried")
	out, _ = at("check", "office:Clients")
	assert.Contains(t, out, "Clients", "the password that is kept is enough")
	out, status = at("drive", "office", "https://other.example.org")
	assert.Equal(t, 1, status)
	assert.Contains(t, out, "office is the name of "+address)
	out, status = at("drive", "office", "--forget")
	assert.Zero(t, status, out)
	assert.NoFileExists(t, filepath.Join(d.dir, keys))

	w = d.window(100, nil, "check", address)
	w.answer("Your name there:", "\r")
	w.answer("Token:", "none\r")
	out, status = w.end()
	assert.Equal(t, 2, status)
	assert.Contains(t, flat(out), "the name or the password is not right")
}

// What is refused on a disk is refused on a drive.
func TestADriveIsJudgedAsADisk(t *testing.T) {
	t.Parallel()
	server := drivetest.Start(t)
	d := newDesk(t, "l.folders", "---\nfields: { client: Who? }\nnames: { note: \"<n:00> <what:like-this>\" }\nrules: { name-length: 20 }\n---\n<client>\n    Notes | holds: note\n    Old\n",
		"names.csv", "from,to\nLia/Old,Lia/Much too long for the rule of this template\n", "same.txt", "one", "other.txt", "one")
	d.must("drive", "office", server.URL+"/dav")
	for _, top := range []string{"", "office:"} {
		into := cmp.Or(top, ".")
		d.must("build", "l", "--into", into, "client=Lia", "--yes")
		out, status := d.run("do", "names.csv", "--in", into, "--yes")
		assert.Equal(t, 1, status, out)
		assert.Contains(t, flat(out), "at most 20 are allowed", top)
		out, status = d.run("backup", top+"Lia/Notes", "--into", into)
		assert.Equal(t, 2, status, out)
		assert.Contains(t, out, "is a folder in the project", top)
		d.must("put", "same.txt", "--into", top+"Lia/Old", "--why", "it is", "--copy", "--yes")
	}
}
