package files

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/unicode"

	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/web"
)

// gathers reads a text as a file of a name, and gives what came of it: URL, weight and further
// columns a line.
func gathers(t *testing.T, name string, data []byte, set func(*OldURLs)) (string, *OldURLs, error) {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, data, 0o600))
	o := &OldURLs{To: old.NewGathering(old.DefaultLeaveOut()), Door: web.Door{Scheme: web.HTTP,
		Host: web.MustParseHost("old.example")}}
	if set != nil {
		set(o)
	}
	err := o.Add(path)
	var lines []string
	for _, e := range o.To.(*old.Gathering).Entries() {
		lines = append(
			lines,
			strings.TrimSpace(fmt.Sprintf("%s %d %s %s", e.URL, e.Weight, e.Method,
				strings.Join(e.More, "|"))),
		)
	}
	return strings.Join(lines, "\n"), o, err
}

func squeezed(t *testing.T, text string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	_, err := z.Write([]byte(text))
	require.NoError(t, errors.Join(err, z.Close()))
	return b.Bytes()
}

const combined = `203.0.113.9 - - [01/Nov/2026:10:00:00 +0000] "GET /a?x=1 HTTP/1.1" 200 12 "https://p.example/" "Mozilla/5.0"
203.0.113.9 - bob [01/Nov/2026:10:00:01 +0000] "GET /a?x=1 HTTP/2.0" 304 0 "-" "-"
`

