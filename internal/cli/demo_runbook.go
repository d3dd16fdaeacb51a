package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
	"upperpath.example/upperpath/internal/words"
)

// playRunbook works the runbook of a plan through on a stage that begins as it is today. Whatever a
// step asks for is done there; whether it worked is looked at as it is in the world. Waits are over
// at once: the clock is turned on.
func (p *demoPlay) playRunbook(ctx context.Context, e *files.Estate, made *plan.Plan,
	scene stage.Scene) error {
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
	sent := playedSending{demoPlay: p, estate: e, made: made, vantage: vantage, book: book,
		now: func() time.Time { return clock }}
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
			return p.workedThrough(book, clock.Sub(began), sent.steps, sent.undone)
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
			done, err := sent.step(ctx, t)
			if err != nil {
				return failed(err)
			}
			if done {
				break
			}
			if err := player.Do(tasks[t.Number-1]); err != nil {
				return failed(err)
			}
		}
	}
	return nil
}

// workedThrough says how a runbook ended, and what it came to in time.
func (p *demoPlay) workedThrough(book *runbook.Book, took time.Duration, sent, undone int) error {
	if p.all {
		return p.tell(report.RunbookVerdict(book))
	}
	if err := p.tell(report.BookInFew(book)); err != nil {
		return err
	}
	if err := p.tell(report.InFew(report.RunbookVerdict(book), 0, "")); err != nil {
		return err
	}
	_, err := fmt.Fprintf(p.out, words.PlayedRunbook, sent, undone, wording.Span(took))
	return err
}

// playedSending sends the steps of a played runbook that are records to name servers of the stage
// which take updates, as send does. The first of them it takes back, and sends again.
type playedSending struct {
	*demoPlay
	estate  *files.Estate
	made    *plan.Plan
	vantage live.Vantage
	book    *runbook.Book
	now     func() time.Time
	steps   int
	undone  int // the step that was taken back
}

// step sends a step, and reports whether it could: others are done by hand.
func (s *playedSending) step(ctx context.Context, t *runbook.Task) (bool, error) {
	if s.estate.Places[t.Provider].Send != estate.SendUpdate || len(t.Typed) == 0 {
		return false, nil
	}
	done, since := s.book.TypedBefore(&runbook.Task{}, s.now())
	sending := s.made.SendNow(done, since, t.Typed)
	if len(sending.ByHand) > 0 || len(sending.Transfers) == 0 {
		return false, nil
	}
	w, err := live.New(s.vantage)
	if err != nil {
		return false, err
	}
	defer w.Close()
	at, err := s.placeOf(s.estate, w, t.Provider)
	if err != nil {
		return false, err
	}
	carry := func(tr send.Transfer) error {
		e, err := send.Carry(ctx, at.Place, clock{s.now}, send.Entry{Step: t.Number, Key: t.Key}, tr,
			func(*send.Entry) error { return nil })
		if err == nil && !e.Outcome.Good() {
			err = fmt.Errorf("step %d: %s", t.Number, fact.Text(e.Why()))
		}
		return err
	}
	for _, tr := range sending.Transfers {
		if err := carry(tr); err != nil {
			return false, err
		}
	}
	if s.steps++; s.undone == 0 {
		s.undone = t.Number
		for _, tr := range slices.Backward(sending.Transfers) {
			if err := carry(tr.Back()); err != nil {
				return false, err
			}
		}
		for _, tr := range sending.Transfers {
			if err := carry(tr); err != nil {
				return false, err
			}
		}
	}
	return true, nil
}
