package report

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"upperpath.example/upperpath/internal/doc"
)

// TestAWorkbookHoldsWhatCanBeReckonedWith writes cells of every kind, and reads the workbook as a
// spreadsheet does: numbers, shares and days are such, all else is text as it was written, and each
// column can be filtered. Where two columns had one name, nothing is filtered, and nothing is lost.
func TestAWorkbookHoldsWhatCanBeReckonedWith(t *testing.T) {
	cells := []struct {
		written, raw, shown string
		kind                excelize.CellType
	}{
		{"42", "42", "42", excelize.CellTypeUnset},
		{"2.5", "2.5", "2.5", excelize.CellTypeUnset},
		{"12.5 %", "0.125", "12.5%", excelize.CellTypeUnset},
		{"100 %", "1", "100.0%", excelize.CellTypeUnset},
		{"2026-11-01", "46327", "2026-11-01", excelize.CellTypeUnset},
		{"2026-11-01 12:30", "46327.520833333336", "2026-11-01 12:30", excelize.CellTypeUnset},
		{"2026-11-01T12:30:00Z", "46327.520833333336", "2026-11-01 12:30 UTC", excelize.CellTypeUnset},
		{"007", "007", "007", excelize.CellTypeInlineString},
		{"1.10", "1.10", "1.10", excelize.CellTypeInlineString},
		{"192.0.2.1", "192.0.2.1", "192.0.2.1", excelize.CellTypeInlineString},
		{"123456789012345678", "123456789012345678", "123456789012345678",
			excelize.CellTypeInlineString},
		{"under 0.1 %", "under 0.1 %", "under 0.1 %", excelize.CellTypeInlineString},
		{"NaN", "NaN", "NaN", excelize.CellTypeInlineString},
		{"1e5", "1e5", "1e5", excelize.CellTypeInlineString},
		{"2026-13-01", "2026-13-01", "2026-13-01", excelize.CellTypeInlineString},
		{"=1+1", "=1+1", "=1+1", excelize.CellTypeInlineString},
		{"", "", "", excelize.CellTypeInlineString},
	}
	var rows [][]doc.Cell
	for _, c := range cells {
		rows = append(rows, doc.Cells(c.written, "x"))
	}
	var b bytes.Buffer
	require.NoError(t, doc.Write(&b, "xlsx", doc.Doc{Name: "x", Blocks: doc.Of(
		doc.Table{Sheet: "kinds", Head: []string{"what", "beside"}, Rows: rows},
		doc.Table{Sheet: "twice", Head: []string{"what", "What"}, Rows: rows[:1]},
		doc.Table{Sheet: "none", Head: []string{"what"}},
	)}, doc.Style{}))
	f, err := excelize.OpenReader(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	defer f.Close()
	for i, c := range cells {
		at, err := excelize.CoordinatesToCellName(1, i+2)
		require.NoError(t, err)
		raw, err := f.GetCellValue("kinds", at, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		assert.Equal(t, c.raw, raw, c.written)
		shown, err := f.GetCellValue("kinds", at)
		require.NoError(t, err)
		assert.Equal(t, c.shown, shown, c.written)
		kind, err := f.GetCellType("kinds", at)
		require.NoError(t, err)
		if c.written != "" {
			assert.Equal(t, c.kind, kind, c.written)
		}
		formula, err := f.GetCellFormula("kinds", at)
		require.NoError(t, err)
		assert.Empty(t, formula, c.written)
	}
	tables, err := f.GetTables("kinds")
	require.NoError(t, err)
	require.Len(t, tables, 1)
	assert.Equal(t, "A1:B18", tables[0].Range)
	for _, sheet := range []string{"twice", "none"} {
		tables, err := f.GetTables(sheet)
		require.NoError(t, err)
		assert.Empty(t, tables, sheet)
	}
	kept, err := f.GetCellValue("twice", "A2")
	require.NoError(t, err)
	assert.Equal(t, "42", kept)
}
