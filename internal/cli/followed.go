package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"iter"
	"os"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// oldURLOptions says which old URLs an audit follows.
type oldURLOptions struct {
	path   string
	host   string
	only   string // domains: others are left out of the list
	resume bool
}

// standardInput copies standard input into a file, since a list is read twice; done removes it.
func (p *program) standardInput() (path string, done func(), err error) {
	f, err := os.CreateTemp("", "upperpath-old-urls-*")
	if err != nil {
		return "", nil, failed(err)
	}
	done = func() { _ = os.Remove(f.Name()) }
	_, err = io.Copy(f, p.in)
	if err = errors.Join(err, f.Close()); err != nil {
		done()
		return "", nil, failed(err)
	}
	return f.Name(), done, nil
}

// check says what does not go together.
func (o *oldURLOptions) check(forget, doorsOnly bool) error {
	switch {
	case o.path == "" && (o.resume || o.host != ""):
		return usage("--resume and --host are for old URLs; expected --old-urls FILE with them")
	case o.path != "" && forget:
		return usage("--forget: old URLs are saved as they are followed; expected --old-urls without it")
	case o.path != "" && doorsOnly:
		return usage("--doors-only: --old-urls follows no doors; expected one of them")
	}
	return nil
}

// followOldURLs follows the old URLs of a list, judges each against the plan, keeps each as it
// comes, and shows how they fare. What a run that was cut off has kept is not asked again where it
// is to be resumed.
func (p *program) followOldURLs(
	ctx context.Context, e *files.Estate, made *plan.Plan, who *crowd, from *vantageOptions,
	o *oldURLOptions,
	out *output,
) error {
	if len(who.visitors) > 1 {
		return usage(
			"--old-urls goes as one visitor from one place; expected it without --as, --returning and a " +
				"list of --from",
		)
	}
	source := fromHere(o.path)
	if o.path == "-" {
		path, done, err := p.standardInput()
		if err != nil {
			return err
		}
		defer done()
		o.path, source = path, "standard input"
	}
	list, err := p.listOf(ctx, made, o)
	if err != nil {
		return err
	}
	s, err := store.Open(ofEstate(e))
	if err != nil {
		return storeFailed(err)
	}
	defer s.Close()
	run := store.Run{
		Started: p.now(),
		Vantage: who.from(),
		Source:  source,
		Digest:  list.digest,
		Total:   list.total,
		Bound:   boundTo(e, from),
		Scope:   scopeOf(e, made, o.only, from),
	}
	first, beyond := 0, map[int]bool{}
	if o.resume {
		run, err = p.resumed(ctx, s, list, run, made)
	} else if run, err = s.BeginRun(ctx, run); err != nil {
		err = storeFailed(err)
	}
	if err != nil {
		return err
	}
	if first, beyond, err = s.DoneOf(ctx, run.ID); err != nil {
		return storeFailed(err)
	}
	if !run.Ended {
		skip := func(n int) bool { return n < first || beyond[n] }
		err = p.follow(ctx, s, run, made, who, from.parallel, list, skip)
	}
	interrupted := errors.Is(err, context.Canceled)
	if err != nil && !interrupted {
		return err
	}
	var broken error
	if broken = who.broken(); broken != nil {
		broken = failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	findings, showErr := p.showFollowed(context.WithoutCancel(ctx), s, run, list, false,
		who.first().Notes(), out)
	switch {
	case showErr != nil:
		return showErr
	case interrupted:
		return err
	case broken != nil:
		return broken
	}
	return findings
}

// What the verdicts of a run hang on beside its list, as people call it.
const (
	boundEstate = "the estate file"
	boundRules  = "the redirect map"
	boundSite   = "the site's own redirects"
	boundPages  = "the list of pages"
	boundPlace  = "the vantage"
)

// boundTo gives a digest of everything that the verdicts of a run hang on beside its list.
func boundTo(e *files.Estate, from *vantageOptions) map[string]string {
	beside := func(names ...string) (all []byte) {
		for _, name := range names {
			if name != "" {
				data, _ := files.Read(files.Beside(e.Path, name), files.MostTable) // it was read just now
				all = fmt.Append(all, len(data), " ", string(data))
			}
		}
		return all
	}
	estate, _ := files.Read(e.Path, files.MostSmall)
	_, vantage, _ := from.settings(e) // it was opened just now
	vantage.Timeout = 0               // how long to wait is no other place
	trust, _ := files.Read(vantage.Trust, files.MostConfig)
	place := fmt.Appendf(nil, "%q %q %t %q\n%s", vantage, from.points, from.private, from.asOf, trust)
	all := map[string]string{}
	for name, data := range map[string][]byte{
		boundEstate: estate, boundRules: beside(e.Estate.Rules), boundSite: beside(e.Estate.Site.Rules),
		boundPages: beside(e.Estate.Site.Pages...), boundPlace: place,
	} {
		sum := sha256.Sum256(data)
		all[name] = hex.EncodeToString(sum[:8])
	}
	return all
}

// resumed gives the run that goes on: the one of the same list that was cut off, where nothing
// changed since on which its verdicts hang. Else it says what did, and begins another, which takes
// over what still holds: where the redirect map alone changed, the URLs that should lead where they
// should before.
func (p *program) resumed(
	ctx context.Context, s *store.Store, list *oldList, now store.Run, made *plan.Plan,
) (store.Run, error) {
	last, err := s.LastRun(ctx, list.digest)
	if errors.Is(err, store.ErrEmpty) {
		return now,
			usage("--resume: no audit of %s, as it is now and with the same --only, was begun; omit "+
				"--resume to begin one", now.Source)
	}
	if err != nil {
		return now, storeFailed(err)
	}
	var changed []string
	for _, name := range []string{boundEstate, boundRules, boundSite, boundPages, boundPlace} {
		if last.Bound[name] != now.Bound[name] {
			changed = append(changed, name)
		}
	}
	began := last.Started.Local().Format("2006-01-02 15:04")
	switch {
	case len(changed) == 0 && last.Ended:
		fmt.Fprintf(p.err,
			"upperpath: --resume: that audit, begun %s, was complete; nothing was requested. Omit "+
				"--resume to start again.\n", began)
		return last, nil
	case len(changed) == 0:
		return last, nil
	}
	run, err := s.BeginRun(ctx, now)
	if err != nil {
		return now, storeFailed(err)
	}
	held := 0
	if len(changed) == 1 && changed[0] == boundRules {
		if held, err = takeOver(ctx, s, list, last.ID, run.ID, made); err != nil {
			return now, err
		}
	}
	what := wording.And(changed) + " changed"
	if last.Bound == nil {
		what = "an earlier version did not record what its results depend on"
	}
	said := fmt.Sprintf("all of its %s are requested again", wording.Count(list.total, "URL"))
	if held > 0 {
		said = fmt.Sprintf("of its %s, those with the same goal (%d) are kept and the others "+
			"requested again",
			wording.Count(list.total, "URL"), held)
	}
	fmt.Fprintf(p.err, "upperpath: --resume: since that audit began (%s), %s: %s.\n", began, what,
		said)
	return run, nil
}

// takeOver has a run take over what an earlier one of the same list kept of URLs that should lead
// where they should then, and returns how many these are.
func takeOver(ctx context.Context, s *store.Store, list *oldList, from, to int64,
	made *plan.Plan) (int, error) {
	var wrong error
	next, stop := iter.Pull2(list.entries(ctx, &wrong))
	defer stop()
	held := 0
	var batch []old.Followed
	flush := func() error {
		held += len(batch)
		err := s.KeepFollowed(ctx, to, batch)
		batch = batch[:0]
		return err
	}
	entry, _, more := next()
	for at := 0; more; at += mostBatch {
		kept, err := s.PartOf(ctx, from, at, mostBatch)
		if err != nil {
			return held, storeFailed(err)
		}
		for _, f := range kept {
			for more && entry.Number < f.Number {
				entry, _, more = next()
			}
			if more && entry.Number == f.Number && f.Goal == old.GoalDigest(made.Goal(entry.Ask.URL)) {
				batch = append(batch, f)
			}
		}
		for more && entry.Number < at+mostBatch {
			entry, _, more = next()
		}
		if err := flush(); err != nil {
			return held, storeFailed(err)
		}
	}
	return held, wrong
}

// oldList is a list of old URLs in a file, which is read anew each time.
type oldList struct {
	path      string
	door      web.Door
	known     func(web.Host) bool
	total     int
	strangers int // lines that are no URL of the estate
	digest    string
}

// listOf counts what a list holds.
func (p *program) listOf(ctx context.Context, made *plan.Plan, o *oldURLOptions) (*oldList, error) {
	door, err := doorOf(o.host)
	if err != nil {
		return nil, err
	}
	f, err := os.Open(o.path)
	if err != nil {
		return nil, hinted((&files.OldURLs{}).Add(o.path))
	}
	defer f.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil {
		return nil, failed(err)
	}
	fmt.Fprintf(sum, "\n%s\n%s\n", o.host, o.only) // another part of the list is another one
	l := &oldList{path: o.path, door: door, digest: hex.EncodeToString(sum.Sum(nil))}
	l.known = func(h web.Host) bool { return made.Estate.Holds(h) && made.Web.Means(h) }
	meter := p.progress("reading the old URLs", 0, "")
	defer meter.done()
	var wrong error
	for range l.entries(ctx, &wrong) {
		l.total++
	}
	return l, hinted(wrong)
}

// entries yields what is to be followed, numbered from 0.
func (l *oldList) entries(ctx context.Context, wrong *error) iter.Seq2[chain.Entry, old.Address] {
	return func(yield func(chain.Entry, old.Address) bool) {
		n, strangers, over := 0, 0, false
		enough := errors.New("enough")
		reader := &files.OldURLs{Door: l.door, Stop: func() error {
			if over {
				return enough
			}
			return ctx.Err()
		}}
		reader.To = old.Each(func(a old.Seen) {
			if over {
				return
			}
			u, err := web.ParseURL(string(a.URL))
			if err != nil || !l.known(u.Host()) {
				strangers++
				return
			}
			method := ""
			if string(a.Method) == "POST" {
				method = "POST"
			}
			over = !yield(chain.Entry{Ask: chain.Ask{URL: u, Method: method}, Probe: chain.Asked, Number: n},
				old.Address{URL: u.String(), Weight: a.Weight, Method: method})
			n++
		})
		if err := reader.Add(l.path); err != nil && !errors.Is(err, enough) {
			*wrong = err
		}
		l.strangers = strangers
	}
}

// follow follows what is left of a list, and keeps it as it comes.
func (p *program) follow(
	ctx context.Context, s *store.Store, run store.Run, made *plan.Plan, who *crowd, parallel int,
	list *oldList,
	skip func(int) bool,
) error {
	w := who.first()
	w.Share()
	judge := chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
		Forwards: made.Forwards, HSTS: made.HSTS,
		Exempt: made.Exempt,
		Clues:  made.Clues()}
	meter := p.progress("following", list.total, "old URLs")
	defer meter.done()
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	k := &followedKeeper{program: p, store: s, run: run.ID, stop: cancel,
		waiting: map[int]old.Address{}}
	var wrong error
	asks := func(yield func(chain.Entry) bool) {
		for entry, address := range list.entries(ctx, &wrong) {
			if skip(entry.Number) {
				meter.skip()
				continue
			}
			k.expect(entry.Number, address)
			if !yield(entry) {
				return
			}
		}
	}
	ended := k.flushNowAndThen()
	follow := func(all []chain.Chain) {
		goal := made.Goal(all[0].Entry)
		judge.Chain(&all[0], goal)
		k.take(&all[0], goal, made.Estate.Canonical)
		meter.step()
	}
	err := chain.RunJudged(ctx, who.visitors, asks, parallel, follow, func([]chain.Chain) {})
	ended()
	if cause := context.Cause(ctx); err != nil && cause != nil && !errors.Is(cause, context.Canceled) {
		return storeFailed(cause)
	}
	if err == nil && wrong == nil {
		gone, endErr := s.EndRun(context.WithoutCancel(ctx), run.ID, p.now())
		p.tellOld("old-URL audit", gone)
		err = storeFailed(endErr)
	}
	return errors.Join(err, wrong)
}

