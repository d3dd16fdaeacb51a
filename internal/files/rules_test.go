package files

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/rule"
	"upperpath.example/upperpath/internal/core/web"
)

func TestEditedRulesKeepEverythingElse(t *testing.T) {
	const mark = "\xef\xbb\xbf"
	for name, c := range map[string]struct {
		text  string
		edits map[int]Edit
		want  string
	}{
		"nothing": {"old,new\n# a\n\na,b\n", nil, "old,new\n# a\n\na,b\n"},
		"a field, its quotes, an extra column and a comment": {"# top\nnote, Old ,who,new\n\"x, " +
			"\"\"y\"\"\",old.example/a,me,\"/b\"\n# end",
			map[int]Edit{3: {Set: map[string]string{"new": "/c,d"}}},
			"# top\nnote, Old ,who,new\n\"x, \"\"y\"\"\",old.example/a,me,\"/c,d\"\n# end"},
		"a mark, CRLF and semicolons": {mark + "old;new;status\r\n# a;b\r\n\r\na;b;301\r\nc;d;\r\n",
			map[int]Edit{4: {Set: map[string]string{"new": "/e;f"}}, 5: {Drop: true}},
			mark + "old;new;status\r\n# a;b\r\n\r\na;\"/e;f\";301\r\n"},
		"a short line": {
			"old,new,status,query\na,b\n", map[int]Edit{2: {Set: map[string]string{"query": "drop"}}},
			"old,new,status,query\na,b,,drop\n",
		},
		"no line end at the end, and more": {
			"old,new,note\na,b,why",
			map[int]Edit{2: {Added: []map[string]string{{"old": "c"}, {"new": "d"}}}},
			"old,new,note\na,b,why\nc,b,why\na,d,why",
		},
		"a field over two lines": {
			"old,new,note\na,b,\"one\r\ntwo\"\nc,d,\n",
			map[int]Edit{2: {Set: map[string]string{"new": "x"}}, 4: {Set: map[string]string{"new": "y"}}},
			"old,new,note\na,x,\"one\r\ntwo\"\nc,y,\n",
		},
		"two columns of one name": {
			"old,new,new\na,b,c\n", map[int]Edit{2: {Set: map[string]string{"new": "x"}}},
			"old,new,new\na,x,c\n",
		},
		"a comment before what is dropped": {
			"old,new\n# kept\na,b\nc,d\n", map[int]Edit{3: {Drop: true}}, "old,new\n# kept\nc,d\n",
		},
		"a line that is dropped at the end": {"old,new\na,b\nc,d", map[int]Edit{3: {Drop: true}},
			"old,new\na,b\n"},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := EditRules("rules.csv", []byte(c.text), c.edits)
			require.NoError(t, err)
			assert.Equal(t, c.want, string(got))
		})
	}
	_, err := EditRules("rules.csv", []byte("old,new\na,b\n"),
		map[int]Edit{2: {Set: map[string]string{"query": "drop"}}})
	assert.ErrorContains(t, err, `there is no column query to write "drop" into`)
	_, err = EditRules("rules.csv", []byte("old,new\na,\"b\n"), nil)
	assert.Error(t, err, "a file that cannot be read is not half written")
}

func TestAppendedRulesStandInTheirColumns(t *testing.T) {
	rows := [][]string{{"a", "/b,c", "301", "", "from x"}, {"d", "", "410", "", ""}}
	columns := []string{"old", "new", "status", "query", "note"}
	for text, want := range map[string]string{
		"status;old;new\r\n# a": "status;old;new\r\n# a\r\n301;a;/b,c\r\n410;d;\r\n",
		"old,new,status,query,note\n": "old,new,status,query,note\na,\"/b,c\",301,,from x\n" +
			"d,,410,,\n",
		"\xef\xbb\xbfnote,new,status,old": "\xef\xbb\xbfnote,new,status,old\nfrom x,\"/b,c\",301,a\n" +
			",,410,d\n",
	} {
		got, err := AppendRules("rules.csv", []byte(text), columns, rows)
		require.NoError(t, err)
		assert.Equal(t, want, string(got))
	}
	_, err := AppendRules("rules.csv", []byte("old,new\n"), columns, rows)
	assert.ErrorContains(t, err, "there is no column status")
}

