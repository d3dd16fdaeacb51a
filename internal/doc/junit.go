package doc

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
)

// The form of test results that continuous integration reads: suites, cases, failures. An error is
// a failure, a warning or a note is told beside a case that passes.
type (
	junitSuite struct {
		XMLName  xml.Name    `xml:"testsuite"`
		Name     string      `xml:"name,attr"`
		Tests    int         `xml:"tests,attr"`
		Failures int         `xml:"failures,attr"`
		Skipped  int         `xml:"skipped,attr"`
		Cases    []junitCase `xml:"testcase"`
	}
	junitCase struct {
		Class   string        `xml:"classname,attr"`
		Name    string        `xml:"name,attr"`
		Failure *junitFailure `xml:"failure"`
		Skipped *junitSkipped `xml:"skipped"`
		Out     string        `xml:"system-out,omitempty"`
	}
	junitFailure struct {
		Type    string `xml:"type,attr"`
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
	junitSkipped struct {
		Message string `xml:"message,attr"`
	}
)

// writeJUnit writes a case for each chain, for each finding that no chain shows, and one for the
// verdict.
func writeJUnit(w io.Writer, d Doc, _ Style) error {
	var chains, others []junitCase
	var findings []Finding
	shown := map[string]bool{}
	failed := false
	var take func(Block)
	take = func(b Block) {
		switch b := b.(type) {
		case Verdict:
			c := junitCase{Class: d.Name, Name: "verdict", Out: b.Says.String()}
			if b.Tone == Unseen {
				c.Skipped, c.Out = &junitSkipped{b.Says.String()}, ""
			}
			failed = failed || b.Tone == Failed
			others = append(others, c)
		case Chain:
			for _, f := range b.Findings {
				shown[f.Code] = true
			}
			chains = append(chains, chainCase(d.Name, b))
		case Finding:
			findings = append(findings, b.All()...)
		case Step:
			if b.Box != "" { // else it is nothing that could fail
				others = append(others, stepCase(d.Name, b))
			}
		case Fold:
			take(Detail{Blocks: b.Blocks})
		case Detail:
			for _, inner := range b.Blocks {
				take(inner)
			}
		}
	}
	for b := range d.Blocks {
		take(b)
	}
	if failed && len(chains)+len(findings) == 0 && len(others) == 1 { // nothing else tells it
		others[0].Failure, others[0].Out = &junitFailure{Type: d.Name, Message: others[0].Out}, ""
	}
	cases := append(others, chains...)
	for _, f := range findings {
		if !shown[f.Code] {
			cases = append(cases,
				findingCase(d.Name, f.Code+" "+strings.Join(f.Subjects, ", "), []Finding{f}))
		}
	}
	suite := junitSuite{Name: d.Title, Tests: len(cases), Cases: cases}
	for _, c := range cases {
		if c.Failure != nil {
			suite.Failures++
		}
		if c.Skipped != nil {
			suite.Skipped++
		}
	}
	data, err := xml.MarshalIndent(suite, "", "  ")
	if err != nil {
		return fmt.Errorf("writing XML: %w", err)
	}
	_, err = fmt.Fprintf(w, "%s%s\n", xml.Header, data)
	return err
}

func chainCase(class string, c Chain) junitCase {
	made := findingCase(class, strings.TrimSpace(c.Entry+" "+c.About), c.Findings)
	if c.Tone == Unseen && made.Failure == nil {
		made.Skipped = &junitSkipped{"unseen from this vantage"}
	}
	return made
}

func stepCase(class string, s Step) junitCase {
	made := junitCase{Class: class, Name: fmt.Sprintf("step %d: %s", s.Number, s.Says)}
	switch s.Box {
	case "failed":
		made.Failure = &junitFailure{"step", "its check fails", strings.Join(stepRow(s), "\n")}
	case "done":
	default:
		made.Skipped = &junitSkipped{"to be done"}
	}
	return made
}

func findingCase(class, name string, all []Finding) junitCase {
	made := junitCase{Class: class, Name: name}
	var failed, told []string
	for _, f := range all {
		text := fmt.Sprintf("%s: %s %s", f.Code, f.Whole(), f.Fix)
		if f.Tone != Failed {
			told = append(told, text)
			continue
		}
		failed = append(failed, text)
		if made.Failure == nil {
			made.Failure = &junitFailure{Type: f.Code, Message: f.Whole().String()}
		}
	}
	if made.Failure != nil {
		made.Failure.Text = strings.Join(failed, "\n")
	}
	made.Out = strings.Join(told, "\n")
	return made
}
