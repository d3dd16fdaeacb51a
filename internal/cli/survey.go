package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// surveyGarbage is how much garbage a survey lets stand, in per cent of what it holds: it waits for
// others most of the time, and has time to clear up.
const surveyGarbage = 40

// surveyOptions are the options of survey beside those of every command.
type surveyOptions struct {
	save, key                         string
	zones                             []string
	list, records, forget, noTransfer bool
	show                              int64
}

func (p *program) survey() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o surveyOptions
	c := &cobra.Command{
		Use:   "survey",
		Short: "Survey every domain, report what is odd, and save it",
		Long: `survey looks at every domain of the estate. It asks each name server for the records
of apex, www, further hosts and common names, or takes the whole zone by transfer (AXFR) or
from a file (--zone). It follows every door, and asks for the registration. It says what is
odd, and saves what it saw in .upperpath/, dated, to be compared later.`,
		Example: `  upperpath survey
  upperpath survey --only lacemill-museum.example --records
  upperpath survey --save before
  upperpath survey --list
  upperpath survey --show 1
  upperpath compare 1 2`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			if o.list || o.show > 0 {
				return p.keptSurveys(c.Context(), &from, &out, &o)
			}
			return p.runSurvey(c.Context(), &from, &vantage, &out, &o)
		},
	}
	from.flags(c)
	from.undecided = true
	vantage.flags(c)
	out.flags(c)
	f := c.Flags()
	f.BoolVar(&o.list, "list", false, "list the saved surveys")
	f.Int64Var(&o.show, "show", 0, "show the saved survey with this `NUMBER`")
	f.BoolVar(&o.records, "records", false, "write every record, not only what is odd")
	f.StringVar(&o.save, "save", "",
		"write a zone file for each domain into this `FOLDER`; nothing there is overwritten")
	f.StringArrayVar(&o.zones, "zone", nil,
		"take a whole zone from this zone `FILE` (repeatable; or a folder of *.zone)")
	f.StringVar(&o.key, "key", "",
		"a `FILE` with the key for zone transfers: name, algorithm and secret")
	f.BoolVar(&o.noTransfer, "no-transfer", false, "do not ask for whole zones")
	f.BoolVar(&o.forget, "forget", false, "do not save the result")
	return c
}

func (p *program) runSurvey(
	ctx context.Context,
	from *estateOptions,
	vantage *vantageOptions,
	out *output,
	o *surveyOptions,
) error {
	e, made, err := from.read()
	if err != nil {
		return err
	}
	subjects, err := subjectsOf(e, made, o.zones)
	if err != nil {
		return err
	}
	if !o.forget {
		if err := storeReady(e); err != nil {
			return err
		}
	}
	w, err := vantage.open(e)
	if err != nil {
		return err
	}
	defer w.Close()
	debug.SetGCPercent(surveyGarbage)
	surveyor, err := newSurveyor(e, w, vantage.parallel, o)
	if err != nil {
		return err
	}
	known := made
	if _, seen, err := from.readSeen(ctx); err == nil {
		known = seen // with what is kept: since when a name leads to its carrier
	}
	surveyor.Clues = cluesOf(ctx, known, nil, w)
	v, err := p.takeSurvey(ctx, e, made, surveyor, subjects, scopeOf(e, made, from.only, vantage))
	if err != nil && len(v.Domains) == 0 {
		return err
	}
	var keepErr, saveErr error // kept first: the reader of a pipe may leave, a disk be full
	kept := ""
	if !o.forget {
		var number int64
		number, keepErr = p.keepSurvey(context.WithoutCancel(ctx), e, v)
		kept = fmt.Sprintf("Saved as survey %d.\n", number)
	}
	if o.save != "" && err == nil {
		saveErr = p.saveZones(o.save, v)
	}
	writeErr := p.show(report.Survey(v, o.records), out)
	if keepErr != nil {
		return storeFailed(keepErr)
	}
	fmt.Fprint(p.err, kept)
	if err := cmp.Or(err, saveErr, writeErr); err != nil {
		return err
	}
	if v.SawNothing() { // kept all the same: that somebody looked, and saw nothing, is worth knowing
		return failed(sawNothing(w, v))
	}
	return out.exit(v.Findings)
}

