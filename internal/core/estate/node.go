package estate

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
)

// Node is a place in a tree of settings: a scalar, a list or a mapping, with where it stands.
type Node struct {
	Line, Column int
	Kind         NodeKind
	Text         string // of a scalar, unquoted
	Items        []*Node
	Entries      []Entry
}

// Entry is one key of a mapping.
type Entry struct {
	Key   *Node
	Value *Node
}

// NodeKind says what a node is.
type NodeKind int

// The kinds of nodes. Empty is a key without a value.
const (
	Empty NodeKind = iota
	Scalar
	List
	Mapping
)

func (k NodeKind) String() string {
	return [...]string{"nothing", "a single value", "a list", "a mapping"}[k]
}

// reader takes values out of nodes and gathers what is wrong.
type reader struct {
	faults problem.List
	said   map[string]bool
	been   map[*Node]bool // by plain: aliases let a small file stand for a tree without end
}

// plain looks for characters in a tree that no name, path or text of one line holds: control
// characters, and such as turn the direction of writing. In notes and contacts line breaks become
// spaces.
func (r *reader) plain(n *Node) {
	if n == nil || r.been[n] {
		return
	}
	if r.been == nil {
		r.been = map[*Node]bool{}
	}
	r.been[n] = true
	if at := strings.IndexFunc(n.Text, problem.Hostile); at >= 0 {
		c, _ := utf8.DecodeRuneInString(n.Text[at:])
		r.fail(n, fact.ValueHostile{Character: problem.Named(c)})
	}
	for _, item := range n.Items {
		r.plain(item)
	}
	for _, e := range n.Entries {
		if e.Value != nil && (e.Key.Text == "note" || e.Key.Text == "contact") {
			e.Value.Text = strings.Join(strings.Fields(e.Value.Text), " ")
		}
		r.plain(e.Key)
		r.plain(e.Value)
	}
}

func (r *reader) fail(n *Node, fault fact.Facts) {
	p := problem.Problem{Fault: fault}
	if n != nil {
		p.Line, p.Column, p.Value = n.Line, n.Column, n.Text
	}
	key := fmt.Sprint(p.Line, p.Column, fact.Key(fault))
	if r.said[key] {
		return // what defaults: say is read for every domain
	}
	if r.said == nil {
		r.said = map[string]bool{}
	}
	r.said[key] = true
	r.faults.Add(p)
}

// field is a row of a table of keys: what to do with the value of a key.
type field struct {
	key  string
	take func(*Node)
}

// heard is told of the keys that each mapping takes, in tests.
var heard func(what string, names []string)

// mapping hands every entry to its field. Unknown and repeated keys are faults.
func (r *reader) mapping(n *Node, what string, fields ...field) {
	if n == nil || n.Kind == Empty {
		return
	}
	if n.Kind != Mapping {
		r.fail(n, fact.NotMapping{What: what, Kind: n.Kind.String(), Key: fields[0].key})
		return
	}
	names := make([]string, len(fields))
	for i, f := range fields {
		names[i] = f.key
	}
	if heard != nil {
		heard(what, names)
	}
	seen := map[string]bool{}
entries:
	for _, e := range n.Entries {
		if seen[e.Key.Text] {
			r.fail(e.Key, fact.KeyTwice{})
			continue
		}
		seen[e.Key.Text] = true
		for _, f := range fields {
			if f.key == e.Key.Text {
				f.take(e.Value)
				continue entries
			}
		}
		r.fail(e.Key, fact.KeyUnknown{What: what, Keys: names,
			Near: problem.Nearest(e.Key.Text, names)})
	}
}

// list hands every item of a list to take; a single value counts as a list of one.
func (r *reader) list(n *Node, what string, take func(*Node)) {
	switch n.Kind {
	case List:
		for _, item := range n.Items {
			take(item)
		}
	case Scalar:
		take(n)
	case Mapping:
		r.fail(n, fact.MappingForList{What: what})
	}
}

func (r *reader) text(n *Node, what string) string {
	if n.Kind == List || n.Kind == Mapping {
		r.fail(n, fact.NotSingle{What: what, Kind: n.Kind.String()})
		return ""
	}
	return n.Text
}

func (r *reader) texts(n *Node, what string) []string {
	var all []string
	r.list(n, what, func(i *Node) {
		if s := r.text(i, what); s != "" {
			all = append(all, s)
		}
	})
	return all
}

func (r *reader) host(n *Node, what string) web.Host {
	s := r.text(n, what)
	if s == "" {
		if n.Kind == Scalar || n.Kind == Empty {
			r.fail(n, fact.HostMissing{What: what})
		}
		return web.Host{}
	}
	h, err := web.ParseHost(s)
	if e, ok := err.(*web.Error); ok {
		r.fail(n, fact.HostFault{What: what, Fault: e.Fault})
	}
	return h
}

func (r *reader) hosts(n *Node, what string) []web.Host {
	var all []web.Host
	r.list(n, what, func(i *Node) {
		if h := r.host(i, what); !h.IsZero() {
			all = append(all, h)
		}
	})
	return all
}

func (r *reader) addresses(n *Node, what string) []netip.Addr {
	var all []netip.Addr
	r.list(n, what, func(i *Node) {
		a, err := netip.ParseAddr(r.text(i, what))
		switch {
		case err != nil && i.Kind == Scalar:
			r.fail(
				i,
				fact.NotAddress{},
			)
		case err == nil && a.Zone() != "":
			r.fail(i, fact.AddressZone{})
		case err == nil:
			all = append(all, a.Unmap())
		}
	})
	return all
}

// boolean takes true and false, yes and no.
func (r *reader) boolean(n *Node, what string) bool {
	switch strings.ToLower(n.Text) {
	case "true", "yes":
		return true
	case "false", "no":
		return false
	}
	r.fail(n, fact.NotYesNo{What: what})
	return false
}

func (r *reader) number(n *Node, what string, least int) int {
	i, err := strconv.Atoi(n.Text)
	if err != nil || i < least {
		r.fail(n, fact.NotNumber{What: what, Least: least})
	}
	return i
}

func (r *reader) oneOf(n *Node, what string, words ...string) string {
	for _, w := range words {
		if n.Text == w {
			return w
		}
	}
	r.fail(n, fact.WordUnknown{What: what, Words: words, Near: problem.Nearest(n.Text, words)})
	return ""
}

func (r *reader) date(n *Node, what string) time.Time {
	t, err := time.Parse(time.DateOnly, n.Text)
	if err != nil {
		r.fail(n, fact.NotDate{What: what})
	}
	return t
}

func (r *reader) duration(n *Node, what string) time.Duration {
	d, err := time.ParseDuration(n.Text)
	if err != nil || d <= 0 {
		r.fail(n, fact.NotDuration{What: what})
	}
	return d
}
