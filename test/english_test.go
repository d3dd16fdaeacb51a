package test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/cli"
	"upperpath.example/upperpath/internal/core/estate"
)

// barred are wordings that were replaced, and what stands in their place.
var barred = []struct{ old, instead string }{
	{`\bdoors? (is|are) clean\b`, "the doors work"},
	{`\b(you say|nobody says|nobody carries)\b`, "X has no carrier; its address is missing"},
	{`\b[Mm]end(s|ing)?\b`, "fix, correct"},
	{`\bplan (does not )?holds?\b`, "the plan works"},
	{`(?i)no way to (the address|[0-9])`, "unreachable"},
	{`(?i)nobody can tell`, "no estimate yet"},
	{`\bmakes? (it |them |this )?anew\b`, "rebuild"},
	{`\basks? anew\b|\basked anew\b`, "request again"},
	{`\blive with (it|them|that)\b`, "accept"},
	{`\bnothing is called\b`, "unknown"},
	{`\blook-ups?\b`, "lookup"},
	{`\bnot only you\b`, "others see this too"},
	{`\b[Ww]ay back\b`, "undo"},
	{`\b[Ww]orked if\b`, "check"},
	{`\b[Kk]ept as (survey|audit)\b`, "saved as"},
	{`\bBeside it:`, "other commands:"},
	{`\b[Jj]oin them into one\b`, "merge them"},
	{`\b[Hh]ave it renewed\b`, "renew it"},
	{`\bsay on stderr\b`, "log progress to stderr"},
	{`\b[Nn]othing wrong\b`, "no problem"},
	{`\bcaptures? (stand|are) side by side\b`, "next to each other"},
	{`\bcaptured nowhere\b`, "old has no capture"},
	{`\basked for twice\b`, "appears twice"},
	{`\bspeaks? http\b`, "uses http"},
	{`\bcomes? by https alone\b`, "use https only"},
	{`\bthe (old|new) ones\b`, "the previous, present or planned ones"},
	{`\bthe (new|old)[.,;:)]`, "a noun after it"},
	{`\b(is|are) not meant\b`, "not included"},
	{`\bnobody asked\b`, "name what was left out"},
	{`\bround in circles\b`, "a loop"},
	{`\bholds? (a|the) (line break|tab|control)\b`, "contains"},
	{`\bholds? no (domain|host|zone)\b`, "has no"},
	{`\bit is no (http|URL|host|page)\b`, "it is not a"},
	{`\b(is|are) there already\b`, "exists already"},
	{`\bcould not be looked at\b`, "unseen"},
	{`\b[Tt]he (first )?1 [a-z]`, "the change, not the 1 change"},
	{`\b[Aa]ll 1\b`, "the one"},
}

// counted are nouns that numbers stand before.
const counted = `door|rule|URL|zone|domain|record|record set|error|warning|note|change|step|host|` +
	`line|page|certificate|name server|address|row|pattern|redirect|hop`

// disagreeing are numbers whose noun or verb does not follow them.
var disagreeing = []*regexp.Regexp{
	regexp.MustCompile(`(?:^|[^0-9.,:/#–-])\b1 (?:old |other |more )?(` + plural(counted) + `)\b`),
	regexp.MustCompile(`(?:^|[^0-9.,:/–a-z-]|[^a]\s)` +
		`\b(?:0|[2-9]|[1-9][0-9]|[0-9]{4,}) (?:old |other )?(` + counted +
		`)\b(?:[.,;]|$| (?:is|are|of|at|in|to|that|on|does|do)\b)`),
	regexp.MustCompile(`(?:^|[^0-9.,:/–-])\b1 (` + counted + `) (are|were|do|have)\b`),
	regexp.MustCompile(`(?:[2-9]|[1-9][0-9]+) (` + plural(counted) + `) (is|was|does|has)\b`),
}

func plural(nouns string) string {
	all := strings.Split(nouns, "|")
	for i, n := range all {
		all[i] = n + "s"
		if strings.HasSuffix(n, "ss") {
			all[i] = n + "es"
		}
	}
	return strings.Join(all, "|")
}