// sawNothing says why a survey saw nothing at all.
func sawNothing(w *live.Client, v *survey.Survey) error {
	if broken := w.Broken(); broken != nil {
		return fmt.Errorf("nothing could be seen from this vantage: %w", broken)
	}
	return fmt.Errorf("nothing could be seen of %s: no name server of any answered, and no zone above",
		strings.Join(v.Dark(), ", "))
}

// subjectsOf gives the domains to survey, with whole zones from files where there are any.
func subjectsOf(e *files.Estate, made *plan.Plan, zones []string) ([]live.Subject, error) {
	paths, err := zonePaths(zones)
	if err != nil {
		return nil, err
	}
	read, err := readZones(paths)
	if err != nil {
		return nil, err
	}
	byName, marks := map[string][]dns.RR{}, map[string]zoneFile{}
	for _, z := range read {
		byName[z.name.String()], marks[z.name.String()] = z.records, z
	}
	var faults problem.List
	var subjects []live.Subject
	for _, d := range surveyed(made) {
		hosts := d.Hosts()
		if d.State == estate.Leave {
			hosts = nil // no door of it is followed; its records may lead to what moves
		}
		for i := range hosts {
			hosts[i] = hosts[i].Typed()
		}
		subject := live.Subject{
			Name:      d.Name,
			Hosts:     hosts,
			Selectors: e.Selectors,
			Zone:      byName[d.Name.String()],
			Partial:   marks[d.Name.String()].marks.Partial,
			Remaining: marks[d.Name.String()].marks.Remaining,
			Missed:    marks[d.Name.String()].marks.Missed,
			Renews:    d.Renews,
			Coming:    d.MovesTo(),
		}
		for _, w := range d.Wanted {
			subject.Wanted = append(subject.Wanted, record.Key{Name: w.Name, Type: w.Type})
		}
		if star := d.Star(); !star.IsZero() { // the wildcard itself, which no door's name shows
			for _, kind := range []string{"CNAME", "A", "AAAA"} {
				subject.Wanted = append(subject.Wanted, record.Key{Name: star.String(), Type: kind})
			}
		}
		for _, n := range d.Needed {
			for _, kind := range []string{"CNAME", "A", "AAAA"} {
				subject.Wanted = append(subject.Wanted, record.Key{Name: n.Host.String(), Type: kind})
			}
		}
		subjects = append(subjects, subject)
		delete(byName, d.Name.String())
	}
	for path, z := range read {
		if d := e.DomainOf(z.name); byName[z.name.String()] != nil &&
			(d == nil || d.Name != z.name) { // others were left out by --only
			faults.Add(
				problem.Problem{File: path, Value: z.name.String(), Fault: fact.SurveyZoneOfOthers{}},
			)
		}
	}
	return subjects, faults.Err()
}

// surveyed gives the domains to look at: those that a plan is about, and those that are to be left.
func surveyed(made *plan.Plan) []*estate.Domain {
	all := slices.Clone(made.Domains())
	for _, d := range made.Estate.Domains {
		if d.State == estate.Leave && made.Web.Means(d.Name) {
			all = append(all, d)
		}
	}
	return all
}

// zoneFile is a zone as a file has it.
type zoneFile struct {
	name    web.Host
	records []dns.RR
	marks   files.Marks // what it says itself of what is not known
	list    bool        // it has no SOA: somebody listed records
}

// zoneNameOf guesses a zone's name from that of its file, for files without $ORIGIN.
func zoneNameOf(path string) string {
	name := strings.TrimSuffix(strings.TrimSuffix(filepath.Base(path), ".zone"), ".txt")
	h, err := web.ParseHost(name)
	if err != nil {
		return ""
	}
	return h.String()
}

