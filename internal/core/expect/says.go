package expect

import (
	"strings"

	"upperpath.example/upperpath/internal/core/fact"
)

// Missing tells what is otherwise; nil where nothing is, or where it was not seen.
func (e *Expectation) Missing(s Seen) fact.Facts {
	name, kind, at := e.Name, e.Type, e.Server
	switch {
	case s.State == There || s.State == Unseen:
		return nil
	case e.AtDoor():
		var faults []fact.Facts
		for _, f := range s.Faults {
			faults = append(faults, f.Facts())
		}
		return fact.DoorFaults{URL: e.URL, Address: e.Address, Faults: faults}
	case e.Kind == Zone:
		return fact.ZoneNotHeld{Server: at, Zone: name}
	case e.Kind == NoDS:
		return fact.DSStill{Domain: name}
	case e.Kind == Delegation:
		return fact.Delegated{Domain: name, Now: undotted(s.Values), Wanted: undotted(e.Values)}
	case (e.Kind == TTLAtMost || e.Kind == TTLAtLeast) && s.State == Nothing:
		return fact.NoTTL{Name: name, Type: kind, Server: at}
	case e.Kind == TTLAtMost:
		return fact.TTLHigh{Name: name, Type: kind, Server: at, TTL: s.TTL, Most: e.TTL}
	case e.Kind == TTLAtLeast:
		return fact.TTLLow{Name: name, Type: kind, Server: at, TTL: s.TTL, Least: e.TTL}
	case e.Alias && s.State == Nothing:
		return fact.NoRecordYet{Name: name, Type: kind, Server: at}
	case e.Alias || len(e.Values) == 0:
		return fact.StillThere{Name: name, Type: kind, Server: at, Values: s.Values}
	case s.State == Nothing:
		return fact.NotYet{Name: name, Type: kind, Server: at, Wanted: e.Values}
	}
	return fact.Differs{Name: name, Type: kind, Server: at, Values: s.Values, Wanted: e.Values}
}

// Unanswered tells that it was not seen, and why; nil where it was.
func (e *Expectation) Unanswered(s Seen) fact.Facts {
	why := fact.Kept{Says: s.Why}
	switch {
	case s.State != Unseen:
		return nil
	case e.AtDoor():
		return fact.DoorUnseen{URL: e.URL, Address: e.Address, Why: why}
	case e.AtParent():
		return fact.ParentUnseen{Domain: e.Name, Why: why}
	case e.Kind == Zone:
		return fact.ZoneUnanswered{Server: e.Server, Zone: e.Name, Why: why}
	}
	return fact.RecordUnanswered{Server: e.Server, Name: e.Name, Type: e.Type, Why: why}
}

// undotted gives names without their last dots.
func undotted(names []string) []string {
	all := make([]string, len(names))
	for i, s := range names {
		all[i] = strings.TrimSuffix(s, ".")
	}
	return all
}

// Wanted tells what has to be there, in a few words.
func (e *Expectation) Wanted() fact.Facts {
	switch {
	case e.Kind == Certificate:
		return fact.WantCertificate{Host: e.Host()}
	case e.AtDoor() && e.Values[0] == e.URL:
		return fact.WantPage{}
	case e.AtDoor():
		return fact.These{Values: e.Values[:1]}
	case e.Alias:
		return fact.WantAddresses{Target: first(e.Values)}
	case len(e.Values) == 0:
		return fact.Nothing{}
	case e.Holds != "" && e.Holds != e.Type:
		return fact.These{Type: e.Holds, Values: e.Values}
	}
	return fact.These{Values: e.Values}
}

// Found tells what is there, in a few words.
func (e *Expectation) Found(s Seen) fact.Facts {
	switch {
	case s.State == Unseen:
		return fact.Kept{Says: s.Why}
	case len(s.Values) == 0:
		return fact.Nothing{}
	case s.Type != e.asksFor():
		return fact.These{Type: s.Type, Values: s.Values}
	}
	return fact.These{Values: s.Values}
}

func first(values []string) string {
	if len(values) == 0 {
		return ""
	}
	return strings.TrimSuffix(values[0], ".")
}