// mostWords is how many words a sentence may have.
const mostWords = 30

// prose is a text that people read, and where it stands.
type prose struct{ where, text string }

// helpTexts gives all texts of the program's help.
func helpTexts() []prose {
	var all []prose
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		where := "help of " + c.CommandPath()
		all = append(all, prose{where, c.Short})
		for line := range strings.Lines(c.Example) {
			all = append(all, prose{where, strings.TrimSpace(line)})
		}
		for _, p := range paragraphs(c.Long) {
			all = append(all, prose{where, p})
		}
		c.LocalFlags().VisitAll(func(f *pflag.Flag) {
			all = append(all, prose{where + " --" + f.Name, f.Usage})
		})
		for _, below := range c.Commands() {
			if below.Name() != "completion" { // its texts are not ours
				walk(below)
			}
		}
	}
	walk(cli.Root())
	return all
}

// paragraphs parts a text where lines are empty or indented; the lines of each are joined.
func paragraphs(text string) []string {
	var all []string
	join := false
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\n")
		switch indented := strings.HasPrefix(line, "  "); {
		case strings.TrimSpace(line) == "":
			join = false
		case join && !indented:
			all[len(all)-1] += " " + line
		default:
			all = append(all, strings.TrimSpace(line))
			join = !indented
		}
	}
	return all
}

var (
	codeBlock = regexp.MustCompile("(?ms)^ *```.*?^ *```$")
	item      = regexp.MustCompile(`^\s*(?:[-*·]|[0-9]+\.) `)
)

// pageTexts gives the texts of a Markdown page, without code.
func pageTexts(t *testing.T, path string) []prose {
	t.Helper()
	page, err := os.ReadFile(path)
	require.NoError(t, err)
	var all []prose
	text := ""
	flush := func() {
		if text != "" {
			all = append(all, prose{filepath.Base(path), text})
		}
		text = ""
	}
	for line := range strings.Lines(codeBlock.ReplaceAllString(string(page), "")) {
		line = strings.TrimRight(line, "\n")
		switch {
		case strings.HasPrefix(line, "    ") && text == "": // code
		case strings.TrimSpace(line) == "", strings.HasPrefix(line, "#"):
			flush()
			text = strings.TrimLeft(line, "# ")
			flush()
		case strings.HasPrefix(line, "|"):
			flush()
			for cell := range strings.SplitSeq(line, "|") {
				all = append(all, prose{filepath.Base(path), strings.TrimSpace(cell)})
			}
		case item.MatchString(line):
			flush()
			text = item.ReplaceAllString(line, "")
		default:
			text = strings.TrimSpace(text + " " + strings.TrimSpace(line))
		}
	}
	flush()
	return all
}

var sentenceEnd = regexp.MustCompile(`[.!?]["')*]*(?:\s+|$)`)

// sentencesOf parts a text into sentences.
func sentencesOf(text string) []string { return sentenceEnd.Split(text, -1) }

// everyText gives all that people read: help, pages, the list of sentences, and golden files.
func everyText(t *testing.T) []prose {
	t.Helper()
	all := helpTexts()
	pages, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	for _, path := range append(pages, "../README.md", "../CONTRIBUTING.md") {
		all = append(all, pageTexts(t, path)...)
	}
	list, err := os.ReadFile("../internal/words/testdata/sentences.txt")
	require.NoError(t, err)
	for line := range strings.Lines(string(list)) {
		all = append(all, prose{"sentences.txt", strings.TrimSpace(line)})
	}
	return all
}

