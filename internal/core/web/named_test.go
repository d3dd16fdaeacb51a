package web_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/web"
)

// TestANameIsReplacedWhereItStandsByItself makes texts of words at random, of which some are the
// name and others only hold it: just the words that are the name are replaced.
func TestANameIsReplacedWhereItStandsByItself(t *testing.T) {
	const name = "a.example"
	alone := []string{name, name + ".", name + ",", "(" + name + ")", "http://" + name,
		"http://" + name + "/x", name + ":", `"` + name + `"`, name + "…"}
	within := []string{"www." + name, name + ".org", "x" + name, name + "s", "my-" + name, name + "-2",
		"_dmarc." + name, "ø" + name, "b.example", "a.exampl", "", ".", name + ".é"}
	r := rand.New(rand.NewPCG(3, 2)) // a test
	for range 5000 {
		var text, want []string
		mentioned := false
		for range r.IntN(6) {
			if r.IntN(2) == 0 {
				w := alone[r.IntN(len(alone))]
				text, want = append(text, w), append(want, strings.Replace(w, name, "N", 1))
				mentioned = true
				continue
			}
			w := within[r.IntN(len(within))]
			text, want = append(text, w), append(want, w)
		}
		said := strings.Join(text, " ")
		assert.Equal(t, strings.Join(want, " "), web.Renamed(said, name, "N"), said)
		assert.Equal(t, mentioned, web.Mentions(said, name), said)
	}
	assert.Equal(t, "MX 10 mail.N at N, not at xa.example, a.example.org or a.example-b",
		web.Moved("MX 10 mail.a.example at a.example, not at xa.example, a.example.org or a.example-b",
			name, "N"))
	assert.Equal(t, "x", web.Renamed("x", "", "N"))
	assert.False(t, web.Mentions("x", ""))
}
