package report

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/runbook"
	"upperpath.example/upperpath/internal/core/send"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// SendRun is what one run of sending did.
type SendRun struct {
	Canonical string
	Steps     []SentStep
	Stop      *SendStop     // why it stopped; nil: there is nothing more to do
	Book      *runbook.Book // the book, where all of it is done
}

// SentStep is what was sent in one step, and who has it.
type SentStep struct {
	Task    *runbook.Task
	Undo    bool
	Entries []send.Entry
	Servers []ServerHas
	Marked  bool
}

// ServerHas says whether a name server has what was sent.
type ServerHas struct {
	Zone   string `json:"zone"`
	Server string `json:"server,omitempty"` // "": nobody knows any
	Has    bool   `json:"has"`
	Unseen bool   `json:"unseen,omitempty"`
	Known  bool   `json:"known,omitempty"` // the last survey saw already that it does not answer
	Why    string `json:"why,omitempty"`   // the record that it does not have, or why it does not answer
}

// StopKind says why a run stopped.
type StopKind string

// Why runs stop.
const (
	StopNotReady    StopKind = "not-ready"    // the plan has errors
	StopByHand      StopKind = "by-hand"      // the step is done by hand
	StopNothing     StopKind = "nothing"      // the plan has nothing to send, and yet it is not there
	StopWarned      StopKind = "warned"       // the plan warns of it
	StopPlace       StopKind = "place"        // the place did not take it
	StopServers     StopKind = "servers"      // not every name server has it
	StopWaits       StopKind = "waits"        // it is too early
	StopNothingSent StopKind = "nothing-sent" // there is nothing to take back
)

// SendStop is why a run stopped.
type SendStop struct {
	Kind    StopKind
	Task    *runbook.Task
	Count   int // errors of the plan
	Why     fact.Facts
	Missing []fact.Sentence
	Unseen  []fact.Sentence
	Entry   *send.Entry
	Undo    bool
	Until   time.Time
	Begin   string // the option that names the part of the estate
}

// SendShown is what is about to be sent.
type SendShown struct {
	Task      *runbook.Task
	Undo      bool
	How, To   string
	Unsigned  bool
	Transfers []send.Transfer
	Breaks    []finding.Finding
	Warnings  []finding.Finding
}

// SendPreview shows what is about to be sent, as sheets do.
func SendPreview(s SendShown) doc.Doc {
	says := words.SendStep
	if s.Undo {
		says = words.SendUndoStep
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: fmt.Sprintf(says, s.Task.Number, s.Task.Says),
		About: fmt.Sprintf(words.SendAt, s.Task.Provider, sendWays[s.How], s.To)}}
	for _, t := range s.Transfers {
		blocks = append(blocks, doc.Heading{Level: 3, Text: hostText(t.Zone)},
			transferTable(t.Zone, t.Changes))
	}
	if s.Unsigned && s.How == "update" {
		blocks = append(blocks, doc.List{Tone: doc.Warned,
			Items: []doc.Text{doc.Phrasef(words.SendUnsigned, s.To)}})
	}
	if len(s.Breaks) > 0 {
		blocks = append(blocks, doc.Heading{Level: 3, Text: words.SendDark})
		blocks = append(blocks, findingBlocks(s.Breaks)...)
	}
	if len(s.Warnings) > 0 {
		blocks = append(blocks, doc.Heading{Level: 3, Text: words.SendWarnings})
		blocks = append(blocks, findingBlocks(s.Warnings)...)
	}
	return doc.Doc{Name: "send", Blocks: doc.Of(blocks...)}
}

// sendWays are how records are sent, in words.
var sendWays = map[string]string{"update": "DNS UPDATE", "program": "the program",
	"file": "zone files"}

