package words

import (
	"cmp"
	"strings"

	"upperpath.example/upperpath/internal/core/expect"
)

// Check gives the command with which somebody sees what is expected, and where it asks a
// server, what that says then.
func Check(e expect.Expectation) (command, says string) {
	points := ""
	for _, p := range e.Points {
		points += format(" --point %s=%s", p.Host, p.Address)
	}
	switch e.Kind {
	case expect.Doors:
		return "upperpath look " + e.Name + points, ""
	case expect.Door:
		return "upperpath look " + e.URL, ""
	case expect.Audit:
		switch {
		case e.Name != "":
			return "upperpath audit --only " + e.Name + points, ""
		case len(e.Points) > 0:
			return "upperpath audit --point HOST=" + cmp.Or(e.Points[0].Address, "ADDRESS"), ""
		}
		return "upperpath audit", ""
	case expect.Survey:
		return "upperpath survey --only " + e.Name, ""
	case expect.SurveyRecords:
		return "upperpath survey --only " + e.Name + " --records", ""
	case expect.NoDifference:
		return "upperpath plan", ""
	case expect.TTLAtMost, expect.TTLAtLeast:
		command = format("dig +noall +answer %s %s", e.Name, e.Type)
		if e.Server != "" {
			command += " @" + e.Server
		}
		bound := "at most"
		if e.Kind == expect.TTLAtLeast {
			bound = "at least"
		}
		return command, format("a TTL of %s %d (the number behind the name)", bound, e.TTL)
	case expect.Records:
		command = format("dig +short %s %s", e.Name, e.Type)
		if e.Server != "" {
			command += " @" + e.Server
		}
		switch {
		case len(e.Values) == 0:
			return command, "nothing"
		case e.Alias:
			return command, "the addresses of " + e.Values[0]
		}
		return command, strings.Join(e.Values, ", ")
	}
	return "", ""
}
