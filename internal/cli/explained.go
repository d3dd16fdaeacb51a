package cli

import (
	"context"
	"errors"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/explain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
	"upperpath.example/upperpath/internal/store"
)

// askedURL reads the URL that is to be explained: one of a door of the estate.
func askedURL(made *plan.Plan, given string) (web.URL, error) {
	text := given
	if !strings.Contains(text, "://") {
		text = "https://" + text
	}
	u, err := web.ParseURL(text)
	switch {
	case err != nil:
		return u, usage("--explain %s: %s", given, err)
	case u.Door().Port != 0:
		return u, usage("--explain %s: doors have no port; expected a URL without one", given)
	case !made.Estate.Holds(u.Host()):
		return u, usage("--explain %s: %s is no host of the estate; expected a URL of one of its domains",
			given, u.Host())
	}
	return u, nil
}

// wantedOf says of a URL what is wanted and what the plan predicts.
func wantedOf(made *plan.Plan, u web.URL) report.Explained {
	return report.Explained{URL: u.String(), Predicted: made.Web.Try(u), Wanted: explain.Wanted{
		Goal: made.Goal(u), Left: leftAlone(made, u)}}
}

// leftAlone reports whether a URL of a door that forwards is never redirected.
func leftAlone(made *plan.Plan, u web.URL) bool {
	return made.Forwards(u.Door()) && made.Web.Treatment(u.Door()).Exempts(u)
}

// seenOf follows a URL, judges what is met, and says so.
func seenOf(ctx context.Context, made *plan.Plan, who *crowd, u web.URL, name string) report.Seen {
	w := who.first()
	probe := chain.Asked
	if leftAlone(made, u) {
		probe = chain.WellKnown
	}
	c := chain.Follow(ctx, w, chain.Ask{URL: u}, probe)
	judge := chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
		Forwards: made.Forwards, HSTS: made.HSTS, Exempt: made.Exempt, Clues: made.Clues()}
	judge.Chain(&c, made.Goal(u))
	return report.Seen{Name: name, Chain: c, Notes: who.notes()}
}

// explainRehearsed shows what one URL should do and does on the stage, and did when it was seen
// last.
func (p *program) explainRehearsed(ctx context.Context, e *files.Estate, made *plan.Plan,
	o *stageOptions, given string, out *output) error {
	u, err := askedURL(made, given)
	if err != nil {
		return err
	}
	all := wantedOf(made, u)
	err = p.onRehearsal(ctx, e, made, o, func(ctx context.Context, who *crowd, _ stage.Typed) error {
		all.Seen = append(all.Seen, seenOf(ctx, made, who, u, "rehearsed"))
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	observed, at, err := p.observed(ctx, e, u)
	if err != nil {
		return err
	}
	if observed != nil {
		all.Seen = append(all.Seen, report.Seen{Name: "observed", At: at, Chain: *observed})
	}
	return p.showExplained(all, out)
}

// explainLive shows the same of what is met from a vantage now.
func (p *program) explainLive(ctx context.Context, made *plan.Plan, who *crowd, given string,
	out *output) error {
	u, err := askedURL(made, given)
	if err != nil {
		return err
	}
	all := wantedOf(made, u)
	all.Seen = []report.Seen{seenOf(ctx, made, who, u, "observed")}
	if err := ctx.Err(); err != nil {
		return err
	}
	return p.showExplained(all, out)
}

func (p *program) showExplained(all report.Explained, out *output) error {
	if err := p.show(report.Explanation(all), out); err != nil {
		return err
	}
	if !all.Same() {
		return ended{code: exitFindings}
	}
	return nil
}

// observed gives the chain of a URL in the last saved audit; nil where it is not in it, or there is
// none.
func (p *program) observed(ctx context.Context, e *files.Estate, u web.URL) (*chain.Chain,
	time.Time, error) {
	s, err := store.Read(ofEstate(e))
	if errors.Is(err, store.ErrEmpty) {
		return nil, time.Time{}, nil
	}
	if err != nil {
		return nil, time.Time{}, storeFailed(err)
	}
	defer s.Close()
	a, err := s.Last(ctx)
	if errors.Is(err, store.ErrEmpty) {
		return nil, time.Time{}, nil
	}
	if err != nil {
		return nil, time.Time{}, storeFailed(err)
	}
	for i := range a.Chains {
		if a.Chains[i].Entry == u {
			return &a.Chains[i], a.Started, nil
		}
	}
	return nil, time.Time{}, nil
}
