package survey_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// TestTTLsThatNoMessageHoldsAreRefused has TTLs at and beyond the bounds of 32 bits: waits are
// worked out from them.
func TestTTLsThatNoMessageHoldsAreRefused(t *testing.T) {
	for ttl, fits := range map[int]bool{0: true, 1: true, math.MaxInt32: true, math.MaxUint32: true,
		-1: false, math.MaxUint32 + 1: false, math.MaxInt: false, math.MinInt: false} {
		for where, d := range map[string]survey.Domain{
			"records": {Records: []record.Set{
				{Name: "a.example", Type: "A", TTL: ttl, Values: []string{"192.0.2.1"}}}},
			"parent": {Parent: survey.Parent{TTL: ttl}},
			"coming": {Coming: []survey.Coming{{Records: []record.Set{
				{Name: "a.example", Type: "A", TTL: ttl, Values: []string{"192.0.2.1"}}}}}},
		} {
			d.Name = "a.example"
			v := survey.Survey{Schema: survey.Schema, Domains: []survey.Domain{d}}
			if err := v.Check(); fits {
				assert.NoError(t, err, "%s %d", where, ttl)
			} else {
				assert.Error(t, err, "%s %d", where, ttl)
			}
		}
	}
}
