package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
)

// writeSheet writes what has to be typed, a sheet for each place.
func (p *program) writeSheet() *cobra.Command {
	var from estateOptions
	var out, format string
	var force bool
	c := &cobra.Command{
		Use:   "sheet",
		Short: "Write what to type on providers' pages, a sheet for each place",
		Long: `write sheet makes a page to type from (Markdown) and tables for a spreadsheet (CSV) for
each place: where records are kept, each carrier, each registrar. They list the changes in order,
and what must come first. A record has its label and its full name, the value with and without its
final dot, texts in strings, and the TTL. Forwarding entries, hosts, patterns and delegations are
listed too. Each entry has a command that checks it.`,
		Example: `  upperpath write sheet
  upperpath write sheet --only wave:2 --out wave-2
  upperpath write sheet --format html
  upperpath write sheet --estate faulty/upperpath.yaml --out faulty/sheets`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !contains([]string{"md", "html", "xlsx", "csv"}, format) {
				return usage("--format %s: expected one of md, html, xlsx, csv", format)
			}
			_, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			if err := tied(made); err != nil {
				return err
			}
			sheets := report.Sheets(made)
			var all []report.Page
			for _, s := range sheets {
				pages, err := s.Pages(format)
				if err != nil {
					return failed(err)
				}
				all = append(all, pages...)
			}
			pages := make([]files.Made, len(all))
			for i, page := range all {
				pages[i] = files.Made{Path: filepath.Join(out, page.Name), Data: page.Data, Opens: "<!-- ",
					Closes: " -->"}
				if page.Table {
					pages[i].Form = files.Table
				}
			}
			if err := files.WriteMade(force, pages...); err != nil {
				return err
			}
			if err := p.tell(report.SheetsWritten(out, made, sheets, all)); err != nil {
				return err
			}
			return (&output{failOn: "error"}).exit(made.Findings)
		},
	}
	from.flags(c)
	from.zoneFlags(c)
	c.Flags().StringVarP(&out, "out", "o", "sheets", "the `FOLDER` to write into")
	c.Flags().StringVar(&format, "format", "md",
		"a `FORMAT` for the pages: md or html (with csv beside it), xlsx, csv")
	c.Flags().BoolVar(&force, "force", false,
		"replace a file that this program did not write or that was edited")
	return c
}

// tied refuses to write what rests on rules of which nobody can say which one takes a URL.
func tied(made *plan.Plan) error {
	for _, f := range made.Findings {
		if f.Code == finding.Tie {
			return ended{exitFindings,
				fmt.Errorf("%s are tied, so nothing is written: part them as upperpath plan says", f.Subject)}
		}
	}
	return nil
}

// writeZone writes every zone as it is after the changes.
func (p *program) writeZone() *cobra.Command {
	var from estateOptions
	var out string
	var force, asItIs bool
	c := &cobra.Command{
		Use:   "zone",
		Short: "Write each zone as it is after the changes, as a zone file",
		Long: `write zone makes a zone file (RFC 1035 section 5) for each domain: everything that
existed, changed as planned. The serial of the SOA is one higher; if the zone moves, its
next name servers are named. A domain that the parent zone does not know yet gets a zone
from nothing. Name servers load the file, and most providers import it.`,
		Example: `  upperpath write zone
  upperpath write zone --only ferryhouse.example --out new-zones
  upperpath write zone --as-it-is --out copies`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			from.withoutRules = asItIs
			_, made, err := from.readSeen(c.Context())
			if err != nil {
				return err
			}
			if err := tied(made); err != nil && !asItIs {
				return err
			}
			var failures []error
			partial := 0
			var ahead []string // zones of which something is typed before they are copied
			for i := range made.Zones {
				z := &made.Zones[i]
				sets, what, err := setsOf(made, z, asItIs)
				if err != nil {
					failures = append(failures, err)
					continue
				}
				marks := files.Marks{Partial: z.Partial, Remaining: z.Remaining, Missed: z.Missed}
				if !asItIs {
					throughEdge(made, z, &marks)
				}
				text, err := files.ZoneText(z.Name, sets, what, marks)
				if err != nil {
					return failed(err)
				}
				if first := made.BeforeCopy(z); asItIs && first > 0 {
					ahead = append(ahead, fmt.Sprintf("%s (%s)", z.Name, wording.Count(first, "row")))
				}
				path := filepath.Join(out, z.Name+".zone")
				if err := files.WriteMade(force, files.Made{Path: path, Data: text, Opens: "; "}); err != nil {
					return err
				}
				fmt.Fprintf(p.out, "%s\n", path)
				var lost []finding.Finding
				if !asItIs {
					lost = made.Lost(z)
				}
				for _, f := range lost {
					fmt.Fprintf(p.out, "  note: %s %s\n", f.Says, f.Fix)
				}
				if z.Partial {
					partial++
				}
			}
			if partial > 0 {
				fmt.Fprintf(
					p.out,
					"\n%d of them %s marked PARTIAL: names were asked for one by one. Compare with an export "+
						"from the provider before they replace anything, or plan from that export: --zone FILE.\n",
					partial, wording.Verb(partial, "is", "are"),
				)
			}
			if len(ahead) > 0 {
				fmt.Fprintf(p.out, "\nThese copies hold rows that nobody has seen typed: %s. Type them first, "+
					"survey again, then write the copies again with --force.\n", wording.Few(ahead, 6))
			}
			var ofPlan []finding.Finding
			if !asItIs { // else nothing of the plan is in them
				ofPlan = made.Findings
			}
			p.notReady(ofPlan)
			if err := errors.Join(failures...); err != nil {
				return failed(err)
			}
			return (&output{failOn: "error"}).exit(ofPlan)
		},
	}
	from.flags(c)
	from.zoneFlags(c)
	c.Flags().StringVarP(&out, "out", "o", "zones", "the `FOLDER` to write into")
	c.Flags().BoolVar(&asItIs, "as-it-is", false,
		"write the present records, to be copied to the next name servers")
	c.Flags().BoolVar(&force, "force", false,
		"replace a file that this program did not write or that was edited")
	return c
}

// setsOf gives the records of a zone as they are written, and which state of it that is.
func setsOf(made *plan.Plan, z *zone.Zone, asItIs bool) (sets []record.Set, what string,
	err error) {
	if asItIs {
		sets, err = made.AsItIs(z)
		what = "as it is, to be copied to other name servers"
	} else {
		sets, err = made.File(z)
		what = "as it is after the changes of the plan"
	}
	if errors.Is(err, plan.ErrUnseen) {
		err = fmt.Errorf("%w; survey it, or give its file with --zone", err)
	}
	return sets, what, err
}

// throughEdge marks what has to go through the edge network that holds a zone.
func throughEdge(made *plan.Plan, z *zone.Zone, marks *files.Marks) {
	marks.Notes = map[record.Key]string{}
	for _, t := range made.ThroughEdge(z) {
		note := "through " + t.Carrier
		if t.Placeholder {
			note += "; a placeholder, nothing is behind it"
		}
		if t.Unwritten {
			marks.Beside = append(marks.Beside, fmt.Sprintf("type on its page: %s %s %s, %s",
				record.Label(t.Name, z.Name), t.Type, strings.Join(t.Values, ", "), note))
			continue
		}
		marks.Notes[record.Key{Name: t.Name, Type: t.Type}] = note
	}
}