// transferTable gives changes as sheets have them, without what only forms need.
func transferTable(zone string, changes []record.Change) doc.Table {
	var lines []plan.Line
	for _, c := range changes {
		lines = append(lines, linesOfChange(zone, c)...)
	}
	t := lineTable(lines)
	keep := []int{1, 2, 3, 4, 5}
	short := doc.Table{Key: 3}
	for _, i := range keep {
		short.Head = append(short.Head, t.Head[i])
	}
	for _, row := range t.Rows {
		var cells []doc.Cell
		for _, i := range keep {
			cells = append(cells, row[i])
		}
		short.Rows = append(short.Rows, cells)
	}
	return short
}

// linesOfChange gives a change record by record: what takes the place of something else first.
func linesOfChange(zone string, c record.Change) []plan.Line {
	line := func(do act.Action, was, value string, ttl int) plan.Line {
		return plan.Line{Zone: zone, Do: do, Label: record.Label(c.Name, zone), Name: c.Name,
			Type: c.Type, TTL: ttl, Was: record.Typed(c.Type, was), Value: record.Typed(c.Type, value)}
	}
	var gone, comes []string
	ttl := 0
	if c.Before != nil {
		gone, ttl = slices.Clone(c.Before.Values), c.Before.TTL
	}
	if c.After != nil {
		ttl = c.After.TTL
		for _, v := range c.After.Values {
			if i := slices.Index(gone, v); i >= 0 {
				gone = slices.Delete(gone, i, i+1)
				continue
			}
			comes = append(comes, v)
		}
	}
	var all []plan.Line
	if len(gone)+len(comes) == 0 && c.Before != nil && c.After != nil {
		do := act.Lower
		if c.After.TTL > c.Before.TTL {
			do = act.Raise
		}
		for _, v := range c.After.Values {
			all = append(all, line(do, "", v, ttl))
		}
		return all
	}
	for len(gone) > 0 && len(comes) > 0 {
		all = append(all, line(act.Replace, gone[0], comes[0], ttl))
		gone, comes = gone[1:], comes[1:]
	}
	for _, v := range gone {
		all = append(all, line(act.Remove, v, "", ttl))
	}
	for _, v := range comes {
		all = append(all, line(act.Add, "", v, ttl))
	}
	return all
}

// SendSeen says which steps were found to be done.
func SendSeen(b *runbook.Book, numbers []int) doc.Doc {
	var items []doc.Text
	for _, n := range numbers {
		items = append(items, doc.Phrasef(words.SendFound, n, b.Tasks[n-1].Says))
	}
	return doc.Doc{Name: "send", Blocks: doc.Of(doc.List{Items: items, Tone: doc.Good})}
}

// SendFoundOut says what came of what nobody knew of.
func SendFoundOut(e send.Entry) doc.Doc {
	tone := doc.Good
	if !e.Outcome.Good() {
		tone = doc.Noted
	}
	return doc.Doc{Name: "send", Blocks: doc.Of(doc.List{Tone: tone, Items: []doc.Text{doc.Phrasef(
		words.SendFoundOut, e.Step, hostText(e.Zone), words.SendOutcome(e.Outcome))}})}
}

// SendCame says what came of a step, zone by zone.
func SendCame(s SentStep, _ time.Time) doc.Doc {
	return doc.Doc{Name: "send", Blocks: doc.Of(cameBlocks(s)...)}
}

