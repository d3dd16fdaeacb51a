// Package runbook is the list of steps that somebody works through: what has to be seen before a
// step counts as done, when it may be done, what was done and when. It asks an expect.Asker, and
// knows neither how that is asked nor how steps are said.
//
//	book := runbook.New(canonical, "", tasks, start)
//	// marks what is done, and stops at the first step that is not
//	progress, err := book.Proceed(ctx, asker, now)
//	book.Mark(3, now)                       // by hand
//
// # How it is worked through
//
// plan.Tasks parts the steps by place and says for each what is typed there and what has to be seen
// once it is done; report.RunbookOf says it in words; runbook.Book holds that with what was done,
// and is kept whole, for each scope. Book.Proceed walks it through against an asker (live.Asker; in
// tests a map): it marks what is seen, passes over what waits, and stops at the first step that is
// not done. It never takes silence for an answer. stage.Player carries tasks out on a stage, so
// that demo and a script see a whole cutover.
package runbook

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/world"
)

// Schema names the shape of a runbook in JSON.
const Schema = "upperpath/runbook/1"

// Book is a runbook with what was done.
type Book struct {
	Schema    string `json:"schema"`
	Canonical string `json:"canonical"`
	// which domains are meant: a wave or one domain; "" for all
	Scope string    `json:"scope,omitempty"`
	Start time.Time `json:"start"`
	// stands for the estate file and rules of which it was made
	Source string `json:"source,omitempty"`
	Tasks  []Task `json:"tasks"`
}

// Task is a step at one place.
type Task struct {
	Number   int    `json:"number"` // from 1
	Key      string `json:"key"`    // the same for the same step of a later plan
	Says     string `json:"says"`
	Provider string `json:"provider,omitempty"` // at whose page
	// domains, hosts or record sets that it is about
	Names []string `json:"names,omitempty"`
	Copy  []string `json:"copy,omitempty"` // values, a line each
	// tasks to be done before, whose wait has to be over
	After []int `json:"after,omitempty"`
	// how long after those it may be done, in seconds
	Delay int `json:"delay,omitempty"`
	// how long to wait once it is done, in seconds
	Wait  int    `json:"wait,omitempty"`
	Idle  bool   `json:"idle,omitempty"`  // there is nothing to do but wait
	Shows string `json:"shows,omitempty"` // what to see when it worked
	Back  string `json:"back,omitempty"`  // the way back, and what it costs
	// what is typed, and what takes it back, each in this order
	Typed []world.Row `json:"typed,omitempty"`
	Undo  []world.Row `json:"undo,omitempty"`
	// stands for what the entries say beyond their boxes, such as the rules of a configuration
	Means string `json:"means,omitempty"`
	// what shows that it is done; none: nobody can see it from outside
	Expects []expect.Expectation `json:"expects,omitempty"`
	// what shows that it is taken back; none: nobody can see it from outside
	Restored []expect.Expectation `json:"restored,omitempty"`
	Hidden   int                  `json:"hidden,omitempty"` // rows of Undo that nobody can see so
	Done     time.Time            `json:"done,omitzero"`
	// somebody said that it is done; nobody looked
	ByHand bool `json:"by_hand,omitempty"`
}

// IsDone reports whether a task is done.
func (t *Task) IsDone() bool { return !t.Done.IsZero() }

// ErrNoTask says that there is no task with a number.
var ErrNoTask = fact.Err(fact.NoSuchStep{})

// ErrNotDone says that a task is to be taken back that is not done.
var ErrNotDone = fact.Err(fact.StepNotDone{})

// New makes a runbook of tasks in their order.
func New(canonical, scope string, tasks []Task, start time.Time) *Book {
	b := &Book{Schema: Schema, Canonical: canonical, Scope: scope,
		Start: start.UTC().Truncate(time.Second), Tasks: tasks}
	for i := range b.Tasks {
		b.Tasks[i].Number = i + 1
	}
	return b
}

// Adopted is what became of the steps that were done in a former book.
type Adopted struct {
	Done  int   // steps that are done in this book too
	Again []int // numbers of steps that were done, and are open since what is typed there changed
	Kept  []int // numbers of steps that were done, and that this plan has no more
}

