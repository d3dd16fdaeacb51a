package report

import (
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
)

// Survey writes a survey in a format: text, json or md. With records it writes every record of every domain too.
func Survey(w io.Writer, format string, v *survey.Survey, records bool, s Style) error {
	switch format {
	case "json":
		return surveyJSON(w, v)
	case "md":
		surveyMD(w, scrubbed(v))
		return nil
	}
	surveyText(w, scrubbed(v), records, s)
	return nil
}

// surveyJSON writes a survey domain by domain, so that many need no more memory than they have.
func surveyJSON(w io.Writer, v *survey.Survey) error {
	j := &jsonStream{w: w}
	j.print("{\n  \"schema\": %s,\n  \"vantage\": %s,\n", j.value(v.Schema, ""), j.value(v.Vantage, ""))
	if v.Canonical != "" {
		j.print("  \"canonical\": %s,\n", j.value(v.Canonical, ""))
	}
	j.print("  \"started\": %s,\n  \"domains\": [", j.value(v.Started, ""))
	between := ""
	for i := range v.Domains {
		j.print("%s\n    %s", between, j.value(&v.Domains[i], "    "))
		between = ","
	}
	if len(v.Domains) > 0 {
		j.print("\n  ")
	}
	j.print("],\n  \"findings\": %s", j.value(append([]finding.Finding{}, v.Findings...), "  "))
	if len(v.Notes) > 0 {
		j.print(",\n  \"notes\": %s", j.value(v.Notes, "  "))
	}
	j.print("\n}\n")
	return j.err
}

// domainRow gives a domain's line in the table: name, name servers, records, registration, what is odd.
func domainRow(d survey.Domain, now time.Time) []string {
	answering, serials := 0, []string{}
	for _, n := range d.Servers {
		if n.State == survey.Answers {
			answering++
			if serial := fmt.Sprint(n.Serial); !slices.Contains(serials, serial) {
				serials = append(serials, serial)
			}
		}
	}
	servers := fmt.Sprintf("%d of %d answer", answering, len(d.Servers))
	if len(serials) > 1 {
		servers += fmt.Sprintf(", %d versions", len(serials))
	}
	if n := len(d.Coming); n > 0 {
		servers += fmt.Sprintf(", %d new", n)
	}
	records := 0
	for _, set := range d.Records {
		records += len(set.Values)
	}
	how := plural(records, "record")
	switch {
	case !d.Seen():
		how = "nothing seen"
	case d.Partial:
		how += ", partial"
	}
	ends := "not known"
	if r := d.Registration; r != nil && r.Ends != nil {
		ends = r.Ends.Format(time.DateOnly) + ", " + timeLeft(*r.Ends, now)
		if r.EndsFrom == survey.EstateFile || r.From == survey.EstateFile {
			ends += " (you say)"
		}
	}
	return []string{unicodeName(d.Name), servers, how, ends}
}

var domainHead = []string{"domain", "name servers", "records", "registration ends"}

func unicodeName(name string) string {
	if h, err := web.ParseObservedHost(name); err == nil {
		return h.Unicode()
	}
	return name
}

func surveyText(w io.Writer, v *survey.Survey, records bool, s Style) {
	fmt.Fprintf(w, "%s\n%s\n\n", s.strong("Survey of "+plural(len(v.Domains), "domain")),
		s.faint(fmt.Sprintf("seen from %s, %s", v.Vantage, v.Started.Format("2006-01-02 15:04 MST"))))
	surveyTable(w, v, s)
	if records {
		for _, d := range v.Domains {
			domainText(w, d, v.Started, s)
		}
	}
	if len(v.Findings) > 0 {
		fmt.Fprintln(w)
	}
	TextFindings(w, v.Findings, s)
	writeFacts(w, v, s)
	writeUnseen(w, v, s)
	for _, n := range v.Notes {
		fmt.Fprintf(w, "\n%s\n", s.faint("note: "+n))
	}
	fmt.Fprintf(w, "\n%s\n", s.severity(finding.Worst(v.Findings), surveyVerdict(v)))
}

