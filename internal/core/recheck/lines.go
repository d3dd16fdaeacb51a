package recheck

import (
	"cmp"
	"slices"
	"strings"

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
	// of a redirect: at which door it goes another way, and how it was and is there
	At, Was, Is string `json:"-"`
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
	g := grouping{at: map[string]int{}, taken: map[key]bool{}}
	g.findings(IsNew, n.New)
	g.findings(IsAgain, n.Back)
	g.findings(IsFirst, n.First)
	g.touched(n.Changed)
	g.moved(n.Changed)
	for _, i := range n.Changed {
		if !g.taken[i.key()] {
			g.put(IsChanged, changeKey(&i), i)
		}
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
}

func (g *grouping) put(what, by string, i Item) *Line {
	at, known := g.at[what+by]
	if !known {
		at = len(g.lines)
		g.at[what+by] = at
		g.lines = append(g.lines, Line{What: what})
		if i.Kind == Redirect {
			g.lines[at].At, g.lines[at].Was, g.lines[at].Is = turn(&i)
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
		g.put(what, strings.Join([]string{i.Code, string(i.Severity), i.Cause, i.Was, i.Accepted, i.Why,
			nameless(&i)}, "\x00"), i)
	}
}

// nameless gives what a finding says without the names that it is about.
func nameless(i *Item) string {
	host := hostOf(i.Subject)
	says := i.Says.String()
	for _, name := range []string{i.Subject, host, i.Domain, strings.TrimPrefix(host, "www.")} {
		if name != "" {
			says = strings.ReplaceAll(says, name, "·")
		}
	}
	return strings.ReplaceAll(strings.ReplaceAll(says, "www.·", "·"), "https://·", "http://·")
}

// touched puts changes of what an entry leads to with the finding that the entry meets.
func (g *grouping) touched(changes []Item) {
	by := map[string]int{}
	for n := range g.lines {
		if l := &g.lines[n]; l.What == IsNew || l.What == IsAgain {
			for i := range l.Items {
				for _, e := range l.Items[i].Entries {
					if _, known := by[e]; !known {
						by[e] = n
					}
				}
			}
		}
	}
	for _, c := range changes {
		if n, is := by[entryOf(&c)]; is && onWay(&c) {
			g.taken[c.key()] = true
			g.lines[n].Touches = append(g.lines[n].Touches, c)
		}
	}
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

// changeKey tells the causes of changes apart.
func changeKey(i *Item) string {
	was, is, at := i.Was, i.Is, ""
	switch i.Kind {
	case Redirect:
		at, was, is = turn(i)
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
	rank := func(l *Line) int {
		if len(l.Items) == 0 {
			return 0
		}
		return l.Items[0].Severity.Rank()
	}
	slices.SortStableFunc(g.lines, func(a, b Line) int {
		return cmp.Or(cmp.Compare(slices.Index(parts, a.What), slices.Index(parts, b.What)),
			cmp.Compare(rank(&b), rank(&a)), cmp.Compare(len(b.Touches), len(a.Touches)),
			slices.Compare(a.Subjects(), b.Subjects()))
	})
	return g.lines
}
