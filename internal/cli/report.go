package cli

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// reportOptions are the options of report beside those of every command.
type reportOptions struct {
	path, title, by, words, figure, kind, from string
	number, before                             int64
	list, force                                bool
}

func (p *program) report() *cobra.Command {
	var from estateOptions
	var out output
	var o reportOptions
	c := &cobra.Command{
		Use:   "report",
		Short: "Show what was audited last, or make a page of it for the client",
		Long: `report shows what was seen last of every door. With --out it writes one page for the
client, HTML or Markdown by the ending of the file. It answers one question first: can this
go live (--kind before), is it done (after), does it stay so (monthly)? It joins what is
known of doors, old URLs, mail, certificates, robots and registrations. It says from when
that is, what was not looked at, and what to do. --before adds what was fixed since an
earlier audit. --figure writes one figure alone. For a PDF, print the page from a browser.`,
		Example: `  upperpath report
  upperpath report --out report.html
  upperpath report --kind after --out - > after.html
  upperpath report --out report.html --by "Your consultant" \
      --title "Northmoor Museums Trust: one address"
  upperpath report --before 1 --out report.html
  upperpath report --figure doors --out doors.png
  upperpath report --list
  upperpath report --number 1 --format md`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := out.check(); err != nil {
				return err
			}
			for _, of := range []string{"title", "by", "words", "before", "force", "kind"} {
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
		"the estate `FILE` (default: upperpath.yaml, here or above)")
	f.StringVarP(&o.path, "out", "o", "",
		"write the page to this `FILE` (.html or .md; - is standard output), or a figure (.svg, .png)")
	f.StringVar(&o.kind, "kind", "",
		"the `KIND` of page: before, after or monthly (default: by what is done)")
	f.StringVar(&o.from, "from", "", "take what was seen from this `VANTAGE` (default: the last one)")
	f.StringVar(&o.title, "title", "", "the `TITLE` of the page, such as the client's name")
	f.StringVar(&o.by, "by", "", "the `NAME` of the author")
	f.StringVar(&o.words, "words", "", "a text `FILE` with paragraphs for the top of the page")
	f.StringVar(&o.figure, "figure", "",
		"write this `FIGURE` alone: "+strings.Join(report.Figures(), ", "))
	f.Int64Var(&o.number, "number", 0,
		"the audit with this `NUMBER` alone, instead of what was seen last")
	f.Int64Var(&o.before, "before", 0, "say what was fixed since the audit with this `NUMBER`")
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
		return p.show(report.Kept("audit", s.Estate(), kept, gone), out)
	}
	if o.path != "" && o.figure == "" {
		if _, err := pageFormat(o.path, out); err != nil {
			return err
		}
	}
	joined, err := p.auditsOf(c.Context(), from, s, o)
	if err != nil {
		return err
	}
	a := joined.Audit
	if o.path == "" && o.figure == "" {
		d := report.LastAudit(joined, reportTitle(a.Canonical), a.Started)
		if err := p.show(d, out); err != nil {
			return err
		}
		return out.exit(a.Findings)
	}
	page, err := p.forClient(c, from, s, joined, o)
	if err != nil {
		return err
	}
	if o.figure != "" {
		return p.writeFigure(page, o)
	}
	return p.writePage(report.Client(page), out, o)
}

// pageFormats are the endings of pages, and the formats that they name.
var pageFormats = map[string]string{".html": "html", ".htm": "html", ".md": "md"}

// pageFormat gives the format of a page: by the ending of its file, or for standard output by
// --format.
func pageFormat(path string, out *output) (string, error) {
	if path == "-" {
		if out.format == "text" {
			return "html", nil
		}
		return out.format, nil
	}
	ending := strings.ToLower(filepath.Ext(path))
	if f := pageFormats[ending]; f != "" {
		return f, nil
	}
	if ending == ".pdf" {
		return "", usage("--out %s: a page is .html or .md; for a PDF write .html and print it from a "+
			"browser", path)
	}
	return "", usage("--out %s: expected a file that ends in .html or .md, or - for standard output",
		path)
}

