package report

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/signoff"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// sheet gives the answer of a page, from all that it is made of.
func (c ForClient) sheet() signoff.Sheet {
	k := signoff.Known{Plan: c.Plan, Audit: c.Joined, Survey: c.Survey, Runs: c.Runs,
		Coverage: c.Coverage, Book: c.Book, Proof: c.Proof, News: c.News,
		Compared: c.Compared, Now: c.Made}
	if k.Audit == nil && c.Today != nil {
		k.Audit = chain.Latest([]*chain.Audit{c.Today}, c.Today.Vantage, nil)
	}
	kind := c.Kind
	if kind == "" {
		kind = signoff.Before
		if c.Before != nil {
			kind = signoff.After
		}
	}
	return signoff.Of(k, kind)
}

// stateTones says how a state looks.
var stateTones = map[signoff.State]doc.Tone{signoff.Fine: doc.Good, signoff.Warned: doc.Warned,
	signoff.Unseen: doc.Unseen, signoff.Failing: doc.Failed}

// clientHead answers the question first, says what stands in the way, and what is known.
func clientHead(c ForClient, s signoff.Sheet) []doc.Block {
	v := doc.Verdict{Says: doc.Phrase(words.Answer(s, c.Today.Canonical)),
		Tone: map[signoff.Answer]doc.Tone{signoff.Yes: doc.Good, signoff.Unknown: doc.Unseen,
			signoff.No: doc.Failed}[s.Answer]}
	var look, missing []string
	for _, check := range s.Checks {
		if tone := checkTone(check, s.Kind); !check.Matters && tone > doc.Noted && tone != doc.Unseen {
			look = append(look, words.Subject(check.Of))
		}
		if !check.Matters && len(check.Missing) > 0 {
			missing = append(missing, words.Subject(check.Of))
		}
	}
	if len(look) > 0 {
		v.Next = doc.Phrasef(words.WorthALook, strings.Join(look, ", "))
	}
	if len(missing) > 0 {
		v.Next = doc.Cat(v.Next, doc.Phrasef(words.InPartOnly, strings.Join(missing, ", ")))
	}
	blocks := []doc.Block{v}
	for _, p := range c.Words {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(p)})
	}
	if l, some := standsList(s); some {
		blocks = append(blocks, l)
	}
	return append(blocks, doc.Heading{Level: 2, Text: words.WhatIsKnown}, c.knownTable(s),
		doc.Paragraph{Text: doc.Phrase(
			"A door is one way in: a name, with or without www, by http or by https. Each was tried as a " +
				"visitor would, and followed to its end."), Soft: true})
}

// fewFaults is how many findings of a subject are told at the top of the page.
const fewFaults = 3

// standsList says what stands in the way, the gravest first, each with what to do.
func standsList(s signoff.Sheet) (doc.List, bool) {
	l := doc.List{Title: words.StandsInTheWay}
	for _, c := range s.Stands() {
		l.Tone = max(l.Tone, stateTones[c.State])
		faults := slices.DeleteFunc(slices.Clone(c.Findings), func(f finding.Finding) bool {
			return !f.Open() || f.Severity != finding.Error
		})
		for _, f := range faults[:min(len(faults), fewFaults)] {
			l.Items = append(l.Items, doc.Cat(
				doc.Text{{Text: wording.UpperFirst(words.Code(f.Code).Plain) + ". ", As: doc.Strong}},
				doc.Phrase(f.Says.String()+" "), doc.Phrase(fixOf(f))))
		}
		more := len(faults) - fewFaults
		switch {
		case more > 0:
			l.Items = append(l.Items, doc.Phrasef("%s: %d more, below.",
				wording.UpperFirst(words.Subject(c.Of)), more))
		case len(faults) == 0:
			l.Items = append(l.Items, doc.Phrase(wording.UpperFirst(words.Obstacle(c, s.Kind))+"."))
		}
	}
	return l, len(l.Items) > 0
}

