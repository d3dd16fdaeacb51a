package cli

import (
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/report"
)

func (p *program) plan() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "plan",
		Short: "Work out doors, rules, certificates and records, and what every door will answer",
		Long: `plan works out, from the estate file and the rules, where each door must lead and who carries it, which
certificates are needed and when, which records each name needs, and in which order to go about it. It follows every
door and an example of every rule in memory, with the limits of each carrier, and says where the plan does not hold.
It changes nothing.`,
		Example: `  upperpath plan
  upperpath plan --only lacemill-museum.example
  upperpath plan --format md > plan.md`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if err := out.check(); err != nil {
				return err
			}
			_, made, err := from.read()
			if err != nil {
				return err
			}
			if err := report.Plan(p.out, out.format, made, p.style()); err != nil {
				return err
			}
			return out.verdict(made.Findings)
		},
	}
	from.flags(c)
	out.flags(c, "text", "json", "md")
	return c
}
