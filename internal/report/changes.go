package report

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
)

// zoneView is what is to change in one zone, before a writer gives it its form.
type zoneView struct {
	title, facts string
	changes      []changeView
	stays        []string // a line a reason
	around       []string // what to do about TTLs and name servers
}

type changeView struct {
	step                      int
	action                    plan.Action
	label, kind, what, reason string
}

func zoneViews(p *plan.Plan) []zoneView {
	var all []zoneView
	for _, z := range p.Zones {
		if z.Seen != nil {
			all = append(all, viewOf(z))
		}
	}
	return all
}

func viewOf(z plan.Zone) zoneView {
	v := zoneView{title: unicodeName(z.Name)}
	stays := 0
	reasons := map[string][]string{}
	var order []string
	for _, c := range z.Changes {
		what, why := record.Label(c.Name, z.Name)+" "+c.Type, Because(c.Reasons)
		if c.Step == 0 {
			stays++
			if reasons[why] == nil {
				order = append(order, why)
			}
			reasons[why] = append(reasons[why], what)
			continue
		}
		v.changes = append(v.changes, changeView{c.Step, c.Action, record.Label(c.Name, z.Name), c.Type, valuesText(c), why})
	}
	for _, r := range order {
		v.stays = append(v.stays, strings.Join(reasons[r], ", ")+": "+lowerFirst(r))
	}
	facts := []string{}
	switch {
	case z.Move != nil:
		facts = append(facts, fmt.Sprintf("typed at %s from the move on, until then at %s", z.Next, z.Present))
	case z.RecordsAt != "":
		facts = append(facts, "typed at "+z.RecordsAt)
	}
	facts = append(facts, plural(len(v.changes), "change"), plural(stays, "record set")+" stay")
	seen := "seen " + z.Seen.Format(time.DateOnly)
	if z.Partial {
		seen += ", partial"
	}
	if n := len(z.Missed); n > 0 {
		seen += fmt.Sprintf(", %s not answered", plural(n, "question"))
	}
	if z.Remaining {
		seen += ", through a resolver"
	}
	v.facts = strings.Join(append(facts, seen), "; ")
	if stays == 1 {
		v.facts = strings.Replace(v.facts, "1 record set stay;", "1 record set stays;", 1)
	}
	v.around = append(ttlText(z), moveText(z)...)
	return v
}

func valuesText(c plan.Change) string {
	join := func(values []string) string {
		var all []string
		for _, v := range values {
			all = append(all, cut(v, 60))
		}
		return strings.Join(all, ", ")
	}
	s := ""
	switch c.Action {
	case plan.Add:
		s = join(c.After)
	case plan.Remove:
		s = join(c.Before)
	default:
		s = join(c.Before) + " → " + join(c.After)
		if more := beside(c); more != nil {
			s = fmt.Sprintf("%s beside the %d that stay", join(more), len(c.Before))
		}
	}
	switch {
	case c.Through == "" || c.Action == plan.Keep:
	case len(c.Typed) == 0:
		s += fmt.Sprintf("  (through %s: type nothing, the other record brings it)", c.Through)
	case c.TypedAs != c.Type:
		s += fmt.Sprintf("  (through %s: type %s %s)", c.Through, c.TypedAs, join(c.Typed))
	default:
		s += fmt.Sprintf("  (through %s: type %s)", c.Through, join(c.Typed))
	}
	return s
}

// beside gives the values that join a set from which nothing goes, nil where something goes.
func beside(c plan.Change) []string {
	var more []string
	for _, v := range c.After {
		if !slices.Contains(c.Before, v) {
			more = append(more, v)
		}
	}
	if len(c.After) != len(c.Before)+len(more) || len(c.Before) == 0 {
		return nil
	}
	return more
}

// ttlText says how TTLs are led around the changes, those that go together in one sentence.
func ttlText(z plan.Zone) []string {
	type around struct{ seen, lower, wait, raise int }
	sets := map[around][]string{}
	var order []around
	for _, t := range z.TTLs {
		a := around{t.Seen, t.LowerBefore, t.WaitAfter, t.RaiseTo}
		if sets[a] == nil {
			order = append(order, a)
		}
		sets[a] = append(sets[a], record.Label(t.Name, z.Name)+" "+t.Type)
	}
	var all []string
	for _, a := range order {
		what := strings.Join(sets[a], ", ")
		says := fmt.Sprintf("TTL of %s: it is %s, short enough. ", what, plan.Words(a.seen))
		if a.lower > 0 {
			says = fmt.Sprintf(
				"TTL of %s: lower it from %s to %s, at least %s before the change. ",
				what,
				plan.Words(a.seen),
				plan.Words(plan.MovingTTL),
				plan.Words(a.lower),
			)
		}
		says += fmt.Sprintf("After the change wait %s.", plan.Words(a.wait))
		if a.raise > 0 {
			says += fmt.Sprintf(" A day later raise it to %s.", plan.Words(a.raise))
		}
		all = append(all, says)
	}
	if z.AbsentFor > 0 &&
		slices.ContainsFunc(z.Changes, func(c plan.Change) bool { return c.Step > 0 && c.Action == plan.Add }) {
		all = append(
			all,
			fmt.Sprintf(
				"What is new: a resolver that has looked for it goes on saying for %s that it is not there (RFC 2308).",
				plan.Words(z.AbsentFor),
			),
		)
	}
	return all
}

