package web

import (
	"slices"
)

// Names gives the names of hosts, in order.
func Names(hosts []Host) []string {
	var all []string
	for _, h := range hosts {
		all = append(all, h.String())
	}
	slices.Sort(all)
	return all
}
