package proof

import (
	"context"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// parameters is what is known of a query.
type parameters struct {
	fixed  map[string][]rule.Part // by key in normal form
	absent map[string]bool        // keys that are surely not there
	open   bool                   // others may be there, as the visitor wrote them
}

func (q parameters) clone() parameters {
	c := parameters{map[string][]rule.Part{}, map[string]bool{}, q.open}
	for k, v := range q.fixed {
		c.fixed[k] = v
	}
	for k := range q.absent {
		c.absent[k] = true
	}
	return c
}

func (q parameters) through(b binding) parameters {
	c := q.clone()
	for k, v := range c.fixed {
		c.fixed[k] = with(v, b)
	}
	return c
}

// conditions gives what is known to be asked.
func (q parameters) conditions() []rule.Condition {
	var all []rule.Condition
	for k, v := range q.fixed {
		all = append(all, rule.Condition{Key: k, Parts: v})
	}
	return all
}

// key gives all that is known of a query, as a text.
func (q parameters) key() string {
	all := make([]string, 0, len(q.fixed)+len(q.absent))
	for k, v := range q.fixed {
		all = append(all, k+"="+text(v))
	}
	for k := range q.absent {
		all = append(all, k)
	}
	slices.Sort(all)
	if q.open {
		all = append(all, "and others")
	}
	return strings.Join(all, "&")
}

// size is how much there is to copy of what is known of a query.
func (s *state) size() int { return len(s.query.fixed) + len(s.query.absent) + len(s.asked) }

// state is a set of URLs on the way: all those of a template at a door, and from which entries they
// come.
//
// A worked example, with the rules
//
//	old.example/{a}-{b}         /pair/{a}/{b}
//	old.example/find?q={q}      /search/{q}
//	old.example/files/{+rest}   /archive/{+rest}
//
// The first takes all paths of the template /X-Y. Captures take the shortest first: of /x-y-z, a is
// x and b is y-z. So X may hold no "-", which is a constraint in the hop's short. The second moves
// q from the query into a path, where it is written otherwise (a slash becomes %2F): the path is
// some text behind /search/, but which q it came from cannot be told from it, so that the state is
// loose. Of the third, rest may be ../y, which browsers resolve: /archive/../y is asked for as /y,
// and the state that goes on there has dots. A visitor who came to /files/a?utm=1 was sent on with
// the query utm=1: that is sent, and what a rule two hops later may still ask for.
type state struct {
	door  web.Door
	path  []rule.Part
	query parameters
	entry []rule.Part            // the path with which a visitor came in
	asked map[string][]rule.Part // what the entry's query has to hold
	first web.Door               // where the visitor came in
	hops  []hop
	avoid []rule.Variant // what more specific rules of this door would have taken
	// the path is one of those of the template, but not tied to the entry any more
	loose  bool
	folded bool   // letters were taken in one case where both are possible
	dots   bool   // a variable holds dots that browsers resolve
	sent   string // the query behind the first hop
}

// hop is one step of a state's way: which case of a door it took, with the paths that others before
// it would have taken.
type hop struct {
	door  web.Door
	path  []rule.Part // before the hop
	query string
	what  string // "rules line 7", or what the door does
	rule  *rule.Rule
	avoid []rule.Variant
	short []constraint // captures take the shortest first
}

// constraint is a text that a pattern must not take.
type constraint struct{ text, pattern []rule.Part }

// outcome is a state at its end.
type outcome struct {
	state
	end  string // what is wrong with it, "" where it arrives
	more bool   // not all ways were looked at
}

// explorer follows sets of URLs through the predicted web.
type explorer struct {
	world              *predict.Prediction
	names              names
	doors              map[web.Door]predict.Treatment
	origins            map[origin]*asked
	spent              int                       // states that were looked at in all
	budget             int                       // states that may still be looked at for one start
	entries, patterned map[web.Door][]rule.Entry // exact rules by path, and patterns
	ofSite             map[*rule.Rule]bool       // the site's own redirects
}

// How long a path may become while it is followed.
const (
	mostParts  = 60
	mostOctets = 3000
)

// How many states are looked at: from one rule; in all; and from one rule where that is used up.
const (
	mostStates  = 1000
	mostInAll   = 300_000
	leastStates = 20
)

// fund lets a number of states be looked at.
func (x *explorer) fund(states int) {
	if x.spent > mostInAll {
		states = leastStates
	}
	x.budget = states
}

func newExplorer(w *predict.Prediction) *explorer {
	x := &explorer{
		world:     w,
		doors:     map[web.Door]predict.Treatment{},
		entries:   map[web.Door][]rule.Entry{},
		patterned: map[web.Door][]rule.Entry{},
		ofSite:    map[*rule.Rule]bool{},
		origins:   map[origin]*asked{},
	}
	x.names.effort = newEffort(len(w.Rules.Rules()))
	for _, e := range x.onSite() {
		x.ofSite[e.Rule] = true
	}
	return x
}

// onSite gives the redirects of the canonical sites themselves.
func (x *explorer) onSite() []rule.Entry {
	var all []rule.Entry
	for _, s := range x.world.Estate.Sites() {
		if p := x.door(s.Canonical); p.Does == predict.Serves {
			all = append(all, p.Rules.All(s.Canonical)...)
		}
	}
	return all
}

func (x *explorer) door(d web.Door) predict.Treatment {
	p, known := x.doors[d]
	if !known {
		p = x.world.Treatment(d)
		x.doors[d] = p
	}
	return p
}

// follow follows a state to all of its ends.
func (x *explorer) follow(s state, emit func(outcome)) {
	x.budget--
	x.spent++
	if x.budget < 0 || !x.names.effort.spend(4+len(s.hops)*(2+len(s.path))+4*s.size()) {
		emit(outcome{s, "", true})
		return
	}
	asks, path := s.query.key(), text(s.path)
	for _, h := range s.hops {
		if h.door == s.door && h.query == asks && text(h.path) == path {
			emit(outcome{s, "loop", false})
			return
		}
	}
	if len(s.hops) > chain.MostHops || len(s.path) > mostParts || len(path) > mostOctets {
		emit(outcome{s, "limit", false}) // the web itself is asked whether it ever ends
		return
	}
	d := x.door(s.door)
	if len(s.hops) > 0 {
		x.exempt(s, d, emit)
	}
	if d.DropsQuery {
		s.query = parameters{fixed: map[string][]rule.Part{}, absent: map[string]bool{}}
	}
	met := s.path
	if d.DropsPath {
		s.path, d.Exempt = root, nil // what is exempt by its own path was seen above
	}
	switch {
	case d.Does == predict.Outside, d.Does == predict.Frames:
		emit(outcome{s, "", false})
	case d.Does == predict.Says: // it is said for the whole door (amiss)
	case d.Does == predict.Refuses:
		emit(outcome{s, "refusal", false})
	case d.Does == predict.Fails:
		emit(outcome{s, "failure", false})
	case d.Does == predict.Serves:
		x.site(s, d, met, emit)
	case d.Does == predict.ToSite:
		x.redirect(s, hop{what: "the site"}, d.Canonical, s.path, s.query, emit)
	case d.Upgrades:
		x.redirect(s, hop{what: "https first"}, web.Door{Scheme: web.HTTPS, Host: s.door.Host}, s.path,
			s.query, emit)
	default:
		x.ruled(s, d, emit)
	}
}

// exempt ends where a hop leads to a path that is never redirected.
func (x *explorer) exempt(s state, d predict.Treatment, emit func(outcome)) {
	for _, prefix := range d.Exempt {
		ways, whole := x.names.meet(s.path, below(prefix).Parts, false)
		if !whole {
			emit(outcome{s, "", true})
		}
		for _, w := range ways {
			emit(outcome{s.bound(w.vars), "exempt", false})
		}
	}
}

// redirect goes on behind a hop.
func (x *explorer) redirect(s state, h hop, to web.Door, path []rule.Part, query parameters,
	emit func(outcome)) {
	h.door, h.path, h.query = s.door, s.path, s.query.key()
	if len(s.hops) == 0 {
		s.sent = query.key()
	}
	s.hops = append(slices.Clone(s.hops), h)
	s.door, s.path, s.query, s.avoid = to, path, query, nil
	x.follow(s, emit)
}

// site goes on at the canonical site: its own redirects, then a page. met is the path as a visitor
// arrives, whatever of it is dropped.
func (x *explorer) site(s state, d predict.Treatment, met []rule.Part, emit func(outcome)) {
	for _, r := range x.byRules(s, d, emit) {
		if d.DropsPath {
			r.path, r.avoid = met, nil
		}
		end := ""
		if path, known := literal(r.path); known && len(s.hops) > 0 {
			u := s.door.URL(path, "")
			if a := x.world.Answer(context.Background(), chain.Ask{URL: u}); a.Status >= 400 {
				end = "dead-end"
			}
		}
		emit(outcome{r, end, false})
	}
}

// literal gives the one path of a template without variables.
func literal(parts []rule.Part) (string, bool) {
	switch {
	case len(parts) == 0:
		return "/", true
	case len(parts) == 1 && !parts[0].IsCapture():
		return parts[0].Literal, true
	}
	return "", false
}

// bound gives the state with variables replaced by what they turned out to be, on its whole way.
func (s state) bound(b binding) state {
	if len(b) == 0 {
		return s
	}
	s.path, s.entry, s.query = with(s.path, b), with(s.entry, b), s.query.through(b)
	s.hops = slices.Clone(s.hops)
	for i := range s.hops {
		s.hops[i].path = with(s.hops[i].path, b)
		if len(s.hops[i].short) > 0 {
			s.hops[i].short = slices.Clone(s.hops[i].short)
		}
		for n := range s.hops[i].short {
			s.hops[i].short[n].text = with(s.hops[i].short[n].text, b)
		}
	}
	asked := map[string][]rule.Part{}
	for k, v := range s.asked {
		asked[k] = with(v, b)
	}
	s.asked = asked
	return s
}

// ruled goes on at a door with rules: the rules that may take a path of the state, then the
// fallback.
func (x *explorer) ruled(s state, d predict.Treatment, emit func(outcome)) {
	rest := []state{s}
	if d.AsksRules() {
		rest = x.byRules(s, d, emit)
	}
	for _, r := range rest {
		x.fallback(r, d, emit)
	}
}

// fallback goes on where no rule takes a path: the root leads to leads-to, and others where the
// domain says.
func (x *explorer) fallback(s state, d predict.Treatment, emit func(outcome)) {
	home := d.Home
	homePath := []rule.Part{{Literal: web.NormalPath(home.Path())}}
	query := s.query
	if home.Query() != "" {
		query = s.query.set(literalQuery(home.Query()))
	}
	s.loose = s.loose || s.folded
	avoid := s.avoid
	roots := d.Paths.Variants([]rule.Part{{Literal: "/"}})
	rooted := false
	for _, root := range roots {
		ways, whole := x.names.meet(s.path, root.Parts, d.Paths.IgnoreCase)
		if !whole {
			emit(outcome{s, "", true})
		}
		for _, w := range ways {
			at := s.bound(w.vars)
			x.redirect(at, hop{what: "the fallback", avoid: avoid}, home.Door(), homePath, query, emit)
			rooted = rooted || w.exactly()
		}
	}
	if rooted {
		return
	}
	rootless := append(slices.Clone(avoid), roots...)
	switch d.Fallback {
	case estate.Gone:
		emit(outcome{s, "", false})
	case estate.Home:
		x.redirect(s, hop{what: "the fallback", avoid: rootless}, home.Door(), homePath, query, emit)
	default:
		base := web.NormalPath(strings.TrimSuffix(home.Path(), "/"))
		path := tidy(append([]rule.Part{{Literal: base}}, s.path...))
		x.redirect(s, hop{what: "the fallback", avoid: rootless}, home.Door(), path, query, emit)
	}
}

func literalQuery(q string) []rule.Condition {
	var all []rule.Condition
	for p := range strings.SplitSeq(q, "&") {
		key, value, _ := strings.Cut(p, "=")
		c := rule.Condition{Key: web.NormalQuery(key)}
		if value != "" {
			c.Parts = []rule.Part{{Literal: web.NormalQuery(value)}}
		}
		all = append(all, c)
	}
	return all
}

// set gives a query in which parameters stand that a target sets itself.
func (q parameters) set(all []rule.Condition) parameters {
	c := q.clone()
	done := map[string]bool{}
	for _, p := range all {
		if !done[p.Key] {
			c.fixed[p.Key] = p.Parts
			delete(c.absent, p.Key)
			done[p.Key] = true
		}
	}
	return c
}
