package finding

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"upperpath.example/upperpath/internal/core/fact"
)

func TestTheTableIsComplete(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range Rows() {
		assert.False(t, seen[k.Name], k.Name)
		seen[k.Name] = true
		for _, text := range []string{k.Name, k.About} {
			assert.NotEmpty(t, text, k.Name)
		}
		assert.Positive(t, k.Severity.Rank(), k.Name)
		code, ok := Named(k.Name)
		assert.True(t, ok)
		assert.Equal(t, k.Name, code.String())
	}
	assert.Equal(t, Error, Worst([]Finding{{Severity: Note}, {Severity: Error}}))
	assert.Equal(t, 0, Severity("").Rank())
}

func TestACodeIsItsNameInJSON(t *testing.T) {
	text, err := json.Marshal([]Code{WrongPage, PathLost})
	require.NoError(t, err)
	assert.Equal(t, `["wrong-page","path-lost"]`, string(text))
	var read []Code
	require.NoError(
		t,
		json.Unmarshal([]byte(`["off-course","path-lost"]`), &read),
		"what it was called before is understood too",
	)
	assert.Equal(t, []Code{WrongPage, PathLost}, read)
	for _, bad := range []string{`["nope"]`, `[""]`} {
		assert.Error(t, json.Unmarshal([]byte(bad), &read), bad)
	}
	_, ok := Named("off-course")
	assert.False(t, ok, "explain knows today's names only")
	assert.Empty(t, Code(0).String())
	assert.Empty(t, Code(250).String())
}

func TestOneCauseIsOneFinding(t *testing.T) {
	var tally Tally
	at := func(code Code, subject, entry, says string) Finding {
		f := New(code, subject, fact.Kept{Says: says})
		f.Entry = entry
		return f
	}
	tally.Add(
		at(Refused, "https://a", "https://a/", "1"),
		at(Refused, "https://a", "https://a/x", "2"),
		at(Refused, "https://b", "https://b/", "1"),
	)
	tally.Add(at(Expired, "https://a", "e1", "1").GroupedBy("c"),
		at(Expired, "https://b", "e2", "1").GroupedBy("c"))
	tally.Add(at(MailTied, "a", "", "one thing"), at(MailTied, "a", "", "another thing"))
	var got [][]string
	for _, f := range tally.Findings() {
		got = append(got, append([]string{f.Code.String(), f.Subject}, f.Entries...))
	}
	assert.Equal(
		t,
		[][]string{{"refused", "https://a", "https://a/", "https://a/x"},
			{"refused", "https://b", "https://b/"},
			{"expired", "https://a", "e1", "e2"}, {"mail-tied", "a"}, {"mail-tied", "a"}},
		got,
	)
	assert.NotNil(t, (&Tally{}).Findings())
	assert.NotNil(t, (&Tally{}).Take())
	all := tally.Findings()
	assert.Equal(t, all, tally.Take(), "the same, and then nothing")
	assert.Empty(t, tally.Findings())
}

func TestFindingsAreOrderedByTheirNumbersToo(t *testing.T) {
	var all []Finding
	for _, subject := range []string{"rules line 10", "rules line 9", "rules lines 9 and 12", "a",
		"rules line 009x",
		"198.51.100.9", "198.51.100.10", ""} {
		all = append(all, Finding{Subject: subject})
	}
	Sort(all)
	var got []string
	for _, f := range all {
		got = append(got, f.Subject)
	}
	assert.Equal(
		t,
		[]string{
			"",
			"198.51.100.9",
			"198.51.100.10",
			"a",
			"rules line 009x",
			"rules line 9",
			"rules line 10",
			"rules lines 9 and 12",
		},
		got,
	)
}

func TestCausesAreReadAsTheyAreWritten(t *testing.T) {
	for _, k := range Causes() {
		c, ok := NamedCause(k.Name)
		assert.True(t, ok, k.Name)
		text, err := c.MarshalText()
		assert.NoError(t, err)
		var read Cause
		assert.NoError(t, read.UnmarshalText(text))
		assert.Equal(t, c, read)
	}
	read := Cause(1)
	assert.NoError(t, read.UnmarshalText(nil), "no text is no cause")
	assert.Equal(t, NoCause, read)
	assert.Error(t, read.UnmarshalText([]byte("nonsense")))
}
