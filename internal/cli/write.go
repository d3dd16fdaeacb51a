package cli

import (
	"fmt"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/servers"
)

func (p *program) write() *cobra.Command {
	c := &cobra.Command{
		Use:   "write",
		Short: "Write the plan down for those who carry it",
		Example: `  upperpath write nginx
  upperpath write sheet
  upperpath write zone`,
	}
	c.AddCommand(p.writeSheet(), p.writeZone(), p.writeNginx())
	return c
}

func (p *program) writeNginx() *cobra.Command {
	var from estateOptions
	var out, carrier, certificates, challenges string
	var listen []string
	var force bool
	c := &cobra.Command{
		Use:   "nginx",
		Short: "Write the redirects of a server of your own for nginx",
		Long: `write nginx makes an include file for nginx that carries the plan's redirects in one hop: a server for each door,
exact rules in a map, patterns in their order, path and query kept as the rules say. A host that is not in it is refused
and never given another site's page. What nginx cannot carry exactly is said, and the exit code is then 1.`,
		Example: `  upperpath write nginx
  upperpath write nginx --out nginx --listen http=203.0.113.20:80 --listen https=203.0.113.20:443
  upperpath write nginx --certificates /etc/ssl/museums --challenges /var/www/challenges`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			options, err := servers.ParseListen(listen)
			if err != nil {
				return ended{exitUsage, err}
			}
			options.Certificates, options.Challenges = certificates, challenges
			e, made, err := from.read()
			if err != nil {
				return err
			}
			name, err := serverCarrier(e, carrier)
			if err != nil {
				return err
			}
			written, err := servers.Nginx(made, name, options)
			if err != nil {
				return ended{exitFindings, err}
			}
			path := filepath.Join(out, "nginx.conf")
			if err := files.WriteOwn(path, written.Text, "# ", "", force); err != nil {
				return err
			}
			p.saidNginx(path, name, written, made)
			return (&output{failOn: "error"}).verdict(written.Findings)
		},
	}
	from.flags(c)
	f := c.Flags()
	f.StringVar(&out, "out", "nginx", "the `FOLDER` to write into")
	f.StringVar(&carrier, "carrier", "", "the `CARRIER` whose doors are meant (default: the only one that is a server)")
	f.StringArrayVar(&listen, "listen", nil, "where doors listen, `http=ADDR:PORT` or https=ADDR:PORT (repeatable; default: ports 80 and 443)")
	f.StringVar(&certificates, "certificates", servers.NginxCertificates, "the `FOLDER` with DOMAIN.crt and DOMAIN.key")
	f.StringVar(&challenges, "challenges", servers.NginxChallenges, "the `FOLDER` from which exempt paths are answered")
	f.BoolVar(&force, "force", false, "replace a file that this program did not make or that was edited")
	return c
}

func (p *program) saidNginx(path, carrier string, written servers.Output, made *plan.Plan) {
	style := p.style()
	report.TextFindings(p.out, written.Findings, style)
	fmt.Fprintf(p.out, "%s carries the %d doors of %s.\n\nTo put it in place:\n", path, written.Doors, carrier)
	fmt.Fprintf(p.out, "  1 put the certificates where its first lines say: a file DOMAIN.crt and DOMAIN.key for each domain\n")
	fmt.Fprintf(p.out, "  2 copy it to the server, and include it in the http context of nginx\n  3 nginx -t, then nginx -s reload\n")
	for _, d := range made.Domains() {
		points := ""
		for _, h := range d.Hosts() {
			if c := made.Estate.Holder(d.Carry[h]); c != nil && c.Name == carrier && len(c.Addresses) > 0 {
				points += fmt.Sprintf(" --point %s=%s", h, c.Addresses[0])
			}
		}
		if points != "" {
			fmt.Fprintf(p.out, "  4 try it before any name points there, domain by domain:\n      upperpath audit --only %s%s\n", d.Name, points)
			return
		}
	}
}

// serverCarrier finds the carrier that is meant.
func serverCarrier(e *files.Estate, name string) (string, error) {
	var servers []string
	for _, c := range e.Carriers {
		if c.By == estate.Server {
			servers = append(servers, c.Name)
		}
	}
	switch {
	case name != "" && !contains(servers, name):
		return "", usage("--carrier %s: no carrier of this name is by: server; the estate has: %s", name, strings.Join(servers, ", "))
	case name != "":
		return name, nil
	case len(servers) == 0:
		return "", usage("the estate has no carrier that is by: server; nothing to write for nginx")
	case len(servers) > 1:
		return "", usage("the estate has several carriers that are by: server; name one with --carrier: %s", strings.Join(servers, ", "))
	}
	return servers[0], nil
}
