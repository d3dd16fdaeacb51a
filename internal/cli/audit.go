package cli

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"path/filepath"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

func (p *program) audit() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var visitors visitorOptions
	var out output
	var doorsOnly, forget bool
	var olds oldURLOptions
	var look contentOptions
	var asked string
	c := &cobra.Command{
		Use:   "audit",
		Short: "Try every door and rule as visitors do, and report problems",
		Long: `audit tries every door at its root, at a made-up path and with a made-up query, and an
example of every rule. It follows each to the end, as a browser does, compares that with the
estate file, and reads the page there. The result is saved; report shows it. With --old-urls it
follows the old URLs of a file instead, up to a million, by weight. With --content it looks at what
search engines see: robots.txt, sitemaps, arrivals, links to old hosts, feeds, pictures; it crawls
the site, and saves nothing.`,
		Example: `  upperpath audit
  upperpath audit --from stage/stage.yaml --chains
  upperpath audit --point northmoor.example=203.0.113.20
  upperpath audit --old-urls old-urls.csv
  upperpath audit --explain http://slatequarry.example/tours
  upperpath audit --content --rate 200`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			look.changed = c.Flags().Changed
			several := visitors.several(&vantage)
			if err := auditsOne(&look, &olds, asked, forget, doorsOnly, several); err != nil {
				return err
			}
			if look.on {
				return p.auditContent(c.Context(), &from, &vantage, &look, &olds, &out)
			}
			e, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			if !forget && asked == "" {
				if err := storeReady(e); err != nil {
					return err
				}
			}
			who, err := visitors.open(c.Context(), &vantage, e)
			if err != nil {
				return err
			}
			defer func() { _ = who.close() }()
			if c.Flags().Changed("explain") {
				return p.explainLive(c.Context(), made, who, asked, &out)
			}
			if olds.only = from.only; olds.path != "" {
				return p.followOldURLs(c.Context(), e, made, who, &vantage, &olds, &out)
			}
			of := scopeOf(e, made, from.only, &vantage)
			a, err := p.runAudit(c.Context(), made, who, of, nil, vantage.parallel, !doorsOnly)
			interrupted := errors.Is(err, context.Canceled)
			if err != nil && !interrupted {
				return err
			}
			var keepErr error // kept first: the reader of a pipe may leave, a disk be full
			if !forget && len(a.Chains) > 0 {
				keepErr = p.keep(context.WithoutCancel(c.Context()), e, a)
			}
			playErr := p.show(report.Audit(a, "audit", "Audit of every door to "+a.Canonical, p.now()), &out)
			if keepErr != nil {
				return storeFailed(keepErr)
			}
			if playErr != nil {
				return playErr
			}
			if interrupted {
				return err
			}
			return out.exit(a.Findings)
		},
	}
	from.flags(c)
	vantage.flags(c)
	visitors.flags(c)
	out.flags(c)
	out.chainFlag(c)
	c.Flags().BoolVar(&doorsOnly, "doors-only", false, "leave out the examples of rules")
	c.Flags().BoolVar(&forget, "forget", false, "do not save the result")
	c.Flags().StringVar(&olds.path, "old-urls", "",
		"follow the old URLs of this `FILE` (-: standard input)")
	c.Flags().StringVar(&olds.host, "host", "",
		"the `HOST` or door of paths in that file")
	c.Flags().BoolVar(&olds.resume, "resume", false,
		"continue an interrupted audit of these old URLs")
	c.Flags().StringVar(&asked, "explain", "", "show what this `URL` should do and does, side by side")
	c.Flags().BoolVar(&look.on, "content", false,
		"look at what search engines see instead")
	c.Flags().IntVar(&look.most, "most-pages", 1000,
		"with --content: at most this `COUNT` of pages")
	return c
}

// auditsOne says what does not go together: an audit is of doors, of old URLs, of content or of one
// URL.
func auditsOne(look *contentOptions, olds *oldURLOptions, asked string,
	forget, doorsOnly, several bool) error {
	if err := olds.check(forget, doorsOnly); err != nil {
		return err
	}
	if err := look.check(olds, doorsOnly); err != nil {
		return err
	}
	switch {
	case look.on && several:
		return usage("--content goes as one visitor from one place; expected it without --as, " +
			"--returning and a list of --from")
	case asked != "" && (look.on || olds.path != "" || doorsOnly || several):
		return usage("--explain shows one URL, as one visitor from one place; expected it without " +
			"--content, --old-urls, --doors-only, --as, --returning and a list of --from")
	}
	return nil
}