// followedKeeper keeps what was followed, some at a time, and no later than half a second after it
// was.
type followedKeeper struct {
	program *program
	store   *store.Store
	run     int64
	stop    context.CancelCauseFunc

	lock    sync.Mutex
	waiting map[int]old.Address // that are being followed
	batch   []old.Followed
}

const (
	mostBatch  = 2000
	keptWithin = 400 * time.Millisecond
)

func (k *followedKeeper) expect(n int, a old.Address) {
	k.lock.Lock()
	defer k.lock.Unlock()
	k.waiting[n] = a
}

func (k *followedKeeper) take(c *chain.Chain, goal chain.Goal, site web.Door) {
	k.lock.Lock()
	a := k.waiting[c.Number]
	delete(k.waiting, c.Number)
	k.batch = append(k.batch, old.FollowedOf(c, a, goal, site))
	full := len(k.batch) >= mostBatch
	k.lock.Unlock()
	if full {
		k.flush()
	}
}

// flush keeps what has come. Where it cannot be kept, the following ends.
func (k *followedKeeper) flush() {
	k.program.keeping.Lock()
	defer k.program.keeping.Unlock()
	k.lock.Lock()
	batch := k.batch
	k.batch = nil
	k.lock.Unlock()
	if len(batch) == 0 {
		return
	}
	if err := k.store.KeepFollowed(context.Background(), k.run, batch); err != nil {
		k.stop(err)
		return
	}
	k.program.kept.Store(true)
}

