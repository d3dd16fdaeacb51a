package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

// The bounds of a folder of estates.
const (
	mostEstates = 10_000
	mostDepth   = 12
)

// memoryOfAll is from where on memory is given back before more is taken, in octets: looking again
// makes much garbage, and several estates at once as much more.
const memoryOfAll = 160 << 20

// estatesIn gives the estate files below a folder, in order. Folders that begin with a point are
// left out, as are stages, whose files are no estates.
func estatesIn(folder string) ([]string, error) {
	var all []string
	err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		switch {
		case err != nil && path == folder:
			return err
		case err != nil:
			return nil // a folder that nobody may read holds no estate of ours
		case d.IsDir():
			rel, _ := filepath.Rel(folder, path)
			deep := strings.Count(rel, string(filepath.Separator)) >= mostDepth
			if path != folder && (strings.HasPrefix(d.Name(), ".") || deep) {
				return filepath.SkipDir
			}
			return nil
		case d.Name() == files.EstateName:
			if all = append(all, path); len(all) > mostEstates {
				return fmt.Errorf("more than %d estates", mostEstates)
			}
		}
		return nil
	})
	if err != nil {
		return nil, usage("--all %s: %v; expected a folder with estates below it", folder, err)
	}
	if len(all) == 0 {
		return nil, usage("--all %s: there is no %s below it", folder, files.EstateName)
	}
	return all, nil
}

// recheckAll rechecks every estate below a folder, several at once. What happens to one is no
// matter of the others.
func (p *program) recheckAll(
	ctx context.Context, vantage *vantageOptions, out *output, o *recheckOptions,
) error {
	paths, err := estatesIn(o.all)
	if err != nil {
		return err
	}
	began := time.Now()
	defer debug.SetMemoryLimit(debug.SetMemoryLimit(memoryOfAll))
	all := make([]report.EstateChecked, len(paths))
	meter := p.progress("rechecking", len(paths), "estate")
	turns := make(chan struct{}, o.atOnce)
	var working crew.Crew
	for i, path := range paths {
		working.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			name, _ := filepath.Rel(o.all, filepath.Dir(path))
			all[i] = p.recheckIn(ctx, path, filepath.ToSlash(name), vantage, o)
			meter.step()
		})
	}
	working.Wait()
	meter.done()
	if err := ctx.Err(); err != nil {
		return err
	}
	report.WorstFirst(all)
	if o.metrics != "" && o.metrics != "-" {
		made := files.Made{Path: o.metrics, Data: report.MetricsOfAll(all), Opens: "# "}
		if err := files.WriteMade(false, made); err != nil {
			return err
		}
	}
	if o.metrics == "-" {
		_, err := p.out.Write(report.MetricsOfAll(all))
		return err
	}
	if err := p.show(report.Estates(o.all, all, time.Since(began)), out); err != nil {
		return err
	}
	for _, e := range all {
		if e.Failed != "" {
			return ended{code: exitFailed}
		}
	}
	for _, e := range all {
		if e.Any() {
			return ended{code: exitFindings}
		}
	}
	return nil
}

// recheckIn rechecks one of many estates.
func (p *program) recheckIn(ctx context.Context, path, name string, vantage *vantageOptions,
	o *recheckOptions) (e report.EstateChecked) {
	e = report.EstateChecked{Name: name}
	began := time.Now()
	defer func() { e.Took = time.Since(began) }()
	fault := crew.Try(func() {
		var said bytes.Buffer
		one := &program{in: strings.NewReader(""), out: &outlet{to: &said}, err: &outlet{to: io.Discard},
			quiet: true}
		from, at := estateOptions{path: path}, *vantage
		made := *o
		checked, err := one.recheckOne(ctx, &from, &at, &made)
		if err == nil && o.acceptAll {
			err = one.acceptAll(ctx, checked.estate, checked.seen, checked.news, &output{format: "json"})
			var code ended
			if errors.As(err, &code) && code.err == nil {
				err = nil
			}
		}
		if err != nil {
			e.Failed = plainFailure(err)
			return
		}
		e.State, e.News = checked.seen.state, checked.news
		if o.acceptAll {
			e.Accepted = true
			return
		}
		if !checked.news.Any() {
			return
		}
		if !o.forget {
			_, _, err = one.keepSeen(ctx, checked.estate, checked.seen)
		}
		if err == nil {
			e.Mail, err = one.mail(checked, o, name)
		}
		if err == nil && !o.forget { // said once it is written
			err = one.settle(ctx, checked)
		}
		if err != nil {
			e.Failed = plainFailure(err)
		}
	})
	if fault != nil {
		e.Failed = "this is a fault of the program: " + fmt.Sprint(fault)
	}
	return e
}

// plainFailure gives an error in one line.
func plainFailure(err error) string {
	return strings.Join(strings.Fields(err.Error()), " ")
}

// mail writes the news of an estate into the folder of the day, and gives the path.
func (p *program) mail(c *rechecked, o *recheckOptions, name string) (string, error) {
	var text bytes.Buffer
	d := report.News(c.news, c.seen.state, c.known.lived, p.now())
	if err := doc.Write(&text, "text", d, doc.Style{}); err != nil {
		return "", err
	}
	if name == "." {
		name = "estate"
	}
	path := filepath.Join(o.all, "news", p.now().Format(time.DateOnly),
		filepath.FromSlash(name)+".txt")
	if err := os.MkdirAll(filepath.Dir(path), 0o777); err != nil {
		return "", err
	}
	return path, files.WriteNew(path, text.Bytes(), true)
}

// defaultAtOnce is how many estates are rechecked at once.
func defaultAtOnce() int { return max(4, 4*runtime.NumCPU()) }