func cameBlocks(s SentStep) []doc.Block {
	blocks := []doc.Block{doc.Heading{Level: 3, Text: words.SendCame}}
	add := func(tone doc.Tone, text doc.Text) {
		if last, is := blocks[len(blocks)-1].(doc.List); is && last.Tone == tone {
			last.Items = append(last.Items, text)
			blocks[len(blocks)-1] = last
			return
		}
		blocks = append(blocks, doc.List{Tone: tone, Items: []doc.Text{text}})
	}
	for _, e := range s.Entries {
		n := wording.Count(len(e.Changes), "record set")
		switch {
		case e.Outcome == send.Already:
			add(doc.Good, doc.Phrasef(words.SendIsThere, hostText(e.Zone), n,
				wording.Verb(len(e.Changes), "is", "are")))
		case e.Outcome == send.Sent:
			add(doc.Good, doc.Phrasef(words.SendWasTaken, hostText(e.Zone), n,
				wording.Verb(len(e.Changes), "was", "were"), e.To))
		default:
			said := fact.Say(e.Why())
			tone := doc.Failed
			if e.Outcome == send.Unknown || e.Outcome == send.Unread || e.Outcome == send.Begun {
				tone = doc.Unseen
			}
			add(tone, doc.Phrase(said.Says+". "+said.Do))
			if len(e.Others) > 0 {
				blocks = append(blocks, othersTable(e.Zone, e.Others))
			}
		}
		for _, o := range e.TTLs {
			add(doc.Noted, doc.Phrasef(words.SendTTL, e.To, o.Change.Name, o.Change.Type,
				wording.DurationText(o.Found.TTL), wording.DurationText(o.Change.After.TTL)))
		}
	}
	addServers(s, add)
	return blocks
}

// addServers says which name servers have what was sent.
func addServers(s SentStep, add func(doc.Tone, doc.Text)) {
	var zones []string
	have, all := map[string]int{}, map[string]int{}
	for _, v := range s.Servers {
		if all[v.Zone]++; all[v.Zone] == 1 {
			zones = append(zones, v.Zone)
		}
		if v.Has {
			have[v.Zone]++
		}
	}
	for _, z := range zones {
		switch n := have[z]; {
		case n == all[z]:
			add(doc.Good, doc.Phrasef(words.SendServers, hostText(z), wording.Count(n, "address")))
		case n > 0:
			add(doc.Good, doc.Phrasef(words.SendSome, hostText(z), n, all[z]))
		}
	}
	for _, v := range s.Servers {
		switch {
		case v.Has:
		case v.Server == "":
			add(doc.Unseen, doc.Phrasef(words.SendNoServer, hostText(v.Zone)))
		case v.Unseen && v.Known:
			add(doc.Unseen, doc.Phrasef(words.SendSilentBefore, v.Server, v.Why))
		case v.Unseen:
			add(doc.Unseen, doc.Phrasef(words.SendSilent, v.Server, v.Why))
		default:
			add(doc.Failed, doc.Phrasef(words.SendBehind, v.Server, v.Why))
		}
	}
}

// othersTable shows what was expected, and what stands there.
func othersTable(zone string, others []send.Other) doc.Table {
	t := doc.Table{Head: []string{"label", "type", "expected", "stands there", "planned"}, Key: 2}
	value := func(s *record.Set) doc.Text {
		if s == nil {
			return doc.Phrase("nothing")
		}
		return doc.Stack(record.PlainAll(s.Type, s.Values))
	}
	for _, o := range others {
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Copy(record.Label(o.Change.Name, zone))},
			{Text: doc.Phrase(o.Change.Type)}, {Text: value(o.Change.Before)},
			{Text: value(o.Found), Tone: doc.Warned}, {Text: value(o.Change.After)}})
	}
	return t
}

// SendWaits says until when a run waits.
func SendWaits(b *runbook.Book, w runbook.Waiting, now time.Time) doc.Doc {
	return doc.Doc{Name: "send", Blocks: doc.Of(doc.List{Tone: doc.Noted, Items: []doc.Text{
		doc.Phrasef(words.SendWaits, w.Number, w.Until.In(now.Location()).Format(clockForm),
			wording.SpanUp(w.Until.Sub(now)))}})}
}

