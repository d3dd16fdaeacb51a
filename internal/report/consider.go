package report

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Considered is choices side by side.
func Considered(c *plan.Considered) doc.Doc {
	at := ""
	if allArriveAt(c) != "" {
		at = "all of them arrive at " + allArriveAt(c)
	}
	return doc.Doc{
		Name:  "choices",
		About: at,
		Title: "Choices of " + c.About + ", side by side",
		Blocks: doc.Of(consideredVerdict(c), consideredTable(c),
			doc.List{Title: "Behind the numbers", Items: consideredLines(c),
				More: doc.Command("--format md") + " has them all"},
			doc.Heading{Level: 2, Text: "Changes that are counted"}, consideredChanges(c)),
		Data: c,
	}
}

// consideredChanges gives the changes that each choice asks for, with their reasons.
func consideredChanges(c *plan.Considered) doc.Table {
	t := doc.Table{Sheet: "changes",
		Head: []string{"choice", "record", "to do", "why"},
		More: doc.Command("--format md") + " has them all"}
	at := map[string]int{} // rows that several choices share
	for i := range c.Choices {
		ch := &c.Choices[i]
		for j := range ch.Typed {
			typed := &ch.Typed[j]
			typed.Why = doc.Unmarked(words.Because(typed.Reasons))
			row := []string{typed.Name + " " + typed.Type, string(typed.Action), typed.Why}
			key := strings.Join(row, "|")
			if k, shared := at[key]; shared {
				t.Rows[k][0].Text = doc.Phrase(t.Rows[k][0].Text.String() + ", " + ch.Name)
				continue
			}
			at[key] = len(t.Rows)
			t.Rows = append(t.Rows, doc.Cells(append([]string{ch.Name}, row...)...))
		}
	}
	return t
}

// allArriveAt gives where every choice arrives, "" where they differ.
func allArriveAt(c *plan.Considered) string {
	for _, ch := range c.Choices {
		if ch.Canonical != c.Choices[0].Canonical {
			return ""
		}
	}
	return c.Choices[0].Canonical
}

// consideredVerdict names the choices that leave no door open and are not remembered against.
func consideredVerdict(c *plan.Considered) doc.Verdict {
	var whole []string
	for _, ch := range c.Choices {
		if len(ch.Open) == 0 && ch.Faults == 0 && len(ch.Remembered) == 0 {
			whole = append(whole, ch.Name)
		}
	}
	switch len(whole) {
	case 0:
		return doc.Verdict{Tone: doc.Warned, Says: doc.Phrase(words.NoneFaultless)}
	case len(c.Choices):
		return doc.Verdict{Tone: doc.Good, Says: doc.Phrase(words.AllFaultless)}
	}
	return doc.Verdict{Tone: doc.Good,
		Says: doc.Phrasef(words.FaultlessAre, wording.And(whole))}
}

func consideredTable(c *plan.Considered) doc.Table {
	t := doc.Table{Sheet: "choices", Head: []string{""}}
	for _, ch := range c.Choices {
		t.Head = append(t.Head, ch.Name)
	}
	line := func(what string, value func(plan.Choice) (string, doc.Tone)) {
		row := doc.Cells(what)
		for _, ch := range c.Choices {
			says, tone := value(ch)
			row = append(row, doc.Cell{Text: doc.Phrase(says), Tone: tone})
		}
		t.Rows = append(t.Rows, row)
	}
	plain := func(value func(plan.Choice) string) func(plan.Choice) (string, doc.Tone) {
		return func(ch plan.Choice) (string, doc.Tone) { return value(ch), doc.Plain }
	}
	judged := func(bad bool, says string) (string, doc.Tone) {
		if bad {
			return says, doc.Failed
		}
		return says, doc.Good
	}
	if allArriveAt(c) == "" {
		line("arrives at", plain(func(ch plan.Choice) string { return ch.Canonical }))
	}
	line("most hops of a door", plain(func(ch plan.Choice) string { return fmt.Sprint(ch.MostHops) }))
	line("doors left open", func(ch plan.Choice) (string, doc.Tone) {
		return judged(len(ch.Open) > 0, fmt.Sprintf("%d of %d", len(ch.Open), ch.Doors))
	})
	line("certificates", plain(func(ch plan.Choice) string {
		if ch.Late > 0 {
			return fmt.Sprintf("%d, %d only after the move", ch.Certificates, ch.Late)
		}
		return fmt.Sprint(ch.Certificates)
	}))
	line("browsers will remember",
		plain(func(ch plan.Choice) string { return wording.Count(ch.Permanent, "redirect") }))
	line("they remember against it", func(ch plan.Choice) (string, doc.Tone) {
		if len(ch.Remembered) == 0 {
			return "nothing known", doc.Good
		}
		return wording.Count(len(ch.Remembered), "redirect"), doc.Failed
	})
	line("record changes to type",
		plain(func(ch plan.Choice) string { return fmt.Sprint(ch.Changes) }))
	line("other entries to type", plain(func(ch plan.Choice) string { return fmt.Sprint(ch.Entries) }))
	line("errors of the plan", func(ch plan.Choice) (string, doc.Tone) {
		return judged(ch.Faults > 0, fmt.Sprint(ch.Faults))
	})
	return t
}

func consideredLines(c *plan.Considered) []doc.Text {
	var all []doc.Text
	for _, ch := range c.Choices {
		byCodes := map[string][]string{}
		var order []string
		for _, o := range ch.Open {
			codes := strings.Join(finding.Names(o.Codes), ", ")
			if byCodes[codes] == nil {
				order = append(order, codes)
			}
			byCodes[codes] = append(byCodes[codes], o.Door)
		}
		for _, codes := range order {
			all = append(all,
				doc.Phrasef("%s leaves open (%s): %s.", ch.Name, codes, wording.Few(byCodes[codes], 4)))
		}
		for _, e := range ch.Errors {
			all = append(all, doc.Phrasef("%s: %s at %s. %s", ch.Name, e.Code, e.Subject, e.Says))
		}
		for _, r := range ch.Remembered {
			all = append(all, doc.Phrasef("%s: %s", ch.Name, r))
		}
	}
	return all
}
