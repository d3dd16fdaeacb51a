package report

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/carry"
	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/zone"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// notMeant counts the domains that the plan could have had and does not.
func notMeant(p *plan.Plan) int {
	n := -len(p.Domains())
	for _, d := range p.Estate.Domains {
		if d.State != estate.Leave {
			n++
		}
	}
	return n
}

// Plan is a plan: the verdict, what is wrong, the steps; then what stands behind them.
func Plan(p *plan.Plan) doc.Doc {
	d := doc.Doc{Name: "plan", Title: "Plan: every door to " + p.Canonical, Main: "changes",
		Data: planData(p)}
	if others := notMeant(p); others > 0 {
		var names []string
		for _, m := range p.Domains() {
			names = append(names, m.Name.Unicode())
		}
		d.About = fmt.Sprintf("only %s; %s %s not included", wording.Few(names, 6),
			wording.Count(others, "other domain"),
			wording.Verb(others, "is", "are"))
	}
	d.Blocks = func(yield func(doc.Block) bool) {
		for _, part := range [][]doc.Block{
			planHead(p), stepBlocks(p), planFindings(p), planTables(p), zoneBlocks(p), planNotes(p),
		} {
			for _, b := range part {
				if !yield(b) {
					return
				}
			}
		}
		if len(p.Rules) > mostListed {
			ruleSheet(p, yield)
		}
	}
	return d
}

// fewFindings is how many findings are shown whole before the steps; more are listed there and
// shown after them.
const fewFindings = 3

func planHead(p *plan.Plan) []doc.Block {
	blocks := []doc.Block{planVerdict(p)}
	all := findingBlocks(p.Findings)
	if open, _ := finding.Opened(p.Findings); len(all) <= fewFindings || len(open) == 0 {
		return append(blocks, all...)
	}
	open, _ := finding.Opened(p.Findings)
	return append(blocks, wrongTable(open))
}

func planFindings(p *plan.Plan) []doc.Block {
	all := findingBlocks(p.Findings)
	if open, _ := finding.Opened(p.Findings); len(all) <= fewFindings || len(open) == 0 {
		return nil
	}
	return append([]doc.Block{doc.Heading{Level: 2, Text: "Problems and what to do"}}, all...)
}

// wrongTable lists findings by their codes, a line each, the worst first.
func wrongTable(all []finding.Finding) doc.Table {
	subjects := map[finding.Code][]string{}
	worstOf := map[finding.Code]finding.Severity{}
	var order []finding.Code
	for _, f := range all {
		if subjects[f.Code] == nil {
			order = append(order, f.Code)
		}
		subjects[f.Code] = append(subjects[f.Code], f.Subject)
		if f.Severity.Rank() > worstOf[f.Code].Rank() {
			worstOf[f.Code] = f.Severity
		}
	}
	slices.SortStableFunc(order, func(a, b finding.Code) int {
		return cmp.Compare(worstOf[b].Rank(), worstOf[a].Rank())
	})
	t := doc.Table{Head: []string{"problem", "", "where"}}
	for _, c := range order {
		t.Rows = append(t.Rows,
			[]doc.Cell{{Text: doc.Phrase(c.String()), Tone: doc.ToneOf(worstOf[c])},
				{Text: doc.Phrase(words.Code(c).Plain)},
				{Text: doc.Phrase(wording.Few(subjects[c], 2))}})
	}
	return t
}

// seenLongAgo is from when on the age of what was seen is said.
const seenLongAgo = 7 * 24 * time.Hour

func planVerdict(p *plan.Plan) doc.Verdict {
	v := doc.Verdict{Tone: worst(p.Findings)}
	switch w := finding.Worst(p.Findings); {
	case w == "":
		v.Says = doc.Phrasef(words.PlanWorks, butAccepted(p), triedText(p),
			playedText(p))
	case w == finding.Error:
		v.Says = doc.Phrasef(words.PlanFails, counted(p.Findings))
	case finding.Has(p.Findings, finding.DeclaredOtherwise):
		v.Says = doc.Phrasef(words.PlanContested, counted(p.Findings))
	default:
		v.Says = doc.Phrasef(words.PlanWarns,
			butAccepted(p), triedText(p), playedText(p),
			wording.UpperFirst(counted(p.Findings)))
	}
	switch f := first(p.Findings); {
	case f != nil && f.Severity == finding.Error:
		v.Next = doc.Cat(
			doc.Phrase(words.FixErrors),
			doc.Copy("upperpath explain "+f.Code.String()),
			doc.Phrase(words.Means),
		)
	case slices.ContainsFunc(p.Steps, func(s act.Step) bool { return s.Kind == act.SurveyFirst }):
		v.Next = doc.Cat(doc.Copy("upperpath survey"),
			doc.Phrase(words.SurveyFirst))
	case p.Age() > seenLongAgo:
		v.Next = doc.Cat(doc.Copy("upperpath survey"), doc.Phrase(words.SeeAgain))
	default:
		v.Next = doc.Cat(doc.Phrase(words.TryFirst), doc.Copy("upperpath rehearse"),
			doc.Phrase(words.ThenStepOne))
	}
	return v
}

