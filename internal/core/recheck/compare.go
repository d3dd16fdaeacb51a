package recheck

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/scope"
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
	// findings of what was not looked at before, or could not be seen
	First []Item `json:"first"`
	// findings and changes that were accepted until a date, which has come
	Back     []Item   `json:"back"`
	Unseen   []Gap    `json:"unseen"`    // what could not be looked at, though it could be then
	Living   []Item   `json:"living"`    // what is accepted until a later date
	Same     int      `json:"same"`      // facts that are as they were
	Known    int      `json:"known"`     // of those, findings
	FirstFor []string `json:"first_for"` // domains that are looked at for the first time
	Left     []string `json:"left"`      // domains that are not looked at any more
	Skipped  []string `json:"skipped"`   // domains that were looked at before, and not this time
	Unasked  int      `json:"unasked"`   // URLs that were asked before, and not this time
	// findings of before of which nobody can say whether they are mended, since something stands in
	// front of them
	Behind []Item `json:"behind"`

	base, now *State
	based     bool     // there was a state to compare with
	Records   *Records `json:"-"` // where both states were made of surveys just now; else nil
}

// Any reports whether there is anything to say.
func (n *News) Any() bool {
	return n.Since.IsZero() || len(n.New)+len(n.Changed)+len(n.Mended)+len(n.Back)+len(n.Unseen)+
		len(n.First) > 0
}

// Scopes gives of what the two states were made; nil where nobody noted it.
func (n *News) Scopes() (before, now *scope.Scope) { return n.base.Scope, n.now.Scope }

// Sites gives the canonical sites of the two states.
func (n *News) Sites() (before, now string) { return n.base.Canonical, n.now.Canonical }

// Vantages gives from where the two states were seen.
func (n *News) Vantages() (before, now string) { return n.base.Vantage, n.now.Vantage }

// Apart reports whether the two states have nothing in common that could be compared.
func (n *News) Apart() bool {
	return n.based && !slices.ContainsFunc(n.now.Domains, func(d string) bool {
		return slices.Contains(n.base.Domains, d)
	})
}

// Worse gives the worst severity among what is new or changed; "" where nothing is.
func (n *News) Worse() finding.Severity {
	var worst finding.Severity
	for _, list := range [][]Item{n.New, n.Changed, n.Back, n.First} {
		for _, i := range list {
			if i.Severity.Rank() > worst.Rank() {
				worst = i.Severity
			}
		}
	}
	return worst
}

// Acceptance says that somebody lives with something until a date.
type Acceptance = finding.Acceptance

// Compare says what differs between a state that was accepted (nil: none was) and one of now,
// without what somebody lives with for longer. told are findings that were told as new since then.
// What was not looked at both times, or could not be judged, is neither new nor mended.
func Compare(base, now *State, accepted []Acceptance, told []Fact, today time.Time) *News {
	n := &News{Now: now.Taken, New: []Item{}, Changed: []Item{}, Mended: []Item{}, Back: []Item{},
		Unseen: []Gap{},
		Living: []Item{}, FirstFor: []string{}, Left: []string{}, First: []Item{}, Skipped: []string{},
		Behind: []Item{}}
	if base == nil {
		base = &State{}
	} else {
		n.Since, n.based = base.Taken, true
	}
	n.base, n.now = base, now
	c := &comparison{News: n, base: base, now: now, today: today, accepted: accepted,
		then: sightOf(base), here: sightOf(now)}
	c.compare(told)
	if base.surveyed != nil && now.surveyed != nil {
		n.Records = recordsOf(base.surveyed, now.surveyed)
	}
	return n
}

type comparison struct {
	*News
	base, now *State
	today     time.Time
	accepted  []Acceptance
	then,
	here *sight
}

