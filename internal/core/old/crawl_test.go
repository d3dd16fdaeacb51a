package old_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

func TestEveryCrawlEnds(t *testing.T) {
	f := old.NewFrontier(old.DefaultLeaveOut())
	f.Depth, f.Pages, f.PerFolder = 3, 50, 10
	f.Doors = func(d web.Door) bool { return d.Host.String() == "old.example" }
	add := func(u string, depth int) { f.Add(web.MustParseURL(u), depth) }
	add("http://old.example/", 0)
	add("http://old.example/?utm_source=x", 1)
	add("http://OLD.example:80/", 1)
	add("http://old.example/a.png", 1)
	add("http://else.example/", 1)
	add("http://old.example/deep", 4)
	add("http://old.example/a/a/a/a/", 1)
	assert.Equal(t, []int{1, 1, 1, 1}, []int{f.Waiting(), f.Strangers, f.TooDeep, f.TooMany})
	for day := range 100 {
		add(fmt.Sprintf("http://old.example/calendar/2026/%d?view=%d", day, day), 1)
	}
	assert.Equal(t, 11, f.Waiting(), "a calendar without end has one shape")
	for page := range 100 {
		add(fmt.Sprintf("http://old.example/page-%s",
			string(rune('a'+page%26))+string(rune('a'+page/26))), 1)
	}
	assert.Equal(t, 50, f.Waiting())
	first, ok := f.Next()
	assert.True(t, ok)
	assert.Equal(t, "http://old.example/", first.URL.String(), "the nearest first")
	for ok {
		_, ok = f.Next()
	}
	add("http://old.example/one-more", 1)
	_, ok = f.Next()
	assert.False(t, ok, "what was taken counts")
}

func TestWhatIsTooDeepOrTooManyIsNotKept(t *testing.T) {
	f := old.NewFrontier(old.LeaveOut{})
	f.Depth, f.Pages, f.PerFolder = 1, 100, 100
	long := strings.Repeat("x", 1900)
	peak := func() uint64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	before := peak()
	for i := range 20_000 {
		f.Add(web.MustParseURL(fmt.Sprintf("http://old.example/%s/%x", long, i)), 2)
		f.Add(web.MustParseURL(fmt.Sprintf("http://old.example/%x/%s", i, long)), 1)
	}
	assert.Equal(t, 20_000, f.TooDeep)
	assert.Equal(t, 19_900, f.TooMany)
	assert.Less(t, int(peak()-before), 2<<20, "a hundred URLs are kept")
	runtime.KeepAlive(f)
}
