package report

import (
	"fmt"
	"slices"
	"strconv"
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

// Survey is a survey: the verdict, what is wrong, what could not be seen, the domains; with records
// every record too.
func Survey(v *survey.Survey, records bool) doc.Doc {
	d := surveyed(v)
	d.Title = "Survey of " + wording.Count(len(v.Domains), "domain")
	d.About = fmt.Sprintf("seen from %s, %s", v.Vantage, moment(v.Started))
	if v.Scope.Known() && !v.Scope.Plain() {
		d.About += "; " + ScopeText(v.Scope, "domain")
	}
	first := d.Blocks
	d.Blocks = func(yield func(doc.Block) bool) {
		for b := range first {
			if !yield(b) {
				return
			}
		}
		for i := range v.Domains {
			blocks := domainBlocks(v.Domains[i], v.Started)
			if !records {
				blocks = []doc.Block{doc.Detail{Blocks: blocks}}
			}
			for _, b := range blocks {
				if !yield(b) {
					return
				}
			}
		}
		noted(v.Notes, yield)
	}
	return d
}

// SurveyOfNames is a survey without what is said about doors: for where an audit of the doors
// follows.
func SurveyOfNames(v *survey.Survey) doc.Doc {
	names := *v
	names.Findings = slices.DeleteFunc(slices.Clone(v.Findings), func(f finding.Finding) bool {
		return f.Entry != ""
	})
	return surveyed(&names)
}

func surveyed(v *survey.Survey) doc.Doc {
	var blocks []doc.Block
	if unseen := unseenLines(v); len(unseen) > 0 {
		blocks = append(blocks,
			doc.List{Title: "Unseen", Items: texts(unseen), Tone: doc.Unseen,
				More: doc.Command("--format json") + " has them all"})
	}
	blocks = append(blocks, doc.Heading{Level: 2, Text: "Domains"}, domainTable(v))
	var facts []fact.Sentence
	for _, d := range v.Domains {
		facts = append(facts, d.Facts...)
	}
	if len(facts) > 0 {
		blocks = append(
			blocks,
			doc.List{Title: "Worth knowing", Items: texts(facts),
				More: doc.Command("--format json") + " has them all"},
		)
	}
	return doc.Doc{Name: "survey", Main: "records", Data: surveyData(v),
		Blocks: doc.Of(slices.Concat([]doc.Block{surveyVerdict(v)}, findingBlocks(v.Findings),
			blocks)...)}
}

// surveyData is a survey as JSON has it, domain by domain, so that many need no more memory than
// they have.
func surveyData(v *survey.Survey) doc.Object {
	return doc.Object{
		{Name: "schema", Value: v.Schema}, {Name: "vantage", Value: v.Vantage},
		{Name: "canonical", Value: doc.IfSaid(v.Canonical)}, {Name: "started", Value: v.Started},
		{Name: "scope", Value: func() any {
			if v.Scope == nil {
				return nil
			}
			return v.Scope
		}},
		{Name: "domains", Value: doc.SequenceOf(v.Domains)},
		{Name: "findings", Value: inWordsOne(v.Findings)}, {Name: "notes", Value: doc.IfAny(v.Notes)},
	}
}

// surveyVerdict says in a line how it stands: what could not be seen before what was found.
func surveyVerdict(v *survey.Survey) doc.Verdict {
	said := doc.Verdict{Tone: worst(v.Findings), Says: doc.Phrase(sentence(v.Findings))}
	switch dark := v.Dark(); {
	case len(v.Domains) == 0:
		return doc.Verdict{Tone: doc.Unseen, Says: doc.Phrase(words.LookedAtNothing)}
	case len(dark) == len(v.Domains) && len(v.Findings) == 0:
		return doc.Verdict{Tone: doc.Unseen,
			Says: doc.Phrase(words.NothingSeen)}
	case len(dark) == len(v.Domains):
		said.Says = doc.Phrasef(words.NoZoneSeen, sentence(v.Findings))
	case len(dark) > 0:
		said.Tone = max(said.Tone, doc.Unseen)
		said.Says = doc.Phrasef(
			words.SomeZonesUnseen,
			len(dark),
			wording.Count(len(v.Domains), "domain"),
			counted(v.Findings),
		)
	}
	if f := first(v.Findings); f != nil {
		next := "upperpath plan"
		if v.Canonical == "" { // there is nothing to plan for
			next = "upperpath inventory"
		}
		said.Next = doc.Cat(doc.Phrase(words.BeginWith), doc.Copy(f.Code.String()),
			doc.Phrasef(" at %s. ", f.Subject), doc.Phrase("Then "), doc.Copy(next), doc.Phrase("."))
		return said
	}
	if v.Canonical == "" {
		said.Next = doc.Cat(doc.Copy("upperpath inventory"), doc.Phrase(words.ShowsALineEach))
		return said
	}
	said.Next = doc.Cat(doc.Copy("upperpath plan"), doc.Phrase(" works out the changes."))
	return said
}

func domainTable(v *survey.Survey) doc.Table {
	t := doc.Table{Sheet: "domains",
		Head: []string{"domain", "name servers", "records", "registration ends"}, Order: true,
		More: doc.Command("--format json") + " has them all"}
	for _, d := range v.Domains {
		t.Rows = append(t.Rows, doc.Cells(domainRow(d, v.Started)...))
	}
	return t
}

// domainRow gives a domain's line in the table: name, name servers, records, registration.
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
	how := wording.Count(records, "record")
	switch {
	case !d.Seen():
		how = "nothing seen"
	case d.Partial:
		how += ", partial"
	}
	ends := "not known"
	if r := d.Registration; r != nil && r.Ends != nil {
		ends = dayOf(*r.Ends).Format(time.DateOnly) + ", " + timeLeft(*r.Ends, now)
		if r.EndsFrom == survey.EstateFile || r.From == survey.EstateFile {
			ends += " (from your file)"
		}
	}
	return []string{unicodeName(d.Name), servers, how, ends}
}

