package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

func (p *program) rules() *cobra.Command {
	c := &cobra.Command{
		Use:   "rules",
		Short: "Work on the redirect map: try URLs, straighten chains, take in redirects that exist",
		Example: `  upperpath rules try http://lacemill-museum.example/archive/1998/bobbins
  upperpath rules straighten
  upperpath rules import old.htaccess --host lacemill-museum.example`,
	}
	c.AddCommand(p.rulesTry(), p.rulesStraighten(), p.rulesImport())
	return c
}

// rulesTry says which rule takes a URL, and why.
func (p *program) rulesTry() *cobra.Command {
	var from estateOptions
	var format string
	c := &cobra.Command{
		Use:   "try URL...",
		Short: "Say which rule takes a URL, why this one, what it gives, and the predicted chain to the end",
		Example: `  upperpath rules try http://lacemill-museum.example/archive/1998/bobbins
  upperpath rules try --format json https://slatequarry.example/tours`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if !contains([]string{"text", "json"}, format) {
				return usage("--format %s: expected one of text, json", format)
			}
			_, in, err := from.input()
			if err != nil {
				return err
			}
			made := plan.Bare(in)
			var tries []report.Try
			for _, a := range args {
				if !strings.Contains(a, "://") {
					a = "https://" + a
				}
				u, err := web.ParseURL(a)
				if err != nil {
					return usage("rules try: %s", err)
				}
				tries = append(tries, tryOf(made, u))
			}
			return report.Tries(p.out, format, tries, p.style())
		},
	}
	from.flags(c)
	c.Flags().StringVar(&format, "format", "text", "how to write the result, a `FORMAT`: text, json")
	return c
}

// tryOf gathers what is to be said of a URL.
func tryOf(made *plan.Plan, u web.URL) report.Try {
	t := report.Try{URL: u.String(), Rivals: []report.Rival{}}
	asked := u.At(made.Web.Plan(u.Door()).Door)
	if all := made.Table.Candidates(asked); len(all) > 0 {
		m, _ := made.Table.Lookup(asked)
		t.Rule, t.Old, t.Status = m.Rule.Line, m.Rule.Old.String(), m.Rule.Status
		if t.Status == 0 {
			t.Status = made.Estate.Policy.Status
		}
		t.Location = m.Location(made.Estate.Canonical)
		winner := rule.Entry{Rule: m.Rule, Inherited: m.Rule.Old.Host != u.Host()}
		for _, e := range all {
			if e.Rule == m.Rule {
				continue
			}
			why := rule.Why(winner, e)
			if why == "" {
				why = "it comes first here; they are equally specific (a tie), and elsewhere the other one may win"
			}
			t.Rivals = append(t.Rivals, report.Rival{Line: e.Rule.Line, Old: e.Rule.Old.String(), Why: why})
		}
	} else {
		a := made.Web.Intended(u)
		t.Status, t.Location = a.Status, a.Location
	}
	c := chain.Follow(context.Background(), made.Web, chain.Ask{URL: u}, chain.Asked)
	for _, h := range c.Hops {
		t.Chain = append(t.Chain, plan.Step{URL: h.URL.String(), Status: h.Status, Refusal: string(h.Refusal)})
	}
	t.End = string(c.End)
	return t
}

// straightening is what to change for a rule that leads in several hops.
func straightening(s proof.Straightened) files.Edit {
	edit := files.Edit{Set: map[string]string{}}
	if to := s.New.New.String(); to != s.Old.New.String() {
		edit.Set["new"] = to
	}
	for _, a := range s.Added {
		edit.Added = append(edit.Added, map[string]string{"old": a.Old.String(), "new": a.New.String()})
	}
	return edit
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
	var format string
	var write bool
	c := &cobra.Command{
		Use:   "straighten",
		Short: "Write rules that lead in several hops as single ones, and drop exact duplicates",
		Long: `straighten finds the rules whose target is itself redirected, and shows for each the rule that leads there in one hop; exact
duplicates go. With --write it changes rules.csv: only these lines, everything else stays to the octet. A temporary redirect
is never joined into a permanent one.`,
		Example: `  upperpath rules straighten
  upperpath rules straighten --write`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !contains([]string{"text", "json"}, format) {
				return usage("--format %s: expected one of text, json", format)
			}
			e, in, err := p.read(c.Context(), &from)
			if err != nil {
				return err
			}
			if e.Estate.Rules == "" {
				return usage("the estate file names no rules; nothing to straighten")
			}
			var made *plan.Plan
			var straightened []proof.Straightened
			meter := p.progress("straightening", 0, "")
			err = unless(c.Context(), func() { made = plan.Bare(in); straightened = proof.Straighten(made) })
			meter.done()
			if err != nil {
				return err
			}
			path := files.Beside(e.Path, e.Estate.Rules)
			edits := map[int]files.Edit{}
			var changes []report.Straightening
			for _, d := range made.Table.Duplicates() {
				edits[d[1].Line] = files.Edit{Drop: true}
				changes = append(changes, report.Straightening{Line: d[1].Line, Old: d[1].Old.String(), Was: d[1].New.String(), Why: fmt.Sprintf("line %d says the same", d[0].Line)})
			}
			for _, s := range straightened {
				if edits[s.Line].Drop {
					continue
				}
				edits[s.Line] = straightening(s)
				changes = append(changes, report.Straightening{Line: s.Line, Old: s.Old.Old.String(), Was: s.Old.New.String(), Now: s.New.New.String(), Why: fmt.Sprintf("%d hops", s.Hops)})
				for _, a := range s.Added {
					changes = append(changes, report.Straightening{Line: s.Line, Old: a.Old.String(), Now: a.New.String(), Added: true, Why: "leads elsewhere"})
				}
			}
			if write && len(edits) > 0 {
				data, err := os.ReadFile(path)
				if err != nil {
					return failed(err)
				}
				text, err := files.EditRules(path, data, edits)
				if err == nil {
					err = files.Write(path, text)
				}
				if err != nil {
					return failed(err)
				}
			}
			return report.Straightened(p.out, format, changes, fromHere(path), write, p.style())
		},
	}
	from.flags(c)
	c.Flags().StringVar(&format, "format", "text", "how to write the result, a `FORMAT`: text, json")
	c.Flags().BoolVar(&write, "write", false, "change the file with the rules")
	return c
}