// butAccepted says that somebody lives with some of what a plan finds; "" where nobody does.
func butAccepted(p *plan.Plan) string {
	if _, lived := finding.Opened(p.Findings); len(lived) > 0 {
		return fmt.Sprintf(words.ButAccepted, wording.Count(len(lived), "finding"))
	}
	return ""
}

// playedText says how much of what is typed was played, and of which zones it was not, or not of
// all.
func playedText(p *plan.Plan) string {
	unseen, partly := len(p.Played.Unseen), len(p.Played.Partly)
	if !slices.ContainsFunc(p.Zones, func(z zone.Zone) bool { return z.Seen != nil || z.New != nil }) {
		return words.TriedOnly
	}
	text := fmt.Sprintf(words.PlayedRows, wording.Count(p.Played.Rows, "typed row"),
		wording.Verb(p.Played.Rows, "loses", "lose"))
	if partly > 0 {
		text += fmt.Sprintf(words.PlayedPartly, wording.Count(partly, "zone"))
	}
	if steps := announced(p); len(steps) > 0 {
		text += fmt.Sprintf(words.PlayedBut,
			wording.Noun(len(steps), "step")+" "+wording.And(steps))
	}
	if unseen > 0 {
		text += fmt.Sprintf(words.UnseenZones, wording.Count(unseen, "zone"),
			wording.Verb(unseen, "has", "have"))
	}
	if age := p.Age(); age > seenLongAgo {
		text += fmt.Sprintf(words.SeenLongAgo, wording.Span(age))
	}
	return text
}

// announced are the numbers of the steps that say beforehand which doors are dark, or show a
// warning, for a while.
func announced(p *plan.Plan) []string {
	var numbers []string
	for i, s := range p.Steps {
		if len(s.Dark) > 0 || len(s.Late) > 0 {
			numbers = append(numbers, strconv.Itoa(i+1))
		}
	}
	return numbers
}

func triedText(p *plan.Plan) string {
	tried := wording.Count(len(p.Doors), "door")
	if len(p.Rules) > 0 {
		tried += " and " + wording.Count(len(p.Rules), "rule")
	}
	return tried
}

func stepBlocks(p *plan.Plan) []doc.Block {
	blocks := []doc.Block{doc.Heading{Level: 2, Text: "Steps, in this order"}}
	for i, s := range p.Steps {
		blocks = append(blocks, doc.Step{Number: i + 1, Says: doc.Phrase(words.Step(s)), Cut: true,
			Tail: stepTail(s)})
	}
	return blocks
}

// stepTail says of a step what nobody should miss who reads its beginning alone.
func stepTail(s act.Step) string {
	var all []string
	if len(s.Dark) > 0 {
		all = append(all, words.GoesDark)
	}
	if len(s.Partial) > 0 {
		all = append(all, words.SeenInPart)
	}
	if s.Wait > 0 && s.Kind != act.RaiseTTLs && !slices.Contains(idle, s.Kind) {
		all = append(all, words.ThenWait+wording.DurationText(s.Wait))
	}
	return strings.Join(all, ", ")
}

func planNotes(p *plan.Plan) []doc.Block {
	var blocks []doc.Block
	for i, n := range p.Notes {
		blocks = append(blocks,
			doc.Paragraph{Text: doc.Phrase("note: " + words.Note(n)), Soft: true, Gap: i > 0})
	}
	return blocks
}

// planTables gives what stands behind the steps: zones, places to type at, doors, certificates,
// rules, records.
func planTables(p *plan.Plan) []doc.Block {
	var blocks []doc.Block
	add := func(title string, t doc.Table) {
		if len(t.Rows) > 0 {
			blocks = append(blocks, doc.Heading{Level: 2, Text: title}, t)
		}
	}
	add("Zones", zoneTable(p))
	add("Records", recordTable(p))
	places := placesTable(p)
	add("Typed elsewhere", places)
	if limits := limitLines(p); len(places.Rows) > 0 && len(limits) > 0 {
		blocks = append(blocks, doc.Detail{Blocks: []doc.Block{doc.List{Items: limits}}})
	}
	shown := blocks
	blocks = nil
	add("Doors", doorTable(p))
	add("Certificates", certificateTable(p))
	add("Rules", ruleTable(p))
	return append(shown, doc.Detail{Blocks: blocks})
}

func doorTable(p *plan.Plan) doc.Table {
	t := doc.Table{
		Sheet: "doors",
		Head:  []string{"host", "carried by", "leads to", "other paths", "hops http/https"},
		Order: true,
		More:  doc.Command("--format json") + " has them all",
	}
	for i := 0; i+1 < len(p.Doors); i += 2 {
		d := p.Doors[i]
		fallback := map[string]string{
			"same-path": "same path", "home": "home", "gone": "gone (410)", "": "as they are",
		}[d.Fallback]
		hops := fmt.Sprintf("%s/%s", hopsOf(d.Chain), hopsOf(p.Doors[i+1].Chain))
		t.Rows = append(t.Rows,
			doc.Cells(d.Door.Host.Unicode(), d.Carrier, shownTarget(p, d.LeadsTo), fallback, hops))
	}
	return t
}

