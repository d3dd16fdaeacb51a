package cli

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/store"
)

// oldURLsName is what the file with old URLs is called.
const oldURLsName = "old-urls.csv"

// gatherOptions are the options of gather beside those of every command.
type gatherOptions struct {
	host, url, weight, leaveOut, to string
	pages, force, showRules, all    bool
	anew                            bool // what was gathered before is left
	crawl                           []string
	depth, most                     int
	changed                         func(string) bool // whether an option was given
}

func (p *program) gather() *cobra.Command {
	var from estateOptions
	var vantage vantageOptions
	var out output
	var o gatherOptions
	c := &cobra.Command{
		Use:   "gather SOURCE...",
		Short: "Gather the old URLs that people and search engines still use",
		Long: `gather makes old-urls.csv (url, weight, source, method, note) from what there is:
sitemaps, feeds, lists, browser recordings (HAR), access logs, CSV and XLSX exports. They
may be compressed, and be files or URLs; - is standard input. Equal URLs become one, with
their weights added. What was gathered before stays; a source that is gathered again
replaces what came of it.

--crawl HOST follows the links of an old site, as its robots.txt allows, with two requests at a
time and five a second. Robots' hits, page parts and tracking parameters are left out, and
counted by their reason.`,
		Example: `  upperpath gather old-pages.csv
  upperpath gather old-pages.csv pages.txt --host https://www.northmoor.example
  upperpath gather --survey
  upperpath gather --crawl lacemill-museum.example --rate 200
  upperpath gather old-list.csv --url from --weight visits \
      --host ferryhouse.example --to list.csv
  upperpath gather --rules > leave-out.yaml`,
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			if o.showRules {
				_, err := p.out.Write(files.LeaveOutText(old.DefaultLeaveOut()))
				return err
			}
			if len(args) == 0 && !o.pages && len(o.crawl) == 0 {
				return usage("gather: expected files or URLs to gather from, --crawl HOST or --survey")
			}
			if o.depth < 0 || o.most < 1 || o.most > mostToCrawl {
				return usage("gather: expected --depth from 0 and --most-pages from 1 to %d", mostToCrawl)
			}
			o.changed = c.Flags().Changed
			return p.runGather(c.Context(), &from, &vantage, &out, &o, args)
		},
	}
	from.flags(c)
	vantage.flags(c)
	out.formatFlag(c)
	f := c.Flags()
	f.StringVar(&o.host, "host", "",
		"the `HOST` or door of the paths in a source that names none")
	f.StringVar(&o.url, "url", "", "the `COLUMN` of tables with the URLs")
	f.StringVar(&o.weight, "weight", "", "the `COLUMN` of tables with visits, hits or links")
	f.StringVar(&o.leaveOut, "leave-out", "", "the `FILE` with the rules for what is left out")
	f.BoolVar(&o.showRules, "rules", false, "write the rules for what is left out, to be edited")
	f.StringVar(&o.to, "to", "",
		"the `FILE` to write; - is standard output (default: "+oldURLsName+" beside the estate file)")
	f.BoolVar(&o.pages, "survey", false, "add the pages that the last survey met")
	f.StringArrayVar(&o.crawl, "crawl", nil,
		"follow the links of this `HOST`, door or page (repeatable)")
	f.IntVar(&o.depth, "depth", 10, "of a crawl: at most this `NUMBER` of links away")
	f.IntVar(&o.most, "most-pages", 20_000, "of a crawl: request at most this `COUNT` of URLs")
	f.BoolVar(&o.all, "all-hosts", false, "take hosts outside the estate too")
	f.BoolVar(&o.force, "force", false, "write the file even if it was edited")
	f.BoolVar(&o.anew, "anew", false,
		"begin anew, without what was gathered before")
	return c
}

