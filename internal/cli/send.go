package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	carrier "upperpath.example/upperpath/internal/program"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

// sendOptions are the options of send beside those of every command.
type sendOptions struct {
	yes, warned, log, one bool
	undo                  stepNumbers
	by, try               string
	timeout, within       time.Duration
	limited               bool // a time-out was given
}

func (p *program) send() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o sendOptions
	c := &cobra.Command{
		Use:   "send",
		Short: "Carry out the steps that are records, and take them back",
		Long: `send carries out the steps of the runbook that are records, one after the other. The
estate file says in places: how each provider takes them: by DNS UPDATE, by a program of yours,
or in zone files. Each step is played first, shown, and asked about. It is sent only where the
zone still is what the step was made from. Then every name server is asked, the step is marked,
and its wait begins. It stops at the first thing that is not as it should be, and at what has to
be done by hand, with the command that goes on.

--undo takes steps back in the same way. --log shows what was sent, when, and by whom.
--try-program tells the author of a program what it lacks, in the zone of --only: names that
begin with _upperpath-try come and go there.`,
		Example: `  upperpath send --timeout 0s
  upperpath send --one --yes --timeout 0s
  upperpath send --undo 4
  upperpath send --log --format csv
  upperpath send --try-program "Registrar B" --only møllehuset.example --yes`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			o.limited = c.Flags().Changed("timeout")
			return p.runSend(c.Context(), &from, &vantage, &out, &o)
		},
	}
	from.flags(c)
	vantage.flagsNamed(c, "step-timeout")
	out.formatFlag(c)
	f := c.Flags()
	f.BoolVar(&o.yes, "yes", false, "send without a question, but for what the plan warns of")
	f.BoolVar(&o.warned, "accept-warnings", false, "send what the plan warns of, too")
	f.BoolVar(&o.one, "one", false, "stop after one step")
	f.Var(&o.undo, "undo", "take back what was sent in the steps with these `NUMBERS`, the last first")
	f.StringVar(&o.by, "by", "", "the `NAME` of whoever sends, for the log (default: that of the account)")
	f.BoolVar(&o.log, "log", false, "show what was sent")
	f.StringVar(&o.try, "try-program", "",
		"try the program of this `PLACE`, in the zone of --only")
	f.DurationVar(&o.timeout, "timeout", 0,
		"wait between steps for at most this `TIME`, such as 2h; 0s: not at all (default: as long as they say)")
	f.DurationVar(&o.within, "servers-within", time.Minute,
		"the `TIME` that all name servers may take to have what was sent")
	return c
}

func (p *program) runSend(
	ctx context.Context, from *estateOptions, vantage *vantageOptions, out *output, o *sendOptions,
) error {
	if o.timeout < 0 || o.within < 0 {
		return usage("--timeout and --servers-within: expected a time such as 2h, or 0s for none")
	}
	if o.log {
		return p.sentLog(ctx, from, out)
	}
	e, made, err := from.readSeen(ctx)
	if err != nil {
		return err
	}
	if o.try != "" {
		return p.tryProgram(ctx, e, made, from.only, out, o)
	}
	w, err := vantage.open(e)
	if err != nil {
		return err
	}
	begin, err := p.beginning(e, made, from.only, &runbookOptions{})
	if err != nil {
		return err
	}
	s := &sender{program: p, estate: e, made: made, web: w, out: out, o: o, begin: begin,
		scope: from.only, places: map[string]*opened{}, run: report.SendRun{Canonical: made.Canonical},
		look: func() (*live.Client, error) { return vantage.open(e) }}
	defer s.close()
	if len(o.undo) > 0 {
		numbers := slices.Clone(o.undo)
		slices.Sort(numbers)
		for _, n := range slices.Backward(numbers) {
			if err = s.takeBack(ctx, n); err != nil {
				break
			}
		}
	} else {
		err = s.carryOut(ctx)
	}
	return s.finish(err)
}

// sentLog shows what was sent.
func (p *program) sentLog(ctx context.Context, from *estateOptions, out *output) error {
	e, err := from.readQuietly()
	if err != nil {
		return err
	}
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return storeFailed(err)
	}
	defer s.Close()
	all, err := s.Sent(ctx)
	if err != nil {
		return storeFailed(err)
	}
	if from.only != "" {
		zone := zoneNamed(from.only)
		all = slices.DeleteFunc(all, func(e send.Entry) bool {
			return e.Zone != zone && e.Scope != from.only
		})
	}
	return p.show(report.SendLog(e.Canonical.String(), all, p.now()), out)
}

