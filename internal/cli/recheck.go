package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// recheckOptions are the options of recheck beside those of every command.
type recheckOptions struct {
	accept, withdraw string
	until, why       string
	acceptAll, list  bool
	metrics, all     string
	atOnce           int
	survey           surveyOptions
	forget           bool
}

func (p *program) recheck() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o recheckOptions
	c := &cobra.Command{
		Use:   "recheck",
		Short: "Look again, and report only what is new since the accepted state",
		Long: `recheck surveys and audits again, and compares with the state that was accepted last
(--accept-all): records, delegations, certificates, registrations, redirects, pages, findings.
It says only what is new, as a short text for a mail, and nothing if nothing is. What could not
be seen is unseen. Single findings are accepted until a date: --accept CODE SUBJECT --until DATE
--why TEXT. Made for cron: see docs/recheck.md. It exits with 1 when something is new.`,
		Example: `  upperpath recheck --accept-all
  upperpath recheck
  upperpath recheck --format html --metrics upperpath.prom
  upperpath recheck --accept registration-ends northmoor-tickets.example \
      --until 2027-01-15 --why "it is let go"
  upperpath recheck --list`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			subject := strings.Join(args, "")
			switch {
			case o.accept != "":
				return p.acceptOne(c.Context(), &from, &o, subject)
			case o.withdraw != "":
				return p.withdrawOne(c.Context(), &from, o.withdraw, subject)
			case subject != "":
				return usage("recheck %s: a subject stands behind --accept CODE or --withdraw CODE only",
					subject)
			case o.until != "" || o.why != "":
				return usage("--until and --why go with --accept CODE SUBJECT")
			case o.all != "" && (from.path != "" || from.only != "" || o.list):
				return usage(
					"--all is about every estate below its folder: leave --estate, --only and --list " +
						"away",
				)
			case o.atOnce < 1 || o.atOnce > 256:
				return usage("--at-once %d: expected a number from 1 to 256", o.atOnce)
			case o.all != "":
				return p.recheckAll(c.Context(), &vantage, &out, &o)
			case o.list:
				return p.listAccepted(c.Context(), &from, &out)
			}
			return p.runRecheck(c.Context(), &from, &vantage, &out, &o)
		},
	}
	from.flags(c)
	vantage.flags(c)
	out.formatFlag(c)
	f := c.Flags()
	f.BoolVar(&o.acceptAll, "accept-all", false,
		"accept the present state as the one to compare with")
	f.StringVar(&o.accept, "accept", "", "accept what this `CODE` says about SUBJECT, until a date")
	f.StringVar(&o.until, "until", "",
		"with --accept: the `DATE` on which it returns, such as 2027-01-15")
	f.StringVar(&o.why, "why", "", "with --accept: a `TEXT` with the reason")
	f.StringVar(&o.withdraw, "withdraw", "", "no longer accept what this `CODE` says about SUBJECT")
	f.BoolVar(&o.list, "list", false, "list what is accepted, and until when")
	f.StringVar(&o.metrics, "metrics", "",
		"write figures for Prometheus into this `FILE`; - is standard output, without news")
	f.StringVar(&o.survey.key, "key", "",
		"a `FILE` with the key for zone transfers: name, algorithm and secret")
	f.BoolVar(&o.survey.noTransfer, "no-transfer", false, "do not ask for whole zones")
	f.StringVar(&o.all, "all", "",
		"every estate below this `FOLDER`: a line each, worst first; mails in news/ there")
	f.IntVar(&o.atOnce, "at-once", defaultAtOnce(), "with --all: the `NUMBER` of estates at a time")
	f.BoolVar(&o.forget, "forget", false,
		"do not save the survey and the audit if something is new")
	return c
}

