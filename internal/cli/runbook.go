package cli

import (
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

// runbookOptions are the options of runbook beside those of every command.
type runbookOptions struct {
	start            string
	check, anew, yes bool
	done, undo       stepNumbers
	back             int
	adopted          *runbook.Adopted // where the runbook was made anew
}

func (p *program) runbook() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o runbookOptions
	c := &cobra.Command{
		Use:   "runbook",
		Short: "Work through the plan's steps, and see whether each worked",
		Long: `runbook turns the plan's steps into a list to work through: at whose page, what to
copy, how long to wait, what to check, how to undo it. --check looks whether the next steps
are done, marks those that are, and stops at the first that is not. What cannot be seen from
outside is marked by hand: --done 4, --done 11,12 or --done 3-6. Before its turn or its time
a step is marked only once you agree. Progress is saved in .upperpath/, separately for each
--only.

--back shows how a step is undone, and what that costs; with --check, it looks whether all is as
it was before. An error in the plan keeps the runbook NOT READY, unless one of its own steps
fixes it.`,
		Example: `  upperpath runbook
  upperpath runbook --format html > runbook.html
  upperpath runbook --check
  upperpath runbook --done 1-4
  upperpath runbook --undo 3,4
  upperpath runbook --back 2 --check
  upperpath runbook --start 21:00`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			return p.runRunbook(c.Context(), &from, &vantage, &out, &o)
		},
	}
	from.flags(c)
	vantage.flags(c)
	out.flags(c)
	f := c.Flags()
	f.StringVar(&o.start, "start", "",
		"begin at this `TIME`, such as 21:00 or \"2026-12-01 21:00\" (default: now)")
	f.BoolVar(&o.check, "check", false,
		"check whether the next open steps are done, and mark those that are")
	f.Var(&o.done, "done", "mark the steps with these `NUMBERS` as done, unchecked: 4, 11,12 or 3-6")
	f.Var(&o.undo, "undo", "mark the steps with these `NUMBERS` as not done")
	f.BoolVar(&o.yes, "yes", false, "mark steps before their turn or their time without a question")
	f.IntVar(&o.back, "back", 0, "show how the step with this `NUMBER` is undone, and what that costs")
	f.BoolVar(&o.anew, "anew", false,
		"rebuild the runbook from the present plan; what is done stays done")
	return c
}

func (p *program) runRunbook(
	ctx context.Context,
	from *estateOptions,
	vantage *vantageOptions,
	out *output,
	o *runbookOptions,
) error {
	marks := len(o.done)+len(o.undo) > 0
	if o.back != 0 && (marks || o.anew || o.start != "") {
		return usage("--back %d goes with --check alone: leave --done, --undo, --anew and --start away",
			o.back)
	}
	e, made, err := from.readSeen(ctx)
	if err != nil {
		return err
	}
	begin, err := p.beginning(e, made, from.only, o)
	if err != nil {
		return err
	}
	book, begun, err := p.bookOf(ctx, e, begin, o)
	if err != nil {
		return err
	}
	if o.back != 0 {
		return p.wayBack(ctx, e, made, vantage, out, o, book, begin)
	}
	errs := made.Errors()
	ready := report.ReadyOf(made, errs, book)
	if o.check && len(ready.Faults) > 0 && !begun {
		if err := p.show(report.Runbook(book, nil, ready, p.now()), out); err != nil {
			return err
		}
		return ended{code: exitFindings}
	}
	if err := p.inTurn(book, o); err != nil {
		return err
	}
	if o.check || marks || o.anew || o.start != "" {
		audited := p.auditedBefore(ctx, e, from.only, o)
		book, err = p.changeBook(context.WithoutCancel(ctx), e, begin, o, func(b *runbook.Book) error {
			if !audited.IsZero() {
				b.Witnessed(report.AuditFirst, audited)
			}
			return o.mark(b, p.now())
		})
		if err != nil {
			return err
		}
	}
	var progress *runbook.Progress
	var checkErr error
	if o.check { // that takes its time, in which others may mark steps
		seen, err := p.proceed(ctx, e, made, vantage, book)
		progress, checkErr = &seen, err
		checked := book
		book, err = p.changeBook(context.WithoutCancel(ctx), e, begin, &runbookOptions{},
			func(b *runbook.Book) error {
				b.TakeDone(checked, seen.Done)
				return nil
			})
		if err != nil {
			return err
		}
	}
	ready = report.ReadyOf(made, errs, book)
	ready.Adopted = o.adopted
	shown := report.Runbook(book, progress, ready, p.now())
	if marks && !o.check && !o.anew && o.start == "" {
		shown = report.Marked(book, slices.Concat(o.done, o.undo), ready, p.now())
	}
	if err := p.show(shown, out); err != nil {
		return err
	}
	switch {
	case checkErr != nil:
		return checkErr
	case progress != nil && progress.Open != nil, len(ready.Faults) > 0:
		return ended{code: exitFindings}
	}
	return nil
}