func TestOldURLsComeInManyForms(t *testing.T) {
	var packed bytes.Buffer
	z, err := zstd.NewWriter(&packed)
	require.NoError(t, err)
	_, err = z.Write([]byte(combined))
	require.NoError(t, errors.Join(err, z.Close()))
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).
		NewEncoder().
		Bytes([]byte("Address\tClicks\nold.example/a\t7\n"))
	require.NoError(t, err)
	book := excelize.NewFile()
	for i, row := range [][]any{{"Landing page", "Title", "Sessions"},
		{"http://old.example/a", "Ålesund", 12}, {"/b", "", "1.234"}} {
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	sheet, err := book.WriteToBuffer()
	require.NoError(t, err)
	for name, c := range map[string]struct {
		file string
		data string
		is   string
	}{
		"a list": {"list.txt",
			"# old\nhttp://old.example/a\n/b?c=d\n\nold.example/e\r\nHTTP://OLD.example/a#x\n",
			"http://old.example/a 0\nhttp://old.example/b?c=d 0\nhttp://old.example/e 0"},
		"a sitemap": {"sitemap.xml",
			`<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"
			xmlns:image="http://www.google.com/schemas/sitemap-image/1.1"><url><loc> http://old.example/a?b=1&amp;c=2 </loc>
			<image:image><image:loc>http://old.example/p.png</image:loc></image:image></url></urlset>`,
			"http://old.example/a?b=1&c=2 0"},
		"a sitemap with languages": {"sitemap.xml",
			`<urlset xmlns:xhtml="http://www.w3.org/1999/xhtml"><url><loc>http://old.example/a</loc>` +
				`<xhtml:link rel="alternate" hreflang="nl" href=" http://old.example/nl/a "/></url></urlset>`,
			"http://old.example/a 0\nhttp://old.example/nl/a 0"},
		"a sitemap, compressed": {"sitemap.xml.gz",
			string(squeezed(t, "<urlset><url><loc>http://old.example/a</loc></url></urlset>")),
			"http://old.example/a 0"},
		"a feed": {"feed.rss",
			"<rss><channel><link>http://old.example/</link><item><link>http://old.example/a</link></" +
				"item></channel></rss>", "http://old.example/a 0"},
		"an Atom feed": {"feed",
			`<feed><link href="http://old.example/feed"/><entry>` +
				`<link href="http://old.example/a"/></entry></feed>`, "http://old.example/a 0"},
		"a log":       {"access.log", combined, "http://old.example/a?x=1 2"},
		"a log, gzip": {"access.log.1.gz", string(squeezed(t, combined)), "http://old.example/a?x=1 2"},
		"a log, zstd": {"access.log.2.zst", packed.String(), "http://old.example/a?x=1 2"},
		"a common log": {"access", "::1 - - [01/Nov/2026:10:00:00 +0000] \"GET / HTTP/1.0\" 200 -\n",
			"http://old.example/ 1"},
		"several hosts": {"vhosts.log",
			"www.old.example:443 203.0.113.9 - - [01/Nov/2026:10:00:00 +0000] \"GET /a HTTP/1.1\" 200 1\n",
			"http://www.old.example/a 1"},
		"odd requests": {"log",
			combined + `h - - [x] "-" 408 0` + "\n" + `h - - [x] "GET /q\"q\x5c\xc3\xa5 HTTP/1.1" 200 1` +
				"\n" +
				`h - - [x] "POST /form HTTP/1.1" 303 1` + "\n" +
				`h - - [x] "GET http://old.example/abs HTTP/1.1" 200 1` + "\n",
			"http://old.example/a?x=1 2\nhttp://old.example/abs 1\nhttp://old.example/form 1 POST\n" +
				"http://old.example/q\"q/%C3%A5 1"},
		"a table": {"export.csv",
			"\ufeff\"Page URL\";Title;Visits\nhttp://old.example/a;\"A; b\";1.234\n;nothing;1\n" +
				"/b;;\"12,5\"\n",
			"http://old.example/a 1234  A; b\nhttp://old.example/b 12"},
		"a table of Windows": {"alt.csv", "Adresse;Besuche;Ort\n/a;3;K\xf8ge\n",
			"http://old.example/a 3  Køge"},
		"a table, UTF-16": {"console.tsv", string(wide), "http://old.example/a 7"},
		"a workbook": {"export.xlsx", sheet.String(),
			"http://old.example/b 1234\nhttp://old.example/a 12  Ålesund"},
		"what we wrote": {"old-urls.csv",
			"url,weight,source,method,note,owner\nhttp://old.example/a,5,x,,,me\n",
			"http://old.example/a 5  me"},
		"a HAR": {"visit.har",
			`{"log":{"version":"1.2","pages":[{"a":{}}],"entries":[` +
				`{"request":{"method":"GET","url":"http://old.example/a"},` +
				`"response":{"status":200}},{"request":{"method":"GET",` +
				`"url":"http://old.example/b.png"},"response":{"status":200}}]}}`,
			"http://old.example/a 1"},
	} {
		t.Run(name, func(t *testing.T) {
			is, _, err := gathers(t, c.file, []byte(c.data), nil)
			require.NoError(t, err)
			assert.Equal(t, c.is, is)
		})
	}
}

func TestWhatAnIndexNamesIsToBeReadNext(t *testing.T) {
	_, o,
		err := gathers(t, "index.xml",
		[]byte("<sitemapindex><sitemap><loc>http://old.example/s1.xml</loc></sitemap>"+
			"<sitemap><loc>http://old.example/s2.xml.gz</loc></sitemap></sitemapindex>"), nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"http://old.example/s1.xml", "http://old.example/s2.xml.gz"}, o.Maps)
}

func TestColumnsCanBeNamed(t *testing.T) {
	is, _,
		err := gathers(t, "x.csv", []byte("url,ziel,zahl\nhttp://old.example/a,http://old.example/b,4\n"),
		func(o *OldURLs) { o.URL, o.Weight = "Ziel", "zahl" })
	require.NoError(t, err)
	assert.Equal(t, "http://old.example/b 4", is)
	for text, says := range map[string]string{"a,b\n1,2\n": "no column is known to contain URLs"} {
		_, _, err := gathers(t, "x.csv", []byte(text), nil)
		require.ErrorContains(t, err, says)
	}
	_, _, err = gathers(t, "x.csv", []byte("url,b\n1,2\n"), func(o *OldURLs) { o.Weight = "c" })
	require.ErrorContains(t, err, "there is no column c")
}

