package crew

import "sync/atomic"

// Each does a work for each of n, several at a time, and waits for all of it. It panics with a
// *Fault where any panicked.
func Each(n int, work func(i int)) {
	const workers, most = 4, 256 // of how many one worker takes at once
	var next atomic.Int64
	var all Crew
	for range workers {
		all.Go(func() {
			for {
				end := int(next.Add(most))
				for i := end - most; i < min(end, n); i++ {
					work(i)
				}
				if end >= n {
					return
				}
			}
		})
	}
	all.Wait()
}
