// Package files reads and writes the open formats that people keep: YAML, CSV, lists of pages. It knows places in files
// (line and column) and hands plain values on; what they mean is checked by core.
//
//	e, err := files.ReadEstate("upperpath.yaml") // err lists every fault with its place
package files

import (
	"errors"
	"fmt"
	"os"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/problem"
)

// ReadTree reads a YAML file into a tree of nodes with their places. A file that is missing or is no YAML is a
// problem.List of one.
func ReadTree(path string) (*estate.Node, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	return parseTree(path, data)
}

func parseTree(path string, data []byte) (*estate.Node, error) {
	file, err := parser.ParseBytes(data, 0, parser.AllowDuplicateMapKey())
	if err != nil {
		p := problem.Problem{
			File:     path,
			Says:     "this is no YAML",
			Expected: "keys and values",
			Remedy:   "look for a missing colon, quote or bracket here or just above; indent with spaces",
		}
		var syntax *yaml.SyntaxError
		if errors.As(err, &syntax) && syntax.Token != nil {
			p.Line, p.Column, p.Value = syntax.Token.Position.Line, syntax.Token.Position.Column, syntax.Token.Value
			p.Says += ": " + syntax.Message
		}
		return nil, problem.List{p}
	}
	t := tree{anchors: map[string]*estate.Node{}}
	if len(file.Docs) == 0 || file.Docs[0].Body == nil {
		return &estate.Node{}, nil
	}
	node := t.node(file.Docs[0].Body)
	if len(file.Docs) > 1 {
		t.fail(file.Docs[1], "the file holds more than one document", "one document", "drop what follows the line ---")
	}
	return node, t.faults.In(path).Err()
}

func unreadable(path string, err error) problem.Problem {
	p := problem.Problem{
		File:   path,
		Says:   "the file cannot be read",
		Remedy: "see whether the name is right and you may read it",
	}
	var pathErr *os.PathError
	if errors.As(err, &pathErr) {
		p.Says += ": " + pathErr.Err.Error()
	}
	if errors.Is(err, os.ErrNotExist) {
		p.Says, p.Expected, p.Remedy = "there is no such file", "a file", "see whether the name is right"
	}
	return p
}

// tree makes nodes of the YAML library's tree.
type tree struct {
	anchors map[string]*estate.Node
	faults  problem.List
}

func (t *tree) fail(n ast.Node, says, expected, remedy string) {
	p := problem.Problem{Says: says, Expected: expected, Remedy: remedy}
	if tok := n.GetToken(); tok != nil {
		p.Line, p.Column = tok.Position.Line, tok.Position.Column
	}
	t.faults.Add(p)
}

func (t *tree) node(n ast.Node) *estate.Node {
	out := &estate.Node{Kind: estate.Scalar}
	if tok := n.GetToken(); tok != nil {
		out.Line, out.Column, out.Text = tok.Position.Line, tok.Position.Column, tok.Value
	}
	switch n := n.(type) {
	case *ast.NullNode:
		out.Kind, out.Text = estate.Empty, ""
	case *ast.MappingNode:
		out.Kind, out.Text = estate.Mapping, ""
		for _, v := range n.Values {
			out.Entries = append(out.Entries, t.entry(v))
		}
	case *ast.MappingValueNode:
		out.Kind, out.Text = estate.Mapping, ""
		out.Entries = []estate.Entry{t.entry(n)}
	case *ast.SequenceNode:
		out.Kind, out.Text = estate.List, ""
		for _, v := range n.Values {
			out.Items = append(out.Items, t.node(v))
		}
	case *ast.StringNode:
		out.Text = n.Value
	case *ast.LiteralNode:
		out.Text = n.Value.Value
	case *ast.AnchorNode:
		value := t.node(n.Value)
		t.anchors[n.Name.String()] = value
		return value
	case *ast.AliasNode:
		if value, ok := t.anchors[n.Value.String()]; ok {
			return value
		}
		t.fail(n, fmt.Sprintf("there is no anchor %s above", n.Value), "an anchor that was set before", "")
	case *ast.TagNode, *ast.DirectiveNode:
		t.fail(n, "tags and directives are not understood", "a plain value", "write the value alone")
	}
	return out
}

func (t *tree) entry(v *ast.MappingValueNode) estate.Entry {
	if v.Key.IsMergeKey() {
		t.fail(v.Key, "merge keys are not understood", "each key written out", "put what is common under defaults:")
	}
	key := t.node(v.Key)
	value := t.node(v.Value)
	if value.Kind == estate.Mapping {
		value.Line, value.Column = key.Line, key.Column
	}
	return estate.Entry{Key: key, Value: value}
}
