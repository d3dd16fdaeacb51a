package report

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// clockForm is a time on which somebody has to be there.
const clockForm = "Mon 2 Jan 15:04 MST"

// RunbookOf makes the runbook of a plan: its steps in words, place by place, with the values to
// copy.
func RunbookOf(p *plan.Plan, scope string, start time.Time) *runbook.Book {
	backs := doc.Scrubbed(p.Backs())
	p = doc.Scrubbed(p) // it is kept, and read by others
	planned := p.Tasks()
	var tasks []runbook.Task
	for i, t := range planned {
		made := runbook.Task{
			Key: taskKey(t),
			Says: taskText(
				t,
				slices.ContainsFunc(planned, func(o plan.Task) bool {
					return o.Step.Kind == t.Step.Kind && o.Place != t.Place
				}),
			),
			Provider: t.Place,
			Names:    taskNames(t),
			Copy:     taskCopy(t),
			Wait:     t.Step.Wait,
			Idle:     slices.Contains(idle, t.Step.Kind),
			Shows:    taskShows(t),
			Expects:  t.Expects,
			Typed:    p.RowsOf(t),
			Means:    sumOf(p.Means(t)),
		}
		back := backs[t.Number-1]
		for _, r := range back.Rows {
			if r.Place == t.Place {
				made.Undo = append(made.Undo, r)
			}
		}
		made.Back = words.Undo(t.Step.Kind, len(made.Undo), back.Lasts, back.Keeps, back.Breaks)
		made.Restored, made.Hidden = back.Expects[t.Place], back.Hidden[t.Place]
		if t.Step.Kind == act.RaiseTTLs {
			made.Delay, made.Wait = t.Step.Wait, 0
		}
		for n, before := range planned[:i] {
			if slices.Contains(t.Step.Needs, before.Number) {
				made.After = append(made.After, n+1)
			}
		}
		tasks = append(tasks, made)
	}
	return runbook.New(p.Canonical, scope, tasks, start)
}

// sumOf stands for lines; "" for none.
func sumOf(lines []string) string {
	if len(lines) == 0 {
		return ""
	}
	sum := sha256.New()
	for _, line := range lines {
		sum.Write([]byte(line))
	}
	return hex.EncodeToString(sum.Sum(nil)[:8])
}

// taskKey stands for a task in every plan that has it.
func taskKey(t plan.Task) string {
	name := stepNames[t.Step.Kind]
	if t.Step.Round > 1 {
		name += fmt.Sprintf("-%d", t.Step.Round)
	}
	if t.Step.Wave > 0 {
		name += fmt.Sprintf("@%d", t.Step.Wave)
	}
	if t.Step.Kind == act.MakeChanges && len(t.Lines) == 0 && len(t.Entries) > 0 {
		name = "delete"
	}
	return strings.Join([]string{name, t.Place, strings.Join(t.Zones, " ")}, "|")
}

// idle are the steps in which nothing is done but waiting.
var idle = []act.StepKind{act.OutlastTTLs, act.WaitForTTLs, act.LeaveOld}

// AuditFirst is the name of the step that keeps how things were before anything moved.
const AuditFirst = "audit-first"

// stepNames are short names of steps, which are kept.
var stepNames = map[act.StepKind]string{
	act.SurveyFirst:       "survey",
	act.AuditFirst:        AuditFirst,
	act.TidyUp:            "tidy-up",
	act.RemoveStaleDS:     "remove-stale-ds",
	act.LowerTTLs:         "lower-ttls",
	act.UntieMail:         "untie-mail",
	act.GetCertificates:   "certificates",
	act.ClaimHosts:        "claim",
	act.MakeEarly:         "early",
	act.PlaceRedirects:    "redirects",
	act.TryRedirects:      "try",
	act.OutlastTTLs:       "outlast",
	act.LeaveAliases:      "leave-aliases",
	act.MakeChanges:       "changes",
	act.WaitForTTLs:       "wait",
	act.SetRecords:        "records",
	act.ChangeNameServers: "name-servers",
	act.ClaimAfter:        "claim-after",
	act.IssueCertificates: "issue",
	act.ChoosePrimaries:   "primaries",
	act.AuditDoors:        "audit",
	act.RaiseTTLs:         "raise-ttls",
	act.CopyZones:         "copy",
	act.SeeAgreement:      "agree",
	act.FindDS:            "find-ds",
	act.RemoveDS:          "remove-ds",
	act.LeaveOld:          "leave-old",
	act.SignAnew:          "sign",
	act.CreateZones:       "create",
	act.DelegateZones:     "delegate",
	act.CertifyNew:        "certificates-new",
}

