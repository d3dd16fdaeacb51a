package cli

import (
	"context"
	"slices"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
)

func (p *program) rehearse() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "rehearse",
		Short: "Play the plan on a stand-in web, and audit it there",
		Long: `rehearse puts the plan on the stage: its records into a name server, its certificates and
redirects at the addresses of their carriers, all on loopback. Then it audits every door and an
example of every rule there, over real sockets. It touches nothing real.`,
		Example: `  upperpath rehearse
  upperpath rehearse --only wave:1 --format json`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			_, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			a, err := p.rehearsal(c.Context(), made)
			if err != nil {
				return err
			}
			title := "Rehearsal of every door to " + a.Canonical
			if err := p.show(report.Audit(a, "rehearsal", title, p.now()), &out); err != nil {
				return err
			}
			return out.exit(a.Findings)
		},
	}
	from.flags(c)
	out.flags(c)
	out.chainFlag(c)
	return c
}

// rehearsal plays a plan on a stage of its own and audits it there.
func (p *program) rehearsal(ctx context.Context, made *plan.Plan) (*chain.Audit, error) {
	scene, err := stage.FromPlan(made.Whole())
	if err != nil {
		return nil, failed(err)
	}
	scene.Now = now()
	a, err := p.auditStage(ctx, scene, "rehearsal", made)
	if err == nil { // a stage plays what comes of a plan, and not how somebody gets there
		a.Findings = slices.Concat(a.Findings, made.Broken)
		finding.Sort(a.Findings)
	}
	return a, err
}

// auditStage audits what a plan is about on a stage that plays a scene.
func (p *program) auditStage(
	ctx context.Context,
	scene stage.Scene,
	name string,
	made *plan.Plan,
) (*chain.Audit, error) {
	var a *chain.Audit
	err := onStage(ctx, scene, name, func(ctx context.Context, s *stage.Stage) error {
		vantage := s.Vantage()
		vantage.Name, vantage.Agent, vantage.Clock = name, agent(made.Estate.Contact), now
		who := &crowd{}
		if err := who.add(vantage, ""); err != nil {
			return failed(err)
		}
		defer func() { _ = who.close() }()
		var err error
		a, err = p.runAudit(ctx, made, who, 32, true)
		return err
	})
	return a, err
}
