package hostile

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const estate = `canonical: https://www.n.example
carriers: {g: {by: server, addresses: [203.0.113.20]}}
domains: [old.example]
`

// TestEstateFilesThatMeanHarm reads files that had the program panic, or take gigabytes: each is a
// result or one sentence with its line.
func TestEstateFilesThatMeanHarm(t *testing.T) {
	indented := ""
	for i := range 2000 {
		indented += strings.Repeat(" ", i) + "a:\n"
	}
	for name, c := range map[string]struct {
		text, says string
		code       int
	}{
		"ends in ---":            {estate + "---", "", 0},
		"ends in --- and a line": {estate + "---\n", "", 0},
		"nothing but ---":        {"---", "the estate file is empty", 2},
		"two documents": {"---\n" + estate + "---\na: b\n",
			":6:2: the file has more than one document", 2},
		"a byte-order mark": {"\ufeff" + estate, "", 0},
		"brackets": {
			estate + "contact: " + strings.Repeat("[", 50_000), ":4: lists and mappings are nested",
			2,
		},
		"brackets on lines": {
			estate + "contact:\n" + strings.Repeat(" [\n", 50_000),
			": lists and mappings are nested", 2,
		},
		"braces": {
			estate + "contact: " + strings.Repeat("{a: ", 50_000),
			":4: lists and mappings are nested", 2,
		},
		"marks of lists": {strings.Repeat("- ", 50_000), ":1: lists and mappings are nested",
			2},
		"indentation": {indented, ": lists and mappings are nested", 2},
		"tags":        {estate + "contact: " + strings.Repeat("!!x ", 20_000), ":4:", 2},
		"far too long": {estate + "# " + strings.Repeat("x", 17<<20),
			"octets; expected no more than", 2},
		"brackets in texts": {estate + strings.Repeat("# see [1 and {2\n", 500) +
			"contact: see [1 of {2\n", "", 0},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "upperpath.yaml")
			require.NoError(t, os.WriteFile(path, []byte(c.text), 0o600))
			// a child counts what the test itself held when it began
			_, _, least := measured(t, "", "--version")
			code, said, peak := measured(t, "", "plan", "--estate", path)
			assert.Equal(t, c.code, code, said)
			assert.NotContains(t, said, "goroutine")
			if c.says != "" {
				assert.Contains(t, said, c.says)
				assert.Less(t, strings.Count(said, "\n"), 5, said)
			}
			assert.LessOrEqual(t, peak, least+(100<<20)+10*len(c.text), "octets at the peak")
		})
	}
}

// assertPeak requires that a child took no more octets at its peak than are meant, or than one that
// does nothing: a child counts what the test itself held when it began.
func assertPeak(t *testing.T, peak, most int) {
	t.Helper()
	_, _, least := measured(t, "", "--version")
	assert.LessOrEqual(t, peak>>20, max(least, most)>>20, "MB at the peak")
}

// measured runs the program, and gives its exit code, all that it said, and its peak of memory in
// octets.
func measured(t *testing.T, folder string, args ...string) (code int, said string, peak int) {
	t.Helper()
	c := exec.Command(program, args...)
	var out bytes.Buffer
	c.Dir, c.Stdout, c.Stderr = folder, &out, &out
	if err := c.Run(); err != nil {
		require.IsType(t, &exec.ExitError{}, err, fmt.Sprint(args))
	}
	return c.ProcessState.ExitCode(), out.String(), peakOf(c.ProcessState)
}