// taskText says what is done in a task: as the step says it, or for one of several places.
func taskText(t plan.Task, several bool) string {
	if t.Step.Kind == act.SurveyFirst {
		return words.Step(t.Step) + " The runbook is then rebuilt from the survey: " +
			doc.Command("upperpath runbook --anew")
	}
	if !several || t.Place == "" {
		return words.Step(t.Step)
	}
	zones := wording.Few(unicodeNames(t.Zones), 4)
	switch t.Step.Kind {
	case act.LowerTTLs:
		return fmt.Sprintf("At %s, lower the TTLs of %s to %s.", t.Place, zones,
			wording.DurationText(act.MovingTTL))
	case act.RaiseTTLs:
		return fmt.Sprintf("At %s, raise the TTLs of %s to what they were, at most %s.", t.Place,
			zones, wording.DurationText(act.RecordTTL))
	case act.UntieMail:
		return fmt.Sprintf("At %s, untie whatever follows the web in %s: mail first of all.", t.Place,
			zones)
	case act.LeaveAliases:
		return fmt.Sprintf("At %s, make %s of %s: names that leave others, before those move.", t.Place,
			words.The(steps(t.Lines), "first ", "change"), zones)
	case act.TidyUp:
		return fmt.Sprintf("At %s, make %s left in %s, from top to bottom.", t.Place,
			words.The(steps(t.Lines), "", "change"), zones)
	case act.MakeChanges, act.SetRecords:
		if len(t.Lines) == 0 {
			return fmt.Sprintf("At %s, delete the forwarding of %s right before its records change.",
				t.Place, wording.Few(unicodeNames(entryHosts(t)), 4))
		}
		order := ", from top to bottom"
		if len(t.Zones) > 1 {
			order = ", each zone from top to bottom"
		}
		return fmt.Sprintf("At %s, make %s of %s%s.", t.Place,
			words.The(steps(t.Lines), "", "change"), zones, order)
	case act.GetCertificates, act.CertifyNew:
		return fmt.Sprintf("Get the certificates of %s at %s.", zones, t.Place)
	case act.PlaceRedirects:
		if len(t.Entries) > 0 && t.Entries[0].Kind == world.Config {
			return words.Format("Put the redirects in place at %s: %s.", t.Place,
				doc.Command(words.Writes(t.Entries[0].Fields[0])))
		}
		return fmt.Sprintf("Put the redirects of %s in place at %s.", zones, t.Place)
	case act.ChoosePrimaries:
		return fmt.Sprintf("Choose the primary host at %s, which redirects the others from then on.",
			t.Place)
	}
	return words.Step(t.Step)
}

func unicodeNames(all []string) []string {
	made := make([]string, len(all))
	for i, n := range all {
		made[i] = unicodeName(n)
	}
	return made
}

// taskNames gives the names that a task is about.
func taskNames(t plan.Task) []string {
	switch {
	case len(t.Lines) > 0:
		var names []string
		for _, l := range t.Lines {
			if n := l.Name + " " + l.Type; !slices.Contains(names, n) {
				names = append(names, n)
			}
		}
		return names
	case len(t.Step.Hosts) > 0:
		return t.Step.Hosts
	case len(entryHosts(t)) > 0:
		return entryHosts(t)
	}
	return t.Zones
}

// entryHosts gives the hosts of the certificates and of the forwardings to delete of a task.
func entryHosts(t plan.Task) []string {
	var hosts []string
	for _, e := range t.Entries {
		if e.Kind != world.CertEntry && (e.Kind != world.Forward || e.Action != act.Remove) {
			continue
		}
		if len(e.Fields) > 0 {
			hosts = append(hosts, strings.Split(e.Fields[0].Value, ", ")...)
		}
	}
	slices.Sort(hosts)
	return slices.Compact(hosts)
}

// lookedAt names the doors that are looked at once a task is done, of a scheme; the carrier's where
// they are asked there.
func lookedAt(t plan.Task, scheme string) string {
	var doors []string
	at := ""
	for _, e := range t.Expects {
		u, err := web.ParseURL(e.URL)
		if err != nil || !strings.HasPrefix(e.URL, scheme+"://") {
			continue
		}
		if d := doorText(u.Door()); !slices.Contains(doors, d) {
			doors = append(doors, d)
		}
		if e.Address != "" && t.Place != "" {
			at = ", asked at " + t.Place + ","
		}
	}
	if len(doors) == 0 {
		return words.ItsDoors
	}
	return wording.Few(doors, 4) + at
}

