package estate

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/scope"
)

var acceptKeys = []Key{
	{"accept", "code", "text", nil, "", "registration-ends"},
	{"accept", "subject", "text", nil, "", "northmoor-tickets.example"},
	{"accept", "value", "list of text", nil, "", "[192.0.2.40]"},
	{"accept", "why", "text", nil, "", `"it is let go"`},
	{"accept", "until", "date", nil, "", "2027-01-15"},
}

var keepKeys = []Key{
	{"keep", "days", "number", nil, "31", "62"},
	{"keep", "weeks", "number", nil, "53", "104"},
}

// accept reads what somebody lives with.
func (b *builder) accept(n *Node) {
	var a finding.Acceptance
	code := n
	b.mapping(n, "accept",
		field{"code", func(n *Node) { code, a.Code = n, b.text(n, "accept: code") }},
		field{"subject", func(n *Node) { a.Subject = b.text(n, "accept: subject") }},
		field{"value", func(n *Node) { a.Values = b.texts(n, "accept: value") }},
		field{"why", func(n *Node) { a.Why = b.text(n, "accept: why") }},
		field{"until", func(n *Node) { a.Until = b.date(n, "accept: until") }},
	)
	if n == nil || n.Kind != Mapping {
		return
	}
	change := finding.IsChange(a.Code)
	if _, known := finding.Named(a.Code); a.Code != "" && !known && !change {
		names := append(finding.AllNames(), finding.Changes()...)
		b.fail(code, fact.AcceptCode{Near: problem.Nearest(a.Code, names), Changes: finding.Changes()})
		return
	}
	var missing []string
	for _, key := range []struct {
		name    string
		missing bool
	}{{"code", a.Code == ""}, {"subject", a.Subject == ""}, {"why", strings.TrimSpace(a.Why) == ""},
		{"until", a.Until.IsZero() && !b.has(n, "until")}} {
		if key.missing {
			missing = append(missing, key.name)
		}
	}
	switch {
	case len(missing) > 0:
		b.fail(n, fact.AcceptMissing{Keys: missing})
		return
	case change && len(a.Values) == 0:
		b.fail(n, fact.AcceptValue{Code: a.Code})
		return
	case !change && len(a.Values) > 0:
		b.fail(n, fact.AcceptNoValue{Code: a.Code})
		return
	}
	for _, other := range b.estate.Accept {
		if other.Code == a.Code && other.Subject == a.Subject {
			b.fail(n, fact.AcceptTwice{Code: a.Code, Subject: a.Subject})
			return
		}
	}
	b.estate.Accept = append(b.estate.Accept, a)
}

// has reports whether a mapping has a key.
func (b *builder) has(n *Node, key string) bool {
	for _, e := range n.Entries {
		if e.Key.Text == key {
			return true
		}
	}
	return false
}

// keep reads for how long results stay.
func (b *builder) keep(n *Node) {
	k := &b.estate.Keep
	if n != nil && n.Kind == Scalar {
		if b.oneOf(n, "keep", "everything") != "" {
			*k = scope.Keep{}
		}
		return
	}
	b.mapping(n, "keep",
		field{"days", func(n *Node) { k.Days = b.number(n, "keep: days", 1) }},
		field{"weeks", func(n *Node) { k.Weeks = b.number(n, "keep: weeks", 1) }},
	)
}
