package takeover

import (
	"fmt"
	"math/rand"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/address"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/treetest"
)

// A drive is what people have named over the years, with the truth beside it.
type drive struct {
	r    *rand.Rand
	root *tree.Node
	want map[string][2]string // client and day, by the names of folders
}

var (
	people = []string{"Ola Berg", "Jun Teague", "Åsgerd Ölvane", "Una", "Per Lie", "María Ruiz", "Kai-Uwe Holm", "Liv O'Hara", "Norland & Birk", "Ida", "Thistlewick", "Rut Sol"}
)

// A habit is how somebody writes a day and a name into a folder's.
func (d *drive) habit() func(client string, day time.Time) string {
	sign := []string{"-", ".", "_", " "}[d.r.Intn(4)]
	joint := []string{" ", "_", " - ", ", "}[d.r.Intn(4)]
	date := []func(t time.Time) string{
		func(t time.Time) string { return t.Format("2006" + sign + "01" + sign + "02") },
		func(t time.Time) string { return t.Format("02" + sign + "01" + sign + "2006") },
		func(t time.Time) string { return t.Format("2" + sign + "1" + sign + "2006") },
		func(t time.Time) string { return t.Format("01" + sign + "02" + sign + "2006") },
		func(t time.Time) string { return t.Format("20060102") },
		func(t time.Time) string { return t.Format("2 Jan 2006") },
		func(t time.Time) string { return t.Format("January 2, 2006") },
		func(t time.Time) string { return t.Format("02-01-06") },
	}[d.r.Intn(8)]
	front := d.r.Intn(2) == 0
	return func(client string, day time.Time) string {
		if front {
			return date(day) + joint + client
		}
		return client + joint + date(day)
	}
}

func newDrive(seed int64) *drive {
	d := &drive{r: rand.New(rand.NewSource(seed)), want: map[string][2]string{}}
	habits := []func(client string, day time.Time) string{d.habit()}
	if d.r.Intn(2) == 0 { // two people wrote in two ways
		habits = append(habits, d.habit())
	}
	var paths []string
	for range 3 + d.r.Intn(25) {
		day := time.Date(2015+d.r.Intn(12), time.Month(1+d.r.Intn(12)), 1+d.r.Intn(28), 0, 0, 0, 0, time.UTC)
		client := people[d.r.Intn(len(people))]
		name := habits[d.r.Intn(len(habits))](client, day)
		if d.r.Intn(40) == 0 {
			name = client // the day was forgotten
		}
		if was, twice := d.want[name]; twice && was[1] != day.Format(time.DateOnly) {
			continue
		}
		d.want[name] = [2]string{client, day.Format(time.DateOnly)}
		for _, inside := range []string{"Letters", "Bills", "Work"} {
			if d.r.Intn(5) > 0 {
				inside = []string{inside, "0" + strconv.Itoa(d.r.Intn(9)) + " " + inside, inside}[d.r.Intn(3)]
				paths = append(paths, name+"/"+inside+"/x.txt")
			}
		}
	}
	for _, other := range []string{"misc/a.txt", "Private/Letters/b.txt", "2019/c.txt", "Photos 2020/d.jpg"} {
		if d.r.Intn(2) == 0 {
			paths = append(paths, other)
		}
	}
	d.root = treetest.Of(paths...)
	return d
}

// What folders of people say is read right, or left open; never wrong. VESTIBULA_DRIVES is how many
// drives are tried.
func TestWhatFoldersSayIsRightOrLeftOpen(t *testing.T) {
	tpl, err := template.Parse("job", "---\nfields: { client: Who?, received: { type: date } }\n---\n<received:yyyy-mm-dd> <client>\n    Letters\n    Bills\n    Work\n", nil)
	require.NoError(t, err)
	drives, _ := strconv.Atoi(os.Getenv("VESTIBULA_DRIVES"))
	right, open, missed, all := 0, 0, 0, 0
	for seed := range max(drives, 40) {
		d := newDrive(int64(seed))
		s := &Search{Template: tpl, Dir: address.Address("/drive"), Root: d.root, Limit: 1000, Now: time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)}
		list, err := s.Find()
		require.NoError(t, err)
		found := map[string]bool{}
		for _, f := range list {
			truth, is := d.want[f.Path]
			require.True(t, is, "drive %d: %q is none", seed, f.Path)
			found[f.Path] = true
			client, day := f.Values["client"], f.Values["received"]
			if day.Given() {
				assert.Equal(t, truth[1], day.String(), "drive %d: %q", seed, f.Path)
			}
			if day.Given() && client.Given() {
				assert.Equal(t, truth[0], client.String(), "drive %d: %q", seed, f.Path)
			}
			if len(f.Lacks) == 0 {
				right++
			} else {
				open++
			}
		}
		for name := range d.want {
			if all++; !found[name] {
				missed++
			}
		}
	}
	t.Logf("of %d folders %d right, %d left open, %d not found", all, right, open, missed)
	assert.Greater(t, right*100, all*60, fmt.Sprint(right, " of ", all))
}