// taskCopy gives the values of a task as they are typed, a line each.
func taskCopy(t plan.Task) []string {
	var all []string
	zone := ""
	for _, l := range t.Lines {
		if l.Zone != zone {
			zone = l.Zone
			all = append(all, "in the zone "+unicodeName(zone)+":")
		}
		all = append(all, "  "+lineText(l))
	}
	for _, e := range t.Entries {
		about := unicodeName(e.Domain)
		if about == "" {
			about = "all domains"
		}
		all = append(all, fmt.Sprintf("%s: %s", about, entryTitle(e)))
		for _, f := range e.Fields {
			all = append(all, fmt.Sprintf("  %s: %s", f.Name, words.Field(f)))
		}
	}
	if t.Step.Kind == act.ChangeNameServers && len(t.Entries) == 0 {
		all = append(all, t.Step.Servers...)
	}
	return all
}

func lineText(l plan.Line) string {
	value := l.Value
	if l.Type == "TXT" && l.Dotted != "" {
		value = l.Dotted
	}
	return words.RecordRow(l.Do, l.Label, l.Type, l.Was, value, l.TTL)
}

// taskShows says what to see when a task worked.
func taskShows(t plan.Task) string {
	switch t.Step.Kind {
	case act.AuditFirst:
		return "An audit of every door is saved; runbook --check finds it."
	case act.LowerTTLs:
		return "The name servers give these records with the short TTL."
	case act.RaiseTTLs:
		return "The name servers give these records with the long TTL."
	case act.UntieMail, act.MakeEarly, act.LeaveAliases, act.MakeChanges, act.SetRecords, act.TidyUp:
		if len(t.Lines) == 0 {
			return "The page there no longer lists them."
		}
		return "The name servers give the planned values."
	case act.RemoveStaleDS, act.RemoveDS:
		return "The parent zone no longer has a DS record."
	case act.ChangeNameServers, act.DelegateZones:
		return "The parent zone names the next name servers."
	case act.CopyZones, act.CreateZones:
		return "The next name servers answer for the zone."
	case act.SeeAgreement:
		return "The next name servers give every answer that the present ones give."
	case act.GetCertificates, act.CertifyNew:
		if len(t.Expects) == 0 {
			return "The certificates exist. Whether they are served is checked once the redirects are in " +
				"place."
		}
		return fmt.Sprintf(words.ShowCertificates, lookedAt(t, "https"))
	case act.PlaceRedirects:
		return fmt.Sprintf(words.DoRedirect, lookedAt(t, "http"))
	case act.ChoosePrimaries:
		return fmt.Sprintf(words.DoArrive, lookedAt(t, "http"))
	case act.TryRedirects, act.AuditDoors:
		shows := "Every door, and an example of every rule, arrives where it should, without a warning."
		if plan.Tried(t.Expects) >= plan.MostExamples {
			shows += fmt.Sprintf(" At most %d rules are tried here; upperpath audit tries all.",
				plan.MostExamples)
		}
		return shows
	case act.IssueCertificates:
		return fmt.Sprintf(words.ShowCertificates, lookedAt(t, "https"))
	case act.ClaimHosts, act.ClaimAfter:
		return "The carrier's page lists the hosts."
	case act.SignAnew:
		return "The carrier's page shows the zone as signed."
	}
	return ""
}

// Ready says whether a runbook may be worked through: which errors of the plan no step mends, and
// which some do; and what became of a former one, where it was made anew.
type Ready struct {
	Faults  []string
	Mended  []string
	Adopted *runbook.Adopted
}

// ReadyOf gives the errors of a plan as they stand in the way of its runbook.
func ReadyOf(p *plan.Plan, errors []plan.Mended, b *runbook.Book) Ready {
	var r Ready
	keys := map[int]string{} // of the first task of each step
	for _, t := range p.Tasks() {
		if keys[t.Number] == "" {
			keys[t.Number] = taskKey(t)
		}
	}
	for _, e := range errors {
		at := slices.IndexFunc(b.Tasks, func(t runbook.Task) bool { return t.Key == keys[e.Step] })
		if e.Step == 0 || at < 0 {
			r.Faults = append(r.Faults, e.Finding.Says.String())
			continue
		}
		r.Mended = append(r.Mended, fmt.Sprintf(words.MendedByStep, e.Finding.Code,
			e.Finding.Says.String(), at+1))
	}
	return r
}

