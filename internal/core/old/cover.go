package old

import (
	"cmp"
	"context"
	"hash/maphash"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// Address is an old URL with its weight.
type Address struct {
	URL    string
	Weight int64
	Method string // POST; "" for GET
}

// Fate is what becomes of an old URL under the plan.
type Fate uint8

// The fates, the best first.
const (
	OwnPage   Fate = iota // a page of its own, which is among those that exist
	Unchecked             // a page of its own, of which nobody has said whether it exists
	Section               // a page on which many old pages arrive
	AtHome                // the home page, which it was not before
	Retired               // gone on purpose: a rule says so
	Fallen                // gone, since no rule takes it and the fallback says so
	Missing               // a page that does not exist, or the site's own "not found"
	Broken                // no page at all: a loop, or nobody answers
	Outside               // it is no URL of the estate, so that the plan says nothing of it
	fates
)

// Fates are all fates, the best first.
func Fates() []Fate {
	all := make([]Fate, fates)
	for i := range all {
		all[i] = Fate(i) // there are few
	}
	return all
}

func (f Fate) String() string {
	return [...]string{"page", "unchecked", "section", "home", "retired", "fallen", "missing",
		"broken", "outside"}[f]
}

// Arrives reports whether somebody who follows the old URL meets a page that took its place, so far
// as is known.
func (f Fate) Arrives() bool { return f <= Unchecked }

// Decided reports whether nothing is left to decide: it arrives, is gone on purpose, or is not the
// plan's.
func (f Fate) Decided() bool { return f.Arrives() || f == Retired || f == Outside }

// By says what leads an old URL to where it ends.
type By uint8

// What leads there.
const (
	ByRule     By = iota // a rule of the redirect map, or of the site itself
	ByRoot               // it is a root, which the estate file leads somewhere
	ByFallback           // no rule takes it
	BySite               // it is a page of the site itself, or of another of its names
	// whoever carries the door answers otherwise than the rules and the fallback say
	ByCarrier
	ByNobody // no door of the estate
)

func (b By) String() string {
	return [...]string{"rule", "root", "fallback", "site", "carrier", "nobody"}[b]
}

// Outcome is what becomes of one old URL.
type Outcome struct {
	Fate Fate
	By   By
	Hops uint8 // redirects taken
	Line int32 // of the rule that takes it; 0: none does
	Long bool  // more redirects than the policy has it
}

// Open reports whether something is left to decide about an old URL: it does not arrive, its
// carrier cannot lead it there, or no rule takes it and nobody knows whether the page of the
// fallback exists.
func (o Outcome) Open() bool {
	return !o.Fate.Decided() || o.By == ByCarrier || o.unruled()
}

func (o Outcome) unruled() bool { return o.Fate == Unchecked && o.By == ByFallback }

// Share is how many old URLs there are of a kind, and what they weigh.
type Share struct {
	URLs   int   `json:"urls"`
	Weight int64 `json:"weight"`
}

func (s *Share) add(weight int64) {
	s.URLs++
	s.Weight = Plus(s.Weight, weight)
}

// Area is what becomes of the old URLs of a domain, or of a section of one.
type Area struct {
	Name  string
	All   Share
	Fates [fates]Share
}

// Open is what is left to decide there.
func (p *Area) Open() Share {
	var s Share
	for f, share := range p.Fates {
		if !Fate(f).Decided() { // there are few
			s.URLs += share.URLs
			s.Weight = Plus(s.Weight, share.Weight)
		}
	}
	return s
}

// Coverage is what becomes of old URLs under the plan.
type Coverage struct {
	Addresses  []Address
	Outcomes   []Outcome // of each address
	Total      Area
	Long       Share // take more redirects than the policy has it
	ByCarrier  Share // are led otherwise than planned, since their carrier cannot do it
	Unruled    Share // no rule takes them, and nobody knows whether the page of the fallback exists
	Domains    []Area
	Sections   []Area
	PagesKnown bool // the pages that exist were named
	Findings   []finding.Finding

	again   *coverer
	oneDoor []oneDoor
}

// oneDoor is an old URL that a rule takes, while its twin goes elsewhere.
type oneDoor struct {
	at   int32
	twin web.URL
	to   place
}

// place is where a URL ends.
type place struct {
	fate    Fate
	by      By
	line    int32
	hops    int
	arrival web.URL
	end     chain.End
	status  int
	rule    *rule.Rule // that takes it
}

// coverer works out what becomes of URLs; each goroutine has its own.
type coverer struct {
	web   *predict.Prediction
	doors map[web.Door]*door
	last  *door // the one that was asked for last: lists are in order, and chains end at one door
	site  *door
	sum   maphash.Hash
}

// door is a door with what is asked of it for every URL.
type door struct {
	predict.Treatment
	limited bool // it may answer otherwise than was planned
}

// Answer is chain.Asker's: the prediction, with doors described once.
func (c *coverer) Answer(_ context.Context, ask chain.Ask) chain.Answer {
	return c.door(ask.URL.Door()).Treatment.Answer(ask.URL)
}

func (c *coverer) door(d web.Door) *door {
	if c.site != nil && c.site.Treatment.Door == d {
		return c.site
	}
	if c.last != nil && c.last.Treatment.Door == d {
		return c.last
	}
	known, is := c.doors[d]
	if !is {
		known = &door{Treatment: c.web.Treatment(d)}
		known.limited = c.web.Forwards(d) &&
			(known.Does != predict.Redirects && known.Carrier != predict.SiteName ||
				known.DropsPath || known.DropsQuery || known.Asked != d ||
				!known.AsksRules() && !known.Upgrades)
		c.doors[d] = known
	}
	if d == c.web.Estate.Canonical {
		c.site = known
	} else {
		c.last = known
	}
	return known
}

// sum is what is kept of each URL until all are known.
type sum struct {
	arrival, page uint64 // where it ends, and what page it is, whatever its door is
	loose         uint64 // the same, whatever the case of its letters and a slash at its end
}

// together is how many URLs one goroutine takes.
const together = 20_000

// isPlain reports whether the text of a URL names scheme and host as they are compared: in small
// letters, without a port that goes without saying.
func isPlain(text string, u web.URL) bool {
	rest, is := strings.CutPrefix(text, string(u.Scheme())+"://")
	if !is {
		return false
	}
	rest, is = strings.CutPrefix(rest, u.Host().String())
	return is && (rest == "" || rest[0] == '/' || rest[0] == '?')
}

// Cover says what becomes of each address under the plan, in memory; each is written there as
// browsers ask for it. step, where it is given, is called once for each, from several goroutines.
func Cover(w *predict.Prediction, all []Address, step func()) *Coverage {
	made := &Coverage{Addresses: all, Outcomes: make([]Outcome, len(all)), PagesKnown: w.KnowsPages(),
		again: &coverer{web: w, doors: map[web.Door]*door{}}}
	sums := make([]sum, len(all))
	parts := (len(all) + together - 1) / together
	found := make([][]oneDoor, parts)
	seed := maphash.MakeSeed()
	var workers crew.Crew
	for part := range parts {
		workers.Go(func() {
			c := &coverer{web: w, doors: map[web.Door]*door{}}
			c.sum.SetSeed(seed)
			for i := part * together; i < min(len(all), (part+1)*together); i++ {
				var one *oneDoor
				made.Outcomes[i], sums[i], one = c.cover(&all[i])
				if one != nil {
					one.at = int32(i) // so many do not fit into memory
					found[part] = append(found[part], *one)
				}
				if step != nil {
					step()
				}
			}
		})
	}
	workers.Wait()
	made.oneDoor = slices.Concat(found...)
	var sorted crew.Crew
	loose := made.loosely(sums)
	sorted.Go(func() { slices.SortFunc(loose, inOrder) })
	made.sections(sums)
	sorted.Wait()
	made.twins(loose)
	made.sumUp()
	made.judge()
	return made
}

// cover says what becomes of one address.
func (c *coverer) cover(a *Address) (Outcome, sum, *oneDoor) {
	u, err := web.ParseURL(a.URL)
	if err != nil {
		return Outcome{Fate: Outside, By: ByNobody}, sum{}, nil
	}
	if !isPlain(a.URL, u) {
		a.URL = u.String()
	}
	p := c.place(u)
	o := Outcome{Fate: p.fate, By: p.by, Hops: uint8(min(p.hops, 255)), Line: p.line} // bounded
	if p.fate == Outside {
		return o, sum{}, nil
	}
	o.Long = p.hops > c.most(u)
	path := web.NormalPath(u.Path())
	query, _ := WithoutTracking(u.Query())
	s := sum{page: c.samePage(u.Host(), path, query),
		loose: c.samePage(u.Host(), loosely(path), query)}
	c.sum.Reset()
	c.write(string(p.arrival.Scheme()), p.arrival.Host().String(), p.arrival.Path(), "?",
		p.arrival.Query())
	s.arrival = c.sum.Sum64()
	return o, s, c.narrow(u, p)
}

// most is how many redirects a URL may take (policy.hops).
func (c *coverer) most(u web.URL) int {
	p := c.web.Estate.Policy
	n := p.Hops
	if p.Upgrade == estate.SameHostFirst && u.Scheme() == web.HTTP && !c.web.Estate.Serves(u.Host()) {
		n++
	}
	return n
}

func (c *coverer) write(parts ...string) {
	for _, p := range parts {
		_, _ = c.sum.WriteString(p) // it gives no error
	}
}

// samePage tells addresses apart, whatever their scheme, their www and what follows visitors.
func (c *coverer) samePage(h web.Host, path, query string) uint64 {
	c.sum.Reset()
	c.write(strings.TrimPrefix(h.String(), "www."), path, "?", web.NormalQuery(query))
	return c.sum.Sum64()
}

// loosely gives a path whatever the case of its letters and a slash at its end.
func loosely(path string) string { return strings.ToLower(strings.TrimSuffix(path, "/")) }

// place follows a URL to its end.
func (c *coverer) place(u web.URL) place {
	first := c.door(u.Door())
	if !c.web.Forwards(u.Door()) && !c.web.Estate.IsCanonical(u.Door()) {
		return place{fate: Outside, by: ByNobody}
	}
	way := chain.Follow(context.Background(), c, chain.Ask{URL: u}, chain.Asked)
	last := &way.Hops[len(way.Hops)-1]
	p := place{hops: way.Redirects(), arrival: way.Arrival, end: way.End, status: last.Status}
	root := first.Paths.IsRoot(web.NormalPath(u.Path()))
	if p.by, p.rule = c.by(u, first, root); p.rule != nil {
		p.line = int32(p.rule.Line) // lines are fewer
	}
	switch {
	case way.End != chain.Page:
		p.fate = Broken
	case last.Status == rule.Gone && p.by == ByRule:
		p.fate = Retired
	case last.Status == rule.Gone:
		p.fate = Fallen
	case last.Status >= 500:
		p.fate = Broken
	case last.Status >= 400:
		p.fate = Missing
	case !c.web.Estate.IsCanonical(p.arrival.Door()) &&
		c.door(p.arrival.Door()).Does == predict.Frames:
		p.fate = Broken // a page of the carrier's own
	case !root && c.isHome(p.arrival):
		p.fate = AtHome
	case c.web.Estate.IsCanonical(p.arrival.Door()) && c.web.KnowsPages():
		p.fate = OwnPage
	default:
		p.fate = Unchecked
	}
	if first.limited && !c.asPlanned(u, p) {
		p.by = ByCarrier
	}
	return p
}

// isHome reports whether a URL is the home page of the site.
func (c *coverer) isHome(u web.URL) bool {
	return c.web.Estate.IsCanonical(u.Door()) && u.Path() == "/"
}

// by says what takes a URL at its door, and the rule where one does.
func (c *coverer) by(u web.URL, d *door, root bool) (By, *rule.Rule) {
	if d.Upgrades { // the rules are asked at the next door
		d = c.door(web.Door{Scheme: web.HTTPS, Host: u.Host()})
	}
	if m, takes := d.Rule(u.At(d.Treatment.Door)); takes {
		return ByRule, m.Rule
	}
	switch {
	case d.Carrier == predict.SiteName:
		return BySite, nil
	case d.Does != predict.Redirects && d.Does != predict.ToSite:
		return ByCarrier, nil
	case root:
		return ByRoot, nil
	}
	return ByFallback, nil
}

// asPlanned reports whether a URL ends where it would if no carrier were limited.
func (c *coverer) asPlanned(u web.URL, p place) bool {
	goal := c.web.Goal(u)
	if goal.Gone {
		return p.status == rule.Gone
	}
	return p.end == chain.Page && p.status < 500 && p.arrival.Door() == goal.Target.Door() &&
		web.NormalPath(p.arrival.Path()) == web.NormalPath(goal.Target.Path())
}

// narrow looks at the twins of a URL that a rule leads to its page: by the other scheme, at the www
// or the apex, and without or with what follows visitors. It gives one that no rule takes and that
// meets something worse.
func (c *coverer) narrow(u web.URL, p place) *oneDoor {
	if p.by != ByRule || p.fate != OwnPage && p.fate != Unchecked {
		return nil
	}
	r := p.rule
	names := r.Old.Scheme != "" || !r.Old.Host.IsApex()
	tracked := slices.ContainsFunc(r.Old.Query, func(q rule.Condition) bool { return Tracks(q.Key) })
	if !names && !tracked {
		return nil
	}
	var twins []web.URL
	for _, h := range hostsOf(u.Host()) {
		for _, d := range web.Doors(h) {
			if d != u.Door() && c.web.Forwards(d) {
				twins = append(twins, u.At(d))
			}
		}
	}
	if query, tracking := WithoutTracking(u.Query()); tracking && tracked {
		twins = append(twins, u.Door().URL(u.Path(), query))
	}
	for _, twin := range twins {
		if to := c.place(twin); to.line != p.line && to.fate > Unchecked && to.fate != Retired &&
			to.by != ByCarrier {
			return &oneDoor{twin: twin, to: to}
		}
	}
	return nil
}

// hostsOf gives a host, and its www or its apex where it has one.
func hostsOf(h web.Host) []web.Host {
	if h.IsApex() {
		return []web.Host{h, h.WWW()}
	}
	if bare, is := strings.CutPrefix(h.String(), "www."); is {
		if apex, err := web.ParseHost(bare); err == nil && apex.IsApex() {
			return []web.Host{h, apex}
		}
	}
	return []web.Host{h}
}

// pair is two hashes of an address, to be put in order.
type pair struct {
	first, second uint64
	at            int32
}

func inOrder(a, b pair) int {
	return cmp.Or(cmp.Compare(a.first, b.first), cmp.Compare(a.second, b.second),
		cmp.Compare(a.at, b.at))
}

// sections finds the pages on which many old pages arrive.
func (c *Coverage) sections(sums []sum) {
	all := make([]pair, 0, len(sums))
	for i, o := range c.Outcomes {
		if o.Fate.Arrives() && o.By != ByRoot && o.By != BySite {
			// so many do not fit into memory
			all = append(all, pair{sums[i].arrival, sums[i].page, int32(i)})
		}
	}
	slices.SortFunc(all, inOrder)
	eachGroup(all, func(group []pair) {
		pages := 1
		for i := 1; i < len(group); i++ {
			if group[i].second != group[i-1].second {
				pages++
			}
		}
		if pages >= chain.LeastMany {
			for _, p := range group {
				c.Outcomes[p.at].Fate = Section
			}
		}
	})
}

// eachGroup calls a function for all that lie together by their first hash.
func eachGroup(all []pair, each func([]pair)) {
	for from := 0; from < len(all); {
		to := from + 1
		for to < len(all) && all[to].first == all[from].first {
			to++
		}
		each(all[from:to])
		from = to
	}
}

// loosely gives the addresses with what they are, whatever their door, the case of their letters
// and a slash at the end.
func (c *Coverage) loosely(sums []sum) []pair {
	all := make([]pair, 0, len(sums))
	for i, o := range c.Outcomes {
		if o.Fate != Outside && o.By != ByCarrier {
			all = append(all, pair{sums[i].loose, 0, int32(i)}) // so many do not fit into memory
		}
	}
	return all
}

// twins looks for old URLs that differ from one that a rule leads to its page in a slash, in case,
// or in their door, and meet something worse.
func (c *Coverage) twins(all []pair) {
	known := map[int32]bool{}
	for _, o := range c.oneDoor {
		known[o.at] = true
	}
	eachGroup(all, func(group []pair) {
		if len(group) == 1 {
			return
		}
		good, bad := int32(-1), int32(-1)
		for _, p := range group {
			switch o := c.Outcomes[p.at]; {
			case o.By == ByRule && o.Fate.Arrives() && good < 0:
				good = p.at
			case !o.Fate.Decided() && (bad < 0 || c.Addresses[p.at].Weight > c.Addresses[bad].Weight):
				bad = p.at
			}
		}
		if good < 0 || bad < 0 || known[good] || c.Outcomes[good].Line == c.Outcomes[bad].Line {
			return
		}
		u, err := web.ParseURL(c.Addresses[bad].URL)
		if err != nil {
			return
		}
		c.oneDoor = append(c.oneDoor, oneDoor{good, u, c.again.place(u)})
	})
}

// sumUp adds all up: in all, by domain, by section.
func (c *Coverage) sumUp() {
	domains, sections := map[string]*Area{}, map[string]*Area{}
	for i, a := range c.Addresses {
		o := c.Outcomes[i]
		c.Total.add(o.Fate, a.Weight)
		if o.Long {
			c.Long.add(a.Weight)
		}
		if o.By == ByCarrier {
			c.ByCarrier.add(a.Weight)
		}
		if o.unruled() {
			c.Unruled.add(a.Weight)
		}
		if o.Fate == Outside {
			continue
		}
		domain, section := c.partsOf(a.URL)
		count(domains, domain, o.Fate, a.Weight)
		count(sections, section, o.Fate, a.Weight)
	}
	c.Domains, c.Sections = heaviest(domains), heaviest(sections)
}

func count(all map[string]*Area, name string, f Fate, weight int64) {
	p := all[name]
	if p == nil {
		p = &Area{Name: strings.Clone(name)}
		all[name] = p
	}
	p.add(f, weight)
}

func (p *Area) add(f Fate, weight int64) {
	p.All.add(weight)
	p.Fates[f].add(weight)
}

// partsOf gives the domain of an old URL, and its section: the domain with the first folder of the
// path.
func (c *Coverage) partsOf(address string) (domain, section string) {
	_, rest, _ := strings.Cut(address, "://")
	host, path, _ := strings.Cut(rest, "/")
	host, _, _ = strings.Cut(host, "?")
	domain = strings.TrimPrefix(host, "www.")
	if folder, _, below := strings.Cut(path, "/"); below && !strings.ContainsAny(folder, "?") {
		return domain, domain + "/" + folder + "/"
	}
	return domain, domain + "/"
}

// heaviest puts parts in order: what weighs most of what is left to decide first, then what weighs
// most.
func heaviest(all map[string]*Area) []Area {
	parts := make([]Area, 0, len(all))
	for _, p := range all {
		parts = append(parts, *p)
	}
	slices.SortFunc(parts, func(a, b Area) int {
		x, y := a.Open(), b.Open()
		return cmp.Or(cmp.Compare(y.Weight, x.Weight), cmp.Compare(y.URLs, x.URLs),
			cmp.Compare(b.All.Weight, a.All.Weight),
			cmp.Compare(a.Name, b.Name))
	})
	return parts
}

// End says where an old URL ends: the URL, how, and the status of its answer; "" for one that is
// not of the estate. It is for one goroutine at a time.
func (c *Coverage) End(i int) (arrival string, end chain.End, status int) {
	u, err := web.ParseURL(c.Addresses[i].URL)
	if err != nil || c.Outcomes[i].Fate == Outside {
		return "", "", 0
	}
	p := c.again.place(u)
	return p.arrival.String(), p.end, p.status
}

// Heaviest gives the places of the addresses with one of some fates, the heaviest first; all of
// them where most is 0.
func (c *Coverage) Heaviest(which func(Outcome) bool, most int) []int {
	var all []int
	for i := range c.Addresses {
		if which(c.Outcomes[i]) {
			all = append(all, i)
		}
	}
	slices.SortStableFunc(all, func(x, y int) int {
		return cmp.Compare(c.Addresses[y].Weight, c.Addresses[x].Weight)
	})
	if most > 0 && len(all) > most {
		all = all[:most]
	}
	return all
}

// Row is a line of the sheet on which is decided what becomes of old URLs.
type Row struct {
	Old     string // as it stands in a rule that takes it by all of its doors
	Weight  int64  // of all of its doors
	Example int    // the heaviest of them
}

// Sheet gives what is left to decide, the heaviest first: addresses that a rule for all doors takes
// are one.
func (c *Coverage) Sheet() []Row {
	places := map[string]int{}
	var rows []Row
	for i, a := range c.Addresses {
		if !c.Outcomes[i].Open() {
			continue
		}
		u, err := web.ParseURL(a.URL)
		if err != nil || c.Outcomes[i].Fate == Outside {
			continue
		}
		query, _ := WithoutTracking(u.Query())
		key := Wide(u.Door().URL(u.Path(), query).String(), c.again.web.Estate.Serves)
		at, known := places[key]
		if !known {
			at = len(rows)
			places[key] = at
			rows = append(rows, Row{Old: strings.ReplaceAll(key, "*", "%2A"), Example: i})
		}
		rows[at].Weight = Plus(rows[at].Weight, a.Weight)
		if a.Weight > c.Addresses[rows[at].Example].Weight {
			rows[at].Example = i
		}
	}
	slices.SortStableFunc(rows, func(a, b Row) int { return cmp.Compare(b.Weight, a.Weight) })
	return rows
}
