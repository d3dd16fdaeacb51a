package old_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"upperpath.example/upperpath/internal/core/old"
)

func TestTrackingParametersSayNothingAboutThePage(t *testing.T) {
	for query, kept := range map[string]string{
		"": "", "utm_source=x": "", "page=2&utm_source=x&UTM_Medium=y": "page=2",
		"fbclid=abc&id=7": "id=7", "gclid": "",
		"a=1&&b=2": "a=1&&b=2", "utm=1": "utm=1", "id=utm_x": "id=utm_x",
		"gad_source=1&q=a%20b": "q=a%20b",
	} {
		got, some := old.WithoutTracking(query)
		assert.Equal(t, kept, got, query)
		assert.Equal(t, kept != query, some, query)
	}
}
