package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Comparison is what two surveys, audits or plans differ in, as JSON has it.
type Comparison struct {
	Schema  string         `json:"schema"`
	Kind    string         `json:"kind"` // survey, audit or plan
	Before  string         `json:"before"`
	After   string         `json:"after"`
	New     []recheck.Item `json:"new"`     // findings
	Mended  []recheck.Item `json:"mended"`  // findings
	Changed []recheck.Item `json:"changed"` // other facts; of surveys those that are no record
	First   []recheck.Item `json:"first"`   // findings of what the first did not look at
	Hidden  []recheck.Item `json:"hidden"`  // known findings behind something that fails
	Unseen  []recheck.Gap  `json:"unseen"`
	Skipped []string       `json:"skipped"` // domains that the second did not look at
	Unasked int            `json:"unasked"` // URLs that the second did not ask for
	Same    int            `json:"same"`    // facts
	Known   int            `json:"known"`   // of those, findings

	// Of surveys.
	Domains map[string][]record.Change `json:"domains,omitempty"` // those that both saw
	// not looked at, or not seen, by the later one
	OnlyBefore []string `json:"only_before,omitempty"`
	// not looked at, or not seen, by the earlier one
	OnlyAfter []string `json:"only_after,omitempty"`
	// seen by one, and not answered for the other
	Unanswered map[string][]record.Key `json:"unanswered,omitempty"`
}

// Compare is what two surveys, audits or plans differ in. kind says which, before and after what
// they are called.
func Compare(kind, before, after string, n *recheck.News) doc.Doc {
	c := Comparison{Schema: "upperpath/compare/2", Kind: kind, Before: before, After: after,
		New: n.New, Mended: n.Mended, Changed: besideRecords(n), First: n.First, Hidden: n.Behind,
		Unseen: n.Unseen, Skipped: n.Skipped, Unasked: n.Unasked, Same: n.Same, Known: n.Known}
	d := doc.Doc{Name: "comparison",
		Title: fmt.Sprintf("The %s: from %s to %s", wording.Plural(kind), before, after)}
	if r := n.Records; r != nil {
		d.Title = fmt.Sprintf("From %s to %s", before, after)
		c.Before, c.After = n.Since.Format(time.RFC3339), n.Now.Format(time.RFC3339)
		c.OnlyBefore, c.OnlyAfter, c.Unanswered = r.OnlyBefore, r.OnlyAfter, r.Unseen
		c.Domains = map[string][]record.Change{}
		for name, list := range r.Changes {
			c.Domains[name] = append([]record.Change{}, list...)
		}
		d.Blocks = doc.Of(surveyBlocks(r, n)...)
	} else {
		d.Main = "differences"
		lines := n.Lines()
		blocks := append([]doc.Block{comparedVerdict(n, lines, len(n.Changed))},
			lineBlocks(lines, "Unseen the second time")...)
		sheet := newsSheet(n)
		sheet.Sheet = "differences"
		d.Blocks = doc.Of(append(blocks, append(scopeNotes(kind, n), sheet)...)...)
	}
	d.Data = c
	return d
}

// besideRecords gives what changed and stands in no table of records.
func besideRecords(n *recheck.News) []recheck.Item {
	if n.Records == nil {
		return n.Changed
	}
	return slices.DeleteFunc(slices.Clone(n.Changed), func(i recheck.Item) bool {
		return i.Kind == recheck.Record
	})
}

// surveyBlocks says what differs between two surveys.
func surveyBlocks(compared *recheck.Records, n *recheck.News) []doc.Block {
	t := doc.Table{Sheet: "changes",
		Head: []string{"domain", "name", "type", "before", "after", "what"}, Order: true,
		More: doc.Command("--format csv") + " has them all"}
	for _, name := range slices.Sorted(maps.Keys(compared.Changes)) {
		for _, c := range compared.Changes[name] {
			was, is := changeTexts(c)
			tone := map[record.Action]doc.Tone{record.Went: doc.Failed, record.Changed: doc.Warned,
				record.Came: doc.Noted}[c.Action]
			t.Rows = append(t.Rows,
				[]doc.Cell{{Text: doc.Phrase(unicodeName(name))},
					{Text: doc.Phrase(record.Label(c.Name, name))},
					{Text: doc.Phrase(c.Type)}, {Text: was}, {Text: is},
					{Text: doc.Phrase(string(c.Action)), Tone: tone}})
		}
	}
	blocks := []doc.Block{compareVerdict(len(t.Rows), compared, n)}
	if len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	beside := *n
	beside.Changed = besideRecords(n)
	blocks = append(blocks, lineBlocks(beside.Lines(), "Unseen the second time")...)
	blocks = append(blocks, scopeNotes("survey", n)...)
	aside := func(format string, args ...any) {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef(format, args...), Soft: true, Gap: true})
	}
	said := map[string]bool{}
	for _, part := range compared.Partial {
		key := fmt.Sprint(moment(part.Started), part.Zones)
		if said[key] {
			continue
		}
		said[key] = true
		aside("partial: the survey of %s saw %s only by asking for names",
			part.Started.Local().Format("2006-01-02 15:04"),
			wording.Count(part.Zones, "zone"))
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
		aside("unseen in one of the two surveys, because nobody answered: %s", strings.Join(keys, ", "))
	}
	return blocks
}