// zoneNamed gives the name of a zone as it stands in one.
func zoneNamed(name string) string {
	if h, err := web.ParseHost(name); err == nil {
		return h.String()
	}
	return name
}

// opened is a place to which records are sent.
type opened struct {
	send.Place
	how, to  string
	unsigned bool
	close    func()
}

// sender carries steps out.
type sender struct {
	*program
	estate *files.Estate
	made   *plan.Plan
	web    *live.Client
	look   func() (*live.Client, error)
	out    *output
	o      *sendOptions
	begin  func() *runbook.Book
	scope  string
	places map[string]*opened
	told   bool // something was told
	agreed bool // somebody agreed to the first step
	run    report.SendRun
}

func (s *sender) close() {
	for _, at := range s.places {
		if at.close != nil {
			at.close()
		}
	}
	s.web.Close()
}

// lookAnew has what is seen from now on be what is there by now: names and connections that were
// kept would show what was there before a wait.
func (s *sender) lookAnew() error {
	w, err := s.look()
	if err != nil {
		return err
	}
	s.web.Close()
	s.web = w
	for _, at := range s.places {
		if u, is := at.Place.(*live.Updater); is {
			u.Web = w
		}
	}
	return nil
}

// clock is the clock of a run.
type clock struct{ now func() time.Time }

func (c clock) Now() time.Time { return c.now() }

func (c clock) Sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// open gives the place of a name.
func (s *sender) open(name string) (*opened, error) {
	if at := s.places[name]; at != nil {
		return at, nil
	}
	at, err := s.placeOf(s.estate, s.web, name)
	if err == nil {
		s.places[name] = at
	}
	return at, err
}

// placeOf makes the place of a name in an estate file; the web may be nil where no update is sent.
func (p *program) placeOf(e *files.Estate, w *live.Client, name string) (*opened, error) {
	c := e.Places[name]
	switch c.Send {
	case estate.SendUpdate:
		host, port, err := c.ServerHost()
		if err != nil {
			return nil, err
		}
		u := &live.Updater{Web: w, Server: host, Port: port, Timeout: c.Timeout}
		if c.Key != "" {
			key, err := files.ReadUpdateKey(e.Path, c.Key, os.Getenv)
			if err != nil {
				return nil, ended{exitUsage, err}
			}
			algorithm, known := live.KnownAlgorithm(key.Algorithm)
			if !known {
				return nil, usage("the key of %s has the algorithm %q; expected hmac-sha256, hmac-sha384 or "+
					"hmac-sha512", name, key.Algorithm)
			}
			u.Key = &live.TransferKey{Name: key.Name, Algorithm: algorithm, Secret: key.Secret}
		}
		return &opened{Place: u, how: c.Send, to: c.Server, unsigned: u.Key == nil}, nil
	case estate.SendProgram:
		folder, err := filepath.Abs(filepath.Dir(e.Path))
		if err != nil {
			return nil, err
		}
		provider := &carrier.Provider{Command: carrier.Command{Run: c.Run, Folder: folder, Env: c.Env,
			Timeout: c.Timeout, Says: func(says string) {
				if p.verbose {
					fmt.Fprintf(p.err, "%s: %s\n", name, says)
				}
			}}}
		return &opened{Place: provider, how: c.Send, to: strings.Join(c.Run, " "),
			close: provider.Close}, nil
	case estate.SendFile:
		path := files.Beside(e.Path, c.Path)
		return &opened{Place: files.ZoneFolder{Path: path, Now: p.now}, how: c.Send, to: c.Path}, nil
	}
	return nil, usage("places: says nothing of %q", name)
}

// errStopped ends a run: what is in the way was said.
var errStopped = ended{code: exitFindings}