// Runbook is a runbook as it stands, with what came of checking it where that was done. What stands
// in the way of it is said first.
func Runbook(b *runbook.Book, p *runbook.Progress, ready Ready, now time.Time) doc.Doc {
	return runbookOf(b, p, ready, now, func(*runbook.Task) bool { return true })
}

// Marked shows a runbook after steps were marked: those, and the next. JSON has all.
func Marked(b *runbook.Book, numbers []int, ready Ready, now time.Time) doc.Doc {
	next := b.Next()
	return runbookOf(b, nil, ready, now, func(t *runbook.Task) bool {
		return slices.Contains(numbers, t.Number) || next != nil && t.Number == next.Number
	})
}

func runbookOf(b *runbook.Book, p *runbook.Progress, ready Ready, now time.Time,
	shown func(*runbook.Task) bool,
) doc.Doc {
	faults := ready.Faults
	done := b.DoneCount()
	scope := ""
	if b.Scope != "" {
		scope = ", " + b.Scope
	}
	d := doc.Doc{Name: "runbook", Title: "Runbook: every door to " + b.Canonical + scope,
		About: "start " + b.Start.In(now.Location()).Format("Mon 2 Jan 2006 15:04 MST"), Main: "runbook"}
	v := doc.Verdict{
		Tone: doc.Noted,
		Says: doc.Phrasef(words.StepsDone, done, wording.Count(len(b.Tasks), "step"),
			wording.Verb(done, "is", "are")),
	}
	next := b.Next()
	switch {
	case len(faults) > 0:
		v.Tone, v.Says = doc.Failed,
			doc.Phrasef(words.NotReady, wording.Count(len(faults), "error"))
		v.Next = doc.Cat(doc.Copy("upperpath plan"),
			doc.Phrase(words.ShowsThem))
	case done == len(b.Tasks):
		v.Tone, v.Says = doc.Good, doc.Phrasef(words.AllStepsDone, wording.Count(len(b.Tasks), "step"))
	case p != nil && p.Open != nil:
		v.Tone, v.Says, v.Next = openVerdict(b, p, v.Says)
	case next != nil && b.Times()[next.Number-1].From.After(now):
		from := b.Times()[next.Number-1].From
		v.Next = doc.Phrasef(
			words.WaitUntil,
			from.In(now.Location()).Format(clockForm),
			wording.SpanUp(from.Sub(now)),
			next.Number,
		)
	case next != nil && onlyByHand(next):
		v.Next = doc.Cat(doc.Phrasef(words.WhenDone, next.Number, next.Says),
			doc.Copy(fmt.Sprintf("upperpath runbook --done %d", next.Number)))
	case next != nil:
		v.Next = doc.Cat(doc.Phrasef(words.StepThen, next.Number, next.Says),
			doc.Copy("upperpath runbook --check"))
	}
	blocks := append([]doc.Block{v}, readyBlocks(b, ready)...)
	if p != nil {
		blocks = append(blocks, progressBlocks(b, p, now)...)
	}
	blocks = append(blocks, doc.Heading{Level: 2, Text: "Steps"})
	data := doc.Data{
		Sheet: "runbook",
		Head: []string{"step", "state", "done", "by", "at", "what", "names", "copy", "not before",
			"wait until",
			"check", "undo"},
	}
	for i, times := range b.Times() {
		t := &b.Tasks[i]
		if !shown(t) {
			continue
		}
		blocks = append(blocks, taskBlock(t, times, p, now))
		data.Rows = append(data.Rows, taskRow(t, times, p))
	}
	d.Blocks = doc.Of(append(blocks, data)...)
	d.Data = runbookData(b)
	return d
}

// readyBlocks lists what stands in the way, what steps mend, and what became of a former runbook.
func readyBlocks(b *runbook.Book, r Ready) []doc.Block {
	var blocks []doc.Block
	list := func(title string, tone doc.Tone, all []string) {
		var items []doc.Text
		for _, one := range all {
			items = append(items, doc.Phrase(one))
		}
		if len(items) > 0 {
			blocks = append(blocks, doc.List{Title: title, Items: items, Tone: tone,
				More: doc.Command("--format json") + " has them all"})
		}
	}
	list("What no step fixes", doc.Failed, r.Faults)
	list("What steps of this runbook fix", doc.Warned, r.Mended)
	if r.Adopted == nil {
		return blocks
	}
	said := func(numbers []int) []string {
		var all []string
		for _, n := range numbers {
			all = append(all, fmt.Sprintf("step %d: %s", n, b.Tasks[n-1].Says))
		}
		return all
	}
	list("Open again: what is typed there has changed since it was done", doc.Warned,
		said(r.Adopted.Again))
	list("Done before, and not in the present plan any more", doc.Plain, said(r.Adopted.Kept))
	return blocks
}