// kind gives what is done in a task, and where.
func (t *Task) kind() string {
	name, rest, _ := strings.Cut(t.Key, "|")
	place, _, _ := strings.Cut(rest, "|")
	return name + "|" + place
}

// rows gives what is typed in a task, as it is compared.
func (t *Task) rows() []string {
	all := make([]string, len(t.Typed))
	for i, r := range t.Typed {
		all[i] = fmt.Sprint(r.Zone, " ", r.Domain, " ", r.TTL, " ", r)
	}
	return all
}

// Adopt takes over what was done in a former book. A step is done here too where all that it has
// typed was typed there, and what that means is the same; one in which nothing is typed, where the
// same step is done there, and all that comes before it here. What was done and has no like in this
// book, since it is seen to be done, stays before all others, and what was to wait for it waits on.
func (b *Book) Adopt(former *Book) Adopted {
	var made Adopted
	done := map[string][]*Task{} // by kind
	for i := range former.Tasks {
		if t := &former.Tasks[i]; t.IsDone() {
			done[t.kind()] = append(done[t.kind()], t)
		}
	}
	here := map[*Task]bool{} // of the former book: they are in this one too
	for i := range b.Tasks {
		t := &b.Tasks[i]
		same, last, again := b.match(t, done[t.kind()])
		switch {
		case last != nil && !again:
			t.Done, t.ByHand = last.Done, last.ByHand
			made.Done++
		case again:
			made.Again = append(made.Again, t.Number)
		}
		for _, o := range same {
			here[o] = here[o] || last != nil
		}
	}
	kept := b.keepDone(former, here)
	for i := range made.Again {
		made.Again[i] += kept
	}
	for n := range kept {
		made.Kept = append(made.Kept, n+1)
	}
	return made
}

// match looks which of the tasks that were done, all of one kind, are the same as one of this book.
// last is the one of them that was done last, nil where this one was not begun; again tells that it
// is open again, since what is typed there, or what that means, has changed.
func (b *Book) match(t *Task, done []*Task) (same []*Task, last *Task, again bool) {
	typed, meant := map[string]bool{}, t.Means == ""
	rows := t.rows()
	for _, o := range done {
		for _, row := range o.rows() {
			typed[row] = true
		}
		meant = meant || o.Means == t.Means || o.Means == ""
		if slices.Equal(o.rows(), rows) && (len(rows) > 0 || o.Key == t.Key) ||
			len(o.Typed) == 0 && o.Key == t.Key { // nothing is typed, or nobody wrote it down
			same = append(same, o)
		}
	}
	covers := meant
	for _, row := range rows {
		covers = covers && typed[row]
	}
	switch {
	case len(done) == 0:
		return nil, nil, false
	case len(rows) > 0 && covers, len(rows) > 0 && meant && len(same) > 0,
		len(rows) == 0 && len(same) > 0 && b.ready(t):
	case len(rows) == 0 && len(same) == 0, len(rows) > 0 && meant && !touched(t, typed):
		return same, nil, false
	default:
		again = true
	}
	last = slices.MaxFunc(done, func(x, y *Task) int { return x.Done.Compare(y.Done) })
	return same, last, again
}

// touched reports whether some of what a task has typed was typed already.
func touched(t *Task, typed map[string]bool) bool {
	return slices.ContainsFunc(t.rows(), func(row string) bool { return typed[row] })
}

// keepDone puts the steps of a former book that are done, and are not here, before those of this
// one, and says how many. Steps of the kinds that came after them there come after them here too.
func (b *Book) keepDone(former *Book, here map[*Task]bool) int {
	kind := func(t *Task) string {
		name, _, _ := strings.Cut(t.Key, "|")
		return name
	}
	kept := map[int]int{}               // numbers here, by those there
	behind := map[int]map[string]bool{} // kinds of steps that come after each of them
	var all []Task
	for i := range former.Tasks {
		t := former.Tasks[i]
		for _, n := range t.After {
			if behind[n] == nil {
				behind[n] = map[string]bool{}
			}
			behind[n][kind(&t)] = true
		}
		if !t.IsDone() || here[&former.Tasks[i]] {
			continue
		}
		var after []int
		for _, n := range t.After {
			if at, is := kept[n]; is {
				after = append(after, at)
			}
		}
		kept[t.Number] = len(all) + 1
		t.Number, t.After = len(all)+1, after
		all = append(all, t)
	}
	for _, t := range b.Tasks {
		t.Number, t.After = t.Number+len(kept), slices.Clone(t.After)
		for i := range t.After {
			t.After[i] += len(kept)
		}
		for there, at := range kept {
			if behind[there][kind(&t)] {
				t.After = append(t.After, at)
			}
		}
		slices.Sort(t.After)
		all = append(all, t)
	}
	b.Tasks = all
	return len(kept)
}

