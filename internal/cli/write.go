package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/servers"
)

func (p *program) write() *cobra.Command {
	c := &cobra.Command{
		Use:   "write",
		Short: "Write the plan for those who carry it out",
		Example: `  upperpath write nginx
  upperpath write apache
  upperpath write haproxy
  upperpath write caddy
  upperpath write sheet
  upperpath write zone
  upperpath write table
  upperpath write entries --carrier edge`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	c.AddCommand(p.writeSheet(), p.writeZone(), p.writeTable(), p.writeEntries())
	for _, w := range servers.Writers() {
		c.AddCommand(p.writeServer(w))
	}
	return c
}

// writeServer makes the command of one row of the table of servers.
func (p *program) writeServer(w servers.Writer) *cobra.Command {
	var from estateOptions
	var o servers.Options
	var out, carrier string
	var listen []string
	var force bool
	forms := make([]bool, len(w.Forms))
	c := &cobra.Command{
		Use:   w.Name,
		Short: "Write the redirects for " + w.Title,
		Long: "write " + w.Name + " writes the plan's redirects for " + w.Title + `, in one hop.
` + w.About + `
A host that is not in it is refused and never given another site's page. What it cannot carry
exactly is reported, and the exit code is then 1.`,
		Example: p.writeExamples(w),
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			listens, err := servers.ParseListen(listen)
			if err != nil {
				return ended{exitUsage, err}
			}
			o.HTTP, o.HTTPS = listens.HTTP, listens.HTTPS
			if err := w.Refuses(o); err != nil {
				return ended{exitUsage, err}
			}
			for i, chosen := range forms {
				if !chosen {
					continue
				}
				o.Form = w.Forms[i].Name
				for _, option := range w.Forms[i].Without {
					if c.Flags().Changed(option) {
						return usage("--%s contains nothing of --%s; omit one of them", o.Form, option)
					}
				}
			}
			e, in, err := from.input()
			if err != nil {
				return err
			}
			name, err := serverCarrier(e, carrier, w.Name)
			if err != nil {
				return err
			}
			if err := fromCarrier(&o, w, e.Estate.Carrier(name), c.Flags().Changed("place")); err != nil {
				return err
			}
			if runs := e.Estate.Carrier(name).Software; runs != w.Name {
				fmt.Fprintf(p.err,
					"upperpath: the estate file says that %s runs %s, and so do the steps of the plan (change "+
						"it with software: %s on the carrier).\n", name, runs, w.Name)
			}
			predicted := in.Web()
			doors := predicted.Held(name)
			if len(doors) == 0 {
				return usage("%s carries none of these doors: there is nothing to write", name)
			}
			written, err := w.Write(doors, o)
			if err != nil {
				return ended{exitFindings, err}
			}
			checked, err := w.Check(c.Context(), doors, o)
			if err != nil {
				checked.Why = err.Error()
			}
			if checked.Refused != "" {
				return ended{exitFindings,
					fmt.Errorf("%s (%s on this machine) refuses the configuration, so nothing is written: %s. "+
						"Drop or change that rule", w.Checker.Called, checked.By,
						checked.Refused)}
			}
			made := make([]files.Made, len(written.Files))
			for i, f := range written.Files {
				made[i] = files.Made{Path: filepath.Join(out, f.Name), Data: f.Text, Opens: w.Comment,
					Before: true}
			}
			if err := files.WriteMade(force, made...); err != nil {
				return err
			}
			// a file needs nothing of that; whether its plan holds does
			if err := from.lastSeen(c.Context(), e, &in); err != nil {
				from.complain(fmt.Errorf("the saved survey cannot be read, so the records are not played: %w",
					err))
			}
			broken := plan.Bare(in).Broken
			p.saidServer(out, name, w, written, predicted, checked)
			p.notReady(broken)
			return (&output{failOn: "error"}).exit(slices.Concat(written.Findings, broken))
		},
	}
	from.flags(c)
	f := c.Flags()
	f.StringVarP(&out, "out", "o", w.Name, "the `FOLDER` to write into")
	f.StringVar(&carrier, "carrier", "",
		"the `CARRIER` that is meant (default: the only one possible)")
	f.StringArrayVar(
		&listen,
		"listen",
		nil,
		"where doors listen, `http=ADDR:PORT` or https=ADDR:PORT (repeatable; default: ports 80 and 443)",
	)
	f.StringVar(&o.Certificates, "certificates", w.Options.Certificates,
		"the `FOLDER` with the certificate and the key of each domain")
	f.StringVar(&o.Challenges, "challenges", w.Options.Challenges,
		"what answers exempt paths: a `FOLDER`, of HAProxy ADDRESS:PORT")
	f.StringVar(&o.Place, "place", w.Options.Place,
		"the `FOLDER` on the server that will have the files")
	f.StringVar(&o.Log, "log", "",
		"a `FILE` on the server, of HAProxy a syslog address, for these hosts' requests")
	f.BoolVar(&o.Beside, "beside", false,
		"another file has the server listen, and answers unknown hosts")
	for i, form := range w.Forms {
		f.BoolVar(&forms[i], form.Name, false, form.Usage)
	}
	f.BoolVar(&force, "force", false,
		"replace a file that this program did not write or that was edited")
	return c
}

