package recheck

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/finding"
)

// sight is what somebody could see on a day: whether a finding that is not there could have been
// found. It is asked of both days: what could not be found before is not new, and what cannot be
// found now is not mended.
type sight struct {
	state    *State
	asked    map[string]bool // entries that were followed
	unseen   map[string]bool // entries that nobody could follow
	hidden   map[string]bool // of those that were followed, those of which nobody saw the end
	dark     map[string]bool // domains of which no name server answered
	missed   map[string]bool // names of record sets about which nobody answered
	domains  map[string]bool
	answered map[string]bool // doors, and hosts
	pages    map[string]bool
}

func set(all []string) map[string]bool {
	made := make(map[string]bool, len(all))
	for _, one := range all {
		made[one] = true
	}
	return made
}

func sightOf(s *State) *sight {
	v := &sight{state: s, asked: set(s.Beside), unseen: map[string]bool{}, hidden: map[string]bool{},
		dark: map[string]bool{}, missed: map[string]bool{}, domains: set(s.Domains),
		answered: set(s.Answered), pages: set(s.Pages)}
	for _, door := range s.Answered {
		v.answered[hostOf(door)] = true
	}
	for i := range s.Facts {
		if s.Facts[i].Kind == Redirect {
			v.asked[s.Facts[i].Subject] = true
		}
	}
	for _, h := range s.Hidden {
		v.hidden[h.Entry] = true
	}
	for _, g := range s.Gaps {
		switch {
		case g.Subject == "":
			v.dark[g.Domain] = true
		case strings.Contains(g.Subject, "://"):
			v.unseen[g.Subject] = true
		default:
			v.missed[g.Subject] = true
		}
	}
	return v
}

// looked reports whether a fact that is no finding could have been seen.
func (v *sight) looked(f *Fact) bool {
	switch f.Kind {
	case Redirect:
		return v.asked[f.Subject]
	case Certificate:
		return v.answered[f.Subject]
	case Page:
		return v.asked[f.Subject] && !v.hidden[f.Subject]
	}
	return f.Domain == "" || v.domains[f.Domain]
}

// about gives the chapter of a code, and whether it is about a place at which chains come by: that
// is judged by whoever comes by.
func about(code string) (chapter string, place bool) {
	c, _ := finding.Named(code)
	chapter = c.Row().About
	place = chapter == "certificate" || chapter == "reaching" || chapter == "memory" ||
		chapter == "content" || c == finding.DeadEnd
	return chapter, place
}

// entriesOf gives the entries by which a finding of a chain is met.
func (v *sight) entriesOf(f *Fact) []string {
	if len(f.Entries) > 0 {
		return f.Entries
	}
	if !strings.Contains(f.Subject, "://") {
		return nil
	}
	_, rest, _ := strings.Cut(f.Subject, "://")
	if _, path, deep := strings.Cut(rest, "/"); deep && path != "" {
		return []string{f.Subject}
	}
	return []string{strings.TrimSuffix(f.Subject, "/") + "/"}
}

// judged reports whether a finding that is not there could have been found. One entry that shows it
// is enough for that it could have been (once); that it is mended takes all that met it.
func (v *sight) judged(f *Fact, once bool) bool {
	if v.state.plan {
		return f.Domain == "" && !v.state.Part || v.domains[f.Domain]
	}
	chapter, place := about(f.Code)
	entries := v.entriesOf(f)
	if len(entries) == 0 {
		return v.records(f, chapter)
	}
	if place && v.passed(f, chapter) {
		return true
	}
	asked, sound := 0, 0
	for _, e := range entries {
		switch {
		case v.unseen[e]:
			asked++
		case v.asked[e]:
			asked++
			if !v.hidden[e] {
				sound++
			}
		}
	}
	if once {
		return sound > 0
	}
	return asked > 0 && sound == asked
}

// passed reports whether somebody came by where a finding is.
func (v *sight) passed(f *Fact, chapter string) bool {
	if chapter == "content" || f.Code == finding.DeadEnd.String() {
		return v.pages[f.Subject]
	}
	door := strings.TrimSuffix(f.Subject, "/")
	if chapter == "memory" && !strings.Contains(door, "://") {
		door = "https://" + door
	}
	return v.answered[door]
}

// records reports whether what is said of records, mail or registrations could have been found.
func (v *sight) records(f *Fact, chapter string) bool {
	switch {
	case f.Domain != "" && !v.domains[f.Domain], v.state.Part && f.Domain == "":
		return false
	case chapter == "registration":
		for _, what := range []string{" registration", " registrar", " status"} {
			if v.missed[f.Domain+what] {
				return false
			}
		}
		return true
	case v.dark[f.Domain]:
		return false
	case v.state.Part: // what shows it may lie in a domain that was not looked at
		return false
	}
	switch code, _ := finding.Named(f.Code); code {
	case finding.StaleDS, finding.SignatureExpired:
		return !v.missed[f.Domain+" DS"]
	case finding.ZoneDiffers, finding.SplitAnswers, finding.AliasConflict:
		return !slices.Contains(v.state.Silent, f.Domain)
	}
	own := []string{" registration", " registrar", " status", " delegation", " DS"}
	for m := range v.missed {
		if finding.DomainOf(m) == f.Domain && !slices.ContainsFunc(own, func(end string) bool {
			return strings.HasSuffix(m, end)
		}) {
			return false
		}
	}
	return true
}

// hides reports whether something stands in front of what a finding is about, so that nobody can
// say whether it is mended; else nobody looked.
func (v *sight) hides(f *Fact) bool {
	for _, e := range v.entriesOf(f) {
		if v.hidden[e] {
			return true
		}
	}
	return false
}
