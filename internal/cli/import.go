package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	pathpkg "path"
	"path/filepath"
	"regexp"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/imports"
	"upperpath.example/upperpath/internal/report"
)

// importOptions are the options of rules import.
type importOptions struct {
	kind, host, context, folder, oldColumn, newColumn string
	add, all                                          bool
	out                                               output
}

// rulesImport takes in redirects that exist.
// importKinds are the kinds of files from which rules are imported.
var importKinds = []string{"csv", "apache", "nginx", "haproxy", "caddy"}

func (p *program) rulesImport() *cobra.Command {
	var from estateOptions
	var o importOptions
	c := &cobra.Command{
		Use:   "import FILE",
		Short: "Import redirects from a table, Apache or nginx",
		Long: `import reads the redirects of an earlier move and writes them as rules. It takes a
table with any two named columns, an Apache configuration (Redirect, RedirectMatch, simple
RewriteRule), or nginx (return, rewrite, map, location). In a table, a line without a target
is undecided; - or 410 is gone. What rules cannot say is listed with line and reason. In
these files the first match wins, in rules the most specific one; where that changes an
answer, it is shown with a URL.`,
		Example: `  upperpath rules import old.htaccess --host lacemill-museum.example
  upperpath rules import old-nginx.conf --format csv > more-rules.csv
  upperpath rules import old-list.csv --old from --new to \
      --host ferryhouse.example --add`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := o.out.check(); err != nil {
				return err
			}
			e, in, err := p.read(c.Context(), &from)
			if err != nil {
				return err
			}
			imported, err := readImport(args[0], &o, in.Estate.Serves)
			if err != nil {
				return err
			}
			return p.imported(args[0], e, in.Estate.Canonical, imported, &o)
		},
	}
	from.flags(c)
	f := c.Flags()
	f.StringVar(
		&o.kind,
		"kind",
		"",
		"the `KIND` of file: csv, apache or nginx (default: by its name or contents)",
	)
	f.StringVar(&o.host, "host", "", "the `HOST` of the paths in a file that names none")
	f.StringVar(
		&o.context,
		"context",
		"",
		"the `PLACE` of an Apache file: htaccess (in a folder) or server (default: by its name)",
	)
	f.StringVar(&o.folder, "folder", "",
		"the `FOLDER` of the site in which an .htaccess lies (default: that of its RewriteBase)")
	f.StringVar(&o.oldColumn, "old", "old", "the `COLUMN` of a table with the old URLs")
	f.StringVar(&o.newColumn, "new", "new", "the `COLUMN` of a table with the targets")
	o.out.formatFlag(c)
	f.BoolVar(&o.all, "all", false, "show every line and every difference, not only the first")
	f.BoolVar(&o.add, "add", false, "add the rules at the end of the estate's rules.csv")
	return c
}

// What gives a configuration away.
var (
	apacheLine  = regexp.MustCompile(`(?im)^\s*(Redirect(Match|Permanent|Temp)?|RewriteRule)\s`)
	haproxyLine = regexp.MustCompile(`(?m)^\s+(http-request\s+)?redirect\s+(location|prefix|scheme)\s`)
	caddyLine   = regexp.MustCompile(`(?m)^\s*redir\s+\S`)
	nginxLine   = regexp.MustCompile(
		`(?m)^\s*(return\s+30\d\s|rewrite\s+\S+\s+\S+|location\s[^{]*\{|server\s*\{)`)
)