// SendEnd says how a run ended, and with which command it goes on.
func SendEnd(r *SendRun, now time.Time) doc.Doc {
	v := doc.Verdict{Tone: doc.Good}
	sent := 0
	for _, s := range r.Steps {
		if s.Marked {
			sent++
		}
	}
	var done doc.Text
	if sent > 0 || r.Stop == nil {
		done = doc.Phrasef(words.SendDone, wording.Count(sent, "step"))
	}
	var blocks []doc.Block
	switch stop := r.Stop; {
	case stop == nil && r.Book != nil:
		v.Says = doc.Phrasef(words.SendAllDone, wording.Count(len(r.Book.Tasks), "step"))
	case stop == nil && len(r.Steps) > 0 && r.Steps[0].Undo:
		var numbers []int64
		for _, s := range r.Steps {
			numbers = append(numbers, int64(s.Task.Number))
		}
		v.Says = doc.Phrasef(words.SendUndone, wording.Verb(len(numbers), "Step", "Steps"),
			wording.Numbers(numbers), wording.Verb(len(numbers), "is", "are"))
		v.Next = doc.Copy("upperpath runbook")
	case stop == nil:
		v.Says, v.Next = done, doc.Cat(doc.Phrase(words.SendGoesOn), doc.Copy("upperpath send"))
	default:
		blocks = stopBlocks(&v, stop, done, now)
	}
	d := doc.Doc{Name: "send", Main: "sent", Data: sendData(r)}
	var all []send.Entry
	for _, s := range r.Steps {
		all = append(all, s.Entries...)
	}
	d.Blocks = doc.Of(append(append(blocks, v), sentRows(all))...)
	return d
}

// stopBlocks says why a run stopped.
func stopBlocks(v *doc.Verdict, stop *SendStop, done doc.Text, now time.Time) []doc.Block {
	again := "upperpath send" + stop.Begin
	if stop.Undo {
		again = fmt.Sprintf("upperpath send --undo %d%s", stop.Task.Number, stop.Begin)
	}
	next := func(text string) doc.Text { return doc.Cat(doc.Phrase(text), doc.Copy(again)) }
	var blocks []doc.Block
	v.Tone = doc.Warned
	switch stop.Kind {
	case StopNotReady:
		v.Tone, v.Says = doc.Failed, doc.Phrasef(words.NotReady, wording.Count(stop.Count, "error"))
		v.Next = doc.Cat(doc.Copy("upperpath plan"), doc.Phrase(words.ShowsThem))
	case StopByHand:
		blocks = handBlocks(stop)
		v.Says = behind(done, doc.Phrasef(words.SendByHand, stop.Task.Number))
		v.Next = next(words.SendOnceDone)
		if len(stop.Task.Expects) == 0 {
			v.Next = doc.Cat(doc.Phrase(words.SendMark),
				doc.Copy(fmt.Sprintf("upperpath runbook --done %d%s", stop.Task.Number, stop.Begin)),
				doc.Phrase(words.SendThen), doc.Copy(again))
		}
	case StopNothing:
		blocks = handBlocks(stop)
		v.Says = doc.Phrasef(words.SendNothingLeft, stop.Task.Number)
		v.Next = doc.Cat(doc.Copy("upperpath survey"), doc.Phrase(words.SendThen),
			doc.Copy("upperpath runbook --anew"), doc.Phrase(words.SendThen), doc.Copy(again))
	case StopWarned:
		v.Says, v.Next = doc.Phrase(words.SendNothing+" "+words.SendWarned),
			doc.Copy(again+" --accept-warnings")
	case StopPlace:
		v.Tone = doc.Failed
		if o := stop.Entry.Outcome; o == send.Unknown || o == send.Unread || o == send.Begun {
			v.Tone = doc.Unseen
		}
		v.Says = doc.Phrasef(words.SendNotDone, stop.Task.Number)
		v.Next = next(words.SendGoesOn)
		if stop.Entry.Outcome == send.Changed {
			v.Next = doc.Cat(doc.Copy("upperpath survey"), doc.Phrase(words.SendThen),
				doc.Copy("upperpath runbook --anew"), doc.Phrase(words.SendThen), doc.Copy(again))
		}
	case StopServers:
		v.Tone = doc.Unseen
		v.Says = doc.Phrasef(words.SendNotEverywhere, stop.Task.Number)
		v.Next = next(words.SendLooksAgain)
		if stop.Entry.How == "file" {
			v.Says = doc.Phrasef(words.SendNotSeen, stop.Task.Number)
		}
	case StopWaits:
		v.Tone, v.Says = doc.Noted, behind(done, doc.Phrasef(words.SendTooEarly,
			stop.Task.Number, stop.Until.In(now.Location()).Format(clockForm),
			wording.SpanUp(stop.Until.Sub(now))))
		v.Next = next(words.SendGoesOn)
	case StopNothingSent:
		v.Says = doc.Phrasef(words.SendNothingOf, stop.Task.Number)
		v.Next = doc.Cat(doc.Phrase(words.SendWayBack),
			doc.Copy(fmt.Sprintf("upperpath runbook --back %d%s", stop.Task.Number, stop.Begin)))
	}
	return blocks
}

