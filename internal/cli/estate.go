package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/miekg/dns"
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/store"
)

// estateOptions says which estate is meant, and which part of it.
type estateOptions struct {
	path, only   string
	zones        []string // zone files, taken instead of what a survey saw
	complain     func(error)
	asked        bool // what looks mistyped was asked about
	undecided    bool // it may be open who carries the doors
	withoutRules bool // nothing is asked of the rules
}

func (o *estateOptions) flags(c *cobra.Command) {
	o.complain = func(err error) { fmt.Fprintf(c.ErrOrStderr(), "upperpath: %s\n", err) }
	c.Flags().StringVar(&o.path, "estate", "",
		"the estate `FILE` (default: upperpath.yaml, here or above)")
	c.Flags().StringVar(&o.only, "only", "", "only this `DOMAIN`, or wave:N")
}

// zoneFlags adds the option for zone files.
func (o *estateOptions) zoneFlags(c *cobra.Command) {
	c.Flags().
		StringArrayVar(&o.zones, "zone", nil,
			"read the present records from this zone `FILE`, or a folder of *.zone, instead of the last "+
				"survey (repeatable)")
}

// read reads the estate and works the plan out.
func (o *estateOptions) read() (*files.Estate, *plan.Plan, error) {
	e, in, err := o.input()
	if err != nil {
		return nil, nil, err
	}
	return e, plan.Make(in), nil
}

// readSeen does the same with what was seen last: the kept surveys, and zone files.
func (o *estateOptions) readSeen(ctx context.Context) (*files.Estate, *plan.Plan, error) {
	e, in, err := o.inputSeen(ctx)
	if err != nil {
		return nil, nil, err
	}
	return e, plan.Make(in), nil
}

// readQuietly reads the estate, and asks nothing about what looks mistyped.
func (o *estateOptions) readQuietly() (*files.Estate, error) {
	path := o.path
	if path == "" {
		var err error
		if path, err = files.FindEstate("."); err != nil {
			return nil, err
		}
	}
	return files.ReadUndecided(path)
}

// input reads the estate and gives what a plan is made of.
func (o *estateOptions) input() (*files.Estate, plan.Input, error) {
	path := o.path
	if path == "" {
		var err error
		if path, err = files.FindEstate("."); err != nil {
			return nil, plan.Input{}, err
		}
	}
	read := files.ReadEstate
	switch {
	case o.undecided:
		read = files.ReadUndecided
	case o.withoutRules:
		read = files.ReadWithoutRules
	}
	e, err := read(path)
	if err != nil {
		return nil, plan.Input{}, err
	}
	inZone(e)
	if !o.asked && o.complain != nil {
		for _, q := range e.Questions {
			o.complain(q)
		}
		o.asked = true
	}
	only, err := plan.Select(e.Estate, o.only)
	if err != nil {
		return nil, plan.Input{}, usage("--only %s: %w", o.only, err)
	}
	return e, plan.Input{
		Estate:    e.Estate,
		Rules:     e.Rules,
		SiteRules: e.SiteRules,
		Pages:     e.Pages,
		Only:      only,
		Wave:      wave(o.only),
		Now:       now(),
	}, nil
}

