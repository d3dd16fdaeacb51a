package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/store"
)

// visitorOptions says as whom to go through the doors.
type visitorOptions struct {
	as        []string
	returning string
	preloaded string
	origin    string
}

func (o *visitorOptions) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringSliceVar(
		&o.as,
		"as",
		nil,
		"also visit as `KIND` and report differences: phone or search-robot (repeatable)",
	)
	o.returningFlag(c)
	f.StringVar(
		&o.preloaded,
		"preloaded",
		"",
		"hosts that browsers preload: a `FILE` with one a line, + before it for those below too, or "+
			"browsers' own JSON",
	)
}

func (o *visitorOptions) returningFlag(c *cobra.Command) {
	c.Flags().StringVar(
		&o.returning,
		"returning",
		"",
		"also visit as a browser that remembers an earlier `VISIT`: audit, survey, audit:3, or its "+
			"JSON file",
	)
}

// The kinds of visitors, and what each sends as its User-Agent, in which sites look for such words.
var kinds = map[string]struct{ says, agent string }{
	"phone": {"as a phone",
		"Mozilla/5.0 (Linux; Android 14; Phone) AppleWebKit/537.36 (KHTML, like Gecko) " +
			"Chrome/140.0.0.0 Mobile Safari/537.36"},
	"search-robot": {"as a search robot",
		"Mozilla/5.0 (compatible; Googlebot/2.1; +http://www.google.com/bot.html)"},
}

// crowd is everybody who goes through the doors, each from a vantage.
type crowd struct {
	webs     []*live.Client // a visitor each; the first is the one that everything else is asked from
	visitors []chain.Visitor
	memory   *chain.Memory   // of one more, who comes back; nil: nobody does
	said     func() []string // what else is to be said of where they look; nil: nothing

	entries, differ int // how many were followed, and on how many not all went the same way
	unseen          int // how many not all could follow
}

// several reports whether more than one visitor goes there.
func (o *visitorOptions) several(v *vantageOptions) bool {
	return len(o.as) > 0 || o.returning != "" || o.preloaded != "" || strings.Contains(v.from, ",")
}

// open makes the webs of all vantages and kinds of visitors. The estate may be nil.
func (o *visitorOptions) open(ctx context.Context, v *vantageOptions, e *files.Estate) (*crowd,
	error) {
	c := &crowd{}
	for _, k := range o.as {
		if _, known := kinds[k]; !known {
			return nil, usage("--as %s: expected phone or search-robot", k)
		}
	}
	places := strings.Split(v.from, ",")
	for i, from := range places {
		one := *v
		if one.from = strings.TrimSpace(from); one.from == "" && len(places) > 1 {
			return nil, usage("--from %s: an empty name between commas", v.from)
		}
		if slices.Contains(places[:i], from) {
			return nil, usage("--from %s: %s appears twice", v.from, from)
		}
		vantage, err := one.vantage(e)
		if err != nil {
			return nil, errors.Join(err, c.close())
		}
		name := ""
		if len(places) > 1 {
			name = "from " + strings.TrimPrefix(vantage.Name, "vantage ")
			if slices.ContainsFunc(c.visitors, func(v chain.Visitor) bool { return v.Name == name }) {
				name, vantage.Name = "from "+from, from // another file of that name
			}
		}
		if err := c.add(vantage, name); err != nil {
			return nil, errors.Join(err, c.close())
		}
		for _, k := range o.as {
			vantage.Agent, vantage.As = kinds[k].agent, k
			if err := c.add(vantage, strings.TrimSpace(name+" "+kinds[k].says)); err != nil {
				return nil, errors.Join(err, c.close())
			}
		}
	}
	if len(c.visitors) > 1 && c.visitors[0].Name == "" {
		c.visitors[0].Name = "as a browser"
	}
	var err error
	if c.memory, err = o.remembers(ctx, e); err != nil {
		return nil, errors.Join(err, c.close())
	}
	c.returns()
	return c, nil
}

