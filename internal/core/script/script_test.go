package script

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

// told says what the scripts of a page do, in short: "/to@0.3:2" for a move after 0.3 s by line 2,
// "?/to:2" for one that may be.
func told(page string, scripts ...string) string {
	r := New(Page{URL: web.MustParseURL(page), HasID: func(id string, loaded bool) bool {
		return id == "there" || id == "below" && loaded
	}})
	for _, s := range scripts {
		if rest, is := strings.CutPrefix(s, "onload:"); is {
			r.Onload([]byte(rest), 1)
			continue
		}
		r.Run([]byte(s), 1)
	}
	o := r.Finish()
	var all []string
	for _, m := range o.Moves {
		all = append(all, fmt.Sprintf("%s@%v:%d", m.To, m.After, m.Line))
	}
	for _, m := range o.Maybe {
		s := fmt.Sprintf("?%s:%d", m.To, m.Line)
		if m.Unread {
			s += " unread"
		}
		all = append(all, s)
	}
	for _, w := range o.Written {
		all = append(all, "writes "+w)
	}
	return strings.Join(all, " ")
}

const at = "https://www.old.example:8443/a/b.html?x=1"

// TestWhatScriptsDo has a script a line (testdata/scripts.txt): what a browser does with it, and
// what nobody can know.
func TestWhatScriptsDo(t *testing.T) {
	table, err := os.ReadFile("testdata/scripts.txt")
	require.NoError(t, err)
	for line := range strings.Lines(string(table)) {
		wanted, script, is := strings.Cut(strings.TrimSuffix(line, "\n"), " | ")
		require.True(t, is, line)
		wanted, script = strings.TrimSpace(wanted), strings.ReplaceAll(script, "⏎", "\n")
		assert.Equal(t, wanted, told(at, script), "%s", script)
	}
}

// TestScriptsShareOneWindow runs several in one page.
func TestScriptsShareOneWindow(t *testing.T) {
	assert.Equal(t, "/x@0:1", told(at, `var to = "/x"`, `location = to`))
	assert.Equal(t, "/x@0:1", told(at, `function go() { location = "/x" }`, "onload:go()"))
	assert.Equal(t, "/x@0:1", told(at, `throw 1`, `location = "/x"`))
	assert.Equal(t, "/x@0:1", told(at, `location = "/y"`, `location = "/x"`))
	assert.Equal(t, "?/x:1 ?/m:1", told(at, `location = "/x"`, `if (isPhone) location = "/m"`))
}
