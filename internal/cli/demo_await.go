package cli

import (
	"context"
	"fmt"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
)

// turnedClock is a clock on which a second passes at once.
type turnedClock struct {
	lock sync.Mutex
	now  time.Time
}

// atOnce is how long a time takes that is waited for on the stage, so that what was asked is
// answered first.
const atOnce = 20 * time.Millisecond

func (c *turnedClock) Now() time.Time {
	c.lock.Lock()
	defer c.lock.Unlock()
	return c.now
}

func (c *turnedClock) After(d time.Duration) <-chan time.Time {
	passed := make(chan time.Time, 1)
	time.AfterFunc(atOnce, func() {
		c.lock.Lock()
		defer c.lock.Unlock()
		c.now = c.now.Add(d)
		passed <- c.now
	})
	return passed
}

// playAwait waits, on a stage that begins as it is today, for what the plan wants of one name,
// while somebody carries the plan out.
func (p *demoPlay) playAwait(ctx context.Context, made *plan.Plan, scene stage.Scene,
	name string) error {
	player, err := stage.Play(scene, made)
	if err != nil {
		return failed(fmt.Errorf("starting the stage for the wait: %w", err))
	}
	defer player.Close()
	clock := &turnedClock{now: p.now()}
	vantage := player.Vantage()
	vantage.Name, vantage.Agent, vantage.Clock = "the stage", agent(made.Estate.Contact), clock.Now
	w, err := live.New(vantage)
	if err != nil {
		return failed(err)
	}
	defer w.Close()
	zones, all, err := awaited(made, name)
	if err != nil {
		return err
	}
	asker := awaiter(made, w)
	places, _ := asker.Places(ctx, zones, w.Resolvers())
	a := &report.Awaiting{Canonical: made.Canonical, Vantage: vantage.Name, Started: clock.Now(),
		Board: await.New(all, places, clock.Now())}
	lines, changed := p.awaitLines(a, clock.Now), false
	err = await.Run(ctx, a.Board, asker, clock, func(changes []await.Change) error {
		if p.all || !changed {
			if err := lines(changes); err != nil {
				return err
			}
		}
		if changed || !a.Board.Looked() {
			return nil
		}
		changed = true
		for _, t := range made.Tasks() {
			if err := player.Do(t); err != nil {
				return failed(err)
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	a.Ended = clock.Now()
	if err := p.tell(report.AwaitBrief(a)); err != nil || p.all {
		return err
	}
	_, err = fmt.Fprintln(p.out, "→ upperpath await --for www.lacemill-museum.example")
	return err
}