// onlyByHand reports whether nobody can see from here that a step is done.
func onlyByHand(t *runbook.Task) bool { return len(t.Expects) == 0 && !isAudit(t) }

// isAudit reports whether a step keeps how things were: what is kept shows that.
func isAudit(t *runbook.Task) bool { return strings.HasPrefix(t.Key, AuditFirst+"|") }

// openVerdict says why a check stopped, and what to do.
func openVerdict(b *runbook.Book, p *runbook.Progress, says doc.Text) (doc.Tone, doc.Text,
	doc.Text) {
	t := p.Open
	switch {
	case isAudit(t):
		return doc.Failed, doc.Cat(says, doc.Phrasef(words.StepOpen, t.Number)),
			doc.Cat(doc.Phrasef("Step %d: %s", t.Number, t.Says))
	case len(t.Expects) == 0:
		return doc.Warned, doc.Cat(says, doc.Phrasef(words.StepHidden, t.Number)),
			doc.Cat(
				doc.Phrasef(words.WhenDone, t.Number, t.Says),
				doc.Copy(fmt.Sprintf("upperpath runbook --done %d", t.Number)),
			)
	case len(p.Missing) == 0:
		return doc.Unseen,
			doc.Cat(says, doc.Phrasef(words.StepUnseen, t.Number)),
			doc.Cat(doc.Phrase("Look again: "), doc.Copy("upperpath runbook --check"))
	}
	return doc.Failed, doc.Cat(says, doc.Phrasef(words.StepOpen, t.Number)),
		doc.Cat(doc.Phrasef("Step %d: %s", t.Number, t.Says))
}

func progressBlocks(b *runbook.Book, p *runbook.Progress, now time.Time) []doc.Block {
	var blocks []doc.Block
	var moved []doc.Text
	for _, n := range p.Done {
		moved = append(moved, doc.Phrasef("step %d: %s", n, b.Tasks[n-1].Says))
	}
	if len(moved) > 0 {
		blocks = append(blocks, doc.List{Title: "Found done just now", Items: moved, Tone: doc.Good})
	}
	if t := p.Open; t != nil && len(p.Missing) > 0 {
		blocks = append(
			blocks,
			doc.List{Title: fmt.Sprintf("What is missing for step %d", t.Number), Items: texts(p.Missing),
				Tone: doc.Failed,
				More: doc.Command("--format json") + " has them all"},
		)
	}
	if t := p.Open; t != nil && len(p.Unseen) > 0 {
		blocks = append(
			blocks,
			doc.List{Title: fmt.Sprintf("Unanswered, for step %d", t.Number),
				Items: texts(p.Unseen),
				Tone:  doc.Unseen},
		)
	}
	var waiting []doc.Text
	for _, w := range p.Waiting {
		waiting = append(
			waiting,
			doc.Phrasef("step %d waits until %s (%s more)", w.Number,
				w.Until.In(now.Location()).Format(clockForm),
				wording.SpanUp(w.Until.Sub(now))),
		)
	}
	if len(waiting) > 0 {
		blocks = append(blocks, doc.List{Title: "Waiting", Items: waiting})
	}
	return blocks
}

func taskState(t *runbook.Task, p *runbook.Progress) string {
	switch {
	case t.IsDone():
		return "done"
	case p != nil && p.Open == t && len(p.Missing) > 0:
		return "failed"
	}
	return "open"
}