// behind puts one sentence behind another, where there is one.
func behind(first, next doc.Text) doc.Text {
	if len(first) == 0 {
		return next
	}
	return doc.Cat(first, doc.Phrase(" "), next)
}

// handBlocks says what is done by hand, and what is not as it should be.
func handBlocks(stop *SendStop) []doc.Block {
	t := stop.Task
	step := doc.Step{Number: t.Number, Says: doc.Phrase(t.Says), Copy: t.Copy, Box: "open"}
	if t.Provider != "" {
		step.Facts = append(step.Facts, doc.Fact{Name: "at", Value: doc.Phrase(t.Provider)})
	}
	if t.Shows != "" {
		step.Facts = append(step.Facts, doc.Fact{Name: "then", Value: doc.Phrase(t.Shows)})
	}
	if stop.Why != nil {
		step.Facts = append(step.Facts, doc.Fact{Name: "why by hand",
			Value: doc.Phrase(fact.Text(stop.Why))})
	}
	blocks := []doc.Block{step}
	for _, l := range []struct {
		title string
		all   []fact.Sentence
		tone  doc.Tone
	}{{words.SendMissing, stop.Missing, doc.Failed}, {words.SendUnseenYet, stop.Unseen, doc.Unseen}} {
		if len(l.all) == 0 {
			continue
		}
		list := doc.List{Title: l.title, Tone: l.tone}
		for i, s := range l.all {
			if i == 5 {
				list.More = fmt.Sprintf("and %d more", len(l.all)-i)
				break
			}
			list.Items = append(list.Items, doc.Phrase(s.String()))
		}
		blocks = append(blocks, list)
	}
	return blocks
}

// sentHead is the head of the table of what was sent.
var sentHead = []string{"number", "began", "by", "step", "place", "how", "to", "zone", "outcome",
	"answer", "name", "type", "before", "TTL before", "after", "TTL after"}

// sentRows gives what was sent as a table for spreadsheets, a row a set.
func sentRows(all []send.Entry) doc.Data {
	d := doc.Data{Sheet: "sent", Head: sentHead}
	for _, e := range all {
		for _, c := range e.Changes {
			row := []string{fmt.Sprint(e.ID), e.Began.UTC().Format(time.RFC3339), e.By, stepOf(e), e.Place,
				e.How, e.To, e.Zone, string(e.Outcome), e.Answer, c.Name, c.Type}
			for _, s := range []*record.Set{c.Before, c.After} {
				if s == nil {
					row = append(row, "", "")
					continue
				}
				row = append(row, strings.Join(s.Values, "\n"), strconv.Itoa(s.TTL))
			}
			d.Rows = append(d.Rows, row)
		}
	}
	return d
}

func stepOf(e send.Entry) string {
	if e.Undo {
		return fmt.Sprintf("undo %d", e.Step)
	}
	return strconv.Itoa(e.Step)
}