// records gives the records of a table with the fields of each.
func records(t *table) (all [][]string, lines []int, whole bool) {
	r := t.reader()
	for {
		record, err := r.Read()
		if err != nil {
			return all, lines, err.Error() == "EOF"
		}
		line, _ := r.FieldPos(0)
		all, lines = append(all, record), append(lines, line)
	}
}

func FuzzEditRules(f *testing.F) {
	f.Add("old,new,status\na,b,301\n# c\n\"d\",e,\n", "/x,\"y\"")
	f.Add("\xef\xbb\xbfold;new\r\na;\"b\r\nc\"\r\n", ";")
	f.Add("new,old\n \n#\n\"\"\"\",\"\"", "")
	f.Fuzz(func(t *testing.T, text, value string) {
		before, err := headed("rules.csv", []byte(text))
		if err != nil {
			return
		}
		same, err := EditRules("rules.csv", []byte(text), nil)
		was, lines, whole := records(before)
		if !whole {
			require.Error(t, err)
			return
		}
		require.NoError(t, err)
		require.Equal(t, text, string(same), "without edits nothing changes")
		at, have := before.columns["new"]
		if !have || len(lines) < 2 || strings.ContainsAny(value, "\r") {
			return
		}
		edited, err := EditRules("rules.csv", []byte(text),
			map[int]Edit{lines[1]: {Set: map[string]string{"new": value}}})
		require.NoError(t, err)
		after, err := headed("rules.csv", edited)
		require.NoError(t, err)
		is, _, whole := records(after)
		require.True(t, whole, "%q", edited)
		if value == "" && len(was[1]) == 1 && len(is) == len(was)-1 {
			return // a line that holds nothing any more is none
		}
		require.Len(t, is, len(was), "%q", edited)
		for i := range was {
			if i != 1 {
				require.Equal(t, was[i], is[i])
				continue
			}
			for len(was[1]) <= at {
				was[1] = append(was[1], "")
			}
			was[1][at] = value
			require.Equal(t, was[1], is[1], "%q", edited)
		}
	})
}

// FuzzReadRules reads whole tables: whatever they hold, there are rules or faults that name their
// line.
func FuzzReadRules(f *testing.F) {
	f.Add("old,new,status,query,note\nold.example/{a}?b={c:digits},/{a}/{c}#x,301,drop,\n")
	f.Add("old;new\nold.example/{+r};https://{x}.n.example/\n\"")
	f.Add("\xef\xbb\xbfold;new\r\n\"old.example/\"\"x\";/y\r\n# c\n")
	scope := rule.Scope{Holds: func(h web.Host) bool {
		return strings.HasSuffix(h.String(), "old.example")
	}}
	f.Fuzz(func(t *testing.T, text string) {
		path := filepath.Join(t.TempDir(), "rules.csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		rules, err := ReadRules(path, scope)
		if err != nil {
			require.Contains(t, err.Error(), "rules.csv")
			return
		}
		table := rule.Compile(rules, scope)
		for _, r := range rules {
			// What is written is read again as the same rule.
			again, faults := rule.Parse(
				[]rule.Row{
					{
						Line:   r.Line,
						Old:    r.Old.String(),
						New:    r.New.String(),
						Status: map[bool]string{true: "410"}[r.Status == rule.Gone],
					},
				},
				scope,
			)
			require.Empty(t, faults, "%s", r.Old)
			require.Equal(t, r.Old.String(), again[0].Old.String())
			require.Equal(t, r.New.String(), again[0].New.String())
			if u, ok := table.Example(r); ok {
				m, _ := table.Lookup(u)
				m.Location(web.Door{Scheme: web.HTTPS, Host: web.MustParseHost("www.n.example")})
			}
		}
	})
}
