package rules

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/tree"
	"vestibula/core/value"
)

func levelRules() []*rule {
	yesNo := map[string]any{"enum": []any{"yes", "no", true, false}}
	return []*rule{{
		name:  "levels",
		about: "Each level holds only what belongs there: files, folders, names of a pattern, names that begin with their parent's letter. What lies in the project's own folder is level 1.",
		why:   "Where each level has one meaning, such as year, then month, then files, nobody has to ask where a thing belongs.",
		set:   "levels: { 1: { files: no, name: \"<year:yyyy>\" }, 2: { name: \"<month:yyyy-mm>\" }, 3: { folders: no } }",
		bad:   "# levels: { 1: { name: \"<year:yyyy>\" }, 2: { name: \"<month:yyyy-mm>\" } }\nBooks\n    2027\n        March\n    2028",
		good:  "# levels: { 1: { name: \"<year:yyyy>\" }, 2: { name: \"<month:yyyy-mm>\" } }\nBooks\n    2027\n        2027-03\n    2028",

		schema: map[string]any{"type": "object", "propertyNames": map[string]any{"pattern": "^[1-9][0-9]?$"}, "additionalProperties": map[string]any{
			"type": "object", "additionalProperties": false, "properties": map[string]any{
				"files": yesNo, "folders": yesNo, "name": map[string]any{"type": "string"}, "initial": map[string]any{"enum": []string{"parent"}},
			}}},
		configure: levels,
	}}
}

// A level says what may lie at one level.
type level struct {
	noFiles, noFolders, initial bool
	like                        string // what its names are, in words
	reader                      *pattern.Reader
	values                      []value.Value
}

func readLevels(n *template.Node) (map[int]*level, error) {
	if n.Kind != template.Mapping {
		return nil, fmt.Errorf("needs levels with what belongs there")
	}
	out := map[int]*level{}
	for _, p := range n.Pairs {
		number, err := strconv.Atoi(p.Key)
		if err != nil || number < 1 || number > 99 || p.Value.Kind != template.Mapping {
			return nil, fmt.Errorf("needs numbers of levels from 1 on, each with what belongs there")
		}
		l := &level{}
		out[number] = l
		for _, q := range p.Value.Pairs {
			_, no := value.Says(q.Value.Text)
			switch q.Key {
			case "files":
				l.noFiles = no
			case "folders":
				l.noFolders = no
			case "initial":
				if l.initial = q.Value.Text == "parent"; !l.initial {
					return nil, fmt.Errorf("knows only `initial: parent`")
				}
			case "name":
				name, err := levelPattern(q.Value.Text)
				if err != nil {
					return nil, err
				}
				l.like = inWords(name)
				l.reader = name.Reader()
				l.values = make([]value.Value, len(l.reader.Fields()))
			default:
				return nil, fmt.Errorf("has no setting \"%s\" for a level; it takes files, folders, name and initial", q.Key)
			}
		}
	}
	return out, nil
}

// levelPattern binds a pattern whose slots are fields of its own, with types
// that follow from their forms.
func levelPattern(source string) (*pattern.Name, error) {
	p, errs := pattern.Parse(source)
	if len(errs) == 0 {
		slots := p.Slots()
		types := make([]value.Type, len(slots))
		var name *pattern.Name
		name, errs = p.Bind(func(slot string) (pattern.Field, *pattern.Error) {
			i := slices.Index(slots, slot)
			types[i].Kind = template.InferredKind(p, slot)
			return pattern.Field{Index: i, Type: &types[i]}, nil
		})
		if len(errs) == 0 {
			return name, nil
		}
	}
	return nil, fmt.Errorf("has a pattern \"%s\" that cannot be used: %s", source, errs[0].Message)
}

// inWords says what names of a pattern look like, for a person.
func inWords(n *pattern.Name) string {
	source := n.Pattern.Source
	slots := n.Pattern.Slots()
	kind := value.Text
	example, _, err := n.Write(func(slot string) value.Value {
		kind = template.InferredKind(n.Pattern, slot)
		return (&value.Type{Kind: kind}).Specimen(slot, value.Value{Kind: value.Date, Year: 2027, Part: 3, Day: 9})
	}, 2)
	alone := len(slots) == 1 && source[0] == '<' && strings.IndexByte(source, '>') == len(source)-1
	_, form, _ := strings.Cut(strings.Trim(source, "<>"), ":")
	switch {
	case alone && form == "A":
		return "one capital letter"
	case alone && form == "a":
		return "one small letter"
	case err != nil || example == "":
		return "like " + source
	case alone && kind == value.Number:
		return "a number, such as " + example
	case alone && kind != value.Text:
		return fmt.Sprintf("a %s, such as %s", kind, example)
	}
	return "a name such as " + shown(example)
}

func levels(c *context) (check, error) {
	all, err := readLevels(c.setting)
	return check{around: true, folder: func(f *Folder, report func(Finding)) {
		l := all[f.level]
		if l == nil {
			return
		}
		for _, n := range f.Node.Children {
			tell := func(message Message, help string) {
				finding := f.finding("levels", c.severity, n)
				finding.Message, finding.Help = message, help
				report(finding)
			}
			at := fmt.Sprintf("level %d", f.level)
			switch {
			case n.Kind == tree.File && l.noFiles:
				tell(say("%s is a file, and %s is for folders only", shown(n.Name), at), "move it into one of the folders")
			case n.Kind == tree.Folder && l.noFolders:
				tell(say("%s is a folder, and %s is for files only", shown(n.Name), at), "move what it holds up")
			case n.Marks&(tree.Keep|tree.Open) != 0 || n.Kind == tree.File:
			case l.reader != nil && l.reader.Read(n.Name, l.values) != nil:
				tell(say("%s must be %s, as names of %s are", shown(n.Name), l.like, at), "")
			case l.initial && f.Parent != nil && initialOf(tree.Bare(n)) != initialOf(tree.Bare(f.Node)):
				tell(say("%s lies in %s, but begins with another letter", shown(n.Name), shown(f.Node.Name)),
					fmt.Sprintf("move it into the folder of the letter %s", strings.ToUpper(initialOf(tree.Bare(n)))))
			}
		}
	}}, err
}

// initialOf returns the first letter of a name, small and without an accent.
func initialOf(name string) string {
	r, _ := utf8.DecodeRuneInString(norm.NFD.String(name))
	return string(unicode.ToLower(r))
}
