package cli

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestNumbersOfSteps(t *testing.T) {
	for text, want := range map[string][]int{
		"4": {4}, "11,12": {11, 12}, "3-6": {3, 4, 5, 6}, "7, 1-3,2": {1, 2, 3, 7}, "5-5": {5},
	} {
		var n stepNumbers
		require.NoError(t, n.Set(text), text)
		assert.Equal(t, stepNumbers(want), n, text)
	}
	for _, text := range []string{"", "0", "-1", "6-3", "1-", "-", "1,,2", "x", "1-999999999",
		"200001", "99999999999999999999", "1.5"} {
		n := stepNumbers{9}
		assert.ErrorContains(t, n.Set(text), "such as 4, 11,12 or 3-6", text)
		assert.Equal(t, stepNumbers{9}, n, "what was refused changes nothing")
	}
	var n stepNumbers
	require.NoError(t, n.Set("2"))
	require.NoError(t, n.Set("1"))
	assert.Equal(t, "1,2", n.String(), "the option may be given twice")
}

func TestTheTimeAtWhichWorkBegins(t *testing.T) {
	zone := time.FixedZone("CET", 3600)
	now := time.Date(2026, 11, 30, 20, 30, 40, 0, zone)
	for text, want := range map[string]time.Time{
		"21:00":                     time.Date(2026, 11, 30, 21, 0, 0, 0, zone),
		"20:30":                     time.Date(2026, 11, 30, 20, 30, 0, 0, zone),
		"9:15":                      time.Date(2026, 12, 1, 9, 15, 0, 0, zone),
		"2026-12-01 21:00":          time.Date(2026, 12, 1, 21, 0, 0, 0, zone),
		"2026-12-01T21:00":          time.Date(2026, 12, 1, 21, 0, 0, 0, zone),
		"2026-12-01T21:00Z":         time.Date(2026, 12, 1, 21, 0, 0, 0, time.UTC),
		"2026-12-01T21:00:05+03:00": time.Date(2026, 12, 1, 18, 0, 5, 0, time.UTC),
	} {
		got, err := startTime(text, now)
		require.NoError(t, err, text)
		assert.True(t, want.Equal(got), "%s: %s", text, got)
	}
	for _, text := range []string{"", "25:00", "tonight", "2026-12-01", "21"} {
		_, err := startTime(text, now)
		assert.ErrorContains(t, err, "such as 21:00", text)
	}
}
