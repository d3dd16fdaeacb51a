package live

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/web"
)

func TestAPageThatIsAFrame(t *testing.T) {
	base := web.MustParseURL("http://old.example/shop")
	for name, c := range map[string]struct{ page, want string }{
		"a frameset": {
			`<html><head><title>Old</title></head><frameset rows="100%,*" border="0"><frame ` +
				`src="https://www.northmoor.example/"` +
				` name="x"><frame src="about:blank"><noframes>Go <a href="/">there</a>.</noframes></frameset></html>`,
			"https://www.northmoor.example/",
		},
		"an inline frame over everything": {
			`<!doctype html><title>Old</title><style>p{color:red}</style><body><iframe src=//www.northmoor.example/a?b=1 ` +
				`width="100%"` +
				` height="100%">No frames.</iframe></body>`, "http://www.northmoor.example/a?b=1",
		},
		"a page with a map in it": {
			`<body><h1>Find us</h1><iframe src="https://maps.other.example/"></iframe></body>`, "",
		},
		"text after the frame": {`<iframe src="https://x.other.example/"></iframe><p>Ours</p>`, ""},
		"a page of pictures":   {`<img src=a.png><iframe src="https://x.other.example/"></iframe>`, ""},
		"a counter nobody sees": {
			`<script>x</script><iframe src="https://x.other.example/" width=1 height=1></iframe>`,
			""},
		"a hidden frame": {`<iframe style="display: none" src="https://x.other.example/"></iframe>`,
			""},
		"of the same host": {`<frameset><frame src="/menu"></frameset>`, ""},
		"in a script": {`<script>document.write('<frame src="https://x.other.example/">')</script>`,
			""},
		"a password": {`<frameset><frame src="https://a:b@x.other.example/"></frameset>`,
			"https://x.other.example/"},
		"no HTML":                 {"%PDF-1.7", ""},
		"nothing":                 {"", ""},
		"a tag without an end":    {`<frameset><frame src="` + strings.Repeat("a", 100<<10), ""},
		"a source that is no URL": {`<frameset><frame src="javascript:alert(1)"></frameset>`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, readPage(base, []byte(c.page), nil).framed)
		})
	}
}
