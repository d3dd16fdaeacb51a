package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/wording"
)

// Comparison is what two surveys differ in.
type Comparison struct {
	Schema  string                     `json:"schema"`
	Before  time.Time                  `json:"before"`
	After   time.Time                  `json:"after"`
	Domains map[string][]record.Change `json:"domains"` // those that both saw

	OnlyBefore []string `json:"only_before,omitempty"` // not looked at, or not seen, by the later one
	OnlyAfter  []string `json:"only_after,omitempty"`  // not looked at, or not seen, by the earlier one

	Unseen map[string][]record.Key `json:"unseen,omitempty"` // by domain: seen by one, and not answered for the other
}

// Compare is what came, went and changed between two surveys.
func Compare(before, after *survey.Survey) Doc {
	compared := survey.Compare(before, after)
	c := Comparison{"upperpath/compare/1", before.Started, after.Started, map[string][]record.Change{},
		compared.OnlyBefore, compared.OnlyAfter, compared.Unseen}
	for name, list := range compared.Changes {
		c.Domains[name] = append([]record.Change{}, list...)
	}
	return Doc{
		Name: "comparison",
		Title: fmt.Sprintf("From %s to %s", before.Started.Format("2006-01-02 15:04"),
			after.Started.Format("2006-01-02 15:04 MST")),
		Blocks: of(compareBlocks(compared, before, after)...),
		Data:   c,
	}
}

func compareBlocks(compared survey.Comparison, before, after *survey.Survey) []Block {
	t := Table{Sheet: "changes", Head: []string{"domain", "name", "type", "before", "after", "what"}, Order: true,
		More: command("--format csv") + " has them all"}
	for _, name := range slices.Sorted(maps.Keys(compared.Changes)) {
		for _, c := range compared.Changes[name] {
			was, is := changeTexts(c)
			tone := map[record.Action]Tone{record.Went: Failed, record.Changed: Warned, record.Came: Noted}[c.Action]
			t.Rows = append(t.Rows, []Cell{{Text: words(unicodeName(name))}, {Text: words(record.Label(c.Name, name))},
				{Text: words(c.Type)}, {Text: was}, {Text: is}, {words(string(c.Action)), tone}})
		}
	}
	blocks := []Block{compareVerdict(len(t.Rows), compared)}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	aside := func(format string, args ...any) {
		blocks = append(blocks, Paragraph{Text: wordsf(format, args...), Soft: true, Gap: true})
	}
	for _, part := range []*survey.Survey{before, after} {
		if n := partials(part); n > 0 {
			aside("partial: the survey of %s saw %s by asking for names alone", part.Started.Format("2006-01-02 15:04"),
				wording.Count(n, "zone"))
		}
	}
	if all := compared.OnlyBefore; len(all) > 0 {
		aside("not compared, because the later survey did not see them: %s", strings.Join(all, ", "))
	}
	if all := compared.OnlyAfter; len(all) > 0 {
		aside("not compared, because the earlier survey did not see them: %s", strings.Join(all, ", "))
	}
	for _, name := range slices.Sorted(maps.Keys(compared.Unseen)) {
		var keys []string
		for _, k := range compared.Unseen[name] {
			keys = append(keys, k.Name+" "+k.Type)
		}
		aside("not seen in one of the two surveys, because nobody answered: %s", strings.Join(keys, ", "))
	}
	return blocks
}

// compareVerdict says how much differs, and says nothing where nothing could be compared.
func compareVerdict(total int, compared survey.Comparison) Verdict {
	switch {
	case len(compared.Changes) == 0:
		return Verdict{Tone: Unseen, Says: words("Nothing could be compared.")}
	case total == 0:
		return Verdict{Tone: Good, Says: words("No record set differs.")}
	}
	return Verdict{
		Tone: Warned,
		Says: wordsf("%s %s.", wording.Count(total, "record set"), wording.Verb(total, "differs", "differ")),
	}
}

func changeTexts(c record.Change) (before, after Text) {
	values := func(s *record.Set) Text {
		if s == nil {
			return nil
		}
		return stack(s.Values)
	}
	before, after = values(c.Before), values(c.After)
	if c.Before != nil && c.After != nil && record.SameValues(c.Before.Values, c.After.Values) {
		return wordsf("TTL %d s", c.Before.TTL), wordsf("TTL %d s", c.After.TTL)
	}
	return before, after
}
