package words

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/search"
	"upperpath.example/upperpath/internal/core/wording"
)

// Doors says how many doors work properly. rules and urls are how many rules and old URLs, tried
// beside the doors, do not; found is what was found, in words, "" for nothing.
func Doors(doors, work, rules, urls int, found string) string {
	all := "All " + wording.Count(doors, "door") + " work"
	if doors == 1 {
		all = "The door works"
	}
	switch {
	case work == doors && found == "":
		return all + "."
	case work == doors:
		var parts []string
		if rules > 0 {
			parts = append(parts, wording.Count(rules, "rule")+wording.Verb(rules, " does not", " do not"))
		}
		if urls > 0 {
			parts = append(parts, wording.Count(urls, "URL")+wording.Verb(urls, " does not", " do not"))
		}
		if len(parts) == 0 {
			return all + ". Elsewhere: " + found + "."
		}
		return all + "; " + strings.Join(parts, ", ") + ": " + found + "."
	}
	if found != "" {
		found = ": " + found
	}
	switch {
	case doors == 1:
		return "The door does not work properly" + found + "."
	case work == 0:
		return "None of the " + wording.Count(doors, "door") + " works properly" + found + "."
	}
	return fmt.Sprintf("%d of %s %s properly%s.", work, wording.Count(doors, "door"),
		wording.Verb(work, "works", "work"), found)
}

// Verdicts of looks and audits.
const (
	CertificatesEnd = "Of %d certificates, the first ends %s: %s; %s lists all."
	LooksAfterEach  = " looks after each step; "
	GoesThrough     = " goes through them."
	ArrivesThere    = "They arrive at %s, at the paths above."
	FollowedNothing = "Nothing was followed, so nothing is known."
	SawNothing      = "Nothing could be seen from here."
	SomeUnseen      = " %s of %d could not be seen from here."
	Means           = " says what it means."
	BeginWith       = "Start with "
)

// Verdicts of plans.
const (
	PlanWorks     = "The plan works%s: %s arrive where they should%s."
	GoesDark      = "dark for a while"
	SeenInPart    = "seen in part"
	ThenWait      = "then wait "
	PlanMore      = "Doors, certificates, rules, changes: %s; of one domain: %s"
	PlanFails     = "The plan does not work yet: %s."
	PlanContested = "The plan relies on what was seen, not on what the estate file says: %s."
	PlanWarns     = "The plan works%s: %s arrive where they should%s. %s."
	ButAccepted   = ", but for what was accepted (%s)"
	FixErrors     = "Fix the errors below, worst first; "
	SurveyFirst   = ", then plan again: without a survey there are no changes."
	TryFirst      = "Try it before it is real: "
	ThenStepOne   = "; then step 1."
	TriedOnly     = ", each tried in memory. Nobody has seen the zones, so no record was played"
	PlayedRows    = ". Played in order, %s %s no mail, no name and no door"
	PlayedBut     = "; some doors fail for a while (%s)"
	PlayedPartly  = " of what was seen (%s in part)"
	UnseenZones   = ". %s %s not been seen"
	SeenLongAgo   = ". What was seen is up to %s old"
	SeeAgain      = ", then plan again: records may have changed since."
)

