package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
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

	New     []recheck.Item `json:"new"`     // findings
	Mended  []recheck.Item `json:"mended"`  // findings
	Changed []recheck.Item `json:"changed"` // what is no record
	Same    int            `json:"same"`    // findings
}

// Compare is what came, went and changed between two surveys; n is the same two as states.
func Compare(before, after *survey.Survey, n *recheck.News) doc.Doc {
	compared := survey.Compare(before, after)
	c := Comparison{"upperpath/compare/1", before.Started, after.Started, map[string][]record.Change{},
		compared.OnlyBefore, compared.OnlyAfter, compared.Unseen, n.New, n.Mended, besideRecords(n), n.Known}
	for name, list := range compared.Changes {
		c.Domains[name] = append([]record.Change{}, list...)
	}
	return doc.Doc{
		Name: "comparison",
		Title: fmt.Sprintf("From %s to %s", before.Started.Format("2006-01-02 15:04"),
			after.Started.Format("2006-01-02 15:04 MST")),
		Blocks: doc.Of(compareBlocks(compared, before, after, n)...),
		Data:   c,
	}
}

// besideRecords gives what changed and is no record: records stand in a table.
func besideRecords(n *recheck.News) []recheck.Item {
	return slices.DeleteFunc(slices.Clone(n.Changed), func(i recheck.Item) bool { return i.Kind == recheck.Record })
}

func compareBlocks(compared survey.Comparison, before, after *survey.Survey, n *recheck.News) []doc.Block {
	t := doc.Table{Sheet: "changes", Head: []string{"domain", "name", "type", "before", "after", "what"}, Order: true,
		More: doc.Command("--format csv") + " has them all"}
	for _, name := range slices.Sorted(maps.Keys(compared.Changes)) {
		for _, c := range compared.Changes[name] {
			was, is := changeTexts(c)
			tone := map[record.Action]doc.Tone{record.Went: doc.Failed, record.Changed: doc.Warned, record.Came: doc.Noted}[c.Action]
			t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(unicodeName(name))}, {Text: doc.Phrase(record.Label(c.Name, name))},
				{Text: doc.Phrase(c.Type)}, {Text: was}, {Text: is}, {Text: doc.Phrase(string(c.Action)), Tone: tone}})
		}
	}
	blocks := []doc.Block{compareVerdict(len(t.Rows), compared, n)}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	blocks = append(blocks, comparedFindings(n)...)
	if changes := changesTold(besideRecords(n)); len(changes) > 0 {
		blocks = append(blocks, doc.List{Title: "Changed beside the records", Tone: doc.Warned, Items: changes})
	}
	aside := func(format string, args ...any) {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef(format, args...), Soft: true, Gap: true})
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
func compareVerdict(total int, compared survey.Comparison, n *recheck.News) doc.Verdict {
	if len(compared.Changes) == 0 {
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase("Nothing could be compared.")}
	}
	v := comparedVerdict(n, total+len(besideRecords(n)))
	says := doc.Phrase("No record set differs. ")
	if total > 0 {
		says = doc.Phrasef("%s %s. ", wording.Count(total, "record set"), wording.Verb(total, "differs", "differ"))
	}
	v.Says = doc.Cat(says, doc.Phrasef("Findings: %d new, %d mended, %d the same.", len(n.New), len(n.Mended), n.Known))
	return v
}

func changeTexts(c record.Change) (before, after doc.Text) {
	values := func(s *record.Set) doc.Text {
		if s == nil {
			return nil
		}
		return doc.Stack(s.Values)
	}
	before, after = values(c.Before), values(c.After)
	if c.Before != nil && c.After != nil && record.SameValues(c.Before.Values, c.After.Values) {
		return doc.Phrasef("TTL %d s", c.Before.TTL), doc.Phrasef("TTL %d s", c.After.TTL)
	}
	return before, after
}
