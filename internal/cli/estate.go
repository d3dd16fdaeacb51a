package cli

import (
	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/files"
)

// estateOptions says which estate is meant, and which part of it.
type estateOptions struct{ path, only string }

func (o *estateOptions) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.path, "estate", "", "the estate `FILE` (default: upperpath.yaml here or in a folder above)")
	c.Flags().StringVar(&o.only, "only", "", "only this `DOMAIN`, or wave:N")
}

// read reads the estate and works the plan out.
func (o *estateOptions) read() (*files.Estate, *plan.Plan, error) {
	path := o.path
	if path == "" {
		var err error
		if path, err = files.FindEstate("."); err != nil {
			return nil, nil, err
		}
	}
	e, err := files.ReadEstate(path)
	if err != nil {
		return nil, nil, err
	}
	only, err := plan.Select(e.Estate, o.only)
	if err != nil {
		return nil, nil, ended{exitUsage, err}
	}
	return e, plan.Make(plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages, Only: only}), nil
}
