package report

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// counted says how many findings there are of each severity, the worst first.
func counted(all []finding.Finding) string {
	var parts []string
	for _, s := range []finding.Severity{finding.Error, finding.Warning, finding.Note} {
		if n := finding.Count(all, s); n > 0 {
			parts = append(parts, wording.Count(n, string(s)))
		}
	}
	if len(parts) == 0 {
		return "no problem found"
	}
	return strings.Join(parts, ", ")
}

// sentence gives counts as a sentence.
func sentence(all []finding.Finding) string { return wording.UpperFirst(counted(all)) + "." }

// worst gives the tone of the worst of findings.
func worst(all []finding.Finding) doc.Tone { return doc.ToneOf(finding.Worst(all)) }

// mostOfACode is how many findings of one code are shown one by one.
const mostOfACode = 10

// findingBlocks gives findings as blocks, errors before warnings. Those that say the same of
// different subjects are one. Of very many with one code the first are shown, and how many more
// there are.
func findingBlocks(all []finding.Finding) []doc.Block {
	open, lived := finding.Opened(all)
	if len(lived) > 0 {
		return append(findingBlocks(open), livedBlock(lived))
	}
	order := make([]int32, len(all)) // and not the findings: a look over a long list has very many
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int {
		return cmp.Compare(all[b].Severity.Rank(), all[a].Severity.Rank())
	})
	var views []doc.Finding
	var entries [][]string // of each view
	at, alike := map[string]int{}, map[string]int{}
	for _, i := range order {
		f := all[i]
		v := viewFinding(f)
		key := strings.Join([]string{v.Code, v.Tone.Word(), apartFrom(v.Says.String(), f.Subject),
			apartFrom(v.Why.String(), f.Subject), apartFrom(v.Fix.String(), f.Subject), v.Affects}, "\x00")
		if i, same := at[key]; same && len(v.Way) == 0 {
			views[i].Subjects = append(views[i].Subjects, v.Subjects...)
			entries[i] = append(entries[i], f.Entries...)
			continue
		}
		if key := remedyKey(f, v); key != "" {
			if i, same := alike[key]; same {
				views[i].Alike = append(views[i].Alike, v)
				entries[i] = append(entries[i], f.Entries...)
				continue
			}
			alike[key] = len(views)
		}
		at[key] = len(views)
		views, entries = append(views, v), append(entries, slices.Clip(f.Entries))
	}
	for i := range views {
		if v := &views[i]; len(v.Alike) > 0 {
			v.Affects = affects(finding.Finding{Subject: v.Subjects[0], Entries: entries[i]}, 3)
		}
	}
	of, shown := map[string]int{}, map[string]int{}
	for _, v := range views {
		of[v.Code]++
	}
	var blocks []doc.Block
	var rest []doc.Block
	flush := func(code string) {
		if len(rest) > 0 {
			blocks = append(blocks,
				doc.Detail{Blocks: rest,
					Instead: doc.Phrasef("and %d more of %s; %s has them all", len(rest), code,
						doc.Command("--format json"))})
		}
		rest = nil
	}
	code := ""
	causes := map[string]bool{}  // one cause is said once
	fixed := map[string]string{} // codes by what mends them
	for _, v := range views {
		if v.Code != code {
			flush(code)
			code = v.Code
		}
		if shown[v.Code]++; shown[v.Code] > mostOfACode && of[v.Code] > mostOfACode+1 {
			rest = append(rest, v) // a terminal does not show it: no cause is said there
			continue
		}
		why := v.Why.String()
		v.Known, causes[why] = causes[why], why != ""
		fix := remedyOf(v.Fix.String(), v.Subjects[0])
		if v.As = fixed[fix]; why == "" {
			v.As = ""
		}
		if fixed[fix] == "" {
			fixed[fix] = v.Code
		}
		blocks = append(blocks, v)
	}
	flush(code)
	return blocks
}

// remedyKey stands for what brought a finding about, and for what mends it: findings of one code in
// which both are the same are one. "" where each has to be read, for what it says.
func remedyKey(f finding.Finding, v doc.Finding) string {
	if f.Code == finding.SplitAnswers || len(v.Way) > 0 {
		return ""
	}
	return strings.Join([]string{v.Code, v.Tone.Word(), f.Cause.String(),
		remedyOf(v.Fix.String(), f.Subject)}, "\x00")
}

// livedBlock lists what somebody lives with.
func livedBlock(all []finding.Finding) doc.Block {
	l := doc.List{Title: words.AcceptedTitle, Tone: doc.Noted,
		More: doc.Command("--format json") + " has them all"}
	for _, f := range all {
		l.Items = append(l.Items, doc.Cat(doc.Text{{Text: f.Code.String(), As: doc.Strong}},
			doc.Phrasef(words.AcceptedItem, words.Readable(f.Subject),
				f.Accepted.Until.Format(time.DateOnly),
				f.Accepted.Why)))
	}
	return l
}

// apartFrom gives what is said without whom it is said of.
func apartFrom(says, subject string) string {
	return web.Renamed(web.Renamed(says, subject, "\x01"), words.Readable(subject), "\x01")
}

// remedyOf gives what to do without where: without a door and its host, or without a domain and the
// names below it, and without for how long to wait, which differ where all else is the same.
func remedyOf(fix, subject string) string {
	if host := finding.HostOf(subject); host == subject {
		fix = web.Moved(web.Moved(fix, host, "\x01"), words.Readable(host), "\x01")
	} else {
		fix = apartFrom(apartFrom(fix, subject), host)
	}
	return waits.ReplaceAllString(fix, "\x02")
}

