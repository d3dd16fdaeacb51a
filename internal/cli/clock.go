package cli

import (
	"os"
	"sync"
	"time"

	"upperpath.example/upperpath/internal/files"
)

// clockName is the environment variable that sets the clock: everything that has a date goes by it.
const clockName = "UPPERPATH_CLOCK"

// setClock is what the clock was set to, and when by that of the machine: it goes on from there.
// The zero value: nobody set it.
type setClock struct{ to, at time.Time }

var clockSet = sync.OnceValues(func() (setClock, error) {
	set := os.Getenv(clockName)
	if set == "" {
		return setClock{}, nil
	}
	to, err := time.Parse(time.RFC3339, set)
	if err != nil {
		return setClock{}, usage("%s=%s: expected a time such as 2026-11-01T12:00:00Z", clockName, set)
	}
	return setClock{to, time.Now()}, nil
})

// now is what the clock shows.
func now() time.Time {
	set, err := clockSet()
	if err != nil || set.at.IsZero() {
		return time.Now()
	}
	return set.to.Add(time.Since(set.at)).Local()
}

func (p *program) now() time.Time { return now() }

// inZone has all dates written in the time zone of an estate, where it names one.
func inZone(e *files.Estate) {
	if e.Zone != nil {
		time.Local = e.Zone
	}
}
