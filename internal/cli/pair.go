package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/plan"
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
for it. Of those at 0.9, nine in ten are right. Years, numbers, sizes, colours and languages
that differ keep pages apart. What rules of yours lead already is left out.

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
	door, err := doorOf(o.host)
	if err != nil {
		return nil, err
	}
	if len(args) == 0 {
		args = []string{files.Beside(e.Path, oldURLsName)}
	}
	pages := slices.Clone(o.pages)
	if len(pages) == 0 {
		for _, name := range in.Estate.Site.Pages {
			pages = append(pages, files.Beside(e.Path, name))
		}
	}
	if len(pages) == 0 {
		return nil, usage("no pages of the new site are known; name them in the estate file " +
			"(site.pages), or with --pages FILE")
	}
	var olds, news []pair.Page
	var readErr error
	m := p.progress("reading pages", 0, "")
	err = interruptible(ctx, func() {
		if olds, readErr = files.ReadDescribed(args, door, true, ctx.Err); readErr == nil {
			news, readErr = files.ReadDescribed(pages, in.Estate.Canonical, false, ctx.Err)
		}
	})
	m.done()
	if err = errors.Join(err, readErr); err != nil {
		return nil, hinted(err)
	}
	made := in.Web()
	result := &report.Paired{Sheet: &sheet.Sheet, News: len(news), All: o.all}
	known := map[string]bool{}
	led := redirectsSeen(in)
	olds = slices.DeleteFunc(olds, func(g pair.Page) bool {
		u, err := web.ParseURL(g.URL)
		if err != nil || !made.Means(u.Host()) || !made.Forwards(u.Door()) {
			return true
		}
		known[u.Key()] = true
		if _, took := made.Treatment(u.Door()).Rule(u); took {
			result.Ruled++
			return true
		}
		return false
	})
	for i := range olds {
		olds[i].Leads = led[olds[i].URL]
	}
	result.Olds = len(olds)
	meter := p.progress("pairing", len(olds), "old pages")
	found, err := pair.Find(
		ctx,
		olds,
		news,
		sheet.DecidedOf(olds, news, in.Estate.Canonical),
		meter.step,
	)
	meter.done()
	if err != nil {
		return nil, err
	}
	for _, m := range found.Of {
		if m.Front {
			result.Front++
		}
	}
	sheet.Take(olds, news, found, in.Estate.Canonical, func(i int, m pair.Match) string {
		section := ""
		if m.Section >= 0 {
			section = news[m.Section].URL
			if u, err := web.ParseURL(section); err == nil && u.Door() == in.Estate.Canonical {
				section = u.RequestURI()
			}
		}
		return words.PairMatch(m, section)
	})
	for _, r := range sheet.Rows {
		if u, err := web.ParseURL(r.Old); err == nil && !known[u.Key()] {
			result.Strayed++
		}
	}
	return result, nil
}

// redirectsSeen gives where old URLs were seen to lead, by the last survey.
func redirectsSeen(in plan.Input) map[string]string {
	led := map[string]string{}
	if in.Survey == nil {
		return led
	}
	for i := range in.Survey.Domains {
		for _, c := range in.Survey.Domains[i].Chains {
			if n := len(c.Hops); n > 1 && c.Hops[n-1].Status == 200 {
				led[c.Entry.String()] = c.Hops[n-1].URL.String()
			}
		}
	}
	return led
}

// wantedOf gives what is decided in a sheet. rest are the URLs of which nothing is.
func wantedOf(sheet *files.PairSheet, site web.Door) (wanted []pair.Wanted, rest []web.URL) {
	for _, r := range sheet.Rows {
		u, err := web.ParseURL(r.Old)
		if err != nil {
			continue
		}
		if to, _, known := r.Goal(site); known {
			wanted = append(wanted, pair.Wanted{Old: u, New: to, Weight: r.Weight, Line: r.Line})
		} else {
			rest = append(rest, u)
		}
	}
	return wanted, rest
}