// TestWhatIsMeantToHarmIsBounded has files that want to be read for ever, or to fill the memory.
func TestWhatIsMeantToHarmIsBounded(t *testing.T) {
	long := strings.Repeat("a", 40<<20)
	is, o, err := gathers(t, "list.txt", []byte("/a\n/"+long+"\n/b\n"), nil)
	require.NoError(t, err)
	assert.Equal(t, "http://old.example/a 0\nhttp://old.example/b 0", is)
	assert.Equal(t, int64(1), o.To.(*old.Gathering).Sources()[0].Out[old.TooLong].Count)
	_, o, err = gathers(t, "log", []byte(combined+`h - - [x] "GET /`+long+` HTTP/1.1" 200 1`+"\n"),
		nil)
	require.NoError(t, err)
	assert.Equal(t, int64(1), o.To.(*old.Gathering).Sources()[0].Out[old.TooLong].Count)
	for name, text := range map[string]string{
		"entities":           `<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><urlset><url><loc>&b;</loc></url></urlset>`,
		"depth":              "<urlset>" + strings.Repeat("<a>", 100_000),
		"not XML":            "<html><p>not found<br></p>",
		"an endless element": "<urlset><url><loc>" + long,
		"an endless cell":    "url,weight\n/a,\"" + long,
		"an endless object":  `{"log":{"comment":"` + long,
		"cut JSON":           `{"log":{"entries":[{"request":`,
		"no log":             `{"other":1}`,
		"cut gzip":           string(squeezed(t, strings.Repeat(combined, 1000))[:200]),
		"no XLSX":            "",
	} {
		file := "x"
		if name == "no XLSX" {
			file = "x.xlsx"
		}
		_, _, err := gathers(t, file, []byte(text), nil)
		require.Error(t, err, name)
		assert.Less(t, len(err.Error()), 600, name)
	}
	stop := errors.New("stop")
	_, _, err = gathers(t, "list.txt", []byte(strings.Repeat("/a\n", 100_000)), func(o *OldURLs) {
		o.Stop = func() error { return stop }
	})
	require.ErrorIs(t, err, stop)
}

func TestRulesForWhatIsLeftOutCanBeChanged(t *testing.T) {
	path := filepath.Join(t.TempDir(), "leave-out.yaml")
	require.NoError(t, os.WriteFile(path, LeaveOutText(old.DefaultLeaveOut()), 0o600))
	l, err := ReadLeaveOut(path)
	require.NoError(t, err)
	assert.Equal(t, old.DefaultLeaveOut(), l)
	require.NoError(t, os.WriteFile(path, []byte("robots: [x]\npart: [.pdf]\n"), 0o600))
	_, err = ReadLeaveOut(path)
	require.ErrorContains(t, err, "part")
}

func FuzzOldURLs(f *testing.F) {
	for _, s := range []string{combined, "url,weight\n/a,1\n",
		"<urlset><url><loc>/a</loc></url></urlset>", `{"log":{"entries":[]}}`,
		"/a\n", "Adresse;Ort\n\"", "www.x.example:443 h - - [x] \"GET \\x4 HTTP/1.1\" 200"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		o := &OldURLs{To: old.NewGathering(old.DefaultLeaveOut())}
		_ = o.AddFrom("x", "x", bytes.NewReader(data))
		for _, s := range o.To.(*old.Gathering).Sources() {
			var out int64
			for _, l := range s.Out {
				out += l.Count
			}
			require.Equal(t, s.Lines, s.Kept+out, "every line is taken or counted by its reason")
		}
		for _, e := range o.To.(*old.Gathering).Entries() {
			_, err := web.ParseURL(e.URL)
			require.NoError(t, err)
		}
	})
}

