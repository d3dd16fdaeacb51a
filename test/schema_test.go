package test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/rogpeppe/go-internal/testscript"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
)

// schema NAME FILE looks whether a JSON file (or stdout) is as docs/schema/NAME.json says.
func conforms(ts *testscript.TestScript, _ bool, args []string) {
	if len(args) != 2 {
		ts.Fatalf("usage: schema NAME FILE")
	}
	here, err := filepath.Abs("../docs/schema")
	ts.Check(err)
	compiled, err := jsonschema.NewCompiler().Compile(filepath.Join(here, args[0]+".json"))
	ts.Check(err)
	var value any
	ts.Check(json.NewDecoder(strings.NewReader(ts.ReadFile(args[1]))).Decode(&value))
	ts.Check(compiled.Validate(value))
}

// TestTheSchemaOfTheEstateFileTakesTheDemo reads the demo's estate files as an editor would, and
// one with mistakes.
func TestTheSchemaOfTheEstateFileTakesTheDemo(t *testing.T) {
	here, err := filepath.Abs("../docs/schema/estate.json")
	require.NoError(t, err)
	schema, err := jsonschema.NewCompiler().Compile(here)
	require.NoError(t, err)
	value := func(text []byte) any {
		t.Helper()
		data, err := yaml.YAMLToJSON(text)
		require.NoError(t, err)
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
		require.NoError(t, err)
		return v
	}
	for _, path := range []string{"../demo/estate/upperpath.yaml",
		"../demo/estate/faulty/upperpath.yaml"} {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, schema.Validate(value(text)), path)
		for _, wrong := range [][2]string{{"canonical:", "cannonical:"}, {"by: server", "by: magic"},
			{"mail: none",
				"mail: perhaps"}} {
			bad := strings.Replace(string(text), wrong[0], wrong[1], 1)
			require.NotEqual(t, string(text), bad, wrong[0])
			require.Error(t, schema.Validate(value([]byte(bad))), wrong[1])
		}
	}
}
