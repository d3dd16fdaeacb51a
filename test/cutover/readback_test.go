package cutover

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/plan"
)

// TestWhateverIsTypedIsReadBack types texts that tables and spreadsheets take for something else,
// at names that they do too: what is read back from the tables is what was written.
func TestWhateverIsTypedIsReadBack(t *testing.T) {
	t.Parallel()
	random := rand.New(rand.NewPCG(uint64(number("SEED", 1)), 0))
	parts := []string{"'", "=", "+", "-", "@", " ", ",", ";", `"`, `\`, "a", "1", "é", "'=", `\"`,
		"--carrier x", "$", "(", "%41", "\u00a0"}
	for range number("ROUNDS", 30) * 8 {
		text := ""
		for range 1 + random.IntN(6) {
			text += parts[random.IntN(len(parts))]
		}
		if t := strings.TrimSpace(text); t == "" || t[0] == '"' {
			continue // nothing, or strings as a zone file has them
		}
		quoted := "'" + strings.ReplaceAll(text, "'", "''") + "'"
		label := []string{"_x", "-x", "a-b", "_proof._tcp"}[random.IntN(4)]
		p := plan.Make(caseOf(site, "", "  - {name: old.example, wanted: [{name: "+label+
			", type: TXT, value: "+quoted+"}]}\n",
			"old.example. A 192.0.2.1;www.old.example. A 192.0.2.1", "").Input(t))
		right := p.Typed()
		back := p.Read(newStager(t, p, right).of(t, right).Rows)
		require.Equal(t, saidOf(p.Rows(right.Sheets)), saidOf(back), "%q", text)
	}
}
