package live

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"upperpath.example/upperpath/internal/core/chain"
)

// sockets counts the sockets that are open, and opens fewer at once where this machine gives no
// more: that is no fault of whoever is asked. It is safe for many goroutines.
type sockets struct {
	patience time.Duration // how long to wait for one
	relieve  func()        // closes what only waits for another question

	lock   sync.Mutex
	open   int
	most   int           // 0: no bound was met
	bound  int           // that the system sets from the start
	given  int           // since the bound was met last
	freed  chan struct{} // closed when one is given back
	scarce string        // why the machine gave no more; "" where it always did
	least  int           // that were open when it gave no more
	last   error         // with which it gave no more
}

// newSockets makes one that waits so long, and opens no more than most at once; 0: as many as the
// machine gives.
func newSockets(patience time.Duration, most int) *sockets {
	return &sockets{patience: patience, relieve: func() {}, most: most,
		bound: cmp.Or(most, math.MaxInt)}
}

// What this machine says when it has no more to give: descriptors, ports, memory for sockets. The
// numbers are those of Windows (WSAEMFILE, WSAEADDRNOTAVAIL, WSAENOBUFS).
var shortages = []struct {
	codes []syscall.Errno
	says  string
}{
	{[]syscall.Errno{syscall.EMFILE, syscall.ENFILE, 10024}, "too many open files"},
	{[]syscall.Errno{syscall.EADDRNOTAVAIL, syscall.EADDRINUSE, syscall.EAGAIN, 10049},
		"no local ports are left"},
	{[]syscall.Errno{syscall.ENOBUFS, syscall.ENOMEM, 10055}, "no memory is left for connections"},
	{[]syscall.Errno{syscall.EPERM, syscall.EACCES, 10013}, "it does not let this program connect"},
}

// shortage gives why an error is one of this machine, and whether waiting may help; "" where it is
// none.
func shortage(err error) (says string, passes bool) {
	for i, s := range shortages {
		if slices.ContainsFunc(s.codes, func(code syscall.Errno) bool { return errors.Is(err, code) }) {
			return s.says, i < len(shortages)-1
		}
	}
	// Go's own resolver hands on the text alone.
	if err != nil && strings.HasSuffix(err.Error(), syscall.EMFILE.Error()) {
		return shortages[0].says, true
	}
	return "", false
}

// ofOurs gives the refusal for an error of this machine; nil where it is none.
func ofOurs(err error) *refusal {
	if says, _ := shortage(err); says != "" {
		return &refusal{chain.Unseen, fmt.Sprintf("this machine opens no connection: %s", says)}
	}
	return nil
}

// isUnseen reports whether an error says that something could not be seen for a reason of our own.
func isUnseen(err error) bool {
	var why *refusal
	return errors.As(err, &why) && why.kind == chain.Unseen
}

// holding opens a socket, and waits where the machine has none to give until one is free: as long
// as others are given back, and so long after that as patience lasts. Whoever gets one has to leave
// it.
func holding[T any](ctx context.Context, s *sockets, open func() (T, error)) (T, error) {
	var none T
	since := time.Now()
	for pause := 10 * time.Millisecond; ; pause = min(2*pause, 500*time.Millisecond) {
		if err := s.enter(ctx, &since); err != nil {
			return none, err
		}
		c, err := open()
		if err == nil {
			return c, nil
		}
		s.leave()
		says, passes := shortage(err)
		if says == "" {
			return none, err
		}
		freed := s.ranOut(says, err)
		if !passes || time.Since(since)+pause > s.patience {
			return none, err
		}
		select {
		case <-freed:
			since = time.Now()
		case <-time.After(pause): // others hold what this machine has, too
		case <-ctx.Done():
			return none, s.overtime(ctx)
		}
	}
}

// enter waits until one more may be open. since is when one was given back last.
func (s *sockets) enter(ctx context.Context, since *time.Time) error {
	for {
		s.lock.Lock()
		if s.most == 0 || s.open < s.most {
			s.open++
			// it may give more by now
			if s.given++; s.last != nil && s.most < s.bound && s.given > 8*s.most {
				s.most, s.given = s.most+1, 0
			}
			s.lock.Unlock()
			return nil
		}
		if s.scarce == "" { // it is about to
			s.scarce, s.least, s.last = shortages[0].says, s.most, syscall.EMFILE
		}
		freed, last := s.wakes(), s.last
		s.lock.Unlock()
		s.relieve()
		left := s.patience - time.Since(*since)
		if left <= 0 {
			return last
		}
		timer := time.NewTimer(left)
		select {
		case <-freed:
			*since = time.Now()
		case <-timer.C:
		case <-ctx.Done():
		}
		timer.Stop()
		if ctx.Err() != nil {
			return s.overtime(ctx)
		}
	}
}

// overtime is why there is none, where the time for it ended in waiting: the shortage is to blame,
// and not whoever would have been asked.
func (s *sockets) overtime(ctx context.Context) error {
	s.lock.Lock()
	defer s.lock.Unlock()
	if errors.Is(ctx.Err(), context.DeadlineExceeded) && s.last != nil {
		return s.last
	}
	return ctx.Err()
}

func (s *sockets) wakes() chan struct{} {
	if s.freed == nil {
		s.freed = make(chan struct{})
	}
	return s.freed
}

// leave gives one back.
func (s *sockets) leave() {
	s.lock.Lock()
	defer s.lock.Unlock()
	s.open--
	if s.freed != nil {
		close(s.freed)
		s.freed = nil
	}
}

// fewestSockets is how many may be open at least: some work needs two at once.
const fewestSockets = 2

// ranOut notes that the machine gives no more than are open now, and returns what is closed when
// one is given back.
func (s *sockets) ranOut(says string, err error) chan struct{} {
	s.relieve()
	s.lock.Lock()
	defer s.lock.Unlock()
	s.most, s.given, s.last = max(fewestSockets, min(s.open, cmp.Or(s.most, s.open))), 0, err
	if s.scarce == "" || s.most < s.least {
		s.scarce, s.least = says, s.most
	}
	return s.wakes()
}

// note says that fewer connections were open at once than were wanted, "" where that is not so.
func (s *sockets) note() string {
	s.lock.Lock()
	defer s.lock.Unlock()
	if s.scarce == "" {
		return ""
	}
	return fmt.Sprintf("This machine opened no more than %d connections at once (%s), so fewer "+
		"requests ran in parallel. What could not be asked for that reason counts as unseen.", s.least,
		s.scarce)
}
