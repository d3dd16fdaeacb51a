package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/table"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
)

// Plan writes a plan in a format: text, json or md.
func Plan(w io.Writer, format string, p *plan.Plan, s Style) error {
	switch format {
	case "json":
		return planJSON(w, p)
	case "md":
		return planMD(w, scrubbed(p))
	}
	planText(w, scrubbed(p), s)
	return nil
}

// tabular is a table before a writer gives it its form.
type tabular struct {
	title string
	head  []string
	rows  [][]string
}

func planTables(p *plan.Plan) []tabular {
	doors := tabular{title: "Doors", head: []string{"host", "carried by", "leads to", "other paths", "hops"}}
	for i := 0; i+1 < len(p.Doors); i += 2 {
		d := p.Doors[i]
		fallback := map[string]string{
			"same-path": "same path below it", "home": "the same place", "gone": "410 gone", "": "as they are",
		}[d.Fallback]
		hops := fmt.Sprintf("%s http, %s https", hopsOf(d.Chain), hopsOf(p.Doors[i+1].Chain))
		doors.rows = append(doors.rows, []string{d.Door.Host.Unicode(), d.Carrier, shownTarget(p, d.LeadsTo), fallback, hops})
	}
	rules := tabular{title: "Rules", head: []string{"line", "old", "new", "status", "held by"}}
	for _, r := range p.Rules {
		target := r.New
		if target == "" {
			target = "gone"
		}
		if r.Query == "drop" {
			target += "  (query dropped)"
		}
		rules.rows = append(
			rules.rows,
			[]string{fmt.Sprint(r.Line), shown(r.Old), shown(target), fmt.Sprint(r.Status), strings.Join(r.Carriers, ", ")},
		)
	}
	certificates := tabular{title: "Certificates", head: []string{"held by", "when", "names", "issuer"}}
	for _, c := range p.Certificates {
		when := map[string]string{
			"before": "before the name points there", "after": "after the name points there", "by-hand": "by hand",
		}[c.When]
		if c.Carrier == plan.SiteName {
			when = "the site has its own"
		}
		certificates.rows = append(certificates.rows, []string{c.Carrier, when, strings.Join(c.Names, ", "), issuerOf(c)})
	}
	records := tabular{title: "Records", head: []string{"name", "TTL", "type", "value"}}
	for _, z := range p.Zones {
		if z.Seen != nil {
			continue // the changes say it all
		}
		for _, r := range z.Records {
			for _, v := range r.Values {
				records.rows = append(records.rows, []string{r.Name, fmt.Sprintf("%d s", r.TTL), r.Type, cut(v, 70)})
			}
		}
	}
	return []tabular{doors, rules, certificates, records}
}

// issuerOf says who issues a certificate, and what CAA records say about that.
func issuerOf(c plan.Certificate) string {
	says := c.Issuer
	if len(c.MayIssue) > 0 && !slices.Contains(c.MayIssue, c.Issuer) {
		says = strings.TrimSpace(says + " (CAA: only " + strings.Join(c.MayIssue, ", ") + ")")
	}
	if len(c.Limits) > 0 {
		says = strings.TrimSpace(says + " (CAA: " + strings.Join(c.Limits, "; ") + ")")
	}
	return says
}

// shown gives a rule's side as people read it: its host in U-labels, its path decoded where that is text.
func shown(s string) string {
	host, rest, _ := strings.Cut(s, "/")
	if h, err := web.ParseHost(host); err == nil && strings.Contains(host, "xn--") {
		s = h.Unicode() + "/" + rest
	}
	if d := web.Decode(s); strings.Contains(s, "%C") && utf8.ValidString(d) && !isHostile(d) &&
		!strings.ContainsAny(d, "% ") {
		return d
	}
	return s
}

// shownTarget leaves away what every target shares.
func shownTarget(p *plan.Plan, u web.URL) string {
	if u.Door().String() == p.Canonical {
		return u.RequestURI()
	}
	return u.String()
}

func hopsOf(steps []predict.Step) string {
	last := steps[len(steps)-1]
	if last.Refusal != "" {
		return last.Refusal
	}
	return fmt.Sprint(len(steps) - 1)
}

// mostRows is how many rows of one table a terminal is shown.
const mostRows = 200

