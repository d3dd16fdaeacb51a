package old_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/test/worlds"
)

// TestExpandedLinesAreWhatTheRulesSay looks every line up in the rule engine, and every URL of the
// list in the lines.
func TestExpandedLinesAreWhatTheRulesSay(t *testing.T) {
	world := worlds.World{Estate: coveredEstate.Estate, Rules: []string{
		"old.example/a,/visit/",
		"old.example/i.php?id=7&l=en,/seven/",
		"old.example/p.php?id={n:digits},/n/{n}",
		"old.example/news/{year:digits}/{slug},/stories/{slug}",
		"old.example/never/{x},/never",
		"old.example/gone.html,,410",
		"http://old.example/.well-known/acme-challenge/x,/never-asked",
		"http://old.example/plain,/plain,302",
		"old.example/{+rest},/all/"}}
	in, ok := world.Read(t)
	require.True(t, ok)
	w := in.Web()
	addresses := []old.Address{{URL: "http://old.example/news/1999/x?y=1"},
		{URL: "http://old.example/a"},
		{URL: "https://old.example/p.php?id=12"}, {URL: "http://old.example/other"}, {URL: "::"},
		{URL: "http://old.example/news/1999/x?y=1"}}
	x := old.Expand(w, in.Rules, addresses)
	var lines []string
	for _, l := range x.Lines {
		lines = append(lines, l.Old+" > "+l.New)
	}
	assert.Equal(t, []string{
		"http://old.example/news/1999/x?y=1 > https://www.n.example/stories/x?y=1",
		"http://old.example/other > https://www.n.example/all/",
		"http://old.example/plain > https://www.n.example/plain",
		"https://old.example/a > https://www.n.example/visit/",
		"https://old.example/gone.html > ",
		"https://old.example/i.php?id=7&l=en > https://www.n.example/seven/",
		"https://old.example/p.php?id=12 > https://www.n.example/n/12",
	}, lines)
	assert.Equal(t, 410, x.Lines[4].Status)
	assert.Equal(t, 302, x.Lines[2].Status)
	assert.Len(t, x.Patterns, 1, "one that no URL of the list makes a line of")
	assert.Equal(t, 3, x.Led)
	assert.Equal(t, 1, x.Others)
	assert.Len(t, x.Never, 1, "one at a path that is never redirected")
}
