package web

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sharedCase is a case of urltestdata.json, the tests of the URL Standard that browsers share.
type sharedCase struct {
	Input   string
	Base    *string
	Href    string
	Failure bool
}

func sharedCases(t *testing.T) []sharedCase {
	t.Helper()
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}",
		"github.com/nlnwa/whatwg-url").Output()
	require.NoError(t, err)
	data, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(out)), "testdata",
		"urltestdata.json"))
	require.NoError(t, err)
	var raw []json.RawMessage
	require.NoError(t, json.Unmarshal(data, &raw))
	var cases []sharedCase
	for _, r := range raw {
		var c sharedCase
		if json.Unmarshal(r, &c) == nil && (c.Href != "" || c.Failure) { // the others are comments
			cases = append(cases, c)
		}
	}
	return cases
}

// otherwise are the cases in which we go elsewhere than the standard, each with the reason.
var otherwise = map[string]string{
	"http://f:0/c":              "nobody listens at port 0, and browsers refuse to ask there",
	"http://f:00000000000000/c": "the same",
	"http://./":                 "no name server knows a name of empty labels",
	"http://../":                "the same",
	"http://foo.09..":           "the same",
}

func TestALocationLeadsWhereTheURLStandardSays(t *testing.T) {
	asked, wrong := 0, 0
	for _, c := range sharedCases(t) {
		base := "https://base.example/dir/page"
		if strings.HasPrefix(strings.ToLower(c.Input), "https") {
			base = "http://base.example/dir/page" // the scheme of the base has a meaning of its own
		}
		if c.Base != nil {
			base = *c.Base
		}
		from, err := ParseURL(base)
		if err != nil || strings.ContainsAny(c.Input, "\x00\r\n") || strings.Trim(c.Input, " \t") == "" {
			continue // no redirect comes from there, or no header can hold it, or it is none
		}
		asked++
		want := ""
		if !c.Failure && (strings.HasPrefix(c.Href, "http://") || strings.HasPrefix(c.Href, "https://")) {
			want, _, _ = strings.Cut(withoutUser(c.Href), "#")
			want = strings.TrimSuffix(want, "?") // an empty query is none here
		}
		if c.Failure && c.Base == nil && !hasScheme(c.Input) {
			continue // with a base it would be relative
		}
		next, _, err := from.Resolve(c.Input)
		got := next.String()
		if err != nil {
			got = ""
		}
		if got != want {
			wrong++
			if otherwise[c.Input] == "" {
				assert.Equal(t, want, got, "%q from %s", c.Input, base)
			}
		}
	}
	t.Logf("%d Locations, %d of which lead elsewhere", asked, wrong)
	assert.Greater(t, asked, 600)
}

// withoutUser takes user information out of the authority of an absolute URL.
func withoutUser(s string) string {
	start := strings.Index(s, "://") + len("://")
	end := start + strings.IndexAny(s[start:]+"/", "/?#")
	if at := strings.LastIndexByte(s[start:end], '@'); at >= 0 {
		return s[:start] + s[start+at+1:]
	}
	return s
}