// carryOut carries out one step after the other.
func (s *sender) carryOut(ctx context.Context) error {
	if err := s.findOut(ctx); err != nil {
		return err
	}
	audited := s.auditedBefore(ctx, s.estate, s.scope, &runbookOptions{check: true})
	if !audited.IsZero() {
		_, err := s.changeBook(context.WithoutCancel(ctx), s.estate, s.begin, &runbookOptions{},
			func(b *runbook.Book) error {
				b.Witnessed(report.AuditFirst, audited)
				return nil
			})
		if err != nil {
			return err
		}
	}
	for {
		book, begun, err := s.bookOf(ctx, s.estate, s.begin, &runbookOptions{})
		if err != nil {
			return err
		}
		ready := report.ReadyOf(s.made, s.made.Errors(), book)
		if len(ready.Faults) > 0 && !begun {
			return s.stop(report.SendStop{Kind: report.StopNotReady, Count: len(ready.Faults)})
		}
		progress, err := s.proceedAt(ctx, s.made, s.web, book)
		if err != nil {
			return err
		}
		if len(progress.Done) > 0 {
			checked := book
			book, err = s.changeBook(context.WithoutCancel(ctx), s.estate, s.begin, &runbookOptions{},
				func(b *runbook.Book) error {
					b.TakeDone(checked, progress.Done)
					return nil
				})
			if err != nil {
				return err
			}
			s.tell(report.SendSeen(book, progress.Done))
		}
		switch t := progress.Open; {
		case t == nil && len(progress.Waiting) == 0:
			s.run.Book = book
			return nil
		case t == nil:
			if err := s.wait(ctx, book, progress.Waiting); err != nil {
				return err
			}
			if err := s.lookAnew(); err != nil {
				return err
			}
		default:
			if err := s.step(ctx, book, t, progress); err != nil {
				return err
			}
			if s.o.one {
				return nil
			}
			if err := s.lookAnew(); err != nil {
				return err
			}
		}
	}
}

// step carries one step out, or says why nobody can but by hand.
func (s *sender) step(ctx context.Context, book *runbook.Book, t *runbook.Task,
	progress runbook.Progress) error {
	byHand := func(why fact.Facts) error {
		return s.stop(report.SendStop{Kind: report.StopByHand, Task: t, Why: why,
			Missing: progress.Missing, Unseen: progress.Unseen})
	}
	if _, known := s.estate.Places[t.Provider]; !known {
		switch {
		case t.Provider == "" || len(t.Typed) == 0:
			return byHand(nil)
		case !t.Typed[0].IsRecord():
			return byHand(nil)
		}
		return byHand(fact.SendNoPlace{Place: t.Provider})
	}
	done, since := book.TypedBefore(&runbook.Task{}, s.now())
	sending := s.made.SendNow(done, since, t.Typed)
	if len(sending.ByHand) > 0 {
		return byHand(sending.ByHand[0].Why)
	}
	if len(sending.Transfers) == 0 {
		return s.stop(report.SendStop{Kind: report.StopNothing, Task: t, Missing: progress.Missing,
			Unseen: progress.Unseen})
	}
	at, err := s.open(t.Provider)
	if err != nil {
		return err
	}
	shown := report.SendShown{Task: t, How: at.how, To: at.to, Unsigned: at.unsigned,
		Transfers: sending.Transfers, Breaks: s.unaccepted(sending.Breaks),
		Warnings: s.unaccepted(sending.Warnings)}
	s.tell(report.SendPreview(shown))
	if err := s.agree(shown); err != nil {
		return err
	}
	entries, err := s.send(ctx, at, t, sending.Transfers, false)
	if err != nil {
		return err
	}
	return s.finishStep(ctx, t, entries, false)
}

// unaccepted gives the findings with which nobody lives.
func (s *sender) unaccepted(all []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(finding.Accept(all, s.made.Estate.Accept, s.now()),
		func(f finding.Finding) bool { return !f.Open() })
}

// agree asks whether to send.
func (s *sender) agree(shown report.SendShown) error {
	warned := len(shown.Breaks)+len(shown.Warnings) > 0
	switch {
	case warned && !s.o.warned:
		if !s.o.yes {
			if yes, _ := s.agrees(words.SendWarnedAsk); yes {
				s.agreed = true
				return nil
			}
		}
		return s.stop(report.SendStop{Kind: report.StopWarned, Task: shown.Task})
	case s.o.yes || s.agreed:
		return nil
	}
	yes, asked := s.agrees(words.SendAsk)
	switch {
	case yes:
		s.agreed = true
		return nil
	case asked:
		return usage(words.SendNothing)
	}
	return usage("%s %s", words.SendNothing, words.SendWithYes)
}

// send sends transfers to a place, until one does not go through.
func (s *sender) send(ctx context.Context, at *opened, t *runbook.Task, transfers []send.Transfer,
	undo bool) ([]send.Entry, error) {
	var entries []send.Entry
	keep := func(e *send.Entry) error { return s.keepSent(ctx, e) }
	for _, transfer := range transfers {
		meter := s.progress("sending to "+at.to, 0, "")
		e, err := send.Carry(ctx, at.Place, clock{s.now}, send.Entry{By: s.by(), Scope: s.scope,
			Step: t.Number, Key: t.Key, Says: t.Says, Undo: undo, Place: t.Provider, How: at.how,
			To: at.to}, transfer, keep)
		meter.done()
		if err != nil {
			return entries, err
		}
		if entries = append(entries, e); !e.Outcome.Good() {
			break
		}
	}
	return entries, nil
}

