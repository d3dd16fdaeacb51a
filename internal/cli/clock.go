package cli

import (
	"os"
	"sync"
	"time"
)

// clockName is the environment variable that sets the clock: everything that has a date goes by it.
const clockName = "UPPERPATH_CLOCK"

// ahead is how far the clock is ahead of that of the machine. It is taken once, so that the clock goes on.
var ahead = sync.OnceValues(func() (time.Duration, error) {
	set := os.Getenv(clockName)
	if set == "" {
		return 0, nil
	}
	at, err := time.Parse(time.RFC3339, set)
	if err != nil {
		return 0, usage("%s=%s: expected a time such as 2026-11-01T12:00:00Z", clockName, set)
	}
	return time.Until(at), nil
})

// now is what the clock shows.
func now() time.Time {
	by, err := ahead()
	if err != nil || by == 0 {
		return time.Now()
	}
	return time.Now().Add(by)
}

func (p *program) now() time.Time { return now() }
