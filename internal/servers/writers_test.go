package servers

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/files"
)

func load(t *testing.T, archive *txtar.Archive) []predict.Treatment {
	t.Helper()
	dir := t.TempDir()
	for _, f := range archive.Files {
		if strings.Contains(f.Name, "/") {
			continue // what was written
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, f.Name), f.Data, 0o600))
	}
	e, err := files.ReadEstate(filepath.Join(dir, "upperpath.yaml"))
	require.NoError(t, err)
	return predict.New(predict.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules,
		Pages: e.Pages}).
		Held("gateway")
}

// TestEveryWriterWritesTheCases writes the estate of every case of testdata for every server, in
// every form, and compares; UPDATE=1 writes the cases anew. That servers understand it, and answer
// so, is tested with real ones in test/peers.
func TestEveryWriterWritesTheCases(t *testing.T) {
	cases, err := filepath.Glob("testdata/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	for _, path := range cases {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		doors := load(t, archive)
		var input []txtar.File
		for _, f := range archive.Files {
			if strings.HasSuffix(f.Name, ".yaml") || strings.HasSuffix(f.Name, ".csv") {
				input = append(input, f)
			}
		}
		made := &txtar.Archive{Comment: archive.Comment, Files: input}
		for _, w := range Writers() {
			for _, form := range append([]Form{{}}, w.Forms...) {
				o := Options{HTTP: []string{"127.0.0.1:8080"}, HTTPS: []string{"127.0.0.1:8443"},
					Certificates: "/c", Challenges: "/w", Form: form.Name}
				if w.ByAddress {
					o.Challenges = "127.0.0.1:8008"
				}
				out, err := w.Write(doors, o)
				require.NoError(t, err, path)
				says := ""
				for _, f := range out.Findings {
					says += f.Says.String() + "\n"
				}
				for _, f := range append(out.Files, File{"says.txt", []byte(says)}) {
					made.Files = append(made.Files,
						txtar.File{Name: w.Name + form.Name + "/" + f.Name, Data: f.Text})
				}
			}
		}
		if os.Getenv("UPDATE") != "" {
			require.NoError(t, os.WriteFile(path, txtar.Format(made), 0o644))
			continue
		}
		assert.Equal(t, string(txtar.Format(archive)), string(txtar.Format(made)), path)
	}
}

// TestNothingInARuleBecomesADirective writes rules that would end a word, a line or a comment, and
// names of folders that do.
func TestNothingInARuleBecomesADirective(t *testing.T) {
	p := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [{name: old.example, leads-to: "/$1${HOME}x%{ENV:X}"}]
rules: rules.csv
-- rules.csv --
old,new
old.example/a,/x#f%0AX-Evil:%201
"old.example/b""; return 200; ",/$host$%7BHOME%7D%25%7BREMOTE_ADDR%7D
old.example/c\,"/d\"
old.example/{x}\,"/d\{x}$1$"
`)))
	for _, w := range Writers() {
		o := Options{Certificates: `/c "$x\`, Challenges: `/w $HOME"; evil`}
		if w.Name == "haproxy" || w.Name == "caddy" { // which refuse such names
			assert.ErrorContains(t, w.Refuses(o), "expected a name without it")
			o = Options{}
		}
		out, err := w.Write(p, o)
		require.NoError(t, err)
		for _, f := range out.Files {
			for line := range strings.SplitSeq(string(f.Text), "\n") {
				assert.NotRegexp(t, "^\\s*(X-Evil|evil|return 200)", line, "%s", f.Name)
				if strings.HasPrefix(strings.TrimSpace(line), "#") {
					continue
				}
				if w.Name == "apache" {
					assert.NotContains(t, line, "${HOME}", "%s: it would be put in by the configuration", f.Name)
					assert.NotContains(t, line, " %{REMOTE_ADDR}")
				}
			}
		}
		_, err = w.Write(p, Options{Certificates: "/c\nevil"})
		assert.ErrorContains(t, err, "a line break")
	}
}

func TestWritersRefuseTiedRules(t *testing.T) {
	p := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [old.example]
rules: rules.csv
-- rules.csv --
old,new
old.example/a/{x},/1
old.example/{y}/b,/2
`)))
	for _, w := range Writers() {
		_, err := w.Write(p, Options{})
		assert.ErrorContains(t, err, "https://old.example/a/b")
	}
}

func TestWordsAreWrittenSafely(t *testing.T) {
	assert.Equal(t, "/x%0AX-Evil:%201%09%00%C3%A9", cleanTarget("/x\nX-Evil: 1\t\x00é"),
		"whatever a reader lets through")
	assert.Equal(t, `"a\"b\\c\n$d"`, quote("a\"b\\c\n$d"))
	assert.Equal(t, `"${up_dollar}uri;{}"`, quoteValue("$uri;{}"))
	assert.Equal(t, `/(?:a|%61)%2[Ff]\x28(?:\x7e|%7[Ee])(?:%7[Cc]|\x7c)`, literalRegexp("/a%2F(~%7C"))
	assert.True(t, encodedReserved("/a%2Fb"))
	assert.True(t, encodedReserved("/a%3Fb"))
	assert.False(t, encodedReserved("/caf%C3%A9%20%25"))
}

