package web

import "net/netip"

// The address blocks that only the networks behind them reach, from IANA's registries for special
// purposes (RFC 6890): this host, private use, shared address space, loopback, link-local (where
// clouds keep their metadata), protocol assignments, multicast and what is reserved. Blocks for
// documentation are not among them.
var private = prefixes(
	"0.0.0.0/8", "10.0.0.0/8", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16", "172.16.0.0/12",
	"192.0.0.0/24",
	"192.168.0.0/16", "224.0.0.0/3",
	"::/128", "::1/128", "fc00::/7", "fe80::/9", "ff00::/8",
)

// The blocks of IPv6 that hold an IPv4 address, and behind how many octets: mapped (RFC 4291
// section 2.5.5.2), translated (RFC 6052, RFC 8215) and 6to4 (RFC 3056).
var embedding = []struct {
	block  netip.Prefix
	offset int
}{
	{netip.MustParsePrefix("::ffff:0:0/96"), 12},
	{netip.MustParsePrefix("::/96"), 12},
	{netip.MustParsePrefix("64:ff9b::/96"), 12},
	{netip.MustParsePrefix("64:ff9b:1::/96"), 12},
	{netip.MustParsePrefix("2002::/16"), 2},
}

func prefixes(all ...string) []netip.Prefix {
	blocks := make([]netip.Prefix, len(all))
	for i, s := range all {
		blocks[i] = netip.MustParsePrefix(s)
	}
	return blocks
}

// IsPrivate reports whether an address lies in a network that the public cannot reach: this
// machine, a private or a link-local network. An IPv6 address that holds an IPv4 address is judged
// by that too.
func IsPrivate(a netip.Addr) bool {
	a = a.WithZone("")
	for _, block := range private {
		if block.Contains(a) {
			return true
		}
	}
	if a.Is4() {
		return false
	}
	octets := a.As16()
	for _, e := range embedding {
		if a.Is4In6() || e.block.Contains(a) {
			return IsPrivate(netip.AddrFrom4([4]byte(octets[e.offset : e.offset+4])))
		}
	}
	return false
}
