// Mutate draws small changes of a package's code at random, runs its tests with each, and names
// those that no test notices: a missing test, or a change that means the same.
//
//	go run ./test/mutate -n 20 -seed 3 ./internal/core/chain
//
// Nothing on the disk is changed: each mutant is laid over its file (go help build, -overlay).
// Those that are known to mean the same stand in equivalent.txt beside this file, each with its
// line of code, and the reason below it.
package main

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/printer"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// mutant is one change of one file.
type mutant struct {
	file, what string
	line       int
	code       string // of the line
	apply      func() (undo func())
	text       []byte
}

//go:embed equivalent.txt
var equivalent string

func main() {
	n := flag.Int("n", 20, "how many mutants to draw in all")
	seed := flag.Uint64("seed", 1, "of the draw")
	also := flag.String("also", "", "packages whose tests count too, with commas between")
	file := flag.String("file", "", "only files with this in their path")
	again := flag.String("again", "",
		"only those of the draw that stand in this file, as a run names them")
	parallel := flag.Int("parallel", 2, "how many to try at once")
	wait := flag.Duration("timeout", 2*time.Minute,
		"for the tests of one mutant, which counts as noticed beyond")
	flag.Parse()
	var all []mutant
	for _, pkg := range flag.Args() {
		made, err := mutantsOf(pkg)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
		all = append(all, made...)
	}
	all = slices.DeleteFunc(all, func(m mutant) bool { return !strings.Contains(m.file, *file) })
	random := rand.New(rand.NewPCG(*seed, *seed)) // nothing hangs on it
	random.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	all = all[:min(*n, len(all))]
	if *again != "" {
		named, err := os.ReadFile(*again)
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(2)
		}
		lines := string(named) + "\n"
		all = slices.DeleteFunc(all, func(m mutant) bool {
			for line := range strings.Lines(lines) {
				file, rest, _ := strings.Cut(line, ":")
				_, what, _ := strings.Cut(rest, ": ")
				if file == m.file && strings.TrimSpace(what) == strings.TrimSpace(m.what) {
					return false
				}
			}
			return true
		})
	}
	fmt.Printf("seed %d: %d mutants\n", *seed, len(all))
	users, err := usersOf()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	survived := try(all, *parallel, *wait, users,
		strings.FieldsFunc(*also, func(r rune) bool { return r == ',' }))
	fmt.Printf("%d of %d survived\n", len(survived), len(all))
	if len(survived) > 0 {
		os.Exit(1)
	}
}

// try runs the tests with each mutant and returns those that no test notices.
func try(
	all []mutant, parallel int, wait time.Duration, users map[string][]string, also []string,
) []string {
	var survived []string
	var lock sync.Mutex
	var workers sync.WaitGroup
	next := make(chan mutant)
	for range parallel {
		workers.Go(func() {
			for m := range next {
				name := fmt.Sprintf("%s:%d: %s", m.file, m.line, m.what)
				if strings.Contains(equivalent, "\n"+m.file+": "+m.what+": "+m.code+"\n") ||
					noticed(m, wait, users, also) {
					continue
				}
				lock.Lock()
				survived = append(survived, name)
				fmt.Println(name)
				lock.Unlock()
			}
		})
	}
	for _, m := range all {
		next <- m
	}
	close(next)
	workers.Wait()
	return survived
}

// noticed reports whether a test fails, or nothing compiles, with a mutant.
func noticed(m mutant, wait time.Duration, users map[string][]string, also []string) bool {
	dir, err := os.MkdirTemp("", "mutant-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, "mutant.go")
	overlay := filepath.Join(dir, "overlay.json")
	path, err := filepath.Abs(m.file)
	if err != nil {
		panic(err)
	}
	laid, err := json.Marshal(map[string]any{"Replace": map[string]string{path: file}})
	if err == nil {
		err = os.WriteFile(file, m.text, 0o600)
	}
	if err == nil {
		err = os.WriteFile(overlay, laid, 0o600)
	}
	if err != nil {
		panic(err)
	}
	fails := func(packages ...string) bool {
		args := append([]string{"test", "-overlay", overlay, "-count=1", "-timeout", wait.String()},
			packages...)
		return len(packages) > 0 && exec.Command("go", args...).Run() != nil
	}
	own := "./" + filepath.ToSlash(filepath.Dir(m.file))
	return fails(append([]string{own}, also...)...) || fails(users[own]...)
}

// usersOf gives, by package, the packages whose tests are about it too: those that import it, or
// whose tests do, as far as they take seconds.
func usersOf() (map[string][]string, error) {
	const module = "upperpath.example/upperpath"
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}} "+
		"{{join .TestImports \" \"}} {{join .XTestImports \" \"}}", "./internal/core/...",
		"./internal/report", "./internal/stage", "./test/cutover").Output()
	if err != nil {
		return nil, err
	}
	users := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		names := strings.Fields(line)
		for _, name := range slices.Compact(slices.Sorted(slices.Values(names[1:]))) {
			if of, ours := strings.CutPrefix(name, module); ours && name != names[0] {
				users["."+of] = append(users["."+of], "."+strings.TrimPrefix(names[0], module))
			}
		}
	}
	return users, nil
}

