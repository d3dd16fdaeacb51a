package runbook

import (
	"cmp"
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
)

// Kind says what is looked at.
type Kind string

// What can be looked at.
const (
	Records     Kind = "records"      // Name and Type at Server are Values; none: nothing is there
	TTLAtMost   Kind = "ttl-at-most"  // the TTL of Name and Type at Server
	TTLAtLeast  Kind = "ttl-at-least" // the same
	Zone        Kind = "zone"         // Server answers for the zone Name
	Delegation  Kind = "delegation"   // the parent zone names Values as the servers of Name
	NoDS        Kind = "no-ds"        // the parent zone has no DS record of Name
	Certificate Kind = "certificate"  // URL shows a certificate for its host, at Address where there is one
	Door        Kind = "door"         // URL leads to Values[0], its host at Address where there is one
)

// Expect is something that has to be seen.
type Expect struct {
	Kind    Kind     `json:"kind"`
	Name    string   `json:"name,omitempty"`
	Type    string   `json:"type,omitempty"`
	Server  string   `json:"server,omitempty"` // a name server
	Values  []string `json:"values,omitempty"` // in zone-file form
	Alias   bool     `json:"alias,omitempty"`  // the addresses of Values[0]
	Not     []string `json:"not,omitempty"`    // values that have to be gone, where the new ones are not known
	TTL     int      `json:"ttl,omitempty"`
	URL     string   `json:"url,omitempty"`
	Address string   `json:"address,omitempty"`
	Probe   string   `json:"probe,omitempty"` // what the URL is, as an audit has it; absent: the root of its door
}

// World is what is asked.
type World interface {
	// Set asks a name server for a record set; nil where there is none. An error says why that was not seen.
	Set(ctx context.Context, server, name, kind string) (*record.Set, error)
	// Delegation gives the name servers that the parent zone names for a domain. An error says why that was not seen.
	Delegation(ctx context.Context, domain string) ([]string, error)
	// Signed reports whether the parent zone has a DS record of a domain. An error says why that was not seen.
	Signed(ctx context.Context, domain string) (bool, error)
	// Follow follows a URL as a browser does, its own host taken to be at an address where there is one. The chain is
	// judged against where the URL should lead.
	Follow(ctx context.Context, u chain.Entry, at netip.Addr, target web.URL) chain.Chain
}

// mostAtOnce is how many questions are open at a time.
const mostAtOnce = 8

// Look asks for everything that is expected, and says what is otherwise, and what nobody answered about.
func Look(ctx context.Context, w World, all []Expect) (missing, unseen []string) {
	said := make([][2]string, len(all))
	turns := make(chan struct{}, mostAtOnce)
	var asking crew.Crew
	for i, e := range all {
		asking.Go(func() {
			turns <- struct{}{}
			defer func() { <-turns }()
			said[i][0], said[i][1] = e.look(ctx, w)
		})
	}
	asking.Wait()
	for _, s := range said {
		if s[0] != "" && !slices.Contains(missing, s[0]) {
			missing = append(missing, s[0])
		}
		if s[1] != "" && !slices.Contains(unseen, s[1]) {
			unseen = append(unseen, s[1])
		}
	}
	return missing, unseen
}

// look gives what is otherwise, or why it was not seen; both are "" where all is as expected.
func (e Expect) look(ctx context.Context, w World) (missing, unseen string) {
	switch e.Kind {
	case Records:
		return e.records(ctx, w)
	case TTLAtMost, TTLAtLeast:
		return e.ttl(ctx, w)
	case Zone:
		set, err := w.Set(ctx, e.Server, e.Name, "SOA")
		switch {
		case err != nil:
			return "", fmt.Sprintf("%s did not answer for %s: %s", e.Server, e.Name, err)
		case set == nil:
			return fmt.Sprintf("%s does not hold the zone %s", e.Server, e.Name), ""
		}
	case Delegation, NoDS:
		return e.parent(ctx, w)
	case Door, Certificate:
		return e.door(ctx, w)
	}
	return "", ""
}

