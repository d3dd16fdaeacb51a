package cli

import (
	"errors"
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/files"
)

func (p *program) newEstate() *cobra.Command {
	var canonical, list, out, contact string
	var domains, servers []string
	var force bool
	c := &cobra.Command{
		Use:   "new",
		Short: "Write an estate file to start from",
		Long: `new writes upperpath.yaml with the canonical site and the domains that should lead there,
and an empty rules.csv. The domains come from --domain or from a list: plain names, one a line, or
a CSV file as registrars export it. Its columns are name (or domain), and if available renews (or
expiry date), registrar, provider, carrier, wave and note. Dates are read in the usual forms; if
one could be two days, the file asks. The domain of the canonical site is added automatically.`,
		Example: `  upperpath new --canonical https://www.northmoor.example --domain slatequarry.example
  upperpath new --canonical https://www.northmoor.example --list domains.csv --server 203.0.113.20`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			door, all, err := newInput(canonical, list, domains)
			if err != nil {
				return err
			}
			for _, s := range servers {
				if _, err := netip.ParseAddr(s); err != nil {
					return usage("--server %s: expected an IP address such as 203.0.113.20", s)
				}
			}
			if strings.ContainsFunc(contact, problem.Hostile) {
				return usage("--contact %q: expected text of one line", contact)
			}
			text := files.NewEstate(door, contact, servers, all)
			if _, err := os.Stat(out); err == nil && !force {
				return problem.List{
					{File: out, Fault: fact.EstateThere{}},
				}
			}
			if err := files.WriteNew(out, []byte(text), force); err != nil {
				return failed(err)
			}
			rules := filepath.Join(filepath.Dir(out), "rules.csv")
			if _, err := os.Stat(rules); errors.Is(err, os.ErrNotExist) {
				if err := files.WriteNew(rules, []byte(files.NewRules), false); err != nil {
					return failed(err)
				}
			}
			fmt.Fprintf(p.out, "%s has %d domains. ", out, len(all))
			if len(servers) == 0 {
				fmt.Fprintf(p.out,
					"Fill in the addresses of the server that will redirect (carriers:), then run\n\n")
			} else {
				fmt.Fprintf(p.out, "Check that it is correct, then run\n\n")
			}
			for _, d := range all {
				if d.Asks != "" {
					fmt.Fprintf(p.out, "  %s: which day does it renew? The list says %s\n", d.Name.Unicode(),
						d.Asks)
				}
			}
			if e, err := files.ReadUndecided(out); err == nil {
				for _, q := range e.Questions {
					p.complain(q)
				}
			}
			option := ""
			if out != files.EstateName {
				option = " --estate " + quoteArgument(out)
			}
			fmt.Fprintf(p.out, "  upperpath plan%s\n", option)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&canonical, "canonical", "",
		"the `URL` of the canonical site, such as https://www.northmoor.example")
	f.StringArrayVar(&domains, "domain", nil, "a `DOMAIN` that should lead there (repeatable)")
	f.StringVar(&list, "list", "", "a CSV `FILE` with the domains, such as a registrar exports")
	f.StringArrayVar(&servers, "server", nil,
		"an `ADDRESS` of the server of your own that will redirect (repeatable)")
	f.StringVar(&contact, "contact", "",
		"the `MAIL` address to contact about our requests; part of the User-Agent")
	f.StringVar(&out, "out", files.EstateName, "the `FILE` to write")
	f.BoolVar(&force, "force", false, "replace an existing estate file")
	return c
}

// newInput checks what new is given. The canonical site's own domain comes first.
func newInput(canonical, list string, names []string) (web.Door, []files.ListedDomain, error) {
	if canonical == "" {
		return web.Door{}, nil, usage(
			"new needs --canonical; expected the site where everything must arrive, such as " +
				"https://www.northmoor.example",
		)
	}
	u, err := web.ParseURL(canonical)
	if err != nil || u.Scheme() != web.HTTPS || u.RequestURI() != "/" {
		return web.Door{}, nil, usage(
			"--canonical %s: expected only scheme and host, with https, such as "+
				"https://www.northmoor.example",
			canonical,
		)
	}
	var all []files.ListedDomain
	if list != "" {
		if all, err = files.ReadDomains(list); err != nil {
			return web.Door{}, nil, err
		}
	}
	for _, n := range names {
		h, err := web.ParseHost(n)
		if err != nil {
			return web.Door{}, nil, usage("--domain %s: %w", n, err)
		}
		all = append(all, files.ListedDomain{Name: h})
	}
	if len(all) == 0 {
		return web.Door{}, nil,
			usage("new needs domains; expected --domain lacemill-museum.example or --list domains.csv")
	}
	var wrong []string
	var kept []files.ListedDomain
	seen := map[web.Host]bool{}
	for _, d := range all {
		if !d.Name.IsApex() {
			remedy := "it is a public suffix, under which others register"
			if apex, ok := d.Name.Apex(); ok {
				remedy = "write " + apex.String()
			}
			wrong = append(wrong, fmt.Sprintf("%s is not a domain of its own; %s", d.Name, remedy))
		}
		if !seen[d.Name] {
			kept = append(kept, d)
		}
		seen[d.Name] = true
	}
	if len(wrong) > 0 {
		return web.Door{}, nil, usage("%s", strings.Join(wrong, "\n"))
	}
	if apex, ok := u.Host().Apex(); ok && !seen[apex] {
		kept = slices.Insert(kept, 0, files.ListedDomain{Name: apex})
	}
	return u.Door(), kept, nil
}