// TakeDone takes over steps that were found done in a copy of this book: those of these numbers
// there, where the same step is in this one and not done yet.
func (b *Book) TakeDone(copied *Book, numbers []int) {
	for _, n := range numbers {
		from, err := copied.task(n)
		if err != nil {
			continue
		}
		at := slices.IndexFunc(b.Tasks, func(o Task) bool { return o.Key == from.Key && !o.IsDone() })
		if at >= 0 {
			b.Tasks[at].Done, b.Tasks[at].ByHand = from.Done, from.ByHand
		}
	}
}

// Task gives the step with a number. The error is ErrNoTask.
func (b *Book) Task(number int) (*Task, error) { return b.task(number) }

func (b *Book) task(number int) (*Task, error) {
	if number < 1 || number > len(b.Tasks) {
		return nil,
			fact.ErrOf(ErrNoTask, fact.NoSuchStep{Step: number, Steps: len(b.Tasks)})
	}
	return &b.Tasks[number-1], nil
}

// noEarlier gives now, or when the last step was done where a clock of somebody else, which marked
// it, is ahead: what is done was done before.
func (b *Book) noEarlier(now time.Time) time.Time {
	for i := range b.Tasks {
		now = later(now, b.Tasks[i].Done)
	}
	return now
}

// Mark says that a step is done, though nobody looked. The error is ErrNoTask.
func (b *Book) Mark(number int, now time.Time) error {
	now = b.noEarlier(now)
	t, err := b.task(number)
	if err == nil && !t.IsDone() {
		t.Done, t.ByHand = now.UTC().Truncate(time.Second), true
	}
	return err
}

// Seen marks the step with a key as done, which was looked at. It reports whether it was open.
func (b *Book) Seen(key string, now time.Time) bool {
	for i := range b.Tasks {
		if t := &b.Tasks[i]; t.Key == key && !t.IsDone() {
			t.Done, t.ByHand = b.noEarlier(now).UTC().Truncate(time.Second), false
			return true
		}
	}
	return false
}

// Witnessed marks the steps that bear a name, and are not done, as done at a time: what they are
// for was kept then. It gives their numbers.
func (b *Book) Witnessed(name string, at time.Time) []int {
	var numbers []int
	for i := range b.Tasks {
		t := &b.Tasks[i]
		if own, _, _ := strings.Cut(t.Key, "|"); own != name || t.IsDone() {
			continue
		}
		t.Done = at.UTC().Truncate(time.Second)
		numbers = append(numbers, t.Number)
	}
	return numbers
}

// Early is why it is too early to do a step.
type Early struct {
	Number int
	Open   []int     // steps to be done before it that are open; waits are no such steps
	Until  time.Time // how long it waits still; the zero time where steps are open, or it is over
}

// Early says which of some steps it is too early to do by now, were they done in their order: what
// stands in the way of each. Those that are done are never early. The error is ErrNoTask.
func (b *Book) Early(numbers []int, now time.Time) ([]Early, error) {
	now = b.noEarlier(now)
	meant := map[int]bool{}
	for _, n := range numbers {
		if _, err := b.task(n); err != nil {
			return nil, err
		}
		meant[n] = true
	}
	copied := *b
	copied.Tasks = slices.Clone(b.Tasks)
	over := make([]time.Time, len(b.Tasks))
	var all []Early
	for i := range copied.Tasks {
		t := &copied.Tasks[i]
		times := copied.timesOf(i, over)
		if !meant[t.Number] || t.IsDone() {
			continue
		}
		e := Early{Number: t.Number, Open: copied.openBefore(t)}
		from := times.From
		if t.Idle {
			from = times.Until
		}
		if len(e.Open) == 0 && from.After(now) {
			e.Until = from
		}
		if len(e.Open) > 0 || !e.Until.IsZero() {
			all = append(all, e)
		}
		t.Done = now
		copied.timesOf(i, over)
	}
	return all, nil
}

