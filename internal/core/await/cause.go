package await

import "upperpath.example/upperpath/internal/core/fact"

// Cause names why something is not there yet. Those of doors are the causes that findings have;
// those of records are here.
type Cause string

// The causes of records.
const (
	NoCause        Cause = ""
	LeftBeside     Cause = "left-beside"
	Mistyped       Cause = "mistyped"
	NotTransferred Cause = "not-transferred"
	KeepsLonger    Cause = "keeps-longer"
	BadSignatures  Cause = "bad-signatures"
	NotServed      Cause = "not-served"
	NotDelegated   Cause = "not-delegated"
)

func cause(name string) Cause { return Cause(name) }

func (i *Item) because(c Cause, why fact.Facts) {
	i.Cause, i.Why, i.Fix = c, fact.Of(why, fact.Says), fact.Of(why, fact.Do)
}