// TestTheEnglish reads everything that people read for wordings that were replaced, for sentences
// that are too long, and for numbers that their nouns or verbs do not follow.
func TestTheEnglish(t *testing.T) {
	var rules []*regexp.Regexp
	for _, b := range barred {
		rules = append(rules, regexp.MustCompile(b.old))
	}
	hold := func(where, text string) {
		for i, r := range rules {
			if found := r.FindString(text); found != "" {
				t.Errorf("%s: %q: write %s\n    %s", where, found, barred[i].instead, text)
			}
		}
		for _, r := range disagreeing {
			if found := r.FindString(text); found != "" {
				t.Errorf("%s: %q does not agree\n    %s", where, found, text)
			}
		}
	}
	all := everyText(t)
	require.Greater(t, len(all), 2500)
	for _, p := range all {
		hold(p.where, p.text)
		for _, s := range sentencesOf(p.text) {
			if n := len(strings.Fields(s)); n > mostWords {
				t.Errorf("%s: a sentence of %d words\n    %s", p.where, n, s)
			}
		}
	}
	golden := 0
	err := filepath.WalkDir("../internal", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.Contains(path, "/testdata/") ||
			strings.Contains(path, "/fuzz/") || filepath.Ext(path) != ".txtar" {
			return err
		}
		golden++
		text, err := os.ReadFile(path)
		for line := range strings.Lines(string(text)) {
			hold(path, strings.TrimSpace(line))
		}
		return err
	})
	require.NoError(t, err)
	assert.Greater(t, golden, 5)
}

// TestWhatTextsNameExists holds the commands, options and keys that texts name against the program.
func TestWhatTextsNameExists(t *testing.T) {
	commands, flags := map[string]bool{}, map[string]bool{"help": true, "version": true}
	var walk func(c *cobra.Command, path string)
	walk = func(c *cobra.Command, path string) {
		path = strings.TrimSpace(path + " " + c.Name())
		commands[path] = true
		c.LocalFlags().VisitAll(func(f *pflag.Flag) { flags[f.Name] = true })
		c.PersistentFlags().VisitAll(func(f *pflag.Flag) { flags[f.Name] = true })
		for _, below := range c.Commands() {
			walk(below, path)
		}
	}
	walk(cli.Root(), "")
	keys := map[string]bool{}
	for _, k := range estate.Keys() {
		keys[k.Name] = true
		keys[k.Section+"."+k.Name] = true
		keys[k.Section] = true
	}
	named := regexp.MustCompile(`\bupperpath ([a-z]+)(?: ([a-z]+))?`)
	option := regexp.MustCompile(`(?:^|[ (\x60])--([a-z][a-z-]*)`)
	key := regexp.MustCompile(`\b(?:write|under|out of) ([a-z]+(?:-[a-z]+)*):(?: |[.,)]|$)`)
	dotted := regexp.MustCompile(`\b(site|policy|defaults)\.([a-z]+(?:-[a-z]+)*)\b`)
	seen := 0
	for _, p := range everyText(t) {
		for _, m := range named.FindAllStringSubmatch(p.text, -1) {
			seen++
			assert.True(t, commands["upperpath "+m[1]] || notCommands[m[1]], "%s: %s\n%s", p.where, m[0],
				p.text)
		}
		for _, m := range option.FindAllStringSubmatch(p.text, -1) {
			seen++
			assert.True(t, flags[m[1]] || othersOptions[m[1]], "%s: --%s\n%s", p.where, m[1], p.text)
		}
		for _, m := range key.FindAllStringSubmatch(p.text, -1) {
			seen++
			assert.True(t, keys[m[1]] || notKeys[m[1]], "%s: %s\n%s", p.where, m[0], p.text)
		}
		for _, m := range dotted.FindAllStringSubmatch(p.text, -1) {
			seen++
			assert.True(t, keys[m[0]], "%s: %s\n%s", p.where, m[0],
				p.text)
		}
	}
	assert.Greater(t, seen, 300, fmt.Sprint(seen))
}

// notCommands are words that follow the program's name without being commands.
var notCommands = map[string]bool{}

// othersOptions are options of other programs.
var othersOptions = map[string]bool{"now": true}

// notKeys are words before a colon that are no keys.
var notKeys = map[string]bool{"instead": true, "gateway": true, "key": true}