func (c *crowd) add(v live.Vantage, name string) error {
	w, err := live.New(v)
	if err != nil {
		return err
	}
	c.webs = append(c.webs, w)
	c.visitors = append(c.visitors, chain.Visitor{Name: name, Asker: w, Asks: v.As})
	return nil
}

func (c *crowd) first() *live.Client { return c.webs[0] }

// close drops the connections of all.
func (c *crowd) close() error {
	for _, w := range c.webs {
		w.Close()
	}
	return nil
}

// from says from where it was looked.
func (c *crowd) from() string {
	var names []string
	for _, w := range c.webs {
		if name := w.Vantage().Name; !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

// notes says what these vantages cannot see, and what was looked at beside the fresh browser.
func (c *crowd) notes() []string {
	var all []string
	for i, w := range c.webs {
		for _, n := range w.Notes() {
			if len(c.webs) > 1 && c.visitors[i].Name != "" {
				n = c.visitors[i].Name + ": " + n
			}
			if !slices.Contains(all, n) {
				all = append(all, n)
			}
		}
		if i > 0 && w.Broken() != nil {
			all = append(all, fmt.Sprintf("Nothing could be seen %s: %s.", c.visitors[i].Name, w.Broken()))
		}
	}
	if len(c.webs) > 1 {
		var names []string
		for _, v := range c.visitors[:len(c.webs)] {
			names = append(names, v.Name)
		}
		says := fmt.Sprintf("Visited %s: all went the same way on %d of %s", strings.Join(names, ", "),
			c.entries-c.differ-c.unseen, wording.Count(c.entries, "URL"))
		if c.unseen > 0 {
			says += fmt.Sprintf("; %d could not be followed by all", c.unseen)
		}
		all = append(all, says+".")
	}
	if c.said != nil {
		all = append(all, c.said()...)
	}
	if c.memory != nil {
		redirects, hosts := c.memory.Count()
		all = append(
			all,
			fmt.Sprintf("The returning browser remembered %s and %s with HSTS.",
				wording.Count(redirects, "redirect"),
				wording.Count(hosts, "host")),
		)
	}
	return all
}

// broken is the error of the vantages where none of them sees anything.
func (c *crowd) broken() error {
	var first error
	for _, w := range c.webs {
		err := w.Broken()
		if err == nil {
			return nil
		}
		first = cmp.Or(first, err)
	}
	return first
}

// judged makes of what the visitors met at an entry the chains that are worth showing.
func (c *crowd) judged(all []chain.Chain, judge chain.Judge, goal chain.Goal) []chain.Chain {
	for i := range all {
		judge.Chain(&all[i], goal)
	}
	if len(all) == 1 {
		return all
	}
	c.entries++
	if c.memory == nil {
		return c.counted(chain.Join(c.visitors, all))
	}
	last := len(all) - 1
	again := all[last]
	again.Findings = again.Findings[:0]
	c.memory.JudgeReturning(&all[0], &again, c.first().Now())
	ways := c.counted(chain.Join(c.visitors[:last], all[:last]))
	if len(again.Findings) > 0 {
		again.SeenBy = []string{c.visitors[last].Name}
		ways = append(ways, again)
	}
	return ways
}

// judging gives what judges the chains of an entry side by side, and what takes them in their order
// then: of one visitor judging needs nothing else; where there are several, what they met is joined
// in order.
func (c *crowd) judging(by func(web.URL) (chain.Judge, chain.Goal)) (
	beside func([]chain.Chain), inOrder func([]chain.Chain) []chain.Chain,
) {
	if len(c.visitors) == 1 {
		return func(all []chain.Chain) {
			judge, goal := by(all[0].Entry)
			judge.Chain(&all[0], goal)
		}, func(all []chain.Chain) []chain.Chain { return all }
	}
	return nil, func(all []chain.Chain) []chain.Chain {
		judge, goal := by(all[0].Entry)
		return c.judged(all, judge, goal)
	}
}

// counted counts whether all went the same way.
func (c *crowd) counted(ways []chain.Chain) []chain.Chain {
	switch {
	case len(ways) == 1:
	case slices.ContainsFunc(ways, func(w chain.Chain) bool {
		return w.Last().Refusal == chain.Unseen
	}):
		c.unseen++
	default:
		c.differ++
	}
	return ways
}

// remembers gives the memory of a browser that was there before; nil where none is wanted.
func (o *visitorOptions) remembers(ctx context.Context, e *files.Estate) (*chain.Memory, error) {
	if o.returning == "" && o.preloaded == "" {
		return nil, nil
	}
	m := &chain.Memory{}
	if o.preloaded != "" {
		if err := readPreloaded(o.preloaded, m.Preload); err != nil {
			return nil, ended{exitUsage, err}
		}
	}
	if o.returning == "" {
		return m, nil
	}
	chains, err := o.earlier(ctx, e)
	if err != nil {
		return nil, err
	}
	for i := range chains {
		m.Visit(&chains[i].chain, chains[i].at)
	}
	return m, nil
}

// visited is a chain that was gone before, and when.
type visited struct {
	chain chain.Chain
	at    time.Time
}

// earlier gives the chains of an earlier audit or survey.
func (o *visitorOptions) earlier(ctx context.Context, e *files.Estate) ([]visited, error) {
	what, number, numbered := strings.Cut(o.returning, ":")
	if what != "audit" && what != "survey" {
		data, err := files.Read(o.returning, files.MostJSON)
		if err != nil {
			return nil, usage(
				"--returning %s: it is neither audit nor survey, nor a readable file; expected one of them, "+
					"perhaps with a number as in audit:3, or a JSON file",
				o.returning,
			)
		}
		return visitsIn(o.returning, data)
	}
	if e == nil {
		return nil,
			usage("--returning %s: no estate file here, beside which it would be saved; name its JSON file",
				o.returning)
	}
	id := int64(0)
	if numbered {
		var err error
		if id, err = strconv.ParseInt(number, 10, 64); err != nil || id < 1 {
			return nil,
				usage("--returning %s: expected a number after the colon, as in %s:3", o.returning, what)
		}
	}
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return nil, storeFailed(err)
	}
	defer s.Close()
	if what == "audit" {
		if id > 0 {
			a, err := s.Get(ctx, id)
			if errors.Is(err, store.ErrEmpty) {
				return nil, usage("--returning %s: no such audit; upperpath report --list shows the saved ones",
					o.returning)
			}
			if err != nil {
				return nil, notOurs(err, "audit")
			}
			return auditVisits(a), nil
		}
		all, _, err := s.LatestAudits(ctx, 0, untilWhole())
		if err != nil {
			return nil, storeFailed(err)
		}
		j := chain.Latest(all, "", nil)
		if len(j.From) == 0 {
			return nil, usage("--returning %s: no audit is saved; upperpath audit makes one", o.returning)
		}
		var visits []visited
		for _, c := range j.Audit.Chains {
			visits = append(visits, visited{c, j.Seen[c.Key()]})
		}
		return visits, nil
	}
	if id == 0 {
		kept, err := s.ListSurveys(ctx)
		if err != nil {
			return nil, storeFailed(err)
		}
		if len(kept) == 0 {
			return nil, usage("--returning survey: no survey is saved; upperpath survey makes one")
		}
		id = kept[0].ID
	}
	v, err := oneSurvey(ctx, s, id)
	if err != nil {
		return nil, err
	}
	return surveyVisits(v), nil
}

func auditVisits(a *chain.Audit) []visited {
	var all []visited
	for _, c := range a.Chains {
		all = append(all, visited{c, a.Started})
	}
	return all
}

func surveyVisits(v *survey.Survey) []visited {
	var all []visited
	for _, d := range v.Domains {
		at := v.Started
		if !d.Looked.IsZero() {
			at = d.Looked
		}
		for _, c := range d.Chains {
			all = append(all, visited{c, at})
		}
	}
	return all
}

// visitsIn reads an audit, a look or a survey from JSON.
func visitsIn(path string, data []byte) ([]visited, error) {
	var kind struct {
		Schema string `json:"schema"`
	}
	fail := func(err error) error {
		return usage("--returning %s: it cannot be read: %w; expected the JSON of an audit, a look or "+
			"a survey", path, err)
	}
	if err := json.Unmarshal(data, &kind); err != nil {
		return nil, fail(err)
	}
	if kind.Schema == survey.Schema {
		var v survey.Survey
		if err := json.Unmarshal(data, &v); err != nil {
			return nil, fail(err)
		}
		if err := v.Check(); err != nil {
			return nil, fail(err)
		}
		return surveyVisits(&v), nil
	}
	var a chain.Audit
	if err := json.Unmarshal(data, &a); err != nil {
		return nil, fail(err)
	}
	if err := a.Check(); err != nil {
		return nil, fail(err)
	}
	return auditVisits(&a), nil
}

// readPreloaded reads a list of hosts that browsers come with: one a line, with a plus before it
// for those below it too, or the JSON in which browsers keep theirs.
func readPreloaded(path string, take func(h web.Host, below bool)) error {
	data, err := files.Read(path, files.MostConfig)
	if err != nil {
		return fmt.Errorf("--preloaded %s: it cannot be read; check the name", path)
	}
	if bytes.Contains(data, []byte(`"entries"`)) {
		return preloadedJSON(path, data, take)
	}
	var wrong error
	lines := bufio.NewScanner(bytes.NewReader(data))
	for n := 1; lines.Scan(); n++ {
		text, _, _ := strings.Cut(lines.Text(), "#")
		text = strings.TrimSpace(text)
		if text == "" {
			continue
		}
		name, below := strings.CutPrefix(text, "+")
		h, err := web.ParseHost(strings.TrimSpace(name))
		if err != nil {
			wrong = errors.Join(wrong, fmt.Errorf("%s, line %d: %w", path, n, err))
			continue
		}
		take(h, below)
	}
	return errors.Join(wrong, lines.Err())
}

func preloadedJSON(path string, data []byte, take func(h web.Host, below bool)) error {
	var kept []byte // lines that are comments are left out
	for line := range bytes.Lines(data) {
		if !bytes.HasPrefix(bytes.TrimSpace(line), []byte("//")) {
			kept = append(kept, line...)
		}
	}
	var list struct {
		Entries []struct {
			Name  string `json:"name"`
			Mode  string `json:"mode"`
			Below bool   `json:"include_subdomains"`
		} `json:"entries"`
	}
	if err := json.Unmarshal(kept, &list); err != nil {
		return fmt.Errorf("--preloaded %s: its JSON cannot be read: %w", path, err)
	}
	for _, e := range list.Entries {
		h, err := web.ParseObservedHost(e.Name)
		if err == nil && e.Mode == "force-https" {
			take(h, e.Below)
		}
	}
	return nil
}

// originClue has the origin asked by itself; nil where no address was given.
func (o *visitorOptions) originClue(
	ctx context.Context,
	w *live.Client,
) (func(web.URL) (plain, secure chain.Answer, ok bool), netip.Addr, error) {
	if o.origin == "" {
		return nil, netip.Addr{}, nil
	}
	at, err := netip.ParseAddr(strings.Trim(o.origin, "[]"))
	if err != nil {
		return nil, at, usage("--origin %s: expected an IP address, such as 203.0.113.10", o.origin)
	}
	return func(u web.URL) (plain, secure chain.Answer, ok bool) {
		plain, secure = w.Origin(ctx, u, at)
		return plain, secure, true
	}, at, nil
}
