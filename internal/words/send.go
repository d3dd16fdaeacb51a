package words

import (
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/send"
)

// sent are the sentences about records that are sent to where a zone is kept.
var sent = []sentence{
	phrase[fact.SendEntry]("it is typed on a page, and is no record"),
	phrase[fact.SendNoPlace]("the estate file's places: does not say how records reach $Place"),
	phrase[fact.SendUnseen](
		"nobody has seen $Zone, so that nobody can say what has to stand there before",
	),
	phrase[fact.SendAlias]("$Name gets the provider's own alias, which only its page can set"),
	phrase[fact.SendThrough]("$Name goes through $Network, which only its page can say"),
	phrase[fact.SentOutcome]("$Outcome:q is nothing that comes of sending"),
	phrase[fact.SentNowhere]("it has no zone, no step, or a change of nothing"),
	of[fact.SendUnread]("$To does not say what stands in $Zone: $Why",
		"Nothing was sent. Once it answers, go on with the same command."),
	of[fact.SendChanged]("$Zone is not as it was when this step was made: $Sets:set changed since",
		"Nothing was changed. Find out who changed it; then survey it, and rebuild the runbook."),
	of[fact.SendRefused]("$To took nothing of it for $Zone: $Answer",
		"All is as it was. Fix what it says, then go on with the same command."),
	of[fact.SendHalfway]("$To took only a part of it for $Zone: $Sets:set $Sets/is/are not as planned",
		"Look at what stands there. Going on sends the rest; undoing the step takes the part back."),
	of[fact.SendUnknown]("Nobody knows what $To did with $Zone: $Why",
		"Go on with the same command: it looks first, and sends only what is not there."),
}

// What is said about sending.
const (
	SendAsk           = "Send this?"
	SendWarnedAsk     = "The plan warns of this step. Send it all the same?"
	SendNothing       = "Nothing was sent."
	SendWithYes       = "Nobody can be asked here: --yes sends it without a question."
	SendWarned        = "The plan warns of this step."
	SendGoesOn        = "Go on: "
	SendOnceDone      = "Once it is done: "
	SendMark          = "Once it is done: "
	SendThen          = ", then "
	SendLooksAgain    = "Look again, and go on: "
	SendByHand        = "Step %d is done by hand."
	SendNothingLeft   = "Step %d has nothing to send after the last survey, and yet it is not done."
	SendNotDone       = "Step %d is not done."
	SendNotEverywhere = "Step %d is not marked: not every name server is seen to have it."
	SendNotSeen       = "Step %d is not marked: the zone file has it, and its name servers not yet. " +
		"Put the file in place as you always do."
	SendStep         = "Step %d: %s"
	SendUndoStep     = "Taking step %d back: %s"
	SendAt           = "%s, by %s: %s"
	SendIsThere      = "%s: %s %s as planned already; nothing was sent."
	SendWasTaken     = "%s: %s %s sent, and %s has them."
	SendTTL          = "%s gives %s %s a TTL of %s, not of %s."
	SendServers      = "%s: every name server has them (%s)."
	SendCame         = "What came of it"
	SendSome         = "%s: %d of %d addresses of its name servers have them."
	SendSilentBefore = "%s could not be asked: %s. It did not answer before either; fix or remove it."
	SendBehind       = "%s does not have %s."
	SendSilent       = "%s could not be asked: %s."
	SendNoServer     = "Nobody knows the name servers of %s, so that none could be asked."
	SendNobody       = "no name server is known"
	SendAllDone      = "All %s of the runbook are done."
	SendDone         = "%s carried out."
	SendFound        = "step %d is done: %s"
	SendFoundOut     = "what came of step %d in %s was not known; it is now: %s"
	SendWaits        = "Step %d may be done from %s on (in %s): until then, " +
		"resolvers hold older answers."
	SendTooEarly  = "Step %d may be done from %s on (in %s)."
	SendUndone    = "%s %s %s taken back: all is as it was before."
	SendNothingOf = "This program has sent nothing of step %d that it could take back."
	SendWayBack   = "How it is taken back by hand: "
	SendLogEmpty  = "Nothing was sent yet."
	SendMissing   = "Not as it has to be"
	SendUnseenYet = "Not seen"
	SendDark      = "What breaks with it"
	SendWarnings  = "What the plan warns of"
	SendUnsigned  = "Updates to %s are not signed: give the place a key:."
)

// PlayedRunbook says what the demo did beside what its runbook shows.
const PlayedRunbook = "%d steps went by DNS UPDATE, step %d back and again. Real waits: %s.\n" +
	"→ upperpath runbook\n"

// What is said of a program that is tried.
const (
	SendTryAsk   = "Names that begin with _upperpath-try come and go in the zone %s. Try it there?"
	SendTryTitle = "The program of %s, tried"
	SendDoes     = "yes"
	SendLacks    = "no"
	SendFits     = "%s: the program does all that is asked of it (%s, in the zone %s)."
	SendFitsNot  = "%s: %s of %d %s not hold."
	SendSaysHow  = "What it has to do stands in "
)

// SendOutcome says what came of sending.
func SendOutcome(o send.Outcome) string {
	return map[send.Outcome]string{send.Begun: "broken off", send.Sent: "sent",
		send.Already: "was there already", send.Changed: "had changed",
		send.NotTaken: "refused", send.Halfway: "taken in part", send.Unknown: "not known",
		send.Unread: "not answered"}[o]
}
