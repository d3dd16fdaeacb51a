package report

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"unicode/utf8"

	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
)

// JSON writes a value, indented. Characters that could trouble a terminal are escaped.
func JSON(w io.Writer, v any) error {
	data, err := marshal(v, "")
	if err != nil {
		return err
	}
	_, err = w.Write(append(data, '\n'))
	return err
}

func marshal(v any, prefix string) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent(prefix, "  ")
	if err := e.Encode(v); err != nil {
		return nil, fmt.Errorf("writing JSON: %w", err)
	}
	return escapeHostile(bytes.TrimRight(b.Bytes(), "\n")), nil
}

// escapeHostile escapes what JSON leaves as it is: C1 controls, DEL, and what turns the direction of writing.
func escapeHostile(data []byte) []byte {
	out := make([]byte, 0, len(data))
	for i := 0; i < len(data); {
		r, size := utf8.DecodeRune(data[i:])
		if r >= 0x7f && problem.Hostile(r) {
			out = fmt.Appendf(out, `\u%04x`, r)
		} else {
			out = append(out, data[i:i+size]...)
		}
		i += size
	}
	return out
}

// jsonStream writes an audit chain by chain, so that a long one needs no memory.
type jsonStream struct {
	w     io.Writer
	count int
	err   error
}

func (j *jsonStream) print(format string, args ...any) {
	if j.err == nil {
		_, j.err = fmt.Fprintf(j.w, format, args...)
	}
}

func (j *jsonStream) value(v any, prefix string) string {
	data, err := marshal(v, prefix)
	if err != nil && j.err == nil {
		j.err = err
	}
	return string(data)
}

func (j *jsonStream) Start(h Head) error {
	j.print("{\n  \"schema\": %s,\n  \"vantage\": %s,\n", j.value(h.Schema, ""), j.value(h.Vantage, ""))
	if h.Canonical != "" {
		j.print("  \"canonical\": %s,\n", j.value(h.Canonical, ""))
	}
	j.print("  \"started\": %s,\n  \"chains\": [", j.value(h.Started, ""))
	return j.err
}

func (j *jsonStream) Chain(c chain.Chain) error {
	comma := ""
	if j.count > 0 {
		comma = ","
	}
	j.count++
	j.print("%s\n    %s", comma, j.value(c, "    "))
	return j.err
}

func (j *jsonStream) End(findings []finding.Finding, notes []string) error {
	j.print("\n  ],\n  \"findings\": [")
	if len(findings) == 0 {
		j.print("]")
	}
	for i, f := range findings {
		comma := ""
		if i > 0 {
			comma = ","
		}
		j.print("%s\n    %s", comma, j.value(f, "    "))
	}
	if len(findings) > 0 {
		j.print("\n  ]")
	}
	if len(notes) > 0 {
		j.print(",\n  \"notes\": %s", j.value(notes, "  "))
	}
	j.print("\n}\n")
	return j.err
}