// readImport reads the file as what it is.
func readImport(path string, o *importOptions, serves func(web.Host) bool) (imports.Import, error) {
	name := strings.ToLower(filepath.Base(path))
	if o.kind == "" {
		switch {
		case strings.HasSuffix(name, ".csv") || strings.HasSuffix(name, ".tsv") ||
			strings.HasSuffix(name, ".xlsx"):
			o.kind = "csv"
		case strings.Contains(name, "htaccess") || strings.Contains(name, "apache") ||
			strings.Contains(name, "httpd"):
			o.kind = "apache"
		case strings.Contains(name, "nginx"):
			o.kind = "nginx"
		case strings.Contains(name, "haproxy"):
			o.kind = "haproxy"
		case strings.Contains(name, "caddy"):
			o.kind = "caddy"
		default:
			data, _ := files.Read(path, files.MostConfig) // whether it can be read is said below
			switch {
			case apacheLine.Match(data):
				o.kind = "apache"
			case haproxyLine.Match(data):
				o.kind = "haproxy"
			case caddyLine.Match(data):
				o.kind = "caddy"
			case nginxLine.Match(data):
				o.kind = "nginx"
			default:
				return imports.Import{}, usage(
					"%s: cannot tell the format from its name or contents; expected --kind and one of %s",
					path, strings.Join(importKinds, ", "),
				)
			}
		}
	}
	if !contains(importKinds, o.kind) {
		return imports.Import{}, usage("--kind %s: expected one of %s", o.kind,
			strings.Join(importKinds, ", "))
	}
	host := ""
	if o.host != "" {
		h, err := web.ParseHost(o.host)
		if err != nil {
			return imports.Import{}, usage("--host %s: %s", o.host, err)
		}
		host = h.String()
	}
	if o.folder != "" && o.kind != "apache" {
		return imports.Import{},
			usage("--folder says where an .htaccess lies; expected --kind apache with it")
	}
	if o.kind == "csv" {
		read, rows, err := files.ReadPairs(path, o.oldColumn, o.newColumn)
		pairs := make([]imports.Pair, len(read))
		for i, p := range read {
			pairs[i] = imports.Pair(p)
		}
		m := imports.ReadPairs(pairs, host, 301, serves)
		m.Rows = rows
		return m, err
	}
	data, err := files.Read(path, files.MostConfig)
	files.InProportion(len(data))
	if err != nil {
		return imports.Import{}, problem.List{
			{File: path, Fault: fact.ImportUnread{}},
		}
	}
	if host == "" && o.kind == "apache" &&
		!strings.Contains(strings.ToLower(string(data)), "servername") {
		return imports.Import{},
			usage("%s names no host for its paths; name it with --host", path)
	}
	switch o.kind {
	case "nginx":
		return imports.ReadNginx(string(data), host, included(path)), nil
	case "haproxy":
		return imports.ReadHAProxy(string(data), host, included(path)), nil
	case "caddy":
		return imports.ReadCaddy(string(data), host, included(path)), nil
	}
	if o.context == "" {
		o.context = "server"
		if strings.Contains(name, "htaccess") {
			o.context = "htaccess"
		}
	}
	if o.context != "htaccess" && o.context != "server" {
		return imports.Import{}, usage("--context %s: expected htaccess or server", o.context)
	}
	place := imports.Place{Server: o.context == "server"}
	if o.folder != "" {
		place.Folder = "/" + strings.Trim(o.folder, "/") + "/"
		if place.Folder == "//" {
			place.Folder = "/"
		}
		if place.Server {
			return imports.Import{}, usage("--folder is of a file in a folder: expected --context htaccess")
		}
	}
	return imports.ReadApache(string(data), host, place, included(path)), nil
}

// mostIncluded is how many octets of included files are read, and how many files.
const (
	mostIncluded      = 64 << 20
	mostIncludedFiles = 1000
)

// included gives the texts of files that a configuration includes, by a name or a pattern: those in
// its own folder or below. A configuration comes from outside, and reads nothing else of this
// machine.
func included(path string) imports.Includes {
	octets, count := int64(0), 0
	return func(pattern string) []string {
		root, err := os.OpenRoot(filepath.Dir(path)) // which no name and no link leads out of
		if err != nil {
			return nil
		}
		defer root.Close()
		names, err := fs.Glob(root.FS(), pathpkg.Clean(strings.Trim(pattern, `"'`)))
		if err != nil {
			return nil
		}
		var texts []string
		for _, name := range names {
			if count++; count > mostIncludedFiles {
				break
			}
			data, err := readIncluded(root, name, mostIncluded-octets)
			if err != nil {
				continue
			}
			octets += int64(len(data))
			texts = append(texts, string(data))
		}
		return texts
	}
}

