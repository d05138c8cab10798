package drive_test

import (
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/drive"
	"vestibula/core/drive/drivetest"
	"vestibula/core/folder"
	"vestibula/core/folder/foldertest"
)

// open opens the top of a drive, for somebody who changes it.
func open(t *testing.T, s *drivetest.Server) folder.Folder {
	t.Helper()
	d := drive.New(drivetest.Config(drive.Credentials{}))
	h, err := d.Server(s.Address()).Open(string(s.Address()))
	require.NoError(t, err)
	d.Server(s.Address()).Begin()
	return h
}

func TestADriveKeepsTheContract(t *testing.T) {
	for name, keeps := range map[string]bool{"conditions": true, "no conditions": false} {
		t.Run(name, func(t *testing.T) {
			foldertest.Run(t, func(t *testing.T) folder.Folder {
				s := drivetest.Start(t)
				s.Keeps = keeps
				return open(t, s)
			})
			t.Run("tried out", func(t *testing.T) {
				s := drivetest.Start(t)
				s.Keeps = keeps
				h := open(t, s)
				require.NoError(t, h.Mkdir("work", 0o700))
				work, err := h.Folder("work")
				require.NoError(t, err)
				require.NoError(t, folder.Working(work))
				foldertest.Run(t, func(t *testing.T) folder.Folder {
					require.NoError(t, h.Mkdir(strings.ReplaceAll(t.Name(), "/", "-"), 0o700))
					in, err := h.Folder(strings.ReplaceAll(t.Name(), "/", "-"))
					require.NoError(t, err)
					return in
				})
				left, err := os.ReadDir(filepath.Join(s.Dir, "work"))
				require.NoError(t, err)
				assert.Empty(t, left, "nothing of a trial stays")
			})
		})
	}
}

// Whatever signs a name holds, it is made, listed, looked at, moved and removed by them, and by no others.
func TestNamesComeBackAsTheyWere(t *testing.T) {
	s := drivetest.Start(t)
	h := open(t, s)
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.OneOf(
			rapid.StringMatching(`[ -.0-~]{1,20}`),
			rapid.StringN(1, 20, 60),
			rapid.SampledFrom([]string{"100 %", "a%2fb", "a+b c", "ä", "a\u0308", "?q=1", "#x", "a;b,c", "\xe4\xff", "..x", "...", "<&\"'>", "Ünï 📚", "a\\b", "[1]", "~", "http:"}),
		).Draw(t, "name")
		if strings.ContainsAny(name, "/\x00") || name == "." || name == ".." || len(name) > 200 {
			t.Skip("no name")
		}
		require.NoError(t, h.Mkdir(name, 0o777))
		list, err := h.List()
		require.NoError(t, err)
		require.Len(t, list, 1)
		assert.Equal(t, name, list[0].Name)
		_, err = os.Lstat(filepath.Join(s.Dir, name))
		require.NoError(t, err, "the server has it by that name")
		require.NoError(t, h.Move(name, h, "x "+name))
		e, err := h.Look("x " + name)
		require.NoError(t, err)
		assert.Equal(t, "x "+name, e.Name)
		require.NoError(t, h.Remove("x "+name, true))
	})
}

// A move of a folder of which a server has done a part, or whose answer is lost, is finished from what
// is there; what cannot be is brought back.
func TestAMoveThatIsHalfDoneIsFinishedOrBroughtBack(t *testing.T) {
	for name, tt := range map[string]struct {
		status int
		stuck  bool // what is left cannot be moved
	}{"told": {207, false}, "a fault": {500, false}, "stuck": {207, true}} {
		t.Run(name, func(t *testing.T) {
			s := drivetest.Start(t)
			real, half := s.Config.Handler, true
			s.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if r.Method == "MOVE" && half && strings.HasSuffix(r.URL.Path, "/old/") {
					half = false
					assert.NoError(t, os.MkdirAll(filepath.Join(s.Dir, "new", "deep"), 0o777))
					for _, file := range []string{"a", "deep/b"} {
						assert.NoError(t, os.Rename(filepath.Join(s.Dir, "old", file), filepath.Join(s.Dir, "new", file)))
					}
					if tt.status == 207 {
						w.Header().Set("Content-Type", "text/xml")
					}
					w.WriteHeader(tt.status)
					return
				}
				if r.Method == "MOVE" && tt.stuck && strings.HasSuffix(r.URL.Path, "/c") {
					w.WriteHeader(http.StatusLocked)
					return
				}
				real.ServeHTTP(w, r)
			})
			h := open(t, s)
			require.NoError(t, h.Mkdir("work", 0o700))
			work, err := h.Folder("work")
			require.NoError(t, err)
			require.NoError(t, folder.Working(work))
			for at, text := range map[string]string{"a": "1", "deep/b": "2", "deep/c": "3", "d": "4"} {
				require.NoError(t, os.MkdirAll(filepath.Join(s.Dir, "old", filepath.Dir(at)), 0o777))
				require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "old", at), []byte(text), 0o666))
			}
			err = h.Move("old", h, "new")
			want := "new"
			if tt.stuck {
				assert.Error(t, err)
				want = "old"
			} else {
				assert.NoError(t, err)
			}
			assert.Equal(t, map[string]string{"work": "/", want: "/", want + "/a": "1", want + "/d": "4", want + "/deep": "/", want + "/deep/b": "2", want + "/deep/c": "3"}, drivetest.Names(s.Dir))
		})
	}
}

// A folder that somebody has made under the new name meanwhile is theirs: nothing is poured into it,
// whatever became of the answer.
func TestAFolderOfSomebodyElseIsNotFilled(t *testing.T) {
	for name, theirs := range map[string]string{"with something": "theirs", "empty": ""} {
		t.Run(name, func(t *testing.T) {
			s := drivetest.Start(t)
			real := s.Config.Handler
			s.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				if r.Method == "MOVE" && strings.HasSuffix(r.URL.Path, "/old/") {
					assert.NoError(t, os.MkdirAll(filepath.Join(s.Dir, "new", theirs), 0o777))
					w.WriteHeader(http.StatusInternalServerError)
					return
				}
				real.ServeHTTP(w, r)
			})
			h := open(t, s)
			require.NoError(t, os.Mkdir(filepath.Join(s.Dir, "old"), 0o777))
			require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "old", "mine"), []byte("mine"), 0o666))
			assert.ErrorIs(t, h.Move("old", h, "new"), fs.ErrExist)
			want := map[string]string{"old": "/", "old/mine": "mine", "new": "/"}
			if theirs != "" {
				want["new/"+theirs] = "/"
			}
			assert.Equal(t, want, drivetest.Names(s.Dir))
		})
	}
}

// What was done is not told as a fault, also where nothing is asked for again.
func TestWhatWasDoneIsSeenInTheEnd(t *testing.T) {
	s := drivetest.Start(t)
	real := s.Config.Handler
	s.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == "MOVE" || r.Method == "MKCOL" || r.Method == "DELETE" {
			real.ServeHTTP(httptest.NewRecorder(), r)
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		real.ServeHTTP(w, r)
	})
	h := open(t, s)
	for range 3 {
		require.NoError(t, h.Mkdir("a", 0o777))
		require.NoError(t, h.Move("a", h, "b"))
		require.NoError(t, h.Remove("b", true))
	}
}