// BenchmarkAccessLog compares the gathering of a log with a plain reading of its lines in the same
// run.
func BenchmarkAccessLog(b *testing.B) {
	var text bytes.Buffer
	for i := range 200_000 {
		fmt.Fprintf(
			&text,
			"203.0.113.%d - - [01/Nov/2026:10:00:00 +0000] \"GET /page/%d.html HTTP/1.1\" 200 1234 \"-\" "+
				"\"Mozilla/5.0\"\n",
			i%250,
			i%50_000,
		)
	}
	b.SetBytes(int64(text.Len()))
	for range b.N {
		o := &OldURLs{To: old.NewGathering(old.DefaultLeaveOut()), Door: web.Door{Scheme: web.HTTP,
			Host: web.MustParseHost("old.example")}}
		if err := o.AddFrom("x", "x", bytes.NewReader(text.Bytes())); err != nil {
			b.Fatal(err)
		}
	}
}

func TestTheTableOfACrawlSaysWhichPagesExist(t *testing.T) {
	site := web.MustParseURL("https://www.n.example/").Door()
	read := func(name, text string) string {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		pages, err := ReadPages(path, site)
		require.NoError(t, err)
		var all []string
		for _, p := range pages {
			all = append(all, p.Path())
		}
		return strings.Join(all, " ")
	}
	assert.Equal(t, "/a /b",
		read("crawl.csv", "Address;Status Code;Title\nhttps://www.n.example/a;200;A\n/b;204;\n"+
			"/c;301;\n/d;404;\n/e;500;\n"))
	assert.Equal(
		t,
		"/a /b /e",
		read("gathered.csv", "url,weight,source,method,note\nhttps://www.n.example/a,0,crawl,,200 ×1\n"+
			"https://www.n.example/b,0,crawl,,\"301 ×2, 200 ×1\"\nhttps://www.n.example/c,0,crawl,,301 ×1\n"+
			"https://www.n.example/d,0,crawl,,410 ×1; linked from portal.example\n"+
			"https://www.n.example/e,0,list,,\n"),
		"what gathering wrote of answers counts",
	)
	assert.Equal(
		t,
		"/x",
		read("pages.xml.gz",
			string(squeezed(t, "<urlset><url><loc>https://www.n.example/x</loc></url></urlset>"))),
	)
	path := filepath.Join(t.TempDir(), "odd.csv")
	require.NoError(t, os.WriteFile(path, []byte("url,title\nmailto:x,y\n/a,b\n"), 0o600))
	_, err := ReadPages(path, site)
	require.ErrorContains(t, err, "neither a path nor a URL")
}

func TestWeightsAreReadAsTablesWriteThem(t *testing.T) {
	for text, want := range map[string]int64{
		"": 0, "12": 12, "1,234": 1234, "1.234": 1234, "1'234": 1234, "1\u202f234": 1234,
		"1 234 567": 1234567,
		"1,234.56":  1234, "1.234,56": 1234, "12.5": 12, "12.50": 12, "0.5": 0, "0.125": 0,
		"1,00,000": 100_000,
		"12.5k":    12_500, "12,5K": 12_500, "1.2M": 1_200_000, "3b": 3_000_000_000, "1e5": 100_000,
		"1.5E+03": 1500,
		"-4":      0, "-": 0, "n/a": 0, "+7": 7, "1000000000000": 1_000_000_000_000, "1234567.8": 1234567,
		"2.3k": 2300,
	} {
		got, known := weightOf(text)
		assert.True(t, known, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"12%", "many", "1.2.3", "0x10", "9223372036854775807", "1e30",
		"1e99", "12.5 kg", "--3",
		"1000000000001", "٣"} {
		got, known := weightOf(text)
		assert.False(t, known, text)
		assert.Zero(t, got, text)
	}
}

// FuzzWeight looks whether a weight is ever below 0 or more than anybody counts.
func FuzzWeight(f *testing.F) {
	for _, text := range []string{"1,234.5", "12.5k", "1e5", "-3", "9223372036854775808", "n/a"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		n, known := weightOf(text)
		assert.True(t, n >= 0 && n <= old.MostWeight, "%q is %d", text, n)
		assert.False(t, !known && n != 0, text)
	})
}
