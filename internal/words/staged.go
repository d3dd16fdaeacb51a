package words

// What is said of a real server on a stage.
const (
	AnsweredBy = "At %s, %s answered, with the file that upperpath write %s makes."
	NotAsked   = "No URL led to %s, which ran in the place of %s: what was met is the stage's own."
	BehindEdge = "%s of %s %s behind an edge network, which the stage plays: %s was not asked there."
)

// What is said of a configuration that was written for a server.
const (
	ServerCarries = "%s %s the %d doors of %s%s."
	ButForLimits  = ", but for what is said above"
	ServerReadIt  = "%s has read it (%s on this machine, certificates made for that) and finds no " +
		"problem."
	ServerWarns = "%s has read it (%s on this machine, certificates made for that) and accepts it, " +
		"with a warning to look into first: %s."
	ServerUnread = "NOT CHECKED by the server itself: %s. Run %s there before you use it."
	PutInPlace   = "To put it in place"
	TakeItBack   = "To take it back"
	TryItFirst   = "try it before any name points there, domain by domain:"
)

// What is said of one carrier's entries.
const (
	EntriesWritten = "%s has %s: what %s wants, in its order.\n"
	NoEntries      = "--carrier %s: nothing is typed there; expected one of %s"
	SeveralEntries = "several places want entries; name one with --carrier: %s"
)

// What is said of a table without patterns.
const (
	TableWritten = "%s has %s; %s %s written out for the old URLs that fit.\n"
	TableLeft    = "not in it: rules line %d, %s: %s\n"
	TableOthers  = "not in it: %s of the list that no rule takes; the fallback of each domain " +
		"leads them\n"
	NoURLFits = "no old URL of the list fits it"
	NeverWins = "it never wins: another rule, or none, answers there"
)
