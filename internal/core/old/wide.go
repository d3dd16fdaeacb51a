package old

import (
	"strings"

	"upperpath.example/upperpath/internal/core/web"
)

// Wide gives an old address, with or without a scheme, without its scheme, and without the www of a
// domain where a rule of the apex holds for the www too: as it stands in a rule that takes it by
// all of its doors. serves says which hosts the site answers itself; nil: none.
func Wide(address string, serves func(web.Host) bool) string {
	_, rest, schemed := strings.Cut(address, "://")
	if !schemed || strings.ContainsAny(address[:strings.Index(address, "://")], "/?") {
		rest = address
	}
	host, _, _ := strings.Cut(rest, "/")
	h, err := web.ParseHost(host)
	if err != nil {
		return rest
	}
	bare, www := strings.CutPrefix(h.String(), "www.")
	if !www {
		return rest
	}
	apex, err := web.ParseHost(bare)
	if err != nil || !apex.IsApex() || serves != nil && serves(h) {
		return rest
	}
	return rest[len("www."):]
}
