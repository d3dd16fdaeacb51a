package cli

import (
	"errors"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"upperpath.example/upperpath/internal/core/problem"
)

// optionFault says what is wrong with an option of a command line, what is expected, and what to
// do.
func optionFault(c *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	var alone *pflag.ValueRequiredError
	var bad *pflag.InvalidValueError
	var malformed *pflag.InvalidSyntaxError
	switch {
	case errors.As(err, &unknown):
		return unknownOption(c, unknown)
	case errors.As(err, &alone):
		name, _ := pflag.UnquoteUsage(alone.GetFlag())
		return usage("--%s needs a value: --%[1]s %s", alone.GetFlag().Name, name)
	case errors.As(err, &bad):
		return usage("--%s %s: %s", bad.GetFlag().Name, strconv.Quote(bad.GetValue()),
			expected(bad.GetFlag(), bad.Unwrap()))
	case errors.As(err, &malformed):
		return usage("%s: expected an option such as --format json; to pass it as a name, put -- "+
			"before it",
			malformed.GetSpecifiedFlag())
	}
	return ended{exitUsage, err}
}

// unknownOption names the nearest option that there is.
func unknownOption(c *cobra.Command, unknown *pflag.NotExistError) error {
	word := "--" + unknown.GetSpecifiedName()
	if unknown.GetSpecifiedShortnames() != "" {
		word = "-" + unknown.GetSpecifiedName()
	}
	var names []string
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if !f.Hidden {
			names = append(names, f.Name)
		}
	})
	remedy := fmt.Sprintf("%s --help lists them", c.CommandPath())
	if near := problem.Nearest(unknown.GetSpecifiedName(), names); near != "" && len(word) > 2 {
		remedy = "did you mean --" + near + "?"
	}
	return usage("%s has no option %s; %s", c.CommandPath(), word, remedy)
}

// expected says what value an option takes.
func expected(f *pflag.Flag, cause error) string {
	switch f.Value.Type() {
	case "int", "int64", "uint":
		return "expected a whole number"
	case "float64":
		return "expected a number, such as 2 or 0.5"
	case "duration":
		return "expected a time, such as 2s or 3m"
	case "bool":
		return "expected true or false, or no value"
	}
	return cause.Error()
}
