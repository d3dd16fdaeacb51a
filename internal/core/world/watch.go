package world

import (
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
	within   map[string][]int // and on some name of a zone
	looked   []string         // names that were looked at for the subject that is looked at
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
	// whether a carrier must hold a certificate for a host before anybody is led there
	Certify func(carrier, host string) bool
	Dark    map[string]bool // doors of which it was said beforehand that they will be dark for a while
}

// BreakKind says what broke.
type BreakKind uint8

// What breaks.
const (
	RowUnfit       BreakKind = iota // the row cannot be typed
	MailMoved                       // mail of Subject reaches other machines
	SenderLost                      // senders of Subject may send no more
	Followed                        // the set of Subject and Type leads elsewhere, or nowhere
	NeededMoved                     // a host that somebody else needs leads elsewhere
	DoorDark                        // a door leads nowhere
	Untold                          // a door leads to a carrier that was not told of it
	Crowded                         // what cannot stand together does
	Uncertified                     // a door leads to a carrier that holds no certificate for it
	Bogus                           // the parent's DS records outlive the keys that they stand for
	Barred                          // a certificate is to be had while CAA records bar its issuer
	ProofElsewhere                  // a name is to be proved where no record can stand
	Abandoned                       // a door leads to an edge network that has left its zone
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
	// for how long those meet it who hold older answers, in seconds; 0: whoever asks does
	Held int
}

// subject is something that must stay as it is.
type subject struct {
	kind   BreakKind
	name   string
	set    string // the type of the set that leads there
	target string
	tree   []string // of a set that leads a whole tree of names: the doors there

	before   []string
	met      []string // and whoever holds older answers ended there before anything was typed
	receives []Receiver
	senders  map[string]Result
	doubted  map[string]Result // senders, as those find them who hold older answers
	broken   bool
}

// NewWatch notes how everything is in a state, before anything is typed.
func NewWatch(w *World, wishes Wishes) *Watch {
	k := &Watch{world: w, wishes: wishes, hang: map[string][]int{}, within: map[string][]int{},
		crowds: map[record.Key]bool{}}
	wishes.Doors = append(wishes.Doors, w.atEdges(wishes.Doors)...)
	k.wishes = wishes
	for _, h := range wishes.Doors { // whoever answers today goes on doing so until told otherwise
		for _, who := range slices.Concat(w.Carriers(h.String()), w.carriersAt(w.Held(h.String()))) {
			for _, c := range who {
				if !w.At(c).Knew[h.String()] {
					w.At(c).Meets[h.String()] = true
				}
			}
		}
	}
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
		case s.Type == "NS" && k.world.zones[owner] != nil, // the delegation
			s.Type == "CNAME" && survey.ForNoHost(owner),
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
		for _, r := range s.receives {
			s.met = append(s.met, r.Lead.Ends...)
		}
		_, strays := k.heldMail(s)
		for _, stray := range strays {
			_, end, _ := strings.Cut(stray, " ")
			s.met = append(s.met, end)
		}
	case SenderLost:
		s.senders = k.world.Senders(s.name)
		s.doubted = s.senders
		if k.world.HoldsAny() {
			s.doubted = map[string]Result{}
			for sender := range s.senders {
				s.doubted[sender] = k.world.allowsAtLeast(s.name, sender, true)
			}
		}
	case Untold:
		s.before = k.world.Lead(s.name).Ends
	default:
		if s.set == "DNAME" {
			s.tree = k.below(s.target)
		}
		s.before = k.ends(s)
		s.met = s.before
		s.met = slices.Concat(s.before, k.strays(s))
	}
	k.world.touch = nil
}