func readIncluded(root *os.Root, name string, most int64) ([]byte, error) {
	info, err := root.Stat(name)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() { // a pipe would keep us waiting
		return nil, errNoFile
	}
	f, err := root.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, most+1))
	if err == nil && int64(len(data)) > most {
		err = files.ErrTooLarge
	}
	return data, err
}

var errNoFile = errors.New("it is not a regular file")

// imported reads the rules as those of the estate, and writes what came of it.
func (p *program) imported(
	path string, e *files.Estate, canonical web.Door, m imports.Import, o *importOptions,
) error {
	scope := files.RuleScope(e.Estate)
	m.Settle(scope)
	result := report.Imported{File: path, Canonical: canonical.String(), Widened: m.Widened,
		Merged: m.Merged, Ours: m.Ours,
		Untracked: m.Untracked, Relative: m.Relative}
	for _, l := range m.Anyway {
		result.Anyway = append(result.Anyway, masked(l))
	}
	for _, l := range m.Beside {
		result.Beside = append(result.Beside, masked(l))
	}
	for _, c := range m.Conflicts {
		result.Conflicts = append(result.Conflicts, report.ImportConflict{First: c.First,
			Second: c.Second, FirstText: web.MaskedWords(c.FirstText),
			SecondText: web.MaskedWords(c.SecondText), URL: web.MaskedWords(c.URL)})
	}
	result.Rows, result.Conflicting = m.Rows, m.Conflicting
	for i := range m.Rules {
		result.Ranked = result.Ranked || m.Rules[i].Row.Rank != ""
	}
	for _, l := range m.Undecided {
		result.Undecided = append(result.Undecided, masked(l))
	}
	result.Count = len(m.Rules)
	result.Rules = func(yield func(report.ImportedRule) bool) {
		for i := range m.Rules {
			r := &m.Rules[i]
			if !yield(report.ImportedRule{Line: r.Source, Text: web.MaskedWords(r.Text), Old: r.Old,
				New: r.New, Status: r.Status, Query: r.Query, Rank: r.Row.Rank, Note: r.Row.Note}) {
				return
			}
		}
	}
	for _, d := range m.Differences(scope, canonical) {
		result.Differences = append(result.Differences, report.Difference(d))
	}
	for _, l := range m.Skipped {
		result.Skipped = append(result.Skipped, masked(l))
	}
	if o.add && len(m.Rules) > 0 {
		to, err := addRules(e, path, m.Rules)
		if err != nil {
			return err
		}
		result.Added = fromHere(to)
	}
	if o.out.detail = o.all; o.all {
		result.All = true
	}
	if err := p.show(report.Import(result), &o.out); err != nil {
		return err
	}
	if len(result.Skipped)+len(result.Differences)+len(result.Undecided)+len(result.Conflicts) > 0 {
		return ended{code: exitFindings}
	}
	return nil
}

// masked gives a line of somebody's file as it is shown: a password in it is not.
func masked(l imports.SkippedLine) report.Skipped {
	return report.Skipped{Line: l.Line, Text: web.MaskedWords(l.Text),
		Reason: web.MaskedWords(l.Reason)}
}

// addRules adds rules at the end of the estate's, in its own columns; what is there stays as it is.
func addRules(e *files.Estate, source string, rules []imports.ImportedRule) (string, error) {
	if e.Estate.Rules == "" {
		return "", usage("the estate file names no rules; add rules: rules.csv to it")
	}
	path := files.Beside(e.Path, e.Estate.Rules)
	var rows [][]string
	for _, r := range rules {
		rows = append(
			rows,
			[]string{r.Old, r.New, r.Status, r.Query, r.Row.Rank,
				cmp.Or(r.Row.Note, fmt.Sprintf("%s line %d", filepath.Base(source), r.Source))},
		)
	}
	return path, edited(files.Change(path, func(text []byte) ([]byte, error) {
		return files.AppendRules(path, text, files.RuleColumns, rows)
	}))
}