// findOut asks, of all that was sent and of which nobody knows what came, what stands there.
func (s *sender) findOut(ctx context.Context) error {
	all, err := s.sent(ctx)
	if err != nil {
		return err
	}
	for _, e := range all {
		if e.Outcome != send.Begun && e.Outcome != send.Unknown {
			continue
		}
		if _, known := s.estate.Places[e.Place]; !known {
			continue
		}
		at, err := s.open(e.Place)
		if err != nil {
			return err
		}
		if !e.FindOut(ctx, at.Place, s.now()) {
			continue
		}
		if err := s.keepSent(ctx, &e); err != nil {
			return err
		}
		s.tell(report.SendFoundOut(e))
	}
	return ctx.Err()
}

func (s *sender) keepSent(ctx context.Context, e *send.Entry) error {
	err := s.inStore(s.estate, func(kept *store.Store) error {
		return kept.KeepSent(context.WithoutCancel(ctx), e)
	})
	if err != nil {
		return storeFailed(err)
	}
	return nil
}

func (s *sender) by() string {
	if s.o.by != "" {
		return s.o.by
	}
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return cmp.Or(os.Getenv("USER"), os.Getenv("USERNAME"))
}

// finishStep asks every name server for what was sent, and marks the step.
func (s *sender) finishStep(ctx context.Context, t *runbook.Task, entries []send.Entry,
	undo bool) error {
	step := report.SentStep{Task: t, Entries: entries, Undo: undo}
	last := entries[len(entries)-1]
	if !last.Outcome.Good() {
		s.run.Steps = append(s.run.Steps, step)
		s.tell(report.SendCame(step, s.now()))
		return s.stop(report.SendStop{Kind: report.StopPlace, Task: t, Entry: &last, Undo: undo})
	}
	coming := len(t.Typed) > 0 && t.Typed[0].Coming
	var err error
	step.Servers, err = s.everyServer(ctx, entries, coming)
	if err != nil {
		return err
	}
	// a server that answered nobody before keeps no step from being done, as long as another has it
	all := !slices.ContainsFunc(step.Servers, func(v report.ServerHas) bool {
		return !v.Has && !(v.Unseen && v.Known)
	}) && slices.ContainsFunc(step.Servers, func(v report.ServerHas) bool { return v.Has })
	if all {
		_, err := s.changeBook(context.WithoutCancel(ctx), s.estate, s.begin, &runbookOptions{},
			func(b *runbook.Book) error {
				if !undo {
					b.Seen(t.Key, s.now())
					return nil
				}
				for i := range b.Tasks {
					if b.Tasks[i].Key == t.Key && b.Tasks[i].IsDone() {
						return b.Unmark(i + 1)
					}
				}
				return nil
			})
		if err != nil {
			return err
		}
		step.Marked = true
	}
	s.run.Steps = append(s.run.Steps, step)
	s.tell(report.SendCame(step, s.now()))
	if !all {
		return s.stop(report.SendStop{Kind: report.StopServers, Task: t, Entry: &last, Undo: undo})
	}
	return nil
}

// everyServer asks every name server of zones for what was sent there, until all have it or their
// time is over.
func (s *sender) everyServer(ctx context.Context, entries []send.Entry, coming bool) (
	[]report.ServerHas, error) {
	var all []report.ServerHas
	asker := awaiter(s.made, s.web)
	for _, e := range entries {
		places, _ := asker.Places(ctx, []await.Zone{s.zoneOf(e.Zone, coming)}, nil)
		places = slices.DeleteFunc(places, func(at *expect.Place) bool {
			return at.Kind != expect.NameServer
		})
		meter := s.progress("asking the name servers of "+e.Zone, 0, "")
		if len(places) == 0 {
			all = append(all, report.ServerHas{Zone: e.Zone, Why: words.SendNobody})
		}
		for _, at := range places {
			has := report.ServerHas{Zone: e.Zone, Server: at.Name}
			until := time.Now().Add(s.o.within)
			for {
				has.Has, has.Why, has.Unseen = s.has(ctx, asker, at, e)
				if has.Has || has.Unseen && s.wasSilent(e.Zone, at.Host) || !time.Now().Before(until) ||
					ctx.Err() != nil {
					break
				}
				clock{s.now}.Sleep(ctx, min(time.Second, time.Until(until)))
			}
			has.Known = has.Unseen && s.wasSilent(e.Zone, at.Host)
			all = append(all, has)
		}
		meter.done()
	}
	return all, ctx.Err()
}

