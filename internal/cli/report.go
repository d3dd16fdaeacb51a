package cli

import (
	"cmp"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// reportOptions are the options of report beside those of every command.
type reportOptions struct {
	path, title, by, words, figure string
	number, before                 int64
	list, force                    bool
}

func (p *program) report() *cobra.Command {
	var from estateOptions
	var out output
	var o reportOptions
	c := &cobra.Command{
		Use:   "report",
		Short: "Show the last audit again, or make a page of it for the client",
		Long: `report shows the last saved audit. With --out it writes one self-contained page of HTML for
the client. The page has the result in one sentence, and each domain today and afterwards. It says
what to do, where and by when, and shows risks with their dates, figures, and the findings with
their remedies. --before sets an earlier audit beside the last one. --figure writes one of the
figures alone: doors, hops, chains or dates; as PNG if --out ends in .png, otherwise as SVG.`,
		Example: `  upperpath report
  upperpath report --out report.html
  upperpath report --out report.html --title "Northmoor Museums Trust: one address" --by "Your consultant"
  upperpath report --before 1 --out report.html
  upperpath report --figure doors --out doors.png
  upperpath report --list
  upperpath report --number 1 --format md`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			for _, of := range []string{"title", "by", "words", "before", "force"} {
				if c.Flags().Changed(of) && o.path == "" && o.figure == "" {
					return usage("--%s is for the page of --out FILE, or for a --figure; give one of them too",
						of)
				}
			}
			return p.runReport(c, &from, &out, &o)
		},
	}
	f := c.Flags()
	f.StringVar(&from.path, "estate", "",
		"the estate `FILE` (default: upperpath.yaml here or in a folder above)")
	f.StringVar(&o.path, "out", "", "write a page of HTML, or a figure, to this `FILE`")
	f.StringVar(&o.title, "title", "", "the `TITLE` of the page, such as the client's name")
	f.StringVar(&o.by, "by", "", "the `NAME` of the author")
	f.StringVar(&o.words, "words", "", "a text `FILE` with paragraphs for the top of the page")
	f.StringVar(&o.figure, "figure", "",
		"write this `FIGURE` alone: "+strings.Join(report.Figures(), ", "))
	f.Int64Var(&o.number, "number", 0, "the audit with this `NUMBER` instead of the last")
	f.Int64Var(&o.before, "before", 0, "set the audit with this `NUMBER` before it")
	f.BoolVar(&o.list, "list", false, "list the saved audits")
	f.BoolVar(&o.force, "force", false,
		"replace a file that this program did not write or that was edited")
	_ = c.RegisterFlagCompletionFunc(
		"figure",
		cobra.FixedCompletions(report.Figures(), cobra.ShellCompDirectiveNoFileComp),
	)
	out.flags(c)
	out.chainFlag(c)
	return c
}

func (p *program) runReport(c *cobra.Command, from *estateOptions, out *output,
	o *reportOptions) error {
	s, err := p.openStore(from)
	if err != nil {
		return err
	}
	defer s.Close()
	if o.list {
		kept, err := s.List(c.Context())
		if err != nil {
			return storeFailed(err)
		}
		gone, err := s.Gone(c.Context(), "audits")
		if err != nil {
			return storeFailed(err)
		}
		return p.show(report.Kept("audit", kept, gone), out)
	}
	a, err := kept(c, s, o.number)
	if err != nil {
		return err
	}
	if o.path == "" && o.figure == "" {
		if err := p.show(report.Audit(a, "audit", reportTitle(a.Canonical), a.Started), out); err != nil {
			return err
		}
		return out.exit(a.Findings)
	}
	page, err := p.forClient(c, from, s, a, o)
	if err != nil {
		return err
	}
	if o.figure != "" {
		return p.writeFigure(page, o)
	}
	if err := writeHTML(o.path, report.Client(page), o.force); err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s was written.\n", o.path)
	return out.exit(a.Findings)
}

// forClient gathers what a page for the client is made of. Where the estate cannot be read, what
// comes of it is missing, and that is said.
func (p *program) forClient(
	c *cobra.Command,
	from *estateOptions,
	s *store.Store,
	a *chain.Audit,
	o *reportOptions,
) (report.ForClient, error) {
	page := report.ForClient{Title: cmp.Or(o.title, reportTitle(a.Canonical)), By: o.by, Made: p.now(),
		Today: a}
	if o.before > 0 {
		var err error
		if page.Before, err = kept(c, s, o.before); err != nil {
			return page, err
		}
		if !page.Before.Started.Before(a.Started) {
			return page,
				usage("--before %d: this audit is not older than the other; expected an earlier one "+
					"(upperpath report --list)", o.before)
		}
	}
	if o.words != "" {
		text, err := files.Read(o.words, files.MostSmall)
		if err != nil {
			return page, usage("--words %s: the file cannot be read; check the name", o.words)
		}
		for part := range strings.SplitSeq(strings.ReplaceAll(string(text), "\r\n", "\n"), "\n\n") {
			if part = strings.Join(strings.Fields(part), " "); part != "" {
				page.Words = append(page.Words, part)
			}
		}
	}
	_, in, err := from.inputSeen(c.Context())
	if err != nil {
		fmt.Fprintln(
			p.err,
			"The estate file could not be read, so the page has nothing from the plan: upperpath plan "+
				"says why.",
		)
		return page, nil
	}
	page.Plan, page.Survey = plan.Make(in), in.Survey
	book, err := s.Runbook(c.Context(), "")
	if errors.Is(err, store.ErrEmpty) {
		book, err = report.RunbookOf(page.Plan, "", p.now()), nil
	}
	if err != nil {
		return page, storeFailed(err)
	}
	page.Book = book
	return page, nil
}

// writeFigure writes one figure to a file, or to standard output.
func (p *program) writeFigure(page report.ForClient, o *reportOptions) error {
	if !contains(report.Figures(), o.figure) {
		return usage("--figure %s: expected one of %s", o.figure, strings.Join(report.Figures(), ", "))
	}
	format := "svg"
	if strings.EqualFold(filepath.Ext(o.path), ".png") {
		format = "png"
	}
	data, ok, err := report.DrawFigure(page, o.figure, format)
	switch {
	case err != nil:
		return failed(err)
	case !ok:
		return usage("--figure %s: there is nothing to draw", o.figure)
	case o.path == "":
		_, err := p.out.Write(data)
		return err
	}
	if format == "png" {
		err = files.WriteMade(o.force, files.Made{Path: o.path, Data: data, Form: files.PNG})
	} else {
		err = files.WriteMade(o.force,
			files.Made{Path: o.path, Data: data, Opens: "<!-- ", Closes: " -->"})
	}
	if err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s was written.\n", o.path)
	return nil
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
		return nil,
			usage("--number %d: no such audit; upperpath report --list shows the saved ones", number)
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
		store.Full: "Make room on the disk, then try again; --forget works without the store.",
		store.Barred: "Check the permissions of " + filepath.Dir(wrong.Path) +
			"; --forget works without the store.",
		store.Damaged: "Move the store away, or restore it from a copy; a missing store is created.",
		store.Busy:    "Wait until it has finished, or end it; then try again.",
	}[wrong.Reason]
	return failed(fmt.Errorf("%w. %s", err, remedy))
}

// edited is how a change of the consultant's own file ends: what is wrong in it is said as of every
// file.
func edited(err error) error {
	var faults problem.List
	if errors.As(err, &faults) {
		return err
	}
	return wrapFailed(err)
}

func wrapFailed(err error) error {
	if err == nil {
		return nil
	}
	return failed(err)
}
