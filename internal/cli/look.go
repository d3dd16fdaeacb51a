package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"iter"
	"net/netip"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
)

// lookGarbage is how much of what is not used any more may lie about, in percent of what is, below
// that limit.
const lookGarbage = 300

// mostMemory is what a look over a long list should keep to, in octets; the collector works harder
// from here on.
const mostMemory = 100 << 20

func (p *program) look() *cobra.Command {
	var vantage vantageOptions
	var visitors visitorOptions
	var estatePath string
	var out output
	c := &cobra.Command{
		Use:   "look DOMAIN|HOST|URL...",
		Short: "Follow domains and URLs hop by hop, and report problems",
		Long: `look follows each of its arguments as a browser does. A bare domain is tried by its
four doors (http and https, apex and www), another host by its two. Each is tried at its
root, at a made-up path and with a made-up query, from each of its addresses. A URL is
followed as it is, hop by hop; with POST before it, as a form sends it. look asks the zone's
own name servers too, and says for how long a resolver still gives a previous answer.

It needs no estate file; where there is one, it learns who owns which address. - reads one
argument a line from standard input. With --estate, those URLs are judged against its plan.`,
		Example: `  upperpath look lacemill-museum.example
  upperpath look lacemill-museum.example --chains --from stage/stage.yaml
  upperpath look https://www.northmoor.example/visit/ --format json
  upperpath look ferryhouse.example --origin 192.0.2.55
  upperpath look "POST http://northmoor-tickets.example/order"
  upperpath look - --format csv < old-urls.csv > found.csv
  upperpath look - --estate upperpath.yaml < old-urls.csv`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			if contains(args, "-") && len(args) > 1 {
				return usage("look takes either - or names, not both")
			}
			known, e, err := p.knows(c.Context(), estatePath)
			if err != nil && estatePath != "" {
				return err
			}
			if err != nil { // it is in the way of nothing
				p.complain(fmt.Errorf("the estate file here is not used: %w", err))
			}
			who, err := visitors.open(c.Context(), &vantage, e)
			if err != nil {
				return err
			}
			defer func() { _ = who.close() }()
			l := looking{args: args, who: who, parallel: vantage.parallel}
			l.judge = chain.Judge{Now: who.first().Now()}
			if known != nil {
				l.judge.Clues = known.Clues()
				l.forwards = known.Forwards
			}
			if args[0] == "-" && estatePath != "" {
				l.plan = known
			}
			if args[0] != "-" {
				l.judge.Clues.CAA = func(h web.Host) (chain.CAA, bool) {
					return who.first().CAA(c.Context(), h)
				}
			}
			if l.judge.Clues.Origin, l.origin, err = visitors.originClue(c.Context(), who.first()); err !=
				nil {
				return err
			}
			return p.runLook(c.Context(), l, &out)
		},
	}
	vantage.flags(c)
	visitors.flags(c)
	c.Flags().StringVar(&visitors.origin, "origin", "",
		"also ask the machine behind an edge network directly, at this `ADDRESS`")
	c.Flags().StringVar(&estatePath, "estate", "",
		"learn from this estate `FILE` who owns which address (default: upperpath.yaml here or in a "+
			"folder above)")
	out.flags(c)
	out.chainFlag(c)
	return c
}

// knows gives the plan of the estate file that is named or stands here, for what it knows; nil
// where there is none.
func (p *program) knows(ctx context.Context, path string) (*plan.Plan, *files.Estate, error) {
	if path == "" {
		found, err := files.FindEstate(".")
		if err != nil {
			return nil, nil, nil //nolint:nilerr // a look needs none
		}
		path = found
	}
	o := estateOptions{path: path}
	e, made, err := o.readSeen(ctx)
	return made, e, err
}

// looking is a look: at what, by whom, judged how.
type looking struct {
	forwards func(web.Door) bool // which doors are to forward; nil: nobody says
	args     []string
	who      *crowd
	parallel int
	judge    chain.Judge
	plan     *plan.Plan // against which URLs of its estate are judged; nil: against none
	origin   netip.Addr
}

