package imports

import (
	"math/rand/v2"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatAnExpressionMeansForATemplate(t *testing.T) {
	for _, c := range []struct {
		old, found   string
		fits, misses bool
	}{
		{"/{+rest}", `^/keep`, true, true},
		{"/a/{+rest}", `^/keep`, false, true},
		{"/a/{+rest}", `^/a`, true, false},
		{"/{+g1}.html", `\.html$`, true, false},
		{"/{+g1}.html", `\.php$`, false, true},
		{"/{g1}/x", `/x`, true, false},
		{"/{g1:digits}", `[a-z]`, false, true},
		{"/item/{g1:digits}", `^/item/[0-9]{2}$`, true, true},
		{"/x", `^/x$`, true, false},
		{"/x", `^$`, false, true},
		{"/{+rest}", `.`, true, false},
		{"/a", `\bа`, false, true},
	} {
		texts, ok := pathTexts(c.old)
		require.True(t, ok)
		is, known := compareTexts(texts, c.found, new(int))
		assert.True(t, known)
		assert.Equal(t, reach{c.fits, c.misses}, is, "%s with %s", c.old, c.found)
	}
	_, ok := pathTexts("/%C3%A9")
	assert.False(t, ok)
	_, known := compareTexts("[a", "b", new(int))
	assert.False(t, known)
}

// TestComparedExpressionsAgreeWithTexts draws expressions over two letters, and asks of every short
// text what the comparison says of all.
func TestComparedExpressionsAgreeWithTexts(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	var draw func(depth int) string
	draw = func(depth int) string {
		switch n := r.IntN(9); {
		case depth == 0 || n < 3:
			return string("ab"[r.IntN(2)])
		case n < 5:
			return draw(depth-1) + draw(depth-1)
		case n == 5:
			return "(?:" + draw(depth-1) + "|" + draw(depth-1) + ")"
		case n == 6:
			return "(?:" + draw(depth-1) + ")?"
		case n == 7:
			return "^" + draw(depth-1)
		}
		return draw(depth-1) + "$"
	}
	var texts []string
	for n, level := 0, []string{""}; n < 8; n++ {
		texts = append(texts, level...)
		var next []string
		for _, s := range level {
			next = append(next, s+"a", s+"b")
		}
		level = next
	}
	both, once := 0, 0
	for range 2000 {
		whole, found := draw(2), draw(3) // at most four letters stand in the first
		all, part := regexp.MustCompile("^(?:"+whole+")$"), regexp.MustCompile(found)
		var want reach
		for _, s := range texts {
			if all.MatchString(s) {
				if part.MatchString(s) {
					want.fits = true
				} else {
					want.misses = true
				}
			}
		}
		is, known := compareTexts(whole, found, new(int))
		require.True(t, known)
		require.Equal(t, want, is, "%s with %s", whole, found)
		if is.fits && is.misses {
			both++
		} else if is.fits || is.misses {
			once++
		}
	}
	assert.Greater(t, both, 50)
	assert.Greater(t, once, 500)
}
