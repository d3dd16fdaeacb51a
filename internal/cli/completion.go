package cli

import (
	"fmt"
	"maps"
	"slices"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

// completes has a flag completed by what a function finds; where nothing can be read, by nothing.
func completes(c *cobra.Command, flag string, words func(*cobra.Command) []string) {
	if c.Flags().Lookup(flag) == nil {
		return
	}
	_ = c.RegisterFlagCompletionFunc(
		flag,
		func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
			return words(c), cobra.ShellCompDirectiveNoFileComp
		},
	)
}

// completion teaches every command the words of the estate and the store: domains, waves, carriers,
// vantages, and the numbers of what is kept.
func completion(c *cobra.Command) {
	completes(c, "only", domainWords)
	completes(c, "carrier", carrierWords)
	completes(c, "consider", func(c *cobra.Command) []string {
		return append(carrierWords(c), "www,apex")
	})
	completes(c, "number", auditNumbers)
	completes(c, "as", fixedWords(slices.Sorted(maps.Keys(kinds))...))
	completes(c, "returning", func(c *cobra.Command) []string {
		all := []string{"audit", "survey"}
		for _, n := range auditNumbers(c) {
			all = append(all, "audit:"+n)
		}
		return all
	})
	completes(c, "accept", codeWords)
	completes(c, "withdraw", codeWords)
	completes(c, "before", auditNumbers)
	completes(c, "show", surveyNumbers)
	if c.Flags().Lookup("from") != nil {
		_ = c.RegisterFlagCompletionFunc(
			"from",
			func(c *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
				return vantageWords(c), cobra.ShellCompDirectiveDefault // a file will do too
			},
		)
	}
	switch c.Name() {
	case "report":
		var pages []string
		for _, k := range signoff.Kinds {
			pages = append(pages, string(k))
		}
		completes(c, "kind", fixedWords(pages...))
		completes(c, "figure", fixedWords(report.Figures()...))
	case "import":
		completes(c, "kind", fixedWords(importKinds...))
		completes(c, "context", fixedWords("htaccess", "server"))
	case "plan", "look":
		c.ValidArgsFunction = wordsOf(domainWords)
	case "compare":
		c.ValidArgsFunction = wordsOf(func(c *cobra.Command) []string {
			return append(surveyNumbers(c), "first", "last", "audit:first", "audit:last", plans)
		})
	case "recheck":
		c.ValidArgsFunction = cobra.NoFileCompletions
	}
	for _, below := range c.Commands() {
		completion(below)
	}
}

func fixedWords(all ...string) func(*cobra.Command) []string {
	return func(*cobra.Command) []string { return all }
}

// codeWords are the codes of findings, each with what it means.
func codeWords(*cobra.Command) []string {
	var all []string
	for _, row := range finding.Rows() {
		all = append(all, row.Code.String()+"\t"+words.Code(row.Code).Plain)
	}
	return all
}

func wordsOf(words func(*cobra.Command) []string) cobra.CompletionFunc {
	return func(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
		return slices.DeleteFunc(
			words(c),
			func(w string) bool { return slices.Contains(args, w) },
		), cobra.ShellCompDirectiveNoFileComp
	}
}

// estateAt reads the estate that a command line names, nil where it cannot be read.
func estateAt(c *cobra.Command) *files.Estate {
	path := ""
	if f := c.Flags().Lookup("estate"); f != nil {
		path = f.Value.String()
	}
	if path == "" {
		var err error
		if path, err = files.FindEstate("."); err != nil {
			return nil
		}
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		return nil
	}
	return e
}

func domainWords(c *cobra.Command) []string {
	e := estateAt(c)
	if e == nil {
		return nil
	}
	var all []string
	for _, d := range e.Domains {
		all = append(all, d.Name.String())
	}
	if c.Name() != "look" {
		for _, d := range e.Domains {
			if wave := fmt.Sprintf("wave:%d", d.Wave); !slices.Contains(all, wave) {
				all = append(all, wave)
			}
		}
	}
	return all
}

func carrierWords(c *cobra.Command) []string {
	e := estateAt(c)
	if e == nil {
		return nil
	}
	var all []string
	for _, carrier := range e.Carriers {
		all = append(all, carrier.Name+"\t"+carrier.By.Row().Title)
	}
	return all
}

func vantageWords(c *cobra.Command) []string {
	e := estateAt(c)
	if e == nil {
		return nil
	}
	var all []string
	for name := range e.Vantages {
		all = append(all, name)
	}
	slices.Sort(all)
	return all
}

func auditNumbers(c *cobra.Command) []string {
	return keptNumbers(c, func(s *store.Store) ([]scope.Kept, error) { return s.List(c.Context()) })
}

func surveyNumbers(c *cobra.Command) []string {
	return keptNumbers(c, func(s *store.Store) ([]scope.Kept, error) {
		return s.ListSurveys(c.Context())
	})
}

func keptNumbers(c *cobra.Command, list func(*store.Store) ([]scope.Kept, error)) []string {
	e := estateAt(c)
	if e == nil {
		return nil
	}
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return nil
	}
	defer s.Close()
	kept, err := list(s)
	if err != nil {
		return nil
	}
	var all []string
	for _, k := range kept {
		all = append(all,
			fmt.Sprintf("%d\t%s from %s", k.ID, k.Started.Format("2006-01-02 15:04"), k.Vantage))
	}
	return all
}
