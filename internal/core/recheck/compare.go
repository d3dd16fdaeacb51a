package recheck

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
)

// Item is a piece of news.
type Item struct {
	Fact
	Was      string `json:"was,omitempty"` // the value before; "": nothing
	Is       string `json:"is,omitempty"`  // the value now; "": nothing
	Accepted string `json:"accepted_until,omitempty"`
	Why      string `json:"why,omitempty"` // it was accepted
}

// Name is what it is called where somebody accepts it.
func (i *Item) Name() string {
	if i.Kind == Finding {
		return i.Code
	}
	return i.Kind.Code()
}

// News is what differs from the accepted state.
type News struct {
	// of the accepted state; the zero time: nothing was accepted yet
	Since   time.Time `json:"since,omitzero"`
	Now     time.Time `json:"now"`
	New     []Item    `json:"new"`     // findings that were not there, or are worse
	Changed []Item    `json:"changed"` // other facts
	Mended  []Item    `json:"mended"`  // findings that are there no more
	// findings and changes that were accepted until a date, which has come
	Back     []Item   `json:"back"`
	Unseen   []Gap    `json:"unseen"`    // what could not be looked at, though it could be then
	Living   []Item   `json:"living"`    // what is accepted until a later date
	Same     int      `json:"same"`      // facts that are as they were
	Known    int      `json:"known"`     // of those, findings
	FirstFor []string `json:"first_for"` // domains that are looked at for the first time
	Left     []string `json:"left"`      // domains that are not looked at any more

	Records *Records `json:"-"` // where both states were made of surveys just now; else nil
}

// Any reports whether there is anything to say.
func (n *News) Any() bool {
	return n.Since.IsZero() || len(n.New)+len(n.Changed)+len(n.Mended)+len(n.Back)+len(n.Unseen) > 0
}

// Worse gives the worst severity among what is new or changed; "" where nothing is.
func (n *News) Worse() finding.Severity {
	var worst finding.Severity
	for _, list := range [][]Item{n.New, n.Changed, n.Back} {
		for _, i := range list {
			if i.Severity.Rank() > worst.Rank() {
				worst = i.Severity
			}
		}
	}
	return worst
}

// Acceptance says that somebody lives with something until a date, on which it comes back.
type Acceptance struct {
	Code    string    `json:"code"` // of a finding, or a Kind's
	Subject string    `json:"subject"`
	Until   time.Time `json:"until"`
	Why     string    `json:"why"`
	Given   time.Time `json:"given"`
}

// Compare says what differs between a state that was accepted (nil: none was) and one of now,
// without what somebody lives with for longer. What was not looked at this time (the domains of now
// say what was) is left aside.
func Compare(base, now *State, accepted []Acceptance, today time.Time) *News {
	n := &News{Now: now.Taken, New: []Item{}, Changed: []Item{}, Mended: []Item{}, Back: []Item{},
		Unseen: []Gap{},
		Living: []Item{}, FirstFor: []string{}, Left: []string{}}
	if base == nil {
		base = &State{}
	} else {
		n.Since = base.Taken
	}
	c := &comparison{News: n, base: base, now: now, today: today, accepted: map[[2]string]Acceptance{},
		ways: map[string]bool{}}
	for _, f := range now.Facts {
		if f.Kind == Redirect {
			c.ways[f.Subject] = true
		}
	}
	for _, a := range accepted {
		c.accepted[[2]string{a.Code, a.Subject}] = a
	}
	c.compare()
	if base.surveyed != nil && now.surveyed != nil {
		n.Records = recordsOf(base.surveyed, now.surveyed)
	}
	return n
}

type comparison struct {
	*News
	base, now *State
	today     time.Time
	accepted  map[[2]string]Acceptance
	ways      map[string]bool // the entries that were followed now
}