// wasSilent reports whether the last survey saw already that a name server does not answer for a
// zone.
func (s *sender) wasSilent(zone, server string) bool {
	seen := s.made.Seen().Of(zone)
	if seen == nil {
		return false
	}
	for _, o := range seen.Servers {
		if o.Name == server && slices.Contains([]survey.State{survey.Silent, survey.Lame, survey.Other,
			survey.Nowhere}, o.State) {
			return true
		}
	}
	return false
}

func (s *sender) zoneOf(name string, coming bool) await.Zone {
	zones, _ := s.made.Awaited()
	for _, z := range zones {
		if z.Domain == name {
			if !coming {
				z.Servers = nil
			}
			z.Parent = false
			return z
		}
	}
	return await.Zone{Domain: name}
}

// has reports whether a name server has all that was sent.
func (s *sender) has(ctx context.Context, asker *live.Asker, at *expect.Place, e send.Entry) (
	has bool, why string, unseen bool) {
	for _, x := range expectations(e) {
		switch seen := x.Judge(asker.Ask(ctx, x, at)); seen.State {
		case expect.There:
		case expect.Unseen, expect.NotAsked:
			return false, seen.Why, true
		default:
			return false, x.Name + " " + x.Type, false
		}
	}
	return true, "", false
}

// expectations gives what has to be seen once a transfer is through.
func expectations(e send.Entry) []expect.Expectation {
	var all []expect.Expectation
	for _, c := range e.Changes {
		x := expect.Expectation{Kind: expect.Records, Domain: e.Zone, Name: c.Name, Type: c.Type}
		switch {
		case c.Before != nil && c.After != nil && record.SameValues(c.Before.Values, c.After.Values):
			x.Kind, x.TTL, x.Values = expect.TTLAtMost, c.After.TTL, c.After.Values
			if c.After.TTL > c.Before.TTL {
				x.Kind = expect.TTLAtLeast
			}
		case c.After != nil:
			x.Values = c.After.Values
		}
		if c.Before != nil && x.Kind == expect.Records {
			x.Not, x.Lasts = c.Before.Values, c.Before.TTL
		}
		all = append(all, x)
	}
	return all
}

// wait waits until the first of some steps may be done, and shows meanwhile how resolvers follow.
func (s *sender) wait(ctx context.Context, book *runbook.Book, waiting []runbook.Waiting) error {
	first := slices.MinFunc(waiting, func(a, b runbook.Waiting) int {
		return a.Until.Compare(b.Until)
	})
	left := first.Until.Sub(s.now())
	if s.o.limited && left > s.o.timeout {
		return s.stop(report.SendStop{Kind: report.StopWaits, Task: &book.Tasks[first.Number-1],
			Until: first.Until})
	}
	s.tell(report.SendWaits(book, first, s.now()))
	asker := awaiter(s.made, s.web)
	var zones []await.Zone
	var all []expect.Expectation
	for _, step := range s.run.Steps {
		for _, e := range step.Entries {
			zones = append(zones, s.zoneOf(e.Zone, false))
			all = append(all, expectations(e)...)
		}
	}
	if len(all) > 0 && s.screen(s.out) != nil {
		resolvers := append(s.web.Resolvers(), s.estate.Resolvers...)
		places, silent := asker.Places(ctx, zones, resolvers)
		a := report.Awaiting{Canonical: s.made.Canonical, Vantage: s.web.Vantage().Name,
			Started: s.now(), Silent: silent, Undelegated: asker.Undelegated,
			Board: await.New(all, places, now())}
		err := s.waitFor(ctx, &a, asker, s.out, &awaitOptions{timeout: max(left, time.Second),
			limited: true})
		if err != nil && !errors.Is(err, errTimeUp) {
			return err
		}
	}
	meter := s.progress("waiting until older answers run out", 0, "")
	defer meter.done()
	clock{s.now}.Sleep(ctx, first.Until.Sub(s.now()))
	return ctx.Err()
}

