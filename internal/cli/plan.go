package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/report"
)

func (p *program) plan() *cobra.Command {
	var from estateOptions
	var out output
	var consider, builtIn string
	c := &cobra.Command{
		Use:   "plan [NAME]",
		Short: "Work out doors, rules, certificates, records, and every step",
		Long: `plan works out, from the estate file and the rules, where each door must lead and who
carries it. It works out which certificates are needed and when, and which records each name
needs. It compares these with the last survey (or with zone files), and lists what to add,
replace, remove and keep, in which order and why. It says what to type on the pages of carriers
and registrars, and how to handle TTLs and name servers around the move. It follows every door and
an example of every rule in memory, with the limits of each carrier, and shows where the plan does
not work. It changes nothing.`,
		Example: `  upperpath plan
  upperpath plan lacemill-museum.example
  upperpath plan --all
  upperpath plan --estate faulty/upperpath.yaml --zone faulty/zones
  upperpath plan --consider gateway,platform --only northmoormuseum.example
  upperpath plan --consider www,apex
  upperpath plan --format json > plan.json`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 1 {
				if from.only != "" {
					return usage("plan takes either a name or --only, not both")
				}
				from.only, out.detail = args[0], true
			}
			if err := out.check(); err != nil {
				return err
			}
			_, in, err := from.inputSeen(c.Context())
			if err != nil {
				return err
			}
			if builtIn != "" {
				err := readPreloaded(builtIn, func(h web.Host, below bool) {
					in.Preloaded = append(in.Preloaded, plan.Preloaded{Host: h, Below: below})
				})
				if err != nil {
					return usage("%w", err)
				}
			}
			if consider != "" {
				choices, err := plan.Consider(in, strings.Split(consider, ","))
				if err != nil {
					return usage("--consider %w", err)
				}
				return p.show(report.Considered(choices), &out)
			}
			made := plan.Make(in)
			if err := p.show(report.Plan(made), &out); err != nil {
				return err
			}
			return out.exit(made.Findings)
		},
	}
	from.flags(c)
	from.zoneFlags(c)
	out.flags(c)
	out.more = "--all"
	c.Flags().BoolVar(&out.detail, "all", false,
		"show all: steps in full, doors, certificates, rules, the changes of each zone")
	c.Flags().
		StringVar(&consider, "consider", "",
			"compare choices: `NAME,NAME` of carriers, or www,apex as the canonical host")
	c.Flags().StringVar(&builtIn, "preloaded", "",
		"hosts that browsers preload: a `FILE` with one a line, + before it for those below too, or "+
			"browsers' own JSON")
	return c
}
