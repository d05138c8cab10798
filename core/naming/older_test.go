package naming

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

func older(t testing.TB, shapes ...string) (*Older, *template.Convention) {
	tpl, err := template.Parse("t", header, nil)
	require.NoError(t, err)
	c := tpl.Convention("scan")
	o := NewOlder(c, nil)
	for _, s := range shapes {
		name, _, errs := c.Shape(s)
		require.Empty(t, errs)
		c.Was = append(c.Was, name)
	}
	if len(shapes) > 0 {
		o = NewOlder(c, c.Was)
	}
	return o, c
}

func TestWhatOlderNamesLackComesFromElsewhere(t *testing.T) {
	o, _ := older(t, "<client> scan <n:0>")
	read, misfit := o.Read("Oriel Pask scan 7")
	require.Nil(t, misfit)
	day := value.Value{Kind: value.Date, Year: 2027, Part: 3, Day: 9}
	side := (&value.Type{Kind: value.Choice, Of: []value.Option{{Code: "R"}, {Code: "V"}}}).Option(1)
	_, err := o.Anew(read, nil)
	var lack *LackError
	require.ErrorAs(t, err, &lack)
	assert.Equal(t, []string{"received", "side"}, lack.Fields)
	assert.EqualError(t, lack, "nothing says its received, side")
	values, err := o.Anew(read, template.Values{"side": side}, nil, template.Values{"received": day})
	require.NoError(t, err)
	assert.Equal(t, "7", values["n"].String())
	assert.Equal(t, "V", values["side"].String())
	assert.Equal(t, "2027-03-09", values["received"].String())
	_, err = o.Anew(read, nil, template.Values{"received": day, "side": side, "client": value.Of("Jun Teague")})
	assert.EqualError(t, err, "its name says client Oriel Pask, and that is known to be Jun Teague")
	values, err = o.Anew(read, template.Values{"client": value.Of("Jun Teague")}, template.Values{"received": day, "side": side})
	require.NoError(t, err)
	assert.Equal(t, "Oriel Pask", values["client"].String(), "what is only there to spare contradicts nothing")
	assert.True(t, o.Fits("2027-03-09 oriel-pask R 007"))
	assert.True(t, o.Fork().Fits("2027-03-09 oriel-pask R 007"))

	two, _ := older(t, "<client> <side> scan <n:0>", "<side> <client> scan <n:0>")
	_, misfit = two.Read("R V scan 7")
	require.NotNil(t, misfit)
	assert.Equal(t, "two of the older shapes fit, and say other things", misfit.Message)
	read, misfit = two.Read("V V scan 7")
	require.Nil(t, misfit, "both say the same")
	assert.Equal(t, "V", read.Values["client"].String())

	nothing, _ := older(t)
	read, misfit = nothing.Read("anything")
	assert.Nil(t, read)
	assert.Nil(t, misfit)
}

// Whatever a pattern and a name say, reading ends, and what was read can be written.
func FuzzOlder(f *testing.F) {
	f.Add("<client> scan <n:0>", "Oriel Pask scan 7")
	f.Add("<n:0> <received:d.m.yyyy>", "7 9.3.2027")
	f.Add("<x>_<side>", "a_R")
	f.Add("<received:mmm yyyy><client:LT>", "Mar 2027OP")
	_, c := older(f)
	f.Fuzz(func(t *testing.T, shape, name string) {
		s, _, errs := c.Shape(shape)
		if len(errs) > 0 || len(shape) > 200 {
			return
		}
		o := NewOlder(c, append(c.Was[:0:0], s))
		read, misfit := o.Read(name)
		if misfit != nil {
			require.LessOrEqual(t, misfit.At, 4*len(name)+4)
			return
		}
		require.NotNil(t, read)
		for field, v := range read.Values {
			require.True(t, v.Given(), field)
		}
		_, _ = o.Anew(read, nil)
	})
}

// A person's pattern forgives zeros in front and capitals, and nothing else.
func TestAPatternForgivesZerosAndCapitals(t *testing.T) {
	assert.Equal(t, []string{"Bill <n:0> <day:d.m.yyyy>", "Bill <n:0> <day:dd.mm.yyyy>"}, Forgiving("Bill <n:000> <day:dd.mm.yyyy>"))
	assert.Equal(t, []string{"<day:dd mmm yyyy> x"}, Forgiving("<day:d mmm yyyy> x"))
	assert.Empty(t, Forgiving("<who> <n:0>"))
	tpl, err := template.Parse("t", "---\nnames: { x: { pattern: \"<day:yyyy-mm-dd> <what>\", fields: { day: { type: date } } } }\n---\nA\n", nil)
	require.NoError(t, err)
	c := tpl.Names[0]
	var shapes []*pattern.Name
	for _, text := range append([]string{"Bill <day:dd.mm.yyyy> of <what>"}, Forgiving("Bill <day:dd.mm.yyyy> of <what>")...) {
		name, _, errs := c.Shape(text)
		require.Empty(t, errs)
		shapes = append(shapes, name)
	}
	for _, strict := range []bool{true, false} {
		o := NewOlder(c, shapes[:1])
		if !strict {
			o.Forgive(shapes[1:])
			o = o.Fork()
		}
		read, misfit := o.Read("BILL 3.4.2027 OF Oak")
		if strict {
			assert.NotNil(t, misfit)
			continue
		}
		require.Nil(t, misfit)
		assert.Equal(t, "2027-04-03", read.Values["day"].String())
		assert.Equal(t, "Oak", read.Values["what"].String())
		_, misfit = o.Read("Bil 3.4.2027 of Oak")
		assert.NotNil(t, misfit)
	}
}
