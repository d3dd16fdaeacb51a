package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/report"
)

func (p *program) explain() *cobra.Command {
	var out output
	c := &cobra.Command{
		Use:   "explain [CODE|CAUSE...]",
		Short: "Explain a finding: what it means, its causes, what to do",
		Example: `  upperpath explain path-lost
  upperpath explain edge-by-http
  upperpath explain            # all of them, a line each`,
		ValidArgs: codes(),
		RunE: func(_ *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			if len(args) == 0 {
				return p.show(report.Kinds(), &out)
			}
			for _, code := range args {
				if cause, ok := finding.NamedCause(code); ok {
					if err := p.show(report.ExplainCause(cause.Kind()), &out); err != nil {
						return err
					}
					continue
				}
				c, ok := finding.Named(code)
				if !ok {
					hint := "upperpath explain lists them all"
					if near := problem.Nearest(code, codes()); near != "" {
						hint = "did you mean " + near + "?"
					}
					return usage("explain %s: unknown code; %s", code, hint)
				}
				if err := p.show(report.Explain(c.Row()), &out); err != nil {
					return err
				}
			}
			return nil
		},
	}
	out.formatFlag(c)
	return c
}

func codes() []string {
	var all []string
	for _, k := range finding.Rows() {
		all = append(all, k.Name)
	}
	for _, c := range finding.Causes() {
		all = append(all, c.Name)
	}
	return all
}

// quoteArgument writes a word so that a shell takes it as one.
func quoteArgument(s string) string {
	if s != "" && !strings.ContainsAny(s, " \t'\"$&|;<>()*?[]#~`\\") {
		return s
	}
	return fmt.Sprintf("'%s'", strings.ReplaceAll(s, "'", `'\''`))
}
