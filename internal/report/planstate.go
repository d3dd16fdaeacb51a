package report

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/recheck"
)

// PlanState gives what a plan wants and finds, as facts that can be compared.
func PlanState(p *plan.Plan, now time.Time) *recheck.State {
	s := planState(planData(p))
	s.Taken = now
	return s
}

// PlanStateFrom does the same for a plan that was written as JSON. The error says what is wrong
// with it.
func PlanStateFrom(data []byte) (*recheck.State, error) {
	var v jsonPlan
	if err := json.Unmarshal(data, &v); err != nil {
		return nil, err
	}
	return planState(v), nil
}

func planState(v jsonPlan) *recheck.State {
	var facts []recheck.Fact
	fact := func(subject, value string) {
		facts = append(facts, recheck.Fact{Kind: recheck.Planned, Subject: subject, Value: value})
	}
	for _, d := range v.Doors {
		fact(d.Door.String(), fmt.Sprintf("%s, by %s", d.LeadsTo, d.Carrier))
	}
	for _, r := range v.Rules {
		fact("rule "+r.Old, fmt.Sprintf("%s %d, query %s", orText(r.New, "gone"), r.Status, r.Query))
	}
	for _, c := range v.Certificates {
		fact("certificate of "+strings.Join(c.Names, ", "), c.Carrier+", "+c.When)
	}
	for _, z := range v.Zones {
		for _, r := range z.Records {
			fact(r.Name+" "+r.Type, strings.Join(r.Values, "\n"))
		}
		for _, c := range z.Changes {
			if c.Step > 0 {
				fact("to type: "+c.Name+" "+c.Type, string(c.Action)+" "+strings.Join(c.After, ", "))
			}
		}
	}
	return recheck.OfPlan(v.Canonical, facts, v.Findings)
}