func (c *comparison) compare(told []Fact) {
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
		switch {
		case slices.Contains(c.now.Domains, d):
		case c.now.Part:
			c.Skipped = append(c.Skipped, d)
		default:
			c.Left = append(c.Left, d)
		}
	}
	for entry := range c.then.asked {
		if !c.here.asked[entry] && !c.here.unseen[entry] {
			c.Unasked++
		}
	}
	for i := range c.base.Facts {
		old := &c.base.Facts[i]
		if was[old.key()] != nil {
			c.gone(old, gaps)
		}
	}
	c.toldBefore(told)
	for _, d := range c.now.Domains {
		if c.based && !slices.Contains(c.base.Domains, d) {
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
	for _, list := range [][]Item{c.New, c.Changed, c.Mended, c.Back, c.First} {
		slices.SortStableFunc(list, func(a, b Item) int {
			return cmp.Compare(b.Severity.Rank(), a.Severity.Rank())
		})
	}
}

// met takes in a fact of now.
func (c *comparison) met(is, old *Fact, covered func(*Fact) bool) {
	first := !slices.Contains(c.base.Domains, is.Domain)
	switch {
	case is.Kind == Finding && old == nil && c.based && !c.then.judged(is, true):
		c.put(&c.First, Item{Fact: *is, Is: is.Value})
	case is.Kind == Finding && old == nil:
		c.put(&c.New, Item{Fact: *is, Is: is.Value})
	case is.Kind == Finding && is.Severity.Rank() > old.Severity.Rank():
		c.put(&c.New, Item{Fact: *is, Was: string(old.Severity), Is: string(is.Severity)})
	case old == nil:
		// What was not looked at before is no change, nor what nobody could see, nor a record that nobody
		// asked for.
		if first || covered(is) || !c.then.looked(is) || is.Kind == Record &&
			slices.Contains(c.base.Partial, is.Domain) &&
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
	a := c.lives(&i)
	if a == nil {
		return
	}
	i.Accepted, i.Why = a.Until.Format(time.DateOnly), a.Why
	if a.Over(c.today) {
		c.Back = append(c.Back, i)
		return
	}
	c.Living = append(c.Living, i)
}

// gone takes in a fact that is there no more.
func (c *comparison) gone(old *Fact, gaps func(*Fact) bool) {
	switch {
	case old.Kind == Finding:
		c.mended(old)
	case !slices.Contains(c.now.Domains, old.Domain) && old.Domain != "":
		// it was not looked at
	case gaps(old), old.Kind == Record &&
		slices.Contains(c.now.Partial, old.Domain) && !slices.Contains(c.base.Partial, old.Domain):
		// nobody could look, or asked for it by name
	case !c.here.looked(old):
		// an audit that asks for it says what it met
	default:
		c.put(&c.Changed, Item{Fact: changed(old), Was: old.Value})
	}
}

// mended takes in a finding that is there no more: it is mended where somebody could have seen it.
func (c *comparison) mended(old *Fact) {
	switch {
	case c.here.judged(old, false):
		c.Mended = append(c.Mended, Item{Fact: *old})
	case c.here.hides(old):
		c.Behind = append(c.Behind, Item{Fact: *old})
	}
}

// toldBefore says what is mended of what was told as new since the state was accepted.
func (c *comparison) toldBefore(told []Fact) {
	known := map[key]bool{}
	for _, s := range []*State{c.base, c.now} {
		for i := range s.Facts {
			known[s.Facts[i].key()] = true
		}
	}
	for i := range told {
		if f := &told[i]; !known[f.key()] && f.Kind == Finding {
			c.mended(f)
		}
	}
}

// Told gives the findings that were told as new by now, those before included, without what is
// mended.
func (n *News) Told(before []Fact) []Fact {
	mended, have := map[key]bool{}, map[key]bool{}
	for i := range n.Mended {
		mended[n.Mended[i].key()] = true
	}
	all := []Fact{}
	add := func(f Fact) {
		if k := f.key(); f.Kind == Finding && !mended[k] && !have[k] {
			have[k] = true
			all = append(all, f)
		}
	}
	for _, list := range [][]Item{n.New, n.First} {
		for _, i := range list {
			add(i.Fact)
		}
	}
	for _, f := range before {
		add(f)
	}
	return all
}

// put adds an item to a list, unless somebody lives with it.
func (c *comparison) put(list *[]Item, i Item) {
	a := c.lives(&i)
	if a != nil {
		i.Accepted, i.Why = a.Until.Format(time.DateOnly), a.Why
	}
	switch {
	case a != nil && a.Over(c.today):
		c.Back = append(c.Back, i)
	case a != nil:
		c.Living = append(c.Living, i)
	default:
		*list = append(*list, i)
	}
}

// Nothing is how a value is written that is gone.
const Nothing = "nothing"

// ValuesOf gives a value as an acceptance has it.
func ValuesOf(value string) []string {
	if value == "" {
		return []string{Nothing}
	}
	return strings.Split(value, "\n")
}

// lives gives what accepts an item; nil where nothing does. A change is accepted by the value that
// it led to, so that a later one is told.
func (c *comparison) lives(i *Item) *Acceptance {
	for n := range c.accepted {
		a := &c.accepted[n]
		switch {
		case i.Kind == Finding:
			if a.Covers(i.Code, i.Subject) || len(i.Entries) > 0 && !slices.ContainsFunc(i.Entries,
				func(e string) bool { return !a.Covers(i.Code, e) }) {
				return a
			}
		case a.Code == i.Name() && a.Subject == i.Subject:
			is := slices.Clone(a.Values)
			if i.Kind != Redirect { // whose order tells
				slices.Sort(is)
			}
			if slices.Equal(is, ValuesOf(i.Is)) {
				return a
			}
		}
	}
	return nil
}

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
	subjects, domains := map[string]bool{}, map[string]bool{}
	for _, g := range gaps {
		if g.Subject == "" {
			domains[g.Domain] = true
			continue
		}
		subjects[g.Subject] = true
	}
	return func(f *Fact) bool {
		switch {
		case subjects[f.Subject]:
			return true
		case f.Kind == Certificate: // its subject is the door
			return subjects[f.Subject+"/"]
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

// joinScope has a state be about what an earlier one was about too. It is a part as long as domains
// of the estate are left that neither looked at.
func (s *State) joinScope(before *State) {
	if s.Scope == nil {
		s.Part = s.Part && before.Part
		return
	}
	joined := *s.Scope
	joined.Domains, joined.Left = slices.Clone(joined.Domains), nil
	for _, d := range s.Scope.Left {
		if slices.Contains(before.Domains, d) {
			joined.Domains = append(joined.Domains, d)
		} else {
			joined.Left = append(joined.Left, d)
		}
	}
	if slices.Sort(joined.Domains); len(joined.Left) == 0 {
		joined.Only = ""
	}
	s.Scope, s.Part = &joined, joined.Part()
}

// Join gives the state to accept: that of now, with what was known before of whatever nobody looked
// at this time, or could not see. before may be nil.
func Join(before, now *State) *State {
	if before == nil {
		return now
	}
	made := *now
	made.joinScope(before)
	made.Facts, made.Gaps = slices.Clone(now.Facts), slices.Clone(now.Gaps)
	made.Domains, made.Partial = slices.Clone(now.Domains), slices.Clone(now.Partial)
	made.Hidden = slices.Clone(now.Hidden)
	for _, pair := range []struct{ to, now, of *[]string }{
		{&made.Beside, &now.Beside, &before.Beside}, {&made.Answered, &now.Answered, &before.Answered},
		{&made.Pages, &now.Pages, &before.Pages}, {&made.Silent, &now.Silent, &before.Silent},
	} {
		*pair.to = slices.Clone(*pair.now)
		if now.Part {
			*pair.to = append(*pair.to, *pair.of...)
		}
	}
	here, gaps, has := sightOf(now), covers(now.Gaps), map[key]bool{}
	for i := range now.Facts {
		has[now.Facts[i].key()] = true
	}
	elsewhere := func(domain string) bool { return !slices.Contains(now.Domains, domain) }
	for i := range before.Facts {
		f := &before.Facts[i]
		if has[f.key()] || f.Domain != "" && elsewhere(f.Domain) && !now.Part {
			continue
		}
		away := f.Domain != "" && elsewhere(f.Domain)
		if away || f.Kind == Finding && !here.judged(f, false) ||
			f.Kind != Finding && (gaps(f) || !here.looked(f)) {
			made.Facts = append(made.Facts, *f)
		}
	}
	if now.Part {
		for _, g := range before.Gaps {
			if elsewhere(g.Domain) {
				made.Gaps = append(made.Gaps, g)
			}
		}
		for _, h := range before.Hidden {
			if elsewhere(finding.DomainOf(h.Entry)) {
				made.Hidden = append(made.Hidden, h)
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
	}
	made.settle()
	return &made
}

// StillTold gives what was told as new and is not part of a state that is accepted, though nobody
// could say that it is mended.
func (s *State) StillTold(told []Fact) []Fact {
	here, has := sightOf(s), map[key]bool{}
	for i := range s.Facts {
		has[s.Facts[i].key()] = true
	}
	all := []Fact{}
	for i := range told {
		if f := &told[i]; !has[f.key()] && !here.judged(f, false) {
			all = append(all, *f)
		}
	}
	return all
}

// Value gives the value of what can be accepted under a name and subject; "" where it is not there.
func (s *State) Value(code, subject string) string {
	for _, f := range s.Facts {
		i := Item{Fact: f}
		if i.Name() == code && f.Subject == subject {
			return f.Value
		}
	}
	return ""
}
