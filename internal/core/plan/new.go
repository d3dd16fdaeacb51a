package plan

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/survey"
)

// New is the way of a domain to a zone of its own: the parent zone knows no such domain, so there is nothing to keep.
type New struct {
	To    []string `json:"to"`    // the name servers that it is to have; empty where nobody says
	Ready bool     `json:"ready"` // every one of them was asked, and says all that the zone needs

	serial uint32
}

// ErrNoServers says that nobody names the name servers of a zone that is to be made.
var ErrNoServers = errors.New("nobody says which name servers are to hold the new zone")

// fromNothing gives a zone that nobody has seen the records that it needs; where there is no such zone yet, how it
// comes to be.
func (z *Zone) fromNothing(s sight, required []requirement) {
	why := NobodyLooked
	if s.nowhere != nil {
		why = ZoneIsNew
	}
	for i, n := range required {
		c := Change{
			Step:    i + 1,
			Action:  Add,
			Name:    n.Name,
			Type:    n.Type,
			TTL:     n.TTL,
			Typed:   n.typed,
			TypedAs: n.typedAs,
			Through: through(n),
			Reasons: append([]Reason{{Why: why}}, n.why...),
		}
		for _, v := range n.Values {
			c.After = append(c.After, record.Plain(n.Type, v))
		}
		z.comes = append(z.comes, c)
	}
	if s.nowhere == nil {
		return
	}
	z.New = &New{To: names(s.domain.MovesTo()), Ready: heldAlready(s, required), serial: 1}
	if !s.now.IsZero() {
		z.New.serial = serialOf(s.now)
	}
	z.Next = cmp.Or(s.domain.RecordsAt, s.domain.RecordsFrom, "records of "+z.Name)
	if edge := s.domain.Edge(); edge != nil && slices.Equal(names(edge.NameServers), z.New.To) {
		z.Next = edge.Name
	}
	z.Present = z.Next
}

// serialOf gives the serial of a zone's first day, as RFC 1912 section 2.2 recommends.
func serialOf(now time.Time) uint32 {
	y, m, d := now.UTC().Date()
	return uint32(y*1000000 + int(m)*10000 + d*100 + 1)
}

// heldAlready tells whether every name server that a new zone is to have answers for it, and says all that it needs.
func heldAlready(s sight, required []requirement) bool {
	to := names(s.domain.MovesTo())
	for _, server := range to {
		asked := slices.DeleteFunc(slices.Clone(s.nowhere.Coming), func(c survey.Coming) bool { return c.Name != server })
		for _, c := range asked {
			if c.State != survey.Answers || slices.ContainsFunc(required, func(n requirement) bool {
				set, there := record.Find(c.Records, n.Name, n.Type)
				return !there || !same(n.Type, set.Values, n.Values)
			}) {
				return false
			}
		}
		if len(asked) == 0 {
			return false
		}
	}
	return len(to) > 0
}

// newFile gives a zone that does not exist yet as its zone file: a SOA (RFC 1035 section 3.3.13, with the times that
// RFC 1912 section 2.2 recommends), its name servers, and its records.
func (z *Zone) newFile() ([]record.Set, error) {
	to := z.New.To
	if len(to) == 0 {
		return nil, fmt.Errorf(
			"%w %s: write name-servers: into its line, as the provider's page names them",
			ErrNoServers,
			z.Name,
		)
	}
	sets := []record.Set{
		{Name: z.Name, Type: "SOA", TTL: RecordTTL, Values: []string{
			fmt.Sprintf("%s. hostmaster.%s. %d 7200 3600 1209600 3600", to[0], z.Name, z.New.serial),
		}},
		{Name: z.Name, Type: "NS", TTL: RecordTTL, Values: dotted(to)},
	}
	for _, c := range z.comes {
		s := record.Set{Name: c.Name, Type: c.Type, TTL: c.TTL}
		values := c.After
		if c.Through != "" {
			if len(c.Typed) == 0 || c.TypedAs == "CNAME" && c.Name == z.Name {
				continue // another record of the name brings it, or no zone file can say it
			}
			s.Type, values = c.TypedAs, c.Typed
		}
		if s.Type == record.Alias {
			continue
		}
		for _, v := range values {
			s.Values = append(s.Values, record.Dotted(s.Type, v))
		}
		sets = append(sets, s)
	}
	for _, server := range to {
		inside := server == z.Name || strings.HasSuffix(server, "."+z.Name)
		if inside && !slices.ContainsFunc(sets, func(s record.Set) bool { return s.Name == server && isAddress(s.Type) }) {
			return nil, fmt.Errorf(
				"the name server %s lies in the new zone %s itself, and nobody says its address: ask for it as a wanted record",
				server,
				z.Name,
			)
		}
	}
	return sets, nil
}

// stepsOfNew says how zones that do not exist yet come to be: made where they are to stand, and delegated last of all,
// for that is what leads visitors there.
func stepsOfNew(open []Zone) []Step {
	var made, delegated []Step
	for _, z := range open {
		if z.New == nil {
			continue
		}
		about := []string{z.Name}
		made = append(made, step(Step{Kind: CreateZones, Zones: about, Provider: z.Next}))
		delegated = append(
			delegated,
			step(Step{Kind: DelegateZones, Zones: about, Provider: z.domain.Registrar, Servers: z.New.To}),
		)
	}
	return append(together(made), together(delegated)...)
}