// flushNowAndThen keeps what has come from time to time; what comes back ends that, and keeps the
// rest.
func (k *followedKeeper) flushNowAndThen() (end func()) {
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(keptWithin)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
				k.flush()
			}
		}
	}()
	return func() {
		close(done)
		<-ended
		k.flush()
	}
}

// mostWorst is how many URLs a finding names, and how many are shown first.
const (
	mostNamed = 5
	mostShown = 20
)

// showFollowed shows how the old URLs of a run fare; the error in its place says that there are
// findings.
func (p *program) showFollowed(
	ctx context.Context, s *store.Store, run store.Run, list *oldList, rehearsed bool, notes []string,
	out *output,
) (verdict, err error) {
	areas, long, err := s.AreasOf(ctx, run.ID)
	if err != nil {
		return nil, storeFailed(err)
	}
	var readErr error
	findings := old.MetFindings(areas, func(domain string, m old.Met) []old.Followed {
		worst, err := s.WorstOf(ctx, run.ID, domain, m.String(), mostNamed)
		readErr = errors.Join(readErr, err)
		return worst
	})
	most := mostShown
	if out.detail {
		most = list.total
	}
	worst, err := s.WorstOf(ctx, run.ID, "", "", most)
	if readErr = errors.Join(readErr, err); readErr != nil {
		return nil, storeFailed(readErr)
	}
	all := func(yield func(old.Followed) bool) { readErr = s.EachOf(ctx, run.ID, yield) }
	doc := report.Followed(report.ForFollowed{Source: run.Source, Vantage: run.Vantage,
		Started: run.Started,
		Total:   list.total, Strangers: list.strangers, Areas: areas, Long: long, Findings: findings,
		Worst: worst, All: all,
		Notes: notes, Rehearsed: rehearsed})
	if err := p.show(doc, out); err != nil {
		return nil, err
	}
	if readErr != nil {
		return nil, storeFailed(readErr)
	}
	return out.exit(findings), nil
}
