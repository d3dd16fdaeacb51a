package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
)

// awaitOptions are the options of await beside those of every command.
type awaitOptions struct {
	name    string
	timeout time.Duration
	limited bool // a time-out was given
}

func (p *program) await() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o awaitOptions
	c := &cobra.Command{
		Use:   "await",
		Short: "Wait until the plan is live: records, certificates, redirects",
		Long: `await waits until the world matches the plan. It asks every name server of each zone,
then the resolvers, and last the doors. Resolvers are asked only once the name servers have
the planned values: earlier, they would keep the previous ones. It shows what is new, old or
missing, and how long that can still take. On a terminal it shows a table that changes; in a
pipe it writes a line for each change. It exits with 1 when --timeout is over.`,
		Example: `  upperpath await --timeout 0s
  upperpath await --for www.lacemill-museum.example --timeout 5s
  upperpath await --only wave:2 --timeout 5s --quiet
  upperpath await --format json --timeout 0s`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			o.limited = c.Flags().Changed("timeout")
			return p.runAwait(c.Context(), &from, &vantage, &out, &o)
		},
	}
	from.flags(c)
	vantage.flagsNamed(c, "step-timeout")
	out.formatFlag(c)
	f := c.Flags()
	f.StringVar(&o.name, "for", "",
		"only this `NAME`, such as www.lacemill-museum.example")
	f.DurationVar(&o.timeout, "timeout", 0,
		"give up after this `TIME`, such as 2h; 0s: look once (default: never)")
	f.BoolVar(&out.detail, "all", false, "show what is live, too")
	return c
}

func (p *program) runAwait(
	ctx context.Context, from *estateOptions, vantage *vantageOptions, out *output, o *awaitOptions,
) error {
	if o.timeout < 0 {
		return usage("--timeout %s: expected a time such as 2h, or 0s to look once", o.timeout)
	}
	e, made, err := from.readSeen(ctx)
	if err != nil {
		return err
	}
	zones, all, err := awaited(made, o.name)
	if err != nil {
		return err
	}
	who, err := (&visitorOptions{}).open(ctx, vantage, e)
	if err != nil {
		return err
	}
	defer func() { _ = who.close() }()
	w := who.first()
	resolvers := slices.Clone(e.Resolvers)
	for _, other := range who.webs {
		resolvers = append(other.Resolvers(), resolvers...)
	}
	debug.SetGCPercent(surveyGarbage)
	asker := awaiter(made, w)
	meter := p.progress("finding the name servers", 0, "")
	places, silent := asker.Places(ctx, zones, resolvers)
	meter.done()
	if err := ctx.Err(); err != nil {
		return err
	}
	a := report.Awaiting{Canonical: made.Canonical, Vantage: who.from(), Started: p.now(),
		Silent: silent, Undelegated: asker.Undelegated,
		Board: await.New(all, places, now())}
	if len(resolvers) == 0 {
		a.Notes = append(a.Notes,
			"The system's resolver file names no resolvers, so none was asked about records.")
	}
	err = p.waitFor(ctx, &a, asker, out, o)
	a.Notes = append(a.Notes, who.notes()...)
	a.Ended = p.now()
	if broken := who.broken(); broken != nil && a.SawNothing() {
		return failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	if err != nil && !errors.Is(err, errTimeUp) && !errors.Is(err, context.Canceled) {
		return err
	}
	shown := report.Await(&a, out.detail)
	if p.screen(out) != nil {
		shown = report.VerdictLast(shown)
	}
	if showErr := p.show(shown, out); showErr != nil {
		return showErr
	}
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case !a.Board.Done():
		return ended{code: exitFindings}
	}
	return nil
}

// awaiter asks from a vantage what a plan waits for.
func awaiter(made *plan.Plan, w *live.Client) *live.Asker {
	judge := chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
		Forwards: made.Forwards, HSTS: made.HSTS,
		Exempt: made.Exempt,
		Clues:  cluesOf(context.Background(), made, nil, w)}
	return &live.Asker{
		Surveyor: &live.Surveyor{Web: w, Parallel: 8, NamesAlone: true}, Judge: judge, Goals: made.Goal,
		Afresh: true,
	}
}

// awaited gives what a plan waits for, or the part of it that is about one name.
func awaited(made *plan.Plan, name string) ([]await.Zone, []expect.Expectation, error) {
	zones, all := made.Awaited()
	if name == "" {
		return zones, all, nil
	}
	if h, err := web.ParseHost(name); err == nil {
		name = h.String()
	}
	name = strings.ToLower(strings.TrimSuffix(name, "."))
	var known []string
	part := slices.DeleteFunc(all, func(e expect.Expectation) bool {
		known = append(known, e.Host())
		return e.Host() != name
	})
	if len(part) == 0 {
		near := ""
		if n := problem.Nearest(name, known); n != "" {
			near = "; did you mean " + n + "?"
		}
		return nil, nil, usage("--for %s: the plan has nothing for this name%s", name, near)
	}
	zones = slices.DeleteFunc(zones, func(z await.Zone) bool {
		return !slices.ContainsFunc(part, func(e expect.Expectation) bool {
			return !e.AtDoor() && e.Domain == z.Domain
		})
	})
	return zones, part, nil
}

