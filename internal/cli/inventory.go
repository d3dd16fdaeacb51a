package cli

import (
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

func (p *program) inventory() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "inventory",
		Short: "Show what is there today, a line a domain",
		Long: `inventory shows what the surveys saw last of every domain, a line each, for the first
talk with a client. It says where its doors land, what is behind them, who holds the
records, and until when it is registered. Mail, certificates and what is odd follow. The
estate file needs only names for it. --format csv and xlsx have each door in a column of its
own.`,
		Example: `  upperpath survey
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
			v, err := newestSurvey(c.Context(), s, "inventory")
			if err != nil {
				return err
			}
			var names []string
			for _, d := range surveyed(made) {
				names = append(names, d.Name.String())
			}
			return p.show(report.Inventory(v.Inventory(names), v.Vantage,
				!e.Estate.Canonical.IsZero(), p.now()), &out)
		},
	}
	from.flags(c)
	from.undecided = true
	out.formatFlag(c)
	return c
}
