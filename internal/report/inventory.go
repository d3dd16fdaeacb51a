package report

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// InventorySchema names the shape of an inventory in JSON.
const InventorySchema = "upperpath/inventory/1"

// Inventory is a line a domain, for the first talk: what is there, before anything is decided.
func Inventory(all []survey.Entry, vantage string, decided bool, now time.Time) doc.Doc {
	t := doc.Table{Head: []string{"domain", "today", "records at", "until", "mail", "certificate"},
		Order: true}
	odd := doc.List{Title: words.OddTitle, More: doc.Command("--format csv") + " has them all"}
	sheet := doc.Data{Sheet: "inventory", Head: inventoryHead}
	var data []inventoryJSON
	for i := range all {
		e := &all[i]
		t.Rows = append(t.Rows, inventoryRow(e, now))
		sheet.Rows = append(sheet.Rows, inventoryCells(e, now))
		data = append(data, inventoryData(e))
		if says := oddTexts(e); len(says) > 0 {
			odd.Items = append(odd.Items, doc.Cat(doc.Text{{Text: unicodeName(e.Name), As: doc.Strong}},
				doc.Phrase(": "+strings.Join(says, "; ")+".")))
		}
	}
	d := doc.Doc{Name: "inventory", Main: "inventory",
		Title: "Inventory of " + wording.Count(len(all), "domain"),
		About: seenWhen(all, vantage),
		Data: map[string]any{"schema": InventorySchema, "vantage": vantage,
			"domains": append([]inventoryJSON{}, data...)}}
	blocks := []doc.Block{inventoryVerdict(all, decided, now), t}
	if len(odd.Items) > 0 {
		blocks = append(blocks, odd)
	}
	d.Blocks = doc.Of(append(blocks, sheet)...)
	return d
}

// seenWhen says when the domains were seen.
func seenWhen(all []survey.Entry, vantage string) string {
	var from, to time.Time
	for _, e := range all {
		if e.Looked.IsZero() {
			continue
		}
		if from.IsZero() || e.Looked.Before(from) {
			from = e.Looked
		}
		if e.Looked.After(to) {
			to = e.Looked
		}
	}
	switch {
	case to.IsZero():
		return ""
	case moment(from) == moment(to):
		return words.SeenFrom(vantage, moment(to))
	}
	return words.SeenFrom(vantage, moment(from)+" to "+moment(to))
}

// inventoryVerdict counts what is there, and says what presses.
func inventoryVerdict(all []survey.Entry, decided bool, now time.Time) doc.Verdict {
	count := map[survey.Alive]int{}
	ended, soon, missing := 0, 0, 0
	for i := range all {
		e := &all[i]
		if e.Looked.IsZero() {
			missing++
			continue
		}
		count[e.Alive]++
		switch left := e.Ends.Sub(now); {
		case e.Ends.IsZero():
		case left < 0:
			ended++
		case left < survey.Soon:
			soon++
		}
	}
	var parts []string
	for _, a := range []survey.Alive{survey.AliveSite, survey.AliveMoved, survey.AliveParked,
		survey.AliveError, survey.AliveNothing, survey.AliveNoDomain, survey.AliveUnseen} {
		if count[a] > 0 {
			parts = append(parts, words.AliveCount(a, count[a]))
		}
	}
	v := doc.Verdict{Tone: doc.Noted, Says: doc.Phrase(wording.Count(len(all), "domain") + ": " +
		strings.Join(parts, ", ") + ".")}
	if len(parts) == 0 {
		v.Says = doc.Phrase(words.NothingSurveyed)
	}
	add := func(n int, one, many string, tone doc.Tone) {
		if n > 0 {
			v.Says = doc.Cat(v.Says, doc.Phrasef(" %d %s.", n, wording.Verb(n, one, many)))
			v.Tone = max(v.Tone, tone)
		}
	}
	add(ended, "registration has ended", "registrations have ended", doc.Failed)
	add(soon, "registration ends within 60 days", "registrations end within 60 days", doc.Warned)
	add(missing, "was not looked at", "were not looked at", doc.Unseen)
	if missing > 0 && v.Tone == doc.Noted {
		v.Tone = doc.Unseen
	}
	if missing > 0 {
		v.Next = doc.Cat(doc.Copy("upperpath survey"), doc.Phrase(words.SurveysThem))
	} else if decided {
		v.Next = doc.Cat(doc.Phrase(words.WriteDownCarriers), doc.Copy("upperpath plan"))
	} else {
		v.Next = doc.Cat(doc.Phrase(words.ChooseSite), doc.Copy(words.NewWithSite))
	}
	return v
}

func inventoryRow(e *survey.Entry, now time.Time) []doc.Cell {
	if e.Looked.IsZero() {
		return []doc.Cell{{Text: doc.Phrase(unicodeName(e.Name))},
			{Text: doc.Phrase(words.AliveWord(survey.AliveUnseen)), Tone: doc.Unseen}, {}, {}, {}, {}}
	}
	return []doc.Cell{{Text: doc.Phrase(unicodeName(e.Name))}, landsCell(e), {
		Text: doc.Phrase(holdersText(e))}, untilCell(e, now), mailCell(e), certificateCell(e, now)}
}

