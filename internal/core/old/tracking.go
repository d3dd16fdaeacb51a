// Package old is about old URLs: the addresses that people, links and search engines still use. It knows which parts of
// them say nothing about the page.
package old

import "strings"

// tracking are the parameters by which advertisers and newsletters follow visitors: whole names, or beginnings that end
// with a star. They say nothing about the page.
var tracking = []string{
	"utm_*", "gclid", "gclsrc", "dclid", "gbraid", "wbraid", "gad_*", "fbclid", "msclkid", "yclid", "ttclid", "twclid",
	"li_fat_id", "igshid", "igsh", "mc_cid", "mc_eid", "_ga", "_gl", "_hsenc", "_hsmi", "mkt_tok", "vero_id", "oly_anon_id",
	"oly_enc_id", "wickedid", "srsltid",
}

// Tracks tells whether a parameter follows visitors and says nothing about the page.
func Tracks(name string) bool {
	name = strings.ToLower(name)
	for _, t := range tracking {
		begins, open := strings.CutSuffix(t, "*")
		if open && strings.HasPrefix(name, begins) || name == t {
			return true
		}
	}
	return false
}

// WithoutTracking gives a query without the parameters that follow visitors, the others as they stand, in their order;
// and whether there were any.
func WithoutTracking(query string) (string, bool) {
	if query == "" {
		return "", false
	}
	var kept []string
	parts := strings.Split(query, "&")
	for _, p := range parts {
		name, _, _ := strings.Cut(p, "=")
		if !Tracks(name) {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, "&"), len(kept) < len(parts)
}
