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
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/words"
)

func (p *program) newEstate() *cobra.Command {
	var canonical, list, out, contact string
	var domains, servers []string
	var force bool
	c := &cobra.Command{
		Use:   "new",
		Short: "Write an estate file to start from",
		Long: `new writes upperpath.yaml with the canonical site and the domains that should lead
there, and an empty rules.csv. The domains come from --domain or from a list: plain names,
or a table as registrars export it (CSV or XLSX), whose columns are found by their usual
names. URLs and hosts are filed under their domain; if a date could be two days, the file
asks. What was used and left out is reported. Without --canonical the file has names only,
which is enough for survey and inventory.`,
		Example: `  upperpath new --list domains.csv --out names.yaml
  upperpath new --canonical https://www.northmoor.example --list domains.csv \
      --server 203.0.113.20 --out client/upperpath.yaml
  upperpath new --canonical https://www.northmoor.example \
      --domain slatequarry.example --out quarry/upperpath.yaml`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			door, all, read, err := newInput(canonical, list, domains)
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
			if out == "-" {
				fmt.Fprint(p.err, listRead(read))
				_, err := p.out.Write([]byte(text))
				return err
			}
			if _, err := os.Stat(out); err == nil && !force {
				return problem.List{
					{File: out, Fault: fact.EstateThere{}},
				}
			}
			if err := files.WriteNew(out, []byte(text), force); err != nil {
				return failed(err)
			}
			rules := filepath.Join(filepath.Dir(out), "rules.csv")
			if _, err := os.Stat(rules); errors.Is(err, os.ErrNotExist) && !door.IsZero() {
				if err := files.WriteNew(rules, []byte(files.NewRules), false); err != nil {
					return failed(err)
				}
			}
			if list != "" {
				fmt.Fprint(p.out, listRead(read))
			}
			fmt.Fprintf(p.out, "%s has %s. ", out, wording.Count(len(all), "domain"))
			next := "plan"
			switch {
			case door.IsZero():
				next = "survey"
				fmt.Fprintf(p.out, "Look at them first:\n\n")
			case len(servers) == 0:
				fmt.Fprintf(p.out,
					"Fill in the addresses of the server that will redirect (carriers:), then run\n\n")
			default:
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
			fmt.Fprintf(p.out, "  upperpath %s%s\n", next, option)
			return nil
		},
	}
	f := c.Flags()
	f.StringVar(&canonical, "canonical", "",
		"the `URL` of the canonical site, such as https://www.northmoor.example")
	f.StringArrayVar(&domains, "domain", nil, "a `DOMAIN` that should lead there (repeatable)")
	f.StringVar(&list, "list", "",
		"a CSV or XLSX `FILE` with the domains, such as a registrar exports")
	f.StringArrayVar(&servers, "server", nil,
		"an `ADDRESS` of the server of your own that will redirect (repeatable)")
	f.StringVar(&contact, "contact", "",
		"the `MAIL` address to contact about our requests; part of the User-Agent")
	f.StringVarP(&out, "out", "o", files.EstateName, "the `FILE` to write; - is standard output")
	f.BoolVar(&force, "force", false, "replace an existing estate file")
	return c
}

// newInput checks what new is given. The canonical site's own domain comes first; without one the
// door is the zero value.
func newInput(canonical, list string, names []string) (door web.Door, all []files.ListedDomain,
	read files.DomainList, err error) {
	if canonical != "" {
		u, err := web.ParseURL(canonical)
		if err != nil || u.Scheme() != web.HTTPS || u.RequestURI() != "/" {
			return door, nil, read, usage(
				"--canonical %s: expected only scheme and host, with https, such as "+
					"https://www.northmoor.example",
				canonical,
			)
		}
		door = u.Door()
	}
	if list != "" {
		if read, err = files.ReadDomains(list); err != nil {
			return door, nil, read, err
		}
	}
	all = read.Domains
	var wrong []string
	for _, n := range names {
		h, err := web.ParseHost(n)
		if err != nil {
			return door, nil, read, usage("--domain %s: %w", n, err)
		}
		switch apex, own := h.Apex(); {
		case h.IsApex():
		case own:
			wrong = append(wrong, fmt.Sprintf("%s is not a domain of its own; write %s", h, apex))
		default:
			wrong = append(wrong, fmt.Sprintf("%s is not a domain of its own; it is a public suffix, under "+
				"which others register", h))
		}
		if !slices.ContainsFunc(all, func(d files.ListedDomain) bool { return d.Name == h }) {
			all = append(all, files.ListedDomain{Name: h})
		}
	}
	if len(wrong) > 0 {
		return door, nil, read, usage("%s", strings.Join(wrong, "\n"))
	}
	if len(all) == 0 {
		return door, nil, read,
			usage("new needs domains; expected --domain lacemill-museum.example or --list domains.csv")
	}
	if apex, ok := door.Host.Apex(); !door.IsZero() && ok {
		at := slices.IndexFunc(all, func(d files.ListedDomain) bool { return d.Name == apex })
		if at < 0 {
			all = slices.Insert(all, 0, files.ListedDomain{Name: apex})
		} else { // the site itself is no further host
			label := strings.TrimSuffix(door.Host.String(), "."+apex.String())
			all[at].Hosts = slices.DeleteFunc(all[at].Hosts, func(h string) bool { return h == label })
		}
	}
	return door, all, read, nil
}

// listRead says what was made of a list of domains.
func listRead(l files.DomainList) string {
	var used [][2]string
	for _, u := range l.Used {
		used = append(used, [2]string{u.Column, u.For})
	}
	var left []string
	for _, one := range l.Left {
		left = append(left, fmt.Sprintf("%d (%s)", one.Line, wording.Cut(one.Text, 40)))
	}
	return words.ListRead(used, l.Unused, left, l.Merged)
}