func (e Expect) records(ctx context.Context, w World) (missing, unseen string) {
	set, err := w.Set(ctx, e.Server, e.Name, e.Type)
	if err != nil {
		return "", fmt.Sprintf("%s did not answer about %s %s: %s", e.Server, e.Name, e.Type, err)
	}
	var values []string
	if set != nil {
		values = set.Values
	}
	wanted := e.Values
	switch {
	case e.Alias && set == nil:
		return fmt.Sprintf("%s has no %s record at %s yet", e.Name, e.Type, e.Server), ""
	case e.Alias && slices.ContainsFunc(values, func(v string) bool { return slices.Contains(e.Not, v) }):
		return fmt.Sprintf("%s still has %s records at %s: %s", e.Name, e.Type, e.Server, wording.Few(values, 4)), ""
	case e.Alias || record.SameValues(values, wanted):
		return "", ""
	case len(values) == 0:
		return fmt.Sprintf(
			"%s has no %s record at %s yet, and should have %s",
			e.Name,
			e.Type,
			e.Server,
			wording.Few(wanted, 4),
		), ""
	case len(wanted) == 0:
		return fmt.Sprintf("%s still has %s records at %s: %s", e.Name, e.Type, e.Server, wording.Few(values, 4)), ""
	}
	return fmt.Sprintf("%s %s is %s at %s, and should be %s", e.Name, e.Type, wording.Few(values, 4), e.Server,
		wording.Few(wanted, 4)), ""
}

func (e Expect) ttl(ctx context.Context, w World) (missing, unseen string) {
	set, err := w.Set(ctx, e.Server, e.Name, e.Type)
	bound := map[Kind]string{TTLAtMost: "at most", TTLAtLeast: "at least"}[e.Kind]
	switch {
	case err != nil:
		return "", fmt.Sprintf("%s did not answer about %s %s: %s", e.Server, e.Name, e.Type, err)
	case set == nil:
		return fmt.Sprintf("%s has no %s record at %s", e.Name, e.Type, e.Server), ""
	case e.Kind == TTLAtMost && set.TTL > e.TTL, e.Kind == TTLAtLeast && set.TTL < e.TTL:
		return fmt.Sprintf("the TTL of %s %s is %s at %s, and should be %s %s", e.Name, e.Type, wording.DurationText(set.TTL),
			e.Server, bound, wording.DurationText(e.TTL)), ""
	}
	return "", ""
}

func (e Expect) parent(ctx context.Context, w World) (missing, unseen string) {
	var servers []string
	var signed bool
	var err error
	if e.Kind == NoDS {
		signed, err = w.Signed(ctx, e.Name)
	} else {
		servers, err = w.Delegation(ctx, e.Name)
	}
	switch {
	case err != nil:
		return "", fmt.Sprintf("the parent zone of %s was not seen: %s", e.Name, err)
	case signed:
		return fmt.Sprintf("the parent zone still has a DS record of %s", e.Name), ""
	case e.Kind == Delegation && !record.SameValues(servers, e.Values):
		now := "none"
		if len(servers) > 0 {
			now = wording.Few(servers, 4)
		}
		return fmt.Sprintf("the parent zone names %s as the name servers of %s, and should name %s", now, e.Name,
			wording.Few(e.Values, 4)), ""
	}
	return "", ""
}

func (e Expect) door(ctx context.Context, w World) (missing, unseen string) {
	u, err := web.ParseURL(e.URL)
	if err != nil {
		return "", fmt.Sprintf("%s cannot be asked", e.URL)
	}
	target, _ := web.ParseURL(strings.Join(e.Values, "")) // none: what the plan says of the URL
	at, _ := netip.ParseAddr(e.Address)
	probe := cmp.Or(chain.Probe(e.Probe), chain.Root)
	c := w.Follow(ctx, chain.Entry{Ask: chain.Ask{URL: u}, Probe: probe}, at, target)
	where := ""
	if at.IsValid() {
		where = " at " + at.String()
	}
	if c.Last().Refusal == chain.Unseen {
		return "", fmt.Sprintf("%s was not seen%s: %s", e.URL, where, c.Last().Detail)
	}
	var faults []string
	for _, f := range c.Findings {
		if f.Severity == finding.Error && e.counts(f) {
			faults = append(faults, f.Says)
		}
	}
	if len(faults) > 0 {
		return e.URL + where + ": " + strings.Join(faults, " "), ""
	}
	return "", ""
}

// counts reports whether a finding speaks against what is expected: for a certificate, what keeps its door from showing
// one, wherever the door leads.
func (e Expect) counts(f finding.Finding) bool {
	if e.Kind == Door {
		return true
	}
	about := f.Code.Row().About
	return f.Hop != nil && *f.Hop == 0 && (about == "certificate" || about == "reaching")
}
