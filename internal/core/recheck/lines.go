package recheck

import (
	"cmp"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
)

// Line is what has one cause, and is told in one line.
type Line struct {
	What string `json:"what"` // new, changed, again, mended, unseen or first
	// what it is about, of one kind, in order; the first stands for all
	Items []Item `json:"items,omitempty"`
	Gaps  []Gap  `json:"gaps,omitempty"`
	// changes that come of it
	Touches []Item `json:"touches,omitempty"`
	// the record or delegation that changed, and of which all comes; nil: none is known
	Cause *Item `json:"cause,omitempty"`
	// of a redirect: at which door it goes another way, "" for its own, and how it was and is there
	At, Was, Is string `json:"-"`
}

// Severity gives the worst of a line; "" where it has none.
func (l *Line) Severity() finding.Severity {
	var worst finding.Severity
	for i := range l.Items {
		if l.Items[i].Severity.Rank() > worst.Rank() {
			worst = l.Items[i].Severity
		}
	}
	return worst
}

// Subjects gives what a line is about, each once, in order.
func (l *Line) Subjects() []string {
	var all []string
	for i := range l.Items {
		all = append(all, l.Items[i].Subject)
	}
	for _, g := range l.Gaps {
		all = append(all, cmp.Or(g.Subject, g.Domain))
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// The parts of news, in the order in which they are told.
const (
	IsNew     = "new"
	IsChanged = "changed"
	IsAgain   = "again"
	IsMended  = "mended"
	IsFirst   = "first"
	IsUnseen  = "unseen"
)

// Lines puts what has one cause together: findings that say the same of several names, and the
// changes that come of them; redirects and pages that changed at one place; records with one former
// and one present value; what was unseen for one reason. The same news give the same lines.
func (n *News) Lines() []Line {
	g := grouping{at: map[string]int{}, taken: map[key]bool{}, by: map[string]int{}}
	g.changed = changedNames(n.Changed)
	g.findings(IsNew, n.New)
	g.findings(IsAgain, n.Back)
	g.seenFirst(n.First)
	g.touched(n.Changed)
	g.moved(n.Changed)
	for _, i := range n.Changed {
		if !g.taken[i.key()] && i.Kind != Page {
			g.put(IsChanged, changeKey(&i), i)
			g.by[entryOf(&i)] = g.at[IsChanged+changeKey(&i)]
		}
	}
	for _, i := range n.Changed { // another page, since another one answers
		if g.taken[i.key()] || i.Kind != Page {
			continue
		}
		if at, is := g.by[i.Subject]; is {
			g.lines[at].Touches = append(g.lines[at].Touches, i)
			continue
		}
		g.put(IsChanged, changeKey(&i), i)
	}
	g.findings(IsMended, n.Mended)
	for _, gap := range n.Unseen {
		why := gap.Why.String()
		if g.subsumed(&gap) {
			continue
		}
		key := IsUnseen + why
		at, known := g.at[key]
		if !known {
			at = len(g.lines)
			g.at[key] = at
			g.lines = append(g.lines, Line{What: IsUnseen})
		}
		g.lines[at].Gaps = append(g.lines[at].Gaps, gap)
	}
	return g.inOrder()
}

// Count gives how many lines there are of a kind.
func Count(lines []Line, what string) int {
	n := 0
	for i := range lines {
		if lines[i].What == what {
			n++
		}
	}
	return n
}

type grouping struct {
	lines []Line
	at    map[string]int
	taken map[key]bool // changes that were told with their cause
	// the line that tells of the way of an entry
	by map[string]int
	// what changed of the address of a name, and of the delegation of a domain
	changed map[string]*Item
}

// changedNames gives what changed of where names lead: their records, or the name servers of their
// domain.
func changedNames(changes []Item) map[string]*Item {
	made := map[string]*Item{}
	for n := range changes {
		c := &changes[n]
		name, kind, _ := strings.Cut(c.Subject, " ")
		switch {
		case c.Kind == Delegation && kind == "delegation":
			made[name+" NS"] = c
		case c.Kind == Record && (kind == "A" || kind == "AAAA" || kind == "CNAME") && made[name] == nil:
			made[name] = c
		}
	}
	return made
}

// causeOf gives the change of which a finding comes: that of where its name leads, or of the name
// servers of its domain; nil where nothing of that changed.
func (g *grouping) causeOf(i *Item) *Item {
	host := hostOf(i.Subject)
	for _, e := range i.Entries {
		if hostOf(e) != hostOf(i.Entries[0]) {
			return nil // of several
		}
	}
	if len(i.Entries) > 0 {
		host = hostOf(i.Entries[0])
	}
	if c := g.changed[host]; c != nil {
		return c
	}
	return g.changed[finding.DomainOf(host)+" NS"]
}

func (g *grouping) put(what, by string, i Item) *Line {
	at, known := g.at[what+by]
	if !known {
		at = len(g.lines)
		g.at[what+by] = at
		g.lines = append(g.lines, Line{What: what})
		if i.Kind == Redirect {
			l := &g.lines[at]
			if l.At, l.Was, l.Is = turn(&i); l.At == doorOf(entryOf(&i)) {
				l.At = ""
			}
		}
	}
	g.lines[at].Items = append(g.lines[at].Items, i)
	return &g.lines[at]
}

// findings puts findings together that say the same, whatever names they say it of.
func (g *grouping) findings(what string, all []Item) {
	for _, i := range all {
		if i.Kind != Finding {
			g.put(what, changeKey(&i), i)
			continue
		}
		if c := g.causeOf(&i); c != nil && what == IsNew {
			g.taken[c.key()] = true
			g.put(what, "cause "+changeKey(c), i).Cause = c
			continue
		}
		g.put(what, findingKey(&i), i)
	}
}

func findingKey(i *Item) string {
	return strings.Join([]string{i.Code, string(i.Severity), i.Cause, i.Was, i.Accepted, i.Why,
		nameless(i)}, "\x00")
}

// seenFirst puts findings of what was not looked at before with new ones that say the same.
func (g *grouping) seenFirst(all []Item) {
	for _, i := range all {
		if c := g.causeOf(&i); c != nil {
			if at, known := g.at[IsNew+"cause "+changeKey(c)]; known {
				g.lines[at].Items = append(g.lines[at].Items, i)
				continue
			}
		}
		if at, known := g.at[IsNew+findingKey(&i)]; known {
			g.lines[at].Items = append(g.lines[at].Items, i)
			continue
		}
		g.put(IsFirst, findingKey(&i), i)
	}
}

// nameless gives what a finding says without the names that it is about.
func nameless(i *Item) string {
	host := hostOf(i.Subject)
	says := i.Says.String()
	for _, name := range append([]string{i.Subject, host, i.Domain, strings.TrimPrefix(host, "www.")},
		i.Entries...) {
		if name != "" {
			says = strings.ReplaceAll(says, name, "·")
		}
	}
	says = strings.ReplaceAll(strings.ReplaceAll(says, "www.·", "·"), "https://·", "http://·")
	return strings.NewReplacer(":443", ":80").Replace(says)
}

// touched puts changes of what an entry leads to with the finding that the entry meets, or that
// stands where its way changed.
func (g *grouping) touched(changes []Item) {
	entries, places := g.reach()
	fails := map[string]int{} // by how it fails
	for pass := range 2 {
		for i := range changes {
			c := &changes[i]
			if g.taken[c.key()] || !onWay(c) || c.Kind == Page {
				continue
			}
			n, is := entries[entryOf(c)]
			at, _, now := turn(c)
			if !is && c.Kind == Redirect {
				n, is = places[hostOf(at)]
			}
			if !is && pass > 0 && failing(now) {
				n, is = fails[now]
			}
			if is && c.Kind == Redirect && failing(now) {
				note(fails, now, n)
			}
			if is {
				g.touch(c, n)
			}
		}
	}
	for i := range changes {
		c := &changes[i]
		if c.Kind != Page {
			continue
		}
		n, is := g.by[c.Subject]
		if !is {
			n, is = entries[c.Subject]
		}
		if is {
			g.touch(c, n)
		}
	}
}

// touch puts a change with a line of which it comes.
func (g *grouping) touch(c *Item, n int) {
	g.taken[c.key()], g.by[entryOf(c)] = true, n
	g.lines[n].Touches = append(g.lines[n].Touches, *c)
}

// note keeps a line under a name, unless one is there.
func note(in map[string]int, name string, n int) {
	if _, known := in[name]; !known {
		in[name] = n
	}
}

// reach gives the lines that tell of a finding by the entries that meet it, and by the hosts at
// which it stands where it hides what is behind.
func (g *grouping) reach() (entries, places map[string]int) {
	entries, places = map[string]int{}, map[string]int{}
	for n := range g.lines {
		l := &g.lines[n]
		if l.What != IsNew && l.What != IsAgain {
			continue
		}
		for i := range l.Items {
			f := &l.Items[i]
			for _, e := range f.Entries {
				note(entries, e, n)
			}
			if code, _ := finding.Named(f.Code); code.Row().Hides {
				note(places, hostOf(f.Subject), n)
			}
		}
	}
	return entries, places
}

// failing reports whether a step of a way is one at which nobody is served.
func failing(step string) bool {
	return step != "" && !strings.Contains(step, " → ") && (step[0] < '1' || step[0] > '4')
}

// onWay reports whether a change is one of what an entry leads to.
func onWay(i *Item) bool { return i.Kind == Redirect || i.Kind == Page || i.Kind == Certificate }

func entryOf(i *Item) string {
	if i.Kind == Certificate {
		return i.Subject + "/"
	}
	return i.Subject
}

// moved puts changes of what a host leads to with the record of the host that changed, and name
// server records with the delegation.
func (g *grouping) moved(changes []Item) {
	records, causes := map[string]string{}, map[string][]Item{}
	for _, c := range changes {
		if !onWay(&c) {
			causes[changeKey(&c)] = append(causes[changeKey(&c)], c)
		}
		name, kind, _ := strings.Cut(c.Subject, " ")
		if c.Kind == Record && (kind == "A" || kind == "AAAA" || kind == "CNAME") {
			if _, known := records[name]; !known {
				records[name] = changeKey(&c)
			}
		}
		if c.Kind == Delegation && kind == "delegation" {
			records[name+" NS"] = changeKey(&c)
		}
	}
	g.withCauses(changes)
	for _, c := range changes {
		if g.taken[c.key()] {
			continue
		}
		by, is := "", false
		if onWay(&c) {
			by, is = records[hostOf(c.Subject)]
		} else if c.Kind == Record {
			by, is = records[c.Subject]
		}
		if !is || by == changeKey(&c) {
			continue
		}
		for _, cause := range causes[by] {
			if !g.taken[cause.key()] {
				g.taken[cause.key()] = true
				g.put(IsChanged, by, cause)
			}
		}
		g.taken[c.key()] = true
		l := &g.lines[g.at[IsChanged+by]]
		l.Touches = append(l.Touches, c)
	}
}

// withCauses puts changes that are the same as the cause of a line, and what they lead to, there.
func (g *grouping) withCauses(changes []Item) {
	at := map[string]int{}
	for n := range g.lines {
		if c := g.lines[n].Cause; c != nil {
			at[changeKey(c)] = n
		}
	}
	if len(at) == 0 {
		return
	}
	for i := range changes {
		c := &changes[i]
		by := c
		if onWay(c) {
			if by = g.causeOf(&Item{Fact: Fact{Subject: entryOf(c)}}); by == nil {
				continue
			}
		} else if c.Kind == Record && strings.HasSuffix(c.Subject, " NS") {
			if d := g.changed[finding.DomainOf(c.Subject)+" NS"]; d != nil {
				by = d
			}
		}
		n, is := at[changeKey(by)]
		if !is || g.taken[c.key()] && by == c {
			continue
		}
		if !g.taken[c.key()] {
			g.taken[c.key()], g.by[entryOf(c)] = true, n
			g.lines[n].Touches = append(g.lines[n].Touches, *c)
		}
	}
}

// changeKey tells the causes of changes apart.
func changeKey(i *Item) string {
	was, is, at := i.Was, i.Is, ""
	switch i.Kind {
	case Redirect:
		at, was, is = turn(i)
		if at == doorOf(entryOf(i)) {
			at = "" // many doors may go another way at once
		}
	case Page, Certificate:
	default:
		_, at, _ = strings.Cut(i.Subject, " ") // the type, or what of the registration
		if i.Kind == Registration && strings.HasPrefix(was, "ends ") && strings.HasPrefix(is, "ends ") {
			was, is = "", "" // renewals of one day are one
		}
	}
	return strings.Join([]string{string(i.Kind), at, was, is}, "\x00")
}

// turn gives the first place at which a redirect goes another way, and what it did and does there.
// Where a door has a place of its own on the way, that is told for the door.
func turn(i *Item) (at, was, is string) {
	before, after := strings.Split(i.Was, "\n"), strings.Split(i.Is, "\n")
	at = doorOf(entryOf(i))
	for n := 0; n < len(before) || n < len(after); n++ {
		var w, s string
		if n < len(before) {
			w = before[n]
		}
		if n < len(after) {
			s = after[n]
		}
		if w != s {
			if placeless(w) == placeless(s) { // another path alone
				return at, w, s
			}
			return at, placeless(w), placeless(s)
		}
		if _, to, moves := strings.Cut(s, " → "); moves {
			at = doorOf(to)
		}
	}
	return at, "", ""
}

// placeless gives a step of a way with the door that it leads to, and no path.
func placeless(step string) string {
	status, to, moves := strings.Cut(step, " → ")
	if !moves {
		return step
	}
	return status + " → " + doorOf(to)
}

func doorOf(url string) string {
	u, err := web.ParseURL(strings.TrimPrefix(url, "POST "))
	if err != nil {
		return url
	}
	return u.Door().String()
}

// subsumed reports whether a gap is told by another of the same domain, of which nobody answered.
func (g *grouping) subsumed(gap *Gap) bool {
	if gap.Subject == "" || strings.Contains(gap.Subject, "://") {
		return false
	}
	for i := range g.lines {
		if g.lines[i].What == IsUnseen && slices.ContainsFunc(g.lines[i].Gaps, func(o Gap) bool {
			return o.Subject == "" && o.Domain == gap.Domain
		}) && !strings.HasSuffix(gap.Subject, " registration") &&
			!strings.HasSuffix(gap.Subject, " registrar") && !strings.HasSuffix(gap.Subject, " status") {
			return true
		}
	}
	return false
}

// inOrder gives the lines, the gravest first, each with its items in order.
func (g *grouping) inOrder() []Line {
	parts := []string{IsNew, IsChanged, IsAgain, IsFirst, IsMended, IsUnseen}
	for i := range g.lines {
		for _, list := range [][]Item{g.lines[i].Items, g.lines[i].Touches} {
			slices.SortStableFunc(list, func(a, b Item) int { return cmp.Compare(a.Subject, b.Subject) })
		}
	}
	rank := func(l *Line) int { return l.Severity().Rank() }
	slices.SortStableFunc(g.lines, func(a, b Line) int {
		return cmp.Or(cmp.Compare(slices.Index(parts, a.What), slices.Index(parts, b.What)),
			cmp.Compare(rank(&b), rank(&a)), cmp.Compare(len(b.Touches), len(a.Touches)),
			slices.Compare(a.Subjects(), b.Subjects()))
	})
	return g.lines
}