// runAudit follows every URL that the plan asks, and judges it by what is kept, and by a survey of
// just now where there is one. Where the context ends, what was
// seen comes back with its error; where no vantage works, an error alone.
func (p *program) runAudit(
	ctx context.Context,
	made *plan.Plan,
	who *crowd,
	of *scope.Scope,
	seen *survey.Survey,
	parallel int,
	rules bool,
) (*chain.Audit, error) {
	asks := slices.Collect(auditEntries(made, rules))
	w := who.first()
	of.DoorsOnly, of.Meant = !rules, len(asks)
	a := &chain.Audit{
		Schema:    chain.AuditSchema,
		Vantage:   who.from(),
		Canonical: made.Canonical,
		Started:   p.now().UTC().Truncate(time.Millisecond),
		Scope:     of,
		Chains:    []chain.Chain{},
	}
	lives := func(all []finding.Finding) []finding.Finding {
		return finding.Accept(all, made.Estate.Accept, w.Now())
	}
	judge := chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Elsewhere: made.Elsewhere,
		Forwards: made.Forwards, HSTS: made.HSTS,
		Exempt: made.Exempt,
		Clues:  cluesOf(ctx, made, seen, w)}
	progress := p.progress("auditing", len(asks), "URLs")
	defer progress.done()
	var tally chain.Tally
	var torn []web.Host // their addresses do not do the same
	beside, judged := who.judging(func(u web.URL) (chain.Judge, chain.Goal) {
		return judge, made.Goal(u)
	})
	err := chain.RunJudged(ctx, who.visitors, slices.Values(asks), parallel, beside,
		func(all []chain.Chain) {
			of.Done++
			for _, c := range judged(all) {
				c.Findings = lives(c.Findings)
				tally.AddChain(c)
				a.Chains = append(a.Chains, c)
				if finding.Has(c.Findings, finding.SplitAnswers) && !slices.Contains(torn, c.Entry.Host()) {
					torn = append(torn, c.Entry.Host())
				}
			}
			progress.step()
		})
	if err == nil {
		p.besides(ctx, made, w, judge, torn, &tally)
	}
	p.keeping.Lock() // an interrupt may have come
	defer p.keeping.Unlock()
	tally.Together()
	canonical := made.Estate.Canonical.Host
	if apex, ok := canonical.Apex(); ok {
		canonical = apex
	}
	a.Findings, a.Notes = lives(tally.Findings()),
		append(who.notes(), fact.Texts(tally.Preloading(canonical))...)
	if err != nil {
		a.Notes = append(
			a.Notes,
			fmt.Sprintf("This audit was interrupted: %d of %d URLs were followed.", of.Done, of.Meant),
		)
	}
	if broken := who.broken(); broken != nil {
		return a, failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	return a, err
}

// besides looks at what is no door: the sitemap of the site, and who says what about hosts whose
// addresses do not do the same.
func (p *program) besides(
	ctx context.Context,
	made *plan.Plan,
	w *live.Client,
	judge chain.Judge,
	torn []web.Host,
	tally *chain.Tally,
) {
	if at, links, ok := w.SitemapLinks(ctx, made.Estate.Canonical); ok {
		tally.Add(judge.SitemapFindings(at, links)...)
	}
	if len(torn) > 0 {
		tally.Add(survey.Split(w.Voices(ctx, torn[:min(len(torn), mostTorn)]))...)
	}
}

// mostTorn is of how many hosts the name servers are asked what they say.
const mostTorn = 50

// auditEntries yields every URL that an audit asks: those of the plan, and what else is asked of
// each host.
func auditEntries(made *plan.Plan, rules bool) iter.Seq[chain.Entry] {
	return func(yield func(chain.Entry) bool) {
		for e := range entries(slices.Values(made.Asks(rules))) {
			if !yield(e) {
				return
			}
			if e.Probe == chain.Query && e.Ask.URL.Scheme() == web.HTTP {
				for _, more := range chain.Besides(e.Ask.URL.Host()) {
					if !yield(more) {
						return
					}
				}
			}
		}
	}
}

func entries(asks iter.Seq[plan.ToAsk]) iter.Seq[chain.Entry] {
	return func(yield func(chain.Entry) bool) {
		for a := range asks {
			if !yield(chain.Entry{Ask: chain.Ask{URL: a.URL}, Probe: a.Probe}) {
				return
			}
		}
	}
}

// storeReady tells before a long work that what it sees could not be kept.
func storeReady(e *files.Estate) error {
	s, err := store.Open(ofEstate(e))
	if err != nil {
		return storeFailed(err)
	}
	return storeFailed(s.Close())
}

// keep keeps an audit, and says what went for its age.
func (p *program) keep(ctx context.Context, e *files.Estate, a *chain.Audit) error {
	p.keeping.Lock()
	defer p.keeping.Unlock()
	s, err := store.Open(ofEstate(e))
	if err != nil {
		return err
	}
	_, old, err := s.Keep(ctx, a)
	p.kept.Store(err == nil)
	p.tellOld("audit", old)
	return errors.Join(err, s.Close())
}

// tellOld says which results went for their age.
func (p *program) tellOld(kind string, old []int64) {
	if len(old) > 0 {
		fmt.Fprintf(p.err, words.OldOnesWent, wording.Count(len(old), kind),
			wording.Verb(len(old), "was", "were"), wording.Numbers(old))
	}
}

// scopeOf says of what a result will be made, as far as that is known before.
func scopeOf(e *files.Estate, made *plan.Plan, only string, v *vantageOptions) *scope.Scope {
	s := &scope.Scope{Estate: filepath.Base(e.Path), Only: only, Points: v.points}
	for _, d := range made.Estate.Domains {
		switch {
		case d.State == estate.Leave:
		case made.Web.Means(d.Name):
			s.Domains = append(s.Domains, d.Name.String())
		default:
			s.Left = append(s.Left, d.Name.String())
		}
	}
	if at, err := parseTime(v.asOf); err == nil {
		s.AsOf = at
	}
	return s
}
