package finding

import (
	"fmt"
	"time"
)

// Span says how long something lasts, in the unit that a person would use: minutes below two hours, hours below two
// days, then days.
func Span(d time.Duration) string {
	n, unit := int(d.Hours()/24), "day"
	switch {
	case d < 2*time.Hour:
		n, unit = max(0, int(d.Minutes())), "minute"
	case d < 48*time.Hour:
		n, unit = int(d.Hours()), "hour"
	}
	if n != 1 {
		unit += "s"
	}
	return fmt.Sprintf("%d %s", n, unit)
}
