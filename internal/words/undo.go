package words

import (
	"fmt"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
)

// UndoRow says what is typed to take something back, as a line.
func UndoRow(r world.Row) string {
	if !r.IsRecord() {
		return undoEntry(r)
	}
	value := r.Value
	if r.Type == "TXT" && value != "" {
		if full, err := record.Value(r.Type, value); err == nil {
			value = full
		}
	}
	return RecordRow(act.Action(r.Do), r.Label, r.Type, r.Was, value, r.TTL)
}

// RecordRow says what is typed of a record, as a line: from what stands there to a value.
func RecordRow(do act.Action, label, kind, was, value string, ttl int) string {
	if kind == record.Alias {
		kind = "ALIAS"
	}
	switch do {
	case act.Remove:
		return fmt.Sprintf("remove   %s %s %s", label, kind, was)
	case act.Replace:
		return fmt.Sprintf("replace  %s %s %s by %s TTL %d", label, kind, was, value, ttl)
	case act.Add:
		return fmt.Sprintf("add      %s %s %s TTL %d", label, kind, value, ttl)
	case act.Lower, act.Raise:
		return fmt.Sprintf("set      %s %s %s TTL %d", label, kind, value, ttl)
	}
	return ""
}

func undoEntry(r world.Row) string {
	box := func(name string) string {
		for _, f := range r.Fields {
			if f.Name == name {
				return f.Value
			}
		}
		return ""
	}
	switch r.Kind {
	case world.Forward:
		if r.Do == world.Remove {
			return "delete the forwarding of " + box(world.FieldFrom)
		}
		if box(world.FieldTo) == "" {
			return "forward " + box(world.FieldFrom) + " as its page did before"
		}
		return fmt.Sprintf("forward %s to %s (%s), with the options that its page had before",
			box(world.FieldFrom), box(world.FieldTo), box(world.FieldKind))
	case world.SourceEntry:
		return "delete the redirect of " + box(world.FieldSource)
	case world.DoorEntry:
		return "delete the redirect of " + box(world.FieldFrom)
	case world.HostEntry:
		return "give up the host " + box(world.FieldHost)
	case world.Pattern:
		return "delete the pattern " + box(world.FieldPattern)
	case world.ZoneEntry:
		return "delete the zone " + box(world.FieldZone) + ", or leave it: nobody asks there"
	case world.OriginEntry:
		return "delete what says how the origin of " + r.Domain + " is reached"
	case world.Primary:
		return fmt.Sprintf("no longer redirect %s to %s", box(world.FieldRedirected),
			box(world.FieldPrimary))
	case world.Config:
		return "put back the configuration that was there before, and reload the server"
	case world.DSEntry:
		return fmt.Sprintf("publish the DS record of %s again: %s", r.Domain, box(world.FieldDS))
	case world.NameServers:
		var servers []string
		for _, f := range r.Fields {
			servers = append(servers, f.Value)
		}
		return fmt.Sprintf("set the name servers of %s to %s", r.Domain, wording.And(servers))
	}
	return string(r.Do) + " " + string(r.Kind)
}

// Undo says how a step is taken back at a place with some rows, and what that costs right after it:
// for how long some still meet what was there in between, in seconds, whether browsers keep what
// they have met, and what breaks.
func Undo(kind act.StepKind, rows, lasts int, keeps bool, breaks []finding.Finding) string {
	if rows == 0 {
		switch kind {
		case act.GetCertificates, act.CertifyNew, act.IssueCertificates:
			return "There is nothing to undo: a certificate that nobody is shown does no harm."
		case act.CopyZones, act.CreateZones:
			return "Delete the zone there, or leave it: nobody asks these name servers yet."
		case act.SignAnew:
			return "Remove the DS record at the registrar, and wait for its TTL before the keys go."
		}
		return ""
	}
	text := fmt.Sprintf("Type these %d rows, in this order.", rows)
	if rows == 1 {
		text = "Type this."
	}
	if lasts > 0 {
		text += fmt.Sprintf(" Some still meet what was there in between for up to %s.",
			wording.DurationUp(lasts))
	}
	if keeps {
		text += " Browsers keep the permanent redirects that they have met."
	}
	if n := finding.Count(breaks, finding.Error); n > 0 {
		text += fmt.Sprintf(" Meanwhile %s for those who hold older answers: %s.",
			breaksSomething(n), breaks[0].Code)
	}
	return text
}

func breaksSomething(n int) string {
	if n == 1 {
		return "1 thing breaks"
	}
	return fmt.Sprintf("%d things break", n)
}

// UndoRows says what is typed to take something back, zone by zone, a line a row. shown gives a
// domain as people read it.
func UndoRows(rows []world.Row, shown func(domain string) string) []string {
	var all []string
	zone := ""
	for _, r := range rows {
		if r.IsRecord() && r.Zone != zone {
			zone = r.Zone
			all = append(all, "in the zone "+shown(zone)+":")
		}
		line := UndoRow(r)
		if r.IsRecord() {
			line = "  " + line
		}
		all = append(all, strings.TrimRight(line, " "))
	}
	return all
}
