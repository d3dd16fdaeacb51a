package words

import (
	"fmt"

	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/wording"
)

// Of inventories.
const (
	NothingSurveyed = "No domain has been surveyed yet."
	OddTitle        = "What is odd, and what hangs on it"
	YourFile        = "the end of its registration stands in your file alone"
	SurveysThem     = " looks at them."
	ShowsALineEach  = " shows each in a line."
	ChooseSite      = "Choose the site to which all lead, and the server that redirects, such as "
	NewWithSite     = "upperpath new --canonical https://www.a.example --server 203.0.113.20 " +
		"--list FILE --force"
	WriteDownCarriers = "Write down who redirects each domain (carriers: in the estate file), " +
		"then run "
)

// AliveCount says how many domains are in a state.
func AliveCount(a survey.Alive, n int) string {
	switch a {
	case survey.AliveSite:
		return fmt.Sprintf("%d with a site of %s own", n, wording.Verb(n, "its", "their"))
	case survey.AliveMoved:
		return fmt.Sprintf("%d %s elsewhere", n, wording.Verb(n, "leads", "lead"))
	case survey.AliveParked:
		return fmt.Sprintf("%d parked", n)
	case survey.AliveError:
		return fmt.Sprintf("%d %s an error", n, wording.Verb(n, "shows", "show"))
	case survey.AliveNothing:
		return fmt.Sprintf("%d %s nothing", n, wording.Verb(n, "answers", "answer"))
	case survey.AliveNoDomain:
		return fmt.Sprintf("%d %s not exist", n, wording.Verb(n, "does", "do"))
	}
	return fmt.Sprintf("%d unseen", n)
}

// AliveWord says what stands behind a domain's doors.
func AliveWord(a survey.Alive) string {
	return map[survey.Alive]string{survey.AliveSite: "own site", survey.AliveMoved: "elsewhere",
		survey.AliveParked: "parked", survey.AliveError: "error", survey.AliveNothing: "no answer",
		survey.AliveNoDomain: "no domain", survey.AliveUnseen: "unseen"}[a]
}

// ListRead says what was made of a list of domains: which columns were used, and for what, what was
// left, and how many lines were about a domain that was there already.
func ListRead(used [][2]string, unused, left []string, merged int) string {
	said := ""
	line := func(format string, args ...any) { said += fmt.Sprintf(format+"\n", args...) }
	if len(used) > 0 {
		var parts []string
		for _, u := range used {
			parts = append(parts, fmt.Sprintf("%s (as %s)", u[0], u[1]))
		}
		line("Columns used: %s.", wording.Few(parts, 8))
	}
	if len(unused) > 0 {
		line("Columns left: %s.", wording.Few(unused, 8))
	}
	if merged > 0 {
		line("Merged: %s about a domain that was there already.", wording.Count(merged, "line"))
	}
	if len(left) > 0 {
		line("Lines left: %s.", wording.Few(left, 5))
	}
	return said
}
