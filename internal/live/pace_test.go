package live

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/web"
)

// TestAPauseThatIsAskedForIsKeptBetweenAllQuestions looks at when questions may begin, and waits
// for none.
func TestAPauseThatIsAskedForIsKeptBetweenAllQuestions(t *testing.T) {
	w, err := New(Vantage{Rate: 1000})
	require.NoError(t, err)
	defer w.Close()
	h := web.MustParseHost("old.example")
	ended, end := context.WithCancel(context.Background())
	end()
	before := time.Now()
	w.space(h, time.Hour)
	for i := range 3 {
		assert.False(t, w.pace(ended, w.hosts[h]), "it would have to wait")
		assert.GreaterOrEqual(t, w.hosts[h].free.Sub(before), time.Duration(i+2)*time.Hour)
	}
	_, ok := w.await(context.Background(), web.MustParseHost("other.example"))
	assert.True(t, ok, "others are asked")
}
