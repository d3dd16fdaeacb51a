package cutover

import (
	"os"
	"runtime/debug"
	"testing"
)

// TestMain has rubbish collected less often: there is much of it, and little at a time.
func TestMain(m *testing.M) {
	debug.SetGCPercent(400)
	os.Exit(m.Run())
}
