package cli

import (
	"context"
	"slices"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/report"
)

func (p *program) prove() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "prove",
		Short: "Decide for every URL whether it arrives, and in how many hops",
		Long: `prove takes the web as it is once everything is typed that the plan has people type. It
looks at every door with its carrier and its limits, the rules, the fallback, the exempt paths, and
the site's own redirects. Where typing breaks something on the way, that refutes it too. It reasons
over the patterns: for all URLs, not for a sample. The result is proved, with the most hops of any
URL; refuted, with a URL that goes wrong and its chain; or undecided, with the rules concerned and
the reason.`,
		Example: `  upperpath prove
  upperpath prove --only lacemill-museum.example
  upperpath prove --format json`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			_, in, err := p.readSeen(c.Context(), &from)
			if err != nil {
				return err
			}
			made, err := p.proved(c.Context(), in)
			if err != nil {
				return err
			}
			if err := p.show(report.Proof(made, in.Estate.Canonical.String()), &out); err != nil {
				return err
			}
			return out.exit(made.Findings)
		},
	}
	from.flags(c)
	out.flags(c)
	return c
}

// proved decides what holds of a plan for every URL.
func (p *program) proved(ctx context.Context, in plan.Input) (*proof.Proof, error) {
	var made *proof.Proof
	meter := p.progress("proving", len(in.Rules), "rules")
	defer meter.done()
	err := interruptible(ctx, func() {
		typed := plan.Bare(in)
		made = proof.Prove(typed.Web, meter.step).With(slices.Concat(typed.Broken, typed.Doubts()))
		made.Accepting(in.Estate.Accept, in.Now)
		made.Rests(typed.Played.Unseen, typed.Played.Partly)
	})
	return made, err
}
