package report

import (
	"fmt"
	"io"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
)

func worst(p *plan.Plan) finding.Severity { return finding.Worst(p.Findings) }

// Considered writes choices side by side in a format: text, json or md.
func Considered(w io.Writer, format string, c *plan.Considered, s Style) error {
	if format == "json" {
		return JSON(w, c)
	}
	c = scrubbed(c)
	t := consideredTable(c)
	if format == "md" {
		fmt.Fprintf(w, "# Choices of %s\n", md(c.About))
		mdTable(w, "## Side by side", t.head, t.rows)
		for _, l := range consideredLines(c) {
			fmt.Fprintf(w, "\n- %s", md(l))
		}
		fmt.Fprintln(w)
		return nil
	}
	fmt.Fprintf(w, "%s\n\n", s.strong("Choices of "+c.About+", side by side"))
	tab := s.newTable()
	tab.AppendHeader(row(t.head))
	for _, r := range t.rows {
		cells := row(r)
		for i, ch := range c.Choices {
			bad := r[0] == openDoors && len(ch.Open) > 0 || r[0] == faults && ch.Faults > 0 ||
				r[0] == against && len(ch.Remembered) > 0
			if r[0] == openDoors || r[0] == faults || r[0] == against {
				tone := finding.Severity("")
				if bad {
					tone = finding.Error
				}
				cells[i+1] = s.severity(tone, r[i+1])
			}
		}
		tab.AppendRow(cells)
	}
	render(w, tab, s)
	writeList(w, "What stands behind the numbers", consideredLines(c), s)
	return nil
}

// The lines that tell good from bad.
const (
	openDoors = "doors left open"
	against   = "they remember against it"
	faults    = "errors of the plan"
)

func consideredTable(c *plan.Considered) tabular {
	t := tabular{head: []string{""}}
	for _, ch := range c.Choices {
		t.head = append(t.head, ch.Name)
	}
	line := func(what string, value func(plan.Choice) string) {
		r := []string{what}
		for _, ch := range c.Choices {
			r = append(r, value(ch))
		}
		t.rows = append(t.rows, r)
	}
	line("arrives at", func(ch plan.Choice) string { return ch.Canonical })
	line("most hops of a door", func(ch plan.Choice) string { return fmt.Sprint(ch.MostHops) })
	line(openDoors, func(ch plan.Choice) string { return fmt.Sprintf("%d of %d", len(ch.Open), ch.Doors) })
	line("certificates", func(ch plan.Choice) string {
		if ch.Late > 0 {
			return fmt.Sprintf("%d, %d only after the move", ch.Certificates, ch.Late)
		}
		return fmt.Sprint(ch.Certificates)
	})
	line("browsers will remember", func(ch plan.Choice) string { return plural(ch.Permanent, "redirect") })
	line(against, func(ch plan.Choice) string {
		if len(ch.Remembered) == 0 {
			return "nothing known"
		}
		return plural(len(ch.Remembered), "redirect")
	})
	line("record changes to type", func(ch plan.Choice) string { return fmt.Sprint(ch.Changes) })
	line("other entries to type", func(ch plan.Choice) string { return fmt.Sprint(ch.Entries) })
	line(faults, func(ch plan.Choice) string { return fmt.Sprint(ch.Faults) })
	return t
}

func consideredLines(c *plan.Considered) []string {
	var all []string
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
			all = append(all, fmt.Sprintf("%s leaves open (%s): %s.", ch.Name, codes, some(byCodes[codes], 4)))
		}
		for _, r := range ch.Remembered {
			all = append(all, fmt.Sprintf("%s: %s.", ch.Name, r))
		}
	}
	return all
}
