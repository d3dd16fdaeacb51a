package files

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"upperpath.example/upperpath/internal/core/web"
)

// said gives a list in words that a test can compare.
func said(l DomainList) []string {
	var all []string
	for _, d := range l.Domains {
		all = append(all, strings.TrimSpace(fmt.Sprint(d.Name, " ", d.Renews, d.Hosts, " ", d.Registrar,
			d.Asks)))
	}
	return all
}

func TestAnExportOfARegistrarIsReadWhole(t *testing.T) {
	text := "Export of account 4711\nMade on 30 November 2026\n\n" +
		"DomainName,Tld,RegistryExpiryDate,AutoRenew,Registrar Name\n" +
		"old,example,31-Dec-2026 23:59:59 UTC,yes,Registrar A\n" +
		"b.example,example,2027-02-04T10:00:00.123Z,no,\n" +
		"https://www.old.example/start.html,,,,\n" +
		"shop.old.example,,,,\n*.b.example,,n/a,,Registrar B\n\n" +
		"Total: 5 domains,,,,\n---\n"
	l, err := ReadDomains(write(t, "l.csv", text))
	require.NoError(t, err)
	assert.Equal(t, []string{"old.example 2026-12-31[shop] Registrar A",
		"b.example 2027-02-04[*] Registrar B"}, said(l))
	assert.Equal(t, 3, l.Merged)
	assert.Equal(t, []UsedColumn{{"DomainName", "name"}, {"Tld", "ending"},
		{"RegistryExpiryDate", "renews"}, {"Registrar Name", "registrar"}}, l.Used)
	assert.Equal(t, []string{"AutoRenew"}, l.Unused)
	assert.Equal(t, []LeftLine{{1, "Export of account 4711"}, {2, "Made on 30 November 2026"},
		{11, "Total: 5 domains"}, {12, "---"}}, sorted(l.Left))
}

func sorted(all []LeftLine) []LeftLine {
	slices.SortFunc(all, func(a, b LeftLine) int { return a.Line - b.Line })
	return all
}

func TestTwoDatesOfOneDomainAreAsked(t *testing.T) {
	l, err := ReadDomains(write(t, "l.csv",
		"domain,expires\na.example,2027-01-01\nwww.a.example,2027-02-02\n"))
	require.NoError(t, err)
	assert.Equal(t, "2027-01-01 or 2027-02-02 (line 3)?", l.Domains[0].Asks)
}

func TestDatesAsRegistrarsWriteThem(t *testing.T) {
	for text, want := range map[string]string{
		"31-Dec-2026 23:59:59 UTC": "2026-12-31", "2026-12-31T23:59:59Z": "2026-12-31",
		"2026-12-31 23:59:59+00": "2026-12-31", "2026-12-31T23:59:59.0Z": "2026-12-31",
		"31.12.2026 23:59": "2026-12-31", "Dec 31, 2026": "2026-12-31",
		"Dec 31, 2026 11:59 PM": "2026-12-31",
		"Thu Dec 31 2026":       "2026-12-31", "31 dec 2026": "2026-12-31", "1798675200": "2026-12-31",
		"46387": "2026-12-31", "31/12/2026 10:00": "2026-12-31", "12/31/26": "2026-12-31",
		"2026/12/31": "2026-12-31", "20261231": "2026-12-31", "2026-Dec-31": "2026-12-31",
		"2027-01-01T00:30:00+02:00": "2026-12-31", "Thursday, 31 December 2026": "2026-12-31",
	} {
		date, asks, ok := readDate(text, nil)
		assert.True(t, ok, text)
		assert.Empty(t, asks, text)
		assert.Equal(t, want, date, text)
	}
	for _, text := range []string{"soon", "31.13.2026", "2026", "31-Foo-2026",
		"99999999999999999999"} {
		_, _, ok := readDate(text, nil)
		assert.False(t, ok, text)
	}
}

