package robots_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/robots"
	"upperpath.example/upperpath/internal/core/web"
)

// FuzzRobots looks whether what a robots.txt allows hangs on the spelling of a path.
func FuzzRobots(f *testing.F) {
	f.Add("User-agent: *\nDisallow: /a*b$\nAllow: /%e3%83%84\nCrawl-delay: 1e300\n", "/a/b?c=%2a")
	f.Add("User-agent: upperpath\rDisallow: /\r\n", "/\u30c4")
	f.Fuzz(func(t *testing.T, text, path string) {
		r := robots.Parse(text, "upperpath")
		u, err := web.ParseURL("http://old.example/" + path)
		if err != nil {
			return
		}
		again, err := web.ParseURL(u.Key())
		if err != nil {
			t.Fatal(err)
		}
		assert.Equal(t, r.Allows(u.RequestURI()), r.Allows(again.RequestURI()), "%q of %q", u, text)
		assert.True(t, r.Delay >= 0 && r.Delay <= 30*time.Second, r.Delay)
	})
}
