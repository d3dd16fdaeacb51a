package servers

import (
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/predict"
)

// broken makes a writer whose file the server does not take.
func broken(w Writer, name, text string) Writer {
	w.write = func(predictedDoors, Options) (Output, error) {
		return Output{Files: []File{{Name: name, Text: []byte(text)}}}, nil
	}
	return w
}

func TestServersRefuseWhatTheyCannotRead(t *testing.T) {
	for _, c := range []struct {
		w                  Writer
		form, name, good   string
		odd, warns         string
		bad, says, hasNone string
	}{
		{nginxWriter, "", "nginx.conf", "server { listen 127.0.0.1:48080; }",
			strings.Repeat("server { listen 127.0.0.1:48080; server_name a.example; }\n", 2),
			"conflicting server name",
			"server { lisen 80; }", `"lisen"`, "/tmp"},
		{apacheWriter, "", "apache.conf", "RewriteEngine on\n",
			"Alias /a /srv/a\nAlias /a/b /srv/b\n", "probably never match",
			"RewriteRule ^ \"/a\"b\" [L]\n", "RewriteRule", "/tmp"},
		{apacheWriter, htaccess, ".htaccess", "RewriteEngine on\nRewriteRule ^a /b [R=301,L]\n", "", "",
			"RewriteRule ^a /b [R=301,X]\n", "flag", "/tmp"},
	} {
		t.Run(c.w.Name+c.form, func(t *testing.T) {
			if c.w.Checker.find() == "" {
				if os.Getenv("CI") == "true" && os.Getenv("PEERS") != "skip" {
					t.Fatalf("%s is not on this machine, and CI has to have it", c.w.Checker.Names[0])
				}
				t.Skipf("SKIPPED, NOT TESTED: %s is not on this machine", c.w.Checker.Names[0])
			}
			t.Setenv("TMPDIR", t.TempDir())
			said, err := broken(c.w, c.name, c.good).Check(context.Background(), nil, Options{Form: c.form})
			require.NoError(t, err)
			assert.Empty(t, said.Refused)
			assert.Empty(t, said.Warned)
			assert.Contains(t, said.By, c.w.Checker.Names[0])
			if c.odd != "" {
				said, err = broken(c.w, c.name, c.odd).Check(context.Background(), nil, Options{Form: c.form})
				require.NoError(t, err)
				assert.Empty(t, said.Refused)
				assert.Contains(t, said.Warned, c.warns)
				assert.NotContains(t, said.Warned, c.hasNone)
			}
			said, err = broken(c.w, c.name, c.bad).Check(context.Background(), []predict.Treatment{},
				Options{Form: c.form})
			require.NoError(t, err)
			assert.Contains(t, said.Refused, c.says)
			assert.NotContains(t, said.Refused, c.hasNone, "nobody needs to read of a folder that is gone")
			left, err := filepath.Glob(filepath.Join(os.TempDir(), "upperpath-check-*"))
			require.NoError(t, err)
			assert.Empty(t, left)
		})
	}
}

func TestAServerThatIsNotThereIsSaid(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("a script stands in for the server")
	}
	script := func(t *testing.T, text string) string {
		dir := t.TempDir()
		require.NoError(t,
			os.WriteFile(filepath.Join(dir, "upperpath-no-server"), []byte("#!/bin/sh\n"+text), 0o755))
		return dir
	}
	w := broken(nginxWriter, "nginx.conf", "nonsense")
	w.Checker.Names = []string{"upperpath-no-server"}
	for text, why := range map[string]string{
		"":                                     "is not on this machine",
		"echo nginx version: nginx/1":          "does not say which version",
		"echo nginx version: nginx/1.18.0 >&2": "is 1.18.0, older",
		"exit 3":                               "does not say which version",
	} {
		dir := t.TempDir()
		if text != "" {
			dir = script(t, text)
		}
		t.Setenv("PATH", dir)
		said, err := w.Check(context.Background(), nil, Options{})
		require.NoError(t, err)
		assert.Empty(t, said.By)
		assert.Contains(t, said.Why, why, text)
	}
}

// TestEveryServerOfTheEstateFileHasAWriter holds the two tables against each other.
func TestEveryServerOfTheEstateFileHasAWriter(t *testing.T) {
	var names []string
	for _, w := range Writers() {
		assert.NotEmpty(t, w.Title, w.Name)
		assert.NotEmpty(t, w.Checker.Names, w.Name)
		names = append(names, w.Name)
	}
	assert.Equal(t, estate.Software(), names)
	assert.Len(t, written, len(names), "and nothing is written that nobody can name")
	_, known := WriterOf("nothing")
	assert.False(t, known)
}
