package files

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/pair"
)

// TestAWorkSheetComesBackAsItWas reads and writes sheets as spreadsheets save them.
func TestAWorkSheetComesBackAsItWas(t *testing.T) {
	for name, text := range map[string]string{
		"plain": "# top\nold,new,confidence,reason,decision,weight,note,proposed,second,third,section," +
			"who\n" +
			"http://old.example/a,/a,,,yes,5,\"so, \"\"it\"\"\",,,,,Jo\n",
		"a mark and semicolons": "\ufeffold;new;confidence;reason;decision;weight;note;proposed;" +
			"second;third;section;who\nhttp://old.example/a;/a;;;gone;5;x;;;;;Jo\n",
	} {
		path := filepath.Join(t.TempDir(), "pairs.csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		s, err := ReadPairSheet(path)
		require.NoError(t, err, name)
		require.Equal(t, []string{"who"}, s.Extra)
		require.NoError(t, s.Write(path))
		now, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, text, string(now), name)
		// as a workbook and back
		book := filepath.Join(t.TempDir(), "pairs.xlsx")
		data, err := s.XLSX()
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(book, data, 0o600))
		b, err := ReadPairSheet(book)
		require.NoError(t, err)
		b.Rows[0].Line = s.Rows[0].Line
		assert.Equal(t, s.Rows, b.Rows, name)
	}
}

// TestTwoWhoWriteAtOnceLoseNothing: the second is told, and writes nothing.
func TestTwoWhoWriteAtOnceLoseNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "pairs.csv")
	one, err := ReadPairSheet(path)
	require.NoError(t, err)
	other, err := ReadPairSheet(path)
	require.NoError(t, err)
	one.Rows = []pair.Row{{Old: "http://old.example/a", Decision: pair.IsGone}}
	other.Rows = []pair.Row{{Old: "http://old.example/b"}}
	require.NoError(t, one.Write(path))
	require.ErrorIs(t, other.Write(path), ErrChanged)
	require.NoError(t, one.Write(path), "whoever wrote it may go on")
	require.NoError(t, os.Remove(path))
	require.ErrorIs(t, one.Write(path), ErrChanged)
}

func FuzzPairSheet(f *testing.F) {
	f.Add("old,new,decision\nhttp://a.example/,/x,yes\n")
	f.Add("old;new\n\"a\nb\";\"\"\n# x\n")
	path := filepath.Join(f.TempDir(), "pairs.csv")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := ReadPairSheet(stored(t, path, text))
		told(t, path, err)
		if err != nil {
			return
		}
		before := len(s.Rows)
		require.NoError(t, s.Write(path))
		again, err := ReadPairSheet(path)
		if err != nil { // a name of a column that no table can have
			require.True(t, before == 0 || strings.ContainsAny(text, "#\"\r"), "%v: %q", err, text)
			return
		}
		require.Len(t, again.Rows, before, "%q", text)
		for i := range s.Rows {
			require.Equal(t, s.Rows[i].Decision, again.Rows[i].Decision)
			require.Equal(t, s.Rows[i].Old, again.Rows[i].Old)
		}
	})
}
