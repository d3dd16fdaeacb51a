package report

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// ServerSaid is a configuration that was written for a server.
type ServerSaid struct {
	File        string // that was written
	Beside      int    // files beside it
	Doors       int
	Carrier     string
	Findings    []finding.Finding // what it does not hold exactly
	Check       string            // what the server's own check is called
	By          string            // who has read it; "" for nobody
	Why         string            // why nobody has
	Warned      string            // what that warns of, "" for nothing
	Steps, Undo []string
	Domain      string   // one to try before any name points there; "" for none
	Points      []string // its hosts with the address, HOST=ADDRESS
}

// ServerWritten says what was written for a server, whether that has read it, how it is put in
// place, and how it is taken back.
func ServerWritten(s ServerSaid) doc.Doc {
	said, carries, limits := s.File, "carries", ""
	if s.Beside > 0 {
		said, carries = said+" and "+wording.Count(s.Beside, "file")+" beside it", "carry"
	}
	tone := doc.Good
	if len(s.Findings) > 0 {
		tone, limits = doc.Warned, words.ButForLimits
	}
	blocks := findingBlocks(s.Findings)
	checked := doc.Paragraph{}
	switch {
	case s.By == "":
		tone = max(tone, doc.Unseen)
		checked.Text = doc.Phrase(fmt.Sprintf(words.ServerUnread, s.Why, s.Check))
	case s.Warned != "":
		tone = doc.Warned
		checked.Text = doc.Phrase(fmt.Sprintf(words.ServerWarns, s.Check, s.By,
			strings.TrimRight(s.Warned, ".")))
	default:
		checked.Text = doc.Phrase(fmt.Sprintf(words.ServerReadIt, s.Check, s.By))
	}
	verdict := doc.Verdict{Tone: tone,
		Says: doc.Phrase(fmt.Sprintf(words.ServerCarries, said, carries, s.Doors, s.Carrier, limits))}
	blocks = append(blocks, verdict, checked, doc.Heading{Level: 3, Text: words.PutInPlace})
	for i, step := range s.Steps {
		blocks = append(blocks, doc.Step{Number: i + 1, Says: doc.Phrase(step)})
	}
	if s.Domain != "" {
		try := "upperpath audit --only " + s.Domain
		for _, point := range s.Points {
			try += " --point " + point
		}
		blocks = append(blocks, doc.Step{Number: len(s.Steps) + 1, Says: doc.Phrase(words.TryItFirst),
			Copy: []string{try}})
	}
	blocks = append(blocks, doc.Heading{Level: 3, Text: words.TakeItBack})
	for i, step := range s.Undo {
		blocks = append(blocks, doc.Step{Number: i + 1, Says: doc.Phrase(step)})
	}
	return doc.Doc{Name: "written", Blocks: doc.Of(blocks...)}
}
