package files

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// TestTablesAsPeopleSendThem reads one table in the ways in which programs write it.
func TestTablesAsPeopleSendThem(t *testing.T) {
	dir := t.TempDir()
	book := filepath.Join(dir, "t.xlsx")
	f := excelize.NewFile()
	_, err := f.NewSheet("map")
	require.NoError(t, err)
	for cell, value := range map[string]any{"A1": "Redirects", "A3": "Old", "B3": "New", "C3": "Code",
		"A4": "/a", "B4": "/x", "C4": 301, "A6": "/b", "B6": "/caf\u00e9", "A7": "/c", "C7": 302} {
		require.NoError(t, f.SetCellValue("map", cell, value))
	}
	require.NoError(t, f.MergeCell("map", "B6", "B7"))
	require.NoError(t, f.SaveAs(book))
	for name, text := range map[string]string{
		"plain.csv": "old,new,code\n/a,/x,301\n/b,/caf\u00e9,\n/c,/caf\u00e9,302\n",
		"latin.csv": "Old;New;Code\r\n/a;/x;301\r\n;;\r\n/b;/caf\xe9;\r\n/c;/caf\xe9;302\r\n",
		"above.csv": "\ufeffRedirects\n\n# by Jo\nold\tnew\tcode\n/a\t/x\t301\n/b\t/caf\u00e9\n" +
			"/c\t/caf\u00e9\t302\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	for _, name := range []string{"plain.csv", "latin.csv", "above.csv", "t.xlsx"} {
		g, err := ReadGrid(filepath.Join(dir, name), "old", "new")
		require.NoError(t, err, name)
		var all []string
		for _, r := range g.Rows {
			all = append(all, g.Cell(r, "OLD")+" "+g.Cell(r, "new")+" "+g.Cell(r, "code"))
		}
		assert.Equal(t, []string{"/a /x 301", "/b /caf\u00e9 ", "/c /caf\u00e9 302"}, all, name)
	}
	open := filepath.Join(dir, "open.csv")
	require.NoError(t, os.WriteFile(open, []byte("old,new\n/a,/b\n\"/c,/d\n/e,/f\n"), 0o600))
	_, err = ReadGrid(open, "old", "new")
	require.ErrorContains(t, err, "not valid CSV", "a quote that is not closed swallows nothing")
	_, err = ReadGrid(filepath.Join(dir, "plain.csv"), "old", "target")
	require.ErrorContains(t, err, "there is no column target")
}
