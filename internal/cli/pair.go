package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/words"
)

// pairsName is what the work sheet of pairs is called.
const pairsName = "pairs.csv"

// pairOptions are the options of pair beside those of every command.
type pairOptions struct {
	host, to           string
	pages              []string
	least              float64
	review, rules, add bool
	all                bool
}

func (p *program) pair() *cobra.Command {
	var from estateOptions
	var out output
	var o pairOptions
	c := &cobra.Command{
		Use:   "pair [FILE...]",
		Short: "Pair old pages with new ones, and make rules of what was decided",
		Long: `pair finds for each old URL of old-urls.csv, or of other FILEs, its counterpart among the
pages of the new site (site.pages, or --pages). It says with what confidence, and what speaks
for it; at 0.9, nine in ten were right where it was measured. Years, numbers, sizes, colours
and languages that differ keep pages apart. What rules of yours lead already is left out.

The work sheet pairs.csv (or --to FILE.xlsx) has the heaviest undecided first. Decide in its
column decision: yes, 2, 3, section, gone, later, a path or a URL. What you wrote stays, and
later runs learn from it. --review asks in the terminal, one key a decision.

--rules makes rules of all that is decided: patterns where many pairs follow one, single
rules for the others. Each pair is followed through the plan with these rules.`,
		Example: `  upperpath pair
  upperpath pair --pages pages.txt --to pairs.xlsx
  upperpath pair --from-confidence 0.95
  upperpath pair --review
  upperpath pair --rules --add`,
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			if o.add && !o.rules {
				return usage("--add goes with --rules")
			}
			if o.rules && o.review {
				return usage("--rules and --review are two things: expected one of them")
			}
			if c.Flags().Changed("from-confidence") && (o.least <= 0 || o.least > 1) {
				return usage("--from-confidence %v: expected a number above 0, up to 1, such as 0.95",
					o.least)
			}
			return p.runPair(c.Context(), &from, &out, &o, args)
		},
	}
	from.flags(c)
	out.formatFlag(c)
	f := c.Flags()
	f.StringVar(&o.host, "host", "",
		"the `HOST` or door of the paths in a file that names none")
	f.StringArrayVar(&o.pages, "pages", nil,
		"a `FILE` with pages of the new site: a list, a sitemap, a crawl (repeatable)")
	f.StringVar(&o.to, "to", "",
		"the work sheet, a `FILE`.csv or .xlsx (default: "+pairsName+" beside the estate file)")
	f.Float64Var(&o.least, "from-confidence", 0, "decide yes where the `CONFIDENCE` is at least this")
	f.BoolVar(&o.review, "review", false, "walk through the undecided, one key a decision")
	f.BoolVar(&o.rules, "rules", false, "make rules of what is decided")
	f.BoolVar(&o.add, "add", false, "add the rules at the end of the estate's rules.csv")
	f.BoolVar(&o.all, "all", false, "show every row, not only the heaviest")
	return c
}

func (p *program) runPair(
	ctx context.Context, from *estateOptions, out *output, o *pairOptions, args []string,
) error {
	e, in, err := p.readSeen(ctx, from)
	if err != nil {
		return err
	}
	path := o.to
	if path == "" {
		path = files.Beside(e.Path, pairsName)
	}
	var sheet *files.PairSheet
	if err := interruptible(ctx, func() { sheet, err = files.ReadPairSheet(path) }); err != nil {
		return err
	}
	if err != nil {
		return err
	}
	switch {
	case (o.review || o.rules) && len(sheet.Rows) == 0:
		return usage("%s has no pairs yet; make them first: upperpath pair", fromHere(path))
	case o.rules:
		return p.pairRules(ctx, e, in, sheet, fromHere(path), out, o)
	case o.review:
		return p.pairReview(ctx, sheet, path, in.Estate.Canonical)
	}
	result, err := p.findPairs(ctx, e, in, sheet, o, args)
	if err != nil {
		return err
	}
	if o.least > 0 {
		result.Accepted = sheet.Accept(o.least)
		sheet.Sort()
	}
	if err := sheet.Write(path); err != nil {
		return edited(err)
	}
	result.File = fromHere(path)
	return p.show(report.Pair(*result), out)
}

