package words

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
)

// kind is a struct of package fact as its source declares it.
type kind struct {
	fields map[string]bool // whether a sentence has to tell it
}

// kinds reads the facts that core can hand over.
func kinds(t *testing.T) map[string]kind {
	t.Helper()
	files, err := filepath.Glob("../core/fact/*.go")
	require.NoError(t, err)
	all := map[string]kind{}
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") || strings.HasSuffix(path, "/fact.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			spec, ok := n.(*ast.TypeSpec)
			if !ok {
				return true
			}
			made := kind{map[string]bool{}}
			for _, f := range spec.Type.(*ast.StructType).Fields.List {
				told := f.Tag == nil || !strings.Contains(f.Tag.Value, `words:"-"`)
				for _, name := range f.Names {
					made.fields[name.Name] = told
				}
			}
			all[spec.Name.Name] = made
			return false
		})
	}
	require.Greater(t, len(all), 400)
	return all
}

// used is what the source of a sentence names: facts in templates, and fields that choose.
func used(t *testing.T) map[string]map[string]bool {
	t.Helper()
	helpers := map[string][]string{} // what the templates that helpers give name
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	all := map[string]map[string]bool{}
	names := regexp.MustCompile(`\$([A-Z][A-Za-z0-9]*)`)
	var parsed []*ast.File
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		parsed = append(parsed, file)
		for _, d := range file.Decls {
			collect := func(name string, n ast.Node) {
				ast.Inspect(n, func(n ast.Node) bool {
					if lit, ok := n.(*ast.BasicLit); ok && lit.Kind == token.STRING {
						text, _ := strconv.Unquote(lit.Value)
						for _, m := range names.FindAllStringSubmatch(strings.ReplaceAll(text, "$$", ""), -1) {
							helpers[name] = append(helpers[name], m[1])
						}
					}
					return true
				})
			}
			switch d := d.(type) {
			case *ast.FuncDecl:
				collect(d.Name.Name, d)
			case *ast.GenDecl:
				for _, s := range d.Specs {
					if v, ok := s.(*ast.ValueSpec); ok && len(v.Values) == 1 && d.Tok == token.CONST {
						collect(v.Names[0].Name, v.Values[0])
					}
				}
			}
		}
	}
	take := func(of string, n ast.Node) {
		if all[of] == nil {
			all[of] = map[string]bool{}
		}
		ast.Inspect(n, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.BasicLit:
				text, _ := strconv.Unquote(n.Value)
				for _, m := range names.FindAllStringSubmatch(strings.ReplaceAll(text, "$$", ""), -1) {
					all[of][m[1]] = true
				}
			case *ast.SelectorExpr:
				if x, ok := n.X.(*ast.Ident); ok && x.Name == "f" {
					all[of][n.Sel.Name] = true
				}
			case *ast.Ident:
				for _, name := range helpers[n.Name] {
					all[of][name] = true
				}
			}
			return true
		})
	}
	for _, file := range parsed {
		ast.Inspect(file, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			if index, ok := call.Fun.(*ast.IndexExpr); ok { // of[fact.X](...)
				if of, ok := index.Index.(*ast.SelectorExpr); ok {
					for _, a := range call.Args {
						take(of.Sel.Name, a)
					}
				}
				return true
			}
			if fun, ok := call.Fun.(*ast.Ident); ok && (fun.Name == "by" || fun.Name == "badBy") {
				lit, ok := call.Args[0].(*ast.FuncLit)
				if !ok {
					return true
				}
				of := lit.Type.Params.List[0].Type.(*ast.SelectorExpr)
				take(of.Sel.Name, lit.Body)
			}
			return true
		})
	}
	return all
}

// TestEverySentenceHasItsFacts holds the facts that core can hand over against the sentences: each
// has one, and no fact goes unsaid. That no sentence asks for a fact that is not there shows where
// all are said (TestSentences).
func TestEverySentenceHasItsFacts(t *testing.T) {
	have, said := kinds(t), used(t)
	for name, k := range have {
		if said[name] == nil {
			t.Errorf("fact.%s has no sentence", name)
			continue
		}
		for f, told := range k.fields {
			assert.True(t, !told || said[name][f], "fact.%s.%s is told by no sentence", name, f)
		}
	}
}

// TestEveryCodeHasItsWords holds the closed sets of codes, causes and keys against what they mean.
func TestEveryCodeHasItsWords(t *testing.T) {
	for _, r := range finding.Rows() {
		m := Code(r.Code)
		for _, text := range []string{m.Plain, m.Means, m.Meets, m.Do} {
			assert.NotEmpty(t, text, r.Name)
		}
	}
	for _, k := range finding.Causes() {
		m := Cause(k.Cause)
		for _, text := range []string{m.Means, m.Shows, m.Do} {
			assert.NotEmpty(t, text, k.Name)
		}
	}
	known := map[string]bool{}
	for _, k := range estate.Keys() {
		assert.NotEmpty(t, KeyMeans(k.Section, k.Name), "%s.%s", k.Section, k.Name)
		known[strings.TrimPrefix(k.Section+"."+k.Name, ".")] = true
	}
	for name := range keys {
		assert.True(t, known[name], "%s is no key of the estate file", name)
	}
	for name := range defaults {
		assert.True(t, known[name], "%s is no key of the estate file", name)
	}
	assert.Empty(t, Code(0))
	assert.Empty(t, Cause(finding.NoCause))
}
