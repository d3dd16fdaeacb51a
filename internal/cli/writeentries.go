package cli

import (
	"bytes"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/words"
)

// writeEntries writes what is typed, or loaded, at one carrier as a table.
func (p *program) writeEntries() *cobra.Command {
	var from estateOptions
	var out, carrier string
	var force bool
	c := &cobra.Command{
		Use:   "entries",
		Short: "Write one carrier's entries as a table, to load or to type",
		Long: `write entries writes what a form, a platform, an edge network or a service wants typed on its
page, as one table. Each entry is a line, in its order, with a column for each box. It is what
write sheet lists of that carrier.`,
		Example: `  upperpath write entries --carrier edge
  upperpath write entries --carrier platform --out platform.xlsx
  upperpath write entries --carrier edge --out -`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			_, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			if err := tied(made); err != nil {
				return err
			}
			table, place, n, places := report.EntriesOf(made, carrier)
			switch {
			case n == 0 && carrier == "":
				return usage(words.SeveralEntries, strings.Join(places, ", "))
			case n == 0:
				return usage(words.NoEntries, carrier, strings.Join(places, ", "))
			}
			if out == "" {
				out = table.Name + ".csv"
			}
			if out == "-" {
				if err := p.show(table, &output{format: "csv"}); err != nil {
					return err
				}
				return (&output{failOn: "error"}).exit(made.Findings)
			}
			format := strings.TrimPrefix(strings.ToLower(filepath.Ext(out)), ".")
			if format != "csv" && format != "xlsx" {
				return usage("--out %s: expected a name that ends in .csv or .xlsx, or -", out)
			}
			var text bytes.Buffer
			if err := doc.Write(&text, format, table, doc.Style{CRLF: true}); err != nil {
				return failed(err)
			}
			if err := files.WriteNew(out, text.Bytes(), force); err != nil {
				return usage("%s; --force replaces it", err)
			}
			fmt.Fprintf(p.out, words.EntriesWritten, fromHere(out), wording.Count(n, "line"), place)
			p.notReady(made.Findings)
			return (&output{failOn: "error"}).exit(made.Findings)
		},
	}
	from.flags(c)
	from.zoneFlags(c)
	c.Flags().StringVar(&carrier, "carrier", "",
		"the `CARRIER` that is meant (default: the only one possible)")
	c.Flags().StringVarP(&out, "out", "o", "",
		"the `FILE`.csv or .xlsx to write (-: standard output; default: the carrier's name)")
	c.Flags().BoolVar(&force, "force", false,
		"replace a file that this program did not write or that was edited")
	return c
}
