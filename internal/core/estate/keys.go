package estate

// Key is a key of the estate file, for its documentation and for editors. A test holds this table against the keys that
// the reader takes.
type Key struct {
	Section string // where it stands: "" for the top, site, carriers, domains, needed, wanted, policy, registry, vantages
	Name    string
	Type    string   // text, yes or no, number, date, time, host, URL, path, addresses, list of ..., or a section
	Words   []string // the words that it takes, where only these are taken
	Default string   // what holds without it; "" where nothing does
	Example string   // as it is written in YAML
	Means   string
}

// Keys returns the table of all keys, in the order in which people write them.
func Keys() []Key {
	return []Key{
		{"", "canonical", "URL", nil, "", "https://www.northmoor.example", "The site where everything must arrive: scheme and host. It has to be there."},
		{"", "contact", "text", nil, "", "webmaster@northmoor.example", "Goes into the User-Agent of our requests, so that others know whom to ask."},
		{"", "site", "site", nil, "", "{hosts: [www.northmoor.example]}", "The canonical site itself."},
		{"", "carriers", "carriers", nil, "", "{gateway: {by: server, addresses: [203.0.113.20]}}", "Whoever answers doors with a redirect, by a name of your choice."},
		{"", "defaults", "domains", nil, "", "{carrier: gateway, mail: keep}", "What holds for every domain that does not say otherwise: the keys of a domain, but for name."},
		{"", "domains", "list of domains", nil, "", "[lacemill-museum.example]", "The domains. A name alone will do where the defaults say the rest. It has to be there."},
		{"", "rules", "path", nil, "", "rules.csv", "The redirect map, see rules.md."},
		{"", "policy", "policy", nil, "", "{hops: 1}", "What holds for all redirects."},
		{"", "vantages", "vantages", nil, "", `{office: {resolvers: ["192.0.2.53"]}}`, "Places to look from, by a name of your choice; --from NAME takes one."},
		{"", "registry", "registry", nil, "", `{address: "http://rdap.registry.example/"}`, "Where registrations are asked for, instead of the registries that IANA lists."},
		{"", "selectors", "list of text", nil, "", "[museum]", "Selectors of the client's DKIM keys, which a survey asks for beside the common ones."},

		{"site", "hosts", "list of hosts", nil, "the canonical host", "[www.northmoor.example]", "What the site serves by itself, sending http to https."},
		{"site", "also", "list of hosts", nil, "", "[northmoor.platform.example]", "Other names at which the same site answers: they must redirect too."},
		{"site", "addresses", "addresses", nil, "", "[203.0.113.10, 2001:db8:10::10]", "Where the site lives."},
		{"site", "alias", "host", nil, "", "sites.platform.example", "Where the site lives, as a name."},
		{"site", "pages", "path", nil, "", "pages.txt", "The pages that exist: a list of URLs, or a sitemap."},
		{"site", "rules", "path", nil, "", "site-rules.csv", "What the site redirects by itself."},
		{"site", "issuer", "text", nil, "", "ca.example", "Who issues its certificates, as CAA records name it."},
		{"site", "carrier", "text", nil, "", "platform", "The carrier that serves the site, whose claims, limits and sheets then hold for the site's hosts too."},

		{"carriers", "by", "text", kindNames(), "", "server", "What it is. It has to be there."},
		{"carriers", "addresses", "addresses", nil, "", "[203.0.113.20]", "Where it answers; all of them form one record set."},
		{"carriers", "alias", "host", nil, "", "sites.platform.example", "Where it answers, as a name. Addresses or an alias have to be there."},
		{"carriers", "certificate", "text", []string{string(Before), string(After), string(ByHand)}, "before; of a redirect service and an account: after", "after", "Whether it can hold a certificate before a name points to it."},
		{"carriers", "tls", "yes or no", nil, "yes; of a form: no", "no", "Whether it answers https."},
		{"carriers", "keeps", "list of text", []string{"path", "query"}, "[path, query]; of a form: []", "[path]", "What it hands on."},
		{"carriers", "apex-only", "yes or no", nil, "no", "yes", "It takes no www and no further host."},
		{"carriers", "name-servers", "list of hosts", nil, "", "[ns1.edge.example, ns2.edge.example]", "The name servers that a zone must have for it to work."},
		{"carriers", "origin", "text", []string{PlainOrigin, TLSOrigin}, TLSOrigin, "plain", "How an edge network asks its origin."},
		{"carriers", "behind", "text", nil, "", "gateway", "Which carrier answers behind an edge network, or site."},
		{"carriers", "patterns-at-most", "number", nil, "", "3", "How many patterns with stars it takes."},
		{"carriers", "hosts-at-most", "number", nil, "", "5", "How many hosts it takes."},
		{"carriers", "rules-at-most", "number", nil, "", "500", "How many rules it takes."},
		{"carriers", "rules", "yes or no", nil, "yes, where its kind can", "no", "Whether it looks at paths, or leads whole hosts only."},
		{"carriers", "frames", "yes or no", nil, "no", "yes", "A form that shows the target in a frame instead of redirecting."},
		{"carriers", "issuer", "text", nil, "", "ca.example", "Who issues its certificates, as CAA records name it."},
		{"carriers", "steps", "list of text", []string{string(Claim), string(Issue), string(Point), string(Redirect)}, "[claim, issue, point, redirect]", "[claim, point, issue, redirect]", "The order in which a platform accepts things."},
		{"carriers", "wanted", "list of wanted", nil, "", `[{name: _claim, type: TXT, value: "claim=museums"}]`, "Records that it asks for at each domain that it carries."},

		{"domains", "name", "host", nil, "", "lacemill-museum.example", "The domain, without www. It has to be there."},
		{"domains", "leads-to", "path", nil, "/", "/lacemill/", "Where its root belongs: a path on the canonical site, or a whole URL."},
		{"domains", "carrier", "text", nil, "the only carrier", "{apex: registrar, www: gateway}", "Who answers its doors: one carrier, or one for each host."},
		{"domains", "hosts", "list of hosts", nil, "", "[shop]", "Further hosts beside apex and www."},
		{"domains", "needed", "needed", nil, "", "{click: the mail service}", "Hosts that somebody else needs: never redirected, and checked for where they point."},
		{"domains", "fallback", "text", []string{"same-path", "home", "gone"}, "same-path", "home", "Where a path leads that no rule takes."},
		{"domains", "mail", "text", []string{"keep", "none"}, "keep", "none", "Whether it has mail; none adds the records that say so."},
		{"domains", "wave", "number", nil, "1", "2", "Which domains move together; --only wave:2 means these."},
		{"domains", "state", "text", []string{string(Planned), string(Moved), string(Leave)}, "planned", "moved", "How far it is; leave leaves it as it is."},
		{"domains", "renews", "date", nil, "", "2027-03-01", "Until when it is registered, where no registry says so."},
		{"domains", "registrar", "text", nil, "", "Registrar A", "Where its delegation is typed."},
		{"domains", "records-at", "text", nil, "", "Registrar A", "Where its records are typed, from the move on."},
		{"domains", "records-from", "text", nil, "records-at", "Old host", "Where its records are typed today, if that is elsewhere."},
		{"domains", "wanted", "list of wanted", nil, "", `[{name: _check, type: TXT, value: "proof=4711"}]`, "Records that a service asks for, as it shows them."},
		{"domains", "apex-alias", "yes or no", nil, "no", "yes", "Its provider offers an alias at the apex."},
		{"domains", "name-servers", "list of hosts", nil, "", "[ns1.registrar-a.example, ns2.registrar-a.example]", "The name servers to which the zone moves."},
		{"domains", "ignore-case", "yes or no", nil, "no", "yes", "The old site took paths in any case."},
		{"domains", "slash", "text", []string{"exact", "either"}, "exact", "either", "The old site took paths with and without a last slash."},
		{"domains", "index", "list of text", nil, "", "[index.html]", "File names that the old site took for their folder."},
		{"domains", "note", "text", nil, "", "bought with the merger", "Whatever is worth knowing; it goes into sheets and the client's page."},

		{"needed", "by", "text", nil, "", "the mail service", "Who needs the host. It has to be there; alone it may stand in place of the mapping."},
		{"needed", "to", "host", nil, "", "click.mail.example", "Where the host has to lead."},

		{"wanted", "name", "host", nil, "", "_check.lacemill-museum.example.", "The record's name, in full or as a label. It has to be there."},
		{"wanted", "type", "text", nil, "", "TXT", "The record's type. It has to be there."},
		{"wanted", "value", "text", nil, "", `"proof=4711"`, "The record's value. It has to be there."},
		{"wanted", "until", "date", nil, "", "certificate", "Until when it is wanted: a date, or the word certificate."},

		{"policy", "hops", "number", nil, "1", "1", "How many redirects may lead to the canonical site."},
		{"policy", "status", "number", []string{"301", "302", "307", "308"}, "301", "308", "The status of redirects for which no rule says one."},
		{"policy", "upgrade", "text", []string{Direct, SameHostFirst}, Direct, "same-host-first", "Whether http doors lead straight to the canonical site, or to their own https door first, as HSTS preloading wants it."},
		{"policy", "exempt", "list of paths", nil, "[/.well-known/acme-challenge/]", "[/.well-known/acme-challenge/]", "What http doors never redirect, so that certificates can be renewed."},

		{"registry", "address", "URL", nil, "", "http://rdap.registry.example/", "The base address of an RDAP service."},
		{"registry", "bootstrap", "path", nil, "", "dns.json", "A bootstrap file (RFC 9224) with the services of all registries."},

		{"vantages", "resolvers", "list of text", nil, "the system's", `["192.0.2.53", "192.0.2.54:5353"]`, "Resolvers, with or without a port."},
		{"vantages", "proxy", "URL", nil, "", "socks5://127.0.0.1:5380", "A SOCKS proxy through which everything goes."},
		{"vantages", "trust", "path", nil, "the system's", "stage/ca.pem", "A file with the certificates that are trusted."},
		{"vantages", "timeout", "time", nil, "10s", "2s", "How long each step may take."},
	}
}