// by gives who judges a URL, and where it should lead: by the plan, where there is one and it is
// about that URL.
func (l *looking) by(u web.URL) (chain.Judge, chain.Goal) {
	if l.plan == nil || !l.plan.Estate.Holds(u.Host()) {
		return l.judge, chain.Goal{}
	}
	j := l.judge
	j.Estate, j.Forwards, j.Exempt = l.plan.Estate.Holds, l.plan.Forwards, l.plan.Exempt
	return j, l.plan.Goal(u)
}

func (p *program) runLook(ctx context.Context, l looking, out *output) error {
	args, w := l.args, l.who.first()
	var wrong error
	asks := given(args, &wrong)
	if args[0] == "-" {
		debug.SetMemoryLimit(mostMemory)
		debug.SetGCPercent(lookGarbage)
		for _, w := range l.who.webs { // what a thousand old URLs lead to is asked once
			w.Share()
		}
		asks = lines(p.in, &wrong)
	} else {
		for range asks { // names are few: all are read before the first is asked
		}
		if wrong != nil {
			return ended{exitUsage, wrong}
		}
	}
	var findings []finding.Finding
	var tally chain.Tally
	var followErr error
	looked := report.Looked{Name: "look", Title: "A look at " + wording.Few(args, 3),
		Vantage: l.who.from(),
		Started: p.now().UTC().Truncate(time.Millisecond), Now: w.Now()}
	looked.Chains = func(yield func(chain.Chain) bool) {
		ctx, cancel := context.WithCancelCause(ctx)
		defer cancel(nil)
		gone := errors.New("nobody reads on")
		judge, judged := l.who.judging(l.by)
		followErr = chain.RunJudged(ctx, l.who.visitors, asks, l.parallel, judge,
			func(all []chain.Chain) {
				for _, c := range judged(all) {
					tally.AddChain(c)
					if context.Cause(ctx) == nil && (!yield(c) || p.out.fault() != nil) { // nothing is kept here
						cancel(gone)
					}
				}
			})
		if errors.Is(context.Cause(ctx), gone) {
			followErr = p.out.fault()
		}
	}
	looked.End = func() ([]finding.Finding, []string) {
		tally.Disagreements(l.forwards)
		tally.Together()
		notes := fact.Texts(tally.Preloading(web.Host{}))
		if l.origin.IsValid() {
			notes = append(notes, originNotes(ctx, w, hostsOf(args), l.origin)...)
		}
		if args[0] != "-" && ctx.Err() == nil {
			for _, f := range survey.Split(w.Voices(ctx, hostsOf(args))) {
				tally.Add(f)
			}
		}
		findings = tally.Take()
		return findings, append(l.who.notes(), notes...)
	}
	doc := report.Look(looked)
	if args[0] == "-" {
		doc = report.Stream(looked)
	}
	if err := p.show(doc, out); err != nil {
		return err
	}
	switch {
	case followErr != nil:
		return followErr
	case l.who.broken() != nil:
		return failed(fmt.Errorf("nothing could be seen from this vantage: %w", l.who.broken()))
	case wrong != nil:
		return ended{exitUsage, wrong}
	}
	return out.exit(findings)
}

// originNotes says what the origin answers for hosts when it is asked by itself.
func originNotes(ctx context.Context, w *live.Client, hosts []web.Host, at netip.Addr) []string {
	var all []string
	for _, h := range hosts {
		plain, secure := w.Origin(ctx, web.Door{Scheme: web.HTTPS, Host: h}.URL("/", ""), at)
		all = append(
			all,
			fmt.Sprintf("Asked for %s directly, the origin %s; over https, %s.", h, fact.Text(plain.Does()),
				fact.Text(secure.Does())),
		)
	}
	return all
}