func (p *program) runRecheck(
	ctx context.Context, from *estateOptions, vantage *vantageOptions, out *output, o *recheckOptions,
) error {
	c, err := p.recheckOne(ctx, from, vantage, o)
	if err != nil {
		return err
	}
	e, known, seen, news, today := c.estate, c.known, c.seen, c.news, p.now()
	if o.metrics == "-" { // and no news, which would stand between
		_, err := p.out.Write(report.Metrics(seen.state, news))
		return err
	}
	if o.metrics != "" {
		made := files.Made{Path: o.metrics, Data: report.Metrics(seen.state, news), Opens: "# "}
		if err := files.WriteMade(false, made); err != nil {
			return err
		}
	}
	if o.acceptAll {
		return p.acceptAll(ctx, e, seen, news, out)
	}
	if !news.Any() {
		if out.format == "json" { // whoever reads it wants to read something
			return p.show(report.News(news, seen.state, known.lived, today), out)
		}
		return nil
	}
	if !o.forget {
		if _, _, err := p.keepSeen(ctx, e, seen); err != nil {
			return storeFailed(err)
		}
	}
	if err := p.show(report.News(news, seen.state, known.lived, today), out); err != nil {
		return err
	}
	if !o.forget { // said once it was shown
		if err := p.settle(ctx, c); err != nil {
			return err
		}
	}
	return ended{code: exitFindings}
}

// rechecked is an estate that was looked at again.
type rechecked struct {
	estate *files.Estate
	known  accepted
	seen   *lookedAgain
	news   *recheck.News
}

// recheckOne looks at an estate again, and compares with what was accepted.
func (p *program) recheckOne(ctx context.Context, from *estateOptions, vantage *vantageOptions,
	o *recheckOptions) (*rechecked, error) {
	e, made, err := from.readSeen(ctx)
	if err != nil {
		return nil, err
	}
	if err := storeReady(e); err != nil { // what is mended is kept as told
		return nil, err
	}
	known, err := acceptedState(ctx, e)
	if err != nil {
		return nil, err
	}
	seen, err := p.lookAgain(ctx, e, made, from.only, vantage, o)
	if err != nil {
		return nil, err
	}
	return &rechecked{e, known, seen,
		recheck.Compare(known.base, seen.state, known.lived, known.told, p.now())}, nil
}

// settle notes what was told of an estate.
func (p *program) settle(ctx context.Context, c *rechecked) error {
	err := p.inStore(c.estate, func(s *store.Store) error {
		return settled(ctx, s, c.known.base, c.news)
	})
	if err != nil {
		return storeFailed(err)
	}
	return nil
}

// accepted is what news are compared with.
type accepted struct {
	base  *recheck.State // nil: nothing was accepted
	lived []recheck.Acceptance
	told  []recheck.Fact // as new, since then
}

// acceptedState gives what was accepted.
func acceptedState(ctx context.Context, e *files.Estate) (accepted, error) {
	a := accepted{lived: slices.Clone(e.Accept)}
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return a, storeFailed(err)
	}
	defer s.Close()
	a.base, err = s.Accepted(ctx)
	if errors.Is(err, store.ErrEmpty) {
		a.base, err = nil, nil
	}
	if err != nil {
		return a, storeFailed(err)
	}
	earlier, err := s.Lived(ctx)
	if err != nil {
		return a, storeFailed(err)
	}
	a.lived = append(a.lived, earlier...)
	a.told, err = s.Told(ctx)
	return a, storeFailed(err)
}

// lookedAgain is what a recheck saw.
type lookedAgain struct {
	state *recheck.State
	keep  func(context.Context, *store.Store) (audit, survey int64, err error)
}

// lookAgain surveys and audits. Where it was cut off, or nothing could be seen, there is no state,
// but an error.
func (p *program) lookAgain(
	ctx context.Context, e *files.Estate, made *plan.Plan, only string, vantage *vantageOptions,
	o *recheckOptions,
) (*lookedAgain, error) {
	who, err := (&visitorOptions{}).open(ctx, vantage, e)
	if err != nil {
		return nil, err
	}
	defer func() { _ = who.close() }()
	subjects, err := subjectsOf(e, made, nil)
	if err != nil {
		return nil, err
	}
	defer debug.SetGCPercent(debug.SetGCPercent(surveyGarbage))
	w := who.first()
	surveyor, err := newSurveyor(e, w, vantage.parallel, &o.survey)
	if err != nil {
		return nil, err
	}
	surveyor.Clues = cluesOf(ctx, made, nil, w)
	v, err := p.takeSurvey(ctx, e, made, surveyor, subjects, scopeOf(e, made, only, vantage))
	if err != nil {
		return nil, err
	}
	if v.SawNothing() {
		return nil, failed(sawNothing(w, v))
	}
	a, err := p.runAudit(ctx, made, who, scopeOf(e, made, only, vantage), v, vantage.parallel, true)
	if err != nil {
		return nil, err
	}
	state := recheck.Of(v, a)
	return &lookedAgain{state, func(ctx context.Context, s *store.Store) (int64, int64, error) {
		survey, oldSurveys, err := s.KeepSurvey(ctx, v)
		if err != nil {
			return 0, 0, err
		}
		audit, oldAudits, err := s.Keep(ctx, a)
		if err == nil && p.onTerminal() { // no part of a mail
			fmt.Fprintf(p.err, "Saved as survey %d and audit %d.\n", survey, audit)
			p.tellOld("survey", oldSurveys)
			p.tellOld("audit", oldAudits)
		}
		return audit, survey, err
	}}, nil
}

