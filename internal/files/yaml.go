// Package files reads and writes the open formats that people keep: YAML, CSV, lists of pages. It
// knows places in files (line and column) and hands plain values on; what they mean is checked by
// core.
//
//	e, err := files.ReadEstate("upperpath.yaml") // err lists every fault with its place
package files

import (
	"bytes"
	"errors"
	"os"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
)

// ReadTree reads a YAML file into a tree of nodes with their places. A file that is missing or is
// no YAML is a problem.List of one.
func ReadTree(path string) (*estate.Node, error) {
	data, err := Read(path, mostYAML)
	if err != nil {
		return nil, problem.List{unreadable(path, err)}
	}
	return parseTree(path, data)
}

// Bounds of YAML files, far above what people write: beyond them the parser would take all the
// memory that there is.
const (
	mostYAML  = 8 << 20  // octets
	mostDepth = 100      // of brackets, list marks and the like
	mostKeys  = 5_000    // of a mapping: the parser takes their square
	mostWidth = 64 << 10 // octets of a line
)

// tooMuch looks for what takes the parser's time out of proportion, without parsing: documents,
// lines without end, and mappings of so many keys. A key is a line with a colon.
func tooMuch(data []byte) (line int, fault fact.Facts) {
	keys := map[int]int{} // of the mapping that is open, by indentation
	documents := 0
	for text := range bytes.Lines(data) {
		line++
		text = bytes.TrimRight(text, "\r\n")
		if len(text) > mostWidth {
			return line, fact.YAMLLine{Octets: len(text), Most: mostWidth}
		}
		if bytes.HasPrefix(text, []byte("---")) || bytes.HasPrefix(text, []byte("...")) {
			if documents++; documents > 3 {
				return line, fact.YAMLDocuments{}
			}
			continue
		}
		body := bytes.TrimLeft(text, " ")
		indent := len(text) - len(body)
		if len(body) == 0 || body[0] == '#' {
			continue
		}
		for at := range keys {
			if at > indent {
				delete(keys, at)
			}
		}
		if bytes.Contains(body, []byte(":")) && body[0] != '-' {
			keys[indent]++
		}
		if keys[indent] > mostKeys {
			return line, fact.YAMLKeys{Most: mostKeys}
		}
	}
	return 0, nil
}

// tooDeep looks for nesting beyond mostDepth, without parsing: brackets that are open at once,
// marks of lists and keys that follow each other, indentation. A bracket counts where one may
// begin, which is not inside a text.
func tooDeep(data []byte) (line int, found bool) {
	line = 1
	before := byte('\n') // the last octet that was no space
	open, marks, indent, begins := 0, 0, 0, true
	for _, c := range data {
		switch {
		case c == '\n':
			line++
			marks, indent, begins = 0, 0, true
			if open == 0 {
				before = c
			}
			continue
		case c == ' ' && begins:
			indent++
		case (c == '-' || c == '?') && begins:
			marks++
		case (c == '[' || c == '{') && strings.IndexByte("\n[{,:?-", before) >= 0:
			open++
		case c == ']' || c == '}':
			open = max(0, open-1)
		}
		if c != ' ' && c != '-' && c != '?' {
			begins = false
		}
		if c != ' ' && c != '\t' && c != '\r' {
			before = c
		}
		if open > mostDepth || marks > mostDepth && indent >= mostDepth || indent > 10*mostDepth {
			return line, true
		}
	}
	return 0, false
}

func parseTree(path string, data []byte) (*estate.Node, error) {
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")) // a byte-order mark
	if len(data) > mostYAML {
		return nil,
			problem.List{{File: path, Fault: fact.YAMLTooLarge{Octets: len(data), Most: mostYAML}}}
	}
	if line, found := tooDeep(data); found {
		return nil, problem.List{{File: path, Line: line, Fault: fact.YAMLTooDeep{Most: mostDepth}}}
	}
	if line, fault := tooMuch(data); fault != nil {
		return nil, problem.List{{File: path, Line: line, Fault: fault}}
	}
	file, err := parser.ParseBytes(data, 0, parser.AllowDuplicateMapKey())
	if err != nil {
		p := problem.Problem{File: path, Fault: fact.NotYAML{}}
		var syntax *yaml.SyntaxError
		if errors.As(err, &syntax) && syntax.Token != nil {
			p.Line, p.Column, p.Value = syntax.Token.Position.Line, syntax.Token.Position.Column,
				syntax.Token.Value
			p.Fault = fact.NotYAMLAt{Why: syntax.Message}
		}
		return nil, problem.List{p}
	}
	t := tree{anchors: map[string]*estate.Node{}}
	docs := slices.DeleteFunc(
		file.Docs,
		func(d *ast.DocumentNode) bool { return d.Body == nil },
	) // such as follow a last ---
	if len(docs) == 0 {
		return &estate.Node{}, nil
	}
	node := t.node(docs[0].Body)
	if len(docs) > 1 {
		t.fail(docs[1].Body, fact.YAMLDocuments{})
	}
	return node, t.faults.In(path).Err()
}

func unreadable(path string, err error) problem.Problem {
	p := problem.Problem{File: path, Fault: fact.FileUnread{}}
	var most tooLarge
	var pathErr *os.PathError
	switch {
	case errors.Is(err, os.ErrNotExist):
		p.Fault = fact.FileMissing{}
	case errors.As(err, &most):
		p.Fault = fact.FileTooLarge{Why: most.Error(), Most: int64(most)}
	case errors.As(err, &pathErr):
		p.Fault = fact.FileNotReadable{Why: pathErr.Err.Error()}
	}
	return p
}

// tree makes nodes of the YAML library's tree.
type tree struct {
	anchors map[string]*estate.Node
	faults  problem.List
}

func (t *tree) fail(n ast.Node, fault fact.Facts) {
	p := problem.Problem{Fault: fault}
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
		t.fail(n, fact.AnchorUnknown{Anchor: n.Value.String()})
	case *ast.TagNode, *ast.DirectiveNode:
		t.fail(n, fact.YAMLTags{})
	}
	return out
}

func (t *tree) entry(v *ast.MappingValueNode) estate.Entry {
	if v.Key.IsMergeKey() {
		t.fail(v.Key, fact.YAMLMerge{})
	}
	key := t.node(v.Key)
	value := t.node(v.Value)
	if value.Kind == estate.Mapping {
		value.Line, value.Column = key.Line, key.Column
	}
	return estate.Entry{Key: key, Value: value}
}
