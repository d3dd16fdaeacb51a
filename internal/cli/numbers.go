package cli

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// stepNumbers are numbers of steps, as people write them: 4, 11,12 or 3-6.
type stepNumbers []int

// mostStep is the highest number of a step.
const mostStep = 200_000

func (n *stepNumbers) String() string {
	var all []string
	for _, one := range *n {
		all = append(all, strconv.Itoa(one))
	}
	return strings.Join(all, ",")
}

// Type names the values in help.
func (n *stepNumbers) Type() string { return "NUMBERS" }

// Set adds the numbers of a text, in their order and each once. The error says what is expected.
func (n *stepNumbers) Set(text string) error {
	wrong := errors.New("expected numbers of steps, such as 4, 11,12 or 3-6")
	all := slices.Clone(*n)
	for part := range strings.SplitSeq(text, ",") {
		first, last, isRange := strings.Cut(strings.TrimSpace(part), "-")
		from, err := stepNumber(first)
		to := from
		if err == nil && isRange {
			to, err = stepNumber(last)
		}
		if err != nil || to < from {
			return wrong
		}
		for i := from; i <= to; i++ {
			all = append(all, i)
		}
		if len(all) > 2*mostStep {
			return wrong
		}
	}
	slices.Sort(all)
	*n = slices.Compact(all)
	return nil
}

func stepNumber(text string) (int, error) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	if err != nil || n < 1 || n > mostStep {
		return 0, fmt.Errorf("%q is no number of a step", text)
	}
	return n, nil
}

// startForms are the ways to write when work begins, beside a time of the day.
var startForms = []string{time.RFC3339, "2006-01-02T15:04Z07:00", "2006-01-02T15:04:05",
	"2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04"}

// startTime reads when work begins: a date with a time, or a time of the day alone, which is the
// next one to come. Without a zone it is in that of now.
func startTime(text string, now time.Time) (time.Time, error) {
	text = strings.TrimSpace(text)
	for _, form := range startForms {
		if at, err := time.ParseInLocation(form, text, now.Location()); err == nil {
			return at, nil
		}
	}
	clock, err := time.Parse("15:04", text)
	if err != nil {
		return time.Time{}, usage("--start %s: expected a time such as 21:00, \"2026-12-01 21:00\" or "+
			"2026-12-01T21:00:00+01:00", text)
	}
	at := func(days int) time.Time {
		return time.Date(now.Year(), now.Month(), now.Day()+days, clock.Hour(), clock.Minute(), 0, 0,
			now.Location())
	}
	if today := at(0); !today.Before(now.Truncate(time.Minute)) {
		return today, nil
	}
	return at(1), nil
}
