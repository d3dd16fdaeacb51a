package cli

import (
	"bytes"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/words"
)

// writeTable writes the redirect map as a table that every importer takes.
func (p *program) writeTable() *cobra.Command {
	var from estateOptions
	var out, host string
	var force bool
	c := &cobra.Command{
		Use:   "table [FILE...]",
		Short: "Write the redirects as a table without patterns",
		Long: `write table writes the redirect map as a table with the columns old, new and status, both
absolute, which the importers of platforms, shops and forwarding services take. A pattern becomes a
line for each old URL that it takes: of old-urls.csv, or of FILEs. Patterns that take none of them
are named: they are not in the table.`,
		Example: `  upperpath write table
  upperpath write table --out for-the-shop.xlsx --only ferryhouse.example
  upperpath write table old-urls.csv --out -`,
		RunE: func(c *cobra.Command, args []string) error {
			format := strings.TrimPrefix(strings.ToLower(filepath.Ext(out)), ".")
			if format != "csv" && format != "xlsx" && out != "-" {
				return usage("--out %s: expected a name that ends in .csv or .xlsx, or -", out)
			}
			e, in, err := p.read(c.Context(), &from)
			if err != nil {
				return err
			}
			door, err := doorOf(host)
			if err != nil {
				return err
			}
			all, _, err := p.oldURLs(c.Context(), e, in, door, args)
			if err != nil {
				return err
			}
			var x old.Expanded
			err = interruptible(c.Context(), func() { x = old.Expand(in.Web(), in.Rules, all) })
			if err != nil {
				return err
			}
			table := report.ExpandedTable(x)
			if out == "-" {
				return p.show(table, &output{format: "csv"})
			}
			var made bytes.Buffer
			if err := doc.Write(&made, format, table, doc.Style{}); err != nil {
				return failed(err)
			}
			if err := files.WriteNew(out, made.Bytes(), force); err != nil {
				return usage("%s; --force replaces it", err)
			}
			fmt.Fprintf(p.out, words.TableWritten, fromHere(out), wording.Count(len(x.Lines), "redirect"),
				wording.Count(x.Led, "pattern"), wording.Verb(x.Led, "was", "were"))
			for _, r := range x.Patterns {
				fmt.Fprintf(p.out, words.TableLeft, r.Line, r.Old, words.NoURLFits)
			}
			for _, r := range x.Never {
				fmt.Fprintf(p.out, words.TableLeft, r.Line, r.Old, words.NeverWins)
			}
			if x.Others > 0 {
				fmt.Fprintf(p.out, words.TableOthers, wording.Count(x.Others, "old URL"))
			}
			if len(x.Patterns)+len(x.Never)+x.Others > 0 {
				return ended{code: exitFindings}
			}
			return nil
		},
	}
	from.flags(c)
	c.Flags().StringVarP(&out, "out", "o", "redirects.csv",
		"the `FILE`.csv or .xlsx to write (-: standard output)")
	c.Flags().StringVar(&host, "host", "", "the `HOST` or door of paths in that file")
	c.Flags().BoolVar(&force, "force", false,
		"replace a file that this program did not write or that was edited")
	return c
}