// Verdicts of runbooks.
const (
	StepsDone     = "%d of %s %s done."
	AllStepsDone  = "All %s are done."
	NotReady      = "NOT READY: the plan has %s."
	ShowsThem     = " shows them; fix them before you begin."
	WaitUntil     = "Wait until %s (%s more); then step %d."
	WhenDone      = "Step %d: %s When it is done: "
	StepThen      = "Step %d: %s Then "
	StepHidden    = " Step %d cannot be seen from outside."
	StepUnseen    = " Step %d: nobody answered whether it is done."
	StepOpen      = " Step %d is not done."
	AllStepsDoneB = "All %s are done: %s."
	MendedByStep  = "%s: %s Step %d fixes it."
	ThenLookAgain = " On from there: "

	StepsHold = "Behind %s, every door%s arrives or answers as today, but for those announced, and " +
		"mail reaches the same machines.%s"
	StepsMixed  = " %s of older and new answers tried."
	StepsBreak  = "Behind %s, %s %s that no step announced."
	StepsErrors = "The plan has %s: what it says of mail, senders and names is not seen on a stage."
	StepsUnseen = "Behind %s, no door%s breaks. Of %d of the doors nobody knows: nobody has seen " +
		"their zone, or they did not answer."
	StepsColumns = "Doors: arrive where they should, answer as today, fail as a step said, break. " +
		"Mail: domains whose mail goes on. Mixed: mixtures of older and new answers that were tried. " +
		"Undo: rows that were played, and led back to what was there."
	AsRunbook = "Work through them: "

	NothingToUndo = "Nothing was typed in step %d, so there is nothing to undo."
	BackUnknown   = "An earlier version began this runbook, and did not note what undoes step %d."
	StepBack      = "%s undo step %d."
	BackBreaks    = "Undoing step %d now breaks something: %s."
	BackNotDone   = "Step %d is not done, so there is nothing to undo yet. This is how it would be."
	BackThen      = "Type what follows, from top to bottom; then "
	BackSeen      = "Step %d is undone: everything is as it was before. It is open again."
	BackPartly    = "What is seen of step %d is as it was before; %s cannot be seen. Once undone: "
	BackMissing   = "Step %d is not undone yet."
	BackUnseen    = "Nobody answered whether step %d is undone."
	BackHidden    = "Whether step %d is undone cannot be seen from outside. Once it is: "
	BackFirst     = "Undo first what hangs on it, from step %d: "
	BackLasts     = "Some still meet what was there in between for up to %s."
	BackKeeps     = "Browsers keep the permanent redirects that they have met, whatever is undone."
	BackLater     = "Done after it, and hanging on it: %s."
)

// Verdicts of waits.
const (
	NothingToAwait = "The plan needs nothing that could be waited for."
	AllLive        = "%s.%s"
	SomeLive       = "%d of %d %s live.%s"
	Waited         = " Waited %s, asked %s."
	CausesShown    = "The cause is known for %s: see below."
	UnseenCauses   = "%s could not be seen, for the cause that is shown."
	OthersSilent   = "Nobody answered about the others."
	ByTTLs         = "By their TTLs, all are live by %s at the latest (%s more)."
	DoorsFollow    = "The records are live. Doors follow once their carriers have certificates and " +
		"redirects."
	NoEstimate    = "No estimate yet: a name server changes when its provider updates it."
	ThenResolvers = " After that, resolvers may keep the previous answer for %s."
)

// Live says that everything is live that was waited for.
func Live(all int) string {
	if all == 1 {
		return "The one expected item is live"
	}
	return fmt.Sprintf("All %d are live", all)
}

// DoorsBut says how many doors work where somebody lives with what is wrong at the others.
func DoorsBut(doors, work, lived int) string {
	if work+lived == doors {
		return fmt.Sprintf("%d of %s %s properly; what is wrong at the other %d is accepted.", work,
			wording.Count(doors, "door"), wording.Verb(work, "works", "work"), lived)
	}
	return fmt.Sprintf("%d of %s %s properly; what is wrong at %d is accepted.", work,
		wording.Count(doors, "door"), wording.Verb(work, "works", "work"), lived)
}

// What somebody lives with.
const (
	MoreAccepted  = " What is wrong at %s is accepted."
	AcceptedWord  = "accepted"
	AcceptedTitle = "Accepted, and not counted"
	AcceptedItem  = " at %s, until %s: %s"
	AcceptedOver  = " It was accepted until %s (%s); that day has come."
)

// Verdicts of rechecks.
const (
	NothingNew      = "Nothing is new."
	NothingAccepted = "No state has been accepted yet, so this is everything that was found. "
	HiddenFindings  = "Behind what fails now, %s %s unseen, neither fixed nor still there: %s."
	AlsoAt          = " Also at %s."
	SinceThen       = ". Since then: %s. %s"
	Touches         = " It changes %s."
	UnseenOf        = "%s (%s): %s"
	AtPlace         = "%s (%s)"
	SameAsBefore    = "%s %s as before"
)