// cluesOf gives what is known of who answers, for finding the cause of a fault: by every command
// the same one.
func cluesOf(ctx context.Context, made *plan.Plan, seen *survey.Survey,
	w *live.Client) chain.Clues {
	clues := made.Clues()
	if seen != nil {
		clues = made.Seeing(seen)
	}
	clues.CAA = func(h web.Host) (chain.CAA, bool) { return w.CAA(ctx, h) }
	return clues
}

func newSurveyor(e *files.Estate, w *live.Client, parallel int, o *surveyOptions) (*live.Surveyor,
	error) {
	s := &live.Surveyor{Web: w, Parallel: parallel, NoTransfer: o.noTransfer}
	if o.key != "" {
		key, err := files.ReadTransferKey(o.key)
		if err != nil {
			return nil, err
		}
		s.Key = &live.TransferKey{Name: key.Name, Algorithm: key.Algorithm, Secret: key.Secret}
	}
	s.Registry.Base = e.Registry.Address
	if e.Registry.Bootstrap != "" {
		r, err := live.ReadBootstrap(files.Beside(e.Path, e.Registry.Bootstrap))
		if err != nil {
			return nil, ended{exitUsage, err}
		}
		r.Base = e.Registry.Address
		s.Registry = r
	}
	return s, nil
}

// takeSurvey looks at the domains, many at a time, and judges what it saw. Where the context ends,
// what was seen comes back with its error.
func (p *program) takeSurvey(
	ctx context.Context,
	e *files.Estate,
	made *plan.Plan,
	s *live.Surveyor,
	subjects []live.Subject,
	of *scope.Scope,
) (*survey.Survey, error) {
	of.Domains, of.Meant = nil, len(subjects) // those to be left are looked at too
	for _, s := range subjects {
		of.Domains = append(of.Domains, s.Name.String())
	}
	v := &survey.Survey{
		Schema:    survey.Schema,
		Vantage:   s.Web.Vantage().Name,
		Canonical: made.Canonical,
		Started:   p.now().UTC().Truncate(time.Millisecond),
		Scope:     of,
	}
	progress := p.progress("surveying", len(subjects), "domains")
	v.Domains = s.All(ctx, subjects, progress.step)
	progress.done()
	of.Done = len(v.Domains)
	p.keeping.Lock() // an interrupt may have come
	defer p.keeping.Unlock()
	judge := survey.Judge{Now: s.Web.Now(), Flattens: func(seen *survey.Domain) bool {
		h, err := web.ParseHost(seen.Name)
		return err == nil && world.Flattens(e.Estate, e.DomainOf(h), seen)
	}}
	for _, d := range e.Domains {
		judge.Estate = append(judge.Estate, d.Name.String())
		for _, w := range d.Wanted {
			if d.State != estate.Leave && (w.Until.Date.IsZero() || judge.Now.Before(w.Until.Date)) &&
				!w.Until.Certificate {
				judge.Wanted = append(
					judge.Wanted,
					survey.Wanted{Domain: d.Name.String(), Name: w.Name, Type: w.Type, Value: w.Value,
						Moved: d.State == estate.Moved},
				)
			}
		}
	}
	if home := e.DomainOf(e.Canonical.Host); home != nil {
		judge.Stays = home.Name.String()
	}
	v.Findings, v.Notes = finding.Accept(judge.All(v), e.Accept, judge.Now), s.Web.Notes()
	finding.Sort(v.Findings)
	if ctx.Err() != nil {
		v.Notes = append(
			v.Notes,
			fmt.Sprintf("This survey was interrupted: %d of %d domains were seen.", len(v.Domains),
				len(subjects)),
		)
	}
	return v, ctx.Err()
}

func (p *program) keepSurvey(ctx context.Context, e *files.Estate, v *survey.Survey) (int64,
	error) {
	p.keeping.Lock()
	defer p.keeping.Unlock()
	s, err := store.Open(ofEstate(e))
	if err != nil {
		return 0, err
	}
	number, old, err := s.KeepSurvey(ctx, v)
	p.kept.Store(err == nil)
	p.tellOld("survey", old)
	return number, errors.Join(err, s.Close())
}

