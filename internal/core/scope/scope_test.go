package scope_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/scope"
)

func Example() {
	s := scope.Scope{Estate: "upperpath.yaml", Only: "old.example", Domains: []string{"old.example"},
		Left: []string{"b.example"}, Meant: 40, Done: 14}
	fmt.Println(s.Ended(), s.Part(), s.Real(), s.Whole(), s.Covers("b.example"))
	// Output: false true true false false
}

func TestWhatNobodyNotedIsTheWhole(t *testing.T) {
	var s *scope.Scope
	assert.True(t, s.Ended() && s.Real() && s.Whole() && s.Covers("a.example"))
	assert.False(t, s.Known() || s.Part())
	for _, part := range []scope.Scope{{Only: "x"}, {Left: []string{"x"}}, {Points: []string{"x"}},
		{AsOf: time.Unix(1, 0)}, {DoorsOnly: true}, {Meant: 2, Done: 1}} {
		assert.False(t, part.Whole(), "%+v", part)
	}
	asked := scope.Scope{Meant: 1, Done: 1, Points: []string{"ns1.a.example:53=192.0.2.1:5300"}}
	assert.True(t, asked.Real() && asked.Whole(), "where a name server is asked")
	assert.False(t, asked.Plain(), "and it is said")
	asked.Points = append(asked.Points, "a.example:80=192.0.2.1")
	assert.False(t, asked.Real() || asked.Whole())
}

var now = time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)

// TestWhatIsKeptCanBeGoneBackTo makes lists of results at random, and holds what goes against what
// must stay, said one by one.
func TestWhatIsKeptCanBeGoneBackTo(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8)) // a test
	names := []string{"a.example", "b.example", "c.example"}
	gone := 0
	for range 500 {
		var all []scope.Kept
		for i := range 1 + r.IntN(60) {
			k := scope.Kept{ID: int64(i + 1), Accepted: r.IntN(20) == 0,
				Started: now.AddDate(0, 0, -r.IntN(900)).Add(-time.Duration(r.IntN(24)) * time.Hour)}
			k.Scope = &scope.Scope{Estate: "e", Meant: 1, Done: 1, Domains: names}
			switch r.IntN(5) {
			case 0:
				k.Scope.Domains, k.Scope.Only = names[:1+r.IntN(2)], "some"
			case 1:
				k.Scope.Points = []string{"a=192.0.2.1"}
			case 2:
				k.Scope = nil
			}
			all = append(all, k)
		}
		keep := scope.Keep{Days: 1 + r.IntN(60), Weeks: 1 + r.IntN(60)}
		old := keep.Old(all, now)
		gone += len(old)
		left := slices.DeleteFunc(slices.Clone(all), func(k scope.Kept) bool {
			return slices.Contains(old, k.ID)
		})
		first := slices.MinFunc(all, func(a, b scope.Kept) int { return a.Started.Compare(b.Started) })
		has := func(is func(scope.Kept) bool) int {
			n := 0
			for _, k := range left {
				if is(k) {
					n++
				}
			}
			return n
		}
		require.Equal(t, 1, has(func(k scope.Kept) bool { return k.ID == first.ID }), "the first")
		for _, k := range all {
			stays := k.Accepted || now.Sub(k.Started) <= time.Duration(keep.Days)*24*time.Hour
			require.True(t, !stays || slices.ContainsFunc(left, func(l scope.Kept) bool {
				return l.ID == k.ID
			}))
			if now.Sub(k.Started) <= time.Duration(keep.Weeks)*7*24*time.Hour {
				year, week := k.Started.ISOWeek()
				require.Positive(t, has(func(l scope.Kept) bool {
					y, w := l.Started.ISOWeek()
					return y == year && w == week
				}), "one of each week")
			}
		}
		for _, name := range names { // the last look at each stays, and the one before
			looks := slices.DeleteFunc(slices.Clone(all), func(k scope.Kept) bool {
				return !k.Scope.Known() || !k.Scope.Real() || !k.Scope.Covers(name)
			})
			slices.SortStableFunc(looks, func(a, b scope.Kept) int { return b.Started.Compare(a.Started) })
			for _, k := range looks[:min(len(looks), 1)] {
				require.Equal(t, 1, has(func(l scope.Kept) bool { return l.ID == k.ID }), name)
			}
		}
		require.Empty(t, keep.Old(left, now), "what stays, stays")
		require.Empty(t, scope.Keep{}.Old(all, now))
	}
	assert.Greater(t, gone, 3000)
}

// TestTheBestSpeaksForAll holds it against trying every result.
func TestTheBestSpeaksForAll(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9)) // a test
	found := 0
	for range 2000 {
		var all []scope.Kept
		for i := range r.IntN(7) {
			k := scope.Kept{ID: int64(i), Vantage: []string{"here", "away"}[r.IntN(2)]}
			switch r.IntN(4) {
			case 0:
				k.Scope = &scope.Scope{Only: "wave:1"}
			case 1:
				k.Scope = &scope.Scope{Points: []string{"a.example=192.0.2.1"}}
			case 2:
				k.Scope = &scope.Scope{Estate: "e"}
			}
			all = append(all, k)
		}
		want := int64(-1)
		for _, part := range []bool{true, false} { // what is of everything wins
			for i := len(all) - 1; i >= 0; i-- { // and then the newest
				k := all[i]
				if k.Vantage == "here" && k.Scope.Real() && k.Scope.Part() == part {
					want = k.ID
				}
			}
		}
		got, ok := scope.Best(all, "here")
		require.Equal(t, want >= 0, ok)
		if ok {
			require.Equal(t, want, got.ID, "%+v", all)
			found++
		}
	}
	assert.Greater(t, found, 500)
}
