package cli

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/doc"
)

// TestEveryColourPassesAndIsReadable writes every tone and weight: each reaches the terminal as it
// is, and none is bright black or blue, which cannot be read on every background.
func TestEveryColourPassesAndIsReadable(t *testing.T) {
	var blocks []doc.Block
	for _, tone := range []doc.Tone{doc.Plain, doc.Failed, doc.Warned, doc.Noted, doc.Unseen,
		doc.Good} {
		blocks = append(blocks, doc.Verdict{Tone: tone, Says: doc.Phrase("so it is"),
			Next: doc.Copy("upperpath plan")})
	}
	blocks = append(blocks, doc.Step{Number: 1, Says: doc.Phrase("do it"), Undo: []string{"back"},
		Facts: []doc.Fact{{Name: "at", Value: doc.Phrase("the registrar")}}})
	var shown bytes.Buffer
	out := &outlet{to: &shown, color: true}
	require.NoError(t, doc.Write(out, "text", doc.Doc{Name: "x", Title: "All colours",
		About: "as seen", Blocks: doc.Of(blocks...)}, doc.Style{Width: 80, Color: true}))
	out.flush()
	text := shown.String()
	for _, code := range []string{"\x1b[1m", "\x1b[2m", "\x1b[31m", "\x1b[32m", "\x1b[33m",
		"\x1b[35m"} {
		assert.Contains(t, text, code)
	}
	assert.NotContains(t, text, "\ufffd", "nothing of ours is taken for hostile")
	assert.NotContains(t, text, "\x1b[90m")
	assert.NotContains(t, text, "\x1b[34m")
}
