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
	says map[string]bool      // whether a name alone says both, and enough lies in it to tell what it is
}

var (
	people = []string{"Ola Berg", "Jun Teague", "Åsgerd Ölvane", "Una", "Per Lie", "María Ruiz", "Kai-Uwe Holm", "Liv O'Hara", "Norland & Birk", "Ida", "Thistlewick", "Rut Sol"}
)

// A habit is how somebody writes a day and a name into a folder's.
// Alone tells whether the order of the day is plain from the name alone.
func (d *drive) habit() func(client string, day time.Time) (name string, alone bool) {
	sign := []string{"-", ".", "_", " "}[d.r.Intn(4)]
	joint := []string{" ", "_", " - ", ", "}[d.r.Intn(4)]
	which := d.r.Intn(8)
	date := []func(t time.Time) string{
		func(t time.Time) string { return t.Format("2006" + sign + "01" + sign + "02") },
		func(t time.Time) string { return t.Format("02" + sign + "01" + sign + "2006") },
		func(t time.Time) string { return t.Format("2" + sign + "1" + sign + "2006") },
		func(t time.Time) string { return t.Format("01" + sign + "02" + sign + "2006") },
		func(t time.Time) string { return t.Format("20060102") },
		func(t time.Time) string { return t.Format("2 Jan 2006") },
		func(t time.Time) string { return t.Format("January 2, 2006") },
		func(t time.Time) string { return t.Format("02-01-06") },
	}[which]
	front := d.r.Intn(2) == 0
	return func(client string, day time.Time) (string, bool) {
		alone := which == 0 || which == 4 || which == 5 || which == 6 || which != 7 && day.Day() > 12
		if front {
			return date(day) + joint + client, alone
		}
		return client + joint + date(day), alone
	}
}

func newDrive(seed int64) *drive {
	d := &drive{r: rand.New(rand.NewSource(seed)), want: map[string][2]string{}, says: map[string]bool{}}
	habits := []func(client string, day time.Time) (string, bool){d.habit()}
	if d.r.Intn(2) == 0 { // two people wrote in two ways
		habits = append(habits, d.habit())
	}
	var paths []string
	for range 3 + d.r.Intn(25) {
		day := time.Date(2015+d.r.Intn(12), time.Month(1+d.r.Intn(12)), 1+d.r.Intn(28), 0, 0, 0, 0, time.UTC)
		client := people[d.r.Intn(len(people))]
		name, alone := habits[d.r.Intn(len(habits))](client, day)
		if d.r.Intn(40) == 0 {
			name, alone = client, false // the day was forgotten
		}
		if was, twice := d.want[name]; twice && was[1] != day.Format(time.DateOnly) {
			continue
		}
		d.want[name] = [2]string{client, day.Format(time.DateOnly)}
		holds := 0
		for _, inside := range []string{"Letters", "Bills", "Work"} {
			if d.r.Intn(5) > 0 {
				holds++
				inside = []string{inside, "0" + strconv.Itoa(d.r.Intn(9)) + " " + inside, inside}[d.r.Intn(3)]
				paths = append(paths, name+"/"+inside+"/x.txt")
			}
		}
		d.says[name] = alone && holds > 1
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
	right, open, missed, all, says, said := 0, 0, 0, 0, 0, 0
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
				if d.says[f.Path] {
					said++
				}
			} else {
				open++
			}
		}
		for name := range d.want {
			if all++; !found[name] {
				missed++
			}
			if d.says[name] {
				says++
			}
		}
	}
	t.Logf("of %d folders %d right, %d left open, %d not found; of %d that say enough, %d", all, right, open, missed, says, said)
	assert.Greater(t, right*100, all*60, fmt.Sprint(right, " of ", all))
	assert.GreaterOrEqual(t, said*100, says*98, fmt.Sprint(said, " of ", says, " that say enough"))
}