// findPairs looks for counterparts, and brings them into the sheet.
func (p *program) findPairs(ctx context.Context, e *files.Estate, in plan.Input,
	sheet *files.PairSheet, o *pairOptions, args []string) (*report.Paired, error) {
	olds, news, err := p.describedPages(ctx, e, in, o, args)
	if err != nil {
		return nil, err
	}
	if len(news.Pages) == 0 {
		return nil, usage("there is no page of the new site in what was read; name a list of them " +
			"with --pages FILE, or in the estate file (site.pages)")
	}
	made := in.Web()
	result := &report.Paired{Sheet: &sheet.Sheet, News: len(news.Pages), NoPages: news.Left,
		All: o.all}
	known := map[string]bool{}
	led := in.Survey.Led()
	pages := slices.DeleteFunc(olds.Pages, func(g pair.Page) bool {
		u, err := web.ParseURL(g.URL)
		if err != nil || !made.Means(u.Host()) || !made.Forwards(u.Door()) {
			result.Strangers++
			return true
		}
		known[u.Key()] = true
		if _, took := made.Treatment(u.Door()).Rule(u); took {
			result.Ruled++
			return true
		}
		return false
	})
	for i := range pages {
		pages[i].Leads = led[pair.Key(pages[i].URL)]
	}
	result.Olds = len(pages)
	meter := p.progress("pairing", len(pages), "old pages")
	var found *pair.Found
	var failed error
	site := in.Estate.Canonical
	err = interruptible(ctx, func() {
		found, failed = pair.Find(ctx, pages, news.Pages, sheet.DecidedOf(pages, news.Pages, site),
			meter.step)
	})
	meter.done()
	if err = errors.Join(err, failed); err != nil {
		return nil, err
	}
	for _, m := range found.Of {
		if m.Front {
			result.Front++
		}
	}
	sheet.Take(pages, news.Pages, found, site, words.PairMatch)
	for _, r := range sheet.Rows {
		if !known[pair.Key(r.Old)] {
			result.Strayed++
		}
	}
	return result, nil
}

// describedPages reads the old pages, and those of the new site.
func (p *program) describedPages(ctx context.Context, e *files.Estate, in plan.Input,
	o *pairOptions, args []string) (olds, news *files.Described, err error) {
	door, err := doorOf(o.host)
	if err != nil {
		return nil, nil, err
	}
	if len(args) == 0 {
		args = []string{files.Beside(e.Path, oldURLsName)}
	}
	olds, news = files.NewDescribed(true), files.NewDescribed(false)
	some := len(o.pages) > 0
	for _, s := range in.Estate.Sites() {
		some = some || len(s.Pages) > 0
	}
	if !some {
		return nil, nil, usage("no pages of the new site are known; name them in the estate file " +
			"(site.pages), or with --pages FILE")
	}
	m := p.progress("reading pages", 0, "")
	defer m.done()
	var failed error
	err = interruptible(ctx, func() {
		for _, path := range args {
			failed = errors.Join(failed, olds.Read(path, door, ctx.Err))
		}
		for _, path := range o.pages {
			failed = errors.Join(failed, news.Read(path, in.Estate.Canonical, ctx.Err))
		}
		for _, s := range in.Estate.Sites() {
			for _, name := range s.Pages {
				if len(o.pages) == 0 {
					failed = errors.Join(failed, news.Read(files.Beside(e.Path, name), s.Canonical, ctx.Err))
				}
			}
		}
	})
	if err == nil && failed != nil {
		err = hinted(failed)
	}
	return olds, news, err
}