// surveyVerdict says in a line how it stands: what could not be seen before what was found.
func surveyVerdict(v *survey.Survey) string {
	switch dark := v.Dark(); {
	case len(v.Domains) == 0:
		return "Nothing was looked at."
	case len(dark) == len(v.Domains) && len(v.Findings) == 0:
		return "Nothing could be seen: that nothing is wrong is not said."
	case len(dark) == len(v.Domains):
		return "No zone could be seen. " + Verdict(0, 0, v.Findings)
	case len(dark) > 0:
		return fmt.Sprintf("%d of %s could not be seen. Of the others: %s", len(dark), plural(len(v.Domains), "domain"),
			lowerFirst(Verdict(0, 0, v.Findings)))
	}
	return Verdict(0, 0, v.Findings)
}

// SurveyOfNames writes a survey without what is said about doors: for where an audit of the doors follows.
func SurveyOfNames(w io.Writer, v *survey.Survey, s Style) {
	v = scrubbed(v)
	names := *v
	names.Findings = slices.DeleteFunc(slices.Clone(v.Findings), func(f finding.Finding) bool { return f.Entry != "" })
	surveyTable(w, &names, s)
	fmt.Fprintln(w)
	TextFindings(w, names.Findings, s)
	writeFacts(w, &names, s)
	writeUnseen(w, &names, s)
	fmt.Fprintf(w, "\n%s\n", s.severity(finding.Worst(names.Findings), surveyVerdict(&names)))
}

func surveyTable(w io.Writer, v *survey.Survey, s Style) {
	t := s.newTable()
	t.AppendHeader(row(domainHead))
	for _, d := range v.Domains {
		t.AppendRow(row(domainRow(d, v.Started)))
	}
	render(w, t, s)
}

// domainText writes all that was seen of a domain's names: delegation, records, certificates.
func domainText(w io.Writer, d survey.Domain, now time.Time, s Style) {
	picture := "the whole zone, by transfer"
	switch {
	case d.Source == survey.File && !d.Partial:
		picture = "the whole zone, from a file"
	case d.Source == survey.Walked:
		picture = "the whole zone, from name to name (it is signed with NSEC)"
	case d.Source == survey.Resolver:
		picture = "PARTIAL: made by asking a resolver for names that are commonly there"
	case d.Partial:
		picture = "PARTIAL: made by asking for names that are commonly there"
	}
	if d.Remaining {
		picture += "; TTLs are what resolvers had left of them"
	}
	fmt.Fprintf(w, "\n%s  %s\n", s.strong(unicodeName(d.Name)), s.faint(picture))
	for _, n := range d.Servers {
		says := "serial " + fmt.Sprint(n.Serial)
		tone := finding.Severity("")
		if n.State != survey.Answers {
			says, tone = n.Says, finding.Warning
		}
		fmt.Fprintf(
			w,
			"  %s %s  %s\n",
			s.severity(tone, sign(tone)),
			strings.TrimSpace(n.Name+" "+n.Address),
			s.faint(says+"; named by "+strings.Join(n.By, " and ")),
		)
	}
	for _, n := range d.Coming {
		says, tone := "serial "+fmt.Sprint(n.Serial), finding.Severity("")
		if n.State != survey.Answers {
			says, tone = n.Says, finding.Warning
		}
		fmt.Fprintf(
			w,
			"  %s %s  %s\n",
			s.severity(tone, sign(tone)),
			strings.TrimSpace(n.Name+" "+n.Address),
			s.faint(says+"; to come: upperpath plan compares what it says"),
		)
	}
	if len(d.Records) > 0 {
		t := s.newTable()
		t.AppendHeader(table.Row{"  name", "TTL", "type", "value"})
		for _, set := range d.Records {
			for _, value := range set.Values {
				t.AppendRow(row([]string{"  " + set.Name, fmt.Sprintf("%d s", set.TTL), set.Type, cut(value, 70)}))
			}
		}
		render(w, t, s)
	}
	for _, c := range certificates(d) {
		fmt.Fprintf(w, "  %s\n", s.faint(c.door+": "+certificateLine(c.tls, now)))
	}
}

type seenCertificate struct {
	door string
	tls  *chain.TLS
}

// certificates gives the certificate of each https door.
func certificates(d survey.Domain) []seenCertificate {
	var all []seenCertificate
	for _, c := range d.Chains {
		if first := c.Hops[0]; c.Probe == chain.Root && first.TLS != nil {
			all = append(all, seenCertificate{first.URL.Door().String(), first.TLS})
		}
	}
	return all
}

func cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// writeFacts says what is worth knowing and no fault.
func writeFacts(w io.Writer, v *survey.Survey, s Style) {
	var lines []string
	for _, d := range v.Domains {
		lines = append(lines, d.Facts...)
	}
	writeList(w, "Worth knowing", lines, s)
}

func writeList(w io.Writer, title string, lines []string, s Style) {
	const most = 20
	if len(lines) == 0 {
		return
	}
	fmt.Fprintf(w, "\n%s\n", s.strong(title))
	for _, l := range lines[:min(len(lines), most)] {
		fmt.Fprintln(w, "  ·"+strings.TrimPrefix(indent(l, "    ", s.width()), "   "))
	}
	if more := len(lines) - most; more > 0 {
		fmt.Fprintf(w, "  %s\n", s.faint(fmt.Sprintf("and %d more; --format json has them all", more)))
	}
}

// writeUnseen says what could not be seen, the same thing about many domains once.
func writeUnseen(w io.Writer, v *survey.Survey, s Style) {
	lines := unseenLines(v)
	if partial := partials(v); partial > 0 {
		lines = append(
			lines,
			fmt.Sprintf(
				"The picture of %s is partial: nobody handed the whole zone out, so it was made by asking for names that are "+
					"commonly there. An export from the provider shows all: --zone FILE",
				plural(partial, "zone"),
			),
		)
	}
	writeList(w, "What could not be seen", lines, s)
}

// unseenLines says what could not be seen, in a line for each reason.
func unseenLines(v *survey.Survey) []string {
	names, order := map[string][]string{}, []string{}
	for _, d := range v.Domains {
		for _, u := range d.Unseen {
			if strings.Contains(u, "gives no transfer") {
				continue // said once for all
			}
			reason := strings.ReplaceAll(u, d.Name, "\x00")
			if names[reason] == nil {
				order = append(order, reason)
			}
			names[reason] = append(names[reason], unicodeName(d.Name))
		}
	}
	lines := make([]string, len(order))
	for i, reason := range order {
		all := names[reason]
		lines[i] = strings.ReplaceAll(reason, "\x00", few(all, 6))
		if !strings.Contains(reason, "\x00") && len(all) > 1 {
			lines[i] += fmt.Sprintf(" (%s)", plural(len(all), "domain"))
		}
	}
	return lines
}

func partials(v *survey.Survey) int {
	n := 0
	for i := range v.Domains {
		if d := &v.Domains[i]; d.Partial && d.Seen() {
			n++
		}
	}
	return n
}

func surveyMD(w io.Writer, v *survey.Survey) {
	fmt.Fprintf(
		w,
		"# Survey of %s\n\nSeen from %s, %s.\n\n| %s |\n|%s\n",
		plural(len(v.Domains), "domain"),
		md(v.Vantage),
		v.Started.Format("2006-01-02 15:04 MST"),
		strings.Join(domainHead, " | "),
		strings.Repeat(" --- |", len(domainHead)),
	)
	for _, d := range v.Domains {
		fmt.Fprintf(w, "| %s |\n", strings.Join(mdAll(domainRow(d, v.Started)), " | "))
	}
	MDFindings(w, v.Findings)
	for _, d := range v.Domains {
		fmt.Fprintf(w, "\n## %s\n\n", md(unicodeName(d.Name)))
		if d.Partial {
			fmt.Fprint(w, "**Partial**: made by asking for names that are commonly there.")
			if d.Remaining {
				fmt.Fprint(w, " TTLs are what resolvers had left of them.")
			}
			fmt.Fprint(w, "\n\n")
		}
		fmt.Fprint(w, "| name | TTL | type | value |\n| --- | --- | --- | --- |\n")
		for _, set := range d.Records {
			for _, value := range set.Values {
				fmt.Fprintf(
					w,
					"| %s |\n",
					strings.Join(mdAll([]string{set.Name, fmt.Sprintf("%d s", set.TTL), set.Type, value}), " | "),
				)
			}
		}
		for _, f := range d.Facts {
			fmt.Fprintf(w, "\nWorth knowing: %s\n", md(f))
		}
		for _, u := range d.Unseen {
			fmt.Fprintf(w, "\nNot seen: %s\n", md(u))
		}
	}
}

