package live

import (
	"slices"

	"github.com/miekg/dns"
)

// The types that are asked of hosts, and the names that are commonly there: for hosts their
// addresses, for policies TXT.
var (
	commonTypes = []uint16{dns.TypeA, dns.TypeAAAA, dns.TypeCNAME, dns.TypeMX, dns.TypeTXT, dns.TypeNS}
	// asked last: some servers drop them
	rareTypes   = []uint16{dns.TypeCAA, dns.TypeSRV, dns.TypeHTTPS, dns.TypeSVCB}
	hostTypes   = slices.Concat(commonTypes, rareTypes)
	commonHosts = []string{
		"mail", "smtp", "imap", "pop", "webmail", "autodiscover", "autoconfig", "ftp", "shop", "blog",
		"dev", "test",
		"staging", "intranet", "vpn", "cdn", "static", "img", "m", "api", "ns1", "ns2", "mx",
		"ww", "wwww", "www.www", "w",
	}
	policyNames = []string{"_dmarc", "_mta-sts", "_smtp._tls", "default._bimi"}
	selectors   = []string{"default", "mail", "dkim", "k1", "k2", "s1", "s2", "selector1", "selector2",
		"google"}
	services = []string{"_autodiscover._tcp", "_imaps._tcp", "_submission._tcp", "_sip._tls",
		"_caldavs._tcp"}
	madeUpLabel = "upper-path-made-up"
)
