package await

// Cause names why something is not there yet. Those of doors are the causes that findings have;
// those of records are here.
type Cause string

// The causes of records.
const (
	NoCause        Cause = ""
	LeftBeside     Cause = "left-beside"
	NotTransferred Cause = "not-transferred"
	KeepsLonger    Cause = "keeps-longer"
	BadSignatures  Cause = "bad-signatures"
)

func cause(name string) Cause { return Cause(name) }

// remedies say what to do about the causes of records.
var remedies = map[Cause]string{
	LeftBeside: "Remove it where the records are typed: browsers take either.",
	NotTransferred: "Have its provider look why it does not take the zone over from the others (is " +
		"the serial number " +
		"higher, does it reach them?), or take it out of the delegation.",
	KeepsLonger: "Have whoever runs it clear its cache; other resolvers do not wait for it.",
	BadSignatures: "Remove the DS record at the registrar, or sign the zone with the key that it " +
		"stands for; until then " +
		"resolvers that check signatures find nothing of the domain.",
}

// Remedy says what to do about a cause of records; "" for others.
func (c Cause) Remedy() string { return remedies[c] }

func (i *Item) because(c Cause, why string) { i.Cause, i.Why, i.Fix = c, why, c.Remedy() }
