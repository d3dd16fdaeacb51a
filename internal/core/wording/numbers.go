package wording

import (
	"fmt"
	"strings"
	"time"
)

// Numbers writes numbers in ascending order as ranges: "1 to 4, 7".
func Numbers(all []int64) string {
	var parts []string
	for i := 0; i < len(all); {
		end := i
		for end+1 < len(all) && all[end+1] == all[end]+1 {
			end++
		}
		switch {
		case end == i:
			parts = append(parts, fmt.Sprint(all[i]))
		case end == i+1:
			parts = append(parts, fmt.Sprint(all[i]), fmt.Sprint(all[end]))
		default:
			parts = append(parts, fmt.Sprintf("%d to %d", all[i], all[end]))
		}
		i = end + 1
	}
	return strings.Join(parts, ", ")
}

// steps are the times to which AtMost rounds up.
var steps = []time.Duration{10 * time.Second, 30 * time.Second, time.Minute, 2 * time.Minute,
	5 * time.Minute, 10 * time.Minute, 15 * time.Minute, 30 * time.Minute, time.Hour, 2 * time.Hour,
	3 * time.Hour, 6 * time.Hour, 12 * time.Hour, day, 2 * day, 3 * day, 7 * day}

const day = 24 * time.Hour

// AtMost writes how long something takes at most: rounded up so far that it does not change from
// one look to the next.
func AtMost(d time.Duration) string {
	for _, s := range steps {
		if d <= s {
			return DurationText(int(s.Seconds()))
		}
	}
	return SpanUp(d)
}
