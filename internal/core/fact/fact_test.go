package fact

import (
	"encoding/json"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// spoken gives this package words of its own while a test runs.
func spoken(t *testing.T) {
	t.Helper()
	was := speak
	t.Cleanup(func() { speak = was })
	SpokenBy(func(f Facts) (Said, bool) {
		p, ok := f.(SPFOpen)
		return Said{Says: p.Domain + " is open", Expected: "-all", Do: "Close it."}, ok
	})
}

// TestWhatIsSaidOfFacts tells words, kept words, plain texts and facts without words apart.
func TestWhatIsSaidOfFacts(t *testing.T) {
	spoken(t)
	open := SPFOpen{Domain: "old.example", Term: "+all"}
	assert.Equal(t, Said{"old.example is open", "-all", "Close it."}, Say(open))
	assert.Equal(t, Said{"a", "b", "c"}, Say(Kept{"a", "b", "c"}))
	assert.Equal(t, Said{Says: "a"}, Say("a"))
	assert.Equal(t, Said{}, Say(nil))
	assert.Equal(t, "SPFTerm{Domain:x Term:mx Fault:<nil>}", Text(SPFTerm{Domain: "x", Term: "mx"}),
		"what has no words shows its facts")
	assert.Equal(t, []string{"old.example is open", "a"}, Texts([]Facts{open, "a"}))
}

// TestFactsAreToldApart has keys differ where facts do, also where their words are the same.
func TestFactsAreToldApart(t *testing.T) {
	a, b := SPFOpen{Domain: "a", Term: "x"}, SPFOpen{Domain: "a", Term: "y"}
	assert.NotEqual(t, Key(a), Key(b))
	assert.Equal(t, Key(a), Key(SPFOpen{Domain: "a", Term: "x"}))
	assert.NotEqual(t, Key(SPFOpen{}), Key(SPFTerm{}))
}

// TestSentencesAreTexts reads and writes sentences as JSON, which holds words alone.
func TestSentencesAreTexts(t *testing.T) {
	spoken(t)
	open := SPFOpen{Domain: "old.example"}
	text, err := json.Marshal(map[string]Sentence{"do": Of(open, Do), "says": Of(open, Says),
		"expected": Of(open, Expected)})
	require.NoError(t, err)
	assert.JSONEq(t, `{"do":"Close it.","says":"old.example is open","expected":"-all"}`, string(text))
	var read map[string]Sentence
	require.NoError(t, json.Unmarshal(text, &read))
	assert.Equal(t, "Close it.", read["do"].String())
	assert.Equal(t, Kept{Says: "Close it."}, read["do"].Facts())
	assert.Equal(t, open, Of(open, Do).Facts())
	assert.True(t, Plain("").IsZero())
	assert.True(t, Sentence{}.IsZero())
	assert.False(t, Plain("x").IsZero())
	assert.Empty(t, Sentence{}.String())
	assert.Nil(t, Sentence{}.Facts())
}

// TestFactsAsErrors keeps what an error is, beside what it says.
func TestFactsAsErrors(t *testing.T) {
	spoken(t)
	kind := errors.New("kind")
	err := ErrOf(kind, SPFOpen{Domain: "old.example"})
	require.ErrorIs(t, err, kind)
	require.EqualError(t, err, "old.example is open")
	plain := Err(Kept{Says: "no"})
	require.NotErrorIs(t, plain, kind)
	var of *Error
	require.ErrorAs(t, plain, &of)
	assert.Equal(t, Kept{Says: "no"}, of.Facts)
}

// TestFactsByTheirNames gives facts as JSON has them: what no sentence tells too.
func TestFactsByTheirNames(t *testing.T) {
	spoken(t)
	type inner struct {
		MaxAge    time.Duration
		OtherURLs []string
		DNSName   string `words:"-"`
		Of        Facts
		None      Facts
		All       []Facts
		TTL       int
	}
	open := SPFOpen{Domain: "old.example"}
	got := Map(inner{MaxAge: time.Minute, OtherURLs: []string{"a"}, DNSName: "n", Of: open,
		All: []Facts{open}, TTL: 5})
	assert.Equal(t, map[string]any{"max_age": 60, "other_urls": []string{"a"}, "dns_name": "n",
		"of": Of(open, Says), "all": []Sentence{Of(open, Says)}, "ttl": 5}, got)
	assert.Empty(t, Map(Kept{Says: "a"}))
	assert.Empty(t, Map(nil))
	assert.Empty(t, Map("text"))
}