func taskBlock(t *runbook.Task, times runbook.Times, p *runbook.Progress, now time.Time) doc.Step {
	s := doc.Step{Number: t.Number, Says: doc.Phrase(t.Says), Box: taskState(t, p)}
	clock := func(at time.Time) string { return at.In(now.Location()).Format(clockForm) }
	fact := func(name, value string) {
		if value != "" {
			s.Facts = append(s.Facts, doc.Fact{Name: name, Value: doc.Phrase(value)})
		}
	}
	undo := func() {
		s.Back = doc.Phrase(t.Back)
		s.Undo, s.Rest = words.UndoRows(t.Undo, unicodeName),
			doc.Command(fmt.Sprintf("upperpath runbook --back %d", t.Number))
	}
	if t.IsDone() {
		how := ", its check passed"
		if t.ByHand {
			how = ", marked by hand, unchecked"
		} else if t.Idle {
			how = ", the wait was over"
		}
		fact("done", clock(t.Done)+how)
		if !times.Until.IsZero() && !t.Idle {
			fact("wait", fmt.Sprintf("%s, until %s", wording.DurationUp(t.Wait), clock(times.Until)))
		}
		fact("check", t.Shows)
		undo()
		return s
	}
	fact("at", t.Provider)
	fact("for", wording.Few(t.Names, 8))
	if times.From.After(now) && !t.Idle {
		fact("not before", clock(times.From))
	}
	if !times.Until.IsZero() {
		fact("wait", fmt.Sprintf("%s, until %s", wording.DurationUp(t.Wait), clock(times.Until)))
	}
	fact("check", t.Shows)
	if onlyByHand(t) && !t.Idle {
		fact("when done",
			"not visible from outside; mark it: "+
				doc.Command(fmt.Sprintf("upperpath runbook --done %d", t.Number)))
	}
	undo()
	s.Copy = t.Copy
	return s
}

func taskRow(t *runbook.Task, times runbook.Times, p *runbook.Progress) []string {
	done, by := "", ""
	if t.IsDone() {
		done, by = t.Done.Format(time.RFC3339), "check"
		if t.ByHand {
			by = "hand"
		}
	}
	until := ""
	if !times.Until.IsZero() {
		until = times.Until.UTC().Format(time.RFC3339)
	}
	return []string{
		fmt.Sprint(t.Number),
		taskState(t, p),
		done,
		by,
		t.Provider,
		doc.Unmarked(t.Says),
		strings.Join(t.Names, ", "),
		strings.Join(t.Copy, "; "),
		times.From.UTC().Format(time.RFC3339),
		until,
		t.Shows,
		strings.Join(append(words.UndoRows(t.Undo, unicodeName), doc.Unmarked(t.Back)), "; "),
	}
}

// runbookData is a runbook as JSON has it.
func runbookData(b *runbook.Book) *runbook.Book {
	made := *b
	made.Tasks = slices.Clone(b.Tasks)
	for i := range made.Tasks {
		made.Tasks[i].Says, made.Tasks[i].Back = doc.Unmarked(made.Tasks[i].Says),
			doc.Unmarked(made.Tasks[i].Back)
	}
	return &made
}

// Played is what a round of a runbook that is played came to: the steps that were found to be done,
// a line each.
func Played(b *runbook.Book, p runbook.Progress, now time.Time) doc.Doc {
	var blocks []doc.Block
	for _, n := range p.Done {
		t := &b.Tasks[n-1]
		how := "its check passes"
		if t.Idle {
			how = "the wait is over"
		}
		blocks = append(blocks, playedStep(t, how, now))
	}
	if t := p.Open; t != nil && len(t.Expects) == 0 {
		blocks = append(blocks, playedStep(t, "marked by hand: it cannot be seen from outside", now))
	}
	return doc.Doc{Name: "played", Blocks: doc.Of(blocks...)}
}

func playedStep(t *runbook.Task, how string, now time.Time) doc.Step {
	return doc.Step{Number: t.Number, Box: "done", Says: doc.Cat(doc.Phrase(t.Says),
		doc.Text{{Text: fmt.Sprintf(" %s; %s.", now.Format(clockForm), how), As: doc.Faint}})}
}

// RunbookVerdict says how far a runbook is.
func RunbookVerdict(b *runbook.Book) doc.Doc {
	v := doc.Verdict{Tone: doc.Warned,
		Says: doc.Phrasef("%d of %s are done.", b.DoneCount(), wording.Count(len(b.Tasks), "step"))}
	if b.DoneCount() == len(b.Tasks) {
		v = doc.Verdict{Tone: doc.Good,
			Says: doc.Phrasef(words.AllStepsDoneB, wording.Count(len(b.Tasks), "step"), howDone(b))}
	}
	return doc.Doc{Name: "runbook", Blocks: doc.Of(v)}
}

// howDone says how many steps were found to be done, waited for, and marked by hand.
func howDone(b *runbook.Book) string {
	checked, idle, byHand := 0, 0, 0
	for i := range b.Tasks {
		switch t := &b.Tasks[i]; {
		case t.ByHand:
			byHand++
		case t.Idle:
			idle++
		default:
			checked++
		}
	}
	return fmt.Sprintf("%d with their check, %s, %d marked by hand", checked,
		wording.Count(idle, "wait"), byHand)
}