// knownTable says of each subject what is known, since when, and what was not looked at.
func (c ForClient) knownTable(s signoff.Sheet) doc.Table {
	t := doc.Table{Sheet: "known", Head: []string{"about", "what is known", "seen", words.NotLookedAt}}
	for _, check := range s.Checks {
		seen := words.NeverSeen
		switch {
		case check.Predicted && !check.From.IsZero():
			seen = words.FromThePlan + ", records seen " + c.days(check)
		case check.Predicted:
			seen = words.FromThePlan
		case !check.From.IsZero():
			seen = c.days(check)
		}
		missing := ""
		if named := named(check.Missing); len(named) > 0 {
			missing = wording.Few(unicodeNames(named), 2)
			if check.Of == signoff.OldURLs {
				missing = words.TheRestOf + missing
			}
		} else if len(check.Missing) > 0 {
			missing = "all"
		}
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(words.Subject(check.Of))},
			{Text: doc.Phrase(words.Known(check, s.Kind)), Tone: checkTone(check, s.Kind)},
			{Text: doc.Phrase(seen)}, {Text: doc.Phrase(missing)}})
	}
	return t
}

// checkTone says how a subject looks: by what was found, where something was. How doors are before
// the move is why they move.
func checkTone(c signoff.Check, k signoff.Kind) doc.Tone {
	switch found := worst(c.Findings); {
	case k == signoff.Before && (c.Of == signoff.Doors || c.Of == signoff.Certificates):
		return doc.Noted
	case c.State == signoff.Unseen && found > doc.Noted:
		return found
	}
	return stateTones[c.State]
}

// named leaves out what has no name of its own.
func named(all []string) []string {
	return slices.DeleteFunc(slices.Clone(all), func(s string) bool { return s == "" || s == "plan" })
}

// days gives the days on which something was seen.
func (c ForClient) days(check signoff.Check) string {
	from, to := check.From.Local().Format(newsDate), check.To.Local().Format(newsDate)
	if from == to {
		return to
	}
	return from + " to " + to
}

// clientFixed lists what was wrong at an earlier audit, and is no more: of what could be judged
// both times.
func clientFixed(c ForClient) []doc.Block {
	if c.Before == nil {
		return nil
	}
	n := recheck.Compare(recheck.Of(nil, c.Before), recheck.Of(nil, c.Today), nil, nil, c.Made)
	l := doc.List{Tone: doc.Good}
	lines := n.Lines()
	for i := range lines {
		if lines[i].What == recheck.IsMended {
			l.Items = append(l.Items, mendedLine(&lines[i]))
		}
	}
	blocks := []doc.Block{doc.Heading{Level: 2, Text: "What was fixed",
		About: "since " + c.Before.Started.Local().Format(newsDate)}}
	if len(l.Items) == 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrase(words.NothingFixed)})
	} else {
		blocks = append(blocks, l)
	}
	if len(n.Behind) > 0 {
		blocks = append(blocks, doc.Paragraph{Text: behindText(n.Behind), Soft: true})
	}
	if n.Unasked > 0 {
		blocks = append(blocks, doc.Paragraph{Text: doc.Phrasef(words.UnaskedURLs,
			wording.Count(n.Unasked, "URL"), wording.Verb(n.Unasked, "was", "were")), Soft: true})
	}
	return blocks
}

// Joined says from where and when a joined audit was seen, and of how many audits it was made.
func Joined(j *chain.Joined) string {
	newest, oldest := j.From[0], j.From[len(j.From)-1]
	if len(j.From) == 1 {
		about := words.SeenFrom(newest.Vantage, moment(newest.Started))
		if s := newest.Scope; s.Known() && !s.Whole() {
			about += "; " + ScopeText(s, "URL")
		}
		return about
	}
	return words.SeenFrom(newest.Vantage, moment(oldest.Started)+" to "+moment(newest.Started)) +
		fmt.Sprintf(words.ByAudits, len(j.From))
}
