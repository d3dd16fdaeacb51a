// Package signoff answers one question about an estate from all that is known of it: can this go
// live, is it done, does it stay so? It joins what audits, surveys, old URLs and the plan say, each
// with when it was seen and what was not looked at. What nobody looked at is never fine.
//
//	known := signoff.Known{Plan: plan, Audit: joined, Survey: newest, Now: now}
//	s := signoff.Of(known, signoff.Before)
//	s.Answer // yes, no, or unknown
package signoff

import (
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Kind is which question is asked.
type Kind string

// The questions.
const (
	Before  Kind = "before"  // can this go live?
	After   Kind = "after"   // is it done?
	Monthly Kind = "monthly" // does it stay so?
)

// Kinds are all questions, in the order of the job.
var Kinds = []Kind{Before, After, Monthly}

// State is how something is; a greater one is worse.
type State uint8

// The states.
const (
	Fine   State = iota
	Warned       // it works, but not as it should
	Unseen       // not all of it was looked at
	Failing
)

// Subject is what a check is about.
type Subject string

// The subjects, in the order in which they are shown.
const (
	Registrations Subject = "registrations"
	Plan          Subject = "plan"
	EveryURL      Subject = "every-url" // what is proved of the plan
	Doors         Subject = "doors"
	OldURLs       Subject = "old-urls"
	Certificates  Subject = "certificates"
	Mail          Subject = "mail"
	HSTS          Subject = "hsts"
	Robots        Subject = "robots"
	Steps         Subject = "steps"
	News          Subject = "news"
)

// Check is what is known of one subject.
type Check struct {
	Of       Subject
	State    State
	Good     int       // how many are as they should be
	All      int       // how many there are
	Part     float64   // of old URLs: which part of the weight, from 0 to 1
	From, To time.Time // when it was seen; the zero time: it was not
	Missing  []string  // what was not looked at, or could not be seen
	Findings []finding.Finding
	// whether it was worked out, and not seen
	Predicted bool
	// whether what it shows stands in the way of what is asked
	Matters bool
}

// Answer is the answer to the question.
type Answer uint8

// The answers.
const (
	Yes Answer = iota
	Unknown
	No
)

// Runs is how old URLs fared that were followed in the real web.
type Runs struct {
	Started time.Time
	Source  string
	Part    string // of the list that was followed: a wave or a domain; "": all
	Total   int    // in the list, or the part
	Areas   []old.MetArea
}

// Known is all that is known; what is not is nil.
type Known struct {
	Plan     *plan.Plan
	Audit    *chain.Joined
	Survey   *survey.Survey // the newest look at each domain
	Runs     *Runs
	Coverage *old.Coverage // of old URLs under the plan
	Book     *runbook.Book
	Proof    *proof.Proof // of the plan
	// how many lines of news there are, as against what was accepted; Compared says that there was
	// something to compare with
	News     int
	Compared bool
	Now      time.Time
}

// Sheet is the answer with what it rests on.
type Sheet struct {
	Kind   Kind
	Answer Answer
	Checks []Check
}

// Of answers a question.
func Of(k Known, kind Kind) Sheet {
	s := Sheet{Kind: kind}
	w := work{k, kind}
	s.Checks = append(s.Checks, w.registrations())
	if kind == Before {
		s.Checks = append(s.Checks, w.plan(), w.everyURL())
	}
	s.Checks = append(s.Checks, w.doors(), w.oldURLs(), w.certificates(), w.mail(), w.hsts(),
		w.robots())
	if kind == After {
		s.Checks = append(s.Checks, w.steps())
	}
	if kind == Monthly {
		s.Checks = append(s.Checks, w.news())
	}
	for i := range s.Checks {
		c := &s.Checks[i]
		c.Matters = c.Matters && c.State > Warned
		switch {
		case !c.Matters:
		case c.State == Failing:
			s.Answer = No
		case s.Answer == Yes:
			s.Answer = Unknown
		}
	}
	return s
}

// Stands gives the checks that stand in the way, what fails first.
func (s *Sheet) Stands() []Check {
	var all []Check
	for _, c := range s.Checks {
		if c.Matters {
			all = append(all, c)
		}
	}
	slices.SortStableFunc(all, func(a, b Check) int { return int(b.State) - int(a.State) })
	return all
}

// Missing gives what was not looked at, by subject.
func (s *Sheet) Missing() []Check {
	return slices.DeleteFunc(slices.Clone(s.Checks), func(c Check) bool { return len(c.Missing) == 0 })
}

// work is what a sheet is made of.
type work struct {
	Known
	kind Kind
}

// domains gives the names of the estate's domains that are not to be left alone.
func (w *work) domains() []string {
	var all []string
	switch {
	case w.Plan != nil:
		for _, d := range w.Plan.Estate.Domains {
			if d.State != estate.Leave {
				all = append(all, d.Name.String())
			}
		}
	case w.Survey != nil:
		for _, d := range w.Survey.Domains {
			all = append(all, d.Name)
		}
	}
	return all
}

// seen widens the time in which something was seen.
func (c *Check) seen(at time.Time) {
	if at.IsZero() {
		return
	}
	if c.From.IsZero() || at.Before(c.From) {
		c.From = at
	}
	if at.After(c.To) {
		c.To = at
	}
}

// settle sets the state from what was found and what is missing.
func (c *Check) settle() Check {
	switch finding.Worst(c.Findings) {
	case finding.Error:
		c.State = Failing
	case finding.Warning:
		c.State = max(c.State, Warned)
	}
	if len(c.Missing) > 0 && c.State < Unseen {
		c.State = Unseen
	}
	return *c
}

// surveyed gives the domains that were looked at in the last survey of each, and names in the check
// those that were not.
func (w *work) surveyed(c *Check, seen func(*survey.Domain) bool) []*survey.Domain {
	at := map[string]*survey.Domain{}
	if w.Survey != nil {
		for i := range w.Survey.Domains {
			at[w.Survey.Domains[i].Name] = &w.Survey.Domains[i]
		}
	}
	var all []*survey.Domain
	for _, name := range w.domains() {
		d := at[name]
		if d == nil || !seen(d) {
			c.Missing = append(c.Missing, name)
			continue
		}
		c.seen(w.looked(d))
		all = append(all, d)
	}
	c.All = len(w.domains())
	return all
}

// looked gives when a domain was looked at.
func (w *work) looked(d *survey.Domain) time.Time {
	if d.Looked.IsZero() {
		return w.Survey.Started
	}
	return d.Looked
}

// registrations says which end, or have ended by now, whatever was left of them when they were
// seen. A date that only the estate file names counts, but was not seen.
func (w *work) registrations() Check {
	c := Check{Of: Registrations, Matters: true}
	bad := map[string]bool{}
	for _, f := range w.found(w.Survey) {
		if f.Code == finding.OnHold {
			c.Findings = append(c.Findings, f)
			bad[f.Subject] = bad[f.Subject] || f.Open()
		}
	}
	written := map[string]time.Time{}
	var lived []finding.Acceptance
	if w.Plan != nil {
		lived = w.Plan.Estate.Accept
		for _, d := range w.Plan.Estate.Domains {
			written[d.Name.String()] = d.Renews
		}
	}
	seen := w.surveyed(&c, func(d *survey.Domain) bool {
		return d.Registration != nil && d.Registration.Ends != nil &&
			d.Registration.EndsFrom != survey.EstateFile
	})
	ends := map[string]time.Time{}
	for _, name := range c.Missing {
		ends[name] = written[name]
	}
	for _, d := range seen {
		ends[d.Name] = *d.Registration.Ends
	}
	for _, name := range slices.Sorted(maps.Keys(ends)) {
		if f, is := endingOf(name, ends[name], w.Now); is {
			f = f.AcceptedBy(lived, w.Now)
			c.Findings = append(c.Findings, f)
			bad[name] = bad[name] || f.Open()
		}
	}
	for _, d := range seen {
		if !bad[d.Name] {
			c.Good++
		}
	}
	finding.Sort(c.Findings)
	made := c.settle()
	if made.State == Unseen {
		made.Matters = false // many registries say nothing to anybody
	}
	return made
}

// endingOf gives a finding about a registration that ends soon, or that has ended: an error then,
// since the domain is dark or about to be.
func endingOf(name string, ends, now time.Time) (finding.Finding, bool) {
	left := ends.Sub(now)
	switch {
	case ends.IsZero(), left >= survey.Soon:
		return finding.Finding{}, false
	case left < 0:
		return finding.New(finding.RegistrationEnds, name,
			fact.RegistrationEnded{Domain: name, Ends: ends, Ago: -left}).As(finding.Error), true
	}
	return finding.New(finding.RegistrationEnds, name,
		fact.RegistrationEnding{Domain: name, Ends: ends, In: left}), true
}

// found gives what a survey found.
func (w *work) found(v *survey.Survey) []finding.Finding {
	if v == nil {
		return nil
	}
	mine := map[string]bool{}
	for _, d := range w.domains() {
		mine[d] = true
	}
	return slices.DeleteFunc(slices.Clone(v.Findings), func(f finding.Finding) bool {
		d := finding.DomainOf(f.Subject)
		return d != "" && !mine[d] && w.otherOf(d)
	})
}

// otherOf reports whether a domain is one that the survey looked at and the estate does not have.
func (w *work) otherOf(domain string) bool {
	return slices.ContainsFunc(w.Survey.Domains, func(d survey.Domain) bool {
		return d.Name == domain
	})
}

// plan says whether the plan works, for the zones that were seen.
func (w *work) plan() Check {
	c := Check{Of: Plan, Matters: true, Predicted: true}
	if w.Plan == nil {
		c.Missing = []string{"plan"}
		return c.settle()
	}
	for _, f := range w.Plan.Findings {
		if f.Severity != finding.Note {
			c.Findings = append(c.Findings, f)
		}
	}
	for _, d := range w.Plan.Doors {
		c.All++
		if last := d.Chain[len(d.Chain)-1]; last.Refusal == "" && last.URL == d.LeadsTo.String() {
			c.Good++
		}
	}
	if w.Survey != nil {
		for i := range w.Survey.Domains {
			c.seen(w.looked(&w.Survey.Domains[i]))
		}
	}
	c.Missing = append(c.Missing, w.Plan.Played.Unseen...)
	return c.settle()
}

// everyURL says whether the plan holds for every URL. Where nobody proved that, it is open.
func (w *work) everyURL() Check {
	c := Check{Of: EveryURL, Matters: true, Predicted: true}
	if w.Proof == nil {
		c.Missing = []string{""}
		return c.settle()
	}
	c.All = w.Proof.Doors
	for _, f := range w.Proof.Findings {
		if f.Severity == finding.Error || f.Code == finding.Undecided {
			c.Findings = append(c.Findings, f)
		}
	}
	switch w.Proof.Verdict {
	case proof.Proved:
		c.Good = c.All
	case proof.Undecided:
		c.State = Unseen
		return c
	case proof.Refuted:
		c.State = Failing
	}
	return c.settle()
}

// doorSight is what was seen of a door.
type doorSight struct {
	seen, dark, bad bool
	at              time.Time
}

// doors says which doors lead where they should. Before the move that is how things are, and no
// obstacle.
func (w *work) doors() Check {
	c := Check{Of: Doors, Matters: w.kind != Before}
	doors := map[web.Door]*doorSight{}
	var order []web.Door
	for _, d := range w.planned() {
		doors[d] = &doorSight{}
		order = append(order, d)
	}
	if w.Audit != nil {
		for i := range w.Audit.Audit.Chains {
			ch := &w.Audit.Audit.Chains[i]
			if ch.Probe == chain.WellKnown || ch.Probe == chain.Robots {
				continue
			}
			d := doors[ch.Entry.Door()]
			if d == nil {
				if w.Plan != nil {
					continue // no door of the estate any more
				}
				d = &doorSight{}
				doors[ch.Entry.Door()] = d
				order = append(order, ch.Entry.Door())
			}
			d.see(ch, w.Audit.Seen[ch.Key()])
		}
		c.Findings = w.auditFound(func(f *finding.Finding) bool {
			about := f.Code.Row().About
			return about != "content" && about != "memory"
		})
	}
	for _, door := range order {
		d := doors[door]
		c.All++
		c.seen(d.at)
		switch {
		case !d.seen || d.dark:
			c.Missing = append(c.Missing, door.String())
		case !d.bad:
			c.Good++
		}
	}
	return c.settle()
}

func (d *doorSight) see(ch *chain.Chain, at time.Time) {
	d.seen = d.seen || ch.Probe == chain.Root
	d.dark = d.dark || ch.Last().Refusal == chain.Unseen
	if d.at.IsZero() || at.Before(d.at) {
		d.at = at
	}
	for _, f := range ch.Findings {
		d.bad = d.bad || f.Open() && f.Severity != finding.Note && f.Code.Row().About != "content"
	}
}

// auditFound gives what audits found.
func (w *work) auditFound(is func(*finding.Finding) bool) []finding.Finding {
	var all []finding.Finding
	if w.Audit != nil {
		for _, f := range w.Audit.Audit.Findings {
			if is(&f) {
				all = append(all, f)
			}
		}
	}
	return all
}

// oldURLs says which part of the weight of old URLs arrives: as it was followed, or before the move
// as the plan has it.
func (w *work) oldURLs() Check {
	c := Check{Of: OldURLs, Matters: true}
	switch {
	case w.kind == Before && w.Coverage != nil:
		c.Predicted = true
		total := w.Coverage.Total
		open := total.Open()
		c.All, c.Good = total.All.URLs, total.All.URLs-open.URLs
		c.Part = part(total.All.Weight-open.Weight, total.All.Weight, c.Good, c.All)
		if c.Good < c.All {
			c.State = Warned
		}
	case w.kind != Before && w.Runs != nil:
		c.seen(w.Runs.Started)
		var all, wrong old.Share // of those that were seen
		for _, a := range w.Runs.Areas {
			bad, unseen := a.Wrong(), a.Mets[old.NotSeen]
			all.URLs += a.All.URLs - unseen.URLs
			all.Weight = old.Plus(all.Weight, a.All.Weight-unseen.Weight)
			wrong.URLs += bad.URLs - unseen.URLs
			wrong.Weight = old.Plus(wrong.Weight, bad.Weight-unseen.Weight)
		}
		c.All, c.Good = all.URLs, all.URLs-wrong.URLs
		c.Part = part(all.Weight-wrong.Weight, all.Weight, c.Good, all.URLs)
		if all.URLs < w.Runs.Total || w.Runs.Part != "" {
			c.Missing = append(c.Missing, w.Runs.Source)
		}
		if wrong.URLs > 0 {
			c.State = Failing
		}
	default:
		c.Missing = []string{""}
		c.Matters = false // there may be none worth keeping
	}
	return c.settle()
}

// part gives which part of a weight is right, or of a number where nothing weighs anything.
func part(right, all int64, good, of int) float64 {
	switch {
	case all > 0:
		return float64(right) / float64(all)
	case of > 0:
		return float64(good) / float64(of)
	}
	return 0
}

// certificates says which are wrong, or end soon. Before the move those of today are no obstacle.
func (w *work) certificates() Check {
	c := Check{Of: Certificates, Matters: w.kind != Before, Findings: w.auditFound(
		func(f *finding.Finding) bool { return f.Code.Row().About == "certificate" })}
	seen := map[web.Host]bool{}
	if w.Audit != nil {
		for i := range w.Audit.Audit.Chains {
			ch := &w.Audit.Audit.Chains[i]
			if ch.Entry.Scheme() != web.HTTPS || ch.Probe != chain.Root || seen[ch.Entry.Host()] {
				continue
			}
			seen[ch.Entry.Host()] = true
			c.All++
			first := &ch.Hops[0]
			switch {
			case first.TLS == nil:
				c.Missing = append(c.Missing, ch.Entry.Host().String())
			case len(first.TLS.Faults) == 0:
				c.Good++
				c.seen(w.Audit.Seen[ch.Key()])
			default:
				c.seen(w.Audit.Seen[ch.Key()])
			}
		}
	}
	for _, d := range w.planned() {
		if d.Scheme == web.HTTPS && !seen[d.Host] {
			seen[d.Host] = true
			c.All++
			c.Missing = append(c.Missing, d.Host.String())
		}
	}
	if c.All == 0 {
		c.Missing = []string{""}
	}
	return c.settle()
}

// planned gives the doors of the plan; none where there is no plan.
func (w *work) planned() []web.Door {
	var all []web.Door
	if w.Plan != nil {
		for _, d := range w.Plan.Doors {
			all = append(all, d.Door)
		}
	}
	return all
}

// mail says what endangers mail.
func (w *work) mail() Check {
	c := Check{Of: Mail, Matters: w.kind != Before} // what is wrong today does not hinder a move
	bad := map[string]bool{}
	take := func(list []finding.Finding) {
		for _, f := range list {
			if !strings.HasPrefix(f.Code.String(), "mail-") || slices.ContainsFunc(c.Findings,
				func(o finding.Finding) bool { return o.Code == f.Code && o.Subject == f.Subject }) {
				continue
			}
			c.Findings = append(c.Findings, f)
			if f.Open() && f.Severity != finding.Note {
				bad[finding.DomainOf(f.Subject)] = true
			}
		}
	}
	take(w.found(w.Survey))
	if w.Plan != nil && w.kind == Before {
		was := len(c.Findings)
		take(w.Plan.Findings)
		c.Matters = finding.Count(c.Findings[was:], finding.Error) > 0 // what the plan makes does
	}
	for _, d := range w.surveyed(&c, func(d *survey.Domain) bool { return d.Seen() }) {
		if !bad[d.Name] {
			c.Good++
		}
	}
	finding.Sort(c.Findings)
	return c.settle()
}

// hsts says whether the site has browsers come by https alone. Behind a certificate that is refused
// nobody hears it.
func (w *work) hsts() Check {
	c := Check{Of: HSTS, All: 1, Findings: w.auditFound(
		func(f *finding.Finding) bool { return f.Code.Row().About == "memory" })}
	site := ""
	if w.Audit != nil {
		site = w.Audit.Audit.Canonical
	}
	heard := false
	if w.Audit != nil {
		for i := range w.Audit.Audit.Chains {
			ch := &w.Audit.Audit.Chains[i]
			for n := range ch.Hops {
				if ch.Hops[n].URL.Door().String() == site && ch.Sound(n) {
					heard = true
					c.seen(w.Audit.Seen[ch.Key()])
				}
			}
		}
	}
	if !heard {
		c.Missing = []string{site}
	}
	told, open := false, false
	for _, f := range c.Findings {
		if f.Code == finding.HSTSMissing || f.Code == finding.HSTSShort {
			told, open = true, open || f.Open()
		}
	}
	if heard && !told {
		c.Good = 1
	}
	if open {
		c.State = Warned
	}
	return c.settle()
}

// robots says whether search engines may see the redirects and the pages.
func (w *work) robots() Check {
	c := Check{Of: Robots, Findings: w.auditFound(func(f *finding.Finding) bool {
		return f.Code == finding.RobotsBlocked || f.Code == finding.NoIndex
	})}
	asked := map[web.Host]bool{}
	if w.Audit != nil {
		bad := map[string]bool{}
		for _, f := range c.Findings {
			host := finding.HostOf(f.Subject)
			bad[host] = bad[host] || f.Open()
		}
		for i := range w.Audit.Audit.Chains {
			ch := &w.Audit.Audit.Chains[i]
			if ch.Probe != chain.Robots {
				continue
			}
			host := ch.Entry.Host().String()
			c.All++
			asked[ch.Entry.Host()] = true
			switch {
			case ch.Last().Refusal != "":
				c.Missing = append(c.Missing, host)
				continue
			case !bad[host]:
				c.Good++
			}
			c.seen(w.Audit.Seen[ch.Key()])
		}
	}
	for _, d := range w.planned() {
		if !asked[d.Host] {
			asked[d.Host] = true
			c.All++
			c.Missing = append(c.Missing, d.Host.String())
		}
	}
	if c.All == 0 {
		c.Missing = []string{""}
	}
	return c.settle()
}

// steps says how much of the runbook is done.
func (w *work) steps() Check {
	c := Check{Of: Steps, Matters: true}
	if w.Book == nil {
		c.Missing = []string{""}
		return c.settle()
	}
	for i := range w.Book.Tasks {
		t := &w.Book.Tasks[i]
		if t.Idle {
			continue
		}
		c.All++
		if t.IsDone() {
			c.Good++
			c.seen(t.Done)
		}
	}
	if c.Good < c.All {
		c.State = Failing
	}
	return c
}

// news says whether something changed since a state was accepted.
func (w *work) news() Check {
	c := Check{Of: News, Matters: true, All: w.News}
	switch {
	case !w.Compared:
		c.Missing = []string{""}
	case w.News > 0:
		c.State = Warned
	}
	return c.settle()
}
