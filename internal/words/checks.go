package words

import "upperpath.example/upperpath/internal/core/fact"

// checks are the sentences about what was expected and found.
var checks = []sentence{
	by(func(f fact.DoorFaults) (says, do string) {
		if f.Address == "" {
			return "$URL: $Faults:spaces", ""
		}
		return "$URL at $Address: $Faults:spaces", ""
	}),
	phrase[fact.ZoneNotHeld]("$Server does not serve the zone $Zone"),
	phrase[fact.DSStill]("the parent zone still has a DS record for $Domain"),
	phrase[fact.Delegated]("the parent zone names $Now:none as the name servers of $Domain, and " +
		"should " +
		"name $Wanted:few4"),
	phrase[fact.NoTTL]("$Name has no $Type record at $Server"),
	phrase[fact.TTLHigh]("the TTL of $Name $Type is $TTL:seconds at $Server, and should be at most " +
		"$Most:seconds"),
	phrase[fact.TTLLow]("the TTL of $Name $Type is $TTL:seconds at $Server, and should be at least " +
		"$Least:seconds"),
	phrase[fact.NoRecordYet]("$Name has no $Type record at $Server yet"),
	phrase[fact.StillThere]("$Name still has $Type records at $Server: $Values:few4"),
	phrase[fact.NotYet]("$Name has no $Type record at $Server yet, and should have $Wanted:few4"),
	phrase[fact.Differs]("$Name $Type is $Values:few4 at $Server, and should be $Wanted:few4"),
	by(func(f fact.DoorUnseen) (says, do string) {
		if f.Address == "" {
			return "$URL was not seen: $Why", ""
		}
		return "$URL was not seen at $Address: $Why", ""
	}),
	phrase[fact.ParentUnseen]("the parent zone of $Domain was not seen: $Why"),
	phrase[fact.ZoneUnanswered]("$Server did not answer for $Zone: $Why"),
	phrase[fact.RecordUnanswered]("$Server did not answer about $Name $Type: $Why"),
	phrase[fact.WantCertificate]("a certificate for $Host"),
	phrase[fact.WantPage]("the page itself"),
	phrase[fact.WantAddresses]("the addresses of $Target"),
	phrase[fact.Nothing]("nothing"),
	values(by(func(f fact.These) (says, do string) {
		if f.Type != "" {
			return "$Type $Values:few3", ""
		}
		return "$Values:few3", ""
	})),
	phrase[fact.NoAnswerTaken]("no valid answer"),
	of[fact.StandsBeside]("$Subject has $More:few3 beside what should be there.",
		"Remove it where the records are typed: browsers take either."),
	of[fact.GivesLonger]("$Place still gives $Values, $Over after its TTL ended.",
		"Ask whoever runs it to clear its cache; other resolvers do not wait for it."),
	of[fact.Slipped]("$Subject is $Typed; that looks like a slip for $Meant.",
		"Correct it where the zone is held."),
	of[fact.NotTakenYet](
		"$Place gives $Values, while $Has has the new value: it has not taken over $Domain "+
			"yet.",
		"Wait some minutes. If it stays so, have the zone transferred to $Place again."),
	of[fact.GivesOld](
		"$Place still gives $Values, though another name server of $Domain gives the new value.",
		"Ask its provider why it does not copy the zone from the others: is the serial number higher, "+
			"and can it reach them? Otherwise remove it from the delegation."),
	of[fact.NotServed]("$Place answers $Code about $Domain: it does not serve the zone.",
		"Have it load the zone, or see at its provider whether the zone is there."),
	of[fact.NotDelegated]("$Domain is not delegated: the zone $Above says that it does not exist.",
		"See at the registrar whether it is registered, paid for and not on hold, and which name "+
			"servers are entered."),
	of[fact.BarredAnswer]("$Why",
		"Remove the DS record at the registrar, or sign the zone with the key that it names. "+
			"Until then, resolvers that check signatures find nothing of the domain."),
	phrase[fact.NoServerAnswered]("none of its name servers answered"),
	phrase[fact.ZoneAboveUnseen]("the parent zone was not seen"),
	phrase[fact.RegistrationUnseen]("its registration was not seen"),
}