// landsCell says in few words where the doors of a domain land.
func landsCell(e *survey.Entry) doc.Cell {
	tone := map[survey.Alive]doc.Tone{survey.AliveSite: doc.Good, survey.AliveMoved: doc.Good,
		survey.AliveParked: doc.Noted, survey.AliveError: doc.Warned, survey.AliveNothing: doc.Warned,
		survey.AliveNoDomain: doc.Failed, survey.AliveUnseen: doc.Unseen}[e.Alive]
	says := words.AliveWord(e.Alive)
	if n := landings(e); len(n) > 1 {
		tone = max(tone, doc.Noted)
	}
	return doc.Cell{Text: doc.Phrase(says), Tone: tone}
}

// landings counts the doors of a domain by where they land.
func landings(e *survey.Entry) map[string]int {
	n := map[string]int{}
	for _, l := range e.Landings {
		n[landingText(l)]++
	}
	return n
}

// landingText says where a door lands.
func landingText(l survey.Landing) string {
	says := ""
	switch {
	case l.Refusal == chain.Unseen:
		return "unseen"
	case l.Refusal != "":
		says = plainCode(string(l.Refusal))
	case l.End != chain.Page:
		says = plainCode(string(l.End))
	case l.Status >= 400:
		says = fmt.Sprintf("%s (%d)", l.Arrival.Door(), l.Status)
	default:
		says = l.Arrival.Door().String()
	}
	if l.Stopped {
		says += " behind a warning"
	}
	return says
}

func holdersText(e *survey.Entry) string {
	says := wording.Few(unicodeNames(e.Holders), 1)
	if says == "" {
		says = "unseen"
	}
	return says
}

func untilCell(e *survey.Entry, now time.Time) doc.Cell {
	if e.Ends.IsZero() {
		return doc.Cell{Text: doc.Phrase("unseen"), Tone: doc.Unseen}
	}
	says, tone := dayOf(e.Ends).Format(time.DateOnly), doc.Plain
	switch left := e.Ends.Sub(now); {
	case left < 0:
		tone = doc.Failed
	case left < survey.Soon:
		tone = doc.Warned
	}
	return doc.Cell{Text: doc.Phrase(says), Tone: tone}
}

func mailCell(e *survey.Entry) doc.Cell {
	switch {
	case len(e.Mail) > 0:
		return doc.Cell{Text: doc.Phrase("yes")}
	case e.NoMail:
		return doc.Cell{Text: doc.Phrase("none")}
	}
	return doc.Cell{Text: doc.Phrase("unseen"), Tone: doc.Unseen}
}

func certificateCell(e *survey.Entry, now time.Time) doc.Cell {
	switch {
	case e.Certificate == nil && e.Alive == survey.AliveUnseen:
		return doc.Cell{Text: doc.Phrase("unseen"), Tone: doc.Unseen}
	case e.Certificate == nil:
		return doc.Cell{Text: doc.Phrase("none")}
	case len(e.Faults) > 0:
		return doc.Cell{Text: doc.Phrase(slices.Min(e.Faults).String()),
			Tone: doc.ToneOf(slices.Min(e.Faults).Row().Severity)}
	}
	return doc.Cell{Text: doc.Phrase(wording.Span(e.Certificate.NotAfter.Sub(now)))}
}

// oddTexts says what is odd about a domain, the gravest first, and what hangs on it.
func oddTexts(e *survey.Entry) []string {
	var all []string
	add := func(s string) {
		if s != "" && !slices.Contains(all, s) {
			all = append(all, s)
		}
	}
	if n := landings(e); len(n) > 1 {
		var parts []string
		for _, says := range slices.Sorted(maps.Keys(n)) {
			parts = append(parts, fmt.Sprintf("%d × %s", n[says], says))
		}
		add("doors land at " + wording.And(parts))
	}
	if len(e.Mail) > 0 {
		add("mail goes to " + wording.Few(unicodeNames(e.Mail), 2))
	}
	if e.EndsFrom == survey.EstateFile && !e.Ends.IsZero() {
		add(words.YourFile)
	}
	switch e.Signed {
	case survey.SignedYes:
		add("signed")
	case survey.SignedBroken:
		add("its signature does not fit")
	}
	for _, f := range e.Findings {
		if f.Severity != finding.Note && f.Code.Row().About != "registration" &&
			f.Code.Row().About != "certificate" {
			add(words.Code(f.Code).Plain)
		}
	}
	for _, s := range e.Status {
		if strings.Contains(strings.ToLower(s), "hold") {
			add(s)
		}
	}
	if len(e.Depends) > 0 {
		add("in use: " + wording.Few(e.Depends, 4))
	}
	if len(e.References) > 0 {
		add("needed by " + wording.Few(unicodeNames(e.References), 2))
	}
	return all
}

