package estate

import (
	"slices"
)

// Key is a key of the estate file, for its documentation and for editors. A test holds this table
// against the keys that the reader takes.
type Key struct {
	// where it stands: "" for the top, site, carriers, domains, needed, wanted, policy, hsts,
	// registry, vantages, places, accept, keep
	Section string
	Name    string
	// text, yes or no, number, date, time, host, URL, path, addresses, list of ..., or a section
	Type    string
	Words   []string // the words that it takes, where only these are taken
	Default string   // what holds without it; "" where nothing does, or where that depends
	Example string   // as it is written in YAML
}

// Keys returns the table of all keys, in the order in which people write them.
func Keys() []Key {
	return slices.Concat(estateKeys, siteKeys, carrierKeys, domainKeys, neededKeys, wantedKeys,
		policyKeys, hstsKeys, rememberKeys, registryKeys, vantageKeys, placeKeys, acceptKeys, keepKeys)
}

var estateKeys = []Key{
	{
		"",
		"canonical",
		"URL",
		nil,
		"",
		"https://www.northmoor.example",
	},
	{
		"",
		"contact",
		"text",
		nil,
		"",
		"webmaster@northmoor.example",
	},
	{"", "site", "site", nil, "", "{hosts: [www.northmoor.example]}"},
	{"", "further-sites", "list of further sites", nil, "",
		`[{canonical: "https://tickets.northmoor.example", addresses: [203.0.113.11]}]`},
	{"", "elsewhere", "list of hosts", nil, "", `["https://www.sister.example"]`},
	{
		"",
		"carriers",
		"carriers",
		nil,
		"",
		"{gateway: {by: server, addresses: [203.0.113.20]}}",
	},
	{
		"",
		"defaults",
		"domains",
		nil,
		"",
		"{carrier: gateway, mail: keep}",
	},
	{
		"",
		"domains",
		"list of domains",
		nil,
		"",
		"[lacemill-museum.example]",
	},
	{"", "rules", "path", nil, "", "rules.csv"},
	{"", "policy", "policy", nil, "", "{hops: 1}"},
	{
		"",
		"vantages",
		"vantages",
		nil,
		"",
		`{office: {resolvers: ["192.0.2.53"]}}`,
	},
	{"", "places", "places", nil, "",
		"{Registrar A: {send: update, server: ns1.registrar-a.example, key: update.key}}"},
	{
		"",
		"resolvers",
		"list of text",
		nil,
		"",
		`["192.0.2.53", "192.0.2.54:5353"]`,
	},
	{
		"",
		"registry",
		"registry",
		nil,
		"",
		`{address: "http://rdap.registry.example/"}`,
	},
	{
		"",
		"selectors",
		"list of text",
		nil,
		"",
		"[museum]",
	},
	{"", "accept", "list of accept", nil, "", `[{code: registration-ends, subject: ` +
		`northmoor-tickets.example, why: "it is let go", until: 2027-01-15}]`},
	{"", "keep", "keep", nil, "", "{days: 31, weeks: 53}"},
	{"", "time-zone", "text", nil, "that of the machine", "Europe/London"},
	{"", "from", "text", nil, "the system's own resolvers", "agency"},
	{"", "as-written", "list of text", nil, "", "[ww.lacemill-museum.example]"},
}
