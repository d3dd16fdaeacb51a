package world

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/spf"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Watch looks, after each act, whether what must stay as it is did: it compares what follows from
// the state with what followed from the first. An act is rows that are typed at once.
//
//	k := world.NewWatch(w, world.Wishes{})
//	for _, rows := range acts {
//		breaks := k.Act(rows)
//	}
type Watch struct {
	world    *World
	wishes   Wishes
	subjects []*subject
	hang     map[string][]int // which subjects hang on a name
	// names at which, before anything was typed, stood what cannot stand together
	crowds map[record.Key]bool
}

// Wishes says what may become otherwise, since the estate asks for it.
type Wishes struct {
	Doors []web.Host // of the estate
	// doors that the plan leads elsewhere; their addresses may change
	Led     func(name string) bool
	Needed  map[string]bool            // hosts that somebody else needs
	Mailing []string                   // domains that have mail, with MX records or without
	Silent  map[string]bool            // domains that are to have no mail
	MX      map[string]map[string]bool // values of MX records that may come or go, by name
	Policy  map[string]bool            // names whose SPF record may go
	Gone    map[record.Key]bool        // sets that may go
	Late    map[string]bool            // carriers that take a host only once its records point there
}

// BreakKind says what broke.
type BreakKind uint8

// What breaks.
const (
	RowUnfit    BreakKind = iota // the row cannot be typed
	MailMoved                    // mail of Subject reaches other machines
	SenderLost                   // senders of Subject may send no more
	Followed                     // the set of Subject and Type leads elsewhere, or nowhere
	NeededMoved                  // a host that somebody else needs leads elsewhere
	DoorDark                     // a door leads nowhere
	Untold                       // a door leads to a carrier that was not told of it
	Crowded                      // what cannot stand together does
)

// Break is something that did not stay as it must.
type Break struct {
	Kind    BreakKind
	Subject string // a name
	Type    string // of the set that leads there
	Target  string // the name that the set leads to
	Row     Row    // after which it broke
	Act     int    // from 1
	Before  []string
	After   []string
	Why     fact.Facts // of a row that cannot be typed
}

// subject is something that must stay as it is.
type subject struct {
	kind   BreakKind
	name   string
	set    string // the type of the set that leads there
	target string
	tree   []string // of a set that leads a whole tree of names: the doors there

	before   []string
	receives []Receiver
	senders  map[string]Result
	carriers [][]string
	broken   bool
}