// interruptible does a work of pure computing, and comes back early, with the error of the context,
// where that ends first.
func interruptible(ctx context.Context, work func()) error {
	done := make(chan *crew.Fault, 1)
	go func() { done <- crew.Try(work) }()
	select {
	case fault := <-done:
		if fault != nil {
			panic(fault)
		}
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// read reads the estate and its rules, with a meter where these are many.
func (p *program) read(ctx context.Context, from *estateOptions) (*files.Estate, plan.Input,
	error) {
	return p.readBy(ctx, from.input)
}

// readSeen does the same with what was seen last.
func (p *program) readSeen(ctx context.Context, from *estateOptions) (*files.Estate, plan.Input,
	error) {
	return p.readBy(ctx, func() (*files.Estate, plan.Input, error) { return from.inputSeen(ctx) })
}

func (p *program) readBy(ctx context.Context,
	read func() (*files.Estate, plan.Input, error)) (*files.Estate, plan.Input, error) {
	m := p.progress("reading the estate and its rules", 0, "")
	defer m.done()
	var e *files.Estate
	var in plan.Input
	var failed error
	if err := interruptible(ctx, func() { e, in, failed = read() }); err != nil {
		return nil, plan.Input{}, err
	}
	return e, in, failed
}

// wave gives the number of a wave that an option names, 0 where it names none.
func wave(only string) int {
	number, _ := strings.CutPrefix(only, "wave:")
	n, err := strconv.Atoi(number)
	if err != nil {
		return 0
	}
	return n
}

func (o *estateOptions) inputSeen(ctx context.Context) (*files.Estate, plan.Input, error) {
	e, in, err := o.input()
	if err != nil {
		return nil, in, err
	}
	if err := o.lastSeen(ctx, e, &in); err != nil {
		return nil, in, storeFailed(err)
	}
	if len(o.zones) > 0 {
		err = o.takeZones(e, &in)
	}
	return e, in, err
}

// mostTTL is for how long an answer is held at most, whatever its TTL says: resolvers cap it at a
// week, as RFC 8767 section 4 recommends.
const mostTTL = 7 * 24 * time.Hour

// mostUnseen is how many surveys are read for the sake of a domain that none of them saw.
const mostUnseen = 100

// lastSeen adds what the kept surveys saw last of every domain, what they saw before that, all that
// was seen so lately that some may still hold it, and what the last audit met.
func (o *estateOptions) lastSeen(ctx context.Context, e *files.Estate, in *plan.Input) error {
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return err
	}
	defer s.Close()
	count, read := map[string]int{}, 0
	all, damaged, err := s.LatestSurveys(ctx, func(v *survey.Survey) bool {
		read++
		for i := range v.Domains {
			if v.Domains[i].Seen() {
				count[v.Domains[i].Name]++
			}
		}
		if in.Now.Sub(v.Started) < mostTTL {
			return true
		}
		return read < mostUnseen && slices.ContainsFunc(e.HostNames(), func(h string) bool {
			host, hostErr := web.ParseHost(h)
			return hostErr == nil && e.DomainOf(host) != nil && e.DomainOf(host).Name == host && count[h] < 2
		})
	})
	if err != nil {
		return err
	}
	for _, d := range damaged {
		if o.complain != nil {
			o.complain(fmt.Errorf("a survey is left out: %w", d))
		}
	}
	if n := len(all) + len(damaged); n == store.MostSurveys && len(all) > 0 {
		if back := in.Now.Sub(all[len(all)-1].Started); back < mostTTL && o.complain != nil {
			o.complain(fmt.Errorf("the %d latest surveys go back %s; what was there before is not "+
				"counted among the answers that resolvers may still hold", n, wording.Span(back)))
		}
	}
	in.Survey, in.Earlier = survey.Latest(all)
	in.Past = all
	audits, _, err := s.LatestAudits(ctx, shortAudit, untilWhole())
	if err != nil {
		return err
	}
	in.Audited = chain.Latest(audits, "", nil).Audit.Chains
	return nil
}

// shortAudit is how many octets a kept audit may have that is read beside other work.
const shortAudit = 2 << 20

// takeZones takes the records of zone files instead of those that a survey saw, which are then what
// was there before. What only a survey sees, such as doors and the delegation, stays.
func (o *estateOptions) takeZones(e *files.Estate, in *plan.Input) error {
	paths, err := zonePaths(o.zones)
	if err != nil {
		return err
	}
	zones, err := readZones(paths)
	if err != nil {
		return err
	}
	merged := &survey.Survey{Schema: survey.Schema, Started: in.Now}
	if in.Survey != nil {
		*merged = *in.Survey
		merged.Domains = slices.Clone(in.Survey.Domains)
	}
	before := &survey.Survey{Started: in.Now}
	if in.Earlier != nil {
		*before = *in.Earlier
		before.Domains = slices.Clone(in.Earlier.Domains)
	}
	var faults problem.List
	at, beforeAt := domainsByName(merged), domainsByName(before)
	for path, z := range zones {
		if e.DomainOf(z.name) == nil || e.DomainOf(z.name).Name != z.name {
			faults.Add(
				problem.Problem{File: path, Value: z.name.String(), Fault: fact.ZoneOfOthers{}},
			)
			continue
		}
		if z.list && o.complain != nil {
			o.complain(
				fmt.Errorf("%s has no SOA record: it counts as a list of records of %s, and may not have "+
					"all of them", path,
					z.name),
			)
		}
		d := live.FileDomain(z.name, z.records)
		d.Looked, d.Partial, d.Remaining, d.Missed = in.Now, z.marks.Partial, z.marks.Remaining,
			z.marks.Missed
		if i, there := at[d.Name]; there && merged.Domains[i].Seen() {
			was := merged.Domains[i]
			put(before, beforeAt, was)
			seen := was
			seen.Records, seen.Wildcards, seen.Source, seen.Looked = d.Records, d.Wildcards, d.Source, in.Now
			seen.Partial, seen.Remaining, seen.Missed = d.Partial, d.Remaining, d.Missed
			d = seen
		}
		put(merged, at, d)
	}
	in.Survey, in.Earlier = merged, before
	return faults.Err()
}

// domainsByName says where the domains of a survey stand in it.
func domainsByName(v *survey.Survey) map[string]int {
	at := map[string]int{}
	for i := range v.Domains {
		at[v.Domains[i].Name] = i
	}
	return at
}

// put puts a domain into a survey in place of the one of its name.
func put(v *survey.Survey, at map[string]int, d survey.Domain) {
	if i, there := at[d.Name]; there {
		v.Domains[i] = d
		return
	}
	at[d.Name] = len(v.Domains)
	v.Domains = append(v.Domains, d)
}

// zonePaths gives the zone files that are meant; of a folder all that end in .zone.
func zonePaths(given []string) ([]string, error) {
	var paths []string
	for _, g := range given {
		info, err := os.Stat(g)
		if err != nil || !info.IsDir() {
			paths = append(paths, g)
			continue
		}
		inside, err := filepath.Glob(filepath.Join(g, "*.zone"))
		if err != nil || len(inside) == 0 {
			return nil, usage("--zone %s: there is no *.zone file in this folder", g)
		}
		paths = append(paths, inside...)
	}
	return paths, nil
}

// readZones reads zone files, by path. The error has the faults of all.
func readZones(paths []string) (map[string]zoneFile, error) {
	zones := map[string]zoneFile{}
	var faults problem.List
	for _, path := range paths {
		name, records, err := files.ReadZone(path, zoneNameOf(path))
		var list problem.List
		if errors.As(err, &list) {
			faults = append(faults, list...)
			continue
		}
		if err != nil {
			return nil, err
		}
		h, err := web.ParseHost(name)
		if err != nil {
			faults.Add(
				problem.Problem{File: path, Value: name, Fault: fact.ZoneOfOthers{}},
			)
			continue
		}
		z := zoneFile{name: h, records: records, marks: files.ZoneMarks(path)}
		if !slices.ContainsFunc(records, func(rr dns.RR) bool {
			return rr.Header().Rrtype == dns.TypeSOA
		}) {
			z.list, z.marks.Partial = true, true
		}
		zones[path] = z
	}
	return zones, faults.Err()
}

// untilWhole gives a function for reading audits back: until one looked at everything, as everybody
// meets it.
func untilWhole() func(*chain.Audit) bool {
	return func(a *chain.Audit) bool { return !a.Scope.Whole() }
}

// untilAll gives a function for reading surveys back: until one looked at everything, as everybody
// meets it.
func untilAll() func(*survey.Survey) bool {
	return func(v *survey.Survey) bool { return !v.Scope.Whole() }
}
