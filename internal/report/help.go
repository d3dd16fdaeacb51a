package report

import (
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
)

// helps says how the parts of the program that help with a finding are called.
var helps = map[finding.Help]string{
	finding.KeptRecords:  "upperpath survey --show has its values",
	finding.LookInside:   "--allow-private follows it, where you know that network",
	finding.Straightener: "upperpath rules straighten does it for all",
}

// withHelp puts what helps behind what to do.
func withHelp(do string, h finding.Help) string {
	if helps[h] == "" {
		return do
	}
	return strings.TrimSuffix(do, ".") + "; " + helps[h] + "."
}
