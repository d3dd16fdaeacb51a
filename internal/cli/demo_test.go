package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/files"
)

// TestTheRulesOfTheDemoAreWhatComesOfThoseHandedOver straightens and mends the redirect map that
// was handed over; UPDATE=1 writes the result.
func TestTheRulesOfTheDemoAreWhatComesOfThoseHandedOver(t *testing.T) {
	const folder = "../../demo/estate"
	e, err := files.ReadEstate(filepath.Join(folder, files.EstateName))
	require.NoError(t, err)
	old := filepath.Join(folder, "old-rules.csv")
	rules, err := files.ReadRules(old, files.RuleScope(e.Estate))
	require.NoError(t, err)
	straightened, mended, text, err := mendRules(
		old,
		predict.New(predict.Input{Estate: e.Estate, Rules: rules, Pages: e.Pages}),
	)
	require.NoError(t, err)
	assert.Equal(t, len(mends), mended)
	assert.Equal(t, 2, straightened)
	path := filepath.Join(folder, "rules.csv")
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(path, text, 0o644))
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(kept), string(text))
}
