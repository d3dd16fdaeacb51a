// Package finding is the closed set of faults that the program knows: their codes, what each means,
// and findings, which are faults with their evidence. What is asked of a code anywhere is a column
// of the one table in table.go.
//
// It judges nothing itself (chain, survey, plan and proof do) and writes nothing (report does).
//
//	f := finding.New(finding.PathLost, "http://old.example", fact.PathCut{})
//	f.Severity // error
package finding

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// Severity says how bad a finding is.
type Severity string

// The severities.
const (
	Error   Severity = "error"   // a visitor does not arrive, or meets a warning
	Warning Severity = "warning" // it works, but not as it should
	Note    Severity = "note"    // worth knowing
)

// Rank orders severities: the worst is highest. An unknown one is 0.
func (s Severity) Rank() int {
	return 1 + slices.Index([]Severity{Note, Warning, Error}, s)
}

// Finding is a named fault with its evidence and what to do about it.
type Finding struct {
	Code     Code           `json:"code"`
	Severity Severity       `json:"severity"`
	Subject  string         `json:"subject"` // a URL, rule, record, domain
	Entry    string         `json:"entry,omitempty"`
	Hop      *int           `json:"hop,omitempty"` // index in hops, from 0
	Evidence map[string]any `json:"evidence"`      // the facts, and what else was seen
	// where the evidence shows it; Fix tells what to do about it
	Cause Cause         `json:"cause,omitzero"`
	Why   fact.Sentence `json:"why,omitzero"` // the cause in one sentence
	Says  fact.Sentence `json:"says"`
	Fix   fact.Sentence `json:"fix"`
	Help  Help          `json:"-"`
	// in a list for all chains: every entry URL that meets it
	Entries []string `json:"entries,omitempty"`
	// somebody lives with it; nil: nobody does
	Accepted *Accepted `json:"accepted,omitempty"`

	Because any `json:"-"` // reasons for what to do, as whoever found it names them; reports say them

	cause string // tells causes apart where code and subject do not
}

// Help says which part of the program helps with a finding; "" for none. Reports say how it is
// called.
type Help string

// The parts that help.
const (
	KeptRecords  Help = "kept-records" // the kept survey holds the values
	LookInside   Help = "look-inside"  // private networks can be looked at too
	Straightener Help = "straightener" // it writes chains of rules as single hops
)

// New makes a finding of a code from its facts, with the severity that the table gives it. Its
// evidence is the facts, and what else is handed over.
func New(code Code, subject string, facts fact.Facts, evidence ...map[string]any) Finding {
	all := fact.Map(facts)
	for _, more := range evidence {
		maps.Copy(all, more)
	}
	return Finding{Code: code, Severity: code.Row().Severity, Subject: subject, Evidence: all,
		Says: fact.Of(facts, fact.Says), Fix: fact.Of(facts, fact.Do)}
}

// Facts gives what the finding is about: a struct of package fact, or fact.Kept where only the
// words are left.
func (f Finding) Facts() fact.Facts { return f.Says.Facts() }

// DueTo returns the finding with its cause, whose facts say why it is there and what to do about
// it.
func (f Finding) DueTo(c Cause, why fact.Facts) Finding {
	f = f.Explained(c, why)
	f.Fix = fact.Of(why, fact.Do)
	return f
}

// Explained returns the finding with its cause; what to do about it stays.
func (f Finding) Explained(c Cause, why fact.Facts) Finding {
	f.Cause, f.Why = c, fact.Of(why, fact.Says)
	return f
}

// As returns the finding with another severity than the table gives it.
func (f Finding) As(s Severity) Finding {
	f.Severity = s
	return f
}

// GroupedBy returns the finding with its cause named: findings of one code and cause are one,
// whatever their subjects are.
func (f Finding) GroupedBy(cause string) Finding {
	f.cause = cause
	return f
}

// With returns the finding with the part of the program that helps.
func (f Finding) With(h Help) Finding {
	f.Help = h
	return f
}

// compareOpen puts what somebody lives with behind everything else.
func compareOpen(a, b *Finding) int {
	switch {
	case a.Open() == b.Open():
		return 0
	case a.Open():
		return -1
	}
	return 1
}

// Sort orders findings: the worst first, then by the table, then by subject; those that somebody
// lives with last.
func Sort(findings []Finding) {
	slices.SortStableFunc(findings, func(a, b Finding) int {
		return cmp.Or(compareOpen(&a, &b), cmp.Compare(b.Severity.Rank(), a.Severity.Rank()),
			cmp.Compare(a.Code, b.Code), compareNumbered(a.Subject, b.Subject))
	})
}

// Count gives how many findings are of a severity, without those that somebody lives with.
func Count(findings []Finding, s Severity) int {
	n := 0
	for _, f := range findings {
		if f.Severity == s && f.Open() {
			n++
		}
	}
	return n
}

// Worst returns the highest severity among findings that nobody lives with, "" where there are
// none.
func Worst(findings []Finding) Severity {
	var worst Severity
	for _, f := range findings {
		if f.Severity.Rank() > worst.Rank() && f.Open() {
			worst = f.Severity
		}
	}
	return worst
}

// Has reports whether a code is among findings.
func Has(findings []Finding, code Code) bool {
	return slices.ContainsFunc(findings, func(f Finding) bool { return f.Code == code })
}

// compareNumbered compares texts, and the numbers in them as numbers: line 9 comes before line 10.
func compareNumbered(a, b string) int {
	for i := 0; i < len(a) && i < len(b); i++ {
		x, y := number(a[i:]), number(b[i:])
		switch {
		case x != "" && y != "" && x != y:
			return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(x, y))
		case a[i] != b[i]:
			return cmp.Compare(a[i], b[i])
		case x != "":
			i += len(x) - 1
		}
	}
	return cmp.Compare(len(a), len(b))
}

// number gives the digits that a text begins with, without zeros in front.
func number(s string) string {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return strings.TrimLeft(s[:n], "0")
}