// mutantsOf gives every mutant of a package, tests aside.
func mutantsOf(pkg string) ([]mutant, error) {
	paths, err := filepath.Glob(filepath.Join(pkg, "*.go"))
	if err != nil || len(paths) == 0 {
		return nil, fmt.Errorf("%s: there is no package", pkg)
	}
	var all []mutant
	for _, path := range paths {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		source, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		lines := strings.Split(string(source), "\n")
		files := token.NewFileSet()
		tree, err := parser.ParseFile(files, path, nil, parser.ParseComments)
		if err != nil {
			return nil, err
		}
		ast.Inspect(tree, func(n ast.Node) bool {
			for _, m := range changes(n) {
				undo := m.apply()
				var text bytes.Buffer
				err = printer.Fprint(&text, files, tree)
				undo()
				if err == nil {
					m.file, m.line = filepath.ToSlash(filepath.Clean(path)), files.Position(n.Pos()).Line
					m.text = bytes.Clone(text.Bytes())
					m.code = strings.TrimSpace(lines[m.line-1])
					all = append(all, m)
				}
			}
			return true
		})
	}
	return all, nil
}

// turned are the operators that another one takes the place of.
var turned = map[token.Token][]token.Token{
	token.LSS: {token.LEQ}, token.LEQ: {token.LSS}, token.GTR: {token.GEQ}, token.GEQ: {token.GTR},
	token.EQL: {token.NEQ}, token.NEQ: {token.EQL}, token.LAND: {token.LOR}, token.LOR: {token.LAND},
	token.ADD: {token.SUB}, token.SUB: {token.ADD},
}

// changes gives the mutants of one node.
func changes(n ast.Node) []mutant {
	var all []mutant
	add := func(what string, apply func() func()) {
		all = append(all, mutant{what: what, apply: apply})
	}
	switch n := n.(type) {
	case *ast.BinaryExpr:
		if isText(n.X) || isText(n.Y) {
			break
		}
		for _, to := range turned[n.Op] {
			from := n.Op
			add(fmt.Sprintf("%s for %s in %s", to, from, shortened(n)), func() func() {
				n.Op = to
				return func() { n.Op = from }
			})
		}
	case *ast.UnaryExpr:
		if n.Op == token.NOT {
			inner := n.X
			add("no ! in "+shortened(n), func() func() {
				n.X = &ast.UnaryExpr{Op: token.NOT, X: &ast.ParenExpr{X: inner}}
				return func() { n.X = inner }
			})
		}
	case *ast.BasicLit:
		if v, err := strconv.Atoi(n.Value); n.Kind == token.INT && err == nil {
			from := n.Value
			add(fmt.Sprintf("%d for %s", v+1, from), func() func() {
				n.Value = strconv.Itoa(v + 1)
				return func() { n.Value = from }
			})
		}
	case *ast.Ident:
		other := map[string]string{"true": "false", "false": "true"}[n.Name]
		if other != "" {
			from := n.Name
			add(other+" for "+from, func() func() {
				n.Name = other
				return func() { n.Name = from }
			})
		}
	case *ast.IfStmt:
		if n.Init == nil {
			from := n.Cond
			add("never in if "+shortened(n.Cond), func() func() {
				n.Cond = &ast.BinaryExpr{X: &ast.ParenExpr{X: from}, Op: token.LAND, Y: ast.NewIdent("false")}
				return func() { n.Cond = from }
			})
		}
	}
	return all
}

// isText reports whether an expression is surely a text, for which + means something else.
func isText(e ast.Expr) bool {
	switch e := e.(type) {
	case *ast.BasicLit:
		return e.Kind == token.STRING
	case *ast.BinaryExpr:
		return isText(e.X) || isText(e.Y)
	case *ast.ParenExpr:
		return isText(e.X)
	}
	return false
}

func shortened(n ast.Node) string {
	var text bytes.Buffer
	_ = printer.Fprint(&text, token.NewFileSet(), n)
	words := strings.Join(strings.Fields(text.String()), " ")
	if len(words) > 70 {
		words = words[:70] + "..."
	}
	return words
}
