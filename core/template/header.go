package template

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"vestibula/core/outline"
)

// A Node is a piece of a header: a text, a list or a mapping, with its place.
// Numbers, dates, yes and no are kept as the text that was written.
type Node struct {
	outline.Pos
	Text  string  // of a scalar
	List  []*Node // of a list
	Pairs []Pair  // of a mapping, in order
	Kind  NodeKind
}

// A NodeKind tells the kinds of nodes apart.
type NodeKind uint8

// The kinds of nodes.
const (
	Scalar NodeKind = iota
	Sequence
	Mapping
	Null
)

// A Pair is a key of a mapping and what it stands for.
type Pair struct {
	Key      string
	KeyPos   outline.Pos
	KeyWidth int
	Value    *Node
}

// width is how many characters to mark under the node.
func (n *Node) width() int {
	if n.Kind == Scalar && !strings.Contains(n.Text, "\n") {
		return utf8.RuneCountInString(n.Text)
	}
	return 1
}

// Texts returns the items of a list of scalars; of a scalar, itself.
func (n *Node) Texts() []string {
	if n.Kind == Scalar {
		return []string{n.Text}
	}
	texts := make([]string, len(n.List))
	for i, it := range n.List {
		texts[i] = it.Text
	}
	return texts
}

// ParseYAML reads a text of YAML, such as a header or a file of values. First
// is the line at which the text begins. An empty text is an empty mapping.
// Anchors, aliases and tags are refused: nobody needs them here, and they can
// make a small text stand for a huge one.
//
// What is larger than a person writes is refused before it is parsed: see
// [MaxYAML].
func ParseYAML(text string, first int) (*Node, outline.Errors) {
	r := yamlReader{first: first}
	if r.overspent(text) {
		return nil, r.errs
	}
	file, err := parser.ParseBytes([]byte(text), 0, parser.AllowDuplicateMapKey())
	if err != nil {
		if e := mistake(text); e != nil {
			e.Line += first - 1
			return nil, outline.Errors{e}
		}
		at, message := outline.Pos{Line: first, Column: 1}, "this line is not written as a key with a value, or not indented as its neighbours are"
		var syntax yaml.Error
		if errors.As(err, &syntax) && syntax.GetToken() != nil {
			at = r.pos(syntax.GetToken())
			if notClosed(syntax.GetToken()) {
				message = "a quotation mark or a bracket is not closed"
			}
		}
		r.fail(at, 1, message, "each line is `key: value`, indented as its neighbours are; put a text that holds a sign in quotes")
		return nil, r.errs
	}
	switch {
	case len(file.Docs) == 0 || file.Docs[0].Body == nil:
		return &Node{Kind: Mapping, Pos: outline.Pos{Line: first, Column: 1}}, nil
	case len(file.Docs) > 1:
		at := outline.Pos{Line: first, Column: 1}
		if second := file.Docs[1]; second.Body != nil {
			at = r.pos(second.Body.GetToken())
		} else if second.Start != nil {
			at = r.pos(second.Start)
		}
		r.fail(at, 1, "this text has two halves", "remove the line of hyphens between them")
	}
	return r.node(file.Docs[0].Body), r.errs
}

// Limits on YAML, far above what a person writes. The parser takes memory for each
// key of a mapping that grows with their number, and for each bracket.
const (
	MaxYAML     = 256 << 10 // bytes
	maxKeys     = 2000      // lines with a key
	maxBrackets = 32        // levels of brackets
	maxIndent   = 200       // columns
)

// overspent says that a text is larger than is read. It counts without parsing:
// what it takes for a key or a bracket may stand in a text, and counts as well.
func (r *yamlReader) overspent(text string) bool {
	refuse := func(line int, message string) bool {
		r.fail(outline.Pos{Line: r.first + line, Column: 1}, 1, message, "leave longer texts and lists to files of their own")
		return true
	}
	if len(text) > MaxYAML {
		return refuse(0, fmt.Sprintf("this is larger than %d KB", MaxYAML>>10))
	}
	keys, depth, number := 0, 0, 0
	for line := range strings.Lines(text) {
		trimmed := strings.TrimLeft(line, " \t")
		if strings.Contains(trimmed, ":") {
			keys++
		}
		for i := range len(trimmed) {
			switch trimmed[i] {
			case '[', '{':
				depth++
			case ']', '}':
				depth = max(0, depth-1)
			}
			if depth > maxBrackets {
				return refuse(number, fmt.Sprintf("brackets lie more than %d deep here", maxBrackets))
			}
		}
		switch {
		case len(line)-len(trimmed) > maxIndent:
			return refuse(number, fmt.Sprintf("this line is indented by more than %d columns", maxIndent))
		case keys > maxKeys:
			return refuse(number, fmt.Sprintf("there are more than %d lines with a key", maxKeys))
		}
		number++
	}
	return false
}

// notClosed are the tokens at which the parser stands where a quotation mark or a bracket is
// not closed.
func notClosed(t *token.Token) bool {
	switch t.Type {
	case token.SequenceStartType, token.MappingStartType:
		return true
	case token.InvalidType:
		return strings.ContainsAny(strings.TrimLeft(t.Value, " ")[:1], `"'`)
	}
	return false
}

type yamlReader struct {
	first int
	errs  outline.Errors
}

func (r *yamlReader) fail(at outline.Pos, width int, message, help string) {
	r.errs = append(r.errs, &outline.Error{Pos: at, Width: max(width, 1), Message: message, Help: help})
}

func (r *yamlReader) pos(t *token.Token) outline.Pos {
	p := outline.Pos{Line: t.Position.Line + r.first - 1, Column: t.Position.Column}
	if t.Type == token.DoubleQuoteType || t.Type == token.SingleQuoteType {
		p.Column++
	}
	return p
}

func (r *yamlReader) node(n ast.Node) *Node {
	t := n.GetToken()
	out := &Node{Pos: r.pos(t)}
	switch n := n.(type) {
	case *ast.MappingNode:
		out.Kind = Mapping
		for _, v := range n.Values {
			r.pair(out, v)
		}
	case *ast.MappingValueNode:
		out.Kind = Mapping
		r.pair(out, n)
	case *ast.SequenceNode:
		out.Kind = Sequence
		for _, v := range n.Values {
			out.List = append(out.List, r.node(v))
		}
	case *ast.LiteralNode:
		out.Text = n.Value.Value
	case *ast.StringNode:
		out.Text = n.Value
	case *ast.NullNode:
		out.Kind = Null
	case *ast.AnchorNode, *ast.AliasNode, *ast.TagNode, *ast.MergeKeyNode:
		r.fail(out.Pos, utf8.RuneCountInString(t.Value), "this sign has a meaning of its own in YAML that is not used here", "put the text in quotes")
	default:
		out.Text = t.Value
	}
	return out
}

func (r *yamlReader) pair(out *Node, v *ast.MappingValueNode) {
	t := v.Key.GetToken()
	at := r.pos(t)
	if v.Key.IsMergeKey() {
		r.fail(at, 2, "this sign has a meaning of its own in YAML that is not used here", "")
		return
	}
	if slices.ContainsFunc(out.Pairs, func(p Pair) bool { return p.Key == t.Value }) {
		r.fail(at, utf8.RuneCountInString(t.Value), "this key stands here a second time", "give it another name, or take one of them out")
		return
	}
	out.Pairs = append(out.Pairs, Pair{t.Value, at, utf8.RuneCountInString(t.Value), r.node(v.Value)})
}
