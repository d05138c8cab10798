package pattern

import (
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"vestibula/core/alphabet"
	"vestibula/core/value"
)

// texts draws texts with signs, accents, digits and several scripts.
var texts = rapid.Custom(func(t *rapid.T) string {
	words := rapid.SliceOfN(rapid.SampledFrom([]string{
		"oriel", "Pask", "ÅSGERD", "Ölvane", "O'Neil", "co-op", "3rd", "2027", "straße", "Łódź", "Мария", "ωμέγα", "日本", "a_b", "(draft)", "x/y", "&", "…", "ñandú", "ǅ",
	}), 1, 5).Draw(t, "words")
	return strings.Join(words, rapid.SampledFrom([]string{" ", "  ", " - "}).Draw(t, "joint"))
})

func TestWhatAStyleWritesLooksLikeIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := texts.Draw(t, "text")
		for _, form := range TextForms() {
			styled := Restyle(s, form)
			if styled == "" {
				continue // nothing but signs
			}
			assert.True(t, Looks(styled, form), "%q as %s is %q", s, form, styled)
			st := styleNamed(form)
			assert.Equal(t, styled, string(st.append(nil, s)), "both ways to write %q as %s", s, form)
			if !st.initials && st.joint != "" {
				assert.Equal(t, styled, Restyle(styled, form), "writing %q twice changes nothing", s)
			}
			if !st.initials && (st.joint != "" || st.other != title) {
				assert.Equal(t, styled, Restyle(st.undo(styled), form), "undoing %q and writing it again", styled)
			}
			_, errs := Parse(styled)
			assert.Empty(t, errs, "%q can be a name", styled)
		}
	})
}

func TestLooks(t *testing.T) {
	tests := []struct {
		text, form string
		want       bool
	}{
		{"case binding", "like this", true},
		{"Case binding", "like this", false},
		{"Case binding", "Like this", true},
		{"Case Binding", "Like this", false},
		{"Case Binding", "Like This", true},
		{"Case  Binding", "Like This", false},
		{"case-binding", "like-this", true},
		{"case-binding-", "like-this", false},
		{"-case", "like-this", false},
		{"case--binding", "like-this", false},
		{"case_binding", "like-this", false},
		{"case-2", "like-this", true},
		{"CASE_BINDING", "LIKE_THIS", true},
		{"Case_Binding", "Like_This", true},
		{"case.binding", "like.this", true},
		{"casebinding", "likethis", true},
		{"caseBinding", "likeThis", true},
		{"CaseBinding", "likeThis", false},
		{"CaseBinding", "LikeThis", true},
		{"CB", "LT", true},
		{"Cb", "LT", false},
		{"äpfel", "like-this", false},
		{"äpfel", "like this", true},
		{"мария-本", "like-this", true},
		{"Мария", "like-this", false},
		{"", "like-this", false},
		{"anything", "no form", false},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, Looks(tt.text, tt.form), "%q as %s", tt.text, tt.form)
	}
}

func TestPlainLetters(t *testing.T) {
	for in, want := range map[string]string{
		"Åsgerd Ölvane":   "Asgerd Olvane",
		"A\u030asa":       "Asa",
		"Straße":          "Strasse",
		"Ærø":             "AEro",
		"Łódź":            "Lodz",
		"Þór Ðórsson":     "THor Dorsson",
		"ǿ":               "o",
		"İstanbul":        "Istanbul",
		"ωμέγα":           "ωμέγα",
		"Ёлка":            "Ёлка",
		"日本語":             "日本語",
		"plain":           "plain",
		"a\u0301\u0308bc": "abc",
	} {
		assert.Equal(t, want, alphabet.Plain(in))
	}
}

func TestCutsAtTheEndOfAWord(t *testing.T) {
	tests := []struct {
		text  string
		limit int
		want  string
	}{
		{"gold leaf and more", 18, "gold leaf and more"},
		{"gold leaf and more", 17, "gold leaf and"},
		{"gold leaf and more", 10, "gold leaf"},
		{"gold leaf and more", 9, "gold leaf"},
		{"gold leaf and more", 4, "gold"},
		{"gold leaf and more", 3, "gol"},
		{"Ölvane", 2, "Öl"},
	}
	for _, tt := range tests {
		assert.Equal(t, tt.want, Cut(tt.text, tt.limit), "%q to %d", tt.text, tt.limit)
	}
	rapid.Check(t, func(t *rapid.T) {
		s := strings.Join(strings.Fields(texts.Draw(t, "text")), " ")
		limit := rapid.IntRange(1, 30).Draw(t, "limit")
		short := Cut(s, limit)
		assert.True(t, strings.HasPrefix(s, short))
		assert.LessOrEqual(t, utf8.RuneCountInString(short), limit)
		assert.NotEmpty(t, short)
	})
}

