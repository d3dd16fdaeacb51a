package cli

import (
	"bytes"
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPanicIsOneSentenceAndAFileWithoutSecrets(t *testing.T) {
	t.Setenv("TMPDIR", t.TempDir())
	for name, run := range map[string]func() int{
		"a text":  func() int { panic("the key is s3cret") },
		"a value": func() int { panic(struct{ key string }{"s3cret"}) },
		"nil":     func() int { return len(*(*string)(nil)) },
	} {
		var said bytes.Buffer
		p := program{err: &outlet{to: &said}}
		assert.Equal(t, 3, p.guarded(run), name)
		assert.NotContains(t, said.String(), "s3cret", name)
		assert.Equal(t, 1, bytes.Count(said.Bytes(), []byte("\n")), "%s: %s", name, said.String())
		path := regexp.MustCompile(`send us (\S+),`).FindStringSubmatch(said.String())
		require.NotNil(t, path, name)
		text, err := os.ReadFile(path[1])
		require.NoError(t, err)
		assert.Contains(t, string(text), "TestAPanicIsOneSentence", "it says where it was")
		assert.NotContains(t, string(text), "s3cret", name)
	}
	assert.Equal(t, 1, (&program{}).guarded(func() int { return 1 }))
}
