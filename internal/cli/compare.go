package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
	"upperpath.example/upperpath/internal/words"
)

// The kinds of what can be compared.
const (
	surveys = "survey"
	audits  = "audit"
	plans   = "plan"
)

// compared is one side of a comparison.
type compared struct {
	kind  string
	name  string // as it is called in a title
	state *recheck.State
}

func (p *program) compare() *cobra.Command {
	var from estateOptions
	var out output
	c := &cobra.Command{
		Use:   "compare A B",
		Short: "Compare two surveys, audits or plans: what is new or fixed",
		Long: `compare takes two surveys, two audits or two plans, and says what is new, fixed and
unchanged, and which records came, went or changed. Each side is a number, first, last, a
date, or a file that --format json wrote; they are surveys, unless audit: stands in front,
and plan is the present plan. It exits with 1 where something got worse.`,
		Example: `  upperpath compare first last
  upperpath compare 1 2
  upperpath compare audit:first audit:last --fail-on never
  upperpath compare plan.json plan`,
		Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			return p.runCompare(c.Context(), &from, &out, args)
		},
	}
	c.Flags().StringVar(&from.path, "estate", "",
		"the estate `FILE` (default: upperpath.yaml here or in a folder above)")
	out.flags(c)
	_ = c.Flags().Set("fail-on", "warning")
	c.Flags().Lookup("fail-on").DefValue = "warning"
	return c
}

func (p *program) runCompare(ctx context.Context, from *estateOptions, out *output,
	args []string) error {
	var kinds [2]string
	for i, a := range args {
		var err error
		if kinds[i], err = kindOf(a); err != nil {
			return err
		}
	}
	for i := range kinds {
		if kinds[i] == "" {
			if kinds[i] = kinds[1-i]; kinds[i] == "" || kinds[i] == plans { // no plan is kept
				kinds[i] = surveys
			}
			if _, err := strconv.ParseInt(args[i], 10, 64); err == nil && kinds[i] != surveys {
				return usage("compare %s %s: a number alone is a survey; write %s:%s for that %[3]s",
					args[0], args[1], kinds[i], args[i])
			}
		}
	}
	if kinds[0] != kinds[1] {
		return usage("compare %s %s: %s and %s cannot be compared", args[0], args[1], aOrAn(kinds[0]),
			aOrAn(kinds[1]))
	}
	var both [2]compared
	for i, a := range args {
		var err error
		if both[i], err = p.side(ctx, from, a, kinds[i]); err != nil {
			return err
		}
	}
	before, after := both[0], both[1]
	news := recheck.Compare(before.state, after.state, nil, nil, p.now())
	d := report.Compare(before.kind, before.name, after.name, news)
	if err := p.show(d, out); err != nil {
		return err
	}
	var worse []finding.Finding
	for _, i := range news.New {
		worse = append(worse, finding.Finding{Severity: i.Severity})
	}
	return out.exit(worse)
}

func aOrAn(kind string) string {
	if kind == audits {
		return "an " + kind
	}
	return "a " + kind
}

// kindOf says what a word names; "" where it does not say so.
func kindOf(word string) (string, error) {
	kind, _, marked := strings.Cut(word, ":")
	switch {
	case marked && (kind == surveys || kind == audits), word == plans:
		return kind, nil
	case isFile(word):
		return kindOfFile(word)
	case strings.ContainsAny(word, "./\\"):
		return "", usage("compare %s: file not found", word)
	}
	return "", nil
}

func isFile(word string) bool {
	info, err := os.Stat(word)
	return err == nil && !info.IsDir()
}

// kindOfFile says what a JSON file of ours holds.
func kindOfFile(path string) (string, error) {
	data, err := files.Read(path, files.MostJSON)
	if err != nil {
		return "", err
	}
	var head struct {
		Schema string `json:"schema"`
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return "", usage("%s: it cannot be read as JSON: %w", path, err)
	}
	kind, isOurs := map[string]string{survey.Schema: surveys, chain.AuditSchema: audits,
		plan.Schema: plans}[head.Schema]
	if !isOurs {
		return "",
			usage("%s: its schema is %q; expected a survey, an audit or a plan that --format json wrote",
				path,
				head.Schema)
	}
	return kind, nil
}

// side reads one side of a comparison.
func (p *program) side(ctx context.Context, from *estateOptions, word, kind string) (compared,
	error) {
	if isFile(word) {
		return sideFromFile(word)
	}
	if word == plans {
		_, made, err := from.readSeen(ctx)
		if err != nil {
			return compared{}, err
		}
		return compared{kind: plans, name: "the present plan", state: report.PlanState(made, p.now())},
			nil
	}
	s, err := p.openStore(from)
	if err != nil {
		return compared{}, err
	}
	defer s.Close()
	word = strings.TrimPrefix(word, kind+":")
	if number, err := strconv.ParseInt(word, 10, 64); err == nil {
		return p.numbered(ctx, s, number, kind)
	}
	list := s.ListSurveys
	if kind == audits {
		list = s.List
	}
	all, err := list(ctx)
	if err != nil {
		return compared{}, storeFailed(err)
	}
	if all, err = p.keptBy(all, word, kind); err != nil {
		return compared{}, err
	}
	return p.joined(ctx, s, all, kind)
}

