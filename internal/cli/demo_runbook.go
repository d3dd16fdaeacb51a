package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
)

// playRunbook works the runbook of a plan through on a stage that begins as it is today. Whatever a
// step asks for is done there; whether it worked is looked at as it is in the world. Waits are over
// at once: the clock is turned on.
func (p *demoPlay) playRunbook(ctx context.Context, made *plan.Plan, scene stage.Scene) error {
	player, err := stage.Play(scene, made)
	if err != nil {
		return failed(fmt.Errorf("starting the stage for the runbook: %w", err))
	}
	defer player.Close()
	clock := p.now()
	began := clock
	vantage := player.Vantage()
	vantage.Name, vantage.Agent = "the stage", agent(made.Estate.Contact)
	vantage.Clock = func() time.Time { return clock }
	book, tasks := report.RunbookOf(made, "", clock), made.Tasks()
	book.Witnessed(report.AuditFirst, clock) // the act before
	// each look is somebody else's: connections that are kept would show what was there before
	proceed := func() (runbook.Progress, error) {
		w, err := live.New(vantage)
		if err != nil {
			return runbook.Progress{}, failed(err)
		}
		defer w.Close()
		return book.Proceed(ctx, &live.Asker{
			Surveyor: &live.Surveyor{Web: w, Parallel: 8, NamesAlone: true},
			Judge: chain.Judge{Now: clock, Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
				Forwards: made.Forwards},
			Goals: made.Goal,
		}, clock)
	}
	tried := 0
	for range 4 * len(tasks) {
		progress, err := proceed()
		if err != nil {
			return err
		}
		if p.all {
			if err := p.tell(report.Played(book, progress, clock)); err != nil {
				return err
			}
		}
		switch t := progress.Open; {
		case t == nil && len(progress.Waiting) == 0:
			return p.workedThrough(book, clock.Sub(began))
		case t == nil:
			clock = progress.Waiting[0].Until
			for _, waits := range progress.Waiting {
				if waits.Until.Before(clock) {
					clock = waits.Until
				}
			}
		case len(t.Expects) == 0:
			if err := errors.Join(player.Do(tasks[t.Number-1]), book.Mark(t.Number, clock)); err != nil {
				return failed(err)
			}
		case tried == t.Number: // it was done, and its check does not hold
			return p.tell(report.Runbook(book, &progress, report.Ready{}, clock))
		default:
			tried = t.Number
			if err := player.Do(tasks[t.Number-1]); err != nil {
				return failed(err)
			}
		}
	}
	return nil
}

// workedThrough says how a runbook ended, and what it came to in time.
func (p *demoPlay) workedThrough(book *runbook.Book, took time.Duration) error {
	if p.all {
		return p.tell(report.RunbookVerdict(book))
	}
	if err := p.tell(report.BookInFew(book)); err != nil {
		return err
	}
	if err := p.tell(report.InFew(report.RunbookVerdict(book), 0, "")); err != nil {
		return err
	}
	_, err := fmt.Fprintf(p.out, "Real waits would have taken %s.\n→ upperpath runbook\n",
		wording.Span(took))
	return err
}