// waits are times of the day, and how long it is until then.
var waits = regexp.MustCompile(
	`\b([0-9]{2}:[0-9]{2}( UTC)?|[0-9]+ (seconds?|minutes?|hours?|days?))\b`)

// viewFinding gives a finding as a block.
func viewFinding(f finding.Finding) doc.Finding {
	return doc.Finding{
		Code:     f.Code.String(),
		Name:     words.Code(f.Code).Plain,
		Tone:     doc.ToneOf(f.Severity),
		Subjects: []string{f.Subject},
		Readable: readable(f.Subject),
		Says:     doc.Phrase(saysOf(f)),
		Why:      doc.Phrase(f.Why.String()),
		Meets:    words.Code(f.Code).Meets,
		Fix:      doc.Phrase(fixOf(f)),
		Affects:  affects(f, 3),
		Way:      drawn(f),
	}
}

// saysOf gives what a finding says, and that it was accepted where its day has come.
func saysOf(f finding.Finding) string {
	if f.Accepted == nil || !f.Accepted.Over {
		return f.Says.String()
	}
	return f.Says.String() + fmt.Sprintf(words.AcceptedOver, f.Accepted.Until.Format(newsDate),
		f.Accepted.Why)
}

// affects names the doors that a finding affects, and counts the old URLs, or names those where
// there are no doors; "" where the subject says it all.
func affects(f finding.Finding, most int) string {
	var doors, urls []string
	for _, e := range f.Entries {
		u, err := web.ParseURL(e)
		switch {
		case err != nil || !chain.IsProbe(u):
			urls = append(urls, e)
		case !slices.Contains(doors, u.Door().String()):
			doors = append(doors, u.Door().String())
		}
	}
	switch {
	case len(doors) == 0 && len(urls) > most:
		return "affects " + wording.Count(len(urls), "URL")
	case len(doors) == 0 && len(urls) < 2,
		len(urls) == 0 && !slices.ContainsFunc(doors, func(d string) bool {
			return finding.HostOf(d) != finding.HostOf(f.Subject)
		}): // they are its own
		return ""
	case len(doors) == 0:
		return "affects " + wording.Few(urls, most)
	}
	says := "affects " + wording.Few(doors, most)
	if len(doors) > 1 || len(urls) > 0 {
		says = "affects " + wording.Count(len(doors), "door")
	}
	if len(urls) > 0 {
		says += ", " + wording.Count(len(urls), "old URL")
	}
	return says
}

// readable gives the host of a subject in U-labels where it is written in A-labels; "" where it is
// not.
func readable(subject string) string {
	if !strings.Contains(subject, "xn--") {
		return ""
	}
	host := subject[strings.Index(subject, "://")+1:]
	host, _, _ = strings.Cut(strings.TrimPrefix(host, "//"), "/")
	host, _, _ = strings.Cut(host, " ")
	h, err := web.ParseObservedHost(host)
	if err != nil || h.Unicode() == h.String() {
		return ""
	}
	return h.Unicode()
}

// drawn gives the chain that a finding has as evidence, a line a hop; nil where it has none.
func drawn(f finding.Finding) []string {
	steps, ok := f.Evidence["chain"].([]string)
	if !ok {
		return nil
	}
	const most = 8
	var lines []string
	for i, step := range steps {
		if len(steps) > most && i > 0 && i < len(steps)-1 { // the beginning and the end tell it
			if i == 1 {
				lines = append(lines, fmt.Sprintf("   … %d more", len(steps)-2))
			}
			continue
		}
		at := strings.LastIndexByte(step, ' ')
		if strings.HasPrefix(step, "and back to ") || at < 0 {
			lines = append(lines, "↺ "+step)
			continue
		}
		mark := "→"
		if i == 0 {
			mark = "•"
		}
		lines = append(lines, fmt.Sprintf("%s %s  %s", mark, wording.Cut(step[:at], 160), step[at+1:]))
	}
	return lines
}

// fixOf gives what to do about a finding, the reasons, and what helps.
func fixOf(f finding.Finding) string {
	fix := f.Fix.String()
	if reasons, ok := f.Because.([]act.Reason); ok {
		fix += " " + words.Because(reasons)
	}
	return withHelp(fix, f.Help)
}

// inWords gives findings whose fix says its reasons, as data.
func inWords(all []finding.Finding) []finding.Finding {
	made := make([]finding.Finding, len(all))
	for i, f := range all {
		f.Fix = fact.Plain(doc.Unmarked(fixOf(f)))
		made[i] = f
	}
	return made
}

// inWordsOne gives the same finding by finding, so that very many need no more memory than they
// have.
func inWordsOne(all []finding.Finding) doc.Sequence {
	return func(yield func(any) bool) {
		for i := range all {
			if !yield(inWords(all[i : i+1])[0]) {
				return
			}
		}
	}
}

// helps says how the parts of the program that help with a finding are called.
var helps = map[finding.Help]string{
	finding.KeptRecords:  doc.Command("upperpath survey --show") + " has its values",
	finding.LookInside:   doc.Command("--allow-private") + " follows it, where you know that network",
	finding.Straightener: doc.Command("upperpath rules straighten") + " does it for all",
}

// withHelp puts what helps behind what to do.
func withHelp(do string, h finding.Help) string {
	if helps[h] == "" {
		return do
	}
	return strings.TrimSuffix(do, ".") + "; " + helps[h] + "."
}

// Findings is a document of findings alone.
func Findings(name string, all []finding.Finding) doc.Doc {
	return doc.Doc{Name: name, Blocks: doc.Of(findingBlocks(all)...), Data: inWords(all)}
}
