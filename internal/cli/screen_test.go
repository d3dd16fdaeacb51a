package cli

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/await"
	"upperpath.example/upperpath/internal/core/expect"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/report"
)

// TestAWaitFitsItsWindow draws waits for few and many things in windows of every height and width:
// no drawing has more lines than there is room for, and the verdict stands last in each.
func TestAWaitFitsItsWindow(t *testing.T) {
	now := time.Date(2026, 11, 1, 12, 0, 0, 0, time.UTC)
	for _, things := range []int{1, 3, 40} {
		var all []expect.Expectation
		for i := range things {
			all = append(all, expect.Expectation{Kind: expect.Records, Domain: "a.example",
				Name: fmt.Sprintf("a-rather-long-name-%d.a.example", i), Type: "A", Holds: "A",
				Values: []string{"203.0.113.20"}, Not: []string{"198.51.100.4"}})
		}
		b := await.New(all, []*expect.Place{
			{Kind: expect.NameServer, Name: "ns1.a.example (192.0.2.1)", Zones: []string{"a.example"}},
			{Kind: expect.Resolver, Name: "resolver 192.0.2.53"}, {Kind: expect.Vantage, Name: "here"}}, now)
		a := &report.Awaiting{Canonical: "https://n.example", Vantage: "here", Started: now, Board: b}
		for _, width := range []int{40, 79, 119} {
			for room := 3; room <= 60; room++ {
				text, err := fitting(room, func(rows, causes int) ([]byte, error) {
					var out bytes.Buffer
					err := doc.Write(&out, "text", report.AwaitNow(a, now, rows, causes),
						doc.Style{Width: width})
					return out.Bytes(), err
				})
				require.NoError(t, err)
				lines := strings.Split(strings.TrimSuffix(string(text), "\n"), "\n")
				assert.LessOrEqual(t, len(lines), room, "%d things, %d by %d", things, width, room)
				whole := strings.Join(strings.Fields(string(text)), " ")
				if room >= 8 {
					assert.Contains(t, whole, fmt.Sprintf("0 of %d are live", 2*things))
				}
				assert.Regexp(t, `updates it\.$`, whole, "%d things, %d by %d", things, width, room)
			}
		}
	}
}
