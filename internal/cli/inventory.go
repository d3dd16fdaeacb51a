package cli

import (
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

func (p *program) inventory() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "inventory",
		Short: "Show a line a domain, before anything is decided: what is there today",
		Long: `inventory shows what the surveys saw last of every domain, a line each, for the first talk
with a client. It says where the doors land today, and whether a site, a parking page or nothing is
behind them. It says who holds the records, until when the domain is registered, whether there is
mail, and how the certificate is. Then comes what is odd: what else is in use below the domain, and
which other domains need it. The estate file needs only names for it. What was not looked at is
named. --format csv and xlsx have each door in a column of its own.`,
		Example: `  upperpath survey --from stage/stage.yaml
  upperpath inventory
  upperpath inventory --format xlsx > inventory.xlsx
  upperpath inventory --only wave:2 --format html > inventory.html`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			e, made, err := from.read()
			if err != nil {
				return err
			}
			s, err := store.Read(ofEstate(e))
			if err != nil {
				return storeFailed(err)
			}
			defer s.Close()
			surveys, _, err := s.LatestSurveys(c.Context(), untilAll())
			if err != nil {
				return storeFailed(err)
			}
			if len(surveys) == 0 {
				return usage("inventory: no survey has been saved yet; run upperpath survey first")
			}
			v := survey.Newest(surveys)
			var names []string
			for _, d := range surveyed(made) {
				names = append(names, d.Name.String())
			}
			return p.show(report.Inventory(v.Inventory(names), v.Vantage, p.now()), &out)
		},
	}
	from.flags(c)
	from.undecided = true
	out.formatFlag(c)
	return c
}
