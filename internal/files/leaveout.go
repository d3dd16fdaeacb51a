package files

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"

	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/problem"
)

// leaveOutFile is rules for what is left out of old URLs, as a file has them.
type leaveOutFile struct {
	Robots     []string `yaml:"robots"`
	Parts      []string `yaml:"parts"`
	Parameters []string `yaml:"parameters"`
}

// LeaveOutText gives rules for what is left out, as ReadLeaveOut reads them.
func LeaveOutText(l old.LeaveOut) []byte {
	var b bytes.Buffer
	b.WriteString("# What upperpath gather leaves out. A word that ends with * stands for all that " +
		"it begins.\n")
	for _, part := range []struct {
		key, says string
		words     []string
	}{
		{"robots", "words in a User-Agent, in lower case, that mark a robot", l.Robots},
		{"parts", "endings of paths that are page parts", l.Parts},
		{"parameters", "tracking parameters, which say nothing about the page",
			l.Parameters},
	} {
		fmt.Fprintf(&b, "\n# %s\n%s:\n", part.says, part.key)
		for _, w := range part.words {
			fmt.Fprintf(&b, "  - %q\n", w)
		}
	}
	return b.Bytes()
}

// ReadLeaveOut reads rules for what is left out. The error is a problem.List.
func ReadLeaveOut(path string) (old.LeaveOut, error) {
	data, err := Read(path, MostSmall)
	if err != nil {
		return old.LeaveOut{}, problem.List{unreadable(path, err)}
	}
	var f leaveOutFile
	if err := yaml.UnmarshalWithOptions(data, &f, yaml.DisallowUnknownField()); err != nil {
		says, _, _ := strings.Cut(err.Error(), "\n")
		return old.LeaveOut{}, problem.List{{File: path, Fault: fact.LeaveOutUnread{Why: says}}}
	}
	lower := func(words []string) []string {
		for i := range words {
			words[i] = strings.ToLower(words[i])
		}
		return words
	}
	return old.LeaveOut{Robots: lower(f.Robots), Parts: lower(f.Parts),
		Parameters: lower(f.Parameters)}, nil
}
