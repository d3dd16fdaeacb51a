package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
)

func (p *program) rehearse() *cobra.Command {
	var from estateOptions
	var out output
	var step int
	var all bool
	c := &cobra.Command{
		Use:   "rehearse",
		Short: "Play the plan on a stand-in web, and audit it there",
		Long: `rehearse puts what the plan has people type on a stand-in web on loopback, as it
stands in the zone files and sheets. It audits every door and an example of every rule
there, over real sockets. It touches nothing real.

--step stops after a step of the plan; --all-steps looks after each. Each is seen as by visitors
who come for the first time, and by those who still hold older answers.`,
		Example: `  upperpath rehearse
  upperpath rehearse --step 12
  upperpath rehearse --all-steps
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
			one := c.Flags().Changed("step")
			if all && one {
				return usage("--step %d and --all-steps: give one of them", step)
			}
			if all || one {
				return p.rehearseSteps(c.Context(), made, step, all, &out)
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
	c.Flags().IntVar(&step, "step", 0, "stop after the step of the plan with this `NUMBER`")
	c.Flags().BoolVar(&all, "all-steps", false, "look after every step, with mixtures of answers")
	return c
}

// rehearseSteps plays the steps of a plan, and says what is met behind one of them, or behind each.
func (p *program) rehearseSteps(ctx context.Context, made *plan.Plan, step int, all bool,
	out *output) error {
	last := len(made.Steps)
	switch {
	case made.Seen() == nil:
		return ended{exitUsage, errors.New("nobody has surveyed the estate, so there is nothing " +
			"to begin from: upperpath survey")}
	case !all && (step < 1 || step > last):
		return ended{exitUsage, fmt.Errorf("--step %d: the plan has steps 1 to %d", step, last)}
	case !all:
		last = step
	}
	met, err := p.playSteps(ctx, made, last, stage.MostMixtures)
	if err != nil {
		return err
	}
	if !all {
		met = met[len(met)-1:]
	}
	if err := p.show(report.Rehearsed(made, met, p.now()), out); err != nil {
		return err
	}
	if len(plan.Breaks(met)) > 0 || finding.Worst(made.Findings) == finding.Error {
		return ended{code: exitFindings}
	}
	return nil
}

// playSteps plays the first steps of a plan, and gives what is met behind each, in so many mixtures
// of older and new answers at most.
func (p *program) playSteps(ctx context.Context, made *plan.Plan, last, mixtures int) ([]plan.Met,
	error) {
	whole := made.Whole() // what a part of it changes may break the rest
	r, err := stage.NewRehearsal(ctx, made, whole.Doors,
		func(v *live.Vantage) (*live.Asker, *live.Client, error) {
			v.Name, v.Agent, v.Clock = "rehearsal", agent(made.Estate.Contact), now
			w, err := live.New(*v)
			if err != nil {
				return nil, nil, err
			}
			return p.asker(whole, w), w, nil
		})
	if err != nil {
		return nil, failed(err)
	}
	defer r.Close()
	r.Most = mixtures
	meter := p.progress("rehearsing the steps", last, "steps")
	defer meter.done()
	var all []plan.Met
	for range last {
		m, err := r.Next(ctx)
		if err != nil {
			return nil, failed(err)
		}
		all = append(all, m)
		meter.step()
	}
	return all, nil
}

// rehearsal plays a plan on a stage of its own and audits it there.
func (p *program) rehearsal(ctx context.Context, made *plan.Plan) (*chain.Audit, error) {
	whole := made.Whole()
	typed, err := typedFrom(whole)
	if err != nil {
		return nil, failed(err)
	}
	scene, err := stage.FromTyped(whole, typed)
	if err != nil {
		return nil, failed(err)
	}
	scene.Now = now()
	a, err := p.auditStage(ctx, scene, "rehearsal", made)
	if err != nil {
		return nil, err
	}
	// a stage plays what comes of what is typed, and not how somebody gets there
	read, err := filesOf(typed.Zones)
	if err != nil {
		return nil, failed(err)
	}
	a.Findings = slices.Concat(a.Findings, made.Broken, made.Doubts(), whole.FilesDiffer(read))
	finding.Sort(a.Findings)
	return a, nil
}

// typedFrom gives what a plan has people type, read back from the files that write sheet and write
// zone make of it.
func typedFrom(made *plan.Plan) (stage.Typed, error) {
	typed, err := stage.TypedOf(made)
	if err != nil {
		return typed, err
	}
	typed.Rows = nil
	for _, s := range report.Sheets(made) {
		pages, err := s.Pages("csv")
		if err != nil {
			return typed, err
		}
		for _, page := range pages {
			rows, err := files.SheetOf(page.Name, page.Place, page.Data)
			if err != nil {
				return typed, err
			}
			typed.Rows = append(typed.Rows, rows...)
		}
	}
	return typed, nil
}

// filesOf reads the texts of zone files.
func filesOf(texts map[string][]byte) (map[string][]record.Set, error) {
	all := map[string][]record.Set{}
	for name, text := range texts {
		_, records, err := files.ZoneOf(name+".zone", text, name)
		if err != nil {
			return nil, err
		}
		h, err := web.ParseHost(name)
		if err != nil {
			return nil, err
		}
		all[name] = live.FileDomain(h, records).Records
	}
	return all, nil
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
		a, err = p.runAudit(ctx, made, who, &scope.Scope{}, nil, 32, true)
		return err
	})
	return a, err
}
