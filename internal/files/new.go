package files

import (
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"

	"upperpath.example/upperpath/internal/core/web"
)

// NewRules is an empty redirect map.
const NewRules = "old,new,status,query,note\n" +
	"# lacemill-museum.example/opening.html,/visit/opening-hours/\n" +
	"# lacemill-museum.example/archive/{+rest},/collections/{+rest}\n"

// NewEstate gives the text of an estate file to start from.
func NewEstate(canonical web.Door, contact string, servers []string,
	domains []ListedDomain) string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("# The estate: every door of every domain below must arrive on the canonical site.")
	if canonical.IsZero() {
		line("# canonical: https://www.x.example   # choose: where everything must arrive")
	} else {
		line("canonical: %s", canonical)
	}
	if contact != "" {
		line("contact: %s   # goes into our User-Agent", scalar(contact))
	}
	if canonical.IsZero() {
		if slices.ContainsFunc(domains, func(d ListedDomain) bool { return d.Carrier != "" }) {
			line("\ncarriers:")
			writeCarriers(line, domains, map[string]bool{"": true})
		}
		writeNames(line, domains)
		return b.String()
	}
	line("\nsite:")
	line("  hosts: [%s]   # what the site itself serves", canonical.Host)
	line("  # also: []          # other names at which the same site is reachable: they must " +
		"redirect too")
	line("  # addresses: []     # where it lives; or alias: NAME")
	line(
		"\n# Who answers the old doors with a redirect. by: server (your own), form (a registrar's " +
			"forwarding)," +
			" platform,\n# " +
			"edge, service (a hosted redirect service) or account (a hosting account).",
	)
	line("carriers:")
	fill := ""
	if len(servers) == 0 {
		fill = "   # fill in, such as [203.0.113.20]"
	}
	quoted := make([]string, len(servers))
	for i, s := range servers {
		quoted[i] = scalar(s)
	}
	line("  gateway: {by: server, addresses: [%s], certificate: before}%s", strings.Join(quoted, ", "),
		fill)
	writeCarriers(line, domains, map[string]bool{"gateway": true, "": true})
	line("\ndefaults: {carrier: gateway, mail: keep, wave: 1}")
	writeNames(line, domains)
	line("\nrules: rules.csv   # old page to new page")
	line("\npolicy:")
	line("  hops: 1")
	line("  status: 301")
	line("  exempt: [/.well-known/acme-challenge/]   # never redirected over http, so that " +
		"certificates can be renewed")
	return b.String()
}

// writeCarriers writes those that domains name and that are not there yet.
func writeCarriers(line func(string, ...any), domains []ListedDomain, been map[string]bool) {
	for _, d := range domains {
		if !been[d.Carrier] {
			been[d.Carrier] = true
			line("  %s: {by: server, addresses: []}   # fill in what it is, and where it answers",
				scalar(d.Carrier))
		}
	}
}

// writeNames writes the domains.
func writeNames(line func(string, ...any), domains []ListedDomain) {
	line("\ndomains:")
	for _, d := range domains {
		line("  - name: %s", d.Name.Unicode())
		if len(d.Hosts) > 0 {
			quoted := make([]string, len(d.Hosts))
			for i, h := range d.Hosts {
				quoted[i] = h
				if h == "*" {
					quoted[i] = scalar(h)
				}
			}
			line("    hosts: [%s]   # beside the domain itself and www", strings.Join(quoted, ", "))
		}
		if d.Renews != "" {
			line("    renews: %s", d.Renews)
		}
		if d.Asks != "" {
			line("    # renews:   which day is it? The list says %s",
				strings.NewReplacer("\n", " ", "\r", " ").Replace(d.Asks))
		}
		if d.Registrar != "" {
			line("    registrar: %s", scalar(d.Registrar))
		}
		if d.RecordsAt != "" {
			line("    records-at: %s", scalar(d.RecordsAt))
		}
		if d.Carrier != "" {
			line("    carrier: %s", scalar(d.Carrier))
		}
		if d.Wave > 1 {
			line("    wave: %d", d.Wave)
		}
		if d.Note != "" {
			line("    note: %s", scalar(d.Note))
		}
	}
}

// scalar writes a text as YAML on one line.
func scalar(s string) string {
	text, err := yaml.MarshalWithOptions(s, yaml.JSON())
	if err != nil {
		return fmt.Sprintf("%q", s)
	}
	return strings.TrimSpace(string(text))
}