// takeBack takes back what was sent in a step.
func (s *sender) takeBack(ctx context.Context, number int) error {
	if err := s.findOut(ctx); err != nil {
		return err
	}
	book, _, err := s.bookOf(ctx, s.estate, s.begin, &runbookOptions{})
	if err != nil {
		return err
	}
	t, err := book.Task(number)
	if err != nil {
		return ended{exitUsage, err}
	}
	kept, err := s.sent(ctx)
	if err != nil {
		return err
	}
	last := send.LastSent(kept, s.scope, t.Key)
	if len(last) == 0 {
		return s.stop(report.SendStop{Kind: report.StopNothingSent, Task: t})
	}
	slices.Reverse(last)
	at, err := s.open(last[0].Place)
	if err != nil {
		return err
	}
	var transfers []send.Transfer
	for i := range last {
		transfers = append(transfers, last[i].Transfer().Back())
	}
	done, since := book.TypedBefore(t, s.now())
	back := s.made.BackNow(done, since, t.Undo)
	shown := report.SendShown{Task: t, How: at.how, To: at.to, Unsigned: at.unsigned,
		Transfers: transfers, Undo: true}
	shown.Breaks = slices.DeleteFunc(s.unaccepted(back.Breaks), func(f finding.Finding) bool {
		return f.Severity == finding.Note
	})
	s.tell(report.SendPreview(shown))
	if err := s.agree(shown); err != nil {
		return err
	}
	entries, err := s.send(ctx, at, t, transfers, true)
	if err != nil {
		return err
	}
	return s.finishStep(ctx, t, entries, true)
}

func (s *sender) sent(ctx context.Context) ([]send.Entry, error) {
	kept, err := store.Read(ofEstate(s.estate))
	if err != nil {
		return nil, storeFailed(err)
	}
	defer kept.Close()
	all, err := kept.Sent(ctx)
	if err != nil {
		return nil, storeFailed(err)
	}
	return all, nil
}

// tell shows a part of what happens as it happens, where the result is text.
func (s *sender) tell(d doc.Doc) {
	if s.out.format != "text" || s.quiet {
		return
	}
	s.apart()
	_ = s.show(d, s.out)
	s.program.out.flush()
}

// apart parts what is told from what was told before.
func (s *sender) apart() {
	if s.told && s.out.format == "text" {
		fmt.Fprintln(s.program.out)
	}
	s.told = true
}

// stop notes why a run stops.
func (s *sender) stop(why report.SendStop) error {
	s.run.Stop = &why
	return errStopped
}

// finish shows what came of a run.
func (s *sender) finish(err error) error {
	var stopped ended
	if err != nil && !(errors.As(err, &stopped) && s.run.Stop != nil) {
		return err
	}
	if s.run.Stop != nil {
		s.run.Stop.Begin = s.scopeOption()
	}
	if !s.quiet {
		s.apart()
	}
	if showErr := s.show(report.SendEnd(&s.run, s.now()), s.out); showErr != nil {
		return showErr
	}
	return err
}

// scopeOption gives the option that names the part of the estate that is meant.
func (s *sender) scopeOption() string {
	if s.scope == "" {
		return ""
	}
	return " --only " + s.scope
}

// tryProgram tries the program of a place in a zone that is lent for it.
func (p *program) tryProgram(ctx context.Context, e *files.Estate, made *plan.Plan, name string,
	out *output, o *sendOptions) error {
	name = zoneNamed(name)
	c := e.Places[o.try]
	if c.Send != estate.SendProgram {
		return usage("--try-program %s: places: names no program there", o.try)
	}
	if !slices.ContainsFunc(made.Zones, func(z zone.Zone) bool { return z.Name == name }) {
		return usage("--try-program needs --only with the domain whose zone it may try in")
	}
	if !o.yes {
		yes, asked := p.agrees(fmt.Sprintf(words.SendTryAsk, name))
		switch {
		case yes:
		case asked:
			return usage(words.SendNothing)
		default:
			return usage("%s %s", words.SendNothing, words.SendWithYes)
		}
	}
	at, err := p.placeOf(e, nil, o.try)
	if err != nil {
		return err
	}
	checks := carrier.Try(ctx, at.Place.(*carrier.Provider).Command, name)
	var all []report.Checked
	good := true
	for _, c := range checks {
		all = append(all, report.Checked{Name: c.Name, OK: c.OK, Says: c.Says})
		good = good && c.OK
	}
	if err := p.show(report.SendTried(o.try, name, all), out); err != nil {
		return err
	}
	if !good {
		return ended{code: exitFindings}
	}
	return nil
}
