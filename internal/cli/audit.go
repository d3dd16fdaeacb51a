package cli

import (
	"context"
	"errors"
	"fmt"
	"iter"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

func (p *program) audit() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var doorsOnly, forget bool
	c := &cobra.Command{
		Use:   "audit",
		Short: "Try every door and every rule as visitors do, and say what is wrong",
		Long: `audit tries every door of the estate (http and https, apex, www and further hosts) at its root, at a
made-up path and with a made-up query, and an example of every rule. It follows each to the end, as
a browser does, and compares with what the estate file wants. The result is kept in .upperpath/
beside the estate file; report shows it.`,
		Example: `  upperpath audit
  upperpath audit --from stage/stage.yaml
  upperpath audit --from stage/stage.yaml --only wave:2 --format json
  upperpath audit --only northmoor.example --point northmoor.example=203.0.113.20`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			e, made, err := from.read()
			if err != nil {
				return err
			}
			if !forget {
				if err := storeReady(e); err != nil {
					return err
				}
			}
			w, err := vantage.open(e)
			if err != nil {
				return err
			}
			defer w.Close()
			a, err := p.runAudit(c.Context(), made, w, vantage.parallel, !doorsOnly)
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
			return out.verdict(a.Findings)
		},
	}
	from.flags(c)
	vantage.flags(c)
	out.flags(c)
	out.chainFlag(c)
	c.Flags().BoolVar(&doorsOnly, "doors-only", false, "leave out the examples of rules")
	c.Flags().BoolVar(&forget, "forget", false, "do not keep the result")
	return c
}

// runAudit follows every URL that the plan asks, and judges it. Where the context ends, what was seen comes back with
// its error; where the vantage does not work, an error alone.
func (p *program) runAudit(
	ctx context.Context,
	made *plan.Plan,
	w *live.Web,
	parallel int,
	rules bool,
) (*chain.Audit, error) {
	asks := made.Asks(rules)
	a := &chain.Audit{
		Schema:    chain.AuditSchema,
		Vantage:   w.Vantage().Name,
		Canonical: made.Canonical,
		Started:   p.now().UTC().Truncate(time.Millisecond),
		Chains:    []chain.Chain{},
	}
	judge := chain.Judge{Now: w.Now(), Estate: made.Estate.Holds, Forwards: made.Forwards}
	progress := p.progress("auditing", len(asks), "URLs")
	defer progress.done()
	var tally chain.Tally
	err := chain.Run(ctx, w, entries(slices.Values(asks)), parallel, func(c chain.Chain) {
		judge.Chain(&c, made.Goal(c.Entry))
		tally.AddChain(c)
		a.Chains = append(a.Chains, c)
		progress.step()
	})
	p.keeping.Lock() // an interrupt may have come
	defer p.keeping.Unlock()
	a.Findings, a.Notes = tally.Findings(), w.Notes()
	if err != nil {
		a.Notes = append(
			a.Notes,
			fmt.Sprintf("This audit was interrupted: %d of %d URLs were followed.", len(a.Chains), len(asks)),
		)
	}
	if broken := w.Broken(); broken != nil {
		return a, failed(fmt.Errorf("nothing could be seen from this vantage: %w", broken))
	}
	return a, err
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
	s, err := store.Open(e.Folder())
	if err != nil {
		return storeFailed(err)
	}
	return storeFailed(s.Close())
}

func (p *program) keep(ctx context.Context, e *files.Estate, a *chain.Audit) error {
	p.keeping.Lock()
	defer p.keeping.Unlock()
	s, err := store.Open(e.Folder())
	if err != nil {
		return err
	}
	_, err = s.Keep(ctx, a)
	p.kept.Store(err == nil)
	return errors.Join(err, s.Close())
}