func (c *comparison) compare() {
	was := map[key]*Fact{}
	for i := range c.base.Facts {
		was[c.base.Facts[i].key()] = &c.base.Facts[i]
	}
	covered := covers(c.base.Gaps)
	for i := range c.now.Facts {
		is := &c.now.Facts[i]
		old := was[is.key()]
		delete(was, is.key())
		c.met(is, old, covered)
	}
	gaps := covers(c.now.Gaps)
	for _, d := range c.base.Domains {
		if !c.now.Part && !slices.Contains(c.now.Domains, d) {
			c.Left = append(c.Left, d)
		}
	}
	for i := range c.base.Facts {
		old := &c.base.Facts[i]
		if was[old.key()] != nil {
			c.gone(old, gaps)
		}
	}
	for _, d := range c.now.Domains {
		if !c.Since.IsZero() && !slices.Contains(c.base.Domains, d) {
			c.FirstFor = append(c.FirstFor, d)
		}
	}
	for _, g := range c.now.Gaps {
		if !slices.ContainsFunc(c.base.Gaps, func(o Gap) bool {
			return o.Domain == g.Domain && o.Subject == g.Subject
		}) {
			c.Unseen = append(c.Unseen, g)
		}
	}
	for _, list := range [][]Item{c.New, c.Changed, c.Mended, c.Back} {
		slices.SortStableFunc(list, func(a, b Item) int {
			return cmp.Compare(b.Severity.Rank(), a.Severity.Rank())
		})
	}
}

// met takes in a fact of now.
func (c *comparison) met(is, old *Fact, covered func(*Fact) bool) {
	first := !slices.Contains(c.base.Domains, is.Domain)
	switch {
	case is.Kind == Finding && old == nil:
		c.put(&c.New, Item{Fact: *is, Is: is.Value})
	case is.Kind == Finding && is.Severity.Rank() > old.Severity.Rank():
		c.put(&c.New, Item{Fact: *is, Was: string(old.Severity), Is: string(is.Severity)})
	case old == nil:
		// What was not looked at before is no change, nor what nobody could see, nor a record that nobody
		// asked for.
		if first || covered(is) || is.Kind == Record && slices.Contains(c.base.Partial, is.Domain) &&
			!slices.Contains(c.now.Partial, is.Domain) {
			return
		}
		c.put(&c.Changed, Item{Fact: changed(is), Is: is.Value})
	case old.Value != is.Value:
		c.put(&c.Changed, Item{Fact: changed(is), Was: old.Value, Is: is.Value})
	default:
		c.same(is)
	}
}

// same takes in a fact that is as it was. What was accepted until a date comes back on it, whatever
// the state says.
func (c *comparison) same(is *Fact) {
	c.Same++
	if is.Kind != Finding {
		return
	}
	c.Known++
	i := Item{Fact: *is}
	a, known := c.accepted[[2]string{i.Name(), i.Subject}]
	if !known {
		return
	}
	i.Accepted, i.Why = a.Until.Format(time.DateOnly), a.Why
	if c.over(a) {
		c.Back = append(c.Back, i)
		return
	}
	c.Living = append(c.Living, i)
}

// gone takes in a fact that is there no more.
func (c *comparison) gone(old *Fact, gaps func(*Fact) bool) {
	switch {
	case !slices.Contains(c.now.Domains, old.Domain) && old.Domain != "":
		// it was not looked at
	case gaps(old), old.Kind == Record && slices.Contains(c.now.Partial, old.Domain) &&
		!slices.Contains(c.base.Partial, old.Domain):
		// nobody could look, or asked for it by name
	case !c.asked(old):
		// an audit that asks for it says what it met
	case old.Kind == Finding && c.now.Part && !strings.Contains(old.Subject, "://"):
		// what shows it may lie in a domain that was not looked at
	case old.Kind == Finding:
		c.Mended = append(c.Mended, Item{Fact: *old})
	default:
		c.put(&c.Changed, Item{Fact: changed(old), Was: old.Value})
	}
}

