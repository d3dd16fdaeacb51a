package cli

import (
	"bytes"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// everyCommand gives each command with its help.
func everyCommand(t *testing.T, look func(c *cobra.Command, help string)) {
	t.Helper()
	n := 0
	var walk func(*cobra.Command)
	walk = func(c *cobra.Command) {
		var out bytes.Buffer
		c.InitDefaultHelpFlag()
		c.SetOut(&out)
		require.NoError(t, c.Help())
		look(c, out.String())
		n++
		for _, below := range c.Commands() {
			walk(below)
		}
	}
	walk(Root())
	require.Greater(t, n, 25)
}

// TestHelpFitsAScreen has every help be no wider than a terminal of 80 columns, and no longer than
// 45 lines.
func TestHelpFitsAScreen(t *testing.T) {
	everyCommand(t, func(c *cobra.Command, help string) {
		lines := strings.Split(strings.TrimRight(help, "\n"), "\n")
		assert.LessOrEqual(t, len(lines), 45, c.CommandPath())
		for _, line := range lines {
			assert.LessOrEqual(t, utf8.RuneCountInString(line), helpWidth, "%s: %s", c.CommandPath(), line)
			assert.Equal(t, strings.TrimRight(line, " "), line, c.CommandPath())
		}
		assert.NotContains(t, help, "\n\n\n", c.CommandPath())
	})
}

// TestOptionsAreSaidAlike has an option take the same placeholder wherever there is one of its
// name, in capitals, and those for looking be shown in full by their topic alone.
func TestOptionsAreSaidAlike(t *testing.T) {
	said := map[string]string{}
	topic := ""
	everyCommand(t, func(c *cobra.Command, help string) {
		if c.Name() == lookingName {
			topic = help
		}
	})
	require.Contains(t, topic, "--resolver HOST:PORT")
	looking := 0
	everyCommand(t, func(c *cobra.Command, help string) {
		if strings.Contains(c.CommandPath(), "completion") {
			return
		}
		c.LocalFlags().VisitAll(func(f *pflag.Flag) {
			name, _ := pflag.UnquoteUsage(f)
			if f.Value.Type() == "bool" {
				return
			}
			assert.Regexp(t, `^(http=)?[A-Z][A-Z:,=]*$`, name, "%s --%s", c.CommandPath(), f.Name)
			if before, is := said[f.Name]; is && f.Name != "out" { // a file or a folder
				assert.Equal(t, before, name, "%s --%s", c.CommandPath(), f.Name)
			}
			said[f.Name] = name
			if len(f.Annotations[group]) == 0 || c.Name() == lookingName {
				return
			}
			looking++
			assert.Contains(t, topic, "--"+f.Name, c.CommandPath())
			assert.NotContains(t, help, "\n  --"+f.Name, c.CommandPath())
			assert.Contains(t, help, "upperpath help looking", c.CommandPath())
		})
	})
	assert.Greater(t, looking, 60)
}
