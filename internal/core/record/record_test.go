package record

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCanonicalOrder(t *testing.T) {
	// The example of RFC 4034 section 6.1.
	sets := []Set{
		{Name: "z.example", Type: "A"},
		{Name: "example", Type: "TXT"},
		{Name: "*.z.example", Type: "A"},
		{Name: "yljkjljk.a.example", Type: "A"},
		{
			Name: "a.example",
			Type: "A",
		},
		{Name: "example", Type: "SOA"},
		{Name: "example", Type: "NS"},
		{Name: "zabc.a.example", Type: "A"},
		{Name: "example", Type: "A", Values: []string{"b", "a"}},
	}
	Sort(sets)
	var names []string
	for _, s := range sets {
		names = append(names, s.Name+" "+s.Type)
	}
	assert.Equal(
		t,
		[]string{
			"example SOA",
			"example NS",
			"example A",
			"example TXT",
			"a.example A",
			"yljkjljk.a.example A",
			"zabc.a.example A",
			"z.example A",
			"*.z.example A",
		},
		names,
	)
	assert.Equal(t, []string{"a", "b"}, sets[2].Values)
}

func TestChanges(t *testing.T) {
	before := []Set{
		{
			"a.example",
			"SOA",
			3600,
			[]string{"ns.example. h.example. 1 2 3 4 5"},
		}, {"a.example", "A", 60, []string{"192.0.2.1", "192.0.2.2"}},
		{"www.a.example", "A", 60, []string{"192.0.2.1"}}, {"old.a.example", "TXT", 60, []string{`"x"`}},
	}
	after := []Set{
		{
			"a.example",
			"SOA",
			3600,
			[]string{"ns.example. h.example. 9 2 3 4 5"},
		}, {"a.example", "A", 60, []string{"192.0.2.2", "192.0.2.1"}},
		{"www.a.example", "A", 30, []string{"192.0.2.1"}},
		{"new.a.example", "A", 60, []string{"192.0.2.3"}},
	}
	var got []string
	for _, c := range Changes(before, after) {
		got = append(got, string(c.Action)+" "+c.Name+" "+c.Type)
	}
	assert.Equal(t,
		[]string{"came new.a.example A", "went old.a.example TXT", "changed www.a.example A"}, got)
	assert.Empty(t, Changes(before, before))
	_, found := Find(before, "www.a.example", "AAAA")
	assert.False(t, found)
}
