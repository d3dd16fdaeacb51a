// Package crew runs work side by side, and brings a panic in it to whoever waits for it: left to
// itself it would end the whole program there and then, and what other work had seen would be lost.
//
//	var all crew.Crew
//	all.Go(func() { ... })
//	all.Wait()
package crew

import (
	"runtime/debug"
	"sync"
)

// Crew is sync.WaitGroup whose Wait panics where any of its work did. The zero value is ready.
type Crew struct {
	group sync.WaitGroup
	once  sync.Once
	fault *Fault
}

// Fault is a panic that happened elsewhere: its value, and the stack of where it was.
type Fault struct {
	Value any
	Stack []byte
}

// Go starts a work.
func (c *Crew) Go(work func()) {
	c.group.Go(func() {
		if fault := Try(work); fault != nil {
			c.once.Do(func() { c.fault = fault })
		}
	})
}

// Wait waits for all of the work. It panics with a *Fault where any panicked.
func (c *Crew) Wait() {
	c.group.Wait()
	if c.fault != nil {
		panic(c.fault)
	}
}

// Try does a work, and returns the fault where it panicked.
func Try(work func()) (fault *Fault) {
	defer func() {
		switch value := recover().(type) {
		case nil:
		case *Fault:
			fault = value // from further away
		default:
			fault = &Fault{value, debug.Stack()}
		}
	}()
	work()
	return nil
}
