package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"strings"
	"time"

	"github.com/spf13/cobra"

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
	metrics          string
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
(--accept-all): records, delegations, certificates, registrations, redirects, pages, and every
finding. It reports only what is new, as a short text that can be mailed to a client unchanged,
and prints nothing if nothing is new. Accepted findings are left out until a date (--accept CODE
SUBJECT --until DATE --why TEXT), and return on it. What could not be seen is reported as unseen.
Made for cron: see docs/recheck.md. It exits with 0 when nothing is new, and with 1 when something
is.`,
		Example: `  upperpath recheck --accept-all --from stage/stage.yaml
  upperpath recheck --from stage/stage.yaml
  upperpath recheck --from stage/stage.yaml --format html --metrics upperpath.prom
  upperpath recheck --accept registration-ends northmoor-tickets.example --until 2027-01-15 --why "it is let go"
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
	f.StringVar(&o.metrics, "metrics", "", "write figures for Prometheus into this `FILE`")
	f.StringVar(&o.survey.key, "key", "",
		"a `FILE` with the key for zone transfers: name, algorithm and secret")
	f.BoolVar(&o.survey.noTransfer, "no-transfer", false, "do not ask for whole zones")
	f.BoolVar(&o.forget, "forget", false,
		"do not save the survey and the audit if something is new")
	return c
}

func (p *program) runRecheck(
	ctx context.Context, from *estateOptions, vantage *vantageOptions, out *output, o *recheckOptions,
) error {
	e, made, err := from.readSeen(ctx)
	if err != nil {
		return err
	}
	if err := storeReady(e); err != nil { // what is mended is kept as told
		return err
	}
	base, lived, err := acceptedState(ctx, e)
	if err != nil {
		return err
	}
	seen, err := p.lookAgain(ctx, e, made, vantage, o)
	if err != nil {
		return err
	}
	today := p.now()
	news := recheck.Compare(base, seen.state, lived, today)
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
			return p.show(report.News(news, seen.state, lived, today), out)
		}
		return nil
	}
	if !o.forget {
		if err := p.keepSeen(ctx, e, seen); err != nil {
			return storeFailed(err)
		}
	}
	if err := p.show(report.News(news, seen.state, lived, today), out); err != nil {
		return err
	}
	if base != nil && len(news.Mended) > 0 { // said once it was shown
		if err := p.inStore(e, func(s *store.Store) error { return settled(ctx, s, news.Mended) }); err !=
			nil {
			return storeFailed(err)
		}
	}
	return ended{code: exitFindings}
}

// acceptedState gives what was accepted; a nil state where nothing was.
func acceptedState(ctx context.Context, e *files.Estate) (*recheck.State, []recheck.Acceptance,
	error) {
	s, err := store.Read(e.Folder())
	if err != nil {
		return nil, nil, storeFailed(err)
	}
	defer s.Close()
	base, err := s.Accepted(ctx)
	if errors.Is(err, store.ErrEmpty) {
		base, err = nil, nil
	}
	if err != nil {
		return nil, nil, storeFailed(err)
	}
	lived, err := s.Lived(ctx)
	return base, lived, storeFailed(err)
}

// lookedAgain is what a recheck saw.
type lookedAgain struct {
	state *recheck.State
	keep  func(context.Context, *store.Store) error
}

// lookAgain surveys and audits. Where it was cut off, or nothing could be seen, there is no state,
// but an error.
func (p *program) lookAgain(
	ctx context.Context, e *files.Estate, made *plan.Plan, vantage *vantageOptions, o *recheckOptions,
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
	surveyor.Clues = cluesOf(ctx, made, w)
	v, err := p.takeSurvey(ctx, e, made, surveyor, subjects)
	if err != nil {
		return nil, err
	}
	if v.SawNothing() {
		return nil, failed(sawNothing(w, v))
	}
	a, err := p.runAudit(ctx, made, who, vantage.parallel, true)
	if err != nil {
		return nil, err
	}
	state := recheck.Of(v, a)
	state.Part = len(made.Domains()) < len(made.Whole().Domains())
	return &lookedAgain{state, func(ctx context.Context, s *store.Store) error {
		survey, err := s.KeepSurvey(ctx, v)
		if err != nil {
			return err
		}
		audit, err := s.Keep(ctx, a)
		if err == nil {
			fmt.Fprintf(p.err, "Saved as survey %d and audit %d.\n", survey, audit)
		}
		return err
	}}, nil
}

