package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

// rulesMerge takes redirect maps of several people together.
func (p *program) rulesMerge() *cobra.Command {
	var from estateOptions
	var out output
	var to string
	var add, force bool
	c := &cobra.Command{
		Use:   "merge FILE...",
		Short: "Merge redirect maps of the rule language into the estate's",
		Long: `merge compares redirect maps with that of the estate, line by line. It says what is new,
what is the same, and what conflicts, with both lines and a URL: there the earlier line
stays. The estate's lines, comments, order and columns stay as they are; new lines follow
with the comments before them, and with their own columns. --to FILE writes the whole,
--add puts it in the place of the estate's rules.csv.`,
		Example: `  upperpath rules merge old-rules.csv
  upperpath rules merge old-rules.csv --to merged.csv
  upperpath rules merge old-rules.csv --add`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			e, _, err := from.read()
			if err != nil {
				return err
			}
			if e.Estate.Rules == "" {
				return usage("the estate file names no rules; add rules: rules.csv to it")
			}
			own := files.Beside(e.Path, e.Estate.Rules)
			var m *files.Merged
			var failed error
			err = interruptible(c.Context(), func() {
				m, failed = files.MergeRules(
					files.RuleScope(e.Estate),
					slices.Concat([]string{own}, args)...)
			})
			if err == nil {
				err = failed
			}
			if err != nil {
				return err
			}
			result := report.MergedRules{Into: fromHere(own), Added: m.Added, Same: m.Same,
				Columns: m.Columns, Conflicts: mergedPairs(m.Conflicts), Ties: mergedPairs(m.Ties)}
			switch {
			case to == "-":
				_, err := p.out.Write(m.Text)
				return err
			case to != "":
				if err := files.WriteNew(to, m.Text, force); err != nil {
					return fmt.Errorf("%w; --force replaces it", err)
				}
				result.Written = to
			case add && m.Added > 0:
				err := files.Change(own, func([]byte) ([]byte, error) { return m.Text, nil })
				if err != nil {
					return edited(err)
				}
				result.Written = fromHere(own)
			}
			if err := p.show(report.Merge(result), &out); err != nil {
				return err
			}
			if len(m.Conflicts)+len(m.Ties) > 0 {
				return ended{code: exitFindings}
			}
			return nil
		},
	}
	from.flags(c)
	out.formatFlag(c)
	f := c.Flags()
	f.StringVar(&to, "to", "", "the `FILE` to write; - is standard output")
	f.BoolVar(&add, "add", false, "add the rules at the end of the estate's rules.csv")
	f.BoolVar(&force, "force", false, "write the file even if it was edited")
	return c
}

func mergedPairs(all []files.MergeConflict) []report.MergedPair {
	var made []report.MergedPair
	line := func(r files.MergedRule) report.MergedLine {
		return report.MergedLine{File: fromHere(r.File), Line: r.Line, Text: r.Text}
	}
	for _, c := range all {
		made = append(made, report.MergedPair{First: line(c.First), Second: line(c.Second), URL: c.URL})
	}
	return made
}
