package files

import (
	"fmt"
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
	line("canonical: %s", canonical)
	if contact != "" {
		line("contact: %s   # goes into our User-Agent", scalar(contact))
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
	been := map[string]bool{"gateway": true, "": true}
	for _, d := range domains {
		if !been[d.Carrier] {
			been[d.Carrier] = true
			line("  %s: {by: server, addresses: []}   # fill in what it is, and where it answers",
				scalar(d.Carrier))
		}
	}
	line("\ndefaults: {carrier: gateway, mail: keep, wave: 1}")
	line("\ndomains:")
	for _, d := range domains {
		line("  - name: %s", d.Name.Unicode())
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
	line("\nrules: rules.csv   # old page to new page")
	line("\npolicy:")
	line("  hops: 1")
	line("  status: 301")
	line("  exempt: [/.well-known/acme-challenge/]   # never redirected over http, so that " +
		"certificates can be renewed")
	return b.String()
}

// scalar writes a text as YAML on one line.
func scalar(s string) string {
	text, err := yaml.MarshalWithOptions(s, yaml.JSON())
	if err != nil {
		return fmt.Sprintf("%q", s)
	}
	return strings.TrimSpace(string(text))
}