// mostListed is how many rules are shown; spreadsheets get every one.
const mostListed = 5000

var ruleHead = []string{"line", "old", "new", "status", "held by"}

func ruleTable(p *plan.Plan) doc.Table {
	t := doc.Table{Sheet: "rules", Head: ruleHead, Order: true, Key: 2,
		More: doc.Command("--format json") + " has them all"}
	if more := len(p.Rules) - mostListed; more > 0 {
		t.Sheet, t.Rest = "", more // the sheet comes by itself
	}
	for i := range p.Rules[:min(len(p.Rules), mostListed)] {
		t.Rows = append(t.Rows, doc.Cells(ruleRow(&p.Rules[i])...))
	}
	return t
}

func ruleRow(r *plan.PlannedRule) []string {
	target := r.New
	if target == "" {
		target = "(gone)"
	}
	if r.Query == "drop" {
		target += " (query dropped)"
	}
	return []string{fmt.Sprint(r.Line), shown(r.Old), shown(target), fmt.Sprint(r.Status),
		strings.Join(r.Carriers, ", ")}
}

// ruleSheet is every rule for spreadsheets, in pieces.
func ruleSheet(p *plan.Plan, yield func(doc.Block) bool) {
	for at := 0; at < len(p.Rules); at += sheetPiece {
		end := min(len(p.Rules), at+sheetPiece)
		piece := doc.Data{Sheet: "rules", Head: ruleHead, Goes: end < len(p.Rules)}
		for i := range p.Rules[at:end] {
			piece.Rows = append(piece.Rows, ruleRow(&p.Rules[at+i]))
		}
		if !yield(piece) {
			return
		}
	}
}

func certificateTable(p *plan.Plan) doc.Table {
	t := doc.Table{Sheet: "certificates", Head: []string{"held by", "when", "names", "issuer"}}
	for _, c := range p.Certificates {
		when := map[string]string{
			"before": "before the name points there", "after": "after the name points there",
			"by-hand": "by hand",
		}[c.When]
		if c.Carrier == predict.SiteName {
			when = "the site has its own"
		}
		t.Rows = append(t.Rows, doc.Cells(c.Carrier, when, strings.Join(c.Names, ", "), issuerOf(c)))
	}
	return t
}

// recordTable gives the records of zones that nobody has seen, for which there are no changes.
func recordTable(p *plan.Plan) doc.Table {
	t := doc.Table{
		Sheet: "records",
		Head:  []string{"name", "TTL", "type", "value"},
		More:  doc.Command("--format json") + " has them all",
	}
	for _, z := range p.Zones {
		if z.Seen != nil {
			continue // the changes say it all
		}
		for _, r := range z.Records {
			for _, v := range r.Values {
				t.Rows = append(t.Rows,
					doc.Cells(r.Name, fmt.Sprintf("%d s", r.TTL), r.Type, wording.Cut(v, 70)))
			}
		}
	}
	return t
}

// issuerOf says who issues a certificate, and what CAA records say about that.
func issuerOf(c carry.Certificate) string {
	says := c.Issuer
	if len(c.MayIssue) > 0 && !slices.Contains(c.MayIssue, c.Issuer) {
		says = strings.TrimSpace(says + " (CAA: only " + strings.Join(c.MayIssue, ", ") + ")")
	}
	if len(c.Limits) > 0 {
		says = strings.TrimSpace(says + " (CAA: " + strings.Join(c.Limits, "; ") + ")")
	}
	return says
}

// shown gives a rule's side as people read it: its host in U-labels, its path decoded where that is
// text.
func shown(s string) string {
	host, rest, _ := strings.Cut(s, "/")
	if h, err := web.ParseHost(host); err == nil && strings.Contains(host, "xn--") {
		s = h.Unicode() + "/" + rest
	}
	if d := web.Decode(s); strings.Contains(s, "%C") && utf8.ValidString(d) && !doc.IsHostile(d) &&
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

func hopsOf(steps []predict.Hop) string {
	last := steps[len(steps)-1]
	if last.Refusal != "" {
		return last.Refusal
	}
	return fmt.Sprint(len(steps) - 1)
}

func unicodeName(name string) string {
	if h, err := web.ParseObservedHost(name); err == nil {
		return h.Unicode()
	}
	return name
}

// PlanSummary is what a plan comes to in a few lines.
func PlanSummary(p *plan.Plan) doc.Doc {
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
	v := planVerdict(p)
	v.Next = nil
	return doc.Doc{Name: "plan", Blocks: doc.Of(slices.Concat([]doc.Block{v,
		doc.Paragraph{
			Text: doc.Phrasef(
				"%s, %s, %s, %s in %s.",
				wording.Count(len(p.Doors), "door"),
				wording.Count(len(p.Rules), "rule"),
				wording.Count(
					len(p.Certificates),
					"certificate",
				),
				wording.Count(records, what),
				wording.Count(len(p.Zones), "zone"),
			),
		},
	}, findingBlocks(p.Findings))...)}
}
