package cli

import (
	"errors"
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

func (p *program) report() *cobra.Command {
	var from estateOptions
	var path string
	var number int64
	var list, force bool
	var out output
	c := &cobra.Command{
		Use:   "report",
		Short: "Show the last audit again, or make a page of it for the client",
		Long: `report shows the audit that was kept last. With --out it writes one page of HTML that needs nothing but itself: the
verdict, the grid of doors, the findings with what to do, and every chain drawn.`,
		Example: `  upperpath report
  upperpath report --out report.html
  upperpath report --list
  upperpath report --number 1 --format md`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			estatePath := from.path
			if estatePath == "" {
				var err error
				if estatePath, err = files.FindEstate("."); err != nil {
					return err
				}
			}
			s, err := store.Read((&files.Estate{Path: estatePath}).Folder())
			if err != nil {
				return storeFailed(err)
			}
			defer s.Close()
			if list {
				kept, err := s.List(c.Context())
				if err != nil {
					return storeFailed(err)
				}
				return p.show(report.Kept("audit", kept), &out)
			}
			a, err := kept(c, s, number)
			if err != nil {
				return err
			}
			if path != "" {
				if err := writeHTML(path, report.Client(report.ForClient{Title: reportTitle(a.Canonical), Made: p.now(), Today: a}), force); err != nil {
					return err
				}
				fmt.Fprintf(p.err, "%s was written.\n", path)
				return out.verdict(a.Findings)
			}
			if err := p.show(report.Audit(a, "audit", reportTitle(a.Canonical), p.now()), &out); err != nil {
				return err
			}
			return out.verdict(a.Findings)
		},
	}
	c.Flags().StringVar(&from.path, "estate", "", "the estate `FILE` (default: upperpath.yaml here or in a folder above)")
	c.Flags().StringVar(&path, "out", "", "write a page of HTML to this `FILE`")
	c.Flags().Int64Var(&number, "number", 0, "the audit with this `NUMBER` instead of the last")
	c.Flags().BoolVar(&list, "list", false, "list what is kept")
	c.Flags().BoolVar(&force, "force", false, "replace a file that this program did not make or that was edited")
	out.flags(c)
	out.chainFlag(c)
	return c
}

func kept(c *cobra.Command, s *store.Store, number int64) (*chain.Audit, error) {
	if number == 0 {
		a, err := s.Last(c.Context())
		if errors.Is(err, store.ErrEmpty) {
			return nil, ended{exitUsage, errNothingKept}
		}
		return a, storeFailed(err)
	}
	a, err := s.Get(c.Context(), number)
	if errors.Is(err, store.ErrEmpty) {
		return nil, usage("--number %d: there is no such audit; upperpath report --list shows them", number)
	}
	return a, storeFailed(err)
}

// storeFailed says that the store failed, and what to do about it; nil where err is.
func storeFailed(err error) error {
	var wrong *store.Error
	if !errors.As(err, &wrong) {
		return wrapFailed(err)
	}
	remedy := map[store.Reason]string{
		store.Full:    "Make room on the disk, then do it again; --forget does without the store.",
		store.Barred:  "Check the permissions of " + filepath.Dir(wrong.Path) + "; --forget does without the store.",
		store.Damaged: "Move the store away, or take it from a copy; a new one is made where there is none.",
		store.Busy:    "Wait until it is done, or end it; then do it again.",
	}[wrong.Reason]
	return failed(fmt.Errorf("%w. %s", err, remedy))
}

func wrapFailed(err error) error {
	if err == nil {
		return nil
	}
	return failed(err)
}