// rulesOfPairs makes rules of what is decided, and gives the input of a plan with them.
func (p *program) rulesOfPairs(ctx context.Context, in plan.Input, before *predict.Prediction,
	sheet *files.PairSheet) (wanted []pair.Wanted, unread []int, table *pair.Table, with plan.Input,
	err error) {
	wanted, rest, unread := sheet.Wanted(in.Estate.Canonical)
	m := p.progress("making rules", 0, "")
	var failed error
	err = interruptible(ctx, func() {
		table, failed = pair.Rules(ctx, wanted, rest, pair.Base{
			Leads: func(u web.URL) (web.URL, bool, bool) {
				_, byHand := before.Treatment(u.Door()).Rule(u)
				goal := before.Goal(u)
				return goal.Target, goal.Gone, byHand
			},
			Canonical: in.Estate.Canonical, Scope: files.RuleScope(in.Estate), Hand: in.Rules})
	})
	m.done()
	if err = errors.Join(err, failed); err != nil {
		return wanted, unread, table, in, err
	}
	with = in
	with.Rules = slices.Clone(in.Rules)
	for i, made := range table.Rules {
		r := *made.Rule
		r.Line = 1_000_000_000 + i
		with.Rules = append(with.Rules, &r)
	}
	return wanted, unread, table, with, nil
}

// pairRules makes rules of what is decided, and follows each pair through the plan with them.
func (p *program) pairRules(ctx context.Context, e *files.Estate, in plan.Input,
	sheet *files.PairSheet, name string, out *output, o *pairOptions) error {
	before := plan.Bare(in).Web
	wanted, unread, table, with, err := p.rulesOfPairs(ctx, in, before, sheet)
	if err != nil {
		return err
	}
	result := report.PairRuled{Wanted: wanted, File: name, Unread: unread, All: o.all, Table: table}
	var addresses []old.Address
	switch _, err := os.Stat(files.Beside(e.Path, oldURLsName)); {
	case err == nil:
		if addresses, result.From, err = p.oldURLs(ctx, e, in, web.Door{}, nil); err != nil {
			return err
		}
	case !errors.Is(err, fs.ErrNotExist):
		return err
	}
	err = interruptible(ctx, func() {
		after := plan.Bare(with).Web
		pairs := make([]old.Address, len(wanted))
		for i, w := range wanted {
			pairs[i] = old.Address{URL: w.Old.String()}
		}
		followed := old.Cover(after, pairs, nil)
		result.Arrivals = make([]string, len(wanted))
		result.Failed = result.Table.Failed(wanted, func(i int) (string, bool) {
			to, _, status := followed.End(i)
			result.Arrivals[i] = to
			return to, status == rule.Gone
		})
		if result.From != "" {
			result.Before, result.After = old.Cover(
				before,
				addresses,
				nil,
			), old.Cover(
				after,
				addresses,
				nil,
			)
		}
	})
	if err != nil {
		return err
	}
	if o.add && len(result.Table.Rules) > 0 && len(result.Failed) == 0 {
		if result.Added, err = p.addPairRules(e, result, name); err != nil {
			return err
		}
	}
	if err := p.show(report.PairRules(result), out); err != nil {
		return err
	}
	if !result.Clean() {
		return ended{code: exitFindings}
	}
	return nil
}

// addPairRules adds rules at the end of the estate's.
func (p *program) addPairRules(
	e *files.Estate,
	made report.PairRuled,
	name string,
) (string, error) {
	if e.Estate.Rules == "" {
		return "", usage("the estate file names no rules; add rules: rules.csv to it")
	}
	path := files.Beside(e.Path, e.Estate.Rules)
	var rows [][]string
	for _, m := range made.Table.Rules {
		note := "decided in " + name
		if m.Pattern {
			note = wording.Count(m.Pairs, "pair") + " " + note
		}
		rows = append(rows, []string{m.Row.Old, m.Row.New, m.Row.Status, note})
	}
	return fromHere(path), edited(files.Change(path, func(text []byte) ([]byte, error) {
		return files.AppendRules(path, text, []string{"old", "new", "status", "note"}, rows)
	}))
}

// reviewing asks what is undecided, key by key.
type reviewing struct {
	*pair.Review
	p    *program
	save func() error
	site web.Door
	in   *bufio.Reader
	raw  *os.File // a terminal whose keys come one by one; nil: they come as they stand
}