// longBefore is how old an audit may be that shows how things were before anything moved.
const longBefore = 7 * 24 * time.Hour

// auditedBefore says when every door was audited last, as far as that is what a runbook asks to
// have before it begins; the zero time: it was not, or nobody checks.
func (p *program) auditedBefore(
	ctx context.Context, e *files.Estate, only string, o *runbookOptions,
) time.Time {
	if !o.check {
		return time.Time{}
	}
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return time.Time{}
	}
	defer s.Close()
	kept, err := s.List(ctx)
	if err != nil {
		return time.Time{}
	}
	for _, k := range kept { // the last first
		all := !k.Scope.Part() || only != "" && k.Scope.Only == only
		if k.Scope.Real() && k.Scope.Ended() && all && p.now().Sub(k.Started) < longBefore {
			return k.Started
		}
	}
	return time.Time{}
}

// mark marks the steps of the options.
func (o *runbookOptions) mark(b *runbook.Book, now time.Time) error {
	var wrong []error
	for _, n := range o.done {
		wrong = append(wrong, b.Mark(n, now))
	}
	for _, n := range o.undo {
		wrong = append(wrong, b.Unmark(n))
	}
	return errors.Join(wrong...)
}

// inTurn asks, once, about steps that are to be marked before their turn or their time.
func (p *program) inTurn(book *runbook.Book, o *runbookOptions) error {
	all, err := book.Early(o.done, p.now())
	if err != nil {
		return ended{exitUsage, err}
	}
	if len(all) == 0 || o.yes {
		return nil
	}
	says := words.TooEarly(all, p.now())
	switch yes, asked := p.agrees(says + " " + words.MarkAnyway); {
	case yes:
		return nil
	case asked:
		return usage(words.NothingMarked)
	}
	return usage("%s %s; %s", says, words.NothingMarked, words.MarkWithYes)
}

// agrees asks a question, and reports whether the answer is yes, and whether anybody was asked:
// somebody sits at a terminal alone.
func (p *program) agrees(question string) (yes, asked bool) {
	in, isFile := p.in.(*os.File)
	if _, shown := terminal(p.err.to); !shown || !isFile || !term.IsTerminal(int(in.Fd())) {
		return false, false
	}
	fmt.Fprintf(p.err, "%s [y/N] ", question)
	p.err.flush()
	answer, _ := bufio.NewReader(io.LimitReader(p.in, 1024)).ReadString('\n')
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes", true
}

// wayBack shows how a step is undone; with --check it looks whether it is.
func (p *program) wayBack(
	ctx context.Context,
	e *files.Estate,
	made *plan.Plan,
	vantage *vantageOptions,
	out *output,
	o *runbookOptions,
	book *runbook.Book,
	begin func() *runbook.Book,
) error {
	t, err := book.Task(o.back)
	if err != nil {
		return ended{exitUsage, err}
	}
	if o.check && !t.IsDone() {
		return ended{exitUsage, fmt.Errorf("step %d: %w", t.Number, runbook.ErrNotDone)}
	}
	done, since := book.TypedBefore(t, p.now())
	back := made.BackNow(done, since, t.Undo)
	back.Keeps = t.IsDone() && plan.Lasting(t.Typed)
	var looked *report.Undone
	if o.check {
		w, err := vantage.open(e)
		if err != nil {
			return err
		}
		defer w.Close()
		missing, unseen := runbook.Look(ctx, p.asker(made, w), t.Restored)
		looked = &report.Undone{Missing: sentences(missing), Unseen: sentences(unseen)}
		if err := ctx.Err(); err != nil {
			return err
		}
		if len(t.Restored) > 0 && t.Hidden == 0 && len(missing)+len(unseen) == 0 {
			key := t.Key
			_, err := p.changeBook(context.WithoutCancel(ctx), e, begin, &runbookOptions{},
				func(b *runbook.Book) error {
					for i := range b.Tasks {
						if b.Tasks[i].Key == key && b.Tasks[i].IsDone() {
							return b.Unmark(i + 1)
						}
					}
					return nil // somebody was faster
				})
			if err != nil {
				return err
			}
		}
	}
	if err := p.show(report.Back(book, t, back, looked, p.now()), out); err != nil {
		return err
	}
	if looked != nil && len(looked.Missing)+len(looked.Unseen) > 0 ||
		finding.Count(back.Breaks, finding.Error) > 0 {
		return ended{code: exitFindings}
	}
	return nil
}

func sentences(all []fact.Sentence) []string {
	var texts []string
	for _, s := range all {
		texts = append(texts, s.String())
	}
	return texts
}