var errTimeUp = errors.New("the time is over")

// wallClock is the time that passes, as the program's clock tells it.
type wallClock struct{}

func (wallClock) Now() time.Time                         { return now() }
func (wallClock) After(d time.Duration) <-chan time.Time { return time.After(d) }

// waitFor waits, and shows meanwhile how far it is: on a terminal in a table that changes, in a
// pipe line by line.
func (p *program) waitFor(
	ctx context.Context,
	a *report.Awaiting,
	asker expect.Asker,
	out *output,
	o *awaitOptions,
) error {
	a.Board.Beat = time.Second / 2
	began := time.Now()
	shows := func([]await.Change) error { return nil }
	if screen := p.screen(out); screen != nil {
		defer screen.clear()
		shows = func([]await.Change) error {
			return screen.draw(func(rows, causes int) doc.Doc {
				return report.AwaitNow(a, now(), rows, causes)
			})
		}
	} else if _, is := terminal(p.out.to); !is && out.format == "text" &&
		!(o.limited && o.timeout == 0) {
		shows = p.awaitLines(a, now)
	}
	return await.Run(ctx, a.Board, asker, wallClock{}, func(changes []await.Change) error {
		if err := shows(changes); err != nil {
			return err
		}
		if o.limited &&
			(o.timeout > 0 && time.Since(began) >= o.timeout || o.timeout == 0 && a.Board.Looked()) {
			return errTimeUp
		}
		return nil
	})
}

// awaitLines writes how things stand once everybody has been asked for the first time, and then
// each change, a line each.
func (p *program) awaitLines(a *report.Awaiting, now func() time.Time) func([]await.Change) error {
	looked := false
	return func(changes []await.Change) error {
		if !looked {
			if looked = a.Board.Looked(); looked {
				_, err := fmt.Fprintln(p.out, report.AwaitBegins(a, now()))
				return err
			}
			return nil
		}
		for _, c := range changes {
			if _, err := fmt.Fprintln(p.out, report.AwaitLine(c)); err != nil {
				return err
			}
		}
		return nil
	}
}

// screen is the part of a terminal that is drawn anew as something changes.
type screen struct {
	to    *os.File
	color bool
	lines int       // that were drawn
	drawn time.Time // when
	last  []byte
}

// screen gives a part of the terminal, where there is one and the result is text.
func (p *program) screen(out *output) *screen {
	f, is := terminal(p.out.to)
	if !is || out.format != "text" || p.verbose || os.Getenv("TERM") == "dumb" {
		return nil
	}
	return &screen{to: f, color: p.out.color}
}

// rows says how many lines there is room for.
func (s *screen) rows() int {
	if _, rows, err := term.GetSize(int(s.to.Fd())); err == nil {
		return rows
	}
	return 24
}

// mostCauses is how many causes are drawn at most.
const mostCauses = 3

// fitting gives a text in as many lines as there is room for: with fewer rows where they do not
// fit, then with fewer causes, and in the end its last lines alone.
func fitting(room int, write func(rows, causes int) ([]byte, error)) ([]byte, error) {
	var text []byte
	var err error
	for causes := mostCauses; causes >= 0; causes-- {
		least := 3
		if causes == 0 {
			least = 0
		}
		for rows := room; rows >= least; {
			if text, err = write(rows, causes); err != nil {
				return nil, err
			}
			over := bytes.Count(text, []byte("\n")) - room
			if over <= 0 {
				return text, nil
			}
			rows -= max(1, over/2)
		}
	}
	lines := bytes.SplitAfter(text, []byte("\n"))
	return bytes.Join(lines[max(0, len(lines)-1-room):], nil), nil
}

// draw writes a document in place of the one before, in as many lines as the terminal has. The
// cursor stays below it, so that what else is written comes after it.
func (s *screen) draw(of func(rows, causes int) doc.Doc) error {
	if time.Since(s.drawn) < time.Second/4 {
		return nil
	}
	s.drawn = time.Now()
	width, _, err := term.GetSize(int(s.to.Fd()))
	if err != nil {
		width = 100
	}
	text, err := fitting(s.rows()-1, func(rows, causes int) ([]byte, error) {
		var text bytes.Buffer
		err := doc.Write(&text, "text", of(rows, causes), doc.Style{Color: s.color, Width: width - 1})
		return text.Bytes(), err
	})
	if err != nil {
		return err
	}
	clean := safe(text, s.color)
	if bytes.Equal(clean, s.last) {
		return nil
	}
	s.last = bytes.Clone(clean)
	_, err = fmt.Fprintf(s.to, "%s%s", s.up(), clean)
	s.lines = bytes.Count(clean, []byte("\n"))
	return err
}

// up leads back to the first line that was drawn, and clears from there (ECMA-48 sections 8.3.22
// and 8.3.39).
func (s *screen) up() string {
	if s.lines == 0 {
		return ""
	}
	return fmt.Sprintf("\x1b[%dA\r\x1b[J", s.lines)
}

// clear takes away what was drawn.
func (s *screen) clear() {
	_, _ = io.WriteString(s.to, s.up())
	s.lines, s.last = 0, nil
}
