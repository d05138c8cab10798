package draft

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/match"
	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

func TestWhatProjectsHaveBeyondTheirTemplate(t *testing.T) {
	text := "---\nfields: { client: Who?, weeks: { type: number } }\n---\n// Ours.\n<client>\n    <#> Letters   | note: by post\n    // and\n    <#> Plans\n    Weeks\n        Week <n:00> | each: n in 1..weeks\n    <#> Settled   | number: 90\n"
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	of := func(client string, more ...string) Sample {
		return sample(client, append([]string{"01 Letters/", "02 Plans/", "90 Settled/", "Weeks/Week 01/Notes/", "Weeks/Week 02/Notes/"}, more...)...)
	}
	samples := []Sample{of("Oriel Pask", "03 Loans/In/", "07 Late/", "oriel-pask x.md", "01 Letters/Drafts/", "own.txt"), of("Jun Teague", "03 Loans/In/", "07 Late/", "jun-teague x.md", "01 Letters/Drafts/", "02 Plans/own/")}
	up, err := Beyond(tpl, samples, make([]template.Values, 2), 1000, now)
	require.NoError(t, err)
	out, added := up.Text, up.Added
	assert.Equal(t, strings.NewReplacer("by post\n", "by post\n        Drafts\n", "1..weeks\n", "1..weeks\n            Notes\n    <#> Loans\n        In\n    <#> Late | number: 7\n", "number: 90\n", "number: 90\n    <client:like-this> x.md\n").Replace(text), out)
	assert.Len(t, added, 6)
	for _, a := range added {
		assert.Equal(t, strings.Split(out, "\n")[a.Number-1], a.Text)
	}
	tpl, err = template.Parse("t", out, nil)
	require.NoError(t, err)
	up, err = Beyond(tpl, samples, make([]template.Values, 2), 1000, now)
	require.NoError(t, err)
	again, added := up.Text, up.Added
	assert.Equal(t, out, again, "then they have nothing beyond it")
	assert.Empty(t, added)
	_, err = Beyond(tpl, samples[:1], make([]template.Values, 1), 1000, now)
	assert.ErrorContains(t, err, "two or more")
}

// What [match.Compare] takes for a line under another name, or in another place, is not beyond the template, and
// neither is what that passes by.
func TestWhatIsUnderAnotherNameIsNotBeyond(t *testing.T) {
	text := "---\nfields: { client: Who? }\nignore: [\"*.tmp\"]\n---\n<client>\n    <#> Photos\n    <#> Letters\n    <#> Bills\n        Old\n"
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	of := func(client string) Sample {
		return sample(client, "01 photos/", "03 Letters/", "04 Bills/", "05 Notes/", "Old/", "x.tmp")
	}
	up, err := Beyond(tpl, []Sample{of("Oriel Pask"), of("Jun Teague")}, make([]template.Values, 2), 1000, now)
	require.NoError(t, err)
	assert.Equal(t, text+"    <#> Notes | number: 5\n", up.Text)
	assert.Equal(t, []string{"01 photos for 01 Photos (2 of 2)", "03 Letters for 02 Letters (2 of 2)", "04 Bills for 03 Bills (2 of 2)", "Old for 03 Bills/Old (2 of 2)"}, up.Other)
}

// Whatever became of folders: with what the template gets, a check finds nothing there that is not wanted, and what was
// under another name still is.
func TestAfterwardsACheckFindsNoStrays(t *testing.T) {
	tpl, err := template.Parse("t", "---\nfields: { client: Who? }\n---\n<client>\n    <#> Letters\n        Drafts\n    <#> Plans\n    Photographs\n        Prints\n    <#> Settled | number: 90\n", nil)
	require.NoError(t, err)
	base := []string{"01 Letters/Drafts/", "02 Plans/", "Photographs/Prints/", "90 Settled/"}
	rapid.Check(t, func(t *rapid.T) {
		paths := slices.Clone(base)
		for range rapid.IntRange(0, 3).Draw(t, "changes") {
			i := rapid.IntRange(0, len(base)-1).Draw(t, "of")
			paths[i] = rapid.SampledFrom([]func(string) string{
				strings.ToLower, func(s string) string { return strings.Replace(s, "0", "", 1) }, func(s string) string { return "Old/" + s }, func(s string) string { return strings.Replace(s, "l", "ll", 1) },
			}).Draw(t, "change")(base[i])
		}
		paths = append(paths, rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"03 Loans/In/", "05 Notes/", "Extra/", "01 Letters/Copies/", "Photographs/02 Proofs/", "Bills/Old/"}), 0, 4, rapid.ID[string]).Draw(t, "more")...)
		samples := []Sample{sample("Oriel Pask", paths...), sample("Jun Teague", paths...)}
		told := func(tpl *template.Template) (misnamed, strays []string) {
			values := template.Values{"client": value.Of("Jun Teague")}
			w, err := match.Of(tpl, values, 1000, now)
			require.NoError(t, err)
			for _, thing := range match.Compare(w, samples[1].Root.Copy()) {
				switch thing.Kind {
				case match.Misnamed:
					misnamed = append(misnamed, thing.Path+" > "+thing.Final())
				case match.Stray:
					strays = append(strays, thing.Path)
				}
			}
			return misnamed, strays
		}
		before, _ := told(tpl)
		up, err := Beyond(tpl, samples, make([]template.Values, 2), 1000, now)
		require.NoError(t, err)
		edited, err := tpl.Edited(up.Text)
		require.NoError(t, err, up.Text)
		after, strays := told(edited)
		assert.Equal(t, before, after, "%s\n%s", paths, up.Text)
		assert.Empty(t, strays, "%s\n%s", paths, up.Text)
	})
}