// writePage writes a page for a client. That it was written is all that its exit code says.
func (p *program) writePage(d doc.Doc, out *output, o *reportOptions) error {
	format, err := pageFormat(o.path, out)
	if err != nil {
		return err
	}
	if o.path == "-" {
		return doc.Write(p.out, format, d, doc.Style{})
	}
	if format == "html" {
		err = writeHTML(o.path, d, o.force)
	} else {
		var text bytes.Buffer
		if err = doc.Write(&text, format, d, doc.Style{}); err == nil {
			err = files.WriteMade(o.force, files.Made{Path: o.path, Data: text.Bytes(), Opens: "<!-- ",
				Closes: " -->"})
		}
	}
	if err != nil {
		return err
	}
	fmt.Fprintf(p.err, "%s was written.\n", o.path)
	return nil
}

// auditsOf gives what was seen last of every URL, or the audit with a number.
func (p *program) auditsOf(ctx context.Context, from *estateOptions, s *store.Store,
	o *reportOptions) (*chain.Joined, error) {
	if o.number != 0 {
		a, err := keptAudit(ctx, s, o.number, "--number")
		if err != nil {
			return nil, err
		}
		j := &chain.Joined{Audit: a, Seen: map[string]time.Time{}, From: []*chain.Audit{a}}
		for i := range a.Chains {
			j.Seen[a.Chains[i].Key()] = a.Started
		}
		return j, nil
	}
	vantage, given := "", o.from
	all, damaged, err := s.LatestAudits(ctx, 0, func(a *chain.Audit) bool {
		if given != "" && a.Scope.Real() && (a.Vantage == given || a.Vantage == "vantage "+given) {
			vantage = a.Vantage
		}
		return !a.Scope.Whole() || given != "" && a.Vantage != vantage
	})
	if err != nil {
		return nil, storeFailed(err)
	}
	for _, d := range damaged {
		p.complain(fmt.Errorf("an audit is left out: %w", d))
	}
	if given != "" && vantage == "" {
		return nil, usage("--from %s: no audit from there is saved; upperpath report --list shows from "+
			"where those are that are", given)
	}
	still := func(web.URL) bool { return true }
	if e, err := from.readQuietly(); err == nil {
		still = func(u web.URL) bool { return e.Holds(u.Host()) || e.Serves(u.Host()) }
	}
	j := chain.Latest(all, vantage, still)
	if len(j.From) == 0 {
		if len(j.Aside) > 0 {
			return nil, usage("every saved audit took addresses or a time by hand (--point, --as-of), and " +
				"says nothing of what visitors meet; audit without them, or show one with --number")
		}
		return nil, ended{exitUsage, errNothingKept}
	}
	return j, nil
}

