package test

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var fenced = regexp.MustCompile("(?ms)^```([a-z]+)\n(.*?)^```$")

// TestTheExamplesOfTheRulesPage runs every example of docs/rules.md: rules, and the URLs that are
// tried on them.
func TestTheExamplesOfTheRulesPage(t *testing.T) {
	page, err := os.ReadFile("../docs/rules.md")
	require.NoError(t, err)
	dir := t.TempDir()
	estate := filepath.Join(dir, "upperpath.yaml")
	tried, options := 0, ""
	for _, block := range fenced.FindAllStringSubmatch(string(page), -1) {
		switch block[1] {
		case "yaml":
			options = strings.SplitN(block[2], "\n", 2)[1]
		case "csv":
			if options == "" {
				options = "  - ferryhouse.example\n"
			}
			require.NoError(
				t,
				os.WriteFile(
					estate,
					[]byte(
						"canonical: https://www.northmoor.example\n"+
							"carriers: {g: {by: server, addresses: [203.0.113.20]}}\n"+
							"rules: rules.csv\ndomains:\n  - northmoor.example\n  - lacemill-museum.example\n"+
							"  - slatequarry.example\n"+options,
					),
					0o600,
				),
			)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "rules.csv"), []byte(block[2]), 0o600))
		case "text":
			var urls, wanted []string
			for line := range strings.Lines(block[2]) {
				u, want, ok := strings.Cut(strings.TrimSpace(line), "->")
				require.True(t, ok, line)
				urls, wanted = append(urls, strings.TrimSpace(u)), append(wanted, strings.TrimSpace(want))
			}
			for i, got := range try(t, estate, urls) {
				assert.Equal(t, wanted[i], got, urls[i])
				tried++
			}
		}
	}
	assert.Greater(t, tried, 25)
}

func try(t *testing.T, estate string, urls []string) []string {
	t.Helper()
	out, err := exec.Command(filepath.Join(folder, "upperpath"), append([]string{
		"rules", "try", "--estate", estate, "--format", "json",
	}, urls...)...).
		CombinedOutput()
	require.NoError(t, err, string(out))
	var result struct {
		Tries []struct {
			Rule     int    `json:"rule"`
			Status   int    `json:"status"`
			Location string `json:"location"`
		} `json:"tries"`
	}
	require.NoError(t, json.Unmarshal(out, &result))
	require.Len(t, result.Tries, len(urls))
	var all []string
	for _, r := range result.Tries {
		if r.Rule == 0 {
			all = append(all, "no rule")
		} else {
			all = append(all, fmt.Sprintf("%d %s", r.Status, r.Location))
		}
	}
	return all
}
