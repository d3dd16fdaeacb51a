package estate

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

// tree makes nodes of maps, lists and texts.
func tree(v any) *Node {
	n := &Node{Line: 1, Column: 1}
	switch v := v.(type) {
	case string:
		n.Kind, n.Text = Scalar, v
	case []any:
		n.Kind = List
		for _, item := range v {
			n.Items = append(n.Items, tree(item))
		}
	case map[string]any:
		n.Kind = Mapping
		for key, value := range v {
			n.Entries = append(n.Entries,
				Entry{&Node{Kind: Scalar, Text: key, Line: 1, Column: 1}, tree(value)})
		}
	}
	return n
}

// TestTheTableOfKeysIsThatOfTheReader has an estate with every section, and compares the keys that
// the reader takes there with the table that the docs are made from.
func TestTheTableOfKeysIsThatOfTheReader(t *testing.T) {
	taken := map[string][]string{}
	heard = func(what string, names []string) { taken[what] = names }
	t.Cleanup(func() { heard = nil })
	wanted := []any{map[string]any{"name": "_a", "type": "TXT", "value": "x"}}
	_, _ = Read(tree(map[string]any{
		"canonical": "https://www.n.example",
		"site":      map[string]any{"hosts": "www.n.example"},
		"carriers": map[string]any{
			"gateway": map[string]any{"by": "server", "addresses": "203.0.113.20"}},
		"defaults": map[string]any{"carrier": "gateway"},
		"domains": []any{"n.example", map[string]any{"name": "old.example", "wanted": wanted,
			"needed": map[string]any{"click": map[string]any{"by": "x"}}}},
		"policy": map[string]any{"hops": "1",
			"hsts": []any{map[string]any{"max-age": "300"}}},
		"registry": map[string]any{"bootstrap": "x"},
		"accept":   []any{map[string]any{"code": "refused"}},
		"keep":     map[string]any{"days": "31"},
		"vantages": map[string]any{"office": map[string]any{"timeout": "2s"}},
	}))
	sections := map[string]string{
		"the estate file": "",
		"site":            "site",
		"carrier gateway": "carriers",
		"a domain":        "domains",
		"a needed host":   "needed",
		"wanted":          "wanted",
		"policy":          "policy",
		"policy: hsts":    "hsts",
		"registry":        "registry",
		"a vantage":       "vantages",
		"accept":          "accept",
		"keep":            "keep",
	}
	for what, section := range sections {
		var documented []string
		for _, k := range Keys() {
			if k.Section == section {
				documented = append(documented, k.Name)
				assert.NotEmpty(t, k.Example, k.Name)
			}
		}
		assert.ElementsMatch(t, taken[what], documented, what)
	}
	assert.Equal(t, len(sections)+1, len(taken), "and the defaults, which are those of a domain: %v",
		taken)
	assert.NotContains(t, taken["defaults"], "name")
	assert.True(t, slices.Contains(taken["defaults"], "carrier"))
}
