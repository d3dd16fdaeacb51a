// Package core holds nothing itself; this test keeps its packages pure.
package core

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "upperpath.example/upperpath/"

// What core may import from outside itself: pure packages of the standard library, and names and
// suffixes.
var allowed = []string{
	"bytes",
	"cmp",
	"container/heap",
	"context",
	"encoding/binary",
	"hash/fnv",
	"hash/maphash",
	"errors",
	"fmt",
	"iter",
	"maps",
	"math",
	"math/rand/v2",
	"net/netip",
	"net/url",
	"reflect",       // facts by the names of their fields
	"runtime/debug", // where a panic was
	"slices",
	"sort",
	"strconv",
	"strings",
	"sync",
	"sync/atomic",
	"time",
	"unsafe",
	"unicode",
	"unicode/utf8",
	"github.com/tdewolff/parse/v2",
	"github.com/tdewolff/parse/v2/js", // its parser of ECMAScript
	"encoding/base64",
	"regexp",
	"unicode/utf16",
	"golang.org/x/net/idna",
	"github.com/nlnwa/whatwg-url/url", // the URL Standard's parser
	"golang.org/x/net/publicsuffix",
	"golang.org/x/text/unicode/norm", // letters without their marks
}

// imports gives what every package below a folder imports, tests aside.
func imports(t *testing.T, folder string) map[string][]string {
	t.Helper()
	found := map[string][]string{}
	err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range file.Imports {
			name, _ := strconv.Unquote(i.Path.Value)
			pkg := filepath.ToSlash(filepath.Dir(path))
			found[pkg] = append(found[pkg], name)
		}
		return nil
	})
	require.NoError(t, err)
	return found
}

func TestCoreReachesForNoIOAndNotUpwards(t *testing.T) {
	packages := imports(t, ".")
	require.Contains(t, packages, "chain")
	for pkg, names := range packages {
		for _, name := range names {
			inside := strings.HasPrefix(name, module+"internal/core/")
			assert.True(t, inside || contains(allowed, name), "core/%s imports %s", pkg, name)
		}
	}
}

// TestNobodyCallsTheClockInCore looks for the few calls of allowed packages that would make core
// depend on more than it is given.
func TestNobodyCallsTheClockInCore(t *testing.T) {
	barred := map[string]string{
		"time": "Now Since Until Sleep After Tick NewTimer",
		"fmt":  "Print Println Printf Scan Scanln Scanf",
		"rand": "Int IntN Int32 Int32N Int64 Int64N Uint32 Uint64 N Float32 Float64 Perm Shuffle",
	} // a source of one's own, with a seed, is fine
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if call, ok := n.(*ast.SelectorExpr); ok {
				if pkg, ok := call.X.(*ast.Ident); ok {
					assert.NotContains(
						t,
						strings.Fields(barred[pkg.Name]),
						call.Sel.Name,
						"%s calls %s.%s",
						path,
						pkg.Name,
						call.Sel.Name,
					)
				}
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
}

func TestArrowsPointDownOnly(t *testing.T) {
	below := map[string]string{
		"files": "core", "live": "core", "servers": "core", "imports": "core", "store": "core",
		"words": "core doc", "program": "core",
		"doc":   "core",
		"stage": "core files live", "report": "core store doc words",
		"cli": "core files live servers imports store stage doc report words program",
	}
	for pkg, names := range imports(t, "..") {
		from := strings.Split(strings.TrimPrefix(pkg, "../"), "/")[0]
		if from == "core" || from == "." {
			continue
		}
		for _, name := range names {
			rest, ours := strings.CutPrefix(name, module+"internal/")
			to := strings.Split(rest, "/")[0]
			assert.True(t, !ours || contains(strings.Fields(below[from]), to), "%s imports %s", pkg, name)
		}
	}
}

func contains(list []string, s string) bool {
	for _, l := range list {
		if l == s {
			return true
		}
	}
	return false
}

// TestThePictureOfImportsIsTrue compares what docs/imports.sh draws with the page that shows it.
func TestThePictureOfImportsIsTrue(t *testing.T) {
	shell, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("no bash to draw it with")
	}
	drawn, err := exec.Command(shell, "../../docs/imports.sh").Output()
	require.NoError(t, err)
	page, err := os.ReadFile("../../docs/ARCHITECTURE.md")
	require.NoError(t, err)
	var lines []string
	for line := range strings.SplitSeq(strings.TrimRight(string(drawn), "\n"), "\n") {
		lines = append(lines, strings.TrimRight(line, " "))
	}
	assert.True(t, strings.Contains(string(page), strings.Join(lines, "\n")),
		"docs/ARCHITECTURE.md shows other imports than there are: put in what docs/imports.sh prints")
}

// TestCoreNamesNoCommand looks for commands and options in what core says.
func TestCoreNamesNoCommand(t *testing.T) {
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if text, ok := n.(*ast.BasicLit); ok && text.Kind == token.STRING &&
				!strings.HasPrefix(text.Value, `"upperpath.example/`) {
				assert.NotRegexp(t, `upperpath [a-z]|--[a-z]|\bdig \+`, text.Value, "%s", path)
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
}

// mostTexts is how many texts of five words and more core may hold: marks of parked pages, layouts
// of dates, examples of keys, forms of what is not text. Sentences stand in package words.
const mostTexts = 26

// TestCoreHoldsNoSentences counts the longer texts of core, and looks whether one ends as a
// sentence does.
func TestCoreHoldsNoSentences(t *testing.T) {
	count := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			lit, ok := n.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING || strings.HasPrefix(lit.Value, "`json:") {
				return true
			}
			text, _ := strconv.Unquote(lit.Value)
			if len(strings.Fields(text)) >= 5 {
				count++
				assert.NotRegexp(t, `[a-z][.!?]$`, text, path)
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
	assert.LessOrEqual(t, count, mostTexts)
	assert.Greater(t, count, 10, "there are some")
}