// domainBlocks gives all that was seen of a domain's names: delegation, records, certificates.
func domainBlocks(d survey.Domain, now time.Time) []doc.Block {
	picture := "the whole zone, by transfer"
	switch {
	case d.Source == survey.File && !d.Partial:
		picture = "the whole zone, from a file"
	case d.Source == survey.Walked:
		picture = "the whole zone, from name to name (it is signed with NSEC)"
	case d.Source == survey.Resolver:
		picture = "PARTIAL: a resolver was asked for common names"
	case d.Partial:
		picture = "PARTIAL: the name servers were asked for common names"
	}
	if d.Remaining {
		picture += "; TTLs are what resolvers had left of them"
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: unicodeName(d.Name), About: picture}}
	servers := doc.Table{Head: []string{"name server", "answers", "named by"}}
	server := func(name, address, by string, answers bool, serial uint32, fault string) {
		says, tone := fmt.Sprintf("serial %d", serial), doc.Good
		if !answers {
			says, tone = fault, doc.Warned
		}
		servers.Rows = append(
			servers.Rows,
			[]doc.Cell{{Text: doc.Phrase(strings.TrimSpace(name + " " + address))},
				{Text: doc.Phrase(says), Tone: tone},
				{Text: doc.Phrase(by)}},
		)
	}
	for _, n := range d.Servers {
		server(n.Name, n.Address, strings.Join(n.By, " and "), n.State == survey.Answers, n.Serial,
			n.Says)
	}
	for _, n := range d.Coming {
		server(n.Name, n.Address, "to come: "+doc.Command("upperpath plan")+" compares its answers",
			n.State == survey.Answers,
			n.Serial, n.Says)
	}
	if len(servers.Rows) > 0 {
		blocks = append(blocks, servers)
	}
	t := doc.Table{
		Head: []string{"name", "TTL", "type", "value"},
		More: doc.Command("--format csv") + " has them all",
	}
	// a row each, whole, with those of all domains below each other
	all := doc.Data{Sheet: "records", Goes: true,
		Head: []string{"domain", "name", "TTL in seconds", "type", "value"}}
	for _, set := range d.Records {
		for _, value := range set.Values {
			t.Rows = append(t.Rows,
				doc.Cells(set.Name, fmt.Sprintf("%d s", set.TTL), set.Type, wording.Cut(value, 200)))
			all.Rows = append(all.Rows,
				[]string{d.Name, set.Name, strconv.Itoa(set.TTL), set.Type, value})
		}
	}
	if len(all.Rows) == 0 {
		all.Rows = [][]string{{d.Name, "", "", "", "nothing seen"}}
	}
	if blocks = append(blocks, all); len(t.Rows) > 0 {
		blocks = append(blocks, t)
	}
	held := doc.List{}
	for _, c := range d.Chains {
		if first := c.Hops[0]; c.Probe == chain.Root && first.TLS != nil {
			held.Items = append(held.Items,
				doc.Phrase(first.URL.Door().String()+": "+certificateLine(first.TLS, now)))
		}
	}
	if len(held.Items) > 0 {
		blocks = append(blocks, held)
	}
	return blocks
}

// unseenLines says what could not be seen, in a line for each reason.
func unseenLines(v *survey.Survey) []fact.Sentence {
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
		lines[i] = strings.ReplaceAll(reason, "\x00", wording.Few(all, 6))
		if !strings.Contains(reason, "\x00") && len(all) > 1 {
			lines[i] += fmt.Sprintf(" (%s)", wording.Count(len(all), "domain"))
		}
	}
	if n := partials(v); n > 0 {
		lines = append(
			lines,
			fmt.Sprintf("The picture of %s is partial: no name server transferred the whole zone, so "+
				"common names were asked for one by one. An export from the provider shows all: %s",
				wording.Count(n, "zone"), doc.Command("--zone FILE")),
		)
	}
	said := make([]fact.Sentence, len(lines))
	for i, l := range lines {
		said[i] = fact.Plain(l)
	}
	return said
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