func TestParseListen(t *testing.T) {
	o, err := ParseListen([]string{"http=127.0.0.1:8080", "https=[::1]:8443", "http=*:80"})
	require.NoError(t, err)
	assert.Equal(t, []string{"127.0.0.1:8080", "*:80"}, o.HTTP)
	for _, bad := range []string{"", "http", "http=80", "ftp=127.0.0.1:21", "http=a b:80",
		"http=127.0.0.1:80;evil"} {
		_, err := ParseListen([]string{bad})
		assert.Error(t, err, bad)
	}
}

func TestARuleIsTooLongAsNginxReadsIt(t *testing.T) {
	accents := strings.Repeat(
		"%C3%A9",
		400,
	) // 2,400 octets of a map, but more of an expression, which takes every spelling
	p := load(t, &txtar.Archive{Files: []txtar.File{
		{
			Name: "upperpath.yaml",
			Data: []byte(
				"canonical: https://www.n.example\n" +
					"carriers: {gateway: {by: server, addresses: [203.0.113.20]}}\n" +
					"domains: [old.example]\nrules: rules.csv\n",
			),
		},
		{
			Name: "rules.csv",
			Data: []byte(
				"old,new\nold.example/" + accents + ",/x\nold.example/" + accents + "/{x},/y\nold.example/" +
					accents + "?p=1,/z\n",
			),
		},
	}})
	out, err := nginxWriter.Write(p, Options{})
	require.NoError(t, err)
	var says []string
	for _, f := range out.Findings {
		assert.Contains(t, f.Says.String(), "longer than the 3900 octets")
		says = append(says, f.Subject)
	}
	assert.ElementsMatch(t, []string{"rules line 3", "rules line 4"}, says)
}

func TestLargeTablesGetLargerHashes(t *testing.T) {
	var rules strings.Builder
	rules.WriteString("old,new\n")
	for i := range 800 {
		fmt.Fprintf(&rules, "old.example/%s%d,/x\n", strings.Repeat("long/", 80), i)
	}
	p := load(t, &txtar.Archive{Files: []txtar.File{
		{
			Name: "upperpath.yaml",
			Data: []byte(
				"canonical: https://www.n.example\n" +
					"carriers: {gateway: {by: server, addresses: [203.0.113.20]}}\n" +
					"domains: [old.example]\nrules: rules.csv\n",
			),
		},
		{Name: "rules.csv",
			Data: []byte(rules.String() + "old.example/" + strings.Repeat("x", 4000) + ",/x\n")},
	}})
	out, err := nginxWriter.Write(p, Options{})
	require.NoError(t, err)
	assert.True(t, strings.Contains(string(out.Files[0].Text), "map_hash_max_size 4096;"))
	assert.True(t, strings.Contains(string(out.Files[0].Text), "map_hash_bucket_size 512;"))
	require.Len(t, out.Findings, 1, "a path that nginx cannot read is said")
	assert.Contains(t, out.Findings[0].Says.String(), "longer than the 3900 octets")
}

// TestTwoEstatesNameTheirVariablesApart writes two estates for one nginx, where a variable of one
// would replace that of the other.
func TestTwoEstatesNameTheirVariablesApart(t *testing.T) {
	maps := func(domain string) map[string]string {
		p := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [`+domain+`]
rules: rules.csv
-- rules.csv --
old,new
`+domain+`/a,/b?from=`+domain+`
`+domain+`/{x}/b,/`+domain+`/{x}
`)))
		out, err := nginxWriter.Write(p, Options{})
		require.NoError(t, err)
		all := map[string]string{}
		for _, m := range regexp.MustCompile(`(?s)\nmap \S+ (\S+) `+
			`\{\s(.*?)\s\}\n`).FindAllStringSubmatch(string(out.Files[0].Text), -1) {
			all[m[1]] = m[2]
		}
		return all
	}
	one, other := maps("old.example"), maps("elder.example")
	assert.GreaterOrEqual(t, len(one), 9)
	for name, text := range one {
		if also, there := other[name]; there {
			assert.Equal(t, text, also, "%s is another map in the other file", name)
		}
	}
}

// TestOneServerForBothSchemesWhereThatIsRead counts the servers of small and large files.
func TestOneServerForBothSchemesWhereThatIsRead(t *testing.T) {
	for n, servers := range map[int]int{mostRead: 2, mostRead + 1: 3} {
		var rules strings.Builder
		for i := range n {
			fmt.Fprintf(&rules, "old.example/a%d,/b%d\n", i, i)
		}
		doors := load(t, txtar.Parse([]byte(`
-- upperpath.yaml --
canonical: https://www.n.example
carriers: {gateway: {by: server, addresses: [203.0.113.20]}}
domains: [old.example]
rules: rules.csv
-- rules.csv --
old,new
`+rules.String())))
		out, err := nginxWriter.Write(doors, Options{})
		require.NoError(t, err)
		text := string(out.Files[0].Text)
		assert.Equal(t, servers, strings.Count(text, "\nserver {"), n)
		assert.Equal(t, servers == 2, strings.Contains(text, "error_page 418"), n)
		assert.Equal(t, servers == 3, strings.Contains(text, "location ^~"), n)
	}
}