// listen notes on which names a subject hangs, from now until touch is taken away.
func (k *Watch) listen(i int) {
	k.looked = k.looked[:0]
	k.world.touch = func(name string) {
		k.looked = append(k.looked, name)
		if all := k.hang[name]; len(all) == 0 || all[len(all)-1] != i {
			k.hang[name] = append(all, i)
			if z := k.world.zoneAt(name); z != nil {
				if all := k.within[z.name]; len(all) == 0 || all[len(all)-1] != i {
					k.within[z.name] = append(all, i)
				}
			}
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
	var others []int // subjects that hang on what entries change
	for _, r := range rows {
		if !r.IsRecord() {
			breaks = append(breaks, append(k.bogus(r), k.unissued(r)...)...)
			others = append(others, k.told(r)...)
			continue
		}
		z := k.world.zones[r.Zone]
		if name, err := record.Name(r.Label, r.Zone); err == nil && z != nil {
			owner := record.Key{Name: name, Type: z.name}
			if _, known := k.crowds[owner]; !known {
				k.crowds[owner] = len(k.world.Crowds(z.name, name)) > 0
			}
			if r.Do != Lower && r.Do != Raise {
				owners = append(owners, owner)
			}
		}
	}
	for _, unfit := range k.world.Act(rows) {
		breaks = append(breaks, Break{Kind: RowUnfit, Subject: subjectOf(unfit.Row), Row: unfit.Row,
			Act: number, Why: unfit.Why})
	}
	for _, owner := range owners {
		if kinds := k.world.Crowds(owner.Type, owner.Name); len(kinds) > 0 && !k.crowds[owner] {
			k.crowds[owner] = true
			breaks = append(breaks, Break{Kind: Crowded, Subject: owner.Name, After: kinds})
		}
	}
	concerned := append(k.concerned(owners), others...)
	slices.Sort(concerned)
	for _, i := range slices.Compact(concerned) {
		breaks = append(breaks, k.look(i)...)
	}
	for i := range breaks {
		if breaks[i].Act == 0 {
			breaks[i].Row, breaks[i].Act = rows[len(rows)-1], number
		}
	}
	return breaks
}

// told gives the subjects that hang on what an entry changes: on what a carrier knows no more, or
// on a whole zone whose delegation changes.
func (k *Watch) told(r Row) []int {
	if r.Kind == NameServers {
		return k.within[r.Domain]
	}
	if r.Do != Remove || r.Kind == DSEntry {
		return nil
	}
	all := slices.Clone(k.within[r.Domain])
	for _, f := range r.Fields {
		for _, host := range listed(f.Value) {
			all = append(all, k.hang[host]...)
		}
	}
	return all
}

// bogus tells where a delegation changes although resolvers that check signatures may still hold DS
// records that stand for keys of the name servers until now (RFC 6781 section 4.3.5).
func (k *Watch) bogus(r Row) []Break {
	z := k.world.zones[r.Domain]
	if r.Kind != NameServers || z == nil || len(z.ds) == 0 && z.dsUntil <= k.world.now {
		return nil
	}
	return []Break{{Kind: Bogus, Subject: z.name, Before: z.ds, Held: max(0, z.dsUntil-k.world.now)}}
}

// unissued tells why a certificate cannot be had when an entry asks for it: its issuer is barred,
// or a name that is to prove it is an alias.
func (k *Watch) unissued(r Row) []Break {
	if r.Kind != CertEntry || r.Do == Remove {
		return nil
	}
	var all []Break
	issuer := k.world.issuer(r.Place)
	for _, f := range r.Fields {
		switch f.Name {
		case FieldCertificate:
			for _, host := range listed(f.Value) {
				if i, known := k.world.mayIssue(host); known && issuer != "" && !i.Allows(issuer) {
					all = append(all, Break{Kind: Barred, Subject: i.At, Target: host, Before: i.May,
						After: []string{issuer}})
				}
			}
		case FieldProof:
			z := k.world.zoneAt(f.Value)
			if z == nil || !z.has(f.Value, "CNAME") {
				continue
			}
			values := z.setOf(f.Value, "CNAME").Values
			all = append(all, Break{Kind: ProofElsewhere, Subject: f.Value,
				Target: strings.TrimPrefix(f.Value, acmeChallengeName),
				After:  []string{record.Target("CNAME", values[0].Text)}})
		}
	}
	return all
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
		if before, strays := k.heldMail(s); len(strays) > 0 {
			return k.held(broke(MailMoved, before, strays))
		}
	case SenderLost:
		if before, after, held := k.lost(s); len(before) > 0 {
			if all := broke(SenderLost, before, after); held {
				return k.held(all)
			} else {
				return all
			}
		}
	case Untold:
		return k.door(s, broke)
	default:
		if k.wishes.Gone[record.Key{Name: s.name, Type: s.set}] {
			return nil
		}
		after := k.ends(s)
		if len(s.before) > 0 && !slices.Equal(s.before, after) {
			return broke(s.kind, s.before, after)
		}
		if strays := k.strays(s); len(strays) > 0 {
			return k.held(broke(s.kind, s.before, strays))
		}
	}
	return nil
}

// held marks breaks as met by those alone who hold older answers, and says until when at most.
func (k *Watch) held(all []Break) []Break {
	for i := range all {
		until := k.world.now + 1
		for _, name := range k.looked {
			until = max(until, k.world.heldUntil(name))
		}
		all[i].Held = until - k.world.now
	}
	return all
}

// strays gives where somebody who holds older answers is led that follows a set, though nobody was
// before.
func (k *Watch) strays(s *subject) []string {
	w := k.world
	if !w.HoldsAny() {
		return nil
	}
	names := []string{s.name}
	if s.kind != NeededMoved && !isAddress(s.set) && s.set != "DNAME" {
		names = nil
		z := w.zoneAt(s.name)
		for _, set := range z.sets[s.name] {
			for _, v := range set.Values {
				if set.Type == s.set {
					names = append(names, survey.Refers(set.Type, v.Text)...)
				}
			}
		}
	}
	if s.set == "DNAME" {
		names = s.tree
	}
	var all []string
	for _, name := range names {
		for _, end := range w.Held(name).Ends {
			if !slices.Contains(s.met, end) && !strings.HasPrefix(end, "?") && len(s.before) > 0 {
				all = append(all, end)
			}
		}
	}
	return all
}

// mail gives where the mail of a name ended and ends, but for what somebody asks for.
func (k *Watch) mail(s *subject) (before, after []string) {
	now, known := k.world.Receivers(s.name)
	if !known || k.mailAsked(s, now) {
		return nil, nil
	}
	asked := k.wishes.MX[s.name]
	rest := func(all []Receiver) []Receiver {
		return slices.DeleteFunc(slices.Clone(all), func(r Receiver) bool { return asked[r.Value] })
	}
	return Machines(rest(s.receives)), Machines(rest(now))
}

// mailAsked reports whether somebody asks that the mail of a name goes elsewhere, or nowhere.
func (k *Watch) mailAsked(s *subject, now []Receiver) bool {
	return k.wishes.Silent[s.name] && len(now) == 0 ||
		len(k.wishes.MX[s.name]) > 0 && len(s.receives) == 1 && s.receives[0].Value == ""
}

// heldMail gives machines to which somebody who holds older answers hands mail, though nobody did
// before.
func (k *Watch) heldMail(s *subject) (before, strays []string) {
	w := k.world
	if !w.HoldsAny() || len(s.receives) == 0 || k.mailAsked(s, nil) || k.wishes.Silent[s.name] {
		return nil, nil
	}
	asked := k.wishes.MX[s.name]
	if len(Machines(s.receives)) == 0 {
		return nil, nil
	}
	sets, known := w.heldValues(s.name, "MX", nil)
	if !known {
		return nil, nil
	}
	try := func(name string) {
		for _, end := range w.Held(name).Ends {
			if !slices.Contains(s.met, end) && !strings.HasPrefix(end, "?") {
				strays = append(strays, "1 "+end)
			}
		}
	}
	for _, values := range sets {
		if len(values) == 0 {
			try(s.name)
		}
		for _, v := range values {
			if target := record.Target("MX", v); target != "" && !asked[v] {
				try(target)
			}
		}
	}
	slices.Sort(strays)
	return Machines(s.receives), slices.Compact(strays)
}

// lost gives the senders of a name that may send less than they might, and what was said of them
// and is; held tells whether those alone hear it who hold older answers.
func (k *Watch) lost(s *subject) (before, after []string, held bool) {
	if k.wishes.Silent[s.name] || k.wishes.Policy[s.name] {
		return nil, nil, false
	}
	senders := slices.Sorted(maps.Keys(s.senders))
	for _, with := range []bool{false, true} {
		if with && !k.world.HoldsAny() {
			break
		}
		for _, sender := range senders {
			was := s.senders[sender]
			if with {
				was = s.doubted[sender]
			}
			if now := k.world.allowsAtLeast(s.name, sender, with); now < was {
				before = append(before, fmt.Sprintf("%s %s", sender, was))
				after = append(after, fmt.Sprintf("%s %s", sender, now))
			}
		}
		if len(before) > 0 {
			return before, after, with
		}
	}
	return nil, nil, false
}

// door looks where a host leads: somewhere, and to nobody who was not told of it, whoever asks and
// whatever they hold.
func (k *Watch) door(s *subject, broke func(BreakKind, []string, []string) []Break) []Break {
	w := k.world
	lead := w.Lead(s.name)
	if len(s.before) > 0 && len(lead.Ends) == 0 {
		return broke(DoorDark, s.before, nil)
	}
	h, err := web.ParseHost(s.name)
	if err != nil {
		return nil
	}
	if kind, who := k.faulty(lead, h); kind != RowUnfit {
		return broke(kind, s.before, who)
	}
	if !w.HoldsAny() {
		return nil
	}
	held := w.Held(s.name)
	if len(s.before) > 0 && held.Dark {
		return k.held(broke(DoorDark, s.before, nil))
	}
	if kind, who := k.faulty(held, h); kind != RowUnfit {
		return k.held(broke(kind, s.before, who))
	}
	return nil
}

// faulty gives what is wrong with where a host leads, and the carriers concerned; RowUnfit where
// nothing is.
func (k *Watch) faulty(lead Lead, h web.Host) (BreakKind, []string) {
	w, host := k.world, h.String()
	for _, who := range w.carriersAt(lead) {
		if slices.ContainsFunc(who, func(c string) bool {
			return w.told[c] != nil && w.told[c].Meets[host]
		}) {
			continue // as it is today
		}
		known := slices.IndexFunc(who, func(c string) bool {
			return w.Knows(c, h) || k.wishes.Late[c]
		})
		switch {
		case known < 0 && k.wishes.Dark[host]:
		case known < 0 && slices.ContainsFunc(who, func(c string) bool {
			return w.told[c] != nil && w.told[c].Gave[host]
		}):
			if lead.Past { // those who ask the previous name servers meet the network as it was
				continue
			}
			return Abandoned, who
		case known < 0:
			return Untold, who
		case k.wishes.Certify != nil && k.wishes.Certify(who[known], host) &&
			!w.Certified(who[known], host):
			return Uncertified, who[known : known+1]
		}
	}
	return RowUnfit, nil
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