// inStore does something with the store, whole, whatever interrupts.
func (p *program) inStore(e *files.Estate, do func(*store.Store) error) error {
	p.keeping.Lock()
	defer p.keeping.Unlock()
	s, err := store.Open(ofEstate(e))
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

func (p *program) keepSeen(ctx context.Context, e *files.Estate,
	seen *lookedAgain) (audit, survey int64, err error) {
	err = p.inStore(e, func(s *store.Store) error {
		audit, survey, err = seen.keep(context.WithoutCancel(ctx), s)
		return err
	})
	return audit, survey, err
}

// settled notes what was told, and takes what is mended out of the state that was accepted.
func settled(ctx context.Context, s *store.Store, base *recheck.State, n *recheck.News) error {
	before, err := s.Told(ctx)
	if err == nil {
		err = s.Tell(ctx, n.Told(before))
	}
	if err != nil || base == nil || len(n.Mended) == 0 {
		return err
	}
	return s.Accept(ctx, func(before *recheck.State) *recheck.State { return before.Settle(n.Mended) })
}

// acceptAll takes what was seen as the state to compare with.
func (p *program) acceptAll(
	ctx context.Context, e *files.Estate, seen *lookedAgain, news *recheck.News, out *output,
) error {
	ctx = context.WithoutCancel(ctx)
	audit, survey, err := p.keepSeen(ctx, e, seen)
	if err != nil {
		return storeFailed(err)
	}
	err = p.inStore(e, func(s *store.Store) error {
		err := s.Accept(ctx, func(before *recheck.State) *recheck.State {
			return recheck.Join(before, seen.state)
		})
		if err == nil {
			err = s.Pin(ctx, audit, survey)
		}
		if err == nil {
			before, toldErr := s.Told(ctx)
			err = errors.Join(toldErr, s.Tell(ctx, seen.state.StillTold(before)))
		}
		return err
	})
	if err != nil {
		return storeFailed(err)
	}
	return p.show(report.AcceptedAll(news, seen.state, p.now()), out)
}

// acceptOne lives with something until a date.
func (p *program) acceptOne(ctx context.Context, from *estateOptions, o *recheckOptions,
	subject string) error {
	if err := knownCode(o.accept); err != nil {
		return err
	}
	until, err := time.Parse(time.DateOnly, o.until)
	switch {
	case subject == "":
		return usage("--accept %s: the subject is missing; expected --accept CODE SUBJECT, such as "+
			"registration-ends old.example", o.accept)
	case o.until == "":
		return usage("--accept %s %s: --until DATE is missing; it returns on that day", o.accept,
			subject)
	case err != nil:
		return usage("--until %s: expected a date such as 2027-01-15", o.until)
	case !until.After(p.now()):
		return usage("--until %s: this day has passed; expected a later one", o.until)
	case strings.TrimSpace(o.why) == "":
		return usage("--accept %s %s: --why TEXT is missing; somebody will ask for the reason", o.accept,
			subject)
	}
	e, _, err := from.read()
	if err != nil {
		return err
	}
	made := recheck.Acceptance{Code: o.accept, Subject: subject, Until: until,
		Why: strings.Join(strings.Fields(o.why), " ")}
	if strings.ContainsFunc(made.Why, problem.Hostile) {
		return usage("--why %q: expected text of one line", o.why)
	}
	if made.Values, err = valueOf(ctx, e, o.accept, subject); err != nil {
		return err
	}
	switch err := files.Accept(e.Path, made); {
	case errors.Is(err, files.ErrAcceptForm):
		return usage("%s: %w; add the entry by hand: %s", e.Path, err, files.AcceptEntry(made))
	case err != nil:
		return edited(err)
	}
	is := ""
	if len(made.Values) > 0 {
		is = " (" + strings.Join(made.Values, ", ") + ")"
	}
	fmt.Fprintf(p.out, "%s of %s%s is accepted until %s; it stands under accept: in %s.\n", o.accept,
		subject, is, until.Format("2 January 2006"), fromHere(e.Path))
	return nil
}

// knownCode reports whether something can be accepted under a name: that of a finding or of a
// change.
func knownCode(code string) error {
	codes := append(finding.Changes(), finding.AllNames()...)
	if contains(codes, code) {
		return nil
	}
	near := ""
	if n := problem.Nearest(code, codes); n != "" {
		near = "; did you mean " + n + "?"
	}
	return usage("%s: unknown code%s A change is one of %s", code, cmp.Or(near, "."),
		strings.Join(finding.Changes(), ", "))
}

// valueOf gives the value that a change led to, as it was seen last; nil for a finding. What
// neither the accepted state nor what was seen last knows is refused, since it is a slip of the
// pen.
func valueOf(ctx context.Context, e *files.Estate, code, subject string) ([]string, error) {
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return nil, storeFailed(err)
	}
	defer s.Close()
	var known []string
	base, err := s.Accepted(ctx)
	if err != nil && !errors.Is(err, store.ErrEmpty) {
		return nil, storeFailed(err)
	}
	if base != nil {
		known = append(known, base.Names(code)...)
	}
	surveys, _, err := s.LatestSurveys(ctx, untilAll())
	if err != nil {
		return nil, storeFailed(err)
	}
	audits, _, err := s.LatestAudits(ctx, 0, untilWhole())
	if err != nil {
		return nil, storeFailed(err)
	}
	v := survey.Newest(surveys)
	var a *chain.Audit
	if len(audits) > 0 {
		a = chain.Latest(audits, "", nil).Audit
	}
	now := recheck.Of(v, a)
	known = append(known, now.Names(code)...)
	covers := func(name string) bool {
		one := recheck.Acceptance{Code: code, Subject: subject}
		return name == subject || !finding.IsChange(code) && one.Covers(code, name)
	}
	if !slices.ContainsFunc(known, covers) {
		near := "upperpath recheck shows the present findings"
		if n := problem.Nearest(subject, known); n != "" {
			near = "did you mean " + n + "?"
		}
		return nil, usage("--accept %s %s: no such finding; %s", code, subject, near)
	}
	if !finding.IsChange(code) {
		return nil, nil
	}
	return recheck.ValuesOf(now.Value(code, subject)), nil
}