func TestCleanTextsCanBeNames(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.String().Draw(t, "text")
		clean, changed := Clean(s)
		assert.Equal(t, changed, clean != s)
		assert.False(t, strings.ContainsAny(clean, Reserved))
		again, dirty := Clean(clean)
		assert.True(t, again == clean && !dirty)
	})
}

// The automaton of a number accepts exactly what the form writes.
func TestTheAutomatonOfANumberAcceptsWhatTheFormWrites(t *testing.T) {
	accepts := func(a *automaton, s string) bool {
		states := map[int]bool{a.start: true}
		for _, r := range s {
			next := map[int]bool{}
			for state := range states {
				for _, m := range a.next[state] {
					if m.on(r) {
						next[m.to] = true
					}
				}
			}
			states = next
		}
		for state := range states {
			if a.accept[state] {
				return true
			}
		}
		return false
	}
	rapid.Check(t, func(t *rapid.T) {
		lo := rapid.IntRange(0, 300).Draw(t, "lo")
		hi := lo + rapid.IntRange(0, 1500).Draw(t, "more")
		typ := &value.Type{Kind: value.Number, Min: &lo, Max: &hi}
		p, bad := ParseForm(strings.Repeat("0", rapid.IntRange(1, 4).Draw(t, "width")), typ)
		require.Nil(t, bad)
		a := p.reader().automaton()
		for range 40 {
			n := rapid.IntRange(0, hi+50).Draw(t, "number")
			out, err := p.Append(nil, value.OfNumber(n))
			require.NoError(t, err)
			assert.Equal(t, lo <= n && n <= hi, accepts(a, string(out)), "%s for %d to %d", out, lo, hi)
			assert.False(t, accepts(a, "0"+string(out)) && len(out) >= 4, "a zero too many")
		}
	})
}

func TestNamesOfOwnFieldsKnowTheirSlots(t *testing.T) {
	n := bindTo(t, "<d:yyyy-mm-dd> <t:like-this>-<n:00> x")
	assert.Equal(t, []string{"d", "t", "n"}, n.Reader().Fields())
	assert.False(t, n.Constant())
	assert.True(t, bindTo(t, "plain text").Constant())
	numbered, bare := n.Numbered()
	assert.False(t, numbered || bare)
}

func TestParsingTakesAPatternApart(t *testing.T) {
	p, errs := Parse("a <b> c<d:yyyy-mm>é<e>")
	require.Empty(t, errs)
	assert.Equal(t, []string{"b", "d", "e"}, p.Slots())
	var pieces []string
	for _, piece := range p.Pieces {
		pieces = append(pieces, piece.Text)
	}
	assert.Equal(t, []string{"a ", "<b>", " c", "<d:yyyy-mm>", "é", "<e>"}, pieces)
	assert.Equal(t, 19, p.Pieces[5].At, "places are counted in characters")

	for text, want := range map[string]string{
		"a <b":    "2: this slot is not closed (write <b>)",
		"a <b <c": "2: this slot is not closed (write <b>)",
		"a > b":   "2: this > closes a slot that was never opened (write < in front of the field's name)",
		"é<>":     "1: this slot names no field (write the field's name between < and >)",
		"<a: >":   "0: there is no form behind the colon (write <a> alone, or an example of how it is to look)",
		`a\b`:     `1: a name cannot hold \ (a hyphen works everywhere)`,
		"a\tb":    "1: a name cannot hold the control character U+0009 (remove it)",
	} {
		_, errs := Parse(text)
		if assert.NotEmpty(t, errs, text) {
			assert.Equal(t, want, string(rune('0'+errs[0].At))+": "+errs[0].Error(), text)
		}
	}
}

// What a form makes of a text is found by the text, whatever letters it has.
func TestWhatAFormMakesIsFoundByTheText(t *testing.T) {
	forms := rapid.SampledFrom([]string{"like-this", "Like this", "LIKE_THIS", "Like-This", "like.this"})
	word := rapid.StringOfN(rapid.RuneFrom([]rune("aZ9'’ßøÆłǿİıſŉ"), unicode.Latin, unicode.Greek, unicode.Cyrillic).Filter(alphabet.InWord), 1, 6, -1)
	rapid.Check(t, func(t *rapid.T) {
		text := strings.Join(rapid.SliceOfN(word, 1, 4).Draw(t, "words"), rapid.SampledFrom([]string{" ", " - ", " & "}).Draw(t, "joint"))
		made := Restyle(text, forms.Draw(t, "form"))
		assert.Equal(t, string(alphabet.Plainly(nil, text)), string(alphabet.Plainly(nil, made)), made)
	})
	for text, want := range map[string]string{"Ærø Straße Žába": "aero strasse zaba", "O’Brien & Söhne": "obrien sohne", "R2-D2_v1.2": "r2 d2 v1 2", "Ёлка ά": "елка α"} {
		assert.Equal(t, want, string(alphabet.Plainly(nil, text)), text)
	}
}