func (p *program) runGather(
	ctx context.Context, from *estateOptions, vantage *vantageOptions, out *output, o *gatherOptions,
	sources []string,
) error {
	from.undecided = true
	e, made, err := from.read()
	if err != nil {
		return err
	}
	leave := old.DefaultLeaveOut()
	if o.leaveOut != "" {
		if leave, err = files.ReadLeaveOut(o.leaveOut); err != nil {
			return err
		}
	}
	debug.SetGCPercent(surveyGarbage) // there may be millions
	g := old.NewGathering(leave)
	if !o.all {
		g.Hosts = func(h web.Host) bool { return made.Estate.Holds(h) || made.Estate.Serves(h) }
	}
	reader := &files.OldURLs{To: g, URL: o.url, Weight: o.weight, Stop: ctx.Err}
	if reader.Door, err = doorOf(o.host); err != nil {
		return err
	}
	path := o.to
	if path == "" {
		path = files.Beside(e.Path, oldURLsName)
	}
	before, err := o.gatheredBefore(path, g, sources)
	if err != nil {
		return err
	}
	meter := p.progress("gathering", 0, "")
	err = p.gatherAll(ctx, reader, vantage, e, sources)
	meter.done()
	if err != nil {
		return err
	}
	if o.pages {
		if err := gatherSurvey(ctx, g, e); err != nil {
			return err
		}
	}
	var cut error // a crawl that is cut off keeps what it has
	if len(o.crawl) > 0 {
		vantage.perHost, vantage.rate = politely(vantage, o.changed)
		if cut, err = p.crawl(ctx, g, leave, vantage, e, o); err != nil {
			return err
		}
	}
	if n, _ := g.Count(); n > 0 {
		text, err := oldURLsText(g)
		if err == nil && path == "-" {
			_, err = p.out.Write(text)
			return cmp.Or(err, cut)
		}
		if err == nil {
			err = files.WriteMade(o.force, files.Made{Path: path, Data: text, Form: files.Table})
		}
		if err != nil {
			return err
		}
	}
	if err := p.show(report.Gathered(g, fromHere(path), before), out); err != nil {
		return err
	}
	if cut != nil {
		return cut
	}
	if n, _ := g.Count(); n == 0 {
		return ended{code: exitFindings}
	}
	return nil
}

// gatheredBefore takes in what was gathered before, unless it is to begin anew. What comes of a
// source that is gathered again is replaced.
func (o *gatherOptions) gatheredBefore(path string, g *old.Gathering,
	sources []string) (old.Before, error) {
	if o.anew || path == "-" {
		return old.Before{}, nil
	}
	again := map[string]bool{}
	for _, s := range sources {
		again[s], again[filepath.Base(s)] = true, true
	}
	if len(o.crawl) > 0 {
		again["crawl of "+strings.Join(o.crawl, ", ")] = true
	}
	survey := func(name string) bool { return o.pages && strings.HasPrefix(name, "survey of ") }
	named := func(name string) bool { return again[name] || survey(name) }
	if slices.ContainsFunc(sources, func(s string) bool { return sameFile(s, path) }) {
		return old.Before{}, nil // it is one of the sources
	}
	b, err := files.GatheredBefore(path, g, named)
	if err != nil {
		return b, failed(err)
	}
	if b.Mixed != "" {
		return b, usage("%s holds URLs of %s together with others, such as %s: what they weigh without "+
			"it is not known. --anew gathers from what you name now and replaces the file", fromHere(path),
			strings.Join(b.Replaced, ", "), b.Mixed)
	}
	return b, nil
}

// sameFile reports whether two paths lead to one file.
func sameFile(a, b string) bool {
	one, errOne := os.Stat(a)
	other, errOther := os.Stat(b)
	return errOne == nil && errOther == nil && os.SameFile(one, other)
}

// How a crawl asks where nobody says otherwise: so many at a time at a host, and so many a second.
const (
	crawlPerHost = 2
	crawlRate    = 5
	mostToCrawl  = 1_000_000
	mostAlike    = 2000 // URLs that differ in numbers, or in their query, alone
)

func politely(v *vantageOptions, changed func(string) bool) (perHost int, rate float64) {
	perHost, rate = v.perHost, v.rate
	if !changed("per-host") {
		perHost = crawlPerHost
	}
	if !changed("rate") {
		rate = crawlRate
	}
	return perHost, rate
}

