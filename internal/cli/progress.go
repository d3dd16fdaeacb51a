package cli

import (
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
)

// meter shows progress on a terminal, from the first second on; elsewhere it does nothing.
type meter struct {
	writer  progress.Writer
	tracker *progress.Tracker
	timer   *time.Timer
}

func (p *program) progress(what string, total int) *meter {
	m := &meter{}
	if !p.onTerminal() || p.verbose {
		return m
	}
	m.tracker = &progress.Tracker{Message: what, Total: int64(total), RemoveOnCompletion: true}
	m.writer = progress.NewWriter()
	m.writer.SetOutputWriter(p.err)
	m.writer.SetStyle(progress.StyleBlocks)
	m.writer.SetTrackerLength(30)
	m.writer.SetUpdateFrequency(200 * time.Millisecond)
	m.writer.Style().Visibility.ETA = true
	m.writer.AppendTracker(m.tracker)
	m.timer = time.AfterFunc(time.Second, func() { m.writer.Render() })
	return m
}

func (m *meter) step() {
	if m.tracker != nil {
		m.tracker.Increment(1)
	}
}

func (m *meter) done() {
	if m.tracker == nil {
		return
	}
	m.tracker.MarkAsDone()
	if !m.timer.Stop() {
		m.writer.Stop()
		for m.writer.IsRenderInProgress() {
			time.Sleep(10 * time.Millisecond)
		}
	}
}
