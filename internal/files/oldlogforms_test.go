package files

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

// logged reads a log, and says what came of each line.
func logged(t *testing.T, text string) (all []string, left int64) {
	t.Helper()
	var source *old.Source
	sink := sinkTo{func(s *old.Source, a old.Seen) {
		source = s
		all = append(all, fmt.Sprintf("%s %s %d %s %s", a.Method, a.URL, a.Status, a.Agent, a.Referrer))
	}}
	reader := &OldURLs{Door: web.MustParseURL("http://old.example/").Door(), To: sink}
	require.NoError(t, reader.AddFrom("log", "log", strings.NewReader(text)))
	if source != nil {
		for _, out := range source.Out {
			left += out.Count
		}
	}
	return all, left
}

type sinkTo struct{ add func(*old.Source, old.Seen) }

func (s sinkTo) Begin(name string, more ...string) *old.Source {
	return old.Each(nil).Begin(name, more...)
}
func (s sinkTo) Add(to *old.Source, a old.Seen) { s.add(to, a) }

func TestExtendedLogs(t *testing.T) {
	all, left := logged(t, `#Software: Internet Information Services 10.0
#Version: 1.0
#Date: 2026-03-01 00:00:01
#Fields: date time cs-method cs-uri-stem cs-uri-query cs(User-Agent) cs(Referer) sc-status
2026-03-01 00:00:01 GET /news/item.aspx id=7&x=a+b Mozilla/5.0+(X11) https://n.example/ 200
2026-03-01 00:00:02 GET /a+b - - - 404
garbage
#Fields: cs-host cs-method cs-uri-stem sc-status
www.other.example:8080 POST /send 302
`)
	assert.Equal(t, []string{
		"GET http://old.example/news/item.aspx?id=7&x=a%20b 200 Mozilla/5.0 (X11) https://n.example/",
		"GET http://old.example/a%20b 404  ", "POST http://www.other.example/send 302  ",
	}, all)
	assert.Equal(t, int64(1), left)
}

func TestPermalinksOfFeeds(t *testing.T) {
	all, _ := logged(t, `<rss><channel><link>http://old.example/</link>
<item><link>http://feed.example/r/1</link><guid>http://old.example/?p=1</guid></item>
<item><link>http://old.example/b</link>
<guid isPermaLink="false">http://old.example/?p=2</guid></item>
<item><guid isPermaLink="true">tag:old.example,2020:3</guid></item></channel></rss>`)
	assert.Equal(t, []string{" http://feed.example/r/1 0  ", " http://old.example/?p=1 0  ",
		" http://old.example/b 0  "}, all)
}

func TestLogsOfObjects(t *testing.T) {
	all, left := logged(t, `{"ts":1.5,"request":{"method":"GET","host":"www.old.example:443",`+
		`"uri":"/a?x=1","headers":{"User-Agent":["Firefox"],"Referer":["https://n.example/"]}},`+
		`"status":200}
{"request":"GET /b HTTP/1.1","status":"301","http_user_agent":"curl"}
{"request_uri":"/c","args":"y=2","host":"-","status":404}
{"url":"https://third.example/d"}
{"no":"request"}
broken
{"uri":"/e","status":"two"}
`)
	assert.Equal(t, []string{
		"GET http://www.old.example/a?x=1 200 Firefox https://n.example/",
		"GET http://old.example/b 301 curl ", " http://old.example/c?y=2 404  ",
		" https://third.example/d 0  ",
	}, all)
	assert.Equal(t, int64(3), left)
}
