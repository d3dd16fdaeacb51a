package wording

import (
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func TestNumbersAgreeWithTheirNouns(t *testing.T) {
	for want, got := range map[string]string{
		"1 door": Count(1, "door"), "0 doors": Count(0, "door"), "2 entries": Count(2, "entry"),
		"1 entry": Count(1, "entry"),
		"2 days":  Count(2, "day"), "3 addresses": Count(3, "address"), "2 boxes": Count(2, "box"),
		"2 searches": Count(2, "search"), "": CountOrNothing(0, "door"), "is": Verb(1, "is", "are"),
		"are": Verb(0, "is",
			"are"),
	} {
		assert.Equal(t, want, got)
	}
}

func TestDurations(t *testing.T) {
	for want, got := range map[string]string{
		"no time": DurationText(0), "1 second": DurationText(1), "5 minutes": DurationText(300),
		"1 day 2 hours": DurationText(26*3600 + 5), "4 hours": DurationText(4 * 3600),
		"0 minutes": Span(-time.Hour), "119 minutes": Span(119 * time.Minute),
		"2 hours":  Span(2 * time.Hour),
		"47 hours": Span(47*time.Hour + 59*time.Minute), "2 days": Span(48 * time.Hour),
		"1 minute": Span(61 * time.Second),
	} {
		assert.Equal(t, want, got)
	}
}

func TestWhatTakesAtMostSoLongIsSaidSteadily(t *testing.T) {
	for seconds, want := range map[int]string{1: "10 seconds", 59: "1 minute", 61: "2 minutes",
		3531: "1 hour", 3590: "1 hour", 3601: "2 hours", 86_399: "1 day", 604_801: "8 days"} {
		assert.Equal(t, want, AtMost(time.Duration(seconds)*time.Second), seconds)
	}
	assert.Equal(t, "1 to 4, 7, 9, 10", Numbers([]int64{1, 2, 3, 4, 7, 9, 10}))
	assert.Empty(t, Numbers(nil))
}

func TestListsAndCuts(t *testing.T) {
	all := []string{"a", "b", "c"}
	assert.Equal(t, "a, b, c", Few(all, 3))
	assert.Equal(t, "a and 2 more", Few(all, 1))
	assert.Equal(t, "a, b and c", And(all))
	assert.Equal(t, "a and b", And(all[:2]))
	assert.Equal(t, "a", And(all[:1]))
	assert.Empty(t, And(nil))
	assert.Equal(t, "møl…", Cut("møllehuset", 4))
	assert.Equal(t, "møllehuset", Cut("møllehuset", 10))
	assert.Equal(t, "…", Cut("møllehuset", 0))
	assert.Equal(t, "ø b", LowerFirst("Ø b"))
	assert.Equal(t, "Ø b", UpperFirst("ø b"))
	assert.Empty(t, LowerFirst(""))
}

// TestWhatIsOverAtTheLatestIsNeverSaidToBeOverEarlier reads times at random back from their words.
func TestWhatIsOverAtTheLatestIsNeverSaidToBeOverEarlier(t *testing.T) {
	for d, want := range map[time.Duration]string{
		40 * time.Second: "40 seconds", 75 * time.Second: "2 minutes", time.Minute: "1 minute",
		125 * time.Minute: "3 hours", 49 * time.Hour: "3 days", 0: "0 seconds", -time.Hour: "0 seconds",
	} {
		assert.Equal(t, want, SpanUp(d))
	}
	size := map[string]int{"second": 1, "minute": 60, "hour": 3600, "day": 86400}
	random := rand.New(rand.NewPCG(5, 5))
	for range 2000 {
		seconds, sum := 1+random.IntN(400000), 0
		words := strings.Fields(DurationUp(seconds))
		for i := 0; i < len(words); i += 2 {
			n, err := strconv.Atoi(words[i])
			assert.NoError(t, err)
			sum += n * size[strings.TrimSuffix(words[i+1], "s")]
		}
		assert.GreaterOrEqual(t, sum, seconds, words)
		assert.Less(t, sum, seconds+max(60, seconds/20), words)
	}
}

// FuzzCut shortens texts: none grows, and what was text stays text.
func FuzzCut(f *testing.F) {
	f.Add("møllehuset", 3)
	f.Fuzz(func(t *testing.T, s string, most int) {
		if !utf8.ValidString(s) || most < 1 || most > 1000 {
			return
		}
		cut := Cut(s, most)
		assert.True(t, utf8.ValidString(cut))
		assert.LessOrEqual(t, utf8.RuneCountInString(cut), most)
	})
}

func TestWhatASpreadsheetWouldTakeForAFormula(t *testing.T) {
	for text, cell := range map[string]string{
		"=2+3": "'=2+3", "@x": "'@x", "'=2": "''=2", "''-": "'''-",
		"x=2": "x=2", "'x": "'x", "'": "'", "''": "''", "": "", "-": "'-"} {
		assert.Equal(t, cell, NoFormula(text))
		assert.Equal(t, text, AsWritten(cell))
	}
}
