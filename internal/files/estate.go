package files

import (
	"os"
	"path/filepath"
	"time"
	_ "time/tzdata" // machines without time zones of their own

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

// EstateName is what the estate file is called where nobody says otherwise.
const EstateName = "upperpath.yaml"

// Estate is an estate with the files that it names, all of them read.
type Estate struct {
	*estate.Estate
	Path      string // of the estate file
	Rules     []*rule.Rule
	SiteRules []*rule.Rule
	Pages     []web.URL // the pages that exist; nil where nobody says
	// what looks mistyped in the estate file, and is no fault
	Questions problem.List
	Zone      *time.Location // in which dates are written; nil: that of the machine
}

// Folder is the folder of the estate file, from which its paths start.
func (e *Estate) Folder() string { return filepath.Dir(e.Path) }

// FindEstate returns the estate file in this folder or in the nearest one above that has one.
func FindEstate(folder string) (string, error) {
	at, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	for {
		path := filepath.Join(at, EstateName)
		if _, err := os.Stat(path); err == nil {
			return path, nil
		}
		parent := filepath.Dir(at)
		if parent == at {
			return "",
				problem.List{{Value: EstateName, Fault: fact.NoEstateFile{}}}
		}
		at = parent
	}
}

// ReadEstate reads an estate file and all that it names. The error is a problem.List with every
// fault of every file.
func ReadEstate(path string) (*Estate, error) { return readEstate(path, estate.Read, true) }

// ReadWithoutRules does the same, and leaves the rules and the lists of pages alone: for what asks
// nothing of them.
func ReadWithoutRules(path string) (*Estate, error) { return readEstate(path, estate.Read, false) }

// ReadUndecided does the same, and lets it be open who carries the doors: for looking at what is
// there.
func ReadUndecided(path string) (*Estate, error) {
	return readEstate(path, estate.ReadUndecided, true)
}

func readEstate(path string, take func(*estate.Node) (*estate.Estate, problem.List),
	rules bool) (*Estate, error) {
	root, err := ReadTree(path)
	if err != nil {
		return nil, err
	}
	read, faults := take(root)
	if err := faults.In(path).Err(); err != nil {
		return nil, err
	}
	e := &Estate{Estate: read, Path: path, Questions: read.Slips(root).In(path)}
	all := e.inZone(root)
	gather := func(err error) {
		if list, ok := err.(problem.List); ok {
			all = append(all, list...)
		}
	}
	if read.Rules != "" && rules {
		var err error
		e.Rules, err = ReadRules(e.beside(read.Rules), RuleScope(read))
		gather(err)
	}
	for _, s := range read.Sites() {
		if !rules {
			break
		}
		if s.Rules != "" {
			rules, err := ReadRules(e.beside(s.Rules), SiteScope(read))
			gather(err)
			e.SiteRules = append(e.SiteRules, rules...)
		}
		for _, name := range s.Pages {
			pages, err := ReadPages(e.beside(name), s.Canonical)
			gather(err)
			e.Pages = append(e.Pages, pages...)
		}
		if len(s.Pages) > 0 && e.Pages == nil {
			e.Pages = []web.URL{} // somebody says that there are none
		}
	}
	for name, v := range read.Vantages {
		if v.Trust != "" {
			v.Trust = e.beside(v.Trust)
			read.Vantages[name] = v
		}
	}
	return e, all.Err()
}

// inZone finds the time zone of the estate.
func (e *Estate) inZone(root *estate.Node) problem.List {
	if e.TimeZone == "" {
		return nil
	}
	var err error
	if e.Zone, err = time.LoadLocation(e.TimeZone); err == nil && e.TimeZone != "Local" {
		return nil
	}
	e.Zone = nil
	p := problem.Problem{File: e.Path, Value: e.TimeZone, Fault: fact.NotTimeZone{}}
	for _, entry := range root.Entries {
		if entry.Key.Text == "time-zone" {
			p.Line, p.Column = entry.Value.Line, entry.Value.Column
		}
	}
	return problem.List{p}
}

func (e *Estate) beside(path string) string { return Beside(e.Path, path) }

// Beside gives a path that stands in a file as one from here: relative ones start from the file's
// folder.
func Beside(file, path string) string {
	if filepath.IsAbs(path) {
		return path
	}
	return filepath.Join(filepath.Dir(file), filepath.FromSlash(path))
}

// RuleScope is what the rules of an estate may be about.
func RuleScope(e *estate.Estate) rule.Scope {
	return rule.Scope{
		Holds:  func(h web.Host) bool { return e.DomainOf(h) != nil },
		Serves: e.Serves,
		Known:  e.HostNames(),
		Mode:   e.Mode,
	}
}

// SiteScope is what the site's own redirects may be about.
func SiteScope(e *estate.Estate) rule.Scope {
	return rule.Scope{Holds: e.Serves, Serves: e.Serves, Known: []string{e.Canonical.Host.String()}}
}

// ReadVantage reads a vantage file, such as the stage writes. Its trust path comes back as one from
// here.
func ReadVantage(path string) (estate.Vantage, error) {
	root, err := ReadTree(path)
	if err != nil {
		return estate.Vantage{}, err
	}
	v, faults := estate.ReadVantage(root)
	if v.Trust != "" {
		v.Trust = Beside(path, v.Trust)
	}
	return v, faults.In(path).Err()
}
