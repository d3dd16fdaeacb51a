package report

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/recheck"
	"upperpath.example/upperpath/internal/core/scope"
)

// PlanState gives what a plan wants and finds, as facts that can be compared.
func PlanState(p *plan.Plan, now time.Time) *recheck.State {
	s := planState(planData(p))
	s.Taken, s.Scope = now, &scope.Scope{Left: leftOf(p)}
	s.Part = len(s.Scope.Left) > 0
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
	fact := func(name, subject, value string) {
		facts = append(facts, recheck.Fact{Kind: recheck.Planned, Domain: name, Subject: subject,
			Value: value})
	}
	for _, d := range v.Doors {
		fact(d.Door.Host.String(), d.Door.String(), fmt.Sprintf("%s, by %s", d.LeadsTo, d.Carrier))
	}
	for _, r := range v.Rules {
		fact(hostOfRule(r.Old), "rule "+r.Old, fmt.Sprintf("%s %d, query %s",
			orText(r.New, "gone"), r.Status, r.Query))
	}
	for _, c := range v.Certificates {
		fact(strings.Join(c.Names[:min(len(c.Names), 1)], ""),
			"certificate of "+strings.Join(c.Names, ", "), c.Carrier+", "+c.When)
	}
	for _, z := range v.Zones {
		for _, r := range z.Records {
			fact(z.Name, r.Name+" "+r.Type, strings.Join(r.Values, "\n"))
		}
		for _, c := range z.Changes {
			if c.Step > 0 {
				fact(z.Name, "to type: "+c.Name+" "+c.Type, string(c.Action)+" "+strings.Join(c.After, ", "))
			}
		}
	}
	return recheck.OfPlan(v.Canonical, v.domains(), v.Left, facts, v.Findings)
}

// domains gives the domains that a plan is about.
func (v *jsonPlan) domains() []string {
	var all []string
	for _, d := range v.Doors {
		h := d.Door.Host
		if apex, ok := h.Apex(); ok {
			h = apex
		}
		all = append(all, h.String())
	}
	for _, z := range v.Zones {
		all = append(all, z.Name)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// leftOf gives the domains of the estate that a plan leaves out.
func leftOf(p *plan.Plan) []string {
	var left []string
	for _, d := range p.Estate.Domains {
		if d.State != estate.Leave && !p.Web.Means(d.Name) {
			left = append(left, d.Name.String())
		}
	}
	return left
}

// hostOfRule gives the host that a rule is about.
func hostOfRule(old string) string {
	if _, rest, has := strings.Cut(old, "://"); has {
		old = rest
	}
	host, _, _ := strings.Cut(old, "/")
	host, _, _ = strings.Cut(host, "?")
	return host
}
