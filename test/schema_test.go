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
	compiled, err := compile(args[0])
	ts.Check(err)
	var value any
	ts.Check(json.NewDecoder(strings.NewReader(ts.ReadFile(args[1]))).Decode(&value))
	ts.Check(compiled.Validate(value))
}

// schemas is where our schemas are said to be; no reader has to fetch them.
const schemas = "https://upperpath.example/schema/"

// compile reads the schemas as their readers do: by their names, and those by which they refer to
// each other.
func compile(name string) (*jsonschema.Schema, error) {
	paths, err := filepath.Glob("../docs/schema/*.json")
	if err != nil {
		return nil, err
	}
	c := jsonschema.NewCompiler()
	for _, path := range paths {
		data, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		value, err := jsonschema.UnmarshalJSON(bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		if err := c.AddResource(schemas+filepath.Base(path), value); err != nil {
			return nil, err
		}
	}
	return c.Compile(schemas + name + ".json")
}

// TestEverySchemaHasItsName looks whether each says under which name others refer to it.
func TestEverySchemaHasItsName(t *testing.T) {
	paths, err := filepath.Glob("../docs/schema/*.json")
	require.NoError(t, err)
	require.Greater(t, len(paths), 20)
	for _, path := range paths {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		var head struct {
			ID string `json:"$id"`
		}
		require.NoError(t, json.Unmarshal(data, &head), path)
		require.Equal(t, schemas+filepath.Base(path), head.ID)
		_, err = compile(strings.TrimSuffix(filepath.Base(path), ".json"))
		require.NoError(t, err, path)
	}
}

// TestTheSchemaOfTheEstateFileTakesTheDemo reads the demo's estate files as an editor would, and
// one with mistakes.
func TestTheSchemaOfTheEstateFileTakesTheDemo(t *testing.T) {
	schema, err := compile("estate")
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