// TestListsAtRandom writes lists with heads, orders, encodings, separators, preambles and footers
// at random, and reads what was meant.
func TestListsAtRandom(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3)) // a test
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	for n := range 400 {
		var want []string
		head := []string{pick("Domain", "domain_name", "DomainName", "FQDN", "Domain Name:", "URL"),
			pick("Expiry Date", "RegistryExpiryDate", "Valid-Until", "paid until"),
			pick("Status", "Privacy", "ID")}
		order := r.Perm(3)
		rows := [][]string{}
		for i := range 3 + r.IntN(5) {
			day := time.Date(2027, time.Month(1+r.IntN(12)), 13+r.IntN(15), 0, 0, 0, 0, time.UTC)
			name := fmt.Sprintf("d%d.example", i)
			written := pick(name, "www."+name, "https://"+name+"/", strings.ToUpper(name), name+".")
			date := day.Format(pick("2006-01-02", "02.01.2006", "2-Jan-2006", "2006-01-02T15:04:05Z",
				"02/01/2006", "January 2, 2006"))
			rows = append(rows, []string{written, date, pick("ok", "", "active, locked")})
			want = append(want, name+" "+day.Format(time.DateOnly)+"[]")
		}
		var b bytes.Buffer
		if r.IntN(3) == 0 {
			b.WriteString("Domains of the client\n\n")
		}
		w := csv.NewWriter(&b)
		w.Comma = []rune{',', ';', '\t', '|'}[r.IntN(4)]
		for _, row := range append([][]string{head}, rows...) {
			require.NoError(t, w.Write([]string{row[order[0]], row[order[1]], row[order[2]]}))
		}
		w.Flush()
		if r.IntN(3) == 0 {
			b.WriteString("\n" + pick("Total: 7", "-- end --", "Exported on 30 Nov 2026") + "\n")
		}
		text := b.Bytes()
		if r.IntN(2) == 0 {
			text = bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))
		}
		switch r.IntN(4) {
		case 0:
			text = append([]byte("\xef\xbb\xbf"), text...)
		case 1:
			text, _ = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes(text)
		case 2:
			text, _ = unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewEncoder().Bytes(text)
		}
		path := filepath.Join(t.TempDir(), "l.csv")
		require.NoError(t, os.WriteFile(path, text, 0o600))
		l, err := ReadDomains(path)
		require.NoError(t, err, "%d\n%s", n, b.String())
		require.Equal(t, want, said(l), "%d\n%s", n, b.String())
	}
}

func TestListsOfOtherForms(t *testing.T) {
	f := excelize.NewFile()
	for i, row := range [][]any{{"Client"}, {}, {"Domain", "Expires"}, {"a.example", 46387},
		{"b.example", "31.12.2026"}, {"Sum", 2}} {
		require.NoError(t, f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	path := filepath.Join(t.TempDir(), "l.xlsx")
	require.NoError(t, f.SaveAs(path))
	l, err := ReadDomains(path)
	require.NoError(t, err)
	assert.Equal(t, []string{"a.example 2026-12-31[]", "b.example 2026-12-31[]"}, said(l))
	old, err := charmap.Windows1252.NewEncoder().String("Domain,Note\nmøllehuset.example,Mühle\n")
	require.NoError(t, err)
	l, err = ReadDomains(write(t, "l.csv", old))
	require.NoError(t, err)
	assert.Equal(t, web.MustParseHost("møllehuset.example"), l.Domains[0].Name)
	assert.Equal(t, "Mühle", l.Domains[0].Note)
	l, err = ReadDomains(write(t, "l.txt",
		"# mine\nhttps://www.a.example/x\nb.example\n\nmail.b.example\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"a.example []", "b.example [mail]"}, said(l))
	e := NewEstate(web.Door{}, "", nil, l.Domains)
	read, err := ReadUndecided(write(t, "upperpath.yaml", e))
	require.NoError(t, err, e)
	assert.Len(t, read.Domains, 2)
	assert.True(t, read.Canonical.IsZero())
}
