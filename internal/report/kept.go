package report

import (
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/scope"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// Kept is the list of what is kept of an estate: when it was seen, from where, and of what it was
// made; removed are the numbers of what went for its age.
func Kept(what, estate string, kept []scope.Kept, removed []int64) doc.Doc {
	t := doc.Table{Sheet: "kept",
		Head: []string{"number", "started", "seen from", "looked at", "kept"}}
	for i, k := range kept {
		stays := ""
		switch {
		case k.Accepted:
			stays = "accepted"
		case i == len(kept)-1:
			stays = "the first"
		}
		made := doc.Cell{Text: doc.Phrase(ScopeText(k.Scope, map[string]string{"audit": "URL",
			"survey": "domain"}[what]))}
		if k.Scope != nil && !k.Scope.Whole() {
			made.Tone = doc.Noted
		}
		t.Rows = append(t.Rows, []doc.Cell{{Text: doc.Phrase(fmt.Sprint(k.ID))},
			{Text: doc.Phrase(moment(k.Started))}, {Text: doc.Phrase(k.Vantage)}, made,
			{Text: doc.Phrase(stays)}})
	}
	t = without(t, 4, len(kept) == 0)
	d := doc.Doc{Name: "kept", Title: wording.UpperFirst(wording.Count(len(kept), what)) + " of " +
		estate + " kept",
		Blocks: doc.Of(t)}
	data := map[string]any{"schema": "upperpath/kept/1", "estate": estate,
		"kept": append([]scope.Kept{}, kept...)}
	if len(removed) > 0 {
		data["removed"] = removed
		d.Blocks = doc.Of(t, doc.Paragraph{Text: doc.Phrasef(words.RemovedForAge,
			wording.Numbers(removed)), Soft: true, Gap: true})
	}
	d.Data = data
	return d
}

// moment writes a time in the zone of the estate.
func moment(t time.Time) string { return words.Moment(t) }

// day writes a day in the zone of the estate. What begins at midnight by UTC is a date that
// somebody wrote down, in no zone.
func day(t time.Time) string { return dayOf(t).Format(newsDate) }

// dayOf gives a time in the zone in which its day is meant.
func dayOf(t time.Time) time.Time {
	if t.UTC().Equal(t.UTC().Truncate(24 * time.Hour)) {
		return t.UTC()
	}
	return t.Local()
}

// ScopeText says of what a result was made; unit is what it counts.
func ScopeText(s *scope.Scope, unit string) string {
	if !s.Known() {
		return words.ScopeUnknown
	}
	parts := []string{words.ScopeWhole}
	switch {
	case s.Only != "":
		parts[0] = "only " + s.Only
	case len(s.Left) > 0:
		parts[0] = wording.Count(len(s.Domains), "domain")
	}
	cut := fmt.Sprintf(words.ScopeCut, s.Done, wording.Count(s.Meant, unit))
	switch {
	case !s.Ended() && !s.Part():
		parts[0] = cut
	case !s.Ended():
		parts = append(parts, cut)
	}
	if s.DoorsOnly {
		parts = append(parts, words.ScopeDoors)
	}
	if len(s.Points) > 0 {
		parts = append(parts, words.ScopePoint+wording.Few(s.Points, 2))
	}
	if !s.AsOf.IsZero() {
		parts = append(parts, words.ScopeAsOf+day(s.AsOf))
	}
	return strings.Join(parts, "; ")
}