// inStore does something with the store, whole, whatever interrupts.
func (p *program) inStore(e *files.Estate, do func(*store.Store) error) error {
	p.keeping.Lock()
	defer p.keeping.Unlock()
	s, err := store.Open(e.Folder())
	if err != nil {
		return err
	}
	return errors.Join(do(s), s.Close())
}

func (p *program) keepSeen(ctx context.Context, e *files.Estate, seen *lookedAgain) error {
	return p.inStore(e, func(s *store.Store) error { return seen.keep(context.WithoutCancel(ctx), s) })
}

// settled takes what is mended out of the state that was accepted.
func settled(ctx context.Context, s *store.Store, mended []recheck.Item) error {
	return s.Accept(ctx, func(before *recheck.State) *recheck.State { return before.Settle(mended) })
}

// acceptAll takes what was seen as the state to compare with.
func (p *program) acceptAll(
	ctx context.Context, e *files.Estate, seen *lookedAgain, news *recheck.News, out *output,
) error {
	ctx = context.WithoutCancel(ctx)
	if err := p.keepSeen(ctx, e, seen); err != nil {
		return storeFailed(err)
	}
	err := p.inStore(e, func(s *store.Store) error {
		return s.Accept(ctx, func(before *recheck.State) *recheck.State {
			return recheck.Join(before, seen.state)
		})
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
	if err := p.inStore(e, func(s *store.Store) error {
		if unknown := p.warnUnknown(ctx, s, o.accept, subject); unknown != nil {
			return unknown
		}
		return s.Live(ctx,
			recheck.Acceptance{Code: o.accept, Subject: subject, Until: until, Why: o.why, Given: p.now()})
	}); err != nil {
		var e ended
		if errors.As(err, &e) {
			return err
		}
		return storeFailed(err)
	}
	fmt.Fprintf(p.out, "%s of %s is accepted until %s.\n", o.accept, subject,
		until.Format("2 January 2006"))
	return nil
}

// knownCode reports whether something can be accepted under a name: that of a finding or of a
// change.
func knownCode(code string) error {
	codes := recheck.Codes()
	for _, k := range finding.Rows() {
		codes = append(codes, k.Name)
	}
	if contains(codes, code) {
		return nil
	}
	near := ""
	if n := problem.Nearest(code, codes); n != "" {
		near = "; did you mean " + n + "?"
	}
	return usage("%s: unknown code%s A change is one of %s", code, cmp.Or(near, "."),
		strings.Join(recheck.Codes(), ", "))
}

// warnUnknown refuses what neither the accepted state nor the last survey and audit know, since it
// is a slip of the pen.
func (p *program) warnUnknown(ctx context.Context, s *store.Store, code, subject string) error {
	var known []string
	if base, err := s.Accepted(ctx); err == nil {
		known = append(known, base.Names(code)...)
	}
	latest, _, err := s.LatestSurveys(ctx, func(*survey.Survey) bool { return false })
	if err != nil {
		return err
	}
	a, err := s.Last(ctx)
	if err != nil && !errors.Is(err, store.ErrEmpty) {
		return err
	}
	if len(latest) > 0 {
		known = append(known, recheck.Of(latest[0], a).Names(code)...)
	} else if a != nil {
		known = append(known, recheck.Of(nil, a).Names(code)...)
	}
	if contains(known, subject) {
		return nil
	}
	near := "upperpath recheck shows the present findings"
	if n := problem.Nearest(subject, known); n != "" {
		near = "did you mean " + n + "?"
	}
	return usage("--accept %s %s: no such finding; %s", code, subject, near)
}

func (p *program) withdrawOne(ctx context.Context, from *estateOptions, code,
	subject string) error {
	e, _, err := from.read()
	if err != nil {
		return err
	}
	err = p.inStore(e, func(s *store.Store) error { return s.Unlive(ctx, code, subject) })
	if errors.Is(err, store.ErrNotLived) {
		return usage("--withdraw %s %s: it was not accepted; upperpath recheck --list shows what is",
			code, subject)
	}
	if err == nil {
		fmt.Fprintf(p.out, "%s of %s is no longer accepted.\n", code, subject)
	}
	return storeFailed(err)
}

func (p *program) listAccepted(ctx context.Context, from *estateOptions, out *output) error {
	e, _, err := from.read()
	if err != nil {
		return err
	}
	base, lived, err := acceptedState(ctx, e)
	if err != nil {
		return err
	}
	return p.show(report.Lived(base, lived, p.now()), out)
}