// numbered gives what is kept under a number, alone.
func (p *program) numbered(ctx context.Context, s *store.Store, number int64,
	kind string) (compared, error) {
	if kind == surveys {
		v, err := oneSurvey(ctx, s, number)
		if err != nil {
			return compared{}, err
		}
		return ofSurvey(v), nil
	}
	a, err := s.Get(ctx, number)
	if errors.Is(err, store.ErrEmpty) {
		return compared{},
			usage("no audit %d; upperpath report --list shows the saved audits", number)
	}
	if err != nil {
		return compared{}, notOurs(err, "audit")
	}
	return ofAudit(a), nil
}

// notOurs says that what has a number is of another estate, or that the store failed.
func notOurs(err error, kind string) error {
	var other *store.OtherError
	if errors.As(err, &other) {
		of := cmp.Or(other.Estate, other.Site)
		return usage("%s %d is of another estate, %s; --estate %s shows it", kind, other.ID, of, of)
	}
	return storeFailed(err)
}

// joined gives what was seen of each subject in the first of some results, and where that did not
// look at it, in the next.
func (p *program) joined(ctx context.Context, s *store.Store, all []scope.Kept,
	kind string) (compared, error) {
	if kind == audits {
		list, _, err := s.Audits(ctx, all, 0, untilWhole())
		if err != nil {
			return compared{}, storeFailed(err)
		}
		j := chain.Latest(list, "", nil)
		if len(j.From) == 0 {
			return compared{}, usage("compare: no audit that can be read has been saved yet")
		}
		made := ofAudit(j.Audit)
		made.name = spanOf(j.From[len(j.From)-1].Started, j.From[0].Started)
		return made, nil
	}
	list, _, err := s.Surveys(ctx, all, untilAll())
	if err != nil {
		return compared{}, storeFailed(err)
	}
	if len(list) == 0 {
		return compared{}, usage("compare: no survey that can be read has been saved yet")
	}
	v := survey.Newest(list)
	made := ofSurvey(v)
	if len(list) > 1 {
		made.name = spanOf(list[len(list)-1].Started, list[0].Started)
	}
	return made, nil
}

// spanOf names the time in which something was seen.
func spanOf(from, to time.Time) string {
	if from.After(to) {
		from, to = to, from
	}
	if from.Equal(to) {
		return words.Moment(to)
	}
	return from.Local().Format("2006-01-02 15:04") + " to " + words.Moment(to)
}

func ofSurvey(v *survey.Survey) compared {
	return compared{surveys, words.Moment(v.Started), recheck.Of(v, nil)}
}

func ofAudit(a *chain.Audit) compared {
	return compared{audits, words.Moment(a.Started), recheck.Of(nil, a)}
}

func sideFromFile(path string) (compared, error) {
	kind, err := kindOfFile(path)
	if err != nil {
		return compared{}, err
	}
	data, err := files.Read(path, files.MostJSON)
	if err != nil {
		return compared{}, failed(err)
	}
	read := func(v interface{ Check() error }) error {
		err := json.Unmarshal(data, v)
		if err == nil {
			err = v.Check()
		}
		if err != nil {
			return usage("%s: it cannot be read: %w", path, err)
		}
		return nil
	}
	switch kind {
	case surveys:
		var v survey.Survey
		if err := read(&v); err != nil {
			return compared{}, err
		}
		return ofSurvey(&v), nil
	case audits:
		var a chain.Audit
		if err := read(&a); err != nil {
			return compared{}, err
		}
		return ofAudit(&a), nil
	}
	state, err := report.PlanStateFrom(data)
	if err != nil {
		return compared{}, usage("%s: it cannot be read: %w", path, err)
	}
	return compared{kind: plans, name: path, state: state}, nil
}

// keptBy gives what is meant by first, last, or a date, of the results that are kept, the newest
// first: the results in the order in which they count. What looked at addresses that were given by
// hand, or at another time, is meant by its number alone.
func (p *program) keptBy(all []scope.Kept, word, kind string) ([]scope.Kept, error) {
	all = slices.DeleteFunc(slices.Clone(all), func(k scope.Kept) bool { return !k.Scope.Real() })
	if len(all) == 0 {
		return nil, usage("compare %s: no %s has been saved yet", word, kind)
	}
	day, dateErr := time.ParseInLocation(time.DateOnly, word, p.now().Location())
	switch {
	case word == "last":
		return all, nil
	case word == "first":
		slices.Reverse(all)
		return all, nil
	case dateErr != nil:
		return nil,
			usage("compare %s: expected the number of %s, first, last, a date such as 2026-11-01, or a file",
				word, aOrAn(kind))
	}
	first := all[len(all)-1].Started
	all = slices.DeleteFunc(all, func(k scope.Kept) bool {
		return !k.Started.Before(day.AddDate(0, 0, 1))
	})
	if len(all) == 0 {
		return nil, usage("compare %s: nothing had been saved by then; the first %s is from %s", word,
			kind, first.Local().Format(time.DateOnly))
	}
	return all, nil
}
