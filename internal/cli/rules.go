package cli

import (
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

func (p *program) rules() *cobra.Command {
	c := &cobra.Command{
		Use:   "rules",
		Short: "Work on the redirect map: try, straighten, import, merge",
		Example: `  upperpath rules try http://lacemill-museum.example/archive/1998/bobbins
  upperpath rules straighten
  upperpath rules import old.htaccess --host lacemill-museum.example`,
	}
	c.AddCommand(p.rulesTry(), p.rulesStraighten(), p.rulesImport(), p.rulesMerge())
	return c
}

// rulesTry says which rule takes a URL, and why.
func (p *program) rulesTry() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "try URL...",
		Short: "Show which rule takes a URL, why, and where it leads",
		Example: `  upperpath rules try http://lacemill-museum.example/archive/1998/bobbins
  upperpath rules try --format json https://slatequarry.example/tours`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			_, in, err := p.read(c.Context(), &from)
			if err != nil {
				return err
			}
			made := in.Web()
			var tries []predict.Try
			for _, given := range args {
				a := given
				if !strings.Contains(a, "://") {
					a = "https://" + a
				}
				u, err := web.ParseURL(a)
				if err != nil {
					return usage("rules try: %s", err)
				}
				t := made.Try(u)
				t.URL = given
				tries = append(tries, t)
			}
			return p.show(report.Tries(tries), &out)
		},
	}
	from.flags(c)
	out.formatFlag(c)
	return c
}

// edits are what to write into the file of the rules for changes.
func edits(changes []proof.Straightened) map[int]files.Edit {
	all := map[int]files.Edit{}
	for _, s := range changes {
		edit := files.Edit{Drop: s.New == nil, Set: map[string]string{}}
		if s.New != nil && s.New.New.String() != s.Old.New.String() {
			edit.Set["new"] = s.New.New.String()
		}
		for _, a := range s.Added {
			edit.Added = append(edit.Added, map[string]string{"old": a.Old.String(), "new": a.New.String()})
		}
		all[s.Line] = edit
	}
	return all
}

// fromHere gives a path as seen from the present folder, where it lies in it.
func fromHere(path string) string {
	here, err := os.Getwd()
	if err != nil {
		return path
	}
	if rel, err := filepath.Rel(here, path); err == nil && filepath.IsLocal(rel) {
		return rel
	}
	return path
}

// rulesStraighten writes chains as single hops.
func (p *program) rulesStraighten() *cobra.Command {
	var from estateOptions
	var out output
	var write bool
	c := &cobra.Command{
		Use:   "straighten",
		Short: "Rewrite rules of several hops as single ones, drop duplicates",
		Long: `straighten finds the rules whose target is itself redirected, and shows for each the rule
that leads there in one hop; exact duplicates go. With --write it changes rules.csv: only these
lines, and nothing else. It never merges a temporary redirect into a permanent one.`,
		Example: `  upperpath rules straighten
  upperpath rules straighten --write`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			e, in, err := p.read(c.Context(), &from)
			if err != nil {
				return err
			}
			if e.Estate.Rules == "" {
				return usage("the estate file names no rules; nothing to straighten")
			}
			var changes []proof.Straightened
			meter := p.progress("straightening", 0, "")
			err = interruptible(c.Context(), func() { changes = proof.Straighten(in.Web()) })
			meter.done()
			if err != nil {
				return err
			}
			path := files.Beside(e.Path, e.Estate.Rules)
			edits := edits(changes)
			if write && len(edits) > 0 {
				err := files.Change(path, func(text []byte) ([]byte, error) {
					return files.EditRules(path, text, edits)
				})
				if err != nil {
					return edited(err)
				}
			}
			return p.show(report.Straightened(changes, fromHere(path), write), &out)
		},
	}
	from.flags(c)
	out.formatFlag(c)
	c.Flags().BoolVar(&write, "write", false, "change the file with the rules")
	return c
}
