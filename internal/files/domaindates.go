package files

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Forms of days that can be one only, and of the time that may follow. Strokes are read apart.
var (
	dayForms = []string{
		time.DateOnly, "2006/01/02", "2006.01.02", "20060102", "02.01.2006", "2.1.2006", "2 Jan 2006",
		"2 January 2006", "02-Jan-2006", "2-Jan-2006", "02-Jan-06", "02/Jan/2006", "Jan 2, 2006",
		"January 2, 2006", "Jan 2 2006", "January 2 2006", "Mon Jan 2 2006", "Mon, 2 Jan 2006",
		"Monday, January 2, 2006", "Monday, 2 January 2006", "2006-Jan-02", "02.01.06",
	}
	timeForms = []string{"", " 15:04", " 15:04:05", " 15:04:05 MST", " 15:04 MST", " 15:04:05 -0700",
		" 15:04:05 -07:00", " 15:04:05-07", "T15:04:05Z07:00", "T15:04Z07:00", "T15:04:05",
		"T15:04:05-0700", " 15:04:05Z07:00", " 3:04 PM", " 3:04:05 PM", ", 15:04", ", 3:04 PM", " -0700",
		"Z", " MST"}
)

// noDate reports whether a cell says that there is no date.
func noDate(s string) bool {
	switch strings.ToLower(strings.Trim(s, ".- \u2013\u2014")) {
	case "", "n/a", "na", "none", "null", "unknown", "never":
		return true
	}
	return false
}

// readDate reads a date as registrars write it. Where strokes leave it open which is the day, and
// nothing else in the list tells, asks is what is asked about and the date is "".
func readDate(s string, dayFirst *bool) (date, asks string, ok bool) {
	if fraction := strings.LastIndexByte(s, '.'); fraction > 10 { // of a second
		rest := strings.TrimLeft(s[fraction+1:], "0123456789")
		s = s[:fraction] + rest
	}
	for _, day := range dayForms {
		for _, clock := range timeForms {
			if t, err := time.Parse(day+clock, s); err == nil {
				return t.UTC().Format(time.DateOnly), "", true
			}
		}
	}
	if n, err := strconv.ParseFloat(s, 64); err == nil {
		switch {
		case n >= 1e9 && n < 1e10: // seconds since 1970
			return time.Unix(int64(n), 0).UTC().Format(time.DateOnly), "", true
		case n > 25_569 && n < 80_000: // days as spreadsheets count them
			return time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).AddDate(0, 0, int(n)).
				Format(time.DateOnly), "", true
		}
	}
	return strokes(s, dayFirst)
}

// byStrokes reads a date with strokes in one order.
func byStrokes(form, s string) (time.Time, bool) {
	day, _, _ := strings.Cut(s, " ")
	day = strings.TrimSuffix(day, ",")
	for _, year := range []string{"2006", "06"} {
		if t, err := time.Parse(form+year, day); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

func strokes(s string, dayFirst *bool) (date, asks string, ok bool) {
	byDay, isDay := byStrokes("2/1/", s)
	byMonth, isMonth := byStrokes("1/2/", s)
	switch {
	case !isDay && !isMonth:
		return "", "", false
	case !isMonth, isDay && (byDay.Equal(byMonth) || dayFirst != nil && *dayFirst):
		return byDay.Format(time.DateOnly), "", true
	case !isDay, dayFirst != nil:
		return byMonth.Format(time.DateOnly), "", true
	}
	return "",
		fmt.Sprintf("%s: %s or %s?", s, byDay.Format(time.DateOnly), byMonth.Format(time.DateOnly)), true
}

// dates tells how a list writes dates with strokes, as far as one of them can be read in one way
// only and none in the other; nil where nothing tells.
func (l *list) dates(rows []row) *bool {
	var day, month bool
	for _, r := range rows {
		s := l.field(r, "renews")
		_, isDay := byStrokes("2/1/", s)
		_, isMonth := byStrokes("1/2/", s)
		day, month = day || isDay && !isMonth, month || isMonth && !isDay
	}
	if day == month {
		return nil
	}
	return &day
}