// compareVerdict says how much differs, and says nothing where nothing could be compared.
func compareVerdict(total int, compared *recheck.Records, n *recheck.News) doc.Verdict {
	if len(compared.Changes) == 0 {
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase(words.NothingCompared)}
	}
	v := comparedVerdict(n, nil, total+len(besideRecords(n)))
	says := doc.Phrase(words.NoRecordDiffers)
	if total > 0 {
		says = doc.Phrasef("%s %s. ", wording.Count(total, "record set"),
			wording.Verb(total, "differs", "differ"))
	}
	v.Says = doc.Cat(says,
		doc.Phrasef(words.FindingsDiffer, len(n.New), len(n.Mended), n.Known))
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

// comparedVerdict says whether it got better or worse.
func comparedVerdict(n *recheck.News, lines []recheck.Line, changes int) doc.Verdict {
	v := doc.Verdict{Tone: doc.Good}
	if n.Apart() {
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase(words.NothingCompared)}
	}
	worse := finding.Severity("")
	for _, i := range n.New {
		if i.Severity.Rank() > worse.Rank() {
			worse = i.Severity
		}
	}
	switch {
	case worse.Rank() > finding.Note.Rank():
		v.Tone = doc.ToneOf(worse)
	case changes > 0:
		v.Tone = doc.Warned
	case len(n.Unseen) > 0:
		v.Tone = doc.Unseen
	case len(n.New) > 0:
		v.Tone = doc.Noted
	}
	v.Says = doc.Phrasef(words.FindingsDiffer, len(n.New), len(n.Mended),
		n.Known)
	if len(n.First) > 0 {
		v.Says = doc.Cat(v.Says, doc.Phrasef(words.FirstLooked, len(n.First)))
	}
	if k := recheck.Count(lines, recheck.IsChanged); k > 0 {
		changes = k
	}
	if changes > 0 {
		v.Says = doc.Cat(v.Says, doc.Phrasef(" %s changed.", wording.Count(changes, "other fact")))
	}
	return v
}

// scopeNotes says what of the two was looked at once only, and by hand.
func scopeNotes(kind string, n *recheck.News) []doc.Block {
	var blocks []doc.Block
	note := func(text string) {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(text), Soft: true, Gap: true})
	}
	before, now := n.Scopes()
	for _, side := range []struct {
		name string
		of   *scope.Scope
	}{{"first", before}, {"second", now}} {
		if side.of.Known() && !side.of.Plain() {
			note(fmt.Sprintf(words.SideWas, side.name, ScopeText(side.of, unitOf(kind))))
		}
	}
	if a, b := n.Sites(); a != "" && b != "" && a != b {
		note(fmt.Sprintf(words.TwoSites, a, b))
	}
	if a, b := n.Vantages(); a != "" && b != "" && a != b {
		note(fmt.Sprintf(words.TwoVantages, a, b))
	}
	if len(n.Skipped) > 0 {
		note(fmt.Sprintf(words.SkippedDomains, wording.Few(unicodeNames(n.Skipped), 5)))
	}
	if len(n.Left) > 0 && kind != "survey" {
		note(fmt.Sprintf(words.LeftDomains, wording.Few(unicodeNames(n.Left), 5)))
	}
	if len(n.FirstFor) > 0 && kind != "survey" {
		note(fmt.Sprintf(words.FirstDomains, wording.Few(unicodeNames(n.FirstFor), 5)))
	}
	if n.Unasked > 0 {
		note(fmt.Sprintf(words.UnaskedURLs, wording.Count(n.Unasked, "URL"),
			wording.Verb(n.Unasked, "was", "were")))
	}
	if len(n.Behind) > 0 {
		blocks = append(blocks, doc.Paragraph{Text: behindText(n.Behind), Soft: true, Gap: true})
	}
	return blocks
}

// unitOf gives what a result of a kind counts.
func unitOf(kind string) string {
	if kind == "audit" {
		return "URL"
	}
	return "domain"
}
