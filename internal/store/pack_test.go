package store

import (
	"context"
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// TestWhatIsPackedIsWhatComesBack keeps surveys of no, one and many domains, with texts that look
// like their own frame.
func TestWhatIsPackedIsWhatComesBack(t *testing.T) {
	s, err := Open(at(t.TempDir()))
	require.NoError(t, err)
	defer s.Close()
	for n := range 4 {
		v := &survey.Survey{
			Schema:   survey.Schema,
			Vantage:  `"domains":null`,
			Started:  time.Now().UTC(),
			Domains:  []survey.Domain{},
			Findings: []finding.Finding{finding.New(finding.Loop, "x", fact.Kept{Says: `{"domains":null}`})},
			Notes:    []string{"]"},
		}
		for range n {
			v.Domains = append(v.Domains,
				survey.Domain{Name: "a.example", Servers: []survey.Server{}, Records: []record.Set{
					{Name: "a.example", Type: "TXT", TTL: 60, Values: []string{`"domains":null,]}`}}}})
		}
		id, _, err := s.KeepSurvey(context.Background(), v)
		require.NoError(t, err)
		again, err := s.GetSurvey(context.Background(), id)
		require.NoError(t, err)
		one, err := json.Marshal(v)
		require.NoError(t, err)
		other, err := json.Marshal(again)
		require.NoError(t, err)
		assert.Equal(t, string(one), string(other))
	}
}

func TestADocumentThatIsNotCompressedIsReadToo(t *testing.T) {
	var v survey.Survey
	require.NoError(t,
		unpack([]byte(`{"schema":"upperpath/survey/1","domains":[{"name":"a.example"}]}`), &v))
	assert.Len(t, v.Domains, 1)
	assert.Error(t, unpack([]byte("\x1f\x8bgarbage"), &v))
	doc, err := pack(&v)
	require.NoError(t, err)
	assert.Error(t, unpack(doc[:len(doc)-6], &v), "cut off")
}