// Of what results are made.
const (
	ScopeUnknown  = "not recorded (an earlier version)"
	ScopeWhole    = "the whole estate"
	ScopeCut      = "interrupted: %d of %s"
	ScopeDoors    = "doors only, no rules"
	ScopePoint    = "at addresses given by hand: "
	ScopeAsOf     = "certificates as of "
	RemovedForAge = "Removed for age (keep: in the estate file): %s."
	OldOnesWent   = "%s %s removed for age (keep: in the estate file): %s.\n"
)

// Verdicts of surveys.
const (
	LookedAtNothing = "Nothing was looked at."
	NothingSeen     = "Nothing could be seen. That does not mean that nothing is wrong."
	NoZoneSeen      = "No zone could be seen. %s"
	SomeZonesUnseen = "%d of %s could not be seen. Of the others: %s."
)

// Verdicts of coverage and old URLs.
const (
	NoOldURLs     = "There is no old URL in "
	OfTheWeight   = "Of the weight of %s (%d)"
	NoneFollowed  = "No old URL has been followed yet."
	SomeFollowing = "%s not followed yet; %s continues."
)

// ArrivalUnknown is where a door leads that nobody could see.
const ArrivalUnknown = "unknown"

// Sentences about what search engines see.
const (
	NothingAmiss     = "Nothing was found that keeps search engines from the move."
	NothingAmissSeen = "In what was looked at, nothing keeps search engines from the move."
	SomeUnlooked     = " %s %s not seen."
	UnlookedTitle    = "Not seen, and so not judged"
	ContentLooked    = "Looked at: %s; %s of the site; %s. Visits are those of the old URLs concerned."
	GatherForContent = "Without old URLs there are no visits, and no pages at which they arrive; " +
		"upperpath gather lists them."
)

// Unlooked says what an audit of what search engines see did not see, by what search calls it.
var Unlooked = map[string]string{
	search.UnseenRobots:   "robots.txt",
	search.UnseenPages:    "pages at which old URLs arrive",
	search.UnseenListed:   "pages in sitemaps",
	search.UnseenSitemaps: "sitemaps of the site",
	search.UnseenOldMaps:  "sitemaps of old hosts",
	search.UnseenLinks:    "pages of the site",
	search.UnseenHomes:    "home pages of old hosts",
}

// Verdicts of imports.
const (
	Imported        = "%s made from %s; %s not translated, %s."
	ImportedOpen    = "%s made from %s; %s not translated, %d undecided, %s."
	AddedTo         = "Added to %s; "
	SaysWhetherLead = " says whether they lead to another rule."
	NothingAdded    = "Nothing was added; "
	AddsThem        = " adds them to the estate's rules."
)

// Verdicts of proofs.
const (
	Proved = "Proved: every URL at every door arrives where it should, on %s or where its rule " +
		"says, " +
		"in at most %s (%s)."
	Undecided = "Undecided: most URLs are proved, but some could be neither proved nor refuted (%s)."
	ProvedBut = "Proved, but for what was accepted (%s, which %s not counted): %s"
	YesBut    = "yes, but for %d accepted"
	RefutedBy = "Refuted: the plan fails for some URLs. One that goes wrong is %s (%s)."
	Refuted   = "Refuted: the plan fails for some URLs (%s)."
)

// Verdicts of comparisons, gatherings and choices.
const (
	NothingCompared = "Nothing could be compared."
	SideWas         = "The %s was not of everything: %s."
	TwoSites        = "They are of two canonical sites: %s and %s."
	TwoVantages     = "They were seen from two places: %s and %s."
	SkippedDomains  = "Not looked at the second time, so not compared: %s."
	LeftDomains     = "No longer in the estate: %s."
	FirstDomains    = "Not looked at the first time, so not compared: %s."
	UnaskedURLs     = "%s of the first %s not requested the second time."
	FirstLooked     = " %d were looked at the second time only."
	NoRecordDiffers = "No record set differs. "
	FindingsDiffer  = "Findings: %d new, %d fixed, %d the same."
	GatheredURLs    = "%s with a weight of %d in all; %s left out."
	AddedToBefore   = "Added to %s gathered before, from %s."
	ReplacesBefore  = "Replaced: %s that %s gathered before, from %s."
	GatheredNone    = "No old URL was found; %s left out."
	NoneFaultless   = "None of them is without problems."
	AllFaultless    = "None of them has a problem."
	FaultlessAre    = "No problem with %s."
)