// forClient gathers what a page for the client is made of. Where the estate cannot be read, what
// comes of it is missing, and that is said.
func (p *program) forClient(
	c *cobra.Command,
	from *estateOptions,
	s *store.Store,
	joined *chain.Joined,
	o *reportOptions,
) (report.ForClient, error) {
	ctx, a := c.Context(), joined.Audit
	page := report.ForClient{Title: cmp.Or(o.title, reportTitle(a.Canonical)), By: o.by, Made: p.now(),
		Today: a, Joined: joined}
	if o.kind != "" {
		page.Kind = signoff.Kind(o.kind)
		if !slices.Contains(signoff.Kinds, page.Kind) {
			return page, usage("--kind %s: expected before, after or monthly", o.kind)
		}
	}
	if o.before > 0 {
		var err error
		if page.Before, err = keptAudit(ctx, s, o.before, "--before"); err != nil {
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
	surveys, _, err := s.LatestSurveys(ctx, untilAll())
	if err != nil {
		return page, storeFailed(err)
	}
	page.Survey = survey.Newest(surveys)
	if page.Runs, err = runsOf(ctx, s, a.Vantage); err != nil {
		return page, storeFailed(err)
	}
	e, in, err := from.inputSeen(ctx)
	if err != nil {
		fmt.Fprintln(
			p.err,
			"The estate file could not be read, so the page has nothing from the plan: upperpath plan "+
				"says why.",
		)
		return page, nil
	}
	page.Plan = plan.Make(in)
	book, err := s.Runbook(ctx, "")
	if errors.Is(err, store.ErrEmpty) {
		book, err = report.RunbookOf(page.Plan, "", p.now()), nil
	}
	if err != nil {
		return page, storeFailed(err)
	}
	page.Book = book
	if page.Kind == "" && page.Before == nil {
		page.Kind = likelyKind(page.Plan, book)
	}
	if page.Kind == signoff.Before {
		page.Coverage = p.coverageOf(ctx, e, in)
		if page.Proof, err = p.proved(ctx, in); err != nil {
			return page, err
		}
	}
	known, err := acceptedState(ctx, e)
	if err != nil {
		return page, err
	}
	if known.base != nil {
		now := recheck.Of(page.Survey, a)
		page.Compared = true
		page.News = len(recheck.Compare(known.base, now, known.lived, known.told, p.now()).Lines())
	}
	return page, nil
}

// likelyKind tells which page is meant: of before the move, as long as steps are open and domains
// are to move.
func likelyKind(made *plan.Plan, book *runbook.Book) signoff.Kind {
	moved, steps := true, 0
	for _, d := range made.Estate.Domains {
		moved = moved && d.State != estate.Planned
	}
	for i := range book.Tasks {
		if !book.Tasks[i].Idle {
			steps++
		}
	}
	if moved || steps == 0 || book.DoneCount() == len(book.Tasks) {
		return signoff.After
	}
	return signoff.Before
}

// coverageOf gives what becomes of the old URLs that were gathered; nil where there are none, or
// where they cannot be read.
func (p *program) coverageOf(ctx context.Context, e *files.Estate, in plan.Input) *old.Coverage {
	if _, err := os.Stat(files.Beside(e.Path, oldURLsName)); err != nil {
		return nil
	}
	all, _, err := p.oldURLs(ctx, e, in, web.Door{}, nil)
	if err != nil || len(all) == 0 {
		return nil
	}
	var made *old.Coverage
	err = interruptible(ctx, func() { made = old.Cover(plan.Bare(in).Web, all, nil) })
	if err != nil {
		return nil
	}
	return made
}

// runsOf gives how the old URLs fared that were followed last from a place, as everybody meets
// them; nil where none were.
func runsOf(ctx context.Context, s *store.Store, vantage string) (*signoff.Runs, error) {
	runs, err := s.Runs(ctx)
	if err != nil {
		return nil, err
	}
	var kept []scope.Kept
	for _, r := range runs {
		kept = append(kept, scope.Kept{ID: r.ID, Vantage: r.Vantage, Scope: r.Scope})
	}
	best, ok := scope.Best(kept, vantage)
	if !ok {
		return nil, nil
	}
	run := runs[slices.IndexFunc(runs, func(r store.Run) bool { return r.ID == best.ID })]
	areas, _, err := s.AreasOf(ctx, run.ID)
	if err != nil {
		return nil, err
	}
	made := &signoff.Runs{Started: run.Started, Source: run.Source, Total: run.Total, Areas: areas}
	if run.Scope != nil {
		made.Part = run.Scope.Only
	}
	return made, nil
}

// writeFigure writes one figure to a file, or to standard output.
func (p *program) writeFigure(page report.ForClient, o *reportOptions) error {
	if !contains(report.Figures(), o.figure) {
		return usage("--figure %s: expected one of %s", o.figure, strings.Join(report.Figures(), ", "))
	}
	if ending := strings.ToLower(filepath.Ext(o.path)); o.path != "" && o.path != "-" &&
		ending != ".svg" && ending != ".png" {
		return usage("--out %s: expected a file that ends in .svg or .png, or - for standard output",
			o.path)
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
	case o.path == "", o.path == "-":
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

// keptAudit gives the audit with a number, which an option names.
func keptAudit(ctx context.Context, s *store.Store, number int64, option string) (*chain.Audit,
	error) {
	a, err := s.Get(ctx, number)
	if errors.Is(err, store.ErrEmpty) {
		return nil,
			usage("%s %d: no such audit; upperpath report --list shows the saved ones", option, number)
	}
	if err != nil {
		return nil, notOurs(err, "audit")
	}
	return a, nil
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
		store.Later:   "Use that version.",
		store.Older:   "Open it where it can be written to; it is brought up to date then.",
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