// NewWatch notes how everything is in a state, before anything is typed.
func NewWatch(w *World, wishes Wishes) *Watch {
	k := &Watch{world: w, wishes: wishes, hang: map[string][]int{}, crowds: map[record.Key]bool{}}
	for _, name := range slices.Sorted(maps.Keys(wishes.Needed)) {
		k.add(&subject{kind: NeededMoved, name: name})
	}
	mailing := map[string]bool{}
	for _, name := range wishes.Mailing {
		mailing[name] = true
	}
	for _, apex := range slices.Sorted(maps.Keys(w.zones)) {
		z := w.zones[apex]
		for _, owner := range slices.SortedFunc(maps.Keys(z.sets), record.CompareNames) {
			for _, s := range z.sets[owner] {
				k.watchSet(owner, s, mailing)
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(mailing)) {
		k.add(&subject{kind: MailMoved, name: name})
	}
	for _, h := range wishes.Doors {
		k.add(&subject{kind: Untold, name: h.String()})
	}
	return k
}

// watchSet adds what a set makes worth watching: what it refers to by address (mail apart), who
// receives, who may send.
func (k *Watch) watchSet(owner string, s Set, mailing map[string]bool) {
	if len(s.Values) == 0 {
		return
	}
	switch s.Type {
	case "MX":
		mailing[owner] = true
	case "TXT":
		if slices.ContainsFunc(s.Values, func(v Value) bool { return spf.Is(record.Unquote(v.Text)) }) {
			k.add(&subject{kind: SenderLost, name: owner})
		}
	case "CNAME", "DNAME", "SRV", "NS", "HTTPS", "SVCB", record.Alias:
		door := isAddress(s.Type) || s.Type == "HTTPS"
		switch {
		case s.Type == "CNAME" && survey.ForNoHost(owner),
			door && k.wishes.Led(owner),
			k.wishes.Needed[owner]:
			return
		}
		target := ""
		if names := survey.Refers(s.Type, s.Values[0].Text); len(names) > 0 {
			target = names[0]
		}
		k.add(&subject{kind: Followed, name: owner, set: s.Type, target: target})
	}
}

func (k *Watch) add(s *subject) {
	k.subjects = append(k.subjects, s)
	k.listen(len(k.subjects) - 1)
	switch s.kind {
	case MailMoved:
		s.receives, _ = k.world.Receivers(s.name)
		s.before = Machines(s.receives)
	case SenderLost:
		s.senders = k.world.Senders(s.name)
	case Untold:
		s.carriers, s.before = k.world.Carriers(s.name), k.world.Lead(s.name).Ends
	default:
		if s.set == "DNAME" {
			s.tree = k.below(s.target)
		}
		s.before = k.ends(s)
	}
	k.world.touch = nil
}

// listen notes on which names a subject hangs, from now until touch is taken away.
func (k *Watch) listen(i int) {
	k.world.touch = func(name string) {
		if all := k.hang[name]; len(all) == 0 || all[len(all)-1] != i {
			k.hang[name] = append(all, i)
		}
	}
}

// ends gives where what a set refers to by address ends, or the name itself where the set makes an
// alias of it.
func (k *Watch) ends(s *subject) []string {
	w := k.world
	if s.kind == NeededMoved || isAddress(s.set) {
		return w.Lead(s.name).Ends
	}
	z := w.zoneAt(s.name)
	w.looked(s.name)
	var all []string
	for _, door := range s.tree {
		all = append(all, w.Lead(door).Ends...)
	}
	if s.set == "DNAME" {
		slices.Sort(all)
		return slices.Compact(all)
	}
	for _, set := range z.sets[s.name] {
		if set.Type != s.set {
			continue
		}
		for _, v := range set.Values {
			for _, name := range survey.Refers(set.Type, v.Text) {
				all = append(all, w.Lead(name).Ends...)
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// below gives the doors below a name that lead somewhere: a whole tree of names follows them.
func (k *Watch) below(name string) []string {
	var all []string
	for _, h := range k.wishes.Doors {
		if door := h.String(); strings.HasSuffix(door, "."+name) && len(k.world.Lead(door).Ends) > 0 {
			all = append(all, door)
		}
	}
	return all
}

// Act types rows, all at once, and gives what broke with them that was not broken before.
func (k *Watch) Act(number int, rows []Row) []Break {
	var breaks []Break
	var owners []record.Key
	for _, r := range rows {
		owner := record.Key{}
		if z := k.world.zones[r.Zone]; r.IsRecord() && z != nil {
			name, err := record.Name(r.Label, z.name)
			if owner = (record.Key{Name: name, Type: z.name}); err == nil {
				if _, known := k.crowds[owner]; !known {
					k.crowds[owner] = len(k.world.Crowds(z.name, name)) > 0
				}
			}
		}
		var unfit *Unfit
		if err := k.world.Apply(r); errors.As(err, &unfit) {
			breaks = append(
				breaks,
				Break{Kind: RowUnfit, Subject: subjectOf(r), Row: r, Act: number, Why: unfit.Why},
			)
		} else if owner.Name != "" && r.Do != Lower && r.Do != Raise {
			owners = append(owners, owner)
		}
	}
	if len(owners) == 0 {
		return breaks
	}
	for _, owner := range owners {
		if kinds := k.world.Crowds(owner.Type, owner.Name); len(kinds) > 0 && !k.crowds[owner] {
			k.crowds[owner] = true
			breaks = append(breaks, Break{Kind: Crowded, Subject: owner.Name, After: kinds})
		}
	}
	for _, i := range k.concerned(owners) {
		breaks = append(breaks, k.look(i)...)
	}
	for i := range breaks {
		if breaks[i].Act == 0 {
			breaks[i].Row, breaks[i].Act = rows[len(rows)-1], number
		}
	}
	return breaks
}

func subjectOf(r Row) string {
	if r.IsRecord() {
		if name, err := record.Name(r.Label, r.Zone); err == nil {
			return name
		}
		return r.Zone
	}
	return r.Place
}

// concerned gives the subjects that hang on names, or on what exists above them.
func (k *Watch) concerned(owners []record.Key) []int {
	var all []int
	for _, o := range owners {
		for at := o.Name; at != ""; _, at, _ = strings.Cut(at, ".") {
			all = append(all, k.hang[at]...)
			if at == o.Type {
				break
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// look compares a subject with how it was.
func (k *Watch) look(i int) []Break {
	s := k.subjects[i]
	if s.broken {
		return nil
	}
	k.listen(i)
	defer func() { k.world.touch = nil }()
	broke := func(kind BreakKind, before, after []string) []Break {
		s.broken = true
		return []Break{
			{Kind: kind, Subject: s.name, Type: s.set, Target: s.target, Before: before, After: after},
		}
	}
	switch s.kind {
	case MailMoved:
		if before, after := k.mail(s); len(before) > 0 && !slices.Equal(before, after) {
			return broke(MailMoved, before, after)
		}
	case SenderLost:
		if before, after := k.lost(s); len(before) > 0 {
			return broke(SenderLost, before, after)
		}
	case Untold:
		return k.door(s, broke)
	default:
		if k.wishes.Gone[record.Key{Name: s.name, Type: s.set}] {
			return nil
		}
		if after := k.ends(s); len(s.before) > 0 && !slices.Equal(s.before, after) {
			return broke(s.kind, s.before, after)
		}
	}
	return nil
}

// mail gives where the mail of a name ended and ends, but for what somebody asks for.
func (k *Watch) mail(s *subject) (before, after []string) {
	now, known := k.world.Receivers(s.name)
	asked := k.wishes.MX[s.name]
	if !known || k.wishes.Silent[s.name] && len(now) == 0 ||
		len(asked) > 0 && len(s.receives) == 1 && s.receives[0].Value == "" {
		return nil, nil
	}
	rest := func(all []Receiver) []Receiver {
		return slices.DeleteFunc(slices.Clone(all), func(r Receiver) bool { return asked[r.Value] })
	}
	return Machines(rest(s.receives)), Machines(rest(now))
}

// lost gives the senders of a name that may send less than they might, and what was said of them
// and is.
func (k *Watch) lost(s *subject) (before, after []string) {
	if k.wishes.Silent[s.name] || k.wishes.Policy[s.name] {
		return nil, nil
	}
	for _, sender := range slices.Sorted(maps.Keys(s.senders)) {
		was := s.senders[sender]
		if now := k.world.Allows(s.name, sender); now < was {
			before = append(before, fmt.Sprintf("%s %s", sender, was))
			after = append(after, fmt.Sprintf("%s %s", sender, now))
		}
	}
	return before, after
}

// door looks where a host leads: somewhere, and to nobody who was not told of it.
func (k *Watch) door(s *subject, broke func(BreakKind, []string, []string) []Break) []Break {
	ends := k.world.Lead(s.name).Ends
	if len(s.before) > 0 && len(ends) == 0 {
		return broke(DoorDark, s.before, nil)
	}
	h, err := web.ParseHost(s.name)
	if err != nil {
		return nil
	}
	for _, who := range k.world.Carriers(s.name) {
		known := slices.ContainsFunc(
			who,
			func(c string) bool { return k.world.Knows(c, h) || k.wishes.Late[c] },
		)
		was := slices.ContainsFunc(s.carriers, func(o []string) bool { return slices.Equal(o, who) })
		if !known && !was {
			return broke(Untold, s.before, who)
		}
	}
	return nil
}

func (r Result) String() string {
	switch r {
	case Pass:
		return "may send"
	case Neutral:
		return "neutral"
	case SoftFail:
		return "is doubted"
	case Fail:
		return "is refused"
	}
	return "unreadable"
}