// openBefore gives the steps that are to be done before a task and are open, in order; waits are
// passed through.
func (b *Book) openBefore(t *Task) []int {
	var open []int
	seen := map[int]bool{}
	left := slices.Clone(t.After)
	for len(left) > 0 {
		n := left[len(left)-1]
		left = left[:len(left)-1]
		switch before := &b.Tasks[n-1]; {
		case seen[n] || before.IsDone():
		case before.Idle:
			left = append(left, before.After...)
		default:
			open = append(open, n)
		}
		seen[n] = true
	}
	slices.Sort(open)
	return open
}

// Unmark says that a step is not done after all. The error is ErrNoTask or ErrNotDone.
func (b *Book) Unmark(number int) error {
	t, err := b.task(number)
	switch {
	case err != nil:
		return err
	case !t.IsDone():
		return fmt.Errorf("step %d: %w", number, ErrNotDone)
	}
	t.Done, t.ByHand = time.Time{}, false
	return nil
}

// StartAt has the book begin at another time. What is waited for from its beginning on is waited
// for until the same time as before, at least.
func (b *Book) StartAt(start time.Time) {
	if start = start.UTC().Truncate(time.Second); start.Before(b.Start) {
		for i := range b.Tasks {
			if t := &b.Tasks[i]; t.Idle && len(t.After) == 0 {
				t.Wait += int(b.Start.Sub(start).Seconds())
			}
		}
	}
	b.Start = start
}

// DoneCount says how many steps are done.
func (b *Book) DoneCount() int {
	n := 0
	for i := range b.Tasks {
		if b.Tasks[i].IsDone() {
			n++
		}
	}
	return n
}

// Times are when a task may be done, and until when to wait then.
type Times struct {
	From  time.Time // what has to be done before is done by then, and its wait is over
	Until time.Time // the zero time: there is no wait behind it
	Sure  bool      // everything before it is done, so that From is no forecast
}

// Times gives the times of every task, in their order. Of what is not done yet they say when it
// could be, were everything done as soon as it may be.
func (b *Book) Times() []Times {
	all := make([]Times, len(b.Tasks))
	over := make([]time.Time, len(b.Tasks))
	for i := range b.Tasks {
		all[i] = b.timesOf(i, over)
	}
	return all
}

// timesOf gives the times of a task. over holds, for each before it, from when on it stands in
// nobody's way, and then for this one too.
func (b *Book) timesOf(i int, over []time.Time) Times {
	t := &b.Tasks[i]
	at := Times{From: b.Start, Sure: true}
	for _, n := range t.After {
		at.Sure = at.Sure && b.Tasks[n-1].IsDone()
		at.From = later(at.From, over[n-1])
	}
	at.From = at.From.Add(time.Duration(t.Delay) * time.Second)
	wait := time.Duration(t.Wait) * time.Second
	switch {
	case t.Idle:
		at.Until = at.From.Add(wait)
	case t.IsDone() && wait > 0:
		at.Until = t.Done.Add(wait)
	case wait > 0:
		at.Until = at.From.Add(wait)
	}
	switch {
	case t.Idle && t.IsDone():
		over[i] = t.Done
	case !at.Until.IsZero():
		over[i] = at.Until
	case t.IsDone():
		over[i] = t.Done
	default:
		over[i] = at.From
	}
	return at
}

