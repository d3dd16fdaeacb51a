// Package wording says numbers, durations and lists as people read them. Everything that is said
// anywhere goes through here, so that one thing is said one way. It knows nothing of what it is
// about.
//
//	wording.Count(2, "door")            // 2 doors
//	wording.DurationText(93600)         // 1 day 2 hours
//	wording.Few([]string{"a", "b"}, 1)  // a and 1 more
package wording

import (
	"fmt"
	"strings"
	"sync/atomic"
	"time"
	"unicode/utf8"
)

// Plural gives a noun as it stands behind a number other than one: "doors", "entries".
func Plural(noun string) string {
	head, consonant := strings.CutSuffix(noun, "y")
	if consonant && !strings.HasSuffix(head, "a") && !strings.HasSuffix(head, "e") &&
		!strings.HasSuffix(head, "o") {
		return head + "ies"
	}
	if strings.HasSuffix(noun, "s") || strings.HasSuffix(noun, "x") || strings.HasSuffix(noun, "ch") {
		return noun + "es"
	}
	return noun + "s"
}

// Noun gives a noun as it stands behind a number.
func Noun(n int, noun string) string {
	if n == 1 {
		return noun
	}
	return Plural(noun)
}

// Count gives a number with its noun, such as "1 door" and "2 doors".
func Count(n int, noun string) string { return fmt.Sprintf("%d %s", n, Noun(n, noun)) }

// CountOrNothing gives a number with its noun, and "" for none.
func CountOrNothing(n int, noun string) string {
	if n == 0 {
		return ""
	}
	return Count(n, noun)
}

// Verb gives the form of a verb for a number: Verb(1, "is", "are").
func Verb(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// DurationUp gives a time for which something is to be waited, in seconds, as DurationText does,
// but never says less.
func DurationUp(seconds int) string {
	for _, size := range []int{86400, 3600, 60} {
		if seconds >= size {
			smaller := map[int]int{86400: 3600, 3600: 60, 60: 1}[size]
			seconds = (seconds + smaller - 1) / smaller * smaller
			break
		}
	}
	return DurationText(seconds)
}

// DurationText gives a time in seconds in its two largest units, such as "5 minutes" and "1 day 2
// hours".
func DurationText(seconds int) string {
	if seconds <= 0 {
		return "no time"
	}
	var parts []string
	for _, u := range []struct {
		size int
		name string
	}{{86400, "day"}, {3600, "hour"}, {60, "minute"}, {1, "second"}} {
		if n := seconds / u.size; n > 0 && len(parts) < 2 {
			seconds %= u.size
			parts = append(parts, Count(n, u.name))
		}
	}
	return strings.Join(parts, " ")
}

// Span gives how long something lasts in one unit: minutes below two hours, hours below two days,
// then days.
func Span(d time.Duration) string {
	switch {
	case d < 2*time.Hour:
		return Count(max(0, int(d.Minutes())), "minute")
	case d < 48*time.Hour:
		return Count(int(d.Hours()), "hour")
	}
	return Count(int(d.Hours()/24), "day")
}

// SpanUp does the same for a time after which something is over at the latest: it never says less.
func SpanUp(d time.Duration) string {
	switch {
	case d < time.Minute:
		return Count(max(0, int((d+time.Second-1)/time.Second)), "second")
	case d < 2*time.Hour:
		return Count(int((d+time.Minute-1)/time.Minute), "minute")
	case d < 48*time.Hour:
		return Count(int((d+time.Hour-1)/time.Hour), "hour")
	}
	return Count(int((d+24*time.Hour-1)/(24*time.Hour)), "day")
}

// uncut is whether everything is said, however long.
var uncut atomic.Bool

// Uncut has everything said in full from now on, or not: what programs read cuts nothing off.
func Uncut(whole bool) { uncut.Store(whole) }

// Few joins the first of many words with commas, and says how many more there are.
func Few(all []string, most int) string {
	if len(all) <= most || uncut.Load() {
		return strings.Join(all, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(all[:most], ", "), len(all)-most)
}

// And joins words as a sentence does: "a", "a and b", "a, b and c".
func And(all []string) string {
	if len(all) < 2 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

// Cut shortens a text to so many characters, the last of them an ellipsis. No character is cut
// through.
func Cut(s string, most int) string {
	if utf8.RuneCountInString(s) <= most {
		return s
	}
	return string([]rune(s)[:max(0, most-1)]) + "…"
}

// LowerFirst gives a sentence as it stands behind a colon.
func LowerFirst(s string) string {
	_, size := utf8.DecodeRuneInString(s)
	return strings.ToLower(s[:size]) + s[size:]
}

// UpperFirst gives a text as it begins a sentence.
func UpperFirst(s string) string {
	_, size := utf8.DecodeRuneInString(s)
	return strings.ToUpper(s[:size]) + s[size:]
}
