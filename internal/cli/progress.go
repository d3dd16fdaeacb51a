package cli

import (
	"fmt"
	"io"
	"sync/atomic"
	"time"
)

// meter shows on one line of a terminal how far a work is, from the first second on; elsewhere it
// does nothing.
type meter struct {
	count atomic.Int64
	over  atomic.Int64 // that need not be done
	end   chan struct{}
	ended chan struct{}
}

// progress starts a meter. It is quiet under --verbose, whose lines it would disturb.
func (p *program) progress(what string, total int, of string) *meter {
	m := &meter{end: make(chan struct{}), ended: make(chan struct{})}
	if !p.onTerminal() || p.verbose {
		close(m.ended)
		return m
	}
	go m.show(p.err.to, what, total, of)
	return m
}

func (m *meter) show(w io.Writer, what string, total int, of string) {
	defer close(m.ended)
	const width = 30
	began := time.Now()
	tick := time.NewTicker(200 * time.Millisecond)
	defer tick.Stop()
	shown := false
	for {
		select {
		case <-m.end:
			if shown {
				fmt.Fprint(w, "\r\x1b[K")
			}
			return
		case <-tick.C:
		}
		if time.Since(began) < time.Second {
			continue
		}
		shown = true
		if total == 0 {
			fmt.Fprintf(w, "\r\x1b[K%s, %d s", what, int(time.Since(began).Seconds()))
			continue
		}
		over := int(m.over.Load())
		done := int(m.count.Load()) + over
		bar := make([]rune, width)
		for i := range bar {
			bar[i] = '·'
			if i < width*done/max(1, total) {
				bar[i] = '━'
			}
		}
		fmt.Fprintf(
			w,
			"\r\x1b[K%s  %s  %d of %d %s, %s",
			what,
			string(bar),
			done,
			total,
			of,
			pace(done-over, total-done, time.Since(began)),
		)
	}
}

// longWork is from when on a work is said to have a pace.
const longWork = 10 * time.Second

// pace says how long a work takes, and of a long one how fast it goes and for how long still.
func pace(done, left int, took time.Duration) string {
	says := fmt.Sprintf("%d s", int(took.Seconds()))
	if took < longWork || done == 0 {
		return says
	}
	rate := float64(done) / took.Seconds()
	rest := time.Duration(float64(left) / rate * float64(time.Second)).Round(time.Second)
	return fmt.Sprintf("%s, %.0f a second, %s left", says, rate, rest)
}

func (m *meter) step() { m.count.Add(1) }

// skip counts what need not be done.
func (m *meter) skip() { m.over.Add(1) }

func (m *meter) done() {
	close(m.end)
	<-m.ended
}
