package estate

import (
	"slices"
)

// Key is a key of the estate file, for its documentation and for editors. A test holds this table
// against the keys that the reader takes.
type Key struct {
	// where it stands: "" for the top, site, carriers, domains, needed, wanted, policy, registry,
	// vantages
	Section string
	Name    string
	// text, yes or no, number, date, time, host, URL, path, addresses, list of ..., or a section
	Type    string
	Words   []string // the words that it takes, where only these are taken
	Default string   // what holds without it; "" where nothing does
	Example string   // as it is written in YAML
	Means   string
}

// Keys returns the table of all keys, in the order in which people write them.
func Keys() []Key {
	return slices.Concat(estateKeys, siteKeys, carrierKeys, domainKeys, neededKeys, wantedKeys,
		policyKeys, registryKeys, vantageKeys)
}

var estateKeys = []Key{
	{
		"",
		"canonical",
		"URL",
		nil,
		"",
		"https://www.northmoor.example",
		"The site where everything must arrive: scheme and host. It has to be there.",
	},
	{
		"",
		"contact",
		"text",
		nil,
		"",
		"webmaster@northmoor.example",
		"Goes into the User-Agent of our requests, so that others know whom to ask.",
	},
	{"", "site", "site", nil, "", "{hosts: [www.northmoor.example]}", "The canonical site itself."},
	{
		"",
		"carriers",
		"carriers",
		nil,
		"",
		"{gateway: {by: server, addresses: [203.0.113.20]}}",
		"Whoever answers doors with a redirect, by a name of your choice.",
	},
	{
		"",
		"defaults",
		"domains",
		nil,
		"",
		"{carrier: gateway, mail: keep}",
		"What holds for every domain that does not say otherwise: the keys of a domain, but for name.",
	},
	{
		"",
		"domains",
		"list of domains",
		nil,
		"",
		"[lacemill-museum.example]",
		"The domains. A name alone will do where the defaults say the rest. It has to be there.",
	},
	{"", "rules", "path", nil, "", "rules.csv", "The redirect map, see rules.md."},
	{"", "policy", "policy", nil, "", "{hops: 1}", "What holds for all redirects."},
	{
		"",
		"vantages",
		"vantages",
		nil,
		"",
		`{office: {resolvers: ["192.0.2.53"]}}`,
		"Places to look from, each by a name of your choice.",
	},
	{
		"",
		"resolvers",
		"list of text",
		nil,
		"",
		`["192.0.2.53", "192.0.2.54:5353"]`,
		"Resolvers that await asks beside those of the vantage, with or without a port.",
	},
	{
		"",
		"registry",
		"registry",
		nil,
		"",
		`{address: "http://rdap.registry.example/"}`,
		"Where registrations are asked for, instead of the registries that IANA lists.",
	},
	{
		"",
		"selectors",
		"list of text",
		nil,
		"",
		"[museum]",
		"Selectors of the client's DKIM keys, which a survey asks for beside the common ones.",
	},
}
