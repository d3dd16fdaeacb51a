package cli

import (
	"context"
	"hash/maphash"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

// coverMemory is from how many octets on the collector works harder.
const coverMemory = 430 << 20

func (p *program) cover() *cobra.Command {
	var from estateOptions
	var out output
	var host string
	var all bool
	c := &cobra.Command{
		Use:   "cover [FILE...]",
		Short: "Show what becomes of each old URL under the plan, by weight",
		Long: `cover follows every old URL of old-urls.csv, or of other FILEs, through the plan in
memory, and shows what becomes of it. That is a page of its own (checked against site.pages,
or unchecked), a page with many others, the home page, gone, or no page. First come the
shares of the weight, then the heaviest URLs that do not arrive as planned. --format csv
lists what is left to decide. Fill its column new (- where a page is gone), and rules import
takes it back.`,
		Example: `  upperpath cover
  upperpath cover --only lacemill-museum.example
  upperpath cover --format csv > work.csv
  upperpath rules import work.csv`,
		RunE: func(c *cobra.Command, args []string) error {
			if err := out.check(); err != nil {
				return err
			}
			e, in, err := p.readSeen(c.Context(), &from)
			if err != nil {
				return err
			}
			door, err := doorOf(host)
			if err != nil {
				return err
			}
			addresses, name, err := p.oldURLs(c.Context(), e, in, door, args)
			if err != nil {
				return err
			}
			var made *old.Coverage
			meter := p.progress("covering", len(addresses), "old URLs")
			err = interruptible(c.Context(), func() {
				made = old.Cover(plan.Bare(in).Web, addresses, meter.step)
			})
			meter.done()
			if err != nil {
				return err
			}
			if err := p.show(report.Cover(report.Covered{Coverage: made, From: name, All: all,
				Work: contains([]string{"csv", "xlsx"}, out.format)}), &out); err != nil {
				return err
			}
			return out.exit(made.Findings)
		},
	}
	from.flags(c)
	out.flags(c)
	c.Flags().StringVar(&host, "host", "",
		"the `HOST` or door of the paths in a file that names none")
	c.Flags().BoolVar(&all, "all", false,
		"show all that do not arrive as planned, not only the heaviest")
	return c
}

// oldURLs reads old URLs from files, or from the one that gather made, each once; name says from
// where.
func (p *program) oldURLs(
	ctx context.Context, e *files.Estate, in plan.Input, door web.Door, paths []string,
) (all []old.Address, name string, err error) {
	debug.SetMemoryLimit(coverMemory) // there may be millions
	if len(paths) == 0 {
		paths = []string{files.Beside(e.Path, oldURLsName)}
	}
	made := in.Web()
	known, seed := map[uint64]int32{}, maphash.MakeSeed()
	reader := &files.OldURLs{Door: door, Stop: ctx.Err, To: old.Each(func(a old.Seen) {
		method := strings.ToUpper(string(a.Method))
		if method != "POST" {
			method = ""
		}
		key := maphash.Bytes(seed, a.URL)
		if method != "" {
			key = ^key
		}
		at, is := known[key]
		if is && all[at].URL == string(a.URL) && all[at].Method == method {
			all[at].Weight = old.Plus(all[at].Weight, a.Weight)
			return
		}
		if in.Only != nil {
			if u, err := web.ParseURL(string(a.URL)); err == nil && !made.Means(u.Host()) {
				return
			}
		}
		if !is {
			known[key] = int32(len(all)) // so many do not fit into memory
		}
		all = append(all, old.Address{URL: string(a.URL), Weight: a.Weight, Method: method})
	})}
	for _, path := range paths {
		if path == "-" {
			err = reader.AddFrom("standard input", "standard input", p.in)
		} else {
			err = reader.Add(path)
		}
		if err != nil {
			return nil, "", hinted(err)
		}
	}
	if len(reader.Maps) > 0 {
		return nil, "",
			usage("%s is a sitemap index; upperpath gather fetches the sitemaps that it names",
				fromHere(paths[0]))
	}
	return all, fromHere(strings.Join(paths, ", ")), nil
}

// hinted says where old URLs come from, where the file that is looked for by itself is not there.
func hinted(err error) error {
	if faults,
		is := err.(problem.List); is && len(faults) == 1 &&
		strings.HasSuffix(faults[0].File, oldURLsName) {
		faults[0].Fault = fact.GatherFirst{}
	}
	return err
}