// pairReview walks through the undecided rows, and saves each decision at once.
func (p *program) pairReview(ctx context.Context, sheet *files.PairSheet, path string,
	site web.Door) error {
	r := &reviewing{Review: pair.NewReview(&sheet.Sheet), p: p, site: site, in: bufio.NewReader(p.in),
		save: func() error { return edited(sheet.Write(path)) }}
	if f, isFile := p.in.(*os.File); isFile && term.IsTerminal(int(f.Fd())) {
		r.raw = f
	}
	for ctx.Err() == nil {
		row, more := r.Row()
		if !more {
			break
		}
		r.show(row)
		if leave, err := r.step(); err != nil {
			return err
		} else if leave {
			break
		}
	}
	fmt.Fprintln(p.out, words.PairsLeft(r.Decided, r.Open()))
	return ctx.Err()
}

// show shows a row.
func (r *reviewing) show(row pair.Row) {
	w := r.p.out
	fmt.Fprintf(w, "\n%d of %d   %s\n%s\n", r.At+1, len(r.Rows),
		wording.Count(int(row.Weight), "visit"), shownLine(row.Old))
	for _, c := range []struct{ key, to, why string }{
		{"1", row.New, row.Confidence + "  " + row.Reason},
		{"2", row.Second, ""}, {"3", row.Third, ""}, {"s", row.Section, "its section"}} {
		if c.to != "" {
			fmt.Fprintf(w, "  %s  %s   %s\n", c.key, shownLine(c.to), shownLine(c.why))
		}
	}
	if row.New == "" {
		fmt.Fprintf(w, "     %s\n", shownLine(row.Reason))
	}
	fmt.Fprintln(w, words.ReviewKeys)
	w.flush()
}

func shownLine(s string) string { return strings.TrimSpace(doc.Scrubbed(s)) }

// key reads one key: of a terminal as it is pressed, else the next character that is no space.
func (r *reviewing) key() (byte, error) {
	if r.raw != nil {
		before, err := term.MakeRaw(int(r.raw.Fd()))
		if err == nil {
			defer func() { _ = term.Restore(int(r.raw.Fd()), before) }()
		}
	}
	for {
		c, err := r.in.ReadByte()
		if err != nil || c > ' ' || c == ctrlC || c == ctrlD {
			return c, err
		}
	}
}

// What a terminal sends for Ctrl-C and Ctrl-D where keys come one by one.
const (
	ctrlC = 3
	ctrlD = 4
)

// decisions are the keys of decisions.
var decisions = map[byte]string{'1': pair.Yes, '2': pair.Second, '3': pair.Third,
	's': pair.Section, 'g': pair.IsGone}

// step takes one key.
func (r *reviewing) step() (leave bool, err error) {
	c, err := r.key()
	if errors.Is(err, io.EOF) {
		return true, nil
	}
	if err != nil {
		return false, err
	}
	decision, all := decisions[c], false
	switch c {
	case 'q', 'Q', ctrlC, ctrlD:
		return true, nil
	case 'k':
		r.Skip()
		return false, nil
	case 'u':
		if !r.Undo() {
			fmt.Fprintln(r.p.out, words.ReviewNone)
			return false, nil
		}
		fmt.Fprintln(r.p.out, words.ReviewUndone)
		return false, r.save()
	case 't':
		if decision, err = r.typed(); err != nil {
			return true, nil
		}
	case 'a':
		fmt.Fprintf(r.p.out, words.ReviewAll, wording.Count(r.Alike(), "row"))
		r.p.out.flush()
		if c, err = r.key(); err != nil {
			return true, nil
		}
		if decision, all = decisions[c], true; c == '2' || c == '3' {
			decision = ""
		}
	}
	if decision == "" || !r.Decide(decision, all) {
		fmt.Fprintln(r.p.out, words.ReviewNoKey)
		return false, nil
	}
	return false, r.save()
}

// typed reads a path or a URL; "" where it is none.
func (r *reviewing) typed() (string, error) {
	fmt.Fprint(r.p.out, words.ReviewType)
	r.p.out.flush()
	line, err := r.in.ReadString('\n')
	text := strings.TrimSpace(line)
	if err != nil && text == "" {
		return "", err
	}
	if decision, known := pair.ReadDecision(text); known && decision == text && text != "" {
		if _, err := pair.ParseTarget(text, r.site); err == nil {
			return text, nil
		}
	}
	return "", nil
}
