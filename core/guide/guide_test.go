package guide

import (
	"bytes"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	"golang.org/x/net/html"
	"pgregory.net/rapid"

	"vestibula/core/rules"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

const text = `---
title: Thistlewick
about: One folder for each commission.
fields:
  client: Who?
  kind: { of: { BK: book, BX: box }, default: BK }
  ref: { is: "<client:LT>" }
names:
  scan: { pattern: "<client:like-this> <side> <n:000>", fields: { side: { of: { R: recto, V: verso } }, n: { type: number, next: yes } }, for: [tif] }
  letter: "<day:yyyy-mm-dd> <ref>"
rules:
  depth: 4
  last: 90 Settled
  systems: [windows, web]
  width: off
---
<client>
    <#> Scans       | holds: scan, pictures | note: one for each side
    <#> Stages
        <s>         | each: s in survey, repair, sewing, covering
            Notes   | note: what was seen
    <#> Sheets
        sheet <i>   | each: i in 1..9
    Offer | due: 2027-04-01 | worth: 3
    <#> Trials      | later | holds: letter, *.wav
    <#> Boxes       | when: kind is BK
    Export/         | keep
    Guide.md        | guide
    <#> Settled     | number: 90
`

// built is what the template makes for a client, and its guide as it lies there.
func built(t require.TestingT, text string) (*template.Template, *template.Expansion, string) {
	tpl, err := template.Parse("t", text, nil)
	require.NoError(t, err)
	tpl.Guide = Text
	now := time.Date(2027, 3, 9, 0, 0, 0, 0, time.UTC)
	x, err := tpl.Tree(tpl.Complete(template.Values{"client": value.Of("Oriel Pask")}, now), 1000)
	require.NoError(t, err)
	var out strings.Builder
	if n := x.Root.Children[0].Child("Guide.md"); n != nil {
		require.NoError(t, tree.Copy(&out, n.Content))
	}
	return tpl, x, out.String()
}

func TestAGuideSaysWhereThingsGoAndWhatToCallThem(t *testing.T) {
	_, _, md := built(t, text)
	assert.Equal(t, "# Thistlewick\n\nOne folder for each commission.\n\n## What goes where\n\n```text\nOriel Pask/\n"+
		"    01 Scans/        one for each side; for scan, pictures\n    02 Stages/\n        survey/\n            Notes/   what was seen\n        repair/\n            Notes/\n        sewing/\n            Notes/\n        covering/\n            Notes/\n"+
		"    03 Sheets/\n        sheet 1/\n        … sheet 9    and 7 between, the same\n    Offer            to be delivered\n    04 Trials/       for letter, *.wav; when it is needed\n    05 Boxes/        only when kind is BK (book)\n    Export/\n    Guide.md\n    90 Settled/\n```\n"+
		"\n| what | goes to |\n|---|---|\n| scan (one for each side; named as below) | `01 Scans/` |\n| pictures (one for each side; files such as jpg, jpeg, png, gif) | `01 Scans/` |\n| letter (named as below) | `04 Trials/` |\n| files that end in .wav | `04 Trials/` |\n"+
		"\n## What to call it\n\n**the project’s own folder**: `Oriel Pask`\n\n| part | what it is |\n|---|---|\n| `Oriel Pask` | Who |\n"+
		"\n**scan**: `oriel-pask R 001.tif` in `01 Scans/`\n\n| part | what it is |\n|---|---|\n| `oriel-pask` | Who |\n| `R` | side: R, V |\n| `001` | the next number |\n"+
		"\n**letter**: `2027-03-09 OP` in `04 Trials/`\n\n| part | what it is |\n|---|---|\n| `2027-03-09` | day (date) |\n| `OP` | ref: OP from client |\n"+
		"\n## What the codes mean\n\n| kind | meaning |\n|---|---|\n| `BK` | book |\n| `BX` | box |\n\n| side | meaning |\n|---|---|\n| `R` | recto |\n| `V` | verso |\n"+
		"\n## What is to be delivered\n\n| what | by | points |\n|---|---|---|\n| `Offer` | 2027-04-01 | 3 |\n", md[:strings.Index(md, "\n## What we keep to")])
	for _, part := range []string{"- At most 4 folders lie inside each other", "“90 Settled”", "windows, web.", "## What is never renamed\n\n- `Export`"} {
		assert.Contains(t, md, part)
	}
	assert.NotContains(t, md, "in one folder.", "a rule that is off is none")
}

// Whatever stands in a template's texts, the guide has as many tables, headings and lines as
// it should, and nothing in it runs: held against a parser of Markdown.
func TestHostileTextsStayTexts(t *testing.T) {
	count := func(md string) (counts map[string]int) {
		var out bytes.Buffer
		require.NoError(t, goldmark.New(goldmark.WithExtensions(extension.Table)).Convert([]byte(md), &out))
		doc, err := html.Parse(&out)
		require.NoError(t, err)
		counts = map[string]int{}
		for n := range doc.Descendants() {
			if n.Type == html.ElementNode {
				counts[n.Data]++
			}
		}
		return counts
	}
	_, _, md := built(t, text)
	want := count(md)
	rapid.Check(t, func(t *rapid.T) {
		evil := rapid.SampledFrom([]string{"<script>alert(1)</script>", "a | b", "[x](javascript:alert(1))", "`code` ``", "# heading", "* x * _y_", "![](http://x)", "&lt;b&gt;", "</code><img src=x onerror=alert(1)>", "\\\\ \\`"}).Draw(t, "evil")
		quoted := `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(evil) + `"`
		_, _, md := built(t, strings.NewReplacer("about: One folder for each commission.", "about: "+quoted, "BK: book", "BK: "+quoted, "client: Who?", "client: "+quoted, "note: one for each side", "note: "+strings.ReplaceAll(evil, "|", "-")).Replace(text))
		assert.Equal(t, want, count(md), md)
	})
}

func TestTheGuidesOfTheDemo(t *testing.T) {
	for _, file := range []string{"commission", "evening-course", "ledger"} {
		data, err := os.ReadFile("../../examples/" + file + ".folders")
		require.NoError(t, err)
		tpl, err := template.Parse(file, string(data), os.DirFS("../../examples"))
		require.NoError(t, err)
		values := tpl.Sample(nil, day)
		x, err := tpl.Tree(values, 10_000)
		require.NoError(t, err)
		_, own := tpl.Own(x.Root)
		p := Of(tpl, own, values, x.Due)
		assert.Equal(t, "en", p.Language)
		assert.Len(t, p.Conventions, 1+len(tpl.Names), "the project's own folder comes first")
		for _, c := range p.Conventions {
			var b strings.Builder
			for _, s := range c.Slots {
				b.WriteString(s.Text)
			}
			assert.Equal(t, strings.TrimSuffix(c.Example, "."+strings.Join(c.Endings[:min(1, len(c.Endings))], "")), b.String(), "the parts are the example")
		}
	}
}

func TestAGuideSpeaksTheLanguageOfItsTemplate(t *testing.T) {
	for language, c := range map[string]struct {
		head string
		says []string
	}{
		"de": {"title: Aufträge\nabout: Ein Ordner für jeden Auftrag.\nfields: { client: Für wen ist er?", []string{"## Was wohin gehört", "für Bilder; nur wenn kind ist nicht BX (x) oder client ist Oriel Pask und nicht gilt", "Dateien wie jpg", "- Höchstens 4 Ordner liegen ineinander. Jede Ebene", "möglich: mac. Ein Name", "„Erledigt“"}},
		"fr": {"title: Commandes\nabout: Un dossier pour chaque commande.\nfields: { client: Pour qui est-ce ?", []string{"## Ce qui va où", "pour images; seulement si kind n’est pas BX (x) ou client est Oriel Pask et pas gilt", "- Au plus 4 dossiers sont l’un dans l’autre. Chaque niveau", "systèmes : mac. Un nom", "« Erledigt »"}},
		"en": {"title: Mill [x](y) a y\nabout: A folder for each job.\nfields: { client: Who is it for?", []string{"## What goes where", "for pictures; only when kind is not BX (x) or client is Oriel Pask and not gilt", "- At most 4 folders lie inside each other", "systems: mac. A name", "“Erledigt”"}},
		"es": {"title: Encargos\nabout: Una carpeta para cada encargo.\nfields: { client: ¿Para quién es?", []string{"## Qué va dónde", "Oriel Pask` | Para quién es |", "para imágenes; solo si", "- Como máximo 4 carpetas"}},
		"it": {"title: Incarichi\nabout: Una cartella per ogni incarico.\nfields: { client: Per chi è?", []string{"## Che cosa va dove", "per immagini; solo se", "- Al massimo 4 cartelle"}},
		"nl": {"title: Opdrachten\nabout: Een map voor elke opdracht.\nfields: { client: Voor wie is het?", []string{"## Wat waar hoort", "voor afbeeldingen; alleen als", "- Hoogstens 4 mappen"}},
		"pt": {"title: Encomendas\nabout: Uma pasta para cada encomenda.\nfields: { client: Para quem é?", []string{"## O que vai onde", "para imagens; só se", "- No máximo 4 pastas"}},
		"sv": {"title: Uppdrag\nabout: En mapp för varje uppdrag.\nfields: { client: Vem är det till?", []string{"## Vad som hör hemma var", "för bilder; bara om", "- Högst 4 mappar"}},
		"da": {"title: Opgaver\nabout: En mappe til hver opgave.\nfields: { client: Hvem er det til?", []string{"## Hvad der hører hjemme hvor", "til billeder; kun hvis", "- Højst 4 mapper"}},
	} {
		tpl, x, md := built(t, "---\n"+c.head+", kind: { of: { BK: b, BX: x }, default: BK }, gilt: { type: yes-no, default: no } }\nrules: { depth: 4, systems: [mac], last: Erledigt }\n---\n<client>\n    Plans | when: kind is not BX or client is Oriel Pask and not gilt | holds: pictures\n    Guide.md | guide\n")
		_, own := tpl.Own(x.Root)
		assert.Equal(t, language, Of(tpl, own, nil, nil).Language)
		for _, s := range c.says {
			assert.Contains(t, md, s)
		}
	}
}

// Each language has all that guides say, and nothing that they do not.
func TestTheWordsAreWhole(t *testing.T) {
	var code string
	for _, file := range []string{"guide.go", "rules.go", "markdown.go", "../../cli/guide.go", "../../cli/page/guide.html"} {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		code += string(data)
	}
	said := map[string]bool{}
	for _, kind := range append(value.KindNames(), slices.Collect(maps.Keys(template.FileKinds))...) {
		said[kind] = true
	}
	said["folders"], said["files"] = true, true // of name-style, where the key is said
	for _, found := range regexp.MustCompile(`(?:[sS]ay\(|Say |section\()"([^"]+)"`).FindAllStringSubmatch(code, -1) {
		said[found[1]] = true
	}
	verbs := regexp.MustCompile(`%[a-z]`)
	for language, w := range languages() {
		assert.ElementsMatch(t, append(rules.Names(), "same-name"), slices.Collect(maps.Keys(w.Rules)), language)
		if language == "en" {
			continue
		}
		assert.ElementsMatch(t, slices.Collect(maps.Keys(said)), slices.Collect(maps.Keys(w.Phrases)), language)
		for phrase, other := range w.Phrases {
			assert.Equal(t, verbs.FindAllString(phrase, -1), verbs.FindAllString(other, -1), phrase)
		}
		for name, r := range w.Rules {
			assert.NotEmpty(t, r.Why, name)
			assert.Equal(t, strings.Contains(languages()["en"].Rules[name].Says, "{}"), strings.Contains(r.Says, "{}"), "%s: %s", language, name)
		}
	}
}
