package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestThePagesAreRead has mandoc read every page, and find nothing to say about any.
func TestThePagesAreRead(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, write(folder, "2026-11-01"))
	pages, err := filepath.Glob(filepath.Join(folder, "*.1"))
	require.NoError(t, err)
	require.Greater(t, len(pages), 30)
	audit, err := os.ReadFile(filepath.Join(folder, "upperpath-audit.1"))
	require.NoError(t, err)
	for _, has := range []string{".SH NAME\nupperpath\\-audit \\-\n",
		"\n\\fB\\-\\-resolver\\fR \\fIHOST:PORT\\fR\n",
		".SH EXAMPLES\n.EX\n  upperpath audit\n", ".BR upperpath (1)"} {
		assert.Contains(t, string(audit), has)
	}
	mandoc, err := exec.LookPath("mandoc")
	if err != nil {
		t.Skip("mandoc is not on this machine")
	}
	out, err := exec.Command(mandoc, append([]string{"-T", "lint", "-W", "style"}, pages...)...).
		CombinedOutput()
	assert.Empty(t, strings.TrimSpace(string(out)), err)
}