func (p *program) withdrawOne(ctx context.Context, from *estateOptions, code,
	subject string) error {
	e, _, err := from.read()
	if err != nil {
		return err
	}
	earlier := false // an earlier version kept it in the store
	if err := p.inStore(e, func(s *store.Store) error {
		var err error
		earlier, err = s.Unlive(ctx, code, subject)
		return err
	}); err != nil {
		return storeFailed(err)
	}
	switch err := files.Withdraw(e.Path, code, subject); {
	case errors.Is(err, files.ErrNotAccepted) && earlier:
	case errors.Is(err, files.ErrNotAccepted):
		return usage("--withdraw %s %s: it was not accepted; upperpath recheck --list shows what is",
			code, subject)
	case errors.Is(err, files.ErrAcceptForm):
		return usage("%s: %w; remove the entry by hand", e.Path, err)
	case err != nil:
		return edited(err)
	}
	fmt.Fprintf(p.out, "%s of %s is no longer accepted.\n", code, subject)
	return nil
}

func (p *program) listAccepted(ctx context.Context, from *estateOptions, out *output) error {
	e, _, err := from.read()
	if err != nil {
		return err
	}
	known, err := acceptedState(ctx, e)
	if err != nil {
		return err
	}
	return p.show(report.Lived(known.base, known.lived, p.now()), out)
}