// asked reports whether what a fact was seen by was asked again: a rule that is gone, and its
// example with it, is none that was mended.
func (c *comparison) asked(old *Fact) bool {
	at := strings.Index(old.Subject, "://")
	switch {
	case old.Kind == Redirect:
		return false // it would be there, or a gap
	case old.Kind == Certificate:
		return c.ways[old.Subject+"/"]
	case old.Kind == Page:
		return c.ways[old.Subject]
	case old.Kind != Finding || at < 0:
		return true
	}
	_, path, deep := strings.Cut(old.Subject[at+len("://"):], "/")
	return !deep || path == "" || c.ways[old.Subject]
}

// put adds an item to a list, unless somebody lives with it.
func (c *comparison) put(list *[]Item, i Item) {
	a, known := c.accepted[[2]string{i.Name(), i.Subject}]
	if known {
		i.Accepted, i.Why = a.Until.Format(time.DateOnly), a.Why
	}
	switch {
	case known && c.over(a):
		c.Back = append(c.Back, i)
	case known:
		c.Living = append(c.Living, i)
	default:
		*list = append(*list, i)
	}
}

// over reports whether the date of an acceptance has come.
func (c *comparison) over(a Acceptance) bool { return !c.today.Before(a.Until) }

// changed gives a fact with how bad it is that it changes without anybody having said so.
func changed(f *Fact) Fact {
	made := *f
	switch f.Kind {
	case Certificate, Page:
		made.Severity = finding.Note
	default:
		made.Severity = finding.Warning
	}
	return made
}

// covers gives a function that reports whether something could not be looked at.
func covers(gaps []Gap) func(*Fact) bool {
	subjects, domains, hosts := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, g := range gaps {
		if g.Subject == "" {
			domains[g.Domain] = true
			continue
		}
		subjects[g.Subject] = true
		hosts[hostOf(g.Subject)] = true
	}
	return func(f *Fact) bool {
		url := strings.Contains(f.Subject, "://")
		switch {
		case subjects[f.Subject]:
			return true
		case f.Kind == Certificate: // its subject is the door
			return subjects[f.Subject+"/"]
		case f.Kind == Finding: // it shows at one of the things that a host is asked for
			return hosts[hostOf(f.Subject)] || domains[f.Domain] && !url
		case f.Kind == Record:
			return domains[f.Domain]
		}
		return false
	}
}

// Settle gives a state that was accepted without what is mended: told once, it is new where it
// comes again.
func (s *State) Settle(mended []Item) *State {
	gone := map[key]bool{}
	for i := range mended {
		gone[mended[i].key()] = true
	}
	made := *s
	made.Facts = slices.DeleteFunc(slices.Clone(s.Facts), func(f Fact) bool { return gone[f.key()] })
	return &made
}

// Names gives every subject under a name that can be accepted, for the nearest to what somebody
// typed.
func (s *State) Names(code string) []string {
	var all []string
	for _, f := range s.Facts {
		i := Item{Fact: f}
		if i.Name() == code {
			all = append(all, f.Subject)
		}
	}
	return all
}

// Join gives the state to accept: that of now, and where that is a part, in place of what was known
// of its domains before. before may be nil.
func Join(before, now *State) *State {
	if before == nil || !now.Part {
		return now
	}
	made := *now
	made.Part = false
	made.Facts, made.Gaps = slices.Clone(now.Facts), slices.Clone(now.Gaps)
	made.Domains, made.Partial = slices.Clone(now.Domains), slices.Clone(now.Partial)
	elsewhere := func(domain string) bool { return !slices.Contains(now.Domains, domain) }
	for _, f := range before.Facts {
		// what shows it may lie elsewhere
		apart := f.Kind == Finding && !strings.Contains(f.Subject, "://")
		if f.Domain != "" && elsewhere(f.Domain) || apart {
			made.Facts = append(made.Facts, f)
		}
	}
	for _, g := range before.Gaps {
		if elsewhere(g.Domain) {
			made.Gaps = append(made.Gaps, g)
		}
	}
	for _, d := range before.Domains {
		if elsewhere(d) {
			made.Domains = append(made.Domains, d)
		}
	}
	for _, d := range before.Partial {
		if elsewhere(d) {
			made.Partial = append(made.Partial, d)
		}
	}
	made.settle()
	return &made
}