// crawl follows the links of old sites. cut is why it was cut off; what it has by then counts.
func (p *program) crawl(
	ctx context.Context, g *old.Gathering, leave old.LeaveOut, vantage *vantageOptions,
	e *files.Estate, o *gatherOptions,
) (cut, err error) {
	f := old.NewFrontier(leave)
	f.Depth, f.Pages, f.PerFolder = o.depth, o.most, mostAlike
	// The sites that were named and no others, by the ports of the schemes or those that were named.
	domains, doors := map[web.Host]bool{}, map[web.Door]bool{}
	means := func(h web.Host) bool { return domains[h.Domain()] && (g.Hosts == nil || g.Hosts(h)) }
	ports := 0
	f.Doors = func(d web.Door) bool {
		switch {
		case !means(d.Host):
			return false
		case d.Port != 0 && !doors[d]:
			ports++
			return false
		}
		return true
	}
	for _, from := range o.crawl {
		u, err := crawlFrom(from)
		if err != nil {
			return nil, err
		}
		doors[u.Door()] = true
		if domains[u.Host().Domain()] = true; !means(u.Host()) {
			return nil, usage(
				"--crawl %s: the estate has no such host; add the domain to the estate file, or use "+
					"--all-hosts",
				from,
			)
		}
		f.Add(u, 0)
	}
	w, err := vantage.open(e)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	source := g.Begin("crawl of "+strings.Join(o.crawl, ", "), "title", "heading", "language",
		"canonical")
	meter := p.progress("crawling", 0, "")
	defer meter.done()
	unseen := 0
	c := live.Crawling{Web: w, Frontier: f, Agent: robotsName, Parallel: vantage.parallel,
		Met: func(at old.Place, got live.Crawled, err error) {
			if err != nil {
				unseen++
				return
			}
			seen := old.Seen{URL: []byte(at.URL.String()), Status: got.Status}
			if s := got.Says; s != (live.Says{}) {
				seen.More = []string{s.Title, s.Heading, s.Language, s.Canonical}
			}
			g.Add(source, seen)
		}}
	cut = c.Run(ctx)
	g.Crawls = append(g.Crawls,
		old.Crawl{Unseen: unseen, Barred: f.Barred, TooDeep: f.TooDeep, TooMany: f.TooMany,
			Strangers: ports, Waiting: f.Waiting()})
	return cut, nil
}

// robotsName is the name by which a robots.txt may speak to this program.
const robotsName = "upperpath"

// crawlFrom reads where a crawl begins: a host, a door or a page.
func crawlFrom(s string) (web.URL, error) {
	if !strings.Contains(s, "://") {
		s = "http://" + s
	}
	u, err := web.ParseURL(s)
	if err != nil {
		return u,
			usage("--crawl %s: expected a host, a door or a page, such as https://www.old.example/", s)
	}
	return u, nil
}

// doorOf reads a host or a door whose paths are meant.
func doorOf(host string) (web.Door, error) {
	if host == "" {
		return web.Door{}, nil
	}
	if !strings.Contains(host, "://") {
		host = "http://" + host
	}
	u, err := web.ParseURL(host)
	if err != nil || u.RequestURI() != "/" {
		return web.Door{},
			usage("--host %s: expected a host or a door, such as https://www.old.example", host)
	}
	return u.Door(), nil
}

// source is where old URLs are read from.
type source struct {
	name  string
	named bool // something from outside names it, and nobody typed it here
}

// mostMaps is how many sitemaps may be read that others name, of all sources together.
const mostMaps = 10_000