// hostsOf gives the hosts that names on the command line are about.
func hostsOf(args []string) []web.Host {
	var hosts []web.Host
	for _, a := range args {
		asks, _ := expand(a)
		for _, e := range asks {
			if h := e.Ask.URL.Host(); !slices.Contains(hosts, h) {
				hosts = append(hosts, h)
			}
		}
	}
	return hosts
}

// given yields the chains to follow for names on the command line. What is wrong with them is put
// into wrong.
func given(args []string, wrong *error) iter.Seq[chain.Entry] {
	return func(yield func(chain.Entry) bool) {
		*wrong = nil
		for _, a := range args {
			asks, err := expand(a)
			*wrong = errors.Join(*wrong, err)
			for _, e := range asks {
				if !yield(e) {
					return
				}
			}
		}
	}
}

// mostLineOctets is how long a line of a list may be: more than any URL that a browser follows.
const mostLineOctets = 64 << 10

// lines yields the chains to follow for the lines of a list. A line that is none is noted in wrong,
// and the rest goes on.
func lines(in io.Reader, wrong *error) iter.Seq[chain.Entry] {
	return func(yield func(chain.Entry) bool) {
		reader := bufio.NewReaderSize(in, mostLineOctets)
		bad, n := 0, 0
		fault := func(err error) {
			if bad++; bad <= 20 {
				*wrong = errors.Join(*wrong, fmt.Errorf("standard input, line %d: %w", n, err))
			}
		}
		defer func() {
			if bad > 20 {
				*wrong = errors.Join(*wrong, fmt.Errorf("and %d more such lines", bad-20))
			}
		}()
		for {
			line, more, err := reader.ReadLine()
			n++
			if err != nil {
				if !errors.Is(err, io.EOF) {
					fault(err)
				}
				return
			}
			if more {
				for more && err == nil {
					_, more, err = reader.ReadLine()
				}
				fault(fmt.Errorf("it is longer than %d KiB; expected a domain, a host or a URL",
					mostLineOctets>>10))
				continue
			}
			text := strings.TrimSpace(strings.TrimPrefix(string(line), "\ufeff"))
			if text == "" || text[0] == '#' {
				continue
			}
			asks, err := expand(text)
			if err != nil {
				fault(err)
				continue
			}
			for _, e := range asks {
				if !yield(e) {
					return
				}
			}
		}
	}
}

// expand gives the chains to follow for one name: a URL as it stands, a bare domain by its four
// doors, a host by its two.
func expand(name string) ([]chain.Entry, error) {
	method := ""
	if verb, rest, two := strings.Cut(name, " "); two && (verb == "POST" || verb == "GET") {
		if method, name = verb, strings.TrimSpace(rest); verb == "GET" {
			method = ""
		}
	}
	if strings.Contains(name, "://") {
		u, err := web.ParseURL(name)
		if err != nil {
			return nil, err
		}
		return []chain.Entry{{Ask: chain.Ask{URL: u, Method: method}, Probe: chain.Asked}}, nil
	}
	if method != "" {
		return nil, fmt.Errorf(
			"%q is sent to no URL; expected one behind POST, such as https://www.northmoor.example/order",
			name,
		)
	}
	h, err := web.ParseHost(name)
	if err != nil {
		// What is looked at may be odder than what an estate may hold: an address, an underscore.
		observed, oddErr := web.ParseObservedHost(name)
		if oddErr != nil {
			return nil, fmt.Errorf(
				"%q is not a domain, host or URL; expected one such as lacemill-museum.example, or https:// "+
					"before a page",
				name,
			)
		}
		h = observed
	}
	hosts := []web.Host{h}
	if h.IsApex() {
		hosts = append(hosts, h.WWW())
	}
	var asks []chain.Entry
	for _, h := range hosts {
		for _, d := range web.Doors(h) {
			probes := chain.Probes(d)
			for _, probe := range chain.ProbeOrder {
				asks = append(asks, chain.Entry{Ask: chain.Ask{URL: probes[probe]}, Probe: probe})
			}
			if d.Scheme == web.HTTP {
				asks = append(asks, chain.Besides(h)...)
			}
		}
	}
	return asks, nil
}
