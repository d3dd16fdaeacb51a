package record

import (
	"net/netip"
)

// Addresses gives the addresses that records of a type, A or AAAA, can hold.
func Addresses(all []netip.Addr, kind string) []string {
	var values []string
	for _, a := range all {
		if a.Is6() == (kind == "AAAA") {
			values = append(values, a.String())
		}
	}
	return values
}