func mdAll(cells []string) []string {
	out := make([]string, len(cells))
	for i, c := range cells {
		out[i] = md(c)
	}
	return out
}

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

// Compare writes what came, went and changed between two surveys: text, json or md.
func Compare(w io.Writer, format string, before, after *survey.Survey, s Style) error {
	compared := survey.Compare(before, after)
	changes := compared.Changes
	if format == "json" {
		c := Comparison{
			"upperpath/compare/1",
			before.Started,
			after.Started,
			map[string][]record.Change{},
			compared.OnlyBefore,
			compared.OnlyAfter,
			compared.Unseen,
		}
		for name, list := range changes {
			c.Domains[name] = append([]record.Change{}, list...)
		}
		return JSON(w, c)
	}
	changes, compared, before, after = scrubbed(changes), scrubbed(compared), scrubbed(before), scrubbed(after)
	var names []string
	total := 0
	for name, list := range changes {
		names = append(names, name)
		total += len(list)
	}
	slices.Sort(names)
	write, aside := s.strong, func(t string) string { return s.faint(indent(t, "", s.width())) }
	if format == "md" {
		write = func(t string) string { return "## " + md(t) }
		aside = func(t string) string { return "\n" + md(t) }
	}
	fmt.Fprintf(
		w,
		"%s\n",
		write(
			fmt.Sprintf(
				"From %s to %s: %s",
				before.Started.Format("2006-01-02 15:04"),
				after.Started.Format("2006-01-02 15:04 MST"),
				compareVerdict(total, changes),
			),
		),
	)
	for _, part := range []*survey.Survey{before, after} {
		if n := partials(part); n > 0 {
			fmt.Fprintf(w, "%s\n", aside(fmt.Sprintf("partial: the survey of %s saw %s by asking for names alone",
				part.Started.Format("2006-01-02 15:04"), plural(n, "zone"))))
		}
	}
	for _, part := range []struct {
		names []string
		says  string
	}{{compared.OnlyBefore, "not compared, since the later survey did not see them: "},
		{compared.OnlyAfter, "not compared, since the earlier survey did not see them: "}} {
		if len(part.names) > 0 {
			fmt.Fprintf(w, "%s\n", aside(part.says+strings.Join(part.names, ", ")))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(compared.Unseen)) {
		var keys []string
		for _, k := range compared.Unseen[name] {
			keys = append(keys, k.Name+" "+k.Type)
		}
		fmt.Fprintf(w, "%s\n", aside("not seen one of the times, since nobody answered: "+strings.Join(keys, ", ")))
	}
	for _, name := range names {
		if len(changes[name]) == 0 {
			continue
		}
		fmt.Fprintf(w, "\n%s\n", write(unicodeName(name)))
		for _, c := range changes[name] {
			line := fmt.Sprintf("%s  %s %s  %s", c.Action, c.Name, c.Type, cut(changeText(c), 200))
			if format == "md" {
				fmt.Fprintf(w, "- %s\n", md(line))
				continue
			}
			tone := map[record.Action]finding.Severity{record.Went: finding.Error, record.Changed: finding.Warning}[c.Action]
			fmt.Fprintln(
				w,
				"  "+s.severity(tone, fmt.Sprintf("%-8s", c.Action))+strings.TrimPrefix(line, string(c.Action)+"  "),
			)
		}
	}
	return nil
}

// compareVerdict says how much differs, and says nothing where nothing could be compared.
func compareVerdict(total int, changes map[string][]record.Change) string {
	switch {
	case len(changes) == 0:
		return "nothing could be compared"
	case total == 0:
		return "no record set differs"
	case total == 1:
		return "1 record set differs"
	}
	return fmt.Sprintf("%d record sets differ", total)
}

func changeText(c record.Change) string {
	values := func(s *record.Set) string { return strings.Join(s.Values, ", ") }
	switch {
	case c.Before == nil:
		return values(c.After)
	case c.After == nil:
		return "was " + values(c.Before)
	case record.SameValues(c.Before.Values, c.After.Values):
		return fmt.Sprintf("TTL %d s → %d s", c.Before.TTL, c.After.TTL)
	}
	return values(c.Before) + " → " + values(c.After)
}
