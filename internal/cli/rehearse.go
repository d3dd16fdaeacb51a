package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
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
	var on stageOptions
	var olds oldURLOptions
	var asked string
	c := &cobra.Command{
		Use:   "rehearse",
		Short: "Play the plan on a stand-in web, and audit it there",
		Long: `rehearse puts what the plan has people type on a stand-in web on loopback, as it
stands in the zone files and sheets. It audits every door and an example of every rule
there, over real sockets. It touches nothing real.

--step stops after a step of the plan; --all-steps looks after each. Each is seen as by visitors
who come for the first time, and by those who still hold older answers.

--with has the real server, where it is on this machine, answer in its carrier's place, with the
file that write makes. --old-urls follows old URLs there. --explain shows for one URL what is
wanted, predicted, rehearsed and was observed last, and where they part.`,
		Example: `  upperpath rehearse
  upperpath rehearse --step 12
  upperpath rehearse --all-steps
  upperpath rehearse --with nginx
  upperpath rehearse --old-urls old-urls.csv
  upperpath rehearse --explain http://slatequarry.example/tours`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			one := c.Flags().Changed("step")
			switch {
			case all && one:
				return usage("--step %d and --all-steps: give one of them", step)
			case (all || one) &&
				cmp.Or(on.with, on.carrier, on.back.returning, olds.path, olds.host, asked) != "":
				return usage("--step and --all-steps play names and mail; expected them without --with, " +
					"--old-urls, --returning and --explain")
			case olds.path != "" && asked != "":
				return usage("--explain shows one URL, --old-urls those of a file; expected one of them")
			case olds.path == "" && olds.host != "":
				return usage("--host is for old URLs; expected --old-urls FILE with it")
			}
			e, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			olds.only = from.only
			switch {
			case all || one:
				return p.rehearseSteps(c.Context(), made, step, all, &out)
			case olds.path != "":
				return p.rehearseOldURLs(c.Context(), e, made, &on, &olds, &out)
			case c.Flags().Changed("explain"):
				return p.explainRehearsed(c.Context(), e, made, &on, asked, &out)
			}
			a, err := p.rehearsal(c.Context(), e, made, &on)
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
	c.Flags().StringVar(&on.with, "with", "",
		"have the real `SERVER` answer in its carrier's place: "+strings.Join(estate.Software(), ", "))
	c.Flags().StringVar(&on.carrier, "carrier", "",
		"the `CARRIER` that is meant (default: the only one possible)")
	c.Flags().StringVar(&olds.path, "old-urls", "",
		"follow the old URLs of this `FILE` (-: standard input)")
	c.Flags().StringVar(&olds.host, "host", "",
		"the `HOST` or door of paths in that file")
	on.back.returningFlag(c)
	c.Flags().StringVar(&asked, "explain", "", "show what this `URL` should do and does, side by side")
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
func (p *program) rehearsal(ctx context.Context, e *files.Estate, made *plan.Plan,
	o *stageOptions) (*chain.Audit, error) {
	var a *chain.Audit
	err := p.onRehearsal(ctx, e, made, o,
		func(ctx context.Context, who *crowd, typed stage.Typed) (err error) {
			if a, err = p.runAudit(ctx, made, who, &scope.Scope{}, nil, mostOnStage, true); err != nil {
				return err
			}
			// a stage plays what comes of what is typed, and not how somebody gets there
			read, err := filesOf(typed.Zones)
			if err != nil {
				return failed(err)
			}
			a.Findings = slices.Concat(a.Findings, made.Broken, made.Doubts(),
				made.Whole().FilesDiffer(read))
			finding.Sort(a.Findings)
			return nil
		})
	return a, err
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
