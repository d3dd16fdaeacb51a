package report

import (
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/plan"
)

// ForClient is what the page for a client is made of.
type ForClient struct {
	Title string
	Made  time.Time
	Today *chain.Audit
	After *chain.Audit // as it will be; nil where nobody knows
	Plan  *plan.Plan   // nil where there is none
}

// Client is the page for a client.
func Client(c ForClient) Doc {
	return Audit(c.Today, "report", c.Title, c.Made)
}