// pairRules makes rules of what is decided, and follows each pair through the plan with them.
func (p *program) pairRules(ctx context.Context, e *files.Estate, in plan.Input,
	sheet *files.PairSheet, name string, out *output, o *pairOptions) error {
	wanted, rest := wantedOf(sheet, in.Estate.Canonical)
	before := in.Web()
	result := report.PairRuled{Wanted: wanted, File: name, Undecided: len(rest), All: o.all}
	m := p.progress("making rules", 0, "")
	var err, failed error
	err = interruptible(ctx, func() {
		result.Table, failed = pair.Rules(ctx, wanted, rest, pair.Base{
			Leads: func(u web.URL) (web.URL, bool, bool) {
				_, byHand := before.Treatment(u.Door()).Rule(u)
				goal := before.Goal(u)
				return goal.Target, goal.Gone, byHand
			},
			Canonical: in.Estate.Canonical, Scope: files.RuleScope(in.Estate)})
	})
	m.done()
	if err = errors.Join(err, failed); err != nil {
		return err
	}
	with := in
	with.Rules = slices.Clone(in.Rules)
	for i, made := range result.Table.Rules {
		r := *made.Rule
		r.Line = 1_000_000_000 + i
		with.Rules = append(with.Rules, &r)
	}
	after := with.Web()
	skip := map[int]bool{}
	for _, some := range [][]int{result.Table.Overruled, result.Table.Twice, result.Table.Unsaid} {
		for _, i := range some {
			skip[i] = true
		}
	}
	for i, w := range wanted {
		if goal := after.Goal(w.Old); !skip[i] &&
			(w.New.IsZero() != goal.Gone || !goal.Gone && !goal.Target.Same(w.New)) {
			result.Failed = append(result.Failed, fmt.Sprintf("line %d: %s → %s", w.Line, w.Old,
				goal.Target))
		}
	}
	if urls := files.Beside(e.Path, oldURLsName); files.Exists(urls) {
		addresses, from, err := p.oldURLs(ctx, e, in, web.Door{}, nil)
		if err != nil {
			return err
		}
		result.From = from
		err = interruptible(ctx, func() {
			result.Before, result.After = old.Cover(
				before,
				addresses,
				nil,
			), old.Cover(
				after,
				addresses,
				nil,
			)
		})
		if err != nil {
			return err
		}
	}
	if o.add && len(result.Table.Rules) > 0 && len(result.Failed) == 0 {
		if result.Added, err = p.addPairRules(e, result, name); err != nil {
			return err
		}
	}
	if err := p.show(report.PairRules(result), out); err != nil {
		return err
	}
	if len(result.Failed)+len(skip) > 0 {
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

// reviewing is a walk through what is undecided.
type reviewing struct {
	p     *program
	sheet *files.PairSheet
	path  string
	site  web.Door
	in    *bufio.Reader
	raw   *os.File // a terminal whose keys come one by one; nil: they come as they stand
	undo  [][]pair.Row
	at    []int // the rows that are walked through
}

// pairReview walks through the undecided rows, the heaviest first.
func (p *program) pairReview(ctx context.Context, sheet *files.PairSheet, path string,
	site web.Door) error {
	r := &reviewing{p: p, sheet: sheet, path: path, site: site, in: bufio.NewReader(p.in)}
	if f, isFile := p.in.(*os.File); isFile && term.IsTerminal(int(f.Fd())) {
		r.raw = f
	}
	for i, row := range sheet.Rows {
		if !row.Decided() {
			r.at = append(r.at, i)
		}
	}
	slices.SortStableFunc(r.at, func(a, b int) int {
		return int(min(1, max(-1, sheet.Rows[b].Weight-sheet.Rows[a].Weight)))
	})
	decided := 0
	for i := 0; i < len(r.at) && ctx.Err() == nil; {
		if sheet.Rows[r.at[i]].Decided() {
			i++
			continue
		}
		r.show(i)
		n, move, leave, err := r.step(i)
		if err != nil {
			return err
		}
		decided += n
		if leave {
			break
		}
		i = max(0, i+move)
	}
	open := 0
	for _, i := range r.at {
		if !sheet.Rows[i].Decided() {
			open++
		}
	}
	fmt.Fprintln(p.out, words.PairsLeft(decided, open))
	return ctx.Err()
}

// show shows a row.
func (r *reviewing) show(i int) {
	row := r.sheet.Rows[r.at[i]]
	w := r.p.out
	fmt.Fprintf(w, "\n%d of %d   %s\n%s\n", i+1, len(r.at),
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
		if err != nil || c > ' ' || c == 3 || c == 4 {
			return c, err
		}
	}
}

// step takes one decision: how many rows were decided, how far to go on, whether to leave.
func (r *reviewing) step(i int) (decided, move int, leave bool, err error) {
	at := r.at[i]
	c, err := r.key()
	if errors.Is(err, io.EOF) {
		return 0, 0, true, nil
	}
	if err != nil {
		return 0, 0, false, err
	}
	switch c {
	case 'q', 'Q', 3, 4:
		return 0, 0, true, nil
	case 'k':
		return 0, 1, false, nil
	case 'u':
		n, err := r.takeBack()
		return -n, -1 * min(1, n), false, err
	case 't':
		fmt.Fprint(r.p.out, words.ReviewType)
		r.p.out.flush()
		line, err := r.in.ReadString('\n')
		if err != nil && line == "" {
			return 0, 0, true, nil
		}
		text := strings.TrimSpace(line)
		if _, err := pair.ParseTarget(text, r.site); err != nil || text == "" {
			fmt.Fprintln(r.p.out, words.ReviewNoKey)
			return 0, 0, false, nil
		}
		return r.decide([]int{at}, text)
	case 'a':
		all := r.sheet.Like(at)
		fmt.Fprintf(r.p.out, words.ReviewAll, wording.Count(len(all), "row"))
		r.p.out.flush()
		if c, err = r.key(); err != nil {
			return 0, 0, true, nil
		}
		if word := decisionOf(c); word != "" && c != '2' && c != '3' {
			return r.decide(all, word)
		}
	default:
		if word := decisionOf(c); word != "" {
			return r.decide([]int{at}, word)
		}
	}
	fmt.Fprintln(r.p.out, words.ReviewNoKey)
	return 0, 0, false, nil
}

func decisionOf(key byte) string {
	return map[byte]string{'1': pair.Yes, '2': pair.Second, '3': pair.Third, 's': pair.Section,
		'g': pair.IsGone}[key]
}

// decide writes a decision into rows that have what it chooses, and saves the sheet.
func (r *reviewing) decide(rows []int, word string) (decided, move int, leave bool, err error) {
	var before []pair.Row
	for _, i := range rows {
		row := &r.sheet.Rows[i]
		was := *row
		row.Decision = word
		if to, gone := row.Target(); !gone && to == "" {
			*row = was
			continue
		}
		was.Line = i
		before = append(before, was)
	}
	if len(before) == 0 {
		fmt.Fprintln(r.p.out, words.ReviewNoKey)
		return 0, 0, false, nil
	}
	r.undo = append(r.undo, before)
	return len(before), 1, false, edited(r.sheet.Write(r.path))
}

// takeBack undoes the last decision, and returns how many rows it was about.
func (r *reviewing) takeBack() (int, error) {
	if len(r.undo) == 0 {
		fmt.Fprintln(r.p.out, words.ReviewNone)
		return 0, nil
	}
	last := r.undo[len(r.undo)-1]
	r.undo = r.undo[:len(r.undo)-1]
	for _, was := range last {
		r.sheet.Rows[was.Line].Decision = was.Decision
	}
	fmt.Fprintln(r.p.out, words.ReviewUndone)
	return len(last), edited(r.sheet.Write(r.path))
}
