package files_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/files"
)

func TestTablesOfSheetsAreReadBack(t *testing.T) {
	rows, err := files.SheetOf("a.records.csv", "Registrar A", []byte(
		"step,do,zone,label,full name,type,old value,value,TTL in seconds,through,why\r\n"+
			"1,replace,m\u00f8llehuset.example,@,x,A,192.0.2.1,203.0.113.20,300,,because\r\n"+
			"2,add,a.example,www,x,ALIAS (the provider's alias at the apex),,'=x.example,3600,edge,\r\n"+
			"# Made by Upper Path\r\n"))
	require.NoError(t, err)
	assert.Equal(t, []world.Row{
		{Place: "Registrar A", Do: world.Replace, Zone: "xn--mllehuset-l8a.example", Label: "@",
			Type: "A",
			Was:  "192.0.2.1", Value: "203.0.113.20", TTL: 300},
		{Place: "Registrar A", Do: world.Add, Zone: "a.example", Label: "www", Type: "ALIAS",
			Value: "=x.example", TTL: 3600, Through: "edge"},
	}, rows)
	rows, err = files.SheetOf("a.entries.csv", "plat", []byte(
		"step,do,what,domain,certificate for,proof by DNS (TXT),DS,why,check\n"+
			"1,add,certificate,a.example,\"a.example, b.example\",\"_acme-challenge.a.example, x\",,why,\n"))
	require.NoError(t, err)
	assert.Equal(t,
		[]world.Row{{Place: "plat", Do: world.Add, Kind: world.CertEntry, Domain: "a.example",
			Fields: []world.Field{{Name: "certificate for", Value: "a.example, b.example"},
				{Name: "proof by DNS (TXT)", Value: "_acme-challenge.a.example"},
				{Name: "proof by DNS (TXT)", Value: "x"}}}}, rows)
	rows, err = files.SheetOf("gw.entries.csv", "gw", []byte("do,what,domain,redirects\n"+
		"add,configuration,,upperpath write nginx --carrier gw\nadd,configuration,,by hand\n"))
	require.NoError(t, err)
	assert.Equal(t, []world.Row{
		{Place: "gw", Do: world.Add, Kind: world.Config,
			Fields: []world.Field{{Name: "redirects", Value: "gw"}}},
		{Place: "gw", Do: world.Add, Kind: world.Config,
			Fields: []world.Field{{Name: "redirects", Value: ""}}},
	}, rows, "a command names whose file it writes")
	for _, bad := range []string{"", "a,b\n1,2\n", "step,do,what\n1,add,host\n",
		"step,do,what,domain\n\"1,add"} {
		_, err := files.SheetOf("bad.csv", "x", []byte(bad))
		assert.ErrorContains(t, err, "bad.csv", bad)
	}
}

// FuzzSheetOf reads what anybody made of a table: rows or faults, and never more than was there.
func FuzzSheetOf(f *testing.F) {
	f.Add("step,do,what,domain,host\n1,add,host,a.example,a.example\n")
	f.Add("do,zone,label,full name,type,old value,value\nadd,a.example,@,x,A,,192.0.2.1\n")
	f.Fuzz(func(t *testing.T, text string) {
		rows, err := files.SheetOf("x.csv", "x", []byte(text))
		if err == nil {
			assert.LessOrEqual(t, len(rows), strings.Count(text, "\n")+strings.Count(text, "\r")+1)
		}
	})
}
