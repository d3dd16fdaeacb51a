package pair

import (
	"context"
	"fmt"
	"os"
	"runtime"
	"testing"
	"time"
)

// TestMany measures a large estate, with MANY and a number of pages.
func TestMany(t *testing.T) {
	var n int
	if _, err := fmt.Sscan(os.Getenv("MANY"), &n); err != nil {
		t.Skip("measures a large estate, with MANY and a number of pages")
	}
	s := makeSite(3, n)
	start := time.Now()
	found, err := Find(context.Background(), s.olds, s.news, nil, nil)
	took := time.Since(start)
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	have, first := 0, 0
	for at, x := range found.Of {
		if s.truth[at] >= 0 {
			have++
			if len(x.Candidates) > 0 && x.Candidates[0].New == s.truth[at] {
				first++
			}
		}
	}
	fmt.Println(len(s.olds), len(s.news), took, m.Sys>>20, "MB", float64(first)/float64(have), err)
}
