package plan

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
)

// order says in which order to carry the plan out, so that no door is dark on the way.
func (p *Plan) order() []string {
	o := &orderer{plan: p}
	o.look()
	o.lower()
	o.certificatesBefore()
	o.told()
	o.redirects()
	o.records()
	o.delegations()
	o.after()
	return o.steps
}

type orderer struct {
	plan  *Plan
	steps []string
}

func (o *orderer) add(format string, args ...any) {
	o.steps = append(o.steps, fmt.Sprintf(format, args...))
}

// open gives the zones that are still to move.
func (o *orderer) open() []*Zone {
	var all []*Zone
	for i := range o.plan.Zones {
		if z := &o.plan.Zones[i]; z.domain.State != estate.Moved {
			all = append(all, z)
		}
	}
	return all
}

func (o *orderer) look() {
	if slices.ContainsFunc(o.open(), func(z *Zone) bool { return z.Seen == nil }) {
		o.add("See and save what is there, so that the changes can be worked out and nothing is lost: upperpath survey --save before, then plan again.")
	}
	for _, c := range o.plan.Carriers {
		for _, e := range c.Entries {
			if e.Kind == DSEntry && o.plan.zone(e.Domain).Move == nil {
				o.add("Have %s remove the DS record of %s: it fits no key of the zone.", c.Name, e.Domain)
			}
		}
	}
}

// zone returns the zone of a name, an empty one where there is none.
func (p *Plan) zone(name string) *Zone {
	if i, ok := p.zoneAt[name]; ok {
		return &p.Zones[i]
	}
	return &Zone{}
}

// lower says which TTLs to lower beforehand, and for how long to wait then.
func (o *orderer) lower() {
	longest := 0
	var sets []string
	for _, z := range o.open() {
		for _, t := range z.TTLs {
			if t.LowerBefore > 0 {
				longest = max(longest, t.LowerBefore)
				sets = append(sets, t.Name+" "+t.Type)
			}
		}
	}
	if len(sets) > 0 {
		o.add("Lower the TTL of what is to change to %s, at least %s before the move, for so long is the longest old TTL: %s.", Words(MovingTTL), Words(longest), few(sets, 6))
	}
}

// few names some of many.
func few(all []string, most int) string {
	if len(all) <= most {
		return strings.Join(all, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(all[:most], ", "), len(all)-most)
}

func (o *orderer) certificatesBefore() {
	n := 0
	var byDNS, byHand []string
	for _, c := range o.plan.Certificates {
		if c.Domain == "" || c.When == string(estate.After) || o.plan.zone(c.Domain).State == string(estate.Moved) {
			continue
		}
		n++
		if len(c.ByDNS) > 0 && !slices.Contains(byDNS, c.Carrier) {
			byDNS = append(byDNS, c.Carrier)
		}
		if c.When == string(estate.ByHand) && !slices.Contains(byHand, c.Carrier) {
			byHand = append(byHand, c.Carrier)
		}
	}
	if n == 0 {
		return
	}
	says := fmt.Sprintf("Get the %s that can be had before the names point there", counted(n, "certificate"))
	if n == 1 {
		says = "Get the certificate that can be had before the names point there"
	}
	if len(byDNS) > 0 {
		says += fmt.Sprintf("; for %s by TXT records at _acme-challenge", strings.Join(byDNS, " and "))
	}
	if len(byHand) > 0 {
		says += fmt.Sprintf("; at %s by hand", strings.Join(byHand, " and "))
	}
	o.add("%s.", says)
}

// told says what platforms and edge networks have to be told before any record leads there.
func (o *orderer) told() {
	for _, c := range o.plan.Carriers {
		var claims, zones []string
		for _, e := range c.Entries {
			switch e.Kind {
			case HostEntry:
				claims = append(claims, e.Fields[0].Value)
			case ZoneEntry:
				zones = append(zones, e.Domain)
			}
		}
		if len(claims) > 0 {
			o.add("Claim %s at %s before any record points there.", few(claims, 6), c.Name)
		}
		if len(zones) > 0 {
			what := "the zone"
			if len(zones) > 1 {
				what = "the zones"
			}
			o.add("Create %s %s at %s with everything that is there today: upperpath write zone.", what, few(zones, 6), c.Name)
		}
	}
}

func (o *orderer) redirects() {
	kinds := map[string][]string{}
	for _, c := range o.plan.Carriers {
		if len(c.Hosts) > 0 && !slices.Contains(kinds[c.By], c.Name) {
			kinds[c.By] = append(kinds[c.By], c.Name)
		}
	}
	var how []string
	if n := kinds["server"]; len(n) > 0 {
		how = append(how, "upperpath write nginx for "+strings.Join(n, " and "))
	}
	if n := slices.Concat(kinds["form"], kinds["platform"], kinds["edge"]); len(n) > 0 {
		how = append(how, fmt.Sprintf("for %s the pages that upperpath write sheet makes", strings.Join(n, " and ")))
	}
	if len(how) > 0 {
		o.add("Put the redirects in place: %s.", strings.Join(how, "; "))
		o.add("Try them before anything points there: upperpath audit --point HOST=ADDRESS.")
	}
}

func (o *orderer) records() {
	changes, zones, wait := 0, 0, 0
	unseen := false
	for _, z := range o.open() {
		unseen = unseen || z.Seen == nil
		n := 0
		for _, c := range z.Changes {
			if c.Step > 0 {
				n++
			}
			if c.Action == Add && c.Step > 0 {
				wait = max(wait, z.AbsentFor)
			}
		}
		for _, t := range z.TTLs {
			wait = max(wait, t.WaitAfter)
		}
		if changes += n; n > 0 {
			zones++
		}
	}
	switch {
	case changes > 0:
		o.add("Make the %s, each zone in its order, what goes first: upperpath write sheet.", counted(changes, "change")+" in "+counted(zones, "zone"))
		o.add("Wait %s: so long some resolvers may give the old answer, or the old absence.", Words(wait))
	case unseen:
		o.add("Set the records above, and wait for the old TTLs to run out.")
	}
}

func counted(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

func (o *orderer) delegations() {
	for _, z := range o.open() {
		if m := z.Move; m != nil {
			o.add("Move %s to the name servers %s, once they agree with the old ones; the old delegation lives for %s.", z.Name, strings.Join(m.To, " and "), Words(m.OldLives))
		}
	}
}

func (o *orderer) after() {
	var late []string
	for _, c := range o.plan.Certificates {
		if c.When == string(estate.After) && c.Domain != "" && o.plan.zone(c.Domain).State != string(estate.Moved) {
			late = append(late, fmt.Sprintf("%s at %s", strings.Join(c.Names, ", "), c.Carrier))
		}
	}
	if len(late) > 0 {
		o.add("Have the rest of the certificates issued at once; until then visitors by https meet a warning: %s.", strings.Join(late, "; "))
	}
	o.add("Look at every door: upperpath audit.")
	raise := 0
	for _, z := range o.open() {
		for _, t := range z.TTLs {
			if t.RaiseTo > 0 {
				raise++
			}
		}
	}
	if raise > 0 {
		o.add("A day later, when nothing had to be taken back: raise the TTL of %s to %s, write state: moved, and survey again.", counted(raise, "record set"), Words(RecordTTL))
	}
}
