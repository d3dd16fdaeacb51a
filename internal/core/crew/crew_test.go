package crew

import (
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPanicComesToWhoeverWaits(t *testing.T) {
	var done atomic.Int64
	fault := Try(func() {
		var outer Crew
		outer.Go(func() {
			var c Crew
			for i := range 20 {
				c.Go(func() {
					if i == 7 {
						panicking()
					}
					done.Add(1)
				})
			}
			c.Wait()
		})
		outer.Wait()
	})
	require.NotNil(t, fault)
	assert.Equal(t, "seven", fault.Value)
	assert.Contains(t, string(fault.Stack), "panicking", "it says where it was")
	assert.EqualValues(t, 19, done.Load(), "the others end their work")
	var quiet Crew
	quiet.Go(func() {})
	quiet.Wait()
}

func panicking() { panic("seven") }