// saveZones writes a zone file for each domain.
func (p *program) saveZones(folder string, v *survey.Survey) error {
	var failures []error
	saved := 0
	for _, d := range v.Domains {
		if !d.Seen() {
			fmt.Fprintf(p.err, "No zone file for %s: nothing was seen of it.\n", d.Name)
			continue
		}
		text, err := files.ZoneText(d.Name, d.Records, "as it was seen",
			files.Marks{Partial: d.Partial, Remaining: d.Remaining, Missed: d.Missed})
		if err == nil {
			err = files.WriteNew(filepath.Join(folder, d.Name+".zone"), text, false)
		}
		if err != nil {
			failures = append(failures, err)
			continue
		}
		saved++
	}
	fmt.Fprintf(p.err, "Zone files written to %s: %d.\n", folder, saved)
	err := errors.Join(failures...)
	if errors.Is(err, files.ErrExists) {
		err = fmt.Errorf("%w\nnothing is overwritten; choose another folder for --save", err)
	}
	return wrapFailed(err)
}

// ofEstate says whose results an estate's are.
func ofEstate(e *files.Estate) store.Of {
	of := store.Of{Folder: e.Folder(), Name: filepath.Base(e.Path), Keep: e.Keep, Now: now()}
	if !e.Canonical.IsZero() {
		of.Canonical = e.Canonical.String()
	}
	return of
}

// openStore opens what is kept of an estate for reading. What is kept can be shown though the
// estate file cannot be read; then its name alone tells what is of it.
func (p *program) openStore(from *estateOptions) (*store.Store, error) {
	path := from.path
	if path == "" {
		var err error
		if path, err = files.FindEstate("."); err != nil {
			return nil, err
		}
	}
	of := store.Of{Folder: filepath.Dir(path), Name: filepath.Base(path)}
	if e, err := files.ReadUndecided(path); err == nil {
		of = ofEstate(e)
		inZone(e)
	}
	s, err := store.Read(of)
	if err != nil {
		return nil, storeFailed(err)
	}
	return s, nil
}

func (p *program) keptSurveys(ctx context.Context, from *estateOptions, out *output,
	o *surveyOptions) error {
	s, err := p.openStore(from)
	if err != nil {
		return err
	}
	defer s.Close()
	if o.list {
		kept, err := s.ListSurveys(ctx)
		if err != nil {
			return storeFailed(err)
		}
		gone, err := s.Gone(ctx, "surveys")
		if err != nil {
			return storeFailed(err)
		}
		return p.show(report.Kept("survey", s.Estate(), kept, gone), out)
	}
	v, err := oneSurvey(ctx, s, o.show)
	if err != nil {
		return err
	}
	if err := p.show(report.Survey(v, true), out); err != nil {
		return err
	}
	if o.save != "" {
		if err := p.saveZones(o.save, v); err != nil {
			return err
		}
	}
	return out.exit(v.Findings)
}

func oneSurvey(ctx context.Context, s *store.Store, number int64) (*survey.Survey, error) {
	v, err := s.GetSurvey(ctx, number)
	if errors.Is(err, store.ErrEmpty) {
		return nil, usage("there is no survey %d; upperpath survey --list shows what is kept", number)
	}
	if err != nil {
		return nil, notOurs(err, "survey")
	}
	return v, nil
}

// newestSurvey gives what was seen last of every domain; of names the command or option that needs
// it.
func newestSurvey(ctx context.Context, s *store.Store, of string) (*survey.Survey, error) {
	all, _, err := s.LatestSurveys(ctx, untilAll())
	switch v := survey.Newest(all); {
	case err != nil:
		return nil, storeFailed(err)
	case v != nil:
		return v, nil
	case len(all) > 0:
		return nil, usage("%s: every saved survey took addresses or a time by hand (--point, --as-of), "+
			"and says nothing of what visitors meet; run upperpath survey without them", of)
	}
	return nil, usage("%s: no survey has been saved yet; run upperpath survey first", of)
}