// A number of a line that is added counts on behind a list, and stays in the name where the
// template has it already: it can be built, and has nothing left beyond it.
func TestNumbersBeyondATemplateFitAmongItsOwn(t *testing.T) {
	text := "---\nfields: { client: Who?, stages: { type: list, default: [sew, case] } }\n---\n<client>\n    <#> Work\n        <#> <s> | each: s in stages\n    <#> Settled | number: 90\n"
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	known, wrong := tpl.ParseValues(map[string]template.Raw{"stages": {Items: []string{"sew", "case"}, List: true}}, now)
	require.Empty(t, wrong)
	beyond := func(t require.TestingT, tpl *template.Template, samples ...Sample) (string, []Addition) {
		up, err := Beyond(tpl, samples, []template.Values{known, known}, 1000, now)
		require.NoError(t, err, tpl.Text)
		out, added := up.Text, up.Added
		return out, added
	}
	rapid.Check(t, func(t *rapid.T) {
		more := rapid.SliceOfDistinct(rapid.Custom(func(t *rapid.T) string {
			return rapid.SampledFrom([]string{"", "01 Work/"}).Draw(t, "in") + fmt.Sprintf("%02d %s", rapid.IntRange(0, 99).Draw(t, "number"), rapid.SampledFrom([]string{"Loans/", "Notes/", "Sheet.md", "% %/"}).Draw(t, "name"))
		}), rapid.ID[string]).Draw(t, "more")
		var samples []Sample
		for _, client := range []string{"Oriel Pask", "Jun Teague"} {
			samples = append(samples, sample(client, slices.Concat([]string{"01 Work/01 sew/", "01 Work/02 case/", "90 Settled/"}, more)...))
		}
		out, added := beyond(t, tpl, samples...)
		require.Len(t, added, len(more), out)
		edited, err := tpl.Edited(out)
		require.NoError(t, err, out)
		_, added = beyond(t, edited, samples...)
		require.Empty(t, added, out)
	})
	both := func(client string) Sample {
		return sample(client, "01 Work/01 sew/", "01 Work/02 case/", "01 Work/03 Gilding/", "90 Settled/", "90 Notes/")
	}
	out, _ := beyond(t, tpl, both("Oriel Pask"), both("Jun Teague"))
	assert.Equal(t, strings.Replace(text, "in stages\n", "in stages\n        <#> Gilding\n", 1)+"    90 Notes\n", out)
}

// What only one folder holds may be named after that folder in any way: the template that is
// learned can be built for all of them, also where the name of another one has no letter, or
// is a number.
func TestWhatOneHasCanBeWrittenForAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.SampledFrom([]string{"Oriel Pask", "Jun Teague", "%", "܍-%", "0", "01", "AB", "März", "{a}", "x; y", "2027-03", "2027 2 Winter", "OP", "yes"})
		name := rapid.Custom(func(t *rapid.T) string {
			return strings.Join(rapid.SliceOfN(word, 1, 2).Draw(t, "words"), rapid.SampledFrom([]string{" ", "-", " - "}).Draw(t, "joint"))
		})
		var samples []Sample
		for _, own := range rapid.SliceOfN(name, 2, 4).Draw(t, "names") {
			var paths []string
			for range rapid.IntRange(0, 4).Draw(t, "entries") {
				as := own
				if rapid.Bool().Draw(t, "styled") {
					as = newLearner(nil).written("text", nil, own, rapid.SampledFrom(pattern.TextForms()).Draw(t, "form"))
				}
				if as != "" {
					paths = append(paths, rapid.SampledFrom([]string{"", "Lid/", "Week 01/", word.Draw(t, "above") + "/"}).Draw(t, "in")+as+rapid.SampledFrom([]string{"/", ".md"}).Draw(t, "ending"))
				}
			}
			slices.Sort(paths)
			samples = append(samples, sample(own, slices.Compact(paths)...))
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		proofs, err := r.Prove("x", now)
		require.NoError(t, err, r.Text)
		for i, p := range proofs {
			require.Equal(t, r.Samples[i].Root.Count(), p.Entries)
		}
	})
}

// Whatever projects have beside what all have, the template gives each of them again; what few
// have is for later and is not asked for, and what more have is.
func TestWhatIsSeldomIsForLater(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		people := []string{"Oriel Pask", "Jun Teague", "Ida Sol Vig", "Wren Abbott", "Tove Lind", "Mats Orr", "Bo Ferry", "Dag Holm"}
		n := rapid.IntRange(4, len(people)).Draw(t, "projects")
		extras := []string{"Exhibition/", "Loan/", "Repairs/Photographs/", "Appendix.md"}
		has := map[string]int{}
		var samples []Sample
		for i := range n {
			paths := []string{"Letters/", "Work/"}
			for _, e := range extras {
				if rapid.IntRange(0, 3).Draw(t, "has") == 0 {
					paths = append(paths, e)
					has[e]++
				}
			}
			samples = append(samples, sample(people[i], paths...))
		}
		r, err := Of("x", samples, nil, nil)
		require.NoError(t, err)
		proofs, err := r.Prove("x", now)
		require.NoError(t, err, r.Text)
		for i, p := range proofs {
			assert.True(t, p.Exact, "%s\n%s: %+v", r.Text, samples[i].Name, p)
		}
		for _, e := range extras {
			name, _, _ := strings.Cut(e, "/")
			for line := range strings.Lines(r.Text) {
				if !strings.HasPrefix(strings.TrimSpace(line), name) {
					continue
				}
				later := strings.Contains(line, "| later")
				if e == "Appendix.md" || has[e]*fewOf > n {
					assert.False(t, later, "%d of %d have it: %s", has[e], n, line)
				}
				assert.True(t, later || strings.Contains(line, "| when:") || has[e] == n, line)
			}
		}
	})
}