// SendLog shows all that was sent, the last first.
func SendLog(canonical string, all []send.Entry, _ time.Time) doc.Doc {
	d := doc.Doc{
		Name: "sent",
		Title: wording.UpperFirst(wording.Count(len(all), "transfer")) + " to " +
			"where the records of " + canonical + " are kept",
		Main: "sent",
		Data: map[string]any{"schema": "upperpath/sent/1", "canonical": canonical,
			"sent": append([]send.Entry{}, all...)},
	}
	if len(all) == 0 {
		d.Blocks = doc.Of(doc.Verdict{Tone: doc.Noted, Says: doc.Phrase(words.SendLogEmpty),
			Next: doc.Copy("upperpath send")}, sentRows(nil))
		return d
	}
	t := doc.Table{Head: []string{"number", "began", "by", "step", "place", "zone", "record sets",
		"outcome"}}
	for _, e := range slices.Backward(all) {
		tone := doc.Failed
		switch e.Outcome {
		case send.Sent, send.Already:
			tone = doc.Good
		case send.Unknown, send.Begun, send.Unread:
			tone = doc.Unseen
		}
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(fmt.Sprint(e.ID))},
			{Text: doc.Phrase(moment(e.Began))}, {Text: doc.Phrase(e.By)}, {Text: doc.Phrase(stepOf(e))},
			{Text: doc.Phrase(e.Place)}, {Text: doc.Phrase(hostText(e.Zone))},
			{Text: doc.Phrase(fmt.Sprint(len(e.Changes)))},
			{Text: doc.Phrase(words.SendOutcome(e.Outcome)), Tone: tone}})
	}
	d.Blocks = doc.Of(t, sentRows(all))
	return d
}

// sendData gives a run as JSON holds it.
func sendData(r *SendRun) any {
	steps := []map[string]any{}
	for _, s := range r.Steps {
		steps = append(steps, map[string]any{"step": s.Task.Number, "says": s.Task.Says, "undo": s.Undo,
			"sent": append([]send.Entry{}, s.Entries...), "servers": append([]ServerHas{}, s.Servers...),
			"marked": s.Marked})
	}
	data := map[string]any{"schema": "upperpath/send/1", "canonical": r.Canonical, "steps": steps}
	if stop := r.Stop; stop != nil {
		of := map[string]any{"why": stop.Kind}
		if stop.Task != nil {
			of["step"], of["says"] = stop.Task.Number, stop.Task.Says
		}
		if stop.Why != nil {
			of["by_hand"] = fact.Text(stop.Why)
		}
		if !stop.Until.IsZero() {
			of["until"] = stop.Until.UTC()
		}
		data["stopped"] = of
	}
	return data
}

// hostText gives a name as people read it.
func hostText(name string) string {
	if h, err := web.ParseObservedHost(name); err == nil {
		return h.Unicode()
	}
	return name
}

// Checked is one thing that a program has to do, and whether it does.
type Checked struct {
	Name string `json:"name"`
	OK   bool   `json:"ok"`
	Says string `json:"says,omitempty"`
}

// SendTried says what a program for a place does, and what it lacks.
func SendTried(place, zone string, all []Checked) doc.Doc {
	t := doc.Table{Sheet: "checks", Head: []string{"a program", "", "what it did"}}
	bad := 0
	for _, c := range all {
		tone, said := doc.Good, words.SendDoes
		if !c.OK {
			tone, said = doc.Failed, words.SendLacks
			bad++
		}
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(c.Name)},
			{Text: doc.Phrase(said), Tone: tone}, {Text: doc.Phrase(c.Says)}})
	}
	v := doc.Verdict{Tone: doc.Good, Says: doc.Phrasef(words.SendFits, place,
		wording.Count(len(all), "check"), zone)}
	if bad > 0 {
		v = doc.Verdict{Tone: doc.Failed, Says: doc.Phrasef(words.SendFitsNot, place,
			wording.Count(bad, "check"), len(all), wording.Verb(bad, "does", "do")),
			Next: doc.Cat(doc.Phrase(words.SendSaysHow), doc.Copy("docs/carrying.md"))}
	}
	return doc.Doc{Name: "tried", Title: fmt.Sprintf(words.SendTryTitle, place), Blocks: doc.Of(t, v),
		Data: map[string]any{"schema": "upperpath/tried/1", "place": place, "zone": zone, "checks": all}}
}
