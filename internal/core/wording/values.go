package wording

import (
	"strings"
)

// Shortly gives values with commas between, cut after 80 characters.
func Shortly(values []string) string {
	s := strings.Join(values, ", ")
	if r := []rune(s); len(r) > 80 && !uncut.Load() {
		return string(r[:79]) + "…"
	}
	return s
}

// OrNothing gives values as Shortly does, and "nothing" where there are none.
func OrNothing(values []string) string {
	if len(values) == 0 {
		return "nothing"
	}
	return Shortly(values)
}