// fromCarrier takes what the estate file says of a server where no option does.
func fromCarrier(o *servers.Options, w servers.Writer, c *estate.Carrier, placed bool) error {
	if c.Place != "" && !placed {
		o.Place = c.Place
	}
	if w.ByAddress && o.Challenges == "" {
		o.Challenges = c.Challenges
	}
	if err := w.Refuses(*o); err != nil {
		return ended{exitUsage, err}
	}
	return nil
}

func (p *program) writeExamples(w servers.Writer) string {
	challenges := "/var/www/challenges"
	if w.ByAddress {
		challenges = "127.0.0.1:8008"
	}
	all := fmt.Sprintf(`  upperpath write %[1]s
  upperpath write %[1]s --out %[1]s-here --listen http=203.0.113.20:80 \
      --listen https=203.0.113.20:443
  upperpath write %[1]s --out %[1]s-there --certificates /etc/ssl/museums \
      --challenges %[2]s`, w.Name, challenges)
	for _, form := range w.Forms {
		all += fmt.Sprintf("\n  upperpath write %s --%s --out %[1]s-%[2]s", w.Name, form.Name)
	}
	return all
}

// saidServer says what was written and how to put it in place.
func (p *program) saidServer(out, carrier string, w servers.Writer, written servers.Output,
	predicted *predict.Prediction, checked servers.Checked) {
	said := report.ServerSaid{File: filepath.Join(out, written.Files[0].Name),
		Beside: len(written.Files) - 1, Doors: written.Doors, Carrier: carrier,
		Findings: written.Findings, Check: w.Checker.Called, By: checked.By, Why: checked.Why,
		Warned: checked.Warned, Steps: written.Steps, Undo: written.Undo}
	for _, d := range predicted.Domains() {
		for _, h := range d.Hosts() {
			if c := predicted.Estate.Holder(d.Carry[h]); c != nil && c.Name == carrier &&
				len(c.Addresses) > 0 {
				said.Points = append(said.Points, fmt.Sprintf("%s=%s", h.Typed(), c.Addresses[0]))
			}
		}
		if len(said.Points) > 0 {
			said.Domain = d.Name.String()
			break
		}
	}
	_ = p.tell(report.ServerWritten(said))
}

// notReady says that what was written belongs to a plan that does not hold.
func (p *program) notReady(all []finding.Finding) {
	n := finding.Count(all, finding.Error)
	if n == 0 {
		return
	}
	fmt.Fprintf(
		p.out,
		"\nNOT READY: the plan has %s, which upperpath plan shows; load none of it before they are "+
			"fixed.\n",
		wording.Count(n, "error"),
	)
}

// serverCarrier finds the carrier that is meant.
func serverCarrier(e *files.Estate, name, server string) (string, error) {
	var configured, running []string
	for _, c := range e.Carriers {
		if c.By.Row().Configured {
			configured = append(configured, c.Name)
			if c.Software == server {
				running = append(running, c.Name)
			}
		}
	}
	switch {
	case name != "" && !contains(configured, name):
		return "", usage(
			"--carrier %s: no carrier of this name is by: server; the estate has: %s",
			name,
			strings.Join(configured, ", "),
		)
	case name != "":
		return name, nil
	case len(configured) == 0:
		return "", usage("the estate has no carrier that is by: server; nothing to write for %s", server)
	case len(running) == 1:
		return running[0], nil
	case len(configured) > 1:
		return "", usage(
			"the estate has several carriers that are by: server; name one with --carrier: %s",
			strings.Join(configured, ", "),
		)
	}
	return configured[0], nil
}