// gatherAll reads all sources, and the sitemaps that indexes among them name. One that fails leaves
// the others; the error is that of the first where all that were typed fail.
func (p *program) gatherAll(
	ctx context.Context, reader *files.OldURLs, vantage *vantageOptions, e *files.Estate,
	typed []string,
) error {
	g := gathering{p: p, reader: reader, vantage: vantage, estate: e}
	defer g.close()
	var first error
	failures, named, left := 0, 0, 0
	done := map[string]bool{}
	var all []source
	for _, name := range typed {
		all = append(all, source{name: name})
	}
	for len(all) > 0 {
		one := all[0]
		all = all[1:]
		if done[one.name] {
			continue
		}
		done[one.name] = true
		if one.named {
			if named++; named > mostMaps {
				left++
				continue
			}
		}
		if err := g.add(ctx, one); err != nil {
			if ctx.Err() != nil || len(typed) == 1 && !one.named {
				return err
			}
			first = cmp.Or(first, err)
			if !one.named {
				failures++
			}
			fmt.Fprintf(p.err, "upperpath: left out: %s\n", err)
		}
		for _, name := range reader.Maps {
			all = append(all, source{name, true})
		}
		reader.Maps = nil
	}
	if left > 0 {
		fmt.Fprintf(p.err, "upperpath: %d sitemaps were left out: more than %d were named\n", left,
			mostMaps)
	}
	if failures == len(typed) && failures > 0 {
		return first
	}
	return nil
}

// gathering reads sources, by way of a vantage that is opened for the first that has to be fetched.
type gathering struct {
	p       *program
	reader  *files.OldURLs
	vantage *vantageOptions
	estate  *files.Estate
	web     *live.Client
}

func (g *gathering) close() {
	if g.web != nil {
		g.web.Close()
	}
}

// add reads one source. What something from outside names is fetched from a public place, and is
// never a file of ours.
func (g *gathering) add(ctx context.Context, one source) error {
	u, err := web.ParseURL(one.name)
	switch {
	case err != nil && one.named:
		return usage("%s: a sitemap names it, and it is not an http or https URL", one.name)
	case one.name == "-":
		return g.reader.AddFrom("standard input", "standard input", g.p.in)
	case err != nil:
		return g.reader.Add(one.name)
	}
	if g.web == nil {
		if g.web, err = g.vantage.open(g.estate); err != nil {
			return err
		}
	}
	fetch := g.web.Fetch
	if one.named {
		fetch = g.web.FetchNamed
	}
	status, body, err := fetch(ctx, u, mostFetched)
	if err != nil {
		return failed(fmt.Errorf("%s cannot be fetched: %w", u, err))
	}
	if status != 200 {
		return failed(fmt.Errorf("%s answers %d, and no file", u, status))
	}
	return g.reader.AddFrom(u.String(), u.String(), bytes.NewReader(body))
}

// mostFetched is how many octets a source may have that is fetched.
const mostFetched = 256 << 20

// gatherSurvey adds the pages that the last survey met at the doors of the estate.
func gatherSurvey(ctx context.Context, g *old.Gathering, e *files.Estate) error {
	s, err := store.Read(ofEstate(e))
	if err != nil {
		return storeFailed(err)
	}
	defer s.Close()
	latest, err := newestSurvey(ctx, s, "--survey")
	if err != nil {
		return err
	}
	source := g.Begin("survey of " + latest.Started.Local().Format("2006-01-02"))
	for _, d := range latest.Domains {
		for _, c := range d.Chains {
			if c.Probe != "root" {
				continue // made up
			}
			for _, hop := range c.Hops {
				if hop.Refusal == "" {
					g.Add(source, old.Seen{URL: []byte(hop.URL.String()), Status: hop.Status})
				}
			}
		}
	}
	return nil
}

// oldURLsText writes what was gathered as the file that is kept.
func oldURLsText(g *old.Gathering) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	head := append([]string{"url", "weight", "source", "method", "note"}, g.More...)
	errs := []error{w.Write(head)}
	for _, e := range g.Entries() {
		row := []string{e.URL, fmt.Sprint(e.Weight), strings.Join(g.SourcesOf(e), "; "), e.Method,
			report.OldNote(e)}
		row = append(row, e.More...)
		for len(row) < len(head) {
			row = append(row, "")
		}
		errs = append(errs, w.Write(row))
	}
	w.Flush()
	return b.Bytes(), errors.Join(append(errs, w.Error())...)
}
