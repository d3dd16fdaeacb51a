package expect

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/wording"
)

// Missing says in a sentence what is otherwise; "" where nothing is, or where it was not seen.
func (e *Expectation) Missing(s Seen) string {
	at := e.Server
	switch {
	case s.State == There || s.State == Unseen:
		return ""
	case e.AtDoor():
		var faults []string
		for _, f := range s.Faults {
			faults = append(faults, f.Says)
		}
		return e.URL + e.where() + ": " + strings.Join(faults, " ")
	case e.Kind == Zone:
		return fmt.Sprintf("%s does not hold the zone %s", at, e.Name)
	case e.Kind == NoDS:
		return fmt.Sprintf("the parent zone still has a DS record of %s", e.Name)
	case e.Kind == Delegation:
		now := "none"
		if len(s.Values) > 0 {
			now = named(s.Values)
		}
		return fmt.Sprintf("the parent zone names %s as the name servers of %s, and should name %s", now,
			e.Name,
			named(e.Values))
	case e.Kind == TTLAtMost || e.Kind == TTLAtLeast:
		if s.State == Nothing {
			return fmt.Sprintf("%s has no %s record at %s", e.Name, e.Type, at)
		}
		return fmt.Sprintf("the TTL of %s %s is %s at %s, and should be %s %s", e.Name, e.Type,
			wording.DurationText(s.TTL), at, either(e.Kind == TTLAtMost, "at most", "at least"),
			wording.DurationText(e.TTL))
	case e.Alias && s.State == Nothing:
		return fmt.Sprintf("%s has no %s record at %s yet", e.Name, e.Type, at)
	case e.Alias || len(e.Values) == 0:
		return fmt.Sprintf("%s still has %s records at %s: %s", e.Name, e.Type, at,
			wording.Few(s.Values, 4))
	case s.State == Nothing:
		return fmt.Sprintf("%s has no %s record at %s yet, and should have %s", e.Name, e.Type, at,
			wording.Few(e.Values, 4))
	}
	return fmt.Sprintf("%s %s is %s at %s, and should be %s", e.Name, e.Type, wording.Few(s.Values, 4),
		at,
		wording.Few(e.Values, 4))
}

// Unanswered says in a sentence that it was not seen, and why; "" where it was.
func (e *Expectation) Unanswered(s Seen) string {
	switch {
	case s.State != Unseen:
		return ""
	case e.AtDoor():
		return fmt.Sprintf("%s was not seen%s: %s", e.URL, e.where(), s.Why)
	case e.AtParent():
		return fmt.Sprintf("the parent zone of %s was not seen: %s", e.Name, s.Why)
	case e.Kind == Zone:
		return fmt.Sprintf("%s did not answer for %s: %s", e.Server, e.Name, s.Why)
	}
	return fmt.Sprintf("%s did not answer about %s %s: %s", e.Server, e.Name, e.Type, s.Why)
}

func (e *Expectation) where() string {
	if e.Address == "" {
		return ""
	}
	return " at " + e.Address
}

// named gives name servers as people write them.
func named(servers []string) string {
	all := make([]string, len(servers))
	for i, s := range servers {
		all[i] = strings.TrimSuffix(s, ".")
	}
	return wording.Few(all, 4)
}

// Wanted says in a few words what has to be there.
func (e *Expectation) Wanted() string {
	switch {
	case e.Kind == Certificate:
		return "a certificate for " + e.Host()
	case e.AtDoor() && e.Values[0] == e.URL:
		return "the page itself"
	case e.AtDoor():
		return e.Values[0]
	case e.Alias:
		return "the addresses of " + first(e.Values)
	case len(e.Values) == 0:
		return "nothing"
	case e.Holds != "" && e.Holds != e.Type:
		return e.Holds + " " + few(e.Values)
	}
	return few(e.Values)
}

// Found says in a few words what is there.
func (e *Expectation) Found(s Seen) string {
	switch {
	case s.State == Unseen:
		return s.Why
	case len(s.Values) == 0:
		return "nothing"
	case s.Type != e.asksFor():
		return s.Type + " " + few(s.Values)
	}
	return few(s.Values)
}

func first(values []string) string {
	if len(values) == 0 {
		return ""
	}
	return strings.TrimSuffix(values[0], ".")
}

func few(values []string) string { return wording.Few(values, 3) }