func planText(w io.Writer, p *plan.Plan, s Style) {
	fmt.Fprintf(w, "%s\n", s.strong("Plan: every door to "+p.Canonical))
	for _, t := range planTables(p) {
		if len(t.rows) == 0 {
			continue
		}
		fmt.Fprintf(w, "\n%s\n", s.strong(t.title))
		tab := s.newTable()
		tab.AppendHeader(row(t.head))
		for _, r := range t.rows[:min(mostRows, len(t.rows))] {
			tab.AppendRow(row(r))
		}
		render(w, tab, s)
		if more := len(t.rows) - mostRows; more > 0 {
			fmt.Fprintf(w, "%s\n", s.faint(fmt.Sprintf("and %d more; --format json or md has them all", more)))
		}
	}
	for _, v := range zoneViews(p) {
		v.text(w, s)
	}
	if places := placesTable(p); len(places.rows) > 0 {
		fmt.Fprintf(w, "\n%s\n", s.strong(places.title))
		tab := s.newTable()
		tab.AppendHeader(row(places.head))
		for _, r := range places.rows {
			tab.AppendRow(row(r))
		}
		render(w, tab, s)
		for _, l := range limitLines(p) {
			fmt.Fprintln(w, indent("· "+l, "  ", s.width()))
		}
	}
	fmt.Fprintf(w, "\n%s\n", s.strong("In this order"))
	for i, step := range p.Steps {
		fmt.Fprintf(
			w,
			"%s%s\n",
			s.strong(fmt.Sprintf("%2d ", i+1)),
			strings.TrimPrefix(indent(StepText(step), "   ", s.width()), "   "),
		)
	}
	if len(p.Findings) > 0 {
		fmt.Fprintln(w)
	}
	TextFindings(w, p.Findings, s)
	for _, n := range p.Notes {
		fmt.Fprintf(w, "\n%s\n", s.faint(indent("note: "+NoteText(n), "", s.width())))
	}
	fmt.Fprintf(w, "\n%s\n", s.severity(finding.Worst(p.Findings), planVerdict(p)))
}

func planVerdict(p *plan.Plan) string {
	if len(p.Findings) == 0 {
		tried := plural(len(p.Doors), "door")
		if len(p.Rules) > 0 {
			tried += " and " + plural(len(p.Rules), "rule")
		}
		return fmt.Sprintf("The plan holds: %s, each tried in memory, arrive where they should.", tried)
	}
	if w := finding.Worst(p.Findings); w != finding.Error {
		if finding.Has(p.Findings, finding.DeclaredOtherwise) {
			return "The plan rests on what was seen to be otherwise: " + lowerFirst(Verdict(0, 0, p.Findings))
		}
		return "The plan holds, and something is worth a look: " + lowerFirst(Verdict(0, 0, p.Findings))
	}
	return "The plan does not hold yet: " + Verdict(0, 0, p.Findings)
}

func lowerFirst(s string) string { return strings.ToLower(s[:1]) + s[1:] }

func mdTable(w io.Writer, title string, head []string, rows [][]string) {
	fmt.Fprintf(w, "\n%s\n\n| %s |\n|%s\n", title, strings.Join(head, " | "), strings.Repeat(" --- |", len(head)))
	for _, r := range rows {
		fmt.Fprintf(w, "| %s |\n", strings.Join(mdAll(r), " | "))
	}
}

func row(cells []string) table.Row {
	r := make(table.Row, len(cells))
	for i, c := range cells {
		r[i] = c
	}
	return r
}

func planMD(w io.Writer, p *plan.Plan) error {
	fmt.Fprintf(w, "# Plan: every door to %s\n\n%s\n", md(p.Canonical), md(planVerdict(p)))
	for _, t := range planTables(p) {
		if len(t.rows) == 0 {
			continue
		}
		mdTable(w, "## "+t.title, t.head, t.rows)
	}
	for _, v := range zoneViews(p) {
		v.md(w)
	}
	if places := placesTable(p); len(places.rows) > 0 {
		mdTable(w, "## "+places.title, places.head, places.rows)
		for _, l := range limitLines(p) {
			fmt.Fprintf(w, "\n- %s", md(l))
		}
		fmt.Fprintln(w)
	}
	fmt.Fprint(w, "\n## In this order\n\n")
	for i, s := range p.Steps {
		fmt.Fprintf(w, "%d. %s\n", i+1, md(StepText(s)))
	}
	MDFindings(w, p.Findings)
	for _, n := range p.Notes {
		fmt.Fprintf(w, "\nNote: %s\n", md(NoteText(n)))
	}
	return nil
}

// PlanSummary writes what a plan comes to in a few lines.
func PlanSummary(w io.Writer, p *plan.Plan, s Style) {
	p = scrubbed(p)
	records, what := 0, "record set"
	for _, z := range p.Zones {
		if z.Seen == nil {
			records += len(z.Records)
			continue
		}
		what = "change"
		for _, c := range z.Changes {
			if c.Step > 0 {
				records++
			}
		}
	}
	fmt.Fprintf(w, "%s, %s, %s, %s in %s.\n", plural(len(p.Doors), "door"), plural(len(p.Rules), "rule"),
		plural(len(p.Certificates), "certificate"), plural(records, what), plural(len(p.Zones), "zone"))
	if len(p.Findings) > 0 {
		fmt.Fprintln(w)
		TextFindings(w, p.Findings, s)
	}
	fmt.Fprintf(w, "%s\n", s.severity(finding.Worst(p.Findings), planVerdict(p)))
}

// Heading writes the heading of a step.
func Heading(w io.Writer, number int, title string, s Style) {
	if number > 1 {
		fmt.Fprintln(w)
	}
	line := fmt.Sprintf("── %d  %s ", number, title)
	fmt.Fprintf(w, "%s\n\n", s.strong(line+strings.Repeat("─", max(0, s.width()-len([]rune(line))))))
}
