package words

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/wording"
)

// pairing are the sentences about old pages and their counterparts.
var pairing = []sentence{
	phrase[fact.PairLed]("a redirect of today leads there"),
	phrase[fact.PairTitle]("title equal"),
	phrase[fact.PairID]("id $ID in both"),
	phrase[fact.PairLastWords]("same last words $Words"),
	phrase[fact.PairWords]("$Words:and in both"),
	phrase[fact.PairAlike]("$Old is $New there"),
	phrase[fact.PairSection]("$From became $To in $Pairs:other_pair"),
	phrase[fact.PairOldAlone]("the new page names no such number or year"),
	phrase[fact.PairNewAlone]("the old page names no such number or year"),
	badBy(func(f fact.DecisionWord) (says, expected, do string) {
		do = "leave it empty to decide later"
		if f.Near != "" {
			do = "did you mean $Near?"
		}
		return "unknown decision", "yes, 2, 3, section, gone, later, a path or a URL", do
	}),
	bad[fact.DecisionEmpty]("this row names no such page", "a page in the column that is chosen",
		"choose another page, or write a path or a URL"),
}

// PairReasons says why a pair is one.
func PairReasons(all []fact.Facts) string {
	var texts []string
	for _, f := range all {
		texts = append(texts, fact.Say(f).Says)
	}
	return strings.Join(texts, "; ")
}

// PairMatch gives the column reason of a match.
func PairMatch(m pair.Match, section string) string {
	if !m.None() {
		return PairReasons(m.Candidates[0].Reasons)
	}
	if section != "" {
		return "no counterpart found; " + section + " is its section"
	}
	return "no counterpart found"
}

// What is said while pairs are reviewed.
const (
	ReviewKeys = "1 2 3 take that page   s section   g gone   t type another\n" +
		"a all like this   k skip   u undo   q leave"
	ReviewType   = "Path or URL: "
	ReviewAll    = "All like this (%s): 1, s or g? "
	ReviewNoKey  = "There is no such choice here."
	ReviewUndone = "Undone."
	PairsPlayed  = "%s Decided so, and played on the stage: %d of %s %s there.\n"
	ReviewNone   = "Nothing to undo."
)

// PairsLeft says what a review left to decide.
func PairsLeft(decided, open int) string {
	return wording.Count(decided, "row") + " decided, " + wording.Count(open, "row") + " left."
}
