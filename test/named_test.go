package test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
)

// texts gives every text of the program's source that people may read, joined where it is written
// in pieces.
func texts(t *testing.T) []string {
	var all []string
	err := filepath.WalkDir("../internal", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") ||
			strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BinaryExpr:
				if text, whole := joinedText(n); whole {
					all = append(all, text)
					return false
				}
			case *ast.BasicLit:
				if text, err := strconv.Unquote(n.Value); err == nil && n.Kind == token.STRING {
					all = append(all, text)
				}
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
	return all
}

// joinedText gives a text that is written in pieces.
func joinedText(n ast.Expr) (string, bool) {
	switch n := n.(type) {
	case *ast.BasicLit:
		text, err := strconv.Unquote(n.Value)
		return text, err == nil && n.Kind == token.STRING
	case *ast.BinaryExpr:
		left, ok := joinedText(n.X)
		right, okay := joinedText(n.Y)
		return left + right, ok && okay && n.Op == token.ADD
	}
	return "", false
}

var (
	// how sentences name a key: "under wanted:", "Write mail: none", "(registry: in the estate file)"
	namedKey = regexp.MustCompile(
		`(?:\bunder |[Ww]rite |\bwrites |\b[Aa]dd |\((?:as )?)([a-z][a-z-]*(?:\.[a-z-]+)?):(?:[ ,.;)]|$)`)
	keyInFile  = regexp.MustCompile(`\b([a-z][a-z-]*): in the estate file`)
	dottedKey  = regexp.MustCompile(`\b(site|policy|registry)\.([a-z][a-z-]+)\b`)
	namedGroup = regexp.MustCompile(`upperpath ([a-z]+)`)
	namedFlag  = regexp.MustCompile(`upperpath [a-z]+[^.;:"\n]*? --([a-z][a-z-]*)`)
)

// TestEveryKeyAndCommandThatASentenceNamesExists reads every sentence of the program.
func TestEveryKeyAndCommandThatASentenceNamesExists(t *testing.T) {
	keys, dotted := map[string]bool{}, map[string]bool{}
	for _, k := range estate.Keys() {
		keys[k.Name], dotted[k.Section+"."+k.Name] = true, true
	}
	// keys of other files, and what stands before a colon without being a key
	others := []string{"name", "secret", "algorithm", "certificates", "trust", "resolvers", "proxy",
		"timeout", "apex", "www", "old", "new", "default", "instead", "it", "key", "gateway"}
	help, err := exec.Command(filepath.Join(folder, "upperpath"), "--help").Output()
	require.NoError(t, err)
	commands := regexp.MustCompile(`(?m)^  ([a-z]+) {2,}[A-Z]`).FindAllStringSubmatch(string(help), -1)
	require.Greater(t, len(commands), 15)
	flags := map[string]string{}
	for _, c := range commands {
		own, err := exec.Command(filepath.Join(folder, "upperpath"), strings.Fields(c[1])[0],
			"--help").Output()
		require.NoError(t, err, c[1])
		flags[c[1]] = string(own)
	}
	some := 0
	for _, text := range texts(t) {
		for _, found := range slices.Concat(namedKey.FindAllStringSubmatch(text, -1),
			keyInFile.FindAllStringSubmatch(text, -1)) {
			some++
			name := found[1]
			assert.True(t, keys[name] || dotted[name] || slices.Contains(others, name),
				"%q names the key %q", text, name)
		}
		for _, found := range dottedKey.FindAllStringSubmatch(text, -1) {
			if found[2] == "example" {
				continue // a host
			}
			assert.True(t, dotted[found[1]+"."+found[2]], "%q names the key %q", text, found[0])
		}
		for _, found := range namedGroup.FindAllStringSubmatch(text, -1) {
			some++
			_, is := flags[found[1]]
			assert.True(t, is || slices.Contains([]string{"help", "completion", "project"}, found[1]),
				"%q names the command %q", text, found[1])
		}
		for _, found := range namedFlag.FindAllStringSubmatch(text, -1) {
			command := namedGroup.FindStringSubmatch(found[0])[1]
			if own, is := flags[command]; is && command != "write" && command != "rules" {
				assert.Contains(t, own, "--"+found[1], "%q names an option of %s", text, command)
			}
		}
	}
	assert.Greater(t, some, 100)
}
