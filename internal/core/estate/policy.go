package estate

import (
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/web"
)

var policyKeys = []Key{
	{"policy", "hops", "number", nil, "1", "1"},
	{
		"policy",
		"status",
		"number",
		[]string{"301", "302", "307", "308"},
		"301",
		"308",
	},
	{
		"policy",
		"upgrade",
		"text",
		[]string{Direct, SameHostFirst},
		Direct,
		"same-host-first",
	},
	{
		"policy",
		"exempt",
		"list of paths",
		nil,
		"[/.well-known/acme-challenge/]",
		"[/.well-known/acme-challenge/]",
	},
	{"policy", "hsts", "list of hsts", nil, "", "[{max-age: 300}]"},
	{"policy", "remember", "list of remember", nil, "", "[{max-age: 3600}]"},
}

var rememberKeys = []Key{
	{"remember", "max-age", "number", nil, "", "3600"},
	{"remember", "from", "date", nil, "", "2026-12-08"},
}

var hstsKeys = []Key{
	{"hsts", "max-age", "number", nil, "", "604800"},
	{"hsts", "from", "date", nil, "", "2026-12-08"},
	{"hsts", "below", "yes or no", nil, "no", "yes"},
	{"hsts", "preload", "yes or no", nil, "no", "yes"},
}

// The ways from http to https.
const (
	Direct        = "direct"
	SameHostFirst = "same-host-first"
)

// Policy is what holds for all redirects.
type Policy struct {
	Hops    int
	Status  int
	Upgrade string // direct or same-host-first
	Exempt  []string
	HSTS    []HSTSStep // in order of time
	// for how long browsers may keep a permanent redirect of a server, in order of time
	Remember []RememberStep
}

// RememberStep says for how long browsers and caches may keep permanent redirects from a day on
// (RFC 9111 section 5.2.2.1).
type RememberStep struct {
	MaxAge int       // in seconds
	From   time.Time // the zero value: from the beginning
}

// Header gives what a Cache-Control header says.
func (s RememberStep) Header() string { return fmt.Sprintf("max-age=%d", s.MaxAge) }

// RememberAt gives the step that holds at a time; false where none does yet. The zero time is the
// beginning.
func (p *Policy) RememberAt(now time.Time) (RememberStep, bool) {
	return stepAt(p.Remember, now, func(s RememberStep) time.Time { return s.From })
}

// stepAt gives the last of some steps that holds at a time.
func stepAt[T any](steps []T, now time.Time, from func(T) time.Time) (at T, is bool) {
	for _, s := range steps {
		if !from(s).After(now) {
			at, is = s, true
		}
	}
	return at, is
}

// HSTSStep is what https doors that redirect ask browsers to remember from a day on (RFC 6797
// section 6.1).
type HSTSStep struct {
	MaxAge  int       // in seconds; 0 takes back what was asked before
	From    time.Time // the zero value: from the beginning
	Below   bool      // hosts below too
	Preload bool
}

// Header gives what a Strict-Transport-Security header says.
func (s HSTSStep) Header() string {
	text := fmt.Sprintf("max-age=%d", s.MaxAge)
	if s.Below {
		text += "; includeSubDomains"
	}
	if s.Preload {
		text += "; preload"
	}
	return text
}

// HSTSAt gives the step that holds at a time; false where none does yet. The zero time is the
// beginning.
func (p *Policy) HSTSAt(now time.Time) (HSTSStep, bool) {
	return stepAt(p.HSTS, now, func(s HSTSStep) time.Time { return s.From })
}

// leastPreloaded is the shortest max-age with which browsers take a host into their lists.
const leastPreloaded = 31536000

// hsts reads a step.
func (b *builder) hsts(n *Node) {
	var s HSTSStep
	b.mapping(n, "policy: hsts",
		field{"max-age", func(n *Node) { s.MaxAge = b.number(n, "hsts: max-age", 0) }},
		field{"from", func(n *Node) { s.From = b.date(n, "hsts: from") }},
		field{"below", func(n *Node) { s.Below = b.boolean(n, "hsts: below") }},
		field{"preload", func(n *Node) { s.Preload = b.boolean(n, "hsts: preload") }},
	)
	if n == nil || n.Kind != Mapping {
		return
	}
	steps := b.estate.Policy.HSTS
	switch {
	case !b.has(n, "max-age"):
		b.fail(n, fact.HSTSNoAge{})
		return
	case s.Preload && (!s.Below || s.MaxAge < leastPreloaded):
		b.fail(n, fact.HSTSPreload{Least: leastPreloaded})
		return
	case len(steps) > 0 && !s.From.After(steps[len(steps)-1].From):
		b.fail(n, fact.HSTSOrder{})
		return
	}
	b.estate.Policy.HSTS = append(steps, s)
}

// remember reads a step.
func (b *builder) remember(n *Node) {
	var s RememberStep
	b.mapping(n, "policy: remember",
		field{"max-age", func(n *Node) { s.MaxAge = b.number(n, "remember: max-age", 0) }},
		field{"from", func(n *Node) { s.From = b.date(n, "remember: from") }},
	)
	if n == nil || n.Kind != Mapping {
		return
	}
	steps := b.estate.Policy.Remember
	switch {
	case !b.has(n, "max-age"):
		b.fail(n, fact.HSTSNoAge{})
		return
	case len(steps) > 0 && !s.From.After(steps[len(steps)-1].From):
		b.fail(n, fact.HSTSOrder{})
		return
	}
	b.estate.Policy.Remember = append(steps, s)
}

func (b *builder) policy(n *Node) {
	p := &b.estate.Policy
	b.mapping(n, "policy",
		field{"hops", func(n *Node) { p.Hops = b.number(n, "policy: hops", 1) }},
		field{"status", func(n *Node) {
			p.Status = b.number(n, "policy: status", 301)
			if p.Status != 301 && p.Status != 308 && p.Status != 302 && p.Status != 307 {
				b.fail(n, fact.PolicyStatus{})
			}
		}},
		field{"upgrade", func(n *Node) {
			p.Upgrade = b.oneOf(n, "policy: upgrade", Direct, SameHostFirst)
		}},
		field{"hsts", func(n *Node) {
			if p.HSTS = nil; n != nil && n.Kind == Mapping { // one step
				b.hsts(n)
				return
			}
			b.list(n, "policy: hsts", b.hsts)
		}},
		field{"remember", func(n *Node) {
			if p.Remember = nil; n != nil && n.Kind == Mapping { // one step
				b.remember(n)
				return
			}
			b.list(n, "policy: remember", b.remember)
		}},
		field{"exempt", func(n *Node) {
			p.Exempt = nil
			b.list(n, "policy: exempt", func(i *Node) {
				path := b.text(i, "policy: exempt")
				if !strings.HasPrefix(path, "/") || path == "/" || strings.ContainsAny(path, "{}*?#") {
					b.fail(
						i,
						fact.NotExempt{},
					)
					return
				}
				p.Exempt = append(p.Exempt, web.NormalPath(web.RemoveDotSegments(path)))
			})
		}},
	)
}
