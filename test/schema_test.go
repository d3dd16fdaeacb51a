package test

import (
	"encoding/json"
	"path/filepath"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/santhosh-tekuri/jsonschema/v6"
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