// beginning gives the runbook of the present plan.
func (p *program) beginning(
	e *files.Estate, made *plan.Plan, scope string, o *runbookOptions,
) (func() *runbook.Book, error) {
	start := p.now()
	if o.start != "" {
		var err error
		if start, err = startTime(o.start, p.now()); err != nil {
			return nil, err
		}
	}
	source := sourceOf(e)
	return func() *runbook.Book {
		fresh := report.RunbookOf(made, scope, start)
		fresh.Source = source
		return fresh
	}, nil
}

// bookFrom gives the runbook that goes on: the one that is kept, or one of the present plan where
// none is or where it is to be made anew. kept may be nil.
func bookFrom(kept *runbook.Book, begin func() *runbook.Book, o *runbookOptions) *runbook.Book {
	switch {
	case kept == nil:
		return begin()
	case o.anew:
		fresh := begin()
		adopted := fresh.Adopt(kept)
		o.adopted = &adopted
		if o.start == "" {
			fresh.StartAt(kept.Start)
		}
		return fresh
	}
	if o.start != "" {
		kept.Start = begin().Start
	}
	return kept
}

// bookOf gives the runbook that goes on, and whether it was begun.
func (p *program) bookOf(
	ctx context.Context, e *files.Estate, begin func() *runbook.Book, o *runbookOptions,
) (*runbook.Book, bool, error) {
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return nil, false, storeFailed(err)
	}
	defer s.Close()
	fresh := begin()
	kept, err := s.Runbook(ctx, fresh.Scope)
	if errors.Is(err, store.ErrEmpty) {
		return fresh, false, nil
	}
	if err != nil {
		return nil, false, storeFailed(err)
	}
	if kept.Source != fresh.Source && !o.anew {
		fmt.Fprintln(
			p.err,
			"The estate file or its rules have changed since this runbook was begun. To rebuild it from "+
				"the present plan, with what is done kept: upperpath runbook --anew",
		)
	}
	return bookFrom(kept, begin, o), true, nil
}

// changeBook changes the runbook that is kept, as it is by now, and returns what is kept then.
func (p *program) changeBook(
	ctx context.Context, e *files.Estate, begin func() *runbook.Book, o *runbookOptions,
	change func(*runbook.Book) error,
) (*runbook.Book, error) {
	var book *runbook.Book
	var wrong error
	err := p.inStore(e, func(s *store.Store) error {
		return s.ChangeRunbook(ctx, begin().Scope, func(kept *runbook.Book) (*runbook.Book, error) {
			book = bookFrom(kept, begin, o)
			wrong = change(book)
			return book, wrong
		})
	})
	p.kept.Store(p.kept.Load() || err == nil)
	switch {
	case wrong != nil:
		return nil, ended{exitUsage, wrong}
	case err != nil:
		return nil, storeFailed(err)
	}
	return book, nil
}

// sourceOf stands for the estate file and its rules as they are.
func sourceOf(e *files.Estate) string {
	sum := sha256.New()
	for _, path := range []string{e.Path, files.Beside(e.Path, e.Estate.Rules)} {
		if data, err := files.Read(path, files.MostTable); err == nil {
			sum.Write(data)
		}
	}
	return hex.EncodeToString(sum.Sum(nil)[:8])
}

// proceed looks, from the vantage, which steps are done.
func (p *program) proceed(
	ctx context.Context,
	e *files.Estate,
	made *plan.Plan,
	vantage *vantageOptions,
	book *runbook.Book,
) (runbook.Progress, error) {
	w, err := vantage.open(e)
	if err != nil {
		return runbook.Progress{}, err
	}
	defer w.Close()
	return p.proceedAt(ctx, made, w, book)
}

func (p *program) proceedAt(
	ctx context.Context,
	made *plan.Plan,
	w *live.Client,
	book *runbook.Book,
) (runbook.Progress, error) {
	meter := p.progress("checking the next steps", 0, "")
	defer meter.done()
	progress, err := book.Proceed(ctx, p.asker(made, w), p.now())
	if broken := w.Broken(); broken != nil && err == nil && len(progress.Done) == 0 &&
		len(progress.Unseen) > 0 {
		return progress, failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	return progress, err
}

// asker asks what a runbook expects, from a vantage.
func (p *program) asker(made *plan.Plan, w *live.Client) *live.Asker {
	return &live.Asker{
		Surveyor: &live.Surveyor{Web: w, Parallel: 8, NamesAlone: true},
		Judge: chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
			Forwards: made.Forwards},
		Goals: made.Goal,
		Accepted: func(all []finding.Finding) []finding.Finding {
			return finding.Accept(all, made.Estate.Accept, w.Now())
		},
	}
}