// TypedBefore gives what was typed in the steps that are done, and in one more, with the times
// between them, and how many seconds ago the last of it was.
func (b *Book) TypedBefore(and *Task, now time.Time) (all []world.Typing, since int) {
	var last time.Time
	for i := range b.Tasks {
		t := &b.Tasks[i]
		if !t.IsDone() && t.Number != and.Number {
			continue
		}
		typing := world.Typing{Rows: t.Typed}
		if t.IsDone() {
			if t.Done.After(last) && !last.IsZero() {
				typing.After = int(t.Done.Sub(last).Seconds())
			}
			last = later(last, t.Done)
		}
		all = append(all, typing)
	}
	if !last.IsZero() && now.After(last) {
		since = int(now.Sub(last).Seconds())
	}
	return all, since
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// ready reports whether everything that has to be done before a task is done, waits aside.
func (b *Book) ready(t *Task) bool {
	return !slices.ContainsFunc(t.After, func(n int) bool { return !b.Tasks[n-1].IsDone() })
}

// Next gives the first step that is to be done, nil where none is.
func (b *Book) Next() *Task {
	for i := range b.Tasks {
		if t := &b.Tasks[i]; !t.IsDone() && !t.Idle && b.ready(t) {
			return t
		}
	}
	return nil
}

// Progress is what came of checking a runbook.
type Progress struct {
	Done    []int           // numbers of the steps that were found to be done now
	Waiting []Waiting       // steps that may not be done yet
	Open    *Task           // the first step that is not done; nil: none
	Missing []fact.Sentence // what is not as it has to be for Open
	Unseen  []fact.Sentence // what nobody answered about, for Open
}

// Waiting is a step that waits, and until when.
type Waiting struct {
	Number int
	Until  time.Time
}

// Proceed looks, step by step, whether what is to be seen is seen. It marks what is done with the
// time, passes over what still waits and says so, and stops at the first step that is not done.
// Where the context ends, it stops with its error; what was marked until then stays.
func (b *Book) Proceed(ctx context.Context, asker expect.Asker, now time.Time) (Progress, error) {
	now = b.noEarlier(now)
	var p Progress
	over := make([]time.Time, len(b.Tasks))
	for i := range b.Tasks {
		t := &b.Tasks[i]
		times := b.timesOf(i, over)
		if t.IsDone() || !b.ready(t) {
			continue
		}
		from := times.From
		if t.Idle {
			from = times.Until
		}
		if now.Before(from) {
			p.Waiting = append(p.Waiting, Waiting{t.Number, from})
			continue
		}
		if !t.Idle {
			if len(t.Expects) == 0 {
				p.Open = t
				return p, ctx.Err()
			}
			missing, unseen := Look(ctx, asker, t.Expects)
			if err := ctx.Err(); err != nil {
				return p, err
			}
			if len(missing)+len(unseen) > 0 {
				p.Open, p.Missing, p.Unseen = t, missing, unseen
				return p, nil
			}
		}
		if t.Done = now.UTC().Truncate(time.Second); t.Idle {
			t.Done = from // that is when the wait was over, whenever somebody looks
		}
		p.Done = append(p.Done, t.Number)
		b.timesOf(i, over)
	}
	slices.SortFunc(p.Waiting, func(a, b Waiting) int { return cmp.Compare(a.Number, b.Number) })
	return p, ctx.Err()
}

// mostTasks is how many steps a runbook may have: ten for each domain of the largest estate.
const mostTasks = 200_000

// Check reports whether a runbook that was kept can be one of this program.
func (b *Book) Check() error {
	if b.Schema != Schema {
		return fact.Err(fact.RunbookSchema{Schema: b.Schema, Wanted: Schema})
	}
	if len(b.Tasks) > mostTasks {
		return fact.Err(fact.RunbookLong{Steps: len(b.Tasks), Most: mostTasks})
	}
	for i, t := range b.Tasks {
		if t.Number != i+1 {
			return fact.Err(fact.StepNumber{Number: t.Number, Place: i + 1})
		}
		for _, n := range t.After {
			if n < 1 || n >= t.Number {
				return fact.Err(fact.StepOrder{Step: t.Number, After: n})
			}
		}
		for _, e := range slices.Concat(t.Expects, t.Restored) {
			switch e.Kind {
			case expect.Records, expect.TTLAtMost, expect.TTLAtLeast, expect.Zone, expect.Delegation,
				expect.NoDS, expect.Certificate, expect.Door:
			default: // nothing would be asked, and so nothing be missing
				return fact.Err(fact.StepAsks{Step: t.Number, Kind: string(e.Kind)})
			}
			if e.Kind == expect.Door && len(e.Values) != 1 {
				return fact.Err(fact.StepNowhere{Step: t.Number})
			}
		}
	}
	return nil
}