var inventoryHead = []string{"domain", "seen", "state", "http apex", "https apex", "http www",
	"https www", "page title", "records at", "registrar", "registered until", "status", "mail",
	"certificate ends", "certificate", "signed", "names in use", "needed by", "findings",
	"worth knowing"}

// inventoryCells gives all that is known of a domain, for spreadsheets.
func inventoryCells(e *survey.Entry, now time.Time) []string {
	v := inventoryData(e)
	at := func(scheme, label string) string {
		host := label + e.Name
		for _, l := range e.Landings {
			if l.Door.String() == scheme+"://"+host {
				return landingText(l)
			}
		}
		return ""
	}
	seen, certificate := words.NotLookedAt, v.CertificateFault
	if !e.Looked.IsZero() {
		seen = moment(e.Looked)
	}
	if certificate == "" && e.Certificate != nil {
		certificate = "holds"
	}
	mail := strings.Join(v.Mail, "; ")
	if v.Mail == nil && v.MailSeen {
		mail = "none"
	}
	var says, facts []string
	for _, f := range e.Findings {
		says = append(says, f.Code.String())
	}
	slices.Sort(says)
	for _, f := range e.Odd {
		facts = append(facts, f.String())
	}
	return []string{unicodeName(e.Name), seen, string(e.Alive), at("http", ""), at("https", ""),
		at("http", "www."), at("https", "www."), e.Title, strings.Join(e.Holders, "; "), e.Registrar,
		v.RegisteredUntil, strings.Join(e.Status, "; "), mail, v.CertificateEnds, certificate,
		string(e.Signed), strings.Join(e.Depends, "; "), strings.Join(e.References, "; "),
		strings.Join(slices.Compact(says), "; "), strings.Join(facts, " ")}
}

// inventoryJSON is a line of an inventory as JSON has it.
type inventoryJSON struct {
	Domain           string            `json:"domain"`
	Seen             *time.Time        `json:"seen,omitempty"` // absent: nobody looked
	State            survey.Alive      `json:"state"`
	Doors            []doorJSON        `json:"doors"`
	Title            string            `json:"title,omitempty"`
	RecordsAt        []string          `json:"records_at"`
	Registrar        string            `json:"registrar,omitempty"`
	RegisteredUntil  string            `json:"registered_until,omitempty"`
	Status           []string          `json:"status,omitempty"`
	Mail             []string          `json:"mail"` // domains of those who receive it
	MailSeen         bool              `json:"mail_seen"`
	CertificateEnds  string            `json:"certificate_ends,omitempty"`
	CertificateFault string            `json:"certificate_fault,omitempty"`
	Signed           survey.Signed     `json:"signed"`
	InUse            []string          `json:"in_use"`    // names below it, beside web and mail
	NeededBy         []string          `json:"needed_by"` // domains whose records refer to it
	Findings         []finding.Finding `json:"findings"`
	Odd              []fact.Sentence   `json:"odd"`
}

// doorJSON is where a door lands.
type doorJSON struct {
	Door    string `json:"door"`
	Arrival string `json:"arrival,omitempty"` // absent: nowhere
	Status  int    `json:"status,omitempty"`
	Refusal string `json:"refusal,omitempty"`
	Warning bool   `json:"warning,omitempty"` // a certificate stops visitors
	Hops    int    `json:"hops"`
}

func inventoryData(e *survey.Entry) inventoryJSON {
	v := inventoryJSON{Domain: e.Name, State: e.Alive, Title: e.Title, Registrar: e.Registrar,
		Status: e.Status, MailSeen: len(e.Mail) > 0 || e.NoMail, Mail: e.Mail, Signed: e.Signed,
		RecordsAt: append([]string{}, e.Holders...), InUse: append([]string{}, e.Depends...),
		NeededBy: append([]string{}, e.References...), Findings: inWords(e.Findings), Odd: e.Odd,
		Doors: []doorJSON{}}
	if !e.Looked.IsZero() {
		at := e.Looked.UTC()
		v.Seen = &at
	}
	if !e.Ends.IsZero() {
		v.RegisteredUntil = dayOf(e.Ends).Format(time.DateOnly)
	}
	if e.Certificate != nil {
		v.CertificateEnds = dayOf(e.Certificate.NotAfter).Format(time.DateOnly)
	}
	if len(e.Faults) > 0 {
		v.CertificateFault = slices.Min(e.Faults).String()
	}
	for _, l := range e.Landings {
		one := doorJSON{Door: l.Door.String(), Status: l.Status, Refusal: string(l.Refusal),
			Warning: l.Stopped, Hops: l.Hops}
		if l.End == chain.Page {
			one.Arrival = l.Arrival.String()
		} else if one.Refusal == "" {
			one.Refusal = string(l.End)
		}
		v.Doors = append(v.Doors, one)
	}
	return v
}
