package finding

import (
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/web"
)

// Acceptance says that somebody has looked at something and lives with it until a date, on which it
// comes back. What is accepted is a value: of a change, what it changed to; of a finding, the fault
// that its code names.
type Acceptance struct {
	Code    string    `json:"code"`    // of a finding, or of a change
	Subject string    `json:"subject"` // a domain or host stands for all below it
	Values  []string  `json:"values,omitempty"`
	Until   time.Time `json:"until"`
	Why     string    `json:"why"`
	Given   time.Time `json:"given,omitzero"` // when, where somebody noted it
}

// Over reports whether its date has come.
func (a *Acceptance) Over(now time.Time) bool { return !now.Before(a.Until) }

// Covers reports whether it is about a finding of a code and subject.
func (a *Acceptance) Covers(code, subject string) bool {
	if a.Code != code {
		return false
	}
	if a.Subject == subject {
		return true
	}
	if strings.ContainsAny(a.Subject, " /:") {
		return strings.TrimSuffix(a.Subject, "/") == strings.TrimSuffix(subject, "/")
	}
	host := HostOf(subject)
	return host == a.Subject || strings.HasSuffix(host, "."+a.Subject)
}

// HostOf gives the name that a subject is about: a URL, a record set or a name.
func HostOf(subject string) string {
	name, _, _ := strings.Cut(strings.TrimPrefix(subject, "POST "), " ")
	if _, rest, isURL := strings.Cut(name, "://"); isURL {
		name, _, _ = strings.Cut(rest, "/")
	}
	if at := strings.LastIndexByte(name, ':'); at > strings.LastIndexByte(name, ']') {
		name = name[:at]
	}
	return strings.TrimSuffix(name, ".")
}

// DomainOf gives the domain that a subject is about; "" where it names none.
func DomainOf(subject string) string {
	name := HostOf(subject)
	if !strings.Contains(name, ".") {
		return ""
	}
	h, err := web.ParseObservedHost(name)
	if err != nil {
		return name
	}
	return h.Domain().String()
}

// changes are what differs from one day to another, without being a fault by itself.
var changes = []string{"record-changed", "delegation-changed", "certificate-changed",
	"registration-changed", "redirect-changed", "page-changed"}

// Changes gives what changes are called.
func Changes() []string { return slices.Clone(changes) }

// IsChange reports whether something is what a change is called.
func IsChange(code string) bool { return slices.Contains(changes, code) }

// AllNames gives the names of all codes.
func AllNames() []string {
	var all []string
	for _, k := range Rows() {
		all = append(all, k.Name)
	}
	return all
}

// Accepted is what somebody lives with, as a finding has it.
type Accepted struct {
	Until time.Time `json:"until"`
	Why   string    `json:"why"`
	Over  bool      `json:"over,omitempty"` // its date has come: it counts again
}

// Open reports whether a finding counts: nobody lives with it, or the date has come.
func (f *Finding) Open() bool { return f.Accepted == nil || f.Accepted.Over }

// Accept marks the findings that somebody lives with at a time. Of a finding that many entries
// meet, all of them have to be accepted, unless its subject is.
func Accept(all []Finding, lived []Acceptance, now time.Time) []Finding {
	if len(lived) == 0 {
		return all
	}
	made := slices.Clone(all)
	for i := range made {
		made[i] = made[i].AcceptedBy(lived, now)
	}
	return made
}

// AcceptedBy does the same with one.
func (f Finding) AcceptedBy(lived []Acceptance, now time.Time) Finding {
	code := f.Code.String()
	var by *Acceptance
	for i := range lived {
		if lived[i].Covers(code, f.Subject) {
			by = &lived[i]
			break
		}
	}
	if by == nil && f.Entry != "" {
		by = byEntries(&f, lived)
	}
	if by != nil {
		f.Accepted = &Accepted{Until: by.Until, Why: by.Why, Over: by.Over(now)}
	}
	return f
}

// byEntries gives what accepts every entry that meets a finding; nil where one is left.
func byEntries(f *Finding, lived []Acceptance) *Acceptance {
	entries := f.Entries
	if len(entries) == 0 {
		entries = []string{f.Entry}
	}
	var by *Acceptance
	for _, e := range entries {
		at := slices.IndexFunc(lived, func(a Acceptance) bool {
			return a.Covers(f.Code.String(), e)
		})
		if at < 0 {
			return nil
		}
		if by == nil || lived[at].Until.Before(by.Until) {
			by = &lived[at]
		}
	}
	return by
}

// Opened gives the findings that count, and those that somebody lives with.
func Opened(all []Finding) (open, lived []Finding) {
	for _, f := range all {
		if f.Open() {
			open = append(open, f)
		} else {
			lived = append(lived, f)
		}
	}
	return open, lived
}