func moveText(z plan.Zone) []string {
	m := z.Move
	if m == nil {
		return nil
	}
	state := "not ready: the new servers have not been heard to say everything"
	if m.Ready {
		state = "ready: the new servers say everything"
	}
	all := []string{
		fmt.Sprintf("Name servers: from %s to %s (%s).", strings.Join(m.From, ", "), strings.Join(m.To, ", "), state),
	}
	var lost []string
	for _, l := range m.Loses {
		lost = append(lost, LossText(l))
	}
	if len(lost) > 0 {
		all = append(all, "What works only on the old servers and goes with them: "+strings.Join(lost, "; ")+".")
	}
	return all
}

func (v zoneView) text(w io.Writer, s Style) {
	fmt.Fprintf(w, "\n%s  %s\n", s.strong("Changes in "+v.title), s.faint(v.facts))
	label, kind := 0, 0
	for _, c := range v.changes {
		label, kind = max(label, text.StringWidthWithoutEscSequences(c.label)), max(kind, len(c.kind))
	}
	for _, c := range v.changes {
		head := fmt.Sprintf(
			"%2d %s  %s  %s  ",
			c.step,
			actionText(c.action, s),
			text.Pad(c.label, min(label, 30), ' '),
			text.Pad(c.kind, kind, ' '),
		)
		space := strings.Repeat(" ", text.StringWidthWithoutEscSequences(head))
		fmt.Fprintf(w, "%s%s\n", head, strings.TrimPrefix(indent(c.what, space, s.width()), space))
		fmt.Fprintln(w, s.faint(indent(c.reason, "            ", s.width())))
	}
	for _, l := range v.stays {
		const space = "            "
		fmt.Fprintln(w, s.faint(" = keep     "+strings.TrimPrefix(indent(l, space, s.width()), space)))
	}
	for _, l := range v.around {
		fmt.Fprintln(w, indent("· "+l, "  ", s.width()))
	}
}

func actionText(a plan.Action, s Style) string {
	padded := fmt.Sprintf("%-7s", a)
	switch a {
	case plan.Add:
		return s.paint("+ "+padded, text.FgGreen)
	case plan.Remove:
		return s.paint("- "+padded, text.FgRed)
	}
	return s.paint("~ "+padded, text.FgYellow)
}

func (v zoneView) md(w io.Writer) {
	fmt.Fprintf(w, "\n## Changes in %s\n\n%s\n", md(v.title), md(v.facts))
	if len(v.changes) > 0 {
		fmt.Fprint(w, "\n| step | do | label | type | value | why |\n| --- | --- | --- | --- | --- | --- |\n")
	}
	for _, c := range v.changes {
		fmt.Fprintf(
			w,
			"| %d | %s |\n",
			c.step,
			strings.Join(mdAll([]string{string(c.action), c.label, c.kind, c.what, c.reason}), " | "),
		)
	}
	if len(v.stays)+len(v.around) > 0 {
		fmt.Fprintln(w)
	}
	for _, l := range v.stays {
		fmt.Fprintf(w, "- keep %s\n", md(l))
	}
	for _, l := range v.around {
		fmt.Fprintf(w, "- %s\n", md(l))
	}
}

// placesTable says at which places something has to be typed, beside records.
func placesTable(p *plan.Plan) tabular {
	t := tabular{
		title: "Typed elsewhere (upperpath write sheet)",
		head:  []string{"where", "what it is", "carries", "to do"},
	}
	for _, c := range p.Carriers {
		if len(c.Entries) == 0 {
			continue
		}
		kinds := map[string]int{}
		var order []string
		for _, e := range c.Entries {
			what := entryKind(e)
			if what == "" {
				continue
			}
			if kinds[what] == 0 {
				order = append(order, what)
			}
			kinds[what]++
		}
		var todo []string
		for _, k := range order {
			word, deleted := strings.CutSuffix(k, toDelete)
			says := plural(kinds[k], word)
			if deleted {
				says += toDelete
			}
			todo = append(todo, says)
		}
		by := placeTitle(c.By)
		carries := ""
		if len(c.Hosts) > 0 {
			carries = plural(len(c.Hosts), "host")
		}
		t.rows = append(t.rows, []string{c.Name, by, carries, strings.Join(todo, ", ")})
	}
	return t
}

// limitLines says what carriers cannot do.
func limitLines(p *plan.Plan) []string {
	var all []string
	for _, c := range p.Carriers {
		if len(c.Limits) > 0 && len(c.Hosts) > 0 {
			all = append(all, fmt.Sprintf("%s has limits: %s.", c.Name, strings.Join(c.Limits, "; ")))
		}
	}
	return all
}

const toDelete = " to delete"

// entryKind names an entry in words that take an s in the plural, "" where there is nothing to type.
func entryKind(e plan.Entry) string {
	word := map[plan.Kind]string{
		plan.Forward:     "forwarding",
		plan.SourceEntry: "redirect",
		plan.DoorEntry:   "redirect",
		plan.HostEntry:   "host",
		plan.Pattern:     "pattern",
		plan.ZoneEntry:   "zone",
		plan.NameServers: "delegation",
		plan.DSEntry:     "DS record",
		plan.CertEntry:   "certificate",
		plan.Primary:     "primary host",
		plan.OriginEntry: "setting",
		plan.Config:      "configuration",
	}[e.Kind]
	if e.Action == plan.Remove && word != "" {
		return word + toDelete
	}
	return word
}
