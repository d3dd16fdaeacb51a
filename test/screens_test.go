package test

import (
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// screens are what a person sees who works through the demo in a terminal of 80 columns, in this
// order, and how many lines that may be at most.
var screens = []struct {
	name, line string
	most       int // lines; 0: it is a list, as long as what it lists
}{
	{"demo", "upperpath demo --dir again", 70},
	{"look", "upperpath look lacemill-museum.example", 40},
	{"look-url", "upperpath look https://www.northmoor.example/visit/ | sed 's/ [0-9.]* ms/ 1 ms/'",
		20},
	{"survey", "upperpath survey", 165},
	{"inventory", "upperpath inventory", 60},
	{"gather", "upperpath gather old-pages.csv", 30},
	{"cover", "upperpath cover", 80},
	{"plan", "upperpath plan", 60},
	{"plan-of-one", "upperpath plan ferryhouse.example", 90},
	{"plan-faulty", "upperpath plan --estate faulty/upperpath.yaml", 0},
	{"prove", "upperpath prove", 60},
	{"rules-try", "upperpath rules try https://slatequarry.example/tours", 30},
	{"rehearse", "upperpath rehearse", 60},
	{"write-sheet", "upperpath write sheet", 30},
	{"runbook", "upperpath runbook", 0},
	{"runbook-done", "upperpath runbook --done 1,7,8", 60},
	{"await", "upperpath await --for www.lacemill-museum.example --timeout 0s", 30},
	{"audit", "upperpath audit", 150},
	{"audit-quiet", "upperpath audit -q", 6},
	{"report", "upperpath report", 150},
	{"compare", "upperpath compare first last", 20},
	{"accept", "upperpath recheck --accept-all", 65},
	{"recheck", "upperpath recheck", 2},
	{"explain", "upperpath explain path-lost", 40},
}

// changing is what differs from run to run.
var changing = []struct {
	what *regexp.Regexp
	by   string
}{
	{regexp.MustCompile(`127\.0\.0\.1:[0-9]{4,5}`), "127.0.0.1:53000"},
	{regexp.MustCompile(`(?m)^[0-9:]{8}  first look`), "12:00:10  first look"},
	{regexp.MustCompile(`1[23]:[0-9]{2} UTC`), "12:58 UTC"},
	{regexp.MustCompile(`took [0-9.]+ s`), "took 5.0 s"},
	{regexp.MustCompile(`asked [0-9]+ questions`), "asked 12 questions"},
}

// TestEveryScreenOfTheDemo holds what each command prints in a terminal of 80 columns against its
// golden file, and counts its lines; UPDATE=1 writes them. No line is wider, but for one that is a
// single word to be copied.
func TestEveryScreenOfTheDemo(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("the lines are for a shell")
	}
	t.Parallel()
	dir := playedDemo(t)
	for _, s := range screens {
		out, code := shell(dir, s.line, "COLUMNS=80")
		require.Contains(t, []int{0, 1}, code, "%s\n%s", s.line, out)
		for _, c := range changing {
			out = c.what.ReplaceAllString(out, c.by)
		}
		lines := strings.Split(strings.TrimSuffix(out, "\n"), "\n")
		if s.most > 0 {
			assert.LessOrEqual(t, len(lines), s.most, s.name)
		}
		for _, line := range lines {
			copied := strings.HasPrefix(s.name, "runbook") && strings.HasPrefix(line, "          ") &&
				strings.Contains(line, ": ") // a value that is copied whole
			if utf8.RuneCountInString(line) > 80 && !copied {
				assert.LessOrEqual(t, len(strings.Fields(line)), widestFields, "%s: %s", s.name, line)
			}
		}
		golden := filepath.Join("testdata", "screens", s.name+".txt")
		if os.Getenv("UPDATE") != "" {
			require.NoError(t, os.MkdirAll(filepath.Dir(golden), 0o777))
			require.NoError(t, os.WriteFile(golden, []byte(out), 0o666))
		}
		want, err := os.ReadFile(golden)
		require.NoError(t, err)
		for i, line := range strings.Split(string(want), "\n") {
			got := strings.Split(out, "\n")
			if i >= len(got) || got[i] != line || i == len(got)-1 && string(want) != out {
				t.Errorf("%s: line %d is not as in %s, where it is\n%s\nbut\n%s", s.name, i+1, golden, line,
					got[min(i, len(got)-1)])
				break
			}
		}
	}
}

// widestFields is how many words a line may have that is wider than the terminal: a mark, a name,
// and what is too long for a line.
const widestFields = 3
