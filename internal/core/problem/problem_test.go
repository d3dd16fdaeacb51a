package problem

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"upperpath.example/upperpath/internal/core/fact"
)

func TestAProblemIsOneSentenceWithItsPlace(t *testing.T) {
	p := Problem{
		File:   "rules.csv",
		Line:   7,
		Column: 3,
		Fault: fact.Kept{Says: "a bare * says nothing here", Expected: "a capture",
			Do: "write {+rest}"},
		Value: "*",
		Mark:  "old.example/\x1b*",
		Place: 13,
	}
	assert.Equal(
		t,
		"rules.csv:7:3: a bare * says nothing here: \"*\"; expected a capture. Write {+rest}\n"+
			"    old.example/\uFFFD*\n"+
			"                 ^",
		p.Error(),
	)
	assert.Equal(t, "upperpath.yaml: it is empty",
		Problem{File: "upperpath.yaml", Fault: fact.Kept{Says: "it is empty"}}.Error())
	long := Problem{Fault: fact.Kept{Says: "x"}, Value: strings.Repeat("y", 5000)}.Error()
	assert.Less(t, len(long), 300)
}

func TestAListIsInTheOrderOfTheFile(t *testing.T) {
	var l List
	assert.NoError(t, l.Err())
	l.Add(Problem{Line: 9, Fault: fact.Kept{Says: "nine"}})
	l.Add(Problem{Line: 2, Fault: fact.Kept{Says: "two"}})
	assert.EqualError(t, l.In("f").Err(), "f:2: two\nf:9: nine")
}

func TestNearest(t *testing.T) {
	known := []string{"leads-to", "carrier", "fallback"}
	assert.Equal(t, "leads-to", Nearest("lead-to", known))
	assert.Equal(t, "carrier", Nearest("carier", known))
	assert.Empty(t, Nearest("xyz", known))
}

func TestCleanTakesWhatATerminalWouldObey(t *testing.T) {
	assert.Equal(t, "a\uFFFD[31mb\uFFFDc\uFFFDd\uFFFDe ø", Clean("a\x1b[31mb\u009bc\u202ed\x7fe ø"))
}
